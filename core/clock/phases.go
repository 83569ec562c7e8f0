package clock

import (
	"math"
	"math/big"
	"slices"
	"sort"
)

// phases is a clock made of stretches, one after another, each begun exactly when the one
// before is over: it waits, runs at one rate, or changes its rate smoothly. All of it is
// rational, so that a position depends on the tick alone, and is the same everywhere.
type phases struct {
	all []phase
	// over is the duration in seconds.
	over *big.Rat
	// period is that of a camera that keeps its own rate, in seconds, and zero when it takes
	// a picture; nil: it keeps step with the path.
	period, zero *big.Rat
	round        int
}

// phase begins at a time, in seconds, at a frame, and goes from speed v0 to v1 frames a
// second over dur seconds as an Ease does. Neither speed has the other's sign.
type phase struct {
	start, dur, from, v0, v1 *big.Rat
	Ease                     // the same, as floating-point numbers
	to                       float64
}

func (p *phase) wait() bool  { return p.V0 == 0 && p.V1 == 0 }
func (p *phase) eases() bool { return p.V0 != p.V1 }

func whole(n int) *big.Rat { return new(big.Rat).SetInt64(int64(n)) }

func ms(n int64) *big.Rat { return big.NewRat(n, 1000) }

func half(r *big.Rat) *big.Rat { return new(big.Rat).Mul(r, big.NewRat(1, 2)) }

func (r Rate) rat() *big.Rat { return big.NewRat(r.Num, r.Den) }

func float(r *big.Rat) float64 {
	v, _ := r.Float64()
	return v
}

// add puts a phase at the end and answers the frame at which it is over.
func (c *phases) add(from, dur, v0, v1 *big.Rat) (to *big.Rat) {
	if c.over == nil {
		c.over = new(big.Rat)
	}
	to = new(big.Rat).Add(v0, v1)
	to.Mul(half(to), dur).Add(to, from)
	if dur.Sign() <= 0 {
		return to
	}
	p := phase{start: new(big.Rat).Set(c.over), dur: dur, from: from, v0: v0, v1: v1, to: float(to)}
	p.Ease = Ease{float(p.start), float(dur), float(from), float(v0), float(v1)}
	c.all = append(c.all, p)
	c.over.Add(c.over, dur)
	return to
}

// moves goes from one frame to another at a rate, gathering it and losing it over ease
// seconds where it has to. A way that is too short for that is gone at a lower rate.
func (c *phases) moves(from, to int, rate, ease *big.Rat, gather, lose bool) {
	way := whole(to - from)
	if way.Sign() == 0 {
		return
	}
	v := new(big.Rat).Set(rate)
	if way.Sign() < 0 {
		v.Neg(v)
	}
	n := int64(0)
	for _, b := range []bool{gather, lose} {
		if b && ease.Sign() > 0 {
			n++
		}
	}
	rest := new(big.Rat).Mul(v, ease) // both together take half of it each
	rest.Mul(rest, big.NewRat(n, 2)).Sub(way, rest)
	if rest.Sign()*way.Sign() < 0 {
		v.Quo(way, new(big.Rat).Mul(ease, big.NewRat(n, 2)))
		rest.SetInt64(0)
	}
	at := whole(from)
	if gather {
		at = c.add(at, ease, new(big.Rat), v)
	}
	at = c.add(at, rest.Quo(rest, v), v, v)
	if lose {
		c.add(at, ease, v, new(big.Rat))
	}
}

func (c *phases) waits(at int, ms *big.Rat) { c.add(whole(at), ms, new(big.Rat), new(big.Rat)) }

// lay is a steady clock that turns, waits or comes around.
func (s Spec) lay(run Run, rate Rate) *phases {
	c := &phases{}
	v, ease := new(big.Rat).Mul(rate.rat(), s.Factor.rat()), ms(s.EaseMS)
	first, last := run.Start, run.End
	if s.Way == Back {
		first, last = last, first
	}
	c.waits(first, ms(s.DelayMS))
	ways := [][2]int{{first, last}}
	if s.Way == ThereAndBack {
		ways = append(ways, [2]int{last, first})
	}
	moved := false
	for k := range max(s.Times, 1) {
		for i, way := range ways {
			final := k == max(s.Times, 1)-1 && i == len(ways)-1
			through := s.Way == Around // the next lap is no turn
			s.one(c, way[0], way[1], v, ease, &moved, !final && !through)
		}
	}
	if s.Way == Around {
		c.round = max(last-first, 0)
	}
	c.atLeast(first)
	if s.CameraLocked {
		c.shoots(new(big.Rat).Inv(rate.rat()), run.First)
	}
	return c
}

