package site

import (
	"fmt"
	"math"
	"slices"

	"keenarc/core/mistake"
)

// Role is what a node of the wiring is.
type Role string

// A supply feeds, a converter takes in and feeds at another voltage, a device only takes.
const (
	Supply    Role = "supply"
	Converter Role = "converter"
	Device    Role = "device"
)

// PowerNode is one thing on the wiring. From is what feeds it; a supply has none.
type PowerNode struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Role Role   `json:"role" enum:"supply,converter,device"`
	From string `json:"from,omitempty"`

	// Volts and DC are what it gives (supplies, converters). BreakerA and MostW bound it.
	Volts    float64 `json:"volts,omitempty"`
	DC       bool    `json:"dc,omitempty"`
	BreakerA float64 `json:"breaker_a,omitempty"`
	MostW    float64 `json:"most_w,omitempty"`
	// BatteryWh is what a battery holds; Reserve is the share that stays in it.
	BatteryWh float64 `json:"battery_wh,omitempty"`
	Reserve   float64 `json:"reserve,omitempty"`
	// Socket is the connector that it gives by, and Centre how a DC one is poled: + or −.
	Socket string `json:"socket,omitempty"`
	Centre string `json:"centre,omitempty" enum:"+,-,"`
	// HeadroomV is by how much what a converter takes must be over what it gives (a
	// regulator); Efficiency is its share of watts that comes out (1 when left out).
	HeadroomV  float64 `json:"headroom_v,omitempty"`
	Efficiency float64 `json:"efficiency,omitempty"`

	// Cable is what it hangs on; no length: plugged in directly. CableA is what it carries, where that
	// is known better than by its section.
	CableM     float64 `json:"cable_m,omitempty"`
	SectionMM2 float64 `json:"section_mm2,omitempty"`
	CableA     float64 `json:"cable_a,omitempty"`
	// Lines are a supply's: 3 of three phases, Volts being from a line to neutral and BreakerA of each
	// line; 1 when left out. Line is the one that a node hangs on; left out where there are three: all.
	Lines int `json:"lines,omitempty"`
	Line  int `json:"line,omitempty"`
	// What it takes: connector, volts, kind of current, and how it is poled.
	Plug        string     `json:"plug,omitempty"`
	TakesV      [2]float64 `json:"takes_v,omitempty"`
	TakesDC     bool       `json:"takes_dc,omitempty"`
	TakesCentre string     `json:"takes_centre,omitempty" enum:"+,-,"`

	// What a device draws: at rest, as rated, at its peak, and while it is switched on.
	StandbyW float64 `json:"standby_w,omitempty"`
	RatedW   float64 `json:"rated_w,omitempty"`
	PeakW    float64 `json:"peak_w,omitempty"`
	StartW   float64 `json:"start_w,omitempty"`
	// Axis is the one that it drives: it draws standby + (peak − standby) × its speed's
	// share of the rated one. Others draw their peak at any time, or as rated where that is all that is known.
	Axis string `json:"axis,omitempty"`
}

// Wiring is all nodes, and how fast each axis may run at most, as a share of rated.
type Wiring struct {
	Nodes []PowerNode
	Cap   map[string]float64

	feeds   [][]int // what hangs on a node
	from    []int
	order   []int // each after what feeds it
	lines   []int // how many each takes: 1 or 3
	passive []bool
	below   map[int][]int // a supply and all that hangs on it, each after what feeds it
}

// NodeLoad is a node under a load: what it takes, and the volts that are left there. Where no voltage
// settles there are no volts and amperes, and Failing is the node at which it fails.
type NodeLoad struct {
	W float64 `json:"w"`
	A float64 `json:"a" doc:"of three lines, the most"`
	// V is at its plug; of a supply, what it gives. Out is what a converter or supply
	// gives on.
	V   float64 `json:"v" doc:"of three lines, the least"`
	Out float64 `json:"out,omitempty"`
	// GivesA and GivesW are what goes on from it, of three lines the most of each.
	GivesA  float64   `json:"gives_a,omitempty"`
	GivesW  float64   `json:"gives_w,omitempty"`
	LineA   []float64 `json:"line_a,omitempty"`
	Settles bool      `json:"settles"`
	Failing bool      `json:"failing,omitempty"`
}

