package sight

import (
	"fmt"
	"math"
	"slices"
	"strings"
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
	// ResidualMM is how far the lines of sight pass it by, KnownMM within what it lies nine times in ten.
	ResidualMM float64 `json:"residual_mm"`
	KnownMM    float64 `json:"known_mm"`
	AngleDeg   float64 `json:"angle_deg" doc:"the widest between two sightings"`
	Wants      string  `json:"wants,omitempty" doc:"what is missing"`
	// ShiftMM is its residual once the rig's move is taken out, where both rounds know it.
	ShiftMM *float64 `json:"shift_mm,omitempty"`
	cov     *mat.SymDense
	worst   float64 // one sigma of it along its worst direction, in metres
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
		return mistake.In("fixed", fmt.Sprintf("keep at most %d points and %d rounds", mostPoints, mostRounds),
			"there are %d points and %d rounds", len(s.Fixed), len(s.Rounds))
	}
	seen := map[string]bool{}
	for i, f := range s.Fixed {
		if f.ID == "" || f.Name == "" || seen[f.ID] {
			return mistake.In(fmt.Sprintf("fixed[%d].name", i), "give it a name of its own",
				"a point has none, or is there twice")
		}
		seen[f.ID] = true
	}
	for i, r := range s.Rounds {
		if len(r.Sights) > mostSights {
			return mistake.In(fmt.Sprintf("rounds[%d]", i), fmt.Sprintf("keep at most %d", mostSights),
				"there are %d sightings", len(r.Sights))
		}
		for k, x := range r.Sights {
			if !seen[x.Point] {
				return mistake.In(fmt.Sprintf("rounds[%d].sights[%d].point", i, k), "name a point that is there",
					"it is of %q", x.Point)
			}
			if !(norm(x.At) <= 1e6) || !(norm(x.Direction) > 0 && norm(x.Direction) < 1e6) {
				return mistake.In(fmt.Sprintf("rounds[%d].sights[%d]", i, k), "sight it again",
					"it looks from %v along %v", x.At, x.Direction)
			}
		}
	}
	return nil
}

// alikeM is how far apart two sightings of one point have to be made: turning alone tells no distance.
const alikeM = 0.005

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
		if y.Point == x.Point && norm(sub(x.At, y.At)) < alikeM {
			return mistake.In("point", "move the rig further along, or up, and centre it again",
				"%s was sighted from this place already", s.Fixed[i].Name)
		}
	}
	r.Sights = append(r.Sights, x)
	return s.Check()
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
			p.Wants = "sight it from further along: these look the same way, or not at one thing"
		default:
			p.At, p.ResidualMM, p.AngleDeg = &m.At, 1000*m.ResidualM, m.AngleDeg
			p.cov = m.Cov
			sigma := sigmaDeg * math.Pi / 180
			p.cov.ScaleSym(sigma*sigma, p.cov)
			var e mat.EigenSym
			if e.Factorize(p.cov, false) {
				v := e.Values(nil)
				p.worst = math.Sqrt(max(v[2], 0))
			}
			p.KnownMM = 1000 * radius(p.cov)
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
		if v.inLine(s, v.Before, nil) {
			return v
		}
		v.Says = fmt.Sprintf("%d points are known. On another day, sight them again.", known)
		v.Next = "Begin another round once the rig was moved, or knocked, or stood overnight."
	}
	return v
}

// inLine says so where the points of a round lie so near to a line that a turn about it would not show,
// as far as it is known where they lie; of those that another round knows, too, where one is given.
func (v *SurveySheet) inLine(s *Survey, points, other []PointSheet) bool {
	var list []rig.Vec
	var names []string
	sigma := 0.0
	for i, p := range points {
		if p.At == nil || other != nil && other[i].At == nil {
			continue
		}
		list, names = append(list, *p.At), append(names, s.Fixed[i].Name)
		sigma = max(sigma, p.worst)
		if other != nil {
			sigma = max(sigma, math.Hypot(p.worst, other[i].worst))
		}
	}
	least := max(Thin(sigma), thinM)
	off := Across(list)
	if off >= least {
		return false
	}
	from, to, far := 0, 0, 0.0
	for i := range list {
		for k := range i {
			if d := norm(sub(list[i], list[k])); d > far {
				from, to, far = k, i, d
			}
		}
	}
	v.Says = fmt.Sprintf("The points lie in a line, but for %.0f mm: a turn about it would not show.", 1000*off)
	v.Next = fmt.Sprintf("Add one that lies %.2g m or more to the side of the line from “%s” to “%s”, the further "+
		"the better.",
		max(2*least, 0.1), names[from], names[to])
	return true
}

