package rig

import (
	"fmt"
	"math"
	"sort"
	"strings"
)

// Mounting is how a machine is set up, which decides what it can carry.
type Mounting string

// The mountings that payloads are rated for.
const (
	Level      Mounting = "level"
	Sloped     Mounting = "sloped"
	Upright    Mounting = "upright"
	UpsideDown Mounting = "upside down"
)

// Mountings are all of them.
var Mountings = []Mounting{Level, Sloped, Upright, UpsideDown}

// Book is what the rig book knows of a machine besides how it moves. What is not known
// is left out, and is then not judged.
type Book struct {
	// PayloadKg is what it may carry in each mounting, by the maker's rating.
	PayloadKg map[Mounting]float64 `json:"payload_kg,omitempty"`
	// QuietShare is up to which share of its working speeds sound can be recorded beside
	// it; 0: never.
	QuietShare *float64 `json:"quiet_share,omitempty"`
	// FramesOnly machines are not made to run through a move.
	FramesOnly bool `json:"frames_only,omitempty"`
	// BelowTiltM is how much room there is under the tilt axis, RollRingM how wide the
	// ring is that a camera turns in.
	BelowTiltM float64 `json:"below_tilt_m,omitempty"`
	RollRingM  float64 `json:"roll_ring_m,omitempty"`
	// StandbyW, RatedW and PeakW are the controller's own.
	StandbyW float64 `json:"standby_w,omitempty"`
	RatedW   float64 `json:"rated_w,omitempty"`
	PeakW    float64 `json:"peak_w,omitempty"`
	// Poses are named ones of some axes: transport, mounting, home.
	Poses    map[string]map[string]float64 `json:"poses,omitempty"`
	LockPins []Pin                         `json:"lock_pins,omitempty"`
	Parts    []Part                        `json:"parts,omitempty"`
	Wires    []Wire                        `json:"wires,omitempty"`
	Cables   []Cable                       `json:"cables,omitempty"`
	Head     *Head                         `json:"head,omitempty"`
	Crane    *Crane                        `json:"crane,omitempty"`
	Wrist    *Wrist                        `json:"wrist,omitempty"`
}

// Head is what a camera is balanced on: the axis that tilts it, with a plate that slides
// and a riser. Their readings, in millimetres, rise forward and up; at SlideAxisMM and
// RiseAxisMM the plate's own zero lies on the axis. FrictionNM and CableNM hold it
// without being asked. SlopeDeg is how far its pan axis is tipped from the vertical.
type Head struct {
	Axis        string     `json:"axis"`
	SlideMM     [2]float64 `json:"slide_mm"`
	RiseMM      [2]float64 `json:"rise_mm"`
	SlideAxisMM float64    `json:"slide_axis_mm"`
	RiseAxisMM  float64    `json:"rise_axis_mm"`
	FrictionNM  float64    `json:"friction_nm"`
	CableNM     float64    `json:"cable_nm"`
	SlopeDeg    float64    `json:"slope_deg,omitempty"`
}

// Crane is a boom with weights at its tail: how far behind the pivot they hang, what
// the boom itself lacks there in kilogram metres when its arm is drawn in and what each
// metre of arm adds, how far the head hangs from the pivot then, and what the head
// itself weighs.
type Crane struct {
	Arm     string  `json:"arm,omitempty" doc:"the axis that lengthens it"`
	TailM   float64 `json:"tail_m"`
	BoomKgM float64 `json:"boom_kgm"`
	ArmKg   float64 `json:"arm_kg,omitempty" doc:"what the arm itself weighs, moved out with its length"`
	HeadM   float64 `json:"head_m" doc:"from the pivot to the head, arm at 0"`
	HeadKg  float64 `json:"head_kg,omitempty"`
}

// Wrist is a powered arm's last joint with what feels force and torque there. The
// payload's place is counted from it. FreeN is the force that brakes and gears hide.
type Wrist struct {
	Joint string  `json:"joint"`
	FreeN float64 `json:"free_n,omitempty"`
}

