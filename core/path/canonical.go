package path

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"maps"
	"math"
	"slices"

	"keenarc/core/curve"
)

// The canonical encoding of a path is what its digest is taken of: version 1,
// big-endian, as docs/seal.md describes. It is a list of sections, so that a
// section in camera space can stand beside those in axis space. The clock that the
// plan is checked on is not part of it.

// encoder writes str (uint32 length and bytes), num (int64) and real (the bits of
// a float64, −0 as 0).
type encoder struct{ b []byte }

func (e *encoder) str(s string) {
	e.b = binary.BigEndian.AppendUint32(e.b, uint32(len(s)))
	e.b = append(e.b, s...)
}
func (e *encoder) num(v int64) { e.b = binary.BigEndian.AppendUint64(e.b, uint64(v)) }
func (e *encoder) real(v float64) {
	e.b = binary.BigEndian.AppendUint64(e.b, math.Float64bits(v+0))
}

// Canonical is the path's canonical encoding.
func (p *Path) Canonical() []byte {
	e := &encoder{b: []byte("keenarc-path-1\n")}
	e.num(p.Rate.Num)
	e.num(p.Rate.Den)
	e.num(int64(p.RunUp))
	e.num(int64(p.RunOut))
	e.num(1) // sections
	s := p.axisSection()
	e.str("axes")
	e.num(int64(len(s)))
	e.b = append(e.b, s...)
	return e.b
}

// axisSection is the whole run given in axis space: the tracks and the base pose,
// each in the order of their axes' names.
func (p *Path) axisSection() []byte {
	e := &encoder{}
	order := make([]*Track, len(p.Tracks))
	for i := range p.Tracks {
		order[i] = &p.Tracks[i]
	}
	slices.SortFunc(order, func(a, b *Track) int {
		switch {
		case a.Axis < b.Axis:
			return -1
		case a.Axis > b.Axis:
			return 1
		}
		return 0
	})
	e.num(int64(len(order)))
	for _, t := range order {
		t.encode(e)
	}
	e.num(int64(len(p.Base)))
	for _, axis := range slices.Sorted(maps.Keys(p.Base)) {
		e.str(axis)
		e.real(p.Base[axis])
	}
	return e.b
}

func (t *Track) encode(e *encoder) {
	e.str(t.Axis)
	e.str(string(t.Kind))
	e.str(string(t.Ends))
	e.real(t.Blend)
	e.num(int64(len(t.Keys)))
	for _, k := range t.Keys {
		e.real(k.Frame)
		e.real(k.Value)
	}
	e.num(int64(len(t.Segments)))
	for _, i := range slices.Sorted(maps.Keys(t.Segments)) {
		e.num(int64(i))
		e.str(string(t.Segments[i]))
	}
	shaped := slices.ContainsFunc(t.Keys, func(k Key) bool { return k.Bend != curve.Bend{} })
	e.num(flag(t.Record != nil, 1) | flag(shaped, 2) | flag(t.Ramp != nil || len(t.Ramps) > 0, 4) |
		flag(t.Record != nil && t.Record.Tolerance != 0, 8))
	if r := t.Record; r != nil {
		e.str(r.Samples)
		e.num(int64(r.Count))
		e.real(r.First)
		e.real(r.Step)
		if r.Tolerance != 0 {
			e.real(r.Tolerance)
		}
	}
	if shaped {
		for _, k := range t.Keys {
			for _, v := range [...]float64{k.Tension, k.Continuity, k.Bias, k.Slope, k.Acceleration, k.In[0], k.In[1],
				k.Out[0], k.Out[1]} {
				e.real(v)
			}
		}
	}
	if t.Ramp == nil && len(t.Ramps) == 0 {
		return
	}
	ramp := func(r curve.Ramp) {
		e.str(string(r.Law))
		e.real(r.In)
		e.real(r.Out)
		e.real(r.Jerk)
	}
	e.num(flag(t.Ramp != nil, 1))
	if t.Ramp != nil {
		ramp(*t.Ramp)
	}
	e.num(int64(len(t.Ramps)))
	for _, i := range slices.Sorted(maps.Keys(t.Ramps)) {
		e.num(int64(i))
		ramp(t.Ramps[i])
	}
}

func flag(is bool, v int64) int64 {
	if is {
		return v
	}
	return 0
}

// Digest identifies the path's content: the SHA-256 of Canonical.
func (p *Path) Digest() [32]byte { return sha256.Sum256(p.Canonical()) }

// SamplesHash names samples by their content: the SHA-256, in hex, of their count
// and their bits in the canonical encoding.
func SamplesHash(values []float64) string {
	e := &encoder{b: []byte("keenarc-samples-1\n")}
	e.num(int64(len(values)))
	for _, v := range values {
		e.real(v)
	}
	sum := sha256.Sum256(e.b)
	return hex.EncodeToString(sum[:])
}
