package standin

import (
	"encoding/hex"
	"math"
	"reflect"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/link"
)

func table(t testing.TB, r *rig.Rig) *seal.Table {
	t.Helper()
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, map[string]float64{"focus": 150})
	for _, k := range [][3]float64{{0, 200, 20}, {60, 700, 0}, {120, 1200, -15}} {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: k[0], Values: map[string]float64{"track": k[1], "pan": k[2], "roll": k[2] / 10}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	p, _ = p.Apply(r, path.Edit{Op: "factor", Factor: &clock.Rate{Num: 3, Den: 4}})
	tab, err := seal.Make(p, r)
	if err != nil {
		t.Fatal(err)
	}
	return tab
}

var slow = clock.Rate{Num: 3, Den: 4}

// homed is a simulation with all axes homed and the table loaded.
func homed(t testing.TB, o Options) (*Sim, *seal.Table, int64) {
	t.Helper()
	if o.Rig == nil {
		o.Rig = rig.Plank()
	}
	o.Pace = 1
	s := NewSim(o)
	tab := table(t, o.Rig)
	e, _ := s.Lease()
	if err := s.Home(e); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if name, ok := s.homed(); !ok {
		t.Fatalf("%s is not homed", name)
	}
	if _, err := s.Load(e, tab.Canonical()); err != nil {
		t.Fatal(err)
	}
	return s, tab, e
}

// settle steps until the rig is idle, with the lease holder saying something.
func settle(t testing.TB, s *Sim, e int64) {
	t.Helper()
	for n := 0; s.mode != link.Idle; n++ {
		if n > 120_000 {
			t.Fatalf("still %s after two minutes", s.mode)
		}
		s.Heard()
		s.Step()
	}
}

func first(tab *seal.Table) map[string]float64 {
	to := map[string]float64{}
	for i, id := range tab.Axes {
		to[id] = seal.Value(tab.Steps[i][0], tab.Units[i])
	}
	return to
}

func arm(t testing.TB, s *Sim, tab *seal.Table, e int64, take string) {
	t.Helper()
	if err := s.GoTo(e, first(tab)); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	f := tab.Fingerprint()
	if err := s.Arm(link.Request{Epoch: e, Take: take, Print: hex.EncodeToString(f[:]), Rate: &slow, Brake: 0.6}); err != nil {
		t.Fatal(err)
	}
}

// roll rolls with beats every 50 ticks until stop says so or the take is over.
func roll(t testing.TB, s *Sim, tab *seal.Table, e int64, name string, beats int) *take {
	t.Helper()
	arm(t, s, tab, e, name)
	if err := s.Roll(e); err != nil {
		t.Fatal(err)
	}
	c := s.cur
	for n := 0; !c.ended; n++ {
		if n%50 == 0 && n/50 < beats {
			s.Beat(e)
		}
		s.Step()
		if n > 60_000 {
			t.Fatal("the take never ends")
		}
	}
	return c
}

const always = 1 << 30

// Two clean takes differ by more than nothing and repeat exactly for the same
// seed, however long the rig waited in between.
func TestTakesRepeatBySeed(t *testing.T) {
	run := func(seed uint64, wait int) [2]*take {
		s, tab, e := homed(t, Options{Seed: seed})
		var out [2]*take
		for i := range out {
			for range wait * i {
				s.Step()
			}
			out[i] = roll(t, s, tab, e, "t", always)
		}
		return out
	}
	a, b, other := run(5, 0), run(5, 777), run(6, 0)
	for i := range a {
		if !reflect.DeepEqual(a[i].steps, b[i].steps) || !reflect.DeepEqual(a[i].pos, b[i].pos) {
			t.Errorf("take %d does not repeat for the same seed", i+1)
		}
	}
	if reflect.DeepEqual(a[0].steps, a[1].steps) {
		t.Error("two takes are the same to the last bit: there is no noise")
	}
	if reflect.DeepEqual(a[0].steps, other[0].steps) {
		t.Error("another seed gives the same noise")
	}
	if a[0].end.Broken || len(a[0].pos) != int(tab120.Ticks(1000))+1 {
		t.Errorf("a whole take has %d rows, broken %v", len(a[0].pos), a[0].end.Broken)
	}
}

