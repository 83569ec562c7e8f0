package calc

import (
	"context"
	"fmt"
	"math"
	"slices"

	"keenarc/core/curve"
	"keenarc/core/limit"
)

// LimitRequest is a curve's, with what each axis may do. rate_hz is not needed.
type LimitRequest struct {
	CurveRequest
	Limits map[string]AxisLimits `json:"limits"`
}

// AxisLimits are by second; any may be missing.
type AxisLimits struct {
	Speed        *float64 `json:"speed,omitempty"`
	Acceleration *float64 `json:"acceleration,omitempty"`
	Jerk         *float64 `json:"jerk,omitempty"`
	Min          *float64 `json:"min,omitempty"`
	Max          *float64 `json:"max,omitempty"`
}

// LimitAnswer holds every axis against its limits, exactly.
type LimitAnswer struct {
	OK         bool                  `json:"ok"`
	Axes       map[string]*LimitAxis `json:"axes"`
	Violations []LimitViolation      `json:"violations" doc:"by axis, then as speed, acceleration, jerk, range, then by time"`
}

// LimitAxis is one axis. Maxima are null where a jump makes them infinite.
type LimitAxis struct {
	Speed        LimitPeak   `json:"speed"`
	Acceleration LimitPeak   `json:"acceleration"`
	Jerk         LimitPeak   `json:"jerk"`
	Low          float64     `json:"low"`
	High         float64     `json:"high"`
	Jumps        []CurveJump `json:"jumps"`
}

// LimitPeak is the greatest absolute value, its share of the limit (null without one), and
// where it is reached.
type LimitPeak struct {
	Max   *float64 `json:"max" nullable:"true"`
	Share *float64 `json:"share" nullable:"true"`
	AtS   float64  `json:"at_s"`
}

// LimitViolation is one unbroken stretch over a limit; share is null at a jump.
type LimitViolation struct {
	Axis     string   `json:"axis"`
	Quantity string   `json:"quantity" enum:"speed,acceleration,jerk,range"`
	FromS    float64  `json:"from_s"`
	ToS      float64  `json:"to_s"`
	Share    *float64 `json:"share" nullable:"true" doc:"of the limit; of range: 1 and by how much it is past it, in units of the range, or in the axis's own where only one end is given"`
	AtS      float64  `json:"at_s"`
}

func init() {
	at("limit", "Curves held against limits of speed, acceleration, jerk and range: exact shares, and every "+
		"stretch over one.",
		`{"kind":"natural","keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}},"limits":{"pan":{"speed":9,`+
			`"acceleration":50,"min":-1,"max":10.5}}}`, runLimit)
}

var orders = [4]string{"range", "speed", "acceleration", "jerk"}

func runLimit(_ context.Context, q *LimitRequest, b Bounds) (*LimitAnswer, error) {
	a := &LimitAnswer{OK: true, Axes: map[string]*LimitAxis{}, Violations: []LimitViolation{}}
	all, err := q.laid(b)
	if err != nil {
		return nil, err
	}
	for _, n := range all.names {
		x, err := a.axis(n, all.of[n], q.Limits[n])
		if err != nil {
			return nil, err
		}
		a.Axes[n] = x
	}
	a.OK = len(a.Violations) == 0
	return a, nil
}

// laid are the request's curves, without samples.
func (q *LimitRequest) laid(b Bounds) (*curves, error) {
	if q.RateHz < 0 {
		return nil, q.isRate()
	}
	all, err := q.lay(b)
	if err != nil {
		return nil, err
	}
	for n := range q.Limits {
		if !slices.Contains(all.names, n) {
			return nil, &FieldError{"limits." + n, "there is no such axis", "name an axis of keys.axes"}
		}
	}
	return all, nil
}

func (a *LimitAnswer) axis(n string, c *curve.Curve, l AxisLimits) (*LimitAxis, error) {
	m := maxima(c)
	x := &LimitAxis{Jumps: m.Jumps}
	x.Low, _, x.High, _ = c.Range()
	for order, p := range map[int]*LimitPeak{1: &x.Speed, 2: &x.Acceleration, 3: &x.Jerk} {
		p.Max = [4]*float64{nil, m.MaxSpeed, m.MaxAcceleration, m.MaxJerk}[order]
		p.AtS = [4]float64{0, m.MaxSpeedAt, m.MaxAccelerationS, m.MaxJerkAt}[order]
	}
	for order, given := range [4]*float64{nil, l.Speed, l.Acceleration, l.Jerk} {
		if order == 0 || given == nil {
			continue
		}
		lim := *given
		if !(lim > 0) || math.IsInf(lim, 0) {
			return nil, &FieldError{fmt.Sprintf("limits.%s.%s", n, orders[order]), fmt.Sprintf("it is %g", lim),
				"give one above zero, or leave it out"}
		}
		p := [4]*LimitPeak{nil, &x.Speed, &x.Acceleration, &x.Jerk}[order]
		if p.Max != nil {
			share := *p.Max / lim
			p.Share = &share
		}
		for _, j := range m.Jumps { // a step of what comes before it makes it infinite
			if slices.Index([]string{"position", "speed", "acceleration"}, j.Of) < order {
				a.Violations = append(a.Violations, LimitViolation{n, orders[order], j.AtS, j.AtS, nil, j.AtS})
			}
		}
		for _, s := range limit.Over(c, order, -lim, lim) {
			share := s.Most / lim
			a.Violations = append(a.Violations, LimitViolation{n, orders[order], s.From, s.To, &share, s.At})
		}
	}
	low, high := math.Inf(-1), math.Inf(1)
	if l.Min != nil {
		low = *l.Min
	}
	if l.Max != nil {
		high = *l.Max
	}
	if !(low < high) || math.IsInf(low, 1) || math.IsInf(high, -1) {
		return nil, &FieldError{"limits." + n + ".min", fmt.Sprintf("it goes from %g to %g", low, high),
			"give a min below the max, or leave them out"}
	}
	for _, s := range limit.Over(c, 0, low, high) {
		share := s.Past
		if !math.IsInf(high-low, 0) {
			share /= high - low
		}
		share++
		a.Violations = append(a.Violations, LimitViolation{n, "range", s.From, s.To, &share, s.At})
	}
	return x, nil
}
