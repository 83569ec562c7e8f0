// Package ride is what a move does to what it carries: how hard the camera is pressed, which
// point is the fastest, how far things go on after letting go, and how the structure sways,
// so how long it takes to settle and by how much passes of other speeds lie apart.
//
// Speeds and accelerations here are those of points in space, by differences of the forward
// kinematics over a sixteenth of a frame; the axes' own are core/limit's and exact.
package ride

import (
	"context"
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"keenarc/core/effort"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// G is one g in metres per second².
const G = 9.80665

// mostTicks is into how many parts a frame is cut, fewer where a move is so long that there
// would be more than mostPoints of them.
const (
	mostTicks  = 16
	mostPoints = 250_000
)

// stretch is how many ticks are one step of a count.
const stretch = 256

func ticks(m *path.Motion) int {
	return max(1, min(mostTicks, mostPoints/max(1, m.End()-m.Start())))
}

// Front is how far before the image plane the front of a camera and its lens is taken to be,
// in metres.
const Front = 0.25

// Load is what hangs on a joint: where its centre of mass is in the joint's frame (right,
// forward, up), in metres. Without a joint it is the image plane.
type Load struct {
	Joint  string
	Centre rig.Vec
}

// Ride is what the camera and the machine's points go through at one rate.
type Ride struct {
	// WorstG is the largest acceleration of the load's centre of mass, its weight apart.
	WorstG   float64 `json:"worst_g"`
	WorstGAt float64 `json:"worst_g_at" doc:"frame"`
	// FastestMS is the speed of the fastest point: a joint, or the camera's front.
	FastestMS float64 `json:"fastest_m_s"`
	FastestAt float64 `json:"fastest_at" doc:"frame"`
	Fastest   string  `json:"fastest" doc:"a joint, or the camera's front"`
	// StopM is how far at most a point goes on along its way when it is let go at a picture
	// frame, by frame.
	StopM     []float64 `json:"stop_m"`
	WorstStop float64   `json:"worst_stop_m"`
	StopAt    int       `json:"worst_stop_at"`
}

// Taken works a ride out at fps frames per second, with a braking of so many seconds.
func Taken(ctx context.Context, m *path.Motion, r *rig.Rig, fps, brakeS float64, load Load) (*Ride, error) {
	out := &Ride{StopM: []float64{}}
	names, pts, err := points(ctx, m, r, load)
	if err != nil {
		return nil, err
	}
	n, cut := len(pts), ticks(m)
	hz := fps * float64(cut)
	frame := func(k int) float64 { return float64(m.Start()) + float64(k)/float64(cut) }
	own := len(names) - 1 // the load's centre is the last
	gone := make([][]float64, own)
	for i := range gone {
		gone[i] = make([]float64, n)
	}
	for k := range n {
		for i := range own {
			if k > 0 {
				d := r3.Norm(r3.Sub(pts[k][i], pts[k-1][i]))
				gone[i][k] = gone[i][k-1] + d
				if v := d * hz; v > out.FastestMS {
					out.FastestMS, out.FastestAt, out.Fastest = v, frame(k), names[i]
				}
			}
		}
		if k > 0 && k+1 < n {
			a := r3.Add(r3.Sub(pts[k+1][own], r3.Scale(2, pts[k][own])), pts[k-1][own])
			if g := r3.Norm(a) * hz * hz / G; g > out.WorstG {
				out.WorstG, out.WorstGAt = g, frame(k)
			}
		}
	}
	// Half of what it would go at its rate: the braking is even about its middle.
	ahead := int(math.Ceil(fps * brakeS / 2 * float64(cut)))
	for f := m.First; f < m.Last; f++ {
		k, far := (f-m.Start())*cut, 0.0
		for i := range gone {
			far = max(far, gone[i][min(k+ahead, n-1)]-gone[i][k])
		}
		out.StopM = append(out.StopM, far)
		if far > out.WorstStop {
			out.WorstStop, out.StopAt = far, f
		}
	}
	return out, nil
}

// points are the places of every joint, the camera's front and the load's centre at every
// tick, several axes' kinematics at a time.
func points(ctx context.Context, m *path.Motion, r *rig.Rig, load Load) (names []string, at [][]r3.Vec, err error) {
	on := -1
	for k, j := range r.Joints {
		names = append(names, j.Name)
		if j.Name == load.Joint {
			on = k
		}
	}
	names = append(names, "camera's front", "load")
	cut := ticks(m)
	n := (m.End()-m.Start())*cut + 1
	at = make([][]r3.Vec, n)
	const parts = 8
	effort.Ahead(ctx, n)
	effort.Each(parts, func(p int) {
		q := make([]float64, len(m.Curves))
		var frames []rig.Pose
		for k := p * n / parts; k < (p+1)*n/parts; k++ {
			if k%stretch == 0 && effort.Did(ctx, min(stretch, n-k)) != nil {
				return
			}
			m.Values(q, float64(m.Start())+float64(k)/float64(cut))
			frames = r.Frames(frames, q)
			row := make([]r3.Vec, 0, len(names))
			for _, f := range frames {
				row = append(row, f.At.R3())
			}
			cam := r.Forward(q)
			centre := cam.At
			if on >= 0 {
				centre = frames[on].Point(load.Centre[0], load.Centre[1], load.Centre[2])
			}
			at[k] = append(row, cam.Point(0, Front, 0).R3(), centre.R3())
		}
	})
	return names, at, ctx.Err()
}
