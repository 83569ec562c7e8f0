package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/weave"
	"keenarc/journal"
)

// exposure is a row of exposures.
type exposure struct {
	ID, Shot, Layer, Fate, Why, Seal string
	Frame, Number                    int
	Pose                             map[string]float64
	Machine, Boot                    string
	By                               journal.Person
	AskedAt                          time.Time
	EndedAt                          *time.Time
	Picture                          *string
}

const exposed = `SELECT e.id::text, e.shot_id::text AS shot, e.layer, e.fate, e.why, e.seal_id::text AS seal, e.frame,
	e.number, e.pose, e.machine, e.boot, ` + asPerson + ` AS by, e.asked_at, e.ended_at, e.picture
	FROM exposures e JOIN people w ON w.id = e.person_id `

func (e *exposure) whole() journal.Exposure {
	out := journal.Exposure{Exposure: weave.Exposure{Cell: weave.Cell{Frame: e.Frame, Layer: e.Layer}, ID: e.ID,
		Number: e.Number, Fate: weave.Fate(e.Fate)},
		Shot: e.Shot, Seal: e.Seal, Pose: e.Pose, Why: e.Why, By: e.By, AskedAt: e.AskedAt, EndedAt: e.EndedAt,
		Machine: e.Machine, Boot: e.Boot}
	if e.Picture != nil {
		out.Picture = *e.Picture
	}
	return out
}

func exposures(ctx context.Context, q querier, where string, args ...any) ([]journal.Exposure, error) {
	rows, err := many[exposure](ctx, q, exposed+where+` ORDER BY e.asked_at, e.id`, args...)
	out := make([]journal.Exposure, len(rows))
	for i := range rows {
		out[i] = rows[i].whole()
	}
	return out, err
}

// shootRow is a row of shoots with its newest turn.
type shootRow struct {
	Scheme    weave.Scheme
	Revision  int64
	Seal      *string
	Declined  *string
	Turn      weave.Turn
	Turns     int64
	Words     string
	Exposures int
	BackTo    *int
}

// Shoot loads a shoot whole, as it was at one moment; a shot that is not taken frame by frame
// has none (ErrNotFound).
func (s *Store) Shoot(ctx context.Context, shot string) (h *journal.Shoot, err error) {
	err = s.still(ctx, func(q querier) error {
		h, err = shoot(ctx, q, shot)
		return err
	})
	return h, err
}

func shoot(ctx context.Context, q querier, shot string) (*journal.Shoot, error) {
	h, err := one[shootRow](ctx, q,
		`SELECT h.scheme, h.revision, h.seal_id::text AS seal, h.declined::text, t.turn, t.number AS turns, t.words,
			t.exposures, t.back_to
		FROM shoots h JOIN LATERAL (SELECT * FROM turns WHERE shot_id = h.shot_id ORDER BY number DESC
		LIMIT 1) t ON true WHERE h.shot_id = $1`, shot)
	if err != nil {
		return nil, err
	}
	out := &journal.Shoot{Shot: shot, Scheme: h.Scheme, Revision: h.Revision, Turn: h.Turn, Turns: h.Turns,
		Notes: map[int]string{}}
	if h.Seal != nil {
		out.Seal = *h.Seal
	}
	if h.Declined != nil {
		out.Declined = *h.Declined
	}
	if out.Exposures, err = exposures(ctx, q, `WHERE e.shot_id = $1`, shot); err != nil {
		return nil, err
	}
	if h.BackTo != nil && h.Exposures == len(out.Exposures) {
		out.Undo = h.Words
	}
	notes, err := many[struct {
		Frame int
		Text  string
	}](ctx, q, `SELECT frame, text FROM frame_notes WHERE shot_id = $1`, shot)
	if err != nil {
		return nil, err
	}
	for _, n := range notes {
		out.Notes[n.Frame] = n.Text
	}
	steps, err := many[weave.Step](ctx, q, `SELECT frame, phase, at FROM frame_steps WHERE shot_id = $1 ORDER BY seq`,
		shot)
	out.Spent = weave.Times(steps)
	return out, err
}

