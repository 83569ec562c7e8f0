package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"keenarc/core/path"
	"keenarc/journal"
)

// LogLine is one entry of the log.
type LogLine struct {
	Seq    int64           `json:"seq"`
	At     time.Time       `json:"at"`
	Actor  journal.Person  `json:"actor"`
	ShotID *string         `json:"shot,omitempty"`
	Kind   string          `json:"kind"`
	Text   string          `json:"text"`
	Data   json.RawMessage `json:"data,omitempty"`
}

// Log lists a shot's entries and those of the stage as a whole, newest first,
// before a sequence number (0: from the end). Runs of edits by one person,
// which are kept one by one elsewhere, stand among them as one line each.
func (s *Store) Log(ctx context.Context, shot string, before int64, most int) ([]LogLine, error) {
	newest := before <= 0
	if newest {
		before = 1 << 62
	}
	lines, err := many[LogLine](ctx, s, `SELECT l.seq, l.at, `+asPerson+
		` AS actor, l.shot_id::text, l.kind, l.text, l.data FROM log l JOIN people w ON w.id = l.person_id
			WHERE (l.shot_id = $1 OR l.shot_id IS NULL) AND l.seq < $2 ORDER BY l.seq DESC
			LIMIT $3`, shot, before, most)
	if err != nil {
		return nil, err
	}
	var since, until time.Time
	if until = time.Now().Add(time.Hour); !newest && len(lines) > 0 {
		until = lines[0].At
	}
	if len(lines) == most {
		since = lines[len(lines)-1].At
	}
	edits, err := many[edited](ctx, s, `SELECT e.revision, `+asPerson+
		` AS actor, e.at, e.command FROM edits e JOIN people w ON w.id = e.person_id WHERE e.shot_id = $1
			AND e.revision > 0 AND e.at > $2 AND e.at < $3 ORDER BY e.revision DESC LIMIT 5000`, shot, since, until)
	if err != nil {
		return nil, err
	}
	return withEdits(lines, edits), nil
}

// edited is one edit, for the log.
type edited struct {
	Revision int64
	Actor    journal.Person
	At       time.Time
	Command  path.Edit
}

// withEdits puts runs of edits where they belong among the entries; both lists
// are newest first.
func withEdits(lines []LogLine, edits []edited) []LogLine {
	out := []LogLine{}
	for len(lines) > 0 || len(edits) > 0 {
		if len(edits) == 0 || len(lines) > 0 && !edits[0].At.After(lines[0].At) {
			out, lines = append(out, lines[0]), lines[1:]
			continue
		}
		n := 1
		for n < len(edits) && edits[n].Actor == edits[0].Actor && (len(lines) == 0 || edits[n].At.After(lines[0].At)) {
			n++
		}
		text := fmt.Sprintf("Changed the plan: %s (revision %d).", edits[0].Command.Words(), edits[0].Revision)
		if n > 1 {
			text = fmt.Sprintf("Changed the plan %d times, revisions %d to %d; at last: %s.", n, edits[n-1].Revision,
				edits[0].Revision, edits[0].Command.Words())
		}
		out = append(out, LogLine{At: edits[0].At, Actor: edits[0].Actor, Kind: "edit", Text: text})
		edits = edits[n:]
	}
	return out
}

// AddLog appends an entry, once: one that is there already is left alone.
func (s *Store) AddLog(ctx context.Context, e journal.Entry) error {
	return addLog(ctx, s.Pool, e)
}

func addLog(ctx context.Context, q writer, e journal.Entry) error {
	if e.ID == "" {
		e.ID = journal.NewID()
	}
	var shot any
	if e.ShotID != "" {
		shot = e.ShotID
	}
	var data any
	if len(e.Data) > 0 {
		data = e.Data
	}
	person, err := know(ctx, q, e.Actor)
	if err != nil {
		return err
	}
	_, err = q.Exec(ctx,
		`INSERT INTO log (id, at, person_id, shot_id, kind, text, data) VALUES ($1,$2,$3,$4,$5,$6,$7)
			ON CONFLICT (id) DO NOTHING`, e.ID, e.At, person, shot, e.Kind, e.Text, data)
	return err
}

// HomedRow is one homing: who asked for it, when, and what it found.
type HomedRow struct {
	At   time.Time      `json:"at"`
	By   journal.Person `json:"by"`
	Data *journal.Homed `json:"data"`
}

// Homings are a machine's last homings, the newest first.
func (s *Store) Homings(ctx context.Context, machine string, most int) ([]HomedRow, error) {
	return many[HomedRow](ctx, s, `SELECT l.at, `+asPerson+
		` AS by, l.data FROM log l JOIN people w ON w.id = l.person_id WHERE l.kind = 'homed'
			AND l.data->>'machine' = $1 ORDER BY l.seq DESC LIMIT $2`, machine, most)
}

// LastHomed is when an axis of a machine was last homed, or nil: never, as far as is written down.
func (s *Store) LastHomed(ctx context.Context, machine, axis string) (*time.Time, error) {
	row, err := one[HomedRow](ctx, s.Pool, `SELECT l.at, `+asPerson+
		` AS by, l.data FROM log l JOIN people w ON w.id = l.person_id
		WHERE l.kind = 'homed' AND l.data->>'machine' = $1
		AND l.data->'axes' @> jsonb_build_array(jsonb_build_object('axis', $2::text))
		ORDER BY l.seq DESC LIMIT 1`, machine, axis)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return &row.At, nil
}
