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
	// MostA is the most that it takes, with the speeds of the line-up or while something is switched
	// on; CarriesA what its cable carries; FaultA what a short at its plug draws at the most.
	MostA    float64 `json:"most_a"`
	Nowhere  bool    `json:"nowhere,omitempty" doc:"in one of these its supply settles nowhere: what it takes at the most is not known"`
	CarriesA float64 `json:"carries_a,omitempty"`
	FaultA   float64 `json:"fault_a,omitempty"`
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
	// Unknown is what is not typed and would be needed for a yes; On what a yes rests on.
	Unknown []string `json:"unknown"`
	On      string   `json:"on,omitempty"`
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
	p := &Power{Nodes: []PowerNode{{ID: "stage", Name: "Stage socket", Role: Supply, Volts: 230, BreakerA: 16,
		Socket: "16 A, blue"}},
		Plates: "camera with its plate, and everything that will hang on it, before balancing",
		Sync:   "genlock or start pulse to the desk", Picture: "picture feed to the desk"}
	for _, m := range machines {
		rack := m.Name + "-rack"
		p.Nodes = append(p.Nodes, PowerNode{ID: rack, Name: m.Rig.Name + " rack", Role: Converter, From: "stage",
			Volts: 48, DC: true, Efficiency: 0.88, CableM: 20, SectionMM2: 2.5, Plug: "16 A, blue",
			TakesV: [2]float64{207, 253}})
		if b := m.Rig.Book; b != nil && b.RatedW > 0 {
			p.Nodes = append(p.Nodes, PowerNode{ID: m.Name + "-controller", Name: m.Rig.Name + " controller",
				Role: Device, From: rack, TakesDC: true, StandbyW: b.StandbyW, RatedW: b.RatedW, PeakW: b.PeakW,
				StartW: b.PeakW})
		}
		for _, a := range m.Rig.Axes {
			if d := a.Drive; d != nil && d.PeakW > 0 {
				p.Nodes = append(p.Nodes, PowerNode{ID: m.Name + "-" + a.ID, Name: a.Name, Role: Device, From: rack,
					TakesDC: true, StandbyW: math.Round(d.RatedW * holdShare), RatedW: d.RatedW, PeakW: d.PeakW,
					StartW: math.Round(d.RatedW * holdShare), Axis: m.Name + "/" + a.ID})
			}
		}
	}
	p.Nodes = append(p.Nodes,
		PowerNode{ID: "camera-supply", Name: "Camera supply", Role: Converter, From: "stage", Volts: 15, DC: true,
			Centre: "+", Socket: "4-pin", Efficiency: 0.85, BreakerA: 12, CableM: 10, SectionMM2: 1.5,
			Plug: "16 A, blue", TakesV: [2]float64{100, 253}},
		PowerNode{ID: "camera", Name: "Camera", Role: Device, From: "camera-supply", RatedW: 65, PeakW: 80, StartW: 80,
			StandbyW: 40, CableM: 8, SectionMM2: 1.5, Plug: "4-pin", TakesV: [2]float64{11, 17}, TakesDC: true,
			TakesCentre: "+"},
		PowerNode{ID: "monitor", Name: "Monitor", Role: Device, From: "camera-supply", RatedW: 22, PeakW: 25,
			StartW: 25, StandbyW: 2, CableM: 3, SectionMM2: 0.75, Plug: "4-pin", TakesV: [2]float64{11, 17},
			TakesDC: true, TakesCentre: "+"})
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
			return nil, mistake.In(fmt.Sprintf("nodes[%d].axis", i), "name an axis of this shot, or none",
				"%s drives %q, which is not there", n.Name, n.Axis)
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
	v := &PowerSheet{Nodes: []NodeSheet{}, More: []string{}, Lower: []Lower{}, Needs: []Need{}, Unknown: w.unknown()}
	rest, now, peak, all := w.At(0), w.At(1), free.At(1), w.Starting("")
	for i := range p.Nodes {
		x := NodeSheet{ID: p.Nodes[i].ID, Rest: rest[i], Now: now[i], Peak: peak[i], Share: w.share(i, now),
			Joins: w.Join(i), MostA: now[i].A, Nowhere: !now[i].Settles}
		if x.Joins == nil {
			x.Joins = []string{}
		}
		for j := w.from[i]; j >= 0; j = w.from[j] {
			x.Depth++
		}
		if a, known := p.Nodes[i].Carries(); known && p.Nodes[i].CableM > 0 {
			x.CarriesA = a
		}
		x.FaultA = w.fault(i)
		if p.Nodes[i].Role == Supply {
			x.AllA = all[i].A
			if h := w.Hours(i, now); !math.IsNaN(h) && !math.IsInf(h, 0) {
				x.Hours = &h
			}
		}
		v.Nodes = append(v.Nodes, x)
		v.More = append(v.More, x.Joins...)
	}
	v.Faults = w.Faults(now)
	v.OK = len(v.Faults) == 0 && len(v.More) == 0 && len(v.Unknown) == 0 && len(p.Nodes) > 0
	v.starts(w, all)
	v.sentence(w, free, axes)
	v.needs(p, w, now)
	return v, nil
}

