package act

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"keenarc/core/clock"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
)

// Pass is a sealed path to be run on a clock. Machine is what the machine that
// rolls it is called in the shot; Print is the table's fingerprint in hex.
type Pass struct {
	ID      string
	Name    string
	Number  int
	Machine string
	Table   *seal.Table
	Print   string
	Clock   clock.Spec
	BrakeS  float64
}

// Hold is one press of the hold. Its beats come from the operator's page and
// are passed on, never made here.
type Hold struct {
	c     *Conductor
	g     *machine.Grant
	armed bool
	take  *machine.Taking
	turn  sync.Mutex // of those who steer: each change of speed has a leave of its own
}

// Rolling is what a press is to roll: the pass, and the desk that it is judged by (nil: it is
// not judged, as from the command line).
type Rolling struct {
	Pass *Pass
	Desk *ready.Desk
}

// ErrLetGo is returned where the press was let go before the machine moved.
var ErrLetGo = errors.New("let go before the rig started")

// Roll decides on a pass, arms it and starts it rolling, for the press of that name. decide is
// asked once the claim is granted. held says whether the press is still held, and is asked before
// each word. A table that is not in the machine is loaded, for the next press.
func (c *Conductor) Roll(ctx context.Context, a machine.Press, id, press string, decide func(context.Context) (Rolling,
	error), held func() bool) (_ *Hold, err error) {
	g, err := c.Arbiter.Begin(a, machine.KindPass, "a pass is rolled", nil, machine.Claim{Machine: id},
		machine.Claim{Shoot: a.Shot})
	if err != nil {
		return nil, err
	}
	h, m := &Hold{c: c, g: g}, g.Machine
	defer func() {
		if err != nil {
			h.disarm(ctx)
			g.End()
		}
	}()
	look, done := context.WithDeadline(ctx, a.Due)
	r, err := decide(look)
	done()
	if err != nil {
		return nil, err
	}
	p, now := r.Pass, m.Now()
	if r.Desk != nil {
		if len(r.Desk.Machines) == 0 || r.Desk.Machines[0].Rig.ID != now.Machine {
			return nil, errors.New("this shot's machine is another one by now; look, then press again")
		}
		if not := ready.Broken(machine.Gather(r.Desk.Machines, []machine.Snapshot{now}), r.Desk); not != "" {
			return nil, errors.New(not)
		}
	}
	switch {
	case p == nil:
		return nil, errors.New("there is no sealed path to roll; press S to seal it")
	case len(p.Table.Machines) > 1:
		return nil, fmt.Errorf("this path is for %d machines; only one can be rolled at a time yet",
			len(p.Table.Machines))
	case now.State.Print != p.Print:
		_, why := m.Holds(p.Print)
		c.Load(m, p.Machine, p.Table, p.Print)
		return nil, fmt.Errorf("can't roll yet: %s", why)
	case !held():
		return nil, ErrLetGo
	}
	t := &journal.Take{ID: journal.NewID(), PassID: p.ID, Machine: now.Machine, Clock: p.Clock, Shot: a.Shot, By: a.Who,
		Started: time.Now(), Print: p.Print, LastBeat: -1, BrakeAt: -1}
	for i, x := range p.Table.Axes {
		if name, _, _ := strings.Cut(x, "/"); name == p.Machine {
			t.Axes, t.Units = append(t.Axes, x), append(t.Units, p.Table.Units[i])
		}
	}
	says := fmt.Sprintf("pass %d · %s is rolled", p.Number, p.Name)
	if t.EveryMS, err = g.Arm(ctx, says, t.ID, p.Print, &p.Clock, p.BrakeS); err != nil {
		return nil, err
	}
	h.armed = true
	g.Next(time.Now())
	begin, done := context.WithTimeout(ctx, machine.Fresh) // later it would not roll any more
	err = m.Begin(begin, t)
	done()
	if err != nil {
		return nil, fmt.Errorf("the take could not be begun: %w", err)
	}
	t.Label = journal.Label(p.Number, p.Name, t.Number)
	t.Trace = &trace.Trace{Axes: t.Axes, Units: t.Units, Every: t.EveryMS, Steps: make([][]int32, len(t.Axes))}
	h.take = m.Follow(t)
	if !held() {
		err = ErrLetGo
	} else {
		err = g.Roll(ctx, t.ID, press)
	}
	if err != nil {
		m.Fail(h.take, err.Error())
		return nil, err
	}
	note(m, a, "roll", "Rolled pass %d · %s, take %d.", p.Number, p.Name, t.Number)
	c.wg.Go(func() { // it is over when the machine stands still
		defer g.End()
		_ = g.Rest(c.running())
	})
	return h, nil
}

// Load has a machine's share of a table loaded, so that a press need not wait for it.
func (c *Conductor) Load(m *machine.Machine, name string, t *seal.Table, print string) {
	m.Want(print, name, func() []byte { return t.Share(name) })
}

// disarm leaves nothing armed behind an error, even when whoever asked is gone.
func (h *Hold) disarm(ctx context.Context) {
	if !h.armed {
		return
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if err := h.g.Machine.Stop(ctx); err != nil {
		h.c.log.Warn("the rig could not be disarmed", "err", err)
	}
}

// Beat passes one sign of life on.
func (h *Hold) Beat() error { return h.g.Beat() }

// Steer changes the speed of a live clock, to num/den of the path's rate.
func (h *Hold) Steer(ctx context.Context, num, den int64) error {
	h.turn.Lock()
	defer h.turn.Unlock()
	h.g.Next(time.Now())
	steers, err := h.g.Steer(ctx, num, den)
	if err == nil {
		h.g.Machine.Steered(h.take, steers)
	}
	return err
}

// Release lets go: the rig slows to a stop on its path.
func (h *Hold) Release() { h.g.Release() }

// Done is closed when the take is over.
func (h *Hold) Done() <-chan struct{} { return h.take.Done() }

// Take is the take of this hold; complete once Done is closed.
func (h *Hold) Take() *journal.Take { return h.take.Take() }

// Doing is what it is, as everybody is told.
func (h *Hold) Doing() machine.Doing { return h.g.Doing() }
