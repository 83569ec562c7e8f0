package stage

import (
	"fmt"
	"math"

	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/link"
)

// Desk is what readiness needs to know of the shot on the desk.
type Desk struct {
	Machines []rig.Placed
	Rig      *rig.Rig // the machines as one, with the limits of the day's line-ups
	Keyed    bool     // there is a keyframe
	Limits   string   // the first sentence over a limit, or empty
	Over     string   // why somebody has signed for working limits that are passed, or empty
	Sealed   bool     // the plan as it stands is sealed
	Table    *seal.Table
	Zeroed   string    // the axis whose zero was laid elsewhere since the path was sealed, or empty
	LineUp   string    // why today's line-up does not allow the sealed path, or empty
	Balance  *Balanced // nil: not judged
	Begin    int       // the frame at which the pass begins
	PassName string    // the pass on the desk, or empty
	PassNote string    // why this pass cannot be rolled on its clock, or empty
	BrakeS   float64   // how long its clock takes to slow to rest; 0: as sealed
}

// Balanced is whether a shot's camera package is balanced on its machine, or what hangs
// there is known to it; and why not.
type Balanced struct {
	OK   bool
	Says string
}

// Check is one item of the readiness strip.
type Check struct {
	Name string `json:"name"`
	OK   bool   `json:"ok"`
}

// Ready is the readiness strip: what is satisfied, and the first thing that is
// not, in a sentence with the key that mends it.
type Ready struct {
	Checks   []Check `json:"checks"`
	OK       bool    `json:"ok"`
	Sentence string  `json:"sentence"`
	// StartsAt is at which end of the path the pass begins: first or last.
	StartsAt string `json:"starts_at" enum:"first,last"`
	// OnPath is whether the rig stands somewhere on the sealed path.
	OnPath bool   `json:"on_path"`
	Key    string `json:"key,omitempty"`
}

// Readiness looks at the floor and the desk.
func Readiness(s Snapshot, d *Desk) *Ready {
	r := &Ready{OK: true, Checks: []Check{}, StartsAt: d.startsAt()}
	item := func(name string, ok bool, key, format string, v ...any) {
		r.Checks = append(r.Checks, Check{name, ok})
		if !ok && r.OK {
			r.OK, r.Key, r.Sentence = false, key, "Can't roll yet: "+fmt.Sprintf(format, v...)
		}
	}
	if d == nil {
		item("shot open", false, "", "no shot is open. Choose one on the bookshelf.")
		return r
	}
	name := d.Rig.Name
	item("keyframes", d.Keyed, "K", "the sheet is empty. Press K to store a keyframe.")
	if d.Over != "" {
		item("limits signed for", true, "", "")
	} else {
		item("in limits", d.Limits == "", "P", "%s Press P to see the remedies.", d.Limits)
	}
	if d.Zeroed != "" {
		item("zeros", false, "S", "the zero of %s was laid elsewhere since the path was sealed. Press S to seal it for the new one.", d.Zeroed)
	}
	item("sealed", d.Sealed && d.Table != nil, "S", "the path is not sealed as it stands. Press S to seal it.")
	// What is in order as a rule is named only where it is not.
	if d.Balance != nil {
		item("balanced", d.Balance.OK, "1", "%s Press 1, Balance.", d.Balance.Says)
	}
	unless := func(ok bool, name, key, format string, v ...any) {
		if !ok {
			item(name, false, key, format, v...)
		}
	}
	unless(d.LineUp == "", "line-up", "2", "%s Line up again, or change the path.", d.LineUp)
	item("rig seen", s.Connected, "1", "%s is not seen. Check its power and cable; it is looked for all the time.", name)
	unless(!s.Connected || s.Driving, "driven here", "", "another copy of Keen Arc drives %s; this one only watches.", name)
	for _, m := range d.Machines {
		if v := s.Versions[m.Rig.ID]; v != 0 && v != m.Rig.Version {
			unless(false, "same version", "1", "%s runs version %d of its description, this shot is on %d. Press 1: bring the shot to it, or give it that version.", m.Rig.Name, v, m.Rig.Version)
			break
		}
	}
	machine(s, d, unless)
	unhomed := ""
	for _, a := range d.Rig.Axes {
		if !s.State.Homed[a.ID] && unhomed == "" {
			unhomed = a.Name
		}
	}
	busy := s.State.Mode == link.Homing || s.State.Mode == link.Moving || s.State.Mode == link.Jogging
	if s.Connected && busy {
		item("standing still", false, "Esc", "%s is %s. Wait, or press Esc to stop it.", name, s.State.Mode)
	}
	item("homed", s.Connected && unhomed == "", "2", "%s", notHomed(s, d.Rig, unhomed))
	astray := Astray(s, d.Rig)
	still := s.State.Mode == link.Idle || s.State.Mode == link.Armed
	unless(!s.Connected || unhomed != "" || !still || astray == "", "in place", "2", "%s", astray)
	if d.Table != nil {
		ok, on, text := AtFirst(s, d)
		r.OnPath = s.Connected && unhomed == "" && on
		item("at "+r.StartsAt, s.Connected && ok, "F", "%s Press F to go there.", text)
	}
	item("pass", d.PassName != "" && d.PassNote == "", "5", "%s", passText(d))
	if r.OK {
		r.Sentence = "Ready to roll " + d.PassName + "."
		if s.State.Mode == link.Rolling || s.State.Mode == link.Braking {
			r.Sentence = map[string]string{link.Rolling: "Rolling ", link.Braking: "Slowing to a stop, "}[s.State.Mode] + d.PassName + "."
		}
	}
	return r
}

