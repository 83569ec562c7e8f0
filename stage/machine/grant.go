package machine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/link"
)

// Grant is an activity's leave to use what it has claimed. Its methods are the only words that
// move a machine, or change what holds or bounds it. Each carries what the machine had said
// of itself when the activity was asked for; a stop since then, by anybody, ends it.
type Grant struct {
	arb    *Arbiter
	doing  Doing
	claims []Claim
	gen    int64

	Machine *Machine // that it moves; nil where none is claimed

	conn  link.Rig
	epoch int64
	boot  string
	stops int64

	mu    sync.Mutex
	due   time.Time // until when its next word may go onto the wire; zero: none is due
	why   error     // why it was halted
	tick  int64     // the machine's own, when its last word was carried out
	press string    // whose beats keep it going; empty: nobody's
	halt  chan struct{}
	over  chan struct{}
	once  sync.Once
}

func (g *Grant) clash(claims []Claim) bool {
	return slices.ContainsFunc(claims, func(c Claim) bool { return slices.Contains(g.claims, c) })
}

// Doing is what it is, as everybody is told.
func (g *Grant) Doing() Doing {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.doing
}

// Called says what it is, once that is known better.
func (g *Grant) Called(says string) {
	g.mu.Lock()
	g.doing.Says = says
	g.mu.Unlock()
	g.arb.set.notify()
}

// stop halts it; what is being prepared is not begun.
func (g *Grant) stop(why error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	select {
	case <-g.halt:
	default:
		g.why = why
		close(g.halt)
	}
}

// Halted is closed when it was stopped, or its machine lost.
func (g *Grant) Halted() <-chan struct{} { return g.halt }

// Why is why it was halted, or nil.
func (g *Grant) Why() error {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.why
}

// End gives back what was claimed.
func (g *Grant) End() {
	g.once.Do(func() {
		close(g.over)
		g.arb.end(g)
	})
}

// Over is closed when it has ended.
func (g *Grant) Over() <-chan struct{} { return g.over }

// Next says that an event has made the next word due: it may go onto the wire within Fresh
// from then on.
func (g *Grant) Next(event time.Time) {
	g.mu.Lock()
	g.due = event.Add(Fresh)
	g.mu.Unlock()
}

// may is asked in the last step before a word goes onto the wire: nobody has stopped it or its
// machine since it was asked for, the machine is the same that it was, and it is not too late.
// A leave that is spent is gone: each word needs an event of its own.
func (g *Grant) may(spend bool) error {
	g.mu.Lock()
	why, due := g.why, g.due
	g.mu.Unlock()
	if why != nil {
		return why
	}
	select {
	case <-g.over:
		return ErrStopped
	default:
	}
	g.arb.mu.Lock()
	gen := g.arb.gen
	g.arb.mu.Unlock()
	if gen != g.gen {
		return ErrStopped
	}
	if g.Machine != nil {
		g.Machine.mu.Lock()
		stopping, same := g.Machine.stopping, g.Machine.client == g.conn
		g.Machine.mu.Unlock()
		boot, stops := g.conn.Heard()
		switch {
		case !same:
			return ErrLost
		case stopping > 0:
			return ErrStopped
		case boot != g.boot:
			return ErrLost
		case stops != g.stops:
			return ErrStopped
		}
	}
	if due.IsZero() || time.Now().After(due) {
		return ErrLate
	}
	if spend {
		g.mu.Lock()
		g.due = time.Time{}
		g.mu.Unlock()
	}
	return nil
}

// Still reports whether it may go on: nobody has stopped it.
func (g *Grant) Still() error {
	err := g.may(false)
	if errors.Is(err, ErrLate) {
		return nil
	}
	return err
}

// orderAnswer is how long a machine may take to carry out a word that moves it. One that was
// not heard in time may be about to move: it is stopped.
const orderAnswer = 3 * time.Second

// give gives a machine an order with what every order carries now, and notes the tick at which it
// was carried out.
func give[A any](ctx context.Context, g *Grant, make func(link.Order) link.Asks[A]) (A, error) {
	var a A
	m := g.Machine
	if m == nil {
		return a, ErrNoRig
	}
	g.mu.Lock()
	d, due := g.doing, g.due
	g.mu.Unlock()
	o := link.Order{Epoch: g.epoch, Boot: g.boot, Stops: g.stops, Who: d.Says}
	if n := d.Who.Name; n != "" {
		o.Who = n + ": " + o.Who
	}
	m.mu.Lock()
	if !m.seen.IsZero() && !due.IsZero() {
		o.By = m.state.Tick + due.Sub(m.seen).Milliseconds()*max(m.is.Pace, 1)
	}
	w, lacks := make(o), m.lacks
	m.mu.Unlock()
	if lacks[w.Do()] {
		return a, fmt.Errorf("%s cannot do that: its device does not have the word %q", m.name, w.Do())
	}
	// Whoever asked may go away meanwhile: what was said is waited for all the same.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), orderAnswer)
	defer cancel()
	line, err := g.conn.Raw(ctx, w, func() error { return g.may(true) })
	if err != nil {
		var silent *link.UnansweredError
		if errors.As(err, &silent) {
			stop, end := context.WithTimeout(context.WithoutCancel(ctx), stopAnswer)
			defer end()
			err = errors.Join(err, g.Machine.Stop(stop))
		}
		return a, err
	}
	var r link.Reply
	if err := json.Unmarshal(line, &r); err != nil {
		return a, err
	}
	g.mu.Lock()
	g.tick = max(g.tick, r.Tick)
	g.mu.Unlock()
	return a, json.Unmarshal(line, &a)
}

