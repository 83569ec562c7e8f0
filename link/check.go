package link

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"keenarc/core/rig"
)

// CheckOptions say how far a check may go.
type CheckOptions struct {
	Out io.Writer
	// MayMove is asked before each move, in words that say what will move; nil: nothing is
	// asked for that could move a device, even a wrong one.
	MayMove func(question string) bool
	// HeldUp answers how long this computer was kept from running since it was last asked; nil: it
	// is measured.
	HeldUp func() time.Duration
}

// Check plays the link's messages against a device and says of each answer whether it is
// what docs/rig-link.md asks for. It answers how many were wrong. The error is for a
// device that cannot be spoken to at all.
func Check(ctx context.Context, addr string, o CheckOptions) (wrong int, err error) {
	c, err := Dial(ctx, addr)
	if err != nil {
		return 0, err
	}
	defer c.Close()
	k := &checker{c: c, out: o.Out, ask: o.MayMove, heldUp: o.HeldUp}
	for _, part := range []func(context.Context) error{k.describes, k.refuses, k.states, k.leased} {
		if err := part(ctx); err != nil {
			return k.wrong, err
		}
	}
	if k.wrong == 0 {
		fmt.Fprintln(o.Out, "every answer is right")
	} else {
		fmt.Fprintf(o.Out, "%d wrong\n", k.wrong)
	}
	return k.wrong, nil
}

type checker struct {
	c     *Client
	out   io.Writer
	ask   func(string) bool
	is3   Described
	rig   *rig.Rig
	state State
	epoch int64
	wrong int
	// heldUp is how long this computer was, since it was last asked; nil: it is watched.
	heldUp func() time.Duration
	try    int  // of the move that is being checked, from 1
	left   bool // the move was not allowed
}

// is says whether one thing is right.
func (k *checker) is(ok bool, what, want string, got ...any) bool {
	if ok {
		fmt.Fprintf(k.out, "ok     %s\n", what)
		return true
	}
	k.wrong++
	fmt.Fprintf(k.out, "WRONG  %s: %s; want %s\n", what, strings.TrimSpace(fmt.Sprintln(got...)), want)
	return false
}

// answer is how long a device may take to answer.
const answer = 3 * time.Second

// call asks a word; a refusal comes back as its words, silence as an error.
func call[A any](ctx context.Context, k *checker, w Asks[A]) (a A, why string, err error) {
	ctx, cancel := context.WithTimeout(ctx, answer)
	defer cancel()
	a, err = Ask(ctx, k.c, w)
	switch {
	case err == nil:
		return a, "", nil
	case errors.Is(err, ErrGone) || ctx.Err() != nil:
		k.wrong++
		fmt.Fprintf(k.out, "WRONG  %s: %v; want an answer within %v\n", w.Do(), err, answer)
		return a, "", err
	}
	return a, err.Error(), nil
}

// refused checks that a word is refused, with a reason.
func refused[A any](ctx context.Context, k *checker, what string, w Asks[A]) error {
	_, err := Ask(ctx, k.c, w)
	var no *Refusal
	switch {
	case err == nil:
		k.is(false, what+" is refused, with a reason", `{"ok":false,"why":"…"}`, "it was done")
	case errors.As(err, &no):
		k.is(no.Why != "", what+" is refused, with a reason", `{"ok":false,"why":"…"}`, "no reason")
	case errors.Is(err, ErrGone) || ctx.Err() != nil:
		return err
	}
	return nil
}

// order is what the words of this check carry.
func (k *checker) order() Order {
	boot, stops := k.c.Heard()
	return Order{Epoch: k.epoch, Boot: boot, Stops: stops, Who: "link-check"}
}

// noSuchWord is one that there is not.
type noSuchWord struct{}

func (noSuchWord) Do() string     { return "no-such-request" }
func (noSuchWord) answer(Nothing) {}

