package standin

import (
	"math"
	"slices"
	"strings"
	"testing"

	"keenarc/link"
)

// A new description: the shaft stays where it is, moves as far for each step as before,
// and what counts other steps has to be homed; the rest stays homed.
func TestConfigure(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 4})
	if err := s.Pretend(link.PretendScale, "track", true, 2); err != nil { // its drive is set to half the microsteps
		t.Fatal(err)
	}
	r := plank()
	r.Version = 6
	a := &r.Axes[0]
	a.Drive.Microsteps = 4
	n, err := a.Drive.Steps(a.Unit)
	if err != nil {
		t.Fatal(err)
	}
	a.StepsPerUnit, a.Max = n, 1400
	was := s.axes[0].shaft()
	if err := s.Configure(e, r); err != nil {
		t.Fatal(err)
	}
	if d := math.Abs(s.axes[0].shaft() - was); d > 1e-9 || s.axes[0].scale != 1 || s.axes[0].homed ||
		!s.axes[1].homed || s.axes[0].soft[1] != 1400 {
		t.Errorf("moved %g, scale %g, homed %v and %v, soft %v", d, s.axes[0].scale, s.axes[0].homed, s.axes[1].homed,
			s.axes[0].soft)
	}
	if s.table != nil || s.print != "" {
		t.Error("a table of the old version is still loaded")
	}
	if err := s.Home(e, []string{"track"}, ""); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	from, at := s.axes[0].shaft(), s.axes[0].cmd
	if err := s.GoTo(e, map[string]float64{"track": 1000}, 0); err != nil {
		t.Fatal(err)
	}
	settle(t, s, e)
	if moved, asked := s.axes[0].shaft()-from, s.axes[0].cmd-at; math.Abs(moved-asked) > 1e-3 {
		t.Errorf("corrected it moved %g for %g", moved, asked)
	}
	other := plank()
	other.ID = "heron"
	broken := plank()
	broken.Axes[0].Min = 9999
	for want, c := range map[string]error{"of its own": s.Configure(e, other), "does not hold together": s.Configure(e,
		broken), "description": s.Configure(e, nil), "lease": s.Configure(e+1, plank())} {
		if c == nil || !strings.Contains(c.Error(), want) {
			t.Errorf("%v, want %q", c, want)
		}
	}
	if err := s.Jog(e, "pan", 1); err != nil {
		t.Fatal(err)
	}
	if err := s.Configure(e, plank()); err == nil {
		t.Error("configured while it moves")
	}
}

// Every fault of wiring is found as what it is on every machine, and gone when it is over.
func TestWiringFaults(t *testing.T) {
	words := map[string]string{link.PretendMissing: "missing", link.PretendUnknown: "unknown",
		link.PretendDirection: "wrong direction", link.PretendAddress: "wrong address", link.PretendPort: "wrong port",
		link.PretendRoute: "no route", link.PretendUniverse: "two on one universe",
		link.PretendCable: "cable too short"}
	for _, id := range []string{"plank", "heron", "wren", "turnstile"} {
		r := every(id)
		s := NewSim(Options{Rig: r, Seed: 3, Pace: 1})
		e, _ := s.Lease()
		found := func() []string {
			out := []string{}
			for _, f := range r.Match(s.Wires()) {
				if f.Word != "ok" {
					out = append(out, f.Word)
				}
			}
			return out
		}
		if f := found(); len(f) != 0 {
			t.Errorf("%s as it is: %v", id, f)
		}
		for _, fault := range link.Wirings {
			if err := s.Pretend(fault, r.Axes[1].ID, true, 0); err != nil {
				t.Fatal(err)
			}
			if f := found(); !slices.Contains(f, words[fault]) || fault != link.PretendRoute && len(f) != 1 {
				t.Errorf("%s with %s: %v", id, fault, f)
			}
			if fault == link.PretendMissing || fault == link.PretendPort || fault == link.PretendRoute {
				if err := s.Jog(e, r.Axes[1].ID, 1); err == nil {
					t.Errorf("%s: what does not answer moves", fault)
				}
			}
			if err := s.Pretend(fault, r.Axes[1].ID, false, 0); err != nil {
				t.Fatal(err)
			}
			for _, a := range r.Axes {
				_ = s.Free(e, a.ID, false)
			}
			if f := found(); len(f) != 0 {
				t.Errorf("%s after %s: %v", id, fault, f)
			}
		}
	}
	// Swapped wires move it the other way; twice told is once.
	s := NewSim(Options{Rig: plank(), Seed: 3, Pace: 1})
	e, _ := s.Lease()
	for range 2 {
		if err := s.Pretend(link.PretendDirection, "pan", true, 0); err != nil {
			t.Fatal(err)
		}
	}
	was := s.axes[1].shaft()
	if err := s.Jog(e, "pan", 5); err != nil {
		t.Fatal(err)
	}
	for range 1000 {
		s.Beat(e, "")
		s.Step()
	}
	if s.axes[1].shaft() >= was {
		t.Error("with swapped wires it goes on as before")
	}
}
