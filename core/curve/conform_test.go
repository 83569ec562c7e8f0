package curve

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"testing"
)

// One suite that every kind passes, alone and mixed freely with others: keyframes, derivatives,
// reversal, scaling of value and abscissa, overshoot, continuity; with one, two, three and
// more keyframes, and spacings up to a million to one.

// any is a random choice for random keyframes.
func anySpec(rng *rand.Rand, x, y []float64, k Kind, mixed bool) Spec {
	n := len(x)
	s := Spec{Kind: k}
	if e := k.Ends(); len(e) > 0 && rng.IntN(2) == 0 {
		s.Ends = e[1]
	}
	if k == Clamped {
		s.Slopes = [2]float64{rng.NormFloat64(), rng.NormFloat64()}
	}
	if mixed && n > 1 {
		s.Segments = map[int]Kind{}
		for i := range n - 1 {
			if rng.IntN(2) == 0 {
				s.Segments[i] = Kinds[rng.IntN(len(Kinds))]
			}
		}
	}
	law := func(h float64) Ramp {
		a := rng.Float64()
		r := Ramp{Law: Laws[rng.IntN(len(Laws))], In: h * a, Out: h * (1 - a)}
		if rng.IntN(3) > 0 {
			r.Out *= rng.Float64()
		}
		return r
	}
	s.Ramps = map[int]Ramp{}
	for i := range n - 1 {
		if rng.IntN(3) > 0 {
			s.Ramps[i] = law(x[i+1] - x[i])
		}
	}
	if rng.IntN(5) > 0 {
		for i := range x {
			key := Bend{Tension: 2*rng.Float64() - 1, Bias: 2*rng.Float64() - 1, Slope: rng.NormFloat64(),
				Acceleration: rng.NormFloat64()}
			if rng.IntN(2) == 0 {
				key.Continuity = 2*rng.Float64() - 1
			}
			if i > 0 && rng.IntN(2) == 0 {
				key.In = [2]float64{-(0.1 + 0.5*rng.Float64()) * (x[i] - x[i-1]), 3 * rng.NormFloat64()}
			}
			if i < n-1 && rng.IntN(2) == 0 {
				key.Out = [2]float64{(0.1 + 0.5*rng.Float64()) * (x[i+1] - x[i]), 3 * rng.NormFloat64()}
			}
			s.Keys = append(s.Keys, key)
		}
	}
	return s
}

// scaled is the choice for values times v and abscissas times u.
func scaled(s Spec, u, v float64) Spec {
	r := s
	r.Slopes = [2]float64{s.Slopes[0] * v / u, s.Slopes[1] * v / u}
	r.Ramps, r.Keys = map[int]Ramp{}, nil
	for i, x := range s.Ramps {
		x.In, x.Out, x.Jerk = x.In*u, x.Out*u, x.Jerk*math.Abs(v)/(u*u*u)
		r.Ramps[i] = x
	}
	for _, k := range s.Keys {
		k.Slope, k.Acceleration = k.Slope*v/u, k.Acceleration*v/u/u
		k.In, k.Out = [2]float64{k.In[0] * u, k.In[1] * v}, [2]float64{k.Out[0] * u, k.Out[1] * v}
		r.Keys = append(r.Keys, k)
	}
	return r
}

