package sight

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/stat/distuv"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// Shift is what takes points from where they were to where they are: after = R·before + t.
type Shift struct {
	Translation rig.Vec
	Turn        quat.Number // unit, Real ≥ 0
	AngleDeg    float64
	ResidualM   []float64 // of every point
	WorstM      float64
}

// thin is how small the second extent of points may be against the first before they lie
// in a line.
const thin = 1e-6

// Register is the rigid motion between points, by least squares (Horn 1987, closed form
// with unit quaternions): three or more that do not lie in a line.
func Register(before, after []rig.Vec) (*Shift, error) {
	if len(before) != len(after) {
		return nil, mistake.In("after_m", "give the same points, in the same order", "there are %d points before and %d after", len(before), len(after))
	}
	if len(before) < 3 {
		return nil, mistake.In("before_m", "sight three or more that do not lie in a line", "there are %d points", len(before))
	}
	for _, of := range []struct {
		name string
		v    []rig.Vec
	}{{"before_m", before}, {"after_m", after}} {
		name, list := of.name, of.v
		for i, p := range list {
			if !(norm(p) <= 1e9) {
				return nil, mistake.In(fmt.Sprintf("%s[%d]", name, i), "give metres", "it is %v", p)
			}
		}
		if line(list) {
			return nil, mistake.In(name, "add one that lies to the side of them", "the points lie in a line: a turn about it would not show")
		}
	}
	cb, ca := centre(before), centre(after)
	var s [3][3]float64
	for i := range before {
		p, q := sub(before[i], cb), sub(after[i], ca)
		for r := range 3 {
			for c := range 3 {
				s[r][c] += p[r] * q[c]
			}
		}
	}
	n := mat.NewSymDense(4, []float64{
		s[0][0] + s[1][1] + s[2][2], s[1][2] - s[2][1], s[2][0] - s[0][2], s[0][1] - s[1][0],
		0, s[0][0] - s[1][1] - s[2][2], s[0][1] + s[1][0], s[2][0] + s[0][2],
		0, 0, -s[0][0] + s[1][1] - s[2][2], s[1][2] + s[2][1],
		0, 0, 0, -s[0][0] - s[1][1] + s[2][2],
	})
	var e mat.EigenSym
	if !e.Factorize(n, true) {
		return nil, mistake.In("after_m", "measure them again", "no turn takes the ones to the others")
	}
	var v mat.Dense
	e.VectorsTo(&v)
	q := quat.Number{Real: v.At(0, 3), Imag: v.At(1, 3), Jmag: v.At(2, 3), Kmag: v.At(3, 3)}
	q = quat.Scale(1/quat.Abs(q), q)
	if q.Real < 0 {
		q = quat.Scale(-1, q)
	}
	out := &Shift{Turn: q, ResidualM: make([]float64, len(before))}
	out.AngleDeg = 2 * math.Atan2(math.Sqrt(q.Imag*q.Imag+q.Jmag*q.Jmag+q.Kmag*q.Kmag), q.Real) * 180 / math.Pi
	out.Translation = sub(ca, Rotate(q, cb))
	for i := range before {
		out.ResidualM[i] = norm(sub(after[i], out.Of(before[i])))
		out.WorstM = max(out.WorstM, out.ResidualM[i])
	}
	return out, nil
}

// Of is where a point is taken.
func (s *Shift) Of(p rig.Vec) rig.Vec {
	p = Rotate(s.Turn, p)
	for k := range p {
		p[k] += s.Translation[k]
	}
	return p
}

// Back is the motion the other way: that of a rig which sees points move by s.
func (s *Shift) Back() *Shift {
	q := quat.Conj(s.Turn)
	t := Rotate(q, s.Translation)
	return &Shift{Turn: q, AngleDeg: s.AngleDeg, Translation: rig.Vec{-t[0], -t[1], -t[2]}, ResidualM: s.ResidualM, WorstM: s.WorstM}
}

// Pose is where a camera really is, and how it looks, that believes itself in a pose.
func (s *Shift) Pose(p rig.Pose) rig.Pose {
	return rig.Pose{At: s.Of(p.At), Right: Rotate(s.Turn, p.Right), Forward: Rotate(s.Turn, p.Forward), Up: Rotate(s.Turn, p.Up)}
}

// Rotate turns a vector by a unit quaternion.
func Rotate(q quat.Number, v rig.Vec) rig.Vec {
	r := quat.Mul(quat.Mul(q, quat.Number{Imag: v[0], Jmag: v[1], Kmag: v[2]}), quat.Conj(q))
	return rig.Vec{r.Imag, r.Jmag, r.Kmag}
}

