package sight

import (
	"fmt"
	"math"
	"slices"
	"time"

	"gonum.org/v1/gonum/mat"

	"keenarc/core/mistake"
	"keenarc/core/rig"
)

// Fixed is a point on the set that does not move with the rig.
type Fixed struct {
	ID   string `json:"id" maxLength:"40"`
	Name string `json:"name" maxLength:"60"`
}

// Sighted is a fixed point that was centred in the picture: where the rig believed its
// camera to be and to look, and its pose.
type Sighted struct {
	Point     string             `json:"point"`
	At        rig.Vec            `json:"at_m"`
	Direction rig.Vec            `json:"direction"`
	Values    map[string]float64 `json:"values"`
	When      time.Time          `json:"when"`
}

// Round is the sightings of one time: a day, or after a knock.
type Round struct {
	Day    string    `json:"day"`
	Sights []Sighted `json:"sights"`
}

// Survey is a shot's fixed points and every round in which they were sighted. The first
// round is what the others are held against.
type Survey struct {
	Fixed  []Fixed `json:"fixed"`
	Rounds []Round `json:"rounds"`
}

// PointSheet is what a round says of a point.
type PointSheet struct {
	ID     string `json:"id"`
	Sights int    `json:"sights"`
	// At is left out until it is sighted from two poses that tell.
	At *rig.Vec `json:"at_m,omitempty"`
	// ResidualMM is how far the lines of sight pass it by, KnownMM within what it is known
	// along its worst direction (one sigma).
	ResidualMM float64 `json:"residual_mm"`
	KnownMM    float64 `json:"known_mm"`
	AngleDeg   float64 `json:"angle_deg" doc:"the widest between two sightings"`
	Wants      string  `json:"wants,omitempty" doc:"what is missing"`
	// ShiftMM is its residual once the rig's move is taken out, where both rounds know it.
	ShiftMM *float64 `json:"shift_mm,omitempty"`
	cov     *mat.SymDense
}

// Moved is how a rig has moved between two rounds.
type Moved struct {
	// MM is the move of its base: right, forward and up; ByMM its length; TurnDeg the
	// whole turn, of which YawDeg is about the vertical, positive to the right.
	MM       rig.Vec `json:"mm"`
	ByMM     float64 `json:"by_mm"`
	TurnDeg  float64 `json:"turn_deg"`
	YawDeg   float64 `json:"yaw_deg"`
	KnownMM  float64 `json:"known_mm" doc:"nine times in ten"`
	KnownDeg float64 `json:"known_deg"`
	WorstMM  float64 `json:"worst_mm" doc:"residual of the worst point"`
	Odd      string  `json:"odd,omitempty" doc:"the point that does not fit the others"`
	// Told says whether it has moved by more than what cannot be told.
	Told bool `json:"told"`
	// Shift takes what the rig believes to what is.
	Shift *Shift `json:"-"`
}

// SurveySheet is what is said of a survey.
type SurveySheet struct {
	Before []PointSheet `json:"before"`
	Now    []PointSheet `json:"now"`
	Moved  *Moved       `json:"moved,omitempty"`
	Says   string       `json:"says"`
	Next   string       `json:"next"`
}

const mostPoints, mostRounds, mostSights = 40, 60, 400

// Check says what is wrong with a survey.
func (s *Survey) Check() error {
	if len(s.Fixed) > mostPoints || len(s.Rounds) > mostRounds {
		return mistake.In("fixed", fmt.Sprintf("keep at most %d points and %d rounds", mostPoints, mostRounds), "there are %d points and %d rounds", len(s.Fixed), len(s.Rounds))
	}
	seen := map[string]bool{}
	for i, f := range s.Fixed {
		if f.ID == "" || f.Name == "" || seen[f.ID] {
			return mistake.In(fmt.Sprintf("fixed[%d].name", i), "give it a name of its own", "a point has none, or is there twice")
		}
		seen[f.ID] = true
	}
	for i, r := range s.Rounds {
		if len(r.Sights) > mostSights {
			return mistake.In(fmt.Sprintf("rounds[%d]", i), fmt.Sprintf("keep at most %d", mostSights), "there are %d sightings", len(r.Sights))
		}
		for k, x := range r.Sights {
			if !seen[x.Point] {
				return mistake.In(fmt.Sprintf("rounds[%d].sights[%d].point", i, k), "name a point that is there", "it is of %q", x.Point)
			}
			if !(norm(x.At) <= 1e6) || !(norm(x.Direction) > 0 && norm(x.Direction) < 1e6) {
				return mistake.In(fmt.Sprintf("rounds[%d].sights[%d]", i, k), "sight it again", "it looks from %v along %v", x.At, x.Direction)
			}
		}
	}
	return nil
}

// alike is from which difference on two sightings of one point are two: an angle between
// them, or a way between their places.
const alikeDeg, alikeM = 0.2, 0.005

