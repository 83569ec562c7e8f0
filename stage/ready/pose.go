package ready

import (
	"math"

	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/stage/machine"
)

// AtPose reports whether the rig stands at a frame's pose and nothing moves, as its
// controller and its feedback have it.
func AtPose(now machine.Snapshot, d *Desk, frame int) bool {
	q := make([]float64, len(d.Rig.Axes))
	if !d.pose(q, frame) || !now.Connected || !now.State.Still() {
		return false
	}
	for i, a := range d.Rig.Axes {
		step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
		if math.Abs(now.State.Asked(a.ID)-q[i]) > step/64 || !now.State.Homed(a.ID) {
			return false
		}
	}
	return Astray(now, d.Rig) == ""
}

// pose is where a frame of the sealed path has the axes.
func (d *Desk) pose(q []float64, frame int) bool {
	return trace.Sealed{Table: d.Table}.AtFrame(q, frame)
}

// Travel is how far the rig moves to a frame's pose, in metres.
func Travel(now machine.Snapshot, d *Desk, frame int) float64 {
	q := make([]float64, len(d.Rig.Axes))
	if !d.pose(q, frame) {
		return math.Inf(1)
	}
	return weave.Travel(d.Rig, d.Rig.Planned(values(now, d.Rig)), d.Rig.Planned(q))
}

func values(now machine.Snapshot, r *rig.Rig) []float64 {
	q := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		q[i] = now.State.Asked(a.ID)
	}
	return q
}

// SettleS is how long the rig settles at a frame's pose when it goes there from where it stands now, in
// seconds; 0 at the pose.
func SettleS(now machine.Snapshot, b *Bench, frame int) float64 {
	q := make([]float64, len(b.Desk.Rig.Axes))
	if !b.Desk.pose(q, frame) {
		return 0
	}
	from := b.Desk.Rig.Planned(values(now, b.Desk.Rig))
	b.Desk.Rig.Planned(q)
	moved := make([]float64, len(q))
	return weave.Settle(b.Desk.Rig, from, q, b.Shoot.Scheme.Share, weave.SettlePx, func(by []float64) float64 {
		for i := range q {
			moved[i] = q[i] + by[i]
		}
		px, _, _ := b.Judge.Pixels(q, moved)
		return px
	})
}
