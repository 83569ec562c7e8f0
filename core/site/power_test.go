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
		{ID: "lamp", Name: "Lamp", Role: site.Device, From: "psu", RatedW: 96, CableM: 10, SectionMM2: 0.75,
			Plug: "barrel", TakesV: [2]float64{44, 52}, TakesDC: true, TakesCentre: "+"},
		{ID: "swing", Name: "Swing", Role: site.Device, From: "mains", StandbyW: 100, RatedW: 800, PeakW: 2400,
			StartW: 3000, Axis: "heron/swing", CableM: 50, SectionMM2: 1.5, Plug: "blue", TakesV: [2]float64{207, 253}},
		{ID: "psu", Name: "Rack", Role: site.Converter, From: "mains", Volts: 48, DC: true, Socket: "barrel",
			Centre: "+", Efficiency: 0.8, BreakerA: 3, Plug: "blue"},
		{ID: "mains", Name: "Wall", Role: site.Supply, Volts: 230, BreakerA: 16, Socket: "blue"},
	}
}

// end is where watts at the end of some ohms settle, by the quadratic.
func end(volts, ohms, watts float64) (v, a float64) {
	v = (volts + math.Sqrt(volts*volts-4*ohms*watts)) / 2
	return v, watts / v
}

func TestWiringByHand(t *testing.T) {
	w, err := site.NewWiring(wiring(), nil)
	if err != nil {
		t.Fatal(err)
	}
	p := w.At(1)
	lampV, lampA := end(48, 0.6, 96)      // 2·0.0225·10/0.75 Ω
	swingV, swingA := end(230, 1.5, 2400) // 2·0.0225·50/1.5
	rack := 48 * lampA / 0.8
	_, half := end(230, 1.5, 1250)
	_, start := end(230, 1.5, 3000)
	_, still := end(230, 1.5, 100)
	for name, x := range map[string][2]float64{
		"lamp W": {p[0].W, 96}, "lamp A": {p[0].A, lampA}, "lamp V": {p[0].V, lampV},
		"rack W": {p[2].W, rack}, "rack gives": {p[2].GivesW, 48 * lampA}, "swing A": {p[1].A, swingA},
		"swing V": {p[1].V, swingV},
		"wall A":  {p[3].A, swingA + rack/230}, "wall W": {p[3].W, 230*swingA + rack},
		"wall gives":    {p[3].GivesA, p[3].A},
		"swing at half": {w.At(0.5)[1].A, half}, "swing at rest": {w.At(0)[1].W, 100},
		"one starting": {w.Starting("swing")[3].A, start + rack/230}, "lamp starting": {w.Starting("lamp")[3].A,
			still + rack/230},
		"all starting": {w.Starting("")[3].A, start + rack/230},
	} {
		if math.Abs(x[0]-x[1]) > 1e-9*x[1] {
			t.Errorf("%s: %.12g, want %.12g", name, x[0], x[1])
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
	_, lampA := end(48, 0.6, 96)
	rackA := 48 * lampA / 0.8 / 230
	swingW := func(a float64) float64 { return (230 - 1.5*a) * a } // what gets through at so many amperes
	for name, c := range map[string]struct {
		change func(n []site.PowerNode)
		most   map[string]float64
		share  float64
		says   string
	}{
		// 207 V at I = 23·1.5/(2·0.0225·150) = 5.11 A, 1058 W.
		"volts": {func(n []site.PowerNode) { n[1].CableM = 150 }, nil, (207*23/4.5 - 100) / 2300,
			"Swing gets just under 207 V and needs 207"},
		"breaker": {func(n []site.PowerNode) { n[3].BreakerA = 6 }, nil, (swingW(6-rackA) - 100) / 2300,
			"Wall gives just over 6 A and its breaker holds 6"},
		"generator": {func(n []site.PowerNode) { n[3].MostW = 2000 }, nil, (swingW(2000.0/230-rackA) - 100) / 2300,
			"W and is made for 2000"},
		"cable": {func(n []site.PowerNode) { n[1].CableA = 5 }, nil, (swingW(5) - 100) / 2300,
			"and it says that its cores are good for 5"},
		"thin cable": {func(n []site.PowerNode) { n[1].CableM, n[1].SectionMM2 = 20, 0.75 }, nil,
			((230-6*1.2)*6 - 100) / 2300, "and cores of 0.75 mm² are good for 6"},
		"settles": {func(n []site.PowerNode) {
			n[1].CableM, n[1].TakesV, n[3].BreakerA, n[1].CableA, n[1].PeakW = 400, [2]float64{1, 253}, 0, 99, 2400
		}, nil, (230*230/4/12.0 - 100) / 2300, "the voltage at Swing collapses"},
		"at rest": {func(n []site.PowerNode) { n[2].BreakerA = 1 }, nil, -1,
			"Rack gives 2.1 A and its breaker holds 1"},
		"capped": {func(n []site.PowerNode) { n[3].BreakerA = 6 }, map[string]float64{"heron/swing": 0.4}, 1, ""},
		"other axis": {func(n []site.PowerNode) { n[3].BreakerA = 6 }, map[string]float64{"heron/boom": 0.5},
			(swingW(6-rackA) - 100) / 2300, "breaker"},
		// The rack now regulates 48 V from a 52 V battery over the swing's own cable, 0.225 Ω.
		"headroom": {func(n []site.PowerNode) {
			n[3] = site.PowerNode{ID: "mains", Name: "Pack", Role: site.Supply, Volts: 52, DC: true, BatteryWh: 500,
				Reserve: 0.2}
			n[2].HeadroomV, n[2].Plug, n[2].CableM, n[2].SectionMM2, n[2].Efficiency = 3, "", 20, 4, 1
			n[1].From, n[1].TakesV, n[1].CableM, n[1].Plug, n[1].TakesDC = "psu", [2]float64{}, 0, "", true
			n[2].BreakerA = 0
		}, nil, (51/0.225 - 48*lampA - 100) / 2300, "Rack gets just under 51 V and needs 51 for its 48"},
		"a peak without an axis": {func(n []site.PowerNode) { n[0].PeakW = 200 }, nil, -1, "Rack gives 4."},
		"its range is not typed": {func(n []site.PowerNode) { n[1].CableM, n[1].TakesV = 150, [2]float64{} }, nil,
			(0.95*230*0.05*230/4.5 - 100) / 2300, "and the least that it takes is not typed"},
	} {
		n := wiring()
		c.change(n)
		w, err := site.NewWiring(n, c.most)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		share, f := w.First()
		off := c.share - share
		if name == "settles" && off > 0 { // so near to where nothing settles it says that it does not
			off = max(off-1e-3, 0)
		}
		if math.Abs(off) > 1e-7 || (f == nil) != (c.says == "") || f != nil && !strings.Contains(f.Says, c.says) {
			t.Errorf("%s: %.12g (%+v), want %.12g", name, share, f, c.share)
		}
	}
	n := wiring()
	n[3].BatteryWh, n[3].Reserve = 504, 0.5
	w, _ := site.NewWiring(n, nil)
	if h := w.Hours(3, w.At(1)); math.Abs(h-252/w.At(1)[3].W) > 1e-12 || !math.IsNaN(w.Hours(0, w.At(1))) {
		t.Errorf("hours: %g", h)
	}
	if p := w.At(1); p[2].Out != 48 {
		t.Errorf("a converter holds its volts: %+v", p[2])
	}
}

// A regulator that gets too little gives too little.
func TestRegulatorSags(t *testing.T) {
	w, err := site.NewWiring([]site.PowerNode{{ID: "b", Name: "Pack", Role: site.Supply, Volts: 12, DC: true},
		{ID: "r", Name: "Reg", Role: site.Converter, From: "b", Volts: 10, DC: true, HeadroomV: 1.5, CableM: 10,
			SectionMM2: 1, TakesDC: true}, {ID: "d", Name: "D", Role: site.Device, From: "r", RatedW: 30,
			TakesDC: true}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	p := w.At(0)
	// It gives V − 1.5, and draws 30 W for the device at 80 %: 37.5 W over 0.45 Ω.
	if want, _ := end(12, 0.45, 37.5); math.Abs(p[1].V-want) > 1e-9 || math.Abs(p[1].Out-(want-1.5)) > 1e-9 ||
		p[2].V != p[1].Out || math.Abs(p[1].W-37.5) > 1e-9 {
		t.Errorf("%+v, want %g", p, want)
	}
	w.Nodes[2].RatedW = 100
	if p = w.At(0); p[1].Settles || len(w.Faults(p)) != 1 || w.Faults(p)[0].Node != "r" {
		t.Errorf("it cannot: %+v, %+v", p, w.Faults(p))
	}
}

// At rest an axis of which nobody typed what it draws then is taken to draw as rated, or its peak.
func TestAtRest(t *testing.T) {
	for _, c := range [][4]float64{{10, 50, 200, 10}, {0, 50, 200, 50}, {0, 0, 200, 200}} {
		w, err := site.NewWiring([]site.PowerNode{{ID: "s", Name: "S", Role: site.Supply, Volts: 48},
			{ID: "d", Name: "D", Role: site.Device, From: "s", Axis: "a/x", StandbyW: c[0], RatedW: c[1],
				PeakW: c[2]}}, nil)
		if err != nil || w.At(0)[1].W != c[3] || w.At(1)[1].W != 200 {
			t.Errorf("%v: %+v, %v", c, w.At(0), err)
		}
	}
}

// Three phases are one supply with three lines: what hangs on all of them takes a third of each, and a
// box passes on what it gets.
func TestThreeLines(t *testing.T) {
	nodes := []site.PowerNode{
		{ID: "s", Name: "Stage", Role: site.Supply, Volts: 230, Lines: 3, BreakerA: 16},
		{ID: "box", Name: "Box", Role: site.Converter, From: "s", Volts: 230, CableM: 30, SectionMM2: 2.5},
		{ID: "arm", Name: "Arm", Role: site.Device, From: "box", RatedW: 3000, TakesV: [2]float64{360, 440}},
		{ID: "a", Name: "A", Role: site.Device, From: "box", Line: 1, RatedW: 1000},
		{ID: "b", Name: "B", Role: site.Device, From: "s", Line: 3, RatedW: 2000},
		{ID: "sub", Name: "Sub", Role: site.Converter, From: "box", Line: 2, Volts: 230, BreakerA: 10},
		{ID: "c", Name: "C", Role: site.Device, From: "sub", RatedW: 500},
	}
	w, err := site.NewWiring(nodes, nil)
	if err != nil {
		t.Fatal(err)
	}
	p := w.At(1)
	// By rounds, each line by itself: one way 0.27 Ω, and back for what is not even.
	const r = 0.0225 * 30 / 2.5
	v := [3]float64{230, 230, 230}
	single := [3]float64{1000, 500, 0}
	for range 200 {
		for k := range v {
			v[k] = 230 - r*(1000+single[k])/v[k] - r*single[k]/v[k]
		}
	}
	for k, want := range []float64{2000 / v[0], 1500 / v[1], 1000 / v[2]} {
		if math.Abs(p[1].LineA[k]-want) > 1e-9 {
			t.Errorf("line %d of the box: %g, want %g", k+1, p[1].LineA[k], want)
		}
	}
	if math.Abs(p[0].LineA[2]-1000/v[2]-2000.0/230) > 1e-9 || p[0].A != p[0].LineA[2] || math.Abs(p[3].V-v[0]) > 1e-9 ||
		math.Abs(p[6].V-v[1]) > 1e-9 || math.Abs(p[5].A-500/v[1]) > 1e-9 {
		t.Errorf("%+v", p)
	}
	if f := w.Faults(p); len(f) != 0 || len(w.Join(2)) != 0 {
		t.Errorf("%+v, %v", f, w.Join(2))
	}
	w.Nodes[4].RatedW = 3000 // 13 A, and the third of the arm
	if f := w.Faults(w.At(1)); len(f) != 1 || f[0].Node != "s" || f[0].What != "breaker" {
		t.Errorf("%+v", f)
	}
	w.Nodes[2].TakesV = [2]float64{395, 440}
	if f := w.Faults(w.At(1)); len(f) != 2 || !strings.Contains(f[1].Says, "Arm gets 39") {
		t.Errorf("%+v", f)
	}
	if j := w.Join(2); len(j) != 0 { // 398 V
		t.Errorf("%v", j)
	}
	for want, change := range map[string]func(n []site.PowerNode){
		"C hangs on line 1, and Sub has one": func(n []site.PowerNode) { n[6].Line = 1 },
		"A hangs on line 4":                  func(n []site.PowerNode) { n[3].Line = 4 },
		"Stage has 2":                        func(n []site.PowerNode) { n[0].Lines = 2 },
		"Box has 3":                          func(n []site.PowerNode) { n[1].Lines = 3 },
	} {
		n := append([]site.PowerNode{}, nodes...)
		change(n)
		if _, err := site.NewWiring(n, nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %s", err, want)
		}
	}
}

// Where one end of a range was typed, that end is held against what is given.
func TestHalfARange(t *testing.T) {
	for _, c := range []struct {
		takes [2]float64
		bad   string
	}{{[2]float64{44, 0}, ""}, {[2]float64{50, 0}, "Lamp takes 50 V or more and Rack gives 48"},
		{[2]float64{0, 52}, ""}, {[2]float64{0, 24}, "Lamp takes at most 24 V and Rack gives 48"}} {
		n := wiring()
		n[0].TakesV = c.takes
		w, err := site.NewWiring(n, nil)
		if err != nil {
			t.Fatal(err)
		}
		if j := strings.Join(w.Join(0), ""); !strings.HasPrefix(j, c.bad) || (j == "") != (c.bad == "") {
			t.Errorf("%v: %q", c.takes, j)
		}
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
