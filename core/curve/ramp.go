package curve

import (
	"fmt"
	"math"
	"slices"
)

// Law is how speed is gathered and lost over a ramp.
type Law string

// The laws (Biagiotti and Melchiorri 2008, chapter 3). Over any of them the mean speed is
// half of the speed between the ramps.
const (
	// Trapezoid: even acceleration.
	Trapezoid Law = "trapezoid"
	// SCurve: acceleration rises, is held, and falls: over a third of the ramp each, or
	// as a given jerk makes it. With the stretch between: seven phases.
	SCurve Law = "s-curve"
	// Sine: half a period of a sine in acceleration, kept as polynomials.
	Sine Law = "sine"
	// MinJerk: the change of speed of least squared jerk, a parabola in acceleration.
	MinJerk Law = "min-jerk"
)

// Laws lists every law in the order in which they are offered.
var Laws = []Law{Trapezoid, SCurve, Sine, MinJerk}

// Ramp is how a leg goes from rest to rest: it gathers speed over In, loses it over Out
// (abscissa), and is even between. Jerk, for s-curve only, is what both ramps use: units
// per abscissa³; 0: none is given.
type Ramp struct {
	Law  Law     `json:"law" enum:"trapezoid,s-curve,sine,min-jerk"`
	In   float64 `json:"in" minimum:"0"`
	Out  float64 `json:"out" minimum:"0"`
	Jerk float64 `json:"jerk,omitempty" minimum:"0"`
}

func (r Ramp) reversed() Ramp {
	r.In, r.Out = r.Out, r.In
	return r
}

// MostSines bounds the legs with a sine of one curve, each of which is many pieces.
const MostSines = 2000

func (s *Spec) checkRamps(n int) error {
	for i := range s.Ramps {
		if i < 0 || i >= max(1, n-1) {
			return &KeyError{"ramps", fmt.Sprintf("there is no leg %d", i), fmt.Sprintf("use 0 to %d", n-2)}
		}
	}
	sines := 0
	for i := range max(1, n-1) {
		field, r := "ramp", s.Ramp
		if own, ok := s.Ramps[i]; ok {
			field, r = fmt.Sprintf("ramps[%d]", i), &own
		}
		if r == nil {
			continue
		}
		switch {
		case !slices.Contains(Laws, r.Law):
			return &KeyError{field + ".law", fmt.Sprintf("%q is not a law of ramps", r.Law),
				fmt.Sprintf("use one of %v", Laws)}
		case !(r.In >= 0 && r.In <= 1e12):
			return &KeyError{field + ".in", fmt.Sprintf("%g is not a length", r.In), "give zero or more"}
		case !(r.Out >= 0 && r.Out <= 1e12):
			return &KeyError{field + ".out", fmt.Sprintf("%g is not a length", r.Out), "give zero or more"}
		case !(r.Jerk >= 0 && r.Jerk <= 1e30):
			return &KeyError{field + ".jerk", fmt.Sprintf("%g is not a jerk", r.Jerk),
				"give one above zero, or leave it out"}
		case r.Jerk > 0 && r.Law != SCurve:
			return &KeyError{field + ".jerk", fmt.Sprintf("a ramp by %s takes none", r.Law),
				"use s-curve, or leave it out"}
		}
		if r.Law == Sine && s.kindOf(i) == Ramped {
			sines++
		}
	}
	if sines > MostSines {
		return &KeyError{"ramp.law", fmt.Sprintf("%d legs with a sine", sines),
			fmt.Sprintf("keep it to %d, or use min-jerk, which is nearly the same", MostSines)}
	}
	return nil
}

// rampOf is the ramp of a leg of length h.
func (s *Spec) rampOf(i int, h float64) Ramp {
	if r, ok := s.Ramps[i]; ok {
		return r
	}
	if s.Ramp != nil {
		return *s.Ramp
	}
	return Ramp{Law: Trapezoid, In: h / 3, Out: h / 3}
}

// fills is by how much, in parts of the leg, two ramps may be longer than it and are
// taken as filling it: what adding decimal fractions leaves.
const fills = 1e-9

// ramped lays leg i from a to b over h.
func ramped(h, a, b float64, r Ramp, i int) (leg, error) {
	in, out := r.In, r.Out
	if over := in + out; over >= mul(h, 1-fills) {
		if over > mul(h, 1+fills) {
			return leg{}, &KeyError{fmt.Sprintf("ramps[%d]", i),
				fmt.Sprintf("%g to gather speed and %g to lose it are longer than the leg, %g", in, out, h),
				fmt.Sprintf("keep the two to %g together", h)}
		}
		in = mul(in, h/over)
		out = h - in
	}
	v := (b - a) / (h - in/2 - out/2) // between the ramps
	l := layer{p: a}
	if err := l.gather(in, v, r, i, false); err != nil {
		return leg{}, err
	}
	l.p = a + mul(v, in)/2
	l.add(h-in-out, 0, v, 0, 0)
	l.p = b - mul(v, out)/2
	if err := l.gather(out, v, r, i, true); err != nil {
		return leg{}, err
	}
	return leg{l.cuts[:len(l.cuts)-1], l.c}, nil
}

