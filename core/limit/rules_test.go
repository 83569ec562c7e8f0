package limit

import (
	"fmt"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// needed is BrakeNeed by a second route: the largest v·6u(1−u)/(most ± a·r²) over
// a fine grid of u.
func needed(v, a, most float64) float64 {
	if v < 0 {
		v, a = -v, -a
	}
	worst := 0.0
	for n := 1; n < 20_000; n++ {
		u := float64(n) / 20_000
		r := (1 - u) * (1 - u) * (1 + 2*u)
		worst = max(worst, v*6*u*(1-u)/(most+a*r*r))
	}
	return worst
}

func TestBrakeNeedIsEnoughAndLittleMore(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 1))
	for range 400 {
		most := 1 + 900*rng.Float64()
		v, a := (2*rng.Float64()-1)*500, (2*rng.Float64()-1)*0.95*most
		want, got := needed(v, a, most), BrakeNeed(v, a, most)
		if got < want*(1-1e-9) || got > want*1.25 {
			t.Fatalf("v %g, a %g of %g: %g s, at least %g", v, a, most, got, want)
		}
		if back := BrakeNeed(-v, -a, most); back != got {
			t.Fatalf("the other way it needs %g, not %g", back, got)
		}
	}
	for _, v := range []float64{300, -300} {
		if got, want := BrakeNeed(v, 0, 900), 1.5*300/900; got < want || got > want*1.001 {
			t.Errorf("at even speed it needs %g s, want %g", got, want)
		}
		if got := BrakeNeed(v, -math.Copysign(900, v), 900); !math.IsInf(got, 1) {
			t.Errorf("slowing with all it has it can rest in %g s", got)
		}
		if with, against := BrakeNeed(v, math.Copysign(400, v), 900), BrakeNeed(v, -math.Copysign(400, v),
			900); !(with < BrakeNeed(v, 0, 900) && BrakeNeed(v, 0, 900) < against) {
			t.Errorf("gathering speed %g, slowing %g", with, against)
		}
	}
	if got := BrakeNeed(0, 500, 900); got != 0 {
		t.Errorf("at rest it needs %g s", got)
	}
}

func TestBrakeAt(t *testing.T) {
	for s, want := range map[float64][3]float64{0: {0, 1, 0}, 0.5: {0.40625, 0.5, -1.5}, 1: {0.5, 0, 0}, -3: {0, 1, 0},
		9: {0.5, 0, 0}} {
		gone, rate, slope := BrakeAt(s)
		if [3]float64{gone, rate, slope} != want {
			t.Errorf("at %g: %g %g %g, want %v", s, gone, rate, slope, want)
		}
	}
	for s := 0.05; s < 1; s += 0.05 { // each is the slope of the one before
		const d = 1e-6
		a, b, _ := BrakeAt(s - d)
		c, e, _ := BrakeAt(s + d)
		_, rate, slope := BrakeAt(s)
		if math.Abs((c-a)/(2*d)-rate) > 1e-6 || math.Abs((e-b)/(2*d)-slope) > 1e-6 {
			t.Errorf("at %g: rate %g, slope %g", s, rate, slope)
		}
	}
}

// Brake against plain loops without any short cut.
func TestBrakeByPlainLoops(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 1))
	longer := 0
	for n := range 12 {
		r := fixture.Slider()
		p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
		at := 0.0
		for range 4 {
			p, _ = p.Apply(r, path.Edit{Op: "set", Frame: at,
				Values: map[string]float64{"track": 300 + 800*rng.Float64(), "pan": -20 + 40*rng.Float64()}})
			at += 50 + float64(rng.IntN(60))
		}
		fps := 24.0
		if n%3 == 0 {
			p, _ = p.Apply(r, path.Edit{Op: "run", RunUp: 10, RunOut: 20})
		}
		m, err := path.Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		got, err := Brake(t.Context(), m, r, fps)
		if err != nil {
			continue
		}
		want := plainBrake(m, r, fps)
		if math.Abs(got.Seconds-want.Seconds) > 1e-12 || math.Abs(got.Worst-want.Worst) > 1e-12 || got.WorstAxis !=
			want.WorstAxis || got.WorstFrame != want.WorstFrame ||
			math.Abs(got.Frames-want.Frames) > 1e-12 || math.Abs(got.TravelM-want.TravelM) > 1e-12 {
			t.Errorf("%+v, plain loops say %+v", *got, want)
		}
		if got.Seconds > leastBrake {
			longer++
		}
	}
	if longer < 4 {
		t.Errorf("only %d moves needed more than the least", longer)
	}
}

