package stage

import (
	"fmt"
	"math"

	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/link"
)

// machine is the machine that carries the shot's camera: its floor, and its axes' prefix.
func (s *Shooting) machine(b *Bench) (*Floor, *rig.Placed, error) {
	for i := range b.Desk.Machines {
		if m := &b.Desk.Machines[i]; m.Rig.Camera != "" {
			f, err := s.floors.Of(m.Rig.ID)
			return f, m, err
		}
	}
	return nil, nil, fmt.Errorf("%w: no machine of this shot carries a camera", ErrNotAllowed)
}

// AtPose reports whether the rig stands at a frame's pose and nothing moves, as its
// controller and its feedback have it.
func AtPose(now Snapshot, d *Desk, frame int) bool {
	q := make([]float64, len(d.Rig.Axes))
	if !d.pose(q, frame) || !now.Connected || now.State.Mode != link.Idle && now.State.Mode != link.Armed {
		return false
	}
	for i, a := range d.Rig.Axes {
		step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
		if math.Abs(asked(now, a.ID)-q[i]) > step/64 || !now.State.Homed[a.ID] {
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
func Travel(now Snapshot, d *Desk, frame int) float64 {
	q := make([]float64, len(d.Rig.Axes))
	if !d.pose(q, frame) {
		return math.Inf(1)
	}
	return weave.Travel(d.Rig, d.Rig.Planned(values(now, d.Rig)), d.Rig.Planned(q))
}

func values(now Snapshot, r *rig.Rig) []float64 {
	q := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		q[i] = asked(now, a.ID)
	}
	return q
}

// SettleS is how long the rig settles at a frame's pose, in seconds.
func SettleS(b *Bench, frame int) float64 {
	q := make([]float64, len(b.Desk.Rig.Axes))
	if !b.Desk.pose(q, frame) {
		return 0
	}
	b.Desk.Rig.Planned(q)
	return weave.Settle(b.Desk.Rig, b.Shoot.Scheme.Share, weave.SettlePx, func(axis int, by float64) float64 {
		moved := append([]float64(nil), q...)
		moved[axis] += by
		px, _, _ := b.Judge.Pixels(q, moved)
		return px
	})
}
