package balance_test

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"keenarc/core/balance"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// load is the demo's camera on a plate: 4.13 kg, by hand 16.19 mm ahead of the plate's
// zero and 53.9 above it.
func load() balance.Hung {
	return balance.Hung{Pieces: []balance.Piece{{Name: "body", MassKg: 2.4, At: rig.Vec{0, -0.012, 0.046}},
		{Name: "lens", MassKg: 0.92, At: rig.Vec{0, 0.067, 0.056}}, {Name: "rest", MassKg: 0.81,
			At: rig.Vec{0.004, 0.042, 0.075}}}, FrontM: 0.1, UnderM: 0.001}
}

// bench is the slider with a head in its book; its track serves as a crane's arm, and its
// roll as a wrist where that is asked for.
func bench() *rig.Rig {
	m := fixture.Slider()
	m.Name = "Plank"
	drive := func(nm float64) *rig.Drive {
		return &rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1}, MotorNM: nm}
	}
	m.Axes[m.Index("tilt")].Drive, m.Axes[m.Index("roll")].Drive = drive(0.16), drive(0.8)
	m.Book = &rig.Book{PayloadKg: map[rig.Mounting]float64{rig.Level: 9}, BelowTiltM: 0.11,
		Head: &rig.Head{Axis: "tilt", SlideMM: [2]float64{0, 120}, RiseMM: [2]float64{0, 80}, SlideAxisMM: 60,
			RiseAxisMM: 70, FrictionNM: 0.14, CableNM: 0.03}}
	return m
}

func wristed() *rig.Rig {
	m := bench()
	m.Name = "Wren"
	for _, a := range []string{"tilt", "roll"} {
		x := &m.Axes[m.Index(a)]
		x.Min, x.Max, x.Hard = -90, 90, [2]float64{-95, 95}
	}
	m.Book.Head, m.Book.Wrist = nil, &rig.Wrist{Joint: "roll", FreeN: 4}
	return m
}

var all = balance.Checks{AllOn: true, Clear: true, Engaged: true, Tight: true, Line: true, PinsOut: true}

func rests(slide, rise float64) []balance.Seen {
	out := []balance.Seen{}
	for _, d := range []float64{0, -30, 30, -60, 45, 38, 23, 15, 8, -8, -15, -23, -38, -45, -53} {
		out = append(out, balance.Seen{TiltDeg: d, SlideMM: slide, RiseMM: rise, Did: balance.Rests})
	}
	return out
}

// A head is balanced when it rests in all three attitudes and all is looked after, or is
// accepted by a margin that is enough; else the verdict is the next thing to do.
func TestVerdictOnAHead(t *testing.T) {
	m := bench()
	for name, c := range map[string]struct {
		r    balance.Settled
		ok   bool
		says string
	}{
		"balanced": {balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16), Checks: all}, true,
			"It rests wherever it is pointed, and all is looked after."},
		"not all on": {balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16)}, false,
			"this camera is not balanced on Plank. Say that all that will hang on it is on it."},
		"not engaged": {balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16),
			Checks: balance.Checks{AllOn: true, Clear: true, Tight: true, Line: true, PinsOut: true}}, false,
			"this camera is not balanced on Plank. Engage the gear again."},
		"pieces say": {balance.Settled{SlideMM: 55, RiseMM: 16, Checks: all}, false,
			"this camera is not balanced on Plank. Slide the camera back 11 mm."},
		"slid since": {balance.Settled{SlideMM: 50, RiseMM: 16, Seen: rests(44, 16), Checks: all}, false,
			"this camera is not balanced on Plank. Let go level and see what it does."},
		"by its margin": {balance.Settled{SlideMM: 44, RiseMM: 16, ByMargin: true, Checks: all,
			Seen: []balance.Seen{{SlideMM: 44, RiseMM: 16, Did: balance.Rests}, {TiltDeg: -30, SlideMM: 44, RiseMM: 16,
				Did: balance.NoseFalls}}}, true, "Accepted as it is: the motor has 4"},
		"margin too low": {balance.Settled{SlideMM: 120, RiseMM: 16, ByMargin: true, Checks: all}, false,
			"this camera is not balanced on Plank. Its motor has 0.76 times what may pull at it; to be " +
				"accepted as it " +
				"is it needs 4."},
		"contradicts": {balance.Settled{SlideMM: 44, RiseMM: 16,
			Seen: append(rests(44, 16), balance.Seen{SlideMM: 120, RiseMM: 16, Did: balance.NoseRises}), ByMargin: true,
			Checks: all}, false, "this camera is not balanced on Plank. What it was seen to do contradicts itself."},
	} {
		s, err := c.r.Sheet(m, load())
		if err != nil || s.Verdict.OK != c.ok || !strings.HasPrefix(s.Verdict.Says, c.says) {
			t.Errorf("%s: %+v, %v; want %v %q", name, s.Verdict, err, c.ok, c.says)
		}
	}
}

