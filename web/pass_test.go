package web

import (
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"testing"

	"keenarc/core/clock"
)

// moving is a fresh shot with a move of two seconds, and a look at its first pass.
func moving(t *testing.T, code string) (id string, look func() PassView) {
	t.Helper()
	id = fresh(t, code)
	for k, e := range []string{`{"op":"set","frame":0,"values":{"track":200}}`,
		`{"op":"set","frame":48,"values":{"track":300}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(k)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	return id, func() PassView {
		t.Helper()
		var ps []PassView
		if _, b := do("GET", "/api/shots/"+id+"/passes", ""); fromJSON(b, &ps) != nil || len(ps) == 0 {
			t.Fatal(b)
		}
		return ps[0]
	}
}

// Fields of a pass that are changed side by side do not undo each other; one that somebody has
// changed since it was seen is not overwritten, others are changed all the same.
func TestAPassIsChangedFieldByField(t *testing.T) {
	id, look := moving(t, "WB-11")
	p := look()
	put := func(body string) (int, string) {
		return do("PUT", "/api/passes/"+p.ID, `{"shot":"`+id+`",`+body+`}`)
	}
	for range 10 {
		if code, b := put(`"clock":"1","delay_ms":0,"ease_ms":0,"note":"","camera_locked":false`); code != 200 {
			t.Fatal(b)
		}
		var wg sync.WaitGroup
		for _, body := range []string{`"clock":"1/2"`, `"delay_ms":700`, `"ease_ms":400`, `"note":"by hand"`,
			`"camera_locked":true`} {
			wg.Go(func() {
				if code, b := put(body); code != 200 {
					t.Error(b)
				}
			})
		}
		wg.Wait()
		if q := look(); q.Clock.Factor != (clock.Rate{Num: 1, Den: 2}) || q.Clock.DelayMS != 700 || q.Clock.EaseMS !=
			400 || q.Note != "by hand" || !q.Clock.CameraLocked || q.Name != p.Name {
			t.Fatalf("side by side: %+v %q", q.Clock, q.Note)
		}
	}
	if _, log := do("GET", "/api/shots/"+id+"/log", ""); !strings.Contains(log, "its clock was ×1") ||
		!strings.Contains(log, "and is ×0.5") {
		t.Errorf("the log says nothing of it: %.300s", log)
	}
	seen, err := json.Marshal(look().Clock)
	if err != nil {
		t.Fatal(err)
	}
	if code, b := put(`"delay_ms":900`); code != 200 { // somebody else
		t.Fatal(b)
	}
	if code, b := put(fmt.Sprintf(`"seen":%s,"delay_ms":100`, seen)); code != 409 ||
		!strings.Contains(b, "changed the delay of this pass meanwhile") {
		t.Errorf("over a delay that was not seen: %d %s", code, b)
	}
	if code, b := put(fmt.Sprintf(`"seen":%s,"ease_ms":100`, seen)); code != 200 {
		t.Errorf("another field: %d %s", code, b)
	}
	if q := look(); q.Clock.DelayMS != 900 || q.Clock.EaseMS != 100 {
		t.Errorf("%+v", q.Clock)
	}
}

// What a clock comes to on a plan is worked out once; another clock, another plan or other limits
// of the day are another matter.
func TestAClockIsWorkedOutOnce(t *testing.T) {
	id, look := moving(t, "WB-12")
	first := look()
	if again := look(); again.Clocked != first.Clocked || first.WorstShare <= 0 || first.Seconds != 2 {
		t.Errorf("%+v, then %+v", first.Clocked, again.Clocked)
	}
	if code, b := do("PUT", "/api/passes/"+first.ID, `{"shot":"`+id+`","clock":"1/2"}`); code != 200 {
		t.Fatal(b)
	}
	slow := look()
	if slow.Seconds != 4 || slow.WorstShare >= first.WorstShare {
		t.Errorf("on another clock: %+v", slow.Clocked)
	}
	if code, b := do("POST", "/api/shots/"+id+"/edits",
		`{"revision":2,"edit":{"op":"set","frame":48,"values":{"track":500}}}`); code != 200 {
		t.Fatal(b)
	}
	if now := look(); now.WorstShare <= slow.WorstShare {
		t.Errorf("on another plan: %+v", now.Clocked)
	}
}