// unknown is what nobody typed and a yes would need.
func (w *Wiring) unknown() []string {
	out := []string{}
	for i := range w.Nodes {
		n := &w.Nodes[i]
		switch {
		case n.Role == Device && n.mostOf() == 0 && n.StartW == 0:
			out = append(out, "what "+n.Name+" draws")
		case n.Role == Device && n.Axis != "" && n.PeakW == 0:
			out = append(out, "what "+n.Name+" draws at its peak")
		case n.Role != Device && !w.passive[i] && n.BreakerA == 0 && n.MostW == 0:
			out = append(out, "what "+n.Name+" can give (its breaker, or what it is made for)")
		}
		if _, known := n.Carries(); n.CableM > 0 && !known {
			out = append(out, "what the cable to "+n.Name+" carries")
		}
	}
	return out
}

// on says what a yes rests on.
func (w *Wiring) on() string {
	typed := "Typed: watts, cables, breakers. Assumed: copper in service, what cables carry by their section when " +
		"rolled out, " +
		"a power factor of 1, supplies that hold their volts"
	var eff, drop, start []string
	for i := range w.Nodes {
		n := &w.Nodes[i]
		if n.Role == Converter && !w.passive[i] && n.Efficiency == 0 {
			eff = append(eff, n.Name)
		}
		if n.Role == Device && n.StartW == 0 {
			start = append(start, n.Name)
		}
		if w.from[i] >= 0 && n.TakesV[0] == 0 && n.HeadroomV == 0 && !w.passive[i] {
			drop = append(drop, n.Name)
		}
	}
	for _, x := range []struct {
		of   []string
		says string
	}{{eff, fmt.Sprintf("%.0f %%%% come out of %%s", 100*assumedOut)}, {drop, "volts a twentieth lower do for %s"},
		{start, "no more than at its peak while it is switched on: %s"}} {
		if len(x.of) > 0 {
			typed += "; " + fmt.Sprintf(x.says, few(x.of))
		}
	}
	return typed + "."
}

// few names the first of many.
func few(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:3], ", "), len(names)-3)
	}
	return strings.Join(names, ", ")
}

// share is how much of what a node bears is taken, of breaker, watts, cable, volts or headroom,
// whichever is nearest; 0 where nothing of it is known.
func (w *Wiring) share(i int, p []NodeLoad) float64 {
	n, x, s := &w.Nodes[i], &p[i], 0.0
	if !x.Settles {
		return 2
	}
	if n.BreakerA > 0 {
		s = max(s, x.GivesA/n.BreakerA)
		if n.Role == Device {
			s = max(s, x.A/n.BreakerA)
		}
	}
	if n.MostW > 0 {
		s = max(s, x.GivesW/n.MostW)
	}
	if most, known := n.Carries(); known && n.CableM > 0 {
		s = max(s, x.A/most)
	}
	if j := w.from[i]; j >= 0 {
		volts := func(fed, has, least float64) {
			if room := fed - least; room > 0 {
				s = max(s, (fed-has)/room)
			} else if has < least {
				s = max(s, 2)
			}
		}
		if n.TakesV[0] > 0 {
			volts(w.volts(i, w.Nodes[j].Volts), w.volts(i, x.V), n.TakesV[0])
		}
		if n.HeadroomV > 0 {
			volts(w.Nodes[j].Volts, x.V, n.Volts+n.HeadroomV)
		}
	}
	return s
}

