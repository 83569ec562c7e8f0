package lens_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/lens"
	"keenarc/core/rig"
)

// A focus scale by Rule is the one that focus is planned through, at any position.
func TestRuleIsTheFocusScale(t *testing.T) {
	p := fixture.Camera()
	s, err := p.Scale()
	if err != nil {
		t.Fatal(err)
	}
	var ring, value []float64
	for i := range p.Marks { // in any order
		m := p.Marks[(i*3)%len(p.Marks)]
		ring, value = append(ring, m.RingDeg), append(value, m.DistanceM)
	}
	r, err := lens.Rule("focus", ring, value)
	if err != nil {
		t.Fatal(err)
	}
	for deg := -5.0; deg < 310; deg += 3.7 {
		if a, b := r.At(deg), s.Distance(deg); math.Abs(a-b) > 1e-12*b {
			t.Errorf("at %g°: %g m, the scale has %g", deg, a, b)
		}
	}
	if a, b := r.Ends(); a != 0 || b != 300 {
		t.Errorf("ends %g, %g", a, b)
	}
	// Even stops and octaves lie evenly: between T2 and T4 is T2.8.
	for what, c := range map[string][3]float64{"iris": {2, 4, math.Sqrt(8)}, "zoom": {25, 100, 50},
		"focus": {1, 3, 1.5}} {
		r, err := lens.Rule(what, []float64{0, 60}, []float64{c[0], c[1]})
		if err != nil || math.Abs(r.At(30)-c[2]) > 1e-12 || math.Abs(r.At(90)-c[1]) > 1e-12 {
			t.Errorf("%s: %g, %v; want %g", what, r.At(30), err, c[2])
		}
	}
	for want, c := range map[string]struct {
		what        string
		ring, value []float64
	}{
		"\"hood\" is no ring":       {"hood", []float64{0, 1}, []float64{1, 2}},
		"iris marks: 1 given":       {"iris", []float64{0}, []float64{1}},
		"iris mark at 10°: 0; it":   {"iris", []float64{0, 10}, []float64{1, 0}},
		"zoom marks: two at 10°":    {"zoom", []float64{10, 10}, []float64{1, 2}},
		"focus mark at 20°: values": {"focus", []float64{0, 10, 20}, []float64{1, 2, 1.5}},
		"focus mark at NaN°":        {"focus", []float64{0, math.NaN()}, []float64{1, 2}},
	} {
		if _, err := lens.Rule(c.what, c.ring, c.value); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
}

// A mark that was misread is named, and it alone; marks as they are taken are not.
func TestStrays(t *testing.T) {
	p := fixture.Camera()
	rng := rand.New(rand.NewPCG(2, 3))
	named, missed, accused := 0, 0, 0
	for range 300 {
		var ring, value []float64
		for i := range 9 {
			d := 0.3 + 2.2*float64(i)/8 // 1/m
			ring = append(ring, 300*math.Pow(1-(d-0.3)/2.2, 0.9)+0.4*rng.NormFloat64())
			value = append(value, 1/d)
		}
		r, err := lens.Rule("focus", ring, value)
		if err != nil {
			t.Fatal(err)
		}
		accused += len(r.Strays())
		k := 2 + rng.IntN(5)
		was := ring[k]
		ring[k] += 14 * (1 - 2*float64(rng.IntN(2))) // a tooth of the ring
		if r, err = lens.Rule("focus", ring, value); err != nil {
			continue // it passed its neighbour: refused already
		}
		if s := r.Strays(); len(s) == 1 && s[0].RingDeg == ring[k] && math.Abs(s[0].OffDeg-(was-ring[k])) < 8 {
			named++
		} else {
			missed++
		}
	}
	if accused > 3 || missed > 15 || named < 200 {
		t.Errorf("%d named, %d missed, %d accused", named, missed, accused)
	}
	s, err := p.Sheet()
	if err != nil || len(s.Focus.Strays) != 0 {
		t.Errorf("the demo's lens: %+v, %v", s, err)
	}
	r, _ := lens.Rule("focus", []float64{0, 100, 200, 300}, []float64{1, 2, 9, 10})
	if len(r.Strays()) != 0 {
		t.Error("four marks name nobody")
	}
}

// The picture's frame: a mode, digital zoom, upright; each by hand, and only once.
func TestFramed(t *testing.T) {
	p := fixture.Camera()
	if p.Framed() != p {
		t.Error("what has no framing stays as it is")
	}
	p.Modes = []lens.Mode{{Name: "full", WidthMM: 24.9, HeightMM: 14, WidthPx: 4096, HeightPx: 2304},
		{Name: "narrow", WidthMM: 12, HeightMM: 7, WidthPx: 2048, HeightPx: 1152}}
	p.Framing = &lens.Framing{Mode: "narrow", Crop: 1.5, Upright: true}
	if err := p.CheckFraming(); err != nil {
		t.Fatal(err)
	}
	f := p.Framed()
	if math.Abs(f.WidthMM-7/1.5) > 1e-12 || math.Abs(f.HeightMM-8) > 1e-12 ||
		math.Abs(f.CircleMM-0.02*math.Hypot(8, 7/1.5)/math.Hypot(24.9, 14)) > 1e-12 || f.WidthPx != 1152 ||
		f.HeightPx != 2048 || f.Framed() != f || p.WidthPx != 4096 {
		t.Errorf("%+v", f)
	}
	if c := p.CropCost(); c != "Digital zoom 1.5×: 1365 × 768 of 2048 × 1152 pixels are left, 44 % of them; each is "+
		"drawn over 2.25." {
		t.Error(c)
	}
	s, err := p.Sheet()
	if err != nil || s.Size != [2]int{1152, 2048} || s.Field[0] >= s.Field[1] || len(s.Says) != 3 ||
		!strings.Contains(s.Says[2], "upright") {
		t.Errorf("%+v, %v", s, err)
	}
	// A pixel of it is as wide as two thirds of one of the sensor's.
	if math.Abs(s.PxDeg-35/(7.0/1.5/1152)*math.Pi/180) > 1e-9 {
		t.Errorf("%g px a degree", s.PxDeg)
	}
	for want, change := range map[string]func(){
		"sensor mode \"wide\"":                    func() { p.Framing.Mode = "wide" },
		"digital zoom 0.5":                        func() { p.Framing = &lens.Framing{Crop: 0.5} },
		"digital zoom 9":                          func() { p.Framing = &lens.Framing{Crop: 9} },
		"sensor mode \"full\": 24.9 × 14 mm, 0":   func() { p.Framing, p.Modes[0].WidthPx = nil, 0 },
		"sensor mode \"narrow\": 12 × 7 mm, 2048": func() { p.Modes[0] = p.Modes[1] },
		"breathing 30":                            func() { p.Breathing = ptr(30) },
		"pupil_m: the entrance pupil 0.45 m in":   func() { p.PupilM = 0.45 },
		"pupil 2: the entrance pupil 1.2 m in": func() {
			p.Pupils = []lens.Pupil{{DistanceM: 0.5, PupilM: 0.3}, {DistanceM: 3, PupilM: 1.2}}
		},
	} {
		whole := *p
		p.Modes = append([]lens.Mode(nil), whole.Modes...)
		p.Framing = &lens.Framing{Mode: "narrow", Crop: 1.5, Upright: true}
		change()
		if err := p.CheckFraming(); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
		*p = whole
	}
	// Where it was measured, that counts; and a probe looks from close before its nearest mark.
	p.PupilM, p.Pupils = 7, []lens.Pupil{{DistanceM: 0.5, PupilM: 0.44}}
	if err := p.CheckFraming(); err != nil {
		t.Error(err)
	}
}

func ptr(v float64) *float64 { return &v }

// Breathing from two framings of one chart: a thin lens comes out as 1, a lens that keeps
// its picture's scale as 0, and what was measured is what is then drawn.
func TestBreathing(t *testing.T) {
	p := fixture.Camera()
	wide := func(focus float64) float64 { // of a chart 0.3 m wide, 2 m away
		return p.At(focus).ViewMM() * 0.3 / (2 - p.PupilM) / p.PitchMM()
	}
	b, err := p.Breathes(0.45, wide(0.45), 20, wide(20))
	if err != nil || math.Abs(b-1) > 1e-9 {
		t.Errorf("a thin lens: %g, %v", b, err)
	}
	if b, _ = p.Breathes(0.45, 700, 20, 700); b != 0 {
		t.Errorf("one that does not: %g", b)
	}
	far := wide(20)
	b, _ = p.Breathes(0.45, far*1.02, 20, far)
	p.Breathing = &b
	if r := wide(0.45) / wide(20); math.Abs(r-1.02) > 1e-9 {
		t.Errorf("measured 1.02, drawn %g", r)
	}
	if again, _ := p.Breathes(0.45, far*1.02, 20, far); again != b {
		t.Error("it is measured against the thin lens, whatever was measured before")
	}
	if s, _ := p.Sheet(); !strings.Contains(s.Says[0], "larger than at infinity, as it was measured") {
		t.Errorf("%q", s.Says)
	}
	for _, c := range [][4]float64{{0.45, 0, 20, 1}, {1, 5, 1, 5}, {-1, 5, 2, 5}} {
		if _, err := p.Breathes(c[0], c[1], c[2], c[3]); err == nil {
			t.Errorf("%v is taken", c)
		}
	}
}

// Distances and stops as people write them.
func TestReadValue(t *testing.T) {
	for text, c := range map[string]struct {
		ring string
		want float64
	}{"T 2.8": {"iris", 2.8}, "f/4": {"iris", 4}, "35mm": {"zoom", 35}, "35": {"zoom", 35}, "6'": {"focus", 1.8288}} {
		if v, err := lens.ReadValue(c.ring, text); err != nil || math.Abs(v-c.want) > 1e-9 {
			t.Errorf("%s %q: %g, %v", c.ring, text, v, err)
		}
	}
	for _, c := range [][2]string{{"iris", "0"}, {"iris", "open"}, {"zoom", "-35"}, {"zoom", "wide"}, {"focus", "x"}} {
		if v, err := lens.ReadValue(c[0], c[1]); err == nil {
			t.Errorf("%v is read as %g", c, v)
		}
	}
}

// The entrance pupil moves with focus evenly in 1/distance, and between focal lengths; at
// the ends it stays; a lens without such marks has its one.
func TestPupilOverFocusAndZoom(t *testing.T) {
	p := fixture.Camera()
	one := p.At(0.8).ViewMM()
	p.Pupils = []lens.Pupil{{DistanceM: 0.5, FocalMM: 35, PupilM: 0.08}, {DistanceM: 2, PupilM: 0.05},
		{DistanceM: 0.5, FocalMM: 70, PupilM: 0.18}, {DistanceM: 2, FocalMM: 70, PupilM: 0.15}}
	for at, want := range map[float64]float64{0.3: 0.08, 0.5: 0.08, 0.8: 0.065, 2: 0.05, 50: 0.05, math.Inf(1): 0.05} {
		if f := p.At(at); math.Abs(f.PupilM-want) > 1e-12 {
			t.Errorf("at %g m: %g, want %g", at, f.PupilM, want)
		}
	}
	if v := p.At(0.8).ViewMM(); v == one || p.PupilM != 0.06 {
		t.Error("it is not what the perspective is worked out from, or was changed")
	}
	p.FocalMM, p.Pupils[1].FocalMM = 52.5, 35
	if f := p.At(0.8); math.Abs(f.PupilM-0.115) > 1e-12 {
		t.Errorf("half-way to 70 mm: %g", f.PupilM)
	}
	if err := p.CheckFraming(); err != nil {
		t.Error(err)
	}
	for want, change := range map[string]func(){
		"pupil 1: 0.08 m in front of the image plane, focused at 0 m": func() { p.Pupils[0].DistanceM = 0 },
		"pupil 2: 0.08 m":                                   func() { p.Pupils[1] = p.Pupils[0] },
		"pupil 1: 11 m":                                     func() { p.Pupils[0].PupilM = 11 },
		"optical axis: displaced by 0, 0, 11 m":             func() { p.Optics = &lens.Optics{UpM: 11} },
		"optical axis: displaced by 0, 0, 0 m, turned 200°": func() { p.Optics = &lens.Optics{TurnDeg: 200} },
	} {
		was := *p
		p.Pupils = append([]lens.Pupil(nil), was.Pupils...)
		change()
		if err := p.CheckFraming(); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
		*p = was
	}
}

// The zoom ring sets the focal length, evenly in octaves, and only where a machine turns
// it and it has a scale.
func TestZoomed(t *testing.T) {
	p, r := fixture.Camera(), fixture.Slider()
	q := make([]float64, len(r.Axes)+1)
	q[len(r.Axes)] = 45
	if p.Turned(r, q) != p || p.Zoomed(45) != p {
		t.Error("no zoom ring, and yet it is turned")
	}
	p.Zoom = []lens.ZoomMark{{RingDeg: 90, FocalMM: 100}, {RingDeg: 0, FocalMM: 25}}
	if p.Turned(r, q) != p {
		t.Error("no machine turns it")
	}
	r.Axes = append(r.Axes, rig.Axis{ID: "zoom", Kind: rig.Zoom, Unit: rig.Deg})
	if z := p.Turned(r, q); math.Abs(z.FocalMM-50) > 1e-12 || p.FocalMM != 35 {
		t.Errorf("half-way %g mm", z.FocalMM)
	}
	a, b := p.Zoomed(0).At(5), p.Zoomed(90).At(5)
	if ratio := b.ViewMM() / a.ViewMM(); ratio < 4 || ratio > 4.2 { // four times, and it breathes a little
		t.Errorf("from 25 to 100 mm the picture grows by %g", ratio)
	}
}

// A mark takes the place of one within a quarter of a degree, keeps the ring's order, and
// can be taken away; the package it was copied from is not touched.
func TestMark(t *testing.T) {
	p := fixture.Camera()
	q := *p
	q.Mark("focus", 110, 0.92, false)
	q.Mark("focus", 45.2, 0.61, false)
	q.Mark("focus", 180.1, 0, true)
	if len(q.Marks) != len(p.Marks) || q.Marks[1] != (lens.Mark{RingDeg: 45.2, DistanceM: 0.61}) || q.Marks[3] !=
		(lens.Mark{RingDeg: 110, DistanceM: 0.92}) || q.Marks[5].RingDeg != 220 || p.Marks[1].RingDeg != 45 {
		t.Errorf("%v of %v", q.Marks, p.Marks)
	}
	q.Mark("focus", 110.25, 0.925, false) // a quarter of a degree on it is another one
	q.Mark("iris", 90, 4, false)
	q.Mark("iris", 0, 8, false)
	q.Mark("zoom", 10, 35, false)
	q.Mark("zoom", 10, 0, true)
	if len(q.Marks) != len(p.Marks)+1 || len(q.Iris) != 2 || q.Iris[0] != (lens.TMark{RingDeg: 0, TStop: 8}) ||
		len(q.Zoom) != 0 {
		t.Errorf("%v, %v, %v", q.Marks, q.Iris, q.Zoom)
	}
}
