package web

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"keenarc/calc"
	"keenarc/examples"
	"keenarc/standin"
	"keenarc/store"
)

var (
	addr, shot string
	running    *Running
)

func TestMain(m *testing.M) {
	if os.Getenv(onePressIn) != "" { // it counts what is entered: nothing else goes on beside it
		os.Exit(m.Run())
	}
	os.Exit(func() int {
		dir, err := os.MkdirTemp("/var/tmp", "keenarc-web-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		if err := os.Chmod(dir, 0o755); err != nil {
			panic(err)
		}
		ctx, stop := context.WithCancel(context.Background())
		var rigs []string
		var rigsDone sync.WaitGroup
		for _, id := range []string{"plank", "heron"} {
			rig, err := standin.Listen(standin.Options{Rig: examples.Rigs()[id], Pace: 20}, "127.0.0.1:0")
			if err != nil {
				panic(err)
			}
			rigs = append(rigs, id+"="+rig.Addr())
			rigsDone.Go(func() { _ = rig.Run(ctx) })
		}
		done, ready := make(chan error, 1), make(chan *Running, 1)
		go func() {
			done <- Run(ctx, Options{Listen: "127.0.0.1:0", Folder: dir, Rigs: rigs, Demo: true, Out: io.Discard,
				Log:   slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError})),
				Ready: func(r *Running) { ready <- r }})
		}()
		select {
		case r := <-ready:
			addr, running = r.Addr, r
		case err := <-done:
			panic(err)
		}
		var shelf []store.Production
		if code, b := do("GET", "/api/shelf", ""); code != 200 || json.Unmarshal([]byte(b), &shelf) != nil {
			panic(b)
		}
		shot = shelf[0].Shots[0].ID
		code := m.Run()
		stop()
		<-done
		rigsDone.Wait()
		return code
	}())
}

func do(method, path, body string, head ...string) (int, string) {
	q, err := http.NewRequest(method, addr+path, strings.NewReader(body))
	if err != nil {
		panic(err)
	}
	q.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(head); i += 2 {
		q.Header.Set(head[i], head[i+1])
	}
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		panic(err)
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	return r.StatusCode, string(b)
}

// fresh starts a shot of its own.
func fresh(t *testing.T, code string) string {
	t.Helper()
	var shelf []store.Production
	_, b := do("GET", "/api/shelf", "")
	if err := json.Unmarshal([]byte(b), &shelf); err != nil {
		t.Fatal(err)
	}
	c, b := do("POST", "/api/productions/"+shelf[0].ID+"/shots", `{"code":"`+code+`","title":"Test"}`)
	var ref struct{ ID string }
	if err := json.Unmarshal([]byte(b), &ref); c != 200 || err != nil {
		t.Fatal(c, b)
	}
	return ref.ID
}

type shotView struct {
	Revision int64
	Empty    bool
	First    int
	Last     int
	Path     struct {
		Tracks []struct {
			Axis string
			Keys []struct{ Frame, Value float64 }
		}
	}
	SealedAs bool `json:"sealed_as_is"`
	Over     int
	Takes    *store.EditLine `json:"undo_takes"`
	Words    string          `json:"undo_words"`
	Seal     *struct{ ID, Short string }
}

func view(t *testing.T, b string) *shotView {
	t.Helper()
	v := &shotView{}
	if err := json.Unmarshal([]byte(b), v); err != nil {
		t.Fatalf("%v: %.300s", err, b)
	}
	return v
}

