package curve

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"strings"
	"testing"

	"gonum.org/v1/gonum/interp"

	"keenarc/core/known"
)

// cases are keyframes shared by the whole suite: even, uneven, flat, steep, few.
var cases = []struct {
	name string
	x, y []float64
}{
	{"two", []float64{0, 10}, []float64{5, -3}},
	{"three", []float64{0, 1.2, 3}, []float64{0, 10, 4}},
	{"uneven", []float64{-7, -6.5, 0, 11, 12, 40}, []float64{3, 9, 9, -20, 1, 1}},
	{"flat", []float64{0, 1, 2, 3}, []float64{2, 2, 2, 2}},
	{"line", []float64{0, 2, 3, 7}, []float64{0, 4, 6, 14}},
	{"turn", []float64{0, 70, 150, 240}, []float64{24, 9, -12, 400}},
}

func all(t *testing.T, f func(t *testing.T, k Kind, c *Curve, x, y []float64)) {
	for _, k := range Kinds {
		for _, cs := range cases {
			t.Run(string(k)+"/"+cs.name, func(t *testing.T) {
				c, err := New(cs.x, cs.y, Spec{Kind: k})
				if err != nil {
					t.Fatal(err)
				}
				f(t, k, c, cs.x, cs.y)
			})
		}
	}
}

func near(a, b, tol float64) bool { return math.Abs(a-b) <= tol*max(1, math.Abs(a), math.Abs(b)) }

// Every kind passes through its keyframes, seen from the right.
func TestThroughKeyframes(t *testing.T) {
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		for i := range x[:len(x)-1] {
			if got := c.At(x[i]).P; k != Ahead && !near(got, y[i], 1e-12) {
				t.Errorf("at %g: %g, want %g", x[i], got, y[i])
			}
		}
		want := y[len(y)-1]
		if k == Hold {
			want = y[len(y)-2] // left-handed at the last keyframe
		}
		if got := c.At(c.Last()).P; !near(got, want, 1e-11) {
			t.Errorf("at the end: %g, want %g", got, want)
		}
	})
}

// The suite of known answers, by single samples and in one pass.
func TestKnownAnswers(t *testing.T) {
	seen := map[Kind]bool{}
	for _, k := range known.Curves {
		seen[Kind(k.Kind)] = true
		spec := Spec{Kind: Kind(k.Kind)}
		within := [4]float64{1e-12, 1e-12, 1e-12, 1e-12}
		switch spec.Kind {
		case TCB, Quintic, Handles:
			for _, v := range known.Keys {
				spec.Keys = append(spec.Keys, Bend{v[0], v[1], v[2], v[3], v[4], [2]float64(v[5:7]),
					[2]float64(v[7:9])})
			}
			if spec.Kind == Handles { // pieces of degree five, the value within 1e-13
				within = [4]float64{1e-12, 1e-10, 1e-8, 1e-5}
			}
		case Ramped:
			spec.Ramp = &Ramp{Law(k.Law), 0.3, 0.5, k.Jerk}
			if k.Law == "sine" {
				within = [4]float64{1e-12, 1e-12, 1e-9, 1e-6}
			}
		}
		c, err := New(known.X, known.Y, spec)
		if err != nil {
			t.Fatal(err)
		}
		for _, want := range k.Samples {
			one := make([]Sample, 1)
			c.Into(one, want[0], 1)
			for _, s := range []Sample{c.At(want[0]), one[0]} {
				for o := range 4 {
					if !near(s.Order(o), want[1+o], within[o]) {
						t.Errorf("%s at %g, order %d: %.17g, want %.17g", k.Kind, want[0], o, s.Order(o), want[1+o])
					}
				}
			}
		}
	}
	for _, k := range Kinds {
		if !seen[k] {
			t.Errorf("there is no known answer for %s", k)
		}
	}
}

// bits pins the coefficients of every kind, to the last bit, on every processor:
// one product that is fused with a sum where the compiler can changes them.
const bits = "1defdc06a019c658"

