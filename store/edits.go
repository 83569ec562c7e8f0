package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/path"
)

// Draft is the newest path of a shot.
type Draft struct {
	Revision int64      `json:"revision"`
	UndoTo   *int64     `json:"-"`
	RedoTo   *int64     `json:"-"`
	Path     *path.Path `json:"path"`
	Actor    string     `json:"changed_by"`
	At       time.Time  `json:"changed_at"`
}

const newest = `SELECT e.revision, e.undo_to, e.redo_to, e.path, e.actor, e.at FROM edits e JOIN shots s ON s.id = e.shot_id AND s.revision = e.revision WHERE s.id = $1`

// Draft loads the newest path.
func (s *Store) Draft(ctx context.Context, shot string) (*Draft, error) {
	return one[Draft](ctx, s.Pool, newest, shot)
}

// Edit appends one edit to a shot if revision is still the newest; change makes
// the new path from the old one.
func (s *Store) Edit(ctx context.Context, shot string, revision int64, actor string, command any, change func(*path.Path) (*path.Path, error)) (*Draft, error) {
	return s.append(ctx, shot, revision, actor, command, func(_ pgx.Tx, d *Draft) (*Draft, error) {
		p, err := change(d.Path)
		return &Draft{UndoTo: &d.Revision, Path: p}, err
	})
}

// Undo brings back the path before the last edit, as a new edit. Without
// anything to undo it returns the draft as it is.
func (s *Store) Undo(ctx context.Context, shot string, revision int64, actor string) (*Draft, error) {
	return s.append(ctx, shot, revision, actor, map[string]string{"op": "undo"}, func(tx pgx.Tx, d *Draft) (*Draft, error) {
		if d.UndoTo == nil {
			return nil, nil
		}
		to, err := at(ctx, tx, shot, *d.UndoTo)
		if err != nil {
			return nil, err
		}
		return &Draft{UndoTo: to.UndoTo, RedoTo: &d.Revision, Path: to.Path}, nil
	})
}

// Redo brings back what the last undo took away, as a new edit.
func (s *Store) Redo(ctx context.Context, shot string, revision int64, actor string) (*Draft, error) {
	return s.append(ctx, shot, revision, actor, map[string]string{"op": "redo"}, func(tx pgx.Tx, d *Draft) (*Draft, error) {
		if d.RedoTo == nil {
			return nil, nil
		}
		to, err := at(ctx, tx, shot, *d.RedoTo)
		if err != nil {
			return nil, err
		}
		return &Draft{UndoTo: to.UndoTo, RedoTo: to.RedoTo, Path: to.Path}, nil
	})
}

func at(ctx context.Context, tx pgx.Tx, shot string, revision int64) (*Draft, error) {
	return one[Draft](ctx, tx, `SELECT revision, undo_to, redo_to, path, actor, at FROM edits WHERE shot_id = $1 AND revision = $2`, shot, revision)
}

// lock holds a shot for the rest of a transaction if revision is its newest.
func lock(ctx context.Context, tx pgx.Tx, shot string, revision int64) error {
	var now int64
	err := tx.QueryRow(ctx, `SELECT revision FROM shots WHERE id = $1 FOR UPDATE`, shot).Scan(&now)
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		return ErrNotFound
	case err == nil && now != revision:
		return ErrStale
	}
	return err
}

func (s *Store) append(ctx context.Context, shot string, revision int64, actor string, command any, make func(pgx.Tx, *Draft) (*Draft, error)) (*Draft, error) {
	var out *Draft
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lock(ctx, tx, shot, revision); err != nil {
			return err
		}
		d, err := at(ctx, tx, shot, revision)
		if err != nil {
			return err
		}
		n, err := make(tx, d)
		if err != nil {
			return err
		}
		if n == nil {
			out = d
			return nil
		}
		n.Revision, n.Actor, n.At = d.Revision+1, actor, time.Now()
		if _, err := tx.Exec(ctx, `INSERT INTO edits (shot_id, revision, undo_to, redo_to, actor, at, command, path) VALUES ($1,$2,$3,$4,$5,$6,$7,$8)`,
			shot, n.Revision, n.UndoTo, n.RedoTo, actor, n.At, command, n.Path); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE shots SET revision = $2 WHERE id = $1`, shot, n.Revision); err != nil {
			return err
		}
		out = n
		return nil
	})
	return out, err
}
