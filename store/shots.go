package store

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/trace"
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
	Taken        int       `json:"frames_taken" doc:"cells of its weave that have a picture"`
	Weave        bool      `json:"frame_by_frame"`
	Changed      time.Time `json:"changed"`
	// Sketch is where the travelling axis stands at every 24th part of the move,
	// as a share of its way: the spacing is its speed.
	Sketch []float64 `json:"sketch" db:"-"`
	// Trouble is why it cannot be opened, or what is not in order with it.
	Trouble string `json:"trouble,omitempty" db:"-"`
}

// Shot is a shot with what belongs to it and does not change with an edit.
type Shot struct {
	ID         string `json:"id"`
	Code       string `json:"code"`
	Title      string `json:"title"`
	Production string `json:"production"`
	// Machines are those of the shot, as their newest line-ups have them, and Rig is
	// all of them as one.
	Machines    []rig.Placed  `json:"machines" db:"-"`
	Rig         *rig.Rig      `json:"rig" db:"-"`
	Lens        *lens.Package `json:"lens"`
	Set         *geom.Set     `json:"set"`
	ThresholdPx float64       `json:"threshold_px"`
	// Package is the camera package that it is shot with; empty: none was chosen.
	Package string `json:"package,omitempty"`
	// Frames: it is taken frame by frame.
	Frames bool `json:"frames"`
	// LinedUp names all that may be another while the revision is the same: the line-ups, and
	// the versions and places of machines, camera and set that are in it.
	LinedUp string `json:"-"`
	// Troubles are what is kept and cannot be used as it is, in sentences: it does not keep the
	// shot from being opened, and nothing is rolled on it.
	Troubles []string `json:"troubles,omitempty" db:"-"`
	// StartTimecode is the timecode of frame 0, non-drop, at the nearest whole rate.
	StartTimecode string `json:"start_timecode"`
}

// Shelf is every production with its shots.
func (s *Store) Shelf(ctx context.Context) ([]Production, error) {
	ps, err := many[Production](ctx, s, `SELECT id::text, number, title, place FROM productions ORDER BY number`)
	if err != nil {
		return nil, err
	}
	lines, err := many[ShotLine](ctx, s,
		`SELECT s.id::text, s.production_id::text, s.code, s.title, s.start_timecode AS start, s.revision,
		coalesce((SELECT string_agg(r.doc->>'name', ' and ' ORDER BY m.position) FROM shot_machines m
		JOIN rigs r ON r.id = m.rig_id AND r.version = m.rig_version WHERE m.shot_id = s.id), 'no machine') AS rig,
		(SELECT count(*) FROM seals x WHERE x.shot_id = s.id) AS seals, (SELECT count(*) FROM passes p
		WHERE p.shot_id = s.id) AS passes,
		(SELECT count(*) FROM takes t JOIN passes p ON p.id = t.pass_id WHERE p.shot_id = s.id) AS takes,
		EXISTS (SELECT 1 FROM shoots h WHERE h.shot_id = s.id) AS weave,
		(SELECT count(DISTINCT (x.frame, x.layer)) FROM exposures x WHERE x.shot_id = s.id
		AND x.fate = 'kept') AS taken,
		greatest(e.at, (SELECT max(t.started_at) FROM takes t JOIN passes p ON p.id = t.pass_id WHERE p.shot_id = s.id),
			(SELECT max(coalesce(x.ended_at, x.asked_at)) FROM exposures x WHERE x.shot_id = s.id)) AS changed
		FROM shots s JOIN edits e ON e.shot_id = s.id AND e.revision = s.revision ORDER BY s.code`)
	if err != nil {
		return nil, err
	}
	for i := range lines {
		if err := s.outline(ctx, &lines[i]); err != nil {
			return nil, err
		}
	}
	for i := range ps {
		ps[i].Shots = []ShotLine{}
		for _, l := range lines {
			if l.ProductionID == ps[i].ID {
				ps[i].Shots = append(ps[i].Shots, l)
			}
		}
	}
	return ps, nil
}

// Revision is the number of a shot's newest edit.
func (s *Store) Revision(ctx context.Context, shot string) (int64, error) {
	x, err := one[struct{ Revision int64 }](ctx, s, `SELECT revision FROM shots WHERE id = $1`, shot)
	if err != nil {
		return 0, err
	}
	return x.Revision, nil
}

