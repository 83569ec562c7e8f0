package web

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/journal"
)

// me is how somebody says who they are.
type me struct {
	Name string `json:"name" minLength:"1" maxLength:"40"`
	Role string `json:"role,omitempty" maxLength:"40" doc:"what they do, as operator or assistant"`
}

func (s *Server) peopleRoutes(_ chi.Router, api huma.API) {
	huma.Register(api, op("me", http.MethodGet, "/api/me", "Who is at the desk"),
		func(ctx context.Context, _ *struct{}) (*body[journal.Person], error) {
			return &body[journal.Person]{s.who(ctx)}, nil
		})
	huma.Register(api, op("set-me", http.MethodPut, "/api/me", "Say who is at the desk"),
		func(ctx context.Context, in *body[me]) (*body[journal.Person], error) {
			p, err := s.store.Person(ctx, in.Body.Name, in.Body.Role)
			if err != nil {
				return nil, s.fail(err)
			}
			s.sessions.Put(ctx, "person", p.ID)
			s.sessions.Put(ctx, "name", p.Name)
			s.sessions.Put(ctx, "role", p.Role)
			return &body[journal.Person]{p}, nil
		})
	huma.Register(api, op("people", http.MethodGet, "/api/people", "Everybody who was at a desk, the last first"),
		func(ctx context.Context, _ *struct{}) (*body[[]journal.Person], error) {
			v, err := s.store.People(ctx)
			return &body[[]journal.Person]{v}, s.fail(err)
		})
}

// who is the session's person.
func (s *Server) who(ctx context.Context) journal.Person {
	if id := s.sessions.GetString(ctx, "person"); id != "" {
		return journal.Person{ID: id, Name: s.sessions.GetString(ctx, "name"), Role: s.sessions.GetString(ctx, "role")}
	}
	return journal.Somebody
}

// quietWho is the session's person where the database answers quickly, else somebody.
func (s *Server) quietWho(r *http.Request) journal.Person {
	c, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return journal.Somebody
	}
	got := make(chan journal.Person, 1)
	go func() { // ends by itself: the store's own query does
		ctx, err := s.sessions.Load(context.WithoutCancel(r.Context()), c.Value)
		if err != nil {
			got <- journal.Somebody
			return
		}
		got <- s.who(ctx)
	}()
	select {
	case p := <-got:
		return p
	case <-time.After(150 * time.Millisecond):
		return journal.Somebody
	}
}
