package retime

import (
	"cmp"
	"math"
	"slices"

	"keenarc/core/curve"
	"keenarc/core/effort"
)

// With a limit of jerk the pace that is fastest without it is laid over a window of time: its
// mean over the window has a jerk of no more than a step of its acceleration through the
// window's length. For a straight way this is the S-curve itself (Biagiotti and Melchiorri
// 2008, chapter 3). Where the new curves are over a limit all the same, the pace or the
// acceleration there is drawn in, and it is tried again; what is left over is slowed.

// law is a length over time: even acceleration in each cell, at rest before and after.
type law struct {
	t, s, v, u, sum []float64 // time, length, pace, acceleration from here on, and the integral of length
}

func newLaw(p *part, x []float64) *law {
	t := p.times(x)
	n := len(p.ds)
	l := &law{t: t, s: make([]float64, n+1), v: make([]float64, n+1), u: make([]float64, n+1),
		sum: make([]float64, n+1)}
	for k := range n {
		h := t[k+1] - t[k]
		l.v[k], l.v[k+1] = math.Sqrt(x[k]), math.Sqrt(x[k+1])
		l.u[k] = (l.v[k+1] - l.v[k]) / h
		l.s[k+1] = l.s[k] + p.ds[k]
		l.sum[k+1] = l.sum[k] + h*(l.s[k]+h*(l.v[k]/2+h*l.u[k]/6))
	}
	return l
}

// at is length, pace, acceleration and the integral of length at a time, from at[0] cell on.
func (l *law) at(t float64, k *int) (s, v, u, sum float64) {
	n := len(l.t) - 1
	switch {
	case t <= 0:
		return 0, 0, 0, 0
	case t >= l.t[n]:
		return l.s[n], 0, 0, l.sum[n] + l.s[n]*(t-l.t[n])
	}
	for *k > 0 && l.t[*k] > t {
		*k--
	}
	for *k < n-1 && l.t[*k+1] <= t {
		*k++
	}
	h := t - l.t[*k]
	return l.s[*k] + h*(l.v[*k]+h*l.u[*k]/2), l.v[*k] + h*l.u[*k], l.u[*k],
		l.sum[*k] + h*(l.s[*k]+h*(l.v[*k]/2+h*l.u[*k]/6))
}

// softness is the part of the window that a step of acceleration needs at which jerk windows are
// tried: where steps follow one another a shorter one may do.
var softness = [...]float64{0.5, 0.7, 1}

// finalists is how many of those windows are looked at closely: the best by a coarser look.
const finalists = 2

// smoothly times a section within jerk, too. fast is what it is without.
func (w *way) smoothly(p *part, lim []Limits) (*laid, error) {
	if w.straight(p) {
		return w.shortest(p, lim, true)
	}
	tried := make([]*softening, len(softness))
	effort.Each(len(softness), func(i int) {
		tried[i] = w.softening(p, lim, softness[i])
		tried[i].drawn(coarse, coarseRounds)
	})
	slices.SortStableFunc(tried, func(a, b *softening) int { return cmp.Compare(a.takes, b.takes) })
	tried = tried[:finalists]
	effort.Each(finalists, func(i int) {
		tried[i].takes = math.Inf(1)
		tried[i].drawn(fine, fineRounds)
		tried[i].best.within(lim, 3)
	})
	if err := w.ctx.Err(); err != nil {
		return nil, err
	}
	best := tried[0].best
	if l := tried[1].best; l.duration() < best.duration() {
		best = l
	}
	return best, nil
}

// So often at most a section is tried again for one window: the first times, which only draw in,
// with fewer pieces; then, of which one is taken, with all.
const (
	coarseRounds = 7
	fineRounds   = 3
)

// Pieces to a window, and how many there are at the most.
var (
	coarse = [2]int{4, 4_000}
	fine   = [2]int{12, 12_000}
)

