package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"keenarc/examples"
	"keenarc/journal"
	"keenarc/standin"
	"keenarc/store"
)

// schema is as much of JSON Schema as the API's description uses.
type schema struct {
	Ref        string             `json:"$ref"`
	Type       any                `json:"type"`
	Format     string             `json:"format"`
	Enum       []any              `json:"enum"`
	Properties map[string]*schema `json:"properties"`
	Required   []string           `json:"required"`
	Items      *schema            `json:"items"`
	More       any                `json:"additionalProperties"`
	Minimum    *float64           `json:"minimum"`
	Maximum    *float64           `json:"maximum"`
	MaxItems   int                `json:"maxItems"`
	MinItems   int                `json:"minItems"`
	MaxLength  int                `json:"maxLength"`
}

type operation struct {
	ID         string `json:"operationId"`
	Parameters []struct {
		Name, In string
		Required bool
		Schema   *schema
	} `json:"parameters"`
	Body *struct {
		Content map[string]struct{ Schema *schema } `json:"content"`
	} `json:"requestBody"`
}

// caller makes up requests: mostly such as the description has them, with values at their ends
// and beyond, and ids of what there is.
type caller struct {
	rng   *rand.Rand
	all   map[string]*schema
	ids   map[string][]string
	paths []string
	ops   map[string]map[string]operation
}

var odd = []string{"", "x", "plank", "plank/track", "track", "pan", "2026-02-30", "2026-03-04", "08:00", "=1+1",
	"../../etc", "𝄞 ü", "null", "NaN", "1e999", "a\x00b", "'; DROP TABLE shots; --", strings.Repeat("w", 300),
	"00000000-0000-0000-0000-000000000000", "%00", "1/3", "24 fps", "smooth", "set", "kind"}

func (c *caller) value(s *schema, depth int) any {
	if s == nil || depth > 6 {
		return nil
	}
	if s.Ref != "" {
		return c.value(c.all[s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]], depth+1)
	}
	if c.rng.IntN(60) == 0 { // something else altogether
		return []any{nil, "x", -1, []any{}, map[string]any{}, true}[c.rng.IntN(6)]
	}
	if len(s.Enum) > 0 && c.rng.IntN(12) > 0 {
		return s.Enum[c.rng.IntN(len(s.Enum))]
	}
	kind, _ := s.Type.(string)
	if list, ok := s.Type.([]any); ok && len(list) > 0 {
		kind, _ = list[0].(string)
	}
	switch kind {
	case "object":
		out := map[string]any{}
		for name, p := range s.Properties {
			if name != "$schema" && (slices.Contains(s.Required, name) && c.rng.IntN(40) > 0 || c.rng.IntN(3) == 0) {
				out[name] = c.value(p, depth+1)
			}
		}
		if m, ok := s.More.(map[string]any); ok {
			raw, _ := json.Marshal(m)
			var of schema
			_ = json.Unmarshal(raw, &of)
			for range c.rng.IntN(4) {
				out[c.word()] = c.value(&of, depth+1)
			}
		}
		return out
	case "array":
		out := []any{}
		n := c.rng.IntN(4)
		if c.rng.IntN(30) == 0 {
			n = min(max(s.MaxItems, 1), 2000) + c.rng.IntN(2)
		}
		for range max(n, s.MinItems) {
			out = append(out, c.value(s.Items, depth+1))
		}
		return out
	case "boolean":
		return c.rng.IntN(2) == 0
	case "integer", "number":
		return c.number(s, kind == "integer")
	}
	if s.Format == "uuid" {
		return c.any()
	}
	return c.word()
}

func (c *caller) number(s *schema, whole bool) any {
	switch c.rng.IntN(14) {
	case 0:
		return json.Number("-9223372036854775808")
	case 1:
		return json.Number("9223372036854775807")
	case 2:
		if !whole {
			return []float64{5e-324, 1e308, -1e308, 1e-9, 0.1}[c.rng.IntN(5)]
		}
	case 3:
		if s.Maximum != nil {
			return *s.Maximum
		}
	case 4:
		if s.Minimum != nil {
			return *s.Minimum
		}
	case 5:
		return 0
	case 6:
		return 1_000_000
	}
	if whole {
		return c.rng.IntN(300)
	}
	return c.rng.Float64() * []float64{1, 10, 1000}[c.rng.IntN(3)]
}

func (c *caller) word() string {
	if c.rng.IntN(8) == 0 {
		return c.any()
	}
	return odd[c.rng.IntN(len(odd))]
}

