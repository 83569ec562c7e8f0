package stage

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

// Floor is the stage floor of one machine: it keeps the connection, holds the
// lease, collects takes and tells whoever watches. Where another application
// drives the machine it only watches. All methods may be called from several
// goroutines. Run owns every goroutine and waits for them.
type Floor struct {
	machine string // the rig's id
	name    string
	dial    func(context.Context) (link.Rig, error)
	journal journal.Journal
	log     *slog.Logger

	leasing sync.Mutex // held while the lease is taken
	mu      sync.Mutex
	client  link.Rig
	epoch   int64
	rig     *rig.Rig
	state   link.State
	why     string             // why there is no rig
	taking  *taking            // the take that rolls
	takes   map[string]*taking // all whose trace is being received, by id
	orphans []*taking          // begun before this start, never ended
	looked  map[string]bool    // takes of the rig's looked up in this connection
	homer   journal.Person     // who asked for the homing that goes on, on which shot
	homing  string
	asked   Homing         // which, and how often it is to be done again
	homings int            // how many were written down
	found   map[string]int // how often each axis's zero was found, when it was last looked at
	right   journal.Right  // nil while another application has it
	standIn bool
	boot    string
	soft    map[string][2]float64 // the line-up's limits, sent to the rig with every lease
	holding *Hold
	subs    map[chan struct{}]bool
	scribe  *scribe
	// Ended, where set, is told of each take that has been written down.
	Ended func(*journal.Take)
}

// Snapshot is what the floor knows now.
type Snapshot struct {
	Machine   string         `json:"machine"`
	Name      string         `json:"name"`
	Connected bool           `json:"connected"`
	Driving   bool           `json:"driving" doc:"this application drives it; else another one does, and this one watches"`
	StandIn   bool           `json:"stand_in"`
	Version   int            `json:"version" doc:"of its description, as it says; 0: it is not seen"`
	Versions  map[string]int `json:"-"` // of a shot's machines, by the rig's id
	Boot      string         `json:"-"` // differs with every time the machine was switched on; empty where it does not say
	Why       string         `json:"why,omitempty"`
	State     link.State     `json:"state"`
	Holding   bool           `json:"holding"`
	Homings   int            `json:"homings" doc:"how many were written down since the application began"`
	// Aside is what could never be stored, if anything.
	Aside journal.Aside `json:"aside"`
}

// ErrNoRig is returned while no rig is connected.
var ErrNoRig = errors.New("the rig is not seen; check its power and cable")

// ErrWatching is returned for what only the application that drives may do.
var ErrWatching = errors.New("another copy of Keen Arc drives this machine; this one only watches")

// NewFloor prepares a floor for the machine that dial reaches, by its rig's id and name.
func NewFloor(machine, name string, dial func(context.Context) (link.Rig, error), j journal.Journal, log *slog.Logger) *Floor {
	return &Floor{machine: machine, name: name, dial: dial, journal: j, log: log, why: "looking for the rig", subs: map[chan struct{}]bool{}, scribe: newScribe(),
		takes: map[string]*taking{}, looked: map[string]bool{}}
}

// Run keeps the connection up until the context ends. Takes in progress are
// written down before it returns.
func (f *Floor) Run(ctx context.Context) error {
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
		if ctx.Err() != nil {
			f.breakOff("the application was stopped")
			if f.drives() {
				f.closeOrphans()
			}
			return nil
		}
		f.mu.Lock()
		f.client, f.why = nil, err.Error()
		f.mu.Unlock()
		f.notify()
		select {
		case <-ctx.Done():
		case <-time.After(300 * time.Millisecond):
		}
	}
}

// session is one connection, from dialling to its end.
func (f *Floor) session(ctx context.Context) error {
	c, err := f.dial(ctx)
	if err != nil {
		f.breakOff("the rig was lost")
		return err
	}
	defer c.Close()
	hello, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	d, err := c.Call(hello, link.Request{Do: "describe"})
	if err != nil {
		return err
	}
	if d.Rig == nil || d.Rig.ID != f.machine {
		return fmt.Errorf("this is not %s", f.name)
	}
	if d.Version != link.Version {
		return fmt.Errorf("%s speaks version %d of the rig link, not %d", f.name, d.Version, link.Version)
	}
	f.mu.Lock()
	f.client, f.epoch, f.rig, f.why, f.holding, f.standIn, f.boot = c, 0, d.Rig, "", nil, d.StandIn, d.Boot
	f.looked, f.found = map[string]bool{}, nil
	f.mu.Unlock()
	if f.drives() {
		if err := f.take(hello, c); err != nil {
			return err
		}
	}
	// Watched only now: rows would fill the wire while answers are waited for.
	if _, err := c.Call(hello, link.Request{Do: "watch"}); err != nil {
		return err
	}
	f.notify()
	var wg sync.WaitGroup
	defer wg.Wait()
	sign, over := context.WithCancel(ctx)
	defer over()
	wg.Go(func() { f.keepAlive(sign, c) })
	for {
		select {
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
		}
	}
}

// goodbye is how long a rig is waited for when the application ends. One that
// does not answer slows down by itself, the connection being gone.
const goodbye = time.Second

