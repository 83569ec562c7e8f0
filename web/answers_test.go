package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"

	"keenarc/journal"
	"keenarc/store"
)

// What cannot be kept is said where it is wrong, and nothing of it is said to be the
// database's fault.
func TestAnswersAreTrue(t *testing.T) {
	other := ""
	var shelf []store.Production
	if _, b := do("GET", "/api/shelf", ""); fromJSON(b, &shelf) != nil {
		t.Fatal(b)
	}
	weave := ""
	for _, s := range shelf[0].Shots {
		if s.Weave {
			weave = s.ID
		} else if s.ID != shot {
			other = s.ID
		}
	}
	var passes []PassView
	if _, b := do("GET", "/api/shots/"+shot+"/passes", ""); fromJSON(b, &passes) != nil {
		t.Fatal(b)
	}
	nul := "\\u0000"
	for name, c := range map[string]struct {
		method, path, body string
		status             int
		says               string
	}{
		"NUL in a name": {"PUT", "/api/me", `{"name":"a` + nul + `b"}`, 422, "NUL"},
		"deep in a document": {"POST", "/api/shots/" + shot + "/edits",
			`{"revision":0,"edit":{"op":"set","frame":1,"values":{"tr` + nul + `ack":1}}}`, 422, "NUL"},
		"in an address": {"GET", "/api/machines/pl%00ank/homings", "", 422, "NUL"},
		"in a query":    {"GET", "/api/shots/" + shot + "/path.csv?seal=%00", "", 422, "NUL"},
		"no such day": {"POST", "/api/shots/" + shot + "/order",
			`{"date":"2026-02-30","start":"08:00","setup":{"kind":"slider","rails":true,"ground":"stage floor",` +
				`"crew":4}}`, 422, "no day 2026-02-30"},
		"begun twice": {"POST", "/api/shots/" + weave + "/frames", `{"every":2}`, 409, "there already"},
		"another's pass": {"PUT", "/api/passes/" + passes[0].ID, `{"shot":"` + other + `","name":"x","note":""}`,
			404, "no such pass in this shot"},
		"another's take": {"PUT", "/api/passes/" + passes[0].ID + "/take", `{"shot":"` + other + `"}`, 404,
			"no such pass in this shot"},
		"a huge value": {"PUT", "/api/me", `{"name":"` + strings.Repeat("x", 900_000) + `"}`, 422, "name"},
		"an endless scheme": {"PATCH", "/api/shots/" + weave + "/frames/scheme",
			`{"changes":[{"at":["first"],"is":-9223372036854775808,"seen":1},{"at":["last"],"is":9223372036854775807,` +
				`"seen":1},{"at":["holds"],"is":[{"from":-9223372036854775808,"every":1}],"seen":1}]}`, 422, "first"},
	} {
		code, b := do(c.method, c.path, c.body)
		if code != c.status || !strings.Contains(b, c.says) || strings.Contains(b, "database") || len(b) > 2000 {
			t.Errorf("%s: %d %.300s (%d bytes)", name, code, b, len(b))
		}
	}
	if code, b := do("PUT", "/api/me", `{"name":"back \\u0000 slash"}`); code != 200 {
		t.Errorf("a backslash that is text: %d %s", code, b)
	}
	// 1,080,000 samples, as is documented; one more is too many.
	values := strings.TrimSuffix(strings.Repeat("-1.0000000000001,", 1_080_000), ",")
	if code, b := do("POST", "/api/samples", `{"values":[`+values+`]}`); code != 200 {
		t.Errorf("as many samples as are documented: %d %.200s", code, b)
	}
	if code, b := do("POST", "/api/samples", `{"values":[`+values+`,1]}`); code != 422 {
		t.Errorf("one more: %d %.200s", code, b)
	}
}

