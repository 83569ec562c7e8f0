package retime

import (
	"math"
	"math/rand/v2"
	"testing"

	"keenarc/core/curve"
)

// Known answers: how long these moves take, as they have been found. A search that is led
// another way finds another time: a longer one is a fault; a shorter one, if it holds its
// limits, is welcome and takes the place of the old.
func TestKnownAnswers(t *testing.T) {
	kinds := []curve.Kind{curve.Smooth, curve.Natural, curve.Through, curve.Linear, curve.Akima}
	for i, want := range answers {
		rng := rand.New(rand.NewPCG(uint64(i), 99))
		c, lim := random(t, rng, 2+i%3, 2+i%5, kinds[i%len(kinds)])
		if i%4 == 3 {
			for k := range lim { // where jerk is what holds it back
				lim[k].Jerk /= 5
			}
		}
		for k, jerk := range []bool{false, true} {
			r := retime(t, c, lim, jerk)
			if math.Abs(r.Duration-want[k]) > 1e-6*want[k] {
				t.Errorf("move %d, jerk %t: %.9f s, known is %.9f", i, jerk, r.Duration, want[k])
			}
			if i%3 == 0 {
				hold(t, c, lim, r, jerk)
			}
		}
	}
}

// bow is a stretch of two axes that bends: x = 3u + u², y = 2 − u + u³/2.
func bow() (*way, *stretch) {
	s := &stretch{from: 10, to: 12, p: []curve.Poly{{0, 3, 1}, {2, -1, 0, 0.5}}}
	return &way{n: 2, weight: []float64{0.5, 2}, turn: turn}, s
}

// What the way is made of, held against differences of the curves themselves.
func TestTheWayItself(t *testing.T) {
	w, s := bow()
	at := func(u float64) (x, y float64) { return s.p[0].At(u).P * w.weight[0], s.p[1].At(u).P * w.weight[1] }
	// The length, by many short straights.
	for _, to := range []float64{0.1, 0.2} {
		far, n := 0.0, 20_000
		px, py := at(0.3)
		for k := 1; k <= n; k++ {
			x, y := at(0.3 + to*float64(k)/float64(n))
			far += math.Hypot(x-px, y-py)
			px, py = x, y
		}
		if got := w.length(s, 0.3, 0.3+to); math.Abs(got-far) > 1e-7*far {
			t.Errorf("a length of %g, by straights %g", got, far)
		}
	}
	const e = 1e-5
	for _, u := range []float64{0.2, 0.9, 1.7} {
		if v := w.length(s, u-e, u+e) / (2 * e); math.Abs(w.pace(s, u)-v) > 1e-7*v {
			t.Errorf("at %g the pace is %g, by length %g", u, w.pace(s, u), v)
		}
		// The direction by length, and how it changes by length.
		d := func(u float64) []float64 { return w.heading(s, u, true) }
		v := w.pace(s, u)
		for i := range 2 {
			if want := s.p[i].At(u).V / v; math.Abs(d(u)[i]-want) > 1e-12 {
				t.Errorf("axis %d heads %g at %g, want %g", i, d(u)[i], u, want)
			}
			bend, size := w.curvature(s, u)
			if want := (d(u + e)[i] - d(u - e)[i]) / (2 * e) / v; math.Abs(bend[i]-want) > 1e-5 {
				t.Errorf("axis %d bends by %g at %g, by differences %g", i, bend[i], u, want)
			}
			if want := (math.Abs(s.p[0].At(u).A)*w.weight[0] + math.Abs(s.p[1].At(u).A)*w.weight[1]) / v /
				v; math.Abs(size-want) > 1e-12*want {
				t.Errorf("at %g the size is %g, want %g", u, size, want)
			}
		}
		// The pose at a pace v along it, with an acceleration a: as the curve run so.
		out := make([]curve.Sample, 2)
		w.pose(s, u, 4, -3, out)
		bend, _ := w.curvature(s, u)
		for i := range 2 {
			if p, v, a := s.p[i].At(u).P, 4*d(u)[i], -3*d(u)[i]+16*bend[i]; out[i].P != p || math.Abs(out[i].V-v) >
				1e-12 || math.Abs(out[i].A-a) > 1e-10 {
				t.Errorf("axis %d at %g: %+v, want %g, %g, %g", i, u, out[i], p, v, a)
			}
		}
		w.pose(s, u, 0, 0, out)
		if out[0].V != 0 || out[1].A != 0 {
			t.Errorf("at rest: %+v", out)
		}
		w.pose(s, u, 0, 5, out)
		if math.Abs(out[0].A-5*d(u)[0]) > 1e-12 || out[0].V != 0 {
			t.Errorf("from rest: %+v", out)
		}
	}
	// A length is found again where it was gone.
	p := w.lay(s, 0.1, 1.9, 7)[0]
	if len(p.ds) < 7 || len(p.tau) != len(p.ds)+1 || len(p.q) != len(p.tau) {
		t.Fatalf("%d cells, %d nodes", len(p.ds), len(p.tau))
	}
	for k := range p.ds {
		for _, share := range []float64{0, 0.1, 0.5, 0.93, 1} {
			tau := w.place(p, k, share*p.ds[k], &ends{})
			if far := w.length(s, p.tau[k]-s.from, tau-s.from); math.Abs(far-share*p.ds[k]) > 1e-11*p.ds[k] {
				t.Errorf("cell %d, %g of it: %g of %g", k, share, far, p.ds[k])
			}
		}
		if w.place(p, k, -1, &ends{}) != p.tau[k] || w.place(p, k, 2*p.ds[k], &ends{}) != p.tau[k+1] {
			t.Errorf("beyond cell %d", k)
		}
	}
	// It turns no more in a cell than is said.
	for k := range p.ds {
		far := 0.0
		for i := range 2 {
			far += math.Pow((p.after[k][i]-p.before[k+1][i])*w.weight[i], 2)
		}
		if math.Sqrt(far) > turn {
			t.Errorf("cell %d turns by %g", k, math.Sqrt(far))
		}
	}
	if w.straight(p) {
		t.Error("what bends is straight")
	}
	line := &stretch{to: 2, p: []curve.Poly{{0, 3}, {1, -1}}}
	if !w.straight(w.lay(line, 0, 2, 5)[0]) {
		t.Error("what is straight bends")
	}
}