// PowerFault is a rule that a load breaks, at a node.
type PowerFault struct {
	Node string `json:"node"`
	What string `json:"what" enum:"volts,breaker,watts,headroom,cable,settles"`
	Says string `json:"says"`
}

const mostNodes = 200

// NewWiring checks nodes: each fed by one that feeds, with volts, cables with a section.
func NewWiring(nodes []PowerNode, most map[string]float64) (*Wiring, error) {
	w := &Wiring{Nodes: nodes, Cap: most, feeds: make([][]int, len(nodes)), from: make([]int, len(nodes)),
		lines: make([]int, len(nodes)), passive: make([]bool, len(nodes)), below: map[int][]int{}}
	if len(nodes) > mostNodes {
		return nil, mistake.In("nodes", fmt.Sprintf("give at most %d", mostNodes), "there are %d", len(nodes))
	}
	at := map[string]int{}
	for i, n := range nodes {
		if _, twice := at[n.ID]; n.ID == "" || twice {
			return nil, mistake.In(fmt.Sprintf("nodes[%d].id", i), "give it a name of its own",
				"%q is empty or there twice", n.ID)
		}
		at[n.ID] = i
		if err := n.check(fmt.Sprintf("nodes[%d]", i)); err != nil {
			return nil, err
		}
	}
	for i, n := range nodes {
		if w.from[i] = -1; n.Role == Supply {
			w.order = append(w.order, i)
			continue
		}
		j, ok := at[n.From]
		if !ok || nodes[j].Role == Device {
			return nil, mistake.In(fmt.Sprintf("nodes[%d].from", i), "name a supply or a converter",
				"%s hangs on %q, which feeds nothing", n.Name, n.From)
		}
		w.from[i] = j
		w.feeds[j] = append(w.feeds[j], i)
	}
	for k := 0; k < len(w.order); k++ {
		w.order = append(w.order, w.feeds[w.order[k]]...)
	}
	if len(w.order) < len(nodes) {
		i := slices.IndexFunc(nodes, func(n PowerNode) bool { return !slices.Contains(w.order, at[n.ID]) })
		return nil, mistake.In(fmt.Sprintf("nodes[%d].from", i), "let one of them hang on a supply",
			"%s feeds itself over what it feeds", nodes[i].Name)
	}
	return w, w.lay()
}

// lay says of each node on how many lines it hangs, and whether it only passes on.
func (w *Wiring) lay() error {
	given := make([]int, len(w.Nodes))
	for _, i := range w.order {
		n, j := &w.Nodes[i], w.from[i]
		if j < 0 {
			w.lines[i] = max(n.Lines, 1)
			given[i] = w.lines[i]
			w.below[i] = []int{i}
			continue
		}
		root := w.root(i)
		w.below[root] = append(w.below[root], i)
		feeder := &w.Nodes[j]
		w.lines[i] = given[j]
		if n.Line > 0 {
			if given[j] != 3 {
				return mistake.In(fmt.Sprintf("nodes[%d].line", i), "leave the line out",
					"%s hangs on line %d, and %s has one", n.Name, n.Line, feeder.Name)
			}
			w.lines[i] = 1
		}
		w.passive[i] = n.Role == Converter && n.HeadroomV == 0 && n.Efficiency == 0 && n.Volts == feeder.Volts &&
			n.DC == feeder.DC
		if given[i] = 1; w.passive[i] {
			given[i] = w.lines[i]
		}
	}
	return nil
}

