package calc

import (
	"context"
	"fmt"
	"math"

	"keenarc/core/ride"
	"keenarc/core/rig"
)

// RingDownRequest are readings of something that swings after a stop, in any unit.
type RingDownRequest struct {
	TimesS []float64 `json:"t_s"`
	Values []float64 `json:"values"`
}

// RingDownAnswer is what they say of it. Damping is a share of the critical one.
type RingDownAnswer struct {
	Hz      float64 `json:"hz"`
	Damping float64 `json:"damping"`
}

// SwayRequest is a structure, and the acceleration of its foot, sampled evenly, straight
// between the samples. It stands still before; after the last it is left alone.
type SwayRequest struct {
	Hz           float64   `json:"hz"`
	Damping      float64   `json:"damping"`
	Acceleration []float64 `json:"acceleration_m_s2"`
	RateHz       float64   `json:"rate_hz"`
	PxPerM       float64   `json:"px_per_m,omitempty" doc:"how many pixels a metre of it is; left out: 1"`
	BelowPx      float64   `json:"below_px,omitempty" doc:"left out: 0.25"`
}

// SwayAnswer is how far it hangs back at most, how high it swings when it is left alone, and
// how long until that stays below what was asked.
type SwayAnswer struct {
	WorstPx float64 `json:"worst_px"`
	WorstS  float64 `json:"worst_at_s"`
	EndPx   float64 `json:"end_px"`
	SettleS float64 `json:"settle_s"`
}

// looksASample is at how many places a swing may be looked at for each sample of an answer.
const looksASample = 20

// mostReadings bounds both.
const mostReadings = 1_000_000

func init() {
	at("ring-down", "Natural frequency and damping from readings of a swing that dies away.",
		`{"t_s":[0,0.02,0.04,0.06,0.08,0.1,0.12,0.14,0.16,0.18,0.2,0.22,0.24,0.26,0.28,0.3,0.32,0.34,0.36,0.38,0.4,`+
			`0.42,0.44,0.46,0.48,0.5],"values":[1,0.775,0.285,-0.266,-0.674,-0.8,-0.623,-0.234,0.208,0.536,0.64,`+
			`0.501,0.191,-0.162,-0.426,-0.512,-0.403,-0.157,0.126,0.339,0.41,0.325,0.128,-0.098,-0.269,-0.328]}`,
		runRingDown)
	at("sway", "How a structure sways under an acceleration, and how long it takes to settle.",
		`{"hz":8,"damping":0.03,"acceleration_m_s2":[0,0.4,0.4,0,-0.4,-0.4,0],"rate_hz":10,"px_per_m":1500}`, runSway)
}

func runRingDown(_ context.Context, q *RingDownRequest, _ Bounds) (*RingDownAnswer, error) {
	if len(q.TimesS) > mostReadings {
		return nil, &FieldError{"t_s", fmt.Sprintf("there are %d", len(q.TimesS)),
			fmt.Sprintf("give at most %d", mostReadings)}
	}
	s, err := ride.RingDown(q.TimesS, q.Values)
	if err != nil {
		return nil, &FieldError{"values", err.Error(),
			"give rising times and the value at each, through at least four turns of a swing that dies away"}
	}
	return &RingDownAnswer{s.Hz, s.Damping}, nil
}

func runSway(_ context.Context, q *SwayRequest, b Bounds) (*SwayAnswer, error) {
	px, below := q.PxPerM, q.BelowPx
	if px == 0 {
		px = 1
	}
	if below == 0 {
		below = ride.SettlePx
	}
	for _, x := range []struct {
		field     string
		v, lo, hi float64
	}{{"hz", q.Hz, 0.01, 1e4}, {"damping", q.Damping, 1e-6, 0.999}, {"rate_hz", q.RateHz, 1e-3, 1e6},
		{"px_per_m", px, 1e-9, 1e9}, {"below_px", below, 1e-9, 1e9}} {
		if !(x.v >= x.lo && x.v <= x.hi) {
			return nil, &FieldError{x.field, fmt.Sprintf("it is %g", x.v), fmt.Sprintf("give %g to %g", x.lo, x.hi)}
		}
	}
	if len(q.Acceleration) < 2 || len(q.Acceleration) > mostReadings {
		return nil, &FieldError{"acceleration_m_s2", fmt.Sprintf("there are %d", len(q.Acceleration)),
			fmt.Sprintf("give 2 to %d", mostReadings)}
	}
	s := rig.Sway{Hz: q.Hz, Damping: q.Damping}
	if n := float64(len(q.Acceleration)) * ride.Looks(s, 1/q.RateHz); n > float64(b.Samples)*looksASample {
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%.3g swings lie between the readings",
			float64(len(q.Acceleration))*q.Hz/q.RateHz), "give fewer readings, closer together"}
	}
	swing, out := ride.NewSwing(s), &SwayAnswer{}
	for i := 1; i < len(q.Acceleration); i++ {
		if a := q.Acceleration[i]; !(math.Abs(a) <= 1e6) || !(math.Abs(q.Acceleration[i-1]) <= 1e6) {
			return nil, &FieldError{fmt.Sprintf("acceleration_m_s2[%d]", i), fmt.Sprintf("it is %g", a),
				"give one within a million"}
		}
		most, at := swing.Peak(q.Acceleration[i-1], q.Acceleration[i], 1/q.RateHz)
		if d := most * px; d > out.WorstPx {
			out.WorstPx, out.WorstS = d, float64(i-1)/q.RateHz+at
		}
	}
	out.EndPx = swing.Height() * px
	out.SettleS = ride.Settles(s, out.EndPx, below)
	return out, nil
}