// A margin of three is none of four; what is said of a freed head is not said of one that is held by
// its motor; too heavy is too heavy, however well it rests.
func TestVerdictsHoldBack(t *testing.T) {
	m := bench()
	r := balance.Settled{SlideMM: 55, RiseMM: 16, ByMargin: true, Checks: all}
	s, err := r.Sheet(m, load())
	if err != nil {
		t.Fatal(err)
	}
	drive := m.Axes[m.Index("tilt")].Drive
	for times, ok := range map[float64]bool{2.1: false, 3: false, 3.9: false, 4.1: true} {
		drive.MotorNM = times * s.Arc.BadNM / 18
		if s, _ := r.Sheet(m, load()); s.Verdict.OK != ok || !strings.Contains(s.Guiding, "Not to be guided by hand") {
			t.Errorf("%g times: %+v, %q", times, s.Verdict, s.Guiding)
		}
	}
	r = balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16), Checks: all}
	for most, ok := range map[float64]bool{4: false, 4.12: false, 4.15: false, 4.2: true} { // 4.13 by a scale
		m.Book.PayloadKg[rig.Level] = most
		if s, _ := r.Sheet(m, load()); s.Verdict.OK != ok || ok == strings.Contains(s.Verdict.Says, "too heavy") {
			t.Errorf("rated for %g: %+v", most, s.Verdict)
		}
	}
	delete(m.Book.PayloadKg, rig.Level)
	if s, _ := r.Sheet(m, load()); s.Verdict.OK || !strings.Contains(s.Verdict.Says, "not in its rig book") {
		t.Errorf("not rated: %+v", s.Verdict)
	}
	// Nothing is weighed, nothing seen: no number is made of it.
	m = bench()
	r = balance.Settled{SlideMM: 44, RiseMM: 16, ByMargin: true, Checks: all}
	if s, _ := r.Sheet(m, balance.Hung{}); s.Verdict.OK || s.Arc.Margin != nil || len(s.Arc.Now) != 0 ||
		s.Arc.Says != "nothing is known of where the weight sits" || !strings.Contains(s.Others[0], "cannot say") {
		t.Errorf("nothing known: %+v %+v %q", s.Verdict, s.Arc, s.Others)
	}
	// Five kilograms anywhere within 60 mm.
	kg := 5.0
	if s, _ := r.Sheet(m, balance.Hung{WholeKg: &kg}); s.Arc.Margin == nil || *s.Arc.Margin > 1 || s.Verdict.OK {
		t.Errorf("anywhere: %+v, %+v", s.Arc, s.Verdict)
	}
	// A tilt beyond straight down, where nothing touches, is not drawn in.
	tilt := &m.Axes[m.Index("tilt")]
	tilt.Min, tilt.Hard[0] = -100, -105
	if s, _ := r.Sheet(m, load()); !s.Room.OK || !strings.Contains(s.Room.Says, "look yourself") {
		t.Errorf("%+v", s.Room)
	}
}

