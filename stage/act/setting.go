package act

import (
	"context"
	"fmt"
	"time"

	"keenarc/core/rig"
	"keenarc/link"
	"keenarc/stage/machine"
)

// What holds an axis, or bounds it. None of it moves anything by itself, and all of it is
// ended by a stop: a drive that is freed late drops what it carries.

// set carries out words of one activity on a machine that nothing else is done with.
func (c *Conductor) set(ctx context.Context, a machine.Press, id, says string, axes []string,
	do func(*machine.Grant) error) (*machine.Machine, error) {
	g, err := c.Arbiter.Begin(a, machine.KindSetting, says, axes, machine.Claim{Machine: id})
	if err != nil {
		return nil, err
	}
	defer g.End()
	return g.Machine, do(g)
}

// Free lets an axis's drive go, or has it hold again.
func (c *Conductor) Free(ctx context.Context, a machine.Press, id, axis string, free bool, may func() error) error {
	word := "holds again"
	if free {
		word = "was freed"
	}
	m, err := c.set(ctx, a, id, axis+" is freed or engaged", []string{axis}, func(g *machine.Grant) error {
		if may != nil {
			if err := may(); err != nil {
				return err
			}
		}
		return g.Free(ctx, axis, free)
	})
	if err == nil {
		note(m, a, "drive", "%s: %s %s.", m.Name(), m.Named([]string{axis}), word)
	}
	return err
}

// Handset lets the focus puller's own handset drive the lens, or locks it out.
func (c *Conductor) Handset(ctx context.Context, a machine.Press, id string, free bool) error {
	word := "locked out"
	if free {
		word = "let in again"
	}
	m, err := c.set(ctx, a, id, "the focus handset", nil, func(g *machine.Grant) error { return g.Handset(ctx, free) })
	if err == nil {
		note(m, a, "drive", "%s: the focus handset was %s.", m.Name(), word)
	}
	return err
}

// Confirm tells the machine what a person saw of axes: that their marks meet, or that they
// stand at an end that they shall not pass.
func (c *Conductor) Confirm(ctx context.Context, a machine.Press, id string, axes []string, what string) error {
	m, err := c.set(ctx, a, id, "what was seen of "+fmt.Sprint(len(axes))+" axes is confirmed", axes,
		func(g *machine.Grant) error {
			for _, axis := range axes {
				g.Machine.HomedFor(a.Who, a.Shot, []string{axis},
					map[string]rig.HomeWay{link.WaitsMark: rig.Witness, link.WaitsHigh: rig.ByHand}[what])
				if err := g.Confirm(ctx, axis, what); err != nil {
					return err
				}
				g.Next(time.Now())
			}
			return nil
		})
	if err == nil {
		note(m, a, "home", "%s: %s confirmed at its %s.", m.Name(), m.Named(axes), what)
	}
	return err
}

// Suspend lets an axis be jogged past its soft limits for so many seconds; with none they
// hold again at once.
func (c *Conductor) Suspend(ctx context.Context, a machine.Press, id, axis string, seconds float64) error {
	m, err := c.set(ctx, a, id, "soft limits are suspended", []string{axis}, func(g *machine.Grant) error {
		return g.Suspend(ctx, axis, seconds)
	})
	if err != nil {
		return err
	}
	if seconds == 0 {
		note(m, a, "limits", "%s: the soft limits of %s are on again.", m.Name(), m.Named([]string{axis}))
	} else {
		note(m, a, "limits", "%s: the soft limits of %s are off for %g s.", m.Name(), m.Named([]string{axis}), seconds)
	}
	return nil
}

// Limit tells the machine the soft limits of a line-up, now and with every new lease. keep is
// carried out first, while nothing else is done with the machine. One that is not there, or
// is driven elsewhere, is told when it is back.
func (c *Conductor) Limit(ctx context.Context, a machine.Press, id string, soft map[string][2]float64,
	keep func() error) error {
	m, err := c.Machines.Of(id)
	if err != nil {
		return err
	}
	if s := m.Now(); !s.Connected || !s.Leased || s.Old {
		if err := keep(); err != nil {
			return err
		}
		m.Soften(soft)
		return nil
	}
	_, err = c.set(ctx, a, id, "it is lined up", nil, func(g *machine.Grant) error {
		if err := keep(); err != nil {
			return err
		}
		m.Soften(soft)
		if err := g.Limits(ctx, soft); err != nil {
			return fmt.Errorf("the line-up is kept, but %s does not take its limits: %w", m.Name(), err)
		}
		return nil
	})
	return err
}

// Configure gives the machine another version of its description, and looks at it anew.
func (c *Conductor) Configure(ctx context.Context, a machine.Press, id string, r *rig.Rig) error {
	m, err := c.set(ctx, a, id, "it is given a new version", nil, func(g *machine.Grant) error {
		return g.Configure(ctx, r)
	})
	if err != nil {
		return err
	}
	note(m, a, "rig", "%s runs version %d of its description now.", m.Name(), r.Version)
	m.Again()
	return nil
}