// softening is a section on its way to being within jerk by one window: what part of acceleration
// and of pace may be used where, and the best that came of it.
type softening struct {
	w          *way
	p          *part
	lim        []Limits
	window     float64
	slow, pace []float64
	takes      float64 // what the best takes, slowed to its limits
	best       *laid
	spare      *laid // what is not the best is laid over the next time
}

func (w *way) softening(p *part, lim []Limits, share float64) *softening {
	n := len(p.ds)
	s := &softening{w: w, p: p, lim: lim, slow: slices.Repeat([]float64{1}, n), pace: slices.Repeat([]float64{1}, n+1)}
	s.takes = math.Inf(1)
	w.bendCaps(p, lim, s.pace)
	l := newLaw(p, w.profile(p, lim, s.slow, w.fastest(p, lim, s.pace)))
	s.window = share * w.window(p, l, lim)
	return s
}

// drawn draws in so often at most, looking at so many pieces.
func (s *softening) drawn(pieces [2]int, rounds int) {
	for range rounds {
		if s.spare == nil {
			s.spare = &laid{}
		}
		l := newLaw(s.p, s.w.profile(s.p, s.lim, s.slow, s.w.fastest(s.p, s.lim, s.pace)))
		out := s.w.lawCurves(s.p, l, s.window, pieces, s.spare)
		most := s.w.drawIn(s.p, l, out, s.window, s.lim, s.slow, s.pace)
		if takes := out.duration() * slows(most); takes < s.takes || s.best == nil {
			s.best, s.spare, s.takes = out, s.best, takes
		}
		over := max(most[1], most[2], most[3])
		if over < 1.005 || over < 1.02 && pieces == coarse || s.w.ctx.Err() != nil {
			return
		}
	}
}

// bendCaps holds the pace where the change of curvature alone would be too much jerk.
func (w *way) bendCaps(p *part, lim []Limits, pace []float64) {
	free := w.fastest(p, lim, pace)
	var last []float64
	for k := range len(p.ds) - 1 { // at the ends it stands still, and may have no curvature
		next, _ := w.curvature(p.on[k], p.tau[k+1]-p.on[k].from)
		for i := range w.n {
			if last == nil {
				break
			}
			d := math.Abs(next[i]-last[i]) / p.ds[k]
			if d == 0 || math.IsInf(lim[i].Jerk, 1) {
				continue
			}
			v := math.Cbrt(lim[i].Jerk / d)
			for _, m := range [2]int{k, k + 1} {
				pace[m] = min(pace[m], v/math.Sqrt(free[m]))
			}
		}
		last = next
	}
}

// window is the time over which the greatest step of acceleration of an axis is within its
// jerk.
func (w *way) window(p *part, l *law, lim []Limits) float64 {
	out, before := 0.0, 0.0
	for k, u := range l.u {
		for i := range w.n {
			out = max(out, math.Abs(p.after[k][i]*(u-before))/lim[i].Jerk)
		}
		before = u
	}
	return max(out, 1e-6*l.t[len(l.t)-1])
}

