package trace

import (
	"sort"

	"keenarc/core/clock"
	"keenarc/core/seal"
)

// Poser gives axis positions where a frame is due. A clock may pass a frame
// several times and wait at it: each unbroken stretch at a frame is a visit.
type Poser interface {
	// Visits is how often the frame is visited.
	Visits(frame int) int
	// AtVisit writes the positions into dst, in axis units, when the frame is reached
	// for the nth time (from 0), or when it is left again (late). ok is false where
	// there are none.
	AtVisit(dst []float64, frame, visit int, late bool) (ok bool)
}

// Visited is a trace read by visits. It does not see rows that are appended later.
type Visited struct {
	t     *Trace
	runs  []run
	round clock.Pos
}

// run is a stretch of rows, from and to inclusive, in which the frame goes one way.
type run struct {
	from, to int
	down     bool
	anew     bool // it is another lap: the row before it is one lap behind
}

// ByVisit makes a trace ready to be read by visits. Where its clock begins anew it jumps
// back by round frames; 0: it never does.
func (t *Trace) ByVisit(round int) *Visited {
	v := &Visited{t: t, round: clock.Pos(round) << 32}
	if len(t.Pos) == 0 {
		return v
	}
	now := run{}
	way := 0
	for i := 1; i < len(t.Pos); i++ {
		d := 0
		switch {
		case v.round > 0 && t.Pos[i-1]-t.Pos[i] > v.round/2: // the next lap
			now.to = i - 1
			v.runs = append(v.runs, now)
			now, way = run{from: i, anew: true}, 1
			continue
		case t.Pos[i] > t.Pos[i-1]:
			d = 1
		case t.Pos[i] < t.Pos[i-1]:
			d = -1
		}
		if d != 0 && way != 0 && d != way {
			now.to = i - 1
			v.runs = append(v.runs, now)
			now = run{from: i - 1}
		}
		if d != 0 {
			way, now.down = d, d < 0
		}
	}
	now.to = len(t.Pos) - 1
	v.runs = append(v.runs, now)
	return v
}

// visit is a stretch of rows at one frame: reached between rows from−1 and from (or
// at from exactly), left at row to. back is by how much the row before is another lap's.
type visit struct {
	from, to int
	exact    bool
	back     clock.Pos
}

func (v *Visited) visits(frame int) []visit {
	p := clock.Pos(frame) << 32
	var out []visit
	for k, r := range v.runs {
		if x, ok := v.turned(k, p); ok {
			out = append(out, x)
		}
		pos := v.t.Pos[r.from : r.to+1]
		past := func(i int) bool { return pos[i] >= p }
		beyond := func(i int) bool { return pos[i] > p }
		if r.down {
			past = func(i int) bool { return pos[i] <= p }
			beyond = func(i int) bool { return pos[i] < p }
		}
		i := sort.Search(len(pos), past)
		x := visit{from: r.from + i, to: r.from + i}
		switch {
		case i == len(pos):
			continue
		case i == 0 && pos[0] != p:
			if !r.anew || v.t.Pos[r.from-1]-v.round > p {
				continue
			}
			x.back = v.round
		}
		x.exact = pos[i] == p
		if x.exact {
			x.to = r.from + sort.Search(len(pos), beyond) - 1
		}
		if n := len(out); n > 0 && x.exact && out[n-1].exact && out[n-1].to == x.from { // where it turns
			out[n-1].to = x.to
			continue
		}
		out = append(out, x)
	}
	return out
}

// turnNear is how near a turn has to come to a frame to be a visit of it, in parts of a frame.
const turnNear = clock.One / 1000

// turned is the visit of a frame at which the trace turns round between two rows, before run k:
// the row beside the turn is its pose. How far it came between the rows is worked out of the
// steps before and after.
func (v *Visited) turned(k int, p clock.Pos) (x visit, ok bool) {
	if k == 0 || v.runs[k].anew {
		return x, false
	}
	j := v.runs[k].from // the row that came farthest
	if j == 0 || j+1 >= len(v.t.Pos) || v.runs[k-1].down == v.runs[k].down {
		return x, false
	}
	before, at, after := v.t.Pos[j-1], v.t.Pos[j], v.t.Pos[j+1]
	if v.runs[k-1].down { // as if it had come up
		before, at, after, p = -before, -at, -after, -p
	}
	peak := max(at+after+(at-before), before+at+(at-after)) / 2
	if p <= at || p > peak+turnNear {
		return x, false
	}
	return visit{from: j, to: j, exact: true}, true
}

// Visits is how often the trace passes a frame.
func (v *Visited) Visits(frame int) int { return len(v.visits(frame)) }

// AtVisit is linear between the two rows around the frame. There is none where a
// row beside the frame is missing: nothing is made up.
func (v *Visited) AtVisit(dst []float64, frame, n int, late bool) bool {
	all := v.visits(frame)
	if n < 0 || n >= len(all) {
		return false
	}
	t, x := v.t, all[n]
	i, w := x.from, 0.0
	if late {
		i = x.to
	}
	if !x.exact {
		if t.gapBefore(i) {
			return false
		}
		i--
		was := t.Pos[i] - x.back
		w = float64(clock.Pos(frame)<<32-was) / float64(t.Pos[i+1]-was)
	}
	for a := range dst {
		s := float64(t.Steps[a][i])
		if w > 0 {
			s += w * (float64(t.Steps[a][i+1]) - s)
		}
		dst[a] = unit(s, t.Units[a])
	}
	return true
}

// Sealed is a Poser over a sealed table: it has one pose for a frame, however
// often a clock passes it.
type Sealed struct{ *seal.Table }

// Visits is one inside the run.
func (s Sealed) Visits(frame int) int {
	if frame < s.Start() || frame > s.End() {
		return 0
	}
	return 1
}

// AtVisit reads the table at a whole frame.
func (s Sealed) AtVisit(dst []float64, frame, _ int, _ bool) bool { return s.AtFrame(dst, frame) }

// AtFrame reads the table at a whole frame.
func (s Sealed) AtFrame(dst []float64, frame int) bool {
	if frame < s.Start() || frame > s.End() {
		return false
	}
	for a := range dst {
		dst[a] = seal.Value(s.At(a, clock.Pos(frame)<<32), s.Units[a])
	}
	return true
}
