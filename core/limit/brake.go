package limit

import (
	"fmt"
	"math"

	"keenarc/core/curve"
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
// says from which frame no braking within the rated limits exists.
func Brake(m *path.Motion, r *rig.Rig, fps float64) (*Braking, error) {
	b := &Braking{Seconds: leastBrake}
	buf := make([]curve.Sample, (m.End()-m.Start())*ticks+1)
	for i, c := range m.Curves {
		a := &r.Axes[i]
		c.Into(buf, float64(m.Start()), 1.0/ticks)
		for k := range buf {
			v, acc := buf[k].V*fps, buf[k].A*fps*fps
			if quick := 1.5 * math.Abs(v) / (a.Rated.Acceleration - math.Abs(acc)); quick >= 0 && quick*(1+brakeRoom) <= b.Seconds {
				continue
			}
			need := BrakeNeed(v, acc, a.Rated.Acceleration) * (1 + brakeRoom)
			if need > mostBrake {
				return nil, fmt.Errorf("%s cannot be stopped within its rated limits from frame %s: even in %g s it would use more; give the move room there",
					a.Name, Frame4(float64(m.Start())+float64(k)/ticks), mostBrake)
			}
			if need > b.Seconds {
				b.Seconds = math.Ceil(need*100-1e-9) / 100
			}
		}
	}
	b.Frames = fps * b.Seconds / 2
	for i, c := range m.Curves {
		c.Into(buf, float64(m.Start()), 1.0/ticks)
		b.measure(m, &r.Axes[i], buf, fps)
	}
	return b, nil
}

// measure fills in the worst share and the distance for one axis sampled at every tick.
func (b *Braking) measure(m *path.Motion, a *rig.Axis, buf []curve.Sample, fps float64) {
	for k, s := range buf {
		v, acc := s.V*fps, s.A*fps*fps
		if math.Abs(v) <= b.Worst*a.Rated.Speed && math.Abs(acc)+1.5*math.Abs(v)/b.Seconds <= b.Worst*a.Rated.Acceleration {
			continue
		}
		for j := range brakeSteps + 1 {
			_, rate, slope := BrakeAt(float64(j) / brakeSteps)
			share := max(math.Abs(v*rate)/a.Rated.Speed, math.Abs(acc*rate*rate+v*slope/b.Seconds)/a.Rated.Acceleration)
			if share > b.Worst {
				b.Worst, b.WorstAxis, b.WorstFrame = share, a.ID, float64(m.Start())+float64(k)/ticks
			}
		}
	}
	if a.Unit != rig.MM {
		return
	}
	for k := range buf {
		for j := 1; j <= 4; j++ {
			gone, _, _ := BrakeAt(float64(j) / 4)
			to := min(k+int(math.Round(gone*fps*b.Seconds*ticks)), len(buf)-1)
			b.TravelM = max(b.TravelM, math.Abs(buf[to].P-buf[k].P)/1000)
		}
	}
}
