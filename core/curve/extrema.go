package curve

import (
	"math"
	"slices"
)

// Jump is a step in the value (Order 0) or a derivative at a knot.
type Jump struct {
	At    float64 `json:"at"`
	Order int     `json:"order"`
	By    float64 `json:"by"`
}

// jumpTolerance is the share of a derivative's largest value below which a
// difference across a knot is rounding and not a step.
const jumpTolerance = 1e-9

// Jumps lists the steps of order 0 to maxOrder at the inner knots, and the steps
// in value off the first and onto the last keyframe where the piece there does not
// reach it. Speed and acceleration at the two ends are the business of the path.
func (c *Curve) Jumps(maxOrder int) []Jump {
	var out []Jump
	size, _ := c.MaxAbs(0)
	for order := 0; order <= maxOrder; order++ {
		scale, _ := c.MaxAbs(order)
		if by := c.C[0][0] - c.Wait(); order == 0 && math.Abs(by) > jumpTolerance*size {
			out = append(out, Jump{At: c.First(), Order: 0, By: by})
		}
		for i := 1; i < len(c.C); i++ {
			l := c.C[i-1].At(c.X[i] - c.X[i-1]).Order(order)
			r := c.C[i].At(0).Order(order)
			if math.Abs(r-l) > jumpTolerance*max(scale, math.Abs(l), math.Abs(r), 1e-300) && math.Abs(r-l) >
				c.noise(size, i, order) {
				out = append(out, Jump{At: c.X[i], Order: order, By: r - l})
			}
		}
		if by := c.Rest() - c.End().P; order == 0 && math.Abs(by) > jumpTolerance*size {
			out = append(out, Jump{At: c.Last(), Order: 0, By: by})
		}
	}
	return out
}

// noise bounds what rounding alone may leave at knot i of a curve of a size.
func (c *Curve) noise(v float64, i, order int) float64 {
	h := min(c.X[i]-c.X[i-1], c.X[i+1]-c.X[i])
	return 1e-12 * v / math.Pow(h, float64(order))
}

// Order picks the value (0) or derivative (1 to 3).
func (s Sample) Order(n int) float64 { return [4]float64{s.P, s.V, s.A, s.J}[n] }

// MaxAbs is the largest |value or derivative| between knots, both one-sided
// limits at each knot included, with a place where it is reached.
func (c *Curve) MaxAbs(order int) (value, at float64) {
	at = c.X[0]
	c.candidates(order, func(x, v float64) {
		if a := math.Abs(v); a > value {
			value, at = a, x
		}
	})
	return value, at
}

// Range is the least and greatest value with their places.
func (c *Curve) Range() (lo, loAt, hi, hiAt float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	c.candidates(0, func(x, v float64) {
		if v < lo {
			lo, loAt = v, x
		}
		if v > hi {
			hi, hiAt = v, x
		}
	})
	return lo, loAt, hi, hiAt
}

func (c *Curve) candidates(order int, f func(x, v float64)) {
	var buf [8]float64
	for i := range c.C {
		h := c.X[i+1] - c.X[i]
		q := &c.C[i]
		if order > 0 && q[4] == 0 && q[5] == 0 { // of degree three, as most are: the same without roots
			switch order {
			case 1:
				f(c.X[i], q[1])
				if u := -mul(2, q[2]) / mul(6, q[3]); u >= 0 && u <= h {
					f(c.X[i]+u, mul(mul(mul(3, q[3]), u)+mul(2, q[2]), u)+q[1])
				}
				f(c.X[i+1], mul(mul(mul(3, q[3]), h)+mul(2, q[2]), h)+q[1])
			case 2:
				f(c.X[i], mul(2, q[2]))
				f(c.X[i+1], mul(mul(6, q[3]), h)+mul(2, q[2]))
			default:
				f(c.X[i], mul(6, q[3]))
				f(c.X[i+1], mul(6, q[3]))
			}
			continue
		}
		p := q.nth(order)
		f(c.X[i], p.value(0))
		d := p.Derivative()
		for _, u := range d.Roots(buf[:0], 0, h) {
			f(c.X[i]+u, p.value(u))
		}
		f(c.X[i+1], p.value(h))
	}
	if order == 0 && c.wait != nil {
		f(c.First(), *c.wait)
	}
	if order == 0 && c.rest != nil {
		f(c.Last(), *c.rest)
	}
}

