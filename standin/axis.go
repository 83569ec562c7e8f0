package standin

import (
	"math"
	"math/rand/v2"

	"keenarc/core/rig"
	"keenarc/core/trace"
)

// axis is one simulated drive, all in the axis's unit. The controller counts: cmd
// is what it asks for, and x where it takes the motor to be. The truth is kept
// apart from the count: the motor's shaft is at x + lost + err, where err is how
// far the count's zero is from the machine's own since the last homing, and lost
// what the motor could not follow. The output hangs behind the shaft by its slack,
// wanders a little from roll to roll, and the structure it carries sways. What the
// sensor says is neither of them: see reads.
type axis struct {
	a    *rig.Axis
	soft [2]float64 // the day's soft limits
	open int64      // the tick until which they do not hold

	cmd, prev float64
	late      []float64 // commands that the drive has not carried out yet, oldest first
	lag       float64   // how late it really is, in ms
	was       float64   // the delayed command of the tick before
	x, v      float64

	lost float64
	err  float64
	out  float64 // behind the slack, without wander and sway
	wave [3]struct{ amp, freq, phase float64 }
	roll float64 // seconds into the roll that the wander follows
	sway float64
	swng float64 // speed of the sway
	outV float64

	scale float64 // true units in one that is counted: what its gearing really is

	homed    bool
	known    bool // its count was not lost since its zero was found
	free     bool
	end      string // low or high: it stands at that hard end
	fault    string
	waits    string // what a person has to confirm
	trouble  string // why its last homing found nothing
	blind    bool   // its sensor is dead
	deaf     bool   // its absolute encoder has lost its memory
	flag     bool   // what its sensor says
	stalled  bool   // the motor stalled in this tick
	found    int    // how often its zero was found
	foundLog []float64
	learnt   float64 // how far its ends were apart
	lose     *Fault
}

// lagError is by how much a drive is later than it says, in ms: what cannot be led.
const lagError = 0.03

// newAxis stands somewhere; its count knows nothing of where.
func newAxis(a *rig.Axis, truth, count, lagMS float64) axis {
	x := axis{a: a, soft: [2]float64{a.Min, a.Max}, lag: lagMS + lagError, err: truth - count, out: truth, scale: 1}
	if lagMS == 0 {
		x.lag = 0
	}
	x.stand(count)
	return x
}

// stand makes the count at rest somewhere, with nothing on its way.
func (a *axis) stand(at float64) {
	a.cmd, a.prev, a.was, a.x, a.v = at, at, at, at, 0
	a.late = a.late[:0]
	for range int(a.lag) + 2 {
		a.late = append(a.late, at)
	}
}

// gain pulls the motor onto the command (1/s); overdrive is the share of the
// rated acceleration that the drive can give for an instant.
const (
	gain      = 200
	overdrive = 1.5
	dt        = 0.001
)

// touch is how near to a hard end counts as standing at it, grain what is rounding.
const (
	touch = 1e-6
	grain = 1e-9
)

// swayHz and swayDamping are the structure's: what is carried swings by a/ω².
const (
	swayHz      = 14.0
	swayDamping = 0.06
)

// shaft is where the motor's shaft truly is.
func (a *axis) shaft() float64 { return a.x*a.scale + a.lost + a.err }

