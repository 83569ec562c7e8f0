// Package rig describes a machine: its axes, their drives and limits, and the
// chain of joints that carries the camera.
//
// World: x to the right along the rail, y away from the rail into the set, z
// up; metres and radians inside, the axis's own unit (mm, deg) outside. At
// zero pose the camera looks along +y. Pan is positive to the right (as a
// compass), tilt positive up, roll positive clockwise seen from behind the
// camera. A Rig is immutable once it has a version; the zero value is unusable.
package rig

import (
	"fmt"
	"math"
)

// Unit is the unit an axis is planned in.
type Unit string

// Millimetres for travel, degrees for turning and for focus rings.
const (
	MM  Unit = "mm"
	Deg Unit = "deg"
)

// Feedback says what an axis's sensor can see, and so what a trace can show.
type Feedback string

// Nothing (open-loop stepper), the motor's shaft, or the output after gear and belt.
const (
	SeesNothing Feedback = "nothing"
	SeesMotor   Feedback = "motor"
	SeesOutput  Feedback = "output"
)

// Ratio is an exact rational number.
type Ratio struct {
	Num int64 `json:"num"`
	Den int64 `json:"den"`
}

// Limits are per second, second² and second³ in the axis's unit.
type Limits struct {
	Speed        float64 `json:"speed"`
	Acceleration float64 `json:"acceleration"`
	Jerk         float64 `json:"jerk"`
}

// Axis is one driven axis. Min and Max are the soft limits. Backlash and
// Repeatability are in the axis's unit.
type Axis struct {
	ID            string   `json:"id"`
	Name          string   `json:"name"`
	Unit          Unit     `json:"unit"`
	StepsPerUnit  Ratio    `json:"steps_per_unit"`
	Min           float64  `json:"min"`
	Max           float64  `json:"max"`
	Rated         Limits   `json:"rated"`
	Working       Limits   `json:"working"`
	Backlash      float64  `json:"backlash"`
	Repeatability float64  `json:"repeatability"`
	Home          string   `json:"home"`
	Feedback      Feedback `json:"feedback"`
	Wire          string   `json:"wire"`
}

// JointKind is how a joint moves.
type JointKind string

// Joint kinds.
const (
	Fixed     JointKind = "fixed"
	Prismatic JointKind = "prismatic"
	Revolute  JointKind = "revolute"
)

// Joint is one link of the chain: first the offset from its parent (m), then
// the motion along or about Direction (a unit vector), driven by Axis.
type Joint struct {
	Kind      JointKind `json:"kind"`
	Offset    Vec       `json:"offset_m"`
	Direction Vec       `json:"direction"`
	Axis      string    `json:"axis,omitempty"`
}

