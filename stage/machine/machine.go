// Package machine is one machine on the floor: its connection, the lease of it, what it says
// and what is said to it, and the takes that it rolls. A machine is moved by words of a Grant
// alone, which the Arbiter makes; Stop needs neither.
package machine

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/link"
)

// Machine keeps the connection to one, holds its lease, collects its takes and tells whoever
// watches. Where another application drives it, it is only watched. All methods may be called
// from several goroutines. Run owns every goroutine and waits for them.
type Machine struct {
	id      string // the rig's
	name    string
	dial    func(context.Context) (link.Rig, error)
	journal journal.Journal
	log     *slog.Logger

	mu       sync.Mutex
	client   link.Rig
	is       link.Described  // what it says of itself in this connection
	lacks    map[string]bool // the words that it does not have
	epoch    int64           // of the lease that this connection holds; 0: none
	leasing  bool            // it is being asked for
	tried    int64           // the foreign epoch after which it was asked for again
	foreign  time.Time       // since when another program is seen to have it; zero: none has
	rig      *rig.Rig
	state    link.State
	seen     time.Time // when the newest state came; zero: none in this connection yet
	still    time.Time // since when it stands still; zero: it moves
	why      string    // why there is no machine
	stopping int       // stops of ours that it has not answered yet
	owed     bool      // a stop that could not be said while it was away
	halted   func(*Machine)
	stops    int64 // the newest count that halted was told of

	want    *want    // a table that is to be loaded
	loading *Loading // how far that is
	loaded  int64    // the machine's tick by which the last one was there
	wanted  chan struct{}

	taking  *Taking            // the take that rolls
	takes   map[string]*Taking // all whose trace is being received, by id
	orphans []*Taking          // begun before this start, never ended
	looked  map[string]bool    // takes of the rig's looked up in this connection
	homer   homer              // who asked for the homing that goes on, and for which
	homings int                // how many were written down
	found   map[string]int     // how often each axis's zero was found, when it was last looked at
	right   journal.Right      // nil while another application has it
	soft    map[string][2]float64
	subs    map[chan struct{}]bool
	scribe  *scribe
	// Ended, where set, is told of each take that has been written down.
	Ended func(*journal.Take)
	// Homed, where set, is told that a homing has been written down.
	Homed func()
}

// Snapshot is what is known of a machine now.
type Snapshot struct {
	Machine   string `json:"machine"`
	Name      string `json:"name"`
	Connected bool   `json:"connected" doc:"it is seen: it has said how it stands in this connection"`
	Driving   bool   `json:"driving" doc:"this application drives it; else another one does, and this one watches"`
	// Leased is whether this application has the machine's own lease; else another program has.
	Leased   bool           `json:"leased"`
	StandIn  bool           `json:"stand_in"`
	Old      bool           `json:"old_link,omitempty" doc:"it speaks version 2 of the rig link: it is seen and stopped, not moved"`
	Version  int            `json:"version" doc:"of its description, as it says; 0: it is not seen"`
	Versions map[string]int `json:"-"` // of a shot's machines, by the rig's id
	Boot     string         `json:"-"` // differs with every time the machine was switched on; empty where it does not say
	Why      string         `json:"why,omitempty"`
	State    link.State     `json:"state"`
	Loading  *Loading       `json:"loading,omitempty" doc:"a sealed path is being loaded into it"`
	Homings  int            `json:"homings" doc:"how many were written down since the application began"`
}

// Silence is how long it bears to hear no beat, as it said of itself.
func (m *Machine) Silence() time.Duration {
	m.mu.Lock()
	defer m.mu.Unlock()
	return link.Silence(m.is.Pace)
}

// ErrNoRig is returned while no rig is connected.
var ErrNoRig = errors.New("the rig is not seen; check its power and cable")

// ErrWatching is returned for what only the application that drives may do.
var ErrWatching = errors.New("another copy of Keen Arc drives this machine; this one only watches")

