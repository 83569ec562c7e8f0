// Package link is how the application talks to a rig: JSON lines over TCP, as
// docs/rig-link.md describes. Requests carry an id and get one reply; events
// come unasked. Positions are in axis units, ticks are the rig's own
// millisecond counter.
package link

import (
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"time"

	"github.com/klauspost/compress/zstd"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// Version of the protocol. A device that speaks OldVersion is seen, drawn and stopped, and its
// takes are fetched; nothing that moves it is said to it.
const (
	Version    = 3
	OldVersion = 2
)

// SilenceMS is how long a rig waits for the next beat, or for any word of the
// lease holder while it moves, before it slows to a stop on its path.
const SilenceMS = 200

// Silence is the same for a device of which pace ticks go by in a millisecond, on the wall. One
// that is faster than real time is for practice without a person's hand, and bears two seconds: a
// busy machine may hold a beat up for longer than 200 ms.
func Silence(pace int64) time.Duration {
	if pace > 1 {
		return 2 * time.Second
	}
	return SilenceMS * time.Millisecond
}

// BeatMS is how often the holder's page sends a beat, and the application a
// sign of life.
const BeatMS = 50

// Felt is the force and the torque that what hangs at a wrist puts on its sensor, in the
// sensor's axes (right, forward, up of the wrist's joint), at its origin. A wrist that
// feels torques only leaves the force out.
type Felt struct {
	ForceN   *rig.Vec `json:"force_n,omitempty"`
	TorqueNM rig.Vec  `json:"torque_nm"`
}

// Truth is where a stand-in's outputs really are, by axis in its unit, and where
// it really stands: what cameras that look through it see. No real rig knows it.
type Truth struct {
	Tick  int64              `json:"tick"`
	Axes  map[string]float64 `json:"axes"`
	Place rig.Place          `json:"place"`
}

// What a stand-in can be told to have.
const (
	PretendStop    = "emergency stop"
	PretendFault   = "drive fault"
	PretendHardEnd = "hard end"
	PretendLost    = "lost steps"
	PretendSensor  = "dead sensor"
	PretendEncoder = "encoder forgot"
	PretendScale   = "other scale"
	PretendPayload = "other payload"
	PretendHandset = "focus handset turned"
	PretendKnocked = "knocked"
	// Of its wiring.
	PretendMissing   = "missing drive"
	PretendUnknown   = "unknown device"
	PretendDirection = "swapped wires"
	PretendAddress   = "wrong address"
	PretendPort      = "wrong port"
	PretendRoute     = "no route"
	PretendUniverse  = "two on one universe"
	PretendCable     = "short cable"
)

// Wirings are those of its wiring.
var Wirings = []string{PretendMissing, PretendUnknown, PretendDirection, PretendAddress, PretendPort, PretendRoute,
	PretendUniverse, PretendCable}

// What a handset is.
const (
	HandsetFree   = "free"
	HandsetLocked = "locked"
)

// Stats is how well the rig's loop keeps time.
type Stats struct {
	Ticks   int64   `json:"ticks"`
	LateUS  float64 `json:"late_us_mean"`
	Late99  float64 `json:"late_us_p99"`
	LateMax float64 `json:"late_us_max"`
}

// Modes of a rig.
const (
	Idle    = "idle"
	Homing  = "homing"
	Moving  = "moving"
	Jogging = "jogging"
	Armed   = "armed"
	Rolling = "rolling"
	Braking = "braking"
)

// State is sent 50 times a second to those who watch. N rises by one.
type State struct {
	N     int64   `json:"n"`
	Tick  int64   `json:"tick"`
	Boot  string  `json:"boot,omitempty"`
	Stops int64   `json:"stops" doc:"stops that it has counted since it was switched on"`
	Mode  string  `json:"mode" enum:"idle,homing,moving,jogging,armed,rolling,braking"`
	Drive string  `json:"drive" enum:"free,holding,live"`
	Epoch int64   `json:"epoch"`
	Frame float64 `json:"frame"`
	// Press is the press whose beats keep it moving, Who whose doing it is that it moves, in
	// words; both are left out at rest.
	Press string `json:"press,omitempty"`
	Who   string `json:"who,omitempty"`
	// Axes are all of them, by id.
	Axes map[string]AxisState `json:"axes"`
	// Handset is whether the focus puller's own handset drives the lens: free, or locked
	// out while passes repeat; left out where there is no lens drive.
	Handset string `json:"handset,omitempty" enum:"free,locked"`
	// EStop is true while the machine's own emergency stop is pressed.
	EStop bool   `json:"emergency_stop,omitempty"`
	Take  string `json:"take,omitempty"`
	Print string `json:"print,omitempty"` // of the loaded table
}

// AxisState is how one axis stands, in its unit.
type AxisState struct {
	Pos   float64 `json:"pos" doc:"what the feedback sees"`
	Asked float64 `json:"asked" doc:"where the controller takes the axis to be"`
	Homed bool    `json:"homed"`
	// Spread is how far the last homings lie apart, with their number.
	Spread Spread `json:"spread"`
	// Soft are the soft limits that it keeps to.
	Soft [2]float64 `json:"soft"`
	// Free: its drive does not hold it. End: at which hard end it stands, low or high. Fault:
	// what its drive reports.
	Free  bool   `json:"free,omitempty"`
	End   string `json:"end,omitempty"`
	Fault string `json:"fault,omitempty"`
	// Waits says what a person has to confirm before it is homed, Trouble why its last homing
	// found nothing.
	Waits   string `json:"waits,omitempty"`
	Trouble string `json:"trouble,omitempty"`
	// SuspendedMS is in how many milliseconds its soft limits hold again; 0: they hold.
	SuspendedMS int64 `json:"suspended_ms,omitempty"`
}

// Pos is where the feedback sees an axis; 0 for one that there is not.
func (s State) Pos(id string) float64 { return s.Axes[id].Pos }

// Asked is where the controller takes an axis to be; 0 for one that there is not.
func (s State) Asked(id string) float64 { return s.Axes[id].Asked }

// Homed reports whether an axis is homed.
func (s State) Homed(id string) bool { return s.Axes[id].Homed }

// AllHomed reports whether the named axes are, or all of them; false for no axes.
func (s State) AllHomed(ids ...string) bool {
	for _, id := range ids {
		if !s.Axes[id].Homed {
			return false
		}
	}
	if len(ids) > 0 {
		return true
	}
	for _, a := range s.Axes {
		if !a.Homed {
			return false
		}
	}
	return len(s.Axes) > 0
}

// Still reports whether it stands still: idle, or armed.
func (s State) Still() bool { return s.Mode == Idle || s.Mode == Armed }

// Spread of repeated homings in axis units: how many there were since its place was last
// unknown, from the least to the greatest of them, and where the last one found the zero
// as seen from the first. Found counts all since it was switched on; Learnt is how far
// apart its ends were, where it touched both.
type Spread struct {
	N      int     `json:"n"`
	Range  float64 `json:"range"`
	At     float64 `json:"at"`
	Found  int     `json:"found"`
	Learnt float64 `json:"learnt,omitempty"`
}

// What a person confirms of an axis: that its marks meet, at its check pose or at its
// witness mark; that it stands at the low or the high end that it shall not pass.
const (
	WaitsCheck = "check pose"
	WaitsMark  = "witness mark"
	WaitsLow   = "low end"
	WaitsHigh  = "high end"
)

// Waits are all of them.
var Waits = []string{WaitsCheck, WaitsMark, WaitsLow, WaitsHigh}

// Rows is a stretch of a take's trace.
type Rows struct {
	Take  string `json:"take"`
	From  int    `json:"from"`
	Tick  int64  `json:"tick"`  // of row 0
	Pos   string `json:"pos"`   // base64 of little-endian int64
	Steps string `json:"steps"` // base64 of little-endian int32, axis after axis
}

// TakeEnd says how a take ended. Ticks are −1 where there was no such thing.
type TakeEnd struct {
	Take      string  `json:"take"`
	Rows      int     `json:"rows"`
	Broken    bool    `json:"broken"`
	Why       string  `json:"why,omitempty"`
	Frame     float64 `json:"frame"`
	LastBeat  int64   `json:"last_beat_tick"`
	BrakeTick int64   `json:"brake_tick"`
	// Steers are the changes of speed of a live clock, as they were made.
	Steers []clock.Steer `json:"steers,omitempty"`
}

// Event is one line from the rig that is not a reply; one field is set.
type Event struct {
	State *State   `json:"state,omitempty"`
	Rows  *Rows    `json:"rows,omitempty"`
	Take  *TakeEnd `json:"take,omitempty"`
}

// PartBytes is how much of a table goes into one line: with its frame it stays below 64 KiB.
const PartBytes = 45 << 10

// MostParts is how many parts a table has at the most.
const MostParts = 8192

// PackTable is an encoded seal made ready for the wire.
func PackTable(encoded []byte) ([]byte, error) {
	w, err := zstd.NewWriter(nil)
	if err != nil {
		return nil, err
	}
	defer w.Close()
	return w.EncodeAll(encoded, nil), nil
}

// maxTable bounds what UnpackTable makes.
const maxTable = 512 << 20

// UnpackTable is the inverse of PackTable.
func UnpackTable(packed []byte) ([]byte, error) {
	r, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(maxTable))
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return r.DecodeAll(packed, nil)
}