// AddShoot makes a shot one that is taken frame by frame.
func (s *Store) AddShoot(ctx context.Context, who journal.Person, shot string, scheme *weave.Scheme,
	notes map[int]string) error {
	if err := scheme.Check(); err != nil {
		return err
	}
	first := weave.Turn{At: weave.Cell{Frame: scheme.First, Layer: scheme.Layers[0].ID}, Marks: []weave.Mark{}}
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO shoots (shot_id, scheme) VALUES ($1, $2)`, shot, scheme); err != nil {
			return err
		}
		if err := pastScheme(ctx, tx, who, shot, 1, scheme); err != nil {
			return err
		}
		for f, t := range notes {
			if err := note(ctx, tx, shot, f, t); err != nil {
				return err
			}
		}
		return addTurn(ctx, tx, who, shot, "", first, nil)
	})
}

func note(ctx context.Context, tx pgx.Tx, shot string, frame int, text string) error {
	sql, args :=
		`INSERT INTO frame_notes (shot_id, frame, text) VALUES ($1, $2, $3) ON CONFLICT (shot_id, frame) DO UPDATE
			SET text = $3`, []any{shot, frame, text}
	if text == "" {
		sql, args = `DELETE FROM frame_notes WHERE shot_id = $1 AND frame = $2`, []any{shot, frame}
	}
	_, err := tx.Exec(ctx, sql, args...)
	return err
}

// Note sets the note for the hands at a frame, if it is what was seen of it (nil: whatever it
// is); an empty one takes it away.
func (s *Store) Note(ctx context.Context, shot string, frame int, seen *string, text string) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		var now string
		if err := tx.QueryRow(ctx,
			`SELECT coalesce((SELECT text FROM frame_notes WHERE shot_id = h.shot_id AND frame = $2), '') FROM shoots h
				WHERE shot_id = $1 FOR UPDATE`, shot, frame).Scan(&now); err != nil {
			return err
		}
		if seen != nil && now != *seen && now != text {
			return fmt.Errorf("%w: the note at %04d is “%s” by now", ErrElse, frame, now)
		}
		return note(ctx, tx, shot, frame, text)
	})
}

func addTurn(ctx context.Context, tx pgx.Tx, who journal.Person, shot, words string, t weave.Turn, backTo *int) error {
	person, err := know(ctx, tx, who)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `INSERT INTO turns (shot_id, number, person_id, words, turn, exposures, back_to)
		SELECT $1, coalesce(max(number), 0) + 1, $2, $3, $4, (SELECT count(*) FROM exposures WHERE shot_id = $1),
		coalesce($5, max(number)) FROM turns WHERE shot_id = $1`, shot, person, words, t, backTo)
	return err
}

// Turn makes a command's outcome where the shoot stands.
func (s *Store) Turn(ctx context.Context, who journal.Person, shot, words string, work func(*journal.Shoot) (weave.Turn,
	error)) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SELECT 1 FROM shoots WHERE shot_id = $1 FOR UPDATE`, shot); err != nil {
			return err
		}
		h, err := shoot(ctx, tx, shot)
		if err != nil {
			return err
		}
		t, err := work(h)
		if err != nil {
			return err
		}
		return addTurn(ctx, tx, who, shot, words, t, nil)
	})
}

// ErrNothingBack is returned where nothing can be taken back.
var ErrNothingBack = errors.New("there is nothing to take back: what was done last was exposed since, and " +
	"stays; take " +
	"the frame once more instead")

