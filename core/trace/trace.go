// Package trace holds what a rig really did and judges passes against each
// other and against the seal.
//
// A Trace is sampled by the rig at 1 kHz from the camera's start. Its numbers
// are what the feedback can see, so a verdict always says what stays unseen.
// Passes are compared frame by frame without shifting either.
package trace

import (
	"fmt"
	"math"
	"sort"

	"keenarc/core/clock"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/core/seal"
)

// Hz is the sampling rate of a trace.
const Hz = 1000

// Fraction is the number of binary places of a step in a trace.
const Fraction = 8

// Trace is one take. Tick is the rig's own counter at the first row; Pos is
// the frame position due at each row; Steps are measured positions in motor
// steps × 2⁸, per axis.
type Trace struct {
	Tick  int64
	Axes  []string
	Units []rig.Ratio
	Pos   []clock.Pos
	Steps [][]int32
}

// Value is a measured position in the axis's unit.
func (t *Trace) Value(axis, row int) float64 { return unit(float64(t.Steps[axis][row]), t.Units[axis]) }

func unit(steps float64, u rig.Ratio) float64 {
	return steps / (1 << Fraction) * float64(u.Den) / float64(u.Num)
}

// AtFrame writes the positions when the frame was due into dst, in axis units,
// linear between the two rows around it. ok is false outside the trace.
func (t *Trace) AtFrame(dst []float64, frame int) bool {
	p := clock.Pos(frame) << 32
	i := sort.Search(len(t.Pos), func(i int) bool { return t.Pos[i] >= p })
	if i == len(t.Pos) || (i == 0 && t.Pos[0] != p) {
		return false
	}
	w := 0.0
	if t.Pos[i] != p {
		i--
		w = float64(p-t.Pos[i]) / float64(t.Pos[i+1]-t.Pos[i])
	}
	for a := range dst {
		v := float64(t.Steps[a][i])
		if w > 0 {
			v += w * (float64(t.Steps[a][i+1]) - v)
		}
		dst[a] = unit(v, t.Units[a])
	}
	return true
}

// Scene is what pixels are judged on: the subject, and one near and one far
// point of the set.
type Scene struct {
	Subject rig.Vec `json:"subject_m"`
	Near    rig.Vec `json:"near_m"`
	Far     rig.Vec `json:"far_m"`
}

// FramePixels is one frame's error.
type FramePixels struct {
	Frame int     `json:"frame"`
	Px    float64 `json:"px"`    // largest over the points and the change of blur
	Point string  `json:"point"` // where: centre, top left, …, near, far, focus
	Said  bool    `json:"said"`  // false: nothing visible, cannot say
}

// Judge computes pixel errors through a rig and a camera.
type Judge struct {
	Rig   *rig.Rig
	Lens  *lens.Package
	Scene Scene
	scale *lens.Scale
	focus int
}

// NewJudge prepares a judge; the camera's focus marks must make a scale.
func NewJudge(r *rig.Rig, l *lens.Package, s Scene) (*Judge, error) {
	sc, err := lens.NewScale(l.Marks)
	if err != nil {
		return nil, err
	}
	return &Judge{r, l, s, sc, r.Index("focus")}, nil
}

var cornerNames = [5]string{"centre", "top left", "top right", "bottom left", "bottom right"}

// Pixels is the largest shift in pixels at the sensor between two poses of the
// axes: five points at the subject's distance (centre and 80 % corners of
// pose a's picture), the near and the far point of the set, and the change of
// the subject's blur diameter.
func (j *Judge) Pixels(a, b []float64) (px float64, point string, said bool) {
	pa, pb := j.Rig.Forward(a), j.Rig.Forward(b)
	try := func(name string, w rig.Vec) {
		xa, ya, _, ok := j.Lens.Project(pa, w)
		if !ok || !j.Lens.Visible(xa, ya) {
			return
		}
		xb, yb, _, ok := j.Lens.Project(pb, w)
		if !ok {
			return
		}
		said = true
		if d := math.Hypot(xb-xa, yb-ya); d > px || point == "" {
			px, point = max(d, px), name
		}
	}
	_, _, depth, ok := j.Lens.Project(pa, j.Scene.Subject)
	if ok {
		z := depth - j.Lens.PupilM
		w, h := 0.8*j.Lens.WidthMM/2/j.Lens.FocalMM*z, 0.8*j.Lens.HeightMM/2/j.Lens.FocalMM*z
		for k, c := range [5][2]float64{{0, 0}, {-w, h}, {w, h}, {-w, -h}, {w, -h}} {
			try(cornerNames[k], pa.Point(c[0], z, c[1]))
		}
		if j.focus >= 0 {
			d := math.Abs(j.Lens.BlurPx(depth, j.scale.Distance(b[j.focus])) - j.Lens.BlurPx(depth, j.scale.Distance(a[j.focus])))
			if d > px {
				px, point = d, "focus"
			}
		}
	}
	try("near", j.Scene.Near)
	try("far", j.Scene.Far)
	return px, point, said
}

