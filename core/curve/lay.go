package curve

import (
	"cmp"
	"fmt"
)

// leg is what lies between two keyframes: one piece, or several that follow one
// another, cut at these places (from the leg's left keyframe, rising).
type leg struct {
	cuts []float64
	c    []Poly
}

// start and end are the leg's samples at its keyframes; h is its length.
func (l *leg) start() Sample { return l.c[0].At(0) }

func (l *leg) end(h float64) Sample {
	from := 0.0
	if n := len(l.cuts); n > 0 {
		from = l.cuts[n-1]
	}
	return l.c[len(l.c)-1].At(h - from)
}

// New lays a curve through (x[i], y[i]). x must rise strictly; everything must
// be finite. One keyframe gives a constant.
func New(x, y []float64, s Spec) (*Curve, error) {
	if err := checkKeys(x, y, &s); err != nil {
		return nil, err
	}
	n := len(x)
	c := &Curve{}
	if n == 1 {
		c.X, c.C = []float64{x[0], x[0]}, []Poly{{y[0]}}
		return c, nil
	}
	if s.Blend > 0 {
		c.X, c.C = blended(x, y, s.Blend)
		return c, c.usable(x)
	}
	if len(s.Segments) == 0 && s.Kind.single() {
		c.X, c.C = append(c.X, x...), pieces(x, y, s.Kind, s)
	} else if err := c.mixed(x, y, &s); err != nil {
		return nil, err
	}
	if s.kindOf(0) == Ahead {
		v := y[0]
		c.wait = &v
	}
	if s.kindOf(n-2) == Hold {
		v := y[n-1]
		c.rest = &v
	}
	return c, c.usable(x)
}

// single reports whether a leg of the kind is always one piece.
func (k Kind) single() bool { return k != Ramped && k != Handles }

// mixed lays legs of several kinds, the smooth ones last: each run of them is C² with
// what lies beside it.
func (c *Curve) mixed(x, y []float64, s *Spec) error {
	legs := make([]leg, len(x)-1)
	var done map[Kind][]Poly
	most := cmp.Or(s.Most, MostPieces)
	for i, laid := 0, 0; i < len(legs); i++ {
		if i > 0 {
			laid += max(len(legs[i-1].c), 1)
		}
		k := s.kindOf(i)
		if laid > most && (k == Ramped || k == Handles) {
			return &KeyError{"kind", fmt.Sprintf("up to leg %d the curve has %d pieces", i-1, laid),
				fmt.Sprintf("keep it to %d: shorter handles, other ramps, or fewer keyframes", most)}
		}
		switch k {
		case Smooth:
			continue
		case Ramped:
			l, err := ramped(x[i+1]-x[i], y[i], y[i+1], s.rampOf(i, x[i+1]-x[i]), i)
			if err != nil {
				return err
			}
			legs[i] = l
			continue
		case Handles:
			legs[i] = handled(x, y, i, s)
			continue
		}
		if done[k] == nil {
			if done == nil {
				done = map[Kind][]Poly{}
			}
			of := Spec{Kind: k, Keys: s.Keys}
			if k == s.Kind {
				of = *s
			}
			done[k] = pieces(x, y, k, of)
		}
		legs[i].c = done[k][i : i+1]
	}
	for i := 0; i < len(legs); i++ {
		if s.kindOf(i) != Smooth {
			continue
		}
		to := i
		for to+1 < len(legs) && s.kindOf(to+1) == Smooth {
			to++
		}
		var before, after Sample
		if i > 0 {
			before = legs[i-1].end(x[i] - x[i-1])
		}
		if to+1 < len(legs) {
			after = legs[to+1].start()
		}
		run := make([]Poly, to-i+1)
		h, d := chords(x[i:to+2], y[i:to+2])
		smooth(run, h, d, y[i:to+2], before, after)
		for k := range run {
			legs[i+k].c = run[k : k+1]
		}
		i = to
	}
	for i := range legs {
		c.X = append(c.X, x[i])
		for _, u := range legs[i].cuts {
			c.X = append(c.X, x[i]+u)
		}
		c.C = append(c.C, legs[i].c...)
	}
	c.X = append(c.X, x[len(x)-1])
	return nil
}

// usable refuses coefficients that are not finite, and pieces that cannot be told apart.
func (c *Curve) usable(x []float64) error {
	key := 0
	for i := range c.C {
		for key+1 < len(x)-1 && c.X[i+1] > x[key+1] {
			key++
		}
		ok := c.X[i+1] > c.X[i]
		for _, v := range c.C[i] {
			ok = ok && finite(v)
		}
		if !ok {
			return &KeyError{fmt.Sprintf("x[%d]", key+1),
				"the keyframe is too close to the one before it, or their values too far apart, to compute",
				"move them apart"}
		}
	}
	return nil
}