// A question about a preview that cannot be read is answered, with its number.
func TestEveryPreviewIsAnswered(t *testing.T) {
	c, _, err := websocket.Dial(t.Context(), strings.Replace(addr, "http", "ws", 1)+"/api/shots/"+shot+"/preview", nil)
	if err != nil {
		t.Fatal(err)
	}
	defer c.CloseNow()
	c.SetReadLimit(1 << 22)
	for n, ask := range map[int64]string{7: `{"n":7,"edit":12}`, 0: `no JSON`} {
		if err := c.Write(t.Context(), websocket.MessageText, []byte(ask)); err != nil {
			t.Fatal(err)
		}
		_, b, err := c.Read(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		var says PreviewSays
		if err := json.NewDecoder(bytes.NewReader(b[4:])).Decode(&says); err != nil || says.N != n ||
			!strings.Contains(says.Refused, "cannot be read") {
			t.Errorf("%s: %+v, %v", ask, says, err)
		}
	}
}

// A body that never comes is not waited for for ever.
func TestABodyThatNeverComes(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes half a minute")
	}
	t.Parallel()
	c, err := net.Dial("tcp", strings.TrimPrefix(addr, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	host := strings.TrimPrefix(addr, "http://")
	fmt.Fprintf(c, "PUT /api/me HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{",
		host)
	if err := c.SetReadDeadline(time.Now().Add(bodyLimit + 15*time.Second)); err != nil {
		t.Fatal(err)
	}
	if _, err := io.ReadAll(c); err != nil {
		t.Errorf("it is held: %v", err)
	}
}

// What comes with every answer keeps the page to itself.
func TestHeaders(t *testing.T) {
	r, err := http.Get(addr + "/")
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	for head, want := range map[string]string{"Cross-Origin-Resource-Policy": "same-origin",
		"Cross-Origin-Opener-Policy": "same-origin", "Permissions-Policy": "camera=()",
		"Content-Security-Policy": "form-action 'self'", "X-Content-Type-Options": "nosniff",
		"Referrer-Policy": "no-referrer"} {
		if got := r.Header.Get(head); !strings.Contains(got, want) {
			t.Errorf("%s: %q", head, got)
		}
	}
}

// One page opens so many sockets and no more; those that are closed are given back.
func TestSocketsAreCounted(t *testing.T) {
	open := func() (*websocket.Conn, int) {
		c, r, err := websocket.Dial(t.Context(), strings.Replace(addr, "http", "ws", 1)+"/api/live?shot="+shot+
			"&page=greedy", nil)
		if err != nil {
			return nil, r.StatusCode
		}
		return c, 0
	}
	var all []*websocket.Conn
	for range mostOfAPage {
		c, code := open()
		if c == nil {
			t.Fatalf("socket %d: %d", len(all)+1, code)
		}
		all = append(all, c)
	}
	if c, code := open(); c != nil || code != http.StatusTooManyRequests {
		t.Errorf("one more: %d", code)
	}
	for _, c := range all {
		c.CloseNow()
	}
	for late := time.Now().Add(10 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if c, _ := open(); c != nil {
			c.CloseNow()
			break
		}
		if time.Now().After(late) {
			t.Fatal("what was closed is not given back")
		}
	}
}

// Sessions that have expired are cleared, others are not.
func TestExpiredSessionsAreCleared(t *testing.T) {
	ctx := t.Context()
	old, fresh := journal.NewID(), journal.NewID()
	if _, err := running.Store.Pool.Exec(ctx,
		`INSERT INTO sessions VALUES ($1, '', now() - interval '1 second'), ($2, '', now() + interval '1 hour')`, old,
		fresh); err != nil {
		t.Fatal(err)
	}
	if err := running.Store.ClearSessions(ctx); err != nil {
		t.Fatal(err)
	}
	var n int
	if err := running.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM sessions WHERE token IN ($1, $2)`, old,
		fresh).Scan(&n); err != nil || n != 1 {
		t.Errorf("%d are left, %v", n, err)
	}
}

// Every request has an end; what is worked out and files have a later one. What is broken off
// by it is not said to be the database's fault, and an uncertain change is none where nothing
// is changed.
func TestRequestsHaveAnEnd(t *testing.T) {
	for at, want := range map[string]time.Duration{"/api/shelf": requestLimit, "/api/shots/x/seal": longLimit,
		"/api/shots/x/frames.zip": longLimit} {
		var left time.Duration
		timely(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			if until, ok := r.Context().Deadline(); ok {
				left = time.Until(until)
			}
		})).ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("POST", at, nil))
		if left > want || left < want-5*time.Second {
			t.Errorf("%s has %v, want %v", at, left, want)
		}
	}
	s := &Server{log: slog.New(slog.DiscardHandler)}
	for _, c := range []struct {
		err       error
		says      string
		uncertain bool
	}{
		{context.DeadlineExceeded, "took too long", false},
		{&store.UncertainError{Err: io.ErrUnexpectedEOF}, "whether it was stored is not known", true},
		{fmt.Errorf("storing: %w", &store.UncertainError{Err: context.DeadlineExceeded}),
			"whether it was stored is not known", true},
		{io.ErrUnexpectedEOF, "cannot be reached. Nothing was changed", false},
		{errors.New("open /var/lib/secret: no such file"), "Something went wrong here", false},
	} {
		p, ok := s.fail(c.err).(*Problem)
		if !ok || !strings.Contains(p.Detail, c.says) || p.Uncertain != c.uncertain ||
			strings.Contains(p.Detail, "secret") {
			t.Errorf("%v: %+v", c.err, p)
		}
	}
	if p := s.refusedOr(&fs.PathError{Op: "open", Path: "/var/lib/secret", Err: fs.ErrNotExist}); strings.Contains(
		p.Error(), "secret") {
		t.Errorf("a path is told: %v", p)
	}
}
