package retime

import (
	"math"
	"slices"
)

func distinct(v []float64) []float64 {
	slices.Sort(v)
	return slices.Compact(v)
}

// line is |a·u + b·x| ≤ most: an axis's acceleration by the square of the pace, x, and the
// acceleration along the way, u.
type line struct{ a, b, most float64 }

// bounds are the least and the greatest u that the lines allow at x, each as a straight line in
// x: p + s·x.
func bounds(lines []line, x float64) (loP, loS, hiP, hiS float64) {
	loP, hiP = math.Inf(-1), math.Inf(1)
	for _, l := range lines {
		if l.a == 0 || math.IsInf(l.most, 1) {
			continue
		}
		a, b := l.a, l.b
		if a < 0 {
			a, b = -a, -b
		}
		if p, s := l.most/a, -b/a; p+s*x < hiP+hiS*x {
			hiP, hiS = p, s
		}
		if p, s := -l.most/a, -b/a; p+s*x > loP+loS*x {
			loP, loS = p, s
		}
	}
	return loP, loS, hiP, hiS
}

// cell writes the lines of cell k of a section: at its beginning and at its end, with the mean
// curvature between. slow is what part of the acceleration may be used in it.
func (w *way) cell(p *part, k int, lim []Limits, slow float64, out []line) []line {
	out = out[:0]
	h := p.ds[k]
	for i := range w.n {
		l := lim[i].Acceleration * slow
		a, b := p.after[k][i], p.before[k+1][i]
		c := (b - a) / h
		if a == 0 && b == 0 {
			continue
		}
		out = append(out, line{a, c, l}, line{b + 2*h*c, c, l})
	}
	return out
}

// mostPace is the greatest square of the pace that is reckoned with, where no limit is below it.
const mostPace = 1e30

// fastest is the greatest square of the pace at each node by the limits of speed.
func (w *way) fastest(p *part, lim []Limits, slow []float64) []float64 {
	out := make([]float64, len(p.tau))
	for k := range out {
		x := mostPace
		for i := range w.n {
			if d := max(math.Abs(p.before[k][i]), math.Abs(p.after[k][i])); d > 0 {
				v := lim[i].Speed / d
				x = min(x, v*v)
			}
		}
		out[k] = x * slow[k] * slow[k]
	}
	return out
}

// profile is the square of the pace at each node of a section, from rest to rest in the least
// time. slow, by cell, is the part of the acceleration that may be used, cap the greatest
// square of the pace.
func (w *way) profile(p *part, lim []Limits, slow, cap []float64) []float64 {
	n := len(p.ds)
	beta := make([]float64, n+1)
	var lines []line
	for k := n - 1; k >= 0; k-- {
		lines = w.cell(p, k, lim, slow[k], lines)
		x := cap[k]
		for _, l := range lines {
			if l.a == 0 && l.b != 0 {
				x = min(x, l.most/math.Abs(l.b))
			}
		}
		h := 2 * p.ds[k]
		// x + h·u within [0, beta]
		for range 80 {
			loP, loS, hiP, hiS := bounds(lines, x)
			if v := (beta[k+1] - x) / h; v < hiP+hiS*x {
				hiP, hiS = beta[k+1]/h, -1/h
			}
			if -x/h > loP+loS*x {
				loP, loS = 0, -1/h
			}
			if hiP+hiS*x >= loP+loS*x || hiS >= loS {
				break
			}
			next := (hiP - loP) / (loS - hiS)
			if !(next < x) {
				break
			}
			x = max(next, 0)
		}
		beta[k] = x
	}
	x := make([]float64, n+1)
	for k := range n {
		lines = w.cell(p, k, lim, slow[k], lines)
		_, _, hiP, hiS := bounds(lines, x[k])
		next := x[k] + 2*p.ds[k]*(hiP+hiS*x[k])
		// Where all but a stop is asked for, rounding must not make one of it: it would last for
		// ever. What that is too fast by is found when the curves are held against the limits.
		x[k+1] = max(min(next, beta[k+1]), 1e-8*beta[k+1])
	}
	x[n] = 0
	return x
}

// times are when the nodes of a section are passed, from 0.
func (p *part) times(x []float64) []float64 {
	t := make([]float64, len(x))
	for k := range p.ds {
		sum := math.Sqrt(x[k]) + math.Sqrt(x[k+1])
		if sum <= 0 {
			sum = 1e-30
		}
		t[k+1] = t[k] + 2*p.ds[k]/sum
	}
	return t
}
