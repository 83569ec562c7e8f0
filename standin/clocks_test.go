package standin

import (
	"encoding/hex"
	"math"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/link"
)

// armedOn goes to where a clock begins and arms it there.
func armedOn(t *testing.T, s *Sim, tab *seal.Table, e int64, spec clock.Spec) error {
	t.Helper()
	if spec.Kind == "" {
		spec.Kind = clock.Steady
	}
	if spec.Way == "" {
		spec.Way = clock.On
	}
	if spec.Factor.Num == 0 {
		spec.Factor = slow
	}
	c, err := spec.Over(tab.Run(), tab.Rate)
	if err != nil {
		t.Fatal(err)
	}
	to := map[string]float64{}
	for i, id := range tab.Axes {
		_, own := rig.Split(id)
		to[own] = seal.Value(tab.At(i, c.At(0, 1000)), tab.Units[i])
	}
	if err := s.GoTo(e, to, 0); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	need, _ := s.brakeFor(tab, c)
	f := tab.Fingerprint()
	return s.Arm(link.Arm{Order: link.Order{Epoch: e}, Take: "t", Print: hex.EncodeToString(f[:]), Clock: &spec,
		Brake: min(max(need, 0.6), 5)})
}

// rolled rolls what is armed; during is called before every tick.
func rolled(t *testing.T, s *Sim, e int64, during func(ms int)) *take {
	t.Helper()
	if err := s.Roll(e, s.armed.Take, ""); err != nil {
		t.Fatal(err)
	}
	c := s.cur
	for n := 0; !c.ended; n++ {
		if n%50 == 0 {
			s.Beat(e, "")
		}
		if during != nil {
			during(n)
		}
		s.Step()
		if n > 3_000_000 {
			t.Fatal("the take never ends")
		}
	}
	return c
}

// Passes of one path line up frame for frame, whatever they run on: slower, faster, of
// another camera rate, backward, turning, waiting, step by step or creeping. Every frame
// that is a picture has the sealed pose, to a step and what the machine repeats to.
func TestPassesLineUpOnEveryClock(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 5})
	for name, spec := range map[string]clock.Spec{
		"as sealed":           {},
		"a third":             {Factor: clock.Rate{Num: 1, Den: 4}},
		"another camera rate": {Factor: clock.Rate{Num: 125, Den: 200}},
		"23.976 for 24":       {Factor: clock.Rate{Num: 3 * 1000, Den: 4 * 1001}},
		"camera locked":       {Factor: clock.Rate{Num: 2, Den: 3}, CameraLocked: true},
		"back":                {Way: clock.Back},
		"turns": {Way: clock.ThereAndBack, EaseMS: 900, Waits: []clock.Wait{{Frame: 31, MS: 350}},
			DelayMS: 120},
		"stepped":      {Kind: clock.Stepped, Pictures: 30, IntervalMS: 1500, MoveMS: 1200},
		"stepped back": {Kind: clock.Stepped, Way: clock.Back, Pictures: 24, IntervalMS: 2000, MoveMS: 1600},
		"creeping":     {Kind: clock.Crawling, Pictures: 120, IntervalMS: 10_500},
	} {
		if err := armedOn(t, s, tab, e, spec); err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		took := rolled(t, s, e, nil)
		c := s.clk
		tr := &trace.Trace{Units: tab.Units, Axes: tab.Axes, Pos: took.pos, Steps: took.steps, Every: s.every}
		if name == "creeping" {
			if s.every != 2 || len(took.pos) < 629_000 || len(took.pos) > 631_000 {
				t.Errorf("%s: %d rows, one every %d ms", name, len(took.pos), s.every)
			}
		} else if s.every != 1 {
			t.Errorf("%s: a row every %d ms", name, s.every)
		}
		v := tr.ByVisit(0)
		got, frames := make([]float64, len(tab.Axes)), 0
		for f := tab.First; f < tab.Last; f++ {
			for n, taken := range c.Pictured(f) {
				if !taken {
					continue
				}
				frames++
				if !v.AtVisit(got, f, n, true) {
					t.Fatalf("%s: frame %d, visit %d was not there (%d of %d)", name, f, n, v.Visits(f),
						len(c.TimesAt(float64(f))))
				}
				for i := range got {
					a := s.axes[i].a
					step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
					if off := math.Abs(got[i] - seal.Value(tab.At(i, clock.Pos(f)<<32), tab.Units[i])); off > 1.5*step+
						a.Backlash+3*a.Repeatability {
						t.Fatalf("%s: %s is %.5f off at frame %d, visit %d", name, a.Name, off, f, n)
					}
				}
			}
		}
		if frames < 20 {
			t.Errorf("%s: %d pictures only were looked at", name, frames)
		}
	}
}

