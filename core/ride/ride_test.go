package ride

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/effort"
	"keenarc/core/known/fixture"
	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
)

func near(a, b, by float64) bool { return math.Abs(a-b) <= by*math.Max(math.Abs(a), math.Abs(b)) }

func compiled(t *testing.T, r *rig.Rig, keys map[float64]map[string]float64) (*path.Path, *path.Motion) {
	t.Helper()
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for f, v := range keys {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: f, Values: v})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	return p, m
}

// A track move of 0.4 m in two seconds by itself: the minimum-jerk move's peaks, in g and in
// metres a second, and half of what it goes at its rate when it is let go.
func TestARideByHand(t *testing.T) {
	r := fixture.Slider()
	_, m := compiled(t, r, map[float64]map[string]float64{0: {"track": 200}, 48: {"track": 600}})
	x := taken(t, m, r, 24, 0.5, Load{})
	if want := 10 / math.Sqrt(3) * 0.4 / 4 / G; !near(x.WorstG, want, 1e-3) {
		t.Errorf("%g g, want %g", x.WorstG, want)
	}
	if want := 15.0 / 8 * 0.4 / 2; !near(x.FastestMS, want, 1e-3) || math.Abs(x.FastestAt-24) > 0.2 {
		t.Errorf("%g m/s at %g, want %g at 24", x.FastestMS, x.FastestAt, want)
	}
	// Let go at 21 it has six frames to go: to 27, even about the middle.
	at := func(f float64) float64 { return m.Curves[r.Index("track")].At(f).P / 1000 }
	if want := at(27) - at(21); len(x.StopM) != 48 || !near(x.StopM[21], want, 1e-6) || x.StopAt != 21 || x.WorstStop !=
		x.StopM[21] {
		t.Errorf("stops %g m from 21 (worst %g from %d), want %g", x.StopM[21], x.WorstStop, x.StopAt, want)
	}
	if y := taken(t, m, r, 48, 0.5, Load{}); !near(y.WorstG, 4*x.WorstG, 1e-9) ||
		!near(y.FastestMS, 2*x.FastestMS, 1e-9) {
		t.Errorf("at twice the rate: %g g, %g m/s", y.WorstG, y.FastestMS)
	}
}

// When only the head pans, the camera's front is the fastest, a centre of mass farther out
// is pressed harder, and one on the axis not at all.
func TestAPanPressesWhatLiesOut(t *testing.T) {
	r := fixture.Slider()
	_, m := compiled(t, r, map[float64]map[string]float64{0: {"pan": -20}, 24: {"pan": 20}})
	var joint string
	for _, j := range r.Joints {
		if j.Axis == "pan" {
			joint = j.Name
		}
	}
	on, out := taken(t, m, r, 24, 0.5, Load{joint, rig.Vec{}}), taken(t, m, r, 24, 0.5, Load{joint, rig.Vec{0, 0.2, 0}})
	if on.WorstG > 1e-9 {
		t.Errorf("on the axis: %g g", on.WorstG)
	}
	peak := 10 / math.Sqrt(3) * 40 * math.Pi / 180 * 0.2 / G
	if out.WorstG < peak || out.WorstG > 1.5*peak { // and what turning itself adds
		t.Errorf("a fifth of a metre out: %g g, along the circle alone %g", out.WorstG, peak)
	}
	if out.Fastest != "camera's front" {
		t.Errorf("the fastest is %s", out.Fastest)
	}
}

