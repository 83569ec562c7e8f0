package web

import (
	"context"
	"encoding/json"
	"net/http"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/stage"
)

// jogWord is one word of a page that jogs an axis while something is held.
type jogWord struct {
	Axis    string   `json:"axis,omitempty" doc:"with press: the machine's own name of it"`
	Way     int      `json:"way,omitempty" doc:"with press: 1 or -1"`
	Share   float64  `json:"share,omitempty" doc:"with press: of its full speed; none: all"`
	Until   *float64 `json:"until,omitempty" doc:"with press: as far as here, in the axis's unit"`
	Press   bool     `json:"press,omitempty"`
	Beat    int64    `json:"beat,omitempty"`
	Release bool     `json:"release,omitempty"`
}

// jogSays answers it.
type jogSays struct {
	Refused string `json:"refused,omitempty"`
}

// jog is the hold of a jog, on a socket of its own, with the hold's own rules: a fresh
// press each time, beats from the page's main thread, passed on and never made here. When
// the socket goes, it is let go.
func (s *Server) jog(w http.ResponseWriter, r *http.Request) {
	who := s.quietWho(r)
	f, err := s.floors.Of(r.URL.Query().Get("machine"))
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
	// Words are carried out apart from their reading, the newest beat only.
	var wg sync.WaitGroup
	defer wg.Wait()
	words := make(chan jogWord, 16)
	defer close(words)
	wg.Go(func() {
		var j *stage.Jog
		let := func() {
			if j != nil {
				j.Release()
				j = nil
			}
		}
		defer let()
		for m := range words {
			switch {
			case m.Release:
				let()
			case m.Press && j == nil:
				if err = s.undisturbed(); err == nil {
					j, err = f.BeginJog(ctx, who, m.Axis, m.Way, m.Share, m.Until)
				}
				if err != nil {
					j = nil
					out, done := context.WithTimeout(ctx, time.Second)
					_ = wsjson.Write(out, c, jogSays{Refused: err.Error()})
					done()
				}
			case m.Beat > 0 && j != nil:
				if j.Beat(ctx) != nil {
					let()
				}
			}
		}
	})
	for {
		_, raw, err := c.Read(ctx)
		if err != nil {
			return
		}
		var m jogWord
		if json.Unmarshal(raw, &m) != nil {
			continue
		}
		select {
		case words <- m:
		default: // nobody carries them out: the rig slows down by itself
		}
	}
}
