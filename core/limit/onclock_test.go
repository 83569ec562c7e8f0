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

func onClock(t *testing.T, m *path.Motion, s clock.Spec) clock.Clock {
	t.Helper()
	c, err := s.Over(m.Run(), clock.Rate{Num: 24, Den: 1})
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func compiled(t *testing.T, r *rig.Rig, kv ...float64) *path.Motion {
	t.Helper()
	m, err := path.Compile(line(t, r, "track", kv...), r)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// While a clock eases the largest acceleration and jerk are what the moving axis really has,
// found by very small steps of time; and the full expression is more than either part.
func TestEasesByDifferences(t *testing.T) {
	r := fixture.Slider()
	r.Axes[0].Working = rig.Limits{Speed: 1e4, Acceleration: 1e5, Jerk: 1e7}
	m := compiled(t, r, 0, 100, 30, 400, 60, 380, 96, 1100)
	for name, s := range map[string]clock.Spec{
		"waits":   {EaseMS: 300, Way: clock.On, Waits: []clock.Wait{{Frame: 31, MS: 500}, {Frame: 61, MS: 250}}},
		"back":    {EaseMS: 150, Way: clock.Back, Waits: []clock.Wait{{Frame: 59, MS: 500}}},
		"stepped": {Kind: clock.Stepped, Way: clock.On, Pictures: 24, IntervalMS: 1000, MoveMS: 300},
	} {
		if s.Factor = (clock.Rate{Num: 1, Den: 1}); s.Kind == "" {
			s.Kind = clock.Steady
		}
		c := onClock(t, m, s)
		got := CheckOn(m, r, c, Working).Axes[0]
		at := func(x float64) float64 { return m.Curves[0].At(c.FrameAt(x)).P }
		const h = 1e-4
		acc, jerk, when := 0.0, 0.0, 0.0
		for _, e := range c.Eases() {
			for k := 3; k < int(e.Seconds/h)-3; k++ {
				x := e.At + float64(k)*h
				if a := math.Abs(at(x+h)-2*at(x)+at(x-h)) / h / h; a > acc {
					acc, when = a, c.FrameAt(x)
				}
				const g = 1e-3
				if x-2*g > e.At && x+2*g < e.At+e.Seconds {
					jerk = max(jerk, math.Abs(at(x+2*g)-2*at(x+g)+2*at(x-g)-at(x-2*g))/2/g/g/g)
				}
			}
		}
		even := Check(m, r, c.MaxSpeed(), Working).Axes[0]
		if acc <= even.Acceleration.Max {
			t.Fatalf("%s: the eases are no harder than the rest; the test shows nothing", name)
		}
		if d := got.Acceleration.Max/acc - 1; d < -1e-6 || d > 2e-3 || math.Abs(got.Acceleration.At-when) > 0.1 {
			t.Errorf("%s: acceleration %g at %g, by differences %g at %g", name, got.Acceleration.Max,
				got.Acceleration.At, acc, when)
		}
		if got.Jerk.Max < jerk*(1-1e-3) || got.Jerk.Max > max(jerk*1.1, even.Jerk.Max) {
			t.Errorf("%s: jerk %g, by differences %g", name, got.Jerk.Max, jerk)
		}
		// Just under that limit it is a violation in that ease's frames, just over it is none.
		tight := fixture.Slider()
		tight.Axes[0].Working = rig.Limits{Speed: 1e4, Acceleration: got.Acceleration.Max * 0.999}
		rep := CheckOn(m, tight, c, Working)
		if n := len(rep.Violations); n != 1 || rep.Violations[0].Quantity != Acceleration || rep.Violations[0].From >
			when || rep.Violations[0].To < when || !(rep.Violations[0].Over > 0) {
			t.Errorf("%s: %+v", name, rep.Violations)
		}
		tight.Axes[0].Working.Acceleration = got.Acceleration.Max * 1.001
		if rep = CheckOn(m, tight, c, Working); !rep.OK() || math.Abs(rep.Axes[0].Share-1/1.001) > 1e-6 {
			t.Errorf("%s: %+v, share %g", name, rep.Violations, rep.Axes[0].Share)
		}
	}
}

// A clock that somebody may steer is held against the worst that they can do at any frame.
func TestSteeredByPlainLoops(t *testing.T) {
	r := fixture.Slider()
	m := compiled(t, r, 0, 100, 30, 400, 60, 380, 96, 1100)
	c := onClock(t, m, clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On, EaseMS: 200})
	v, a := c.MaxSpeed(), c.Traits().Free
	want, at := 0.0, 0.0
	for f := 0.0; f <= 96; f += 0.001 {
		s := m.Curves[0].At(f)
		if x := math.Abs(s.A)*v*v + math.Abs(s.V)*a; x > want {
			want, at = x, f
		}
	}
	got := CheckOn(m, r, c, Working).Axes[0].Acceleration
	if got.Max < want || got.Max > want*(1+1e-5) || math.Abs(got.At-at) > 0.1 {
		t.Errorf("%g at %g, by plain loops %g at %g", got.Max, got.At, want, at)
	}
	r.Axes[0].Working.Jerk = 1
	for law := range 2 {
		c := onClock(t, m, clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On,
			EaseMS: 200, Law: law})
		most := 0.0
		for f := 0.0; f <= 96; f += 0.001 {
			s := m.Curves[0].At(f)
			most = max(most, math.Abs(s.J)*v*v*v+3*math.Abs(s.A)*v*a+math.Abs(s.V)*c.Traits().Jolt)
		}
		if got := CheckOn(m, r, c, Working).Axes[0].Jerk; math.Abs(got.Max/most-1) > 1e-4 {
			t.Errorf("law %d: jerk %g, by plain loops %g", law, got.Max, most)
		}
	}
	r.Axes[0].Working.Jerk = 0
	if even := CheckOn(m, r, onClock(t, m, clock.Times(clock.Rate{Num: 1, Den: 1})),
		Working); even.Axes[0].Acceleration != Check(m, r, 24, Working).Axes[0].Acceleration {
		t.Error("a clock of one speed is checked otherwise")
	}
}