// The command line and the web answer byte for byte the same, errors included.
func TestCalcIsTheSameEverywhere(t *testing.T) {
	for _, q := range []string{
		`{"kind":"natural","rate_hz":50,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`,
		`{"kind":"akima","rate_hz":24,"keys":{"t_s":[0,1,2,4],"axes":{"b":[0,1,0,3],"a":[1,1,2,2]}}}`,
		`{"rate_hz":50,"keys":{"t_s":[0,0],"axes":{"pan":[0,10]}}}`, `{"rate_hz":"x"}`, `nonsense`, ``,
	} {
		cmd := exec.Command("go", "run", "../cmd/keenarc", "calc", "curve")
		cmd.Stdin = strings.NewReader(q)
		var cli bytes.Buffer
		cmd.Stdout = &cli
		err := cmd.Run()
		code, got := do("POST", "/api/calc/curve", q)
		if got != cli.String() {
			t.Errorf("%s: web %.100q, command line %.100q", q, got, cli.String())
		}
		if (code == 200) != (err == nil) || code != 200 && code != 422 {
			t.Errorf("%s: web status %d, command line %v", q, code, err)
		}
	}
	if code, b := do("POST", "/api/calc/wobble", `{}`); code != 404 || !strings.Contains(b, "no calculation") {
		t.Errorf("%d %s", code, b)
	}
	if code, _ := do("POST", "/api/calc/curve", strings.Repeat(" ", calc.Web.RequestBytes+2)); code != 422 {
		t.Errorf("a request that is too long: %d", code)
	}
}

func TestTypesAreCurrent(t *testing.T) {
	want, err := Describe()
	if err != nil {
		t.Fatal(err)
	}
	got, err := os.ReadFile("../docs/openapi.json")
	if err != nil || strings.TrimSpace(string(got)) != strings.TrimSpace(string(want)) {
		t.Fatal("docs/openapi.json is not current; run make generate")
	}
	rules, err := Rules()
	if err != nil {
		t.Fatal(err)
	}
	if got, err := os.ReadFile("../ui/src/api/rules.ts"); err != nil || !bytes.Equal(got, rules) {
		t.Error("ui/src/api/rules.ts is not current; run make generate")
	}
	out := filepath.Join(t.TempDir(), "schema.d.ts")
	cmd := exec.Command("node_modules/.bin/openapi-typescript", "../docs/openapi.json", "-o", out)
	cmd.Dir = "../ui"
	if b, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("generating the interface's types: %v: %s", err, b)
	}
	a, err1 := os.ReadFile(out)
	b, err2 := os.ReadFile("../ui/src/api/schema.d.ts")
	if err1 != nil || err2 != nil || !bytes.Equal(a, b) {
		t.Error("ui/src/api/schema.d.ts is not current; run make generate")
	}
}

func TestKeyframeFiles(t *testing.T) {
	id := fresh(t, "WB-2")
	up := func(body string, rev string) (int, string) {
		return do("POST", "/api/shots/"+id+"/keys?revision="+rev, body)
	}
	code, b := up("\xef\xbb\xbfframe,track_mm,focus_m\r\n0,100,1.1\r\n37.5,300,\r\n90,700,2\r\n", "0")
	var got struct {
		Shot   shotView
		Said   string
		Others []struct{ Axis string }
	}
	if err := json.Unmarshal([]byte(b), &got); err != nil || code != 200 || got.Shot.Last != 90 ||
		len(got.Shot.Path.Tracks[0].Keys) != 3 || len(got.Shot.Path.Tracks[4].Keys) != 2 ||
		got.Said != "Track and Focus from the file." || len(got.Others) != 0 {
		t.Fatalf("%d %v %.300s", code, err, b)
	}
	// A keyframe between frames, and the pose at any frame.
	if code, b := do("GET", "/api/shots/"+id+"/pose?frame=37.5", ""); code != 200 ||
		!strings.Contains(b, `"plank/track":300`) {
		t.Errorf("pose at 37.5: %d %.200s", code, b)
	}
	for name, c := range map[string]struct{ body, rev, want string }{
		"picture":    {"\x89PNG\r\n\x1a\n\x00", "1", "not text"},
		"same frame": {"frame,track_mm\n0,100\n0,200\n", "1", "Line 3, column track_mm"},
		"outside":    {"frame,track_mm\n0,9000\n", "1", "Line 2, column track_mm"},
		"axis":       {"frame,boom_deg\n0,1\n", "1", "Line 1, column 2"},
		"200 MB":     {"frame,track_mm\n" + strings.Repeat("0,100\n", 200<<20/6), "1", "16 MiB"},
		"revision":   {"frame,track_mm\n0,100\n", "x", "revision"},
	} {
		if code, b := up(c.body, c.rev); code != 422 || !strings.Contains(b, c.want) {
			t.Errorf("%s: %d %.300s", name, code, b)
		}
	}
	_, b = do("GET", "/api/shots/"+id, "")
	if v := view(t, b); v.Revision != 1 || len(v.Path.Tracks[0].Keys) != 3 {
		t.Error("a refused file changed the path")
	}
	// Only the axes in the file change; how they are joined stays; the answer says
	// which stayed and what would take them out.
	if code, b := do("POST", "/api/shots/"+id+"/edits",
		`{"revision":1,"edit":{"op":"kind","axis":"pan","kind":"linear","blend":12}}`); code != 200 {
		t.Fatal(b)
	}
	code, b = up("frame,pan_deg\n0,1\n50,4\n", "2")
	if err := json.Unmarshal([]byte(b), &got); err != nil || code != 200 || len(got.Shot.Path.Tracks[0].Keys) != 3 ||
		len(got.Shot.Path.Tracks[1].Keys) != 2 ||
		got.Said != "Pan from the file. As they were: Track and Focus." || len(got.Others) != 2 || got.Others[0].Axis !=
		"plank/track" || got.Others[1].Axis != "plank/focus" {
		t.Fatalf("%d %v %s %v", code, err, got.Said, got.Others)
	}
	if !strings.Contains(b, `"kind":"linear","blend":12`) {
		t.Error("the blend is gone")
	}
}

