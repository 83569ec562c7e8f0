package store

import (
	"context"
	"time"

	"keenarc/journal"
)

// PoseMark is a named pose of a shot's machines, in its path or outside it, with a small
// picture where there was one.
type PoseMark struct {
	ID     string             `json:"id"`
	Name   string             `json:"name"`
	At     time.Time          `json:"at"`
	By     journal.Person     `json:"by"`
	Values map[string]float64 `json:"values" doc:"by axis, as the shot names them"`
	PNG    []byte             `json:"png,omitempty"`
}

// Marks are a shot's marks, by name.
func (s *Store) Marks(ctx context.Context, shot string) ([]PoseMark, error) {
	return many[PoseMark](ctx, s, `SELECT m.id::text, m.name, m.at, `+asPerson+
		` AS by, m.values, m.png FROM marks m JOIN people w ON w.id = m.person_id WHERE m.shot_id = $1 ORDER BY m.name`,
		shot)
}

// AddMark keeps a mark; one of the same name is taken over.
func (s *Store) AddMark(ctx context.Context, who journal.Person, shot string, m PoseMark) error {
	person, err := know(ctx, s.Pool, who)
	if err != nil {
		return err
	}
	_, err = s.exec(ctx,
		`INSERT INTO marks (id, shot_id, name, at, person_id, values, png) VALUES ($1, $2, $3, now(), $4, $5, $6)
		ON CONFLICT (shot_id, name) DO UPDATE SET at = now(), person_id = $4, values = $5, png = $6`, journal.NewID(),
		shot, m.Name, person, m.Values, m.PNG)
	return err
}

// Unmark takes a mark away.
func (s *Store) Unmark(ctx context.Context, shot, mark string) error {
	n, err := s.exec(ctx, `DELETE FROM marks WHERE shot_id = $1 AND id = $2`, shot, mark)
	if err == nil && n.RowsAffected() == 0 {
		return ErrNotFound
	}
	return err
}