// PackRows encodes rows [from, to) of a trace's columns.
func PackRows(take string, tick int64, from int, pos []clock.Pos, steps [][]int32) *Rows {
	p := make([]byte, 0, 8*len(pos))
	for _, v := range pos {
		p = binary.LittleEndian.AppendUint64(p, uint64(v))
	}
	s := make([]byte, 0, 4*len(pos)*len(steps))
	for _, col := range steps {
		for _, v := range col {
			s = binary.LittleEndian.AppendUint32(s, uint32(v))
		}
	}
	return &Rows{take, from, tick, base64.StdEncoding.EncodeToString(p), base64.StdEncoding.EncodeToString(s)}
}

// Unpack decodes a stretch for a number of axes.
func (r *Rows) Unpack(axes int) ([]clock.Pos, [][]int32, error) {
	p, err := base64.StdEncoding.DecodeString(r.Pos)
	if err != nil {
		return nil, nil, fmt.Errorf("trace positions: %w", err)
	}
	s, err := base64.StdEncoding.DecodeString(r.Steps)
	if err != nil {
		return nil, nil, fmt.Errorf("trace steps: %w", err)
	}
	n := len(p) / 8
	if axes < 0 || len(p)%8 != 0 || len(s) != 4*n*axes || r.From < 0 {
		return nil, nil, fmt.Errorf("trace of take %s: %d and %d bytes do not make rows of %d axes", r.Take, len(p),
			len(s), axes)
	}
	pos := make([]clock.Pos, n)
	for i := range pos {
		pos[i] = clock.Pos(binary.LittleEndian.Uint64(p[8*i:]))
	}
	steps := make([][]int32, axes)
	for a := range steps {
		steps[a] = make([]int32, n)
		for i := range steps[a] {
			steps[a][i] = int32(binary.LittleEndian.Uint32(s[4*(a*n+i):]))
		}
	}
	return pos, steps, nil
}
