package lens

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"sort"

	"keenarc/core/curve"
)

// TMark pairs an iris ring position with the T-stop that is engraved there.
type TMark struct {
	RingDeg float64 `json:"ring_deg"`
	TStop   float64 `json:"t_stop"`
}

// ZoomMark pairs a zoom ring position with a focal length.
type ZoomMark struct {
	RingDeg float64 `json:"ring_deg"`
	FocalMM float64 `json:"focal_mm"`
}

// sameRing is within how many degrees a mark takes the place of another.
const sameRing = 0.25

// Mark takes a mark of a ring (focus, iris or zoom) at a position, in place of one that
// is there, or takes that one away; the ring's marks stay in rising order.
func (p *Package) Mark(ring string, ringDeg, value float64, off bool) {
	switch ring {
	case "iris":
		p.Iris = marked(p.Iris, TMark{ringDeg, value}, off, func(m TMark) float64 { return m.RingDeg })
	case "zoom":
		p.Zoom = marked(p.Zoom, ZoomMark{ringDeg, value}, off, func(m ZoomMark) float64 { return m.RingDeg })
	default:
		p.Marks = marked(p.Marks, Mark{ringDeg, value}, off, func(m Mark) float64 { return m.RingDeg })
	}
}

// MarksAt are the marks of a ring that one taken at a position would take the place of: ring
// positions in degrees and values, one after the other.
func (p *Package) MarksAt(ring string, ringDeg float64) (out []float64) {
	add := func(at, value float64) {
		if math.Abs(at-ringDeg) < sameRing {
			out = append(out, at, value)
		}
	}
	switch ring {
	case "iris":
		for _, m := range p.Iris {
			add(m.RingDeg, m.TStop)
		}
	case "zoom":
		for _, m := range p.Zoom {
			add(m.RingDeg, m.FocalMM)
		}
	default:
		for _, m := range p.Marks {
			add(m.RingDeg, m.DistanceM)
		}
	}
	return out
}

func marked[M any](list []M, mark M, off bool, at func(M) float64) []M {
	out := slices.DeleteFunc(slices.Clone(list), func(m M) bool { return math.Abs(at(m)-at(mark)) < sameRing })
	if !off {
		out = append(out, mark)
	}
	slices.SortFunc(out, func(a, b M) int { return cmp.Compare(at(a), at(b)) })
	return out
}

// Ruled is a scale for drawing and judging: a monotone curve through marks, of a ring
// position, in a measure in which rings are about even: 1/m for focus, stops for iris,
// octaves for zoom.
type Ruled struct {
	what  string
	c     *curve.Curve
	x, y  []float64
	plain func(float64) float64 // from the measure to what people say
}

// Rule lays a scale of the ring's kind through marks given as ring positions and values
// as people say them: metres, T-stops, millimetres. It sorts them by position.
func Rule(what string, ring, value []float64) (*Ruled, error) {
	r := &Ruled{what: what}
	to := func(v float64) float64 { return 1 / v }
	switch what {
	case "focus":
		r.plain = to
	case "iris":
		to, r.plain = func(v float64) float64 { return 2 * math.Log2(v) }, func(m float64) float64 {
			return math.Exp2(m / 2)
		}
	case "zoom":
		to, r.plain = math.Log2, math.Exp2
	default:
		return nil, fmt.Errorf("%q is no ring of a lens; use focus, iris or zoom", what)
	}
	if len(ring) < 2 || len(ring) != len(value) {
		return nil, fmt.Errorf("%s marks: %d given; a scale needs at least two", what, len(ring))
	}
	order := make([]int, len(ring))
	for i := range order {
		order[i] = i
	}
	sort.SliceStable(order, func(i, k int) bool { return ring[order[i]] < ring[order[k]] })
	for n, i := range order {
		if !(value[i] > 0) || math.IsInf(value[i], 0) || math.IsNaN(ring[i]) || math.IsInf(ring[i], 0) {
			return nil, fmt.Errorf("%s mark at %g°: %g; it must be above zero", what, ring[i], value[i])
		}
		if n > 0 && ring[i] == ring[order[n-1]] {
			return nil, fmt.Errorf("%s marks: two at %g°; take one of them away", what, ring[i])
		}
		r.x, r.y = append(r.x, ring[i]), append(r.y, to(value[i]))
	}
	for i := 1; i < len(r.y); i++ {
		if (r.y[i]-r.y[i-1])*(r.y[1]-r.y[0]) <= 0 {
			return nil, fmt.Errorf("%s mark at %g°: values must all rise or all fall with the ring; it is %g after %g",
				what, r.x[i], r.plain(r.y[i]), r.plain(r.y[i-1]))
		}
	}
	c, err := curve.New(r.x, r.y, curve.Spec{Kind: curve.Monotone, Ends: curve.Shape})
	if err != nil {
		return nil, fmt.Errorf("%s marks: %w", what, err)
	}
	r.c = c
	return r, nil
}

// At is the value at a ring position, as people say it, held at the end marks.
func (r *Ruled) At(ringDeg float64) float64 { return r.plain(r.c.At(ringDeg).P) }

// Ends are the first and the last mark's positions.
func (r *Ruled) Ends() (first, last float64) { return r.x[0], r.x[len(r.x)-1] }
