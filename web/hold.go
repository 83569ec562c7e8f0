package web

import (
	"context"
	"encoding/json"
	"net/http"
	"sync"
	"time"

	"github.com/coder/websocket"

	"keenarc/journal"
	"keenarc/stage/act"
	"keenarc/stage/machine"
)

// holdWord is one word of the holding page.
type holdWord struct {
	Press   string `json:"press,omitempty" doc:"the name of the press: each has another; alone it begins one"`
	Beat    int64  `json:"beat,omitempty" doc:"a sign of life of that press"`
	Release bool   `json:"release,omitempty"`
	// At is when the page said it, in milliseconds by its own clock: what comes much later than
	// others is no sign of life, and no fresh press.
	At float64 `json:"at,omitempty"`
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
func heldWord(raw []byte) (m holdWord, says int) {
	switch {
	case json.Unmarshal(raw, &m) != nil:
		return m, nothing
	case m.Release:
		return m, released
	case m.Steer != nil:
		return m, steered
	case m.Beat > 0:
		return m, beaten
	case m.Press != "":
		return m, pressed
	}
	return m, nothing
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

// holder is one page's hold of a pass.
type holder struct {
	*heldLine
	s     *Server
	by    machine.Owner
	which string // the machine, as the page says it
	plan  plan
	shot  string
	mu    sync.Mutex
	rolls *act.Hold
}

// hold is the operator's hold, on a socket of its own.
func (s *Server) hold(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	shot, pass, page := q.Get("shot"), q.Get("pass"), q.Get("page")
	who := s.quietWho(r)
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	defer c.CloseNow()
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	h := &holder{heldLine: newHeldLine(c), s: s, shot: shot, which: q.Get("machine"), plan: s.plans.open(shot, pass),
		by: machine.Owner{Who: who, Page: page}}
	defer h.close()
	defer cancel()
	h.wg.Go(func() { h.plan.keep(ctx) })
	h.wg.Go(func() {
		id := h.which
		if id == "" {
			id, _ = h.plan.machine(ctx)
		}
		if m, err := s.floor.Of(id); err == nil {
			h.on(m)
		}
	})
	for {
		_, raw, err := c.Read(ctx)
		if err != nil {
			return
		}
		m, says := heldWord(raw)
		late := h.quick.late(m.At, time.Now())
		switch says {
		case pressed: // carried out beside the reading of its beats
			a := s.conductor.Arbiter.Pressed(h.by, shot, late) // before anything is waited for
			if !h.press(ctx, a, m.Press, h.roll) {
				h.say(ctx, holdSays{Refused: "The last press is still being carried out. Let go, and press again."})
			}
		case released:
			h.letGo()
		case beaten:
			h.beat(m.Press, late)
		case steered:
			h.steer(ctx, m)
		}
	}
}

// roll rolls the pass until its take is over.
func (h *holder) roll(ctx context.Context, p pressing) {
	id, err := h.which, error(nil)
	if id == "" {
		look, done := context.WithDeadline(ctx, p.Due)
		id, err = h.plan.machine(look)
		done()
	}
	var t *act.Hold
	if err == nil {
		t, err = h.s.conductor.Roll(ctx, p.Press, id, p.name, h.plan.rolling, p.held)
	}
	if err != nil {
		h.say(ctx, holdSays{Refused: sentence(err)})
		return
	}
	h.mu.Lock()
	h.rolls = t
	h.mu.Unlock()
	h.keeps(p.name, t)
	h.say(ctx, holdSays{Rolling: t.Take().ID})
	<-t.Done()
	h.mu.Lock()
	h.rolls = nil
	h.mu.Unlock()
	h.s.changed(h.shot)
	h.say(ctx, holdSays{Ended: t.Take()})
}

// steer changes the speed of a live clock while it is held: not a sign of life by itself.
func (h *holder) steer(ctx context.Context, m holdWord) {
	h.mu.Lock()
	t := h.rolls
	h.mu.Unlock()
	if t == nil || m.Press != "" && !h.holds(m.Press) {
		return
	}
	h.wg.Go(func() { // apart from the reading of beats
		says := holdSays{Steered: m.Steer}
		if err := t.Steer(ctx, m.Steer.Num, m.Steer.Den); err != nil {
			says = holdSays{Unsteered: err.Error()}
		}
		h.say(ctx, says)
	})
}
