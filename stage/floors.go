package stage

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/link"
)

// Floors are the floors of all machines that are connected.
type Floors []*Floor

// Run runs them all until the context ends.
func (fs Floors) Run(ctx context.Context) {
	var wg sync.WaitGroup
	for _, f := range fs {
		wg.Go(func() { _ = f.Run(ctx) })
	}
	wg.Wait()
}

// Of is the floor of a machine, by its rig's id.
func (fs Floors) Of(machine string) (*Floor, error) {
	for _, f := range fs {
		if f.machine == machine {
			return f, nil
		}
	}
	return nil, fmt.Errorf("%w: no machine called %q is connected", ErrNoRig, machine)
}

// Now is the newest snapshot of every machine.
func (fs Floors) Now() []Snapshot {
	out := make([]Snapshot, len(fs))
	for i, f := range fs {
		out[i] = f.Now()
	}
	return out
}

// Watch returns a channel that is signalled when there is something new of any
// machine, and what ends the watching.
func (fs Floors) Watch() (<-chan struct{}, func()) {
	ch := make(chan struct{}, 1)
	for _, f := range fs {
		f.mu.Lock()
		f.subs[ch] = true
		f.mu.Unlock()
	}
	return ch, func() {
		for _, f := range fs {
			f.mu.Lock()
			delete(f.subs, ch)
			f.mu.Unlock()
		}
	}
}

// Stop slows whatever moves on any machine. All are told at once, and one that does
// not answer holds up no other; what did not answer is named in the error.
func (fs Floors) Stop(ctx context.Context, who journal.Person) error {
	failed := make([]error, len(fs))
	var wg sync.WaitGroup
	for i, f := range fs {
		wg.Go(func() {
			if err := f.Stop(ctx); err != nil && !errors.Is(err, ErrNoRig) {
				failed[i] = fmt.Errorf("%s: %w", f.name, err)
			}
		})
	}
	wg.Wait()
	if len(fs) > 0 {
		fs[0].note(journal.Entry{Actor: who, Kind: "stop", Text: "Stop was pressed."})
	}
	return errors.Join(failed...)
}

// Gather is what the machines of a shot are doing, as one: positions and the like
// under the names that axes have in the shot, the mode of the one that does most.
func Gather(machines []rig.Placed, all []Snapshot) Snapshot {
	out := Snapshot{Versions: map[string]int{}, Connected: true, Driving: true, State: link.State{Mode: link.Idle, Drive: "holding",
		Pos: map[string]float64{}, Asked: map[string]float64{}, Homed: map[string]bool{}, Spread: map[string]link.Spread{},
		Free: map[string]bool{}, Ends: map[string]string{}, Faults: map[string]string{}, Soft: map[string][2]float64{},
		Suspended: map[string]int64{}, Waits: map[string]string{}, Trouble: map[string]string{}}}
	for i, m := range machines {
		s := Snapshot{Machine: m.Rig.ID, Name: m.Rig.Name, Why: "no such machine is connected"}
		for _, x := range all {
			if x.Machine == m.Rig.ID {
				s = x
			}
		}
		out.Versions[m.Rig.ID] = s.Version
		out.join(m.Name+"/", &s, i == 0)
	}
	return out
}

func (s *Snapshot) join(prefix string, o *Snapshot, first bool) {
	if first {
		s.Machine, s.Name, s.Aside, s.Boot = o.Machine, o.Name, o.Aside, o.Boot
		s.State.N, s.State.Tick, s.State.Frame, s.State.Epoch, s.State.Print, s.State.Take = o.State.N, o.State.Tick, o.State.Frame, o.State.Epoch, o.State.Print, o.State.Take
		s.State.Drive = o.State.Drive
	}
	if !o.Connected && s.Connected {
		s.Connected, s.Why = false, o.Why
	}
	s.Driving, s.StandIn, s.Holding = s.Driving && o.Driving, s.StandIn || o.StandIn, s.Holding || o.Holding
	if rank[o.State.Mode] > rank[s.State.Mode] {
		s.State.Mode, s.State.Drive, s.State.Frame, s.State.Take = o.State.Mode, o.State.Drive, o.State.Frame, o.State.Take
	}
	s.State.EStop = s.State.EStop || o.State.EStop
	under(s.State.Pos, prefix, o.State.Pos)
	under(s.State.Asked, prefix, o.State.Asked)
	under(s.State.Homed, prefix, o.State.Homed)
	under(s.State.Spread, prefix, o.State.Spread)
	under(s.State.Free, prefix, o.State.Free)
	under(s.State.Ends, prefix, o.State.Ends)
	under(s.State.Faults, prefix, o.State.Faults)
	under(s.State.Soft, prefix, o.State.Soft)
	under(s.State.Suspended, prefix, o.State.Suspended)
	under(s.State.Waits, prefix, o.State.Waits)
	under(s.State.Trouble, prefix, o.State.Trouble)
}

func under[T any](all map[string]T, prefix string, own map[string]T) {
	for k, v := range own {
		all[prefix+k] = v
	}
}

// rank orders modes by how much a machine does.
var rank = map[string]int{link.Idle: 1, link.Armed: 2, link.Jogging: 3, link.Homing: 4, link.Moving: 5, link.Braking: 6, link.Rolling: 7}
