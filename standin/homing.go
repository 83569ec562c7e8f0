package standin

import (
	"fmt"
	"math"
	"math/rand/v2"

	"keenarc/core/rig"
	"keenarc/link"
)

// seek is one axis that looks for its zero, leg after leg, with the command's own speed.
type seek struct {
	way  rig.HomeWay
	legs []leg
	v    float64 // of the command, unit/s
	gone float64 // since the leg began
	met  bool    // what the leg looks for was found; it slows down
	low  float64 // count at which the low end was touched
}

// leg is one stretch of it: either to a place, or until something is met.
type leg struct {
	speed float64 // unit/s; signed where it looks for something
	to    func() float64
	until func() bool // looked at after every millisecond
	found func()      // when it is
	most  float64     // how far it looks
	fails string      // what is said if it has not been met by then
}

// How fast axes look for their zero, as shares of their working speeds: to a sensor, for
// its edge, and to an end that shall be touched.
const (
	seekFast  = 0.5
	seekEdge  = 0.04
	seekTouch = 0.4
	seekCheck = 0.2
)

// hysteresis of a sensor, as a share of the axis's range: it lets go so much farther out
// than it answers.
const hysteresis = 0.002

// indexAt is where the motor's index lies after the low end, as a share of its turn.
const indexAt = 0.37

// scatter is by how much one finding of the zero misses, in the axis's unit: the sensor's
// figure is three standard deviations; an end that is touched gives way three times as
// far, and two of them average; an absolute encoder only has its own grain.
func scatter(a *rig.Axis, w rig.HomeWay, rng *rand.Rand) float64 {
	n := rng.NormFloat64() * a.Repeatability / 3
	switch w {
	case rig.OneEnd:
		return 3 * n
	case rig.BothEnds:
		return 3 / math.Sqrt2 * n
	case rig.Absolute:
		return n / 4
	}
	return n
}

// Home starts homing of the named axes, or of all of them that can do it alone, each in
// its own way or in the one that is given. Others stand still.
func (s *Sim) Home(epoch int64, axes []string, way rig.HomeWay) error {
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	which := make([]bool, len(s.axes))
	for _, id := range axes {
		i := s.o.Rig.Index(id)
		if i < 0 {
			return refuse("there is no axis %q", id)
		}
		which[i] = true
	}
	ways := make([]rig.HomeWay, len(s.axes))
	for i := range s.axes {
		which[i] = which[i] || len(axes) == 0
		a := s.axes[i].a
		if ways[i] = way; way == "" {
			ways[i] = a.Home
		}
		switch {
		case !which[i]:
		case s.axes[i].fault != "":
			return refuse("%s has a drive fault: %s; clear it at the drive, then engage it", a.Name, s.axes[i].fault)
		case s.axes[i].free:
			return refuse("%s is free; engage it first", a.Name)
		case !offers(a, ways[i]):
			return refuse("%s cannot be homed by %s; use one of %v", a.Name, ways[i], a.Ways())
		case !ways[i].Alone() && ways[i] != rig.Absolute && len(axes) > 0:
			return refuse("%s: %s needs a person: drive it there and confirm", a.Name, ways[i])
		case !ways[i].Alone() && ways[i] != rig.Absolute:
			which[i] = false // left to a person
		}
	}
	s.homes++
	rng := rand.New(rand.NewPCG(s.o.Seed, 0x4000+uint64(s.homes)))
	s.seeks = make([]*seek, len(s.axes))
	for i := range s.axes {
		off := scatter(s.axes[i].a, ways[i], rng)
		if which[i] {
			a := &s.axes[i]
			a.homed, a.waits, a.trouble = false, "", ""
			s.seeks[i] = a.seek(ways[i], off)
		}
	}
	s.mode, s.start, s.brake, s.halting = link.Homing, s.tick, nil, false
	s.begun++
	return nil
}

func offers(a *rig.Axis, w rig.HomeWay) bool {
	for _, x := range a.Ways() {
		if x == w {
			return true
		}
	}
	return false
}

