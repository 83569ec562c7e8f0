package site_test

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
	"keenarc/core/site"
)

func speeds(working float64) []site.AxisSpeed {
	return []site.AxisSpeed{{ID: "heron/swing", Named: "Swing", Unit: "°/s", Working: working, Rated: 30}}
}

// What is said hangs on what the line-up allows: borne at half of rated, not at all of it;
// the limits that are offered are borne, and a little more is not.
func TestPowerSays(t *testing.T) {
	nodes := wiring()
	nodes[1].CableM, nodes[1].StartW = 150, 500
	share := (207*23/4.5 - 100) / 2300
	p := &site.Power{Nodes: nodes, Sync: "genlock to the desk"}
	v, err := p.Sheet(speeds(30))
	if err != nil || v.OK || math.Abs(v.Share-share) > 1e-7 || !strings.Contains(v.Says,
		"At the speeds of the line-up it fails: Swing gets 164.2 V and needs 207. It bears up to 41 % of rated speed, "+
			"all axes at once.") {
		t.Fatalf("%+v, %v", v, err)
	}
	// 230 V over 3.5 Ω, cold.
	if !strings.Contains(strings.Join(v.More, ""),
		"A short at Swing draws 66 A at the most: a breaker of 16 A may not trip at once.") {
		t.Errorf("%v", v.More)
	}
	if len(v.Lower) != 1 || v.Lower[0].From != 30 || v.Lower[0].To != math.Floor(share*3000)/100 || v.Lower[0].Axis !=
		"heron/swing" {
		t.Fatalf("%+v", v.Lower)
	}
	if w, _ := p.Sheet(speeds(v.Lower[0].To)); !w.OK || len(w.Lower) != 0 || !strings.Contains(w.Says,
		"It bears the speeds of the line-up. Above 41 %") || math.Abs(w.Nodes[1].Share-1) > 0.01 {
		t.Errorf("lowered: %+v", w)
	}
	if w, _ := p.Sheet(speeds(v.Lower[0].To + 0.02)); w.OK {
		t.Errorf("a little more: %+v", w)
	}
	// At rest and at rated speed beside what the line-up allows.
	if n := v.Nodes[1]; n.Rest.W != 100 || n.Peak.W != 2400 || n.Now.W != 2400 || n.Depth != 1 ||
		v.Nodes[0].Depth != 2 {
		t.Errorf("%+v", v.Nodes)
	}
	if w, _ := p.Sheet(speeds(12)); w.Nodes[1].Now.W != 1020 {
		t.Errorf("%+v", w.Nodes[1])
	}
	nodes[2].BreakerA = 1
	if v, _ := p.Sheet(speeds(30)); v.OK || !strings.Contains(v.Says,
		"does not bear standing still: Rack gives 2.1 A") || len(v.Lower) != 0 {
		t.Errorf("%+v", v)
	}
	p = &site.Power{Nodes: wiring()}
	if v, _ := p.Sheet(speeds(30)); !v.OK || v.Share != 1 || !strings.Contains(v.Says,
		"It bears everything at once. Nearest: Wall, at 74 %") {
		t.Errorf("%+v", v)
	}
	if v, err := (&site.Power{}).Sheet(nil); err != nil || v.Says != "Nothing is wired yet." {
		t.Errorf("%+v, %v", v, err)
	}
	p.Nodes[1].Axis = "heron/boat"
	if _, err := p.Sheet(speeds(30)); err == nil || !strings.Contains(err.Error(),
		`Swing drives "heron/boat", which is not there`) {
		t.Error(err)
	}
}