// New prepares the machine that dial reaches, by its rig's id and name.
func New(id, name string, dial func(context.Context) (link.Rig, error), j journal.Journal, log *slog.Logger) *Machine {
	return &Machine{id: id, name: name, dial: dial, journal: j, log: log, why: "looking for the rig",
		subs: map[chan struct{}]bool{}, scribe: newScribe(),
		takes: map[string]*Taking{}, looked: map[string]bool{}, wanted: make(chan struct{}, 1)}
}

// Run keeps the connection up until the context ends. Takes in progress are
// written down before it returns.
func (f *Machine) Run(ctx context.Context) error {
	var wg sync.WaitGroup
	wg.Go(func() { f.scribe.run(context.WithoutCancel(ctx)) })
	defer wg.Wait()
	defer f.scribe.close()
	claims, over := context.WithCancel(ctx)
	var claiming sync.WaitGroup
	claiming.Go(func() { f.claim(claims) })
	defer claiming.Wait()
	defer over()
	for {
		err := f.session(ctx)
		f.gone(err)
		if ctx.Err() != nil {
			f.breakOff("the application was stopped")
			if f.drives() {
				f.closeOrphans()
			}
			return nil
		}
		select {
		case <-ctx.Done():
		case <-time.After(reconnectPause):
		}
	}
}

// mute is how long a machine may say nothing before it is not seen any more: it says how it
// stands ten times a second.
const mute = 3 * time.Second

// reconnectPause is how long after a loss the machine is looked for again.
const reconnectPause = 300 * time.Millisecond

// gone forgets all that a connection said: nothing of it holds for the next one.
func (f *Machine) gone(err error) {
	f.mu.Lock()
	f.client, f.epoch, f.seen, f.still, f.state, f.loading, f.is = nil, 0, time.Time{}, time.Time{}, link.State{}, nil,
		link.Described{}
	if err != nil {
		f.why = err.Error()
	}
	f.mu.Unlock()
	f.halt()
	f.notify()
}

// session is one connection, from dialling to its end.
func (f *Machine) session(ctx context.Context) error {
	c, err := f.dial(ctx)
	if err != nil {
		f.breakOff("the rig was lost")
		return err
	}
	defer c.Close()
	if err := f.hello(ctx, c); err != nil {
		return err
	}
	var wg sync.WaitGroup
	defer wg.Wait()
	on, over := context.WithCancel(ctx)
	defer over()
	wg.Go(func() { f.keepAlive(on, c) })
	wg.Go(func() { f.loads(on, c) })
	listen := time.NewTicker(mute / 6)
	defer listen.Stop()
	for {
		select {
		case <-listen.C:
			f.mu.Lock()
			heard := f.seen
			f.mu.Unlock()
			if !heard.IsZero() && time.Since(heard) > mute {
				return fmt.Errorf("%s has not said for %v how it stands", f.name, mute)
			}
		case <-ctx.Done():
			if f.drives() {
				f.lastWord(c)
			}
			return ctx.Err()
		case ev, ok := <-c.Events():
			if !ok {
				return link.ErrGone
			}
			f.event(c, ev)
			if f.leaseDue() {
				wg.Go(func() { f.lease(on, c) })
			}
		}
	}
}

// hello asks a new connection what it is, says a stop that is owed, and begins to watch.
func (f *Machine) hello(ctx context.Context, c link.Rig) error {
	ctx, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	d, err := link.Ask(ctx, c, link.Describe{})
	switch {
	case err != nil:
		return err
	case d.Rig == nil || d.Rig.ID != f.id:
		return fmt.Errorf("this is not %s", f.name)
	case d.Version != link.Version && d.Version != link.OldVersion:
		return fmt.Errorf("%s speaks version %d of the rig link, not %d", f.name, d.Version, link.Version)
	}
	f.mu.Lock()
	f.lacks = d.Lacks()
	f.client, f.is, f.epoch, f.rig, f.why, f.tried = c, d, 0, d.Rig, "", 0
	f.seen, f.still, f.state, f.loaded = time.Time{}, time.Time{}, link.State{}, 0
	f.looked, f.found = map[string]bool{}, nil
	owed := f.owed
	f.mu.Unlock()
	if owed {
		if _, err := link.Ask(ctx, c, link.Stop{}); err != nil {
			return err
		}
		f.mu.Lock()
		f.owed = false
		f.mu.Unlock()
	}
	if _, err := link.Ask(ctx, c, link.Watch{}); err != nil {
		return err
	}
	f.notify()
	return nil
}

