package seal

import (
	"math/bits"

	"keenarc/core/clock"
)

// maxDifference bounds p[k+1] − p[k−1] so that the cubic fits 128 bits.
const maxDifference = int64(1) << 37

// fractionBits is how much of a frame position lies below a tick: 32 − 4.
const fractionBits = 28

// At is the position of an axis at a frame position, in steps × 2¹⁶: the cubic
// Hermite through the two neighbouring ticks with central differences of the
// table (one-sided at its ends), in integers, rounded half to even. With
// s = fraction of a tick × 2²⁸, Δ = p1−p0, D0 and D1 twice the slopes:
//
//	2·(h−p0) = D0·s + (6Δ−2·D0−D1)·s² + (D0+D1−4Δ)·s³
//
// Positions before the start or after the end give the end entries.
func (t *Table) At(axis int, pos clock.Pos) int64 {
	row := t.Steps[axis]
	rel := int64(pos) - int64(t.Start())<<32
	if rel <= 0 {
		return row[0]
	}
	k := int(rel >> fractionBits)
	if k >= len(row)-1 {
		return row[len(row)-1]
	}
	s := uint64(rel & (1<<fractionBits - 1))
	if s == 0 {
		return row[k]
	}
	p0, p1 := row[k], row[k+1]
	d0, d1 := 2*(p1-p0), 2*(p1-p0)
	if k > 0 {
		d0 = p1 - row[k-1]
	}
	if k+2 < len(row) {
		d1 = row[k+2] - p0
	}
	delta := p1 - p0
	s2 := s * s
	s3hi, s3lo := bits.Mul64(s2, s)
	sum := mulShift(d0, 0, s, 2*fractionBits)
	sum = sum.add(mulShift(6*delta-2*d0-d1, 0, s2, fractionBits))
	sum = sum.add(mulShift(d0+d1-4*delta, s3hi, s3lo, 0))
	return sum.roundOnto(p0, 3*fractionBits+1)
}

// wide is a signed 128-bit integer in two's complement.
type wide struct{ hi, lo uint64 }

func (a wide) add(b wide) wide {
	lo, c := bits.Add64(a.lo, b.lo, 0)
	hi, _ := bits.Add64(a.hi, b.hi, c)
	return wide{hi, lo}
}

func (a wide) neg() wide {
	lo, c := bits.Add64(^a.lo, 1, 0)
	return wide{^a.hi + c, lo}
}

// mulShift is v × (hi:lo) × 2^shift.
func mulShift(v int64, hi, lo uint64, shift uint) wide {
	u := uint64(v)
	if v < 0 {
		u = -u
	}
	h, l := bits.Mul64(u, lo)
	w := wide{h + u*hi, l}
	if shift > 0 {
		w = wide{w.hi<<shift | w.lo>>(64-shift), w.lo << shift}
	}
	if v < 0 {
		return w.neg()
	}
	return w
}

// roundOnto is p + w / 2^shift, rounded half to even; 64 < shift < 128.
func (a wide) roundOnto(p int64, shift uint) int64 {
	s := shift - 64
	q := int64(a.hi) >> s // floor
	rest := wide{a.hi & (1<<s - 1), a.lo}
	half := uint64(1) << (s - 1)
	p += q
	switch {
	case rest.hi > half || rest.hi == half && rest.lo > 0:
		p++
	case rest.hi == half && rest.lo == 0 && p&1 != 0:
		p++
	}
	return p
}
