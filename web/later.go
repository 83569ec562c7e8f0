package web

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"runtime/debug"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"keenarc/journal"
)

// What takes long is answered at once where whoever asks says "Prefer: respond-async" (RFC 7240):
// 202, and the address at which the answer will be. What is worked out meanwhile, and how far it
// is, is told to the shot's pages as always.

const (
	atOnce    = 1500 * time.Millisecond // how long an answer is waited for before its address is told
	unasked   = 10 * time.Second        // after which nobody waits any more: what goes on is broken off
	mostLater = 32                      // answers that may be on their way so; the next is waited for
	laterBody = 1 << 20                 // of a request that may be answered so
)

// laters are the answers that are on their way.
type laters struct {
	mu  sync.Mutex
	all map[string]*later
}

// later is one answer: written by whoever works it out until done is closed, read from then on.
type later struct {
	header http.Header
	code   int
	body   bytes.Buffer
	done   chan struct{}
	cancel context.CancelFunc
	nobody *time.Timer // asks for it any more
}

func (l *later) Header() http.Header { return l.header }

func (l *later) WriteHeader(code int) {
	if l.code == 0 {
		l.code = code
	}
}

func (l *later) Write(b []byte) (int, error) {
	l.WriteHeader(http.StatusOK)
	return l.body.Write(b)
}

// send gives the answer to whoever asks.
func (l *later) send(w http.ResponseWriter) {
	for k, v := range l.header {
		w.Header()[k] = v
	}
	w.WriteHeader(max(l.code, http.StatusOK))
	_, _ = w.Write(l.body.Bytes())
}

// later answers with an address what is not done at once, where that is preferred.
func (s *Server) later(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Prefer") != "respond-async" || r.ContentLength < 0 || r.ContentLength > laterBody {
			next.ServeHTTP(w, r)
			return
		}
		body, err := io.ReadAll(r.Body) // it would be closed with this answer
		if err != nil {
			problem(w, newProblem(http.StatusBadRequest, "The request did not come over whole. Try again."))
			return
		}
		ctx, cancel := context.WithCancel(context.WithoutCancel(r.Context()))
		l := &later{header: http.Header{}, done: make(chan struct{}), cancel: cancel}
		own := r.WithContext(ctx)
		own.Body = io.NopCloser(bytes.NewReader(body))
		go func() {
			defer cancel()
			defer close(l.done)
			defer func() {
				if p := recover(); p != nil {
					s.log.Error("a request broke off", "address", r.URL.Path, "panic", p, "stack",
						string(debug.Stack()))
					l.header, l.code = http.Header{}, 0
					l.body.Reset()
					problem(l, newProblem(http.StatusInternalServerError, wentWrong))
				}
			}()
			next.ServeHTTP(l, own)
		}()
		soon := time.NewTimer(atOnce)
		defer soon.Stop()
		select {
		case <-l.done:
			l.send(w)
			return
		case <-r.Context().Done():
			cancel()
			return
		case <-soon.C:
		}
		if id, ok := s.laters.keep(l); ok {
			notYet(w, id)
			return
		}
		select { // too many are on their way
		case <-l.done:
			l.send(w)
		case <-r.Context().Done():
			cancel()
		}
	})
}

// notYet says where the answer will be.
func notYet(w http.ResponseWriter, id string) {
	w.Header().Set("Location", "/api/later/"+id)
	w.Header().Set("Preference-Applied", "respond-async")
	w.WriteHeader(http.StatusAccepted)
}

// keep keeps an answer for whoever asks for it; ok is false where too many are kept.
func (a *laters) keep(l *later) (id string, ok bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.all) >= mostLater {
		return "", false
	}
	if a.all == nil {
		a.all = map[string]*later{}
	}
	id = journal.NewID()
	a.all[id] = l
	l.nobody = time.AfterFunc(unasked, func() { a.drop(id) })
	return id, true
}

// drop breaks off what is worked out, and forgets its answer.
func (a *laters) drop(id string) {
	a.mu.Lock()
	l := a.all[id]
	delete(a.all, id)
	a.mu.Unlock()
	if l != nil {
		l.nobody.Stop()
		l.cancel()
	}
}

// asked is an answer that somebody waits for still.
func (a *laters) asked(id string) *later {
	a.mu.Lock()
	defer a.mu.Unlock()
	l := a.all[id]
	if l != nil {
		l.nobody.Reset(unasked)
	}
	return l
}

func (s *Server) laterRoutes(r chi.Router) {
	r.Get("/api/later/{id}", func(w http.ResponseWriter, r *http.Request) {
		id := chi.URLParam(r, "id")
		l := s.laters.asked(id)
		if l == nil {
			problem(w, newProblem(http.StatusNotFound,
				"This answer is not kept any more. Look what is there, then ask again."))
			return
		}
		soon := time.NewTimer(atOnce)
		defer soon.Stop()
		select {
		case <-l.done:
			l.send(w)
			s.laters.drop(id)
		case <-soon.C:
			notYet(w, id)
		case <-r.Context().Done():
		}
	})
	r.Delete("/api/later/{id}", func(w http.ResponseWriter, r *http.Request) {
		s.laters.drop(chi.URLParam(r, "id"))
		w.WriteHeader(http.StatusNoContent)
	})
}
