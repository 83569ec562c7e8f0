// Package web is the HTTP face: routes, sessions, live sockets and the built
// interface. It decodes, makes one call into stage, store or calc, and answers.
package web

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"reflect"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/core/path"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/stage"
	"keenarc/store"
	"keenarc/ui"
)

// Server answers HTTP. It is safe for use from several goroutines.
type Server struct {
	store    *store.Store
	floor    *stage.Floor
	log      *slog.Logger
	sessions *scs.SessionManager
	// calculating holds a place for each calculation that is being answered: half
	// of the processors, so that holds and rigs are never kept waiting.
	calculating chan struct{}
	toJudge     chan *journal.Take
	judgings    atomic.Int64 // how often a take was judged, for tests
	mu          sync.Mutex
	versions    map[string]int64 // of shots, counted up with every change
	drawings    *lru.Cache[revisionKey, *Drawn]
	began       int64 // unix ms: versions go on from the last start's
}

// New prepares a server. The floor may be nil only for making the OpenAPI text.
func New(s *store.Store, f *stage.Floor, log *slog.Logger) *Server {
	sm := scs.New()
	sm.Lifetime = 30 * 24 * time.Hour
	sm.Cookie.Name = "keenarc"
	sm.Cookie.SameSite = http.SameSiteStrictMode
	sm.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) {
		log.Error("session", "err", err)
		problem(w, huma.Error503ServiceUnavailable("The database cannot be reached. Nothing was changed; try again in a moment."))
	}
	if s != nil {
		sm.Store = pgxstore.NewWithCleanupInterval(s.Pool, 0)
	}
	srv := &Server{store: s, floor: f, log: log, sessions: sm, versions: map[string]int64{}, toJudge: make(chan *journal.Take, 64),
		calculating: make(chan struct{}, max(1, runtime.GOMAXPROCS(0)/2))}
	srv.began = time.Now().UnixMilli()
	srv.drawings, _ = lru.New[revisionKey, *Drawn](16) // fails for sizes below one only
	if f != nil {
		f.Ended = srv.ended
	}
	return srv
}

// Handler is everything: API, sockets, interface.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, loopbackOnly, secure)
	guard := http.NewCrossOriginProtection()
	r.Group(func(r chi.Router) { // neither session nor database
		r.Use(guard.Handler)
		r.Post("/api/stop", s.stop)
		r.Get("/api/live", s.live)
		r.Get("/api/hold", s.hold)
		r.With(httprate.LimitBy(6000, time.Minute, httprate.Key("*"))).Post("/api/calc/{name}", s.calc)
		r.Get("/api/calc", s.calcList)
	})
	r.Group(func(r chi.Router) {
		r.Use(guard.Handler, s.sessions.LoadAndSave)
		s.API(r)
		r.Post("/api/shots/{id}/keys", s.upload)
		r.Get("/api/shots/{id}/path.csv", s.pathCSV)
		r.Get("/api/takes/{id}/trace.csv", s.traceCSV)
	})
	r.NotFound(s.page)
	return r
}

// API registers the typed operations and returns their description.
func (s *Server) API(r chi.Router) huma.API {
	huma.DefaultArrayNullable = false
	cfg := huma.DefaultConfig("Keen Arc", "1")
	cfg.DocsPath, cfg.OpenAPIPath = "", "/api/openapi"
	cfg.CreateHooks = nil
	api := humachi.New(r, cfg)
	s.shotRoutes(api)
	s.passRoutes(api)
	s.rigRoutes(api)
	for _, t := range []reflect.Type{reflect.TypeFor[LiveMessage](), reflect.TypeFor[holdWord](), reflect.TypeFor[holdSays]()} {
		api.OpenAPI().Components.Schemas.Schema(t, true, "") // the sockets' messages, for the interface's types
	}
	return api
}

