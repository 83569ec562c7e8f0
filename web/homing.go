package web

import (
	"context"
	"fmt"
	"time"

	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/link"
	"keenarc/stage/machine"
)

// AxisHomings are the homings of one axis since its place was last unknown, oldest first.
type AxisHomings struct {
	Way    rig.HomeWay `json:"way"`
	At     []float64   `json:"at" doc:"where each found the zero, seen from the first, in the axis's unit"`
	When   []time.Time `json:"when"`
	Repeat rig.Repeat  `json:"repeat"`
	// Within is what the way of homing and the axis are said to repeat to.
	Within float64  `json:"within"`
	Px     *float64 `json:"px,omitempty" doc:"their range in pixels at the sensor, where the machine is one of a shot's"`
	Says   string   `json:"says"`
	Learnt float64  `json:"learnt,omitempty" doc:"how far its ends were apart, where it touched both"`
}

// mostHomings is how many homings of a machine are looked back on.
const mostHomings = 60

func (s *Server) homings(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Shot string `query:"shot" format:"uuid"`
}) (*body[map[string]*AxisHomings], error) {
	r, err := s.machineRig(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	rows, err := s.store.Homings(ctx, in.ID, mostHomings)
	if err != nil {
		return nil, s.fail(err)
	}
	out := map[string]*AxisHomings{}
	for k := len(rows) - 1; k >= 0; k-- {
		for _, x := range rows[k].Data.Axes {
			h := out[x.Axis]
			if h == nil || x.N == 1 || x.Way != h.Way { // another way's do not compare
				h = &AxisHomings{Way: x.Way, At: []float64{}, When: []time.Time{}}
				out[x.Axis] = h
			}
			h.At, h.When, h.Learnt = append(h.At, x.At), append(h.When, rows[k].At), x.Learnt
		}
	}
	px := s.pixels(ctx, in.ID, in.Shot)
	for i := range r.Axes {
		a := &r.Axes[i]
		h := out[a.ID]
		if h == nil {
			continue
		}
		h.Within = a.Repeatability * h.Way.Scatter()
		h.Repeat = rig.Repeats(h.At, h.Within)
		if px != nil && h.Repeat.N > 1 {
			v := round(px(a.ID, h.Repeat.Range), 1e3)
			h.Px = &v
		}
		h.Says = h.says(a)
	}
	return &body[map[string]*AxisHomings]{out}, nil
}

// says is how well they repeat, in words.
func (h *AxisHomings) says(a *rig.Axis) string {
	if h.Repeat.N == 1 {
		return "Homed once. Home it again to see how well it repeats."
	}
	u, steps := a.Unit.Symbol(), h.Repeat.Range*float64(a.StepsPerUnit.Num)/float64(a.StepsPerUnit.Den)
	text := fmt.Sprintf("%d homings within %.2g %s, %.2g motor steps", h.Repeat.N, h.Repeat.Range, u,
		max(steps, -steps))
	if h.Px != nil {
		text += fmt.Sprintf(", %.2g px at the sensor", *h.Px)
	}
	text += fmt.Sprintf("; like this it is said to repeat to %.2g %s.", h.Within, u)
	if h.Repeat.Walks {
		text += fmt.Sprintf(" It walks: %+.2g %s in %d homings, which is more than they scatter. Look at the sensor's "+
			"mount and the coupling before you trust another pass.", h.Repeat.Walk, u, h.Repeat.N)
	}
	return text
}

// pixels is by how much a shot's picture moves when an axis of a machine moves by so much
// from where it is; nil where that cannot be said.
func (s *Server) pixels(ctx context.Context, id, shot string) func(axis string, by float64) float64 {
	if shot == "" {
		return nil
	}
	v, err := s.view(ctx, shot)
	if err != nil {
		return nil
	}
	j, err := trace.NewJudge(v.Rig, v.Lens, trace.Scene{Subject: v.Set.Subject, Near: v.Set.Near, Far: v.Set.Far})
	if err != nil {
		return nil
	}
	for _, m := range v.Machines {
		if m.Rig.ID != id {
			continue
		}
		q := v.Rig.Planned(values(v.Rig, machine.Gather(v.Machines, s.floor.Now()).State.Pos))
		return func(axis string, by float64) float64 {
			i := v.Rig.Index(m.Name + "/" + axis)
			if i < 0 {
				return 0
			}
			p := append([]float64(nil), q...)
			p[i] += by
			px, _, _ := j.Pixels(q, p)
			return px
		}
	}
	return nil
}

func (s *Server) confirm(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Shot string   `json:"shot,omitempty" format:"uuid"`
		Axes []string `json:"axes" minItems:"1" maxItems:"64"`
		What string   `json:"what" enum:"check pose,witness mark,low end,high end"`
	}
}) (*body[done], error) {
	if err := s.conductor.Confirm(ctx, s.asked(ctx, in.Body.Shot), in.ID, in.Body.Axes, in.Body.What); err != nil {
		return nil, s.refused(err)
	}
	if in.Body.What == link.WaitsLow {
		return said("Kept. Now drive it to the other end that it shall not pass, and confirm that."), nil
	}
	return said("Confirmed."), nil
}

func (s *Server) suspend(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Axis    string  `json:"axis"`
		Seconds float64 `json:"seconds" minimum:"0" maximum:"120" doc:"0: back on"`
	}
}) (*body[done], error) {
	return said("Done."), s.refused(s.conductor.Suspend(ctx, s.asked(ctx, ""), in.ID, in.Body.Axis, in.Body.Seconds))
}

// marks are what somebody who stands beside a stand-in would see: how far each axis's
// drawn marks are apart, in its unit. No real machine can say that.
func (s *Server) marks(ctx context.Context, in *machineID) (*body[map[string]float64], error) {
	f, err := s.floor.Of(in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	r, err := s.machineRig(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	t, err := f.Truth(ctx)
	if err != nil {
		return nil, s.refused(err)
	}
	out := map[string]float64{}
	for i := range r.Axes {
		a := &r.Axes[i]
		out[a.ID] = round(t.Axes[a.ID]-a.HomeValue(), 1e4)
	}
	return &body[map[string]float64]{out}, nil
}
