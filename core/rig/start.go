package rig

import (
	"fmt"
	"math"
	"slices"
)

// A starting sheet makes a machine that somebody built themselves, or hired, out of what
// is unknown about one of its kind.

// Ask is one thing that a starting sheet asks, with what is usual.
type Ask struct {
	Field string  `json:"field"`
	Says  string  `json:"says"`
	Unit  string  `json:"unit"`
	Usual float64 `json:"usual"`
	Least float64 `json:"least"`
	Most  float64 `json:"most"`
}

// Start is the starting sheet of one kind of machine.
type Start struct {
	Kind string `json:"kind"`
	Says string `json:"says"`
	Asks []Ask  `json:"asks"`
}

var (
	askTravel = []Ask{
		{"travel_mm", "Travel of the carriage, from end to end", "mm", 1000, 50, 50_000},
		{"height_m", "Height of the carriage above the floor", "m", 0.5, 0, 10},
		{"teeth", "Teeth of the belt's pulley (0: a screw)", "", 20, 0, 400},
		{"pitch_mm", "Pitch of the belt's teeth, or lead of the screw", "mm", 2, 0.1, 100},
		{"track_speed", "Fastest that it should run", "mm/s", 200, 1, 5000},
	}
	askHead = []Ask{
		{"pan_gear", "Turns of the pan motor for one of the head", "", 20, 1, 1000},
		{"tilt_gear", "Turns of the tilt motor for one of the head", "", 20, 1, 1000},
		{"head_speed", "Fastest that the head should turn", "°/s", 30, 0.1, 720},
		{"tilt_up_m", "Tilt axis above the pan's foot", "m", 0.15, 0, 2},
		{"roll", "Does it roll the camera? (1: yes)", "", 0, 0, 1},
	}
	askMotor = []Ask{
		{"microsteps", "Microsteps that the drives are set to", "", 16, 1, 256},
		{"motor_steps", "Full steps in a turn of the motors", "", 200, 4, 10_000},
	}
)

// Starts are the starting sheets.
func Starts() []Start {
	join := func(list ...[]Ask) []Ask { return slices.Concat(list...) }
	return []Start{
		{"slider", "A carriage on a rail, with the camera fixed on it.", join(askTravel, askMotor)},
		{"head", "A pan and tilt head on legs or on a table.",
			join([]Ask{{"height_m", "Height of the head's foot above the floor", "m", 1.2, 0, 10}}, askHead, askMotor)},
		{"slider and head", "A pan and tilt head on a slider.", join(askTravel, askHead, askMotor)},
		{"crane", "A boom that swings and rises on a column, with a levelled head at its end.", join([]Ask{
			{"column_m", "Height of the boom's pivot", "m", 1.3, 0.2, 10},
			{"boom_m", "Boom from pivot to head", "m", 2.5, 0.5, 20},
			{"boom_gear", "Turns of the boom's motor for one of the boom", "", 120, 1, 10_000},
			{"swing_gear", "Turns of the swing's motor for one of the swing", "", 100, 1, 10_000},
			{"boom_speed", "Fastest that boom and swing should turn", "°/s", 10, 0.1, 120}}, askHead, askMotor)},
		{"arm", "An arm of six turning joints.", join([]Ask{
			{"shoulder_m", "Height of the shoulder", "m", 0.4, 0.05, 5},
			{"upper_m", "Shoulder to elbow", "m", 0.5, 0.05, 5},
			{"fore_m", "Elbow to wrist", "m", 0.5, 0.05, 5},
			{"hand_m", "Wrist to the camera's plate", "m", 0.15, 0, 2},
			{"arm_gear", "Turns of its motors for one of a joint", "", 100, 1, 1000},
			{"arm_speed", "Fastest that its joints should turn", "°/s", 60, 0.1, 720}}, askMotor)},
		{"turner", "A table that turns a model.", join([]Ask{
			{"table_gear", "Turns of the motor for one of the table", "", 18, 1, 1000},
			{"table_speed", "Fastest that it should turn", "°/s", 40, 0.1, 720},
			{"height_m", "Height of the table", "m", 0.4, 0, 5}}, askMotor)},
	}
}

