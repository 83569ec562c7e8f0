package curve

import (
	"fmt"
	"math"
)

// Bounds are what a move from rest to rest may do, by second; a Jerk of 0 is no limit.
type Bounds struct{ Speed, Acceleration, Jerk float64 }

// Short is the shortest move from rest to rest: three phases (to speed, at speed, to rest),
// or seven with a limit of jerk. Peaks have the distance's sign.
type Short struct {
	Distance         float64
	Duration         float64
	PeakSpeed        float64
	PeakAcceleration float64
	PeakJerk         float64 // 0 without a limit of it
	Phases           []float64
}

// Shortest is the least time over a distance (Biagiotti and Melchiorri 2008, chapter 3: the
// trapezoid and the double S). Speed or acceleration that a short way does not reach are
// not reached: the phase in which they would be held has no length.
func Shortest(distance float64, b Bounds) (Short, error) {
	for _, x := range []struct {
		what string
		v    float64
		zero bool
	}{{"max_speed", b.Speed, false}, {"max_acceleration", b.Acceleration, false}, {"max_jerk", b.Jerk, true}} {
		if !(x.v > 0 && x.v <= 1e12) && !(x.zero && x.v == 0) {
			return Short{}, &KeyError{x.what, fmt.Sprintf("it is %g", x.v), "give one above zero"}
		}
	}
	if !(math.Abs(distance) <= 1e12) {
		return Short{}, &KeyError{"distance", fmt.Sprintf("it is %g", distance), "give how far it goes"}
	}
	d := math.Abs(distance)
	s := Short{Distance: distance}
	var up, j, hold float64 // to speed in all, of which each change of acceleration takes j; at speed
	switch {
	case b.Jerk == 0:
		if up = b.Speed / b.Acceleration; d < b.Speed*up {
			up = math.Sqrt(d / b.Acceleration)
		} else {
			hold = d/b.Speed - up
		}
		s.PeakAcceleration, s.PeakSpeed = b.Acceleration, b.Acceleration*up
		if hold > 0 {
			s.PeakSpeed = b.Speed
		}
	default:
		if j = b.Acceleration / b.Jerk; b.Speed*b.Jerk < b.Acceleration*b.Acceleration { // speed is there first
			j = math.Sqrt(b.Speed / b.Jerk)
			up = 2 * j
		} else {
			up = j + b.Speed/b.Acceleration
		}
		switch {
		case d >= b.Speed*up:
			hold = d/b.Speed - up
		case d >= 2*b.Acceleration*b.Acceleration*b.Acceleration/(b.Jerk*b.Jerk) && b.Speed*b.Jerk >= b.Acceleration*
			b.Acceleration:
			j = b.Acceleration / b.Jerk
			up = j/2 + math.Sqrt(mul(j, j)/4+d/b.Acceleration)
		default:
			j = math.Cbrt(d / (2 * b.Jerk))
			up = 2 * j
		}
		s.PeakJerk, s.PeakAcceleration = b.Jerk, b.Jerk*j
		s.PeakSpeed = s.PeakAcceleration * (up - j)
	}
	if d == 0 {
		s.PeakJerk, s.PeakAcceleration, s.PeakSpeed, up, j, hold = 0, 0, 0, 0, 0, 0
	}
	s.Duration = mul(2, up) + hold
	if b.Jerk == 0 {
		s.Phases = []float64{up, hold, up}
	} else {
		even := max(up-mul(2, j), 0)
		s.Phases = []float64{j, even, j, hold, j, even, j}
	}
	if distance < 0 {
		s.PeakJerk, s.PeakAcceleration, s.PeakSpeed = -s.PeakJerk, -s.PeakAcceleration, -s.PeakSpeed
	}
	return s, nil
}

// In is the same way in a longer time: slowed down evenly, so that nothing of it grows.
func (s Short) In(seconds float64) Short {
	if s.Duration == 0 {
		s.Duration = seconds
		return s
	}
	k := s.Duration / seconds
	s.PeakSpeed, s.PeakAcceleration, s.PeakJerk = s.PeakSpeed*k, s.PeakAcceleration*k*k, s.PeakJerk*k*k*k
	phases := make([]float64, len(s.Phases))
	for i, p := range s.Phases {
		phases[i] = p / k
	}
	s.Phases, s.Duration = phases, seconds
	return s
}

// Together are moves of several axes that all take the time of the slowest, which is named
// by its index; −1: nothing moves.
func Together(list []Short) (seconds float64, slowest int, stretched []Short) {
	slowest = -1
	for i, s := range list {
		if s.Duration > seconds {
			seconds, slowest = s.Duration, i
		}
	}
	for _, s := range list {
		stretched = append(stretched, s.In(seconds))
	}
	return seconds, slowest, stretched
}
