package clock

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"keenarc/core/known"
)

func spec(way Way, waits ...Wait) Spec {
	return Spec{Kind: Steady, Factor: Rate{1, 1}, Way: way, Waits: waits}
}

// Every clock keeps the laws: a time lies in the intervals of the frame that is due
// then; positions agree with real frames, stay in the run, and change no faster
// than MaxSpeed; the run is over after Ticks.
func TestLawsOfEveryClock(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 3))
	type one struct {
		s           Spec
		first, last int
		rate        Rate
	}
	for name, c := range map[string]one{
		"on":                  {spec(On), -12, 90, Rate{24000, 1001}},
		"back":                {spec(Back), -12, 90, Rate{24, 1}},
		"there and back":      {spec(ThereAndBack), 0, 240, Rate{24, 1}},
		"waiting":             {spec(On, Wait{-5, 1500}, Wait{40, 333}, Wait{90, 20}), -12, 90, Rate{25, 1}},
		"waiting at the turn": {spec(ThereAndBack, Wait{0, 700}, Wait{7, 1}, Wait{30, 2000}), 0, 30, Rate{30000, 1001}},
		"waiting backwards":   {spec(Back, Wait{3, 250}), 0, 9, Rate{1, 3}},
		"slow":                {Spec{Kind: Steady, Factor: Rate{1, 7}, Way: ThereAndBack}, 5, 8, Rate{24, 1}},
		"no length":           {spec(Back), 4, 4, Rate{24, 1}},
		"delayed":             {Spec{Kind: Steady, Factor: Rate{1, 1}, Way: On, DelayMS: 2345}, -3, 40, Rate{24, 1}},
		"delayed backwards": {Spec{Kind: Steady, Factor: Rate{2, 3}, Way: Back, DelayMS: 1,
			Waits: []Wait{{5, 99}, {40, 10}}}, -3, 40, Rate{24, 1}},
		"three times": {Spec{Kind: Steady, Factor: Rate{3, 1}, Way: ThereAndBack, Times: 3, DelayMS: 500,
			Waits: []Wait{{0, 250}, {12, 800}, {40, 30}}}, 0, 40, Rate{24000, 1001}},
		"eased": {Spec{Kind: Steady, Factor: Rate{1, 1}, Way: On, EaseMS: 700,
			Waits: []Wait{{10, 400}, {60, 1}, {61, 2000}}}, -7, 90, Rate{30000, 1001}},
		"eased turns": {Spec{Kind: Steady, Factor: Rate{5, 3}, Way: ThereAndBack, Times: 2, EaseMS: 1250,
			DelayMS: 10}, 0, 100, Rate{24, 1}},
		"eased, hardly room": {Spec{Kind: Steady, Factor: Rate{1, 1}, Way: ThereAndBack, Times: 3, EaseMS: 60000}, 0, 3,
			Rate{24, 1}},
		"eased backwards": {Spec{Kind: Steady, Factor: Rate{1, 2}, Way: Back, EaseMS: 100, Waits: []Wait{{12, 40}}},
			-7, 90, Rate{25, 1}},
		"around": {Spec{Kind: Steady, Factor: Rate{1, 1}, Way: Around, Times: 4, DelayMS: 33}, 0, 48,
			Rate{24000, 1001}},
		"around, waiting": {Spec{Kind: Steady, Factor: Rate{1, 1}, Way: Around, Times: 2, EaseMS: 300,
			Waits: []Wait{{0, 500}, {20, 100}, {48, 70}}}, 0, 48, Rate{24, 1}},
		"locked": {Spec{Kind: Steady, Factor: Rate{2, 3}, Way: ThereAndBack, CameraLocked: true, DelayMS: 77,
			Waits: []Wait{{30, 90}}}, -5, 48, Rate{24, 1}},
		"locked, on": {Spec{Kind: Steady, Factor: Rate{3, 2}, Way: On, CameraLocked: true}, -5, 48, Rate{24, 1}},
		"stepped": {Spec{Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 36, IntervalMS: 5000,
			MoveMS: 1700}, 0, 48, Rate{24, 1}},
		"stepped back": {Spec{Kind: Stepped, Factor: Rate{1, 1}, Way: Back, Pictures: 17, IntervalMS: 2000,
			MoveMS: 1999}, 3, 48, Rate{24, 1}},
		"crawling": {Spec{Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 700, IntervalMS: 9999,
			DelayMS: 5}, 3, 48, Rate{24, 1}},
		"crawling back": {Spec{Kind: Crawling, Factor: Rate{1, 1}, Way: Back, Pictures: 90, IntervalMS: 1000}, 3,
			48, Rate{24, 1}},
		"live": {Spec{Kind: Live, Factor: Rate{1, 1}, Way: On}, -3, 48, Rate{24, 1}},
		"steered": {Spec{Kind: Live, Factor: Rate{1, 1}, Way: On, EaseMS: 500,
			Steers: []Steer{{400, 1, 3}, {900, 1, 1}, {950, 1, 2}, {3000, -1, 8}, {6000, 0, 1}, {7000, 2, 3},
				{8000, 1, 1}}}, -3, 148, Rate{24000, 1001}},
		"steered by law 1": {Spec{Kind: Live, Factor: Rate{1, 1}, Way: On, EaseMS: 500, Law: 1,
			Steers: []Steer{{20, 1, 3}, {900, 1, 1}, {950, 1, 2}, {3000, -1, 8}, {6000, 0, 1}, {7000, 2, 3},
				{8000, 1, 1}}}, -3, 148, Rate{24000, 1001}},
		"steered to an end": {Spec{Kind: Live, Factor: Rate{3, 1}, Way: On, Steers: []Steer{{100, -1, 1}, {300, -3, 1},
			{9000, 1, 2}, {9001, 1, 10}}}, 0, 148, Rate{24, 1}},
	} {
		k, err := c.s.Over(Whole(c.first, c.last), c.rate)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		all := k.Seconds()
		for range 2000 {
			at := rng.Float64() * all
			f := k.FrameAt(at)
			if f < float64(c.first) || f > float64(c.last) {
				t.Fatalf("%s: frame %g at %g s is outside the run", name, f, at)
			}
			// Where it hardly moves the time is known as well as the frame is.
			if !slices.ContainsFunc(k.TimesAt(f), func(v Interval) bool {
				return at >= v.From-1e-9 && at <= v.To+1e-9 || math.Abs(at-v.From) < 0.1 &&
					math.Abs(k.FrameAt(v.From)-f) < 1e-9 || math.Abs(at-v.To) < 0.1 &&
					math.Abs(k.FrameAt(v.To)-f) < 1e-9
			}) {
				t.Fatalf("%s: frame %g is due at %g s and TimesAt says %v", name, f, at, k.TimesAt(f))
			}
			tick := rng.Int64N(int64(all*1000) + 1)
			if d := k.At(tick, 1000).Frame() - k.FrameAt(float64(tick)/1000); math.Abs(d) > 1e-8 {
				t.Fatalf("%s: at tick %d the position is %g frames from the frame", name, tick, d)
			}
			f0, f1, f2 := k.At(tick, 1000).Frame(), k.At(tick+1, 1000).Frame(), k.At(tick+2, 1000).Frame()
			again := k.Traits().Round > 0 && (f1 < f0 || f2 < f1)
			if v := math.Abs(f1-f0) * 1000; !again && v > k.MaxSpeed()*(1+1e-6)+5e-7 {
				t.Fatalf("%s: %g frames a second at tick %d, at most %g were promised", name, v, tick, k.MaxSpeed())
			}
			// Where it changes its speed at once is a stop, or an end of the run.
			near := func(n int) bool { return math.Abs(f1-float64(n)) <= k.MaxSpeed()*2e-3 }
			if a := math.Abs(f2-2*f1+f0) * 1e6; !again && a > k.MaxAcceleration()*(1+1e-6)+1e-3 &&
				!slices.ContainsFunc(k.Stops(), near) && !near(c.first) && !near(c.last) {
				t.Fatalf("%s: %g frames a second² at tick %d (%g), at most %g were promised", name, a, tick, f1,
					k.MaxAcceleration())
			}
			if f1 > f0 && !again && !k.Traits().Forward || f1 < f0 && !again && !k.Traits().Backward {
				t.Fatalf("%s: it goes %g to %g and its traits are %+v", name, f0, f1, k.Traits())
			}
		}
		eases := 0.0
		for _, e := range k.Eases() {
			gone, _, _ := e.Gone(0.3)
			if got := k.FrameAt(e.At + 0.3*e.Seconds); math.Abs(got-e.From-gone) > 1e-9*(1+e.At) {
				t.Fatalf("%s: an ease from %g is at %g where the clock is at %g", name, e.From, e.From+gone, got)
			}
			_, _, a := e.Gone(0.5)
			eases = max(eases, math.Abs(a))
		}
		if _, isLive := k.(*live); !isLive && math.Abs(eases-k.MaxAcceleration()) > 1e-9*eases ||
			eases > k.MaxAcceleration()*(1+1e-9) {
			t.Errorf("%s: its eases come to %g, it promises %g", name, eases, k.MaxAcceleration())
		}
		for f := c.first; f <= c.last; f++ {
			if got, want := len(k.Pictured(f)), len(k.TimesAt(float64(f))); got != want {
				t.Fatalf("%s: frame %d has %d visits of which %d are said to be pictures or not", name, f, want, got)
			}
		}
		n := k.Ticks(1000)
		if end := k.At(n, 1000); end != k.At(n+1_000_000_000, 1000) || n > 0 && end == k.At(n-1, 1000) &&
			len(c.s.Waits) == 0 && c.s.EaseMS == 0 && c.s.Kind != Stepped {
			t.Errorf("%s: the run is not over after exactly %d ticks", name, n)
		}
	}
}

