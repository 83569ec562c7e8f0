// Package journal is the record of the day: takes, log entries, and the
// interface through which the stage keeps them, whatever keeps them in the end.
package journal

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/trace"
)

// Take is one roll of a pass.
type Take struct {
	ID       string       `json:"id"`
	PassID   string       `json:"pass"`
	Number   int          `json:"number"` // under its pass; given by the journal
	By       string       `json:"by"`
	Started  time.Time    `json:"started"`
	Ended    bool         `json:"ended"`
	Broken   bool         `json:"broken"`
	Why      string       `json:"why,omitempty"`
	Frame    float64      `json:"frame"` // where it ended
	Rows     int          `json:"rows"`
	LastBeat int64        `json:"last_beat_tick"`
	BrakeAt  int64        `json:"brake_tick"`
	Print    string       `json:"print"`
	Axes     []string     `json:"-"`
	Units    []rig.Ratio  `json:"-"`
	Trace    *trace.Trace `json:"-"`
}

// NewID is a UUIDv7.
func NewID() string {
	id, err := uuid.NewV7()
	if err != nil { // the system's randomness failed
		return uuid.NewString()
	}
	return id.String()
}

// Entry is one line of the log: who did what when.
type Entry struct {
	At     time.Time       `json:"at"`
	Actor  string          `json:"actor"`
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
	End(ctx context.Context, t *Take) error
	Log(ctx context.Context, e Entry) error
}

// Memory is a Journal without a database, for runs from the command line.
type Memory struct {
	Takes   []*Take
	Entries []Entry
	numbers map[string]int
}

// Begin numbers the take under its pass.
func (m *Memory) Begin(_ context.Context, t *Take) error {
	if m.numbers == nil {
		m.numbers = map[string]int{}
	}
	m.numbers[t.PassID]++
	t.Number = m.numbers[t.PassID]
	return nil
}

// Rows has nothing to add: the take holds its trace.
func (m *Memory) Rows(context.Context, *Take, int, []clock.Pos, [][]int32) error { return nil }

// End keeps the take.
func (m *Memory) End(_ context.Context, t *Take) error { m.Takes = append(m.Takes, t); return nil }

// Log keeps the entry.
func (m *Memory) Log(_ context.Context, e Entry) error { m.Entries = append(m.Entries, e); return nil }
