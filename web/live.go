package web

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"net/http"
	"sync/atomic"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/core/lens"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage"
)

// LiveMessage is what watchers are told, newest only.
type LiveMessage struct {
	N       int64          `json:"n"`
	Version int64          `json:"version"` // of the shot; counted up with every change
	Floor   stage.Snapshot `json:"floor"`
	View    *View          `json:"view,omitempty"`
	Ready   *stage.Ready   `json:"ready"`
	Trouble string         `json:"trouble,omitempty"`
}

// livePause is the shortest time between two messages, livePulse the longest
// while nothing changes.
const (
	livePause = 40 * time.Millisecond
	livePulse = 450 * time.Millisecond
)

// digest tells messages apart by what they say, counters left out.
func (m *LiveMessage) digest() [sha256.Size]byte {
	c := *m
	c.N, c.Floor.State.N, c.Floor.State.Tick = 0, 0, 0
	b, err := json.Marshal(&c)
	if err != nil { // only what is not a number can do it, and it differs each time
		return sha256.Sum256([]byte(err.Error() + time.Now().String()))
	}
	return sha256.Sum256(b)
}

// live pushes the floor's state and the readiness of a shot and pass.
func (s *Server) live(w http.ResponseWriter, r *http.Request) {
	shot, pass := r.URL.Query().Get("shot"), r.URL.Query().Get("pass")
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	defer c.CloseNow()
	ctx := c.CloseRead(r.Context())
	ch, end := s.floor.Watch()
	defer end()
	w2 := &watcher{s: s, shot: shot, pass: pass, seen: -1}
	idle := time.NewTicker(500 * time.Millisecond)
	defer idle.Stop()
	var told [sha256.Size]byte
	var at time.Time
	for n := int64(0); ; {
		m := w2.message(ctx)
		// What has not changed is said twice a second, so that silence means loss.
		if what := m.digest(); what != told || time.Since(at) > livePulse {
			n, told, at = n+1, what, time.Now()
			m.N = n
			out, cancel := context.WithTimeout(ctx, 3*time.Second)
			err := wsjson.Write(out, c, m)
			cancel()
			if err != nil {
				return
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(livePause):
		}
		select {
		case <-ctx.Done():
			return
		case <-ch:
		case <-idle.C:
		}
	}
}

// watcher remembers the desk until the shot changes.
type watcher struct {
	s          *Server
	shot, pass string
	seen       int64
	desk       *stage.Desk
	lens       *lens.Package
	scale      *lens.Scale
	trouble    string
	retry      time.Time
}

func (w *watcher) message(ctx context.Context) *LiveMessage {
	m := &LiveMessage{Floor: w.s.floor.Now(), Version: w.s.version(w.shot)}
	if w.shot != "" && (m.Version != w.seen || w.trouble != "" && time.Now().After(w.retry)) {
		w.load(ctx, m.Version)
	}
	m.Trouble = w.trouble
	m.Ready = stage.Readiness(m.Floor, w.desk)
	if w.desk != nil && len(m.Floor.State.Pos) == len(w.desk.Rig.Axes) {
		q := make([]float64, len(w.desk.Rig.Axes))
		for i, a := range w.desk.Rig.Axes {
			q[i] = m.Floor.State.Pos[a.ID]
		}
		v := viewWith(w.desk.Rig, w.lens, w.scale, q)
		m.View = &v
	}
	return m
}

func (w *watcher) load(ctx context.Context, version int64) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	d, _, err := w.s.desk(ctx, w.shot, w.pass)
	if err != nil { // keep what was known; the rig's state goes on
		w.trouble, w.retry = "The database cannot be reached; the last known plan is shown.", time.Now().Add(time.Second)
		return
	}
	sh, err := w.s.store.Shot(ctx, w.shot)
	if err == nil {
		w.scale, err = sh.Lens.Scale()
		w.lens = sh.Lens
	}
	if err == nil {
		w.desk, w.seen, w.trouble = d, version, ""
	}
}

