package limit

import (
	"math"
	"testing"

	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
	"keenarc/core/retime"
	"keenarc/core/rig"
)

// timedAnew is a move of track and pan, timed anew within limits, ready to be laid through
// keyframes; the third axis of it stands still.
func timedAnew(t *testing.T, jerk bool) (*newKeys, *path.Path, []int, *rig.Rig) {
	t.Helper()
	r := fixture.Slider()
	p := line(t, r, "track", 12, 100, 60, 500, 90, 900)
	for f, v := range map[float64]map[string]float64{12: {"pan": 0, "roll": 2}, 50: {"pan": 30, "roll": 2},
		90: {"pan": -10, "roll": 2}} {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: f, Values: v})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	fps := p.Clock().FPS()
	axes := []int{r.Index("track"), r.Index("pan"), r.Index("roll")}
	n := &newKeys{first: 12, fps: fps, stretch: 1.25, least: 1 / fps, jerk: jerk}
	var curves []*curve.Curve
	for _, i := range axes {
		curves = append(curves, inSeconds(m.Curves[i], fps))
		l := retime.Limits{Speed: 300, Acceleration: 400, Jerk: math.Inf(1)}
		if jerk {
			l.Jerk = 5000
		}
		n.lim = append(n.lim, l)
	}
	if n.timed, err = retime.New(t.Context(), curves, n.lim, jerk); err != nil {
		t.Fatal(err)
	}
	return n, p, axes, r
}

// The new keyframes lie on what was timed, at its slopes, stretched to whole frames; between
// them the curve is within a little of it and of its limits; what stands still has two.
func TestNewKeysLieOnWhatWasTimed(t *testing.T) {
	for _, jerk := range []bool{false, true} {
		n, p, axes, r := timedAnew(t, jerk)
		tracks := n.tracks(p, r, axes)
		rate := n.fps * n.stretch
		q, err := p.Apply(r, path.Edit{Op: "retime", Tracks: tracks})
		if err != nil {
			t.Fatal(err)
		}
		m, err := path.Compile(q, r)
		if err != nil {
			t.Fatal(err)
		}
		for k, i := range axes {
			x := tracks[k]
			if first, last := x.Keys[0], x.Keys[len(x.Keys)-1]; first.Frame != 12 ||
				last.Frame != math.Round(12+n.timed.Duration*rate) {
				t.Errorf("%s from %g to %g", x.Axis, first.Frame, last.Frame)
			}
			if x.Axis == r.Axes[r.Index("roll")].ID {
				if x.Kind != curve.Smooth || len(x.Keys) != 2 {
					t.Errorf("what stands still has %d keyframes of %s", len(x.Keys), x.Kind)
				}
				continue
			}
			if len(x.Keys) < 5 || len(x.Keys) > 120 {
				t.Errorf("%s has %d keyframes", x.Axis, len(x.Keys))
			}
			lo, _, hi, _ := n.timed.Curves[k].Range()
			for f := 13.0; f < x.Keys[len(x.Keys)-1].Frame-1; f += 0.37 {
				want, got := n.timed.Curves[k].At((f-12)/rate), m.Curves[i].At(f)
				if math.Abs(got.P-want.P) > 20*near*(hi-lo) || math.Abs(got.V*rate-want.V) > 0.03*300 {
					t.Fatalf("jerk %t, %s at %g: %g at %g/s, timed %g at %g/s", jerk, x.Axis, f, got.P, got.V*rate,
						want.P, want.V)
				}
			}
			for _, key := range x.Keys[1 : len(x.Keys)-1] {
				want, got := n.timed.Curves[k].At((key.Frame-12)/rate), m.Curves[i].At(key.Frame)
				if math.Abs(got.P-want.P) > 1e-9*(1+math.Abs(want.P)) || math.Abs(got.V*rate-want.V) > 1e-6*300 ||
					jerk && math.Abs(got.A*rate*rate-want.A) > 1e-6*400 {
					t.Fatalf("jerk %t, %s at its keyframe %g: %+v, timed %+v", jerk, x.Axis, key.Frame, got, want)
				}
			}
		}
	}
}