// Backwards is the mirror of forwards, tick by tick, on every known clock.
func TestBackwardsIsTheMirror(t *testing.T) {
	for _, k := range known.Clocks {
		s := Spec{Kind: Steady, Factor: Rate{k.Factor[0], k.Factor[1]}, Way: Back}
		c, err := s.Over(Whole(k.First, k.Last), Rate{k.Path[0], k.Path[1]})
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range k.Due {
			if got, want := c.At(d[0], k.Hz), (Pos(k.First)+Pos(k.Last))<<32-Pos(d[1]); got != want {
				t.Errorf("%v at tick %d: %d, want %d", k.Path, d[0], got, want)
			}
		}
		if n := c.Ticks(k.Hz); n != k.Ticks {
			t.Errorf("%v takes %d ticks, want %d", k.Path, n, k.Ticks)
		}
	}
}

// By hand: ten frames at 10 fps, half a second at frame 4, there and back with a
// second at the turn.
func TestWaitsByHand(t *testing.T) {
	c, err := spec(ThereAndBack, Wait{4, 500}, Wait{10, 1000}).Over(Whole(0, 10), Rate{10, 1})
	if err != nil {
		t.Fatal(err)
	}
	for tick, want := range map[int64]float64{-3: 0, 0: 0, 400: 4, 650: 4, 900: 4, 1000: 5, 1500: 10, 2000: 10,
		2500: 10, 2600: 9, 3100: 4, 3600: 4, 3700: 3, 4000: 0, 5000: 0} {
		if got := c.At(tick, 1000).Frame(); got != want {
			t.Errorf("tick %d: frame %g, want %g", tick, got, want)
		}
	}
	if c.Seconds() != 4 || c.Ticks(1000) != 4000 || c.Ticks(3) != 12 {
		t.Errorf("%g s, %d ms, %d thirds", c.Seconds(), c.Ticks(1000), c.Ticks(3))
	}
	inf := math.Inf(1)
	for f, want := range map[float64][]Interval{0: {{-inf, 0}, {4, inf}}, 4: {{0.4, 0.9}, {3.1, 3.6}}, 10: {{1.5, 2.5}},
		7: {{1.2, 1.2}, {2.8, 2.8}}, 11: nil, -0.1: nil} {
		got := c.TimesAt(f)
		if len(got) != len(want) {
			t.Errorf("frame %g: %v, want %v", f, got, want)
			continue
		}
		for i := range want {
			if !(math.Abs(got[i].From-want[i].From) < 1e-12 || got[i].From == want[i].From) ||
				!(math.Abs(got[i].To-want[i].To) < 1e-12 || got[i].To == want[i].To) {
				t.Errorf("frame %g: %v, want %v", f, got, want)
			}
		}
	}
	if s := c.Stops(); !slices.Equal(s, []int{4, 10}) {
		t.Errorf("stops at %v", s)
	}
}

