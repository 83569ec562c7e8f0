package balance_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/balance"
	"keenarc/core/rig"
)

// 2.4 kg 20 mm ahead and 50 above, by hand: level 2.4·g·0.02, upright 2.4·g·0.05 the
// other way, and at its worst where the weight lies level with the axis.
func TestTorqueByHand(t *testing.T) {
	s, err := balance.Add([]balance.Piece{{Name: "body", MassKg: 1.4, At: rig.Vec{0.01, 0.02, 0.05}},
		{Name: "lens", MassKg: 1, At: rig.Vec{-0.014, 0.02, 0.05}}})
	if err != nil || s.MassKg != 2.4 || off(s.Centre, rig.Vec{0, 0.02, 0.05}) > 1e-15 {
		t.Fatalf("%+v, %v", s, err)
	}
	const mg = 2.4 * 9.80665
	for deg, want := range map[float64]float64{0: mg * 0.02, 90: -mg * 0.05, -90: mg * 0.05, 180: -mg * 0.02,
		30: mg * (0.02*math.Sqrt(3)/2 - 0.025)} {
		if nm := s.Tilt().NM(deg); math.Abs(nm-want) > 1e-14 {
			t.Errorf("at %g°: %g Nm, want %g", deg, nm, want)
		}
	}
	high := -math.Atan2(0.05, 0.02) * 180 / math.Pi // −68.2°: nose down
	for _, c := range []struct{ from, to, nm, at float64 }{
		{-60, 45, s.Tilt().NM(-60), -60}, {-90, 45, mg * math.Hypot(0.02, 0.05), high}, {0, 180,
			-mg * math.Hypot(0.02, 0.05), high + 180},
		{10, 20, s.Tilt().NM(10), 10}, {290, 420, mg * math.Hypot(0.02, 0.05), high + 360},
	} {
		if nm, at := s.Tilt().Worst(c.from, c.to); math.Abs(nm-c.nm) > 1e-13 || math.Abs(at-c.at) > 1e-9 {
			t.Errorf("%g to %g: worst %g at %g, want %g at %g", c.from, c.to, nm, at, c.nm, c.at)
		}
	}
	if m := s.Tilt().Margin(6, -90, 45); math.Abs(m-6/(mg*math.Hypot(0.02, 0.05))) > 1e-12 {
		t.Errorf("margin %g", m)
	}
	// To the right it sinks to the right: roll falls clockwise, against the torque's sign.
	if r := (balance.Sum{MassKg: 2, Centre: rig.Vec{0.03, 0, 0.01}}).Roll(); math.Abs(r.NM(0)+2*balance.G*0.03) >
		1e-12 || math.Abs(r.NM(90)+2*balance.G*0.01) > 1e-12 {
		t.Errorf("roll: %g, %g", r.NM(0), r.NM(90))
	}
}

// Worst is never less than a fine sampling finds, and is found at the angle it says.
func TestWorstIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		l := balance.Lever{MassKg: 0.1 + 10*rng.Float64(), AheadM: rng.NormFloat64() * 0.1,
			UpM: rng.NormFloat64() * 0.1}
		from := 720 * (rng.Float64() - 0.5)
		to := from + 400*rng.Float64() + 0.01
		nm, at := l.Worst(from, to)
		if at < from || at > to || math.Abs(l.NM(at)-nm) > 1e-12 {
			t.Fatalf("%+v: %g at %g in %g to %g", l, nm, at, from, to)
		}
		for i := range 2001 {
			if v := l.NM(from + (to-from)*float64(i)/2000); math.Abs(v) > math.Abs(nm)+1e-12 {
				t.Fatalf("%+v: %g is worse than %g", l, v, nm)
			}
		}
	}
}

// torqueAbout is gravity's torque about any axis through a place, as a line of a machine's
// joints: axis · ((centre − place) × weight), positive as the axis turns.
func torqueAbout(axis, place, centre rig.Vec, massKg float64) float64 {
	// (r × (0,0,−mg)) = (−r_y·mg, r_x·mg, 0)
	x, y := centre[0]-place[0], centre[1]-place[1]
	return massKg * balance.G * (axis[1]*x - axis[0]*y)
}

