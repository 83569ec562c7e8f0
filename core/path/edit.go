package path

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
)

// Edit is one command on a path. Op chooses which fields count:
//
//	set      Frame, Values       put keyframes at a frame (add or change)
//	base     Values              set the pose of axes without keyframes
//	move     Frame, To, Axis,    move a keyframe in time; no axis: all axes; with
//	         Values              an axis also to another value
//	delete   Frame, Axis         take a keyframe out; no axis: all axes
//	kind     Axis, Kind, Ends,   choose how an axis is joined; Blend rounds the
//	         Blend, Ramp         corners of linear
//	segment  Axis, Index, Kind,  override one segment; no kind: as the axis
//	         Ramp
//	shape    Axis, Frame, Shape  what tcb, quintic and handles have at a keyframe
//	room     Frame, Frames, Axis move all keyframes after Frame later; with an axis
//	                             only its own
//	keys     Moves               move several keyframes at once
//	clear    Moves               take several keyframes out
//	paste    Tracks              put keyframes in among those that are there
//	span     Axis, Frame, To,    lay one move in place of all that an axis does, from
//	         Pair, Ramp          Pair[0] at Frame to Pair[1] at To
//	rate     Rate                choose the path's own rate
//	factor   Factor or Clock     choose the clock the plan is checked on, as a
//	                             factor or as it is typed (see clock.Parse)
//	run      RunUp, RunOut       frames to gather and lose speed in
//	replace  Tracks              put whole tracks in place of the old ones
//	retime   Tracks              the same, with the move's curves in a new time
//	whole    Whole, Axis, Tracks  shift, stretch, reverse, scale, offset, quantise, cut
//	                             or join the whole move (see Whole)
//	record   Axis, Record        let an axis follow samples instead of keyframes;
//	                             no record: take it out
//
// An axis may be named without its machine where only one has it.
type Edit struct {
	Op     string             `json:"op" enum:"set,base,move,delete,kind,segment,shape,room,keys,clear,paste,span,rate,factor,run,replace,retime,whole,record"`
	Axis   string             `json:"axis,omitempty"`
	Frame  float64            `json:"frame,omitempty"`
	To     float64            `json:"to,omitempty"`
	Values map[string]float64 `json:"values,omitempty"`
	Kind   curve.Kind         `json:"kind,omitempty"`
	Ends   curve.Ends         `json:"ends,omitempty"`
	Blend  float64            `json:"blend,omitempty"`
	Ramp   *TypedRamp         `json:"ramp,omitempty"`
	Shape  *curve.Bend        `json:"shape,omitempty"`
	Whole  *Whole             `json:"whole,omitempty"`
	Index  int                `json:"index,omitempty"`
	Frames int                `json:"frames,omitempty"`
	Factor *clock.Rate        `json:"factor,omitempty"`
	Clock  string             `json:"clock,omitempty"`
	Rate   *clock.Rate        `json:"rate,omitempty"`
	RunUp  int                `json:"run_up,omitempty"`
	RunOut int                `json:"run_out,omitempty"`
	Tracks []Track            `json:"tracks,omitempty"`
	Record *Record            `json:"record,omitempty"`
	Moves  []KeyMove          `json:"moves,omitempty"`
	Pair   *[2]float64        `json:"pair,omitempty" doc:"the values at the start and at the end"`
}

// Named is the edit with every axis under its whole name. Names that the rig does
// not know stay as they are, for Apply to refuse.
func (e Edit) Named(r *rig.Rig) Edit {
	whole := func(axis string) string {
		if i := r.Find(axis); i >= 0 {
			return r.Axes[i].ID
		}
		return axis
	}
	e.Axis = whole(e.Axis)
	if e.Values != nil {
		v := make(map[string]float64, len(e.Values))
		for axis, x := range e.Values {
			v[whole(axis)] = x
		}
		e.Values = v
	}
	e.Moves = slices.Clone(e.Moves)
	for i := range e.Moves {
		e.Moves[i].Axis = whole(e.Moves[i].Axis)
	}
	e.Tracks = slices.Clone(e.Tracks)
	for i := range e.Tracks {
		e.Tracks[i].Axis = whole(e.Tracks[i].Axis)
	}
	return e
}

// WorkedOut reports whether keyframes or ramps come out of a sum over what is kept of an edit: a
// ramp as it was typed, a cut, a move reversed. Whoever keeps edits keeps the path with such a one,
// so that a sum that is done better one day leaves the plans of today as they are.
func (e Edit) WorkedOut() bool { return e.Ramp != nil || e.Op == "span" || e.Op == "whole" }

