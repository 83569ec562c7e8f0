package standin

import (
	"encoding/hex"
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/stat"

	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/link"
)

// every is a rig on which every axis offers every way that it can be homed.
func every(id string) *rig.Rig {
	r := examples.Rigs()[id]
	for i := range r.Axes {
		a := &r.Axes[i]
		for _, w := range rig.HomeWays {
			if w != rig.HardStop || a.Feedback != rig.SeesNothing {
				a.AlsoHome = append(a.AlsoHome, w)
			}
		}
	}
	return r
}

// hand drives an axis until its truth is where a person wants it, within how well they see.
func hand(t *testing.T, s *Sim, e int64, i int, to float64) {
	t.Helper()
	a := &s.axes[i]
	for try := 0; math.Abs(a.shaft()-to) > a.a.Repeatability/2; try++ {
		if try > 200 {
			t.Fatalf("%s is at %g, wanted at %g", a.a.ID, a.shaft(), to)
		}
		d := to - a.shaft()
		v := math.Copysign(min(math.Abs(d), a.a.Working.Speed/4), d)
		if err := s.Jog(e, a.a.ID, v); err != nil {
			t.Fatal(err)
		}
		for n := 0; n < 800 && (to-a.shaft())*d > 0; n++ {
			s.Beat(e, "")
			s.Step()
		}
		s.Stop("let go")
		for s.mode != link.Idle {
			s.Beat(e, "")
			s.Step()
		}
	}
	for range 200 {
		s.Step()
	}
}

// Every way of homing, a hundred times on each kind of axis: afterwards the count is the
// truth to within what its sensor's figures say, and the spread that the machine tells is
// that of the truth.
func TestEveryWayAHundredTimes(t *testing.T) {
	times := 100
	if testing.Short() {
		times = 20
	}
	s := NewSim(Options{Rig: every("plank"), Seed: 5, Pace: 1})
	e, _ := s.Lease()
	for _, id := range []string{"track", "roll", "focus"} {
		i := s.o.Rig.Index(id)
		a := &s.axes[i]
		sigma := a.a.Repeatability / 3
		for way, want := range map[rig.HomeWay]float64{rig.SensorEdge: sigma, rig.HardStop: sigma,
			rig.OneEnd: 3 * sigma, rig.BothEnds: 3 / math.Sqrt2 * sigma,
			rig.Absolute: sigma / 4, rig.Witness: sigma, rig.ByHand: sigma} {
			if way == rig.HardStop && a.a.Feedback == rig.SeesNothing {
				continue
			}
			a.known = false
			var errs []float64
			for range times {
				switch way {
				case rig.Witness:
					hand(t, s, e, i, a.a.HomeValue())
					if err := s.Confirm(e, id, link.WaitsMark); err != nil {
						t.Fatal(err)
					}
				case rig.ByHand:
					high := a.a.Min + 0.03*(a.a.Max-a.a.Min)
					hand(t, s, e, i, a.a.Min)
					if err := s.Confirm(e, id, link.WaitsLow); err != nil || a.homed {
						t.Fatal(err, a.homed)
					}
					hand(t, s, e, i, high)
					if err := s.Confirm(e, id, link.WaitsHigh); err != nil {
						t.Fatal(err)
					}
					if d := a.soft[1] - high; math.Abs(d) > 3*a.a.Repeatability || a.soft[0] != a.a.Min {
						t.Errorf("%s: the ends that were shown are %v", id, a.soft)
					}
				default:
					if err := s.Home(e, []string{id}, way); err != nil {
						t.Fatal(err)
					}
					settle(t, s, e)
					if way == rig.Absolute {
						if a.homed || a.waits != link.WaitsCheck {
							t.Fatalf("%s: homed %v before anybody looked, waits for %q", id, a.homed, a.waits)
						}
						if err := s.Confirm(e, id, link.WaitsCheck); err != nil {
							t.Fatal(err)
						}
					}
				}
				if !a.homed || a.trouble != "" {
					t.Fatalf("%s by %s: homed %v, %q", id, way, a.homed, a.trouble)
				}
				errs = append(errs, a.shaft()-a.cmd)
			}
			// By hand it is the person's eye that scatters, evenly within half the figure.
			if way == rig.ByHand || way == rig.Witness {
				for _, d := range errs {
					if math.Abs(d) > a.a.Repeatability {
						t.Errorf("%s by %s: %g off", id, way, d)
					}
				}
				continue
			}
			got := stat.StdDev(errs, nil)
			// ± 3.5 standard deviations of such estimates: over 100 it is a quarter.
			wide := 3.5 / math.Sqrt(2*float64(times))
			if got < want*(1-wide) || got > want*(1+1.2*wide) {
				t.Errorf("%s by %s: σ %.4g over %d, its figures say %.4g", id, way, got, times, want)
			}
			if m := stat.Mean(errs, nil); math.Abs(m) > want*max(0.5, 3.5/math.Sqrt(float64(times))) {
				t.Errorf("%s by %s: on average %.4g off", id, way, m)
			}
			sp := a.spread()
			low, high := errs[0], errs[0]
			for _, d := range errs {
				low, high = min(low, d), max(high, d)
			}
			if a.a.Feedback == rig.SeesNothing && (way == rig.OneEnd || way == rig.BothEnds) {
				if sp.N != 1 || sp.Range != 0 { // it cannot know what it lost when it touched
					t.Errorf("%s by %s: %+v", id, way, sp)
				}
			} else if sp.N != times || math.Abs(sp.Range-(high-low)) > 0.02*(high-low)+1e-9 ||
				math.Abs(sp.At-(errs[times-1]-errs[0])) > 0.02*(high-low)+1e-9 {
				t.Errorf("%s by %s: the machine says %+v, the truth is a range of %g over %d and the last at %g", id,
					way, sp, high-low, times, errs[times-1]-errs[0])
			}
			if way == rig.BothEnds && math.Abs(sp.Learnt-(a.a.Hard[1]-a.a.Hard[0])) > 2*a.a.Repeatability {
				t.Errorf("%s: learnt a range of %g", id, sp.Learnt)
			}
		}
	}
}

