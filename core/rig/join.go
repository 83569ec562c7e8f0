package rig

import (
	"fmt"
	"strings"
)

// Place is where a machine's own floor frame stands in the set: its origin in
// metres, and how far it is turned about the vertical, to the right as a compass.
type Place struct {
	At      Vec     `json:"at_m"`
	TurnDeg float64 `json:"turn_deg"`
}

// Placed is one machine of a shot. Name is what it is called there; two of the
// same rig have different names.
type Placed struct {
	Name  string `json:"name"`
	Rig   *Rig   `json:"rig"`
	Place Place  `json:"place"`
}

// Join makes one rig of the machines of a shot: every axis and joint under the
// name machine/axis, every machine on a fixed joint where it stands. The camera is
// that of the first machine that carries one. With one machine axes keep their
// names for people; with several the machine's stands before them.
func Join(machines []Placed) (*Rig, error) {
	if len(machines) == 0 {
		return nil, fmt.Errorf("machines: a shot needs at least one")
	}
	out := &Rig{}
	seen := map[string]bool{}
	var names []string
	for _, m := range machines {
		switch {
		case !name.MatchString(m.Name) || strings.Contains(m.Name, "/") || seen[m.Name]:
			return nil, fmt.Errorf("machine %q: names must be given, in small letters, digits and dashes, and differ",
				m.Name)
		case m.Rig == nil:
			return nil, fmt.Errorf("machine %s: it has no rig", m.Name)
		}
		seen[m.Name] = true
		names = append(names, m.Rig.Name)
		m.joinInto(out, len(machines) > 1)
	}
	out.ID, out.Name = machines[0].Name, strings.Join(names, " and ")
	if len(machines) == 1 {
		out.Version = machines[0].Rig.Version
	}
	return out, out.Check()
}

// floorJoint is the joint on which a machine of a shot stands; no machine may have
// one of that name itself.
const floorJoint = "place"

func (m *Placed) joinInto(out *Rig, several bool) {
	r := m.Rig
	for _, a := range r.Axes {
		a.ID = m.Name + "/" + a.ID
		if several {
			a.Name = r.Name + " " + strings.ToLower(a.Name)
		}
		out.Axes = append(out.Axes, a)
	}
	base := m.Name + "/" + floorJoint
	out.Joints = append(out.Joints, Joint{Name: base, Kind: Fixed, Offset: m.Place.At, TurnDeg: m.Place.TurnDeg})
	for _, j := range r.Joints {
		j.Name = m.Name + "/" + j.Name
		if j.Parent = m.Name + "/" + j.Parent; j.Parent == m.Name+"/" {
			j.Parent = base
		}
		if j.Axis != "" {
			j.Axis = m.Name + "/" + j.Axis
		}
		out.Joints = append(out.Joints, j)
	}
	if out.Camera == "" && r.Camera != "" {
		out.Camera = m.Name + "/" + r.Camera
	}
	if w := r.sway(); out.Sway == nil {
		out.Sway = &w
	} else {
		out.Sway = &Sway{min(out.Sway.Hz, w.Hz), min(out.Sway.Damping, w.Damping)}
	}
	out.ClearM, out.LagMS = max(out.ClearM, r.ClearM), max(out.LagMS, r.LagMS)
}

// Split divides an axis's name into its machine, which is empty where none is
// named, and its own.
func Split(axis string) (machine, own string) {
	if m, o, ok := strings.Cut(axis, "/"); ok {
		return m, o
	}
	return "", axis
}

// Find is the index of the axis that somebody means: by its whole name, or by its
// own name where only one axis has it; else -1.
func (r *Rig) Find(axis string) int {
	if i := r.Index(axis); i >= 0 {
		return i
	}
	found := -1
	for i := range r.Axes {
		if _, own := Split(r.Axes[i].ID); own == axis {
			if found >= 0 {
				return -1
			}
			found = i
		}
	}
	return found
}

// Machines are the names before the axes, in order.
func (r *Rig) Machines() []string {
	var out []string
	for i := range r.Axes {
		if m, _ := Split(r.Axes[i].ID); len(out) == 0 || out[len(out)-1] != m {
			out = append(out, m)
		}
	}
	return out
}
