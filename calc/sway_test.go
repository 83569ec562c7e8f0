package calc

import (
	"math"
	"strings"
	"testing"
)

// A jolt of a known area sets an oscillator swinging with a known height: v/ω where it is short.
func TestSwayByHand(t *testing.T) {
	a, err := runSway(&SwayRequest{Hz: 2, Damping: 1e-6, Acceleration: []float64{0, 10, 0}, RateHz: 1000, PxPerM: 1000}, CommandLine)
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
		"hz": {Damping: 0.1, RateHz: 1, Acceleration: []float64{0, 0}}, "damping": {Hz: 1, Damping: 1, RateHz: 1, Acceleration: []float64{0, 0}},
		"rate_hz": {Hz: 1, Damping: 0.1, Acceleration: []float64{0, 0}}, "acceleration_m_s2": {Hz: 1, Damping: 0.1, RateHz: 1, Acceleration: []float64{1}},
		"below_px": {Hz: 1, Damping: 0.1, RateHz: 1, Acceleration: []float64{0, 0}, BelowPx: -1}, "acceleration_m_s2[1]": {Hz: 1, Damping: 0.1, RateHz: 1, Acceleration: []float64{0, 1e7}},
	} {
		if _, err := runSway(&q, CommandLine); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
	r, err := runRingDown(&RingDownRequest{TimesS: []float64{0, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.55}, Values: []float64{1, 0, -0.8, 0, 0.64, 0, -0.512, 0, 0.4096, 0, -0.32768, 0}}, CommandLine)
	if err != nil || math.Abs(r.Hz-5) > 0.1 || math.Abs(r.Damping-0.071) > 0.01 {
		t.Errorf("%+v, %v", r, err)
	}
	if _, err := runRingDown(&RingDownRequest{TimesS: []float64{0, 1}, Values: []float64{1}}, CommandLine); err == nil || !strings.Contains(err.Error(), "four turns") {
		t.Errorf("too few: %v", err)
	}
}
