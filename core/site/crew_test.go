package site

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"
)

// plainly is the serial schedule as it is told: of the tasks whose predecessors are set that with the
// earliest latest start (then by id), at the first time at which so many hands are free for so long.
func plainly(n *Network, minutes []float64, crew int, now float64, done []Done) []Slot {
	free := n.Times(minutes)
	slots := make([]Slot, len(n.Tasks))
	set := make([]bool, len(n.Tasks))
	for i, d := range done {
		switch {
		case d.Ended != nil:
			slots[i], set[i] = Slot{Start: min(*d.Began, *d.Ended), End: *d.Ended}, true
		case d.Began != nil:
			slots[i], set[i] = Slot{Start: *d.Began, End: max(*d.Began+minutes[i], now)}, true
		}
	}
	busy := func(t float64) int {
		sum := 0
		for j, x := range slots {
			if set[j] && x.Start <= t && t < x.End {
				sum += n.Tasks[j].People
			}
		}
		return sum
	}
	for slices.Contains(set, false) {
		next := -1
		for i := range n.Tasks {
			if set[i] || slices.ContainsFunc(n.after[i], func(j int) bool { return !set[j] }) {
				continue
			}
			late := func(i int) float64 { return free.Slots[i].Start + free.Slots[i].Slack }
			if next < 0 || late(i) < late(next)-noSlack || late(i) <= late(next)+noSlack && n.Tasks[i].ID <
				n.Tasks[next].ID {
				next = i
			}
		}
		at := now
		for _, j := range n.after[next] {
			at = max(at, slots[j].End)
		}
		if n.Tasks[next].People > 0 && minutes[next] > 0 {
			times := []float64{at}
			for j, x := range slots {
				if set[j] && x.End > at {
					times = append(times, x.End)
				}
			}
			slices.Sort(times)
			at = times[len(times)-1]
			for _, t := range times {
				most := busy(t)
				for j, x := range slots {
					if set[j] && x.Start > t && x.Start < t+minutes[next] {
						most = max(most, busy(x.Start))
					}
				}
				if most+n.Tasks[next].People <= crew {
					at = t
					break
				}
			}
		}
		slots[next], set[next] = Slot{Start: at, End: at + minutes[next]}, true
	}
	return slots
}

func TestCrewedAsTold(t *testing.T) {
	rng := rand.New(rand.NewPCG(30, 5))
	for round := range 1500 {
		var tasks []Task
		dense := rng.Float64()
		for i := range 1 + rng.IntN(12) {
			x := Task{ID: fmt.Sprint("t", rng.IntN(1000), "-", i), Minutes: float64(rng.IntN(6)), People: rng.IntN(4)}
			for j := range i {
				if rng.Float64() < dense {
					x.After = append(x.After, tasks[j].ID)
				}
			}
			tasks = append(tasks, x)
		}
		n, err := NewNetwork(tasks)
		if err != nil {
			t.Fatal(err)
		}
		var done []Done
		now := 0.0
		if rng.IntN(2) == 0 {
			now = float64(rng.IntN(15))
			for range tasks {
				d, began := Done{}, rng.Float64()*now
				switch rng.IntN(4) {
				case 0:
					ended := began + rng.Float64()*(now-began)
					d = Done{Began: &began, Ended: &ended}
				case 1:
					d = Done{Began: &began}
				}
				done = append(done, d)
			}
		}
		minutes := n.Minutes()
		got, err := n.lay(&layout{}, minutes, 3, now, done)
		if err != nil {
			t.Fatal(err)
		}
		for i, want := range plainly(n, minutes, 3, now, done) {
			if math.Abs(got.Slots[i].Start-want.Start) > 1e-9 || math.Abs(got.Slots[i].End-want.End) > 1e-9 {
				t.Fatalf("%d: %s is at %+v, want %+v\n%+v\n%+v", round, tasks[i].ID, got.Slots[i], want, tasks, done)
			}
		}
	}
}

// Five hundred tasks of which each waits for all before it are forecast as those are that wait for the
// last one alone, and about as fast.
func TestDenseNetwork(t *testing.T) {
	network := func(dense bool) *Network {
		var tasks []Task
		for i := range mostTasks {
			x := Task{ID: fmt.Sprintf("t%03d", i), Minutes: 1, People: 1}
			for j := range i {
				if dense || j == i-1 {
					x.After = append(x.After, tasks[j].ID)
				}
			}
			tasks = append(tasks, x)
		}
		n, err := NewNetwork(tasks)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	spreads := make([]Spread, mostTasks)
	for i := range spreads {
		spreads[i] = Spread{P50: 1, P80: 1.5}
	}
	var ready [2][2]float64
	for k, dense := range []bool{false, true} {
		began := time.Now()
		n := network(dense)
		p50, p80, err := n.Forecast(spreads, 2, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		ready[k] = [2]float64{p50, p80}
		edges := 0
		for _, x := range n.near {
			edges += len(x)
		}
		t.Logf("dense %v: %v, %d of its arrows count", dense, time.Since(began).Round(time.Millisecond), edges)
		if edges != mostTasks-1 {
			t.Errorf("%d arrows are left", edges)
		}
	}
	if ready[0] != ready[1] {
		t.Errorf("%v", ready)
	}
}
