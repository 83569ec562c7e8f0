package retime

import (
	"math"
	"slices"

	"keenarc/core/curve"
)

// laid is a section in its new time, from 0: for every axis pieces between the same times, and
// the old times that belong to them.
type laid struct {
	t, tau []float64
	c      [][]curve.Poly // by axis
}

func (l *laid) duration() float64 { return l.t[len(l.t)-1] }

// shares are the greatest shares of speed, acceleration and jerk in each piece.
func (l *laid) shares(lim []Limits, orders int, each func(k, order int, share float64)) {
	for i := range l.c {
		limits := [4]float64{0, lim[i].Speed, lim[i].Acceleration, lim[i].Jerk}
		for k := range l.c[i] {
			h := l.t[k+1] - l.t[k]
			for order := 1; order <= orders; order++ {
				if !math.IsInf(limits[order], 1) {
					each(k, order, greatest(&l.c[i][k], order, h)/limits[order])
				}
			}
		}
	}
}

// greatest is the greatest absolute derivative of a piece of length h.
func greatest(p *curve.Poly, order int, h float64) float64 {
	if p[4] != 0 || p[5] != 0 {
		one := curve.Curve{X: []float64{0, h}, C: []curve.Poly{*p}}
		v, _ := one.MaxAbs(order)
		return v
	}
	switch order {
	case 1:
		v := max(math.Abs(p[1]), math.Abs(p[1]+h*(2*p[2]+h*3*p[3])))
		if u := -p[2] / (3 * p[3]); u > 0 && u < h {
			v = max(v, math.Abs(p[1]+u*p[2]))
		}
		return v
	case 2:
		return max(math.Abs(2*p[2]), math.Abs(2*p[2]+6*p[3]*h))
	}
	return math.Abs(6 * p[3])
}

// stretched slows a section down evenly.
func (l *laid) stretched(by float64) {
	if by <= 1 {
		return
	}
	for k := range l.t {
		l.t[k] *= by
	}
	for i := range l.c {
		for k := range l.c[i] {
			x := 1.0
			for o := range l.c[i][k] {
				l.c[i][k][o] /= x
				x *= by
			}
		}
	}
}

// within slows a section down by what is over the limits, and says the greatest share after.
func (l *laid) within(lim []Limits, orders int) float64 {
	var most [4]float64
	l.shares(lim, orders, func(_, order int, share float64) { most[order] = max(most[order], share) })
	by := slows(most)
	if by > 1 {
		by *= 1 + 1e-12
		l.stretched(by)
	}
	worst := 0.0
	for order, share := range most {
		worst = max(worst, share/math.Pow(by, float64(order)))
	}
	return worst
}

// slows is by what a time has to be longer for shares of speed, acceleration and jerk of no
// more than one.
func slows(most [4]float64) float64 {
	return max(1, most[1], math.Sqrt(most[2]), math.Cbrt(most[3]))
}

// hermite lays cubics through the nodes at these times, into what is not needed any more.
func (w *way) hermite(p *part, t, x []float64, l *laid) *laid {
	if l == nil {
		l = &laid{tau: slices.Clone(p.tau), c: make([][]curve.Poly, w.n)}
		for i := range w.n {
			l.c[i] = make([]curve.Poly, len(p.ds))
		}
	}
	l.t = append(l.t[:0], t...)
	root := make([]float64, len(x))
	for k := range x {
		root[k] = math.Sqrt(x[k])
	}
	for i := range w.n {
		for k := range p.ds {
			h := t[k+1] - t[k]
			v0, v1 := p.after[k][i]*root[k], p.before[k+1][i]*root[k+1]
			d := (p.q[k+1][i] - p.q[k][i]) / h
			l.c[i][k] = curve.Poly{p.q[k][i], v0, (3*d - 2*v0 - v1) / h, (v0 + v1 - 2*d) / (h * h)}
		}
	}
	return l
}

// mostRounds bounds how often a section is laid again with less acceleration where it was over.
const mostRounds = 14

