package web

import (
	"context"
	"net/http"
	"time"

	"keenarc/stage/machine"
	"keenarc/store"
)

// arrivalKey is under what a request has the press that it is: the moment at which it came in,
// before anything was waited for, and the window that it came from.
type arrivalKey struct{}

// PageHeader says which window a request comes from.
const PageHeader = "Keenarc-Page"

// arrives notes when a request came in: what it moves is not moved later than it is fresh.
func (s *Server) arrives(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet {
			next.ServeHTTP(w, r)
			return
		}
		a := s.conductor.Arbiter.Pressed(machine.Owner{Page: r.Header.Get(PageHeader)}, "", 0)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), arrivalKey{}, a)))
	})
}

// shotPatience is how long it may take to see whether there is a shot; longer it is taken for one.
const shotPatience = 300 * time.Millisecond

// thereIs reports whether there is a shot of that id. It is looked up once: shots stay.
func (s *Server) thereIs(ctx context.Context, shot string) bool {
	if shot == "" || s.store == nil {
		return true
	}
	if _, known := s.shots.Load(shot); known {
		return true
	}
	ctx, cancel := context.WithTimeout(ctx, shotPatience)
	defer cancel()
	there, err := s.store.HasShot(ctx, shot)
	if err == nil && there {
		s.shots.Store(shot, true)
	}
	return there || err != nil && store.Away(err)
}

// asked is who asks for something in a request, and when it came in.
func (s *Server) asked(ctx context.Context, shot string) machine.Press {
	a, ok := ctx.Value(arrivalKey{}).(machine.Press)
	if !ok {
		a = s.conductor.Arbiter.Pressed(machine.Owner{}, "", 0)
	}
	if !s.thereIs(ctx, shot) { // what is done is not logged for it
		shot = ""
	}
	a.Who, a.Shot = s.who(ctx), shot
	return a
}
