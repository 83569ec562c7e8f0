package calc

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
)

// One natural cubic by hand: it leaves at 32/3 a second, its acceleration is −35/3 at the
// middle key, and it overshoots to 10.615.
func TestLimitByHand(t *testing.T) {
	a := answer[LimitAnswer](t, "limit",
		`{"kind":"natural","keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}},"limits":{"pan":{"speed":9,`+
			`"acceleration":50,"jerk":10,"min":-1,"max":10.5}}}`)
	x := a.Axes["pan"]
	if a.OK || !close9(*x.Speed.Max, 32.0/3) || !close9(*x.Speed.Share, 32.0/27) || !close9(*x.Acceleration.Max,
		35.0/3) || !close9(*x.Acceleration.Share, 35.0/150) || x.Acceleration.AtS != 1.2 || x.Low != 0 {
		t.Errorf("%+v", x)
	}
	if len(a.Violations) != 2 {
		t.Fatalf("%+v", a.Violations)
	}
	// Its speed is 32/3 − (175/36)t²: 9 at t = √(5/3·36/175).
	v, r := a.Violations[0], a.Violations[1]
	if v.Quantity != "speed" || v.FromS != 0 || math.Abs(v.ToS-math.Sqrt(5.0/3*36/175)) > 1e-9 ||
		!close9(*v.Share, 32.0/27) {
		t.Errorf("%+v", v)
	}
	if r.Quantity != "range" || !close9(*r.Share, 1+(x.High-10.5)/11.5) {
		t.Errorf("%+v", r)
	}
	if a := answer[LimitAnswer](t, "limit",
		`{"kind":"natural","keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}},"limits":{}}`); !a.OK ||
		a.Axes["pan"].Speed.Share != nil || *a.Axes["pan"].Jerk.Max == 0 {
		t.Errorf("%+v", a)
	}
	// A hold jumps: its speed is no number, and that is over any limit.
	a = answer[LimitAnswer](t, "limit",
		`{"kind":"hold","keys":{"t_s":[0,1,2],"axes":{"pan":[0,1,1]}},"limits":{"pan":{"speed":1e9}}}`)
	if a.OK || a.Axes["pan"].Speed.Max != nil || len(a.Violations) != 1 || a.Violations[0].FromS != 1 ||
		a.Violations[0].Share != nil {
		t.Errorf("%+v", a)
	}
	// Only one end of the range is given.
	a = answer[LimitAnswer](t, "limit",
		`{"kind":"linear","keys":{"t_s":[0,1],"axes":{"pan":[0,4]}},"limits":{"pan":{"max":3}}}`)
	if v := a.Violations[0]; v.FromS != 0.75 || v.ToS != 1 || *v.Share != 2 {
		t.Errorf("%+v", v)
	}
	// Where it waits, and where it rests, is outside though nothing that moves is.
	for _, c := range []struct {
		q          string
		from, to   float64
		share, at  float64
		violations int
	}{
		{`"kind":"hold","keys":{"t_s":[0,1],"axes":{"pan":[0,50]}}`, 1, 1, 3, 1, 1},
		{`"kind":"ahead","keys":{"t_s":[0,1],"axes":{"pan":[-30,0]}}`, 0, 0, 2, 0, 1},
		{`"keys":{"t_s":[2],"axes":{"pan":[50]}}`, 2, 2, 3, 2, 1},
		{`"kind":"hold","keys":{"t_s":[0,1,2],"axes":{"pan":[0,20,50]}}`, 1, 2, 3, 2, 1},
	} {
		a := answer[LimitAnswer](t, "limit", `{`+c.q+`,"limits":{"pan":{"max":10,"min":-10}}}`)
		if a.OK || len(a.Violations) != c.violations {
			t.Fatalf("%s: %+v", c.q, a)
		}
		if v := a.Violations[0]; v.FromS != c.from || v.ToS != c.to || *v.Share != c.share || v.AtS != c.at {
			t.Errorf("%s: %+v, share %g", c.q, v, *v.Share)
		}
	}
	for want, l := range map[string]string{`"field":"limits.pan.speed"`: `{"pan":{"speed":0}}`,
		`"field":"limits.pan.jerk"`: `{"pan":{"jerk":-1}}`, `"field":"limits.pan.min"`: `{"pan":{"min":2,"max":2}}`,
		`"field":"limits.tilt"`: `{"tilt":{}}`} {
		if b, st := Run("limit", []byte(`{"kind":"natural","keys":{"t_s":[0,1],"axes":{"pan":[0,1]}},"limits":`+l+
			`}`)); st != BadRequest || !strings.Contains(string(b), want) {
			t.Errorf("%s: %s", want, b)
		}
	}
}

// Against the curve's own samples: no sample outside a stretch is over, none inside is
// under, and no two stretches touch.
func TestLimitAgainstSamples(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 6))
	for round := range 60 {
		n := 3 + rng.IntN(5)
		var ts, ys []string
		at := 0.0
		for range n {
			ts, ys = append(ts, fmt.Sprintf("%.3f", at)), append(ys, fmt.Sprintf("%.3f", rng.NormFloat64()*10))
			at += 0.3 + rng.Float64()
		}
		keys := `"kind":"` + []string{"smooth", "natural", "monotone", "through"}[round%4] + `","keys":{"t_s":[` +
			strings.Join(ts, ",") + `],"axes":{"a":[` + strings.Join(ys, ",") + `]}}`
		c := answer[CurveAnswer](t, "curve", `{`+keys+`,"rate_hz":500}`)
		lim := [4]float64{0, *c.Axes["a"].MaxSpeed * 0.6, *c.Axes["a"].MaxAcceleration * 0.6, 0}
		a := answer[LimitAnswer](t, "limit", fmt.Sprintf(`{%s,"limits":{"a":{"speed":%.12g,"acceleration":%.12g}}}`,
			keys, lim[1], lim[2]))
		for order, samples := range [4][]float64{nil, c.Axes["a"].Speed, c.Axes["a"].Acceleration, nil} {
			if samples == nil {
				continue
			}
			last := -1.0
			for _, v := range a.Violations {
				if v.Quantity != orders[order] || v.Share == nil {
					continue
				}
				if v.FromS <= last {
					t.Fatalf("%d: stretches touch at %g: %+v", round, last, a.Violations)
				}
				last = v.ToS
				if !(v.AtS >= v.FromS && v.AtS <= v.ToS && *v.Share > 1) {
					t.Fatalf("%d: %+v", round, v)
				}
			}
			for k, s := range samples {
				in, near := false, false
				for _, v := range a.Violations {
					if v.Quantity == orders[order] && v.Share != nil {
						in = in || c.TimesS[k] > v.FromS && c.TimesS[k] < v.ToS
						near = near || math.Abs(c.TimesS[k]-v.FromS) < 1e-6 || math.Abs(c.TimesS[k]-v.ToS) < 1e-6
					}
				}
				if over := math.Abs(s) > lim[order]; over != in && !near {
					t.Fatalf("%d: %s at %g s is %g of %g, and in a stretch: %v", round, orders[order], c.TimesS[k], s,
						lim[order], in)
				}
			}
		}
	}
}
