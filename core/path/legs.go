package path

import (
	"cmp"
	"slices"

	"keenarc/core/curve"
)

func (t *Track) find(frame float64) int {
	return slices.IndexFunc(t.Keys, func(k Key) bool { return k.Frame == frame })
}

// A leg belongs to the keyframe at its left: its override stays with that
// keyframe when it moves, and goes with it when it is taken out. A leg that a new
// keyframe splits keeps its kind on both sides.

// add puts a keyframe where none is.
func (t *Track) add(k Key) {
	i := len(t.Keys)
	for i > 0 && t.Keys[i-1].Frame > k.Frame {
		i--
	}
	legs := t.owned()
	var own leg
	if i > 0 && i < len(t.Keys) { // both parts start and stop: neither keeps ramps that were for the whole
		own.kind, legs[i-1].ramp = legs[i-1].kind, nil
	}
	t.Keys = slices.Insert(t.Keys, i, k)
	t.own(slices.Insert(legs, i, own))
}

// addAll puts keyframes among those that there are, as add would one after another; where there
// is one already it is changed, and of two at a frame the later counts.
func (t *Track) addAll(keys []Key) {
	more := slices.Clone(keys)
	slices.SortStableFunc(more, func(a, b Key) int { return cmp.Compare(a.Frame, b.Frame) })
	was, legs := t.Keys, t.owned()
	out, own := make([]Key, 0, len(was)+len(more)), make([]leg, 0, len(was)+len(more))
	k := 0 // of those that there were
	for i, m := range more {
		if i+1 < len(more) && more[i+1].Frame == m.Frame {
			continue
		}
		for k < len(was) && was[k].Frame < m.Frame {
			out, own = append(out, was[k]), append(own, legs[k])
			k++
		}
		if k < len(was) && was[k].Frame == m.Frame {
			out, own = append(out, m), append(own, legs[k])
			k++
			continue
		}
		var mine leg
		if k > 0 && k < len(was) { // both parts start and stop: neither keeps ramps that were for the whole
			mine.kind, own[len(own)-1].ramp = legs[k-1].kind, nil
		}
		out, own = append(out, m), append(own, mine)
	}
	t.Keys = append(out, was[k:]...)
	t.own(append(own, legs[k:]...))
}

func (t *Track) remove(i int) {
	legs := t.owned()
	t.Keys = slices.Delete(t.Keys, i, i+1)
	t.own(slices.Delete(legs, i, i+1))
}

// shift moves keyframe i to a frame, past others if need be.
func (t *Track) shift(i int, to float64) {
	k, leg := t.Keys[i], t.owned()[i]
	t.remove(i)
	k.Frame = to
	at := len(t.Keys)
	for at > 0 && t.Keys[at-1].Frame > to {
		at--
	}
	legs := t.owned()
	t.Keys = slices.Insert(t.Keys, at, k)
	t.own(slices.Insert(legs, at, leg))
}

// leg is what belongs to a keyframe of the way to the next one.
type leg struct {
	kind curve.Kind
	ramp *curve.Ramp
}

// owned is what overrides the axis on each keyframe's leg; the last one has none.
func (t *Track) owned() []leg {
	out := make([]leg, len(t.Keys))
	for i, k := range t.Segments {
		if i >= 0 && i < len(out)-1 {
			out[i].kind = k
		}
	}
	for i, r := range t.Ramps {
		if i >= 0 && i < len(out)-1 {
			out[i].ramp = &r
		}
	}
	return out
}

// own is the inverse of owned.
func (t *Track) own(legs []leg) {
	t.Segments, t.Ramps = nil, nil
	for i, l := range legs[:max(0, len(legs)-1)] {
		if l.kind != "" {
			if t.Segments == nil {
				t.Segments = map[int]curve.Kind{}
			}
			t.Segments[i] = l.kind
		}
		if l.ramp != nil {
			if t.Ramps == nil {
				t.Ramps = map[int]curve.Ramp{}
			}
			t.Ramps[i] = *l.ramp
		}
	}
}
