package site

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"keenarc/core/length"
	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// Typed is a length as somebody typed it, in metres or in feet and inches.
type Typed struct {
	As string  `json:"as" maxLength:"40"`
	MM float64 `json:"mm"`
}

// read takes the millimetres from what was typed.
func (t *Typed) read(field string, zero bool) error {
	if zero && (strings.TrimSpace(t.As) == "" || t.As == "0") {
		t.MM = 0
		return nil
	}
	m, err := length.Read(t.As)
	if err != nil {
		wrong, want, _ := strings.Cut(err.Error(), "; ")
		bad := &mistake.Error{Field: field, Wrong: wrong, Want: want}
		var two *length.TwoReadings
		if errors.As(err, &two) {
			bad.Choices = two.Readings[:]
		}
		return bad
	}
	t.MM = math.Round(m*1e6) / 1e3
	return nil
}

// Owned is a rail section that there is, so many of it.
type Owned struct {
	Length Typed `json:"length"`
	Count  int   `json:"count"`
}

// Ground is how a shot's track lies, and what stands on it.
type Ground struct {
	// Run is how far the carriage goes; left out: as far as the path takes it.
	Run       *Typed     `json:"run,omitempty"`
	Footprint Typed      `json:"footprint" doc:"of the carriage with what stands on it"`
	Margin    Typed      `json:"margin" doc:"beyond it on each side, to stop in"`
	Owned     []Owned    `json:"owned"`
	Supports  []Support  `json:"supports"`
	Rules     LevelRules `json:"rules"`
	Swing     *Swing     `json:"swing,omitempty"`
	Base      Base       `json:"base"`
}

// GroundSheet is what is said of it.
type GroundSheet struct {
	RunMM   float64      `json:"run_mm"`
	RunSays string       `json:"run_says"`
	NeedMM  float64      `json:"need_mm"`
	Used    []RailLength `json:"used"`
	TotalMM float64      `json:"total_mm"`
	Packing *Packing     `json:"packing,omitempty"`
	// OK is that all of it holds that is looked at here, and that it was looked at; Reaches, that there
	// is rail enough.
	OK      bool     `json:"ok"`
	Reaches bool     `json:"reaches"`
	Says    string   `json:"says"`
	Level   string   `json:"level"`
	More    []string `json:"more"`
}

// Read takes every length from what was typed.
func (g *Ground) Read() error {
	if g.Run != nil {
		if err := g.Run.read("run", true); err != nil {
			return err
		}
	}
	if err := g.Footprint.read("footprint", true); err != nil {
		return err
	}
	if err := g.Margin.read("margin", true); err != nil {
		return err
	}
	for i := range g.Owned {
		if err := g.Owned[i].Length.read(fmt.Sprintf("owned[%d].length", i), false); err != nil {
			return err
		}
	}
	return nil
}