// outline draws a shot's line. What is wrong with that one shot is said there, and keeps no
// other from being shown.
func (s *Store) outline(ctx context.Context, l *ShotLine) error {
	l.Sketch = []float64{}
	sh, err := s.Shot(ctx, l.ID)
	var d *Draft
	if err == nil {
		d, err = s.Draft(ctx, l.ID)
	}
	switch {
	case err != nil && (ctx.Err() != nil || passing(err)):
		return err
	case err != nil:
		l.Trouble = err.Error()
	default:
		l.Sketch, l.Trouble = sketch(d.Path, sh.Rig), strings.Join(sh.Troubles, "; ")
	}
	return nil
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

// placed is a machine of a shot with its newest line-up.
type placed struct {
	Name    string
	Doc     *rig.Rig
	XM      float64
	YM      float64
	ZM      float64
	TurnDeg float64
	LineUp  *journal.LineUp
	Which   *string // its id
}

// Shot loads one shot, its machines as they are lined up.
func (s *Store) Shot(ctx context.Context, id string) (*Shot, error) {
	sh, err := one[Shot](ctx, s.Pool,
		`SELECT s.id::text, s.code, s.title, p.title AS production, c.doc AS lens, a.doc AS set, h.px AS threshold_px,
			s.start_timecode, coalesce(s.package_id::text, '') AS package,
			s.camera_version || '/' || s.set_version || ' ' AS lined_up, EXISTS (SELECT 1 FROM shoots f
			WHERE f.shot_id = s.id) AS frames
		FROM shots s JOIN productions p ON p.id = s.production_id JOIN sets a ON a.id = s.set_id
		AND a.version = s.set_version
		JOIN cameras c ON c.id = s.camera_id AND c.version = s.camera_version JOIN thresholds h ON h.id = s.threshold_id
		AND h.version = s.threshold_version WHERE s.id = $1`, id)
	if err != nil {
		return nil, err
	}
	list, err := many[placed](ctx, s,
		`SELECT m.name, r.doc, m.x_m, m.y_m, m.z_m, m.turn_deg, l.doc AS line_up, l.id::text AS which
		FROM shot_machines m JOIN rigs r ON r.id = m.rig_id AND r.version = m.rig_version
		LEFT JOIN LATERAL (SELECT id, doc FROM lineups WHERE rig_id = m.rig_id ORDER BY at DESC, id DESC
		LIMIT 1) l ON true WHERE m.shot_id = $1 ORDER BY m.position`, id)
	if err != nil {
		return nil, err
	}
	for _, m := range list {
		day, wrong := m.LineUp.Fitted(m.Doc)
		r, err := day.Planned(m.Doc)
		if err != nil {
			return nil, fmt.Errorf("machine %s: %w", m.Name, err)
		}
		if o := sh.Lens.Optics; o != nil {
			r = r.Through(rig.Vec{o.RightM, o.ForwardM, o.UpM}, o.TurnDeg, o.TiltDeg)
		}
		sh.Machines = append(sh.Machines,
			rig.Placed{Name: m.Name, Rig: r, Place: rig.Place{At: rig.Vec{m.XM, m.YM, m.ZM}, TurnDeg: m.TurnDeg}})
		with, marks := day.Lens(sh.Lens)
		sh.Lens = with
		for _, says := range []string{wrong, marks} {
			if says != "" {
				sh.Troubles = append(sh.Troubles, says)
			}
		}
		sh.LinedUp += fmt.Sprintf("%s %s@%d %g %g %g %g ", m.Name, m.Doc.ID, m.Doc.Version, m.XM, m.YM, m.ZM, m.TurnDeg)
		if m.Which != nil {
			sh.LinedUp += *m.Which
		}
	}
	sh.Rig, err = rig.Join(sh.Machines)
	return sh, err
}

// HasShot reports whether there is a shot.
func (s *Store) HasShot(ctx context.Context, id string) (there bool, err error) {
	err = s.Pool.QueryRow(ctx, `SELECT EXISTS (SELECT 1 FROM shots WHERE id = $1)`, id).Scan(&there)
	return there, err
}

// AddProduction makes a production.
func (s *Store) AddProduction(ctx context.Context, p Production) error {
	_, err := s.exec(ctx, `INSERT INTO productions (id, number, title, place) VALUES ($1, $2, $3, $4)`, p.ID, p.Number,
		p.Title, p.Place)
	return err
}

// ErrTaken is returned for a shot code that is in use.
var ErrTaken = errors.New("this production has a shot of that code already; choose another")

// AddShot makes a shot with its first path and its passes. Its set and camera become
// the first versions of their own.
func (s *Store) AddShot(ctx context.Context, production string, sh *Shot, who journal.Person, p *path.Path,
	passes []Pass) error {
	err := s.tx(ctx, func(tx pgx.Tx) error {
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		set, camera, threshold := journal.NewID(), journal.NewID(), journal.NewID()
		if _, err := AddSet(ctx, tx, set, sh.Set); err != nil {
			return err
		}
		if _, err := AddCamera(ctx, tx, camera, sh.Lens); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO thresholds (id, version, px) VALUES ($1, 1, $2)`, threshold,
			trace.ThresholdPx); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx,
			`INSERT INTO shots (id, production_id, code, title, set_id, set_version, camera_id, camera_version,
				threshold_id, threshold_version) VALUES ($1,$2,$3,$4,$5,1,$6,1,$7,1)`,
			sh.ID, production, sh.Code, sh.Title, set, camera, threshold); err != nil {
			return err
		}
		// It is shot with the package of its camera's name, where there is one.
		if _, err := tx.Exec(ctx,
			`UPDATE shots SET package_id = (SELECT p.id FROM packages p WHERE p.doc->'lens'->>'name' = $2
				ORDER BY p.at DESC LIMIT 1) WHERE id = $1`, sh.ID, sh.Lens.Name); err != nil {
			return err
		}
		for i, m := range sh.Machines {
			if _, err := tx.Exec(ctx,
				`INSERT INTO shot_machines (shot_id, position, name, rig_id, rig_version, x_m, y_m, z_m, turn_deg)
					VALUES ($1,$2,$3,$4,$5,$6,$7,$8,$9)`,
				sh.ID, i+1, m.Name, m.Rig.ID, m.Rig.Version, m.Place.At[0], m.Place.At[1], m.Place.At[2],
				m.Place.TurnDeg); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx,
			`INSERT INTO edits (shot_id, revision, person_id, command, path) VALUES ($1, 0, $2, '{"op":"new"}', $3)`,
			sh.ID, person, p); err != nil {
			return err
		}
		for _, x := range passes {
			if _, err := tx.Exec(ctx,
				`INSERT INTO passes (id, shot_id, number, name, note, clock) VALUES ($1,$2,$3,$4,$5,$6)`, x.ID, sh.ID,
				x.Number, x.Name, x.Note, x.Clock); err != nil {
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

// Called are what a shot is called, and the timecode of its frame 0.
type Called struct {
	Code  string `json:"code" maxLength:"12"`
	Title string `json:"title" maxLength:"80"`
	Start string `json:"start_timecode" maxLength:"11" doc:"the timecode of frame 0, as 10:00:00:00"`
}

// Rename gives a shot another code, title or timecode of frame 0, where those are still what was
// seen of them; what is to stay as it was seen stays as it is by now. It returns what they are.
func (s *Store) Rename(ctx context.Context, shot string, seen *Called, is Called) (Called, error) {
	err := s.tx(ctx, func(tx pgx.Tx) error {
		now, err := one[Called](ctx, tx,
			`SELECT code, title, start_timecode AS start FROM shots WHERE id = $1 FOR UPDATE`, shot)
		if err != nil {
			return err
		}
		if seen == nil {
			seen = now
		}
		for _, f := range []struct {
			name      string
			seen, now string
			is        *string
		}{{"code", seen.Code, now.Code, &is.Code}, {"title", seen.Title, now.Title, &is.Title},
			{"first timecode", seen.Start, now.Start, &is.Start}} {
			switch {
			case *f.is == f.seen:
				*f.is = f.now
			case f.now != f.seen && f.now != *f.is:
				return fmt.Errorf("%w: the %s is “%s” by now", ErrElse, f.name, f.now)
			}
		}
		_, err = tx.Exec(ctx, `UPDATE shots SET code = $2, title = $3, start_timecode = $4 WHERE id = $1`, shot,
			is.Code, is.Title, is.Start)
		return err
	})
	return is, orTaken(err)
}