// Plate and gear are open again after the camera was slid or raised, the gear after a look; when it was
// engaged again is kept, and not told by anybody.
func TestFollows(t *testing.T) {
	then, now := time.Unix(1000, 0), time.Unix(2000, 0)
	open := func(tight, engaged bool) balance.Checks {
		c := all
		c.Tight, c.Engaged = tight, engaged
		return c
	}
	kg, same := 0.2, 0.2
	look := balance.Seen{TiltDeg: 30, SlideMM: 44, RiseMM: 16, Did: balance.Rests}
	scale := balance.Seen{SlideMM: 44, RiseMM: 16, ScaleKg: &kg, ArmM: 0.2}
	again := scale
	again.ScaleKg = &same
	was := balance.Settled{SlideMM: 44, RiseMM: 16, Checks: all, EngagedAt: &then, Seen: []balance.Seen{scale}}
	for name, c := range map[string]struct {
		change        func(*balance.Settled)
		tight, engage bool
		at            *time.Time
	}{
		"nothing": {func(r *balance.Settled) { r.Seen = []balance.Seen{again} }, true, true, &then},
		"slid":    {func(r *balance.Settled) { r.SlideMM = 45 }, false, false, nil},
		"raised":  {func(r *balance.Settled) { r.RiseMM = 17 }, false, false, nil},
		"a look": {func(r *balance.Settled) { r.Seen = append([]balance.Seen{}, scale, look) }, true,
			false, nil},
		"a look, and engaged": {func(r *balance.Settled) { r.Seen, r.EngagedAt = []balance.Seen{look}, &then }, true,
			false, nil},
		"looks cleared":  {func(r *balance.Settled) { r.Seen = []balance.Seen{} }, true, true, &then},
		"told otherwise": {func(r *balance.Settled) { r.EngagedAt = nil }, true, true, &then},
		"disengaged":     {func(r *balance.Settled) { r.Checks.Engaged = false }, true, false, nil},
	} {
		r := was
		c.change(&r)
		r.Follows(&was, now)
		if want := open(c.tight, c.engage); r.Checks != want || (r.EngagedAt == nil) != (c.at == nil) || c.at != nil &&
			!r.EngagedAt.Equal(*c.at) {
			t.Errorf("%s: %+v, engaged at %v", name, r.Checks, r.EngagedAt)
		}
	}
	free := was
	free.Checks, free.EngagedAt = open(true, false), nil
	r := free
	if r.Checks.Engaged = true; true {
		r.Follows(&free, now)
	}
	if r.EngagedAt == nil || !r.EngagedAt.Equal(now) {
		t.Errorf("engaged at %v, want now", r.EngagedAt)
	}
	// Taken back: nobody turned a knob by that.
	for name, c := range map[string]struct {
		before, last balance.Settled
		tight        bool
		at           *time.Time
	}{
		"a slide": {was, balance.Settled{SlideMM: 45, RiseMM: 16, Checks: open(false, false)}, false, nil},
		"engaged while it was slid": {balance.Settled{SlideMM: 44, RiseMM: 16, Checks: open(false, true),
			EngagedAt: &then},
			balance.Settled{SlideMM: 44, RiseMM: 16, Checks: all, EngagedAt: &then}, false, &then},
		"a look": {was, balance.Settled{SlideMM: 44, RiseMM: 16, Checks: open(true, false),
			Seen: []balance.Seen{scale, look}}, true, nil},
		"the droop": {was, was, true, &then},
	} {
		r := c.before.Back(&c.last, now)
		if r.Checks.Tight != c.tight || r.Checks.Engaged != (c.at != nil) || (r.EngagedAt == nil) != (c.at == nil) ||
			!r.Checks.Line {
			t.Errorf("taken back, %s: %+v, engaged at %v", name, r.Checks, r.EngagedAt)
		}
	}
	if was.Checks != all || was.EngagedAt != &then {
		t.Error("the record that was taken back is changed")
	}
}

// A yes says what it rests on; a no rests on nothing.
func TestWhatAYesRestsOn(t *testing.T) {
	head := balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16), Checks: all}
	if s, err := head.Sheet(bench(), load()); err != nil || !s.Verdict.OK || s.Verdict.On !=
		"Seen: it rests at 15 attitudes. Weighed: the camera, by its pieces. Typed: what the machine carries, in the "+
			"rig book; what is ticked." {
		t.Errorf("%+v, %v", s.Verdict, err)
	}
	kg := 4.13
	l := load()
	l.WholeKg = &kg
	m := bench()
	m.Axes[m.Index("tilt")].Drive.MotorNM = 5
	margin := balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16)[:2], Checks: all, ByMargin: true}
	if s, err := margin.Sheet(m, l); err != nil || !s.Verdict.OK || s.Verdict.On !=
		"Seen: what it does when it is let go. Weighed: the camera, whole. Typed: the motor, in the rig book; what "+
			"the machine carries, in the rig book; what is ticked." {
		t.Errorf("%+v, %v", s.Verdict, err)
	}
	margin.Seen = nil
	if s, err := margin.Sheet(m, l); err != nil || !s.Verdict.OK || !strings.Contains(s.Verdict.On,
		"Typed: the motor, in the rig book; where its pieces sit;") {
		t.Errorf("%+v, %v", s.Verdict, err)
	}
	told := balance.Settled{Checks: all, Told: &balance.Told{MassKg: 4.1}}
	if s, err := told.Sheet(wristed(), l); err != nil || !s.Verdict.OK || !strings.HasPrefix(s.Verdict.On,
		"Weighed: the camera, whole. Typed: what the arm was told; nothing was felt for it since;") {
		t.Errorf("%+v, %v", s.Verdict, err)
	}
	told.Checks.Line = false
	if s, _ := told.Sheet(wristed(), l); s.Verdict.OK || s.Verdict.On != "" {
		t.Errorf("%+v", s.Verdict)
	}
}

