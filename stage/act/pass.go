package act

import (
	"context"
	"errors"
	"fmt"
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

// Roll arms a pass and starts it rolling, for the press of that name. decide is asked once
// the claim is granted. held says whether the press is still held, and is asked before each
// word.
func (c *Conductor) Roll(ctx context.Context, a Asked, id, press string, decide func(context.Context) (Rolling, error), held func() bool) (*Hold, error) {
	g, err := c.begin(a, machine.KindPass, "a pass is rolled", nil, machine.Claim{Machine: id}, machine.Claim{Thing: Shoot(a.Shot)})
	if err != nil {
		return nil, err
	}
	look, done := a.deciding(ctx)
	r, err := decide(look)
	done()
	if err == nil {
		err = c.mayRoll(g, r)
	}
	if err == nil && !held() {
		err = ErrLetGo
	}
	if err != nil {
		g.End()
		return nil, err
	}
	g.Called(fmt.Sprintf("pass %d · %s is rolled", r.Pass.Number, r.Pass.Name))
	h := &Hold{c: c, g: g}
	if err := h.roll(ctx, a, r.Pass, press, held); err != nil {
		h.disarm(ctx)
		g.End()
		return nil, err
	}
	return h, nil
}

// mayRoll applies the rules of readiness, and has the table loaded where it is not.
func (c *Conductor) mayRoll(g *machine.Grant, r Rolling) error {
	p, m := r.Pass, g.Machine()
	if r.Desk != nil {
		if len(r.Desk.Machines) == 0 || r.Desk.Machines[0].Rig.ID != m.ID() {
			return errors.New("this shot's machine is another one by now; look, then press again")
		}
		if x := ready.ToRoll(machine.Gather(r.Desk.Machines, []machine.Snapshot{m.Now()}), r.Desk); !x.OK {
			return errors.New(x.Sentence)
		}
	}
	if p == nil {
		return errors.New("there is no sealed path to roll; press S to seal it")
	}
	if len(p.Table.Machines) > 1 {
		return fmt.Errorf("this path is for %d machines; only one can be rolled at a time yet", len(p.Table.Machines))
	}
	if ok, why := m.Holds(p.Print); !ok {
		c.Load(m, p.Machine, p.Table, p.Print)
		return fmt.Errorf("can't roll yet: %s", why)
	}
	return nil
}

// Load has a machine's share of a table loaded, so that a press need not wait for it.
func (c *Conductor) Load(m *machine.Machine, name string, t *seal.Table, print string) {
	m.Want(print, name, func() []byte { return t.Share(name) })
}

// roll arms, begins the take, and starts.
func (h *Hold) roll(ctx context.Context, a Asked, p *Pass, press string, held func() bool) error {
	g, m := h.g, h.g.Machine()
	t := &journal.Take{ID: journal.NewID(), PassID: p.ID, Machine: m.ID(), Clock: p.Clock, Shot: a.Shot, By: a.Who, Started: time.Now(), Print: p.Print, LastBeat: -1, BrakeAt: -1}
	for _, x := range m.Rig().Axes {
		t.Axes, t.Units = append(t.Axes, p.Machine+"/"+x.ID), append(t.Units, x.StepsPerUnit)
	}
	var err error
	if t.EveryMS, err = g.Arm(ctx, t.ID, p.Print, &p.Clock, p.BrakeS); err != nil {
		return err
	}
	h.armed = true
	g.Next(time.Now())
	begin, done := context.WithTimeout(ctx, machine.Fresh) // later it would not roll any more
	err = m.Begin(begin, t)
	done()
	if err != nil {
		return fmt.Errorf("the take could not be begun: %w", err)
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
		return err
	}
	note(m, a, "roll", "Rolled pass %d · %s, take %d.", p.Number, p.Name, t.Number)
	h.c.wg.Go(func() { // it is over when the machine stands still
		defer g.End()
		_ = g.Rest(h.c.running())
	})
	return nil
}

// disarm leaves nothing armed behind an error, even when whoever asked is gone.
func (h *Hold) disarm(ctx context.Context) {
	if !h.armed {
		return
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if err := h.g.Machine().Stop(ctx); err != nil {
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
		h.g.Machine().Steered(h.take, steers)
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