// atLeast makes a run of no length stand at a frame.
func (c *phases) atLeast(frame int) {
	if len(c.all) > 0 {
		return
	}
	c.over = new(big.Rat)
	c.all = []phase{{start: new(big.Rat), dur: new(big.Rat), from: whole(frame), v0: new(big.Rat), v1: new(big.Rat),
		Ease: Ease{From: float64(frame)}, to: float64(frame)}}
}

// one goes one way, with its waits. What it stands at first is not waited at again: it
// comes there from a turn.
func (s Spec) one(c *phases, from, to int, v, ease *big.Rat, moved *bool, turns bool) {
	at, step := from, 1
	if to < from {
		step = -1
	}
	list := slices.Clone(s.Waits)
	if step < 0 {
		slices.Reverse(list)
	}
	gather := *moved && s.Way != Around
	for _, w := range list {
		if (w.Frame-at)*step < 0 || (to-w.Frame)*step < 0 || w.Frame == from && *moved && s.Way != Around {
			continue
		}
		c.moves(at, w.Frame, v, ease, gather, true)
		gather = gather || at != w.Frame
		*moved = *moved || at != w.Frame
		c.waits(w.Frame, ms(w.MS))
		at = w.Frame
	}
	c.moves(at, to, v, ease, gather, turns)
	*moved = *moved || at != to
}

// shoots notes that a camera takes a picture every so many seconds, such that a frame is
// one of them the first time that it is due.
func (c *phases) shoots(period *big.Rat, frame int) {
	c.period, c.zero = period, new(big.Rat)
	at := whole(frame)
	for k := range c.all {
		if t, ok := c.all[k].reached(at); ok {
			c.zero = t
			return
		}
	}
}

// reached is the exact time at which a phase is at a frame first, where that is rational.
func (p *phase) reached(frame *big.Rat) (*big.Rat, bool) {
	way := new(big.Rat).Sub(frame, p.from)
	if way.Sign() == 0 {
		return p.start, true
	}
	if p.wait() {
		return nil, false
	}
	whole := new(big.Rat).Add(p.v0, p.v1)
	whole.Mul(half(whole), p.dur)
	switch {
	case way.Sign() != whole.Sign():
		return nil, false
	case way.Cmp(whole) == 0:
		return new(big.Rat).Add(p.start, p.dur), true
	case p.eases() || new(big.Rat).Abs(way).Cmp(whole.Abs(whole)) > 0:
		return nil, false
	}
	return way.Quo(way, p.v0).Add(way, p.start), true
}

// find is the phase that runs at a tick: the last that has begun.
func (c *phases) find(tick, hz int64) int {
	t := float64(tick) / float64(hz)
	k := max(sort.Search(len(c.all), func(i int) bool { return c.all[i].At > t })-1, 0)
	begun := func(i int) bool { // exactly
		s := c.all[i].start
		return new(big.Int).Mul(s.Num(), big.NewInt(hz)).Cmp(new(big.Int).Mul(s.Denom(), big.NewInt(tick))) <= 0
	}
	for k > 0 && !begun(k) {
		k--
	}
	for k+1 < len(c.all) && begun(k+1) {
		k++
	}
	return k
}