// conform calls f for every kind alone and mixed, with keyframes of every shape.
func conform(t *testing.T, f func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve)) {
	for ki, k := range Kinds {
		for _, mixed := range []bool{false, true} {
			t.Run(fmt.Sprintf("%s/mixed=%t", k, mixed), func(t *testing.T) {
				rng := rand.New(rand.NewPCG(uint64(ki), 12))
				rounds := 30
				if os.Getenv("KEENARC_LEVEL_CHILD") != "" {
					rounds = 10 // make mutants runs this hundreds of times
				}
				for round := range rounds {
					n := []int{1, 2, 3, 4, 9}[round%5]
					x, y := []float64{math.Round(rng.NormFloat64() * 50)}, []float64{rng.NormFloat64() * 30}
					for len(x) < n {
						gap := 0.5 + 20*rng.Float64()
						if round%4 == 3 {
							gap = math.Pow(10, 6*rng.Float64()-3) // up to a million to one
						}
						x, y = append(x, x[len(x)-1]+gap), append(y, rng.NormFloat64()*30)
					}
					s := anySpec(rng, x, y, k, mixed)
					c, err := New(x, y, s)
					if err != nil {
						t.Fatalf("%v through %v: %v", s, x, err)
					}
					f(t, rng, x, y, s, c)
					if t.Failed() {
						t.Fatalf("%+v\nx %v\ny %v", s, x, y)
					}
				}
			})
		}
	}
}

// rough is what a derivative of a curve may be off by rounding at a place: of the terms
// that it is summed from.
func rough(c *Curve, at float64, order int) float64 {
	i := c.piece(at)
	p, sum, u := c.C[i].nth(order), 1e-300, 1.0
	h := c.X[i+1] - c.X[i]
	for _, v := range p {
		sum, u = sum+math.Abs(v)*u, u*h
	}
	return sum
}

func TestConformKeys(t *testing.T) {
	conform(t, func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve) {
		size, _ := c.MaxAbs(0)
		for i := range x {
			if i > 0 && s.kindOf(i-1) != Hold {
				l := c.At(math.Nextafter(x[i], math.Inf(-1))).P
				if v, _ := c.MaxAbs(1); math.Abs(l-y[i]) > 1e-11*size+v*1e-12*max(1, math.Abs(x[i])) {
					t.Errorf("from the left at key %d: %g, want %g", i, l, y[i])
				}
			}
			if i < len(x)-1 && s.kindOf(i) != Ahead && c.At(x[i]).P != y[i] {
				t.Errorf("at key %d: %g, want %g", i, c.At(x[i]).P, y[i])
			}
		}
		if c.Wait() != y[0] || math.Abs(c.Rest()-y[len(y)-1]) > 1e-11*size || c.At(x[0]-1).P != y[0] {
			t.Errorf("it waits at %g and rests at %g, keys %v", c.Wait(), c.Rest(), y)
		}
	})
}

func TestConformDerivatives(t *testing.T) {
	conform(t, func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve) {
		for range 40 {
			i := rng.IntN(len(c.C))
			h := c.X[i+1] - c.X[i]
			if h == 0 {
				continue
			}
			at, e := c.X[i]+h*(0.1+0.8*rng.Float64()), h*1e-4
			l, m, r := c.At(at-e), c.At(at), c.At(at+e)
			for order := range 3 {
				slope := (r.Order(order) - l.Order(order)) / (2 * e)
				if within := rough(c, at, order+1)*1e-4 + rough(c, at, order)/e*
					1e-14; math.Abs(slope-m.Order(order+1)) > within && math.Abs(at) < 1e6*h {
					t.Errorf("at %g the derivative of order %d is %g, differences %g", at, order+1,
						m.Order(order+1), slope)
				}
			}
		}
	})
}

// compare holds a curve against one that has been transformed; want gives what the sample
// of c at a place becomes.
func compare(t *testing.T, rng *rand.Rand, c, o *Curve, there func(x float64) float64, want func(Sample) Sample,
	scales [4]float64) {
	t.Helper()
	within := [4]float64{1e-10, 1e-8, 1e-6, 1e-3}
	values, _ := c.MaxAbs(0)
	for range 60 {
		i := rng.IntN(len(c.C))
		h := c.X[i+1] - c.X[i]
		at := c.X[i] + h*(0.05+0.9*rng.Float64())
		if math.Abs(at) > 1e5*h { // too short a piece to be met again
			continue
		}
		a, b := want(c.At(at)), o.At(there(at))
		for order := range 4 {
			size, _ := c.MaxAbs(order)
			noise := 1e-13 * values / math.Pow(h, float64(order)) // what rounding of the values leaves of derivatives
			if math.Abs(a.Order(order)-b.Order(order)) > (within[order]*size+noise)*scales[order] {
				t.Errorf("order %d at %g: %g, transformed %g (of at most %g)", order, at, a.Order(order),
					b.Order(order), size*scales[order])
				return
			}
		}
	}
}

