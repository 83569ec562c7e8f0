package path

import (
	"strings"
	"testing"
)

// Soft limits that are drawn in do not keep a path from being opened and edited:
// what lies outside stays and may be moved in time, and nothing new is put there.
func TestLimitsDrawnIn(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"track": 100}), set(50, map[string]float64{"track": 1300, "pan": 2}))
	r.Axes[0].Max = 1000
	if err := p.Check(r); err != nil {
		t.Errorf("a path from before: %v", err)
	}
	if _, err := Compile(p, r); err != nil {
		t.Errorf("it is drawn: %v", err)
	}
	for name, e := range map[string]Edit{
		"another axis": set(50, map[string]float64{"pan": 5}), "in time": {Op: "move", Axis: "track", Frame: 50,
			To: 60}, "room": {Op: "room", Frame: 10, Frames: 5},
		"inside": set(50, map[string]float64{"track": 900}), "its own value": set(70,
			map[string]float64{"track": 1300}), "taken out": {Op: "delete", Axis: "track", Frame: 50},
	} {
		if _, err := p.Apply(r, e); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, e := range map[string]Edit{
		"farther out": set(50, map[string]float64{"track": 1301}), "less far": set(50,
			map[string]float64{"track": 1200}), "another": set(20, map[string]float64{"track": 1001}),
		"from a file": {Op: "replace",
			Tracks: []Track{{Axis: "track", Kind: "smooth", Keys: []Key{{Frame: 0, Value: 1100}}}}},
		"base": {Op: "base", Values: map[string]float64{"track": 1100}},
	} {
		if _, err := p.Apply(r, e); err == nil || !strings.Contains(err.Error(),
			"outside the soft limits; stay within 20 to 1000 mm") {
			t.Errorf("%s: %v", name, err)
		}
	}
}
