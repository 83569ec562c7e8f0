package balance

import (
	"fmt"
	"math"
	"slices"

	"keenarc/core/mistake"
)

// Did is what a freed head does at an attitude.
type Did string

// What it may do: stay, turn its nose down or up, or turn so slowly that nobody would say that it
// falls.
const (
	Rests       Did = "rests"
	NoseFalls   Did = "nose falls"
	NoseRises   Did = "nose rises"
	TurnsSlowly Did = "turns slowly"
)

// Seen is one observation on the bench, with the plate's readings at which it was made:
// what it does when it is let go of at an attitude, or what a scale reads that holds it
// there. Readings are millimetres on the plate (rising forward) and on the riser
// (rising up).
type Seen struct {
	TiltDeg float64 `json:"tilt_deg"`
	SlideMM float64 `json:"slide_mm"`
	RiseMM  float64 `json:"rise_mm"`
	Did     Did     `json:"did,omitempty" enum:"rests,nose falls,nose rises,turns slowly"`
	// ScaleKg is what a spring or luggage scale reads that pulls straight up, or down
	// where it is negative, ArmM ahead of the axis, and so holds it there.
	ScaleKg *float64 `json:"scale_kg,omitempty"`
	ArmM    float64  `json:"arm_m,omitempty"`
}

func (s Seen) same(o Seen) bool {
	if (s.ScaleKg == nil) != (o.ScaleKg == nil) || s.ScaleKg != nil && *s.ScaleKg != *o.ScaleKg {
		return false
	}
	s.ScaleKg, o.ScaleKg = nil, nil
	return s == o
}

// Knobs are how far the plate slides and the riser goes, in millimetres of reading. At
// SlideAxisMM and RiseAxisMM of reading the plate's own zero lies on the axis.
type Knobs struct {
	SlideMM     [2]float64 `json:"slide_mm"`
	RiseMM      [2]float64 `json:"rise_mm"`
	SlideAxisMM float64    `json:"slide_axis_mm"`
	RiseAxisMM  float64    `json:"rise_axis_mm"`
}

// Check reports what is wrong with them.
func (k Knobs) Check() error {
	for _, of := range []struct {
		name string
		v    [2]float64
	}{{"slide_mm", k.SlideMM}, {"rise_mm", k.RiseMM}} {
		what, v := of.name, of.v
		if !finite(v[:]...) || !(v[0] <= v[1]) || math.Abs(v[0]) > 5000 || math.Abs(v[1]) > 5000 {
			return mistake.In(what, "give the least and the greatest reading in millimetres",
				"the plate's readings go from %g to %g mm", v[0], v[1])
		}
	}
	if !finite(k.SlideAxisMM, k.RiseAxisMM) {
		return mistake.In("slide_axis_mm", "give the readings at which the plate's zero lies on the axis",
			"they are not numbers")
	}
	return nil
}

// Bench is a head with what hangs on it, and all that is known of that. Places of pieces
// count from the plate's zero, forward and up, in metres; the readings carry them to
// the axis.
type Bench struct {
	Knobs   Knobs   `json:"knobs"`
	Pieces  []Piece `json:"pieces"`
	SlideMM float64 `json:"slide_mm" doc:"what the plate reads"`
	RiseMM  float64 `json:"rise_mm" doc:"what the riser reads"`
	// WholeKg is all of it, from a scale; what the pieces lack of it sits nobody knows where.
	WholeKg *float64 `json:"whole_kg,omitempty"`
	// FrictionNM and CableNM are what holds it without being asked: a dead band.
	FrictionNM float64 `json:"friction_nm"`
	CableNM    float64 `json:"cable_nm"`
	Seen       []Seen  `json:"seen"`
	// ArcDeg is how far the head tilts, down and up, between its soft limits; both 0: not said.
	ArcDeg [2]float64 `json:"arc_deg"`
}

// Rest is the part that was not weighed piece by piece.
type Rest struct {
	MassKg  float64 `json:"mass_kg"`
	Forward float64 `json:"forward_m" doc:"from the axis, as the plate stands"`
	Up      float64 `json:"up_m"`
}

