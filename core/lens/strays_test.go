package lens_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"keenarc/core/lens"
)

// scale draws marks of a ring that is cut by one law or another, taken to so many degrees.
func scale(rng *rand.Rand, read float64) (ring, value []float64) {
	marks := []float64{0.45, 0.6, 0.8, 1, 1.5, 2, 3, 4, 6, 10}
	n := 7 + rng.IntN(4)
	law := rng.IntN(3)
	for _, v := range marks[:n] {
		at := 0.0
		switch law {
		case 0:
			at = 300 * (1/0.45 - 1/v) / (1/0.45 - 1/marks[n-1])
		case 1:
			at = 300 * math.Log(v/0.45) / math.Log(marks[n-1]/0.45)
		default: // between the two, as a cam is cut
			at = 150*(1/0.45-1/v)/(1/0.45-1/marks[n-1]) + 150*math.Log(v/0.45)/math.Log(marks[n-1]/0.45)
		}
		ring, value = append(ring, at+read*rng.NormFloat64()), append(value, v)
	}
	return ring, value
}

// Clean scales, of any law, accuse nobody, though they are read to a degree in 300; a mark that was
// misread, an end as well, is named, alone or among those that may be it.
func TestMisreadMarks(t *testing.T) {
	for _, c := range []struct {
		read       float64
		one, other int // of so many at most one: clean ones that accuse, misread ones that accuse others
	}{{0.3, 500, 500}, {0.6, 500, 100}, {1, 50, 30}} {
		rng := rand.New(rand.NewPCG(30, 77))
		const rounds = 3000
		clean, accused, named, among, others, missed, tried := 0, 0, 0, 0, 0, 0, 0
		for range rounds {
			ring, value := scale(rng, c.read)
			r, err := lens.Rule("focus", ring, value)
			if err != nil {
				continue
			}
			if clean++; len(r.Strays()) > 0 {
				accused++
			}
			k := rng.IntN(len(value))
			bad := append([]float64{}, value...)
			bad[k] *= []float64{0.89, 1.12}[rng.IntN(2)] // 0.45 read as 0.40
			if r, err = lens.Rule("focus", ring, bad); err != nil {
				continue // it passed its neighbour: refused already
			}
			tried++
			s := r.Strays()
			has := false
			for _, x := range s {
				has = has || x.RingDeg == ring[k]
			}
			switch {
			case len(s) == 0:
				missed++
			case has && len(s) == 1:
				named++
			case has:
				among++
			default:
				others++
			}
		}
		t.Logf("read to %g°: of %d clean scales %d accuse; of %d misread marks %d named, %d among others, %d missed, "+
			"%d accuse others",
			c.read, clean, accused, tried, named, among, missed, others)
		if accused*c.one > clean || others*c.other > tried || named < tried*6/10 {
			t.Error("innocents are accused, or too few are named")
		}
	}
}

// The nearest mark, at an end, was misread: it is among those that are named, and no mark far from it.
func TestMisreadEnd(t *testing.T) {
	marks := []float64{0.45, 0.6, 0.8, 1, 1.5, 2, 3, 5, 10}
	for name, at := range map[string]func(float64) float64{
		"by the inverse":   func(v float64) float64 { return 300 * (1/0.45 - 1/v) / (1/0.45 - 0.1) },
		"by the logarithm": func(v float64) float64 { return 300 * math.Log(v/0.45) / math.Log(10/0.45) },
	} {
		var ring []float64
		for _, v := range marks {
			ring = append(ring, at(v))
		}
		r, err := lens.Rule("focus", ring, marks)
		if err != nil || len(r.Strays()) != 0 {
			t.Fatalf("%s: clean, and %+v, %v", name, r.Strays(), err)
		}
		bad := append([]float64{0.4}, marks[1:]...)
		if r, err = lens.Rule("focus", ring, bad); err != nil {
			t.Fatal(err)
		}
		s := r.Strays()
		if len(s) == 0 && name == "by the logarithm" { // 11 degrees beyond all others: too few to tell
			continue
		}
		if len(s) == 0 || s[0].Value != 0.4 || s[len(s)-1].Value > 0.6 || s[0].OneOf != (len(s) > 1) ||
			math.Abs(s[0].Expect-0.45) > 0.02 {
			t.Errorf("%s: %+v", name, s)
		}
	}
	// Two of ten are misread: both are named, and nobody else.
	ring, value := []float64{}, append([]float64{}, 0.45, 0.6, 0.8, 1, 1.25, 1.5, 2, 3, 5, 10)
	for _, v := range value {
		ring = append(ring, 300*(1/0.45-1/v)/(1/0.45-0.1))
	}
	value[2], value[7] = 0.72, 3.6
	r, err := lens.Rule("focus", ring, value)
	if err != nil {
		t.Fatal(err)
	}
	if s := r.Strays(); len(s) != 2 || math.Abs(s[0].Value-0.72) > 1e-9 || math.Abs(s[1].Value-3.6) > 1e-9 ||
		s[0].OneOf {
		t.Errorf("%+v", s)
	}
}