// Pin is pulled before an axis is powered.
type Pin struct {
	Name string `json:"name"`
	Axis string `json:"axis"`
}

// Part is what is carried: so many of it, with so many people to each.
type Part struct {
	Name    string  `json:"name"`
	Kg      float64 `json:"kg"`
	Count   int     `json:"count"`
	People  int     `json:"people"`
	Vehicle string  `json:"vehicle,omitempty"`
	// Is says which part it is, where a crane's sums need it: what it weighs stands here alone.
	Is string `json:"is,omitempty" enum:"head,counterweight"`
}

// What a part is.
const (
	IsHead          = "head"
	IsCounterweight = "counterweight"
)

// Wire is one line from the controller to what hangs on it: how long its cable is, and
// how far it has to go.
type Wire struct {
	Name    string  `json:"name"`
	Kind    string  `json:"kind" enum:"drive bus,lens port,lighting,network"`
	Address string  `json:"address,omitempty"`
	CableM  float64 `json:"cable_m,omitempty"`
	RunM    float64 `json:"run_m,omitempty"`
}

// Cable is one that an axis takes with it. RadiusM is how far from the axis it runs, for
// one that turns.
type Cable struct {
	Name    string  `json:"name"`
	Axis    string  `json:"axis"`
	LoopM   float64 `json:"loop_m"`
	RadiusM float64 `json:"radius_m,omitempty"`
}

func (b *Book) check(r *Rig) error {
	if b == nil {
		return nil
	}
	for _, of := range []struct {
		name string
		v    float64
	}{{"below_tilt_m", b.BelowTiltM}, {"roll_ring_m", b.RollRingM}, {"standby_w", b.StandbyW}, {"rated_w", b.RatedW},
		{"peak_w", b.PeakW}} {
		what, v := of.name, of.v
		if !(v >= 0 && v < 1e6) {
			return fmt.Errorf("%s %g; give 0 or more", what, v)
		}
	}
	for m, kg := range b.PayloadKg {
		if !(kg >= 0 && kg < 1e5) || m != Level && m != Sloped && m != Upright && m != UpsideDown {
			return fmt.Errorf("payload %g kg when %s; give kilograms for %v", kg, m, Mountings)
		}
	}
	if q := b.QuietShare; q != nil && !(*q >= 0 && *q <= 1) {
		return fmt.Errorf("quiet_share %g; give 0 (never) to 1 (always)", *q)
	}
	for name, pose := range b.Poses {
		for id, v := range pose {
			i := r.Index(id)
			if i < 0 {
				return fmt.Errorf("pose %s: there is no axis %q", name, id)
			}
			if a := &r.Axes[i]; !(v >= a.Hard[0] && v <= a.Hard[1]) {
				return fmt.Errorf("pose %s: %s at %g is beyond its hard ends %g to %g", name, a.Name, v,
					a.Hard[0], a.Hard[1])
			}
		}
	}
	for _, p := range b.LockPins {
		if r.Index(p.Axis) < 0 {
			return fmt.Errorf("lock pin %s: there is no axis %q", p.Name, p.Axis)
		}
	}
	for _, p := range b.Parts {
		if !(p.Kg > 0 && p.Kg < 1e5) || p.Count < 1 || p.Count > 1000 || p.People < 1 || p.People > 20 {
			return fmt.Errorf("part %s: %d of %g kg with %d people; give all three above zero", p.Name, p.Count,
				p.Kg, p.People)
		}
		if p.Is != "" && p.Is != IsHead && p.Is != IsCounterweight {
			return fmt.Errorf("part %s: it is %q; say head or counterweight, or leave it out", p.Name, p.Is)
		}
	}
	wires := map[string]bool{}
	for _, w := range b.Wires {
		if w.Name == "" || wires[w.Name] || !(w.CableM >= 0) || !(w.RunM >= 0) {
			return fmt.Errorf("wire %q: %g m of cable for %g m; names must differ, and lengths not be below zero",
				w.Name, w.CableM, w.RunM)
		}
		wires[w.Name] = true
	}
	if err := b.checkBench(r); err != nil {
		return err
	}
	for _, c := range b.Cables {
		if i := r.Index(c.Axis); i < 0 || !(c.LoopM >= 0) || !(c.RadiusM >= 0) {
			return fmt.Errorf("cable %s on %q: a loop of %g m, %g m from the axis; name one of its axes, and lengths "+
				"not below zero", c.Name, c.Axis, c.LoopM, c.RadiusM)
		}
	}
	return nil
}

