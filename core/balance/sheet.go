package balance

import (
	"fmt"
	"math"
	"strings"

	"keenarc/core/rig"
)

// BenchSheet is all that is worked out of a package on a machine: on a head, at a powered
// wrist, on a crane; what the machine does not have is left out.
type BenchSheet struct {
	MassKg  float64       `json:"mass_kg"`
	Weight  *Weight       `json:"weight,omitempty"`
	Arc     *GravityCurve `json:"arc,omitempty"`
	Others  []string      `json:"others" doc:"what gravity does about roll and an inclined pan"`
	Alone   []string      `json:"alone" doc:"what it would do if it were left like this"`
	Room    *Room         `json:"room,omitempty"`
	Rating  string        `json:"rating" doc:"the payload against the machine's rating, or empty"`
	Payload *AtWrist      `json:"payload,omitempty"`
	Crane   *OnCrane      `json:"crane,omitempty"`
	Guiding string        `json:"guiding,omitempty" doc:"whether a head may be guided by hand"`
	Verdict Verdict       `json:"verdict"`
}

// GravityCurve is gravity against the motor over the tilt arc: as it hangs, and after the next
// step.
type GravityCurve struct {
	FromDeg   float64  `json:"from_deg"`
	ToDeg     float64  `json:"to_deg"`
	Now       []At     `json:"now"`
	After     []At     `json:"after,omitempty"`
	WorstNM   float64  `json:"worst_nm"`
	WorstAt   float64  `json:"worst_at_deg"`
	BadNM     float64  `json:"bad_nm" doc:"the worst that it may be, by how well the weight's place is known"`
	AfterNM   *float64 `json:"after_worst_nm,omitempty"`
	MotorNM   float64  `json:"motor_nm" doc:"at the axis, through its gear; 0: not in the rig book"`
	HoldsNM   float64  `json:"holds_nm" doc:"friction and cables"`
	Margin    *float64 `json:"margin,omitempty" doc:"how many times that the motor has; left out where it is not known"`
	LeftAlone string   `json:"left_alone"`
	Says      string   `json:"says" doc:"the worst, and how it stands to the motor"`
	Times     string   `json:"times,omitempty" doc:"the margin in words, as 12 times"`
	Enough    bool     `json:"enough" doc:"with that margin it may be accepted as it is"`
}

// Room is how far down the camera may tilt before its bulk touches what is below.
type Room struct {
	LowDeg float64 `json:"low_deg"`
	MinDeg float64 `json:"min_deg" doc:"the soft limit as it is"`
	OK     bool    `json:"ok"`
	Says   string  `json:"says"`
}

// AtMotor is a motor's torque at its axis, through its gear, without losses.
func AtMotor(d *rig.Drive) float64 {
	if d == nil || d.Gear.Den == 0 {
		return 0
	}
	return d.MotorNM * math.Abs(float64(d.Gear.Num)/float64(d.Gear.Den))
}

// Sheet works everything out. The machine is as it is lined up.
func (r *Settled) Sheet(m *rig.Rig, l Hung) (*BenchSheet, error) {
	out := &BenchSheet{Others: []string{}, Alone: []string{}}
	b := m.Book
	if b == nil {
		b = &rig.Book{}
	}
	mass, _, _, guessed, err := (&Bench{Pieces: l.Pieces, WholeKg: l.WholeKg}).mass()
	if err != nil {
		return nil, err
	}
	out.MassKg = mass
	load := rated(m, mass, guessed)
	out.Rating = load.says
	out.Verdict = Verdict{OK: true, Says: m.Name + " has no axis that wants balance."}
	if b.Head != nil {
		if err := r.head(out, m, l); err != nil {
			return nil, err
		}
	}
	if b.Wrist != nil {
		if err := r.wrist(out, m, !guessed); err != nil {
			return nil, err
		}
	}
	if b.Crane != nil {
		if err := r.crane(out, m, guessed); err != nil {
			return nil, err
		}
	}
	// What the wrist feels is weighed, too, and may be more than somebody says.
	if p := out.Payload; p != nil && p.Found != nil && (guessed || load.why == "") {
		load = rated(m, p.Found.MassKg, false)
	}
	wants := b.Head != nil || b.Wrist != nil || b.Crane != nil
	if load.why != "" && out.Verdict.OK && (wants || load.over) {
		out.Verdict = Verdict{Says: fmt.Sprintf("this camera is not settled on %s. %s", m.Name, load.why)}
	}
	if out.Verdict.OK && wants {
		out.Verdict.On = r.on(out, b, l, guessed)
	}
	return out, nil
}

