package standin

import (
	"encoding/hex"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/link"
)

// Stop pressed again and again, as by a held key, stops no later than once.
func TestStopPressedAgain(t *testing.T) {
	for name, begin := range map[string]func(s *Sim, e int64) error{
		"go-to":  func(s *Sim, e int64) error { return s.GoTo(e, map[string]float64{"track": 1400}, 0) },
		"homing": func(s *Sim, e int64) error { return s.Home(e, nil, "") },
	} {
		end := map[int]float64{}
		for _, every := range []int{0, 1, 33} {
			s, _, e := homed(t, Options{Seed: 3})
			if err := begin(s, e); err != nil {
				t.Fatal(err)
			}
			for range 300 {
				s.Heard()
				s.Step()
			}
			s.Stop("stop was pressed")
			was := s.axes[0].cmd
			for n := 1; s.mode != link.Idle; n++ {
				if every > 0 && n%every == 0 {
					s.Stop("stop was pressed")
				}
				if s.Step(); n > 1000 {
					t.Fatalf("%s: still %s a second after stop", name, s.mode)
				}
				if d := math.Abs(s.axes[0].cmd - s.axes[0].prev); d > 0.5 {
					t.Fatalf("%s: the track jumps %g mm in a millisecond", name, d)
				}
			}
			end[every] = s.axes[0].cmd - was
		}
		if end[1] != end[0] || end[33] != end[0] {
			t.Errorf("%s: pressed once it goes on %g mm; held down %g or %g", name, end[0], end[1], end[33])
		}
	}
}

// What rolls is what was armed and checked, whatever is loaded meanwhile.
func TestTheArmedTableIsTheOneThatRolls(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 1})
	arm(t, s, tab, e, "t")
	other := *tab
	other.Steps = nil
	for _, row := range tab.Steps {
		b := append([]int64(nil), row...)
		for k := range b {
			b[k] += int64(k) << 20
		}
		other.Steps = append(other.Steps, b)
	}
	redo(t, &other)
	if _, err := s.Load(e, "plank", other.Canonical()); err == nil || !strings.Contains(err.Error(), "armed") {
		t.Errorf("a table is loaded while another is armed: %v", err)
	}
	s.table = &other // even so
	if err := s.Roll(e, s.armed.Take, ""); err != nil {
		t.Fatal(err)
	}
	for !s.cur.ended {
		s.Beat(e, "")
		s.Step()
		if x := s.axes[0].cmd; x > s.axes[0].a.Max {
			t.Fatalf("commanded %g mm, limit %g", x, s.axes[0].a.Max)
		}
	}
	s.Stop("")
	if _, err := s.Load(e, "plank", tab.Canonical()); err != nil {
		t.Errorf("an idle rig takes no table: %v", err)
	}
}

// The rig works out its own braking: less than it needs is refused, and with
// what it needs it stays within its rated acceleration from every tick.
func TestBrakingIsTheRigsOwn(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 1})
	arm(t, s, tab, e, "t")
	s.Stop("")
	need, name := s.brakeFor(tab, tab120)
	f := tab.Fingerprint()
	q := link.Arm{Order: link.Order{Epoch: e}, Take: "t", Print: hex.EncodeToString(f[:]), Clock: at(slow)}
	for _, less := range []float64{0.1, need / 2, need * 0.999} {
		if q.Brake = less; s.Arm(q) == nil {
			t.Errorf("braking in %g s is armed, %s needs %g", less, name, need)
		}
	}
	q.Brake = need
	if err := s.Arm(q); err != nil {
		t.Errorf("braking in what it needs: %v", err)
	}
	hz := fps(tab, slow)
	worst := map[float64]float64{}
	for _, seconds := range []float64{need, need * 0.9} {
		for i := range tab.Axes {
			for from := 0.0; from < 120; from += 0.5 {
				var x [3]float64
				for n := range int(seconds*1000) + 1 {
					gone, _, _ := limit.BrakeAt(float64(n) / 1000 / seconds)
					p := float64(tab.At(i, clock.At(min(from+gone*hz*seconds, 120)))) / 65536 *
						float64(tab.Units[i].Den) / float64(tab.Units[i].Num)
					x = [3]float64{x[1], x[2], p}
					if n >= 2 {
						worst[seconds] = max(worst[seconds],
							math.Abs(x[2]-2*x[1]+x[0])*1e6/s.axes[i].a.Rated.Acceleration)
					}
				}
			}
		}
	}
	if worst[need] > 1.01 || worst[need] < 0.9 {
		t.Errorf("in %.3f s the worst axis uses %.1f%% of its rated acceleration", need, worst[need]*100)
	}
	if worst[need*0.9] < 1.02 {
		t.Errorf("a tenth less uses %.1f%% only: more was asked for than is needed", worst[need*0.9]*100)
	}
}

