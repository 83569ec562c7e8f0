package rig

import "fmt"

// What a drawing needs of a machine besides its joints' frames.

// Link is one joint's place in the tree: the index of what carries it, −1 for the
// floor, and how it moves.
type Link struct {
	Parent int       `json:"parent" doc:"index of the joint that carries it; -1: the floor"`
	Kind   JointKind `json:"kind" enum:"fixed,prismatic,revolute"`
}

// Links is the tree, in the joints' order.
func (r *Rig) Links() []Link {
	out := make([]Link, len(r.Joints))
	for k := range r.Joints {
		out[k] = Link{r.joint(r.Joints[k].Parent, k), r.Joints[k].Kind}
	}
	return out
}

// Rail is where a joint slides that nothing moving carries: from one hard end to the
// other, and between the soft limits, in metres in the world.
type Rail struct {
	Axis string `json:"axis"`
	Hard [2]Vec `json:"hard_m"`
	Soft [2]Vec `json:"soft_m"`
	Text string `json:"text" doc:"its soft limits in words"`
}

// Rails are the rails of the machine.
func (r *Rig) Rails() []Rail {
	out := []Rail{}
	q := make([]float64, len(r.Axes))
	still := make([]bool, len(r.Joints))
	at := func(k int, v float64) Vec {
		i := r.Index(r.Joints[k].Axis)
		q[i] = v
		defer func() { q[i] = 0 }()
		return r.Frames(nil, q)[k].At
	}
	for k, l := range r.Links() {
		carried := l.Parent < 0 || still[l.Parent]
		still[k] = carried && l.Kind == Fixed
		if !carried || l.Kind != Prismatic {
			continue
		}
		a := r.Axes[r.Index(r.Joints[k].Axis)]
		out = append(out, Rail{Axis: a.ID, Hard: [2]Vec{at(k, a.Hard[0]), at(k, a.Hard[1])},
			Soft: [2]Vec{at(k, a.Min), at(k, a.Max)},
			Text: fmt.Sprintf("soft limits %g – %g %s", a.Min, a.Max, a.Unit.Symbol())})
	}
	return out
}
