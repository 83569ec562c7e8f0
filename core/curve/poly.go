package curve

import (
	"math"
	"sort"
)

// Poly is one piece of a curve: Σ c[k]·uᵏ, k = 0…5, where u is the distance
// from the piece's left knot. Coefficients are in the axis's unit per uᵏ.
//
// Every product below is converted explicitly: the Go specification lets a
// compiler fuse x*y + z unless a conversion stands between, and it does so on
// some processors and not on others. With the conversions every machine
// computes the same bits, which the seal relies on.
type Poly [6]float64

func mul(a, b float64) float64 { return float64(a * b) }

// At evaluates value and first to third derivative by Horner's rule.
func (p *Poly) At(u float64) Sample {
	return Sample{
		P: p.value(u),
		V: mul(mul(mul(mul(mul(5, p[5]), u)+mul(4, p[4]), u)+mul(3, p[3]), u)+mul(2, p[2]), u) + p[1],
		A: mul(mul(mul(mul(20, p[5]), u)+mul(12, p[4]), u)+mul(6, p[3]), u) + mul(2, p[2]),
		J: mul(mul(mul(60, p[5]), u)+mul(24, p[4]), u) + mul(6, p[3]),
	}
}

// into is At at from + k·step, …, less the piece's left knot. A piece of degree three, as
// most are, has fewer terms; what is left out is zero.
func (p *Poly) into(dst []Sample, left, from, step float64, k int) {
	p0, p1, p2, p3, p4, p5 := p[0], p[1], p[2], p[3], p[4], p[5]
	d2, d3, s2, s3 := mul(2, p2), mul(3, p3), mul(2, p2), mul(6, p3)
	if p4 == 0 && p5 == 0 {
		for n := range dst {
			u := from + mul(float64(k+n), step) - left
			dst[n] = Sample{
				P: mul(mul(mul(p3, u)+p2, u)+p1, u) + p0,
				V: mul(mul(d3, u)+d2, u) + p1,
				A: mul(s3, u) + s2,
				J: s3,
			}
		}
		return
	}
	d4, d5, s4, s5, t4, t5 := mul(4, p4), mul(5, p5), mul(12, p4), mul(20, p5), mul(24, p4), mul(60, p5)
	for n := range dst {
		u := from + mul(float64(k+n), step) - left
		dst[n] = Sample{
			P: mul(mul(mul(mul(mul(p5, u)+p4, u)+p3, u)+p2, u)+p1, u) + p0,
			V: mul(mul(mul(mul(d5, u)+d4, u)+d3, u)+d2, u) + p1,
			A: mul(mul(mul(s5, u)+s4, u)+s3, u) + s2,
			J: mul(mul(t5, u)+t4, u) + s3,
		}
	}
}

func (p *Poly) value(u float64) float64 {
	return mul(mul(mul(mul(mul(p[5], u)+p[4], u)+p[3], u)+p[2], u)+p[1], u) + p[0]
}

// Derivative returns dp/du.
func (p *Poly) Derivative() Poly {
	return Poly{p[1], mul(2, p[2]), mul(3, p[3]), mul(4, p[4]), mul(5, p[5])}
}

// Shift is the same polynomial in terms of a distance from u instead of 0.
func (p *Poly) Shift(u float64) Poly {
	if u == 0 {
		return *p
	}
	q := *p
	for i := range q { // repeated synthetic division by (x − u)
		for k := len(q) - 2; k >= i; k-- {
			q[k] += mul(u, q[k+1])
		}
	}
	return q
}

// inside reports whether the polynomial surely stays between two limits over a length, rounding
// and all: its Bernstein coefficients do, whose hull it does not leave (de Boor).
func (p *Poly) inside(h, lo, hi float64) bool {
	c1 := p[1] * h
	h2 := h * h
	c2, c3, c4, c5 := p[2]*h2, p[3]*h2*h, p[4]*h2*h2, p[5]*h2*h2*h
	slack := 1e-12 * (math.Abs(p[0]) + math.Abs(c1) + math.Abs(c2) + math.Abs(c3) + math.Abs(c4) + math.Abs(c5))
	lo, hi = lo+slack, hi-slack
	for _, b := range [6]float64{
		p[0], p[0] + c1/5, p[0] + c1*2/5 + c2/10, p[0] + c1*3/5 + c2*3/10 + c3/10,
		p[0] + c1*4/5 + c2*6/10 + c3*4/10 + c4/5, p[0] + c1 + c2 + c3 + c4 + c5,
	} {
		if !(b > lo && b < hi) {
			return false
		}
	}
	return true
}

func (p *Poly) nth(order int) Poly {
	q := *p
	for ; order > 0; order-- {
		q = q.Derivative()
	}
	return q
}

// Roots appends to dst the places in [lo, hi] where p changes sign or is
// exactly zero, in rising order. It isolates them between the roots of the
// derivative, where p is monotone, so none is missed; each is found to the
// last bits of a float64. A polynomial that is zero everywhere has none.
func (p *Poly) Roots(dst []float64, lo, hi float64) []float64 {
	n := 5
	for n > 0 && p[n] == 0 {
		n--
	}
	start := len(dst)
	switch n {
	case 0:
		return dst
	case 1:
		if r := -p[0] / p[1]; r >= lo && r <= hi {
			dst = append(dst, r)
		}
		return dst
	case 2:
		return p.quadratic(dst, lo, hi)
	}
	var buf [8]float64
	d := p.Derivative()
	cuts := append(d.Roots(buf[:0], lo, hi), hi)
	a, fa := lo, p.value(lo)
	for _, b := range cuts {
		fb := p.value(b)
		switch {
		case fa == 0:
			dst = append(dst, a)
		case fa*fb < 0:
			dst = append(dst, p.bisect(a, b, fa))
		}
		a, fa = b, fb
	}
	if fa == 0 {
		dst = append(dst, a)
	}
	sort.Float64s(dst[start:])
	return dst
}

func (p *Poly) quadratic(dst []float64, lo, hi float64) []float64 {
	a, b, c := p[2], p[1], p[0]
	disc := mul(b, b) - mul(4, mul(a, c))
	if disc < 0 {
		return dst
	}
	q := -(b + math.Copysign(math.Sqrt(disc), b)) / 2
	r1, r2 := q/a, q/a
	if q != 0 {
		r2 = c / q
	}
	if r1 > r2 {
		r1, r2 = r2, r1
	}
	if r1 >= lo && r1 <= hi {
		dst = append(dst, r1)
	}
	if r2 != r1 && r2 >= lo && r2 <= hi {
		dst = append(dst, r2)
	}
	return dst
}

// bisect closes in on the sign change in (a, b); Newton's step is taken while
// it stays inside the bracket and halves it.
func (p *Poly) bisect(a, b, fa float64) float64 {
	d := p.Derivative()
	x := a + (b-a)/2
	for range 200 {
		fx := p.value(x)
		if fx == 0 {
			return x
		}
		if (fx < 0) == (fa < 0) {
			a = x
		} else {
			b = x
		}
		next := x - fx/d.value(x)
		if !(next > a && next < b) {
			next = a + (b-a)/2
		}
		if next == x || b-a <= 4e-16*math.Max(math.Abs(a), math.Abs(b)) {
			return next
		}
		x = next
	}
	return x
}
