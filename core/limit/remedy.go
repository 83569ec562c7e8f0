package limit

import (
	"context"
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

// mostRoom is the most frames that giveRoom tries.
const mostRoom = 5000

// giveRoom finds the least whole number of frames by which the keyframes after
// the worst frame must move later so that the stretch touched by the violation
// (all whole segments it reaches into) is free of violations on every axis.
func giveRoom(p *path.Path, r *rig.Rig, v Violation) (Remedy, bool) {
	keys := p.Frames()
	at := segmentOf(keys, v.At)
	if at < 0 {
		return Remedy{}, false
	}
	from, to := keys[at], keys[at+1]
	for i := 0; i+1 < len(keys); i++ {
		if keys[i+1] > v.From && keys[i] < v.To {
			from, to = min(from, keys[i]), max(to, keys[i+1])
		}
	}
	last := 0 // the last that did not do
	next := nextRoom
	if !prompt(p) { // each look is dear
		next = func(n int) int { return 2 * n }
	}
	for n := 1; n <= mostRoom; n = next(n) {
		rep, ok := roomFor(p, r, keys[at], from, to, n)
		if !ok {
			return Remedy{}, false
		}
		if rep == nil {
			last = n
			continue
		}
		for last+1 < n { // the least between
			m := last + (n-last)/2
			if q, _ := roomFor(p, r, keys[at], from, to, m); q != nil {
				n, rep = m, q
			} else {
				last = m
			}
		}
		e := path.Edit{Op: "room", Frame: keys[at], Frames: n}
		return Remedy{"room", fmt.Sprintf("Give it room: %d %s before %s", n, frames(n), Frame4(keys[at+1])), e,
			rep.OK()}, true
	}
	return Remedy{}, false
}

// nextRoom tries every number at first and then every eighth part more.
func nextRoom(n int) int { return n + max(1, n/8) }

// roomFor is the check with so many frames more at a keyframe, nil where the stretch is still
// over a limit; ok is false where there cannot be so many.
func roomFor(p *path.Path, r *rig.Rig, at, from, to float64, n int) (rep *Report, ok bool) {
	_, rep, ok = try(p, r, path.Edit{Op: "room", Frame: at, Frames: n})
	if !ok || Touches(rep, from, to+float64(n)) {
		return nil, ok
	}
	return rep, true
}

// Touches reports whether any violation reaches into the frames from–to.
func Touches(rep *Report, from, to float64) bool {
	for _, v := range rep.Violations {
		if v.To > from && v.From < to {
			return true
		}
	}
	return false
}

func segmentOf(frames []float64, at float64) int {
	for i := 0; i+1 < len(frames); i++ {
		if at >= frames[i] && (at < frames[i+1] || i+2 == len(frames)) {
			return i
		}
	}
	return -1
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

// Run is how many frames before and after the pictures a path needs to gather and lose speed.
type Run struct{ RunUp, RunOut int }

// LeastRun is the least run-up and run-out, in whole frames, in which every axis gathers and
// loses its speed within its working limits; each by itself. ok is false where none of any
// length does, something else of the path is over its limits, or nobody waits any more.
func LeastRun(ctx context.Context, p *path.Path, r *rig.Rig) (Run, bool) {
	q := *p
	q.RunUp, q.RunOut = 0, 0
	m, err := path.Compile(&q, r)
	if err != nil {
		return Run{}, false
	}
	fps := p.Clock().FPS()
	up, out := moves(m, m.Start()), moves(m, m.End())
	ends := func(run Run) bool { // whether one of them does
		x := q
		x.RunUp, x.RunOut = run.RunUp, run.RunOut
		m, err := path.Compile(&x, r)
		if err != nil {
			return false
		}
		rep := Check(m, r, fps, Working)
		if run.RunUp > 0 && (moves(m, m.Start()) || Touches(rep, float64(m.Start()), float64(m.First))) {
			return false
		}
		return run.RunOut == 0 || !moves(m, m.End()) && !Touches(rep, float64(m.Last), float64(m.End()))
	}
	var least Run
	ok := true
	find := func(need bool, with func(n int) Run) int {
		for n := 1; need && n <= path.MaxRun && ctx.Err() == nil; n = nextRoom(n) {
			if !ends(with(n)) {
				continue
			}
			for n > 1 && ends(with(n-1)) {
				n--
			}
			return n
		}
		ok = ok && !need
		return 0
	}
	least.RunUp = find(up, func(n int) Run { return Run{RunUp: n} })
	least.RunOut = find(out, func(n int) Run { return Run{RunOut: n} })
	return least, ok
}

// moves reports whether an axis has speed at an end of the run, where the rig stands still.
func moves(m *path.Motion, at int) bool {
	for _, js := range m.Jumps {
		for _, j := range js {
			if j.Order == 1 && j.At == float64(at) {
				return true
			}
		}
	}
	return false
}

// runUp offers the least run-up and run-out that cure speed at the ends.
func runUp(p *path.Path, r *rig.Rig, m *path.Motion) []Remedy {
	least, ok := LeastRun(context.Background(), p, r) // the first remedies are never broken off
	if !ok || least == (Run{}) {
		return nil
	}
	e := path.Edit{Op: "run", RunUp: max(p.RunUp, least.RunUp), RunOut: max(p.RunOut, least.RunOut)}
	if least.RunUp > 0 && !moves(m, m.Start()) { // it is long enough already
		e.RunUp = p.RunUp
	}
	if least.RunOut > 0 && !moves(m, m.End()) {
		e.RunOut = p.RunOut
	}
	q, rep, ok := try(p, r, e)
	if !ok || !rep.OK() {
		return nil
	}
	m, err := path.Compile(q, r)
	if err != nil || moves(m, m.Start()) || moves(m, m.End()) {
		return nil
	}
	_, _, free := rep.Sealable()
	return []Remedy{{"run-up", fmt.Sprintf("Give it a run-up of %d and a run-out of %d frames", e.RunUp,
		e.RunOut), e, free}}
}
