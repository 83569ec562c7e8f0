package balance

import (
	"fmt"
	"math"
	"strings"
)

// Step is what to do next: turn a knob, or let go at an attitude and look, or nothing.
type Step struct {
	Knob    string  `json:"knob,omitempty" enum:"slide,rise"`
	ByMM    float64 `json:"by_mm,omitempty" doc:"forward or up, from the reading now"`
	Reading float64 `json:"reading_mm,omitempty" doc:"what to set it to"`
	// Try is the attitude to let go at, after the knob if one is to be turned.
	Try  *float64 `json:"try_deg,omitempty"`
	Done bool     `json:"done"`
	Says string   `json:"says"`
	Then string   `json:"then"`
}

// TiltedDeg is how far the nose is tipped for the height, down and up.
const TiltedDeg = 30

// attitude says an attitude.
func attitude(deg float64) string {
	switch {
	case deg == 0:
		return "level"
	case deg < 0:
		return fmt.Sprintf("nose down %.0f°", -deg)
	}
	return fmt.Sprintf("nose up %.0f°", deg)
}

// last is the newest look at an attitude, without a scale, with the readings as they are.
func (b *Bench) last(deg float64) *Seen {
	for i := len(b.Seen) - 1; i >= 0; i-- {
		s := &b.Seen[i]
		// Level, the height has no arm: it does not matter what the riser read.
		if s.Did != "" && s.TiltDeg == deg && math.Abs(s.SlideMM-b.SlideMM) < 0.05 && (deg == 0 || math.Abs(s.RiseMM-b.RiseMM) < 0.05) {
			return s
		}
	}
	return nil
}

// next is the halving guide: level first, by sliding; then the height, by what it does
// nose down and nose up; until it rests in all three.
func (b *Bench) next(w *Weight) Step {
	if w.Says != "" {
		s := Step{Says: "Look again before anything is moved."}
		if w.Against >= 0 {
			s.Try = &b.Seen[w.Against].TiltDeg
			s.Says = "Try " + attitude(*s.Try) + " again."
		}
		return s
	}
	look := func(deg float64) Step {
		return Step{Try: &deg, Says: "Let go " + attitude(deg) + " and see what it does.", Then: "One hand on the camera whenever the gear is free."}
	}
	level := b.last(0)
	if level == nil {
		switch { // what is surely off is said before anything is freed
		case b.far(w.Forward, w.OffForward+w.BandM):
			return b.turn("slide", -w.Forward, 0)
		case b.far(w.Up, w.OffUp+w.BandM):
			return b.turn("rise", -w.Up, -TiltedDeg)
		}
		return look(0)
	}
	if level.Did != Rests {
		return b.turn("slide", -w.Forward, 0)
	}
	down, up := b.last(-TiltedDeg), b.last(TiltedDeg)
	switch {
	case down == nil:
		return look(-TiltedDeg)
	case up == nil && down.Did == Rests:
		return look(TiltedDeg)
	case down.Did == Rests && up.Did == Rests:
		return Step{Done: true, Says: "It rests wherever it is pointed. It is balanced.", Then: "Gear engaged, plate tight, safety line on, pins out, homed again."}
	case up == nil:
		return look(TiltedDeg)
	case math.Abs(w.Forward) > math.Abs(w.Up)*math.Tan(TiltedDeg*math.Pi/180):
		// What is left of level counts for more at these attitudes than the height.
		return b.turn("slide", -w.Forward, 0)
	}
	return b.turn("rise", -w.Up, -TiltedDeg)
}

func (b *Bench) far(off, band float64) bool { return math.Abs(off) > max(band, 0.0005) }

// turn is a knob's turn by metres, to a whole half millimetre, within its travel.
func (b *Bench) turn(knob string, by, try float64) Step {
	now, travel, verb := b.SlideMM, b.Knobs.SlideMM, [2]string{"Slide the camera back", "Slide the camera forward"}
	if knob == "rise" {
		now, travel, verb = b.RiseMM, b.Knobs.RiseMM, [2]string{"Lower the camera", "Raise the camera"}
	}
	mm := math.Round(by*2000) / 2
	if mm == 0 {
		mm = math.Copysign(0.5, by)
	}
	to := min(max(now+mm, travel[0]), travel[1])
	s := Step{Knob: knob, ByMM: to - now, Reading: to, Try: &try}
	k := 0
	if mm > 0 {
		k = 1
	}
	if math.Abs(s.ByMM) < 0.25 {
		s.Says = fmt.Sprintf("The plate is at its end: %s is not possible.", strings.ToLower(verb[k][:1])+verb[k][1:]+fmt.Sprintf(" %s mm", short(math.Abs(mm))))
		s.Then = "Use a longer plate, mount the camera elsewhere on it, or hang something at the other end."
		s.Try = nil
		return s
	}
	s.Says = fmt.Sprintf("%s %s mm.", verb[k], short(math.Abs(s.ByMM)))
	s.Then = b.overshot(knob, s.ByMM) + fmt.Sprintf("Then try %s again.", attitude(try))
	if math.Abs(to-now-mm) > 0.25 {
		s.Then = fmt.Sprintf("That is as far as it goes; it wants %s mm. ", short(math.Abs(mm))) + s.Then
	}
	return s
}

// overshot says so where the last turn of this knob went the other way.
func (b *Bench) overshot(knob string, by float64) string {
	read := func(s *Seen) float64 {
		if knob == "rise" {
			return s.RiseMM
		}
		return s.SlideMM
	}
	for i := len(b.Seen) - 1; i > 0; i-- {
		if was := read(&b.Seen[i]) - read(&b.Seen[i-1]); math.Abs(was) > 0.05 {
			if was*by < 0 && math.Abs(by) < 0.7*math.Abs(was) {
				return "It overshot: this is about half as far back. "
			}
			return ""
		}
	}
	return ""
}

// short writes millimetres without a decimal that is nought.
func short(mm float64) string { return strings.TrimSuffix(fmt.Sprintf("%.1f", mm), ".0") }
