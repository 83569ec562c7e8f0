package web

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/stage"
	"keenarc/stage/act"
	"keenarc/store"
)

var fps24 = clock.Rate{Num: 24, Den: 1}

func itoa(n int) string { return strconv.Itoa(n) }

func passName(p *store.Pass) string { return fmt.Sprintf("pass %d · %s", p.Number, p.Name) }

// PassView is a pass with its takes.
type PassView struct {
	store.Pass
	Takes []TakeView `json:"takes"`
	// Stands is the take that stands for the pass: the one somebody chose, else
	// the last whole one; empty where there is none.
	Stands string  `json:"chosen"`
	Word   string  `json:"word" doc:"verdict of the chosen take: stacks, off, cannot say, or empty"`
	Px     float64 `json:"px"`
	Clocked
	TooFast bool `json:"too_fast" doc:"faster than the clock that the path was sealed on"`
}

// Clocked is what a plan as it stands comes to on a clock.
type Clocked struct {
	FPS        float64 `json:"fps"`
	Factor     string  `json:"clock" doc:"the factor as it would be typed"`
	Seconds    float64 `json:"seconds"`
	WorstAxis  string  `json:"worst_axis" doc:"the axis that uses the largest share of a working limit; empty without keyframes"`
	WorstShare float64 `json:"worst_share"`
	ClockNote  string  `json:"clock_note,omitempty" doc:"why its clock cannot run this move"`
	EveryMS    int64   `json:"every_ms" doc:"milliseconds from row to row of its traces"`
	Between    int     `json:"between_frames" doc:"picture frames that its camera takes no picture of"`
	Steered    bool    `json:"steered" doc:"somebody may change its speed while it rolls"`
}

// clockedKey names all that Clocked rests on.
type clockedKey struct {
	revisionKey
	clock string
}

// clocked works a clock on a plan out, once for everybody who looks at it: a long move on a clock
// that steps takes seconds.
func (s *Server) clocked(sh *store.Shot, d *store.Draft, spec clock.Spec, motion func() *path.Motion) Clocked {
	raw, err := json.Marshal(spec)
	key := clockedKey{revisionKey{sh.ID, d.Revision, sh.LinedUp}, string(raw)}
	if v, ok := s.clocks.Get(key); ok && err == nil {
		return v
	}
	v := Clocked{}
	v.work(d.Path, motion(), sh.Rig, spec)
	if err == nil {
		s.clocks.Add(key, v)
	}
	return v
}

func (v *Clocked) work(p *path.Path, m *path.Motion, r *rig.Rig, spec clock.Spec) {
	v.FPS, v.Factor = p.Rate.Times(spec.Factor).Float(), spec.Factor.String()
	if m == nil {
		return
	}
	c, err := spec.Over(m.Run(), p.Rate)
	if err != nil { // it waits at a frame that the move no longer has
		v.ClockNote = capital(err.Error()) + "."
		return
	}
	v.FPS = c.MaxSpeed()
	if t := c.Seconds(); !math.IsInf(t, 1) {
		v.Seconds = t
	}
	v.EveryMS = spec.EveryMS(c)
	v.Steered = spec.Kind == clock.Live
	if err := limit.CanFollow(m, r, c); err != nil {
		v.ClockNote = capital(err.Error()) + "."
	}
	rep := limit.CheckOn(m, r, c, limit.Working)
	if v.ClockNote == "" && !rep.OK() && c.MaxAcceleration() > 0 {
		v.ClockNote = onClockSentence(r, rep, c)
	}
	v.Between = between(spec, m, p.Rate)
	for _, a := range rep.Axes {
		if a.Share > v.WorstShare {
			v.WorstAxis, v.WorstShare = a.Axis, a.Share
		}
	}
}

// between counts the picture frames that a camera takes no picture of the first time that
// its clock goes its way.
func between(s clock.Spec, m *path.Motion, rate clock.Rate) int {
	if !s.CameraLocked && s.Kind == clock.Steady {
		return 0
	}
	s.Times = min(s.Times, 1)
	c, err := s.Over(m.Run(), rate)
	if err != nil {
		return 0
	}
	n := 0
	for f := m.First; f < m.Last; f++ {
		if !slices.Contains(c.Pictured(f), true) {
			n++
		}
	}
	return n
}

