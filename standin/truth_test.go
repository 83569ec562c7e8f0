package standin

import (
	"encoding/hex"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/link"
)

// The vectors of docs/seal.md, and the planner's own reading on random tables.
func TestTheRigsOwnCubic(t *testing.T) {
	var r reader
	for i, v := range []struct {
		row  []int64
		pos  clock.Pos
		want int64
	}{
		{[]int64{0, 65536, 262144, 589824}, 1<<28 + 1<<27, 147456}, {[]int64{0, 65536, 262144, 589824}, 1 << 27, 24576},
		{[]int64{0, 1, 2, 3}, 1 << 27, 0}, {[]int64{0, 1, 2, 3}, 1<<28 + 1<<27, 2},
		{[]int64{-7, 1000003, 9, -50}, 2<<28 + 12345, -14}, {[]int64{5, 9}, -400, 5}, {[]int64{5, 9}, 1 << 40, 9},
	} {
		if got := r.at(v.row, 0, v.pos); got != v.want {
			t.Errorf("vector %d: %d, want %d", i, got, v.want)
		}
	}
	rng := rand.New(rand.NewPCG(4, 4))
	for range 20_000 {
		tab := &seal.Table{First: -3, Last: -2, Steps: [][]int64{make([]int64, 17)}}
		size := int64(1) << (1 + rng.IntN(35))
		for k := range tab.Steps[0] {
			tab.Steps[0][k] = rng.Int64N(size) - size/2
		}
		pos := clock.Pos(-3)<<32 + clock.Pos(rng.Int64N(1<<32+1000)-500)
		if got, want := r.at(tab.Steps[0], -3, pos), tab.At(0, pos); got != want {
			t.Fatalf("row %v at %d: %d, the planner says %d", tab.Steps[0], pos, got, want)
		}
	}
}

// The rig's own slowing is the planner's.
func TestTheRigsOwnSlowing(t *testing.T) {
	for u := -0.5; u < 1.5; u += 0.001 {
		if want, _, _ := limit.BrakeAt(u); math.Abs(slowed(u)-want) > 1e-15 {
			t.Fatalf("at %g: %g, the planner says %g", u, slowed(u), want)
		}
	}
}

// A homing error shifts every pose until the next homing, and no sensor sees it.
func TestHomingShiftsEveryPose(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 12})
	seen := map[float64]bool{}
	for range 4 {
		shift := math.NaN()
		for _, to := range []float64{300, 900, 1400} {
			if err := s.GoTo(e, map[string]float64{"track": to}, 0); err != nil {
				t.Fatal(err)
			}
			settle(t, s, e)
			for range 500 {
				s.Step()
			}
			d := s.Truth().Axes["track"] - s.State().Pos("track")
			if !math.IsNaN(shift) && math.Abs(d-shift) > 1e-6 {
				t.Errorf("at %g the truth is %g from what is seen, before %g", to, d, shift)
			}
			shift = d
			if math.Abs(s.State().Pos("track")-to) > 0.02 {
				t.Errorf("sent to %g the sensor says %g", to, s.State().Pos("track"))
			}
		}
		if shift == 0 || math.Abs(shift) > s.o.Rig.Axes[0].Repeatability*2 {
			t.Errorf("homed %g mm off", shift)
		}
		seen[shift] = true
		if err := s.Home(e, []string{"track"}, ""); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
	}
	if len(seen) != 4 {
		t.Errorf("four homings found %d places", len(seen))
	}
}

// Lost steps stay lost, whatever is done, until the axis is homed; the motor's and
// the output's sensors see them, a drive without one does not.
func TestLostStepsStayLost(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 3})
	lose := map[string]float64{"track": 0.9, "roll": 0.3, "focus": 2}
	before := s.Truth().Axes
	for id, by := range lose {
		if err := s.Pretend(link.PretendLost, id, true, by); err != nil {
			t.Fatal(err)
		}
	}
	for range 5000 { // until it has stopped swaying
		s.Step()
	}
	for id, by := range lose {
		if d := s.Truth().Axes[id] - before[id]; math.Abs(d-by) > s.o.Rig.Axes[s.o.Rig.Index(id)].Backlash+1e-9 {
			t.Errorf("%s: the truth moved by %g, %g were lost", id, d, by)
		}
	}
	roll(t, s, tab, e, "a", always)
	off := func(id string) float64 { return s.State().Pos(id) - s.State().Asked(id) }
	if off("track") < 0.85 || math.Abs(off("roll")-0.3) > 1e-6 || math.Abs(off("focus")) > 1e-6 {
		t.Errorf("after a roll: track %g, roll %g, focus %g from where they were sent", off("track"), off("roll"),
			off("focus"))
	}
	if err := s.Home(e, []string{"roll", "track"}, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if math.Abs(off("track")) > 0.05 || math.Abs(off("roll")) > 1e-6 || s.axes[4].lost != 2 {
		t.Errorf("homed: track %g, roll %g off, focus has lost %g", off("track"), off("roll"), s.axes[4].lost)
	}
}