func TestCoefficientBits(t *testing.T) {
	rng := rand.New(rand.NewPCG(77, 3))
	sum := sha256.New()
	for range 200 {
		n := 2 + rng.IntN(9)
		x, y := []float64{rng.NormFloat64() * 100}, []float64{rng.NormFloat64() * 300}
		for len(x) < n {
			x, y = append(x, x[len(x)-1]+0.1+float64(90*rng.Float64())), append(y, float64(rng.NormFloat64()*300))
		}
		specs := []Spec{{Kind: Through, Ends: Secant}, {Kind: Monotone, Ends: Shape},
			{Kind: Clamped, Slopes: [2]float64{rng.NormFloat64(), rng.NormFloat64()}}, {Kind: Linear,
				Blend: 7 * rng.Float64()}}
		for _, k := range []Kind{Smooth, Through, Natural, Clamped, Monotone, Akima, Linear, Hold} {
			specs = append(specs, Spec{Kind: k})
		}
		for _, s := range specs {
			c, err := New(x, y, s)
			if err != nil {
				t.Fatal(err)
			}
			for i := range c.C {
				u := float64(rng.Float64() * (c.X[i+1] - c.X[i]))
				v, shifted := c.C[i].At(u), c.C[i].Shift(u)
				for _, f := range append(append(c.C[i][:], shifted[:]...), v.P, v.V, v.A, v.J) {
					_ = binary.Write(sum, binary.BigEndian, math.Float64bits(f))
				}
			}
		}
		q := Fifth(float64(rng.Float64()*9)+0.1, Sample{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64(), 0},
			Sample{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64(), 0})
		for _, f := range q {
			_ = binary.Write(sum, binary.BigEndian, math.Float64bits(f))
		}
	}
	if got := hex.EncodeToString(sum.Sum(nil)[:8]); got != bits {
		t.Errorf("coefficients and samples come to %s, want %s: the same keyframes no longer give the same bits", got,
			bits)
	}
}

// shapeBits pins those of the kinds that have shapes of their own, and of smooth legs beside
// others, in the same way.
const shapeBits = "e28ac58a890593b2"

func TestCoefficientBitsOfShapes(t *testing.T) {
	rng := rand.New(rand.NewPCG(78, 3))
	sum := sha256.New()
	small := func() float64 { return float64(2*rng.Float64()) - 1 }
	for round := range 200 {
		var x, y []float64
		var s Spec
		s.Ramps = map[int]Ramp{}
		for i := range 6 {
			x, y = append(x, float64(20*float64(i))+float64(9*rng.Float64())), append(y, float64(rng.NormFloat64()*300))
			s.Keys = append(s.Keys, Bend{small(), small(), small(), rng.NormFloat64(), rng.NormFloat64(),
				[2]float64{-1 - float64(4*rng.Float64()), float64(30 * small())},
				[2]float64{1 + float64(4*rng.Float64()), float64(30 * small())}})
			if i < 5 {
				s.Ramps[i] = Ramp{Law: Laws[(round+i)%4], In: 1 + float64(3*rng.Float64()),
					Out: 1 + float64(3*rng.Float64())}
			}
		}
		s.Kind = []Kind{TCB, Quintic, Ramped, Handles}[round%4]
		if round%8 > 3 {
			s.Segments = map[int]Kind{1: Smooth, 2: Smooth, 4: Smooth}
		}
		c, err := New(x, y, s)
		if err != nil {
			t.Fatal(err)
		}
		for i := range c.C {
			for _, f := range append(c.C[i][:], c.X[i]) {
				_ = binary.Write(sum, binary.BigEndian, math.Float64bits(f))
			}
		}
	}
	if got := hex.EncodeToString(sum.Sum(nil)[:8]); got != shapeBits {
		t.Errorf("coefficients come to %s, want %s: the same keyframes no longer give the same bits", got, shapeBits)
	}
}

