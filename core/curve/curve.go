// Package curve lays one axis's motion through its keyframes.
//
// A Curve is a piecewise polynomial over an abscissa that the caller names
// (frames in a path, seconds in a calculation). It owns its memory, is never
// changed after New and may be read from several goroutines. Values and first
// to third derivatives are exact (up to rounding), and extrema come from the
// roots of the pieces, never from sampling.
//
// Sources: de Boor, A Practical Guide to Splines (natural, clamped, smooth);
// Fritsch and Butland 1984 (monotone); Akima 1970; Biagiotti and Melchiorri,
// Trajectory Planning for Automatic Machines and Robots (minimum-jerk quintic).
package curve

import (
	"fmt"
	"math"
	"sort"
)

// Kind names how a curve passes between keyframes.
type Kind string

// The kinds. Continuity: smooth, natural and clamped C²; through, monotone and
// akima C¹; linear and hold jump.
const (
	Smooth   Kind = "smooth"
	Through  Kind = "through"
	Natural  Kind = "natural"
	Clamped  Kind = "clamped"
	Monotone Kind = "monotone"
	Akima    Kind = "akima"
	Linear   Kind = "linear"
	Hold     Kind = "hold"
)

// Kinds lists every kind in the order in which they are offered.
var Kinds = []Kind{Smooth, Through, Natural, Clamped, Monotone, Akima, Linear, Hold}

// Ends says what happens at the first and last keyframe, where a kind has a choice.
type Ends string

// Rest: zero slope. Secant (through): the slope of the first or last chord.
// Shape (monotone): the three-point, shape-preserving, one-sided slope.
const (
	Rest   Ends = "rest"
	Secant Ends = "secant"
	Shape  Ends = "shape"
)

// Spec chooses a curve. Segments overrides the kind between keyframe i and
// i+1: that piece is taken from the curve of the other kind through the same
// keyframes, so the value always joins and any jump in a derivative is listed.
type Spec struct {
	Kind     Kind         `json:"kind"`
	Ends     Ends         `json:"ends,omitempty"`
	Slopes   [2]float64   `json:"slopes,omitzero"` // clamped only: unit per abscissa at the two ends
	Segments map[int]Kind `json:"segments,omitempty"`
	// Blend, for linear only, rounds corners with parabolas of this length
	// (abscissa), centred on the keyframe, and starts and ends at rest. A corner's
	// keyframe is then passed at a distance; blends shrink where segments are short.
	Blend float64 `json:"blend,omitempty"`
}

// Sample is position and first to third derivative by the abscissa.
type Sample struct{ P, V, A, J float64 }

// Curve is Σ pieces; piece i is valid from X[i] to X[i+1]. Before its first
// keyframe every kind waits at that keyframe's value; after its last it stays
// at that one's (Rest). Where the two sides of an end differ in speed or
// acceleration, that is a jump for whoever runs on past it, and listed there.
type Curve struct {
	X []float64
	C []Poly
	// rest is the last keyframe's value where the last piece does not reach it (hold).
	rest *float64
}

// KeyError says which keyframe or choice is wrong and what would be right.
type KeyError struct {
	Field string // "x[2]", "y[0]", "kind", "ends", "segments"
	Wrong string
	Want  string
}

func (e *KeyError) Error() string { return fmt.Sprintf("%s: %s; %s", e.Field, e.Wrong, e.Want) }

// New lays a curve through (x[i], y[i]). x must rise strictly; everything must
// be finite. One keyframe gives a constant.
func New(x, y []float64, s Spec) (*Curve, error) {
	if err := checkKeys(x, y, &s); err != nil {
		return nil, err
	}
	n := len(x)
	c := &Curve{X: append([]float64(nil), x...)}
	if n == 1 {
		return c.constant(y[0]), nil
	}
	if s.Blend > 0 {
		c.X, c.C = blended(x, y, s.Blend)
		return c, c.usable()
	}
	c.C = pieces(x, y, s.Kind, s)
	var done map[Kind][]Poly
	for i := range c.C {
		k, ok := s.Segments[i]
		if !ok || k == s.Kind {
			continue
		}
		if done[k] == nil {
			if done == nil {
				done = map[Kind][]Poly{}
			}
			done[k] = pieces(x, y, k, Spec{Kind: k})
		}
		c.C[i] = done[k][i]
	}
	if last := n - 2; s.kindOf(last) == Hold {
		v := y[n-1]
		c.rest = &v
	}
	if err := c.usable(); err != nil {
		return nil, err
	}
	return c, nil
}

func (s *Spec) kindOf(segment int) Kind {
	if k, ok := s.Segments[segment]; ok {
		return k
	}
	return s.Kind
}

// usable refuses coefficients that are not finite.
func (c *Curve) usable() error {
	for i := range c.C {
		for _, v := range c.C[i] {
			if !finite(v) {
				return &KeyError{fmt.Sprintf("x[%d]", i+1), "the keyframe is too close to the one before it, or their values too far apart, to compute", "move them apart"}
			}
		}
	}
	return nil
}

