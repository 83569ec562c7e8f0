package limit

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"sort"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/effort"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// CheckOn is Check on a clock that may change its speed: at its greatest speed everywhere,
// and with the full expressions, q″ḟ² + q′f̈ and the jerk likewise, while it eases. Where a
// clock may be steered anywhere the largest of |q″|ḟ² + |q′|·f̈ counts, at every frame, and for
// the jerk that of |q‴|ḟ³ + 3|q″|ḟ·f̈ + |q′|·f⃛, each at its most: it may be less than said, since
// they are not so at one moment. The maxima in eases are certified to a billionth.
func CheckOn(m *path.Motion, r *rig.Rig, c clock.Clock, which func(*rig.Axis) rig.Limits) *Report {
	fps := c.MaxSpeed()
	rep := Check(m, r, fps, which)
	eases, tr := c.Eases(), c.Traits()
	if len(eases) == 0 && tr.Free == 0 {
		return rep
	}
	for i := range r.Axes {
		x, a, lim := &rep.Axes[i], &r.Axes[i], which(&r.Axes[i])
		quick, jerky := worstEase(m.Curves[i], eases, 2, x.Acceleration), eased{}
		if lim.Jerk > 0 {
			jerky = worstEase(m.Curves[i], eases, 3, x.Jerk)
		}
		if tr.Free > 0 {
			whole := eased{from: float64(m.Start()), to: float64(m.End())}
			if v, at := steered(m.Curves[i], [4]float64{0, tr.Free, fps * fps, 0}); v > quick.most {
				quick = whole
				quick.most, quick.at = v, at
			}
			if v, at := steered(m.Curves[i], [4]float64{0, tr.Jolt, 3 * fps * tr.Free, fps * fps * fps}); lim.Jerk >
				0 && v > jerky.most {
				jerky = whole
				jerky.most, jerky.at = v, at
			}
		}
		for _, w := range [...]struct {
			q    Quantity
			peak *Peak
			lim  float64
			e    eased
		}{{Acceleration, &x.Acceleration, lim.Acceleration, quick}, {Jerk, &x.Jerk, lim.Jerk, jerky}} {
			if !(w.e.most > w.peak.Max) {
				continue
			}
			*w.peak = Peak{Max: w.e.most, Limit: w.lim, Share: w.e.most / w.lim, At: w.e.at}
			if w.peak.Share > x.Share {
				x.Share, x.ShareAt = w.peak.Share, w.e.at
			}
			if w.peak.Share > 1 {
				rep.Violations = append(rep.Violations, Violation{Axis: a.ID, Quantity: w.q, From: w.e.from, To: w.e.to,
					At: w.e.at, Share: w.peak.Share, Over: w.e.most - w.lim})
			}
		}
	}
	sort.SliceStable(rep.Violations, func(i, j int) bool {
		a, b := rep.Violations[i], rep.Violations[j]
		return a.Quantity == Range && b.Quantity != Range || (a.Quantity == Range) == (b.Quantity == Range) &&
			a.Share > b.Share
	})
	return rep
}

// CanFollow refuses a clock that changes its speed at once where an axis moves, and one that
// comes around where the move does not end as it begins.
func CanFollow(m *path.Motion, r *rig.Rig, c clock.Clock) error {
	for i, q := range m.Curves {
		a := &r.Axes[i]
		first, last := q.At(q.First()).P, q.End().P
		if off := math.Abs(last - first); c.Traits().Round > 0 && off > step(a)/4 {
			return fmt.Errorf("way: around, where %s ends %.4g %s from where it begins; close the move, or go "+
				"there and back", a.Name, off, a.Unit.Symbol())
		}
	}
	for _, f := range c.Stops() {
		for i, q := range m.Curves {
			most, _ := q.MaxAbs(1)
			if v := q.At(float64(f)).V; f > m.Start() && f < m.End() && math.Abs(v) > most/1000 && math.Abs(v) >
				step(&r.Axes[i])/100 {
				return fmt.Errorf("clock: it stops at frame %s, where %s is moving; wait only where everything stands "+
					"still, or give it an ease", Frame4(float64(f)), r.Axes[i].Name)
			}
		}
	}
	return nil
}

func step(a *rig.Axis) float64 {
	return math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
}

