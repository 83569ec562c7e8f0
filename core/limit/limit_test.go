package limit

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
	"keenarc/core/rig"
)

func line(t testing.TB, r *rig.Rig, axis string, kv ...float64) *path.Path {
	t.Helper()
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for i := 0; i < len(kv); i += 2 {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: kv[i], Values: map[string]float64{axis: kv[i+1]}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	return p
}

// Two keyframes: the quintic's peaks are 15/8·d/T and 10/√3·d/T², at known places.
func TestPeaksByHand(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 48, 500)
	_, a, err := Analyse(p, r)
	if err != nil {
		t.Fatal(err)
	}
	x := a.Report.Axes[0]
	if want := 15.0 / 8 * 400 / 2; math.Abs(x.Speed.Max-want) > 1e-9*want || math.Abs(x.Speed.At-24) > 1e-6 {
		t.Errorf("speed %g at %g, want %g at 24", x.Speed.Max, x.Speed.At, want)
	}
	if want := 10 / math.Sqrt(3) * 400 / 4; math.Abs(x.Acceleration.Max-want) > 1e-9*want {
		t.Errorf("acceleration %g, want %g", x.Acceleration.Max, want)
	}
	// At three times the rate speed is ×3 and acceleration ×9.
	q, _ := p.Apply(r, path.Edit{Op: "factor", Factor: &clock.Rate{Num: 3, Den: 1}})
	_, b, _ := Analyse(q, r)
	y := b.Report.Axes[0]
	if math.Abs(y.Speed.Max/x.Speed.Max-3) > 1e-12 || math.Abs(y.Acceleration.Max/x.Acceleration.Max-9) > 1e-12 {
		t.Errorf("×3 gives ×%g and ×%g", y.Speed.Max/x.Speed.Max, y.Acceleration.Max/x.Acceleration.Max)
	}
}

// The proof asked for: a remedy of n frames passes and n − 1 fails, by the same
// checker; the slowed clock passes and a thousandth more fails.
func TestRemediesAreTheLeast(t *testing.T) {
	r := fixture.Slider()
	rng := rand.New(rand.NewPCG(11, 12))
	rooms, slows := 0, 0
	for range 60 {
		kv := []float64{}
		at := 0.0
		for range 2 + rng.IntN(4) {
			kv = append(kv, at, 20+1460*rng.Float64())
			at += float64(20 + rng.IntN(80))
		}
		p := line(t, r, "track", kv...)
		m, a, err := Analyse(p, r)
		if err != nil {
			t.Fatal(err)
		}
		if a.Report.OK() || a.Report.Violations[0].Quantity == Range {
			continue
		}
		for _, rem := range a.Remedies {
			e := rem.Edit
			_, after, ok := try(p, r, e)
			if !ok {
				t.Fatalf("%s does not apply", rem.Text)
			}
			if rem.Clears != after.OK() {
				t.Errorf("%s says clears=%v", rem.Text, rem.Clears)
			}
			switch rem.Kind {
			case "room":
				rooms++
				v := a.Report.Violations[0]
				if Touches(after, v.From, v.From) {
					t.Errorf("%s leaves the violation", rem.Text)
				}
				if !rem.Clears {
					continue
				}
				e.Frames--
				if _, less, _ := try(p, r, e); e.Frames > 0 && less.OK() {
					t.Errorf("%s, but %d frames pass too", rem.Text, e.Frames)
				}
			case "slow":
				slows++
				if !paceOK(after) {
					t.Errorf("%s is still too fast", rem.Text)
				}
				f := *e.Factor
				f.Num++
				if paceOK(Check(m, r, p.Rate.Times(f).Float(), Working)) {
					t.Errorf("%s, but a thousandth faster passes too", rem.Text)
				}
			}
		}
	}
	if rooms < 10 || slows < 10 {
		t.Errorf("only %d and %d remedies were tried", rooms, slows)
	}
}

func TestSentences(t *testing.T) {
	r := fixture.Slider()
	_, a, _ := Analyse(line(t, r, "pan", 0, 0, 48, 40), r)
	if want := "Pan runs 25% over its speed, 0016–0032, at 24 fps."; len(a.Sentences) == 0 || a.Sentences[0] != want {
		t.Errorf("%q, want %q", a.Sentences, want)
	}
	_, a, _ = Analyse(line(t, r, "track", 0, 25, 100, 22, 300, 1000), r)
	if len(a.Sentences) == 0 || !strings.Contains(a.Sentences[0], "past its soft limit 20") {
		t.Fatalf("overshoot below: %q", a.Sentences)
	}
	if len(a.Remedies) != 1 || a.Remedies[0].Kind != "between" || !a.Remedies[0].Clears {
		t.Errorf("remedies %+v", a.Remedies)
	}
}

func TestRunUpIsOffered(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "pan", 0, 0, 60, 15, 140, 20)
	p, _ = p.Apply(r, path.Edit{Op: "kind", Axis: "pan", Kind: curve.Natural})
	_, a, _ := Analyse(p, r)
	if len(a.Remedies) != 1 || a.Remedies[0].Kind != "run-up" || !a.Remedies[0].Clears {
		t.Fatalf("%q, remedies %+v", a.Sentences, a.Remedies)
	}
	q, err := p.Apply(r, a.Remedies[0].Edit)
	if err != nil {
		t.Fatal(err)
	}
	if _, b, _ := Analyse(q, r); len(b.Sentences) > 0 {
		t.Errorf("afterwards: %q", b.Sentences)
	}
}