// rows is a table of one moving axis (track) given as position by frame, in mm.
func rows(r *rig.Rig, frames int, at func(f float64) float64) *seal.Table {
	t := seal.Table{Machines: []seal.Machine{{Name: "plank", Rig: r.ID, Version: r.Version}},
		Rate: clock.Rate{Num: 24, Den: 1}, Fastest: clock.Rate{Num: 1, Den: 1}, Last: frames}
	for i, a := range r.Axes {
		t.Axes, t.Units = append(t.Axes, "plank/"+a.ID), append(t.Units, a.StepsPerUnit)
		row := make([]int64, t.Ticks())
		for k := range row {
			if i == 0 {
				row[k] = seal.Quantise(at(float64(k)/seal.TicksPerFrame), a.StepsPerUnit)
			}
		}
		t.Steps = append(t.Steps, row)
	}
	return seal.New(t)
}

// Both terms of q″ḟ² + q′f̈ count. At even speed only the second is there, and
// gives 1.5·v/T; where the path slows by itself the first adds to it.
func TestBothTermsOfBrakingCount(t *testing.T) {
	r := plank()
	most := r.Axes[0].Rated.Acceleration
	v := 400.0
	even := rows(r, 48, func(f float64) float64 { return 100 + v*f/24 })
	// Looked at in the middle only: the ends of these tables start and stop at once.
	mid := func(tab *seal.Table, k int) float64 {
		sp, acc := differences(tab.Steps[0], k, 1, tab.Units[0], 24*16)
		return restIn(sp, acc, most, 0)
	}
	if got, want := mid(even, 400), 1.5*v/most; math.Abs(got/want-1) > 1e-3 {
		t.Errorf("at even speed it needs %.4f s, want 1.5·v/a = %.4f", got, want)
	}
	slowing := func(dec float64) *seal.Table {
		return rows(r, 48, func(f float64) float64 { return 100 + v*f/24 - dec/2*(f-24)*math.Abs(f-24)/24/24 })
	}
	a, b := mid(even, 400), mid(slowing(600), 400)
	if b < a*1.2 {
		t.Errorf("a path that slows by itself needs %.3f s, one at even speed %.3f", b, a)
	}
	speeding := mid(slowing(-600), 400)
	if speeding > a {
		t.Errorf("a path that gathers speed needs %.3f s, more than %.3f", speeding, a)
	}
	if got := restIn(100, -most, most, 0); !math.IsInf(got, 1) {
		t.Errorf("slowing at its rated acceleration already, it can rest in %g s", got)
	}
}

// The ends count: a table that begins or ends with speed is refused, and so is
// one per cent too much, at any rate, though rounding is worth more than that.
func TestTheTableIsCheckedOnItsIntegers(t *testing.T) {
	r := plank()
	s := NewSim(Options{Rig: r, Pace: 1})
	for i := range r.Axes { // tables of this test leave other axes at zero
		s.axes[i].soft[0] = min(r.Axes[i].Min, 0)
	}
	if err := s.checkTable(rows(r, 48, func(f float64) float64 { return 100 + 2*f }), 24); err == nil {
		t.Error("a table that begins with speed is allowed")
	}
	ease := func(f float64) float64 { return 20 + 800*(f/96-math.Sin(2*math.Pi*f/96)/2/math.Pi) }
	for _, fps := range []float64{24, 48, 240} {
		tab := rows(r, 96, ease)
		T := 96 / fps
		r.Axes[0].Rated = rig.Limits{Speed: 2 * 800 / T, Acceleration: 2 * math.Pi * 800 / T / T}
		if err := s.checkTable(tab, fps); err != nil {
			t.Errorf("at its limit, %g fps: %v", fps, err)
		}
		full := r.Axes[0].Rated
		r.Axes[0].Rated.Acceleration = full.Acceleration / 1.01
		if err := s.checkTable(tab, fps); err == nil {
			t.Errorf("one per cent over its acceleration is allowed at %g fps", fps)
		}
		r.Axes[0].Rated = rig.Limits{Speed: full.Speed / 1.01, Acceleration: full.Acceleration}
		if err := s.checkTable(tab, fps); err == nil {
			t.Errorf("one per cent over its speed is allowed at %g fps", fps)
		}
	}
}

