package act_test

import (
	"context"
	"encoding/json"
	"math"
	"strings"
	"testing"
	"time"

	"keenarc/examples"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/standin"
	"keenarc/standin/standintest"
)

// A jog begins at a crawl, and moves no point of the machine faster than FastestMPS.
func TestJogSpeeds(t *testing.T) {
	at := func(string) float64 { return 0 }
	for held, want := range map[time.Duration]int{0: 0, 699 * time.Millisecond: 0, 700 * time.Millisecond: 1,
		1999 * time.Millisecond: 1, 2 * time.Second: 2, time.Hour: 2} {
		if got := act.JogStage(held); got != want {
			t.Errorf("after %v stage %d, want %d", held, got, want)
		}
	}
	for id, r := range examples.Rigs() {
		for i, a := range r.Axes {
			v := act.JogSpeed(r, at, i)
			if !(v > 0 && v <= a.Working.Speed) {
				t.Errorf("%s %s: %g", id, a.ID, v)
			}
		}
	}
	r := examples.Rigs()["plank"]
	if v := act.JogSpeed(r, at, r.Index("track")); math.Abs(v-250) > 1e-6 {
		t.Errorf("the slider goes %g mm/s", v)
	}
	if v := act.JogSpeed(r, at, r.Index("focus")); v != 80 {
		t.Errorf("a ring that moves nothing turns at %g °/s", v)
	}
	// Heron's swing has a long arm: its working speed would be too much.
	h := examples.Rigs()["heron"]
	i := h.Index("swing")
	v := act.JogSpeed(h, at, i)
	if v >= h.Axes[i].Working.Speed {
		t.Errorf("Heron swings at %g °/s", v)
	}
}

// Homed several times with one press, the rig says how far they lie apart; a stop ends it.
func TestHomedSeveralTimes(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		for _, n := range []int{0, act.MostHomings + 1} {
			if err := f.Home(act.Homing{Times: n}); err == nil {
				t.Errorf("homed %d times", n)
			}
		}
		if err := f.Home(act.Homing{Axes: []string{"pan"}, Times: 4}); err != nil {
			t.Fatal(err)
		}
		f.until("four homings", func(s machine.Snapshot) bool {
			return s.State.Axes["pan"].Spread.N == 4 && s.State.Mode == link.Idle
		})
		if s := f.Now().State; s.Axes["pan"].Spread.Range <= 0 || s.Axes["pan"].Spread.Range > 0.01 ||
			s.Axes["track"].Spread.N != 0 {
			t.Errorf("%+v", s.Axes)
		}
		if err := f.Home(act.Homing{Axes: []string{"pan"}, Times: 10}); err != nil {
			t.Fatal(err)
		}
		f.until("homing", func(s machine.Snapshot) bool { return s.State.Mode == link.Homing })
		if err := f.Stop(t.Context()); err != nil {
			t.Fatal(err)
		}
		f.until("rest", idle)
		time.Sleep(15 * time.Second) // six homings' time
		if s := f.Now().State; s.Mode != link.Idle || s.Axes["pan"].Spread.N > 5 {
			t.Errorf("after a stop it is %s, homed %d times", s.Mode, s.Axes["pan"].Spread.N)
		}
	})
}

// What a homing found is written down, each time, and what broke one off is said.
func TestHomingsAreWrittenDown(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		if err := f.Home(act.Homing{Axes: []string{"pan", "roll"}, Times: 3}); err != nil {
			t.Fatal(err)
		}
		f.until("three", func(s machine.Snapshot) bool { return s.Homings == 3 })
		if err := f.Home(act.Homing{Axes: []string{"roll"}, Way: "hard stop", Times: 1}); err != nil {
			t.Fatal(err)
		}
		f.until("four", func(s machine.Snapshot) bool { return s.Homings == 4 })
		var found []journal.Homed
		for _, e := range f.journal.Entries {
			if e.Kind != "homed" {
				continue
			}
			var d journal.Homed
			if err := json.Unmarshal(e.Data, &d); err != nil || d.Machine != "plank" || e.Actor != ann {
				t.Errorf("%+v, %v", e, err)
			}
			found = append(found, d)
		}
		if len(found) != 4 {
			t.Fatalf("%d homings written down", len(found))
		}
		for n, d := range found[:3] {
			if len(d.Axes) != 2 || d.Axes[0].Axis != "pan" || d.Axes[0].N != n+1 || d.Axes[0].Way != "sensor edge" {
				t.Errorf("homing %d: %+v", n+1, d)
			}
		}
		if last := found[3].Axes; len(last) != 1 || last[0].Axis != "roll" || last[0].Way != "hard stop" ||
			last[0].N != 4 || last[0].At == 0 {
			t.Errorf("%+v", last)
		}
		for _, wrong := range []act.Homing{{Axes: []string{"pan"}, Way: "hard stop", Times: 1},
			{Axes: []string{"pan"}, Way: "by hand", Times: 1}} {
			if err := f.Home(wrong); err == nil {
				t.Errorf("%+v: begun", wrong)
			}
		}
		// Shown by a person: low, then high; the limits go with the word.
		if err := f.c.Confirm(t.Context(), f.now(), "plank", []string{"pan"}, link.WaitsMark); err != nil {
			t.Fatal(err)
		}
		f.until("five", func(s machine.Snapshot) bool { return s.Homings == 5 })
		if err := f.c.Confirm(t.Context(), f.now(), "plank", []string{"pan"}, link.WaitsHigh); err == nil {
			t.Error("a high end before the low one")
		}
		if err := f.c.Suspend(t.Context(), f.now(), "plank", "pan", 3); err != nil {
			t.Fatal(err)
		}
		f.until("suspended", func(s machine.Snapshot) bool { return s.State.Axes["pan"].SuspendedMS > 0 })
		if err := f.GoTo(map[string]float64{"pan": 1}); err == nil {
			t.Error("it goes somewhere without limits")
		}
		f.until("back on by itself", func(s machine.Snapshot) bool { return s.State.Axes["pan"].SuspendedMS == 0 })
		text := f.journal.Text()
		for _, want := range []string{"homing started on Pan, Roll, 3 times", "Roll homed.",
			"confirmed at its witness mark", "the soft limits of Pan are off for 3 s"} {
			if !strings.Contains(text, want) {
				t.Errorf("the log does not say %q:\n%s", want, text)
			}
		}
	})
}

