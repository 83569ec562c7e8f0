package e2e

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/link"
	"keenarc/stage"
	"keenarc/stage/ready"
	"keenarc/web"
)

// sees reads the live socket of a server until it says what is waited for.
func (p *process) sees(what, shot string, ok func(*web.LiveMessage) bool) *web.LiveMessage {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.t.Context(), 60*time.Second)
	defer cancel()
	c, _, err := websocket.Dial(ctx, strings.Replace(p.addr, "http", "ws", 1)+"/api/live?shot="+shot, nil)
	if err != nil {
		p.t.Fatal(err)
	}
	defer c.CloseNow()
	c.SetReadLimit(1 << 20)
	for {
		var m web.LiveMessage
		if err := wsjson.Read(ctx, c, &m); err != nil {
			p.t.Fatalf("waited in vain for %s: %v", what, err)
		}
		if ok(&m) {
			return &m
		}
	}
}

// held rolls a pass by holding until something is so, lets whoever calls do something then, and
// lets go.
func (p *process) held(shot, pass string, until func() bool, then ...func()) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.t.Context(), 60*time.Second)
	defer cancel()
	hold, _, err := websocket.Dial(ctx, strings.Replace(p.addr, "http", "ws", 1)+"/api/hold?shot="+shot+
		"&pass="+pass, nil)
	if err != nil {
		p.t.Fatal(err)
	}
	defer hold.CloseNow()
	p.sees("the path in the machine", shot, func(m *web.LiveMessage) bool { return m.Floor.State.Print != "" })
	if err := wsjson.Write(ctx, hold, map[string]any{"press": "one"}); err != nil {
		p.t.Fatal(err)
	}
	for n := 1; !until(); n++ {
		if err := wsjson.Write(ctx, hold, map[string]any{"press": "one", "beat": n}); err != nil {
			p.t.Fatal(err)
		}
		time.Sleep(link.BeatMS * time.Millisecond)
	}
	for _, f := range then {
		f()
	}
}

// Two servers on one database and one machine: one drives, the other watches, says
// so and acknowledges nothing, but stops the machine when it is asked to; killed,
// the first is followed by the second, and watches when it is back.
func TestTwoServersOneMachine(t *testing.T) {
	beside(t)
	ctx := t.Context()
	d := desk(t)
	db, shot := d.db, d.shot
	ps, err := db.Passes(ctx, shot)
	if err != nil {
		t.Fatal(err)
	}
	rig, err := stage.StartStandIn(context.Background(), binary, "--seed", "5", "--pace", "4")
	if err != nil {
		t.Fatal(err)
	}
	defer rig.Close()
	first := serve(t, folder(t), d.url, rig.Addr)
	first.sees("the rig", shot, func(m *web.LiveMessage) bool { return m.Floor.Connected && m.Floor.Leased })
	second := serve(t, folder(t), d.url, rig.Addr)
	first.post("/api/shots/"+shot+"/seal", `{"revision":0}`)
	m := second.sees("the rig and the seal", shot, func(m *web.LiveMessage) bool {
		return m.Floor.Connected && slices.ContainsFunc(m.Ready.Checks, func(c ready.Check) bool {
			return c.Name == "sealed" && c.OK
		})
	})
	if m.Floor.Driving || !strings.Contains(m.Ready.Sentence,
		"another copy of Keen Arc drives Plank; this one only watches") {
		t.Errorf("the second: driving %v, %q", m.Floor.Driving, m.Ready.Sentence)
	}
	if code, b := second.try("/api/machines/plank/home", `{}`); code != 409 || !strings.Contains(b, "only watches") {
		t.Errorf("the second homes: %d %s", code, b)
	}
	// The second sees the roll and stops it; the take is the first's, whole to its end.
	first.atFirst(shot, ps[0].ID)
	ended := func() bool {
		lines, err := db.Takes(ctx, shot)
		return err == nil && len(lines) > 0 && lines[0].Ended
	}
	stopped := make(chan struct{})
	go func() {
		defer close(stopped)
		second.sees("rolling", shot, func(m *web.LiveMessage) bool {
			return m.Floor.State.Mode == link.Rolling && m.Floor.State.Frame > 30 || ended()
		})
		second.post("/api/stop", "")
	}()
	first.held(shot, ps[0].ID, ended)
	<-stopped
	k := first.until("the take", shot, func(k web.TakeView) bool { return k.Ended })
	full, err := db.Take(ctx, k.ID)
	if err != nil || !k.Broken || k.Why != "stop was pressed" || !full.Trace.Whole() || len(full.Trace.Pos) != k.Rows ||
		k.Rows < 1200 {
		t.Errorf("the take: broken %v (%s), %d rows of %d, %v", k.Broken, k.Why, len(full.Trace.Pos), k.Rows, err)
	}
	var begun int
	if err := db.Pool.QueryRow(ctx, `SELECT count(*) FROM takes`).Scan(&begun); err != nil || begun != 1 {
		t.Errorf("%d takes, %v", begun, err)
	}
	// The first dies; the second drives.
	if err := first.cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = first.cmd.Wait()
	second.sees("the right", shot, func(m *web.LiveMessage) bool { return m.Floor.Connected && m.Floor.Leased })
	second.atFirst(shot, ps[0].ID)
	again := serve(t, folder(t), d.url, rig.Addr)
	if m = again.sees("the rig", shot, func(m *web.LiveMessage) bool { return m.Floor.Connected }); m.Floor.Driving {
		t.Error("started again the first drives, too")
	}
}