// follow moves the motor towards the command of lag ms ago, with the command's own
// speed fed forward, limited in acceleration, and drags the output along through
// the slack. It answers whether the shaft ran into a hard end.
func (a *axis) follow(cmd float64) (hit bool) {
	a.prev, a.cmd = a.cmd, cmd
	if a.free { // nothing turns it; it stays where it is
		a.stand(a.cmd)
		return false
	}
	copy(a.late, a.late[1:])
	a.late[len(a.late)-1] = cmd
	whole := int(a.lag)
	part := a.lag - float64(whole)
	n := len(a.late) - 1 - whole
	due := a.late[n] + part*(a.late[n-1]-a.late[n])
	want := (due-a.was)/dt + gain*(a.was-a.x)
	most := a.a.Rated.Acceleration * overdrive * dt
	a.v += min(max(want-a.v, -most), most)
	a.x += a.v * dt
	if due == a.was && math.Abs(due-a.x) < 1e-7 && math.Abs(a.v) < 1e-4 {
		a.x, a.v = due, 0 // at rest: no memory of how long it has been waiting
	}
	a.was = due
	a.end = ""
	for k, e := range a.a.Hard {
		out := a.shaft() - e // how far it is out of its range here
		if k == 0 {
			out = -out
		}
		if out > grain {
			a.lost -= a.shaft() - e // the motor stalls
			a.homed, a.known, hit = false, false, true
		}
		if out > -touch {
			a.end = [2]string{"low", "high"}[k]
		}
	}
	half := a.a.Backlash / 2
	was := a.out
	a.out = min(max(a.out, a.shaft()-half), a.shaft()+half)
	a.swing((a.out - was) / dt)
	return hit
}

// still reports whether a step would change nothing.
func (a *axis) still() bool {
	if a.v != 0 || a.sway != 0 || a.swng != 0 || a.outV != 0 || a.x != a.cmd || a.was != a.cmd || a.prev != a.cmd {
		return false
	}
	for _, v := range a.late {
		if v != a.cmd {
			return false
		}
	}
	half := a.a.Backlash / 2
	return math.Abs(a.out-a.shaft()) <= half*(1+1e-9)
}

// swing lets the structure sway under the output's acceleration.
func (a *axis) swing(v float64) {
	acc := (v - a.outV) / dt
	a.outV = v
	if a.a.Kind != rig.Linear && a.a.Kind != rig.Rotary {
		return
	}
	w := 2 * math.Pi * swayHz
	a.swng += dt * (-acc - w*w*a.sway - 2*swayDamping*w*a.swng)
	a.sway += dt * a.swng
	if math.Abs(a.sway) < 1e-9 && math.Abs(a.swng) < 1e-7 && v == 0 {
		a.sway, a.swng = 0, 0
	}
}

// beginRoll draws the take's own small, slow wander of the output.
func (a *axis) beginRoll(seed uint64, roll, index int, f *Fault) {
	rng := rand.New(rand.NewPCG(seed, uint64(roll)<<8|uint64(index)))
	for i := range a.wave {
		a.wave[i].amp = a.a.Repeatability / 9 * rng.NormFloat64()
		a.wave[i].freq = 0.2 + 2.5*rng.Float64()
		a.wave[i].phase = 2 * math.Pi * rng.Float64()
	}
	a.lose = f
}

// lose steps once the frame of a fault has come.
func (a *axis) slip(frame float64) {
	if a.lose != nil && frame >= a.lose.Frame {
		a.lost += a.lose.By
		a.lose = nil
	}
}

func (a *axis) wander() float64 {
	y := 0.0
	for _, w := range a.wave {
		y += w.amp * math.Sin(2*math.Pi*w.freq*a.roll+w.phase)
	}
	return y
}

// output is where the axis truly is, without the sway of what it carries.
func (a *axis) output() float64 { return a.out + a.wander() }

// truth is where what it carries truly is.
func (a *axis) truth() float64 { return a.output() + a.sway }

// reads is what the feedback says: nothing sees only what was asked for, as late
// as the drive says it is; the motor's sensor misses slack and wander; the output's
// misses where its own zero is, since homing made it that.
func (a *axis) reads() float64 {
	switch a.a.Feedback {
	case rig.SeesNothing:
		return a.was
	case rig.SeesMotor:
		return a.x + a.lost/a.scale
	}
	return (a.output() - a.err) / a.scale
}

func (a *axis) row(v float64) int32 {
	return int32(math.RoundToEven(v * float64(a.a.StepsPerUnit.Num) / float64(a.a.StepsPerUnit.Den) *
		(1 << trace.Fraction)))
}
