package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/stage"
	"keenarc/store"
)

type body[T any] struct{ Body T }

type shotID struct {
	ID string `path:"id" format:"uuid"`
}

type revision struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Revision int64 `json:"revision"`
	}
}

type shotRef struct {
	ID string `json:"id"`
}

func op(api huma.API, id, method, at, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: at, Summary: summary}
}

func (s *Server) shotRoutes(api huma.API) {
	huma.Register(api, op(api, "shelf", http.MethodGet, "/api/shelf", "Productions and their shots"), s.getShelf)
	huma.Register(api, op(api, "add-shot", http.MethodPost, "/api/productions/{id}/shots", "A new shot with an empty sheet"), s.addShot)
	huma.Register(api, op(api, "shot", http.MethodGet, "/api/shots/{id}", "A shot as the screen shows it"), func(ctx context.Context, in *shotID) (*body[*ShotView], error) {
		v, err := s.view(ctx, in.ID)
		return &body[*ShotView]{v}, s.fail(err)
	})
	huma.Register(api, op(api, "edit", http.MethodPost, "/api/shots/{id}/edits", "One edit of the path"), s.edit)
	huma.Register(api, op(api, "undo", http.MethodPost, "/api/shots/{id}/undo", "Take the last edit back"), func(ctx context.Context, in *revision) (*body[*ShotView], error) {
		d, err := s.store.Undo(ctx, in.ID, in.Body.Revision, s.who(ctx))
		return s.afterEdit(ctx, in.ID, d, err)
	})
	huma.Register(api, op(api, "redo", http.MethodPost, "/api/shots/{id}/redo", "Do it again"), func(ctx context.Context, in *revision) (*body[*ShotView], error) {
		d, err := s.store.Redo(ctx, in.ID, in.Body.Revision, s.who(ctx))
		return s.afterEdit(ctx, in.ID, d, err)
	})
	huma.Register(api, op(api, "seal", http.MethodPost, "/api/shots/{id}/seal", "Seal the path as it stands"), s.seal)
	huma.Register(api, op(api, "seals", http.MethodGet, "/api/shots/{id}/seals", "All seals, newest first"), func(ctx context.Context, in *shotID) (*body[[]store.Seal], error) {
		v, err := s.store.Seals(ctx, in.ID)
		return &body[[]store.Seal]{v}, s.fail(err)
	})
	huma.Register(api, op(api, "pose", http.MethodPost, "/api/shots/{id}/pose", "Where the camera would be"), s.pose)
	huma.Register(api, op(api, "pose-at", http.MethodGet, "/api/shots/{id}/pose", "The plan's pose at any frame"), s.poseAt)
	huma.Register(api, op(api, "log", http.MethodGet, "/api/shots/{id}/log", "The log, newest first"), func(ctx context.Context, in *struct {
		ID     string `path:"id" format:"uuid"`
		Before int64  `query:"before"`
	}) (*body[[]store.LogLine], error) {
		v, err := s.store.Log(ctx, in.ID, in.Before, 200)
		return &body[[]store.LogLine]{v}, s.fail(err)
	})
}

func (s *Server) getShelf(ctx context.Context, _ *struct{}) (*body[[]store.Production], error) {
	v, err := s.store.Shelf(ctx)
	return &body[[]store.Production]{v}, s.fail(err)
}

var shotCode = regexp.MustCompile(`^[A-Z]{1,4}-?[0-9]{1,4}[A-Z]?$`)

func (s *Server) addShot(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Code  string `json:"code" maxLength:"12"`
		Title string `json:"title" maxLength:"80"`
	}
}) (*body[shotRef], error) {
	code, title := strings.ToUpper(strings.TrimSpace(in.Body.Code)), strings.TrimSpace(in.Body.Title)
	if !shotCode.MatchString(code) {
		return nil, huma.Error422UnprocessableEntity("Code: give letters and a number, as SL-060.", &huma.ErrorDetail{Location: "code"})
	}
	if title == "" {
		return nil, huma.Error422UnprocessableEntity("Title: give the shot a name.", &huma.ErrorDetail{Location: "title"})
	}
	r, l := rig.Plank(), lens.Demo()
	scale, err := l.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	if err := s.store.AddRig(ctx, r); err != nil {
		return nil, s.fail(err)
	}
	sh := &store.Shot{ID: journal.NewID(), Code: code, Title: title, Rig: r, Lens: l, Set: geom.HarbourSet()}
	p := path.New(r, fps24, exchange.BasePose(r, scale))
	passes := []store.Pass{{ID: journal.NewID(), Number: 1, Name: "Beauty", FactorNum: 1, FactorDen: 1}, {ID: journal.NewID(), Number: 2, Name: "Clean plate", FactorNum: 1, FactorDen: 1}}
	if err := s.store.AddShot(ctx, in.ID, sh, s.who(ctx), p, passes); err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, sh.ID, "shot", "Started shot "+code+" · "+title+".", nil)
	return &body[shotRef]{shotRef{sh.ID}}, nil
}

