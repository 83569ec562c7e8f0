package weave

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"keenarc/core/rig"
)

// SettlePx is the sway in pixels under which a picture is taken: a quarter of one.
const SettlePx = 0.25

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
	if total <= limitPx {
		return 0
	}
	return math.Log(total/limitPx) / (r.SwayDamping() * w)
}

// Travel is how far the farthest joint of a rig, or its camera's front, moves from one
// pose of the axes to another, in metres, both ends compared.
func Travel(r *rig.Rig, from, to []float64) float64 {
	const front = 0.25 // of the camera and lens, before the image plane
	most := 0.0
	a, b := r.Frames(nil, from), r.Frames(nil, to)
	far := func(p, q rig.Vec) {
		most = max(most, r3.Norm(r3.Sub(p.R3(), q.R3())))
	}
	for k := range a {
		far(a[k].At, b[k].At)
	}
	if r.Camera != "" {
		p, q := r.Forward(from), r.Forward(to)
		far(p.Point(0, front, 0), q.Point(0, front, 0))
	}
	return most
}