func TestPassesAndPeople(t *testing.T) {
	var ps []PassView
	_, b := do("GET", "/api/shots/"+shot+"/passes", "")
	if err := json.Unmarshal([]byte(b), &ps); err != nil || len(ps) != 5 || ps[3].Clock.Factor.Den != 3 {
		t.Fatalf("%v %.200s", err, b)
	}
	if p := ps[3]; p.FPS != 8 || p.Seconds != 30 || p.WorstAxis != "plank/track" ||
		math.Abs(p.WorstShare*3/ps[0].WorstShare-1) > 1e-9 {
		t.Errorf("a third of the speed: %g fps, %g s, %s at %g", p.FPS, p.Seconds, p.WorstAxis, p.WorstShare)
	}
	put := func(f string) int {
		code, _ := do("PUT", "/api/passes/"+ps[0].ID, `{"shot":"`+shot+`","name":"Keeper","note":"","clock":"`+f+`"}`)
		return code
	}
	if put("0") != 422 || put("1000") != 422 || put("abc") != 422 || put("1/3") != 200 || put("24 fps") != 200 {
		t.Error("rate factors are not checked")
	}
	if code, b := do("POST", "/api/machines/plank/goto", `{"shot":"`+shot+`","frame":9999}`); code != 422 ||
		!strings.Contains(b, "9999 is outside the path") {
		t.Errorf("a go-to without a seal goes by the plan: %d %s", code, b)
	}
	if code, b := do("PUT", "/api/me", `{"name":""}`); code != 422 {
		t.Errorf("an empty name: %d %s", code, b)
	}
}

