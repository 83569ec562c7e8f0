package web

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"strings"
	"testing"

	"keenarc/core/seal"
	"keenarc/stage"
	"keenarc/stage/camera"
	"keenarc/store"
)

// A pass that is faster than its path was sealed for has the path checked and sealed for it, too:
// the same version and steps, so that what was rolled before is on no older path; slower passes
// roll on what they rolled on. What a faster clock would break is said with its axis and factor.
func TestSealedForAFasterPass(t *testing.T) {
	id := fresh(t, "WB-27")
	at := "/api/shots/" + id
	log := slog.New(slog.DiscardHandler)
	srv := New(running.Store, nil, camera.NewEye("", log), log)
	ask := func(method, path, body string, want int, says string) string {
		t.Helper()
		code, b := do(method, path, body)
		if code != want || !strings.Contains(b, says) {
			t.Fatalf("%s %s: %d %s; want %d %q", method, path, code, b, want, says)
		}
		return b
	}
	ask("POST", at+"/edits", `{"revision":0,"edit":{"op":"set","frame":0,"values":{"track":200,"pan":5}}}`, 200, "")
	ask("POST", at+"/edits", `{"revision":1,"edit":{"op":"set","frame":240,"values":{"track":500,"pan":-5}}}`, 200, "")
	passes := func() []PassView {
		t.Helper()
		var ps []PassView
		if err := json.Unmarshal([]byte(ask("GET", at+"/passes", "", 200, "")), &ps); err != nil {
			t.Fatal(err)
		}
		return ps
	}
	p := passes()[0].ID
	body := func(rev int) string { return fmt.Sprintf(`{"shot":%q,"revision":%d}`, id, rev) }
	ask("POST", "/api/passes/"+p+"/seal", body(2), 409, "Press S to seal it first")
	ask("POST", at+"/seal", `{"revision":2}`, 200, "")
	ask("POST", "/api/passes/"+p+"/seal", body(2), 409, "sealed for pass 1 already")
	ask("PUT", "/api/passes/"+p, fmt.Sprintf(`{"shot":%q,"clock":"2"}`, id), 200, "")
	if v := passes()[0]; !v.TooFast {
		t.Errorf("at ×2 it is not too fast: %+v", v.Clocked)
	}
	desk := func() (*store.Seal, *seal.Table, string) {
		t.Helper()
		d, x, err := srv.desk(t.Context(), id, p)
		if err != nil {
			t.Fatal(err)
		}
		return x, d.Table, d.PassNote
	}
	slow, table, note := desk()
	if !strings.Contains(note, "seal the path for it at the pass") {
		t.Errorf("it may run: %q", note)
	}
	ask("POST", "/api/passes/"+p+"/seal", body(1), 409, "")
	ask("POST", "/api/passes/"+p+"/seal", body(2), 200, `"too_fast":false`)
	fast, again, note := desk()
	if note != "" || fast.ID == slow.ID || fast.Version != slow.Version || !fast.Same(slow) ||
		fast.Print == slow.Print || again.Move() != table.Move() || again.Fastest.Float() != 2 {
		t.Errorf("%q: %+v after %+v, at %v", note, fast, slow, again.Fastest)
	}
	var x struct {
		Seal   struct{ ID string }
		Sealed bool `json:"sealed_as_is"`
	}
	if err := json.Unmarshal([]byte(ask("GET", at, "", 200, "")), &x); err != nil || x.Seal.ID != slow.ID || !x.Sealed {
		t.Errorf("the shot is on %+v, %v", x, err)
	}
	ask("PUT", "/api/passes/"+p, fmt.Sprintf(`{"shot":%q,"clock":"1/2"}`, id), 200, "")
	if x, _, note := desk(); x.ID != slow.ID || note != "" {
		t.Errorf("slower it rolls on %+v: %q", x, note)
	}
	ask("PUT", "/api/passes/"+p, fmt.Sprintf(`{"shot":%q,"clock":"40"}`, id), 200, "")
	if b := ask("POST", "/api/passes/"+p+"/seal", body(2), 409,
		"Pass 1 · Beauty at ×40 is not sealed: "); !strings.Contains(b, "Track") && !strings.Contains(b, "Pan") {
		t.Errorf("no axis is named: %s", b)
	}
	ask("POST", at+"/edits", `{"revision":2,"edit":{"op":"set","frame":240,"values":{"track":510}}}`, 200, "")
	ask("POST", at+"/seal", `{"revision":3}`, 200, "")
	seals, err := srv.store.Seals(t.Context(), id)
	if err != nil || len(seals) != 3 || seals[0].Version != 2 || seals[1].Version != 1 || seals[2].Version != 1 ||
		seals[0].Same(&seals[1]) || !seals[1].Same(&seals[2]) {
		t.Errorf("%+v, %v", seals, err)
	}
	// Of a database that does not know it yet what a seal moves is worked out of its table.
	if _, err := srv.store.Pool.Exec(t.Context(), `UPDATE seals SET move = NULL WHERE shot_id = $1`, id); err != nil {
		t.Fatal(err)
	}
	if again, err := srv.store.Seals(t.Context(), id); err != nil || len(again) != 3 || !again[2].Same(&seals[2]) ||
		!again[0].Same(&seals[0]) {
		t.Errorf("%+v, %v", again, err)
	}
	// Takes of both are laid over one another, one on another path is not.
	var takes []store.TakeLine
	for k, x := range []*store.Seal{slow, fast, &seals[0]} {
		takes = append(takes, store.TakeLine{ID: fmt.Sprint(k), PassID: fmt.Sprint(k), SealID: x.ID,
			Ended: true, Number: 1})
	}
	all, chosen := lined(takes, seals), []stage.Choice{{Pass: "0"}, {Pass: "1"}, {Pass: "2"}}
	if r := stage.Reference(chosen, all, &all[1]); r == nil || r.ID != "0" {
		t.Errorf("a take on the faster seal lies over %+v", r)
	}
	if r := stage.Reference(chosen, all, &all[2]); r != nil {
		t.Errorf("a take on another path lies over %+v", r)
	}
}

// A pass that runs another way than the first is foretold to lie beside it by its slack, one that
// runs the same way is not.
func TestAReversedPassIsForetold(t *testing.T) {
	id := fresh(t, "WB-28")
	at := "/api/shots/" + id
	for k, e := range []string{`{"op":"set","frame":0,"values":{"track":200,"pan":5}}`,
		`{"op":"set","frame":240,"values":{"track":500,"pan":-5}}`} {
		if code, b := do("POST", at+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, k, e)); code != 200 {
			t.Fatal(b)
		}
	}
	var ps []PassView
	_, b := do("GET", at+"/passes", "")
	if err := fromJSON(b, &ps); err != nil || len(ps) < 2 {
		t.Fatal(b, err)
	}
	for way, turns := range map[string]bool{"on": false, "back": true, "there and back": true} {
		if code, b := do("PUT", "/api/passes/"+ps[1].ID, fmt.Sprintf(`{"shot":%q,"way":%q}`, id, way)); code != 200 {
			t.Fatal(b)
		}
		var p Proof
		code, b := do("GET", at+"/proof", "")
		if err := fromJSON(b, &p); code != 200 || err != nil || p.Riding == nil || len(p.Riding.Flex) < 1 {
			t.Fatal(code, b, err)
		}
		if f := p.Riding.Flex[0]; f.Number != 2 || (f.TurnedPx > 0.05) != turns || turns &&
			(f.TurnedAt < 0 || f.TurnedAt >= 240) {
			t.Errorf("%s: %+v", way, f)
		}
	}
}