// The torque about any axis of a machine is the lever's about tilt, and an inclined
// pan's is m·g·sin·off.
func TestAboutAnyAxis(t *testing.T) {
	if nm := torqueAbout(rig.Vec{0, 1, 0}, rig.Vec{5, 1, 2}, rig.Vec{5.3, 1.02, 2.05}, 2.4); math.Abs(
		nm-2.4*9.80665*0.3) > 1e-12 {
		t.Errorf("to the right it rolls clockwise from behind: %g", nm)
	}
	if nm := torqueAbout(rig.Vec{1, 0, 0}, rig.Vec{5, 1, 2}, rig.Vec{5.3, 1.02, 2.05}, 2.4); math.Abs(
		nm+2.4*9.80665*0.02) > 1e-12 {
		t.Errorf("tilt's own axis turns the nose up: %g", nm)
	}
	tip := 12.0
	sin, cos := math.Sincos(tip * math.Pi / 180)
	most := 0.0
	for deg := range 360 { // a weight 0.1 m from an axis tipped to the right
		s, c := math.Sincos(float64(deg) * math.Pi / 180)
		u, v := rig.Vec{cos, 0, -sin}, rig.Vec{0, 1, 0}
		at := rig.Vec{0.1 * (u[0]*c + v[0]*s), 0.1 * (u[1]*c + v[1]*s), 0.1 * (u[2]*c + v[2]*s)}
		most = max(most, math.Abs(torqueAbout(rig.Vec{sin, 0, cos}, rig.Vec{}, at, 3)))
	}
	if got := balance.Inclined(3, 0.1, tip); math.Abs(got-most) > 1e-4*most ||
		math.Abs(got-3*balance.G*sin*0.1) > 1e-12 {
		t.Errorf("inclined %g, found %g", got, most)
	}
}

