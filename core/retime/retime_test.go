package retime

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"keenarc/core/curve"
)

var inf = math.Inf(1)

func lay(t testing.TB, x, y []float64, s curve.Spec) *curve.Curve {
	t.Helper()
	c, err := curve.New(x, y, s)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func random(t testing.TB, rng *rand.Rand, axes, keys int, kind curve.Kind) ([]*curve.Curve, []Limits) {
	var out []*curve.Curve
	var lim []Limits
	x := []float64{0}
	for len(x) < keys {
		x = append(x, x[len(x)-1]+0.4+2*rng.Float64())
	}
	for range axes {
		y := make([]float64, keys)
		for i := range y {
			y[i] = rng.NormFloat64() * 40
		}
		out = append(out, lay(t, x, y, curve.Spec{Kind: kind}))
		lim = append(lim, Limits{20 + 40*rng.Float64(), 30 + 100*rng.Float64(), 300 + 3000*rng.Float64()})
	}
	return out, lim
}

func retime(t testing.TB, c []*curve.Curve, lim []Limits, jerk bool) *Result {
	t.Helper()
	r, err := New(context.Background(), c, lim, jerk)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// hold checks what every answer promises: within the limits, exactly and by samples; from
// rest to rest; as continuous as it says; the same poses in the same order. It says how much of
// the time some limit is used to 98 %.
func hold(t testing.TB, c []*curve.Curve, lim []Limits, r *Result, jerk bool) (busy float64) {
	t.Helper()
	orders := 2
	if jerk {
		orders = 3
	}
	if !(r.WorstShare <= 1+1e-9) || !(r.Duration >= r.LowerBound*(1-1e-12)) || r.LowerBound < 0 {
		t.Errorf("worst share %.9f, %g s, bound %g", r.WorstShare, r.Duration, r.LowerBound)
	}
	for i, q := range r.Curves {
		for o := 1; o <= orders; o++ {
			if v, at := q.MaxAbs(o); v > [4]float64{0, lim[i].Speed, lim[i].Acceleration, lim[i].Jerk}[o]*(1+1e-6) {
				t.Errorf("axis %d, order %d: %g at %g, limits %v", i, o, v, at, lim[i])
			}
		}
		v, _ := q.MaxAbs(1)
		if a, b := q.At(0), q.End(); math.Abs(a.V) > 1e-9*v || math.Abs(b.V) > 1e-9*v || jerk && math.Abs(a.A)+
			math.Abs(b.A) > 1e-6*lim[i].Acceleration {
			t.Errorf("axis %d is not at rest: %v, %v", i, a, b)
		}
		if math.Abs(q.At(0).P-c[i].Wait()) > 1e-9 || math.Abs(q.End().P-c[i].Rest()) > 1e-9*(1+math.Abs(c[i].Rest())) {
			t.Errorf("axis %d goes from %g to %g", i, q.At(0).P, q.End().P)
		}
		for k := 1; k < len(q.C); k++ {
			a, b := q.C[k-1].At(q.X[k]-q.X[k-1]), q.C[k].At(0)
			if math.Abs(a.P-b.P) > 1e-9*(1+math.Abs(a.P)) || math.Abs(a.V-b.V) > 1e-6*lim[i].Speed || jerk &&
				math.Abs(a.A-b.A) > 1e-5*lim[i].Acceleration {
				t.Fatalf("axis %d steps at %g: %v, %v", i, q.X[k], a, b)
			}
		}
	}
	const n = 4000
	last := math.Inf(-1)
	for k := range n {
		at := r.Duration * (float64(k) + 0.5) / n
		old, top := r.Old(at), 0.0
		if old < last-1e-4 { // between two nodes it is found by the axis that moves most, which may turn there
			t.Fatalf("at %g it is back at %g of the original, after %g", at, old, last)
		}
		last = old
		for i, q := range r.Curves {
			s := q.At(at)
			lo, _, hi, _ := c[i].Range()
			if d := math.Abs(s.P - c[i].At(old).P); d > 1e-4*(hi-lo)+1e-9 {
				t.Fatalf("axis %d at %g is %g, at %g of the original %g", i, at, s.P, old, c[i].At(old).P)
			}
			top = max(top, math.Abs(s.V)/lim[i].Speed, math.Abs(s.A)/lim[i].Acceleration)
		}
		if top > 0.98 {
			busy += 1.0 / n
		}
	}
	return busy
}

// One axis from rest to rest is the shortest move: the trapezoid, and the S-curve with jerk.
func TestOneAxisIsTheShortestMove(t *testing.T) {
	for _, d := range []float64{0.01, 3, -40, 500} {
		for _, b := range []Limits{{20, 30, 200}, {5, 100, 90}, {inf, 30, 1000}, {20, inf, 700}, {20, 30, inf}} {
			c := []*curve.Curve{lay(t, []float64{0, 7}, []float64{2, 2 + d}, curve.Spec{}),
				lay(t, []float64{0, 7}, []float64{1, 1}, curve.Spec{})}
			lim := []Limits{b, {1, 1, 1}}
			for _, jerk := range []bool{false, true} {
				r := retime(t, c, lim, jerk)
				in, within := curve.Bounds{Speed: min(b.Speed, 1e9), Acceleration: min(b.Acceleration, 1e9)}, 1e-9
				if math.IsInf(b.Acceleration, 1) || math.IsInf(b.Jerk, 1) {
					within = 1e-4
				}
				if jerk {
					in.Jerk = min(b.Jerk, 1e9)
				}
				want, err := curve.Shortest(d, in)
				if err != nil {
					t.Fatal(err)
				}
				if math.Abs(r.Duration-want.Duration) > within*want.Duration {
					t.Errorf("%g within %v, jerk %t: %.12g s, want %.12g", d, b, jerk, r.Duration, want.Duration)
				}
				hold(t, c, lim, r, jerk)
			}
		}
	}
}

// Random moves of every kind without jumps: within limits, and without jerk some limit is all
// but reached nearly all of the time.
func TestRandomMoves(t *testing.T) {
	if os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		t.Skip("make mutants runs this hundreds of times")
	}
	rng := rand.New(rand.NewPCG(1, 1))
	keys := []int{2, 3, 6}
	if !testing.Short() {
		keys = append(keys, 25)
	}
	for _, k := range []curve.Kind{curve.Smooth, curve.Natural, curve.Clamped, curve.Through, curve.Monotone,
		curve.Akima, curve.TCB, curve.Quintic, curve.Ramped, curve.Handles, curve.Linear} {
		for _, n := range keys {
			c, lim := random(t, rng, 1+rng.IntN(4), n, k)
			r := retime(t, c, lim, false)
			if busy := hold(t, c, lim, r, false); busy < 0.95 {
				t.Errorf("%s through %d keys: a limit is reached for %.3f of the time", k, n, busy)
			}
			if g := r.Gap(); g > 0.004 {
				t.Errorf("%s through %d keys: gap %g", k, n, g)
			}
		}
	}
}

// With jerk: within 15 % of the bound where ramps of acceleration are short beside the move.
func TestRandomMovesWithJerk(t *testing.T) {
	if os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		t.Skip("make mutants runs this hundreds of times")
	}
	rng := rand.New(rand.NewPCG(2, 1))
	held := 0
	for _, k := range []curve.Kind{curve.Smooth, curve.Natural, curve.Through, curve.Linear} {
		for _, n := range []int{2, 4, 8} {
			c, lim := random(t, rng, 3, n, k)
			for i := range lim { // one that is easily kept, and one that is felt
				lim[i].Jerk *= float64(1 + 9*(n%8/4))
			}
			r := retime(t, c, lim, true)
			hold(t, c, lim, r, true)
			ramps, reversals := 0.0, 0.0
			for i := range lim {
				ramps = max(ramps, lim[i].Acceleration/lim[i].Jerk)
			}
			free := retime(t, c, lim, false)
			for i := range lim { // reversals of acceleration of any axis without jerk
				was, own := 0.0, 0.0
				for j := range 5000 {
					if a := free.Curves[i].At(free.Duration * float64(j) / 5000).A; math.Abs(a) >
						0.3*lim[i].Acceleration {
						if a*was < 0 {
							own++
						}
						was = a
					}
				}
				reversals = max(reversals, own)
			}
			if (reversals+2)*ramps < 0.1*r.LowerBound &&
				k != curve.Through { // whose curvature steps: it has to stop there
				held++
				if r.Gap() > 0.15 {
					t.Errorf("%s through %d keys: gap %.3f, %g reversals of %g s in %g s", k, n, r.Gap(), reversals,
						ramps, r.Duration)
				}
			}
			if r.Gap() > 0.5 {
				t.Errorf("%s through %d keys: gap %.3f", k, n, r.Gap())
			}
		}
	}
	if held < 4 {
		t.Errorf("only %d moves are of the kind that is promised", held)
	}
}

