// Package link is how the application talks to a rig: JSON lines over TCP, as
// docs/rig-link.md describes. Requests carry an id and get one reply; events
// come unasked. Positions are in axis units, ticks are the rig's own
// millisecond counter.
package link

import (
	"encoding/base64"
	"encoding/binary"
	"fmt"

	"github.com/klauspost/compress/zstd"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// Version of the protocol.
const Version = 2

// SilenceMS is how long a rig waits for the next beat, or for any word of the
// lease holder while it moves, before it slows to a stop on its path.
const SilenceMS = 200

// BeatMS is how often the holder's page sends a beat, and the application a
// sign of life.
const BeatMS = 50

// Request is one line to the rig.
type Request struct {
	ID    int64              `json:"id,omitempty"`
	Do    string             `json:"do"`
	Epoch int64              `json:"epoch,omitempty"`
	Axis  string             `json:"axis,omitempty"`  // jog, free, engage, pretend
	Axes  []string           `json:"axes,omitempty"`  // home: which; none: all
	Way   rig.HomeWay        `json:"way,omitempty"`   // home: how; none: each in its own way
	Speed float64            `json:"speed,omitempty"` // jog: axis units per second, signed
	Until *float64           `json:"until,omitempty"` // jog: as far as here
	To    map[string]float64 `json:"to,omitempty"`    // goto
	Share float64            `json:"share,omitempty"` // goto: of the working speeds, to 0.5; none: 0.5
	// Soft are the day's soft limits by axis, within the hard ends.
	Soft    map[string][2]float64 `json:"soft,omitempty"`    // limits
	Machine string                `json:"machine,omitempty"` // load: what this machine is called in the table
	Table   string                `json:"table,omitempty"`   // load: base64 of zstd of the machine's share of a seal
	Take    string                `json:"take,omitempty"`
	Print   string                `json:"print,omitempty"` // arm: the fingerprint, 64 hex digits
	Clock   *clock.Spec           `json:"clock,omitempty"`
	Brake   float64               `json:"brake_s,omitempty"`
	Num     int64                 `json:"num,omitempty"` // steer: to num/den of the path's rate
	Den     int64                 `json:"den,omitempty"`
	From    int                   `json:"from,omitempty"` // ack: first row that is stored
	Rows    int                   `json:"rows,omitempty"` // ack: the row after the last one; trace: rows had so far
	Beat    int64                 `json:"beat,omitempty"`
	// pretend, for stand-ins only: what has happened to it, and whether it has or
	// is over.
	What string  `json:"what,omitempty"` // confirm too: what a person saw
	On   bool    `json:"on,omitempty"`
	By   float64 `json:"by,omitempty"`
	// Rig is what it is to be from now on: configure.
	Rig *rig.Rig `json:"rig,omitempty"`
	// Seconds that an axis's soft limits shall not hold: suspend; none: they hold again.
	Seconds float64 `json:"seconds,omitempty"`
}

// Reply answers one request.
type Reply struct {
	Re    int64    `json:"re"`
	OK    bool     `json:"ok"`
	Why   string   `json:"why,omitempty"`
	Epoch int64    `json:"epoch,omitempty"`
	Print string   `json:"print,omitempty"`
	Rig   *rig.Rig `json:"rig,omitempty"`
	// EveryMS is how many milliseconds apart the rows of the take's trace will lie: arm.
	EveryMS int64 `json:"every_ms,omitempty"`
	// Steers are the changes of speed so far: steer.
	Steers []clock.Steer `json:"steers,omitempty"`
	// Version of the protocol, and whether it is a stand-in: describe.
	Version int    `json:"version,omitempty"`
	StandIn bool   `json:"stand_in,omitempty"`
	Boot    string `json:"boot,omitempty"` // differs with every time it is switched on
	Stats   *Stats `json:"stats,omitempty"`
	Truth   *Truth `json:"truth,omitempty"`
	// Wires are what it finds on each of them: wires.
	Wires []rig.WireSeen `json:"wires,omitempty"`
	// Felt is what its wrist feels: feel.
	Felt *Felt `json:"felt,omitempty"`
}

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
var Wirings = []string{PretendMissing, PretendUnknown, PretendDirection, PretendAddress, PretendPort, PretendRoute, PretendUniverse, PretendCable}

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
	N     int64              `json:"n"`
	Tick  int64              `json:"tick"`
	Mode  string             `json:"mode" enum:"idle,homing,moving,jogging,armed,rolling,braking"`
	Drive string             `json:"drive" enum:"free,holding,live"`
	Epoch int64              `json:"epoch"`
	Frame float64            `json:"frame"`
	Pos   map[string]float64 `json:"pos"`   // what the feedback sees
	Asked map[string]float64 `json:"asked"` // where the controller takes the axis to be
	Homed map[string]bool    `json:"homed"`
	// Spread is how far the last homings lie apart, per axis, with their number.
	Spread map[string]Spread `json:"spread"`
	// Free axes are not held by their drives. Ends says at which hard end an axis
	// stands (low, high), Faults what its drive reports; those in order are left out.
	Free   map[string]bool   `json:"free,omitempty"`
	Ends   map[string]string `json:"ends,omitempty"`
	Faults map[string]string `json:"faults,omitempty"`
	// Waits says what a person has to confirm before an axis is homed, Trouble why its
	// last homing found nothing.
	Waits   map[string]string `json:"waits,omitempty"`
	Trouble map[string]string `json:"trouble,omitempty"`
	// Suspended are the axes whose soft limits do not hold just now, with the milliseconds
	// until they do again.
	Suspended map[string]int64 `json:"suspended,omitempty"`
	// Handset is whether the focus puller's own handset drives the lens: free, or locked
	// out while passes repeat; left out where there is no lens drive.
	Handset string `json:"handset,omitempty" enum:"free,locked"`
	// EStop is true while the machine's own emergency stop is pressed.
	EStop bool `json:"emergency_stop,omitempty"`
	// Soft are the soft limits that it keeps to.
	Soft  map[string][2]float64 `json:"soft,omitempty"`
	Take  string                `json:"take,omitempty"`
	Print string                `json:"print,omitempty"` // of the loaded table
}

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

// PackTable is an encoded seal made ready for the wire.
func PackTable(encoded []byte) (string, error) {
	w, err := zstd.NewWriter(nil)
	if err != nil {
		return "", err
	}
	defer w.Close()
	return base64.StdEncoding.EncodeToString(w.EncodeAll(encoded, nil)), nil
}

// maxTable bounds what UnpackTable makes.
const maxTable = 512 << 20

// UnpackTable is the inverse of PackTable.
func UnpackTable(s string) ([]byte, error) {
	raw, err := base64.StdEncoding.DecodeString(s)
	if err != nil {
		return nil, fmt.Errorf("table: %w", err)
	}
	r, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(maxTable))
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return r.DecodeAll(raw, nil)
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
		return nil, nil, fmt.Errorf("trace of take %s: %d and %d bytes do not make rows of %d axes", r.Take, len(p), len(s), axes)
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
