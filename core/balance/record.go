package balance

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"keenarc/core/rig"
)

// Checks are what somebody has looked after with their own eyes and hands.
type Checks struct {
	AllOn   bool `json:"all_on" doc:"everything that will hang on it is on it"`
	Clear   bool `json:"clear" doc:"nothing dangles before the lens"`
	Engaged bool `json:"engaged" doc:"gear engaged again"`
	Tight   bool `json:"tight" doc:"plate and knobs tightened"`
	Line    bool `json:"line" doc:"safety line on"`
	PinsOut bool `json:"pins_out"`
}

// Missing is the first thing that is not looked after, or empty.
func (c Checks) Missing() string {
	for _, x := range []struct {
		ok   bool
		says string
	}{{c.AllOn, "Say that all that will hang on it is on it."}, {c.Clear, "See that nothing dangles before the lens."},
		{c.Line, "Put the safety line on."}, {c.Engaged, "Engage the gear again."}, {c.Tight,
			"Tighten plate and knobs."}, {c.PinsOut, "Pull the pins."}} {
		if !x.ok {
			return x.says
		}
	}
	return ""
}

// Hung is what hangs on a head, as a camera package has it: pieces counted from the
// plate's zero, the whole from a scale, and how far its bulk reaches before the tilt
// axis and under it, at the readings zero lies on the axis.
type Hung struct {
	Pieces  []Piece  `json:"pieces"`
	WholeKg *float64 `json:"whole_kg,omitempty"`
	FrontM  float64  `json:"front_m,omitempty"`
	UnderM  float64  `json:"under_m,omitempty"`
}

// Kg is all that hangs there, as it was weighed, whole or by pieces; nil where nothing was.
func (l Hung) Kg() *float64 {
	kg, _, _, guessed, err := (&Bench{Pieces: l.Pieces, WholeKg: l.WholeKg}).mass()
	if guessed || err != nil {
		return nil
	}
	return &kg
}

// Settled is how a package was balanced on a machine. It is kept whole with every change.
type Settled struct {
	SlideMM float64 `json:"slide_mm"`
	RiseMM  float64 `json:"rise_mm"`
	Seen    []Seen  `json:"seen"`
	// Load is what hung there when it was kept: looks at another load say nothing of this.
	Load   *Hung  `json:"load,omitempty"`
	Checks Checks `json:"checks"`
	// ByMargin: somebody accepts it as it is, by its motor's margin.
	ByMargin bool `json:"by_margin,omitempty"`
	// CreepDegH is a creep that was measured, parked at CreepAtDeg; DroopShare how much
	// of its speed the drive loses at its full torque.
	CreepDegH  *float64 `json:"creep_deg_h,omitempty"`
	CreepAtDeg float64  `json:"creep_at_deg,omitempty"`
	DroopShare *float64 `json:"droop_share,omitempty"`
	// Felt is what a wrist felt, for an arm; Told the payload that the arm was told.
	Felt []Felt `json:"felt,omitempty"`
	Told *Told  `json:"told,omitempty"`
	// Weights are those that hang at a crane's tail, and Arms the lengths it is used at.
	Weights []Weights  `json:"weights,omitempty"`
	Own     []Weights  `json:"own,omitempty"`
	Arms    [2]float64 `json:"arms_mm,omitempty" doc:"from and to, as the arm's axis counts"`
	// EngagedAt is when the gear was engaged again, for the last time; left out while it is not, and
	// where it never was freed.
	EngagedAt *time.Time `json:"engaged_at,omitempty"`
}

// Felt is one pose of an arm with what its wrist felt there.
type Felt struct {
	WristPose
	Joints map[string]float64 `json:"joints"`
}

// Told is the payload that an arm was told.
type Told struct {
	MassKg float64 `json:"mass_kg"`
	Centre rig.Vec `json:"centre_m"`
}

