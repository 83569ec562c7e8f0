package store

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/zstd"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/seal"
	"keenarc/journal"
)

// Seal is one sealed version of a shot's path.
type Seal struct {
	ID          string         `json:"id"`
	Version     int            `json:"version"`
	Revision    int64          `json:"revision"`
	Fingerprint []byte         `json:"-"`
	Short       string         `json:"short" db:"-"`
	Print       string         `json:"fingerprint" db:"-"`
	Braking     *limit.Braking `json:"braking"`
	PathDigest  []byte         `json:"-"` // of the path that was sealed
	FastestNum  int64          `json:"-"` // the fastest clock it was checked on
	FastestDen  int64          `json:"-"`
	Move        []byte         `json:"-"` // of its table; the id of one that is void
	SealedBy    journal.Person `json:"sealed_by"`
	SealedAt    time.Time      `json:"sealed_at"`
	Over        string         `json:"over" doc:"why whoever sealed it has signed for working limits that are passed, or empty"`
}

func (x *Seal) name() *Seal {
	x.Short, x.Print = seal.Short([32]byte(x.Fingerprint)), hex.EncodeToString(x.Fingerprint)
	return x
}

// Of reports whether this is a seal of a path as it stands: of the same content,
// checked on a clock that is at least as fast. A void one is of no path.
func (x *Seal) Of(p *path.Path) bool {
	d := p.Digest()
	return x.Revision >= 0 && x.FastestDen > 0 && bytes.Equal(x.PathDigest, d[:]) && p.Factor.Float() <=
		x.Fastest().Float()
}

const sealColumns = `x.id::text, x.version, x.revision, x.fingerprint, x.braking, coalesce(x.path_digest,
	'') AS path_digest,
	coalesce(x.fastest_num, 0) AS fastest_num, coalesce(x.fastest_den, 0) AS fastest_den, coalesce(x.move, '') AS move,
	` + asPerson + ` AS sealed_by, x.sealed_at, x.over`

// Fastest is the factor of the fastest clock that it was checked on.
func (x *Seal) Fastest() clock.Rate { return clock.Rate{Num: x.FastestNum, Den: x.FastestDen} }

// Same reports whether two seals are of one path and the same steps: they differ in the clock that
// they were checked on, at most.
func (x *Seal) Same(o *Seal) bool { return bytes.Equal(x.Move, o.Move) }

// Seals lists a shot's seals, the one sealed last first; of those of one version the one that was
// checked on the slowest clock.
func (s *Store) Seals(ctx context.Context, shot string) ([]Seal, error) {
	out, err := many[Seal](ctx, s,
		`SELECT `+sealColumns+` FROM seals x JOIN people w ON w.id = x.person_id WHERE x.shot_id = $1
		ORDER BY x.revision DESC, x.version DESC, x.fastest_num::numeric / nullif(x.fastest_den, 0), x.sealed_at`, shot)
	for i := range out {
		x := out[i].name()
		if len(x.Move) > 0 {
			continue
		}
		t, err := s.Table(ctx, x.ID)
		switch {
		case errors.Is(err, ErrVoid):
			x.Move = []byte(x.ID)
			continue
		case err != nil:
			return nil, err
		}
		m := t.Move()
		x.Move = m[:]
		if _, err := s.exec(ctx, `UPDATE seals SET move = $2 WHERE id = $1`, x.ID, x.Move); err != nil {
			return nil, err
		}
	}
	return out, err
}

// AddSeal stores a sealed table as the shot's next version, if revision is still
// the newest. The same bytes sealed again are the same seal, whatever was sealed
// in between; the same steps for a faster clock are a further seal of the same version.
func (s *Store) AddSeal(ctx context.Context, id, shot string, revision int64, who journal.Person, t *seal.Table,
	b *limit.Braking, over string) (*Seal, error) {
	f, move := t.Fingerprint(), t.Move()
	if _, err := s.Seals(ctx, shot); err != nil { // what each of them moves is known then
		return nil, err
	}
	w, err := zstd.NewWriter(nil)
	if err != nil {
		return nil, err
	}
	defer w.Close()
	packed := w.EncodeAll(t.Canonical(), nil)
	var out *Seal
	err = s.tx(ctx, func(tx pgx.Tx) error {
		now, err := lock(ctx, tx, shot)
		if err != nil {
			return err
		}
		if now != revision {
			return ErrStale
		}
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		out, err = one[Seal](ctx, tx,
			`WITH x AS (INSERT INTO seals (id, shot_id, version, revision, fingerprint, table_zstd, braking, person_id,
				path_digest, fastest_num, fastest_den, over, move)
			VALUES ($1, $2, coalesce((SELECT max(version) FROM seals WHERE shot_id = $2
			AND move = $12), 1 + (SELECT coalesce(max(version), 0) FROM seals WHERE shot_id = $2)), $3, $4, $5, $6, $7,
			$8, $9, $10, $11, $12)
			ON CONFLICT (shot_id, fingerprint) DO UPDATE SET revision = excluded.revision, braking = excluded.braking,
			over = excluded.over RETURNING *) SELECT `+sealColumns+` FROM x JOIN people w ON w.id = x.person_id`,
			id, shot, revision, f[:], packed, b, person, t.PathDigest[:], t.Fastest.Num, t.Fastest.Den, over, move[:])
		return err
	})
	if err != nil {
		return nil, err
	}
	return out.name(), nil
}

// ErrVoid is returned for sealed tables of an encoding that is not read any more.
var ErrVoid = errors.New("this path was sealed in an older encoding and is void; seal it again")

// Table loads a sealed table and proves that it is what was sealed. Tables are read
// once: they never change.
func (s *Store) Table(ctx context.Context, sealID string) (*seal.Table, error) {
	if t, ok := s.tables.Get(sealID); ok {
		return t, nil
	}
	t, err := s.readTable(ctx, sealID)
	if err == nil {
		s.tables.Add(sealID, t)
	}
	return t, err
}

func (s *Store) readTable(ctx context.Context, sealID string) (*seal.Table, error) {
	var packed, print []byte
	if err := s.Pool.QueryRow(ctx, `SELECT table_zstd, fingerprint FROM seals WHERE id = $1`, sealID).Scan(&packed,
		&print); err != nil {
		return nil, fmt.Errorf("seal %s: %w", sealID, err)
	}
	r, err := zstd.NewReader(nil)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	raw, err := r.DecodeAll(packed, nil)
	if err != nil {
		return nil, fmt.Errorf("seal %s: %w", sealID, err)
	}
	if bytes.HasPrefix(raw, []byte("keenarc-seal-1\n")) {
		return nil, fmt.Errorf("seal %s: %w", sealID, ErrVoid)
	}
	t, err := seal.Decode(raw)
	if err != nil {
		return nil, err
	}
	if f := t.Fingerprint(); string(f[:]) != string(print) {
		return nil, fmt.Errorf("seal %s: its bytes no longer match its fingerprint", sealID)
	}
	return t, nil
}
