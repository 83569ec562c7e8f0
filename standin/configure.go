package standin

import (
	"keenarc/core/rig"
	"keenarc/link"
)

// Configure makes the machine what a new version of its description says. What it is made
// of stays: an axis that counts other steps for a unit moves as far for each step as
// before, and has to be homed.
func (s *Sim) Configure(epoch int64, r *rig.Rig) error {
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	if r == nil || r.ID != s.o.Rig.ID {
		return refuse("this is %s; give it a description of its own", s.o.Rig.Name)
	}
	if err := r.Check(); err != nil {
		return refuse("this description does not hold together: %v", err)
	}
	axes := make([]axis, len(r.Axes))
	for i := range r.Axes {
		a := &r.Axes[i]
		k := s.o.Rig.Index(a.ID)
		if k < 0 || s.o.Rig.Axes[k].Unit != a.Unit {
			axes[i] = newAxis(a, (a.Min+a.Max)/2, (a.Min+a.Max)/2, r.LagMS)
			continue
		}
		x := s.axes[k]
		per := func(a *rig.Axis) float64 { return float64(a.StepsPerUnit.Num) / float64(a.StepsPerUnit.Den) }
		was, now := per(x.a), per(a)
		x.a, x.soft, x.open = a, [2]float64{a.Min, a.Max}, 0
		if was != now {
			truth := x.shaft()
			x.scale *= now / was
			x.err, x.lost = truth-x.x*x.scale, 0
			x.homed, x.known, x.foundLog = false, false, nil
		}
		axes[i] = x
	}
	s.o.Rig, s.axes, s.mode = r, axes, link.Idle
	s.table, s.run, s.print, s.seeks = nil, nil, "", nil
	return nil
}
