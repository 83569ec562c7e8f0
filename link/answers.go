package link

import (
	"encoding/json"
	"maps"
	"slices"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// Answers come from a rig, one type for each kind of word.

// Reply is what all answers have. Boot differs with every time that the device was
// switched on; Stops is how many stops it has counted since; Tick is its own, when the word
// was carried out.
type Reply struct {
	Re    int64  `json:"re"`
	OK    bool   `json:"ok"`
	Why   string `json:"why,omitempty"`
	Boot  string `json:"boot,omitempty"`
	Stops int64  `json:"stops"`
	Tick  int64  `json:"tick"`
}

// ReplyLine is an answer as it goes over the wire; answer is nil where there is nothing
// more to say.
func ReplyLine(r Reply, answer any) ([]byte, error) {
	if answer == nil {
		answer = Nothing{}
	}
	return spliced(r, answer)
}

type (
	// Nothing more than that it was done.
	Nothing struct{}
	// Described is what a device says of itself.
	Described struct {
		Version int      `json:"version"`
		Rig     *rig.Rig `json:"rig"`
		StandIn bool     `json:"stand_in,omitempty"`
		// Boot as in every reply.
		Boot string `json:"boot,omitempty"`
		// Can are the later words that it has.
		Can []string `json:"can,omitempty"`
		// Zstd is whether it takes tables packed.
		Zstd bool `json:"zstd,omitempty"`
		// Held is whether somebody has its lease who is connected.
		Held bool `json:"held,omitempty"`
		// Pace is how many of its ticks go by in a millisecond; 0: one.
		Pace int64 `json:"pace,omitempty"`
	}
	// Leased is the lease.
	Leased struct {
		Epoch int64 `json:"epoch"`
	}
	// Loaded is the seal's fingerprint, in hex; empty before the last part.
	Loaded struct {
		Print string `json:"print,omitempty"`
		// Tick as in every reply.
		Tick int64 `json:"tick,omitempty"`
	}
	// IsArmed says how many milliseconds apart the rows of the trace will lie.
	IsArmed struct {
		EveryMS int64 `json:"every_ms,omitempty"`
	}
	// Steered are the changes of speed so far.
	Steered struct {
		Steers []clock.Steer `json:"steers,omitempty"`
	}
	// Feels is what its wrist feels.
	Feels struct {
		Felt *Felt `json:"felt,omitempty"`
	}
	// OnWires is what it finds on each of its wires.
	OnWires struct {
		Wires []rig.WireSeen `json:"wires,omitempty"`
	}
	// StatsAre is how well its loop keeps time.
	StatsAre struct {
		Stats *Stats `json:"stats,omitempty"`
	}
	// TruthIs is where a stand-in really is.
	TruthIs struct {
		Truth *Truth `json:"truth,omitempty"`
	}
)

// Lacks are the later words that a device does not have.
func (d *Described) Lacks() map[string]bool {
	out := map[string]bool{}
	for w := range later {
		out[w] = d.Version >= Version && !slices.Contains(d.Can, w)
	}
	return out
}

// Later are the words that a device need not have, sorted.
func Later() []string { return slices.Sorted(maps.Keys(later)) }

// stateV2 is a state as version 2 of the link has it: a map for each thing that is said
// of axes.
type stateV2 struct {
	Pos       map[string]float64    `json:"pos"`
	Asked     map[string]float64    `json:"asked"`
	Homed     map[string]bool       `json:"homed"`
	Spread    map[string]Spread     `json:"spread"`
	Free      map[string]bool       `json:"free"`
	Ends      map[string]string     `json:"ends"`
	Faults    map[string]string     `json:"faults"`
	Waits     map[string]string     `json:"waits"`
	Trouble   map[string]string     `json:"trouble"`
	Suspended map[string]int64      `json:"suspended"`
	Soft      map[string][2]float64 `json:"soft"`
}

// old fills the axes of a state that came in the form of version 2.
func (s *State) old(line []byte) {
	var o struct {
		State stateV2 `json:"state"`
	}
	if json.Unmarshal(line, &o) != nil || len(o.State.Pos) == 0 {
		return
	}
	v := o.State
	s.Axes = make(map[string]AxisState, len(v.Pos))
	for id, p := range v.Pos {
		a := AxisState{Pos: p, Asked: v.Asked[id], Homed: v.Homed[id], Spread: v.Spread[id], Free: v.Free[id],
			End: v.Ends[id], Fault: v.Faults[id],
			Waits: v.Waits[id], Trouble: v.Trouble[id], SuspendedMS: v.Suspended[id], Soft: v.Soft[id]}
		if _, ok := v.Asked[id]; !ok {
			a.Asked = p
		}
		s.Axes[id] = a
	}
}
