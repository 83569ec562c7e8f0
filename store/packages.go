package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/balance"
	"keenarc/journal"
)

// Packages are all camera packages, as their newest versions have them, by name.
func (s *Store) Packages(ctx context.Context) ([]journal.CameraPackage, error) {
	docs, err := many[packageRow](ctx, s,
		`SELECT doc FROM (SELECT DISTINCT ON (id) id, name, doc FROM packages ORDER BY id, version DESC) p
			ORDER BY name`)
	out := make([]journal.CameraPackage, len(docs))
	for i := range docs {
		out[i] = *docs[i].Doc
	}
	return out, err
}

type packageRow struct{ Doc *journal.CameraPackage }

// Package is the newest version of one.
func (s *Store) Package(ctx context.Context, id string) (*journal.CameraPackage, error) {
	r, err := one[packageRow](ctx, s.Pool, `SELECT doc FROM packages WHERE id = $1 ORDER BY version DESC LIMIT 1`, id)
	if err != nil {
		return nil, err
	}
	return r.Doc, nil
}

// WritePackage adds the version after base, which must be the newest (0: there is none).
// Shots that have it get its camera with it.
func (s *Store) WritePackage(ctx context.Context, who journal.Person, p *journal.CameraPackage, base int) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock(hashtext('package ' || $1))`, p.ID); err != nil {
			return err
		}
		var newest int
		if err := tx.QueryRow(ctx, `SELECT coalesce(max(version), 0) FROM packages WHERE id = $1`,
			p.ID).Scan(&newest); err != nil {
			return err
		}
		if newest != base {
			return fmt.Errorf("%w: %s is at version %d, this was made on %d", ErrNewer, p.Name, newest, base)
		}
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		p.Version = newest + 1
		if _, err = tx.Exec(ctx,
			`INSERT INTO packages (id, version, name, at, person_id, doc) VALUES ($1, $2, $3, now(), $4, $5)`, p.ID,
			p.Version, p.Name, person, p); err != nil {
			return err
		}
		return s.dress(ctx, tx, `s.package_id = $1`, p, p.ID)
	})
}

// dress gives shots a package's camera: another version of their own, where it differs.
func (s *Store) dress(ctx context.Context, tx pgx.Tx, which string, p *journal.CameraPackage, arg string) error {
	rows, err := tx.Query(ctx,
		`SELECT s.id::text, s.camera_id::text FROM shots s JOIN cameras c ON c.id = s.camera_id
			AND c.version = s.camera_version WHERE `+which+` AND c.doc <> $2::jsonb ORDER BY s.id`, arg, p.Lens)
	if err != nil {
		return err
	}
	type pair struct{ Shot, Camera string }
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[pair])
	if err != nil {
		return err
	}
	for _, x := range list {
		n, err := AddCamera(ctx, tx, x.Camera, p.Lens)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE shots SET camera_version = $2 WHERE id = $1`, x.Shot, n); err != nil {
			return err
		}
	}
	return nil
}

// PackShot gives a shot another package, and its camera with it. Takes keep theirs.
func (s *Store) PackShot(ctx context.Context, shot string, p *journal.CameraPackage) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE shots SET package_id = $2 WHERE id = $1`, shot, p.ID); err != nil {
			return err
		}
		return s.dress(ctx, tx, `s.id = $1`, p, shot)
	})
}

// Balance is the newest record of a package on a machine, or nil.
func (s *Store) Balance(ctx context.Context, pack, machine string) (*Past[balance.Settled], error) {
	b, err := one[Past[balance.Settled]](ctx, s.Pool, balances+` LIMIT 1`, pack, machine)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return b, err
}

// KeepBalance keeps a record that was made on the one of a number (0: there was none), which must
// be the newest; it is the one that counts from now on.
func (s *Store) KeepBalance(ctx context.Context, who journal.Person, pack, machine string, base int64,
	r *balance.Settled) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx,
			`SELECT pg_advisory_xact_lock(hashtextextended('balance of ' || $1 || ' on ' || $2, 0))`, pack,
			machine); err != nil {
			return err
		}
		var newest int64
		if err := tx.QueryRow(ctx, `SELECT count(*) FROM balances WHERE package_id = $1 AND rig_id = $2`, pack,
			machine).Scan(&newest); err != nil {
			return err
		}
		if newest != base {
			return ErrStale
		}
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		// Later than the one that it is made of, whenever this began.
		_, err = tx.Exec(ctx,
			`INSERT INTO balances (id, package_id, rig_id, at, person_id, doc) VALUES ($1, $2, $3, clock_timestamp(),
				$4, $5)`, journal.NewID(), pack, machine, person, r)
		return err
	})
}

// BackBalance takes the newest record back: the one before is kept anew.
func (s *Store) BackBalance(ctx context.Context, who journal.Person, pack, machine string) error {
	list, err := s.Balances(ctx, pack, machine)
	if err != nil {
		return err
	}
	if len(list) < 2 {
		return ErrNotFound
	}
	return s.KeepBalance(ctx, who, pack, machine, list[0].Version, list[1].Doc.Back(list[0].Doc, time.Now()))
}

// LastSettled is the package that was last balanced on a machine, or empty.
func (s *Store) LastSettled(ctx context.Context, machine string) (string, error) {
	var id string
	err := s.Pool.QueryRow(ctx,
		`SELECT package_id::text FROM balances WHERE rig_id = $1 ORDER BY at DESC, id DESC LIMIT 1`, machine).Scan(&id)
	if errors.Is(err, pgx.ErrNoRows) {
		return "", nil
	}
	return id, err
}