func TestArc(t *testing.T) {
	l := balance.Lever{MassKg: 2, AheadM: 0.01, UpM: 0.02}
	a := balance.Arc{FromDeg: -1, ToDeg: 1.25, StepDeg: 0.5}
	at := a.Samples(l)
	if len(at) != 6 || at[0].TiltDeg != -1 || at[4].TiltDeg != 1 || at[5].TiltDeg != 1.25 || at[3].NM != l.NM(0.5) {
		t.Errorf("%+v", at)
	}
	if at = (balance.Arc{FromDeg: -60, ToDeg: 45, StepDeg: 0.1}).Samples(l); len(at) != 1051 || at[1050].TiltDeg != 45 {
		t.Errorf("%d samples to %g", len(at), at[len(at)-1].TiltDeg)
	}
	for want, c := range map[string]struct {
		l balance.Lever
		n float64
	}{
		"It rests wherever it is pointed.": {balance.Lever{MassKg: 2, AheadM: 0.001,
			UpM: 0.001}, 0.1},
		"Let go, level its nose falls; tipped it falls further.": {balance.Lever{MassKg: 2, AheadM: 0.02,
			UpM: 0.02}, 0.1},
		"Let go, level its nose rises; tipped it swings back.": {balance.Lever{MassKg: 2, AheadM: -0.02,
			UpM: -0.02}, 0.1},
		"Let go, level it rests; tipped it falls further.":       {balance.Lever{MassKg: 2, UpM: 0.02}, 0.1},
		"Let go, level its nose falls; tipped it does the same.": {balance.Lever{MassKg: 2, AheadM: 0.02}, 0.1},
		"Let go, level it rests; far over it creeps away.": {balance.Lever{MassKg: 1, AheadM: 0.0099,
			UpM: 0.0099}, 0.0099 * 9.80665 * 1.001},
	} {
		if got := (balance.Arc{FromDeg: -60, ToDeg: 45, StepDeg: 1, FrictionNM: c.n}).Alone(c.l); got != want {
			t.Errorf("%+v: %q, want %q", c.l, got, want)
		}
	}
	for want, a := range map[string]balance.Arc{
		"from_deg: the arc": {FromDeg: 3, ToDeg: 3, StepDeg: 1}, "step_deg: it is 0": {ToDeg: 1},
		"step_deg: a step of 0.001° makes more than 500": {ToDeg: 1, StepDeg: 0.001},
		"motor_nm: it is -1":                             {ToDeg: 1, StepDeg: 1, MotorNM: -1},
		"friction_nm: it is NaN":                         {ToDeg: 1, StepDeg: 1, FrictionNM: math.NaN()},
	} {
		if err := a.Check(500); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	if err := (balance.Arc{ToDeg: 1, StepDeg: 0.002}).Check(500); err != nil {
		t.Error(err)
	}
}

// A crane by hand: 12 kg at 2 m and a boom of 38 kg·m want 62 ÷ 1.2 kg at the tail.
func TestCounterweights(t *testing.T) {
	c := &balance.Crane{TailM: 1.2, BoomKgM: []float64{38}, PayloadKg: 12, ArmsM: []float64{2, 2.5, 3},
		Weights: []balance.Weights{{Kg: 20, Count: 4}, {Kg: 5, Count: 6}}}
	a, err := c.Weigh()
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []struct{ need, kg, left float64 }{{62 / 1.2, 50, 60 - 62}, {68 / 1.2, 55, 66 - 68},
		{74 / 1.2, 60, 72 - 74}} {
		got := a.Arms[i]
		if math.Abs(got.NeededKg-want.need) > 1e-12 || got.ChosenKg != want.kg ||
			math.Abs(got.LeftKgM-want.left) > 1e-12 {
			t.Errorf("arm %g: %+v, want %+v", got.ArmM, got, want)
		}
	}
	// 60 kg as three of 20, not as two and four of 5; the one set is nearest to the middle.
	if w := a.Arms[2].Chosen; len(w) != 1 || w[0] != (balance.Weights{Kg: 20, Count: 3}) {
		t.Errorf("%+v", w)
	}
	if o := a.OneSet; o.ChosenKg != 55 || math.Abs(o.WorstLeftKgM+8) > 1e-12 || o.AtArmM != 3 ||
		math.Abs(o.LeftKgM[0]-4) > 1e-12 || a.Short != "" {
		t.Errorf("%+v %q", o, a.Short)
	}
	c.BoomKgM = []float64{38, 44, 60}
	if a, _ = c.Weigh(); math.Abs(a.Arms[2].NeededKg-80) > 1e-12 || a.Arms[2].ChosenKg != 80 ||
		len(a.Arms[2].Chosen) != 1 {
		t.Errorf("a boom of its own for each arm: %+v", a.Arms)
	}
	c.ArmsM, c.BoomKgM = []float64{20}, []float64{38}
	if a, _ = c.Weigh(); a.Arms[0].ChosenKg != 110 || !strings.Contains(a.Short,
		"it needs 231.7 kg at the tail and all of them are 110.0 kg, 121.7 too few") {
		t.Errorf("%+v %q", a.Arms, a.Short)
	}
	// A hundredth too few is too few.
	c.ArmsM, c.BoomKgM = []float64{10}, []float64{1.2*110*1.01 - 12*10}
	if a, _ = c.Weigh(); !strings.Contains(a.Short, "1.1 too few") {
		t.Errorf("%+v %q", a.Arms, a.Short)
	}
	c.ArmsM, c.BoomKgM = []float64{2}, []float64{-84}
	if a, _ = c.Weigh(); a.Arms[0].ChosenKg != 0 || !strings.Contains(a.Short, "wants 50.0 kg less there") {
		t.Errorf("%+v %q", a.Arms, a.Short)
	}
}

// The sets chosen are held against all there are, by brute force.
func TestCounterweightsAreTheNearest(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 200 {
		c := &balance.Crane{TailM: 0.5 + rng.Float64(), BoomKgM: []float64{40 * rng.Float64()},
			PayloadKg: 1 + 20*rng.Float64(), ArmsM: []float64{1 + rng.Float64(), 2 + rng.Float64(), 3 + rng.Float64()}}
		for range 3 {
			c.Weights = append(c.Weights, balance.Weights{Kg: float64(1+rng.IntN(40)) / 2, Count: rng.IntN(5)})
		}
		a, err := c.Weigh()
		if err != nil {
			t.Fatal(err)
		}
		worst := math.Inf(1)
		best := []float64{worst, worst, worst}
		pieces := []int{0, 0, 0}
		w := c.Weights
		for i := 0; i <= w[0].Count; i++ {
			for j := 0; j <= w[1].Count; j++ {
				for k := 0; k <= w[2].Count; k++ {
					kg, most := float64(i)*w[0].Kg+float64(j)*w[1].Kg+float64(k)*w[2].Kg, 0.0
					for n, arm := range c.ArmsM {
						left := math.Abs(kg*c.TailM - c.PayloadKg*arm - c.BoomKgM[0])
						most = max(most, left)
						if left < best[n]-1e-9 || left < best[n]+1e-9 && i+j+k < pieces[n] {
							best[n], pieces[n] = left, i+j+k
						}
					}
					worst = min(worst, most)
				}
			}
		}
		for n, got := range a.Arms {
			count, kg := 0, 0.0
			for _, x := range got.Chosen {
				count, kg = count+x.Count, kg+x.Kg*float64(x.Count)
			}
			if math.Abs(math.Abs(got.LeftKgM)-best[n]) > 1e-9 || count != pieces[n] ||
				math.Abs(kg-got.ChosenKg) > 1e-9 {
				t.Fatalf("%+v: %+v, the nearest leaves %g with %d pieces", c, got, best[n], pieces[n])
			}
		}
		if math.Abs(math.Abs(a.OneSet.WorstLeftKgM)-worst) > 1e-9 {
			t.Fatalf("%+v: one set leaves %g, the best %g", c, a.OneSet.WorstLeftKgM, worst)
		}
	}
}

func TestCraneMistakes(t *testing.T) {
	for want, change := range map[string]func(c *balance.Crane){
		"tail_m: it is 0":                  func(c *balance.Crane) { c.TailM = 0 },
		"payload_kg: it is -1":             func(c *balance.Crane) { c.PayloadKg = -1 },
		"arms_m: there are 0":              func(c *balance.Crane) { c.ArmsM = nil },
		"arms_m[1]: the arm is 0 m long":   func(c *balance.Crane) { c.ArmsM[1] = 0 },
		"boom_kgm: there are 2 for 3 arms": func(c *balance.Crane) { c.BoomKgM = []float64{1, 2} },
		"boom_kgm: it is NaN":              func(c *balance.Crane) { c.BoomKgM[0] = math.NaN() },
		"weights: there are none":          func(c *balance.Crane) { c.Weights = nil },
		"weights[0].kg: a weight has 0 kg": func(c *balance.Crane) { c.Weights[0].Kg = 0 },
		"weights[0].count: it is -1":       func(c *balance.Crane) { c.Weights[0].Count = -1 },
		"weights: they make 1000000 different": func(c *balance.Crane) {
			c.Weights = []balance.Weights{{1, 999}, {2, 999}}
		},
	} {
		c := &balance.Crane{TailM: 1.2, BoomKgM: []float64{38}, PayloadKg: 12, ArmsM: []float64{2, 2.5, 3},
			Weights: []balance.Weights{{20, 4}}}
		change(c)
		if _, err := c.Weigh(); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	for _, p := range [][]balance.Piece{nil, {{MassKg: 1}, {Name: "lens", MassKg: -1}},
		{{MassKg: 1, At: rig.Vec{0, math.Inf(1)}}}} {
		if _, err := balance.Add(p); err == nil {
			t.Errorf("%v is added up", p)
		}
	}
}
