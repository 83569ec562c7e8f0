package standin

import (
	"testing"

	"keenarc/examples"
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