// goodbye is how long a rig is waited for when the application ends. One that
// does not answer slows down by itself, the connection being gone.
const goodbye = time.Second

func (f *Machine) lastWord(c link.Rig) {
	ctx, cancel := context.WithTimeout(context.Background(), goodbye)
	defer cancel()
	if _, err := link.Ask(ctx, c, link.Stop{}); err != nil {
		f.log.Warn("the rig did not answer to stop at the end", "err", err)
	}
	c.Close()
}

// keepAlive gives the lease holder's sign of life, apart from all other work. One
// who only watches has none to give.
func (f *Machine) keepAlive(ctx context.Context, c link.Rig) {
	tk := time.NewTicker(link.BeatMS * time.Millisecond)
	defer tk.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
			f.mu.Lock()
			mine := f.right != nil && f.epoch != 0 && f.client == c
			f.mu.Unlock()
			if mine { // one that is not sent is no last one: the reading side sees a loss
				_ = c.Say(link.Alive{})
			}
		}
	}
}

func (f *Machine) event(c link.Rig, ev link.Event) {
	switch {
	case ev.State != nil:
		f.mu.Lock()
		was, mine, first := f.state.Mode, f.right != nil, f.seen.IsZero()
		old := f.state
		f.state, f.seen = *ev.State, time.Now()
		if f.loaded > 0 && f.state.Tick <= f.loaded && f.state.Boot == old.Boot {
			// Written before a table was loaded, maybe in the same tick, and sent after that was answered.
			f.state.Print = old.Print
		}
		switch {
		case !ev.State.Still():
			f.still = time.Time{}
		case f.still.IsZero():
			f.still = f.seen
		}
		switch {
		case f.epoch == 0 || f.state.Epoch <= f.epoch:
			f.foreign = time.Time{}
		case f.foreign.IsZero():
			f.foreign = f.seen
		}
		stopped := !first && ev.State.Stops > f.stops
		f.stops = ev.State.Stops
		f.mu.Unlock()
		if stopped {
			f.halt()
		}
		if mine {
			f.seenHomed(was, ev.State)
		}
		f.nudge()
		f.notify()
	case !f.holds(): // what another one's takes are made of is left to it
	case ev.Rows != nil:
		f.rows(c, ev.Rows)
	case ev.Take != nil:
		f.takeEnd(c, ev.Take)
		f.notify()
	}
}

// halt tells the arbiter that what goes on at this machine is over.
func (f *Machine) halt() {
	f.mu.Lock()
	tell := f.halted
	f.mu.Unlock()
	if tell != nil {
		tell(f)
	}
}

// Watch returns a channel that is signalled when there is something new, and
// what ends the watching.
func (f *Machine) Watch() (<-chan struct{}, func()) {
	ch := make(chan struct{}, 1)
	f.mu.Lock()
	f.subs[ch] = true
	f.mu.Unlock()
	return ch, func() { f.unwatch(ch) }
}

func (f *Machine) unwatch(ch chan struct{}) {
	f.mu.Lock()
	delete(f.subs, ch)
	f.mu.Unlock()
}

func (f *Machine) notify() {
	f.mu.Lock()
	defer f.mu.Unlock()
	for ch := range f.subs {
		select {
		case ch <- struct{}{}:
		default:
		}
	}
}

// Now is the newest snapshot.
func (f *Machine) Now() Snapshot {
	f.mu.Lock()
	defer f.mu.Unlock()
	s := Snapshot{Machine: f.id, Name: f.name, Connected: !f.seen.IsZero(), Driving: f.right != nil,
		StandIn: f.is.StandIn,
		Old:     f.client != nil && f.is.Version == link.OldVersion, Boot: f.is.Boot, Why: f.why, State: f.state,
		Homings: f.homings}
	s.Leased = s.Driving && f.epoch != 0 && f.state.Epoch <= f.epoch
	if f.loading != nil {
		l := *f.loading
		s.Loading = &l
	}
	if s.Connected && f.rig != nil {
		s.Version = f.rig.Version
	}
	if f.client != nil && !s.Connected {
		s.Why = "it answers, and has not said yet how it stands"
	}
	return s
}

