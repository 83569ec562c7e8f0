package calc

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/ride"
	"keenarc/core/rig"
)

// A jolt of a known area sets an oscillator swinging with a known height: v/ω where it is short.
func TestSwayByHand(t *testing.T) {
	a, err := runSway(context.Background(), &SwayRequest{Hz: 2, Damping: 1e-6, Acceleration: []float64{0, 10, 0},
		RateHz: 1000, PxPerM: 1000}, CommandLine)
	if err != nil {
		t.Fatal(err)
	}
	if want := 0.01 / (4 * math.Pi) * 1000; math.Abs(a.EndPx/want-1) > 1e-3 {
		t.Errorf("%g px, want %g", a.EndPx, want)
	}
	if want := math.Log(a.EndPx/0.25) / (1e-6 * 4 * math.Pi); math.Abs(a.SettleS/want-1) > 1e-9 {
		t.Errorf("settles in %g s, want %g", a.SettleS, want)
	}
	for field, q := range map[string]SwayRequest{
		"hz": {Damping: 0.1, RateHz: 1, Acceleration: []float64{0, 0}}, "damping": {Hz: 1, Damping: 1, RateHz: 1,
			Acceleration: []float64{0, 0}},
		"rate_hz": {Hz: 1, Damping: 0.1, Acceleration: []float64{0, 0}}, "acceleration_m_s2": {Hz: 1, Damping: 0.1,
			RateHz: 1, Acceleration: []float64{1}},
		"below_px":             {Hz: 1, Damping: 0.1, RateHz: 1, Acceleration: []float64{0, 0}, BelowPx: -1},
		"acceleration_m_s2[1]": {Hz: 1, Damping: 0.1, RateHz: 1, Acceleration: []float64{0, 1e7}},
	} {
		if _, err := runSway(context.Background(), &q, CommandLine); err == nil ||
			!strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
	var times, values []float64
	for k := range 40 {
		times = append(times, float64(k)*0.02)
		values = append(values, math.Exp(-0.071*10*math.Pi*times[k])*
			math.Cos(10*math.Pi*math.Sqrt(1-0.071*0.071)*times[k]))
	}
	r, err := runRingDown(context.Background(), &RingDownRequest{TimesS: times, Values: values}, CommandLine)
	if err != nil || math.Abs(r.Hz-5) > 0.03 || math.Abs(r.Damping-0.071) > 0.004 {
		t.Errorf("%+v, %v", r, err)
	}
	// Four readings to a swing say anything.
	if _, err := runRingDown(context.Background(),
		&RingDownRequest{TimesS: []float64{0, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.55},
			Values: []float64{1, 0, -0.8, 0, 0.64, 0, -0.512, 0, 0.4096, 0, -0.32768, 0}}, CommandLine); err == nil ||
		!strings.Contains(err.Error(), "4.0 readings to a swing") {
		t.Errorf("four readings to a swing: %v", err)
	}
	if _, err := runRingDown(context.Background(), &RingDownRequest{TimesS: []float64{0, 1}, Values: []float64{1}},
		CommandLine); err == nil || !strings.Contains(err.Error(), "four turns") {
		t.Errorf("too few: %v", err)
	}
}

// The most is found between the samples, too, by small steps.
func TestSwayBetweenSamples(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 1))
	for range 60 {
		q := SwayRequest{Hz: 0.5 + 20*rng.Float64(), Damping: 0.005 + 0.2*rng.Float64(), RateHz: 2 + 30*rng.Float64()}
		for range 12 {
			q.Acceleration = append(q.Acceleration, rng.NormFloat64())
		}
		a, err := runSway(context.Background(), &q, Web)
		if err != nil {
			t.Fatal(err)
		}
		const n = 4000
		s, want := ride.NewSwing(rig.Sway{Hz: q.Hz, Damping: q.Damping}), 0.0
		for i := 1; i < len(q.Acceleration); i++ {
			step := (q.Acceleration[i] - q.Acceleration[i-1]) / n
			for k := range n {
				at := q.Acceleration[i-1] + step*float64(k)
				s.Shake(at, at+step, 1/q.RateHz/n)
				want = max(want, math.Abs(s.X))
			}
		}
		if math.Abs(a.WorstPx-want) > 1e-4*want {
			t.Errorf("%+v: %g, by small steps %g", q, a.WorstPx, want)
		}
	}
	if _, err := runSway(context.Background(), &SwayRequest{Hz: 1e4, Damping: 0.1, RateHz: 1e-3,
		Acceleration: make([]float64, 100_000)}, Web); err == nil || !strings.Contains(err.Error(),
		"swings lie between") {
		t.Errorf("too much: %v", err)
	}
}
