// Package journaltest is a journal for tests, that knows of a take only what it was given.
package journaltest

import (
	"context"
	"errors"
	"sync"

	"keenarc/core/clock"
	"keenarc/core/trace"
	"keenarc/journal"
)

// Disk is a journal that outlives floors, as a database does: it knows of a take
// only what it was given.
type Disk struct {
	journal.Memory
	mu    sync.Mutex
	begun map[string]*journal.Take
	// fail refuses the stretch that begins with this row, once.
	fail int
}

// NewDisk is one that nothing was kept on.
func NewDisk() *Disk { return &Disk{begun: map[string]*journal.Take{}, fail: -1} }

// Begin keeps a take that begins.
func (d *Disk) Begin(ctx context.Context, t *journal.Take) error {
	if err := d.Memory.Begin(ctx, t); err != nil {
		return err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	k := *t
	k.Label = journal.Label(1, "Keeper", t.Number)
	k.Trace = &trace.Trace{Axes: t.Axes, Units: t.Units, Steps: make([][]int32, len(t.Axes))}
	d.begun[t.ID] = &k
	return nil
}

// Rows keeps a stretch of its trace.
func (d *Disk) Rows(_ context.Context, t *journal.Take, from int, pos []clock.Pos, steps [][]int32) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	if from == d.fail {
		d.fail = -1
		return errors.New("the disk is full")
	}
	k := d.begun[t.ID]
	if k == nil {
		return journal.ErrUnknown
	}
	have := k.Trace.Unbroken()
	if from < have || !k.Trace.Whole() { // rows that fill a hole: as the store does, by their numbers
		n := &trace.Trace{Axes: k.Trace.Axes, Units: k.Trace.Units, Steps: make([][]int32, len(k.Trace.Axes))}
		tail := *k.Trace
		n.Append(0, tail.Pos[:have], cut(tail.Steps, 0, have))
		n.Append(from, pos, steps)
		for i := have; i < len(tail.Pos); i++ {
			n.Append(tail.Row(i), tail.Pos[i:i+1], cut(tail.Steps, i, i+1))
		}
		k.Trace = n
		return nil
	}
	k.Trace.Append(from, append([]clock.Pos(nil), pos...), cut(steps, 0, len(pos)))
	return nil
}

func cut(cols [][]int32, from, to int) [][]int32 {
	out := make([][]int32, len(cols))
	for a := range cols {
		out[a] = append([]int32(nil), cols[a][from:to]...)
	}
	return out
}

// End keeps its end, and what the log says of it.
func (d *Disk) End(ctx context.Context, t *journal.Take, says journal.Entry) error {
	if err := d.Log(ctx, says); err != nil {
		return err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	k := d.begun[t.ID]
	k.Ended, k.Broken, k.Why, k.Frame, k.Rows, k.LastBeat, k.BrakeAt = true, t.Broken, t.Why, t.Frame, t.Rows,
		t.LastBeat, t.BrakeAt
	return nil
}

// Unfinished are the takes that were begun and not ended.
func (d *Disk) Unfinished(context.Context, string) ([]*journal.Take, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	var out []*journal.Take
	for _, k := range d.begun {
		if !k.Ended {
			c, tr := *k, *k.Trace
			c.Trace = &tr
			out = append(out, &c)
		}
	}
	return out, nil
}

// Find is a take that was begun.
func (d *Disk) Find(_ context.Context, id string) (*journal.Take, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	k := d.begun[id]
	if k == nil {
		return nil, journal.ErrUnknown
	}
	c, tr := *k, *k.Trace
	c.Trace = &tr
	return &c, nil
}

// Take is a take as it is kept.
func (d *Disk) Take(id string) journal.Take {
	d.mu.Lock()
	defer d.mu.Unlock()
	k := *d.begun[id]
	tr := *k.Trace
	k.Trace = &tr
	return k
}

// Begun is the take itself, for tests that change what is kept.
func (d *Disk) Begun(id string) *journal.Take {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.begun[id]
}

// FailAt refuses the stretch that begins with a row, once.
func (d *Disk) FailAt(row int) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.fail = row
}

// IDs are the takes that were begun.
func (d *Disk) IDs() []string {
	d.mu.Lock()
	defer d.mu.Unlock()
	var out []string
	for id := range d.begun {
		out = append(out, id)
	}
	return out
}
