package path

import (
	"encoding/json"
	"errors"
	"math"
	"reflect"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

func plan(t *testing.T, edits ...Edit) (*Path, *rig.Rig) {
	t.Helper()
	r := fixture.Slider()
	p := New(r, clock.Rate{Num: 24, Den: 1}, map[string]float64{"focus": 150})
	for _, e := range edits {
		q, err := p.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	return p, r
}

// joined is so many sliders in a shot.
func joined(t *testing.T, n int) (*rig.Rig, error) {
	t.Helper()
	var ms []rig.Placed
	for i := range n {
		ms = append(ms, rig.Placed{Name: []string{"m1", "m2"}[i], Rig: fixture.Slider()})
	}
	return rig.Join(ms)
}

func set(frame float64, v map[string]float64) Edit { return Edit{Op: "set", Frame: frame, Values: v} }

func TestEdits(t *testing.T) {
	v := func(track, pan float64) map[string]float64 { return map[string]float64{"track": track, "pan": pan} }
	p, r := plan(t, set(0, v(100, 10)), set(50, v(400, 5)), set(100, v(900, -5)), set(50, v(450, 6)),
		Edit{Op: "move", Frame: 50, To: 60, Axis: "track"}, Edit{Op: "room", Frame: 0, Frames: 10}, Edit{Op: "delete",
			Frame: 60, Axis: "pan"})
	if want := []Key{{Frame: 0, Value: 100}, {Frame: 70, Value: 450}, {Frame: 110, Value: 900}}; !reflect.DeepEqual(
		p.Track("track").Keys, want) {
		t.Errorf("track %v, want %v", p.Track("track").Keys, want)
	}
	if want := []Key{{Frame: 0, Value: 10}, {Frame: 110, Value: -5}}; !reflect.DeepEqual(p.Track("pan").Keys, want) {
		t.Errorf("pan %v, want %v", p.Track("pan").Keys, want)
	}
	m, err := Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	if m.First != 0 || m.Last != 110 {
		t.Errorf("pictures [%d, %d)", m.First, m.Last)
	}
	got := make([]float64, 5)
	m.Values(got, 70)
	if math.Abs(got[0]-450) > 1e-9 || got[2] != 0 || got[4] != 150 {
		t.Errorf("pose at 70: %v; tilt rests at its base, focus at 150", got)
	}
}

func TestSegmentsFollowTheirKeyframes(t *testing.T) {
	p, _ := plan(t, set(0, map[string]float64{"pan": 0}), set(10, map[string]float64{"pan": 1}),
		set(20, map[string]float64{"pan": 2}),
		Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, set(5, map[string]float64{"pan": 0.5}))
	if want := map[int]curve.Kind{2: curve.Linear}; !reflect.DeepEqual(p.Track("pan").Segments, want) {
		t.Errorf("after a keyframe before it: %v", p.Track("pan").Segments)
	}
	q, _ := p.Apply(fixture.Slider(), Edit{Op: "delete", Frame: 5})
	if want := map[int]curve.Kind{1: curve.Linear}; !reflect.DeepEqual(q.Track("pan").Segments, want) {
		t.Errorf("after taking it out again: %v", q.Track("pan").Segments)
	}
}

// A leg's override stays with the keyframe at its left, whatever happens around
// it, and never depends on the order in which a map is walked.
func TestOverridesStayWithTheirKeyframe(t *testing.T) {
	pan := func(f, v float64) Edit { return set(f, map[string]float64{"pan": v}) }
	base := []Edit{pan(0, 0), pan(10, 1), pan(20, 2), pan(30, 3),
		{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Linear}, {Op: "segment", Axis: "pan", Index: 1,
			Kind: curve.Hold}, {Op: "segment", Axis: "pan", Index: 2, Kind: curve.Akima}}
	for name, c := range map[string]struct {
		e    Edit
		want map[int]curve.Kind
	}{
		"inner taken out": {Edit{Op: "delete", Frame: 10}, map[int]curve.Kind{0: curve.Linear, 1: curve.Akima}},
		"first taken out": {Edit{Op: "delete", Frame: 0}, map[int]curve.Kind{0: curve.Hold, 1: curve.Akima}},
		"last taken out":  {Edit{Op: "delete", Frame: 30}, map[int]curve.Kind{0: curve.Linear, 1: curve.Hold}},
		"leg split": {pan(15, 1), map[int]curve.Kind{0: curve.Linear, 1: curve.Hold, 2: curve.Hold,
			3: curve.Akima}},
		"one before": {pan(-5, 1), map[int]curve.Kind{1: curve.Linear, 2: curve.Hold, 3: curve.Akima}},
		"one after":  {pan(40, 1), map[int]curve.Kind{0: curve.Linear, 1: curve.Hold, 2: curve.Akima}},
		"past a neighbour": {Edit{Op: "move", Axis: "pan", Frame: 10, To: 25}, map[int]curve.Kind{0: curve.Linear,
			1: curve.Akima, 2: curve.Hold}},
		"to the very front": {Edit{Op: "move", Axis: "pan", Frame: 20, To: -9}, map[int]curve.Kind{0: curve.Akima,
			1: curve.Linear, 2: curve.Hold}},
		"to the very end": {Edit{Op: "move", Axis: "pan", Frame: 0, To: 50},
			map[int]curve.Kind{0: curve.Hold, 1: curve.Akima}},
		"a little": {Edit{Op: "move", Axis: "pan", Frame: 10, To: 12}, map[int]curve.Kind{0: curve.Linear,
			1: curve.Hold, 2: curve.Akima}},
	} {
		for range 20 { // map order would show
			p, r := plan(t, base...)
			q, err := p.Apply(r, c.e)
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			if got := q.Track("pan").Segments; !reflect.DeepEqual(got, c.want) {
				t.Fatalf("%s: %v, want %v", name, got, c.want)
			}
		}
	}
}

// The suite of known curves, compiled from a path.
func TestKnownAnswers(t *testing.T) {
	for _, k := range known.Curves {
		edits := []Edit{{Op: "kind", Axis: "pan", Kind: curve.Kind(k.Kind)}}
		if k.Law != "" {
			edits[0].Ramp = &TypedRamp{Law: curve.Law(k.Law), In: "0.3", Out: "0.5 frames", Jerk: k.Jerk * 24 * 24 * 24}
		}
		for i, x := range known.X {
			v := known.Keys[i]
			edits = append(edits, set(x, map[string]float64{"pan": known.Y[i]}),
				Edit{Op: "shape", Axis: "pan", Frame: x,
					Shape: &curve.Bend{Tension: v[0], Continuity: v[1], Bias: v[2], Slope: v[3], Acceleration: v[4],
						In: [2]float64(v[5:7]), Out: [2]float64(v[7:9])}})
		}
		p, r := plan(t, edits...)
		m, err := Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		for _, want := range k.Samples {
			s := m.Curves[1].At(want[0])
			for o := range 4 {
				within := 1e-11
				if k.Kind == "handles" || k.Law == "sine" {
					within = [4]float64{1e-11, 1e-10, 1e-8, 1e-5}[o]
				}
				if d := math.Abs(s.Order(o) - want[1+o]); d > within*(1+math.Abs(want[1+o])) {
					t.Errorf("%s at %g, order %d: %g, want %g", k.Kind, want[0], o, s.Order(o), want[1+o])
				}
			}
		}
	}
}

// A keyframe dragged in time and value is one edit, and never overwrites another.
func TestMoveInTimeAndValue(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0}), set(10, map[string]float64{"pan": 1}),
		set(20, map[string]float64{"pan": 2}))
	e := Edit{Op: "move", Axis: "pan", Frame: 10, To: 14, Values: map[string]float64{"pan": 7}}
	q, err := p.Apply(r, e)
	if want := []Key{{Frame: 0, Value: 0}, {Frame: 14, Value: 7}, {Frame: 20, Value: 2}}; err != nil ||
		!reflect.DeepEqual(q.Track("pan").Keys, want) {
		t.Errorf("%v, %v", q, err)
	}
	e.To = 20
	if _, err := p.Apply(r, e); err == nil || !strings.Contains(err.Error(), "has a keyframe at 20 already") {
		t.Errorf("a keyframe is dragged onto its neighbour: %v", err)
	}
	e.To, e.Values = 10, map[string]float64{"tilt": 7}
	if _, err := p.Apply(r, e); err == nil {
		t.Error("moving pan sets tilt")
	}
}