// Where nothing settles no amperes are told as the most, at the supply or at a cable, be it while
// something is switched on alone.
func TestNoMostWhereNothingSettles(t *testing.T) {
	for name, change := range map[string]func(n *site.PowerNode){
		"at speed":     func(n *site.PowerNode) { n.CableM, n.StartW = 250, 100 },
		"switching on": func(n *site.PowerNode) { n.CableM, n.StartW, n.PeakW = 120, 9000, 200 },
	} {
		nodes := wiring()
		change(&nodes[1])
		v, err := (&site.Power{Nodes: nodes}).Sheet(speeds(30))
		if err != nil || v.OK || !v.Nodes[1].Nowhere || !v.Nodes[3].Nowhere {
			t.Fatalf("%s: %+v, %v", name, v, err)
		}
		for _, n := range v.Needs {
			if n.What == "Swing" && !strings.Contains(n.Says,
				"mm² from Wall, and the voltage at its end collapses, a short") ||
				n.What == "Wall" && !strings.Contains(n.Says, "and the voltage behind it collapses") ||
				strings.Contains(n.Says, "Wall, 0.0 A") {
				t.Errorf("%s: %s: %s", name, n.What, n.Says)
			}
		}
	}
	v, err := (&site.Power{Nodes: wiring()}).Sheet(speeds(1))
	if err != nil || v.Nodes[1].Nowhere || v.Nodes[3].Nowhere {
		t.Errorf("%+v, %v", v, err)
	}
}

// Only what hangs on the supply that fails is slowed down.
func TestTheOtherPhaseRunsOn(t *testing.T) {
	nodes := wiring()
	nodes[3].BreakerA = 6
	nodes = append(nodes, site.PowerNode{ID: "l2", Name: "Phase 2", Role: site.Supply, Volts: 230, BreakerA: 16},
		site.PowerNode{ID: "boom", Name: "Boom", Role: site.Device, From: "l2", PeakW: 900, Axis: "heron/boom"})
	v, err := (&site.Power{Nodes: nodes}).Sheet(append(speeds(30), site.AxisSpeed{ID: "heron/boom", Named: "Boom",
		Working: 20, Rated: 20}))
	if err != nil || len(v.Lower) != 1 || v.Lower[0].Axis != "heron/swing" {
		t.Errorf("%+v, %v", v, err)
	}
}