func plainBrake(m *path.Motion, r *rig.Rig, fps float64) Braking {
	b := Braking{Seconds: 0.15}
	n := (m.End() - m.Start()) * 16
	at := func(i, k int) curve.Sample { return m.Curves[i].At(float64(m.Start()) + float64(k)/16) }
	for i := range m.Curves {
		for k := range n + 1 {
			s := at(i, k)
			if need := 1.02 * BrakeNeed(s.V*fps, s.A*fps*fps, r.Axes[i].Rated.Acceleration); need > b.Seconds {
				b.Seconds = math.Ceil(need*100-1e-9) / 100
			}
		}
	}
	b.Frames = fps * b.Seconds / 2
	for i, a := range r.Axes {
		for k := range n + 1 {
			s := at(i, k)
			for j := range 65 {
				_, rate, slope := BrakeAt(float64(j) / 64)
				share := max(math.Abs(s.V*fps*rate)/a.Rated.Speed,
					math.Abs(s.A*fps*fps*rate*rate+s.V*fps*slope/b.Seconds)/a.Rated.Acceleration)
				if share > b.Worst {
					b.Worst, b.WorstAxis, b.WorstFrame = share, a.ID, float64(m.Start())+float64(k)/16
				}
			}
			for j := 1; j <= 4 && i == 0; j++ {
				gone, _, _ := BrakeAt(float64(j) / 4)
				b.TravelM = max(b.TravelM, math.Abs(at(i, min(k+int(math.Round(gone*fps*b.Seconds*16)), n)).P-s.P)/1000)
			}
		}
	}
	return b
}

// What cannot be stopped is named with its axis and the frame from which.
func TestBrakeSaysFromWhere(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "pan", 0, 0, 100, 30)
	p, _ = p.Apply(r, path.Edit{Op: "run", RunUp: 8})
	m, _ := path.Compile(p, r)
	r.Axes[1].Rated.Acceleration = 5
	_, err := Brake(t.Context(), m, r, 24)
	if err == nil || !strings.HasPrefix(err.Error(), "Pan cannot be stopped within its rated limits from frame 00") {
		t.Fatalf("%v", err)
	}
	first := math.Inf(1)
	for k := range 108 * 16 {
		f := -8 + float64(k)/16
		if s := m.Curves[1].At(f); BrakeNeed(s.V*24, s.A*576, 5)*1.02 > 3 {
			first = min(first, f)
		}
	}
	if !strings.Contains(err.Error(), "from frame "+Frame4(first)+":") {
		t.Errorf("%v, want frame %s", err, Frame4(first))
	}
}

