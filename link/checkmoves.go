package link

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"
)

// allowed asks for a move.
func (k *checker) allowed(question string) bool {
	if k.try > 1 {
		question = "once more: " + question
	}
	if k.ask == nil || !k.ask(question) {
		fmt.Fprintf(k.out, "left   %s\n", question)
		k.left = true
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
				_ = k.c.Say(Alive{})
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

// mostMoves is how often a move is begun where this computer was held up during it.
const mostMoves = 4

// moves plays what moves the device. Where something was wrong while this computer was held up for as
// long as a device waits for beats, the device may have been right to stop: that move is asked for,
// and begun, once more.
func (k *checker) moves(ctx context.Context) error {
	ctx, end := context.WithCancel(ctx)
	defer end()
	watch := k.heldUp
	if watch == nil {
		watch = WatchHeldUp(ctx).Longest
	}
	for _, part := range []func(context.Context) error{k.homes, k.goes, k.jogs} {
		before := k.wrong
		for k.try = 1; ; k.try++ {
			found := k.wrong
			k.wrong, k.left = before, false
			watch()
			if err := part(ctx); err != nil {
				return err
			}
			late := watch()
			if k.left && k.try > 1 { // not begun again: what was found stands
				k.wrong = found
			}
			if k.left || k.wrong == before || !TooLong(late) || k.try == mostMoves {
				break
			}
			fmt.Fprintf(k.out, "late   this computer was held up for %v, and a device that hears nothing for %d "+
				"ms stops: "+
				"what was wrong says nothing\n", late.Round(time.Millisecond), SilenceMS)
		}
	}
	return nil
}

func (k *checker) homes(ctx context.Context) error {
	if !k.allowed("home all axes of " + k.rig.Name) {
		return nil
	}
	if err := refused(ctx, k, "homing under no lease", Home{}); err != nil {
		return err
	}
	end := k.alive(ctx)
	defer end()
	if _, why, err := call(ctx, k, Home{Order: k.order()}); err != nil || !k.is(why == "", "homing is begun",
		`"ok":true`, why) {
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
		k.is(k.state.Homed(a.ID), a.Name+" is homed", "true in homed", k.state.Homed(a.ID))
	}
	return nil
}

func (k *checker) goes(ctx context.Context) error {
	a := k.rig.Axes[0]
	from, by := k.state.Asked(a.ID), 0.02*(a.Max-a.Min)
	if from+by > a.Max {
		by = -by
	}
	if !k.allowed(fmt.Sprintf("send %s %.1f %s on", a.Name, by, a.Unit.Symbol())) {
		return nil
	}
	end := k.alive(ctx)
	defer end()
	other := k.order()
	other.Epoch += 1000
	if err := errors.Join(
		refused(ctx, k, "a go-to past a soft limit", GoTo{Order: k.order(), To: map[string]float64{a.ID: a.Max + 1}}),
		refused(ctx, k, "a go-to of an axis that is not",
			GoTo{Order: k.order(), To: map[string]float64{"no-such-axis": 0}}),
		refused(ctx, k, "a go-to faster than half of all", GoTo{Order: k.order(), To: map[string]float64{a.ID: from},
			Share: 0.9}),
		refused(ctx, k, "a go-to under another one's name", GoTo{Order: other, To: map[string]float64{a.ID: from}}),
	); err != nil {
		return err
	}
	if _, why, err := call(ctx, k, GoTo{Order: k.order(), To: map[string]float64{a.ID: from + by}, Share: 0.2}); err !=
		nil || !k.is(why == "", "a go-to is begun", `"ok":true`, why) {
		return err
	}
	if _, err := k.until(ctx, answer, Moving); err != nil {
		return err
	}
	if _, err := k.until(ctx, 2*time.Minute, Idle); err != nil {
		return err
	}
	step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
	k.is(math.Abs(k.state.Asked(a.ID)-from-by) < step, a.Name+" was sent where it was asked to", fmt.Sprint(from+by),
		k.state.Asked(a.ID))
	k.is(math.Abs(k.state.Pos(a.ID)-from-by) < 2*step+a.Backlash+a.Repeatability, a.Name+" is where it was sent",
		fmt.Sprint(from+by), k.state.Pos(a.ID))
	return nil
}

// jogs checks the hold: an axis moves while beats come, and stops when they do not.
func (k *checker) jogs(ctx context.Context) error {
	a := k.rig.Axes[0]
	if !k.allowed(fmt.Sprintf("jog %s slowly for half a second, then fall silent", a.Name)) {
		return nil
	}
	from, way := k.state.Asked(a.ID), 1.0
	if from > (a.Min+a.Max)/2 {
		way = -1
	}
	speed := way * 0.1 * a.Working.Speed
	given := k.order()
	press, another := fmt.Sprintf("check-%d", k.try), fmt.Sprintf("not-check-%d", k.try)
	if _, why, err := call(ctx, k, Jog{Order: given, Press: press, Axis: a.ID, Speed: speed}); err != nil ||
		!k.is(why == "", "a jog is begun", `"ok":true`, why) {
		return err
	}
	for range 10 {
		_ = k.c.Say(Beat{Epoch: k.epoch, Press: press})
		time.Sleep(BeatMS * time.Millisecond)
	}
	if err := refused(ctx, k, "a new speed for somebody else's jog", Speed{Order: given, Press: another,
		Speed: speed}); err != nil {
		return err
	}
	for k.drain() {
	}
	k.is((k.state.Asked(a.ID)-from)*way > 0, a.Name+" moves the way that it was asked to",
		"a position beyond where it began", k.state.Asked(a.ID), "from", from)
	silent := time.Now()
	// Another press's beats are not this one's.
	for range 5 {
		_ = k.c.Say(Beat{Epoch: k.epoch, Press: another})
		time.Sleep(BeatMS * time.Millisecond)
	}
	over, err := k.until(ctx, 10*time.Second, Idle)
	if err != nil {
		return err
	}
	// 200 ms of silence, and the time to slow down from a tenth of its speed.
	slowing := math.Abs(speed)/(a.Working.Acceleration/2) + 0.5
	most := time.Duration((float64(SilenceMS)/1000 + slowing) * float64(time.Second))
	k.is(over && time.Since(silent) < most, "without beats of its press it stops by itself",
		fmt.Sprintf("rest within %v", most.Round(10*time.Millisecond)), time.Since(silent).Round(10*time.Millisecond),
		k.state.Mode)
	return errors.Join(
		refused(ctx, k, "a new speed for a jog that has ended", Speed{Order: given, Press: press, Speed: speed}),
		refused(ctx, k, "the same press once more", Jog{Order: given, Press: press, Axis: a.ID, Speed: speed}))
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
