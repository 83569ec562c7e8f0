package calc

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
)

// Whatever sizes meet, timing anew answers within its limits or in a sentence; it neither panics
// nor goes on for ever.
func TestRetimeExtremes(t *testing.T) {
	rng := rand.New(rand.NewPCG(13, 13))
	rounds := 25
	if testing.Short() {
		rounds = 12
	}
	size := func(from, to float64) float64 { return math.Pow(10, from+(to-from)*rng.Float64()) }
	kinds := []string{"smooth", "natural", "through", "monotone", "akima", "tcb", "quintic", "ramp",
		"handles", "linear"}
	for range rounds {
		n := 2 + rng.IntN(4)
		at, times := 0.0, []float64{0}
		for len(times) < n {
			at += size(-4, 3)
			times = append(times, at)
		}
		axes, limits := map[string][]float64{}, map[string]map[string]float64{}
		for a := range 1 + rng.IntN(3) {
			name := string(rune('a' + a))
			scale := size(-9, 9)
			for range n {
				v := rng.NormFloat64() * scale
				if rng.IntN(4) == 0 {
					v = 0
				}
				axes[name] = append(axes[name], v)
			}
			limits[name] = map[string]float64{"speed": size(-6, 6), "acceleration": size(-6, 6), "jerk": size(-6, 6)}
		}
		q, _ := json.Marshal(map[string]any{"kind": kinds[rng.IntN(len(kinds))], "rate_hz": 1e-9,
			"jerk": rng.IntN(2) == 0, "keys": map[string]any{"t_s": times, "axes": axes}, "limits": limits})
		b, st := Run("retime", q)
		var a RetimeAnswer
		var e struct{ Error FieldError }
		switch {
		case st == BadRequest && json.Unmarshal(b, &e) == nil && e.Error.Want != "":
		case st == OK && json.Unmarshal(b, &a) == nil:
			if !(a.WorstShare <= 1+1e-6) || !(a.DurationS >= a.LowerBoundS*(1-1e-9)) || a.DurationS < 0 {
				t.Errorf("%s: %s", q, fmt.Sprintf("%.300s", b))
			}
		default:
			t.Fatalf("%s: %s", q, b)
		}
	}
}