// any is an id of something.
func (c *caller) any() string {
	kinds := []string{"shots", "passes", "packages", "seals"}
	list := c.ids[kinds[c.rng.IntN(len(kinds))]]
	if len(list) == 0 || c.rng.IntN(10) == 0 {
		return journal.NewID()
	}
	return list[c.rng.IntN(len(list))]
}

// request makes one up.
func (c *caller) request() (method, at, body, name string) {
	path := c.paths[c.rng.IntN(len(c.paths))]
	var methods []string
	for m := range c.ops[path] {
		methods = append(methods, m)
	}
	slices.Sort(methods)
	method = methods[c.rng.IntN(len(methods))]
	op := c.ops[path][method]
	at, q := path, url.Values{}
	for _, p := range op.Parameters {
		v := fmt.Sprint(c.value(p.Schema, 0))
		if p.In == "path" {
			if of := c.ids[strings.Split(path, "/")[2]]; p.Name == "id" && len(of) > 0 && c.rng.IntN(20) > 0 {
				v = of[c.rng.IntN(len(of))]
			}
			at = strings.Replace(at, "{"+p.Name+"}", url.PathEscape(v), 1)
		} else if p.In == "query" && (p.Required || c.rng.IntN(2) == 0) {
			q.Set(p.Name, v)
		}
	}
	if len(q) > 0 {
		at += "?" + q.Encode()
	}
	if op.Body != nil {
		for _, x := range op.Body.Content {
			raw, err := json.Marshal(c.value(x.Schema, 0))
			if err == nil {
				body = string(raw)
			}
			if c.rng.IntN(50) == 0 {
				body = body[:len(body)/2]
			}
		}
	}
	if op.ID == "file" && method == "post" {
		body = []string{"", "frame,track_mm\n0,100\n24,300\n", "frame,track_mm\n0,1e999\n", `{"frames":[0]}`, "a\x00b",
			strings.Repeat("x,", 9000)}[c.rng.IntN(6)]
	}
	return strings.ToUpper(method), at, body, op.ID
}

// mostAnswer is how long an answer may be.
const mostAnswer = 24 << 20