// section times a section: the least time within speed and acceleration, and the curves.
func (w *way) section(p *part, lim []Limits) (least float64, out *laid, err error) {
	if w.straight(p) {
		if out, err = w.shortest(p, lim, false); err != nil {
			return 0, nil, err
		}
		return out.duration(), out, nil
	}
	n := len(p.ds)
	slow, pace := make([]float64, n), make([]float64, n+1)
	for k := range slow {
		slow[k] = 1
	}
	for k := range pace {
		pace[k] = 1
	}
	best := 0.0
	var spare *laid
	for round := range w.rounds {
		x := w.profile(p, lim, slow, w.fastest(p, lim, pace))
		t := p.times(x)
		if round == 0 {
			least = t[n]
		}
		l := w.hermite(p, t, x, spare)
		over := make([]float64, n)
		var most [4]float64
		l.shares(lim, 2, func(k, order int, share float64) {
			most[order] = max(most[order], share)
			if order == 2 {
				over[k] = max(over[k], share)
			} else if share > 1 {
				pace[k] /= share
				pace[k+1] /= share
			}
		})
		if takes := t[n] * slows(most); out == nil || takes < best {
			out, spare, best = l, out, takes
		} else {
			spare = l
		}
		if most[2] < 1+1e-3 && most[1] < 1+5e-4 {
			break
		}
		for k := range slow {
			o := over[k]
			// What is over in a cell may come from the pace that it is entered with.
			beside := max(over[max(k-1, 0)], over[min(k+1, n-1)])
			if o = max(o, 1+(beside-1)/2); o > 1 {
				slow[k] /= o
			}
		}
	}
	return least, out, nil
}

// shortest times a section that goes one way all along, exactly.
func (w *way) shortest(p *part, lim []Limits, jerk bool) (*laid, error) {
	d := p.after[0]
	length, lead := 0.0, 0
	for _, x := range p.ds {
		length += x
	}
	for i := range d {
		if math.Abs(d[i])*w.weight[i] > math.Abs(d[lead])*w.weight[lead] {
			lead = i
		}
	}
	// Counted in the unit of the axis that moves most.
	unit := math.Abs(d[lead])
	length *= unit
	b := curve.Bounds{Speed: math.Inf(1), Acceleration: math.Inf(1)}
	if jerk {
		b.Jerk = math.Inf(1)
	}
	for i := range d {
		if a := math.Abs(d[i]) / unit; a > 0 {
			b.Speed = min(b.Speed, lim[i].Speed/a)
			b.Acceleration = min(b.Acceleration, lim[i].Acceleration/a)
			if jerk {
				b.Jerk = min(b.Jerk, lim[i].Jerk/a)
			}
		}
	}
	// What has no limit is used as if it had a very wide one: a millionth of the time goes to it.
	if math.IsInf(b.Speed, 1) {
		b.Speed = 1e3 * math.Sqrt(b.Acceleration*length)
	}
	if math.IsInf(b.Acceleration, 1) {
		b.Acceleration = 1e6 * b.Speed * b.Speed / length
	}
	if jerk && math.IsInf(b.Jerk, 1) {
		b.Jerk = 1e6 * b.Acceleration * max(b.Acceleration/b.Speed, math.Sqrt(b.Acceleration/length))
	}
	s, err := curve.Shortest(length, b)
	if err != nil || !(s.Duration < math.Inf(1)) {
		return nil, &Error{Axis: lead, Wrong: "its way and its limits are too far apart to compute",
			Want: "give numbers that are nearer to each other"}
	}
	dir := make([]float64, w.n)
	for i := range dir {
		dir[i] = d[i] / unit
	}
	d = dir
	l := &laid{t: []float64{0}, tau: []float64{p.tau[0]}, c: make([][]curve.Poly, w.n)}
	rates := [][3]float64{{b.Acceleration}, {0}, {-b.Acceleration}} // acceleration, jerk of each phase
	if jerk {
		j := b.Jerk
		rates = [][3]float64{{0, j}, {1, 0}, {1, -j}, {0, 0}, {0, -j}, {1, 0}, {1, j}}
	}
	at, v, acc := 0.0, 0.0, 0.0
	for k, h := range s.Phases {
		if h <= 0 {
			continue
		}
		a, j := rates[k][0], rates[k][1]
		if jerk {
			a = acc
		}
		for i := range w.n {
			l.c[i] = append(l.c[i], curve.Poly{p.q[0][i] + d[i]*at, d[i] * v, d[i] * a / 2, d[i] * j / 6})
		}
		at += v*h + a*h*h/2 + j*h*h*h/6
		v += a*h + j*h*h/2
		acc = a + j*h
		l.t = append(l.t, l.t[len(l.t)-1]+h)
		l.tau = append(l.tau, w.when(p, at/unit))
	}
	l.tau[len(l.tau)-1] = p.tau[len(p.tau)-1]
	return l, nil
}

