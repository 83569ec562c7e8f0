package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
	"keenarc/store"
)

func (s *Server) frameRoutes(r chi.Router, api huma.API) {
	huma.Register(api, op("frames", http.MethodGet, "/api/shots/{id}/frames", "A shoot that is taken frame by frame"),
		func(ctx context.Context, in *shotID) (*body[*FramesView], error) {
			return s.framesBody(ctx, in.ID, nil)
		})
	huma.Register(api, op("begin-frames", http.MethodPost, "/api/shots/{id}/frames", "Take a shot frame by frame"),
		s.beginFrames)
	huma.Register(api, op("next", http.MethodPost, "/api/shots/{id}/frames/next",
		"The next press: expose what is wanted here and go on, or go to the pose"), s.next)
	huma.Register(api, op("frame-command", http.MethodPost, "/api/shots/{id}/frames/commands",
		"Once more, back to, step over"), s.frameCommand)
	huma.Register(api, op("frame-undo", http.MethodPost, "/api/shots/{id}/frames/undo",
		"Take the last command back, where nothing was exposed since"), s.frameUndo)
	huma.Register(api, op("frame-answer", http.MethodPost, "/api/shots/{id}/frames/answers",
		"Say whether an uncertain exposure counts"), s.frameAnswer)
	huma.Register(api, op("frame-path", http.MethodPost, "/api/shots/{id}/frames/path",
		"Go on with the newer sealed path, or stay on the old one"), s.framePath)
	huma.Register(api, op("frame-scheme", http.MethodPatch, "/api/shots/{id}/frames/scheme",
		"Change layers, frames and holds, field by field; asked about where pictures lie"), s.amendScheme)
	huma.Register(api, op("frame-note", http.MethodPut, "/api/shots/{id}/frames/notes/{frame}",
		"A note for the hands at a frame"), s.frameNote)
	huma.Register(api, op("pretend-camera", http.MethodPost, "/api/camera/pretend",
		"Tell a stand-in camera what goes wrong"), s.pretendCamera)
	r.Get("/api/shots/{id}/frames.zip", s.framesZip)
	r.Get("/api/pictures/{hash}", s.picture(func(ctx context.Context, h string) ([]byte, error) {
		return s.store.Picture(ctx, h)
	}))
	r.Get("/api/thumbnails/{hash}", s.picture(func(ctx context.Context, h string) ([]byte, error) {
		return s.store.Thumbnail(ctx, h)
	}))
	r.Get("/api/camera/look", s.look)
}

func (s *Server) framesBody(ctx context.Context, shot string, err error) (*body[*FramesView], error) {
	if err != nil {
		return nil, s.fail(err)
	}
	version := s.version(shot)
	b, err := s.bench(ctx, shot)
	if err != nil {
		return nil, s.fail(err)
	}
	v, err := s.frames(ctx, b, version)
	return &body[*FramesView]{v}, s.fail(err)
}

// bench is what shooting frame by frame needs to know of a shot.
func (s *Server) bench(ctx context.Context, shot string) (*ready.Bench, error) {
	h, err := s.store.Shoot(ctx, shot)
	if err != nil {
		return nil, err
	}
	d, x, err := s.desk(ctx, shot, "")
	if err != nil {
		return nil, err
	}
	sh, err := s.store.Shot(ctx, shot)
	if err != nil {
		return nil, err
	}
	b := &ready.Bench{Shot: shot, Desk: d, Shoot: h}
	if b.Judge, err = trace.NewJudge(sh.Rig, sh.Lens, trace.Scene{Subject: sh.Set.Subject, Near: sh.Set.Near,
		Far: sh.Set.Far}); err != nil {
		return nil, err
	}
	newest := d.Table
	if x != nil && x.Revision >= 0 {
		b.SealID = x.ID
	}
	if h.Seal != "" && h.Seal != b.SealID {
		seals, err := s.store.Seals(ctx, shot)
		if err != nil {
			return nil, err
		}
		old := slices.IndexFunc(seals, func(y store.Seal) bool { return y.ID == h.Seal })
		if d.Table = nil; old >= 0 && seals[old].Revision >= 0 {
			if d.Table, err = s.store.Table(ctx, h.Seal); err != nil {
				return nil, err
			}
		}
		if b.SealID != "" && d.Sealed && h.Declined != b.SealID && !(old >= 0 && seals[old].Same(x)) {
			b.Newer = x.Version
			if d.Table == nil { // the old one is void: the rig is another version now
				d.Table = newest
			}
		}
	}
	d.LineUp = lineUpNote(d, d.Table, 0, false)
	if cell, ok := h.Board().Now(h.Turn); ok && b.Newer > 0 {
		b.NewerPx = apart(b, d, newest, cell.Frame)
	}
	return b, nil
}

