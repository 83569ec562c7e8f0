// Package lens turns poses of the image plane into picture coordinates: a thin
// lens that is focused somewhere, seen from its entrance pupil, behind a focus
// scale. Distances are metres from the image plane, taken as depth along the
// optical axis, unless a name says otherwise; ring positions are degrees;
// results are pixels at the sensor.
package lens

import (
	"fmt"
	"math"

	"keenarc/core/curve"
)

// Mark pairs a focus ring position with the distance that is sharp there.
type Mark struct {
	RingDeg   float64 `json:"ring_deg"`
	DistanceM float64 `json:"distance_m"`
}

// Package is a camera with a lens, as lined up.
type Package struct {
	Name     string  `json:"name"`
	WidthMM  float64 `json:"width_mm"`
	HeightMM float64 `json:"height_mm"`
	WidthPx  int     `json:"width_px"`
	HeightPx int     `json:"height_px"`
	FocalMM  float64 `json:"focal_mm"`
	FNumber  float64 `json:"f_number"`
	// CircleMM is the circle of confusion held to be sharp.
	CircleMM float64 `json:"circle_mm"`
	// PupilM is how far the entrance pupil lies in front of the image plane.
	PupilM float64 `json:"pupil_m"`
	Marks  []Mark  `json:"marks"`
	// Iris and Zoom are the marks of the other rings, where they were taken.
	Iris []TMark    `json:"iris,omitempty"`
	Zoom []ZoomMark `json:"zoom,omitempty"`
	// Breathing is how its picture's scale follows the focus: its share, as an exponent, of
	// what a thin lens does. Left out: as a thin lens.
	Breathing *float64 `json:"breathing,omitempty"`
	// Modes are the ways in which the sensor is read out; Framing is how this one is.
	Modes   []Mode   `json:"modes,omitempty"`
	Framing *Framing `json:"framing,omitempty"`
	// Optics is where a lens that displaces or turns its axis (a periscope, a probe) looks
	// from; left out: straight ahead from the camera.
	Optics *Optics `json:"optics,omitempty"`
	// Pupils are where the entrance pupil lies over focus and zoom, where that was
	// measured; PupilM is what counts where there are none.
	Pupils []Pupil `json:"pupils,omitempty"`
}

// Optics is a lens's own way of looking: its image plane seems to lie so many metres to the
// right, forward and up of the camera's, turned to the right and then tipped up.
type Optics struct {
	RightM   float64 `json:"right_m,omitempty"`
	ForwardM float64 `json:"forward_m,omitempty"`
	UpM      float64 `json:"up_m,omitempty"`
	TurnDeg  float64 `json:"turn_deg,omitempty"`
	TiltDeg  float64 `json:"tilt_deg,omitempty"`
}

// Pupil is where the entrance pupil lies in front of the image plane at a focus distance
// and a focal length; FocalMM 0 is the lens's own.
type Pupil struct {
	DistanceM float64 `json:"distance_m"`
	FocalMM   float64 `json:"focal_mm,omitempty"`
	PupilM    float64 `json:"pupil_m"`
}

// Scale is a focus scale: monotone in 1/distance between the marks.
type Scale struct{ c *curve.Curve }

// NewScale lays the scale through at least two marks, in rising ring order
// with distances that all rise or all fall.
func NewScale(marks []Mark) (*Scale, error) {
	if len(marks) < 2 {
		return nil, fmt.Errorf("focus marks: %d given; a scale needs at least two", len(marks))
	}
	x, y := make([]float64, len(marks)), make([]float64, len(marks))
	for i, m := range marks {
		if !(m.DistanceM > 0) {
			return nil, fmt.Errorf("focus mark %d: distance %g m; it must be above zero", i+1, m.DistanceM)
		}
		x[i], y[i] = m.RingDeg, 1/m.DistanceM
	}
	for i := 2; i < len(y); i++ {
		if (y[i]-y[i-1])*(y[1]-y[0]) <= 0 {
			return nil, fmt.Errorf("focus mark %d: distances must all rise or all fall with the ring", i+1)
		}
	}
	c, err := curve.New(x, y, curve.Spec{Kind: curve.Monotone, Ends: curve.Shape})
	if err != nil {
		return nil, fmt.Errorf("focus marks: %w", err)
	}
	return &Scale{c}, nil
}

// Distance is the sharp distance in metres at a ring position, held at the end marks.
func (s *Scale) Distance(ringDeg float64) float64 { return 1 / s.c.At(ringDeg).P }

// Reach is the nearest and the farthest distance on the scale, in metres.
func (s *Scale) Reach() (near, far float64) {
	a, b := s.Distance(s.c.First()), s.Distance(s.c.Last())
	return min(a, b), max(a, b)
}

// RingFor is Ring for a distance that somebody asks for: one beyond the scale's
// ends is refused and not held there.
func (s *Scale) RingFor(distanceM float64) (float64, error) {
	near, far := s.Reach()
	const slack = 1e-9 // a mark's own distance, there and back
	if !(distanceM >= near*(1-slack) && distanceM <= far*(1+slack)) {
		return 0, fmt.Errorf("%g m is outside the focus scale; give %.4g to %.4g m", distanceM, near, far)
	}
	return s.Ring(distanceM), nil
}

// Ring is the ring position at which a distance is sharp, held at the end marks.
func (s *Scale) Ring(distanceM float64) float64 {
	v := 1 / distanceM
	var buf [8]float64
	for i, p := range s.c.C {
		p[0] -= v
		if r := p.Roots(buf[:0], 0, s.c.X[i+1]-s.c.X[i]); len(r) > 0 {
			return s.c.X[i] + r[0]
		}
	}
	first, last := s.c.At(s.c.First()).P, s.c.End().P
	if math.Abs(v-first) < math.Abs(v-last) {
		return s.c.First()
	}
	return s.c.Last()
}

// PitchMM is the width of one pixel at the sensor.
func (p *Package) PitchMM() float64 { return p.WidthMM / float64(p.WidthPx) }
