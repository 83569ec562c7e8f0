package balance

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Step is what to do next: turn a knob, or let go at an attitude and look, or nothing.
type Step struct {
	Knob    string  `json:"knob,omitempty" enum:"slide,rise"`
	ByMM    float64 `json:"by_mm,omitempty" doc:"forward or up, from the reading now"`
	Reading float64 `json:"reading_mm,omitempty" doc:"what to set it to"`
	// Try is the attitude to let go at, after the knob if one is to be turned.
	Try *float64 `json:"try_deg,omitempty"`
	// Sweep are attitudes to let go at one after the other, Try first: it should rest at each.
	Sweep []float64 `json:"sweep_deg,omitempty" doc:"let go at each of these, in this order; it should rest at all"`
	Done  bool      `json:"done"`
	Says  string    `json:"says"`
	Then  string    `json:"then"`
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
		if s.Did != "" && s.TiltDeg == deg && math.Abs(s.SlideMM-b.SlideMM) < 0.05 &&
			(deg == 0 || math.Abs(s.RiseMM-b.RiseMM) < 0.05) {
			return s
		}
	}
	return nil
}

// gapDeg is how far apart the attitudes are at the most at which it is let go, so that what it does
// between them is known: a weight that rests at two of them pulls by a twentieth more between them
// than friction holds, at the worst.
const gapDeg = 70

// Attitudes are those at which a head is let go: level, tipped down and up, straight to the ends of
// its arc, and between where those are far apart, in that order. Angles in degrees; an arc of nothing
// is not known.
func Attitudes(arc [2]float64) []float64 {
	lo, hi := max(arc[0], -90), min(arc[1], 90)
	if !(lo < hi) {
		return []float64{0, -TiltedDeg, TiltedDeg}
	}
	out := []float64{min(max(0, lo), hi)}
	add := func(deg float64) {
		for _, x := range out {
			if math.Abs(x-deg) < 10 {
				return
			}
		}
		out = append(out, deg)
	}
	add(max(-TiltedDeg, lo))
	add(min(TiltedDeg, hi))
	// Its very ends, and not a place ten degrees before them.
	for _, end := range [2]float64{lo, hi} {
		if !slices.Contains(out, end) {
			out = append(out, end)
		}
	}
	for {
		at := slices.Sorted(slices.Values(out))
		wide, mid := 0.0, 0.0
		for i := range at[1:] {
			if d := at[i+1] - at[i]; d > wide {
				wide, mid = d, math.Round((at[i]+at[i+1])/2)
			}
		}
		if wide <= gapDeg {
			return out
		}
		out = append(out, mid)
	}
}

// asked are the attitudes of its arc, and wherever else it was let go at these readings. A look a few
// degrees beside one, or beyond an end that was drawn in since, does as well.
func (b *Bench) asked() []float64 {
	all := Attitudes(b.ArcDeg)
	lo, hi := slices.Min(all), slices.Max(all)
	for _, deg := range b.attitudes() {
		if slices.Contains(all, deg) || b.last(deg) == nil {
			continue
		}
		k := slices.IndexFunc(all, func(x float64) bool {
			return math.Abs(x-deg) <= besideDeg || x == lo && deg < lo && deg > lo-beyondDeg || x == hi && deg > hi &&
				deg < hi+beyondDeg
		})
		if k < 0 || b.last(all[k]) != nil {
			all = append(all, deg)
		} else {
			all[k] = deg
		}
	}
	return all
}

const besideDeg, beyondDeg = 3.0, 15.0

// next is the halving guide: level first, by sliding; then the height, by what it does nose down and
// nose up; then to the ends of its arc; until it rests in all of them.
func (b *Bench) next(w *Weight) Step {
	if w.Says != "" {
		s := Step{Says: "Look again before anything is moved."}
		if w.Against >= 0 {
			s.Try = &b.Seen[w.Against].TiltDeg
			s.Says = "Try " + attitude(*s.Try) + " again."
		}
		return s
	}
	all := b.asked()
	level := all[0]
	if seen := b.last(level); seen == nil {
		switch { // what is surely off is said before anything is freed
		case b.far(w.Forward, w.OffForward+w.BandM):
			return b.turn("slide", -w.Forward, level)
		case b.far(w.Up, w.OffUp+w.BandM):
			return b.turn("rise", -w.Up, all[min(1, len(all)-1)])
		}
		return look(level)
	} else if seen.Did != Rests {
		return b.outright(w, level)
	}
	for n, deg := range all[1:] {
		seen := b.last(deg)
		if seen == nil {
			return look(deg)
		}
		if seen.Did == Rests {
			continue
		}
		// Tipped the other way it tells the height from what is left of level.
		if n == 0 && len(all) > 2 && all[2] == -deg && b.last(all[2]) == nil {
			return look(all[2])
		}
		return b.tipped(w, deg, all)
	}
	if between := b.unseen(w, all); len(between) > 0 {
		return sweep(between)
	}
	return Step{Done: true, Says: "It rests wherever it is pointed. It is balanced.",
		Then: "Gear engaged, plate tight, safety line on, pins out, homed again."}
}

// Where between the attitudes at which it rested the weight may pull by so much more than friction
// holds, it is let go there too, so close that nothing is nearer than that to none of them.
const (
	moreHeld = 1.004
	sweptDeg = 8
	bookOff  = 1.3 // what friction may be, of what the book has
)

