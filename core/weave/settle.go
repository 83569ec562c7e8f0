package weave

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"keenarc/core/ride"
	"keenarc/core/rig"
)

// SettlePx is the sway in pixels under which a picture is taken: a quarter of one.
const SettlePx = ride.SettlePx

// Settle is how many seconds after a move the structure's sway is under so many pixels
// at the sensor. A move that ends with the acceleration a leaves a swing of at most
// 2a/ω² (the deflection that it held, let go at the worst moment), which dies away by
// e^(−ζωt). The axes' swings are added, as if all met. px is by how many pixels the
// picture moves when an axis, by its index, moves by so much in its unit.
// Source: the damped oscillator with one degree of freedom.
func Settle(r *rig.Rig, share, limitPx float64, px func(axis int, by float64) float64) float64 {
	w := 2 * math.Pi * r.SwayHz()
	total := 0.0
	for i, a := range r.Axes {
		if a.Kind == rig.Linear || a.Kind == rig.Rotary {
			total += px(i, 2*share*a.Working.Acceleration/(w*w))
		}
	}
	return ride.Settles(rig.Sway{Hz: r.SwayHz(), Damping: r.SwayDamping()}, total, limitPx)
}

// travelSteps is into how many parts a move is cut to follow it.
const travelSteps = 64

// Travel is how far the farthest joint of a rig, or its camera's front, goes in a move
// that is straight in the axes, in metres along its way: a turn all round counts for all
// of it, though it ends where it began.
func Travel(r *rig.Rig, from, to []float64) float64 {
	const front = 0.25 // of the camera and lens, before the image plane
	q := make([]float64, len(from))
	points := func(k int) []rig.Vec {
		for i := range q {
			q[i] = from[i] + (to[i]-from[i])*float64(k)/travelSteps
		}
		out := make([]rig.Vec, 0, len(r.Joints)+1)
		for _, p := range r.Frames(nil, q) {
			out = append(out, p.At)
		}
		if r.Camera != "" {
			out = append(out, r.Forward(q).Point(0, front, 0))
		}
		return out
	}
	was := points(0)
	way := make([]float64, len(was))
	most := 0.0
	for k := 1; k <= travelSteps; k++ {
		now := points(k)
		for i := range now {
			way[i] += r3.Norm(r3.Sub(now[i].R3(), was[i].R3()))
			most = max(most, way[i])
		}
		was = now
	}
	return most
}
