package act

import (
	"context"
	"fmt"
	"time"

	"keenarc/core/rig"
	"keenarc/stage/machine"
)

// MostHomings is how often one press homes at the most.
const MostHomings = 20

// Homing is what is asked for: which axes, none for all; how, each in its own way where
// that is left out; and how many times one after another.
type Homing struct {
	Axes  []string
	Way   rig.HomeWay
	Times int
}

// Home starts a homing, so many times one after another: the machine says how far they lie
// apart. What ends without its axes homed ends it all, and so does any stop. It goes on when
// the page that asked is gone.
func (c *Conductor) Home(ctx context.Context, a machine.Press, id string, h Homing) error {
	if h.Times < 1 || h.Times > MostHomings {
		return fmt.Errorf("homing %d times: give 1 to %d", h.Times, MostHomings)
	}
	g, err := c.Arbiter.Begin(a, machine.KindHoming, "homing", h.Axes, machine.Claim{Machine: id})
	if err != nil {
		return err
	}
	m := g.Machine
	g.Called("homing " + m.Named(h.Axes))
	m.HomedFor(a.Who, a.Shot, h.Axes, h.Way)
	if err := g.Home(ctx, h.Axes, h.Way); err != nil {
		g.End()
		return err
	}
	how := ""
	if h.Way != "" {
		how = ", " + string(h.Way)
	}
	if h.Times > 1 {
		how += fmt.Sprintf(", %d times", h.Times)
	}
	note(m, a, "home", "%s: homing started on %s%s.", m.Name(), m.Named(h.Axes), how)
	c.wg.Go(func() {
		defer g.End()
		c.homeOn(g, h)
	})
	return nil
}

// homeOn waits for a homing's end, and begins the next of several.
func (c *Conductor) homeOn(g *machine.Grant, h Homing) {
	ctx, m := c.running(), g.Machine
	for n := 1; ; n++ {
		if g.Rest(ctx) != nil || n == h.Times {
			return
		}
		ended := time.Now()
		if s := m.Now().State; !s.AllHomed(h.Axes...) {
			return
		}
		g.Next(ended)
		if err := g.Home(ctx, h.Axes, h.Way); err != nil {
			c.log.Warn("the next homing was not begun", "machine", m.ID(), "err", err)
			return
		}
	}
}
