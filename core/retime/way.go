package retime

import (
	"context"
	"math"

	"keenarc/core/curve"
)

// stretch is a part of the old time over which every axis is one polynomial, from its start.
type stretch struct {
	from, to float64
	p        []curve.Poly
}

// Stretches is how many stretches the way of several axes has, over each of which every axis is
// one polynomial: what timing it anew takes grows with them.
func Stretches(curves []*curve.Curve) int {
	var knots []float64
	for _, c := range curves {
		knots = append(knots, c.X...)
	}
	return max(len(distinct(knots))-1, 0)
}

// stretches cuts the axes at all their knots.
func stretches(curves []*curve.Curve) []stretch {
	var knots []float64
	for _, c := range curves {
		knots = append(knots, c.X...)
	}
	knots = distinct(knots)
	out := make([]stretch, 0, len(knots))
	at := make([]int, len(curves))
	for k := 0; k+1 < len(knots); k++ {
		s := stretch{from: knots[k], to: knots[k+1], p: make([]curve.Poly, len(curves))}
		for i, c := range curves {
			switch {
			case s.to <= c.First():
				s.p[i] = curve.Poly{c.Wait()}
			case s.from >= c.Last():
				s.p[i] = curve.Poly{c.Rest()}
			default:
				for at[i] < len(c.C)-1 && c.X[at[i]+1] <= s.from {
					at[i]++
				}
				s.p[i] = c.C[at[i]].Shift(s.from - c.X[at[i]])
			}
		}
		out = append(out, s)
	}
	return out
}

// way is the move as a grid along its length: in order, waits and sections that begin and end
// with a stop.
type way struct {
	ctx    context.Context // of whoever waits for it
	n      int             // axes
	weight []float64
	turn   float64
	rounds int // how often a section is laid again without jerk
	parts  []part
}

// part is a wait, or a section: nodes with the old time, the pose, and the direction of travel
// there, from either side, and the length between them.
type part struct {
	wait   float64
	tau    []float64
	q      [][]float64
	before [][]float64 // direction at each node, in units of each axis by length, as it is come to
	after  [][]float64 // and as it is left
	ds     []float64   // length of each cell
	on     []*stretch  // and what it lies on
}

const (
	// corner is by how much two unit directions may differ and still be one.
	corner = 1e-6
	// cells is about how many parts a move is cut into; fewCells and mostCells bound a stretch.
	cells     = 4000
	fewCells  = 20
	mostCells = 600
	// turn is by how much the direction may change in a cell, as the length of the difference
	// of two unit directions; mostHalves bounds how often one is cut in two for it.
	turn       = 0.017
	turnJerk   = 0.04 // where jerk rounds everything off
	mostHalves = 7
	// tight is by how much the direction may change in what cannot be cut any finer: beyond it
	// the way is taken to turn on the spot there, and is a corner.
	tight = 0.3
)

// survey lays the grid.
func survey(ctx context.Context, curves []*curve.Curve, lim []Limits, jerk bool) *way {
	w := &way{ctx: ctx, n: len(curves), weight: make([]float64, len(curves)), turn: turn, rounds: mostRounds}
	if jerk {
		w.turn = turnJerk
	}
	for i, c := range curves {
		lo, _, hi, _ := c.Range()
		w.weight[i] = 1 / lim[i].Speed
		if math.IsInf(lim[i].Speed, 1) {
			w.weight[i] = 1 / max(hi-lo, 1e-300)
		}
	}
	all := stretches(curves)
	moving := 0
	for i := range all {
		if !w.still(&all[i]) {
			moving++
		}
	}
	each := min(max(cells/max(moving, 1), fewCells), mostCells)
	var open *part
	shut := func() {
		if open != nil {
			if open.prune(); len(open.ds) > 0 {
				w.parts = append(w.parts, *open)
			}
			open = nil
		}
	}
	for i := range all {
		s := &all[i]
		if w.still(s) {
			shut()
			if n := len(w.parts); n > 0 && w.parts[n-1].tau == nil {
				w.parts[n-1].wait += s.to - s.from
			} else {
				w.parts = append(w.parts, part{wait: s.to - s.from})
			}
			continue
		}
		cuts := append([]float64{0}, append(w.rests(s), s.to-s.from)...)
		for k := 0; k+1 < len(cuts); k++ {
			if cuts[k+1]-cuts[k] <= 1e-12*(s.to-s.from) {
				continue
			}
			for n, g := range w.lay(s, cuts[k], cuts[k+1], max(each/(len(cuts)-1), fewCells)) {
				if n == 0 && open != nil && w.joins(open, g, all, i, k, jerk) {
					open.join(g)
					continue
				}
				shut()
				open = g
			}
		}
	}
	shut()
	return w
}

