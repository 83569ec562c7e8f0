package limit

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
)

// The remedies that take longer, each tried again here: softer easings keep every keyframe, a new
// timing keeps the way.
func TestMoreRemedies(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 60, 900, 131, 200)
	for f, v := range map[float64]float64{0: 0, 60: 40, 131: -10} {
		var err error
		if p, err = p.Apply(r, path.Edit{Op: "set", Frame: f, Values: map[string]float64{"pan": v}}); err != nil {
			t.Fatal(err)
		}
	}
	more, err := More(p, r)
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]Remedy{}
	for _, x := range more {
		kinds[x.Kind] = x
		q, rep, ok := try(p, r, x.Edit)
		if !ok || clears(rep) != x.Clears {
			t.Errorf("%s: it is said to clear %t", x.Kind, x.Clears)
		}
		if x.Kind != "soften" {
			continue
		}
		for _, tr := range p.Tracks {
			for k, key := range tr.Keys {
				if now := q.Track(tr.Axis).Keys[k]; now.Frame != key.Frame || now.Value != key.Value {
					t.Errorf("a keyframe of %s was moved", tr.Axis)
				}
			}
		}
	}
	rt, ok := kinds["retime"]
	if !ok || !rt.Clears || !strings.Contains(rt.Text, "frames, each") {
		t.Fatalf("%+v", more)
	}
	q, _ := p.Apply(r, rt.Edit)
	m, _ := path.Compile(p, r)
	n, _ := path.Compile(q, r)
	// Every old pose is met, in order.
	at := float64(n.First)
	for f := float64(m.First); f <= float64(m.Last); f += 0.5 {
		want, pan := m.Curves[0].At(f).P, m.Curves[1].At(f).P
		best := math.Inf(1)
		for x := at; x <= float64(n.Last); x += 0.01 {
			d := math.Abs(n.Curves[0].At(x).P-want)/800 + math.Abs(n.Curves[1].At(x).P-pan)/50
			if d < best {
				best, at = d, x
			} else if best < 2e-3 {
				break
			}
		}
		if best > 2e-3 {
			t.Fatalf("the pose of frame %g is missed by %g of the way", f, best)
		}
	}
	if n.Last-n.First < m.Last-m.First {
		t.Errorf("a plan that was too fast is faster now: %d frames", n.Last-n.First)
	}
	for _, tr := range q.Tracks {
		if len(tr.Keys) > 400 {
			t.Errorf("%s has %d keyframes", tr.Axis, len(tr.Keys))
		}
	}
}

// A move of one axis that is only too fast in its middle is softened by ramps: its keyframes
// stay, and so does its time.
func TestSoften(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 96, 1060) // 240 mm/s on average, 450 at the peak of minimum jerk
	more, err := More(p, r)
	if err != nil || len(more) == 0 || more[0].Kind != "soften" || !more[0].Clears {
		t.Fatalf("%v, %+v", err, more)
	}
	q, err := p.Apply(r, more[0].Edit)
	if err != nil || q.Track("track").Keys[1].Frame != 96 || q.Track("track").Kind != curve.Ramped {
		t.Errorf("%v, %+v", err, q)
	}
	if calm, err := More(line(t, r, "track", 0, 100, 96, 200), r); err != nil || len(calm) != 0 {
		t.Errorf("a calm plan: %v, %+v", err, calm)
	}
}

// A corner is cured by a new timing that stops there; a jump is not.
func TestRetimeCorners(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 48, 300, 96, 250)
	p, err := p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Linear})
	if err != nil {
		t.Fatal(err)
	}
	x, err := Retime(p, r)
	if err != nil {
		t.Fatal(err)
	}
	if _, rep, ok := try(p, r, x.Edit); !ok || !clears(rep) || x.Widest <= 0 || x.Closest > x.Widest {
		t.Errorf("%+v", x)
	}
	if p, err = p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Hold}); err != nil {
		t.Fatal(err)
	}
	if _, err := Retime(p, r); err == nil || !strings.Contains(err.Error(), "jumps") {
		t.Errorf("a jump: %v", err)
	}
}
