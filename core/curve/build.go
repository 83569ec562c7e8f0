package curve

import "math"

// pieces builds the polynomials of one kind through at least two keyframes.
func pieces(x, y []float64, k Kind, s Spec) []Poly {
	h, d := chords(x, y)
	out := make([]Poly, len(h))
	switch k {
	case Hold:
		for i := range out {
			out[i] = Poly{y[i]}
		}
	case Ahead:
		for i := range out {
			out[i] = Poly{y[i+1]}
		}
	case Linear:
		for i := range out {
			out[i] = Poly{y[i], d[i]}
		}
	case Smooth:
		smooth(out, h, d, y, Sample{}, Sample{})
	case Natural:
		fromSecond(out, h, d, y, naturalSecond(h, d))
	case Clamped:
		fromSecond(out, h, d, y, clampedSecond(h, d, s.Slopes))
	case Quintic:
		for i := range out {
			out[i] = Fifth(h[i], s.rest(i, len(out)).at(y[i]), s.rest(i+1, len(out)).at(y[i+1]))
		}
	case TCB:
		in, from := tcbSlopes(h, d, &s)
		for i := range out {
			out[i] = hermite(h[i], y[i], d[i], from[i], in[i+1])
		}
	default:
		var m []float64
		switch k {
		case Through:
			m = throughSlopes(h, d, s.Ends)
		case Monotone:
			m = monotoneSlopes(h, d, s.Ends)
		case Akima:
			m = akimaSlopes(d)
		}
		for i := range out {
			out[i] = hermite(h[i], y[i], d[i], m[i], m[i+1])
		}
	}
	return out
}

// chords are the spans between keyframes and the slopes of the chords.
func chords(x, y []float64) (h, d []float64) {
	h, d = make([]float64, len(x)-1), make([]float64, len(x)-1)
	for i := range h {
		h[i] = x[i+1] - x[i]
		d[i] = (y[i+1] - y[i]) / h[i]
	}
	return h, d
}

// rest is what a quintic has at keyframe i of n+1: nothing at both ends.
func (s *Spec) rest(i, n int) Bend {
	if i == 0 || i == n {
		return Bend{}
	}
	return s.key(i)
}

func (k Bend) at(y float64) Sample { return Sample{P: y, V: k.Slope, A: k.Acceleration} }

// hermite is the cubic with value y and slope m0 at the left, chord slope d, slope m1 at the right.
func hermite(h, y, d, m0, m1 float64) Poly {
	return Poly{y, m0, (mul(3, d) - mul(2, m0) - m1) / h, (m0 + m1 - mul(2, d)) / mul(h, h)}
}

// Fifth is the piece of degree five and length h with the given value, slope and second
// derivative at both ends.
func Fifth(h float64, a, b Sample) Poly {
	h2 := mul(h, h)
	e := b.P - a.P - mul(a.V, h) - mul(a.A/2, h2)
	f := mul(b.V-a.V, h) - mul(a.A, h2)
	g := mul(b.A-a.A, h2)
	h3 := mul(h2, h)
	return Poly{a.P, a.V, a.A / 2,
		(mul(10, e) - mul(4, f) + g/2) / h3,
		(mul(7, f) - mul(15, e) - g) / mul(h3, h),
		(mul(6, e) - mul(3, f) + g/2) / mul(h3, h2)}
}

// fromSecond builds cubics from the second derivatives m at the keyframes.
func fromSecond(out []Poly, h, d, y, m []float64) {
	for i := range out {
		out[i] = Poly{y[i], d[i] - mul(h[i], mul(2, m[i])+m[i+1])/6, m[i] / 2, (m[i+1] - m[i]) / mul(6, h[i])}
	}
}

// tridiag solves a diagonally dominant tridiagonal system by elimination
// without pivoting (de Boor). It stands here, instead of gonum's solver,
// because the seal needs the same bits on every processor and a library
// routine may be fused on some.
func tridiag(lo, di, up, b []float64) []float64 {
	for i := 1; i < len(di); i++ {
		w := lo[i] / di[i-1]
		di[i] -= mul(w, up[i-1])
		b[i] -= mul(w, b[i-1])
	}
	for i := len(di) - 1; i >= 0; i-- {
		if i < len(di)-1 {
			b[i] -= mul(up[i], b[i+1])
		}
		b[i] /= di[i]
	}
	return b
}

