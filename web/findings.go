package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"keenarc/journal"
	"keenarc/stage"
	"keenarc/store"
)

// A take is judged when it has ended, and what was found is stored with what it
// depends on. It is judged again only when something of that has changed: the
// threshold, the reference take, the camera, or more of its trace.

// lined is what the choice of takes looks at.
func lined(takes []store.TakeLine, seals []store.Seal) []stage.Taken {
	move := map[string]string{} // takes of the same steps are judged together
	for _, x := range seals {
		move[x.ID] = string(x.Move)
	}
	out := make([]stage.Taken, len(takes))
	for i, t := range takes {
		out[i] = stage.Taken{ID: t.ID, Pass: t.PassID, Seal: move[t.SealID], Number: t.Number, Ended: t.Ended,
			Broken: t.Broken}
	}
	return out
}

func choices(ps []store.Pass) []stage.Choice {
	out := make([]stage.Choice, len(ps))
	for i, p := range ps {
		out[i].Pass = p.ID
		if p.Chosen != nil {
			out[i].Take = *p.Chosen
		}
	}
	return out
}

// findings are the judgements of all ended takes with a trace, by take.
func (s *Server) findings(ctx context.Context, sh *store.Shot, ps []store.Pass, takes []store.TakeLine,
	seals []store.Seal) (map[string]*stage.Finding, error) {
	kept, err := s.store.Findings(ctx, sh.ID)
	if err != nil {
		return nil, err
	}
	pins, err := s.store.PinsOf(ctx, sh.ID)
	if err != nil {
		return nil, err
	}
	print := map[string]string{}
	for _, x := range seals {
		print[x.ID] = x.Print
	}
	all, chosen := lined(takes, seals), choices(ps)
	out := map[string]*stage.Finding{}
	for i := range takes {
		t := &takes[i]
		if !t.Ended || t.Rows == 0 {
			continue
		}
		ref := ""
		if r := stage.Reference(chosen, all, &all[i]); r != nil {
			ref = r.ID
		}
		p := pins[t.ID]
		if p == nil {
			continue
		}
		with, _ := p.LineUp.Lens(p.Lens)
		depends, err := stage.Depends(print[t.SealID], t.Clock, with, p.Set, p.ThresholdPx, t.Rows, ref)
		if err != nil {
			return nil, err
		}
		f := &stage.Finding{}
		k, there := kept[t.ID]
		readable := there && json.Unmarshal(k.Doc, f) == nil
		if !readable || k.Depends != depends {
			made, err := s.judge(ctx, sh, t, p, ref, depends)
			switch {
			case errors.Is(err, store.ErrVoid) && readable: // what was found then is all there is
			case errors.Is(err, store.ErrVoid):
				continue
			case err != nil && (ctx.Err() != nil || store.Away(err) || errors.Is(err, errCrowded)):
				return nil, err
			case err != nil: // one take that cannot be judged keeps no other from being shown
				s.log.Error("a take cannot be judged", "take", t.ID, "err", err)
				continue
			default:
				f = made
			}
		}
		out[t.ID] = f
	}
	return out, nil
}

// judge judges a take and stores what it finds.
func (s *Server) judge(ctx context.Context, sh *store.Shot, line *store.TakeLine, p *store.Pins, ref, depends string) (
	*stage.Finding, error) {
	table, err := s.store.Table(ctx, line.SealID)
	if err != nil {
		return nil, err
	}
	with, _ := p.LineUp.Lens(p.Lens)
	j, err := stage.NewJudge(sh.Rig, with, p.Set, table, p.ThresholdPx)
	if err != nil {
		return nil, err
	}
	t, err := s.store.Take(ctx, line.ID)
	if err != nil {
		return nil, err
	}
	var other *journal.Take
	if ref != "" {
		if other, err = s.store.Take(ctx, ref); err != nil {
			return nil, err
		}
	}
	var f *stage.Finding
	if err := s.compute(ctx, sh.ID, "how a take compares", func(ctx context.Context) (err error) {
		f, err = j.Take(ctx, t, other)
		return err
	}); err != nil {
		return nil, err
	}
	doc, err := json.Marshal(f)
	if err != nil {
		return nil, fmt.Errorf("take %s: what was found cannot be written: %w", line.ID, err)
	}
	s.judgings.Add(1)
	return f, s.store.SetFinding(ctx, store.Finding{TakeID: line.ID, Depends: depends, Doc: doc}, ref)
}

// show puts a finding into a take's view.
func (tv *TakeView) show(f *stage.Finding, ref string) {
	d := f.Deviation
	x := &TakeFinding{SealPx: round(d.WorstPx, 1e3), SealFrame: d.WorstFrame, SealPoint: d.WorstPoint,
		ByAxis: d.WorstByAxis, Unseen: d.Unseen, ThresholdPx: d.ThresholdPx}
	if v := f.Verdict; v != nil && ref != "" {
		x.Word, x.Against = v.Word, ref
		x.WorstPx, x.WorstFrame, x.WorstPoint, x.ByAxis = round(v.WorstPx, 1e3), v.WorstFrame, v.WorstPoint,
			v.WorstByAxis
	}
	tv.Finding, tv.Strip, tv.Missing = x, f.Strip, d.Gaps
}

// ended is told by the floor of every take that was written down.
func (s *Server) ended(t *journal.Take) {
	select {
	case s.toJudge <- t:
	default: // many at once, as after a long silence: they are judged when they are looked at
	}
}

// RunJudge judges takes as they end, writes the verdicts into the log and tells
// those who watch. It ends with the context.
func (s *Server) RunJudge(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case t := <-s.toJudge:
			if t.Shot == "" {
				continue
			}
			if err := s.noteVerdict(ctx, t); err != nil && ctx.Err() == nil {
				s.log.Error("verdict not written into the log", "take", t.ID, "err", err)
			}
			s.changed(t.Shot)
		}
	}
}

// noteVerdict writes into the log how a take compares.
func (s *Server) noteVerdict(ctx context.Context, t *journal.Take) error {
	ps, err := s.passes(ctx, t.Shot)
	if err != nil {
		return err
	}
	for _, p := range ps {
		for _, x := range p.Takes {
			if x.ID != t.ID || x.Finding == nil || x.Finding.Word == "" {
				continue
			}
			f := x.Finding
			text := fmt.Sprintf("%s: %s, at most %.2f px against %s.", journal.Label(p.Number, p.Name, x.Number),
				f.Word, f.WorstPx, f.Against)
			if err := s.store.AddLog(ctx, journal.Entry{At: time.Now(), Actor: t.By, ShotID: t.Shot, Kind: "verdict",
				Text: text}); err != nil {
				return err
			}
		}
	}
	return nil
}
