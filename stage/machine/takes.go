package machine

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"keenarc/core/clock"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/link"
)

// Taking is a take whose trace is being received: the one that rolls, or one
// that was begun earlier and of which the rig may still have the rest.
type Taking struct {
	take    *journal.Take
	tr      *trace.Trace
	stored  int          // rows handed to the journal
	asked   atomic.Int64 // rows had when the rig was last asked to send again; −1: never
	fetched int          // rows that were kept when fetching began; −1: it is being rolled
	over    bool         // guarded by the floor's mu: it is being written down, or was
	holed   atomic.Bool  // a stretch of it could not be stored
	done    chan struct{}
}

func newTaking(k *journal.Take, tr *trace.Trace, stored, fetched int) *Taking {
	t := &Taking{take: k, tr: tr, stored: stored, fetched: fetched, done: make(chan struct{})}
	t.asked.Store(-1)
	return t
}

// storeRows is how many rows go into one stored chunk: one second.
const storeRows = 1000

// fetching begins to receive the rest of a take that is kept in part. Only the
// rows up to the first that is missing count as had.
func fetching(k *journal.Take) *Taking {
	n := k.Trace.Unbroken()
	tr := &trace.Trace{Tick: k.Trace.Tick, Every: k.EveryMS, Axes: k.Trace.Axes, Units: k.Trace.Units,
		Pos: k.Trace.Pos[:n:n]}
	for _, col := range k.Trace.Steps {
		tr.Steps = append(tr.Steps, col[:n:n])
	}
	k.Trace = tr
	return newTaking(k, tr, n, n)
}

// recover looks for takes that were never ended, as after a crash. The rig is
// asked for the rest of them when it is seen; if it is not seen soon they are
// closed as far as they are kept.
func (f *Machine) recover(ctx context.Context) {
	list, err := f.journal.Unfinished(ctx, f.id)
	if err != nil {
		f.log.Error("unfinished takes cannot be listed", "err", err)
		return
	}
	f.mu.Lock()
	for _, k := range list {
		f.orphans = append(f.orphans, fetching(k))
	}
	f.mu.Unlock()
}

// patience is how long a rig is waited for before unfinished takes are closed
// without it.
const patience = 5 * time.Second

// closeOrphans closes the takes that the rig was not there to be asked for.
func (f *Machine) closeOrphans() {
	f.mu.Lock()
	list := f.orphans
	f.orphans = nil
	f.mu.Unlock()
	for _, t := range list {
		f.finish(t, "the application was stopped in mid-take")
	}
}

// askForOrphans asks a rig that has just been connected for the rest of the
// takes that were never ended. What it does not know is closed.
func (f *Machine) askForOrphans(ctx context.Context, c link.Rig) {
	f.mu.Lock()
	list := f.orphans
	f.orphans = nil
	for _, t := range list {
		f.takes[t.take.ID] = t
	}
	f.mu.Unlock()
	for _, t := range list {
		if err := f.askAgain(ctx, c, t); err != nil {
			f.finish(t, "the application was stopped in mid-take")
		}
	}
}

// resume asks a rig that is back for the rest of the take that was rolling; a
// rig that knows nothing of it has been off.
func (f *Machine) resume(ctx context.Context, c link.Rig) {
	f.mu.Lock()
	t := f.taking
	f.mu.Unlock()
	if t == nil {
		return
	}
	if err := f.askAgain(ctx, c, t); err != nil {
		f.finish(t, "the rig was lost")
	}
}

// askAgain has the rig send a take again from the first row that is not here.
func (f *Machine) askAgain(ctx context.Context, c link.Rig, t *Taking) error {
	t.asked.Store(int64(len(t.tr.Pos)))
	_, err := link.Ask(ctx, c, link.SendTrace{Take: t.take.ID, Rows: len(t.tr.Pos)})
	return err
}

// again asks for a take from a row on, apart from the reading that needs it.
func (f *Machine) again(c link.Rig, take string, rows int) {
	f.scribe.add(func(ctx context.Context) {
		ctx, cancel := context.WithTimeout(ctx, time.Second)
		defer cancel()
		if _, err := link.Ask(ctx, c, link.SendTrace{Take: take, Rows: rows}); err != nil {
			f.log.Warn("the rest of a take cannot be asked for", "take", take, "err", err)
		}
	})
}

// refetch is how long after a take could not be kept whole it is fetched again.
const refetch = 5 * time.Second

