package scene

import (
	"math"

	"keenarc/core/geom"
	"keenarc/core/rig"
)

// Hands are what the animator has done to the set: whether the puppet is in, and for
// which frame it is posed.
type Hands struct {
	Puppet bool
	Frame  int
}

// Places of the clock and the keeper on their table, in metres.
var (
	dial     = rig.Vec{0.86, 1.378, 0.73}
	keyHole  = rig.Vec{0.805, 1.375, 0.6}
	feet     = rig.Vec{0.665, 1.27, 0.4}
	shoulder = rig.Vec{0.695, 1.265, 0.575}
)

const dialR = 0.082

// Keeper is the set of the keeper who winds the clock: what stands still, the clock's
// hands and weight and the puppet as the hands left them, and its three lamps (key, rim,
// and the small lamp on the table).
func Keeper(set *geom.Set, h Hands) (*Scene, error) {
	s, err := Of(set)
	if err != nil {
		return nil, err
	}
	s.lamps = []Lamp{
		{Name: "key", At: rig.Vec{-0.35, -0.2, 1.9}, Tint: [3]float64{1, 0.94, 0.82}, Power: 3.4},
		{Name: "rim", At: rig.Vec{1.5, 1.62, 1.25}, Tint: [3]float64{0.62, 0.78, 1}, Power: 0.9},
		{Name: "lamp", At: rig.Vec{0.5, 1.13, 0.53}, Tint: [3]float64{1, 0.72, 0.36}, Power: 0.09, Soft: true},
	}
	front := rig.Vec{0, -1, 0}
	s.add(disc{add(dial, rig.Vec{0, 0.002, 0}), front, dialR + 0.009}, "#6e4b24")
	s.add(disc{dial, front, dialR}, "#d8c9a0")
	for k := range 12 {
		a := 2 * math.Pi * float64(k) / 12
		out := rig.Vec{math.Sin(a), 0, math.Cos(a)}
		s.add(capsule{add(dial, add(scale(dialR*0.8, out), rig.Vec{0, -0.002, 0})),
			add(dial, add(scale(dialR*0.92, out), rig.Vec{0, -0.002, 0})), 0.0022}, "#2b2118")
	}
	// The minute hand goes on by a minute a frame, as a clock does that is being set.
	minute := 2 * math.Pi * float64(h.Frame) / 60
	for _, x := range []struct{ turn, long, r float64 }{{minute, 0.066, 0.0024}, {minute/12 + 1.9, 0.043, 0.0032}} {
		tip := add(dial, add(scale(x.long, rig.Vec{math.Sin(x.turn), 0, math.Cos(x.turn)}), rig.Vec{0, -0.005, 0}))
		s.add(capsule{add(dial, rig.Vec{0, -0.005, 0}), tip, x.r}, "#1c1510")
	}
	weight := 0.62 - 0.0012*float64(h.Frame)
	s.add(taper{rig.Vec{0.9, 1.36, 0}, weight - 0.05, weight, 0.013, 0.013}, "#b08a3c")
	if h.Puppet {
		s.keeper(h.Frame)
	}
	globe := s.add(ball{rig.Vec{0.5, 1.13, 0.485}, 0.026}, "#f2c45a")
	globe.glow = [3]float64{0.05, 0.035, 0.012}
	return s, nil
}

// keeper adds the puppet as it is posed for a frame: he winds the key, a quarter turn
// every six frames, nods, and leans a little.
func (s *Scene) keeper(frame int) {
	t := float64(frame)
	turn := t / 24 * 2 * math.Pi
	lean := rig.Vec{0.012 * math.Sin(t/30), 0, 0}
	hand := add(keyHole, rig.Vec{0.016 * math.Sin(turn), -0.03, 0.016 * math.Cos(turn)})
	neck := add(feet, add(lean, rig.Vec{0, 0, 0.2}))
	head := add(neck, rig.Vec{0.012 + 0.006*math.Sin(t/13), -0.012, 0.052})
	s.add(taper{feet, 0.4, 0.5, 0.052, 0.042}, "#39424d")
	coat := s.add(capsule{add(feet, rig.Vec{0, 0, 0.1}), neck, 0.044}, "#7b4f33")
	coat.grain, coat.length = 0.25, 0.02
	s.add(ball{head, 0.042}, "#c08e64")
	s.add(taper{head, head[2] + 0.024, head[2] + 0.05, 0.04, 0.026}, "#2c3a44")
	for _, side := range []float64{-1, 1} {
		s.add(ball{add(head, rig.Vec{0.018 + 0.012*side, -0.038, 0.004}), 0.0055}, "#191410")
	}
	elbow := scale(0.5, add(add(shoulder, lean), hand))
	elbow[2] -= 0.03
	s.add(capsule{add(shoulder, lean), elbow, 0.017}, "#7b4f33")
	s.add(capsule{elbow, hand, 0.014}, "#7b4f33")
	s.add(ball{hand, 0.018}, "#c08e64")
	s.add(capsule{keyHole, add(keyHole, rig.Vec{0.022 * math.Sin(turn), -0.012, 0.022 * math.Cos(turn)}),
		0.006}, "#b08a3c")
	s.add(capsule{add(feet, rig.Vec{-0.038, 0, 0.17}), add(feet, rig.Vec{-0.055, -0.015, 0.07}), 0.015}, "#7b4f33")
}
