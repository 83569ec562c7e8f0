package geom_test

import (
	"math"
	"testing"

	"keenarc/core/geom"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// The bounds take in what is drawn, and nothing else.
func TestBounds(t *testing.T) {
	s := fixture.Table()
	s.Solids = append(s.Solids, geom.Solid{Name: "sky", Shape: geom.Box, Centre: rig.Vec{0, 90, 0},
		Size: rig.Vec{9, 9, 9}})
	s.Zones = []geom.Zone{{Name: "crew", MinM: [2]float64{1.9, 0.35}, MaxM: [2]float64{2.7, 1}}}
	b := s.Bounds()
	low, high := rig.Vec{0.49, 0.35, 0}, rig.Vec{2.7, 1.33, 0.6}
	for i := range 3 {
		if math.Abs(b.Min[i]-low[i]) > 1e-12 || math.Abs(b.Max[i]-high[i]) > 1e-12 {
			t.Fatalf("%+v", b)
		}
	}
}