// Every field of a violation, against dense sampling.
func TestViolationsByFields(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 30, 700, 60, 200, 120, 1400)
	p, _ = p.Apply(r, path.Edit{Op: "set", Frame: 40, Values: map[string]float64{"pan": 20}})
	p, _ = p.Apply(r, path.Edit{Op: "set", Frame: 55, Values: map[string]float64{"pan": -9}})
	m, a, err := Analyse(p, r)
	if err != nil {
		t.Fatal(err)
	}
	if len(a.Report.Violations) < 5 {
		t.Fatalf("only %d violations", len(a.Report.Violations))
	}
	for i, v := range a.Report.Violations {
		if i > 0 && v.Share > a.Report.Violations[i-1].Share {
			t.Error("they are not in order, worst first")
		}
		axis := r.Index(v.Axis)
		lim, scale, order := r.Axes[axis].Working.Speed, 24.0, 1
		if v.Quantity == Acceleration {
			lim, scale, order = r.Axes[axis].Working.Acceleration, 576, 2
		}
		if v.Quantity == Jerk {
			lim, scale, order = r.Axes[axis].Working.Jerk, 13_824, 3
		}
		worst, at := 0.0, 0.0
		for k := range 4001 {
			f := v.From + (v.To-v.From)*float64(k)/4000
			if x := math.Abs(m.Curves[axis].At(f).Order(order)) * scale; x > worst {
				worst, at = x, f
			}
		}
		if math.Abs(v.Share/(worst/lim)-1) > 1e-3 || math.Abs(v.Over-(v.Share-1)*lim) > 1e-9*lim || math.Abs(v.At-at) >
			(v.To-v.From)/500+1e-6 || v.Below {
			t.Errorf("%+v; sampled %g of %g at %g", v, worst, lim, at)
		}
		for _, edge := range []float64{v.From, v.To} {
			if order == 3 {
				continue // it steps at keyframes
			}
			if x := math.Abs(m.Curves[axis].At(edge).Order(order)) * scale; x < lim*(1-1e-6) ||
				(edge != m.Curves[axis].First() && edge != m.Curves[axis].Last() && order == 1 && x > lim*(1+1e-6)) {
				t.Errorf("%+v begins or ends at %g of %g", v, x, lim)
			}
		}
	}
}

// Past a soft limit, above and below: by how much, where, and which limit.
func TestRangeViolations(t *testing.T) {
	r := fixture.Slider()
	for _, below := range []bool{false, true} {
		kv := []float64{0, 1000, 100, 1478, 200, 1478, 300, 900}
		if below {
			for i := 1; i < len(kv); i += 2 {
				kv[i] = 1500 - kv[i]
			}
		}
		m, a, err := Analyse(line(t, r, "track", kv...), r)
		if err != nil {
			t.Fatal(err)
		}
		lo, _, hi, _ := m.Curves[0].Range()
		over, lim := hi-1480, 1480.0
		if below {
			over, lim = 20-lo, 20
		}
		if len(a.Report.Violations) != 1 || over <= 0 {
			t.Fatalf("%+v, over by %g", a.Report.Violations, over)
		}
		v := a.Report.Violations[0]
		if v.Quantity != Range || v.Axis != "track" || v.Below != below || math.Abs(v.Over-over) > 1e-9 ||
			math.Abs(v.Share-(1+over/1460)) > 1e-12 {
			t.Errorf("%+v, over by %g", v, over)
		}
		if x := m.Curves[0].At(v.At).P; math.Abs(math.Abs(x-lim)-over) > 1e-9 || v.From > v.At || v.To < v.At ||
			v.From < 100 || v.To > 200 {
			t.Errorf("at %g it stands at %g; from %g to %g", v.At, x, v.From, v.To)
		}
		if want := fmt.Sprintf("Track runs %.3g mm past its soft limit %g, ", over, lim); !strings.HasPrefix(
			a.Sentences[0], want) {
			t.Errorf("%q, want %q", a.Sentences[0], want)
		}
		if x := a.Report.Axes[0]; x.Low != lo || x.High != hi {
			t.Errorf("runs from %g to %g, reported %g to %g", lo, hi, x.Low, x.High)
		}
		// A billionth of a millimetre is rounding, a hundredth of that more is not.
		for by, want := range map[float64]int{0.5e-9: 0, 5e-9: 1} {
			if below {
				r.Axes[0].Min = lo + by
			} else {
				r.Axes[0].Max = hi - by
			}
			if got := len(Check(m, r, 24, Working).Violations); got != want {
				t.Errorf("over by %g: %d violations, want %d", by, got, want)
			}
			r.Axes[0].Min, r.Axes[0].Max = 20, 1480
		}
	}
}

