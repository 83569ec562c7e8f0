// Package balance is about weight on axes: where it sits, what gravity does with it
// over an axis's whole arc, what to move so that it rests wherever it is pointed, what
// an arm carries at its wrist, and what a crane wants at its tail.
//
// Places are metres to the right, forward and up from the axis when the camera is
// level; masses are kilograms, torques newton metres, angles degrees. A positive
// torque about the tilt axis turns the nose down. All of it is statics (any textbook
// of mechanics); every function is pure.
package balance

import (
	"fmt"
	"math"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// G is standard gravity in m/s² (ISO 80000-3).
const G = 9.80665

// Piece is something that hangs on the axis: its mass and where its own centre sits.
type Piece struct {
	Name   string  `json:"name"`
	MassKg float64 `json:"mass_kg"`
	At     rig.Vec `json:"at_m" doc:"right, forward, up from the tilt axis when level"`
}

// Sum is all pieces together.
type Sum struct {
	MassKg float64 `json:"mass_kg"`
	Centre rig.Vec `json:"centre_m" doc:"right, forward, up from the tilt axis when level"`
}

// MistakeError is a caller's mistake: which field, what is wrong with it and what would
// be right.
type MistakeError = mistake.Error

// Bounds of what anybody hangs on an axis, in kilograms and metres.
const (
	mostKg = 1e6
	mostM  = 1e4
)

func finite(v ...float64) bool {
	for _, x := range v {
		if math.IsNaN(x) || math.IsInf(x, 0) {
			return false
		}
	}
	return true
}

// Add puts pieces together. Each needs a mass above zero.
func Add(pieces []Piece) (Sum, error) {
	var s Sum
	if len(pieces) == 0 {
		return s, mistake.In("pieces", "give what hangs on the axis, each with its mass and place", "there are none")
	}
	var moment rig.Vec
	for i, p := range pieces {
		field := fmt.Sprintf("pieces[%d]", i)
		if !(p.MassKg > 0 && p.MassKg <= mostKg) {
			return s, mistake.In(field+".mass_kg", "weigh it and give kilograms above zero", "%s has %g kg",
				said(p.Name, i), p.MassKg)
		}
		for k, v := range p.At {
			if !(math.Abs(v) <= mostM) {
				return s, mistake.In(field+".at_m", "give metres right, forward and up", "%s lies at %g m",
					said(p.Name, i), v)
			}
			moment[k] += p.MassKg * v
		}
		s.MassKg += p.MassKg
	}
	for k := range moment {
		s.Centre[k] = moment[k] / s.MassKg
	}
	return s, nil
}

func said(name string, i int) string {
	if name == "" {
		return fmt.Sprintf("piece %d", i+1)
	}
	return name
}

// Lever is a weight seen from an axis that lies level: how far it sits ahead of it and
// above it when the camera is level. For tilt ahead is forward; for roll it is left.
type Lever struct {
	MassKg float64
	AheadM float64
	UpM    float64
}

// Tilt is the sum's lever on the tilt axis; Roll on a roll axis through the same place.
func (s Sum) Tilt() Lever { return Lever{s.MassKg, s.Centre[1], s.Centre[2]} }

// Roll is its lever on a roll axis through the same place: clockwise from behind, which
// is positive, lifts the left side as positive tilt lifts the nose. A positive torque
// lets the left side sink.
func (s Sum) Roll() Lever { return Lever{s.MassKg, -s.Centre[0], s.Centre[2]} }

// NM is gravity's torque at an angle: m·g·(ahead·cos θ − up·sin θ).
func (l Lever) NM(deg float64) float64 {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	return l.MassKg * G * (l.AheadM*cos - l.UpM*sin)
}

// Worst is the torque of largest size over an arc, signed, and where it is: at an end,
// or where the weight lies level with the axis.
func (l Lever) Worst(fromDeg, toDeg float64) (nm, atDeg float64) {
	nm, atDeg = l.NM(fromDeg), fromDeg
	try := func(deg float64) {
		if v := l.NM(deg); math.Abs(v) > math.Abs(nm)*(1+1e-15) {
			nm, atDeg = v, deg
		}
	}
	// d/dθ = 0 where ahead·sin θ + up·cos θ = 0: every half turn.
	for at := firstFrom(math.Atan2(-l.UpM, l.AheadM)*180/math.Pi, fromDeg); at <= toDeg && at < fromDeg+360; at += 180 {
		try(at)
	}
	try(toDeg)
	return nm, atDeg
}

// firstFrom is the first angle from a start on that lies whole half turns from at.
func firstFrom(at, from float64) float64 { return at + 180*math.Ceil((from-at)/180) }

// Margin is how many times the worst torque a motor has; +Inf where there is none.
func (l Lever) Margin(motorNM, fromDeg, toDeg float64) float64 {
	nm, _ := l.Worst(fromDeg, toDeg)
	return motorNM / math.Abs(nm)
}

// Band is how far, in metres, a weight may sit from the axis so that friction and the
// pull of cables hold it wherever it is pointed.
func Band(massKg, holdsNM float64) float64 { return holdsNM / (massKg * G) }

// Inclined is the largest torque about an axis that is tipped from the vertical, for
// a weight that far from it: m·g·sin(tip)·off. A pan on a sloped mounting is one.
func Inclined(massKg, offM, tipDeg float64) float64 {
	return massKg * G * math.Abs(math.Sin(tipDeg*math.Pi/180)*offM)
}
