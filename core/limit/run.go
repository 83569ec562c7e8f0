package limit

import (
	"context"
	"fmt"

	"keenarc/core/path"
	"keenarc/core/rig"
)

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
