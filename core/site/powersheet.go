package site

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// Power is a shot's wiring, and what is told to those who bring it.
type Power struct {
	Nodes []PowerNode `json:"nodes"`
	// Notes are what else the camera department is asked for: plates, sync, picture.
	Plates  string `json:"plates,omitempty" maxLength:"300"`
	Sync    string `json:"sync,omitempty" maxLength:"300"`
	Picture string `json:"picture,omitempty" maxLength:"300"`
}

// NodeSheet is one node under three loads.
type NodeSheet struct {
	ID string `json:"id"`
	// Rest is with all axes still, Now at the speeds that the line-up allows, Peak at
	// rated speed.
	Rest NodeLoad `json:"rest"`
	Now  NodeLoad `json:"now"`
	Peak NodeLoad `json:"peak"`
	// Share is how much of what it bears is taken now, of whichever is nearest.
	Share float64  `json:"share"`
	Joins []string `json:"joins"`
	Depth int      `json:"depth" doc:"how many nodes lie between it and its supply"`
	// StartA is the most that a supply gives while one device after another is switched
	// on, AllA if all are at once; Hours is how long a battery lasts.
	StartA float64  `json:"start_a,omitempty"`
	AllA   float64  `json:"all_a,omitempty"`
	Hours  *float64 `json:"hours,omitempty"`
}

// Lower is a working limit that the supply can bear.
type Lower struct {
	Axis  string  `json:"axis" doc:"with its machine"`
	From  float64 `json:"from"`
	To    float64 `json:"to"`
	Unit  string  `json:"unit"`
	Named string  `json:"named"`
}

// PowerSheet is what is said of a wiring.
type PowerSheet struct {
	Nodes  []NodeSheet  `json:"nodes"`
	Faults []PowerFault `json:"faults" doc:"as the line-up allows it to run"`
	OK     bool         `json:"ok"`
	Says   string       `json:"says"`
	More   []string     `json:"more"`
	// Share is up to which share of rated speed all axes together may run.
	Share float64 `json:"share"`
	Lower []Lower `json:"lower" doc:"working speeds that it would bear"`
	Needs []Need  `json:"needs"`
}

// Need is a line of what others are asked to bring.
type Need struct {
	What string `json:"what"`
	Says string `json:"says"`
}

// AxisSpeed is an axis with its machine, and how fast it may run.
type AxisSpeed struct {
	ID, Named, Unit string
	Working, Rated  float64
}

// Speeds are those of a shot's joined rig, with its line-ups.
func Speeds(r *rig.Rig) []AxisSpeed {
	out := make([]AxisSpeed, len(r.Axes))
	for i, a := range r.Axes {
		out[i] = AxisSpeed{a.ID, a.Name, a.Unit.Symbol() + "/s", a.Working.Speed, a.Rated.Speed}
	}
	return out
}

// holdShare is the share of its rated watts that a drive is taken to draw while it only
// holds, where nobody has measured it.
const holdShare = 0.2

// Propose is a wiring to begin with: one supply, a rack for each machine with its drives
// out of the rig book, and a supply for the camera. Everything in it is to be checked.
func Propose(machines []rig.Placed) *Power {
	p := &Power{Nodes: []PowerNode{{ID: "stage", Name: "Stage socket", Role: Supply, Volts: 230, BreakerA: 16, Socket: "16 A, blue"}},
		Plates: "camera with its plate, and everything that will hang on it, before balancing", Sync: "genlock or start pulse to the desk", Picture: "picture feed to the desk"}
	for _, m := range machines {
		rack := m.Name + "-rack"
		p.Nodes = append(p.Nodes, PowerNode{ID: rack, Name: m.Rig.Name + " rack", Role: Converter, From: "stage", Volts: 48, DC: true, Efficiency: 0.88, CableM: 20, SectionMM2: 2.5, Plug: "16 A, blue", TakesV: [2]float64{207, 253}})
		if b := m.Rig.Book; b != nil && b.RatedW > 0 {
			p.Nodes = append(p.Nodes, PowerNode{ID: m.Name + "-controller", Name: m.Rig.Name + " controller", Role: Device, From: rack, TakesDC: true, StandbyW: b.StandbyW, RatedW: b.RatedW, PeakW: b.PeakW, StartW: b.PeakW})
		}
		for _, a := range m.Rig.Axes {
			if d := a.Drive; d != nil && d.PeakW > 0 {
				p.Nodes = append(p.Nodes, PowerNode{ID: m.Name + "-" + a.ID, Name: a.Name, Role: Device, From: rack, TakesDC: true, StandbyW: math.Round(d.RatedW * holdShare), RatedW: d.RatedW, PeakW: d.PeakW, StartW: math.Round(d.RatedW * holdShare), Axis: m.Name + "/" + a.ID})
			}
		}
	}
	p.Nodes = append(p.Nodes,
		PowerNode{ID: "camera-supply", Name: "Camera supply", Role: Converter, From: "stage", Volts: 15, DC: true, Centre: "+", Socket: "4-pin", Efficiency: 0.85, BreakerA: 12, CableM: 10, SectionMM2: 1.5, Plug: "16 A, blue", TakesV: [2]float64{100, 253}},
		PowerNode{ID: "camera", Name: "Camera", Role: Device, From: "camera-supply", RatedW: 65, PeakW: 80, StartW: 80, StandbyW: 40, CableM: 8, SectionMM2: 1.5, Plug: "4-pin", TakesV: [2]float64{11, 17}, TakesDC: true, TakesCentre: "+"},
		PowerNode{ID: "monitor", Name: "Monitor", Role: Device, From: "camera-supply", RatedW: 22, PeakW: 25, StartW: 25, StandbyW: 2, CableM: 3, SectionMM2: 0.75, Plug: "4-pin", TakesV: [2]float64{11, 17}, TakesDC: true, TakesCentre: "+"})
	return p
}