// Whatever the polynomial, what is found is its largest value to a billionth.
func TestLargestOfAPolynomial(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	for range 200 {
		p := make([]float64, 1+rng.IntN(20))
		for i := range p {
			p[i] = rng.NormFloat64()
		}
		value := func(x float64) float64 {
			y := 0.0
			for i := len(p) - 1; i >= 0; i-- {
				y = y*x + p[i]
			}
			return math.Abs(y)
		}
		want := 0.0
		for k := range 20001 {
			want = max(want, value(float64(k)/20000))
		}
		got, at := largest(p)
		if got < want*(1-1e-9) || got > want*(1+1e-6) || math.Abs(value(at)-got) > 1e-9*got {
			t.Fatalf("%v: %g at %g, by plain loops %g", p, got, at, want)
		}
	}
}

// On whatever clock: from any moment of it, slowing over the time that is chosen stays within
// the rated acceleration, and the time that does forward does not always do backward.
func TestBrakeOnEveryClock(t *testing.T) {
	r := fixture.Slider()
	m := compiled(t, r, 0, 100, 24, 180, 60, 1100, 70, 1180, 96, 1200)
	worst := Check(m, r, 24, Rated).Axes[0].Acceleration.Max
	r.Axes[0].Rated.Acceleration = 1.15 * worst
	forward, err := Brake(t.Context(), m, r, 24)
	if err != nil {
		t.Fatal(err)
	}
	longer := 0
	for name, s := range map[string]clock.Spec{
		"on": {}, "back": {Way: clock.Back}, "there and back": {Way: clock.ThereAndBack},
		"eased": {EaseMS: 1200, Waits: []clock.Wait{{Frame: 50, MS: 100}}},
		"live":  {Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 2}, EaseMS: 3000},
		"steers": {Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 2}, EaseMS: 3000,
			Steers: []clock.Steer{{MS: 700, Num: -1, Den: 2}, {MS: 1500, Num: 1, Den: 2}, {MS: 4000, Num: 1, Den: 10}}},
	} {
		if s.Kind == "" {
			s.Kind = clock.Steady
		}
		if s.Way == "" {
			s.Way = clock.On
		}
		if s.Factor.Num == 0 {
			s.Factor = clock.Rate{Num: 1, Den: 1}
		}
		c := onClock(t, m, s)
		b, err := BrakeOn(t.Context(), m, r, c)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if b.Seconds > forward.Seconds {
			longer++
		}
		const h = 1e-3
		at := func(x float64) float64 { return m.Curves[0].At(c.FrameAt(x)).P }
		for begin := 0.1; begin < min(c.Seconds(), 20)-0.1; begin += 0.037 {
			for u := 0.02; u < 1; u += 0.04 {
				gone, rate, slope := BrakeAt(u)
				x := begin + gone*b.Seconds
				if x+h > c.Seconds() {
					break
				}
				v, a := (at(x+h)-at(x-h))/2/h, (at(x+h)-2*at(x)+at(x-h))/h/h
				if acc := math.Abs(a*rate*rate + v*slope/b.Seconds); acc > r.Axes[0].Rated.Acceleration*1.005 {
					t.Fatalf("%s: braking in %g s from %.2f s comes to %g, rated %g", name, b.Seconds, begin, acc,
						r.Axes[0].Rated.Acceleration)
				}
			}
		}
	}
	if longer == 0 {
		t.Error("no clock needs longer than running forward; the test shows nothing")
	}
	if _, err := BrakeOn(t.Context(), m, r,
		onClock(t, m, clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On,
			EaseMS: 100})); err == nil {
		t.Error("a clock that may be steered beyond the rated limits can be braked")
	}
}

