package web

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"keenarc/calc"
)

func (s *Server) calcRoutes(r chi.Router) {
	r.With(httprate.LimitBy(6000, time.Minute, httprate.Key("*"))).Post("/api/calc/{name}", s.calc)
	r.Get("/api/calc", s.calcList)
}

// calcPatience is how long a calculation waits for its turn.
const calcPatience = time.Second

// calcTime is how long a calculation may take to be read and written.
const calcTime = 30 * time.Second

// calc answers a calculation with exactly the bytes of the command line, within
// narrower bounds, a few at a time: the same machine may be holding a rig.
func (s *Server) calc(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	c := http.NewResponseController(w)
	_ = c.SetReadDeadline(time.Now().Add(calcTime))
	in, err := io.ReadAll(io.LimitReader(r.Body, int64(calc.Web.RequestBytes)+1)) // before it takes a place
	if err != nil {
		return
	}
	patience, cancel := context.WithTimeout(r.Context(), calcPatience)
	t, err := s.computing.enter(patience, "", "a calculation", mostQueued)
	cancel()
	if err != nil {
		if r.Context().Err() == nil {
			w.Header().Set("Retry-After", "1")
			w.WriteHeader(http.StatusTooManyRequests)
			_, _ = w.Write(calc.Busy())
		}
		return
	}
	defer s.computing.leave(t)
	defer func() { _ = c.SetWriteDeadline(time.Time{}) }() // the connection may serve others yet
	answer, status := calc.Prepare(r.Context(), chi.URLParam(r, "name"), in, calc.Web)
	switch status {
	case calc.BadRequest:
		w.WriteHeader(http.StatusUnprocessableEntity)
	case calc.Unknown:
		w.WriteHeader(http.StatusNotFound)
	}
	if err := answer.Write(r.Context(), &brisk{w, c, time.Now().Add(calcTime)}); err != nil {
		s.log.Debug("calculation not written to its end", "err", err) // the client went, or is too slow
	}
}

// brisk is a writer that whoever stops reading loses: a place is not held for them.
type brisk struct {
	http.ResponseWriter
	c     *http.ResponseController
	until time.Time
}

// calcStall is how long a part of an answer may wait to be read.
const calcStall = 2 * time.Second

func (b *brisk) Write(p []byte) (int, error) {
	by := time.Now().Add(calcStall)
	if by.After(b.until) {
		by = b.until
	}
	_ = b.c.SetWriteDeadline(by)
	return b.ResponseWriter.Write(p)
}

func (s *Server) calcList(w http.ResponseWriter, _ *http.Request) {
	list := []map[string]string{}
	for _, e := range calc.List() {
		list = append(list, map[string]string{"name": e.Name, "doc": e.Doc})
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(list)
}
