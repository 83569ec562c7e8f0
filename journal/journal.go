// Package journal is the record of the day: takes, log entries, and the
// interface through which the stage keeps them, whatever keeps them in the end.
package journal

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/trace"
)

// Person is somebody at a desk.
type Person struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Role string `json:"role"`
}

// UnmarshalJSON also reads a bare name, as spools from before had it.
func (p *Person) UnmarshalJSON(raw []byte) error {
	var name string
	if json.Unmarshal(raw, &name) == nil {
		*p = Person{Name: name}
		return nil
	}
	type plain Person
	return json.Unmarshal(raw, (*plain)(p))
}

// Those who are there from the start: whoever did not say who they are, the
// application itself, and the command line.
var (
	Somebody = Person{ID: "00000000-0000-7000-8000-000000000001", Name: "Operator"}
	Itself   = Person{ID: "00000000-0000-7000-8000-000000000002", Name: "Keen Arc"}
	Shell    = Person{ID: "00000000-0000-7000-8000-000000000003", Name: "command line"}
)

// Take is one roll of a pass by one machine. It pins the clock that it ran on.
type Take struct {
	ID       string       `json:"id"`
	PassID   string       `json:"pass"`
	Machine  string       `json:"machine"` // the rig's id
	Clock    clock.Spec   `json:"clock"`
	Shot     string       `json:"-"`
	Label    string       `json:"-"`      // as the log names it
	Number   int          `json:"number"` // under its pass; given by the journal
	By       Person       `json:"by"`
	Started  time.Time    `json:"started"`
	Ended    bool         `json:"ended"`
	Broken   bool         `json:"broken"`
	Why      string       `json:"why,omitempty"`
	Frame    float64      `json:"frame"` // where it ended
	Rows     int          `json:"rows"`
	EveryMS  int64        `json:"every_ms,omitempty" doc:"milliseconds from row to row of its trace"`
	LastBeat int64        `json:"last_beat_tick"`
	BrakeAt  int64        `json:"brake_tick"`
	Print    string       `json:"print"`
	Axes     []string     `json:"-"`
	Units    []rig.Ratio  `json:"-"`
	Trace    *trace.Trace `json:"-"`
}

// Label names a take in the log.
func Label(pass int, name string, take int) string {
	return fmt.Sprintf("Pass %d · %s, take %d", pass, name, take)
}

// NewID is a UUIDv7.
func NewID() string {
	id, err := uuid.NewV7()
	if err != nil { // the system's randomness failed
		return uuid.NewString()
	}
	return id.String()
}

// Entry is one line of the log: who did what when. Its ID makes it be stored
// once, however often it is sent; whoever keeps it gives one where there is none.
type Entry struct {
	ID     string          `json:"id"`
	At     time.Time       `json:"at"`
	Actor  Person          `json:"actor"`
	ShotID string          `json:"shot,omitempty"`
	Kind   string          `json:"kind"`
	Text   string          `json:"text"`
	Data   json.RawMessage `json:"data,omitempty"`
}

// Journal keeps the record of the day. Rows and End may come long after Begin
// and must not be lost: an implementation that cannot reach its store keeps
// them elsewhere and returns nil only when they are safe.
type Journal interface {
	Begin(ctx context.Context, t *Take) error
	Rows(ctx context.Context, t *Take, from int, pos []clock.Pos, steps [][]int32) error
	// End writes down that a take has ended and what the log says of it: both or neither.
	End(ctx context.Context, t *Take, says Entry) error
	Log(ctx context.Context, e Entry) error
	// Unfinished lists the takes of a machine that were begun and never ended, with
	// the rows that are kept of them, as after a crash.
	Unfinished(ctx context.Context, machine string) ([]*Take, error)
	// Find is a take with the rows that are kept of it, or ErrUnknown.
	Find(ctx context.Context, id string) (*Take, error)
	// Aside says what could never be stored and lies in a file instead.
	Aside() Aside
	// Drive asks for the right to drive a machine, which one application has at a
	// time. Where another has it the answer is ErrElsewhere.
	Drive(ctx context.Context, machine string) (Right, error)
}

// Right is the right to drive a machine.
type Right interface {
	// Lost is closed when it cannot be relied on any more.
	Lost() <-chan struct{}
	// Release gives it back.
	Release()
}

// ErrElsewhere is returned while another application drives a machine.
var ErrElsewhere = errors.New("another copy of Keen Arc drives this machine")

// ErrUnknown is returned for takes that this journal has never begun.
var ErrUnknown = errors.New("there is no such take in this journal")

// Aside is the file of entries that could never be stored, and their number.
type Aside struct {
	File    string `json:"file"`
	Entries int    `json:"entries"`
}

// Memory is a Journal without a database, for runs from the command line.
type Memory struct {
	// Refuse, where set, is the answer to Begin: for trying out what happens then.
	Refuse  error
	mu      sync.Mutex
	Takes   []*Take
	Entries []Entry
	numbers map[string]int
}

// Begin numbers the take under its pass.
func (m *Memory) Begin(_ context.Context, t *Take) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.Refuse != nil {
		return m.Refuse
	}
	if m.numbers == nil {
		m.numbers = map[string]int{}
	}
	m.numbers[t.PassID]++
	t.Number = m.numbers[t.PassID]
	return nil
}

// Rows has nothing to add: the take holds its trace.
func (m *Memory) Rows(context.Context, *Take, int, []clock.Pos, [][]int32) error { return nil }

// End keeps the take; one that ends again, with more rows, takes its own place.
func (m *Memory) End(ctx context.Context, t *Take, says Entry) error {
	_ = m.Log(ctx, says)
	m.mu.Lock()
	defer m.mu.Unlock()
	for i, o := range m.Takes {
		if o.ID == t.ID {
			m.Takes[i] = t
			return nil
		}
	}
	m.Takes = append(m.Takes, t)
	return nil
}

// Log keeps the entry, once.
func (m *Memory) Log(_ context.Context, e Entry) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if e.ID == "" {
		e.ID = NewID()
	}
	for _, o := range m.Entries {
		if o.ID == e.ID {
			return nil
		}
	}
	m.Entries = append(m.Entries, e)
	return nil
}

// All is the log so far.
func (m *Memory) All() []Entry {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Entry(nil), m.Entries...)
}

// Text is the log so far, a line each.
func (m *Memory) Text() string {
	m.mu.Lock()
	defer m.mu.Unlock()
	var b strings.Builder
	for _, e := range m.Entries {
		b.WriteString(e.Text + "\n")
	}
	return b.String()
}

// Unfinished is empty: nothing outlives the process.
func (m *Memory) Unfinished(context.Context, string) ([]*Take, error) { return nil, nil }

// Find looks among the takes that have ended.
func (m *Memory) Find(_ context.Context, id string) (*Take, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, t := range m.Takes {
		if t.ID == id {
			return t, nil
		}
	}
	return nil, ErrUnknown
}

// Aside is always empty.
func (m *Memory) Aside() Aside { return Aside{} }

// Drive grants every right: nobody else uses this journal.
func (m *Memory) Drive(context.Context, string) (Right, error) { return alone{}, nil }

type alone struct{}

func (alone) Lost() <-chan struct{} { return nil }
func (alone) Release()              {}
