package clock

import (
	"strings"
	"testing"
)

func TestTimecode(t *testing.T) {
	for f, want := range map[int]string{0: "10:00:00:00", 86: "10:00:03:14", -1: "09:59:59:23",
		24 * 3600: "11:00:00:00"} {
		if got := Timecode(f, 36000*24, Rate{24, 1}, false); got != want {
			t.Errorf("frame %d: %s, want %s", f, got, want)
		}
	}
	for code, want := range map[string]int{"00:00:00:00": 0, "10:00:00:00": 36000 * 24, "23:59:59:23": 86400*24 - 1,
		"01:02:03:04": 3723*24 + 4} {
		if got, drop, err := FrameOf(code, Rate{24000, 1001}); err != nil || drop || got != want ||
			Timecode(0, got, Rate{24, 1}, false) != code {
			t.Errorf("%s: %d, %v, want %d", code, got, err, want)
		}
	}
	for code, want := range map[string]string{"10:00:00:24": "00 to 23", "24:00:00:00": "as 10:00:00:00",
		"10:60:00:00": "as 10", "10:00:60:00": "as 10", "1:00:00:00": "as 10", "10:00:00:0": "as 10", "": "as 10",
		"10:00:00;00": "24 frames per second do not"} {
		if _, _, err := FrameOf(code, Rate{24, 1}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", code, err)
		}
	}
	if n, _, err := FrameOf("00:00:01:119", Rate{120, 1}); err != nil || n != 239 {
		t.Errorf("at 120 fps: %d, %v", n, err)
	}
}

// Every label of a whole day, by counting as the standard says: the numbers go up by one,
// and at every minute but the tenth the first two (four) are left out. Both ways.
func TestDropFrameByCounting(t *testing.T) {
	for _, c := range []struct {
		rate  Rate
		fps   int
		drops int
	}{{Rate{30000, 1001}, 30, 2}, {Rate{60000, 1001}, 60, 4}, {Rate{120000, 4004}, 30, 2}} {
		if Drops(c.rate) != c.drops {
			t.Errorf("%v drops %d", c.rate, Drops(c.rate))
		}
		h, m, s, f := 0, 0, 0, 0
		n := 0
		for ; ; n++ {
			if n%101 == 0 || f < 6 && s == 0 || f > c.fps-2 && s > 57 { // all that is near an edge
				label := two(h) + ":" + two(m) + ":" + two(s) + ";" + two(f)
				if got := Timecode(n, 0, c.rate, true); got != label {
					t.Fatalf("frame %d: %s, want %s", n, got, label)
				}
				if got, drop, err := FrameOf(label, c.rate); err != nil || !drop || got != n {
					t.Fatalf("%s: %d, %v, want %d", label, got, err, n)
				}
			}
			if f++; f == c.fps {
				f, s = 0, s+1
			}
			if s == 60 {
				s, m = 0, m+1
				if m%10 != 0 {
					f = c.drops
				}
			}
			if m == 60 {
				m, h = 0, h+1
			}
			if h == 24 {
				break
			}
		}
		// A day is as long as a day to within a tenth of a second, and goes round.
		if d := float64(n+1)/c.rate.Float() - 86400; d > 0.1 || d < -0.1 {
			t.Errorf("%v: a day is off by %g s", c.rate, d)
		}
		if a, b := Timecode(n+1, 0, c.rate, true), Timecode(-1, 0, c.rate, true); a != "00:00:00;00" || b != two(23)+
			":59:59;"+two(c.fps-1) {
			t.Errorf("%v: %s, %s", c.rate, a, b)
		}
	}
	if got := Timecode(1800, 0, Rate{30000, 1001}, true); got != "00:01:00;02" {
		t.Error(got)
	}
	for code, want := range map[string]string{"00:01:00;00": "00:01:00;02, the first of that minute",
		"10:59:00;01": "does not exist"} {
		if _, _, err := FrameOf(code, Rate{30000, 1001}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", code, err)
		}
	}
	if n, _, err := FrameOf("00:10:00;00", Rate{30000, 1001}); err != nil || n != 17982 {
		t.Errorf("%d, %v", n, err)
	}
	for _, r := range []Rate{{24000, 1001}, {30, 1}, {60, 1}, {50, 1}, {30001, 1001}, {120000, 1001}} {
		if Drops(r) != 0 {
			t.Errorf("%v drops %d", r, Drops(r))
		}
	}
}

func two(n int) string { return string(rune('0'+n/10)) + string(rune('0'+n%10)) }
