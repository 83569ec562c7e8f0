package e2e

import (
	"fmt"
	"math"
	"testing"
	"time"
)

// A value that is typed on a keyframe, Enter, and K in the same moment: what was typed is stored,
// of the ring's distance, too, of which the place is asked first.
func TestATypedValueIsStoredByKAtOnce(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("value-track")
	p.atRest()
	stored := func(axis string) float64 {
		t.Helper()
		var v struct {
			Path struct {
				Tracks []struct {
					Axis string
					Keys []struct{ Frame, Value float64 }
				}
			}
		}
		a.get("/api/shots/"+a.shot, &v)
		for _, tr := range v.Path.Tracks {
			if tr.Axis == "plank/"+axis {
				return tr.Keys[0].Value
			}
		}
		t.Fatal("no " + axis)
		return 0
	}
	type1 := func(id, text string) {
		t.Helper()
		p.does(fmt.Sprintf(`(() => { const e = $(%q); e.focus(); e.value = %q; e.dispatchEvent(new Event('input', { bubbles: true })); e.dispatchEvent(new Event('change', { bubbles: true })); e.blur();
			document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'k', bubbles: true })); })()`, id, text))
	}
	until := func(axis string, ok func(float64) bool) {
		t.Helper()
		p.strip("All axes stored at 0000")
		p.atRest()
		for late := time.Now().Add(10 * time.Second); !ok(stored(axis)); time.Sleep(50 * time.Millisecond) {
			if time.Now().After(late) {
				t.Fatalf("%s is stored as %g", axis, stored(axis))
			}
		}
	}
	for n := range 5 {
		want := 130 + float64(n)
		type1("value-track", fmt.Sprint(want))
		until("track", func(v float64) bool { return v == want })
	}
	was := stored("focus")
	type1("value-focus", "1.6")
	until("focus", func(v float64) bool { return math.Abs(v-was) > 0.1 })
	p.holds("value-focus", "1.600")
	// Two values and K: both.
	type1("value-pan", "3")
	type1("value-tilt", "-2")
	until("tilt", func(v float64) bool { return v == -2 })
	if v := stored("pan"); v != 3 {
		t.Errorf("pan is stored as %g", v)
	}
}
