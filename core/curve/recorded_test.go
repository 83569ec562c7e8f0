package curve

import (
	"errors"
	"math"
	"math/rand/v2"
	"os"
	"testing"
)

func roughness(c *Curve) float64 {
	sum := 0.0
	for i, p := range c.C {
		h := c.X[i+1] - c.X[i]
		for k := range 8 { // far finer than needed for a polynomial of degree four
			j := p.At(h * (float64(k) + 0.5) / 8).J
			sum += j * j * h / 8
		}
	}
	return sum
}

// Without tolerance it goes through every sample and is C⁴; what a polynomial of degree two made
// it is, everywhere.
func TestRecordedThroughSamples(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	for _, n := range []int{4, 5, 6, 40, 3000} {
		y := make([]float64, n)
		for i := range y {
			y[i] = rng.NormFloat64() * 20
		}
		c, off, err := Recorded(0.24, y, 0)
		if err != nil || off != 0 {
			t.Fatal(err, off)
		}
		for i, v := range y {
			if got := c.At(float64(i) * 0.24).P; math.Abs(got-v) > 1e-9 {
				t.Fatalf("%d samples: at %d %g, want %g", n, i, got, v)
			}
		}
		for o := 0; o <= 3; o++ {
			scale, _ := c.MaxAbs(o)
			for i := 1; i < len(c.C); i++ {
				l, r := c.C[i-1].At(c.X[i]-c.X[i-1]).Order(o), c.C[i].At(0).Order(o)
				if math.Abs(l-r) > 1e-9*scale {
					t.Fatalf("%d samples: order %d steps by %g of %g at %d", n, o, r-l, scale, i)
				}
			}
		}
		parabola := make([]float64, n)
		for i := range parabola {
			x := float64(i) * 0.5
			parabola[i] = 3 - 2*x + 0.25*x*x
		}
		for _, tolerance := range []float64{0, 0.5} {
			c, off, err := Recorded(0.5, parabola, tolerance)
			if err != nil || off > 1e-8 {
				t.Fatal(err, off)
			}
			for k := range 50 {
				x := c.Last() * float64(k) / 50
				if s := c.At(x); math.Abs(s.P-(3-2*x+0.25*x*x)) > 1e-6*(1+x*x) || math.Abs(s.A-0.5) > 1e-6 {
					t.Fatalf("a parabola at %g is %+v", x, s)
				}
			}
		}
	}
}

// Within a tolerance no sample is farther off, and of what is tried none is smoother: more room
// is smoother, and the spline is smoother than the one through samples that were moved at random
// within the same.
func TestRecordedWithinTolerance(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 1))
	y := make([]float64, 400)
	for i := range y {
		y[i] = 30*math.Sin(float64(i)/40) + 0.3*rng.NormFloat64()
	}
	last := math.Inf(1)
	for _, tolerance := range []float64{0, 0.01, 0.1, 0.5, 1, 3, 60} {
		c, off, err := Recorded(0.25, y, tolerance)
		if err != nil {
			t.Fatal(err)
		}
		worst := 0.0
		for i, v := range y {
			worst = max(worst, math.Abs(c.At(float64(i)*0.25).P-v))
		}
		if off > tolerance || math.Abs(worst-off) > 1e-9 {
			t.Errorf("within %g: %g off, said %g", tolerance, worst, off)
		}
		r := roughness(c)
		if r > last*(1+1e-9) {
			t.Errorf("within %g it is rougher (%g) than within less (%g)", tolerance, r, last)
		}
		if tolerance > 0 && tolerance < 3 && off < tolerance*0.7 {
			t.Errorf("within %g only %g is used", tolerance, off)
		}
		last = r
		moved := make([]float64, len(y))
		for i := range moved {
			moved[i] = y[i] + tolerance*(2*rng.Float64()-1)
		}
		if other, _, _ := Recorded(0.25, moved, 0); tolerance > 0 && roughness(other) < r {
			t.Errorf("within %g another is smoother", tolerance)
		}
	}
	if c, _, _ := Recorded(0.25, y, 60); roughness(c) > 1e-4 {
		t.Errorf("with all the room there is it is rough by %g", roughness(c))
	}
}

// A record of three hours adds no error up along its way, and is laid in a while.
func TestRecordedLong(t *testing.T) {
	if testing.Short() || os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		t.Skip("a million samples")
	}
	y := make([]float64, 1_000_000)
	for i := range y {
		y[i] = 500*math.Sin(float64(i)/5000) + 0.001*float64(i%7)
	}
	c, off, err := Recorded(0.24, y, 0.05)
	if err != nil || off > 0.05 {
		t.Fatal(err, off)
	}
	for i := 999_000; i < len(y); i++ {
		if d := math.Abs(c.At(float64(i)*0.24).P - y[i]); d > 0.0500001 {
			t.Fatalf("sample %d is off by %g", i, d)
		}
	}
	for i := 1; i < len(c.C); i += 997 {
		l, r := c.C[i-1].At(c.X[i]-c.X[i-1]), c.C[i].At(0)
		if math.Abs(l.P-r.P) > 1e-9 || math.Abs(l.V-r.V) > 1e-9 || math.Abs(l.A-r.A) > 1e-8 {
			t.Fatalf("it steps at %d: %v, %v", i, l, r)
		}
	}
}

func TestRecordedRefuses(t *testing.T) {
	four := []float64{1, 2, 3, 4}
	for field, f := range map[string]func() error{
		"x":         func() error { _, _, err := Recorded(0, four, 0); return err },
		"y":         func() error { _, _, err := Recorded(1, four[:3], 0); return err },
		"y[2]":      func() error { _, _, err := Recorded(1, []float64{1, 2, math.NaN(), 4}, 0); return err },
		"tolerance": func() error { _, _, err := Recorded(1, four, -1); return err },
	} {
		var ke *KeyError
		if err := f(); !errors.As(err, &ke) || ke.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
}
