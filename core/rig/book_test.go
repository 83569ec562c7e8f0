package rig_test

import (
	"encoding/json"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// Steps per unit by hand.

// A stated gearing that disagrees by a telling ratio is named; what only disagrees is not.

// Measured and corrected, a drive of any true scale is right afterwards.

// What a measured travel says, and what is kept of it: also on top of an earlier one.

func TestTiltRoom(t *testing.T) {
	for _, c := range []struct{ front, under, below, want float64 }{
		{0.3, 0, 0.15, 30}, {0.1, 0.05, 0.2, 90}, {0.3, 0.2, 0.2, 0}, {0.3, 0.1, 0.3, 53.130102354155966}, {0.2,
			0, 0.2, 90},
	} {
		got := rig.TiltRoom(c.front, c.under, c.below)
		if math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%v: %g", c, got)
		}
		if s, co := math.Sincos(got * math.Pi / 180); got > 0 && got < 90 &&
			math.Abs(c.front*s+c.under*co-c.below) > 1e-12 {
			t.Errorf("%v: at %g° it is %g deep", c, got, c.front*s+c.under*co)
		}
	}
}

func ptr[T any](v T) *T { return &v }

// The camera's extent by hand, and every wish with what limits it.

func TestCan(t *testing.T) {
	r := fixture.Slider()
	e := r.Extent()
	// 0.67 m high, 10 mm behind the axes: the tilt's ends and its level lift it.
	low, high := 0.67-0.01*math.Sin(45*math.Pi/180), 0.67+0.01*math.Sin(60*math.Pi/180)
	s, err := rig.Begin("slider", "mine", "Mine", nil)
	if err != nil {
		t.Fatal(err)
	}
	if a := s.Can(rig.Wish{ReachM: ptr(0.1)}); len(a) != 1 || a[0].Word != "no" || !strings.Contains(a[0].Says,
		"Nothing swings") || s.Extent().ReachM != 0 {
		t.Errorf("%+v", a)
	}
	if math.Abs(e.LowM-low) > 1e-5 || math.Abs(e.HighM-high) > 1e-5 || math.Abs(e.TravelM-1.46) > 1e-12 ||
		math.Abs(e.ReachM-0.01) > 1e-6 {
		t.Errorf("%+v, want %g to %g", e, low, high)
	}
	r.Book = &rig.Book{PayloadKg: map[rig.Mounting]float64{rig.Level: 9}, QuietShare: ptr(0.4), BelowTiltM: 0.1,
		RollRingM: 0.2}
	r.Axes[2].Drive = &rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1}, SlipsBack: true}
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	answers := func(w rig.Wish) map[string]string {
		out := map[string]string{}
		for _, a := range r.Can(w) {
			out[a.Wish] = a.Word + ": " + a.Says
		}
		return out
	}
	got := answers(rig.Wish{LowM: ptr(0.6), HighM: ptr(0.67), ReachM: ptr(0.5), TravelM: ptr(1.46), PayloadKg: ptr(9.0),
		SpeedMPS: ptr(0.3), PanDPS: ptr(31.0), RollDeg: ptr(40.0), TiltDeg: ptr(61.0),
		FrontM: ptr(0.3), BodyM: ptr(0.12), Sound: true, HoldsOff: true, Repeats: true})
	for wish, want := range map[string]string{"down to": "no: The camera comes down to 0.66", "up to": "yes",
		"reach": "no: It reaches 0.01", "travel": "yes", "payload": "yes: It is rated for 9 kg when level",
		"speed": "yes: Track alone", "pan": "no: Pan turns at 30", "roll": "yes: Roll turns 40",
		"tilt": "no: Tilt goes down to -60", "length": "no: 0.30 m before", "body": "yes: The roll ring",
		"sound": "yes: Up to 40 %", "power off": "no: Tilt slips back", "repeats": "yes"} {
		if !strings.HasPrefix(got[wish], want) {
			t.Errorf("%s: %q, want %q", wish, got[wish], want)
		}
	}
	if len(got) != 14 {
		t.Errorf("%d answers: %v", len(got), got)
	}
	if a := answers(rig.Wish{PayloadKg: ptr(1.0), Mounting: rig.UpsideDown}); !strings.HasPrefix(a["payload"],
		"cannot say") {
		t.Errorf("%v", a)
	}
	if a := r.Can(rig.Wish{}); len(a) != 0 {
		t.Errorf("nothing asked: %v", a)
	}
	r.Book = nil
	for wish, a := range answers(rig.Wish{PayloadKg: ptr(1.0), Sound: true, FrontM: ptr(0.3), BodyM: ptr(0.1)}) {
		if !strings.HasPrefix(a, "cannot say") {
			t.Errorf("without a book: %s %s", wish, a)
		}
	}
	if a := stand().Can(rig.Wish{LowM: ptr(0.3), PanDPS: ptr(1.0), TravelM: ptr(1.0), RollDeg: ptr(1.0),
		TiltDeg: ptr(1.0), SpeedMPS: ptr(1.0), HoldsOff: true}); len(a) != 7 {
		t.Errorf("without a camera: %v", a)
	} else {
		for range 20 { // in the same order each time
			if b := stand().Can(rig.Wish{LowM: ptr(0.3), HighM: ptr(2.0), ReachM: ptr(1.0)}); b[0].Wish != "height" ||
				b[1].Wish != "top" || b[2].Wish != "reach" {
				t.Fatalf("in the order %v", b)
			}
		}
		for _, x := range a {
			if x.Word != "no" && x.Wish != "power off" {
				t.Errorf("without a camera: %+v", x)
			}
		}
	}
}

