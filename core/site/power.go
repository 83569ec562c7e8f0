package site

import (
	"fmt"
	"math"
	"slices"

	"keenarc/core/mistake"
)

// Copper is its resistivity in Ω·mm²/m, warm.
const Copper = 0.0175

// DropV is what a cable loses at so many amperes, out and back: 2ρLI/A.
func DropV(lengthM, sectionMM2, amps, resistivity float64) float64 {
	if lengthM == 0 {
		return 0
	}
	return 2 * resistivity * lengthM * amps / sectionMM2
}

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

	// Cable is what it hangs on; no length: plugged in directly.
	CableM     float64 `json:"cable_m,omitempty"`
	SectionMM2 float64 `json:"section_mm2,omitempty"`
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
	// share of the rated one. Others draw what they are rated.
	Axis string `json:"axis,omitempty"`
}

// Wiring is all nodes, and how fast each axis may run at most, as a share of rated.
type Wiring struct {
	Nodes []PowerNode
	Cap   map[string]float64

	feeds [][]int // what hangs on a node
	from  []int
	order []int // each after what feeds it
}

// NodeLoad is a node under a load: what it takes, and the volts that are left there.
type NodeLoad struct {
	W float64 `json:"w"`
	A float64 `json:"a"`
	// V is at its plug; of a supply, what it gives. Out is what a converter or supply
	// gives on.
	V   float64 `json:"v"`
	Out float64 `json:"out,omitempty"`
}

// PowerFault is a rule that a load breaks, at a node.
type PowerFault struct {
	Node string `json:"node"`
	What string `json:"what" enum:"volts,breaker,watts,headroom"`
	Says string `json:"says"`
}

const mostNodes = 200

// NewWiring checks nodes: each fed by one that feeds, with volts, cables with a section.
func NewWiring(nodes []PowerNode, most map[string]float64) (*Wiring, error) {
	w := &Wiring{Nodes: nodes, Cap: most, feeds: make([][]int, len(nodes)), from: make([]int, len(nodes))}
	if len(nodes) > mostNodes {
		return nil, mistake.In("nodes", fmt.Sprintf("give at most %d", mostNodes), "there are %d", len(nodes))
	}
	at := map[string]int{}
	for i, n := range nodes {
		if _, twice := at[n.ID]; n.ID == "" || twice {
			return nil, mistake.In(fmt.Sprintf("nodes[%d].id", i), "give it a name of its own", "%q is empty or there twice", n.ID)
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
			return nil, mistake.In(fmt.Sprintf("nodes[%d].from", i), "name a supply or a converter", "%s hangs on %q, which feeds nothing", n.Name, n.From)
		}
		w.from[i] = j
		w.feeds[j] = append(w.feeds[j], i)
	}
	for k := 0; k < len(w.order); k++ {
		w.order = append(w.order, w.feeds[w.order[k]]...)
	}
	if len(w.order) < len(nodes) {
		i := slices.IndexFunc(nodes, func(n PowerNode) bool { return !slices.Contains(w.order, at[n.ID]) })
		return nil, mistake.In(fmt.Sprintf("nodes[%d].from", i), "let one of them hang on a supply", "%s feeds itself over what it feeds", nodes[i].Name)
	}
	return w, nil
}

func (n *PowerNode) check(field string) error {
	for _, of := range []struct {
		name string
		v    float64
	}{{"breaker_a", n.BreakerA}, {"most_w", n.MostW}, {"battery_wh", n.BatteryWh}, {"headroom_v", n.HeadroomV},
		{"cable_m", n.CableM}, {"section_mm2", n.SectionMM2}, {"standby_w", n.StandbyW}, {"rated_w", n.RatedW}, {"peak_w", n.PeakW}, {"start_w", n.StartW},
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
	case n.CableM > 0 && n.SectionMM2 == 0:
		return mistake.In(field+".section_mm2", "give its copper in square millimetres", "the cable of %s has no section", n.Name)
	case !(n.Reserve >= 0 && n.Reserve < 1):
		return mistake.In(field+".reserve", "give a share from 0 to under 1", "%s keeps %g in reserve", n.Name, n.Reserve)
	case n.Efficiency != 0 && !(n.Efficiency > 0 && n.Efficiency <= 1):
		return mistake.In(field+".efficiency", "give a share above 0, up to 1", "of %s %g comes out", n.Name, n.Efficiency)
	case n.PeakW > 0 && n.PeakW < n.StandbyW:
		return mistake.In(field+".peak_w", "give at least what it draws at rest", "%s peaks at %g W and rests at %g", n.Name, n.PeakW, n.StandbyW)
	case n.TakesV[1] > 0 && n.TakesV[1] < n.TakesV[0]:
		return mistake.In(field+".takes_v", "give the lowest and then the highest volts", "%s takes %g to %g V", n.Name, n.TakesV[0], n.TakesV[1])
	}
	return nil
}

// At is every node with all axes at a share of their rated speeds, none above its cap:
// watts and amperes from the ends, at the volts that each is fed with by name, then the
// volts that are left from the supplies. Each phase is a supply of its own.
func (w *Wiring) At(share float64) []NodeLoad {
	return w.under(func(n *PowerNode) float64 {
		if n.Axis == "" {
			return n.RatedW
		}
		s := share
		if c, ok := w.Cap[n.Axis]; ok {
			s = min(s, c)
		}
		return n.StandbyW + (max(n.PeakW, n.StandbyW)-n.StandbyW)*s
	})
}

