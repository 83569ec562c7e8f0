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
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/exchange"
	"keenarc/journal"
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
