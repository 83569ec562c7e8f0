package ride

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/spatial/r3"
	"gonum.org/v1/gonum/stat"

	"keenarc/core/effort"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// ErrNoRing is returned for readings in which nothing rings down.
var ErrNoRing = errors.New("nothing rings down in these readings")

// fewest is how many readings a swing needs: from fewer its turns are not where it turns.
const fewest = 6

// RingDown reads frequency and damping off a swing that dies away: t in rising seconds, y in
// any unit. The times of its turns give the frequency, the logarithms of how far each is from
// rest the decrement.
// Source: the logarithmic decrement of the damped oscillator.
func RingDown(t, y []float64) (rig.Sway, error) {
	if len(t) != len(y) || len(t) < 9 {
		return rig.Sway{}, fmt.Errorf("%w: %d times and %d values; give at least 9 of each", ErrNoRing, len(t), len(y))
	}
	most := 0.0
	for i, v := range y {
		if i > 0 && !(t[i] > t[i-1]) || math.IsNaN(v) || math.IsInf(v, 0) {
			return rig.Sway{},
				fmt.Errorf("%w: the times must rise and the values be numbers, which reading %d does not do",
					ErrNoRing, i)
		}
		most = max(most, math.Abs(v))
	}
	// Where it comes to rest: about the middle of its last quarter, then by its turns.
	rest := stat.Mean(y[3*len(y)/4:], nil)
	at, height := turns(t, y, rest)
	if len(at) >= 4 {
		at, height = turns(t, y, rest+between(height))
	}
	if len(at) < 4 || floats.Max(height)-floats.Min(height) < 1e-9*most {
		return rig.Sway{}, fmt.Errorf("%w: %d turns; give readings that follow it through at least 4, several to each",
			ErrNoRing, len(at))
	}
	x, logs, sure := make([]float64, len(at)), make([]float64, len(at)), make([]float64, len(at))
	for i := range at {
		x[i], logs[i] = float64(i), math.Log(math.Abs(height[i]))
		sure[i] = height[i] * height[i] // what noise there is weighs more in a small turn
	}
	_, half := stat.LinearRegression(x, at, sure, false)
	_, fall := stat.LinearRegression(x, logs, sure, false)
	if each := float64(len(t)-1) / (t[len(t)-1] - t[0]) * 2 * half; each < fewest {
		return rig.Sway{}, fmt.Errorf("%w: there are %.1f readings to a swing; give %d at least, or it may be "+
			"another's", ErrNoRing, each, fewest)
	}
	if !(fall < 0) || !(half > 0) {
		return rig.Sway{}, fmt.Errorf("%w: it does not die away", ErrNoRing)
	}
	// ln of the ratio of half a swing is ζπ/√(1 − ζ²); ω_d = π ÷ half.
	z := -fall / math.Hypot(math.Pi, fall)
	return rig.Sway{Hz: 1 / (2 * half) / math.Sqrt(1-z*z), Damping: z}, nil
}

// turns are where a swing turns, and how far from its rest.
func turns(t, y []float64, rest float64) (at, height []float64) {
	most := 0.0
	for _, v := range y {
		most = max(most, math.Abs(v-rest))
	}
	for i := 1; i+1 < len(y); i++ {
		a, b, c := y[i-1]-rest, y[i]-rest, y[i+1]-rest
		if !(math.Abs(b) >= math.Abs(a) && math.Abs(b) > math.Abs(c)) || math.Abs(b) < most/50 {
			continue
		}
		// The parabola through the three, as if evenly apart.
		s := 0.0
		if d := a - 2*b + c; d != 0 {
			s = (a - c) / 2 / d
		}
		h := (t[i+1] - t[i-1]) / 2
		if n := len(at); n > 0 && height[n-1]*b > 0 { // the same turn again: noise
			continue
		}
		at, height = append(at, t[i]+s*h), append(height, b-(a-c)*s/4)
	}
	return at, height
}

// between is the rest that makes the first turns fall by one share each: of three in a row
// a, b, c it is (ac − b²) ÷ (a + c − 2b); the middle of what the largest say.
func between(h []float64) float64 {
	var all []float64
	for i := 0; i+2 < len(h) && i < 5; i++ {
		if d := h[i] + h[i+2] - 2*h[i+1]; d != 0 {
			all = append(all, (h[i]*h[i+2]-h[i+1]*h[i+1])/d)
		}
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2]
}

// Swing is a damped oscillator that is shaken at its foot: x is how far its head hangs back,
// x″ + 2ζω·x′ + ω²·x = −a.
type Swing struct {
	w, z float64
	X, V float64
}

// NewSwing is one at rest.
func NewSwing(s rig.Sway) *Swing { return &Swing{w: 2 * math.Pi * s.Hz, z: s.Damping} }

