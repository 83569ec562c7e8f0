package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/rig"
	"keenarc/core/site"
	"keenarc/exchange"
	"keenarc/store"
)

// OrderView is a shot's running order against the clock.
type OrderView struct {
	Code  string `json:"code"`
	Place string `json:"place"`
	// Order is left out where there is none yet; Usual is what one begins with then.
	Order    *site.Order      `json:"order,omitempty"`
	Revision int64            `json:"revision"`
	At       *time.Time       `json:"at,omitempty"`
	By       string           `json:"by,omitempty"`
	CanBack  bool             `json:"can_back"`
	Sheet    *site.OrderSheet `json:"sheet,omitempty"`
	Learnt   []site.Learnt    `json:"learnt" doc:"of the order's steps, as far as days were kept"`
	Days     int              `json:"days" doc:"days that were kept for this kind of set-up"`
	Usual    site.Setup       `json:"usual"`
	Today    string           `json:"today"`
}

type orderBegin struct {
	Date  string     `json:"date" maxLength:"10"`
	Start string     `json:"start" maxLength:"5"`
	Setup site.Setup `json:"setup"`
	// Same keeps the steps of the order before, undone, instead of the starting network.
	Same bool `json:"same,omitempty"`
}

func (s *Server) orderRoutes(r chi.Router, api huma.API) {
	huma.Register(api, op("order", http.MethodGet, "/api/shots/{id}/order", "The running order against the clock"),
		func(ctx context.Context, in *shotID) (*body[*OrderView], error) {
			return s.orderView(ctx, in.ID)
		})
	huma.Register(api, op("begin-order", http.MethodPost, "/api/shots/{id}/order", "Begin the running order of a day"),
		s.beginOrder)
	huma.Register(api, op("amend-order", http.MethodPatch, "/api/shots/{id}/order",
		"Change the running order, field by field"), s.amendOrder)
	huma.Register(api, op("press-order", http.MethodPost, "/api/shots/{id}/order/press",
		"A step begins, is done, or what was pressed is taken back"), func(ctx context.Context, in *struct {
		ID   string `path:"id" format:"uuid"`
		Body struct {
			Step string `json:"step" maxLength:"40"`
			What string `json:"what" enum:"start,done,back"`
		}
	}) (*body[*OrderView], error) {
		var name string
		v, err := s.changeOrder(ctx, in.ID, func(o *site.Order) error {
			if i := slices.IndexFunc(o.Steps, func(x site.OrderStep) bool { return x.ID == in.Body.Step }); i >= 0 {
				name = o.Steps[i].Name
			}
			return o.Press(in.Body.Step, in.Body.What, time.Now())
		})
		if err == nil {
			s.note(ctx, in.ID, "order",
				fmt.Sprintf("“%s”: %s. %s", name,
					map[string]string{"start": "begun", "done": "done", "back": "taken back"}[in.Body.What],
					v.Body.Sheet.Says), nil)
		}
		return v, err
	})
	huma.Register(api, op("back-order", http.MethodPost, "/api/shots/{id}/order/back",
		"Take the last change of the running order back"),
		func(ctx context.Context, in *shotID) (*body[*OrderView], error) {
			if err := s.backSite(ctx, in.ID, "order"); err != nil {
				return nil, err
			}
			return s.orderView(ctx, in.ID)
		})
	r.Get("/api/shots/{id}/order.pdf", s.orderPaper)
}

// backSite takes the last change of a sheet of the place back.
func (s *Server) backSite(ctx context.Context, shot, what string) error {
	err := store.BackSite(ctx, s.store, s.who(ctx), shot, what)
	if errors.Is(err, store.ErrNotFound) {
		return conflict("There is nothing before that to go back to.")
	}
	if err == nil {
		s.changed(shot)
	}
	return s.fail(err)
}

// setupKind is which starting network a shot's rig begins with.
func setupKind(r *rig.Rig) string {
	switch {
	case r == nil || r.Camera == "":
		return "model mover"
	case r.Book != nil && r.Book.Crane != nil:
		return "crane"
	case r.Book != nil && r.Book.Wrist != nil:
		return "arm"
	}
	return "slider"
}