// Through a periscope that looks from 0.4 m lower and 0.3 ahead, sideways: it comes down by
// as much and reaches further; what pans and tilts is the camera, not the picture.
func TestCanThroughALens(t *testing.T) {
	r, err := rig.Begin("arm", "mine", "Mine", map[string]float64{"shoulder_m": 0.9, "upper_m": 0.6, "fore_m": 0.6})
	if err != nil {
		t.Fatal(err)
	}
	// The arm bends where it likes: its lens may point up or down as suits.
	p := r.Through(rig.Vec{0, 0.3, 0}, 90, 0)
	was, now := r.Extent(), p.Extent()
	if math.Abs(now.ReachM-was.ReachM-0.3) > 0.01 || math.Abs(now.HighM-was.HighM-0.3) > 0.02 {
		t.Errorf("without %+v, through it %+v", was, now)
	}
	asks := rig.Wish{PanDPS: ptr(1.0), TiltDeg: ptr(1.0), RollDeg: ptr(1.0)}
	if got, want := p.Can(asks), r.Can(asks); !reflect.DeepEqual(got, want) {
		t.Errorf("through it %v, without %v", got, want)
	}
	// A slider's comes down by what it is displaced, where the camera is level.
	s := fixture.Slider()
	if got, want := s.Through(rig.Vec{0, 0, -0.4}, 0, 0).Extent().LowM, s.Extent().LowM-0.4; math.Abs(got-want) > 0.02 {
		t.Errorf("%g, want %g", got, want)
	}
	if a := s.Through(rig.Vec{0, 0, -0.4}, 0, 0).Can(rig.Wish{LowM: ptr(s.Extent().LowM - 0.39)}); len(a) != 1 ||
		a[0].Word != "yes" {
		t.Errorf("%v", a)
	}
}

// An arm that could reach under the floor does not: it comes down to it.

func TestTheFloorIsTheLowest(t *testing.T) {
	r, err := rig.Begin("arm", "mine", "Mine", map[string]float64{"shoulder_m": 0.2, "upper_m": 0.6, "fore_m": 0.6})
	if err != nil {
		t.Fatal(err)
	}
	if e := r.Extent(); e.LowM != 0 || e.HighM < 1.2 {
		t.Errorf("%+v", e)
	}
}

// What a change does to moves that were made before it.