// Sheet works out what is said of a wiring, for axes with these speeds.
func (p *Power) Sheet(axes []AxisSpeed) (*PowerSheet, error) {
	most := map[string]float64{}
	for _, a := range axes {
		most[a.ID] = min(a.Working/a.Rated, 1)
	}
	for i, n := range p.Nodes {
		if _, ok := most[n.Axis]; n.Axis != "" && !ok {
			return nil, mistake.In(fmt.Sprintf("nodes[%d].axis", i), "name an axis of this shot, or none", "%s drives %q, which is not there", n.Name, n.Axis)
		}
	}
	w, err := NewWiring(p.Nodes, most)
	if err != nil {
		return nil, err
	}
	free, err := NewWiring(p.Nodes, nil)
	if err != nil {
		return nil, err
	}
	v := &PowerSheet{Nodes: []NodeSheet{}, More: []string{}, Lower: []Lower{}, Needs: []Need{}}
	rest, now, peak := w.At(0), w.At(1), free.At(1)
	for i := range p.Nodes {
		x := NodeSheet{ID: p.Nodes[i].ID, Rest: rest[i], Now: now[i], Peak: peak[i], Share: w.share(i, now), Joins: w.Join(i)}
		if x.Joins == nil {
			x.Joins = []string{}
		}
		for j := w.from[i]; j >= 0; j = w.from[j] {
			x.Depth++
		}
		if p.Nodes[i].Role == Supply {
			x.AllA = w.Starting("")[i].A
			for k, n := range p.Nodes {
				if n.Role == Device && w.root(k) == i {
					x.StartA = max(x.StartA, w.Starting(n.ID)[i].A)
				}
			}
			if h := w.Hours(i, now); !math.IsNaN(h) && !math.IsInf(h, 0) {
				x.Hours = &h
			}
		}
		v.Nodes = append(v.Nodes, x)
		v.More = append(v.More, x.Joins...)
	}
	v.Faults = w.Faults(now)
	var first *PowerFault
	v.Share, first = free.First()
	v.OK = len(v.Faults) == 0 && len(v.More) == 0
	v.sentence(w, axes, first)
	v.starts(w)
	v.needs(p, w, now)
	return v, nil
}

// root is the supply that a node hangs on.
func (w *Wiring) root(i int) int {
	for w.from[i] >= 0 {
		i = w.from[i]
	}
	return i
}

// share is how much of what a node bears is taken, of breaker, watts, volts or headroom,
// whichever is nearest; 0 where nothing of it is known.
func (w *Wiring) share(i int, p []NodeLoad) float64 {
	n, s := &w.Nodes[i], 0.0
	if n.BreakerA > 0 {
		s = max(s, w.given(i, p)/n.BreakerA)
	}
	if n.MostW > 0 {
		s = max(s, w.out(i, p)/n.MostW)
	}
	if j := w.from[i]; j >= 0 {
		volts := func(least float64) {
			if room := w.Nodes[j].Volts - least; room > 0 {
				s = max(s, (w.Nodes[j].Volts-p[i].V)/room)
			} else if p[i].V < least {
				s = max(s, 2)
			}
		}
		if n.TakesV[0] > 0 {
			volts(n.TakesV[0])
		}
		if n.HeadroomV > 0 {
			volts(n.Volts + n.HeadroomV)
		}
	}
	return s
}