// While braking, position, speed and acceleration stay within rated limits, by
// differences of the braking path itself.
func TestBrakeWithinRated(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 90, 700, 200, 1300)
	m, _, _ := Analyse(p, r)
	b, err := Brake(t.Context(), m, r, 24)
	if err != nil {
		t.Fatal(err)
	}
	if b.Worst <= 0 || b.Worst > 1 || b.TravelM <= 0 {
		t.Fatalf("%+v", b)
	}
	const dt = 1e-4
	at := func(f0, tm float64) float64 {
		gone, _, _ := BrakeAt(tm / b.Seconds)
		return m.Curves[0].At(f0 + gone*24*b.Seconds).P
	}
	for f := 0.0; f < 200; f += 5 {
		for tm := dt; tm < b.Seconds-dt; tm += 0.01 {
			acc := (at(f, tm+dt) - 2*at(f, tm) + at(f, tm-dt)) / (dt * dt)
			if math.Abs(acc) > r.Axes[0].Rated.Acceleration*1.02 {
				t.Fatalf("from %g, %g s on: %g mm/s²", f, tm, acc)
			}
		}
	}
	r.Axes[0].Rated = rig.Limits{Speed: 500, Acceleration: 5}
	if _, err := Brake(t.Context(), m, r, 24); err == nil || !strings.Contains(err.Error(), "cannot be stopped") {
		t.Errorf("an impossible braking is accepted: %v", err)
	}
}

func TestProfileNeverExceedsTheReport(t *testing.T) {
	r := fixture.Slider()
	m, a, _ := Analyse(line(t, r, "track", 0, 100, 60, 900, 200, 200), r)
	for _, step := range []int{1, 7} {
		top := 0.0
		for _, v := range Profile(m, r, 24, m.Start(), m.End(), step)[0] {
			top = max(top, math.Abs(v))
		}
		if top > a.Report.Axes[0].Share+1e-4 || top < a.Report.Axes[0].Share*0.98 {
			t.Errorf("step %d: profile reaches %g, report says %g", step, top, a.Report.Axes[0].Share)
		}
	}
}

// Where acceleration is the larger share, the profile shows that.
func TestProfileShowsAcceleration(t *testing.T) {
	r := fixture.Slider()
	r.Axes[0].Working.Jerk = 0 // none is limited
	m, a, _ := Analyse(line(t, r, "track", 0, 100, 20, 140), r)
	x := a.Report.Axes[0]
	if x.Acceleration.Share < 2*x.Speed.Share || x.Share != x.Acceleration.Share || x.ShareAt != x.Acceleration.At {
		t.Fatalf("speed %g, acceleration %g, together %g at %g", x.Speed.Share, x.Acceleration.Share,
			x.Share, x.ShareAt)
	}
	top := 0.0
	for f, v := range Profile(m, r, 24, m.Start(), m.End(), 1)[0] {
		s := m.Curves[0].At(float64(f))
		want := max(math.Abs(s.V)*24/300, math.Abs(s.A)*24*24/400)
		if math.Abs(math.Abs(v)-want) > 1e-4 || v < 0 {
			t.Errorf("frame %d: %g, want %g", f, v, want)
		}
		top = max(top, v)
	}
	if top < x.Acceleration.Share*0.95 {
		t.Errorf("reaches %g of %g", top, x.Acceleration.Share)
	}
}

// BenchmarkCheck checks eight axes of 200 keyframes.
func BenchmarkCheck(b *testing.B) {
	r := fixture.Slider()
	for _, id := range []string{"x1", "x2", "x3"} {
		a := r.Axes[1]
		a.ID = id
		r.Axes = append(r.Axes, a)
	}
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	rng := rand.New(rand.NewPCG(1, 3))
	for i := range p.Tracks {
		a := r.Axes[i]
		for k := range 200 {
			p.Tracks[i].Keys = append(p.Tracks[i].Keys,
				path.Key{Frame: float64(k * 36), Value: (a.Min+a.Max)/2 + rng.NormFloat64()*0.03*(a.Max-a.Min)})
		}
	}
	m, err := path.Compile(p, r)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		Check(m, r, 24, Working)
	}
}

// Jerk is limited where the axis has a limit of it: the minimum-jerk move of d over T seconds
// has 60·d/T³ at its ends.
func TestJerkCounts(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 48, 300)
	want := 60 * 200.0 / 8
	for _, c := range []struct {
		limit float64
		over  int
	}{{want * 1.001, 0}, {want * 0.999, 2}, {0, 0}} {
		r.Axes[0].Working.Jerk = c.limit
		_, a, err := Analyse(p, r)
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		for _, v := range a.Report.Violations {
			if v.Quantity == Jerk {
				n++
			}
		}
		if x := a.Report.Axes[0].Jerk; n != c.over || c.limit > 0 && (math.Abs(x.Max-want) > 1e-9*want ||
			x.Share != x.Max/c.limit) {
			t.Errorf("limit %g: %d stretches, %+v", c.limit, n, x)
		}
		if c.over > 0 && (!strings.Contains(a.Sentences[0], "over its jerk") || len(a.Remedies) == 0 ||
			!a.Remedies[len(a.Remedies)-1].Clears) {
			t.Errorf("%q, %+v", a.Sentences, a.Remedies)
		}
	}
}