// on says what a yes rests on, the strongest first: nobody typed what was seen.
func (r *Settled) on(out *BenchSheet, b *rig.Book, l Hung, guessed bool) string {
	var seen, measured, weighed, typed []string
	if w := out.Weight; w != nil && w.Next.Done {
		seen = append(seen, fmt.Sprintf("it rests at %d attitudes", len(w.Attitudes)+w.Between))
	} else if w != nil {
		typed = append(typed, "the motor, in the rig book")
		if len(r.Seen) > 0 {
			seen = append(seen, "what it does when it is let go")
		} else {
			typed = append(typed, "where its pieces sit")
		}
	}
	if p := out.Payload; p != nil && p.Found != nil {
		measured = append(measured, fmt.Sprintf("what the wrist feels in %d poses", p.Poses))
	} else if p != nil {
		typed = append(typed, "what the arm was told; nothing was felt for it since")
	}
	if l.WholeKg != nil {
		weighed = append(weighed, "the camera, whole")
	} else if !guessed {
		weighed = append(weighed, "the camera, by its pieces")
	}
	if b.Crane != nil {
		typed = append(typed, "boom and head, in the rig book", "the weights, as they are marked")
	}
	typed = append(typed, "what the machine carries, in the rig book", "what is ticked")
	var says []string
	for _, g := range []struct {
		word string
		of   []string
	}{{"Seen", seen}, {"Measured", measured}, {"Weighed", weighed}, {"Typed", typed}} {
		if len(g.of) > 0 {
			says = append(says, g.word+": "+strings.Join(g.of, "; ")+".")
		}
	}
	return strings.Join(says, " ")
}

// scaleOff is what share of its reading a scale may be off by, nine times in ten.
const scaleOff = 0.01

// rating is a load held against what the machine may carry: what is said of it; why it cannot be said
// to be carried, or empty; and whether it is, or may be, too heavy.
type rating struct {
	says, why string
	over      bool
}

func rated(m *rig.Rig, kg float64, guessed bool) rating {
	var most float64
	known := false
	if m.Book != nil {
		most, known = m.Book.PayloadKg[rig.Level]
	}
	switch {
	case guessed && known:
		return rating{why: fmt.Sprintf("Nothing was weighed, and %s carries %g kg level. Weigh what hangs on it.",
			m.Name, most)}
	case guessed:
		return rating{why: "Nothing was weighed. Weigh what hangs on it."}
	case !known:
		says := fmt.Sprintf("What %s carries is not in its rig book: look on its plate, or ask its maker.", m.Name)
		return rating{says: says, why: says}
	}
	says := fmt.Sprintf("%s carries %g kg level; this is %.2f.", m.Name, most, kg)
	switch {
	case kg > most:
		return rating{"Too heavy: " + says,
			fmt.Sprintf("This is too heavy: %.2f kg, and %s carries %g level. Take weight off, or use a machine that "+
				"carries it.", kg, m.Name, most), true}
	case kg*(1+scaleOff) > most:
		why := fmt.Sprintf("This may be too heavy: %.2f kg by a scale that is right to a hundredth, and %s carries "+
			"%g level.", kg, m.Name, most)
		return rating{says + " A scale is right to a hundredth: it may be too heavy.", why, true}
	}
	return rating{says: says}
}

// times says how many times something is something else, to no more digits than anybody knows.
func times(x float64) string {
	switch {
	case !(x < 1000):
		return "over a thousand times"
	case x >= 10:
		return fmt.Sprintf("%.0f times", math.Floor(x))
	case x >= 1:
		return fmt.Sprintf("%.1f times", math.Floor(x*10)/10)
	}
	return fmt.Sprintf("%.2f times", math.Floor(x*100)/100)
}

