package rig_test

import (
	"slices"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// Everyday faults of wiring, one at a time: each is named, with what to look at first, and
// nothing else is accused.
func TestMatch(t *testing.T) {
	r := fixture.Slider()
	r.Book = &rig.Book{Wires: []rig.Wire{{Name: "bus A", Kind: "drive bus", Address: "0x20", CableM: 5, RunM: 3},
		{Name: "lens port", Kind: "lens port", CableM: 1, RunM: 0.9}, {Name: "lamps", Kind: "lighting",
			Address: "universe 1"}}}
	all := func() []rig.WireSeen {
		return []rig.WireSeen{
			{Name: "bus A", Address: "0x20", Devices: []rig.DeviceSeen{{Channel: "1", Axis: "track"},
				{Channel: "2", Axis: "pan"}, {Channel: "3", Axis: "tilt"}, {Channel: "4", Axis: "roll"}}},
			{Name: "lens port", Devices: []rig.DeviceSeen{{Channel: "1", Axis: "focus"}}},
			{Name: "lamps", Devices: []rig.DeviceSeen{{Channel: "1"}}},
		}
	}
	for want, spoil := range map[string]func([]rig.WireSeen) []rig.WireSeen{
		"": func(s []rig.WireSeen) []rig.WireSeen { return s },
		"missing tilt": func(s []rig.WireSeen) []rig.WireSeen {
			s[0].Devices = slices.Delete(s[0].Devices, 2, 3)
			return s
		},
		"unknown ": func(s []rig.WireSeen) []rig.WireSeen {
			s[0].Devices = append(s[0].Devices, rig.DeviceSeen{Channel: "9"})
			return s
		},
		"wrong direction pan": func(s []rig.WireSeen) []rig.WireSeen { s[0].Devices[1].Against = true; return s },
		"wrong address ":      func(s []rig.WireSeen) []rig.WireSeen { s[0].Address = "0x21"; return s },
		"wrong port focus": func(s []rig.WireSeen) []rig.WireSeen {
			s[0].Devices = append(s[0].Devices, rig.DeviceSeen{Channel: "5", Axis: "focus"})
			s[1].Devices = nil
			return s
		},
		"cable too short ": func(s []rig.WireSeen) []rig.WireSeen { s[0].RunM = 7; return s },
		"two on one universe ": func(s []rig.WireSeen) []rig.WireSeen {
			s[2].Devices = append(s[2].Devices, rig.DeviceSeen{Channel: "1"})
			return s
		},
		"two on one channel ": func(s []rig.WireSeen) []rig.WireSeen {
			s[0].Devices = append(s[0].Devices, rig.DeviceSeen{Channel: "2", Axis: "pan"})
			return s
		},
	} {
		found := []string{}
		for _, f := range r.Match(spoil(all())) {
			if f.Word == "ok" {
				if f.Look != "" {
					t.Errorf("%+v", f)
				}
				continue
			}
			if found = append(found, f.Word+" "+f.Axis); f.Says == "" || f.Look == "" {
				t.Errorf("%+v", f)
			}
		}
		if want == "" && len(found) > 0 || want != "" && !slices.Equal(found, []string{want}) {
			t.Errorf("%q: found %q", want, found)
		}
	}
	// A whole bus that cannot be reached: said once for the wire, and for each of its axes.
	s := all()
	s[0] = rig.WireSeen{Name: "bus A", Why: "no route to 10.4.0.0/16"}
	words := []string{}
	for _, f := range r.Match(s) {
		if f.Word != "ok" {
			words = append(words, f.Word)
		}
	}
	if strings.Join(words, ",") != "no route,missing,missing,missing,missing" {
		t.Errorf("%v", words)
	}
	if f := r.Match(nil); len(f) != 8 || f[0].Word != "missing" {
		t.Errorf("nothing at all: %+v", f)
	}
}
