package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/journal"
)

// Draft is the newest path of a shot.
type Draft struct {
	Revision int64          `json:"revision"`
	UndoTo   *int64         `json:"-"`
	RedoTo   *int64         `json:"-"`
	Of       int64          `json:"-"` // the edit that made this path: an older one after an undo
	Path     *path.Path     `json:"path" db:"-"`
	Actor    journal.Person `json:"changed_by"`
	At       time.Time      `json:"changed_at"`
	// Over is how many edits of other windows were made since the revision that an
	// edit was made on.
	Over int `json:"-" db:"-"`
	// pathOf is the revision whose path an edit has brought back, or nil.
	pathOf *int64
}

// By says who does something to a shot, where, and what they saw.
type By struct {
	Shot     string
	Revision int64 // the newest revision that was seen
	Actor    journal.Person
	Window   string // the window it is done in, or empty
	ID       string // a UUID of the deed, or empty: done twice it is done once
}

const drafts = `SELECT e.revision, e.undo_to, e.redo_to, coalesce(e.of_revision, e.revision) AS of, ` + asPerson +
	` AS actor, e.at FROM edits e JOIN people w ON w.id = e.person_id `

// Draft loads the newest path.
func (s *Store) Draft(ctx context.Context, shot string) (*Draft, error) {
	d, err := one[Draft](ctx, s.Pool,
		drafts+`JOIN shots s ON s.id = e.shot_id AND s.revision = e.revision WHERE s.id = $1`, shot)
	if err != nil {
		return nil, err
	}
	d.Path, err = s.pathAt(ctx, s.Pool, shot, d.Revision)
	return d, err
}

// ClashError is returned for an edit that another one made meanwhile has overtaken.
type ClashError struct {
	Words string // the edit that was not made
	Actor string // the name of who made the other
	Other string // the other
}

func (e *ClashError) Error() string {
	return fmt.Sprintf("Not done: %s. %s changed the same meanwhile: %s.", e.Words, e.Actor, e.Other)
}

// Edit appends one edit to a shot. Where others were made since the revision that
// was seen, it is made on the newest if none of them touched what it rests on;
// otherwise it is a *ClashError and nothing changes.
func (s *Store) Edit(ctx context.Context, by By, r *rig.Rig, e path.Edit) (*Draft, error) {
	e = e.Named(r)
	if e.Record != nil {
		c := *e.Record
		e.Record = &c
		if err := s.fillRecord(ctx, e.Record); err != nil {
			return nil, err
		}
	}
	return s.append(ctx, by, e, func(tx pgx.Tx, d *Draft) (*Draft, error) {
		over := int(d.Revision - by.Revision)
		if over < 0 {
			return nil, ErrStale
		}
		if over > 0 {
			var err error
			if over, err = s.clash(ctx, tx, by, e, d.Revision); err != nil {
				return nil, err
			}
		}
		p, err := d.Path.Apply(r, e)
		return &Draft{UndoTo: &d.Revision, Path: p, Over: over}, err
	})
}

// mostOver is over how many edits one may be carried.
const mostOver = 200

// clash counts the edits since the one that was seen that were made in other
// windows (a window's own follow each other) and finds the first that touched the
// same.
func (s *Store) clash(ctx context.Context, tx pgx.Tx, by By, e path.Edit, now int64) (others int, err error) {
	if now-by.Revision > mostOver {
		return 0, ErrStale
	}
	before, err := s.at(ctx, tx, by.Shot, by.Revision)
	if err != nil {
		return 0, err
	}
	for rev := by.Revision + 1; rev <= now; rev++ {
		d, err := s.at(ctx, tx, by.Shot, rev)
		if err != nil {
			return 0, err
		}
		l, err := line(ctx, tx, by.Shot, rev)
		if err != nil {
			return 0, err
		}
		if by.Window == "" || l.MadeIn != by.Window {
			if others++; !e.Undisturbed(before.Path, d.Path) {
				return 0, &ClashError{e.Words(), l.Actor.Name, l.Words()}
			}
		}
		before = d
	}
	return others, nil
}

// Bring puts the path of an older revision back, as a new edit that says why.
func (s *Store) Bring(ctx context.Context, by By, revision int64, why string) (*Draft, error) {
	return s.append(ctx, by, map[string]string{"op": why}, func(tx pgx.Tx, d *Draft) (*Draft, error) {
		if d.Revision != by.Revision {
			return nil, ErrStale
		}
		to, err := s.at(ctx, tx, by.Shot, revision)
		if err != nil {
			return nil, err
		}
		return &Draft{UndoTo: &d.Revision, Path: to.Path, pathOf: &to.Revision}, nil
	})
}

// Undo brings back the path before the last edit, as a new edit. Without
// anything to undo it returns the draft as it is.
func (s *Store) Undo(ctx context.Context, by By) (*Draft, error) {
	return s.append(ctx, by, map[string]string{"op": "undo"}, func(tx pgx.Tx, d *Draft) (*Draft, error) {
		if d.Revision != by.Revision {
			return nil, ErrStale
		}
		if d.UndoTo == nil {
			return nil, nil
		}
		to, err := s.at(ctx, tx, by.Shot, *d.UndoTo)
		if err != nil {
			return nil, err
		}
		return &Draft{UndoTo: to.UndoTo, RedoTo: &d.Revision, Of: to.Of, Path: to.Path, pathOf: &to.Revision}, nil
	})
}

