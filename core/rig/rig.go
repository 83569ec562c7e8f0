// Package rig describes a machine: its axes, their drives and limits, and the
// tree of joints that carries the camera.
//
// A machine's own floor frame, and the world that machines are placed in: x to
// the right, y into the set, z up; metres and radians inside, the axis's own unit
// (mm, deg, %) outside. At zero pose the camera looks along +y. Pan is positive to
// the right (as a compass), tilt positive up, roll positive clockwise seen from
// behind the camera. A Rig is immutable once it has a version; the zero value is
// unusable. The machines of a shot, each in its place, are joined into one Rig
// whose axes are named machine/axis (see Join).
package rig

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
)

// Unit is the unit an axis is planned in.
type Unit string

// Millimetres for travel, degrees for turning and for lens rings, per cent for lamps.
const (
	MM      Unit = "mm"
	Deg     Unit = "deg"
	Percent Unit = "%"
)

// Symbol is the unit as it is written behind a number.
func (u Unit) Symbol() string {
	if u == Deg {
		return "°"
	}
	return string(u)
}

// Kind is what an axis does.
type Kind string

// The kinds: travel and turning of the camera's carrier, the rings of a lens, a
// lamp's level, and what moves a model or a prop.
const (
	Linear Kind = "linear"
	Rotary Kind = "rotary"
	Focus  Kind = "focus"
	Iris   Kind = "iris"
	Zoom   Kind = "zoom"
	Lamp   Kind = "lamp"
	Mover  Kind = "mover"
)

// Kinds are all kinds of axes.
var Kinds = []Kind{Linear, Rotary, Focus, Iris, Zoom, Lamp, Mover}

// units are the units in which an axis of a kind may be planned.
var units = map[Kind][]Unit{Linear: {MM}, Rotary: {Deg}, Focus: {Deg}, Iris: {Deg}, Zoom: {Deg}, Lamp: {Percent},
	Mover: {MM, Deg}}

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

// Axis is one driven axis. Min and Max are the soft limits, which a line-up may
// set anew within Hard, where the machine's own ends are. Backlash and
// Repeatability are in the axis's unit.
type Axis struct {
	ID            string     `json:"id"`
	Name          string     `json:"name"`
	Kind          Kind       `json:"kind" enum:"linear,rotary,focus,iris,zoom,lamp,mover"`
	Unit          Unit       `json:"unit" enum:"mm,deg,%"`
	StepsPerUnit  Ratio      `json:"steps_per_unit"`
	Min           float64    `json:"min"`
	Max           float64    `json:"max"`
	Hard          [2]float64 `json:"hard" doc:"where the hard ends are"`
	Rated         Limits     `json:"rated"`
	Working       Limits     `json:"working"`
	Backlash      float64    `json:"backlash"`
	Repeatability float64    `json:"repeatability"`
	Home          HomeWay    `json:"home" enum:"sensor edge,hard stop,both ends,one end,by hand,absolute,witness mark"`
	AlsoHome      []HomeWay  `json:"also_home,omitempty" doc:"other ways in which it can be homed"`
	HomeAt        *float64   `json:"home_at,omitempty" doc:"its value at the sensor's edge, check pose or witness mark; left out: 0, or its nearest soft limit"`
	Feedback      Feedback   `json:"feedback"`
	Wire          string     `json:"wire"`
	Drive         *Drive     `json:"drive,omitempty"`
	// Zero is where the plan's zero lies on the machine, which a line-up may lay over
	// home: all other values of this axis are then the plan's, Zero less than the machine's.
	Zero float64 `json:"zero,omitempty" doc:"machine's value at the plan's zero"`
}

// JointKind is how a joint moves.
type JointKind string

// Joint kinds.
const (
	Fixed     JointKind = "fixed"
	Prismatic JointKind = "prismatic"
	Revolute  JointKind = "revolute"
)