func (r *Settled) head(out *BenchSheet, m *rig.Rig, l Hung) error {
	h := m.Book.Head
	tilt := &m.Axes[m.Index(h.Axis)]
	b := r.On(h, l)
	b.ArcDeg = [2]float64{tilt.Min, tilt.Max}
	w, err := b.Weigh()
	if err != nil {
		return err
	}
	out.Weight = w
	lever := Lever{w.MassKg, w.Forward, w.Up}
	holds := h.FrictionNM + h.CableNM
	arc := Arc{FromDeg: tilt.Min, ToDeg: tilt.Max, StepDeg: (tilt.Max - tilt.Min) / 60, FrictionNM: holds}
	c := &GravityCurve{FromDeg: tilt.Min, ToDeg: tilt.Max, Now: arc.Samples(lever), MotorNM: AtMotor(tilt.Drive),
		HoldsNM: holds, LeftAlone: arc.Alone(lever)}
	c.WorstNM, c.WorstAt = lever.Worst(tilt.Min, tilt.Max)
	margin := 0.0
	if c.BadNM = w.bad(tilt.Min, tilt.Max); c.MotorNM > 0 && c.BadNM > 0 && !w.Guessed {
		margin = c.MotorNM / c.BadNM
		c.Margin, c.Times, c.Enough = &margin, times(margin), margin >= Enough
	}
	unknown := len(l.Pieces) == 0 && len(r.Seen) == 0
	c.Says = fmt.Sprintf("as it hangs: worst %.2f", math.Abs(c.WorstNM))
	if c.BadNM > 1.2*math.Abs(c.WorstNM)+0.01 {
		c.Says += fmt.Sprintf(", at the most %.2f", c.BadNM)
	}
	switch {
	case unknown:
		c.Says, c.LeftAlone = "nothing is known of where the weight sits",
			"Nothing is known of where the weight sits: let go and look."
		c.Now = []At{}
	case c.Margin != nil:
		c.Says += ", the motor has " + c.Times + " that"
	}
	if w.Next.Knob != "" {
		then := lever
		if w.Next.Knob == "slide" {
			then.AheadM += w.Next.ByMM / 1000
		} else {
			then.UpM += w.Next.ByMM / 1000
		}
		nm, _ := then.Worst(tilt.Min, tilt.Max)
		c.After, c.AfterNM = arc.Samples(then), &nm
	}
	out.Arc = c
	if out.Alone = r.Alone(lever, c.MotorNM, tilt.Min, tilt.Max); unknown {
		out.Alone = append(out.Alone[:1], "What gravity takes of the motor: cannot say before it is known where the "+
			"weight sits.")
	}
	out.Verdict = r.Judge(m.Name, w, margin)
	if out.Others = others(m, w); unknown {
		out.Others = []string{"Roll and pan: cannot say before it is known where the weight sits."}
	}
	out.Guiding = guiding(m, h.Axis, w, out.Verdict.OK)
	if l.FrontM > 0 && m.Book.BelowTiltM > 0 {
		df, du := r.On(h, l).at(r.SlideMM, r.RiseMM)
		low := -rig.TiltRoom(math.Max(l.FrontM+df, 0), math.Max(l.UnderM-du, 0), m.Book.BelowTiltM)
		out.Room = &Room{LowDeg: low, MinDeg: tilt.Min, OK: tilt.Min >= low-1e-9 || low <= -90}
		switch {
		case low <= -90 && tilt.Min < -90:
			out.Room.Says = fmt.Sprintf("It clears what is below down to straight down; beyond, to its soft limit of "+
				"%.0f°, look yourself.", tilt.Min)
		case out.Room.OK:
			out.Room.Says = fmt.Sprintf("It clears what is below down to %.0f°; the soft limit is %.0f°.",
				low, tilt.Min)
		default:
			out.Room.Says = fmt.Sprintf("Its front edge touches what is below at %.1f°, and the soft limit lets it go "+
				"to %.0f°: trim that.", low, tilt.Min)
		}
	}
	return nil
}

// others say what gravity does about the roll axis, and about a pan that is inclined.
func others(m *rig.Rig, w *Weight) []string {
	out := []string{}
	for i := range m.Axes {
		a := &m.Axes[i]
		if a.ID != "roll" || a.Unit != rig.Deg {
			continue
		}
		l := (Sum{w.MassKg, rig.Vec{w.Right, w.Forward, w.Up}}).Roll()
		nm, at := l.Worst(a.Min, a.Max)
		s := fmt.Sprintf("Roll: the weight sits %s mm to the %s and %s mm %s its axis; worst %.2f N m at %.0f°",
			short(math.Abs(w.Right)*1000), side(w.Right, "right", "left"), short(math.Abs(math.Round(w.Up*2000)/2)),
			side(w.Up, "above", "below"), math.Abs(nm), at)
		if motor := AtMotor(a.Drive); motor > 0 && nm != 0 {
			s += ", the motor has " + times(motor/math.Abs(nm)) + " that"
		}
		out = append(out, s+".")
	}
	if s := m.Book.Head.SlopeDeg; s != 0 {
		// Tilted, the weight's height is carried ahead of the axis that pans it, too.
		tilt := &m.Axes[m.Index(m.Book.Head.Axis)]
		ahead, at := (Lever{1 / G, w.Forward, w.Up}).Worst(tilt.Min, tilt.Max)
		off := math.Hypot(ahead, w.Right)
		out = append(out,
			fmt.Sprintf("Pan is tipped %g° from the vertical: with the camera %s the weight lies %s mm from its axis, "+
				"and gravity turns it with up to %.2f N m.",
				s, attitude(math.Round(at)), short(math.Round(off*2000)/2), Inclined(w.MassKg, off, s)))
	} else {
		out = append(out, "Pan stands upright: gravity does not turn it.")
	}
	return out
}

func side(v float64, plus, minus string) string {
	if v < 0 {
		return minus
	}
	return plus
}
