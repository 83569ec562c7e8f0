package clock

import (
	"fmt"
	"math"
	"math/big"
)

// Steer is a change of a live clock's speed: from so many milliseconds after its start on
// it is to go at Num/Den of the path's rate, backwards below zero.
type Steer struct {
	MS  int64 `json:"ms"`
	Num int64 `json:"num"`
	Den int64 `json:"den"`
}

// steerGrid is of what part of its whole speed the speeds of a live clock are multiples: the
// numbers of a thousand changes stay small then.
const steerGrid = 240

// NewestLaw is the law that live clocks begin with. By law 0 a change of a share s of the whole
// speed takes s of the ease, so that a small one is as rough as 60 times the whole speed over the
// ease², and the first frame may be passed between two pictures. By law 1 it takes √s of it: its
// jerk is at most six times the whole speed over the ease², its acceleration at most what it was;
// and what is steered in the run-up leaves the first frame on a picture.
const NewestLaw = 1

// MostSteers bounds how often a clock is steered in one run; usualEase is the time that
// its whole speed takes to be gathered or lost, leastEase what the smallest change takes,
// in milliseconds.
const (
	MostSteers = 1000
	usualEase  = 1000
	leastEase  = 100
)

func (s Spec) checkLive() error {
	switch {
	case s.Way != On:
		return fmt.Errorf("way: %s on a live clock; give on, and turn it round while it runs", s.Way)
	case len(s.Waits) > 0 || s.DelayMS > 0 || s.Pictures > 0 || s.IntervalMS > 0 || s.MoveMS > 0:
		return fmt.Errorf("clock: waits, a delay and pictures at an interval are not for a live clock; leave them " +
			"out, and stop it while it runs")
	case s.EaseMS > 0 && s.EaseMS < leastEase:
		return fmt.Errorf("ease: %d ms; give %d to %d on a live clock, which is how long its whole speed takes "+
			"to change", s.EaseMS, leastEase, MostEase)
	case len(s.Steers) > MostSteers:
		return fmt.Errorf("steers: %d; give at most %d", len(s.Steers), MostSteers)
	}
	for i, x := range s.Steers {
		if err := (Rate{max(x.Num, -x.Num, 1), x.Den}).Check("steers"); err != nil {
			return err
		}
		if x.MS < 0 || x.MS > MostRun || i > 0 && x.MS < s.Steers[i-1].MS {
			return fmt.Errorf("steers: one at %d ms; give times of 0 ms to a week, in rising order", x.MS)
		}
		share := big.NewRat(x.Num, x.Den)
		share.Quo(share, s.Factor.rat())
		if !share.Mul(share, big.NewRat(steerGrid, 1)).IsInt() || share.Num().CmpAbs(big.NewInt(steerGrid)) > 0 {
			return fmt.Errorf("steers: %d/%d of the path's rate on a clock that is made for %s at most; give a "+
				"multiple of a %dth of that, up to it", x.Num, x.Den, s.Factor, steerGrid)
		}
	}
	return nil
}

// live is a clock that somebody steers. It begins at its fastest. A change is smooth, and
// no quicker than its whole speed in its ease; one that comes while another is under way
// waits until that is over, and the newest counts. A change is given just as much longer as
// makes whole frames fall on the camera's pictures again afterwards, so that passes line up
// from there on: on all of them at the path's own rate, on every nth at an nth of it. One
// that would only be over beyond an end of the run is left out.
type live struct {
	phases
	ease float64 // seconds for the whole speed
	most float64
	ends bool // it comes to the end of the run
	law  int
}

// Live makes the clock with one steer more, at so many milliseconds.
func (s Spec) steered(x Steer) Spec {
	if d := gcd(max(x.Num, -x.Num), x.Den); x.Den > 0 {
		x.Num, x.Den = x.Num/d, x.Den/d
	}
	s.Steers = append(s.Steers[:len(s.Steers):len(s.Steers)], x)
	return s
}

