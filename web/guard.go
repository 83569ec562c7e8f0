package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// What bounds every request: how long it may take, what it may hold open, what text is.

// Bounds of a request and of what pages hold open.
const (
	requestLimit = 20 * time.Second // for what reads and writes
	longLimit    = 2 * time.Minute  // for what is worked out, and for files
	bodyLimit    = 30 * time.Second // for a request to come in
	idleLimit    = 2 * time.Minute  // for a connection on which nothing is asked
	mostSockets  = 256
	mostOfAPage  = 16
	echoed       = 80 // letters of a wrong value in the answer
)

// long are the ends of addresses whose answers are worked out or are files.
var long = []string{"/seal", "/proof", "/remedies", "/runs", "/changes", "/findings", ".zip", ".csv", ".table",
	".pdf", ".png"}

// timely ends what is not done in its time: nothing that was not sent to the database by then
// is sent after the answer.
func timely(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		limit := requestLimit
		if slices.ContainsFunc(long, func(end string) bool { return strings.HasSuffix(r.URL.Path, end) }) {
			limit = longLimit
		}
		ctx, cancel := context.WithTimeout(r.Context(), limit)
		defer cancel()
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// onlyText refuses addresses with a character that is no text: nothing keeps it.
func onlyText(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for _, of := range []struct {
			name string
			v    string
		}{{"address", r.URL.Path}, {"query", r.URL.RawQuery}} {
			name, of := of.name, of.v
			if strings.ContainsRune(of, 0) || strings.Contains(of, "%00") {
				problem(w, blame(name, "it holds a character that is no text (NUL)", "leave it out"))
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}

// textIn finds the first text in a value that holds NUL, by its field; empty: none does.
func textIn(v any, field string) string {
	switch x := v.(type) {
	case string:
		if strings.ContainsRune(x, 0) {
			return field
		}
	case []any:
		for i, e := range x {
			if at := textIn(e, field+"["+strconv.Itoa(i)+"]"); at != "" {
				return at
			}
		}
	case map[string]any:
		for k, e := range x {
			name := strings.TrimPrefix(field+"."+strings.ReplaceAll(k, "\x00", ""), ".")
			if strings.ContainsRune(k, 0) {
				return name
			}
			if at := textIn(e, name); at != "" {
				return at
			}
		}
	}
	return ""
}

// nulIn is what the error of a text with NUL in it begins with, before its field.
const nulIn = "a character that is no text in "

// readJSON reads a body. Text with NUL in it is refused by its field, before anything is done.
func readJSON(raw []byte, into any) error {
	if bytes.Contains(raw, []byte(`\u0000`)) {
		var all any
		if json.Unmarshal(raw, &all) == nil {
			if at := textIn(all, ""); at != "" {
				return errors.New(nulIn + at)
			}
		}
	}
	return json.Unmarshal(raw, into)
}

// shortened is a value as an answer repeats it.
func shortened(v any) string {
	text := []rune(fmt.Sprintf("%.400v", v))
	if len(text) > echoed {
		return string(text[:echoed]) + " …"
	}
	return string(text)
}

// sockets counts those that are open.
type sockets struct {
	mu  sync.Mutex
	all int
	of  map[string]int // by page
}

// counted opens a socket where there are not too many, in all and of one page.
func (k *sockets) counted(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		page := r.URL.Query().Get("page")
		k.mu.Lock()
		many := k.all >= mostSockets || page != "" && k.of[page] >= mostOfAPage
		if !many {
			k.all++
			k.of[page]++
		}
		k.mu.Unlock()
		if many {
			problem(w, newProblem(http.StatusTooManyRequests,
				"Too many windows of this application are open. Close some, then try again."))
			return
		}
		defer func() {
			k.mu.Lock()
			defer k.mu.Unlock()
			k.all--
			if k.of[page]--; k.of[page] == 0 {
				delete(k.of, page)
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// tidy clears sessions that have expired, once an hour, until the context ends.
func (s *Server) tidy(ctx context.Context) {
	tk := time.NewTicker(time.Hour)
	defer tk.Stop()
	for {
		if err := s.store.ClearSessions(ctx); err != nil && ctx.Err() == nil {
			s.log.Warn("expired sessions are not cleared", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
		}
	}
}
