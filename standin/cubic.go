package standin

import (
	"math/big"

	"keenarc/core/clock"
	"keenarc/core/seal"
)

// This is the rig's own reading of a sealed table, from docs/seal.md alone and held
// to its vectors: exact integers of any size, by Horner's rule, where the planner
// multiplies out in 128 bits.

// reader holds what is needed to read a table between its ticks.
type reader struct {
	h, c, t big.Int
}

// at is an axis's position at a frame position, in steps × 2¹⁶: with s = fraction
// of a tick × 2²⁸,
//
//	p0 + [((D0+D1−4Δ)·s + (6Δ−2·D0−D1)·2²⁸)·s + D0·2⁵⁶]·s / 2⁸⁵, half to even.
func (r *reader) at(row []int64, start int, pos clock.Pos) int64 {
	const tickBits = 28
	from := clock.Pos(start) << 32
	last := len(row) - 1
	if pos <= from {
		return row[0]
	}
	k := int((pos - from) >> tickBits)
	if k >= last {
		return row[last]
	}
	s := int64((pos - from) & (1<<tickBits - 1))
	if s == 0 {
		return row[k]
	}
	rise := row[k+1] - row[k]
	before, after := 2*rise, 2*rise
	if k > 0 {
		before = row[k+1] - row[k-1]
	}
	if k+1 < last {
		after = row[k+2] - row[k]
	}
	r.t.SetInt64(s)
	r.h.SetInt64(before + after - 4*rise)
	r.h.Mul(&r.h, &r.t)
	r.c.SetInt64(6*rise - 2*before - after)
	r.h.Add(&r.h, r.c.Lsh(&r.c, tickBits))
	r.h.Mul(&r.h, &r.t)
	r.c.SetInt64(before)
	r.h.Add(&r.h, r.c.Lsh(&r.c, 2*tickBits))
	r.h.Mul(&r.h, &r.t)
	r.c.SetInt64(row[k])
	r.h.Add(&r.h, r.c.Lsh(&r.c, 3*tickBits+1))
	return r.round(3*tickBits + 1)
}

// round is h / 2^bits, half to even.
func (r *reader) round(bits uint) int64 {
	r.c.SetInt64(1)
	r.c.Lsh(&r.c, bits-1)
	r.t.Add(&r.h, &r.c) // floor of (h + ½) is right but for a half to an odd number
	tie := r.t.TrailingZeroBits() >= bits
	r.t.Rsh(&r.t, bits)
	v := r.t.Int64()
	if tie && v&1 != 0 {
		v--
	}
	return v
}

// position is an axis of a table in its unit.
func (r *reader) position(t *seal.Table, axis int, pos clock.Pos) float64 {
	return seal.Value(r.at(t.Steps[axis], t.Start(), pos), t.Units[axis])
}

// slowed is how much of its time a clock that slows to rest has gone, in shares of
// the time the slowing takes, at share u of it: the integral of 1 − 3u² + 2u³.
func slowed(u float64) float64 {
	switch {
	case u <= 0:
		return 0
	case u >= 1:
		return 0.5
	}
	return u * (1 + u*u*(u/2-1))
}