var tab120 = clock.Uniform{First: 0, Last: 120, Path: clock.Rate{Num: 24, Den: 1}, Factor: slow}

// The motor follows with feed-forward: at speed it lags at most 0.6 ms.
func TestFollowingLag(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 1})
	arm(t, s, tab, e, "t")
	if err := s.Roll(e); err != nil {
		t.Fatal(err)
	}
	worst := 0.0
	for !s.cur.ended {
		s.Beat(e)
		s.Step()
		for i := range s.axes {
			a := &s.axes[i]
			if v := (a.cmd - a.prev) / dt; math.Abs(v) > 0.1*a.a.Working.Speed {
				worst = max(worst, math.Abs((a.cmd-a.x)/v)*1000)
			}
		}
	}
	if worst > 0.6 {
		t.Errorf("lags %.2f ms", worst)
	}
}

// Silence: braking begins 200 ms after the last beat, follows the path and
// stays within the rated limits.
func TestSilenceBrakesOnThePath(t *testing.T) {
	for _, beats := range []int{1, 20, 60} {
		s, tab, e := homed(t, Options{Seed: 2})
		c := roll(t, s, tab, e, "t", beats)
		if !c.end.Broken || c.end.BrakeTick-c.end.LastBeat != 200 || c.end.Why != "the hold fell silent" {
			t.Errorf("%d beats: %+v", beats, c.end)
		}
		for i := range s.axes {
			a := s.axes[i].a
			var x [3]float64
			for k, pos := range c.pos {
				want := float64(tab.At(i, pos)) / 65536
				if off := math.Abs(float64(c.steps[i][k])/256 - want); off > 1 {
					t.Fatalf("%s is %.2f steps off the path at %.2f", a.Name, off, pos.Frame())
				}
				x = [3]float64{x[1], x[2], seal.Value(tab.At(i, pos), tab.Units[i])}
				if acc := (x[2] - 2*x[1] + x[0]) * 1e6; k > 1 && math.Abs(acc) > a.Rated.Acceleration*1.01 {
					t.Fatalf("%s brakes with %.0f, rated %.0f", a.Name, acc, a.Rated.Acceleration)
				}
			}
		}
		if last := c.pos[len(c.pos)-1]; last.Frame() != c.end.Frame {
			t.Errorf("ends at %g, says %g", last.Frame(), c.end.Frame)
		}
	}
}

func TestStopWhileGoing(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 3})
	for name, stop := range map[string]func(){
		"stop": func() { s.Stop("stop was pressed") }, "silence": func() {
			for range 201 {
				s.Step()
			}
		}} {
		if err := s.GoTo(e, map[string]float64{"track": 1400}); err != nil {
			t.Fatal(err)
		}
		for range 600 {
			s.Heard()
			s.Step()
		}
		stop()
		was := s.axes[0].cmd
		for n := 0; s.mode != link.Idle; n++ {
			if n > 400 {
				t.Fatalf("%s: still %s", name, s.mode)
			}
			s.Step()
		}
		if end := s.axes[0].cmd; end-was > 150 || end > 1390 {
			t.Errorf("%s: went on from %g to %g", name, was, end)
		}
		if err := s.GoTo(e, first(tab)); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
	}
}

func TestJogOnlyWhileBeating(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 4})
	if err := s.Jog(e, "track", 1e6); err == nil {
		t.Error("a jog over the working speed is allowed")
	}
	if err := s.Jog(e, "track", 100); err != nil {
		t.Fatal(err)
	}
	for n := range 1000 {
		if n%50 == 0 {
			s.Beat(e)
		}
		s.Step()
	}
	at := s.axes[0].cmd
	for range 1500 {
		s.Step()
	}
	if s.mode != link.Idle || s.axes[0].cmd-at > 60 {
		t.Errorf("without beats it is %s, %g mm on", s.mode, s.axes[0].cmd-at)
	}
	if err := s.Jog(e, "track", -200); err != nil {
		t.Fatal(err)
	}
	for n := range 15000 {
		if n%50 == 0 {
			s.Beat(e)
		}
		s.Step()
	}
	if s.axes[0].cmd < s.axes[0].a.Min {
		t.Errorf("jogged past the soft limit to %g", s.axes[0].cmd)
	}
}

