package standin

import (
	"math"
	"slices"
	"strings"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/link"
)

// Step is one millisecond of the machine.
func (s *Sim) Step() {
	s.tick++
	s.watchSilence()
	switch s.mode {
	case link.Homing:
		s.stepHoming()
	case link.Moving:
		s.stepWay()
	case link.Jogging:
		s.stepJog()
	case link.Rolling, link.Braking:
		s.stepRoll()
	default:
		for i := range s.axes {
			s.drive(i, s.axes[i].cmd)
		}
	}
	s.at = s.tick
}

// still reports whether nothing moves and nothing is about to: a step would change
// nothing but the tick.
func (s *Sim) still() bool {
	if s.mode != link.Idle {
		return false
	}
	for i := range s.axes {
		if !s.axes[i].still() {
			return false
		}
	}
	return true
}

// rest lets time go by while it is still.
func (s *Sim) rest(ticks int64) {
	s.tick += ticks
	s.at = s.tick
}

// drive moves one axis on by a tick. One that runs into its hard end stops them all.
func (s *Sim) drive(i int, cmd float64) {
	a := &s.axes[i]
	was := a.end
	if a.follow(cmd) && was == "" {
		s.Count(strings.ToLower(a.a.Name) + " ran into its hard end")
	}
}

func (s *Sim) watchSilence() {
	switch s.mode {
	case link.Rolling, link.Jogging:
		if s.tick-s.beat >= s.silence() {
			s.Stop("the hold fell silent")
		}
	case link.Homing:
		if !s.halting && s.tick-s.heard >= s.silence() {
			s.Stop("the connection fell silent")
		}
	case link.Moving: // a homing that was broken off before says nothing of it
		if s.brake == nil && s.tick-s.heard >= s.silence() {
			s.Stop("the connection fell silent")
		}
	}
}

func (s *Sim) stepWay() {
	t := float64(s.tick-s.start) / 1000
	over := t >= s.way.seconds
	if b := s.brake; b != nil {
		t = b.at(float64(s.tick))
		over = float64(s.tick-b.tick)/1000 >= b.seconds || t >= s.way.seconds
	}
	u := min(t/s.way.seconds, 1)
	k := u * u * u * (10 + u*(-15+6*u))
	for i := range s.axes {
		s.drive(i, s.way.from[i]+k*(s.way.to[i]-s.way.from[i]))
	}
	switch {
	case !over:
	case len(s.legs) > 0:
		s.next(s.mode)
	default:
		s.mode, s.brake = link.Idle, nil
	}
}

func (s *Sim) stepJog() {
	moving := false
	for i := range s.axes {
		a := &s.axes[i]
		if i != s.jog {
			s.drive(i, a.cmd)
			continue
		}
		// The command's speed climbs and falls at half the working acceleration,
		// and falls in time to rest at a soft limit.
		v := (a.cmd - a.prev) / dt
		acc := a.a.Working.Acceleration / 2
		want := s.jogV
		in, bound := s.jogRoom(a)
		if bound {
			room := in[1] - a.cmd
			if want < 0 {
				room = a.cmd - in[0]
			}
			want = math.Copysign(min(math.Abs(want), math.Sqrt(2*acc*max(0, room-math.Abs(v)*dt))), want)
		}
		v += min(max(want-v, -acc*dt), acc*dt)
		next := a.cmd + v*dt
		if bound {
			next = min(max(next, min(a.cmd, in[0])), max(a.cmd, in[1]))
		}
		s.drive(i, next)
		moving = math.Abs(v) > 1e-9
	}
	if s.jogV == 0 && !moving {
		s.mode = link.Idle
	}
}

// jogRoom is where the axis that is jogged may go, and whether anything bounds it: its
// limits, where it knows where it is, and how far it was asked to.
func (s *Sim) jogRoom(a *axis) (in [2]float64, bound bool) {
	in = [2]float64{math.Inf(-1), math.Inf(1)}
	if a.homed {
		in, bound = a.room(s.tick), true
	}
	if s.until != nil {
		bound = true
		if s.jogV > 0 || s.jogV == 0 && a.cmd > a.prev {
			in[1] = min(in[1], *s.until)
		} else {
			in[0] = max(in[0], *s.until)
		}
	}
	return in, bound
}