// layer sets pieces one after another from where it is.
type layer struct {
	at, p float64
	cuts  []float64
	c     []Poly
}

// add is a piece of a length that goes so far, from speed v and acceleration a on with
// jerk j.
func (l *layer) add(length, goes, v, a, j float64) {
	l.piece(length, goes, Poly{0, v, a / 2, j / 6})
}

// piece sets one without length aside.
func (l *layer) piece(length, goes float64, q Poly) {
	if !(length > 0) {
		return
	}
	q[0] = l.p
	l.at += length
	l.p += goes
	l.cuts, l.c = append(l.cuts, l.at), append(l.c, q)
}

// shortest is what part of a ramp a phase of jerk may be: a shorter one is no piece.
const shortest = 1e-9

// gather changes the speed from 0 to v over a length, or, falling, from v to 0.
func (l *layer) gather(n, v float64, r Ramp, i int, falling bool) error {
	if n == 0 {
		return nil
	}
	from, sign := 0.0, 1.0
	if falling {
		from, sign = v, -1
	}
	switch r.Law {
	case Trapezoid:
		l.add(n, mul(v, n)/2, from, mul(sign, v)/n, 0)
	case MinJerk: // speed v(3s² − 2s³)
		l.piece(n, mul(v, n)/2, Poly{0, from, 0, mul(sign, v) / mul(n, n), mul(sign, -v) / mul(2, mul(n, mul(n, n)))})
	case SCurve:
		t := n / 3
		if r.Jerk > 0 {
			most := mul(n, n)
			if least := mul(4, math.Abs(v)) / most; r.Jerk < mul(least, 1-fills) {
				return &KeyError{fmt.Sprintf("ramps[%d]", i), fmt.Sprintf("a jerk of %g cannot reach the speed over %g",
					r.Jerk, n), fmt.Sprintf("give at least %.6g, or a longer ramp", least)}
			}
			// a(n − t) = |v| and a = jerk·t: t = (n − root)/2, without the difference
			t = mul(2, math.Abs(v)/r.Jerk) / (n + math.Sqrt(max(most-mul(4, math.Abs(v))/r.Jerk, 0)))
		}
		if t < mul(n, shortest) { // at a jerk like that the acceleration is even, or it stands still
			l.add(n, mul(v, n)/2, from, mul(sign, v)/n, 0)
			return nil
		}
		a := mul(sign, v) / (n - t)
		even := n - mul(2, t)
		tt := mul(t, t)
		v1, v2 := from+mul(a, t)/2, from+mul(a, t)/2+mul(a, even)
		l.add(t, mul(from, t)+mul(a, tt)/6, from, 0, a/t)
		l.add(even, mul(v1+v2, even)/2, v1, a, 0)
		l.add(t, mul(v2, t)+mul(a, tt)/3, v2, a, -a/t)
	case Sine:
		l.sine(n, v, sign)
	}
	return nil
}

// sinePieces is into how many pieces of degree five a ramp by a sine is laid, the value
// and two derivatives exact where they meet: the value is off by less than 0.0034/N⁶ of
// speed × length, 1e-15 of it, acceleration by 2e-10 of its peak.
const sinePieces = 128

// sine is v/2·(1 − cos πs) in speed, or, falling, v/2·(1 + cos πs).
func (l *layer) sine(n, v, sign float64) {
	const pi = math.Pi
	k := n / sinePieces
	// Over the way that even speed would make: −sign·v·n/2π·sin πs.
	way := func(i int) float64 {
		even := mul(v, mul(float64(i), k)) / 2
		return even - mul(mul(sign, v), mul(n, sinPi(i)))/mul(2, pi)
	}
	at := func(i int) Sample {
		return Sample{
			V: v/2 - mul(mul(sign, v), cosPi(i))/2,
			A: mul(mul(sign, v), mul(pi, sinPi(i))) / mul(2, n),
		}
	}
	for i := range sinePieces {
		a, b := at(i), at(i+1)
		b.P = way(i+1) - way(i)
		l.piece(k, b.P, Fifth(k, a, b))
	}
}

// sinPi and cosPi are the sine and cosine of π·i/sinePieces, by their series, which has
// the same bits on every machine.
func sinPi(i int) float64 {
	if i > sinePieces/2 {
		i = sinePieces - i
	}
	if i > sinePieces/4 {
		return cosSmall(sinePieces/2 - i)
	}
	return sinSmall(i)
}

func cosPi(i int) float64 {
	switch {
	case i > sinePieces/2:
		return -cosPi(sinePieces - i)
	case i > sinePieces/4:
		return sinSmall(sinePieces/2 - i)
	}
	return cosSmall(i)
}

func sinSmall(i int) float64 {
	x := mul(math.Pi, float64(i)) / sinePieces
	x2, s := mul(x, x), 0.0
	for k := 19; k >= 1; k -= 2 {
		s = 1 - mul(x2, s)/float64((k+1)*(k+2))
	}
	return mul(x, s)
}

func cosSmall(i int) float64 {
	x := mul(math.Pi, float64(i)) / sinePieces
	x2, s := mul(x, x), 0.0
	for k := 20; k >= 0; k -= 2 {
		s = 1 - mul(x2, s)/float64((k+1)*(k+2))
	}
	return s
}
