package standin

import (
	"math"
	"math/rand/v2"

	"keenarc/core/rig"
	"keenarc/core/trace"
)

// axis is one simulated drive. cmd is what the controller asks for, x and v
// the motor, out the output behind the slack; all in axis units.
type axis struct {
	a        *rig.Axis
	cmd      float64
	prev     float64
	x, v     float64
	out      float64
	homed    bool
	foundAt  float64
	foundLog []float64
	wave     [3]struct{ amp, freq, phase float64 }
	fault    *Fault
}

func newAxis(a *rig.Axis, at float64) axis {
	return axis{a: a, cmd: at, prev: at, x: at, out: at}
}

// gain pulls the motor onto the command (1/s); overdrive is the share of the
// rated acceleration that the drive can give for an instant.
const (
	gain      = 200
	overdrive = 1.5
	dt        = 0.001
)

// follow moves the motor towards the command with the command's own speed fed
// forward, limited in acceleration, and drags the output along through the slack.
func (a *axis) follow(cmd float64) {
	a.prev, a.cmd = a.cmd, cmd
	want := (a.cmd-a.prev)/dt + gain*(a.prev-a.x)
	most := a.a.Rated.Acceleration * overdrive * dt
	a.v += min(max(want-a.v, -most), most)
	a.x += a.v * dt
	if a.cmd == a.prev && math.Abs(a.cmd-a.x) < 1e-7 && math.Abs(a.v) < 1e-4 {
		a.x, a.v = a.cmd, 0 // at rest: no memory of how long it has been waiting
	}
	half := a.a.Backlash / 2
	a.out = min(max(a.out, a.x-half), a.x+half)
}

// beginRoll draws the take's own small, slow wander of the output.
func (a *axis) beginRoll(seed uint64, roll, index int, f *Fault) {
	rng := rand.New(rand.NewPCG(seed, uint64(roll)<<8|uint64(index)))
	for i := range a.wave {
		a.wave[i].amp = a.a.Repeatability / 9 * rng.NormFloat64()
		a.wave[i].freq = 0.2 + 2.5*rng.Float64()
		a.wave[i].phase = 2 * math.Pi * rng.Float64()
	}
	a.fault = f
}

// measured is what the feedback sees, t seconds into the roll at a frame.
func (a *axis) measured(t, frame float64) float64 {
	switch a.a.Feedback {
	case rig.SeesNothing:
		return a.cmd
	case rig.SeesMotor:
		return a.x
	}
	y := a.out
	for _, w := range a.wave {
		y += w.amp * math.Sin(2*math.Pi*w.freq*t+w.phase)
	}
	if a.fault != nil && frame >= a.fault.Frame {
		y += a.fault.By
	}
	return y
}

func (a *axis) row(v float64) int32 {
	return int32(math.RoundToEven(v * float64(a.a.StepsPerUnit.Num) / float64(a.a.StepsPerUnit.Den) * (1 << trace.Fraction)))
}
