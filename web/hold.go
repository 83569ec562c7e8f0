package web

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"sync/atomic"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage"
)

// holdWord is one word of the holding page.
type holdWord struct {
	Press   bool  `json:"press,omitempty"`
	Beat    int64 `json:"beat,omitempty"`
	Release bool  `json:"release,omitempty"`
	// Steer changes the speed of a live clock, to a factor of the path's rate.
	Steer *steerTo `json:"steer,omitempty"`
}

// steerTo is a factor of the path's rate, backward below zero.
type steerTo struct {
	Num int64 `json:"num"`
	Den int64 `json:"den"`
}

// What a word says; anything else says nothing and keeps nothing rolling.
const (
	nothing = iota
	pressed
	released
	beaten
	steered
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
	case m.Steer != nil:
		return steered
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
	// Steered is the speed that was taken; Unsteered why not.
	Steered   *steerTo `json:"steered,omitempty"`
	Unsteered string   `json:"unsteered,omitempty"`
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
		case steered:
			h.steer(ctx, raw)
		}
	}
}

// holding is one socket's hold. press runs apart from the reading of beats.
type holding struct {
	s          *Server
	c          *websocket.Conn
	who        journal.Person
	shot, pass string
	last       atomic.Int64 // unix ms of the last beat; 0: let go
	hold       atomic.Pointer[stage.Hold]
	busy       atomic.Bool
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
		if r := stage.Readiness(stage.Gather(d.Machines, h.s.floors.Now()), d); !r.OK {
			return nil, errors.New(r.Sentence)
		}
	}
	if err != nil {
		return nil, err
	}
	if err := h.s.undisturbed(); err != nil {
		return nil, err
	}
	alive := func() bool { return time.Now().UnixMilli()-h.last.Load() < link.SilenceMS }
	floor, err := h.s.floors.Of(d.Machines[0].Rig.ID)
	if err != nil {
		return nil, err
	}
	hold, err := floor.Press(ctx, h.who, h.shot, p, alive)
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

// steer changes the speed of a live clock while it is held: not a sign of life by itself.
func (h *holding) steer(ctx context.Context, raw []byte) {
	var m holdWord
	hold := h.hold.Load()
	if json.Unmarshal(raw, &m) != nil || m.Steer == nil || hold == nil || h.last.Load() == 0 {
		return
	}
	go func() { // apart from the reading of beats; ends within two seconds
		ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
		defer cancel()
		says := holdSays{Steered: m.Steer}
		if err := hold.Steer(ctx, m.Steer.Num, m.Steer.Den); err != nil {
			says = holdSays{Unsteered: err.Error()}
		}
		_ = wsjson.Write(ctx, h.c, says)
	}()
}

func (h *holding) letGo() {
	h.last.Store(0)
	if hold := h.hold.Load(); hold != nil {
		hold.Release()
	}
}