// still reports whether nothing moves over a stretch.
func (w *way) still(s *stretch) bool {
	h := s.to - s.from
	for i, p := range s.p {
		x := h
		for k := 1; k < len(p); k++ {
			if math.Abs(p[k])*x*w.weight[i] > 1e-13*(1+math.Abs(p[0])*w.weight[i]) {
				return false
			}
			x *= h
		}
	}
	return true
}

// rests are the places inside a stretch at which everything stands still for a moment.
func (w *way) rests(s *stretch) []float64 {
	h := s.to - s.from
	// The axis that goes farthest decides; the others have to stand still with it.
	lead, most := 0, 0.0
	for i := range s.p {
		d := s.p[i].Derivative()
		for k := range 9 {
			if v := math.Abs(value(&d, h*float64(k)/8)) * w.weight[i]; v > most {
				lead, most = i, v
			}
		}
	}
	stands := func(u float64) bool {
		for i := range s.p {
			d := s.p[i].Derivative()
			if math.Abs(value(&d, u))*w.weight[i] > 1e-9*most {
				return false
			}
		}
		return true
	}
	d := s.p[lead].Derivative()
	// At an end that stands still the slope has a root of several folds, which rounding may
	// find a little inside.
	near := [2]float64{1e-9 * h, h * (1 - 1e-9)}
	if stands(0) {
		near[0] = 1e-4 * h
	}
	if stands(h) {
		near[1] = h * (1 - 1e-4)
	}
	var out []float64
	for _, u := range d.Roots(nil, 0, h) {
		if u > near[0] && u < near[1] && stands(u) {
			out = append(out, u)
		}
	}
	return out
}

func value(p *curve.Poly, u float64) float64 { return p.At(u).P }

// heading is the direction of travel at a place of a stretch, by length, as it is left (ahead)
// or come to: where it stands still for a moment, by the first derivative that does not.
func (w *way) heading(s *stretch, u float64, ahead bool) []float64 {
	h := s.to - s.from
	shifted := make([]curve.Poly, w.n)
	sizes := make([]float64, w.n)
	for i := range s.p {
		shifted[i] = s.p[i].Shift(u)
		for k, x := 1, h; k < 6; k, x = k+1, x*h {
			sizes[i] += math.Abs(s.p[i][k]) * x
		}
	}
	for k, x := 1, h; k < 6; k, x = k+1, x*h {
		norm, noise := 0.0, true
		for i := range shifted {
			c := shifted[i][k] * w.weight[i]
			norm += c * c
			noise = noise && math.Abs(shifted[i][k])*x <= 1e-9*sizes[i]
		}
		if noise {
			continue
		}
		sign := 1.0
		if !ahead && k%2 == 0 {
			sign = -1
		}
		out := make([]float64, w.n)
		for i := range out {
			out[i] = sign * shifted[i][k] / math.Sqrt(norm)
		}
		return out
	}
	return make([]float64, w.n)
}

// pace is how fast the length grows with the old time.
func (w *way) pace(s *stretch, u float64) float64 {
	v := 0.0
	for i := range s.p {
		p := &s.p[i]
		x := ((((5*p[5]*u+4*p[4])*u+3*p[3])*u+2*p[2])*u + p[1]) * w.weight[i]
		v += x * x
	}
	return math.Sqrt(v)
}

// length is the length between two places of a stretch: Gauss and Legendre's three points.
func (w *way) length(s *stretch, a, b float64) float64 {
	h := b - a
	return h / 18 * (5*w.pace(s, a+h*(0.5-math.Sqrt(0.15))) + 8*w.pace(s, a+h/2) + 5*w.pace(s,
		a+h*(0.5+math.Sqrt(0.15))))
}

