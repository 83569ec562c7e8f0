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
	k := &checker{c: c, out: o.Out, ask: o.MayMove}
	for _, part := range []func(context.Context) error{k.describes, k.refuses, k.states, k.leases, k.limits, k.moves} {
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
	rig   *rig.Rig
	state State
	epoch int64
	wrong int
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

// call sends a request; a refusal comes back as its words, silence as an error.
func (k *checker) call(ctx context.Context, q Request) (Reply, string, error) {
	ctx, cancel := context.WithTimeout(ctx, answer)
	defer cancel()
	r, err := k.c.Call(ctx, q)
	switch {
	case err == nil:
		return r, "", nil
	case errors.Is(err, ErrGone) || ctx.Err() != nil:
		k.wrong++
		fmt.Fprintf(k.out, "WRONG  %s: %v; want an answer within %v\n", q.Do, err, answer)
		return r, "", err
	}
	return r, err.Error(), nil
}

// refused checks that a request is refused, with a reason.
func (k *checker) refused(ctx context.Context, what string, q Request) error {
	r, why, err := k.call(ctx, q)
	if err == nil {
		k.is(!r.OK && why != "", what+" is refused, with a reason", `{"ok":false,"why":"…"}`, fmt.Sprintf("ok %v, why %q", r.OK, why))
	}
	return err
}

func (k *checker) describes(ctx context.Context) error {
	r, why, err := k.call(ctx, Request{Do: "describe"})
	if err != nil {
		return err
	}
	k.is(r.OK && why == "", "describe is answered", `"ok":true`, why)
	k.is(r.Version == Version, fmt.Sprintf("it speaks version %d", Version), fmt.Sprint(Version), r.Version)
	if !k.is(r.Rig != nil, "it describes itself", "a rig", "none") {
		return errors.New("a device that does not describe itself cannot be checked further")
	}
	k.rig = r.Rig
	if err := k.rig.Check(); !k.is(err == nil, fmt.Sprintf("%s: %d axes, %d joints", r.Rig.Name, len(r.Rig.Axes), len(r.Rig.Joints)), "a description that holds together", err) {
		return errors.New("a device whose description does not hold together cannot be checked further")
	}
	if r.Boot == "" {
		fmt.Fprintln(k.out, "note   it does not say which time it was switched on (boot): what is exposed while it is away will be asked about")
	}
	return nil
}

func (k *checker) refuses(ctx context.Context) error {
	for what, q := range map[string]Request{
		"a request that there is not":   {Do: "no-such-request"},
		"a trace of an unknown take":    {Do: "trace", Take: "no-such-take"},
		"a table that is none":          {Do: "load", Machine: k.rig.ID, Table: "bm9uZQ=="},
		"arming without a lease":        {Do: "arm", Take: "check", Print: strings.Repeat("0", 64), Brake: 1},
		"freeing an axis that is not":   {Do: "free", Axis: "no-such-axis"},
		"limits of an axis that is not": {Do: "limits", Soft: map[string][2]float64{"no-such-axis": {0, 1}}},
	} {
		if err := k.refused(ctx, what, q); err != nil {
			return err
		}
	}
	return nil
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

var modes = map[string]bool{Idle: true, Homing: true, Moving: true, Jogging: true, Armed: true, Rolling: true, Braking: true}

func (k *checker) states(ctx context.Context) error {
	if _, why, err := k.call(ctx, Request{Do: "watch"}); err != nil || !k.is(why == "", "watch is answered", `"ok":true`, why) {
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
	if !k.is(len(seen) >= 8, "states come at least ten times a second at rest", "ten a second", len(seen), "in 1.5 s") || len(seen) < 2 {
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
	k.is(modes[last.Mode], "its mode is one of the link's", "idle, homing, moving, jogging, armed, rolling or braking", last.Mode)
	k.is(last.Drive == "free" || last.Drive == "holding" || last.Drive == "live", "its drives are free, holding or live", "one of them", last.Drive)
	for _, a := range k.rig.Axes {
		p, one := last.Pos[a.ID]
		_, two := last.Asked[a.ID]
		k.is(one && two && !math.IsNaN(p) && !math.IsInf(p, 0), a.Name+" says where it is and where it was sent", "a number under its id in pos and asked", p)
	}
	return nil
}

func (k *checker) leases(ctx context.Context) error {
	one, why, err := k.call(ctx, Request{Do: "lease"})
	if err != nil || !k.is(why == "" && one.Epoch > 0, "a rig at rest gives the lease", "an epoch above 0", why, one.Epoch) {
		return err
	}
	two, why, err := k.call(ctx, Request{Do: "lease"})
	if err != nil {
		return err
	}
	k.is(why == "" && two.Epoch > one.Epoch, "the next lease is a higher one", fmt.Sprint("above ", one.Epoch), why, two.Epoch)
	k.epoch = two.Epoch
	if err := k.refused(ctx, "limits under the old lease", Request{Do: "limits", Epoch: one.Epoch}); err != nil {
		return err
	}
	for _, n := range []string{"stop, while nothing moves,", "stop again"} {
		if _, why, err = k.call(ctx, Request{Do: "stop"}); err != nil {
			return err
		}
		k.is(why == "", n+" is answered, without a lease", `"ok":true`, why)
	}
	return nil
}

func (k *checker) limits(ctx context.Context) error {
	a := k.rig.Axes[0]
	if err := k.refused(ctx, "a soft limit beyond the hard end", Request{Do: "limits", Epoch: k.epoch, Soft: map[string][2]float64{a.ID: {a.Hard[0] - 1, a.Hard[1] + 1}}}); err != nil {
		return err
	}
	if err := k.refused(ctx, "soft limits upside down", Request{Do: "limits", Epoch: k.epoch, Soft: map[string][2]float64{a.ID: {a.Max, a.Min}}}); err != nil {
		return err
	}
	for what, q := range map[string]Request{
		"limits suspended for an hour":        {Do: "suspend", Epoch: k.epoch, Axis: a.ID, Seconds: 3600},
		"a confirmation of nothing":           {Do: "confirm", Epoch: k.epoch, Axis: a.ID, What: "nothing"},
		"a high end shown before the low one": {Do: "confirm", Epoch: k.epoch, Axis: a.ID, What: WaitsHigh},
		"a description of another machine":    {Do: "configure", Epoch: k.epoch, Rig: &rig.Rig{ID: "another"}},
	} {
		if err := k.refused(ctx, what, q); err != nil {
			return err
		}
	}
	r, why, err := k.call(ctx, Request{Do: "wires"})
	if err != nil {
		return err
	}
	if why != "" {
		fmt.Fprintln(k.out, "note   it does not say what is on its wires: Connect can only say that it answers")
	} else {
		k.is(len(r.Wires) > 0, "it says what is on its wires", "one entry for each", r.Wires)
	}
	_, why, err = k.call(ctx, Request{Do: "limits", Epoch: k.epoch})
	if err == nil {
		k.is(why == "", "its own limits are given back", `"ok":true`, why)
	}
	return err
}