// steered is the largest of w₁|q′| + w₂|q″| + w₃|q‴| over a curve, and where: from the roots of
// the sums with either sign of each on the pieces.
func steered(c *curve.Curve, w [4]float64) (most, at float64) {
	for signs := range 4 {
		w := w
		if signs&1 > 0 {
			w[1] = -w[1]
		}
		if signs&2 > 0 {
			if w[3] == 0 {
				break
			}
			w[3] = -w[3]
		}
		sum := &curve.Curve{X: c.X, C: make([]curve.Poly, len(c.C))}
		for i := range c.C {
			d := c.C[i]
			for n := 1; n < len(w); n++ {
				d = d.Derivative()
				for k := range sum.C[i] {
					sum.C[i][k] += w[n] * d[k]
				}
			}
		}
		if x, f := sum.MaxAbs(0); x > most {
			most, at = x, f
		}
	}
	return most, at
}

// eased is the worst of an axis while a clock eases: at a frame, in an ease's frames.
type eased struct{ most, at, from, to float64 }

// worstEase is the largest of a time derivative (order 2 or 3) of a curve over the eases of
// a clock that is above a peak, if any is. Eases that cannot be are left out by a bound.
func worstEase(c *curve.Curve, eases []clock.Ease, order int, over Peak) eased {
	type bound struct {
		most float64
		e    *clock.Ease
	}
	var list []bound
	for i := range eases {
		e := &eases[i]
		b := easeBound(c, e, order)
		if b > over.Max {
			list = append(list, bound{b, e})
		}
	}
	slices.SortFunc(list, func(a, b bound) int { return cmp.Compare(b.most, a.most) })
	worst := eased{most: over.Max}
	for _, b := range list {
		if b.most <= worst.most {
			break
		}
		if v, at := inEase(c, *b.e, order); v > worst.most {
			lo, hi := b.e.Over()
			worst = eased{v, at, lo, hi}
		}
	}
	return worst
}

// easeBound is more than a time derivative of a curve can be while one ease runs, by the
// largest that each term of it can be.
func easeBound(c *curve.Curve, e *clock.Ease, order int) float64 {
	lo, hi := e.Over()
	part := c.Clip(curve.Span{From: lo, To: hi})
	v, d := max(math.Abs(e.V0), math.Abs(e.V1)), math.Abs(e.V1-e.V0)
	q1, _ := part.MaxAbs(1)
	q2, _ := part.MaxAbs(2)
	acc, jolt := 1.5*d/e.Seconds, 6*d/(e.Seconds*e.Seconds)
	if order == 2 {
		return q2*v*v + q1*acc
	}
	q3, _ := part.MaxAbs(3)
	return q3*v*v*v + 3*q2*v*acc + q1*jolt
}

// inEase is the largest of a time derivative of a curve while one ease runs, and the frame
// at which it happens.
func inEase(c *curve.Curve, e clock.Ease, order int) (most, at float64) {
	lo, hi := e.Over()
	cuts := []float64{0, 1}
	for _, x := range c.X {
		if x > lo && x < hi {
			cuts = append(cuts, e.ShareAt(x))
		}
	}
	slices.Sort(cuts)
	for k := range len(cuts) - 1 {
		a, b := cuts[k], cuts[k+1]
		if b-a < 1e-12 {
			continue
		}
		p := compose(c, e, a, b)
		for range order {
			for n := 1; n < len(p); n++ {
				p[n-1] = p[n] * float64(n)
			}
			p = p[:len(p)-1]
		}
		scale := math.Pow(e.Seconds*(b-a), float64(order))
		v, s := largest(p)
		if v/scale > most {
			gone, _, _ := e.Gone(a + s*(b-a))
			most, at = v/scale, e.From+gone
		}
	}
	return most, at
}

// compose is a curve's piece on an ease, from share a to b of its time, as coefficients of
// the powers of what is gone of that, 0 to 1.
func compose(c *curve.Curve, e clock.Ease, a, b float64) []float64 {
	mid, _, _ := e.Gone((a + b) / 2)
	i := max(sort.SearchFloat64s(c.X, e.From+mid)-1, 0)
	i = min(i, len(c.C)-1)
	// The frame, less the piece's left knot, around a: f(a + h·s), h = b − a.
	h, d, T := b-a, e.V1-e.V0, e.Seconds
	gone, _, _ := e.Gone(a)
	f := [5]float64{
		e.From + gone - c.X[i],
		T * h * (e.V0 + d*(3*a*a-2*a*a*a)),
		T * h * h * d * (3*a - 3*a*a),
		T * h * h * h * d * (1 - 2*a),
		-T * h * h * h * h * d / 2,
	}
	p := c.C[i]
	out := []float64{p[5]}
	for k := 4; k >= 0; k-- {
		next := make([]float64, len(out)+4)
		for n, x := range out {
			for j, y := range f {
				next[n+j] += x * y
			}
		}
		next[0] += p[k]
		out = next
	}
	return out
}

