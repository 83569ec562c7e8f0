package clock_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"keenarc/core/clock"
)

// A minute of readings over a line that is held up now and then gives the rate to two
// millionths, and says itself how well it knows it.
func TestCompare(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	outside, worst := 0, 0.0
	const runs = 200
	for range runs {
		ppm, from := 100*rng.NormFloat64(), 1e5*rng.Float64()
		var all []clock.Pair
		for s := 0.0; s < 60; s += 0.1 {
			there, back := 40e-6*(1+rng.ExpFloat64()), 40e-6*(1+rng.ExpFloat64())
			if rng.IntN(20) == 0 { // the host had something else to do
				there += 0.03 * rng.Float64()
			}
			sent, read := 1000+s, 1000+s+there
			got := read + back
			all = append(all, clock.Pair{Own: from + read*(1+ppm/1e6), Ref: (sent + got) / 2, Within: (got - sent) / 2})
		}
		a, err := clock.Compare(all)
		if err != nil {
			t.Fatal(err)
		}
		off := math.Abs(a.PPM - ppm)
		if worst = max(worst, off); off > a.Within {
			outside++
		}
		if a.Within > 2 {
			t.Errorf("known to %g ppm only", a.Within)
		}
		at, within := a.Ref(from + 1030*(1+ppm/1e6))
		if math.Abs(at-1030) > 60e-6 || within > 60e-6 {
			t.Errorf("off by %g s, said %g", at-1030, within)
		}
	}
	if worst > 2 || outside > runs/10 {
		t.Errorf("off by up to %g ppm; %d of %d outside of what was said", worst, outside, runs)
	}
}

// Of each stretch of time the surest reading counts, however wrong the others are.
func TestTheSurestCounts(t *testing.T) {
	var all []clock.Pair
	for s := 0.0; s < 60; s += 0.25 {
		all = append(all, clock.Pair{Own: 1000 + s*(1+20e-6), Ref: s, Within: 50e-6},
			clock.Pair{Own: 1000 + s*(1+20e-6) + 0.01*s, Ref: s + 0.01, Within: 0.3})
	}
	for range 2 {
		a, err := clock.Compare(all)
		if err != nil || math.Abs(a.PPM-20) > 0.01 {
			t.Errorf("%+v, %v", a, err)
		}
		slices.Reverse(all)
	}
}

func TestCompareRefuses(t *testing.T) {
	same := clock.Pair{Own: 1, Ref: 1, Within: 1e-4}
	for name, all := range map[string][]clock.Pair{"none": nil, "two": {same, {Own: 2, Ref: 2}},
		"all at once": {same, same, same, same}} {
		if _, err := clock.Compare(all); !errors.Is(err, clock.ErrTooFew) {
			t.Errorf("%s: %v", name, err)
		}
	}
	// A clock that jumps is known badly, and it is said.
	var all []clock.Pair
	for s := 0.0; s < 60; s++ {
		p := clock.Pair{Own: s, Ref: s, Within: 1e-4}
		if s > 40 {
			p.Own += 0.05
		}
		all = append(all, p)
	}
	if a, err := clock.Compare(all); err != nil || a.Within < 50 {
		t.Errorf("%+v, %v", a, err)
	}
}

func TestLate(t *testing.T) {
	d, err := clock.Late([]float64{0.1, 0.12, 0.14}, 25)
	if err != nil || math.Abs(d.MeanMS-120) > 1e-9 || math.Abs(d.SigmaMS-20) > 1e-9 || math.Abs(d.Frames-3) > 1e-12 ||
		math.Abs(d.Spread-1) > 1e-12 || d.LeastMS != 100 || d.MostMS != 140 || d.N != 3 {
		t.Errorf("%+v, %v", d, err)
	}
	if d, err := clock.Late([]float64{0.1}, 25); err != nil || d.SigmaMS != 0 {
		t.Errorf("%+v, %v", d, err)
	}
	if _, err := clock.Late(nil, 25); err == nil {
		t.Error("of nothing")
	}
	// 20 ppm are 0.0288 of a frame a minute at 24: a quarter after 8.68 minutes, either way.
	for _, ppm := range []float64{20, -20} {
		if m := (&clock.Against{PPM: ppm}).QuarterMin(24); math.Abs(m-0.25/0.0288) > 1e-9 {
			t.Errorf("at %g ppm a quarter of a frame after %g minutes", ppm, m)
		}
	}
	if m := (&clock.Against{}).QuarterMin(24); !math.IsInf(m, 1) {
		t.Errorf("a right clock is off after %g minutes", m)
	}
	if v := (&clock.Against{PPM: 20}).DriftFrames(600, 24); math.Abs(v-0.288) > 1e-12 {
		t.Errorf("%g", v)
	}
}