// A gear that was free is homed after it was engaged again.
func TestHomedSince(t *testing.T) {
	then, later := time.Unix(1000, 0), time.Unix(2000, 0)
	ok := balance.Verdict{OK: true, Says: "It rests."}
	for name, c := range map[string]struct {
		v              balance.Verdict
		engaged, homed *time.Time
		want           bool
	}{
		"never freed":   {ok, nil, nil, true},
		"never homed":   {ok, &then, nil, false},
		"homed before":  {ok, &later, &then, false},
		"at one time":   {ok, &then, &then, false},
		"homed after":   {ok, &then, &later, true},
		"not balanced":  {balance.Verdict{Says: "no"}, &then, &later, false},
		"neither of it": {balance.Verdict{Says: "no"}, &then, nil, false},
	} {
		got := c.v.Since("Plank", "Tilt", c.engaged, c.homed)
		if got.OK != c.want || got.Says == "" || (c.v.OK && !c.want) != strings.Contains(got.Says,
			"Home Tilt: its gear was free") {
			t.Errorf("%s: %+v", name, got)
		}
	}
}

// The arithmetic beside it, by hand: 11 mm ahead 4.13 kg pull with 0.446 N m, and the
// motor has 0.16 N m through a gear of 18.
func TestHeadSheet(t *testing.T) {
	m := bench()
	r := balance.Settled{SlideMM: 55, RiseMM: 16, Checks: all}
	s, err := r.Sheet(m, load())
	if err != nil {
		t.Fatal(err)
	}
	f := (2.4*-0.012+0.92*0.067+0.81*0.042)/4.13 - 0.005
	u := (2.4*0.046+0.92*0.056+0.81*0.075)/4.13 - 0.054
	if math.Abs(s.Weight.Forward-f) > 1e-12 || math.Abs(s.Weight.Up-u) > 1e-12 || math.Abs(s.MassKg-4.13) > 1e-12 {
		t.Errorf("%+v, want %g, %g", s.Weight, f, u)
	}
	if a := s.Arc; math.Abs(a.WorstNM-4.13*balance.G*math.Hypot(f, u)) > 1e-9 || math.Abs(a.MotorNM-2.88) > 1e-12 ||
		math.Abs(*a.Margin-2.88/a.BadNM) > 1e-9 || math.Abs(a.BadNM-4.13*1.01*balance.G*math.Hypot(f+0.015, u-0.015)) >
		1e-9 || a.FromDeg != -60 || a.ToDeg != 45 || len(a.Now) != 61 || *a.AfterNM > 0.03 {
		t.Errorf("%+v", a)
	}
	if len(s.Others) != 2 || !strings.HasPrefix(s.Others[0],
		"Roll: the weight sits 0.8 mm to the right and 0 mm below its axis; worst 0.03 N m at -6°") ||
		!strings.Contains(s.Others[1], "upright") {
		t.Errorf("%q", s.Others)
	}
	if !strings.Contains(s.Alone[0], "cannot say") || !strings.Contains(s.Alone[1],
		"Gravity takes 8 % of the motor at nose down 60° and 11 % at nose up 45°. Uneven speed: cannot say") {
		t.Errorf("%q", s.Alone)
	}
	creep, droop := 0.4, 0.1
	r.CreepDegH, r.CreepAtDeg, r.DroopShare = &creep, -40, &droop
	if s, _ = r.Sheet(m, load()); s.Alone[0] != "Measured: parked nose down 40° it creeps 0.4° an hour." ||
		!strings.Contains(s.Alone[1], "its speed would differ by 0.8 % over the arc") {
		t.Errorf("%q", s.Alone)
	}
	if !s.Room.OK || s.Rating != "Plank carries 9 kg level; this is 4.13." || !strings.Contains(s.Guiding,
		"before it is balanced") {
		t.Errorf("%+v, %q, %q", s.Room, s.Rating, s.Guiding)
	}
	l := load()
	l.FrontM = 0.16
	l.Pieces[0].MassKg = 8
	if s, _ = r.Sheet(m, l); s.Room.OK || !strings.Contains(s.Room.Says, "touches what is below at -22") ||
		!strings.HasPrefix(s.Rating, "Too heavy: ") {
		t.Errorf("%+v, %q", s.Room, s.Rating)
	}
	m.Book.Head.SlopeDeg = 10
	m.Axes[m.Index("tilt")].Feedback = rig.SeesMotor
	if s, _ = r.Sheet(m, load()); !strings.Contains(s.Others[1],
		"Pan is tipped 10° from the vertical: with the camera level the weight lies 11 mm from its axis, and gravity "+
			"turns it with up to 0.08 N m") || !strings.Contains(s.Guiding, "encoder at its output") {
		t.Errorf("%q, %q", s.Others, s.Guiding)
	}
	m.Book = nil
	if s, err = r.Sheet(m, load()); err != nil || !s.Verdict.OK || s.Arc != nil {
		t.Errorf("a machine with no head: %+v, %v", s, err)
	}
}

