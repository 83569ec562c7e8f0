package trace

import (
	"math"

	"keenarc/core/path"
)

// Changes is how much a move changes from each frame to the next, as an animator asks for
// it: entry i is of frame From + i, less the frame before it.
type Changes struct {
	From int         `json:"from"`
	Axes [][]float64 `json:"axes" doc:"per axis, in its unit"`
	// Px are pixels at the sensor that the centre and the four corners of the picture
	// before move to, at the subject's distance (where the camera looks away from it, at that
	// of its focus); −1 where such a point comes to lie behind the camera.
	Px [][5]float64 `json:"px" doc:"centre, top left, top right, bottom left, bottom right"`
}

// Changes works them out for the frames from to to, as far as the move has them: its first
// has none before it.
func (j *Judge) Changes(m *path.Motion, from, to int) *Changes {
	from, to = max(from, m.Start()+1), min(to, m.End())
	n := len(m.Curves)
	out := &Changes{From: from, Axes: make([][]float64, n), Px: [][5]float64{}}
	for i := range out.Axes {
		out.Axes[i] = []float64{}
	}
	if to < from {
		return out
	}
	a, b := make([]float64, n), make([]float64, n)
	m.Values(a, float64(from-1))
	for f := from; f <= to; f++ {
		m.Values(b, float64(f))
		for i := range b {
			out.Axes[i] = append(out.Axes[i], math.Round((b[i]-a[i])*1e6)/1e6)
		}
		out.Px = append(out.Px, j.change(a, b))
		a, b = b, a
	}
	return out
}

// noSubject is the distance (m) that is looked at where neither subject nor focus gives one.
const noSubject = 100

func (j *Judge) change(a, b []float64) (px [5]float64) {
	pa, pb, fa, fb := j.Rig.Forward(a), j.Rig.Forward(b), j.focused(a), j.focused(b)
	_, _, depth, ok := fa.Project(pa, j.Scene.Subject)
	if !ok {
		depth = noSubject
		if j.focus >= 0 {
			depth = min(j.scale.Distance(a[j.focus]), noSubject)
		}
	}
	z := depth - fa.PupilM
	w, h := j.Lens.WidthMM/2/fa.ViewMM()*z, j.Lens.HeightMM/2/fa.ViewMM()*z
	for k, c := range corners {
		px[k] = -1
		at := pa.Point(c[0]*w, depth, c[1]*h)
		xa, ya, _, inA := fa.Project(pa, at)
		xb, yb, _, inB := fb.Project(pb, at)
		if inA && inB {
			px[k] = math.Round(math.Hypot(xb-xa, yb-ya)*1e3) / 1e3
		}
	}
	return px
}
