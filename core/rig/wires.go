package rig

import "fmt"

// WireSeen is what a machine finds on one of its wires. Why says what keeps it from being
// reached at all. RunM is how far the cable really has to go, where somebody measured it.
type WireSeen struct {
	Name    string       `json:"name"`
	Address string       `json:"address,omitempty"`
	Why     string       `json:"why,omitempty"`
	RunM    float64      `json:"run_m,omitempty"`
	Devices []DeviceSeen `json:"devices"`
}

// DeviceSeen is one device that answers on a wire: on which channel, for which axis it
// says that it is, and whether it counts against the way that it is driven.
type DeviceSeen struct {
	Channel string `json:"channel"`
	Axis    string `json:"axis,omitempty"`
	Against bool   `json:"against,omitempty"`
}

// WireFinding is what a wire, or one axis on it, is found to be, and what to look at first
// where it is not what the book says. Word is ok, or names the fault.
type WireFinding struct {
	Wire    string `json:"wire"`
	Channel string `json:"channel,omitempty"`
	Axis    string `json:"axis,omitempty"`
	Word    string `json:"word" enum:"ok,missing,unknown,wrong direction,wrong address,wrong port,no route,two on one universe,two on one channel,cable too short"`
	Says    string `json:"says"`
	Look    string `json:"look,omitempty" doc:"at what first"`
}

// Match holds what is found on the wires against the book: every axis of the machine, each
// wire of the book, and whatever else answers.
func (r *Rig) Match(seen []WireSeen) []WireFinding {
	out := []WireFinding{}
	find := func(name string) *WireSeen {
		for i := range seen {
			if seen[i].Name == name {
				return &seen[i]
			}
		}
		return nil
	}
	book := map[string]*Wire{}
	if r.Book != nil {
		for i := range r.Book.Wires {
			w := &r.Book.Wires[i]
			book[w.Name] = w
			out = append(out, w.holds(find(w.Name))...)
		}
	}
	for i := range r.Axes {
		out = append(out, r.onWire(&r.Axes[i], seen, find))
	}
	for i := range seen {
		out = append(out, r.others(&seen[i], book[seen[i].Name])...)
	}
	return out
}

// holds is what a whole wire is found to be; nothing where it is in order.
func (w *Wire) holds(s *WireSeen) []WireFinding {
	var out []WireFinding
	add := func(word, look, format string, v ...any) {
		out = append(out, WireFinding{Wire: w.Name, Word: word, Says: fmt.Sprintf(format, v...), Look: look})
	}
	switch {
	case s == nil:
		add("missing", "Is it plugged in at both ends, and is what hangs on it powered?",
			"Nothing is found on %s.", w.Name)
	case s.Why != "":
		add("no route", "Is the controller on the same network, with the same mask, and does the router between "+
			"them route?", "%s cannot be reached: %s.", w.Name, s.Why)
	case w.Address != "" && s.Address != "" && s.Address != w.Address:
		add("wrong address", "Set the switches, or the setting, of what hangs on it; or correct the book.",
			"%s answers at %s, the book has it at %s.", w.Name, s.Address, w.Address)
	}
	run := w.RunM
	if s != nil && s.RunM > 0 {
		run = s.RunM
	}
	if w.CableM > 0 && run > w.CableM {
		add("cable too short", "Take a longer cable, or place the controller nearer; never lay one in tension.",
			"%s has %.1f m of cable for a run of %.1f m.", w.Name, w.CableM, run)
	}
	return out
}

// onWire is what one axis is found to be on its wire.
func (r *Rig) onWire(a *Axis, seen []WireSeen, find func(string) *WireSeen) WireFinding {
	wire, channel := WireOf(a)
	if channel == "" {
		channel = "1"
	}
	f := WireFinding{Wire: wire, Channel: channel, Axis: a.ID, Word: "ok", Says: a.Name + " answers."}
	if w := find(wire); w != nil {
		for _, d := range w.Devices {
			if d.Axis != a.ID || d.Channel != channel {
				continue
			}
			if d.Against {
				f.Word, f.Says = "wrong direction", a.Name+" counts against the way that it is driven."
				f.Look = "Turn its direction round in the book, then home it. Whoever changes wires instead has the " +
					"power off and " +
					"locked off first, waits until the drive is dead, and is qualified for it."
			}
			return f
		}
	}
	for i := range seen {
		for _, d := range seen[i].Devices {
			if d.Axis == a.ID {
				f.Word, f.Look = "wrong port", "Move its plug, or correct the book."
				f.Says = fmt.Sprintf("%s answers on %s, channel %s, not on %s, channel %s.", a.Name, seen[i].Name,
					d.Channel, wire, channel)
				return f
			}
		}
	}
	f.Word, f.Says = "missing", fmt.Sprintf("%s does not answer on %s, channel %s.", a.Name, wire, channel)
	f.Look = "Is its drive powered, is its plug in, and does every drive before it on the wire answer?"
	return f
}

// others are devices that the book does not know, and two that answer as one.
func (r *Rig) others(s *WireSeen, w *Wire) []WireFinding {
	var out []WireFinding
	on := map[string]int{}
	for _, d := range s.Devices {
		on[d.Channel]++
		if on[d.Channel] == 2 {
			f := WireFinding{Wire: s.Name, Channel: d.Channel, Word: "two on one channel",
				Says: fmt.Sprintf("Two devices answer on %s, channel %s.", s.Name, d.Channel),
				Look: "Give one of them another channel; until then neither can be trusted."}
			if w != nil && w.Kind == "lighting" {
				f.Word = "two on one universe"
				f.Says = fmt.Sprintf("Two devices are on %s, %s, from channel %s: they fight, and nothing says so.",
					s.Name, w.Address, d.Channel)
				f.Look = "Give one of them another start channel or universe."
			}
			out = append(out, f)
			continue
		}
		if (d.Axis == "" || r.Index(d.Axis) < 0) && (w == nil || w.Kind != "lighting") {
			out = append(out, WireFinding{Wire: s.Name, Channel: d.Channel, Word: "unknown",
				Says: fmt.Sprintf("Something answers on %s, channel %s, that the book does not know.",
					s.Name, d.Channel),
				Look: "Is it another machine's, or a new axis? Unplug it, or write it into the book."})
		}
	}
	return out
}
