package site_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"keenarc/core/mistake"
	"keenarc/core/site"
)

// random is a network of n tasks, each waiting for some of those before it, in any order.
func random(rng *rand.Rand, n int) []site.Task {
	tasks := make([]site.Task, n)
	for i := range tasks {
		tasks[i] = site.Task{ID: fmt.Sprintf("t%02d", i), Minutes: float64(rng.IntN(60)), People: rng.IntN(3)}
		for j := range i {
			if rng.Float64() < 0.25 {
				tasks[i].After = append(tasks[i].After, tasks[j].ID)
			}
		}
	}
	rng.Shuffle(n, func(a, b int) { tasks[a], tasks[b] = tasks[b], tasks[a] })
	return tasks
}

// Every path through the network, one by one: the longest up to a task is when it ends,
// and what the longest through it lacks of the longest of all is its slack.
func TestCriticalPathsEnumerated(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	for range 200 {
		tasks := random(rng, 2+rng.IntN(8))
		n, err := site.NewNetwork(tasks)
		if err != nil {
			t.Fatal(err)
		}
		at := map[string]int{}
		for i, x := range tasks {
			at[x.ID] = i
		}
		upTo, through := make([]float64, len(tasks)), make([]float64, len(tasks))
		longest := 0.0
		var walk func(way []int, sum float64)
		walk = func(way []int, sum float64) { // backwards, from a task to those before it
			x := tasks[way[len(way)-1]]
			sum += x.Minutes
			for _, id := range x.After {
				walk(append(slices.Clone(way), at[id]), sum)
			}
			if len(x.After) == 0 {
				upTo[way[0]] = max(upTo[way[0]], sum)
				longest = max(longest, sum)
			}
		}
		ends := func(i int) bool {
			return !slices.ContainsFunc(tasks, func(x site.Task) bool { return slices.Contains(x.After, tasks[i].ID) })
		}
		var all func(way []int, sum float64)
		all = func(way []int, sum float64) {
			x := tasks[way[len(way)-1]]
			sum += x.Minutes
			for _, id := range x.After {
				all(append(slices.Clone(way), at[id]), sum)
			}
			if len(x.After) == 0 {
				for _, i := range way {
					through[i] = max(through[i], sum)
				}
			}
		}
		for i := range tasks {
			walk([]int{i}, 0)
			if ends(i) {
				all([]int{i}, 0)
			}
		}
		s := n.Times(n.Minutes())
		if s.Ready != longest {
			t.Fatalf("ready %g, want %g", s.Ready, longest)
		}
		for i, x := range s.Slots {
			if x.End != upTo[i] || x.End-x.Start != tasks[i].Minutes || math.Abs(x.Slack-(longest-through[i])) > 1e-9 {
				t.Fatalf("%s: %+v, want end %g slack %g", tasks[i].ID, x, upTo[i], longest-through[i])
			}
		}
		for k, i := range s.Critical() {
			if s.Slots[i].Slack != 0 || k > 0 && s.Slots[i].Start < s.Slots[s.Critical()[k-1]].Start {
				t.Fatalf("critical: %v of %+v", s.Critical(), s.Slots)
			}
		}
	}
}

