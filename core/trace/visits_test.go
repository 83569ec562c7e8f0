package trace

import (
	"math"
	"slices"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// run10 is a trace of one axis on a clock, in units that are the frame itself plus
// what shift adds at a time.
func onClock(t *testing.T, s clock.Spec, shift func(ms int64, frame float64) float64) (*Trace, clock.Clock) {
	t.Helper()
	c, err := s.Over(clock.Whole(0, 10), clock.Rate{Num: 24, Den: 1})
	if err != nil {
		t.Fatal(err)
	}
	tr := &Trace{Axes: []string{"a"}, Units: []rig.Ratio{{Num: 1000, Den: 1}}, Steps: make([][]int32, 1)}
	for ms := int64(0); ms <= c.Ticks(1000); ms++ {
		p := c.At(ms, 1000)
		tr.Pos = append(tr.Pos, p)
		tr.Steps[0] = append(tr.Steps[0], int32(math.Round((p.Frame()+shift(ms, p.Frame()))*1000*256)))
	}
	return tr, c
}

// Frames that are passed twice have two visits, with the poses of each; a wait is
// one, with a beginning and an end.
func TestVisits(t *testing.T) {
	later := func(ms int64, _ float64) float64 { return float64(ms) }
	tr, c := onClock(t, clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.ThereAndBack,
		Waits: []clock.Wait{{Frame: 4, MS: 300}, {Frame: 10, MS: 50}}}, later)
	v := tr.ByVisit(0)
	for f := -1; f <= 11; f++ {
		if got, want := v.Visits(f), len(c.TimesAt(float64(f))); got != want {
			t.Errorf("frame %d: %d visits, the clock has %d", f, got, want)
		}
		for n, at := range c.TimesAt(float64(f)) {
			for _, late := range []bool{false, true} {
				want := max(at.From, 0)
				if late {
					want = min(at.To, c.Seconds())
				}
				got := make([]float64, 1)
				if !v.AtVisit(got, f, n, late) || math.Abs(got[0]-float64(f)-want*1000) > 1.5 {
					t.Errorf("frame %d, visit %d, late %v: %g, want %g", f, n, late, got[0], float64(f)+want*1000)
				}
			}
		}
	}
	if v.AtVisit(make([]float64, 1), 3, 2, false) || v.AtVisit(make([]float64, 1), 3, -1, false) {
		t.Error("a visit that was not")
	}
	down, _ := onClock(t, clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.Back},
		func(int64, float64) float64 { return 0 })
	got := make([]float64, 1)
	for f := range 11 {
		if v := down.ByVisit(0); v.Visits(f) != 1 || !v.AtVisit(got, f, 0, false) ||
			math.Abs(got[0]-float64(f)) > 2e-3 {
			t.Errorf("backwards at frame %d: %g", f, got[0])
		}
	}
	down.Gaps = []Gap{{At: 21, Rows: 3}} // between 9.52 and 9.5: beside no frame
	if v := down.ByVisit(0); !v.AtVisit(got, 9, 0, false) {
		t.Error("a gap elsewhere")
	}
	down.Gaps[0].At = down.ByVisit(0).visits(9)[0].from
	if v := down.ByVisit(0); v.AtVisit(got, 9, 0, false) {
		t.Error("beside a gap something is made up")
	}
}

// Where it turns between two rows it is at its last frame too, once: however often it goes there
// and back, with an ease and without.
func TestATurnBetweenRowsIsAVisit(t *testing.T) {
	for _, s := range []clock.Spec{
		{Way: clock.ThereAndBack, Times: 2},
		{Way: clock.ThereAndBack, Times: 3, EaseMS: 120},
		{Way: clock.ThereAndBack, Times: 2, Factor: clock.Rate{Num: 7, Den: 11}},
		{Way: clock.ThereAndBack, Times: 4, Factor: clock.Rate{Num: 2, Den: 1},
			Waits: []clock.Wait{{Frame: 4, MS: 21}}},
	} {
		if s.Kind = clock.Steady; s.Factor.Num == 0 {
			s.Factor = clock.Rate{Num: 1, Den: 1}
		}
		tr, c := onClock(t, s, func(int64, float64) float64 { return 0 })
		v := tr.ByVisit(0)
		got := make([]float64, 1)
		for f := -1; f <= 11; f++ {
			times := c.TimesAt(float64(f))
			if n := v.Visits(f); n != len(times) {
				t.Errorf("%+v: frame %d: %d visits, the clock has %d", s, f, n, len(times))
			}
			for n := range times {
				if !v.AtVisit(got, f, n, false) || math.Abs(got[0]-float64(f)) > 0.06 {
					t.Errorf("%+v: frame %d, visit %d: %g", s, f, n, got[0])
				}
			}
		}
	}
}