// A crane is right when its one set hangs there.
func TestCraneSheet(t *testing.T) {
	m := bench()
	m.Name = "Heron"
	m.Book.Crane = &rig.Crane{Arm: "track", TailM: 1.1, BoomKgM: 21, ArmKg: 6, HeadM: 1.72, HeadKg: 9}
	m.Axes[m.Index("track")].Min, m.Axes[m.Index("track")].Max = 30, 1470
	r := balance.Settled{SlideMM: 44, RiseMM: 16, Seen: rests(44, 16), Checks: all}
	s, err := r.Sheet(m, load())
	if err != nil || s.Verdict.OK || s.Crane.Problem == "" || s.Crane.OK {
		t.Fatalf("nothing owned: %+v, %v", s.Verdict, err)
	}
	// The carry list's are those that there are, until somebody says others; where they differ, it is said.
	parts := []rig.Part{{Name: "a", Kg: 2.5, Count: 8, People: 1, Is: rig.IsCounterweight},
		{Name: "b", Kg: 10, Count: 6, People: 1, Is: rig.IsCounterweight}, {Name: "c", Kg: 30, Count: 1, People: 2}}
	m.Book.Parts = parts
	if s, _ = r.Sheet(m, load()); s.Crane.Problem != "" || s.Crane.Differs != "" || len(s.Crane.Own) != 2 ||
		s.Crane.Own[0] != (balance.Weights{Kg: 10, Count: 6}) {
		t.Errorf("of the carry list: %+v", s.Crane)
	}
	r.Own = []balance.Weights{{Kg: 10, Count: 5}, {Kg: 2.5, Count: 8}}
	if s, _ = r.Sheet(m, load()); s.Crane.Differs != "The carry list has 6 × 10 kg and 8 × 2.5 kg: put one of the "+
		"two right." {
		t.Errorf("%q", s.Crane.Differs)
	}
	r.Own = []balance.Weights{{Kg: 10, Count: 6}, {Kg: 2.5, Count: 8}}
	m.Book.Parts = append(parts, rig.Part{Name: "head", Kg: 8.7, Count: 1, People: 1, Is: rig.IsHead})
	if s, _ = r.Sheet(m, load()); s.Crane.Differs != "" || !strings.HasPrefix(s.Crane.Problem,
		"Its head weighs 8.7 kg on the carry list and 9 in these sums") || s.Crane.OK || s.Verdict.OK {
		t.Errorf("%+v", s.Crane)
	}
	m.Book.Parts[3].Kg = 8.95
	s, _ = r.Sheet(m, load())
	c := s.Crane
	if c.Problem != "" {
		t.Error(c.Problem)
	}
	// By hand at the arm's longest: 13.13 kg at 1.72 + 1.47 m, the boom 21 + 6 × 1.47: what
	// slides out takes all of its weight along.
	need := (13.13*3.19 + 21 + 6*1.47) / 1.1
	if last := c.Arms[6]; math.Abs(last.ArmM-3.19) > 1e-12 || math.Abs(last.NeededKg-need) > 1e-9 || len(c.AxisMM) !=
		7 || c.AxisMM[0] != 30 {
		t.Errorf("%+v, want %g", last, need)
	}
	if c.OK || c.Says != "Hang 5 × 10 kg and 1 × 2.5 kg at the tail: 52.5 kg." || s.Verdict.OK ||
		!strings.HasPrefix(c.Then, "Then at most 14.0 kg m are left, at 3.19 m of arm: 12.7 kg of pull at the tail") {
		t.Errorf("%+v", c)
	}
	r.Weights = c.OneSet.Chosen
	if s, _ = r.Sheet(m, load()); !s.Crane.OK || !s.Verdict.OK || s.Crane.HungKg != 52.5 ||
		math.Abs(s.Crane.HungLeft[6]-c.OneSet.LeftKgM[6]) > 1e-12 {
		t.Errorf("%+v", s.Crane)
	}
	r.Arms = [2]float64{30, 400} // a move that uses less of the arm wants less
	if s, _ = r.Sheet(m, load()); s.Crane.OK || s.Crane.OneSet.ChosenKg >= 50 {
		t.Errorf("%+v", s.Crane)
	}
	// Not another set than the best of them, though it be near.
	r.Arms = [2]float64{30, 1470}
	for _, near := range []float64{51.25, 55} {
		r.Weights = []balance.Weights{{Kg: near, Count: 1}}
		if s, _ = r.Sheet(m, load()); s.Crane.OK {
			t.Errorf("%g kg: %+v", near, s.Crane)
		}
	}
	r.Arms = [2]float64{30, 400}
	// Where the tail is too heavy it is held at the camera's end, by the arm there.
	r.Own, r.Weights = []balance.Weights{{Kg: 90, Count: 1}}, []balance.Weights{{Kg: 90, Count: 1}}
	if s, _ = r.Sheet(m, load()); s.Crane.OK || s.Verdict.OK || !strings.HasPrefix(s.Crane.Says,
		"No set of these weights comes near") {
		t.Errorf("90 kg where some 43 are needed: %+v", s.Crane)
	}
	r.Own, r.Weights, r.Arms = []balance.Weights{{Kg: 50, Count: 1}}, []balance.Weights{{Kg: 50, Count: 1}},
		[2]float64{740, 750}
	s, _ = r.Sheet(m, load())
	if s.Crane.OneSet.WorstLeftKgM >= 0 || !strings.Contains(s.Crane.Then, "at the tail") {
		t.Errorf("%+v", s.Crane)
	}
	r.Own[0].Kg, r.Weights[0].Kg = 55, 55
	s, _ = r.Sheet(m, load())
	if c := s.Crane; c.OneSet.WorstLeftKgM <= 0 || !strings.Contains(c.Then,
		fmt.Sprintf("%.1f kg of pull at the camera's end", c.OneSet.WorstLeftKgM/c.OneSet.AtArmM)) {
		t.Errorf("%+v", s.Crane)
	}
	// What was not weighed is balanced by nobody.
	if s, _ = r.Sheet(m, balance.Hung{}); s.Crane.OK || s.Verdict.OK || !strings.HasPrefix(s.Crane.Says,
		"Weigh the camera first") {
		t.Errorf("%+v", s.Crane)
	}
	r.Arms, r.Own = [2]float64{30, 400}, []balance.Weights{{Kg: 2.5, Count: 8}}
	if s, _ = r.Sheet(m, load()); !strings.Contains(s.Crane.Says, "do not reach") || s.Verdict.OK {
		t.Errorf("%+v", s.Crane)
	}
}