// For a crew: nobody is in two places, nothing begins before what it waits for, and no
// task could have begun earlier with all others where they are. A crew that is never
// short changes nothing. A task that is longer by its slack does not move the end.
func TestCrewed(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	for round := range 200 {
		tasks := random(rng, 2+rng.IntN(10))
		n, err := site.NewNetwork(tasks)
		if err != nil {
			t.Fatal(err)
		}
		free := n.Times(n.Minutes())
		if s, err := n.Crewed(n.Minutes(), 1000, 0, nil); err != nil || s.Ready != free.Ready {
			t.Fatalf("%d: nobody short: %g, want %g (%v)", round, s.Ready, free.Ready, err)
		}
		crew := 2 + rng.IntN(3)
		s, err := n.Crewed(n.Minutes(), crew, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		ok := func(s site.Schedule) bool {
			for i, x := range s.Slots {
				for j, y := range s.Slots {
					if slices.Contains(tasks[i].After, tasks[j].ID) && x.Start < y.End-1e-9 {
						return false
					}
				}
				sum := 0
				for j, y := range s.Slots {
					if y.Start <= x.Start && x.Start < y.End {
						sum += tasks[j].People
					}
				}
				if sum > crew {
					return false
				}
			}
			return true
		}
		if !ok(s) {
			t.Fatalf("%d: %+v of %+v with %d", round, s, tasks, crew)
		}
		for i, x := range s.Slots {
			if x.Start >= 1 {
				was := s.Slots[i]
				s.Slots[i].Start, s.Slots[i].End = x.Start-1, x.End-1
				if ok(s) {
					t.Fatalf("%d: %s could begin earlier than %g: %+v", round, tasks[i].ID, x.Start, s)
				}
				s.Slots[i] = was
			}
			if x.Slack < -1e-9 || x.End+x.Slack > s.Ready+1e-9 {
				t.Fatalf("%d: %s has %g of slack", round, tasks[i].ID, x.Slack)
			}
		}
		if len(s.Critical()) == 0 {
			t.Fatalf("%d: nothing decides: %+v", round, s)
		}
	}
}

// By hand: two pairs of hands, three tasks of one pair each beside each other.
func TestCrewedByHand(t *testing.T) {
	n, err := site.NewNetwork([]site.Task{{ID: "a", Minutes: 30, People: 1}, {ID: "b", Minutes: 20, People: 1},
		{ID: "c", Minutes: 25, People: 1}, {ID: "d", Minutes: 10, After: []string{"b", "c"}, People: 2}, {ID: "e",
			Minutes: 100}})
	if err != nil {
		t.Fatal(err)
	}
	s, err := n.Crewed(n.Minutes(), 2, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	// Latest starts: a 70, b 70, c 65, d 90, e 0: e, c, then a before b by name, b after
	// a's or c's hands are free.
	for i, w := range []site.Slot{{0, 30, 60}, {25, 45, 45}, {0, 25, 45}, {45, 55, 45}, {0, 100, 0}} {
		if s.Slots[i] != w {
			t.Errorf("%s: %+v, want %+v", n.Tasks[i].ID, s.Slots[i], w)
		}
	}
	// In mid-day: c took 40 and is over, b runs since minute 5 and should have been over
	// at 25; now is 50. a begins now, b is taken to end now, d after both b and hands.
	f := func(v float64) *float64 { return &v }
	s, err = n.Crewed(n.Minutes(), 2, 50, []site.Done{{}, {Began: f(5)}, {f(0), f(40)}, {}, {Began: f(0)}})
	if err != nil {
		t.Fatal(err)
	}
	for i, w := range []site.Slot{{50, 80, 0}, {5, 50, 0}, {0, 40, 0}, {80, 90, 0}, {0, 100, 0}} {
		if x := s.Slots[i]; x.Start != w.Start || x.End != w.End {
			t.Errorf("in mid-day %s: %+v, want %+v", n.Tasks[i].ID, x, w)
		}
	}
	if _, err := n.Crewed(n.Minutes(), 1, 0, nil); err == nil || !strings.Contains(err.Error(),
		"d needs 2 people and the crew is 1") {
		t.Error(err)
	}
}

// Percentiles do not add: the middle of two tasks side by side is later than either's, and
// four in five of two in a row sooner than the sum of theirs. Known: one task alone has
// its own; two in a row have those of a sum worked out by another road.
func TestForecast(t *testing.T) {
	n, _ := site.NewNetwork([]site.Task{{ID: "a"}})
	w := site.Spread{P50: 40, P80: 60}
	p50, p80, err := n.Forecast([]site.Spread{w}, 0, 0, nil)
	if err != nil || math.Abs(p50-40) > 1.5 || math.Abs(p80-60) > 2.5 {
		t.Errorf("alone: %g, %g, %v", p50, p80, err)
	}
	row, _ := site.NewNetwork([]site.Task{{ID: "a"}, {ID: "b", After: []string{"a"}}})
	side, _ := site.NewNetwork([]site.Task{{ID: "a"}, {ID: "b"}})
	r50, r80, _ := row.Forecast([]site.Spread{w, w}, 0, 0, nil)
	s50, s80, _ := side.Forecast([]site.Spread{w, w}, 0, 0, nil)
	if !(r80 < 117 && r50 > 82 && s50 > 46 && s80 > 67) {
		t.Errorf("in a row %g, %g; side by side %g, %g", r50, r80, s50, s80)
	}
	// The sum by convolution on a grid.
	sigma := math.Log(1.5) / 0.8416212335729143
	cdf := func(x float64) float64 { return math.Erfc(-math.Log(x/40)/sigma/math.Sqrt2) / 2 }
	under := func(x float64) float64 {
		sum, prev := 0.0, 0.0
		for k := 1; k <= 4000; k++ {
			y := x * float64(k) / 4000
			c := cdf(y)
			if z := x - y + x/8000; z > 0 {
				sum += (c - prev) * cdf(z)
			}
			prev = c
		}
		return sum
	}
	if a, b := under(r50), under(r80); math.Abs(a-0.5) > 0.035 || math.Abs(b-0.8) > 0.03 {
		t.Errorf("the sum is under %g with %.3f and under %g with %.3f", r50, a, r80, b)
	}
	again, _, _ := row.Forecast([]site.Spread{w, w}, 0, 0, nil)
	if again != r50 {
		t.Error("the same draws give another answer")
	}
	// What has taken an hour already is not expected to have been over after forty minutes;
	// with no spread it is expected to be over now.
	zero := 0.0
	for _, x := range []struct {
		w        site.Spread
		now      float64
		low, top float64
	}{{w, 60, 62, 80}, {w, 10, 38, 42}, {site.Spread{P50: 40, P80: 40}, 60, 60, 60}, {w, 1e6, 1e6, 1.2e6}} {
		got, four, err := n.Forecast([]site.Spread{x.w}, 1, x.now, []site.Done{{Began: &zero}})
		if err != nil || !(got >= x.low && got <= x.top && four >= got) {
			t.Errorf("after %g min: %g, %g, %v", x.now, got, four, err)
		}
	}
	for _, bad := range []site.Spread{{P50: 40, P80: 30}, {P80: 30}, {P50: -1, P80: 2}, {P50: math.NaN(), P80: 3},
		{P50: 3, P80: math.Inf(1)}} {
		if _, _, err := n.Forecast([]site.Spread{bad}, 0, 0, nil); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

func TestNetworkMistakes(t *testing.T) {
	for want, tasks := range map[string][]site.Task{
		"there are none":            nil,
		"it has none":               {{}},
		`"a" is there twice`:        {{ID: "a"}, {ID: "a"}},
		"a takes -1 minutes":        {{ID: "a", Minutes: -1}},
		"a takes NaN minutes":       {{ID: "a", Minutes: math.NaN()}},
		`a waits for "b", which is`: {{ID: "a", After: []string{"b"}}},
		"b after c after b": {{ID: "a"}, {ID: "b", After: []string{"a", "c"}}, {ID: "c", After: []string{"b"}},
			{ID: "d", After: []string{"c"}}},
		"a after a":              {{ID: "a", After: []string{"a"}}},
		"a keeps -1 people busy": {{ID: "a", People: -1}},
		"there are 501":          make([]site.Task, 501),
	} {
		_, err := site.NewNetwork(tasks)
		var m *mistake.Error
		if !errors.As(err, &m) || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	n, err := site.NewNetwork([]site.Task{{ID: "a"}, {ID: "b", After: []string{"a", "a"}},
		{ID: "c", After: []string{"b"}}})
	if err != nil || !n.Needs(2, 0) || n.Needs(0, 2) || n.Needs(1, 1) {
		t.Error(err)
	}
}

// Five hundred steps, each after all before it: laid at once, not path by path.
func TestDenseNetwork(t *testing.T) {
	tasks := make([]site.Task, 500)
	for i := range tasks {
		tasks[i] = site.Task{ID: fmt.Sprint(i), Minutes: 1, People: 1}
		for j := range i {
			tasks[i].After = append(tasks[i].After, fmt.Sprint(j))
		}
	}
	n, err := site.NewNetwork(tasks)
	if err != nil || !n.Needs(499, 0) || n.Needs(0, 499) || n.Times(n.Minutes()).Ready != 500 {
		t.Fatal(err)
	}
	if s, err := n.Crewed(n.Minutes(), 3, 0, nil); err != nil || s.Ready != 500 || len(s.Critical()) != 500 {
		t.Errorf("%g, %v", s.Ready, err)
	}
}

func BenchmarkForecast(b *testing.B) {
	tasks := random(rand.New(rand.NewPCG(3, 3)), 14)
	n, err := site.NewNetwork(tasks)
	if err != nil {
		b.Fatal(err)
	}
	w := make([]site.Spread, len(tasks))
	for i := range w {
		w[i] = site.Spread{P50: 20, P80: 30}
	}
	for b.Loop() {
		if _, _, err := n.Forecast(w, 4, 0, nil); err != nil {
			b.Fatal(err)
		}
	}
}