// Before its first keyframe every kind waits there, after its last it stays
// there; what that jumps is listed, in value and in speed.
func TestBeforeTheFirstAndAfterTheLast(t *testing.T) {
	for _, k := range curve.Kinds {
		for _, last := range []float64{100, 200} { // the last keyframe inside the move, and at its end
			p, r := plan(t, set(20, map[string]float64{"track": 100}), set(60, map[string]float64{"track": 160}),
				set(last, map[string]float64{"track": 300}),
				set(0, map[string]float64{"tilt": 0}), set(200, map[string]float64{"tilt": 0}), Edit{Op: "kind",
					Axis: "track", Kind: k})
			m, err := Compile(p, r)
			if err != nil {
				t.Fatal(err)
			}
			c := m.Curves[0]
			for _, f := range []float64{0, 10, 19.99, 20} {
				if got := c.At(f).P; math.Abs(got-100) > 0.01 && !(k == curve.Ahead && f == 20) {
					t.Errorf("%s waits at %g at frame %g, want 100", k, got, f)
				}
			}
			for f := last; f <= 200; f += 25 {
				if got := c.At(f).P; math.Abs(got-300) > 1e-9 {
					t.Errorf("%s, last keyframe at %g: at %g at frame %g, want 300", k, last, got, f)
				}
			}
			jumps := map[int]bool{}
			for _, j := range m.Jumps[0] {
				if j.At == last {
					jumps[j.Order] = true
				}
			}
			if jumps[0] != (k == curve.Hold) || jumps[1] != (k == curve.Linear || k == curve.Natural ||
				k == curve.Akima) {
				t.Errorf("%s, last keyframe at %g: listed there %v", k, last, m.Jumps[0])
			}
		}
	}
	// The case that was found: 0 and 100 on a move of 200 frames.
	p, r := plan(t, set(0, map[string]float64{"track": 100}), set(100, map[string]float64{"track": 200}),
		set(200, map[string]float64{"pan": 0}),
		Edit{Op: "kind", Axis: "track", Kind: curve.Hold})
	m, _ := Compile(p, r)
	if got := m.Curves[0].At(150).P; got != 200 || len(m.Jumps[0]) != 1 || m.Jumps[0][0] !=
		(curve.Jump{At: 100, Order: 0, By: 100}) {
		t.Errorf("at 150 it stands at %g; listed %v", got, m.Jumps[0])
	}
}