// lawCurves lays pieces of degree five through the poses of a law that is laid over a window, in
// what room out has: so many to a window, and so many at the most.
func (w *way) lawCurves(p *part, l *law, window float64, pieces [2]int, out *laid) *laid {
	n := len(l.t) - 1
	whole := l.t[n] + window
	// Even parts, and where the law's acceleration steps.
	most := 0.0
	for k := range l.u {
		most = max(most, math.Abs(l.u[k]))
	}
	count := int(min(max(whole/(window/float64(pieces[0])), 200), float64(pieces[1])))
	at := slices.Grow(out.t[:0], count+n/8)
	for k := range count + 1 {
		at = append(at, whole*float64(k)/float64(count))
	}
	before := 0.0
	for k, u := range l.u {
		if math.Abs(u-before) > 0.05*most {
			at = append(at, l.t[k], l.t[k]+window)
		}
		before = u
	}
	at = distinct(at)
	least := whole / float64(count) / 20
	keep := at[:1]
	for _, t := range at[1:] {
		if t-keep[len(keep)-1] >= least {
			keep = append(keep, t)
		}
	}
	keep[len(keep)-1] = whole
	out.t, out.tau = keep, out.tau[:0]
	if out.c == nil {
		out.c = make([][]curve.Poly, w.n)
	}
	for i := range out.c {
		out.c[i] = slices.Grow(out.c[i][:0], len(keep))
	}
	var ka, kb, kc int
	var cell ends
	from := 0.0 // length at the beginning of cell kc
	last := make([]curve.Sample, w.n)
	now := make([]curve.Sample, w.n)
	for m, t := range out.t {
		sa, va, _, ia := l.at(t-window, &ka)
		sb, vb, _, ib := l.at(t, &kb)
		s, v, u := (ib-ia)/window, (sb-sa)/window, (vb-va)/window
		for kc < len(p.ds)-1 && s > from+p.ds[kc] {
			from += p.ds[kc]
			kc++
		}
		tau := w.place(p, kc, s-from, &cell)
		if m == 0 {
			tau, v, u = p.tau[0], 0, 0
		}
		if m == len(out.t)-1 {
			tau, v, u = p.tau[len(p.tau)-1], 0, 0
		}
		if m > 0 { // a length that is rounded may lie before the last one, where hardly anything moves
			tau = max(tau, out.tau[m-1])
		}
		w.pose(p.on[kc], tau-p.on[kc].from, v, u, now)
		out.tau = append(out.tau, tau)
		if m > 0 {
			h := t - out.t[m-1]
			for i := range now {
				a, b := last[i], now[i]
				b.P -= a.P
				base := a.P
				a.P = 0
				q := curve.Fifth(h, a, b)
				q[0] = base
				out.c[i] = append(out.c[i], q)
			}
		}
		copy(last, now)
	}
	return out
}

// ends are what a cell's ends say of where a length lies in it: a piece of degree five, kept while
// one cell is looked at.
type ends struct {
	of   *stretch
	a, b float64
	c    [6]float64 // of the length's share of the cell's
}

// see lays the piece through the old timing's place, pace and change of pace at both ends; where it
// rests at one, a straight line.
func (e *ends) see(w *way, s *stretch, a, b, length float64) {
	*e = ends{of: s, a: a, b: b, c: [6]float64{a, b - a}}
	var v, d [2]float64
	for n, u := range [2]float64{a, b} {
		pace, change := w.pace(s, u), 0.0
		if pace == 0 {
			return
		}
		for i := range s.p {
			x := s.p[i].At(u)
			change += x.V * x.A * w.weight[i] * w.weight[i]
		}
		v[n] = length / pace
		d[n] = -change / pace / pace / pace / pace * length * length // dpace = change ÷ pace
	}
	q, r, t := b-a-v[0]-d[0]/2, v[1]-v[0]-d[0], d[1]-d[0]
	e.c = [6]float64{a, v[0], d[0] / 2, 10*q - 4*r + t/2, 7*r - 15*q - t, 6*q - 3*r + t/2}
}

// place is the old time at which a length from the beginning of cell k was gone. It begins at what
// the cell's ends say, and goes on with Newton's steps; what is left after a step is about its
// square.
func (w *way) place(p *part, k int, length float64, e *ends) float64 {
	s := p.on[k]
	a, b := p.tau[k]-s.from, p.tau[k+1]-s.from
	if length <= 0 {
		return s.from + a
	}
	if length >= p.ds[k] {
		return s.from + b
	}
	if e.of != s || e.a != a || e.b != b {
		e.see(w, s, a, b, p.ds[k])
	}
	lo, hi := a, b
	t, c := length/p.ds[k], &e.c
	u := ((((c[5]*t+c[4])*t+c[3])*t+c[2])*t+c[1])*t + c[0]
	if !(u > a && u < b) {
		u = a + (b-a)*t
	}
	for range 60 {
		d := w.length(s, a, u) - length
		if d > 0 {
			hi = u
		} else {
			lo = u
		}
		next := u - d/w.pace(s, u)
		newton := next > lo && next < hi
		if !newton {
			next = lo + (hi-lo)/2
		}
		if newton && math.Abs(next-u) <= 1e-7*(b-a) || next == u {
			return s.from + next
		}
		u = next
	}
	return s.from + u
}