// Played backwards it is the curve of the choice reversed: tcb's bias turned, hold as ahead.
func TestConformReversal(t *testing.T) {
	conform(t, func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve) {
		n := len(x)
		rx, ry := make([]float64, n), make([]float64, n)
		for i := range x {
			rx[i], ry[i] = -x[n-1-i], y[n-1-i]
		}
		o, err := New(rx, ry, s.Reversed(n))
		if err != nil {
			t.Fatal(err)
		}
		compare(t, rng, c, o, func(at float64) float64 { return -at }, func(a Sample) Sample {
			return Sample{a.P, -a.V, a.A, -a.J}
		}, [4]float64{1, 1, 1, 1})
		for i, ri := range s.Reversed(n).Reversed(n).Segments {
			if s.Segments[i] != ri {
				t.Errorf("reversed twice, leg %d is %s", i, ri)
			}
		}
	})
}

func TestConformScaling(t *testing.T) {
	conform(t, func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve) {
		u, v, by := 0.2+4*rng.Float64(), rng.NormFloat64()+math.Copysign(0.2, rng.NormFloat64()), rng.NormFloat64()*9
		sx, sy := make([]float64, len(x)), make([]float64, len(x))
		for i := range x {
			sx[i], sy[i] = x[i]*u, y[i]*v+by
		}
		o, err := New(sx, sy, scaled(s, u, v))
		if err != nil {
			t.Fatal(err)
		}
		m := math.Abs(v)
		compare(t, rng, c, o, func(at float64) float64 { return at * u }, func(a Sample) Sample {
			return Sample{a.P*v + by, a.V * v / u, a.A * v / u / u, a.J * v / u / u / u}
		}, [4]float64{m + math.Abs(by), m / u, m / u / u, m / u / u / u})
	})
}

// Kinds that promise it stay between each two keyframes.
func TestConformOvershoot(t *testing.T) {
	conform(t, func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve) {
		for i := range len(x) - 1 {
			switch s.kindOf(i) {
			case Monotone, Linear, Hold, Ahead, Ramped:
			default:
				continue
			}
			lo, hi := min(y[i], y[i+1]), max(y[i], y[i+1])
			slack := 1e-12 * (math.Abs(lo) + math.Abs(hi))
			for k := range 200 {
				at := x[i] + (x[i+1]-x[i])*(float64(k)+0.5)/200
				if p := c.At(at).P; p < lo-slack || p > hi+slack {
					t.Errorf("%s leg %d reaches %g at %g, keys %g and %g", s.kindOf(i), i, p, at, y[i], y[i+1])
				}
			}
		}
	})
}

