package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/journal"
)

// SiteRow is a sheet of a shot's place as it is now: which revision, by whom. Shows is the
// revision whose content it has, which is an older one where something was taken back.
type SiteRow[T any] struct {
	Revision int64          `json:"revision"`
	Shows    int64          `json:"-"`
	At       time.Time      `json:"at"`
	By       journal.Person `json:"by"`
	Doc      *T             `json:"doc"`
}

const siteNewest = `SELECT revision, shows, at, ` + asPerson +
	` AS by, doc FROM sites x JOIN people w ON w.id = x.person_id WHERE shot_id = $1 AND what = $2`

// Site is a shot's sheet of a kind (order, power, ground, points), or nil where there is
// none yet.
func Site[T any](ctx context.Context, s *Store, shot, what string) (*SiteRow[T], error) {
	r, err := one[SiteRow[T]](ctx, s.Pool, siteNewest+` ORDER BY revision DESC LIMIT 1`, shot, what)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return r, err
}

// ChangeSite changes a sheet: f is given the newest (a zero one where there is none) and
// changes it. What f refuses changes nothing. day is what it belongs to, or empty.
func ChangeSite[T any](ctx context.Context, s *Store, who journal.Person, shot, what string, f func(*T) (day string,
	err error)) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		now, err := one[SiteRow[T]](ctx, tx, siteNewest+` ORDER BY revision DESC LIMIT 1`, shot, what)
		if errors.Is(err, ErrNotFound) {
			now, err = &SiteRow[T]{Doc: new(T)}, nil
		}
		if err != nil {
			return err
		}
		day, err := f(now.Doc)
		if err != nil {
			return err
		}
		return addSite(ctx, tx, who, shot, what, now.Revision+1, now.Revision+1, day, now.Doc)
	})
}

func addSite(ctx context.Context, tx pgx.Tx, who journal.Person, shot, what string, revision, shows int64, day string,
	doc any) error {
	person, err := know(ctx, tx, who)
	if err != nil {
		return err
	}
	raw, err := json.Marshal(doc)
	if err != nil {
		return fmt.Errorf("a sheet of the place: %w", err)
	}
	var on *string
	if day != "" {
		on = &day
	}
	_, err = tx.Exec(ctx,
		`INSERT INTO sites (shot_id, what, revision, shows, day, at, person_id, doc) VALUES ($1, $2, $3, $4,
			$5::text::date, now(), $6, $7)`, shot, what, revision, shows, on, person, raw)
	return err
}

// BackSite takes the newest change of a sheet back: what was before it counts again.
// ErrNotFound: there is nothing before it.
func BackSite(ctx context.Context, s *Store, who journal.Person, shot, what string) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		now, err := one[SiteRow[json.RawMessage]](ctx, tx, siteNewest+` ORDER BY revision DESC LIMIT 1`, shot, what)
		if err != nil {
			return err
		}
		was, err := one[SiteRow[json.RawMessage]](ctx, tx, siteNewest+` AND revision = $3`, shot, what, now.Shows-1)
		if err != nil {
			return err
		}
		// What was done on another day is not taken back from this one.
		var on string
		if err := tx.QueryRow(ctx,
			`SELECT coalesce(a.day::text, '') FROM sites a JOIN sites b USING (shot_id, what) WHERE shot_id = $1
				AND what = $2 AND a.revision = $3 AND b.revision = $4 AND a.day IS NOT DISTINCT
				FROM b.day`, shot, what, was.Revision, now.Revision).Scan(&on); err != nil {
			if errors.Is(err, pgx.ErrNoRows) {
				return ErrNotFound
			}
			return err
		}
		return addSite(ctx, tx, who, shot, what, now.Revision+1, was.Shows, on, was.Doc)
	})
}

// SiteDays are the last states of all days of a production's sheets of a kind, but for one
// day of one shot.
func SiteDays[T any](ctx context.Context, s *Store, shot, what, but string) ([]T, error) {
	rows, err := s.Pool.Query(ctx,
		`SELECT DISTINCT ON (x.shot_id, x.day) x.doc FROM sites x JOIN shots h ON h.id = x.shot_id
		WHERE h.production_id = (SELECT production_id FROM shots WHERE id = $1) AND x.what = $2 AND x.day IS NOT NULL
		AND NOT (x.shot_id = $1 AND x.day = $3::text::date)
		ORDER BY x.shot_id, x.day, x.revision DESC`, shot, what, but)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[T])
}
