package clock

import (
	"fmt"
	"strings"
)

// Words are what a clock does, as they stand beside a take and in the log: "×1/2, there and back
// 3 times, waits 1.5 s at 0070".
func (s Spec) Words() string {
	seconds := func(ms int64) string { return fmt.Sprintf("%g s", float64(ms)/1000) }
	var out []string
	add := func(format string, v ...any) { out = append(out, fmt.Sprintf(format, v...)) }
	switch s.Kind {
	case Stepped:
		add("stepped, %d pictures, one every %s, moving for %s of it", s.Pictures, seconds(s.IntervalMS),
			seconds(s.MoveMS))
	case Crawling:
		add("crawling, %d pictures, one every %s", s.Pictures, seconds(s.IntervalMS))
	case Live:
		add("live, up to ×%s", s.Factor)
		switch n := len(s.Steers); n {
		case 0:
		case 1:
			add("steered once")
		default:
			add("steered %d times", n)
		}
	default:
		add("×%s", s.Factor)
	}
	if s.Way != On && s.Way != "" {
		add("%s", string(s.Way))
		if s.Times > 1 {
			out[len(out)-1] += fmt.Sprintf(" %d times", s.Times)
		}
	}
	for i, w := range s.Waits {
		if i == 3 {
			add("%d waits more", len(s.Waits)-i)
			break
		}
		add("waits %s at %04d", seconds(w.MS), w.Frame)
	}
	if s.DelayMS > 0 {
		add("sets out after %s", seconds(s.DelayMS))
	}
	if s.EaseMS > 0 {
		add("eases over %s", seconds(s.EaseMS))
	}
	if s.CameraLocked {
		add("the camera at its own rate")
	}
	return strings.Join(out, ", ")
}
