package web

import (
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
	patience := time.NewTimer(calcPatience)
	defer patience.Stop()
	select {
	case s.calculating <- struct{}{}:
		defer func() { <-s.calculating }()
	case <-r.Context().Done():
		return
	case <-patience.C:
		w.Header().Set("Retry-After", "1")
		w.WriteHeader(http.StatusTooManyRequests)
		_, _ = w.Write(calc.Busy())
		return
	}
	until := time.Now().Add(calcTime)
	c := http.NewResponseController(w)
	_, _ = c.SetReadDeadline(until), c.SetWriteDeadline(until)
	defer func() { _ = c.SetWriteDeadline(time.Time{}) }() // the connection may serve others yet
	in, err := io.ReadAll(io.LimitReader(r.Body, int64(calc.Web.RequestBytes)+1))
	if err != nil {
		return
	}
	answer, status := calc.Prepare(chi.URLParam(r, "name"), in, calc.Web)
	switch status {
	case calc.BadRequest:
		w.WriteHeader(http.StatusUnprocessableEntity)
	case calc.Unknown:
		w.WriteHeader(http.StatusNotFound)
	}
	if err := answer.Write(r.Context(), w); err != nil {
		s.log.Debug("calculation not written to its end", "err", err) // the client went, or is too slow
	}
}

func (s *Server) calcList(w http.ResponseWriter, _ *http.Request) {
	list := []map[string]string{}
	for _, e := range calc.List() {
		list = append(list, map[string]string{"name": e.Name, "doc": e.Doc})
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(list)
}
