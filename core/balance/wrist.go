package balance

import (
	"fmt"
	"math"
	"strings"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// AtWrist is what is known of what an arm carries.
type AtWrist struct {
	Poses   int      `json:"poses"`
	Found   *Payload `json:"found,omitempty"`
	OffMM   *float64 `json:"off_mm,omitempty" doc:"what the centre is known to, for the residual that is left"`
	Problem string   `json:"problem,omitempty" doc:"why the poses do not tell, or empty"`
	Missing string   `json:"missing,omitempty" doc:"what would make them tell"`
	Told    *Told    `json:"told,omitempty"`
	OK      bool     `json:"ok"`
	Says    string   `json:"says"`
	Guided  string   `json:"guided" doc:"what it would do with what it was told, if it were guided by hand"`
}

// ninety is by how many standard deviations of each direction nine in ten are within, in space.
const ninety = 1.45

// alike is how far what an arm was told may be from what was found.
const (
	alikeKg = 0.15
	alikeM  = 0.01
)

func (r *Settled) wrist(out *BenchSheet, m *rig.Rig, weighed bool) error {
	p := &AtWrist{Poses: len(r.Felt), Told: r.Told}
	out.Payload = p
	poses := make([]WristPose, len(r.Felt))
	for i, f := range r.Felt {
		poses[i] = f.WristPose
	}
	if len(poses) > 0 {
		w := Weighing{G: G, Bias: true}
		if poses[0].ForceN == nil && weighed { // torques alone want a scale
			w.Known = &out.MassKg
		}
		found, err := w.From(poses)
		if err == nil && !found.Weighed {
			err = mistake.In("mass", "weigh the camera and say so in its package",
				"torques alone do not tell how heavy it is")
		}
		if bad, ok := err.(*MistakeError); ok {
			p.Problem, p.Missing = bad.Wrong, bad.Want
		} else if err != nil {
			return err
		} else {
			p.Found = found
			if c := found.CentreSigma; c != nil { // nine in ten
				off := ninety * math.Max(c.Norm(), 0.001*w.Spread(poses, found.MassKg)) * 1000
				p.OffMM = &off
			}
			if leans := w.leans(poses, found); leans >= 0 {
				p.Problem = fmt.Sprintf("pose %d does not go with the others: somebody leant on it, or a cable pulled",
					leans+1)
				p.Missing = "take that pose out, and read it again with all hands off"
			} else if !found.agrees() {
				p.Problem = fmt.Sprintf("the poses do not go together: %.1f N and %.2f N m are left over",
					found.ResidualN, found.ResidualNM)
				p.Missing = "read them again with all hands off, and one or two more, so that it shows which is wrong"
			} else if weighed && w.Known == nil && math.Abs(found.MassKg-out.MassKg) > alikeKg+scaleOff*out.MassKg {
				p.Problem = fmt.Sprintf("the wrist feels %.2f kg and the scale said %.2f", found.MassKg, out.MassKg)
				p.Missing = "read it again with all hands off; or weigh it again, if something else hangs on it now"
			}
		}
	}
	free := m.Book.Wrist.FreeN
	name := m.Name
	switch {
	case p.Found != nil && p.Problem != "":
		p.Says = fmt.Sprintf("What %s carries is not settled: %s. %s.", name, p.Problem, strings.ToUpper(p.Missing[:1])+
			p.Missing[1:])
	case r.Told == nil && p.Found == nil:
		p.Says = fmt.Sprintf("%s does not know what hangs on it. Read its wrist in three poses or more.", name)
	case r.Told == nil:
		p.Says = fmt.Sprintf("Found %.2f kg. Tell %s.", p.Found.MassKg, name)
	case p.Found == nil:
		p.Says, p.OK = fmt.Sprintf("%s was told %.2f kg, for this package, before.", name, r.Told.MassKg), true
	default:
		d := rig.Vec{r.Told.Centre[0] - p.Found.Centre[0], r.Told.Centre[1] - p.Found.Centre[1],
			r.Told.Centre[2] - p.Found.Centre[2]}
		p.OK = math.Abs(r.Told.MassKg-p.Found.MassKg) <= alikeKg && d.Norm() <= alikeM
		p.Guided = Guided(r.Told.MassKg, p.Found.MassKg, free)
		if p.OK {
			p.Says = fmt.Sprintf("%s knows what it carries: %.2f kg.", name, r.Told.MassKg)
		} else {
			p.Says = fmt.Sprintf("%s was told %.2f kg and carries %.2f, its centre %.0f mm from where it was told. "+
				"Tell it again.", name, r.Told.MassKg, p.Found.MassKg, d.Norm()*1000)
		}
	}
	why := p.Says
	if p.OK {
		asked := r.Checks
		asked.Engaged, asked.Clear = true, true // an arm has no gear that is freed for this
		why = asked.Missing()
	}
	if why != "" {
		out.Verdict = Verdict{Says: fmt.Sprintf("the payload is not settled. %s", why)}
	} else {
		out.Verdict = Verdict{OK: true, Says: p.Says}
	}
	return nil
}
