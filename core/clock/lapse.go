package clock

import (
	"fmt"
	"math"
	"math/big"
)

// checkLapse refuses what describes no pictures at an interval.
func (s Spec) checkLapse() error {
	switch {
	case s.Pictures < 1:
		return fmt.Errorf("pictures: %d; give how many the move is to have, 1 to %d", s.Pictures, MostPictures)
	case s.IntervalMS < 1 || s.IntervalMS > MostRun/int64(s.Pictures):
		return fmt.Errorf("interval: %d ms for %d pictures; give 1 ms to %d, which is a week in all", s.IntervalMS,
			s.Pictures, MostRun/int64(s.Pictures))
	case s.Kind == Stepped && (s.MoveMS < 1 || s.MoveMS >= s.IntervalMS):
		return fmt.Errorf("move: %d ms of an interval of %d ms; give at least 1 and less than the interval, so that "+
			"it stands for the picture", s.MoveMS, s.IntervalMS)
	case s.Kind == Crawling && s.MoveMS != 0:
		return fmt.Errorf("move: %d ms on a clock that never stands; make it stepped, or leave it out", s.MoveMS)
	case s.Way != On && s.Way != Back:
		return fmt.Errorf("way: %s with pictures at an interval; give on or back", s.Way)
	case len(s.Waits) > 0 || s.EaseMS > 0 || len(s.Steers) > 0 || s.CameraLocked:
		return fmt.Errorf("clock: waits, eases, steers and a locked camera are not for a clock that is %s; "+
			"leave them out", s.Kind)
	case s.Kind == Stepped && s.DelayMS > 0:
		return fmt.Errorf("delay: %d ms before a stepped clock; leave it out, it stands at its first picture anyway",
			s.DelayMS)
	}
	return nil
}

// Begin is a clock of another kind in place of one, for a move of so many frames: a picture
// of every frame at an interval of five seconds, in two of which a stepped one moves.
func Begin(k Kind, was Spec, frames int) Spec {
	s := Spec{Kind: k, Factor: was.Factor, Way: On}
	switch k {
	case Stepped, Crawling:
		s.Pictures, s.IntervalMS = min(max(frames, 1), MostPictures), 5000
		if was.Way == Back {
			s.Way = Back
		}
		if k == Stepped {
			s.MoveMS = 2000
		}
	case Steady:
		s.Way = was.Way
	case Live:
		s.Law = NewestLaw
	}
	return s
}

// crawl goes on at one slow rate, such that picture k of n is at First + k·(Last − First)/n.
func (s Spec) crawl(run Run) Clock {
	c := &phases{}
	span := run.Last - run.First
	period := ms(s.IntervalMS)
	from, to := run.Start, run.End
	if s.Way == Back {
		from, to = to, from
	}
	c.waits(from, ms(s.DelayMS))
	if span > 0 {
		rate := new(big.Rat).Quo(big.NewRat(int64(span), int64(s.Pictures)), period)
		c.moves(from, to, rate, new(big.Rat), false, false)
	}
	c.atLeast(from)
	c.shoots(period, run.First)
	return c
}

// steps stands at First + k·(Last − First)/n from k intervals on, for picture k of n, and
// then moves on within moveMS, gathering speed for half of it and losing it for the rest.
// Backwards it is the same from its end.
type steps struct {
	first, span, n int64
	interval, move int64 // ms
	back           bool
}

func (s Spec) steps(run Run) Clock {
	return &steps{int64(run.First), int64(run.Last - run.First), int64(s.Pictures), s.IntervalMS, s.MoveMS,
		s.Way == Back}
}

// place is how many steps are gone after so many steps of time: the whole ones, and the
// part of the next, exactly.
func (c *steps) place(t *big.Rat) *big.Rat {
	k := new(big.Int).Quo(t.Num(), t.Denom())
	if k.Cmp(big.NewInt(c.n)) >= 0 {
		return new(big.Rat).SetInt64(c.n)
	}
	gone := new(big.Rat).SetInt(k)
	u := new(big.Rat).Sub(t, gone) // of this interval
	u.Mul(u, big.NewRat(c.interval, c.move))
	if !c.back {
		u.Sub(u, big.NewRat(c.interval-c.move, c.move))
	}
	one := big.NewRat(1, 1)
	if u.Sign() <= 0 {
		return gone
	}
	if u.Cmp(one) >= 0 {
		return gone.Add(gone, one)
	}
	late := u.Cmp(big.NewRat(1, 2)) > 0
	if late {
		u.Sub(one, u)
	}
	w := u.Add(u, u)
	g := new(big.Rat).Mul(w, w)
	g.Mul(g, w).Mul(g, new(big.Rat).Sub(one, half(w)))
	if late {
		g.Sub(one, g)
	}
	return gone.Add(gone, g)
}

func (c *steps) At(tick, hz int64) Pos {
	t := big.NewRat(max(tick, 0), 1)
	t.Mul(t, big.NewRat(1000, c.interval)).Quo(t, new(big.Rat).SetInt64(hz))
	x := c.place(t)
	x.Mul(x, big.NewRat(c.span, c.n))
	q := new(big.Int).Lsh(x.Num(), 32)
	q.Quo(q, x.Denom())
	if c.back {
		return Pos(c.first+c.span)<<32 - Pos(q.Int64())
	}
	return Pos(c.first)<<32 + Pos(q.Int64())
}