// Each visit is judged: what is off on the way back only is off, a wait in which
// the rig sags is off at its end, and a way back that was never made is missing.
func TestEveryVisitIsJudged(t *testing.T) {
	j := judge(t)
	spec := clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.ThereAndBack,
		Waits: []clock.Wait{{Frame: 4, MS: 300}}}
	take := func(shift func(ms int64, frame float64) float64) (*Trace, clock.Clock) {
		one, c := onClock(t, spec, func(ms int64, f float64) float64 { return shift(ms, f) - f })
		tr := &Trace{Axes: []string{"track", "pan", "tilt", "roll", "focus"}, Pos: one.Pos}
		for i := range tr.Axes {
			tr.Units = append(tr.Units, rig.Ratio{Num: 1000, Den: 1})
			col := make([]int32, len(one.Pos))
			for k := range col {
				col[k] = []int32{700_000 * 256, 0, 0, 0, 150_000 * 256}[i]
			}
			tr.Steps = append(tr.Steps, col)
		}
		for k, v := range one.Steps[0] {
			tr.Steps[0][k] += v
		}
		return tr, c
	}
	clean, c := take(func(int64, float64) float64 { return 0 })
	half := int64(c.Seconds() * 500)
	back, _ := take(func(ms int64, f float64) float64 {
		if ms > half && f == math.Trunc(f) && f < 4 || ms > half && f < 3 {
			return 1
		}
		return 0
	})
	sag, _ := take(func(ms int64, f float64) float64 {
		if f == 4 && ms > 300 && ms < half {
			return 1
		}
		return 0
	})
	for name, k := range map[string]struct {
		b            *Trace
		word         string
		frame, visit int
	}{"clean": {clean, Stacks, 0, 0}, "off on the way back": {back, Off, 0, 1}, "sags in the wait": {sag, Off, 4, 0}} {
		v := compare(t, j, clean.ByVisit(0), k.b.ByVisit(0), nil, c, 0, 10, 0.5)
		if v.Word != k.word || v.Missing != 0 || len(v.Frames) != 20 {
			t.Errorf("%s: %s, %g px at %d, %d frames, %d missing", name, v.Word, v.WorstPx, v.WorstFrame,
				len(v.Frames), v.Missing)
		}
		if k.word == Off {
			for _, x := range v.Frames {
				if off := x.Px > 0.5; x.Frame == k.frame && off != (x.Visit == k.visit) {
					t.Errorf("%s: frame %d, visit %d: %g px", name, x.Frame, x.Visit, x.Px)
				}
			}
		}
	}
	// Two takes that are off in the same way on the way back stack: visit by visit.
	if v := compare(t, j, back.ByVisit(0), back.ByVisit(0), nil, c, 0, 10, 0.5); v.Word != Stacks || v.Missing != 0 {
		t.Errorf("each on its own visit: %s, %g px at %d", v.Word, v.WorstPx, v.WorstFrame)
	}
	short := *clean
	short.Pos, short.Steps = short.Pos[:half], slices.Clone(clean.Steps)
	for i := range short.Steps {
		short.Steps[i] = short.Steps[i][:half]
	}
	if v := compare(t, j, clean.ByVisit(0), short.ByVisit(0), nil, c, 0, 10, 0.5); v.Word != CannotSay ||
		v.Missing != 10 {
		t.Errorf("there and not back: %s, %d missing", v.Word, v.Missing)
	}
	if v := compare(t, j, short.ByVisit(0), clean.ByVisit(0), nil, c, 0, 10, 0.5); v.Word != Stacks {
		t.Errorf("against a reference that went one way: %s, %d missing", v.Word, v.Missing)
	}
}

// Every lap of a clock that comes around has its own visits, the first frame of each included,
// which lies between the last row of one lap and the first of the next.
func TestVisitsOfLaps(t *testing.T) {
	closed := func(f float64) float64 { return 40 * math.Pow(math.Sin(math.Pi*f/10), 2) }
	for _, factor := range []clock.Rate{{Num: 1, Den: 1}, {Num: 7, Den: 3}, {Num: 1, Den: 5}} {
		s := clock.Spec{Kind: clock.Steady, Factor: factor, Way: clock.Around, Times: 3,
			Waits: []clock.Wait{{Frame: 6, MS: 21}}}
		tr, c := onClock(t, s, func(_ int64, f float64) float64 { return closed(f) - f })
		v := tr.ByVisit(c.Traits().Round)
		got := make([]float64, 1)
		for f := range 10 {
			if n, want := v.Visits(f), len(c.TimesAt(float64(f))); n != want || want != 3 {
				t.Fatalf("frame %d: %d visits, the clock has %d", f, n, want)
			}
			for n := range 3 {
				if !v.AtVisit(got, f, n, false) || math.Abs(got[0]-closed(float64(f))) > 0.6*factor.Float() {
					t.Errorf("×%s, lap %d, frame %d: %g, want %g", factor, n, f, got[0], closed(float64(f)))
				}
			}
		}
		// Two laps of three are not the whole of it.
		half := &Trace{Axes: tr.Axes, Units: tr.Units, Pos: tr.Pos[:len(tr.Pos)*2/3-3],
			Steps: [][]int32{tr.Steps[0][:len(tr.Pos)*2/3-3]}}
		if v := half.ByVisit(10); v.Visits(9) != 2 || v.Visits(3) != 2 {
			t.Errorf("two laps: %d and %d visits", v.Visits(9), v.Visits(3))
		}
	}
}

