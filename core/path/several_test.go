package path

import (
	"errors"
	"math"
	"slices"
	"strings"
	"testing"

	"keenarc/core/curve"
)

func at(v float64) *float64 { return &v }

func framesOf(t *Track) (out []float64) {
	for _, k := range t.Keys {
		out = append(out, k.Frame)
	}
	return out
}

// Several keyframes are moved at once: one may go where another was, past others too, and
// each takes its value, its shape and its leg along.
func TestSeveralKeyframes(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0, "track": 100}), set(10, map[string]float64{"pan": 1}),
		set(20, map[string]float64{"pan": 2, "track": 120}), set(30, map[string]float64{"pan": 3}),
		Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, Edit{Op: "shape", Axis: "pan", Frame: 10,
			Shape: &curve.Bend{Tension: 0.5}})
	q, err := p.Apply(r, Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: 20},
		{Axis: "pan", Frame: 20, To: 50, Value: at(9)}, {Axis: "track", Frame: 20, To: 25}}})
	if err != nil {
		t.Fatal(err)
	}
	pan := q.Track("pan")
	if !slices.Equal(framesOf(pan), []float64{0, 20, 30, 50}) || !slices.Equal(framesOf(q.Track("track")),
		[]float64{0, 25}) {
		t.Fatalf("they lie at %v and %v", framesOf(pan), framesOf(q.Track("track")))
	}
	if pan.Keys[1].Value != 1 || pan.Keys[1].Tension != 0.5 || pan.Keys[3].Value != 9 || pan.Segments[1] !=
		curve.Linear || len(pan.Segments) != 1 {
		t.Errorf("what they are did not go along: %+v %v", pan.Keys, pan.Segments)
	}
	back, err := q.Apply(r, Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 20, To: 10},
		{Axis: "pan", Frame: 50, To: 20, Value: at(2)}, {Axis: "track", Frame: 25, To: 20}}})
	if err != nil || back.Digest() != p.Digest() {
		t.Errorf("and back they are not as before: %v", err)
	}
	out, err := p.Apply(r, Edit{Op: "clear", Moves: []KeyMove{{Axis: "pan", Frame: 0}, {Axis: "pan", Frame: 20},
		{Axis: "track", Frame: 0}, {Axis: "track", Frame: 20}}})
	if err != nil || !slices.Equal(framesOf(out.Track("pan")), []float64{10, 30}) || len(out.Track("track").Keys) != 0 {
		t.Errorf("taken out: %v, %v", err, framesOf(out.Track("pan")))
	}
	one, err := p.Apply(r, Edit{Op: "room", Axis: "pan", Frame: 10, Frames: 7})
	if err != nil || !slices.Equal(framesOf(one.Track("pan")), []float64{0, 10, 27, 37}) ||
		!slices.Equal(framesOf(one.Track("track")), []float64{0, 20}) {
		t.Errorf("room on one axis: %v, %v, %v", err, framesOf(one.Track("pan")), framesOf(one.Track("track")))
	}
}

func TestPasteAndSpan(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0}), set(10, map[string]float64{"pan": 1}),
		set(30, map[string]float64{"pan": 3}), Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear})
	q, err := p.Apply(r,
		Edit{Op: "paste",
			Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: 10, Value: 5, Bend: curve.Bend{Bias: 0.25}},
				{Frame: 20, Value: 6}}}, {Axis: "tilt", Keys: []Key{{Frame: 12, Value: -2}}}}})
	if err != nil {
		t.Fatal(err)
	}
	pan := q.Track("pan")
	if !slices.Equal(framesOf(pan), []float64{0, 10, 20, 30}) || pan.Keys[1].Value != 5 || pan.Keys[1].Bias != 0.25 ||
		pan.Kind != curve.Smooth {
		t.Errorf("pasted: %+v", pan)
	}
	if pan.Segments[1] != curve.Linear || pan.Segments[2] != curve.Linear {
		t.Errorf("a leg that is split keeps its kind: %v", pan.Segments)
	}
	if k := q.Track("tilt").Keys; len(k) != 1 || k[0].Value != -2 {
		t.Errorf("tilt: %v", k)
	}
	s, err := p.Apply(r, Edit{Op: "span", Axis: "pan", Frame: 5, To: 53, Pair: &[2]float64{-10, 20},
		Ramp: &TypedRamp{Law: curve.SCurve, In: "0.5 s", Out: "6"}})
	if err != nil {
		t.Fatal(err)
	}
	pan = s.Track("pan")
	if !slices.Equal(framesOf(pan), []float64{5, 53}) || pan.Kind != curve.Ramped || pan.Ramp == nil || pan.Ramp.In !=
		12 || pan.Ramp.Out != 6 || pan.Ramp.Law != curve.SCurve || len(pan.Segments) != 0 {
		t.Errorf("one move: %+v", pan)
	}
	m, err := Compile(s, r)
	if err != nil || m.Curves[r.Index("pan")].At(53).P != 20 || m.Curves[r.Index("pan")].At(5).P != -10 {
		t.Errorf("it does not go from one to the other: %v", err)
	}
	if s, err = p.Apply(r, Edit{Op: "span", Axis: "pan", To: 30, Pair: &[2]float64{0, 3}}); err != nil ||
		s.Track("pan").Kind != curve.Ramped {
		t.Errorf("without a ramp: %v", err)
	}
}

