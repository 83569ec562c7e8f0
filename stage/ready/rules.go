package ready

import (
	"fmt"
	"slices"

	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/link"
)

// rule is one thing that has to be so. Of one that is broken the sentence says what is wrong
// and what to do; an empty one says that it is satisfied.
type rule struct {
	name   string
	key    string // that mends it
	on     strip
	broken func(f *facts) string
}

// strip is where a rule is looked at, and where it is named though it is satisfied.
type strip struct{ pass, passShown, frame, frameShown bool }

var (
	both        = strip{pass: true, frame: true}
	bothShown   = strip{true, true, true, true}
	passOnly    = strip{pass: true}
	passShown   = strip{pass: true, passShown: true}
	frameOnly   = strip{frame: true}
	frameShown  = strip{frame: true, frameShown: true}
	passShowing = strip{pass: true, passShown: true, frame: true}
)

// are are the rules, in the order of the day: what is wrong with the machine comes before all
// else, then whether it is there, homed, balanced, in limits, sealed, and at its place.
var are = []rule{
	{"stop released", "2", both, func(f *facts) string {
		if !f.State.EStop {
			return ""
		}
		return fmt.Sprintf("the emergency stop of %s is pressed. Release it at the machine when it is safe, then home "+
			"what has lost its place.", f.Rig.Name)
	}},
	{"limits on", "2", both, func(f *facts) string {
		for _, a := range f.Rig.Axes {
			if f.State.Axes[a.ID].SuspendedMS > 0 {
				return fmt.Sprintf("the soft limits of %s are off. Wait until they are back on, or press 2 and "+
					"put them on.", a.Name)
			}
		}
		return ""
	}},
	{"drives in order", "2", both, func(f *facts) string {
		for _, a := range f.Rig.Axes {
			switch x := f.State.Axes[a.ID]; {
			case x.Fault != "":
				return fmt.Sprintf("%s has a drive fault: %s. Clear it at the drive, then press 2 and let it "+
					"hold again.", a.Name, x.Fault)
			case x.End != "":
				return fmt.Sprintf("%s stands at its hard end. Press 2 and home it; it comes away by itself.", a.Name)
			case x.Free && !f.State.EStop:
				return fmt.Sprintf("%s is free. Press 2 and let it hold again.", a.Name)
			}
		}
		return ""
	}},
	{"rig seen", "1", bothShown, func(f *facts) string {
		if f.Connected {
			return ""
		}
		return fmt.Sprintf("%s is not seen. Check its power and cable; it is looked for all the time.", f.Rig.Name)
	}},
	{"driven here", "", both, func(f *facts) string {
		switch {
		case !f.Connected:
			return ""
		case f.Old:
			return fmt.Sprintf("%s speaks version %d of the rig link: it is seen and can be stopped, and is not "+
				"moved. Its device has to speak version %d.", f.Rig.Name, link.OldVersion, link.Version)
		case !f.Driving:
			return fmt.Sprintf("another copy of Keen Arc drives %s; this one only watches.", f.Rig.Name)
		case !f.Leased:
			return fmt.Sprintf("another program has taken the lease of %s. It is taken back when %s has stood still "+
				"for a second.", f.Rig.Name, f.Rig.Name)
		}
		return ""
	}},
	{"same version", "1", both, func(f *facts) string {
		for _, m := range f.Machines {
			if v := f.Versions[m.Rig.ID]; v != 0 && v != m.Rig.Version {
				return fmt.Sprintf("%s runs version %d of its description, this shot is on %d. Press 1: bring the "+
					"shot to it, or give it that version.", m.Rig.Name, v, m.Rig.Version)
			}
		}
		return ""
	}},
	{"standing still", "Esc", both, func(f *facts) string {
		m := f.State.Mode
		busy := m == link.Homing || m == link.Jogging || m == link.Moving && f.bench == nil
		if f.bench != nil {
			busy = !f.State.Still() && m != link.Moving
		}
		if !f.Connected || !busy {
			return ""
		}
		return fmt.Sprintf("%s is %s. Wait, or press Esc to stop it.", f.Rig.Name, m)
	}},
	{"homed", "2", bothShown, func(f *facts) string {
		for _, a := range f.Rig.Axes {
			switch x := f.State.Axes[a.ID]; {
			case x.Homed:
			case x.Waits == link.WaitsCheck:
				return a.Name + " is at its check pose. Press 2, look at its marks and confirm."
			case x.Trouble != "":
				return fmt.Sprintf("%s is not homed: %s. Press 2.", a.Name, x.Trouble)
			default:
				return a.Name + " is not homed. Press 2, then Home."
			}
		}
		return ""
	}},
	{"in place", "2", both, func(f *facts) string {
		m := f.State.Mode
		if !f.Connected || m != link.Idle && m != link.Armed || slices.ContainsFunc(f.Rig.Axes, func(a rig.Axis) bool {
			return !f.State.Axes[a.ID].Homed
		}) {
			return ""
		}
		return Astray(f.Snapshot, f.Rig)
	}},
	{"balanced", "1", passShowing, func(f *facts) string {
		if f.Balance == nil || f.Balance.OK {
			return ""
		}
		return f.Balance.Says + " Press 1, Balance."
	}},
	{"keyframes", "K", passShown, func(f *facts) string {
		if f.Keyed {
			return ""
		}
		return "the sheet is empty. Press K to store a keyframe."
	}},
	{"in limits", "P", passShown, func(f *facts) string {
		if f.Over != "" || f.Limits == "" {
			return ""
		}
		return f.Limits + " Press P to see the remedies."
	}},
	{"line-up", "2", passOnly, func(f *facts) string {
		if f.LineUp == "" {
			return ""
		}
		return f.LineUp + " Line up again, or change the path."
	}},
	{"in limits", "2", frameShown, func(f *facts) string {
		if f.LineUp == "" {
			return ""
		}
		return f.LineUp + " Line up again, or change the path."
	}},
	{"zeros", "S", passOnly, func(f *facts) string {
		if f.Zeroed == "" {
			return ""
		}
		return fmt.Sprintf("the zero of %s was laid elsewhere since the path was sealed. Press S to seal it for "+
			"the new one.", f.Zeroed)
	}},
	{"sealed", "S", bothShown, func(f *facts) string {
		switch {
		case f.Table == nil && f.bench != nil:
			return "there is no sealed path. Press S to seal it."
		case f.bench == nil && (f.Table == nil || !f.Sealed):
			return "the path is not sealed as it stands. Press S to seal it."
		}
		return ""
	}},
	{"frames on the path", "3", frameOnly, func(f *facts) string {
		if f.Table == nil {
			return ""
		}
		first, last := f.bench.Shoot.Scheme.First, f.bench.Shoot.Scheme.Last
		if first >= f.Table.Start() && last <= f.Table.End() {
			return ""
		}
		return fmt.Sprintf("the shoot has frames %s to %s and the sealed path %s to %s. Make them fit.",
			limit.Frame4(float64(first)), limit.Frame4(float64(last)), limit.Frame4(float64(f.Table.Start())),
			limit.Frame4(float64(f.Table.End())))
	}},
	{"one path", "", frameOnly, func(f *facts) string {
		if f.bench.Newer == 0 {
			return ""
		}
		return fmt.Sprintf("path %d is sealed, and the frames so far are on an older one; at frame %s they differ by "+
			"%.1f px. Choose which to go on with.",
			f.bench.Newer, limit.Frame4(float64(f.cell.Frame)), f.bench.NewerPx)
	}},
	{atPlace, "F", passShown, func(f *facts) string {
		if f.Table == nil { // said by "sealed"
			return ""
		}
		ok, _, text := AtFirst(f.Snapshot, f.Desk)
		if f.Connected && ok {
			return ""
		}
		return text + " Press F to go there."
	}},
	{"pass", "5", passShown, func(f *facts) string {
		switch {
		case f.PassNote != "":
			return f.PassNote
		case f.PassName == "":
			return "no pass is chosen. Press 5 and choose one."
		}
		return ""
	}},
	{"loaded", "", passOnly, func(f *facts) string {
		l := f.Loading
		switch {
		case l == nil || l.Print != f.Print || f.Print == "":
			return ""
		case l.Why != "":
			return fmt.Sprintf("%s does not take the sealed path: %s.", f.Rig.Name, l.Why)
		case l.Left >= 1:
			return fmt.Sprintf("the sealed path is being loaded into %s, %.0f s.", f.Rig.Name, l.Left)
		}
		return fmt.Sprintf("the sealed path is being loaded into %s.", f.Rig.Name)
	}},
	{"camera", "", frameShown, func(f *facts) string {
		if f.eye.Connected {
			return ""
		}
		return fmt.Sprintf("the camera is not there: %s. It is looked for all the time.", f.eye.Why)
	}},
}

// atPlace is the rule whose name says at which end a pass begins.
const atPlace = "at"

// called is a rule's name on the strip.
func (u *rule) called(f *facts) string {
	switch {
	case u.name == atPlace:
		return "at " + f.start().end
	case u.name == "in limits" && f.bench == nil && f.Over != "":
		return "limits signed for"
	}
	return u.name
}
