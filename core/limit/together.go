package limit

import (
	"math"

	"keenarc/core/rig"
)

// Together is how long a go-to takes when all axes set out and arrive as one, in seconds,
// and which of them takes longest, −1 where nothing moves: each as a minimum-jerk move
// whose peaks are a share of its working speed and acceleration. from and to are in axis
// order and units.
// Source: Flash and Hogan 1985; the peaks of 10u³ − 15u⁴ + 6u⁵ are 15/8 and 10/√3.
func Together(r *rig.Rig, from, to []float64, share float64) (seconds float64, slowest int) {
	slowest = -1
	for i, a := range r.Axes {
		d := math.Abs(to[i] - from[i])
		t := max(15.0/8*d/(a.Working.Speed*share), math.Sqrt(10/math.Sqrt(3)*d/(a.Working.Acceleration*share)))
		if t > seconds {
			seconds, slowest = t, i
		}
	}
	return seconds, slowest
}
