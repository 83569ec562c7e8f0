package site

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"keenarc/core/mistake"
)

// Spread is how long a task takes: as likely more as less than P50, more than P80 one
// time in five. Between and beyond, the logarithm of its minutes is normal.
//
// Days, where P80 was learnt of so few that it is wider by the t of their number: of a whole network,
// whose steps are wrong each in its own way, the normal width is drawn, about a middle that is less by
// what not knowing it well would else put on top of the mean of each.
type Spread struct {
	P50, P80 float64
	Days     int
}

// wide is how many of its widths P80 lies from P50, in logarithms.
func (w Spread) wide() float64 {
	if w.Days >= 2 {
		return studentP80(w.Days)
	}
	return p80Sigma
}

// Draws of a whole network, and what of a normal distribution lies under four fifths.
const draws = 2000

var p80Sigma = math.Sqrt2 * math.Erfinv(2*0.8-1)

func (w Spread) check(field, id string) error {
	if !(w.P50 >= 0 && w.P50 <= mostMinutes && w.P80 >= w.P50 && w.P80 <= mostMinutes) || w.P50 == 0 && w.P80 > 0 {
		return mistake.In(field, "give p80 minutes not below p50, and both above zero",
			"%s takes %g minutes as likely as not, and %g four times in five", id, w.P50, w.P80)
	}
	return nil
}

// draw is one duration that is longer than elapsed; u is even in [0, 1).
func (w Spread) draw(u, elapsed float64) float64 {
	d := w.drawn(elapsed)
	return d.draw(u)
}

// drawn is a spread of which durations are drawn that are longer than elapsed.
type drawn struct{ mid, sigma, least, elapsed float64 }

func (w Spread) drawn(elapsed float64) drawn {
	d := drawn{mid: w.P50, elapsed: elapsed}
	if w.P80 <= w.P50 {
		return d
	}
	d.sigma = math.Log(w.P80/w.P50) / w.wide()
	if w.Days >= 2 {
		d.mid *= math.Exp(-d.sigma * d.sigma / float64(w.Days+1))
	}
	if elapsed > 0 {
		d.least = math.Erfc(-math.Log(elapsed/d.mid)/d.sigma/math.Sqrt2) / 2
	}
	return d
}

func (d *drawn) draw(u float64) float64 {
	if d.sigma == 0 {
		return max(d.mid, d.elapsed)
	}
	p := d.least + (1-d.least)*u
	if p >= 1-1e-12 { // so long already that it says nothing more
		return d.elapsed * (1 + 0.1*u)
	}
	return max(d.mid*math.Exp(d.sigma*math.Sqrt2*math.Erfinv(2*p-1)), d.elapsed)
}

// expect is how long each task is expected to take: its minutes, or for one that is going
// on the middle of what is left of its spread.
func (n *Network) expect(spreads []Spread, now float64, done []Done) []float64 {
	m := n.Minutes()
	for i, d := range done {
		if d.Began != nil && d.Ended == nil && now > *d.Began {
			m[i] = spreads[i].draw(0.5, now-*d.Began)
		}
	}
	return m
}

// Forecast is when it is ready, as likely before as after, and four times in five before:
// of seeded draws of the whole network, since percentiles of its tasks do not add. For a
// crew of 0 nobody is short; now and done are as for Crewed.
func (n *Network) Forecast(spreads []Spread, crew int, now float64, done []Done) (p50, p80 float64, err error) {
	for i, w := range spreads {
		if err := w.check(fmt.Sprintf("tasks[%d]", i), n.Tasks[i].ID); err != nil {
			return 0, 0, err
		}
	}
	rng := rand.New(rand.NewPCG(2000, 0x51e))
	ready := make([]float64, draws)
	minutes, of := make([]float64, len(n.Tasks)), make([]drawn, len(n.Tasks))
	for i, w := range spreads {
		elapsed := 0.0
		if done != nil && done[i].Began != nil && done[i].Ended == nil {
			elapsed = max(now-*done[i].Began, 0)
		}
		of[i] = w.drawn(elapsed)
	}
	var l layout
	for k := range ready {
		for i := range of {
			minutes[i] = of[i].draw(rng.Float64())
		}
		if crew == 0 {
			n.early(&l.free, minutes)
			ready[k] = l.free.Ready
			continue
		}
		s, err := n.lay(&l, minutes, crew, now, done)
		if err != nil {
			return 0, 0, err
		}
		ready[k] = s.Ready
	}
	slices.Sort(ready)
	return Quantile(ready, 0.5), Quantile(ready, 0.8), nil
}

// Quantile of sorted values, straight between neighbours (Hyndman and Fan's type 7).
func Quantile(sorted []float64, p float64) float64 {
	at := p * float64(len(sorted)-1)
	i := int(at)
	if i+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[i] + (at-float64(i))*(sorted[i+1]-sorted[i])
}
