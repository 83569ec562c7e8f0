package balance

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// WristPose is what a sensor at an arm's wrist felt in one pose. Rotation is the sensor in
// the world: its columns are the sensor's axes. Force and torque are what the payload
// puts on it, in the sensor's own axes, at its origin.
type WristPose struct {
	Rotation [3]rig.Vec `json:"rotation" doc:"the sensor in the world, by rows; its columns are the sensor's axes"`
	ForceN   *rig.Vec   `json:"force_n,omitempty"`
	TorqueNM rig.Vec    `json:"torque_nm"`
}

// Weighing says what poses are read for.
type Weighing struct {
	G     float64  // m/s²
	Bias  bool     // the sensor's own zero is unknown, too
	Known *float64 // mass in kilograms from a scale
}

// Payload is what hangs at a wrist, by least squares over the poses. The residuals are
// root mean squares, over the poses, of the lengths of what is left.
type Payload struct {
	MassKg     float64 `json:"mass_kg"`
	Centre     rig.Vec `json:"centre_m" doc:"from the sensor's origin, in its axes"`
	Moment     rig.Vec `json:"moment_kgm" doc:"mass times centre: all that torques tell"`
	BiasForce  rig.Vec `json:"bias_force_n"`
	BiasTorque rig.Vec `json:"bias_torque_nm"`
	ResidualN  float64 `json:"residual_n"`
	ResidualNM float64 `json:"residual_nm"`
	// MassSigma and CentreSigma are one standard deviation, by what is left over and by how the poses
	// lie; nil where as much is asked of the poses as they say, or of the mass where it is from a scale.
	MassSigma   *float64 `json:"mass_sigma_kg,omitempty"`
	CentreSigma *rig.Vec `json:"centre_sigma_m,omitempty"`
	// Weighed is whether the mass is known: from forces, or from a scale.
	Weighed bool `json:"-"`
}

// leastSpan is how small the least singular value of the directions may be, against a
// pose's own weight, before they are said to tell nothing: about a twentieth of a degree.
const leastSpan = 1e-3

func (p *WristPose) check(i int) error {
	field := fmt.Sprintf("poses[%d]", i)
	r := p.Rotation
	for a := range 3 {
		for b := range 3 {
			dot := r[a][0]*r[b][0] + r[a][1]*r[b][1] + r[a][2]*r[b][2]
			if a == b {
				dot--
			}
			if !(math.Abs(dot) <= 1e-6) {
				return mistake.In(field+".rotation", "give the sensor in the world, by rows: three unit vectors at "+
					"right angles", "pose %d is not a rotation", i+1)
			}
		}
	}
	if det := r[0][0]*(r[1][1]*r[2][2]-r[1][2]*r[2][1]) - r[0][1]*(r[1][0]*r[2][2]-r[1][2]*r[2][0]) + r[0][2]*
		(r[1][0]*r[2][1]-r[1][1]*r[2][0]); det < 0 {
		return mistake.In(field+".rotation", "give right-handed axes", "pose %d is a mirror image", i+1)
	}
	for k := range 3 {
		if !finite(p.TorqueNM[k]) || math.Abs(p.TorqueNM[k]) > 1e9 {
			return mistake.In(field+".torque_nm", "give newton metres", "pose %d has %g", i+1, p.TorqueNM[k])
		}
		if p.ForceN != nil && (!finite(p.ForceN[k]) || math.Abs(p.ForceN[k]) > 1e9) {
			return mistake.In(field+".force_n", "give newtons", "pose %d has %g", i+1, p.ForceN[k])
		}
	}
	return nil
}

// Down is the direction of gravity in the sensor's axes.
func (p *WristPose) Down() rig.Vec {
	return rig.Vec{-p.Rotation[2][0], -p.Rotation[2][1], -p.Rotation[2][2]}
}

