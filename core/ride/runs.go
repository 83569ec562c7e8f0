package ride

import (
	"context"
	"math"

	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// Quiet is a run-out after which the structure hardly sways.
type Quiet struct {
	Frames int     `json:"frames"`
	Px     float64 `json:"px" doc:"the swing that is left"`
	// Least is the shortest run-out within the limits, and what swing that leaves.
	Least   int     `json:"least"`
	LeastPx float64 `json:"least_px"`
}

// mostSwings is how many swings longer than it has to be a run-out is made to be quiet.
const mostSwings = 4

// QuietRunOut finds the shortest run-out whose end leaves less than SettlePx, or the quietest
// within four swings of the least one: a run-out is the one place where the command may be
// shaped to the structure, since in the picture it would bend the path to one clock. Its
// length is chosen such that what its slowing starts swinging its end brings to rest again.
// ok is false for a path that needs no run-out, and where nobody waits for it any more.
// Source: Singer and Seering 1990, for a pulse of given shape in place of impulses.
func (v *View) QuietRunOut(ctx context.Context, p *path.Path, r *rig.Rig) (Quiet, bool) {
	least, ok := limit.LeastRun(ctx, p, r)
	if !ok || least.RunOut == 0 {
		return Quiet{}, false
	}
	fps := p.Clock().FPS()
	out := Quiet{Frames: least.RunOut, Px: math.Inf(1), Least: least.RunOut}
	last := least.RunOut + int(math.Ceil(mostSwings*fps/v.Rig.SwayHz()))
	for n := least.RunOut; n <= min(last, path.MaxRun); n++ {
		q := *p
		q.RunUp, q.RunOut = least.RunUp, n
		m, err := path.Compile(&q, r)
		if err != nil || !limit.Check(m, r, fps, limit.Working).OK() {
			continue
		}
		shake, err := v.Shaken(ctx, m, fps)
		if err != nil {
			return Quiet{}, false
		}
		px := shake.EndPx
		if n == least.RunOut {
			out.LeastPx = px
		}
		if px < out.Px {
			out.Frames, out.Px = n, px
		}
		if px < SettlePx {
			break
		}
	}
	return out, true
}
