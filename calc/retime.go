package calc

import (
	"context"
	"errors"
	"fmt"
	"math"

	"keenarc/core/curve"
	"keenarc/core/retime"
)

// RetimeRequest is limit's, with whether jerk counts.
type RetimeRequest struct {
	LimitRequest
	Jerk bool `json:"jerk,omitempty" doc:"whether limits of jerk count, too; the new curves are C² then"`
}

// RetimeAnswer is the move in its new time, from rest to rest, sampled at rate_hz from 0 on,
// its end appended.
type RetimeAnswer struct {
	DurationS   float64                `json:"duration_s"`
	LowerBoundS float64                `json:"lower_bound_s" doc:"the least time within speed and acceleration"`
	Gap         float64                `json:"gap" doc:"how much longer it is than that, in parts of it"`
	TimesS      []float64              `json:"t_s"`
	AtS         []float64              `json:"at_s" doc:"the time in the original move that is due at t_s"`
	Axes        map[string]*RetimeAxis `json:"axes"`
	WorstShare  float64                `json:"worst_share" doc:"the greatest share of a limit of speed, acceleration and, where it counts, jerk"`
}

// RetimeAxis is one axis's samples.
type RetimeAxis struct {
	Position     []float64 `json:"position"`
	Speed        []float64 `json:"speed"`
	Acceleration []float64 `json:"acceleration"`
	Jerk         []float64 `json:"jerk"`
}

func init() {
	at("retime", "The same way in the least time within speed and acceleration, or, nearly, within jerk as well.",
		`{"kind":"natural","rate_hz":4,"jerk":true,"keys":{"t_s":[0,4,9],"axes":{"pan":[0,30,-20],"tilt":[0,12,4]}},`+
			`"limits":{"pan":{"speed":30,"acceleration":40,"jerk":300},"tilt":{"speed":20,"acceleration":30,`+
			`"jerk":200}}}`, runRetime)
}

// leastLimit and mostLimit are what a limit may be.
const leastLimit, mostLimit = 1e-12, 1e12

// retimeKeys is what part of the samples of an answer its keyframes may be: each is many
// cells of the way.
const retimeKeys = 100

//revive:disable-next-line:function-length one request, from its keys to its answer
func runRetime(ctx context.Context, q *RetimeRequest, b Bounds) (*RetimeAnswer, error) {
	if n := len(q.Keys.TimesS) * len(q.Keys.Axes); n > b.Samples/retimeKeys {
		return nil, &FieldError{"keys.t_s", fmt.Sprintf("%d keyframes over all axes", n),
			fmt.Sprintf("keep it to %d", b.Samples/retimeKeys)}
	}
	all, err := q.laid(b)
	if err != nil {
		return nil, err
	}
	if !(q.RateHz > 0) || math.IsInf(q.RateHz, 0) {
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%g is not a rate", q.RateHz),
			"give samples per second, above zero"}
	}
	var curves []*curve.Curve
	var limits []retime.Limits
	jerks := false
	for _, n := range all.names {
		l := q.Limits[n]
		x := retime.Limits{Speed: math.Inf(1), Acceleration: math.Inf(1), Jerk: math.Inf(1)}
		for _, f := range []struct {
			name string
			from *float64
			to   *float64
		}{{"speed", l.Speed, &x.Speed}, {"acceleration", l.Acceleration, &x.Acceleration}, {"jerk", l.Jerk, &x.Jerk}} {
			if f.from == nil {
				continue
			}
			if !(*f.from >= leastLimit && *f.from <= mostLimit) {
				return nil, &FieldError{"limits." + n + "." + f.name, fmt.Sprintf("it is %g", *f.from),
					fmt.Sprintf("give one within %g to %g, or leave it out", leastLimit, mostLimit)}
			}
			*f.to = *f.from
		}
		lo, _, hi, _ := all.of[n].Range()
		if lo != hi && l.Speed == nil && l.Acceleration == nil {
			return nil, &FieldError{"limits." + n, "neither speed nor acceleration has a limit",
				"give one: without any it takes no time"}
		}
		jerks = jerks || lo == hi || l.Jerk != nil
		curves, limits = append(curves, all.of[n]), append(limits, x)
	}
	if q.Jerk && !jerks {
		return nil, &FieldError{"limits." + all.names[0] + ".jerk", "no axis has a limit of jerk",
			"give one, or leave jerk out"}
	}
	most := b.Stretches
	if q.Jerk { // each is tried several times, for several windows
		most /= 5
	}
	if n := retime.Stretches(curves); n > most {
		return nil, &FieldError{"keys.t_s", fmt.Sprintf("the way has %d stretches, each of a few cells", n),
			fmt.Sprintf("keep it to %d: fewer keyframes, another kind, or shorter handles", most)}
	}
	r, err := retime.New(ctx, curves, limits, q.Jerk)
	var re *retime.Error
	if errors.As(err, &re) {
		return nil, &FieldError{"keys.axes." + all.names[re.Axis], re.Wrong, re.Want}
	}
	if err != nil {
		return nil, err
	}
	if n := (r.Duration*q.RateHz + 1) * float64(len(curves)); !(n <= float64(b.Samples)) {
		return nil, &FieldError{"rate_hz", fmt.Sprintf("%.4g samples would be needed", n),
			fmt.Sprintf("keep it to %d over all axes", b.Samples)}
	}
	a := &RetimeAnswer{DurationS: r.Duration, LowerBoundS: r.LowerBound, Gap: r.Gap(), WorstShare: r.WorstShare,
		Axes: map[string]*RetimeAxis{}}
	for k := 0; float64(k)/q.RateHz < r.Duration; k++ {
		a.TimesS = append(a.TimesS, float64(k)/q.RateHz)
	}
	a.TimesS = append(a.TimesS, r.Duration)
	for _, t := range a.TimesS {
		a.AtS = append(a.AtS, r.Old(t))
	}
	for i, n := range all.names {
		x := &RetimeAxis{}
		for _, t := range a.TimesS {
			s := r.Curves[i].At(t)
			x.Position, x.Speed = append(x.Position, s.P), append(x.Speed, s.V)
			x.Acceleration, x.Jerk = append(x.Acceleration, s.A), append(x.Jerk, s.J)
		}
		a.Axes[n] = x
	}
	return a, nil
}
