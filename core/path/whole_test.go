package path

import (
	"errors"
	"math"
	"testing"

	"keenarc/core/curve"
	"keenarc/core/rig"
)

// shaped is a move with something of everything that a whole edit has to carry along.
func shaped(t *testing.T) (*Path, *rig.Rig) {
	return plan(t, set(0, map[string]float64{"track": 100, "pan": 3, "tilt": 1}),
		set(24, map[string]float64{"track": 400, "pan": 12, "tilt": 5}),
		set(60, map[string]float64{"track": 700, "pan": -4, "tilt": -2}), set(90,
			map[string]float64{"track": 650, "pan": 0, "tilt": -8}),
		Edit{Op: "kind", Axis: "track", Kind: curve.TCB}, Edit{Op: "shape", Axis: "track", Frame: 24,
			Shape: &curve.Bend{Tension: 0.3, Bias: 0.4}},
		Edit{Op: "kind", Axis: "pan", Kind: curve.Handles}, Edit{Op: "shape", Axis: "pan", Frame: 24,
			Shape: &curve.Bend{In: [2]float64{-6, 2}, Out: [2]float64{9, -1}}},
		Edit{Op: "kind", Axis: "tilt", Kind: curve.Quintic}, Edit{Op: "shape", Axis: "tilt", Frame: 60,
			Shape: &curve.Bend{Slope: -0.2, Acceleration: 0.01}},
		Edit{Op: "segment", Axis: "tilt", Index: 2, Kind: curve.Ramped, Ramp: &TypedRamp{Law: curve.SCurve, In: "5",
			Out: "12"}},
		Edit{Op: "segment", Axis: "track", Index: 2, Kind: curve.Hold})
}

// Every whole edit does to the curve, between keyframes as well, what it says.
func TestWholeEdits(t *testing.T) {
	p, r := shaped(t)
	m, err := Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	same := func(v float64) float64 { return v }
	for name, c := range map[string]struct {
		axis  string
		w     Whole
		was   func(f float64) float64 // at which old frame a new one was
		value func(v float64) float64
	}{
		"shift": {"", Whole{Do: "shift", Frames: 12.5}, func(f float64) float64 { return f - 12.5 }, same},
		"stretch": {"", Whole{Do: "stretch", Factor: 1.5, About: 30}, func(f float64) float64 {
			return 30 + (f-30)/1.5
		}, same},
		"shorter": {"", Whole{Do: "stretch", Factor: 0.25}, func(f float64) float64 { return f / 0.25 }, same},
		"reverse": {"", Whole{Do: "reverse"}, func(f float64) float64 { return 90 - f }, same},
		"scale": {"pan", Whole{Do: "scale", Factor: 0.5, About: 4}, same, func(v float64) float64 {
			return 4 + (v-4)/2
		}},
		"mirror": {"tilt", Whole{Do: "scale", Factor: -1, About: 1}, same, func(v float64) float64 { return 2 - v }},
		"offset": {"track", Whole{Do: "offset", By: 50}, same, func(v float64) float64 { return v + 50 }},
	} {
		q, err := p.Apply(r, Edit{Op: "whole", Axis: c.axis, Whole: &c.w})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		n, err := Compile(q, r)
		if err != nil {
			t.Fatal(err)
		}
		for i, a := range r.Axes {
			_, short := rig.Split(a.ID)
			for f := float64(n.First) + 0.013; f < float64(n.Last); f += 0.37 {
				want := m.Curves[i].At(c.was(f)).P
				if c.axis == "" || c.axis == short {
					want = c.value(want)
				}
				if got := n.Curves[i].At(f).P; math.Abs(got-want) > 1e-8*(1+math.Abs(want)) {
					t.Errorf("%s: %s at %g is %g, want %g", name, a.ID, f, got, want)
					break
				}
			}
		}
		if back := q.Track("track").Keys; len(back) != 4 ||
			(Edit{Op: "whole", Axis: c.axis, Whole: &c.w}).Words() == "whole" {
			t.Errorf("%s: %d keyframes", name, len(back))
		}
	}
	// Twice reversed or mirrored it is as it was, to the last bit.
	for _, e := range []Edit{{Op: "whole", Whole: &Whole{Do: "reverse"}},
		{Op: "whole", Axis: "pan", Whole: &Whole{Do: "scale", Factor: -1}}} {
		q, err := p.Apply(r, e)
		if err == nil {
			q, err = q.Apply(r, e)
		}
		if err != nil || q.Digest() != p.Digest() {
			t.Errorf("%s twice: %v", e.Words(), err)
		}
	}
}

