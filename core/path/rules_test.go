package path

import (
	"errors"
	"math"
	"strings"
	"testing"

	"keenarc/core/curve"
)

// A run-up rises from rest into speed and acceleration of the picture part as a
// cubic of speed (so the quintic has no fifth power), a run-out falls likewise.
func TestRunUpIsACubicOfSpeed(t *testing.T) {
	for _, s := range []curve.Sample{{P: 3, V: 2, A: 0}, {P: -7, V: -1.5, A: 0.2}, {P: 0, V: 0, A: 0.4},
		{P: 100, V: 3, A: -0.3}} {
		for _, n := range []float64{1, 7, 20.5} {
			up, out := gather(n, s), lose(n, s)
			scale := 1 + math.Abs(s.P) + math.Abs(s.V*n) + math.Abs(s.A*n*n)
			a, b := up.At(0), up.At(n)
			c, d := out.At(0), out.At(n)
			for name, x := range map[string]float64{"up starts with speed": a.V, "up starts with acceleration": a.A,
				"up ends elsewhere": b.P - s.P, "up ends at another speed": b.V -
					s.V, "up ends with another acceleration": b.A - s.A,
				"out starts elsewhere": c.P - s.P, "out starts at another speed": c.V -
					s.V, "out starts with another acceleration": c.A - s.A, "out ends with speed": d.V,
				"out ends with acceleration": d.A,
				"up has a fifth power":       up[5] * math.Pow(n, 5), "out has a fifth power": out[5] *
					math.Pow(n, 5)} {
				if math.Abs(x) > 1e-11*scale {
					t.Errorf("%+v in %g frames: %s by %g", s, n, name, x)
				}
			}
		}
	}
	for s, want := range map[curve.Sample]bool{{}: false, {P: 4, J: 2}: false, {V: 1}: true, {A: -1}: true,
		{V: 1, A: 1}: true} {
		if moving(s) != want {
			t.Errorf("%+v moves: %v", s, !want)
		}
	}
}

// What the ends jump has the sign of the step: onto the speed at the start, off it
// at the end. A tiny one is rounding.
func TestEdgeJumps(t *testing.T) {
	c := &curve.Curve{X: []float64{0, 10}, C: []curve.Poly{{0, 2, 0.5}}}
	want := map[curve.Jump]bool{{At: 0, Order: 1, By: 2}: true, {At: 10, Order: 1, By: -12}: true,
		{At: 0, Order: 2, By: 1}: true, {At: 10, Order: 2, By: -1}: true}
	got := edgeJumps(c)
	for _, j := range got {
		if !want[j] {
			t.Errorf("listed %+v", j)
		}
	}
	if len(got) != 4 {
		t.Errorf("%d are listed", len(got))
	}
	tiny := &curve.Curve{X: []float64{0, 10}, C: []curve.Poly{{0, 1e-12, 0, 0.1, -0.015, 0.0006}}}
	for _, j := range edgeJumps(tiny) {
		if j.Order == 1 && j.At == 0 {
			t.Errorf("rounding is listed: %+v", j)
		}
	}
	small := &curve.Curve{X: []float64{0, 10}, C: []curve.Poly{{0, 1e-6, 0, 0.1, -0.015, 0.0006}}}
	if js := edgeJumps(small); len(js) == 0 || js[0] != (curve.Jump{At: 0, Order: 1, By: 1e-6}) {
		t.Errorf("a millionth is listed as %v", js)
	}
}

