package lens

import (
	"fmt"
	"math"
	"sort"

	"keenarc/core/rig"
)

// Scale is the package's focus scale. Marks nearer than a thin lens of this
// focal length can focus (4f from the image plane) are refused.
func (p *Package) Scale() (*Scale, error) {
	for i, m := range p.Marks {
		if least := p.nearestM(); m.DistanceM < least {
			return nil, fmt.Errorf("focus mark %d: %g m; a %g mm lens focuses no nearer than %g m from the image plane",
				i+1, m.DistanceM, p.FocalMM, least)
		}
	}
	return NewScale(p.Marks)
}

func (p *Package) nearestM() float64 { return 4 * p.FocalMM / 1000 }

// Focus is a package focused at a distance: a thin lens, 1/f = 1/s + 1/i, whose
// object and image distance add up to the distance from the image plane. Focus
// nearer moves the image away from the lens, so the picture grows (breathing).
type Focus struct {
	*Package
	// SharpAtM is the distance from the image plane that is sharp; +Inf is allowed.
	SharpAtM float64
	// ObjectM and ImageM are s and i, from the lens; Magnification is i/s.
	ObjectM, ImageM, Magnification float64
}

// At focuses the package at a distance from the image plane. What is nearer than
// 4f is taken as 4f, where a thin lens can focus nearest (at life size).
func (p *Package) At(distanceM float64) Focus {
	if len(p.Pupils) > 0 {
		q := *p
		q.PupilM, q.Pupils = p.pupilAt(distanceM), nil
		p = &q
	}
	f := p.FocalMM / 1000
	d := max(distanceM, p.nearestM())
	if math.IsInf(d, 1) {
		return Focus{p, d, d, f, 0}
	}
	// i is the smaller root of i² − D·i + D·f = 0, in the form that loses nothing.
	i := 2 * f * d / (d + math.Sqrt(d*(d-4*f)))
	return Focus{p, d, d - i, i, i / (d - i)}
}

// pupilAt is where the entrance pupil lies focused at a distance: between what was
// measured evenly in 1/distance, and evenly between focal lengths; held at the ends.
func (p *Package) pupilAt(distanceM float64) float64 {
	type at struct{ focal, pupil float64 }
	by := map[float64][]Pupil{}
	for _, m := range p.Pupils {
		if m.FocalMM == 0 {
			m.FocalMM = p.FocalMM
		}
		by[m.FocalMM] = append(by[m.FocalMM], m)
	}
	var list []at
	for focal, ms := range by {
		x, y := make([]float64, len(ms)), make([]float64, len(ms))
		sort.Slice(ms, func(i, k int) bool { return ms[i].DistanceM > ms[k].DistanceM })
		for i, m := range ms {
			x[i], y[i] = 1/m.DistanceM, m.PupilM
		}
		list = append(list, at{focal, between(x, y, 1/distanceM)})
	}
	sort.Slice(list, func(i, k int) bool { return list[i].focal < list[k].focal })
	x, y := make([]float64, len(list)), make([]float64, len(list))
	for i, l := range list {
		x[i], y[i] = l.focal, l.pupil
	}
	return between(x, y, p.FocalMM)
}

// between is the straight line between points in rising x, held at its ends.
func between(x, y []float64, at float64) float64 {
	n := len(x)
	if at <= x[0] {
		return y[0]
	}
	for i := 1; i < n; i++ {
		if at <= x[i] {
			return y[i-1] + (y[i]-y[i-1])*(at-x[i-1])/(x[i]-x[i-1])
		}
	}
	return y[n-1]
}

// AtObject focuses the package at a distance from the lens itself, in metres, beyond its
// focal length: i = f·s/(s − f).
func (p *Package) AtObject(objectM float64) Focus {
	f := p.FocalMM / 1000
	i := f * objectM / (objectM - f)
	return Focus{p, objectM + i, objectM, i, i / objectM}
}

