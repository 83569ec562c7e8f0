package curve

import (
	"fmt"
	"slices"
)

// Kind names how a curve passes between keyframes.
type Kind string

// The kinds. Continuity: smooth, natural, clamped and quintic C²; through, monotone
// and akima C¹; tcb C¹ where its continuity is 0; handles C¹ where both of a keyframe
// lie on one line; ramp by its law; linear, hold and ahead jump.
const (
	Smooth   Kind = "smooth"
	Through  Kind = "through"
	Natural  Kind = "natural"
	Clamped  Kind = "clamped"
	Monotone Kind = "monotone"
	Akima    Kind = "akima"
	TCB      Kind = "tcb"
	Quintic  Kind = "quintic"
	Ramped   Kind = "ramp"
	Handles  Kind = "handles"
	Linear   Kind = "linear"
	Hold     Kind = "hold"
	Ahead    Kind = "ahead"
)

// Kinds lists every kind in the order in which they are offered.
var Kinds = []Kind{Smooth, Through, Natural, Clamped, Monotone, Akima, TCB, Quintic, Ramped, Handles, Linear,
	Hold, Ahead}

// Ends says what happens at the first and last keyframe, where a kind has a choice.
type Ends string

// Rest: zero slope. Secant (through, tcb): the slope of the first or last chord.
// Shape (monotone): the three-point, shape-preserving, one-sided slope.
const (
	Rest   Ends = "rest"
	Secant Ends = "secant"
	Shape  Ends = "shape"
)

// Spec chooses a curve. Segments overrides the kind between keyframe i and i+1: that
// leg is taken from the curve of the other kind through the same keyframes, so the
// value always joins and any jump in a derivative is listed. Smooth legs beside others
// take the other's slope and second derivative at the join: it is C² there.
type Spec struct {
	Kind     Kind         `json:"kind"`
	Ends     Ends         `json:"ends,omitempty"`
	Slopes   [2]float64   `json:"slopes,omitzero"` // clamped only: unit per abscissa at the two ends
	Segments map[int]Kind `json:"segments,omitempty"`
	// Blend, for linear only, rounds corners with parabolas of this length
	// (abscissa), centred on the keyframe, and starts and ends at rest. A corner's
	// keyframe is then passed at a distance; blends shrink where segments are short.
	Blend float64 `json:"blend,omitempty"`
	// Keys are what tcb, quintic and handles have at each keyframe: none, or one for each.
	Keys []Bend `json:"keys,omitempty"`
	// Ramp is how legs of kind ramp gather and lose speed; Ramps, by leg, in place of it.
	// None: a third of each leg, as a trapezoid.
	Ramp  *Ramp        `json:"ramp,omitempty"`
	Ramps map[int]Ramp `json:"ramps,omitempty"`
	// Most bounds the pieces of the curve; 0: MostPieces.
	Most int `json:"-"`
}

// MostPieces a curve may have: some 60 MB.
const MostPieces = 1 << 20

// Bend is what a keyframe may have beside its place and value.
type Bend struct {
	// Tension, Continuity and Bias, −1 to 1, are tcb's.
	Tension    float64 `json:"tension,omitempty" minimum:"-1" maximum:"1"`
	Continuity float64 `json:"continuity,omitempty" minimum:"-1" maximum:"1"`
	Bias       float64 `json:"bias,omitempty" minimum:"-1" maximum:"1"`
	// Slope and Acceleration, by the abscissa, are quintic's, at inner keyframes.
	Slope        float64 `json:"slope,omitempty"`
	Acceleration float64 `json:"acceleration,omitempty"`
	// In and Out are where the handles of handles end, as (abscissa, value) from the
	// keyframe: In behind it, with an abscissa below 0, Out ahead of it. (0, 0): a third of the
	// leg, along through's slope.
	In  [2]float64 `json:"in,omitzero"`
	Out [2]float64 `json:"out,omitzero"`
}

// KeyError says which keyframe or choice is wrong and what would be right.
type KeyError struct {
	Field string // "x[2]", "y[0]", "kind", "ends", "segments", "keys[1].tension", "ramps[0]"
	Wrong string
	Want  string
}

func (e *KeyError) Error() string { return fmt.Sprintf("%s: %s; %s", e.Field, e.Wrong, e.Want) }

func (s *Spec) kindOf(leg int) Kind {
	if k, ok := s.Segments[leg]; ok {
		return k
	}
	return s.Kind
}

func (s *Spec) key(i int) Bend {
	if len(s.Keys) == 0 {
		return Bend{}
	}
	return s.Keys[i]
}

func checkKeys(x, y []float64, s *Spec) error {
	if len(x) == 0 {
		return &KeyError{"x", "there is no keyframe", "give at least one"}
	}
	if len(x) != len(y) {
		return &KeyError{"y", fmt.Sprintf("%d values for %d keyframes", len(y), len(x)),
			"give one value for each keyframe"}
	}
	for i := range x {
		if !finite(x[i]) {
			return &KeyError{fmt.Sprintf("x[%d]", i), "it is not a finite number", "give a number"}
		}
		if !finite(y[i]) {
			return &KeyError{fmt.Sprintf("y[%d]", i), "it is not a finite number", "give a number"}
		}
		if i > 0 && x[i] <= x[i-1] {
			return &KeyError{fmt.Sprintf("x[%d]", i), fmt.Sprintf("%g does not come after %g", x[i], x[i-1]),
				"put the keyframes in rising order, no two at one place"}
		}
	}
	if err := s.check(len(x)); err != nil {
		return err
	}
	return s.checkHandles(x)
}

