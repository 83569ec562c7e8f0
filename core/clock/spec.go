package clock

import (
	"fmt"
	"math"
	"math/big"
	"slices"
)

// Clock says which frame is due when, over one run of a path. Time counts from the
// start of the run. A position depends on the tick alone, never on those before.
type Clock interface {
	// At is the position due at tick of a counter of hz (above zero) ticks a second.
	At(tick, hz int64) Pos
	// Ticks is the number of hz ticks until the run is over.
	Ticks(hz int64) int64
	// Seconds is its duration.
	Seconds() float64
	// FrameAt is the real frame due t seconds after the start.
	FrameAt(t float64) float64
	// TimesAt lists the maximal intervals of time at which a frame is due, in order:
	// a frame may be passed several times, and waited at.
	TimesAt(frame float64) []Interval
	// MaxSpeed and MaxAcceleration are the largest of frames per second and second²,
	// what happens at Stops left out.
	MaxSpeed() float64
	MaxAcceleration() float64
	// Stops are the frames at which the clock changes its speed at once, the ends of
	// the run left out. Whatever runs on it must stand still there.
	Stops() []int
}

// Kind is a kind of clock.
type Kind string

// Steady runs at one rate, and waits.
const Steady Kind = "steady"

// Kinds are all kinds of clocks.
var Kinds = []Kind{Steady}

// Way is in which direction a clock goes through a run.
type Way string

// The ways: from the first frame to the last, from the last to the first, and
// first one and then the other.
const (
	On           Way = "on"
	Back         Way = "back"
	ThereAndBack Way = "there and back"
)

// Wait is how long a clock waits at a frame, whenever it gets there.
type Wait struct {
	Frame int   `json:"frame"`
	MS    int64 `json:"ms" minimum:"1" maximum:"3600000" doc:"milliseconds"`
}

// MostWaits bounds the waits of a clock, MostWait each of them in milliseconds.
const (
	MostWaits = 100
	MostWait  = 3_600_000
	MostTimes = 100
)

// Spec describes a clock as it is kept with a pass and pinned by a take. A path
// and its rate make a Clock of it.
type Spec struct {
	Kind   Kind   `json:"kind" enum:"steady"`
	Factor Rate   `json:"factor"`
	Way    Way    `json:"way" enum:"on,back,there and back"`
	Waits  []Wait `json:"waits,omitempty"`
	// DelayMS is how long it stands at its first frame before it sets out.
	DelayMS int64 `json:"delay_ms,omitempty" minimum:"0" maximum:"3600000"`
	// Times is how often it goes there and back, one after another; none: once.
	Times        int  `json:"times,omitempty" minimum:"0" maximum:"100"`
	CameraLocked bool `json:"camera_locked,omitempty"`
}

// Times is a steady clock of a factor of the path's rate, from first to last.
func Times(factor Rate) Spec { return Spec{Kind: Steady, Factor: factor, Way: On} }

// Check refuses what describes no clock.
func (s Spec) Check() error {
	if !slices.Contains(Kinds, s.Kind) {
		return fmt.Errorf("clock: %q is not a kind; use one of %v", s.Kind, Kinds)
	}
	if s.Way != On && s.Way != Back && s.Way != ThereAndBack {
		return fmt.Errorf("way: %q; give on, back or there and back", s.Way)
	}
	if err := s.Factor.Check("factor"); err != nil {
		return err
	}
	if s.DelayMS < 0 || s.DelayMS > MostWait {
		return fmt.Errorf("delay: %d ms; give 0 to %d", s.DelayMS, MostWait)
	}
	if s.Times < 0 || s.Times > MostTimes {
		return fmt.Errorf("times: %d; give 1 to %d", s.Times, MostTimes)
	}
	if s.Times > 1 && s.Way != ThereAndBack {
		return fmt.Errorf("times: %d of a clock that goes %s; go there and back, which ends where it begins", s.Times, s.Way)
	}
	if len(s.Waits) > MostWaits {
		return fmt.Errorf("waits: %d of them; give at most %d", len(s.Waits), MostWaits)
	}
	for i, w := range s.Waits {
		if w.MS < 1 || w.MS > MostWait {
			return fmt.Errorf("waits: %d ms at frame %d; give 1 to %d", w.MS, w.Frame, MostWait)
		}
		if i > 0 && w.Frame <= s.Waits[i-1].Frame {
			return fmt.Errorf("waits: frame %d after %d; give each frame once, in rising order", w.Frame, s.Waits[i-1].Frame)
		}
	}
	return nil
}

