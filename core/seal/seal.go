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
	"context"
	"fmt"
	"math"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/effort"
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

// Machine is one machine of a sealed path: what it is called in the shot, which
// version of which rig it is, and where it stands.
type Machine struct {
	Name    string    `json:"name"`
	Rig     string    `json:"rig"`
	Version int       `json:"version"`
	Place   rig.Place `json:"place"`
}

// Table is a sealed path, or a machine's share of it. It is immutable once made.
type Table struct {
	PathDigest [32]byte    `json:"-"`
	Machines   []Machine   `json:"machines"`
	Axes       []string    `json:"axes"`
	Units      []rig.Ratio `json:"steps_per_unit"`
	Rate       clock.Rate  `json:"rate"`
	Fastest    clock.Rate  `json:"fastest"` // factor of the fastest clock it was checked on
	First      int         `json:"first"`   // picture frames [First, Last)
	Last       int         `json:"last"`
	RunUp      int         `json:"run_up"`
	RunOut     int         `json:"run_out"`
	Steps      [][]int64   `json:"-"` // [axis][tick]; nil where the axis is not in this share
	digests    [][32]byte  // of each axis's entries
}

// Start and End are the frames at which the run begins and ends.
func (t *Table) Start() int { return t.First - t.RunUp }

// End is the frame at which the run is over.
func (t *Table) End() int { return t.Last + t.RunOut }

// Run is what a clock of this table runs over.
func (t *Table) Run() clock.Run {
	return clock.Run{Start: t.Start(), First: t.First, Last: t.Last, End: t.End()}
}

// Ticks is the number of entries per axis.
func (t *Table) Ticks() int { return (t.End()-t.Start())*TicksPerFrame + 1 }

// Clock is a clock over the run of this table. A faster one than the table was
// checked on is refused.
func (t *Table) Clock(s clock.Spec) (clock.Clock, error) {
	c, err := s.Over(t.Run(), t.Rate)
	if err != nil {
		return nil, err
	}
	if c.Traits().Round > 0 {
		for i, row := range t.Steps {
			if d := row[len(row)-1] - row[0]; max(d, -d) > 1<<Fraction/4 {
				return nil, fmt.Errorf("way: around, where %s ends %.4g from where it begins; close the move, or go "+
					"there and back", t.Axes[i], Value(d, t.Units[i]))
			}
		}
	}
	if most := t.Rate.Times(t.Fastest).Float(); c.MaxSpeed() > most*(1+1e-12) {
		return nil, fmt.Errorf("clock: %.4g frames a second, where the path was sealed for at most %.4g; slow it, or "+
			"seal the path for it at the pass", c.MaxSpeed(), most)
	}
	for _, f := range c.Stops() {
		if i := t.movingAt(f); i >= 0 {
			return nil, fmt.Errorf("clock: it stops at frame %s, where %s is moving; wait only where everything "+
				"stands still, or give it an ease", limit.Frame4(float64(f)), t.Axes[i])
		}
	}
	return c, nil
}

// movingAt is the first axis that moves at a frame of the run, or −1: at more than
// a thousandth of its own fastest, and by more than rounding.
func (t *Table) movingAt(frame int) int {
	k := (frame - t.Start()) * TicksPerFrame
	for i, row := range t.Steps {
		if k <= 0 || k >= len(row)-1 {
			continue // an end of the run: it is at rest there, or could not be sealed
		}
		most := int64(0)
		for n := 2; n < len(row); n++ {
			most = max(most, row[n]-row[n-2], row[n-2]-row[n])
		}
		if d := row[k+1] - row[k-1]; max(d, -d) > max(4, most/1000) {
			return i
		}
	}
	return -1
}

// Make seals a path for the machines of a shot, checked on the path's own clock,
// which becomes the fastest one it may be run on. It refuses paths over a working
// limit and paths with a step in position or speed, in a sentence. The braking is the pass's on
// that clock. It ends with the context, too.
func Make(ctx context.Context, p *path.Path, machines []rig.Placed) (*Table, *limit.Braking, error) {
	return makeWithin(ctx, p, machines, false)
}