func (n *PowerNode) check(field string) error {
	for _, of := range []struct {
		name string
		v    float64
	}{{"breaker_a", n.BreakerA}, {"most_w", n.MostW}, {"battery_wh", n.BatteryWh}, {"headroom_v", n.HeadroomV},
		{"cable_m", n.CableM}, {"section_mm2", n.SectionMM2}, {"cable_a", n.CableA}, {"standby_w", n.StandbyW},
		{"rated_w", n.RatedW}, {"peak_w", n.PeakW}, {"start_w", n.StartW},
		{"takes_v[0]", n.TakesV[0]}, {"takes_v[1]", n.TakesV[1]}, {"volts", n.Volts}} {
		what, v := of.name, of.v
		if !(v >= 0 && v <= 1e7) {
			return mistake.In(field+"."+what, "give 0 or more", "%s has %g", n.Name, v)
		}
	}
	switch {
	case n.Role != Supply && n.Role != Converter && n.Role != Device:
		return mistake.In(field+".role", "say supply, converter or device", "%s is a %q", n.Name, n.Role)
	case n.Role != Device && n.Volts == 0:
		return mistake.In(field+".volts", "give the volts that it is made for", "%s has no volts", n.Name)
	case n.Lines != 0 && n.Lines != 1 && n.Lines != 3 || n.Lines != 0 && n.Role != Supply:
		return mistake.In(field+".lines", "give a supply 1 line or 3", "%s has %d", n.Name, n.Lines)
	case n.Line < 0 || n.Line > 3 || n.Line > 0 && n.Role == Supply:
		return mistake.In(field+".line", "give the line that it hangs on, 1 to 3, or leave it out",
			"%s hangs on line %d", n.Name, n.Line)
	case n.CableM > 0 && n.SectionMM2 == 0:
		return mistake.In(field+".section_mm2", "give its copper in square millimetres",
			"the cable of %s has no section", n.Name)
	case !(n.Reserve >= 0 && n.Reserve < 1):
		return mistake.In(field+".reserve", "give a share from 0 to under 1", "%s keeps %g in reserve",
			n.Name, n.Reserve)
	case n.Efficiency != 0 && !(n.Efficiency > 0 && n.Efficiency <= 1):
		return mistake.In(field+".efficiency", "give a share above 0, up to 1", "of %s %g comes out", n.Name,
			n.Efficiency)
	case n.PeakW > 0 && n.PeakW < n.StandbyW:
		return mistake.In(field+".peak_w", "give at least what it draws at rest", "%s peaks at %g W and rests at %g",
			n.Name, n.PeakW, n.StandbyW)
	case n.TakesV[1] > 0 && n.TakesV[1] < n.TakesV[0]:
		return mistake.In(field+".takes_v", "give the lowest and then the highest volts", "%s takes %g to %g V", n.Name,
			n.TakesV[0], n.TakesV[1])
	}
	return nil
}

// mostOf is the most that a device draws once it is on.
func (n *PowerNode) mostOf() float64 { return max(n.PeakW, n.RatedW, n.StandbyW) }

// restOf is what a device draws while its axis stands still; others are as busy then as ever.
func (n *PowerNode) restOf() float64 {
	switch {
	case n.Axis == "":
		return n.mostOf()
	case n.StandbyW > 0:
		return n.StandbyW
	case n.RatedW > 0:
		return n.RatedW
	}
	return n.PeakW
}

// comesOut is the share of a converter's watts that comes out, or what is assumed of it.
func (n *PowerNode) comesOut() float64 {
	if n.Efficiency > 0 {
		return n.Efficiency
	}
	return assumedOut
}

// What is assumed where nobody typed it: what comes out of a converter, and by how much of what it is
// fed with a device may get less.
const (
	assumedOut  = 0.8
	assumedDrop = 0.05
)

// At is every node with all axes at a share of their rated speeds, none above its cap, where volts
// and amperes settle with copper in service.
func (w *Wiring) At(share float64) []NodeLoad { return w.under(w.at(share)) }

func (w *Wiring) at(share float64) []float64 {
	return w.each(func(n *PowerNode) float64 {
		if n.Axis == "" {
			return n.mostOf()
		}
		s := share
		if c, ok := w.Cap[n.Axis]; ok {
			s = min(s, c)
		}
		return n.restOf() + (n.mostOf()-n.restOf())*s
	})
}

// Starting is every node while one device is switched on and the others are on and rest; with no
// device all of them are switched on at once.
func (w *Wiring) Starting(device string) []NodeLoad {
	return w.under(w.each(func(n *PowerNode) float64 {
		switch {
		case device != "" && n.ID != device:
			return n.restOf()
		case n.StartW > 0:
			return max(n.StartW, n.restOf())
		}
		return n.mostOf()
	}))
}