// Same is whether two loads weigh and sit the same, whatever they are called.
func (l Hung) Same(o Hung) bool {
	if len(l.Pieces) != len(o.Pieces) || (l.WholeKg == nil) != (o.WholeKg == nil) || l.WholeKg != nil && *l.WholeKg !=
		*o.WholeKg {
		return false
	}
	for i, p := range l.Pieces {
		if q := o.Pieces[i]; p.MassKg != q.MassKg || p.At != q.At {
			return false
		}
	}
	return true
}

// Follows notes what the change from another record, now, means for plate and gear. Where the camera
// was slid or raised, both are open again; a look is one with the gear free. When the gear was engaged
// again is kept.
func (r *Settled) Follows(was *Settled, now time.Time) {
	r.EngagedAt = was.EngagedAt
	if r.SlideMM != was.SlideMM || r.RiseMM != was.RiseMM {
		r.Checks.Tight, r.Checks.Engaged = false, false
	}
	for _, look := range r.Seen {
		if !slices.ContainsFunc(was.Seen, look.same) {
			r.Checks.Engaged = false
		}
	}
	switch {
	case !r.Checks.Engaged:
		r.EngagedAt = nil
	case !was.Checks.Engaged:
		r.EngagedAt = &now
	}
}

// Back is the record before another one, kept anew when that is taken back: what was open in either
// is open, since nobody turned a knob by taking a line back.
func (r *Settled) Back(was *Settled, now time.Time) *Settled {
	out := *r
	out.Checks.Engaged = r.Checks.Engaged && was.Checks.Engaged
	out.Checks.Tight = r.Checks.Tight && was.Checks.Tight
	out.Follows(was, now)
	return &out
}

// For is the record as it still counts for a load: with another one on it nothing was
// seen yet, and nothing is looked after.
func (r *Settled) For(l Hung) *Settled {
	if r.Load == nil || r.Load.Same(l) {
		return r
	}
	out := *r
	out.Seen, out.Felt, out.Told, out.Checks, out.ByMargin = []Seen{}, nil, nil, Checks{}, false
	out.CreepDegH, out.CreepAtDeg = nil, 0
	return &out
}

// Enough is how many times the worst torque the motor must have for a camera that is
// not balanced to be accepted as it is.
const Enough = 4

// On is the bench of a head with a load, as a record has it.
func (r *Settled) On(h *rig.Head, l Hung) *Bench {
	return &Bench{Knobs: Knobs{h.SlideMM, h.RiseMM, h.SlideAxisMM, h.RiseAxisMM}, Pieces: l.Pieces, WholeKg: l.WholeKg,
		SlideMM: r.SlideMM, RiseMM: r.RiseMM, FrictionNM: h.FrictionNM, CableNM: h.CableNM, Seen: r.Seen}
}

// Verdict is whether a package is balanced on a machine, and why not.
type Verdict struct {
	OK   bool   `json:"ok"`
	Says string `json:"says"`
	On   string `json:"on,omitempty" doc:"what a yes rests on: what was seen, measured, weighed, and what was only typed"`
}

// Judge says whether a head is balanced: it rests wherever it is pointed, or is accepted
// by its margin, and everything is looked after. name is the machine's.
func (r *Settled) Judge(name string, w *Weight, margin float64) Verdict {
	why := ""
	switch {
	case !r.Checks.AllOn || !r.Checks.Clear || !r.Checks.Line: // before anything is freed
		why = r.Checks.Missing()
	case w.Says != "":
		why = "What it was seen to do contradicts itself."
	case w.Next.Done:
	case r.ByMargin && margin >= Enough:
	case r.ByMargin && margin == 0:
		why = "The motor's margin over what pulls at it is not known: weigh the camera, and put the motor in " +
			"the rig book."
	case r.ByMargin:
		why = fmt.Sprintf("Its motor has %s what may pull at it; to be accepted as it is it needs %d.",
			times(margin), Enough)
	default:
		why = w.Next.Says
	}
	if why == "" {
		why = r.Checks.Missing()
	}
	if why != "" {
		return Verdict{Says: fmt.Sprintf("this camera is not balanced on %s. %s", name, why)}
	}
	if w.Next.Done {
		return Verdict{OK: true, Says: "It rests wherever it is pointed, and all is looked after."}
	}
	return Verdict{OK: true, Says: fmt.Sprintf("Accepted as it is: the motor has %s what may pull at it.",
		times(margin))}
}