// An arm's payload is settled when what it was told is what its wrist finds; before, its
// axes are not freed to be guided; others are.
func TestWristSheet(t *testing.T) {
	m := wristed()
	r := balance.Settled{Checks: all}
	at, zero := rig.Vec{0.001, 0.096, 0.054}, rig.Vec{0.2, -0.1, 0.05}
	s, err := r.Sheet(m, load())
	if err != nil || s.Verdict.OK || !strings.Contains(s.Payload.Says, "Read its wrist in three poses") {
		t.Fatalf("%+v, %v", s.Payload, err)
	}
	if why := s.Guidable(m, "tilt"); !strings.HasPrefix(why, "A powered arm is not guided by hand before") {
		t.Errorf("tilt: %q", why)
	}
	for _, free := range []string{"track", "focus"} {
		if why := s.Guidable(m, free); why != "" {
			t.Errorf("%s: %q", free, why)
		}
	}
	// The suggested poses, one after another, tell: gravity turned across each time.
	q := make([]float64, len(m.Axes))
	for n := range 3 {
		next := balance.Suggest(m, r.Felt, q)
		if len(next) != 2 {
			t.Fatalf("next: %v", next)
		}
		for a, v := range next {
			q[m.Index(a)] = v
		}
		rot := balance.Rotation(m.Wrist(q))
		r.Felt = append(r.Felt, balance.Felt{WristPose: felt(rot, 4.13, at, zero, zero)})
		if s, err = r.Sheet(m, load()); err != nil || (s.Payload.Found != nil) != (n == 2) ||
			(s.Payload.Problem == "") != (n == 2) {
			t.Fatalf("after %d: %+v, %v", n+1, s.Payload, err)
		}
	}
	if p := s.Payload; math.Abs(p.Found.MassKg-4.13) > 1e-8 || off(p.Found.Centre, at) > 1e-8 ||
		p.Says != "Found 4.13 kg. Tell Wren." || *p.OffMM > 0.1 || s.Verdict.OK {
		t.Errorf("%+v", p)
	}
	for says, told := range map[string]balance.Told{"Wren knows what it carries: 4.10 kg.": {MassKg: 4.1, Centre: at},
		"Wren was told 5.00 kg and carries 4.13, its centre 0 mm": {MassKg: 5, Centre: at},
		"Wren was told 4.13 kg and carries 4.13, its centre 20 mm": {MassKg: 4.13,
			Centre: rig.Vec{0.001, 0.116, 0.054}}} {
		r.Told = &told
		s, _ := r.Sheet(m, load())
		if ok := strings.Contains(says, "knows"); !strings.HasPrefix(s.Payload.Says, says) || s.Payload.OK != ok ||
			s.Verdict.OK != ok || (s.Guidable(m, "roll") == "") != ok {
			t.Errorf("%+v, %+v", s.Payload, s.Verdict)
		}
		if told.MassKg == 5 && !strings.Contains(s.Payload.Guided, "It would rise: it holds up 0.87 kg more") {
			t.Errorf("%q", s.Payload.Guided)
		}
	}
	// What it feels counts against its rating where that is a little more than the scale said.
	rated := *m.Book
	rated.PayloadKg = map[rig.Mounting]float64{rig.Level: 4.15 * 1.01}
	heavy := *m
	heavy.Book = &rated
	r.Told = &balance.Told{MassKg: 4.1, Centre: at}
	if s, _ = r.Sheet(&heavy, load()); !s.Verdict.OK {
		t.Errorf("4.13 of 4.19 kg: %+v", s.Verdict)
	}
	felts := append([]balance.Felt(nil), r.Felt...)
	more := balance.Settled{Checks: all, Told: &balance.Told{MassKg: 4.17, Centre: at}}
	for _, f := range felts {
		more.Felt = append(more.Felt, balance.Felt{WristPose: felt(f.Rotation, 4.17, at, zero, zero)})
	}
	if s, _ = more.Sheet(m, load()); !s.Verdict.OK {
		t.Errorf("4.17 kg felt and told: %+v", s.Verdict)
	}
	if s, _ = more.Sheet(&heavy, load()); s.Verdict.OK || !strings.Contains(s.Verdict.Says,
		"This may be too heavy: 4.17 kg") {
		t.Errorf("4.17 of 4.19 kg felt: %+v", s.Verdict)
	}
	r.Felt, r.Checks.Line = nil, false
	r.Told = &balance.Told{MassKg: 4.1, Centre: at}
	if s, _ = r.Sheet(m, load()); s.Verdict.OK || !strings.Contains(s.Verdict.Says, "Put the safety line on.") ||
		!s.Payload.OK {
		t.Errorf("%+v", s.Verdict)
	}
	// A wrist that feels torques only wants the weighed package.
	for i := range felts {
		felts[i].ForceN = nil
	}
	r.Felt, r.Told = felts, nil
	if s, _ = r.Sheet(m, load()); s.Payload.Found == nil || math.Abs(s.Payload.Found.MassKg-4.13) > 1e-12 ||
		off(s.Payload.Found.Centre, at) > 1e-8 {
		t.Errorf("torques and a scale: %+v", s.Payload)
	}
	if s, _ = r.Sheet(m, balance.Hung{}); s.Payload.Found != nil || !strings.Contains(s.Payload.Problem,
		"torques alone do not tell how heavy") {
		t.Errorf("torques alone: %+v", s.Payload)
	}
	// No gear of an arm is freed for this; what else is missing is said all the same.
	for says, c := range map[string]balance.Checks{"Say that all": {Tight: true, Line: true, PinsOut: true},
		"Tighten plate": {AllOn: true, Line: true, PinsOut: true}, "Put the safety": {AllOn: true, Tight: true,
			PinsOut: true}, "Pull the pins": {AllOn: true, Tight: true, Line: true}, "": {AllOn: true, Tight: true,
			Line: true, PinsOut: true}} {
		r := balance.Settled{Checks: c, Told: &balance.Told{MassKg: 4.1, Centre: at}}
		if s, _ := r.Sheet(m, load()); s.Verdict.OK != (says == "") || !strings.Contains(s.Verdict.Says, says) {
			t.Errorf("%+v: %+v", c, s.Verdict)
		}
	}
	if next := balance.Suggest(bench(), nil, make([]float64, 9)); next != nil {
		t.Errorf("Plank has no wrist: %v", next)
	}
}