func (v *PowerSheet) sentence(w *Wiring, axes []AxisSpeed, first *PowerFault) {
	worst, at := 0.0, -1
	for i := range v.Nodes {
		if v.Nodes[i].Share > worst {
			worst, at = v.Nodes[i].Share, i
		}
	}
	percent := func(s float64) float64 { return math.Floor(s*100 + 1e-9) }
	switch {
	case len(w.Nodes) == 0:
		v.Says = "Nothing is wired yet."
	case len(v.More) > 0: // a join that must not be made comes before any sum
		v.Says = fmt.Sprintf("Not as it is: %s.", v.More[0])
	case v.Share < 0:
		v.Says = fmt.Sprintf("It does not bear standing still: %s.", first.Says)
	case len(v.Faults) > 0:
		v.Says = fmt.Sprintf("Above %.0f %% of rated speed, all axes at once, it fails: %s.", percent(v.Share), first.Says)
	case first != nil:
		v.Says = fmt.Sprintf("It bears the speeds of the line-up. Above %.0f %% of rated speed it would fail: %s.", percent(v.Share), first.Says)
	case at >= 0:
		v.Says = fmt.Sprintf("It bears everything at once. Nearest: %s, at %.0f %% of what it bears.", w.Nodes[at].Name, 100*worst)
	default:
		v.Says = "It bears everything that is known of it."
	}
	if first == nil || v.Share < 0 {
		return
	}
	// What hangs on the supply of what fails is slowed down, all alike.
	root := w.root(slices.IndexFunc(w.Nodes, func(n PowerNode) bool { return n.ID == first.Node }))
	for i, n := range w.Nodes {
		k := slices.IndexFunc(axes, func(a AxisSpeed) bool { return a.ID == n.Axis })
		if n.Axis == "" || w.root(i) != root || k < 0 {
			continue
		}
		if a := axes[k]; a.Working > a.Rated*v.Share {
			v.Lower = append(v.Lower, Lower{a.ID, a.Working, math.Floor(a.Rated*v.Share*100) / 100, a.Unit, a.Named})
		}
	}
}

// starts says what switching on asks for.
func (v *PowerSheet) starts(w *Wiring) {
	for i, n := range w.Nodes {
		x := &v.Nodes[i]
		if n.Role != Supply {
			continue
		}
		switch {
		case n.BreakerA > 0 && x.StartA > n.BreakerA:
			v.More = append(v.More, fmt.Sprintf("%s: switching on the heaviest alone takes %.1f A and the breaker holds %g.", n.Name, x.StartA, n.BreakerA))
			v.OK = false
		case n.BreakerA > 0 && x.AllA > n.BreakerA:
			v.More = append(v.More, fmt.Sprintf("%s: switch on one after another. All at once take %.1f A and the breaker holds %g.", n.Name, x.AllA, n.BreakerA))
		}
		if x.Hours != nil {
			v.More = append(v.More, fmt.Sprintf("%s lasts %.1f hours like this, with %.0f %% left.", n.Name, *x.Hours, 100*n.Reserve))
		}
	}
}

// needs is what others are asked to bring: plugs, leads, current, and what else was
// written.
func (v *PowerSheet) needs(p *Power, w *Wiring, now []NodeLoad) {
	for i, n := range w.Nodes {
		j := w.from[i]
		if j < 0 {
			var takes []string
			for _, k := range w.feeds[i] {
				takes = append(takes, w.Nodes[k].Name)
			}
			kind := "AC"
			if n.DC {
				kind = "DC"
			}
			says := fmt.Sprintf("%g V %s, %.1f A at the most", n.Volts, kind, now[i].A)
			if n.BreakerA > 0 {
				says += fmt.Sprintf(" behind a breaker of %g A", n.BreakerA)
			}
			if n.Socket != "" {
				says += ", socket: " + n.Socket
			}
			v.Needs = append(v.Needs, Need{n.Name, says + "; feeds " + strings.Join(takes, ", ")})
			continue
		}
		if n.CableM == 0 {
			continue
		}
		says := fmt.Sprintf("%g m of %g mm² from %s, %.1f A", n.CableM, n.SectionMM2, w.Nodes[j].Name, now[i].A)
		if n.Plug != "" {
			says += ", plug: " + n.Plug
		}
		if n.TakesV[1] > 0 {
			says += fmt.Sprintf(", %g to %g V", n.TakesV[0], n.TakesV[1])
		}
		if n.TakesCentre != "" {
			says += ", " + n.TakesCentre + " in the middle"
		}
		v.Needs = append(v.Needs, Need{n.Name, says})
	}
	for _, x := range [][2]string{{"Plates", p.Plates}, {"Sync", p.Sync}, {"Picture", p.Picture}} {
		if x[1] != "" {
			v.Needs = append(v.Needs, Need{x[0], x[1]})
		}
	}
}
