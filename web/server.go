// Package web is the HTTP face: routes, sessions, live sockets and the built
// interface. It decodes, makes one call into stage, store or calc, and answers.
package web

import (
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
	lru "github.com/hashicorp/golang-lru/v2"

	"keenarc/journal"
	"keenarc/stage/act"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
	"keenarc/store"
	"keenarc/ui"
)

// Server answers HTTP. It is safe for use from several goroutines.
type Server struct {
	store     *store.Store
	floor     *machine.Set
	conductor *act.Conductor
	plans     plans
	eye       *camera.Eye
	shooting  *act.Shooting
	inStep    *camera.InStep
	log       *slog.Logger
	sessions  *scs.SessionManager
	computing *turns
	quick     *turns // of what takes a moment: one at a time
	open      sockets
	shots     sync.Map // by id: those that there are
	toJudge   chan *journal.Take
	judgings  atomic.Int64 // how often a take was judged, for tests
	mu        sync.Mutex
	versions  map[string]int64 // of shots, counted up with every change
	common    int64            // counted up with what changes for all
	drawings  *lru.Cache[revisionKey, *Drawn]
	clocks    *lru.Cache[clockedKey, Clocked]
	laters    laters
	began     int64 // unix ms: versions go on from the last start's
}

// New prepares a server for the machines on their floors and the camera. The store may
// be nil only for making the OpenAPI text.
func New(s *store.Store, floor *machine.Set, eye *camera.Eye, log *slog.Logger) *Server {
	if floor == nil {
		floor = machine.NewSet()
	}
	sm := scs.New()
	sm.Lifetime = 30 * 24 * time.Hour
	sm.Cookie.Name = "keenarc"
	sm.Cookie.SameSite = http.SameSiteStrictMode
	sm.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) {
		log.Error("session", "err", err)
		problem(w, newProblem(http.StatusServiceUnavailable, databaseAway))
	}
	if s != nil {
		sm.Store = pgxstore.NewWithCleanupInterval(s.Pool, 0)
	}
	srv := &Server{store: s, floor: floor, log: log, sessions: sm, versions: map[string]int64{},
		toJudge:   make(chan *journal.Take, 64),
		computing: newTurns(runtime.GOMAXPROCS(0) / 2), quick: newTurns(1)}
	srv.open.of = map[string]int{}
	srv.began = time.Now().UnixMilli()
	srv.drawings, _ = lru.New[revisionKey, *Drawn](16) // fails for sizes below one only
	srv.clocks, _ = lru.New[clockedKey, Clocked](512)
	srv.inStep = camera.NewInStep(eye)
	srv.conductor, srv.plans = act.NewConductor(floor, log), stored{srv}
	srv.eye, srv.shooting = eye, act.NewShooting(srv.conductor, eye, s, log)
	srv.shooting.Changed = func(shot string) { srv.changed(shot) }
	for _, f := range floor.All() {
		f.Ended, f.Homed = srv.ended, srv.everything
	}
	return srv
}

// Handler is everything: API, sockets, interface.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, loopbackOnly, secure, onlyText)
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(says(http.StatusForbidden,
		"This was asked from another place than this application's own pages."))
	r.Group(func(r chi.Router) { // neither session nor database
		r.Use(guard.Handler)
		r.Post("/api/stop", s.stop)
		s.liveRoutes(r.With(s.open.counted))
		s.calcRoutes(r)
		s.laterRoutes(r)
	})
	r.Group(func(r chi.Router) {
		r.Use(guard.Handler, s.arrives, s.later, timely, s.sessions.LoadAndSave)
		s.API(r)
	})
	r.NotFound(s.page)
	r.MethodNotAllowed(says(http.StatusMethodNotAllowed, "This address does not do that."))
	return r
}

// API registers the typed operations and returns their description.
func (s *Server) API(r chi.Router) huma.API {
	huma.DefaultArrayNullable = false
	cfg := huma.DefaultConfig("Keen Arc", "1")
	cfg.DocsPath, cfg.OpenAPIPath = "", "/api/openapi"
	cfg.CreateHooks = nil
	for name, f := range cfg.Formats {
		f.Unmarshal = readJSON
		cfg.Formats[name] = f
	}
	cfg.Transformers = append(cfg.Transformers, readsOnly)
	api := humachi.New(r, cfg)
	s.peopleRoutes(r, api)
	s.shotRoutes(r, api)
	s.planRoutes(r, api)
	s.versionRoutes(api)
	s.passRoutes(r, api)
	s.machineRoutes(r, api)
	s.rigRoutes(r, api)
	s.benchRoutes(api)
	s.orderRoutes(r, api)
	s.powerRoutes(r, api)
	s.groundRoutes(api)
	s.pointRoutes(api)
	s.lensRoutes(api)
	s.markRoutes(r, api)
	s.inStepRoutes(r, api)
	s.frameRoutes(r, api)
	for _, t := range []reflect.Type{reflect.TypeFor[LiveMessage](), reflect.TypeFor[holdWord](),
		reflect.TypeFor[holdSays](), reflect.TypeFor[jogSays](), reflect.TypeFor[PreviewAsk](),
		reflect.TypeFor[PreviewSays]()} {
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
			problem(w, newProblem(http.StatusForbidden, "This application answers on this machine only."))
			return
		}
		next.ServeHTTP(w, r)
	})
}

// secure sets the headers that keep the page to itself.
func secure(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: "+
			"blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(), usb=(), serial=(), payment=()")
		next.ServeHTTP(w, r)
	})
}

// page serves the built interface; unknown paths give its index.
func (s *Server) page(w http.ResponseWriter, r *http.Request) {
	if strings.HasPrefix(r.URL.Path, "/api/") {
		problem(w, newProblem(http.StatusNotFound, "There is no such address."))
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
		problem(w, newProblem(http.StatusNotFound, "The interface was not built into this program; run make build."))
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

// changed counts a shot's version up, for those who watch it.
func (s *Server) changed(shot string) (version int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.versions[shot]++
	return s.began + s.common + s.versions[shot]
}

// everything counts all shots up: something that several rest on has changed.
func (s *Server) everything() {
	s.mu.Lock()
	s.common++
	s.mu.Unlock()
}

func (s *Server) version(shot string) int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.began + s.common + s.versions[shot]
}
