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
	"keenarc/examples"
	"keenarc/link"
)

func plank() *rig.Rig { return examples.Rigs()["plank"] }

// alone is a rig as the one machine of a shot, whole the rig that is made of it.
func alone(r *rig.Rig) []rig.Placed { return []rig.Placed{{Name: "plank", Rig: r}} }

func whole(t testing.TB, r *rig.Rig) *rig.Rig {
	t.Helper()
	w, err := rig.Join(alone(r))
	if err != nil {
		t.Fatal(err)
	}
	return w
}

func at(f clock.Rate) *clock.Spec {
	s := clock.Times(f)
	return &s
}

func fps(tab *seal.Table, f clock.Rate) float64 { return tab.Rate.Times(f).Float() }

func table(t testing.TB, own *rig.Rig) *seal.Table {
	t.Helper()
	r := whole(t, own)
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, map[string]float64{"plank/focus": 150})
	for _, k := range [][3]float64{{0, 200, 20}, {60, 700, 0}, {120, 1200, -15}} {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: k[0], Values: map[string]float64{"track": k[1], "pan": k[2],
			"roll": k[2] / 10}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	p, _ = p.Apply(r, path.Edit{Op: "factor", Factor: &clock.Rate{Num: 3, Den: 4}})
	tab, _, err := seal.Make(t.Context(), p, alone(own))
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
		o.Rig = plank()
	}
	o.Pace = 1
	s := NewSim(o)
	tab := table(t, o.Rig)
	e, _ := s.Lease()
	if err := s.Home(e, nil, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	for range 3000 { // until nothing sways
		s.Step()
	}
	if name, ok := s.homed(); !ok {
		t.Fatalf("%s is not homed", name)
	}
	if _, err := s.Load(e, "plank", tab.Canonical()); err != nil {
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
		_, own := rig.Split(id)
		to[own] = seal.Value(tab.Steps[i][0], tab.Units[i])
	}
	return to
}

func arm(t testing.TB, s *Sim, tab *seal.Table, e int64, take string) {
	t.Helper()
	if err := s.GoTo(e, first(tab), 0); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	f := tab.Fingerprint()
	if err := s.Arm(link.Arm{Order: link.Order{Epoch: e}, Take: take, Print: hex.EncodeToString(f[:]), Clock: at(slow),
		Brake: 0.6}); err != nil {
		t.Fatal(err)
	}
}

