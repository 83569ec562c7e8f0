package rig_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"keenarc/core/known"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// The conventions that bite: pan right, tilt up, roll clockwise from behind.
func ExampleRig_Forward() {
	r := fixture.Slider()
	show := func(name string, v rig.Vec) {
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
	rigs := map[string]*rig.Rig{"slider": fixture.Slider()}
	for _, k := range known.Chains {
		p := rigs[k.Rig].Forward(k.Values)
		for name, v := range map[string][2][3]float64{"at": {p.At, k.At}, "right": {p.Right, k.Right},
			"forward": {p.Forward, k.Forward}, "up": {p.Up, k.Up}} {
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
	r := fixture.Slider()
	rng := rand.New(rand.NewPCG(1, 9))
	for range 500 {
		q := make([]float64, len(r.Axes))
		for i, a := range r.Axes {
			q[i] = a.Min + rng.Float64()*(a.Max-a.Min)
		}
		p := r.Forward(q)
		for i, v := range []rig.Vec{p.Right, p.Forward, p.Up} {
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
		want := rig.Vec{math.Sin(pan) * math.Cos(tilt), math.Cos(pan) * math.Cos(tilt), math.Sin(tilt)}
		for i := range want {
			if math.Abs(want[i]-p.Forward[i]) > 1e-12 {
				t.Fatalf("looks to %v, want %v", p.Forward, want)
			}
		}
	}
}

func TestCheck(t *testing.T) {
	p := fixture.Slider()
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	for name, spoil := range map[string]func(*rig.Rig){
		"same id":       func(r *rig.Rig) { r.Axes[1].ID = "track" },
		"no steps":      func(r *rig.Rig) { r.Axes[0].StepsPerUnit.Num = 0 },
		"limits":        func(r *rig.Rig) { r.Axes[0].Min = 2000 },
		"above rated":   func(r *rig.Rig) { r.Axes[2].Working.Speed = 1e6 },
		"no steps down": func(r *rig.Rig) { r.Axes[0].StepsPerUnit.Den = 0 },
		"no id":         func(r *rig.Rig) { r.Axes[3].ID = "" },
		"empty range":   func(r *rig.Rig) { r.Axes[0].Min = r.Axes[0].Max },
		"no speed":      func(r *rig.Rig) { r.Axes[2].Working.Speed = 0 },
		"no ramp":       func(r *rig.Rig) { r.Axes[2].Working.Acceleration = 0 },
		"ramp":          func(r *rig.Rig) { r.Axes[2].Working.Acceleration = 1e6 },
		"jerk":          func(r *rig.Rig) { r.Axes[2].Working.Jerk = 1e6 },
		"kind":          func(r *rig.Rig) { r.Axes[0].Kind = "slide" },
		"kind and unit": func(r *rig.Rig) { r.Axes[0].Kind = rig.Rotary },
		"hard low":      func(r *rig.Rig) { r.Axes[0].Hard[0] = 21 },
		"hard high":     func(r *rig.Rig) { r.Axes[0].Hard[1] = 1479 },
		"lag":           func(r *rig.Rig) { r.LagMS = -1 },
		"long lag":      func(r *rig.Rig) { r.LagMS = 1001 },
		"clear":         func(r *rig.Rig) { r.ClearM = math.NaN() },
		"no axis":       func(r *rig.Rig) { r.Axes, r.Joints = nil, nil; r.Camera = "" },
		"capitals":      func(r *rig.Rig) { r.Axes[3].ID = "Roll" },
		"same joint":    func(r *rig.Rig) { r.Joints[1].Name = "tilt" },
		"nameless":      func(r *rig.Rig) { r.Joints[4].Name = "" },
		"place":         func(r *rig.Rig) { r.Joints[4].Name = "place"; r.Camera = "place" },
		"later parent":  func(r *rig.Rig) { r.Joints[1].Parent = "tilt" },
		"fixed, driven": func(r *rig.Rig) { r.Joints[4].Axis = "roll" },
		"joint's kind":  func(r *rig.Rig) { r.Joints[3].Kind = "hinge" },
		"slides by deg": func(r *rig.Rig) { r.Joints[1].Kind = rig.Prismatic },
		"turns by mm":   func(r *rig.Rig) { r.Joints[0].Kind = rig.Revolute },
		"scale":         func(r *rig.Rig) { r.Joints[0].Scale = 1001 },
		"no direction":  func(r *rig.Rig) { r.Joints[0].Direction = rig.Vec{math.NaN(), 0, 0} },
		"camera":        func(r *rig.Rig) { r.Camera = "eye" },
		"short":         func(r *rig.Rig) { r.Joints[2].Direction = rig.Vec{0.9, 0, 0} },
		"unknown drive": func(r *rig.Rig) { r.Joints[0].Axis = "boom" },
		"direction":     func(r *rig.Rig) { r.Joints[0].Direction = rig.Vec{2, 0, 0} },
	} {
		r := fixture.Slider()
		spoil(r)
		if r.Check() == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

// Through a periscope 0.2 m up and 0.1 ahead that looks to the right and 30° up: it stands
// there in the camera's own axes, and looks along cos 30° right, sin 30° up, whatever the
// head does. Without displacement and turn nothing changes.
func TestThroughALens(t *testing.T) {
	r := fixture.Slider()
	if r.Through(rig.Vec{}, 0, 0) != r {
		t.Error("nothing displaced is another machine")
	}
	p := r.Through(rig.Vec{0.05, 0.1, 0.2}, 90, 30)
	if p.Through(rig.Vec{1, 0, 0}, 0, 0) != p || len(p.Joints) != len(r.Joints)+1 || len(r.Joints) !=
		len(fixture.Slider().Joints) {
		t.Error("it is looked through once")
	}
	q := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		q[i] = a.Min + 0.3*(a.Max-a.Min)
	}
	was, now := r.Forward(q), p.Forward(q)
	c, s := math.Cos(math.Pi/6), 0.5
	for _, x := range []struct {
		what      string
		got, want rig.Vec
	}{
		{"place", was.Local(now.At), rig.Vec{0.05, 0.1, 0.2}},
		{"looks", along(was, now.Forward), rig.Vec{c, 0, s}},
		{"up", along(was, now.Up), rig.Vec{-s, 0, c}},
		{"right", along(was, now.Right), rig.Vec{0, -1, 0}},
	} {
		for k := range 3 {
			if math.Abs(x.got[k]-x.want[k]) > 1e-12 {
				t.Errorf("%s: %v, want %v", x.what, x.got, x.want)
				break
			}
		}
	}
}

// along is a direction in a pose's own axes.
func along(p rig.Pose, d rig.Vec) rig.Vec {
	return p.Local(rig.Vec{p.At[0] + d[0], p.At[1] + d[1], p.At[2] + d[2]})
}
