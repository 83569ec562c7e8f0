package web

import (
	"context"
	"fmt"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/ride"
	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/store"
)

// PassFlex is by how much a pass would lie beside the lowest one because the structure bends.
type PassFlex struct {
	Number int     `json:"number"`
	Name   string  `json:"name"`
	FPS    float64 `json:"fps"`
	ride.Flex
	// TurnedPx is how far it would lie beside it because it runs the other way, through the slack
	// of its axes; 0: it runs the same way.
	TurnedPx float64 `json:"turned_px"`
	TurnedAt int     `json:"turned_at"`
}

// Riding is what a plan does to what it carries: to the camera, to the fastest point, and to
// the structure, which sways and bends.
type Riding struct {
	*ride.Ride
	// Centre is whether the centre of mass was found at the bench; else it is the image plane's.
	Centre bool        `json:"centre"`
	Shake  *ride.Shake `json:"shake"`
	// Against is the pass that the others are compared with; 0: there is none.
	Against int        `json:"against"`
	Flex    []PassFlex `json:"flex"`
}

// riding works it out for a plan that is within its limits.
func (s *Server) riding(ctx context.Context, p *planned, b *limit.Braking) (*Riding, error) {
	r, fps := p.shot.Rig, p.draft.Path.Clock().FPS()
	out := &Riding{Flex: []PassFlex{}}
	load := s.load(ctx, p.shot)
	out.Centre = load.Joint != ""
	brake := 0.0
	if b != nil {
		brake = b.Seconds
	}
	taken, err := ride.Taken(ctx, p.motion, r, fps, brake, load)
	if err != nil {
		return nil, err
	}
	out.Ride = taken
	for i, v := range out.StopM {
		out.StopM[i] = round(v, 1e4)
	}
	v := p.view()
	if out.Shake, err = v.Shaken(ctx, p.motion, fps); err != nil {
		return nil, err
	}
	passes, err := s.store.Passes(ctx, p.shot.ID)
	if err != nil || len(passes) == 0 {
		return out, err
	}
	var rates []float64
	for _, x := range passes {
		rate := 0.0
		if c, err := x.Clock.Over(p.motion.Run(), p.draft.Path.Rate); err == nil {
			rate = c.MaxSpeed()
		}
		rates = append(rates, rate)
	}
	out.Against = passes[0].Number
	flexes, err := v.Flexes(ctx, p.motion, rates[0], rates)
	if err != nil {
		return nil, err
	}
	px, at, err := turned(ctx, p.shot, p.motion)
	if err != nil {
		return nil, err
	}
	for i, f := range flexes {
		if i == 0 || rates[i] <= 0 {
			continue
		}
		x := PassFlex{Number: passes[i].Number, Name: passes[i].Name, FPS: rates[i], Flex: f}
		if otherWay(passes[0].Clock, passes[i].Clock, p.motion.Run(), p.draft.Path.Rate) {
			x.TurnedPx, x.TurnedAt = round(px, 1e3), at
		}
		out.Flex = append(out.Flex, x)
	}
	return out, nil
}

// otherWay reports whether one of two clocks goes a way that the other does not.
func otherWay(a, b clock.Spec, run clock.Run, rate clock.Rate) bool {
	x, err := a.Over(run, rate)
	if err != nil {
		return false
	}
	y, err := b.Over(run, rate)
	return err == nil && (x.Traits().Forward != y.Traits().Forward || x.Traits().Backward != y.Traits().Backward)
}

// turned is what a shot's slack alone comes to where its move is run the other way.
func turned(ctx context.Context, sh *store.Shot, m *path.Motion) (px float64, frame int, err error) {
	j, err := trace.NewJudge(sh.Rig, sh.Lens, trace.Scene{Subject: sh.Set.Subject, Near: sh.Set.Near, Far: sh.Set.Far})
	if err != nil {
		return 0, 0, err
	}
	return j.Turned(ctx, m)
}

func (p *planned) view() *ride.View {
	return &ride.View{Rig: p.shot.Rig, Lens: p.shot.Lens, Scale: p.scale, Subject: p.shot.Set.Subject}
}

// load is where the camera package's centre of mass is, as the bench found it.
func (s *Server) load(ctx context.Context, sh *store.Shot) ride.Load {
	m := withCamera(sh)
	if m == nil || sh.Package == "" || m.Rig.Book == nil || m.Rig.Book.Head == nil {
		return ride.Load{}
	}
	v, err := s.benchOf(ctx, m.Rig.ID, sh.Package, nil)
	if err != nil || v.Sheet == nil || v.Sheet.Weight == nil || v.Sheet.Weight.Guessed {
		return ride.Load{}
	}
	for _, j := range sh.Rig.Joints {
		if j.Axis != "" && sh.Rig.Find(m.Name+"/"+m.Rig.Book.Head.Axis) == sh.Rig.Find(j.Axis) {
			w := v.Sheet.Weight
			return ride.Load{Joint: j.Name, Centre: rig.Vec{w.Right, w.Forward, w.Up}}
		}
	}
	return ride.Load{}
}

// Runs are the least run-up and run-out of a plan, and a run-out after which it hardly sways.
type Runs struct {
	RunUp  int         `json:"run_up"`
	RunOut int         `json:"run_out"`
	Quiet  *ride.Quiet `json:"quiet,omitempty"`
}

func (s *Server) runs(ctx context.Context, in *shotID) (*body[*Runs], error) {
	p, err := s.moving(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	out := &Runs{}
	err = s.compute(ctx, in.ID, "the least run-up and run-out", func(ctx context.Context) error {
		least, ok := limit.LeastRun(ctx, p.draft.Path, p.shot.Rig)
		if err := ctx.Err(); err != nil {
			return err
		}
		if !ok {
			return conflict(fmt.Sprintf("No run-up or run-out of up to %d frames does: something else of the move is "+
				"over its limits. Press P to see what.", 1000))
		}
		out.RunUp, out.RunOut = least.RunUp, least.RunOut
		if q, ok := p.view().QuietRunOut(ctx, p.draft.Path, p.shot.Rig); ok {
			out.Quiet = &q
		}
		return ctx.Err()
	})
	return &body[*Runs]{out}, s.fail(err)
}