// Rig is one version of one machine.
type Rig struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`
	Version int     `json:"version"`
	Axes    []Axis  `json:"axes"`
	Chain   []Joint `json:"chain"`
	// RailM is the drawn length of the rail from its left end, RailFromM where
	// that end lies on x, HeightM the height of the rail's top.
	RailM     float64 `json:"rail_m"`
	RailFromM float64 `json:"rail_from_m"`
	HeightM   float64 `json:"height_m"`
	// ClearM is the distance around the rig that people keep when it moves.
	ClearM float64 `json:"clear_m"`
}

// Index finds an axis by id, or -1.
func (r *Rig) Index(id string) int {
	for i := range r.Axes {
		if r.Axes[i].ID == id {
			return i
		}
	}
	return -1
}

// Check reports the first thing that makes the description unusable.
func (r *Rig) Check() error {
	seen := map[string]bool{}
	for _, a := range r.Axes {
		switch {
		case a.ID == "" || seen[a.ID]:
			return fmt.Errorf("axis %q: ids must be given and differ", a.ID)
		case a.StepsPerUnit.Num == 0 || a.StepsPerUnit.Den <= 0:
			return fmt.Errorf("axis %s: steps per unit %d/%d; the numerator must not be 0 and the denominator must be positive", a.ID, a.StepsPerUnit.Num, a.StepsPerUnit.Den)
		case !(a.Min < a.Max):
			return fmt.Errorf("axis %s: soft limits %g to %g; the first must be below the second", a.ID, a.Min, a.Max)
		case !a.Working.within(a.Rated):
			return fmt.Errorf("axis %s: working limits must be above zero and no more than the rated ones", a.ID)
		}
		seen[a.ID] = true
	}
	for i, j := range r.Chain {
		if j.Kind != Fixed && !seen[j.Axis] {
			return fmt.Errorf("joint %d: no axis is called %q", i, j.Axis)
		}
		if j.Kind != Fixed && math.Abs(j.Direction.Norm()-1) > 1e-9 {
			return fmt.Errorf("joint %d: its direction must have length 1", i)
		}
	}
	return nil
}

func (l Limits) within(o Limits) bool {
	return l.Speed > 0 && l.Acceleration > 0 && l.Speed <= o.Speed && l.Acceleration <= o.Acceleration && l.Jerk <= o.Jerk
}

// Plank is the 1.5 m slider with pan, tilt, roll and a focus motor. Version 2: its
// chain ends at the image plane.
func Plank() *Rig {
	return &Rig{
		ID: "plank", Name: "Plank", Version: 2, RailM: 1.62, RailFromM: -0.06, HeightM: 0.45, ClearM: 0.9,
		Axes: []Axis{
			{ID: "track", Name: "Track", Unit: MM, StepsPerUnit: Ratio{25, 1}, Min: 20, Max: 1480,
				Rated: Limits{500, 900, 6000}, Working: Limits{300, 400, 4000},
				Backlash: 0.02, Repeatability: 0.03, Home: "sensor edge", Feedback: SeesOutput, Wire: "bus A · 1"},
			{ID: "pan", Name: "Pan", Unit: Deg, StepsPerUnit: Ratio{40, 1}, Min: -170, Max: 170,
				Rated: Limits{60, 120, 900}, Working: Limits{30, 50, 500},
				Backlash: 0.004, Repeatability: 0.003, Home: "sensor edge", Feedback: SeesOutput, Wire: "bus A · 2"},
			{ID: "tilt", Name: "Tilt", Unit: Deg, StepsPerUnit: Ratio{40, 1}, Min: -60, Max: 45,
				Rated: Limits{45, 90, 700}, Working: Limits{22, 40, 400},
				Backlash: 0.004, Repeatability: 0.003, Home: "sensor edge", Feedback: SeesOutput, Wire: "bus A · 3"},
			{ID: "roll", Name: "Roll", Unit: Deg, StepsPerUnit: Ratio{40, 1}, Min: -40, Max: 40,
				Rated: Limits{45, 90, 700}, Working: Limits{20, 40, 400},
				Backlash: 0.006, Repeatability: 0.004, Home: "sensor edge", Feedback: SeesMotor, Wire: "bus A · 4"},
			{ID: "focus", Name: "Focus", Unit: Deg, StepsPerUnit: Ratio{160, 9}, Min: 0, Max: 300,
				Rated: Limits{180, 600, 9000}, Working: Limits{80, 240, 5000},
				Backlash: 0.05, Repeatability: 0.05, Home: "sensor edge", Feedback: SeesNothing, Wire: "lens port"},
		},
		Chain: []Joint{
			{Kind: Prismatic, Offset: Vec{0, 0, 0.45}, Direction: Vec{1, 0, 0}, Axis: "track"},
			{Kind: Revolute, Offset: Vec{0, 0, 0.10}, Direction: Vec{0, 0, -1}, Axis: "pan"},
			{Kind: Revolute, Offset: Vec{0, 0, 0.12}, Direction: Vec{1, 0, 0}, Axis: "tilt"},
			{Kind: Revolute, Offset: Vec{0, 0, 0}, Direction: Vec{0, 1, 0}, Axis: "roll"},
			{Kind: Fixed, Offset: Vec{0, -0.01, 0}}, // the image plane, just behind the tilt axis
		},
	}
}
