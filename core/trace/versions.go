package trace

import (
	"math"

	"keenarc/core/path"
)

// Differs is an unbroken stretch of frames in which one axis of two versions of a move is not
// at the same place.
type Differs struct {
	Axis string  `json:"axis"`
	From float64 `json:"from"`
	To   float64 `json:"to"`
	Most float64 `json:"most" doc:"the second less the first where they differ most, in the axis's unit"`
	At   float64 `json:"at" doc:"the frame of that"`
	Px   float64 `json:"px" doc:"what this axis alone comes to at the sensor there"`
	Said bool    `json:"said" doc:"false: nothing that is judged on is in the picture"`
}

// Difference is what is not the same in two versions of a move: by axis and frames, and at the
// sensor.
type Difference struct {
	Axes      []Differs `json:"axes" doc:"by axis, then by frames; none: they are the same"`
	Px        float64   `json:"px" doc:"all axes together, the most over the frames of both"`
	Frame     int       `json:"frame"`
	Said      bool      `json:"said"`
	LongerBy  int       `json:"longer_by" doc:"frames, the second less the first"`
	StartsOff int       `json:"starts_by" doc:"frames that the second begins later"`
}

// samePlace is the distance, in the unit of an axis, below which two places are one.
const samePlace = 1e-6

// mostLooked bounds the frames that are looked at for the sensor.
const mostLooked = 4000

// Versions works out the difference between two versions of a move for the judge's rig. Frames
// are exact, from the curves themselves; pixels are those of whole frames.
func (j *Judge) Versions(a, b *path.Motion) *Difference {
	d := &Difference{Axes: []Differs{}, LongerBy: (b.Last - b.First) - (a.Last - a.First), StartsOff: b.First - a.First}
	n := len(j.Rig.Axes)
	qa, qb := make([]float64, n), make([]float64, n)
	for i, axis := range j.Rig.Axes {
		c := b.Curves[i].Minus(a.Curves[i])
		spans := c.Outside(0, -samePlace, samePlace)
		for k := 0; k < len(spans); k++ {
			s := spans[k]
			// Two stretches that meet within a frame, as where it crosses over, are one.
			for k+1 < len(spans) && spans[k+1].From-s.To < 1 {
				k++
				s.To = spans[k].To
			}
			x := Differs{Axis: axis.ID, From: s.From, To: s.To}
			lo, loAt, hi, hiAt := c.Clip(s).Range()
			if x.Most, x.At = hi, hiAt; -lo > hi {
				x.Most, x.At = lo, loAt
			}
			a.Values(qa, x.At)
			copy(qb, qa)
			qb[i] = b.Curves[i].At(x.At).P
			if px, _, said := j.Pixels(qa, qb); said {
				x.Px, x.Said = px, true
			}
			d.Axes = append(d.Axes, x)
		}
	}
	first, last := min(a.First, b.First), max(a.Last, b.Last)
	step := max(1, int(math.Ceil(float64(last-first)/mostLooked)))
	for f := first; f <= last; f += step {
		a.Values(qa, float64(f))
		b.Values(qb, float64(f))
		if px, _, said := j.Pixels(qa, qb); said {
			d.Said = true
			if px > d.Px {
				d.Px, d.Frame = px, f
			}
		}
	}
	return d
}