// later asks for a take again that could not be kept whole, as by a disk that was full. A rig
// that is gone by then offers it with its next connection.
func (f *Machine) later(c link.Rig, t *Taking) {
	time.AfterFunc(refetch, func() {
		f.mu.Lock()
		same := f.client == c
		delete(f.looked, t.take.ID)
		f.mu.Unlock()
		if same {
			f.adopt(c, t.take.ID)
		}
	})
}

// Begin writes down that a take begins; the journal gives its number.
func (f *Machine) Begin(ctx context.Context, k *journal.Take) error { return f.journal.Begin(ctx, k) }

// Follow begins to receive the trace of a take that is about to roll.
func (f *Machine) Follow(k *journal.Take) *Taking {
	t := newTaking(k, k.Trace, 0, -1)
	f.mu.Lock()
	f.taking, f.takes[k.ID] = t, t
	f.mu.Unlock()
	return t
}

// Fail ends a take that never rolled, or of which nobody will hear any more.
func (f *Machine) Fail(t *Taking, why string) { f.finish(t, why) }

// Steered notes the changes of speed that a rig has taken, should it be lost.
func (f *Machine) Steered(t *Taking, steers []clock.Steer) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if k := &t.take.Clock; !t.over && len(steers) >= len(k.Steers) {
		k.Steers = steers
	}
}

// Done is closed when the take is over and written down.
func (t *Taking) Done() <-chan struct{} { return t.done }

// Take is the take itself; complete once Done is closed.
func (t *Taking) Take() *journal.Take { return t.take }

// find is the take in progress with an id, or nil.
func (f *Machine) find(id string) *Taking {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.takes[id]
}

// adopt looks up a take that the rig still has and that is not in progress here:
// it was begun before a restart, or its end was lost. What this journal began is
// fetched as far as it is not kept; what it never began is left with the rig.
func (f *Machine) adopt(c link.Rig, id string) {
	f.mu.Lock()
	seen := f.looked[id]
	f.looked[id] = true
	f.mu.Unlock()
	if seen {
		return
	}
	f.scribe.add(func(ctx context.Context) {
		k, err := f.journal.Find(ctx, id)
		switch {
		case errors.Is(err, journal.ErrUnknown):
			f.log.Warn("the rig has a take that is none of ours; it is left there", "take", id)
			return
		case err != nil:
			f.log.Warn("a take of the rig's cannot be looked up yet", "take", id, "err", err)
			f.mu.Lock()
			delete(f.looked, id)
			f.mu.Unlock()
			return
		case k.Ended && k.Trace.Whole() && k.Rows == len(k.Trace.Pos) && k.Rows > 0 && !f.cutShort(k):
			f.ack(c, id, 0, k.Rows) // all of it is kept: only the acknowledgement was lost
			return
		}
		t := fetching(k)
		n := t.stored
		t.asked.Store(int64(n))
		f.mu.Lock()
		if f.takes[id] != nil {
			f.mu.Unlock()
			return
		}
		f.takes[id] = t
		f.mu.Unlock()
		if n > 0 {
			f.ack(c, id, 0, n)
		}
		f.again(c, id, n)
	})
}

// cutShort reports whether a take was closed from this side, so that the rig may
// have more of it than is kept.
func (f *Machine) cutShort(k *journal.Take) bool { return k.Broken && k.LastBeat < 0 }

// ack tells the rig that rows [from, to) of a take are stored. It counts only
// with the lease's epoch, and only where it joins what was acknowledged before.
func (f *Machine) ack(c link.Rig, take string, from, to int) {
	f.mu.Lock()
	epoch := f.epoch
	f.mu.Unlock()
	_ = c.Say(link.Ack{Epoch: epoch, Take: take, From: from, Rows: to})
}

// rows adds a stretch of trace to its take and hands full seconds to the journal.
func (f *Machine) rows(c link.Rig, r *link.Rows) {
	t := f.find(r.Take)
	if t == nil {
		f.adopt(c, r.Take)
		return
	}
	pos, steps, err := r.Unpack(len(t.tr.Axes))
	if err != nil {
		f.log.Error("trace rows cannot be read", "take", r.Take, "from", r.From, "err", err)
		return
	}
	have := len(t.tr.Pos)
	if r.From > have { // something was missed: it is asked for once, and what follows comes again
		if t.asked.Swap(int64(have)) != int64(have) {
			f.again(c, r.Take, have)
		}
		return
	}
	t.tr.Tick = r.Tick
	t.tr.Append(r.From, pos, steps)
	for len(t.tr.Pos)-t.stored >= storeRows {
		f.store(c, t, t.stored+storeRows)
	}
}

