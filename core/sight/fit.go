package sight

import (
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/stat/distuv"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// Measured is a point before and after, each with how well it is known (covariances in m²).
type Measured struct {
	Before, After       rig.Vec
	CovBefore, CovAfter *mat.SymDense
}

// Fitted is the rigid motion that fits measured points best, each held against its own errors, and by
// how much it does not fit: Misfit, a chi-squared with Free degrees of freedom where the errors are
// what they are said to be.
type Fitted struct {
	*Shift
	Misfit float64
	Free   int
	about  rig.Vec
	cov    *mat.Dense // of the move at about, and of the turn
}

// Fit is that motion, by Gauss and Newton from Horn's. sigmaM, above zero, is what the points are
// known to: those so near to a line that the turn about it is not told are a mistake.
func Fit(m []Measured, sigmaM float64) (*Fitted, error) {
	before, after := make([]rig.Vec, len(m)), make([]rig.Vec, len(m))
	for i, x := range m {
		before[i], after[i] = x.Before, x.After
	}
	s, err := Register(before, after, sigmaM)
	if err != nil {
		return nil, err
	}
	f := &Fitted{Shift: s, Free: 3*len(m) - 6, about: centre(after)}
	for range 20 {
		step, ok := f.step(m)
		if !ok {
			return nil, mistake.In("after_m", "sight them again, from further apart",
				"what is known of the points does not tell how it moved")
		}
		if step < 1e-12 {
			break
		}
	}
	for i := range m {
		s.ResidualM[i] = norm(sub(after[i], s.Of(before[i])))
	}
	s.WorstM = 0
	for _, r := range s.ResidualM {
		s.WorstM = math.Max(s.WorstM, r)
	}
	return f, nil
}

// step is one of Gauss and Newton's, and how long it was.
func (f *Fitted) step(m []Measured) (float64, bool) {
	h, g := mat.NewDense(6, 6, nil), mat.NewVecDense(6, nil)
	f.Misfit = 0
	for _, x := range m {
		q := f.Of(x.Before)
		v, r := sub(q, f.about), sub(x.After, q)
		var c mat.SymDense
		c.AddSym(x.CovAfter, turnedCov(f.Turn, x.CovBefore))
		var w mat.Dense
		if w.Inverse(&c) != nil {
			return 0, false
		}
		res := mat.NewVecDense(3, r[:])
		f.Misfit += mat.Inner(res, &w, res)
		j := moves(v)
		var jw, jwj mat.Dense
		jw.Mul(j.T(), &w)
		jwj.Mul(&jw, j)
		h.Add(h, &jwj)
		var add mat.VecDense
		add.MulVec(&jw, res)
		g.AddVec(g, &add)
	}
	var inv mat.Dense
	if inv.Inverse(h) != nil {
		return 0, false
	}
	f.cov = &inv
	var d mat.VecDense
	d.MulVec(&inv, g)
	w := rig.Vec{d.AtVec(3), d.AtVec(4), d.AtVec(5)}
	turn := quat.Number{Real: 1}
	if a := norm(w); a > 0 {
		sin, cos := math.Sincos(a / 2)
		turn = quat.Number{Real: cos, Imag: sin * w[0] / a, Jmag: sin * w[1] / a, Kmag: sin * w[2] / a}
	}
	// about + turn·(R·b + t − about) + move.
	t := Rotate(turn, sub(f.Translation, f.about))
	for k := range t {
		t[k] += f.about[k] + d.AtVec(k)
	}
	f.Translation, f.Turn = t, quat.Mul(turn, f.Turn)
	f.Turn = quat.Scale(1/quat.Abs(f.Turn), f.Turn)
	if f.Turn.Real < 0 {
		f.Turn = quat.Scale(-1, f.Turn)
	}
	q := f.Turn
	f.AngleDeg = 2 * math.Atan2(math.Sqrt(q.Imag*q.Imag+q.Jmag*q.Jmag+q.Kmag*q.Kmag), q.Real) * 180 / math.Pi
	return norm(w) + norm(rig.Vec{d.AtVec(0), d.AtVec(1), d.AtVec(2)}), true
}

// moves is what a small move and turn do to a point at v from what it is turned about.
func moves(v rig.Vec) *mat.Dense {
	return mat.NewDense(3, 6, []float64{1, 0, 0, 0, v[2], -v[1], 0, 1, 0, -v[2], 0, v[0], 0, 0, 1, v[1], -v[0], 0})
}

// turnedCov is a covariance as a turn takes it.
func turnedCov(q quat.Number, c *mat.SymDense) *mat.SymDense {
	r := mat.NewDense(3, 3, nil)
	for k := range 3 {
		e := rig.Vec{}
		e[k] = 1
		e = Rotate(q, e)
		for i := range 3 {
			r.Set(i, k, e[i])
		}
	}
	var half, full mat.Dense
	half.Mul(r, c)
	full.Mul(&half, r.T())
	out := mat.NewSymDense(3, nil)
	for i := range 3 {
		for k := i; k < 3; k++ {
			out.SetSym(i, k, (full.At(i, k)+full.At(k, i))/2)
		}
	}
	return out
}

// Known is how well a shift is known: nine times in ten the rig's place is off by no more
// than so many metres, and its turn by no more than so many degrees.
type Known struct{ MoveM, TurnDeg float64 }

// Known is how well the motion of the rig is known, at a place on it.
func (f *Fitted) Known(at rig.Vec) Known {
	j := moves(sub(at, f.about))
	var jh, place mat.Dense
	jh.Mul(j, f.cov)
	place.Mul(&jh, j.T())
	return Known{MoveM: radius(&place), TurnDeg: radius(f.cov.Slice(3, 6, 3, 6)) * 180 / math.Pi}
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

// fitsShare is the share of clean rounds that are taken to fit.
const fitsShare = 0.995

// Fits reports whether the points fit together, as far as their errors tell.
func (f *Fitted) Fits() bool {
	return f.Free == 0 || f.Misfit <= distuv.ChiSquared{K: float64(f.Free)}.Quantile(fitsShare)
}

// Odd are the points of which one, left out, has the others fit together: one is the odd one; of
// several nobody can say which; none, where they fit as they are, where there are too few to tell
// (three), or where no single one is to blame.
func Odd(m []Measured, sigmaM float64) (odd []int, fits bool) {
	all, err := Fit(m, sigmaM)
	if err != nil || all.Fits() {
		return nil, err == nil
	}
	if len(m) < 4 {
		return nil, false
	}
	for i := range m {
		rest := append(append([]Measured{}, m[:i]...), m[i+1:]...)
		if f, err := Fit(rest, sigmaM); err != nil || f.Fits() { // without it nothing could be told of the others
			odd = append(odd, i)
		}
	}
	return odd, false
}