// ViewMM is m·(S − p): what stands for the image distance in the perspective
// from the entrance pupil, so that a point at depth Z shows at ViewMM·X/(Z − p). A lens
// whose breathing was measured changes it by that share of the thin lens's.
func (f Focus) ViewMM() float64 {
	v := f.FocalMM
	if f.Magnification != 0 {
		v = f.Magnification * (f.SharpAtM - f.PupilM) * 1000
	}
	if f.Breathing != nil {
		v = f.FocalMM * math.Pow(v/f.FocalMM, *f.Breathing)
	}
	return v
}

// FieldDeg is the horizontal, vertical and diagonal field of view focused at
// infinity.
func (p *Package) FieldDeg() (h, v, d float64) { return p.field(p.FocalMM) }

// FieldDeg is the field of view at this focus, at the lens: half of it is the
// arc tangent of half the sensor over the image distance.
func (f Focus) FieldDeg() (h, v, d float64) { return f.field(f.ImageM * 1000) }

// SeenDeg is the field of view at this focus from the entrance pupil, as drawn.
func (f Focus) SeenDeg() (h, v, d float64) { return f.field(f.ViewMM()) }

func (p *Package) field(at float64) (h, v, d float64) {
	deg := func(size float64) float64 { return 2 * math.Atan(size/(2*at)) * 180 / math.Pi }
	return deg(p.WidthMM), deg(p.HeightMM), deg(math.Hypot(p.WidthMM, p.HeightMM))
}

// Project is a world point's place on the sensor in pixels from the centre,
// right and up, and its depth from the image plane in metres; pose is the image
// plane's. ok is false for points that are not in front of the entrance pupil.
func (f Focus) Project(pose rig.Pose, w rig.Vec) (x, y, depthM float64, ok bool) {
	l := pose.Local(w)
	ahead := l[1] - f.PupilM
	if ahead <= 1e-6 {
		return 0, 0, l[1], false
	}
	k := f.ViewMM() / f.PitchMM() / ahead
	return l[0] * k, l[2] * k, l[1], true
}

// Visible reports whether a projected place is inside the picture.
func (p *Package) Visible(x, y float64) bool {
	return math.Abs(x) <= float64(p.WidthPx)/2 && math.Abs(y) <= float64(p.HeightPx)/2
}

// DiagonalPx is the length of the picture's diagonal in pixels.
func (p *Package) DiagonalPx() float64 { return math.Hypot(float64(p.WidthPx), float64(p.HeightPx)) }

// BlurPx is the diameter in pixels of the blur of a point at a depth from the
// image plane: c = (f/N)·i·|1/z − 1/s|, z being its distance from the lens.
func (f Focus) BlurPx(depthM float64) float64 {
	z := depthM - f.ImageM
	if z <= 0 {
		return math.Inf(1)
	}
	return f.FocalMM / f.FNumber * f.ImageM * math.Abs(1/z-1/f.ObjectM) / f.PitchMM()
}

// SharpM is the depth of field: nearest and farthest sharp distance from the
// image plane in metres; far is +Inf beyond the hyperfocal distance. It is where
// BlurPx comes to the circle of confusion.
func (f Focus) SharpM() (near, far float64) {
	near, far = f.SharpFromLensM()
	return near + f.ImageM, far + f.ImageM
}

// SharpFromLensM is the same counted from the lens.
func (f Focus) SharpFromLensM() (near, far float64) {
	k := f.FNumber * f.CircleMM / f.FocalMM / f.ImageM
	near = 1 / (1/f.ObjectM + k)
	if left := 1/f.ObjectM - k; left > 0 {
		return near, 1 / left
	}
	return near, math.Inf(1)
}

// HyperfocalM is the object distance from the lens, f²/(N·c) + f, beyond which
// everything far is sharp.
func (p *Package) HyperfocalM() float64 {
	f := p.FocalMM
	return (f*f/(p.FNumber*p.CircleMM) + f) / 1000
}