// The structure sways under acceleration and comes to rest; no sensor sees it.
func TestSwayIsInTheTruth(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 3})
	if err := s.GoTo(e, map[string]float64{"track": 1400}, 0); err != nil {
		t.Fatal(err)
	}
	worst, a, v := 0.0, 0.0, 0.0
	for s.mode != link.Idle {
		s.Heard()
		s.Step()
		now := (s.axes[0].cmd - s.axes[0].prev) / dt
		worst, a, v = max(worst, math.Abs(s.axes[0].sway)), max(a, math.Abs(now-v)/dt), now
	}
	if still := a / math.Pow(2*math.Pi*swayHz, 2); worst < still*0.5 || worst > still*4 {
		t.Errorf("it sways by %g mm, an even push would bend it by %g", worst, still)
	}
	for range 5000 {
		s.Step()
	}
	if s.axes[0].sway != 0 {
		t.Errorf("five seconds later it still sways by %g mm", s.axes[0].sway)
	}
}

// A jog on an axis that does not know where it is ends at the hard end: it stops,
// says so, has lost its place, and comes away again.
func TestHardEnd(t *testing.T) {
	s := NewSim(Options{Rig: plank(), Seed: 5, Pace: 1})
	e, _ := s.Lease()
	if err := s.Jog(e, "track", 250); err != nil {
		t.Fatal(err)
	}
	for n := 0; s.State().Axes["track"].End == ""; n++ {
		if n > 20_000 {
			t.Fatal("it never gets there")
		}
		s.Beat(e, "")
		s.Step()
	}
	if got := s.State(); got.Axes["track"].End != "high" || got.Homed("track") || s.jogV != 0 {
		t.Errorf("at its end: %+v", got)
	}
	for range 2000 {
		s.Step()
		if x := s.axes[0].shaft(); x > plank().Axes[0].Hard[1]+1e-9 {
			t.Fatalf("%g mm, behind its hard end", x)
		}
	}
	if s.mode != link.Idle {
		t.Errorf("it is %s", s.mode)
	}
	if err := s.Jog(e, "track", -50); err != nil {
		t.Fatal(err)
	}
	for range 2000 {
		s.Beat(e, "")
		s.Step()
	}
	if s.State().Axes["track"].End != "" {
		t.Error("jogged away it is still at its end")
	}
}

// rolling is a rig 2.5 s into a take.
func rolling(t *testing.T) (*Sim, *seal.Table, int64) {
	t.Helper()
	s, tab, e := homed(t, Options{Seed: 1})
	arm(t, s, tab, e, "t")
	if err := s.Roll(e, s.armed.Take, ""); err != nil {
		t.Fatal(err)
	}
	for range 2500 {
		s.Beat(e, "")
		s.Step()
	}
	return s, tab, e
}

