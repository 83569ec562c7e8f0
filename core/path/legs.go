package path

import (
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
	kinds := t.owned()
	own := curve.Kind("")
	if i > 0 && i < len(t.Keys) {
		own = kinds[i-1]
	}
	t.Keys = slices.Insert(t.Keys, i, k)
	t.own(slices.Insert(kinds, i, own))
}

func (t *Track) remove(i int) {
	kinds := t.owned()
	t.Keys = slices.Delete(t.Keys, i, i+1)
	t.own(slices.Delete(kinds, i, i+1))
}

// shift moves keyframe i to a frame, past others if need be.
func (t *Track) shift(i int, to float64) {
	k, kind := t.Keys[i], t.owned()[i]
	t.remove(i)
	k.Frame = to
	at := len(t.Keys)
	for at > 0 && t.Keys[at-1].Frame > to {
		at--
	}
	kinds := t.owned()
	t.Keys = slices.Insert(t.Keys, at, k)
	t.own(slices.Insert(kinds, at, kind))
}

// owned is the override of each keyframe's leg; the last one has none.
func (t *Track) owned() []curve.Kind {
	out := make([]curve.Kind, len(t.Keys))
	for i, k := range t.Segments {
		if i >= 0 && i < len(out)-1 {
			out[i] = k
		}
	}
	return out
}

// own is the inverse of owned.
func (t *Track) own(kinds []curve.Kind) {
	t.Segments = nil
	for i, k := range kinds[:max(0, len(kinds)-1)] {
		if k != "" {
			if t.Segments == nil {
				t.Segments = map[int]curve.Kind{}
			}
			t.Segments[i] = k
		}
	}
}
