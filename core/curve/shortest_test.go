package curve_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/curve"
)

// run integrates a move's phases: where it comes to, and the most of each on the way.
func run(s curve.Short) (at, speed, acc float64) {
	sign := 1.0
	if s.Distance < 0 {
		sign = -1
	}
	var x, v, a float64
	step := func(t, j float64) {
		x += v*t + a*t*t/2 + j*t*t*t/6
		v += a*t + j*t*t/2
		a += j * t
		speed, acc = max(speed, math.Abs(v)), max(acc, math.Abs(a))
	}
	if len(s.Phases) == 3 {
		for k, t := range s.Phases {
			a = []float64{1, 0, -1}[k] * s.PeakAcceleration * sign
			step(t, 0)
		}
		return sign * x, speed, math.Abs(s.PeakAcceleration)
	}
	for k, t := range s.Phases {
		step(t, []float64{1, 0, -1, 0, -1, 0, 1}[k]*math.Abs(s.PeakJerk))
	}
	if math.Abs(v) > 1e-6*(1+speed) || math.Abs(a) > 1e-6*(1+acc) {
		return math.NaN(), v, a
	}
	return sign * x, speed, acc
}

// By hand: with and without speed reached, with and without acceleration reached.
func TestShortestByHand(t *testing.T) {
	for _, c := range []struct {
		d         float64
		b         curve.Bounds
		duration  float64
		peakSpeed float64
		phases    []float64
	}{
		{40, curve.Bounds{Speed: 20, Acceleration: 40}, 2.5, 20, []float64{0.5, 1.5, 0.5}},
		{10, curve.Bounds{Speed: 20, Acceleration: 40}, 1, 20, []float64{0.5, 0, 0.5}},
		{-2.5, curve.Bounds{Speed: 20, Acceleration: 40}, 0.5, -10, []float64{0.25, 0, 0.25}},
		{0, curve.Bounds{Speed: 20, Acceleration: 40}, 0, 0, []float64{0, 0, 0}},
		// To 20 at 40 with 400: changes of 0.1 s, 0.6 s to speed, 40 = 20·(0.6 + 1.4).
		{40, curve.Bounds{Speed: 20, Acceleration: 40, Jerk: 400}, 2.6, 20,
			[]float64{0.1, 0.4, 0.1, 1.4, 0.1, 0.4, 0.1}},
		// Speed comes before full acceleration: 2·√(4/400) = 0.2 s.
		{4, curve.Bounds{Speed: 4, Acceleration: 100, Jerk: 400}, 1.2, 4, []float64{0.1, 0, 0.1, 0.8, 0.1, 0, 0.1}},
		// Neither: 2·400·0.05³ = 0.1.
		{0.1, curve.Bounds{Speed: 20, Acceleration: 40, Jerk: 400}, 0.2, 1, []float64{0.05, 0, 0.05, 0, 0.05, 0, 0.05}},
		// Full acceleration, not full speed: 40·0.3·0.2 = 2.4.
		{2.4, curve.Bounds{Speed: 20, Acceleration: 40, Jerk: 400}, 0.6, 8, []float64{0.1, 0.1, 0.1, 0, 0.1, 0.1, 0.1}},
		{0, curve.Bounds{Speed: 20, Acceleration: 40, Jerk: 400}, 0, 0, []float64{0, 0, 0, 0, 0, 0, 0}},
	} {
		s, err := curve.Shortest(c.d, c.b)
		if err != nil || math.Abs(s.Duration-c.duration) > 1e-12 || math.Abs(s.PeakSpeed-c.peakSpeed) > 1e-9 {
			t.Errorf("%g within %+v: %+v, %v", c.d, c.b, s, err)
			continue
		}
		for k, p := range c.phases {
			if len(s.Phases) != len(c.phases) || math.Abs(s.Phases[k]-p) > 1e-9 {
				t.Errorf("%g within %+v: %v, want %v", c.d, c.b, s.Phases, c.phases)
				break
			}
		}
	}
}