// A clock that stops at once needs axes that stand still there, one that comes around a move
// that is closed; each is said with what would be right.
func TestWhatAClockAsks(t *testing.T) {
	r := fixture.Slider()
	open, closed := compiled(t, r, 0, 100, 48, 400), compiled(t, r, 0, 100, 24, 400, 48, 100)
	for _, k := range []struct {
		m    *path.Motion
		s    clock.Spec
		want string
	}{
		{open, clock.Spec{Way: clock.On}, ""},
		{open, clock.Spec{Way: clock.ThereAndBack, DelayMS: 100}, ""},
		{open, clock.Spec{Way: clock.Around}, "ends 300 mm from where it begins"},
		{closed, clock.Spec{Way: clock.Around, Times: 3}, ""},
		{open, clock.Spec{Way: clock.On, Waits: []clock.Wait{{Frame: 24, MS: 5}}}, "it stops at frame 0024"},
		{open, clock.Spec{Way: clock.On, EaseMS: 50, Waits: []clock.Wait{{Frame: 24, MS: 5}}}, ""},
		{closed, clock.Spec{Way: clock.On, Waits: []clock.Wait{{Frame: 24, MS: 5}}}, ""},
	} {
		k.s.Kind, k.s.Factor = clock.Steady, clock.Rate{Num: 1, Den: 1}
		if err := CanFollow(k.m, r, onClock(t, k.m, k.s)); (err == nil) != (k.want == "") || err != nil &&
			!strings.Contains(err.Error(), k.want) {
			t.Errorf("%+v: %v, want %q", k.s, err, k.want)
		}
	}
}

// The bound by which eases are left out is never below what is in them, each of its terms is
// as large as it can be and no larger.
func TestEaseBound(t *testing.T) {
	r := fixture.Slider()
	m := compiled(t, r, 0, 100, 30, 400, 60, 380, 96, 1100)
	rng := rand.New(rand.NewPCG(8, 9))
	for range 300 {
		e := clock.Ease{Seconds: 0.1 + rng.Float64(), From: 10 + 70*rng.Float64(), V0: 24 * rng.Float64(),
			V1: 24 * rng.Float64()}
		if rng.IntN(2) == 0 {
			e.V0, e.V1 = -e.V0/4, -e.V1/4
		}
		if lo, hi := e.Over(); lo < 0 || hi > 96 {
			continue
		}
		for _, order := range []int{2, 3} {
			if v, _ := inEase(m.Curves[0], e, order); v > easeBound(m.Curves[0], &e, order)*(1+1e-9) {
				t.Fatalf("%+v, order %d: %g is in it, the bound is %g", e, order, v, easeBound(m.Curves[0], &e, order))
			}
		}
	}
	one := func(p curve.Poly) *curve.Curve { return &curve.Curve{X: []float64{0, 100}, C: []curve.Poly{p}} }
	for name, k := range map[string]struct {
		p     curve.Poly
		e     clock.Ease
		order int
		want  float64
	}{
		"q′f̈": {curve.Poly{0, 7}, clock.Ease{Seconds: 2, From: 10, V0: 3, V1: 9}, 2, 7 * 1.5 * 6 / 2},
		"q′f⃛": {curve.Poly{0, 7}, clock.Ease{Seconds: 2, From: 10, V0: 3, V1: 9}, 3, 7 * 6 * 6 / 4.0},
		"q″ḟ²": {curve.Poly{0, 0, 5}, clock.Ease{Seconds: 1, From: 10, V0: 4, V1: 4 + 1e-12}, 2, 10 * 16},
		"q‴ḟ³": {curve.Poly{0, 0, 0, 2}, clock.Ease{Seconds: 1, From: 10, V0: 4, V1: 4 + 1e-12}, 3, 12 * 64},
		"3q″ḟf̈": {curve.Poly{0, -2 * 5 * 10.5, 5}, clock.Ease{Seconds: 1, From: 10, V0: 0.5, V1: 1.5}, 3,
			3*10*1.5*1.5 + 10*0.5*6},
	} {
		if got := easeBound(one(k.p), &k.e, k.order); math.Abs(got-k.want) > 1e-6*k.want {
			t.Errorf("%s: %g, want %g", name, got, k.want)
		}
	}
}