// On makes a clock for a run from frame first to frame last at the path's rate.
func (s Spec) On(first, last int, rate Rate) (Clock, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	if err := rate.Check("rate"); err != nil {
		return nil, err
	}
	for _, w := range s.Waits {
		if w.Frame < first || w.Frame > last {
			return nil, fmt.Errorf("waits: frame %d is outside the run; give %d to %d", w.Frame, first, last)
		}
	}
	u := Uniform{First: first, Last: last, Path: rate, Factor: s.Factor, CameraLocked: s.CameraLocked}
	if s.Way == On && len(s.Waits) == 0 && s.DelayMS == 0 && s.Times <= 1 {
		return u, nil
	}
	return s.lay(u), nil
}

// Same reports whether two specs describe the same clock.
func (s Spec) Same(o Spec) bool {
	return s.Kind == o.Kind && s.Factor.Num*o.Factor.Den == o.Factor.Num*s.Factor.Den && s.Way == o.Way && s.CameraLocked == o.CameraLocked && s.DelayMS == o.DelayMS && max(s.Times, 1) == max(o.Times, 1) && slices.Equal(s.Waits, o.Waits)
}

// legs is a steady clock that turns or waits: stretches of frames at one rate, one
// after another, each begun exactly when the one before is over.
type legs struct {
	rate Rate
	legs []leg
	// all is the duration, in units of 1/(1000·rate.Num) s.
	all *big.Int
}

// leg runs from one frame to another, or waits where they are the same. It begins
// at start, in units of 1/(1000·rate.Num) s.
type leg struct {
	from, to int
	start    *big.Int
	at       float64 // start in seconds
}

func (s Spec) lay(u Uniform) *legs {
	l := &legs{rate: u.rate(), all: new(big.Int)}
	runs := 0
	run := func(from, to int) {
		defer func() { runs++ }()
		at := from
		step := 1
		if to < from {
			step = -1
		}
		waits := slices.Clone(s.Waits)
		if step < 0 {
			slices.Reverse(waits)
		}
		for _, w := range waits {
			if (w.Frame-at)*step < 0 || (to-w.Frame)*step < 0 || w.Frame == from && runs > 0 { // passed, ahead, or waited at already
				continue
			}
			l.add(at, w.Frame, 0)
			l.add(w.Frame, w.Frame, w.MS)
			at = w.Frame
		}
		l.add(at, to, 0)
	}
	first, last := u.First, u.Last
	if s.Way == Back {
		first, last = last, first
	}
	if s.DelayMS > 0 {
		l.add(first, first, s.DelayMS)
	}
	for range max(s.Times, 1) {
		run(first, last)
		if s.Way == ThereAndBack {
			run(last, first)
		}
	}
	if len(l.legs) == 0 { // a run of no length
		l.legs = []leg{{u.First, u.Last, new(big.Int), 0}}
	}
	return l
}

func (l *legs) add(from, to int, ms int64) {
	if from == to && ms == 0 {
		return
	}
	l.legs = append(l.legs, leg{from, to, new(big.Int).Set(l.all), l.seconds(l.all)})
	n := new(big.Int).Mul(big.NewInt(int64(max(to-from, from-to))), big.NewInt(l.rate.Den))
	n.Mul(n, big.NewInt(1000))
	l.all.Add(l.all, n.Add(n, new(big.Int).Mul(big.NewInt(ms), big.NewInt(l.rate.Num))))
}

