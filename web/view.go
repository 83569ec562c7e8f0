package web

import (
	"cmp"
	"context"
	"math"

	"keenarc/core/clock"
	"keenarc/core/effort"
	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/stage/ready"
	"keenarc/store"
)

// ShotView is a shot as the screen shows it.
type ShotView struct {
	*store.Shot
	Drawn
	Revision int64           `json:"revision"`
	CanUndo  bool            `json:"can_undo"`
	CanRedo  bool            `json:"can_redo"`
	Path     *path.Path      `json:"path"`
	FPS      float64         `json:"fps" doc:"frames per second on the chosen clock"`
	Clock    string          `json:"clock" doc:"the chosen clock's factor as it would be typed"`
	Seal     *store.Seal     `json:"seal,omitempty" doc:"the seal of the path as it stands, else the newest"`
	SealedAs bool            `json:"sealed_as_is" doc:"that seal is of the path as it stands"`
	Zeroed   string          `json:"zeroed,omitempty" doc:"the axis whose zero was laid elsewhere since the path was sealed"`
	Version  int64           `json:"version" doc:"of all that is kept of the shot; counted up with every change"`
	You      journal.Person  `json:"you" doc:"who is at this desk"`
	Over     int             `json:"over" doc:"answering an edit: how many edits of other windows were made since the revision it was made on"`
	Takes    *store.EditLine `json:"undo_takes,omitempty" doc:"the edit that an undo would take back"`
	Words    string          `json:"undo_words,omitempty" doc:"that edit in a few words"`
}

// RingMark is one place on the focus ring.
type RingMark struct {
	Ring      float64 `json:"ring"`
	DistanceM float64 `json:"distance_m"`
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
	Joints   []rig.Vec  `json:"joints" doc:"where the joints are, in the order of the sheet's links"`
	FocusM   float64    `json:"focus_m" doc:"sharp distance from the image plane"`
	SharpM   [2]float64 `json:"sharp_m" doc:"nearest and farthest sharp distance; 9999 is infinity"`
}

// maxPlot is the most samples of a plot; a stretch of it is asked for finer.
const maxPlot = 1200

