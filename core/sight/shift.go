package sight

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"

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

// thinM is how far from the best line through them points have to lie at the least, where nobody says
// what they are known to; thinTimes is by how many times what they are known to.
const thinM, thinTimes = 0.01, 10

// Thin is how far points have to lie from a line, for what they are known to (0: not said).
func Thin(sigmaM float64) float64 {
	if sigmaM > 0 {
		return thinTimes * sigmaM
	}
	return thinM
}

// Register is the rigid motion between points, by least squares (Horn 1987, closed form
// with unit quaternions): three or more that do not lie in a line, as far as it is known where they lie.
func Register(before, after []rig.Vec, sigmaM float64) (*Shift, error) {
	if len(before) != len(after) {
		return nil, mistake.In("after_m", "give the same points, in the same order",
			"there are %d points before and %d after", len(before), len(after))
	}
	if len(before) < 3 {
		return nil, mistake.In("before_m", "sight three or more that do not lie in a line", "there are %d points",
			len(before))
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
		if off := Across(list); !(off >= Thin(sigmaM)) {
			return nil, mistake.In(name, fmt.Sprintf("add one that lies to the side of them, by %.3g m at least",
				2*Thin(sigmaM)),
				"the points lie in a line, but for %.2g m: a turn about it would not show", off)
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
	return &Shift{Turn: q, AngleDeg: s.AngleDeg, Translation: rig.Vec{-t[0], -t[1], -t[2]}, ResidualM: s.ResidualM,
		WorstM: s.WorstM}
}

// Pose is where a camera really is, and how it looks, that believes itself in a pose.
func (s *Shift) Pose(p rig.Pose) rig.Pose {
	return rig.Pose{At: s.Of(p.At), Right: Rotate(s.Turn, p.Right), Forward: Rotate(s.Turn, p.Forward),
		Up: Rotate(s.Turn, p.Up)}
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

// Across is how far the point lies that is farthest from the best line through all of them.
func Across(list []rig.Vec) float64 {
	c := centre(list)
	m := mat.NewSymDense(3, nil)
	for _, p := range list {
		v := sub(p, c)
		for r := range 3 {
			for k := r; k < 3; k++ {
				m.SetSym(r, k, m.At(r, k)+v[r]*v[k])
			}
		}
	}
	var e mat.EigenSym
	if !e.Factorize(m, true) {
		return 0
	}
	var v mat.Dense
	e.VectorsTo(&v)
	d := rig.Vec{v.At(0, 2), v.At(1, 2), v.At(2, 2)}
	off := 0.0
	for _, p := range list {
		off = max(off, norm(project(d, sub(p, c))))
	}
	return off
}