func TestStrangersAreKeptOut(t *testing.T) {
	if code, _ := do("POST", "/api/stop", "", "Sec-Fetch-Site", "cross-site", "Origin",
		"http://elsewhere.example"); code != 403 {
		t.Errorf("another site's page may post: %d", code)
	}
	q, err := http.NewRequest("GET", addr+"/api/shelf", nil)
	if err != nil {
		t.Fatal(err)
	}
	q.Host = "rebound.example"
	if r, err := http.DefaultClient.Do(q); err != nil || r.StatusCode != 403 {
		t.Errorf("a strange name is answered: %v %v", r, err)
	}
	if code, _ := do("POST", "/api/stop", ""); code != 204 {
		t.Errorf("stop without a session: %d", code)
	}
	if code, _ := do("GET", "/api/live", "", "Connection", "Upgrade", "Upgrade", "websocket", "Sec-WebSocket-Version",
		"13", "Sec-WebSocket-Key", "dGhlIHNhbXBsZSBub25jZQ==", "Origin", "http://elsewhere.example"); code != 403 {
		t.Errorf("another site's page may watch: %d", code)
	}
	for path, want := range map[string]int{"/api/shots/nonsense": 422,
		"/api/shots/01a2103b-e161-71d6-aea5-37eb98638550": 404, "/api/nothing": 404,
		"/api/takes/01a2103b-e161-71d6-aea5-37eb98638550/trace.csv": 404, "/api/takes/x/trace.csv": 404} {
		if code, b := do("GET", path, ""); code != want {
			t.Errorf("%s: %d, want %d: %s", path, code, want, b)
		}
	}
	if code, b := do("GET", "/shot/anything/compose", ""); code != 200 || !strings.Contains(b, `id="app"`) {
		t.Errorf("a deep link: %d %.100s", code, b)
	}
	err = Run(context.Background(), Options{Listen: "0.0.0.0:0", Out: io.Discard, Log: slog.Default()})
	if err == nil || !strings.Contains(err.Error(), "only loopback") {
		t.Errorf("listens beyond loopback: %v", err)
	}
}

func fromJSON(b string, into any) error { return json.Unmarshal([]byte(b), into) }

// Every route answers what cannot be done in one form, with the field where one is
// to blame.
func TestProblems(t *testing.T) {
	for name, c := range map[string]struct {
		method, path, body string
		head               []string
		status             int
		field              string
	}{
		"schema":  {"PUT", "/api/shots/" + shot + "/threshold", `{"px":0}`, nil, 422, "px"},
		"missing": {"POST", "/api/shots/" + shot + "/pose", `{}`, nil, 422, ""},
		"rule": {"POST", "/api/shots/" + shot + "/edits",
			`{"revision":0,"edit":{"op":"kind","axis":"boom","kind":"smooth"}}`, nil, 422, "axis"},
		"file":        {"POST", "/api/shots/" + shot + "/keys?revision=0", "frame,boom_mm\n0,1\n", nil, 422, "2"},
		"no revision": {"POST", "/api/shots/" + shot + "/keys", "", nil, 422, "revision"},
		"no shot":     {"GET", "/api/shots/01a213c4-1156-7864-a204-2ba1959b8ca7", "", nil, 404, ""},
		"no address":  {"GET", "/api/nothing", "", nil, 404, ""},
		"no method":   {"DELETE", "/api/shots/" + shot, "", nil, 405, ""},
		"a stranger":  {"PUT", "/api/me", `{"name":"x"}`, []string{"Sec-Fetch-Site", "cross-site"}, 403, ""},
		"no machine":  {"POST", "/api/machines/stork/home", `{}`, nil, 503, ""},
		"line-up": {"PATCH", "/api/machines/plank/line-ups",
			`{"changes":[{"at":["axes","track"],"seen":0,"is":{"soft":[9,1],"working":{"speed":1,"acceleration":1,` +
				`"jerk":1},"spread":0,"homings":0}}]}`, nil, 422, "track.soft"},
		"a clock": {"PUT", "/api/passes/01a213c4-1156-7864-a204-2ba1959b8ca7",
			`{"shot":"` + shot + `","name":"x","note":"","clock":"soon"}`, nil, 422, "clock"},
		"an axis-less": {"PATCH", "/api/machines/plank/line-ups",
			`{"changes":[{"at":["axes","boom"],"seen":0,"is":{"soft":[1,9],"working":{"speed":1,"acceleration":1,` +
				`"jerk":1},"spread":0,"homings":0}}]}`, nil, 422, "boom"},
	} {
		code, b := do(c.method, c.path, c.body, c.head...)
		var p Problem
		if err := json.Unmarshal([]byte(b), &p); err != nil || code != c.status || p.Status != code || p.Title == "" ||
			p.Detail == "" || p.Type != "about:blank" {
			t.Errorf("%s: %d %s", name, code, b)
		}
		if c.field != "" && (p.Field != c.field || p.Wrong == "" || p.Want == "") {
			t.Errorf("%s: %s, want field %s with what is wrong and what is wanted", name, b, c.field)
		}
	}
}
