// Package curve lays one axis's motion through its keyframes.
//
// A Curve is a piecewise polynomial over an abscissa that the caller names
// (frames in a path, seconds in a calculation). It owns its memory, is never
// changed after New and may be read from several goroutines. Values and first
// to third derivatives are exact (up to rounding), and extrema come from the
// roots of the pieces, never from sampling.
//
// Sources: de Boor, A Practical Guide to Splines (natural, clamped, smooth);
// Fritsch and Butland 1984 (monotone); Akima 1970; Kochanek and Bartels 1984 (tcb);
// Biagiotti and Melchiorri, Trajectory Planning for Automatic Machines and Robots
// (minimum-jerk quintic, ramps).
package curve

import (
	"math"
	"sort"
)

// Sample is position and first to third derivative by the abscissa.
type Sample struct{ P, V, A, J float64 }

// Curve is Σ pieces; piece i is valid from X[i] to X[i+1]. Before its first
// keyframe every kind waits at that keyframe's value (Wait); after its last it stays
// at that one's (Rest). Where the two sides of an end differ in speed or
// acceleration, that is a jump for whoever runs on past it, and listed there.
type Curve struct {
	X []float64
	C []Poly
	// wait and rest are the first and the last keyframe's value where the first or last
	// piece does not reach it (ahead, hold).
	wait, rest *float64
}

func finite(v float64) bool { return !math.IsNaN(v) && !math.IsInf(v, 0) }

// First and Last are the ends of the domain.
func (c *Curve) First() float64 { return c.X[0] }

// Last is the last knot.
func (c *Curve) Last() float64 { return c.X[len(c.X)-1] }

// piece finds the piece that holds x: right-handed at knots, left-handed at the last.
func (c *Curve) piece(x float64) int {
	i := sort.Search(len(c.X), func(i int) bool { return c.X[i] > x })
	return min(max(i-1, 0), len(c.C)-1)
}

// At samples the curve: right-handed at a keyframe, left-handed at the last.
// Outside the domain the curve waits at its first and rests at its last keyframe.
func (c *Curve) At(x float64) Sample {
	switch {
	case x < c.X[0]:
		return Sample{P: c.Wait()}
	case x > c.Last():
		return Sample{P: c.Rest()}
	}
	i := c.piece(x)
	return c.C[i].At(x - c.X[i])
}

// End is the left-handed sample at the last keyframe.
func (c *Curve) End() Sample {
	i := len(c.C) - 1
	return c.C[i].At(c.X[i+1] - c.X[i])
}

// Wait is where the curve is before its first keyframe: at that keyframe's value.
func (c *Curve) Wait() float64 {
	if c.wait != nil {
		return *c.wait
	}
	return c.C[0][0]
}

// Rest is where the curve stays after its last keyframe: that keyframe's value.
func (c *Curve) Rest() float64 {
	if c.rest != nil {
		return *c.rest
	}
	return c.End().P
}

// Into fills dst with samples at from, from+step, …, in one pass without
// allocation. step must be positive.
func (c *Curve) Into(dst []Sample, from, step float64) {
	for k := 0; k < len(dst); {
		x := from + mul(float64(k), step)
		if x < c.X[0] || x > c.Last() {
			dst[k] = c.At(x)
			k++
			continue
		}
		i := c.piece(x)
		n := c.within(i, k, len(dst), from, step)
		c.C[i].into(dst[k:n], c.X[i], from, step, k)
		k = n
	}
}

// Values fills dst as Into does, with the values alone.
func (c *Curve) Values(dst []float64, from, step float64) {
	for k := 0; k < len(dst); {
		x := from + mul(float64(k), step)
		if x < c.X[0] || x > c.Last() {
			dst[k] = c.At(x).P
			k++
			continue
		}
		i := c.piece(x)
		n := c.within(i, k, len(dst), from, step)
		p := &c.C[i]
		for ; k < n; k++ {
			u := from + mul(float64(k), step) - c.X[i]
			dst[k] = p.value(u)
		}
	}
}

// within is the number of the first sample after k that is not on piece i.
func (c *Curve) within(i, k, n int, from, step float64) int {
	if i == len(c.C)-1 {
		for k++; k < n && from+mul(float64(k), step) <= c.Last(); k++ {
		}
		return k
	}
	end := c.X[i+1]
	// About where it ends, and then exactly.
	to := k + 1
	if guess := (end - from) / step; guess < float64(n) {
		to = max(to, int(guess)-1)
	} else {
		to = n
	}
	for to > k+1 && from+mul(float64(to-1), step) >= end {
		to--
	}
	for to < n && from+mul(float64(to), step) < end {
		to++
	}
	return to
}
