package clock

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

func over(t *testing.T, s Spec, run Run, rate Rate) Clock {
	t.Helper()
	c, err := s.Over(run, rate)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func dueAt(t *testing.T, c Clock, want map[int64]float64) {
	t.Helper()
	for ms, f := range want {
		if got := c.At(ms, 1000).Frame(); math.Abs(got-f) > 1e-9 {
			t.Errorf("at %d ms: frame %.10g, want %.10g", ms, got, f)
		}
	}
}

// By hand: a hundred frames at 10 fps and a turn with two seconds to slow down in, which are
// ten frames, and two to gather speed again. Half-way through them three quarters and more
// are gone: 20·(1/2 − 1/8 + 1/32) of 10.
func TestEasedTurnByHand(t *testing.T) {
	c := over(t, Spec{Kind: Steady, Factor: Rate{1, 1}, Way: ThereAndBack, EaseMS: 2000}, Whole(0, 100), Rate{10, 1})
	dueAt(t, c, map[int64]float64{0: 0, 4500: 45, 9000: 90, 10_000: 98.125, 11_000: 100, 12_000: 98.125, 13_000: 90,
		17_500: 45, 22_000: 0, 30_000: 0})
	if c.Seconds() != 22 || len(c.Stops()) != 0 || c.MaxAcceleration() != 7.5 || c.MaxSpeed() != 10 {
		t.Errorf("%g s, stops %v, %g, %g", c.Seconds(), c.Stops(), c.MaxAcceleration(), c.MaxSpeed())
	}
	// A wait in the middle is no stop either, and the way between two waits too near is slower.
	c = over(t, Spec{Kind: Steady, Factor: Rate{1, 1}, Way: On, EaseMS: 2000, Waits: []Wait{{50, 1000}, {55, 500}}},
		Whole(0, 100), Rate{10, 1})
	dueAt(t, c, map[int64]float64{4000: 40, 6000: 50, 7000: 50, 9000: 52.5, 11_000: 55, 11_500: 55, 13_500: 65,
		17_000: 100})
	if c.Seconds() != 17 || len(c.Stops()) != 0 {
		t.Errorf("%g s, stops %v", c.Seconds(), c.Stops())
	}
	if lo, hi := c.Eases()[0].Over(); lo != 40 || hi != 50 {
		t.Errorf("the first ease is over %g to %g", lo, hi)
	}
}

func TestAroundByHand(t *testing.T) {
	for ms, want := range map[int64]bool{20: true,
		19: false} { // and at the end of the run, where nothing comes after it
		c := over(t, Spec{Kind: Steady, Factor: Rate{2, 3}, Way: On, CameraLocked: true, Waits: []Wait{{47, ms}}},
			Whole(0, 47), Rate{25, 1})
		if got := c.Pictured(47); len(got) != 1 || got[0] != want {
			t.Errorf("a last wait of %d ms: %v", ms, got)
		}
	}
	c := over(t, Spec{Kind: Steady, Factor: Rate{1, 1}, Way: Around, Times: 3}, Whole(0, 20), Rate{10, 1})
	dueAt(t, c, map[int64]float64{0: 0, 1900: 19, 2000: 0, 2100: 1, 4000: 0, 5999: 19.99, 6000: 20, 7000: 20})
	if v := c.TimesAt(5); len(v) != 3 || v[2].From != 4.5 {
		t.Errorf("frame 5: %v", v)
	}
	if v := c.TimesAt(20); len(v) != 1 || v[0].From != 6 {
		t.Errorf("the last pose: %v", v)
	}
	if v := c.TimesAt(0); len(v) != 3 || v[1].From != 2 || v[1].To != 2 {
		t.Errorf("the first: %v", v)
	}
	if c.Traits().Round != 20 || !slices.Equal(c.Stops(), []int{0, 20}) || c.Seconds() != 6 {
		t.Errorf("%+v, stops %v", c.Traits(), c.Stops())
	}
}

func TestStepsByHand(t *testing.T) {
	s := Spec{Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 5, IntervalMS: 1000, MoveMS: 400}
	c := over(t, s, Run{-4, 0, 10, 14}, Rate{24, 1}) // what gathers speed is no part of it
	dueAt(t, c, map[int64]float64{0: 0, 600: 0, 700: 2 * 3.0 / 32, 800: 1, 900: 2 * 29.0 / 32, 1000: 2, 1600: 2,
		4600: 8, 5000: 10, 9000: 10})
	if c.Seconds() != 5 || c.Ticks(1000) != 5000 || math.Abs(c.MaxSpeed()-10) > 1e-12 ||
		math.Abs(c.MaxAcceleration()-75) > 1e-9 {
		t.Errorf("%g s, %g fps, %g fps²", c.Seconds(), c.MaxSpeed(), c.MaxAcceleration())
	}
	if v := c.TimesAt(4); len(v) != 1 || v[0] != (Interval{2, 2.6}) {
		t.Errorf("frame 4: %v", v)
	}
	for f, want := range []bool{true, false, true, false, true} {
		if got := c.Pictured(f); len(got) != 1 || got[0] != want {
			t.Errorf("frame %d: %v", f, got)
		}
	}
	s.Way = Back
	b := over(t, s, Whole(0, 10), Rate{24, 1})
	for ms := int64(0); ms <= 5000; ms += 7 {
		if p, q := c.At(5000-ms, 1000), b.At(ms, 1000); p-q > 1 || q-p > 1 {
			t.Fatalf("backwards at %d ms: %g, forwards %g", ms, q.Frame(), p.Frame())
		}
	}
	// A week is possible, and its trace is kept at a row a second.
	s = Spec{Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 20_000, IntervalMS: 30_240, MoveMS: 3000}
	c = over(t, s, Whole(0, 240), Rate{24, 1})
	if c.Seconds() != 604800 || s.EveryMS(c) != 1000 {
		t.Errorf("%g s, a row every %d ms", c.Seconds(), s.EveryMS(c))
	}
}

func TestRowsOfATrace(t *testing.T) {
	for name, c := range map[string]struct {
		s    Spec
		want int64
	}{
		"ten seconds":   {Times(Rate{1, 1}), 1},
		"just under":    {Times(Rate{1, 120}), 1},
		"twice as long": {Times(Rate{1, 240}), 2},
		"a week":        {Spec{Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 20000, IntervalMS: 1000}, 1000},
		"it hardly stays": {Spec{Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 20000, IntervalMS: 1000,
			MoveMS: 970}, 10},
		"odd interval": {Spec{Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 20000, IntervalMS: 1005,
			MoveMS: 300}, 20},
		"steered": {Spec{Kind: Live, Factor: Rate{1, 100}, Way: On, Steers: []Steer{{0, 0, 1}}}, 1},
	} {
		c.s.Pictures = min(c.s.Pictures, MostPictures)
		if c.s.Kind == Crawling {
			c.s.IntervalMS = MostRun / int64(c.s.Pictures)
		}
		if got := c.s.EveryMS(over(t, c.s, Whole(0, 240), Rate{24, 1})); got != c.want {
			t.Errorf("%s: a row every %d ms, want %d", name, got, c.want)
		}
	}
}

// A crawling pass of n pictures takes picture k at k·span/n, forwards and backwards.
func TestCrawlByHand(t *testing.T) {
	s := Spec{Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 60, IntervalMS: 2000, DelayMS: 500}
	c := over(t, s, Run{-6, 0, 40, 43}, Rate{24, 1})
	// A third of a frame a second: 18 s of run-up, 120 s of pictures, 9 s of run-out.
	dueAt(t, c, map[int64]float64{500: -6, 18_500: 0, 20_500: 2.0 / 3, 138_500: 40, 147_500: 43})
	if c.Seconds() != 147.5 {
		t.Errorf("%g s", c.Seconds())
	}
	for _, way := range []Way{On, Back} {
		s.Way = way
		c = over(t, s, Run{-6, 0, 40, 43}, Rate{24, 1})
		for f := range 40 {
			if got := c.Pictured(f); len(got) != 1 || got[0] != (f%2 == 0) {
				t.Errorf("%s, frame %d: %v", way, f, got)
			}
		}
	}
}

// Which frames a camera of its own rate takes, against counting all of its pictures.
func TestPicturedFrames(t *testing.T) {
	for name, s := range map[string]Spec{
		"three times": {Factor: Rate{3, 1}, Way: On}, "a third": {Factor: Rate{1, 3}, Way: On},
		"three halves":   {Factor: Rate{3, 2}, Way: Back},
		"there and back": {Factor: Rate{2, 1}, Way: ThereAndBack, Times: 2}, "around": {Factor: Rate{4, 1},
			Way: Around, Times: 3},
		"waiting": {Factor: Rate{1, 1}, Way: On, Waits: []Wait{{10, 125}, {20, 140}, {30, 1000}}},
		"delayed": {Factor: Rate{1, 2}, Way: Back, DelayMS: 99},
		"eased":   {Factor: Rate{1, 1}, Way: ThereAndBack, EaseMS: 1000, Waits: []Wait{{12, 500}}},
	} {
		s.Kind, s.CameraLocked = Steady, true
		run := Run{-6, 0, 36, 36}
		c := over(t, s, run, Rate{24, 1})
		zero := max(c.TimesAt(0)[0].From, 0)
		for f := 0; f < 36; f++ {
			at := c.TimesAt(float64(f))
			for i, got := range c.Pictured(f) {
				want := false
				for k := -2000; k < 2000; k++ {
					x := zero + float64(k)/24
					want = want || x >= at[i].From-1e-9 && x <= at[i].To+1e-9
				}
				if got != want {
					t.Errorf("%s: visit %d of frame %d (%v) a picture: %t, want %t", name, i, f, at[i], got, want)
				}
			}
		}
	}
	// A camera that keeps step takes them all.
	if got := over(t, spec(ThereAndBack, Wait{3, 77}), Whole(0, 10), Rate{24, 1}).Pictured(3); !slices.Equal(got,
		[]bool{true, true}) {
		t.Errorf("%v", got)
	}
}

// However it was steered: back at the path's rate every whole frame falls on a picture of the
// camera again, at an nth of it on every nth, and standing still it stands on a whole frame.
func TestSteeredComesBackOntoFrames(t *testing.T) {
	rng := rand.New(rand.NewPCG(12, 8))
	for n := range 300 {
		rate := []Rate{{24, 1}, {24000, 1001}, {25, 1}}[n%3]
		s := Spec{Kind: Live, Factor: Rate{2, 1}, Way: On, EaseMS: 400}
		at := int64(0)
		for range rng.IntN(6) {
			at += rng.Int64N(1500)
			s.Steers = append(s.Steers, Steer{at, rng.Int64N(481) - 240, 120})
		}
		last := []Steer{{0, 1, 1}, {0, 1, 3}, {0, 2, 1}, {0, -1, 2}, {0, 0, 1}}[n%5]
		last.MS = at + 3000
		s.Steers = append(s.Steers, last)
		c, err := s.Over(Run{-12, 0, 100_000, 100_012}, rate)
		if err != nil {
			t.Fatal(err)
		}
		// The camera's pictures, counted from its first of frame 0.
		zero := 12 / (2 * rate.Float())
		after := last.MS/1000 + 10
		whole := 0
		for k := int64(float64(after) * rate.Float()); k < int64(float64(after)*rate.Float())+12; k++ {
			f := c.FrameAt(zero + float64(k)/rate.Float())
			if math.Abs(f-math.Round(f)) < 1e-6 {
				whole++
			}
		}
		want := map[int]int{0: 12, 1: 4, 2: 12, 3: 6, 4: 12}[n%5]
		if f := c.FrameAt(float64(after + 2)); f <= -12 { // it was turned back to its start
			continue
		}
		if whole != want {
			t.Fatalf("%+v: %d of 12 pictures are whole frames, want %d", s.Steers, whole, want)
		}
	}
}

// A thousand changes of speed stay exact and quick: the numbers do not grow without end.
func TestAThousandSteers(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	s := Spec{Kind: Live, Factor: Rate{2, 1}, Way: On, EaseMS: 400}
	for k := range MostSteers {
		s.Steers = append(s.Steers, Steer{int64(k) * 600, rng.Int64N(280) - 40, 120})
	}
	c := over(t, s, Whole(0, 1_000_000), Rate{24000, 1001})
	p := &c.(*live).all[len(c.(*live).all)-2]
	if bits := max(p.start.Denom().BitLen(), p.from.Denom().BitLen(), p.start.Num().BitLen()); bits > 2000 ||
		len(c.(*live).all) < 1500 {
		t.Errorf("%d phases, numbers of %d bits", len(c.(*live).all), bits)
	}
	if f := c.At(599_000, 1000).Frame(); math.Abs(f-c.FrameAt(599)) > 1e-6 || f < 1000 {
		t.Errorf("at the end it is at %g, %g", f, c.FrameAt(599))
	}
}

func TestSteering(t *testing.T) {
	s := Spec{Kind: Live, Factor: Rate{1, 1}, Way: On}
	run := Whole(0, 240)
	plain := over(t, s, run, Rate{24, 1})
	if plain.Seconds() != 10 || plain.At(5000, 1000) != 120<<32 {
		t.Errorf("never steered: %g s", plain.Seconds())
	}
	if tr := plain.Traits(); !tr.Backward || tr.Free != 36 || plain.MaxAcceleration() != 36 || plain.MaxSpeed() != 24 {
		t.Errorf("%+v", tr)
	}
	// To a half at one second: from 24 to 12 in at least half a second, which are 9 frames,
	// to frame 33 at 1.5 s; 12·1.5 − 33 is whole in halves, so no longer is needed.
	half, err := s.Steered(1000, 1, 2)
	if err != nil {
		t.Fatal(err)
	}
	dueAt(t, over(t, half, run, Rate{24, 1}), map[int64]float64{1000: 24, 1500: 33, 2500: 45})
	if len(s.Steers) != 0 {
		t.Error("the clock that is steered is another one")
	}
	// Stopped it does not end, and is steered on; turned back it waits at its start.
	still, _ := half.Steered(3000, 0, 1)
	c := over(t, still, run, Rate{24, 1})
	if p := c.At(60_000, 1000); p != c.At(90_000, 1000) || p&(One-1) != 0 || p.Frame() < 51 || p.Frame() > 56 {
		t.Errorf("stopped at %g", p.Frame())
	}
	back, _ := still.Steered(10_000, -1, 1)
	if c = over(t, back, run, Rate{24, 1}); c.At(60_000, 1000) != 0 {
		t.Errorf("turned back it is at %g", c.At(60_000, 1000).Frame())
	}
	again, _ := back.Steered(60_000, 1, 1)
	if c = over(t, again, run, Rate{24, 1}); c.At(80_000, 1000) != 240<<32 || c.Seconds() > 71.5 {
		t.Errorf("on again it is at %g, over at %g s", c.At(80_000, 1000).Frame(), c.Seconds())
	}
	// What would only be over beyond the end is left out.
	late, _ := s.Steered(9900, 1, 4)
	if c = over(t, late, run, Rate{24, 1}); c.Seconds() != 10 {
		t.Errorf("steered too late it takes %g s", c.Seconds())
	}
	if _, err := s.Steered(0, 3, 2); err == nil {
		t.Error("faster than it is made for")
	}
	if _, err := Times(Rate{1, 1}).Steered(0, 1, 2); err == nil {
		t.Error("a steady clock is steered")
	}
	if !again.Same(again) || again.Same(back) {
		t.Error("which clocks are the same")
	}
}

// However it is steered, also turned round just before an end, it never leaves its run.
func TestSteeredStaysOnItsRun(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 27))
	turned := 0
	for range 200 {
		run := []Run{Whole(0, 24), {-6, 0, 24, 30}, {-3, 0, 60, 60}}[rng.IntN(3)]
		s := Spec{Kind: Live, Factor: Rate{1 + rng.Int64N(2), 1}, Way: On, EaseMS: 100 + rng.Int64N(900)}
		at := int64(0)
		for range 1 + rng.IntN(5) {
			at += rng.Int64N(1200)
			s.Steers = append(s.Steers, Steer{at, rng.Int64N(241) - 120, 120})
		}
		c := over(t, s, run, Rate{24, 1})
		back := false
		for k := int64(0); k < 8000; k += 4 {
			f := c.At(k, 1000).Frame()
			if f < float64(run.Start)-1e-6 || f > float64(run.End)+1e-6 {
				t.Fatalf("%+v on %+v: at %d ms it is at frame %g", s, run, k, f)
			}
			back = back || k > 0 && f < c.At(k-4, 1000).Frame()
		}
		if back {
			turned++
		}
	}
	if turned < 20 {
		t.Errorf("only %d were turned round", turned)
	}
}

