package site_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"keenarc/core/site"
)

// Against every choice there is: the fewest pieces, then the shortest.
func TestSectionsEnumerated(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for range 300 {
		owned := []site.RailLength{}
		for range 1 + rng.IntN(3) {
			owned = append(owned, site.RailLength{MM: []float64{500, 750, 1000, 1219.2, 2438.4, 613}[rng.IntN(6)],
				Count: rng.IntN(4)})
		}
		need := 1 + rng.Float64()*6000
		bestN, bestMM := math.MaxInt, math.Inf(1)
		var try func(k, n int, mm float64)
		try = func(k, n int, mm float64) {
			if k == len(owned) {
				if mm >= need-0.05 && (n < bestN || n == bestN && mm < bestMM) {
					bestN, bestMM = n, mm
				}
				return
			}
			for c := 0; c <= owned[k].Count; c++ {
				try(k+1, n+c, mm+float64(c)*owned[k].MM)
			}
		}
		try(0, 0, 0)
		used, total, err := site.Sections(need, owned)
		if bestN == math.MaxInt {
			if err == nil {
				t.Fatalf("%g of %v: %v", need, owned, used)
			}
			continue
		}
		n, mm := 0, 0.0
		for _, u := range used {
			n, mm = n+u.Count, mm+u.MM*float64(u.Count)
		}
		if err != nil || n != bestN || math.Abs(mm-bestMM) > 1e-6 || math.Abs(total-mm) > 1e-6 {
			t.Fatalf("%g of %v: %v (%g), want %d pieces of %g mm, %v", need, owned, used, total, bestN, bestMM, err)
		}
	}
	if n := (site.RailNeed{RunMM: 1200, FootprintMM: 300, MarginMM: 150}).NeedMM(); n != 1800 {
		t.Error(n)
	}
	for want, c := range map[string]struct {
		need  float64
		owned []site.RailLength
	}{
		"find 500 mm more": {2500, []site.RailLength{{1000, 2}}}, "the track needs 0": {0, nil},
		"the track needs NaN": {math.NaN(), nil}, "the track needs 200000": {200_000, nil},
		"there are 13": {1, make([]site.RailLength, 13)}, "there are 101 of 5 mm": {1, []site.RailLength{{5, 101}}},
		"there are 1 of 0 mm": {1, []site.RailLength{{0, 1}}}, "there are -1 of 5 mm": {1, []site.RailLength{{5, -1}}},
	} {
		if _, _, err := site.Sections(c.need, c.owned); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}

func at(mm, left, right float64) site.Support {
	return site.Support{AtMM: mm, LeftMM: &left, RightMM: &right}
}

// By hand: four supports a metre apart, packers of 10, 5, 2 and 1 mm.
func TestPack(t *testing.T) {
	l := site.LevelRules{GaugeMM: 600, SlopeMMPM: 1, TwistMMPM: 1, CrossMMPM: 100, PackersMM: []float64{1, 2, 5, 10}}
	p, err := site.Pack([]site.Support{at(0, 0, -3), at(1000, 4.4, 0), at(2000, -8, -12.6), at(3000, 0, 0)}, l)
	if err != nil {
		t.Fatal(err)
	}
	wantL, wantR := [][]float64{{2, 2}, {}, {10, 2}, {2, 2}}, [][]float64{{5, 2, 1}, {5}, {10, 5, 2}, {2, 2}}
	for i := range wantL {
		if !slices.Equal(p.Left[i].Packers, wantL[i]) || !slices.Equal(p.Right[i].Packers, wantR[i]) {
			t.Errorf("support %d: %v and %v, want %v and %v", i, p.Left[i].Packers, p.Right[i].Packers,
				wantL[i], wantR[i])
		}
	}
	// Left stands −0.4, 0, −0.4, −0.4; right 0.6, 0.6, 0, −0.4: nearest would be −0.4,
	// −0.4 at first, with a twist of 0.8 between the second and the third.
	for i, want := range [][2]float64{{0.4, 0.4}, {-0.6, 0.2}, {-0.4, 0.4}} {
		if b := p.Bays[i]; math.Abs(b.SlopeMMPM-want[0]) > 1e-9 && math.Abs(b.SlopeMMPM+want[0]) > 1e-9 ||
			math.Abs(b.TwistMMPM-want[1]) > 1e-9 || !b.OK {
			t.Errorf("bay %d: %+v, want %v", i, b, want)
		}
	}
	if !p.OK || p.TopMM != 4.4 || p.Count["2"] != 9 || p.Count["10"] != 2 || p.Count["5"] != 3 || p.Count["1"] != 1 ||
		math.Abs(p.WorstT-0.4) > 1e-9 || math.Abs(p.WorstS-0.6) > 1e-9 {
		t.Errorf("%+v", p)
	}
	if b := p.Bare[1]; math.Abs(b.SlopeMMPM+12.6) > 1e-9 || math.Abs(b.TwistMMPM-0.2) > 1e-9 || b.OK {
		t.Errorf("bare: %+v", b)
	}
	// Tolerances are held, each.
	l.TwistMMPM = 0.05
	if p, _ := site.Pack([]site.Support{at(0, 0, -3), at(1000, 4.4, 0), at(2000, -8, -12.6), at(3000, 0, 0)}, l); p.OK {
		t.Errorf("twist: %+v", p.Bays)
	}
	l.TwistMMPM, l.SlopeMMPM = 1, 0.3
	if p, _ := site.Pack([]site.Support{at(0, 0, 0), at(1000, -0.4, -0.4)}, l); p.OK {
		t.Errorf("slope: %+v", p.Bays)
	}
	// Without packers it stands as it stands.
	l.PackersMM = nil
	if p, err := site.Pack([]site.Support{at(0, 0, 0), at(1000, -5, -5)}, l); err != nil || p.OK ||
		p.Left[1].OffMM != -5 {
		t.Errorf("%+v %v", p, err)
	}
}

// Many grounds: no choice of the piles next to what is missing makes straighter rails, and
// none of them could be made of fewer pieces.
func TestPackStraightest(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	l := site.LevelRules{GaugeMM: 600, SlopeMMPM: 1, TwistMMPM: 0.6, CrossMMPM: 2, PackersMM: []float64{1, 3, 4}}
	for range 100 {
		s := []site.Support{at(0, 0, -rng.Float64()*60), at(700, -rng.Float64()*60, -rng.Float64()*60),
			at(1500, -rng.Float64()*60, -rng.Float64()*60)}
		p, err := site.Pack(s, l)
		if err != nil {
			t.Fatal(err)
		}
		var needs []float64
		for i := range s {
			needs = append(needs, p.Left[i].NeedMM, p.Right[i].NeedMM)
			for _, x := range []site.Packed{p.Left[i], p.Right[i]} {
				sum := 0.0
				for _, v := range x.Packers {
					sum += v
				}
				if math.Abs(x.OffMM) > 1.006 || math.Abs(sum-x.NeedMM-x.OffMM) > 0.006 {
					t.Fatalf("%+v", x)
				}
				fewest := math.MaxInt
				for a := range 70 {
					for b := range 25 {
						if c := (int(sum) - a - 3*b) / 4; c >= 0 && a+3*b+4*c == int(sum) {
							fewest = min(fewest, a+b+c)
						}
					}
				}
				if len(x.Packers) != fewest {
					t.Fatalf("%v: %d would do", x.Packers, fewest)
				}
			}
		}
		worst := func(off []float64) float64 {
			w := 0.0
			for i := 1; i < len(s); i++ {
				m := (s[i].AtMM - s[i-1].AtMM) / 1000
				left, right := (off[2*i]-off[2*i-2])/m, (off[2*i+1]-off[2*i-1])/m
				w = max(w, math.Abs(left), math.Abs(right), math.Abs(left-right)/0.6)
			}
			for i := range s {
				w = max(w, math.Abs(off[2*i]-off[2*i+1])/0.6/2)
			}
			return w
		}
		best := math.Inf(1)
		for bits := range 1 << len(needs) {
			off := make([]float64, len(needs))
			for k, n := range needs {
				n = math.Round(n*100) / 100
				if off[k] = math.Floor(n) - n; bits>>k&1 == 1 {
					off[k] = math.Ceil(n) - n
				}
			}
			best = min(best, worst(off))
		}
		if got := max(p.WorstS, p.WorstT/0.6, p.WorstC/2); got > best+0.06 {
			t.Fatalf("%g, and %g would do: %+v", got, best, p)
		}
	}
}

// One rail that lies low all along is no slope and no twist, and it is not level: it is packed, or said.
func TestCrossLevel(t *testing.T) {
	low := []site.Support{at(0, 0, -4.9), at(1000, 0, -4.9), at(2000, 0, -4.9)}
	l := site.LevelRules{GaugeMM: 600, SlopeMMPM: 1, TwistMMPM: 0.7, PackersMM: []float64{10}}
	p, err := site.Pack(low, l)
	if err != nil || p.OK || math.Abs(p.WorstC-4.9/0.6) > 1e-9 || p.WorstS > 1e-9 || p.WorstT > 1e-9 || p.Bays[0].OK ||
		p.Bays[1].OK {
		t.Errorf("%+v, %v", p, err)
	}
	l.CrossMMPM = 9
	if p, _ := site.Pack(low, l); !p.OK {
		t.Errorf("borne: %+v", p)
	}
	l.CrossMMPM, l.PackersMM = 0, []float64{0.5, 1, 2}
	if p, _ := site.Pack(low, l); !p.OK || math.Abs(p.WorstC-0.1/0.6) > 1e-6 || p.Count["2"] != 6 {
		t.Errorf("packed: %+v", p)
	}
	// The worst across is of all supports; piles are chosen by the first one's, too.
	l.PackersMM = nil
	if p, _ := site.Pack([]site.Support{at(0, 0, -4.9), at(1000, 0, 0), at(2000, 0, 0)},
		l); math.Abs(p.WorstC-4.9/0.6) > 1e-9 {
		t.Errorf("%g across", p.WorstC)
	}
	loose := site.LevelRules{GaugeMM: 600, SlopeMMPM: 1e12, TwistMMPM: 1e12, CrossMMPM: 1, PackersMM: []float64{1}}
	if p, _ := site.Pack([]site.Support{at(0, -3.6, -3.4), at(1000, 0, 0)}, loose); !p.OK ||
		math.Abs(p.WorstC-0.2/0.6) > 0.02 {
		t.Errorf("%+v", p)
	}
	// The first bay counts as the last does.
	l.PackersMM = nil
	if p, _ := site.Pack([]site.Support{at(0, -5, -5), at(1000, 0, 0), at(2000, 0, 0)}, l); p.OK || p.Bays[0].OK ||
		!p.Bays[1].OK || math.Abs(p.WorstS-5) > 1e-9 {
		t.Errorf("%+v", p)
	}
}

// Two of four feet are eight feet; of lengths that would be too many to choose from some are found.
func TestSectionsOfFeet(t *testing.T) {
	if used, total, err := site.Sections(2438.4, []site.RailLength{{MM: 1219.2, Count: 2}}); err != nil ||
		len(used) != 1 || used[0].Count != 2 || math.Abs(total-2438.4) > 1e-9 {
		t.Errorf("%v, %g, %v", used, total, err)
	}
	if _, _, err := site.Sections(2438.6, []site.RailLength{{MM: 1219.2, Count: 2}}); err == nil ||
		!strings.Contains(err.Error(), "find 1 mm more") {
		t.Error(err)
	}
	many := []site.RailLength{}
	for k := range 12 {
		many = append(many, site.RailLength{MM: 997.3 + 101.7*float64(k), Count: 100})
	}
	if used, total, err := site.Sections(99_000, many); err != nil || total < 99_000 || len(used) == 0 {
		t.Errorf("%v, %g, %v", used, total, err)
	}
}

func TestGroundMistakes(t *testing.T) {
	l := site.LevelRules{GaugeMM: 600, SlopeMMPM: 1, TwistMMPM: 1, PackersMM: []float64{1}}
	left := 0.0
	for want, s := range map[string][]site.Support{
		"there are 1": {at(0, 0, 0)},
		"the support at 1000 mm has no height under its right": {at(0, 0, 0), {AtMM: 1000, LeftMM: &left}},
		"the support at 0 mm has no height under its left":     {{RightMM: &left}, at(1000, 0, 0)},
		"the support at 0 mm follows that at 0":                {at(0, 0, 0), at(0, 0, 0)},
		"600 mm would have to go under":                        {at(0, 0, 0), at(1000, -600, 0)},
		"there are 501":                                        make([]site.Support, 501),
		"over 30 packers would lie one on another at 1000 mm":  {at(0, 0, 0), at(1000, -31, -31)},
	} {
		if _, err := site.Pack(s, l); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	two := []site.Support{at(0, 0, 0), at(1000, 0, 0)}
	for _, bad := range []site.LevelRules{{GaugeMM: 0, SlopeMMPM: 1, TwistMMPM: 1},
		{GaugeMM: 1, SlopeMMPM: 0, TwistMMPM: 1}, {GaugeMM: 1, SlopeMMPM: 1}, {GaugeMM: 1, SlopeMMPM: 1, TwistMMPM: 1,
			PackersMM: []float64{0}}, {GaugeMM: 1, SlopeMMPM: 1, TwistMMPM: 1, PackersMM: make([]float64, 41)}} {
		if _, err := site.Pack(two, bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// A tail of 1.2 m on a pivot of 1.5, front up 30°, weights hanging 0.4 m under it; 700 kg
// on four feet of 400 cm², the worst with twice its share.
func TestSwingAndBase(t *testing.T) {
	behind, under := site.Swing{TailM: 1.2, PivotM: 1.5, FrontUpD: 30, HangsM: 0.4, RoomM: 2, KeepM: 0.6}.ClearM()
	if math.Abs(behind-0.2) > 1e-12 || math.Abs(under-0.5) > 1e-12 {
		t.Errorf("%g, %g", behind, under)
	}
	kn, p, err := site.Base{MassKg: 700, Feet: 4, PadCM2: 400, Worst: 2}.KN()
	if want := 700 * 9.80665 / 2 / 1000; err != nil || math.Abs(kn-want) > 1e-12 || math.Abs(p-want/0.04) > 1e-9 {
		t.Errorf("%g kN, %g kN/m², %v", kn, p, err)
	}
	for _, bad := range []site.Base{{}, {MassKg: 1, Feet: 1, PadCM2: 1, Worst: 0.5}, {MassKg: 1, PadCM2: 1, Worst: 1},
		{MassKg: math.NaN(), Feet: 1, PadCM2: 1, Worst: 1}} {
		if _, _, err := bad.KN(); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}
