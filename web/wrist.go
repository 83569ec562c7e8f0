package web

import (
	"context"
	"fmt"
	"slices"

	"keenarc/core/balance"
	"keenarc/core/rig"
)

// feel reads the wrist where the arm stands and keeps it with the record.
func (s *Server) feel(ctx context.Context, in *benchID) (*body[*BenchView], error) {
	f, err := s.floor.Of(in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	v, err := s.benchOf(ctx, in.ID, in.Package, nil)
	if err != nil {
		return nil, err
	}
	now := f.Now()
	for _, a := range v.rig.Axes {
		if a.Unit == rig.Deg && a.Kind == rig.Rotary && !now.State.Homed(a.ID) {
			return nil, conflict(fmt.Sprintf("%s is not homed: which way its wrist points is not known. Home %s first.",
				a.Name, v.Name))
		}
	}
	felt, err := f.Feel(ctx)
	if err != nil {
		return nil, s.refused(err)
	}
	q := values(v.rig, now.State.Pos)
	joints := map[string]float64{}
	for i, a := range v.rig.Axes {
		joints[a.ID] = q[i]
	}
	one := balance.Felt{Joints: joints, WristPose: balance.WristPose{Rotation: balance.Rotation(v.rig.Wrist(q)),
		ForceN: felt.ForceN, TorqueNM: felt.TorqueNM}}
	err = again(func() error {
		v, err := s.benchOf(ctx, in.ID, in.Package, nil) // as it is by now
		if err != nil {
			return err
		}
		r := *v.Record
		r.Felt = append(slices.Clone(r.Felt), one)
		if len(r.Felt) > mostSeen {
			return conflict("That is more poses than anybody needs. Clear them and begin again.")
		}
		r.Load = &v.Package.Load
		base := int64(0)
		if v.Kept != nil {
			base = v.Kept.Version
		}
		return s.store.KeepBalance(ctx, s.who(ctx), in.Package, in.ID, base, &r)
	})
	if err != nil {
		return nil, s.fail(err)
	}
	s.everything()
	v, err = s.benchOf(ctx, in.ID, in.Package, nil)
	return &body[*BenchView]{v}, err
}

// mayGuide refuses to free an axis of a powered arm that does not know what hangs on it:
// the package of the shot, or the one that was settled last.
func (s *Server) mayGuide(ctx context.Context, machine, axis, shot string) error {
	own, err := s.store.Rig(ctx, machine)
	if err != nil || own.Book == nil || own.Book.Wrist == nil {
		return nil // nothing in the book says that it is a powered arm
	}
	pack := ""
	if shot != "" {
		if sh, err := s.store.Shot(ctx, shot); err == nil {
			pack = sh.Package
		}
	}
	if pack == "" {
		if pack, err = s.store.LastSettled(ctx, machine); err != nil {
			return s.fail(err)
		}
	}
	why := "A powered arm is not guided by hand before it knows what hangs on it. Choose the camera package " +
		"under Rig " +
		"up, Balance."
	if pack != "" {
		v, err := s.benchOf(ctx, machine, pack, nil)
		if err != nil {
			return err
		}
		why = v.Sheet.Guidable(v.rig, axis)
	}
	if why == "" {
		return nil
	}
	return conflict(why)
}
