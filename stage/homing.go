package stage

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/link"
)

// MostHomings is how often one press homes at the most.
const MostHomings = 20

// Homing is what is asked for: which axes, none for all; how, each in its own way where
// that is left out; and how many times one after another.
type Homing struct {
	Axes  []string
	Way   rig.HomeWay
	Times int
}

// Home starts a homing, so many times one after another: the rig says how far they lie
// apart. What ends without its axes homed ends it all.
func (f *Floor) Home(ctx context.Context, who journal.Person, shot string, h Homing) error {
	if h.Times < 1 || h.Times > MostHomings {
		return fmt.Errorf("homing %d times: give 1 to %d", h.Times, MostHomings)
	}
	if _, err := f.call(ctx, link.Request{Do: "home", Axes: h.Axes, Way: h.Way}); err != nil {
		return err
	}
	f.mu.Lock()
	f.homer, f.homing, f.asked = who, shot, h
	f.asked.Times--
	f.mu.Unlock()
	how := ""
	if h.Way != "" {
		how = ", " + string(h.Way)
	}
	if h.Times > 1 {
		how += fmt.Sprintf(", %d times", h.Times)
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "home", Text: fmt.Sprintf("%s: homing started on %s%s.", f.name, f.named(h.Axes), how)})
	return nil
}

// Confirm tells the rig what a person saw of an axis: that its marks meet, or that it
// stands at an end that it shall not pass.
func (f *Floor) Confirm(ctx context.Context, who journal.Person, shot, axis, what string) error {
	f.mu.Lock()
	f.homer, f.homing, f.asked = who, shot, Homing{Axes: []string{axis}, Way: map[string]rig.HomeWay{link.WaitsMark: rig.Witness, link.WaitsHigh: rig.ByHand}[what]}
	f.mu.Unlock()
	if _, err := f.call(ctx, link.Request{Do: "confirm", Axis: axis, What: what}); err != nil {
		return err
	}
	f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "home", Text: fmt.Sprintf("%s: %s confirmed at its %s.", f.name, f.named([]string{axis}), what)})
	return nil
}

// seenHomed keeps what a rig that stands still has found since it was last looked at, and
// goes on with a homing that was asked for several times.
func (f *Floor) seenHomed(was string, s *link.State) {
	if s.Mode != link.Idle && s.Mode != link.Armed {
		return
	}
	f.mu.Lock()
	before, r, who, shot, h := f.found, f.rig, f.homer, f.homing, f.asked
	f.found = make(map[string]int, len(s.Spread))
	d := journal.Homed{Machine: f.machine}
	for _, a := range r.Axes {
		sp := s.Spread[a.ID]
		f.found[a.ID] = sp.Found
		if n, ok := before[a.ID]; !ok || sp.Found <= n {
			continue
		}
		way := a.Home
		if h.Way != "" && slices.Contains(h.Axes, a.ID) {
			way = h.Way
		}
		d.Axes = append(d.Axes, journal.Found{Axis: a.ID, Way: way, N: sp.N, At: sp.At, Learnt: sp.Learnt})
	}
	f.mu.Unlock()
	if len(d.Axes) > 0 {
		raw, err := json.Marshal(d)
		if err != nil {
			f.log.Error("a homing is not kept", "machine", f.machine, "err", err)
		}
		e := journal.Entry{Actor: who, ShotID: shot, Kind: "homed", Text: f.homedWords(s, d.Axes), Data: raw}
		f.note(e)
		f.scribe.add(func(context.Context) { // that is written now
			f.mu.Lock()
			f.homings++
			f.mu.Unlock()
			f.notify()
		})
	}
	// One that is over sooner than states come is told by what it found.
	if was != link.Homing && len(d.Axes) == 0 {
		return
	}
	if len(d.Axes) == 0 {
		f.note(journal.Entry{Actor: who, ShotID: shot, Kind: "home", Text: f.name + ": homing ended, and nothing was found." + f.troubles(s)})
	}
	f.homeAgain(s)
}

// homedWords say how a homing ended.
func (f *Floor) homedWords(s *link.State, found []journal.Found) string {
	names := make([]string, len(found))
	for i, x := range found {
		names[i] = x.Axis
	}
	text := fmt.Sprintf("%s: %s homed.", f.name, f.named(names))
	if len(found) == len(f.rig.Axes) {
		text = f.name + ": all axes homed."
	}
	var waits []string
	for _, a := range f.rig.Axes {
		if s.Waits[a.ID] == link.WaitsCheck && slices.Contains(names, a.ID) {
			waits = append(waits, a.Name)
		}
	}
	if len(waits) > 0 {
		text += " At the check pose, to be confirmed: " + strings.Join(waits, ", ") + "."
	}
	return text + f.troubles(s)
}

func (f *Floor) troubles(s *link.State) string {
	text := ""
	for _, a := range f.rig.Axes {
		if why := s.Trouble[a.ID]; why != "" {
			text += fmt.Sprintf(" %s: %s.", a.Name, why)
		}
	}
	return text
}

// homeAgain goes on with a homing that was asked for several times, where the last one
// came to its end.
func (f *Floor) homeAgain(s *link.State) {
	f.mu.Lock()
	h := f.asked
	again := h.Times > 0 && f.allHomed(s, h.Axes)
	if f.asked.Times--; !again {
		f.asked.Times = 0
	}
	f.mu.Unlock()
	if !again {
		return
	}
	f.scribe.add(func(ctx context.Context) { // events are not held up
		if _, err := f.call(ctx, link.Request{Do: "home", Axes: h.Axes, Way: h.Way}); err != nil {
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
