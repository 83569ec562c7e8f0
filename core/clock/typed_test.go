package clock

import (
	"math"
	"strings"
	"testing"
)

func TestTypedClocks(t *testing.T) {
	film := Rate{24, 1}
	for text, want := range map[string]Rate{"1": {1, 1}, " 3 ": {3, 1}, "0.5": {1, 2}, "0,5": {1, 2}, ".25": {1, 4},
		"1/3": {1, 3}, "2/6": {1, 3}, "×2": {2, 1}, "x 1/4": {1, 4}, "0.907": {907, 1000},
		"8 fps": {1, 3}, "8fps": {1, 3}, "12.5 FPS": {25, 48}, "24000/1001 fps": {1000, 1001}, "72 fps": {3, 1},
		"1.5/2": {3, 4}} {
		got, err := Parse(text, film)
		if err != nil || got != want {
			t.Errorf("%q is %v, %v; want %v", text, got, err, want)
		}
	}
	if got, err := Parse("12 fps", Rate{24000, 1001}); err != nil || got != (Rate{1001, 2000}) {
		t.Errorf("12 fps of 23.976: %v, %v", got, err)
	}
	for text, why := range map[string]string{"abc": "is not a clock", "": "is not a clock", "0": "stands still",
		"0 fps": "stands still", "-1": "is not a clock", "1/0": "is not a clock", "1/2/3": "is not a clock",
		"1e9":  "is not a clock",
		"1..2": "is not a clock", "fps": "is not a clock", "0.1234567890123": "too many digits",
		"99999999999": "too many digits", strings.Repeat("1", 500): "is not a clock", "NaN": "is not a clock",
		"٣": "is not a clock"} {
		_, err := Parse(text, film)
		if err == nil || !strings.Contains(err.Error(), why) || !strings.Contains(err.Error(), "as 8 fps") {
			t.Errorf("%q: %v, want %q", text, err, why)
		}
	}
	for r, want := range map[Rate]string{{1, 1}: "1", {3, 1}: "3", {1, 2}: "0.5", {1, 3}: "1/3", {907, 1000}: "0.907",
		{2, 6}: "1/3", {24000, 1001}: "24000/1001", {1, 80000}: "1/80000", {1001, 1000}: "1.001"} {
		if got := r.String(); got != want {
			t.Errorf("%d/%d is written %s, want %s", r.Num, r.Den, got, want)
		}
		if back, err := Parse(want, film); err != nil || back.Float() != r.Float() {
			t.Errorf("%s comes back as %v, %v", want, back, err)
		}
	}
}

// A pass typed as how long it takes takes that long, to the last bit where its factor has few
// digits, and to a millionth of it elsewhere.
func TestTypedDurations(t *testing.T) {
	for text, want := range map[string]float64{"10 s": 10, "20s": 20, "0,5 min": 30, "2 h": 7200, "500 ms": 0.5,
		"7.3 s": 7.3, "12.345 s": 12.345, "168 h": 604800, "999.999 s": 999.999} {
		for _, rate := range []Rate{{24, 1}, {24000, 1001}, {60000, 1001}} {
			f, err := ParseFor(text, rate, 240)
			if err != nil {
				t.Errorf("%s: %v", text, err)
				continue
			}
			c, err := Times(f).Over(Whole(-12, 228), rate)
			if err != nil || math.Abs(c.Seconds()-want) > 1e-6*want && want < 1e5 ||
				math.Abs(c.Seconds()-want) > 1e-4*want {
				t.Errorf("%s at %v: %g s by × %v, %v", text, rate, c.Seconds(), f, err)
			}
		}
	}
	if f, err := ParseFor("20 s", Rate{24, 1}, 240); err != nil || f != (Rate{1, 2}) {
		t.Errorf("20 s is × %v, %v", f, err)
	}
	if f, err := ParseFor("8 fps", Rate{24, 1}, 0); err != nil || f != (Rate{1, 3}) {
		t.Errorf("8 fps is × %v, %v", f, err)
	}
	for _, text := range []string{"0 s", "s", "1..2 s", "12345678901234 s", "3 days", "99999999 h"} {
		if f, err := ParseFor(text, Rate{24, 1}, 240); err == nil {
			t.Errorf("%q is × %v", text, f)
		}
	}
	if _, err := ParseFor("3 s", Rate{24, 1}, 0); err == nil {
		t.Error("a move without frames takes three seconds")
	}
}

// FuzzParse: whatever is typed is refused in a sentence or is a rate that comes
// back the same from how it is written.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"1/3", "8 fps", "0,5", "×2", "abc", "1/0", "1.5/2.25 fps"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		r, err := Parse(s, Rate{24000, 1001})
		if err != nil {
			return
		}
		if r.Check("") != nil {
			t.Fatalf("%q is %v", s, r)
		}
		if back, err := Parse(r.String(), Rate{24, 1}); err != nil || back != r {
			t.Fatalf("%q is %v, written %s, comes back as %v, %v", s, r, r, back, err)
		}
	})
}
