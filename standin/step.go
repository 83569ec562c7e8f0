package standin

import (
	"math"
	"slices"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/seal"
	"keenarc/link"
)

// Step is one millisecond of the machine.
func (s *Sim) Step() {
	s.tick++
	s.watchSilence()
	switch s.mode {
	case link.Homing, link.Moving:
		s.stepWay()
	case link.Jogging:
		s.stepJog()
	case link.Rolling, link.Braking:
		s.stepRoll()
	default:
		for i := range s.axes {
			s.axes[i].follow(s.axes[i].cmd)
		}
	}
	s.at = s.tick
}

func (s *Sim) watchSilence() {
	switch s.mode {
	case link.Rolling, link.Jogging:
		if s.tick-s.beat >= s.silence() {
			s.Stop("the hold fell silent")
		}
	case link.Homing, link.Moving:
		if s.brake == nil && s.tick-s.heard >= s.silence() {
			s.Stop("the connection fell silent")
		}
	}
}

func (s *Sim) stepWay() {
	t := float64(s.tick-s.start) / 1000
	over := t >= s.way.seconds
	if b := s.brake; b != nil {
		u := float64(s.tick-b.tick) / 1000 / b.seconds
		gone, _, _ := limit.BrakeAt(u)
		t = b.from + gone*b.seconds
		over = u >= 1 || t >= s.way.seconds
	}
	u := min(t/s.way.seconds, 1)
	k := u * u * u * (10 + u*(-15+6*u))
	for i := range s.axes {
		s.axes[i].follow(s.way.from[i] + k*(s.way.to[i]-s.way.from[i]))
	}
	switch {
	case !over:
	case len(s.legs) > 0:
		s.next(s.mode)
	default:
		if s.mode == link.Homing && s.brake == nil {
			s.foundHome()
		}
		s.mode, s.brake = link.Idle, nil
	}
}

// foundHome makes the sensor's edge the machine's zero.
func (s *Sim) foundHome() {
	for i := range s.axes {
		a := &s.axes[i]
		a.homed = true
		a.foundLog = append(a.foundLog, a.foundAt)
		if len(a.foundLog) > 10 {
			a.foundLog = a.foundLog[1:]
		}
		zero := min(max(0, a.a.Min), a.a.Max)
		shift := zero - a.cmd
		a.cmd, a.prev, a.x, a.out = zero, zero, a.x+shift, a.out+shift
	}
}

func (s *Sim) stepJog() {
	moving := false
	for i := range s.axes {
		a := &s.axes[i]
		if i != s.jog {
			a.follow(a.cmd)
			continue
		}
		// The command's speed climbs and falls at half the working acceleration,
		// and falls in time to rest at a soft limit.
		v := (a.cmd - a.prev) / dt
		acc := a.a.Working.Acceleration / 2
		want := s.jogV
		if a.homed {
			room := a.a.Max - a.cmd
			if want < 0 {
				room = a.cmd - a.a.Min
			}
			want = math.Copysign(min(math.Abs(want), math.Sqrt(2*acc*max(0, room-math.Abs(v)*dt))), want)
		}
		v += min(max(want-v, -acc*dt), acc*dt)
		next := a.cmd + v*dt
		if a.homed {
			next = min(max(next, a.a.Min), a.a.Max)
		}
		a.follow(next)
		moving = math.Abs(v) > 1e-9
	}
	if s.jogV == 0 && !moving {
		s.mode = link.Idle
	}
}

func (s *Sim) stepRoll() {
	r := s.tick - s.start
	over := false
	if b := s.brake; b != nil {
		u := float64(s.tick-b.tick) / 1000 / b.seconds
		gone, _, _ := limit.BrakeAt(u)
		s.pos = clock.At(b.from + gone*b.rate*b.seconds)
		over = u >= 1
	} else {
		s.pos = s.clk.At(r, 1000)
	}
	if end := clock.Pos(s.run.End()) << 32; s.pos >= end {
		s.pos, over = end, true
	}
	frame := s.pos.Frame()
	for i := range s.axes {
		s.axes[i].follow(seal.Value(s.run.At(i, s.pos), s.run.Units[i]))
	}
	if s.cur.tick < 0 {
		s.cur.tick = s.tick
	}
	s.cur.pos = append(s.cur.pos, s.pos)
	for i := range s.axes {
		a := &s.axes[i]
		s.cur.steps[i] = append(s.cur.steps[i], a.row(a.measured(float64(r)*dt, frame)))
	}
	if over {
		s.endTake()
	}
}

func (s *Sim) endTake() {
	c := s.cur
	c.ended = true
	c.end = link.TakeEnd{Take: c.id, Rows: len(c.pos), Frame: s.pos.Frame(), LastBeat: s.beat, BrakeTick: -1}
	if b := s.brake; b != nil {
		c.end.BrakeTick = b.tick + 1 // the first tick that was slower
		c.end.Broken, c.end.Why = s.pos.Frame() < float64(s.run.Last), c.broken
	}
	s.mode, s.brake = link.Idle, nil
}

// Ack notes that rows [from, to) of a take are stored elsewhere; a take that is
// ended and wholly stored is dropped. It must come from the holder of the lease,
// and join what was acknowledged before: rows in between are not taken on trust.
func (s *Sim) Ack(epoch int64, id string, from, to int) error {
	if epoch != s.epoch || epoch == 0 {
		return refuse("the lease is not yours (epoch %d, now %d); nothing is acknowledged", epoch, s.epoch)
	}
	for i, t := range s.takes {
		if t.id != id {
			continue
		}
		if from < 0 || from > t.acked || to < from || to > len(t.pos) {
			return refuse("rows %d to %d of take %s do not join the %d acknowledged of %d", from, to, id, t.acked, len(t.pos))
		}
		t.acked = max(t.acked, to)
		if t.ended && t.acked == len(t.pos) {
			s.takes = slices.Delete(s.takes, i, i+1)
		}
		return nil
	}
	return refuse("there is no take %s here", id)
}

// Knows refuses a take that the rig has no trace of, and a row that it has not got.
func (s *Sim) Knows(id string, row int) error {
	for _, t := range s.takes {
		if t.id == id {
			if row < 0 || row > len(t.pos) {
				return refuse("take %s has %d rows, not %d", id, len(t.pos), row)
			}
			return nil
		}
	}
	return refuse("there is no take %s here", id)
}

// State is what watchers are told.
func (s *Sim) State() *link.State {
	st := &link.State{Tick: s.tick, Mode: s.mode, Epoch: s.epoch, Frame: s.pos.Frame(), Pos: map[string]float64{}, Homed: map[string]bool{}, Spread: map[string]link.Spread{}, Print: s.print}
	for i := range s.axes {
		a := &s.axes[i]
		st.Pos[a.a.ID] = math.Round(a.x*1e6) / 1e6
		st.Homed[a.a.ID] = a.homed
		sp := link.Spread{N: len(a.foundLog)}
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, v := range a.foundLog {
			lo, hi = min(lo, v), max(hi, v)
		}
		if sp.N > 1 {
			sp.Range = hi - lo
		}
		st.Spread[a.a.ID] = sp
	}
	switch s.mode {
	case link.Idle, link.Armed:
		st.Drive = "holding"
	default:
		st.Drive = "live"
	}
	if s.cur != nil && !s.cur.ended {
		st.Take = s.cur.id
	}
	return st
}
