package store

import (
	"context"
	"encoding/binary"
	"fmt"

	"github.com/klauspost/compress/zstd"

	"keenarc/core/clock"
	"keenarc/core/trace"
)

// A chunk is a stretch of trace as it is stored: frame positions (int64), then
// one int32 column per axis, little-endian, zstd.

// mostChunkRows is the most rows of one chunk; one second is the usual length.
const mostChunkRows = 100_000

func packChunk(pos []clock.Pos, steps [][]int32) ([]byte, error) {
	raw := make([]byte, 0, len(pos)*(8+4*len(steps)))
	for _, p := range pos {
		raw = binary.LittleEndian.AppendUint64(raw, uint64(p))
	}
	for _, col := range steps {
		for _, v := range col {
			raw = binary.LittleEndian.AppendUint32(raw, uint32(v))
		}
	}
	w, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	defer w.Close()
	return w.EncodeAll(raw, nil), nil
}

// unpackChunk is the inverse of packChunk; it refuses what does not make the
// rows that it should.
func unpackChunk(packed []byte, rows, axes int) ([]clock.Pos, [][]int32, error) {
	if rows < 0 || rows > mostChunkRows || axes < 0 || axes > 64 {
		return nil, nil, fmt.Errorf("%d rows of %d axes are out of bounds", rows, axes)
	}
	want := rows * (8 + 4*axes)
	r, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(uint64(want)+1<<20))
	if err != nil {
		return nil, nil, err
	}
	defer r.Close()
	raw, err := r.DecodeAll(packed, nil)
	if err != nil {
		return nil, nil, err
	}
	if len(raw) != want {
		return nil, nil, fmt.Errorf("%d bytes do not make %d rows of %d axes", len(raw), rows, axes)
	}
	pos, steps := make([]clock.Pos, rows), make([][]int32, axes)
	for i := range pos {
		pos[i] = clock.Pos(binary.LittleEndian.Uint64(raw[8*i:]))
	}
	for a := range steps {
		steps[a] = make([]int32, rows)
		for i := range steps[a] {
			steps[a][i] = int32(binary.LittleEndian.Uint32(raw[8*rows+4*(a*rows+i):]))
		}
	}
	return pos, steps, nil
}

// AddRows stores a stretch of trace. A stretch stored already is left alone.
func (s *Store) AddRows(ctx context.Context, take string, from int, pos []clock.Pos, steps [][]int32) error {
	data, err := packChunk(pos, steps)
	if err != nil {
		return err
	}
	_, err = s.exec(ctx,
		`INSERT INTO trace_chunks (take_id, from_row, rows, data_zstd) VALUES ($1,$2,$3,$4) ON CONFLICT DO NOTHING`,
		take, from, len(pos), data)
	return err
}

// loadTrace reads a take's chunks into its trace: overlapping ones are taken
// once, and missing ones stay missing.
func (s *Store) loadTrace(ctx context.Context, take string, into *trace.Trace) error {
	chunks, err := many[struct {
		From int `db:"from_row"`
		Rows int
		Data []byte `db:"data_zstd"`
	}](ctx, s, `SELECT from_row, rows, data_zstd FROM trace_chunks WHERE take_id = $1 ORDER BY from_row, rows DESC`,
		take)
	if err != nil {
		return err
	}
	for _, c := range chunks {
		pos, steps, err := unpackChunk(c.Data, c.Rows, len(into.Axes))
		if err != nil {
			return fmt.Errorf("take %s: rows %d to %d of its trace cannot be read: %w", take, c.From,
				c.From+c.Rows-1, err)
		}
		into.Append(c.From, pos, steps)
	}
	return nil
}