// compare holds the newest round against the first.
//
//revive:disable-next-line:function-length one sheet, sentence by sentence
func (v *SurveySheet) compare(s *Survey, base rig.Vec) {
	var m []Measured
	var which []int
	sigma := 0.0
	for i := range v.Before {
		b, a := &v.Before[i], &v.Now[i]
		if b.At == nil || a.At == nil {
			continue
		}
		m, which = append(m, Measured{*b.At, *a.At, b.cov, a.cov}), append(which, i)
		sigma = max(sigma, math.Hypot(b.worst, a.worst))
	}
	if len(m) < 3 {
		v.Says = fmt.Sprintf("%d of the points are known in both rounds; three are needed.", len(m))
		v.Next = "Sight the same points again, each from two poses."
		return
	}
	if v.inLine(s, v.Before, v.Now) || v.inLine(s, v.Now, v.Before) {
		return
	}
	sigma = max(sigma, thinM/thinTimes)
	odd, fits := Odd(m, sigma)
	rest := m
	if len(odd) == 1 { // it was moved itself, or sighted wrongly: the others tell
		rest = append(append([]Measured{}, m[:odd[0]]...), m[odd[0]+1:]...)
	}
	f, err := Fit(rest, sigma)
	if err != nil {
		v.Says = "The points do not tell how the rig has moved: what is left of them lies in a line."
		v.Next = "Sight another point again, one that lies to the side of them."
		return
	}
	x := &Moved{WorstMM: 1000 * f.WorstM, Shift: f.Back()}
	for k, i := range which {
		r := 1000 * norm(sub(m[k].After, f.Of(m[k].Before)))
		v.Now[i].ShiftMM = &r
	}
	to := x.Shift.Of(base)
	d := sub(to, base)
	x.MM = rig.Vec{1000 * d[0], 1000 * d[1], 1000 * d[2]}
	x.ByMM, x.TurnDeg = 1000*norm(d), x.Shift.AngleDeg
	ahead := Rotate(x.Shift.Turn, rig.Vec{0, 1, 0})
	x.YawDeg = math.Atan2(ahead[0], ahead[1]) * 180 / math.Pi
	k := f.Known(base)
	x.KnownMM, x.KnownDeg = 1000*k.MoveM, k.TurnDeg
	x.Told = (fits || len(odd) == 1) && (x.ByMM > x.KnownMM || x.TurnDeg > x.KnownDeg)
	v.Moved = x
	names := make([]string, len(odd))
	for i, o := range odd {
		names[i] = "“" + s.Fixed[which[o]].Name + "”"
	}
	v.Next = fmt.Sprintf("Known to %.1f mm and %.2f° nine times in ten.", x.KnownMM, x.KnownDeg)
	if !fits && len(odd) != 1 { // nothing that was worked out of them can be relied on
		x.KnownMM, x.KnownDeg = max(x.KnownMM, x.ByMM+x.WorstMM), max(x.KnownDeg, x.TurnDeg)
		v.Says = "How the rig has moved cannot be said: the points do not fit together."
		v.Next = fmt.Sprintf("They do not fit by %.1f mm", x.WorstMM)
		switch {
		case len(m) == 3:
			v.Next += ": of three points nobody can say which. Sight a fourth."
		case len(odd) > 1:
			v.Next += ": one of " + strings.Join(names[:len(odd)-1], ", ") + " and " + names[len(odd)-1] +
				" was moved itself, or sighted wrongly; nobody can say which. Sight them again, or a further one."
		default:
			v.Next += ", and no single one is to blame: sight them again."
		}
		return
	}
	switch {
	case x.ByMM > x.KnownMM && x.TurnDeg > x.KnownDeg:
		v.Says = fmt.Sprintf("The rig has moved %.1f mm and turned %.2f°.", x.ByMM, x.TurnDeg)
	case x.ByMM > x.KnownMM:
		v.Says = fmt.Sprintf("The rig has moved %.1f mm, and not turned as far as this can tell.", x.ByMM)
	case x.Told:
		v.Says = fmt.Sprintf("The rig has turned %.2f°; by how much it has moved this cannot tell.", x.TurnDeg)
	default:
		v.Says = "The rig stands where it stood, as far as this can tell."
	}
	if len(odd) == 1 {
		x.Odd = s.Fixed[which[odd[0]]].Name
		v.Next += fmt.Sprintf(" “%s” does not fit the others by %.1f mm: it was moved itself, or sighted wrongly. It "+
			"is left out.", x.Odd, *v.Now[which[odd[0]]].ShiftMM)
	}
}

// Name gives a survey its points. Sightings of what is taken away go with it.
func (s *Survey) Name(fixed []Fixed) error {
	s.Fixed = fixed
	for i := range s.Fixed {
		s.Fixed[i].Name = strings.TrimSpace(s.Fixed[i].Name)
	}
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
		return mistake.In("rounds", "sight three or more, each from two poses, before another round",
			"this one knows %d points", known)
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
