// Package site is what a place asks before anything moves: who does what until the rig is
// ready and when that is, whether the supply bears it, and how the track lies.
//
// Minutes count from the start of a set-up; volts, amperes and watts are RMS; lengths are
// metres unless a name says millimetres. Every function is pure: now is an argument.
package site

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"keenarc/core/mistake"
)

// Task is one step of a network: how long it takes and what must be done before it.
type Task struct {
	ID      string
	Minutes float64
	After   []string
	// People are how many it keeps busy; 0: it waits for somebody from outside.
	People int
}

// Network is tasks in an order that has no circle.
type Network struct {
	Tasks []Task
	order []int    // each after all that it waits for
	after [][]int  // what a task waits for
	then  [][]int  // what waits for it
	needs [][]bool // whether a task waits for another, be it over others
	// The same without what follows from the rest: of a dense network a small part.
	near, next [][]int
}

// Slot is when a task happens, and by how much it may be longer or later before the end
// is. Minutes from the start.
type Slot struct{ Start, End, Slack float64 }

// Schedule is a slot for every task, in the tasks' order, and when the last one ends.
type Schedule struct {
	Slots []Slot
	Ready float64
}

const (
	mostTasks   = 500
	mostMinutes = 100_000.0
	// A minute's tiny part that is no slack.
	noSlack = 1e-9
)

// NewNetwork checks tasks and orders them. A circle is a mistake that lists it.
func NewNetwork(tasks []Task) (*Network, error) {
	n := &Network{Tasks: tasks, after: make([][]int, len(tasks)), then: make([][]int, len(tasks))}
	if len(tasks) == 0 {
		return nil, mistake.In("tasks", "give each step with its minutes and what it waits for", "there are none")
	}
	if len(tasks) > mostTasks {
		return nil, mistake.In("tasks", fmt.Sprintf("give at most %d", mostTasks), "there are %d", len(tasks))
	}
	at := map[string]int{}
	for i, t := range tasks {
		field := fmt.Sprintf("tasks[%d]", i)
		if t.ID == "" {
			return nil, mistake.In(field+".id", "give it a name of its own", "it has none")
		}
		if _, twice := at[t.ID]; twice {
			return nil, mistake.In(field+".id", "give it a name of its own", "%q is there twice", t.ID)
		}
		if !(t.Minutes >= 0 && t.Minutes <= mostMinutes) {
			return nil, mistake.In(field+".minutes", "give minutes, 0 or more", "%s takes %g minutes", t.ID, t.Minutes)
		}
		if t.People < 0 || t.People > 1000 {
			return nil, mistake.In(field+".people", "give 0 to 1000", "%s keeps %d people busy", t.ID, t.People)
		}
		at[t.ID] = i
	}
	for i, t := range tasks {
		for k, id := range t.After {
			j, ok := at[id]
			if !ok {
				return nil, mistake.In(fmt.Sprintf("tasks[%d].after[%d]", i, k), "name a step that is there",
					"%s waits for %q, which is not there", t.ID, id)
			}
			if !slices.Contains(n.after[i], j) {
				n.after[i], n.then[j] = append(n.after[i], j), append(n.then[j], i)
			}
		}
	}
	waits := make([]int, len(tasks))
	for i := range tasks {
		if waits[i] = len(n.after[i]); waits[i] == 0 {
			n.order = append(n.order, i)
		}
	}
	for k := 0; k < len(n.order); k++ {
		for _, j := range n.then[n.order[k]] {
			if waits[j]--; waits[j] == 0 {
				n.order = append(n.order, j)
			}
		}
	}
	if len(n.order) < len(tasks) {
		return nil, mistake.In("tasks", "let one of them wait for less", "they wait for each other in a circle: %s",
			strings.Join(n.circle(waits), " after "))
	}
	n.needs = make([][]bool, len(tasks))
	for _, i := range n.order {
		n.needs[i] = make([]bool, len(tasks))
		for _, j := range n.after[i] {
			n.needs[i][j] = true
			for k, v := range n.needs[j] {
				n.needs[i][k] = n.needs[i][k] || v
			}
		}
	}
	n.thin()
	return n, nil
}

// thin leaves out of what a task waits for that for which something else waits, for which it waits.
func (n *Network) thin() {
	n.near, n.next = make([][]int, len(n.Tasks)), make([][]int, len(n.Tasks))
	for i := range n.Tasks {
		for _, j := range n.after[i] {
			if !slices.ContainsFunc(n.after[i], func(k int) bool { return n.needs[k][j] }) {
				n.near[i], n.next[j] = append(n.near[i], j), append(n.next[j], i)
			}
		}
	}
}

// circle walks back from a task that still waits, until it has been there.
func (n *Network) circle(waits []int) []string {
	i := slices.IndexFunc(waits, func(w int) bool { return w > 0 })
	var way []int
	for !slices.Contains(way, i) {
		way = append(way, i)
		for _, j := range n.after[i] {
			if waits[j] > 0 {
				i = j
				break
			}
		}
	}
	way = append(way[slices.Index(way, i):], i)
	names := make([]string, len(way))
	for k, j := range way {
		names[k] = n.Tasks[j].ID
	}
	return names
}

// Minutes are the tasks' own, in their order.
func (n *Network) Minutes() []float64 {
	m := make([]float64, len(n.Tasks))
	for i := range m {
		m[i] = n.Tasks[i].Minutes
	}
	return m
}

// Needs says whether task i waits for task j, be it over others.
func (n *Network) Needs(i, j int) bool { return n.needs[i][j] }

// Times is the schedule when nobody is short (critical path method, Kelley and Walker
// 1959): each task as early as what it waits for lets it, with its total slack.
func (n *Network) Times(minutes []float64) Schedule {
	var s Schedule
	n.early(&s, minutes)
	s.loosen(n.order, n.next, make([]float64, len(n.Tasks)))
	return s
}

// early is Times without the slack, into a schedule whose room is used again.
func (n *Network) early(s *Schedule, minutes []float64) {
	s.Slots, s.Ready = fresh(s.Slots, len(n.Tasks)), 0
	for _, i := range n.order {
		at := 0.0
		for _, j := range n.near[i] {
			at = max(at, s.Slots[j].End)
		}
		s.Slots[i] = Slot{Start: at, End: at + minutes[i]}
		s.Ready = max(s.Ready, at+minutes[i])
	}
}

// fresh is room for so many, all nought, the old one where it is large enough.
func fresh[T any](room []T, n int) []T {
	if cap(room) < n {
		return make([]T, n)
	}
	room = room[:n]
	clear(room)
	return room
}

// loosen works out the slack, back from the end over what waits for what; order is one in
// which each comes after what it waits for. latest is room for when each may end at the latest.
func (s *Schedule) loosen(order []int, then [][]int, latest []float64) {
	for k := len(order) - 1; k >= 0; k-- {
		i := order[k]
		end := s.Ready
		for _, j := range then[i] {
			end = min(end, latest[j])
		}
		x := &s.Slots[i]
		latest[i] = end - (x.End - x.Start)
		if x.Slack = end - x.End; x.Slack < noSlack {
			x.Slack = 0
		}
	}
}

// Critical are the tasks without slack, by when they start.
func (s Schedule) Critical() []int {
	c := []int{}
	for i := range s.Slots {
		if s.Slots[i].Slack == 0 {
			c = append(c, i)
		}
	}
	slices.SortStableFunc(c, func(a, b int) int { return cmp.Compare(s.Slots[a].Start, s.Slots[b].Start) })
	return c
}
