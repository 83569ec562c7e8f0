package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/site"
	"keenarc/store"
)

// GroundView is how a shot's track lies, and what is said of it.
type GroundView struct {
	Code     string            `json:"code"`
	Ground   *site.Ground      `json:"ground"`
	Kept     bool              `json:"kept" doc:"else it is a proposal out of the rig book"`
	Revision int64             `json:"revision"`
	CanBack  bool              `json:"can_back"`
	Sheet    *site.GroundSheet `json:"sheet"`
	// Path is how far the plan takes the carriage, in millimetres.
	Path *[2]float64 `json:"path,omitempty"`
}

func (s *Server) groundRoutes(api huma.API) {
	huma.Register(api, op("ground", http.MethodGet, "/api/shots/{id}/ground", "How the track lies"),
		func(ctx context.Context, in *shotID) (*body[*GroundView], error) {
			return s.groundView(ctx, in.ID)
		})
	huma.Register(api, op("amend-ground", http.MethodPatch, "/api/shots/{id}/ground",
		"Change how the track lies, field by field"), s.amendGround)
	huma.Register(api, op("back-ground", http.MethodPost, "/api/shots/{id}/ground/back",
		"Take the last change of the ground back"), func(ctx context.Context, in *shotID) (*body[*GroundView], error) {
		if err := s.backSite(ctx, in.ID, "ground"); err != nil {
			return nil, err
		}
		return s.groundView(ctx, in.ID)
	})
}

func (s *Server) amendGround(ctx context.Context, in *amendment) (*body[*GroundView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	err = store.AmendSite(ctx, s.store, s.who(ctx), in.ID, "ground", site.ProposeGround(carrier(sh)), in.Body.Changes,
		func(g *site.Ground) (string, error) {
			if err := g.Read(); err != nil {
				return "", err
			}
			_, err := g.Sheet(nil)
			return "", err
		})
	if err != nil {
		return nil, s.fail(err)
	}
	s.changed(in.ID)
	return s.groundView(ctx, in.ID)
}

func (s *Server) groundView(ctx context.Context, id string) (*body[*GroundView], error) {
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	row, err := store.Site[site.Ground](ctx, s.store, id, "ground")
	if err != nil {
		return nil, s.fail(err)
	}
	v := &GroundView{Code: sh.Code}
	if row != nil {
		v.Ground, v.Kept, v.Revision, v.CanBack = row.Doc, true, row.Revision, row.Shows > 1
	} else {
		v.Ground = site.ProposeGround(carrier(sh))
	}
	if v.Path, err = s.carried(ctx, sh); err != nil {
		return nil, s.fail(err)
	}
	v.Sheet, err = v.Ground.Sheet(v.Path)
	return &body[*GroundView]{v}, s.fail(err)
}

// carried is how far the plan takes the carriage of the machine with the camera along its
// rails, in millimetres of its own; nil where nothing travels.
func (s *Server) carried(ctx context.Context, sh *store.Shot) (*[2]float64, error) {
	view, err := s.view(ctx, sh.ID)
	if err != nil || view.Empty {
		return nil, err
	}
	for _, m := range sh.Machines {
		if m.Rig.Camera == "" {
			continue
		}
		for _, rail := range m.Rig.Rails() {
			for _, a := range view.Analysis.Report.Axes {
				if a.Axis == m.Name+"/"+rail.Axis && a.High > a.Low {
					return &[2]float64{a.Low, a.High}, nil
				}
			}
		}
	}
	return nil, nil
}