// By hand: a second of delay, ten frames at 10 fps there and back twice, half a second at the
// near end each time it is there between.
func TestTimesAndDelayByHand(t *testing.T) {
	s := spec(ThereAndBack, Wait{0, 500})
	s.Times, s.DelayMS = 2, 1000
	c, err := s.Over(Whole(0, 10), Rate{10, 1})
	if err != nil {
		t.Fatal(err)
	}
	// 1 s delay, 0.5 s wait, there, back, 0.5 s wait, there, back, 0.5 s wait
	for tick, want := range map[int64]float64{0: 0, 1000: 0, 1400: 0, 1600: 1, 2500: 10, 2600: 9, 3500: 0, 3900: 0,
		4100: 1, 5000: 10, 6000: 0, 9000: 0} {
		if got := c.At(tick, 1000).Frame(); got != want {
			t.Errorf("tick %d: frame %g, want %g", tick, got, want)
		}
	}
	if v := c.TimesAt(10); len(v) != 2 || math.Abs(v[0].From-2.5) > 1e-12 || math.Abs(v[1].To-5) > 1e-12 {
		t.Errorf("the far end: %v", v)
	}
	if v := c.TimesAt(0); len(v) != 3 || !math.IsInf(v[0].From, -1) || math.Abs(v[0].To-1.5) > 1e-12 ||
		math.Abs(v[1].From-3.5) > 1e-12 || math.Abs(v[1].To-4) > 1e-12 || !math.IsInf(v[2].To, 1) {
		t.Errorf("the near end: %v", v)
	}
	if s.Same(spec(ThereAndBack, Wait{0, 500})) || !s.Same(s) {
		t.Error("which clocks are the same")
	}
}

