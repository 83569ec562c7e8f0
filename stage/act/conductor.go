// Package act is what is done with machines on the day: passes, frames, homing, jogging, going
// somewhere, and what holds or bounds an axis. Each is an activity: it names what it claims,
// reads what it decides on after its claim is granted, and has an end that everybody is told.
package act

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"

	"keenarc/journal"
	"keenarc/stage/machine"
)

// Conductor begins activities. Run owns those that outlive the page that asked for them, and
// waits for them.
type Conductor struct {
	Machines *machine.Set
	Arbiter  *machine.Arbiter
	log      *slog.Logger

	mu  sync.Mutex
	ctx context.Context // while it runs
	wg  sync.WaitGroup
}

// NewConductor conducts the machines of a set.
func NewConductor(set *machine.Set, log *slog.Logger) *Conductor {
	return &Conductor{Machines: set, Arbiter: machine.NewArbiter(set), log: log}
}

// Run runs the machines, and what is done with them, until the context ends.
func (c *Conductor) Run(ctx context.Context) {
	c.mu.Lock()
	c.ctx = ctx
	c.mu.Unlock()
	c.Machines.Run(ctx)
	c.wg.Wait()
}

// running is the context of what outlives its page.
func (c *Conductor) running() context.Context {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.ctx == nil {
		return context.Background()
	}
	return c.ctx
}

// note writes a line of the log beside what moves.
func note(m *machine.Machine, a machine.Press, kind, format string, v ...any) {
	m.Note(journal.Entry{Actor: a.Who, ShotID: a.Shot, Kind: kind, Text: fmt.Sprintf(format, v...)})
}

// Going is where a machine is sent, by its axes' own names, at a share of its working
// speeds (0: half); Text says so.
type Going struct {
	To    map[string]float64
	Share float64
	Text  string
}

// Go sends a machine somewhere. decide is asked once the claim is granted, and may take as
// long as the press is fresh. The move goes on when the page that asked is gone, and ends with
// any stop.
func (c *Conductor) Go(ctx context.Context, a machine.Press, id string, decide func(context.Context) (Going,
	error)) (Going, error) {
	g, err := c.Arbiter.Begin(a, machine.KindGoTo, "a move", nil, machine.Claim{Machine: id})
	if err != nil {
		return Going{}, err
	}
	look, done := context.WithDeadline(ctx, a.Due)
	to, err := decide(look)
	done()
	if err == nil {
		g.Called(lowered(to.Text))
		err = g.GoTo(ctx, to.To, to.Share)
	}
	if err != nil {
		g.End()
		return to, err
	}
	note(g.Machine, a, "go-to", "%s", to.Text)
	c.wg.Go(func() {
		defer g.End()
		_ = g.Rest(c.running())
	})
	return to, nil
}

// lowered is a sentence as a part of another.
func lowered(text string) string {
	if text = strings.TrimSuffix(text, "."); text == "" {
		return "a move"
	}
	return strings.ToLower(text[:1]) + text[1:]
}

// Edit holds things that activities decide on while they are changed: f is carried out only
// where nothing that has claimed one of them goes on.
func (c *Conductor) Edit(a machine.Press, says string, f func() error, things ...machine.Claim) error {
	g, err := c.Arbiter.Begin(a, machine.KindEdit, says, nil, things...)
	if err != nil {
		return err
	}
	defer g.End()
	return f()
}

// Measure holds the camera while its chain is measured; what it answers gives it back.
func (c *Conductor) Measure(a machine.Press) (end func(), err error) {
	g, err := c.Arbiter.Begin(a, machine.KindMeasure, "the camera's chain is measured", nil, Camera)
	if err != nil {
		return nil, err
	}
	return g.End, nil
}

// Stop ends all that goes on and slows whatever moves.
func (c *Conductor) Stop(ctx context.Context) error { return c.Arbiter.Stop(ctx) }

// Log writes down that a stop was pressed, apart from the stop.
func (c *Conductor) Log(who journal.Person) {
	if all := c.Machines.All(); len(all) > 0 {
		all[0].Note(journal.Entry{At: time.Now(), Actor: who, Kind: "stop", Text: "Stop was pressed."})
	}
}
