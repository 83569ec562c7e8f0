package path

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"keenarc/core/curve"
)

// A ramp typed as frames, seconds or an acceleration gives the move that was asked for, on the
// clock of the plan.
func TestTypedRamps(t *testing.T) {
	base := []Edit{set(0, map[string]float64{"pan": 0}), set(48, map[string]float64{"pan": 20}),
		set(96, map[string]float64{"pan": -10})}
	for text, want := range map[string]float64{"12": 12, "12 f": 12, "7.5 frames": 7.5, "0.5 s": 12, "0,5s": 12,
		"250 ms": 6} {
		p, _ := plan(t, append(base, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped,
			Ramp: &TypedRamp{Law: curve.Sine, In: text, Out: "3"}})...)
		if r := p.Track("pan").Ramp; r == nil || math.Abs(r.In-want) > 1e-12 || r.Out != 3 || r.Law != curve.Sine {
			t.Errorf("%q is %+v, want %g frames", text, r, want)
		}
	}
	half := Edit{Op: "factor", Clock: "0.5"}
	p, _ := plan(t, append(base, half, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped,
		Ramp: &TypedRamp{Law: curve.Sine, In: "1 s", Out: "3"}})...)
	if in := p.Track("pan").Ramp.In; math.Abs(in-12) > 1e-12 {
		t.Errorf("a second at half speed is %g frames", in)
	}
	// Every leg reaches the acceleration that was asked for, and no more.
	for _, law := range curve.Laws {
		p, r := plan(t, append(base, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped,
			Ramp: &TypedRamp{Law: law, In: "40 °/s²", Out: "60 deg/s2"}})...)
		m, err := Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		for leg, from := range []float64{0, 48} {
			up, down := 0.0, 0.0
			for k := range 48_000 {
				a := m.Curves[1].At(from+float64(k)/1000).A * 24 * 24 * []float64{1, -1}[leg]
				up, down = max(up, a), max(down, -a)
			}
			if math.Abs(up-40) > 0.01 || math.Abs(down-60) > 0.01 {
				t.Errorf("%s, leg %d: up to %g and %g", law, leg, up, down)
			}
		}
	}
	// With a jerk, too: both are reached, or the jerk alone where the acceleration is never come to.
	for _, c := range []struct{ in, out, jerk, up, down float64 }{{40, 60, 300, 40, 60}, {45, 45, 400, 45, 45},
		{60, 300, 300, 60, 0}} {
		p, r := plan(t, append(base, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped,
			Ramp: &TypedRamp{Law: curve.SCurve, In: fmt.Sprintf("%g °/s²", c.in), Out: fmt.Sprintf("%g °/s²", c.out),
				Jerk: c.jerk}})...)
		m, err := Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		jerk, _ := m.Curves[1].MaxAbs(3)
		if jerk *= 24 * 24 * 24; math.Abs(jerk-c.jerk) > 1e-6*c.jerk {
			t.Errorf("%+v: a jerk of %g", c, jerk)
		}
		up, down := 0.0, 0.0
		for k := range 48_000 {
			a := m.Curves[1].At(float64(k)/1000).A * 24 * 24
			up, down = max(up, a), max(down, -a)
		}
		if math.Abs(up-c.up) > 0.02 || c.down > 0 && math.Abs(down-c.down) > 0.02 || c.down == 0 && down > c.out {
			t.Errorf("%+v: up to %g and %g", c, up, down)
		}
	}
	if p, r := plan(t, base...); true {
		if _, err := p.Apply(r, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped, Ramp: &TypedRamp{Law: curve.SCurve,
			In: "40 °/s²", Out: "40 °/s²", Jerk: 20}}); err == nil || !strings.Contains(err.Error(),
			"acceleration and jerk it cannot go") {
			t.Errorf("with hardly any jerk: %v", err)
		}
	}
	for _, blank := range []string{"", " ", "\t"} {
		p, _ := plan(t, append(base, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped,
			Ramp: &TypedRamp{Law: curve.Sine, In: blank, Out: blank}})...)
		if r := p.Track("pan").Ramps; len(r) != 2 || math.Abs(r[0].In-16) > 1e-12 || math.Abs(r[1].Out-16) > 1e-12 {
			t.Errorf("%q is %+v", blank, r)
		}
	}
	p, _ = plan(t, append(base, set(54, map[string]float64{"pan": 1}), Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped,
		Ramp: &TypedRamp{Law: curve.Sine, In: "", Out: "3"}})...)
	if r := p.Track("pan").Ramps; len(r) != 3 || math.Abs(r[0].In-16) > 1e-12 || math.Abs(r[1].In-2) > 1e-12 ||
		r[2].Out != 3 {
		t.Errorf("a third of each leg: %v", r)
	}
	// One leg only; and it goes with its keyframe, split it starts afresh.
	p, r := plan(t, append(base, Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Ramped,
		Ramp: &TypedRamp{Law: curve.SCurve, In: "10", Out: "20", Jerk: 600}})...)
	if tr := p.Track("pan"); len(tr.Ramps) != 1 || tr.Ramps[1].Out != 20 ||
		math.Abs(tr.Ramps[1].Jerk*24*24*24-600) > 1e-9 {
		t.Errorf("one leg: %+v", tr)
	}
	if q, err := p.Apply(r, Edit{Op: "delete", Axis: "pan", Frame: 0}); err != nil ||
		q.Track("pan").Ramps[0].Out != 20 {
		t.Errorf("the ramp does not go with its leg: %v", err)
	}
	if q, err := p.Apply(r, set(60, map[string]float64{"pan": 3})); err != nil || len(q.Track("pan").Ramps) != 0 ||
		q.Track("pan").Segments[2] != curve.Ramped {
		t.Errorf("a leg that is split: %v, %+v", err, q.Track("pan"))
	}
	for text, want := range map[string]string{
		"x": "give frames", "-3": "give frames", "3 m": "give frames", "0 °/s²": "give frames", "1e3": "give frames",
		"2 °/s²": "at least 20 per s²", "30": "keep the two to 48 together", "2 s": "keep the two",
	} {
		_, err := p.Apply(r, Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped, Ramp: &TypedRamp{Law: curve.Trapezoid,
			In: text, Out: text}})
		var pe *Error
		if !errors.As(err, &pe) || !strings.Contains(pe.Want, want) {
			t.Errorf("%q: %v, want %s", text, err, want)
		}
	}
	// What is said to be the least just can be.
	if _, err := p.Apply(r, Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Ramped,
		Ramp: &TypedRamp{Law: curve.Trapezoid, In: "20.000001 °/s²", Out: "20.000001 °/s²"}}); err != nil {
		t.Error(err)
	}
	if _, err := p.Apply(r, Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Ramped,
		Ramp: &TypedRamp{Law: curve.Trapezoid, In: "19.999 °/s²", Out: "19.999 °/s²"}}); err == nil {
		t.Error("a leg that cannot be gone is taken")
	}
}

