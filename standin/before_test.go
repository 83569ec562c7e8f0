package standin

import (
	"testing"

	"keenarc/examples"
	"keenarc/link"
)

// One that begins homed is where homing ends, and only what can do it by itself is.
func TestHomedBefore(t *testing.T) {
	for id, r := range examples.Rigs() {
		s := NewSim(Options{Rig: r, Seed: 3, Pace: 1, Homed: true})
		if err := s.homeBefore(); err != nil {
			t.Fatal(id, err)
		}
		for _, a := range r.Axes {
			is := s.State().Axes[a.ID]
			if is.Homed != a.Ways()[0].Alone() {
				t.Errorf("%s %s: homed %v, its own way is %s", id, a.ID, is.Homed, a.Ways()[0])
			}
			if off := is.Asked - is.Pos; is.Homed && (off > 1 || off < -1) {
				t.Errorf("%s %s: asked %g, seen %g", id, a.ID, is.Asked, is.Pos)
			}
		}
	}
}

// A homing that was broken off leaves nothing behind: a go-to after it is watched like any other,
// and slows to rest when the connection falls silent.
func TestSilenceAfterABrokenHoming(t *testing.T) {
	s := NewSim(Options{Rig: examples.Rigs()["plank"], Seed: 3, Pace: 1})
	if err := s.homeBefore(); err != nil {
		t.Fatal(err)
	}
	epoch, err := s.Lease()
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Home(epoch, nil, ""); err != nil {
		t.Fatal(err)
	}
	for range longestHoming { // stopped when all zeros are found and it still moves
		s.Heard()
		s.Step()
		if _, homed := s.homed(); homed {
			break
		}
	}
	if s.mode != link.Homing {
		t.Skip("it rests when the last zero is found")
	}
	s.Count("stop")
	for range 10_000 {
		s.Heard()
		s.Step()
	}
	if err := s.GoTo(epoch, map[string]float64{"track": 1000}, 0); err != nil {
		t.Fatal(err)
	}
	for range link.SilenceMS + 1 { // nobody says anything
		s.Step()
	}
	if s.brake == nil {
		t.Error("a go-to goes on though the connection is silent")
	}
}