// when is the old time at which a length of the section was gone.
func (w *way) when(p *part, length float64) float64 {
	for k, d := range p.ds {
		if length <= d || k == len(p.ds)-1 {
			return w.place(p, k, length, &ends{})
		}
		length -= d
	}
	return p.tau[len(p.tau)-1]
}

// time puts the parts one after another.
func (w *way) time(r *Result, lim []Limits, jerk bool) error {
	r.Curves = make([]*curve.Curve, w.n)
	for i := range r.Curves {
		r.Curves[i] = &curve.Curve{X: []float64{0}}
	}
	orders := 2
	if jerk {
		orders = 3
	}
	at, least := 0.0, 0.0
	for k := range w.parts {
		if err := w.ctx.Err(); err != nil {
			return err
		}
		p := &w.parts[k]
		r.Stops = append(r.Stops, at)
		if p.tau == nil {
			least += p.wait
			if p.wait <= 0 {
				continue
			}
			from := r.old[0].First()
			if len(r.tau) > 0 {
				from = r.tau[len(r.tau)-1]
			}
			r.t, r.tau = append(r.t, at, at+p.wait), append(r.tau, from, from+p.wait)
			at += p.wait
			for i, c := range r.Curves {
				c.X, c.C = append(c.X, at), append(c.C, curve.Poly{r.old[i].At(from + p.wait/2).P})
			}
			continue
		}
		var l *laid
		var err error
		bound := 0.0
		if jerk {
			l, err = w.smoothly(p, lim)
		} else {
			bound, l, err = w.section(p, lim)
		}
		if err != nil {
			return err
		}
		least += min(bound, l.duration())
		r.WorstShare = max(r.WorstShare, l.within(lim, orders))
		for j := range l.t {
			r.t, r.tau = append(r.t, at+l.t[j]), append(r.tau, l.tau[j])
			if j == 0 {
				continue
			}
			for i, c := range r.Curves {
				c.X, c.C = append(c.X, at+l.t[j]), append(c.C, l.c[i][j-1])
			}
		}
		at += l.duration()
	}
	r.Duration, r.Stops = at, append(r.Stops, at)
	if !jerk {
		r.LowerBound = least
	}
	for i, c := range r.Curves {
		if len(c.C) == 0 {
			c.X, c.C = append(c.X, 0), []curve.Poly{{r.old[i].Wait()}}
		}
		for _, p := range c.C {
			for _, v := range p {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					return &Error{Axis: i, Wrong: "its way and its limits are too far apart to compute",
						Want: "give numbers that are nearer to each other"}
				}
			}
		}
	}
	if math.IsNaN(r.Duration) || math.IsInf(r.Duration, 0) {
		return &Error{Wrong: "it would take for ever", Want: "give numbers that are nearer to each other"}
	}
	return nil
}

// Old is the time in the original move that is due at t: between nodes, where the axis that
// moves most there is at the same place.
func (r *Result) Old(t float64) float64 {
	if len(r.t) == 0 {
		return r.old[0].First()
	}
	k, _ := slices.BinarySearch(r.t, t)
	k = min(max(k, 1), len(r.t)-1)
	if t <= r.t[0] {
		return r.tau[0]
	}
	if t >= r.t[len(r.t)-1] {
		return r.tau[len(r.tau)-1]
	}
	a, b := r.tau[k-1], r.tau[k]
	if !(b > a) || !(r.t[k] > r.t[k-1]) {
		return a
	}
	lead, most := -1, 0.0
	for i, c := range r.old {
		if d := math.Abs(c.At(b).P-c.At(a).P) / r.sizes[i]; d > most {
			lead, most = i, d
		}
	}
	if lead < 0 || r.even {
		return a + (b-a)*(t-r.t[k-1])/(r.t[k]-r.t[k-1])
	}
	want, rising := r.Curves[lead].At(t).P, r.old[lead].At(b).P > r.old[lead].At(a).P
	for range 80 {
		m := a + (b-a)/2
		if m <= a || m >= b {
			break
		}
		if (r.old[lead].At(m).P < want) == rising {
			a = m
		} else {
			b = m
		}
	}
	return a + (b-a)/2
}