// Verdict is the judgement of one take against another (or against the seal).
type Verdict struct {
	Word        string        `json:"word" enum:"stacks,off,cannot say"`
	ThresholdPx float64       `json:"threshold_px"`
	WorstPx     float64       `json:"worst_px"`
	WorstFrame  int           `json:"worst_frame"`
	WorstPoint  string        `json:"worst_point"`
	Missing     int           `json:"missing_frames"`
	Frames      []FramePixels `json:"frames"`
	// WorstByAxis is the largest difference per axis in its own unit.
	WorstByAxis map[string]float64 `json:"worst_by_axis"`
	Unseen      []string           `json:"unseen"`
}

// Stacks, Off and CannotSay are the words of a verdict.
const (
	Stacks    = "stacks"
	Off       = "off"
	CannotSay = "cannot say"
)

// Poser gives axis positions at a frame; ok is false where it has none.
type Poser interface {
	AtFrame(dst []float64, frame int) (ok bool)
}

// Sealed is a Poser over a sealed table.
type Sealed struct{ *seal.Table }

// AtFrame reads the table at a whole frame.
func (s Sealed) AtFrame(dst []float64, frame int) bool {
	if frame < s.Start() || frame > s.End() {
		return false
	}
	for a := range dst {
		dst[a] = seal.Value(s.At(a, clock.Pos(frame)<<32), s.Units[a])
	}
	return true
}

// Compare judges b against a over the picture frames [first, last), unshifted.
// A take that misses frames, or in which nothing is visible throughout, gives
// "cannot say" unless what is there is already off.
func (j *Judge) Compare(a, b Poser, first, last int, thresholdPx float64) *Verdict {
	v := &Verdict{ThresholdPx: thresholdPx, WorstFrame: first, Frames: []FramePixels{}, WorstByAxis: map[string]float64{}, Unseen: Unseen(j.Rig)}
	n := len(j.Rig.Axes)
	qa, qb := make([]float64, n), make([]float64, n)
	said := false
	for f := first; f < last; f++ {
		if !a.AtFrame(qa, f) || !b.AtFrame(qb, f) {
			v.Missing++
			continue
		}
		px, point, ok := j.Pixels(qa, qb)
		said = said || ok
		v.Frames = append(v.Frames, FramePixels{f, math.Round(px*1e4) / 1e4, point, ok})
		if px > v.WorstPx || len(v.Frames) == 1 {
			v.WorstPx, v.WorstFrame, v.WorstPoint = px, f, point
		}
		for i := range qa {
			id := j.Rig.Axes[i].ID
			v.WorstByAxis[id] = max(v.WorstByAxis[id], math.Abs(qb[i]-qa[i]))
		}
	}
	switch {
	case v.WorstPx >= thresholdPx:
		v.Word = Off
	case !said || v.Missing > 0:
		v.Word = CannotSay
	default:
		v.Word = Stacks
	}
	return v
}

// Unseen lists, in sentences, what the rig's feedback cannot show.
func Unseen(r *rig.Rig) []string {
	out := []string{}
	for _, a := range r.Axes {
		switch a.Feedback {
		case rig.SeesNothing:
			out = append(out, fmt.Sprintf("%s: open loop. Lost steps and slipping are not seen.", a.Name))
		case rig.SeesMotor:
			out = append(out, fmt.Sprintf("%s: seen at the motor only. Slack and slipping behind it are not seen.", a.Name))
		}
	}
	return append(out, "Flex and shaking of the mount are not seen by any axis.")
}
