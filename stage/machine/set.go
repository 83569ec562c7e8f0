package machine

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"keenarc/core/rig"
	"keenarc/link"
)

// Set is the machines on the floor. They come and go while the application runs.
type Set struct {
	mu   sync.Mutex
	all  []*Machine
	ends map[*Machine]func() // ends its running and waits
	ctx  context.Context     // while it runs
	subs map[chan struct{}]bool
	halt func(*Machine)
}

// NewSet is a floor with machines on it.
func NewSet(all ...*Machine) *Set {
	s := &Set{ends: map[*Machine]func(){}, subs: map[chan struct{}]bool{}}
	for _, m := range all {
		s.Add(m)
	}
	return s
}

// Add brings a machine onto the floor; where the set runs, it runs too.
func (s *Set) Add(m *Machine) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.all = append(s.all, m)
	m.mu.Lock()
	for ch := range s.subs {
		m.subs[ch] = true
	}
	if s.halt != nil {
		m.halted = s.halt
	}
	m.mu.Unlock()
	if s.ctx != nil {
		s.start(m)
	}
}

// start runs a machine; mu is held.
func (s *Set) start(m *Machine) {
	ctx, cancel := context.WithCancel(s.ctx)
	done := make(chan struct{})
	go func() { // ended and waited for by Remove or Run
		defer close(done)
		_ = m.Run(ctx)
	}()
	s.ends[m] = func() { cancel(); <-done }
}

// Remove takes a machine off the floor, having stopped it.
func (s *Set) Remove(id string) {
	s.mu.Lock()
	i := slices.IndexFunc(s.all, func(m *Machine) bool { return m.id == id })
	if i < 0 {
		s.mu.Unlock()
		return
	}
	m := s.all[i]
	s.all = slices.Delete(slices.Clone(s.all), i, i+1)
	end := s.ends[m]
	delete(s.ends, m)
	s.mu.Unlock()
	if end != nil {
		end()
	}
	s.notify()
}

// Run runs them all until the context ends, and waits for them.
func (s *Set) Run(ctx context.Context) {
	s.mu.Lock()
	s.ctx = ctx
	for _, m := range s.all {
		s.start(m)
	}
	s.mu.Unlock()
	<-ctx.Done()
	s.mu.Lock()
	s.ctx = nil
	ends := s.ends
	s.ends = map[*Machine]func(){}
	s.mu.Unlock()
	var wg sync.WaitGroup
	for _, end := range ends {
		wg.Go(end)
	}
	wg.Wait()
}

// All are the machines on the floor now.
func (s *Set) All() []*Machine {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.all)
}

// Of is a machine by its rig's id.
func (s *Set) Of(id string) (*Machine, error) {
	for _, m := range s.All() {
		if m.id == id {
			return m, nil
		}
	}
	return nil, fmt.Errorf("%w: no machine called %q is connected", ErrNoRig, id)
}

// Now is the newest snapshot of every machine.
func (s *Set) Now() []Snapshot {
	all := s.All()
	out := make([]Snapshot, len(all))
	for i, m := range all {
		out[i] = m.Now()
	}
	return out
}

// Watch returns a channel that is signalled when there is something new of any
// machine, and what ends the watching.
func (s *Set) Watch() (<-chan struct{}, func()) {
	ch := make(chan struct{}, 1)
	s.mu.Lock()
	s.subs[ch] = true
	all := slices.Clone(s.all)
	for _, m := range all {
		m.mu.Lock()
		m.subs[ch] = true
		m.mu.Unlock()
	}
	s.mu.Unlock()
	return ch, func() {
		s.mu.Lock()
		delete(s.subs, ch)
		all := slices.Clone(s.all)
		s.mu.Unlock()
		for _, m := range all {
			m.unwatch(ch)
		}
	}
}

// notify signals those who watch all of them.
func (s *Set) notify() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for ch := range s.subs {
		select {
		case ch <- struct{}{}:
		default:
		}
	}
}

// onHalt has f told of every machine whose activities are over, those too that come later.
func (s *Set) onHalt(f func(*Machine)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.halt = f
	for _, m := range s.all {
		m.mu.Lock()
		m.halted = f
		m.mu.Unlock()
	}
}

// UnreachedError names the machines that a stop did not reach.
type UnreachedError struct{ Machines []error }

func (e *UnreachedError) Error() string { return errors.Join(e.Machines...).Error() }

// Unwrap are the reasons, one for each machine.
func (e *UnreachedError) Unwrap() []error { return e.Machines }

// stop tells all machines at once.
func (s *Set) stop(ctx context.Context) error {
	all := s.All()
	if len(all) == 0 {
		return nil
	}
	failed := make([]error, len(all))
	var wg sync.WaitGroup
	for i, m := range all {
		wg.Go(func() {
			if err := m.Stop(ctx); err != nil {
				failed[i] = fmt.Errorf("%s: %w", m.name, err)
			}
		})
	}
	wg.Wait()
	if failed = slices.DeleteFunc(failed, func(err error) bool { return err == nil }); len(failed) > 0 {
		return &UnreachedError{failed}
	}
	return nil
}

// Gather is what the machines of a shot are doing, as one: their axes under the names that
// they have in the shot, the mode of the one that does most.
func Gather(machines []rig.Placed, all []Snapshot) Snapshot {
	out := Snapshot{Versions: map[string]int{}, Connected: true, Driving: true, Leased: true,
		State: link.State{Mode: link.Idle, Drive: "holding", Axes: map[string]link.AxisState{}}}
	for i, m := range machines {
		s := Snapshot{Machine: m.Rig.ID, Name: m.Rig.Name, Why: "no such machine is connected"}
		for _, x := range all {
			if x.Machine == m.Rig.ID {
				s = x
			}
		}
		out.Versions[m.Rig.ID] = s.Version
		is, mode, axes := &out.State, out.State.Mode, out.State.Axes
		if i == 0 {
			out.Machine, out.Name, out.Boot, out.Loading = s.Machine, s.Name, s.Boot, s.Loading
			*is = s.State
			is.Mode, is.Axes = mode, axes
		}
		if !s.Connected && out.Connected {
			out.Connected, out.Why = false, s.Why
		}
		out.Driving, out.Leased = out.Driving && s.Driving, out.Leased && s.Leased
		out.StandIn, out.Old = out.StandIn || s.StandIn, out.Old || s.Old
		if rank[s.State.Mode] > rank[mode] {
			is.Mode, is.Drive, is.Frame, is.Take = s.State.Mode, s.State.Drive, s.State.Frame, s.State.Take
			is.Press, is.Who = s.State.Press, s.State.Who
		}
		is.EStop = is.EStop || s.State.EStop
		for id, a := range s.State.Axes {
			axes[m.Name+"/"+id] = a
		}
	}
	return out
}

// rank orders modes by how much a machine does.
var rank = map[string]int{link.Idle: 1, link.Armed: 2, link.Jogging: 3, link.Homing: 4, link.Moving: 5, link.Braking: 6,
	link.Rolling: 7}
