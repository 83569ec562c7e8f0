package machine

import (
	"context"
	"errors"
	"time"

	"keenarc/journal"
	"keenarc/link"
)

// One application drives a machine. The right to do so lies in the journal, which
// all of them share; those without it watch, say so, and acknowledge nothing. The
// machine's own lease goes to whoever has the right.

// claimPause is how long is waited before the right is asked for again.
const claimPause = 500 * time.Millisecond

// drives reports whether this application has the right to drive the machine.
func (f *Machine) drives() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.right != nil
}

// Driven reports the same.
func (f *Machine) Driven() bool { return f.drives() }

// claim asks for the right until it is had, and keeps it until the context ends.
// Where the journal cannot be reached any more the machine is driven on: what was
// begun is brought to its end, and the right is asked for again. Only when another
// application has it by then is the machine stopped and left to that one.
func (f *Machine) claim(ctx context.Context) {
	begun := false
	for ctx.Err() == nil {
		right, err := f.journal.Drive(ctx, f.id)
		switch {
		case errors.Is(err, journal.ErrElsewhere):
			f.yield(ctx)
		case err == nil:
			if !begun { // before the rig is asked for what it still has
				f.recover(ctx)
				late := time.AfterFunc(patience, f.closeOrphans)
				defer late.Stop()
				begun = true
			}
			f.mu.Lock()
			f.right = right
			f.mu.Unlock()
			f.notify()
			select {
			case <-right.Lost():
				right.Release()
				continue
			case <-ctx.Done():
				right.Release()
				return
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(claimPause):
		}
	}
}

// standing is how long a machine whose lease another program took has to stand still before
// it is taken back.
const standing = time.Second

// leaseDue reports whether the lease is to be asked for now: this application has the right
// and not the lease, and the machine stands still. One that another program has taken is
// asked for once, when the machine has stood still for a second.
func (f *Machine) leaseDue() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.right == nil || f.leasing || f.seen.IsZero() || f.still.IsZero() || f.epoch != 0 && f.state.Epoch <= f.epoch {
		return false
	}
	if f.epoch != 0 && (time.Since(f.still) < standing || time.Since(f.foreign) < standing ||
		f.tried == f.state.Epoch) {
		return false
	}
	f.leasing, f.tried = true, f.state.Epoch
	return true
}

// lease takes the lease, tells the rig the day's limits, and asks for what it still has of
// takes that were begun here.
func (f *Machine) lease(ctx context.Context, c link.Rig) {
	defer func() {
		f.mu.Lock()
		f.leasing = false
		f.mu.Unlock()
		f.notify()
	}()
	ctx, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	l, err := link.Ask(ctx, c, link.TakeLease{})
	if err != nil {
		f.log.Warn("the rig gives no lease yet", "machine", f.id, "err", err)
		return
	}
	f.mu.Lock()
	if f.client != c {
		f.mu.Unlock()
		return
	}
	again := f.epoch != 0
	f.epoch = l.Epoch
	soft, old := f.soft, f.is.Version == link.OldVersion
	f.mu.Unlock()
	if again {
		f.Note(journal.Entry{Actor: journal.Itself, Kind: "rig",
			Text: f.name + ": another program had taken its lease; it was taken back."})
	}
	if soft != nil && !old {
		boot, stops := c.Heard()
		if _, err := link.Ask(ctx, c, link.Limits{Order: link.Order{Epoch: l.Epoch, Boot: boot, Stops: stops},
			Soft: soft}); err != nil {
			f.log.Warn("the rig does not take the line-up's limits", "machine", f.id, "err", err)
		}
	}
	// What it keeps was not listened to before: it is offered anew.
	if _, err := link.Ask(ctx, c, link.Watch{}); err != nil {
		return
	}
	f.resume(ctx, c)
	f.askForOrphans(ctx, c)
	f.nudge()
}

// holds reports whether takes are received here: with the right and with the lease.
func (f *Machine) holds() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.right != nil && f.epoch != 0
}

// yield gives up driving: another application has the right.
func (f *Machine) yield(ctx context.Context) {
	f.mu.Lock()
	had := f.right != nil
	mine := f.epoch != 0 && f.state.Epoch == f.epoch // what moves is ours, not the other's
	f.right = nil
	f.mu.Unlock()
	if !had {
		return
	}
	defer f.notify()
	f.log.Warn("another copy of Keen Arc has taken over; this one watches", "machine", f.id)
	if !mine {
		return
	}
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), goodbye)
	defer cancel()
	_ = f.Stop(stop)
	f.mu.Lock()
	f.epoch = 0
	f.mu.Unlock()
}

// Soften tells the machine the soft limits of a line-up with every new lease from now on.
func (f *Machine) Soften(soft map[string][2]float64) {
	f.mu.Lock()
	f.soft = soft
	f.mu.Unlock()
}