// What is past a soft limit comes first, then the worst; each says by how much.
func TestTheOrderOnAClock(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 30, 400, 60, 380, 96, 1100)
	p, err := p.Apply(r, path.Edit{Op: "set", Frame: 0, Values: map[string]float64{"pan": 0}})
	if err != nil {
		t.Fatal(err)
	}
	for f, v := range map[float64]float64{40: 30, 96: 60} {
		if p, err = p.Apply(r, path.Edit{Op: "set", Frame: f, Values: map[string]float64{"pan": v}}); err != nil {
			t.Fatal(err)
		}
	}
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	c := onClock(t, m, clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On, EaseMS: 60,
		Waits: []clock.Wait{{Frame: 50, MS: 10}}})
	r.Axes[0].Max = 1000 // after it was laid
	for i := range r.Axes {
		r.Axes[i].Working = rig.Limits{Speed: 1e5, Acceleration: 100}
	}
	rep := CheckOn(m, r, c, Working)
	if len(rep.Violations) < 3 || rep.Violations[0].Quantity != Range {
		t.Fatalf("%+v", rep.Violations)
	}
	for i := 2; i < len(rep.Violations); i++ {
		if rep.Violations[i].Share > rep.Violations[i-1].Share {
			t.Errorf("%+v comes after %+v", rep.Violations[i], rep.Violations[i-1])
		}
	}
	for _, v := range rep.Violations[1:] {
		if math.Abs(v.Over-(v.Share-1)*100) > 1e-6*v.Over {
			t.Errorf("%+v is over by %g", v, (v.Share-1)*100)
		}
	}
}

// Closed to a quarter of a step is closed, and what stands still to rounding stands still; at
// the ends of the run whatever is said of them is said elsewhere.
func TestHowStillIsStill(t *testing.T) {
	r := fixture.Slider()
	step := float64(r.Axes[0].StepsPerUnit.Den) / float64(r.Axes[0].StepsPerUnit.Num)
	round := clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.Around}
	for off, ok := range map[float64]bool{0.24: true, 0.26: false, -0.24: true, -0.26: false} {
		m := compiled(t, r, 0, 100, 24, 400, 48, 100+off*step)
		if err := CanFollow(m, r, onClock(t, m, round)); (err == nil) != ok {
			t.Errorf("%g of a step off: %v", off, err)
		}
	}
	p := line(t, r, "track", 0, 100, 24, 400, 48, 500)
	p, _ = p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Natural})
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	late := clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.ThereAndBack, DelayMS: 500}
	if err := CanFollow(m, r, onClock(t, m, late)); err != nil {
		t.Errorf("at the ends: %v", err)
	}
	// A thousandth of its fastest counts as still, twice that does not.
	for by, ok := range map[float64]bool{0.5: true, 2: false, -2: false} {
		c := &curve.Curve{X: []float64{0, 24, 48}, C: []curve.Poly{{0, 100}, {2400, by * 0.1}}}
		m := &path.Motion{Last: 48, Curves: []*curve.Curve{c}}
		k := onClock(t, m, clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On,
			Waits: []clock.Wait{{Frame: 30, MS: 5}}})
		if err := CanFollow(m, r, k); (err == nil) != ok {
			t.Errorf("%g thousandths: %v", by, err)
		}
	}
}

// An axis whose one keyframe stands at the end, and one that has nothing to do: on a clock that
// steps or eases they are looked at like any other.
func TestPiecesWithoutLengthOnAClock(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 48, 400)
	for _, frame := range []float64{0, 24, 48, 60} {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: frame, Values: map[string]float64{"pan": 5}})
		if err != nil {
			t.Fatal(err)
		}
		m, err := path.Compile(q, r)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range []clock.Spec{
			{Kind: clock.Steady, Way: clock.On, EaseMS: 300, Waits: []clock.Wait{{Frame: 40, MS: 500}}},
			{Kind: clock.Stepped, Way: clock.On, Pictures: 12, IntervalMS: 1000, MoveMS: 300},
		} {
			s.Factor = clock.Rate{Num: 1, Den: 1}
			if got := CheckOn(m, r, onClock(t, m, s), Working); got.Axes[1].Speed.Max != 0 ||
				got.Axes[0].Speed.Max == 0 {
				t.Errorf("%+v", got.Axes)
			}
		}
	}
}

