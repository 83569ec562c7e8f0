package web

import (
	"context"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/exchange"
	"keenarc/store"
)

// picture answers with a picture that never changes.
func (s *Server) picture(load func(ctx context.Context, hash string) ([]byte, error)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		b, err := load(r.Context(), chi.URLParam(r, "hash"))
		if err != nil {
			problem(w, s.fail(err))
			return
		}
		w.Header().Set("Content-Type", "image/png")
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		_, _ = w.Write(b)
	}
}

// look answers with the camera's picture as it is now.
func (s *Server) look(w http.ResponseWriter, r *http.Request) {
	width, err := strconv.Atoi(r.URL.Query().Get("width"))
	if k := s.shooting.Now().Camera; err == nil && k.Connected {
		width = min(width, k.Camera.WidthPx)
	}
	if err != nil || width < 16 || width > 4096 {
		problem(w, blame("width", r.URL.Query().Get("width")+" is no width of a picture", "give 16 to 4096 pixels"))
		return
	}
	b, err := s.eye.Look(r.Context(), width)
	if err != nil {
		problem(w, newProblem(http.StatusServiceUnavailable, "The camera gives no picture: "+err.Error()+"."))
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(b)
}

func (s *Server) pretendCamera(ctx context.Context, in *struct {
	Body struct {
		What string `json:"what" enum:"late,twice,broken,silent,full,upright"`
		On   bool   `json:"on"`
	}
}) (*body[done], error) {
	if k := s.eye.Now().Camera; k == nil || !k.StandIn {
		return nil, conflict("There is no stand-in camera: what happens to a real one really happens.")
	}
	return said("Done."), s.refused(s.eye.Pretend(ctx, in.Body.What, in.Body.On))
}

// framesZip writes a shoot's pictures out, numbered per layer, with their poses and times.
func (s *Server) framesZip(w http.ResponseWriter, r *http.Request) {
	ctx := r.Context()
	b, err := s.bench(ctx, chi.URLParam(r, "id"))
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	sh, err := s.store.Shot(ctx, b.Shot)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	rows, axes, err := s.frameRows(ctx, b.Shot, sh)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	if len(rows) == 0 {
		problem(w, conflict("Nothing was taken yet: there is no picture to write out."))
		return
	}
	attach(w, exchange.FileName(sh.Code)+"-frames.zip")
	if err := exchange.WriteFrames(w, sh.Code, axes, rows, func(hash string) ([]byte, error) {
		return s.store.Picture(ctx, hash)
	}); err != nil {
		s.log.Error("pictures were not written out whole", "shot", b.Shot, "err", err)
		panic(http.ErrAbortHandler) // so that nobody takes what is half for whole
	}
}

// frameRows are the pictures that stand, by layer and frame.
func (s *Server) frameRows(ctx context.Context, shot string, sh *store.Shot) (rows []exchange.FrameRow, axes []string,
	err error) {
	h, err := s.store.Shoot(ctx, shot)
	if err != nil {
		return nil, nil, err
	}
	seals, err := s.store.Seals(ctx, shot)
	if err != nil {
		return nil, nil, err
	}
	short, tables := map[string]string{}, map[string]trace.Sealed{}
	for _, x := range seals {
		short[x.ID] = x.Short
	}
	for _, a := range sh.Rig.Axes {
		axes = append(axes, a.ID)
	}
	spent := map[int]weave.Spent{}
	for _, x := range h.Spent {
		spent[x.Frame] = x
	}
	board, frames := h.Board(), h.Scheme.Frames()
	for _, l := range h.Scheme.Layers {
		for i, f := range frames {
			e := board.Stands(weave.Cell{Frame: f, Layer: l.ID})
			if e == nil || f < l.From || f >= l.To {
				continue
			}
			for k := range h.Exposures {
				x := &h.Exposures[k]
				if x.ID != e.ID {
					continue
				}
				if _, ok := tables[x.Seal]; !ok {
					t, err := s.store.Table(ctx, x.Seal)
					if err != nil {
						return nil, nil, err
					}
					tables[x.Seal] = trace.Sealed{Table: t}
				}
				until := h.Scheme.Last
				if i+1 < len(frames) {
					until = frames[i+1]
				}
				row := exchange.FrameRow{Frame: f, Until: min(until, l.To), Layer: l.Name, Exposure: x.Number,
					Picture: x.Picture, Path: short[x.Seal], Taken: x.AskedAt, Hands: spent[f].Hands,
					Machine: spent[f].Machine}
				planned := make([]float64, len(axes))
				if tables[x.Seal].AtFrame(planned, f) {
					row.Planned = planned
				}
				for _, a := range axes {
					row.Seen = append(row.Seen, x.Pose[a])
				}
				rows = append(rows, row)
			}
		}
	}
	return rows, axes, nil
}
