package machine

import (
	"errors"
	"testing"
	"time"

	"keenarc/link"
)

// told is a connection that has said a boot and a count of stops.
type told struct {
	link.Rig
	boot  string
	stops int64
}

func (t *told) Heard() (string, int64) { return t.boot, t.stops }

// The last step before the wire asks everything by itself, whatever the machine would ask again.
func TestTheLastStep(t *testing.T) {
	for name, c := range map[string]struct {
		happens func(g *Grant, m *Machine, r *told, a *Arbiter)
		want    error
	}{
		"nothing":                  {func(*Grant, *Machine, *told, *Arbiter) {}, nil},
		"a stop here":              {func(_ *Grant, _ *Machine, _ *told, a *Arbiter) { a.gen++ }, ErrStopped},
		"one that is not answered": {func(_ *Grant, m *Machine, _ *told, _ *Arbiter) { m.stopping++ }, ErrStopped},
		"a stop of another":        {func(_ *Grant, _ *Machine, r *told, _ *Arbiter) { r.stops++ }, ErrStopped},
		"a count from before":      {func(_ *Grant, _ *Machine, r *told, _ *Arbiter) { r.stops-- }, ErrStopped},
		"switched off and on": {func(_ *Grant, _ *Machine, r *told, _ *Arbiter) {
			r.boot = "another"
		}, ErrLost},
		"another connection": {func(_ *Grant, m *Machine, _ *told, _ *Arbiter) {
			m.client = &told{boot: "b", stops: 3}
		}, ErrLost},
		"no connection": {func(_ *Grant, m *Machine, _ *told, _ *Arbiter) { m.client = nil }, ErrLost},
		"halted":        {func(g *Grant, _ *Machine, _ *told, _ *Arbiter) { g.stop(ErrLost) }, ErrLost},
		"over":          {func(g *Grant, _ *Machine, _ *told, _ *Arbiter) { close(g.over) }, ErrStopped},
		"too late": {func(g *Grant, _ *Machine, _ *told, _ *Arbiter) {
			g.due = time.Now().Add(-time.Millisecond)
		}, ErrLate},
		"a word without its own event": {func(g *Grant, _ *Machine, _ *told, _ *Arbiter) { _ = g.may(true) }, ErrLate},
		"asked without being spent":    {func(g *Grant, _ *Machine, _ *told, _ *Arbiter) { _ = g.may(false) }, nil},
	} {
		r, a := &told{boot: "b", stops: 3}, &Arbiter{gen: 2}
		m := &Machine{client: r}
		g := &Grant{arb: a, Machine: m, conn: r, boot: "b", stops: 3, gen: 2, due: time.Now().Add(time.Minute),
			halt: make(chan struct{}), over: make(chan struct{})}
		c.happens(g, m, r, a)
		if err := g.may(true); !errors.Is(err, c.want) || (err == nil) != (c.want == nil) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
}
