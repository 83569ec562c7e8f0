package limit

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"keenarc/core/curve"
	"keenarc/core/path"
	"keenarc/core/retime"
	"keenarc/core/rig"
)

// Retimed is a whole move timed anew within the working limits: the edit that stores its new
// curves, and what becomes of the spacing.
type Retimed struct {
	Edit   path.Edit
	Frames int // from the first to the last
	// Closest and Widest are the least and the greatest distance between two frames, in parts of
	// what it was at that place of the way, where it moves.
	Closest, Widest float64
}

const (
	// spare is what part of each limit is kept back for laying the new curves through keyframes.
	spare = 0.004
	// near is by how much the way between new keyframes may differ, in parts of how far an axis goes.
	near = 2e-4
	// mostNew bounds the new keyframes of an axis.
	mostNew = 2000
)

// Retime times a move anew on the clock of its plan, over a whole number of frames: the least
// time within speed, acceleration and, where an axis has a limit of it, jerk. The new curves are
// quintics, or without a limit of jerk cubics, through keyframes that all axes share.
func Retime(ctx context.Context, p *path.Path, r *rig.Rig) (*Retimed, error) {
	q := p.Clone()
	q.RunUp, q.RunOut = 0, 0
	m, err := path.Compile(q, r)
	if err != nil {
		return nil, err
	}
	fps := p.Clock().FPS()
	var axes []int
	var curves []*curve.Curve
	var lim []retime.Limits
	jerk := false
	for i := range r.Axes {
		t := p.Track(r.Axes[i].ID)
		if t == nil || len(t.Keys) == 0 && t.Record == nil {
			continue
		}
		if t.Record != nil {
			return nil, fmt.Errorf("%s follows a hand-made take, whose timing is its own", r.Axes[i].Name)
		}
		l := retime.Limits{Speed: r.Axes[i].Working.Speed * (1 - spare), Acceleration: r.Axes[i].Working.Acceleration *
			(1 - spare), Jerk: math.Inf(1)}
		if j := r.Axes[i].Working.Jerk; j > 0 {
			l.Jerk, jerk = j*(1-spare), true
		}
		axes, lim, curves = append(axes, i), append(lim, l), append(curves, inSeconds(m.Curves[i], fps))
	}
	timed, err := retime.New(ctx, curves, lim, jerk)
	var re *retime.Error
	if errors.As(err, &re) {
		return nil, fmt.Errorf("%s cannot be timed anew: %s; %s", r.Axes[axes[re.Axis]].Name, re.Wrong, re.Want)
	}
	if err != nil {
		return nil, err
	}
	var best *Retimed
	for _, apart := range [...]float64{1, 0.5, 2, 3} {
		n := &newKeys{timed: timed, lim: lim, first: float64(m.First), fps: fps, least: apart / fps, jerk: jerk}
		if x := n.lay(p, r, axes); x != nil && (best == nil || x.Frames < best.Frames) {
			best = x
		}
	}
	if best == nil {
		return nil, errors.New("no timing was found that is within the limits once it is laid through keyframes")
	}
	return best, nil
}

// lay is the move through keyframes that are no closer than least, slowed by what that costs, or
// nil.
func (n *newKeys) lay(p *path.Path, r *rig.Rig, axes []int) *Retimed {
	slower := 1.0
	for range 8 {
		out := &Retimed{Frames: int(math.Ceil(n.timed.Duration*n.fps*slower - 1e-9))}
		if out.Frames > path.MaxFrames {
			return nil
		}
		n.stretch = float64(out.Frames) / (n.timed.Duration * n.fps)
		out.Edit = path.Edit{Op: "retime", Tracks: n.tracks(p, r, axes)}
		q, after, ok := try(p, r, out.Edit)
		if !ok || !n.met(p, q, r, axes) {
			return nil
		}
		if paceOK(after) {
			out.Closest, out.Widest = n.spacing()
			return out
		}
		over := 1.0
		for _, v := range after.Violations {
			if order := slices.Index([]Quantity{Range, Speed, Acceleration, Jerk}, v.Quantity); order > 0 {
				over = max(over, math.Pow(v.Share, 1/float64(order)))
			}
		}
		slower = n.stretch * over * (1 + 1e-6)
	}
	return nil
}

// met reports whether the new move is, when its old keyframes are due, where they are: a timing
// that is within the limits and goes another way is none.
func (n *newKeys) met(p, q *path.Path, r *rig.Rig, axes []int) bool {
	m, err := path.Compile(q, r)
	if err != nil {
		return false
	}
	for k, i := range axes {
		lo, _, hi, _ := n.timed.Curves[k].Range()
		for _, key := range p.Track(r.Axes[i].ID).Keys {
			at := n.first + n.when(key.Frame/n.fps)*n.fps*n.stretch
			if got := m.Curves[i].At(at).P; math.Abs(got-n.timed.Curves[k].At(n.when(key.Frame/n.fps)).P) > 10*near*
				(hi-lo)+1e-6 {
				return false
			}
		}
	}
	return true
}

// inSeconds is a curve over frames as one over seconds.
func inSeconds(c *curve.Curve, fps float64) *curve.Curve {
	out := &curve.Curve{X: slices.Clone(c.X), C: slices.Clone(c.C)}
	for i := range out.X {
		out.X[i] /= fps
	}
	for i := range out.C {
		k := 1.0
		for o := range out.C[i] {
			out.C[i][o] *= k
			k *= fps
		}
	}
	return out
}