// Apply carries out an edit. On error the path is as it was.
func (p *Path) Apply(r *rig.Rig, e Edit) (*Path, error) {
	e = e.Named(r)
	if e.Op == "base" {
		if err := checkBase(r, e); err != nil {
			return nil, err
		}
	}
	q, err := p.Replay(e)
	if err != nil {
		return nil, err
	}
	if err := q.Check(r); err != nil {
		return nil, err
	}
	if err := p.adds(q, r); err != nil {
		return nil, err
	}
	return q, nil
}

// adds refuses what a changed path has outside the soft limits that p has not: limits
// that were drawn in since do not keep a path from being edited.
func (p *Path) adds(q *Path, r *rig.Rig) error {
	for i := range q.Tracks {
		t := &q.Tracks[i]
		a := &r.Axes[r.Index(t.Axis)]
		var was map[float64]bool
		old := p.Track(t.Axis)
		for _, k := range t.Keys {
			err := CheckKey(a, k)
			if err == nil {
				continue
			}
			if was == nil {
				was = map[float64]bool{}
				for n := 0; old != nil && n < len(old.Keys); n++ {
					was[old.Keys[n].Value] = true
				}
			}
			if !was[k.Value] {
				return err
			}
		}
		if t.Record != nil && (old == nil || old.Record == nil || old.Record.Samples != t.Record.Samples ||
			old.Record.Values != t.Record.Values) {
			if err := t.Record.within(a); err != nil {
				return err
			}
		}
	}
	return nil
}

// Replay carries out an edit that was accepted before, as Apply returned it to be
// kept: it is not held against a rig again, whose limits may be others by now.
func (p *Path) Replay(e Edit) (*Path, error) {
	q := p.Clone()
	var err error
	switch e.Op {
	case "set":
		err = q.set(e)
	case "base":
		for axis, v := range e.Values {
			q.Base[axis] = v
		}
	case "move":
		err = q.move(e)
	case "delete":
		err = q.each(e.Axis, e.Frame, func(t *Track, i int) { t.remove(i) })
	case "kind", "segment":
		err = q.setKind(e)
	case "shape":
		err = q.shape(e)
	case "room":
		if e.Frames < -MaxFrames || e.Frames > MaxFrames {
			return nil, bad("frames", fmt.Sprintf("%d frames of room", e.Frames),
				fmt.Sprintf("keep it within ±%d", MaxFrames))
		}
		if e.Axis != "" && q.Track(e.Axis) == nil {
			return nil, bad("axis", fmt.Sprintf("there is no axis %q", e.Axis), "use "+q.axisList())
		}
		q.room(e.Axis, e.Frame, float64(e.Frames))
	case "keys":
		err = q.moveSeveral(e)
	case "clear":
		err = q.clear(e)
	case "paste":
		err = q.paste(e)
	case "span":
		err = q.span(e)
	case "factor":
		f, err := p.factor(e)
		if err != nil {
			return nil, err
		}
		q.Factor = f
	case "rate":
		if e.Rate == nil {
			return nil, bad("rate", "it is missing", "give num and den")
		}
		q.Rate = *e.Rate
	case "run":
		q.RunUp, q.RunOut = e.RunUp, e.RunOut
	case "replace", "retime":
		for _, t := range e.Tracks {
			if t.Keys == nil {
				t.Keys = []Key{} // none is none: it must not make another digest
			}
			if old := q.Track(t.Axis); old != nil {
				*old = t
			} else {
				return nil, bad("axis", fmt.Sprintf("there is no axis %q", t.Axis), "use "+q.axisList())
			}
		}
	case "whole":
		err = q.whole(e)
	case "record":
		err = q.setRecord(e)
	default:
		err = bad("op", fmt.Sprintf("%q is not an edit", e.Op),
			"use set, base, move, delete, kind, segment, shape, room, keys, clear, paste, span, rate, factor, run, "+
				"replace, retime, whole or record")
	}
	if err != nil {
		return nil, err
	}
	return q, nil
}

func (p *Path) factor(e Edit) (clock.Rate, error) {
	switch {
	case e.Clock != "":
		c := p.Clock()
		f, err := clock.ParseFor(e.Clock, p.Rate, c.Last-c.First)
		if err != nil {
			wrong, want, _ := strings.Cut(err.Error(), "; ")
			return f, bad("clock", wrong, want)
		}
		return f, nil
	case e.Factor != nil:
		return e.Factor.Lowest(), nil
	}
	return clock.Rate{}, bad("factor", "it is missing", "give num and den, or a clock as it is typed")
}