// However small a change is, it is given its least time.
func TestASmallChangeIsNotSudden(t *testing.T) {
	for _, num := range []int64{239, 238, 230} {
		s := Spec{Kind: Live, Factor: Rate{1, 1}, Way: On, EaseMS: 200}
		s, err := s.Steered(1000, num, 240)
		if err != nil {
			t.Fatal(err)
		}
		eases := over(t, s, Whole(0, 2400), Rate{24, 1}).Eases()
		if len(eases) != 1 || eases[0].Seconds < 0.1-1e-12 {
			t.Errorf("to %d/240: %+v", num, eases)
		}
	}
}

// By law 1 no change has more than six times the whole speed over the ease² of jerk, nor more
// than before of acceleration.
func TestTheRoughnessOfSteering(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for range 300 {
		s := Spec{Kind: Live, Factor: Rate{1 + rng.Int64N(3), 1 + rng.Int64N(2)}, Way: On,
			EaseMS: 100 + rng.Int64N(3000), Law: 1}
		at := int64(0)
		for range 1 + rng.IntN(5) {
			at += rng.Int64N(4000)
			to := rng.Int64N(481) - 240
			s.Steers = append(s.Steers, Steer{at, to * s.Factor.Num, 240 * s.Factor.Den})
		}
		c := over(t, s, Run{-24, 0, 480, 500}, Rate{24, 1})
		most, ease := c.MaxSpeed(), float64(s.EaseMS)/1000
		tr := c.Traits()
		if tr.Jolt != 6*most/(ease*ease) || tr.Free != 1.5*most/ease {
			t.Fatalf("%+v: %+v", s, tr)
		}
		for _, e := range c.Eases() {
			d := math.Abs(e.V1 - e.V0)
			if 1.5*d/e.Seconds > tr.Free*(1+1e-9) || 6*d/(e.Seconds*e.Seconds) > tr.Jolt*(1+1e-9) {
				t.Errorf("%+v: from %g to %g in %g s", s, e.V0, e.V1, e.Seconds)
			}
		}
	}
	for _, bad := range []Spec{{Kind: Live, Factor: Rate{1, 1}, Way: On, Law: 2},
		{Kind: Live, Factor: Rate{1, 1}, Way: On, Law: -1}, {Kind: Steady, Factor: Rate{1, 1}, Way: On, Law: 1}} {
		if bad.Check() == nil {
			t.Errorf("%+v is a clock", bad)
		}
	}
	if Begin(Live, Times(Rate{1, 1}), 48).Law != NewestLaw || Begin(Steady, Spec{Kind: Live, Law: 1}, 48).Law != 0 {
		t.Error("a live clock begins by an old law, or another keeps one")
	}
	if a := (Spec{Kind: Live, Factor: Rate{1, 1}, Law: 1}); a.Same(Spec{Kind: Live, Factor: Rate{1, 1}}) {
		t.Error("two laws are the same clock")
	}
}

