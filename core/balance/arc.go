package balance

import (
	"fmt"
	"math"

	"keenarc/core/mistake"
)

// Arc is an axis's arc with its motor and what holds it besides.
type Arc struct {
	FromDeg    float64
	ToDeg      float64
	StepDeg    float64
	MotorNM    float64 // 0: not known
	FrictionNM float64
}

// At is gravity's torque at one angle.
type At struct {
	TiltDeg float64 `json:"tilt_deg"`
	NM      float64 `json:"nm"`
}

// Check reports what is wrong with an arc; most bounds its samples.
func (a Arc) Check(most int) error {
	switch {
	case !finite(a.FromDeg, a.ToDeg) || !(a.FromDeg < a.ToDeg) || math.Abs(a.FromDeg) > 3600 ||
		math.Abs(a.ToDeg) > 3600:
		return mistake.In("from_deg", "give an arc that rises, within ten turns", "the arc goes from %g° to %g°",
			a.FromDeg, a.ToDeg)
	case !(a.StepDeg > 0) || math.IsInf(a.StepDeg, 0):
		return mistake.In("step_deg", "give degrees above zero", "it is %g", a.StepDeg)
	case (a.ToDeg-a.FromDeg)/a.StepDeg > float64(most):
		return mistake.In("step_deg", fmt.Sprintf("give %g or more", (a.ToDeg-a.FromDeg)/float64(most)),
			"a step of %g° makes more than %d samples", a.StepDeg, most)
	case !(a.MotorNM >= 0) || math.IsInf(a.MotorNM, 0):
		return mistake.In("motor_nm", "give newton metres above zero, or leave it out", "it is %g", a.MotorNM)
	case !(a.FrictionNM >= 0) || math.IsInf(a.FrictionNM, 0):
		return mistake.In("friction_nm", "give newton metres, 0 or more", "it is %g", a.FrictionNM)
	}
	return nil
}

// Samples are the torques from the arc's first angle in its steps; its end is appended
// where it is off the grid.
func (a Arc) Samples(l Lever) []At {
	n := int(math.Floor((a.ToDeg-a.FromDeg)/a.StepDeg + 1e-9))
	out := make([]At, 0, n+2)
	for i := range n + 1 {
		deg := min(a.FromDeg+float64(i)*a.StepDeg, a.ToDeg)
		out = append(out, At{deg, l.NM(deg)})
	}
	if last := out[n].TiltDeg; a.ToDeg-last > 1e-9*a.StepDeg {
		out = append(out, At{a.ToDeg, l.NM(a.ToDeg)})
	}
	return out
}

// Alone says in a sentence what it does when it is let go of: nothing where friction
// holds it all over the arc, else what it does level and tipped.
func (a Arc) Alone(l Lever) string {
	worst, _ := l.Worst(a.FromDeg, a.ToDeg)
	if math.Abs(worst) <= a.FrictionNM {
		return "It rests wherever it is pointed."
	}
	level := "level it rests"
	switch nm := l.NM(0); {
	case nm > a.FrictionNM:
		level = "level its nose falls"
	case nm < -a.FrictionNM:
		level = "level its nose rises"
	}
	// Tipped by the height alone: what is above falls further the way it is tipped.
	tipped := "tipped it does the same"
	switch nm := l.MassKg * G * l.UpM; {
	case nm > a.FrictionNM:
		tipped = "tipped it falls further"
	case nm < -a.FrictionNM:
		tipped = "tipped it swings back"
	}
	if l.MassKg*G*math.Abs(l.AheadM) <= a.FrictionNM && math.Abs(l.MassKg*G*l.UpM) <= a.FrictionNM {
		tipped = "far over it creeps away"
	}
	return "Let go, " + level + "; " + tipped + "."
}
