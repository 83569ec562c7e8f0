// Package seal turns a compiled motion into the table of integers that a pass
// replays.
//
// Table: for every axis and every tick (16 a frame, from the first to the last
// frame of the run inclusive) an int64 of motor steps × 2¹⁶, absolute from
// machine home, rounded half to even. It is computed from stored polynomial
// coefficients with + − × ÷ only, each product converted explicitly so that no
// compiler fuses it: the same bytes on every processor. Between ticks the
// position is the integer cubic of between.go. docs/seal.md states both with
// test vectors.
package seal

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"strings"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// TicksPerFrame is the number of table entries a frame.
const TicksPerFrame = 16

// Fraction is the number of binary places of a step in the table.
const Fraction = 16

// MostSteps bounds a table's entries (steps × 2¹⁶), so that no sum or difference
// of a few of them overflows.
const MostSteps = int64(1) << 52

// strides are the distances in ticks at which the table's own speed and
// acceleration are measured: rounding weighs less over longer ones.
var strides = [...]int{1, 4, 16}

// Table is a sealed path. It is immutable once made.
type Table struct {
	PathDigest [32]byte    `json:"-"`
	RigID      string      `json:"rig"`
	RigVersion int         `json:"rig_version"`
	Axes       []string    `json:"axes"`
	Units      []rig.Ratio `json:"steps_per_unit"`
	Rate       clock.Rate  `json:"rate"`
	Fastest    clock.Rate  `json:"fastest"` // factor of the fastest clock it was checked on
	First      int         `json:"first"`   // picture frames [First, Last)
	Last       int         `json:"last"`
	RunUp      int         `json:"run_up"`
	RunOut     int         `json:"run_out"`
	Steps      [][]int64   `json:"-"` // [axis][tick]
}

// Start and End are the frames at which the run begins and ends.
func (t *Table) Start() int { return t.First - t.RunUp }

// End is the frame at which the run is over.
func (t *Table) End() int { return t.Last + t.RunOut }

// Ticks is the number of entries per axis.
func (t *Table) Ticks() int { return (t.End()-t.Start())*TicksPerFrame + 1 }

// Clock is the clock of a pass of this table with a rate factor.
func (t *Table) Clock(factor clock.Rate) clock.Uniform {
	return clock.Uniform{First: t.Start(), Last: t.End(), Path: t.Rate, Factor: factor}
}

// Make seals a path for a rig, checked on the path's own clock, which becomes
// the fastest one it may be run on. It refuses paths over a working limit and
// paths with a step in position or speed, in a sentence.
func Make(p *path.Path, r *rig.Rig) (*Table, error) {
	m, a, err := limit.Analyse(p, r)
	if err != nil {
		return nil, err
	}
	if len(a.Sentences) > 0 {
		return nil, fmt.Errorf("not sealed: %s", a.Sentences[0])
	}
	fps := p.Clock().FPS()
	if _, err := limit.Brake(m, r, fps); err != nil {
		return nil, fmt.Errorf("not sealed: %w", err)
	}
	t := &Table{PathDigest: p.Digest(), RigID: r.ID, RigVersion: r.Version, Rate: p.Rate, Fastest: p.Factor,
		First: m.First, Last: m.Last, RunUp: m.RunUp, RunOut: m.RunOut}
	buf := make([]curve.Sample, t.Ticks())
	for i, a := range r.Axes {
		t.Axes, t.Units = append(t.Axes, a.ID), append(t.Units, a.StepsPerUnit)
		m.Curves[i].Into(buf, float64(t.Start()), 1.0/TicksPerFrame)
		row := make([]int64, len(buf))
		for k := range buf {
			row[k] = Quantise(buf[k].P, a.StepsPerUnit)
		}
		t.Steps = append(t.Steps, row)
	}
	return t, t.check(r, fps)
}

