package limit

import (
	"context"
	"fmt"
	"math"

	"keenarc/core/curve"
	"keenarc/core/effort"
	"keenarc/core/path"
	"keenarc/core/retime"
	"keenarc/core/rig"
)

// More are the remedies that take longer to find, for the first sentence of a plan: those of
// Analyse where the plan is a large one, softer easings with the same keyframes at the same frames, and
// the whole move timed anew. Each has been tried and checked. It ends with the context, too.
func More(ctx context.Context, p *path.Path, r *rig.Rig) ([]Remedy, error) {
	m, a, err := Analyse(p, r)
	if err != nil {
		return nil, err
	}
	out := []Remedy{}
	if len(a.Sentences) == 0 {
		return out, nil
	}
	if !prompt(p) { // they have not come with the sentences
		late := &Analysis{Report: a.Report}
		late.say(p, r, m, p.Clock().FPS(), true)
		out = append(out, late.Remedies...)
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	for _, v := range a.Report.Violations {
		if v.Quantity == Range {
			continue
		}
		if s, ok := soften(ctx, p, r, m, v); ok {
			out = append(out, s)
		}
		break
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if retime.Stretches(m.Curves) > mostPrompt {
		return out, nil
	}
	if t, err := Retime(ctx, p, r); err == nil {
		_, after, ok := try(p, r, t.Edit)
		if ok {
			out = append(out,
				Remedy{"retime", fmt.Sprintf("Re-time the whole move: %d frames, each %s of what it was apart",
					t.Frames, apart(t)), t.Edit, clears(after)})
		}
	}
	return out, nil
}

func apart(t *Retimed) string {
	return fmt.Sprintf("%.2g to %.2g", t.Closest, t.Widest)
}

// easings are the kinds that soften tries, and parts of each leg that ramps may take.
var easings = []curve.Kind{curve.Smooth, curve.Through, curve.Akima, curve.Monotone, curve.Clamped, curve.Quintic}
var rampParts = []int{50, 45, 40, 33, 25, 20, 15, 10}

// soften searches the easings of an axis for those that keep it within its limits and picks the
// one that stays nearest to where it was. It costs that the axis is elsewhere between its
// keyframes.
func soften(ctx context.Context, p *path.Path, r *rig.Rig, m *path.Motion, v Violation) (Remedy, bool) {
	i := r.Index(v.Axis)
	t := p.Track(v.Axis)
	if t == nil || len(t.Keys) < 2 {
		return Remedy{}, false
	}
	best, least := Remedy{}, math.Inf(1)
	effort.Ahead(ctx, len(easings)+len(curve.Laws)*len(rampParts))
	look := func(name string, e path.Edit) {
		if effort.Did(ctx, 1) != nil {
			return
		}
		q, rep, ok := try(p, r, e)
		if !ok || blocked(rep, v.Axis) || over(rep, v.Axis) {
			return
		}
		after, err := path.Compile(q, r)
		if err != nil {
			return
		}
		if off := apartBy(m.Curves[i], after.Curves[i]); off < least {
			least = off
			best = Remedy{"soften", fmt.Sprintf("Soften %s: %s, at most %.3g %s beside where it was", r.Axes[i].Name,
				name, off, r.Axes[i].Unit.Symbol()), e, clears(rep)}
		}
	}
	for _, k := range easings {
		if k != t.Kind || len(t.Segments) > 0 {
			look(string(k), path.Edit{Op: "kind", Axis: v.Axis, Kind: k})
		}
	}
	for _, law := range curve.Laws {
		if !prompt(p) { // each look is dear
			break
		}
		for _, part := range rampParts {
			text := fmt.Sprintf("%d %%", part)
			look(fmt.Sprintf("ramps by %s over %s of each leg", law, text), path.Edit{Op: "kind", Axis: v.Axis,
				Kind: curve.Ramped, Ramp: &path.TypedRamp{Law: law, In: text, Out: text}})
		}
	}
	return best, !math.IsInf(least, 1)
}

// apartBy is by how much two curves over the same frames differ, at eighths of a frame, or of
// two thousandths of a long move.
func apartBy(a, b *curve.Curve) float64 {
	from, to := a.First(), a.Last()
	n := min(max(int((to-from)*8), 16), 2000)
	most := 0.0
	for k := range n + 1 {
		x := from + (to-from)*float64(k)/float64(n)
		most = max(most, math.Abs(a.At(x).P-b.At(x).P))
	}
	return most
}
