package calc

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strings"

	"keenarc/core/curve"
)

// CurveRequest asks for one kind of curve through keyframes of any number of
// axes, sampled at a rate.
type CurveRequest struct {
	Kind          curve.Kind             `json:"kind,omitempty" enum:"smooth,through,natural,clamped,monotone,akima,tcb,quintic,ramp,handles,linear,hold,ahead" doc:"smooth when left out"`
	Ends          curve.Ends             `json:"ends,omitempty" enum:"rest,secant,shape" doc:"through and tcb: rest (default) or secant; monotone: rest (default) or shape"`
	Slopes        map[string]CurveSlopes `json:"slopes,omitempty" doc:"by axis. clamped: slope per second at the first and the last key; quintic: one for each key, that of the ends 0, or one for each inner key; zero when left out"`
	Accelerations map[string][]float64   `json:"accelerations,omitempty" doc:"by axis. quintic: per second², one for each key, that of the ends 0, or one for each inner key; zero when left out"`
	BlendS        float64                `json:"blend_s,omitempty" doc:"linear: seconds of parabolic blend at corners and ends; none when left out"`
	Law           curve.Law              `json:"law,omitempty" enum:"trapezoid,s-curve,sine,min-jerk" doc:"ramp: how speed is gathered and lost on each leg; trapezoid when left out"`
	RampS         *[2]float64            `json:"ramp_s,omitempty" doc:"ramp: seconds to gather and to lose speed on each leg; a third of it each when left out"`
	RampJerk      float64                `json:"ramp_jerk,omitempty" minimum:"0" doc:"ramp by s-curve: the jerk of its ramps, per second³; as thirds of the ramp when left out"`
	Segments      map[int]curve.Kind     `json:"segments,omitempty" doc:"another kind for single legs, by number from 0"`
	RateHz        float64                `json:"rate_hz" doc:"samples per second"`
	Keys          CurveKeys              `json:"keys"`
	// What tcb and handles have at each key, for all axes.
	Tension    []float64               `json:"tension,omitempty" doc:"tcb: one for each key, −1 to 1"`
	Continuity []float64               `json:"continuity,omitempty" doc:"tcb: one for each key, −1 to 1"`
	Bias       []float64               `json:"bias,omitempty" doc:"tcb: one for each key, −1 to 1"`
	In         map[string][][2]float64 `json:"in,omitempty" doc:"handles, by axis: where the one behind each key ends, as seconds (0 or less) and value from the key; [0,0]: a third of the leg"`
	Out        map[string][][2]float64 `json:"out,omitempty" doc:"handles, by axis: where the one ahead of each key ends; [0,0]: a third of the leg"`
}

// CurveSlopes are per second.
type CurveSlopes []float64

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
	stream[CurveRequest, CurveAnswer]("curve",
		"One curve per axis through keyframes, with exact derivatives and maxima.",
		`{"kind":"natural","rate_hz":5,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`, runCurve)
}

// curves is the answer before it is written: samples are worked out while they
// are, so that a large answer never lies in memory.
type curves struct {
	times []float64
	names []string // sorted
	of    map[string]*curve.Curve
}

func runCurve(_ context.Context, q *CurveRequest, b Bounds) (Answer, error) {
	if err := q.isRate(); err != nil { // said before what is wrong with keyframes
		return nil, err
	}
	if err := q.keyed(); err != nil {
		return nil, err
	}
	times, err := sampleTimes(q, b.Samples) // before anything is laid for samples that are too many
	if err != nil {
		return nil, err
	}
	out, err := q.lay(b)
	if err != nil {
		return nil, err
	}
	out.times = times
	return out, nil
}

// mostNumber bounds the times and the values of keyframes: powers of what is larger are no
// numbers any more.
const mostNumber = 1e60

