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
			if !sameAt(seen, now, axis, e.Frame) || !sameWay(seen, now, axis, e.Frame) {
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
		return sameAt(seen, now, e.Axis, e.Frame) && sameAt(seen, now, e.Axis, e.To) && sameMove(seen, now, e.Axis,
			e.Frame, e.To)
	case "delete":
		return sameAt(seen, now, e.Axis, e.Frame) && sameLegs(seen, now, e.Axis, e.Frame)
	case "kind":
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.Kind == n.Kind && s.Ends == n.Ends && s.Blend == n.Blend && s.sameRamps(n) &&
			e.Ramp.undisturbed(seen, now, s, n)
	case "record":
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.same(n)
	case "segment": // counted from the first keyframe, so the frames must be the same
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.Kind == n.Kind && s.Segments[e.Index] == n.Segments[e.Index] &&
			s.sameRamps(n) && e.Ramp.undisturbed(seen, now, s, n) && slices.EqualFunc(s.Keys, n.Keys,
			func(a, b Key) bool { return a.Frame == b.Frame })
	case "shape":
		return sameAt(seen, now, e.Axis, e.Frame)
	case "whole", "retime": // worked out from all of it, on its clock
		return seen.Rate == now.Rate && seen.Factor == now.Factor && slices.EqualFunc(seen.Tracks, now.Tracks,
			func(a, b Track) bool { return a.Axis == b.Axis && a.same(&b) })
	case "room":
		return slices.EqualFunc(seen.Tracks, now.Tracks, func(a, b Track) bool {
			return a.Axis == b.Axis && (e.Axis != "" && e.Axis != a.Axis || a.Record.same(b.Record) &&
				slices.Equal(a.after(e.Frame), b.after(e.Frame)))
		})
	case "keys", "clear":
		for _, m := range e.Moves {
			if !sameAt(seen, now, m.Axis, m.Frame) || !sameLegs(seen, now, m.Axis, m.Frame) {
				return false
			}
			if e.Op == "keys" && (!sameAt(seen, now, m.Axis, m.To) || !sameMove(seen, now, m.Axis, m.Frame, m.To)) {
				return false
			}
		}
		return true
	case "paste":
		for _, t := range e.Tracks {
			for _, k := range t.Keys {
				if !sameAt(seen, now, t.Axis, k.Frame) || !sameWay(seen, now, t.Axis, k.Frame) {
					return false
				}
			}
		}
		return true
	case "span":
		s, n := seen.Track(e.Axis), now.Track(e.Axis)
		return s != nil && n != nil && s.same(n) && seen.Rate == now.Rate && seen.Factor == now.Factor
	case "rate": // a clock that was typed meanwhile counts from it
		return seen.Rate == now.Rate && seen.Factor == now.Factor
	case "factor": // a clock typed in frames per second counts from the rate, one in seconds from the length
		s, n := seen.Clock(), now.Clock()
		return seen.Rate == now.Rate && seen.Factor == now.Factor && (e.Clock == "" || s.Last-s.First == n.Last-n.First)
	case "run": // so many frames to gather speed in count from it, too
		return seen.RunUp == now.RunUp && seen.RunOut == now.RunOut && seen.Rate == now.Rate
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

// sameWay reports whether what a keyframe that is put or changed at a frame has to do with is the
// same in both: the ramps beside one that is there; of a new one, the leg that it divides, which
// still runs between the same two.
func sameWay(a, b *Path, axis string, frame float64) bool {
	t, o := a.Track(axis), b.Track(axis)
	if t == nil || o == nil {
		return t == o
	}
	if i, k := t.find(frame), o.find(frame); i >= 0 && k >= 0 {
		return sameRamp(t.legAt(i-1), o.legAt(k-1)) && sameRamp(t.legAt(i), o.legAt(k))
	}
	i, k := len(t.Keys)-len(t.after(frame))-1, len(o.Keys)-len(o.after(frame))-1 // the last one before it
	if i >= 0 && o.find(t.Keys[i].Frame) < 0 || i+1 < len(t.Keys) && o.find(t.Keys[i+1].Frame) < 0 {
		return false
	}
	return t.legAt(i).same(o.legAt(k))
}

// sameMove is sameLegs of a keyframe that is moved, and sameWay where it goes.
func sameMove(a, b *Path, axis string, frame, to float64) bool {
	if !sameLegs(a, b, axis, frame) {
		return false
	}
	for i := range a.Tracks {
		if t := &a.Tracks[i]; (axis == "" || t.Axis == axis) && t.find(frame) >= 0 && to != frame &&
			!sameWay(a, b, t.Axis, to) {
			return false
		}
	}
	return true
}

// sameLegs reports whether the legs beside a keyframe of one axis, or of every axis that has one
// there, are the same in both: what goes with it.
func sameLegs(a, b *Path, axis string, frame float64) bool {
	for i := range a.Tracks {
		t := &a.Tracks[i]
		o := b.Track(t.Axis)
		if axis != "" && t.Axis != axis || o == nil {
			continue
		}
		k, m := t.find(frame), o.find(frame)
		if k >= 0 && m >= 0 && !(t.legAt(k-1).same(o.legAt(m-1)) && t.legAt(k).same(o.legAt(m))) {
			return false
		}
	}
	return true
}

// after are the keyframes after a frame.
func (t *Track) after(frame float64) []Key {
	i := slices.IndexFunc(t.Keys, func(k Key) bool { return k.Frame > frame })
	if i < 0 {
		return nil
	}
	return t.Keys[i:]
}

// legAt is what leg i has of its own; where there is no such leg, nothing.
func (t *Track) legAt(i int) leg {
	var out leg
	if i < 0 || i >= len(t.Keys)-1 {
		return out
	}
	out.kind = t.Segments[i]
	if r, ok := t.Ramps[i]; ok {
		out.ramp = &r
	}
	return out
}

func (l leg) same(o leg) bool { return l.kind == o.kind && sameRamp(l, o) }

func sameRamp(l, o leg) bool {
	return (l.ramp == nil) == (o.ramp == nil) && (l.ramp == nil || *l.ramp == *o.ramp)
}

func (t *Track) same(o *Track) bool {
	return t.Kind == o.Kind && t.Ends == o.Ends && t.Blend == o.Blend && slices.Equal(t.Keys, o.Keys) &&
		maps.Equal(t.Segments, o.Segments) && t.sameRamps(o) && t.Record.same(o.Record)
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
	return r.Samples == o.Samples && r.Count == o.Count && r.First == o.First && r.Step == o.Step &&
		r.Tolerance == o.Tolerance
}