// The same test built for another level of the processor, where the compiler
// fuses multiplication and addition.
func TestCoefficientBitsOnOtherLevels(t *testing.T) {
	if testing.Short() || os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		t.Skip("builds the tests twice more")
	}
	cpu, err := os.ReadFile("/proc/cpuinfo")
	if err != nil {
		t.Skip("not on Linux")
	}
	for _, level := range []string{"v1", "v3"} {
		if level == "v3" && !(strings.Contains(string(cpu), " avx2") && strings.Contains(string(cpu), " fma ") &&
			strings.Contains(string(cpu), " bmi2")) {
			t.Log("this processor cannot run amd64 v3")
			continue
		}
		cmd := exec.Command("go", "test", "-count=1", "-run", "^TestCoefficientBits(OfShapes)?$", ".")
		cmd.Env = append(os.Environ(), "GOAMD64="+level, "KEENARC_LEVEL_CHILD=1")
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Errorf("amd64 %s: %s", level, out)
		}
	}
}

// Before the first keyframe a curve waits there, after the last it rests there.
func TestBeyondTheKeyframes(t *testing.T) {
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		n := len(x) - 1
		for at, want := range map[float64]float64{x[0] - 1: y[0], x[n] + 1e-9: y[n], x[n] + 50: y[n]} {
			s := c.At(at)
			if !near(s.P, want, 1e-11) || s.V != 0 || s.A != 0 || s.J != 0 {
				t.Errorf("at %g: %+v, want %g at rest", at, s, want)
			}
			buf := make([]Sample, 1)
			if c.Into(buf, at, 1); buf[0] != s {
				t.Errorf("at %g a run gives %+v, a sample %+v", at, buf[0], s)
			}
		}
	})
	c, _ := New([]float64{0, 4, 9}, []float64{1, 2, 5}, Spec{Kind: Linear, Segments: map[int]Kind{1: Hold}})
	if got := c.At(12).P; got != 5 {
		t.Errorf("a last leg that holds rests at %g, want 5", got)
	}
}

// Each derivative is the slope of the one before it, checked by central differences.
func TestDerivatives(t *testing.T) {
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		for i := range c.C {
			h := c.X[i+1] - c.X[i]
			for _, u := range []float64{0.3, 0.71} {
				at, d := c.X[i]+u*h, h*1e-5
				s, l, r := c.At(at), c.At(at-d), c.At(at+d)
				for o := 1; o <= 3; o++ {
					want := (r.Order(o-1) - l.Order(o-1)) / (2 * d)
					scale := 1 + math.Abs(s.P)/math.Pow(h, float64(o)) + math.Abs(s.V)/math.Pow(h, float64(o-1))
					if math.Abs(s.Order(o)-want) > 1e-4*scale {
						t.Errorf("derivative %d at %g: %g, differences say %g", o, at, s.Order(o), want)
					}
				}
			}
		}
	})
}

func TestContinuity(t *testing.T) {
	order := map[Kind]int{Smooth: 2, Natural: 2, Clamped: 2, Through: 1, Monotone: 1, Akima: 1, Linear: 0}
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		for _, j := range c.Jumps(2) {
			if o, ok := order[k]; ok && j.Order <= o {
				t.Errorf("jump of order %d by %g at %g", j.Order, j.By, j.At)
			}
		}
	})
	c, _ := New([]float64{0, 5, 9}, []float64{1, 4, 2}, Spec{Kind: Hold})
	if j := c.Jumps(0); len(j) != 2 || j[0] != (Jump{At: 5, Order: 0, By: 3}) ||
		j[1] != (Jump{At: 9, Order: 0, By: -2}) {
		t.Errorf("hold lists %v", j)
	}
}

