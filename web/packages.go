package web

import (
	"context"
	"fmt"
	"math"
	"strings"

	"keenarc/core/balance"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/stage/machine"
	"keenarc/store"
)

func (s *Server) newPackage(ctx context.Context, in *struct {
	Body struct {
		Name string        `json:"name" maxLength:"60"`
		Copy string        `json:"copy,omitempty" format:"uuid" doc:"the package that it begins as"`
		Load *balance.Hung `json:"load,omitempty"`
		Lens *lens.Package `json:"lens,omitempty"`
	}
}) (*body[*journal.CameraPackage], error) {
	p := &journal.CameraPackage{Load: balance.Hung{Pieces: []balance.Piece{}}}
	switch {
	case in.Body.Copy != "":
		var err error
		if p, err = s.store.Package(ctx, in.Body.Copy); err != nil {
			return nil, s.fail(err)
		}
	case in.Body.Lens == nil:
		return nil, blame("copy", "a new package begins as a copy of another, or with a lens", "name one")
	}
	p.ID, p.Name = journal.NewID(), in.Body.Name
	if in.Body.Load != nil {
		p.Load = *in.Body.Load
	}
	if in.Body.Lens != nil {
		p.Lens = in.Body.Lens
	}
	l := *p.Lens
	l.Name = p.Name
	p.Lens = &l
	if err := s.packed(ctx, p, 0, ""); err != nil {
		return nil, s.fail(err)
	}
	return &body[*journal.CameraPackage]{p}, nil
}

// packed writes a package's version after base.
func (s *Server) packed(ctx context.Context, p *journal.CameraPackage, base int, what string) error {
	if err := p.Check(); err != nil {
		return err
	}
	if err := s.store.WritePackage(ctx, s.who(ctx), p, base); err != nil {
		return err
	}
	s.note(ctx, "", "package", fmt.Sprintf("Version %d of the package %s was written%s.", p.Version, p.Name,
		because(what)), nil)
	s.everything()
	return nil
}

// amendPackage writes the next version of a package: some of its fields changed.
func (s *Server) amendPackage(ctx context.Context, in *amendment) (*body[*journal.CameraPackage], error) {
	p, err := s.repacked(ctx, in.ID, "",
		func(past []store.Past[journal.CameraPackage]) (*journal.CameraPackage, error) {
			return store.Amended(past, in.Body.Changes)
		})
	return &body[*journal.CameraPackage]{p}, err
}

// repacked writes a package's next version: what f makes of its versions, the newest first.
func (s *Server) repacked(ctx context.Context, id, what string, f func([]store.Past[journal.CameraPackage]) (
	*journal.CameraPackage, error)) (p *journal.CameraPackage, err error) {
	err = again(func() error {
		past, err := s.store.PackageVersions(ctx, id)
		if err != nil {
			return err
		}
		if len(past) == 0 {
			return store.ErrNotFound
		}
		if p, err = f(past); err != nil {
			return err
		}
		p.ID = id
		return s.packed(ctx, p, int(past[0].Version), what)
	})
	return p, s.fail(err)
}

// Swapping is what a change of package takes and what it changes.
type Swapping struct {
	From *journal.CameraPackage `json:"from,omitempty"`
	To   *journal.CameraPackage `json:"to"`
	// Turn says what to turn and to which readings, Changes what else is different.
	Turn    []string `json:"turn"`
	Changes []string `json:"changes"`
}

// carrier is the machine of a shot that carries its camera.
func carrier(sh *store.Shot) *rig.Rig {
	if m := withCamera(sh); m != nil {
		return m.Rig
	}
	return nil
}

func (s *Server) swapping(ctx context.Context, shot, pack string) (*Swapping, error) {
	sh, err := s.store.Shot(ctx, shot)
	if err != nil {
		return nil, err
	}
	v := &Swapping{Turn: []string{}, Changes: []string{}}
	if v.To, err = s.store.Package(ctx, pack); err != nil {
		return nil, err
	}
	own := carrier(sh)
	if own == nil {
		return v, nil
	}
	var had, next *balance.Settled
	if sh.Package != "" {
		if v.From, err = s.store.Package(ctx, sh.Package); err != nil {
			return nil, err
		}
		if row, err := s.store.Balance(ctx, sh.Package, own.ID); err != nil {
			return nil, err
		} else if row != nil {
			had = row.Doc
		}
	}
	if row, err := s.store.Balance(ctx, pack, own.ID); err != nil {
		return nil, err
	} else if row != nil {
		next = row.Doc
	}
	if own.Book != nil && own.Book.Head != nil {
		rests := false
		if next != nil {
			on, err := s.benchOf(ctx, own.ID, pack, nil)
			if err != nil {
				return nil, err
			}
			rests = on.Sheet.Weight != nil && on.Sheet.Weight.Next.Done
		}
		v.Turn = balance.Swap(had, next, v.To.Name, rests)
	}
	v.Changes = changesOf(sh.Lens, v.To, v.From)
	return v, nil
}

// changesOf says what else is different with another package.
func changesOf(now *lens.Package, to, from *journal.CameraPackage) []string {
	var out []string
	h0, _, _ := now.FieldDeg()
	h1, _, _ := to.Lens.FieldDeg()
	if now.FocalMM != to.Lens.FocalMM || math.Abs(h0-h1) > 1e-9 {
		out = append(out, fmt.Sprintf("Field of view: %.1f° becomes %.1f° across (%g mm to %g mm).", h0, h1,
			now.FocalMM, to.Lens.FocalMM))
	}
	if a, err := now.Scale(); err == nil {
		if b, err := to.Lens.Scale(); err == nil {
			n0, f0 := a.Reach()
			n1, f1 := b.Reach()
			out = append(out,
				fmt.Sprintf("Lens scale: %.3g to %.3g m becomes %.3g to %.3g m; keyframes of focus are ring positions "+
					"and now mean other distances. Check focus.", n0, f0, n1, f1))
		}
	}
	if from != nil {
		a, b := weightOf(from), weightOf(to)
		if a > 0 && b > 0 && a != b {
			out = append(out, fmt.Sprintf("Payload: %.2f kg becomes %.2f kg.", a, b))
		}
	}
	return out
}

func weightOf(p *journal.CameraPackage) float64 {
	if p.Load.WholeKg != nil {
		return *p.Load.WholeKg
	}
	if sum, err := balance.Add(p.Load.Pieces); err == nil {
		return sum.MassKg
	}
	return 0
}

func (s *Server) packShot(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Package string `json:"package" format:"uuid"`
	}
}) (*body[*Swapping], error) {
	v, err := s.swapping(ctx, in.ID, in.Body.Package)
	if err != nil {
		return nil, s.fail(err)
	}
	// The camera is not changed under a pass or a frame.
	if err := s.conductor.Edit(s.asked(ctx, in.ID), "the camera is changed", func() error {
		return s.store.PackShot(ctx, in.ID, v.To)
	}, machine.Claim{Shoot: in.ID}); err != nil {
		return nil, s.refusedOr(err)
	}
	s.note(ctx, in.ID, "package",
		strings.TrimSpace(fmt.Sprintf("Now shot with %s. %s", v.To.Name, strings.Join(v.Turn, " "))), nil)
	s.changed(in.ID)
	return &body[*Swapping]{v}, nil
}
