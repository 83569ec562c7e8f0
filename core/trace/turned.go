package trace

import (
	"context"
	"math"

	"keenarc/core/effort"
	"keenarc/core/path"
)

// turnedLooked bounds the frames that Turned looks at: slack changes slowly along a move.
const turnedLooked = 500

// Turned is how far, in pixels, the picture lies from itself at most where a move is run the other
// way: every axis that moves at a frame comes to its place from the other side of its slack. The
// lag of the drives counts nothing here: machines lead by it.
func (j *Judge) Turned(ctx context.Context, m *path.Motion) (px float64, frame int, err error) {
	n := len(j.Rig.Axes)
	q, a, b := make([]float64, n), make([]float64, n), make([]float64, n)
	step := max(1, int(math.Ceil(float64(m.Last-m.First)/turnedLooked)))
	effort.Ahead(ctx, (m.Last-m.First)/step+1)
	for f := m.First; f < m.Last; f += step {
		if err := effort.Did(ctx, 1); err != nil {
			return 0, 0, err
		}
		m.Values(q, float64(f))
		for i := range q {
			half := j.Rig.Axes[i].Backlash / 2
			switch v := m.Curves[i].At(float64(f)).V; {
			case v == 0:
				half = 0
			case v < 0:
				half = -half
			}
			a[i], b[i] = q[i]-half, q[i]+half
		}
		if x, _, said := j.Pixels(a, b); said && x > px {
			px, frame = x, f
		}
	}
	return px, frame, nil
}