// ProposeGround is what is known of the ground before anybody has been there: the rail's
// sections and weights out of the rig book, the margin from its drive.
func ProposeGround(r *rig.Rig) *Ground {
	g := &Ground{Footprint: Typed{As: "300 mm"}, Margin: Typed{As: "100 mm"}, Owned: []Owned{}, Supports: []Support{},
		Rules: LevelRules{GaugeMM: 600, SlopeMMPM: 1, TwistMMPM: 0.7, PackersMM: []float64{1, 2, 3, 5, 10, 20}},
		Base:  Base{MassKg: 40, Feet: 4, PadCM2: 100, Worst: 1.5}}
	if r == nil {
		return g
	}
	for _, x := range r.Rails() {
		a := &r.Axes[r.Index(x.Axis)]
		// To rest from its working speed, in the dead time of a lost hold and then braking.
		stop := a.Working.Speed*0.2 + a.Working.Speed*a.Working.Speed/(2*a.Working.Acceleration)
		g.Margin.As = fmt.Sprintf("%.0f mm", math.Ceil(stop/10)*10)
		if len(g.Owned) == 0 {
			g.Owned = append(g.Owned,
				Owned{Typed{As: fmt.Sprintf("%.0f mm", math.Ceil((a.Hard[1]-a.Hard[0]+300+2*stop)/100)*100)}, 1})
		}
	}
	if b := r.Book; b != nil {
		if c := b.Carry(); c.Kg > 0 {
			g.Base.MassKg = math.Round(c.Kg)
		}
		var owned []Owned
		for _, p := range b.Parts {
			if name, long, ok := strings.Cut(p.Name, ", "); ok && strings.Contains(name, "section") {
				if _, err := length.Read(long); err == nil {
					owned = append(owned, Owned{Typed{As: long}, p.Count})
				}
			}
		}
		if len(owned) > 0 {
			g.Owned = owned
		}
		if c := b.Crane; c != nil {
			g.Footprint.As, g.Base.PadCM2 = "1.2 m", 400
			g.Swing = &Swing{TailM: c.TailM, PivotM: 1.4, HangsM: 0.35, KeepM: 0.6}
			for _, j := range r.Joints {
				if i := r.Index(j.Axis); i >= 0 && j.Kind == rig.Revolute && math.Abs(j.Direction[0]) > 0.9 {
					g.Swing.FrontUpD = r.Axes[i].Max
					pose := make([]float64, len(r.Axes))
					for k, a := range r.Axes {
						pose[k] = min(max(0, a.Min), a.Max)
					}
					if k := slices.IndexFunc(r.Joints, func(x rig.Joint) bool { return x.Name == j.Name }); k >= 0 {
						g.Swing.PivotM = math.Round(r.Frames(nil, pose)[k].At[2]*100) / 100
					}
					break
				}
			}
		}
	}
	_ = g.Read() // what is proposed is a length
	return g
}

// Sheet works out what is said, for a path that takes the carriage from low to high, in
// millimetres; nil: no path does.
func (g *Ground) Sheet(path *[2]float64) (*GroundSheet, error) {
	v := &GroundSheet{Used: []RailLength{}, More: []string{}, OK: true, Reaches: true}
	switch {
	case g.Run != nil:
		v.RunMM, v.RunSays = g.Run.MM, "as it was given"
	case path != nil:
		v.RunMM, v.RunSays = path[1]-path[0], fmt.Sprintf("as the path goes, from %.0f to %.0f mm", path[0], path[1])
	default:
		v.RunSays = "nothing travels on rails here; give a run"
	}
	need := RailNeed{v.RunMM, g.Footprint.MM, g.Margin.MM}
	if v.NeedMM = need.NeedMM(); g.Run == nil && path == nil || v.NeedMM == 0 {
		v.NeedMM = 0
		v.Says = "No rail is needed."
	} else { // a carriage that stands still stands on rails, too
		owned := make([]RailLength, len(g.Owned))
		for i, o := range g.Owned {
			owned[i] = RailLength{o.Length.MM, o.Count}
		}
		used, total, err := Sections(v.NeedMM, owned)
		switch bad, ok := asMistake(err); {
		case err == nil:
			v.Used, v.TotalMM = used, total
			names := []string{}
			for _, u := range used {
				names = append(names, fmt.Sprintf("%d × %s", u.Count, g.named(u.MM)))
			}
			v.Says = fmt.Sprintf("%s: %.2f m of rail for the %.2f it needs.", strings.Join(names, " and "), total/1000,
				v.NeedMM/1000)
		case ok && bad.Field == "owned":
			v.OK, v.Reaches = false, false
			v.Says = fmt.Sprintf("Too short: %s. %s.", strings.Replace(bad.Wrong, "the track needs", "it needs", 1),
				strings.ToUpper(bad.Want[:1])+bad.Want[1:])
		default:
			return nil, err
		}
	}
	switch {
	case len(g.Supports) == 0:
		v.Level = "Nobody has measured the floor yet."
		v.OK = v.OK && v.NeedMM == 0
	default:
		p, err := Pack(g.Supports, g.Rules)
		if err != nil {
			return nil, err
		}
		v.Packing = p
		n := 0
		for _, c := range p.Count {
			n += c
		}
		r := g.Rules
		v.Level = fmt.Sprintf("%d packers. Then the steepest is %.1f mm/m, the twist %.1f, and across it is %.1f: "+
			"within %g, %g and %g.",
			n, p.WorstS, p.WorstT, p.WorstC, r.SlopeMMPM, r.TwistMMPM, r.across())
		if !p.OK {
			v.OK = false
			v.Level = fmt.Sprintf("%d packers leave %.1f mm/m of slope, %.1f of twist and %.1f across: %g, %g and %g "+
				"are borne. Thinner packers would do.",
				n, p.WorstS, p.WorstT, p.WorstC, r.SlopeMMPM, r.TwistMMPM, r.across())
		}
		if last := g.Supports[len(g.Supports)-1].AtMM - g.Supports[0].AtMM; v.NeedMM > 0 && last < v.TotalMM-1000 {
			v.OK = false
			v.More = append(v.More,
				fmt.Sprintf("Measured over %.2f m of the %.2f that lie: of the rest nothing can be said.", last/1000,
					v.TotalMM/1000))
		}
	}
	return v, v.stands(g)
}