// What a remedy has cleared is sealed, and the rig takes it: no check further on
// refuses for rounding what the exact one has passed.
func TestWhatARemedyClearsIsTaken(t *testing.T) {
	if testing.Short() {
		t.Skip("a thousand random moves")
	}
	rng := rand.New(rand.NewPCG(21, 5))
	rates := []int64{24, 25, 30, 48, 60, 96, 120, 240}
	cleared := 0
	for n := 0; cleared < 1000; n++ {
		r := plank()
		if n%2 == 0 { // a rig with little between its working and its rated limits
			for i := range r.Axes {
				w, l := &r.Axes[i].Working, r.Axes[i].Rated
				w.Speed, w.Acceleration = 0.8*l.Speed, 0.8*l.Acceleration
			}
		}
		fps := rates[rng.IntN(len(rates))]
		w := whole(t, r)
		p := path.New(w, clock.Rate{Num: fps, Den: 1}, nil)
		when := 0.0
		for range 2 + rng.IntN(3) {
			q, err := p.Apply(w, path.Edit{Op: "set", Frame: when,
				Values: map[string]float64{"track": 300 + 900*rng.Float64(), "pan": -30 + 60*rng.Float64()}})
			if err != nil {
				t.Fatal(err)
			}
			p, when = q, when+math.Round(float64(fps)*(0.5+1.5*rng.Float64()))
		}
		_, a, err := limit.Analyse(p, w)
		if err != nil {
			t.Fatal(err)
		}
		for _, rem := range a.Remedies {
			if !rem.Clears {
				continue
			}
			q, err := p.Apply(w, rem.Edit)
			if err != nil {
				t.Fatal(err)
			}
			cleared++
			if err := taken(t, q, r); err != nil {
				t.Fatalf("%s at %d fps: %v", rem.Text, fps, err)
			}
			if rem.Kind != "slow" {
				continue
			}
			f := *rem.Edit.Factor
			f.Num += f.Num/66 + 1 // truly over, by one per cent and more
			if over, err := q.Apply(w, path.Edit{Op: "factor", Factor: &f}); err == nil && taken(t, over, r) == nil {
				t.Fatalf("%s at %d fps: one per cent more is taken", rem.Text, fps)
			}
		}
	}
}

// taken seals a path and has the rig check the table.
func taken(t testing.TB, p *path.Path, r *rig.Rig) error {
	tab, _, err := seal.Make(t.Context(), p, alone(r))
	if err != nil {
		return err
	}
	m, err := path.Compile(p, whole(t, r))
	if err != nil {
		return err
	}
	fps := p.Clock().FPS()
	b, err := limit.Brake(t.Context(), m, whole(t, r), fps)
	if err != nil {
		return err
	}
	s := NewSim(Options{Rig: r, Pace: 1})
	if err := s.checkTable(tab, fps); err != nil {
		return err
	}
	if need, name := s.brakeFor(tab, p.Clock()); need > b.Seconds {
		return fmt.Errorf("%s needs %g s to brake where the plan says %g", name, need, b.Seconds)
	}
	return nil
}

// The lease is given by a rig that stands still, and takes what was armed along.
func TestTheLeaseIsGivenAtRest(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 1})
	arm(t, s, tab, e, "t")
	if err := s.Roll(e, s.armed.Take, ""); err != nil {
		t.Fatal(err)
	}
	for range 100 {
		s.Beat(e, "")
		s.Step()
	}
	if _, err := s.Lease(); err == nil || s.epoch != e {
		t.Errorf("the lease of a rolling rig is given away: %v", err)
	}
	for !s.cur.ended {
		s.Step()
	}
	arm(t, s, tab, e, "u")
	n, err := s.Lease()
	if err != nil || n != e+1 {
		t.Fatalf("epoch %d, %v", n, err)
	}
	if err := s.Roll(n, s.armed.Take, ""); err == nil {
		t.Error("what the old holder armed rolls for the new one")
	}
}
