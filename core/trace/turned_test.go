package trace

import (
	"context"
	"errors"
	"math"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// What runs the other way lies beside itself by its slack: of the axes that move, to whichever side
// they move, and of those alone.
func TestTurnedRound(t *testing.T) {
	r, err := rig.Join([]rig.Placed{{Name: "s", Rig: fixture.Slider()}})
	if err != nil {
		t.Fatal(err)
	}
	for i := range r.Axes {
		r.Axes[i].Backlash = []float64{0.5, 0.02, 0, 0, 0}[i]
	}
	j, err := NewJudge(r, fixture.Camera(), judge(t).Scene)
	if err != nil {
		t.Fatal(err)
	}
	moves := func(keys map[float64]map[string]float64) *path.Motion { return moving(t, r, keys) }
	turned := func(m *path.Motion) (float64, int) {
		t.Helper()
		px, f, err := j.Turned(t.Context(), m)
		if err != nil {
			t.Fatal(err)
		}
		return px, f
	}
	worst := func(m *path.Motion, half ...float64) (most float64) {
		q := make([]float64, 5)
		for f := m.First; f < m.Last; f++ {
			m.Values(q, float64(f))
			a, b := append([]float64(nil), q...), append([]float64(nil), q...)
			for i, h := range half {
				if m.Curves[i].At(float64(f)).V != 0 {
					a[i], b[i] = a[i]-h, b[i]+h
				}
			}
			if px, _, said := j.Pixels(a, b); said {
				most = max(most, px)
			}
		}
		return most
	}
	if px, _ := turned(moves(map[float64]map[string]float64{0: {"track": 700}, 24: {"track": 700}})); px != 0 {
		t.Errorf("standing still: %g px", px)
	}
	track := moves(map[float64]map[string]float64{0: {"track": 680}, 24: {"track": 720}})
	if px, f := turned(track); math.Abs(px-worst(track, 0.25, 0)) > 1e-9 || !(px > 0.1) || f < 0 || f >= 24 {
		t.Errorf("the track: %g px at %d, want %g", px, f, worst(track, 0.25, 0))
	}
	same := moves(map[float64]map[string]float64{0: {"track": 680, "pan": -1}, 24: {"track": 720, "pan": 1}})
	apart := moves(map[float64]map[string]float64{0: {"track": 680, "pan": 1}, 24: {"track": 720, "pan": -1}})
	a, _ := turned(same)
	b, _ := turned(apart)
	if math.Abs(a-worst(same, 0.25, 0.01)) > 1e-9 || math.Abs(b-worst(apart, 0.25, -0.01)) > 1e-9 ||
		math.Abs(a-b) < 0.1 {
		t.Errorf("both: %g and %g px, want %g and %g", a, b, worst(same, 0.25, 0.01), worst(apart, 0.25, -0.01))
	}
	over, end := context.WithCancel(t.Context())
	end()
	if _, _, err := j.Turned(over, track); !errors.Is(err, context.Canceled) {
		t.Errorf("nobody waits: %v", err)
	}
	long := moves(map[float64]map[string]float64{0: {"track": 680}, 100_000: {"track": 720}})
	if px, _ := turned(long); !(px > 0.1) {
		t.Errorf("a long move: %g px", px)
	}
}

// moving is a move through keyframes, focused on one place; kinds are those of the track, if any.
func moving(t testing.TB, r *rig.Rig, keys map[float64]map[string]float64, kinds ...curve.Kind) *path.Motion {
	t.Helper()
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	var edits []path.Edit
	for f, v := range keys {
		v["focus"] = 150
		edits = append(edits, path.Edit{Op: "set", Frame: f, Values: v})
	}
	for _, k := range kinds {
		edits = append(edits, path.Edit{Op: "kind", Axis: "track", Kind: k})
	}
	for _, e := range edits {
		q, err := p.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	return m
}
