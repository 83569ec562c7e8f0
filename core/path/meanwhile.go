package path

import (
	"maps"
	"slices"
)

// Undisturbed reports whether an edit that was made on one version of a path
// means the same on a later one: whether all that it changes, or counts from, is
// in both as it was seen. An edit for which it does not hold must be looked at
// again by whoever made it.
func (e Edit) Undisturbed(seen, now *Path) bool {
	switch e.Op {
	case "set":
		for axis := range e.Values {
			if !sameAt(seen, now, axis, e.Frame) {
				return false
			}
		}
		return true
	case "base":
		for axis := range e.Values {
			if seen.Base[axis] != now.Base[axis] {
				return false
			}
		}
		return true
	case "move":
		return sameAt(seen, now, e.Axis, e.Frame) && sameAt(seen, now, e.Axis, e.To)
	case "delete":
		return sameAt(seen, now, e.Axis, e.Frame)
	case "kind":
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.Kind == n.Kind && s.Ends == n.Ends && s.Blend == n.Blend && s.sameRamps(n) && e.Ramp.undisturbed(seen, now, s, n)
	case "record":
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.same(n)
	case "segment": // counted from the first keyframe, so the frames must be the same
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.Kind == n.Kind && s.Segments[e.Index] == n.Segments[e.Index] && s.sameRamps(n) && e.Ramp.undisturbed(seen, now, s, n) && slices.EqualFunc(s.Keys, n.Keys, func(a, b Key) bool { return a.Frame == b.Frame })
	case "shape":
		return sameAt(seen, now, e.Axis, e.Frame)
	case "whole", "retime": // worked out from all of it, on its clock
		return seen.Rate == now.Rate && seen.Factor == now.Factor && slices.EqualFunc(seen.Tracks, now.Tracks, func(a, b Track) bool { return a.Axis == b.Axis && a.same(&b) })
	case "room":
		return slices.Equal(seen.Frames(), now.Frames()) && slices.EqualFunc(seen.Tracks, now.Tracks, func(a, b Track) bool { return a.Record.same(b.Record) })
	case "keys", "clear":
		for _, m := range e.Moves {
			if !sameAt(seen, now, m.Axis, m.Frame) || e.Op == "keys" && !sameAt(seen, now, m.Axis, m.To) {
				return false
			}
		}
		return true
	case "paste":
		for _, t := range e.Tracks {
			for _, k := range t.Keys {
				if !sameAt(seen, now, t.Axis, k.Frame) {
					return false
				}
			}
		}
		return true
	case "span":
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.same(n) && seen.Rate == now.Rate && seen.Factor == now.Factor
	case "rate":
		return seen.Rate == now.Rate
	case "factor": // a clock typed in frames per second is counted from the rate
		return seen.Rate == now.Rate && seen.Factor == now.Factor
	case "run":
		return seen.RunUp == now.RunUp && seen.RunOut == now.RunOut
	case "replace":
		for _, t := range e.Tracks {
			if s, n := seen.Track(t.Axis), now.Track(t.Axis); s == nil || n == nil || !s.same(n) {
				return false
			}
		}
		return true
	}
	return false
}

// sameAt reports whether one axis, or every axis where none is named, has the
// same keyframe at a frame in both, or none in both.
func sameAt(a, b *Path, axis string, frame float64) bool {
	for i := range a.Tracks {
		t := &a.Tracks[i]
		if axis != "" && t.Axis != axis {
			continue
		}
		o := b.Track(t.Axis)
		if o == nil {
			return false
		}
		x, y := t.find(frame), o.find(frame)
		if (x < 0) != (y < 0) || x >= 0 && t.Keys[x] != o.Keys[y] {
			return false
		}
	}
	return true
}

func (t *Track) same(o *Track) bool {
	return t.Kind == o.Kind && t.Ends == o.Ends && t.Blend == o.Blend && slices.Equal(t.Keys, o.Keys) && maps.Equal(t.Segments, o.Segments) && t.sameRamps(o) && t.Record.same(o.Record)
}

func (t *Track) sameRamps(o *Track) bool {
	return (t.Ramp == nil) == (o.Ramp == nil) && (t.Ramp == nil || *t.Ramp == *o.Ramp) && maps.Equal(t.Ramps, o.Ramps)
}

// undisturbed: what is typed as seconds, as part of a leg or as an acceleration counts from the
// clock and the keyframes.
func (r *TypedRamp) undisturbed(seen, now *Path, s, n *Track) bool {
	return r == nil || seen.Rate == now.Rate && seen.Factor == now.Factor && slices.Equal(s.Keys, n.Keys)
}

func (r *Record) same(o *Record) bool {
	if r == nil || o == nil {
		return r == o
	}
	return r.Samples == o.Samples && r.Count == o.Count && r.First == o.First && r.Step == o.Step && r.Tolerance == o.Tolerance
}
