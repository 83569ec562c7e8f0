package balance

import (
	"math"
	"slices"
)

// cell is a convex region of the plane of forward and up, by its corners.
type cell [][2]float64

// cut keeps what lies where a·x + b·y ≤ c.
func (p cell) cut(a, b, c float64) cell {
	var out cell
	for i := range p {
		u, v := p[i], p[(i+1)%len(p)]
		du, dv := a*u[0]+b*u[1]-c, a*v[0]+b*v[1]-c
		if du <= 0 {
			out = append(out, u)
		}
		if du < 0 && dv > 0 || du > 0 && dv < 0 {
			t := du / (du - dv)
			out = append(out, [2]float64{u[0] + t*(v[0]-u[0]), u[1] + t*(v[1]-u[1])})
		}
	}
	return out
}

// span is the least and the greatest of a·x + b·y over it.
func (p cell) span(a, b float64) (lo, hi float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	for _, v := range p {
		d := a*v[0] + b*v[1]
		lo, hi = min(lo, d), max(hi, d)
	}
	return lo, hi
}

// centroid is the middle of its area; of one that has shrunk to a line or a point, of
// its corners.
func (p cell) centroid() [2]float64 {
	var x, y, area, mx, my float64
	for i, u := range p {
		v := p[(i+1)%len(p)]
		du, dv := [2]float64{u[0] - p[0][0], u[1] - p[0][1]}, [2]float64{v[0] - p[0][0], v[1] - p[0][1]}
		a := du[0]*dv[1] - du[1]*dv[0]
		area, x, y = area+a, x+a*(du[0]+dv[0])/3, y+a*(du[1]+dv[1])/3
		mx, my = mx+u[0]/float64(len(p)), my+u[1]/float64(len(p))
	}
	if math.Abs(area) < 1e-12 {
		return [2]float64{mx, my}
	}
	return [2]float64{p[0][0] + x/area, p[0][1] + y/area}
}

// box is everything within reach of a place.
func box(reach float64, c [2]float64) cell {
	return cell{{c[0] - reach, c[1] - reach}, {c[0] + reach, c[1] - reach}, {c[0] + reach, c[1] + reach},
		{c[0] - reach, c[1] + reach}}
}

// slack is what a head may have besides its weight, as bands of the weight's place in metres: what
// holds it, and what pulls at it, each as the book has it or more.
type slack struct{ holds, pulls float64 }

// What readings are good to: of plate and riser in metres, of a scale by its share and in kilograms.
const (
	readM     = 0.00025
	scalesOff = 0.02
	scalesKg  = 0.02
)

// looser is in how many steps a head is thought of as having more friction and cables than the book
// has, before what was seen is said to contradict itself.
const looser = 5

// slack is the nth: 0 is the book's.
func (b *Bench) slack(n int, kg float64) slack {
	if b.WholeKg == nil && len(b.Pieces) == 0 {
		kg = leastKg
	}
	holds, pulls := Band(kg, b.FrictionNM), Band(kg, b.CableNM)
	if n > 0 { // a cable that nobody has measured pulls, too
		more := math.Pow(2, float64(n-1))
		holds, pulls = max(holds*(1+0.5*more), 0.0015*more), max(pulls*(1+0.5*float64(n)), 0.0004*float64(n))
	}
	return slack{holds, pulls}
}

// explained is where the weight may be from the plate's zero by all observations but one, with no
// more friction, cables and reach than that needs; nil where no head whatever does all that.
func (b *Bench) explained(kg, reach float64, centre [2]float64, but int) (cell, slack) {
	k := b.Knobs
	wide := max(farM, (k.SlideMM[1]-k.SlideMM[0])/1000, (k.RiseMM[1]-k.RiseMM[0])/1000)
	for n := range looser + 1 {
		as := b.slack(n, kg)
		for _, r := range [3]float64{reach, max(reach, farM), max(reach, wide)} {
			if p := b.region(kg, r, centre, but, as); len(p) > 0 {
				return p, as
			}
		}
	}
	return nil, slack{}
}

// region is what all observations but one leave of the place of the centre from the plate's zero.
func (b *Bench) region(kg, reach float64, centre [2]float64, but int, as slack) cell {
	p := box(reach, centre)
	for _, deg := range b.attitudes() {
		lo, hi := b.between(deg, but, kg, as)
		if lo > hi {
			return nil
		}
		sin, cos := math.Sincos(deg * math.Pi / 180)
		if !math.IsInf(hi, 1) {
			p = p.cut(cos, -sin, hi)
		}
		if !math.IsInf(lo, -1) {
			p = p.cut(-cos, sin, -lo)
		}
		if len(p) == 0 {
			return nil
		}
	}
	return p
}

// attitudes are those of all observations, each once, in the order in which they came.
func (b *Bench) attitudes() []float64 {
	var out []float64
	for i := range b.Seen {
		if !slices.Contains(out, b.Seen[i].TiltDeg) {
			out = append(out, b.Seen[i].TiltDeg)
		}
	}
	return out
}

// between is what is known at an attitude of the weight's arm, for the plate's zero over the axis, from
// all observations but one. lo > hi: nothing does that.
func (b *Bench) between(deg float64, but int, kg float64, as slack) (lo, hi float64) {
	lo, hi = math.Inf(-1), math.Inf(1)
	sin, cos := math.Sincos(deg * math.Pi / 180)
	for i := range b.Seen {
		s := &b.Seen[i]
		if i == but || s.TiltDeg != deg {
			continue
		}
		df, du := b.at(s.SlideMM, s.RiseMM)
		shift, from, to := df*cos-du*sin, math.Inf(-1), math.Inf(1)
		switch {
		case s.ScaleKg != nil: // it pulls straight up, ahead by the arm
			arm := *s.ScaleKg * s.ArmM * cos / kg
			off := as.holds + as.pulls + readM + scalesOff*math.Abs(arm) + scalesKg*math.Abs(s.ArmM)*cos/kg
			from, to = arm-off, arm+off
		case s.Did == NoseFalls:
			from = -(as.pulls + readM)
		case s.Did == NoseRises:
			to = as.pulls + readM
		case s.Did == TurnsSlowly:
			to = 3*as.holds + as.pulls + 0.003
			from = -to
		default:
			to = as.holds + as.pulls + readM
			from = -to
		}
		lo, hi = max(lo, from-shift), min(hi, to-shift)
	}
	return lo, hi
}

// arm is where the weight's arm lies at an attitude as the plate stands, by what is known: the middle
// of it, and by how much it may be off.
func (b *Bench) arm(w *Weight, deg float64) (mid, off float64) {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	df, du := b.at(b.SlideMM, b.RiseMM)
	shift := df*cos - du*sin
	lo, hi := b.between(deg, w.Against, w.kg, w.as)
	from, to := w.known.span(cos, -sin)
	lo, hi = max(lo+shift, from), min(hi+shift, to)
	return (lo + hi) / 2, max((hi-lo)/2, 0)
}
