package web

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/go-chi/chi/v5"
)

// slow is a handler that takes as long as its request says, and what became of its contexts.
type slow struct {
	mu    sync.Mutex
	ended []error
}

func (h *slow) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	took, _ := time.ParseDuration(r.URL.Query().Get("takes"))
	select {
	case <-time.After(took):
	case <-r.Context().Done():
		h.mu.Lock()
		defer h.mu.Unlock()
		h.ended = append(h.ended, context.Cause(r.Context()))
		return
	}
	if r.URL.Query().Has("panics") {
		panic("broken")
	}
	body, _ := io.ReadAll(r.Body)
	w.Header().Set("X-Of", "it")
	code, _ := strconv.Atoi(r.URL.Query().Get("code"))
	w.WriteHeader(max(code, http.StatusOK))
	_, _ = w.Write(append([]byte("read "), body...))
}

// What takes long is answered with an address at once, and there as it would have been: headers,
// status and body. What nobody waits for is broken off; where it is not wished, all is as ever.
func TestAnsweredLater(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, h := &Server{log: slog.New(slog.DiscardHandler)}, &slow{}
		r := chi.NewRouter()
		s.laterRoutes(r)
		r.Handle("/api/x", s.later(h))
		ask := func(ctx context.Context, method, at, body string, prefer bool) (*httptest.ResponseRecorder,
			time.Duration) {
			q := httptest.NewRequest(method, at, strings.NewReader(body)).WithContext(ctx)
			if prefer {
				q.Header.Set("Prefer", "respond-async")
			}
			w, began := httptest.NewRecorder(), time.Now()
			r.ServeHTTP(w, q)
			return w, time.Since(began)
		}
		is := func(what string, w *httptest.ResponseRecorder, took time.Duration, code int, body string,
			within time.Duration) string {
			t.Helper()
			if w.Code != code || !strings.Contains(w.Body.String(), body) || took != within || code == 409 &&
				w.Header().Get("X-Of") != "it" {
				t.Errorf("%s: %d %q %v after %v, want %d %q after %v", what, w.Code, w.Body, w.Header(), took, code,
					body, within)
			}
			return w.Header().Get("Location")
		}
		ctx := t.Context()
		get := func(at string) (*httptest.ResponseRecorder, time.Duration) { return ask(ctx, "GET", at, "", false) }

		w, took := ask(ctx, "POST", "/api/x?takes=1s&code=409", "abc", true)
		is("at once", w, took, 409, "read abc", time.Second)
		w, took = ask(ctx, "POST", "/api/x?takes=9s", "abc", false)
		is("not wished", w, took, 200, "read abc", 9*time.Second)
		w, took = ask(ctx, "POST", "/api/x?takes=9s", strings.Repeat("x", laterBody+1), true)
		is("too long a request", w, took, 200, "read xxx", 9*time.Second)
		w, took = ask(ctx, "POST", "/api/x?takes=2s&panics", "", true)
		w, took = get(is("a panic", w, took, 202, "", atOnce))
		is("a panic", w, took, 500, wentWrong, 500*time.Millisecond)

		w, took = ask(ctx, "POST", "/api/x?takes=4s&code=409", "abc", true)
		at := is("later", w, took, 202, "", atOnce)
		w, took = get(at)
		is("still not", w, took, 202, "", atOnce)
		w, took = get(at)
		is("then", w, took, 409, "read abc", time.Second)
		w, took = get(at)
		is("once only", w, took, 404, "not kept any more", 0)

		left, leave := context.WithTimeout(ctx, time.Second)
		_, took = ask(left, "POST", "/api/x?takes=9s", "", true)
		leave()
		synctest.Wait()
		if took != time.Second || len(h.ended) != 1 {
			t.Errorf("who left is waited for: %v, %v", took, h.ended)
		}
		w, took = ask(ctx, "POST", "/api/x?takes=60s", "", true)
		at = is("forgotten", w, took, 202, "", atOnce)
		time.Sleep(unasked - time.Millisecond)
		w, took = get(at)
		is("asked in time", w, took, 202, "", atOnce)
		time.Sleep(unasked + time.Millisecond)
		w, took = get(at)
		is("nobody asked", w, took, 404, "", 0)
		w, took = ask(ctx, "POST", "/api/x?takes=60s", "", true)
		at = is("not wanted", w, took, 202, "", atOnce)
		w, took = ask(ctx, "DELETE", at, "", false)
		is("not wanted", w, took, 204, "", 0)
		synctest.Wait()
		if len(h.ended) != 3 || !errors.Is(h.ended[2], context.Canceled) || len(s.laters.all) != 0 {
			t.Errorf("broken off: %v, kept %d", h.ended, len(s.laters.all))
		}

		var wg sync.WaitGroup
		for range mostLater {
			wg.Go(func() { ask(ctx, "POST", "/api/x?takes=9s", "", true) })
		}
		wg.Wait()
		w, took = ask(ctx, "POST", "/api/x?takes=9s", "abc", true)
		is("too many are on their way", w, took, 200, "read abc", 9*time.Second)
		time.Sleep(time.Minute)
		synctest.Wait()
		if len(s.laters.all) != 0 {
			t.Errorf("%d answers are kept that nobody asked for", len(s.laters.all))
		}
	})
}
