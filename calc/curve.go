package calc

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"keenarc/core/curve"
)

// CurveRequest asks for one kind of curve through keyframes of any number of
// axes, sampled at a rate.
type CurveRequest struct {
	Kind   curve.Kind            `json:"kind,omitempty" enum:"smooth,through,natural,clamped,monotone,akima,linear,hold" doc:"smooth when left out"`
	Ends   curve.Ends            `json:"ends,omitempty" enum:"rest,secant,shape" doc:"through: rest (default) or secant; monotone: rest (default) or shape"`
	Slopes map[string][2]float64 `json:"slopes,omitempty" doc:"clamped: slope per second at the first and last key, by axis; zero when left out"`
	BlendS float64               `json:"blend_s,omitempty" doc:"linear: seconds of parabolic blend at corners and ends; none when left out"`
	RateHz float64               `json:"rate_hz" doc:"samples per second"`
	Keys   CurveKeys             `json:"keys"`
}

// CurveKeys are keyframe times in seconds, rising, and each axis's values there.
type CurveKeys struct {
	TimesS []float64            `json:"t_s"`
	Axes   map[string][]float64 `json:"axes"`
}

// CurveAnswer is sampled from the first to the last key inclusive.
type CurveAnswer struct {
	TimesS []float64             `json:"t_s"`
	Axes   map[string]*CurveAxis `json:"axes"`
}

// CurveAxis is one axis's samples (right-handed at keys, the last one
// left-handed) and the exact maxima of absolute values over the whole curve.
// A maximum is null where a jump makes it infinite; the jump is listed.
type CurveAxis struct {
	Position         []float64   `json:"position"`
	Speed            []float64   `json:"speed"`
	Acceleration     []float64   `json:"acceleration"`
	Jerk             []float64   `json:"jerk"`
	MaxSpeed         *float64    `json:"max_speed" nullable:"true"`
	MaxSpeedAt       float64     `json:"max_speed_at_s"`
	MaxAcceleration  *float64    `json:"max_acceleration" nullable:"true"`
	MaxAccelerationS float64     `json:"max_acceleration_at_s"`
	MaxJerk          *float64    `json:"max_jerk" nullable:"true"`
	MaxJerkAt        float64     `json:"max_jerk_at_s"`
	Jumps            []CurveJump `json:"jumps"`
}

// CurveJump is a step inside the curve.
type CurveJump struct {
	AtS float64 `json:"at_s"`
	Of  string  `json:"of" enum:"position,speed,acceleration"`
	By  float64 `json:"by"`
}

// MaxSamples is the most samples of one answer over all its axes.
const MaxSamples = 4_000_000

func init() {
	add("curve", "One curve per axis through keyframes, with exact derivatives and maxima.",
		`{"kind":"natural","rate_hz":5,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`, runCurve)
}

func runCurve(q *CurveRequest) (*CurveAnswer, error) {
	times, err := sampleTimes(q)
	if err != nil {
		return nil, err
	}
	out := &CurveAnswer{TimesS: times, Axes: map[string]*CurveAxis{}}
	names := make([]string, 0, len(q.Keys.Axes))
	for n := range q.Keys.Axes {
		names = append(names, n)
	}
	slices.Sort(names)
	for n := range q.Slopes {
		if !slices.Contains(names, n) {
			return nil, &FieldError{"slopes." + n, "there is no such axis", "name an axis of keys.axes"}
		}
	}
	for _, n := range names {
		c, err := curve.New(q.Keys.TimesS, q.Keys.Axes[n], curve.Spec{Kind: q.Kind, Ends: q.Ends, Slopes: q.Slopes[n], Blend: q.BlendS})
		if err != nil {
			return nil, curveError(err, n)
		}
		out.Axes[n] = sampleAxis(c, times)
	}
	return out, nil
}

func curveError(err error, axis string) error {
	var ke *curve.KeyError
	if !errors.As(err, &ke) {
		return err
	}
	field := ke.Field
	switch {
	case strings.HasPrefix(field, "x"):
		field = "keys.t_s" + field[1:]
	case strings.HasPrefix(field, "y"):
		field = "keys.axes." + axis + field[1:]
	case field == "blend":
		field = "blend_s"
	case field == "slopes":
		field = "slopes." + axis
	}
	return &FieldError{field, ke.Wrong, ke.Want}
}

// sampleTimes are k/rate from the first key; samples that fall on a key but
// for rounding are put exactly there, and a last key off the grid is appended.
func sampleTimes(q *CurveRequest) ([]float64, error) {
	t := q.Keys.TimesS
	switch {
	case !(q.RateHz > 0) || math.IsInf(q.RateHz, 0):
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%g is not a rate", q.RateHz), "give samples per second, above zero"}
	case len(t) == 0:
		return nil, &FieldError{"keys.t_s", "there is no keyframe", "give at least one time in seconds"}
	case len(q.Keys.Axes) == 0:
		return nil, &FieldError{"keys.axes", "no axis is named", `give values by axis, as {"pan":[0,10,4]}`}
	}
	for i, v := range t {
		if i > 0 && v <= t[i-1] {
			return nil, &FieldError{fmt.Sprintf("keys.t_s[%d]", i), fmt.Sprintf("%g s does not come after %g s", v, t[i-1]), "put the times in rising order, no two the same"}
		}
	}
	first, last := t[0], t[len(t)-1]
	n := (last - first) * q.RateHz
	if (n+1)*float64(len(q.Keys.Axes)) > MaxSamples {
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%.4g samples would be needed", (n+1)*float64(len(q.Keys.Axes))), fmt.Sprintf("keep keys.t_s and rate_hz to %d samples over all axes", MaxSamples)}
	}
	near := 1e-9 / q.RateHz
	out := make([]float64, 0, int(n)+2)
	key := 0
	for k := 0; ; k++ {
		at := first + float64(k)/q.RateHz
		for key < len(t)-1 && t[key] < at-near {
			key++
		}
		if math.Abs(t[key]-at) <= near {
			at = t[key]
		}
		if at >= last {
			break
		}
		out = append(out, at)
	}
	return append(out, last), nil
}

func sampleAxis(c *curve.Curve, times []float64) *CurveAxis {
	n := len(times)
	a := &CurveAxis{Position: make([]float64, n), Speed: make([]float64, n), Acceleration: make([]float64, n), Jerk: make([]float64, n), Jumps: []CurveJump{}}
	for i, at := range times {
		s := c.At(at)
		a.Position[i], a.Speed[i], a.Acceleration[i], a.Jerk[i] = s.P, s.V, s.A, s.J
	}
	jumps := c.Jumps(2)
	for _, j := range jumps {
		a.Jumps = append(a.Jumps, CurveJump{j.At, [3]string{"position", "speed", "acceleration"}[j.Order], j.By})
	}
	for order, to := range map[int]struct {
		max **float64
		at  *float64
	}{1: {&a.MaxSpeed, &a.MaxSpeedAt}, 2: {&a.MaxAcceleration, &a.MaxAccelerationS}, 3: {&a.MaxJerk, &a.MaxJerkAt}} {
		v, at := c.MaxAbs(order)
		*to.max, *to.at = &v, at
		for _, j := range jumps {
			if j.Order < order {
				*to.max, *to.at = nil, j.At
				break
			}
		}
	}
	return a
}
