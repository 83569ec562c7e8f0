package machine

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

// homer is who asked for a homing, on which shot, of which axes and in which way.
type homer struct {
	who  journal.Person
	shot string
	axes []string
	way  rig.HomeWay
}

// HomedFor says for whom the homings are that come next, for the record.
func (f *Machine) HomedFor(who journal.Person, shot string, axes []string, way rig.HomeWay) {
	f.mu.Lock()
	f.homer = homer{who, shot, axes, way}
	f.mu.Unlock()
}

// seenHomed keeps what a rig that stands still has found since it was last looked at.
func (f *Machine) seenHomed(was string, s *link.State) {
	if !s.Still() {
		return
	}
	f.mu.Lock()
	before, r, h := f.found, f.rig, f.homer
	f.found = make(map[string]int, len(s.Axes))
	d := journal.Homed{Machine: f.id}
	for _, a := range r.Axes {
		sp := s.Axes[a.ID].Spread
		f.found[a.ID] = sp.Found
		if n, ok := before[a.ID]; !ok || sp.Found <= n {
			continue
		}
		way := a.Home
		if h.way != "" && slices.Contains(h.axes, a.ID) {
			way = h.way
		}
		d.Axes = append(d.Axes, journal.Found{Axis: a.ID, Way: way, N: sp.N, At: sp.At, Learnt: sp.Learnt})
	}
	f.mu.Unlock()
	if len(d.Axes) > 0 {
		raw, err := json.Marshal(d)
		if err != nil {
			f.log.Error("a homing is not kept", "machine", f.id, "err", err)
		}
		f.Note(journal.Entry{Actor: h.who, ShotID: h.shot, Kind: "homed", Text: f.homedWords(r, s, d.Axes), Data: raw})
		f.scribe.add(func(context.Context) { // that is written now
			f.mu.Lock()
			f.homings++
			f.mu.Unlock()
			if f.Homed != nil {
				f.Homed()
			}
			f.notify()
		})
		return
	}
	if was == link.Homing {
		f.Note(journal.Entry{Actor: h.who, ShotID: h.shot, Kind: "home",
			Text: f.name + ": homing ended, and nothing was found." + troubles(r, s)})
	}
}

// homedWords say how a homing ended.
func (f *Machine) homedWords(r *rig.Rig, s *link.State, found []journal.Found) string {
	names := make([]string, len(found))
	for i, x := range found {
		names[i] = x.Axis
	}
	text := fmt.Sprintf("%s: %s homed.", f.name, f.Named(names))
	if len(found) == len(r.Axes) {
		text = f.name + ": all axes homed."
	}
	var waits []string
	for _, a := range r.Axes {
		if s.Axes[a.ID].Waits == link.WaitsCheck && slices.Contains(names, a.ID) {
			waits = append(waits, a.Name)
		}
	}
	if len(waits) > 0 {
		text += " At the check pose, to be confirmed: " + strings.Join(waits, ", ") + "."
	}
	return text + troubles(r, s)
}

func troubles(r *rig.Rig, s *link.State) string {
	text := ""
	for _, a := range r.Axes {
		if why := s.Axes[a.ID].Trouble; why != "" {
			text += fmt.Sprintf(" %s: %s.", a.Name, why)
		}
	}
	return text
}

// Named lists axes by their names for people.
func (f *Machine) Named(axes []string) string {
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
