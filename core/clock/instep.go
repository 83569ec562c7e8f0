package clock

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"
)

// Pair is one reading of another device's clock: what it said, and when that was by ours,
// known to within so much to either side, all in seconds.
type Pair struct {
	Own    float64
	Ref    float64
	Within float64
}

// Against is how another clock runs against ours: it shows Own = a + (1 + PPM/10⁶)·Ref,
// near the readings. Within is what PPM is known to, at two standard deviations.
type Against struct {
	PPM    float64 `json:"ppm"`
	Within float64 `json:"within_ppm"`
	OverS  float64 `json:"over_s" doc:"how long it was looked at"`
	N      int     `json:"n" doc:"readings that were used"`
	ref    float64 // their middle by ours
	own    float64 // and by the other
	off    float64 // how far a reading may be out, at two standard deviations, in seconds
}

// ErrTooFew is returned for readings that cannot tell.
var ErrTooFew = errors.New("too few readings of the other clock")

// slots is into how many stretches of time readings are sorted; the surest of each counts.
const slots = 120

// Compare works out how another clock runs from readings of it. Of each stretch of time
// the one with the narrowest bounds is used, as in network time keeping: what was held up
// on its way says little. A reading is taken as uniform within its bounds.
func Compare(all []Pair) (Against, error) {
	var a Against
	used := surest(all)
	if a.N = len(used); a.N < 3 {
		return a, fmt.Errorf("%w: %d", ErrTooFew, a.N)
	}
	x, y, w, v := make([]float64, a.N), make([]float64, a.N), make([]float64, a.N), 0.0
	for i, p := range used {
		// The narrowest bound is never quite the truth: a grain of 20 µs is added.
		s := (p.Within + 20e-6) / math.Sqrt(3)
		x[i], y[i], w[i] = p.Ref, p.Own-p.Ref, 1/(s*s)
	}
	a.OverS = floats.Max(x) - floats.Min(x)
	a.ref = stat.Mean(x, w)
	for i := range x {
		v += w[i] * (x[i] - a.ref) * (x[i] - a.ref)
	}
	if !(v > 0) {
		return a, fmt.Errorf("%w: all at one time", ErrTooFew)
	}
	at, slope := stat.LinearRegression(x, y, w, false)
	a.own = a.ref + at + slope*a.ref
	a.PPM = slope * 1e6
	// By the bounds, or by how far the readings lie from the line, whichever is more.
	worse := 0.0
	for i := range x {
		r := y[i] - at - slope*x[i]
		worse += w[i] * r * r
	}
	worse = math.Max(1, worse/float64(a.N-2))
	a.Within = 2e6 * math.Sqrt(worse/v)
	a.off = 2 * math.Sqrt(worse/floats.Sum(w))
	return a, nil
}

// surest are the readings with the narrowest bounds, one of each stretch of time.
func surest(all []Pair) []Pair {
	if len(all) == 0 {
		return nil
	}
	first, last := all[0].Ref, all[0].Ref
	for _, p := range all {
		first, last = math.Min(first, p.Ref), math.Max(last, p.Ref)
	}
	best := map[int]Pair{}
	for _, p := range all {
		k := 0
		if last > first {
			k = int((p.Ref - first) / (last - first) * slots)
		}
		if b, ok := best[k]; !ok || p.Within < b.Within {
			best[k] = p
		}
	}
	var out []Pair
	for k := 0; k <= slots; k++ {
		if p, ok := best[k]; ok {
			out = append(out, p)
		}
	}
	return out
}

// Ref is when the other clock showed something, by ours, and to within what.
func (a *Against) Ref(own float64) (at, within float64) {
	d := (own - a.own) / (1 + a.PPM/1e6)
	return a.ref + d, a.off + math.Abs(d)*a.Within/1e6
}

// Delays are how late something comes after its command, over several tries, in
// milliseconds, and in frames at a rate.
type Delays struct {
	N       int     `json:"n"`
	MeanMS  float64 `json:"mean_ms"`
	LeastMS float64 `json:"least_ms"`
	MostMS  float64 `json:"most_ms"`
	SigmaMS float64 `json:"sigma_ms"`
	Frames  float64 `json:"frames" doc:"the mean"`
	Spread  float64 `json:"spread_frames" doc:"from the least to the most"`
}

// Late adds delays up, in seconds, at so many frames a second.
func Late(s []float64, fps float64) (Delays, error) {
	d := Delays{N: len(s)}
	if d.N == 0 {
		return d, ErrTooFew
	}
	d.MeanMS, d.LeastMS, d.MostMS = stat.Mean(s, nil)*1000, floats.Min(s)*1000, floats.Max(s)*1000
	if d.N > 1 {
		d.SigmaMS = stat.StdDev(s, nil) * 1000
	}
	d.Frames, d.Spread = d.MeanMS*fps/1000, (d.MostMS-d.LeastMS)*fps/1000
	return d, nil
}

// DriftFrames is by how much a device of such a rate error is off after so many seconds at
// a rate: 20 ppm over ten minutes at 24 is 0.288 of a frame.
func (a *Against) DriftFrames(seconds, fps float64) float64 { return a.PPM / 1e6 * seconds * fps }

// QuarterMin is after how many minutes it is off by a quarter of a frame at a rate; +Inf
// where its rate is right.
func (a *Against) QuarterMin(fps float64) float64 {
	return math.Abs(0.25 / a.DriftFrames(60, fps))
}