func TestRefusals(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 5})
	f := tab.Fingerprint()
	print := hex.EncodeToString(f[:])
	fast := clock.Rate{Num: 9, Den: 1}
	good := link.Request{Epoch: e, Take: "t", Print: print, Rate: &slow, Brake: 0.6}
	with := func(f func(*link.Request)) link.Request { q := good; f(&q); return q }
	for name, c := range map[string]struct {
		err  error
		want string
	}{
		"old lease":    {s.GoTo(e-1, first(tab)), "lease"},
		"no lease":     {s.Home(0), "lease"},
		"outside":      {s.GoTo(e, map[string]float64{"track": 5000}), "soft limits"},
		"unknown axis": {s.GoTo(e, map[string]float64{"boom": 0}), "no axis"},
		"not at first": {s.Arm(good), "go there first"},
		"wrong print":  {s.Arm(with(func(q *link.Request) { q.Print = "00" })), "not the one"},
		"no factor":    {s.Arm(with(func(q *link.Request) { q.Rate = nil })), "factor"},
		"too fast":     {s.Arm(with(func(q *link.Request) { q.Rate = &fast })), "rated limits"},
		"no brake":     {s.Arm(with(func(q *link.Request) { q.Brake = 0 })), "braking"},
		"not armed":    {s.Roll(e), "arm it first"},
	} {
		if c.err == nil || !strings.Contains(c.err.Error(), c.want) {
			t.Errorf("%s: %v, want a reason with %q", name, c.err, c.want)
		}
	}
	other := NewSim(Options{Rig: rig.Plank(), Pace: 1})
	oe, _ := other.Lease()
	if err := other.GoTo(oe, first(tab)); err == nil || !strings.Contains(err.Error(), "not homed") {
		t.Errorf("an axis that is not homed runs: %v", err)
	}
	bent := *tab
	bent.Steps = append([][]int64{append([]int64(nil), tab.Steps[0]...)}, tab.Steps[1:]...)
	bent.Steps[0][300] += 65536 * 40
	if _, err := s.Load(e, bent.Canonical()); err != nil {
		t.Fatal(err)
	}
	if err := s.GoTo(e, first(tab)); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	bf := bent.Fingerprint()
	if err := s.Arm(with(func(q *link.Request) { q.Print = hex.EncodeToString(bf[:]) })); err == nil || !strings.Contains(err.Error(), "rated limits") {
		t.Errorf("a table that breaks the rig's limits is armed: %v", err)
	}
}

func TestHomingRepeatsWithinItsSpread(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 6})
	for range 9 {
		if err := s.Home(e); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
	}
	for id, sp := range s.State().Spread {
		rep := s.o.Rig.Axes[s.o.Rig.Index(id)].Repeatability
		if sp.N != 10 || sp.Range <= 0 || sp.Range > 3*rep {
			t.Errorf("%s: %d homings within %g, repeatability %g", id, sp.N, sp.Range, rep)
		}
	}
}

// A lost step shows where the feedback sees it, from its frame on.
func TestFaultShows(t *testing.T) {
	clean, tab, e := homed(t, Options{Seed: 7})
	a := roll(t, clean, tab, e, "t", always)
	s, tab, e := homed(t, Options{Seed: 7, Faults: []Fault{{Roll: 1, Axis: "track", Frame: 60, By: 1}}})
	b := roll(t, s, tab, e, "t", always)
	for k, pos := range a.pos {
		d := float64(b.steps[0][k]-a.steps[0][k]) / 256 / 25
		if want := map[bool]float64{true: 1, false: 0}[pos.Frame() >= 60]; math.Abs(d-want) > 0.001 {
			t.Fatalf("at %.2f the track is %g mm off, want %g", pos.Frame(), d, want)
		}
	}
	if _, err := ParseFault("2:boom:1:1", rig.Plank()); err == nil {
		t.Error("a fault of an unknown axis is accepted")
	}
}