// machine adds what the machine itself reports: its emergency stop, its drives, its
// hard ends.
func machine(s Snapshot, d *Desk, unless func(ok bool, name, key, format string, v ...any)) {
	unless(!s.State.EStop, "stop released", "2", "the emergency stop of %s is pressed. Release it at the machine when it is safe, then home what has lost its place.", d.Rig.Name)
	for _, a := range d.Rig.Axes {
		switch {
		case s.State.Suspended[a.ID] > 0:
			unless(false, "limits on", "2", "the soft limits of %s are off. Wait until they are back on, or press 2 and put them on.", a.Name)
			return
		case s.State.Faults[a.ID] != "":
			unless(false, "drives in order", "2", "%s has a drive fault: %s. Clear it at the drive, then press 2 and let it hold again.", a.Name, s.State.Faults[a.ID])
			return
		case s.State.Ends[a.ID] != "":
			unless(false, "drives in order", "2", "%s stands at its hard end. Press 2 and home it; it comes away by itself.", a.Name)
			return
		case s.State.Free[a.ID] && !s.State.EStop:
			unless(false, "drives in order", "2", "%s is free. Press 2 and let it hold again.", a.Name)
			return
		}
	}
}

// Astray says of an idle rig which axis does not stand where it was sent: it has
// lost steps, or slipped. Within two steps, its slack and what it repeats to counts
// as there.
func Astray(s Snapshot, r *rig.Rig) string {
	for _, a := range r.Axes {
		off := math.Abs(s.State.Pos[a.ID] - s.State.Asked[a.ID])
		if step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num)); off > 2*step+a.Backlash+a.Repeatability {
			return fmt.Sprintf("%s stands %.2f %s from where it was sent: it has lost steps, or slipped. Press 2 and home it.", a.Name, off, a.Unit.Symbol())
		}
	}
	return ""
}

// startsAt is the end of the path at which a pass begins.
func (d *Desk) startsAt() string {
	if d != nil && d.Table != nil && d.Begin == d.Table.End() && d.Begin > d.Table.Start() {
		return "last"
	}
	return "first"
}

func passText(d *Desk) string {
	if d.PassNote != "" {
		return d.PassNote
	}
	return "no pass is chosen. Press 5 and choose one."
}

// AtFirst reports whether the rig stands at the table's first pose, whether it
// stands on the path at all, and if it is not at first, how far it is: in frames
// where it stands on the path, else by the worst axis.
func AtFirst(s Snapshot, d *Desk) (ok, onPath bool, text string) {
	if s.State.Mode == link.Rolling || s.State.Mode == link.Braking {
		return true, true, ""
	}
	n := len(d.Table.Axes)
	first, here, at := make([]float64, n), make([]float64, n), make([]float64, n)
	p := trace.Sealed{Table: d.Table}
	p.AtFrame(first, d.Begin)
	worst, far := -1, 0.0
	for i, id := range d.Table.Axes {
		here[i] = s.State.Pos[id]
		a := d.Rig.Axes[i]
		// Within two steps counts as there: the rig itself checks to one step.
		if x := math.Abs(asked(s, id)-first[i]) / (2 * math.Abs(float64(a.StepsPerUnit.Den)/float64(a.StepsPerUnit.Num))); x > 1 && x > far {
			worst, far = i, x
		}
	}
	if worst < 0 {
		return true, true, ""
	}
	f := int(math.Floor(s.State.Frame + 1e-6)) // as the counter shows it
	on := f >= d.Table.Start() && p.AtFrame(at, f)
	for i, a := range d.Rig.Axes {
		on = on && math.Abs(here[i]-at[i]) < 0.01*(a.Max-a.Min)
	}
	switch {
	case on && f > d.Begin:
		return false, true, frames(f-d.Begin) + " past first."
	case on && f < d.Begin && d.startsAt() == "last":
		return false, true, frames(d.Begin-f) + " before last."
	}
	a := d.Rig.Axes[worst]
	return false, on, fmt.Sprintf("%s is %.1f %s from frame %s.", a.Name, math.Abs(here[worst]-first[worst]), a.Unit.Symbol(), limit.Frame4(float64(d.Begin)))
}

// asked is where the controller takes an axis to be.
func asked(s Snapshot, id string) float64 {
	if v, ok := s.State.Asked[id]; ok {
		return v
	}
	return s.State.Pos[id]
}

func frames(n int) string {
	if n == 1 {
		return "1 frame"
	}
	return fmt.Sprintf("%d frames", n)
}

// notHomed says what is to be done about the first axis that is not homed.
func notHomed(s Snapshot, r *rig.Rig, name string) string {
	for _, a := range r.Axes {
		switch {
		case a.Name != name:
		case s.State.Waits[a.ID] == link.WaitsCheck:
			return name + " is at its check pose. Press 2, look at its marks and confirm."
		case s.State.Trouble[a.ID] != "":
			return fmt.Sprintf("%s is not homed: %s. Press 2.", name, s.State.Trouble[a.ID])
		}
	}
	return name + " is not homed. Press 2, then Home."
}