// From the wrong side the sensor answers later: it is always found from the same one.
func TestHysteresis(t *testing.T) {
	s := NewSim(Options{Rig: every("plank"), Seed: 9, Pace: 1})
	e, _ := s.Lease()
	a := &s.axes[0]
	for _, from := range []float64{-5, 19.9, 20.5, 22, 700, 1500} {
		a.homed = false // its soft limits do not hold
		hand(t, s, e, 0, from)
		if err := s.Home(e, []string{"track"}, rig.SensorEdge); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
		if d := math.Abs(a.shaft() - a.cmd); !a.homed || d > a.a.Repeatability*1.5 || a.cmd != 20 {
			t.Errorf("from %g: homed %v, at %g, %g off", from, a.homed, a.cmd, d)
		}
	}
}

// What cannot be found is said, the axis stands still and is not homed, and a roll is refused.
func TestHomingThatFindsNothing(t *testing.T) {
	for name, c := range map[string]struct {
		pretend string
		by      float64
		axis    string
		way     rig.HomeWay
		want    string
	}{
		"dead sensor": {link.PretendSensor, 0, "track", rig.SensorEdge, "hard end before its sensor"},
		"no travel":   {link.PretendScale, 0.02, "pan", rig.HardStop, "found no end"},
	} {
		s, tab, e := homed(t, Options{Rig: plank(), Seed: 4})
		s.o.Rig.Axes[1].AlsoHome = []rig.HomeWay{rig.HardStop}
		if err := s.Pretend(c.pretend, c.axis, true, c.by); err != nil {
			t.Fatal(err)
		}
		if err := s.Home(e, []string{c.axis}, c.way); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
		st := s.State()
		if st.Homed(c.axis) || !strings.Contains(st.Axes[c.axis].Trouble, c.want) {
			t.Errorf("%s: homed %v, %q", name, st.Homed(c.axis), st.Axes[c.axis].Trouble)
		}
		was := s.Truth().Axes[c.axis]
		for range 3000 {
			s.Heard()
			s.Step()
		}
		if now := s.Truth().Axes[c.axis]; math.Abs(now-was) > 0.05 {
			t.Errorf("%s: it goes on from %g to %g", name, was, now)
		}
		f := tab.Fingerprint()
		if err := s.Arm(link.Arm{Order: link.Order{Epoch: e}, Take: "x", Print: hex.EncodeToString(f[:]),
			Clock: at(slow), Brake: 0.6}); err == nil || !strings.Contains(err.Error(), "not homed") {
			t.Errorf("%s: armed all the same: %v", name, err)
		}
		if err := s.Pretend(c.pretend, c.axis, false, 0); err != nil {
			t.Fatal(err)
		}
		if err := s.Home(e, []string{c.axis}, rig.SensorEdge); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
		if st := s.State(); !st.Homed(c.axis) || st.Axes[c.axis].Trouble != "" {
			t.Errorf("%s: mended it is homed %v, %q", name, st.Homed(c.axis), st.Axes[c.axis].Trouble)
		}
	}
}

