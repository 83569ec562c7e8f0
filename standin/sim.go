// Package standin is a simulated rig that speaks the rig link over loopback as
// a machine would.
//
// Sim is its physics: a loop of 1 ms ticks, driven from outside, without wall
// clock, so that the same commands at the same ticks give the same motion. A
// take's noise depends only on the seed and on how many takes were rolled. It keeps
// the truth (where the outputs are) apart from what its sensors say, and shares with
// the planner the seal's encoding and the clocks, but none of the arithmetic by
// which it moves.
package standin

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/link"
)

// Options of a stand-in.
type Options struct {
	Rig *rig.Rig
	// Place is where it really stands, which may be beside where it is thought to.
	Place rig.Place
	Seed  uint64
	// Pace is simulated milliseconds per millisecond: 1 is real time.
	Pace   int
	Faults []Fault
	// Homed: it was homed before it is listened to, each axis that can do it by itself.
	Homed bool
}

// Fault makes an axis lose steps: in the roll with this number (from 1), from
// a frame on, its output stays By axis units off.
type Fault struct {
	Roll  int
	Axis  string
	Frame float64
	By    float64
}

// take is one roll's trace, kept until acknowledged.
type take struct {
	id     string
	tick   int64
	pos    []clock.Pos
	steps  [][]int32
	acked  int
	ended  bool
	end    link.TakeEnd
	broken string
	steers []clock.Steer
}

// way is a straight go-to in joint space: a minimum-jerk move of all axes in one time.
type way struct {
	from, to []float64
	seconds  float64
}

// brake is a slowing of the running motion's own time to rest.
type brake struct {
	tick    int64
	from    float64 // seconds of that time at its start
	seconds float64
}

// at is the motion's time so many ticks (real) on.
func (b *brake) at(tick float64) float64 {
	return b.from + slowed((tick-float64(b.tick))/1000/b.seconds)*b.seconds
}

// Sim is the machine.
type Sim struct {
	o     Options
	knock rig.Place // how far it was knocked from where it stood
	axes  []axis
	tick  int64
	at    int64 // the last tick that was carried out
	mode  string
	epoch int64

	table   *seal.Table // as loaded
	print   string
	run     *seal.Table // as armed: what rolls is what was checked
	clk     clock.Clock
	whole   float64 // seconds after which all pictures of the run are taken
	every   int64   // milliseconds between the rows of its trace
	read    reader
	armed   link.Arm
	rolls   int
	start   int64 // tick of the roll's or move's start
	way     way
	legs    []way // what follows
	brake   *brake
	pos     clock.Pos
	takes   []*take
	cur     *take
	boot    string   // which time it was switched on
	stops   int64    // counted since then
	press   string   // whose beats keep going what moves
	held    bool     // that press has not ended
	let     []string // presses that have ended, newest last
	who     string   // whose doing it is that it moves
	beat    int64    // tick of the last beat
	heard   int64    // tick of the lease holder's last word
	jog     int      // axis, while jogging
	until   *float64 // as far as here, while jogging
	jogV    float64
	homes   int
	seeks   []*seek // the homing that goes on, by axis; nil: it stands still
	halting bool    // it is to stop
	begun   int64   // movements that were set off since it was switched on
	estop   bool
	wires   wiring
	hung    *hung // at its wrist, if that feels
	locked  bool  // the focus handset is locked out
}

// NewSim puts the rig somewhere it does not know.
func NewSim(o Options) *Sim {
	s := &Sim{o: o, mode: link.Idle, beat: -1, every: 1}
	rng := rand.New(rand.NewPCG(o.Seed, 0x51))
	for i := range o.Rig.Axes {
		a := &o.Rig.Axes[i]
		span := a.Max - a.Min
		truth := a.Min + (0.2+0.6*rng.Float64())*span
		x := newAxis(a, truth, truth+0.1*span*(rng.Float64()-0.5), o.Rig.LagMS)
		if a.Home == rig.Absolute { // known when it is switched on, to its encoder's grain
			x.read(scatter(a, a.Home, rng))
			x.foundLog, x.found = nil, 0
		}
		s.axes = append(s.axes, x)
	}
	if b := o.Rig.Book; b != nil && b.Wrist != nil {
		s.hung = newHung(o.Seed)
	}
	return s
}

// silence is how many ticks without a beat make the rig slow down.
func (s *Sim) silence() int64 {
	pace := int64(max(s.o.Pace, 1))
	return link.Silence(pace).Milliseconds() * pace
}

func (s *Sim) homed() (name string, ok bool) {
	for i := range s.axes {
		if !s.axes[i].homed {
			return s.axes[i].a.Name, false
		}
	}
	return "", true
}

func refuse(format string, v ...any) error { return fmt.Errorf(format, v...) }