// named is a section's length as it was typed.
func (g *Ground) named(mm float64) string {
	for _, o := range g.Owned {
		if o.Length.MM == mm {
			return o.Length.As
		}
	}
	return fmt.Sprintf("%g mm", mm)
}

// stands says what swings behind, and what the floor takes.
func (v *GroundSheet) stands(g *Ground) error {
	if s := g.Swing; s != nil {
		for _, of := range []struct {
			name string
			v    float64
		}{{"tail_m", s.TailM}, {"pivot_m", s.PivotM}, {"hangs_m", s.HangsM}, {"room_m", s.RoomM}, {"keep_m", s.KeepM},
			{"front_up_deg", s.FrontUpD}} {
			what, x := of.name, of.v
			if !(x >= 0 && x <= 1000) {
				return mistake.In("swing."+what, "give 0 or more", "it is %g", x)
			}
		}
		behind, under := s.ClearM()
		switch {
		case s.RoomM == 0:
			v.OK = false
			v.More = append(v.More,
				fmt.Sprintf("The tail swings %.2f m behind the column: measure the room there.", s.TailM))
		case behind < 0:
			v.OK = false
			v.More = append(v.More,
				fmt.Sprintf("The tail swings %.2f m behind the column and %.2f stay free for people: %.2f m too "+
					"little room.", s.TailM, s.KeepM, -behind))
		default:
			v.More = append(v.More,
				fmt.Sprintf("The tail swings %.2f m behind the column: %.2f m more than that and the way past it.",
					s.TailM, behind))
		}
		if under < 0.05 {
			v.OK = false
			v.More = append(v.More,
				fmt.Sprintf("With the front %g° up its weights come to %.2f m over the floor. Keep the boom lower, or "+
					"the column higher.", s.FrontUpD, under))
		} else {
			v.More = append(v.More, fmt.Sprintf("With the front %g° up its weights stay %.2f m over the floor.",
				s.FrontUpD, under))
		}
	}
	kn, press, err := g.Base.KN()
	if err != nil {
		return err
	}
	text := fmt.Sprintf("%.0f kg on %d feet: %.1f kN on the worst, %.0f kN/m² under its pad", g.Base.MassKg,
		g.Base.Feet, kn, press)
	switch {
	case g.Base.FloorKN == 0:
		v.OK = false
		text += ". What the floor bears is not typed: ask those who answer for it."
	case press > g.Base.FloorKN:
		v.OK = false
		text += fmt.Sprintf(", more than the %g it bears: larger pads, of %.0f cm² at least.", g.Base.FloorKN,
			math.Ceil(kn/g.Base.FloorKN*1e4))
	default:
		text += fmt.Sprintf(" of the %g it bears.", g.Base.FloorKN)
	}
	v.More = append(v.More, text)
	return nil
}

func asMistake(err error) (*mistake.Error, bool) {
	m, ok := err.(*mistake.Error)
	return m, ok
}