func TestChanges(t *testing.T) {
	a := fixture.Slider()
	for name, c := range map[string]struct {
		change func(*rig.Rig)
		want   string
		voids  bool
	}{
		"nothing": {func(*rig.Rig) {}, "", false},
		"scale": {func(r *rig.Rig) { r.Axes[0].StepsPerUnit = rig.Ratio{Num: 50, Den: 1} },
			"Track makes 50 steps per mm, not 25", true},
		"same scale": {func(r *rig.Rig) { r.Axes[0].StepsPerUnit = rig.Ratio{Num: 50, Den: 2} }, "", false},
		"range":      {func(r *rig.Rig) { r.Axes[0].Max = 1400 }, "Track goes from 20 to 1400", false},
		"limits":     {func(r *rig.Rig) { r.Axes[1].Working.Speed = 20 }, "Pan works up to 20", false},
		"homing":     {func(r *rig.Rig) { r.Axes[1].Home = rig.ByHand }, "Pan is homed by by hand", false},
		"slack":      {func(r *rig.Rig) { r.Axes[1].Backlash = 1 }, "Pan has 1 ° of slack", false},
		"gone":       {func(r *rig.Rig) { r.Axes[4].ID = "lens" }, "Focus is gone", true},
		"joints":     {func(r *rig.Rig) { r.Joints[0].Offset[2] += 0.1 }, "joints that carry the camera", true},
		"lag":        {func(r *rig.Rig) { r.LagMS = 3 }, "follow 3 ms late", false},
		"book":       {func(r *rig.Rig) { r.Book = &rig.Book{BelowTiltM: 1} }, "What the book says", false},
		"unit":       {func(r *rig.Rig) { r.Axes[1].Unit = rig.MM }, "is planned in mm", true},
	} {
		b := fixture.Slider()
		b.Joints = append([]rig.Joint(nil), b.Joints...)
		c.change(b)
		got := rig.Changes(a, b)
		if (c.want == "") != (len(got) == 0) || c.want != "" && !strings.Contains(got[0].Says, c.want) ||
			slices.ContainsFunc(got, func(c rig.Change) bool { return c.Voids }) != c.voids {
			t.Errorf("%s: %+v", name, got)
		}
	}
}

// Every starting sheet makes a machine that holds together, with what is usual and with

// the ends of everything that it asks, and goes through JSON unchanged.

func TestBegin(t *testing.T) {
	for _, s := range rig.Starts() {
		for name, pick := range map[string]func(rig.Ask) float64{"usual": func(a rig.Ask) float64 { return a.Usual },
			"least": func(a rig.Ask) float64 { return a.Least }, "most": func(a rig.Ask) float64 { return a.Most }} {
			given := map[string]float64{}
			for _, a := range s.Asks {
				given[a.Field] = pick(a)
			}
			r, err := rig.Begin(s.Kind, "mine", "Mine", given)
			if err != nil {
				t.Errorf("%s, %s: %v", s.Kind, name, err)
				continue
			}
			raw, err := json.Marshal(r)
			if err != nil {
				t.Fatal(err)
			}
			if back, err := rig.Read(raw); err != nil || len(rig.Changes(r, back)) > 0 {
				t.Errorf("%s: %v", s.Kind, err)
			}
		}
		if _, err := rig.Begin(s.Kind, "mine", "Mine", map[string]float64{"wings": 2}); err == nil ||
			!strings.Contains(err.Error(), "does not ask for that") {
			t.Errorf("%s: %v", s.Kind, err)
		}
		if _, err := rig.Begin(s.Kind, "mine", "Mine", map[string]float64{s.Asks[0].Field: math.NaN()}); err == nil {
			t.Errorf("%s: not a number is accepted", s.Kind)
		}
	}
	if _, err := rig.Begin("zeppelin", "z", "Z", nil); err == nil {
		t.Error("a zeppelin")
	}
	// A slider of 800 mm on a screw, by hand.
	r, err := rig.Begin("slider", "mine", "Mine", map[string]float64{"travel_mm": 800, "teeth": 0, "pitch_mm": 8,
		"microsteps": 4})
	if err != nil || r.Axes[0].StepsPerUnit != (rig.Ratio{Num: 100, Den: 1}) || r.Axes[0].Hard != [2]float64{0, 800} ||
		r.Axes[0].Min != 8 {
		t.Errorf("%+v, %v", r, err)
	}
	// A crane's camera goes round its column at the boom's length.
	c, err := rig.Begin("crane", "mine", "Mine", map[string]float64{"boom_m": 3, "column_m": 1.5})
	if err != nil {
		t.Fatal(err)
	}
	if e := c.Extent(); math.Abs(e.ReachM-3) > 0.01 || e.HighM < 1.5+3*math.Sin(49*math.Pi/180) {
		t.Errorf("%+v", e)
	}
}