// Shapes belong to a keyframe: they move with it, and are refused by its frame.
func TestShapes(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0}), set(48, map[string]float64{"pan": 20}),
		set(96, map[string]float64{"pan": -10}),
		Edit{Op: "kind", Axis: "pan", Kind: curve.TCB}, Edit{Op: "shape", Axis: "pan", Frame: 48,
			Shape: &curve.Bend{Tension: 0.5}})
	q, err := p.Apply(r, Edit{Op: "move", Axis: "pan", Frame: 48, To: 50})
	if err != nil || q.Track("pan").Keys[1].Tension != 0.5 {
		t.Errorf("moved: %v", err)
	}
	if q, err = q.Apply(r, set(50, map[string]float64{"pan": 4})); err != nil || q.Track("pan").Keys[1].Tension != 0.5 {
		t.Errorf("another value: %v", err)
	}
	for field, e := range map[string]Edit{
		"frame":                {Op: "shape", Axis: "pan", Frame: 7, Shape: &curve.Bend{}},
		"axis":                 {Op: "shape", Axis: "boom", Frame: 48, Shape: &curve.Bend{}},
		"shape":                {Op: "shape", Axis: "pan", Frame: 48},
		"pan.frame 48.tension": {Op: "shape", Axis: "pan", Frame: 48, Shape: &curve.Bend{Tension: 3}},
	} {
		var pe *Error
		if _, err := p.Apply(r, e); !errors.As(err, &pe) || pe.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	_, err = p.Apply(r, Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Ramped,
		Ramp: &TypedRamp{Law: curve.Sine, In: "40", Out: "9"}})
	if err == nil || !strings.Contains(err.Error(), "pan.ramp from 48 to 96") {
		t.Errorf("a ramp that is too long: %v", err)
	}
}
