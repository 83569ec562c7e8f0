package balance_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"keenarc/core/balance"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// worst is the most that pulls at a freed head over its arc, with its cables.
func (v *trueHead) worst(b *balance.Bench) float64 {
	l := balance.Lever{MassKg: v.kg, AheadM: v.f + (b.SlideMM-plate.SlideAxisMM)/1000,
		UpM: v.u + (b.RiseMM-plate.RiseAxisMM)/1000}
	if v.cable == 0 {
		nm, _ := l.Worst(v.arc[0], v.arc[1])
		return math.Abs(nm)
	}
	most := 0.0
	for k := range 200 {
		deg := v.arc[0] + (v.arc[1]-v.arc[0])*float64(k)/199
		most = max(most, math.Abs(l.NM(deg)+v.pulls(deg)))
	}
	return most
}

// Heads of which the worst pull is within a tenth of friction, as they stand: fewer than one in ten of
// them is called balanced that falls somewhere, with cables and without.
func TestHeadsAtTheBorder(t *testing.T) {
	rng := rand.New(rand.NewPCG(29, 2))
	for _, cables := range []bool{false, true} {
		const n = 1500
		wrong, done, moved := 0, 0, 0
		for range n {
			b, v := drawn(rng, 0.05)
			if (v.cable > 0) != cables {
				b.CableNM, v.cable = 0, 0
				if cables {
					v.cable = v.friction * (0.1 + 0.6*rng.Float64())
					b.CableNM = v.cable
				}
			}
			v.spring, v.phase = cables, 2*math.Pi*rng.Float64()
			// As far from the axis, in some direction, as makes it so.
			want, way := v.friction*(0.9+0.2*rng.Float64()), 2*math.Pi*rng.Float64()
			near, far := 0.0, 0.2
			for range 60 {
				mid := (near + far) / 2
				if v.f, v.u = mid*math.Cos(way), mid*math.Sin(way); v.worst(b) < want {
					near = mid
				} else {
					far = mid
				}
			}
			for {
				w, err := b.Weigh()
				if err != nil {
					t.Fatal(err)
				}
				if w.Next.Done {
					if done++; v.worst(b) > v.friction {
						wrong++
					}
					break
				}
				if w.Says != "" || w.Next.Try == nil || w.Next.Knob != "" {
					moved++
					break
				}
				v.does(b, w.Next)
			}
		}
		t.Logf("cables %v: of %d heads at the border %d are called balanced, %d of them wrongly; %d are moved on",
			cables, n, done, wrong, moved)
		if wrong > n/10 || done == 0 {
			t.Error("that is too many")
		}
	}
}

// aCrane draws one with what hangs at its tail, evenly over what the sheet takes, and a camera that was
// weighed with a scale that is right to a hundredth in nine cases of ten. With near, the tail hangs so
// far from the middle of what is needed there, in kilograms. It answers how far it truly hangs.
func aCrane(rng *rand.Rand, near float64) (m *rig.Rig, r *balance.Settled, l balance.Hung, off float64) {
	m = fixture.Slider()
	arm := &m.Axes[m.Index("track")]
	arm.Min, arm.Max = 0, 200+2000*rng.Float64()
	arm.Hard = [2]float64{-10, arm.Max + 10}
	k := &rig.Crane{Arm: "track", TailM: 0.8 + 1.7*rng.Float64(), BoomKgM: -20 + 80*rng.Float64(),
		ArmKg: 15 * rng.Float64(),
		HeadM: 1 + 4*rng.Float64(), HeadKg: 12 * rng.Float64()}
	m.Book = &rig.Book{PayloadKg: map[rig.Mounting]float64{rig.Level: 100}, Crane: k}
	kg := 2 + 28*rng.Float64()
	needs := func(mm float64) float64 {
		return ((kg+k.HeadKg)*(k.HeadM+mm/1000) + k.BoomKgM + k.ArmKg*mm/1000) / k.TailM
	}
	middle := (needs(0) + needs(arm.Max)) / 2
	weighed := kg * (1 + 0.01*rng.NormFloat64()/1.645)
	l.WholeKg = &weighed
	r = &balance.Settled{Seen: []balance.Seen{}, Checks: all}
	if near > 0 {
		hung := middle + near
		if rng.IntN(2) == 0 && middle > near+1 {
			hung = middle - near
		}
		r.Own = []balance.Weights{{Kg: hung, Count: 1}, {Kg: hung + 30, Count: 1}}
		r.Weights = r.Own[:1]
		return m, r, l, near
	}
	for _, size := range []float64{25, 10, 5, 2.5, 1}[rng.IntN(3):] {
		r.Own = append(r.Own, balance.Weights{Kg: size, Count: rng.IntN(9)})
	}
	if s, err := r.Sheet(m, l); err == nil { // mostly what it says itself
		r.Weights = s.Crane.OneSet.Chosen
	}
	if rng.IntN(4) == 0 {
		r.Weights = append([]balance.Weights{{Kg: 2.5, Count: 1}}, r.Weights...)
	}
	hung := 0.0
	for _, w := range r.Weights {
		hung += w.Kg * float64(w.Count)
	}
	return m, r, l, math.Abs(hung - middle)
}

// Of cranes drawn evenly at most one in a thousand is said to have the right set where its tail hangs
// over 2.5 kg from the middle of what is needed; of those within a tenth of that, under one in ten.
func TestDrawnCranes(t *testing.T) {
	rng := rand.New(rand.NewPCG(29, 3))
	for _, border := range []bool{false, true} {
		const n = 4000
		right, wrong := 0, 0
		for range n {
			near := 0.0
			if border {
				near = 2.5 * (0.9 + 0.2*rng.Float64())
			}
			m, r, l, off := aCrane(rng, near)
			s, err := r.Sheet(m, l)
			if err != nil {
				t.Fatal(err)
			}
			if s.Crane.OK != s.Verdict.OK {
				t.Fatalf("%+v, %+v", s.Crane, s.Verdict)
			}
			if s.Verdict.OK {
				if right++; off > 2.5 {
					wrong++
				}
			}
		}
		t.Logf("border %v: of %d cranes %d are said to be right, %d of them wrongly", border, n, right, wrong)
		if most := map[bool]int{false: n / 1000, true: n / 10}[border]; wrong > most || right < n/50 {
			t.Error("that is too many, or too few are right")
		}
	}
}
