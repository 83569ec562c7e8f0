package path

import (
	"fmt"
	"math"
	"slices"

	"keenarc/core/curve"
)

// Whole is one edit of a whole move, or of one axis of it. Do chooses which fields count:
//
//	shift     Frames             all of it later, or earlier
//	stretch   Factor, About      longer or shorter about a frame
//	reverse                      the last frame first, between the same frames
//	scale     Axis, Factor,      an axis's values about one of them; a factor of −1 mirrors
//	          About
//	offset    Axis, By           an axis's values
//	quantise  Frames, By, Axis   keyframes onto every so many frames (0: as they are), an
//	                             axis's values onto steps (0: as they are)
//	cut       About, Keep        what is before or after a frame goes; the pose there is kept
//	join      Tracks, Frames     another move after this one, so many frames later; the legs
//	                             between are smooth
type Whole struct {
	Do     string  `json:"do" enum:"shift,stretch,reverse,scale,offset,quantise,cut,join"`
	Frames float64 `json:"frames,omitempty"`
	Factor float64 `json:"factor,omitempty"`
	About  float64 `json:"about,omitempty"`
	By     float64 `json:"by,omitempty"`
	Keep   string  `json:"keep,omitempty" enum:"before,after"`
}

// Words says in a few words what it did.
func (w *Whole) words(axis string) string {
	switch w.Do {
	case "shift":
		return fmt.Sprintf("the move shifted by %s frames", num(w.Frames))
	case "stretch":
		return fmt.Sprintf("the move stretched × %.4g", w.Factor)
	case "reverse":
		return "the move reversed"
	case "scale":
		if w.Factor == -1 {
			return fmt.Sprintf("%s mirrored about %.6g", own(axis), w.About)
		}
		return fmt.Sprintf("%s scaled × %.4g about %.6g", own(axis), w.Factor, w.About)
	case "offset":
		return fmt.Sprintf("%s offset by %.6g", own(axis), w.By)
	case "quantise":
		return "keyframes quantised"
	case "cut":
		return fmt.Sprintf("cut at frame %s, what is %s kept", num(w.About), w.Keep)
	case "join":
		return "another move joined on"
	}
	return w.Do
}

func (p *Path) whole(e Edit) error {
	w := e.Whole
	if w == nil {
		return bad("whole", "it is missing", "say what is done to the whole move")
	}
	for _, of := range []struct {
		name string
		v    float64
	}{{"frames", w.Frames}, {"factor", w.Factor}, {"about", w.About}, {"by", w.By}} {
		name, v := of.name, of.v
		if math.IsNaN(v) || math.Abs(v) > 1e9 {
			return bad(name, fmt.Sprintf("it is %g", v), "give a number")
		}
	}
	if _, _, ok := p.Span(); !ok {
		return bad("keyframes", "there is no keyframe on any axis", "store at least one")
	}
	switch w.Do {
	case "shift":
		p.times(func(f float64) float64 { return f + w.Frames }, 1)
		return nil
	case "stretch":
		if !(w.Factor > 0) {
			return bad("factor", fmt.Sprintf("it is %g", w.Factor), "give one above 0; reverse turns a move round")
		}
		p.times(func(f float64) float64 { return w.About + float64((f-w.About)*w.Factor) }, w.Factor)
		return nil
	case "reverse":
		return p.reverse()
	case "scale", "offset":
		t := p.Track(e.Axis)
		if t == nil {
			return bad("axis", fmt.Sprintf("there is no axis %q", e.Axis), "name an axis of the rig")
		}
		if err := t.recorded(); err != nil {
			return err
		}
		if w.Do == "offset" {
			t.values(func(v float64) float64 { return v + w.By }, 1)
			return nil
		}
		if w.Factor == 0 {
			return bad("factor", "it is 0", "give another; −1 mirrors")
		}
		t.values(func(v float64) float64 { return w.About + float64((v-w.About)*w.Factor) }, w.Factor)
		return nil
	case "quantise":
		return p.quantise(e)
	case "cut":
		return p.cut(w)
	case "join":
		return p.join(e)
	}
	return bad("do", fmt.Sprintf("%q is nothing that is done to a whole move", w.Do),
		"use shift, stretch, reverse, scale, offset, quantise, cut or join")
}

// times moves every keyframe and record to another frame; factor is by how much all lengths
// grow.
func (p *Path) times(to func(float64) float64, factor float64) {
	for i := range p.Tracks {
		t := &p.Tracks[i]
		for k := range t.Keys {
			key := &t.Keys[k]
			key.Frame = to(key.Frame)
			key.Slope, key.Acceleration = key.Slope/factor, key.Acceleration/factor/factor
			key.In[0], key.Out[0] = float64(key.In[0]*factor), float64(key.Out[0]*factor)
		}
		t.Blend = float64(t.Blend * factor)
		t.ramps(func(r curve.Ramp) curve.Ramp {
			return curve.Ramp{Law: r.Law, In: float64(r.In * factor), Out: float64(r.Out * factor),
				Jerk: r.Jerk / factor / factor / factor}
		})
		if t.Record != nil {
			t.Record.First, t.Record.Step = to(t.Record.First), float64(t.Record.Step*factor)
		}
	}
}

func (t *Track) ramps(f func(curve.Ramp) curve.Ramp) {
	if t.Ramp != nil {
		r := f(*t.Ramp)
		t.Ramp = &r
	}
	for i, r := range t.Ramps {
		t.Ramps[i] = f(r)
	}
}

