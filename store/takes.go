package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/journal"
)

// Pass is one pass of a shot.
type Pass struct {
	ID     string `json:"id"`
	Number int    `json:"number"`
	Name   string `json:"name"`
	Note   string `json:"note"`
	// Clock is what it runs on; takes pin their own copy.
	Clock clock.Spec `json:"clock_spec"`
	// Chosen is the take that somebody chose, if anybody did.
	Chosen *string `json:"chosen_by_hand,omitempty"`
}

// TakeLine is a take without its trace.
type TakeLine struct {
	ID        string         `json:"id"`
	PassID    string         `json:"pass"`
	SealID    string         `json:"seal"`
	Number    int            `json:"number"`
	By        journal.Person `json:"by"`
	Machine   string         `json:"machine" doc:"the rig's id"`
	Clock     clock.Spec     `json:"clock_spec" doc:"what it ran on"`
	StartedAt time.Time      `json:"started_at"`
	Ended     bool           `json:"ended"`
	Broken    bool           `json:"broken"`
	Why       string         `json:"why"`
	Frame     float64        `json:"frame"`
	Rows      int            `json:"rows"`
}

// Passes lists a shot's passes.
func (s *Store) Passes(ctx context.Context, shot string) ([]Pass, error) {
	return many[Pass](ctx, s,
		`SELECT id::text, number, name, note, clock, chosen::text FROM passes WHERE shot_id = $1 ORDER BY number`, shot)
}

// Pass loads one pass.
func (s *Store) Pass(ctx context.Context, id string) (*Pass, error) {
	return one[Pass](ctx, s.Pool, `SELECT id::text, number, name, note, clock, chosen::text FROM passes WHERE id = $1`,
		id)
}

// Choose makes a take of the pass its chosen one; without a take the last whole
// one is it again.
func (s *Store) Choose(ctx context.Context, pass, take string) error {
	var id any
	if take != "" {
		id = take
	}
	t, err := s.exec(ctx,
		`UPDATE passes SET chosen = $2 WHERE id = $1 AND ($2::uuid IS NULL OR EXISTS (SELECT 1 FROM takes WHERE id = $2
			AND pass_id = $1 AND ended))`, pass, id)
	if err == nil && t.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// ChangePass changes a pass's name, note and clock, on what they are at that moment: changes of
// different things that come side by side are all made.
func (s *Store) ChangePass(ctx context.Context, id string, change func(*Pass) error) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		p, err := one[Pass](ctx, tx,
			`SELECT id::text, number, name, note, clock, chosen::text FROM passes WHERE id = $1 FOR UPDATE`, id)
		if err != nil {
			return err
		}
		if err := change(p); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `UPDATE passes SET name = $2, note = $3, clock = $4 WHERE id = $1`, id, p.Name,
			p.Note, p.Clock)
		return err
	})
}

// Takes lists a shot's takes in the order in which they were rolled.
func (s *Store) Takes(ctx context.Context, shot string) ([]TakeLine, error) {
	return many[TakeLine](ctx, s, `SELECT t.id::text, t.pass_id::text, t.seal_id::text, t.number, `+asPerson+
		` AS by, t.machine, t.clock, t.started_at, t.ended, t.broken, t.why, t.frame, t.rows
		FROM takes t JOIN passes p ON p.id = t.pass_id JOIN people w ON w.id = t.person_id WHERE p.shot_id = $1
		ORDER BY t.started_at`, shot)
}

// TakeShot is the shot a take belongs to.
func (s *Store) TakeShot(ctx context.Context, take string) (string, error) {
	var id string
	err := s.Pool.QueryRow(ctx, `SELECT p.shot_id::text FROM takes t JOIN passes p ON p.id = t.pass_id WHERE t.id = $1`,
		take).Scan(&id)
	if err == pgx.ErrNoRows {
		err = ErrNotFound
	}
	return id, err
}

