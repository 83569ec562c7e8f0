package seal

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"strings"

	"keenarc/core/clock"
	"keenarc/core/effort"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// The encoding is version 2; docs/seal.md describes it field by field. A header and
// a digest of every axis come first, and the fingerprint is taken over those alone:
// so a machine that is sent its own axes only (its share) can verify them, and
// knows that they belong to the seal that all others are on.

const (
	mark     = "keenarc-seal-2\n"
	axisMark = "keenarc-axis-2\n"
)

type encoder struct{ bytes.Buffer }

func (e *encoder) str(s string) {
	e.Write(binary.BigEndian.AppendUint32(nil, uint32(len(s))))
	e.WriteString(s)
}
func (e *encoder) num(v int64)    { e.Write(binary.BigEndian.AppendUint64(nil, uint64(v))) }
func (e *encoder) real(v float64) { e.num(int64(math.Float64bits(v + 0))) }
func (e *encoder) nums(v ...int64) {
	for _, x := range v {
		e.num(x)
	}
}

// header is all that is said of the table but its entries.
func (t *Table) header() []byte {
	e := &encoder{}
	e.Write(t.PathDigest[:])
	e.nums(t.Rate.Num, t.Rate.Den, t.Fastest.Num, t.Fastest.Den, int64(t.First), int64(t.Last), int64(t.RunUp),
		int64(t.RunOut), TicksPerFrame, Fraction, int64(len(t.Machines)))
	for _, m := range t.Machines {
		e.str(m.Name)
		e.str(m.Rig)
		e.num(int64(m.Version))
		for _, v := range [4]float64{m.Place.At[0], m.Place.At[1], m.Place.At[2], m.Place.TurnDeg} {
			e.real(v)
		}
	}
	e.num(int64(len(t.Axes)))
	for i, id := range t.Axes {
		count := t.Ticks()
		if t.Steps[i] != nil {
			count = len(t.Steps[i])
		}
		e.str(id)
		e.nums(t.Units[i].Num, t.Units[i].Den, int64(count))
	}
	return e.Bytes()
}

// axisDigest is the digest of one axis's entries.
func axisDigest(id string, u rig.Ratio, row []int64) [32]byte {
	h := sha256.New()
	e := &encoder{}
	e.WriteString(axisMark)
	e.str(id)
	e.nums(u.Num, u.Den, int64(len(row)))
	h.Write(e.Bytes())
	var buf [8192]byte
	for len(row) > 0 {
		n := min(len(row), len(buf)/8)
		for k, v := range row[:n] {
			binary.BigEndian.PutUint64(buf[8*k:], uint64(v))
		}
		h.Write(buf[:8*n])
		row = row[n:]
	}
	return [32]byte(h.Sum(nil))
}

// New is a table that was put together by hand, with the digests of its entries.
func New(t Table) *Table {
	t.finish(context.Background())
	return &t
}

// finish takes the digests of all axes; the table is immutable from here on.
func (t *Table) finish(ctx context.Context) {
	t.digests = make([][32]byte, len(t.Axes))
	effort.Each(len(t.Steps), func(i int) {
		if ctx.Err() == nil {
			t.digests[i] = axisDigest(t.Axes[i], t.Units[i], t.Steps[i])
			_ = effort.Did(ctx, len(t.Steps[i]))
		}
	})
}

// front is what the fingerprint is taken of: mark, header, digests.
func (t *Table) front() []byte {
	e := &encoder{}
	e.WriteString(mark)
	h := t.header()
	e.num(int64(len(h)))
	e.Write(h)
	for _, d := range t.digests {
		e.Write(d[:])
	}
	return e.Bytes()
}

// Fingerprint is the SHA-256 over header and digests.
func (t *Table) Fingerprint() [32]byte { return sha256.Sum256(t.front()) }

// Move is a fingerprint of what is moved: that of the table but for the clock that it was checked
// on. Tables of one path that differ in that alone hold the same steps.
func (t *Table) Move() [32]byte {
	u := *t
	u.Fastest = clock.Rate{Num: 1, Den: 1}
	return u.Fingerprint()
}

// Short writes a fingerprint as two groups of four hex digits.
func Short(f [32]byte) string {
	s := strings.ToUpper(hex.EncodeToString(f[:4]))
	return s[:4] + "-" + s[4:]
}

// Canonical is the encoding of the whole table.
func (t *Table) Canonical() []byte { return t.encode("") }

