package weave

import (
	"math"
	"testing"
	"time"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

func TestTimes(t *testing.T) {
	at := time.Date(2026, 1, 2, 9, 0, 0, 0, time.UTC)
	step := func(f int, p Phase, s float64) Step { return Step{f, p, at.Add(time.Duration(s * 1e9))} }
	got := Times([]Step{step(0, Going, 0), step(0, Settling, 4), step(0, Still, 5), step(0, Exposing, 65), step(0, Keeping, 66), step(2, Going, 67),
		step(2, Still, 70), step(2, Away, 90), step(0, Going, 100), step(0, Still, 101), step(0, Exposing, 111), step(0, Keeping, 110), step(4, Still, 112)})
	want := []Spent{{0, 70, 10}, {2, 0, 3}}
	if len(got) != 2 || got[0] != want[0] || got[1] != want[1] {
		t.Errorf("%+v, want %+v", got, want)
	}
	if got := Times(nil); got == nil || len(got) != 0 {
		t.Errorf("of nothing: %v", got)
	}
}

func TestPace(t *testing.T) {
	s := scheme()
	if p := Lay(s, nil, nil).Pace(nil); p != (Pace{Left: 8}) {
		t.Errorf("of nothing: %+v", p)
	}
	b := Lay(s, []Exposure{exp(0, "b", 1, Kept), exp(0, "r", 1, Kept), exp(2, "b", 1, Kept), exp(0, "c", 1, Kept)}, nil)
	p := b.Pace([]Spent{{0, 100, 10}, {2, 30_000, 14}, {4, 60, 40}})
	if p != (Pace{Frame: 110, Machine: 14, Left: 7, LeftS: 770}) {
		t.Errorf("%+v", p)
	}
}

// The swing that Settle waits for, worked out step by step: after the time it says, a
// structure that was let go at 2a/ω² sways under the limit, and a fifth earlier it does
// not yet.
func TestSettle(t *testing.T) {
	r := fixture.Slider()
	r.Sway = &rig.Sway{Hz: 9, Damping: 0.04}
	pxPer := []float64{40, 25, 25, 12, 1e9} // the focus motor carries nothing
	px := func(i int, by float64) float64 { return pxPer[i] * by }
	s := Settle(r, 0.4, SettlePx, px)
	sway := func(after float64) float64 {
		w := 2 * math.Pi * 9.0
		total := 0.0
		for i, a := range r.Axes[:4] {
			x, v, dt := 2*0.4*a.Working.Acceleration/(w*w), 0.0, 1e-5
			peak := 0.0
			for now := 0.0; now < after+0.15; now += dt {
				v += dt * (-w*w*x - 2*0.04*w*v)
				x += dt * v
				if now >= after {
					peak = max(peak, math.Abs(x))
				}
			}
			total += pxPer[i] * peak
		}
		return total
	}
	if s < 0.2 {
		t.Fatalf("it settles for %g s only", s)
	}
	if a, b := sway(s), sway(0.8*s); a > SettlePx*1.001 || b < SettlePx {
		t.Errorf("after %.3f s it sways by %.3f px, a fifth earlier by %.3f", s, a, b)
	}
	if s := Settle(r, 0.4, 1e9, px); s != 0 {
		t.Errorf("nothing to wait for, and %g s", s)
	}
	// Where nothing was measured it is taken as livelier: it waits longer.
	r.Sway = nil
	if l := Settle(r, 0.4, SettlePx, px); l <= s {
		t.Errorf("unmeasured %g s, measured %g s", l, s)
	}
}

func TestTravel(t *testing.T) {
	r := fixture.Slider()
	q := make([]float64, len(r.Axes))
	p := append([]float64(nil), q...)
	p[0] += 120 // mm along the rail
	if d := Travel(r, q, p); math.Abs(d-0.12) > 1e-9 {
		t.Errorf("%g m", d)
	}
	// Turned by 60° and all round the front of the camera goes along its arc, the one
	// that ends where it began, too.
	f := r.Forward(q).Point(0, 0.25, 0)
	radius := f[1] // before the pan axis, which stands at the origin
	for _, deg := range []float64{60, 360} {
		p = append([]float64(nil), q...)
		p[1] = deg
		if d, want := Travel(r, q, p), radius*deg*math.Pi/180; math.Abs(d-want) > 0.002*want {
			t.Errorf("%g°: %g m, want %g", deg, d, want)
		}
	}
	if d := Travel(r, q, q); d != 0 {
		t.Errorf("%g m to where it is", d)
	}
	r.Camera = ""
	if d := Travel(r, q, p); math.Abs(d-2*math.Pi*0.01) > 1e-3 { // the image plane goes round the axis
		t.Errorf("without a camera there is no front: %g m", d)
	}
}
