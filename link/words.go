package link

import (
	"bytes"
	"encoding/json"
	"fmt"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// Words go from the application to a rig, one type for each. On the wire a word is one
// JSON object: its own fields, "do" with its name, and "id" where it is asked and answered.

// Word is one message to a rig.
type Word interface {
	// Do is its name on the wire.
	Do() string
}

// Asks is a word that is answered with an A.
type Asks[A any] interface {
	Word
	answer(A)
}

// Ordered is a word that moves a machine, or changes what holds or bounds it.
type Ordered interface {
	Word
	Given() Order
}

// Order is what every word carries that moves a machine or changes what holds or bounds
// it: for which lease it is, and what the one who gave it knew. A rig refuses one that was
// given before it was switched on anew, or before a stop that it has counted since.
type Order struct {
	Epoch int64  `json:"epoch"`
	Boot  string `json:"boot,omitempty"`
	Stops int64  `json:"stops"`
	// By is the machine's own tick after which it is too late; 0: no such tick.
	By int64 `json:"by,omitempty"`
	// Who is whose doing it is, in words, for everybody who watches the machine.
	Who string `json:"who,omitempty"`
}

// Given is the order itself.
func (o Order) Given() Order { return o }

// Words that are answered.
type (
	// Describe asks what a device is.
	Describe struct{}
	// TakeLease asks for the right to move it.
	TakeLease struct{}
	// Watch asks for states, rows and ends of takes from now on.
	Watch struct{}
	// Stop slows whatever moves, disarms, and is counted. Anybody may say it.
	Stop struct{}
	// Home looks for the zeros of axes; none named: all that can do it alone.
	Home struct {
		Order
		Axes []string    `json:"axes,omitempty"`
		Way  rig.HomeWay `json:"way,omitempty"` // none: each in its own
	}
	// Confirm is what a person saw of an axis.
	Confirm struct {
		Order
		Axis string `json:"axis"`
		What string `json:"what"`
	}
	// GoTo is a straight move of the named axes in one time.
	GoTo struct {
		Order
		To    map[string]float64 `json:"to"`
		Share float64            `json:"share,omitempty"` // of the working speeds, to 0.5; none: 0.5
	}
	// Jog moves one axis while beats of its press come.
	Jog struct {
		Order
		Press string   `json:"press"`
		Axis  string   `json:"axis"`
		Speed float64  `json:"speed"`           // axis units per second, signed
		Until *float64 `json:"until,omitempty"` // as far as here
	}
	// Speed gives the jog of a press another speed; refused once that jog has ended.
	Speed struct {
		Order
		Press string  `json:"press"`
		Speed float64 `json:"speed"`
	}
	// Load is one part of a machine's share of a seal, in order from part 0.
	Load struct {
		Epoch   int64  `json:"epoch"`
		Machine string `json:"machine"` // what it is called in the seal
		Part    int    `json:"part"`
		Of      int    `json:"of"`
		Packed  bool   `json:"packed,omitempty"` // the parts together are zstd
		Bytes   []byte `json:"bytes"`
	}
	// Arm makes ready to roll what is loaded.
	Arm struct {
		Order
		Take  string      `json:"take"`
		Print string      `json:"print"` // the seal's fingerprint, 64 hex digits
		Clock *clock.Spec `json:"clock"`
		Brake float64     `json:"brake_s"`
	}
	// Roll starts the armed take; beats of its press must follow.
	Roll struct {
		Order
		Take  string `json:"take"`
		Press string `json:"press"`
	}
	// Steer changes the speed of a live clock to num/den of the path's rate.
	Steer struct {
		Order
		Press string `json:"press"`
		Num   int64  `json:"num"`
		Den   int64  `json:"den"`
	}
	// Free lets an axis's drive go.
	Free struct {
		Order
		Axis string `json:"axis"`
	}
	// Engage has it hold again.
	Engage struct {
		Order
		Axis string `json:"axis"`
	}
	// Suspend lets an axis be jogged past its soft limits for a time; 0: they hold again.
	Suspend struct {
		Order
		Axis    string  `json:"axis"`
		Seconds float64 `json:"seconds"`
	}
	// Limits sets the day's soft limits by axis, within the hard ends.
	Limits struct {
		Order
		Soft map[string][2]float64 `json:"soft,omitempty"`
	}
	// Configure gives it a new version of its description.
	Configure struct {
		Order
		Rig *rig.Rig `json:"rig"`
	}
	// Handset lets the focus puller's own handset drive the lens, or locks it out.
	Handset struct {
		Epoch int64 `json:"epoch"`
		On    bool  `json:"on"`
	}
	// Feel asks what hangs at its wrist.
	Feel struct{}
	// Wires asks what it finds on its wires.
	Wires struct{}
	// AskStats asks how well its loop keeps time.
	AskStats struct{}
	// AskTruth asks a stand-in where it really is.
	AskTruth struct{}
	// SendTrace asks for a take again, from a row on.
	SendTrace struct {
		Take string `json:"take"`
		Rows int    `json:"rows"` // had so far
	}
	// Pretend tells a stand-in what has happened to it.
	Pretend struct {
		What string  `json:"what"`
		Axis string  `json:"axis,omitempty"`
		On   bool    `json:"on,omitempty"`
		By   float64 `json:"by,omitempty"`
	}
)

// Words that are said and not answered.
type (
	// Beat is the sign of life of one press, made by the operator's page alone.
	Beat struct {
		Epoch int64  `json:"epoch"`
		Press string `json:"press"`
	}
	// Release lets go of one press: what it moves slows to a stop on its path.
	Release struct {
		Epoch int64  `json:"epoch"`
		Press string `json:"press"`
	}
	// Alive is a sign of life of the lease holder.
	Alive struct{}
	// Ack says that the rows of a take from From to before Rows are stored elsewhere.
	Ack struct {
		Epoch int64  `json:"epoch"`
		Take  string `json:"take"`
		From  int    `json:"from"`
		Rows  int    `json:"rows"`
	}
)

//revive:disable:exported Do is the word's name, of each.

// Do is the word's name.
func (Describe) Do() string  { return "describe" }
func (TakeLease) Do() string { return "lease" }
func (Watch) Do() string     { return "watch" }
func (Stop) Do() string      { return "stop" }
func (Home) Do() string      { return "home" }
func (Confirm) Do() string   { return "confirm" }
func (GoTo) Do() string      { return "goto" }
func (Jog) Do() string       { return "jog" }
func (Speed) Do() string     { return "speed" }
func (Load) Do() string      { return "load" }
func (Arm) Do() string       { return "arm" }
func (Roll) Do() string      { return "roll" }
func (Steer) Do() string     { return "steer" }
func (Free) Do() string      { return "free" }
func (Engage) Do() string    { return "engage" }
func (Suspend) Do() string   { return "suspend" }
func (Limits) Do() string    { return "limits" }
func (Configure) Do() string { return "configure" }
func (Handset) Do() string   { return "handset" }
func (Feel) Do() string      { return "feel" }
func (Wires) Do() string     { return "wires" }
func (AskStats) Do() string  { return "stats" }
func (AskTruth) Do() string  { return "truth" }
func (SendTrace) Do() string { return "trace" }
func (Pretend) Do() string   { return "pretend" }
func (Beat) Do() string      { return "beat" }
func (Release) Do() string   { return "release" }
func (Alive) Do() string     { return "alive" }
func (Ack) Do() string       { return "ack" }

//revive:enable:exported

func (Describe) answer(Described) {}
func (TakeLease) answer(Leased)   {}
func (Watch) answer(Nothing)      {}
func (Stop) answer(Nothing)       {}
func (Home) answer(Nothing)       {}
func (Confirm) answer(Nothing)    {}
func (GoTo) answer(Nothing)       {}
func (Jog) answer(Nothing)        {}
func (Speed) answer(Nothing)      {}
func (Load) answer(Loaded)        {}
func (Arm) answer(IsArmed)        {}
func (Roll) answer(Nothing)       {}
func (Steer) answer(Steered)      {}
func (Free) answer(Nothing)       {}
func (Engage) answer(Nothing)     {}
func (Suspend) answer(Nothing)    {}
func (Limits) answer(Nothing)     {}
func (Configure) answer(Nothing)  {}
func (Handset) answer(Nothing)    {}
func (Feel) answer(Feels)         {}
func (Wires) answer(OnWires)      {}
func (AskStats) answer(StatsAre)  {}
func (AskTruth) answer(TruthIs)   {}
func (SendTrace) answer(Nothing)  {}
func (Pretend) answer(Nothing)    {}
func (Ack) answer(Nothing)        {}

// later are the words that a device need not have; it names those that it has in
// Described.Can. Of one that it does not name that act alone is refused.
var later = map[string]bool{"confirm": true, "steer": true, "free": true, "engage": true, "suspend": true,
	"configure": true, "handset": true,
	"feel": true, "wires": true, "stats": true, "truth": true, "pretend": true}

// words makes an empty word by its name.
var words = map[string]func() Word{}

func register[W any, P interface {
	*W
	Word
}]() {
	var w W
	words[P(&w).Do()] = func() Word { return P(new(W)) }
}

func init() {
	register[Describe]()
	register[TakeLease]()
	register[Watch]()
	register[Stop]()
	register[Home]()
	register[Confirm]()
	register[GoTo]()
	register[Jog]()
	register[Speed]()
	register[Load]()
	register[Arm]()
	register[Roll]()
	register[Steer]()
	register[Free]()
	register[Engage]()
	register[Suspend]()
	register[Limits]()
	register[Configure]()
	register[Handset]()
	register[Feel]()
	register[Wires]()
	register[AskStats]()
	register[AskTruth]()
	register[SendTrace]()
	register[Pretend]()
	register[Beat]()
	register[Release]()
	register[Alive]()
	register[Ack]()
}

// head is what all words have on the wire.
type head struct {
	ID int64  `json:"id,omitempty"`
	Do string `json:"do"`
}

// Line is a word as it goes over the wire, without the line's end; id is 0 where no
// answer is wanted.
func Line(id int64, w Word) ([]byte, error) {
	return spliced(head{id, w.Do()}, w)
}

// spliced is one JSON object with the fields of two.
func spliced(a, b any) ([]byte, error) {
	one, err := json.Marshal(a)
	if err != nil {
		return nil, err
	}
	two, err := json.Marshal(b)
	if err != nil {
		return nil, err
	}
	if len(two) <= len("{}") {
		return one, nil
	}
	return append(append(one[:len(one)-1], ','), two[1:]...), nil
}

// Read reads a word. The id is said, where it can be, also beside an error.
func Read(line []byte) (id int64, w Word, err error) {
	if !bytes.HasPrefix(bytes.TrimLeft(line, " \t\r"), []byte("{")) {
		return 0, nil, fmt.Errorf("this line is not JSON: no object")
	}
	var h head
	if err := json.Unmarshal(line, &h); err != nil {
		return h.ID, nil, fmt.Errorf("this line is not JSON: %w", err)
	}
	make := words[h.Do]
	if make == nil {
		return h.ID, nil, fmt.Errorf("there is no request %q", h.Do)
	}
	w = make()
	if err := json.Unmarshal(line, w); err != nil {
		return h.ID, nil, fmt.Errorf("this %s cannot be read: %w", h.Do, err)
	}
	return h.ID, w, nil
}