// newKeys lays what was timed anew through keyframes.
type newKeys struct {
	timed      *retime.Result
	lim        []retime.Limits
	first, fps float64
	stretch    float64 // how much longer than was found, for a whole number of frames
	least      float64 // between two new keyframes, in seconds
	jerk       bool    // with a limit of jerk they are joined by quintics, without by cubics
}

// when is the new time of an old one, in seconds.
func (n *newKeys) when(old float64) float64 {
	lo, hi := 0.0, n.timed.Duration
	for range 60 {
		mid := (lo + hi) / 2
		if n.timed.Old(mid) < old {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

func (n *newKeys) tracks(p *path.Path, r *rig.Rig, axes []int) []path.Track {
	// Where it stands still, and where the old keyframes were, if no other is near.
	keep := slices.Clone(n.timed.Stops)
	for _, f := range p.Frames() {
		t := n.when(f / n.fps)
		if !slices.ContainsFunc(keep, func(o float64) bool { return math.Abs(o-t) < n.least }) {
			keep = append(keep, t)
		}
	}
	slices.Sort(keep)
	keep = slices.CompactFunc(keep, func(a, b float64) bool { return math.Abs(b-a) < 0.05/n.fps })
	keep[len(keep)-1] = n.timed.Duration
	var times []float64
	for k := 0; k+1 < len(keep); k++ {
		times = append(times, keep[k])
		times = n.between(times, keep[k], keep[k+1])
	}
	times = append(times, n.timed.Duration)
	var out []path.Track
	for k, i := range axes {
		t := path.Track{Axis: r.Axes[i].ID, Kind: curve.Quintic}
		if !n.jerk {
			t.Kind = curve.Handles
		}
		still := true
		for j, s := range times {
			x := n.timed.Curves[k].At(s)
			rate := n.fps * n.stretch
			key := path.Key{Frame: n.first + s*rate, Value: x.P}
			switch v := x.V / rate; {
			case n.jerk:
				key.Slope, key.Acceleration = v, x.A/rate/rate
			default: // handles of a third of the leg make a cubic of it
				if j > 0 {
					h := (s - times[j-1]) * rate / 3
					key.In = [2]float64{-h, -v * h}
				}
				if j+1 < len(times) {
					h := (times[j+1] - s) * rate / 3
					key.Out = [2]float64{h, v * h}
				}
			}
			still = still && x.P == n.timed.Curves[k].At(0).P
			t.Keys = append(t.Keys, key)
		}
		last := len(t.Keys) - 1
		t.Keys[0].Frame, t.Keys[last].Frame = n.first, math.Round(t.Keys[last].Frame)
		was := p.Track(r.Axes[i].ID).Keys
		t.Keys[0].Value, t.Keys[last].Value = was[0].Value, was[len(was)-1].Value
		if n.jerk {
			t.Keys[0].Bend, t.Keys[last].Bend = curve.Bend{}, curve.Bend{}
		} else {
			t.Keys[0].Out[1], t.Keys[last].In[1] = 0, 0
		}
		if still {
			t.Kind, t.Keys = curve.Smooth, []path.Key{{Frame: t.Keys[0].Frame, Value: t.Keys[0].Value},
				{Frame: t.Keys[last].Frame, Value: t.Keys[last].Value}}
		}
		out = append(out, t)
	}
	return out
}

// joined is the piece between two keyframes.
func (n *newKeys) joined(h float64, a, b curve.Sample) curve.Poly {
	if n.jerk {
		return curve.Fifth(h, a, b)
	}
	d := (b.P - a.P) / h
	return curve.Poly{a.P, a.V, (3*d - 2*a.V - b.V) / h, (a.V + b.V - 2*d) / (h * h)}
}

// between appends the keyframes that are needed between two times for quintics to follow what
// was timed, within near and within the limits.
func (n *newKeys) between(times []float64, a, b float64) []float64 {
	if b-a < 2*n.least || len(times) > mostNew {
		return times
	}
	fits := true
	for i, c := range n.timed.Curves {
		from, to := c.At(a), c.At(b)
		if b >= n.timed.Duration {
			to = c.End()
		}
		q := n.joined(b-a, from, to)
		size := max(math.Abs(c.Rest()-c.Wait()), math.Abs(to.P-from.P), 1e-6)
		for k := range 9 {
			u := (b - a) * float64(k) / 8
			s := q.At(u)
			if math.Abs(s.P-c.At(a+u).P) > near*size || math.Abs(s.V) > n.lim[i].Speed*(1+spare/2) || math.Abs(s.A) >
				n.lim[i].Acceleration*(1+spare/2) || math.Abs(s.J) > n.lim[i].Jerk*(1+spare/2) {
				fits = false
			}
		}
	}
	if fits {
		return times
	}
	mid := (a + b) / 2
	times = append(n.between(times, a, mid), mid)
	return n.between(times, mid, b)
}

// spacing is the least and the greatest of how far two new frames are apart, in parts of what
// it was there, over the tenth to the nine tenths of the time.
func (n *newKeys) spacing() (closest, widest float64) {
	closest, widest = math.Inf(1), 0
	step := 1 / n.fps / n.stretch
	for t := n.timed.Duration * 0.1; t+step < n.timed.Duration*0.9; t += step {
		moved := (n.timed.Old(t+step) - n.timed.Old(t)) * n.fps
		closest, widest = min(closest, moved), max(widest, moved)
	}
	if closest > widest {
		return 1, 1
	}
	return closest, widest
}