// Shake takes it dt seconds on, while the acceleration of its foot goes straight from a to b.
// It is exact: a particular solution, and what is left swings freely.
func (s *Swing) Shake(a, b, dt float64) {
	w2 := s.w * s.w
	slope := (b - a) / dt
	// x = p + q·t solves it for −(a + slope·t).
	q := -slope / w2
	p := (-a - 2*s.z*s.w*q) / w2
	wd, d := s.w*math.Sqrt(1-s.z*s.z), s.z*s.w
	x, v := s.X-p, s.V-q
	e, sin, cos := math.Exp(-d*dt), math.Sin(wd*dt), math.Cos(wd*dt)
	k := (v + d*x) / wd
	s.X = e*(x*cos+k*sin) + p + q*dt
	s.V = e*(v*cos-(d*k+wd*x)*sin) + q
}

// Peak does what Shake does, and says how far its head hangs back at most on the way, and when.
// What swings freely dies away, so in a long time its beginning and its end are looked at.
func (s *Swing) Peak(a, b, dt float64) (most, at float64) {
	from := *s
	parts := math.Ceil(dt * s.w / (2 * math.Pi) * peakParts)
	if !(parts >= 1) {
		parts = 1
	}
	after := func(h float64) Swing {
		now := from
		if h > 0 {
			now.Shake(a, a+(b-a)*h/dt, h)
		}
		return now
	}
	see := func(x Swing, h float64) {
		if v := math.Abs(x.X); v > most {
			most, at = v, h
		}
	}
	look := func(first, last float64) {
		lo, here := dt*first/parts, after(dt*first/parts)
		see(here, lo)
		for k := first; k < last; k++ {
			hi := dt * (k + 1) / parts
			next := after(hi)
			see(next, hi)
			if here.V*next.V < 0 && math.Abs(here.X)+math.Abs(next.V-here.V)*(hi-lo) > most { // it turns between them
				l, r := lo, hi
				for range 50 {
					m := l + (r-l)/2
					if x := after(m); x.V*here.V > 0 {
						l = m
					} else {
						r = m
					}
				}
				see(after(r), r)
			}
			lo, here = hi, next
		}
	}
	if parts <= mostPeak {
		look(0, parts)
	} else {
		look(0, mostPeak)
		look(parts-peakParts, parts)
	}
	s.Shake(a, b, dt)
	see(*s, dt)
	return most, at
}

// peakParts is into how many parts of a swing Peak looks, and mostPeak at how many.
const (
	peakParts = 8
	mostPeak  = 64 * peakParts
)

// Looks is at about how many places Peak looks over a time.
func Looks(s rig.Sway, dt float64) float64 { return min(dt*s.Hz*peakParts, mostPeak) + 2 }

// Height is how far it swings at most from now on, left alone.
func (s *Swing) Height() float64 {
	wd, d := s.w*math.Sqrt(1-s.z*s.z), s.z*s.w
	return math.Hypot(s.X, (s.V+d*s.X)/wd)
}

// Turned is how far it hangs back from now on at a phase of its swing, in radians, if it did not die away.
func (s *Swing) Turned(phase float64) float64 {
	wd, d := s.w*math.Sqrt(1-s.z*s.z), s.z*s.w
	return s.X*math.Cos(phase) + (s.V+d*s.X)/wd*math.Sin(phase)
}

// Settles is how many seconds a swing of a height takes until it stays below another.
func Settles(s rig.Sway, height, below float64) float64 {
	if height <= below {
		return 0
	}
	return math.Log(height/below) / (s.Damping * 2 * math.Pi * s.Hz)
}

// View is what sways in the picture: a camera, and what it looks at.
type View struct {
	Rig     *rig.Rig
	Lens    *lens.Package
	Scale   *lens.Scale
	Subject rig.Vec
}

// pxPerM is by how many pixels the subject moves in the picture when the camera moves
// sideways by a metre. Behind the camera it is as at the focus distance.
func (v *View) pxPerM(q []float64, at rig.Pose) float64 {
	l := v.Lens.Turned(v.Rig, q)
	dist := math.Inf(1)
	if i := v.Rig.Of(rig.Focus); i >= 0 && v.Scale != nil {
		dist = v.Scale.Distance(q[i])
	}
	f := l.At(dist)
	_, _, depth, ok := f.Project(at, v.Subject)
	if !ok || depth-f.PupilM < 0.05 {
		depth = dist
	}
	return float64(l.WidthPx) / l.WidthMM * f.ViewMM() / (depth - f.PupilM)
}