// store writes rows up to n down and then acknowledges exactly them.
func (f *Machine) store(c link.Rig, t *Taking, n int) {
	from := t.stored
	t.stored = n
	pos := t.tr.Pos[from:n]
	cols := make([][]int32, len(t.tr.Steps))
	for a := range cols {
		cols[a] = t.tr.Steps[a][from:n]
	}
	f.scribe.add(func(ctx context.Context) {
		if err := f.journal.Rows(ctx, t.take, from, pos, cols); err != nil {
			f.log.Error("trace not written; the rig keeps it", "take", t.take.ID, "from", from, "err", err)
			t.holed.Store(true)
			return
		}
		if c != nil {
			f.ack(c, t.take.ID, from, n)
		}
	})
}

func (f *Machine) takeEnd(c link.Rig, e *link.TakeEnd) {
	t := f.find(e.Take)
	if t == nil {
		f.adopt(c, e.Take)
		return
	}
	t.take.Broken, t.take.Why, t.take.Frame = e.Broken, e.Why, e.Frame
	t.take.LastBeat, t.take.BrakeAt = e.LastBeat, e.BrakeTick
	f.mu.Lock() // a steer that was just answered notes its own
	t.take.Clock.Steers = e.Steers
	f.mu.Unlock()
	if have := len(t.tr.Pos); have < e.Rows { // something was missed: ask for it again
		t.asked.Store(int64(have))
		f.again(c, e.Take, have)
		return
	}
	f.close(c, t)
}

// finish ends a take from this side, at the frame of its last row or, where
// there is none, at the frame the rig was last seen at.
func (f *Machine) finish(t *Taking, why string) {
	t.take.Broken, t.take.Why, t.take.LastBeat = true, why, -1
	f.mu.Lock()
	if f.taking == t {
		t.take.Frame = f.state.Frame
	}
	f.mu.Unlock()
	if n := len(t.tr.Pos); n > 0 {
		t.take.Frame = t.tr.Pos[n-1].Frame()
	}
	f.close(nil, t)
}

func (f *Machine) close(c link.Rig, t *Taking) {
	f.mu.Lock()
	if f.taking == t {
		f.taking = nil
	}
	if t.over {
		f.mu.Unlock()
		return
	}
	t.over = true
	delete(f.takes, t.take.ID)
	f.mu.Unlock()
	last := t.stored // what is stored now is acknowledged when the end is stored too
	if len(t.tr.Pos) > t.stored {
		f.store(nil, t, len(t.tr.Pos))
	}
	t.take.Ended, t.take.Rows = true, len(t.tr.Pos)
	says := journal.Entry{At: time.Now(), Actor: t.take.By, ShotID: t.take.Shot, Kind: "take", Text: t.says()}
	f.scribe.add(func(ctx context.Context) {
		err := f.journal.End(ctx, t.take, says)
		if err != nil {
			f.log.Error("take's end not written; the rig keeps it", "take", t.take.ID, "err", err)
		} else if c != nil && !t.holed.Load() {
			f.ack(c, t.take.ID, last, t.take.Rows)
		}
		if c != nil && (err != nil || t.holed.Load()) {
			f.later(c, t)
		}
		close(t.done)
		f.ended(t.take)
		f.notify()
	})
}

// says is the take's line in the log.
func (t *Taking) says() string {
	k := t.take
	rest := ""
	if t.fetched >= 0 && k.Rows > t.fetched {
		rest = fmt.Sprintf(" The rig still had the rest: %d samples more, %d in all.", k.Rows-t.fetched, k.Rows)
	}
	if k.Broken {
		return fmt.Sprintf("%s broken off at frame %04.0f, on a clock of %s: %s.%s", k.Label, k.Frame, k.Clock.Words(),
			k.Why, rest)
	}
	return fmt.Sprintf("%s finished: %d samples, on a clock of %s.%s", k.Label, k.Rows, k.Clock.Words(), rest)
}

// breakOff ends the take that rolls, its rig being gone, and lets go of those
// that were being fetched: they are asked for again when the rig is back.
func (f *Machine) breakOff(why string) {
	f.mu.Lock()
	t := f.taking
	var others []*Taking
	for _, o := range f.takes {
		if o != t {
			others = append(others, o)
		}
	}
	f.mu.Unlock()
	if t != nil {
		f.finish(t, why)
	}
	for _, o := range others {
		f.finish(o, why)
	}
}