// With a camera that keeps its own rate only the frames count that it takes a picture of:
// what is off in between is in no picture, and a visit is laid over one that is one, too.
func TestOnlyPicturedFramesAreJudged(t *testing.T) {
	j := judge(t)
	n := len(j.Rig.Axes)
	pan := j.Rig.Index("pan")
	take := func(s clock.Spec, off func(ms int64, f float64) float64) (*Visited, clock.Clock) {
		s.Kind = clock.Steady
		c, err := s.Over(clock.Whole(0, 10), clock.Rate{Num: 24, Den: 1})
		if err != nil {
			t.Fatal(err)
		}
		tr := &Trace{Steps: make([][]int32, n)}
		for _, a := range j.Rig.Axes {
			tr.Axes, tr.Units = append(tr.Axes, a.ID), append(tr.Units, a.StepsPerUnit)
		}
		for ms := int64(0); ms <= c.Ticks(1000); ms++ {
			p := c.At(ms, 1000)
			tr.Pos = append(tr.Pos, p)
			for i := range tr.Steps {
				q := 0.0
				if i == pan && off != nil {
					q = off(ms, p.Frame())
				}
				u := tr.Units[i]
				tr.Steps[i] = append(tr.Steps[i], int32(math.Round(q*float64(u.Num)/float64(u.Den)*256)))
			}
		}
		return tr.ByVisit(0), c
	}
	once, ev1 := take(clock.Spec{Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On}, nil)
	locked := clock.Spec{Factor: clock.Rate{Num: 3, Den: 1}, Way: clock.On, CameraLocked: true}
	between := func(_ int64, f float64) float64 { // off, but not near frames 0, 3, 6 and 9
		if d := math.Abs(math.Mod(f+1.5, 3) - 1.5); d > 0.5 {
			return 1
		}
		return 0
	}
	b, c := take(locked, between)
	if v := compare(t, j, once, b, ev1, c, 0, 10, 0.5); v.Word != Stacks || v.Between != 6 || len(v.Frames) != 4 ||
		v.Missing != 0 {
		t.Errorf("%s, %d judged, %d between", v.Word, len(v.Frames), v.Between)
	}
	if v := compare(t, j, b, once, c, ev1, 0, 10, 0.5); v.Word != Stacks || v.Between != 6 {
		t.Errorf("the other way round: %s, %d between", v.Word, v.Between)
	}
	locked.CameraLocked = false
	_, free := take(locked, between)
	if v := compare(t, j, once, b, ev1, free, 0, 10, 0.5); v.Word != Off || v.Between != 0 {
		t.Errorf("a camera that keeps step: %s, %d between", v.Word, v.Between)
	}
	b, c = take(clock.Spec{Factor: clock.Rate{Num: 3, Den: 1}, Way: clock.On, CameraLocked: true},
		func(_ int64, f float64) float64 {
			if math.Abs(f-6) < 0.4 {
				return 1
			}
			return 0
		})
	if v := compare(t, j, once, b, ev1, c, 0, 10, 0.5); v.Word != Off || v.WorstFrame != 6 {
		t.Errorf("off at a picture: %s at %d", v.Word, v.WorstFrame)
	}
	// Nothing that both show is nothing to say.
	five, cf := take(clock.Spec{Factor: clock.Rate{Num: 2, Den: 1}, Way: clock.On, CameraLocked: true, DelayMS: 0}, nil)
	if v := compare(t, j, b, five, c, cf, 1, 6, 0.5); v.Word != CannotSay || v.Between != 5 {
		t.Errorf("twos against threes: %s, %d between", v.Word, v.Between)
	}
	// On the way back the camera's count does not meet the frames: those visits are left out.
	turn, ct := take(clock.Spec{Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.ThereAndBack,
		Waits: []clock.Wait{{Frame: 10, MS: 20}}, CameraLocked: true}, func(ms int64, _ float64) float64 {
		if ms > 440 {
			return 1
		}
		return 0
	})
	if v := compare(t, j, once, turn, ev1, ct, 0, 10, 0.5); v.Word != Stacks || len(v.Frames) != 10 {
		t.Errorf("the way back is judged: %s, %d", v.Word, len(v.Frames))
	}
	if v := compare(t, j, turn, turn, ct, ct, 0, 10, 0.5); v.Word != Stacks || len(v.Frames) != 10 {
		t.Errorf("against itself: %s, %d", v.Word, len(v.Frames))
	}
}