func naturalSecond(h, d []float64) []float64 {
	n := len(h) - 1 // interior keyframes
	m := make([]float64, n+2)
	if n == 0 {
		return m
	}
	lo, di, up, b := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	for i := range di {
		lo[i], di[i], up[i] = h[i], mul(2, h[i]+h[i+1]), h[i+1]
		b[i] = mul(6, d[i+1]-d[i])
	}
	copy(m[1:], tridiag(lo, di, up, b))
	return m
}

func clampedSecond(h, d []float64, slope [2]float64) []float64 {
	n := len(h) + 1
	lo, di, up, b := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	for i := range di {
		left, right := slope[0], slope[1]
		if i > 0 {
			lo[i], di[i], left = h[i-1], mul(2, h[i-1]), d[i-1]
		}
		if i < n-1 {
			up[i], di[i], right = h[i], di[i]+mul(2, h[i]), d[i]
		}
		b[i] = mul(6, right-left)
	}
	return tridiag(lo, di, up, b)
}

// blended is straight lines with parabolic blends (Biagiotti and Melchiorri):
// rest, a parabola onto the first line, lines joined by parabolas of length
// blend around each inner keyframe, a parabola to rest. C¹.
func blended(x, y []float64, blend float64) ([]float64, []Poly) {
	n := len(x) - 1
	h := make([]float64, n)
	for i := range h {
		h[i] = x[i+1] - x[i]
	}
	w := make([]float64, n+1) // half lengths at inner corners, whole lengths at the ends
	for i := 1; i < n; i++ {
		w[i] = min(blend/2, h[i-1]/2, h[i]/2)
	}
	w[0], w[n] = min(blend, h[0]/2), min(blend, h[n-1]/2)
	slope := make([]float64, n)
	for i := range slope {
		run := h[i] // the length of line that would cover the same way
		if i == 0 {
			run -= w[0] / 2
		}
		if i == n-1 {
			run -= w[n] / 2
		}
		slope[i] = (y[i+1] - y[i]) / run
	}
	xs, out := []float64{x[0]}, []Poly{}
	add := func(to float64, p Poly) {
		if to > xs[len(xs)-1] {
			xs, out = append(xs, to), append(out, p)
		}
	}
	at := y[0] + mul(slope[0], w[0])/2
	add(x[0]+w[0], Poly{y[0], 0, slope[0] / mul(2, w[0])})
	for i := 1; i < n; i++ {
		add(x[i]-w[i], Poly{at, slope[i-1]})
		begin := y[i] - mul(slope[i-1], w[i])
		add(x[i]+w[i], Poly{begin, slope[i-1], (slope[i] - slope[i-1]) / mul(4, w[i])})
		at = y[i] + mul(slope[i], w[i])
	}
	add(x[n]-w[n], Poly{at, slope[n-1]})
	add(x[n], Poly{y[n] - mul(slope[n-1], w[n])/2, slope[n-1], -slope[n-1] / mul(2, w[n])})
	return xs, out
}

// smooth is C²: cubics inside, a quartic at each end (the extra degree takes up the
// extra condition there), one tridiagonal system for the second derivatives at the
// inner keyframes. It begins and ends with the slope and second derivative of before
// and after: at rest, or as what lies beside it. With two keyframes it is the quintic,
// from rest to rest that of minimum jerk.
func smooth(out []Poly, h, d, y []float64, before, after Sample) {
	n := len(h) - 1
	if n == 0 {
		before.P, after.P = y[0], y[1]
		out[0] = Fifth(h[0], before, after)
		return
	}
	lo, di, up, b := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	for i := range di {
		lo[i], up[i], di[i] = h[i], h[i+1], mul(2, h[i])+mul(2, h[i+1])
		dl, dr := d[i], d[i+1]
		if i == 0 { // left piece is the first quartic
			di[i], dl = di[i]-h[i], mul(2, dl)-before.V-mul(before.A, h[i])/6
		}
		if i == n-1 { // right piece is the last quartic
			di[i], dr = di[i]-h[i+1], mul(2, dr)-after.V+mul(after.A, h[i+1])/6
		}
		b[i] = mul(6, dr-dl)
	}
	m := make([]float64, n+2)
	copy(m[1:], tridiag(lo, di, up, b))
	fromSecond(out, h, d, y, m)
	h0, e0, m0 := h[0], d[0]-before.V-mul(before.A, h[0])/2, m[1]-before.A
	out[0] = Poly{y[0], before.V, before.A / 2, mul(2, e0)/mul(h0, h0) - m0/mul(6, h0), m0/mul(6, mul(h0, h0)) -
		e0/mul(h0, mul(h0, h0))}
	// The last one seen backwards from its keyframe, and turned round.
	hn, en, mn := h[n], -d[n]+after.V-mul(after.A, h[n])/2, m[n]-after.A
	h2 := mul(hn, hn)
	a3 := mul(2, en)/h2 - mn/mul(6, hn)
	a4 := mn/mul(6, h2) - en/mul(hn, h2)
	out[n] = Poly{y[n], after.V - mul(after.A, hn) - mul(3, mul(a3, h2)) - mul(4, mul(a4, mul(h2, hn))),
		after.A/2 + mul(3, mul(a3, hn)) + mul(6, mul(a4, h2)), -a3 - mul(4, mul(a4, hn)), a4}
}