// The largest rates that are accepted neither overflow nor lose a unit.
func TestExtremeLegs(t *testing.T) {
	s := Spec{Kind: Steady, Factor: Rate{999_999_999, 1_000_000_000}, Way: Back, Waits: []Wait{{500_000, MostWait}}}
	c := s.lay(Whole(-1_000_000, 1_000_000), Rate{1, 1_000_000_000})
	if _, err := s.Over(Whole(-1_000_000, 1_000_000), Rate{1, 1_000_000_000}); err == nil ||
		!strings.Contains(err.Error(), "a week") {
		t.Errorf("16 million years: %v", err)
	}
	if p := c.At(1<<40, 48000); p <= 0 || p > 1_000_000<<32 {
		t.Errorf("position %d", p)
	}
	if c.At(math.MaxInt64, 1) != -1_000_000<<32 {
		t.Errorf("at the end of time: %d", c.At(math.MaxInt64, 1))
	}
	if c.Ticks(math.MaxInt64) != math.MaxInt64 {
		t.Error("more ticks than there are")
	}
}

func TestSpecRefuses(t *testing.T) {
	many := make([]Wait, MostWaits+1)
	for i := range many {
		many[i] = Wait{i, 1}
	}
	for want, s := range map[string]Spec{
		"is not a kind":   {Kind: "wild", Factor: Rate{1, 1}, Way: On},
		"give on, back":   {Kind: Steady, Factor: Rate{1, 1}, Way: "up"},
		"factor":          {Kind: Steady, Way: On},
		"at most 100":     spec(On, many...),
		"0 ms at frame 3": spec(On, Wait{3, 0}),
		"3600001 ms":      spec(On, Wait{3, MostWait + 1}),
		"rising order":    spec(On, Wait{3, 1}, Wait{3, 1}),
		"outside the run": spec(On, Wait{11, 1}),
		"give 0 to 10":    spec(On, Wait{-1, 1}),
		"delay: -1":       {Kind: Steady, Factor: Rate{1, 1}, Way: On, DelayMS: -1},
		"delay: 3600001":  {Kind: Steady, Factor: Rate{1, 1}, Way: On, DelayMS: MostWait + 1},
		"give 1 to 100":   {Kind: Steady, Factor: Rate{1, 1}, Way: ThereAndBack, Times: MostTimes + 1},
		"times: 2 of a":   {Kind: Steady, Factor: Rate{1, 1}, Way: Back, Times: 2},
		"ease: 60001":     {Kind: Steady, Factor: Rate{1, 1}, Way: On, EaseMS: MostEase + 1},
		"pictures: 3":     {Kind: Steady, Factor: Rate{1, 1}, Way: On, Pictures: 3},
		"is steered":      {Kind: Steady, Factor: Rate{1, 1}, Way: On, Steers: []Steer{{0, 1, 1}}},
		"pictures: 0":     {Kind: Stepped, Factor: Rate{1, 1}, Way: On, IntervalMS: 5, MoveMS: 2},
		"a week in all":   {Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 2, IntervalMS: MostRun},
		"stands for the":  {Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 2, IntervalMS: 5, MoveMS: 5},
		"never stands":    {Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 2, IntervalMS: 5, MoveMS: 1},
		"way: there": {Kind: Stepped, Factor: Rate{1, 1}, Way: ThereAndBack, Pictures: 2,
			IntervalMS: 5, MoveMS: 1},
		"leave them out": {Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 2, IntervalMS: 5, EaseMS: 3},
		"before a step": {Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 2, IntervalMS: 5, MoveMS: 1,
			DelayMS: 4},
		"way: back":       {Kind: Live, Factor: Rate{1, 1}, Way: Back},
		"while it runs":   {Kind: Live, Factor: Rate{1, 1}, Way: On, DelayMS: 1},
		"ease: 99 ms":     {Kind: Live, Factor: Rate{1, 1}, Way: On, EaseMS: 99},
		"made for 1 at":   {Kind: Live, Factor: Rate{1, 1}, Way: On, Steers: []Steer{{0, -102, 100}}},
		"a 240th of that": {Kind: Live, Factor: Rate{1, 1}, Way: On, Steers: []Steer{{0, 1, 7}}},
		"in rising order": {Kind: Live, Factor: Rate{1, 1}, Way: On, Steers: []Steer{{5, 1, 2}, {4, 1, 1}}},
		"steers: 1/0":     {Kind: Live, Factor: Rate{1, 1}, Way: On, Steers: []Steer{{5, 1, 0}}},
		"at most 1000":    {Kind: Live, Factor: Rate{1, 1}, Way: On, Steers: make([]Steer, MostSteers+1)},
	} {
		if _, err := s.Over(Whole(0, 10), Rate{24, 1}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	if _, err := spec(On).Over(Whole(0, 10), Rate{}); err == nil {
		t.Error("no rate: accepted")
	}
	if _, err := spec(On, Wait{0, MostWait}, Wait{10, 1}).Over(Whole(0, 10), Rate{24, 1}); err != nil {
		t.Error(err)
	}
	if a, b := Times(Rate{2, 4}), spec(On); a.Same(b) || !a.Same(Times(Rate{1, 2})) || spec(On).Same(spec(Back)) ||
		spec(On).Same(spec(On, Wait{1, 1})) {
		t.Error("which clocks are the same")
	}
}

func TestWordsOfAClock(t *testing.T) {
	for want, s := range map[string]Spec{
		"×1":                            Times(Rate{1, 1}),
		"×0.5, there and back 3 times":  {Kind: Steady, Factor: Rate{1, 2}, Way: ThereAndBack, Times: 3},
		"×2, back, waits 1.5 s at 0070": {Kind: Steady, Factor: Rate{2, 1}, Way: Back, Waits: []Wait{{70, 1500}}},
		"×1, waits 1 s at 0001, waits 1 s at 0002, waits 1 s at 0003, 2 waits more": {Kind: Steady,
			Factor: Rate{1, 1}, Way: On,
			Waits: []Wait{{1, 1000}, {2, 1000}, {3, 1000}, {4, 1000}, {5, 1000}}},
		"×1, sets out after 2 s, eases over 0.4 s, the camera at its own rate": {Kind: Steady, Factor: Rate{1, 1},
			Way: On, DelayMS: 2000, EaseMS: 400, CameraLocked: true},
		"stepped, 24 pictures, one every 2 s, moving for 0.5 s of it": {Kind: Stepped, Factor: Rate{1, 1}, Way: On,
			Pictures: 24, IntervalMS: 2000, MoveMS: 500},
		"crawling, 24 pictures, one every 2 s": {Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 24,
			IntervalMS: 2000},
		"live, up to ×2, steered once": {Kind: Live, Factor: Rate{2, 1}, Way: On, Steers: []Steer{{100, 1, 1}}},
	} {
		if got := s.Words(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

func TestLowestTerms(t *testing.T) {
	for r, want := range map[Rate]Rate{{500, 1000}: {1, 2}, {1, 2}: {1, 2}, {24000, 1001}: {24000, 1001},
		{7, 7}: {1, 1}, {1000, 250}: {4, 1}} {
		if got := r.Lowest(); got != want {
			t.Errorf("%v is %v", r, got)
		}
	}
	s := Spec{Kind: Live, Factor: Rate{1, 1}, Way: On}
	for _, x := range [][4]int64{{120, 240, 1, 2}, {-60, 240, -1, 4}, {0, 240, 0, 1}} {
		if got, err := s.Steered(100, x[0], x[1]); err != nil || got.Steers[0].Num != x[2] ||
			got.Steers[0].Den != x[3] {
			t.Errorf("%v: %+v, %v", x, got.Steers, err)
		}
	}
}
