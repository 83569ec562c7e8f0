// Package geom describes the set around a rig as simple solids and zones, in
// metres in the world of package rig (x right along the rail, y into the set,
// z up).
package geom

import (
	"math"

	"keenarc/core/rig"
)

// Shape is the form of a solid.
type Shape string

// The forms: a box by centre and size; a cylinder, cone or ball by centre and
// size (size x is the diameter, size z the height).
const (
	Box      Shape = "box"
	Cylinder Shape = "cylinder"
	Cone     Shape = "cone"
	Ball     Shape = "ball"
)

// Solid is one piece of the set.
type Solid struct {
	Name   string  `json:"name"`
	Shape  Shape   `json:"shape"`
	Centre rig.Vec `json:"centre_m"`
	Size   rig.Vec `json:"size_m"`
	Colour string  `json:"colour"` // of the real thing, for the finder
	Drawn  bool    `json:"drawn"`  // outlined on the sheet with its name
}

// Zone is a stretch of floor that the rig keeps out of.
type Zone struct {
	Name   string     `json:"name"`
	MinM   [2]float64 `json:"min_m"`
	MaxM   [2]float64 `json:"max_m"`
	ClearM float64    `json:"clear_m"`
}

// Set is a set with the points that pictures are judged on.
type Set struct {
	Name        string  `json:"name"`
	SubjectName string  `json:"subject_name"`
	Subject     rig.Vec `json:"subject_m"`
	NearName    string  `json:"near_name"`
	Near        rig.Vec `json:"near_m"`
	FarName     string  `json:"far_name"`
	Far         rig.Vec `json:"far_m"`
	Solids      []Solid `json:"solids"`
	Zones       []Zone  `json:"zones"`
}

// Bounds is a box in metres, from its least corner to its greatest.
type Bounds struct {
	Min rig.Vec `json:"min_m"`
	Max rig.Vec `json:"max_m"`
}

// Nothing is the bounds of nothing: what is taken in makes it larger.
func Nothing() Bounds {
	inf := math.Inf(1)
	return Bounds{rig.Vec{inf, inf, inf}, rig.Vec{-inf, -inf, -inf}}
}

// Take makes the box large enough for a point.
func (b *Bounds) Take(v rig.Vec) {
	for i := range v {
		b.Min[i], b.Max[i] = min(b.Min[i], v[i]), max(b.Max[i], v[i])
	}
}

// Bounds are those of what is drawn of the set: outlined solids, zones, the subject.
func (s *Set) Bounds() Bounds {
	b := Nothing()
	b.Take(s.Subject)
	for _, x := range s.Solids {
		if !x.Drawn {
			continue
		}
		low, high := x.Centre, x.Centre
		for i, size := range x.Size {
			low[i] -= size / 2
			high[i] += size / 2
		}
		b.Take(low)
		b.Take(high)
	}
	for _, z := range s.Zones {
		b.Take(rig.Vec{z.MinM[0], z.MinM[1], 0})
		b.Take(rig.Vec{z.MaxM[0], z.MaxM[1], 0})
	}
	return b
}
