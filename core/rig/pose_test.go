package rig

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"keenarc/core/known"
)

// The conventions that bite: pan right, tilt up, roll clockwise from behind.
func ExampleRig_Forward() {
	r := Plank()
	show := func(name string, v Vec) {
		for i := range v {
			v[i] = math.Round(v[i]*1000)/1000 + 0
		}
		fmt.Println(name, v)
	}
	show("at track 500:", r.Forward([]float64{500, 0, 0, 0, 0}).At)
	show("pan +90 looks to", r.Forward([]float64{0, 90, 0, 0, 0}).Forward)
	show("tilt +30 looks to", r.Forward([]float64{0, 0, 30, 0, 0}).Forward)
	show("roll +90 turns up to", r.Forward([]float64{0, 0, 0, 90, 0}).Up)
	// Output:
	// at track 500: [0.5 -0.01 0.67]
	// pan +90 looks to [1 0 0]
	// tilt +30 looks to [0 0.866 0.5]
	// roll +90 turns up to [1 0 0]
}

// The suite of known answers.
func TestKnownAnswers(t *testing.T) {
	rigs := map[string]*Rig{"plank": Plank()}
	for _, k := range known.Chains {
		p := rigs[k.Rig].Forward(k.Values)
		for name, v := range map[string][2][3]float64{"at": {p.At, k.At}, "right": {p.Right, k.Right}, "forward": {p.Forward, k.Forward}, "up": {p.Up, k.Up}} {
			for i := range 3 {
				if math.Abs(v[0][i]-v[1][i]) > 1e-12 {
					t.Errorf("%s at %v: %s is %v, want %v", k.Rig, k.Values, name, v[0], v[1])
					break
				}
			}
		}
	}
}

func TestForwardIsOrthonormalAndInvertible(t *testing.T) {
	r := Plank()
	rng := rand.New(rand.NewPCG(1, 9))
	for range 500 {
		q := make([]float64, len(r.Axes))
		for i, a := range r.Axes {
			q[i] = a.Min + rng.Float64()*(a.Max-a.Min)
		}
		p := r.Forward(q)
		for i, v := range []Vec{p.Right, p.Forward, p.Up} {
			if math.Abs(v.Norm()-1) > 1e-12 {
				t.Fatalf("column %d has length %g", i, v.Norm())
			}
		}
		w := p.Point(0.3, 2, -0.1)
		if l := p.Local(w); math.Abs(l[0]-0.3)+math.Abs(l[1]-2)+math.Abs(l[2]+0.1) > 1e-12 {
			t.Fatalf("there and back gives %v", l)
		}
		// By a second route: the look direction from the angles themselves.
		pan, tilt := q[1]*math.Pi/180, q[2]*math.Pi/180
		want := Vec{math.Sin(pan) * math.Cos(tilt), math.Cos(pan) * math.Cos(tilt), math.Sin(tilt)}
		for i := range want {
			if math.Abs(want[i]-p.Forward[i]) > 1e-12 {
				t.Fatalf("looks to %v, want %v", p.Forward, want)
			}
		}
	}
}

func TestCheck(t *testing.T) {
	p := Plank()
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	if a := p.Axes[0]; p.RailFromM > a.Min/1000-0.05 || p.RailFromM+p.RailM < a.Max/1000+0.05 {
		t.Errorf("the rail from %g m, %g m long, does not carry the track from %g to %g mm", p.RailFromM, p.RailM, a.Min, a.Max)
	}
	for name, spoil := range map[string]func(*Rig){
		"same id":       func(r *Rig) { r.Axes[1].ID = "track" },
		"no steps":      func(r *Rig) { r.Axes[0].StepsPerUnit.Num = 0 },
		"limits":        func(r *Rig) { r.Axes[0].Min = 2000 },
		"above rated":   func(r *Rig) { r.Axes[2].Working.Speed = 1e6 },
		"no steps down": func(r *Rig) { r.Axes[0].StepsPerUnit.Den = 0 },
		"no id":         func(r *Rig) { r.Axes[3].ID = "" },
		"empty range":   func(r *Rig) { r.Axes[0].Min = r.Axes[0].Max },
		"no speed":      func(r *Rig) { r.Axes[2].Working.Speed = 0 },
		"no ramp":       func(r *Rig) { r.Axes[2].Working.Acceleration = 0 },
		"ramp":          func(r *Rig) { r.Axes[2].Working.Acceleration = 1e6 },
		"jerk":          func(r *Rig) { r.Axes[2].Working.Jerk = 1e6 },
		"short":         func(r *Rig) { r.Chain[2].Direction = Vec{0.9, 0, 0} },
		"unknown drive": func(r *Rig) { r.Chain[0].Axis = "boom" },
		"direction":     func(r *Rig) { r.Chain[0].Direction = Vec{2, 0, 0} },
	} {
		r := Plank()
		spoil(r)
		if r.Check() == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}