// Weight is what a bench says: where the weight sits from the axis as the plate stands,
// how well that is known, and what to do.
type Weight struct {
	MassKg  float64 `json:"mass_kg"`
	Guessed bool    `json:"guessed" doc:"the mass is a guess: nothing was weighed"`
	Forward float64 `json:"forward_m"`
	Up      float64 `json:"up_m"`
	Right   float64 `json:"right_m"`
	// OffForward and OffUp are by how much these may be wrong, in metres.
	OffForward float64 `json:"off_forward_m"`
	OffUp      float64 `json:"off_up_m"`
	BandM      float64 `json:"band_m" doc:"so far from the axis friction and cables hold it"`
	Rest       *Rest   `json:"rest,omitempty"`
	// Against names the observation that goes with none of the others, from 0; -1 none.
	Against int    `json:"against" doc:"the observation that contradicts the others, from 0; -1: none does"`
	Says    string `json:"says" doc:"the contradiction, in a sentence"`
	Next    Step   `json:"next"`
	// Attitudes are those at which it is let go, and where it turned at these readings; between them it
	// rested at so many more.
	Attitudes []float64 `json:"attitudes"`
	Between   int       `json:"rests_between" doc:"at so many attitudes besides it rested at these readings"`
	known     cell      // where it may sit, from the axis
	as        slack     // with what holds it and pulls at it
	kg        float64
	centre    [2]float64 // by the pieces, from the plate's zero
}

// bad is the largest torque over an arc that it may have, wherever in what is known of it the weight
// sits, and with what is weighed a hundredth more.
func (w *Weight) bad(fromDeg, toDeg float64) float64 {
	out := 0.0
	for _, at := range w.known {
		nm, _ := (Lever{w.MassKg * (1 + scaleOff), at[0], at[1]}).Worst(fromDeg, toDeg)
		out = max(out, math.Abs(nm))
	}
	return out
}

// GuessKg is taken where nothing at all was weighed, and leastKg for how wide friction's
// band may then be.
const (
	GuessKg = 3
	leastKg = 1
)

// at is where the plate's zero lies from the axis at these readings, in metres.
func (b *Bench) at(slideMM, riseMM float64) (forward, up float64) {
	return (slideMM - b.Knobs.SlideAxisMM) / 1000, (riseMM - b.Knobs.RiseAxisMM) / 1000
}

func (b *Bench) check() error {
	if err := b.Knobs.Check(); err != nil {
		return err
	}
	for _, of := range []struct {
		name string
		v    float64
	}{{"friction_nm", b.FrictionNM}, {"cable_nm", b.CableNM}} {
		what, v := of.name, of.v
		if !(v >= 0 && v < 1e6) {
			return mistake.In(what, "give newton metres, 0 or more", "it is %g", v)
		}
	}
	in := func(what string, v float64, k [2]float64) error {
		if !(v >= k[0]-1e-9 && v <= k[1]+1e-9) {
			return mistake.In(what, fmt.Sprintf("give %g to %g", k[0], k[1]), "the plate cannot read %g mm", v)
		}
		return nil
	}
	if err := in("slide_mm", b.SlideMM, b.Knobs.SlideMM); err != nil {
		return err
	}
	if err := in("rise_mm", b.RiseMM, b.Knobs.RiseMM); err != nil {
		return err
	}
	for i, s := range b.Seen {
		field := fmt.Sprintf("seen[%d]", i)
		if !(math.Abs(s.TiltDeg) <= 90) || s.ScaleKg != nil && math.Abs(s.TiltDeg) > 80 {
			return mistake.In(field+".tilt_deg", "give an attitude from -90 to 90, with a scale from -80 to 80, where "+
				"its pull still has an arm", "it is %g°", s.TiltDeg)
		}
		if err := in(field+".slide_mm", s.SlideMM, b.Knobs.SlideMM); err != nil {
			return err
		}
		if err := in(field+".rise_mm", s.RiseMM, b.Knobs.RiseMM); err != nil {
			return err
		}
		switch {
		case s.ScaleKg != nil && !(math.Abs(*s.ScaleKg) <= mostKg):
			return mistake.In(field+".scale_kg", "give what the scale reads, in kilograms", "it is %g", *s.ScaleKg)
		case s.ScaleKg != nil && !(math.Abs(s.ArmM) >= 0.001 && math.Abs(s.ArmM) <= mostM):
			return mistake.In(field+".arm_m", "give how far ahead of the axis the scale pulls, in metres",
				"an arm of %g m has no length", s.ArmM)
		case s.ScaleKg == nil && s.Did != Rests && s.Did != NoseFalls && s.Did != NoseRises && s.Did != TurnsSlowly:
			return mistake.In(field+".did", "say rests, nose falls, nose rises or turns slowly, or give what a "+
				"scale reads", "%q is nothing that it does", s.Did)
		}
	}
	return nil
}