// The book adds up, and what is wrong in it is named.

func TestBook(t *testing.T) {
	r := fixture.Slider()
	r.Book = &rig.Book{Parts: []rig.Part{{Name: "rail", Kg: 7, Count: 2, People: 1, Vehicle: "van"},
		{Name: "base", Kg: 96, Count: 1, People: 3, Vehicle: "truck"}, {Name: "weights", Kg: 20, Count: 6, People: 1}},
		Cables: []rig.Cable{{Name: "loom", Axis: "track", LoopM: 1.5}, {Name: "video", Axis: "pan", LoopM: 0.7,
			RadiusM: 0.1}}}
	c := r.Book.Carry()
	if c.Kg != 230 || c.Lifts != 9 || c.People != 3 || len(c.Vehicles) != 3 || c.Vehicles[0].Vehicle !=
		"not assigned" || c.Vehicles[2].Kg != 14 || len(c.Heavy) != 1 || !strings.HasPrefix(c.Heavy[0],
		"base: 32 kg each") {
		t.Errorf("%+v", c)
	}
	l := r.Loops()
	if len(l) != 2 || l[0].OK || math.Abs(l[0].NeedM-1.52) > 1e-12 || !l[1].OK ||
		math.Abs(l[1].NeedM-0.1*356*math.Pi/180) > 1e-12 || math.Abs(l[1].Turns-356.0/360) > 1e-12 {
		t.Errorf("%+v", l)
	}
	if w, ch := rig.WireOf(&r.Axes[0]); w != "bus A" || ch != "1" {
		t.Errorf("%q %q", w, ch)
	}
	var none *rig.Book
	if c := none.Carry(); c.Kg != 0 {
		t.Errorf("%+v", c)
	}
	for want, b := range map[string]rig.Book{
		"payload":                 {PayloadKg: map[rig.Mounting]float64{"sideways": 3}},
		"payload -1":              {PayloadKg: map[rig.Mounting]float64{rig.Level: -1}},
		"quiet_share 2":           {QuietShare: ptr(2.0)},
		"below_tilt_m -1":         {BelowTiltM: -1},
		"no axis \"boom\"":        {Poses: map[string]map[string]float64{"home": {"boom": 1}}},
		"beyond its hard ends":    {Poses: map[string]map[string]float64{"home": {"pan": 179}}},
		"lock pin p":              {LockPins: []rig.Pin{{Name: "p", Axis: "boom"}}},
		"part x: 0 of 3 kg":       {Parts: []rig.Part{{Name: "x", Kg: 3, People: 1}}},
		"wire \"a\"":              {Wires: []rig.Wire{{Name: "a"}, {Name: "a"}}},
		"cable c on \"boom\"":     {Cables: []rig.Cable{{Name: "c", Axis: "boom"}}},
		"cable d on \"pan\": a l": {Cables: []rig.Cable{{Name: "d", Axis: "pan", LoopM: -1}}},
	} {
		r.Book = &b
		if err := r.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
}

// What a rig sheet costs that says how far a machine reaches.

func BenchmarkExtent(b *testing.B) {
	for _, kind := range []string{"slider and head", "crane", "arm"} {
		r, err := rig.Begin(kind, "mine", "Mine", nil)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(kind, func(b *testing.B) {
			for b.Loop() {
				r.Extent()
			}
		})
	}
}

// Both sides of every bound of the book.

func TestBookBounds(t *testing.T) {
	part := func(kg float64, count, people int) rig.Book {
		return rig.Book{Parts: []rig.Part{{Name: "x", Kg: kg, Count: count, People: people}}}
	}
	wire := func(name string, cable, run float64) rig.Book {
		return rig.Book{Wires: []rig.Wire{{Name: name, CableM: cable, RunM: run}}}
	}
	cable := func(loop, radius float64) rig.Book {
		return rig.Book{Cables: []rig.Cable{{Name: "c", Axis: "pan", LoopM: loop, RadiusM: radius}}}
	}
	pose := func(v float64) rig.Book {
		return rig.Book{Poses: map[string]map[string]float64{"home": {"pan": v}}}
	}
	pay := func(kg float64, m rig.Mounting) rig.Book {
		return rig.Book{PayloadKg: map[rig.Mounting]float64{m: kg}}
	}
	for name, c := range map[string]struct {
		b  rig.Book
		ok bool
	}{
		"light": {part(0.001, 1, 1), true}, "weightless": {part(0, 1, 1), false}, "heavy": {part(99_999, 1000, 20),
			true}, "too heavy": {part(1e5, 1, 1), false},
		"none": {part(1, 0, 1), false}, "too many": {part(1, 1001, 1), false}, "nobody": {part(1, 1, 0), false},
		"a crowd": {part(1, 1, 21), false}, "no number": {part(math.NaN(), 1, 1), false},
		"wire": {wire("a", 0, 0), true}, "nameless": {wire("", 1, 1), false}, "negative cable": {wire("a", -1, 1),
			false}, "negative run": {wire("a", 1, -1), false},
		"cable": {cable(0, 0), true}, "negative loop": {cable(-1, 0), false}, "negative radius": {cable(0, -1), false},
		"pose low": {pose(-178), true}, "pose high": {pose(178), true}, "beyond low": {pose(-179), false},
		"pose NaN":        {pose(math.NaN()), false},
		"carries nothing": {pay(0, rig.Level), true}, "sloped": {pay(9, rig.Sloped), true},
		"upright": {pay(9, rig.Upright), true}, "upside down": {pay(99_999, rig.UpsideDown), true},
		"carries a house": {pay(1e5, rig.Level), false},
		"quiet":           {rig.Book{QuietShare: ptr(0.0)}, true},
		"always quiet":    {rig.Book{QuietShare: ptr(1.0)}, true},
		"less than never": {rig.Book{QuietShare: ptr(-0.1)}, false},
		"watts":           {rig.Book{StandbyW: 1, RatedW: 2, PeakW: 999_999}, true},
		"too many watts":  {rig.Book{PeakW: 1e6}, false}, "negative watts": {rig.Book{StandbyW: -1}, false},
	} {
		r := fixture.Slider()
		r.Book = &c.b
		if err := r.Check(); (err == nil) != c.ok {
			t.Errorf("%s: %v", name, err)
		}
	}
	c := (&rig.Book{Parts: []rig.Part{{Name: "just", Kg: rig.HeavyKg * 2, Count: 1, People: 2},
		{Name: "over", Kg: rig.HeavyKg*2 + 1, Count: 1, People: 2}}}).Carry()
	if len(c.Heavy) != 1 || !strings.HasPrefix(c.Heavy[0], "over") {
		t.Errorf("%v", c.Heavy)
	}
}

// What a drive may be, on both sides; and the way round, with how far off it is.

// What a machine draws, by hand: 30 and 45 W of the controller's, 60 and 140 of a drive's.
func TestPowerAddsUp(t *testing.T) {
	r := fixture.Slider()
	if w := r.Power(); w != (rig.Watts{}) {
		t.Errorf("nothing written down draws %+v", w)
	}
	r.Book = &rig.Book{StandbyW: 12, RatedW: 30, PeakW: 45}
	r.Axes[0].Drive = &rig.Drive{RatedW: 60, PeakW: 140}
	r.Axes[2].Drive = &rig.Drive{RatedW: 35, PeakW: 90}
	if w := r.Power(); w != (rig.Watts{Standby: 12, Rated: 125, Peak: 275}) {
		t.Errorf("%+v", w)
	}
}
