package store

import (
	"context"
	"encoding/binary"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/zstd"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/journal"
)

// Pass is one pass of a shot.
type Pass struct {
	ID        string `json:"id"`
	Number    int    `json:"number"`
	Name      string `json:"name"`
	Note      string `json:"note"`
	FactorNum int64  `json:"factor_num"`
	FactorDen int64  `json:"factor_den"`
}

// Factor is the pass's rate factor.
func (p *Pass) Factor() clock.Rate { return clock.Rate{Num: p.FactorNum, Den: p.FactorDen} }

// TakeLine is a take without its trace.
type TakeLine struct {
	ID        string    `json:"id"`
	PassID    string    `json:"pass"`
	SealID    string    `json:"seal"`
	Number    int       `json:"number"`
	Actor     string    `json:"by"`
	StartedAt time.Time `json:"started_at"`
	Ended     bool      `json:"ended"`
	Broken    bool      `json:"broken"`
	Why       string    `json:"why"`
	Frame     float64   `json:"frame"`
	Rows      int       `json:"rows"`
}

// Passes lists a shot's passes.
func (s *Store) Passes(ctx context.Context, shot string) ([]Pass, error) {
	return many[Pass](ctx, s, `SELECT id::text, number, name, note, factor_num, factor_den FROM passes WHERE shot_id = $1 ORDER BY number`, shot)
}

// Pass loads one pass.
func (s *Store) Pass(ctx context.Context, id string) (*Pass, error) {
	return one[Pass](ctx, s.Pool, `SELECT id::text, number, name, note, factor_num, factor_den FROM passes WHERE id = $1`, id)
}

// SetPass changes a pass's name, note and clock.
func (s *Store) SetPass(ctx context.Context, p Pass) error {
	t, err := s.Pool.Exec(ctx, `UPDATE passes SET name = $2, note = $3, factor_num = $4, factor_den = $5 WHERE id = $1`, p.ID, p.Name, p.Note, p.FactorNum, p.FactorDen)
	if err == nil && t.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// Takes lists a shot's takes in the order in which they were rolled.
func (s *Store) Takes(ctx context.Context, shot string) ([]TakeLine, error) {
	return many[TakeLine](ctx, s, `SELECT t.id::text, t.pass_id::text, t.seal_id::text, t.number, t.actor, t.started_at, t.ended, t.broken, t.why, t.frame, t.rows
		FROM takes t JOIN passes p ON p.id = t.pass_id WHERE p.shot_id = $1 ORDER BY t.started_at`, shot)
}

// TakeShot is the shot a take belongs to.
func (s *Store) TakeShot(ctx context.Context, take string) (string, error) {
	var id string
	err := s.Pool.QueryRow(ctx, `SELECT p.shot_id::text FROM takes t JOIN passes p ON p.id = t.pass_id WHERE t.id = $1`, take).Scan(&id)
	if err == pgx.ErrNoRows {
		err = ErrNotFound
	}
	return id, err
}

// BeginTake numbers a take and writes it down.
func (s *Store) BeginTake(ctx context.Context, t *journal.Take) error {
	return s.Pool.QueryRow(ctx, `INSERT INTO takes (id, pass_id, seal_id, number, actor, started_at, axes, units)
		SELECT $1, p.id, x.id, 1 + (SELECT coalesce(max(number), 0) FROM takes WHERE pass_id = p.id), $3, $4, $5, $6
		FROM passes p JOIN seals x ON x.shot_id = p.shot_id AND encode(x.fingerprint, 'hex') = $7 WHERE p.id = $2 ORDER BY x.version DESC LIMIT 1 RETURNING number`,
		t.ID, t.PassID, t.By, t.Started, t.Axes, t.Units, t.Print).Scan(&t.Number)
}

// EndTake writes down how a take ended.
func (s *Store) EndTake(ctx context.Context, t *journal.Take) error {
	tick := int64(0)
	if t.Trace != nil {
		tick = t.Trace.Tick
	}
	_, err := s.Pool.Exec(ctx, `UPDATE takes SET ended = true, broken = $2, why = $3, frame = $4, rows = $5, first_tick_ms = $6, last_beat_tick_ms = $7, brake_tick_ms = $8 WHERE id = $1`,
		t.ID, t.Broken, t.Why, t.Frame, t.Rows, tick, t.LastBeat, t.BrakeAt)
	return err
}

// AddRows stores a stretch of trace: frame positions (int64) then one int32
// column per axis, little-endian, zstd. A stretch stored already is left alone.
func (s *Store) AddRows(ctx context.Context, take string, from int, pos []clock.Pos, steps [][]int32) error {
	raw := make([]byte, 0, len(pos)*(8+4*len(steps)))
	for _, p := range pos {
		raw = binary.LittleEndian.AppendUint64(raw, uint64(p))
	}
	for _, col := range steps {
		for _, v := range col {
			raw = binary.LittleEndian.AppendUint32(raw, uint32(v))
		}
	}
	w, err := zstd.NewWriter(nil)
	if err != nil {
		return err
	}
	defer w.Close()
	_, err = s.Pool.Exec(ctx, `INSERT INTO trace_chunks (take_id, from_row, rows, data_zstd) VALUES ($1,$2,$3,$4) ON CONFLICT DO NOTHING`, take, from, len(pos), w.EncodeAll(raw, nil))
	return err
}

// Take loads a take with its trace.
func (s *Store) Take(ctx context.Context, id string) (*journal.Take, error) {
	t := &journal.Take{ID: id, Trace: &trace.Trace{}}
	var axes []string
	var units []rig.Ratio
	err := s.Pool.QueryRow(ctx, `SELECT pass_id::text, number, actor, started_at, ended, broken, why, frame, rows, first_tick_ms, last_beat_tick_ms, brake_tick_ms, axes, units FROM takes WHERE id = $1`, id).
		Scan(&t.PassID, &t.Number, &t.By, &t.Started, &t.Ended, &t.Broken, &t.Why, &t.Frame, &t.Rows, &t.Trace.Tick, &t.LastBeat, &t.BrakeAt, &axes, &units)
	if err == pgx.ErrNoRows {
		return nil, ErrNotFound
	} else if err != nil {
		return nil, err
	}
	t.Axes, t.Units, t.Trace.Axes, t.Trace.Units, t.Trace.Steps = axes, units, axes, units, make([][]int32, len(axes))
	chunks, err := many[struct {
		Rows int
		Data []byte `db:"data_zstd"`
	}](ctx, s, `SELECT rows, data_zstd FROM trace_chunks WHERE take_id = $1 ORDER BY from_row`, id)
	if err != nil {
		return nil, err
	}
	r, err := zstd.NewReader(nil)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	for _, c := range chunks {
		raw, err := r.DecodeAll(c.Data, nil)
		if err != nil || len(raw) != c.Rows*(8+4*len(axes)) {
			return nil, fmt.Errorf("take %s: a stretch of its trace cannot be read: %v", id, err)
		}
		for i := range c.Rows {
			t.Trace.Pos = append(t.Trace.Pos, clock.Pos(binary.LittleEndian.Uint64(raw[8*i:])))
		}
		for a := range axes {
			for i := range c.Rows {
				t.Trace.Steps[a] = append(t.Trace.Steps[a], int32(binary.LittleEndian.Uint32(raw[8*c.Rows+4*(a*c.Rows+i):])))
			}
		}
	}
	return t, nil
}