// Cut in two and joined again: both parts pass where the whole did, and the seam is C².
func TestCutAndJoin(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"track": 100, "pan": 3}), set(24, map[string]float64{"track": 400}),
		set(60, map[string]float64{"track": 700, "pan": -4}))
	m, _ := Compile(p, r)
	a, err := p.Apply(r, Edit{Op: "whole", Whole: &Whole{Do: "cut", About: 30, Keep: "before"}})
	if err != nil {
		t.Fatal(err)
	}
	b, err := p.Apply(r, Edit{Op: "whole", Whole: &Whole{Do: "cut", About: 30, Keep: "after"}})
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range []*Path{a, b} {
		k := q.Track("track").Keys
		for _, key := range k {
			if math.Abs(key.Value-m.Curves[0].At(key.Frame).P) > 1e-9 {
				t.Errorf("a part is at %g at %g, the whole at %g", key.Value, key.Frame, m.Curves[0].At(key.Frame).P)
			}
		}
	}
	if f, l, _ := a.Span(); f != 0 || l != 30 || len(a.Track("track").Keys) != 3 || len(b.Track("track").Keys) != 2 {
		t.Errorf("%d to %d: %+v, %+v", f, l, a.Track("track"), b.Track("track"))
	}
	b.Track("track").Kind = curve.Through
	j, err := a.Apply(r, Edit{Op: "whole", Whole: &Whole{Do: "join", Frames: 10}, Tracks: b.Tracks})
	if err != nil {
		t.Fatal(err)
	}
	n, err := Compile(j, r)
	if err != nil {
		t.Fatal(err)
	}
	if tr := j.Track("track"); n.Last != 70 || len(tr.Keys) != 5 || tr.Segments[2] != curve.Smooth || tr.Segments[0] !=
		curve.Smooth || tr.Kind != curve.Through {
		t.Errorf("joined to %d: %+v", n.Last, tr)
	}
	for _, jump := range n.Jumps[0] {
		if jump.At == 30 || jump.At == 40 {
			t.Errorf("the seam steps: %+v", jump)
		}
	}
	q, err := p.Apply(r, Edit{Op: "whole", Whole: &Whole{Do: "quantise", Frames: 16}})
	if err != nil || q.Track("track").Keys[1].Frame != 32 || q.Track("track").Keys[2].Frame != 64 {
		t.Errorf("quantised: %v", err)
	}
	if q, err = p.Apply(r, Edit{Op: "whole", Axis: "pan", Whole: &Whole{Do: "quantise", By: 2.5}}); err != nil ||
		q.Track("pan").Keys[0].Value != 2.5 || q.Track("pan").Keys[1].Value != -5 {
		t.Errorf("values quantised: %v", err)
	}
	for field, e := range map[string]Edit{
		"factor": {Op: "whole", Whole: &Whole{Do: "stretch"}},
		"keep":   {Op: "whole", Whole: &Whole{Do: "cut", About: 3}},
		"about":  {Op: "whole", Whole: &Whole{Do: "cut", About: 60, Keep: "after"}},
		"axis":   {Op: "whole", Whole: &Whole{Do: "offset", By: 3}},
		"track":  {Op: "whole", Axis: "track", Whole: &Whole{Do: "offset", By: 3000}},
		"do":     {Op: "whole", Whole: &Whole{Do: "melt"}},
		"whole":  {Op: "whole"},
		"frames": {Op: "whole", Whole: &Whole{Do: "quantise"}},
		"by":     {Op: "whole", Axis: "pan", Whole: &Whole{Do: "offset", By: math.NaN()}},
		"tracks": {Op: "whole", Whole: &Whole{Do: "join", Frames: 4}},
		"frame":  {Op: "whole", Whole: &Whole{Do: "shift", Frames: 1e8}},
	} {
		var pe *Error
		if _, err := p.Apply(r, e); !errors.As(err, &pe) || pe.Field != field || pe.Want == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	_, err = p.Apply(r, Edit{Op: "whole", Whole: &Whole{Do: "quantise", Frames: 60}})
	var pe *Error
	if !errors.As(err, &pe) || pe.Field != "track" {
		t.Errorf("two onto one frame: %v", err)
	}
}

// Each of two moves that are joined moves on as it did by itself, by its own ramps.
func TestJoinedMovesKeepTheirRamps(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"track": 100}), set(30, map[string]float64{"track": 400}),
		set(60, map[string]float64{"track": 300}))
	ramped := func(in, out float64) *Path {
		q := p.Clone()
		x := q.Track("track")
		x.Kind, x.Ramp = curve.Ramped, &curve.Ramp{Law: curve.MinJerk, In: in, Out: out}
		return q
	}
	a, b := ramped(5, 12), ramped(14, 3)
	j, err := a.Apply(r, Edit{Op: "whole", Whole: &Whole{Do: "join", Frames: 10}, Tracks: b.Tracks})
	if err != nil {
		t.Fatal(err)
	}
	n, err := Compile(j, r)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		of *Path
		by float64
	}{{a, 0}, {b, 70}} {
		m, err := Compile(c.of, r)
		if err != nil {
			t.Fatal(err)
		}
		i := r.Index("track")
		for f := 0.5; f < 60; f++ {
			if got, want := n.Curves[i].At(f+c.by).P, m.Curves[i].At(f).P; math.Abs(got-want) > 1e-9 {
				t.Fatalf("at %g it is at %g, by itself at %g", f+c.by, got, want)
			}
		}
	}
}