// A step of a millionth is a step; what rounding leaves is none.
func TestSmallJumpsAreListed(t *testing.T) {
	c, _ := New([]float64{0, 10, 20}, []float64{0, 10, 20.00001}, Spec{Kind: Linear})
	if j := c.Jumps(1); len(j) != 1 || j[0].At != 10 || j[0].Order != 1 || math.Abs(j[0].By-1e-6) > 1e-12 {
		t.Errorf("a corner of a millionth is listed as %v", j)
	}
	c, _ = New([]float64{0, 10, 20}, []float64{0, 5, 5.000004}, Spec{Kind: Hold})
	if j := c.Jumps(0); len(j) != 2 || math.Abs(j[1].By-4e-6) > 1e-12 {
		t.Errorf("a step of a millionth onto the last key is listed as %v", j)
	}
	c, _ = New([]float64{0, 0.1, 0.3, 0.6}, []float64{0.1, 0.2, 0.4, 0.7}, Spec{Kind: Linear})
	if j := c.Jumps(1); len(j) != 0 {
		t.Errorf("a straight line through rounded keys jumps: %v", j)
	}
}

func TestSmoothRestsAtBothEnds(t *testing.T) {
	for _, cs := range cases {
		c, _ := New(cs.x, cs.y, Spec{})
		v, _ := c.MaxAbs(1)
		a, _ := c.MaxAbs(2)
		for _, s := range []Sample{c.At(c.First()), c.End()} {
			if math.Abs(s.V) > 1e-12*(v+1) || math.Abs(s.A) > 1e-12*(a+1) {
				t.Errorf("%s: not at rest: %+v", cs.name, s)
			}
		}
	}
	// Two keyframes: the minimum-jerk quintic, peak speed 15/8 of the mean.
	c, _ := New([]float64{0, 4}, []float64{0, 8}, Spec{})
	if v, at := c.MaxAbs(1); !near(v, 3.75, 1e-12) || !near(at, 2, 1e-9) {
		t.Errorf("peak speed %g at %g, want 3.75 at 2", v, at)
	}
}

// Oracle: a numerical library's own splines, value and slope, inside the domain.
func TestAgainstLibrary(t *testing.T) {
	fit := map[Kind]func() interp.DerivativePredictor{
		Natural:  func() interp.DerivativePredictor { return &interp.NaturalCubic{} },
		Clamped:  func() interp.DerivativePredictor { return &interp.ClampedCubic{} },
		Akima:    func() interp.DerivativePredictor { return &interp.AkimaSpline{} },
		Monotone: func() interp.DerivativePredictor { return &interp.FritschButland{} },
	}
	rng := rand.New(rand.NewPCG(1, 2))
	for k, make := range fit {
		for range 50 {
			n := 4 + rng.IntN(20)
			x, y := []float64{rng.Float64()}, []float64{rng.NormFloat64() * 50}
			for len(x) < n {
				x, y = append(x, x[len(x)-1]+0.1+3*rng.Float64()), append(y, rng.NormFloat64()*50)
			}
			spec := Spec{Kind: k}
			if k == Monotone {
				spec.Ends = Shape
			}
			c, err := New(x, y, spec)
			if err != nil {
				t.Fatal(err)
			}
			o := make()
			if err := o.(interp.Fitter).Fit(x, y); err != nil {
				t.Fatal(err)
			}
			for range 40 {
				at := x[0] + rng.Float64()*(x[n-1]-x[0])
				s := c.At(at)
				if !near(s.P, o.Predict(at), 1e-9) || !near(s.V, o.PredictDerivative(at), 1e-9) {
					t.Fatalf("%s at %g: %g, %g; library %g, %g", k, at, s.P, s.V, o.Predict(at),
						o.PredictDerivative(at))
				}
			}
		}
	}
}

// The issue's own example, worked by hand: natural through (0,0) (1.2,10) (3,4).
func TestNaturalByHand(t *testing.T) {
	c, _ := New([]float64{0, 1.2, 3}, []float64{0, 10, 4}, Spec{Kind: Natural})
	m := 6 * (-6/1.8 - 10/1.2) / (2 * 3.0) // second derivative at 1.2
	if got := c.At(1.2).A; !near(got, m, 1e-12) {
		t.Errorf("second derivative %g, want %g", got, m)
	}
	if a, at := c.MaxAbs(2); !near(a, -m, 1e-12) || at != 1.2 {
		t.Errorf("largest %g at %g", a, at)
	}
}