// TakeView is a take with its judgement.
type TakeView struct {
	store.TakeLine
	Short   string            `json:"seal_short"`
	Older   bool              `json:"older" doc:"it was rolled on another path than the one that is sealed as it stands, or was last"`
	On      string            `json:"clock" doc:"what it ran on, in words"`
	Finding *TakeFinding      `json:"finding,omitempty"`
	Strip   []float64         `json:"strip" doc:"deviation from the seal in pixels, by picture frame"`
	Missing []trace.FrameSpan `json:"missing" doc:"picture frames without a sample: from, and the one after the last"`
}

// TakeFinding is a judgement without its frame-by-frame list.
type TakeFinding struct {
	Word        string             `json:"word"`
	Against     string             `json:"against" doc:"what it was judged against, in words"`
	WorstPx     float64            `json:"worst_px"`
	WorstFrame  int                `json:"worst_frame"`
	WorstPoint  string             `json:"worst_point"`
	TurnedPx    float64            `json:"turned_px,omitempty" doc:"of that, what slack alone can come to: the two run through it in opposite ways"`
	SealPx      float64            `json:"seal_px" doc:"largest deviation from the seal"`
	SealFrame   int                `json:"seal_frame"`
	SealPoint   string             `json:"seal_point"`
	ByAxis      map[string]float64 `json:"worst_by_axis"`
	Unseen      []string           `json:"unseen"`
	ThresholdPx float64            `json:"threshold_px"`
}

// passesOf are a shot's passes, and the version of the shot that they are at least as new as.
type passesOf struct {
	Version int64 `header:"Shot-Version" doc:"the version of the shot that they are at least as new as"`
	Body    []PassView
}

func (s *Server) passRoutes(r chi.Router, api huma.API) {
	r.Get("/api/takes/{id}/trace.csv", s.traceCSV)
	huma.Register(api, op("passes", http.MethodGet, "/api/shots/{id}/passes", "Passes with takes and verdicts"),
		func(ctx context.Context, in *shotID) (*passesOf, error) {
			version := s.version(in.ID) // before they are looked at: what changes meanwhile is another version
			v, err := s.passes(ctx, in.ID)
			return &passesOf{version, v}, s.fail(err)
		})
	huma.Register(api, op("set-threshold", http.MethodPut, "/api/shots/{id}/threshold",
		"The largest error at which passes stack"), func(ctx context.Context, in *struct {
		ID   string `path:"id" format:"uuid"`
		Body struct {
			Px   float64 `json:"px" minimum:"0.01" maximum:"100"`
			Seen float64 `json:"seen,omitempty" minimum:"0" doc:"what it was seen to be"`
		}
	}) (*body[[]PassView], error) {
		if err := s.store.SetThreshold(ctx, in.ID, in.Body.Seen, in.Body.Px); err != nil {
			return nil, s.fail(err)
		}
		s.note(ctx, in.ID, "threshold", fmt.Sprintf("Passes stack under %g px.", in.Body.Px), nil)
		s.changed(in.ID)
		v, err := s.passes(ctx, in.ID)
		return &body[[]PassView]{v}, s.fail(err)
	})
	huma.Register(api, op("choose-take", http.MethodPut, "/api/passes/{id}/take",
		"The take that stands for a pass; none: the last whole one"), func(ctx context.Context, in *struct {
		ID   string `path:"id" format:"uuid"`
		Body struct {
			Shot string `json:"shot" format:"uuid"`
			Take string `json:"take,omitempty" format:"uuid"`
		}
	}) (*body[[]PassView], error) {
		if _, err := s.passOf(ctx, in.Body.Shot, in.ID); err != nil {
			return nil, s.fail(err)
		}
		if err := s.store.Choose(ctx, in.ID, in.Body.Take); err != nil {
			return nil, s.fail(err)
		}
		v, err := s.passes(ctx, in.Body.Shot)
		if err != nil {
			return nil, s.fail(err)
		}
		s.note(ctx, in.Body.Shot, "take", choice(v, in.ID, in.Body.Take), nil)
		s.changed(in.Body.Shot)
		return &body[[]PassView]{v}, nil
	})
	huma.Register(api, op("seal-for-pass", http.MethodPost, "/api/passes/{id}/seal",
		"Seal the path as it stands for a pass's faster clock"), s.sealForPass)
	huma.Register(api, op("set-pass", http.MethodPut, "/api/passes/{id}", "Name, note and clock of a pass"), s.setPass)
}