// What a person has to confirm is refused where it makes no sense.
func TestConfirmRefuses(t *testing.T) {
	r := examples.Rigs()["wren"]
	s := NewSim(Options{Rig: r, Seed: 2, Pace: 1})
	e, _ := s.Lease()
	if d := math.Abs(s.axes[1].shaft() - s.axes[1].cmd); d > r.Axes[1].Repeatability {
		t.Errorf("an absolute encoder is %g off when it is switched on", d)
	}
	refused := func(name, want string, err error) {
		t.Helper()
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", name, err, want)
		}
	}
	refused("not there yet", "not at its check pose", s.Confirm(e, "turn", link.WaitsCheck))
	refused("no low end yet", "confirm its low end first", s.Confirm(e, "turn", link.WaitsHigh))
	refused("nonsense", "nothing called", s.Confirm(e, "turn", "luck"))
	refused("no axis", "no axis", s.Confirm(e, "boom", link.WaitsMark))
	refused("no lease", "lease", s.Confirm(e+1, "turn", link.WaitsMark))
	refused("by hand is no command", "needs a person", s.Home(e, []string{"turn"}, rig.Witness))
	refused("no such way", "cannot be homed by", s.Home(e, []string{"turn"}, rig.HardStop))
	if err := s.Confirm(e, "hand", link.WaitsLow); err != nil {
		t.Fatal(err)
	}
	refused("both in one place", "drive it to the other end", s.Confirm(e, "hand", link.WaitsHigh))
	if err := s.Home(e, nil, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if err := s.Jog(e, "turn", 5); err != nil {
		t.Fatal(err)
	}
	for range 300 {
		s.Beat(e, "")
		s.Step()
	}
	s.Stop("let go")
	settle(t, s, e)
	refused("moved away", "not at its check pose", s.Confirm(e, "turn", link.WaitsCheck))
	if err := s.Confirm(e, "elbow", link.WaitsCheck); err != nil || !s.State().Homed("elbow") {
		t.Errorf("elbow: %v", err)
	}
	// A flat battery: the encoder says anything, and whoever looks at the marks sees it.
	if err := s.Pretend(link.PretendEncoder, "elbow", true, 0); err != nil {
		t.Fatal(err)
	}
	if s.State().Homed("elbow") {
		t.Error("what has forgotten its place is homed")
	}
	if err := s.Home(e, []string{"elbow"}, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if d := s.axes[3].shaft() - r.Axes[3].HomeValue(); math.Abs(d) < 20 {
		t.Errorf("its marks are %g° apart", d)
	}
}

// A homing that is stopped slows down, and what it was looking for is not homed.
func TestStopWhileHoming(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 3})
	hand(t, s, e, 0, 900)
	if err := s.Home(e, []string{"track"}, ""); err != nil {
		t.Fatal(err)
	}
	for range 1500 {
		s.Heard()
		s.Step()
	}
	v := math.Abs(s.axes[0].cmd-s.axes[0].prev) / dt
	s.Stop("stop was pressed")
	n := 0
	for ; s.mode != link.Idle; n++ {
		s.Heard()
		s.Step()
	}
	if most := v/s.o.Rig.Axes[0].Working.Acceleration*1000 + 60; v < 100 || float64(n) > most {
		t.Errorf("from %g mm/s it took %d ms to stop, want at most %g", v, n, most)
	}
	if st := s.State(); st.Homed("track") || !st.Homed("pan") || st.Axes["track"].Trouble !=
		"its homing was broken off: stop was pressed" {
		t.Errorf("%+v", st)
	}
}

// A gearing that is not what it is said to be moves it farther, and homing says by how much.
func TestTrueScale(t *testing.T) {
	s := NewSim(Options{Rig: every("plank"), Seed: 7, Pace: 1})
	e, _ := s.Lease()
	if err := s.Pretend(link.PretendScale, "track", true, 0.9); err != nil {
		t.Fatal(err)
	}
	if err := s.Home(e, []string{"track"}, rig.SensorEdge); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	a := &s.axes[0]
	from := a.shaft()
	if err := s.Jog(e, "track", 50); err != nil {
		t.Fatal(err)
	}
	for range 4000 {
		s.Beat(e, "")
		s.Step()
	}
	s.Stop("let go")
	settle(t, s, e)
	if moved, asked := a.shaft()-from, a.cmd-20; math.Abs(moved/asked-0.9) > 1e-3 {
		t.Errorf("asked for %g mm it moved %g", asked, moved)
	}
	if err := s.Home(e, []string{"track"}, rig.BothEnds); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if l := s.State().Axes["track"].Spread.Learnt; math.Abs(l-1520/0.9) > 0.1 {
		t.Errorf("its 1520 mm count as %g", l)
	}
	for _, by := range []float64{0, math.NaN(), 1e9} {
		if s.Pretend(link.PretendScale, "track", true, by) == nil {
			t.Errorf("a scale of %g: accepted", by)
		}
	}
}
