package site_test

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/site"
)

func ground() *site.Ground {
	return &site.Ground{Footprint: site.Typed{As: "0.3 m"}, Margin: site.Typed{As: "4\""},
		Owned:    []site.Owned{{Length: site.Typed{As: "8'"}, Count: 1}, {Length: site.Typed{As: "1 m"}, Count: 2}},
		Supports: []site.Support{},
		Rules:    site.LevelRules{GaugeMM: 600, SlopeMMPM: 1, TwistMMPM: 0.7, PackersMM: []float64{1, 2}},
		Base:     site.Base{MassKg: 100, Feet: 4, PadCM2: 100, Worst: 1}}
}

func groundSays(t *testing.T, g *site.Ground, path *[2]float64) *site.GroundSheet {
	t.Helper()
	if err := g.Read(); err != nil {
		t.Fatal(err)
	}
	v, err := g.Sheet(path)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// Lengths as typed, in feet and in metres; out of the path or given; too short is said
// with how much is missing.
func TestGroundSays(t *testing.T) {
	v := groundSays(t, ground(), &[2]float64{200, 2000})
	if v.NeedMM != 1800+300+2*101.6 || v.TotalMM != 2438.4 || v.OK || !v.Reaches ||
		v.Says != "1 × 8': 2.44 m of rail for the 2.30 it needs." ||
		v.RunSays != "as the path goes, from 200 to 2000 mm" || v.Level != "Nobody has measured the floor yet." {
		t.Errorf("%+v", v)
	}
	g := ground()
	g.Run = &site.Typed{As: "9' 6 1/2\""}
	if v := groundSays(t, g, &[2]float64{200, 2000}); math.Abs(v.RunMM-2908.3) > 1e-9 ||
		v.RunSays != "as it was given" || v.Says != "1 × 8' and 1 × 1 m: 3.44 m of rail for the 3.41 it needs." {
		t.Errorf("%+v", v)
	}
	g.Run.As = "4.2 m"
	if v := groundSays(t, g, nil); v.OK || v.Says != "Too short: all sections together are 4438 mm and it needs 4704. "+
		"Find 265 mm more." {
		t.Errorf("%+v", v)
	}
	if v := groundSays(t, ground(), nil); v.Says != "No rail is needed." || !v.Reaches || len(v.Used) != 0 {
		t.Errorf("%+v", v)
	}
	// Packed: within, then with packers that are too thick.
	g = ground()
	g.Supports = []site.Support{at(0, 0, 0), at(1000, -3, -3)}
	if v := groundSays(t, g, &[2]float64{200, 2000}); v.OK || !strings.HasPrefix(v.Level,
		"4 packers. Then the steepest is 0.0 mm/m, the twist 0.0, and across it is 0.0: within 1, 0.7 and 1.") ||
		!strings.HasPrefix(v.More[0], "Measured over 1.00 m of the 2.44") {
		t.Errorf("%+v", v)
	}
	g.Base.FloorKN = 50
	g.Supports = append(g.Supports, at(2000, -3, -3), at(2400, -3, -3))
	if v := groundSays(t, g, &[2]float64{200, 2000}); !v.OK {
		t.Errorf("measured all along, and the floor bears it: %+v", v)
	}
	if v := groundSays(t, g, &[2]float64{500, 500}); math.Abs(v.NeedMM-503.2) > 1e-9 ||
		v.Says != "1 × 1 m: 1.00 m of rail for the 0.50 it needs." {
		t.Errorf("it stands still: %+v", v)
	}
	g.Run = &site.Typed{As: "0"}
	if v := groundSays(t, g, nil); math.Abs(v.NeedMM-503.2) > 1e-9 {
		t.Errorf("it stands still: %+v", v)
	}
	g.Run = nil
	g.Rules.PackersMM = []float64{5}
	if v := groundSays(t, g, nil); v.OK || !strings.Contains(v.Level,
		"packers leave 2.0 mm/m of slope, 0.0 of twist and 0.0 across: 1, 0.7 and 1 are borne") {
		t.Errorf("%+v", v)
	}
}

// What swings, what comes down behind, and what the floor takes.
func TestStands(t *testing.T) {
	g := ground()
	g.Swing = &site.Swing{TailM: 1.2, PivotM: 1.5, FrontUpD: 30, HangsM: 0.4, KeepM: 0.6}
	g.Base.FloorKN = 50
	says := func(want string, ok bool) {
		t.Helper()
		v := groundSays(t, g, nil)
		if text := strings.Join(v.More, "\n"); !strings.Contains(text, want) || v.OK != ok {
			t.Errorf("%s (%v)\nin\n%s (%v)", want, ok, text, v.OK)
		}
	}
	says("1.20 m behind the column: measure the room there", false)
	g.Swing.RoomM = 1.7
	says("0.60 stay free for people: 0.10 m too little room", false)
	g.Swing.RoomM = 2
	says("0.20 m more than that", true)
	says("With the front 30° up its weights stay 0.50 m over the floor", true)
	g.Swing.HangsM = 0.88
	says("come to 0.02 m over the floor", false)
	g.Swing.HangsM, g.Base.FloorKN = 0, 0
	says("100 kg on 4 feet: 0.2 kN on the worst, 25 kN/m² under its pad. What the floor bears is not typed", false)
	g.Base.FloorKN = 10
	says("more than the 10 it bears: larger pads, of 246 cm² at least", false)
	g.Base.FloorKN = 30
	says("25 kN/m² under its pad of the 30 it bears", true)
}

// What is proposed for a rig is a ground, with the margin that its drive stops in.
func TestProposeGround(t *testing.T) {
	r := fixture.Slider()
	g := site.ProposeGround(r)
	v := groundSays(t, g, &[2]float64{100, 1000})
	a := r.Axes[0].Working
	if want := math.Ceil((a.Speed*0.2+a.Speed*a.Speed/2/a.Acceleration)/10) * 10; g.Margin.MM != want || !v.Reaches ||
		g.Swing != nil {
		t.Errorf("%+v, want a margin of %g", g, want)
	}
	if g := site.ProposeGround(nil); groundSays(t, g, nil).Says != "No rail is needed." {
		t.Errorf("%+v", g)
	}
}

func TestGroundSheetMistakes(t *testing.T) {
	for want, change := range map[string]func(g *site.Ground){
		`owned[0].length: "far" is no distance; give metres`: func(g *site.Ground) {
			g.Owned[0].Length.As = "far"
		},
		`margin: a distance of "-1"`: func(g *site.Ground) { g.Margin.As = "-1" },
		`run: "12,500 mm" may be 12500 mm or 12.500 mm; say which`: func(g *site.Ground) {
			g.Run = &site.Typed{As: "12,500 mm"}
		},
		`footprint: "x" is no distance`: func(g *site.Ground) { g.Footprint.As = "x" },
		"has no height under its right rail": func(g *site.Ground) {
			g.Supports = []site.Support{at(0, 0, 0), {AtMM: 5, LeftMM: new(float64)}}
		},
		"swing.tail_m: it is -1":    func(g *site.Ground) { g.Swing = &site.Swing{TailM: -1} },
		"0 kg on 4 feet":            func(g *site.Ground) { g.Base.MassKg = 0 },
		"there are -1 of 2438.4 mm": func(g *site.Ground) { g.Owned[0].Count, g.Run = -1, &site.Typed{As: "1 m"} },
	} {
		g := ground()
		change(g)
		err := g.Read()
		if err == nil {
			_, err = g.Sheet(nil)
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}