// By law 1 the first frame lies on a picture however it was steered in the run-up, as long as it
// went on forward; by law 0 it did not.
func TestTheFirstFrameIsPictured(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 8))
	missed := [2]int{}
	for range 400 {
		s := Spec{Kind: Live, Factor: []Rate{{1, 1}, {2, 1}, {3, 2}}[rng.IntN(3)], Way: On,
			EaseMS: 100 + rng.Int64N(900)}
		at := int64(0)
		for range 1 + rng.IntN(4) {
			at += rng.Int64N(700)
			s.Steers = append(s.Steers, Steer{at, (1 + rng.Int64N(240)) * s.Factor.Num, 240 * s.Factor.Den})
		}
		run := Run{-12 - rng.IntN(40), 0, 96, 110}
		for law := range 2 {
			s.Law = law
			c := over(t, s, run, Rate{24, 1})
			if p := c.Pictured(0); len(p) != 1 {
				t.Fatalf("%+v: it is at the first frame %d times", s, len(p))
			} else if !p[0] {
				missed[law]++
			}
			for k := int64(1); k < 6000; k += 61 { // and goes on without a step back
				if a, b := c.At(k-1, 1000).Frame(), c.At(k, 1000).Frame(); b < a-1e-9 {
					t.Fatalf("%+v: back from %g to %g at %d ms", s, a, b, k)
				}
			}
		}
	}
	if missed[1] != 0 || missed[0] < 40 {
		t.Errorf("the first frame was between two pictures %v times by law 0 and 1", missed)
	}
}

