package rig

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// Vec is a point or direction in metres.
type Vec [3]float64

// R3 is the same vector as gonum's.
func (v Vec) R3() r3.Vec { return r3.Vec{X: v[0], Y: v[1], Z: v[2]} }

// Norm is the length.
func (v Vec) Norm() float64 { return r3.Norm(v.R3()) }

// Pose is where the camera's image plane is and which way it looks: an
// orthonormal frame in the world. Where the entrance pupil lies in front of it
// is the lens's business.
type Pose struct {
	At      Vec `json:"at_m"`
	Right   Vec `json:"right"`
	Forward Vec `json:"forward"`
	Up      Vec `json:"up"`
}

// Point is the world place that lies right, forward and up (m) of the image plane.
func (p Pose) Point(right, forward, up float64) Vec {
	v := r3.Add(p.At.R3(), r3.Add(r3.Scale(right, p.Right.R3()), r3.Add(r3.Scale(forward, p.Forward.R3()), r3.Scale(up, p.Up.R3()))))
	return Vec{v.X, v.Y, v.Z}
}

// Local is a world point seen from the image plane: right, forward, up in metres.
func (p Pose) Local(w Vec) Vec {
	d := r3.Sub(w.R3(), p.At.R3())
	return Vec{r3.Dot(d, p.Right.R3()), r3.Dot(d, p.Forward.R3()), r3.Dot(d, p.Up.R3())}
}

// SI converts a value in the axis's unit to metres or radians.
func (u Unit) SI(v float64) float64 {
	if u == MM {
		return v / 1000
	}
	return v * math.Pi / 180
}

// Forward is the forward kinematics: values are in axis order and units.
// Source: Lynch and Park, Modern Robotics, product of the joints' motions.
func (r *Rig) Forward(values []float64) Pose {
	at, x, y, z := r3.Vec{}, r3.Vec{X: 1}, r3.Vec{Y: 1}, r3.Vec{Z: 1}
	world := func(v Vec) r3.Vec {
		return r3.Add(r3.Scale(v[0], x), r3.Add(r3.Scale(v[1], y), r3.Scale(v[2], z)))
	}
	for _, j := range r.Chain {
		at = r3.Add(at, world(j.Offset))
		if j.Kind == Fixed {
			continue
		}
		i := r.Index(j.Axis)
		q := r.Axes[i].Unit.SI(values[i])
		d := world(j.Direction)
		if j.Kind == Prismatic {
			at = r3.Add(at, r3.Scale(q, d))
			continue
		}
		turn := r3.NewRotation(q, d)
		x, y, z = turn.Rotate(x), turn.Rotate(y), turn.Rotate(z)
	}
	return Pose{vec(at), vec(x), vec(y), vec(z)}
}

func vec(v r3.Vec) Vec { return Vec{v.X, v.Y, v.Z} }