// A swing that is shaken steps exactly: against very small steps, and by the known answers of
// a jolt and of a steady push.
func TestTheSwingByKnownAnswers(t *testing.T) {
	s := rig.Sway{Hz: 6, Damping: 0.05}
	w := 2 * math.Pi * 6
	long := NewSwing(s)
	long.Shake(2, 2, 60)
	if !near(long.X, -2/(w*w), 1e-9) || math.Abs(long.V) > 1e-9 {
		t.Errorf("pushed steadily it hangs at %g, want a/ω² = %g", long.X, -2/(w*w))
	}
	free := NewSwing(s)
	free.X = 1
	free.Shake(0, 0, 1/(6*math.Sqrt(1-0.05*0.05)))
	if want := math.Exp(-2 * math.Pi * 0.05 / math.Sqrt(1-0.05*0.05)); !near(free.X, want, 1e-9) {
		t.Errorf("a swing later it is at %g, want %g", free.X, want)
	}
	rng := rand.New(rand.NewPCG(1, 2))
	a, b := NewSwing(s), [2]float64{}
	was := 0.0
	for range 20 {
		now := rng.NormFloat64()
		a.Shake(was, now, 0.01)
		const n = 20000
		for k := range n {
			acc := was + (now-was)*(float64(k)+0.5)/n
			x, v := b[0], b[1]
			mx, mv := x+v*0.01/n/2, v+(-acc-2*s.Damping*w*v-w*w*x)*0.01/n/2
			b[0] += mv * 0.01 / n
			b[1] += (-acc - 2*s.Damping*w*mv - w*w*mx) * 0.01 / n
		}
		was = now
	}
	if !near(a.X, b[0], 1e-6) || !near(a.V, b[1], 1e-6) {
		t.Errorf("%g, %g; by small steps %g, %g", a.X, a.V, b[0], b[1])
	}
	// It never swings higher than its height, and comes close to it.
	h, top := a.Height(), 0.0
	for range 1000 {
		a.Shake(0, 0, 1e-4)
		top = max(top, math.Abs(a.X))
	}
	if top > h || top < 0.8*h {
		t.Errorf("height %g, it swings to %g", h, top)
	}
}

func TestRingDown(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, k := range []rig.Sway{{Hz: 8, Damping: 0.03}, {Hz: 1.7, Damping: 0.11}, {Hz: 31, Damping: 0.008},
		{Hz: 12, Damping: 0.002}} {
		for _, noise := range []float64{0, 0.003} {
			w, z := 2*math.Pi*k.Hz, k.Damping
			var at, y []float64
			for n := range 4000 {
				x := float64(n) / (k.Hz * 60) // 60 readings to a swing
				at = append(at, x)
				y = append(y, 5+3*math.Exp(-z*w*x)*math.Cos(w*math.Sqrt(1-z*z)*x+0.7)+3*noise*rng.NormFloat64())
			}
			got, err := RingDown(at, y)
			if err != nil {
				t.Errorf("%+v: %v", k, err)
				continue
			}
			by := 0.02 + 20*noise
			if !near(got.Hz, k.Hz, 0.003+noise*3) || !near(got.Damping, k.Damping, by) {
				t.Errorf("%+v with noise %g: %+v", k, noise, got)
			}
		}
	}
	rising := make([]float64, 50)
	for i := range rising {
		rising[i] = math.Exp(float64(i)/20) * math.Sin(float64(i))
	}
	count := make([]float64, 50)
	for i := range count {
		count[i] = float64(i)
	}
	for name, k := range map[string][2][]float64{"few": {count[:8], count[:8]}, "flat": {count, make([]float64, 50)},
		"times": {make([]float64, 50), rising}, "grows": {count, rising}, "numbers": {count,
			append(append([]float64{}, rising[:49]...), math.NaN())}} {
		if got, err := RingDown(k[0], k[1]); !errors.Is(err, ErrNoRing) {
			t.Errorf("%s: %+v, %v", name, got, err)
		}
	}
}

func view(t *testing.T, r *rig.Rig) *View {
	t.Helper()
	l := fixture.Camera()
	sc, err := l.Scale()
	if err != nil {
		t.Fatal(err)
	}
	return &View{Rig: r, Lens: l, Scale: sc, Subject: rig.Vec{0.4, 3, 1}}
}