func (w *Wiring) each(draws func(*PowerNode) float64) []float64 {
	out := make([]float64, len(w.Nodes))
	for i := range w.Nodes {
		if n := &w.Nodes[i]; n.Role == Device {
			out[i] = draws(n)
		}
	}
	return out
}

func (w *Wiring) under(draws []float64) []NodeLoad {
	p := make([]NodeLoad, len(w.Nodes))
	for root := range w.below {
		w.load(root, draws, p)
	}
	return p
}

// roots are the supplies, in the nodes' order.
func (w *Wiring) roots() []int {
	var out []int
	for i, j := range w.from {
		if j < 0 {
			out = append(out, i)
		}
	}
	return out
}

// root is the supply that a node hangs on.
func (w *Wiring) root(i int) int {
	for w.from[i] >= 0 {
		i = w.from[i]
	}
	return i
}

// Faults are the rules that a load breaks, the supplies first.
func (w *Wiring) Faults(p []NodeLoad) []PowerFault {
	out := []PowerFault{}
	for _, i := range w.order {
		out = append(out, w.faults(i, p)...)
	}
	return out
}

const hair = 1 + 1e-9

func (w *Wiring) faults(i int, p []NodeLoad) (out []PowerFault) {
	n, x := &w.Nodes[i], &p[i]
	add := func(what, says string, a ...any) { out = append(out, PowerFault{n.ID, what, fmt.Sprintf(says, a...)}) }
	if !x.Settles {
		if x.Failing {
			add("settles", "the voltage at %s collapses: the more it draws the fewer volts are left, and they "+
				"settle nowhere", n.Name)
		}
		return out
	}
	if n.BreakerA > 0 && n.Role != Device && x.GivesA > n.BreakerA*hair {
		add("breaker", "%s gives %s A and its breaker holds %g", n.Name, apart(x.GivesA, n.BreakerA), n.BreakerA)
	}
	if n.BreakerA > 0 && n.Role == Device && x.A > n.BreakerA*hair {
		add("breaker", "%s draws %s A and its breaker holds %g", n.Name, apart(x.A, n.BreakerA), n.BreakerA)
	}
	if n.MostW > 0 && n.Role != Device && x.GivesW > n.MostW*hair {
		add("watts", "%s gives %s W and is made for %g", n.Name, whole(x.GivesW, n.MostW), n.MostW)
	}
	if n.CableM > 0 {
		if most, known := n.Carries(); known && x.A > most*hair {
			add("cable", "the cable to %s carries %s A, and %s are good for %g", n.Name, apart(x.A, most),
				n.copper(), most)
		}
	}
	j := w.from[i]
	if j < 0 {
		return out
	}
	if n.Role == Converter && n.HeadroomV > 0 && x.V*hair < n.Volts+n.HeadroomV {
		add("headroom", "%s gets %s V and needs %g for its %g", n.Name, apart(x.V, n.Volts+n.HeadroomV),
			n.Volts+n.HeadroomV, n.Volts)
	}
	switch fed := w.Nodes[j].Volts; {
	case n.TakesV[0] > 0 && w.volts(i, x.V)*hair < n.TakesV[0]:
		add("volts", "%s gets %s V and needs %g", n.Name, apart(w.volts(i, x.V), n.TakesV[0]), n.TakesV[0])
	case n.TakesV[0] == 0 && n.HeadroomV == 0 && !w.passive[i] && x.V*hair < fed*(1-assumedDrop):
		add("volts", "%s gets %.1f V of %g, and the least that it takes is not typed", n.Name, x.V, fed)
	}
	return out
}

// copper says a cable's cores.
func (n *PowerNode) copper() string {
	if n.CableA > 0 {
		return "it says that its cores"
	}
	return fmt.Sprintf("cores of %g mm²", n.SectionMM2)
}

// whole is under, with no digits where they are not needed.
func whole(has, most float64) string {
	if s, t := fmt.Sprintf("%.0f", has), fmt.Sprintf("%.0f", most); s != t {
		return s
	}
	return apart(has, most)
}

