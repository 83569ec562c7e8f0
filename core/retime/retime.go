// Package retime keeps the way of a move, which poses in which order, and gives it another
// timing: the least time within speed and acceleration on all axes, and nearly the least
// within jerk, too.
//
// The way is parametrised by the length that is travelled, each axis weighted by its limit of
// speed: by the old time it would be singular wherever the move rests. On a grid along it the
// square of the pace is found by the reachability analysis of time-optimal path
// parameterisation (Pham and Pham 2018): backwards the fastest from which what follows can still
// be kept, forwards the greatest that is within it. Stretches without motion keep their length;
// a corner is a stop. What comes out are new curves of each axis, exact polynomials, held
// against the limits exactly, and slowed by what is left over.
package retime

import (
	"cmp"
	"context"
	"fmt"
	"math"

	"keenarc/core/curve"
	"keenarc/core/effort"
)

// Limits are what one axis may do by second; +Inf where there is no limit.
type Limits struct{ Speed, Acceleration, Jerk float64 }

// Error says which axis cannot be timed anew, and what would be right.
type Error struct {
	Axis  int     // its index
	At    float64 // in the old time
	Wrong string
	Want  string
}

func (e *Error) Error() string { return fmt.Sprintf("axis %d: %s; %s", e.Axis, e.Wrong, e.Want) }

// Result is the move in its new time, from 0 on.
type Result struct {
	Duration float64
	// LowerBound is the least time within speed and acceleration.
	LowerBound float64
	Curves     []*curve.Curve
	WorstShare float64
	Stops      []float64 // when it stands still, in the new time: its ends, corners and the ends of waits
	t, tau     []float64 // new and old times that belong together, rising
	old        []*curve.Curve
	sizes      []float64 // how far each axis goes
	even       bool      // it is the old timing, slowed or quickened evenly
}

// Gap is how much longer it is than the bound, in parts of it.
func (r *Result) Gap() float64 {
	if r.LowerBound == 0 {
		return 0
	}
	return max(r.Duration/r.LowerBound-1, 0)
}

// leastLimit is the least that a limit may be: a move within less would last for ever.
const leastLimit = 1e-12

// New times the move of several axes over the same abscissa, seconds, anew. With jerk the new
// curves are C² and within the limits of it, without C¹. It ends with the context.
func New(ctx context.Context, curves []*curve.Curve, lim []Limits, jerk bool) (*Result, error) {
	if len(curves) == 0 || len(curves) != len(lim) {
		return nil, &Error{Wrong: fmt.Sprintf("%d axes with %d limits", len(curves), len(lim)),
			Want: "give limits for each axis"}
	}
	for i, l := range lim {
		if !(l.Speed >= leastLimit && l.Acceleration >= leastLimit) || jerk && !(l.Jerk >= leastLimit) {
			return nil, &Error{Axis: i, Wrong: "a limit is not above zero, or hardly",
				Want: fmt.Sprintf("give one of %g at least", leastLimit)}
		}
		if math.IsInf(l.Speed, 1) && math.IsInf(l.Acceleration, 1) {
			if lo, _, hi, _ := curves[i].Range(); lo != hi {
				return nil, &Error{Axis: i, Wrong: "it has no limit of speed or acceleration",
					Want: "give one: without any it takes no time"}
			}
		}
		for _, j := range curves[i].Jumps(0) {
			return nil, &Error{Axis: i, At: j.At, Wrong: fmt.Sprintf("it jumps by %.6g at %.6g s", j.By, j.At),
				Want: "let it move there: a jump has no way"}
		}
	}
	r := &Result{old: curves}
	for _, c := range curves {
		lo, _, hi, _ := c.Range()
		r.sizes = append(r.sizes, max(hi-lo, 1e-300))
	}
	if !jerk {
		return r, survey(ctx, curves, lim, false).time(r, lim, false)
	}
	soft := &Result{old: curves, sizes: r.sizes}
	var failed [2]error
	effort.Each(2, func(i int) {
		if i == 1 {
			failed[1] = survey(ctx, curves, lim, true).time(soft, lim, true)
			return
		}
		w := survey(ctx, curves, lim, false)
		w.rounds = 1 // only how short it could be without a limit of jerk
		failed[0] = w.time(r, lim, false)
	})
	if err := cmp.Or(failed[0], failed[1]); err != nil {
		return nil, err
	}
	if even := r.slowed(lim); even != nil && even.Duration < soft.Duration {
		soft = even
	}
	soft.LowerBound = min(r.LowerBound, soft.Duration) // it is within speed and acceleration, too
	return soft, nil
}

// slowed is the old timing, slowed evenly or quickened until a limit is reached; nil where it is
// none with jerk: it does not begin and end at rest, or its acceleration steps.
func (r *Result) slowed(lim []Limits) *Result {
	var most [4]float64
	first, last := r.old[0].First(), r.old[0].Last()
	for i, c := range r.old {
		first, last = min(first, c.First()), max(last, c.Last())
		v, _ := c.MaxAbs(1)
		a, _ := c.MaxAbs(2)
		j, _ := c.MaxAbs(3)
		for _, s := range [2]curve.Sample{c.At(c.First()), c.End()} {
			if math.Abs(s.V) > 1e-9*v || math.Abs(s.A) > 1e-9*a {
				return nil
			}
		}
		if len(c.Jumps(2)) > 0 {
			return nil
		}
		for order, share := range [4]float64{0, v / lim[i].Speed, a / lim[i].Acceleration, j / lim[i].Jerk} {
			most[order] = max(most[order], share)
		}
	}
	by := max(most[1], math.Sqrt(most[2]), math.Cbrt(most[3])) * (1 + 1e-12)
	if !(by > 0) || math.IsInf(by, 0) || !(last > first) {
		return nil
	}
	out := &Result{old: r.old, sizes: r.sizes, even: true, Duration: (last - first) * by,
		t: []float64{0, (last - first) * by}, tau: []float64{first, last}}
	for order, share := range most {
		out.WorstShare = max(out.WorstShare, share/math.Pow(by, float64(order)))
	}
	out.Stops = []float64{0, out.Duration}
	for _, s := range stretches(r.old) { // all over the same abscissa
		x := (s.from - first) * by
		if len(out.Curves) == 0 {
			out.Curves = make([]*curve.Curve, len(r.old))
			for i := range out.Curves {
				out.Curves[i] = &curve.Curve{X: []float64{x}}
			}
		}
		for i, c := range out.Curves {
			q, k := s.p[i], 1.0
			for o := range q {
				q[o] /= k
				k *= by
			}
			c.X, c.C = append(c.X, (s.to-first)*by), append(c.C, q)
		}
	}
	return out
}