// Every machine that ships, on a floor of its own: homed in its own ways, what waits for a
// person confirmed, sent somewhere with all axes arriving together, jogged to a place and
// no farther, asked what is on its wires, given another version of itself.
func TestEveryMachineThatShips(t *testing.T) {
	for id, r := range examples.Rigs() {
		t.Run(id, func(t *testing.T) {
			inItsTime(t, func(t *testing.T) {
				door, _ := standintest.Start(t, standin.Options{Rig: r, Seed: 9})
				f := &floor{t: t, journal: &journal.Memory{}}
				f.dial = func(ctx context.Context) (link.Rig, error) { return door.Dial(ctx) }
				f.put(id, r.Name, f.journal)
				f.run()
				f.until("the rig", seen)
				if err := f.Home(act.Homing{Times: 1}); err != nil {
					t.Fatal(err)
				}
				f.until("what was found", func(s machine.Snapshot) bool {
					return s.Homings == 1 && s.State.Mode == link.Idle
				})
				for axis, a := range f.Now().State.Axes {
					if a.Waits == "" {
						continue
					}
					if err := f.c.Confirm(t.Context(), f.now(), id, []string{axis}, a.Waits); err != nil {
						t.Error(err)
					}
				}
				f.until("homed", func(s machine.Snapshot) bool { return s.State.AllHomed() })
				to := map[string]float64{}
				for _, a := range r.Axes {
					to[a.ID] = a.Min + 0.4*(a.Max-a.Min)
				}
				if err := f.GoTo(to); err != nil {
					t.Fatal(err)
				}
				f.until("there", func(s machine.Snapshot) bool {
					for a, v := range to {
						if math.Abs(s.State.Asked(a)-v) > 1e-6 {
							return false
						}
					}
					return s.State.Mode == link.Idle
				})
				a := r.Axes[0]
				until := to[a.ID] + 0.02*(a.Max-a.Min)
				j, err := f.c.Jog(t.Context(), f.now(), id, "one",
					act.Jogging{Axis: a.ID, Way: 1, Share: 1, Until: &until})
				if err != nil {
					t.Fatal(err)
				}
				for late := time.Now().Add(5 * time.Minute); math.Abs(f.Now().State.Asked(a.ID)-until) > 1e-3 &&
					time.Now().Before(late); time.Sleep(20 * time.Millisecond) {
					if err := j.Beat(t.Context()); err != nil {
						t.Fatal(err)
					}
				}
				j.Release()
				f.until("rest", idle)
				if v := f.Now().State.Asked(a.ID); math.Abs(v-until) > 1e-3 {
					t.Errorf("jogged as far as %g it stands at %g", until, v)
				}
				seen, err := f.Wires(t.Context())
				if err != nil {
					t.Fatal(err)
				}
				for _, x := range r.Match(seen) {
					if x.Word != "ok" {
						t.Errorf("%+v", x)
					}
				}
				next := examples.Rigs()[id]
				next.Version++
				if err := f.c.Configure(t.Context(), f.now(), id, next); err != nil {
					t.Fatal(err)
				}
				f.until("its new version", func(machine.Snapshot) bool {
					return f.Rig() != nil && f.Rig().Version == next.Version
				})
				if err := f.c.Configure(t.Context(), f.now(), id,
					examples.Rigs()[map[bool]string{true: "heron", false: "plank"}[id == "plank"]]); err == nil {
					t.Error("it takes another's description")
				}
			})
		})
	}
}
