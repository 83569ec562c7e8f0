package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/clock"
	"keenarc/core/mistake"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/examples"
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

func op(id, method, at, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: at, Summary: summary}
}

func (s *Server) shotRoutes(_ chi.Router, api huma.API) {
	huma.Register(api, op("shelf", http.MethodGet, "/api/shelf", "Productions and their shots"), s.getShelf)
	huma.Register(api, op("add-shot", http.MethodPost, "/api/productions/{id}/shots", "A new shot with an empty sheet"),
		s.addShot)
	huma.Register(api, op("shot", http.MethodGet, "/api/shots/{id}", "A shot as the screen shows it"),
		func(ctx context.Context, in *shotID) (*body[*ShotView], error) {
			v, err := s.view(ctx, in.ID)
			return s.shown(ctx, v, err)
		})
	huma.Register(api, op("rename", http.MethodPut, "/api/shots/{id}", "Code, title and first timecode of a shot"),
		s.rename)
	huma.Register(api, op("timecodes", http.MethodGet, "/api/shots/{id}/timecodes",
		"The timecodes of a stretch of frames"), s.timecodes)
	huma.Register(api, op("log", http.MethodGet, "/api/shots/{id}/log", "The log, newest first"),
		func(ctx context.Context, in *struct {
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
		return "", "", blame("code", fmt.Sprintf("%q is no shot code", code), "give letters and a number, as SL-060")
	}
	if title == "" {
		return "", "", blame("title", "it is empty", "give the shot a name")
	}
	return code, title, nil
}

func (s *Server) rename(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		store.Called
		Seen *store.Called `json:"seen,omitempty" doc:"as it was seen"`
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
	if _, _, err := clock.FrameOf(in.Body.Start, d.Path.Rate); err != nil {
		var m *mistake.Error
		if errors.As(err, &m) {
			return nil, blame("start_timecode", m.Wrong, m.Want)
		}
		return nil, s.fail(err)
	}
	is, err := s.store.Rename(ctx, in.ID, in.Body.Seen, store.Called{Code: code, Title: title, Start: in.Body.Start})
	if err != nil {
		return nil, s.fail(err)
	}
	text := fmt.Sprintf("The shot is %s · %s; frame 0 is %s.", is.Code, is.Title, is.Start)
	s.note(ctx, in.ID, "shot", text, nil)
	s.changed(in.ID)
	return said(text), nil
}

// mostTimecodes are asked for at a time.
const mostTimecodes = 2000

// timecodes label frames as the field does.
func (s *Server) timecodes(ctx context.Context, in *struct {
	ID    string `path:"id" format:"uuid"`
	From  int    `query:"from" required:"true"`
	Count int    `query:"count" required:"true" minimum:"1" maximum:"2000"`
}) (*body[[]string], error) {
	sh, d, err := s.newest(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if most := 2 * path.MaxFrames; in.From < -most || in.From > most {
		return nil, blame("from", itoa(in.From)+" is beyond the longest move", fmt.Sprintf("keep it within ±%d", most))
	}
	out := make([]string, min(in.Count, mostTimecodes))
	for i := range out {
		out[i] = labelled(float64(in.From+i), sh.StartTimecode, d.Path.Rate).Timecode
	}
	return &body[[]string]{out}, nil
}

// Label is how a frame is written: its number in four digits, and its timecode.
type Label struct {
	Frame    float64 `json:"frame"`
	Number   string  `json:"number"`
	Timecode string  `json:"timecode"`
}

func labelled(frame float64, start string, rate clock.Rate) Label {
	whole := int(math.Floor(frame + 1e-6))
	from, drop, err := clock.FrameOf(start, rate)
	if err != nil { // the shot's first timecode is older than its rate, which may not drop
		from, _, _ = clock.FrameOf(strings.Replace(start, ";", ":", 1), rate)
	}
	return Label{frame, frame4(whole), clock.Timecode(whole, from, rate, drop)}
}

func (s *Server) addShot(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Code  string `json:"code" maxLength:"12"`
		Title string `json:"title" maxLength:"80"`
		Rig   string `json:"rig,omitempty" maxLength:"64" doc:"the machine that it is for; plank where it is left out"`
	}
}) (*body[shotRef], error) {
	code, title, err := named(in.Body.Code, in.Body.Title)
	if err != nil {
		return nil, err
	}
	l := examples.Camera()
	id := in.Body.Rig
	if id == "" {
		id = "plank"
	}
	own, err := s.store.Rig(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	if own.Camera == "" {
		return nil, blame("rig", own.Name+" carries no camera", "choose a machine that does")
	}
	scale, err := l.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	machines := []rig.Placed{{Name: id, Rig: own}}
	r, err := rig.Join(machines)
	if err != nil {
		return nil, s.fail(err)
	}
	sh := &store.Shot{ID: journal.NewID(), Code: code, Title: title, Machines: machines, Lens: l,
		Set: examples.Harbour()}
	p := path.New(r, fps24, exchange.BasePose(r, scale))
	passes := []store.Pass{{ID: journal.NewID(), Number: 1, Name: "Beauty",
		Clock: clock.Times(clock.Rate{Num: 1, Den: 1})}, {ID: journal.NewID(), Number: 2, Name: "Clean plate",
		Clock: clock.Times(clock.Rate{Num: 1, Den: 1})}}
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