// Share is the encoding with the entries of one machine's axes only. It has the
// same fingerprint.
func (t *Table) Share(machine string) []byte { return t.encode(machine) }

func (t *Table) encode(machine string) []byte {
	var e encoder
	front := t.front()
	size := len(front)
	for _, row := range t.Steps {
		size += 16 + 2*len(row)
	}
	e.Grow(size)
	e.Write(front)
	for i, id := range t.Axes {
		if m, _ := rig.Split(id); machine != "" && m != machine || t.Steps[i] == nil {
			e.num(0)
			continue
		}
		e.num(1)
		e.entries(t.Steps[i])
	}
	return e.Bytes()
}

// entries writes a row as the second differences of its entries, each a zigzag
// varint: a smooth path needs a byte or two for each where a number has eight.
func (e *encoder) entries(row []int64) {
	var buf [4096]byte
	part := buf[:0]
	at, step := int64(0), int64(0)
	for _, v := range row {
		if len(part) > len(buf)-binary.MaxVarintLen64 {
			e.Write(part)
			part = buf[:0]
		}
		d := v - at
		part = binary.AppendVarint(part, d-step)
		at, step = v, d
	}
	e.Write(part)
}

// Own are the indices of the axes whose entries are here: all, or a machine's share.
func (t *Table) Own() []int {
	var out []int
	for i := range t.Steps {
		if t.Steps[i] != nil {
			out = append(out, i)
		}
	}
	return out
}

// Decode reads Canonical or Share back, for tables that come from a store or a
// wire. Every axis that is there is held against its digest.
func Decode(raw []byte) (*Table, error) {
	d := decoder{b: raw}
	if string(d.take(len(mark))) != mark {
		return nil, fmt.Errorf("sealed table: it does not begin with %s", strings.TrimSpace(mark))
	}
	n := d.num()
	if n < 0 || n > 1<<16 {
		return nil, fmt.Errorf("sealed table: its header is out of bounds")
	}
	h := decoder{b: d.take(int(n))}
	if d.short {
		return nil, errShort
	}
	t := &Table{}
	counts, err := t.decodeHeader(&h)
	if err != nil {
		return nil, err
	}
	for range t.Axes {
		t.digests = append(t.digests, [32]byte(d.take(32)))
	}
	t.Steps = make([][]int64, len(t.Axes))
	for i := range t.Axes {
		if err := t.decodeAxis(&d, i, counts[i]); err != nil {
			return nil, err
		}
	}
	if d.short || len(d.b) > 0 {
		return nil, errShort
	}
	if len(t.Own()) == 0 {
		return nil, fmt.Errorf("sealed table: there are no entries in it")
	}
	return t, nil
}

var errShort = fmt.Errorf("sealed table: it is cut short or has bytes left over")

// mostMachines and mostAxes bound a header.
const (
	mostMachines = 16
	mostAxes     = 64
)

func (t *Table) decodeHeader(d *decoder) (counts []int64, err error) {
	copy(t.PathDigest[:], d.take(32))
	t.Rate = clock.Rate{Num: d.num(), Den: d.num()}
	t.Fastest = clock.Rate{Num: d.num(), Den: d.num()}
	t.First, t.Last, t.RunUp, t.RunOut = int(d.num()), int(d.num()), int(d.num()), int(d.num())
	if d.num() != TicksPerFrame || d.num() != Fraction {
		return nil, fmt.Errorf("sealed table: it is not in %d ticks a frame and %d binary places",
			TicksPerFrame, Fraction)
	}
	machines := d.num()
	if machines < 1 || machines > mostMachines {
		return nil, fmt.Errorf("sealed table: its number of machines is out of bounds")
	}
	for range machines {
		m := Machine{Name: d.str(), Rig: d.str(), Version: int(d.num())}
		m.Place = rig.Place{At: rig.Vec{d.real(), d.real(), d.real()}, TurnDeg: d.real()}
		t.Machines = append(t.Machines, m)
	}
	axes := d.num()
	if axes < 1 || axes > mostAxes {
		return nil, fmt.Errorf("sealed table: its number of axes is out of bounds")
	}
	for range axes {
		t.Axes = append(t.Axes, d.str())
		t.Units = append(t.Units, rig.Ratio{Num: d.num(), Den: d.num()})
		counts = append(counts, d.num())
	}
	if d.short || len(d.b) > 0 {
		return nil, fmt.Errorf("sealed table: its header is cut short or has bytes left over")
	}
	return counts, t.bounds()
}