// Random ones arrive, within their limits, and with at least one limit in use all the way:
// no other symmetric profile of the same limits is shorter.
func TestShortestIsShortest(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 8))
	for range 5000 {
		b := curve.Bounds{Speed: math.Exp(rng.NormFloat64() * 2), Acceleration: math.Exp(rng.NormFloat64() * 2)}
		if rng.IntN(3) > 0 {
			b.Jerk = math.Exp(rng.NormFloat64() * 3)
		}
		d := rng.NormFloat64() * math.Exp(rng.NormFloat64()*3)
		s, err := curve.Shortest(d, b)
		if err != nil {
			t.Fatal(err)
		}
		at, speed, acc := run(s)
		sum := 0.0
		for _, p := range s.Phases {
			if p < 0 {
				t.Fatalf("%g within %+v: %v", d, b, s.Phases)
			}
			sum += p
		}
		if math.Abs(at-d) > 1e-9*math.Abs(d) || speed > b.Speed*(1+1e-9) || acc > b.Acceleration*(1+1e-9) ||
			math.Abs(s.PeakJerk) > b.Jerk || math.Abs(sum-s.Duration) > 1e-9*s.Duration ||
			math.Abs(speed-math.Abs(s.PeakSpeed)) > 1e-9*speed ||
			math.Abs(acc-math.Abs(s.PeakAcceleration)) > 1e-9*acc {
			t.Fatalf("%g within %+v: %+v comes to %g at most %g, %g", d, b, s, at, speed, acc)
		}
		// Any slower peak of speed or acceleration takes longer.
		for range 5 {
			c := b
			c.Speed *= 0.2 + 0.8*rng.Float64()
			c.Acceleration *= 0.2 + 0.8*rng.Float64()
			if o, err := curve.Shortest(d, c); err != nil || o.Duration < s.Duration*(1-1e-12) {
				t.Fatalf("%g within %+v takes %g, within %+v %g", d, b, s.Duration, c, o.Duration)
			}
		}
		// Jerk without bound is none.
		if b.Jerk == 0 {
			c := b
			c.Jerk = 1e12
			if o, err := curve.Shortest(d, c); err != nil || math.Abs(o.Duration/s.Duration-1) > 1e-4 &&
				s.Duration > 1e-3 {
				t.Fatalf("%g within %+v: %g, with jerk %g", d, b, s.Duration, o.Duration)
			}
		}
	}
}

// Several arrive together, none faster than its own shortest.
func TestTogether(t *testing.T) {
	a, _ := curve.Shortest(40, curve.Bounds{Speed: 20, Acceleration: 40})
	b, _ := curve.Shortest(-2.4, curve.Bounds{Speed: 20, Acceleration: 40, Jerk: 400})
	c, _ := curve.Shortest(0, curve.Bounds{Speed: 20, Acceleration: 40})
	sec, slowest, list := curve.Together([]curve.Short{c, b, a})
	if sec != 2.5 || slowest != 2 || list[0].Duration != 2.5 || list[0].PeakSpeed != 0 ||
		math.Abs(list[1].PeakSpeed+8*0.6/2.5) > 1e-12 || math.Abs(list[1].PeakAcceleration+40*0.24*0.24) > 1e-12 ||
		list[2].PeakSpeed != 20 {
		t.Errorf("%g %d %+v", sec, slowest, list)
	}
	if at, _, _ := run(list[1]); math.Abs(at+2.4) > 1e-12 || b.Duration != 0.6000000000000001 && b.Duration != 0.6 {
		t.Errorf("%g, %+v", at, b)
	}
	if sec, slowest, list := curve.Together([]curve.Short{c}); sec != 0 || slowest != -1 || list[0].Duration != 0 {
		t.Errorf("%g %d %+v", sec, slowest, list)
	}
	for want, b := range map[string]curve.Bounds{"max_speed": {Acceleration: 1}, "max_acceleration": {Speed: 1},
		"max_jerk": {Speed: 1, Acceleration: 1, Jerk: -1}} {
		if _, err := curve.Shortest(1, b); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	if _, err := curve.Shortest(math.NaN(), curve.Bounds{Speed: 1, Acceleration: 1}); err == nil {
		t.Error("no distance")
	}
}
