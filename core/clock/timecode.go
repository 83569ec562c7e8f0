package clock

import (
	"fmt"
	"math"
	"regexp"
	"strconv"

	"keenarc/core/mistake"
)

// A timecode is a label for frames (SMPTE ST 12-1). Without drop it counts the rate,
// rounded to whole frames a second, and so falls behind the clock at 30000/1001. With drop,
// which 30000/1001 and 60000/1001 have, it leaves the first two (four) numbers of every
// minute out, but for every tenth, and keeps with it: labels are dropped, never frames.
// A dropping label has a semicolon before its frames.

// nominal is the whole frames a second that a rate's labels count.
func nominal(r Rate) int { return max(1, int(math.Round(r.Float()))) }

// Drops is how many numbers a minute leaves out at a rate; 0: it has no drop.
func Drops(r Rate) int {
	if g := gcd(r.Num, r.Den); r.Den/g != 1001 {
		return 0
	}
	switch n := nominal(r); n {
	case 30, 60:
		if r.Num*1001 == r.Den*int64(n)*1000 {
			return n / 15
		}
	}
	return 0
}

// day is how many frames a day of labels has.
func day(fps, drops int) int { return 86400*fps - drops*(1440-144) }

// Timecode is the label of a frame, start being the one that frame 0 has, in frames after
// midnight. It goes round after a day.
func Timecode(frame, start int, r Rate, drop bool) string {
	fps, drops, sep := nominal(r), 0, ":"
	if drop {
		drops, sep = Drops(r), ";"
	}
	d := day(fps, drops)
	n := ((frame%d+start%d)%d + d) % d
	if drops > 0 { // put the dropped numbers back
		ten, minute := 600*fps-9*drops, 60*fps-drops
		tens, rest := n/ten, n%ten
		n += 9 * drops * tens
		if rest >= 60*fps {
			n += drops * (1 + (rest-60*fps)/minute)
		}
	}
	return fmt.Sprintf("%02d:%02d:%02d%s%02d", n/(3600*fps)%24, n/(60*fps)%60, n/fps%60, sep, n%fps)
}

var timecode = regexp.MustCompile(`^([01][0-9]|2[0-3]):([0-5][0-9]):([0-5][0-9])([:;])([0-9]{2,3})$`)

// FrameOf reads a label: how many frames after midnight it lies, and whether it drops.
func FrameOf(code string, r Rate) (frame int, drop bool, err error) {
	m := timecode.FindStringSubmatch(code)
	if m == nil {
		return 0, false, mistake.In("timecode", "give hours, minutes, seconds and frames, as 10:00:00:00",
			"%q is no timecode", code)
	}
	var n [4]int
	for i, k := range []int{1, 2, 3, 5} {
		n[i], _ = strconv.Atoi(m[k]) // digits only
	}
	fps, drops := nominal(r), 0
	if n[3] >= fps {
		return 0, false, mistake.In("timecode", fmt.Sprintf("at %d frames per second give 00 to %02d", fps, fps-1),
			"frame %d of a second", n[3])
	}
	if drop = m[4] == ";"; drop {
		if drops = Drops(r); drops == 0 {
			return 0, false, mistake.In("timecode", "use a colon before the frames, or 30000/1001 or 60000/1001",
				"%s drops, and %s frames per second do not", code, r)
		}
		if n[2] == 0 && n[1]%10 != 0 && n[3] < drops {
			return 0, false, mistake.In("timecode", fmt.Sprintf("give %02d:%02d:00;%02d, the first of that minute",
				n[0], n[1], drops), "%s does not exist: its number is dropped", code)
		}
	}
	minutes := 60*n[0] + n[1]
	return (60*minutes+n[2])*fps + n[3] - drops*(minutes-minutes/10), drop, nil
}