// Aside says what of its records could never be stored.
func (f *Machine) Aside() journal.Aside { return f.journal.Aside() }

func (f *Machine) ended(t *journal.Take) {
	if f.Ended != nil {
		f.Ended(t)
	}
}

// asking is how long an answer may take to what moves nothing.
const asking = 20 * time.Second

// Ask asks a machine what anybody may ask, where it has that word.
func Ask[A any](ctx context.Context, f *Machine, w link.Asks[A]) (A, error) {
	f.mu.Lock()
	c, lacks := f.client, f.lacks
	f.mu.Unlock()
	var none A
	switch {
	case c == nil:
		return none, ErrNoRig
	case lacks[w.Do()]:
		return none, fmt.Errorf("%s cannot do that: its device does not have the word %q", f.name, w.Do())
	}
	ctx, cancel := context.WithTimeout(ctx, asking)
	defer cancel()
	return link.Ask(ctx, c, w)
}

// Stats asks the rig how well its loop keeps time.
func (f *Machine) Stats(ctx context.Context) (*link.Stats, error) {
	r, err := Ask(ctx, f, link.AskStats{})
	return r.Stats, err
}

// Feel asks an arm what its wrist feels where it stands.
func (f *Machine) Feel(ctx context.Context) (*link.Felt, error) {
	r, err := Ask(ctx, f, link.Feel{})
	if err == nil && r.Felt == nil {
		err = errors.New("it does not say what its wrist feels")
	}
	return r.Felt, err
}

// Wires asks the machine what it finds on its wires.
func (f *Machine) Wires(ctx context.Context) ([]rig.WireSeen, error) {
	r, err := Ask(ctx, f, link.Wires{})
	return r.Wires, err
}

// Truth asks a stand-in where it really is.
func (f *Machine) Truth(ctx context.Context) (*link.Truth, error) {
	if !f.Now().StandIn {
		return nil, errors.New("this is no stand-in: only somebody who looks at it can say")
	}
	r, err := Ask(ctx, f, link.AskTruth{})
	if err == nil && r.Truth == nil {
		err = errors.New("it does not say where it is")
	}
	return r.Truth, err
}

// Pretend tells a stand-in what has happened to it.
func (f *Machine) Pretend(ctx context.Context, what, axis string, on bool, by float64) error {
	if !f.Now().StandIn {
		return errors.New("this is no stand-in: what happens to it really happens")
	}
	_, err := Ask(ctx, f, link.Pretend{What: what, Axis: axis, On: on, By: by})
	return err
}

// ID is the rig's id.
func (f *Machine) ID() string { return f.id }

// Name is what people call it.
func (f *Machine) Name() string { return f.name }

// Rig is what the machine says that it is; nil while it is not seen.
func (f *Machine) Rig() *rig.Rig {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.client == nil {
		return nil
	}
	return f.rig
}

// Again ends the connection, so that everything about the machine is asked anew.
func (f *Machine) Again() {
	f.mu.Lock()
	c := f.client
	f.mu.Unlock()
	if c != nil {
		c.Close()
	}
}

// Until waits for a snapshot.
func (f *Machine) Until(ctx context.Context, ok func(Snapshot) bool) error {
	ch, end := f.Watch()
	defer end()
	for !ok(f.Now()) {
		select {
		case <-ch:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// Note hands an entry to the scribe; the log never holds up a movement.
func (f *Machine) Note(e journal.Entry) {
	e.At = time.Now()
	f.scribe.add(func(ctx context.Context) {
		if err := f.journal.Log(ctx, e); err != nil {
			f.log.Error("log entry not written", "text", e.Text, "err", err)
		}
	})
}