func (c *Curve) constant(v float64) *Curve {
	c.X = append(c.X, c.X[0])
	c.C = []Poly{{v}}
	return c
}

func checkKeys(x, y []float64, s *Spec) error {
	if len(x) == 0 {
		return &KeyError{"x", "there is no keyframe", "give at least one"}
	}
	if len(x) != len(y) {
		return &KeyError{"y", fmt.Sprintf("%d values for %d keyframes", len(y), len(x)), "give one value for each keyframe"}
	}
	for i := range x {
		if !finite(x[i]) {
			return &KeyError{fmt.Sprintf("x[%d]", i), "it is not a finite number", "give a number"}
		}
		if !finite(y[i]) {
			return &KeyError{fmt.Sprintf("y[%d]", i), "it is not a finite number", "give a number"}
		}
		if i > 0 && x[i] <= x[i-1] {
			return &KeyError{fmt.Sprintf("x[%d]", i), fmt.Sprintf("%g does not come after %g", x[i], x[i-1]), "put the keyframes in rising order, no two at one place"}
		}
	}
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
		return &KeyError{"slopes", fmt.Sprintf("kind %s takes no end slopes", s.Kind), "use clamped, or leave slopes out"}
	}
	switch {
	case !finite(s.Blend) || s.Blend < 0:
		return &KeyError{"blend", fmt.Sprintf("%g is not a length", s.Blend), "give zero or more"}
	case s.Blend > 0 && s.Kind != Linear:
		return &KeyError{"blend", fmt.Sprintf("kind %s has no corners to blend", s.Kind), "use linear, or leave blend out"}
	case s.Blend > 0 && len(s.Segments) > 0:
		return &KeyError{"blend", "single segments are chosen as well", "use blends or segments, not both"}
	}
	for i, k := range s.Segments {
		if i < 0 || i >= max(1, len(x)-1) {
			return &KeyError{"segments", fmt.Sprintf("there is no segment %d", i), fmt.Sprintf("use 0 to %d", len(x)-2)}
		}
		if !k.Known() {
			return &KeyError{"segments", fmt.Sprintf("%q is not a kind of curve", k), fmt.Sprintf("use one of %v", Kinds)}
		}
	}
	return nil
}

func checkEnds(s *Spec) error {
	ok := s.Ends == ""
	want := "leave ends out: only through and monotone have a choice"
	switch s.Kind {
	case Through:
		ok, want = ok || s.Ends == Rest || s.Ends == Secant, "use rest or secant"
	case Monotone:
		ok, want = ok || s.Ends == Rest || s.Ends == Shape, "use rest or shape"
	}
	if !ok {
		return &KeyError{"ends", fmt.Sprintf("%q does not go with kind %s", s.Ends, s.Kind), want}
	}
	return nil
}

// Ends are the ends that a kind may have, the usual one first; none: no choice.
func (k Kind) Ends() []Ends {
	switch k {
	case Through:
		return []Ends{Rest, Secant}
	case Monotone:
		return []Ends{Rest, Shape}
	}
	return []Ends{}
}

// Known reports whether k is one of Kinds.
func (k Kind) Known() bool {
	for _, o := range Kinds {
		if k == o {
			return true
		}
	}
	return false
}

func finite(v float64) bool { return !math.IsNaN(v) && !math.IsInf(v, 0) }

// First and Last are the ends of the domain.
func (c *Curve) First() float64 { return c.X[0] }

// Last is the last knot.
func (c *Curve) Last() float64 { return c.X[len(c.X)-1] }

// piece finds the piece that holds x: right-handed at knots, left-handed at the last.
func (c *Curve) piece(x float64) int {
	i := sort.SearchFloat64s(c.X, x)
	if i < len(c.X) && c.X[i] == x {
		i++
	}
	return min(max(i-1, 0), len(c.C)-1)
}

// At samples the curve: right-handed at a keyframe, left-handed at the last.
// Outside the domain the curve waits at its first and rests at its last keyframe.
func (c *Curve) At(x float64) Sample {
	switch {
	case x < c.X[0]:
		return Sample{P: c.C[0][0]}
	case x > c.Last():
		return Sample{P: c.Rest()}
	}
	i := c.piece(x)
	return c.C[i].At(x - c.X[i])
}

// End is the left-handed sample at the last keyframe.
func (c *Curve) End() Sample {
	i := len(c.C) - 1
	return c.C[i].At(c.X[i+1] - c.X[i])
}

// Rest is where the curve stays after its last keyframe: that keyframe's value.
func (c *Curve) Rest() float64 {
	if c.rest != nil {
		return *c.rest
	}
	return c.End().P
}

// Into fills dst with samples at from, from+step, …, in one pass without
// allocation. step must be positive.
func (c *Curve) Into(dst []Sample, from, step float64) {
	i := c.piece(from)
	for k := range dst {
		x := from + mul(float64(k), step)
		if x < c.X[0] || x > c.Last() {
			dst[k] = c.At(x)
			continue
		}
		for i < len(c.C)-1 && x >= c.X[i+1] {
			i++
		}
		dst[k] = c.C[i].At(x - c.X[i])
	}
}
