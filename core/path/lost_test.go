package path

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
)

// parts is all that a path says, piece by piece, under names: what one edit changes of it is what
// another one must leave.
func parts(p *Path) map[string]string {
	out := map[string]string{"rate": fmt.Sprint(p.Rate), "factor": fmt.Sprint(p.Factor), "run-up": fmt.Sprint(p.RunUp),
		"run-out": fmt.Sprint(p.RunOut)}
	for axis, v := range p.Base {
		out["base "+axis] = fmt.Sprint(v)
	}
	for _, t := range p.Tracks {
		out["axis "+t.Axis] = fmt.Sprint(t.Kind, t.Ends, t.Blend, t.Ramp == nil, t.Ramp)
		if t.Ramp != nil {
			out["axis "+t.Axis] = fmt.Sprint(t.Kind, t.Ends, t.Blend, *t.Ramp)
		}
		for i, k := range t.Keys {
			out[fmt.Sprintf("key %s %g", t.Axis, k.Frame)] = fmt.Sprint(k)
			if kind := t.Segments[i]; kind != "" && i < len(t.Keys)-1 {
				out[fmt.Sprintf("leg %s %g", t.Axis, k.Frame)] = string(kind)
			}
			if r, ok := t.Ramps[i]; ok && i < len(t.Keys)-1 {
				out[fmt.Sprintf("ramp %s %g", t.Axis, k.Frame)] = fmt.Sprint(r)
			}
		}
	}
	return out
}

// Of two edits that were made at once, the second on what it saw, the second is refused or both
// are there afterwards: over random paths and all pairs of commands, each in both orders.
func TestNobodysEditIsLost(t *testing.T) {
	r := fixture.Slider()
	rng := rand.New(rand.NewPCG(28, 3))
	ops := []string{"set", "base", "move", "delete", "kind", "segment", "shape", "room", "factor", "rate", "run",
		"keys", "clear", "paste", "span", "whole"}
	edit := func() Edit {
		e := randomEdit(rng, r, ops)
		e.Frame, e.To = float64(rng.IntN(9)*10), float64(rng.IntN(9)*10) // often on the same
		for i := range e.Moves {
			e.Moves[i].Frame, e.Moves[i].To = float64(rng.IntN(9)*10), float64(rng.IntN(9)*10)
		}
		for i := range e.Tracks {
			e.Tracks[i].Keys[0].Frame = float64(rng.IntN(9) * 10)
		}
		if rng.IntN(4) == 0 && (e.Op == "move" || e.Op == "delete" || e.Op == "room") {
			e.Axis = ""
		}
		e.Rate = &clock.Rate{Num: int64(24 + rng.IntN(2)), Den: 1}
		e.Whole = &Whole{Do: []string{"shift", "reverse"}[rng.IntN(2)], Frames: 10}
		return e
	}
	pairs, both := map[string]bool{}, 0
	p := New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for n := range 60_000 {
		if n%40 == 0 { // another path
			p = New(r, clock.Rate{Num: 24, Den: 1}, nil)
			for range 12 {
				e := edit()
				if e.Op = []string{"set", "set", "set", "kind", "segment"}[rng.IntN(5)]; e.Op == "kind" {
					e.Kind = curve.Ramped
				}
				if q, err := p.Apply(r, e); err == nil {
					p = q
				}
			}
		}
		first, second := edit().Named(r), edit().Named(r)
		now, err := p.Apply(r, first)
		if err != nil {
			continue
		}
		alone, err := p.Apply(r, second)
		if err != nil || !second.Undisturbed(p, now) {
			continue
		}
		after, err := now.Apply(r, second)
		if err != nil {
			continue // refused with a reason
		}
		both++
		pairs[first.Op+" "+second.Op] = true
		was, one, other, all := parts(p), parts(now), parts(alone), parts(after)
		moved := func(name string) string { // room takes what lies after it along
			f := strings.Fields(name)
			if second.Op != "room" || len(f) < 3 || second.Axis != "" && second.Axis != f[1] {
				return name
			}
			if x, _ := strconv.ParseFloat(f[2], 64); x > second.Frame {
				return fmt.Sprintf("%s %s %g", f[0], f[1], x+float64(second.Frames))
			}
			return name
		}
		names := map[string]bool{}
		for _, m := range []map[string]string{was, one, other} {
			for name := range m {
				names[name] = true
			}
		}
		for name := range names {
			if one[name] != was[name] && one[name] != "" && all[moved(name)] != one[name] {
				t.Fatalf("%s\nthen %s, made on what was before:\n%s was %q, then %q; now %q", first.Words(),
					second.Words(), name, was[name], one[name], all[moved(name)])
			}
			if second.Op != "room" && other[name] != was[name] && all[name] != other[name] {
				t.Fatalf("%s\nthen %s, made on what was before:\n%s was %q, it makes %q; now %q", first.Words(),
					second.Words(), name, was[name], other[name], all[name])
			}
		}
	}
	if both < 5000 || len(pairs) < 150 {
		t.Errorf("%d times both were done, %d of %d pairs of commands", both, len(pairs), len(ops)*len(ops))
	}
	for _, op := range ops {
		if !slices.ContainsFunc(ops, func(o string) bool { return pairs[op+" "+o] }) {
			t.Errorf("nothing follows %s", op)
		}
	}
}
