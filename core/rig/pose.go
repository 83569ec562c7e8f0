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
	v := r3.Add(p.At.R3(), r3.Add(r3.Scale(right, p.Right.R3()), r3.Add(r3.Scale(forward, p.Forward.R3()),
		r3.Scale(up, p.Up.R3()))))
	return Vec{v.X, v.Y, v.Z}
}

// Local is a world point seen from the image plane: right, forward, up in metres.
func (p Pose) Local(w Vec) Vec {
	d := r3.Sub(w.R3(), p.At.R3())
	return Vec{r3.Dot(d, p.Right.R3()), r3.Dot(d, p.Forward.R3()), r3.Dot(d, p.Up.R3())}
}

// SI converts a value in the axis's unit to metres, radians or a share of one.
func (u Unit) SI(v float64) float64 {
	switch u {
	case MM:
		return v / 1000
	case Percent:
		return v / 100
	}
	return v * math.Pi / 180
}

// floor is the world's own frame.
var floor = Pose{Right: Vec{1, 0, 0}, Forward: Vec{0, 1, 0}, Up: Vec{0, 0, 1}}

// Frames is the forward kinematics: the frame of every joint after its motion, in
// the joints' order, in the world. Values are in axis order and units. The
// answer is appended to dst[:0].
// Source: Lynch and Park, Modern Robotics, product of the joints' motions.
func (r *Rig) Frames(dst []Pose, values []float64) []Pose {
	dst = dst[:0]
	for k := range r.Joints {
		j := &r.Joints[k]
		p := floor
		if j.Parent != "" {
			p = dst[r.joint(j.Parent, k)]
		}
		dst = append(dst, j.move(p, r, values))
	}
	return dst
}

// joint is the index of a joint that stands before another.
func (r *Rig) joint(name string, before int) int {
	for k := before - 1; k >= 0; k-- {
		if r.Joints[k].Name == name {
			return k
		}
	}
	return -1
}

// move is the joint's own frame on its parent's.
func (j *Joint) move(p Pose, r *Rig, values []float64) Pose {
	at, x, y, z := p.At.R3(), p.Right.R3(), p.Forward.R3(), p.Up.R3()
	world := func(v Vec) r3.Vec {
		return r3.Add(r3.Scale(v[0], x), r3.Add(r3.Scale(v[1], y), r3.Scale(v[2], z)))
	}
	turn := func(angle float64, about r3.Vec) {
		t := r3.NewRotation(angle, about)
		x, y, z = t.Rotate(x), t.Rotate(y), t.Rotate(z)
	}
	at = r3.Add(at, world(j.Offset))
	if j.TurnDeg != 0 {
		turn(Deg.SI(-j.TurnDeg), z)
	}
	if j.TiltDeg != 0 {
		turn(Deg.SI(j.TiltDeg), x)
	}
	if j.Kind == Fixed {
		return Pose{vec(at), vec(x), vec(y), vec(z)}
	}
	i := r.Index(j.Axis)
	q, d := r.Axes[i].Unit.SI(values[i]), world(j.Direction)
	if j.Scale != 0 {
		q *= j.Scale
	}
	if j.Kind == Prismatic {
		at = r3.Add(at, r3.Scale(q, d))
	} else {
		turn(q, d)
	}
	return Pose{vec(at), vec(x), vec(y), vec(z)}
}

// Forward is the camera's frame among Frames: where the image plane is and which
// way it looks. A rig that carries no camera gives the floor's.
func (r *Rig) Forward(values []float64) Pose {
	k := r.joint(r.Camera, len(r.Joints))
	if k < 0 {
		return floor
	}
	// Only what carries the camera is worked out.
	var buf [16]int
	way := buf[:0]
	for ; k >= 0; k = r.joint(r.Joints[k].Parent, k) {
		way = append(way, k)
	}
	p := floor
	for n := len(way) - 1; n >= 0; n-- {
		p = r.Joints[way[n]].move(p, r, values)
	}
	return p
}

// opticJoint is what the end of a lens that displaces or turns its axis is called.
const opticJoint = "optic"

// Through is the machine seen through a lens that displaces its optical axis, by metres to
// the right, forward and up of the camera's image plane, and turns it: to the right about
// the camera's vertical, then up. It looks from where such a lens seems to.
func (r *Rig) Through(offset Vec, turnDeg, tiltDeg float64) *Rig {
	if r.Camera == "" || r.Camera == opticJoint || offset == (Vec{}) && turnDeg == 0 && tiltDeg == 0 {
		return r
	}
	out := *r
	out.Joints = append(append([]Joint(nil), r.Joints...), Joint{Name: opticJoint, Parent: r.Camera, Kind: Fixed,
		Offset: offset, TurnDeg: turnDeg, TiltDeg: tiltDeg})
	out.Camera = opticJoint
	return &out
}

// Wrist is the frame of the joint that the book names as the wrist, in the world.
func (r *Rig) Wrist(values []float64) Pose {
	if r.Book == nil || r.Book.Wrist == nil {
		return floor
	}
	k := r.joint(r.Book.Wrist.Joint, len(r.Joints))
	if k < 0 {
		return floor
	}
	return r.Frames(make([]Pose, 0, len(r.Joints)), values)[k]
}

func vec(v r3.Vec) Vec { return Vec{v.X, v.Y, v.Z} }