// checkBench checks what a camera is balanced on.
func (b *Book) checkBench(r *Rig) error {
	if h := b.Head; h != nil {
		i := r.Index(h.Axis)
		switch {
		case i < 0 || r.Axes[i].Unit != Deg:
			return fmt.Errorf("head: %q is no axis that turns; name the one that tilts the camera", h.Axis)
		case !(h.SlideMM[0] < h.SlideMM[1] && h.RiseMM[0] <= h.RiseMM[1]):
			return fmt.Errorf("head: the plate's readings %v and the riser's %v must rise", h.SlideMM, h.RiseMM)
		case !(h.FrictionNM >= 0 && h.CableNM >= 0 && math.Abs(h.SlopeDeg) <= 180):
			return fmt.Errorf("head: friction %g and cables %g N m must not be below zero, and its slope %g° be "+
				"within half a turn", h.FrictionNM, h.CableNM, h.SlopeDeg)
		}
	}
	if c := b.Crane; c != nil {
		if c.Arm != "" && (r.Index(c.Arm) < 0 || r.Axes[r.Index(c.Arm)].Unit != MM) {
			return fmt.Errorf("crane: %q is no axis that travels; name the one that lengthens the arm", c.Arm)
		}
		if !(c.TailM > 0 && c.HeadM > 0 && c.HeadKg >= 0 && c.ArmKg >= 0) {
			return fmt.Errorf("crane: tail %g m, head at %g m of %g kg, arm of %g kg; the lengths must be above zero, "+
				"the masses not below", c.TailM, c.HeadM, c.HeadKg, c.ArmKg)
		}
	}
	if w := b.Wrist; w != nil {
		ok := false
		for _, j := range r.Joints {
			ok = ok || j.Name == w.Joint
		}
		if !ok || !(w.FreeN >= 0) {
			return fmt.Errorf("wrist: there is no joint %q, or %g N is below zero", w.Joint, w.FreeN)
		}
	}
	return nil
}

// WireOf is the wire and the channel on it that an axis names, as "bus A · 1".
func WireOf(a *Axis) (wire, channel string) {
	w, c, _ := strings.Cut(a.Wire, " · ")
	return w, c
}

// Watts is what a machine draws: at rest, with all drives as rated, and at its peak.
type Watts struct {
	Standby float64 `json:"standby"`
	Rated   float64 `json:"rated"`
	Peak    float64 `json:"peak"`
}

// Power adds up the drives and the controller.
func (r *Rig) Power() Watts {
	var w Watts
	if b := r.Book; b != nil {
		w = Watts{b.StandbyW, b.RatedW, b.PeakW}
	}
	for i := range r.Axes {
		if d := r.Axes[i].Drive; d != nil {
			w.Rated, w.Peak = w.Rated+d.RatedW, w.Peak+d.PeakW
		}
	}
	return w
}

// Loop is what a cable needs over the whole travel of its axis.
type Loop struct {
	Cable string  `json:"cable"`
	Axis  string  `json:"axis"`
	NeedM float64 `json:"need_m"`
	HaveM float64 `json:"have_m"`
	Turns float64 `json:"turns,omitempty" doc:"how often it is wrapped round, from end to end"`
	OK    bool    `json:"ok"`
	Says  string  `json:"says"`
}

