package web

import (
	"context"
	"fmt"
	"math"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/seal"
	"keenarc/journal"
	"keenarc/stage/ready"
	"keenarc/store"
)

// Seals of one path for clocks of several speeds: the same version and steps.

// covers is the seal that a pass of so many times the path's rate rolls on: of those of the same
// steps the one that was checked on the slowest clock that is fast enough, or nil.
func covers(seals []store.Seal, of *store.Seal, factor float64) *store.Seal {
	for i := range seals {
		if x := &seals[i]; x.Revision >= 0 && x.Same(of) && factor <= x.Fastest().Float()*(1+1e-12) {
			return x
		}
	}
	return nil
}

// forClock takes the further seal of the same path that was made for a pass's faster clock, where
// there is one.
func (s *Server) forClock(ctx context.Context, v *ShotView, d *ready.Desk, p *store.Pass) error {
	c, err := p.Clock.Over(d.Table.Run(), d.Table.Rate)
	if err != nil {
		return nil // said by the table
	}
	factor := c.MaxSpeed() / d.Table.Rate.Float()
	if factor <= d.Table.Fastest.Float()*(1+1e-12) {
		return nil
	}
	seals, err := s.store.Seals(ctx, v.ID)
	if err != nil {
		return err
	}
	x := covers(seals, v.Seal, factor)
	if x == nil {
		return nil
	}
	t, err := s.store.Table(ctx, x.ID)
	if err != nil {
		return err
	}
	v.Seal, d.Table, d.Print = x, t, x.Print
	return nil
}

// sealForPass checks the path as it is sealed on a pass's faster clock, and seals it for that: a
// further seal of the same version, of the same steps.
func (s *Server) sealForPass(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Shot     string `json:"shot" format:"uuid"`
		Revision int64  `json:"revision" doc:"the one that is on the screen"`
	}
}) (*body[[]PassView], error) {
	p, err := s.passOf(ctx, in.Body.Shot, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	sh, d, err := s.newest(ctx, in.Body.Shot)
	if err != nil {
		return nil, s.fail(err)
	}
	seals, err := s.store.Seals(ctx, in.Body.Shot)
	if err != nil {
		return nil, s.fail(err)
	}
	now := sealOf(seals, d.Path)
	switch {
	case d.Revision != in.Body.Revision:
		return nil, s.fail(store.ErrStale)
	case now == nil || !now.Of(d.Path):
		return nil, conflict("The path is not sealed as it stands. Press S to seal it first.")
	}
	was, err := s.store.Table(ctx, now.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	c, err := p.Clock.Over(was.Run(), was.Rate)
	if err != nil {
		return nil, blamed("clock", err)
	}
	factor := p.Clock.Factor
	if most := c.MaxSpeed() / d.Path.Rate.Float(); factor.Float() <
		most { // a clock that steps: in thousandths, upwards
		factor = clock.Rate{Num: int64(math.Ceil(most*1000 - 1e-9)), Den: 1000}
	}
	if covers(seals, now, factor.Float()) != nil {
		return nil, conflict(fmt.Sprintf("The path is sealed for pass %d already.", p.Number))
	}
	fast := *d.Path
	fast.Factor = factor.Lowest()
	var t *seal.Table
	var b *limit.Braking
	if err := s.compute(ctx, in.Body.Shot, "the seal", func(ctx context.Context) (err error) {
		t, b, _, err = sealed(ctx, &fast, sh, "")
		return err
	}); err != nil {
		if e, ok := err.(*Problem); ok {
			e.Detail = fmt.Sprintf("Pass %d · %s at ×%s is %s", p.Number, p.Name, fast.Factor, e.Detail)
		}
		return nil, s.fail(err)
	}
	x, err := s.store.AddSeal(ctx, journal.NewID(), in.Body.Shot, d.Revision, s.who(ctx), t, b, "")
	if err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, in.Body.Shot, "seal", fmt.Sprintf("Sealed path %d as %s too, for pass %d · %s at ×%s: the same steps.",
		x.Version, x.Short, p.Number, p.Name, fast.Factor),
		map[string]any{"version": x.Version, "fingerprint": x.Print, "factor": fast.Factor.String()})
	s.changed(in.Body.Shot)
	v, err := s.passes(ctx, in.Body.Shot)
	return &body[[]PassView]{v}, s.fail(err)
}
