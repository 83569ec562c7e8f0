package web

import (
	"context"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/machine"
)

// heldLine is one socket on which somebody holds something: a press with a name of its own,
// then a beat of that press every 50 ms from the page's main thread, passed on and never made
// here. Nothing goes on when the press ends: let go, silent, or the socket gone. One press at
// a time; the next has another name.
type heldLine struct {
	c     *websocket.Conn
	id    string // before the names that the page gives, so that no two sockets share one
	wg    sync.WaitGroup
	mu    sync.Mutex
	name  string           // of the press that is held; empty: none is
	last  time.Time        // when its last beat came
	busy  bool             // a press is being carried out
	held  func() bool      // whether the last press is held still; nil: there was none
	does  doing            // what it keeps going, once that has begun
	its   *machine.Machine // whose silence counts; nil: that of real time
	bears time.Duration    // the silence that it bears, as it said at the last beat
	quick quickest         // of whoever reads the socket
}

// quickest is how far a page's clock is behind ours, by the word that came quickest of late: clocks
// drift, and one that slept is behind from then on.
type quickest struct {
	now, before time.Duration
	since       time.Time // when now began; zero: nothing was said yet
}

// quickFor is how long a quickest word counts at least; a page says something every five seconds.
const quickFor = 20 * time.Second

// late is how much longer a word took than the quickest: what waited on its way, as while this
// application stood still, is not taken for something said now. said is when the page said it, in
// milliseconds by its own clock.
func (q *quickest) late(said float64, now time.Time) time.Duration {
	if !(said > 0 && said < 1e15) {
		return 0
	}
	took := now.Sub(epoch) - time.Duration(said*float64(time.Millisecond))
	switch {
	case q.since.IsZero():
		q.now, q.before, q.since = took, took, now
	case now.Sub(q.since) > quickFor:
		q.now, q.before, q.since = took, q.now, now
	}
	q.now = min(q.now, took)
	return took - min(q.now, q.before)
}

// doing is what a press keeps going.
type doing interface {
	Beat() error
	Release()
}

func newHeldLine(c *websocket.Conn) *heldLine {
	return &heldLine{c: c, id: journal.NewID(), bears: silence}
}

// silence is how old the last beat of a press may be, on a machine in real time.
const silence = link.SilenceMS * time.Millisecond

// on says which machine's silence counts.
func (h *heldLine) on(m *machine.Machine) {
	bears := m.Silence()
	h.mu.Lock()
	h.its, h.bears = m, bears
	h.mu.Unlock()
}

// pressing is a press that is carried out: when it came, its name, and whether it is held still.
type pressing struct {
	machine.Press
	name string
	held func() bool
}

// press begins a press and has it carried out beside the beats that follow. false: one is
// still being carried out.
func (h *heldLine) press(ctx context.Context, p machine.Press, name string, carryOut func(context.Context,
	pressing)) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.busy || name == "" {
		return false
	}
	h.busy, h.name, h.last, h.does = true, name, time.Now(), nil
	held := func() bool {
		h.mu.Lock()
		defer h.mu.Unlock()
		return h.name == name && time.Since(h.last) < h.bears
	}
	h.held = held
	h.wg.Go(func() {
		carryOut(ctx, pressing{p, h.id + "/" + name, held})
		h.mu.Lock()
		h.busy = false
		if h.name == name {
			h.name, h.does = "", nil
		}
		h.mu.Unlock()
	})
	return true
}

// holds reports whether the press of that name is held still.
func (h *heldLine) holds(name string) bool {
	h.mu.Lock()
	same, held := h.name == name, h.held
	h.mu.Unlock()
	return same && held != nil && held()
}

// keeps says what a press keeps going from now on. One that was let go meanwhile ends it.
func (h *heldLine) keeps(press string, d doing) {
	h.mu.Lock()
	on := h.id+"/"+h.name == press
	if on {
		h.does = d
	}
	h.mu.Unlock()
	if !on {
		d.Release()
	}
}

// epoch is a moment that times are counted from.
var epoch = time.Now()

// beat passes a sign of life of a press on. One of a press that has ended is none, nor is one
// that comes later than others by half of the silence; and what fell silent is not kept going by a beat
// that comes later.
func (h *heldLine) beat(name string, late time.Duration) {
	h.mu.Lock()
	its := h.its
	h.mu.Unlock()
	if its != nil { // another device may have come in its place
		h.on(its)
	}
	h.mu.Lock()
	if h.name == "" || h.name != name || late > h.bears/2 {
		h.mu.Unlock()
		return
	}
	if time.Since(h.last) >= h.bears {
		h.mu.Unlock()
		h.letGo()
		return
	}
	h.last = time.Now()
	d := h.does
	h.mu.Unlock()
	if d != nil {
		_ = d.Beat()
	}
}

// letGo ends the press.
func (h *heldLine) letGo() {
	h.mu.Lock()
	d := h.does
	h.name, h.does = "", nil
	h.mu.Unlock()
	if d != nil {
		d.Release()
	}
}

// close lets go and waits for what is being carried out.
func (h *heldLine) close() {
	h.letGo()
	h.wg.Wait()
}

// say answers the page.
func (h *heldLine) say(ctx context.Context, m any) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	_ = wsjson.Write(ctx, h.c, m)
}