func (s *Server) view(ctx context.Context, id string) (*ShotView, error) {
	version := s.version(id) // before it is looked at: what changes meanwhile is another version
	sh, d, err := s.newest(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.viewOf(ctx, sh, d, version)
}

// viewOf is a shot as it is shown; version is one that it was loaded after.
func (s *Server) viewOf(ctx context.Context, sh *store.Shot, d *store.Draft, version int64) (*ShotView, error) {
	v := &ShotView{Shot: sh, Revision: d.Revision, CanUndo: d.UndoTo != nil, CanRedo: d.RedoTo != nil, Path: d.Path,
		FPS: d.Path.Clock().FPS(), Clock: d.Path.Factor.String(), Version: version, Over: d.Over}
	seals, err := s.store.Seals(ctx, sh.ID)
	if err != nil {
		return nil, err
	}
	if v.Seal = sealOf(seals, d.Path); v.Seal != nil && v.Seal.Of(d.Path) {
		if err := s.zeroed(ctx, v, seals); err != nil {
			return nil, err
		}
	}
	if v.CanUndo {
		if v.Takes, err = s.store.EditLine(ctx, sh.ID, d.Of); err != nil {
			return nil, err
		}
		v.Words = v.Takes.Words()
	}
	drawn, err := s.drawn(sh, d)
	if err != nil {
		return nil, err
	}
	v.Drawn = *drawn
	return v, nil
}

// zeroed says whether a path is sealed as it stands and as the machines are lined up:
// of its seals the one that was made for their zeros, or which axis's zero was laid
// elsewhere since.
func (s *Server) zeroed(ctx context.Context, v *ShotView, seals []store.Seal) error {
	m, err := path.Compile(v.Path, v.Rig)
	if err != nil {
		return nil // nothing moves: it is not sealed
	}
	for i := range seals {
		if !seals[i].Of(v.Path) {
			continue
		}
		t, err := s.store.Table(ctx, seals[i].ID)
		if err != nil {
			return err
		}
		k := t.Zeroed(m, v.Rig)
		if k < 0 {
			v.Seal, v.SealedAs, v.Zeroed = &seals[i], true, ""
			return nil
		}
		v.Zeroed = v.Rig.Axes[k].Name
	}
	return nil
}

// sealOf is the seal of a path as it stands, else the one sealed last, or nil.
func sealOf(seals []store.Seal, p *path.Path) *store.Seal {
	for i := range seals {
		if seals[i].Of(p) {
			return &seals[i]
		}
	}
	if len(seals) > 0 {
		return &seals[0]
	}
	return nil
}

// Drawn is all of a shot's view that is worked out from its path.
type Drawn struct {
	Empty    bool            `json:"empty" doc:"there is no keyframe"`
	First    int             `json:"first"`
	Last     int             `json:"last"`
	Analysis *limit.Analysis `json:"analysis"`
	Plot     *Plot           `json:"plot"`
	Sheet    *Sheet          `json:"sheet"`
	Scale    []RingMark      `json:"focus_scale" doc:"the focus ring, for drawing: in rising order of its position"`
}

// drawn works a revision out once, for everybody who looks at it.
func (s *Server) drawn(sh *store.Shot, d *store.Draft) (*Drawn, error) {
	key := revisionKey{sh.ID, d.Revision, sh.LinedUp}
	if v, ok := s.drawings.Get(key); ok {
		return v, nil
	}
	v, err := draw(sh, d)
	if err == nil {
		s.drawings.Add(key, v)
	}
	return v, err
}

type revisionKey struct {
	shot     string
	revision int64
	linedUp  string
}

func draw(sh *store.Shot, d *store.Draft) (*Drawn, error) {
	v := &Drawn{}
	fps := d.Path.Clock().FPS()
	scale, err := sh.Lens.Scale()
	if err != nil {
		return nil, err
	}
	v.Scale = ring(sh, scale)
	if _, _, ok := d.Path.Span(); !ok {
		v.Empty = true
		q := make([]float64, len(sh.Rig.Axes))
		v.Analysis = &limit.Analysis{Report: &limit.Report{FPS: fps, Axes: []limit.AxisReport{},
			Violations: []limit.Violation{}}, Sentences: []string{}, At: []float64{}, Remedies: []limit.Remedy{}}
		v.Plot = &Plot{Step: 1}
		for i, a := range sh.Rig.Axes {
			q[i] = d.Path.Base[a.ID]
			v.Plot.Shares, v.Plot.Values = append(v.Plot.Shares, []float64{0}), append(v.Plot.Values, []float64{q[i]})
		}
		v.Plot.Views = []View{viewAt(sh, scale, q)}
		v.Sheet = planSheet(sh, v.Plot)
		return v, nil
	}
	m, err := path.Compile(d.Path, sh.Rig)
	if err != nil {
		return nil, err
	}
	v.First, v.Last = m.First, m.Last
	judged := beside(func() { v.Analysis = limit.Of(m, d.Path, sh.Rig) })
	v.Plot = plot(sh, scale, m, fps, m.Start(), m.End())
	v.Sheet = planSheet(sh, v.Plot)
	judged()
	return v, nil
}

// beside does something at the same time; what it answers waits for it, and panics as it did.
func beside(do func()) (wait func()) {
	done := make(chan any, 1) // nobody may wait: something else has panicked
	go func() {
		defer func() { done <- recover() }()
		do()
	}()
	return func() {
		if p := <-done; p != nil {
			panic(p)
		}
	}
}

// planSheet is the sheet of a plan: set, machines and all poses of the move.
func planSheet(sh *store.Shot, p *Plot) *Sheet {
	poses := make([][]rig.Vec, 0, len(p.Views))
	for _, v := range p.Views {
		poses = append(poses, v.Joints, []rig.Vec{v.At})
	}
	return sheetOf(sh.Rig, sh.Set.Bounds(), poses...)
}

// soft is where the set's subject is seen and not sharp.
func soft(ctx context.Context, sh *store.Shot, scale *lens.Scale, m *path.Motion) []lens.SoftRun {
	i := sh.Rig.Of(rig.Focus)
	if i < 0 {
		return []lens.SoftRun{}
	}
	q := make([]float64, len(m.Curves))
	effort.Ahead(ctx, m.Last-m.First)
	return lens.SoftRuns(m.First, m.Last, sh.Set.Subject, func(f int) (p rig.Pose, at lens.Focus) {
		if effort.Did(ctx, 1) != nil {
			return p, at
		}
		m.Values(q, float64(f))
		return sh.Rig.Forward(q), sh.Lens.Turned(sh.Rig, q).At(scale.Distance(q[i]))
	})
}

// ring is the focus ring from end to end, in 64 parts.
func ring(sh *store.Shot, scale *lens.Scale) []RingMark {
	out := []RingMark{}
	i := sh.Rig.Of(rig.Focus)
	if i < 0 {
		return out
	}
	a := sh.Rig.Axes[i]
	for k := range 65 {
		q := a.Min + (a.Max-a.Min)*float64(k)/64
		out = append(out, RingMark{round(q, 1e4), round(min(scale.Distance(q), 9999), 1e4)})
	}
	return out
}

// plot samples the motion from one frame to another.
func plot(sh *store.Shot, scale *lens.Scale, m *path.Motion, fps float64, from, to int) *Plot {
	n := to - from + 1
	p := &Plot{Start: from, Step: (n + maxPlot - 1) / maxPlot, Values: make([][]float64, len(m.Curves))}
	p.Shares = limit.Profile(m, sh.Rig, fps, from, to, p.Step)
	q := make([]float64, len(m.Curves))
	for f := from; f <= to; f += p.Step {
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
	v := View{Pose: r.Forward(q), Joints: joints(r, q)}
	at := math.Inf(1)
	i := r.Of(rig.Focus)
	if i >= 0 {
		at = scale.Distance(q[i])
	}
	f := l.Turned(r, q).At(at)
	v.Pupil = v.Pose.Point(0, f.PupilM, 0)
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

// desk is what readiness needs to know of a shot and a pass, with the seal whose
// table would be rolled, or nil.
func (s *Server) desk(ctx context.Context, shot, pass string) (*ready.Desk, *store.Seal, error) {
	v, err := s.view(ctx, shot)
	if err != nil {
		return nil, nil, err
	}
	d := &ready.Desk{Machines: v.Machines, Rig: v.Rig, Keyed: !v.Empty, Sealed: v.SealedAs}
	if len(v.Analysis.Sentences) > 0 {
		d.Limits = v.Analysis.Sentences[0]
	}
	over := v.Seal != nil && v.Seal.Over != ""
	if over && v.SealedAs && v.Analysis.WithinRated {
		d.Limits, d.Over = "", v.Seal.Over
	}
	if d.Balance, err = s.balanceOf(ctx, v.Shot); err != nil {
		return nil, nil, err
	}
	if v.Seal != nil && v.Seal.Revision >= 0 { // a void one is none
		if d.Table, err = s.store.Table(ctx, v.Seal.ID); err != nil {
			return nil, nil, err
		}
		d.Begin, d.Print = d.Table.Start(), v.Seal.Print
		d.Zeroed = v.Zeroed
	}
	if len(v.Troubles) > 0 {
		d.LineUp = capital(v.Troubles[0]) + "."
	}
	if pass == "" {
		d.LineUp = cmp.Or(d.LineUp, lineUpNote(d, d.Table, 0, over))
		return d, v.Seal, nil
	}
	p, err := s.store.Pass(ctx, pass)
	if err != nil {
		return nil, nil, err
	}
	d.PassName = passName(p)
	if d.Table == nil {
		return d, v.Seal, nil
	}
	if err := s.forClock(ctx, v, d, p); err != nil {
		return nil, nil, err
	}
	c, err := d.Table.Clock(p.Clock)
	if err != nil {
		d.PassNote = "pass " + p.Name + " cannot run: " + err.Error() + "."
		return d, v.Seal, nil
	}
	d.Begin = c.At(0, trace.Hz).Whole()
	d.Lay()
	d.LineUp = cmp.Or(d.LineUp, lineUpNote(d, d.Table, c.MaxSpeed(), over))
	d.PassNote, d.BrakeS = changing(context.WithoutCancel(ctx), v, d, c, over)
	if d.PassNote != "" {
		d.PassNote = "pass " + p.Name + " cannot run: " + d.PassNote
	}
	return d, v.Seal, nil
}

// changing looks at a clock that changes its speed, or runs backward: why the machines
// cannot follow it, or how long it takes to slow to rest.
func changing(ctx context.Context, v *ShotView, d *ready.Desk, c clock.Clock, over bool) (note string, brakeS float64) {
	if tr := c.Traits(); len(c.Eases()) == 0 && tr.Free == 0 && !tr.Backward {
		return "", 0
	}
	m, err := path.Compile(v.Path, d.Rig)
	if err != nil {
		return err.Error() + ".", 0
	}
	which := limit.Working
	if over {
		which = limit.Rated
	}
	if rep := limit.CheckOn(m, d.Rig, c, which); !rep.OK() {
		return onClockSentence(d.Rig, rep, c), 0
	}
	b, err := limit.BrakeOn(ctx, m, d.Rig, c)
	if err != nil {
		return err.Error() + ".", 0
	}
	return "", b.Seconds
}

// onClockSentence is the first thing that is over on a clock that changes its speed.
func onClockSentence(r *rig.Rig, rep *limit.Report, c clock.Clock) string {
	says := limit.Sentence(r, rep.Violations[0], c.MaxSpeed())
	if c.Traits().Free > 0 {
		return says + " A live clock may be changed at any frame; give it a longer ease, or a lower factor."
	}
	return says
}

// lineUpNote says why the machines as they are lined up today may not run a table at
// fps frames a second, or nothing.
func lineUpNote(d *ready.Desk, t *seal.Table, fps float64, over bool) string {
	if t == nil {
		return ""
	}
	which := limit.Working
	if over {
		which = limit.Rated
	}
	if err := t.Within(d.Rig, fps, which); err != nil {
		return err.Error() + "."
	}
	return ""
}
