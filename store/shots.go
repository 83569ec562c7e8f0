package store

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/journal"
)

// Production is a film with its shots.
type Production struct {
	ID     string     `json:"id"`
	Number int        `json:"number"`
	Title  string     `json:"title"`
	Place  string     `json:"place"`
	Shots  []ShotLine `json:"shots" db:"-"`
}

// ShotLine is a shot on the bookshelf.
type ShotLine struct {
	ID           string    `json:"id"`
	ProductionID string    `json:"production"`
	Code         string    `json:"code"`
	Title        string    `json:"title"`
	Start        string    `json:"start_timecode"`
	Rig          string    `json:"rig"`
	Revision     int64     `json:"revision"`
	Seals        int       `json:"seals"`
	Passes       int       `json:"passes"`
	Takes        int       `json:"takes"`
	Changed      time.Time `json:"changed"`
	// Sketch is where the travelling axis stands at every 24th part of the move,
	// as a share of its way: the spacing is its speed.
	Sketch []float64  `json:"sketch" db:"-"`
	Path   *path.Path `json:"-"`
	RigDoc *rig.Rig   `json:"-"`
}

// Shot is a shot with what belongs to it and does not change with an edit.
type Shot struct {
	ID          string        `json:"id"`
	Code        string        `json:"code"`
	Title       string        `json:"title"`
	Production  string        `json:"production"`
	Rig         *rig.Rig      `json:"rig"`
	Lens        *lens.Package `json:"lens"`
	Set         *geom.Set     `json:"set"`
	ThresholdPx float64       `json:"threshold_px"`
	// StartTimecode is the timecode of frame 0, non-drop, at the nearest whole rate.
	StartTimecode string `json:"start_timecode"`
}

// Shelf is every production with its shots.
func (s *Store) Shelf(ctx context.Context) ([]Production, error) {
	ps, err := many[Production](ctx, s, `SELECT id::text, number, title, place FROM productions ORDER BY number`)
	if err != nil {
		return nil, err
	}
	lines, err := many[ShotLine](ctx, s, `SELECT s.id::text, s.production_id::text, s.code, s.title, s.start_timecode AS start, r.doc->>'name' AS rig, s.revision,
		(SELECT count(*) FROM seals x WHERE x.shot_id = s.id) AS seals, (SELECT count(*) FROM passes p WHERE p.shot_id = s.id) AS passes,
		(SELECT count(*) FROM takes t JOIN passes p ON p.id = t.pass_id WHERE p.shot_id = s.id) AS takes,
		e.at AS changed, e.path, r.doc AS rig_doc
		FROM shots s JOIN rigs r ON r.id = s.rig_id AND r.version = s.rig_version JOIN edits e ON e.shot_id = s.id AND e.revision = s.revision ORDER BY s.code`)
	if err != nil {
		return nil, err
	}
	for i := range ps {
		ps[i].Shots = []ShotLine{}
		for _, l := range lines {
			if l.ProductionID == ps[i].ID {
				l.Sketch = sketch(l.Path, l.RigDoc)
				ps[i].Shots = append(ps[i].Shots, l)
			}
		}
	}
	return ps, nil
}

func sketch(p *path.Path, r *rig.Rig) []float64 {
	out := []float64{}
	m, err := path.Compile(p, r)
	if err != nil { // an empty sheet has no sketch
		return out
	}
	best, lo, hi := 0, 0.0, 0.0
	for i, c := range m.Curves {
		a, _, b, _ := c.Range()
		if span := r.Axes[i].Max - r.Axes[i].Min; (b-a)/span > (hi-lo)/(r.Axes[best].Max-r.Axes[best].Min) {
			best, lo, hi = i, a, b
		}
	}
	if hi <= lo {
		return out
	}
	for k := range 25 {
		f := float64(m.First) + float64(k)/24*float64(m.Last-m.First)
		out = append(out, math.Round((m.Curves[best].At(f).P-lo)/(hi-lo)*1e3)/1e3)
	}
	return out
}

