package scene

import (
	"math"

	"keenarc/core/rig"
)

func add(a, b rig.Vec) rig.Vec           { return rig.Vec{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }
func sub(a, b rig.Vec) rig.Vec           { return rig.Vec{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }
func scale(k float64, a rig.Vec) rig.Vec { return rig.Vec{k * a[0], k * a[1], k * a[2]} }
func dot(a, b rig.Vec) float64           { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
func cross(a, b rig.Vec) rig.Vec {
	return rig.Vec{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}
func unit(a rig.Vec) rig.Vec { return scale(1/math.Sqrt(dot(a, a)), a) }

// around is the box of points, each with so much around it.
func around(r float64, points ...rig.Vec) [2]rig.Vec {
	b := [2]rig.Vec{{never, never, never}, {-never, -never, -never}}
	for _, p := range points {
		for i := range 3 {
			b[0][i], b[1][i] = min(b[0][i], p[i]-r), max(b[1][i], p[i]+r)
		}
	}
	return b
}

// box is one along the axes of the world.
type box struct{ low, high rig.Vec }

func (b box) bounds() [2]rig.Vec { return [2]rig.Vec{b.low, b.high} }

func (b box) meet(o, d rig.Vec) (float64, rig.Vec, bool) {
	in, out, side := -never, never, 0
	for i := range 3 {
		k := 1 / d[i]
		a, c := (b.low[i]-o[i])*k, (b.high[i]-o[i])*k
		if a > c {
			a, c = c, a
		}
		if a > in {
			in, side = a, i
		}
		if c < out {
			out = c
		}
	}
	if in > out || in < near {
		return 0, rig.Vec{}, false
	}
	var n rig.Vec
	n[side] = -math.Copysign(1, d[side])
	return in, n, true
}

// ball is a sphere.
type ball struct {
	at rig.Vec
	r  float64
}

func (b ball) bounds() [2]rig.Vec { return around(b.r, b.at) }

func (b ball) meet(o, d rig.Vec) (float64, rig.Vec, bool) {
	m := sub(o, b.at)
	h, c := dot(m, d), dot(m, m)-b.r*b.r
	k := h*h - c
	if k < 0 {
		return 0, rig.Vec{}, false
	}
	t := -h - math.Sqrt(k)
	if t < near {
		return 0, rig.Vec{}, false
	}
	return t, scale(1/b.r, add(m, scale(t, d))), true
}

// taper is an upright cylinder or cone, from its radius below to that above.
type taper struct {
	at         rig.Vec
	low, high  float64
	below, top float64
}

func (c taper) bounds() [2]rig.Vec {
	r := max(c.below, c.top)
	return [2]rig.Vec{{c.at[0] - r, c.at[1] - r, c.low}, {c.at[0] + r, c.at[1] + r, c.high}}
}

func (c taper) meet(o, d rig.Vec) (float64, rig.Vec, bool) {
	best, n := never, rig.Vec{}
	k := (c.top - c.below) / (c.high - c.low)
	x, y, r := o[0]-c.at[0], o[1]-c.at[1], c.below+k*(o[2]-c.low)
	a := d[0]*d[0] + d[1]*d[1] - k*k*d[2]*d[2]
	h := x*d[0] + y*d[1] - k*r*d[2]
	q := x*x + y*y - r*r
	if disc := h*h - a*q; disc >= 0 && a != 0 {
		root := math.Sqrt(disc)
		for _, t := range [2]float64{(-h - root) / a, (-h + root) / a} {
			z := o[2] + t*d[2]
			if t > near && t < best && z >= c.low && z <= c.high && c.below+k*(z-c.low) >= 0 {
				best = t
				n = unit(rig.Vec{x + t*d[0], y + t*d[1], -k * (c.below + k*(z-c.low))})
			}
		}
	}
	for _, end := range [2]struct{ z, r, up float64 }{{c.low, c.below, -1}, {c.high, c.top, 1}} {
		t := (end.z - o[2]) / d[2]
		px, py := x+t*d[0], y+t*d[1]
		if t > near && t < best && px*px+py*py <= end.r*end.r && d[2]*end.up < 0 {
			best, n = t, rig.Vec{0, 0, end.up}
		}
	}
	return best, n, best < never
}

// disc is a flat round plate that faces along its normal.
type disc struct {
	at, normal rig.Vec
	r          float64
}

func (p disc) bounds() [2]rig.Vec { return around(p.r, p.at) }

func (p disc) meet(o, d rig.Vec) (float64, rig.Vec, bool) {
	k := dot(d, p.normal)
	if k >= 0 {
		return 0, rig.Vec{}, false
	}
	t := dot(sub(p.at, o), p.normal) / k
	m := sub(add(o, scale(t, d)), p.at)
	if t < near || dot(m, m) > p.r*p.r {
		return 0, rig.Vec{}, false
	}
	return t, p.normal, true
}

// capsule is a rod with round ends.
type capsule struct {
	a, b rig.Vec
	r    float64
}

func (c capsule) bounds() [2]rig.Vec { return around(c.r, c.a, c.b) }

func (c capsule) meet(o, d rig.Vec) (float64, rig.Vec, bool) {
	best, n := never, rig.Vec{}
	ba, oa := sub(c.b, c.a), sub(o, c.a)
	bb, bd, bo := dot(ba, ba), dot(ba, d), dot(ba, oa)
	a, h, q := bb-bd*bd, bb*dot(d, oa)-bo*bd, bb*dot(oa, oa)-bo*bo-c.r*c.r*bb
	if disc := h*h - a*q; disc >= 0 && a > 0 {
		t := (-h - math.Sqrt(disc)) / a
		if y := bo + t*bd; t > near && y > 0 && y < bb {
			m := sub(add(oa, scale(t, d)), scale(y/bb, ba))
			best, n = t, scale(1/c.r, m)
		}
	}
	for _, end := range [2]rig.Vec{c.a, c.b} {
		if t, m, ok := (ball{end, c.r}).meet(o, d); ok && t < best {
			best, n = t, m
		}
	}
	return best, n, best < never
}