// The emergency stop cuts the roll short, where the rig then is; nothing moves
// until it is released, and what was not seen must be homed.
func TestEmergencyStopPressed(t *testing.T) {
	s, _, e := rolling(t)
	c := s.cur
	if err := s.Pretend(link.PretendStop, "", true, 0); err != nil {
		t.Fatal(err)
	}
	if !c.ended || !c.end.Broken || !strings.Contains(c.end.Why, "emergency stop") {
		t.Errorf("the take: %+v", c.end)
	}
	was := s.Truth().Axes["track"]
	for range 500 {
		s.Step()
	}
	if d := s.Truth().Axes["track"] - was; math.Abs(d) > 0.5 {
		t.Errorf("it goes on by %g mm", d)
	}
	st := s.State()
	if !st.EStop || st.Drive != "free" || st.Homed("roll") || st.Homed("focus") || !st.Homed("track") {
		t.Errorf("%+v", st)
	}
	for name, err := range map[string]error{"home": s.Home(e, nil, ""), "go": s.GoTo(e, map[string]float64{"track": 5},
		0), "jog": s.Jog(e, "pan", 1), "free": s.Free(e, "pan", true)} {
		if err == nil || !strings.Contains(err.Error(), "emergency stop is pressed") {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := s.Pretend(link.PretendStop, "", false, 0); err != nil || s.State().EStop || s.State().Drive != "holding" {
		t.Errorf("released: %v, %+v", err, s.State())
	}
	if err := s.Home(e, []string{"roll", "focus"}, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if _, ok := s.homed(); !ok {
		t.Error("homed again it does not know where it is")
	}
}

// A drive's fault stops a roll on its path and keeps everything still until it is
// cleared and the axis engaged; one axis is freed and homed by itself.
func TestFaultsAndFreeing(t *testing.T) {
	s, tab, e := rolling(t)
	if err := s.Pretend(link.PretendFault, "roll", true, 0); err != nil {
		t.Fatal(err)
	}
	for !s.cur.ended {
		s.Beat(e, "")
		s.Step()
	}
	if c := s.cur.end; !c.Broken || c.Why != "a drive fault on Roll" || c.BrakeTick < 0 {
		t.Errorf("%+v", c)
	}
	if st := s.State(); st.Axes["roll"].Fault == "" || !st.Axes["roll"].Free || st.Homed("roll") {
		t.Errorf("%+v", st)
	}
	refused := func(name, want string, err error) {
		t.Helper()
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", name, err, want)
		}
	}
	refused("go", "drive fault", s.GoTo(e, first(tab), 0))
	refused("home", "drive fault", s.Home(e, nil, ""))
	refused("home it", "drive fault", s.Home(e, []string{"roll"}, ""))
	refused("engage", "drive fault", s.Free(e, "roll", false))
	refused("jog", "not driven", s.Jog(e, "roll", 1))
	if err := s.Home(e, []string{"pan"}, ""); err != nil {
		t.Errorf("another axis: %v", err)
	}
	settle(t, s, e)
	if err := s.Pretend(link.PretendFault, "roll", false, 0); err != nil {
		t.Fatal(err)
	}
	refused("home", "is free", s.Home(e, nil, ""))
	if err := s.Free(e, "roll", false); err != nil {
		t.Fatal(err)
	}
	if err := s.Home(e, []string{"roll"}, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if err := s.Free(e, "pan", true); err != nil || !s.State().Homed("pan") || !s.State().Axes["pan"].Free {
		t.Errorf("an output's sensor knows where it is: %v, %+v", err, s.State())
	}
	refused("go", "free", s.GoTo(e, first(tab), 0))
	if err := s.Free(e, "pan", false); err != nil {
		t.Fatal(err)
	}
	if err := s.GoTo(e, first(tab), 0); err != nil {
		t.Error(err)
	}
	settle(t, s, e)
	for what, id := range map[string]string{"rain": "pan", link.PretendFault: "boom"} {
		if s.Pretend(what, id, true, 0) == nil {
			t.Errorf("%s on %s: accepted", what, id)
		}
	}
	refused("no axis", "no axis", s.Free(e, "boom", true))
	refused("home no axis", "no axis", s.Home(e, []string{"boom"}, ""))
}

// The day's soft limits hold for go-tos, jogs and tables, within the hard ends.
func TestSoftLimitsOfTheDay(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 1})
	for want, soft := range map[string]map[string][2]float64{
		"no axis": {"boom": {0, 1}}, "within its hard ends": {"track": {-11, 100}}, "rising": {"track": {200, 100}},
		"hard ends -10 to 1510": {"track": {0, 1511}},
	} {
		if err := s.Limits(e, soft); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	if err := s.Limits(e, map[string][2]float64{"track": {-5, 1100}}); err != nil {
		t.Fatal(err)
	}
	if err := s.GoTo(e, map[string]float64{"track": 1101}, 0); err == nil {
		t.Error("past the day's limit")
	}
	if err := s.GoTo(e, first(tab), 0); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	f := tab.Fingerprint()
	req := link.Arm{Order: link.Order{Epoch: e}, Take: "t", Print: hex.EncodeToString(f[:]),
		Clock: at(slow), Brake: 0.6}
	if err := s.Arm(req); err == nil || !strings.Contains(err.Error(), "Track leaves its soft limits") {
		t.Errorf("a path up to 1200 mm: %v", err)
	}
	if err := s.Limits(e, nil); err != nil || s.State().Axes["track"].Soft != [2]float64{20, 1480} {
		t.Errorf("as described: %v, %v", err, s.State().Axes)
	}
	if err := s.Arm(req); err != nil {
		t.Error(err)
	}
}

// There and back, and backwards: the rig goes where the clock says, whole, with a
// wait at the turn.
func TestOtherClocks(t *testing.T) {
	for name, c := range map[string]clock.Spec{
		"back": {Kind: clock.Steady, Factor: slow, Way: clock.Back},
		"there and back": {Kind: clock.Steady, Factor: slow, Way: clock.ThereAndBack,
			Waits: []clock.Wait{{Frame: 120, MS: 400}}},
	} {
		s, tab, e := homed(t, Options{Seed: 1})
		clk, err := tab.Clock(c)
		if err != nil {
			t.Fatal(err)
		}
		begin := map[string]float64{}
		for i, id := range tab.Axes {
			_, own := rig.Split(id)
			begin[own] = seal.Value(tab.At(i, clk.At(0, 1000)), tab.Units[i])
		}
		f := tab.Fingerprint()
		for _, beats := range []int{always, 60} {
			if err := s.GoTo(e, begin, 0); err != nil {
				t.Fatal(err)
			}
			settle(t, s, e)
			if err := s.Arm(link.Arm{Order: link.Order{Epoch: e}, Take: "t", Print: hex.EncodeToString(f[:]), Clock: &c,
				Brake: 0.6}); err != nil {
				t.Fatal(name, err)
			}
			if err := s.Roll(e, s.armed.Take, ""); err != nil {
				t.Fatal(err)
			}
			k := s.cur
			for n := 0; !k.ended; n++ {
				if n%50 == 0 && n/50 < beats {
					s.Beat(e, "")
				}
				s.Step()
			}
			for n, pos := range k.pos {
				if want := clk.At(int64(n)-lag, 1000); beats == always && pos != want {
					t.Fatalf("%s: row %d is for %g, the clock says %g", name, n, pos.Frame(), want.Frame())
				}
				for i := range tab.Axes {
					if off := float64(k.steps[i][n])/256 - float64(tab.At(i, pos))/65536; math.Abs(off) > 1 {
						t.Fatalf("%s: %s is %g steps off at row %d", name, tab.Axes[i], off, n)
					}
				}
			}
			if k.end.Broken != (beats != always) {
				t.Errorf("%s, %d beats: %+v", name, beats, k.end)
			}
			if beats == always && len(k.pos) != int(clk.Ticks(1000)+lag)+1 {
				t.Errorf("%s: %d rows", name, len(k.pos))
			}
			s.Ack(e, "t", 0, len(k.pos))
		}
	}
}

// Resting is what stepping comes to while nothing moves.
func TestRestIsManySteps(t *testing.T) {
	a, _, e := homed(t, Options{Seed: 4})
	b, _, eb := homed(t, Options{Seed: 4})
	for range 8000 {
		a.Step()
		b.Step()
	}
	if !a.still() {
		t.Fatal("eight seconds after homing it is not still")
	}
	a.rest(500)
	for range 500 {
		if !b.still() {
			t.Fatal("it stirs")
		}
		b.Step()
	}
	if a.tick != b.tick || !reflect.DeepEqual(a.axes, b.axes) {
		t.Errorf("ticks %d and %d, or other axes", a.tick, b.tick)
	}
	for _, s := range []*Sim{a, b} {
		if err := s.GoTo(map[*Sim]int64{a: e, b: eb}[s], map[string]float64{"track": 500}, 0); err != nil {
			t.Fatal(err)
		}
		if s.still() {
			t.Error("about to move it says that it is still")
		}
	}
	settle(t, a, e)
	settle(t, b, eb)
	if !reflect.DeepEqual(a.axes, b.axes) {
		t.Error("afterwards they move differently")
	}
}

// An axis that was pushed to its end stays there, says so, and comes away by homing.
func TestPushedToItsEnd(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 8})
	if err := s.Pretend(link.PretendHardEnd, "track", true, 0); err != nil {
		t.Fatal(err)
	}
	for range 3000 {
		s.Step()
	}
	if st := s.State(); st.Axes["track"].End != "high" || st.Homed("track") || !st.Homed("pan") ||
		math.Abs(s.Truth().Axes["track"]-1510) > 0.05 {
		t.Errorf("%+v, at %g", st, s.Truth().Axes["track"])
	}
	if err := s.Home(e, nil, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if st := s.State(); st.Axes["track"].End != "" || !st.Homed("track") {
		t.Errorf("homed: %+v", st)
	}
}
