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

// Floor is the stage floor with its rig: it keeps the connection, holds the
// lease, collects takes and tells whoever watches. All methods may be called
// from several goroutines. Run owns every goroutine and waits for them.
type Floor struct {
	dial    func(context.Context) (link.Rig, error)
	journal journal.Journal
	log     *slog.Logger

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
	homer   string             // who asked for the homing that goes on, on which shot
	homing  string
	holding *Hold
	subs    map[chan struct{}]bool
	scribe  *scribe
	// Ended, where set, is told of each take that has been written down.
	Ended func(*journal.Take)
}

// Snapshot is what the floor knows now.
type Snapshot struct {
	Connected bool       `json:"connected"`
	Why       string     `json:"why,omitempty"`
	State     link.State `json:"state"`
	Holding   bool       `json:"holding"`
	// Aside is what could never be stored, if anything.
	Aside journal.Aside `json:"aside"`
}

// ErrNoRig is returned while no rig is connected.
var ErrNoRig = errors.New("the rig is not seen; check its power and cable")

// NewFloor prepares a floor for the rig that dial reaches.
func NewFloor(dial func(context.Context) (link.Rig, error), j journal.Journal, log *slog.Logger) *Floor {
	return &Floor{dial: dial, journal: j, log: log, why: "looking for the rig", subs: map[chan struct{}]bool{}, scribe: newScribe(),
		takes: map[string]*taking{}, looked: map[string]bool{}}
}

// Run keeps the connection up until the context ends. Takes in progress are
// written down before it returns.
func (f *Floor) Run(ctx context.Context) error {
	var wg sync.WaitGroup
	wg.Go(func() { f.scribe.run(context.WithoutCancel(ctx)) })
	defer wg.Wait()
	defer f.scribe.close()
	f.recover(ctx)
	late := time.AfterFunc(patience, f.closeOrphans)
	defer late.Stop()
	for {
		err := f.session(ctx)
		if ctx.Err() != nil {
			f.breakOff("the application was stopped")
			f.closeOrphans()
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
	l, err := c.Call(hello, link.Request{Do: "lease"})
	if err != nil {
		return err
	}
	f.mu.Lock()
	f.client, f.epoch, f.rig, f.why, f.holding = c, l.Epoch, d.Rig, "", nil
	f.looked = map[string]bool{}
	f.mu.Unlock()
	f.resume(hello, c)
	f.askForOrphans(hello, c)
	// Watched only now: rows would fill the wire while answers are waited for.
	if _, err := c.Call(hello, link.Request{Do: "watch"}); err != nil {
		return err
	}
	f.notify()
	var wg sync.WaitGroup
	defer wg.Wait()
	sign, over := context.WithCancel(ctx)
	defer over()
	wg.Go(func() { keepAlive(sign, c) })
	for {
		select {
		case <-ctx.Done():
			f.lastWord(c)
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

// keepAlive gives the lease holder's sign of life, apart from all other work.
func keepAlive(ctx context.Context, c link.Rig) {
	tk := time.NewTicker(link.BeatMS * time.Millisecond)
	defer tk.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
			if c.Send(link.Request{Do: "alive"}) != nil {
				return // the reading side sees the loss too
			}
		}
	}
}

func (f *Floor) event(c link.Rig, ev link.Event) {
	switch {
	case ev.State != nil:
		f.mu.Lock()
		was, who, shot := f.state.Mode, f.homer, f.homing
		f.state = *ev.State
		f.mu.Unlock()
		if was == link.Homing && ev.State.Mode == link.Idle {
			f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "home", Text: homed(ev.State)})
		}
		f.notify()
	case ev.Rows != nil:
		f.rows(c, ev.Rows)
	case ev.Take != nil:
		f.takeEnd(c, ev.Take)
		f.notify()
	}
}

func homed(s *link.State) string {
	for _, ok := range s.Homed {
		if !ok {
			return "Homing was stopped; not all axes are homed."
		}
	}
	return "All axes homed."
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
	return Snapshot{Connected: f.client != nil, Why: f.why, State: f.state, Holding: f.holding != nil, Aside: aside}
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

func (f *Floor) call(ctx context.Context, q link.Request) (link.Reply, error) {
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
	r, err := f.call(ctx, link.Request{Do: "stats"})
	return r.Stats, err
}

// Home starts homing all axes.
func (f *Floor) Home(ctx context.Context, who, shot string) error {
	if _, err := f.call(ctx, link.Request{Do: "home"}); err != nil {
		return err
	}
	f.mu.Lock()
	f.homer, f.homing = who, shot
	f.mu.Unlock()
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "home", Text: "Homing started on all axes."})
	return nil
}

// GoTo starts a confirmed move of the named axes.
func (f *Floor) GoTo(ctx context.Context, who, shot, text string, to map[string]float64) error {
	if _, err := f.call(ctx, link.Request{Do: "goto", To: to}); err != nil {
		return err
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "go-to", Text: text})
	return nil
}

// Stop slows whatever moves. It needs no lease and no database.
func (f *Floor) Stop(ctx context.Context, who string) error {
	_, err := f.call(ctx, link.Request{Do: "stop"})
	f.note(journal.Entry{Actor: who, Kind: "stop", Text: "Stop was pressed."})
	return err
}

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
