package limit

import (
	"context"
	"errors"
	"fmt"
	"math"

	"keenarc/core/curve"
	"keenarc/core/effort"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// Braking is how a pass is stopped: the clock slows from its rate to rest over
// Seconds along s ↦ 1 − 3s² + 2s³, so the rig brakes on its path. One length is
// chosen for the whole pass, in hundredths of a second: the shortest for which,
// from every frame, every axis stays within its rated acceleration with the full
// expression q″ḟ² + q′f̈ (speed only falls).
type Braking struct {
	Seconds float64 `json:"seconds"`
	// Worst is the largest share of a rated limit while braking, and where.
	Worst      float64 `json:"worst_share"`
	WorstAxis  string  `json:"worst_axis"`
	WorstFrame float64 `json:"worst_frame"`
	// Frames is how far the path goes on at most; TravelM how far a sliding axis does.
	Frames  float64 `json:"frames"`
	TravelM float64 `json:"travel_m"`
}

// leastBrake and mostBrake bound the lengths that are chosen, in seconds.
const (
	leastBrake = 0.15
	mostBrake  = 3.0
)

// brakeRoom is the share by which the chosen braking is longer than needed, so
// that a rig that works it out from the table in steps comes to no more.
const brakeRoom = 0.02

// brakeSteps and ticks: the braking is looked at in this many parts, the path at
// as many places a frame as the sealed table has.
const (
	brakeSteps = 64
	ticks      = 16
)

// BrakeAt is the share of the braking's length that is over (s) turned into
// frames gone per (rate × Seconds), rate left, and its slope per Seconds.
func BrakeAt(s float64) (gone, rate, slope float64) {
	s = min(max(s, 0), 1)
	return s - s*s*s + s*s*s*s/2, 1 - 3*s*s + 2*s*s*s, -6*s + 6*s*s
}

// BrakeNeed is the shortest braking in seconds, for a clock that slows while an
// axis has speed v and acceleration a on the full clock (per s, per s²), at
// whatever part of the braking it gets there, so that |a·r² + v·ṙ| ≤ most. It is
// never too short: each part of the braking is taken at its worst. +Inf: none.
func BrakeNeed(v, a, most float64) float64 {
	if v == 0 {
		return 0
	}
	if v < 0 {
		v, a = -v, -a
	}
	need := 0.0
	for k := range brakeSteps {
		_, r0, s0 := BrakeAt(float64(k) / brakeSteps)
		_, r1, s1 := BrakeAt(float64(k+1) / brakeSteps)
		r := r0 // where slowing adds to a deceleration the faster clock is worse
		if a > 0 {
			r = r1
		}
		left := most + a*r*r
		if left <= 0 {
			return math.Inf(1)
		}
		need = max(need, v*max(-s0, -s1)/left)
	}
	return need
}

// Brake finds the shortest braking for a motion at fps frames per second, or
// says from which frame no braking within the rated limits exists. It ends with the context, too.
func Brake(ctx context.Context, m *path.Motion, r *rig.Rig, fps float64) (*Braking, error) {
	b := &Braking{Seconds: leastBrake}
	n := len(m.Curves)
	effort.Ahead(ctx, 2*n*ticksOf(m))
	needs, cannot := make([]float64, n), make([]error, n)
	effort.Each(n, func(i int) { needs[i], cannot[i] = brakeOf(ctx, m, i, &r.Axes[i], fps) })
	for i, s := range needs {
		if cannot[i] != nil {
			return nil, cannot[i]
		}
		b.Seconds = max(b.Seconds, s)
	}
	b.Frames = fps * b.Seconds / 2
	own := make([]Braking, n)
	effort.Each(n, func(i int) {
		own[i].Seconds = b.Seconds
		cannot[i] = own[i].measure(ctx, m, i, &r.Axes[i], fps)
	})
	if err := errors.Join(cannot...); err != nil {
		return nil, err
	}
	for _, o := range own {
		b.TravelM = max(b.TravelM, o.TravelM)
		if o.Worst > b.Worst {
			b.Worst, b.WorstAxis, b.WorstFrame = o.Worst, o.WorstAxis, o.WorstFrame
		}
	}
	return b, nil
}

// ticksOf is how many ticks a motion has.
func ticksOf(m *path.Motion) int { return (m.End()-m.Start())*ticks + 1 }

// sampled calls f for every tick of a motion's axis, in order, until it says no, or nobody waits.
func sampled(ctx context.Context, m *path.Motion, axis int, f func(k int, s *curve.Sample) bool) error {
	n := ticksOf(m)
	buf := make([]curve.Sample, min(n, 1<<12))
	for k := 0; k < n; k += len(buf) {
		part := buf[:min(len(buf), n-k)]
		m.Curves[axis].Into(part, float64(m.Start())+float64(k)/ticks, 1.0/ticks)
		for i := range part {
			if !f(k+i, &part[i]) {
				return nil
			}
		}
		if err := effort.Did(ctx, len(part)); err != nil {
			return err
		}
	}
	return nil
}

// brakeOf is the braking that one axis needs, in hundredths of a second, upwards.
func brakeOf(ctx context.Context, m *path.Motion, axis int, a *rig.Axis, fps float64) (seconds float64, err error) {
	seconds = leastBrake
	ended := sampled(ctx, m, axis, func(k int, s *curve.Sample) bool {
		v, acc := s.V*fps, s.A*fps*fps
		if left := a.Rated.Acceleration - math.Abs(acc); left > 0 && 1.5*math.Abs(v)*(1+brakeRoom) <= seconds*left {
			return true
		}
		need := BrakeNeed(v, acc, a.Rated.Acceleration) * (1 + brakeRoom)
		if need > mostBrake {
			err = cannotStop(a, float64(m.Start())+float64(k)/ticks)
			return false
		}
		if need > seconds {
			seconds = math.Ceil(need*100-1e-9) / 100
		}
		return true
	})
	if err == nil {
		err = ended
	}
	return seconds, err
}

func cannotStop(a *rig.Axis, frame float64) error {
	return fmt.Errorf("%s cannot be stopped within its rated limits from frame %s: even in %g s it would use more; "+
		"give the move room there", a.Name, Frame4(frame), mostBrake)
}

// coarse is how many ticks lie between those that measure looks at first.
const coarse = 64

// measure fills in the worst share and the distance for one axis, at every tick.
func (b *Braking) measure(ctx context.Context, m *path.Motion, axis int, a *rig.Axis, fps float64) error {
	var rates, slopes [brakeSteps + 1]float64
	for j := range rates {
		_, rates[j], slopes[j] = BrakeAt(float64(j) / brakeSteps)
	}
	// bound is what the share at a tick cannot be more than, worst what it is.
	bound := func(v, acc float64) float64 {
		return max(math.Abs(v)/a.Rated.Speed, (math.Abs(acc)+1.5*math.Abs(v)/b.Seconds)/
			a.Rated.Acceleration) * (1 + 1e-12)
	}
	worst := func(v, acc float64) (most float64) {
		for j := range brakeSteps + 1 {
			rate, slope := rates[j], slopes[j]
			most = max(most, math.Abs(v*rate)/a.Rated.Speed, math.Abs(acc*rate*rate+v*slope/b.Seconds)/
				a.Rated.Acceleration)
		}
		return most
	}
	// Where a speed grows, every tick is the worst so far: what a few of them come to is known
	// before all are looked at.
	least := 0.0
	for k := 0; k < ticksOf(m); k += coarse {
		s := m.Curves[axis].At(float64(m.Start()) + float64(k)/ticks)
		if v, acc := s.V*fps, s.A*fps*fps; bound(v, acc) > least {
			least = max(least, worst(v, acc))
		}
	}
	if err := sampled(ctx, m, axis, func(k int, s *curve.Sample) bool {
		v, acc := s.V*fps, s.A*fps*fps
		if most := bound(v, acc); most < least || most <= b.Worst {
			return true
		}
		if share := worst(v, acc); share > b.Worst {
			b.Worst, b.WorstAxis, b.WorstFrame = share, a.ID, float64(m.Start())+float64(k)/ticks
		}
		return true
	}); err != nil {
		return err
	}
	if a.Unit != rig.MM {
		return nil
	}
	at := make([]float64, (m.End()-m.Start())*ticks+1)
	m.Curves[axis].Values(at, float64(m.Start()), 1.0/ticks)
	var ahead [5]int
	for j := range ahead {
		gone, _, _ := BrakeAt(float64(j) / 4)
		ahead[j] = int(math.Round(gone * fps * b.Seconds * ticks))
	}
	for k, from := range at {
		for _, n := range ahead[1:] {
			b.TravelM = max(b.TravelM, math.Abs(at[min(k+n, len(at)-1)]-from)/1000)
		}
	}
	return nil
}