// Nothing sampled is ever beyond the exact extrema, and they are reached.
func TestExtremaBoundSamples(t *testing.T) {
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		lo, loAt, hi, hiAt := c.Range()
		buf := make([]Sample, 5001)
		c.Into(buf, c.First(), (c.Last()-c.First())/5000)
		for o := 0; o <= 3; o++ {
			top, at := c.MaxAbs(o)
			reached := 0.0
			for _, s := range append(buf, c.At(c.Last()+1), c.At(c.First()-1)) { // and where it rests and waits
				reached = max(reached, math.Abs(s.Order(o)))
			}
			if reached > top*(1+1e-12)+1e-12 {
				t.Errorf("order %d: a sample of %g is beyond the maximum %g at %g", o, reached, top, at)
			}
			if o < 3 && reached < top*0.99-1e-9 && k != Linear {
				t.Errorf("order %d: maximum %g is never approached (%g)", o, top, reached)
			}
		}
		if p := c.At(hiAt).P; k != Hold && k != Ahead && !near(p, hi, 1e-9) {
			t.Errorf("high %g is not at %g (%g)", hi, hiAt, p)
		}
		if p := c.At(loAt).P; k != Hold && k != Ahead && !near(p, lo, 1e-9) {
			t.Errorf("low %g is not at %g (%g)", lo, loAt, p)
		}
	})
}

// The least and the greatest value with their places, against dense sampling.
func TestRange(t *testing.T) {
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		lo, loAt, hi, hiAt := c.Range()
		wantLo, wantHi := math.Inf(1), math.Inf(-1)
		for i := range 20_001 {
			v := c.At(x[0] + (x[len(x)-1]-x[0])*float64(i)/20_000).P
			wantLo, wantHi = min(wantLo, v), max(wantHi, v)
		}
		wantLo, wantHi = min(wantLo, c.Rest(), c.Wait()), max(wantHi, c.Rest(), c.Wait())
		span := 1 + wantHi - wantLo
		if lo > wantLo+1e-12*span || lo < wantLo-1e-3*span || hi < wantHi-1e-12*span || hi > wantHi+1e-3*span {
			t.Errorf("from %g to %g, sampled %g to %g", lo, hi, wantLo, wantHi)
		}
		for at, v := range map[float64]float64{loAt: lo, hiAt: hi} {
			if at < x[0] || at > x[len(x)-1] || lo != hi && k != Hold && k != Ahead && !near(c.At(at).P, v, 1e-9) {
				t.Errorf("%g is said to be at %g", v, at)
			}
		}
	})
}

func TestMonotoneNeverOvershoots(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		x, y := []float64{0}, []float64{0}
		for len(x) < 8 {
			x, y = append(x, x[len(x)-1]+0.2+5*rng.Float64()), append(y, y[len(y)-1]+rng.ExpFloat64())
		}
		for _, e := range []Ends{Rest, Shape} {
			c, _ := New(x, y, Spec{Kind: Monotone, Ends: e})
			if s := c.Outside(1, -1e-9, math.Inf(1)); len(s) > 0 {
				t.Fatalf("runs back on %v", s)
			}
		}
	}
}

// Outside finds exactly the stretches where a finely sampled curve is outside.
func TestOutside(t *testing.T) {
	all(t, func(t *testing.T, k Kind, c *Curve, x, y []float64) {
		top, _ := c.MaxAbs(1)
		if top == 0 {
			return
		}
		lim := 0.6 * top
		spans := c.Outside(1, -lim, lim)
		if len(spans) == 0 {
			t.Fatal("none found")
		}
		for i := range 2000 {
			at := c.First() + (float64(i)+0.5)/2000*(c.Last()-c.First())
			in := false
			for _, s := range spans {
				in = in || at >= s.From && at <= s.To
			}
			v := math.Abs(c.At(at).V)
			if math.Abs(v-lim) > 1e-6*top && in != (v > lim) {
				t.Fatalf("at %g: speed %g, limit %g, but inside a span: %v", at, v, lim, in)
			}
		}
	})
}

