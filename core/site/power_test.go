package site_test

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/site"
)

// By hand: 230 V, 16 A, 50 m of 1.5 mm²: a drive that rests at 100 W and peaks at 2400,
// and a converter to 48 V whose half of a kilowatt comes out at 80 %.
func wiring() []site.PowerNode {
	return []site.PowerNode{
		{ID: "lamp", Name: "Lamp", Role: site.Device, From: "psu", RatedW: 96, CableM: 10, SectionMM2: 0.75, Plug: "barrel", TakesV: [2]float64{44, 52}, TakesDC: true, TakesCentre: "+"},
		{ID: "swing", Name: "Swing", Role: site.Device, From: "mains", StandbyW: 100, RatedW: 800, PeakW: 2400, StartW: 3000, Axis: "heron/swing", CableM: 50, SectionMM2: 1.5, Plug: "blue", TakesV: [2]float64{207, 253}},
		{ID: "psu", Name: "Rack", Role: site.Converter, From: "mains", Volts: 48, DC: true, Socket: "barrel", Centre: "+", Efficiency: 0.8, BreakerA: 3, Plug: "blue"},
		{ID: "mains", Name: "Wall", Role: site.Supply, Volts: 230, BreakerA: 16, Socket: "blue"},
	}
}

func TestWiringByHand(t *testing.T) {
	w, err := site.NewWiring(wiring(), nil)
	if err != nil {
		t.Fatal(err)
	}
	p := w.At(1)
	amps := 2400.0 / 230
	drop := 2 * 0.0175 * 50 * amps / 1.5
	lampDrop := 2 * 0.0175 * 10 * 2 / 0.75
	for name, x := range map[string][2]float64{
		"lamp W": {p[0].W, 96}, "lamp A": {p[0].A, 2}, "lamp V": {p[0].V, 48 - lampDrop},
		"rack W": {p[2].W, 120}, "swing A": {p[1].A, amps}, "swing V": {p[1].V, 230 - drop},
		"wall W": {p[3].W, 2520}, "wall A": {p[3].A, 2520.0 / 230},
		"swing at half": {w.At(0.5)[1].W, 1250}, "swing at rest": {w.At(0)[1].W, 100},
		"one starting": {w.Starting("swing")[3].W, 3000}, "lamp starting": {w.Starting("lamp")[3].W, 100}, "all starting": {w.Starting("")[3].W, 3000},
	} {
		if math.Abs(x[0]-x[1]) > 1e-9 {
			t.Errorf("%s: %g, want %g", name, x[0], x[1])
		}
	}
	if share, f := w.First(); share != 1 || f != nil {
		t.Errorf("it bears all: %g, %+v", share, f)
	}
	if f := w.Faults(p); len(f) != 0 {
		t.Errorf("%+v", f)
	}
	for i := range w.Nodes {
		if j := w.Join(i); len(j) != 0 {
			t.Errorf("%v", j)
		}
	}
}

// What fails first, at the share that one works out by hand: volts over a longer cable,
// the breaker, watts of a generator, a regulator's headroom; a cap keeps it away; rest
// fails at once.
func TestWhatFailsFirst(t *testing.T) {
	for name, c := range map[string]struct {
		change func(n []site.PowerNode)
		most   map[string]float64
		share  float64
		says   string
	}{
		// 207 V at I = 23·1.5/(2·0.0175·150) = 6.571 A, 1511 W: (1511.4−100)/2300.
		"volts":      {func(n []site.PowerNode) { n[1].CableM = 150 }, nil, (230*23*1.5/(2*0.0175*150) - 100) / 2300, "Swing gets 207.0 V and needs 207"},
		"breaker":    {func(n []site.PowerNode) { n[3].BreakerA = 6 }, nil, (6*230 - 120 - 100.0) / 2300, "Wall gives 6.0 A and its breaker holds 6"},
		"generator":  {func(n []site.PowerNode) { n[3].MostW = 2000 }, nil, (2000 - 220.0) / 2300, "Wall gives 2000 W and is made for 2000"},
		"at rest":    {func(n []site.PowerNode) { n[2].BreakerA = 1 }, nil, -1, "Rack gives 2.0 A and its breaker holds 1"},
		"capped":     {func(n []site.PowerNode) { n[3].BreakerA = 6 }, map[string]float64{"heron/swing": 0.5}, 1, ""},
		"other axis": {func(n []site.PowerNode) { n[3].BreakerA = 6 }, map[string]float64{"heron/boom": 0.5}, (6*230 - 120 - 100.0) / 2300, "breaker"},
		// The rack now regulates 48 V from a 52 V battery over the swing's own cable.
		"headroom": {func(n []site.PowerNode) {
			n[3] = site.PowerNode{ID: "mains", Name: "Pack", Role: site.Supply, Volts: 52, DC: true, BatteryWh: 500, Reserve: 0.2}
			n[2].HeadroomV, n[2].Plug, n[2].CableM, n[2].SectionMM2, n[2].Efficiency = 3, "", 20, 4, 1
			n[1].From, n[1].TakesV, n[1].CableM, n[1].Plug, n[1].TakesDC = "psu", [2]float64{}, 0, "", true
			n[2].BreakerA = 0
		}, nil, (1/(2*0.0175*20/4)*52 - 96 - 100) / 2300, "Rack gets 51.0 V and needs 51.0 for its 48"},
	} {
		n := wiring()
		c.change(n)
		w, err := site.NewWiring(n, c.most)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		share, f := w.First()
		if math.Abs(share-c.share) > 1e-9 || (f == nil) != (c.says == "") || f != nil && !strings.Contains(f.Says, c.says) {
			t.Errorf("%s: %.12g (%+v), want %.12g", name, share, f, c.share)
		}
	}
	n := wiring()
	n[3].BatteryWh, n[3].Reserve = 504, 0.5
	w, _ := site.NewWiring(n, nil)
	if h := w.Hours(3, w.At(1)); math.Abs(h-0.1) > 1e-12 || !math.IsNaN(w.Hours(0, w.At(1))) {
		t.Errorf("hours: %g", h)
	}
	if p := w.At(1); p[2].Out != 48 {
		t.Errorf("a converter holds its volts: %+v", p[2])
	}
}

