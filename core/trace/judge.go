package trace

import (
	"context"
	"math"
	"slices"

	"keenarc/core/clock"
	"keenarc/core/effort"
	"keenarc/core/lens"
	"keenarc/core/rig"
)

// ThresholdPx is the largest error at which passes stack, unless the user sets another.
const ThresholdPx = 0.5

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
	Visit int     `json:"visit"` // which of the frame's visits, from 0
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
	sc, err := l.Scale()
	if err != nil {
		return nil, err
	}
	return &Judge{r, l, s, sc, r.Of(rig.Focus)}, nil
}

// focused is the camera as a pose of the axes has it; without a focus motor it
// is focused at infinity.
func (j *Judge) focused(q []float64) lens.Focus {
	l := j.Lens.Turned(j.Rig, q)
	if j.focus < 0 {
		return l.At(math.Inf(1))
	}
	return l.At(j.scale.Distance(q[j.focus]))
}

var (
	cornerNames = [5]string{"centre", "top left", "top right", "bottom left", "bottom right"}
	corners     = [5][2]float64{{0, 0}, {-1, 1}, {1, 1}, {-1, -1}, {1, -1}}
)

// cornerShare is how far out the corner points lie.
const cornerShare = 0.8

// Pixels is the largest shift in pixels at the sensor between two poses of the
// axes, each with its own focus: five points at the subject's distance (centre
// and 80 % corners of pose a's picture), the near and the far point of the set,
// and the change of the subject's blur diameter. A point that is in one picture
// and behind the other's camera is off by the picture's diagonal, which is more
// than any point can move inside it. said is false where nothing is in either.
func (j *Judge) Pixels(a, b []float64) (px float64, point string, said bool) {
	return j.between(j.Rig.Forward(a), j.Rig.Forward(b), j.focused(a), j.focused(b))
}

// Moved is the same for one pose of the axes on a machine that stands where it is thought
// to, and on one whose camera is moved elsewhere.
func (j *Judge) Moved(q []float64, move func(rig.Pose) rig.Pose) (px float64, point string, said bool) {
	p, f := j.Rig.Forward(q), j.focused(q)
	return j.between(p, move(p), f, f)
}

func (j *Judge) between(pa, pb rig.Pose, fa, fb lens.Focus) (px float64, point string, said bool) {
	worse := func(d float64, name string) {
		if said = true; d > px || point == "" {
			px, point = max(d, px), name
		}
	}
	try := func(name string, w rig.Vec) {
		xa, ya, _, inA := fa.Project(pa, w)
		xb, yb, _, inB := fb.Project(pb, w)
		switch seen := inA && fa.Visible(xa, ya) || inB && fb.Visible(xb, yb); {
		case !seen:
		case inA && inB:
			worse(math.Hypot(xb-xa, yb-ya), name)
		default:
			worse(j.Lens.DiagonalPx(), name+" gone")
		}
	}
	if _, _, depth, ok := fa.Project(pa, j.Scene.Subject); ok {
		z := depth - fa.PupilM
		w, h := cornerShare*j.Lens.WidthMM/2/fa.ViewMM()*z, cornerShare*j.Lens.HeightMM/2/fa.ViewMM()*z
		for k, c := range corners {
			try(cornerNames[k], pa.Point(c[0]*w, depth, c[1]*h))
		}
		if d := math.Abs(fb.BlurPx(depth) - fa.BlurPx(depth)); j.focus >= 0 && d > px {
			worse(min(d, j.Lens.DiagonalPx()), "focus")
		}
	}
	try("near", j.Scene.Near)
	try("far", j.Scene.Far)
	return px, point, said
}

// Verdict is the judgement of one take against another (or against the seal).
type Verdict struct {
	Word        string  `json:"word" enum:"stacks,off,cannot say"`
	ThresholdPx float64 `json:"threshold_px"`
	WorstPx     float64 `json:"worst_px"`
	WorstFrame  int     `json:"worst_frame"`
	WorstPoint  string  `json:"worst_point"`
	// Missing counts the picture frames that one of the two has no rows for;
	// Gaps are the same as stretches [From, To). Unsaid counts those in which
	// nothing was visible.
	Missing int `json:"missing_frames"`
	// Between counts the picture frames that no picture of both shows: a camera that kept
	// its own rate took its pictures before and after them. They are not judged.
	Between int           `json:"between_frames,omitempty"`
	Gaps    []FrameSpan   `json:"gaps"`
	Unsaid  int           `json:"unsaid_frames"`
	Frames  []FramePixels `json:"frames,omitempty"`
	// WorstByAxis is the largest difference per axis in its own unit.
	WorstByAxis map[string]float64 `json:"worst_by_axis"`
	Unseen      []string           `json:"unseen"`
}

