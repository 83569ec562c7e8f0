package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/rig"
	"keenarc/journal"
)

// The rig book: versions of machines, which never change once they are written. Shots
// point to one version of each of theirs.

// AddRig stores a rig version; a version that is there already is left alone.
func (s *Store) AddRig(ctx context.Context, r *rig.Rig) error {
	_, err := s.exec(ctx, `INSERT INTO rigs (id, version, doc) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING`, r.ID,
		r.Version, r)
	return err
}

// AdoptRig stores a rig version and brings the shots on an older one of the same
// rig to it. Seals made for the older one are void; the log says so.
func (s *Store) AdoptRig(ctx context.Context, r *rig.Rig) error {
	if err := s.AddRig(ctx, r); err != nil {
		return err
	}
	return s.tx(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx,
			`UPDATE shot_machines SET rig_version = $2 WHERE rig_id = $1 AND rig_version < $2 RETURNING shot_id::text`,
			r.ID, r.Version)
		if err != nil {
			return err
		}
		shots, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		for _, id := range shots {
			if _, err := tx.Exec(ctx, `UPDATE seals SET revision = -1 WHERE shot_id = $1`, id); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx,
				`INSERT INTO log (id, at, person_id, shot_id, kind, text) VALUES ($1, now(), $2, $3, 'rig', $4)`,
				journal.NewID(), journal.Itself.ID, id, fmt.Sprintf("%s is now version %d. Paths sealed for an older "+
					"one are void; seal again.", r.Name, r.Version)); err != nil {
				return err
			}
		}
		return nil
	})
}

// Rig loads the newest version of a rig.
func (s *Store) Rig(ctx context.Context, id string) (*rig.Rig, error) {
	r := &rig.Rig{}
	err := s.Pool.QueryRow(ctx, `SELECT doc FROM rigs WHERE id = $1 ORDER BY version DESC LIMIT 1`, id).Scan(r)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return r, err
}

// ErrNewer is returned where somebody else has written a newer version meanwhile.
var ErrNewer = errors.New("somebody has written a newer version meanwhile")

// RigLine is one machine of the book, as its newest version has it.
type RigLine struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Version int    `json:"version"`
	Axes    int    `json:"axes"`
}

// RigVersion is one version of a machine: who wrote it, when, why, and the shots on it.
type RigVersion struct {
	Version int            `json:"version"`
	At      time.Time      `json:"at"`
	By      journal.Person `json:"by"`
	Says    string         `json:"says"`
	Shots   []string       `json:"shots"`
	Doc     *rig.Rig       `json:"-"`
}

// Rigs are the machines of the book.
func (s *Store) Rigs(ctx context.Context) ([]RigLine, error) {
	return many[RigLine](ctx, s,
		`SELECT DISTINCT ON (id) id, doc->>'name' AS name, version, jsonb_array_length(doc->'axes') AS axes FROM rigs
			ORDER BY id, version DESC`)
}

// RigVersions are a machine's versions, the newest first.
func (s *Store) RigVersions(ctx context.Context, id string) ([]RigVersion, error) {
	return many[RigVersion](ctx, s,
		`SELECT r.version, r.at, CASE WHEN w.id IS NULL THEN jsonb_build_object('id', $2::text, 'name', $3::text,
			'role', '') ELSE `+asPerson+` END AS by, r.says, r.doc,
		ARRAY(SELECT s.code FROM shot_machines m JOIN shots s ON s.id = m.shot_id WHERE m.rig_id = r.id
		AND m.rig_version = r.version ORDER BY s.code) AS shots
		FROM rigs r LEFT JOIN people w ON w.id = r.person_id WHERE r.id = $1 ORDER BY r.version DESC`, id,
		journal.Itself.ID, journal.Itself.Name)
}

// WriteRig adds the version after base, which must be the newest (0: there is none yet).
func (s *Store) WriteRig(ctx context.Context, who journal.Person, r *rig.Rig, base int, says string) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock(hashtext('rig ' || $1))`, r.ID); err != nil {
			return err
		}
		var newest int
		if err := tx.QueryRow(ctx, `SELECT coalesce(max(version), 0) FROM rigs WHERE id = $1`,
			r.ID).Scan(&newest); err != nil {
			return err
		}
		if newest != base {
			return fmt.Errorf("%w: %s is at version %d, this was made on %d", ErrNewer, r.Name, newest, base)
		}
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		r.Version = newest + 1
		_, err = tx.Exec(ctx, `INSERT INTO rigs (id, version, doc, person_id, says) VALUES ($1, $2, $3, $4, $5)`, r.ID,
			r.Version, r, person, says)
		return err
	})
}

// BringShot moves a shot's machine to another version of its rig. Paths that were sealed
// before are void, since a seal pins the version.
func (s *Store) BringShot(ctx context.Context, who journal.Person, shot, id string, version int) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		n, err := tx.Exec(ctx,
			`UPDATE shot_machines SET rig_version = $3 WHERE shot_id = $1 AND rig_id = $2 AND rig_version <> $3`, shot,
			id, version)
		if err != nil || n.RowsAffected() == 0 {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE seals SET revision = -1 WHERE shot_id = $1`, shot); err != nil {
			return err
		}
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx,
			`INSERT INTO log (id, at, person_id, shot_id, kind, text) VALUES ($1, now(), $2, $3, 'rig', $4)`,
			journal.NewID(), person, shot,
			fmt.Sprintf("Brought to version %d of %s. Paths that were sealed before are void; seal again.",
				version, id))
		return err
	})
}
