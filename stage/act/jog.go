package act

import (
	"context"
	"fmt"
	"sync"
	"time"

	"keenarc/core/rig"
	"keenarc/core/weave"
	"keenarc/stage/machine"
)

// FastestMPS is the most that any point of a machine moves while an axis is jogged, in
// metres a second, unless its working speed is less.
const FastestMPS = 0.25

// jogStages are the shares of the speed that a jog has once it has been held for so
// long: it begins at a crawl.
var jogStages = []struct {
	after time.Duration
	share float64
}{{0, 0.1}, {700 * time.Millisecond, 0.3}, {2 * time.Second, 1}}

// Jog is one axis that moves for as long as somebody holds. Its beats come from the
// page that holds and are passed on, never made here.
type Jog struct {
	c     *Conductor
	g     *machine.Grant
	full  float64 // signed, axis units a second
	began time.Time
	mu    sync.Mutex
	stage int
	busy  bool // a new speed is being asked for
}

// Jogging is what is asked of an axis: one way (1) or the other (−1), at most so much of its
// full speed (down to a hundredth; 0: all), as far as until where that is given.
type Jogging struct {
	Axis  string
	Way   int
	Share float64
	Until *float64
	// Held says whether the press is still held, and is asked before the axis is started; nil: it is.
	Held func() bool
}

// JogSpeed is how fast an axis is jogged at the most, in its unit a second: its working
// speed, or what moves the fastest point of the machine at FastestMPS from where it is.
func JogSpeed(r *rig.Rig, at func(axis string) float64, axis int) float64 {
	a := r.Axes[axis]
	q := make([]float64, len(r.Axes))
	for i := range q {
		q[i] = at(r.Axes[i].ID)
	}
	p := append([]float64(nil), q...)
	const little = 0.01
	p[axis] += little
	perUnit := weave.Travel(r, q, p) / little // metres
	if perUnit <= 0 {
		return a.Working.Speed
	}
	return min(a.Working.Speed, FastestMPS/perUnit)
}

// Jog starts an axis, by the machine's own name, at a crawl that speeds up in stages, for the
// press of that name.
func (c *Conductor) Jog(ctx context.Context, a machine.Press, id, press string, w Jogging) (*Jog, error) {
	if w.Share == 0 {
		w.Share = 1
	}
	if !(w.Share >= 0.01 && w.Share <= 1) {
		return nil, fmt.Errorf("a jog at %g of its speed: give 0.01 to 1", w.Share)
	}
	m, err := c.Machines.Of(id)
	if err != nil {
		return nil, err
	}
	g, err := c.Arbiter.Begin(a, machine.KindJog, m.Named([]string{w.Axis})+" is jogged", []string{w.Axis},
		machine.Claim{Machine: id})
	if err != nil {
		return nil, err
	}
	r, s := m.Rig(), m.Now().State
	i := -1
	if r != nil {
		i = r.Index(w.Axis)
	}
	if i < 0 || w.Way != 1 && w.Way != -1 {
		g.End()
		return nil, fmt.Errorf("%s has no axis %q to jog one way or the other", m.Name(), w.Axis)
	}
	if w.Held != nil && !w.Held() {
		g.End()
		return nil, ErrLetGo
	}
	j := &Jog{c: c, g: g, full: float64(w.Way) * w.Share * JogSpeed(r, s.Pos, i), began: time.Now()}
	if err := g.Jog(ctx, press, w.Axis, j.full*jogStages[0].share, w.Until); err != nil {
		g.End()
		return nil, err
	}
	note(m, a, "jog", "%s: %s is jogged.", m.Name(), r.Axes[i].Name)
	c.wg.Go(func() { // it is over when the axis stands still, whoever let go
		defer g.End()
		_ = g.Rest(c.running())
	})
	return j, nil
}

// Beat passes one sign of life on; where the next stage has come it asks for its speed, apart
// from the beats that follow.
func (j *Jog) Beat(ctx context.Context) error {
	if err := j.g.Beat(); err != nil {
		return err
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	now := time.Now()
	k := jogStage(now.Sub(j.began))
	if k == j.stage || j.busy {
		return nil
	}
	j.stage, j.busy = k, true
	j.g.Next(now)
	j.c.wg.Go(func() { // ends within the time that a machine may take to answer
		_ = j.g.Speed(ctx, j.full*jogStages[k].share)
		j.mu.Lock()
		j.busy = false
		j.mu.Unlock()
	})
	return nil
}

// jogStage is which stage a jog is in after so long.
func jogStage(held time.Duration) int {
	k := 0
	for i, s := range jogStages {
		if held >= s.after {
			k = i
		}
	}
	return k
}

// Release lets go: the axis slows to rest.
func (j *Jog) Release() { j.g.Release() }

// Over is closed when the axis stands still again.
func (j *Jog) Over() <-chan struct{} { return j.g.Over() }

// Halted is closed when it was stopped, or its machine lost.
func (j *Jog) Halted() <-chan struct{} { return j.g.Halted() }

// Why is why it was halted, or nil.
func (j *Jog) Why() error { return j.g.Why() }
