package path

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"keenarc/core/curve"
)

// KeyMove names one keyframe, and where it goes: to another frame, and to another value
// where one is given.
type KeyMove struct {
	Axis  string   `json:"axis"`
	Frame float64  `json:"frame"`
	To    float64  `json:"to,omitempty"`
	Value *float64 `json:"value,omitempty"`
}

// picked are the indices of an edit's keyframes by axis; each must be there, once.
func (p *Path) picked(e Edit) (map[string]map[int]KeyMove, error) {
	if len(e.Moves) == 0 {
		return nil, bad("moves", "no keyframe is named", "name at least one by its axis and frame")
	}
	out := map[string]map[int]KeyMove{}
	for n, m := range e.Moves {
		t := p.Track(m.Axis)
		if t == nil {
			return nil, bad("axis", fmt.Sprintf("there is no axis %q", m.Axis), "use "+p.axisList())
		}
		i := t.find(m.Frame)
		if i < 0 {
			return nil, bad("frame", fmt.Sprintf("%s has no keyframe at %s", own(m.Axis), num(m.Frame)),
				"name the frame of a keyframe")
		}
		if out[m.Axis] == nil {
			out[m.Axis] = map[int]KeyMove{}
		}
		if _, twice := out[m.Axis][i]; twice {
			return nil, bad(fmt.Sprintf("moves[%d]", n), fmt.Sprintf("%s at %s is named twice", own(m.Axis),
				num(m.Frame)), "name each keyframe once")
		}
		out[m.Axis][i] = m
	}
	return out, nil
}

// moveSeveral moves keyframes all at once, so that one may go where another was. None
// lands on another: nothing is overwritten.
func (p *Path) moveSeveral(e Edit) error {
	picked, err := p.picked(e)
	if err != nil {
		return err
	}
	for i := range p.Tracks {
		if err := p.Tracks[i].moveSeveral(picked[p.Tracks[i].Axis]); err != nil {
			return err
		}
	}
	return nil
}

func (t *Track) moveSeveral(moves map[int]KeyMove) error {
	type owned struct {
		Key
		leg
	}
	legs := t.owned()
	all := make([]owned, len(t.Keys))
	for i, k := range t.Keys {
		all[i] = owned{k, legs[i]}
		m, ok := moves[i]
		if !ok {
			continue
		}
		if all[i].Frame = m.To; math.IsNaN(m.To) {
			return bad("to", "it is not a number", "give a frame number")
		}
		if m.Value != nil {
			all[i].Value = *m.Value
		}
	}
	slices.SortStableFunc(all, func(a, b owned) int { return cmp.Compare(a.Frame, b.Frame) })
	for i := range all {
		if i > 0 && all[i].Frame == all[i-1].Frame {
			return bad("to", fmt.Sprintf("two keyframes of %s would lie at %s", own(t.Axis), num(all[i].Frame)),
				"choose a frame without one, or take that one out first")
		}
		t.Keys[i], legs[i] = all[i].Key, all[i].leg
	}
	t.own(legs)
	return nil
}

// clear takes several keyframes out.
func (p *Path) clear(e Edit) error {
	picked, err := p.picked(e)
	if err != nil {
		return err
	}
	for n := range p.Tracks {
		t := &p.Tracks[n]
		for i := len(t.Keys) - 1; i >= 0; i-- {
			if _, ok := picked[t.Axis][i]; ok {
				t.remove(i)
			}
		}
	}
	return nil
}

// MaxPaste is the most keyframes that are put in at once.
const MaxPaste = 10_000

// paste puts keyframes in among those that are there: where an axis has one at the same
// frame, it takes the new one's value and shape.
func (p *Path) paste(e Edit) error {
	count := 0
	for _, from := range e.Tracks {
		count += len(from.Keys)
	}
	switch {
	case count == 0:
		return bad("tracks", "there is no keyframe in them", "copy at least one")
	case count > MaxPaste:
		return bad("tracks", fmt.Sprintf("%d keyframes at once", count),
			fmt.Sprintf("paste at most %d, or take them from a file", MaxPaste))
	}
	for _, from := range e.Tracks {
		t := p.Track(from.Axis)
		if t == nil {
			return bad("axis", fmt.Sprintf("there is no axis %q", from.Axis), "use "+p.axisList())
		}
		if err := t.recorded(); err != nil {
			return err
		}
		for _, k := range from.Keys {
			if math.IsNaN(k.Frame) {
				return bad("frame", "it is not a number", "give a frame number")
			}
		}
		t.addAll(from.Keys)
	}
	return nil
}

// span lays one move in place of all that an axis does: from one value at a frame to another
// at a later one, by a ramp.
func (p *Path) span(e Edit) error {
	t := p.Track(e.Axis)
	switch {
	case t == nil:
		return bad("axis", fmt.Sprintf("there is no axis %q", e.Axis), "use "+p.axisList())
	case e.Pair == nil:
		return bad("pair", "it is missing", "give the value at the start and the value at the end")
	case !(e.To > e.Frame):
		return bad("to", fmt.Sprintf("the move would end at %s, where it does not come after its start at %s",
			num(e.To), num(e.Frame)), "give a duration above 0")
	}
	if err := t.recorded(); err != nil {
		return err
	}
	ramp := e.Ramp
	if ramp == nil {
		ramp = &TypedRamp{Law: curve.Laws[0]}
	}
	*t = Track{Axis: t.Axis, Kind: curve.Ramped, Keys: []Key{{Frame: e.Frame, Value: e.Pair[0]},
		{Frame: e.To, Value: e.Pair[1]}}}
	return t.setRamps(ramp, p.fps())
}
