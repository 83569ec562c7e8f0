package rig_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// Scatter alone raises no alarm; a zero that walks does.
func TestRepeats(t *testing.T) {
	const rep = 0.03
	rng := rand.New(rand.NewPCG(1, 2))
	alarms, missed := 0, 0
	for range 2000 {
		n := 2 + rng.IntN(19)
		at := make([]float64, n)
		for i := range at {
			at[i] = rng.NormFloat64() * rep / 3
		}
		if rig.Repeats(at, rep).Walks {
			alarms++
		}
		for i := range at {
			at[i] += 3.2 * rep * float64(i) / float64(n-1)
		}
		if r := rig.Repeats(at, rep); !r.Walks || math.Abs(r.Walk-3.2*rep) > 1.9*rep {
			missed++
		}
	}
	if alarms > 4 || missed > 20 {
		t.Errorf("of 2000 that only scatter %d alarm, of 2000 that walk %d do not", alarms, missed)
	}
	r := rig.Repeats([]float64{0, 0.01, -0.02, 0.03, 0}, rep)
	if r.N != 5 || math.Abs(r.Range-0.05) > 1e-15 || math.Abs(r.Sigma-0.018165902124584948) > 1e-12 ||
		math.Abs(r.Walk-0.008) > 1e-12 || r.Walks {
		t.Errorf("%+v", r)
	}
	for _, at := range [][]float64{nil, {0.5}} {
		if r := rig.Repeats(at, rep); r.N != len(at) || r.Range != 0 || r.Walks {
			t.Errorf("%v: %+v", at, r)
		}
	}
	// With four, what counts is the last against the first; with five, the line.
	if r := rig.Repeats([]float64{0, 0, 0, 0.0601}, rep); !r.Walks || r.Walk != 0.0601 {
		t.Errorf("%+v", r)
	}
	if r := rig.Repeats([]float64{0, 0, 0, 0.0599}, rep); r.Walks {
		t.Errorf("%+v", r)
	}
	if r := rig.Repeats([]float64{0, -0.0113, -0.0226, -0.0339, -0.0452}, rep); !r.Walks {
		t.Errorf("%+v", r)
	}
}

func TestWays(t *testing.T) {
	a := fixture.Slider().Axes[0]
	a.AlsoHome = []rig.HomeWay{rig.OneEnd, rig.Witness}
	if w := a.Ways(); !slices.Equal(w, []rig.HomeWay{rig.SensorEdge, rig.OneEnd, rig.Witness, rig.ByHand}) {
		t.Errorf("%v", w)
	}
	for _, w := range rig.HomeWays {
		if w.Says() == "" || !(w.Scatter() >= 1) {
			t.Errorf("%s says %q and scatters %g", w, w.Says(), w.Scatter())
		}
		if alone := w != rig.ByHand && w != rig.Witness && w != rig.Absolute; w.Alone() != alone {
			t.Errorf("%s alone: %v", w, w.Alone())
		}
	}
	if a.HomeValue() != 20 {
		t.Errorf("home at %g, its low limit is 20", a.HomeValue())
	}
	at := 400.0
	if a.HomeAt = &at; a.HomeValue() != 400 {
		t.Errorf("home at %g", a.HomeValue())
	}
	for want, spoil := range map[string]func(*rig.Axis){
		"is not a way": func(a *rig.Axis) { a.Home = "luck" }, "\"luck\" is not a way": func(a *rig.Axis) {
			a.AlsoHome = []rig.HomeWay{"luck"}
		},
		"nothing sees this motor": func(a *rig.Axis) {
			a.AlsoHome, a.Feedback = []rig.HomeWay{rig.HardStop}, rig.SeesNothing
		},
		"home_at -11": func(a *rig.Axis) { v := -11.0; a.HomeAt = &v }, "home_at NaN": func(a *rig.Axis) {
			v := math.NaN()
			a.HomeAt = &v
		},
		"home_at 1511": func(a *rig.Axis) { v := 1511.0; a.HomeAt = &v },
	} {
		r := fixture.Slider()
		spoil(&r.Axes[0])
		if err := r.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
}