// Steered is a live clock's description with one change of speed more: to num/den of the
// path's rate, so many milliseconds after its start.
func (s Spec) Steered(ms, num, den int64) (Spec, error) {
	if s.Kind != Live {
		return s, fmt.Errorf("steers: the clock is %s; only a live one is steered", s.Kind)
	}
	s = s.steered(Steer{ms, num, den})
	return s, s.Check()
}

// EaseSeconds is how long a live clock's whole speed takes to change.
func (s Spec) EaseSeconds() float64 { return float64(s.easeMS()) / 1000 }

func (s Spec) easeMS() int64 {
	if s.EaseMS > 0 {
		return s.EaseMS
	}
	return usualEase
}

// helm lays the phases of a live clock.
type helm struct {
	c          *phases
	rate, most *big.Rat // frames a second: the camera's, and the fastest
	least      *big.Rat // seconds that the whole speed takes to change
	first      *big.Rat // of the pictures: zero is when it is reached
	start, end *big.Rat
	at, now, v *big.Rat // frame, time and speed up to which it is laid
	over       bool
	law        int
}

func (s Spec) live(run Run, rate Rate) (Clock, error) {
	most := new(big.Rat).Mul(rate.rat(), s.Factor.rat())
	h := &helm{c: &phases{}, rate: rate.rat(), most: most, least: ms(s.easeMS()), first: whole(run.First),
		start: whole(run.Start), end: whole(run.End),
		at: whole(run.Start), now: new(big.Rat), v: new(big.Rat).Set(most), law: s.Law}
	// A camera that keeps its own rate takes its first picture of the first frame.
	zero := new(big.Rat).Sub(h.first, h.start)
	h.c.period, h.c.zero = new(big.Rat).Inv(h.rate), zero.Quo(zero, most)
	for i, x := range s.Steers {
		t := ms(x.MS)
		if t.Cmp(h.now) < 0 {
			t.Set(h.now)
		}
		if i+1 < len(s.Steers) && ms(s.Steers[i+1].MS).Cmp(t) <= 0 { // a newer one counts
			continue
		}
		h.until(t)
		if h.over {
			break
		}
		h.steer(new(big.Rat).Mul(big.NewRat(x.Num, x.Den), h.rate))
	}
	h.until(nil)
	h.c.atLeast(run.Start)
	return &live{*h.c, float64(s.easeMS()) / 1000, float(most), h.over, s.Law}, nil
}

// until goes on at the speed that it has, to a time, or where there is none until it can go
// no farther: at the end of the run it is over, at its start it waits.
func (h *helm) until(t *big.Rat) {
	edge := h.end
	if h.v.Sign() < 0 {
		edge = h.start
	}
	if h.v.Sign() != 0 {
		dur := new(big.Rat).Sub(edge, h.at)
		dur.Quo(dur, h.v)
		reached := t == nil || new(big.Rat).Add(h.now, dur).Cmp(t) <= 0
		if !reached {
			dur.Sub(t, h.now)
		}
		h.run(dur, h.v)
		if reached {
			h.over, h.v, h.at = h.v.Sign() > 0, new(big.Rat), edge
		}
	}
	if t != nil && !h.over && h.now.Cmp(t) < 0 {
		h.run(new(big.Rat).Sub(t, h.now), h.v)
	}
}

func (h *helm) run(dur, to *big.Rat) {
	if dur.Sign() <= 0 {
		return
	}
	h.at = h.c.add(h.at, dur, h.v, to)
	h.now = new(big.Rat).Add(h.now, dur)
	h.v = to
}

// steer changes the speed; where it turns round, by way of standing still.
func (h *helm) steer(v *big.Rat) {
	if v.Cmp(h.v) == 0 {
		return
	}
	was, laid := *h, len(h.c.all)
	over := new(big.Rat)
	if h.c.over != nil {
		over.Set(h.c.over)
	}
	back := func() {
		*h = was
		h.c.all, h.c.over = h.c.all[:laid], over
	}
	beyond := func() bool { return h.at.Cmp(h.start) < 0 || h.at.Cmp(h.end) > 0 }
	out := h.turn(v, beyond)
	if h.law > 0 && was.v.Sign() > 0 && was.at.Cmp(h.first) < 0 && h.at.Cmp(h.first) > 0 {
		back() // it would pass the first frame while it changes: it begins there
		h.run(new(big.Rat).Quo(new(big.Rat).Sub(h.first, h.at), h.v), h.v)
		out = h.turn(v, beyond)
	}
	if out || beyond() || v.Sign() == 0 && h.at.Cmp(h.end) == 0 { // it would be beyond an end
		back()
	}
}

