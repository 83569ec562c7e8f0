package stage

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/link"
)

// taking is a take in progress.
type taking struct {
	take   *journal.Take
	shot   string
	name   string
	tr     *trace.Trace
	stored int // rows handed to the journal
	done   chan struct{}
}

// storeRows is how many rows go into one stored chunk: one second.
const storeRows = 1000

// Hold is one press of the hold. Its beats come from the operator's page and
// are passed on, never made here.
type Hold struct {
	f     *Floor
	c     link.Rig
	epoch int64
	take  *taking
}

// ErrBusy is returned when the hold is somebody else's.
var ErrBusy = errors.New("somebody else is holding; wait until they let go")

// Press loads and arms a pass and starts it rolling. alive says whether the
// press is still held and is asked just before the rig starts.
func (f *Floor) Press(ctx context.Context, who, shot string, p *Pass, alive func() bool) (*Hold, error) {
	c, epoch, err := f.rigNow()
	if err != nil {
		return nil, err
	}
	h := &Hold{f: f, c: c, epoch: epoch}
	f.mu.Lock()
	if f.holding != nil || f.taking != nil {
		f.mu.Unlock()
		return nil, ErrBusy
	}
	f.holding = h
	loaded, rg := f.state.Print, f.rig
	f.mu.Unlock()
	fail := func(err error) (*Hold, error) {
		_, _ = f.call(ctx, link.Request{Do: "stop"}) // nothing stays armed behind an error
		f.mu.Lock()
		f.holding, f.taking = nil, nil
		f.mu.Unlock()
		return nil, err
	}
	sum := p.Table.Fingerprint()
	print := hex.EncodeToString(sum[:])
	if loaded != print {
		packed, err := link.PackTable(p.Table.Canonical())
		if err != nil {
			return fail(err)
		}
		r, err := f.call(ctx, link.Request{Do: "load", Table: packed})
		if err != nil {
			return fail(err)
		}
		if r.Print != print {
			return fail(fmt.Errorf("the rig holds %s where %s was sent; load it again", r.Print, print))
		}
	}
	t := &journal.Take{ID: journal.NewID(), PassID: p.ID, By: who, Started: time.Now(), Print: print, LastBeat: -1, BrakeAt: -1}
	for _, a := range rg.Axes {
		t.Axes, t.Units = append(t.Axes, a.ID), append(t.Units, a.StepsPerUnit)
	}
	if _, err := f.call(ctx, link.Request{Do: "arm", Take: t.ID, Print: print, Rate: &p.Factor, Brake: p.BrakeS}); err != nil {
		return fail(err)
	}
	if err := f.journal.Begin(ctx, t); err != nil {
		return fail(fmt.Errorf("the take could not be begun: %w", err))
	}
	h.take = &taking{take: t, shot: shot, name: fmt.Sprintf("Pass %d · %s, take %d", p.Number, p.Name, t.Number), done: make(chan struct{}), tr: &trace.Trace{Axes: t.Axes, Units: t.Units, Steps: make([][]int32, len(t.Axes))}}
	t.Trace = h.take.tr
	f.mu.Lock()
	f.taking = h.take
	f.mu.Unlock()
	if !alive() {
		_, _ = f.call(ctx, link.Request{Do: "stop"})
		f.finish(h.take, "let go before the rig started")
		return nil, errors.New("let go before the rig started")
	}
	if _, err := f.call(ctx, link.Request{Do: "roll"}); err != nil {
		_, _ = f.call(context.WithoutCancel(ctx), link.Request{Do: "stop"})
		f.finish(h.take, err.Error())
		return nil, err
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "roll", Text: fmt.Sprintf("Rolled pass %d · %s, take %d.", p.Number, p.Name, t.Number)})
	f.notify()
	return h, nil
}

// Beat passes one sign of life on.
func (h *Hold) Beat() error { return h.c.Send(link.Request{Do: "beat", Epoch: h.epoch}) }

// Release lets go: the rig slows to a stop on its path.
func (h *Hold) Release() {
	_ = h.c.Send(link.Request{Do: "release", Epoch: h.epoch})
	h.f.mu.Lock()
	if h.f.holding == h {
		h.f.holding = nil
	}
	h.f.mu.Unlock()
	h.f.notify()
}

// Done is closed when the take is over.
func (h *Hold) Done() <-chan struct{} { return h.take.done }

// Take is the take of this hold; complete once Done is closed.
func (h *Hold) Take() *journal.Take { return h.take.take }

