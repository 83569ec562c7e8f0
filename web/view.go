package web

import (
	"context"
	"math"

	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/stage"
	"keenarc/store"
)

// ShotView is a shot as the screen shows it.
type ShotView struct {
	*store.Shot
	Revision int64           `json:"revision"`
	CanUndo  bool            `json:"can_undo"`
	CanRedo  bool            `json:"can_redo"`
	Path     *path.Path      `json:"path"`
	Empty    bool            `json:"empty" doc:"there is no keyframe"`
	FPS      float64         `json:"fps" doc:"frames per second on the chosen clock"`
	Clock    string          `json:"clock" doc:"the chosen clock's factor as it would be typed"`
	First    int             `json:"first"`
	Last     int             `json:"last"`
	Analysis *limit.Analysis `json:"analysis"`
	Braking  *limit.Braking  `json:"braking,omitempty"`
	Plot     *Plot           `json:"plot"`
	Seal     *store.Seal     `json:"seal,omitempty" doc:"the newest seal"`
	SealedAs bool            `json:"sealed_as_is" doc:"the newest seal is of the path as it stands"`
}

// Plot is the plan sampled by frame, for drawing: every Step frames from Start.
type Plot struct {
	Start  int         `json:"start"`
	Step   int         `json:"step"`
	Shares [][]float64 `json:"shares" doc:"per axis: share of the limit, signed by direction"`
	Values [][]float64 `json:"values" doc:"per axis: position in its unit"`
	Views  []View      `json:"views"`
}

// View is where the camera's image plane and entrance pupil are, which way it
// looks, how much it sees at this focus and what is sharp.
type View struct {
	rig.Pose
	Pupil    rig.Vec    `json:"pupil_m" doc:"the entrance pupil: where the picture is seen from"`
	FieldDeg [2]float64 `json:"field_deg" doc:"horizontal and vertical field seen from the pupil at this focus"`
	FocusM   float64    `json:"focus_m" doc:"sharp distance from the image plane"`
	SharpM   [2]float64 `json:"sharp_m" doc:"nearest and farthest sharp distance; 9999 is infinity"`
}

// maxBrakePreview is the longest move, in frames, whose braking is worked out
// after every edit; sealing works it out for any.
const maxBrakePreview = 20_000

// maxPlot is the most samples of a plot.
const maxPlot = 6000

func (s *Server) view(ctx context.Context, id string) (*ShotView, error) {
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, err
	}
	d, err := s.store.Draft(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.viewOf(ctx, sh, d)
}

func (s *Server) viewOf(ctx context.Context, sh *store.Shot, d *store.Draft) (*ShotView, error) {
	v := &ShotView{Shot: sh, Revision: d.Revision, CanUndo: d.UndoTo != nil, CanRedo: d.RedoTo != nil, Path: d.Path, FPS: d.Path.Clock().FPS(), Clock: d.Path.Factor.String()}
	seals, err := s.store.Seals(ctx, sh.ID)
	if err != nil {
		return nil, err
	}
	if len(seals) > 0 {
		v.Seal = &seals[0]
		v.SealedAs = seals[0].Revision == d.Revision
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, err
	}
	if _, _, ok := d.Path.Span(); !ok {
		v.Empty = true
		q := make([]float64, len(sh.Rig.Axes))
		v.Analysis = &limit.Analysis{Report: &limit.Report{FPS: v.FPS, Axes: []limit.AxisReport{}, Violations: []limit.Violation{}}, Sentences: []string{}, Remedies: []limit.Remedy{}}
		v.Plot = &Plot{Step: 1}
		for i, a := range sh.Rig.Axes {
			q[i] = d.Path.Base[a.ID]
			v.Plot.Shares, v.Plot.Values = append(v.Plot.Shares, []float64{0}), append(v.Plot.Values, []float64{q[i]})
		}
		v.Plot.Views = []View{viewAt(sh, scale, q)}
		return v, nil
	}
	m, a, err := limit.Analyse(d.Path, sh.Rig)
	if err != nil {
		return nil, err
	}
	v.Analysis, v.First, v.Last = a, m.First, m.Last
	if a.Report.OK() && m.End()-m.Start() <= maxBrakePreview {
		if b, err := limit.Brake(m, sh.Rig, v.FPS); err == nil {
			v.Braking = b
		}
	}
	v.Plot = plot(sh, scale, m, v.FPS)
	return v, nil
}

func plot(sh *store.Shot, scale *lens.Scale, m *path.Motion, fps float64) *Plot {
	n := m.End() - m.Start() + 1
	p := &Plot{Start: m.Start(), Step: (n + maxPlot - 1) / maxPlot, Values: make([][]float64, len(m.Curves))}
	p.Shares = limit.Profile(m, sh.Rig, fps, p.Step)
	q := make([]float64, len(m.Curves))
	for f := m.Start(); f <= m.End(); f += p.Step {
		m.Values(q, float64(f))
		for i := range q {
			p.Values[i] = append(p.Values[i], round(q[i], 1e4))
		}
		p.Views = append(p.Views, viewAt(sh, scale, q))
	}
	return p
}

func viewAt(sh *store.Shot, scale *lens.Scale, q []float64) View {
	return viewWith(sh.Rig, sh.Lens, scale, q)
}

func viewWith(r *rig.Rig, l *lens.Package, scale *lens.Scale, q []float64) View {
	v := View{Pose: r.Forward(q)}
	v.Pupil = v.Pose.Point(0, l.PupilM, 0)
	at := math.Inf(1)
	i := r.Index("focus")
	if i >= 0 {
		at = scale.Distance(q[i])
	}
	f := l.At(at)
	h, vert, _ := f.SeenDeg()
	v.FieldDeg = [2]float64{round(h, 1e4), round(vert, 1e4)}
	for _, x := range []*rig.Vec{&v.At, &v.Right, &v.Forward, &v.Up, &v.Pupil} {
		for i := range x {
			x[i] = round(x[i], 1e6)
		}
	}
	if i >= 0 {
		near, far := f.SharpM()
		v.FocusM, v.SharpM = round(at, 1e4), [2]float64{round(near, 1e4), round(min(far, 9999), 1e4)}
	}
	return v
}

func round(v, k float64) float64 { return math.Round(v*k) / k }

// desk is what readiness needs to know of a shot and a pass.
func (s *Server) desk(ctx context.Context, shot, pass string) (*stage.Desk, error) {
	v, err := s.view(ctx, shot)
	if err != nil {
		return nil, err
	}
	d := &stage.Desk{Rig: v.Rig, Keyed: !v.Empty, Sealed: v.SealedAs}
	if len(v.Analysis.Sentences) > 0 {
		d.Limits = v.Analysis.Sentences[0]
	}
	if v.Seal != nil {
		if d.Table, err = s.store.Table(ctx, v.Seal.ID); err != nil {
			return nil, err
		}
	}
	if pass == "" {
		return d, nil
	}
	p, err := s.store.Pass(ctx, pass)
	if err != nil {
		return nil, err
	}
	d.PassName = passName(p)
	d.PassNote = passNote(p, d)
	return d, nil
}

func passNote(p *store.Pass, d *stage.Desk) string {
	if d.Table == nil {
		return ""
	}
	if f := p.Factor(); f.Float() > d.Table.Fastest.Float() {
		return "pass " + p.Name + " is faster than the clock that the path was sealed on. Slow the pass, or seal on a faster clock."
	}
	return ""
}