// BeginTake numbers a take and writes it down, with what it is rolled with: the
// shot's set, camera and threshold, and the machine's newest line-up.
func (s *Store) BeginTake(ctx context.Context, t *journal.Take) error {
	person, err := know(ctx, s.Pool, t.By)
	if err != nil {
		return err
	}
	return s.Pool.QueryRow(ctx,
		`INSERT INTO takes (id, pass_id, seal_id, number, person_id, started_at, axes, units, machine, clock, set_id,
			set_version, camera_id, camera_version, threshold_id, threshold_version, every_ms, lineup_id)
		SELECT $1, p.id, x.id, 1 + (SELECT coalesce(max(number), 0) FROM takes WHERE pass_id = p.id), $3, $4, $5, $6,
		$8, $9, s.set_id, s.set_version, s.camera_id, s.camera_version, s.threshold_id, s.threshold_version, $10,
			(SELECT l.id FROM lineups l WHERE l.rig_id = $8 ORDER BY l.at DESC, l.id DESC LIMIT 1)
		FROM passes p JOIN shots s ON s.id = p.shot_id JOIN seals x ON x.shot_id = p.shot_id
		AND x.fingerprint = decode($7, 'hex') WHERE p.id = $2 RETURNING number`,
		t.ID, t.PassID, person, t.Started, t.Axes, t.Units, t.Print, t.Machine, t.Clock, max(t.EveryMS,
			1)).Scan(&t.Number)
}

// EndTake writes down how a take ended. A take whose rest was fetched later ends
// again, with more rows; never with fewer. What was judged of it is judged anew. What
// is said of it, if anything, stands in the log at the same moment.
func (s *Store) EndTake(ctx context.Context, t *journal.Take, says *journal.Entry) error {
	tick := int64(0)
	if t.Trace != nil {
		tick = t.Trace.Tick
	}
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx,
			`UPDATE takes SET ended = true, broken = $2, why = $3, frame = $4, rows = $5, first_tick_ms = $6,
				last_beat_tick_ms = $7, brake_tick_ms = $8, clock = $9
			WHERE id = $1 AND (NOT ended OR rows <= $5)`, t.ID, t.Broken, t.Why, t.Frame, t.Rows, tick, t.LastBeat,
			t.BrakeAt, t.Clock); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `DELETE FROM findings WHERE take_id = $1 OR against = $1`, t.ID); err != nil {
			return err
		}
		if says == nil {
			return nil
		}
		return addLog(ctx, tx, *says)
	})
}

// Take loads a take with its trace.
func (s *Store) Take(ctx context.Context, id string) (*journal.Take, error) {
	t := &journal.Take{ID: id, Trace: &trace.Trace{}}
	var axes []string
	var units []rig.Ratio
	var pass int
	var name string
	err := s.Pool.QueryRow(ctx,
		`SELECT t.pass_id::text, p.shot_id::text, p.number, p.name, encode(x.fingerprint, 'hex'), t.number, `+asPerson+
			`, t.machine, t.clock, t.started_at, t.ended, t.broken, t.why, t.frame, t.rows,
		t.first_tick_ms, t.last_beat_tick_ms, t.brake_tick_ms, t.axes, t.units, t.every_ms
		FROM takes t JOIN passes p ON p.id = t.pass_id JOIN seals x ON x.id = t.seal_id
		JOIN people w ON w.id = t.person_id WHERE t.id = $1`, id).
		Scan(&t.PassID, &t.Shot, &pass, &name, &t.Print, &t.Number, &t.By, &t.Machine, &t.Clock, &t.Started, &t.Ended,
			&t.Broken, &t.Why, &t.Frame, &t.Rows, &t.Trace.Tick, &t.LastBeat, &t.BrakeAt, &axes, &units, &t.EveryMS)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, ErrNotFound
	} else if err != nil {
		return nil, err
	}
	t.Label = journal.Label(pass, name, t.Number)
	t.Trace.Every = t.EveryMS
	t.Axes, t.Units, t.Trace.Axes, t.Trace.Units, t.Trace.Steps = axes, units, axes, units, make([][]int32, len(axes))
	if err := s.loadTrace(ctx, id, t.Trace); err != nil {
		return nil, err
	}
	return t, nil
}

// Unfinished lists the takes of a machine that were begun and never ended, oldest first.
func (s *Store) Unfinished(ctx context.Context, machine string) ([]string, error) {
	rows, err := s.Pool.Query(ctx, `SELECT id::text FROM takes WHERE NOT ended AND machine = $1 ORDER BY started_at`,
		machine)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
