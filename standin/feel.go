package standin

import (
	"math/rand/v2"

	"keenarc/core/balance"
	"keenarc/core/rig"
	"keenarc/link"
)

// hung is what truly hangs at a wrist, and how far off its sensor's own zero is.
type hung struct {
	kg           float64
	at           rig.Vec // from the wrist, in its axes
	force, twist rig.Vec // the sensor's bias
	rng          *rand.Rand
}

// Noise of the sensor, as a standard deviation, and the spread of its zero.
const (
	feelN, feelNM = 0.06, 0.004
	zeroN, zeroNM = 3, 0.3
)

// newHung is the demo's camera at the wrist, on a sensor with a zero of its own.
func newHung(seed uint64) *hung {
	h := &hung{kg: 4.13, at: rig.Vec{0.001, 0.096, 0.054}, rng: rand.New(rand.NewPCG(seed, 0x57))}
	for k := range 3 {
		h.force[k], h.twist[k] = zeroN*h.rng.NormFloat64(), zeroNM*h.rng.NormFloat64()
	}
	return h
}

// Feel is what the wrist's sensor reads where the arm stands.
func (s *Sim) Feel() (*link.Felt, error) {
	if s.hung == nil {
		return nil, refuse("%s has nothing at its wrist that feels", s.o.Rig.Name)
	}
	if s.mode != link.Idle && s.mode != link.Armed {
		return nil, refuse("%s is %s; what it feels counts only where it stands still", s.o.Rig.Name, s.mode)
	}
	q := make([]float64, len(s.axes))
	for i := range s.axes {
		q[i] = s.axes[i].truth()
	}
	h := s.hung
	f := s.o.Rig.Wrist(q)
	down := rig.Vec{-f.Right[2], -f.Forward[2], -f.Up[2]}
	out := &link.Felt{ForceN: &rig.Vec{}}
	w := rig.Vec{h.kg * balance.G * down[0], h.kg * balance.G * down[1], h.kg * balance.G * down[2]}
	twist := rig.Vec{h.at[1]*w[2] - h.at[2]*w[1], h.at[2]*w[0] - h.at[0]*w[2], h.at[0]*w[1] - h.at[1]*w[0]}
	for k := range 3 {
		out.ForceN[k] = w[k] + h.force[k] + feelN*h.rng.NormFloat64()
		out.TorqueNM[k] = twist[k] + h.twist[k] + feelNM*h.rng.NormFloat64()
	}
	return out, nil
}

// Handset lets the focus puller's handset drive the lens, or locks it out. It is locked
// out by itself when a pass is armed, and stays so until it is let in again.
func (s *Sim) Handset(epoch int64, free bool) error {
	if s.o.Rig.Of(rig.Focus) < 0 {
		return refuse("%s drives no focus ring", s.o.Rig.Name)
	}
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	s.mode = link.Idle // nothing stays armed for a lens that somebody may turn
	s.locked = !free
	return nil
}

// turnHandset is somebody turning it by so many degrees of the ring.
func (s *Sim) turnHandset(by float64) error {
	i := s.o.Rig.Of(rig.Focus)
	if i < 0 {
		return refuse("%s drives no focus ring", s.o.Rig.Name)
	}
	if s.locked {
		return refuse("the focus handset is locked out while passes repeat")
	}
	a := &s.axes[i]
	if to := a.shaft() + by; !(to >= a.a.Hard[0] && to <= a.a.Hard[1]) {
		return refuse("%g degrees more are beyond the end of the focus ring", by)
	}
	a.lost += by
	a.lostSight()
	return nil
}