func (f *Floor) lastWord(c link.Rig) {
	ctx, cancel := context.WithTimeout(context.Background(), goodbye)
	defer cancel()
	if _, err := c.Call(ctx, link.Request{Do: "stop"}); err != nil {
		f.log.Warn("the rig did not answer to stop at the end", "err", err)
	}
	c.Close()
}

// take takes the lease, tells the rig the day's limits, and asks for what it still
// has of takes that were begun here.
func (f *Floor) take(ctx context.Context, c link.Rig) error {
	f.leasing.Lock()
	defer f.leasing.Unlock()
	f.mu.Lock()
	mine := f.client == c && f.epoch != 0
	f.mu.Unlock()
	if mine {
		return nil
	}
	l, err := c.Call(ctx, link.Request{Do: "lease"})
	if err != nil {
		return err
	}
	f.mu.Lock()
	f.epoch = l.Epoch
	soft := f.soft
	f.mu.Unlock()
	if soft != nil {
		if _, err := c.Call(ctx, link.Request{Do: "limits", Epoch: l.Epoch, Soft: soft}); err != nil {
			f.log.Warn("the rig does not take the line-up's limits", "machine", f.machine, "err", err)
		}
	}
	f.resume(ctx, c)
	f.askForOrphans(ctx, c)
	return nil
}

// keepAlive gives the lease holder's sign of life, apart from all other work. One
// who only watches has none to give.
func (f *Floor) keepAlive(ctx context.Context, c link.Rig) {
	tk := time.NewTicker(link.BeatMS * time.Millisecond)
	defer tk.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
			if f.drives() && c.Send(link.Request{Do: "alive"}) != nil {
				return // the reading side sees the loss too
			}
		}
	}
}

func (f *Floor) event(c link.Rig, ev link.Event) {
	switch {
	case ev.State != nil:
		f.mu.Lock()
		was, mine := f.state.Mode, f.right != nil
		f.state = *ev.State
		f.mu.Unlock()
		if mine {
			f.seenHomed(was, ev.State)
		}
		f.notify()
	case !f.drives(): // what another one's takes are made of is left to it
	case ev.Rows != nil:
		f.rows(c, ev.Rows)
	case ev.Take != nil:
		f.takeEnd(c, ev.Take)
		f.notify()
	}
}

// Watch returns a channel that is signalled when there is something new, and
// what ends the watching.
func (f *Floor) Watch() (<-chan struct{}, func()) {
	ch := make(chan struct{}, 1)
	f.mu.Lock()
	f.subs[ch] = true
	f.mu.Unlock()
	return ch, func() {
		f.mu.Lock()
		delete(f.subs, ch)
		f.mu.Unlock()
	}
}

func (f *Floor) notify() {
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
func (f *Floor) Now() Snapshot {
	aside := f.journal.Aside()
	f.mu.Lock()
	defer f.mu.Unlock()
	version := 0
	if f.client != nil && f.rig != nil {
		version = f.rig.Version
	}
	return Snapshot{Version: version, Machine: f.machine, Name: f.name, Connected: f.client != nil && (f.right == nil || f.epoch != 0), Driving: f.right != nil, StandIn: f.standIn, Boot: f.boot, Why: f.why, State: f.state, Holding: f.holding != nil, Homings: f.homings, Aside: aside}
}

func (f *Floor) ended(t *journal.Take) {
	if f.Ended != nil {
		f.Ended(t)
	}
}

func (f *Floor) rigNow() (link.Rig, int64, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.client == nil {
		return nil, 0, ErrNoRig
	}
	return f.client, f.epoch, nil
}

// call sends a request that only the holder of the lease may send.
func (f *Floor) call(ctx context.Context, q link.Request) (link.Reply, error) {
	if !f.drives() {
		return link.Reply{}, ErrWatching
	}
	return f.ask(ctx, q)
}

// ask sends a request that anybody may send.
func (f *Floor) ask(ctx context.Context, q link.Request) (link.Reply, error) {
	c, epoch, err := f.rigNow()
	if err != nil {
		return link.Reply{}, err
	}
	q.Epoch = epoch
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	return c.Call(ctx, q)
}

// Stats asks the rig how well its loop keeps time.
func (f *Floor) Stats(ctx context.Context) (*link.Stats, error) {
	r, err := f.ask(ctx, link.Request{Do: "stats"})
	return r.Stats, err
}

// Machine is the rig's id.
func (f *Floor) Machine() string { return f.machine }

// WaitIdle waits until the rig stands still, having been asked to move.
func (f *Floor) WaitIdle(ctx context.Context) error {
	ch, end := f.Watch()
	defer end()
	from := f.Now().State.N
	for {
		s := f.Now()
		switch {
		case !s.Connected:
			return ErrNoRig
		case s.State.N > from+1 && s.State.Mode == link.Idle:
			return nil
		}
		select {
		case <-ch:
		case <-ctx.Done():
			return fmt.Errorf("waiting for the rig to stand still: %w", ctx.Err())
		}
	}
}

// note hands an entry to the scribe; the log never holds up a movement.
func (f *Floor) note(e journal.Entry) {
	e.At = time.Now()
	f.scribe.add(func(ctx context.Context) {
		if err := f.journal.Log(ctx, e); err != nil {
			f.log.Error("log entry not written", "text", e.Text, "err", err)
		}
	})
}