func (p *Path) set(e Edit) error {
	if len(e.Values) == 0 {
		return bad("values", "no axis is named", "give a value for at least one axis")
	}
	for axis, v := range e.Values {
		t := p.Track(axis)
		if t == nil {
			return bad("values", fmt.Sprintf("there is no axis %q", axis), "name an axis of the rig")
		}
		if err := t.recorded(); err != nil {
			return err
		}
		if i := t.find(e.Frame); i >= 0 {
			t.Keys[i].Value = v
			continue
		}
		if math.IsNaN(e.Frame) {
			return bad("frame", "it is not a number", "give a frame number")
		}
		t.add(Key{Frame: e.Frame, Value: v})
	}
	return nil
}

func checkBase(r *rig.Rig, e Edit) error {
	for axis, v := range e.Values {
		i := r.Index(axis)
		if i < 0 {
			return bad("values", fmt.Sprintf("there is no axis %q", axis), "use "+AxisList(r))
		}
		if err := CheckKey(&r.Axes[i], Key{Value: v}); err != nil {
			return err
		}
	}
	return nil
}

func (p *Path) each(axis string, frame float64, f func(*Track, int)) error {
	found := false
	for i := range p.Tracks {
		t := &p.Tracks[i]
		if k := t.find(frame); k >= 0 && (axis == "" || axis == t.Axis) {
			f(t, k)
			found = true
		}
	}
	if !found {
		return bad("frame", fmt.Sprintf("there is no keyframe at %s", num(frame)), "name the frame of a keyframe")
	}
	return nil
}

// move refuses to put a keyframe where its axis has another: nothing is overwritten.
func (p *Path) move(e Edit) error {
	if math.IsNaN(e.To) {
		return bad("to", "it is not a number", "give a frame number")
	}
	if e.To != e.Frame {
		for i := range p.Tracks {
			t := &p.Tracks[i]
			if (e.Axis == "" || e.Axis == t.Axis) && t.find(e.Frame) >= 0 && t.find(e.To) >= 0 {
				return bad("to", fmt.Sprintf("%s has a keyframe at %s already", own(t.Axis), num(e.To)),
					"choose a frame without one, or take that one out first")
			}
		}
	}
	for axis := range e.Values {
		if axis != e.Axis {
			return bad("values", fmt.Sprintf("%q is not the axis that is moved", axis),
				"give a value for that axis only, or none")
		}
	}
	return p.each(e.Axis, e.Frame, func(t *Track, i int) {
		if v, ok := e.Values[t.Axis]; ok {
			t.Keys[i].Value = v
		}
		t.shift(i, e.To)
	})
}

func (p *Path) setKind(e Edit) error {
	t := p.Track(e.Axis)
	if t == nil {
		return bad("axis", fmt.Sprintf("there is no axis %q", e.Axis), "name an axis of the rig")
	}
	if e.Op == "kind" {
		t.Kind, t.Ends, t.Blend, t.Ramp, t.Ramps = e.Kind, e.Ends, e.Blend, nil, nil
		return t.setRamps(e.Ramp, p.fps())
	}
	if e.Index < 0 || e.Index >= len(t.Keys)-1 {
		return bad("index", fmt.Sprintf("%s has no segment %d", t.Axis, e.Index),
			fmt.Sprintf("use 0 to %d", len(t.Keys)-2))
	}
	legs := t.owned()
	legs[e.Index] = leg{kind: e.Kind}
	if e.Ramp != nil {
		r, err := t.rampOn(e.Index, e.Ramp, p.fps())
		if err != nil {
			return err
		}
		legs[e.Index].ramp = &r
	}
	t.own(legs)
	return nil
}

// shape sets what a keyframe has beside its value, all of it.
func (p *Path) shape(e Edit) error {
	if e.Shape == nil {
		return bad("shape", "it is missing", "give tension, continuity, bias, slope, acceleration, in or out")
	}
	t := p.Track(e.Axis)
	if t == nil {
		return bad("axis", fmt.Sprintf("there is no axis %q", e.Axis), "name an axis of the rig")
	}
	i := t.find(e.Frame)
	if i < 0 {
		return bad("frame", fmt.Sprintf("%s has no keyframe at %s", own(t.Axis), num(e.Frame)),
			"name the frame of a keyframe")
	}
	t.Keys[i].Bend = *e.Shape
	return nil
}

// room moves every keyframe after frame later by n frames: of one axis, or of all where
// none is named.
func (p *Path) room(axis string, frame, n float64) {
	for i := range p.Tracks {
		if axis != "" && axis != p.Tracks[i].Axis {
			continue
		}
		for k := range p.Tracks[i].Keys {
			if p.Tracks[i].Keys[k].Frame > frame {
				p.Tracks[i].Keys[k].Frame += n
			}
		}
		if rec := p.Tracks[i].Record; rec != nil && rec.First > frame { // a record moves as a whole
			rec.First += n
		}
	}
}
