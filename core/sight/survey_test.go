package sight_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"gonum.org/v1/gonum/mat"

	"keenarc/core/rig"
	"keenarc/core/sight"
)

var base = rig.Vec{0.2, 0.1, 0}

// survey is a set of points, sighted from two places before and after a rig moved, with
// so much noise.
func survey(t *testing.T, things []rig.Vec, moved *sight.Shift, sigmaDeg float64) *sight.Survey {
	t.Helper()
	rng := rand.New(rand.NewPCG(7, 7))
	s := &sight.Survey{}
	for i := range things {
		s.Fixed = append(s.Fixed, sight.Fixed{ID: fmt.Sprint("p", i), Name: fmt.Sprintf("point %d", i)})
	}
	for round := range 2 {
		s.Rounds = append(s.Rounds, sight.Round{Day: "2026-03-04"})
		for i, p := range things {
			if round == 1 {
				p = moved.Back().Of(p)
			}
			for _, at := range []rig.Vec{{-0.7, 0, 0.6}, {0.7, 0, 0.9}} {
				if err := s.Add(sight.Sighted{Point: fmt.Sprint("p", i), At: at,
					Direction: off(rng, at, p, sigmaDeg*math.Pi/180), When: time.Date(2026, 3, 4, 8, 0, 0, 0,
						time.UTC)}); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	return s
}

var wall = []rig.Vec{{-1.2, 3, 0.4}, {0.9, 3.6, 1.5}, {0.2, 2.2, 0.2}, {1.6, 2.8, 0.9}, {-0.3, 4, 1.1}}

// A rig that was knocked by 4 mm to the right and turned by 0.4° to the left: said as that,
// with what is known of it; the picture is that of a pose that is elsewhere.
func TestSurveySays(t *testing.T) {
	turn := turned(rig.Vec{0, 0, 1}, 0.4, rig.Vec{})
	there := turn.Of(base)
	moved := turned(rig.Vec{0, 0, 1}, 0.4, rig.Vec{base[0] - there[0] + 0.004, base[1] - there[1], 0})
	v := survey(t, wall, moved, 0).Sheet(base, 0.004)
	m := v.Moved
	if m == nil || !m.Told || math.Abs(m.MM[0]-4) > 1e-5 || math.Abs(m.MM[1]) > 1e-5 || math.Abs(m.ByMM-4) > 1e-5 ||
		math.Abs(m.TurnDeg-0.4) > 1e-6 || math.Abs(m.YawDeg+0.4) > 1e-6 || m.WorstMM > 1e-5 || m.Odd != "" {
		t.Fatalf("%+v", m)
	}
	if v.Says != "The rig has moved 4.0 mm and turned 0.40°." || !strings.HasPrefix(v.Next, "Known to ") ||
		!(m.KnownMM > 0.3 && m.KnownMM < 4) {
		t.Errorf("%s %s %+v", v.Says, v.Next, m)
	}
	if p := m.Shift.Of(base); math.Abs(p[0]-base[0]-0.004) > 1e-8 {
		t.Errorf("%v", p)
	}
	if v := survey(t, wall, moved, 0).Sheet(base, 0.016); v.Says != "The rig has turned 0.40°; by how much it has "+
		"moved this cannot tell." {
		t.Errorf("%s %+v", v.Says, v.Moved)
	}
	if v := survey(t, wall, turned(rig.Vec{0, 0, 1}, 0, rig.Vec{0.009, 0, 0}), 0).Sheet(base, 0.01); v.Says !=
		"The rig has moved 9.0 mm, and not turned as far as this can tell." {
		t.Errorf("%s %+v", v.Says, v.Moved)
	}
	// Noise alone is not taken for a move.
	still := turned(rig.Vec{0, 0, 1}, 0, rig.Vec{})
	if v := survey(t, wall, still, 0.01).Sheet(base, 0.01); v.Moved == nil || v.Moved.Told || !strings.Contains(v.Says,
		"stands where it stood") {
		t.Errorf("%s %+v", v.Says, v.Moved)
	}
	// One of them was moved itself: it is named and left out.
	s := survey(t, wall, moved, 0.003)
	for i, x := range s.Rounds[1].Sights {
		if x.Point == "p3" {
			s.Rounds[1].Sights[i].Direction = rig.Vec{x.Direction[0] + 0.06, x.Direction[1], x.Direction[2]}
		}
	}
	v = s.Sheet(base, 0.003)
	if v.Moved.Odd != "point 3" || math.Abs(v.Moved.ByMM-4) > v.Moved.KnownMM || !strings.Contains(v.Next,
		"“point 3” does not fit the others") || *v.Now[3].ShiftMM < 20 || *v.Now[0].ShiftMM > 5 {
		t.Errorf("%s %+v", v.Next, v.Moved)
	}
	// Of three nobody can say which.
	s = survey(t, wall[:3], moved, 0)
	s.Rounds[1].Sights[0].Direction[0] += 0.08
	s.Rounds[1].Sights[1].Direction[0] += 0.08
	if v = s.Sheet(base, 0.003); v.Moved.Odd != "" || !strings.Contains(v.Next,
		"of three points nobody can say which. Sight a fourth") {
		t.Errorf("%s", v.Next)
	}
}

// A move that is not told is no proof that passes stack: only what is small with its doubt
// is; what is told and large has to be carried over.
func TestMovedVerdict(t *testing.T) {
	for _, c := range []struct {
		told         bool
		px, doubt    float64
		needs, knows bool
	}{{true, 3, 9, true, true}, {false, 3, 9, false, false}, {true, 0.2, 0.2, false, true},
		{true, 0.2, 0.4, false, false}, {false, 0.1, 0.1, false, true}} {
		if needs, knows := (&sight.Moved{Told: c.told}).Verdict(c.px, c.doubt, 0.5); needs != c.needs ||
			knows != c.knows {
			t.Errorf("%+v: %v, %v", c, needs, knows)
		}
	}
	p := rig.Pose{Right: rig.Vec{1, 0, 0}, Forward: rig.Vec{0, 1, 0}, Up: rig.Vec{0, 0, 1}}
	q := (&sight.Moved{KnownMM: 3, KnownDeg: 90}).Doubt(p)
	if math.Abs(q.At[0]-0.003) > 1e-12 || math.Abs(q.Forward[0]-1) > 1e-12 || math.Abs(q.Right[1]+1) > 1e-12 ||
		q.Up != p.Up {
		t.Errorf("%+v", q)
	}
}

// between is a survey whose points lie elsewhere in its second round.
func between(t *testing.T, before, after []rig.Vec, sigmaDeg float64) *sight.Survey {
	still := turned(rig.Vec{0, 0, 1}, 0, rig.Vec{})
	a, b := survey(t, before, still, sigmaDeg), survey(t, after, still, sigmaDeg)
	a.Rounds[1] = b.Rounds[1]
	return a
}

// Where a point was pushed and the others are too few to tell which, nobody says that the rig has moved.
func TestNobodyKnowsWhich(t *testing.T) {
	pushed := func(n int, by float64) []rig.Vec {
		out := append([]rig.Vec{}, wall[:n]...)
		for i := range out { // all of them, too, as if the rig had moved
			out[i][0] += 0.3
		}
		out[1][0] += by
		return out
	}
	if v := between(t, wall[:3], pushed(3, 0.05), 0.01).Sheet(base, 0.01); v.Moved == nil || v.Moved.Told {
		t.Errorf("of three: %+v, %s", v.Moved, v.Says)
	}
	several := 0
	for by := 0.004; by < 0.1; by += 0.002 {
		v := between(t, wall[:4], pushed(4, by), 0.01+by).Sheet(base, 0.01)
		if m := v.Moved; m != nil && strings.Contains(v.Next, ": one of “") {
			if several++; m.Told {
				t.Errorf("%g: %+v, %s", by, m, v.Says)
			}
		}
	}
	if several == 0 {
		t.Error("it never was one of several")
	}
	// In a line in one of the rounds alone.
	bent, straight := []rig.Vec{{-1, 3, 0.5}, {0, 3, 1}, {2, 3, 0.5}}, []rig.Vec{{-1, 3, 0.5}, {0, 3, 0.502},
		{2, 3, 0.5}}
	for _, x := range [][2][]rig.Vec{{bent, straight}, {straight, bent}} {
		if v := between(t, x[0], x[1], 0.01).Sheet(base, 0.01); v.Moved != nil || !strings.Contains(v.Says,
			"lie in a line") {
			t.Errorf("%+v, %s", v.Moved, v.Says)
		}
	}
}

// What is badly known in one direction before the rig turned is so in the turned one afterwards.
func TestErrorsTurnAlong(t *testing.T) {
	turn := turned(rig.Vec{0, 0, 1}, 90, rig.Vec{})
	weak, sure := mat.NewSymDense(3, []float64{1e-8, 0, 0, 0, 1e-4, 0, 0, 0, 1e-8}), mat.NewSymDense(3,
		[]float64{1e-8, 0, 0, 0, 1e-8, 0, 0, 0, 1e-8})
	var m []sight.Measured
	for i, p := range wall {
		q := turn.Of(p)
		along := turn.Of(rig.Vec{0, 0.01 * float64(i%2*2-1), 0})
		for k := range q {
			q[k] += along[k]
		}
		m = append(m, sight.Measured{Before: p, After: q, CovBefore: weak, CovAfter: sure})
	}
	f, err := sight.Fit(m, 1e-3)
	if err != nil || f.Misfit > 10 || !f.Fits() {
		t.Errorf("%+v, %v", f, err)
	}
}

// What is missing is said, step by step.
func TestSurveyWants(t *testing.T) {
	still := turned(rig.Vec{0, 0, 1}, 0, rig.Vec{})
	s := survey(t, wall[:3], still, 0)
	all := s.Rounds
	for _, c := range []struct {
		change func()
		want   string
	}{
		{func() { s.Fixed = s.Fixed[:2]; s.Rounds = nil }, "Name three or more"},
		{func() { s.Fixed = append(s.Fixed, sight.Fixed{ID: "p2", Name: "point 2"}) }, "0 of 3 points are known."},
		{func() { s.Rounds = []sight.Round{{Sights: all[0].Sights[:5]}} }, "2 of 3 points are known."},
		{func() { s.Rounds = all[:1] }, "3 points are known. On another day"},
		{func() { s.Rounds = []sight.Round{all[0], {Sights: all[1].Sights[:4]}} },
			"2 of the points are known in both rounds; three are needed."},
		{func() { s.Rounds = all }, "stands where it stood"},
	} {
		c.change()
		if v := s.Sheet(base, 0.01); !strings.Contains(v.Says, c.want) {
			t.Errorf("%q, want %q", v.Says, c.want)
		}
	}
	if v := s.Sheet(base, 0.01); v.Before[0].At == nil || v.Before[0].Sights != 2 || !(v.Before[0].KnownMM > 0.1) ||
		v.Before[0].AngleDeg < 10 {
		t.Errorf("%+v", v.Before[0])
	}
	// In a line, before and again.
	straight := []rig.Vec{{-1, 3, 0.5}, {0, 3, 0.5}, {2, 3, 0.5}}
	s = survey(t, straight, still, 0)
	if v := s.Sheet(base, 0.01); v.Moved != nil || !strings.Contains(v.Says, "lie in a line") {
		t.Errorf("%+v", v)
	}
	// 10 mm off it, and a rig that stands still: nothing is made of the noise.
	straight[1][2] += 0.01
	s = survey(t, straight, still, 0.01)
	if v := s.Sheet(base, 0.01); v.Moved != nil || !strings.Contains(v.Says, "lie in a line, but for") ||
		!strings.Contains(v.Next, "to the side of the line from “point 0” to “point 2”") {
		t.Errorf("%+v", v)
	}
	s.Rounds = s.Rounds[:1]
	if v := s.Sheet(base, 0.01); !strings.Contains(v.Says, "lie in a line") || !strings.Contains(v.Next,
		"to the side") {
		t.Errorf("%+v", v)
	}
}

func TestSurveyMistakes(t *testing.T) {
	still := turned(rig.Vec{0, 0, 1}, 0, rig.Vec{})
	s := survey(t, wall[:3], still, 0)
	x := s.Rounds[1].Sights[1]
	if err := s.Add(x); err == nil || !strings.Contains(err.Error(),
		"point 0 was sighted from this place already; move the rig further along") {
		t.Error(err)
	}
	y := x
	y.At[0] += 0.003
	if err := s.Add(y); err == nil || !strings.Contains(err.Error(), "from this place already") {
		t.Error("3 mm beside it", err)
	}
	y = x
	y.At[0] += 0.02
	if err := s.Add(y); err != nil {
		t.Error(err)
	}
	y.Point = "q"
	if err := s.Add(y); err == nil || !strings.Contains(err.Error(), `there is no "q"`) {
		t.Error(err)
	}
	for want, change := range map[string]func(s *sight.Survey){
		"has none, or is there twice": func(s *sight.Survey) { s.Fixed[1].Name = "" },
		"or is there twice":           func(s *sight.Survey) { s.Fixed[1].ID = "p0" },
		`it is of "q"`:                func(s *sight.Survey) { s.Rounds[0].Sights[0].Point = "q" },
		"it looks from":               func(s *sight.Survey) { s.Rounds[0].Sights[0].Direction = rig.Vec{} },
		"there are 41 points":         func(s *sight.Survey) { s.Fixed = make([]sight.Fixed, 41) },
		"there are 401 sightings":     func(s *sight.Survey) { s.Rounds[0].Sights = make([]sight.Sighted, 401) },
	} {
		s := survey(t, wall[:3], still, 0)
		change(s)
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}
