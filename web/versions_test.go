package web

import (
	"encoding/json"
	"fmt"
	"keenarc/core/clock"
	"strings"
	"testing"
)

// A move is named, changed, compared and brought back.
func TestVersionsOfAMove(t *testing.T) {
	id := fresh(t, "WB-88")
	at := "/api/shots/" + id
	edit := func(rev int, e string) {
		t.Helper()
		if code, b := do("POST", at+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, rev, e)); code != 200 {
			t.Fatal(b)
		}
	}
	edit(0, `{"op":"set","frame":0,"values":{"track":200,"pan":5}}`)
	edit(1, `{"op":"set","frame":100,"values":{"track":800,"pan":5}}`)
	if code, b := do("POST", at+"/versions", `{"revision":2,"name":"slow"}`); code != 200 ||
		!strings.Contains(b, `"number":1`) {
		t.Fatalf("%d %s", code, b)
	}
	difference := func(q string) (d DifferenceView) {
		t.Helper()
		code, b := do("GET", at+"/versions/"+q, "")
		if code != 200 || json.Unmarshal([]byte(b), &d) != nil {
			t.Fatalf("%d %s", code, b)
		}
		return d
	}
	if d := difference("1/difference"); d.Words != "They are the same." || len(d.Lines) != 0 {
		t.Errorf("%+v", d)
	}
	edit(2, `{"op":"whole","axis":"pan","whole":{"do":"offset","by":2}}`)
	edit(3, `{"op":"whole","whole":{"do":"stretch","factor":1.2}}`)
	if code, b := do("POST", at+"/versions", `{"revision":4,"name":"slow"}`); code != 422 ||
		!strings.Contains(b, "another version is called") {
		t.Errorf("one name twice: %d %s", code, b)
	}
	if code, b := do("POST", at+"/versions", `{"revision":4,"name":" wide "}`); code != 200 ||
		!strings.Contains(b, `"name":"wide"`) {
		t.Errorf("%d %s", code, b)
	}
	d := difference("1/difference?with=2")
	if d.From != "slow" || d.To != "wide" || !strings.HasPrefix(d.Words,
		"20 frames longer, 2 of 5 axes elsewhere, at most ") || len(d.Lines) != 2 ||
		!strings.HasPrefix(d.Lines[1].Words, "Pan, 0000 to 0120: +2 ° at ") {
		t.Errorf("%+v", d)
	}
	code, b := do("POST", at+"/versions/1/back", `{"revision":4}`)
	if v := view(t, b); code != 200 || v.Revision != 5 || !strings.Contains(b, `"can_undo":true`) {
		t.Errorf("back: %d %.300s", code, b)
	}
	if d := difference("1/difference"); d.Words != "They are the same." {
		t.Errorf("brought back it differs: %+v", d)
	}
	for what, c := range map[string]struct {
		method, path, body string
		code               int
	}{
		"no name":       {"POST", "/versions", `{"revision":5,"name":"  "}`, 422},
		"no revision":   {"POST", "/versions", `{"revision":50,"name":"x"}`, 409},
		"no version":    {"GET", "/versions/9/difference", "", 404},
		"no other":      {"GET", "/versions/1/difference?with=9", "", 404},
		"back to none":  {"POST", "/versions/9/back", `{"revision":5}`, 404},
		"back, too old": {"POST", "/versions/1/back", `{"revision":2}`, 409},
	} {
		if code, b := do(c.method, at+c.path, c.body); code != c.code {
			t.Errorf("%s: %d %s, want %d", what, code, b, c.code)
		}
	}
}

