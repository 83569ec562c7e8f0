// Package limit checks a compiled motion against a rig's limits on a clock and
// computes remedies. On a clock of fps frames per second an axis moves at
// q′(f)·fps and accelerates at q″(f)·fps² (plus q′·f̈ while the clock itself
// changes, see Brake), and its jerk is q‴(f)·fps³. Maxima and the frames over a limit come from the roots
// of the polynomial pieces and are exact; only Profile, for drawing, samples.
package limit

import (
	"fmt"
	"math"
	"sort"

	"keenarc/core/curve"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// Quantity is what is limited.
type Quantity string

// The quantities.
const (
	Speed        Quantity = "speed"
	Acceleration Quantity = "acceleration"
	Jerk         Quantity = "jerk"
	Range        Quantity = "range"
)

// Peak is the worst of one quantity on one axis.
type Peak struct {
	Max   float64 `json:"max"`
	Limit float64 `json:"limit"`
	Share float64 `json:"share"`
	At    float64 `json:"at"`
}

// Violation is one unbroken stretch of frames over one limit.
type Violation struct {
	Axis     string   `json:"axis"`
	Quantity Quantity `json:"quantity"`
	From     float64  `json:"from"`
	To       float64  `json:"to"`
	Share    float64  `json:"share"` // of the limit; for range 1 + overrun / range
	At       float64  `json:"at"`    // frame of the worst
	Over     float64  `json:"over"`  // by how much, in the axis's unit (per s, per s²)
	Below    bool     `json:"below"` // range only: past the lower soft limit
}

// AxisReport is one axis's part of a check.
type AxisReport struct {
	Axis         string       `json:"axis"`
	Speed        Peak         `json:"speed"`
	Acceleration Peak         `json:"acceleration"`
	Jerk         Peak         `json:"jerk"` // between its steps of acceleration, which are listed
	Low          float64      `json:"low"`
	High         float64      `json:"high"`
	Share        float64      `json:"share"`
	ShareAt      float64      `json:"share_at"`
	Jumps        []curve.Jump `json:"jumps"`
}

// Report is the answer of Check.
type Report struct {
	FPS        float64      `json:"fps"`
	Axes       []AxisReport `json:"axes"`
	Violations []Violation  `json:"violations"` // past a soft limit first, then worst first
}

// OK reports whether nothing is over a limit.
func (r *Report) OK() bool { return len(r.Violations) == 0 }

// Sealable reports whether the motion is free of steps in position and speed,
// with the first one when it is not.
func (r *Report) Sealable() (axis string, j curve.Jump, ok bool) {
	for _, a := range r.Axes {
		for _, j := range a.Jumps {
			if j.Order < 2 {
				return a.Axis, j, false
			}
		}
	}
	return "", curve.Jump{}, true
}

// Working and Rated choose which limits count.
func Working(a *rig.Axis) rig.Limits { return a.Working }

// Rated chooses the maker's limits.
func Rated(a *rig.Axis) rig.Limits { return a.Rated }

// Check compares a motion with limits on a clock of fps frames per second.
func Check(m *path.Motion, r *rig.Rig, fps float64, which func(*rig.Axis) rig.Limits) *Report {
	rep := &Report{FPS: fps, Axes: make([]AxisReport, len(r.Axes)), Violations: []Violation{}}
	for i := range r.Axes {
		a, c := &r.Axes[i], m.Curves[i]
		lim := which(a)
		x := &rep.Axes[i]
		x.Axis, x.Jumps = a.ID, append([]curve.Jump{}, m.Jumps[i]...)
		x.Speed = rep.derivative(c, a, Speed, 1, fps, lim.Speed)
		x.Acceleration = rep.derivative(c, a, Acceleration, 2, fps*fps, lim.Acceleration)
		if lim.Jerk > 0 { // without one it is not limited
			x.Jerk = rep.derivative(c, a, Jerk, 3, fps*fps*fps, lim.Jerk)
		}
		x.Low, _, x.High, _ = c.Range()
		for _, p := range [...]Peak{x.Speed, x.Acceleration, x.Jerk} {
			if p.Share > x.Share {
				x.Share, x.ShareAt = p.Share, p.At
			}
		}
		for _, s := range Over(c, 0, a.Min-1e-9, a.Max+1e-9) {
			rep.rangeViolation(a, s)
		}
	}
	sort.SliceStable(rep.Violations, func(i, j int) bool {
		a, b := rep.Violations[i], rep.Violations[j]
		if (a.Quantity == Range) != (b.Quantity == Range) {
			return a.Quantity == Range
		}
		return a.Share > b.Share
	})
	return rep
}

func (rep *Report) derivative(c *curve.Curve, a *rig.Axis, q Quantity, order int, scale, lim float64) Peak {
	v, at := c.MaxAbs(order)
	p := Peak{Max: v * scale, Limit: lim, Share: v * scale / lim, At: at}
	if p.Share <= 1 {
		return p
	}
	for _, s := range c.Outside(order, -lim/scale, lim/scale) {
		worst, at := worstIn(c, order, s)
		rep.Violations = append(rep.Violations, Violation{Axis: a.ID, Quantity: q, From: s.From, To: s.To, At: at,
			Share: worst * scale / lim, Over: worst*scale - lim})
	}
	return p
}

func (rep *Report) rangeViolation(a *rig.Axis, s Stretch) {
	v := Violation{Axis: a.ID, Quantity: Range, From: s.From, To: s.To, At: s.At, Over: s.Most - a.Max}
	if a.Min-s.Most > v.Over {
		v.Over, v.Below = a.Min-s.Most, true
	}
	v.Share = 1 + v.Over/(a.Max-a.Min)
	rep.Violations = append(rep.Violations, v)
}

func worstIn(c *curve.Curve, order int, s curve.Span) (float64, float64) {
	return c.Clip(s).MaxAbs(order)
}

// Profile is, per axis and frame in [from, to], the share of the limit in use
// (the largest of speed, acceleration and jerk), with the sign of the direction of
// travel. step > 1 keeps the largest of every step frames.
func Profile(m *path.Motion, r *rig.Rig, fps float64, from, to, step int) [][]float64 {
	n := to - from + 1
	buf := make([]curve.Sample, n)
	out := make([][]float64, len(m.Curves))
	for i, c := range m.Curves {
		c.Into(buf, float64(from), 1)
		lim := r.Axes[i].Working
		row := make([]float64, 0, n/step+1)
		for k := 0; k < n; k += step {
			top := 0.0
			for _, s := range buf[k:min(k+step, n)] {
				v := s.V * fps / lim.Speed
				share := max(math.Abs(v), math.Abs(s.A)*fps*fps/lim.Acceleration)
				if lim.Jerk > 0 {
					share = max(share, math.Abs(s.J)*fps*fps*fps/lim.Jerk)
				}
				if share > math.Abs(top) {
					top = math.Copysign(share, v)
				}
			}
			row = append(row, math.Round(top*1e4)/1e4)
		}
		out[i] = row
	}
	return out
}

// Sentence says which axis, how much and which frames, as on the set.
func Sentence(r *rig.Rig, v Violation, fps float64) string {
	a := r.Axes[r.Index(v.Axis)]
	frames := fmt.Sprintf("%s–%s", Frame4(math.Floor(v.From)), Frame4(math.Ceil(v.To)))
	if v.Quantity == Range {
		lim := a.Max
		if v.Below {
			lim = a.Min
		}
		return fmt.Sprintf("%s runs %.3g %s past its soft limit %g, %s.", a.Name, v.Over, a.Unit.Symbol(), lim, frames)
	}
	return fmt.Sprintf("%s runs %s over its %s, %s, at %s fps.", a.Name, percentOver(v.Share), v.Quantity,
		frames, trim(fps))
}

func percentOver(share float64) string {
	p := (share - 1) * 100
	if p < 1 {
		return fmt.Sprintf("%.1f%%", math.Ceil(p*10-1e-9)/10)
	}
	return fmt.Sprintf("%.0f%%", math.Ceil(p-1e-9))
}

func trim(v float64) string { return fmt.Sprintf("%.4g", v) }

// Frame4 writes a frame number with four digits, as everywhere on screen.
func Frame4(f float64) string {
	if f < 0 {
		return fmt.Sprintf("-%04.0f", -f)
	}
	return fmt.Sprintf("%04.0f", f)
}
