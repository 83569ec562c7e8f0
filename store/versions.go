package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/journal"
)

// PathVersion is a state of a move that somebody has named.
type PathVersion struct {
	Number   int            `json:"number"`
	Name     string         `json:"name"`
	Revision int64          `json:"revision"`
	At       time.Time      `json:"at"`
	By       journal.Person `json:"by"`
}

// ErrNameTaken is returned for a name that another version of the shot has.
var ErrNameTaken = errors.New("another version has this name")

const versionColumns = `v.number, v.name, v.revision, v.at, ` + asPerson + ` AS by`

// PathVersions are a shot's named versions, the newest first.
func (s *Store) PathVersions(ctx context.Context, shot string) ([]PathVersion, error) {
	return many[PathVersion](ctx, s, `SELECT `+versionColumns+
		` FROM versions v JOIN people w ON w.id = v.person_id WHERE v.shot_id = $1 ORDER BY v.number DESC`, shot)
}

// NamePath names the path of a revision. One that is named already gets the new name.
func (s *Store) NamePath(ctx context.Context, who journal.Person, shot string, revision int64,
	name string) (*PathVersion, error) {
	var out *PathVersion
	err := s.tx(ctx, func(tx pgx.Tx) error {
		now, err := lock(ctx, tx, shot)
		if err != nil {
			return err
		}
		if revision < 0 || revision > now {
			return ErrStale
		}
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		done, err := tx.Exec(ctx,
			`UPDATE versions SET name = $3, at = now(), person_id = $4 WHERE shot_id = $1 AND revision = $2`, shot,
			revision, name, person)
		if err != nil {
			return err
		}
		if done.RowsAffected() == 0 {
			if _, err = tx.Exec(ctx, `INSERT INTO versions (shot_id, number, name, revision, at, person_id)
				VALUES ($1, 1 + (SELECT coalesce(max(number), 0) FROM versions WHERE shot_id = $1), $3, $2, now(), $4)`,
				shot, revision, name, person); err != nil {
				return err
			}
		}
		out, err = one[PathVersion](ctx, tx, `SELECT `+versionColumns+
			` FROM versions v JOIN people w ON w.id = v.person_id WHERE v.shot_id = $1 AND v.revision = $2`,
			shot, revision)
		return err
	})
	var pe *pgconn.PgError
	if errors.As(err, &pe) && pe.Code == "23505" {
		return nil, ErrNameTaken
	}
	return out, err
}