// mass is all that hangs there: what was weighed whole, else the pieces, else a guess.
func (b *Bench) mass() (kg, pieces float64, sum Sum, guessed bool, err error) {
	if len(b.Pieces) > 0 {
		if sum, err = Add(b.Pieces); err != nil {
			return 0, 0, sum, false, err
		}
	}
	switch {
	case b.WholeKg != nil:
		if !(*b.WholeKg > 0 && *b.WholeKg <= mostKg) {
			return 0, 0, sum, false, mistake.In("whole_kg", "weigh it and give kilograms above zero",
				"it is %g", *b.WholeKg)
		}
		if *b.WholeKg < sum.MassKg*(1-1e-9) {
			return 0, 0, sum, false, mistake.In("whole_kg", fmt.Sprintf("give %.4g or more, or take a piece off",
				sum.MassKg), "all of it weighs %g kg and its pieces %.4g", *b.WholeKg, sum.MassKg)
		}
		return *b.WholeKg, sum.MassKg, sum, false, nil
	case len(b.Pieces) > 0:
		return sum.MassKg, sum.MassKg, sum, false, nil
	}
	return GuessKg, 0, sum, true, nil
}

// Off is by how many kilogram metres pieces may be wrong that were laid with a ruler: a
// centre is seldom known closer than to 15 mm.
const pieceOffM = 0.015

// farM is how far from the plate's zero, or from where the pieces say, the centre of
// what is not known may sit.
const farM = 0.06

// Weigh works out where the weight sits from all that is known, and what to do next.
// What it was seen to do leaves a region of the plane of forward and up, a convex one:
// falling one way says on which side of the axis the weight is, resting that friction
// and cables hold it, a scale how large the moment is. It is halved with every look.
// Observations that leave nothing contradict each other.
func (b *Bench) Weigh() (*Weight, error) {
	if err := b.check(); err != nil {
		return nil, err
	}
	kg, pieces, sum, guessed, err := b.mass()
	if err != nil {
		return nil, err
	}
	w := &Weight{MassKg: kg, Guessed: guessed, Right: sum.Centre[0] * pieces / kg, Against: -1,
		BandM: Band(kg, b.FrictionNM+b.CableNM)}
	// From the plate's zero: the pieces' share is known, the rest anywhere within reach.
	whole := pieces >= kg*(1-1e-9)
	reach := farM
	centre := [2]float64{sum.Centre[1], sum.Centre[2]}
	if whole {
		reach = pieceOffM
	} else if pieces > 0 {
		reach = max(pieceOffM*pieces/kg, farM*(kg-pieces)/kg*2)
	}
	known, as := b.explained(kg, reach, centre, -1)
	if known == nil {
		b.contradict(w, kg, centre)
		if known, as = b.explained(kg, reach, centre, w.Against); known == nil {
			known, as = box(reach, centre), b.slack(0, kg)
		}
	}
	w.as, w.kg, w.centre = as, kg, centre
	may := known // a ruler's, too
	if whole && len(b.Seen) == 0 {
		known = cell{centre}
	}
	lx, hx := known.span(1, 0)
	ly, hy := known.span(0, 1)
	df, du := b.at(b.SlideMM, b.RiseMM)
	c := known.centroid()
	w.Forward, w.OffForward = c[0]+df, max(hx-c[0], c[0]-lx)
	w.Up, w.OffUp = c[1]+du, max(hy-c[1], c[1]-ly)
	if rest := kg - pieces; rest > 1e-6*kg && pieces > 0 {
		w.Rest = &Rest{rest, (kg*(w.Forward-df)-pieces*sum.Centre[1])/rest + df,
			(kg*(w.Up-du)-pieces*sum.Centre[2])/rest + du}
	}
	for _, at := range may {
		w.known = append(w.known, [2]float64{at[0] + df, at[1] + du})
	}
	w.Next = b.next(w)
	all := b.asked()
	arc := len(Attitudes(b.ArcDeg))
	w.Attitudes = all[:arc:arc]
	for _, deg := range all[arc:] {
		if b.last(deg).Did == Rests {
			w.Between++
		} else {
			w.Attitudes = append(w.Attitudes, deg)
		}
	}
	if try := w.Next.Try; try != nil && len(w.Next.Sweep) == 0 && !slices.Contains(w.Attitudes, *try) {
		w.Attitudes = append(w.Attitudes, *try)
	}
	return w, nil
}

// contradict finds the observation without which the others agree: the latest one.
func (b *Bench) contradict(w *Weight, kg float64, centre [2]float64) {
	for i := len(b.Seen) - 1; i >= 0; i-- {
		if p, _ := b.explained(kg, farM, centre, i); p != nil {
			w.Against = i
			w.Says = fmt.Sprintf("These contradict each other: the weight cannot sit anywhere and do all that. Try %s "+
				"at slide %.0f, rise %.0f again; if it does the same, something moved.", attitude(b.Seen[i].TiltDeg),
				b.Seen[i].SlideMM, b.Seen[i].RiseMM)
			return
		}
	}
	w.Says = "These contradict each other in more than one place: the weight cannot sit anywhere and do all that. " +
		"Clear them and begin again with level."
	if len(b.Seen) == 1 {
		w.Against = 0
	}
}