func TestRefusedEditsLeaveThePathAsItWas(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"track": 100}), set(50, map[string]float64{"track": 400}))
	before, _ := json.Marshal(p)
	for name, c := range map[string]struct {
		e     Edit
		field string
	}{
		"same frame":   {Edit{Op: "move", Frame: 50, To: 0}, "to"},
		"NaN value":    {set(9, map[string]float64{"track": math.NaN()}), "track"},
		"NaN frame":    {set(math.NaN(), map[string]float64{"track": 100}), "frame"},
		"ten million":  {set(1e7, map[string]float64{"track": 100}), "frame"},
		"too long":     {Edit{Op: "room", Frame: 0, Frames: MaxFrames}, "frame"},
		"unknown axis": {set(9, map[string]float64{"boom": 1}), "values"},
		"outside":      {set(9, map[string]float64{"track": 1500}), "track"},
		"no keyframe":  {Edit{Op: "delete", Frame: 7}, "frame"},
		"kind":         {Edit{Op: "kind", Axis: "track", Kind: "wobble"}, "track.kind"},
		"ends":         {Edit{Op: "kind", Axis: "track", Kind: curve.Through, Ends: curve.Shape}, "track.ends"},
		"segment":      {Edit{Op: "segment", Axis: "track", Index: 1, Kind: curve.Hold}, "index"},
		"factor":       {Edit{Op: "factor", Factor: &clock.Rate{Num: 1, Den: 0}}, "factor"},
		"no rate":      {Edit{Op: "rate"}, "rate"},
		"rate":         {Edit{Op: "rate", Rate: &clock.Rate{Num: 5000, Den: 1}}, "rate"},
		"run":          {Edit{Op: "run", RunUp: -1}, "run_up"},
		"op":           {Edit{Op: "jiggle"}, "op"},
		"replace":      {Edit{Op: "replace", Tracks: []Track{{Axis: "boom"}}}, "axis"},
	} {
		_, err := p.Apply(r, c.e)
		var pe *Error
		if !errors.As(err, &pe) || pe.Field != c.field {
			t.Errorf("%s: %v, want an error naming %s", name, err, c.field)
		} else if pe.Wrong == "" || pe.Want == "" {
			t.Errorf("%s: %v does not say what would be right", name, err)
		}
	}
	if after, _ := json.Marshal(p); string(after) != string(before) {
		t.Error("a refused edit changed the path")
	}
	if _, err := Compile(New(r, p.Rate, nil), r); err == nil || !strings.Contains(err.Error(), "no keyframe") {
		t.Errorf("an empty path compiles: %v", err)
	}
}