// MakeOver seals a path that somebody has signed for to be over working limits: it is held
// against rated limits instead, and against all else as ever.
func MakeOver(ctx context.Context, p *path.Path, machines []rig.Placed) (*Table, *limit.Braking, error) {
	return makeWithin(ctx, p, machines, true)
}

func makeWithin(ctx context.Context, p *path.Path, machines []rig.Placed, over bool) (*Table, *limit.Braking, error) {
	r, err := rig.Join(machines)
	if err != nil {
		return nil, nil, err
	}
	m, a, err := limit.Analyse(p, r)
	if err != nil {
		return nil, nil, err
	}
	fps := p.Clock().FPS()
	which := limit.Working
	if len(a.Sentences) > 0 {
		switch rated := limit.Check(m, r, fps, limit.Rated); {
		case !over:
			return nil, nil, fmt.Errorf("not sealed: %s", a.Sentences[0])
		case !rated.OK():
			return nil, nil, fmt.Errorf("not sealed, and nobody can sign for it: held against rated limits, %s",
				limit.Sentence(r, rated.Violations[0], fps))
		case !a.WithinRated:
			return nil, nil, fmt.Errorf("not sealed, and nobody can sign for it: %s", a.Sentences[0])
		}
		which = limit.Rated
	}
	effort.Ahead(ctx, 4*len(r.Axes)*((m.End()-m.Start())*TicksPerFrame+1)) // rows, two checks, digests
	b, err := limit.Brake(ctx, m, r, fps)
	if err != nil {
		return nil, nil, fmt.Errorf("not sealed: %w", err)
	}
	t := &Table{PathDigest: p.Digest(), Rate: p.Rate, Fastest: p.Factor, First: m.First, Last: m.Last, RunUp: m.RunUp,
		RunOut: m.RunOut}
	for _, x := range machines {
		t.Machines = append(t.Machines, Machine{x.Name, x.Rig.ID, x.Rig.Version, x.Place})
	}
	for _, a := range r.Axes {
		t.Axes, t.Units = append(t.Axes, a.ID), append(t.Units, a.StepsPerUnit)
	}
	t.Steps = make([][]int64, len(r.Axes))
	effort.Each(len(r.Axes), func(i int) {
		t.Steps[i] = t.row(ctx, m.Curves[i], r.Axes[i].Zero, r.Axes[i].StepsPerUnit)
	})
	if err := t.check(ctx, r, fps, which); err != nil {
		return nil, nil, err
	}
	t.finish(ctx)
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	return t, b, nil
}

// stretch is how many ticks of a long move are worked out at a time.
const stretch = 1 << 14