// rows adds a stretch of trace to the take in progress and hands full seconds
// to the journal.
func (f *Floor) rows(c link.Rig, r *link.Rows) {
	f.mu.Lock()
	t := f.taking
	f.mu.Unlock()
	if t == nil || t.take.ID != r.Take {
		_ = c.Send(link.Request{Do: "ack", Take: r.Take, Rows: 1 << 30}) // an old take that is written down already
		return
	}
	pos, steps, err := r.Unpack(len(t.tr.Axes))
	if err != nil || r.From > len(t.tr.Pos) {
		f.log.Error("trace rows left out", "take", r.Take, "from", r.From, "have", len(t.tr.Pos), "err", err)
		return
	}
	skip := len(t.tr.Pos) - r.From
	if skip >= len(pos) {
		return
	}
	t.tr.Tick = r.Tick
	t.tr.Pos = append(t.tr.Pos, pos[skip:]...)
	for a := range steps {
		t.tr.Steps[a] = append(t.tr.Steps[a], steps[a][skip:]...)
	}
	for len(t.tr.Pos)-t.stored >= storeRows {
		f.store(c, t, t.stored+storeRows)
	}
}

// store writes rows up to n down and then acknowledges them.
func (f *Floor) store(c link.Rig, t *taking, n int) {
	from := t.stored
	t.stored = n
	pos := t.tr.Pos[from:n]
	cols := make([][]int32, len(t.tr.Steps))
	for a := range cols {
		cols[a] = t.tr.Steps[a][from:n]
	}
	f.scribe.add(func(ctx context.Context) {
		if err := f.journal.Rows(ctx, t.take, from, pos, cols); err != nil {
			f.log.Error("trace not written; the rig keeps it", "take", t.take.ID, "err", err)
			return
		}
		if c != nil {
			_ = c.Send(link.Request{Do: "ack", Take: t.take.ID, Rows: n})
		}
	})
}

func (f *Floor) takeEnd(c link.Rig, e *link.TakeEnd) {
	f.mu.Lock()
	t := f.taking
	f.mu.Unlock()
	if t == nil || t.take.ID != e.Take {
		return
	}
	t.take.Broken, t.take.Why, t.take.Frame = e.Broken, e.Why, e.Frame
	t.take.LastBeat, t.take.BrakeAt = e.LastBeat, e.BrakeTick
	if len(t.tr.Pos) < e.Rows { // something was missed: ask for it again
		_ = c.Send(link.Request{Do: "trace", Take: e.Take, Rows: len(t.tr.Pos)})
		return
	}
	f.close(c, t)
}

// finish ends a take from this side.
func (f *Floor) finish(t *taking, why string) {
	t.take.Broken, t.take.Why = true, why
	if n := len(t.tr.Pos); n > 0 {
		t.take.Frame = t.tr.Pos[n-1].Frame()
	}
	f.close(nil, t)
}

func (f *Floor) close(c link.Rig, t *taking) {
	f.mu.Lock()
	if f.taking != t {
		f.mu.Unlock()
		return
	}
	f.taking, f.holding = nil, nil
	f.mu.Unlock()
	if len(t.tr.Pos) > t.stored {
		f.store(c, t, len(t.tr.Pos))
	}
	t.take.Ended, t.take.Rows = true, len(t.tr.Pos)
	f.scribe.add(func(ctx context.Context) {
		if err := f.journal.End(ctx, t.take); err != nil {
			f.log.Error("take's end not written", "take", t.take.ID, "err", err)
		}
		close(t.done)
		f.notify()
	})
	text := fmt.Sprintf("%s finished: %d samples.", t.name, t.take.Rows)
	if t.take.Broken {
		text = fmt.Sprintf("%s broken off at frame %04.0f: %s.", t.name, t.take.Frame, t.take.Why)
	}
	f.note(journal.Entry{Actor: t.take.By, ShotID: t.shot, Kind: "take", Text: text})
}

// breakOff ends a take whose rig is gone.
func (f *Floor) breakOff(why string) {
	f.mu.Lock()
	t, frame := f.taking, f.state.Frame
	f.mu.Unlock()
	if t == nil {
		return
	}
	f.finish(t, why)
	if len(t.tr.Pos) == 0 {
		t.take.Frame = frame
	}
}

// resume asks a rig that is back for the rest of a take; a rig that knows
// nothing of it has been off.
func (f *Floor) resume(ctx context.Context, c link.Rig) {
	f.mu.Lock()
	t := f.taking
	f.mu.Unlock()
	if t == nil {
		return
	}
	if _, err := c.Call(ctx, link.Request{Do: "trace", Take: t.take.ID, Rows: len(t.tr.Pos)}); err != nil {
		f.finish(t, "the rig was lost")
	}
}

// FirstPose is a table's first pose by axis.
func FirstPose(p *Pass) map[string]float64 {
	v, _ := PoseAt(p.Table, p.Table.Start())
	return v
}

// PoseAt is a table's pose at a frame by axis; ok is false outside the table.
func PoseAt(t *seal.Table, frame int) (pose map[string]float64, ok bool) {
	out, v := map[string]float64{}, make([]float64, len(t.Axes))
	ok = trace.Sealed{Table: t}.AtFrame(v, frame)
	for i, id := range t.Axes {
		out[id] = v[i]
	}
	return out, ok
}