// At is floored to 2⁻³² frame where it goes on, and raised where it goes back: the way
// that is gone is never made longer.
func (c *phases) At(tick, hz int64) Pos {
	tick = max(tick, 0)
	p := &c.all[c.find(tick, hz)]
	// u = a/b, the share of the phase that is over
	a, b := new(big.Int), new(big.Int)
	a.Mul(big.NewInt(tick), p.start.Denom()).Sub(a, b.Mul(p.start.Num(), big.NewInt(hz)))
	b.Mul(big.NewInt(hz), p.start.Denom())
	if p.dur.Sign() > 0 {
		a.Mul(a, p.dur.Denom())
		b.Mul(b, p.dur.Num())
	}
	if a.Cmp(b) > 0 {
		a.Set(b)
	}
	// gone / dur = (2·v0·a·b³ + (v1 − v0)·(2·a³·b − a⁴)) / (2·b⁴)
	d := new(big.Rat).Sub(p.v1, p.v0)
	num, den := new(big.Int).Mul(a, p.v0.Num()), new(big.Int).Mul(b, p.v0.Denom())
	if d.Sign() != 0 {
		b3, a3 := cube(b), cube(a)
		x := new(big.Int).Lsh(b, 1)
		x.Sub(x, a).Mul(x, a3).Mul(x, d.Num()) // over 2·b⁴·d.Denom
		y := new(big.Int).Mul(b3, b)
		y.Lsh(y, 1).Mul(y, d.Denom())
		num.Mul(num, y).Add(num, x.Mul(x, den))
		den.Mul(den, y)
	}
	num.Mul(num, p.dur.Num())
	den.Mul(den, p.dur.Denom())
	back := num.Sign() < 0
	// from + num/den
	num.Mul(num, p.from.Denom()).Add(num, new(big.Int).Mul(den, p.from.Num()))
	den.Mul(den, p.from.Denom())
	num.Lsh(num, 32)
	q, m := num.DivMod(num, den, new(big.Int)) // floored, den is above zero
	if back && m.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	return Pos(q.Int64())
}

func cube(x *big.Int) *big.Int {
	y := new(big.Int).Mul(x, x)
	return y.Mul(y, x)
}

func (c *phases) Ticks(hz int64) int64 {
	n := new(big.Int).Mul(c.over.Num(), big.NewInt(hz))
	q, rem := n.QuoRem(n, c.over.Denom(), new(big.Int))
	if rem.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	if !q.IsInt64() {
		return math.MaxInt64
	}
	return q.Int64()
}

func (c *phases) Seconds() float64 { return float(c.over) }

func (c *phases) MaxSpeed() float64 {
	v := 0.0
	for i := range c.all {
		v = max(v, math.Abs(c.all[i].V0), math.Abs(c.all[i].V1))
	}
	return v
}

func (c *phases) MaxAcceleration() float64 {
	a := 0.0
	for i := range c.all {
		if p := &c.all[i]; p.eases() {
			a = max(a, 1.5*math.Abs(p.V1-p.V0)/p.Seconds)
		}
	}
	return a
}

// Traits are read off its phases.
func (c *phases) Traits() Traits {
	t := Traits{Round: c.round}
	for i := range c.all {
		p := &c.all[i]
		t.Forward, t.Backward = t.Forward || p.to > p.From, t.Backward || p.to < p.From
	}
	return t
}

func (c *phases) FrameAt(t float64) float64 {
	k := max(sort.Search(len(c.all), func(i int) bool { return c.all[i].At > t })-1, 0)
	p := &c.all[k]
	if p.Seconds <= 0 || t >= p.At+p.Seconds {
		return p.to
	}
	gone, _, _ := p.Gone((t - p.At) / p.Seconds)
	return p.From + gone
}

// timeAt is the time at which a phase that moves is at a frame of it.
func (p *phase) timeAt(frame float64) float64 {
	switch {
	case frame == p.From:
		return p.At
	case frame == p.to:
		return p.At + p.Seconds
	case !p.eases():
		return p.At + (frame-p.From)/p.V0
	}
	return p.At + p.ShareAt(frame)*p.Seconds
}

// visit is an unbroken stretch of time at a frame, and the phases that touch it.
type visit struct {
	Interval
	of []int
}

// joins is how far apart two ends of phases may be that are the same instant, in seconds
// and as a share of them: the rounding of a floating-point number.
const joins = 1e-12