// volts are those that a node's range is held against: between two lines where it hangs on three of
// them and its range is meant so.
func (w *Wiring) volts(i int, v float64) float64 {
	n := &w.Nodes[i]
	if w.from[i] >= 0 && w.lines[i] == 3 && max(n.TakesV[0], n.TakesV[1]) > 1.3*w.Nodes[w.from[i]].Volts {
		return v * math.Sqrt(3)
	}
	return v
}

// First is the greatest share of the rated speeds that the wiring bears and what fails
// first above it. 1 and no fault: it bears all; below 0: it fails at rest already.
func (w *Wiring) First() (share float64, first *PowerFault) {
	share = 1
	for _, root := range w.roots() {
		if s, f := w.FirstOf(root); f != nil && (first == nil || s < share) {
			share, first = s, f
		}
	}
	return share, first
}

// FirstOf is the same of one supply and what hangs on it.
func (w *Wiring) FirstOf(root int) (share float64, first *PowerFault) {
	p := make([]NodeLoad, len(w.Nodes))
	fails := func(share float64) *PowerFault {
		w.load(root, w.at(share), p)
		for _, i := range w.below[root] {
			if f := w.faults(i, p); len(f) > 0 {
				return &f[0]
			}
		}
		return nil
	}
	if fails(1) == nil {
		return 1, nil
	}
	if f := fails(0); f != nil {
		return -1, f
	}
	low, high := 0.0, 1.0
	for high-low > 1e-12 {
		mid := (low + high) / 2
		if f := fails(mid); f == nil {
			low = mid
		} else {
			high, first = mid, f
		}
	}
	if first == nil {
		first = fails(high)
	}
	return low, first
}

// Hours is how long a battery lasts at a load, to its reserve; infinite without a load,
// and NaN of what is no battery.
func (w *Wiring) Hours(i int, p []NodeLoad) float64 {
	n := &w.Nodes[i]
	if n.BatteryWh == 0 {
		return math.NaN()
	}
	if !p[i].Settles {
		return 0
	}
	return n.BatteryWh * (1 - n.Reserve) / p[i].W
}

// Join is whether a node may be plugged into what feeds it: connector, volts, kind of
// current and poling. Empty: yes.
func (w *Wiring) Join(i int) []string {
	var out []string
	if w.from[i] < 0 {
		return nil
	}
	n, s := &w.Nodes[i], &w.Nodes[w.from[i]]
	kind := map[bool]string{true: "DC", false: "AC"}
	if n.Plug != "" && s.Socket != "" && n.Plug != s.Socket {
		out = append(out, fmt.Sprintf("%s has a %s and %s a %s: bring a lead from one to the other", n.Name, n.Plug,
			s.Name, s.Socket))
	}
	if n.TakesDC != s.DC {
		out = append(out, fmt.Sprintf("%s takes %s and %s gives %s: do not join them", n.Name, kind[n.TakesDC], s.Name,
			kind[s.DC]))
	}
	if v := w.volts(i, s.Volts); n.TakesV[1] > 0 && v > n.TakesV[1] || n.TakesV[0] > 0 && v < n.TakesV[0] {
		out = append(out, fmt.Sprintf("%s takes %s and %s gives %.4g: do not join them", n.Name, n.takes(), s.Name, v))
	}
	if n.TakesDC && s.DC && n.TakesCentre != "" && s.Centre != "" && n.TakesCentre != s.Centre {
		out = append(out, fmt.Sprintf("%s wants %s in the middle and %s has %s there: reversed polarity", n.Name,
			n.TakesCentre, s.Name, s.Centre))
	}
	return out
}

// takes says a range of volts of which one end or both were typed.
func (n *PowerNode) takes() string {
	switch {
	case n.TakesV[1] == 0:
		return fmt.Sprintf("%g V or more", n.TakesV[0])
	case n.TakesV[0] == 0:
		return fmt.Sprintf("at most %g V", n.TakesV[1])
	}
	return fmt.Sprintf("%g to %g V", n.TakesV[0], n.TakesV[1])
}
