package weave

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"keenarc/core/ride"
	"keenarc/core/rig"
)

// SettlePx is the sway in pixels under which a picture is taken: a quarter of one.
const SettlePx = ride.SettlePx

// Settle is how many seconds after a go-to from one pose to another the structure's sway stays under so
// many pixels at the sensor: the swing of a damped oscillator with one degree of freedom that is shaken
// by the move itself, in the time that docs/rig-link.md has for it. px is by how many pixels the picture
// moves when the axes move by so much, each in its unit, by their index.
func Settle(r *rig.Rig, from, to []float64, share, limitPx float64, px func(by []float64) float64) float64 {
	sway := rig.Sway{Hz: r.SwayHz(), Damping: r.SwayDamping()}
	way, last := make([]float64, len(to)), make([]float64, len(to))
	short := make([]float64, len(to))
	for i, a := range r.Axes {
		short[i] = max(to[i]-4*a.Backlash, a.Min)
		if a.Kind == rig.Linear || a.Kind == rig.Rotary { // the others carry nothing that sways
			way[i], last[i] = short[i]-from[i], to[i]-short[i]
		}
	}
	if share == 0 {
		share = rig.FastGoTo
	}
	first, then := r.GoToSeconds(from, short, share), r.GoToSeconds(short, to, min(share, rig.SlowGoTo))
	far, near := ride.NewSwing(sway), ride.NewSwing(sway)
	shaken(far, first)
	far.Shake(0, 0, then)
	shaken(near, then)
	by := make([]float64, len(to))
	return staysOver(sway, limitPx, func(phase float64) float64 {
		f, n := far.Turned(phase), near.Turned(phase)
		for i := range by {
			by[i] = way[i]*f + last[i]*n
		}
		return px(by)
	})
}

// shakes is into how many parts a move is cut whose acceleration is taken as straight in each.
const shakes = 256

// shaken shakes a swing by a minimum-jerk move of one unit: its acceleration is 60u − 180u² + 120u³ over
// the square of its time, u going from 0 to 1.
func shaken(s *ride.Swing, seconds float64) {
	at := func(k int) float64 {
		u := float64(k) / shakes
		return u * (60 + u*(-180+120*u)) / (seconds * seconds)
	}
	for k := range shakes {
		s.Shake(at(k), at(k+1), seconds/shakes)
	}
}

// turnParts is into how many parts half a swing is cut to find where it is over a limit.
const turnParts = 256

// staysOver is how long a free swing is over a limit, to a part of half a swing more; at is how far it is
// out at a phase, if it did not die away, the same half a swing later.
func staysOver(sway rig.Sway, limit float64, at func(phase float64) float64) float64 {
	w := 2 * math.Pi * sway.Hz
	die, turn := sway.Damping*w, w*math.Sqrt(1-sway.Damping*sway.Damping)
	most := 0.0
	limit *= math.Cos(math.Pi / turnParts) // it is a little further out between the parts
	for k := range turnParts {
		phase := math.Pi * float64(k) / turnParts
		over := math.Log(at(phase)/limit) / die // so long its height at this phase is over it
		if t := phase / turn; over >= t {
			most = max(most, t+math.Floor((over-t)*turn/math.Pi)*math.Pi/turn+math.Pi/turn/turnParts)
		}
	}
	return most
}

// travelSteps is into how many parts a move is cut to follow it.
const travelSteps = 64

// Travel is how far the farthest joint of a rig, or its camera's front, goes in a move
// that is straight in the axes, in metres along its way: a turn all round counts for all
// of it, though it ends where it began.
func Travel(r *rig.Rig, from, to []float64) float64 {
	const front = 0.25 // of the camera and lens, before the image plane
	q := make([]float64, len(from))
	points := func(k int) []rig.Vec {
		for i := range q {
			q[i] = from[i] + (to[i]-from[i])*float64(k)/travelSteps
		}
		out := make([]rig.Vec, 0, len(r.Joints)+1)
		for _, p := range r.Frames(nil, q) {
			out = append(out, p.At)
		}
		if r.Camera != "" {
			out = append(out, r.Forward(q).Point(0, front, 0))
		}
		return out
	}
	was := points(0)
	way := make([]float64, len(was))
	most := 0.0
	for k := 1; k <= travelSteps; k++ {
		now := points(k)
		for i := range now {
			way[i] += r3.Norm(r3.Sub(now[i].R3(), was[i].R3()))
			most = max(most, way[i])
		}
		was = now
	}
	return most
}
