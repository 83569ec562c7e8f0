package lens

import (
	"cmp"
	"math"
	"slices"
)

// Stray is a mark that goes with none of the others, or may be it: where leaving out one or another
// mark makes the rest agree as well, nobody can say which was misread, and all of them are named.
type Stray struct {
	RingDeg float64 `json:"ring_deg"`
	Value   float64 `json:"value"`
	Expect  float64 `json:"expect" doc:"what the others make of that position"`
	OffDeg  float64 `json:"off_deg" doc:"how far from there the ring should stand for that value"`
	OneOf   bool    `json:"one_of,omitempty" doc:"it, or another one that is named"`
}

// strayTimes is how many times the middle one of all deviations a mark's must be, and
// strayShare of the ring's whole way, for it to be named. asGood is by how many times the rest may agree
// worse without one mark than without another, for either to be the one.
const (
	strayTimes = 3
	strayShare = 0.01
	asGood     = 1.6
	mostTried  = 3000
)

// laws are measures in which a ring may be cut evenly: by the inverse of its value, its logarithm, and
// the value itself.
var laws = []struct{ to, from func(float64) float64 }{
	{func(v float64) float64 { return 1 / v }, func(m float64) float64 { return 1 / m }},
	{math.Log, math.Exp},
	{func(v float64) float64 { return v }, func(m float64) float64 { return m }},
}

// run is marks in one of the laws.
type run struct {
	x, y []float64
	way  float64 // of all marks
}

// off is by how far a mark's ring would have to stand elsewhere for the smooth run of the nearest
// others to give its value, and what they give where it stands; sure is how much smaller that is to be
// taken, since the others' own errors reach it enlarged (at the ends, where it is beyond them).
func (r *run) off(k int) (off, expect, sure float64) {
	n := len(r.x)
	var near []int
	for d := 1; len(near) < 4 && d <= 3; d++ {
		for _, i := range []int{k - d, k + d} {
			if i >= 0 && i < n && (d < 3 || k == 0 || k == n-1) {
				near = append(near, i)
			}
		}
	}
	slices.Sort(near)
	square := 1.0
	for _, i := range near {
		w := 1.0
		for _, j := range near {
			if j != i {
				w *= (r.x[k] - r.x[j]) / (r.x[i] - r.x[j])
			}
		}
		expect += w * r.y[i]
		square += w * w
	}
	lo, hi := max(k-1, 0), min(k+1, n-1)
	slope := (r.y[hi] - r.y[lo]) / (r.x[hi] - r.x[lo])
	return (r.y[k] - expect) / slope, expect, math.Sqrt(square)
}

// worst is how far the worst mark lies from the run of the others, against what is borne (up to 1 all
// agree), and the middle square of all, in degrees.
func (r *run) worst() (worst, rms float64) {
	var all []float64
	for k := range r.x {
		o, _, sure := r.off(k)
		all = append(all, math.Abs(o)/sure)
		rms += o * o / sure / sure / float64(len(r.x))
	}
	slices.Sort(all)
	return all[len(all)-1] / math.Max(strayTimes*all[len(all)/4], strayShare*r.way), math.Sqrt(rms)
}

// agree is how well marks agree, in the law in which they do best.
func (r *Ruled) agree(left []int) (worst, rms float64, law int) {
	rms = math.Inf(1)
	for l, in := range laws {
		m := run{way: r.x[len(r.x)-1] - r.x[0]}
		for _, i := range left {
			m.x, m.y = append(m.x, r.x[i]), append(m.y, in.to(r.plain(r.y[i])))
		}
		if w, q := m.worst(); q < rms {
			worst, rms, law = w, q, l
		}
	}
	return worst, rms, law
}

// Strays names the marks, ends as well, without which the others run smoothly, in one law or another:
// as few as will do, of at most a third of all.
func (r *Ruled) Strays() []Stray {
	out := []Stray{}
	n := len(r.x)
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	if n < 5 {
		return out
	}
	if w, _, _ := r.agree(all); w <= 1 {
		return out
	}
	for count := 1; count <= n/3 && n-count >= 4; count++ {
		type found struct {
			gone []int
			rms  float64
		}
		var ways []found
		tried := 0
		pick(n, count, func(gone []int) bool {
			left := slices.DeleteFunc(slices.Clone(all), func(i int) bool { return slices.Contains(gone, i) })
			if w, rms, _ := r.agree(left); w <= 1 {
				ways = append(ways, found{slices.Clone(gone), rms})
			}
			tried++
			return tried < mostTried
		})
		if len(ways) == 0 {
			continue
		}
		best := slices.MinFunc(ways, func(a, b found) int {
			return cmp.Compare(a.rms, b.rms)
		})
		named := map[int]bool{}
		for _, w := range ways {
			if w.rms <= asGood*best.rms {
				for _, i := range w.gone {
					if !named[i] {
						named[i] = true
						out = append(out, r.stray(i, w.gone))
					}
				}
			}
		}
		for i := range out {
			out[i].OneOf = len(out) > count
		}
		slices.SortFunc(out, func(a, b Stray) int { return cmp.Compare(a.RingDeg, b.RingDeg) })
		return out
	}
	return out
}

// stray is what the others make of a mark.
func (r *Ruled) stray(i int, gone []int) Stray {
	var left []int
	at := 0
	for k := range r.x {
		if k == i {
			at = len(left)
		}
		if k == i || !slices.Contains(gone, k) {
			left = append(left, k)
		}
	}
	_, _, law := r.agree(slices.DeleteFunc(slices.Clone(left), func(k int) bool { return k == i }))
	m := run{}
	for _, k := range left {
		m.x, m.y = append(m.x, r.x[k]), append(m.y, laws[law].to(r.plain(r.y[k])))
	}
	off, expect, _ := m.off(at)
	return Stray{RingDeg: r.x[i], Value: r.plain(r.y[i]), Expect: laws[law].from(expect), OffDeg: off}
}

// pick calls back with every choice of so many of n, until it says enough.
func pick(n, count int, with func([]int) bool) {
	chosen := make([]int, 0, count)
	var from func(int) bool
	from = func(i int) bool {
		if len(chosen) == count {
			return with(chosen)
		}
		for ; i < n; i++ {
			chosen = append(chosen, i)
			on := from(i + 1)
			chosen = chosen[:len(chosen)-1]
			if !on {
				return false
			}
		}
		return true
	}
	from(0)
}
