package stage

import (
	"math"
	"testing"
	"time"

	"keenarc/examples"
)

// A jog begins at a crawl, and moves no point of the machine faster than FastestMPS.
func TestJogSpeeds(t *testing.T) {
	for held, want := range map[time.Duration]int{0: 0, 699 * time.Millisecond: 0, 700 * time.Millisecond: 1, 1999 * time.Millisecond: 1, 2 * time.Second: 2, time.Hour: 2} {
		if got := jogStage(held); got != want {
			t.Errorf("after %v stage %d, want %d", held, got, want)
		}
	}
	for id, r := range examples.Rigs() {
		pos := map[string]float64{}
		for i, a := range r.Axes {
			v := JogSpeed(r, pos, i)
			if !(v > 0 && v <= a.Working.Speed) {
				t.Errorf("%s %s: %g", id, a.ID, v)
			}
		}
	}
	r := examples.Rigs()["plank"]
	if v := JogSpeed(r, nil, r.Index("track")); math.Abs(v-250) > 1e-6 {
		t.Errorf("the slider goes %g mm/s", v)
	}
	if v := JogSpeed(r, nil, r.Index("focus")); v != 80 {
		t.Errorf("a ring that moves nothing turns at %g °/s", v)
	}
	// Heron's swing has a long arm: its working speed would be too much.
	h := examples.Rigs()["heron"]
	i := h.Index("swing")
	v := JogSpeed(h, nil, i)
	if v >= h.Axes[i].Working.Speed {
		t.Errorf("Heron swings at %g °/s", v)
	}
}