// From works the payload out. In each pose force = m·w + bias and torque =
// (m·c) × w + bias, with w = g times Down: both linear (Lynch & Park, Modern Robotics, 8).
func (w Weighing) From(poses []WristPose) (*Payload, error) {
	if !(w.G > 0 && w.G < 1000) {
		return nil, mistake.In("g", "give gravity in m/s², as 9.80665", "it is %g", w.G)
	}
	if w.Known != nil && !(*w.Known > 0 && *w.Known <= mostKg) {
		return nil, mistake.In("mass_kg", "weigh it and give kilograms above zero, or leave it out",
			"it is %g", *w.Known)
	}
	if len(poses) == 0 {
		return nil, mistake.In("poses", "give two or more, three with bias", "there are none")
	}
	forces := poses[0].ForceN != nil
	for i := range poses {
		if err := poses[i].check(i); err != nil {
			return nil, err
		}
		if (poses[i].ForceN != nil) != forces {
			return nil, mistake.In(fmt.Sprintf("poses[%d].force_n", i), "give it in every pose, or in none",
				"some poses have a force and some have none")
		}
	}
	if err := w.tells(poses); err != nil {
		return nil, err
	}
	out := &Payload{}
	if w.Known != nil {
		out.MassKg, out.Weighed = *w.Known, true
	}
	if forces {
		if err := w.forces(poses, out); err != nil {
			return nil, err
		}
	}
	if err := w.torques(poses, out); err != nil {
		return nil, err
	}
	if out.Weighed {
		for k := range 3 {
			out.Centre[k] = out.Moment[k] / out.MassKg
		}
		if !finite(out.Centre[:]...) {
			return nil, mistake.In("poses", "use smaller numbers", "the centre is not a finite number")
		}
	}
	return out, nil
}

// tells refuses poses that leave a direction open: without bias what lies along gravity
// where it is the same in all of them, with bias what lies along the one line, or on
// the one point, that gravity's directions have in common.
func (w Weighing) tells(poses []WristPose) error {
	rows, n := mat.NewDense(max(3, len(poses)), 3, nil), float64(len(poses))
	var mean rig.Vec
	if w.Bias {
		for i := range poses {
			d := poses[i].Down()
			for k := range 3 {
				mean[k] += d[k] / n
			}
		}
	}
	for i := range poses {
		d := poses[i].Down()
		for k := range 3 {
			rows.Set(i, k, d[k]-mean[k])
		}
	}
	var s mat.SVD
	if !s.Factorize(rows, mat.SVDThinV) {
		return mistake.In("poses", "turn the wrist further between them", "they can not be told apart")
	}
	v := s.Values(nil)
	var axes mat.Dense
	s.VTo(&axes)
	if v[1] > leastSpan {
		return w.apart(poses)
	}
	line := rig.Vec{axes.At(0, 0), axes.At(1, 0), axes.At(2, 0)}
	what, want := "gravity pulls along %s of the sensor in all of them, so how far the centre lies along it is missing",
		"add a pose with the sensor turned about any other axis, best by 90°"
	switch {
	case w.Bias && v[0] <= leastSpan:
		line, what = poses[0].Down(), "gravity pulls along %s of the sensor in all of them, so nothing can be told "+
			"from the sensor's own zero"
		want = "add two poses, best turned by 90° about two different axes of the sensor"
	case w.Bias:
		what = "gravity's directions lie on one line, along %s of the sensor, so how far the centre lies along " +
			"it is missing"
		want = "add a third pose, turned about another axis of the sensor"
	}
	return mistake.In("poses", want, what, direction(line))
}

// apartDeg is how far apart directions of gravity have to be: nearer, what the sensor's noise makes of
// them is larger than what they tell.
const apartDeg = 10

// apart refuses directions of gravity that are too near to each other: without bias two, as lines, with
// bias three.
func (w Weighing) apart(poses []WristPose) error {
	cos := func(a, b rig.Vec) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
	near := math.Cos(apartDeg*math.Pi/180) + 1e-9
	first, second, least := rig.Vec{}, rig.Vec{}, math.Inf(1)
	for i := range poses {
		for k := range i {
			c := cos(poses[i].Down(), poses[k].Down())
			if !w.Bias {
				c = math.Abs(c)
			}
			if c < least {
				first, second, least = poses[i].Down(), poses[k].Down(), c
			}
		}
	}
	ok := least <= near
	if ok && w.Bias {
		ok = slices.ContainsFunc(poses, func(p WristPose) bool {
			return cos(p.Down(), first) <= near && cos(p.Down(), second) <= near
		})
	}
	if ok {
		return nil
	}
	across := rig.Vec{first[0] + second[0], first[1] + second[1], first[2] + second[2]}
	if n := across.Norm(); n > 0 {
		across = rig.Vec{across[0] / n, across[1] / n, across[2] / n}
	}
	return mistake.In("poses",
		fmt.Sprintf("turn the wrist further between them: by %d° at least, best by 90°", apartDeg),
		"gravity's directions lie within %d° of each other, so how far the centre lies along %s of the sensor "+
			"cannot be told", apartDeg, direction(across))
}