// setPass changes what is given of a pass, and leaves the rest as it is.
func (s *Server) setPass(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Shot       string        `json:"shot" format:"uuid"`
		Name       *string       `json:"name,omitempty" minLength:"1" maxLength:"40" doc:"left out: as it was"`
		Note       *string       `json:"note,omitempty" maxLength:"120" doc:"left out: as it was"`
		Seen       *clock.Spec   `json:"seen,omitempty" doc:"the clock as it was when this was typed: what is changed here and was changed elsewhere since is refused"`
		Clock      string        `json:"clock,omitempty" maxLength:"40" doc:"left out: as it was; a factor, as 1, 0.5 or 1/3, frames per second, as 8 fps, or how long it takes once through, as 12 s"`
		Times      *int          `json:"times,omitempty" minimum:"1" maximum:"100" doc:"how often it goes its way; left out: as it was"`
		DelayMS    *int64        `json:"delay_ms,omitempty" minimum:"0" maximum:"3600000" doc:"how long it stands before it sets out; left out: as it was"`
		Way        clock.Way     `json:"way,omitempty" enum:"on,back,there and back,around" doc:"left out: as it was"`
		Kind       clock.Kind    `json:"kind,omitempty" enum:"steady,stepped,crawling,live" doc:"left out: as it was; another kind begins anew"`
		EaseMS     *int64        `json:"ease_ms,omitempty" minimum:"0" maximum:"60000" doc:"how long it takes to lose its rate before a turn or a wait; left out: as it was"`
		Locked     *bool         `json:"camera_locked,omitempty" doc:"the camera keeps its own rate; left out: as it was"`
		Pictures   *int          `json:"pictures,omitempty" minimum:"1" maximum:"20000" doc:"stepped, crawling"`
		IntervalMS *int64        `json:"interval_ms,omitempty" minimum:"1" maximum:"604800000" doc:"from picture to picture"`
		MoveMS     *int64        `json:"move_ms,omitempty" minimum:"1" maximum:"604800000" doc:"stepped: of the interval"`
		Waits      *[]clock.Wait `json:"waits,omitempty" maxItems:"100" doc:"left out: as they were"`
	}
}) (*body[[]PassView], error) {
	d, err := s.store.Draft(ctx, in.Body.Shot)
	if err != nil {
		return nil, s.fail(err)
	}
	run := d.Path.Clock()
	var f clock.Rate
	if in.Body.Clock != "" {
		if f, err = clock.ParseFor(in.Body.Clock, d.Path.Rate, run.Last-run.First); err != nil {
			return nil, blamed("clock", err)
		}
		if f.Float() > 100 {
			return nil, blame("clock", fmt.Sprintf("%s is a factor of %s", in.Body.Clock, f),
				"give one of at most 100")
		}
	}
	if _, err := s.passOf(ctx, in.Body.Shot, in.ID); err != nil {
		return nil, s.fail(err)
	}
	var was, now store.Pass
	if err := s.store.ChangePass(ctx, in.ID, func(p *store.Pass) error {
		was = *p
		give(&p.Name, in.Body.Name)
		give(&p.Note, in.Body.Note)
		if in.Body.Clock != "" {
			p.Clock.Factor = f
		}
		if k := in.Body.Kind; k != "" && k != p.Clock.Kind {
			p.Clock = clock.Begin(k, p.Clock, run.Last-run.First)
		}
		if in.Body.Way != "" {
			if p.Clock.Way = in.Body.Way; p.Clock.Way != clock.ThereAndBack && p.Clock.Way != clock.Around &&
				in.Body.Times == nil {
				p.Clock.Times = 0
			}
		}
		give(&p.Clock.EaseMS, in.Body.EaseMS)
		give(&p.Clock.CameraLocked, in.Body.Locked)
		give(&p.Clock.Pictures, in.Body.Pictures)
		give(&p.Clock.IntervalMS, in.Body.IntervalMS)
		give(&p.Clock.MoveMS, in.Body.MoveMS)
		give(&p.Clock.Times, in.Body.Times)
		give(&p.Clock.DelayMS, in.Body.DelayMS)
		give(&p.Clock.Waits, in.Body.Waits)
		if what := overtaken(in.Body.Seen, &was.Clock, &p.Clock); what != "" {
			return conflict(fmt.Sprintf("Somebody has changed the %s of this pass meanwhile; look at it as it "+
				"is now, then change it.", what))
		}
		if err := p.Clock.Check(); err != nil {
			return blamed("clock", err)
		}
		if _, err := p.Clock.Over(clock.Whole(run.First, max(run.Last, run.First+1)), d.Path.Rate); err !=
			nil && len(p.Clock.Waits) == 0 {
			return blamed("clock", err) // where it waits is said beside the pass: the move may still change
		}
		now = *p
		return nil
	}); err != nil {
		return nil, s.fail(err)
	}
	if from, to := was.Clock.Words(), now.Clock.Words(); from != to {
		s.note(ctx, in.Body.Shot, "pass", fmt.Sprintf("Pass %d · %s: its clock was %s and is %s.", now.Number,
			now.Name, from, to), nil)
	}
	s.changed(in.Body.Shot)
	v, err := s.passes(ctx, in.Body.Shot)
	return &body[[]PassView]{v}, s.fail(err)
}