// values changes every value of an axis; factor is by how much differences grow.
func (t *Track) values(to func(float64) float64, factor float64) {
	for k := range t.Keys {
		key := &t.Keys[k]
		key.Value = to(key.Value)
		key.Slope, key.Acceleration = float64(key.Slope*factor), float64(key.Acceleration*factor)
		key.In[1], key.Out[1] = float64(key.In[1]*factor), float64(key.Out[1]*factor)
	}
	t.ramps(func(r curve.Ramp) curve.Ramp {
		r.Jerk = float64(r.Jerk * math.Abs(factor))
		return r
	})
}

// reverse runs every axis backwards between the first frame of the move and its last.
func (p *Path) reverse() error {
	first, last, _ := p.Span()
	sum := float64(first + last)
	for i := range p.Tracks {
		t := &p.Tracks[i]
		if err := t.recorded(); err != nil {
			return err
		}
		if len(t.Keys) == 0 {
			continue
		}
		s := t.spec().Reversed(len(t.Keys))
		slices.Reverse(t.Keys)
		for k := range t.Keys {
			t.Keys[k].Frame = sum - t.Keys[k].Frame
			if len(s.Keys) > 0 {
				t.Keys[k].Bend = s.Keys[k]
			}
		}
		t.Kind, t.Ends, t.Segments, t.Ramp, t.Ramps = s.Kind, s.Ends, s.Segments, s.Ramp, s.Ramps
	}
	return nil
}

// quantise puts keyframes onto every so many frames and values onto steps. Two that come to
// one frame are refused: nothing is lost.
func (p *Path) quantise(e Edit) error {
	w := e.Whole
	if w.Frames < 0 || w.By < 0 || w.Frames == 0 && w.By == 0 {
		return bad("frames", "nothing is quantised", "give every how many frames, or a step of the values")
	}
	if w.By > 0 && e.Axis == "" {
		return bad("axis", "values of all axes at once", "name the axis whose values are meant")
	}
	for i := range p.Tracks {
		t := &p.Tracks[i]
		if e.Axis != "" && t.Axis != e.Axis {
			continue
		}
		for k := range t.Keys {
			key := &t.Keys[k]
			if w.Frames > 0 {
				key.Frame = float64(math.Round(key.Frame/w.Frames) * w.Frames)
			}
			if w.By > 0 {
				key.Value = float64(math.Round(key.Value/w.By) * w.By)
			}
			if k > 0 && key.Frame <= t.Keys[k-1].Frame {
				return bad(own(t.Axis), fmt.Sprintf("two keyframes would come to frame %s", num(key.Frame)),
					"give a finer step of frames")
			}
		}
	}
	return nil
}

// cut keeps what is before or after a frame, with a keyframe there on every axis that has any.
func (p *Path) cut(w *Whole) error {
	if w.Keep != "before" && w.Keep != "after" {
		return bad("keep", fmt.Sprintf("%q", w.Keep), "give before or after")
	}
	first, last, _ := p.Span()
	if !(w.About > float64(first) && w.About < float64(last)) {
		return bad("about", fmt.Sprintf("frame %s is not inside the move", num(w.About)),
			fmt.Sprintf("give one between %d and %d", first, last))
	}
	for i := range p.Tracks {
		t := &p.Tracks[i]
		if err := t.recorded(); err != nil {
			return err
		}
		if len(t.Keys) == 0 {
			continue
		}
		c, err := t.curve()
		if err != nil {
			return err
		}
		if t.find(w.About) < 0 {
			t.add(Key{Frame: w.About, Value: c.At(w.About).P})
		}
		for k := len(t.Keys) - 1; k >= 0; k-- {
			if f := t.Keys[k].Frame; w.Keep == "before" && f > w.About || w.Keep == "after" && f < w.About {
				t.remove(k)
			}
		}
	}
	return nil
}

// join puts another move after this one.
func (p *Path) join(e Edit) error {
	w := e.Whole
	_, last, _ := p.Span()
	start := math.Inf(1)
	for _, o := range e.Tracks {
		if p.Track(o.Axis) == nil {
			return bad("axis", fmt.Sprintf("there is no axis %q", o.Axis), "use "+p.axisList())
		}
		if o.Record != nil {
			return bad(own(o.Axis), "it follows a hand-made take", "join a move of keyframes")
		}
		if len(o.Keys) > 0 {
			start = min(start, o.Keys[0].Frame)
		}
	}
	if math.IsInf(start, 1) {
		return bad("tracks", "there is no keyframe in the other move", "choose one that has some")
	}
	if !(w.Frames >= 1) {
		return bad("frames", fmt.Sprintf("%s frames between", num(w.Frames)), "give at least one")
	}
	by := float64(last) + w.Frames - start
	for i := range e.Tracks {
		o := &e.Tracks[i]
		t := p.Track(o.Axis)
		if err := t.recorded(); err != nil {
			return err
		}
		if len(o.Keys) == 0 {
			continue
		}
		seam := len(t.Keys) - 1
		legs := t.owned()
		for k := range legs { // what the first move has as a whole is kept leg by leg
			if legs[k].kind == "" && o.Kind != t.Kind {
				legs[k].kind = t.Kind
			}
			if legs[k].ramp == nil && t.Ramp != nil {
				legs[k].ramp = t.Ramp
			}
		}
		if seam >= 0 {
			legs[seam] = leg{kind: curve.Smooth}
		}
		for k, l := range o.owned() {
			if l.ramp == nil && o.Ramp != nil {
				l.ramp = o.Ramp
			}
			legs = append(legs, l)
			key := o.Keys[k]
			key.Frame += by
			t.Keys = append(t.Keys, key)
		}
		t.Kind, t.Ends, t.Blend, t.Ramp = o.Kind, "", 0, nil
		t.own(legs)
	}
	return nil
}