// loopbackOnly answers only when it was asked by a name of this machine, so
// that a strange name that was made to point here gets nothing.
func loopbackOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		if ip := net.ParseIP(strings.Trim(host, "[]")); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			http.Error(w, "this application answers on this machine only", http.StatusForbidden)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// secure sets the headers that keep the page to itself.
func secure(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; frame-ancestors 'none'; base-uri 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		next.ServeHTTP(w, r)
	})
}

// page serves the built interface; unknown paths give its index.
func (s *Server) page(w http.ResponseWriter, r *http.Request) {
	if strings.HasPrefix(r.URL.Path, "/api/") {
		http.Error(w, "there is no such address", http.StatusNotFound)
		return
	}
	dist := ui.Dist()
	name := strings.TrimPrefix(r.URL.Path, "/")
	if f, err := fs.Stat(dist, name); name == "" || err != nil || f.IsDir() {
		name = "index.html"
		w.Header().Set("Cache-Control", "no-cache")
	} else if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	if _, err := fs.Stat(dist, name); err != nil {
		http.Error(w, "the interface was not built into this program; run make build", http.StatusNotFound)
		return
	}
	servePacked(w, r, dist, name)
}

// servePacked prefers the gzip copy that the build lays beside each asset.
func servePacked(w http.ResponseWriter, r *http.Request, dist fs.FS, name string) {
	if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		if b, err := fs.ReadFile(dist, name+".gz"); err == nil {
			w.Header().Set("Content-Encoding", "gzip")
			w.Header().Set("Vary", "Accept-Encoding")
			http.ServeContent(w, r, name, time.Time{}, strings.NewReader(string(b)))
			return
		}
	}
	http.ServeFileFS(w, r, dist, name)
}

// who is the name of the session's person.
func (s *Server) who(ctx context.Context) string {
	if n := s.sessions.GetString(ctx, "name"); n != "" {
		return n
	}
	return "Operator"
}

// changed counts a shot's version up, for those who watch it.
func (s *Server) changed(shot string) {
	s.mu.Lock()
	s.versions[shot]++
	s.mu.Unlock()
}

func (s *Server) version(shot string) int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.began + s.versions[shot]
}

// fail turns an error into an answer that says what to do.
func (s *Server) fail(err error) error {
	var pe *path.Error
	var le *exchange.PlaceError
	var pg *pgconn.PgError
	var ce *pgconn.ConnectError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &pe):
		return huma.Error422UnprocessableEntity(sentence(pe), &huma.ErrorDetail{Location: pe.Field, Message: pe.Wrong, Value: pe.Want})
	case errors.As(err, &le):
		return huma.Error422UnprocessableEntity(le.Error(), &huma.ErrorDetail{Location: le.Column, Message: le.Wrong, Value: le.Want})
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound(err.Error())
	case errors.Is(err, store.ErrStale), errors.Is(err, store.ErrTaken), errors.As(err, new(*store.ClashError)):
		return huma.Error409Conflict(err.Error())
	case errors.Is(err, stage.ErrNoRig):
		return huma.Error503ServiceUnavailable(err.Error())
	case errors.As(err, &pg) && pg.Code == "22P02":
		return huma.Error404NotFound(store.ErrNotFound.Error())
	case errors.As(err, &ce), errors.As(err, &pg), errors.Is(err, context.DeadlineExceeded):
		s.log.Error("database", "err", err)
		return huma.Error503ServiceUnavailable("The database cannot be reached. Nothing was changed; try again in a moment.")
	}
	s.log.Error("request", "err", err)
	return huma.Error500InternalServerError("Something went wrong here: " + err.Error())
}

func sentence(e *path.Error) string { return e.Field + ": " + e.Wrong + "; " + e.Want + "." }

// refused is an answer for what the rig or the rules do not allow.
func (s *Server) refused(err error) error {
	if err == nil || errors.Is(err, stage.ErrNoRig) {
		return s.fail(err)
	}
	return huma.Error409Conflict(err.Error())
}
