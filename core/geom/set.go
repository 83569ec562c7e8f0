// Package geom describes the set around a rig as simple solids and zones, in
// metres in the world of package rig (x right along the rail, y into the set,
// z up).
package geom

import "keenarc/core/rig"

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
