package path

import (
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
)

// An edit is carried over to a newer plan only where nothing that it rests on
// has changed; each pair of edits is tried in both orders.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestUndisturbed(t *testing.T) {
	r := fixture.Slider()
	p := New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for _, f := range []float64{0, 50, 100} {
		q, err := p.Apply(r, Edit{Op: "set", Frame: f, Values: map[string]float64{"track": 100 + f, "pan": f / 10,
			"tilt": 1}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	half := &clock.Rate{Num: 1, Den: 2}
	pan := Edit{Op: "set", Frame: 50, Values: map[string]float64{"pan": 9}}
	for name, c := range map[string]struct {
		mine, other Edit
		still       bool
	}{
		"another axis at the frame": {pan, Edit{Op: "set", Frame: 50, Values: map[string]float64{"tilt": 3}},
			true},
		"another frame of the axis": {pan, Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 3}},
			true},
		"the same keyframe": {pan, Edit{Op: "set", Frame: 50, Values: map[string]float64{"pan": 3}},
			false},
		"the same among several": {Edit{Op: "set", Frame: 50, Values: map[string]float64{"pan": 9,
			"tilt": 2}}, Edit{Op: "set", Frame: 50, Values: map[string]float64{"tilt": 3}}, false},
		"a keyframe taken out":      {pan, Edit{Op: "delete", Frame: 50, Axis: "pan"}, false},
		"the axis joined otherwise": {pan, Edit{Op: "kind", Axis: "pan", Kind: curve.Linear}, true},
		"a keyframe moved away": {Edit{Op: "move", Axis: "pan", Frame: 50, To: 60},
			Edit{Op: "move", Axis: "pan", Frame: 50, To: 55}, false},
		"a keyframe put where it goes": {Edit{Op: "move", Axis: "pan", Frame: 50, To: 60},
			Edit{Op: "set", Frame: 60, Values: map[string]float64{"pan": 1}}, false},
		"another axis put where it goes": {Edit{Op: "move", Axis: "pan", Frame: 50, To: 60},
			Edit{Op: "set", Frame: 60, Values: map[string]float64{"tilt": 1}}, true},
		"all axes, one of them changed": {Edit{Op: "move", Frame: 50, To: 60},
			Edit{Op: "set", Frame: 50, Values: map[string]float64{"tilt": 7}}, false},
		"taken out on all, one changed": {Edit{Op: "delete", Frame: 100},
			Edit{Op: "set", Frame: 100, Values: map[string]float64{"pan": 7}}, false},
		"room, a keyframe more": {Edit{Op: "room", Frame: 50, Frames: 4},
			Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 7}}, false},
		"room, a value changed": {Edit{Op: "room", Frame: 50, Frames: 4}, pan, true},
		"both joined otherwise": {Edit{Op: "kind", Axis: "pan", Kind: curve.Linear},
			Edit{Op: "kind", Axis: "pan", Kind: curve.Akima}, false},
		"a leg, a keyframe more before": {Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear},
			Edit{Op: "set", Frame: 20, Values: map[string]float64{"pan": 7}}, false},
		"a leg, its keyframe's value": {Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, pan, true},
		"a leg, the same leg": {Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Akima}, false},
		"a leg, the axis": {Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear},
			Edit{Op: "kind", Axis: "pan", Kind: curve.Akima}, false},
		"a joint, a keyframe of the axis": {Edit{Op: "kind", Axis: "pan", Kind: curve.Linear}, pan, true},
		"a joint, its blend": {Edit{Op: "kind", Axis: "pan", Kind: curve.Smooth},
			Edit{Op: "kind", Axis: "pan", Kind: curve.Linear, Blend: 4}, false},
		"the rate and a keyframe": {Edit{Op: "rate", Rate: &clock.Rate{Num: 25, Den: 1}}, pan, true},
		"the rate, a clock": {Edit{Op: "rate", Rate: &clock.Rate{Num: 25, Den: 1}},
			Edit{Op: "factor", Clock: "8 fps"}, false},
		"a length, another length": {Edit{Op: "factor", Clock: "9 s"},
			Edit{Op: "move", Frame: 100, To: 120}, false},
		"a factor, another length": {Edit{Op: "factor", Factor: half},
			Edit{Op: "move", Frame: 100, To: 120}, true},
		"runs, the rate": {Edit{Op: "run", RunUp: 10},
			Edit{Op: "rate", Rate: &clock.Rate{Num: 25, Den: 1}}, false},
		"a leg's kind, its keyframe out": {Edit{Op: "delete", Frame: 50, Axis: "pan"},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"the leg before it": {Edit{Op: "delete", Frame: 50, Axis: "pan"},
			Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Linear}, false},
		"a leg's kind, it is moved": {Edit{Op: "move", Frame: 50, To: 60, Axis: "pan"},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"a leg's kind, all are moved": {Edit{Op: "move", Frame: 50, To: 60},
			Edit{Op: "segment", Axis: "tilt", Index: 1, Kind: curve.Linear}, false},
		"a leg's kind, it is cleared": {Edit{Op: "clear", Moves: []KeyMove{{Axis: "pan", Frame: 50}}},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"a leg's kind, several moved": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 50, To: 55}}},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"a leg's kind, it is divided": {Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 1}},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"a leg's kind, pasted into": {
			Edit{Op: "paste", Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: 70}}}}}, Edit{Op: "segment",
				Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"a ramp, its keyframe's value": {pan, Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Ramped,
			Ramp: &TypedRamp{Law: curve.Sine, In: "5", Out: "6"}}, false},
		"the ramp before it": {pan, Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Ramped,
			Ramp: &TypedRamp{Law: curve.Sine, In: "5", Out: "6"}}, false},
		"moved into a leg": {Edit{Op: "move", Frame: 0, To: 70, Axis: "pan"},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"one of all moved into a leg": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 0, To: 70}}},
			Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Linear}, false},
		"another leg's kind": {Edit{Op: "delete", Frame: 100, Axis: "pan"},
			Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Linear}, true},
		"the whole shifted, its old place": {Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 1}},
			Edit{Op: "whole", Whole: &Whole{Do: "shift", Frames: 20}}, false},
		"its old end": {Edit{Op: "set", Frame: 130, Values: map[string]float64{"pan": 1}},
			Edit{Op: "whole", Whole: &Whole{Do: "shift", Frames: 20}}, false},
		"divided twice": {Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 1}},
			Edit{Op: "set", Frame: 60, Values: map[string]float64{"pan": 1}}, true},
		"room, a later value":         {Edit{Op: "room", Frame: 40, Frames: 4}, pan, false},
		"room on one axis, another's": {Edit{Op: "room", Frame: 40, Frames: 4, Axis: "tilt"}, pan, true},
		"room for all, one at a frame": {Edit{Op: "room", Frame: 20, Frames: 4},
			Edit{Op: "set", Frame: 100, Values: map[string]float64{"pan": 3}}, false},
		"the rate twice": {Edit{Op: "rate", Rate: &clock.Rate{Num: 25, Den: 1}},
			Edit{Op: "rate", Rate: &clock.Rate{Num: 30, Den: 1}}, false},
		"a clock, the rate": {Edit{Op: "factor", Clock: "8 fps"},
			Edit{Op: "rate", Rate: &clock.Rate{Num: 30, Den: 1}}, false},
		"a clock twice":          {Edit{Op: "factor", Clock: "1/3"}, Edit{Op: "factor", Factor: half}, false},
		"a clock and a keyframe": {Edit{Op: "factor", Factor: half}, pan, true},
		"the runs twice":         {Edit{Op: "run", RunUp: 10}, Edit{Op: "run", RunOut: 10}, false},
		"several, one of them changed": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "tilt", Frame: 0, To: 5},
			{Axis: "pan", Frame: 50, To: 60}}}, pan, false},
		"several, one put where it goes": {Edit{Op: "keys", Moves: []KeyMove{{Axis: "pan", Frame: 50, To: 60}}},
			Edit{Op: "set", Frame: 60, Values: map[string]float64{"pan": 3}}, false},
		"several, another axis":    {Edit{Op: "clear", Moves: []KeyMove{{Axis: "tilt", Frame: 50}}}, pan, true},
		"several out, one changed": {Edit{Op: "clear", Moves: []KeyMove{{Axis: "pan", Frame: 50}}}, pan, false},
		"pasted where it was changed": {
			Edit{Op: "paste", Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: 20}, {Frame: 50}}}}},
			pan, false},
		"pasted beside it": {Edit{Op: "paste", Tracks: []Track{{Axis: "pan", Keys: []Key{{Frame: 51}}}}},
			pan, true},
		"one move, a keyframe of it": {Edit{Op: "span", Axis: "pan", To: 40, Pair: &[2]float64{1, 2}}, pan, false},
		"one move, another axis":     {Edit{Op: "span", Axis: "tilt", To: 40, Pair: &[2]float64{1, 2}}, pan, true},
		"one move, the rate": {Edit{Op: "span", Axis: "pan", To: 40, Pair: &[2]float64{1, 2}},
			Edit{Op: "rate", Rate: &clock.Rate{Num: 25, Den: 1}}, false},
		"base twice": {Edit{Op: "base", Values: map[string]float64{"roll": 1}},
			Edit{Op: "base", Values: map[string]float64{"roll": 2}}, false},
		"base of others": {Edit{Op: "base", Values: map[string]float64{"roll": 1}},
			Edit{Op: "base", Values: map[string]float64{"focus": 20}}, true},
		"a file's axis, a keyframe of it": {Edit{Op: "replace", Tracks: []Track{{Axis: "pan", Kind: curve.Smooth}}},
			pan, false},
		"a file's axis, a leg of it": {Edit{Op: "replace", Tracks: []Track{{Axis: "pan", Kind: curve.Smooth}}},
			Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Linear}, false},
		"a file's axis, another": {Edit{Op: "replace", Tracks: []Track{{Axis: "tilt", Kind: curve.Smooth}}}, pan, true},
	} {
		for k, two := range [][2]Edit{{c.mine, c.other}, {c.other, c.mine}} {
			now, err := p.Apply(r, two[1])
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			if k == 0 && two[0].Undisturbed(p, now) != c.still {
				t.Errorf("%s: undisturbed is %v", name, !c.still)
			}
			if !two[0].Undisturbed(p, now) {
				continue
			}
			// What is carried over gives the same in either order.
			ab, err := now.Apply(r, two[0])
			if err != nil {
				t.Errorf("%s: undisturbed, but %v", name, err)
				continue
			}
			first, err := p.Apply(r, two[0])
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			if ba, err := first.Apply(r, two[1]); err == nil && ab.Digest() != ba.Digest() &&
				two[1].Undisturbed(p, first) {
				t.Errorf("%s: the order of two edits that leave each other alone matters", name)
			}
		}
	}
	if (Edit{Op: "wave"}).Undisturbed(p, p) {
		t.Error("an edit that there is not is undisturbed")
	}
}