// Add takes a sighting into the newest round. One from where it was sighted already tells
// nothing new, and is a mistake.
func (s *Survey) Add(x Sighted) error {
	if len(s.Rounds) == 0 {
		s.Rounds = []Round{{Day: x.When.Format(time.DateOnly)}}
	}
	r := &s.Rounds[len(s.Rounds)-1]
	i := slices.IndexFunc(s.Fixed, func(f Fixed) bool { return f.ID == x.Point })
	if i < 0 {
		return mistake.In("point", "name a point that is there", "there is no %q", x.Point)
	}
	for _, y := range r.Sights {
		if y.Point == x.Point && norm(sub(x.At, y.At)) < alikeM && between(unit(x.Direction), unit(y.Direction)) < alikeDeg {
			return mistake.In("point", "move the rig further along, or up, and centre it again", "%s was sighted from this pose already", s.Fixed[i].Name)
		}
	}
	r.Sights = append(r.Sights, x)
	return s.Check()
}

func unit(v rig.Vec) rig.Vec {
	n := norm(v)
	return rig.Vec{v[0] / n, v[1] / n, v[2] / n}
}

// points are what a round says of every fixed point, for sightings that are good to so
// many degrees.
func (s *Survey) points(r *Round, sigmaDeg float64) []PointSheet {
	out := make([]PointSheet, len(s.Fixed))
	for i, f := range s.Fixed {
		p := PointSheet{ID: f.ID}
		var list []Sighting
		if r != nil {
			for _, x := range r.Sights {
				if x.Point == f.ID {
					list = append(list, Sighting{x.At, x.Direction})
				}
			}
		}
		p.Sights = len(list)
		switch m, err := Meet(list); {
		case len(list) == 0:
			p.Wants = "sight it from two poses"
		case len(list) == 1:
			p.Wants = "sight it from another pose"
		case err != nil:
			p.Wants = "sight it from further along: these look the same way"
		default:
			p.At, p.ResidualMM, p.AngleDeg = &m.At, 1000*m.ResidualM, m.AngleDeg
			p.cov = m.Cov
			sigma := sigmaDeg * math.Pi / 180
			p.cov.ScaleSym(sigma*sigma, p.cov)
			var e mat.EigenSym
			if e.Factorize(p.cov, false) {
				v := e.Values(nil)
				p.KnownMM = 1000 * math.Sqrt(max(v[2], 0))
			}
		}
		out[i] = p
	}
	return out
}

// Sheet works out what is said: of the first round, and of the newest against it. base is
// where the rig's foot is believed to be, sigmaDeg how good one sighting is.
func (s *Survey) Sheet(base rig.Vec, sigmaDeg float64) *SurveySheet {
	v := &SurveySheet{Now: []PointSheet{}}
	var first *Round
	if len(s.Rounds) > 0 {
		first = &s.Rounds[0]
	}
	v.Before = s.points(first, sigmaDeg)
	known := 0
	for _, p := range v.Before {
		if p.At != nil {
			known++
		}
	}
	if len(s.Rounds) > 1 {
		v.Now = s.points(&s.Rounds[len(s.Rounds)-1], sigmaDeg)
		v.compare(s, base)
		return v
	}
	switch {
	case len(s.Fixed) < 3:
		v.Says = "Name three or more fixed points on the set."
		v.Next = "Corners that nobody moves: a door frame, a bolt in the wall. Wide apart, near and far, not in a line."
	case known < 3:
		v.Says = fmt.Sprintf("%d of %d points are known.", known, len(s.Fixed))
		v.Next = "Centre a point in the camera's picture and press; again from another pose, far from the first."
	default:
		var list []rig.Vec
		for _, p := range v.Before {
			if p.At != nil {
				list = append(list, *p.At)
			}
		}
		if line(list) {
			v.Says = "The points lie in a line: a turn about it would not show."
			v.Next = "Add one that lies to the side of them."
			return v
		}
		v.Says = fmt.Sprintf("%d points are known. On another day, sight them again.", known)
		v.Next = "Begin another round once the rig was moved, or knocked, or stood overnight."
	}
	return v
}