func (c *phases) visits(frame float64) []visit {
	var out []visit
	for k := range c.all {
		p := &c.all[k]
		if lo, hi := min(p.From, p.to), max(p.From, p.to); !(frame >= lo && frame <= hi) {
			continue
		}
		next := k + 1
		if frame == p.to && !p.wait() && next < len(c.all) && c.all[next].From != p.to {
			continue // it begins anew elsewhere at that instant
		}
		v := Interval{p.At, p.At + p.Seconds}
		if !p.wait() {
			v.From = p.timeAt(frame)
			v.To = v.From
		}
		if next < len(c.all) && frame == p.to {
			v.To = c.all[next].At
			if !p.wait() {
				v.From = v.To
			}
		}
		if k == 0 && frame == p.From {
			v.From = math.Inf(-1)
		}
		if next == len(c.all) && frame == p.to {
			v.To = math.Inf(1)
			if p.wait() && k == 0 {
				v.From = math.Inf(-1)
			}
		}
		if n := len(out); n > 0 && v.From <= out[n-1].To+joins*(1+math.Abs(out[n-1].To)) {
			out[n-1].To = max(out[n-1].To, v.To)
			out[n-1].of = append(out[n-1].of, k)
			continue
		}
		out = append(out, visit{v, []int{k}})
	}
	return out
}

func (c *phases) TimesAt(frame float64) []Interval {
	var out []Interval
	for _, v := range c.visits(frame) {
		out = append(out, v.Interval)
	}
	return out
}

// Pictured is exact: a frame counts where the camera's own count is whole just when it is
// due, or while it is waited at.
func (c *phases) Pictured(frame int) []bool {
	at := whole(frame)
	var out []bool
	for _, v := range c.visits(float64(frame)) {
		taken := c.period == nil
		for _, k := range v.of {
			taken = taken || c.taken(&c.all[k], at)
		}
		out = append(out, taken)
	}
	return out
}

// taken reports whether a camera of its own rate takes a picture while a phase is at a frame.
func (c *phases) taken(p *phase, frame *big.Rat) bool {
	t, ok := p.reached(frame)
	if !ok {
		return false
	}
	n := new(big.Rat).Sub(t, c.zero)
	n.Quo(n, c.period)
	if n.IsInt() || !p.wait() {
		return n.IsInt()
	}
	// The next picture after it began to wait.
	next := new(big.Int).Div(n.Num(), n.Denom())
	next.Add(next, big.NewInt(1))
	m := new(big.Rat).SetInt(next)
	m.Mul(m, c.period).Add(m, c.zero)
	return m.Cmp(new(big.Rat).Add(p.start, p.dur)) <= 0
}

func (c *phases) Stops() []int {
	var out []int
	for k := 1; k < len(c.all); k++ {
		p, before := &c.all[k], &c.all[k-1]
		if before.v1.Cmp(p.v0) == 0 && before.to == p.From {
			continue
		}
		for _, f := range []float64{before.to, p.From} {
			if n := int(f); !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
	}
	slices.Sort(out)
	return out
}

func (c *phases) Eases() []Ease {
	var out []Ease
	seen := map[Ease]bool{}
	for k := range c.all {
		p := &c.all[k]
		e := p.Ease
		if e.At = 0; !p.eases() || seen[e] {
			continue
		}
		seen[e] = true
		e.At = p.At
		out = append(out, e)
	}
	return out
}

// MaxSpeed is the speed along the path in frames per second.
func (c Uniform) MaxSpeed() float64 { return c.FPS() }

// MaxAcceleration is zero: it is at its speed from the first tick on.
func (c Uniform) MaxAcceleration() float64 { return 0 }

// Stops is empty.
func (c Uniform) Stops() []int { return nil }

// Eases is empty.
func (c Uniform) Eases() []Ease { return nil }

// Traits are that it runs forward.
func (c Uniform) Traits() Traits { return Traits{Forward: true} }

// Pictured is by this: a locked camera takes a picture of every frame whose distance from Picture is
// a multiple of the factor's numerator in lowest terms.
func (c Uniform) Pictured(frame int) []bool {
	n := len(c.TimesAt(float64(frame)))
	if n == 0 {
		return nil
	}
	every := c.Factor.Num / gcd(c.Factor.Num, c.Factor.Den)
	return []bool{!c.CameraLocked || int64(frame-c.Picture)%every == 0}
}
