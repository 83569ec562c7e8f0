package web

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/link"
	"keenarc/stage/machine"
)

func dial(t *testing.T, path string) *websocket.Conn {
	t.Helper()
	c, _, err := websocket.Dial(t.Context(), strings.Replace(addr, "http", "ws", 1)+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	c.SetReadLimit(1 << 22)
	t.Cleanup(func() { c.CloseNow() })
	return c
}

func hear[T any](t *testing.T, c *websocket.Conn) T {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	var m T
	if err := wsjson.Read(ctx, c, &m); err != nil {
		t.Fatal(err)
	}
	return m
}

// until listens to the live socket until a message is as wanted.
func until(t *testing.T, c *websocket.Conn, what string, ok func(LiveMessage) bool) LiveMessage {
	t.Helper()
	for late := time.Now().Add(30 * time.Second); time.Now().Before(late); {
		if m := hear[LiveMessage](t, c); ok(m) {
			return m
		}
	}
	m := hear[LiveMessage](t, c)
	t.Fatalf("waited in vain for %s: %s, loading %+v, %+v", what, m.Ready.Sentence, m.Floor.Loading, m.Floor)
	return LiveMessage{}
}

// TestSockets: readiness is pushed as it changes, numbered; a hold that is not
// ready is refused with the sentence; a hold rolls, and a lost socket lets go.
func TestSockets(t *testing.T) {
	id := fresh(t, "WS-1")
	var ps []PassView
	_, b := do("GET", "/api/shots/"+id+"/passes", "")
	if err := fromJSON(b, &ps); err != nil {
		t.Fatal(err)
	}
	q := "?shot=" + id + "&pass=" + ps[0].ID
	live := dial(t, "/api/live"+q)
	m := until(t, live, "the rig", func(m LiveMessage) bool { return m.Floor.Connected && m.View != nil })
	if !strings.Contains(m.Ready.Sentence, "not homed. Press 2") {
		t.Errorf("a machine that is not homed says %q", m.Ready.Sentence)
	}
	if next := hear[LiveMessage](t, live); next.N != m.N+1 {
		t.Errorf("message %d follows %d", next.N, m.N)
	}
	hold := dial(t, "/api/hold"+q)
	say := func(w holdWord) {
		t.Helper()
		if err := wsjson.Write(t.Context(), hold, w); err != nil {
			t.Fatal(err)
		}
	}
	say(holdWord{Press: "one"})
	if a := hear[holdSays](t, hold); !strings.Contains(a.Refused, "not homed. Press 2") {
		t.Errorf("a hold of a machine that is not homed: %+v", a)
	}
	if code, b := do("POST", "/api/machines/plank/home", `{"shot":"`+id+`"}`); code != 200 {
		t.Fatal(b)
	}
	if m := until(t, live, "who homes it", func(m LiveMessage) bool { return len(m.Doing) == 1 }); m.Doing[0].Kind !=
		machine.KindHoming || m.Doing[0].Machine != "plank" || m.Doing[0].Who.Name == "" {
		t.Errorf("what goes on: %+v", m.Doing)
	}
	until(t, live, "a keyframe as the next thing", func(m LiveMessage) bool {
		return m.Ready.Key == "K" && len(m.Doing) == 0
	})
	say(holdWord{Press: "two"})
	if a := hear[holdSays](t, hold); !strings.Contains(a.Refused, "Press K") {
		t.Errorf("a hold on an empty sheet: %+v", a)
	}
	for i, e := range []string{`{"op":"set","frame":0,"values":{"track":200}}`,
		`{"op":"set","frame":1200,"values":{"track":900}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	until(t, live, "the seal as the next thing", func(m LiveMessage) bool {
		return m.Ready.Key == "S" && m.Version > 0
	})
	if code, b := do("POST", "/api/shots/"+id+"/seal", `{"revision":2}`); code != 200 {
		t.Fatal(b)
	}
	until(t, live, "first as the next thing", func(m LiveMessage) bool { return m.Ready.Key == "F" })
	if code, b := do("POST", "/api/machines/plank/goto", `{"shot":"`+id+`"}`); code != 200 {
		t.Fatal(b)
	}
	until(t, live, "ready", func(m LiveMessage) bool {
		return m.Ready.OK && len(m.Doing) == 0 && m.Floor.State.Print != ""
	})

	say(holdWord{Press: "three"})
	for n := int64(1); n < 12; n++ {
		say(holdWord{Press: "three", Beat: n})
		time.Sleep(20 * time.Millisecond)
	}
	if a := hear[holdSays](t, hold); a.Rolling == "" {
		t.Fatalf("the press answers %+v", a)
	}
	until(t, live, "rolling", func(m LiveMessage) bool {
		return m.Floor.State.Mode == link.Rolling && m.Floor.State.Press != "" && strings.HasSuffix(m.Floor.State.Press,
			"/three") && len(m.Doing) == 1 && m.Doing[0].Kind == machine.KindPass
	})
	hold.CloseNow()
	until(t, live, "still", func(m LiveMessage) bool { return m.Floor.State.Mode == link.Idle })
	_, b = do("GET", "/api/shots/"+id+"/passes", "")
	for late := time.Now().Add(10 * time.Second); !strings.Contains(b, `"ended":true`) && time.Now().Before(late); {
		_, b = do("GET", "/api/shots/"+id+"/passes", "")
	}
	if err := fromJSON(b, &ps); err != nil || len(ps[0].Takes) != 1 || !ps[0].Takes[0].Broken ||
		!strings.Contains(ps[0].Takes[0].Why, "let go") {
		t.Errorf("the take is kept as %+v", ps[0].Takes)
	}
	if code, b := do("GET", "/api/takes/"+ps[0].Takes[0].ID+"/trace.csv", ""); code != 200 ||
		!strings.HasPrefix(b, "tick_ms,t_s,frame,track_mm,pan_deg") {
		t.Errorf("trace.csv: %d %.100s", code, b)
	}
	if code, b := do("PUT", "/api/shots/"+id+"/threshold", `{"px":0}`); code != 422 {
		t.Errorf("a threshold of nothing: %d %s", code, b)
	}
	if code, b := do("PUT", "/api/shots/"+id+"/threshold", `{"px":0.001}`); code != 422 {
		t.Errorf("a threshold of almost nothing: %d %s", code, b)
	}
	if code, b := do("PUT", "/api/shots/"+id+"/threshold", `{"px":0.25}`); code != 200 ||
		!strings.Contains(b, `"threshold_px":0.25`) {
		t.Errorf("a threshold: %d %.200s", code, b)
	}
	_, b = do("GET", "/api/shots/"+id+"/log", "")
	for _, want := range []string{"Sealed path 1", "homing started", "Rolled pass 1", "broken off",
		"Changed the plan 2 times", "Started shot WS-1"} {
		if !strings.Contains(b, want) {
			t.Errorf("the log does not say %q: %s", want, b)
		}
	}
}
