package calc

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"keenarc/core/curve"
)

// RampRequest is how far each axis goes from rest to rest, and what it may do.
type RampRequest struct {
	Axes map[string]RampAxis `json:"axes"`
}

// RampAxis is one axis. With max_jerk it is the seven-phase S-curve.
type RampAxis struct {
	Distance        float64  `json:"distance"`
	MaxSpeed        float64  `json:"max_speed"`
	MaxAcceleration float64  `json:"max_acceleration"`
	MaxJerk         *float64 `json:"max_jerk,omitempty"`
}

// RampAnswer is the least time in which all arrive together.
type RampAnswer struct {
	DurationS float64              `json:"duration_s"`
	Slowest   string               `json:"slowest" doc:"empty where nothing moves"`
	Axes      map[string]RampedOne `json:"axes"`
}

// RampedOne is what an axis would need alone, and the peaks of the move that is stretched to
// the slowest one's time, signed as the distance.
type RampedOne struct {
	OwnDurationS     float64   `json:"own_duration_s"`
	DurationS        float64   `json:"duration_s"`
	PeakSpeed        float64   `json:"peak_speed"`
	PeakAcceleration float64   `json:"peak_acceleration"`
	PhasesS          []float64 `json:"phases_s" doc:"3, or 7 with max_jerk, of the axis alone"`
}

func init() {
	at("ramp", "The least time from rest to rest, for one axis or for several that arrive together.",
		`{"axes":{"pan":{"distance":40,"max_speed":20,"max_acceleration":30,"max_jerk":200},"track":{"distance":-300,`+
			`"max_speed":200,"max_acceleration":400}}}`, runRamp)
}

func runRamp(_ context.Context, q *RampRequest, _ Bounds) (*RampAnswer, error) {
	if len(q.Axes) == 0 || len(q.Axes) > 1000 {
		return nil, &FieldError{"axes", fmt.Sprintf("there are %d", len(q.Axes)),
			`give 1 to 1000, as {"pan":{"distance":40,"max_speed":20,"max_acceleration":30}}`}
	}
	var names []string
	for n := range q.Axes {
		names = append(names, n)
	}
	slices.Sort(names)
	var own []curve.Short
	for _, n := range names {
		x := q.Axes[n]
		b := curve.Bounds{Speed: x.MaxSpeed, Acceleration: x.MaxAcceleration}
		if x.MaxJerk != nil {
			if b.Jerk = *x.MaxJerk; !(b.Jerk > 0) {
				return nil, &FieldError{"axes." + n + ".max_jerk", fmt.Sprintf("it is %g", b.Jerk),
					"give one above zero, or leave it out"}
			}
		}
		s, err := curve.Shortest(x.Distance, b)
		if err != nil {
			var k *curve.KeyError
			if errors.As(err, &k) {
				return nil, &FieldError{"axes." + n + "." + k.Field, k.Wrong, k.Want}
			}
			return nil, err
		}
		own = append(own, s)
	}
	seconds, slowest, all := curve.Together(own)
	a := &RampAnswer{DurationS: seconds, Axes: map[string]RampedOne{}}
	if slowest >= 0 {
		a.Slowest = names[slowest]
	}
	for i, n := range names {
		a.Axes[n] = RampedOne{own[i].Duration, all[i].Duration, all[i].PeakSpeed, all[i].PeakAcceleration,
			own[i].Phases}
	}
	return a, nil
}