func centre(list []rig.Vec) rig.Vec {
	var c rig.Vec
	for _, p := range list {
		for k := range c {
			c[k] += p[k] / float64(len(list))
		}
	}
	return c
}

// line tells whether points lie in one, or in one place.
func line(list []rig.Vec) bool {
	c := centre(list)
	far, d := 0.0, rig.Vec{}
	for _, p := range list { // the direction to the farthest, then the farthest from that line
		if v := sub(p, c); norm(v) > far {
			far, d = norm(v), v
		}
	}
	if far == 0 {
		return true
	}
	for k := range d {
		d[k] /= far
	}
	off := 0.0
	for _, p := range list {
		off = max(off, norm(project(d, sub(p, c))))
	}
	return off < thin*far
}

// Known is how well a shift is known: nine times in ten the rig's place is off by no more
// than so many metres, and its turn by no more than so many degrees.
type Known struct{ MoveM, TurnDeg float64 }

// Certain works that out at a place on the rig, from how well each point is known before
// and after (covariances in m², added up for the two).
func Certain(at rig.Vec, after []rig.Vec, cov []*mat.SymDense) Known {
	c := centre(after)
	// The estimator is after-centre plus a small turn w: residual = t' + w×(p−c).
	a := mat.NewDense(3*len(after), 6, nil)
	for i, p := range after {
		v := sub(p, c)
		for k := range 3 {
			a.Set(3*i+k, k, 1)
		}
		a.Set(3*i, 4, v[2])
		a.Set(3*i, 5, -v[1])
		a.Set(3*i+1, 3, -v[2])
		a.Set(3*i+1, 5, v[0])
		a.Set(3*i+2, 3, v[1])
		a.Set(3*i+2, 4, -v[0])
	}
	var ata, inv, est mat.Dense
	ata.Mul(a.T(), a)
	if inv.Inverse(&ata) != nil {
		return Known{math.Inf(1), math.Inf(1)}
	}
	est.Mul(&inv, a.T()) // 6 × 3n
	big := mat.NewDense(3*len(after), 3*len(after), nil)
	for i, s := range cov {
		for r := range 3 {
			for k := range 3 {
				big.Set(3*i+r, 3*i+k, s.At(r, k))
			}
		}
	}
	var half, full mat.Dense
	half.Mul(&est, big)
	full.Mul(&half, est.T())
	// At the rig: t = t' + w×(at−c).
	v := sub(at, c)
	j := mat.NewDense(3, 6, []float64{1, 0, 0, 0, v[2], -v[1], 0, 1, 0, -v[2], 0, v[0], 0, 0, 1, v[1], -v[0], 0})
	var jh, place mat.Dense
	jh.Mul(j, &full)
	place.Mul(&jh, j.T())
	turn := full.Slice(3, 6, 3, 6)
	return Known{MoveM: radius(&place), TurnDeg: radius(turn) * 180 / math.Pi}
}

// radius is within what a normal error of a covariance stays nine times in ten: the sum of
// squares taken as a scaled chi-squared of the same mean and variance (Satterthwaite 1946).
func radius(c mat.Matrix) float64 {
	var mean, half float64
	for i := range 3 {
		mean += c.At(i, i)
		for k := range 3 {
			half += c.At(i, k) * c.At(k, i)
		}
	}
	if mean <= 0 {
		return 0
	}
	dof := mean * mean / half
	return math.Sqrt(distuv.ChiSquared{K: dof}.Quantile(0.9) * mean / dof)
}

// Odd is the point without which the others agree far better: its index, or −1 where none
// stands out, or where there are too few to tell (of three, no one can be told).
func Odd(before, after []rig.Vec, sigmaM float64) int {
	all, err := Register(before, after)
	if err != nil || len(before) < 4 || all.WorstM <= 3*sigmaM {
		return -1
	}
	best, second, at := math.Inf(1), math.Inf(1), -1
	for i := range before {
		b, a := without(before, i), without(after, i)
		s, err := Register(b, a)
		if err != nil {
			continue
		}
		switch w := s.WorstM; {
		case w < best:
			best, second, at = w, best, i
		case w < second:
			second = w
		}
	}
	if at < 0 || best > 3*sigmaM && best > second/3 {
		return -1
	}
	return at
}

func without(list []rig.Vec, i int) []rig.Vec {
	return append(append([]rig.Vec{}, list[:i]...), list[i+1:]...)
}
