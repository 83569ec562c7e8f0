package calc

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
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
// left-handed) and its maxima.
type CurveAxis struct {
	Position     []float64 `json:"position"`
	Speed        []float64 `json:"speed"`
	Acceleration []float64 `json:"acceleration"`
	Jerk         []float64 `json:"jerk"`
	CurveMaxima
}

// CurveMaxima are the exact maxima of absolute values over the whole curve. A
// maximum is null where a jump makes it infinite; the jump is listed. Before the
// first key an axis waits there, after the last it stays there: a value that
// jumps onto its last key (hold) is listed, too.
type CurveMaxima struct {
	MaxSpeed         *float64    `json:"max_speed" nullable:"true"`
	MaxSpeedAt       float64     `json:"max_speed_at_s"`
	MaxAcceleration  *float64    `json:"max_acceleration" nullable:"true"`
	MaxAccelerationS float64     `json:"max_acceleration_at_s"`
	MaxJerk          *float64    `json:"max_jerk" nullable:"true"`
	MaxJerkAt        float64     `json:"max_jerk_at_s"`
	Jumps            []CurveJump `json:"jumps"`
}

// CurveJump is a step inside the curve or onto its last key.
type CurveJump struct {
	AtS float64 `json:"at_s"`
	Of  string  `json:"of" enum:"position,speed,acceleration"`
	By  float64 `json:"by"`
}

func init() {
	stream[CurveRequest, CurveAnswer]("curve", "One curve per axis through keyframes, with exact derivatives and maxima.",
		`{"kind":"natural","rate_hz":5,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`, runCurve)
}

// curves is the answer before it is written: samples are worked out while they
// are, so that a large answer never lies in memory.
type curves struct {
	times []float64
	names []string // sorted
	of    map[string]*curve.Curve
}

func runCurve(q *CurveRequest, b Bounds) (Answer, error) {
	times, err := sampleTimes(q, b.Samples)
	if err != nil {
		return nil, err
	}
	out := &curves{times: times, of: map[string]*curve.Curve{}}
	for n := range q.Keys.Axes {
		out.names = append(out.names, n)
	}
	slices.Sort(out.names)
	for n := range q.Slopes {
		if !slices.Contains(out.names, n) {
			return nil, &FieldError{"slopes." + n, "there is no such axis", "name an axis of keys.axes"}
		}
	}
	for _, n := range out.names {
		c, err := curve.New(q.Keys.TimesS, q.Keys.Axes[n], curve.Spec{Kind: q.Kind, Ends: q.Ends, Slopes: q.Slopes[n], Blend: q.BlendS})
		if err != nil {
			return nil, curveError(err, n)
		}
		if !bounded(c) {
			return nil, notFinite()
		}
		out.of[n] = c
	}
	return out, nil
}

// bounded reports whether every value and derivative that could be asked for is finite.
func bounded(c *curve.Curve) bool {
	for order := range 4 {
		if v, _ := c.MaxAbs(order); math.IsNaN(v) || math.IsInf(v, 0) {
			return false
		}
	}
	for _, j := range c.Jumps(2) {
		if math.IsNaN(j.By) || math.IsInf(j.By, 0) {
			return false
		}
	}
	return true
}

// batch is how many numbers are written between two looks at the context.
const batch = 4096

// Write streams the answer in the order of CurveAnswer's fields.
func (a *curves) Write(ctx context.Context, to io.Writer) error {
	w := bufio.NewWriterSize(to, 64<<10)
	if err := a.write(ctx, w); err != nil {
		return err
	}
	return w.Flush()
}

func (a *curves) write(ctx context.Context, w *bufio.Writer) error {
	_, _ = w.WriteString(`{"t_s":`)
	if err := numbers(ctx, w, a.times, func(t float64) float64 { return t }); err != nil {
		return err
	}
	_, _ = w.WriteString(`,"axes":{`)
	for i, n := range a.names {
		if i > 0 {
			_ = w.WriteByte(',')
		}
		name, err := json.Marshal(n)
		if err != nil {
			return err
		}
		_, _ = w.Write(append(name, ':', '{'))
		c := a.of[n]
		for order, field := range [4]string{"position", "speed", "acceleration", "jerk"} {
			_, _ = w.WriteString(`"` + field + `":`)
			if err := numbers(ctx, w, a.times, func(t float64) float64 { return c.At(t).Order(order) }); err != nil {
				return err
			}
			_ = w.WriteByte(',')
		}
		rest, err := json.Marshal(maxima(c))
		if err != nil {
			return err
		}
		_, _ = w.Write(rest[1:]) // its opening brace is written already
	}
	_, err := w.WriteString("}}\n")
	return err
}

// numbers writes f of every time as a JSON array, as encoding/json would.
func numbers(ctx context.Context, w *bufio.Writer, times []float64, f func(float64) float64) error {
	buf := make([]float64, 0, batch)
	_ = w.WriteByte('[')
	for from := 0; from < len(times); from += batch {
		if err := ctx.Err(); err != nil {
			return err
		}
		buf = buf[:0]
		for _, t := range times[from:min(from+batch, len(times))] {
			buf = append(buf, f(t))
		}
		b, err := json.Marshal(buf)
		if err != nil {
			return err
		}
		if from > 0 {
			b[0] = ','
		} else {
			b = b[1:]
		}
		if _, err := w.Write(b[:len(b)-1]); err != nil {
			return err
		}
	}
	return w.WriteByte(']')
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
func sampleTimes(q *CurveRequest, most int) ([]float64, error) {
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
	if !((n+1)*float64(len(q.Keys.Axes)) <= float64(most)) {
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%.4g samples would be needed", (n+1)*float64(len(q.Keys.Axes))), fmt.Sprintf("keep keys.t_s and rate_hz to %d samples over all axes", most)}
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

func maxima(c *curve.Curve) *CurveMaxima {
	a := &CurveMaxima{Jumps: []CurveJump{}}
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
