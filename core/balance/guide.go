package balance

import (
	"math"

	"keenarc/core/rig"
)

// Rotation is a frame as three rows whose columns are its right, forward and up.
func Rotation(p rig.Pose) [3]rig.Vec {
	var r [3]rig.Vec
	for k := range 3 {
		r[k] = rig.Vec{p.Right[k], p.Forward[k], p.Up[k]}
	}
	return r
}

// Suggest is the pose of a wrist that would tell most besides those that were felt: the
// last two axes that turn it, in steps of 45° within their soft limits, all others as
// they stand. nil where the machine has no such wrist. With fewer than two poses behind
// it, it is the one furthest across from the last.
func Suggest(m *rig.Rig, felt []Felt, now []float64) map[string]float64 {
	axes := turning(m)
	if len(axes) == 0 {
		return nil
	}
	poses := make([]WristPose, len(felt))
	for i, f := range felt {
		poses[i] = f.WristPose
	}
	w := Weighing{G: G, Bias: true}
	best, far := math.Inf(1), math.Inf(-1)
	var out map[string]float64
	q := append([]float64(nil), now...)
	var try func(k int)
	try = func(k int) {
		if k == len(axes) {
			p := WristPose{Rotation: Rotation(m.Wrist(q))}
			s := w.spread(append(append([]WristPose(nil), poses...), p))
			// Where nothing is told yet, the further its down is from all others' the better.
			d, apart := p.Down(), math.Inf(1)
			for i := range poses {
				e := poses[i].Down()
				apart = math.Min(apart, math.Hypot(d[0]-e[0], math.Hypot(d[1]-e[1], d[2]-e[2])))
			}
			if len(poses) == 0 {
				apart = -math.Abs(q[axes[0]]-now[axes[0]]) - math.Abs(q[axes[len(axes)-1]]-now[axes[len(axes)-1]])
			}
			if s < best*(1-1e-6) || math.IsInf(best, 1) && math.IsInf(s, 1) && apart > far+1e-6 {
				best, far, out = s, apart, map[string]float64{}
				for _, i := range axes {
					out[m.Axes[i].ID] = q[i]
				}
			}
			return
		}
		a := &m.Axes[axes[k]]
		for deg := -90.0; deg <= 90; deg += 45 {
			if deg >= a.Min && deg <= a.Max {
				q[axes[k]] = deg
				try(k + 1)
			}
		}
		q[axes[k]] = now[axes[k]]
	}
	try(0)
	return out
}

// turning are the last two axes that turn the wrist, the nearer to the floor first.
func turning(m *rig.Rig) []int {
	if m.Book == nil || m.Book.Wrist == nil {
		return nil
	}
	by := map[string]*rig.Joint{}
	for k := range m.Joints {
		by[m.Joints[k].Name] = &m.Joints[k]
	}
	var out []int
	for j := by[m.Book.Wrist.Joint]; j != nil && len(out) < 2; j = by[j.Parent] {
		if j.Kind == rig.Revolute {
			out = append([]int{m.Index(j.Axis)}, out...)
		}
	}
	return out
}

// Guidable says why an axis may not be freed to be guided by hand with what hangs on the
// machine, or nothing. A powered arm holds its payload up by what it was told; axes that
// do not turn the wrist are not held up by it.
func (s *BenchSheet) Guidable(m *rig.Rig, axis string) string {
	if s.Payload == nil || s.Payload.OK {
		return ""
	}
	by := map[string]*rig.Joint{}
	for k := range m.Joints {
		by[m.Joints[k].Name] = &m.Joints[k]
	}
	for j := by[m.Book.Wrist.Joint]; j != nil; j = by[j.Parent] {
		if j.Axis == axis && j.Kind == rig.Revolute {
			return "A powered arm is not guided by hand before it knows what hangs on it. " + s.Payload.Says
		}
	}
	return ""
}

// guiding says whether a head may be guided by hand: it is freed unpowered, so it must rest wherever
// it is pointed, whatever its motor has, and its encoder sit at the output.
func guiding(m *rig.Rig, axis string, w *Weight, ok bool) string {
	a := &m.Axes[m.Index(axis)]
	switch {
	case a.Feedback != rig.SeesOutput:
		return "To be guided by hand, freed, " + a.Name + " would need an encoder at its output; what it has " +
			"does not " +
			"see the axis move."
	case ok && !w.Next.Done:
		return "Not to be guided by hand, freed: a motor's margin says nothing of a head whose gear is free, and it " +
			"would fall."
	case !ok:
		return "Not to be guided by hand, freed, before it is balanced."
	}
	return "Balanced, and seen at its output: it may be guided by hand, freed."
}
