// Package clock says which frame of a path is due at which time.
//
// A frame position at run time is an int64 in units of 2⁻³² frame (Pos),
// computed from tick × num / den and never accumulated, so that it is the same
// on every machine however long the pass. Rates are rational. Path rate and
// camera rate are apart: slowing a path slows both unless the camera is locked.
package clock

import (
	"fmt"
	"math"
	"math/big"
	"math/bits"
)

// Pos is a frame position in units of 2⁻³² frame.
type Pos int64

// One is one whole frame.
const One = Pos(1) << 32

// At converts a frame number to a position, rounding half to even.
func At(frame float64) Pos { return Pos(math.RoundToEven(frame * (1 << 32))) }

// Frame is the position as a real frame number.
func (p Pos) Frame() float64 { return float64(p) / (1 << 32) }

// Whole is the last whole frame at or before the position.
func (p Pos) Whole() int { return int(p >> 32) }

// Rate is an exact rational number: frames per second (24000/1001) or a plain
// factor (3/1).
type Rate struct {
	Num int64 `json:"num" minimum:"1" doc:"numerator"`
	Den int64 `json:"den" minimum:"1" doc:"denominator"`
}

// Float is the nearest float64.
func (r Rate) Float() float64 { return float64(r.Num) / float64(r.Den) }

// Lowest is the same rate in lowest terms, as clocks are written: 1/2 for 500/1000.
func (r Rate) Lowest() Rate {
	d := gcd(r.Num, r.Den)
	return Rate{r.Num / d, r.Den / d}
}

// Check refuses what is not a usable rate; what names it.
func (r Rate) Check(what string) error {
	if r.Num < 1 || r.Den < 1 || r.Num > 1_000_000_000 || r.Den > 1_000_000_000 {
		return fmt.Errorf("%s: %d/%d is not a rate; give two whole numbers from 1 to 1000000000", what, r.Num, r.Den)
	}
	return nil
}

// Times is the product in lowest terms.
func (r Rate) Times(f Rate) Rate {
	a, b := gcd(r.Num, f.Den), gcd(f.Num, r.Den)
	return Rate{(r.Num / a) * (f.Num / b), (r.Den / b) * (f.Den / a)}
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return max(a, 1)
}

// Uniform runs a path from First to Last at Path × Factor frames per second.
// Before its start it waits at First, after its end it stays at Last.
type Uniform struct {
	First        int  `json:"first"`
	Last         int  `json:"last"`
	Path         Rate `json:"path_rate"`
	Factor       Rate `json:"factor"`
	CameraLocked bool `json:"camera_locked"`
	Picture      int  `json:"-"` // a frame that a locked camera takes a picture of
}

// FPS is the speed along the path in frames per second.
func (c Uniform) FPS() float64 { return c.rate().Float() }

func (c Uniform) rate() Rate { return c.Path.Times(c.Factor) }

// CameraFPS is the camera's rate: the path's own unless the camera is locked.
func (c Uniform) CameraFPS() float64 {
	if c.CameraLocked {
		return c.Path.Float()
	}
	return c.FPS()
}

// OneToOne reports whether every camera frame is one path frame.
func (c Uniform) OneToOne() bool { return !c.CameraLocked || c.Factor.Num == c.Factor.Den }

// At is the position due at tick of a counter of hz ticks a second, floored to
// 2⁻³² frame; exact for every rate that Check accepts. hz is above zero.
func (c Uniform) At(tick, hz int64) Pos {
	if tick <= 0 || c.Last <= c.First {
		return Pos(c.First) << 32
	}
	r := c.rate()
	over, div := bits.Mul64(uint64(r.Den), uint64(hz))
	if over > 0 {
		return c.atWide(tick, hz, r)
	}
	hi, lo := bits.Mul64(uint64(tick), uint64(r.Num))
	whole, rem := bits.Div64(hi%div, lo, div)
	if hi >= div || whole >= uint64(c.Last-c.First) {
		return Pos(c.Last) << 32
	}
	frac, _ := bits.Div64(rem>>32, rem<<32, div)
	return Pos(int64(c.First)+int64(whole))<<32 + Pos(frac)
}

// atWide is At where the divisor does not fit 64 bits.
func (c Uniform) atWide(tick, hz int64, r Rate) Pos {
	n := new(big.Int).Mul(big.NewInt(tick), big.NewInt(r.Num))
	n.Lsh(n, 32)
	n.Quo(n, new(big.Int).Mul(big.NewInt(r.Den), big.NewInt(hz)))
	if end := int64(c.Last-c.First) << 32; n.Cmp(big.NewInt(end)) >= 0 {
		return Pos(c.Last) << 32
	}
	return Pos(c.First)<<32 + Pos(n.Int64())
}

// Ticks is the number of hz ticks until Last is reached, or the largest int64
// where that is more.
func (c Uniform) Ticks(hz int64) int64 {
	if c.Last <= c.First {
		return 0
	}
	r := c.rate()
	n := new(big.Int).Mul(big.NewInt(int64(c.Last-c.First)), big.NewInt(hz))
	n.Mul(n, big.NewInt(r.Den))
	q, rem := n.QuoRem(n, big.NewInt(r.Num), new(big.Int))
	if rem.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	if !q.IsInt64() {
		return math.MaxInt64
	}
	return q.Int64()
}

// Seconds is the duration from First to Last.
func (c Uniform) Seconds() float64 { return float64(c.Last-c.First) / c.FPS() }

// Interval is a closed stretch of time in seconds; To may be +Inf.
type Interval struct{ From, To float64 }

// FrameAt is the real frame due t seconds after the start.
func (c Uniform) FrameAt(t float64) float64 {
	return min(max(float64(c.First)+t*c.FPS(), float64(c.First)), float64(c.Last))
}

// TimesAt lists the maximal intervals of time at which a frame is due: one
// instant inside the move, a wait at its ends, none outside.
func (c Uniform) TimesAt(frame float64) []Interval {
	switch first, last := float64(c.First), float64(c.Last); {
	case !(frame >= first && frame <= last):
		return nil
	case first == last:
		return []Interval{{math.Inf(-1), math.Inf(1)}}
	case frame == first:
		return []Interval{{math.Inf(-1), 0}}
	case frame == last:
		return []Interval{{c.Seconds(), math.Inf(1)}}
	}
	t := (frame - float64(c.First)) / c.FPS()
	return []Interval{{t, t}}
}
