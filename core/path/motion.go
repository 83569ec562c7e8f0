package path

import (
	"math"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
)

// Motion is a path made ready to run: one curve per rig axis, in the rig's
// order, over [First−RunUp, Last+RunOut] frames. It is read-only.
type Motion struct {
	First, Last   int // picture frames [First, Last)
	RunUp, RunOut int
	Curves        []*curve.Curve
	Jumps         [][]curve.Jump // per axis, in frames; orders 0 to 2
}

// Compile lays every axis's curve. Axes without keyframes stay at the base
// pose; a path with no keyframe on any axis is refused.
func Compile(p *Path, r *rig.Rig) (*Motion, error) {
	if err := p.Check(r); err != nil {
		return nil, err
	}
	first, last, ok := p.Span()
	if !ok {
		return nil, bad("keyframes", "there is no keyframe on any axis", "store at least one with K")
	}
	m := &Motion{First: first, Last: max(last, first+1), RunUp: p.RunUp, RunOut: p.RunOut}
	for _, a := range r.Axes {
		t := p.Track(a.ID)
		var c *curve.Curve
		if t == nil || len(t.Keys) == 0 && t.Record == nil {
			c = &curve.Curve{X: []float64{float64(m.First), float64(m.Last)}, C: []curve.Poly{{p.Base[a.ID]}}}
		} else {
			var err error
			if c, err = t.curve(); err != nil {
				return nil, err
			}
		}
		c, jumps := m.fit(c)
		m.Curves = append(m.Curves, c)
		m.Jumps = append(m.Jumps, jumps)
	}
	return m, nil
}

// Start and End are the frames at which the run begins and ends.
func (m *Motion) Start() int { return m.First - m.RunUp }

// End is the frame at which the run is over.
func (m *Motion) End() int { return m.Last + m.RunOut }

// Run is what a clock of this motion runs over.
func (m *Motion) Run() clock.Run {
	return clock.Run{Start: m.Start(), First: m.First, Last: m.Last, End: m.End()}
}

// fit extends a curve to the whole run: before its first keyframe an axis waits
// there, after its last it stays there, and the pose at the end of the run is
// the last keyframe's own (a piece of no length where hold jumps onto it, as
// where ahead jumps off the first, so that the step is seen, drawn and listed). Where it begins (or ends) at the
// picture's edge with speed and there is run-up (or run-out), a quintic from
// rest joins it C²; elsewhere the axis waits, and what speed it then has at
// its first keyframe is a jump.
func (m *Motion) fit(c *curve.Curve) (*curve.Curve, []curve.Jump) {
	out := &curve.Curve{X: append([]float64(nil), c.X...), C: append([]curve.Poly(nil), c.C...)}
	start, end := float64(m.Start()), float64(m.End())
	if out.X[0] == out.Last() { // one keyframe: a constant over the run
		v := out.C[0][0]
		return &curve.Curve{X: []float64{start, end}, C: []curve.Poly{{v}}}, nil
	}
	a := c.C[0].At(0)
	if start < c.X[0] || a.P != c.Wait() {
		piece := curve.Poly{c.Wait()}
		if m.RunUp > 0 && c.X[0] == float64(m.First) && a.P == c.Wait() && moving(a) {
			piece = gather(float64(m.RunUp), a)
		}
		out.X, out.C = append([]float64{start}, out.X...), append([]curve.Poly{piece}, out.C...)
	}
	b := c.End()
	if end > c.Last() || b.P != c.Rest() {
		piece := curve.Poly{c.Rest()}
		if m.RunOut > 0 && c.Last() == float64(m.Last) && b.P == c.Rest() && moving(b) {
			piece = lose(float64(m.RunOut), b)
		}
		out.X, out.C = append(out.X, end), append(out.C, piece)
	}
	return out, append(edgeJumps(out), out.Jumps(2)...)
}

// edgeJumps lists speed and acceleration that are not zero where the run
// starts and ends: the rig stands still there.
func edgeJumps(c *curve.Curve) []curve.Jump {
	var out []curve.Jump
	a, b := c.C[0].At(0), c.End()
	v, _ := c.MaxAbs(1)
	acc, _ := c.MaxAbs(2)
	for order, scale := range [3]float64{1: v, 2: acc} {
		if order == 0 {
			continue
		}
		if d := a.Order(order); math.Abs(d) > 1e-9*scale {
			out = append(out, curve.Jump{At: c.First(), Order: order, By: d})
		}
		if d := b.Order(order); math.Abs(d) > 1e-9*scale {
			out = append(out, curve.Jump{At: c.Last(), Order: order, By: -d})
		}
	}
	return out
}

func moving(s curve.Sample) bool { return s.V != 0 || s.A != 0 }

// gather is the run-up of n frames into s from rest: a quintic whose start is
// chosen so that speed rises as a cubic from (0, 0) to (s.V, s.A).
func gather(n float64, s curve.Sample) curve.Poly {
	from := s.P - float64(s.V*n)/2 + float64(float64(s.A*n)*n)/12
	return curve.Fifth(n, curve.Sample{P: from}, s)
}

func lose(n float64, s curve.Sample) curve.Poly {
	to := s.P + float64(s.V*n)/2 + float64(float64(s.A*n)*n)/12
	return curve.Fifth(n, s, curve.Sample{P: to})
}

// Values writes every axis's position at a frame into dst, in rig order.
func (m *Motion) Values(dst []float64, frame float64) {
	for i, c := range m.Curves {
		dst[i] = c.At(frame).P
	}
}