// Redo brings back what the last undo took away, as a new edit.
func (s *Store) Redo(ctx context.Context, by By) (*Draft, error) {
	return s.append(ctx, by, map[string]string{"op": "redo"}, func(tx pgx.Tx, d *Draft) (*Draft, error) {
		if d.Revision != by.Revision {
			return nil, ErrStale
		}
		if d.RedoTo == nil {
			return nil, nil
		}
		to, err := s.at(ctx, tx, by.Shot, *d.RedoTo)
		if err != nil {
			return nil, err
		}
		return &Draft{UndoTo: to.UndoTo, RedoTo: to.RedoTo, Of: to.Of, Path: to.Path, pathOf: &to.Revision}, nil
	})
}

// DraftAt loads an older path.
func (s *Store) DraftAt(ctx context.Context, shot string, revision int64) (*Draft, error) {
	return s.at(ctx, s.Pool, shot, revision)
}

func (s *Store) at(ctx context.Context, q querier, shot string, revision int64) (*Draft, error) {
	d, err := one[Draft](ctx, q, drafts+`WHERE e.shot_id = $1 AND e.revision = $2`, shot, revision)
	if err != nil {
		return nil, err
	}
	d.Path, err = s.pathAt(ctx, q, shot, revision)
	return d, err
}

// EditLine is one edit without its path: who made it, where, when and what it is.
type EditLine struct {
	Revision int64           `json:"revision"`
	Actor    journal.Person  `json:"actor"`
	MadeIn   string          `json:"made_in" doc:"the window it was made in"`
	At       time.Time       `json:"at"`
	Command  json.RawMessage `json:"-"`
}

// Words says in a few words what the edit did.
func (l *EditLine) Words() string {
	var e path.Edit
	if json.Unmarshal(l.Command, &e) != nil {
		return "an edit"
	}
	return e.Words()
}

// EditLine loads one edit without its path.
func (s *Store) EditLine(ctx context.Context, shot string, revision int64) (*EditLine, error) {
	return line(ctx, s.Pool, shot, revision)
}

func line(ctx context.Context, q querier, shot string, revision int64) (*EditLine, error) {
	return one[EditLine](ctx, q, `SELECT e.revision, `+asPerson+
		` AS actor, e.made_in, e.at, e.command FROM edits e JOIN people w ON w.id = e.person_id WHERE e.shot_id = $1
			AND e.revision = $2`, shot, revision)
}

// lock holds a shot for the rest of a transaction and tells its newest revision.
func lock(ctx context.Context, tx pgx.Tx, shot string) (int64, error) {
	var now int64
	err := tx.QueryRow(ctx, `SELECT revision FROM shots WHERE id = $1 FOR UPDATE`, shot).Scan(&now)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, ErrNotFound
	}
	return now, err
}

func (s *Store) append(ctx context.Context, by By, command any, make func(pgx.Tx, *Draft) (*Draft,
	error)) (*Draft, error) {
	var out *Draft
	err := s.tx(ctx, func(tx pgx.Tx) error {
		now, err := lock(ctx, tx, by.Shot)
		if err != nil {
			return err
		}
		d, err := s.at(ctx, tx, by.Shot, now)
		if err != nil {
			return err
		}
		if by.ID != "" { // sent before: its answer was lost
			var there bool
			if err := tx.QueryRow(ctx, `SELECT EXISTS (SELECT FROM edits WHERE shot_id = $1 AND id = $2)`, by.Shot,
				by.ID).Scan(&there); err != nil {
				return err
			}
			if there {
				out = d
				return nil
			}
		}
		n, err := make(tx, d)
		if err != nil {
			return err
		}
		if n == nil {
			out = d
			return nil
		}
		n.Revision, n.Actor, n.At = d.Revision+1, by.Actor, time.Now()
		if n.Of == 0 {
			n.Of = n.Revision
		}
		person, err := know(ctx, tx, by.Actor)
		if err != nil {
			return err
		}
		var snapshot *path.Path // now and then
		if e, ok := command.(path.Edit); n.Revision%snapshotEvery == 0 || ok && e.WorkedOut() {
			snapshot = n.Path
		}
		if _, err := tx.Exec(ctx,
			`INSERT INTO edits (shot_id, revision, undo_to, redo_to, of_revision, path_of, person_id, at, command, path,
				made_in, id) VALUES ($1,$2,$3,$4,$5,$6,$7,$8,$9,$10,$11,nullif($12,'')::uuid)`,
			by.Shot, n.Revision, n.UndoTo, n.RedoTo, n.Of, n.pathOf, person, n.At, command, snapshot, by.Window,
			by.ID); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE shots SET revision = $2 WHERE id = $1`, by.Shot, n.Revision); err != nil {
			return err
		}
		out = n
		return nil
	})
	if err == nil && out != nil { // only what is really there is remembered
		s.paths.Add(edition{by.Shot, out.Revision}, out.Path)
	}
	return out, err
}