// FrameSpan is the frames From to To−1.
type FrameSpan struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// Stacks, Off and CannotSay are the words of a verdict.
const (
	Stacks    = "stacks"
	Off       = "off"
	CannotSay = "cannot say"
)

// Compare judges b against a, both as machines count, over the picture frames
// [first, last), unshifted
// and frame by frame: one frame off is off, and only a take of which every frame
// can be judged stacks. Where frames are missing, or nothing is visible in some,
// it says "cannot say" unless what is there is already off. A frame that b's clock
// visits several times is judged at every visit, against the same visit of a, or
// a's last where a has fewer; a wait is judged at its beginning and its end. c is
// b's clock, which says how many visits there should be, and of a camera that keeps its
// own rate which of them are pictures at all; was is a's clock, or nil where a is no take.
func (j *Judge) Compare(ctx context.Context, a, b Poser, was, c clock.Clock, first, last int, thresholdPx float64) (
	*Verdict, error) {
	v := &Verdict{ThresholdPx: thresholdPx, WorstFrame: first, Gaps: []FrameSpan{}, Frames: []FramePixels{},
		WorstByAxis: map[string]float64{}, Unseen: Unseen(j.Rig)}
	n := len(j.Rig.Axes)
	qa, qb := make([]float64, n), make([]float64, n)
	effort.Ahead(ctx, last-first)
	for f := first; f < last; f++ {
		if err := effort.Did(ctx, 1); err != nil {
			return nil, err
		}
		visits, there := b.Visits(f), a.Visits(f)
		taken := c.Pictured(f)
		var of []bool // a's
		if was != nil {
			of = was.Pictured(f)
		}
		if len(taken) > 0 && !slices.Contains(taken, true) || len(of) > 0 && !slices.Contains(of, true) {
			v.Between++
			continue
		}
		whole := there > 0 && visits >= max(1, len(taken))
		for n := range visits {
			if n < len(taken) && !taken[n] {
				continue
			}
			with := min(n, there-1)
			if with >= 0 && with < len(of) && !of[with] {
				with = slices.Index(of, true)
			}
			for _, late := range []bool{false, true} {
				if !a.AtVisit(qa, f, with, late) || !b.AtVisit(qb, f, n, late) {
					whole = false
					break
				}
				v.take(j, f, n, late, j.Rig.Planned(qa), j.Rig.Planned(qb))
			}
		}
		if !whole {
			v.missing(f)
		}
	}
	switch {
	case v.WorstPx >= thresholdPx:
		v.Word = Off
	case v.Missing > 0 || v.Unsaid > 0 || len(v.Frames) == 0:
		v.Word = CannotSay
	default:
		v.Word = Stacks
	}
	return v, nil
}

// take adds one visit's beginning, or its end, to the verdict.
func (v *Verdict) take(j *Judge, frame, visit int, late bool, qa, qb []float64) {
	px, point, ok := j.Pixels(qa, qb)
	n := len(v.Frames)
	if !late {
		v.Frames = append(v.Frames, FramePixels{frame, visit, math.Round(px*1e4) / 1e4, point, ok})
		if !ok {
			v.Unsaid++
		}
	} else if x := &v.Frames[n-1]; math.Round(px*1e4)/1e4 > x.Px {
		x.Px, x.Point = math.Round(px*1e4)/1e4, point
	}
	if px > v.WorstPx || n == 0 {
		v.WorstPx, v.WorstFrame, v.WorstPoint = px, frame, point
	}
	for i := range qa {
		id := j.Rig.Axes[i].ID
		v.WorstByAxis[id] = max(v.WorstByAxis[id], math.Abs(qb[i]-qa[i]))
	}
}

func (v *Verdict) missing(frame int) {
	v.Missing++
	if n := len(v.Gaps); n > 0 && v.Gaps[n-1].To == frame {
		v.Gaps[n-1].To++
		return
	}
	v.Gaps = append(v.Gaps, FrameSpan{frame, frame + 1})
}