// UndoTurn takes the last command back, where nothing was exposed since.
func (s *Store) UndoTurn(ctx context.Context, who journal.Person, shot string) (words string, err error) {
	err = s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SELECT 1 FROM shoots WHERE shot_id = $1 FOR UPDATE`, shot); err != nil {
			return err
		}
		type row struct {
			Words  string
			Below  string
			Turn   weave.Turn
			Before int
			BackTo *int
			Same   bool
		}
		r, err := one[row](ctx, tx,
			`SELECT t.words, b.words AS below, b.turn, b.exposures AS before, b.back_to, t.exposures = (SELECT count(*)
				FROM exposures WHERE shot_id = $1) AS same
			FROM turns t JOIN turns b ON b.shot_id = t.shot_id AND b.number = t.back_to WHERE t.shot_id = $1
			AND t.number = (SELECT max(number) FROM turns WHERE shot_id = $1)`, shot)
		if errors.Is(err, ErrNotFound) || err == nil && !r.Same {
			return ErrNothingBack
		}
		if err != nil {
			return err
		}
		words = r.Words
		person, err := know(ctx, tx, who)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx,
			`INSERT INTO turns (shot_id, number, person_id, words, turn, exposures, back_to) SELECT $1, max(number) + 1,
				$2, $3, $4, $5, $6 FROM turns WHERE shot_id = $1`,
			shot, person, r.Below, r.Turn, r.Before, r.BackTo)
		return err
	})
	return words, err
}

// SetScheme gives a shoot another scheme, if the one that was seen is still the newest.
func (s *Store) SetScheme(ctx context.Context, who journal.Person, shot string, revision int64,
	scheme *weave.Scheme) error {
	if err := scheme.Check(); err != nil {
		return err
	}
	return s.tx(ctx, func(tx pgx.Tx) error {
		t, err := tx.Exec(ctx,
			`UPDATE shoots SET scheme = $3, revision = revision + 1 WHERE shot_id = $1 AND revision = $2`, shot,
			revision, scheme)
		if err == nil && t.RowsAffected() == 0 {
			err = ErrStale
		}
		if err != nil {
			return err
		}
		return pastScheme(ctx, tx, who, shot, revision+1, scheme)
	})
}

func pastScheme(ctx context.Context, tx pgx.Tx, who journal.Person, shot string, revision int64,
	scheme *weave.Scheme) error {
	person, err := know(ctx, tx, who)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `INSERT INTO schemes (shot_id, revision, at, person_id, doc) VALUES ($1, $2, now(), $3, $4)`,
		shot, revision, person, scheme)
	return err
}

// Schemes are what a shoot's scheme was, the newest first.
func (s *Store) Schemes(ctx context.Context, shot string) ([]Past[weave.Scheme], error) {
	return many[Past[weave.Scheme]](ctx, s,
		`SELECT x.revision AS version, x.at, CASE WHEN w.id IS NULL THEN jsonb_build_object('name', '') ELSE `+asPerson+
			` END AS by, x.doc
		FROM schemes x LEFT JOIN people w ON w.id = x.person_id WHERE x.shot_id = $1 ORDER BY x.revision DESC LIMIT $2`,
		shot, mostPast)
}

// Pin says which sealed path a shoot's frames are taken on from now.
func (s *Store) Pin(ctx context.Context, shot, seal string) error {
	_, err := s.exec(ctx, `UPDATE shoots SET seal_id = $2, declined = NULL WHERE shot_id = $1`, shot, seal)
	return err
}

// Decline says which newer path a shoot is not to go on with.
func (s *Store) Decline(ctx context.Context, shot, seal string) error {
	_, err := s.exec(ctx, `UPDATE shoots SET declined = $2 WHERE shot_id = $1`, shot, seal)
	return err
}

// Phase writes down that a phase begins at a frame.
func (s *Store) Phase(ctx context.Context, shot string, frame int, p weave.Phase) error {
	_, err := s.exec(ctx, `INSERT INTO frame_steps (shot_id, frame, phase) VALUES ($1, $2, $3)`, shot, frame, p)
	return err
}

// Interrupted ends the phases that were going on in every shoot.
func (s *Store) Interrupted(ctx context.Context) error {
	_, err := s.exec(ctx,
		`INSERT INTO frame_steps (shot_id, frame, phase) SELECT l.shot_id, l.frame, 'away' FROM shoots h
		JOIN LATERAL (SELECT shot_id, frame, phase FROM frame_steps WHERE shot_id = h.shot_id ORDER BY seq DESC
		LIMIT 1) l ON l.phase <> 'away'`)
	return err
}

func step(ctx context.Context, tx pgx.Tx, shot string, frame int, p weave.Phase) error {
	_, err := tx.Exec(ctx, `INSERT INTO frame_steps (shot_id, frame, phase) VALUES ($1, $2, $3)`, shot, frame, p)
	return err
}

// ErrOpen is returned for a cell with an exposure of which it is not known what became.
var ErrOpen = errors.New("this cell has an exposure that is uncertain; look at it and answer first")

// Ask writes an exposure down before its camera is told, and the step. Under the shoot's lock
// it is looked whether the shoot stands as it did when that was decided.
func (s *Store) Ask(ctx context.Context, e *journal.Exposure, on journal.Stands) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		person, err := know(ctx, tx, e.By)
		if err != nil {
			return err
		}
		var is journal.Stands
		var number, open int
		var path bool
		if err := tx.QueryRow(ctx,
			`SELECT revision, coalesce(seal_id = $2, true) FROM shoots WHERE shot_id = $1 FOR UPDATE`, e.Shot,
			e.Seal).Scan(&is.Scheme, &path); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx,
			`SELECT (SELECT max(number) FROM turns WHERE shot_id = $1), coalesce(max(number), 0) + 1,
				count(*) FILTER (WHERE fate IN ('asked', 'uncertain'))
			FROM exposures WHERE shot_id = $1 AND layer = $2 AND frame = $3`, e.Shot, e.Layer, e.Frame).Scan(&is.Turns,
			&number, &open); err != nil {
			return err
		}
		switch {
		case open > 0:
			return ErrOpen
		case number != e.Number || is != on || !path:
			return journal.ErrElse
		}
		e.Fate = weave.Asked
		if _, err := tx.Exec(ctx,
			`INSERT INTO exposures (id, shot_id, layer, frame, number, fate, seal_id, pose, machine, boot, person_id)
				VALUES ($1,$2,$3,$4,$5,$6,$7,$8,$9,$10,$11)`,
			e.ID, e.Shot, e.Layer, e.Frame, e.Number, e.Fate, e.Seal, e.Pose, e.Machine, e.Boot, person); err != nil {
			return err
		}
		return step(ctx, tx, e.Shot, e.Frame, weave.Exposing)
	})
}

// Keep stores the picture, its thumbnail, what became of the exposure and the step, all
// or nothing. Doing it again changes nothing.
func (s *Store) Keep(ctx context.Context, id string, fate weave.Fate, why string, png []byte) error {
	hash, small, err := thumbnail(png)
	if err != nil {
		return err
	}
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO pictures (hash, png) VALUES ($1, $2) ON CONFLICT DO NOTHING`, hash,
			png); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO thumbnails (hash, png) VALUES ($1, $2) ON CONFLICT DO NOTHING`, hash,
			small); err != nil {
			return err
		}
		return end(ctx, tx, id, fate, why, &hash)
	})
}

// Became says what became of an exposure without a new picture.
func (s *Store) Became(ctx context.Context, id string, fate weave.Fate, why string) error {
	return s.tx(ctx, func(tx pgx.Tx) error { return end(ctx, tx, id, fate, why, nil) })
}

// end changes an exposure that is asked or uncertain; what is decided stays, and is ErrDecided
// unless it is the same.
func end(ctx context.Context, tx pgx.Tx, id string, fate weave.Fate, why string, hash *string) error {
	var shot string
	var frame int
	err := tx.QueryRow(ctx,
		`UPDATE exposures SET fate = $2, why = $3, ended_at = coalesce(ended_at, clock_timestamp()),
			picture = coalesce($4, picture)
		WHERE id = $1 AND fate IN ('asked', 'uncertain') RETURNING shot_id::text, frame`, id, fate, why,
		hash).Scan(&shot, &frame)
	if errors.Is(err, pgx.ErrNoRows) {
		var same bool
		err := tx.QueryRow(ctx,
			`SELECT fate = $2 AND picture IS NOT DISTINCT FROM coalesce($3, picture) FROM exposures WHERE id = $1`, id,
			fate, hash).Scan(&same)
		switch {
		case errors.Is(err, pgx.ErrNoRows):
			return fmt.Errorf("exposure %s: %w", id, journal.ErrUnknown)
		case err == nil && !same:
			return journal.ErrDecided
		}
		return err
	}
	if err != nil {
		return err
	}
	return step(ctx, tx, shot, frame, weave.Keeping)
}

// Unknown are the exposures of which nothing is known yet, of all shoots.
func (s *Store) Unknown(ctx context.Context) ([]journal.Exposure, error) {
	return exposures(ctx, s, `WHERE e.fate = 'asked'`)
}

// Exposed is one exposure, or journal.ErrUnknown.
func (s *Store) Exposed(ctx context.Context, id string) (*journal.Exposure, error) {
	list, err := exposures(ctx, s, `WHERE e.id = $1`, id)
	if err == nil && len(list) == 0 {
		return nil, fmt.Errorf("exposure %s: %w", id, journal.ErrUnknown)
	}
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}
