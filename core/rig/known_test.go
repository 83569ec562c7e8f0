package rig_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

func begun(t *testing.T, kind string, given map[string]float64) *rig.Rig {
	t.Helper()
	r, err := rig.Begin(kind, "mine", "Mine", given)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// What each starting sheet makes, axis by axis: hard ends, limits that reach full speed in
// half a second and that in a tenth, a hundredth of the range kept as room at either end.
func TestStartedAxes(t *testing.T) {
	for kind, axes := range map[string]string{
		"slider":          "track 0 900",
		"head":            "pan -180 180 tilt -70 60",
		"slider and head": "track 0 900 pan -180 180 tilt -70 60 roll -45 45",
		"crane":           "swing -170 170 boom -25 50 pan -180 180 tilt -70 60",
		"arm": "turn -170 170 shoulder -60 100 elbow -120 120 forearm -180 180 wrist -115 115 " +
			"hand -180 180",
		"turner": "turn -360 360",
	} {
		given := map[string]float64{"travel_mm": 900}
		if kind == "slider and head" {
			given["roll"] = 1
		}
		var known []string
		for _, s := range rig.Starts() {
			if s.Kind != kind {
				continue
			}
			for k := range given {
				ok := false
				for _, a := range s.Asks {
					ok = ok || a.Field == k
				}
				if !ok {
					delete(given, k)
				}
			}
		}
		r := begun(t, kind, given)
		for i, a := range r.Axes {
			known = append(known, fmt.Sprintf("%s %g %g", a.ID, a.Hard[0], a.Hard[1]))
			room := (a.Hard[1] - a.Hard[0]) / 100
			w := a.Working.Speed
			if math.Abs(a.Min-a.Hard[0]-room) > 1e-9 || math.Abs(a.Hard[1]-a.Max-room) > 1e-9 ||
				a.Working != (rig.Limits{Speed: w, Acceleration: 2 * w, Jerk: 20 * w}) ||
				a.Rated != (rig.Limits{Speed: 1.25 * w, Acceleration: 3 * w, Jerk: 40 * w}) {
				t.Errorf("%s %s: %+v", kind, a.ID, a)
			}
			slack := 0.02
			if a.Unit == rig.MM {
				slack = 0.1
			}
			if a.Wire != fmt.Sprintf("bus A · %d", i+1) || a.Backlash != slack || kind == "arm" && a.Feedback !=
				rig.SeesMotor {
				t.Errorf("%s %s: %+v", kind, a.ID, a)
			}
		}
		if got := strings.Join(known, " "); got != axes {
			t.Errorf("%s: %s, want %s", kind, got, axes)
		}
	}
	// A screw instead of a belt, and gears to the thousandth.
	r := begun(t, "slider and head", map[string]float64{"teeth": 0, "pitch_mm": 5, "pan_gear": 12.3456, "tilt_gear": 7})
	if d := r.Axes[0].Drive; d.LeadUM != 5000 || d.Teeth != 0 || r.Axes[1].Drive.Gear !=
		(rig.Ratio{Num: 12346, Den: 1000}) {
		t.Errorf("%+v, %+v", d, r.Axes[1].Drive)
	}
	if d := begun(t, "slider", map[string]float64{"teeth": 16, "pitch_mm": 3}).Axes[0].Drive; d.LeadUM != 0 ||
		d.Teeth != 16 || d.PitchUM != 3000 {
		t.Errorf("%+v", d)
	}
}

// Where their cameras are, by hand.
func TestStartedPoses(t *testing.T) {
	at := func(r *rig.Rig, values map[string]float64, want rig.Vec) {
		t.Helper()
		q := make([]float64, len(r.Axes))
		for i, a := range r.Axes {
			q[i] = values[a.ID]
		}
		p := r.Forward(q).At
		for k := range p {
			if math.Abs(p[k]-want[k]) > 1e-9 {
				t.Errorf("%v: %v, want %v", values, p, want)
				return
			}
		}
	}
	s, c := math.Sincos(math.Pi / 6)
	crane := begun(t, "crane", map[string]float64{"column_m": 1.3, "boom_m": 3, "tilt_up_m": 0.2})
	at(crane, map[string]float64{"swing": 90, "boom": 30}, rig.Vec{3 * c, 0, 1.3 + 3*s + 0.08 + 0.2})
	at(crane, map[string]float64{"boom": -25, "pan": 100, "tilt": 30}, rig.Vec{0, 3 * math.Cos(25*math.Pi/180),
		1.3 - 3*math.Sin(25*math.Pi/180) + 0.28})
	if crane.ClearM != 4 {
		t.Errorf("clear %g", crane.ClearM)
	}
	arm := begun(t, "arm", map[string]float64{"shoulder_m": 0.4, "upper_m": 0.7, "fore_m": 0.5, "hand_m": 0.2})
	at(arm, nil, rig.Vec{0, 0.5 + 0.2, 0.4 + 0.7})
	at(arm, map[string]float64{"turn": 90, "wrist": 90}, rig.Vec{0.5, 0, 0.4 + 0.7 + 0.2})
	at(arm, map[string]float64{"shoulder": 90}, rig.Vec{0, 0.7, 0.4 - 0.7})
	if arm.ClearM != 0.7+0.5+1 {
		t.Errorf("clear %g", arm.ClearM)
	}
	at(begun(t, "head", map[string]float64{"height_m": 1.1, "tilt_up_m": 0.15}),
		map[string]float64{"pan": 30, "tilt": 20}, rig.Vec{0, 0, 1.1 + 0.08 + 0.15})
	at(begun(t, "slider", map[string]float64{"height_m": 0.6}), map[string]float64{"track": 250}, rig.Vec{0.25, 0, 0.7})
}

// What an axis alone makes of the camera's speed, at the pose where that is most.
func TestFastest(t *testing.T) {
	says := func(r *rig.Rig, mps float64, want string) {
		t.Helper()
		a := r.Can(rig.Wish{SpeedMPS: &mps})
		if len(a) != 1 || !strings.Contains(a[0].Says, want) || a[0].Word != "yes" {
			t.Errorf("%+v, want %s", a, want)
		}
		more := mps * 1.01
		if a := r.Can(rig.Wish{SpeedMPS: &more}); a[0].Word != "no" {
			t.Errorf("a hundredth more: %+v", a)
		}
	}
	crane := begun(t, "crane", map[string]float64{"boom_m": 3, "boom_speed": 10})
	says(crane, 3*10*math.Pi/180*0.9999, "alone moves the camera at 0.52 m/s")
	says(begun(t, "slider", map[string]float64{"track_speed": 240}), 0.24, "Track alone moves the camera at 0.24 m/s")
	arm := begun(t, "arm", map[string]float64{"shoulder_m": 0.4, "upper_m": 0.7, "fore_m": 0.5, "hand_m": 0.2,
		"arm_speed": 30})
	says(arm, 1.4*30*math.Pi/180*0.999, "moves the camera at 0.73 m/s")
}

// Each limit to its edge: what is just borne is a yes, a little more a no.
func TestCanToTheEdge(t *testing.T) {
	r := fixture.Slider()
	r.Book = &rig.Book{PayloadKg: map[rig.Mounting]float64{rig.Level: 9, rig.Sloped: 7}, QuietShare: ptr(0.0),
		BelowTiltM: 0.2, RollRingM: 0.2}
	e := r.Extent()
	for name, c := range map[string]struct {
		wish func(v float64) rig.Wish
		edge float64
		less bool // less is harder
	}{
		"low":     {func(v float64) rig.Wish { return rig.Wish{LowM: &v} }, e.LowM, true},
		"high":    {func(v float64) rig.Wish { return rig.Wish{HighM: &v} }, e.HighM, false},
		"reach":   {func(v float64) rig.Wish { return rig.Wish{ReachM: &v} }, e.ReachM, false},
		"travel":  {func(v float64) rig.Wish { return rig.Wish{TravelM: &v} }, 1.46, false},
		"level":   {func(v float64) rig.Wish { return rig.Wish{PayloadKg: &v} }, 9, false},
		"sloped":  {func(v float64) rig.Wish { return rig.Wish{PayloadKg: &v, Mounting: rig.Sloped} }, 7, false},
		"pan":     {func(v float64) rig.Wish { return rig.Wish{PanDPS: &v} }, 30, false},
		"roll":    {func(v float64) rig.Wish { return rig.Wish{RollDeg: &v} }, 40, false},
		"tilt":    {func(v float64) rig.Wish { return rig.Wish{TiltDeg: &v} }, 60, false},
		"body":    {func(v float64) rig.Wish { return rig.Wish{BodyM: &v} }, 0.2, false},
		"ahead":   {func(v float64) rig.Wish { return rig.Wish{FrontM: &v} }, edge(0.06, 0.2), false},
		"ahead 2": {func(v float64) rig.Wish { return rig.Wish{FrontM: &v, BodyM: ptr(0.18)} }, edge(0.09, 0.2), false},
	} {
		step := 1e-6
		if c.less {
			step = -step
		}
		word := func(v float64) string {
			a := r.Can(c.wish(v))
			return a[len(a)-1].Word
		}
		if in, out := word(c.edge*(1-step)), word(c.edge*(1+2*step)); in != "yes" || out != "no" {
			t.Errorf("%s: %s just inside %g, %s just outside", name, in, c.edge, out)
		}
	}
	// Never heard is not hardly heard; a ring that sees nothing does not spoil a repeat.
	if a := r.Can(rig.Wish{Sound: true}); a[0].Word != "no" {
		t.Errorf("%+v", a)
	}
	for i := range r.Axes {
		r.Axes[i].Feedback = rig.SeesOutput
		if r.Axes[i].Kind == rig.Focus {
			r.Axes[i].Feedback = rig.SeesNothing
		}
	}
	if a := r.Can(rig.Wish{Repeats: true}); a[0].Says != "It does, and at other speeds within its limits." {
		t.Errorf("%+v", a)
	}
	for _, id := range []string{"track", "pan"} {
		i := r.Index(id)
		r.Axes[i].Feedback = rig.SeesNothing
		if a := r.Can(rig.Wish{Repeats: true}); a[0].Word != "yes" || !strings.Contains(a[0].Says,
			"nothing sees "+r.Axes[i].Name) {
			t.Errorf("%+v", a)
		}
		r.Axes[i].Feedback = rig.SeesOutput
	}
	// Several that slip back are all named.
	d := func(slips bool) *rig.Drive {
		return &rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1}, SlipsBack: slips}
	}
	r.Axes[1].Drive, r.Axes[2].Drive = d(true), d(true)
	if a := r.Can(rig.Wish{HoldsOff: true}); a[0].Word != "no" || !strings.HasPrefix(a[0].Says,
		"Pan, Tilt slips back") {
		t.Errorf("%+v", a)
	}
	r.Axes[1].Drive.HoldingNM = 3 // at rest; powered
	if a := r.Can(rig.Wish{HoldsOff: true}); a[0].Word != "no" || !strings.HasPrefix(a[0].Says,
		"Pan, Tilt slips back") {
		t.Errorf("%+v", a)
	}
	// Of those that are not described nobody can say.
	r.Axes[1].Drive, r.Axes[2].Drive = d(false), d(false)
	if a := r.Can(rig.Wish{HoldsOff: true}); a[0].Word != "cannot say" || !strings.Contains(a[0].Says,
		"The drive of Track, Roll, Focus is not described") {
		t.Errorf("%+v", a)
	}
	for i := range r.Axes {
		r.Axes[i].Drive = d(false)
	}
	if a := r.Can(rig.Wish{HoldsOff: true}); a[0].Word != "yes" {
		t.Errorf("%+v", a)
	}
}