// Joint is one joint of the tree: first the offset from its parent's frame (m),
// then the motion along or about Direction (a unit vector), driven by Axis. Parent
// names the joint that carries it, which comes before it; without one it stands
// on the floor. TurnDeg turns its frame about the vertical before it moves, to the
// right as a compass; TiltDeg then tips it up about its own right. Scale is what the axis's motion counts
// for in this joint (1 where it is left out): −1 is the parallel linkage that keeps a head level.
type Joint struct {
	Name      string    `json:"name"`
	Parent    string    `json:"parent,omitempty"`
	Kind      JointKind `json:"kind" enum:"fixed,prismatic,revolute"`
	Offset    Vec       `json:"offset_m"`
	TurnDeg   float64   `json:"turn_deg,omitempty"`
	TiltDeg   float64   `json:"tilt_deg,omitempty"`
	Direction Vec       `json:"direction"`
	Axis      string    `json:"axis,omitempty"`
	Scale     float64   `json:"scale,omitempty"`
}

// Rig is one version of one machine, or the machines of a shot joined.
type Rig struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`
	Version int     `json:"version"`
	Axes    []Axis  `json:"axes"`
	Joints  []Joint `json:"joints"`
	// Camera names the joint that is the camera's image plane; a machine that
	// carries none leaves it out.
	Camera string `json:"camera,omitempty"`
	// ClearM is the distance around the machine that people keep when it moves.
	ClearM float64 `json:"clear_m"`
	// LagMS is by how much its drives follow late; the machine leads by it.
	LagMS float64 `json:"lag_ms"`
	// Sway is how what it carries swings after a move, where that was measured.
	Sway *Sway `json:"sway,omitempty"`
	// Book is what is known of it besides how it moves.
	Book *Book `json:"book,omitempty"`
}

// Sway is a structure's slowest swing: its frequency, and its damping as a share of
// the critical one.
type Sway struct {
	Hz      float64 `json:"hz"`
	Damping float64 `json:"damping"`
}

// A rig of which nothing is known is taken as a lively one.
var livelySway = Sway{Hz: 8, Damping: 0.03}

// SwayHz is the frequency of the slowest swing in hertz.
func (r *Rig) SwayHz() float64 { return r.sway().Hz }

// SwayDamping is its damping as a share of the critical one.
func (r *Rig) SwayDamping() float64 { return r.sway().Damping }

func (r *Rig) sway() Sway {
	if r.Sway == nil {
		return livelySway
	}
	return *r.Sway
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

// Of finds the first axis of a kind, or -1.
func (r *Rig) Of(k Kind) int {
	return slices.IndexFunc(r.Axes, func(a Axis) bool { return a.Kind == k })
}

// name is what axes, joints and machines are called.
var name = regexp.MustCompile(`^[a-z][a-z0-9-]{0,31}(/[a-z][a-z0-9-]{0,31})?$`)

// Read reads a rig description from JSON and checks it. Fields that it does not
// know are refused, since they would be left unheeded.
func Read(raw []byte) (*Rig, error) {
	r, err := ReadLoose(raw)
	if err != nil {
		return nil, err
	}
	if err := r.Check(); err != nil {
		return nil, fmt.Errorf("rig %s: %w", r.ID, err)
	}
	return r, nil
}

// ReadLoose reads one that is not held to together yet: while it is being written its
// scales may not be those of its drives.
func ReadLoose(raw []byte) (*Rig, error) {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	r := &Rig{}
	if err := d.Decode(r); err != nil {
		return nil, fmt.Errorf("rig description: %w", err)
	}
	return r, nil
}

// Check reports the first thing that makes the description unusable.
func (r *Rig) Check() error {
	seen := map[string]bool{}
	for i := range r.Axes {
		a := &r.Axes[i]
		if !name.MatchString(a.ID) || seen[a.ID] {
			return fmt.Errorf("axis %q: ids must be given, in small letters, digits and dashes, and differ", a.ID)
		}
		if err := a.check(); err != nil {
			return fmt.Errorf("axis %s: %w", a.ID, err)
		}
		seen[a.ID] = true
	}
	if len(r.Axes) == 0 {
		return errors.New("it has no axis")
	}
	if !(r.ClearM >= 0) || !(r.LagMS >= 0 && r.LagMS <= 1000) {
		return fmt.Errorf("clear_m %g and lag_ms %g; neither may be below zero, and the lag at most 1000",
			r.ClearM, r.LagMS)
	}
	if w := r.sway(); !(w.Hz >= 0.5 && w.Hz <= 200) || !(w.Damping >= 0.001 && w.Damping < 1) {
		return fmt.Errorf("sway: %g Hz, damping %g; give 0.5 to 200 Hz and a share of 0.001 to below 1",
			w.Hz, w.Damping)
	}
	joints := map[string]bool{"": true}
	for _, j := range r.Joints {
		switch {
		case !name.MatchString(j.Name) || joints[j.Name]:
			return fmt.Errorf("joint %q: names must be given, in small letters, digits and dashes, and differ", j.Name)
		case j.Name == floorJoint:
			return fmt.Errorf("joint %s: that is what the place of a machine in a set is called; choose another name",
				j.Name)
		case !joints[j.Parent]:
			return fmt.Errorf("joint %s: its parent %q must be a joint before it", j.Name, j.Parent)
		case j.Kind == Fixed && j.Axis != "":
			return fmt.Errorf("joint %s: it is fixed and yet driven by %s", j.Name, j.Axis)
		case j.Kind != Fixed && j.Kind != Prismatic && j.Kind != Revolute:
			return fmt.Errorf("joint %s: %q is not a kind of joint; use fixed, prismatic or revolute", j.Name, j.Kind)
		case j.Kind != Fixed && !seen[j.Axis]:
			return fmt.Errorf("joint %s: no axis is called %q", j.Name, j.Axis)
		case j.Kind != Fixed && !(math.Abs(j.Direction.Norm()-1) <= 1e-9):
			return fmt.Errorf("joint %s: its direction must have length 1", j.Name)
		case math.IsNaN(j.Scale) || math.Abs(j.Scale) > 1000:
			return fmt.Errorf("joint %s: scale %g; give a number from -1000 to 1000", j.Name, j.Scale)
		case j.Kind != Fixed && (j.Kind == Prismatic) != (r.Axes[r.Index(j.Axis)].Unit == MM):
			return fmt.Errorf("joint %s: a prismatic joint goes with millimetres and a revolute one with degrees",
				j.Name)
		}
		joints[j.Name] = true
	}
	if !joints[r.Camera] {
		return fmt.Errorf("camera: no joint is called %q", r.Camera)
	}
	return r.Book.check(r)
}

func (a *Axis) check() error {
	switch {
	case !slices.Contains(Kinds, a.Kind):
		return fmt.Errorf("%q is not a kind; use one of %v", a.Kind, Kinds)
	case !slices.Contains(units[a.Kind], a.Unit):
		return fmt.Errorf("a %s axis is planned in %v, not in %q", a.Kind, units[a.Kind], a.Unit)
	case a.StepsPerUnit.Num == 0 || a.StepsPerUnit.Den <= 0:
		return fmt.Errorf("steps per unit %d/%d; the numerator must not be 0 and the denominator must be positive",
			a.StepsPerUnit.Num, a.StepsPerUnit.Den)
	case !(a.Min < a.Max):
		return fmt.Errorf("soft limits %g to %g; the first must be below the second", a.Min, a.Max)
	case !(a.Hard[0] <= a.Min && a.Max <= a.Hard[1]):
		return fmt.Errorf("soft limits %g to %g; they must lie within the hard ends %g to %g", a.Min, a.Max,
			a.Hard[0], a.Hard[1])
	case !a.Working.within(a.Rated):
		return errors.New("working limits must be above zero and no more than the rated ones")
	}
	if err := a.checkHome(); err != nil {
		return err
	}
	return a.checkDrive()
}

func (l Limits) within(o Limits) bool {
	return l.Speed > 0 && l.Acceleration > 0 && l.Speed <= o.Speed && l.Acceleration <= o.Acceleration &&
		l.Jerk <= o.Jerk
}
