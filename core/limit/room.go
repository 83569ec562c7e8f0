package limit

import (
	"fmt"

	"keenarc/core/path"
	"keenarc/core/rig"
)

// mostRoom is the most frames that giveRoom tries.
const mostRoom = 5000

// giveRoom finds the least whole number of frames by which the keyframes after
// the worst frame must move later so that the stretch touched by the violation
// (all whole segments it reaches into) is free of violations on every axis.
func giveRoom(p *path.Path, r *rig.Rig, v Violation) (Remedy, bool) {
	keys := p.Frames()
	at := segmentOf(keys, v.At)
	if at < 0 {
		return Remedy{}, false
	}
	from, to := keys[at], keys[at+1]
	for i := 0; i+1 < len(keys); i++ {
		if keys[i+1] > v.From && keys[i] < v.To {
			from, to = min(from, keys[i]), max(to, keys[i+1])
		}
	}
	last := 0 // the last that did not do
	next := nextRoom
	if !prompt(p) { // each look is dear
		next = func(n int) int { return 2 * n }
	}
	for n := 1; n <= mostRoom; n = next(n) {
		rep, ok := roomFor(p, r, keys[at], from, to, n)
		if !ok {
			return Remedy{}, false
		}
		if rep == nil {
			last = n
			continue
		}
		for last+1 < n { // the least between
			m := last + (n-last)/2
			if q, _ := roomFor(p, r, keys[at], from, to, m); q != nil {
				n, rep = m, q
			} else {
				last = m
			}
		}
		e := path.Edit{Op: "room", Frame: keys[at], Frames: n}
		return Remedy{"room", fmt.Sprintf("Give it room: %d %s before %s", n, frames(n), Frame4(keys[at+1])), e,
			rep.OK()}, true
	}
	return Remedy{}, false
}

// nextRoom tries every number at first and then every eighth part more.
func nextRoom(n int) int { return n + max(1, n/8) }

// roomFor is the check with so many frames more at a keyframe, nil where the stretch is still
// over a limit; ok is false where there cannot be so many.
func roomFor(p *path.Path, r *rig.Rig, at, from, to float64, n int) (rep *Report, ok bool) {
	_, rep, ok = try(p, r, path.Edit{Op: "room", Frame: at, Frames: n})
	if !ok || Touches(rep, from, to+float64(n)) {
		return nil, ok
	}
	return rep, true
}

// Touches reports whether any violation reaches into the frames from–to.
func Touches(rep *Report, from, to float64) bool {
	for _, v := range rep.Violations {
		if v.To > from && v.From < to {
			return true
		}
	}
	return false
}

func segmentOf(frames []float64, at float64) int {
	for i := 0; i+1 < len(frames); i++ {
		if at >= frames[i] && (at < frames[i+1] || i+2 == len(frames)) {
			return i
		}
	}
	return -1
}