// roll rolls with beats every 50 ticks until stop says so or the take is over.
func roll(t testing.TB, s *Sim, tab *seal.Table, e int64, name string, beats int) *take {
	t.Helper()
	arm(t, s, tab, e, name)
	if err := s.Roll(e, s.armed.Take, ""); err != nil {
		t.Fatal(err)
	}
	c := s.cur
	for n := 0; !c.ended; n++ {
		if n%50 == 0 && n/50 < beats {
			s.Beat(e, "")
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
	if a[0].end.Broken || len(a[0].pos) != int(tab120.Ticks(1000)+lag)+1 {
		t.Errorf("a whole take has %d rows, broken %v", len(a[0].pos), a[0].end.Broken)
	}
}

// lag is what Plank's drives are led by, in ms.
var lag = int64(plank().LagMS)

var tab120 = clock.Uniform{First: 0, Last: 120, Path: clock.Rate{Num: 24, Den: 1}, Factor: slow}

// The drives are led by the lag that they state: at speed no more than 0.05 ms of it
// is left, at the output's sensor and for the frame that each row is for.
func TestTheLagIsLed(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 1})
	c := roll(t, s, tab, e, "t", always)
	hz := fps(tab, slow)
	for i := range s.axes {
		a := s.axes[i].a
		worst := 0.0
		for k, pos := range c.pos {
			v := (seal.Value(tab.At(i, pos+clock.One/16), tab.Units[i]) - seal.Value(tab.At(i, pos-clock.One/16),
				tab.Units[i])) * 8 * hz
			if math.Abs(v) < 0.3*a.Working.Speed {
				continue
			}
			off := float64(c.steps[i][k])/256*float64(a.StepsPerUnit.Den)/float64(a.StepsPerUnit.Num) -
				seal.Value(tab.At(i, pos), tab.Units[i])
			off = math.Max(0, math.Abs(off)-a.Backlash/2-a.Repeatability) // what is not lag
			worst = max(worst, off/math.Abs(v)*1000)
		}
		if worst > 0.05 {
			t.Errorf("%s is %.3f ms late", a.Name, worst)
		}
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
		if err := s.GoTo(e, map[string]float64{"track": 1400}, 0); err != nil {
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
		if err := s.GoTo(e, first(tab), 0); err != nil {
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
			s.Beat(e, "")
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
			s.Beat(e, "")
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
	good := link.Arm{Order: link.Order{Epoch: e}, Take: "t", Print: print, Clock: at(slow), Brake: 0.6}
	with := func(f func(*link.Arm)) link.Arm { q := good; f(&q); return q }
	for name, c := range map[string]struct {
		err  error
		want string
	}{
		"old lease":    {s.GoTo(e-1, first(tab), 0), "lease"},
		"no lease":     {s.Home(0, nil, ""), "lease"},
		"outside":      {s.GoTo(e, map[string]float64{"track": 5000}, 0), "soft limits"},
		"unknown axis": {s.GoTo(e, map[string]float64{"boom": 0}, 0), "no axis"},
		"not at first": {s.Arm(good), "go there first"},
		"wrong print":  {s.Arm(with(func(q *link.Arm) { q.Print = "00" })), "not the one"},
		"no factor":    {s.Arm(with(func(q *link.Arm) { q.Clock = nil })), "clock"},
		"too fast":     {s.Arm(with(func(q *link.Arm) { q.Clock = at(fast) })), "sealed for at most"},
		"no brake":     {s.Arm(with(func(q *link.Arm) { q.Brake = 0 })), "braking"},
		"not armed":    {s.Roll(e, s.armed.Take, ""), "arm it first"},
	} {
		if c.err == nil || !strings.Contains(c.err.Error(), c.want) {
			t.Errorf("%s: %v, want a reason with %q", name, c.err, c.want)
		}
	}
	other := NewSim(Options{Rig: plank(), Pace: 1})
	oe, _ := other.Lease()
	if err := other.GoTo(oe, first(tab), 0); err == nil || !strings.Contains(err.Error(), "not homed") {
		t.Errorf("an axis that is not homed runs: %v", err)
	}
	bent := *tab
	bent.Steps = append([][]int64{append([]int64(nil), tab.Steps[0]...)}, tab.Steps[1:]...)
	bent.Steps[0][300] += 65536 * 40
	redo(t, &bent)
	if _, err := s.Load(e, "plank", bent.Canonical()); err != nil {
		t.Fatal(err)
	}
	if err := s.GoTo(e, first(tab), 0); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	bf := bent.Fingerprint()
	if err := s.Arm(with(func(q *link.Arm) { q.Print = hex.EncodeToString(bf[:]) })); err == nil ||
		!strings.Contains(err.Error(), "rated limits") {
		t.Errorf("a table that breaks the rig's limits is armed: %v", err)
	}
}

func TestHomingRepeatsWithinItsSpread(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 6})
	for range 9 {
		if err := s.Home(e, nil, ""); err != nil {
			t.Fatal(err)
		}
		settle(t, s, e)
	}
	for id, x := range s.State().Axes {
		sp := x.Spread
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
	if _, err := ParseFault("2:boom:1:1", plank()); err == nil {
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
	if s.Ack(e, "t", 1000, n-1) != nil || s.Knows("t", n) != nil || s.Knows("t", n+1) == nil ||
		s.Knows("t", -1) == nil {
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
	r := whole(t, s.o.Rig)
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, map[string]float64{"plank/focus": 150})
	for _, x := range []path.Edit{{Op: "set", Frame: 0, Values: map[string]float64{"pan": 0}},
		{Op: "set", Frame: 40, Values: map[string]float64{"pan": 12}}, {Op: "set", Frame: 90,
			Values: map[string]float64{"pan": 20}},
		{Op: "kind", Axis: "pan", Kind: curve.Natural}, {Op: "run", RunUp: 20, RunOut: 25}} {
		q, err := p.Apply(r, x)
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	tab, _, err := seal.Make(t.Context(), p, alone(s.o.Rig))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Load(e, "plank", tab.Canonical()); err != nil {
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
	tr := (&trace.Trace{Axes: tab.Axes, Units: tab.Units, Pos: c.pos, Steps: c.steps}).ByVisit(0)
	q, want := make([]float64, len(tab.Axes)), make([]float64, len(tab.Axes))
	for f := range 90 {
		if !tr.AtVisit(q, f, 0, false) || !(trace.Sealed{Table: tab}).AtFrame(want, f) {
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
	if err := s.Roll(e, s.armed.Take, ""); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if s.cur.ended {
			b.StopTimer()
			if err := s.Ack(e, "t", 0, len(s.cur.pos)); err != nil {
				b.Fatal(err)
			}
			arm(b, s, tab, e, "t")
			if err := s.Roll(e, s.armed.Take, ""); err != nil {
				b.Fatal(err)
			}
			b.StartTimer()
		}
		s.Beat(e, "")
		s.Step()
	}
}

// redo gives a table that was bent the digests of what it is now.
func redo(t testing.TB, tab *seal.Table) {
	t.Helper()
	fresh := seal.New(*tab)
	*tab = *fresh
}