// edge is how far ahead a lens may reach that clears what lies below at 60° down.
func edge(under, below float64) float64 {
	s, c := math.Sincos(math.Pi / 3)
	return (below - under*c) / s
}

// A column on a turntable: what swings it out turns about the lower one, wherever the
// upper one stands.
func TestReachFromTheLowestColumn(t *testing.T) {
	r := begun(t, "crane", map[string]float64{"boom_m": 2, "column_m": 1})
	table := rig.Joint{Name: "table", Kind: rig.Revolute, Direction: rig.Vec{0, 0, -1}, Axis: "pan"}
	out := rig.Joint{Name: "out", Parent: "table", Kind: rig.Fixed, Offset: rig.Vec{0.5, 0, 0}}
	r.Joints[0].Parent = "out"
	r.Joints = append([]rig.Joint{table, out}, r.Joints...)
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	if e := r.Extent(); math.Abs(e.ReachM-2.5) > 0.01 {
		t.Errorf("%+v", e)
	}
}

// The pan values that look along a rail which runs askew; half a turn further where that
// is within a turn.
func TestAlongAskewRail(t *testing.T) {
	r := fixture.Slider()
	for dir, want := range map[rig.Vec][2]float64{{0.6, 0.8, 0}: {36.86989764584402, -143.13010235415598},
		{-0.6, -0.8, 0}: {-143.13010235415598, 36.86989764584402}, {0, 1, 0}: {0, 180}} {
		r.Joints[0].Direction = dir
		got := r.AlongRail(r.Index("pan"))
		if len(got) != 2 || math.Abs(got[0]-want[0]) > 1e-9 || math.Abs(got[1]-want[1]) > 1e-9 {
			t.Errorf("%v: %v, want %v", dir, got, want)
		}
	}
	if got := r.AlongRail(r.Index("tilt")); got != nil {
		t.Errorf("tilt: %v", got)
	}
}