// Span is a closed stretch of the abscissa.
type Span struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
}

// Outside lists the stretches on which the value or derivative is below lo or
// above hi, from the roots on each piece, joined where they touch.
func (c *Curve) Outside(order int, lo, hi float64) []Span {
	var out []Span
	var buf [24]float64
	for i := range c.C {
		h := c.X[i+1] - c.X[i]
		p := c.C[i].nth(order)
		if p.inside(h, lo, hi) {
			continue
		}
		cuts := buf[:0]
		for _, lim := range [2]float64{lo, hi} {
			if math.IsInf(lim, 0) {
				continue
			}
			q := p
			q[0] -= lim
			cuts = q.Roots(cuts, 0, h)
		}
		out = appendOutside(out, &p, cuts, c.X[i], h, lo, hi)
	}
	return out
}

func appendOutside(out []Span, p *Poly, cuts []float64, x, h, lo, hi float64) []Span {
	sortFew(cuts)
	a := 0.0
	for k := 0; k <= len(cuts); k++ {
		b := h
		if k < len(cuts) {
			b = cuts[k]
		}
		if v := p.value(a + (b-a)/2); b > a && (v < lo || v > hi) {
			if n := len(out); n > 0 && out[n-1].To == x+a {
				out[n-1].To = x + b
			} else {
				out = append(out, Span{x + a, x + b})
			}
		}
		a = b
	}
	return out
}

func sortFew(v []float64) {
	for i := 1; i < len(v); i++ {
		for j := i; j > 0 && v[j] < v[j-1]; j-- {
			v[j], v[j-1] = v[j-1], v[j]
		}
	}
}

// Clip is the part of the curve over a span, with the pieces shifted to new left ends.
func (c *Curve) Clip(s Span) *Curve {
	out := &Curve{}
	for i := range c.C {
		lo, hi := max(c.X[i], s.From), min(c.X[i+1], s.To)
		if lo >= hi {
			continue
		}
		out.X = append(out.X, lo)
		out.C = append(out.C, c.C[i].Shift(lo-c.X[i]))
		if hi >= s.To || i == len(c.C)-1 {
			out.X = append(out.X, hi)
			break
		}
	}
	if len(out.X) > 0 && len(out.X) == len(out.C) { // it goes on beyond the end, or the last piece has no length
		out.X = append(out.X, min(c.Last(), s.To))
	}
	if len(out.C) == 0 { // a span of no width
		v := c.At(s.From)
		return &Curve{X: []float64{s.From, s.To}, C: []Poly{{v.P, v.V, v.A / 2, v.J / 6}}}
	}
	return out
}

// Minus is what is left of the curve without another, over all that either covers: each waits
// before its first keyframe and rests after its last.
func (c *Curve) Minus(o *Curve) *Curve {
	knots := slices.Concat(c.X, o.X)
	slices.Sort(knots)
	knots = slices.Compact(knots)
	if len(knots) == 1 {
		knots = append(knots, knots[0])
	}
	out := &Curve{X: knots}
	piece := func(x *Curve, from, to float64) Poly {
		switch {
		case from >= x.Last():
			return Poly{x.Rest()}
		case to <= x.First():
			return Poly{x.Wait()}
		}
		i := x.piece(from)
		return x.C[i].Shift(from - x.X[i])
	}
	for k := 0; k+1 < len(knots); k++ {
		p, q := piece(c, knots[k], knots[k+1]), piece(o, knots[k], knots[k+1])
		for i := range p {
			p[i] -= q[i]
		}
		out.C = append(out.C, p)
	}
	return out
}