// The part of a curve over a span is the same curve, also where the span begins
// inside a piece, covers several, or has no width.
func TestClip(t *testing.T) {
	c, err := curve.New([]float64{0, 10, 25, 40}, []float64{1, 5, -3, 8}, curve.Spec{Kind: curve.Natural})
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range []curve.Span{{From: 0, To: 40}, {From: 3, To: 7}, {From: 3, To: 33}, {From: 10, To: 25},
		{From: 25, To: 40}, {From: 12, To: 12}} {
		p := c.Clip(s)
		if p.First() != s.From || p.Last() != s.To {
			t.Errorf("%v covers %g to %g", s, p.First(), p.Last())
		}
		for k := range 21 {
			f := s.From + (s.To-s.From)*float64(k)/20
			want, got := c.At(f), p.At(f)
			if k == 20 && s.To == 25 {
				want = curve.Sample{P: -3, V: p.End().V, A: p.End().A, J: p.End().J}
			}
			for o := range 4 {
				if math.Abs(want.Order(o)-got.Order(o)) > 1e-9 {
					t.Errorf("%v at %g, order %d: %g, want %g", s, f, o, got.Order(o), want.Order(o))
				}
			}
		}
	}
	// A last piece without length, and a span beyond the end.
	flat := &curve.Curve{X: []float64{0, 10, 10}, C: []curve.Poly{{1, 2}, {21}}}
	for _, s := range []curve.Span{{From: 2, To: 10}, {From: 2, To: 12}, {From: 11, To: 12}} {
		if p := flat.Clip(s); len(p.X) != len(p.C)+1 || len(p.C) == 0 {
			t.Errorf("%v: %d ends of %d pieces", s, len(p.X), len(p.C))
		} else if hi, _ := p.MaxAbs(0); hi != 21 {
			t.Errorf("%v: at most %g", s, hi)
		}
	}
}

// Every entry of a profile: the larger share, the sign of the travel, the largest
// of each step.
func TestProfileByFrames(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 60, 900, 131, 200)
	p, _ = p.Apply(r, path.Edit{Op: "run", RunUp: 4})
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	n := m.End() - m.Start() + 1
	for _, step := range []int{1, 7, n, n + 5} {
		rows := Profile(m, r, 24, m.Start(), m.End(), step)
		if len(rows) != len(r.Axes) || len(rows[0]) != (n+step-1)/step {
			t.Fatalf("step %d: %d entries for %d frames", step, len(rows[0]), n)
		}
		for k, got := range rows[0] {
			want := 0.0
			for f := m.Start() + k*step; f < min(m.Start()+(k+1)*step, m.End()+1); f++ {
				s := m.Curves[0].At(float64(f))
				if x := max(math.Abs(s.V)*24/300, math.Abs(s.A)*576/400, math.Abs(s.J)*13_824/4000); x >
					math.Abs(want) {
					want = math.Copysign(x, s.V)
				}
			}
			if math.Abs(got-want) > 1e-4 {
				t.Errorf("step %d, entry %d: %g, want %g", step, k, got, want)
			}
		}
	}
}

