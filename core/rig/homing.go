package rig

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"
)

// HomeWay is how an axis finds its zero.
type HomeWay string

// The ways of homing. The first four are found by the machine alone; absolute and
// witness mark are confirmed by somebody who looks; by hand is two ends that are shown.
const (
	SensorEdge HomeWay = "sensor edge"
	HardStop   HomeWay = "hard stop"
	BothEnds   HomeWay = "both ends"
	OneEnd     HomeWay = "one end"
	ByHand     HomeWay = "by hand"
	Absolute   HomeWay = "absolute"
	Witness    HomeWay = "witness mark"
)

// HomeWays are all ways.
var HomeWays = []HomeWay{SensorEdge, HardStop, BothEnds, OneEnd, ByHand, Absolute, Witness}

// Says is what the machine does, or what is to be done, in a sentence.
func (w HomeWay) Says() string {
	return map[HomeWay]string{
		SensorEdge: "Fast past its sensor, back off, slowly onto the edge from the same side.",
		HardStop:   "Gently to its end, until the motor stalls, then back to the motor's index.",
		BothEnds:   "Touches both ends and learns its range; zero lies from their middle.",
		OneEnd:     "Touches one end and takes its known range from there.",
		ByHand:     "No end stops: drive it to each extreme that it shall not pass, and confirm each.",
		Absolute:   "Known when it is switched on: it goes slowly to its check pose; confirm that the marks meet.",
		Witness:    "Drive it until its drawn marks meet, and confirm.",
	}[w]
}

// Alone reports whether the machine homes like this by itself.
func (w HomeWay) Alone() bool { return slices.Contains(HomeWays[:4], w) }

// Ways are those in which an axis can be homed, its own first: what its description
// names, and those which need nothing but a person.
func (a *Axis) Ways() []HomeWay {
	out := []HomeWay{a.Home}
	for _, w := range append(append([]HomeWay(nil), a.AlsoHome...), ByHand, Witness) {
		if !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}

// HomeValue is the axis's value where its sensor's edge, its check pose or its witness
// mark is, and where it stands after homing: zero, unless that lies outside its range.
func (a *Axis) HomeValue() float64 {
	if a.HomeAt != nil {
		return *a.HomeAt
	}
	return min(max(0, a.Min), a.Max)
}

func (a *Axis) checkHome() error {
	for _, w := range append([]HomeWay{a.Home}, a.AlsoHome...) {
		if !slices.Contains(HomeWays, w) {
			return fmt.Errorf("home: %q is not a way; use one of %v", w, HomeWays)
		}
		if w == HardStop && a.Feedback == SeesNothing {
			return fmt.Errorf("home: %s comes back to the motor's index, and nothing sees this motor; use one of %v", w,
				[]HomeWay{SensorEdge, BothEnds, OneEnd, ByHand})
		}
	}
	if v := a.HomeValue(); math.IsNaN(v) || v < a.Hard[0] || v > a.Hard[1] {
		return fmt.Errorf("home_at %g; it must lie within the hard ends %g to %g", v, a.Hard[0], a.Hard[1])
	}
	return nil
}

// Repeat is how well an axis's homings repeat, all in its unit.
type Repeat struct {
	N     int     `json:"n"`
	Range float64 `json:"range" doc:"from the least to the greatest"`
	Sigma float64 `json:"sigma" doc:"standard deviation; 0 with fewer than two"`
	Walk  float64 `json:"walk" doc:"how far they have moved from the first to the last, by the line that fits them best"`
	// Walks is the alarm: that is more than homings of this axis scatter.
	Walks bool `json:"walks"`
}

// walkFrom is how many homings make a line.
const walkFrom = 5

// Repeats looks at where an axis's homings found its zero, oldest first, against what it
// is said to repeat to (of which a third is taken as one standard deviation). With fewer
// than five it walks when the last is two repeatabilities from the first; from five on
// when the line that fits them best moves by one and a half, which is some four standard
// deviations of what scatter alone would do.
func Repeats(at []float64, repeatability float64) Repeat {
	r := Repeat{N: len(at)}
	if r.N < 2 {
		return r
	}
	r.Range = floats.Max(at) - floats.Min(at)
	r.Sigma = stat.StdDev(at, nil)
	r.Walk = at[r.N-1] - at[0]
	most := 2 * repeatability
	if r.N >= walkFrom {
		n := make([]float64, r.N)
		for i := range n {
			n[i] = float64(i)
		}
		_, slope := stat.LinearRegression(n, at, nil, false)
		r.Walk, most = slope*float64(r.N-1), 1.5*repeatability
	}
	r.Walks = math.Abs(r.Walk) > most
	return r
}

// Scatter is by how much this way repeats less well than the axis's own figure, which is
// its sensor's: an end that is touched gives way, two of them average, and a person's eye
// is no sensor. These are usual figures, for judging whether an axis walks.
func (w HomeWay) Scatter() float64 {
	switch w {
	case OneEnd:
		return 3
	case BothEnds:
		return 2.2
	case ByHand, Witness:
		return 20
	}
	return 1
}