func TestSpansAndClocks(t *testing.T) {
	p, r := plan(t, set(7.5, map[string]float64{"pan": 1}))
	m, err := Compile(p, r)
	if err != nil || m.First != 7 || m.Last != 8 {
		t.Errorf("one keyframe between frames: pictures [%d, %d), %v", m.First, m.Last, err)
	}
	p, r = plan(t, set(7, map[string]float64{"pan": 1}))
	if m, err = Compile(p, r); err != nil || m.First != 7 || m.Last != 8 {
		t.Errorf("one keyframe: pictures [%d, %d), %v", m.First, m.Last, err)
	}
	p, r = plan(t, set(0, map[string]float64{"pan": 1}), set(48, map[string]float64{"pan": 9}),
		Edit{Op: "run", RunUp: 5, RunOut: 9})
	if c := p.Clock(); c.First != -5 || c.Last != 57 {
		t.Errorf("its clock runs from %d to %d", c.First, c.Last)
	}
	if m, err = Compile(p, r); err != nil || m.Start() != -5 || m.End() != 57 {
		t.Errorf("its run from %d to %d", m.Start(), m.End())
	}
	if _, err := p.Apply(r, set(-MaxFrames/2, map[string]float64{"pan": 1})); err != nil {
		t.Errorf("a long way back: %v", err)
	}
	q, err := p.Apply(r,
		Edit{Op: "replace",
			Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: -MaxFrames / 2, Value: 1},
				{Frame: MaxFrames / 2, Value: 2}}}}})
	if err != nil {
		t.Errorf("as long as may be: %v", err)
	}
	if _, err := q.Apply(r, set(MaxFrames/2+1, map[string]float64{"pan": 1})); err == nil ||
		!strings.Contains(err.Error(), "1000001 frames long") {
		t.Errorf("a frame more: %v", err)
	}
}

func TestRefusalsSayWhatWouldBeRight(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 1}), set(10, map[string]float64{"pan": 2}),
		set(20, map[string]float64{"pan": 3}))
	for name, c := range map[string]struct {
		e           Edit
		field, want string
	}{
		"segment":       {Edit{Op: "segment", Axis: "pan", Index: 2, Kind: curve.Hold}, "index", "use 0 to 1"},
		"segment below": {Edit{Op: "segment", Axis: "pan", Index: -1, Kind: curve.Hold}, "index", "use 0 to 1"},
		"base axis": {Edit{Op: "base", Values: map[string]float64{"boom": 1}}, "values",
			"use track, pan, tilt, roll or focus"},
		"base value": {Edit{Op: "base", Values: map[string]float64{"roll": 41}}, "roll",
			"stay within -40 to 40 deg"},
		"kind of none":     {Edit{Op: "kind", Axis: "boom", Kind: curve.Hold}, "axis", "name an axis"},
		"move to no frame": {Edit{Op: "move", Frame: 0, To: math.NaN()}, "to", "give a frame number"},
		"room":             {Edit{Op: "room", Frames: MaxFrames + 1}, "frames", "keep it within"},
		"room back":        {Edit{Op: "room", Frames: -MaxFrames - 1}, "frames", "keep it within"},
		"run-out":          {Edit{Op: "run", RunOut: MaxRun + 1}, "run_up", "give 0 to 1000 frames each"},
		"no values":        {Edit{Op: "set"}, "values", "give a value"},
	} {
		_, err := p.Apply(r, c.e)
		var pe *Error
		if !errors.As(err, &pe) || pe.Field != c.field || !strings.Contains(pe.Want, c.want) {
			t.Errorf("%s: %v, want %s: …%s…", name, err, c.field, c.want)
		}
	}
	q, err := p.Apply(r, Edit{Op: "base", Values: map[string]float64{"roll": 12}})
	if err != nil || q.Base["roll"] != 12 || p.Base["roll"] != 0 {
		t.Errorf("base pose: %v", err)
	}
	tr := &Track{Keys: make([]Key, 3), Segments: map[int]curve.Kind{-1: curve.Hold, 1: curve.Linear, 2: curve.Hold,
		9: curve.Hold}}
	if k := tr.owned(); len(k) != 3 || k[0].kind != "" || k[1].kind != curve.Linear || k[2].kind != "" {
		t.Errorf("overrides of no leg count: %v", k)
	}
	if tr.own([]leg{{}, {kind: curve.Akima}, {kind: curve.Hold}}); len(tr.Segments) != 1 || tr.Segments[1] !=
		curve.Akima {
		t.Errorf("the last keyframe owns a leg: %v", tr.Segments)
	}
}