// lay cuts a part of a stretch into cells; where it turns on the spot, into several parts.
func (w *way) lay(s *stretch, from, to float64, n int) []*part {
	g := &part{}
	all := []*part{g}
	node := func(u float64, d []float64) {
		q := make([]float64, w.n)
		for i := range q {
			q[i] = value(&s.p[i], u)
		}
		g.tau, g.q = append(g.tau, s.from+u), append(g.q, q)
		g.before, g.after = append(g.before, d), append(g.after, d)
	}
	var cut func(a, b float64, da, db []float64, halves int)
	cut = func(a, b float64, da, db []float64, halves int) {
		far := 0.0
		for i := range da {
			x := (da[i] - db[i]) * w.weight[i]
			far += x * x
		}
		if far > w.turn*w.turn && halves < mostHalves {
			m := a + (b-a)/2
			dm := w.heading(s, m, true)
			cut(a, m, da, dm, halves+1)
			cut(m, b, dm, db, halves+1)
			return
		}
		if far > tight*tight {
			m := a + (b-a)/2
			g.ds, g.on = append(g.ds, w.length(s, a, m)), append(g.on, s)
			node(m, da)
			g = &part{}
			all = append(all, g)
			node(m, db)
			g.ds, g.on = append(g.ds, w.length(s, m, b)), append(g.on, s)
			node(b, db)
			return
		}
		g.ds, g.on = append(g.ds, w.length(s, a, b)), append(g.on, s)
		node(b, db)
	}
	at := w.heading(s, from, true)
	node(from, at)
	for k := range n {
		a, b := from+(to-from)*float64(k)/float64(n), from+(to-from)*float64(k+1)/float64(n)
		next := w.heading(s, b, k+1 < n)
		cut(a, b, at, next, 0)
		at = next
	}
	return all
}

// joins reports whether the way goes on from one part to the next without a corner; with jerk,
// without a step of its curvature either.
func (w *way) joins(a, b *part, all []stretch, i, k int, jerk bool) bool {
	l, r := a.before[len(a.before)-1], b.after[0]
	for n := range l {
		if math.Abs(l[n]-r[n])*w.weight[n] > corner {
			return false
		}
	}
	if !jerk || k > 0 {
		return true
	}
	return w.bends(&all[i-1], all[i-1].to-all[i-1].from, &all[i], 0)
}

// bends reports whether the second derivative by length is the same on both sides.
func (w *way) bends(a *stretch, u float64, b *stretch, v float64) bool {
	l, lsize := w.curvature(a, u)
	r, rsize := w.curvature(b, v)
	size := 0.0
	for i := range l {
		size = max(size, math.Abs(l[i])*w.weight[i], math.Abs(r[i])*w.weight[i])
	}
	for i := range l {
		if math.Abs(l[i]-r[i])*w.weight[i] > 1e-6*size+1e-10*(lsize+rsize) {
			return false
		}
	}
	return true
}

// curvature is the second derivative by length, 0 where it stands still, and the size of what
// it is the difference of.
func (w *way) curvature(s *stretch, u float64) (out []float64, size float64) {
	out = make([]float64, w.n)
	vv, va := 0.0, 0.0
	for i := range s.p {
		x := s.p[i].At(u)
		vv += x.V * x.V * w.weight[i] * w.weight[i]
		va += x.V * x.A * w.weight[i] * w.weight[i]
	}
	if vv == 0 {
		return out, 0
	}
	for i := range s.p {
		x := s.p[i].At(u)
		out[i] = (x.A - x.V*va/vv) / vv
		size += math.Abs(x.A) * w.weight[i] / vv
	}
	return out, size
}

func (p *part) join(g *part) {
	last := len(p.tau) - 1
	p.after[last] = g.after[0]
	p.tau, p.q = append(p.tau, g.tau[1:]...), append(p.q, g.q[1:]...)
	p.before, p.after = append(p.before, g.before[1:]...), append(p.after, g.after[1:]...)
	p.ds, p.on = append(p.ds, g.ds...), append(p.on, g.on...)
}

// least is the length of a cell, in parts of its section, below which it is rounding.
const least = 1e-13

// prune takes nodes out that are no way apart.
func (p *part) prune() {
	all := 0.0
	for _, d := range p.ds {
		all += d
	}
	n, far := 0, 0.0 // nodes that stay, and the way from the last of them
	last := len(p.tau) - 1
	for k := 1; k <= last; k++ {
		if far += p.ds[k-1]; far <= least*all && k < last {
			continue
		}
		if far <= least*all && n > 0 { // the end: the node before it goes
			far += p.ds[n-1]
			n--
		}
		n++
		p.tau[n], p.q[n], p.before[n], p.after[n] = p.tau[k], p.q[k], p.before[k], p.after[k]
		p.ds[n-1], p.on[n-1] = far, p.on[k-1]
		far = 0
	}
	p.tau, p.q, p.before, p.after, p.ds, p.on = p.tau[:n+1], p.q[:n+1], p.before[:n+1], p.after[:n+1],
		p.ds[:n], p.on[:n]
	if all == 0 {
		p.ds = nil
	}
}

// straight reports whether a section goes one way all along.
func (w *way) straight(p *part) bool {
	d := p.after[0]
	for k := range p.tau {
		for i := range d {
			if max(math.Abs(p.before[k][i]-d[i]), math.Abs(p.after[k][i]-d[i]))*w.weight[i] > 1e-9 {
				return false
			}
		}
	}
	return true
}