// Every kind is as continuous as it says, every join with smooth C², and a step at a
// keyframe is listed or is none.
func TestConformContinuity(t *testing.T) {
	promise := map[Kind]int{Smooth: 2, Natural: 2, Clamped: 2, Quintic: 2, Through: 1, Monotone: 1, Akima: 1, TCB: 0,
		Handles: 0, Ramped: 0, Linear: 0, Hold: -1, Ahead: -1}
	if len(promise) != len(Kinds) {
		t.Fatal("a kind promises nothing")
	}
	conform(t, func(t *testing.T, rng *rand.Rand, x, y []float64, s Spec, c *Curve) {
		listed := map[[2]float64]float64{}
		for _, j := range c.Jumps(2) {
			listed[[2]float64{j.At, float64(j.Order)}] = j.By
		}
		for i := 1; i < len(x)-1; i++ {
			l, r := s.kindOf(i-1), s.kindOf(i)
			least := 0 // values always join
			switch {
			case l == Hold || r == Ahead:
				least = -1
			case l == Smooth || r == Smooth:
				least = 2
			case l == r && l == s.Kind && len(s.Segments) == 0:
				least = promise[l]
				if key := s.key(i); l == TCB && key.Continuity == 0 {
					least = 1
				}
			}
			for order := 0; order <= 2; order++ {
				if by, ok := listed[[2]float64{x[i], float64(order)}]; ok && order <= least {
					t.Errorf("%s to %s at key %d jumps by %g in order %d", l, r, i, by, order)
				}
			}
			k := c.piece(x[i])
			if k == 0 {
				continue
			}
			a, b := c.C[k-1].At(c.X[k]-c.X[k-1]), c.C[k].At(0)
			for order := range 3 {
				d := math.Abs(a.Order(order) - b.Order(order))
				scale, _ := c.MaxAbs(order)
				if by := listed[[2]float64{x[i], float64(order)}]; d > 1e-6*scale && math.Abs(math.Abs(by)-d) > 1e-6*d {
					t.Errorf("order %d steps by %g at key %d, listed %g", order, d, i, by)
				}
			}
		}
	})
}

// Two aligned handles are C¹; two that are not step in speed, and that is listed.
func TestAlignedHandles(t *testing.T) {
	x, y := []float64{0, 10, 30}, []float64{0, 4, -3}
	keys := []Bend{{}, {In: [2]float64{-4, -2}, Out: [2]float64{6, 3}}, {}}
	c, err := New(x, y, Spec{Kind: Handles, Keys: keys})
	if err != nil {
		t.Fatal(err)
	}
	if j := c.Jumps(1); len(j) > 0 {
		t.Errorf("aligned handles jump: %v", j)
	}
	keys[1].Out = [2]float64{6, 0}
	if c, err = New(x, y, Spec{Kind: Handles, Keys: keys}); err != nil {
		t.Fatal(err)
	}
	if j := c.Jumps(1); len(j) != 1 || j[0].At != 10 || !near(j[0].By, -0.5, 1e-12) {
		t.Errorf("a corner of −0.5 is listed as %v", j)
	}
}

// Without tension, continuity and bias tcb is through; a tension of 1 stops at the keyframe;
// quintics without slopes are minimum-jerk moves from rest to rest.
func TestKindsThatAreOthers(t *testing.T) {
	x, y := []float64{0, 1.2, 3, 5}, []float64{0, 10, 4, 7}
	a, _ := New(x, y, Spec{Kind: TCB, Ends: Secant})
	b, _ := New(x, y, Spec{Kind: Through, Ends: Secant})
	for i := range a.C {
		for k := range a.C[i] {
			if !near(a.C[i][k], b.C[i][k], 1e-14) {
				t.Errorf("piece %d: %v, through %v", i, a.C[i], b.C[i])
			}
		}
	}
	a, _ = New(x, y, Spec{Kind: TCB, Keys: []Bend{{}, {Tension: 1}, {}, {}}})
	if v := a.At(1.2).V; v != 0 {
		t.Errorf("tension 1 passes at %g", v)
	}
	a, _ = New(x, y, Spec{Kind: Quintic})
	for i := range a.C {
		b, _ = New(x[i:i+2], y[i:i+2], Spec{Kind: Smooth})
		if a.C[i] != b.C[0] {
			t.Errorf("quintic leg %d is %v, minimum jerk %v", i, a.C[i], b.C[0])
		}
	}
	a, _ = New(x, y, Spec{Kind: Handles})
	b, _ = New(x, y, Spec{Kind: Through})
	for _, at := range []float64{0.3, 1.7, 4.4} {
		if l, r := a.At(at), b.At(at); !near(l.P, r.P, 1e-12) || !near(l.J, r.J, 1e-9) {
			t.Errorf("handles of their usual length at %g: %v, through %v", at, l, r)
		}
	}
}

