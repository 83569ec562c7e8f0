// Package sight is about where things on the set are, seen from the rig itself: points
// triangulated from sightings, and by how much a rig has moved since it saw them last.
//
// Places are metres, directions any length above zero, in the world of package rig as the
// rig believes it. Every function is pure.
package sight

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// Sighting is a point centred in the picture: where the camera was and where it looked.
type Sighting struct {
	At        rig.Vec `json:"at_m"`
	Direction rig.Vec `json:"direction"`
}

// Point is where sightings of one thing meet, in the sense of least squares.
type Point struct {
	At rig.Vec
	// ResidualM is the greatest distance from one of the lines of sight.
	ResidualM float64
	// Cov is how well it is known, for sightings that are off by one radian.
	Cov *mat.SymDense
	// AngleDeg is the widest between two sightings.
	AngleDeg float64
}

// leastM is how far before a camera something has to be that it sees.
const leastM = 0.02

// LeastDeg is from which angle between two sightings on they can tell a distance at all.
const LeastDeg = 0.05

// Meet is the point nearest to all lines of sight. Sightings from one place, or parallel
// ones, are a mistake that says so.
func Meet(s []Sighting) (*Point, error) {
	if len(s) < 2 {
		return nil, mistake.In("sightings", "sight it from another pose, too", "there is %d", len(s))
	}
	a := mat.NewSymDense(3, nil)
	var b rig.Vec
	dirs := make([]rig.Vec, len(s))
	for i, x := range s {
		d := x.Direction
		n := norm(d)
		if !(n > 0) || math.IsInf(n, 0) || !(norm(x.At) <= 1e6) {
			return nil, mistake.In(fmt.Sprintf("sightings[%d].direction", i), "give where it looks",
				"it is %v, from %v", d, x.At)
		}
		for k := range d {
			d[k] /= n
		}
		dirs[i] = d
		across(d, func(r, c int, v float64) {
			a.SetSym(r, c, a.At(r, c)+v)
		})
		pa := project(d, x.At)
		for k := range b {
			b[k] += pa[k]
		}
	}
	p := &Point{}
	for i := range dirs {
		for k := range i {
			p.AngleDeg = max(p.AngleDeg, between(dirs[i], dirs[k]))
		}
	}
	if p.AngleDeg < LeastDeg {
		return nil, mistake.In("sightings", "sight it from further along, or from another height",
			"they are all from one place, or look the same way: %.3f° between them", p.AngleDeg)
	}
	var inv mat.Dense
	if err := inv.Inverse(a); err != nil {
		return nil, mistake.In("sightings", "sight it from further along", "they are as good as parallel")
	}
	for r := range 3 {
		for c := range 3 {
			p.At[r] += inv.At(r, c) * b[c]
		}
	}
	for i, x := range s {
		if dot(dirs[i], sub(p.At, x.At)) < leastM {
			return nil, mistake.In("sightings", "sight it again, from places further apart",
				"the lines of sight meet behind the camera, or at it: they do not see one thing")
		}
	}
	// Each line is off by its own range times the sighting's error, across it.
	noise := mat.NewSymDense(3, nil)
	for i, x := range s {
		off := sub(p.At, x.At)
		away := norm(off)
		p.ResidualM = max(p.ResidualM, norm(project(dirs[i], off)))
		across(dirs[i], func(r, c int, v float64) { noise.SetSym(r, c, noise.At(r, c)+away*away*v) })
	}
	var half, full mat.Dense
	half.Mul(&inv, noise)
	full.Mul(&half, &inv)
	p.Cov = mat.NewSymDense(3, nil)
	for r := range 3 {
		for c := r; c < 3; c++ {
			p.Cov.SetSym(r, c, (full.At(r, c)+full.At(c, r))/2)
		}
	}
	return p, nil
}

// across gives the upper half of I − ddᵀ.
func across(d rig.Vec, set func(r, c int, v float64)) {
	for r := range 3 {
		for c := r; c < 3; c++ {
			v := -d[r] * d[c]
			if r == c {
				v++
			}
			set(r, c, v)
		}
	}
}

// project is the part of v across d.
func project(d, v rig.Vec) rig.Vec {
	along := dot(d, v)
	for k := range v {
		v[k] -= along * d[k]
	}
	return v
}

func dot(a, b rig.Vec) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
func norm(a rig.Vec) float64   { return math.Sqrt(dot(a, a)) }
func sub(a, b rig.Vec) rig.Vec { return rig.Vec{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }
func cross(a, b rig.Vec) rig.Vec {
	return rig.Vec{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// between is the angle between two unit directions, in degrees.
func between(a, b rig.Vec) float64 { return math.Atan2(norm(cross(a, b)), dot(a, b)) * 180 / math.Pi }