func TestSwap(t *testing.T) {
	a, b := &balance.Settled{SlideMM: 44, RiseMM: 16}, &balance.Settled{SlideMM: 29.5, RiseMM: 16, ByMargin: true}
	got := strings.Join(balance.Swap(a, b, "85 mm", false), " ")
	if got != "Turn the slide from 44 to 29.5 mm. The rise stays at 16 mm. 85 mm was accepted by its motor's margin, "+
		"not balanced." {
		t.Error(got)
	}
	never := *b
	never.ByMargin = false
	for rests, want := range map[bool]bool{false: true, true: false} {
		got := strings.Join(balance.Swap(a, &never, "85 mm", rests), " ")
		if strings.Contains(got, "85 mm was never seen to rest there") != want {
			t.Errorf("rests %v: %q", rests, got)
		}
	}
	if got := strings.Join(balance.Swap(nil, b, "85 mm", false), " "); !strings.HasPrefix(got,
		"Set the slide to 29.5 mm.") {
		t.Error(got)
	}
	if got := strings.Join(balance.Swap(a, nil, "85 mm", false), " "); !strings.HasPrefix(got,
		"No balance is kept for 85 mm") {
		t.Error(got)
	}
}

// What was seen of one load says nothing of another; a name is no load.
func TestAnotherLoad(t *testing.T) {
	l, whole, creep := load(), 4.2, 0.3
	r := &balance.Settled{CreepDegH: &creep, SlideMM: 44, RiseMM: 16, Seen: rests(44, 16), Checks: all, ByMargin: true,
		Load: &l, Told: &balance.Told{MassKg: 4.1}}
	same := load()
	same.Pieces[0].Name = "another name"
	same.FrontM = 0.3
	if r.For(same) != r || (&balance.Settled{Seen: rests(1, 1)}).For(same).Seen == nil {
		t.Error("what is the same is not")
	}
	for name, change := range map[string]func(l *balance.Hung){
		"heavier": func(l *balance.Hung) { l.Pieces[1].MassKg++ }, "moved": func(l *balance.Hung) {
			l.Pieces[1].At[1] += 0.01
		},
		"one more": func(l *balance.Hung) {
			l.Pieces = append(l.Pieces, l.Pieces[0])
		}, "weighed": func(l *balance.Hung) { l.WholeKg = &whole },
	} {
		other := load()
		change(&other)
		n := r.For(other)
		if len(n.Seen) != 0 || n.Checks != (balance.Checks{}) || n.ByMargin || n.Told != nil || n.CreepDegH != nil ||
			n.SlideMM != 44 || len(r.Seen) != 15 {
			t.Errorf("%s: %+v", name, n)
		}
		if s, err := n.Sheet(bench(), other); err != nil || s.Verdict.OK {
			t.Errorf("%s: %+v, %v", name, s.Verdict, err)
		}
	}
}