// Begin makes a first version of a machine from a starting sheet. What is not given is as
// usual. Its limits are careful and its axes are homed by hand: both are changed later,
// when more is known.
func Begin(kind, id, called string, given map[string]float64) (*Rig, error) {
	list := Starts()
	k := slices.IndexFunc(list, func(s Start) bool { return s.Kind == kind })
	if k < 0 {
		return nil, fmt.Errorf("kind: there is no starting sheet for %q", kind)
	}
	v := map[string]float64{}
	for _, a := range list[k].Asks {
		v[a.Field] = a.Usual
	}
	for f, x := range given {
		i := slices.IndexFunc(list[k].Asks, func(a Ask) bool { return a.Field == f })
		if i < 0 {
			return nil, fmt.Errorf("%s: the sheet for a %s does not ask for that", f, kind)
		}
		if a := list[k].Asks[i]; !(x >= a.Least && x <= a.Most) {
			return nil, fmt.Errorf("%s: %g %s; give %g to %g", f, x, a.Unit, a.Least, a.Most)
		}
		v[f] = x
	}
	s := &starting{v: v, r: &Rig{ID: id, Name: called, Version: 1, ClearM: 1, Book: &Book{}}}
	switch kind {
	case "slider":
		s.slider()
		s.joint("camera", Fixed, Vec{0, 0, 0.1}, Vec{}, "")
	case "head":
		s.joint("foot", Fixed, Vec{0, 0, v["height_m"]}, Vec{}, "")
		s.head()
	case "slider and head":
		s.slider()
		s.head()
	case "crane":
		s.crane()
	case "arm":
		s.arm()
	case "turner":
		s.turning("turn", "Turn", Mover, v["table_gear"], v["table_speed"], -360, 360)
		s.joint("table", Revolute, Vec{0, 0, v["height_m"]}, Vec{0, 0, -1}, "turn")
	}
	if kind != "turner" {
		s.r.Camera = "camera"
	}
	if s.err != nil {
		return nil, s.err
	}
	return s.r, s.r.Check()
}

// starting is a machine while it is put together.
type starting struct {
	v   map[string]float64
	r   *Rig
	err error
}

// joint adds one that is carried by the one before it.
func (s *starting) joint(name string, k JointKind, at, dir Vec, axis string) {
	j := Joint{Name: name, Kind: k, Offset: at, Direction: dir, Axis: axis}
	if n := len(s.r.Joints); n > 0 {
		j.Parent = s.r.Joints[n-1].Name
	}
	s.r.Joints = append(s.r.Joints, j)
}

// axis adds one with careful limits: up to speed in half a second, and that in a tenth.
func (s *starting) axis(id, called string, k Kind, u Unit, d *Drive, speed, low, high float64) {
	steps, err := d.Steps(u)
	if err != nil && s.err == nil {
		s.err = fmt.Errorf("%s: %w", id, err)
	}
	slack := 0.02
	room := (high - low) * 0.01
	if u == MM {
		slack = 0.1
	}
	work := Limits{Speed: speed, Acceleration: speed * 2, Jerk: speed * 20}
	s.r.Axes = append(s.r.Axes, Axis{ID: id, Name: called, Kind: k, Unit: u, StepsPerUnit: steps, Min: low + room,
		Max: high - room, Hard: [2]float64{low, high},
		Rated: Limits{speed * 1.25, speed * 3, speed * 40}, Working: work, Backlash: slack, Repeatability: slack,
		Home: ByHand, Feedback: SeesNothing,
		Wire: fmt.Sprintf("bus A · %d", len(s.r.Axes)+1), Drive: d})
}

func (s *starting) motor() *Drive {
	return &Drive{MotorSteps: int64(math.Round(s.v["motor_steps"])), Microsteps: int64(math.Round(s.v["microsteps"])),
		Gear: Ratio{1, 1}}
}

