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

	"keenarc/core/clock"
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
		Doing
	}
}

// Doing says where something is done, and tells one deed from another.
type Doing struct {
	Window string `json:"window,omitempty" maxLength:"64" doc:"the window it is done in"`
	Deed   string `json:"deed,omitempty" format:"uuid" doc:"sent twice with the same, it is done once"`
}

func (s *Server) by(ctx context.Context, shot string, revision int64, d Doing) store.By {
	return store.By{Shot: shot, Revision: revision, Actor: s.who(ctx), Window: d.Window, ID: d.Deed}
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
		return s.shown(ctx, v, err)
	})
	huma.Register(api, op(api, "rename", http.MethodPut, "/api/shots/{id}", "Code, title and first timecode of a shot"), s.rename)
	huma.Register(api, op(api, "edit", http.MethodPost, "/api/shots/{id}/edits", "One edit of the path"), s.edit)
	huma.Register(api, op(api, "undo", http.MethodPost, "/api/shots/{id}/undo", "Take the last edit back"), func(ctx context.Context, in *revision) (*body[*ShotView], error) {
		d, err := s.store.Undo(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing))
		return s.afterEdit(ctx, in.ID, d, err)
	})
	huma.Register(api, op(api, "redo", http.MethodPost, "/api/shots/{id}/redo", "Do it again"), func(ctx context.Context, in *revision) (*body[*ShotView], error) {
		d, err := s.store.Redo(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing))
		return s.afterEdit(ctx, in.ID, d, err)
	})
	huma.Register(api, op(api, "resume", http.MethodPost, "/api/shots/{id}/resume", "Back to the sealed path"), s.resume)
	huma.Register(api, op(api, "proof", http.MethodGet, "/api/shots/{id}/proof", "Braking and focus over the whole plan"), s.proof)
	huma.Register(api, op(api, "stretch", http.MethodGet, "/api/shots/{id}/plot", "A part of the move, drawn finer"), s.stretch)
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

// named tidies a shot's code and title, or says what they should be.
func named(code, title string) (string, string, error) {
	code, title = strings.ToUpper(strings.TrimSpace(code)), strings.TrimSpace(title)
	if !shotCode.MatchString(code) {
		return "", "", huma.Error422UnprocessableEntity("Code: give letters and a number, as SL-060.", &huma.ErrorDetail{Location: "code"})
	}
	if title == "" {
		return "", "", huma.Error422UnprocessableEntity("Title: give the shot a name.", &huma.ErrorDetail{Location: "title"})
	}
	return code, title, nil
}

func (s *Server) rename(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Code  string `json:"code" maxLength:"12"`
		Title string `json:"title" maxLength:"80"`
		Start string `json:"start_timecode" maxLength:"11" doc:"the timecode of frame 0, as 10:00:00:00"`
	}
}) (*body[done], error) {
	code, title, err := named(in.Body.Code, in.Body.Title)
	if err != nil {
		return nil, err
	}
	d, err := s.store.Draft(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if _, err := clock.FrameOf(in.Body.Start, d.Path.Rate); err != nil {
		return nil, huma.Error422UnprocessableEntity("Timecode: "+err.Error()+".", &huma.ErrorDetail{Location: "start_timecode"})
	}
	if err := s.store.Rename(ctx, in.ID, code, title, in.Body.Start); err != nil {
		return nil, s.fail(err)
	}
	text := fmt.Sprintf("The shot is %s · %s; frame 0 is %s.", code, title, in.Body.Start)
	s.note(ctx, in.ID, "shot", text, nil)
	s.changed(in.ID)
	return said(text), nil
}

func (s *Server) addShot(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Code  string `json:"code" maxLength:"12"`
		Title string `json:"title" maxLength:"80"`
	}
}) (*body[shotRef], error) {
	code, title, err := named(in.Body.Code, in.Body.Title)
	if err != nil {
		return nil, err
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
		Doing
	}
}) (*body[*ShotView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Edit(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing), sh.Rig, in.Body.Edit)
	return s.afterEdit(ctx, in.ID, d, err)
}

func (s *Server) afterEdit(ctx context.Context, id string, d *store.Draft, err error) (*body[*ShotView], error) {
	if err != nil {
		return nil, s.fail(err)
	}
	sh, err := s.store.Shot(ctx, id)
	if err == nil { // worked out before the watchers ask for it, too
		_, err = s.drawn(sh, d)
	}
	s.changed(id)
	if err != nil {
		return nil, s.fail(err)
	}
	v, err := s.viewOf(ctx, sh, d)
	return s.shown(ctx, v, err)
}

// shown answers with a shot as somebody at a desk sees it.
func (s *Server) shown(ctx context.Context, v *ShotView, err error) (*body[*ShotView], error) {
	if err != nil {
		return nil, s.fail(err)
	}
	v.You = s.who(ctx)
	return &body[*ShotView]{v}, nil
}

// resume puts the path of the newest seal back.
func (s *Server) resume(ctx context.Context, in *revision) (*body[*ShotView], error) {
	seals, err := s.store.Seals(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if len(seals) == 0 || seals[0].Revision < 0 {
		return nil, huma.Error409Conflict("There is no sealed path to go back to.")
	}
	d, err := s.store.Bring(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing), seals[0].Revision, fmt.Sprintf("back to sealed path %d", seals[0].Version))
	return s.afterEdit(ctx, in.ID, d, err)
}

// Proof is what takes longer to work out of a plan than drawing it.
type Proof struct {
	Revision int64          `json:"revision"`
	Braking  *limit.Braking `json:"braking,omitempty" doc:"left out where the plan is over a limit or cannot be braked"`
	Soft     []lens.SoftRun `json:"soft" doc:"where the subject is in the picture and not sharp"`
}

func (s *Server) proof(ctx context.Context, in *shotID) (*body[*Proof], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Draft(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	out := &Proof{Revision: d.Revision, Soft: []lens.SoftRun{}}
	if _, _, ok := d.Path.Span(); !ok {
		return &body[*Proof]{out}, nil
	}
	m, err := path.Compile(d.Path, sh.Rig)
	if err != nil {
		return nil, s.fail(err)
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	out.Soft = soft(sh, scale, m)
	fps := d.Path.Clock().FPS()
	if limit.Check(m, sh.Rig, fps, limit.Working).OK() {
		if b, err := limit.Brake(m, sh.Rig, fps); err == nil {
			out.Braking = b
		}
	}
	return &body[*Proof]{out}, nil
}

// stretch is a finer drawing of a part of the move.
func (s *Server) stretch(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	From int    `query:"from" required:"true"`
	To   int    `query:"to" required:"true"`
}) (*body[*Plot], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Draft(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	m, err := path.Compile(d.Path, sh.Rig)
	if err != nil {
		return nil, s.fail(err)
	}
	from, to := max(in.From, m.Start()), min(in.To, m.End())
	if from > to {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("From and to: no frame of the move is among them; it runs from %s to %s.", frame4(m.Start()), frame4(m.End())))
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	return &body[*Plot]{plot(sh, scale, m, d.Path.Clock().FPS(), from, to)}, nil
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