func (k *checker) describes(ctx context.Context) error {
	r, why, err := call(ctx, k, Describe{})
	if err != nil {
		return err
	}
	k.is(why == "", "describe is answered", `"ok":true`, why)
	k.is(r.Version == Version, fmt.Sprintf("it speaks version %d", Version), fmt.Sprint(Version), r.Version)
	if !k.is(r.Rig != nil, "it describes itself", "a rig", "none") {
		return errors.New("a device that does not describe itself cannot be checked further")
	}
	k.rig, k.is3 = r.Rig, r
	if err := k.rig.Check(); !k.is(err == nil, fmt.Sprintf("%s: %d axes, %d joints", r.Rig.Name, len(r.Rig.Axes),
		len(r.Rig.Joints)), "a description that holds together", err) {
		return errors.New("a device whose description does not hold together cannot be checked further")
	}
	if len(r.Can) == 0 {
		fmt.Fprintln(k.out, "note   it names no later words (can): those acts will be refused")
	}
	boot, _ := k.c.Heard()
	k.is(boot != "" && boot == r.Boot, "it says with every answer which time it was switched on",
		"boot in describe and in every reply", boot)
	return nil
}

func (k *checker) refuses(ctx context.Context) error {
	return errors.Join(
		refused(ctx, k, "a request that there is not", noSuchWord{}),
		refused(ctx, k, "a trace of an unknown take", SendTrace{Take: "no-such-take"}),
		refused(ctx, k, "a part of no table", Load{Machine: k.rig.ID, Part: 3, Of: 2}),
		refused(ctx, k, "arming without a lease", Arm{Take: "check", Print: strings.Repeat("0", 64), Brake: 1}),
		refused(ctx, k, "freeing an axis that is not", Free{Axis: "no-such-axis"}),
		refused(ctx, k, "limits of an axis that is not", Limits{Soft: map[string][2]float64{"no-such-axis": {0, 1}}}),
	)
}