func TestNumbersInSentences(t *testing.T) {
	for share, want := range map[float64]string{1.0005: "0.1%", 1.0042: "0.5%", 1.009: "0.9%", 1.01: "1%", 1.011: "2%",
		1.25: "25%", 3.001: "201%"} {
		if got := percentOver(share); got != want {
			t.Errorf("%g is %s over, want %s", share, got, want)
		}
	}
	for f, want := range map[float64]string{0: "0000", 86: "0086", -20: "-0020", 12345: "12345", 7.4: "0007"} {
		if got := Frame4(f); got != want {
			t.Errorf("frame %g is written %s, want %s", f, got, want)
		}
	}
	if rig.Deg.Symbol() != "°" || rig.MM.Symbol() != "mm" {
		t.Error("units are written otherwise")
	}
	r := fixture.Slider()
	_, a, _ := Analyse(func() *path.Path {
		p := line(t, r, "pan", 0, 0, 100, 12)
		p, _ = p.Apply(r, path.Edit{Op: "kind", Axis: "pan", Kind: curve.Linear})
		return p
	}(), r)
	if want := "Pan changes speed by 2.88 °/s in no time at 0000."; len(a.Sentences) == 0 || a.Sentences[0] != want {
		t.Errorf("%q, want %q", a.Sentences, want)
	}
	_, a, _ = Analyse(func() *path.Path {
		p := line(t, r, "track", 0, 100, 50, 320, 100, 90)
		p, _ = p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Hold})
		return p
	}(), r)
	if len(a.Sentences) != 2 || a.Sentences[0] != "Track jumps 220 mm at 0050." || a.Sentences[1] !=
		"Track jumps -230 mm at 0100." || len(a.Remedies) != 1 || a.Remedies[0].Kind != "join" {
		t.Errorf("%q, remedies %v", a.Sentences, a.Remedies)
	}
	if axis, j, ok := a.Report.Sealable(); ok || axis != "track" || j.At != 50 || j.By != 220 {
		t.Errorf("sealable %v: %s %+v", ok, axis, j)
	}
	// A step in acceleration is a finding and no obstacle.
	_, a, _ = Analyse(func() *path.Path {
		p := line(t, r, "track", 0, 100, 50, 320, 120, 400)
		p, _ = p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Through})
		return p
	}(), r)
	if _, _, ok := a.Report.Sealable(); !ok || len(a.Sentences) != 0 || len(a.Report.Axes[0].Jumps) == 0 {
		t.Errorf("sealable %v, %q, %v", ok, a.Sentences, a.Report.Axes[0].Jumps)
	}
	if a.Report.Axes[0].Speed.Limit != 300 || a.Report.Axes[0].Acceleration.Limit != 400 {
		t.Error("limits are not those of the axis")
	}
	m, _ := path.Compile(line(t, r, "track", 0, 100, 50, 320), r)
	if x := Check(m, r, 24, Rated).Axes[0]; x.Speed.Limit != 500 || x.Acceleration.Limit != 900 {
		t.Errorf("rated limits are %g and %g", x.Speed.Limit, x.Acceleration.Limit)
	}
}