// Switching on, batteries, joins and what others bring.
func TestSwitchingOnAndNeeds(t *testing.T) {
	nodes := wiring()
	nodes[3].BatteryWh, nodes[3].Reserve, nodes[3].BreakerA = 2520, 0.25, 14
	nodes[0].StartW, nodes[2].BreakerA, nodes[2].MostW = 200, 0, 300
	nodes[1].StartW = 2800
	p := &site.Power{Nodes: nodes, Plates: "the long one", Picture: "to the desk"}
	v, err := p.Sheet(speeds(30))
	if err != nil {
		t.Fatal(err)
	}
	wall := v.Nodes[3]
	lampA := func(w float64) float64 { _, a := end(48, 0.6, w); return 48 * a / 0.8 / 230 }
	_, swing := end(230, 1.5, 2800)
	if want := swing + lampA(96); math.Abs(wall.StartA-want) > 1e-6 || wall.MostA != wall.StartA {
		t.Errorf("%+v, want %g", wall, want)
	}
	if want := swing + lampA(200); math.Abs(wall.AllA-want) > 1e-6 || !(wall.AllA > 14 && wall.StartA < 14) ||
		wall.Hours == nil || math.Abs(*wall.Hours-2520*0.75/wall.Now.W) > 1e-9 {
		t.Errorf("%+v, want %g", wall, want)
	}
	more := strings.Join(v.More, "\n")
	for _, want := range []string{"Switch on one after another. All at once: Wall gives 14.5 A and its breaker " +
		"holds 14.", "Wall lasts 0.7 hours like this, with 25 % left.", "Roll drums out whole"} {
		if !strings.Contains(more, want) {
			t.Errorf("%s\nin\n%s", want, more)
		}
	}
	if !v.OK || v.On == "" {
		t.Error("it is borne")
	}
	text := func() string {
		var needs []string
		for _, n := range v.Needs {
			needs = append(needs, n.What+": "+n.Says)
		}
		return strings.Join(needs, "\n")
	}
	for _, want := range []string{"Lamp: 10 m of 0.75 mm² from Rack, 4.4 A at the most, plug: barrel, 44 to 52 V, + " +
		"in the middle",
		"Swing: 50 m of 1.5 mm² from Wall, 13.3 A at the most, a short at its end draws up to 197 A, plug: blue, " +
			"207 to 253 V",
		"Wall: 230 V AC, 13.9 A at the most, switching on included, behind a breaker of 14 A, one after another, " +
			"socket: blue; feeds Swing, Rack",
		"Plates: the long one", "Picture: to the desk"} {
		if !strings.Contains(text(), want) {
			t.Errorf("%s\nin\n%s", want, text())
		}
	}
	nodes[3].BreakerA = 12.9
	if v, _ = p.Sheet(speeds(30)); v.OK || v.Says != "It runs, but it cannot be switched on like this." ||
		!strings.Contains(strings.Join(v.More, ""),
			"Switching on Swing, while the others are on: Wall gives 13.9 A and its breaker holds 12.9.") ||
		!strings.Contains(text(), "13.9 A at the most, switching on included: more than its breaker of 12.9 A") {
		t.Errorf("%q %v\n%s", v.Says, v.More, text())
	}
	// A rack's own breaker counts while its device is switched on.
	nodes[3].BreakerA, nodes[2].BreakerA = 14, 3
	if v, _ = p.Sheet(speeds(30)); v.OK || !strings.Contains(strings.Join(v.More, ""),
		"Switching on Lamp, while the others are on: Rack gives 4.4 A and its breaker holds 3.") {
		t.Errorf("%v", v.More)
	}
	nodes[2].BreakerA, nodes[2].MostW = 0, 180
	if v, _ = p.Sheet(speeds(30)); v.OK || !strings.Contains(strings.Join(v.More, ""),
		"Switching on Lamp, while the others are on: Rack gives 212 W and is made for 180.") {
		t.Errorf("%v", v.More)
	}
	if strings.Contains(text(), "Sync") {
		t.Error("nobody asked for sync")
	}
	nodes[0].Plug = "pin"
	if v, _ = p.Sheet(speeds(30)); v.OK || !strings.HasPrefix(v.Says, "Not as it is: Lamp has a pin") ||
		len(v.Nodes[0].Joins) != 1 || !strings.Contains(strings.Join(v.More, ""), "Lamp has a pin and Rack a barrel") {
		t.Errorf("%v", v.More)
	}
}

// The proposal out of the rig book is a wiring, with every drive at its machine's rack.
func TestPropose(t *testing.T) {
	r := fixture.Slider()
	r.Axes[1].Drive = &rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1},
		RatedW: 50, PeakW: 120}
	r.Book = &rig.Book{StandbyW: 10, RatedW: 30, PeakW: 40}
	machines := []rig.Placed{{Name: "a", Rig: r}}
	joined, err := rig.Join(machines)
	if err != nil {
		t.Fatal(err)
	}
	p := site.Propose(machines)
	v, err := p.Sheet(site.Speeds(joined))
	if err != nil || v.OK || v.Says != "Cannot say yet: nobody typed what Slider rack can give (its breaker, or what "+
		"it is made for)." {
		t.Fatalf("%+v, %v", v, err)
	}
	p.Nodes[1].MostW = 300
	if v, err = p.Sheet(site.Speeds(joined)); err != nil || !v.OK || !strings.HasPrefix(v.On,
		"Typed: watts, cables, breakers. Assumed: copper in service") {
		t.Fatalf("%+v, %v", v, err)
	}
	found := false
	for i, n := range p.Nodes {
		if n.Axis == "a/"+r.Axes[1].ID {
			share := r.Axes[1].Working.Speed / r.Axes[1].Rated.Speed
			found = n.StandbyW == 10 && n.From == "a-rack" && math.Abs(v.Nodes[i].Now.W-(10+110*share)) < 1e-9
		}
	}
	if !found {
		t.Errorf("%+v", p.Nodes)
	}
}