func (s *starting) turning(id, called string, k Kind, gear, speed, low, high float64) {
	d := s.motor()
	d.Gear = Ratio{int64(math.Round(gear * 1000)), 1000}
	s.axis(id, called, k, Deg, d, speed, low, high)
}

func (s *starting) slider() {
	d := s.motor()
	if pitch := int64(math.Round(s.v["pitch_mm"] * 1000)); s.v["teeth"] == 0 {
		d.LeadUM = pitch
	} else {
		d.Teeth, d.PitchUM = int64(math.Round(s.v["teeth"])), pitch
	}
	s.axis("track", "Track", Linear, MM, d, s.v["track_speed"], 0, s.v["travel_mm"])
	s.joint("carriage", Prismatic, Vec{0, 0, s.v["height_m"]}, Vec{1, 0, 0}, "track")
}

func (s *starting) head() {
	s.turning("pan", "Pan", Rotary, s.v["pan_gear"], s.v["head_speed"], -180, 180)
	s.turning("tilt", "Tilt", Rotary, s.v["tilt_gear"], s.v["head_speed"], -70, 60)
	s.joint("pan", Revolute, Vec{0, 0, 0.08}, Vec{0, 0, -1}, "pan")
	s.joint("tilt", Revolute, Vec{0, 0, s.v["tilt_up_m"]}, Vec{1, 0, 0}, "tilt")
	if s.v["roll"] >= 0.5 {
		s.turning("roll", "Roll", Rotary, s.v["tilt_gear"], s.v["head_speed"], -45, 45)
		s.joint("roll", Revolute, Vec{}, Vec{0, 1, 0}, "roll")
	}
	s.joint("camera", Fixed, Vec{}, Vec{}, "")
}

func (s *starting) crane() {
	s.turning("swing", "Swing", Rotary, s.v["swing_gear"], s.v["boom_speed"], -170, 170)
	s.turning("boom", "Boom", Rotary, s.v["boom_gear"], s.v["boom_speed"], -25, 50)
	s.r.ClearM = s.v["boom_m"] + 1
	s.joint("swing", Revolute, Vec{0, 0, s.v["column_m"]}, Vec{0, 0, -1}, "swing")
	s.joint("boom", Revolute, Vec{}, Vec{1, 0, 0}, "boom")
	s.joint("end", Fixed, Vec{0, s.v["boom_m"], 0}, Vec{}, "")
	s.joint("level", Revolute, Vec{}, Vec{1, 0, 0}, "boom")
	s.r.Joints[len(s.r.Joints)-1].Scale = -1
	s.head()
}

func (s *starting) arm() {
	for i, n := range []struct {
		id, called string
		low, high  float64
		at, dir    Vec
	}{
		{"turn", "Turn", -170, 170, Vec{0, 0, s.v["shoulder_m"]}, Vec{0, 0, -1}}, {"shoulder", "Shoulder", -60, 100,
			Vec{}, Vec{-1, 0, 0}},
		{"elbow", "Elbow", -120, 120, Vec{0, 0, s.v["upper_m"]}, Vec{1, 0, 0}}, {"forearm", "Forearm", -180, 180, Vec{},
			Vec{0, 1, 0}},
		{"wrist", "Wrist", -115, 115, Vec{0, s.v["fore_m"], 0}, Vec{1, 0, 0}}, {"hand", "Hand", -180, 180,
			Vec{0, s.v["hand_m"] / 2, 0}, Vec{0, 1, 0}},
	} {
		s.turning(n.id, n.called, Rotary, s.v["arm_gear"], s.v["arm_speed"], n.low, n.high)
		s.r.Axes[i].Feedback = SeesMotor
		s.joint(n.id, Revolute, n.at, n.dir, n.id)
	}
	s.r.ClearM = s.v["upper_m"] + s.v["fore_m"] + 1
	s.joint("camera", Fixed, Vec{0, s.v["hand_m"] / 2, 0}, Vec{}, "")
}