// next waits for a state, or says that none comes.
func (k *checker) next(ctx context.Context, most time.Duration) (*State, error) {
	late := time.NewTimer(most)
	defer late.Stop()
	for {
		select {
		case ev, ok := <-k.c.Events():
			if !ok {
				return nil, ErrGone
			}
			if ev.State != nil {
				k.state = *ev.State
				return ev.State, nil
			}
		case <-late.C:
			return nil, nil
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

var modes = map[string]bool{Idle: true, Homing: true, Moving: true, Jogging: true, Armed: true, Rolling: true,
	Braking: true}

func (k *checker) states(ctx context.Context) error {
	if _, why, err := call(ctx, k, Watch{}); err != nil || !k.is(why == "", "watch is answered", `"ok":true`, why) {
		return err
	}
	var seen []State
	for began := time.Now(); time.Since(began) < 1500*time.Millisecond; {
		s, err := k.next(ctx, time.Second)
		if err != nil {
			return err
		}
		if s == nil {
			break
		}
		seen = append(seen, *s)
	}
	if !k.is(len(seen) >= 8, "states come at least ten times a second at rest", "ten a second", len(seen),
		"in 1.5 s") || len(seen) < 2 {
		return nil
	}
	rising, ticking := true, true
	for i := 1; i < len(seen); i++ {
		rising = rising && seen[i].N > seen[i-1].N
		ticking = ticking && seen[i].Tick >= seen[i-1].Tick
	}
	last, first := seen[len(seen)-1], seen[0]
	k.is(rising, "they are numbered, rising", "n rising with each", "it falls or stands")
	k.is(ticking && last.Tick > first.Tick, "its own milliseconds run on", "tick rising", first.Tick, "to", last.Tick)
	k.is(modes[last.Mode], "its mode is one of the link's",
		"idle, homing, moving, jogging, armed, rolling or braking", last.Mode)
	k.is(last.Drive == "free" || last.Drive == "holding" || last.Drive == "live",
		"its drives are free, holding or live", "one of them", last.Drive)
	for _, a := range k.rig.Axes {
		p, one := last.Axes[a.ID]
		k.is(one && !math.IsNaN(p.Pos) && !math.IsInf(p.Pos, 0), a.Name+" says where it is and where it was sent",
			"pos and asked under its id in axes", p.Pos)
	}
	k.is(last.Boot == k.is3.Boot, "states say which time it was switched on", k.is3.Boot, last.Boot)
	return nil
}

// leased are the parts that need the lease. It is not taken from somebody who has it: the
// machine would do nothing more for them.
func (k *checker) leased(ctx context.Context) error {
	if k.ask == nil && (k.is3.Held || !k.state.Still()) {
		fmt.Fprintln(k.out, "left   the lease, stop, limits, confirmations and wires: somebody has its lease, or it "+
			"moves; end that application first")
		for _, m := range []func(context.Context) error{k.homes, k.goes, k.jogs} {
			if err := m(ctx); err != nil {
				return err
			}
		}
		return nil
	}
	for _, part := range []func(context.Context) error{k.leases, k.stopped, k.limits, k.moves} {
		if err := part(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (k *checker) leases(ctx context.Context) error {
	one, why, err := call(ctx, k, TakeLease{})
	if err != nil || !k.is(why == "" && one.Epoch > 0, "a rig at rest gives the lease", "an epoch above 0", why,
		one.Epoch) {
		return err
	}
	two, why, err := call(ctx, k, TakeLease{})
	if err != nil {
		return err
	}
	k.is(why == "" && two.Epoch > one.Epoch, "the next lease is a higher one", fmt.Sprint("above ", one.Epoch),
		why, two.Epoch)
	k.epoch = two.Epoch
	old := k.order()
	old.Epoch = one.Epoch
	return refused(ctx, k, "limits under the old lease", Limits{Order: old})
}

// stopped checks that stops are counted, and that what was ordered before one is refused.
func (k *checker) stopped(ctx context.Context) error {
	before := k.order()
	for n, what := range []string{"stop, while nothing moves,", "stop again"} {
		if _, why, err := call(ctx, k, Stop{}); err != nil {
			return err
		} else if !k.is(why == "", what+" is answered, without a lease", `"ok":true`, why) {
			return nil
		}
		_, stops := k.c.Heard()
		k.is(stops == before.Stops+int64(n)+1, what+" is counted", fmt.Sprint("stops ", before.Stops+int64(n)+1), stops)
	}
	other := k.order()
	other.Boot += "-before"
	return errors.Join(
		refused(ctx, k, "what was ordered before the stops", Limits{Order: before}),
		refused(ctx, k, "what was ordered before it was switched on", Limits{Order: other}))
}

func (k *checker) limits(ctx context.Context) error {
	a := k.rig.Axes[0]
	if err := refused(ctx, k, "a soft limit beyond the hard end",
		Limits{Order: k.order(), Soft: map[string][2]float64{a.ID: {a.Hard[0] - 1, a.Hard[1] + 1}}}); err != nil {
		return err
	}
	if err := refused(ctx, k, "soft limits upside down",
		Limits{Order: k.order(), Soft: map[string][2]float64{a.ID: {a.Max, a.Min}}}); err != nil {
		return err
	}
	if err := errors.Join(
		refused(ctx, k, "limits suspended for an hour", Suspend{Order: k.order(), Axis: a.ID, Seconds: 3600}),
		refused(ctx, k, "a confirmation of nothing", Confirm{Order: k.order(), Axis: a.ID, What: "nothing"}),
		refused(ctx, k, "a high end shown before the low one", Confirm{Order: k.order(), Axis: a.ID, What: WaitsHigh}),
		refused(ctx, k, "a description of another machine", Configure{Order: k.order(), Rig: &rig.Rig{ID: "another"}}),
	); err != nil {
		return err
	}
	r, why, err := call(ctx, k, Wires{})
	if err != nil {
		return err
	}
	if why != "" {
		fmt.Fprintln(k.out, "note   it does not say what is on its wires: Connect can only say that it answers")
	} else {
		k.is(len(r.Wires) > 0, "it says what is on its wires", "one entry for each", r.Wires)
	}
	_, why, err = call(ctx, k, Limits{Order: k.order()})
	if err == nil {
		k.is(why == "", "its own limits are given back", `"ok":true`, why)
	}
	return err
}
