package web

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"github.com/coder/websocket"

	"keenarc/stage/act"
	"keenarc/stage/machine"
)

// jogWord is one word of a page that jogs an axis while something is held.
type jogWord struct {
	Press   string   `json:"press,omitempty" doc:"the name of the press: each has another; with an axis it begins one"`
	Axis    string   `json:"axis,omitempty" doc:"the machine's own name of it"`
	Way     int      `json:"way,omitempty" doc:"1 or -1"`
	Share   float64  `json:"share,omitempty" doc:"of its full speed; none: all"`
	Until   *float64 `json:"until,omitempty" doc:"as far as here, in the axis's unit"`
	Beat    int64    `json:"beat,omitempty" doc:"a sign of life of that press"`
	Release bool     `json:"release,omitempty"`
	At      float64  `json:"at,omitempty" doc:"when the page said it, in milliseconds by its own clock"`
}

// jogSays answers it.
type jogSays struct {
	Refused string `json:"refused,omitempty"`
	// Ended says why what was held is over, where it was not let go.
	Ended string `json:"ended,omitempty"`
}

// jogging is a jog as what a press keeps going.
type jogging struct {
	*act.Jog
	ctx context.Context
}

func (j jogging) Beat() error { return j.Jog.Beat(j.ctx) }

// jog is the hold of a jog, on a socket of its own.
func (s *Server) jog(w http.ResponseWriter, r *http.Request) {
	id, page := r.URL.Query().Get("machine"), r.URL.Query().Get("page")
	who := s.quietWho(r)
	its, err := s.floor.Of(id)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	defer c.CloseNow()
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	h := newHeldLine(c)
	h.on(its)
	defer h.close()
	for {
		_, raw, err := c.Read(ctx)
		if err != nil {
			return
		}
		var m jogWord
		if json.Unmarshal(raw, &m) != nil {
			continue
		}
		late := h.quick.late(m.At, time.Now())
		switch {
		case m.Release:
			h.letGo()
		case m.Beat > 0:
			h.beat(m.Press, late)
		case m.Press != "":
			a := s.conductor.Arbiter.Pressed(machine.Owner{Who: who, Page: page}, "",
				late) // before anything is waited for
			if !h.press(ctx, a, m.Press, func(ctx context.Context, p pressing) { s.jogHeld(ctx, h, p, id, m) }) {
				h.say(ctx, jogSays{Refused: "The last press is still being carried out. Let go, and press again."})
			}
		}
	}
}

// jogHeld jogs until the press ends.
func (s *Server) jogHeld(ctx context.Context, h *heldLine, p pressing, id string, m jogWord) {
	j, err := s.conductor.Jog(ctx, p.Press, id, p.name, act.Jogging{Axis: m.Axis, Way: m.Way, Share: m.Share,
		Until: m.Until, Held: p.held})
	if err != nil {
		h.say(ctx, jogSays{Refused: sentence(err)})
		return
	}
	if !p.held() {
		j.Release()
		return
	}
	h.keeps(p.name, jogging{j, ctx})
	select {
	case <-j.Halted():
		h.say(ctx, jogSays{Ended: sentence(j.Why())})
	case <-j.Over():
	}
}
