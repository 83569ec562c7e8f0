// Package path holds the plan of a move: keyframes per axis over frames, and
// nothing of seconds. Pictures are [First, Last); the pose at Last is the end
// pose. A Path is a value: every edit returns a new one and leaves the old
// untouched.
package path

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
)

// MaxFrames is the longest move: eleven hours at 24 frames per second.
const MaxFrames = 1_000_000

// MaxRun is the longest run-up or run-out in frames.
const MaxRun = 1000

// MaxKeys is the most keyframes one axis may have.
const MaxKeys = 20_000

// Key is a keyframe: a value in the axis's own unit at a real frame, and what tcb,
// quintic and handles have there, by frame.
type Key struct {
	Frame float64 `json:"frame"`
	Value float64 `json:"value"`
	curve.Bend
}

// Track is one axis's keyframes, in rising order, and how they are joined; or, in
// their place, a record.
type Track struct {
	Axis     string             `json:"axis"`
	Kind     curve.Kind         `json:"kind"`
	Ends     curve.Ends         `json:"ends,omitempty"`
	Segments map[int]curve.Kind `json:"segments,omitempty"`
	Blend    float64            `json:"blend,omitempty"` // linear: frames of blend at corners
	Ramp     *curve.Ramp        `json:"ramp,omitempty"`  // of legs of kind ramp, in frames
	Ramps    map[int]curve.Ramp `json:"ramps,omitempty"` // in place of it, by leg
	Keys     []Key              `json:"keys"`
	Record   *Record            `json:"record,omitempty"`
}

// Path is one version of one move.
type Path struct {
	Rate clock.Rate `json:"rate"`
	// Factor is the clock on which the plan is checked: path rate × Factor.
	Factor clock.Rate `json:"factor"`
	// RunUp and RunOut are frames before the first and after the last frame in
	// which the rig gathers and loses speed.
	RunUp  int     `json:"run_up"`
	RunOut int     `json:"run_out"`
	Tracks []Track `json:"tracks"`
	// Base is the pose of axes without keyframes.
	Base map[string]float64 `json:"base"`
}

// Error says which item of a path is wrong, and what would be right.
type Error struct {
	Field string `json:"field"`
	Wrong string `json:"wrong"`
	Want  string `json:"want"`
}

func (e *Error) Error() string { return fmt.Sprintf("%s: %s; %s", e.Field, e.Wrong, e.Want) }

func bad(field, wrong, want string) error { return &Error{field, wrong, want} }

// New is an empty path for a rig at a rate.
func New(r *rig.Rig, rate clock.Rate, base map[string]float64) *Path {
	p := &Path{Rate: rate, Factor: clock.Rate{Num: 1, Den: 1}, Base: map[string]float64{}}
	for _, a := range r.Axes {
		p.Tracks = append(p.Tracks, Track{Axis: a.ID, Kind: curve.Smooth, Keys: []Key{}})
		p.Base[a.ID] = min(max(base[a.ID], a.Min), a.Max)
	}
	return p
}

// Track finds an axis's track, or nil.
func (p *Path) Track(axis string) *Track {
	for i := range p.Tracks {
		if p.Tracks[i].Axis == axis {
			return &p.Tracks[i]
		}
	}
	return nil
}

// Clone is a deep copy.
func (p *Path) Clone() *Path {
	q := *p
	q.Tracks = slices.Clone(p.Tracks)
	for i := range q.Tracks {
		q.Tracks[i].Keys = append([]Key{}, p.Tracks[i].Keys...)
		q.Tracks[i].Segments = cloneMap(p.Tracks[i].Segments)
		q.Tracks[i].Ramps = cloneMap(p.Tracks[i].Ramps)
		if r := p.Tracks[i].Ramp; r != nil {
			c := *r
			q.Tracks[i].Ramp = &c
		}
		if rec := p.Tracks[i].Record; rec != nil {
			c := *rec
			q.Tracks[i].Record = &c
		}
	}
	q.Base = cloneMap(p.Base)
	return &q
}