// Two supplies that fail are both named, and both are offered limits; what would be no speed is no offer.
func TestTwoSuppliesFail(t *testing.T) {
	nodes := wiring()
	nodes[3].BreakerA = 6
	nodes = append(nodes, site.PowerNode{ID: "l2", Name: "Phase 2", Role: site.Supply, Volts: 230, BreakerA: 3},
		site.PowerNode{ID: "boom", Name: "Boom", Role: site.Device, From: "l2", StandbyW: 20, PeakW: 900, StartW: 20,
			Axis: "heron/boom", TakesV: [2]float64{207, 253}})
	axes := append(speeds(30), site.AxisSpeed{ID: "heron/boom", Named: "Boom", Unit: "°/s", Working: 20, Rated: 20})
	v, err := (&site.Power{Nodes: nodes}).Sheet(axes)
	if err != nil || len(v.Lower) != 2 || v.Lower[0].To == v.Lower[1].To || !strings.Contains(v.Says, "Wall gives") ||
		!strings.Contains(v.Says, "Phase 2 gives") {
		t.Fatalf("%+v, %v", v, err)
	}
	lowered := []site.AxisSpeed{axes[0], axes[1]}
	lowered[0].Working, lowered[1].Working = v.Lower[0].To, v.Lower[1].To
	if w, _ := (&site.Power{Nodes: nodes}).Sheet(lowered); len(w.Faults) != 0 || len(w.Lower) != 0 {
		t.Errorf("as offered: %+v", w)
	}
	// So near to what it draws at rest that a hundredth of a degree is too much.
	nodes[5].StandbyW = 230*3 - 0.05
	if v, _ = (&site.Power{Nodes: nodes}).Sheet(axes); len(v.Lower) != 1 || v.Lower[0].Axis != "heron/swing" ||
		!strings.Contains(v.Says, "Phase 2 gives") {
		t.Errorf("%+v", v)
	}
}

// What nobody typed holds nothing: it cannot be said. What fails for sure is said before.
func TestPowerUnknown(t *testing.T) {
	for name, c := range map[string]struct {
		change func(n []site.PowerNode)
		says   string
	}{
		"no watts": {func(n []site.PowerNode) { n[0].RatedW = 0 }, "Cannot say yet: nobody typed what Lamp draws."},
		"no peak": {func(n []site.PowerNode) { n[1].PeakW = 0 },
			"Cannot say yet: nobody typed what Swing draws at its peak."},
		"no breaker": {func(n []site.PowerNode) { n[3].BreakerA = 0 },
			"Cannot say yet: nobody typed what Wall can give"},
		"no rating": {func(n []site.PowerNode) { n[2].BreakerA = 0 },
			"Cannot say yet: nobody typed what Rack can give"},
		"wire": {func(n []site.PowerNode) { n[0].CableM, n[0].SectionMM2 = 0.1, 0.3 },
			"Cannot say yet: nobody typed what the cable to Lamp carries."},
		"fails first": {func(n []site.PowerNode) { n[0].RatedW, n[1].CableM = 0, 150 },
			"At the speeds of the line-up it fails"},
	} {
		nodes := wiring()
		nodes[1].StartW = 500
		c.change(nodes)
		v, err := (&site.Power{Nodes: nodes}).Sheet(speeds(30))
		if err != nil || v.OK || v.On != "" || !strings.HasPrefix(v.Says, c.says) {
			t.Errorf("%s: %q, %v", name, v.Says, err)
		}
	}
	// What is assumed is said.
	nodes := wiring()
	nodes[1].StartW, nodes[2].Efficiency, nodes[2].DC, nodes[0].StartW = 500, 0, true, 0
	if v, _ := (&site.Power{Nodes: nodes}).Sheet(speeds(30)); !v.OK || !strings.Contains(v.On,
		"80 % come out of Rack") || !strings.Contains(v.On, "while it is switched on: Lamp") {
		t.Errorf("%q %q", v.Says, v.On)
	}
}