// What cannot be is refused with the keyframe or leg and what would be right; what just can
// is not.
func TestRefusedShapes(t *testing.T) {
	x, y := []float64{0, 10, 30}, []float64{0, 4, -3}
	keys := func(i int, k Bend) []Bend {
		out := make([]Bend, 3)
		out[i] = k
		return out
	}
	for field, s := range map[string]Spec{
		"keys":            {Kind: TCB, Keys: []Bend{{}}},
		"keys[1].tension": {Kind: TCB, Keys: keys(1, Bend{Tension: 1.01})},
		"keys[1].bias":    {Kind: TCB, Keys: keys(1, Bend{Bias: math.NaN()})},
		"keys[2].slope":   {Kind: Quintic, Keys: keys(2, Bend{Slope: math.Inf(1)})},
		"keys[0].out":     {Kind: Handles, Keys: keys(0, Bend{Out: [2]float64{-1, 0}})},
		"keys[1].out":     {Kind: Handles, Keys: keys(1, Bend{Out: [2]float64{45, 0}})},
		"keys[1].in":      {Kind: Handles, Keys: keys(1, Bend{In: [2]float64{2, 0}})},
		"keys[2].in":      {Kind: Handles, Keys: keys(2, Bend{In: [2]float64{-60, 0}})},
		"ramp.law":        {Kind: Ramped, Ramp: &Ramp{Law: "bang", In: 1, Out: 1}},
		"ramp.in":         {Kind: Ramped, Ramp: &Ramp{Law: Sine, In: -1, Out: 1}},
		"ramp.out":        {Kind: Ramped, Ramp: &Ramp{Law: Sine, In: 1, Out: math.NaN()}},
		"ramp.jerk":       {Kind: Ramped, Ramp: &Ramp{Law: Sine, In: 1, Out: 1, Jerk: 3}},
		"ramps":           {Kind: Ramped, Ramps: map[int]Ramp{2: {Law: Sine, In: 1, Out: 1}}},
		"ramps[0]":        {Kind: Ramped, Ramp: &Ramp{Law: Trapezoid, In: 6, Out: 4.001}},
		"ramps[1]":        {Kind: Ramped, Ramps: map[int]Ramp{1: {Law: SCurve, In: 6, Out: 4, Jerk: 0.01}}},
	} {
		_, err := New(x, y, s)
		var ke *KeyError
		if !errors.As(err, &ke) || ke.Field != field || ke.Want == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	for _, s := range []Spec{
		{Kind: Ramped, Ramp: &Ramp{Law: Trapezoid, In: 6, Out: 4}},
		{Kind: Ramped, Ramp: &Ramp{Law: MinJerk, In: 0, Out: 10}},
		{Kind: Ramped, Ramp: &Ramp{Law: Sine}},
		{Kind: Ramped, Ramps: map[int]Ramp{0: {Law: SCurve, In: 3, Out: 5, Jerk: 4 * (4.0 / 6) / 9},
			1: {Law: SCurve, In: 0.1 + 0.2, Out: 19.7}}},
		{Kind: Handles, Keys: keys(1, Bend{In: [2]float64{-6.6, 40}, Out: [2]float64{13, 0}})},
		{Kind: Smooth, Keys: keys(1, Bend{In: [2]float64{-99, 40}})}, // no handle is used
	} {
		if _, err := New(x, y, s); err != nil {
			t.Errorf("%+v: %v", s, err)
		}
	}
	// Two ramps that fill a leg, but for what adding decimals leaves.
	if c, err := New([]float64{0, 0.3}, []float64{0, 1},
		Spec{Kind: Ramped, Ramp: &Ramp{Law: Trapezoid, In: 0.1, Out: 0.2}}); err != nil {
		t.Error(err)
	} else if v, _ := c.MaxAbs(1); !near(v, 2/0.3, 1e-12) {
		t.Errorf("peak speed %g", v)
	}
	// However great the jerk, nothing jumps: what is no piece any more is even acceleration.
	for _, jerk := range []float64{0, 100, 1e3, 1e6, 1e9, 1e12, 1e18, 1e30} {
		c, err := New([]float64{0, 2, 4}, []float64{0, 10, 3},
			Spec{Kind: Ramped, Ramp: &Ramp{Law: SCurve, In: 0.7, Out: 0.9, Jerk: jerk}})
		if err != nil {
			t.Fatalf("a jerk of %g: %v", jerk, err)
		}
		if j := c.Jumps(1); len(j) > 0 {
			t.Errorf("a jerk of %g: %+v", jerk, j)
		}
		if v, _ := c.MaxAbs(1); !near(v, 10/1.2, 1e-9) {
			t.Errorf("a jerk of %g: a speed of %g", jerk, v)
		}
	}
	many := make([]float64, MostSines+2)
	for i := range many {
		many[i] = float64(i)
	}
	if _, err := New(many, many, Spec{Kind: Ramped, Ramp: &Ramp{Law: Sine, In: 0.2, Out: 0.2}}); err == nil {
		t.Error("sines without number are laid")
	}
	if _, err := New([]float64{5}, []float64{1}, Spec{Kind: Ramped, Ramp: &Ramp{Law: SCurve, In: 4, Out: 9},
		Keys: []Bend{{}}}); err != nil {
		t.Errorf("one keyframe: %v", err)
	}
}

// The sine's pieces against the library's sine, inside pieces as well, and its ramp over all
// of its length: value within 1e-12.
func TestSineRamp(t *testing.T) {
	c, err := New([]float64{0, 2}, []float64{0, 3}, Spec{Kind: Ramped, Ramp: &Ramp{Law: Sine, In: 2}})
	if err != nil {
		t.Fatal(err)
	}
	for i := range 10_000 {
		u := 2 * float64(i) / 10_000
		want := 3.0 / 2 * (u - 2/math.Pi*math.Sin(math.Pi*u/2))
		if got := c.At(u).P; math.Abs(got-want) > 1e-12 {
			t.Fatalf("at %g: %.17g, want %.17g", u, got, want)
		}
	}
	for i := range sinePieces + 1 {
		if math.Abs(sinPi(i)-math.Sin(math.Pi*float64(i)/sinePieces)) > 4e-16 ||
			math.Abs(cosPi(i)-math.Cos(math.Pi*float64(i)/sinePieces)) > 4e-16 {
			t.Errorf("sine and cosine of %d parts: %g, %g", i, sinPi(i), cosPi(i))
		}
	}
}

// Every handle's curve against its parametric form at random places.
func TestHandlesAreTheirCurve(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	most := 0
	for range 300 {
		h := 1 + 200*rng.Float64()
		from := [2]float64{h * (0.002 + 0.65*rng.Float64()), 20 * rng.NormFloat64()}
		to := [2]float64{-h * (0.002 + 0.65*rng.Float64()), 20 * rng.NormFloat64()}
		b := 20 * rng.NormFloat64()
		c, err := New([]float64{0, h}, []float64{0, b}, Spec{Kind: Handles, Keys: []Bend{{Out: from}, {In: to}}})
		if err != nil {
			t.Fatal(err)
		}
		most = max(most, len(c.C))
		size := max(math.Abs(from[1]), math.Abs(to[1]-b), math.Abs(b))
		for range 60 {
			s := rng.Float64()
			r := 1 - s
			u := 3*r*r*s*from[0] + 3*r*s*s*(h+to[0]) + s*s*s*h
			v := 3*r*r*s*from[1] + 3*r*s*s*(b+to[1]) + s*s*s*b
			slope, _ := c.MaxAbs(1)
			if got := c.At(u).P; math.Abs(got-v) > 2e-12*size+1e-15*slope*h {
				t.Fatalf("handles %v %v of a leg %g, %g at %g: %.15g, want %.15g (%d pieces)", from, to, h, b, u, got,
					v, len(c.C))
			}
		}
	}
	t.Logf("at most %d pieces", most)
}