func TestSeveralAreRefused(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0, "tilt": 1}), set(10, map[string]float64{"pan": 1}),
		set(20, map[string]float64{"pan": 2}))
	many := make([]Key, MaxPaste+1)
	for i := range many {
		many[i].Frame = float64(i)
	}
	for name, c := range map[string]struct {
		e           Edit
		field, want string
	}{
		"onto one that stays": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: 20}}}, "to",
			"choose a frame without one"},
		"onto each other": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: 40},
			{Axis: "pan", Frame: 20, To: 40}}}, "to", "choose a frame"},
		"none":     {Edit{Op: "keys"}, "moves", "name at least one"},
		"none out": {Edit{Op: "clear"}, "moves", "name at least one"},
		"twice": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: 40},
			{Axis: "pan", Frame: 10, To: 41}}}, "moves[1]", "once"},
		"not there": {Edit{Op: "clear", Moves: []KeyMove{{Axis: "tilt", Frame: 10}}}, "frame",
			"name the frame"},
		"no axis": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "boom", Frame: 10, To: 40}}}, "axis",
			"use track, pan"},
		"nowhere": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: math.NaN()}}}, "to",
			"give a frame"},
		"too far": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: 2e6}}}, "frame", ""},
		"past its limit": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 10, To: 11, Value: at(1e4)}}},
			"pan", "stay within"},
		"paste nothing": {Edit{Op: "paste", Tracks: []Track{{Axis: "pan"}}}, "tracks", "copy at least one"},
		"paste too many": {Edit{Op: "paste", Tracks: []Track{{Axis: "pan", Keys: many}}}, "tracks",
			"at most 10000"},
		"paste an axis": {Edit{Op: "paste", Tracks: []Track{{Axis: "boom", Keys: []Key{{}}}}}, "axis",
			"use track, pan"},
		"paste no frame": {Edit{Op: "paste", Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: math.NaN()}}}}},
			"frame", "give a frame"},
		"paste past a limit": {Edit{Op: "paste", Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: 3, Value: 1e4}}}}},
			"pan", "stay within"},
		"room of no axis":   {Edit{Op: "room", Axis: "boom", Frames: 3}, "axis", "use track, pan"},
		"room onto another": {Edit{Op: "room", Axis: "pan", Frame: 5, Frames: -10}, "", ""},
		"span of no axis":   {Edit{Op: "span", Axis: "boom", To: 3, Pair: &[2]float64{}}, "axis", "use track, pan"},
		"span of nothing":   {Edit{Op: "span", Axis: "pan", To: 3}, "pair", "give the value"},
		"span of no time": {Edit{Op: "span", Axis: "pan", Frame: 3, To: 3, Pair: &[2]float64{}}, "to",
			"duration above 0"},
		"span, its ramps": {Edit{Op: "span", Axis: "pan", To: 10, Pair: &[2]float64{0, 1},
			Ramp: &TypedRamp{Law: curve.Sine, In: "8", Out: "8"}}, "", ""},
	} {
		was := p.Digest()
		_, err := p.Apply(r, c.e)
		var pe *Error
		if !errors.As(err, &pe) && c.field != "" || err == nil || c.field != "" &&
			(!strings.Contains(pe.Field, c.field) || !strings.Contains(pe.Want, c.want)) {
			t.Errorf("%s: %v, want %s: …%s…", name, err, c.field, c.want)
		}
		if p.Digest() != was {
			t.Errorf("%s: the path was changed", name)
		}
	}
}
