// Package trace holds what a rig really did and judges passes against each
// other and against the seal.
//
// A Trace is sampled by the rig at 1 kHz from the start of the run. Its numbers
// are what the feedback can see, so a verdict always says what stays unseen.
// Passes are compared frame by frame without shifting either.
package trace

import (
	"fmt"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// Hz is the sampling rate of a trace.
const Hz = 1000

// Fraction is the number of binary places of a step in a trace.
const Fraction = 8

// Trace is one take. Tick is the rig's own counter at row 0; Pos is the frame
// position due at each row; Steps are measured positions in motor steps × 2⁸,
// per axis. Rows that never arrived are not there: Gaps says where.
type Trace struct {
	Tick  int64
	Every int64 // milliseconds from row to row; 0 is 1, and more on a slow clock
	Axes  []string
	Units []rig.Ratio
	Pos   []clock.Pos
	Steps [][]int32
	Gaps  []Gap
}

// Gap is a stretch of rows that are missing before the row with index At; at the
// very beginning At is 0.
type Gap struct{ At, Rows int }

// Row is the rig's own number of the row with an index: more than the index by
// the rows that are missing before it.
func (t *Trace) Row(index int) int {
	n := index
	for _, g := range t.Gaps {
		if g.At <= index {
			n += g.Rows
		}
	}
	return n
}

// Whole reports whether no row is missing among those that are there.
func (t *Trace) Whole() bool { return len(t.Gaps) == 0 }

// Unbroken is how many rows there are from row 0 to the first gap.
func (t *Trace) Unbroken() int {
	if len(t.Gaps) > 0 {
		return t.Gaps[0].At
	}
	return len(t.Pos)
}

// Append adds rows that begin with the rig's number from. Rows that are there
// already are left alone; where rows are missing before, a gap is noted.
func (t *Trace) Append(from int, pos []clock.Pos, steps [][]int32) {
	have := 0
	if n := len(t.Pos); n > 0 {
		have = t.Row(n-1) + 1
	}
	skip := have - from
	if skip >= len(pos) {
		return
	}
	if skip < 0 {
		t.Gaps, skip = append(t.Gaps, Gap{len(t.Pos), -skip}), 0
	}
	t.Pos = append(t.Pos, pos[skip:]...)
	for a := range t.Steps {
		t.Steps[a] = append(t.Steps[a], steps[a][skip:]...)
	}
}

// EveryMS is how many milliseconds its rows lie apart.
func (t *Trace) EveryMS() int64 { return max(t.Every, 1) }

// Value is a measured position in the axis's unit.
func (t *Trace) Value(axis, row int) float64 { return unit(float64(t.Steps[axis][row]), t.Units[axis]) }

func unit(steps float64, u rig.Ratio) float64 {
	return steps / (1 << Fraction) * float64(u.Den) / float64(u.Num)
}

func (t *Trace) gapBefore(index int) bool {
	for _, g := range t.Gaps {
		if g.At == index {
			return true
		}
	}
	return false
}

// Unseen lists, in sentences, what the rig's feedback cannot show.
func Unseen(r *rig.Rig) []string {
	out := []string{}
	for _, a := range r.Axes {
		switch a.Feedback {
		case rig.SeesNothing:
			out = append(out, fmt.Sprintf("%s: open loop. Lost steps and slipping are not seen.", a.Name))
		case rig.SeesMotor:
			out = append(out,
				fmt.Sprintf("%s: seen at the motor only. Slack and slipping behind it are not seen.", a.Name))
		}
	}
	return append(out, "Flex and shaking of the mount are not seen by any axis.")
}