// Run-up and run-out start and end at rest and join the picture part C².
func TestRunUpJoins(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0, "track": 500}),
		set(40, map[string]float64{"pan": 20, "track": 500}), set(90, map[string]float64{"pan": 25}),
		Edit{Op: "kind", Axis: "pan", Kind: curve.Natural})
	m, _ := Compile(p, r)
	if js := m.Jumps[1]; len(js) < 2 || js[0].Order != 1 {
		t.Fatalf("a start with speed is not listed: %v", js)
	}
	p, _ = p.Apply(r, Edit{Op: "run", RunUp: 20, RunOut: 15})
	m, _ = Compile(p, r)
	if m.Start() != -20 || m.End() != 105 || m.First != 0 || m.Last != 90 {
		t.Fatalf("run %d to %d, pictures %d to %d", m.Start(), m.End(), m.First, m.Last)
	}
	for _, j := range m.Jumps[1] {
		t.Errorf("jump of order %d by %g at %g", j.Order, j.By, j.At)
	}
	for _, j := range m.Jumps[0] {
		t.Errorf("the resting track jumps: %v", j)
	}
	c := m.Curves[1]
	l, rr := c.At(-1e-9), c.At(0)
	if math.Abs(l.V-rr.V) > 1e-6 || math.Abs(l.A-rr.A) > 1e-6 {
		t.Errorf("joint: %+v against %+v", l, rr)
	}
}

func TestRateIsThePathsOwn(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"track": 100}),
		Edit{Op: "rate", Rate: &clock.Rate{Num: 24000, Den: 1001}})
	if got := p.Clock().FPS(); math.Abs(got-24000.0/1001) > 1e-12 {
		t.Errorf("%g fps", got)
	}
	if q, _ := p.Apply(r, Edit{Op: "rate", Rate: &clock.Rate{Num: 25, Den: 1}}); q.Digest() == p.Digest() {
		t.Error("another rate is another path")
	}
}

func TestDigestIgnoresTheClock(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"track": 100}))
	q, _ := p.Apply(r, Edit{Op: "factor", Factor: &clock.Rate{Num: 1, Den: 2}})
	if p.Digest() != q.Digest() {
		t.Error("the clock belongs to the pass, not to the path")
	}
	q, _ = p.Apply(r, set(0, map[string]float64{"track": 100.001}))
	if p.Digest() == q.Digest() {
		t.Error("another value has the same digest")
	}
}