// Where only speed is limited the time is the integral of the fastest axis's share of it.
func TestSpeedAlone(t *testing.T) {
	c := []*curve.Curve{lay(t, []float64{0, 3, 5}, []float64{0, 10, -4}, curve.Spec{Kind: curve.Natural}),
		lay(t, []float64{0, 3, 5}, []float64{7, -3, 30}, curve.Spec{Kind: curve.Natural})}
	lim := []Limits{{3, inf, inf}, {5, inf, inf}}
	want, n := 0.0, 400_000
	for k := range n {
		at := 5 * (float64(k) + 0.5) / float64(n)
		want += max(math.Abs(c[0].At(at).V)/3, math.Abs(c[1].At(at).V)/5) * 5 / float64(n)
	}
	if r := retime(t, c, lim, false); math.Abs(r.Duration-want) > 4e-3*want {
		t.Errorf("%g s, want %g", r.Duration, want)
	}
}

// The old timing does not count, and limits of twice the speed and four times the acceleration
// halve the time.
func TestOnlyTheWayCounts(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	c, lim := random(t, rng, 3, 5, curve.Natural)
	r := retime(t, c, lim, false)
	var slower []*curve.Curve
	for _, a := range c {
		b := &curve.Curve{}
		for _, x := range a.X {
			b.X = append(b.X, 3*x+2)
		}
		for _, p := range a.C {
			k := 1.0
			for o := range p {
				p[o] /= k
				k *= 3
			}
			b.C = append(b.C, p)
		}
		slower = append(slower, b)
	}
	if s := retime(t, slower, lim, false); math.Abs(s.Duration-r.Duration) > 1e-6*r.Duration {
		t.Errorf("three times as slow before: %g s and %g s", s.Duration, r.Duration)
	}
	twice := make([]Limits, len(lim))
	for i, l := range lim {
		twice[i] = Limits{2 * l.Speed, 4 * l.Acceleration, 8 * l.Jerk}
	}
	for _, jerk := range []bool{false, true} {
		a, b := retime(t, c, lim, jerk), retime(t, c, twice, jerk)
		if math.Abs(a.Duration-2*b.Duration) > 1e-3*a.Duration {
			t.Errorf("twice as strong, jerk %t: %g s and %g s", jerk, a.Duration, b.Duration)
		}
	}
	// A straight way of two axes takes what the slower takes alone.
	two := []*curve.Curve{lay(t, []float64{0, 2}, []float64{0, 10}, curve.Spec{}),
		lay(t, []float64{0, 2}, []float64{5, -30}, curve.Spec{})}
	slow, _ := curve.Shortest(35, curve.Bounds{Speed: 7, Acceleration: 11})
	if r := retime(t, two, []Limits{{50, 60, inf}, {7, 11, inf}}, false); math.Abs(r.Duration-slow.Duration) >
		1e-9*slow.Duration {
		t.Errorf("two axes together: %g s, the slower alone %g", r.Duration, slow.Duration)
	}
}