// What is left at the end dies away by the known law, a lower tone takes longer, and a
// quarter of a pixel is what counts.
func TestSettling(t *testing.T) {
	s := rig.Sway{Hz: 5, Damping: 0.04}
	if got := Settles(s, 1, 0.25); !near(got, math.Log(4)/(0.04*2*math.Pi*5), 1e-12) || Settles(s, 0.2, 0.25) != 0 ||
		Settles(s, 0.25, 0.25) != 0 {
		t.Errorf("%g s", got)
	}
	r := fixture.Slider()
	r.Sway = &rig.Sway{Hz: 4, Damping: 0.03}
	_, m := compiled(t, r, map[float64]map[string]float64{0: {"track": 200}, 12: {"track": 400}})
	v := view(t, r)
	x := shaken(t, v, m, 24)
	if !x.Known || x.Hz != 4 || !(x.EndPx > 0.25) || x.SettleFrames != int(math.Ceil(x.SettleS*24)) ||
		!near(x.SettleS, Settles(*r.Sway, x.EndPx, 0.25), 1e-12) {
		t.Fatalf("%+v", x)
	}
	// Followed on by itself, the picture stays under a quarter after it, and not a swing before.
	f, err := v.feel(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	a, b := NewSwing(*r.Sway), NewSwing(*r.Sway)
	for k := 1; k < len(f.px); k++ {
		a.Shake(f.right[k-1]*576, f.right[k]*576, 1.0/24/mostTicks)
		b.Shake(f.up[k-1]*576, f.up[k]*576, 1.0/24/mostTicks)
	}
	px := f.px[len(f.px)-1]
	after, before := 0.0, 0.0
	for k := range 20000 {
		at := float64(k) * 1e-3
		d := math.Hypot(a.X, b.X) * px
		if at > x.SettleS {
			after = max(after, d)
		} else if at > x.SettleS-0.3 {
			before = max(before, d)
		}
		a.Shake(0, 0, 1e-3)
		b.Shake(0, 0, 1e-3)
	}
	if after > SettlePx || before < SettlePx {
		t.Errorf("%g px after it settled, %g just before", after, before)
	}
	stiff := fixture.Slider()
	stiff.Sway = &rig.Sway{Hz: 25, Damping: 0.03}
	if y := shaken(t, view(t, stiff), m, 24); !(y.EndPx < x.EndPx/5) {
		t.Errorf("at 25 Hz %g px are left, at 4 Hz %g", y.EndPx, x.EndPx)
	}
	if y := shaken(t, view(t, fixture.Slider()), m, 24); y.Known == (fixture.Slider().Sway == nil) {
		t.Errorf("whether it was measured: %+v", y)
	}
}

// Turned by a quarter the camera is shaken up and down as it was to the sides; and what sways it
// after the last picture, as the slowing in a run-out does, is none of the picture's.
func TestSwayCountsInThePictureAlone(t *testing.T) {
	r := fixture.Slider()
	r.Sway = &rig.Sway{Hz: 4, Damping: 0.03}
	roll := &r.Axes[r.Index("roll")]
	roll.Min, roll.Max, roll.Hard = -95, 95, [2]float64{-100, 100}
	v := view(t, r)
	_, level := compiled(t, r, map[float64]map[string]float64{0: {"track": 200, "roll": 0},
		24: {"track": 500, "roll": 0}})
	_, turned := compiled(t, r, map[float64]map[string]float64{0: {"track": 200, "roll": 90},
		24: {"track": 500, "roll": 90}})
	a, b := shaken(t, v, level, 24), shaken(t, v, turned, 24)
	if !(a.WorstPx > 1) || math.Abs(b.WorstPx/a.WorstPx-1) > 0.02 || math.Abs(b.EndPx/a.EndPx-1) > 0.02 {
		t.Errorf("level %+v, turned %+v", a, b)
	}
	// It gathers its speed slowly and loses it at once behind the pictures.
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for _, e := range []path.Edit{{Op: "set", Frame: 0, Values: map[string]float64{"track": 200}},
		{Op: "set", Frame: 48, Values: map[string]float64{"track": 600}},
		{Op: "kind", Axis: "track", Kind: "linear"}, {Op: "run", RunUp: 48, RunOut: 6}} {
		q, err := p.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	x := shaken(t, v, m, 24)
	f, err := v.feel(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	cut := ticks(m)
	side, up := NewSwing(*r.Sway), NewSwing(*r.Sway)
	in, out, bend := 0.0, 0.0, 0.0
	for k := 1; k < len(f.px); k++ {
		side.Shake(f.right[k-1]*576, f.right[k]*576, 1/(24*float64(cut)))
		up.Shake(f.up[k-1]*576, f.up[k]*576, 1/(24*float64(cut)))
		d := math.Hypot(side.X, up.X) * f.px[k]
		if at := float64(m.Start()) + float64(k)/float64(cut); at >= float64(m.First) && at <= float64(m.Last) {
			in = max(in, d)
			if at < float64(m.Last) {
				bend = max(bend, math.Hypot(f.right[k], f.up[k])*f.px[k])
			}
		} else {
			out = max(out, d)
		}
	}
	if !(out > 2*in) || !near(x.WorstPx, in, 1e-9) || x.WorstAt > m.Last || x.WorstAt < m.First {
		t.Errorf("%+v; in the pictures %g px, outside of them %g", x, in, out)
	}
	flex, err := v.Flexes(t.Context(), m, 24, []float64{48})
	w := 2 * math.Pi * 4
	if err != nil || !near(flex[0].Px, bend/(w*w)*(48*48-24*24), 1e-9) || flex[0].Frame < m.First ||
		flex[0].Frame >= m.Last {
		t.Errorf("the flex: %+v, %v; in the pictures %g px", flex, err, bend/(w*w)*(48*48-24*24))
	}
}

// The forecast between two rates is the bend under the difference of their accelerations, and
// on a slow swing of it what a simulated pass at each rate really shows.
func TestFlexIsForecast(t *testing.T) {
	r := fixture.Slider()
	r.Sway = &rig.Sway{Hz: 30, Damping: 0.2}
	_, m := compiled(t, r, map[float64]map[string]float64{0: {"track": 200}, 48: {"track": 600}})
	v := view(t, r)
	got, err := v.Flexes(t.Context(), m, 24, []float64{24, 8, 48})
	if err != nil {
		t.Fatal(err)
	}
	if got[0].Px != 0 {
		t.Errorf("against itself: %+v", got[0])
	}
	if !near(got[2].Px/got[1].Px, (48*48-24*24)/float64(24*24-8*8), 1e-9) || got[1].Frame != got[2].Frame {
		t.Errorf("%+v", got)
	}
	if fast, slow := shaken(t, v, m, 24), shaken(t, v, m, 8); math.Abs(fast.WorstPx-slow.WorstPx-got[1].Px) >
		0.15*got[1].Px {
		t.Errorf("forecast %g px, simulated %g and %g", got[1].Px, fast.WorstPx, slow.WorstPx)
	}
	q := make([]float64, len(m.Curves))
	m.Values(q, float64(got[1].Frame))
	acc := math.Abs(m.Curves[r.Index("track")].At(float64(got[1].Frame)).A) * (24*24 - 8*8) / 1000
	right := r.Forward(q).Right
	want := acc * math.Abs(right[0]) / math.Pow(2*math.Pi*30, 2) * v.pxPerM(q, r.Forward(q))
	if !near(got[1].Px, want, 0.05) {
		t.Errorf("%g px, by hand %g", got[1].Px, want)
	}
}

// By so many pixels the picture moves when the camera moves sideways: as the projection says.
func TestPixelsPerMetre(t *testing.T) {
	r := fixture.Slider()
	v := view(t, r)
	q := make([]float64, len(r.Axes))
	q[r.Index("focus")] = 120
	at := r.Forward(q)
	f := v.Lens.Turned(r, q).At(v.Scale.Distance(q[r.Index("focus")]))
	x0, _, _, _ := f.Project(at, v.Subject)
	moved := at
	moved.At = at.Point(0.001, 0, 0)
	x1, _, _, _ := f.Project(moved, v.Subject)
	if got := v.pxPerM(q, at); !near(got, math.Abs(x1-x0)*1000, 1e-6) {
		t.Errorf("%g px a metre, by the projection %g", got, math.Abs(x1-x0)*1000)
	}
	var _ *lens.Package = v.Lens
}

// A run-out can be chosen such that hardly anything swings after it.
func TestAQuietRunOut(t *testing.T) {
	r := fixture.Slider()
	r.Sway = &rig.Sway{Hz: 3, Damping: 0.01}
	p, _ := compiled(t, r, map[float64]map[string]float64{0: {"track": 200}, 48: {"track": 600}})
	for _, e := range []path.Edit{{Op: "kind", Axis: "track", Kind: "natural"}} {
		q, err := p.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	v := view(t, r)
	got, ok := v.QuietRunOut(t.Context(), p, r)
	if !ok || got.Frames <= got.Least || !(got.Px < SettlePx) || !(got.LeastPx > 1.5*SettlePx) {
		t.Fatalf("%+v, %v", got, ok)
	}
	least, ok := limit.LeastRun(t.Context(), p, r)
	if !ok || least.RunOut != got.Least {
		t.Errorf("the least is %+v", least)
	}
	q, err := p.Apply(r, path.Edit{Op: "run", RunUp: least.RunUp, RunOut: got.Frames})
	if err != nil {
		t.Fatal(err)
	}
	m, err := path.Compile(q, r)
	if err != nil || !limit.Check(m, r, 24, limit.Working).OK() {
		t.Fatalf("it is over a limit: %v", err)
	}
	if px := shaken(t, v, m, 24).EndPx; !near(px, got.Px, 1e-9) {
		t.Errorf("%g px are left, it says %g", px, got.Px)
	}
	still, _ := compiled(t, r, map[float64]map[string]float64{0: {"track": 200}, 48: {"track": 600}})
	if _, ok := v.QuietRunOut(t.Context(), still, r); ok {
		t.Error("a path at rest has a run-out")
	}
}

// A ten-second move: places of every joint at sixteen parts of a frame, and the sway.
func BenchmarkRide(b *testing.B) {
	r := fixture.Slider()
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for k := range 40 {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: float64(6 * k),
			Values: map[string]float64{"track": 200 + 20*float64(k), "pan": float64(k % 7)}})
		if err != nil {
			b.Fatal(err)
		}
		p = q
	}
	m, err := path.Compile(p, r)
	if err != nil {
		b.Fatal(err)
	}
	l := fixture.Camera()
	sc, err := l.Scale()
	if err != nil {
		b.Fatal(err)
	}
	v := &View{Rig: r, Lens: l, Scale: sc, Subject: rig.Vec{0.4, 3, 1}}
	for b.Loop() {
		taken(b, m, r, 24, 0.5, Load{})
		shaken(b, v, m, 24)
	}
}

func taken(t testing.TB, m *path.Motion, r *rig.Rig, fps, brakeS float64, load Load) *Ride {
	t.Helper()
	x, err := Taken(t.Context(), m, r, fps, brakeS, load)
	if err != nil {
		t.Fatal(err)
	}
	return x
}

func shaken(t testing.TB, v *View, m *path.Motion, fps float64) *Shake {
	t.Helper()
	x, err := v.Shaken(t.Context(), m, fps)
	if err != nil {
		t.Fatal(err)
	}
	return x
}

// What nobody waits for any more ends, and says so.
func TestRidesEnd(t *testing.T) {
	r := fixture.Slider()
	p, m := compiled(t, r, map[float64]map[string]float64{0: {"track": 200}, 48: {"track": 700}})
	v := view(t, r)
	over, end := context.WithCancel(t.Context())
	end()
	if _, err := Taken(over, m, r, 24, 0.5, Load{}); !errors.Is(err, context.Canceled) {
		t.Errorf("the ride: %v", err)
	}
	if _, err := v.Shaken(over, m, 24); !errors.Is(err, context.Canceled) {
		t.Errorf("the sway: %v", err)
	}
	if _, err := v.Flexes(over, m, 24, []float64{48}); !errors.Is(err, context.Canceled) {
		t.Errorf("the flex: %v", err)
	}
	if _, ok := v.QuietRunOut(over, p, r); ok {
		t.Error("a run-out is found after its end")
	}
	done := &effort.Count{}
	if _, err := Taken(effort.With(t.Context(), done), m, r, 24, 0.5, Load{}); err != nil || done.Share() != 1 {
		t.Errorf("at the end %v of it is done: %v", done.Share(), err)
	}
}
