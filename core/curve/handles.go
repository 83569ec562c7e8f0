package curve

import (
	"fmt"
	"math"
)

// Handles are cubic Bézier curves in the plane of abscissa and value. The value over the
// abscissa is no polynomial, so a leg is laid as pieces of degree five between places at
// which value, slope and second derivative are those of the curve, as many as it takes for
// the value between them to be within handleError of it.

const (
	// handleError is by how much the value may be off, in parts of what the leg spans.
	handleError = 1e-13
	// leastAhead is the least that a handled curve goes ahead anywhere, in parts of the
	// leg's length: where it stands still in time the slope is infinite.
	leastAhead = 1e-3
	// mostHalvings bounds the pieces of a leg.
	mostHalvings = 12
)

// handle is one leg as a cubic Bézier curve: x and y as polynomials of s from 0 to 1, from
// the leg's left keyframe, and y's value there.
type handle struct {
	x, y [4]float64
	from float64
}

// handlesOf are the handles of leg i as they are set, or as they are where none is: a third of
// the leg, along the slopes of through.
func (s *Spec) handlesOf(x, y []float64, i int) (from, to [2]float64) {
	h := x[i+1] - x[i]
	if from = s.key(i).Out; from == [2]float64{} {
		from = [2]float64{h / 3, mul(slopeAt(x, y, i), h/3)}
	}
	if to = s.key(i + 1).In; to == [2]float64{} {
		to = [2]float64{-h / 3, mul(slopeAt(x, y, i+1), -h/3)}
	}
	return from, to
}

// slopeAt is through's slope at a keyframe: 0 at the ends.
func slopeAt(x, y []float64, i int) float64 {
	if i == 0 || i == len(x)-1 {
		return 0
	}
	h, d := chords(x[i-1:i+2], y[i-1:i+2])
	return throughSlopes(h, d, Rest)[1]
}

func bezier(h, a, b float64, from, to [2]float64) handle {
	c := func(p1, p2, p3 float64) [4]float64 { // control points from 0 on
		return [4]float64{0, mul(3, p1), mul(3, p2) - mul(6, p1), p3 - mul(3, p2) + mul(3, p1)}
	}
	return handle{c(from[0], h+to[0], h), c(from[1], b-a+to[1], b-a), a}
}

// checkHandles refuses handles that fold back in time.
func (s *Spec) checkHandles(x []float64) error {
	if len(s.Keys) == 0 {
		return nil
	}
	for i := range len(x) - 1 {
		if s.kindOf(i) != Handles {
			continue
		}
		h := x[i+1] - x[i]
		from, to := s.handlesOf(x, make([]float64, len(x)), i)
		switch {
		case from[0] < 0:
			return &KeyError{fmt.Sprintf("keys[%d].out", i), fmt.Sprintf("it points back, by %g", -from[0]),
				"point it ahead: an abscissa above 0"}
		case to[0] > 0:
			return &KeyError{fmt.Sprintf("keys[%d].in", i+1), fmt.Sprintf("it points ahead, by %g", to[0]),
				"point it back: an abscissa below 0"}
		}
		g := bezier(h, 0, 0, from, to)
		if least := g.slowest(); least < mul(leastAhead, h) {
			long := fmt.Sprintf("keys[%d].out", i)
			if -to[0] > from[0] {
				long = fmt.Sprintf("keys[%d].in", i+1)
			}
			return &KeyError{long, fmt.Sprintf("the curve folds back in time on the leg from %g to %g", x[i], x[i+1]),
				"shorten it; two handles of up to two thirds of the leg never fold, nor may either be without length"}
		}
	}
	return nil
}

// slowest is the least dx/ds on the leg.
func (g *handle) slowest() float64 {
	d := func(s float64) float64 { return g.x[1] + mul(s, mul(2, g.x[2])+mul(s, mul(3, g.x[3]))) }
	least := min(d(0), d(1))
	if g.x[3] != 0 {
		if s := -g.x[2] / mul(3, g.x[3]); s > 0 && s < 1 {
			least = min(least, d(s))
		}
	}
	return least
}

// at is where the curve is at s: the abscissa and, over it, value, slope, second and third
// derivative, by the chain rule.
func (g *handle) at(s float64) (u float64, out Sample) {
	of := func(c *[4]float64) (p, d, dd, ddd float64) {
		return mul(s, c[1]+mul(s, c[2]+mul(s, c[3]))), c[1] + mul(s, mul(2, c[2])+mul(s, mul(3, c[3]))), mul(2, c[2]) +
			mul(6, mul(c[3], s)), mul(6, c[3])
	}
	u, x1, x2, x3 := of(&g.x)
	y, y1, y2, y3 := of(&g.y)
	v := y1 / x1
	a := (y2 - mul(v, x2)) / mul(x1, x1)
	j := (y3 - mul(3, mul(a, mul(x1, x2))) - mul(v, x3)) / mul(x1, mul(x1, x1))
	return u, Sample{y, v, a, j}
}

// find is the s at which the abscissa is u, between two that are around it.
func (g *handle) find(u, lo, hi float64) float64 {
	p := Poly{g.x[0] - u, g.x[1], g.x[2], g.x[3]}
	if p.value(hi) <= 0 {
		return hi
	}
	if p.value(lo) >= 0 {
		return lo
	}
	return p.bisect(lo, hi, -1)
}

// handled lays leg i.
func handled(x, y []float64, i int, spec *Spec) leg {
	from, to := spec.handlesOf(x, y, i)
	h := x[i+1] - x[i]
	g := bezier(h, y[i], y[i+1], from, to)
	l := layer{p: y[i]}
	if math.Abs(g.x[2]) <= mul(1e-15, h) && math.Abs(g.x[3]) <= mul(1e-15, h) { // the abscissa runs evenly: a cubic
		hh := mul(h, h)
		return leg{nil, []Poly{{y[i], g.y[1] / h, g.y[2] / hh, g.y[3] / mul(hh, h)}}}
	}
	size := 0.0
	for _, v := range [4]float64{from[1], y[i+1] - y[i], y[i+1] - y[i] + to[1], 0} {
		size = max(size, math.Abs(v))
	}
	g.lay(&l, 0, 1, mul(handleError, size), 0)
	last := len(l.cuts) - 1
	return leg{l.cuts[:last], l.c}
}

// lay sets the part from s to t, halved until a piece fits.
func (g *handle) lay(l *layer, s, t, within float64, depth int) {
	u0, a := g.at(s)
	u1, b := g.at(t)
	rise := b.P - a.P
	if depth == 0 {
		u1 = g.x[1] + g.x[2] + g.x[3]
	}
	a3, b3 := a, b
	a3.P, b3.P = 0, rise
	p := Fifth(u1-u0, a3, b3)
	if depth < mostHalvings && (depth < 2 || !g.fits(&p, s, t, u0, u1, a.P, within)) {
		m := s + (t-s)/2
		g.lay(l, s, m, within, depth+1)
		g.lay(l, m, t, within, depth+1)
		return
	}
	l.p = g.from + a.P
	l.at = u0
	l.piece(u1-u0, 0, p)
}

// fits looks at three places between; the error of such a piece is greatest near its
// middle.
func (g *handle) fits(p *Poly, s, t, u0, u1, base, within float64) bool {
	for _, part := range [3]float64{0.25, 0.5, 0.75} {
		u := mul(u1-u0, part)
		_, want := g.at(g.find(u0+u, s, t))
		if !(math.Abs(p.value(u)-(want.P-base)) <= within+mul(4e-16, math.Abs(want.P))) {
			return false
		}
	}
	return true
}
