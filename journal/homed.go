package journal

import "keenarc/core/rig"

// Homed is what one homing found, as the log's entry of it keeps it.
type Homed struct {
	Machine string  `json:"machine"` // the rig's id
	Axes    []Found `json:"axes"`
}

// Found is one axis's part. N counts the homings since its place was last unknown, and
// At is where this one found the zero as seen from the first of them, in the axis's unit.
type Found struct {
	Axis   string      `json:"axis"`
	Way    rig.HomeWay `json:"way"`
	N      int         `json:"n"`
	At     float64     `json:"at"`
	Learnt float64     `json:"learnt,omitempty"` // how far its ends were apart
}
