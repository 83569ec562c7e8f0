package standin

import (
	"math"

	"keenarc/core/rig"
	"keenarc/link"
)

// Free lets a drive go, so that the axis can be turned by hand; Engage has it hold
// again. What then does not know where it is must be homed.
func (s *Sim) Free(epoch int64, id string, free bool) error {
	i := s.o.Rig.Index(id)
	if i < 0 {
		return refuse("there is no axis %q", id)
	}
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	s.mode = link.Idle // nothing stays armed
	a := &s.axes[i]
	if !free && a.fault != "" {
		return refuse("%s has a drive fault: %s; clear it at the drive first", a.a.Name, a.fault)
	}
	if a.free = free; free {
		a.lostSight()
	}
	return nil
}

// lostSight: only an output's sensor, or an absolute one, still knows where an axis is
// that was not held.
func (a *axis) lostSight() {
	if a.a.Feedback != rig.SeesOutput && !offers(a.a, rig.Absolute) {
		a.homed, a.known = false, false
	}
}

// Limits sets the day's soft limits, within the hard ends. Axes that are not named
// get the description's back.
func (s *Sim) Limits(epoch int64, soft map[string][2]float64) error {
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	for id, l := range soft {
		i := s.o.Rig.Index(id)
		if i < 0 {
			return refuse("there is no axis %q", id)
		}
		if a := s.o.Rig.Axes[i]; !(l[0] < l[1] && l[0] >= a.Hard[0] && l[1] <= a.Hard[1]) {
			return refuse("%s: soft limits %g to %g; give two in rising order within its hard ends %g to %g", a.Name,
				l[0], l[1], a.Hard[0], a.Hard[1])
		}
	}
	s.mode = link.Idle // what is armed was checked against the old ones
	for i := range s.axes {
		a := &s.axes[i]
		a.soft = [2]float64{a.a.Min, a.a.Max}
		if l, ok := soft[a.a.ID]; ok {
			a.soft = l
		}
	}
	return nil
}

// MostSuspended is for how many seconds soft limits can be suspended at the most.
const MostSuspended = 120

// suspendedShare is how fast an axis without soft limits is jogged at the most, of its
// working speed.
const suspendedShare = 0.25

// Suspend lets an axis be jogged past its soft limits, up to its hard ends, for so many
// seconds; then they hold again by themselves. Without seconds they hold at once. Nothing
// rolls or goes anywhere meanwhile.
func (s *Sim) Suspend(epoch int64, id string, seconds float64) error {
	i := s.o.Rig.Index(id)
	if i < 0 {
		return refuse("there is no axis %q", id)
	}
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	if !(seconds >= 0 && seconds <= MostSuspended) {
		return refuse("soft limits suspended for %g s; give up to %d, or 0 for back on", seconds, MostSuspended)
	}
	a := &s.axes[i]
	if !a.homed && seconds > 0 {
		return refuse("%s is not homed: its soft limits do not hold anyway", a.a.Name)
	}
	s.mode = link.Idle // nothing stays armed
	a.open = s.tick + int64(seconds*1000)
	return nil
}

// suspended names an axis whose soft limits do not hold just now.
func (s *Sim) suspended() (name string, any bool) {
	for i := range s.axes {
		if s.axes[i].open > s.tick {
			return s.axes[i].a.Name, true
		}
	}
	return "", false
}

// room is where an axis may be jogged.
func (a *axis) room(tick int64) [2]float64 {
	if a.open > tick {
		return a.a.Hard
	}
	return a.soft
}

