package rig_test

import (
	"math"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// Another zero: the plan's values and the machine's are that far apart, limits and home
// go with it, and the shipped description is left alone.
func TestZeroed(t *testing.T) {
	r := fixture.Slider()
	a := r.Axes[1].Zeroed(3)
	if a.Min != -173 || a.Max != 167 || a.Hard != [2]float64{-181, 175} || a.Zero != 3 || a.HomeValue() != -3 {
		t.Errorf("%+v", a)
	}
	if b := a.Zeroed(-3); b.Min != -170 || b.Zero != 0 || b.HomeValue() != 0 {
		t.Errorf("and back: %+v", b)
	}
	if c := r.Axes[0].Zeroed(0); c.HomeAt != nil || c.Min != 20 {
		t.Errorf("no other zero: %+v", c)
	}
	r.Axes = append([]rig.Axis(nil), r.Axes...)
	r.Axes[1] = a
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	q := []float64{500, 10, 0, 0, 0}
	if r.Planned(q); q[1] != 7 || q[0] != 500 {
		t.Errorf("planned %v", q)
	}
	if r.Counted(q); q[1] != 10 {
		t.Errorf("counted %v", q)
	}
}

// Where pan looks along the rail, by the camera itself.
func TestAlongRail(t *testing.T) {
	r := fixture.Slider()
	way := r.AlongRail(1)
	if len(way) != 2 {
		t.Fatalf("%v", way)
	}
	for i, want := range []float64{1, -1} {
		if f := r.Forward([]float64{500, way[i], 0, 0, 0}).Forward; math.Abs(f[0]-want) > 1e-12 ||
			math.Abs(f[1]) > 1e-12 {
			t.Errorf("at %g° it looks to %v", way[i], f)
		}
	}
	for _, i := range []int{0, 2, 3} {
		if w := r.AlongRail(i); w != nil {
			t.Errorf("%s: %v", r.Axes[i].ID, w)
		}
	}
	if w := stand().AlongRail(1); w != nil {
		t.Errorf("without a camera: %v", w)
	}
}