// throughSlopes are the tangents of the parabola through three neighbours.
func throughSlopes(h, d []float64, e Ends) []float64 {
	n := len(d)
	m := make([]float64, n+1)
	for i := 1; i < n; i++ {
		m[i] = (mul(h[i], d[i-1]) + mul(h[i-1], d[i])) / (h[i-1] + h[i])
	}
	if e == Secant {
		m[0], m[n] = d[0], d[n-1]
	}
	return m
}

// monotoneSlopes are the weighted harmonic means of Fritsch and Butland 1984.
func monotoneSlopes(h, d []float64, e Ends) []float64 {
	n := len(d)
	m := make([]float64, n+1)
	for i := 1; i < n; i++ {
		if mul(d[i-1], d[i]) > 0 {
			w1, w2 := mul(2, h[i])+h[i-1], h[i]+mul(2, h[i-1])
			m[i] = (w1 + w2) / (w1/d[i-1] + w2/d[i])
		}
	}
	if e != Shape {
		return m
	}
	if n == 1 {
		m[0], m[1] = d[0], d[0]
		return m
	}
	m[0] = shapeEnd(h[0], h[1], d[0], d[1])
	m[n] = shapeEnd(h[n-1], h[n-2], d[n-1], d[n-2])
	return m
}

func shapeEnd(h0, h1, d0, d1 float64) float64 {
	m := (mul(mul(2, h0)+h1, d0) - mul(h0, d1)) / (h0 + h1)
	switch {
	case mul(m, d0) <= 0:
		return 0
	case mul(d0, d1) <= 0 && math.Abs(m) > mul(3, math.Abs(d0)):
		return mul(3, d0)
	}
	return m
}

// akimaSlopes are Akima's 1970 weights, with two chords extrapolated at each end.
func akimaSlopes(d []float64) []float64 {
	n := len(d)
	if n == 1 {
		return []float64{d[0], d[0]}
	}
	e := make([]float64, n+4)
	copy(e[2:], d)
	e[1] = mul(2, e[2]) - e[3]
	e[0] = mul(2, e[1]) - e[2]
	e[n+2] = mul(2, e[n+1]) - e[n]
	e[n+3] = mul(2, e[n+2]) - e[n+1]
	top := 0.0
	for i := 0; i <= n; i++ {
		top = max(top, math.Abs(e[i+3]-e[i+2])+math.Abs(e[i+1]-e[i]))
	}
	m := make([]float64, n+1)
	for i := range m {
		f1, f2 := math.Abs(e[i+3]-e[i+2]), math.Abs(e[i+1]-e[i])
		if f1+f2 > mul(1e-9, top) {
			m[i] = (mul(f1, e[i+1]) + mul(f2, e[i+2])) / (f1 + f2)
		} else {
			m[i] = (e[i+3] + e[i]) / 2
		}
	}
	return m
}

// tcbSlopes are the tangents before and after each keyframe (Kochanek and Bartels 1984),
// the two chords weighted by the other's length, so that without tension, continuity
// and bias they are through's.
func tcbSlopes(h, d []float64, s *Spec) (in, out []float64) {
	n := len(d)
	in, out = make([]float64, n+1), make([]float64, n+1)
	for i := 1; i < n; i++ {
		k := s.key(i)
		left := mul(1-k.Tension, mul(1+k.Bias, mul(h[i], d[i-1]))) / (h[i-1] + h[i])
		right := mul(1-k.Tension, mul(1-k.Bias, mul(h[i-1], d[i]))) / (h[i-1] + h[i])
		in[i] = mul(1-k.Continuity, left) + mul(1+k.Continuity, right)
		out[i] = mul(1+k.Continuity, left) + mul(1-k.Continuity, right)
	}
	if s.Ends == Secant {
		out[0], in[n] = mul(1-s.key(0).Tension, d[0]), mul(1-s.key(n).Tension, d[n-1])
	}
	return in, out
}
