package standin

import (
	"keenarc/core/clock"
	"math"

	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/core/seal"
)

// The rig believes nobody: it checks a table on its own integers, against its
// own rated limits, on the clock that it is to be run on, and works out by
// itself how long it needs to come to rest on the path from anywhere in it.

// strides are the distances in ticks at which differences are taken. Rounding
// to 2⁻¹⁶ step is worth 2q·hz² of acceleration between neighbours, which at a
// high rate hides a per cent; over a longer stretch it is worth less, and the
// mean of an acceleration is never more than its largest.
var strides = [...]int{1, 2, 4, 8, 16, 32}

// checkTable refuses what breaks the rig's own limits.
func (s *Sim) checkTable(t *seal.Table, fps float64) error {
	for i, row := range t.Steps {
		a, u := s.axes[i].a, t.Units[i]
		refused := func(k int, what string) error {
			return refuse("%s %s at frame %s", a.Name, what,
				limit.Frame4(float64(t.Start())+float64(k)/seal.TicksPerFrame))
		}
		for k, v := range row {
			if x := seal.Value(v, u); x < s.axes[i].soft[0]-1e-6 || x > s.axes[i].soft[1]+1e-6 {
				return refused(k, "leaves its soft limits")
			}
		}
		q := quantum(u)
		for _, m := range strides {
			hz := fps * seal.TicksPerFrame / float64(m)
			speed, acc := a.Rated.Speed*(1+1e-9)+q*hz/2, a.Rated.Acceleration*(1+1e-9)+2*q*hz*hz
			for k := range row {
				if v, b := differences(row, k, m, u, hz); math.Abs(v) > speed || math.Abs(b) > acc {
					return refused(k, "would be over its rated limits")
				}
			}
		}
	}
	return nil
}

// quantum is 2⁻¹⁶ step in the axis's unit.
func quantum(u rig.Ratio) float64 {
	return math.Abs(float64(u.Den)/float64(u.Num)) / (1 << seal.Fraction)
}

// differences are speed and acceleration around tick k over m ticks to either
// side, hz being stretches of m ticks a second. The axis stands still before the
// table begins and after it ends.
func differences(row []int64, k, m int, u rig.Ratio, hz float64) (speed, acc float64) {
	l, r := row[max(k-m, 0)], row[min(k+m, len(row)-1)]
	return seal.Value(r-l, u) / 2 * hz, seal.Value((r-row[k])-(row[k]-l), u) * hz * hz
}

// checkEases refuses a clock that breaks a rated acceleration while it changes its speed,
// or could where somebody steers it.
func (s *Sim) checkEases(t *seal.Table, c clock.Clock) error {
	for i, row := range t.Steps {
		a, u := s.axes[i].a, t.Units[i]
		bad := -1
		moments(t, row, u, c, func(k int, v, acc float64) {
			if hz := c.MaxSpeed() * seal.TicksPerFrame; math.Abs(acc) > a.Rated.Acceleration*(1+1e-6)+2*quantum(u)*hz*
				hz && bad < 0 {
				bad = k
			}
		})
		if k := jolted(a.Rated.Jerk, row, u, c); bad < 0 && k >= 0 {
			return refuse("%s would be over its rated jerk if the clock were steered at frame %s", a.Name,
				limit.Frame4(float64(t.Start())+float64(k)/seal.TicksPerFrame))
		}
		if bad >= 0 {
			return refuse("%s would be over its rated acceleration while the clock changes its speed at frame %s",
				a.Name, limit.Frame4(float64(t.Start())+float64(bad)/seal.TicksPerFrame))
		}
	}
	return nil
}

// jolted is the first tick at which somebody who steers could make more jerk of an axis's speed and
// acceleration than it is rated for, or −1: |q′|·f⃛ + 3|q″|·ḟ·f̈, each at its most. A jerk of 0 is
// no limit.
func jolted(most float64, row []int64, u rig.Ratio, c clock.Clock) int {
	tr, fps := c.Traits(), c.MaxSpeed()
	if most <= 0 || tr.Jolt == 0 {
		return -1
	}
	const hz = seal.TicksPerFrame
	most = most*(1+1e-6) + quantum(u)*hz/2*tr.Jolt + 6*quantum(u)*hz*hz*fps*tr.Free
	for k := range row {
		v, acc := differences(row, k, 1, u, hz)
		if math.Abs(v)*tr.Jolt+3*math.Abs(acc)*fps*tr.Free > most {
			return k
		}
	}
	return -1
}