func (s *Sim) mayMove(epoch int64) error {
	switch {
	case epoch != s.epoch || epoch == 0:
		return refuse("the lease is not yours (epoch %d, now %d); take it first", epoch, s.epoch)
	case s.mode != link.Idle && s.mode != link.Armed:
		return refuse("the rig is %s; wait until it is idle", s.mode)
	case s.estop:
		return refuse("its emergency stop is pressed; release it at the machine")
	}
	s.heard = s.tick
	return nil
}

// mayDrive refuses while an axis cannot be driven.
func (s *Sim) mayDrive() error {
	for i := range s.axes {
		switch a := &s.axes[i]; {
		case a.fault != "":
			return refuse("%s has a drive fault: %s; clear it at the drive, then engage it", a.a.Name, a.fault)
		case a.free:
			return refuse("%s is free; engage it first", a.a.Name)
		}
	}
	return nil
}

// Lease hands the control to a new holder, from a rig that stands still only.
func (s *Sim) Lease() (int64, error) {
	if s.mode != link.Idle && s.mode != link.Armed {
		return 0, refuse("the rig is %s; the lease is given when it stands still", s.mode)
	}
	s.mode = link.Idle // what the old holder had armed is not the new one's
	s.epoch++
	s.heard, s.who = s.tick, ""
	return s.epoch, nil
}

// GoTo starts a straight move of the named axes at a share of their working speed,
// up to half of it, which it is where none is given.
func (s *Sim) GoTo(epoch int64, to map[string]float64, share float64) error {
	if share == 0 {
		share = rig.FastGoTo
	}
	if !(share > 0 && share <= rig.FastGoTo) {
		return refuse("a share of %g of the working speeds; give 0.01 to %g", share, rig.FastGoTo)
	}
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	if err := s.mayDrive(); err != nil {
		return err
	}
	if name, ok := s.homed(); !ok {
		return refuse("%s is not homed; home it first", name)
	}
	if name, ok := s.suspended(); ok {
		return refuse("the soft limits of %s are suspended; put them back on first", name)
	}
	target := s.command()
	for id, v := range to {
		i := s.o.Rig.Index(id)
		if i < 0 {
			return refuse("there is no axis %q", id)
		}
		a := s.o.Rig.Axes[i]
		if soft := s.axes[i].soft; math.IsNaN(v) || v < soft[0]-1e-9 || v > soft[1]+1e-9 {
			return refuse("%s to %g %s is outside its soft limits %g to %g", a.Name, v, a.Unit.Symbol(),
				soft[0], soft[1])
		}
		target[i] = v
	}
	// Arrive from one side: short of the pose first, then up to it, so that the
	// slack lies the same way every time.
	short := append([]float64(nil), target...)
	for i := range short {
		short[i] = max(short[i]-4*s.axes[i].a.Backlash, s.axes[i].soft[0])
	}
	s.legs = []way{s.wayTo(nil, short, share), s.wayTo(short, target, min(share, rig.SlowGoTo))}
	s.begun++
	s.next(link.Moving)
	return nil
}

func (s *Sim) command() []float64 {
	out := make([]float64, len(s.axes))
	for i := range s.axes {
		out[i] = s.axes[i].cmd
	}
	return out
}

func (s *Sim) wayTo(from, to []float64, share float64) way {
	if from == nil {
		from = s.command()
	}
	return way{append([]float64(nil), from...), append([]float64(nil), to...), s.o.Rig.GoToSeconds(from, to, share)}
}

func (s *Sim) next(mode string) {
	s.way, s.legs = s.legs[0], s.legs[1:]
	s.mode, s.start, s.brake = mode, s.tick, nil
}

// obeys refuses an order that was given for another lease, before the machine was switched
// on, before a stop that it has counted since, or too late.
func (s *Sim) obeys(o link.Order) error {
	switch {
	case o.Epoch != s.epoch || o.Epoch == 0:
		return refuse("the lease is not yours (epoch %d, now %d); take it first", o.Epoch, s.epoch)
	case o.Boot != s.boot:
		return refuse("this was asked before it was switched off and on; look where it stands, then ask again")
	case o.Stops != s.stops:
		return refuse("a stop came in between; ask again")
	case o.By != 0 && s.tick > o.By:
		return refuse("this came %d ms too late; ask again", s.tick-o.By)
	}
	return nil
}

// fresh refuses a press that has ended: what it moved stands still until another one.
func (s *Sim) fresh(press string) error {
	if slices.Contains(s.let, press) {
		return refuse("this press has ended; press again")
	}
	return nil
}

// mostLet is how many presses that have ended are remembered.
const mostLet = 256

// letGo ends a press: nothing moves by it any more, now or later.
func (s *Sim) letGo(press string) {
	if press == s.press {
		s.held = false
	}
	if press == "" || slices.Contains(s.let, press) {
		return
	}
	if s.let = append(s.let, press); len(s.let) > mostLet {
		s.let = s.let[len(s.let)-mostLet:]
	}
}