// lay lays the curves, without samples.
func (q *CurveRequest) lay(b Bounds) (*curves, error) {
	if err := q.keyed(); err != nil {
		return nil, err
	}
	out := &curves{of: map[string]*curve.Curve{}}
	for n := range q.Keys.Axes {
		out.names = append(out.names, n)
	}
	slices.Sort(out.names)
	if err := q.named(out.names); err != nil {
		return nil, err
	}
	pieces := 0
	for _, n := range out.names {
		for i, v := range q.Keys.Axes[n] {
			if !(math.Abs(v) <= mostNumber) {
				return nil, &FieldError{fmt.Sprintf("keys.axes.%s[%d]", n, i), fmt.Sprintf("%g is too large", v),
					fmt.Sprintf("keep it within ±%g", mostNumber)}
			}
		}
		spec, err := q.spec(n)
		if err != nil {
			return nil, err
		}
		spec.Most = max(b.Pieces-pieces, 1)
		c, err := curve.New(q.Keys.TimesS, q.Keys.Axes[n], spec)
		if err != nil {
			return nil, curveError(err, n)
		}
		if pieces += len(c.C); pieces > b.Pieces {
			return nil, &FieldError{"keys.axes." + n, fmt.Sprintf("the curves up to it have %d pieces", pieces),
				fmt.Sprintf("keep it to %d", b.Pieces)}
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

// named refuses what is said of axes that are not there.
func (q *CurveRequest) named(axes []string) error {
	for _, l := range []struct {
		field string
		names []string
	}{{"slopes", sortedKeys(q.Slopes)}, {"accelerations", sortedKeys(q.Accelerations)}, {"in", sortedKeys(q.In)},
		{"out", sortedKeys(q.Out)}} {
		for _, n := range l.names {
			if !slices.Contains(axes, n) {
				return &FieldError{l.field + "." + n, "there is no such axis", "name an axis of keys.axes"}
			}
		}
	}
	return nil
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// spec is the choice for one axis.
//
//revive:disable-next-line:function-length one kind of curve after another
func (q *CurveRequest) spec(axis string) (curve.Spec, error) {
	s := curve.Spec{Kind: q.Kind, Ends: q.Ends, Blend: q.BlendS, Segments: q.Segments}
	n := len(q.Keys.TimesS)
	if q.Law != "" || q.RampS != nil || q.RampJerk != 0 {
		if q.Kind != curve.Ramped && !slices.Contains(slices.Collect(maps.Values(q.Segments)), curve.Ramped) {
			return s, &FieldError{"law", fmt.Sprintf("kind %s takes no ramps", q.Kind),
				"use ramp, or leave law, ramp_s and ramp_jerk out"}
		}
		r := curve.Ramp{Law: q.Law, Jerk: q.RampJerk}
		if r.Law == "" {
			r.Law = curve.Trapezoid
		}
		if s.Ramp = &r; q.RampS != nil {
			r.In, r.Out = q.RampS[0], q.RampS[1]
		} else {
			s.Ramp, s.Ramps = nil, map[int]curve.Ramp{}
			for i := range n - 1 {
				r.In = (q.Keys.TimesS[i+1] - q.Keys.TimesS[i]) / 3
				r.Out = r.In
				s.Ramps[i] = r
			}
		}
	}
	slopes := q.Slopes[axis]
	if len(slopes) > 0 && q.Kind != curve.Quintic {
		if len(slopes) != 2 {
			return s, &FieldError{"slopes." + axis, fmt.Sprintf("%d of them", len(slopes)),
				"give two, of the first and the last key"}
		}
		s.Slopes, slopes = [2]float64(slopes), nil
	}
	keys := make([]curve.Bend, n)
	some := false
	for _, l := range []struct {
		field string
		v     []float64
		set   func(*curve.Bend, float64)
	}{
		{"tension", q.Tension, func(k *curve.Bend, v float64) { k.Tension = v }}, {"continuity", q.Continuity,
			func(k *curve.Bend, v float64) { k.Continuity = v }},
		{"bias", q.Bias, func(k *curve.Bend, v float64) { k.Bias = v }},
		{"slopes." + axis, slopes, func(k *curve.Bend, v float64) { k.Slope = v }}, {"accelerations." + axis,
			q.Accelerations[axis], func(k *curve.Bend, v float64) { k.Acceleration = v }},
	} {
		if len(l.v) == 0 {
			continue
		}
		if len(l.v) == n-2 && strings.Contains(l.field, ".") { // of the inner keys alone
			l.v = slices.Concat([]float64{0}, l.v, []float64{0})
		}
		if len(l.v) != n {
			return s, &FieldError{l.field, fmt.Sprintf("%d for %d keys", len(l.v), n), "give one for each key"}
		}
		some = true
		for i, v := range l.v {
			l.set(&keys[i], v)
		}
	}
	if n > 0 && (keys[0].Slope != 0 || keys[n-1].Slope != 0 || keys[0].Acceleration != 0 ||
		keys[n-1].Acceleration != 0) {
		return s, &FieldError{"slopes." + axis, "an end is not at rest",
			"give 0 at the first and the last key, for acceleration, too: a quintic rests there"}
	}
	for _, of := range []struct {
		name string
		v    [][2]float64
	}{{"in." + axis, q.In[axis]}, {"out." + axis, q.Out[axis]}} {
		field, l := of.name, of.v
		if len(l) == 0 {
			continue
		}
		if len(l) != n {
			return s, &FieldError{field, fmt.Sprintf("%d for %d keys", len(l), n),
				"give one for each key, [0,0] where it is the usual one"}
		}
		some = true
		for i, v := range l {
			if strings.HasPrefix(field, "in.") {
				keys[i].In = v
			} else {
				keys[i].Out = v
			}
		}
	}
	if some {
		s.Keys = keys
	}
	return s, nil
}

func curveError(err error, axis string) error {
	var ke *curve.KeyError
	if !errors.As(err, &ke) {
		return err
	}
	field := ke.Field
	list, rest, _ := strings.Cut(field, "[")
	number, tail, _ := strings.Cut(rest, "]")
	switch {
	case strings.HasPrefix(field, "x"):
		field = "keys.t_s" + field[1:]
	case strings.HasPrefix(field, "y"):
		field = "keys.axes." + axis + field[1:]
	case field == "blend":
		field = "blend_s"
	case field == "slopes":
		field = "slopes." + axis
	case list == "ramps" || strings.HasPrefix(field, "ramp."):
		if number == "" {
			tail = strings.TrimPrefix(field, "ramp")
		}
		switch tail {
		case ".law":
			field = "law"
		case ".jerk":
			field = "ramp_jerk"
		default:
			field = "ramp_s"
			if number != "" {
				ke.Wrong = "leg " + number + ": " + ke.Wrong
			}
		}
	case list == "keys":
		switch tail {
		case ".slope":
			field = "slopes." + axis + "[" + number + "]"
		case ".acceleration":
			field = "accelerations." + axis + "[" + number + "]"
		case ".in", ".out":
			field = tail[1:] + "." + axis + "[" + number + "]"
		default:
			field = strings.TrimPrefix(tail, ".") + "[" + number + "]"
		}
	}
	return &FieldError{field, ke.Wrong, ke.Want}
}

// sampleTimes are k/rate from the first key; samples that fall on a key but
// for rounding are put exactly there, and a last key off the grid is appended.
func sampleTimes(q *CurveRequest, most int) ([]float64, error) {
	if err := q.isRate(); err != nil {
		return nil, err
	}
	t := q.Keys.TimesS
	first, last := t[0], t[len(t)-1]
	n := (last - first) * q.RateHz
	if !((n+1)*float64(len(q.Keys.Axes)) <= float64(most)) {
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%.4g samples would be needed", (n+1)*float64(len(q.Keys.Axes))),
			fmt.Sprintf("keep keys.t_s and rate_hz to %d samples over all axes", most)}
	}
	near := 1e-9 / q.RateHz
	out := make([]float64, 0, int(n)+2)
	key := 0
	for k := 0; ; k++ {
		at := first + float64(k)/q.RateHz
		if at >= last { // whatever is near it: a rate of almost nothing is near everything
			break
		}
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

// isRate refuses a rate that is none.
func (q *CurveRequest) isRate() error {
	if !(q.RateHz > 0) || math.IsInf(q.RateHz, 0) {
		return &FieldError{"rate_hz", fmt.Sprintf("%g is not a rate", q.RateHz), "give samples per second, above zero"}
	}
	return nil
}

// keyed refuses keyframes that are none.
func (q *CurveRequest) keyed() error {
	t := q.Keys.TimesS
	switch {
	case len(t) == 0:
		return &FieldError{"keys.t_s", "there is no keyframe", "give at least one time in seconds"}
	case len(q.Keys.Axes) == 0:
		return &FieldError{"keys.axes", "no axis is named", `give values by axis, as {"pan":[0,10,4]}`}
	}
	for i, v := range t {
		if !(math.Abs(v) <= mostNumber) {
			return &FieldError{fmt.Sprintf("keys.t_s[%d]", i), fmt.Sprintf("%g s is no time", v),
				fmt.Sprintf("keep it within ±%g", mostNumber)}
		}
		if i > 0 && v <= t[i-1] {
			return &FieldError{fmt.Sprintf("keys.t_s[%d]", i), fmt.Sprintf("%g s does not come after %g s", v, t[i-1]),
				"put the times in rising order, no two the same"}
		}
	}
	return nil
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
