package web

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/stage"
	"keenarc/store"
)

// planned is a shot with its newest plan and how it moves.
type planned struct {
	shot   *store.Shot
	draft  *store.Draft
	scale  *lens.Scale
	motion *path.Motion
}

// newest loads a shot and its newest plan.
func (s *Server) newest(ctx context.Context, id string) (*store.Shot, *store.Draft, error) {
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	d, err := s.store.Draft(ctx, id)
	return sh, d, err
}

// moving loads a shot's newest plan; on an empty sheet there is no motion and an error.
func (s *Server) moving(ctx context.Context, id string) (*planned, error) {
	sh, d, err := s.newest(ctx, id)
	if err != nil {
		return nil, err
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, err
	}
	m, err := path.Compile(d.Path, sh.Rig)
	return &planned{sh, d, scale, m}, err
}

func (s *Server) planRoutes(r chi.Router, api huma.API) {
	huma.Register(api, op("edit", http.MethodPost, "/api/shots/{id}/edits", "One edit of the path"), s.edit)
	huma.Register(api, op("undo", http.MethodPost, "/api/shots/{id}/undo", "Take the last edit back"),
		func(ctx context.Context, in *revision) (*body[*ShotView], error) {
			d, err := s.store.Undo(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing))
			return s.afterEdit(ctx, in.ID, d, err)
		})
	huma.Register(api, op("redo", http.MethodPost, "/api/shots/{id}/redo", "Do it again"),
		func(ctx context.Context, in *revision) (*body[*ShotView], error) {
			d, err := s.store.Redo(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing))
			return s.afterEdit(ctx, in.ID, d, err)
		})
	huma.Register(api, op("resume", http.MethodPost, "/api/shots/{id}/resume", "Back to the sealed path"), s.resume)
	huma.Register(api, op("proof", http.MethodGet, "/api/shots/{id}/proof", "Braking and focus over the whole plan"),
		s.proof)
	huma.Register(api, op("runs", http.MethodGet, "/api/shots/{id}/runs",
		"The least run-up and run-out within the limits, and a quiet run-out"), s.runs)
	huma.Register(api, op("remedies", http.MethodGet, "/api/shots/{id}/remedies",
		"What else would bring the plan within its limits: softer easings, the whole move timed anew"), s.remedies)
	huma.Register(api, op("stretch", http.MethodGet, "/api/shots/{id}/plot", "A part of the move, drawn finer"),
		s.stretch)
	huma.Register(api, op("changes", http.MethodGet, "/api/shots/{id}/changes",
		"How much the move changes from frame to frame, by axis and in the picture"), s.changes)
	huma.Register(api, op("seal", http.MethodPost, "/api/shots/{id}/seal", "Seal the path as it stands"), s.seal)
	huma.Register(api, op("seals", http.MethodGet, "/api/shots/{id}/seals", "All seals, newest first"),
		func(ctx context.Context, in *shotID) (*body[[]store.Seal], error) {
			v, err := s.store.Seals(ctx, in.ID)
			return &body[[]store.Seal]{v}, s.fail(err)
		})
	huma.Register(api, op("pose", http.MethodPost, "/api/shots/{id}/pose", "Where the camera would be"), s.pose)
	huma.Register(api, op("pose-at", http.MethodGet, "/api/shots/{id}/pose", "The plan's pose at any frame"), s.poseAt)
	samples := op("add-samples", http.MethodPost, "/api/samples",
		"Keep the samples of a hand-made take; an edit then points an axis to them")
	samples.MaxBodyBytes = 32 << 20 // 1,080,000 numbers with all their digits
	huma.Register(api, samples, s.addSamples)
	r.Post("/api/shots/{id}/keys", s.upload)
	r.Get("/api/shots/{id}/path.csv", s.pathCSV)
	r.Get("/api/shots/{id}/sealed.table", s.sealedTable)
}

// addSamples keeps samples and says what they are called.
func (s *Server) addSamples(ctx context.Context, in *struct {
	Body struct {
		Values []float64 `json:"values" minItems:"2" maxItems:"1080000"`
	}
}) (*body[samplesRef], error) {
	hash, err := s.store.AddSamples(ctx, in.Body.Values)
	return &body[samplesRef]{samplesRef{hash, len(in.Body.Values)}}, s.fail(err)
}

type samplesRef struct {
	Samples string `json:"samples" doc:"the samples' hash"`
	Count   int    `json:"count"`
}

// MoreRemedies are for the plan of a revision.
type MoreRemedies struct {
	Revision int64          `json:"revision"`
	Remedies []limit.Remedy `json:"remedies"`
}

