package clock

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"keenarc/core/known"
)

func TestAtIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	for _, r := range []Rate{{24, 1}, {24000, 1001}, {25, 1}, {48, 1}, {1, 3}} {
		for _, f := range []Rate{{1, 1}, {3, 1}, {907, 1000}, {1, 4}} {
			c := Uniform{First: -12, Last: 90000, Path: r, Factor: f}
			for range 200 {
				tick := rng.Int64N(c.Ticks(1000))
				want := new(big.Rat).Mul(big.NewRat(tick, 1000), new(big.Rat).Mul(big.NewRat(r.Num, r.Den),
					big.NewRat(f.Num, f.Den)))
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

// The suite of known answers.
func TestKnownAnswers(t *testing.T) {
	for _, k := range known.Clocks {
		c := Uniform{First: k.First, Last: k.Last, Path: Rate{k.Path[0], k.Path[1]},
			Factor: Rate{k.Factor[0], k.Factor[1]}}
		if n := c.Ticks(k.Hz); n != k.Ticks {
			t.Errorf("%+v takes %d ticks, want %d", c, n, k.Ticks)
		}
		for _, d := range k.Due {
			if got := c.At(d[0], k.Hz); int64(got) != d[1] {
				t.Errorf("%+v at tick %d: %d, want %d", c, d[0], got, d[1])
			}
			want := Pos(d[1]).Frame()
			if got := c.FrameAt(float64(d[0]) / float64(k.Hz)); math.Abs(got-want) > 1e-6 {
				t.Errorf("%+v at %d/%d s: frame %g, want %g", c, d[0], k.Hz, got, want)
			}
		}
		if s := c.Seconds(); math.Abs(s-float64(k.Ticks)/float64(k.Hz)) > 1.0/float64(k.Hz) {
			t.Errorf("%+v lasts %g s, %d ticks", c, s, k.Ticks)
		}
	}
}

// exact is At by a second route: fractions of any size.
func exact(c Uniform, tick, hz int64) Pos {
	n := new(big.Int).Mul(big.NewInt(tick), new(big.Int).Mul(big.NewInt(c.Path.Num), big.NewInt(c.Factor.Num)))
	n.Lsh(n, 32)
	d := new(big.Int).Mul(big.NewInt(hz), new(big.Int).Mul(big.NewInt(c.Path.Den), big.NewInt(c.Factor.Den)))
	n.Quo(n, d)
	n.Add(n, new(big.Int).Lsh(big.NewInt(int64(c.First)), 32))
	if end := new(big.Int).Lsh(big.NewInt(int64(c.Last)), 32); n.Cmp(end) > 0 {
		n = end
	}
	return Pos(n.Int64())
}

// Every rate that Check accepts is exact, the largest and oddest included.
func TestAtIsExactForEveryAcceptedRate(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 9))
	edge := []int64{1, 2, 3, 7, 1001, 24000, 999_999_937, 999_999_999, 1_000_000_000}
	pick := func() int64 {
		if rng.IntN(2) == 0 {
			return edge[rng.IntN(len(edge))]
		}
		return 1 + rng.Int64N(1<<rng.IntN(30))
	}
	wide := 0
	for range 20_000 {
		c := Uniform{First: -int(rng.Int64N(1000)), Last: 1 + int(rng.Int64N(1_000_000)), Path: Rate{pick(), pick()},
			Factor: Rate{pick(), pick()}}
		if c.Path.Check("") != nil || c.Factor.Check("") != nil {
			continue
		}
		hz := []int64{1, 60, 1000, 1_000_000}[rng.IntN(4)]
		tick := rng.Int64N(1<<(1+rng.IntN(62))) + 1
		if f := float64(tick) * c.FPS() / float64(hz); f > 0.01 && f < 1e6 && float64(c.rate().Den)*
			float64(hz) > 1<<63 {
			wide++
		}
		if got, want := c.At(tick, hz), exact(c, tick, hz); got != want {
			t.Fatalf("%+v at tick %d of %d Hz: %d, want %d", c, tick, hz, got, want)
		}
		n := c.Ticks(hz)
		if n < math.MaxInt64 && c.At(n, hz) != Pos(c.Last)<<32 || n > 1 && c.At(n-1, hz) == Pos(c.Last)<<32 {
			t.Fatalf("%+v does not end at tick %d of %d Hz", c, n, hz)
		}
	}
	if wide < 100 {
		t.Errorf("only %d cases reach beyond 64 bits inside the move", wide)
	}
	// The case that was found: 24 frames a second in large numbers.
	c := Uniform{Last: 1000, Path: Rate{999_999_984, 41_666_666}, Factor: Rate{999_999_937, 999_999_936}}
	if got, want := c.At(1000, 1000), exact(c, 1000, 1000); got != want || math.Abs(got.Frame()-24) > 1e-3 {
		t.Errorf("after a second at frame %g, want %g", got.Frame(), want.Frame())
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

// The times of a frame, by hand: waits at both ends, one instant between, none
// outside; a move of no length waits for ever.
func TestTimesByHand(t *testing.T) {
	c := Uniform{First: -12, Last: 60, Path: Rate{24, 1}, Factor: Rate{1, 2}}
	inf := math.Inf(1)
	for frame, want := range map[float64][]Interval{-12: {{-inf, 0}}, 0: {{1, 1}}, 30: {{3.5, 3.5}}, 60: {{6, inf}},
		60.5: nil, -13: nil, math.NaN(): nil} {
		if got := c.TimesAt(frame); len(got) != len(want) || len(got) == 1 && got[0] != want[0] {
			t.Errorf("frame %g: %v, want %v", frame, got, want)
		}
	}
	for at, want := range map[float64]float64{-1: -12, 0: -12, 1: 0, 6: 60, 7: 60} {
		if got := c.FrameAt(at); got != want {
			t.Errorf("after %g s frame %g, want %g", at, got, want)
		}
	}
	still := Uniform{First: 5, Last: 5, Path: Rate{24, 1}, Factor: Rate{1, 1}}
	if got := still.TimesAt(5); len(got) != 1 || got[0] != (Interval{-inf, inf}) || still.At(9, 1000) != At(5) ||
		still.Ticks(1000) != 0 {
		t.Errorf("a move of no length: %v", got)
	}
	if p := At(7.25); p.Whole() != 7 || p.Frame() != 7.25 || At(-0.5).Whole() != -1 {
		t.Errorf("7.25 is %d, %g", p.Whole(), p.Frame())
	}
	for _, r := range []Rate{{0, 1}, {1, 0}, {-24, 1}, {24, -1}, {1_000_000_001, 1}, {1, 1_000_000_001}} {
		if err := r.Check("rate"); err == nil {
			t.Errorf("%v is a rate", r)
		}
	}
	if err := (Rate{1_000_000_000, 1_000_000_000}).Check("rate"); err != nil {
		t.Error(err)
	}
	if got := (Rate{24000, 1001}).Times(Rate{1001, 2000}); got != (Rate{12, 1}) {
		t.Errorf("in lowest terms: %v", got)
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