// unseen are attitudes between all others: those gaps are filled in which a weight that is where this
// one may be would turn. From the nose up to the nose down.
func (b *Bench) unseen(w *Weight, all []float64) []float64 {
	if !(b.ArcDeg[0] < b.ArcDeg[1]) {
		return nil
	}
	lo, hi := max(b.ArcDeg[0], -90), min(b.ArcDeg[1], 90)
	as := slack{w.as.holds * bookOff, w.as.pulls}
	most := (as.holds + as.pulls + readM) * moreHeld
	df, du := b.at(b.SlideMM, b.RiseMM)
	sorted := slices.Sorted(slices.Values(all))
	turns := make([]bool, len(sorted))
	for _, at := range b.region(w.kg, farM, w.centre, w.Against, as) {
		arm, peak := (Lever{1 / G, at[0] + df, at[1] + du}).Worst(lo, hi)
		if gap, _ := slices.BinarySearch(sorted, peak); math.Abs(arm) > most && gap > 0 && gap < len(sorted) {
			turns[gap] = true
		}
	}
	var out []float64
	for i := len(sorted) - 1; i > 0; i-- {
		parts := math.Ceil((sorted[i] - sorted[i-1]) / sweptDeg)
		for k := 1.0; turns[i] && k < parts; k++ {
			out = append(out, math.Round(sorted[i]+(sorted[i-1]-sorted[i])*k/parts))
		}
	}
	return out
}

// sweep is letting go at one attitude after the other.
func sweep(degs []float64) Step {
	if len(degs) == 1 {
		return look(degs[0])
	}
	s := look(degs[0])
	s.Sweep = degs
	s.Says = fmt.Sprintf("Let go at %d more attitudes, from %s to %s: it should rest at each.",
		len(degs), attitude(degs[0]), attitude(degs[len(degs)-1]))
	s.Then += " Stop where it turns, and say where."
	return s
}

func look(deg float64) Step {
	return Step{Try: &deg, Says: "Let go " + attitude(deg) + " and see what it does.",
		Then: "One hand on the camera whenever the gear is free."}
}

// tipped is what to turn where it rests level and not at another attitude: what pulls there is
// height, or what is left of level, whichever counts for more by all that was seen at these readings.
func (b *Bench) tipped(w *Weight, deg float64, all []float64) Step {
	var cc, cs, ss, ce, se float64 // least squares of arm = x·cos − y·sin
	for _, at := range all {
		if b.last(at) == nil {
			continue
		}
		e, off := b.arm(w, at)
		sin, cos := math.Sincos(at * math.Pi / 180)
		g := 1 / (0.0005 + off)
		cc, cs, ss, ce, se = cc+g*cos*cos, cs-g*cos*sin, ss+g*sin*sin, ce+g*cos*e, se-g*sin*e
	}
	if all[0] != 0 && slices.Max(all)-slices.Min(all) < narrowDeg {
		return b.outright(w, deg)
	}
	det := cc*ss - cs*cs
	if !(det > 1e-9*cc*ss) {
		return b.turn("rise", -w.Up, deg)
	}
	x, y := (ce*ss-se*cs)/det, (se*cc-ce*cs)/det
	if sin, cos := math.Sincos(deg * math.Pi / 180); math.Abs(x*cos) > math.Abs(y*sin) {
		return b.turn("slide", -x, all[0])
	}
	return b.turn("rise", -y, deg)
}

// narrowDeg is how wide an arc beside level has to be for what pulls to be told apart as ahead and as high.
const narrowDeg = 5

// outright turns the knob that has more to say at an attitude, until nothing pulls there.
func (b *Bench) outright(w *Weight, deg float64) Step {
	mid, _ := b.arm(w, deg)
	sin, cos := math.Sincos(deg * math.Pi / 180)
	if math.Abs(sin) > math.Abs(cos) {
		return b.turn("rise", mid/sin, deg)
	}
	return b.turn("slide", -mid/cos, deg)
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
	if s, ok := b.either(knob, to, try); ok {
		return s
	}
	s := Step{Knob: knob, ByMM: to - now, Reading: to, Try: &try}
	k := 0
	if mm > 0 {
		k = 1
	}
	if math.Abs(s.ByMM) < 0.25 {
		s.Says = fmt.Sprintf("The plate is at its end: %s is not possible.", strings.ToLower(verb[k][:1])+verb[k][1:]+
			fmt.Sprintf(" %s mm", short(math.Abs(mm))))
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

// either is what is said where a step would lead back to a reading at which it did not rest either:
// between the two nothing holds it.
func (b *Bench) either(knob string, to, deg float64) (Step, bool) {
	for i := range b.Seen {
		s := &b.Seen[i]
		slide, rise := b.SlideMM, b.RiseMM
		if knob == "rise" {
			rise = to
		} else {
			slide = to
		}
		now := b.SlideMM
		if knob == "rise" {
			now = b.RiseMM
		}
		if s.TiltDeg == deg && s.Did != "" && s.Did != Rests && math.Abs(s.SlideMM-slide) < 0.05 &&
			math.Abs(s.RiseMM-rise) < 0.05 && math.Abs(to-now) < 1.25 {
			return Step{Says: fmt.Sprintf("It turns either way within %s mm: nothing holds it there.",
				short(math.Abs(to-now))),
				Then: "Give the head drag, where it has one, and look again; or accept it by its motor's margin, and " +
					"never free it."}, true
		}
	}
	return Step{}, false
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