// New shapes, ramps, whole edits and timings count as what they were made on.
func TestUndisturbedShapes(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 1, "tilt": 1}), set(40, map[string]float64{"pan": 2}),
		set(80, map[string]float64{"pan": 3, "tilt": 4}), Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped})
	after := func(e Edit) *Path {
		t.Helper()
		q, err := p.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		return q
	}
	ramp := &TypedRamp{Law: curve.Sine, In: "5", Out: "6"}
	value, clocked, ramped, tilted := after(set(40, map[string]float64{"pan": 2.5})),
		after(Edit{Op: "factor", Clock: "0.5"}), after(Edit{Op: "segment", Axis: "pan", Index: 0, Kind: curve.Ramped,
			Ramp: ramp}), after(set(40, map[string]float64{"tilt": 2}))
	shaped := after(Edit{Op: "shape", Axis: "pan", Frame: 40, Shape: &curve.Bend{Tension: 0.5}})
	for name, c := range map[string]struct {
		e   Edit
		now *Path
		ok  bool
	}{
		"a shape, another axis moved": {Edit{Op: "shape", Axis: "pan", Frame: 40, Shape: &curve.Bend{Bias: 1}},
			tilted, true},
		"a shape, its keyframe moved": {Edit{Op: "shape", Axis: "pan", Frame: 40, Shape: &curve.Bend{Bias: 1}},
			value, false},
		"a shape, its keyframe shaped": {Edit{Op: "shape", Axis: "pan", Frame: 40, Shape: &curve.Bend{Bias: 1}},
			shaped, false},
		"ramps, a keyframe has moved": {Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped, Ramp: ramp},
			value, false},
		"ramps, the clock has changed": {Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped, Ramp: ramp},
			clocked, false},
		"ramps, a leg has its own":     {Edit{Op: "kind", Axis: "pan", Kind: curve.Ramped}, ramped, false},
		"a kind, a keyframe has moved": {Edit{Op: "kind", Axis: "pan", Kind: curve.Akima}, value, true},
		"a leg, the clock has changed": {Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Ramped,
			Ramp: ramp}, clocked, false},
		"all of it, another axis has moved":   {Edit{Op: "whole", Whole: &Whole{Do: "reverse"}}, tilted, false},
		"all of it, nothing has":              {Edit{Op: "whole", Whole: &Whole{Do: "reverse"}}, p.Clone(), true},
		"a new timing, the clock has changed": {Edit{Op: "retime"}, clocked, false},
	} {
		if got := c.e.Named(r).Undisturbed(p, c.now); got != c.ok {
			t.Errorf("%s: %t", name, got)
		}
	}
}
