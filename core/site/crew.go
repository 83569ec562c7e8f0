package site

import (
	"cmp"
	"fmt"
	"slices"

	"keenarc/core/mistake"
)

// Done is how far a task is: when it was begun and when it ended, in minutes from the
// start; nil: not yet.
type Done struct{ Began, Ended *float64 }

// Crewed is the schedule for so many people: tasks one after another, that with the
// earliest latest start first (then by id), each as early as those before it and free
// hands allow. What has begun or ended stands where it was, and nothing else begins before
// now. Its slack is over both what waits for what and who goes on to what.
func (n *Network) Crewed(minutes []float64, crew int, now float64, done []Done) (Schedule, error) {
	s, err := n.lay(&layout{}, minutes, crew, now, done)
	if err == nil {
		n.follow(&s, crew)
	}
	return s, err
}

// layout is the room that laying takes, to be used again.
type layout struct {
	free, laid Schedule
	latest     []float64
	set        []bool
	waits      []int
	busy       profile
}

// lay is Crewed without the slack; the schedule is good until its room is used again.
func (n *Network) lay(l *layout, minutes []float64, crew int, now float64, done []Done) (Schedule, error) {
	for i, t := range n.Tasks {
		if t.People > crew {
			return Schedule{}, mistake.In(fmt.Sprintf("tasks[%d].people", i), "give a larger crew, or let fewer do it",
				"%s needs %d people and the crew is %d", t.ID, t.People, crew)
		}
	}
	n.early(&l.free, minutes)
	l.latest = fresh(l.latest, len(n.Tasks))
	l.free.loosen(n.order, n.next, l.latest)
	first := func(i int) float64 { return l.free.Slots[i].Start + l.free.Slots[i].Slack } // latest start
	l.laid.Slots, l.laid.Ready = fresh(l.laid.Slots, len(n.Tasks)), 0
	l.set, l.waits = fresh(l.set, len(n.Tasks)), fresh(l.waits, len(n.Tasks))
	l.busy.at, l.busy.work = l.busy.at[:0], l.busy.work[:0]
	s, set, waits, busy := &l.laid, l.set, l.waits, &l.busy
	after, then := n.near, n.next
	if done != nil { // what was begun too early did not wait for all that it should have
		after, then = n.after, n.then
	}
	for i := range n.Tasks { // for how many that are not set yet
		waits[i] = len(after[i])
	}
	left := len(n.Tasks)
	put := func(i int, start, end float64) {
		s.Slots[i] = Slot{Start: start, End: end}
		set[i] = true
		left--
		busy.add(start, end, n.Tasks[i].People)
		s.Ready = max(s.Ready, end)
		for _, j := range then[i] {
			waits[j]--
		}
	}
	for i, d := range done {
		switch {
		case d.Ended != nil:
			begun := *d.Ended
			if d.Began != nil {
				begun = min(*d.Began, begun)
			}
			put(i, begun, *d.Ended)
		case d.Began != nil:
			put(i, *d.Began, max(*d.Began+minutes[i], now))
		}
	}
	for left > 0 {
		next := -1
		for i := range n.Tasks {
			if set[i] || waits[i] > 0 {
				continue
			}
			if next < 0 || first(i) < first(next)-noSlack || first(i) <= first(next)+noSlack && n.Tasks[i].ID <
				n.Tasks[next].ID {
				next = i
			}
		}
		at := now
		for _, j := range after[next] {
			at = max(at, s.Slots[j].End)
		}
		if n.Tasks[next].People > 0 && minutes[next] > 0 { // else nobody is kept
			at = busy.free(at, minutes[next], crew-n.Tasks[next].People)
		}
		put(next, at, at+minutes[next])
	}
	return *s, nil
}

// profile is how many are at work from each of its times on, until the next.
type profile struct {
	at   []float64
	work []int
}

// add has so many at work from start to end.
func (p *profile) add(start, end float64, people int) {
	if people == 0 || !(end > start) {
		return
	}
	for k := p.cut(start); k < p.cut(end); k++ {
		p.work[k] += people
	}
}

// cut is the index of a time, which is put in where it was not.
func (p *profile) cut(t float64) int {
	k, there := slices.BinarySearch(p.at, t)
	if !there {
		was := 0
		if k > 0 {
			was = p.work[k-1]
		}
		p.at, p.work = slices.Insert(p.at, k, t), slices.Insert(p.work, k, was)
	}
	return k
}

// free is the first time from at on from which for so long at most so many are at work.
func (p *profile) free(at, minutes float64, most int) float64 {
	k, there := slices.BinarySearch(p.at, at)
	if !there && k > 0 {
		k-- // at work since before
	}
	for ; k < len(p.at) && p.at[k] < at+minutes; k++ {
		if p.work[k] > most && (k+1 == len(p.at) || p.at[k+1] > at) {
			if k+1 == len(p.at) {
				return p.at[k]
			}
			at = p.at[k+1]
		}
	}
	return at
}

// follow sends each pair of hands from what it did to what it does next, those that come
// from what a task waits for first, and works out the slack over that.
func (n *Network) follow(s *Schedule, crew int) {
	order := slices.Clone(n.order)
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s.Slots[a].Start, s.Slots[b].Start) })
	then := make([][]int, len(n.Tasks))
	for i := range then {
		for _, j := range n.then[i] { // what began too early did not wait
			if s.Slots[j].Start >= s.Slots[i].End-noSlack {
				then[i] = append(then[i], j)
			}
		}
	}
	from := make([]int, crew) // what each pair of hands did last
	for h := range from {
		from[h] = -1
	}
	for _, i := range order {
		for range n.Tasks[i].People {
			best := -1
			for h, j := range from {
				if j == i || j >= 0 && s.Slots[j].End > s.Slots[i].Start+noSlack {
					continue
				}
				if best < 0 || rank(n, i, j) < rank(n, i, from[best]) {
					best = h
				}
			}
			if best < 0 {
				break // more were at work than there are: it happened all the same
			}
			if j := from[best]; j >= 0 && !slices.Contains(then[j], i) {
				then[j] = append(then[j], i)
			}
			from[best] = i
		}
	}
	s.loosen(order, then, make([]float64, len(n.Tasks)))
}

// rank is how willingly hands that did j go on to i.
func rank(n *Network, i, j int) int {
	switch {
	case j >= 0 && slices.Contains(n.after[i], j):
		return 0
	case j < 0:
		return 1
	}
	return 2
}
