package standin

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/balance"
	"keenarc/core/rig"
	"keenarc/link"
)

// What the wrist feels in a few poses is what hangs there, found by the application's own
// sums within the sensor's noise; changed behind its back it is found changed.
func TestTheWristFeels(t *testing.T) {
	r := every("wren")
	s := NewSim(Options{Rig: r, Seed: 8})
	e, err := s.Lease()
	if err != nil {
		t.Fatal(err)
	}
	feel := func() *balance.Payload {
		var poses []balance.WristPose
		for _, q := range [][2]float64{{0, 0}, {80, 0}, {0, 80}, {-80, 40}, {45, -80}} {
			hand(t, s, e, r.Index("wrist"), q[0])
			hand(t, s, e, r.Index("hand"), q[1])
			f, err := s.Feel()
			if err != nil {
				t.Fatal(err)
			}
			v := make([]float64, len(r.Axes))
			for i := range v {
				v[i] = s.axes[i].truth()
			}
			poses = append(poses, balance.WristPose{Rotation: balance.Rotation(r.Wrist(v)), ForceN: f.ForceN,
				TorqueNM: f.TorqueNM})
		}
		p, err := (balance.Weighing{G: balance.G, Bias: true}).From(poses)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	for _, c := range []struct {
		on       bool
		by, want float64
		at       rig.Vec
	}{{false, 0, 4.13, rig.Vec{0.001, 0.096, 0.054}}, {true, 8, 8, rig.Vec{0.001, 0.096 * (0.5 + 4/4.13), 0.054}},
		{false, 0, 4.13, rig.Vec{0.001, 0.096, 0.054}}} {
		if err := s.Pretend(link.PretendPayload, "", c.on, c.by); err != nil {
			t.Fatal(err)
		}
		p := feel()
		d := rig.Vec{p.Centre[0] - c.at[0], p.Centre[1] - c.at[1], p.Centre[2] - c.at[2]}
		if math.Abs(p.MassKg-c.want) > 0.03 || d.Norm() > 0.001 || p.ResidualN > 0.3 || p.ResidualN == 0 {
			t.Errorf("%g kg at %v: found %+v", c.want, c.at, p)
		}
	}
	for _, bad := range []float64{0, -1, 51, math.NaN()} {
		if err := s.Pretend(link.PretendPayload, "", true, bad); err == nil {
			t.Errorf("%g kg hang there", bad)
		}
	}
	if err := s.Jog(e, "turn", 5); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Feel(); err == nil || !strings.Contains(err.Error(), "only where it stands still") {
		t.Errorf("on its way: %v", err)
	}
	bare := NewSim(Options{Rig: plank(), Seed: 8})
	if _, err := bare.Feel(); err == nil || !strings.Contains(err.Error(), "nothing at its wrist that feels") {
		t.Errorf("Plank: %v", err)
	}
	if err := bare.Pretend(link.PretendPayload, "", true, 3); err == nil {
		t.Error("Plank has a wrist")
	}
}

// The focus handset is locked out from the first pass that is armed until it is let in;
// turned before, the ring's place is not known any more.
func TestTheHandsetIsLockedOut(t *testing.T) {
	s, tab, e := homed(t, Options{Seed: 3})
	if h := s.State().Handset; h != link.HandsetFree {
		t.Errorf("it is %s", h)
	}
	arm(t, s, tab, e, "one")
	if h := s.State().Handset; h != link.HandsetLocked {
		t.Errorf("armed it is %s", h)
	}
	was := s.axes[s.o.Rig.Of(rig.Focus)].truth()
	if err := s.Pretend(link.PretendHandset, "", true, 20); err == nil || !strings.Contains(err.Error(),
		"locked out while passes repeat") {
		t.Errorf("turned: %v", err)
	}
	if at := s.axes[s.o.Rig.Of(rig.Focus)].truth(); at != was || !s.State().Homed("focus") {
		t.Errorf("the ring went from %g to %g", was, at)
	}
	if err := s.Handset(e+1, true); err == nil {
		t.Error("somebody else lets it in")
	}
	if err := s.Handset(e, true); err != nil || s.mode != link.Idle {
		t.Errorf("let in: %v, %s", err, s.mode)
	}
	if err := s.Pretend(link.PretendHandset, "", true, 20); err != nil {
		t.Fatal(err)
	}
	for range 100 { // the ring follows at once, its reading too
		s.Heard()
		s.Step()
	}
	if at := s.axes[s.o.Rig.Of(rig.Focus)].truth(); math.Abs(at-was-20) > 0.2 || s.State().Homed("focus") ||
		!s.State().Homed("track") {
		t.Errorf("the ring went from %g to %g, homed %v", was, at, s.State().Homed("focus"))
	}
	if err := s.Pretend(link.PretendHandset, "", true, 1e6); err == nil {
		t.Error("turned past its end")
	}
	if err := s.Handset(e, false); err != nil || s.State().Handset != link.HandsetLocked {
		t.Errorf("locked out by hand: %v", err)
	}
}
