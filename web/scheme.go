package web

import (
	"context"
	"fmt"
	"strings"

	"keenarc/core/amend"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/store"
)

// beginFrames makes a shot one that is taken frame by frame: one layer, on twos, over
// its whole move, until somebody changes that.
func (s *Server) beginFrames(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Every int `json:"every" minimum:"1" maximum:"24" doc:"a picture every so many frames: 2 is on twos"`
	}
}) (*body[*FramesView], error) {
	v, err := s.view(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if v.Empty || v.Last <= v.First {
		return nil, conflict("The sheet has no move yet. Store keyframes on Compose first.")
	}
	scheme := &weave.Scheme{First: v.First, Last: v.Last, Holds: []weave.Hold{{From: v.First, Every: in.Body.Every}},
		AskM: defaultAskM, Share: defaultShare,
		Layers: []weave.Layer{{ID: journal.NewID(), Number: 1, Name: "beauty", Lamps: map[string]float64{"key": 1},
			Puppet: true, From: v.First, To: v.Last, MS: 500}}}
	if err := s.store.AddShoot(ctx, s.who(ctx), in.ID, scheme, nil); err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, in.ID, "frames", fmt.Sprintf("Is taken frame by frame: %d to %d, a picture every %d.", v.First,
		v.Last-1, in.Body.Every), nil)
	s.changed(in.ID)
	return s.framesBody(ctx, in.ID, nil)
}

const (
	defaultAskM  = 0.025
	defaultShare = 0.2
)

// amendScheme changes fields of the scheme. Where pictures would lose their cell it is asked
// first; they stay in any case. A layer with pictures cannot be taken out, only struck.
func (s *Server) amendScheme(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Changes   []amend.Field `json:"changes" maxItems:"500"`
		Confirmed bool          `json:"confirmed,omitempty" doc:"pictures may lie outside of the new scheme"`
	}
}) (*body[*FramesView], error) {
	err := s.onShoot(ctx, in.ID, func() error {
		return again(func() error {
			past, err := s.store.Schemes(ctx, in.ID)
			if err != nil {
				return err
			}
			next, err := store.Amended(past, in.Body.Changes)
			if err != nil {
				return err
			}
			return s.setScheme(ctx, in.ID, past[0].Version, next, in.Body.Confirmed)
		})
	})
	if err != nil {
		return nil, s.refusedOr(err)
	}
	s.changed(in.ID)
	return s.framesBody(ctx, in.ID, nil)
}

func (s *Server) setScheme(ctx context.Context, shot string, revision int64, next *weave.Scheme, confirmed bool) error {
	h, err := s.store.Shoot(ctx, shot)
	if err != nil {
		return err
	}
	for i := range next.Layers {
		if next.Layers[i].ID == "" {
			next.Layers[i].ID = journal.NewID()
		}
		next.Layers[i].Number = i + 1
		next.Layers[i].Name = strings.TrimSpace(next.Layers[i].Name)
	}
	if err := next.Check(); err != nil {
		return err
	}
	board := h.Board()
	for _, l := range h.Scheme.Layers {
		if next.Layer(l.ID) != nil {
			continue
		}
		for _, e := range h.Exposures {
			if e.Layer == l.ID && e.Fate != weave.Failed {
				return conflict(fmt.Sprintf("Layer %s has pictures: it cannot be taken out. Strike it instead; then "+
					"it is exposed no more and its pictures stay.", l.Name))
			}
		}
	}
	if lost := board.Lost(next); len(lost) > len(board.Lost(&h.Scheme)) && !confirmed {
		p := conflict(fmt.Sprintf("%d pictures lie at frames that would have none of their own any more, the first at "+
			"%s. They stay in the record and are left out of what is written out. Change it all the same?", len(lost),
			frame4(lost[0].Frame)))
		p.Field = "confirmed"
		return p
	}
	if err := s.store.SetScheme(ctx, s.who(ctx), shot, revision, next); err != nil {
		return err
	}
	s.note(ctx, shot, "frames", fmt.Sprintf("Frames %s to %s, %d layers.", frame4(next.First), frame4(next.Last-1),
		len(next.Layers)), nil)
	return nil
}