// Jog moves one axis at a speed while beats of its press keep coming.
func (s *Sim) Jog(epoch int64, id string, speed float64) error {
	return s.JogTo(epoch, "", id, speed, nil)
}

// JogTo is the same, as far as a place and no farther.
func (s *Sim) JogTo(epoch int64, press, id string, speed float64, until *float64) error {
	if until != nil && !(math.Abs(*until) < 1e9) {
		return refuse("a jog as far as %g; give a value of the axis", *until)
	}
	i := s.o.Rig.Index(id)
	if i < 0 {
		return refuse("there is no axis %q", id)
	}
	if err := s.fresh(press); err != nil {
		return err
	}
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	a := s.o.Rig.Axes[i]
	if x := &s.axes[i]; x.fault != "" || x.free {
		return refuse("%s is not driven; engage it first", a.Name)
	}
	if err := s.jogSpeed(i, speed); err != nil {
		return err
	}
	s.until = until
	s.begun++
	s.mode, s.jog, s.beat = link.Jogging, i, s.tick
	s.press, s.held = press, true
	return nil
}

// jogSpeed sets how fast an axis is jogged: slowly, where no soft limit holds.
func (s *Sim) jogSpeed(i int, speed float64) error {
	a := s.o.Rig.Axes[i]
	if math.IsNaN(speed) || math.Abs(speed) > a.Working.Speed {
		return refuse("%s at %g %s/s is over its working speed %g", a.Name, speed, a.Unit.Symbol(), a.Working.Speed)
	}
	if s.axes[i].open > s.tick {
		speed = math.Copysign(min(math.Abs(speed), suspendedShare*a.Working.Speed), speed)
	}
	s.jogV = speed
	return nil
}

// Speed gives the jog of a press another speed. One that has ended is not begun again by it.
func (s *Sim) Speed(press string, speed float64) error {
	if s.mode != link.Jogging || !s.held || press != s.press {
		return refuse("that jog has ended; press again")
	}
	return s.jogSpeed(s.jog, speed)
}

// Beat is the sign of life of a press; it keeps going only what was begun with it.
func (s *Sim) Beat(epoch int64, press string) {
	if epoch == s.epoch && epoch != 0 && s.held && press == s.press {
		s.beat, s.heard = s.tick, s.tick
	}
}

// Release lets go of a press. What it has begun slows to rest; what it has not begun yet
// it never will.
func (s *Sim) Release(epoch int64, press string) {
	if epoch != s.epoch || epoch == 0 {
		return
	}
	mine := s.held && press == s.press
	s.letGo(press)
	if mine {
		s.Stop("the hold was let go")
	}
}

// Count is the stop that anybody may say: whatever moves slows to rest, nothing stays armed,
// and no order from before is carried out any more.
func (s *Sim) Count(why string) {
	s.stops++
	s.Stop(why)
}

// Heard notes a word of the lease holder.
func (s *Sim) Heard() { s.heard = s.tick }

// Stop slows whatever moves to rest along its way. Anybody may call it, as often
// as they like: what is slowing already goes on slowing as it began.
func (s *Sim) Stop(why string) {
	if s.held {
		s.letGo(s.press)
	}
	switch s.mode {
	case link.Rolling:
		s.slow(s.armed.Brake, why)
	case link.Homing:
		if !s.halting {
			s.breakOff(why)
		}
	case link.Moving:
		if s.brake == nil {
			s.slow(s.way.brakeFor(s.axes), why)
		}
	case link.Jogging:
		s.jogV = 0
	case link.Armed:
		s.mode = link.Idle
	}
}

func (s *Sim) slow(seconds float64, why string) {
	s.brake = &brake{s.at, float64(s.at-s.start) / 1000, seconds}
	if s.mode == link.Rolling {
		s.cur.broken = why
		s.mode = link.Braking
	} else {
		s.legs = nil
	}
}

// ParseFault reads ROLL:AXIS:FRAME:BY.
func ParseFault(text string, r *rig.Rig) (Fault, error) {
	var f Fault
	p := strings.Split(text, ":")
	if len(p) != 4 {
		return f, fmt.Errorf("%q is not ROLL:AXIS:FRAME:BY, as 2:track:128:0.9", text)
	}
	n, err1 := strconv.Atoi(p[0])
	frame, err2 := strconv.ParseFloat(p[2], 64)
	by, err3 := strconv.ParseFloat(p[3], 64)
	if err := errors.Join(err1, err2, err3); err != nil || r.Index(p[1]) < 0 {
		return f, fmt.Errorf("%q: give a roll number, an axis of %s, a frame and a distance", text, r.Name)
	}
	return Fault{n, p[1], frame, by}, nil
}
