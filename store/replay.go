package store

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/zstd"

	"keenarc/core/path"
)

// An edit keeps what was done; the path that it made is kept with every so many edits, and with
// those whose outcome is a sum (path.Edit.WorkedOut), and worked out again from there.

// snapshotEvery is how many edits share one kept path.
const snapshotEvery = 32

// pathAt is the path of a revision.
func (s *Store) pathAt(ctx context.Context, q querier, shot string, revision int64) (*path.Path, error) {
	var todo []path.Edit
	var p *path.Path
	for at := revision; p == nil; {
		if known, ok := s.paths.Get(edition{shot, at}); ok {
			p = known
			break
		}
		row, err := one[struct {
			Path    *path.Path
			PathOf  *int64
			Command path.Edit
		}](ctx, q, `SELECT path, path_of, command FROM edits WHERE shot_id = $1 AND revision = $2`, shot, at)
		switch {
		case err != nil:
			return nil, err
		case row.Path != nil:
			p = row.Path
		case row.PathOf != nil && *row.PathOf < at:
			at = *row.PathOf
		case at > 0:
			todo = append(todo, row.Command)
			at--
		default:
			return nil, fmt.Errorf("revision %d of the shot has no path to begin with", revision)
		}
	}
	for i := len(todo) - 1; i >= 0; i-- {
		var err error
		if p, err = p.Replay(todo[i]); err != nil {
			return nil, fmt.Errorf("revision %d cannot be worked out again: %w", revision, err)
		}
	}
	for i := range p.Tracks {
		if rec := p.Tracks[i].Record; rec != nil && rec.Values == nil {
			if err := s.fillRecord(ctx, rec); err != nil {
				return nil, err
			}
		}
	}
	return p, nil
}

// Samples are kept once, whoever points to them, by the hash of their content.

// chunkSamples is how many samples lie in one chunk: ten minutes at 100 Hz.
const chunkSamples = 60_000

// AddSamples keeps samples and names them. Those that are there already are not
// written again.
func (s *Store) AddSamples(ctx context.Context, v []float64) (string, error) {
	if len(v) < 2 || len(v) > path.MostSamples {
		return "", &path.Error{Field: "samples", Wrong: fmt.Sprintf("%d samples", len(v)),
			Want: fmt.Sprintf("give 2 to %d", path.MostSamples)}
	}
	for i, x := range v {
		if math.IsNaN(x) || math.IsInf(x, 0) {
			return "", &path.Error{Field: "samples", Wrong: fmt.Sprintf("sample %d is not a number", i),
				Want: "give finite numbers"}
		}
	}
	hash := path.SamplesHash(v)
	w, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	if err != nil {
		return "", err
	}
	defer w.Close()
	err = s.tx(ctx, func(tx pgx.Tx) error {
		for n := 0; n*chunkSamples < len(v); n++ {
			part := v[n*chunkSamples : min((n+1)*chunkSamples, len(v))]
			raw := make([]byte, 0, 8*len(part))
			for _, x := range part {
				raw = binary.LittleEndian.AppendUint64(raw, math.Float64bits(x))
			}
			if _, err := tx.Exec(ctx,
				`INSERT INTO samples (hash, chunk, count, data_zstd) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING`,
				hash, n, len(part), w.EncodeAll(raw, nil)); err != nil {
				return err
			}
		}
		return nil
	})
	return hash, err
}

// Samples loads samples by their name and proves that they are those.
func (s *Store) Samples(ctx context.Context, hash string) (*path.Values, error) {
	if v, ok := s.samples.Get(hash); ok {
		return v, nil
	}
	chunks, err := many[struct {
		Count int
		Data  []byte `db:"data_zstd"`
	}](ctx, s, `SELECT count, data_zstd FROM samples WHERE hash = $1 ORDER BY chunk`, hash)
	if err != nil {
		return nil, err
	}
	r, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(8*chunkSamples+1<<20))
	if err != nil {
		return nil, err
	}
	defer r.Close()
	var v []float64
	for _, c := range chunks {
		raw, err := r.DecodeAll(c.Data, nil)
		if err != nil || len(raw) != 8*c.Count {
			return nil, fmt.Errorf("samples %.8s: a chunk cannot be read (%v)", hash, err)
		}
		for i := range c.Count {
			v = append(v, math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:])))
		}
	}
	if len(v) == 0 {
		return nil, &path.Error{Field: "record", Wrong: "there are no such samples", Want: "send them first"}
	}
	if path.SamplesHash(v) != hash {
		return nil, fmt.Errorf("samples %.8s are not what was kept", hash)
	}
	out := path.NewValues(v)
	s.samples.Add(hash, out)
	return out, nil
}

func (s *Store) fillRecord(ctx context.Context, r *path.Record) error {
	v, err := s.Samples(ctx, r.Samples)
	if err == nil {
		r.Values = v
	}
	return err
}