// Shot loads one shot.
func (s *Store) Shot(ctx context.Context, id string) (*Shot, error) {
	return one[Shot](ctx, s.Pool, `SELECT s.id::text, s.code, s.title, p.title AS production, r.doc AS rig, s.lens, s.set_doc AS set, s.threshold_px, s.start_timecode
		FROM shots s JOIN productions p ON p.id = s.production_id JOIN rigs r ON r.id = s.rig_id AND r.version = s.rig_version WHERE s.id = $1`, id)
}

// AddProduction makes a production.
func (s *Store) AddProduction(ctx context.Context, p Production) error {
	_, err := s.Pool.Exec(ctx, `INSERT INTO productions (id, number, title, place) VALUES ($1, $2, $3, $4)`, p.ID, p.Number, p.Title, p.Place)
	return err
}

// AddRig stores a rig version; a version that is there already is left alone.
func (s *Store) AddRig(ctx context.Context, r *rig.Rig) error {
	_, err := s.Pool.Exec(ctx, `INSERT INTO rigs (id, version, doc) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING`, r.ID, r.Version, r)
	return err
}

// AdoptRig stores a rig version and brings the shots on an older one of the same
// rig to it. Seals made for the older one are void; the log says so.
func (s *Store) AdoptRig(ctx context.Context, r *rig.Rig) error {
	if err := s.AddRig(ctx, r); err != nil {
		return err
	}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `UPDATE shots SET rig_version = $2 WHERE rig_id = $1 AND rig_version < $2 RETURNING id::text`, r.ID, r.Version)
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
			if _, err := tx.Exec(ctx, `INSERT INTO log (id, at, actor, shot_id, kind, text) VALUES ($1, now(), 'Keen Arc', $2, 'rig', $3)`,
				journal.NewID(), id, fmt.Sprintf("%s is now version %d. Paths sealed for an older one are void; seal again.", r.Name, r.Version)); err != nil {
				return err
			}
		}
		return nil
	})
}

// ErrTaken is returned for a shot code that is in use.
var ErrTaken = errors.New("this production has a shot of that code already; choose another")

// AddShot makes a shot with its first path and its passes.
func (s *Store) AddShot(ctx context.Context, production string, sh *Shot, actor string, p *path.Path, passes []Pass) error {
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO shots (id, production_id, code, title, rig_id, rig_version, lens, set_doc) VALUES ($1,$2,$3,$4,$5,$6,$7,$8)`,
			sh.ID, production, sh.Code, sh.Title, sh.Rig.ID, sh.Rig.Version, sh.Lens, sh.Set); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO edits (shot_id, revision, actor, command, path) VALUES ($1, 0, $2, '{"op":"new"}', $3)`, sh.ID, actor, p); err != nil {
			return err
		}
		for _, x := range passes {
			if _, err := tx.Exec(ctx, `INSERT INTO passes (id, shot_id, number, name, note, factor_num, factor_den) VALUES ($1,$2,$3,$4,$5,$6,$7)`,
				x.ID, sh.ID, x.Number, x.Name, x.Note, x.FactorNum, x.FactorDen); err != nil {
				return err
			}
		}
		return nil
	})
	return orTaken(err)
}

func orTaken(err error) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23505" {
		return ErrTaken
	}
	return err
}

// Rename gives a shot another code, title and timecode of frame 0.
func (s *Store) Rename(ctx context.Context, shot, code, title, start string) error {
	t, err := s.Pool.Exec(ctx, `UPDATE shots SET code = $2, title = $3, start_timecode = $4 WHERE id = $1`, shot, code, title, start)
	if err == nil && t.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return orTaken(err)
}

// SetThreshold changes the largest error at which a shot's passes stack.
func (s *Store) SetThreshold(ctx context.Context, shot string, px float64) error {
	t, err := s.Pool.Exec(ctx, `UPDATE shots SET threshold_px = $2 WHERE id = $1`, shot, px)
	if err == nil && t.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
