package lens_test

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/lens"
	"keenarc/core/rig"
)

func TestScaleIsItsOwnInverse(t *testing.T) {
	p := fixture.Camera()
	s, err := p.Scale()
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
	down, err := lens.NewScale([]lens.Mark{{0, 20}, {100, 2}, {200, 0.5}}) // a ring that turns the other way
	if err != nil {
		t.Fatal(err)
	}
	for distance, want := range map[float64]float64{0.1: 200, 0.45: 200, 0.5: 200, 2: 100, 20: 0, 25: 0, 1e9: 0} {
		if got := down.Ring(distance); math.Abs(got-want) > 1e-9 {
			t.Errorf("%g m lies at %g°, want %g", distance, got, want)
		}
	}
}

// What somebody asks for beyond the scale's ends is refused with the ends.
func TestRingFor(t *testing.T) {
	for _, marks := range [][]lens.Mark{fixture.Camera().Marks, {{0, 20}, {100, 2}, {200, 0.45}}} {
		s, err := lens.NewScale(marks)
		if err != nil {
			t.Fatal(err)
		}
		if near, far := s.Reach(); math.Abs(near-0.45) > 1e-9 || math.Abs(far-20) > 1e-9 {
			t.Errorf("reaches from %g to %g m", near, far)
		}
		for _, d := range []float64{0.45, 1.1, 20} {
			if ring, err := s.RingFor(d); err != nil || math.Abs(s.Distance(ring)-d) > 1e-9*d {
				t.Errorf("%g m: %g°, %v", d, ring, err)
			}
		}
		for _, d := range []float64{0.3, 0.449, 20.01, 1e9, 0, -1, math.NaN(), math.Inf(1)} {
			if _, err := s.RingFor(d); err == nil || !strings.Contains(err.Error(), "give 0.45 to 20 m") {
				t.Errorf("%g m: %v", d, err)
			}
		}
	}
}

// A narrow scale is held at the nearer of its ends, and what is wrong with a mark
// is said of that mark.
func TestScaleEndsAndMistakes(t *testing.T) {
	s, err := lens.NewScale([]lens.Mark{{0, 1}, {90, 1.5}})
	if err != nil {
		t.Fatal(err)
	}
	for d, want := range map[float64]float64{0.7: 0, 0.99: 0, 1.6: 90, 3: 90, 1e6: 90} {
		if got := s.Ring(d); got != want {
			t.Errorf("%g m lies at %g°, want %g", d, got, want)
		}
	}
	for want, m := range map[string][]lens.Mark{"focus mark 2: distance -1": {{0, 1}, {10, -1}},
		"focus mark 3: distances must": {{0, 1}, {10, 2}, {20, 1.5}}, "focus mark 4: distances must": {{0, 3}, {10, 2},
			{20, 1.5}, {30, 1.7}}, "2 marks": {{0, 1}}} {
		_, err := lens.NewScale(m)
		if err == nil || !strings.Contains(err.Error(), want) && want != "2 marks" {
			t.Errorf("%v: %v, want %q", m, err, want)
		}
	}
	p := fixture.Camera()
	p.Marks[1].DistanceM = 0.1
	if _, err := p.Scale(); err == nil || !strings.Contains(err.Error(), "focus mark 2: 0.1 m") {
		t.Errorf("%v", err)
	}
}