// A pass that runs backward brakes as the move turned round does, and no longer.
func TestBrakingBackwardIsThatOfTheMoveTurnedRound(t *testing.T) {
	r := fixture.Slider()
	rng := rand.New(rand.NewPCG(27, 7))
	longer := 0
	for range 12 {
		kv := []float64{0, 100, 20 + float64(rng.IntN(20)), 100 + 400*rng.Float64(), 50 + float64(rng.IntN(20)),
			600 + 400*rng.Float64(), 96, 1100 + 200*rng.Float64()}
		m := compiled(t, r, kv...)
		r.Axes[0].Rated.Acceleration = 1.1 * Check(m, r, 24, Rated).Axes[0].Acceleration.Max
		turned := make([]float64, 0, len(kv))
		for i := len(kv) - 2; i >= 0; i -= 2 {
			turned = append(turned, 96-kv[i], kv[i+1])
		}
		var need [2]float64
		for k, x := range [2]*path.Motion{m, compiled(t, r, turned...)} {
			b, err := Brake(t.Context(), x, r, 24)
			if err != nil {
				t.Fatalf("%v: %v", kv, err)
			}
			need[k] = b.Seconds
		}
		b, err := BrakeOn(t.Context(), m, r,
			onClock(t, m, clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.Back}))
		if err != nil {
			t.Fatal(err)
		}
		if want := max(need[0], need[1]); b.Seconds != want {
			t.Errorf("%v: %g s, want %g (forward %g, turned round %g)", kv, b.Seconds, want, need[0], need[1])
		}
		if need[1] > need[0] {
			longer++
		}
	}
	if longer == 0 {
		t.Error("none takes longer backward: this tests nothing")
	}
}

// Where a clock may be steered anywhere, gathering speed and losing it both count.
func TestSteeredCountsBothWays(t *testing.T) {
	r := fixture.Slider()
	for _, kv := range [][]float64{{0, 100, 40, 700, 96, 900}, {0, 900, 40, 700, 96, 100}, {0, 100, 70, 300, 96, 900}} {
		m := compiled(t, r, kv...)
		const v, a = 24, 36
		want := 0.0
		for k := range 96_001 {
			s := m.Curves[0].At(float64(k) / 1000)
			want = max(want, math.Abs(s.A*v*v+s.V*a), math.Abs(s.A*v*v-s.V*a))
		}
		got, at := steered(m.Curves[0], [4]float64{0, a, v * v, 0})
		if math.Abs(got-want) > 1e-4*want {
			t.Errorf("%v: %g at %g, by small steps %g", kv, got, at, want)
		}
	}
}

// What somebody may do to a live clock's jerk is looked at before: whatever is steered, by either
// law, is no rougher than was said; by the newer one a small change is no rougher than a great one.
func TestTheJerkOfWhatIsSteered(t *testing.T) {
	r := fixture.Slider()
	r.Axes[0].Working.Jerk = 1e9
	rng := rand.New(rand.NewPCG(7, 27))
	closest := 0.0
	for n := range 60 {
		var kv []float64
		for f := 0.0; f <= 96; f += 24 + float64(rng.IntN(3))*12 {
			kv = append(kv, f, 100+rng.Float64()*800)
		}
		m := compiled(t, r, kv...)
		s := clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On,
			EaseMS: 200 + rng.Int64N(800), Law: n % 2}
		said := CheckOn(m, r, onClock(t, m, s), Working).Axes[0].Jerk.Max
		at := int64(0)
		for range 1 + rng.IntN(4) {
			at += rng.Int64N(900)
			to := rng.Int64N(241) - 120
			if rng.IntN(2) == 0 {
				to = 120 - rng.Int64N(12) // by very little
			}
			s.Steers = append(s.Steers, clock.Steer{MS: at, Num: to, Den: 120})
		}
		c := onClock(t, m, s)
		worst := 0.0
		for _, e := range c.Eases() {
			v, _ := inEase(m.Curves[0], e, 3)
			worst = max(worst, v)
		}
		closest = max(closest, worst/said)
		if worst > said*(1+1e-9) {
			t.Errorf("%+v over %v: said %.5g, steered it is %.5g", s, kv, said, worst)
		}
	}
	if closest < 0.3 {
		t.Errorf("nothing comes nearer than %.2f of what is said", closest)
	}
}