func TestSegmentOverride(t *testing.T) {
	x, y := []float64{0, 10, 20, 30}, []float64{0, 5, 5, 9}
	c, err := New(x, y, Spec{Kind: Smooth, Segments: map[int]Kind{1: Linear}})
	if err != nil {
		t.Fatal(err)
	}
	if s := c.At(15); s.P != 5 || s.V != 0 || s.A != 0 {
		t.Errorf("the straight segment gives %+v", s)
	}
	if j := c.Jumps(2); len(j) > 0 {
		t.Errorf("smooth takes the straight segment's slope, but: %v", j)
	}
	if c, err = New(x, y, Spec{Kind: Through, Ends: Secant, Segments: map[int]Kind{1: Linear}}); err != nil {
		t.Fatal(err)
	}
	if j := c.Jumps(0); len(j) > 0 {
		t.Errorf("value jumps: %v", j)
	}
	if j := c.Jumps(1); len(j) == 0 {
		t.Error("the corner is not listed")
	}
}

// Straight lines with blends: C¹, at rest at both ends, on the line between the
// blends, and a corner passed at Δslope·blend/8.
func TestBlends(t *testing.T) {
	for _, cs := range cases {
		for _, b := range []float64{0.1, 2, 1000} {
			c, err := New(cs.x, cs.y, Spec{Kind: Linear, Blend: b})
			if err != nil {
				t.Fatal(err)
			}
			for _, j := range c.Jumps(1) {
				t.Errorf("%s, blend %g: jump of order %d by %g at %g", cs.name, b, j.Order, j.By, j.At)
			}
			v, _ := c.MaxAbs(1)
			for _, s := range []Sample{c.At(c.First()), c.End()} {
				if math.Abs(s.V) > 1e-9*(v+1) {
					t.Errorf("%s, blend %g: not at rest: %+v", cs.name, b, s)
				}
			}
			if p, q := c.At(c.First()).P, c.End().P; !near(p, cs.y[0], 1e-12) || !near(q, cs.y[len(cs.y)-1], 1e-9) {
				t.Errorf("%s, blend %g: from %g to %g", cs.name, b, p, q)
			}
		}
	}
	c, _ := New([]float64{0, 10, 20}, []float64{0, 9, 0}, Spec{Kind: Linear, Blend: 2})
	if s := c.At(5); !near(s.V, 1, 1e-12) || s.A != 0 || !near(s.P, 4, 1e-12) {
		t.Errorf("on the line: %+v", s)
	}
	if s := c.At(10); !near(s.P, 9-2.0*2/8, 1e-12) || !near(s.A, -1, 1e-12) {
		t.Errorf("at the corner: %+v", s)
	}
}

func TestQuinticMeetsBothEnds(t *testing.T) {
	a, b := Sample{P: 1, V: -2, A: 3}, Sample{P: 4, V: 5, A: -6}
	p := Fifth(2.5, a, b)
	for u, want := range map[float64]Sample{0: a, 2.5: b} {
		got := p.At(u)
		if !near(got.P, want.P, 1e-12) || !near(got.V, want.V, 1e-12) || !near(got.A, want.A, 1e-12) {
			t.Errorf("at %g: %+v, want %+v", u, got, want)
		}
	}
}