func (l *legs) seconds(n *big.Int) float64 {
	v, _ := new(big.Rat).SetFrac(n, new(big.Int).Mul(big.NewInt(1000), big.NewInt(l.rate.Num))).Float64()
	return v
}

// At counts frames gone in the leg, floored to 2⁻³² frame, from where it begins,
// in either direction.
func (l *legs) At(tick, hz int64) Pos {
	// Time in the legs' own unit, × hz.
	t := new(big.Int).Mul(big.NewInt(max(tick, 0)), big.NewInt(l.rate.Num))
	t.Mul(t, big.NewInt(1000))
	h := big.NewInt(hz)
	k := len(l.legs) - 1
	for k > 0 && new(big.Int).Mul(l.legs[k].start, h).Cmp(t) > 0 {
		k--
	}
	g := &l.legs[k]
	t.Sub(t, new(big.Int).Mul(g.start, h))
	t.Lsh(t, 32)
	t.Quo(t, h.Mul(h, new(big.Int).Mul(big.NewInt(1000), big.NewInt(l.rate.Den))))
	gone := int64(max(g.to-g.from, g.from-g.to)) << 32
	if t.IsInt64() {
		gone = min(gone, t.Int64())
	}
	if g.to < g.from {
		gone = -gone
	}
	return Pos(g.from)<<32 + Pos(gone)
}

func (l *legs) Ticks(hz int64) int64 {
	n := new(big.Int).Mul(l.all, big.NewInt(hz))
	q, rem := n.QuoRem(n, new(big.Int).Mul(big.NewInt(1000), big.NewInt(l.rate.Num)), new(big.Int))
	if rem.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	if !q.IsInt64() {
		return math.MaxInt64
	}
	return q.Int64()
}

func (l *legs) Seconds() float64         { return l.seconds(l.all) }
func (l *legs) MaxSpeed() float64        { return l.rate.Float() }
func (l *legs) MaxAcceleration() float64 { return 0 }
func (l *legs) end(k int) (until float64) {
	if k+1 < len(l.legs) {
		return l.legs[k+1].at
	}
	return l.Seconds()
}

func (l *legs) FrameAt(t float64) float64 {
	k := len(l.legs) - 1
	for k > 0 && l.legs[k].at > t {
		k--
	}
	g := &l.legs[k]
	gone := min(max(t-g.at, 0)*l.rate.Float(), math.Abs(float64(g.to-g.from)))
	return float64(g.from) + math.Copysign(gone, float64(g.to-g.from))
}

func (l *legs) TimesAt(frame float64) []Interval {
	var out []Interval
	add := func(from, to float64) {
		if n := len(out); n > 0 && from <= out[n-1].To {
			out[n-1].To = max(out[n-1].To, to)
			return
		}
		out = append(out, Interval{from, to})
	}
	for k, g := range l.legs {
		lo, hi := float64(min(g.from, g.to)), float64(max(g.from, g.to))
		if !(frame >= lo && frame <= hi) {
			continue
		}
		from := g.at + math.Abs(frame-float64(g.from))/l.rate.Float()
		to := from
		if frame == float64(g.to) {
			from, to = l.end(k), l.end(k)
		}
		if g.from == g.to {
			from, to = g.at, l.end(k)
		}
		if k == 0 && frame == float64(g.from) {
			from = math.Inf(-1)
		}
		if k == len(l.legs)-1 && frame == float64(g.to) {
			to = math.Inf(1)
		}
		add(from, to)
	}
	return out
}

func (l *legs) Stops() []int {
	var out []int
	for k, g := range l.legs {
		if k == 0 { // the run begins there
			continue
		}
		if !slices.Contains(out, g.from) {
			out = append(out, g.from)
		}
	}
	slices.Sort(out)
	return out
}

// MaxSpeed is the speed along the path in frames per second.
func (c Uniform) MaxSpeed() float64 { return c.FPS() }

// MaxAcceleration is zero: it is at its speed from the first tick on.
func (c Uniform) MaxAcceleration() float64 { return 0 }

// Stops is empty.
func (c Uniform) Stops() []int { return nil }
