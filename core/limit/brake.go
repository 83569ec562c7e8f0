package limit

import (
	"fmt"
	"math"

	"keenarc/core/path"
	"keenarc/core/rig"
)

// Braking is how a pass is stopped: the clock slows from its rate to rest over
// Seconds along s ↦ 1 − 3s² + 2s³, so the rig brakes on its path. One length is
// chosen for the whole pass: the shortest on the ladder for which, from every
// frame, every axis stays within its rated speed and acceleration with the full
// expression q″ḟ² + q′f̈.
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

var brakeLadder = []float64{0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.65, 0.8, 1, 1.25, 1.5, 2, 2.5, 3}

// BrakeAt is the share of the braking's length that is over (s) turned into
// frames gone per (rate × Seconds), rate left, and its slope per Seconds.
func BrakeAt(s float64) (gone, rate, slope float64) {
	s = min(max(s, 0), 1)
	return s - s*s*s + s*s*s*s/2, 1 - 3*s*s + 2*s*s*s, -6*s + 6*s*s
}

// Brake finds the shortest braking for a motion at fps frames per second, or
// says from which frame no braking within the rated limits exists.
func Brake(m *path.Motion, r *rig.Rig, fps float64) (*Braking, error) {
	var b *Braking
	for _, sec := range brakeLadder {
		if b = tryBrake(m, r, fps, sec); b.Worst <= 1 {
			return b, nil
		}
	}
	return nil, fmt.Errorf("%s cannot be stopped within its rated limits from frame %s: even in %g s it would use %.0f%%; give the move room there",
		r.Axes[r.Index(b.WorstAxis)].Name, Frame4(b.WorstFrame), b.Seconds, b.Worst*100)
}

func tryBrake(m *path.Motion, r *rig.Rig, fps, sec float64) *Braking {
	b := &Braking{Seconds: sec, Frames: fps * sec / 2}
	const steps = 24
	for i, c := range m.Curves {
		lim := r.Axes[i].Rated
		lo, _, hi, _ := c.Range()
		if lo == hi {
			continue
		}
		for f := m.Start(); f < m.End(); f++ {
			from := c.At(float64(f)).P
			for k := 0; k <= steps; k++ {
				gone, rate, slope := BrakeAt(float64(k) / steps)
				s := c.At(float64(f) + gone*fps*sec)
				v, w := fps*rate, fps*slope/sec
				share := max(math.Abs(s.V*v)/lim.Speed, math.Abs(s.A*v*v+s.V*w)/lim.Acceleration)
				if share > b.Worst {
					b.Worst, b.WorstAxis, b.WorstFrame = share, r.Axes[i].ID, float64(f)
				}
				if r.Axes[i].Unit == rig.MM {
					b.TravelM = max(b.TravelM, math.Abs(s.P-from)/1000)
				}
			}
		}
	}
	return b
}
