package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/journal"
)

// Sets, cameras with their lenses and thresholds are rows with versions, which never
// change once they are written: shots point to one version, takes pin it.

// Version names one version of a set, a camera or a threshold.
type Version struct {
	ID      string `json:"id"`
	Version int    `json:"version"`
}

// Pins are what a take was rolled with.
type Pins struct {
	TakeID      string
	Set         *geom.Set
	Lens        *lens.Package
	ThresholdPx float64
	LineUp      *journal.LineUp // nil: there was none yet
}

// next is the version after the newest of an id.
func next(table string) string {
	return `(SELECT coalesce(max(version), 0) + 1 FROM ` + table + ` WHERE id = $1)`
}

// AddSet stores a set as the next version of an id.
func AddSet(ctx context.Context, tx pgx.Tx, id string, v *geom.Set) (n int, err error) {
	return n, tx.QueryRow(ctx, `INSERT INTO sets (id, version, doc) VALUES ($1, `+next("sets")+
		`, $2) RETURNING version`, id, v).Scan(&n)
}

// AddCamera stores a camera with its lens as the next version of an id.
func AddCamera(ctx context.Context, tx pgx.Tx, id string, v *lens.Package) (n int, err error) {
	return n, tx.QueryRow(ctx, `INSERT INTO cameras (id, version, doc) VALUES ($1, `+next("cameras")+
		`, $2) RETURNING version`, id, v).Scan(&n)
}

// SetThreshold makes another version of a shot's largest error at which passes
// stack, points the shot to it, and has the shot's takes judged by it; if it is what was seen of
// it (0: whatever it is).
func (s *Store) SetThreshold(ctx context.Context, shot string, seen, px float64) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		var id string
		var n int
		var now float64
		if err := tx.QueryRow(ctx,
			`SELECT s.threshold_id::text, t.px FROM shots s JOIN thresholds t ON t.id = s.threshold_id
				AND t.version = s.threshold_version WHERE s.id = $1`, shot).Scan(&id, &now); err != nil {
			return err
		}
		if seen != 0 && seen != now && px != now {
			return fmt.Errorf("%w: passes stack under %g px by now", ErrElse, now)
		}
		if err := tx.QueryRow(ctx, `INSERT INTO thresholds (id, version, px) VALUES ($1, `+next("thresholds")+
			`, $2) RETURNING version`, id, px).Scan(&n); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE shots SET threshold_version = $2 WHERE id = $1`, shot, n); err != nil {
			return err
		}
		_, err := tx.Exec(ctx,
			`UPDATE takes SET threshold_id = $2, threshold_version = $3 FROM passes p WHERE p.id = takes.pass_id
				AND p.shot_id = $1`, shot, id, n)
		return err
	})
}

// ChangeSet makes another version of a shot's set and points the shot to it. Takes
// keep the one they were rolled in.
func (s *Store) ChangeSet(ctx context.Context, shot string, v *geom.Set) error {
	return s.change(ctx, shot, "set", func(ctx context.Context, tx pgx.Tx, id string) (int, error) {
		return AddSet(ctx, tx, id, v)
	})
}

// ChangeCamera makes another version of a shot's camera and points the shot to it.
// Takes keep the one they were rolled with.
func (s *Store) ChangeCamera(ctx context.Context, shot string, v *lens.Package) error {
	return s.change(ctx, shot, "camera", func(ctx context.Context, tx pgx.Tx, id string) (int, error) {
		return AddCamera(ctx, tx, id, v)
	})
}

func (s *Store) change(ctx context.Context, shot, what string, add func(context.Context, pgx.Tx, string) (int,
	error)) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		var id string
		if err := tx.QueryRow(ctx, `SELECT `+what+`_id::text FROM shots WHERE id = $1`, shot).Scan(&id); err != nil {
			return err
		}
		n, err := add(ctx, tx, id)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `UPDATE shots SET `+what+`_version = $2 WHERE id = $1`, shot, n)
		return err
	})
}

const pins = `SELECT t.id::text AS take_id, a.doc AS set, c.doc AS lens, h.px AS threshold_px, l.doc AS line_up
	FROM takes t JOIN sets a ON a.id = t.set_id AND a.version = t.set_version
	JOIN cameras c ON c.id = t.camera_id AND c.version = t.camera_version JOIN thresholds h ON h.id = t.threshold_id
	AND h.version = t.threshold_version
	LEFT JOIN lineups l ON l.id = t.lineup_id `

// Pins are what a take was rolled with.
func (s *Store) Pins(ctx context.Context, take string) (*Pins, error) {
	return one[Pins](ctx, s.Pool, pins+`WHERE t.id = $1`, take)
}

// PinsOf are what each of a shot's takes was rolled with, by take.
func (s *Store) PinsOf(ctx context.Context, shot string) (map[string]*Pins, error) {
	list, err := many[Pins](ctx, s, pins+`JOIN passes p ON p.id = t.pass_id WHERE p.shot_id = $1`, shot)
	out := make(map[string]*Pins, len(list))
	for i := range list {
		out[list[i].TakeID] = &list[i]
	}
	return out, err
}

// LineUpRow is a line-up as it is kept: who made it, when.
type LineUpRow struct {
	ID      string          `json:"id"`
	Version int64           `json:"version" doc:"its number among the machine's, from 1"`
	RigID   string          `json:"machine"`
	At      time.Time       `json:"at"`
	By      journal.Person  `json:"by"`
	Doc     *journal.LineUp `json:"line_up"`
}

const lineUps = `SELECT l.id::text, row_number() OVER (ORDER BY l.at, l.id) AS version, l.rig_id, l.at, ` + asPerson +
	` AS by, l.doc FROM lineups l JOIN people w ON w.id = l.person_id WHERE l.rig_id = $1 ORDER BY l.at DESC, l.id DESC`

// LineUps are a machine's line-ups, the newest first.
func (s *Store) LineUps(ctx context.Context, machine string, most int) ([]LineUpRow, error) {
	return many[LineUpRow](ctx, s, lineUps+` LIMIT $2`, machine, most)
}

// AddLineUp keeps a line-up that was made of another, by its id (empty: of none); it is the
// machine's from now on. Where that one is not the newest any more it is a LinedUpError.
func (s *Store) AddLineUp(ctx context.Context, who journal.Person, machine, on string, l *journal.LineUp) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock(hashtextextended('line-up of ' || $1, 0))`,
			machine); err != nil {
			return err
		}
		rows, err := many[LineUpRow](ctx, tx, lineUps+` LIMIT 1`, machine)
		if err != nil {
			return err
		}
		if newest := append(rows, LineUpRow{})[0]; newest.ID != on {
			return &LinedUpError{newest}
		}
		// Later than the one that it is made of, whenever this began.
		_, err = tx.Exec(ctx,
			`INSERT INTO lineups (id, rig_id, at, person_id, doc) VALUES ($1, $2, clock_timestamp(), $3, $4)`,
			journal.NewID(), machine, person, l)
		return err
	})
}

// LinedUpError is returned where somebody has lined a machine up meanwhile.
type LinedUpError struct{ By LineUpRow }

func (e *LinedUpError) Error() string {
	if e.By.ID == "" {
		return "there is no line-up yet that this could be made of; load the machine again"
	}
	return fmt.Sprintf("%s lined this machine up at %s; look at what it is now, then change it", e.By.By.Name,
		e.By.At.Local().Format("15:04:05"))
}