func (s *Server) edit(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Revision int64     `json:"revision"`
		Edit     path.Edit `json:"edit"`
	}
}) (*body[*ShotView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Edit(ctx, in.ID, in.Body.Revision, s.who(ctx), in.Body.Edit, func(p *path.Path) (*path.Path, error) {
		return p.Apply(sh.Rig, in.Body.Edit)
	})
	return s.afterEdit(ctx, in.ID, d, err)
}

func (s *Server) afterEdit(ctx context.Context, id string, d *store.Draft, err error) (*body[*ShotView], error) {
	if err != nil {
		return nil, s.fail(err)
	}
	s.changed(id)
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	v, err := s.viewOf(ctx, sh, d)
	return &body[*ShotView]{v}, s.fail(err)
}

func (s *Server) seal(ctx context.Context, in *revision) (*body[*ShotView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Draft(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if d.Revision != in.Body.Revision {
		return nil, s.fail(store.ErrStale)
	}
	t, err := seal.Make(d.Path, sh.Rig)
	if err != nil {
		return nil, huma.Error409Conflict(err.Error())
	}
	m, err := path.Compile(d.Path, sh.Rig)
	if err != nil {
		return nil, s.fail(err)
	}
	b, err := limit.Brake(m, sh.Rig, d.Path.Clock().FPS())
	if err != nil {
		return nil, huma.Error409Conflict(err.Error())
	}
	x, err := s.store.AddSeal(ctx, journal.NewID(), in.ID, d.Revision, s.who(ctx), t, b)
	if err != nil {
		return nil, s.fail(err)
	}
	j, err := stage.NewJudge(sh.Rig, sh.Lens, sh.Set, t, sh.ThresholdPx)
	if err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, in.ID, "seal", fmt.Sprintf("Sealed path %d as %s. Rounding to steps moves the picture by at most %.1e px.", x.Version, x.Short, j.QuantisationPx()),
		map[string]any{"version": x.Version, "fingerprint": x.Print, "quantisation_px": j.QuantisationPx()})
	return s.afterEdit(ctx, in.ID, d, nil)
}

func (s *Server) pose(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Values map[string]float64 `json:"values"`
		FocusM *float64           `json:"focus_m,omitempty" doc:"instead of the ring's position: the distance to focus at"`
	}
}) (*body[*PosedView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	out := &PosedView{Values: map[string]float64{}}
	q := make([]float64, len(sh.Rig.Axes))
	for i, a := range sh.Rig.Axes {
		q[i] = in.Body.Values[a.ID]
		if a.ID == "focus" && in.Body.FocusM != nil {
			if q[i], err = scale.RingFor(*in.Body.FocusM); err != nil {
				return nil, huma.Error422UnprocessableEntity("Focus: "+err.Error()+".", &huma.ErrorDetail{Location: "focus_m"})
			}
		}
		if err := path.CheckKey(&sh.Rig.Axes[i], path.Key{Value: q[i]}); err != nil {
			return nil, s.fail(err)
		}
		out.Values[a.ID] = q[i]
	}
	out.View = viewAt(sh, scale, q)
	return &body[*PosedView]{out}, nil
}

func (s *Server) poseAt(ctx context.Context, in *struct {
	ID    string  `path:"id" format:"uuid"`
	Frame float64 `query:"frame" required:"true"`
}) (*body[*PosedView], error) {
	v, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Draft(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	m, err := path.Compile(d.Path, v.Rig)
	if err != nil {
		return nil, s.fail(err)
	}
	scale, err := v.Lens.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	q := make([]float64, len(v.Rig.Axes))
	m.Values(q, in.Frame)
	out := &PosedView{Values: map[string]float64{}, View: viewAt(v, scale, q)}
	for i, a := range v.Rig.Axes {
		out.Values[a.ID] = q[i]
	}
	return &body[*PosedView]{out}, nil
}

// PosedView is where the camera would be at the given values.
type PosedView struct {
	Values map[string]float64 `json:"values"`
	View   View               `json:"view"`
}

// note writes to the log; the log failing never fails what was done.
func (s *Server) note(ctx context.Context, shot, kind, text string, data map[string]any) {
	e := journal.Entry{At: time.Now(), Actor: s.who(ctx), ShotID: shot, Kind: kind, Text: text}
	if data != nil {
		if b, err := json.Marshal(data); err == nil {
			e.Data = b
		}
	}
	if err := s.store.AddLog(ctx, e); err != nil {
		s.log.Error("log entry not written", "text", text, "err", err)
	}
}
