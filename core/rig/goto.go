package rig

import "math"

// Shares of the working speeds and accelerations at which a go-to runs: the most, and that of its last
// part, in which it comes up to its pose from below.
const (
	FastGoTo = 0.5
	SlowGoTo = 0.1
)

// leastGoTo is how long each part of a go-to takes at the least, in seconds.
const leastGoTo = 0.02

// GoToSeconds is how long a straight minimum-jerk move takes in which no axis passes a share of its
// working speed and acceleration: at most 15/8 of its way over the time, and 10/√3 of it over the square
// of that.
// Source: the polynomial of fifth degree at rest at both ends (Flash and Hogan 1985).
func (r *Rig) GoToSeconds(from, to []float64, share float64) float64 {
	t := leastGoTo
	for i := range to {
		l := r.Axes[i].Working
		d := math.Abs(to[i] - from[i])
		t = max(t, 15.0/8*d/(l.Speed*share), math.Sqrt(10/math.Sqrt(3)*d/(l.Acceleration*share)))
	}
	return t
}