// direction names the axis that a direction lies along, or writes it out.
func direction(v rig.Vec) string {
	for k, name := range [3]string{"x", "y", "z"} {
		if math.Abs(v[k]) > 0.9999 {
			return name
		}
	}
	for k := range 3 {
		if math.Abs(v[k]) > 1e-9 { // the sign that makes its first part positive
			if v[k] < 0 {
				v = rig.Vec{-v[0], -v[1], -v[2]}
			}
			break
		}
	}
	return fmt.Sprintf("[%.2f, %.2f, %.2f]", v[0]+0, v[1]+0, v[2]+0)
}

// forces fits the mass, and the sensor's bias with it.
func (w Weighing) forces(poses []WristPose, out *Payload) error {
	cols := 1
	if w.Bias {
		cols = 4
	}
	a, y := mat.NewDense(3*len(poses), cols, nil), mat.NewVecDense(3*len(poses), nil)
	for i := range poses {
		d := poses[i].Down()
		for k := range 3 {
			a.Set(3*i+k, 0, w.G*d[k])
			if w.Bias {
				a.Set(3*i+k, 1+k, 1)
			}
			y.SetVec(3*i+k, poses[i].ForceN[k])
		}
	}
	if out.Weighed { // what is weighed stays: it leaves the bias only
		var known mat.VecDense
		known.ScaleVec(out.MassKg, a.ColView(0))
		y.SubVec(y, &known)
	}
	x, left, cov, err := fit(a, y, out.Weighed)
	if err != nil {
		return err
	}
	if !out.Weighed {
		out.MassKg, out.Weighed = x[0], true
		if cov != nil {
			sigma := math.Sqrt(cov.At(0, 0))
			out.MassSigma = &sigma
		}
	}
	if w.Bias {
		copy(out.BiasForce[:], x[len(x)-3:])
	}
	out.ResidualN = left
	if !(out.MassKg > 0) {
		return mistake.In("poses", "give the force that the payload puts on the sensor, in the sensor's axes, with "+
			"the payload hung on", "the mass comes out at %.4g kg", out.MassKg)
	}
	return nil
}

// torques fits mass times centre, and the bias with it.
func (w Weighing) torques(poses []WristPose, out *Payload) error {
	cols := 3
	if w.Bias {
		cols = 6
	}
	a, y := mat.NewDense(3*len(poses), cols, nil), mat.NewVecDense(3*len(poses), nil)
	for i := range poses {
		d := poses[i].Down()
		// h × w = −[w]× h
		x, yy, z := w.G*d[0], w.G*d[1], w.G*d[2]
		for k, row := range [3][3]float64{{0, z, -yy}, {-z, 0, x}, {yy, -x, 0}} {
			a.SetRow(3*i+k, append(row[:], make([]float64, cols-3)...))
			if w.Bias {
				a.Set(3*i+k, 3+k, 1)
			}
			y.SetVec(3*i+k, poses[i].TorqueNM[k])
		}
	}
	x, left, cov, err := fit(a, y, false)
	if err != nil {
		return err
	}
	copy(out.Moment[:], x)
	if cov != nil && (out.Weighed && (w.Known != nil || out.MassSigma != nil)) {
		out.CentreSigma = &rig.Vec{}
		for k := range 3 {
			mass := 0.0
			if out.MassSigma != nil {
				mass = *out.MassSigma * out.Moment[k] / out.MassKg
			}
			out.CentreSigma[k] = math.Sqrt(cov.At(k, k)+mass*mass) / out.MassKg
		}
	}
	if w.Bias {
		copy(out.BiasTorque[:], x[3:])
	}
	out.ResidualNM = left
	return nil
}

