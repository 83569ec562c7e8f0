package weave

import (
	"math"
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

func TestTimes(t *testing.T) {
	at := time.Date(2026, 1, 2, 9, 0, 0, 0, time.UTC)
	step := func(f int, p Phase, s float64) Step { return Step{f, p, at.Add(time.Duration(s * 1e9))} }
	got := Times([]Step{step(0, Going, 0), step(0, Settling, 4), step(0, Still, 5), step(0, Exposing, 65),
		step(0, Keeping, 66), step(2, Going, 67),
		step(2, Still, 70), step(2, Away, 90), step(0, Going, 100), step(0, Still, 101), step(0, Exposing, 111), step(0,
			Keeping, 110), step(4, Still, 112)})
	want := []Spent{{0, 70, 10}, {2, 0, 3}}
	if len(got) != 2 || got[0] != want[0] || got[1] != want[1] {
		t.Errorf("%+v, want %+v", got, want)
	}
	if got := Times(nil); got == nil || len(got) != 0 {
		t.Errorf("of nothing: %v", got)
	}
}

func TestPace(t *testing.T) {
	s := scheme()
	if p := Lay(s, nil, nil).Pace(nil); p != (Pace{Left: 8}) {
		t.Errorf("of nothing: %+v", p)
	}
	b := Lay(s, []Exposure{exp(0, "b", 1, Kept), exp(0, "r", 1, Kept), exp(2, "b", 1, Kept), exp(0, "c", 1, Kept)}, nil)
	p := b.Pace([]Spent{{0, 100, 10}, {2, 30_000, 14}, {4, 60, 40}})
	if p != (Pace{Frame: 110, Machine: 14, Left: 7, LeftS: 770}) {
		t.Errorf("%+v", p)
	}
}

// swayed is how long after a go-to, to a pose, a picture stays over a limit: the structure is followed
// in small steps through the move as docs/rig-link.md has it, and long enough after.
func swayed(r *rig.Rig, from, to []float64, share, limit, hz, z float64, pxPer []float64) float64 {
	short := make([]float64, len(to))
	for i, a := range r.Axes {
		short[i] = max(to[i]-4*a.Backlash, a.Min)
	}
	seconds := func(a, b []float64, share float64) float64 {
		t := 0.02
		for i := range a {
			d, l := math.Abs(b[i]-a[i]), r.Axes[i].Working
			t = max(t, 15*d/8/(l.Speed*share), math.Sqrt(10*d/math.Sqrt(3)/(l.Acceleration*share)))
		}
		return t
	}
	t1, t2 := seconds(from, short, share), seconds(short, to, min(share, 0.1))
	w, h := 2*math.Pi*hz, 1/hz/500
	push := func(now float64, i int) float64 {
		d, t := short[i]-from[i], t1
		if now > t1 {
			d, t, now = to[i]-short[i], t2, now-t1
		}
		if now > t {
			return 0
		}
		u := now / t
		return d * (60*u - 180*u*u + 120*u*u*u) / (t * t)
	}
	x, v := make([]float64, len(to)), make([]float64, len(to))
	last := 0.0
	end := t1 + t2 + 14/(z*w)
	for now := 0.0; now < end; now += h {
		sum := 0.0
		for i := range x {
			if pxPer[i] == 0 {
				continue
			}
			f := func(at, x, v float64) float64 { return -push(at, i) - 2*z*w*v - w*w*x }
			k1 := f(now, x[i], v[i])
			k2 := f(now+h/2, x[i]+h/2*v[i], v[i]+h/2*k1)
			k3 := f(now+h/2, x[i]+h/2*v[i]+h*h/4*k1, v[i]+h/2*k2)
			k4 := f(now+h, x[i]+h*v[i]+h*h/2*k2, v[i]+h*k3)
			x[i] += h*v[i] + h*h/6*(k1+k2+k3)
			v[i] += h / 6 * (k1 + 2*k2 + 2*k3 + k4)
			sum += pxPer[i] * x[i]
		}
		if now+h > t1+t2 && math.Abs(sum) > limit {
			last = now + h - t1 - t2
		}
	}
	return last
}

// How long it settles is never less than the swing takes that follows the move step by step, and at most
// 1.3 times as long: over drawn moves, structures and pictures.
func TestSettle(t *testing.T) {
	rng := rand.New(rand.NewPCG(30, 11))
	n, waits, worst := 60, 0, 0.0
	if os.Getenv("KEENARC_LONG") != "" {
		n = 2000
	}
	for range n {
		r := fixture.Slider()
		hz, z := 2+13*rng.Float64(), 0.005+0.05*rng.Float64()
		r.Sway = &rig.Sway{Hz: hz, Damping: z}
		from, to, pxPer := make([]float64, len(r.Axes)), make([]float64, len(r.Axes)), make([]float64, len(r.Axes))
		size := math.Pow(10, -3*rng.Float64())
		for i, a := range r.Axes {
			mid := (a.Min + a.Max) / 2
			from[i] = mid + (a.Max-a.Min)/2*size*(2*rng.Float64()-1)
			to[i] = mid + (a.Max-a.Min)/2*size*(2*rng.Float64()-1)
			if a.Kind == rig.Linear || a.Kind == rig.Rotary {
				pxPer[i] = 200 * rng.Float64()
			}
		}
		share := 0.05 + 0.45*rng.Float64()
		says := Settle(r, from, to, share, SettlePx, func(by []float64) float64 {
			sum := 0.0
			for i := range by {
				sum += pxPer[i] * by[i]
			}
			return math.Abs(sum)
		})
		is := swayed(r, from, to, share, SettlePx, hz, z, pxPer)
		if is > says+1/hz/200 {
			t.Errorf("%.2f Hz, %.3f: it settles %.4f s, and %.4f are said", hz, z, is, says)
		}
		if is > 1/hz {
			waits++
			worst = max(worst, says/is)
		}
		if says > 1.3*is+1/hz {
			t.Errorf("%.2f Hz, %.3f: it settles %.4f s, and %.4f are said: too long", hz, z, is, says)
		}
	}
	if t.Logf("%d of %d settle for longer than a swing, at most %.2f times are said", waits, n, worst); waits < n/6 ||
		worst > 1.3 {
		t.Error("too few are waited for, or too long")
	}
	r := fixture.Slider()
	r.Sway = &rig.Sway{Hz: 9, Damping: 0.04}
	from, to := make([]float64, len(r.Axes)), make([]float64, len(r.Axes))
	to[0] = 3
	px := func(by []float64) float64 { return 400 * math.Abs(by[0]) }
	known := Settle(r, from, to, 0.4, SettlePx, px)
	if known == 0 || Settle(r, from, to, 0.4, 1e9, px) != 0 {
		t.Errorf("%g s, and nothing to wait for", known)
	}
	// Where nothing was measured it is taken as livelier: it waits longer.
	if r.Sway = nil; Settle(r, from, to, 0.4, SettlePx, px) <= known {
		t.Errorf("unmeasured not longer than %g s", known)
	}
	// No share given is the one that a machine takes then.
	if a, b := Settle(r, from, to, 0, SettlePx, px), Settle(r, from, to, rig.FastGoTo, SettlePx, px); a != b {
		t.Errorf("%g, %g", a, b)
	}
}

func TestTravel(t *testing.T) {
	r := fixture.Slider()
	q := make([]float64, len(r.Axes))
	p := append([]float64(nil), q...)
	p[0] += 120 // mm along the rail
	if d := Travel(r, q, p); math.Abs(d-0.12) > 1e-9 {
		t.Errorf("%g m", d)
	}
	// Turned by 60° and all round the front of the camera goes along its arc, the one
	// that ends where it began, too.
	f := r.Forward(q).Point(0, 0.25, 0)
	radius := f[1] // before the pan axis, which stands at the origin
	for _, deg := range []float64{60, 360} {
		p = append([]float64(nil), q...)
		p[1] = deg
		if d, want := Travel(r, q, p), radius*deg*math.Pi/180; math.Abs(d-want) > 0.002*want {
			t.Errorf("%g°: %g m, want %g", deg, d, want)
		}
	}
	if d := Travel(r, q, q); d != 0 {
		t.Errorf("%g m to where it is", d)
	}
	r.Camera = ""
	if d := Travel(r, q, p); math.Abs(d-2*math.Pi*0.01) > 1e-3 { // the image plane goes round the axis
		t.Errorf("without a camera there is no front: %g m", d)
	}
}
