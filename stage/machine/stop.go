package machine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"keenarc/link"
)

// stopAnswer is how long a machine may take to answer a stop. A connection that has not
// brought the answer by then is ended: a machine stops when its holder's connection ends.
const stopAnswer = time.Second

// Stop slows whatever moves. It needs no lease and no database, anybody may, and it goes
// before all other words that wait. What it cannot reach is an error that says so; then the
// stop is said as soon as the machine is there again.
func (f *Machine) Stop(ctx context.Context) error {
	f.mu.Lock()
	f.stopping++
	c := f.client
	if c == nil {
		f.owed = true
	}
	f.mu.Unlock()
	defer func() {
		f.mu.Lock()
		f.stopping--
		f.mu.Unlock()
	}()
	f.halt()
	if c == nil {
		return ErrNoRig
	}
	ctx, cancel := context.WithTimeout(ctx, stopAnswer)
	defer cancel()
	_, err := link.Ask(ctx, c, link.Stop{})
	if err == nil {
		return nil
	}
	var refused *link.Refusal
	if !errors.As(err, &refused) {
		f.mu.Lock()
		f.owed = true
		f.mu.Unlock()
		c.Close()
	}
	return err
}

// What ends an activity before its time.
var (
	// ErrStopped is returned for what a stop has overtaken.
	ErrStopped = errors.New("it was stopped; nothing moves until it is asked for anew")
	// ErrLost is returned for what the connection did not outlive.
	ErrLost = errors.New("the connection to the machine was lost meanwhile; look where it stands, then ask again")
	// ErrLate is returned for what would come too long after it was asked.
	ErrLate = fmt.Errorf("that was asked more than %g s ago and is not carried out any more; ask again",
		Fresh.Seconds())
)

// Fresh is how old a press or a confirmation may be when its first word goes onto the wire,
// and how old the event may be that makes a later word due.
const Fresh = 2 * time.Second
