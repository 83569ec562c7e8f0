package balance

import (
	"fmt"
	"math"

	"keenarc/core/mistake"
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
	AfterNM   *float64 `json:"after_worst_nm,omitempty"`
	MotorNM   float64  `json:"motor_nm" doc:"at the axis, through its gear; 0: not in the rig book"`
	HoldsNM   float64  `json:"holds_nm" doc:"friction and cables"`
	Margin    *float64 `json:"margin,omitempty"`
	LeftAlone string   `json:"left_alone"`
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
	if most, ok := b.PayloadKg[rig.Level]; ok && !guessed {
		if out.Rating = fmt.Sprintf("%s carries %g kg level; this is %.2f.", m.Name, most, mass); mass > most {
			out.Rating = fmt.Sprintf("Too heavy: %s", out.Rating)
		}
	}
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
		if err := r.crane(out, m); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (r *Settled) head(out *BenchSheet, m *rig.Rig, l Hung) error {
	h := m.Book.Head
	tilt := &m.Axes[m.Index(h.Axis)]
	w, err := r.On(h, l).Weigh()
	if err != nil {
		return err
	}
	out.Weight = w
	lever := Lever{w.MassKg, w.Forward, w.Up}
	holds := h.FrictionNM + h.CableNM
	arc := Arc{FromDeg: tilt.Min, ToDeg: tilt.Max, StepDeg: (tilt.Max - tilt.Min) / 60, FrictionNM: holds}
	c := &GravityCurve{FromDeg: tilt.Min, ToDeg: tilt.Max, Now: arc.Samples(lever), MotorNM: AtMotor(tilt.Drive), HoldsNM: holds, LeftAlone: arc.Alone(lever)}
	c.WorstNM, c.WorstAt = lever.Worst(tilt.Min, tilt.Max)
	margin := 0.0
	if c.MotorNM > 0 {
		if margin = lever.Margin(c.MotorNM, tilt.Min, tilt.Max); !math.IsInf(margin, 0) {
			c.Margin = &margin
		}
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
	out.Alone = r.Alone(lever, c.MotorNM, tilt.Min, tilt.Max)
	out.Verdict = r.Judge(m.Name, w, margin)
	out.Others = others(m, w)
	out.Guiding = guiding(m, h.Axis, out.Verdict.OK)
	if l.FrontM > 0 && m.Book.BelowTiltM > 0 {
		df, du := r.On(h, l).at(r.SlideMM, r.RiseMM)
		low := -rig.TiltRoom(math.Max(l.FrontM+df, 0), math.Max(l.UnderM-du, 0), m.Book.BelowTiltM)
		out.Room = &Room{LowDeg: low, MinDeg: tilt.Min, OK: tilt.Min >= low-1e-9}
		if out.Room.OK {
			out.Room.Says = fmt.Sprintf("It clears what is below down to %.0f°; the soft limit is %.0f°.", low, tilt.Min)
		} else {
			out.Room.Says = fmt.Sprintf("Its front edge touches what is below at %.1f°, and the soft limit lets it go to %.0f°: trim that.", low, tilt.Min)
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
		s := fmt.Sprintf("Roll: the weight sits %s mm to the %s and %s mm %s its axis; worst %.2f N m at %.0f°", short(math.Abs(w.Right)*1000), side(w.Right, "right", "left"), short(math.Abs(math.Round(w.Up*2000)/2)), side(w.Up, "above", "below"), math.Abs(nm), at)
		if motor := AtMotor(a.Drive); motor > 0 && nm != 0 {
			s += fmt.Sprintf(", the motor has %.0f times that", motor/math.Abs(nm))
		}
		out = append(out, s+".")
	}
	if s := m.Book.Head.SlopeDeg; s != 0 {
		out = append(out, fmt.Sprintf("Pan is tipped %g° from the vertical: with the weight %s mm from its axis gravity turns it with up to %.2f N m.", s, short(math.Abs(math.Round(w.Forward*2000)/2)), Inclined(w.MassKg, math.Hypot(w.Forward, w.Right), s)))
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

// OnCrane is what a crane wants at its tail over the lengths of its arm that are used.
type OnCrane struct {
	TailM     float64   `json:"tail_m"`
	PayloadKg float64   `json:"payload_kg" doc:"with the head"`
	AxisMM    []float64 `json:"axis_mm" doc:"the arm's axis at each arm"`
	Counter
	HungKg   float64   `json:"hung_kg"`
	HungLeft []float64 `json:"hung_left_kgm" doc:"what is left at each arm with what hangs there"`
	OK       bool      `json:"ok"`
	Says     string    `json:"says"`
	Then     string    `json:"then"`
	Problem  string    `json:"problem,omitempty"`
}

// craneSteps is over how many lengths a crane's arm is looked at.
const craneSteps = 7

func (r *Settled) crane(out *BenchSheet, m *rig.Rig) error {
	k := m.Book.Crane
	c := &OnCrane{TailM: k.TailM, PayloadKg: out.MassKg + k.HeadKg, HungLeft: []float64{}, AxisMM: []float64{0}}
	c.Arms, c.OneSet.Chosen, c.OneSet.LeftKgM = []ArmWeights{}, []Weights{}, []float64{}
	out.Crane = c
	if i := m.Index(k.Arm); i >= 0 {
		from, to := m.Axes[i].Min, m.Axes[i].Max
		if r.Arms[1] > r.Arms[0] {
			from, to = math.Max(from, r.Arms[0]), math.Min(to, r.Arms[1])
		}
		c.AxisMM = c.AxisMM[:0]
		for n := range craneSteps {
			c.AxisMM = append(c.AxisMM, from+(to-from)*float64(n)/(craneSteps-1))
		}
	}
	for _, w := range r.Weights {
		c.HungKg += w.Kg * float64(w.Count)
	}
	crane := &Crane{TailM: k.TailM, PayloadKg: c.PayloadKg, Weights: r.Own}
	for _, mm := range c.AxisMM {
		crane.ArmsM = append(crane.ArmsM, k.HeadM+mm/1000)
		// The arm's own weight goes out with half of its length.
		crane.BoomKgM = append(crane.BoomKgM, k.BoomKgM+k.ArmKg*mm/2000)
	}
	if len(r.Own) == 0 {
		c.Problem = "Say which weights you own, as kilograms and count."
	} else {
		a, err := crane.Weigh()
		if err != nil {
			return err
		}
		c.Counter = *a
		worst := 0.0
		for i := range crane.ArmsM {
			left := c.HungKg*k.TailM - crane.PayloadKg*crane.ArmsM[i] - crane.BoomKgM[i]
			c.HungLeft, worst = append(c.HungLeft, left), math.Max(worst, math.Abs(left))
		}
		best := math.Abs(a.OneSet.WorstLeftKgM)
		c.OK = a.Short == "" && worst <= best*1.001+1e-9
		then := "Then at"
		if c.OK {
			then = "At"
		}
		c.Then = fmt.Sprintf(then+" most %.1f kg m are left, at %.2f m of arm: %.1f kg of pull on the %s holds it there.", best, a.OneSet.AtArmM, best/k.TailM, side(a.OneSet.WorstLeftKgM, "camera's end", "tail"))
		switch {
		case a.Short != "":
			c.Says = a.Short
		case c.OK:
			c.Says = fmt.Sprintf("%s kg hang at the tail: the right set for this move.", short(c.HungKg))
		default:
			c.Says = fmt.Sprintf("Hang %s at the tail: %s kg.", words(a.OneSet.Chosen), short(a.OneSet.ChosenKg))
		}
	}
	if out.Verdict.OK && !c.OK {
		says := c.Says
		if says == "" {
			says = c.Problem
		}
		out.Verdict = Verdict{Says: fmt.Sprintf("%s is not counterweighted for this camera. %s", m.Name, says)}
	}
	return nil
}

// words says a set of weights.
func words(set []Weights) string {
	if len(set) == 0 {
		return "nothing"
	}
	s := ""
	for i, w := range set {
		switch {
		case i > 0 && i == len(set)-1:
			s += " and "
		case i > 0:
			s += ", "
		}
		s += fmt.Sprintf("%d × %g kg", w.Count, w.Kg)
	}
	return s
}

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
			err = mistake.In("mass", "weigh the camera and say so in its package", "torques alone do not tell how heavy it is")
		}
		if bad, ok := err.(*MistakeError); ok {
			p.Problem, p.Missing = bad.Wrong, bad.Want
		} else if err != nil {
			return err
		} else {
			p.Found = found
			if off := w.Spread(poses, found.MassKg) * math.Max(found.ResidualNM, 0.001) * 1000; !math.IsInf(off, 0) {
				p.OffMM = &off
			}
		}
	}
	free := m.Book.Wrist.FreeN
	name := m.Name
	switch {
	case r.Told == nil && p.Found == nil:
		p.Says = fmt.Sprintf("%s does not know what hangs on it. Read its wrist in three poses or more.", name)
	case r.Told == nil:
		p.Says = fmt.Sprintf("Found %.2f kg. Tell %s.", p.Found.MassKg, name)
	case p.Found == nil:
		p.Says, p.OK = fmt.Sprintf("%s was told %.2f kg, for this package, before.", name, r.Told.MassKg), true
	default:
		d := rig.Vec{r.Told.Centre[0] - p.Found.Centre[0], r.Told.Centre[1] - p.Found.Centre[1], r.Told.Centre[2] - p.Found.Centre[2]}
		p.OK = math.Abs(r.Told.MassKg-p.Found.MassKg) <= alikeKg && d.Norm() <= alikeM
		p.Guided = Guided(r.Told.MassKg, p.Found.MassKg, free)
		if p.OK {
			p.Says = fmt.Sprintf("%s knows what it carries: %.2f kg.", name, r.Told.MassKg)
		} else {
			p.Says = fmt.Sprintf("%s was told %.2f kg and carries %.2f, its centre %.0f mm from where it was told. Tell it again.", name, r.Told.MassKg, p.Found.MassKg, d.Norm()*1000)
		}
	}
	why := p.Says
	if p.OK {
		asked := r.Checks
		asked.Engaged = true // an arm has no gear that is freed for this
		why = asked.Missing()
	}
	if why != "" {
		out.Verdict = Verdict{Says: fmt.Sprintf("the payload is not settled. %s", why)}
	} else {
		out.Verdict = Verdict{OK: true, Says: p.Says}
	}
	return nil
}