// Random requests over all operations: none ends in an error of this program, none takes
// longer than it may, none is longer than its bound, and the memory stays what it was.
// KEENARC_CALLS of them (600), from KEENARC_SEED (1).
func TestRandomCalls(t *testing.T) {
	calls, seed := number(t, "KEENARC_CALLS", 600), number(t, "KEENARC_SEED", 1)
	dir, err := os.MkdirTemp("/var/tmp", "keenarc-calls-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	rig, err := standin.Listen(standin.Options{Rig: examples.Rigs()["plank"], Pace: 20}, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	wg.Go(func() { _ = rig.Run(ctx) })
	said := &saying{}
	ready, ended := make(chan *Running, 1), make(chan error, 1)
	go func() {
		ended <- Run(ctx, Options{Listen: "127.0.0.1:0", Folder: dir, Rigs: []string{"plank=" + rig.Addr()}, Demo: true,
			Out:   io.Discard,
			Log:   slog.New(slog.NewTextHandler(said, &slog.HandlerOptions{Level: slog.LevelError})),
			Ready: func(r *Running) { ready <- r }})
	}()
	defer func() { stop(); <-ended; wg.Wait() }()
	r := <-ready
	c := described(t, uint64(seed))
	var shelf []store.Production
	waited := 0
	once := func(method, at, body string) (*http.Response, string, time.Duration) {
		q, err := http.NewRequestWithContext(ctx, method, r.Addr+at, strings.NewReader(body))
		if err != nil {
			return &http.Response{}, "", 0
		}
		q.Header.Set("Prefer", "respond-async")
		if body != "" {
			q.Header.Set("Content-Type", "application/json")
		}
		began := time.Now()
		a, err := http.DefaultClient.Do(q)
		if err != nil {
			t.Fatalf("%s %s %.300s: %v", method, at, body, err)
		}
		defer a.Body.Close()
		b, err := io.ReadAll(a.Body)
		if err != nil {
			t.Fatalf("%s %s: %v", method, at, err)
		}
		return a, string(b), time.Since(began)
	}
	// What takes long is waited for; took is the slowest of its answers.
	ask := func(method, at, body string) (code int, b string, took time.Duration) {
		a, b, took := once(method, at, body)
		for began := time.Now(); a.StatusCode == http.StatusAccepted && time.Since(began) < longLimit+
			requestLimit; waited++ {
			var next time.Duration
			a, b, next = once("GET", a.Header.Get("Location"), "")
			took = max(took, next)
		}
		return a.StatusCode, b, took
	}
	if _, b, _ := ask("GET", "/api/shelf", ""); fromJSON(b, &shelf) != nil {
		t.Fatal(b)
	}
	c.ids["productions"] = []string{shelf[0].ID}
	c.ids["machines"], c.ids["rigs"] = []string{"plank"}, []string{"plank", "heron"}
	for _, s := range shelf[0].Shots {
		c.ids["shots"] = append(c.ids["shots"], s.ID)
		var ps []PassView
		if _, b, _ := ask("GET", "/api/shots/"+s.ID+"/passes", ""); fromJSON(b, &ps) == nil {
			for _, p := range ps {
				c.ids["passes"] = append(c.ids["passes"], p.ID)
			}
		}
	}
	counts, worst := map[int]int{}, time.Duration(0)
	var before, after runtime.MemStats
	for n := range calls {
		if n == calls/5 {
			runtime.GC()
			runtime.ReadMemStats(&before)
		}
		method, at, body, name := c.request()
		code, b, took := ask(method, at, body)
		counts[code/100]++
		if n%10_000 == 9999 {
			runtime.ReadMemStats(&after)
			t.Logf("%d calls: %v; the slowest %v; %d were answered later; heap %d MB", n+1, counts, worst, waited,
				after.HeapAlloc>>20)
		}
		worst = max(worst, took)
		if code == 500 || code > 500 && (strings.Contains(b, "database") || strings.Contains(b, "took too long")) ||
			code == 0 {
			t.Errorf("call %d, %s: %s %.200s %.500s: %d %.300s", n, name, method, at, body, code, b)
		}
		if took > 4*time.Second { // twice what it may be: the machine is shared
			t.Errorf("call %d, %s: %s %.200s %.500s took %v", n, name, method, at, body, took)
		}
		if len(b) > mostAnswer {
			t.Errorf("call %d, %s: %s %.200s: %d bytes", n, name, method, at, len(b))
		}
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	if grown := int64(after.HeapAlloc) - int64(before.HeapAlloc); grown > 200<<20 {
		t.Errorf("the heap has grown by %d MB", grown>>20)
	}
	if code, b, _ := ask("GET", "/api/shelf", ""); code != 200 {
		t.Errorf("the shelf afterwards: %d %s", code, b)
	}
	t.Logf("answers by their hundreds: %v; the slowest %v; %d times waited for; heap %d → %d MB", counts, worst, waited,
		before.HeapAlloc>>20, after.HeapAlloc>>20)
	if text := said.text(); text != "" {
		t.Errorf("the log says\n%.3000s", text)
	}
}

// saying keeps what is written, from several goroutines.
type saying struct {
	mu sync.Mutex
	b  strings.Builder
}

func (s *saying) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *saying) text() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

// described is a caller that knows the API's description.
func described(t *testing.T, seed uint64) *caller {
	t.Helper()
	raw, err := Describe()
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths      map[string]map[string]operation `json:"paths"`
		Components struct {
			Schemas map[string]*schema `json:"schemas"`
		} `json:"components"`
	}
	if err := json.Unmarshal(raw, &doc); err != nil {
		t.Fatal(err)
	}
	c := &caller{rng: rand.New(rand.NewPCG(seed, 25)), all: doc.Components.Schemas, ids: map[string][]string{},
		ops: doc.Paths}
	for p := range doc.Paths {
		c.paths = append(c.paths, p)
	}
	for at, method := range map[string]string{"/api/shots/{id}/path.csv?seal={x}": "get",
		"/api/shots/{id}/sealed.table?seal={x}": "get", "/api/shots/{id}/frames.zip": "get",
		"/api/shots/{id}/needs.pdf": "get",
		"/api/takes/{x}/trace.csv":  "get", "/api/pictures/{x}": "get", "/api/thumbnails/{x}": "get",
		"/api/camera/look?width={x}": "get", "/api/shots/{id}/keys?revision={x}": "post", "/api/calc/{x}": "post"} {
		var op operation
		raw := `{"operationId": "file", "parameters": [{"name": "id", "in": "path", "schema": {"type": "string"}}, ` +
			`{"name": "x", "in": "path", "schema": {"type": "string"}}]}`
		if err := json.Unmarshal([]byte(raw), &op); err != nil {
			t.Fatal(err)
		}
		c.paths = append(c.paths, at)
		c.ops[at] = map[string]operation{method: op}
	}
	slices.Sort(c.paths)
	return c
}