// fit solves a·x = y by least squares, by QR; skip leaves the first column out. left is
// the root mean square of the lengths of the rows' triples. cov is the answer's covariance by what is
// left over; nil where there are no more rows than unknowns.
func fit(a *mat.Dense, y *mat.VecDense, skip bool) (x []float64, left float64, cov *mat.SymDense, err error) {
	rows, cols := a.Dims()
	var b mat.Matrix = a
	if skip {
		if cols--; cols > 0 {
			b = a.Slice(0, rows, 1, cols+1)
		}
	}
	var r mat.VecDense
	r.CloneFromVec(y)
	if cols > 0 {
		var qr mat.QR
		qr.Factorize(b)
		sol := mat.NewVecDense(cols, nil)
		if err := qr.SolveVecTo(sol, false, y); err != nil {
			return nil, 0, nil, mistake.In("poses", "turn the wrist further between them",
				"they do not determine the payload")
		}
		var got mat.VecDense
		got.MulVec(b, sol)
		r.SubVec(y, &got)
		x = append(x, sol.RawVector().Data...)
	}
	if !finite(x...) {
		return nil, 0, nil, mistake.In("poses", "use smaller numbers", "the answer is not a finite number")
	}
	over := mat.Norm(&r, 2)
	if cols > 0 && rows > cols {
		var normal mat.SymDense
		normal.SymOuterK(1, b.T())
		var chol mat.Cholesky
		inverse := mat.NewSymDense(cols, nil)
		if chol.Factorize(&normal) && chol.InverseTo(inverse) == nil {
			inverse.ScaleSym(over*over/float64(rows-cols), inverse)
			cov = inverse
		}
	}
	return x, over / math.Sqrt(float64(rows)/3), cov, nil
}

// Next is which of the candidates would tell most: the one that makes the least known
// direction of mass times centre best known. Candidates need their rotation only.
// -1 where there are none.
func (w Weighing) Next(poses, candidates []WristPose) int {
	best, at := math.Inf(1), -1
	for i := range candidates {
		if s := w.spread(append(append([]WristPose(nil), poses...), candidates[i])); s < best*(1-1e-9) || at < 0 {
			best, at = s, i
		}
	}
	return at
}

// spread is the largest standard error of mass times centre over all directions, for
// torques that are off by one newton metre: +Inf where a direction is open.
func (w Weighing) spread(poses []WristPose) float64 {
	// Information about h once the bias is taken out: Σ |w|²I − w wᵀ about the mean w.
	var mean rig.Vec
	if w.Bias {
		for i := range poses {
			d := poses[i].Down()
			for k := range 3 {
				mean[k] += d[k] / float64(len(poses))
			}
		}
	}
	info := mat.NewSymDense(3, nil)
	for i := range poses {
		d := poses[i].Down()
		for k := range 3 {
			d[k] = w.G * (d[k] - mean[k])
		}
		sq := d[0]*d[0] + d[1]*d[1] + d[2]*d[2]
		for a := range 3 {
			for b := a; b < 3; b++ {
				v := -d[a] * d[b]
				if a == b {
					v += sq
				}
				info.SetSym(a, b, info.At(a, b)+v)
			}
		}
	}
	var e mat.EigenSym
	if !e.Factorize(info, false) {
		return math.Inf(1)
	}
	if least := e.Values(nil)[0]; least > w.G*w.G*leastSpan*leastSpan {
		return 1 / math.Sqrt(least)
	}
	return math.Inf(1)
}

// Spread is by how many metres the centre may be off for each newton metre of error in
// the torques, in the direction that is known least. +Inf where one is open.
func (w Weighing) Spread(poses []WristPose, massKg float64) float64 { return w.spread(poses) / massKg }

// Guided says what a guided arm would do with the payload that it was told, in place of
// the true one: it holds up what it was told, so an overstated mass makes it rise and
// an understated one sink. freeN is the force that its brakes and gears hide.
func Guided(toldKg, trueKg, freeN float64) string {
	off := (toldKg - trueKg) * G
	switch {
	case math.Abs(off) <= freeN:
		return "It would stay where it is guided."
	case off > 0:
		return fmt.Sprintf("It would rise: it holds up %.2f kg more than hangs on it.", toldKg-trueKg)
	}
	return fmt.Sprintf("It would sink: it holds up %.2f kg less than hangs on it.", trueKg-toldKg)
}

// Of what is left over in newtons and newton metres, so much is the sensor's own.
const ownN, ownNM = 0.8, 0.08

// agrees reports whether what is left over is no more than the sensor's own.
func (p *Payload) agrees() bool { return p.ResidualN < ownN && p.ResidualNM < ownNM }

// leans is the pose without which the others agree, where together they do not; -1: none.
func (w Weighing) leans(poses []WristPose, all *Payload) int {
	if all.agrees() {
		return -1
	}
	worst, at := math.Inf(1), -1
	for i := range poses {
		rest := slices.Delete(slices.Clone(poses), i, i+1)
		p, err := w.From(rest)
		if err != nil {
			continue
		}
		share := math.Max(p.ResidualN/math.Max(all.ResidualN, ownN), p.ResidualNM/math.Max(all.ResidualNM, ownNM))
		if share < worst {
			worst, at = share, i
		}
	}
	if worst > 0.5 {
		return -1
	}
	return at
}