// Quantise is value × steps per unit × 2¹⁶, rounded half to even, held within
// twice MostSteps (which no sealed table has).
func Quantise(value float64, u rig.Ratio) int64 {
	steps := float64(value*float64(u.Num)) / float64(u.Den)
	q := math.RoundToEven(float64(steps * (1 << Fraction)))
	return int64(min(max(q, float64(-2*MostSteps)), float64(2*MostSteps)))
}

// Value is a table entry in the axis's unit.
func Value(steps int64, u rig.Ratio) float64 {
	return float64(steps) / (1 << Fraction) * float64(u.Den) / float64(u.Num)
}

// check looks at the integers themselves: differences small enough for the
// cubic's 128-bit products, speed and acceleration within the working limits.
// Rounding to a quantum q may lift a measured speed by q·hz/2 and an
// acceleration by 2q·hz², and no more: the exact ones were within.
func (t *Table) check(r *rig.Rig, fps float64) error {
	for i, row := range t.Steps {
		a, u := &r.Axes[i], t.Units[i]
		for k, v := range row {
			if v > MostSteps || v < -MostSteps || k > 1 && !small(v-row[k-2]) {
				return fmt.Errorf("not sealed: %s moves more steps than the table can hold at frame %s", a.Name, limit.Frame4(t.frame(k)))
			}
		}
		q := math.Abs(Value(1, u))
		for _, m := range strides {
			hz := fps * TicksPerFrame / float64(m)
			for k := m; k < len(row)-m; k++ {
				v := math.Abs(Value(row[k+m]-row[k-m], u)) / 2 * hz
				acc := math.Abs(Value(row[k+m]-2*row[k]+row[k-m], u)) * hz * hz
				if v > float64(a.Working.Speed*(1+1e-9))+float64(q*hz)/2 || acc > float64(a.Working.Acceleration*(1+1e-9))+float64(2*q*hz*hz) {
					return fmt.Errorf("not sealed: in whole steps %s is over its limit at frame %s", a.Name, limit.Frame4(t.frame(k)))
				}
			}
		}
	}
	return nil
}

func small(difference int64) bool {
	return difference <= maxDifference && difference >= -maxDifference
}

func (t *Table) frame(tick int) float64 { return float64(t.Start()) + float64(tick)/TicksPerFrame }

// QuantisationUnits is, per axis, the largest distance in the axis's unit
// between the path and the table: half of 2⁻¹⁶ step.
func (t *Table) QuantisationUnits() []float64 {
	out := make([]float64, len(t.Axes))
	for i, u := range t.Units {
		out[i] = math.Abs(float64(u.Den) / float64(u.Num) / (2 << Fraction))
	}
	return out
}

// Canonical is the encoding that the fingerprint is taken of; docs/seal.md
// describes it field by field.
func (t *Table) Canonical() []byte {
	var b bytes.Buffer
	b.WriteString("keenarc-seal-1\n")
	b.Write(t.PathDigest[:])
	str := func(s string) {
		b.Write(binary.BigEndian.AppendUint32(nil, uint32(len(s))))
		b.WriteString(s)
	}
	num := func(v int64) { b.Write(binary.BigEndian.AppendUint64(nil, uint64(v))) }
	str(t.RigID)
	for _, v := range []int64{int64(t.RigVersion), t.Rate.Num, t.Rate.Den, t.Fastest.Num, t.Fastest.Den,
		int64(t.First), int64(t.Last), int64(t.RunUp), int64(t.RunOut), TicksPerFrame, Fraction, int64(len(t.Axes))} {
		num(v)
	}
	for i, id := range t.Axes {
		str(id)
		num(t.Units[i].Num)
		num(t.Units[i].Den)
		num(int64(len(t.Steps[i])))
		for _, s := range t.Steps[i] {
			num(s)
		}
	}
	return b.Bytes()
}

// Fingerprint is the SHA-256 of Canonical.
func (t *Table) Fingerprint() [32]byte { return sha256.Sum256(t.Canonical()) }

