package stage

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/link"
)

// What a machine is told to do, apart from rolling.

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

// Feel asks an arm what its wrist feels where it stands.
func (f *Floor) Feel(ctx context.Context) (*link.Felt, error) {
	r, err := f.ask(ctx, link.Request{Do: "feel"})
	if err == nil && r.Felt == nil {
		err = errors.New("it does not say what its wrist feels")
	}
	return r.Felt, err
}

// Handset lets the focus puller's own handset drive the lens, or locks it out.
func (f *Floor) Handset(ctx context.Context, who journal.Person, free bool) error {
	if _, err := f.call(ctx, link.Request{Do: "handset", On: free}); err != nil {
		return err
	}
	word := "locked out"
	if free {
		word = "let in again"
	}
	f.note(journal.Entry{Actor: who, Kind: "drive", Text: fmt.Sprintf("%s: the focus handset was %s.", f.name, word)})
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

// Suspend lets an axis be jogged past its soft limits for so many seconds; with none they
// hold again at once.
func (f *Floor) Suspend(ctx context.Context, who journal.Person, axis string, seconds float64) error {
	if _, err := f.call(ctx, link.Request{Do: "suspend", Axis: axis, Seconds: seconds}); err != nil {
		return err
	}
	text := fmt.Sprintf("%s: the soft limits of %s are off for %g s.", f.name, f.named([]string{axis}), seconds)
	if seconds == 0 {
		text = fmt.Sprintf("%s: the soft limits of %s are on again.", f.name, f.named([]string{axis}))
	}
	f.note(journal.Entry{Actor: who, Kind: "limits", Text: text})
	return nil
}

// Pretend tells a stand-in what has happened to it.
func (f *Floor) Pretend(ctx context.Context, what, axis string, on bool, by float64) error {
	if !f.Now().StandIn {
		return errors.New("this is no stand-in: what happens to it really happens")
	}
	_, err := f.ask(ctx, link.Request{Do: "pretend", What: what, Axis: axis, On: on, By: by})
	return err
}

// Rig is what the machine says that it is; nil while it is not seen.
func (f *Floor) Rig() *rig.Rig {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.client == nil {
		return nil
	}
	return f.rig
}

// Configure gives the machine another version of its description, and looks at it anew.
func (f *Floor) Configure(ctx context.Context, who journal.Person, r *rig.Rig) error {
	if _, err := f.call(ctx, link.Request{Do: "configure", Rig: r}); err != nil {
		return err
	}
	f.note(journal.Entry{Actor: who, Kind: "rig", Text: fmt.Sprintf("%s runs version %d of its description now.", f.name, r.Version)})
	f.mu.Lock()
	c := f.client
	f.mu.Unlock()
	if c != nil {
		c.Close() // everything about it is asked again
	}
	return nil
}

// Wires asks the machine what it finds on its wires.
func (f *Floor) Wires(ctx context.Context) ([]rig.WireSeen, error) {
	r, err := f.ask(ctx, link.Request{Do: "wires"})
	return r.Wires, err
}

// Truth asks a stand-in where it really is.
func (f *Floor) Truth(ctx context.Context) (*link.Truth, error) {
	if !f.Now().StandIn {
		return nil, errors.New("this is no stand-in: only somebody who looks at it can say")
	}
	r, err := f.ask(ctx, link.Request{Do: "truth"})
	if err == nil && r.Truth == nil {
		err = errors.New("it does not say where it is")
	}
	return r.Truth, err
}

// GoTo starts a confirmed move of the named axes.
func (f *Floor) GoTo(ctx context.Context, who journal.Person, shot, text string, to map[string]float64) error {
	return f.Go(ctx, who, shot, text, to, 0)
}

// Go is the same at a share of the working speeds, to half of them; 0: half.
func (f *Floor) Go(ctx context.Context, who journal.Person, shot, text string, to map[string]float64, share float64) error {
	if _, err := f.call(ctx, link.Request{Do: "goto", To: to, Share: share}); err != nil {
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
	f.asked.Times = 0
	f.mu.Unlock()
	_, err := f.ask(ctx, link.Request{Do: "stop"})
	return err
}
