package journal

import (
	"fmt"
	"time"

	"keenarc/core/clock"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// LineUp is one day's lining up of one machine: what was set and measured for this
// payload, this supply and this place. It changes no rig version and voids no seal:
// seals are held against the newest one when they are armed.
type LineUp struct {
	// Axes by the rig's own names; one that is left out is as the rig describes it.
	Axes map[string]DayAxis `json:"axes"`
	// Chains are what starts together: how late each is, and how its clock runs.
	Chains []Chain `json:"chains,omitempty"`
	// Marks of the lens; none: as the camera's own.
	Marks []lens.Mark `json:"marks,omitempty"`
}

// Chain is one device that is started together with the rig, as it was measured.
type Chain struct {
	Name     string        `json:"name"`
	FPS      float64       `json:"fps"`
	Delays   clock.Delays  `json:"delays"`
	Clock    clock.Against `json:"clock"`
	WithinMS float64       `json:"within_ms" doc:"what the delays are known to"`
	At       time.Time     `json:"at"`
	// QuarterMin is after how many minutes it is off by a quarter of a frame; left out
	// where that takes longer than a day.
	QuarterMin float64 `json:"quarter_min,omitempty"`
}

// DayAxis is one axis's part of a line-up. Spread is how far its last homings lay
// apart when it was made, over so many of them.
type DayAxis struct {
	Soft    [2]float64 `json:"soft"`
	Working rig.Limits `json:"working"`
	Spread  float64    `json:"spread"`
	Homings int        `json:"homings"`
	// Zero is where the plan's zero lies, laid over home and never instead of it.
	Zero float64 `json:"zero,omitempty"`
}

// On is a rig as it is lined up; without a line-up, as it is described.
func (l *LineUp) On(r *rig.Rig) (*rig.Rig, error) {
	if l == nil {
		return r, nil
	}
	out := *r
	out.Axes = append([]rig.Axis(nil), r.Axes...)
	for id, d := range l.Axes {
		i := r.Index(id)
		if i < 0 {
			return nil, fmt.Errorf("line-up: %w", &path.Error{Field: id, Wrong: fmt.Sprintf("%s has no such axis",
				r.Name), Want: "use " + path.AxisList(r)})
		}
		a := &out.Axes[i]
		switch {
		case !(d.Soft[0] < d.Soft[1] && d.Soft[0] >= a.Hard[0] && d.Soft[1] <= a.Hard[1]):
			return nil, &path.Error{Field: id + ".soft", Wrong: fmt.Sprintf("soft limits %g to %g %s", d.Soft[0],
				d.Soft[1], a.Unit.Symbol()),
				Want: fmt.Sprintf("give two in rising order within the hard ends %g to %g", a.Hard[0], a.Hard[1])}
		case !(d.Zero >= a.Hard[0] && d.Zero <= a.Hard[1]):
			return nil, &path.Error{Field: id + ".zero", Wrong: fmt.Sprintf("a zero at %g %s", d.Zero, a.Unit.Symbol()),
				Want: fmt.Sprintf("give one within the hard ends %g to %g", a.Hard[0], a.Hard[1])}
		case !(d.Working.Speed > 0 && d.Working.Speed <= a.Rated.Speed):
			return nil, &path.Error{Field: id + ".speed", Wrong: fmt.Sprintf("a working speed of %g %s/s",
				d.Working.Speed, a.Unit.Symbol()), Want: fmt.Sprintf("give more than 0 and at most the rated %g",
				a.Rated.Speed)}
		case !(d.Working.Acceleration > 0 && d.Working.Acceleration <= a.Rated.Acceleration):
			return nil, &path.Error{Field: id + ".acceleration",
				Wrong: fmt.Sprintf("a working acceleration of %g %s/s²", d.Working.Acceleration, a.Unit.Symbol()),
				Want:  fmt.Sprintf("give more than 0 and at most the rated %g", a.Rated.Acceleration)}
		case !(d.Working.Jerk >= 0 && d.Working.Jerk <= a.Rated.Jerk):
			return nil, &path.Error{Field: id + ".jerk", Wrong: fmt.Sprintf("a working jerk of %g %s/s³",
				d.Working.Jerk, a.Unit.Symbol()),
				Want: fmt.Sprintf("give at most the rated %g, or 0 for the one of its description", a.Rated.Jerk)}
		}
		a.Min, a.Max = d.Soft[0], d.Soft[1]
		a.Working.Speed, a.Working.Acceleration = d.Working.Speed, d.Working.Acceleration
		if d.Working.Jerk > 0 { // it is held against the path's curves: in whole steps a table has none
			a.Working.Jerk = d.Working.Jerk
		}
	}
	return &out, out.Check()
}

// Planned is a rig as it is lined up, counted from the plan's zeros.
func (l *LineUp) Planned(r *rig.Rig) (*rig.Rig, error) {
	on, err := l.On(r)
	if err != nil || l == nil {
		return on, err
	}
	out := *on
	out.Axes = append([]rig.Axis(nil), on.Axes...)
	for i, a := range out.Axes {
		out.Axes[i] = a.Zeroed(l.Axes[a.ID].Zero)
	}
	if b := on.Book; b != nil && b.Poses != nil { // they are counted from there, too
		book := *b
		book.Poses = map[string]map[string]float64{}
		for name, pose := range b.Poses {
			book.Poses[name] = map[string]float64{}
			for id, v := range pose {
				book.Poses[name][id] = v - l.Axes[id].Zero
			}
		}
		out.Book = &book
	}
	return &out, out.Check()
}

// Fitted is a line-up as far as it fits another version of its machine, whose ends may lie
// elsewhere: limits only get narrower by it. says is what does not fit, or empty.
func (l *LineUp) Fitted(r *rig.Rig) (fits *LineUp, says string) {
	if l == nil {
		return nil, ""
	}
	if _, err := l.Planned(r); err == nil {
		return l, ""
	}
	out := *l
	out.Axes = map[string]DayAxis{}
	for i := range r.Axes {
		a := &r.Axes[i]
		d, ok := l.Axes[a.ID]
		if !ok {
			continue
		}
		if !(d.Zero >= a.Hard[0] && d.Zero <= a.Hard[1]) {
			d.Zero = 0
		}
		if !(d.Soft[0] >= a.Hard[0]) { // beyond the end: as it is described
			d.Soft[0] = a.Min
		}
		if !(d.Soft[1] <= a.Hard[1]) {
			d.Soft[1] = a.Max
		}
		d.Working.Speed, d.Working.Acceleration = min(d.Working.Speed, a.Rated.Speed), min(d.Working.Acceleration,
			a.Rated.Acceleration)
		if !(d.Working.Jerk >= 0 && d.Working.Jerk <= a.Rated.Jerk) {
			d.Working.Jerk = 0
		}
		if !(d.Soft[0] < d.Soft[1] && d.Working.Speed > 0 && d.Working.Acceleration > 0) {
			continue
		}
		out.Axes[a.ID] = d
	}
	says = fmt.Sprintf("the line-up of %s does not fit version %d of its description", r.Name, r.Version)
	if _, err := out.Planned(r); err != nil {
		return nil, says
	}
	return &out, says
}

// Soft are its soft limits, as the rig is told them.
func (l *LineUp) Soft() map[string][2]float64 {
	out := map[string][2]float64{}
	if l != nil {
		for id, d := range l.Axes {
			out[id] = d.Soft
		}
	}
	return out
}

// Lens is a camera with the day's marks, as its picture is framed. Marks that make no scale are
// left out; says is what is wrong with them, or empty.
func (l *LineUp) Lens(p *lens.Package) (with *lens.Package, says string) {
	p = p.Framed()
	if l == nil || len(l.Marks) == 0 {
		return p, ""
	}
	out := *p
	out.Marks = l.Marks
	if _, err := out.Scale(); err != nil {
		return p, "the day's lens marks make no scale: " + err.Error()
	}
	return &out, ""
}