// Pretend is told what has happened to the machine: what a person, a drive or a
// stop would do. It needs no lease, as they do not.
func (s *Sim) Pretend(what, id string, on bool, by float64) error {
	if what == link.PretendStop {
		s.pressed(on)
		return nil
	}
	if what == link.PretendPayload {
		return s.rehang(on, by)
	}
	if what == link.PretendHandset {
		return s.turnHandset(by)
	}
	if what == link.PretendKnocked {
		return s.knocked(id, on, by)
	}
	i := s.o.Rig.Index(id)
	if i < 0 {
		return refuse("there is no axis %q", id)
	}
	a := &s.axes[i]
	switch what {
	case link.PretendFault:
		if !on {
			a.fault = ""
			return nil
		}
		a.fault, a.free = "over current", true
		a.lostSight()
		s.Count("a drive fault on " + a.a.Name)
	case link.PretendHardEnd: // somebody pushed it there
		a.lost += a.a.Hard[1] - a.shaft()
		a.out = a.a.Hard[1]
		a.end, a.homed = "high", false
		s.Count(a.a.Name + " ran into its hard end")
	case link.PretendLost:
		if !(by > -1e6 && by < 1e6) {
			return refuse("%g %s of lost steps; give a number", by, a.a.Unit.Symbol())
		}
		a.lost += by
	case link.PretendMissing, link.PretendUnknown, link.PretendDirection, link.PretendAddress, link.PretendPort,
		link.PretendRoute, link.PretendUniverse, link.PretendCable:
		s.rewire(what, i, on)
	case link.PretendSensor:
		a.blind = on
	case link.PretendEncoder:
		if a.deaf = on; on { // as after a night without power
			a.homed, a.known = false, false
			a.read(0)
		}
	case link.PretendScale: // somebody changed its gearing: a unit asked for moves it by so many
		if !on {
			by = 1
		}
		if !(math.Abs(by) >= 0.01 && math.Abs(by) <= 100) {
			return refuse("a scale of %g; give 0.01 to 100, or that with a minus", by)
		}
		a.err, a.scale = a.shaft()-a.x*by-a.lost, by
		a.homed, a.known = false, false
	default:
		return refuse("there is nothing called %q to pretend", what)
	}
	return nil
}

// knocked moves where it really stands, without its noticing: by so many millimetres to
// the right, forward or up, or so many degrees to the right. Off: it stands where it stood.
func (s *Sim) knocked(way string, on bool, by float64) error {
	if !on {
		s.knock = rig.Place{}
		return nil
	}
	if !(math.Abs(by) <= 1000) {
		return refuse("knocked by %g; give at most 1000", by)
	}
	switch way {
	case "right", "forward", "up":
		s.knock.At[map[string]int{"right": 0, "forward": 1, "up": 2}[way]] += by / 1000
	case "turn":
		s.knock.TurnDeg += by
	default:
		return refuse("knocked to %q; say right, forward, up or turn", way)
	}
	return nil
}

// pressed cuts the power with the emergency stop: what moves is stopped at once, by
// the brakes and not along its path; drives are free until it is released.
func (s *Sim) pressed(on bool) {
	if s.estop = on; !on {
		for i := range s.axes {
			s.axes[i].free = s.axes[i].fault != ""
		}
		return
	}
	s.stops++
	s.letGo(s.press)
	moving := s.mode != link.Idle && s.mode != link.Armed
	if s.mode == link.Rolling || s.mode == link.Braking {
		s.cur.broken = "the emergency stop was pressed"
		s.brake = &brake{s.at, float64(s.at-s.start) / 1000, dt}
		s.endTake()
		s.cur.end.Broken, s.cur.end.Why = true, s.cur.broken
	}
	s.mode, s.brake, s.legs, s.jogV, s.seeks = link.Idle, nil, nil, 0, nil
	for i := range s.axes {
		a := &s.axes[i]
		if moving {
			a.lostSight()
		}
		a.stand(a.x)
		a.free = true
	}
}

// rehang changes what hangs at the wrist behind the application's back: so many
// kilograms, with the centre further out the heavier it is.
func (s *Sim) rehang(on bool, kg float64) error {
	if s.hung == nil {
		return refuse("%s has no wrist that feels what hangs on it", s.o.Rig.Name)
	}
	was := newHung(0)
	if !on {
		kg = was.kg
	}
	if !(kg >= 0.1 && kg <= 50) {
		return refuse("%g kg at the wrist; give 0.1 to 50", kg)
	}
	s.hung.kg = kg
	s.hung.at = rig.Vec{was.at[0], was.at[1] * (0.5 + kg/was.kg/2), was.at[2]}
	return nil
}