func TestTakesAreKeptUntilAcknowledged(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 8})
	c := roll(t, s, tab, e, "t", always)
	n := len(c.pos)
	for name, err := range map[string]error{
		"another epoch": s.Ack(e-1, "t", 0, n), "no epoch": s.Ack(0, "t", 0, n), "unknown": s.Ack(e, "u", 0, n),
		"more than there is": s.Ack(e, "t", 0, n+1), "backwards": s.Ack(e, "t", 0, -1), "a hole": s.Ack(e, "t", 1, n),
	} {
		if err == nil || s.Knows("t", 0) != nil || c.acked != 0 {
			t.Errorf("%s: %v, %d rows acknowledged", name, err, c.acked)
		}
	}
	if s.Ack(e, "t", 0, 1000) != nil || s.Ack(e, "t", 2000, n) == nil || c.acked != 1000 {
		t.Errorf("after a stretch that failed %d rows are acknowledged", c.acked)
	}
	if s.Ack(e, "t", 1000, n-1) != nil || s.Knows("t", n) != nil || s.Knows("t", n+1) == nil || s.Knows("t", -1) == nil {
		t.Error("dropped before the last row was acknowledged, or rows are known that are not there")
	}
	if s.Ack(e, "t", n-1, n) != nil || s.Knows("t", 0) == nil {
		t.Error("kept after everything was acknowledged")
	}
}

// A trace begins where the run does, at the rig's own tick, so that every
// picture frame lies between two rows whatever the run-up's length.
func TestTheTraceCoversEveryPicture(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 9})
	r := s.o.Rig
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, map[string]float64{"focus": 150})
	for _, x := range []path.Edit{{Op: "set", Frame: 0, Values: map[string]float64{"pan": 0}}, {Op: "set", Frame: 40, Values: map[string]float64{"pan": 12}}, {Op: "set", Frame: 90, Values: map[string]float64{"pan": 20}},
		{Op: "kind", Axis: "pan", Kind: curve.Natural}, {Op: "run", RunUp: 20, RunOut: 25}} {
		q, err := p.Apply(r, x)
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	tab, err := seal.Make(p, r)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Load(e, tab.Canonical()); err != nil {
		t.Fatal(err)
	}
	slow = clock.Rate{Num: 1, Den: 1}
	defer func() { slow = clock.Rate{Num: 3, Den: 4} }()
	arm(t, s, tab, e, "t")
	began := s.tick + 1
	c := roll(t, s, tab, e, "t", always)
	if c.pos[0] != clock.At(-20) || c.tick <= began || c.pos[len(c.pos)-1] != clock.At(115) {
		t.Errorf("from %g at tick %d to %g", c.pos[0].Frame(), c.tick, c.pos[len(c.pos)-1].Frame())
	}
	tr := &trace.Trace{Axes: tab.Axes, Units: tab.Units, Pos: c.pos, Steps: c.steps}
	q, want := make([]float64, len(tab.Axes)), make([]float64, len(tab.Axes))
	for f := range 90 {
		if !tr.AtFrame(q, f) || !(trace.Sealed{Table: tab}).AtFrame(want, f) {
			t.Fatalf("frame %d has no row", f)
		}
		if math.Abs(q[1]-want[1]) > 0.02 {
			t.Errorf("frame %d: pan at %g, sealed %g", f, q[1], want[1])
		}
	}
}

// BenchmarkStep is the cost of one simulated millisecond while rolling.
func BenchmarkStep(b *testing.B) {
	s, tab, e := homed(b, Options{Seed: 1})
	arm(b, s, tab, e, "t")
	if err := s.Roll(e); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if s.cur.ended {
			b.StopTimer()
			if err := s.Ack(e, "t", 0, len(s.cur.pos)); err != nil {
				b.Fatal(err)
			}
			arm(b, s, tab, e, "t")
			if err := s.Roll(e); err != nil {
				b.Fatal(err)
			}
			b.StartTimer()
		}
		s.Beat(e)
		s.Step()
	}
}