// Waits keep their length, in both modes; corners are stops; what turns round turns at rest.
func TestWaitsAndCorners(t *testing.T) {
	x := []float64{0, 2, 5, 6}
	c := []*curve.Curve{lay(t, x, []float64{0, 10, 10, 4}, curve.Spec{Kind: curve.Monotone}),
		lay(t, x, []float64{3, 8, 8, 9}, curve.Spec{Kind: curve.Monotone})}
	lim := []Limits{{20, 30, 400}, {20, 30, 400}}
	for _, jerk := range []bool{false, true} {
		r := retime(t, c, lim, jerk)
		hold(t, c, lim, r, jerk)
		still := 0.0
		for k := range 20_000 {
			if at := r.Duration * (float64(k) + 0.5) / 20_000; r.Curves[0].At(at).V == 0 && r.Curves[1].At(at).V == 0 {
				still += r.Duration / 20_000
			}
		}
		if math.Abs(still-3) > 1e-3*r.Duration {
			t.Errorf("jerk %t: it waits %g s, 3 before", jerk, still)
		}
	}
	corner := []*curve.Curve{lay(t, []float64{0, 1, 2}, []float64{0, 10, 10}, curve.Spec{Kind: curve.Linear}),
		lay(t, []float64{0, 1, 2}, []float64{0, 0, 10}, curve.Spec{Kind: curve.Linear})}
	r := retime(t, corner, lim, false)
	one, _ := curve.Shortest(10, curve.Bounds{Speed: 20, Acceleration: 30})
	if math.Abs(r.Duration-2*one.Duration) > 1e-9 {
		t.Errorf("round a corner: %g s, want two moves of %g", r.Duration, one.Duration)
	}
	// The same speed through a keyframe is no corner, whatever the old speeds were.
	along := []*curve.Curve{lay(t, []float64{0, 1, 5}, []float64{0, 10, 20}, curve.Spec{Kind: curve.Linear})}
	all, _ := curve.Shortest(20, curve.Bounds{Speed: 20, Acceleration: 30})
	if r := retime(t, along, lim[:1], false); math.Abs(r.Duration-all.Duration) > 1e-9 {
		t.Errorf("straight on: %g s, want %g", r.Duration, all.Duration)
	}
	back := []*curve.Curve{lay(t, []float64{0, 1, 2}, []float64{0, 10, 0}, curve.Spec{})}
	if r := retime(t, back, lim[:1], false); math.Abs(r.Duration-2*one.Duration) > 1e-6 {
		t.Errorf("there and back: %g s, want %g", r.Duration, 2*one.Duration)
	}
	still := []*curve.Curve{lay(t, []float64{0, 4}, []float64{1, 1}, curve.Spec{})}
	if r := retime(t, still, lim[:1], true); r.Duration != 4 || r.Old(3) != 3 || r.WorstShare != 0 {
		t.Errorf("a wait alone: %+v", r)
	}
}

