package limit

import (
	"slices"

	"keenarc/core/curve"
)

// Stretch is an unbroken part of a curve on which its value or a derivative is outside two
// limits. Most is the greatest absolute value in it, reached at At; Past is by how much the
// nearer limit is passed there, at the most.
type Stretch struct {
	From, To, At float64
	Most, Past   float64
}

// touching is how far apart two parts of one stretch may be reported, in the abscissa: the
// rounding of a piece's end.
const touching = 1e-9

// Over lists the stretches on which the value (order 0) or derivative is below lo or above
// hi, from the roots on the pieces, each once.
func Over(c *curve.Curve, order int, lo, hi float64) []Stretch {
	var spans []curve.Span
	for _, s := range c.Outside(order, lo, hi) {
		if n := len(spans); n > 0 && s.From-spans[n-1].To <= touching {
			spans[n-1].To = s.To
			continue
		}
		spans = append(spans, s)
	}
	out := make([]Stretch, 0, len(spans))
	for _, s := range spans {
		part := c.Clip(s)
		x := Stretch{From: s.From, To: s.To}
		if order > 0 {
			x.Most, x.At = part.MaxAbs(order)
			x.Past = x.Most - hi
		} else {
			low, lowAt, high, highAt := part.Range()
			if x.Past, x.At, x.Most = high-hi, highAt, high; lo-low > x.Past {
				x.Past, x.At, x.Most = lo-low, lowAt, low
			}
		}
		out = append(out, x)
	}
	if order == 0 { // where it waits before its first keyframe, and rests after its last
		out = slices.Insert(out, 0, beyond(out, c.First(), c.Wait(), lo, hi)...)
		out = append(out, beyond(out, c.Last(), c.Rest(), lo, hi)...)
	}
	return out
}

// beyond is the stretch of no length at an end of a curve where the value is outside, if none of
// those that are known reaches there: such a one is told of it.
func beyond(known []Stretch, at, v, lo, hi float64) []Stretch {
	past := max(v-hi, lo-v)
	if !(past > 0) {
		return nil
	}
	for k := range known {
		s := &known[k]
		if at < s.From-touching || at > s.To+touching {
			continue
		}
		if past > s.Past {
			s.At, s.Most, s.Past = at, v, past
		}
		return nil
	}
	return []Stretch{{at, at, at, v, past}}
}