// bounds looks at every field of a header before anything is computed from it.
func (t *Table) bounds() error {
	within := func(v, lo, hi int) bool { return v >= lo && v <= hi }
	names := map[string]bool{}
	machines := true
	for _, m := range t.Machines {
		machines = machines && m.Name != "" && m.Rig != "" && !names[m.Name] && within(m.Version, 0, 1<<30) &&
			m.Place.TurnDeg-m.Place.TurnDeg == 0 && m.Place.At.Norm() < 1e6
		names[m.Name] = true
	}
	for _, f := range []struct {
		name string
		ok   bool
	}{
		{"list of machines", machines},
		{"rate", t.Rate.Check("") == nil},
		{"fastest clock", t.Fastest.Check("") == nil},
		{"first frame", within(t.First, -2*path.MaxFrames, 2*path.MaxFrames)},
		{"last frame", within(t.Last, -2*path.MaxFrames, 2*path.MaxFrames) && t.Last > t.First && t.Last-t.First <=
			path.MaxFrames},
		{"run-up", within(t.RunUp, 0, path.MaxRun)},
		{"run-out", within(t.RunOut, 0, path.MaxRun)},
	} {
		if !f.ok {
			return fmt.Errorf("sealed table: its %s is out of bounds", f.name)
		}
	}
	seen := map[string]bool{}
	for i, id := range t.Axes {
		m, own := rig.Split(id)
		if own == "" || seen[id] || !names[m] {
			return fmt.Errorf("sealed table: axis %q is of none of its machines, or there twice", id)
		}
		seen[id] = true
		if u := t.Units[i]; u.Num == 0 || u.Den < 1 {
			return fmt.Errorf("sealed table: axis %s has %d/%d steps per unit", id, u.Num, u.Den)
		}
	}
	return nil
}

func (t *Table) decodeAxis(d *decoder, i int, count int64) error {
	id := t.Axes[i]
	if count != int64(t.Ticks()) {
		return fmt.Errorf("sealed table: axis %s has %d ticks where %d belong", id, count, t.Ticks())
	}
	switch d.num() {
	case 0:
		if d.short {
			return errShort
		}
		return nil
	case 1:
	default:
		return fmt.Errorf("sealed table: axis %s is neither here nor elsewhere", id)
	}
	if int64(len(d.b)) < count { // a byte each at least
		return errShort
	}
	row := make([]int64, count)
	at, step := int64(0), int64(0)
	for k := range row {
		step += d.varint()
		at += step
		if row[k] = at; d.short {
			return errShort
		}
		if row[k] > MostSteps || row[k] < -MostSteps || k > 0 && !small(row[k]-row[k-1]) || k > 1 &&
			!small(row[k]-row[k-2]) {
			return fmt.Errorf("sealed table: axis %s makes steps that the table cannot hold at tick %d", id, k)
		}
	}
	if axisDigest(id, t.Units[i], row) != t.digests[i] {
		return fmt.Errorf("sealed table: the entries of axis %s are not those that were sealed", id)
	}
	t.Steps[i] = row
	return nil
}

type decoder struct {
	b     []byte
	short bool
}

func (d *decoder) take(n int) []byte {
	if n < 0 || n > len(d.b) {
		d.short, d.b = true, nil
		return make([]byte, max(0, min(n, 64)))
	}
	out := d.b[:n]
	d.b = d.b[n:]
	return out
}

func (d *decoder) num() int64 { return int64(binary.BigEndian.Uint64(d.take(8))) }

// varint reads a zigzag varint of the shortest form.
func (d *decoder) varint() int64 {
	v, n := binary.Varint(d.b)
	if n <= 0 || n > 1 && d.b[n-1] == 0 {
		d.short, d.b = true, nil
		return 0
	}
	d.b = d.b[n:]
	return v
}

// real refuses −0, which no table is written with.
func (d *decoder) real() float64 {
	v := math.Float64frombits(uint64(d.num()))
	d.short = d.short || v == 0 && math.Signbit(v)
	return v
}

func (d *decoder) str() string {
	n := binary.BigEndian.Uint32(d.take(4))
	if n > 256 {
		d.short = true
		return ""
	}
	return string(d.take(int(n)))
}
