package scene

import (
	"image"
	"image/png"
	"math"
	"os"
	"testing"
	"time"

	"keenarc/core/rig"
	"keenarc/examples"
)

var beauty = map[string]float64{"key": 1, "lamp": 0.6}

func view(t testing.TB, track, pan float64) (View, *rig.Rig) {
	t.Helper()
	r := examples.Rigs()["plank"]
	c := examples.BenchCamera()
	q := make([]float64, len(r.Axes))
	q[r.Index("track")], q[r.Index("pan")], q[r.Index("tilt")] = track, pan, -1
	return View{r.Forward(q), c.At(1.4)}, r
}

func keeper(t testing.TB, h Hands) *Scene {
	t.Helper()
	s, err := Keeper(examples.ClockRoom(), h)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestLook(t *testing.T) {
	dir := os.Getenv("KEENARC_LOOK")
	if dir == "" {
		t.Skip("set KEENARC_LOOK to a folder")
	}
	v, _ := view(t, 640, 4.6)
	for name, l := range map[string]map[string]float64{"beauty": beauty, "rim": {"rim": 0.8}} {
		began := time.Now()
		m := keeper(t, Hands{true, 38}).Render(v, 960, 540, l)
		t.Log(name, time.Since(began))
		f, err := os.Create(dir + "/scene-" + name + ".png")
		if err != nil {
			t.Fatal(err)
		}
		if err := png.Encode(f, m); err != nil {
			t.Fatal(err)
		}
		f.Close()
	}
}

// What the lens projects is where the picture shows it: the dial's centre.
func TestRenderAgreesWithLens(t *testing.T) {
	v, _ := view(t, 640, 4.6)
	s := &Scene{lamps: []Lamp{{Name: "key", At: rig.Vec{0.6, 0, 0.7}, Tint: [3]float64{1, 1, 1}, Power: 4}}}
	at := rig.Vec{0.9, 1.4, 0.75}
	s.add(ball{at, 0.004}, "#ffffff")
	m := s.Render(v, 960, 540, map[string]float64{"key": 1})
	var sum, sx, sy float64
	for y := range 540 {
		for x := range 960 {
			w := float64(m.RGBAAt(x, y).G)
			sum, sx, sy = sum+w, sx+w*(float64(x)+0.5), sy+w*(float64(y)+0.5)
		}
	}
	x, y, _, ok := v.Focus.Project(v.Pose, at)
	if !ok || sum == 0 {
		t.Fatal("not in the picture")
	}
	if dx, dy := sx/sum-480-x, 270-sy/sum-y; math.Hypot(dx, dy) > 0.25 { // lit from one side
		t.Errorf("the ball lies %.3f, %.3f px from where the lens has it", dx, dy)
	}
}

// A shift of 0.3 px of the rig is found again in the pictures to ± 0.05, for pan and
// for track; none is found where there is none.
func TestShiftIsFound(t *testing.T) {
	s := keeper(t, Hands{true, 38})
	v, r := view(t, 640, 4.6)
	a := s.Render(v, 960, 540, beauty)
	around := image.Rect(480, 170, 760, 330) // the dial
	for name, by := range map[string][2]float64{"none": {}, "pan": {0, 1}, "track": {1, 0}} {
		w, _ := view(t, 640+by[0], 4.6+by[1])
		one, _, _, _ := v.Focus.Project(v.Pose, examples.ClockRoom().Subject)
		two, _, _, _ := w.Focus.Project(w.Pose, examples.ClockRoom().Subject)
		want, k := two-one, 0.0
		if want != 0 {
			k = -0.3 / math.Abs(want)
			w, _ = view(t, 640-k*by[0], 4.6-k*by[1])
			two, _, _, _ = w.Focus.Project(w.Pose, examples.ClockRoom().Subject)
			if want = two - one; math.Abs(math.Abs(want)-0.3) > 0.01 {
				t.Fatalf("%s: the lens says %.3f px", name, want)
			}
		}
		dx, dy := Shift(a, s.Render(w, 960, 540, beauty), around)
		t.Logf("%s: %.4f px wanted, %.4f, %.4f found", name, want, dx, dy)
		if math.Abs(dx-want) > 0.05 || math.Abs(dy) > 0.05 {
			t.Errorf("%s: %.3f, %.3f px found, want %.3f, 0", name, dx, dy, want)
		}
	}
	_ = r
}

// The hands and the lamps change the picture where they should, and only there.
func TestHandsAndLamps(t *testing.T) {
	v, _ := view(t, 640, 4.6)
	render := func(h Hands, l map[string]float64) *image.RGBA { return keeper(t, h).Render(v, 240, 135, l) }
	differ := func(a, b *image.RGBA) (n int) {
		for i := 0; i < len(a.Pix); i += 4 {
			if a.Pix[i] != b.Pix[i] || a.Pix[i+1] != b.Pix[i+1] || a.Pix[i+2] != b.Pix[i+2] {
				n++
			}
		}
		return n
	}
	base := render(Hands{true, 38}, beauty)
	if n := differ(base, render(Hands{true, 38}, beauty)); n != 0 {
		t.Errorf("the same twice differs in %d pixels", n)
	}
	if n := differ(base, render(Hands{true, 40}, beauty)); n < 50 || n > 6000 {
		t.Errorf("two frames on %d pixels differ", n)
	}
	if n := differ(base, render(Hands{false, 38}, beauty)); n < 1000 {
		t.Errorf("without the puppet %d pixels differ", n)
	}
	if n := differ(base, render(Hands{true, 38}, map[string]float64{"rim": 0.8})); n < 240*135/2 {
		t.Errorf("under the other lamp %d pixels differ", n)
	}
	for _, p := range render(Hands{true, 38}, nil).Pix[:3] {
		if p != 0 {
			t.Error("without a lamp it is not dark")
		}
	}
}

func BenchmarkRender(b *testing.B) {
	v, _ := view(b, 640, 4.6)
	s := keeper(b, Hands{true, 38})
	for b.Loop() {
		s.Render(v, 960, 540, beauty)
	}
}