func TestScaleRefuses(t *testing.T) {
	for name, m := range map[string][]lens.Mark{
		"one": {{0, 1}}, "zero distance": {{0, 1}, {10, 0}}, "turning": {{0, 1}, {10, 2}, {20, 1.5}},
		"ring order": {{10, 1}, {0, 2}},
	} {
		if _, err := lens.NewScale(m); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

// The thin lens: 1/f = 1/s + 1/i, and s and i add up to the distance from the
// image plane. By hand for 35 mm at 1.2 m: s = (1.2 + √(1.44 − 0.168))/2.
func TestFocusIsAThinLens(t *testing.T) {
	p := fixture.Camera()
	for _, d := range []float64{0.14, 0.2, 0.45, 0.6, 1.2, 20, 1e5} {
		f := p.At(d)
		if math.Abs(f.ObjectM+f.ImageM-d) > 1e-12*d || math.Abs(1/f.ObjectM+1/f.ImageM-1/0.035) > 1e-9 ||
			f.ImageM > f.ObjectM+1e-9 {
			t.Errorf("at %g m: object %g, image %g", d, f.ObjectM, f.ImageM)
		}
		if math.Abs(f.Magnification-f.ImageM/f.ObjectM) > 1e-15 {
			t.Errorf("at %g m: magnification %g", d, f.Magnification)
		}
	}
	f := p.At(1.2)
	if s := (1.2 + math.Sqrt(1.44-0.168)) / 2; math.Abs(f.ObjectM-s) > 1e-12 || math.Abs(f.ImageM-(1.2-s)) > 1e-12 {
		t.Errorf("object %g, want %g", f.ObjectM, s)
	}
	if f := p.At(0.01); f.SharpAtM != 0.14 || math.Abs(f.Magnification-1) > 1e-9 {
		t.Errorf("nearer than it can focus: %+v", f)
	}
	if f := p.At(math.Inf(1)); f.ImageM != 0.035 || f.ViewMM() != 35 || f.BlurPx(math.Inf(1)) != 0 {
		t.Errorf("infinity: %+v", f)
	}
}

// x = m·(S − p)·X/(Z − p): at the distance that is sharp a point shows at m·X,
// whatever the pupil; elsewhere the pupil is the centre of perspective.
func TestProjectByHand(t *testing.T) {
	pose := rig.Pose{Right: rig.Vec{1, 0, 0}, Forward: rig.Vec{0, 1, 0}, Up: rig.Vec{0, 0, 1}}
	for _, pupil := range []float64{0, 0.06, -0.03} {
		p := fixture.Camera()
		p.PupilM = pupil
		f := p.At(2)
		m := f.ImageM / f.ObjectM * 1000 / p.PitchMM()
		for _, z := range []float64{2, 0.9, 7} {
			x, y, d, ok := f.Project(pose, rig.Vec{0.2, z, -0.1})
			want := m * (2 - pupil) * 0.2 / (z - pupil)
			if !ok || math.Abs(x/want-1) > 1e-12 || math.Abs(y/want+0.5) > 1e-12 || d != z {
				t.Errorf("pupil %g, depth %g: %g, %g at %g; want %g, %g", pupil, z, x, y, d, want, -want/2)
			}
		}
	}
	f := fixture.Camera().At(2)
	for _, behind := range []float64{-1, 0, 0.06} {
		if _, _, _, ok := f.Project(pose, rig.Vec{0, behind, 0}); ok {
			t.Errorf("a point %g m in front of the image plane, not before the pupil, is seen", behind)
		}
	}
	if _, _, _, ok := f.Project(pose, rig.Vec{0, 0.0601, 0}); !ok {
		t.Error("a point in front of the pupil is not seen")
	}
	p := fixture.Camera()
	if !p.Visible(2048, -1152) || p.Visible(2048.1, 0) || p.Visible(0, 1152.1) || p.Visible(-2048.1, 0) {
		t.Error("the picture's edges are not where they are")
	}
	if d := p.DiagonalPx(); math.Abs(d-math.Sqrt(4096*4096+2304*2304)) > 1e-9 {
		t.Errorf("diagonal %g px", d)
	}
}

// The field narrows as the lens focuses nearer, and what stands at its edge at
// the sharp distance lands on the sensor's edge.
func TestFieldBreathes(t *testing.T) {
	p := fixture.Camera()
	h, v, d := p.FieldDeg()
	for got, want := range map[float64]float64{h: 24.9, v: 14.0, d: math.Hypot(24.9, 14)} {
		if edge := 2 * 35 * math.Tan(got/2*math.Pi/180); math.Abs(edge-want) > 1e-9 {
			t.Errorf("a field of %g° covers %g mm of %g", got, edge, want)
		}
	}
	f := p.At(0.6)
	fh, _, _ := f.FieldDeg()
	if want := 2 * math.Atan(24.9/2/1000/f.ImageM) * 180 / math.Pi; math.Abs(fh-want) > 1e-9 || fh >= h {
		t.Errorf("focused at 0.6 m the field is %g°, want %g, less than %g", fh, want, h)
	}
	sh, sv, sd := f.SeenDeg()
	pose := rig.Pose{Right: rig.Vec{1, 0, 0}, Forward: rig.Vec{0, 1, 0}, Up: rig.Vec{0, 0, 1}}
	at := func(deg float64) float64 { return (0.6 - p.PupilM) * math.Tan(deg/2*math.Pi/180) }
	x, _, _, _ := f.Project(pose, rig.Vec{at(sh), 0.6, 0})
	_, y, _, _ := f.Project(pose, rig.Vec{0, 0.6, at(sv)})
	if math.Abs(x-2048) > 1e-6 || math.Abs(y-14.0/2/p.PitchMM()) > 1e-6 || sd <= sh {
		t.Errorf("the edge of what is seen lands at %g, %g px", x, y)
	}
}

// Blur by hand: c = (f/N)·m·|s − z|/z with distances from the lens, and by rays:
// the cone from a pupil of f/N to the image of the point, cut by the sensor.
func TestBlurByHand(t *testing.T) {
	p := fixture.Camera()
	for _, c := range [][2]float64{{0.6, 0.9}, {1.2, 0.7}, {3, 3.5}, {3, 3}} {
		f := p.At(c[0])
		z := c[1] - f.ImageM
		image := 1 / (1/0.035 - 1/z) // where the point would be sharp
		want := 0.035 / 2.8 * math.Abs(image-f.ImageM) / image * 1000 / p.PitchMM()
		if got := f.BlurPx(c[1]); math.Abs(got-want) > 1e-9*(1+want) {
			t.Errorf("sharp at %g, point at %g: %g px, want %g", c[0], c[1], got, want)
		}
	}
	if b := p.At(1).BlurPx(0.02); !math.IsInf(b, 1) {
		t.Errorf("inside the lens: %g px", b)
	}
}

// The edges of the depth of field blur to the circle of confusion, and agree
// with the textbook's formulas counted from the lens.
func TestSharpEdges(t *testing.T) {
	p := fixture.Camera()
	circle := p.CircleMM / p.PitchMM()
	H := p.HyperfocalM()
	if want := 35*35/(2.8*0.02)/1000 + 0.035; math.Abs(H-want) > 1e-12 {
		t.Errorf("hyperfocal %g, want %g", H, want)
	}
	for _, at := range []float64{0.6, 1.8, 9} {
		f := p.At(at)
		near, far := f.SharpM()
		for _, d := range []float64{near, far} {
			if c := f.BlurPx(d); math.Abs(c-circle) > 1e-9*circle {
				t.Errorf("sharp at %g: blur at %g m is %g px, want %g", at, d, c, circle)
			}
		}
		s := f.ObjectM
		if n, w := s*(H-0.035)/(H+s-0.07)+f.ImageM, s*(H-0.035)/(H-s)+f.ImageM; math.Abs(near-n) > 1e-9 ||
			math.Abs(far-w) > 1e-9 {
			t.Errorf("sharp at %g: %g to %g m, the textbook says %g to %g", at, near, far, n, w)
		}
	}
	if _, far := p.At(H + 0.1).SharpM(); !math.IsInf(far, 1) {
		t.Error("beyond the hyperfocal distance everything far is sharp")
	}
	if near, _ := p.At(math.Inf(1)).SharpM(); math.Abs(near-(H-0.035)-0.035) > 1e-9 {
		t.Errorf("focused at infinity it is sharp from %g m, want %g", near, H)
	}
	p.Marks[0].DistanceM = 0.1
	if _, err := p.Scale(); err == nil {
		t.Error("a mark nearer than the lens can focus is accepted")
	}
}

// A point is soft where it is in the picture and neither in front of the far nor
// behind the near end of what is sharp; each stretch says where it is worst.
func TestSoftRuns(t *testing.T) {
	p := fixture.Camera()
	ahead := func(depth float64) rig.Vec { return rig.Vec{0, depth, 0} }
	pose := rig.Pose{Right: rig.Vec{1, 0, 0}, Forward: rig.Vec{0, 1, 0}, Up: rig.Vec{0, 0, 1}}
	near, far := p.At(2).SharpM()
	focus := []float64{2, 2, 1, 0.9, 1.1, 2, 2, 3, 2}
	at := func(f int) (rig.Pose, float64) { return pose, focus[f-10] }
	runs := p.SoftRuns(10, 19, ahead(2), at)
	if len(runs) != 2 || runs[0].From != 12 || runs[0].To != 14 || runs[0].Worst != 13 || runs[1].From != 17 ||
		runs[1].To != 17 || runs[1].Worst != 17 {
		t.Fatalf("%+v", runs)
	}
	n, f := p.At(0.9).SharpM()
	if w := runs[0]; w.DepthM != 2 || w.NearM != n || w.FarM != f || math.Abs(w.BlurPx-p.At(0.9).BlurPx(2)) > 1e-12 ||
		w.BlurPx < 5 {
		t.Errorf("%+v", w)
	}
	if got := p.SoftRuns(10, 12, ahead(2), at); len(got) != 0 {
		t.Errorf("the end pose counts as a picture: %+v", got)
	}
	two := func(int) (rig.Pose, float64) { return pose, 2 }
	for depth, soft := range map[float64]bool{near: false, far: false, near - 1e-6: true, far + 1e-6: true} {
		if got := p.SoftRuns(0, 1, ahead(depth), two); (len(got) == 1) != soft {
			t.Errorf("at %g m, sharp from %g to %g: %+v", depth, near, far, got)
		}
	}
	for name, v := range map[string]rig.Vec{"out of the picture": {3, 1, 0}, "behind": {0, -2, 0}} {
		if got := p.SoftRuns(0, 1, v, two); len(got) != 0 {
			t.Errorf("%s: %+v", name, got)
		}
	}
	if got := p.SoftRuns(0, 1, ahead(0.5), func(int) (rig.Pose, float64) { return pose, math.Inf(1) }); len(got) != 1 ||
		got[0].FarM != 9999 {
		t.Errorf("focused at infinity: %+v", got)
	}
}