// Starting is every node while one device is switched on and the others rest; with no
// device all of them at once.
func (w *Wiring) Starting(device string) []NodeLoad {
	return w.under(func(n *PowerNode) float64 {
		if device == "" || n.ID == device {
			return max(n.StartW, n.StandbyW)
		}
		return n.StandbyW
	})
}

func (w *Wiring) under(draws func(*PowerNode) float64) []NodeLoad {
	p := make([]NodeLoad, len(w.Nodes))
	for k := len(w.order) - 1; k >= 0; k-- {
		i := w.order[k]
		n := &w.Nodes[i]
		if n.Role == Device {
			p[i].W = draws(n)
		} else {
			for _, j := range w.feeds[i] {
				p[i].W += p[j].W
			}
			if n.Efficiency > 0 {
				p[i].W /= n.Efficiency
			}
		}
		if j := w.from[i]; j >= 0 {
			p[i].A = p[i].W / w.Nodes[j].Volts
		} else {
			p[i].A = p[i].W / n.Volts
		}
	}
	for _, i := range w.order {
		n := &w.Nodes[i]
		if j := w.from[i]; j >= 0 {
			p[i].V = p[j].Out - DropV(n.CableM, n.SectionMM2, p[i].A, Copper)
		} else {
			p[i].V = n.Volts
		}
		switch {
		case n.Role == Supply:
			p[i].Out = n.Volts
		case n.Role == Converter && n.HeadroomV > 0: // what is not there cannot be regulated
			p[i].Out = max(min(n.Volts, p[i].V-n.HeadroomV), 0)
		case n.Role == Converter:
			p[i].Out = n.Volts
		}
	}
	return p
}

// Faults are the rules that a load breaks, the supplies first.
func (w *Wiring) Faults(p []NodeLoad) []PowerFault {
	out := []PowerFault{}
	for _, i := range w.order {
		n := &w.Nodes[i]
		if n.BreakerA > 0 && w.given(i, p) > n.BreakerA*(1+1e-12) {
			out = append(out, PowerFault{n.ID, "breaker", fmt.Sprintf("%s gives %.1f A and its breaker holds %g", n.Name, w.given(i, p), n.BreakerA)})
		}
		if n.MostW > 0 && w.out(i, p) > n.MostW*(1+1e-12) {
			out = append(out, PowerFault{n.ID, "watts", fmt.Sprintf("%s gives %.0f W and is made for %g", n.Name, w.out(i, p), n.MostW)})
		}
		if n.Role == Converter && n.HeadroomV > 0 && p[i].V < n.Volts+n.HeadroomV {
			out = append(out, PowerFault{n.ID, "headroom", fmt.Sprintf("%s gets %.1f V and needs %.1f for its %g", n.Name, p[i].V, n.Volts+n.HeadroomV, n.Volts)})
		}
		if n.TakesV[0] > 0 && p[i].V < n.TakesV[0] {
			out = append(out, PowerFault{n.ID, "volts", fmt.Sprintf("%s gets %.1f V and needs %g", n.Name, p[i].V, n.TakesV[0])})
		}
	}
	return out
}

// out is what a node gives on, in watts; given, in amperes at its own volts.
func (w *Wiring) out(i int, p []NodeLoad) float64 {
	sum := 0.0
	for _, j := range w.feeds[i] {
		sum += p[j].W
	}
	return sum
}

func (w *Wiring) given(i int, p []NodeLoad) float64 {
	if w.Nodes[i].Role == Device {
		return p[i].A
	}
	return w.out(i, p) / w.Nodes[i].Volts
}

// First is the greatest share of the rated speeds that the wiring bears and what fails
// first above it. 1 and no fault: it bears all; below 0: it fails at rest already.
func (w *Wiring) First() (share float64, first *PowerFault) {
	if f := w.Faults(w.At(1)); len(f) == 0 {
		return 1, nil
	}
	if f := w.Faults(w.At(0)); len(f) > 0 {
		return -1, &f[0]
	}
	low, high := 0.0, 1.0
	for high-low > 1e-12 {
		if mid := (low + high) / 2; len(w.Faults(w.At(mid))) == 0 {
			low = mid
		} else {
			high = mid
		}
	}
	return low, &w.Faults(w.At(high))[0]
}

// Hours is how long a battery lasts at a load, to its reserve; infinite without a load,
// and NaN of what is no battery.
func (w *Wiring) Hours(i int, p []NodeLoad) float64 {
	n := &w.Nodes[i]
	if n.BatteryWh == 0 {
		return math.NaN()
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
		out = append(out, fmt.Sprintf("%s has a %s and %s a %s: bring a lead from one to the other", n.Name, n.Plug, s.Name, s.Socket))
	}
	if n.TakesDC != s.DC {
		out = append(out, fmt.Sprintf("%s takes %s and %s gives %s: do not join them", n.Name, kind[n.TakesDC], s.Name, kind[s.DC]))
	}
	if n.TakesV[1] > 0 && (s.Volts > n.TakesV[1] || s.Volts < n.TakesV[0]) {
		out = append(out, fmt.Sprintf("%s takes %g to %g V and %s gives %g: do not join them", n.Name, n.TakesV[0], n.TakesV[1], s.Name, s.Volts))
	}
	if n.TakesDC && s.DC && n.TakesCentre != "" && s.Centre != "" && n.TakesCentre != s.Centre {
		out = append(out, fmt.Sprintf("%s wants %s in the middle and %s has %s there: it would be poled the wrong way", n.Name, n.TakesCentre, s.Name, s.Centre))
	}
	return out
}