// Since is the verdict, with the homing that a gear needs after it was free: engaged is when it was
// engaged again (nil: it was not freed), homed when its axis was last homed (nil: never).
func (v Verdict) Since(name, axis string, engaged, homed *time.Time) Verdict {
	if !v.OK || engaged == nil || homed != nil && homed.After(*engaged) {
		return v
	}
	return Verdict{Says: fmt.Sprintf("this camera is not balanced on %s. Home %s: its gear was free since it was "+
		"last homed.", name, axis)}
}

// Alone says what it would do if it were left like this: creep only from one that was
// measured, uneven speed only where the drive's droop is known.
func (r *Settled) Alone(l Lever, motorNM, fromDeg, toDeg float64) []string {
	out := []string{}
	if r.CreepDegH != nil {
		out = append(out, fmt.Sprintf("Measured: parked %s it creeps %.2g° an hour.", attitude(r.CreepAtDeg),
			*r.CreepDegH))
	} else {
		out = append(out, "Creep: cannot say. Park it for a quarter of an hour and read it.")
	}
	if motorNM <= 0 {
		return append(out, "Uneven speed: cannot say. The motor's torque is not in the rig book.")
	}
	share := func(deg float64) float64 { return l.NM(deg) / motorNM }
	lo, hi := share(fromDeg), share(toDeg)
	take := fmt.Sprintf("Gravity takes %.0f %% of the motor at %s and %.0f %% at %s", math.Abs(lo)*100,
		attitude(fromDeg), math.Abs(hi)*100, attitude(toDeg))
	if r.DroopShare == nil {
		return append(out, take+". Uneven speed: cannot say without the drive's droop.")
	}
	// Torque against the move slows it, with it hurries it: by the droop's share of it.
	most, least := math.Inf(-1), math.Inf(1)
	for _, deg := range []float64{fromDeg, toDeg, 0} {
		if deg >= fromDeg && deg <= toDeg {
			most, least = max(most, share(deg)), min(least, share(deg))
		}
	}
	if nm, _ := l.Worst(fromDeg, toDeg); true {
		most, least = max(most, nm/motorNM), min(least, nm/motorNM)
	}
	return append(out, take+fmt.Sprintf(": its speed would differ by %.1f %% over the arc.",
		(most-least)**r.DroopShare*100))
}

// Swap says what to turn, and to which readings, to go from one package as it stands to
// another whose balance is kept; rests is whether that was seen to rest wherever it is pointed.
func Swap(from, to *Settled, toName string, rests bool) []string {
	if to == nil {
		return []string{"No balance is kept for " + toName + " on this machine: balance it first."}
	}
	var out []string
	turn := func(what string, a, b float64) {
		switch {
		case from == nil:
			out = append(out, fmt.Sprintf("Set the %s to %s mm.", what, short(b)))
		case math.Abs(b-a) < 0.05:
			out = append(out, fmt.Sprintf("The %s stays at %s mm.", what, short(b)))
		default:
			out = append(out, fmt.Sprintf("Turn the %s from %s to %s mm.", what, short(a), short(b)))
		}
	}
	var a Settled
	if from != nil {
		a = *from
	}
	turn("slide", a.SlideMM, to.SlideMM)
	turn("rise", a.RiseMM, to.RiseMM)
	switch {
	case rests:
	case to.ByMargin:
		out = append(out, toName+" was accepted by its motor's margin, not balanced.")
	default:
		out = append(out, toName+" was never seen to rest there: balance it, before its gear is freed or it rolls.")
	}
	return out
}

// Parts names pieces in a sentence.
func (l Hung) Parts() string {
	names := make([]string, len(l.Pieces))
	for i, p := range l.Pieces {
		names[i] = said(p.Name, i)
	}
	return strings.Join(names, ", ")
}
