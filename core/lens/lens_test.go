package lens

import (
	"math"
	"testing"

	"keenarc/core/rig"
)

func TestScaleIsItsOwnInverse(t *testing.T) {
	p := Demo()
	s, err := NewScale(p.Marks)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range p.Marks {
		if d := s.Distance(m.RingDeg); math.Abs(d-m.DistanceM) > 1e-9*m.DistanceM {
			t.Errorf("mark at %g° is sharp at %g m, want %g", m.RingDeg, d, m.DistanceM)
		}
	}
	for ring := 1.0; ring < 300; ring += 7.3 {
		if back := s.Ring(s.Distance(ring)); math.Abs(back-ring) > 1e-7 {
			t.Errorf("%g° comes back as %g°", ring, back)
		}
	}
	if s.Ring(0.1) != 0 || s.Ring(1000) != 300 {
		t.Error("beyond the marks the scale is held at its ends")
	}
}

func TestScaleRefuses(t *testing.T) {
	for name, m := range map[string][]Mark{
		"one": {{0, 1}}, "zero distance": {{0, 1}, {10, 0}}, "turning": {{0, 1}, {10, 2}, {20, 1.5}}, "ring order": {{10, 1}, {0, 2}},
	} {
		if _, err := NewScale(m); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

func TestProjectByHand(t *testing.T) {
	p := Demo()
	pose := rig.Pose{Right: rig.Vec{1, 0, 0}, Forward: rig.Vec{0, 1, 0}, Up: rig.Vec{0, 0, 1}}
	x, y, d, ok := p.Project(pose, rig.Vec{0.2, 2, -0.1})
	want := 35.0 / (24.9 / 4096) * 0.1
	if !ok || math.Abs(x-want) > 1e-9 || math.Abs(y+want/2) > 1e-9 || math.Abs(d-2.06) > 1e-12 {
		t.Errorf("%g, %g at %g; want %g, %g at 2.06", x, y, d, want, -want/2)
	}
	if _, _, _, ok := p.Project(pose, rig.Vec{0, -1, 0}); ok {
		t.Error("a point behind the camera is seen")
	}
	h, _ := p.FieldDeg()
	if edge := 2 * math.Tan(h/2*math.Pi/180); math.Abs(edge*2/2-24.9/35) > 1e-12 {
		t.Errorf("field %g°", h)
	}
}

// The edges of the depth of field blur to the circle of confusion.
func TestSharpEdges(t *testing.T) {
	p := Demo()
	near, far := p.SharpM(1.8)
	circle := p.CircleMM / p.PitchMM()
	for _, d := range []float64{near, far} {
		if c := p.BlurPx(d, 1.8); math.Abs(c-circle) > 1e-9*circle {
			t.Errorf("blur at %g m is %g px, want %g", d, c, circle)
		}
	}
	if _, far := p.SharpM(100); !math.IsInf(far, 1) {
		t.Error("beyond the hyperfocal distance everything far is sharp")
	}
}