// moments calls f with the speed and the acceleration of an axis at ticks of the table, at
// all moments at which a clock changes its speed or might be steered to.
func moments(t *seal.Table, row []int64, u rig.Ratio, c clock.Clock, f func(k int, v, acc float64)) {
	at := func(k int, fps, change float64) {
		v, acc := differences(row, k, 1, u, seal.TicksPerFrame)
		f(k, v*fps, acc*fps*fps+v*change)
	}
	eases := c.Eases()
	parts := 64
	if len(eases) > 2000 {
		parts = 8
	}
	for _, e := range eases {
		for n := range parts + 1 {
			gone, v, a := e.Gone(float64(n) / float64(parts))
			k := int(math.Round((e.From + gone - float64(t.Start())) * seal.TicksPerFrame))
			at(min(max(k, 0), len(row)-1), v, a)
		}
	}
	tr := c.Traits()
	if tr.Free == 0 {
		return
	}
	const speeds = 8
	for k := range row {
		for n := 1; n <= speeds; n++ {
			v := c.MaxSpeed() * float64(n) / speeds
			for _, change := range [...]float64{tr.Free, -tr.Free} {
				at(k, v, change)
				at(k, -v, change)
			}
		}
	}
}

// brakeFor is the shortest braking in seconds that keeps every axis within its
// rated acceleration, from wherever in the table it begins, and the axis that
// needs it. While the clock runs at share r of its rate and changes by ṙ a
// second the acceleration is q″·r² + q′·ṙ (both terms count), with
// r = 1 − 3u² + 2u³ and ṙ = −6u(1 − u)/seconds.
func (s *Sim) brakeFor(t *seal.Table, c clock.Clock) (seconds float64, name string) {
	hz := c.MaxSpeed() * seal.TicksPerFrame
	tr := c.Traits()
	for i, row := range t.Steps {
		u := t.Units[i]
		most := s.axes[i].a.Rated.Acceleration + 2*quantum(u)*hz*hz
		need := func(_ int, v, acc float64) {
			if n := restIn(v, acc, most, seconds); n > seconds {
				seconds, name = n, s.axes[i].a.Name
			}
		}
		for k := range row {
			v, acc := differences(row, k, 1, u, hz)
			need(k, v, acc)
			if tr.Backward {
				need(k, -v, acc)
			}
		}
		moments(t, row, u, c, need)
	}
	return seconds, name
}

// restIn is the least number of seconds in which a clock may slow while an axis
// has this speed and acceleration on it. What cannot be more than floor is not
// worked out.
func restIn(v, acc, most, floor float64) float64 {
	if math.Abs(v)*1.5 <= floor*(most-math.Abs(acc)) {
		return 0
	}
	along := acc // acceleration in the direction of travel: positive helps against the slowing
	if v < 0 {
		along = -acc
	}
	need := 0.0
	const parts = 200
	for n := range parts {
		u := float64(n) / parts
		r := 1 - 3*u*u + 2*u*u*u
		left := most + along*r*r
		if left <= 0 {
			return math.Inf(1)
		}
		need = max(need, math.Abs(v)*6*u*(1-u)/left)
	}
	return need
}

// brakeFor is the length of a stop on a way, from wherever it begins.
func (w *way) brakeFor(axes []axis) float64 {
	seconds := 0.3
	const parts = 200
	for n := range parts + 1 {
		u := float64(n) / parts
		for i := range axes {
			d := w.to[i] - w.from[i]
			v := d * 30 * u * u * (1 + u*(u-2)) / w.seconds
			acc := d * 60 * u * (1 + u*(2*u-3)) / (w.seconds * w.seconds)
			seconds = max(seconds, restIn(v, acc, axes[i].a.Rated.Acceleration, seconds))
		}
	}
	return seconds
}