// Shake is how a move sways the picture at one rate.
type Shake struct {
	Hz      float64 `json:"hz"`
	Damping float64 `json:"damping"`
	// Known is whether these were measured; else the machine is taken as a lively one.
	Known bool `json:"known"`
	// WorstPx is the largest deflection within the pictures, EndPx the swing that is left at
	// the end of the run, SettleS how long until it stays below SettlePx.
	WorstPx      float64 `json:"worst_px"`
	WorstAt      int     `json:"worst_at"`
	EndPx        float64 `json:"end_px"`
	SettleS      float64 `json:"settle_s"`
	SettleFrames int     `json:"settle_frames"`
}

// SettlePx is the sway in pixels below which a picture counts as still.
const SettlePx = 0.25

// felt are the accelerations of the image plane across and up in the picture, per frame², at
// every tick, and what a metre of either is in pixels.
type felt struct{ right, up, px []float64 }

func (v *View) feel(ctx context.Context, m *path.Motion) (felt, error) {
	cut := ticks(m)
	n := (m.End()-m.Start())*cut + 1
	at, px := make([]rig.Pose, n), make([]float64, n)
	q := make([]float64, len(m.Curves))
	effort.Ahead(ctx, n)
	for k := range n {
		if k%stretch == 0 {
			if err := effort.Did(ctx, min(stretch, n-k)); err != nil {
				return felt{}, err
			}
		}
		m.Values(q, float64(m.Start())+float64(k)/float64(cut))
		at[k] = v.Rig.Forward(q)
		px[k] = v.pxPerM(q, at[k])
	}
	f := felt{make([]float64, n), make([]float64, n), px}
	for k := range n { // it stands still before and after
		a, b, c := at[max(k-1, 0)].At.R3(), at[k].At.R3(), at[min(k+1, n-1)].At.R3()
		acc := r3.Scale(float64(cut*cut), r3.Add(r3.Sub(c, r3.Scale(2, b)), a))
		f.right[k], f.up[k] = r3.Dot(acc, at[k].Right.R3()), r3.Dot(acc, at[k].Up.R3())
	}
	return f, nil
}

// Shaken is how the structure sways on a run at fps frames per second, as one oscillator that
// carries the camera: its foot is where the axes put it.
func (v *View) Shaken(ctx context.Context, m *path.Motion, fps float64) (*Shake, error) {
	f, err := v.feel(ctx, m)
	if err != nil {
		return nil, err
	}
	return v.shaken(f, m, fps), nil
}

func (v *View) shaken(f felt, m *path.Motion, fps float64) *Shake {
	s := rig.Sway{Hz: v.Rig.SwayHz(), Damping: v.Rig.SwayDamping()}
	out := &Shake{Hz: s.Hz, Damping: s.Damping, Known: v.Rig.Sway != nil}
	x, y := NewSwing(s), NewSwing(s)
	cut := ticks(m)
	dt, scale := 1/(fps*float64(cut)), fps*fps
	for k := 1; k < len(f.px); k++ {
		x.Shake(f.right[k-1]*scale, f.right[k]*scale, dt)
		y.Shake(f.up[k-1]*scale, f.up[k]*scale, dt)
		frame := float64(m.Start()) + float64(k)/float64(cut)
		if d := math.Hypot(x.X, y.X) * f.px[k]; d > out.WorstPx && frame >= float64(m.First) &&
			frame <= float64(m.Last) {
			out.WorstPx, out.WorstAt = d, int(frame)
		}
	}
	out.EndPx = math.Hypot(x.Height(), y.Height()) * f.px[len(f.px)-1]
	out.SettleS = Settles(s, out.EndPx, SettlePx)
	out.SettleFrames = int(math.Ceil(out.SettleS*fps - 1e-9))
	return out
}

// Flex is by how many pixels two passes of one path lie apart because the structure bends
// under acceleration, by more where it runs faster: Δa ÷ ω², before either is shot.
type Flex struct {
	Px    float64 `json:"px"`
	Frame int     `json:"frame"`
}

// Flexes forecasts the flex between a rate and each of others, in frames per second.
func (v *View) Flexes(ctx context.Context, m *path.Motion, fps float64, others []float64) ([]Flex, error) {
	f, err := v.feel(ctx, m)
	if err != nil {
		return nil, err
	}
	w, cut := 2*math.Pi*v.Rig.SwayHz(), ticks(m)
	out := make([]Flex, len(others))
	for k, px := range f.px {
		frame := m.Start() + k/cut
		if frame < m.First || frame >= m.Last {
			continue
		}
		bend := math.Hypot(f.right[k], f.up[k]) / (w * w) * px
		for i, o := range others {
			if d := bend * math.Abs(o*o-fps*fps); d > out[i].Px {
				out[i] = Flex{d, frame}
			}
		}
	}
	return out, nil
}