// Rest waits until the machine stands still after the last word. It answers why the activity
// is over before its end, if it is.
func (g *Grant) Rest(ctx context.Context) error {
	g.mu.Lock()
	tick := g.tick
	g.mu.Unlock()
	ch, end := g.Machine.Watch()
	defer end()
	for {
		g.Machine.mu.Lock()
		same, s := g.Machine.client == g.conn, g.Machine.state
		g.Machine.mu.Unlock()
		switch {
		case !same:
			return ErrLost
		case s.Tick > tick && s.Still():
			return g.Why()
		}
		select {
		case <-ch:
		case <-ctx.Done():
			return fmt.Errorf("waiting for %s to stand still: %w", g.Machine.name, ctx.Err())
		}
	}
}

// Home looks for the zeros of axes.
func (g *Grant) Home(ctx context.Context, axes []string, way rig.HomeWay) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.Home{Order: o, Axes: axes, Way: way}
	})
	return err
}

// Confirm says what a person saw of an axis.
func (g *Grant) Confirm(ctx context.Context, axis, what string) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.Confirm{Order: o, Axis: axis, What: what}
	})
	return err
}

// GoTo starts a move of the named axes at a share of their working speeds.
func (g *Grant) GoTo(ctx context.Context, to map[string]float64, share float64) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.GoTo{Order: o, To: to, Share: share}
	})
	return err
}

// Jog starts an axis, for as long as beats of the press come.
func (g *Grant) Jog(ctx context.Context, press, axis string, speed float64, until *float64) error {
	g.by(press)
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.Jog{Order: o, Press: press, Axis: axis, Speed: speed, Until: until}
	})
	return err
}

// Speed gives the jog another speed.
func (g *Grant) Speed(ctx context.Context, speed float64) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.Speed{Order: o, Press: g.pressed(), Speed: speed}
	})
	return err
}

// Arm makes ready to roll what is loaded; says is what is being done, now that it is known.
func (g *Grant) Arm(ctx context.Context, says, take, print string, c *clock.Spec, brakeS float64) (everyMS int64,
	err error) {
	g.mu.Lock()
	g.doing.Says = says
	g.mu.Unlock()
	g.arb.set.notify()
	r, err := give(ctx, g, func(o link.Order) link.Asks[link.IsArmed] {
		return link.Arm{Order: o, Take: take, Print: print, Clock: c, Brake: brakeS}
	})
	return max(r.EveryMS, 1), err
}

// Roll starts the armed take, for as long as beats of the press come.
func (g *Grant) Roll(ctx context.Context, take, press string) error {
	g.by(press)
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.Roll{Order: o, Take: take, Press: press}
	})
	return err
}

// Steer changes the speed of a live clock.
func (g *Grant) Steer(ctx context.Context, num, den int64) ([]clock.Steer, error) {
	r, err := give(ctx, g, func(o link.Order) link.Asks[link.Steered] {
		return link.Steer{Order: o, Press: g.pressed(), Num: num, Den: den}
	})
	return r.Steers, err
}

// Free lets an axis's drive go, or has it hold again.
func (g *Grant) Free(ctx context.Context, axis string, free bool) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		if free {
			return link.Free{Order: o, Axis: axis}
		}
		return link.Engage{Order: o, Axis: axis}
	})
	return err
}

// Suspend lets an axis be jogged past its soft limits for so many seconds.
func (g *Grant) Suspend(ctx context.Context, axis string, seconds float64) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] {
		return link.Suspend{Order: o, Axis: axis, Seconds: seconds}
	})
	return err
}

// Limits sets the day's soft limits.
func (g *Grant) Limits(ctx context.Context, soft map[string][2]float64) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] { return link.Limits{Order: o, Soft: soft} })
	return err
}

// Configure gives the machine another version of its description.
func (g *Grant) Configure(ctx context.Context, r *rig.Rig) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] { return link.Configure{Order: o, Rig: r} })
	return err
}

// Handset lets the focus puller's own handset drive the lens, or locks it out.
func (g *Grant) Handset(ctx context.Context, free bool) error {
	_, err := give(ctx, g, func(o link.Order) link.Asks[link.Nothing] { return link.Handset{Epoch: o.Epoch, On: free} })
	return err
}

func (g *Grant) by(press string) {
	g.mu.Lock()
	g.press = press
	g.mu.Unlock()
}

func (g *Grant) pressed() string {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.press
}

// Beat passes one sign of life of the press on. One that was halted has none any more.
func (g *Grant) Beat() error {
	select {
	case <-g.halt:
		return g.Why()
	case <-g.over:
		return ErrStopped
	default:
	}
	return g.conn.Say(link.Beat{Epoch: g.epoch, Press: g.pressed()})
}

// Release lets go of the press: what it moves slows to rest, and what it has not moved yet
// it never will.
func (g *Grant) Release() {
	if p := g.pressed(); p != "" {
		_ = g.conn.Say(link.Release{Epoch: g.epoch, Press: p})
	}
}