// What is hard comes first: steps of the value, then what is past a soft limit,
// then corners, then what is too fast; each with a remedy of its own that does
// what it says.
func TestWhatIsHardComesFirst(t *testing.T) {
	r := fixture.Slider()
	build := func(edits ...path.Edit) (*path.Path, *Analysis) {
		p := line(t, r, "track", 0, 1000, 100, 1478, 200, 1478, 230, 900)
		for _, e := range edits {
			q, err := p.Apply(r, e)
			if err != nil {
				t.Fatal(err)
			}
			p = q
		}
		_, a, err := Analyse(p, r)
		if err != nil {
			t.Fatal(err)
		}
		return p, a
	}
	pan := func(f, v float64) path.Edit {
		return path.Edit{Op: "set", Frame: f, Values: map[string]float64{"pan": v}}
	}
	kind := func(k curve.Kind) path.Edit { return path.Edit{Op: "kind", Axis: "pan", Kind: k} }
	sorts := func(a *Analysis) string {
		s := ""
		for _, x := range a.Sentences {
			switch {
			case strings.Contains(x, " jumps "):
				s += "J"
			case strings.Contains(x, "soft limit"):
				s += "R"
			case strings.Contains(x, "in no time"):
				s += "C"
			default:
				s += "F"
			}
		}
		return s
	}
	for name, c := range map[string]struct {
		edits        []path.Edit
		want, remedy string
	}{
		"fast and past a limit": {nil, "RFFFFFF", "between"},
		"hold": {[]path.Edit{pan(0, 0), pan(60, 5), pan(120, 9), kind(curve.Hold)},
			"JJRFFFFFF", "join"},
		"corners": {[]path.Edit{pan(0, 0), pan(60, 5), pan(120, 9), kind(curve.Linear)}, "RCCCFFFFFF", "between"},
	} {
		p, a := build(c.edits...)
		if got := sorts(a); got != c.want || len(a.Remedies) == 0 || a.Remedies[0].Kind != c.remedy {
			t.Errorf("%s: %q are %s, want %s; remedies %+v", name, a.Sentences, got, c.want, a.Remedies)
			continue
		}
		for _, rem := range a.Remedies { // the first sentence is gone afterwards
			q, err := p.Apply(r, rem.Edit)
			if err != nil {
				t.Fatal(err)
			}
			_, b, _ := Analyse(q, r)
			for _, s := range b.Sentences {
				if s == a.Sentences[0] {
					t.Errorf("%s: %q leaves %q", name, rem.Text, s)
				}
			}
			if rem.Clears != (len(b.Sentences) == 0) {
				t.Errorf("%s: %q says it clears: %v; left %q", name, rem.Text, rem.Clears, b.Sentences)
			}
		}
	}
	// A corner of straight lines is rounded by the least of the lengths tried, and one
	// leg that holds is let go alone.
	p := line(t, r, "pan", 0, 0, 60, 5, 120, 9)
	p, _ = p.Apply(r, kind(curve.Linear))
	_, a, _ := Analyse(p, r)
	if len(a.Remedies) != 2 || a.Remedies[0].Kind != "blend" || !a.Remedies[0].Clears ||
		a.Remedies[1].Kind != "run-up" {
		t.Fatalf("%q, %+v", a.Sentences, a.Remedies)
	}
	n := int(a.Remedies[0].Edit.Blend)
	if want := fmt.Sprintf("Round Pan's corners over %d %s", n, frames(n)); a.Remedies[0].Text != want {
		t.Errorf("%q, want %q", a.Remedies[0].Text, want)
	}
	for less := 1; less < n; less = nextRoom(less) {
		e := a.Remedies[0].Edit
		e.Blend = float64(less)
		if _, rep, ok := try(p, r, e); ok && clears(rep) {
			t.Errorf("%d frames of blend do, too", less)
		}
	}
	p, _ = p.Apply(r, kind(curve.Smooth))
	p, _ = p.Apply(r, path.Edit{Op: "segment", Axis: "pan", Index: 1, Kind: curve.Hold})
	_, a, _ = Analyse(p, r)
	if len(a.Remedies) == 0 || a.Remedies[0].Edit.Op != "segment" || a.Remedies[0].Edit.Index != 1 ||
		a.Remedies[0].Edit.Kind != "" || !a.Remedies[0].Clears {
		t.Errorf("%q, %+v", a.Sentences, a.Remedies)
	}
	if got := [3]string{frames(0), frames(1), frames(2)}; got != [3]string{"frames", "frame", "frames"} {
		t.Errorf("%v", got)
	}
}

func TestSegmentsAndSteps(t *testing.T) {
	frames := []float64{0, 10, 30}
	for at, want := range map[float64]int{-1: -1, 0: 0, 9.9: 0, 10: 1, 29: 1, 30: 1, 99: 1} {
		if got := segmentOf(frames, at); got != want {
			t.Errorf("%g lies in segment %d, want %d", at, got, want)
		}
	}
	if got := segmentOf([]float64{4}, 4); got != -1 {
		t.Errorf("one keyframe has segment %d", got)
	}
	for n, want := range map[int]int{1: 2, 7: 8, 8: 9, 15: 16, 16: 18, 80: 90} {
		if got := nextRoom(n); got != want {
			t.Errorf("after %d comes %d, want %d", n, got, want)
		}
	}
	rep := &Report{Violations: []Violation{{From: 10, To: 20}}}
	for span, want := range map[[2]float64]bool{{0, 10}: false, {0, 10.1}: true, {20, 30}: false, {19.9, 30}: true,
		{12, 13}: true} {
		if got := Touches(rep, span[0], span[1]); got != want {
			t.Errorf("%v is touched: %v", span, got)
		}
	}
	if hasRange(&Report{Violations: []Violation{{Axis: "pan", Quantity: Range}, {Axis: "track", Quantity: Speed}}},
		"track") || !hasRange(&Report{Violations: []Violation{{Axis: "pan", Quantity: Range}}}, "pan") {
		t.Error("range violations are found on other axes or other quantities")
	}
}

