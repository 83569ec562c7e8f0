package rig_test

import (
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// stand has no camera: a column that rises and turns, with a lamp that is in no place.
func stand() *rig.Rig {
	axis := func(id string, k rig.Kind, u rig.Unit) rig.Axis {
		return rig.Axis{ID: id, Name: strings.ToUpper(id[:1]) + id[1:], Kind: k, Unit: u,
			StepsPerUnit: rig.Ratio{Num: 1, Den: 1}, Max: 100, Hard: [2]float64{0, 100}, Home: rig.SensorEdge,
			Rated: rig.Limits{Speed: 1, Acceleration: 1}, Working: rig.Limits{Speed: 1, Acceleration: 1}}
	}
	return &rig.Rig{ID: "stand", Name: "Stand", Version: 1, ClearM: 2, LagMS: 3,
		Axes: []rig.Axis{axis("rise", rig.Mover, rig.MM), axis("turn", rig.Mover, rig.Deg),
			axis("glow", rig.Lamp, rig.Percent)},
		Joints: []rig.Joint{
			{Name: "column", Kind: rig.Prismatic, Offset: rig.Vec{0, 0, 0.5}, Direction: rig.Vec{0, 0, 1},
				Axis: "rise"},
			{Name: "left", Parent: "column", Kind: rig.Revolute, Offset: rig.Vec{-0.2, 0, 0},
				Direction: rig.Vec{0, 0, -1}, Axis: "turn"},
			{Name: "right", Parent: "column", Kind: rig.Revolute, Offset: rig.Vec{0.2, 0, 0},
				Direction: rig.Vec{0, 0, -1}, Axis: "turn", Scale: -2},
		}}
}

func near(a, b rig.Vec) bool { return math.Hypot(math.Hypot(a[0]-b[0], a[1]-b[1]), a[2]-b[2]) < 1e-12 }

// A tree: both arms ride on the column, each turns its own way.
func TestTree(t *testing.T) {
	r := stand()
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	f := r.Frames(nil, []float64{100, 30, 0})
	want := []struct{ at, forward rig.Vec }{
		{rig.Vec{0, 0, 0.6}, rig.Vec{0, 1, 0}},
		{rig.Vec{-0.2, 0, 0.6}, rig.Vec{0.5, math.Sqrt(3) / 2, 0}},
		{rig.Vec{0.2, 0, 0.6}, rig.Vec{-math.Sqrt(3) / 2, 0.5, 0}},
	}
	for i, w := range want {
		if !near(f[i].At, w.at) || !near(f[i].Forward, w.forward) {
			t.Errorf("joint %d: %v looking to %v, want %v to %v", i, f[i].At, f[i].Forward, w.at, w.forward)
		}
	}
	if p := r.Forward([]float64{100, 30, 0}); !near(p.At, rig.Vec{}) || !near(p.Forward, rig.Vec{0, 1, 0}) {
		t.Errorf("without a camera: %+v, want the floor's frame", p)
	}
}

// The machines of a shot as one rig: names, places, the first camera.
func TestJoin(t *testing.T) {
	slider := fixture.Slider()
	r, err := rig.Join([]rig.Placed{
		{Name: "stand", Rig: stand(), Place: rig.Place{At: rig.Vec{1, 2, 0}}},
		{Name: "slider", Rig: slider, Place: rig.Place{At: rig.Vec{3, 0, 0.1}, TurnDeg: 90}}})
	if err != nil {
		t.Fatal(err)
	}
	if r.ID != "stand" || r.Name != "Stand and Slider" || r.Camera != "slider/camera" || r.ClearM != 2 ||
		r.LagMS != 3 || r.Version != 0 {
		t.Errorf("%s, %s, camera %s, clear %g, lag %g, version %d", r.ID, r.Name, r.Camera, r.ClearM,
			r.LagMS, r.Version)
	}
	if a := r.Axes[3]; a.ID != "slider/track" || a.Name != "Slider track" {
		t.Errorf("axis %s is called %s", a.ID, a.Name)
	}
	if m := r.Machines(); !slices.Equal(m, []string{"stand", "slider"}) {
		t.Errorf("machines %v", m)
	}
	// Turned to the right by 90°: its x runs towards −y, it looks along +x.
	q := make([]float64, len(r.Axes))
	q[3] = 500
	p := r.Forward(q)
	if want := (rig.Vec{3 - 0.01, -0.5, 0.77}); !near(p.At, want) || !near(p.Forward, rig.Vec{1, 0, 0}) {
		t.Errorf("%v looking to %v, want %v along x", p.At, p.Forward, want)
	}
	f := r.Frames(nil, q)
	for i, j := range r.Joints {
		if j.Name == r.Camera && f[i] != p {
			t.Errorf("Frames has the camera at %+v, Forward at %+v", f[i], p)
		}
	}
	if f[0].At != (rig.Vec{1, 2, 0}) || f[1].At != (rig.Vec{1, 2, 0.5}) {
		t.Errorf("the stand is at %v, its column at %v", f[0].At, f[1].At)
	}
	for name, want := range map[string]int{"slider/track": 3, "track": 3, "rise": 0, "turn": 1, "stand/turn": 1,
		"boom": -1, "": -1} {
		if got := r.Find(name); got != want {
			t.Errorf("%q is axis %d, want %d", name, got, want)
		}
	}
	one, err := rig.Join([]rig.Placed{{Name: "b", Rig: slider}})
	if err != nil || one.Axes[0].Name != "Track" || one.ID != "b" || one.Version != 2 {
		t.Errorf("alone: %+v, %v", one, err)
	}
	two, err := rig.Join([]rig.Placed{{Name: "a", Rig: slider}, {Name: "b", Rig: slider}})
	if err != nil || two.Find("track") != -1 || two.Camera != "a/camera" {
		t.Errorf("two of a kind: track is %d, camera %s, %v", two.Find("track"), two.Camera, err)
	}
	for name, ms := range map[string][]rig.Placed{
		"none": {}, "no rig": {{Name: "a"}}, "same name": {{Name: "a", Rig: slider}, {Name: "a", Rig: slider}},
		"no name": {{Rig: slider}}, "slash": {{Name: "a/b", Rig: slider}},
	} {
		if _, err := rig.Join(ms); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

// Descriptions are refused with what is wrong where it is wrong.
func TestRead(t *testing.T) {
	raw, err := json.Marshal(fixture.Slider())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := rig.Read(raw); err != nil {
		t.Fatal(err)
	}
	for want, text := range map[string]string{
		"unknown field":     strings.Replace(string(raw), `"lag_ms"`, `"lag"`, 1),
		"rig slider: axis":  strings.Replace(string(raw), `"linear"`, `"rotary"`, 1),
		"rig description: ": "{",
	} {
		if _, err := rig.Read([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
}

func TestUnits(t *testing.T) {
	if rig.MM.SI(250) != 0.25 || rig.Percent.SI(250) != 2.5 || math.Abs(rig.Deg.SI(180)-math.Pi) > 1e-15 {
		t.Error("units")
	}
	if rig.MM.Symbol()+rig.Deg.Symbol()+rig.Percent.Symbol() != "mm°%" {
		t.Error("symbols")
	}
	r := fixture.Slider()
	if r.Of(rig.Focus) != 4 || r.Of(rig.Rotary) != 1 || r.Of(rig.Lamp) != -1 {
		t.Error("first of a kind")
	}
}

// Rails are where nothing moving carries what slides.
func TestRailsAndLinks(t *testing.T) {
	r, err := rig.Join([]rig.Placed{{Name: "slider", Rig: fixture.Slider(), Place: rig.Place{At: rig.Vec{0, 2, 0},
		TurnDeg: 180}}, {Name: "stand", Rig: stand()}})
	if err != nil {
		t.Fatal(err)
	}
	rails := r.Rails()
	if len(rails) != 2 || rails[0].Axis != "slider/track" || rails[1].Axis != "stand/rise" || rails[0].Text !=
		"soft limits 20 – 1480 mm" {
		t.Fatalf("%+v", rails)
	}
	for i, want := range map[int]rig.Vec{0: {0.01, 2, 0.45}, 1: {-1.51, 2, 0.45}} {
		if !near(rails[0].Hard[i], want) {
			t.Errorf("hard end %d at %v, want %v", i, rails[0].Hard[i], want)
		}
	}
	if !near(rails[0].Soft[1], rig.Vec{-1.48, 2, 0.45}) || !near(rails[1].Hard[1], rig.Vec{0, 0, 0.6}) {
		t.Errorf("soft %v, column up to %v", rails[0].Soft, rails[1].Hard)
	}
	l := r.Links()
	if l[0].Parent != -1 || l[1].Parent != 0 || l[5].Parent != 4 || l[1].Kind != rig.Prismatic {
		t.Errorf("%+v", l)
	}
	head := fixture.Slider()
	head.Joints = append([]rig.Joint{{Name: "turn", Kind: rig.Revolute, Direction: rig.Vec{0, 0, 1}, Axis: "pan"}},
		head.Joints...)
	head.Joints[1].Parent = "turn"
	if got := head.Rails(); len(got) != 0 {
		t.Errorf("a rail that turns: %+v", got)
	}
}