func (s *Server) next(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Confirmed bool        `json:"confirmed,omitempty" doc:"the move that was asked about may be made"`
		Cell      *weave.Cell `json:"cell,omitempty" doc:"what was seen to come next; where something else does by now, nothing is done"`
	}
}) (*body[struct {
	Question *act.Question `json:"question,omitempty"`
}], error) {
	a := s.asked(ctx, in.ID)
	id, err := s.carrier(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	q, err := s.shooting.Next(ctx, a, act.Wanted{Machine: id, Seen: in.Body.Cell, Confirmed: in.Body.Confirmed,
		Load: func(ctx context.Context) (*ready.Bench, error) { return s.bench(ctx, in.ID) }})
	switch {
	case errors.Is(err, journal.ErrElse):
		return nil, conflict(capital(err.Error()) + ".")
	case err != nil:
		return nil, s.refusedOr(plainly(err))
	}
	out := &body[struct {
		Question *act.Question `json:"question,omitempty"`
	}]{}
	out.Body.Question = q
	return out, nil
}

// carrier is the machine that carries a shot's camera, by its rig's id.
func (s *Server) carrier(ctx context.Context, shot string) (string, error) {
	sh, err := s.store.Shot(ctx, shot)
	if err != nil {
		return "", err
	}
	if m := withCamera(sh); m != nil {
		return m.Rig.ID, nil
	}
	return "", conflict("No machine of this shot carries a camera.")
}

// onShoot changes what a shoot's next press decides on, while no press is carried out.
func (s *Server) onShoot(ctx context.Context, shot string, f func() error) error {
	return s.conductor.Edit(s.asked(ctx, shot), "the shoot is changed", f, act.Frames, machine.Claim{Shoot: shot})
}

// plainly leaves "not allowed" out of a sentence for people.
func plainly(err error) error {
	if errors.Is(err, act.ErrNotAllowed) {
		if rest := errors.Unwrap(err); rest == act.ErrNotAllowed {
			return errors.New(capital(err.Error()[len(act.ErrNotAllowed.Error())+2:]))
		}
	}
	return err
}

func (s *Server) frameCommand(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body weave.Command
}) (*body[*FramesView], error) {
	c := in.Body
	err := s.onShoot(ctx, in.ID, func() error {
		return s.store.Turn(ctx, s.who(ctx), in.ID, c.Op, func(h *journal.Shoot) (weave.Turn, error) {
			var last *weave.Cell
			if l := h.Last(); l != nil {
				last = &l.Cell
			}
			return h.Board().Do(h.Turn, c, last)
		})
	})
	if err != nil {
		return nil, s.refusedOr(err)
	}
	text := map[string]string{weave.OnceMore: "The last frame is to be taken once more.",
		weave.BackTo:   fmt.Sprintf("Back to frame %s.", frame4(c.Frame)),
		weave.StepOver: "A frame was stepped over."}[c.Op]
	s.note(ctx, in.ID, "frames", text, nil)
	s.changed(in.ID)
	return s.framesBody(ctx, in.ID, nil)
}

func (s *Server) frameUndo(ctx context.Context, in *shotID) (*body[*FramesView], error) {
	words := ""
	err := s.onShoot(ctx, in.ID, func() (err error) {
		words, err = s.store.UndoTurn(ctx, s.who(ctx), in.ID)
		return err
	})
	if errors.Is(err, store.ErrNothingBack) {
		return nil, conflict(capital(err.Error()) + ".")
	}
	if err == nil {
		s.note(ctx, in.ID, "frames", "Taken back: "+words+".", nil)
		s.changed(in.ID)
	}
	return s.framesBody(ctx, in.ID, busyOr(err))
}

