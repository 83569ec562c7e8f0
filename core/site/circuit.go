package site

import (
	"fmt"
	"math"
	"slices"
)

// Copper is its resistivity in service, in Ω·mm²/m (IEC 60364-5-52); CopperCold at 20 °C, by which a
// fault draws most.
const (
	Copper     = 0.0225
	CopperCold = 0.0175
)

// Settled is where a load of constant power at the end of a cable settles: the higher of the two
// voltages at which amperes times volts are its watts. ohms are those of the cable, out and back. It
// reports false where no voltage is: the cable cannot bring so much.
func Settled(volts, ohms, watts float64) (v, a float64, ok bool) {
	d := volts*volts - 4*ohms*watts
	if !(d >= 0) {
		return 0, 0, false
	}
	v = (volts + math.Sqrt(d)) / 2
	return v, watts / v, true
}

// Ohms are those of a cable, out and back.
func Ohms(lengthM, sectionMM2, resistivity float64) float64 {
	if lengthM == 0 {
		return 0
	}
	return 2 * resistivity * lengthM / sectionMM2
}

// carries is what flexible cables of two loaded cores carry in free air at 30 °C, rolled out, by their
// section (after the table for flexible cables in EN 50565-1; the local code and the maker's figure go
// before it).
var carries = [][2]float64{{0.5, 3}, {0.75, 6}, {1, 10}, {1.5, 16}, {2.5, 25}, {4, 32}, {6, 40}, {10, 63},
	{16, 82}, {25, 108},
	{35, 135}, {50, 168}, {70, 207}, {95, 250}, {120, 292}}

// Carries is what a cable carries, in amperes: as typed, or that of the next section of the table that
// is not thicker. It reports false where neither says.
func (n *PowerNode) Carries() (a float64, known bool) {
	if n.CableA > 0 {
		return n.CableA, true
	}
	for _, c := range carries {
		if n.SectionMM2 >= c[0]*(1-1e-9) {
			a, known = c[1], true
		}
	}
	return a, known
}

// flow is a node under a load, by line: of those that it takes, or its only one.
type flow struct {
	v, a   [3]float64
	single [3]float64 // of a, what comes back by the neutral
	out    float64    // volts that a converter gives
	gives  float64    // amperes that it gives on, the most of its lines
	pin    float64    // watts that it takes
}

const (
	mostSweeps = 400
	settledTo  = 1e-11
)

// solve finds where one supply and all that hangs on it settle, from the volts without a load down: at
// each round all draw more, since what they draw is watts. The rounds come to rest at the highest
// volts at which all get what they ask for, or find that there are none: then node is where.
func (w *Wiring) solve(root int, draws []float64, f []flow) (node int, ok bool) {
	of := w.below[root]
	for _, i := range of {
		n := &w.Nodes[i]
		for k := range w.lines[i] {
			if f[i].v[k] = n.Volts; w.from[i] >= 0 {
				f[i].v[k] = w.feed(i, k, f)
			}
		}
		f[i].out = w.regulates(i, f)
	}
	last, rests := math.Inf(1), 0
	for range mostSweeps {
		for _, i := range slices.Backward(of) {
			w.gather(i, draws, f)
		}
		most := 0.0
		for _, i := range of[1:] {
			r := Ohms(w.Nodes[i].CableM, w.Nodes[i].SectionMM2, Copper) / 2
			for k := range w.lines[i] {
				fed := w.feed(i, k, f)
				v := fed - r*(f[i].a[k]+f[i].single[k])
				if !(v > 1e-3*fed) {
					return i, false
				}
				most = math.Max(most, math.Abs(f[i].v[k]-v)/v)
				f[i].v[k] = v
			}
			if f[i].out = w.regulates(i, f); f[i].out <= 0 && w.Nodes[i].Role == Converter {
				return i, false
			}
		}
		// What is still to come, if it goes on as it does.
		if rate := most / last; most == 0 || !math.IsInf(last, 1) && rate < 1 && most*rate/(1-rate) < settledTo {
			if rests++; rests == 2 {
				return -1, true
			}
		}
		last = most
	}
	return w.lowest(of, f), false
}

// feed are the volts that a node's feeder gives on one of its lines.
func (w *Wiring) feed(i, k int, f []flow) float64 {
	j := w.from[i]
	if w.Nodes[j].Role == Converter && !w.passive[j] {
		return f[j].out
	}
	return f[j].v[w.onLine(i, k)]
}

