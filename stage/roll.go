package stage

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/link"
)

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
func (f *Floor) Press(ctx context.Context, who journal.Person, shot string, p *Pass, alive func() bool) (*Hold, error) {
	c, epoch, err := f.rigNow()
	if err != nil {
		return nil, err
	}
	if !f.drives() {
		return nil, ErrWatching
	}
	if len(p.Table.Machines) > 1 {
		return nil, fmt.Errorf("this path is for %d machines; only one can be rolled at a time yet", len(p.Table.Machines))
	}
	h := &Hold{f: f, c: c, epoch: epoch}
	f.mu.Lock()
	if f.holding != nil || f.taking != nil {
		f.mu.Unlock()
		return nil, ErrBusy
	}
	f.holding = h
	loaded, rg := f.state.Print, f.rig // the rig as it describes itself
	f.mu.Unlock()
	fail := func(err error) (*Hold, error) {
		f.disarm(ctx)
		f.mu.Lock()
		f.holding, f.taking = nil, nil
		f.mu.Unlock()
		return nil, err
	}
	sum := p.Table.Fingerprint()
	print := hex.EncodeToString(sum[:])
	if loaded != print {
		packed, err := link.PackTable(p.Table.Share(p.Machine))
		if err != nil {
			return fail(err)
		}
		r, err := f.call(ctx, link.Request{Do: "load", Machine: p.Machine, Table: packed})
		if err != nil {
			return fail(err)
		}
		if r.Print != print {
			return fail(fmt.Errorf("the rig holds %s where %s was sent; load it again", r.Print, print))
		}
	}
	t := &journal.Take{ID: journal.NewID(), PassID: p.ID, Machine: f.machine, Clock: p.Clock, Shot: shot, By: who, Started: time.Now(), Print: print, LastBeat: -1, BrakeAt: -1}
	for _, a := range rg.Axes {
		t.Axes, t.Units = append(t.Axes, p.Machine+"/"+a.ID), append(t.Units, a.StepsPerUnit)
	}
	armed, err := f.call(ctx, link.Request{Do: "arm", Take: t.ID, Print: print, Clock: &p.Clock, Brake: p.BrakeS})
	if err != nil {
		return fail(err)
	}
	t.EveryMS = max(armed.EveryMS, 1)
	if err := f.journal.Begin(ctx, t); err != nil {
		return fail(fmt.Errorf("the take could not be begun: %w", err))
	}
	t.Label = journal.Label(p.Number, p.Name, t.Number)
	t.Trace = &trace.Trace{Axes: t.Axes, Units: t.Units, Every: t.EveryMS, Steps: make([][]int32, len(t.Axes))}
	h.take = &taking{take: t, tr: t.Trace, asked: -1, fetched: -1, done: make(chan struct{})}
	f.mu.Lock()
	f.taking, f.takes[t.ID] = h.take, h.take
	f.mu.Unlock()
	if !alive() {
		f.disarm(ctx)
		f.finish(h.take, "let go before the rig started")
		return nil, errors.New("let go before the rig started")
	}
	if _, err := f.call(ctx, link.Request{Do: "roll"}); err != nil {
		f.disarm(ctx)
		f.finish(h.take, err.Error())
		return nil, err
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "roll", Text: fmt.Sprintf("Rolled pass %d · %s, take %d.", p.Number, p.Name, t.Number)})
	f.notify()
	return h, nil
}

// disarm leaves nothing armed behind an error, even when whoever asked is gone.
func (f *Floor) disarm(ctx context.Context) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if _, err := f.call(ctx, link.Request{Do: "stop"}); err != nil {
		f.log.Warn("the rig could not be disarmed", "err", err)
	}
}

// Beat passes one sign of life on.
func (h *Hold) Beat() error { return h.c.Send(link.Request{Do: "beat", Epoch: h.epoch}) }

// Steer changes the speed of a live clock, to num/den of the path's rate.
func (h *Hold) Steer(ctx context.Context, num, den int64) error {
	r, err := h.c.Call(ctx, link.Request{Do: "steer", Epoch: h.epoch, Num: num, Den: den})
	if err != nil {
		return err
	}
	h.f.mu.Lock()
	defer h.f.mu.Unlock()
	if k := &h.take.take.Clock; !h.take.over && len(r.Steers) >= len(k.Steers) { // known should the rig be lost
		k.Steers = r.Steers
	}
	return nil
}

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

// Begins is the frame at which a pass of a table begins.
func Begins(t *seal.Table, s clock.Spec) (int, error) {
	c, err := t.Clock(s)
	if err != nil {
		return t.Start(), err
	}
	return c.At(0, trace.Hz).Whole(), nil
}

// PoseAt is a table's pose at a frame by axis, under the axes' own names, for one
// machine; ok is false outside the table.
func PoseAt(t *seal.Table, machine string, frame int) (pose map[string]float64, ok bool) {
	out, v := map[string]float64{}, make([]float64, len(t.Axes))
	ok = trace.Sealed{Table: t}.AtFrame(v, frame)
	for i, id := range t.Axes {
		if m, own := rig.Split(id); m == machine {
			out[own] = v[i]
		}
	}
	return out, ok
}