// Every telling ratio names its cause with the drive that would be right, so that what it
// makes of the same steps is what was measured.
func TestSuspectsMakeItRight(t *testing.T) {
	for _, d := range []*rig.Drive{
		{MotorSteps: 200, Microsteps: 8, Gear: rig.Ratio{Num: 7, Den: 2}, Teeth: 20, PitchUM: 2000},
		{MotorSteps: 400, Microsteps: 16, Gear: rig.Ratio{Num: 1, Den: 1}, LeadUM: 4000},
		{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1}},
	} {
		u := rig.MM
		if d.Teeth == 0 && d.LeadUM == 0 {
			u = rig.Deg
		}
		was, err := d.Steps(u)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range []float64{2, 0.5, 4, 0.25, 3.5, 1 / 3.5, 18, 1.0 / 18, 20.0 / 24, 20.0 / 16, 2.0 / 3, 2.0 / 5,
			0.8, -1, -2, 25.4, 180 / math.Pi} {
			list := d.Suspects(r)
			if len(list) == 0 && math.Abs(r) == 2 {
				t.Errorf("%+v: nothing is told by %g", d, r)
			}
			for _, x := range list {
				if r > 0 && (x.Off > 0.005 || math.Abs(r/x.Ratio-1) > 0.0051) {
					t.Errorf("%+v at %g: %+v", d, r, x)
				}
				if x.Drive == nil {
					continue
				}
				now, err := x.Drive.Steps(u)
				if err != nil {
					continue // no drive is made like that
				}
				if got := float64(now.Num) / float64(now.Den) / (float64(was.Num) / float64(was.Den)); math.Abs(
					got/x.Ratio-1) > 1e-9 {
					t.Errorf("%+v at %g: “%s” makes %g, says %g", d, r, x.Says, got, x.Ratio)
				}
			}
		}
	}
}
