// Package scene renders a small set as a camera on a rig would see it: a ray caster
// for boxes, balls, cylinders, cones, discs and capsules, lit by lamps with shadows.
// Its perspective is package lens's, so that what moves in a picture is what a rig
// did; it knows nothing of plans. Metres and the world of package rig; pictures are
// 8-bit sRGB.
package scene

import (
	"fmt"
	"image/color"
	"math"

	"keenarc/core/geom"
	"keenarc/core/rig"
)

// Lamp is a light at a place; Level is multiplied with what a layer sets.
type Lamp struct {
	Name  string
	At    rig.Vec
	Tint  [3]float64
	Power float64 // at one metre, for a white that faces it
	Soft  bool    // gives no shadow
}

// Scene is what a camera looks at, as it stands at one moment.
type Scene struct {
	solids []solid
	lamps  []Lamp
}

// hit is where a ray meets something.
type hit struct {
	t      float64
	normal rig.Vec
	solid  int
}

// solid is one piece: its form answers the nearest meeting beyond a small distance.
type solid struct {
	form   form
	albedo [3]float64
	// grain is a fine pattern of the surface: its strength and its length in metres.
	grain, length float64
	glow          [3]float64
	box           [2]rig.Vec // what it lies within
}

type form interface {
	meet(o, d rig.Vec) (t float64, normal rig.Vec, ok bool)
	bounds() [2]rig.Vec
}

const (
	near  = 1e-6
	never = math.MaxFloat64
)

func (s *Scene) add(f form, hex string) *solid {
	s.solids = append(s.solids, solid{form: f, albedo: linear(hex), box: f.bounds()})
	return &s.solids[len(s.solids)-1]
}

// Of builds what stands still of a set.
func Of(set *geom.Set) (*Scene, error) {
	s := &Scene{}
	for _, x := range set.Solids {
		r := x.Size[0] / 2
		low, high := x.Centre, x.Centre
		for i := range low {
			low[i] -= x.Size[i] / 2
			high[i] += x.Size[i] / 2
		}
		var f form
		switch x.Shape {
		case geom.Box:
			f = box{low, high}
		case geom.Ball:
			f = ball{x.Centre, r}
		case geom.Cylinder:
			f = taper{x.Centre, low[2], high[2], r, r}
		case geom.Cone:
			f = taper{x.Centre, low[2], high[2], r, 0}
		default:
			return nil, fmt.Errorf("%s: there is no form %q", x.Name, x.Shape)
		}
		p := s.add(f, x.Colour)
		p.grain, p.length = 0.12, 0.05
	}
	floor := s.add(box{rig.Vec{-20, -20, -1}, rig.Vec{20, 20, 0}}, "#3a332c")
	floor.grain, floor.length = 0.2, 0.11
	return s, nil
}

// colour is what a ray sees that meets something, in linear light, with the solid and the
// lamps that reach it as bits. lamps are the lamps' eyes.
func (s *Scene) colour(h hit, o, d rig.Vec, levels []float64, lamps []*eye) (c [3]float64, what int) {
	if h.solid < 0 {
		return [3]float64{}, -1
	}
	p := &s.solids[h.solid]
	at := add(o, scale(h.t, d))
	albedo := p.albedo
	if p.grain > 0 {
		k := 1 - p.grain/2 + p.grain/2*math.Sin(2*math.Pi*(at[0]+0.31*at[1]+0.77*at[2])/p.length)*
			math.Sin(2*math.Pi*(at[2]-0.43*at[0]+0.19*at[1])/(1.7*p.length))
		for i := range albedo {
			albedo[i] *= k
		}
	}
	what = h.solid << 8
	for k, l := range s.lamps {
		if levels[k] <= 0 {
			continue
		}
		to := sub(l.At, at)
		far := math.Sqrt(dot(to, to))
		dir := scale(1/far, to)
		wash := 0.06 * l.Power * levels[k] // what the room throws back
		facing := dot(h.normal, dir)
		light := 0.0
		if facing > 0 && (l.Soft || !s.dark(lamps[k], add(at, scale(1e-4, h.normal)), dir, far)) {
			light = l.Power * levels[k] * facing / (far * far)
			what |= 1 << k
		}
		for i := range c {
			c[i] += albedo[i] * l.Tint[i] * (light + wash)
		}
	}
	for i := range c {
		c[i] += p.glow[i]
	}
	return c, what
}

func linear(hex string) [3]float64 {
	var r, g, b uint8
	if _, err := fmt.Sscanf(hex, "#%02x%02x%02x", &r, &g, &b); err != nil {
		r, g, b = 128, 128, 128
	}
	f := func(v uint8) float64 { return math.Pow(float64(v)/255, 2.2) }
	return [3]float64{f(r), f(g), f(b)}
}

func shown(c [3]float64) color.RGBA {
	f := func(v float64) uint8 { return gamma[int(min(max(v, 0), 1)*float64(len(gamma)-1)+0.5)] }
	return color.RGBA{f(c[0]), f(c[1]), f(c[2]), 255}
}

// gamma is the display's curve in steps finer than its own in all but the darkest part.
var gamma = func() (g [1 << 14]uint8) {
	for i := range g {
		g[i] = uint8(math.Round(255 * math.Pow(float64(i)/float64(len(g)-1), 1/2.2)))
	}
	return g
}()