func (s *Server) orderView(ctx context.Context, id string) (*body[*OrderView], error) {
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	now := time.Now()
	v := &OrderView{Code: sh.Code, Place: s.placeOf(ctx, id), Learnt: []site.Learnt{}, Today: now.Format(time.DateOnly)}
	carries := carrier(sh)
	v.Usual = site.Setup{Kind: setupKind(carries), Rails: carries != nil && len(carries.Rails()) > 0,
		Ground: "stage floor", Crew: 4}
	row, err := store.Site[site.Order](ctx, s.store, id, "order")
	if err != nil {
		return nil, s.fail(err)
	}
	if row == nil {
		return &body[*OrderView]{v}, nil
	}
	v.Order, v.Revision, v.At, v.By, v.CanBack, v.Usual = row.Doc, row.Revision, &row.At, row.By.Name, row.Shows > 1,
		row.Doc.Setup
	learnt, err := s.learnt(ctx, id, row.Doc.Date, row.Doc.Setup)
	if err != nil {
		return nil, s.fail(err)
	}
	for _, d := range site.Doings {
		if l, ok := learnt[d]; ok && slices.ContainsFunc(row.Doc.Steps, func(x site.OrderStep) bool {
			return x.Does == d
		}) {
			v.Learnt, v.Days = append(v.Learnt, l), max(v.Days, l.Days)
		}
	}
	v.Sheet, err = row.Doc.Sheet(now, learnt)
	return &body[*OrderView]{v}, s.fail(err)
}

// placeOf is where a shot's production is made.
func (s *Server) placeOf(ctx context.Context, shot string) string {
	list, err := s.store.Shelf(ctx)
	if err != nil {
		return ""
	}
	for _, p := range list {
		if slices.ContainsFunc(p.Shots, func(x store.ShotLine) bool { return x.ID == shot }) {
			return p.Place
		}
	}
	return ""
}

// learnt is what the production's other days say for a set-up.
func (s *Server) learnt(ctx context.Context, shot, day string, setup site.Setup) (map[site.Doing]site.Learnt, error) {
	days, err := store.SiteDays[site.Order](ctx, s.store, shot, "order", day)
	if err != nil {
		return nil, err
	}
	var took []site.Took
	for _, o := range days {
		took = append(took, o.Took()...)
	}
	return site.Learn(took, setup), nil
}

func (s *Server) beginOrder(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body orderBegin
}) (*body[*OrderView], error) {
	if _, err := time.Parse(time.DateOnly, in.Body.Date); err != nil {
		return nil, blame("date", "there is no day "+in.Body.Date, "give one as 2026-03-04")
	}
	learnt, err := s.learnt(ctx, in.ID, in.Body.Date, in.Body.Setup)
	if err != nil {
		return nil, s.fail(err)
	}
	return s.changeOrder(ctx, in.ID, func(o *site.Order) error {
		fresh := site.Order{Date: in.Body.Date, Start: in.Body.Start, Setup: in.Body.Setup}
		if in.Body.Same && len(o.Steps) > 0 {
			fresh.Steps = o.Again(in.Body.Setup, learnt)
		} else {
			if err := fresh.Setup.Check(); err != nil {
				return err
			}
			fresh.Steps = in.Body.Setup.Begin(learnt)
		}
		*o = fresh
		return nil
	})
}

func (s *Server) changeOrder(ctx context.Context, id string, f func(*site.Order) error) (*body[*OrderView], error) {
	err := store.ChangeSite(ctx, s.store, s.who(ctx), id, "order", func(o *site.Order) (string, error) {
		if err := f(o); err != nil {
			return "", err
		}
		return orderly(o)
	})
	if err != nil {
		return nil, s.fail(err)
	}
	s.changed(id)
	return s.orderView(ctx, id)
}

func (s *Server) amendOrder(ctx context.Context, in *amendment) (*body[*OrderView], error) {
	if err := store.AmendSite(ctx, s.store, s.who(ctx), in.ID, "order", nil, in.Body.Changes, orderly); err != nil {
		return nil, s.fail(err)
	}
	s.changed(in.ID)
	return s.orderView(ctx, in.ID)
}

// orderly tidies a running order, and says of which day it is and whether it works out.
func orderly(o *site.Order) (day string, err error) {
	for i := range o.Steps {
		o.Steps[i].Name, o.Steps[i].Thread = strings.TrimSpace(o.Steps[i].Name), strings.TrimSpace(o.Steps[i].Thread)
	}
	o.Keep()
	return o.Date, o.Check(time.Local)
}

func (s *Server) orderPaper(w http.ResponseWriter, r *http.Request) {
	v, err := s.orderView(r.Context(), chi.URLParam(r, "id"))
	if err == nil && v.Body.Order == nil {
		err = conflict("There is no running order yet to be printed. Begin one.")
	}
	if err != nil {
		problem(w, err)
		return
	}
	var b bytes.Buffer
	if err := exchange.OrderPaper(&b, v.Body.Code+", "+v.Body.Place, v.Body.Order, v.Body.Sheet); err != nil {
		problem(w, s.fail(err))
		return
	}
	paper(w, v.Body.Code+"-running-order.pdf", b.Bytes())
}

// paper sends a sheet to print.
func paper(w http.ResponseWriter, name string, b []byte) {
	w.Header().Set("Content-Type", "application/pdf")
	w.Header().Set("Content-Disposition", fmt.Sprintf("inline; filename=%q", exchange.FileName(name)))
	_, _ = w.Write(b)
}