// row is the entries of one axis: what is planned, from the machine's own home. It is cut short
// where nobody waits for it.
func (t *Table) row(ctx context.Context, c *curve.Curve, zero float64, u rig.Ratio) []int64 {
	row := make([]int64, t.Ticks())
	buf := make([]float64, min(len(row), stretch))
	for k := 0; k < len(row); k += len(buf) {
		part := buf[:min(len(buf), len(row)-k)]
		c.Values(part, t.frame(k), 1.0/TicksPerFrame)
		for i, v := range part {
			row[k+i] = Quantise(float64(v+zero), u)
		}
		if effort.Did(ctx, len(part)) != nil {
			return row
		}
	}
	return row
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

// Within holds the table against limits that it was not made for, as those of a
// later line-up: soft limits, and working limits (or those that are chosen) at fps frames a
// second. The axes are the table's, by name; the error says which is over where.
func (t *Table) Within(r *rig.Rig, fps float64, which func(*rig.Axis) rig.Limits) error {
	for i, row := range t.Steps {
		k := r.Index(t.Axes[i])
		if k < 0 {
			return fmt.Errorf("there is no axis %s any more", t.Axes[i])
		}
		a := &r.Axes[k]
		q := math.Abs(Value(1, t.Units[i]))
		for n, v := range row {
			if x := Value(v, t.Units[i]) - a.Zero; x < a.Min-q || x > a.Max+q {
				return fmt.Errorf("%s leaves its soft limits %g to %g %s at frame %s", a.Name, a.Min, a.Max,
					a.Unit.Symbol(), limit.Frame4(t.frame(n)))
			}
		}
		if n := t.over(i, which(a), fps); n >= 0 {
			return fmt.Errorf("%s is over its limits at frame %s", a.Name, limit.Frame4(t.frame(n)))
		}
	}
	return nil
}

// Zeroed is the first axis whose zero was laid elsewhere since a path was sealed, or −1:
// its table's beginning is more than two steps from what is planned there now.
func (t *Table) Zeroed(m *path.Motion, r *rig.Rig) int {
	for i, row := range t.Steps {
		k := r.Index(t.Axes[i])
		if k < 0 || len(row) == 0 {
			continue
		}
		now := Quantise(float64(m.Curves[k].At(float64(t.Start())).P+r.Axes[k].Zero), t.Units[i])
		if d := row[0] - now; max(d, -d) > 2<<Fraction {
			return k
		}
	}
	return -1
}

// check looks at the integers themselves: differences small enough for the
// cubic's 128-bit products, speed and acceleration within the limits.
// Rounding to a quantum q may lift a measured speed by q·hz/2 and an
// acceleration by 2q·hz², and no more: the exact ones were within.
func (t *Table) check(ctx context.Context, r *rig.Rig, fps float64, which func(*rig.Axis) rig.Limits) error {
	wrong := make([]error, len(t.Steps))
	effort.Each(len(t.Steps), func(i int) {
		row, a := t.Steps[i], &r.Axes[i]
		if wrong[i] = ctx.Err(); wrong[i] != nil {
			return
		}
		for k, v := range row {
			if v > MostSteps || v < -MostSteps || k > 1 && !small(v-row[k-2]) {
				wrong[i] = fmt.Errorf("not sealed: %s moves more steps than the table can hold at frame %s", a.Name,
					limit.Frame4(t.frame(k)))
				return
			}
		}
		if wrong[i] = effort.Did(ctx, len(row)); wrong[i] != nil {
			return
		}
		if k := t.over(i, which(a), fps); k >= 0 {
			wrong[i] = fmt.Errorf("not sealed: in whole steps %s is over its limit at frame %s", a.Name,
				limit.Frame4(t.frame(k)))
		}
		_ = effort.Did(ctx, len(row))
	})
	for _, err := range wrong {
		if err != nil {
			return err
		}
	}
	return nil
}

// over is the first tick at which an axis is over a speed or acceleration
// by more than rounding, or −1.
func (t *Table) over(i int, l rig.Limits, fps float64) int {
	row, u := t.Steps[i], t.Units[i]
	q := math.Abs(Value(1, u))
	for _, m := range strides {
		hz := fps * TicksPerFrame / float64(m)
		// The limits as differences of entries, of two and of three of them.
		fast := mostEntries((float64(l.Speed*(1+1e-9)) + float64(q*hz)/2) * 2 / (q * hz))
		hard := mostEntries((float64(l.Acceleration*(1+1e-9)) + float64(2*q*hz*hz)) / (q * hz * hz))
		for k := m; k < len(row)-m; k++ {
			l, r := row[k-m], row[k+m]
			if v, acc := r-l, r-2*row[k]+l; v > fast || v < -fast || acc > hard || acc < -hard {
				return k
			}
		}
	}
	return -1
}

// mostEntries is the greatest whole number that is no more than a limit, where there is one.
func mostEntries(v float64) int64 {
	if !(v < float64(1<<61)) {
		return 1 << 61
	}
	return int64(v)
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
