package limit

import (
	"fmt"
	"math"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// Remedy is an edit that has been computed, tried and re-checked.
type Remedy struct {
	Kind string    `json:"kind"` // room, slow, between, run-up, join, blend
	Text string    `json:"text"`
	Edit path.Edit `json:"edit"`
	// Clears reports whether nothing at all is over a limit afterwards; when it
	// is false the worst violation is gone and others remain.
	Clears bool `json:"clears"`
}

// Analysis is all that a screen needs to know about a plan on its clock.
type Analysis struct {
	Report    *Report   `json:"report"`
	Sentences []string  `json:"sentences"` // one for each violation and blocking jump, what is hard first
	At        []float64 `json:"at"`        // the frame of each sentence
	Remedies  []Remedy  `json:"remedies"`  // for the first sentence
	// WithinRated: what is over is so for working limits alone. Somebody who knows why may
	// sign for that; nobody for a rated limit, a soft limit or a step.
	WithinRated bool `json:"within_rated"`
}

// Analyse checks a path on its own clock and computes the remedies.
func Analyse(p *path.Path, r *rig.Rig) (*path.Motion, *Analysis, error) {
	m, err := path.Compile(p, r)
	if err != nil {
		return nil, nil, err
	}
	return m, Of(m, p, r), nil
}

// mostPrompt is how many keyframes over all axes a plan may have whose remedies are looked for
// with its sentences: those of a larger one take longer, and come with More.
const mostPrompt = 2000

func prompt(p *path.Path) bool {
	n := 0
	for i := range p.Tracks {
		n += len(p.Tracks[i].Keys)
	}
	return n <= mostPrompt
}

// Of is Analyse for a path that is compiled already.
func Of(m *path.Motion, p *path.Path, r *rig.Rig) *Analysis {
	fps := p.Clock().FPS()
	a := &Analysis{Report: Check(m, r, fps, Working), Sentences: []string{}, At: []float64{}, Remedies: []Remedy{}}
	a.say(p, r, m, fps, prompt(p))
	_, _, free := a.Report.Sealable()
	a.WithinRated = free && (a.Report.OK() || Check(m, r, fps, Rated).OK())
	return a
}

// Glance is Analyse without remedies, for a plan that is only tried.
func Glance(p *path.Path, r *rig.Rig) (*path.Motion, *Analysis, error) {
	m, err := path.Compile(p, r)
	if err != nil {
		return nil, nil, err
	}
	fps := p.Clock().FPS()
	a := &Analysis{Report: Check(m, r, fps, Working), Sentences: []string{}, At: []float64{}, Remedies: []Remedy{}}
	a.say(p, r, m, fps, false)
	return m, a, nil
}

// say writes the sentences, what is hard first: steps of the value, what is past
// a soft limit, steps of the speed, then what is too fast; and, where asked for, the
// remedies of the first one.
func (a *Analysis) say(p *path.Path, r *rig.Rig, m *path.Motion, fps float64, mend bool) {
	add := func(at float64, text string, remedies func() []Remedy) {
		a.At = append(a.At, at)
		if a.Sentences = append(a.Sentences, text); len(a.Sentences) == 1 && mend {
			a.Remedies = append(a.Remedies, remedies()...)
		}
	}
	jumps := func(order int) {
		for i, ax := range a.Report.Axes {
			for _, j := range ax.Jumps {
				if j.Order == order {
					add(j.At, jumpSentence(&r.Axes[i], j, fps), func() []Remedy {
						return forJump(p, r, m, r.Axes[i].ID, j)
					})
				}
			}
		}
	}
	violations := func(ranges bool) {
		for _, v := range a.Report.Violations {
			if (v.Quantity == Range) == ranges {
				add(v.At, Sentence(r, v, fps), func() []Remedy { return forViolation(p, r, m, a.Report, v) })
			}
		}
	}
	jumps(0)
	violations(true)
	jumps(1)
	violations(false)
}

func jumpSentence(a *rig.Axis, j curve.Jump, fps float64) string {
	if j.Order == 0 {
		return fmt.Sprintf("%s jumps %.4g %s at %s.", a.Name, j.By, a.Unit.Symbol(), Frame4(j.At))
	}
	return fmt.Sprintf("%s changes speed by %.4g %s/s in no time at %s.", a.Name, j.By*fps, a.Unit.Symbol(),
		Frame4(j.At))
}

func forViolation(p *path.Path, r *rig.Rig, m *path.Motion, rep *Report, worst Violation) []Remedy {
	out := []Remedy{}
	if worst.Quantity == Range {
		e := path.Edit{Op: "kind", Axis: worst.Axis, Kind: curve.Monotone}
		if _, after, ok := try(p, r, e); ok && !hasRange(after, worst.Axis) {
			name := r.Axes[r.Index(worst.Axis)].Name
			out = append(out, Remedy{"between", fmt.Sprintf("Keep %s between its keyframes: monotone", name), e,
				after.OK()})
		}
		return out
	}
	if rm, ok := giveRoom(p, r, worst); ok {
		out = append(out, rm)
	}
	if rm, ok := slowDown(p, r, m, rep); ok {
		out = append(out, rm)
	}
	return out
}

func hasRange(rep *Report, axis string) bool {
	for _, v := range rep.Violations {
		if v.Axis == axis && v.Quantity == Range {
			return true
		}
	}
	return false
}

func try(p *path.Path, r *rig.Rig, e path.Edit) (*path.Path, *Report, bool) {
	q, err := p.Apply(r, e)
	if err != nil {
		return nil, nil, false
	}
	m, err := path.Compile(q, r)
	if err != nil {
		return nil, nil, false
	}
	return q, Check(m, r, q.Clock().FPS(), Working), true
}

// slowDen is the resolution of the factor that slowDown offers.
const slowDen = 1000

// slowDown finds the fastest clock, in thousandths of the path's rate, on which
// every axis is within its speed and acceleration.
func slowDown(p *path.Path, r *rig.Rig, m *path.Motion, rep *Report) (Remedy, bool) {
	fit := math.Inf(1)
	for _, a := range rep.Axes {
		if a.Speed.Share > 0 {
			fit = min(fit, 1/a.Speed.Share)
		}
		if a.Acceleration.Share > 0 {
			fit = min(fit, 1/math.Sqrt(a.Acceleration.Share))
		}
		if a.Jerk.Share > 0 {
			fit = min(fit, 1/math.Cbrt(a.Jerk.Share))
		}
	}
	k := int64(math.Floor(p.Factor.Float()*fit*slowDen)) + 1
	for ; k >= 1; k-- {
		f := clock.Rate{Num: k, Den: slowDen}
		after := Check(m, r, p.Rate.Times(f).Float(), Working)
		if paceOK(after) {
			e := path.Edit{Op: "factor", Factor: &f}
			return Remedy{"slow", fmt.Sprintf("Slow the pass: %.4g fps", p.Rate.Times(f).Float()), e, after.OK()}, true
		}
	}
	return Remedy{}, false
}

func paceOK(rep *Report) bool {
	for _, v := range rep.Violations {
		if v.Quantity != Range {
			return false
		}
	}
	return true
}

// forJump offers what cures one step: where the value steps, a curve that moves
// between the keyframes; where the speed steps at the ends of the run, run-up and
// run-out; at a corner of straight lines, blends, or a curve.
func forJump(p *path.Path, r *rig.Rig, m *path.Motion, axis string, j curve.Jump) []Remedy {
	var out []Remedy
	name := r.Axes[r.Index(axis)].Name
	t := p.Track(axis)
	if j.Order == 1 && t.Kind == curve.Linear && len(t.Segments) == 0 {
		for n := 1; n <= 1000; n = nextRoom(n) {
			e := path.Edit{Op: "kind", Axis: axis, Kind: curve.Linear, Blend: float64(n)}
			if _, after, ok := try(p, r, e); ok && !blocked(after, axis) && !over(after, axis) {
				out = append(out, Remedy{"blend", fmt.Sprintf("Round %s's corners over %d %s", name, n, frames(n)), e,
					clears(after)})
				break
			}
		}
	}
	if j.Order == 1 && (j.At == float64(m.Start()) || j.At == float64(m.End())) {
		if up := runUp(p, r, m); up != nil {
			return append(out, up...)
		}
	}
	for _, e := range []path.Edit{{Op: "segment", Axis: axis, Index: legOf(t, j.At)},
		{Op: "kind", Axis: axis, Kind: curve.Smooth}} {
		if e.Op == "segment" && t.Segments[e.Index] == "" {
			continue
		}
		if _, after, ok := try(p, r, e); ok && !blocked(after, axis) {
			return append(out, Remedy{"join", fmt.Sprintf("Let %s move smoothly between its keyframes", name), e,
				clears(after)})
		}
	}
	return out
}

// legOf is the leg that ends at a frame, or the first.
func legOf(t *path.Track, at float64) int {
	for i := len(t.Keys) - 1; i > 0; i-- {
		if t.Keys[i].Frame <= at {
			return i - 1
		}
	}
	return 0
}

func frames(n int) string {
	if n == 1 {
		return "frame"
	}
	return "frames"
}

// blocked reports whether a step in position or speed is left on an axis, over
// whether a limit of it is exceeded, clears whether nothing at all is left.
func blocked(rep *Report, axis string) bool {
	for _, a := range rep.Axes {
		for _, j := range a.Jumps {
			if a.Axis == axis && j.Order < 2 {
				return true
			}
		}
	}
	return false
}

func over(rep *Report, axis string) bool {
	for _, v := range rep.Violations {
		if v.Axis == axis {
			return true
		}
	}
	return false
}

func clears(rep *Report) bool {
	_, _, free := rep.Sealable()
	return free && rep.OK()
}