// pose is where the axes are at a place of a stretch, with what a pace and an acceleration
// along the way make of them.
func (w *way) pose(s *stretch, u, v, a float64, out []curve.Sample) {
	vv, va := 0.0, 0.0
	for i := range s.p {
		x := s.p[i].At(u)
		out[i] = x
		vv += x.V * x.V * w.weight[i] * w.weight[i]
		va += x.V * x.A * w.weight[i] * w.weight[i]
	}
	if vv == 0 || v == 0 && a == 0 {
		for i := range out {
			out[i].V, out[i].A = 0, 0
		}
		return
	}
	// by length: the direction V/√vv, the curvature (A − V·va/vv)/vv
	for i := range out {
		d, c := out[i].V/math.Sqrt(vv), (out[i].A-out[i].V*va/vv)/vv
		out[i].V, out[i].A = d*v, d*a+c*v*v
	}
}

// drawIn lowers the pace or the acceleration where the curves are over a limit, and says the
// greatest shares of speed, acceleration and jerk. It looks at five places of each piece: what
// is between them is found when the best is held against its limits exactly.
func (w *way) drawIn(p *part, l *law, out *laid, window float64, lim []Limits, slow, pace []float64) (most [4]float64) {
	n := len(p.ds)
	slower, gentler := make([]float64, n+1), make([]float64, n)
	for k := range gentler {
		gentler[k] = 1
	}
	for k := range slower {
		slower[k] = 1
	}
	var ka, kb int
	for m := range len(out.t) - 1 {
		mid := (out.t[m] + out.t[m+1]) / 2
		top, order, axis := 0.0, 0, 0
		for i := range out.c {
			var of [4]float64
			for k := range 5 {
				s := out.c[i][m].At((out.t[m+1] - out.t[m]) * float64(k) / 4)
				of[1], of[2], of[3] = max(of[1], math.Abs(s.V)), max(of[2], math.Abs(s.A)), max(of[3], math.Abs(s.J))
			}
			of[1], of[2], of[3] = of[1]/lim[i].Speed, of[2]/lim[i].Acceleration, of[3]/lim[i].Jerk
			for o := 1; o <= 3; o++ {
				if most[o] = max(most[o], of[o]); of[o] > top {
					top, order, axis = of[o], o, i
				}
			}
		}
		if top <= 1 {
			continue
		}
		_, va, ua, _ := l.at(mid-window, &ka)
		_, vb, ub, _ := l.at(mid, &kb)
		// What the acceleration along the way has part in, the rest being the bends of the way.
		along, all := (vb-va)/window, out.c[axis][m].At((out.t[m+1]-out.t[m])/2)
		whole := all.A
		if order == 3 {
			along, whole = (ub-ua)/window, all.J
		}
		along *= p.after[min(kb, n)][axis]
		lo, hi := min(ka, kb), max(ka, kb)
		if order == 1 || math.Abs(whole-along) > math.Abs(along) {
			for k := lo; k <= min(hi+1, n); k++ {
				slower[k] = min(slower[k], math.Pow(top, -1/float64(order)))
			}
			continue
		}
		for k := lo; k <= min(hi, n-1); k++ {
			gentler[k] = min(gentler[k], 1/top)
		}
	}
	for k := range slow {
		slow[k] *= gentler[k]
	}
	for k := range pace {
		pace[k] *= slower[k]
	}
	return most
}
