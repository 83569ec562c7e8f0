package path

import (
	"fmt"
	"math"
	"sync"

	"keenarc/core/curve"
	"keenarc/core/rig"
)

// MostSamples is the most samples of one record: three hours at 100 Hz.
const MostSamples = 1_080_000

// Record points to samples of one axis, as a hand-made take leaves them: Count
// values in the axis's unit, Step frames apart, the first at frame First. The
// values are kept apart, once, under their SamplesHash; whoever loads a path with
// a record fills Values in before it is compiled.
type Record struct {
	Samples string  `json:"samples" doc:"the samples' hash: 64 hex digits"`
	Count   int     `json:"count"`
	First   float64 `json:"first"`
	Step    float64 `json:"step" doc:"frames from one sample to the next"`
	// Tolerance is how far, in the axis's unit, the axis may pass beside a sample so that it
	// goes smoothly; none: it goes through all of them.
	Tolerance float64 `json:"tolerance,omitempty"`
	Values    *Values `json:"-"`
}

// Values are the samples of a record. They are read-only, and may be shared by
// many records and goroutines.
type Values struct {
	V     []float64
	mu    sync.Mutex
	step  float64
	off   float64      // the tolerance it was laid with
	curve *curve.Curve // over frames from 0
	low   float64
	high  float64
}

// NewValues takes samples over.
func NewValues(v []float64) *Values {
	x := &Values{V: v, low: math.Inf(1), high: math.Inf(-1)}
	for _, s := range v {
		x.low, x.high = min(x.low, s), max(x.high, s)
	}
	return x
}

// Last is the frame of the last sample.
func (r *Record) Last() float64 { return r.First + float64(float64(r.Count-1)*r.Step) }

func (r *Record) check(a *rig.Axis) error {
	switch {
	case len(r.Samples) != 64:
		return bad(own(a.ID)+".record", "its samples have no name", "give their hash, 64 hex digits")
	case r.Count < 2 || r.Count > MostSamples:
		return bad(own(a.ID)+".record", fmt.Sprintf("%d samples", r.Count), fmt.Sprintf("give 2 to %d", MostSamples))
	case !(r.Step > 0 && r.Step <= 1000):
		return bad(own(a.ID)+".record", fmt.Sprintf("%s frames between samples", num(r.Step)),
			"give more than 0 and at most 1000")
	case !(r.Tolerance >= 0 && r.Tolerance <= a.Max-a.Min):
		return bad(own(a.ID)+".record", fmt.Sprintf("a tolerance of %s %s", num(r.Tolerance), a.Unit),
			fmt.Sprintf("give 0 to %s", num(a.Max-a.Min)))
	case r.Tolerance > 0 && r.Count < 4:
		return bad(own(a.ID)+".record", fmt.Sprintf("%d samples with a tolerance", r.Count), "give at least 4")
	case !(math.Abs(r.First) <= MaxFrames && math.Abs(r.Last()) <= MaxFrames):
		return bad("frame", "the record is beyond the longest move", fmt.Sprintf("keep frames within ±%d", MaxFrames))
	}
	return nil
}

// within refuses a record that leaves the soft limits.
func (r *Record) within(a *rig.Axis) error {
	if v := r.Values; v != nil && (v.low < a.Min || v.high > a.Max) {
		return bad(own(a.ID)+".record", fmt.Sprintf("it runs from %s to %s %s", num(v.low), num(v.high), a.Unit),
			fmt.Sprintf("stay within %s to %s %s", num(a.Min), num(a.Max), a.Unit))
	}
	return nil
}

// curveFor is the C² cubic spline through the samples, or, with a tolerance, the
// smoothing spline along them. It is laid once for all records that share them.
func (r *Record) curveFor(axis string) (*curve.Curve, error) {
	v := r.Values
	if v == nil || len(v.V) != r.Count {
		return nil, bad(own(axis)+".record", "its samples are not here", "load them before the path is used")
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	if r.Tolerance > 0 && (v.curve == nil || v.step != r.Step || v.off != r.Tolerance) {
		c, _, err := curve.Recorded(r.Step, v.V, r.Tolerance)
		if err != nil {
			return nil, bad(own(axis)+".record", err.Error(), "record it again")
		}
		v.curve, v.step, v.off = c, r.Step, r.Tolerance
	}
	if v.curve == nil || v.step != r.Step || v.off != r.Tolerance {
		x := make([]float64, len(v.V))
		for i := range x {
			x[i] = float64(float64(i) * r.Step)
		}
		c, err := curve.New(x, v.V, curve.Spec{Kind: curve.Natural})
		if err != nil {
			return nil, bad(own(axis)+".record", err.Error(), "record it again")
		}
		v.curve, v.step, v.off = c, r.Step, 0
	}
	out := &curve.Curve{X: make([]float64, len(v.curve.X)), C: v.curve.C}
	for i, x := range v.curve.X {
		out.X[i] = x + r.First
	}
	return out, nil
}

func (p *Path) setRecord(e Edit) error {
	t := p.Track(e.Axis)
	if t == nil {
		return bad("axis", fmt.Sprintf("there is no axis %q", e.Axis), "name an axis of the rig")
	}
	if t.Record = nil; e.Record != nil {
		c := *e.Record
		t.Record, t.Keys, t.Segments = &c, []Key{}, nil
	}
	return nil
}

// recorded refuses keyframes on an axis that follows a record.
func (t *Track) recorded() error {
	if t.Record == nil {
		return nil
	}
	return bad(own(t.Axis), "it follows a hand-made take", "take the record out first")
}