// overtaken is what a change makes of a clock that was another already than was seen when it
// was typed, or empty. What the change does not touch may be whatever it is.
func overtaken(seen, was, now *clock.Spec) string {
	if seen == nil {
		return ""
	}
	for _, x := range []struct {
		name string
		of   func(*clock.Spec) any
	}{
		{"kind of clock", func(c *clock.Spec) any { return c.Kind }},
		{"rate", func(c *clock.Spec) any { return c.Factor }},
		{"direction", func(c *clock.Spec) any { return c.Way }},
		{"number of times", func(c *clock.Spec) any { return c.Times }},
		{"delay", func(c *clock.Spec) any { return c.DelayMS }},
		{"ease", func(c *clock.Spec) any { return c.EaseMS }},
		{"lock of the camera", func(c *clock.Spec) any { return c.CameraLocked }},
		{"number of pictures", func(c *clock.Spec) any { return c.Pictures }},
		{"interval", func(c *clock.Spec) any { return c.IntervalMS }},
		{"time it moves", func(c *clock.Spec) any { return c.MoveMS }},
		{"waits", func(c *clock.Spec) any { return fmt.Sprint(c.Waits) }},
	} {
		if x.of(was) != x.of(now) && x.of(seen) != x.of(was) {
			return x.name
		}
	}
	return ""
}

// passOf is a pass of a shot, of that and no other.
func (s *Server) passOf(ctx context.Context, shot, pass string) (*store.Pass, error) {
	all, err := s.store.Passes(ctx, shot)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].ID == pass {
			return &all[i], nil
		}
	}
	return nil, newProblem(http.StatusNotFound, "There is no such pass in this shot.")
}

// give sets what is given.
func give[T any](to, v *T) {
	if v != nil {
		*to = *v
	}
}

// choice says in the log which take of a pass was chosen.
func choice(ps []PassView, pass, take string) string {
	for _, p := range ps {
		for _, t := range p.Takes {
			if p.ID == pass && t.ID == take {
				return journal.Label(p.Number, p.Name, t.Number) + " chosen."
			}
		}
		if p.ID == pass {
			return fmt.Sprintf("Pass %d · %s: the last whole take stands for it.", p.Number, p.Name)
		}
	}
	return "A take was chosen."
}