// A pass typed as how long it takes, delayed, and several times there and back.
func TestClocksOfAPass(t *testing.T) {
	id := fresh(t, "WB-89")
	for rev, e := range []string{`{"op":"set","frame":0,"values":{"track":200}}`,
		`{"op":"set","frame":240,"values":{"track":800}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, rev,
			e)); code != 200 {
			t.Fatal(b)
		}
	}
	_, b := do("GET", "/api/shots/"+id+"/passes", "")
	var ps []PassView
	if err := json.Unmarshal([]byte(b), &ps); err != nil {
		t.Fatal(err)
	}
	set := func(more string) (int, string, PassView) {
		code, b := do("PUT", "/api/passes/"+ps[0].ID, `{"shot":"`+id+`","name":"A","note":"",`+more+`}`)
		var now []PassView
		if code == 200 {
			_ = json.Unmarshal([]byte(b), &now)
			return code, b, now[0]
		}
		return code, b, PassView{}
	}
	for more, want := range map[string]float64{`"clock":"20 s"`: 20, `"clock":"20 s","delay_ms":1500`: 21.5,
		`"clock":"1","way":"there and back","times":3,"delay_ms":0`: 60, `"clock":"1","way":"on","delay_ms":0`: 10} {
		if code, b, p := set(more); code != 200 || p.Seconds < want-1e-9 || p.Seconds > want+1e-9 {
			t.Errorf("%s: %d, %g s, want %g: %.200s", more, code, p.Seconds, want, b)
		}
		_, _, _ = set(`"clock":"1","way":"on","delay_ms":0`)
	}
	for more, field := range map[string]string{`"clock":"0 s"`: "clock", `"clock":"169 h"`: "clock",
		`"clock":"101"`: "clock", `"clock":"1","kind":"stepped","move_ms":9000`: "clock",
		`"clock":"1","kind":"live","way":"back"`: "clock", `"clock":"1","way":"on","times":2`: "clock",
		`"clock":"1","delay_ms":-1`: "delay_ms"} {
		if code, b, _ := set(more); code != 422 || !strings.Contains(b, field) {
			t.Errorf("%s: %d %s", more, code, b)
		}
	}
}

// Every kind of clock is kept with a pass, with what it leaves out, and with why it cannot run.
func TestKindsOfClocks(t *testing.T) {
	id := fresh(t, "WB-91")
	for rev, e := range []string{`{"op":"set","frame":0,"values":{"track":200}}`,
		`{"op":"set","frame":240,"values":{"track":800}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, rev,
			e)); code != 200 {
			t.Fatal(b)
		}
	}
	_, b := do("GET", "/api/shots/"+id+"/passes", "")
	var ps []PassView
	if err := json.Unmarshal([]byte(b), &ps); err != nil {
		t.Fatal(err)
	}
	set := func(more string) PassView {
		t.Helper()
		code, b := do("PUT", "/api/passes/"+ps[0].ID, `{"shot":"`+id+`","name":"A","note":"","clock":"1",`+more+`}`)
		var now []PassView
		if code != 200 || json.Unmarshal([]byte(b), &now) != nil {
			t.Fatalf("%s: %d %s", more, code, b)
		}
		return now[0]
	}
	if p := set(`"kind":"crawling","way":"back"`); p.Clock.Pictures != 240 || p.Clock.IntervalMS != 5000 ||
		p.Seconds != 1200 || p.Between != 0 || p.Clock.Way != clock.Back {
		t.Errorf("crawling: %+v", p.Clock)
	}
	if p := set(`"pictures":60,"interval_ms":604800`); p.Seconds != 36288 || p.Between != 180 || p.EveryMS != 50 {
		t.Errorf("%d pictures in %g s, %d between, a row every %d ms", p.Clock.Pictures, p.Seconds,
			p.Between, p.EveryMS)
	}
	if p := set(`"kind":"stepped","pictures":240,"interval_ms":3000,"move_ms":1000`); p.Seconds != 720 || p.ClockNote !=
		"" || p.FPS != 2 || p.TooFast {
		t.Errorf("stepped: %+v", p)
	}
	if p := set(`"interval_ms":300,"move_ms":30`); !strings.Contains(p.ClockNote, "over its jerk") || !p.TooFast {
		t.Errorf("stepped in 30 ms: %q, too fast %t", p.ClockNote, p.TooFast)
	}
	if p := set(`"kind":"live","ease_ms":100`); !p.Steered || !strings.Contains(p.ClockNote, "longer ease") {
		t.Errorf("live, in no time: %+v", p)
	}
	if p := set(`"ease_ms":2000`); p.ClockNote != "" || p.Seconds != 10 {
		t.Errorf("live: %+v", p)
	}
	if p := set(`"kind":"steady","way":"there and back","ease_ms":1000,"camera_locked":true`); p.ClockNote != "" ||
		p.Seconds != 21 || p.Between != 11 {
		t.Errorf("eased turns: %q, %g s, %d between", p.ClockNote, p.Seconds, p.Between)
	}
	if p := set(`"clock":"3","ease_ms":0,"way":"on"`); p.Between != 160 {
		t.Errorf("a locked camera at three times the rate: %d between", p.Between)
	}
}

// A plan over its working limits is sealed when somebody signs for it and says why; over rated
// ones it is not.
func TestSignedFor(t *testing.T) {
	id := fresh(t, "WB-90")
	edits := []string{`{"op":"set","frame":0,"values":{"track":200}}`, `{"op":"set","frame":48,"values":{"track":560}}`}
	for rev, e := range edits {
		if code, b := do("POST", "/api/shots/"+id+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, rev,
			e)); code != 200 {
			t.Fatal(b)
		}
	}
	sealed := func(body string) (int, string) { return do("POST", "/api/shots/"+id+"/seal", body) }
	if code, b := sealed(`{"revision":2}`); code != 409 || !strings.Contains(b, "over its") {
		t.Fatalf("over its limits: %d %s", code, b)
	}
	if code, b := sealed(`{"revision":2,"over":"  "}`); code != 409 {
		t.Fatalf("signed without a reason: %d %s", code, b)
	}
	code, b := sealed(`{"revision":2,"over":"the arm is bare today"}`)
	if code != 200 || !strings.Contains(b, `"over":"the arm is bare today"`) {
		t.Fatalf("signed: %d %.400s", code, b)
	}
	if code, b := do("GET", "/api/shots/"+id+"/log", ""); code == 200 && !strings.Contains(b,
		"Signed for passing working limits on path 1: the arm is bare today") {
		t.Errorf("the log: %.300s", b)
	}
	if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":2,"edit":{"op":"factor","clock":"3"}}`); code !=
		200 || !strings.Contains(b, `"within_rated":false`) {
		t.Fatalf("%d %.200s", code, b)
	}
	if code, b := sealed(`{"revision":3,"over":"in a hurry"}`); code != 409 ||
		!strings.Contains(b, "nobody can sign for it") {
		t.Errorf("over rated limits: %d %s", code, b)
	}
}
