package store

import (
	"context"
	"encoding/json"
	"time"

	"keenarc/stage"
)

// LogLine is one entry of the log.
type LogLine struct {
	Seq    int64           `json:"seq"`
	At     time.Time       `json:"at"`
	Actor  string          `json:"actor"`
	ShotID *string         `json:"shot,omitempty"`
	Kind   string          `json:"kind"`
	Text   string          `json:"text"`
	Data   json.RawMessage `json:"data,omitempty"`
}

// Log lists a shot's entries and those of the stage as a whole, newest first,
// before a sequence number (0: from the end).
func (s *Store) Log(ctx context.Context, shot string, before int64, most int) ([]LogLine, error) {
	if before <= 0 {
		before = 1 << 62
	}
	return many[LogLine](ctx, s, `SELECT seq, at, actor, shot_id::text, kind, text, data FROM log WHERE (shot_id = $1 OR shot_id IS NULL) AND seq < $2 ORDER BY seq DESC LIMIT $3`, shot, before, most)
}

// AddLog appends an entry.
func (s *Store) AddLog(ctx context.Context, e stage.Entry) error {
	var shot any
	if e.ShotID != "" {
		shot = e.ShotID
	}
	var data any
	if len(e.Data) > 0 {
		data = e.Data
	}
	_, err := s.Pool.Exec(ctx, `INSERT INTO log (at, actor, shot_id, kind, text, data) VALUES ($1,$2,$3,$4,$5,$6)`, e.At, e.Actor, shot, e.Kind, e.Text, data)
	return err
}