// stepRoll leads by the lag that the drives are known to have: what is asked for is
// due that much later, and what is due now was asked for that much earlier.
func (s *Sim) stepRoll() {
	r := s.tick - s.start
	lag := s.o.Rig.LagMS
	over := false
	s.pos, over = s.due(float64(r) - lag)
	lead, _ := s.due(float64(r))
	frame := s.pos.Frame()
	if s.cur.tick < 0 {
		s.cur.tick = s.tick
	}
	for i := range s.axes {
		a := &s.axes[i]
		a.slip(frame)
		a.roll = float64(r) * dt
		s.drive(i, s.read.position(s.run, i, lead))
		row := a.row(a.reads())
		if r%s.every == 0 {
			s.cur.steps[i] = append(s.cur.steps[i], row)
		}
	}
	if r%s.every == 0 {
		s.cur.pos = append(s.cur.pos, s.pos)
	}
	if over {
		s.endTake()
	}
}

// due is the position of the roll at a time in ms from its start, and whether it is
// over then. While it slows down its clock's own time does.
func (s *Sim) due(ms float64) (clock.Pos, bool) {
	if b := s.brake; b != nil && ms > float64(b.tick-s.start) {
		tick := ms + float64(s.start)
		t := b.at(tick)
		if t < s.clk.Seconds() {
			return clock.At(s.clk.FrameAt(t)), (tick-float64(b.tick))/1000 >= b.seconds
		}
	}
	us := int64(math.Round(ms * 1000))
	return s.clk.At(us, 1_000_000), us >= s.clk.Ticks(1_000_000)
}

func (s *Sim) endTake() {
	c := s.cur
	c.ended = true
	c.end = link.TakeEnd{Take: c.id, Rows: len(c.pos), Frame: s.pos.Frame(), LastBeat: s.beat, BrakeTick: -1,
		Steers: c.steers}
	if b := s.brake; b != nil {
		c.end.BrakeTick = b.tick + 1 // the first tick that was slower
		c.end.Broken, c.end.Why = b.at(float64(s.tick)-s.o.Rig.LagMS) < s.whole, c.broken
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
			return refuse("rows %d to %d of take %s do not join the %d acknowledged of %d", from, to, id,
				t.acked, len(t.pos))
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

// State is what watchers are told: positions are what the feedback sees.
func (s *Sim) State() *link.State {
	st := &link.State{Tick: s.tick, Boot: s.boot, Stops: s.stops, Mode: s.mode, Epoch: s.epoch, Frame: s.pos.Frame(),
		Print: s.print, EStop: s.estop,
		Drive: "live", Axes: make(map[string]link.AxisState, len(s.axes))}
	if st.Still() {
		st.Drive = "holding"
	} else {
		st.Who = s.who
	}
	if s.held && (s.mode == link.Jogging || s.mode == link.Rolling) {
		st.Press = s.press
	}
	free := 0
	for i := range s.axes {
		a := &s.axes[i]
		x := link.AxisState{Pos: math.Round(a.reads()*1e6) / 1e6, Asked: math.Round(a.was*1e6) / 1e6, Homed: a.homed,
			Spread: a.spread(), Soft: a.soft,
			Free: a.free, End: a.end, Fault: a.fault, Waits: a.waits, Trouble: a.trouble, SuspendedMS: max(0,
				a.open-s.tick)}
		if a.free {
			free++
		}
		st.Axes[a.a.ID] = x
	}
	if s.o.Rig.Of(rig.Focus) >= 0 {
		if st.Handset = link.HandsetFree; s.locked {
			st.Handset = link.HandsetLocked
		}
	}
	if free == len(s.axes) {
		st.Drive = "free"
	}
	if s.cur != nil && !s.cur.ended {
		st.Take = s.cur.id
	}
	return st
}

// spread is how far the last homings lie apart.
func (a *axis) spread() link.Spread {
	sp := link.Spread{N: len(a.foundLog), Found: a.found, Learnt: a.learnt}
	if sp.N > 0 {
		sp.At = a.foundLog[sp.N-1]
		sp.Range = slices.Max(a.foundLog) - slices.Min(a.foundLog)
	}
	return sp
}

// Truth is where the outputs really are.
func (s *Sim) Truth() *link.Truth {
	t := &link.Truth{Tick: s.tick, Axes: map[string]float64{}, Place: s.o.Place}
	for k, v := range s.knock.At {
		t.Place.At[k] += v
	}
	t.Place.TurnDeg += s.knock.TurnDeg
	for i := range s.axes {
		t.Axes[s.axes[i].a.ID] = s.axes[i].truth()
	}
	return t
}