func (s *Server) frameAnswer(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Exposure string `json:"exposure" format:"uuid"`
		Counts   bool   `json:"counts" doc:"the picture counts as taken"`
	}
}) (*body[*FramesView], error) {
	var e *journal.Exposure
	fate, text := weave.Denied, "does not count"
	if in.Body.Counts {
		fate, text = weave.Kept, "counts as taken"
	}
	err := s.onShoot(ctx, in.ID, func() (err error) { // nothing of it goes on meanwhile
		if e, err = s.store.Exposed(ctx, in.Body.Exposure); errors.Is(err, journal.ErrUnknown) || err == nil &&
			e.Shot != in.ID {
			return newProblem(http.StatusNotFound, "There is no such exposure in this shot.")
		}
		switch {
		case err != nil:
			return err
		case e.Fate != weave.Uncertain && e.Fate != weave.Asked:
			return conflict("That exposure is decided already.")
		case e.Fate == weave.Asked && !s.shooting.Drives(e.Machine):
			return conflict("Another copy of Keen Arc may be taking it at this moment. Answer there, or when that " +
				"has ended.")
		case e.Fate == weave.Asked && s.shooting.Now().Camera.Connected:
			s.shooting.Recover()
			return conflict("The camera is being asked what became of it. Answer when it has said so.")
		case in.Body.Counts && e.Picture == "":
			return blame("counts", "there is no picture of it here to count",
				"say that it does not count, and take the frame once more")
		}
		why := "answered by " + s.who(ctx).Name
		if e.Why != "" {
			why = e.Why + "; " + why
		}
		return s.store.Became(ctx, e.ID, fate, why)
	})
	if err != nil {
		return nil, s.refusedOr(err)
	}
	s.note(ctx, in.ID, "frames", fmt.Sprintf("Frame %s, exposure %d %s.", frame4(e.Frame), e.Number, text), nil)
	s.changed(in.ID)
	s.shooting.Recover() // its picture may still lie with the camera
	return s.framesBody(ctx, in.ID, nil)
}

func (s *Server) framePath(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Version int  `json:"version" doc:"of the newer path"`
		GoOn    bool `json:"go_on" doc:"with the newer path; else the old one stays"`
	}
}) (*body[*FramesView], error) {
	err := s.onShoot(ctx, in.ID, func() error {
		b, err := s.bench(ctx, in.ID)
		if err != nil {
			return err
		}
		if b.Newer != in.Body.Version || b.Newer == 0 {
			return conflict("There is no newer path of that number to decide about.")
		}
		text := fmt.Sprintf("The frames stay on their path; path %d is left.", b.Newer)
		if in.Body.GoOn {
			text = fmt.Sprintf("The frames go on with path %d; those taken keep theirs.", b.Newer)
			err = s.store.Pin(ctx, in.ID, b.SealID)
		} else {
			err = s.store.Decline(ctx, in.ID, b.SealID)
		}
		if err == nil {
			s.note(ctx, in.ID, "frames", text, nil)
			s.changed(in.ID)
		}
		return err
	})
	return s.framesBody(ctx, in.ID, busyOr(err))
}

func (s *Server) frameNote(ctx context.Context, in *struct {
	ID    string `path:"id" format:"uuid"`
	Frame int    `path:"frame"`
	Body  struct {
		Text string  `json:"text" maxLength:"500"`
		Seen *string `json:"seen,omitempty" doc:"the note as it was seen"`
	}
}) (*body[*FramesView], error) {
	h, err := s.store.Shoot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if in.Frame < h.Scheme.First || in.Frame >= h.Scheme.Last {
		return nil, blame("frame", frame4(in.Frame)+" is none of the shoot's",
			fmt.Sprintf("give %s to %s", frame4(h.Scheme.First), frame4(h.Scheme.Last-1)))
	}
	err = s.store.Note(ctx, in.ID, in.Frame, in.Body.Seen, in.Body.Text)
	if err == nil {
		s.changed(in.ID)
	}
	return s.framesBody(ctx, in.ID, err)
}