// holdWord is one word of the holding page.
type holdWord struct {
	Press   bool  `json:"press,omitempty"`
	Beat    int64 `json:"beat,omitempty"`
	Release bool  `json:"release,omitempty"`
}

// What a word says; anything else says nothing and keeps nothing rolling.
const (
	nothing = iota
	pressed
	released
	beaten
)

// heldWord reads a word. One that says several things lets go.
func heldWord(raw []byte) int {
	var m holdWord
	switch {
	case json.Unmarshal(raw, &m) != nil:
		return nothing
	case m.Release:
		return released
	case m.Press:
		return pressed
	case m.Beat > 0:
		return beaten
	}
	return nothing
}

// holdSays answers it.
type holdSays struct {
	Rolling string        `json:"rolling,omitempty"`
	Refused string        `json:"refused,omitempty"`
	Ended   *journal.Take `json:"ended,omitempty"`
}

// hold is the operator's hold, on a socket of its own: press, then a beat every
// 50 ms from the page's main thread, passed on and never made here. When the
// socket goes, the hold is let go.
func (s *Server) hold(w http.ResponseWriter, r *http.Request) {
	shot, pass := r.URL.Query().Get("shot"), r.URL.Query().Get("pass")
	who := s.quietWho(r)
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	defer c.CloseNow()
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	h := &holding{s: s, c: c, who: who, shot: shot, pass: pass}
	defer h.letGo()
	for {
		_, raw, err := c.Read(ctx)
		if err != nil {
			return
		}
		switch heldWord(raw) {
		case pressed:
			h.press(ctx)
		case released:
			h.letGo()
		case beaten:
			h.beat()
		}
	}
}

// holding is one socket's hold. press runs apart from the reading of beats.
type holding struct {
	s               *Server
	c               *websocket.Conn
	who, shot, pass string
	last            atomic.Int64 // unix ms of the last beat; 0: let go
	hold            atomic.Pointer[stage.Hold]
	busy            atomic.Bool
}

func (h *holding) press(ctx context.Context) {
	if !h.busy.CompareAndSwap(false, true) {
		return
	}
	h.last.Store(time.Now().UnixMilli())
	go func() { // ends with the take or the socket
		defer h.busy.Store(false)
		say := func(m holdSays) {
			out, cancel := context.WithTimeout(ctx, 2*time.Second)
			defer cancel()
			_ = wsjson.Write(out, h.c, m)
		}
		t, err := h.roll(ctx, say)
		switch {
		case err != nil:
			say(holdSays{Refused: err.Error()})
		case t != nil:
			h.s.changed(h.shot)
			say(holdSays{Ended: t})
		}
	}()
}

func (h *holding) roll(ctx context.Context, say func(holdSays)) (*journal.Take, error) {
	p, d, err := h.s.passFor(ctx, h.shot, h.pass)
	if d != nil {
		if r := stage.Readiness(h.s.floor.Now(), d); !r.OK {
			return nil, errors.New(r.Sentence)
		}
	}
	if err != nil {
		return nil, err
	}
	alive := func() bool { return time.Now().UnixMilli()-h.last.Load() < link.SilenceMS }
	hold, err := h.s.floor.Press(ctx, h.who, h.shot, p, alive)
	if err != nil {
		return nil, err
	}
	h.hold.Store(hold)
	if h.last.Load() == 0 {
		hold.Release()
	}
	say(holdSays{Rolling: hold.Take().ID})
	<-hold.Done()
	h.hold.Store(nil)
	return hold.Take(), nil
}

func (h *holding) beat() {
	if h.last.Load() == 0 {
		return // a beat after letting go is not a press
	}
	h.last.Store(time.Now().UnixMilli())
	if hold := h.hold.Load(); hold != nil {
		_ = hold.Beat()
	}
}

func (h *holding) letGo() {
	h.last.Store(0)
	if hold := h.hold.Load(); hold != nil {
		hold.Release()
	}
}
