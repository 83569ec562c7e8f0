package path

import (
	"fmt"

	"keenarc/core/rig"
)

// own is an axis's name as it is said: without its machine.
func own(axis string) string {
	_, o := rig.Split(axis)
	return o
}

// Words says in a few words what an edit did.
func (e Edit) Words() string {
	of := own(e.Axis)
	if of == "" {
		of = "all axes"
	}
	switch e.Op {
	case "set":
		if len(e.Values) == 1 {
			for axis := range e.Values {
				return fmt.Sprintf("%s stored at frame %s", own(axis), num(e.Frame))
			}
		}
		return fmt.Sprintf("%d axes stored at frame %s", len(e.Values), num(e.Frame))
	case "move":
		return fmt.Sprintf("%s moved from frame %s to %s", of, num(e.Frame), num(e.To))
	case "delete":
		return fmt.Sprintf("keyframe at %s taken out on %s", num(e.Frame), of)
	case "kind":
		return fmt.Sprintf("%s runs %s", of, e.Kind)
	case "segment":
		if e.Kind == "" {
			return fmt.Sprintf("a leg of %s as the axis", of)
		}
		return fmt.Sprintf("a leg of %s runs %s", of, e.Kind)
	case "shape":
		return fmt.Sprintf("%s shaped at frame %s", of, num(e.Frame))
	case "room":
		if e.Axis != "" {
			return fmt.Sprintf("%d frames of room after %s on %s", e.Frames, num(e.Frame), of)
		}
		return fmt.Sprintf("%d frames of room after %s", e.Frames, num(e.Frame))
	case "keys":
		return fmt.Sprintf("%d keyframes moved", len(e.Moves))
	case "clear":
		return fmt.Sprintf("%d keyframes taken out", len(e.Moves))
	case "paste":
		n := 0
		for _, t := range e.Tracks {
			n += len(t.Keys)
		}
		return fmt.Sprintf("%d keyframes pasted", n)
	case "span":
		return fmt.Sprintf("%s in one move from frame %s to %s", of, num(e.Frame), num(e.To))
	case "factor":
		if e.Clock != "" {
			return "clock " + e.Clock
		}
		if e.Factor != nil {
			return fmt.Sprintf("clock × %.4g", e.Factor.Float())
		}
	case "rate":
		if e.Rate != nil {
			return fmt.Sprintf("rate %.5g fps", e.Rate.Float())
		}
	case "run":
		return fmt.Sprintf("run-up %d, run-out %d frames", e.RunUp, e.RunOut)
	case "replace":
		return "keyframes from a file"
	case "retime":
		return "re-timed"
	case "whole":
		if e.Whole != nil {
			return e.Whole.words(e.Axis)
		}
	case "record":
		if e.Record == nil {
			return "record taken out on " + of
		}
		return fmt.Sprintf("%s follows %d samples", of, e.Record.Count)
	}
	return e.Op
}