// onLine is which line of its feeder a node's line is.
func (w *Wiring) onLine(i, k int) int {
	if w.lines[i] == 1 && w.Nodes[i].Line > 0 {
		return w.Nodes[i].Line - 1
	}
	return k
}

// regulates is what a converter gives: what is not there cannot be regulated.
func (w *Wiring) regulates(i int, f []flow) float64 {
	n := &w.Nodes[i]
	v := slices.Min(f[i].v[:w.lines[i]])
	switch {
	case n.Role == Supply:
		return n.Volts
	case w.passive[i]:
		return v
	case n.HeadroomV > 0:
		return max(min(n.Volts, v-n.HeadroomV), 0)
	}
	return n.Volts
}

// gather adds up what a node takes, of what hangs on it.
func (w *Wiring) gather(i int, draws []float64, f []flow) {
	x, n := &f[i], &w.Nodes[i]
	x.a, x.single, x.gives = [3]float64{}, [3]float64{}, 0
	for _, c := range w.feeds[i] {
		for k := range w.lines[c] {
			at := w.onLine(c, k)
			x.a[at] += f[c].a[k]
			x.single[at] += f[c].single[k]
		}
	}
	x.gives = slices.Max(x.a[:])
	if n.Role == Supply || w.passive[i] {
		x.pin = 0
		for k := range w.lines[i] {
			x.pin += x.a[k] * x.v[k]
		}
		return
	}
	if x.pin = draws[i]; n.Role == Converter {
		x.pin = x.out * x.gives / n.comesOut()
	}
	x.a, x.single = [3]float64{}, [3]float64{}
	for k := range w.lines[i] {
		x.a[k] = x.pin / float64(w.lines[i]) / x.v[k]
		if w.lines[i] == 1 {
			x.single[k] = x.a[k]
		}
	}
}

// lowest is the node that has least of what it is fed with.
func (w *Wiring) lowest(of []int, f []flow) int {
	at, least := of[0], math.Inf(1)
	for _, i := range of[1:] {
		if share := slices.Min(f[i].v[:w.lines[i]]) / w.Nodes[w.from[i]].Volts; share < least {
			at, least = i, share
		}
	}
	return at
}

// load is every node of one supply with so many watts drawn at each device.
func (w *Wiring) load(root int, draws []float64, p []NodeLoad) {
	f := make([]flow, len(w.Nodes))
	node, ok := w.solve(root, draws, f)
	for _, i := range w.below[root] {
		x, lines := &f[i], w.lines[i]
		if !ok {
			p[i] = NodeLoad{W: draws[i], Failing: i == node}
			continue
		}
		p[i] = NodeLoad{W: x.pin, A: slices.Max(x.a[:lines]), V: slices.Min(x.v[:lines]), GivesA: x.gives,
			Settles: true}
		if lines == 3 {
			p[i].LineA = append([]float64(nil), x.a[:]...)
		}
		switch w.Nodes[i].Role {
		case Supply:
			p[i].Out, p[i].GivesW = w.Nodes[i].Volts, x.pin
		case Converter:
			if p[i].Out = x.out; w.passive[i] {
				p[i].GivesW = x.pin
			} else {
				p[i].GivesW = x.out * x.gives
			}
		}
	}
}

// fault is the most that a short at a node's plug would draw over the cables to it, of a supply that
// does not sag, or 0 where nothing bounds it or a converter stands before it.
func (w *Wiring) fault(i int) float64 {
	ohms := 0.0
	for j := i; w.from[j] >= 0; j = w.from[j] {
		if k := w.from[j]; w.Nodes[k].Role == Converter && !w.passive[k] {
			return 0
		}
		ohms += Ohms(w.Nodes[j].CableM, w.Nodes[j].SectionMM2, CopperCold)
	}
	if ohms == 0 {
		return 0
	}
	return w.Nodes[w.root(i)].Volts / ohms
}

// apart says a number with as many digits as tell it from another one.
func apart(has, from float64) string {
	for digits := 1; digits <= 3; digits++ {
		if s := fmt.Sprintf("%.*f", digits, has); s != fmt.Sprintf("%.*f", digits, from) {
			return s
		}
	}
	if has < from {
		return fmt.Sprintf("just under %g", from)
	}
	return fmt.Sprintf("just over %g", from)
}