// check refuses choices that do not go together, for n keyframes. No kind is smooth.
func (s *Spec) check(n int) error {
	if s.Kind == "" {
		s.Kind = Smooth
	}
	if !s.Kind.Known() {
		return &KeyError{"kind", fmt.Sprintf("%q is not a kind of curve", s.Kind), fmt.Sprintf("use one of %v", Kinds)}
	}
	if err := checkEnds(s); err != nil {
		return err
	}
	if !finite(s.Slopes[0]) || !finite(s.Slopes[1]) {
		return &KeyError{"slopes", "a slope is not a finite number", "give two numbers"}
	}
	if s.Slopes != [2]float64{} && s.Kind != Clamped {
		return &KeyError{"slopes", fmt.Sprintf("kind %s takes no end slopes", s.Kind),
			"use clamped, or leave slopes out"}
	}
	switch {
	case !finite(s.Blend) || s.Blend < 0:
		return &KeyError{"blend", fmt.Sprintf("%g is not a length", s.Blend), "give zero or more"}
	case s.Blend > 0 && s.Kind != Linear:
		return &KeyError{"blend", fmt.Sprintf("kind %s has no corners to blend", s.Kind),
			"use linear, or leave blend out"}
	case s.Blend > 0 && len(s.Segments) > 0:
		return &KeyError{"blend", "single segments are chosen as well", "use blends or segments, not both"}
	}
	for i, k := range s.Segments {
		if i < 0 || i >= max(1, n-1) {
			return &KeyError{"segments", fmt.Sprintf("there is no segment %d", i), fmt.Sprintf("use 0 to %d", n-2)}
		}
		if !k.Known() {
			return &KeyError{"segments", fmt.Sprintf("%q is not a kind of curve", k),
				fmt.Sprintf("use one of %v", Kinds)}
		}
	}
	if len(s.Keys) != 0 && len(s.Keys) != n {
		return &KeyError{"keys", fmt.Sprintf("%d of them for %d keyframes", len(s.Keys), n),
			"give one for each keyframe, or none"}
	}
	for i := range s.Keys {
		if err := s.Keys[i].check(i); err != nil {
			return err
		}
	}
	return s.checkRamps(n)
}

func (k *Bend) check(i int) error {
	for _, f := range [...]struct {
		name string
		v    float64
		most float64
	}{{"tension", k.Tension, 1}, {"continuity", k.Continuity, 1}, {"bias", k.Bias, 1}, {"slope", k.Slope, 1e12},
		{"acceleration", k.Acceleration, 1e12},
		{"in", k.In[0], 1e12}, {"in", k.In[1], 1e12}, {"out", k.Out[0], 1e12}, {"out", k.Out[1], 1e12}} {
		if !(f.v >= -f.most && f.v <= f.most) {
			return &KeyError{fmt.Sprintf("keys[%d].%s", i, f.name), fmt.Sprintf("it is %g", f.v),
				fmt.Sprintf("give −%g to %[1]g", f.most)}
		}
	}
	return nil
}

func checkEnds(s *Spec) error {
	if s.Ends == "" || slices.Contains(s.Kind.Ends(), s.Ends) {
		return nil
	}
	want := "leave ends out: only through, tcb and monotone have a choice"
	if e := s.Kind.Ends(); len(e) > 0 {
		want = fmt.Sprintf("use %s or %s", e[0], e[1])
	}
	return &KeyError{"ends", fmt.Sprintf("%q does not go with kind %s", s.Ends, s.Kind), want}
}

// Ends are the ends that a kind may have, the usual one first; none: no choice.
func (k Kind) Ends() []Ends {
	switch k {
	case Through, TCB:
		return []Ends{Rest, Secant}
	case Monotone:
		return []Ends{Rest, Shape}
	}
	return []Ends{}
}

// Known reports whether k is one of Kinds.
func (k Kind) Known() bool { return slices.Contains(Kinds, k) }

// Reversed is the choice for the same keyframes in the opposite order, as many as n:
// the curve backwards.
func (s Spec) Reversed(n int) Spec {
	turn := func(k Kind) Kind {
		switch k {
		case Hold:
			return Ahead
		case Ahead:
			return Hold
		}
		return k
	}
	r := s
	r.Kind, r.Slopes, r.Keys, r.Segments, r.Ramps = turn(s.Kind), [2]float64{-s.Slopes[1], -s.Slopes[0]}, nil, nil, nil
	for i := range s.Segments {
		if r.Segments == nil {
			r.Segments = map[int]Kind{}
		}
		r.Segments[n-2-i] = turn(s.Segments[i])
	}
	for i := range s.Ramps {
		if r.Ramps == nil {
			r.Ramps = map[int]Ramp{}
		}
		r.Ramps[n-2-i] = s.Ramps[i].reversed()
	}
	if s.Ramp != nil {
		turned := s.Ramp.reversed()
		r.Ramp = &turned
	}
	for i := range s.Keys {
		k := s.Keys[len(s.Keys)-1-i]
		k.Bias, k.Slope = -k.Bias, -k.Slope
		k.In, k.Out = [2]float64{-k.Out[0], k.Out[1]}, [2]float64{-k.In[0], k.In[1]}
		r.Keys = append(r.Keys, k)
	}
	return r
}
