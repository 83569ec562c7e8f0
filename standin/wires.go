package standin

import (
	"slices"

	"keenarc/core/rig"
	"keenarc/link"
)

// wiring is what is plugged where: as the book has it, but for the faults that it was told
// to have.
type wiring struct {
	faults map[string]string // by fault: on which axis
}

// silent is what a drive that does not answer is reported as.
const silent = "it does not answer"

// rewire puts a fault in, or takes it out.
func (s *Sim) rewire(fault string, i int, on bool) {
	if s.wires.faults == nil {
		s.wires.faults = map[string]string{}
	}
	was, had := s.wires.faults[fault]
	if on {
		s.wires.faults[fault] = s.axes[i].a.ID
	} else {
		delete(s.wires.faults, fault)
	}
	switch fault {
	case link.PretendMissing, link.PretendRoute, link.PretendPort: // what cannot be spoken to does not move
		wire, _ := rig.WireOf(s.axes[i].a)
		for k := range s.axes {
			a := &s.axes[k]
			mine, _ := rig.WireOf(a.a)
			if k != i && (fault != link.PretendRoute || mine != wire) {
				continue
			}
			if on {
				a.fault, a.free = silent, true
				a.lostSight()
			} else if a.fault == silent {
				a.fault = ""
			}
		}
		if on {
			s.Stop("a drive does not answer: " + s.axes[i].a.Name)
		}
	case link.PretendDirection: // its wires are swapped: it moves the other way
		flip := func(id string) {
			if k := s.o.Rig.Index(id); k >= 0 {
				a := &s.axes[k]
				truth := a.shaft()
				a.scale = -a.scale
				a.err, a.lost = truth-a.x*a.scale, 0
				a.homed, a.known = false, false
			}
		}
		if had {
			flip(was)
		}
		if on {
			flip(s.axes[i].a.ID)
		}
	}
}

// Wires are what it finds on each of its wires.
func (s *Sim) Wires() []rig.WireSeen {
	out := []rig.WireSeen{}
	at := func(name string) *rig.WireSeen {
		k := slices.IndexFunc(out, func(w rig.WireSeen) bool { return w.Name == name })
		if k < 0 {
			out = append(out, rig.WireSeen{Name: name, Devices: []rig.DeviceSeen{}})
			k = len(out) - 1
		}
		return &out[k]
	}
	if b := s.o.Rig.Book; b != nil {
		for _, w := range b.Wires {
			x := at(w.Name)
			x.Address = w.Address
			if w.Kind == "lighting" {
				x.Devices = append(x.Devices, rig.DeviceSeen{Channel: "1"})
				if _, on := s.wires.faults[link.PretendUniverse]; on {
					x.Devices = append(x.Devices, rig.DeviceSeen{Channel: "1"})
				}
			}
		}
	}
	f := s.wires.faults
	for i := range s.axes {
		a := s.axes[i].a
		wire, channel := rig.WireOf(a)
		if channel == "" {
			channel = "1"
		}
		w := at(wire)
		switch a.ID {
		case f[link.PretendMissing]:
			continue
		case f[link.PretendPort]:
			w, channel = &out[(slices.IndexFunc(out, func(x rig.WireSeen) bool { return x.Name == wire })+1)%
				len(out)], "7"
		}
		w.Devices = append(w.Devices, rig.DeviceSeen{Channel: channel, Axis: a.ID,
			Against: f[link.PretendDirection] == a.ID})
		switch a.ID {
		case f[link.PretendUnknown]:
			w.Devices = append(w.Devices, rig.DeviceSeen{Channel: "9"})
		case f[link.PretendAddress]:
			w.Address = "0x7f"
		case f[link.PretendCable]:
			w.RunM = 60
		}
	}
	if id := f[link.PretendRoute]; id != "" {
		wire, _ := rig.WireOf(&s.o.Rig.Axes[s.o.Rig.Index(id)])
		*at(wire) = rig.WireSeen{Name: wire, Why: "no route from 192.168.7.0/24 to 10.4.0.0/16",
			Devices: []rig.DeviceSeen{}}
	}
	return out
}