// seek is how an axis looks for its zero, this finding of which misses by off.
func (a *axis) seek(way rig.HomeWay, off float64) *seek {
	k := &seek{way: way}
	d := a.a
	w, zero := d.Working.Speed, d.HomeValue()
	span := d.Hard[1] - d.Hard[0]
	home := func() float64 { return zero }
	end := func(dir float64) leg {
		return leg{speed: dir * seekTouch * w, until: func() bool { return a.stalled }, most: 1.2 * span,
			fails: fmt.Sprintf("it found no end over %.4g %s; is it engaged, and does it move at all?", 1.2*span,
				d.Unit.Symbol())}
	}
	switch way {
	case rig.SensorEdge:
		k.legs = a.toSensor(zero+off, span)
	case rig.HardStop:
		turn := span / 40
		if d.Drive != nil {
			turn = d.Drive.Turn(d.Unit)
		}
		index := d.Hard[0] + indexAt*turn
		back := leg{speed: seekEdge * w, until: func() bool { return a.shaft() >= index+off }, found: func() {
			a.zeroed(index+off, index)
		}, most: turn,
			fails: "the motor's index did not come within a turn; look at the encoder and its cable"}
		k.legs = []leg{end(-1), back, {speed: seekFast * w, to: home}}
	case rig.OneEnd:
		down := end(-1)
		down.found = func() { a.zeroed(a.shaft(), d.Hard[0]+off) }
		k.legs = []leg{down, {speed: seekFast * w, to: home}}
	case rig.BothEnds:
		down, up := end(-1), end(1)
		down.found = func() { k.low = a.seen() }
		up.found = func() {
			high := a.seen()
			a.learnt = high - k.low
			// The middle of the two is the middle of the described range.
			mid := (d.Hard[0] + d.Hard[1]) / 2
			a.zeroed(a.shaft(), mid+off+a.learnt/2)
		}
		k.legs = []leg{down, up, {speed: seekFast * w, to: home}}
	case rig.Absolute: // the encoder is read, then it shows itself
		a.read(off)
		k.legs = []leg{{speed: seekCheck * w, to: home}}
	}
	return k
}

// toSensor is fast past the sensor, back off, and slowly onto its edge from above. It is
// on below its edge and lets go a little above it.
func (a *axis) toSensor(edge, span float64) []leg {
	d := a.a
	// From wherever it answers it comes to rest in front of the end.
	room := d.HomeValue() - d.Hard[0]
	fast := min(seekFast*d.Working.Speed, math.Sqrt(2*d.Working.Acceleration*0.55*room))
	gap := hysteresis * span
	on := func() bool {
		if !a.blind {
			switch at := a.shaft(); {
			case at <= edge:
				a.flag = true
			case at > edge+gap:
				a.flag = false
			}
		}
		return a.flag
	}
	lost := fmt.Sprintf("its sensor was not found over %.4g %s; look at the sensor, its cable and its target", 1.1*span,
		d.Unit.Symbol())
	var out []leg
	away := fast // from in front of it
	if !on() {
		away = fast / 4
		out = append(out, leg{speed: -fast, until: on, most: 1.1 * span, fails: lost})
	}
	creep := seekEdge * d.Working.Speed
	return append(out,
		leg{speed: away, until: func() bool { return !on() }, most: 1.1 * span, fails: lost},
		leg{speed: -creep, until: on, found: func() { a.zeroed(edge, d.HomeValue()) }, most: 1.1 * span, fails: lost},
		leg{speed: creep, to: d.HomeValue})
}

// zeroed makes what the shaft has at one true place the count's value: everything that
// counts is moved, nothing else moves. How far the zero was off is kept, where it was
// known before.
func (a *axis) zeroed(truth, value float64) {
	frame := truth - a.err // where the place lies in what the sensor sees
	if a.a.Feedback == rig.SeesNothing {
		frame -= a.lost
	}
	off := frame/a.scale - value
	if !a.known {
		a.foundLog = a.foundLog[:0]
	}
	last := -off
	if n := len(a.foundLog); n > 0 {
		last = a.foundLog[n-1]
	}
	a.foundLog = append(a.foundLog, last+off)
	if len(a.foundLog) > mostFound {
		a.foundLog = a.foundLog[1:]
	}
	shift := value - (truth-a.err-a.lost)/a.scale
	for _, v := range []*float64{&a.cmd, &a.prev, &a.was, &a.x} {
		*v += shift
	}
	for i := range a.late {
		a.late[i] += shift
	}
	a.err += a.lost - shift*a.scale
	a.lost = 0
	a.found, a.known = a.found+1, true
}

// mostFound is how many homings an axis remembers.
const mostFound = 100

// read takes the count from an absolute encoder on the motor.
func (a *axis) read(off float64) {
	truth := a.shaft()
	if a.deaf { // its battery was flat: it says anything
		truth += 0.31 * (a.a.Max - a.a.Min)
	}
	a.zeroed(a.shaft(), truth+off)
}

// seen is where the motor's sensor, or else the count, takes it to be.
func (a *axis) seen() float64 {
	if a.a.Feedback == rig.SeesNothing {
		return a.x
	}
	return (a.shaft() - a.err) / a.scale
}

// stepHoming is one millisecond of all axes that look for their zeros.
func (s *Sim) stepHoming() {
	moving := false
	for i := range s.axes {
		if k := s.seeks[i]; k != nil {
			moving = s.stepSeek(i, k) || moving
		} else {
			s.drive(i, s.axes[i].cmd)
		}
	}
	if !moving {
		s.mode, s.halting = link.Idle, false
	}
}

// breakOff slows all of them to rest; what has not found its zero says why.
func (s *Sim) breakOff(why string) {
	s.halting = true
	for i, k := range s.seeks {
		if k != nil && len(k.legs) > 0 && s.axes[i].trouble == "" {
			s.axes[i].trouble = "its homing was broken off: " + why
		}
	}
}