// A keyframe is put only where one is needed: what does not fit is halved, down to the least
// distance; what one cubic follows gets none.
func TestBetweenIsNeeded(t *testing.T) {
	n, _, _, _ := timedAnew(t, false)
	fits := func(a, b float64) bool { // by plain loops
		for i, c := range n.timed.Curves {
			from, to := c.At(a), c.At(b)
			if b >= n.timed.Duration {
				to = c.End()
			}
			q := n.joined(b-a, from, to)
			size := max(math.Abs(c.Rest()-c.Wait()), math.Abs(to.P-from.P), 1e-6)
			for k := 0; k <= 8; k++ {
				s := q.At((b - a) * float64(k) / 8)
				if math.Abs(s.P-c.At(a+(b-a)*float64(k)/8).P) > near*size || math.Abs(s.V) > n.lim[i].Speed*1.002 ||
					math.Abs(s.A) > n.lim[i].Acceleration*1.002 {
					return false
				}
			}
		}
		return true
	}
	all := append(n.between([]float64{0}, 0, n.timed.Duration), n.timed.Duration)
	if len(all) < 5 {
		t.Fatalf("%v", all)
	}
	for i := 1; i < len(all); i++ {
		if a, b := all[i-1], all[i]; b <= a || b-a >= 2*n.least && !fits(a, b) {
			t.Errorf("%g to %g does not fit", a, b)
		}
	}
	for i := 0; i+2 < len(all); i++ { // two halves of one stretch that would have done
		if a, b := all[i], all[i+2]; math.Abs((a+b)/2-all[i+1]) < 1e-12 && fits(a, b) &&
			isHalving(a, b, n.timed.Duration) {
			t.Errorf("%g to %g fits without %g", a, b, all[i+1])
		}
	}
	a, b := curve.Sample{P: 2, V: 3}, curve.Sample{P: 11, V: -4}
	p := n.joined(1.5, a, b)
	if s, e := p.At(0), p.At(1.5); math.Abs(s.P-2) > 1e-12 || math.Abs(s.V-3) > 1e-12 || math.Abs(e.P-11) > 1e-12 ||
		math.Abs(e.V+4) > 1e-12 || p[4] != 0 || p[5] != 0 {
		t.Errorf("the cubic between goes %+v to %+v", s, e)
	}
}

// isHalving reports whether a to b is a stretch that halving a whole comes to.
func isHalving(a, b, whole float64) bool {
	k := math.Round(whole / (b - a))
	return math.Abs(whole/(b-a)-k) < 1e-6 && math.Abs(math.Mod(a/(b-a)+1e-9, 1)) < 1e-6
}

// When a frame of old is due anew, and how far apart frames come to be, by walking along.
func TestWhenAndSpacing(t *testing.T) {
	n, _, _, _ := timedAnew(t, false)
	for _, old := range []float64{12.5 / n.fps, 40 / n.fps, 60 / n.fps, 88 / n.fps} {
		if at := n.when(old); math.Abs(n.timed.Old(at)-old) > 1e-9 {
			t.Errorf("%g s of old is due at %g, where %g is", old, at, n.timed.Old(at))
		}
	}
	closest, widest := n.spacing()
	step := 1 / (n.fps * n.stretch)
	lo, hi := math.Inf(1), 0.0
	for at := 0.1 * n.timed.Duration; at+step < 0.9*n.timed.Duration; at += step {
		by := (n.timed.Old(at+step) - n.timed.Old(at)) * n.fps
		lo, hi = min(lo, by), max(hi, by)
	}
	if closest != lo || widest != hi || !(closest < 1 || widest < 1) || widest <= closest {
		t.Errorf("frames come %g to %g apart, by walking %g to %g", closest, widest, lo, hi)
	}
	n.stretch = 1e-9 // hardly a frame in it: nothing to say
	if a, b := n.spacing(); a != 1 || b != 1 {
		t.Errorf("of no frame %g to %g", a, b)
	}
}

// Two curves are apart by the most that they are anywhere, ends included, long or short.
func TestApartBy(t *testing.T) {
	flat := func(from, to float64) *curve.Curve {
		return &curve.Curve{X: []float64{from, to}, C: []curve.Poly{{}}}
	}
	for _, to := range []float64{0.5, 3, 100, 100_000} {
		bump := &curve.Curve{X: []float64{5, 5 + to}, C: []curve.Poly{{0, 4 / to, -4 / (to * to)}}} // 1 in the middle
		if got := apartBy(flat(5, 5+to), bump); math.Abs(got-1) > 1e-3 {
			t.Errorf("over %g frames: %g", to, got)
		}
		end := &curve.Curve{X: []float64{5, 5 + to}, C: []curve.Poly{{0, -3 / to}}}
		if got := apartBy(end, flat(5, 5+to)); math.Abs(got-3) > 1e-9 {
			t.Errorf("at the end of %g frames: %g", to, got)
		}
	}
}
