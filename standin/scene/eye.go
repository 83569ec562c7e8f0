package scene

import (
	"keenarc/core/rig"
)

// eye is a place from which a scene is looked at, by a camera or by a lamp: what lies in
// a direction from there can only be one of the solids whose outline, seen from it,
// contains the direction.
type eye struct {
	at, right, ahead, up rig.Vec
	outline              [][4]float64 // per solid: from, to across and from, to up, for one ahead
}

// from looks from a place along a direction.
func (s *Scene) from(at, ahead, up rig.Vec) *eye {
	e := &eye{at: at, ahead: unit(ahead)}
	e.right = unit(cross(e.ahead, up))
	e.up = cross(e.right, e.ahead)
	for i := range s.solids {
		e.outline = append(e.outline, e.around(&s.solids[i].box))
	}
	return e
}

// around is a box's outline; one that reaches behind the eye may be anywhere.
func (e *eye) around(b *[2]rig.Vec) [4]float64 {
	o := [4]float64{never, -never, never, -never}
	for k := range 8 {
		c := sub(rig.Vec{b[k&1][0], b[k>>1&1][1], b[k>>2][2]}, e.at)
		far := dot(c, e.ahead)
		if far < 1e-3 {
			return [4]float64{-never, never, -never, never}
		}
		x, y := dot(c, e.right)/far, dot(c, e.up)/far
		o = [4]float64{min(o[0], x), max(o[1], x), min(o[2], y), max(o[3], y)}
	}
	const slack = 1e-9
	return [4]float64{o[0] - slack, o[1] + slack, o[2] - slack, o[3] + slack}
}

// level are the solids whose outlines reach between two heights.
func (e *eye) level(low, high float64) []int {
	var out []int
	for i, o := range e.outline {
		if o[2] <= high && o[3] >= low {
			out = append(out, i)
		}
	}
	return out
}

// first finds what a ray from the eye meets first, of some solids. x and y are its
// direction for one ahead.
func (s *Scene) first(e *eye, d rig.Vec, x, y float64, among []int) hit {
	best := hit{t: never, solid: -1}
	for _, i := range among {
		if o := &e.outline[i]; x < o[0] || x > o[1] || y < o[2] || y > o[3] {
			continue
		}
		if t, n, ok := s.solids[i].form.meet(e.at, d); ok && t < best.t {
			best = hit{t, n, i}
		}
	}
	return best
}

// dark reports whether something lies between a place and an eye that is a lamp.
func (s *Scene) dark(e *eye, o, d rig.Vec, far float64) bool {
	c := sub(o, e.at)
	x, y := 0.0, 0.0
	if z := dot(c, e.ahead); z > 1e-3 {
		x, y = dot(c, e.right)/z, dot(c, e.up)/z
	} else {
		x = never // beside or behind it: only what may be anywhere
	}
	for i := range e.outline {
		if b := &e.outline[i]; x < b[0] || x > b[1] || y < b[2] || y > b[3] || s.solids[i].glow != [3]float64{} {
			continue
		}
		if t, _, ok := s.solids[i].form.meet(o, d); ok && t < far {
			return true
		}
	}
	return false
}