// compare holds the newest round against the first.
func (v *SurveySheet) compare(s *Survey, base rig.Vec) {
	var before, after []rig.Vec
	var cov []*mat.SymDense
	var which []int
	sigma := 0.0
	for i := range v.Before {
		b, a := &v.Before[i], &v.Now[i]
		if b.At == nil || a.At == nil {
			continue
		}
		before, after, which = append(before, *b.At), append(after, *a.At), append(which, i)
		var c mat.SymDense
		c.AddSym(b.cov, a.cov)
		cov = append(cov, &c)
		sigma = max(sigma, math.Hypot(b.KnownMM, a.KnownMM)/1000)
	}
	if len(before) < 3 {
		v.Says = fmt.Sprintf("%d of the points are known in both rounds; three are needed.", len(before))
		v.Next = "Sight the same points again, each from two poses."
		return
	}
	shift, err := Register(before, after)
	if err != nil {
		v.Says = "The points lie in a line: a turn about it would not show."
		v.Next = "Sight another point again, one that lies to the side of them."
		return
	}
	m := &Moved{WorstMM: 1000 * shift.WorstM, Shift: shift.Back()}
	odd := Odd(before, after, sigma)
	if odd >= 0 { // it was moved itself, or sighted wrongly: the others tell
		m.Odd = s.Fixed[which[odd]].Name
		b, a := without(before, odd), without(after, odd)
		if again, err := Register(b, a); err == nil {
			shift = again
			m.Shift, m.WorstMM = shift.Back(), 1000*shift.WorstM
			cov = append(append([]*mat.SymDense{}, cov[:odd]...), cov[odd+1:]...)
			after = a
		}
	}
	for k, i := range which {
		r := 1000 * norm(sub(*v.Now[i].At, shift.Of(before[k])))
		v.Now[i].ShiftMM = &r
	}
	to := m.Shift.Of(base)
	d := sub(to, base)
	m.MM = rig.Vec{1000 * d[0], 1000 * d[1], 1000 * d[2]}
	m.ByMM, m.TurnDeg = 1000*norm(d), m.Shift.AngleDeg
	ahead := Rotate(m.Shift.Turn, rig.Vec{0, 1, 0})
	m.YawDeg = math.Atan2(ahead[0], ahead[1]) * 180 / math.Pi
	k := Certain(base, after, cov)
	m.KnownMM, m.KnownDeg = 1000*k.MoveM, k.TurnDeg
	m.Told = m.ByMM > m.KnownMM || m.TurnDeg > m.KnownDeg
	v.Moved = m
	switch {
	case m.ByMM > m.KnownMM && m.TurnDeg > m.KnownDeg:
		v.Says = fmt.Sprintf("The rig has moved %.1f mm and turned %.2f°.", m.ByMM, m.TurnDeg)
	case m.ByMM > m.KnownMM:
		v.Says = fmt.Sprintf("The rig has moved %.1f mm, and not turned as far as this can tell.", m.ByMM)
	case m.Told:
		v.Says = fmt.Sprintf("The rig has turned %.2f°; by how much it has moved this cannot tell.", m.TurnDeg)
	default:
		v.Says = "The rig stands where it stood, as far as this can tell."
	}
	v.Next = fmt.Sprintf("Known to %.1f mm and %.2f° nine times in ten.", m.KnownMM, m.KnownDeg)
	switch {
	case m.Odd != "":
		v.Next += fmt.Sprintf(" “%s” does not fit the others by %.1f mm: it was moved itself, or sighted wrongly. It is left out.", m.Odd, *v.Now[which[odd]].ShiftMM)
	case shift.WorstM > 3*sigma && len(before) == 3:
		v.Next += fmt.Sprintf(" But they do not fit by %.1f mm: of three points nobody can say which. Sight a fourth.", m.WorstMM)
	case shift.WorstM > 3*sigma:
		v.Next += fmt.Sprintf(" But they do not fit by %.1f mm: sight them again.", m.WorstMM)
	}
}

// Name gives a survey its points. Sightings of what is taken away go with it.
func (s *Survey) Name(fixed []Fixed) error {
	s.Fixed = fixed
	for i := range s.Rounds {
		s.Rounds[i].Sights = slices.DeleteFunc(s.Rounds[i].Sights, func(x Sighted) bool {
			return !slices.ContainsFunc(fixed, func(f Fixed) bool { return f.ID == x.Point })
		})
	}
	return s.Check()
}

// Again begins another round. The one before must know three points, or there is nothing
// to hold it against.
func (s *Survey) Again(now time.Time) error {
	known := 0
	if len(s.Rounds) > 0 {
		for _, p := range s.points(&s.Rounds[len(s.Rounds)-1], 1) {
			if p.At != nil {
				known++
			}
		}
	}
	if known < 3 {
		return mistake.In("rounds", "sight three or more, each from two poses, before another round", "this one knows %d points", known)
	}
	s.Rounds = append(s.Rounds, Round{Day: now.Format(time.DateOnly), Sights: []Sighted{}})
	return s.Check()
}

// Named is a point's name.
func (s *Survey) Named(id string) string {
	for _, f := range s.Fixed {
		if f.ID == id {
			return f.Name
		}
	}
	return id
}

// Doubt is where a camera might be, within what the move is known to: to the right and
// turned, each by as much as it may be off nine times in ten.
func (m *Moved) Doubt(p rig.Pose) rig.Pose {
	s, c := math.Sincos(m.KnownDeg * math.Pi / 180)
	q := p
	for k := range q.At {
		q.At[k] += p.Right[k] * m.KnownMM / 1000
		q.Forward[k], q.Right[k] = c*p.Forward[k]+s*p.Right[k], c*p.Right[k]-s*p.Forward[k]
	}
	return q
}

// Verdict says whether a path has to be carried over: needs, it has to; knows, it can be
// told. px is what the move does to the picture, doubtPx what it is known to, mostPx by how
// much passes may differ.
func (m *Moved) Verdict(px, doubtPx, mostPx float64) (needs, knows bool) {
	return m.Told && px > mostPx, m.Told && px > mostPx || px+doubtPx <= mostPx
}