func TestSteeringARoll(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 5})
	live := clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 2}, EaseMS: 1500, Law: 1}
	if err := armedOn(t, s, tab, e, live); err != nil {
		t.Fatal(err)
	}
	if err := s.Steer(e, 1, 4); err == nil || !strings.Contains(err.Error(), "while it rolls") {
		t.Errorf("armed only: %v", err)
	}
	took := rolled(t, s, e, func(ms int) {
		for at, to := range map[int][2]int64{800: {1, 8}, 2500: {-1, 4}, 4200: {0, 1}, 7000: {1, 2}} {
			if ms != at {
				continue
			}
			if err := s.Steer(e, to[0], to[1]); err != nil {
				t.Fatalf("at %d ms: %v", ms, err)
			}
			if s.Steer(e+1, 1, 8) == nil || s.Steer(e, 3, 4) == nil || s.Steer(e, 1, 0) == nil {
				t.Error("somebody else steers, or beyond what it was armed for")
			}
		}
	})
	if took.end.Broken || len(took.end.Steers) != 4 || took.end.Frame != 120 {
		t.Fatalf("%+v", took.end)
	}
	// What it ran on is known afterwards, and run again it is the same to the last bit.
	live.Steers = took.end.Steers
	live.Way = clock.On
	c, err := tab.Clock(live)
	if err != nil {
		t.Fatal(err)
	}
	back := 0
	for ms, p := range took.pos {
		if want := c.At(int64(math.Round((float64(ms)-s.o.Rig.LagMS)*1000)), 1_000_000); p != want {
			t.Fatalf("row %d is for frame %.9f, the clock says %.9f", ms, p.Frame(), want.Frame())
		}
		if ms > 0 && p < took.pos[ms-1] {
			back++
		}
	}
	if back < 500 {
		t.Errorf("it went back for %d ms", back)
	}
	// Nothing jumps while it is steered: the axes stay within their rated acceleration.
	for i := range tab.Axes {
		var x [3]float64
		for k, p := range took.pos {
			x = [3]float64{x[1], x[2], seal.Value(tab.At(i, p), tab.Units[i])}
			if acc := math.Abs(x[2]-2*x[1]+x[0]) * 1e6; k > 1 && acc > s.axes[i].a.Rated.Acceleration*1.01 {
				t.Fatalf("%s comes to %.0f at row %d, rated %.0f", tab.Axes[i], acc, k, s.axes[i].a.Rated.Acceleration)
			}
		}
	}
	// Standing still it goes on rolling; let go it ends there, broken off.
	if err := armedOn(t, s, tab, e, clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 2},
		Law: 1}); err != nil {
		t.Fatal(err)
	}
	took = rolled(t, s, e, func(ms int) {
		switch ms {
		case 1000:
			_ = s.Steer(e, 0, 1)
		case 30_000:
			s.Stop("the hold was let go")
		case 30_100:
			if s.Steer(e, 1, 2) == nil {
				t.Error("a braking rig is steered")
			}
		}
	})
	if !took.end.Broken || took.end.Frame != math.Round(took.end.Frame) || took.end.Frame > 30 {
		t.Errorf("%+v", took.end)
	}
}

// A clock whose changes of speed are too hard for the machine is refused, whoever sends it.
func TestHardClocksAreRefused(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 5})
	for want, spec := range map[string]clock.Spec{
		"while the clock changes its speed": {EaseMS: 40, Waits: []clock.Wait{{Frame: 30, MS: 100}}},
		"it stops at frame 0030":            {Waits: []clock.Wait{{Frame: 30, MS: 100}}},
		"over its rated acceleration":       {Kind: clock.Live, EaseMS: 100},
		"ends":                              {Way: clock.Around},
		"where the path was sealed for":     {Kind: clock.Stepped, Pictures: 2, IntervalMS: 1000, MoveMS: 900},
	} {
		if err := armedOn(t, s, tab, e, spec); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", spec, err, want)
		}
	}
}

// What somebody could make of a live clock is held against the rated jerk, too: by the old law a
// small change is rougher than by the new one.
func TestRoughSteeringIsRefused(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 5})
	gentle := clock.Spec{Kind: clock.Live, Factor: clock.Rate{Num: 1, Den: 2}, Way: clock.On, EaseMS: 1500, Law: 1}
	rough := gentle
	rough.Law = 0
	c, err := gentle.Over(tab.Run(), tab.Rate)
	if err != nil {
		t.Fatal(err)
	}
	d, err := rough.Over(tab.Run(), tab.Rate)
	if err != nil {
		t.Fatal(err)
	}
	for i, row := range tab.Steps { // between what the two come to, by hand
		least, most := 0.0, 0.0
		for k := 1; k < len(row)-1; k++ {
			v := seal.Value(row[k+1]-row[k-1], tab.Units[i]) / 2 * seal.TicksPerFrame
			a := seal.Value(row[k+1]-2*row[k]+row[k-1], tab.Units[i]) * seal.TicksPerFrame * seal.TicksPerFrame
			least = max(least, math.Abs(v)*c.Traits().Jolt+3*math.Abs(a)*c.MaxSpeed()*c.Traits().Free)
			most = max(most, math.Abs(v)*d.Traits().Jolt+3*math.Abs(a)*d.MaxSpeed()*d.Traits().Free)
		}
		if !(most > 1.5*least) && most > 0 {
			t.Fatalf("axis %d: %g by the new law, %g by the old one", i, least, most)
		}
		s.axes[i].a.Rated.Jerk = least * 1.2
	}
	if err := armedOn(t, s, tab, e, gentle); err != nil {
		t.Errorf("by the new law: %v", err)
	}
	s.Stop("")
	if err := armedOn(t, s, tab, e, rough); err == nil || !strings.Contains(err.Error(),
		"over its rated jerk if the clock were steered") {
		t.Errorf("by the old law: %v", err)
	}
}
