package clock

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"
)

func TestAtIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	for _, r := range []Rate{{24, 1}, {24000, 1001}, {25, 1}, {48, 1}, {1, 3}} {
		for _, f := range []Rate{{1, 1}, {3, 1}, {907, 1000}, {1, 4}} {
			c := Uniform{First: -12, Last: 90000, Path: r, Factor: f}
			for range 200 {
				tick := rng.Int64N(c.Ticks(1000))
				want := new(big.Rat).Mul(big.NewRat(tick, 1000), new(big.Rat).Mul(big.NewRat(r.Num, r.Den), big.NewRat(f.Num, f.Den)))
				want.Mul(want, new(big.Rat).SetInt64(1<<32))
				q := new(big.Int).Quo(want.Num(), want.Denom())
				if got := int64(c.At(tick, 1000)) + 12<<32; got != q.Int64() {
					t.Fatalf("rate %v factor %v tick %d: %d, want %d", r, f, tick, got, q)
				}
			}
			if n := c.Ticks(1000); c.At(n, 1000) != At(90000) || c.At(n-1, 1000) == At(90000) {
				t.Errorf("rate %v factor %v: %d ticks do not end the move", r, f, n)
			}
		}
	}
}

// The law of the inverse: t ∈ TimesAt(f(t)).
func TestTimesAt(t *testing.T) {
	c := Uniform{First: 0, Last: 240, Path: Rate{24, 1}, Factor: Rate{3, 1}}
	for _, at := range []float64{-2, 0, 1e-6, 1.5, 3.3333, 3.4, 100} {
		f := c.FrameAt(at)
		found := false
		for _, i := range c.TimesAt(f) {
			found = found || at >= i.From-1e-12 && at <= i.To+1e-12
		}
		if !found {
			t.Errorf("%g s is not among the times of frame %g: %v", at, f, c.TimesAt(f))
		}
	}
	if got := c.TimesAt(241); got != nil {
		t.Errorf("outside the move: %v", got)
	}
	if got := c.TimesAt(240); len(got) != 1 || !math.IsInf(got[0].To, 1) {
		t.Errorf("the end pose is held, got %v", got)
	}
}

func TestCameraLocked(t *testing.T) {
	c := Uniform{Path: Rate{24, 1}, Factor: Rate{3, 1}}
	if c.CameraFPS() != 72 || !c.OneToOne() {
		t.Error("an unlocked camera speeds up with the path")
	}
	c.CameraLocked = true
	if c.CameraFPS() != 24 || c.OneToOne() {
		t.Error("a locked camera keeps its rate, and frames no longer correspond")
	}
}

func TestTimecode(t *testing.T) {
	for f, want := range map[int]string{0: "10:00:00:00", 86: "10:00:03:14", -1: "09:59:59:23", 24 * 3600: "11:00:00:00"} {
		if got := Timecode(f, Rate{24, 1}); got != want {
			t.Errorf("frame %d: %s, want %s", f, got, want)
		}
	}
}