// percent is a share that is not more than it is.
func percent(s float64) float64 { return math.Floor(s*100 + 1e-9) }

// sentence says the whole in one, and which limits each supply that fails would bear.
func (v *PowerSheet) sentence(w, free *Wiring, axes []AxisSpeed) {
	worst, at := 0.0, -1
	for i := range v.Nodes {
		if v.Nodes[i].Share > worst {
			worst, at = v.Nodes[i].Share, i
		}
	}
	v.Share = 1
	var rests, above, later []string // of supplies that fail at rest, at the line-up's speeds, beyond them
	for _, root := range w.roots() {
		share, first := free.FirstOf(root)
		if first == nil {
			continue
		}
		v.Share = min(v.Share, share)
		var failing []string
		for _, f := range v.Faults {
			if w.root(w.named(f.Node)) == root {
				failing = append(failing, f.Says)
			}
		}
		switch {
		case share < 0:
			rests = append(rests, first.Says)
		case len(failing) > 0:
			above = append(above,
				fmt.Sprintf("At the speeds of the line-up it fails: %s. It bears up to %.0f %% of rated speed, all "+
					"axes at once.",
					strings.Join(failing[:min(len(failing), 3)], "; "), percent(share)))
		default:
			later = append(later, fmt.Sprintf("Above %.0f %% of rated speed it would fail: %s.", percent(share),
				first.Says))
		}
		if share >= 0 {
			v.lower(w, axes, root, share)
		}
	}
	switch {
	case len(w.Nodes) == 0:
		v.Says = "Nothing is wired yet."
	case len(v.More) > 0 && v.joined(): // a join that must not be made comes before any sum
		v.Says = fmt.Sprintf("Not as it is: %s.", v.More[0])
	case len(rests) > 0:
		v.Says = fmt.Sprintf("It does not bear standing still: %s.", strings.Join(rests, "; "))
	case len(above) > 0:
		v.Says = strings.Join(above, " ")
	case len(v.Faults) > 0: // only while speeds differ from one another
		v.Says = fmt.Sprintf("At the speeds of the line-up it fails: %s.", v.Faults[0].Says)
	case len(v.Unknown) > 0:
		v.Says = fmt.Sprintf("Cannot say yet: nobody typed %s.", few(v.Unknown))
	case !v.OK:
		v.Says = "It runs, but it cannot be switched on like this."
	case len(later) > 0:
		v.Says = "It bears the speeds of the line-up. " + strings.Join(later, " ")
	case at >= 0:
		v.Says = fmt.Sprintf("It bears everything at once. Nearest: %s, at %.0f %% of what it bears.", w.Nodes[at].Name,
			math.Ceil(100*worst-1e-9))
	default:
		v.Says = "It bears everything that is known of it."
	}
	if v.OK {
		v.On = w.on()
	}
}

// joined reports whether something is plugged in that must not be.
func (v *PowerSheet) joined() bool {
	return slices.ContainsFunc(v.Nodes, func(x NodeSheet) bool { return len(x.Joins) > 0 })
}

func (w *Wiring) named(id string) int {
	return slices.IndexFunc(w.Nodes, func(n PowerNode) bool { return n.ID == id })
}

// lower offers working speeds that a supply bears: what hangs on it is slowed down, all alike. What
// would be no speed any more is no offer.
func (v *PowerSheet) lower(w *Wiring, axes []AxisSpeed, root int, share float64) {
	for i, n := range w.Nodes {
		k := slices.IndexFunc(axes, func(a AxisSpeed) bool { return a.ID == n.Axis })
		if n.Axis == "" || w.root(i) != root || k < 0 {
			continue
		}
		a := axes[k]
		to := math.Floor(a.Rated*share*100) / 100
		if a.Working > a.Rated*share && to > 0 && !slices.ContainsFunc(v.Lower, func(l Lower) bool {
			return l.Axis == a.ID
		}) {
			v.Lower = append(v.Lower, Lower{a.ID, a.Working, to, a.Unit, a.Named})
		}
	}
}