func cloneMap[K comparable, V any](m map[K]V) map[K]V {
	if m == nil {
		return nil
	}
	out := make(map[K]V, len(m))
	for k, v := range m {
		out[k] = v
	}
	return out
}

// Span is the first frame and the end frame over all keyframes and records; ok is
// false when there is none.
func (p *Path) Span() (first, last int, ok bool) {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, t := range p.Tracks {
		if n := len(t.Keys); n > 0 {
			lo, hi = min(lo, t.Keys[0].Frame), max(hi, t.Keys[n-1].Frame)
		}
		if t.Record != nil {
			lo, hi = min(lo, t.Record.First), max(hi, t.Record.Last())
		}
	}
	if lo > hi {
		return 0, 0, false
	}
	return int(math.Floor(lo)), int(math.Ceil(hi)), true
}

// Frames lists every frame at which any axis has a keyframe, in rising order.
func (p *Path) Frames() []float64 {
	var out []float64
	for _, t := range p.Tracks {
		for _, k := range t.Keys {
			out = append(out, k.Frame)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Clock is the clock the plan is checked on, over the whole run.
func (p *Path) Clock() clock.Uniform {
	first, last, _ := p.Span()
	return clock.Uniform{First: first - p.RunUp, Last: last + p.RunOut, Path: p.Rate, Factor: p.Factor}
}

// Check reports the first thing wrong with the path for a rig. A path with no
// keyframe is in order here (it is an empty sheet); Compile refuses it.
func (p *Path) Check(r *rig.Rig) error {
	if err := p.Rate.Check("rate"); err != nil {
		return bad("rate", fmt.Sprintf("%d/%d is not a rate", p.Rate.Num, p.Rate.Den),
			"give two whole numbers above zero")
	}
	if f := p.Rate.Float(); f > 1000 || f < 0.01 {
		return bad("rate", fmt.Sprintf("%g frames per second", f), "give 0.01 to 1000")
	}
	if err := p.Factor.Check("factor"); err != nil || p.Factor.Float() > 1000 || p.Factor.Float() < 0.001 {
		return bad("factor", fmt.Sprintf("%d/%d is out of bounds", p.Factor.Num, p.Factor.Den),
			"give a factor from 0.001 to 1000")
	}
	if p.RunUp < 0 || p.RunUp > MaxRun || p.RunOut < 0 || p.RunOut > MaxRun {
		return bad("run_up", fmt.Sprintf("%d and %d frames", p.RunUp, p.RunOut),
			fmt.Sprintf("give 0 to %d frames each", MaxRun))
	}
	for i := range p.Tracks {
		t := &p.Tracks[i]
		x := r.Index(t.Axis)
		if x < 0 {
			return bad("axis", fmt.Sprintf("%s has no axis %q", r.Name, own(t.Axis)), "use "+AxisList(r))
		}
		if err := checkTrack(t, &r.Axes[x]); err != nil {
			return err
		}
	}
	if first, last, ok := p.Span(); ok && last-first > MaxFrames {
		return bad("frame", fmt.Sprintf("the move would be %d frames long", last-first),
			fmt.Sprintf("keep it to %d frames", MaxFrames))
	}
	return nil
}

// AxisList names a rig's axes for a sentence.
func AxisList(r *rig.Rig) string {
	ids := make([]string, len(r.Axes))
	for i, a := range r.Axes {
		ids[i] = a.ID
	}
	return either(ids)
}

func (p *Path) axisList() string {
	ids := make([]string, len(p.Tracks))
	for i, t := range p.Tracks {
		ids[i] = t.Axis
	}
	return either(ids)
}

// either is "a, b or c", without the machine where there is only one.
func either(ids []string) string {
	if len(ids) == 0 {
		return "an axis of the rig"
	}
	machine, _ := rig.Split(ids[0])
	alone := true
	for _, id := range ids {
		m, _ := rig.Split(id)
		alone = alone && m == machine
	}
	s := ""
	for i, id := range ids {
		if alone {
			id = own(id)
		}
		switch {
		case i > 0 && i == len(ids)-1:
			s += " or "
		case i > 0:
			s += ", "
		}
		s += id
	}
	return s
}

func checkTrack(t *Track, a *rig.Axis) error {
	if len(t.Keys) > MaxKeys {
		return bad(own(a.ID), fmt.Sprintf("%d keyframes", len(t.Keys)), fmt.Sprintf("keep it to %d", MaxKeys))
	}
	for i, k := range t.Keys {
		if err := finite(a, k); err != nil {
			return err
		}
		if i > 0 && k.Frame <= t.Keys[i-1].Frame {
			return bad(own(a.ID), fmt.Sprintf("two keyframes at frame %s", num(k.Frame)),
				"keep one at each frame, in rising order")
		}
	}
	if t.Record != nil {
		if len(t.Keys) > 0 {
			return t.recorded()
		}
		return t.Record.check(a)
	}
	if len(t.Keys) == 0 {
		return nil
	}
	_, err := t.curve()
	return err
}

// CheckKey refuses a keyframe that no edit may make. One that lies outside the soft
// limits since they were drawn in stays, and is a finding.
func CheckKey(a *rig.Axis, k Key) error {
	if err := finite(a, k); err != nil {
		return err
	}
	if k.Value < a.Min || k.Value > a.Max {
		return bad(own(a.ID), fmt.Sprintf("%s %s at frame %s is outside the soft limits", num(k.Value), a.Unit,
			num(k.Frame)),
			fmt.Sprintf("stay within %s to %s %s", num(a.Min), num(a.Max), a.Unit))
	}
	return nil
}

func finite(a *rig.Axis, k Key) error {
	switch {
	case math.IsNaN(k.Frame) || math.IsInf(k.Frame, 0):
		return bad("frame", "it is not a finite number", "give a frame number")
	case math.Abs(k.Frame) > MaxFrames:
		return bad("frame", fmt.Sprintf("%s is beyond the longest move", num(k.Frame)),
			fmt.Sprintf("keep frames within ±%d", MaxFrames))
	case math.IsNaN(k.Value) || math.IsInf(k.Value, 0):
		return bad(own(a.ID), fmt.Sprintf("the value at frame %s is not a finite number", num(k.Frame)),
			"give a number in "+string(a.Unit))
	}
	return nil
}

func num(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

func (t *Track) curve() (*curve.Curve, error) {
	if t.Record != nil {
		return t.Record.curveFor(t.Axis)
	}
	x, y := make([]float64, len(t.Keys)), make([]float64, len(t.Keys))
	for i, k := range t.Keys {
		x[i], y[i] = k.Frame, k.Value
	}
	c, err := curve.New(x, y, t.spec())
	if ke, ok := err.(*curve.KeyError); ok {
		return nil, bad(own(t.Axis)+"."+t.place(ke.Field), ke.Wrong, ke.Want)
	}
	return c, err
}

// spec is how the axis is joined.
func (t *Track) spec() curve.Spec {
	s := curve.Spec{Kind: t.Kind, Ends: t.Ends, Segments: t.Segments, Blend: t.Blend, Ramp: t.Ramp, Ramps: t.Ramps}
	if !slices.ContainsFunc(t.Keys, func(k Key) bool { return k.Bend != curve.Bend{} }) {
		return s
	}
	for _, k := range t.Keys {
		s.Keys = append(s.Keys, k.Bend)
	}
	return s
}

// place names the frame in place of a number of a keyframe or leg: "x[2]" is "frame 40".
func (t *Track) place(field string) string {
	list, rest, ok := strings.Cut(field, "[")
	number, tail, closed := strings.Cut(rest, "]")
	i, err := strconv.Atoi(number)
	if !ok || !closed || err != nil || i < 0 || i >= len(t.Keys) {
		return field
	}
	switch list {
	case "ramps":
		if i+1 < len(t.Keys) {
			return fmt.Sprintf("ramp from %s to %s%s", num(t.Keys[i].Frame), num(t.Keys[i+1].Frame), tail)
		}
	case "x", "y", "keys":
		return "frame " + num(t.Keys[i].Frame) + tail
	}
	return field
}
