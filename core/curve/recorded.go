package curve

import (
	"fmt"
	"math"
)

// leastRecorded is the fewest samples that a spline of degree five is laid through.
const leastRecorded = 4

// Recorded lays a C⁴ spline of degree five along samples that are step apart, the first at 0:
// of all curves that stay within tolerance of every sample about the smoothest, by the integral
// of its squared third derivative (de Boor, chapter XIV, for the third in place of the second).
// off is by how much it is beside a sample at most. Without tolerance it goes through all of
// them.
func Recorded(step float64, y []float64, tolerance float64) (c *Curve, off float64, err error) {
	switch {
	case !(step > 0 && step <= 1e12):
		return nil, 0, &KeyError{"x", fmt.Sprintf("samples %g apart", step), "give a distance above zero"}
	case len(y) < leastRecorded:
		return nil, 0, &KeyError{"y", fmt.Sprintf("%d samples", len(y)), fmt.Sprintf("give at least %d", leastRecorded)}
	case !(tolerance >= 0) || math.IsInf(tolerance, 1):
		return nil, 0, &KeyError{"tolerance", fmt.Sprintf("it is %g", tolerance),
			"give zero or more, in the samples' own unit"}
	}
	for i, v := range y {
		if !finite(v) {
			return nil, 0, &KeyError{fmt.Sprintf("y[%d]", i), "it is not a finite number", "give a number"}
		}
	}
	g, third := smoothed(y, 0)
	// In steps of a fourth of a power of two the stiffest that is near enough; what is nearer
	// than that to the next makes no difference to anybody.
	if tolerance > 0 {
		lo, hi := -80, 160
		for hi-lo > 1 {
			mid := (lo + hi) / 2
			s, _ := smoothed(y, stiff(mid))
			if apart(s, y) <= tolerance {
				lo = mid
			} else {
				hi = mid
			}
		}
		if s, t := smoothed(y, stiff(lo)); apart(s, y) <= tolerance {
			g, third = s, t
		}
	}
	c = quinticsThrough(step, g, third)
	return c, apart(g, y), c.usable(c.X)
}

// stiff is 2^(n/4) by multiplication alone: the same bits everywhere.
func stiff(n int) float64 {
	v := math.Ldexp(1, n>>2)
	for range n & 3 {
		v = mul(v, 1.189207115002721) // 2^(1/4)
	}
	return v
}

func apart(a, b []float64) float64 {
	most := 0.0
	for i := range a {
		most = max(most, math.Abs(a[i]-b[i]))
	}
	return most
}

// smoothed are the values at the samples and the third derivative's coefficients, by quadratic
// B-splines, of the spline that weighs closeness against stiffness, all for a step of 1: it
// solves (R + λ·DᵀD)·γ = Dᵀ·y for the third differences D, a band of three to either side, and
// the values are y − λ·D·γ.
func smoothed(y []float64, lambda float64) (g, third []float64) {
	n := len(y) - 3
	// Gram matrix of quadratic B-splines, and the differences' own: (−1, 3, −3, 1).
	r := [4]float64{66.0 / 120, 26.0 / 120, 1.0 / 120, 0}
	d := [4]float64{20, -15, 6, -1}
	var row [4]float64
	for k := range row {
		row[k] = r[k] + mul(lambda, d[k])
	}
	third = make([]float64, n)
	for i := range third {
		third[i] = y[i+3] - mul(3, y[i+2]) + mul(3, y[i+1]) - y[i]
	}
	// LDLᵀ of the band, without roots.
	diag := make([]float64, n)
	low := make([][3]float64, n) // low[i][k-1] is L at (i+k, i)
	for i := range n {
		v := row[0]
		for k := 1; k <= 3 && k <= i; k++ {
			v -= mul(mul(low[i-k][k-1], low[i-k][k-1]), diag[i-k])
		}
		diag[i] = v
		for k := 1; k <= 3 && i+k < n; k++ {
			s := row[k]
			for m := 1; m+k <= 3 && m <= i; m++ {
				s -= mul(mul(low[i-m][m+k-1], low[i-m][m-1]), diag[i-m])
			}
			low[i][k-1] = s / v
		}
	}
	for i := range n {
		for k := 1; k <= 3 && k <= i; k++ {
			third[i] -= mul(low[i-k][k-1], third[i-k])
		}
	}
	for i := n - 1; i >= 0; i-- {
		third[i] /= diag[i]
		for k := 1; k <= 3 && i+k < n; k++ {
			third[i] -= mul(low[i][k-1], third[i+k])
		}
	}
	g = append([]float64(nil), y...)
	if lambda == 0 {
		return g, third
	}
	for i, t := range third {
		v := mul(lambda, t)
		g[i] += v
		g[i+1] -= mul(3, v)
		g[i+2] += mul(3, v)
		g[i+3] -= v
	}
	return g, third
}

// quinticsThrough are the pieces with these values and a third derivative of these quadratic
// B-splines, the first of which begins at the first sample. Slopes and second derivatives come
// from neighbouring values alone, so that nothing adds up along a long record.
func quinticsThrough(step float64, g, third []float64) *Curve {
	n := len(g) - 1
	at := func(j int) float64 {
		if j < 0 || j >= len(third) {
			return 0
		}
		return third[j]
	}
	// On piece k the B-splines k−2, k−1 and k are at (1−s)²/2, (1+2s−2s²)/2 and s²/2.
	cubic := func(k int) (c3, c4, c5 float64) {
		a, b, c := at(k-2), at(k-1), at(k)
		return (a + b) / 12, (b - a) / 24, (a - mul(2, b) + c) / 120
	}
	// What the third derivative adds to the value a step on, and a step back from a piece's end.
	second := make([]float64, n+1)
	for k := 1; k < n; k++ {
		l3, l4, l5 := cubic(k - 1)
		r3, r4, r5 := cubic(k)
		// The piece before, seen backwards from its end: the third derivative turns its sign.
		b3, b4, b5 := -(l3 + mul(4, l4) + mul(10, l5)), l4+mul(5, l5), -l5
		second[k] = g[k+1] - mul(2, g[k]) + g[k-1] - (r3 + r4 + r5) - (b3 + b4 + b5)
	}
	// f″ at the ends, from the next one and the third derivative between.
	f3, f4, f5 := cubic(0)
	second[0] = second[1] - mul(6, f3) - mul(12, f4) - mul(20, f5)
	e3, e4, e5 := cubic(n - 1)
	second[n] = second[n-1] + mul(6, e3) + mul(12, e4) + mul(20, e5)
	c := &Curve{X: make([]float64, n+1), C: make([]Poly, n)}
	for k := range c.C {
		c3, c4, c5 := cubic(k)
		p := Poly{g[k], g[k+1] - g[k] - second[k]/2 - c3 - c4 - c5, second[k] / 2, c3, c4, c5}
		h := 1.0
		for o := range p {
			p[o] /= h
			h = mul(h, step)
		}
		c.X[k], c.C[k] = mul(float64(k), step), p
	}
	c.X[n] = mul(float64(n), step)
	return c
}
