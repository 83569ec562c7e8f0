package limit_test

import (
	"math"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/limit"
)

// By hand, and against the move itself: no axis passes its share, and one of them touches it.
func TestTogether(t *testing.T) {
	r := fixture.Slider()
	from := []float64{20, 0, 0, 0, 0}
	s, i := limit.Together(r, from, []float64{1020, 0, 0, 0, 0}, 0.5)
	if i != 0 || math.Abs(s-12.5) > 1e-12 { // 15/8 · 1000 / 150
		t.Errorf("%g s, axis %d", s, i)
	}
	if s, i := limit.Together(r, from, from, 0.5); s != 0 || i != -1 {
		t.Errorf("nowhere takes %g s, axis %d", s, i)
	}
	for _, to := range [][]float64{{30, 20, 0, 0, 0}, {20.1, 0, 0.2, 0, 1}, {1400, -160, 40, 39, 300}} {
		for _, share := range []float64{0.01, 0.1, 0.5} {
			s, slow := limit.Together(r, from, to, share)
			top := 0.0
			for k, a := range r.Axes {
				d := to[k] - from[k]
				for n := range 1001 {
					u := float64(n) / 1000
					v := d * 30 * u * u * (1 - u) * (1 - u) / s
					acc := d * 60 * u * (1 + u*(2*u-3)) / (s * s)
					top = max(top, math.Abs(v)/a.Working.Speed, math.Abs(acc)/a.Working.Acceleration)
				}
			}
			if top > share*(1+1e-9) || top < share*(1-1e-4) || slow < 0 {
				t.Errorf("to %v at %g: peaks at %g of the limits", to, share, top)
			}
		}
	}
}