func TestRefused(t *testing.T) {
	c := []*curve.Curve{lay(t, []float64{0, 1}, []float64{0, 1}, curve.Spec{Kind: curve.Hold})}
	free := []*curve.Curve{lay(t, []float64{0, 1}, []float64{0, 1}, curve.Spec{})}
	for name, x := range map[string]struct {
		c   []*curve.Curve
		lim []Limits
	}{
		"a jump":    {c, []Limits{{1, 1, 1}}},
		"count":     {free, nil},
		"no speed":  {free, []Limits{{0, 1, 1}}},
		"no number": {free, []Limits{{1, math.NaN(), 1}}},
		"no limit":  {free, []Limits{{inf, inf, 1}}},
	} {
		_, err := New(context.Background(), x.c, x.lim, false)
		var e *Error
		if !errors.As(err, &e) || e.Want == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := New(context.Background(), free, []Limits{{1, 1, 0}}, true); err == nil {
		t.Error("a jerk of nothing is taken")
	}
}

// Timing anew ends when nobody waits for it any more, with jerk and without.
func TestRetimingEnds(t *testing.T) {
	c, lim := random(t, rand.New(rand.NewPCG(4, 27)), 2, 5, curve.Smooth)
	for _, jerk := range []bool{false, true} {
		over, end := context.WithCancel(t.Context())
		end()
		if _, err := New(over, c, lim, jerk); !errors.Is(err, context.Canceled) {
			t.Errorf("with jerk %v: %v", jerk, err)
		}
	}
}

func BenchmarkRetime(b *testing.B) {
	rng := rand.New(rand.NewPCG(1, 1))
	c, lim := random(b, rng, 5, 100, curve.Smooth) // as large as is taken over the web
	for name, jerk := range map[string]bool{"speed and acceleration": false, "jerk": true} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if _, err := New(context.Background(), c, lim, jerk); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// An axis without a limit of speed is timed like any other: its pace has no bound of its own.
func TestJerkWithoutALimitOfSpeed(t *testing.T) {
	rng := rand.New(rand.NewPCG(27, 1))
	for n := range 24 {
		c, lim := random(t, rng, 2, 3+rng.IntN(4), curve.Smooth)
		lim[0].Speed = inf
		if n%3 == 0 {
			lim[1].Speed = inf
		}
		hold(t, c, lim, retime(t, c, lim, true), true)
	}
}

// With jerk it is never longer than the old timing slowed evenly, where that is one: gentle ways
// of axes that take long to come to their acceleration.
func TestNeverLongerThanSlowedEvenly(t *testing.T) {
	rng := rand.New(rand.NewPCG(12, 1))
	taken := 0
	for range 30 {
		n := 2 + rng.IntN(3)
		x, y, z := []float64{0}, []float64{0}, []float64{0}
		for len(x) <= n {
			x, y, z = append(x, x[len(x)-1]+1+rng.Float64()), append(y, y[len(y)-1]+10*rng.Float64()),
				append(z, z[len(z)-1]+5*rng.Float64())
		}
		bends := make([]curve.Bend, len(x))
		for k := 1; k < n; k++ {
			bends[k].Slope = 4 * rng.Float64()
		}
		c := []*curve.Curve{lay(t, x, y, curve.Spec{Kind: curve.Quintic, Keys: bends}),
			lay(t, x, z, curve.Spec{Kind: curve.Quintic, Keys: bends})}
		lim := []Limits{{40, 30 + 50*rng.Float64(), 2 + 20*rng.Float64()},
			{40, 30 + 50*rng.Float64(), 2 + 20*rng.Float64()}}
		r := retime(t, c, lim, true)
		hold(t, c, lim, r, true)
		by := 0.0
		for i, q := range c {
			for o := 1; o <= 3; o++ {
				v, _ := q.MaxAbs(o)
				by = max(by, math.Pow(v/[4]float64{0, lim[i].Speed, lim[i].Acceleration, lim[i].Jerk}[o], 1/float64(o)))
			}
		}
		if even := c[0].Last() * by; r.Duration > even*(1+1e-9) {
			t.Errorf("%g s, slowed evenly %g", r.Duration, even)
		} else if r.Duration > even*(1-1e-9) {
			taken++
		}
	}
	if taken == 0 {
		t.Error("the old timing was never the better one: this tests nothing")
	}
}
