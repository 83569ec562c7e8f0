package stage

import (
	"context"
	"errors"
	"time"

	"keenarc/journal"
	"keenarc/link"
)

// One application drives a machine. The right to do so lies in the journal, which
// all of them share; those without it watch, say so, and acknowledge nothing.

// claimPause is how long is waited before the right is asked for again.
const claimPause = 500 * time.Millisecond

// drives reports whether this application has the right to drive the machine.
func (f *Floor) drives() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.right != nil
}

// claim asks for the right until it is had, and keeps it until the context ends.
// Where the journal cannot be reached any more the machine is driven on: what was
// begun is brought to its end, and the right is asked for again. Only when another
// application has it by then is the machine stopped and left to that one.
func (f *Floor) claim(ctx context.Context) {
	begun := false
	for ctx.Err() == nil {
		right, err := f.journal.Drive(ctx, f.machine)
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
			had := f.right != nil
			f.right = right
			f.mu.Unlock()
			if !had {
				f.begin(ctx)
			}
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

// begin takes the lease of a rig that is connected already. One that another
// application still rolls gives none: the connection is begun anew until it does.
func (f *Floor) begin(ctx context.Context) {
	f.notify()
	f.mu.Lock()
	c := f.client
	f.mu.Unlock()
	if c == nil {
		return
	}
	hello, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	if err := f.take(hello, c); err != nil {
		f.log.Warn("the rig gives no lease yet", "machine", f.machine, "err", err)
		_ = c.Close()
		return
	}
	// What it keeps was not listened to until now.
	if _, err := c.Call(hello, link.Request{Do: "watch"}); err != nil {
		_ = c.Close()
	}
}

// yield gives up driving: another application has the right.
func (f *Floor) yield(ctx context.Context) {
	f.mu.Lock()
	had := f.right != nil
	f.right = nil
	mine := f.epoch != 0 && f.state.Epoch == f.epoch // what moves is ours, not the other's
	f.mu.Unlock()
	if !had {
		return
	}
	defer f.notify()
	f.log.Warn("another copy of Keen Arc has taken over; this one watches", "machine", f.machine)
	if !mine {
		return
	}
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), goodbye)
	defer cancel()
	_ = f.Stop(stop)
}
