package rig

import (
	"fmt"
	"reflect"
)

// Change is one difference between two versions of a machine, and what it does to moves
// that were made on the first. Voids: their sealed paths do not run on the second.
type Change struct {
	Axis  string `json:"axis,omitempty"`
	Says  string `json:"says"`
	Voids bool   `json:"voids"`
}

// Changes are the differences that matter to moves and to those who run them. Seals pin
// axes, scale and the chain of joints; limits are held against them when they are armed.
func Changes(a, b *Rig) []Change {
	out := []Change{}
	add := func(axis string, voids bool, format string, v ...any) {
		out = append(out, Change{axis, fmt.Sprintf(format, v...), voids})
	}
	for i := range a.Axes {
		x := &a.Axes[i]
		k := b.Index(x.ID)
		if k < 0 {
			add(x.ID, true, "%s is gone: its keyframes have nothing to move.", x.Name)
			continue
		}
		y := &b.Axes[k]
		u := x.Unit.Symbol()
		if x.Unit != y.Unit {
			add(x.ID, true, "%s is planned in %s, not in %s: its keyframes mean something else.", x.Name,
				y.Unit.Symbol(), u)
			continue
		}
		if x.StepsPerUnit.Num*y.StepsPerUnit.Den != y.StepsPerUnit.Num*x.StepsPerUnit.Den {
			add(x.ID, true, "%s makes %.6g steps per %s, not %.6g: keyframes stay where they are in %s, sealed paths "+
				"are void.", x.Name,
				float64(y.StepsPerUnit.Num)/float64(y.StepsPerUnit.Den), u, float64(x.StepsPerUnit.Num)/
					float64(x.StepsPerUnit.Den), u)
		}
		if x.Min != y.Min || x.Max != y.Max || x.Hard != y.Hard {
			add(x.ID, false, "%s goes from %g to %g %s, not from %g to %g: moves are held against it when they "+
				"are armed.", x.Name, y.Min, y.Max, u, x.Min, x.Max)
		}
		if x.Rated != y.Rated || x.Working != y.Working {
			add(x.ID, false, "%s works up to %g %s/s and %g %s/s² (before %g and %g): moves are held against it when "+
				"they are armed.", x.Name,
				y.Working.Speed, u, y.Working.Acceleration, u, x.Working.Speed, x.Working.Acceleration)
		}
		if x.Home != y.Home || !reflect.DeepEqual(x.AlsoHome, y.AlsoHome) || x.HomeValue() != y.HomeValue() {
			add(x.ID, false, "%s is homed by %s at %g %s.", x.Name, y.Home, y.HomeValue(), u)
		}
		if x.Backlash != y.Backlash || x.Repeatability != y.Repeatability || x.Feedback != y.Feedback {
			add(x.ID, false, "%s has %g %s of slack, repeats to %g, and its feedback sees %s.", x.Name, y.Backlash, u,
				y.Repeatability, y.Feedback)
		}
	}
	for i := range b.Axes {
		if y := &b.Axes[i]; a.Index(y.ID) < 0 {
			add(y.ID, true, "%s is new: sealed paths say nothing of it.", y.Name)
		}
	}
	if !reflect.DeepEqual(a.Joints, b.Joints) || a.Camera != b.Camera {
		add("", true, "The joints that carry the camera have changed: the same values are another place, sealed "+
			"paths are void.")
	}
	if a.LagMS != b.LagMS || a.ClearM != b.ClearM || !reflect.DeepEqual(a.Sway, b.Sway) {
		add("", false, "Its drives follow %g ms late, people keep %g m from it, it sways at %g Hz.", b.LagMS,
			b.ClearM, b.SwayHz())
	}
	if !reflect.DeepEqual(a.Book, b.Book) {
		add("", false, "What the book says of payload, parts, wires or poses has changed.")
	}
	return out
}
