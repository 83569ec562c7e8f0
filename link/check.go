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

// allowed asks for a move.
func (k *checker) allowed(question string) bool {
	if k.ask == nil || !k.ask(question) {
		fmt.Fprintf(k.out, "left   %s\n", question)
		return false
	}
	return true
}

// alive gives the lease holder's sign of life until the end is called.
func (k *checker) alive(ctx context.Context) (end func()) {
	ctx, cancel := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		tk := time.NewTicker(BeatMS * time.Millisecond)
		defer tk.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tk.C:
				_ = k.c.Send(Request{Do: "alive"})
			}
		}
	}()
	return func() { cancel(); <-done }
}

// until waits for a mode, reading states.
func (k *checker) until(ctx context.Context, most time.Duration, mode string) (bool, error) {
	for late := time.Now().Add(most); time.Now().Before(late); {
		s, err := k.next(ctx, time.Second)
		if err != nil {
			return false, err
		}
		if s != nil && s.Mode == mode {
			return true, nil
		}
	}
	return false, nil
}

func (k *checker) moves(ctx context.Context) error {
	for _, part := range []func(context.Context) error{k.homes, k.goes, k.jogs} {
		if err := part(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (k *checker) homes(ctx context.Context) error {
	if !k.allowed("home all axes of " + k.rig.Name) {
		return nil
	}
	if err := k.refused(ctx, "homing under no lease", Request{Do: "home"}); err != nil {
		return err
	}
	end := k.alive(ctx)
	defer end()
	if _, why, err := k.call(ctx, Request{Do: "home", Epoch: k.epoch}); err != nil || !k.is(why == "", "homing is begun", `"ok":true`, why) {
		return err
	}
	begun, err := k.until(ctx, answer, Homing)
	if err != nil {
		return err
	}
	k.is(begun, "its state says homing", "mode homing", k.state.Mode)
	over, err := k.until(ctx, 5*time.Minute, Idle)
	if err != nil {
		return err
	}
	k.is(over, "it comes to an end", "mode idle", k.state.Mode)
	for _, a := range k.rig.Axes {
		k.is(k.state.Homed[a.ID], a.Name+" is homed", "true in homed", k.state.Homed[a.ID])
	}
	return nil
}

func (k *checker) goes(ctx context.Context) error {
	a := k.rig.Axes[0]
	from, by := k.state.Asked[a.ID], 0.02*(a.Max-a.Min)
	if from+by > a.Max {
		by = -by
	}
	if !k.allowed(fmt.Sprintf("send %s %.1f %s on", a.Name, by, a.Unit.Symbol())) {
		return nil
	}
	end := k.alive(ctx)
	defer end()
	for what, q := range map[string]Request{
		"a go-to past a soft limit":        {Do: "goto", Epoch: k.epoch, To: map[string]float64{a.ID: a.Max + 1}},
		"a go-to of an axis that is not":   {Do: "goto", Epoch: k.epoch, To: map[string]float64{"no-such-axis": 0}},
		"a go-to faster than half of all":  {Do: "goto", Epoch: k.epoch, To: map[string]float64{a.ID: from}, Share: 0.9},
		"a go-to under another one's name": {Do: "goto", Epoch: k.epoch + 1000, To: map[string]float64{a.ID: from}},
	} {
		if err := k.refused(ctx, what, q); err != nil {
			return err
		}
	}
	if _, why, err := k.call(ctx, Request{Do: "goto", Epoch: k.epoch, To: map[string]float64{a.ID: from + by}, Share: 0.2}); err != nil || !k.is(why == "", "a go-to is begun", `"ok":true`, why) {
		return err
	}
	if _, err := k.until(ctx, answer, Moving); err != nil {
		return err
	}
	if _, err := k.until(ctx, 2*time.Minute, Idle); err != nil {
		return err
	}
	step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
	k.is(math.Abs(k.state.Asked[a.ID]-from-by) < step, a.Name+" was sent where it was asked to", fmt.Sprint(from+by), k.state.Asked[a.ID])
	k.is(math.Abs(k.state.Pos[a.ID]-from-by) < 2*step+a.Backlash+a.Repeatability, a.Name+" is where it was sent", fmt.Sprint(from+by), k.state.Pos[a.ID])
	return nil
}

// jogs checks the hold: an axis moves while beats come, and stops when they do not.
func (k *checker) jogs(ctx context.Context) error {
	a := k.rig.Axes[0]
	if !k.allowed(fmt.Sprintf("jog %s slowly for half a second, then fall silent", a.Name)) {
		return nil
	}
	from, way := k.state.Asked[a.ID], 1.0
	if from > (a.Min+a.Max)/2 {
		way = -1
	}
	speed := way * 0.1 * a.Working.Speed
	if _, why, err := k.call(ctx, Request{Do: "jog", Epoch: k.epoch, Axis: a.ID, Speed: speed}); err != nil || !k.is(why == "", "a jog is begun", `"ok":true`, why) {
		return err
	}
	for n := range int64(10) {
		_ = k.c.Send(Request{Do: "beat", Epoch: k.epoch, Beat: n + 1})
		time.Sleep(BeatMS * time.Millisecond)
	}
	for k.drain() {
	}
	k.is((k.state.Asked[a.ID]-from)*way > 0, a.Name+" moves the way that it was asked to", "a position beyond where it began", k.state.Asked[a.ID], "from", from)
	silent := time.Now()
	over, err := k.until(ctx, 10*time.Second, Idle)
	if err != nil {
		return err
	}
	// 200 ms of silence, and the time to slow down from a tenth of its speed.
	slowing := math.Abs(speed)/(a.Working.Acceleration/2) + 0.5
	most := time.Duration((float64(SilenceMS)/1000 + slowing) * float64(time.Second))
	k.is(over && time.Since(silent) < most, "without beats it stops by itself", fmt.Sprintf("rest within %v", most.Round(10*time.Millisecond)), time.Since(silent).Round(10*time.Millisecond), k.state.Mode)
	return nil
}

// drain takes in what has come, and reports whether there was something.
func (k *checker) drain() bool {
	select {
	case ev, ok := <-k.c.Events():
		if ok && ev.State != nil {
			k.state = *ev.State
		}
		return ok
	default:
		return false
	}
}