// starts says what switching on asks for: of each device alone, while the others are on and rest, and
// of all at once.
func (v *PowerSheet) starts(w *Wiring, all []NodeLoad) {
	told := map[string]bool{}
	for k := range w.Nodes {
		d := &w.Nodes[k]
		if d.Role != Device {
			continue
		}
		p := w.Starting(d.ID)
		root := w.root(k)
		for _, i := range w.below[root] {
			v.Nodes[i].MostA = max(v.Nodes[i].MostA, p[i].A)
			v.Nodes[i].Nowhere = v.Nodes[i].Nowhere || !p[i].Settles
			for _, f := range w.faults(i, p) {
				if key := f.Node + f.What; !told[key] {
					told[key] = true
					v.More = append(v.More, fmt.Sprintf("Switching on %s, while the others are on: %s.",
						d.Name, f.Says))
				}
				v.OK = false
			}
		}
		v.Nodes[root].StartA = max(v.Nodes[root].StartA, p[root].A)
	}
	if len(told) == 0 {
		for i := range w.Nodes {
			for _, f := range w.faults(i, all) {
				v.More = append(v.More, fmt.Sprintf("Switch on one after another. All at once: %s.", f.Says))
			}
		}
	}
	for i, n := range w.Nodes {
		if x := &v.Nodes[i]; x.Hours != nil {
			v.More = append(v.More, fmt.Sprintf("%s lasts %.1f hours like this, with %.0f %% left.", n.Name, *x.Hours,
				100*n.Reserve))
		}
	}
	v.shorts(w)
	if slices.ContainsFunc(v.Nodes, func(x NodeSheet) bool {
		return x.CarriesA > 0 && x.MostA > drumShare*x.CarriesA
	}) {
		v.More = append(v.More, "Roll drums out whole: wound up a cable carries far less.")
	}
}

// tripsAt is how many times its amperes a breaker may need before it trips at once (IEC 60898-1, type C).
const tripsAt = 10

// shorts names ends at which a short draws so little, at the most, that the breaker before it may let
// it flow for a while.
func (v *PowerSheet) shorts(w *Wiring) {
	for i, n := range w.Nodes {
		j := w.from[i]
		for j >= 0 && w.Nodes[j].BreakerA == 0 {
			j = w.from[j]
		}
		if a := v.Nodes[i].FaultA; j >= 0 && n.CableM > 0 && a > 0 && !w.Nodes[j].DC &&
			a < tripsAt*w.Nodes[j].BreakerA {
			v.More = append(v.More,
				fmt.Sprintf("A short at %s draws %.0f A at the most: a breaker of %g A may not trip at once. Ask the "+
					"electrician.",
					n.Name, a, w.Nodes[j].BreakerA))
		}
	}
}

// drumShare is the share of what a cable carries rolled out above which it matters whether it is.
const drumShare = 0.4

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
			says := fmt.Sprintf("%g V %s", n.Volts, kind)
			if n.Lines == 3 {
				says += " on each of three lines"
			}
			switch x := &v.Nodes[i]; {
			case x.Nowhere:
				says += ", and the voltage behind it collapses"
			case n.BreakerA > 0 && x.MostA > n.BreakerA:
				says += fmt.Sprintf(", %.1f A at the most, switching on included: more than its breaker of %g A",
					x.MostA, n.BreakerA)
			case n.BreakerA > 0:
				says += fmt.Sprintf(", %.1f A at the most, switching on included, behind a breaker of %g A",
					x.MostA, n.BreakerA)
			default:
				says += fmt.Sprintf(", %.1f A at the most, switching on included", x.MostA)
			}
			if x := &v.Nodes[i]; n.BreakerA > 0 && x.AllA > max(n.BreakerA, x.MostA) {
				says += ", one after another"
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
		says := fmt.Sprintf("%g m of %g mm² from %s", n.CableM, n.SectionMM2, w.Nodes[j].Name)
		if v.Nodes[i].Nowhere {
			says += ", and the voltage at its end collapses"
		} else {
			says += fmt.Sprintf(", %.1f A at the most", v.Nodes[i].MostA)
		}
		if n.Line > 0 {
			says += fmt.Sprintf(", on line %d", n.Line)
		}
		if f := v.Nodes[i].FaultA; f > 0 {
			says += fmt.Sprintf(", a short at its end draws up to %.3g A", f)
		}
		if n.Plug != "" {
			says += ", plug: " + n.Plug
		}
		if n.TakesV != [2]float64{} {
			says += ", " + n.takes()
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
