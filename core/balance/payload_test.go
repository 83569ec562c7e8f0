package balance_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/balance"
	"keenarc/core/rig"
)

// turned is a random rotation by rows, from a quaternion of length 1.
func turned(rng *rand.Rand) [3]rig.Vec {
	q := [4]float64{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}
	n := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
	w, x, y, z := q[0]/n, q[1]/n, q[2]/n, q[3]/n
	return [3]rig.Vec{{1 - 2*(y*y+z*z), 2 * (x*y - w*z), 2 * (x*z + w*y)}, {2 * (x*y + w*z), 1 - 2*(x*x+z*z),
		2 * (y*z - w*x)}, {2 * (x*z - w*y), 2 * (y*z + w*x), 1 - 2*(x*x+y*y)}}
}

func cross(a, b rig.Vec) rig.Vec {
	return rig.Vec{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

func plus(a, b rig.Vec) rig.Vec { return rig.Vec{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }

// felt is what a sensor feels of a payload, by Newton: its weight, and that at its arm.
func felt(r [3]rig.Vec, kg float64, at, bf, bt rig.Vec) balance.WristPose {
	// The world's down in the sensor's axes is minus the last row.
	f := rig.Vec{-r[2][0] * kg * balance.G, -r[2][1] * kg * balance.G, -r[2][2] * kg * balance.G}
	torque := plus(cross(at, f), bt)
	f = plus(f, bf)
	return balance.WristPose{Rotation: r, ForceN: &f, TorqueNM: torque}
}

func off(a, b rig.Vec) float64 {
	return math.Max(math.Abs(a[0]-b[0]), math.Max(math.Abs(a[1]-b[1]), math.Abs(a[2]-b[2])))
}

// Synthetic poses give the payload back to 1e-8, with the sensor's bias and without,
// and by torques alone with a weighed mass.
func TestPayloadFromPoses(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	for range 200 {
		kg := 0.2 + 15*rng.Float64()
		at := rig.Vec{rng.NormFloat64() * 0.1, rng.NormFloat64() * 0.1, rng.NormFloat64() * 0.1}
		bf, bt := rig.Vec{rng.NormFloat64() * 5, rng.NormFloat64() * 5, rng.NormFloat64() * 5},
			rig.Vec{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}
		var plain, biased, alone []balance.WristPose
		for range 5 {
			r := turned(rng)
			plain, biased = append(plain, felt(r, kg, at, rig.Vec{}, rig.Vec{})), append(biased,
				felt(r, kg, at, bf, bt))
			alone = append(alone, balance.WristPose{Rotation: r, TorqueNM: biased[len(biased)-1].TorqueNM})
		}
		p, err := balance.Weighing{G: balance.G}.From(plain[:2])
		if err != nil && strings.Contains(err.Error(), "within 10°") {
			continue
		}
		if err != nil || math.Abs(p.MassKg-kg) > 1e-8 || off(p.Centre, at) > 1e-8 || p.ResidualN > 1e-8 ||
			p.ResidualNM > 1e-8 {
			t.Fatalf("%+v, %v; want %g at %v", p, err, kg, at)
		}
		if p, err = (balance.Weighing{G: balance.G, Bias: true}).From(biased); err != nil || math.Abs(p.MassKg-kg) >
			1e-8 || off(p.Centre, at) > 1e-8 || off(p.BiasForce, bf) > 1e-8 || off(p.BiasTorque, bt) > 1e-8 {
			t.Fatalf("with bias: %+v, %v; want %g at %v, %v, %v", p, err, kg, at, bf, bt)
		}
		if p, err = (balance.Weighing{G: balance.G, Bias: true}).From(alone); err != nil || p.Weighed ||
			p.MassKg != 0 || off(p.Moment, rig.Vec{kg * at[0], kg * at[1], kg * at[2]}) > 1e-8 {
			t.Fatalf("torques alone: %+v, %v", p, err)
		}
		if p, err = (balance.Weighing{G: balance.G, Bias: true, Known: &kg}).From(alone); err != nil || !p.Weighed ||
			p.MassKg != kg || off(p.Centre, at) > 1e-8 {
			t.Fatalf("with a scale: %+v, %v", p, err)
		}
		if p, err = (balance.Weighing{G: balance.G, Bias: true, Known: &kg}).From(biased); err != nil ||
			p.MassKg != kg || off(p.BiasForce, bf) > 1e-8 {
			t.Fatalf("weighed and felt: %+v, %v", p, err)
		}
		wrong := kg + 1 // what is weighed stays; the forces say that it does not fit
		if p, err = (balance.Weighing{G: balance.G, Known: &wrong}).From(plain); err != nil || p.MassKg != wrong ||
			math.Abs(p.ResidualN-balance.G) > 1e-8 {
			t.Fatalf("weighed wrongly: %+v, %v", p, err)
		}
	}
}

// about turns the sensor about one of its axes.
func about(axis int, deg float64) [3]rig.Vec {
	s, c := math.Sincos(deg * math.Pi / 180)
	switch axis {
	case 0:
		return [3]rig.Vec{{1, 0, 0}, {0, c, -s}, {0, s, c}}
	case 1:
		return [3]rig.Vec{{c, 0, s}, {0, 1, 0}, {-s, 0, c}}
	}
	return [3]rig.Vec{{c, -s, 0}, {s, c, 0}, {0, 0, 1}}
}

// Poses that cannot tell are refused with the direction that is missing.
func TestPayloadMistakes(t *testing.T) {
	pose := func(r [3]rig.Vec) balance.WristPose { return felt(r, 3, rig.Vec{0.1, 0.2, 0.3}, rig.Vec{}, rig.Vec{}) }
	half, neg := about(0, 90), 0.0
	push := pose(about(0, 0))
	push.ForceN = &rig.Vec{0, 0, 20} // a payload does not push up
	bare := pose(about(0, 40))
	bare.ForceN = nil
	skew := pose(half)
	skew.Rotation[0][0] = 1.1
	mirror := pose(about(0, 0))
	mirror.Rotation[0][0] = -1
	for want, c := range map[string]struct {
		w balance.Weighing
		p []balance.WristPose
	}{
		"poses: gravity pulls along z of the sensor in all of them, so how far the centre lies along it is missing": {
			balance.Weighing{G: 9.8}, []balance.WristPose{pose(about(2, 0)), pose(about(2, 70)), pose(about(0, 180))}},
		"poses: gravity pulls along [0.00, 0.71, 0.71] of the sensor": {
			balance.Weighing{G: 9.8}, []balance.WristPose{pose(about(0, 45))}},
		"poses: gravity's directions lie on one line, along [0.00, 0.71, -0.71] of the sensor": {
			balance.Weighing{G: 9.8, Bias: true}, []balance.WristPose{pose(about(0, 0)), pose(half)}},
		"poses: gravity pulls along y of the sensor in all of them, so nothing can be told from the sensor's": {
			balance.Weighing{G: 9.8, Bias: true}, []balance.WristPose{pose(half), pose(half), pose(half)}},
		"poses: there are none":            {balance.Weighing{G: 9.8}, nil},
		"g: it is 0":                       {balance.Weighing{}, []balance.WristPose{pose(half)}},
		"mass_kg: it is 0":                 {balance.Weighing{G: 9.8, Known: &neg}, []balance.WristPose{pose(half)}},
		"poses[1].force_n: some poses":     {balance.Weighing{G: 9.8}, []balance.WristPose{pose(half), bare}},
		"poses[0].rotation: pose 1 is not": {balance.Weighing{G: 9.8}, []balance.WristPose{skew}},
		"poses[0].rotation: pose 1 is a":   {balance.Weighing{G: 9.8}, []balance.WristPose{mirror}},
		"poses: the mass comes out at -": {balance.Weighing{G: 9.8},
			[]balance.WristPose{push, felt(half, -2, rig.Vec{}, rig.Vec{}, rig.Vec{})}},
		"poses[0].torque_nm: pose 1 has NaN": {balance.Weighing{G: 9.8},
			[]balance.WristPose{{Rotation: half, TorqueNM: rig.Vec{math.NaN()}}}},
		"poses[0].force_n: pose 1 has +Inf": {balance.Weighing{G: 9.8},
			[]balance.WristPose{{Rotation: half, ForceN: &rig.Vec{math.Inf(1)}}}},
	} {
		if _, err := c.w.From(c.p); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	// Under ten degrees apart they tell nothing that is more than noise; with bias all three.
	for deg, ok := range map[float64]bool{0.02: false, 0.5: false, 9.9: false, 10.1: true, 170.1: false, 169.9: true} {
		if _, err := (balance.Weighing{G: 9.8}).From([]balance.WristPose{pose(half), pose(about(0, 90+deg))}); (err ==
			nil) != ok {
			t.Errorf("%g° apart: %v", deg, err)
		}
	}
	for deg, ok := range map[float64]bool{9.9: false, 10.1: true} {
		if _, err := (balance.Weighing{G: 9.8, Bias: true}).From([]balance.WristPose{pose(half), pose(about(0, 90+deg)),
			pose(about(1, 90))}); (err == nil) != ok {
			t.Errorf("with bias, %g° apart: %v", deg, err)
		}
	}
}

// With noise on the sensor the stated standard deviations cover what they say; one who leans on a pose
// with ten newtons is named, and one who does not is not.
func TestPayloadSpread(t *testing.T) {
	rng := rand.New(rand.NewPCG(29, 8))
	const runs = 1500
	in, mass, named, innocent := 0, 0, 0, 0
	for range runs {
		kg, at := 1+8*rng.Float64(), rig.Vec{rng.NormFloat64() * 0.08, rng.NormFloat64() * 0.08,
			rng.NormFloat64() * 0.08}
		var poses []balance.WristPose
		count := 4 + rng.IntN(2)
		for k := range count {
			r := about(0, 90*float64(k))
			if k == count-1 {
				r = about(1, 90)
			}
			p := felt(r, kg, at, rig.Vec{3, -2, 1}, rig.Vec{0.2, 0.1, -0.3})
			for i := range 3 {
				p.ForceN[i] += 0.15 * rng.NormFloat64()
				p.TorqueNM[i] += 0.015 * rng.NormFloat64()
			}
			poses = append(poses, p)
		}
		w := balance.Weighing{G: balance.G, Bias: true}
		p, err := w.From(poses)
		if err != nil {
			t.Fatal(err)
		}
		if math.Abs(p.MassKg-kg) < 1.645**p.MassSigma {
			mass++
		}
		for k := range 3 {
			if math.Abs(p.Centre[k]-at[k]) < 1.645*p.CentreSigma[k] {
				in++
			}
		}
		if balance.Leans(w, poses) >= 0 {
			innocent++
		}
		k := rng.IntN(count)
		push := rig.Vec{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}
		n := push.Norm()
		push = rig.Vec{10 * push[0] / n, 10 * push[1] / n, 10 * push[2] / n}
		*poses[k].ForceN = plus(*poses[k].ForceN, push)
		poses[k].TorqueNM = plus(poses[k].TorqueNM, cross(rig.Vec{0.05, 0.02, 0.06}, push))
		if balance.Leans(w, poses) == k {
			named++
		}
	}
	t.Logf("of %d: mass %.3f, centre %.3f within nine in ten; %d leaning named, %d innocent", runs, float64(mass)/runs,
		float64(in)/runs/3, named, innocent)
	for _, share := range []float64{float64(mass) / runs, float64(in) / runs / 3} {
		if share < 0.85 || share > 0.97 {
			t.Errorf("nine in ten is %.3f", share)
		}
	}
	if named < runs*97/100 || innocent > runs/1000 {
		t.Errorf("%d of %d who leant are named, %d who did not", named, runs, innocent)
	}
}

// Where three poses do not go together nobody can say which: nothing is told of them.
func TestThreePosesThatDisagree(t *testing.T) {
	m := wristed()
	at := rig.Vec{0.001, 0.096, 0.054}
	r := balance.Settled{Checks: all, Told: &balance.Told{MassKg: 4.13, Centre: at}}
	for _, rot := range [][3]rig.Vec{about(0, 0), about(0, 90), about(1, 90)} {
		r.Felt = append(r.Felt, balance.Felt{WristPose: felt(rot, 4.13, at, rig.Vec{}, rig.Vec{})})
	}
	if s, err := r.Sheet(m, load()); err != nil || !s.Payload.OK || !s.Verdict.OK {
		t.Fatalf("%+v, %v", s.Payload, err)
	}
	push := rig.Vec{6, 6, -5}
	*r.Felt[1].ForceN = plus(*r.Felt[1].ForceN, push)
	r.Felt[1].TorqueNM = plus(r.Felt[1].TorqueNM, cross(rig.Vec{0.05, 0.02, 0.06}, push))
	if s, _ := r.Sheet(m, load()); s.Payload.OK || s.Verdict.OK || !strings.Contains(s.Payload.Says, "is not settled") {
		t.Errorf("%+v", s.Payload)
	}
	// Felt, it is weighed: what nobody weighed may be rated by that.
	r.Felt[1].WristPose = felt(about(0, 90), 14, at, rig.Vec{}, rig.Vec{})
	for i, rot := range [][3]rig.Vec{about(0, 0), about(0, 90), about(1, 90)} {
		r.Felt[i].WristPose = felt(rot, 14, at, rig.Vec{}, rig.Vec{})
	}
	r.Told.MassKg = 14
	if s, _ := r.Sheet(m, balance.Hung{}); !s.Payload.OK || s.Verdict.OK || !strings.Contains(s.Verdict.Says,
		"too heavy") {
		t.Errorf("%+v, %+v", s.Payload, s.Verdict)
	}
}

// The pose that tells most is the one across what is known already.
func TestTheNextPose(t *testing.T) {
	pose := func(r [3]rig.Vec) balance.WristPose { return balance.WristPose{Rotation: r} }
	w := balance.Weighing{G: balance.G}
	had := []balance.WristPose{pose(about(0, 0))}
	if n := w.Next(had, []balance.WristPose{pose(about(2, 90)), pose(about(0, 10)), pose(about(0, 90)),
		pose(about(0, 40))}); n != 2 {
		t.Errorf("next is %d", n)
	}
	if n := w.Next(had, nil); n != -1 {
		t.Errorf("next of none is %d", n)
	}
	// With bias: the third across the line of the first two.
	had = append(had, pose(about(0, 90)))
	if n := (balance.Weighing{G: balance.G, Bias: true}).Next(had, []balance.WristPose{pose(about(0, 45)),
		pose(about(1, 20)), pose(about(1, 90))}); n != 2 {
		t.Errorf("next is %d", n)
	}
	if s := w.Spread(had, 2); math.Abs(s-1/balance.G/2) > 1e-9 {
		t.Errorf("two poses at right angles: %g m for a newton metre", s)
	}
	if s := w.Spread(had[:1], 2); !math.IsInf(s, 1) {
		t.Errorf("one pose leaves a direction open: %g", s)
	}
	for told, want := range map[float64]string{3: "stay where", 3.19: "stay where",
		3.22: "It would rise: it holds up 0.22 kg more", 2.78: "It would sink: it holds up 0.22 kg less",
		3.5: "It would rise: it holds up 0.50 kg more", 2: "It would sink: it holds up 1.00 kg less"} {
		if s := balance.Guided(told, 3, 2); !strings.Contains(s, want) {
			t.Errorf("told %g: %s", told, s)
		}
	}
}