// passes lists a shot's passes with their takes and what was found of them.
//
//revive:disable-next-line:function-length what a list of passes rests on is read once, for all of them
func (s *Server) passes(ctx context.Context, shot string) ([]PassView, error) {
	sh, err := s.store.Shot(ctx, shot)
	if err != nil {
		return nil, err
	}
	ps, err := s.store.Passes(ctx, shot)
	if err != nil {
		return nil, err
	}
	takes, err := s.store.Takes(ctx, shot)
	if err != nil {
		return nil, err
	}
	seals, err := s.store.Seals(ctx, shot)
	if err != nil {
		return nil, err
	}
	d, err := s.store.Draft(ctx, shot)
	if err != nil {
		return nil, err
	}
	motion := sync.OnceValue(func() *path.Motion {
		m, err := path.Compile(d.Path, sh.Rig)
		if err != nil {
			return nil // an empty sheet: there is no motion yet
		}
		return m
	})
	slack := sync.OnceValues(func() (float64, error) {
		px, _, err := turned(ctx, sh, motion())
		return round(px, 1e3), err
	})
	found, err := s.findings(ctx, sh, ps, takes, seals)
	if err != nil {
		return nil, err
	}
	short, older := map[string]string{}, map[string]bool{}
	now := sealOf(seals, d.Path)
	for i := range seals {
		short[seals[i].ID], older[seals[i].ID] = seals[i].Short, !seals[i].Same(now)
	}
	all, chosen, by := lined(takes, seals), choices(ps), map[string]string{}
	for _, c := range chosen {
		by[c.Pass] = c.Take
	}
	out := []PassView{}
	for _, p := range ps {
		v := PassView{Pass: p, Takes: []TakeView{}, Clocked: s.clocked(sh, d, p.Clock, motion)}
		if now != nil && now.Of(d.Path) {
			v.TooFast = covers(seals, now, v.FPS/d.Path.Rate.Float()) == nil
		} else {
			v.TooFast = v.FPS > d.Path.Clock().FPS()*(1+1e-12)
		}
		for i, t := range takes {
			if t.PassID != p.ID {
				continue
			}
			tv := TakeView{TakeLine: t, Short: short[t.SealID], Older: older[t.SealID], On: t.Clock.Words(),
				Strip: []float64{}, Missing: []trace.FrameSpan{}}
			if f := found[t.ID]; f != nil {
				ref := stage.Reference(chosen, all, &all[i])
				tv.show(f, against(ps, ref))
				if m := motion(); ref != nil && m != nil && !tv.Older {
					if k := slices.IndexFunc(takes, func(o store.TakeLine) bool { return o.ID == ref.ID }); otherWay(
						takes[k].Clock, t.Clock, m.Run(), d.Path.Rate) {
						if tv.Finding.TurnedPx, err = slack(); err != nil {
							return nil, err
						}
					}
				}
			}
			v.Takes = append(v.Takes, tv)
		}
		if c := stage.Chosen(all, p.ID, by[p.ID], ""); c != nil {
			v.Stands = c.ID
			if f := found[c.ID]; f != nil && f.Verdict != nil {
				v.Word, v.Px = f.Verdict.Word, round(f.Verdict.WorstPx, 1e3)
			}
		}
		out = append(out, v)
	}
	return out, nil
}

// against names a reference take, or nothing.
func against(ps []store.Pass, t *stage.Taken) string {
	for _, p := range ps {
		if t != nil && p.ID == t.Pass {
			return fmt.Sprintf("pass %d, take %d", p.Number, t.Number)
		}
	}
	return ""
}

// passFor makes a pass ready to roll, or says why not.
func (s *Server) passFor(ctx context.Context, shot, pass string) (act.Rolling, error) {
	d, x, err := s.desk(ctx, shot, pass)
	if err != nil {
		return act.Rolling{}, err
	}
	p, err := s.store.Pass(ctx, pass)
	if err != nil {
		return act.Rolling{}, err
	}
	if x == nil || d.Table == nil {
		return act.Rolling{Desk: d}, nil
	}
	return act.Rolling{Desk: d, Pass: &act.Pass{ID: p.ID, Name: p.Name, Number: p.Number, Machine: d.Machines[0].Name,
		Table: d.Table, Print: d.Print, Clock: p.Clock,
		BrakeS: max(x.Braking.Seconds, d.BrakeS)}}, nil
}
