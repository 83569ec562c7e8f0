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

// HarbourSet is the demo set of SL-010: a miniature harbour with the keeper's lamp.
func HarbourSet() *Set {
	return &Set{
		Name: "Harbour miniature", SubjectName: "keeper's lamp", Subject: rig.Vec{0.82, 1.15, 0.60},
		NearName: "bollard", Near: rig.Vec{0.66, 0.86, 0.50}, FarName: "lighthouse gallery", Far: rig.Vec{1.02, 2.05, 0.86},
		Solids: []Solid{
			{"lamp table", Box, rig.Vec{0.80, 1.12, 0.22}, rig.Vec{0.62, 0.42, 0.44}, "#8b6f4e", true},
			{"keeper's lamp", Cylinder, rig.Vec{0.82, 1.15, 0.50}, rig.Vec{0.07, 0.07, 0.12}, "#a07a4c", false},
			{"lamp globe", Ball, rig.Vec{0.82, 1.15, 0.60}, rig.Vec{0.10, 0.10, 0.10}, "#f2c45a", false},
			{"bollard", Cylinder, rig.Vec{0.66, 0.96, 0.47}, rig.Vec{0.05, 0.05, 0.06}, "#3c4247", false},
			{"harbour wall", Box, rig.Vec{-0.15, 1.35, 0.26}, rig.Vec{0.70, 0.24, 0.52}, "#8d8a80", true},
			{"quay steps", Box, rig.Vec{0.22, 1.02, 0.14}, rig.Vec{0.22, 0.30, 0.28}, "#77746c", true},
			{"boat", Box, rig.Vec{0.42, 1.55, 0.42}, rig.Vec{0.34, 0.12, 0.07}, "#6d3f33", false},
			{"mast", Cylinder, rig.Vec{0.42, 1.55, 0.58}, rig.Vec{0.012, 0.012, 0.26}, "#5b4a3a", false},
			{"sea tray", Box, rig.Vec{0.75, 1.75, 0.19}, rig.Vec{2.60, 0.78, 0.38}, "#4d6470", false},
			{"lighthouse", Cylinder, rig.Vec{1.02, 2.05, 0.62}, rig.Vec{0.16, 0.16, 0.48}, "#d9d0bb", false},
			{"lantern room", Cylinder, rig.Vec{1.02, 2.05, 0.90}, rig.Vec{0.12, 0.12, 0.09}, "#f2c45a", false},
			{"lantern roof", Cone, rig.Vec{1.02, 2.05, 0.98}, rig.Vec{0.17, 0.17, 0.08}, "#7a3b2f", false},
			{"headland", Box, rig.Vec{1.75, 2.25, 0.45}, rig.Vec{0.90, 0.40, 0.34}, "#5c6b4e", false},
		},
		Zones: []Zone{{"crew", [2]float64{1.90, 0.35}, [2]float64{2.70, 1.00}, 0.9}},
	}
}
