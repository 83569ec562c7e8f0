package web

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/rig"
	"keenarc/core/site"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/store"
)

// PowerView is a shot's power: the wiring as it is known, and what is said of it.
type PowerView struct {
	Code     string           `json:"code"`
	Power    *site.Power      `json:"power"`
	Kept     bool             `json:"kept" doc:"else it is a proposal out of the rig book"`
	Revision int64            `json:"revision"`
	CanBack  bool             `json:"can_back"`
	Sheet    *site.PowerSheet `json:"sheet"`
	Axes     []AxisChoice     `json:"axes"`
}

// AxisChoice is an axis that a device may drive.
type AxisChoice struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

func (s *Server) powerRoutes(r chi.Router, api huma.API) {
	huma.Register(api, op("power", http.MethodGet, "/api/shots/{id}/power",
		"The wiring from the supply to every device"),
		func(ctx context.Context, in *shotID) (*body[*PowerView], error) {
			return s.powerView(ctx, in.ID)
		})
	huma.Register(api, op("amend-power", http.MethodPatch, "/api/shots/{id}/power",
		"Change the wiring, field by field"), s.amendPower)
	huma.Register(api, op("back-power", http.MethodPost, "/api/shots/{id}/power/back",
		"Take the last change of the wiring back"), func(ctx context.Context, in *shotID) (*body[*PowerView], error) {
		if err := s.backSite(ctx, in.ID, "power"); err != nil {
			return nil, err
		}
		return s.powerView(ctx, in.ID)
	})
	huma.Register(api, op("power-limits", http.MethodPost, "/api/shots/{id}/power/limits",
		"Take working speeds that the supply bears into the day's line-ups"), s.powerLimits)
	r.Get("/api/shots/{id}/needs.pdf", s.needsPaper)
}

func (s *Server) amendPower(ctx context.Context, in *amendment) (*body[*PowerView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	err = store.AmendSite(ctx, s.store, s.who(ctx), in.ID, "power", site.Propose(sh.Machines), in.Body.Changes,
		func(p *site.Power) (string, error) {
			_, err := p.Sheet(site.Speeds(sh.Rig))
			return "", err
		})
	if err != nil {
		return nil, s.fail(err)
	}
	s.changed(in.ID)
	return s.powerView(ctx, in.ID)
}

func (s *Server) powerView(ctx context.Context, id string) (*body[*PowerView], error) {
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	row, err := store.Site[site.Power](ctx, s.store, id, "power")
	if err != nil {
		return nil, s.fail(err)
	}
	v := &PowerView{Code: sh.Code, Axes: []AxisChoice{}}
	if row != nil {
		v.Power, v.Kept, v.Revision, v.CanBack = row.Doc, true, row.Revision, row.Shows > 1
	} else {
		v.Power = site.Propose(sh.Machines)
	}
	for _, a := range sh.Rig.Axes {
		v.Axes = append(v.Axes, AxisChoice{a.ID, a.Name})
	}
	v.Sheet, err = v.Power.Sheet(site.Speeds(sh.Rig))
	return &body[*PowerView]{v}, s.fail(err)
}

// powerLimits lowers working speeds to what the supply bears, in the line-up of every
// machine that it concerns.
func (s *Server) powerLimits(ctx context.Context, in *shotID) (*body[*PowerView], error) {
	v, err := s.powerView(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if len(v.Body.Sheet.Lower) == 0 {
		return nil, conflict("There is nothing to lower: the supply bears the speeds of the line-up, or fails at " +
			"rest already.")
	}
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	said := []string{}
	for _, m := range sh.Machines {
		var change = map[string]float64{}
		for _, l := range v.Body.Sheet.Lower {
			if name, axis, _ := strings.Cut(l.Axis, "/"); name == m.Name {
				change[axis] = l.To
				said = append(said, fmt.Sprintf("%s %g %s", l.Named, l.To, l.Unit))
			}
		}
		if len(change) == 0 {
			continue
		}
		if err := s.lowered(ctx, m.Rig.ID, change); err != nil {
			return nil, err
		}
	}
	s.note(ctx, in.ID, "power", "Working speeds that the supply bears are in today's line-up: "+strings.Join(said,
		", ")+".", nil)
	return s.powerView(ctx, in.ID)
}

// lowered keeps a line-up that is today's but for some working speeds.
func (s *Server) lowered(ctx context.Context, machine string, speeds map[string]float64) error {
	return s.relined(ctx, machine, func(r *rig.Rig, l *journal.LineUp) error {
		for axis, speed := range speeds {
			a := &r.Axes[r.Index(axis)]
			day := dayOf(l.Axes, a)
			day.Working.Speed = speed
			l.Axes[axis] = day
		}
		return nil
	})
}

// relined keeps a line-up that is a machine's newest but for what f changes.
func (s *Server) relined(ctx context.Context, machine string, f func(*rig.Rig, *journal.LineUp) error) error {
	err := again(func() error {
		r, err := s.machineRig(ctx, machine)
		if err != nil {
			return err
		}
		rows, err := s.store.LineUps(ctx, machine, 1)
		if err != nil {
			return err
		}
		l, on := journal.LineUp{}, ""
		if len(rows) > 0 {
			on = rows[0].ID
			if doc, _ := rows[0].Doc.Fitted(r); doc != nil {
				l = *doc
			}
		}
		if l.Axes = maps.Clone(l.Axes); l.Axes == nil {
			l.Axes = map[string]journal.DayAxis{}
		}
		if err := f(r, &l); err != nil {
			return err
		}
		_, err = s.lineUp(ctx, machine, &l, on)
		return err
	})
	return s.refusedOr(err)
}

// dayOf is an axis's part of a line-up, or what it is without one.
func dayOf(axes map[string]journal.DayAxis, a *rig.Axis) journal.DayAxis {
	if day, ok := axes[a.ID]; ok {
		return day
	}
	return journal.DayAxis{Soft: [2]float64{a.Min, a.Max}, Working: a.Working}
}

func (s *Server) needsPaper(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "id")
	v, err := s.powerView(r.Context(), id)
	if err != nil {
		problem(w, err)
		return
	}
	var b bytes.Buffer
	if err := exchange.NeedsPaper(&b, v.Body.Code+", "+s.placeOf(r.Context(), id), v.Body.Sheet,
		time.Now()); err != nil {
		problem(w, s.fail(err))
		return
	}
	paper(w, v.Body.Code+"-needs.pdf", b.Bytes())
}