func (s *Server) remedies(ctx context.Context, in *shotID) (*body[*MoreRemedies], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Draft(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	out := &MoreRemedies{Revision: d.Revision, Remedies: []limit.Remedy{}}
	if _, _, ok := d.Path.Span(); !ok {
		return &body[*MoreRemedies]{out}, nil
	}
	if err := s.compute(ctx, in.ID, "other remedies", func(ctx context.Context) (err error) {
		out.Remedies, err = limit.More(ctx, d.Path, sh.Rig)
		return err
	}); err != nil {
		return nil, s.fail(err)
	}
	return &body[*MoreRemedies]{out}, nil
}

func (s *Server) edit(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Revision int64     `json:"revision"`
		Edit     path.Edit `json:"edit"`
		Doing
	}
}) (*body[*ShotView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	d, err := s.store.Edit(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing), sh.Rig, in.Body.Edit)
	return s.afterEdit(ctx, in.ID, d, err)
}

func (s *Server) afterEdit(ctx context.Context, id string, d *store.Draft, err error) (*body[*ShotView], error) {
	if err != nil {
		return nil, s.fail(err)
	}
	version := s.version(id)
	newest, err := s.store.Revision(ctx, id)
	var sh *store.Shot
	if err == nil {
		sh, err = s.store.Shot(ctx, id)
	}
	if err == nil { // worked out before the watchers ask for it, too
		_, err = s.drawn(sh, d)
	}
	// The answer is of the version that it makes; where something else changed since the edit, of
	// the one before it, so that the page looks again.
	if now := s.changed(id); now == version+1 && newest == d.Revision {
		version = now
	}
	if err != nil {
		return nil, s.fail(err)
	}
	v, err := s.viewOf(ctx, sh, d, version)
	return s.shown(ctx, v, err)
}

// shown answers with a shot as somebody at a desk sees it.
func (s *Server) shown(ctx context.Context, v *ShotView, err error) (*body[*ShotView], error) {
	if err != nil {
		return nil, s.fail(err)
	}
	v.You = s.who(ctx)
	return &body[*ShotView]{v}, nil
}

// resume puts the path of the newest seal back.
func (s *Server) resume(ctx context.Context, in *revision) (*body[*ShotView], error) {
	seals, err := s.store.Seals(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if len(seals) == 0 || seals[0].Revision < 0 {
		return nil, conflict("There is no sealed path to go back to.")
	}
	d, err := s.store.Bring(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing), seals[0].Revision,
		fmt.Sprintf("back to sealed path %d", seals[0].Version))
	return s.afterEdit(ctx, in.ID, d, err)
}

// Proof is what takes longer to work out of a plan than drawing it.
type Proof struct {
	Revision int64          `json:"revision"`
	Braking  *limit.Braking `json:"braking,omitempty" doc:"left out where the plan is over a limit or cannot be braked"`
	Riding   *Riding        `json:"riding,omitempty" doc:"what the plan does to what it carries"`
	Soft     []lens.SoftRun `json:"soft" doc:"where the subject is in the picture and not sharp"`
}

func (s *Server) proof(ctx context.Context, in *shotID) (*body[*Proof], error) {
	p, err := s.moving(ctx, in.ID)
	if p != nil && p.motion == nil { // an empty sheet
		return &body[*Proof]{&Proof{Revision: p.draft.Revision, Soft: []lens.SoftRun{}}}, nil
	}
	if err != nil {
		return nil, s.fail(err)
	}
	out := &Proof{Revision: p.draft.Revision}
	err = s.compute(ctx, in.ID, "braking and focus", func(ctx context.Context) (err error) {
		out.Soft = soft(ctx, p.shot, p.scale, p.motion)
		fps := p.draft.Path.Clock().FPS()
		if !limit.Check(p.motion, p.shot.Rig, fps, limit.Working).OK() {
			return nil
		}
		if b, err := limit.Brake(ctx, p.motion, p.shot.Rig, fps); err == nil {
			out.Braking = b
		} else if ctx.Err() != nil {
			return ctx.Err()
		}
		out.Riding, err = s.riding(ctx, p, out.Braking)
		return err
	})
	return &body[*Proof]{out}, s.fail(err)
}