func (c *steps) Ticks(hz int64) int64 {
	n := new(big.Int).Mul(big.NewInt(c.n*c.interval), big.NewInt(hz))
	q, rem := n.QuoRem(n, big.NewInt(1000), new(big.Int))
	if rem.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	if !q.IsInt64() {
		return math.MaxInt64
	}
	return q.Int64()
}

func (c *steps) Seconds() float64 { return float64(c.n*c.interval) / 1000 }

// gone is place as a floating-point number, of a time in intervals.
func (c *steps) gone(t float64) float64 {
	t = min(max(t, 0), float64(c.n))
	k := min(math.Floor(t), float64(c.n-1))
	u := (t - k) * float64(c.interval) / float64(c.move)
	if !c.back {
		u -= float64(c.interval-c.move) / float64(c.move)
	}
	return k + stepShare(u)
}

// stepShare is how much of a step is gone after a share of its time.
func stepShare(u float64) float64 {
	switch u = min(max(u, 0), 1); {
	case u > 0.5:
		return 1 - stepShare(1-u)
	default:
		w := 2 * u
		return w * w * w * (1 - w/2)
	}
}

func (c *steps) FrameAt(t float64) float64 {
	x := c.gone(t*1000/float64(c.interval)) * float64(c.span) / float64(c.n)
	if c.back {
		return float64(c.first+c.span) - x
	}
	return float64(c.first) + x
}

// ofSteps is a frame in steps from where the run begins, and whether it is a whole one.
func (c *steps) ofSteps(frame float64) (x float64, at bool) {
	x = (frame - float64(c.first)) * float64(c.n) / float64(c.span)
	if c.back {
		x = float64(c.n) - x
	}
	at = math.Abs(x-math.Round(x)) < 1e-12*float64(c.n+1)
	return x, at
}

func (c *steps) TimesAt(frame float64) []Interval {
	if !(frame >= float64(c.first) && frame <= float64(c.first+c.span)) {
		return nil
	}
	if c.span == 0 {
		return []Interval{{math.Inf(-1), math.Inf(1)}}
	}
	x, at := c.ofSteps(frame)
	each, stand := float64(c.interval)/1000, float64(c.interval-c.move)/1000
	if !at {
		k := math.Floor(x)
		lo, hi := 0.0, 1.0
		for range 60 {
			if u := (lo + hi) / 2; stepShare(u) < x-k {
				lo = u
			} else {
				hi = u
			}
		}
		t := k*each + (lo+hi)/2*float64(c.move)/1000
		if !c.back {
			t += stand
		}
		return []Interval{{t, t}}
	}
	k := math.Round(x)
	v := Interval{k * each, k*each + stand}
	if c.back {
		v = Interval{(k-1)*each + each - stand, k * each}
	}
	if k == 0 {
		v.From = math.Inf(-1)
	}
	if k == float64(c.n) {
		v.To = math.Inf(1)
	}
	return []Interval{v}
}

func (c *steps) Pictured(frame int) []bool {
	if len(c.TimesAt(float64(frame))) == 0 {
		return nil
	}
	return []bool{(int64(frame)-c.first)*c.n%max(c.span, 1) == 0}
}

func (c *steps) MaxSpeed() float64 {
	return 2000 * float64(c.span) / float64(c.n) / float64(c.move)
}

func (c *steps) MaxAcceleration() float64 { return 3000 * c.MaxSpeed() / float64(c.move) }

func (c *steps) Stops() []int { return nil }

func (c *steps) Eases() []Ease {
	if c.span == 0 {
		return nil
	}
	step := float64(c.span) / float64(c.n)
	from, sign := float64(c.first), 1.0
	if c.back {
		from, sign = float64(c.first+c.span), -1
	}
	out := make([]Ease, 0, 2*c.n)
	for k := range c.n {
		at := float64(k*c.interval+c.interval-c.move) / 1000
		if c.back {
			at = float64(k*c.interval) / 1000
		}
		half, v, f := float64(c.move)/2000, sign*c.MaxSpeed(), from+sign*step*float64(k)
		out = append(out, Ease{at, half, f, 0, v}, Ease{at + half, half, f + sign*step/2, v, 0})
	}
	return out
}

func (c *steps) Traits() Traits { return Traits{Backward: c.back, Forward: !c.back} }

// EveryMS is how many milliseconds apart the rows of a trace on a clock lie: 1, and more on
// a run of more than twenty minutes, so that a week is kept, too; on a stepped clock such
// that there are two rows while it stands for a picture.
func (s Spec) EveryMS(c Clock) int64 {
	all := c.Seconds() * 1000
	if s.Kind == Live || all <= MostRows {
		return 1
	}
	every := int64(1)
	for _, d := range []int64{1, 2, 5, 10, 20, 50, 100, 200, 500, 1000} {
		if s.Kind == Stepped && 2*d > s.IntervalMS-s.MoveMS {
			break
		}
		if every = d; all/float64(d) <= MostRows {
			break
		}
	}
	return every
}

// MostRows is how many rows of a trace are meant to do.
const MostRows = 1_200_000