// Short writes a fingerprint as two groups of four hex digits.
func Short(f [32]byte) string {
	s := strings.ToUpper(hex.EncodeToString(f[:4]))
	return s[:4] + "-" + s[4:]
}

// Decode reads Canonical back, for tables that come from a store or a wire.
func Decode(raw []byte) (*Table, error) {
	d := decoder{b: raw}
	if string(d.take(15)) != "keenarc-seal-1\n" {
		return nil, fmt.Errorf("sealed table: it does not begin with keenarc-seal-1")
	}
	t := &Table{}
	copy(t.PathDigest[:], d.take(32))
	t.RigID = d.str()
	t.RigVersion = int(d.num())
	t.Rate = clock.Rate{Num: d.num(), Den: d.num()}
	t.Fastest = clock.Rate{Num: d.num(), Den: d.num()}
	t.First, t.Last, t.RunUp, t.RunOut = int(d.num()), int(d.num()), int(d.num()), int(d.num())
	if d.num() != TicksPerFrame || d.num() != Fraction {
		return nil, fmt.Errorf("sealed table: it is not in %d ticks a frame and %d binary places", TicksPerFrame, Fraction)
	}
	n := d.num()
	if d.short {
		return nil, fmt.Errorf("sealed table: it is cut short")
	}
	if err := t.bounds(n); err != nil {
		return nil, err
	}
	for range n {
		if err := t.decodeAxis(&d); err != nil {
			return nil, err
		}
	}
	if d.short || len(d.b) > 0 {
		return nil, fmt.Errorf("sealed table: it is cut short or has bytes left over")
	}
	return t, nil
}

// bounds looks at every field of a header before anything is computed from it.
func (t *Table) bounds(axes int64) error {
	within := func(v, lo, hi int) bool { return v >= lo && v <= hi }
	for _, f := range []struct {
		name string
		ok   bool
	}{
		{"rig", t.RigID != "" && within(t.RigVersion, 0, 1<<30)},
		{"rate", t.Rate.Check("") == nil},
		{"fastest clock", t.Fastest.Check("") == nil},
		{"first frame", within(t.First, -2*path.MaxFrames, 2*path.MaxFrames)},
		{"last frame", within(t.Last, -2*path.MaxFrames, 2*path.MaxFrames) && t.Last > t.First && t.Last-t.First <= path.MaxFrames},
		{"run-up", within(t.RunUp, 0, path.MaxRun)},
		{"run-out", within(t.RunOut, 0, path.MaxRun)},
		{"number of axes", axes >= 1 && axes <= 64},
	} {
		if !f.ok {
			return fmt.Errorf("sealed table: its %s is out of bounds", f.name)
		}
	}
	return nil
}

func (t *Table) decodeAxis(d *decoder) error {
	id, u := d.str(), rig.Ratio{Num: d.num(), Den: d.num()}
	c := d.num()
	switch {
	case d.short || id == "":
		return fmt.Errorf("sealed table: an axis has no name, or it is cut short")
	case u.Num == 0 || u.Den < 1:
		return fmt.Errorf("sealed table: axis %s has %d/%d steps per unit", id, u.Num, u.Den)
	case c != int64(t.Ticks()) || int64(len(d.b)) < 8*c:
		return fmt.Errorf("sealed table: axis %s has %d ticks where %d belong", id, c, t.Ticks())
	}
	row := make([]int64, c)
	for k := range row {
		row[k] = d.num()
		if row[k] > MostSteps || row[k] < -MostSteps || k > 0 && !small(row[k]-row[k-1]) || k > 1 && !small(row[k]-row[k-2]) {
			return fmt.Errorf("sealed table: axis %s makes steps that the table cannot hold at tick %d", id, k)
		}
	}
	t.Axes, t.Units, t.Steps = append(t.Axes, id), append(t.Units, u), append(t.Steps, row)
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

func (d *decoder) str() string {
	n := binary.BigEndian.Uint32(d.take(4))
	if n > 256 {
		d.short = true
		return ""
	}
	return string(d.take(int(n)))
}