// stretch is a finer drawing of a part of the move.
func (s *Server) stretch(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	From int    `query:"from" required:"true"`
	To   int    `query:"to" required:"true"`
}) (*body[*Plot], error) {
	p, err := s.moving(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	from, to := max(in.From, p.motion.Start()), min(in.To, p.motion.End())
	if from > to {
		return nil, blame("from", "no frame of the move is between from and to", fmt.Sprintf("give two within %s to %s",
			frame4(p.motion.Start()), frame4(p.motion.End())))
	}
	var out *Plot
	err = s.quickly(ctx, in.ID, "a part of the drawing", func(context.Context) error {
		out = plot(p.shot, p.scale, p.motion, p.draft.Path.Clock().FPS(), from, to)
		return nil
	})
	return &body[*Plot]{out}, s.fail(err)
}

// mostChanges are asked for at a time.
const mostChanges = 5000

// changes say how much each frame differs from the one before it.
func (s *Server) changes(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	From int    `query:"from" required:"true"`
	To   int    `query:"to" required:"true"`
}) (*body[*Changing], error) {
	p, err := s.moving(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if in.To < in.From || in.To-in.From >= mostChanges {
		return nil, blame("to", "frames "+itoa(in.From)+" to "+itoa(in.To)+" are asked for",
			fmt.Sprintf("ask for 1 to %d frames", mostChanges))
	}
	j, err := trace.NewJudge(p.shot.Rig, p.shot.Lens, trace.Scene{Subject: p.shot.Set.Subject, Near: p.shot.Set.Near,
		Far: p.shot.Set.Far})
	if err != nil {
		return nil, s.fail(err)
	}
	out := &Changing{Revision: p.draft.Revision}
	err = s.quickly(ctx, in.ID, "changes from frame to frame", func(context.Context) error {
		out.Changes = j.Changes(p.motion, in.From, in.To)
		return nil
	})
	return &body[*Changing]{out}, s.fail(err)
}

// Changing is how a revision changes from frame to frame.
type Changing struct {
	Revision int64 `json:"revision"`
	*trace.Changes
}

// Sealing is of a revision, and may be signed for.
type Sealing struct {
	Revision int64  `json:"revision"`
	Over     string `json:"over,omitempty" maxLength:"200" doc:"why working limits may be passed, signed by whoever seals; rated limits never are"`
	Doing
}

func (s *Server) seal(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body Sealing
}) (*body[*ShotView], error) {
	sh, d, err := s.newest(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if d.Revision != in.Body.Revision {
		return nil, s.fail(store.ErrStale)
	}
	why := strings.TrimSpace(in.Body.Over)
	var t *seal.Table
	var b *limit.Braking
	if err := s.compute(ctx, in.ID, "the seal", func(ctx context.Context) (err error) {
		t, b, why, err = sealed(ctx, d.Path, sh, why)
		return err
	}); err != nil {
		return nil, s.fail(err)
	}
	x, err := s.store.AddSeal(ctx, journal.NewID(), in.ID, d.Revision, s.who(ctx), t, b, why)
	if err != nil {
		return nil, s.fail(err)
	}
	j, err := stage.NewJudge(sh.Rig, sh.Lens, sh.Set, t, sh.ThresholdPx)
	if err != nil {
		return nil, s.fail(err)
	}
	if why != "" {
		s.note(ctx, in.ID, "seal", fmt.Sprintf("Signed for passing working limits on path %d: %s", x.Version, why),
			map[string]any{"version": x.Version, "over": why})
	}
	s.note(ctx, in.ID, "seal",
		fmt.Sprintf("Sealed path %d as %s. Rounding to steps moves the picture by at most %.1e px.", x.Version, x.Short,
			j.QuantisationPx()),
		map[string]any{"version": x.Version, "fingerprint": x.Print, "quantisation_px": j.QuantisationPx()})
	return s.afterEdit(ctx, in.ID, d, nil)
}

// sealed makes a seal, and says how it is braked. why comes back empty where nothing is passed.
func sealed(ctx context.Context, p *path.Path, sh *store.Shot, why string) (*seal.Table, *limit.Braking,
	string, error) {
	t, b, err := seal.Make(ctx, p, sh.Machines)
	if err == nil {
		why = ""
	} else if why != "" && ctx.Err() == nil {
		t, b, err = seal.MakeOver(ctx, p, sh.Machines)
	}
	switch {
	case ctx.Err() != nil: // nobody waits any more
		return nil, nil, "", ctx.Err()
	case err != nil:
		return nil, nil, "", conflict(err.Error())
	}
	return t, b, why, nil
}

func (s *Server) pose(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Values map[string]float64 `json:"values"`
		FocusM *float64           `json:"focus_m,omitempty" doc:"instead of the ring's position: the distance to focus at"`
	}
}) (*body[*PosedView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, s.fail(err)
	}
	out := &PosedView{Values: map[string]float64{}}
	q := make([]float64, len(sh.Rig.Axes))
	for i, a := range sh.Rig.Axes {
		q[i] = in.Body.Values[a.ID]
		if a.Kind == rig.Focus && in.Body.FocusM != nil {
			if q[i], err = scale.RingFor(*in.Body.FocusM); err != nil {
				return nil, blamed("focus", err)
			}
		}
		if err := path.CheckKey(&sh.Rig.Axes[i], path.Key{Value: q[i]}); err != nil {
			return nil, s.fail(err)
		}
		out.Values[a.ID] = q[i]
	}
	out.View = viewAt(sh, scale, q)
	return &body[*PosedView]{out}, nil
}

func (s *Server) poseAt(ctx context.Context, in *struct {
	ID    string  `path:"id" format:"uuid"`
	Frame float64 `query:"frame" required:"true"`
}) (*body[*PosedView], error) {
	p, err := s.moving(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	axes := p.shot.Rig.Axes
	q := make([]float64, len(axes))
	p.motion.Values(q, in.Frame)
	out := &PosedView{Values: map[string]float64{}, View: viewAt(p.shot, p.scale, q)}
	for i, a := range axes {
		out.Values[a.ID] = q[i]
	}
	return &body[*PosedView]{out}, nil
}

// PosedView is where the camera would be at the given values.
type PosedView struct {
	Values map[string]float64 `json:"values"`
	View   View               `json:"view"`
}