// Run-up and run-out are offered where the move starts or ends with speed, the
// least that cure it, and only where there is none.
func TestRunUpIsTheLeast(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "pan", 0, 0, 60, 15, 140, 20)
	p, _ = p.Apply(r, path.Edit{Op: "kind", Axis: "pan", Kind: curve.Natural})
	_, a, _ := Analyse(p, r)
	e := a.Remedies[0].Edit
	if e.RunUp < 2 || e.RunOut < 2 || e.RunUp == e.RunOut || a.Remedies[0].Text !=
		fmt.Sprintf("Give it a run-up of %d and a run-out of %d frames", e.RunUp, e.RunOut) {
		t.Errorf("%+v", a.Remedies[0])
	}
	up, out := e, e // each by itself: one frame less of either does not do
	up.RunUp--
	out.RunOut--
	for _, less := range []path.Edit{up, out} {
		if _, rep, ok := try(p, r, less); ok && rep.OK() {
			t.Errorf("%d and %d frames do, too", less.RunUp, less.RunOut)
		}
	}
	if least, ok := LeastRun(t.Context(), p, r); !ok || least.RunUp != e.RunUp || least.RunOut != e.RunOut {
		t.Errorf("the least is %+v, %t", least, ok)
	}
	// A run that is too short already is made longer, one that is long enough is left alone.
	short, _ := p.Apply(r, path.Edit{Op: "run", RunUp: e.RunUp - 1, RunOut: e.RunOut + 30})
	if least, ok := LeastRun(t.Context(), short, r); !ok || least != (Run{e.RunUp, e.RunOut}) {
		t.Errorf("of one that has a run already it is %+v", least)
	}
	// Only the end moves: only a run-out is asked for.
	q := line(t, r, "pan", 0, 0, 60, 0, 120, 0, 180, 9)
	q, _ = q.Apply(r, path.Edit{Op: "kind", Axis: "pan", Kind: curve.Akima})
	_, a, _ = Analyse(q, r)
	if len(a.Remedies) != 1 || a.Remedies[0].Edit.RunUp != 0 || a.Remedies[0].Edit.RunOut == 0 {
		t.Errorf("%q, remedies %+v", a.Sentences, a.Remedies)
	}
	q, _ = q.Apply(r, a.Remedies[0].Edit)
	if _, b, _ := Analyse(q, r); len(b.Sentences) != 0 || len(b.Remedies) != 0 {
		t.Errorf("afterwards %q", b.Sentences)
	}
}

// Each sentence leads to its own place, whatever comes before it.
func TestSentencesHaveTheirPlaces(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 24, 1400, 48, 300, 60, 1450, 96, 900)
	for _, kind := range []curve.Kind{curve.Linear, curve.Hold, curve.Smooth} {
		q, err := p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: kind})
		if err != nil {
			t.Fatal(err)
		}
		_, a, err := Analyse(q, r)
		if err != nil {
			t.Fatal(err)
		}
		if len(a.At) != len(a.Sentences) || len(a.At) == 0 {
			t.Fatalf("%s: %d places of %d sentences", kind, len(a.At), len(a.Sentences))
		}
		for i, s := range a.Sentences {
			// It names one frame, or the first and the last of a stretch.
			var named []float64
			for _, w := range regexp.MustCompile(`\b0\d{3}\b`).FindAllString(s, -1) {
				f, _ := strconv.ParseFloat(w, 64)
				named = append(named, f)
			}
			if len(named) == 0 || a.At[i] < named[0]-1 || a.At[i] > named[len(named)-1]+1 {
				t.Errorf("%s: %q leads to %g", kind, s, a.At[i])
			}
		}
	}
}
