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
	nodes[1].CableM = 150
	share := (230*23*1.5/(2*0.0175*150) - 100) / 2300
	p := &site.Power{Nodes: nodes, Sync: "genlock to the desk"}
	v, err := p.Sheet(speeds(30))
	if err != nil || v.OK || math.Abs(v.Share-share) > 1e-9 || !strings.Contains(v.Says, "Above 61 % of rated speed, all axes at once, it fails: Swing gets 207.0 V and needs 207.") {
		t.Fatalf("%+v, %v", v, err)
	}
	if len(v.Lower) != 1 || v.Lower[0].From != 30 || v.Lower[0].To != math.Floor(share*3000)/100 || v.Lower[0].Axis != "heron/swing" {
		t.Fatalf("%+v", v.Lower)
	}
	if w, _ := p.Sheet(speeds(v.Lower[0].To)); !w.OK || len(w.Lower) != 0 || !strings.Contains(w.Says, "It bears the speeds of the line-up. Above 61 %") || math.Abs(w.Nodes[1].Share-1) > 0.01 {
		t.Errorf("lowered: %+v", w)
	}
	if w, _ := p.Sheet(speeds(v.Lower[0].To + 0.02)); w.OK {
		t.Errorf("a little more: %+v", w)
	}
	// At rest and at rated speed beside what the line-up allows.
	if n := v.Nodes[1]; n.Rest.W != 100 || n.Peak.W != 2400 || n.Now.W != 2400 || n.Depth != 1 || v.Nodes[0].Depth != 2 {
		t.Errorf("%+v", v.Nodes)
	}
	if w, _ := p.Sheet(speeds(15)); w.Nodes[1].Now.W != 1250 {
		t.Errorf("%+v", w.Nodes[1])
	}
	nodes[2].BreakerA = 1
	if v, _ := p.Sheet(speeds(30)); v.OK || !strings.Contains(v.Says, "does not bear standing still: Rack gives 2.0 A") || len(v.Lower) != 0 {
		t.Errorf("%+v", v)
	}
	p = &site.Power{Nodes: wiring()}
	if v, _ := p.Sheet(speeds(30)); !v.OK || v.Share != 1 || !strings.Contains(v.Says, "It bears everything at once. Nearest: Wall, at 68 %") {
		t.Errorf("%+v", v)
	}
	if v, err := (&site.Power{}).Sheet(nil); err != nil || v.Says != "Nothing is wired yet." {
		t.Errorf("%+v, %v", v, err)
	}
	p.Nodes[1].Axis = "heron/boat"
	if _, err := p.Sheet(speeds(30)); err == nil || !strings.Contains(err.Error(), `Swing drives "heron/boat", which is not there`) {
		t.Error(err)
	}
}

// Only what hangs on the supply that fails is slowed down.
func TestTheOtherPhaseRunsOn(t *testing.T) {
	nodes := wiring()
	nodes[3].BreakerA = 6
	nodes = append(nodes, site.PowerNode{ID: "l2", Name: "Phase 2", Role: site.Supply, Volts: 230, BreakerA: 16}, site.PowerNode{ID: "boom", Name: "Boom", Role: site.Device, From: "l2", PeakW: 900, Axis: "heron/boom"})
	v, err := (&site.Power{Nodes: nodes}).Sheet(append(speeds(30), site.AxisSpeed{ID: "heron/boom", Named: "Boom", Working: 20, Rated: 20}))
	if err != nil || len(v.Lower) != 1 || v.Lower[0].Axis != "heron/swing" {
		t.Errorf("%+v, %v", v, err)
	}
}

// Switching on, batteries, joins and what others bring.
func TestSwitchingOnAndNeeds(t *testing.T) {
	nodes := wiring()
	nodes[3].BatteryWh, nodes[3].Reserve, nodes[3].BreakerA = 2520, 0.25, 14
	nodes[0].StartW = 400
	nodes[2].BreakerA = 0
	p := &site.Power{Nodes: nodes, Plates: "the long one", Picture: "to the desk"}
	v, err := p.Sheet(speeds(30))
	if err != nil {
		t.Fatal(err)
	}
	wall := v.Nodes[3]
	if math.Abs(wall.StartA-3000.0/230) > 1e-9 || math.Abs(wall.AllA-3500.0/230) > 1e-9 || wall.Hours == nil || math.Abs(*wall.Hours-0.75) > 1e-9 {
		t.Errorf("%+v", wall)
	}
	more := strings.Join(v.More, "\n")
	for _, want := range []string{"Wall: switch on one after another. All at once take 15.2 A and the breaker holds 14.", "Wall lasts 0.8 hours like this, with 25 % left."} {
		if !strings.Contains(more, want) {
			t.Errorf("%s\nin\n%s", want, more)
		}
	}
	if !v.OK {
		t.Error("it is borne")
	}
	nodes[3].BreakerA = 12.9
	if v, _ = p.Sheet(speeds(30)); v.OK || !strings.Contains(strings.Join(v.More, ""), "the heaviest alone takes 13.0 A") {
		t.Errorf("%v", v.More)
	}
	var needs []string
	for _, n := range v.Needs {
		needs = append(needs, n.What+": "+n.Says)
	}
	text := strings.Join(needs, "\n")
	for _, want := range []string{"Lamp: 10 m of 0.75 mm² from Rack, 2.0 A, plug: barrel, 44 to 52 V, + in the middle", "Wall: 230 V AC, 11.0 A at the most behind a breaker of 12.9 A, socket: blue; feeds Swing, Rack", "Plates: the long one", "Picture: to the desk"} {
		if !strings.Contains(text, want) {
			t.Errorf("%s\nin\n%s", want, text)
		}
	}
	if strings.Contains(text, "Sync") {
		t.Error("nobody asked for sync")
	}
	nodes[0].Plug = "pin"
	if v, _ = p.Sheet(speeds(30)); v.OK || !strings.HasPrefix(v.Says, "Not as it is: Lamp has a pin") || len(v.Nodes[0].Joins) != 1 || !strings.Contains(strings.Join(v.More, ""), "Lamp has a pin and Rack a barrel") {
		t.Errorf("%v", v.More)
	}
}

// The proposal out of the rig book is a wiring, with every drive at its machine's rack.
func TestPropose(t *testing.T) {
	r := fixture.Slider()
	r.Axes[1].Drive = &rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1}, RatedW: 50, PeakW: 120}
	r.Book = &rig.Book{StandbyW: 10, RatedW: 30, PeakW: 40}
	machines := []rig.Placed{{Name: "a", Rig: r}}
	joined, err := rig.Join(machines)
	if err != nil {
		t.Fatal(err)
	}
	p := site.Propose(machines)
	v, err := p.Sheet(site.Speeds(joined))
	if err != nil || !v.OK {
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