// stepSeek moves one of them, and reports whether it goes on.
func (s *Sim) stepSeek(i int, k *seek) bool {
	a := &s.axes[i]
	acc := a.a.Working.Acceleration
	want := 0.0
	var l *leg
	if len(k.legs) > 0 && !s.halting {
		l = &k.legs[0]
		if math.Abs(l.speed) <= seekEdge*a.a.Working.Speed {
			acc /= 5 // creeping, it shakes nothing
		}
		if l.to != nil {
			d := l.to() - a.cmd
			want = math.Copysign(min(l.speed, math.Sqrt(1.6*acc*math.Abs(d))), d)
		} else if !k.met {
			want = l.speed
		}
	}
	k.v += min(max(want-k.v, -acc*dt), acc*dt)
	next := a.cmd + k.v*dt
	there := false
	if l != nil && l.to != nil {
		if d := l.to() - a.cmd; math.Abs(d) <= math.Abs(k.v)*dt || math.Abs(d) < 1e-9 {
			next, k.v, there = l.to(), 0, true
		}
	}
	k.gone += math.Abs(next - a.cmd)
	known := a.known
	a.stalled = a.follow(next)
	a.known = known && (!a.stalled || a.a.Feedback != rig.SeesNothing) // an encoder sees an end that is touched
	if l != nil && !there && l.to == nil && !k.met {
		switch met := l.until(); {
		case met:
			k.met = true
			if l.found != nil {
				l.found()
			}
			if a.stalled { // the motor stands already
				a.stand(a.x)
				k.v = 0
			}
		case a.stalled:
			s.lostHome(a, k, "it ran into its hard end before its sensor answered; look at the sensor, its cable and "+
				"its target")
		case k.gone > l.most:
			s.lostHome(a, k, l.fails)
		}
	} else if a.stalled { // it should not have met an end here
		s.lostHome(a, k, "it ran into its hard end")
	}
	if l != nil && (there || k.met && k.v == 0) && len(k.legs) > 0 {
		k.legs, k.met, k.gone = k.legs[1:], false, 0
		if len(k.legs) == 0 {
			s.homedNow(a, k)
		}
	}
	return k.v != 0 || len(k.legs) > 0 && !s.halting || math.Abs(a.x-a.cmd) > 1e-6
}

// homedNow is the end of a search that came to its end.
func (s *Sim) homedNow(a *axis, k *seek) {
	if k.way == rig.Absolute {
		a.waits = link.WaitsCheck
		return
	}
	a.homed = true
}

// lostHome ends the search of one axis without its zero. A motor that stalled stands.
func (s *Sim) lostHome(a *axis, k *seek, why string) {
	a.trouble, k.legs, a.known = why, nil, false
	if a.stalled {
		a.stand(a.x)
		k.v = 0
	}
}

// Confirm takes a person's word: that an axis stands at its check pose or witness mark, or
// at one of the two ends that it shall not pass.
func (s *Sim) Confirm(epoch int64, id, what string) error {
	i := s.o.Rig.Index(id)
	if i < 0 {
		return refuse("there is no axis %q", id)
	}
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	s.mode = link.Idle // nothing stays armed
	a := &s.axes[i]
	d := a.a
	if a.fault != "" || a.free {
		return refuse("%s is not driven; engage it first", d.Name)
	}
	switch what {
	case link.WaitsCheck:
		if a.waits != what || math.Abs(a.cmd-d.HomeValue()) > 1e-9 {
			return refuse("%s is not at its check pose, %g %s; home it first: it goes there by itself", d.Name,
				d.HomeValue(), d.Unit.Symbol())
		}
		a.homed = true
	case link.WaitsMark:
		a.zeroed(a.shaft(), d.HomeValue())
		a.homed = true
	case link.WaitsLow:
		a.zeroed(a.shaft(), d.Min)
		a.homed, a.waits = false, link.WaitsHigh
		return nil
	case link.WaitsHigh:
		if a.waits != what {
			return refuse("%s: confirm its low end first, then drive it to the other", d.Name)
		}
		if a.cmd < d.Min+0.01*(d.Max-d.Min) {
			return refuse("%s stands at %.4g %s, its low end is %g; drive it to the other end that it shall not pass",
				d.Name, a.cmd, d.Unit.Symbol(), d.Min)
		}
		a.soft = [2]float64{d.Min, min(a.cmd, d.Hard[1])}
		a.homed = true
	default:
		return refuse("there is nothing called %q to confirm; use one of %v", what, link.Waits)
	}
	a.waits, a.trouble = "", ""
	return nil
}

// longestHoming is how long a homing takes at the most, in ticks.
const longestHoming = 300_000

// homeBefore homes what can do it by itself, in no time: nobody is connected yet.
func (s *Sim) homeBefore() error {
	epoch, err := s.Lease()
	if err != nil {
		return err
	}
	if err := s.Home(epoch, nil, ""); err != nil {
		return err
	}
	for range longestHoming {
		s.Heard()
		if s.Step(); s.mode == link.Idle {
			return nil
		}
	}
	return refuse("it does not find its zeros")
}
