package web

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/link"
	"keenarc/stage"
	"keenarc/store"
)

type done struct {
	Said string `json:"said"`
}

type me struct {
	Name string `json:"name" minLength:"1" maxLength:"40"`
}

func (s *Server) rigRoutes(api huma.API) {
	huma.Register(api, op(api, "me", http.MethodGet, "/api/me", "Who is at the desk"), func(ctx context.Context, _ *struct{}) (*body[me], error) {
		return &body[me]{me{s.who(ctx)}}, nil
	})
	huma.Register(api, op(api, "set-me", http.MethodPut, "/api/me", "Say who is at the desk"), func(ctx context.Context, in *body[me]) (*body[me], error) {
		s.sessions.Put(ctx, "name", in.Body.Name)
		return &body[me]{in.Body}, nil
	})
	huma.Register(api, op(api, "home", http.MethodPost, "/api/rig/home", "Home all axes; asked for and confirmed"), func(ctx context.Context, in *struct {
		Body struct {
			Shot string `json:"shot" format:"uuid"`
		}
	}) (*body[done], error) {
		return said("Homing all axes."), s.refused(s.floor.Home(ctx, s.who(ctx), in.Body.Shot))
	})
	huma.Register(api, op(api, "go-to", http.MethodPost, "/api/rig/goto", "Go to a frame of the sealed path; asked for and confirmed"), s.goTo)
	huma.Register(api, op(api, "rig-stats", http.MethodGet, "/api/rig/stats", "How well the rig's loop keeps time"), func(ctx context.Context, _ *struct{}) (*body[*link.Stats], error) {
		st, err := s.floor.Stats(ctx)
		return &body[*link.Stats]{st}, s.refused(err)
	})
}

func said(text string) *body[done] { return &body[done]{done{text}} }

func (s *Server) goTo(ctx context.Context, in *struct {
	Body struct {
		Shot  string `json:"shot" format:"uuid"`
		Frame *int   `json:"frame,omitempty" doc:"left out: the first frame of the run"`
	}
}) (*body[done], error) {
	v, err := s.view(ctx, in.Body.Shot)
	if err != nil {
		return nil, s.fail(err)
	}
	if v.Seal == nil {
		return nil, huma.Error409Conflict("There is no sealed path to go to. Press S to seal it.")
	}
	t, err := s.store.Table(ctx, v.Seal.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	f := t.Start()
	if in.Body.Frame != nil {
		f = *in.Body.Frame
	}
	to, ok := stage.PoseAt(t, f)
	if !ok {
		return nil, huma.Error422UnprocessableEntity("Frame: it is outside the sealed path.", &huma.ErrorDetail{Location: "frame"})
	}
	text := "Going to frame " + frame4(f) + " of path " + itoa(v.Seal.Version) + "."
	return said(text), s.refused(s.floor.GoTo(ctx, s.who(ctx), in.Body.Shot, text, to))
}

// stop needs no session and no database.
func (s *Server) stop(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	if err := s.floor.Stop(ctx, s.quietWho(r)); err != nil {
		http.Error(w, "The rig did not answer: "+err.Error()+". Use the hardware stop.", http.StatusServiceUnavailable)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// quietWho is the session's name where the database answers quickly, else "Operator".
func (s *Server) quietWho(r *http.Request) string {
	c, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return "Operator"
	}
	got := make(chan string, 1)
	go func() { // ends by itself: the store's own query does
		ctx, err := s.sessions.Load(context.WithoutCancel(r.Context()), c.Value)
		if err != nil {
			got <- "Operator"
			return
		}
		got <- s.who(ctx)
	}()
	select {
	case n := <-got:
		return n
	case <-time.After(150 * time.Millisecond):
		return "Operator"
	}
}

// passFor makes a pass ready to roll, or says why not.
func (s *Server) passFor(ctx context.Context, shot, pass string) (*stage.Pass, *stage.Desk, error) {
	d, x, err := s.desk(ctx, shot, pass)
	if err != nil {
		return nil, nil, err
	}
	p, err := s.store.Pass(ctx, pass)
	if err != nil {
		return nil, nil, err
	}
	if x == nil {
		return nil, d, store.ErrNotFound
	}
	return &stage.Pass{ID: p.ID, Name: p.Name, Number: p.Number, Table: d.Table, Factor: p.Factor(), BrakeS: x.Braking.Seconds}, d, nil
}