func TestStillnessRestsAndBends(t *testing.T) {
	w, s := bow()
	if w.still(s) || !w.still(&stretch{to: 5, p: []curve.Poly{{7}, {-2, 1e-16}}}) ||
		w.still(&stretch{to: 5, p: []curve.Poly{{7}, {-2, 0, 1e-3}}}) {
		t.Error("what stands still, and what does not")
	}
	// Both turn round at u = 1: (u−1)² and −2(u−1)².
	turns := &stretch{to: 3, p: []curve.Poly{{1, -2, 1}, {-2, 4, -2}}}
	if r := w.rests(turns); len(r) != 1 || math.Abs(r[0]-1) > 1e-9 {
		t.Errorf("it rests at %v", r)
	}
	if a, b := w.heading(turns, 1, true), w.heading(turns, 1, false); a[0] <= 0 || math.Abs(a[0]+b[0]) > 1e-12 ||
		math.Abs(a[1]/a[0]+2) > 1e-9 {
		t.Errorf("where it turns round it leaves to %v, coming to %v", a, b)
	}
	// One goes on while the other turns round: that is no rest.
	if r := w.rests(&stretch{to: 3, p: []curve.Poly{{1, -2, 1}, {0, 1}}}); len(r) != 0 {
		t.Errorf("a rest of one alone: %v", r)
	}
	// At both ends it stands: those are no rests inside.
	if r := w.rests(&stretch{to: 1, p: []curve.Poly{{0, 0, 3, -2}, {0, 0, 6, -4}}}); len(r) != 0 {
		t.Errorf("rests at its ends: %v", r)
	}
	// The same bow, run at another speed, bends the same at the join; a straight does not.
	next := &stretch{from: 12, to: 13, p: make([]curve.Poly, 2)}
	for i, p := range s.p {
		q := p.Shift(2)
		k := 1.0
		for o := range q {
			q[o] *= k
			k *= 3
		}
		next.p[i] = q
	}
	if !w.bends(s, 2, next, 0) {
		t.Error("what goes on bending the same is a step")
	}
	straight := &stretch{from: 12, to: 13, p: []curve.Poly{{s.p[0].At(2).P, s.p[0].At(2).V},
		{s.p[1].At(2).P, s.p[1].At(2).V}}}
	if w.bends(s, 2, straight, 0) {
		t.Error("a step of the curvature is none")
	}
	if b, size := w.curvature(&stretch{to: 1, p: []curve.Poly{{3}, {4}}}, 0.5); b[0] != 0 || size != 0 {
		t.Errorf("what stands still bends: %v", b)
	}
}

// Seconds, without jerk and within it.
var answers = [][2]float64{
	{0.665919217, 0.863417882},
	{5.585574311, 5.651626131},
	{7.312313562, 8.780431599},
	{12.833436721, 15.456118382},
	{13.670628217, 15.677379043},
	{4.462298325, 4.485386392},
	{3.851061256, 3.907590455},
	{7.126472572, 9.362667589},
}
