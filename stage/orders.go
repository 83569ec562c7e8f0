package stage

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"keenarc/journal"
	"keenarc/link"
)

// What a machine is told to do, apart from rolling.

// MostHomings is how often one press homes at the most.
const MostHomings = 20

// Home starts homing the named axes, or all of them, so many times one after another: the
// rig says how far they lie apart. What ends without its axes homed ends it all.
func (f *Floor) Home(ctx context.Context, who journal.Person, shot string, axes []string, times int) error {
	if times < 1 || times > MostHomings {
		return fmt.Errorf("homing %d times: give 1 to %d", times, MostHomings)
	}
	if _, err := f.call(ctx, link.Request{Do: "home", Axes: axes}); err != nil {
		return err
	}
	f.mu.Lock()
	f.homer, f.homing, f.again, f.whole = who, shot, times-1, axes
	f.mu.Unlock()
	often := ""
	if times > 1 {
		often = fmt.Sprintf(", %d times", times)
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "home", Text: fmt.Sprintf("%s: homing started on %s%s.", f.name, f.named(axes), often)})
	return nil
}

// homeAgain goes on with a homing that was asked for several times, where the last one
// came to its end.
func (f *Floor) homeAgain(s *link.State) {
	f.mu.Lock()
	axes, left := f.whole, f.again
	f.mu.Unlock()
	if left < 1 || !f.allHomed(s, axes) {
		f.mu.Lock()
		f.again = 0
		f.mu.Unlock()
		return
	}
	f.mu.Lock()
	f.again--
	f.mu.Unlock()
	f.scribe.add(func(ctx context.Context) { // events are not held up
		if _, err := f.call(ctx, link.Request{Do: "home", Axes: axes}); err != nil {
			f.log.Warn("the next homing was not begun", "machine", f.machine, "err", err)
		}
	})
}

// allHomed reports whether the named axes, or all, are homed.
func (f *Floor) allHomed(s *link.State, axes []string) bool {
	for id, ok := range s.Homed {
		if !ok && (len(axes) == 0 || slices.Contains(axes, id)) {
			return false
		}
	}
	return true
}

// named lists axes by their names for people.
func (f *Floor) named(axes []string) string {
	f.mu.Lock()
	r := f.rig
	f.mu.Unlock()
	if len(axes) == 0 || r == nil {
		return "all axes"
	}
	var out []string
	for _, id := range axes {
		if i := r.Index(id); i >= 0 {
			id = r.Axes[i].Name
		}
		out = append(out, id)
	}
	return strings.Join(out, ", ")
}

// Free lets an axis's drive go, or has it hold again.
func (f *Floor) Free(ctx context.Context, who journal.Person, axis string, free bool) error {
	do, word := "engage", "holds again"
	if free {
		do, word = "free", "was freed"
	}
	if _, err := f.call(ctx, link.Request{Do: do, Axis: axis}); err != nil {
		return err
	}
	f.note(journal.Entry{Actor: who, Kind: "drive", Text: fmt.Sprintf("%s: %s %s.", f.name, f.named([]string{axis}), word)})
	return nil
}

// Limit tells the rig the soft limits of a line-up, now and with every new lease.
func (f *Floor) Limit(ctx context.Context, soft map[string][2]float64) error {
	f.mu.Lock()
	f.soft = soft
	there := f.client != nil && f.right != nil
	f.mu.Unlock()
	if !there {
		return nil
	}
	_, err := f.call(ctx, link.Request{Do: "limits", Soft: soft})
	return err
}

// Pretend tells a stand-in what has happened to it.
func (f *Floor) Pretend(ctx context.Context, what, axis string, on bool, by float64) error {
	if !f.Now().StandIn {
		return errors.New("this is no stand-in: what happens to it really happens")
	}
	_, err := f.ask(ctx, link.Request{Do: "pretend", What: what, Axis: axis, On: on, By: by})
	return err
}

// GoTo starts a confirmed move of the named axes.
func (f *Floor) GoTo(ctx context.Context, who journal.Person, shot, text string, to map[string]float64) error {
	if _, err := f.call(ctx, link.Request{Do: "goto", To: to}); err != nil {
		return err
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "go-to", Text: text})
	return nil
}

// goAt starts a move of the named axes at a share of their working speeds; what asked
// for it keeps its own record.
func (f *Floor) goAt(ctx context.Context, to map[string]float64, share float64) error {
	_, err := f.call(ctx, link.Request{Do: "goto", To: to, Share: share})
	return err
}

// Stop slows whatever moves. It needs no lease and no database, and anybody may.
func (f *Floor) Stop(ctx context.Context) error {
	f.mu.Lock()
	f.again = 0
	f.mu.Unlock()
	_, err := f.ask(ctx, link.Request{Do: "stop"})
	return err
}