// A picture that is due just when a wait ends is taken in it; laps of a closed move go through
// where they meet, and are no turns.
func TestEndsOfWaitsAndLaps(t *testing.T) {
	for ms, want := range map[int64]bool{20: true, 19: false, 21: true} {
		c := over(t, Spec{Kind: Steady, Factor: Rate{2, 3}, Way: On, CameraLocked: true, Waits: []Wait{{1, ms}}},
			Whole(0, 48), Rate{25, 1})
		if got := c.Pictured(1); len(got) != 1 || got[0] != want { // there at 60 ms; pictures every 40
			t.Errorf("a wait of %d ms: %v", ms, got)
		}
	}
	for ms, want := range map[int64]bool{20: true,
		19: false} { // and at the end of the run, where nothing comes after it
		c := over(t, Spec{Kind: Steady, Factor: Rate{2, 3}, Way: On, CameraLocked: true, Waits: []Wait{{47, ms}}},
			Whole(0, 47), Rate{25, 1})
		if got := c.Pictured(47); len(got) != 1 || got[0] != want {
			t.Errorf("a last wait of %d ms: %v", ms, got)
		}
	}
	c := over(t, Spec{Kind: Steady, Factor: Rate{1, 1}, Way: Around, Times: 3, EaseMS: 500}, Whole(0, 48), Rate{24, 1})
	if c.Seconds() != 6 || len(c.Eases()) != 0 || len(c.Stops()) > 2 {
		t.Errorf("three laps of two seconds take %g, with %d eases and %v", c.Seconds(), len(c.Eases()), c.Stops())
	}
}