// turn lays a change of speed, and answers whether it turns round beyond an end: that is as far
// as it comes.
func (h *helm) turn(v *big.Rat, beyond func() bool) (out bool) {
	if h.v.Sign()*v.Sign() < 0 {
		h.run(h.takes(h.v), new(big.Rat))
		out = beyond()
	}
	h.run(h.aligned(v), v)
	return out
}

// takes is the least time for a change of speed.
func (h *helm) takes(by *big.Rat) *big.Rat {
	t := new(big.Rat).Abs(by)
	t.Quo(t, h.most)
	if h.law == 0 {
		t.Mul(t, h.least)
	} else { // in whole milliseconds, rounded up
		square := new(big.Rat).Mul(h.least, h.least)
		square.Mul(square, t).Mul(square, big.NewRat(1_000_000, 1))
		up := new(big.Int).Sqrt(new(big.Int).Div(square.Num(), square.Denom()))
		for new(big.Rat).SetInt(new(big.Int).Mul(up, up)).Cmp(square) < 0 {
			up.Add(up, big.NewInt(1))
		}
		t = new(big.Rat).SetFrac(up, big.NewInt(1000))
	}
	if least := ms(leastEase); t.Cmp(least) < 0 {
		return least
	}
	return t
}

// aligned is the time for the change from the speed that it has to another, the least after
// which whole frames are due at the camera's times. With speed v from then on the frame is
// v·t + c; a time of T makes c = c₀ + (v₀ − v)·T/2, and c is to be a multiple of one over
// the denominator of v ÷ rate. Before the first frame, by law 1, it is to be one of v ÷ rate,
// which has that frame on a picture, too.
func (h *helm) aligned(v *big.Rat) *big.Rat {
	by := new(big.Rat).Sub(h.v, v)
	t := h.takes(by)
	part := new(big.Rat).Quo(v, h.rate)
	if h.law == 0 || v.Sign() <= 0 || h.at.Cmp(h.first) >= 0 {
		part.SetFrac(big.NewInt(1), part.Denom())
	}
	c := new(big.Rat).Sub(h.now, h.c.zero)
	c.Mul(c, v).Sub(h.at, c)
	c.Sub(c, h.first)
	slope := half(by)
	c.Add(c, new(big.Rat).Mul(slope, t)) // at the least time
	scaled := new(big.Rat).Quo(c, part)
	next := new(big.Int).Div(scaled.Num(), scaled.Denom()) // floored
	if by.Sign() > 0 && !scaled.IsInt() {
		next.Add(next, big.NewInt(1))
	}
	want := new(big.Rat).SetInt(next)
	more := want.Mul(want, part).Sub(want, c)
	return t.Add(t, more.Quo(more, slope))
}

// Ticks has no end where it was brought to a stand, or turned back.
func (c *live) Ticks(hz int64) int64 {
	if !c.ends {
		return math.MaxInt64
	}
	return c.phases.Ticks(hz)
}

// Seconds is +Inf then.
func (c *live) Seconds() float64 {
	if !c.ends {
		return math.Inf(1)
	}
	return c.phases.Seconds()
}

// MaxSpeed is its fastest, whether it is used or not.
func (c *live) MaxSpeed() float64 { return c.most }

// MaxAcceleration is that of its ease from the whole speed.
func (c *live) MaxAcceleration() float64 { return 1.5 * c.most / c.ease }

// Traits: it may change its speed anywhere, and turn round.
func (c *live) Traits() Traits {
	jolt := 6 * c.most / (c.ease * c.ease)
	if c.law == 0 { // of the smallest change that its least time does not stretch
		jolt = 60 * c.most / c.ease
	}
	return Traits{Forward: true, Backward: true, Free: c.MaxAcceleration(), Jolt: jolt}
}