// Loops hold every cable against the travel of its axis between its hard ends: one that
// slides takes all of it, one that turns its angle times the cable's distance.
func (r *Rig) Loops() []Loop {
	out := []Loop{}
	if r.Book == nil {
		return out
	}
	for _, c := range r.Book.Cables {
		a := &r.Axes[r.Index(c.Axis)]
		l := Loop{Cable: c.Name, Axis: a.ID, HaveM: c.LoopM, NeedM: a.Unit.SI(a.Hard[1] - a.Hard[0])}
		how := fmt.Sprintf("%s slides %.2f m", a.Name, l.NeedM)
		if a.Unit != MM {
			l.Turns = (a.Hard[1] - a.Hard[0]) / 360
			l.NeedM *= c.RadiusM
			how = fmt.Sprintf("%s turns %.2f times from end to end", a.Name, l.Turns)
		}
		if l.OK = l.HaveM >= l.NeedM; l.OK {
			l.Says = fmt.Sprintf("%s: %s; it needs %.2f m of loop and has %.2f.", c.Name, how, l.NeedM, l.HaveM)
		} else {
			l.Says = fmt.Sprintf("%s: %s; it needs %.2f m of loop and has only %.2f. Give it more, or draw in the "+
				"soft limits.", c.Name, how, l.NeedM, l.HaveM)
		}
		out = append(out, l)
	}
	return out
}

// Load is one vehicle's share of what is carried.
type Load struct {
	Vehicle string  `json:"vehicle"`
	Kg      float64 `json:"kg"`
	Lifts   int     `json:"lifts"`
}

// Carry is the carry list added up.
type Carry struct {
	Kg       float64 `json:"kg"`
	Lifts    int     `json:"lifts"`
	People   int     `json:"people" doc:"how many the heaviest piece needs"`
	Vehicles []Load  `json:"vehicles"`
	// Heavy are the parts that weigh more for each of those who carry them than HeavyKg.
	Heavy []string `json:"heavy"`
}

// HeavyKg is from how many kilograms for each person a part is named as heavy: what many
// codes take as the most for one strong person, now and then. Local codes decide.
const HeavyKg = 25

// Carry adds up the parts.
func (b *Book) Carry() Carry {
	c := Carry{Vehicles: []Load{}, Heavy: []string{}}
	if b == nil {
		return c
	}
	by := map[string]*Load{}
	for _, p := range b.Parts {
		v := p.Vehicle
		if v == "" {
			v = "not assigned"
		}
		if by[v] == nil {
			by[v] = &Load{Vehicle: v}
		}
		kg := p.Kg * float64(p.Count)
		by[v].Kg += kg
		by[v].Lifts += p.Count
		c.Kg, c.Lifts, c.People = c.Kg+kg, c.Lifts+p.Count, max(c.People, p.People)
		if each := p.Kg / float64(p.People); each > HeavyKg {
			c.Heavy = append(c.Heavy, fmt.Sprintf("%s: %.0f kg each with %d", p.Name, each, p.People))
		}
	}
	for _, l := range by {
		c.Vehicles = append(c.Vehicles, *l)
	}
	sort.Slice(c.Vehicles, func(i, k int) bool { return c.Vehicles[i].Vehicle < c.Vehicles[k].Vehicle })
	return c
}

// TiltRoom is how far down a camera may tilt, in degrees, before its lower front edge
// touches what lies below the tilt axis: it reaches so far before the axis and so far
// under it when level, in metres. 90 where it never does; 0 where it touches already.
func TiltRoom(frontM, underM, belowM float64) float64 {
	far := math.Hypot(frontM, underM)
	switch {
	case far <= belowM:
		return 90
	case underM >= belowM:
		return 0
	}
	// Its depth under the axis is front·sin θ + under·cos θ.
	return math.Min(90, (math.Asin(belowM/far)-math.Atan2(underM, frontM))*180/math.Pi)
}