func TestRoots(t *testing.T) {
	for _, c := range []struct {
		name  string
		roots []float64
	}{{"one", []float64{0.4}}, {"three", []float64{0.1, 0.5, 0.9}}, {"five", []float64{0.1, 0.2, 0.5, 0.7, 0.95}},
		{"outside", []float64{0.3, 2}}} {
		p := Poly{1}
		for _, r := range c.roots {
			var q Poly
			for k := 5; k >= 0; k-- {
				if k > 0 {
					q[k] = p[k-1]
				}
				q[k] -= r * p[k]
			}
			p = q
		}
		got := p.Roots(nil, 0, 1)
		want := c.roots
		for len(want) > 0 && want[len(want)-1] > 1 {
			want = want[:len(want)-1]
		}
		if len(got) != len(want) {
			t.Errorf("%s: %v, want %v", c.name, got, want)
			continue
		}
		for i := range got {
			if math.Abs(got[i]-want[i]) > 1e-9 {
				t.Errorf("%s: %v, want %v", c.name, got, want)
			}
		}
	}
	p := Poly{3, -1, 2, 0.5, -0.25, 0.1}
	q := p.Shift(0.7)
	if !near(q.value(0.2), p.value(0.9), 1e-12) {
		t.Errorf("shifted %g, want %g", q.value(0.2), p.value(0.9))
	}
}

func TestBadKeysAreNamed(t *testing.T) {
	nan := math.NaN()
	for _, c := range []struct {
		name  string
		x, y  []float64
		s     Spec
		field string
	}{
		{"none", nil, nil, Spec{}, "x"},
		{"count", []float64{1, 2}, []float64{1}, Spec{}, "y"},
		{"same place", []float64{1, 1}, []float64{1, 2}, Spec{}, "x[1]"},
		{"NaN place", []float64{nan}, []float64{1}, Spec{}, "x[0]"},
		{"NaN value", []float64{0, 1}, []float64{1, nan}, Spec{}, "y[1]"},
		{"kind", []float64{0}, []float64{1}, Spec{Kind: "wobble"}, "kind"},
		{"ends", []float64{0}, []float64{1}, Spec{Kind: Natural, Ends: Rest}, "ends"},
		{"ends of through", []float64{0}, []float64{1}, Spec{Kind: Through, Ends: Shape}, "ends"},
		{"slopes", []float64{0}, []float64{1}, Spec{Kind: Smooth, Slopes: [2]float64{1, 0}}, "slopes"},
		{"blend", []float64{0, 1}, []float64{1, 2}, Spec{Kind: Smooth, Blend: 1}, "blend"},
		{"blend below zero", []float64{0, 1}, []float64{1, 2}, Spec{Kind: Linear, Blend: -1}, "blend"},
		{"blend and segments", []float64{0, 1}, []float64{1, 2},
			Spec{Kind: Linear, Blend: 1, Segments: map[int]Kind{0: Hold}}, "blend"},
		{"segment", []float64{0, 1}, []float64{1, 2}, Spec{Segments: map[int]Kind{4: Hold}}, "segments"},
		{"too close", []float64{0, 5e-324}, []float64{0, 1e300}, Spec{}, "x[1]"},
	} {
		_, err := New(c.x, c.y, c.s)
		var ke *KeyError
		if !errors.As(err, &ke) || ke.Field != c.field {
			t.Errorf("%s: %v, want an error naming %s", c.name, err, c.field)
		}
	}
}

func TestOneKeyframeIsConstant(t *testing.T) {
	for _, k := range Kinds {
		c, err := New([]float64{7}, []float64{3}, Spec{Kind: k})
		if err != nil {
			t.Fatal(err)
		}
		for _, at := range []float64{-5, 7, 90} {
			if s := c.At(at); s != (Sample{P: 3}) {
				t.Errorf("%s at %g: %+v", k, at, s)
			}
		}
	}
}

// BenchmarkInto reports the cost of one axis-sample (position to jerk) over
// eight axes of 200 keyframes at 16 ticks a frame.
func BenchmarkInto(b *testing.B) {
	rng := rand.New(rand.NewPCG(5, 6))
	curves := make([]*Curve, 8)
	for i := range curves {
		x, y := make([]float64, 200), make([]float64, 200)
		for k := range x {
			x[k], y[k] = float64(k)*72, rng.NormFloat64()
		}
		curves[i], _ = New(x, y, Spec{})
	}
	buf := make([]Sample, 199*72*16)
	b.ReportAllocs()
	for b.Loop() {
		for _, c := range curves {
			c.Into(buf, 0, 1.0/16)
		}
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(8*len(buf)), "ns/axis-sample")
}