// largest is the largest absolute value of a polynomial on 0 to 1, and where, certified to a
// billionth of it: what its Bernstein coefficients bound is halved until they agree.
// Source: Farouki and Rajan 1987.
func largest(p []float64) (most, at float64) {
	n := len(p) - 1
	b := make([]float64, n+1)
	for j := range b {
		c := 1.0 // C(j, i) / C(n, i)
		for i := 0; i <= j; i++ {
			b[j] += c * p[i]
			c *= float64(j-i) / float64(n-i)
		}
	}
	type part struct {
		b      []float64
		lo, hi float64
	}
	seen := func(v, s float64) {
		if v = math.Abs(v); v > most {
			most, at = v, s
		}
	}
	todo := []part{{b, 0, 1}}
	for len(todo) > 0 {
		x := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		seen(x.b[0], x.lo)
		seen(x.b[n], x.hi)
		bound := 0.0
		for _, v := range x.b {
			bound = max(bound, math.Abs(v))
		}
		if bound <= most*(1+1e-9) || x.hi-x.lo < 1e-9 {
			continue
		}
		left, right := make([]float64, n+1), slices.Clone(x.b)
		for k := range n + 1 { // de Casteljau at the middle
			left[k] = right[0]
			for j := range n - k {
				right[j] = (right[j] + right[j+1]) / 2
			}
		}
		mid := (x.lo + x.hi) / 2
		todo = append(todo, part{left, x.lo, mid}, part{right, mid, x.hi})
	}
	return most, at
}

// BrakeOn is the shortest braking for a clock: Brake where it runs forward at one speed. On
// one that runs backward an axis brakes the other way round, and while it eases, or may be
// steered, what that adds counts, too.
func BrakeOn(ctx context.Context, m *path.Motion, r *rig.Rig, c clock.Clock) (*Braking, error) {
	fps, tr, eases := c.MaxSpeed(), c.Traits(), c.Eases()
	b, err := Brake(ctx, m, r, fps)
	if err != nil || !tr.Backward && len(eases) == 0 && tr.Free == 0 {
		return b, err
	}
	needs, cannot := make([]float64, len(r.Axes)), make([]error, len(r.Axes))
	effort.Each(len(r.Axes), func(i int) {
		w := braked{axis: &r.Axes[i], seconds: b.Seconds}
		if tr.Backward || tr.Free > 0 {
			effort.Ahead(ctx, ticksOf(m))
			ended := sampled(ctx, m, i, func(k int, s *curve.Sample) bool {
				frame := float64(m.Start()) + float64(k)/ticks
				ok := w.at(frame, s, -fps, 0)
				for n := 1; n <= steerSteps && tr.Free > 0 && ok; n++ { // at any speed, gathering or losing it
					v := fps * float64(n) / steerSteps
					ok = w.at(frame, s, v, tr.Free) && w.at(frame, s, v, -tr.Free) && w.at(frame, s, -v, tr.Free) &&
						w.at(frame, s, -v, -tr.Free)
				}
				return ok
			})
			if w.err == nil {
				w.err = ended
			}
		}
		parts := brakeSteps
		if len(eases) > 2000 { // each is over a small part of the path
			parts = 8
		}
		for _, e := range eases {
			for k := range parts + 1 {
				gone, v, a := e.Gone(float64(k) / float64(parts))
				s := m.Curves[i].At(e.From + gone)
				if !w.at(e.From+gone, &s, v, a) {
					break
				}
			}
		}
		needs[i], cannot[i] = w.seconds, w.err
	})
	for i, s := range needs {
		if cannot[i] != nil {
			return nil, cannot[i]
		}
		b.Seconds = max(b.Seconds, s)
	}
	b.Frames = fps * b.Seconds / 2
	return b, nil
}

// steerSteps is at how many speeds a clock that may be steered is looked at.
const steerSteps = 8

// braked gathers how long a braking one axis needs.
type braked struct {
	axis    *rig.Axis
	seconds float64
	err     error
}

// at looks at a frame that a clock passes at a speed and acceleration; false: enough.
func (w *braked) at(frame float64, s *curve.Sample, v, a float64) bool {
	speed, acc := s.V*v, s.A*v*v+s.V*a
	if left := w.axis.Rated.Acceleration - math.Abs(acc); left > 0 && 1.5*math.Abs(speed)*(1+brakeRoom) <=
		w.seconds*left {
		return true
	}
	need := BrakeNeed(speed, acc, w.axis.Rated.Acceleration) * (1 + brakeRoom)
	if need > mostBrake {
		w.err = cannotStop(w.axis, frame)
		return false
	}
	if need > w.seconds {
		w.seconds = math.Ceil(need*100-1e-9) / 100
	}
	return true
}
