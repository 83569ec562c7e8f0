package stage

import (
	"math"
	"testing"
	"time"

	"keenarc/examples"
	"keenarc/link"
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

// Homed several times with one press, the rig says how far they lie apart; a stop ends it.
func TestHomedSeveralTimes(t *testing.T) {
	f := newFloor(t, 50)
	f.until("the rig", func(s Snapshot) bool { return s.Connected && s.State.N > 0 })
	for _, n := range []int{0, MostHomings + 1} {
		if err := f.Home(t.Context(), ann, "", nil, n); err == nil {
			t.Errorf("homed %d times", n)
		}
	}
	if err := f.Home(t.Context(), ann, "", []string{"pan"}, 4); err != nil {
		t.Fatal(err)
	}
	f.until("four homings", func(s Snapshot) bool { return s.State.Spread["pan"].N == 4 && s.State.Mode == link.Idle })
	if s := f.Now().State; s.Spread["pan"].Range <= 0 || s.Spread["pan"].Range > 0.01 || s.Spread["track"].N != 0 {
		t.Errorf("%+v", s.Spread)
	}
	if err := f.Home(t.Context(), ann, "", []string{"pan"}, 10); err != nil {
		t.Fatal(err)
	}
	f.until("homing", func(s Snapshot) bool { return s.State.Mode == link.Homing })
	if err := f.Stop(t.Context()); err != nil {
		t.Fatal(err)
	}
	f.until("rest", func(s Snapshot) bool { return s.State.Mode == link.Idle })
	time.Sleep(300 * time.Millisecond) // six homings' time in this hurry
	if s := f.Now().State; s.Mode != link.Idle || s.Spread["pan"].N > 5 {
		t.Errorf("after a stop it is %s, homed %d times", s.Mode, s.Spread["pan"].N)
	}
}