// A regulator that gets too little gives too little.
func TestRegulatorSags(t *testing.T) {
	w, err := site.NewWiring([]site.PowerNode{{ID: "b", Name: "Pack", Role: site.Supply, Volts: 12, DC: true}, {ID: "r", Name: "Reg", Role: site.Converter, From: "b", Volts: 10, DC: true, HeadroomV: 1.5, CableM: 10, SectionMM2: 1, TakesDC: true}, {ID: "d", Name: "D", Role: site.Device, From: "r", RatedW: 30, TakesDC: true}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	p := w.At(0)
	if want := 12 - 2*0.0175*10*2.5; math.Abs(p[1].V-want) > 1e-12 || math.Abs(p[1].Out-(want-1.5)) > 1e-12 || p[2].V != p[1].Out {
		t.Errorf("%+v", p)
	}
}

func TestJoins(t *testing.T) {
	for want, change := range map[string]func(n []site.PowerNode){
		"Lamp has a pin and Rack a barrel":          func(n []site.PowerNode) { n[0].Plug = "pin" },
		"takes DC and Rack gives AC":                func(n []site.PowerNode) { n[2].DC = false },
		"Lamp takes 44 to 52 V and Rack gives 60":   func(n []site.PowerNode) { n[2].Volts = 60 },
		"Lamp takes 44 to 52 V and Rack gives 24":   func(n []site.PowerNode) { n[2].Volts = 24 },
		"Lamp wants + in the middle and Rack has -": func(n []site.PowerNode) { n[2].Centre = "-" },
	} {
		n := wiring()
		change(n)
		w, err := site.NewWiring(n, nil)
		if err != nil {
			t.Fatal(err)
		}
		if j := w.Join(0); len(j) != 1 || !strings.Contains(j[0], want) {
			t.Errorf("%s: %v", want, j)
		}
	}
}

func TestWiringMistakes(t *testing.T) {
	for want, change := range map[string]func(n []site.PowerNode){
		"Wall has no volts":                  func(n []site.PowerNode) { n[3].Volts = 0 },
		"the cable of Swing has no section":  func(n []site.PowerNode) { n[1].SectionMM2 = 0 },
		`Swing hangs on "lamp", which feeds`: func(n []site.PowerNode) { n[1].From = "lamp" },
		`Swing hangs on "", which feeds`:     func(n []site.PowerNode) { n[1].From = "" },
		"feeds itself over what it feeds":    func(n []site.PowerNode) { n[2].From = "psu" },
		`"swing" is empty or there twice`:    func(n []site.PowerNode) { n[0].ID = "swing" },
		"Swing has -1":                       func(n []site.PowerNode) { n[1].StandbyW = -1 },
		"Swing peaks at 50 W and rests at":   func(n []site.PowerNode) { n[1].PeakW = 50 },
		`Lamp is a "lamp"`:                   func(n []site.PowerNode) { n[0].Role = "lamp" },
		"Wall keeps 1 in reserve":            func(n []site.PowerNode) { n[3].Reserve = 1 },
		"of Rack 1.5 comes out":              func(n []site.PowerNode) { n[2].Efficiency = 1.5 },
		"Lamp takes 60 to 52 V":              func(n []site.PowerNode) { n[0].TakesV[0] = 60 },
		"Wall has NaN":                       func(n []site.PowerNode) { n[3].BreakerA = math.NaN() },
	} {
		n := wiring()
		change(n)
		if _, err := site.NewWiring(n, nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	if _, err := site.NewWiring(make([]site.PowerNode, 201), nil); err == nil {
		t.Error("201 nodes")
	}
}
