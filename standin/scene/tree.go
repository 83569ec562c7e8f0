package scene

import (
	"slices"

	"keenarc/core/rig"
)

// node is a branch of the tree of boxes over a scene's solids: either two more, or
// the solids order[from:to].
type node struct {
	box         [2]rig.Vec
	left, right int
	side        int // the axis that the two lie along
	from, to    int
}

// leaf is how many solids are looked at one by one.
const leaf = 2

// plant builds the tree; solids that are added later are not in it.
func (s *Scene) plant() {
	s.order = make([]int, len(s.solids))
	for i := range s.order {
		s.order[i] = i
	}
	s.tree = s.tree[:0]
	s.grow(0, len(s.order))
}

func (s *Scene) grow(from, to int) int {
	me := len(s.tree)
	var corners []rig.Vec
	for _, i := range s.order[from:to] {
		corners = append(corners, s.solids[i].box[0], s.solids[i].box[1])
	}
	n := node{box: around(0, corners...), left: -1, from: from, to: to}
	s.tree = append(s.tree, n)
	if to-from <= leaf {
		return me
	}
	side := 0
	for k := range 3 {
		if n.box[1][k]-n.box[0][k] > n.box[1][side]-n.box[0][side] {
			side = k
		}
	}
	slices.SortFunc(s.order[from:to], func(a, b int) int {
		p, q := s.solids[a].box, s.solids[b].box
		switch d := p[0][side] + p[1][side] - q[0][side] - q[1][side]; {
		case d < 0:
			return -1
		case d > 0:
			return 1
		}
		return a - b
	})
	left := s.grow(from, (from+to)/2)
	right := s.grow((from+to)/2, to)
	s.tree[me].left, s.tree[me].right, s.tree[me].side = left, right, side
	return me
}

// deep is more than the tree's height ever is.
const deep = 32

// nearest finds what a ray meets first.
func (s *Scene) nearest(o, d rig.Vec) (hit, bool) {
	best := hit{t: never, solid: -1}
	inv := rig.Vec{1 / d[0], 1 / d[1], 1 / d[2]}
	var stack [deep]int
	for n := 1; n > 0; {
		n--
		x := &s.tree[stack[n]]
		if !within(&x.box, &o, &inv, best.t) {
			continue
		}
		if x.left >= 0 { // what lies nearer along the ray comes first
			a, b := x.left, x.right
			if d[x.side] < 0 {
				a, b = b, a
			}
			stack[n], stack[n+1] = b, a
			n += 2
			continue
		}
		for _, i := range s.order[x.from:x.to] {
			if t, m, ok := s.solids[i].form.meet(o, d); ok && t < best.t {
				best = hit{t, m, i}
			}
		}
	}
	return best, best.solid >= 0
}

// dark reports whether something lies between a place and a lamp.
func (s *Scene) dark(o, d rig.Vec, far float64) bool {
	inv := rig.Vec{1 / d[0], 1 / d[1], 1 / d[2]}
	var stack [deep]int
	for n := 1; n > 0; {
		n--
		x := &s.tree[stack[n]]
		if !within(&x.box, &o, &inv, far) {
			continue
		}
		if x.left >= 0 {
			stack[n], stack[n+1] = x.right, x.left
			n += 2
			continue
		}
		for _, i := range s.order[x.from:x.to] {
			if t, _, ok := s.solids[i].form.meet(o, d); ok && t < far && s.solids[i].glow == [3]float64{} {
				return true
			}
		}
	}
	return false
}

// within reports whether a ray goes through a box before t.
func within(b *[2]rig.Vec, o, inv *rig.Vec, t float64) bool {
	in, out := 0.0, t
	for i := range 3 {
		a, c := (b[0][i]-o[i])*inv[i], (b[1][i]-o[i])*inv[i]
		if a > c {
			a, c = c, a
		}
		if a > in {
			in = a
		}
		if c < out {
			out = c
		}
	}
	return in <= out
}
