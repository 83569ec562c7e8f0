package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/journal"
	"keenarc/stage/camera"
)

func (s *Server) inStepRoutes(_ chi.Router, api huma.API) {
	huma.Register(api, op("in-step", http.MethodGet, "/api/camera/in-step",
		"How the measurement of the camera's chain stands"),
		func(context.Context, *struct{}) (*body[camera.InStepNow], error) {
			return &body[camera.InStepNow]{s.inStep.Now()}, nil
		})
	huma.Register(api, op("measure-in-step", http.MethodPost, "/api/camera/in-step",
		"Measure how late the camera's takes start, and how its clock runs"), func(ctx context.Context, in *struct {
		Body struct {
			Name    string  `json:"name" maxLength:"40" doc:"of the chain: what triggers what"`
			Tries   int     `json:"tries" minimum:"1" maximum:"40"`
			Seconds float64 `json:"seconds" minimum:"5" maximum:"600" doc:"of its clock; 60 give it to 2 ppm"`
		}
	}) (*body[camera.InStepNow], error) {
		if in.Body.Name == "" {
			return nil, blame("name", "the chain has no name", "say what triggers what, as “button to camera”")
		}
		end, err := s.conductor.Measure(s.asked(ctx, ""))
		if err != nil {
			return nil, s.refusedOr(err)
		}
		if err := s.inStep.Begin(in.Body.Name, in.Body.Tries, in.Body.Seconds, end); err != nil {
			end()
			return nil, conflict(err.Error() + ".")
		}
		return &body[camera.InStepNow]{s.inStep.Now()}, nil
	})
	huma.Register(api, op("break-off-in-step", http.MethodDelete, "/api/camera/in-step", "Break the measurement off"),
		func(context.Context, *struct{}) (*body[done], error) {
			s.inStep.BreakOff()
			return said("Broken off."), nil
		})
	huma.Register(api, op("keep-chain", http.MethodPost, "/api/machines/{id}/chains",
		"Keep what was measured last in a machine's line-up"), s.keepChain)
}

// keepChain makes a line-up of the newest one and the chain that was measured last.
func (s *Server) keepChain(ctx context.Context, in *machineID) (*body[*MachineView], error) {
	c := s.inStep.Now().Chain
	if c == nil {
		return nil, conflict("Nothing was measured yet.")
	}
	rows, err := s.store.LineUps(ctx, in.ID, 1)
	if err != nil {
		return nil, s.fail(err)
	}
	l, on := journal.LineUp{Axes: map[string]journal.DayAxis{}}, ""
	if len(rows) > 0 {
		l, on = *rows[0].Doc, rows[0].ID
	}
	l.Chains = slices.DeleteFunc(slices.Clone(l.Chains), func(o journal.Chain) bool { return o.Name == c.Name })
	l.Chains = append(l.Chains, *c)
	if err := s.store.AddLineUp(ctx, s.who(ctx), in.ID, on, &l); err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, "", "line-up", fmt.Sprintf("Chain “%s” was measured: %.1f ms late, its clock %+.1f ppm.", c.Name,
		c.Delays.MeanMS, c.Clock.PPM), nil)
	v, err := s.machineView(ctx, in.ID)
	return &body[*MachineView]{v}, s.fail(err)
}
