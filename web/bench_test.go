package web

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"keenarc/core/amend"
	"keenarc/core/balance"
	"keenarc/journal"
)

// packed is a camera package, by its name.
func packed(t *testing.T, name string) journal.CameraPackage {
	t.Helper()
	list := *got[[]journal.CameraPackage](t, "/api/packages")
	i := slices.IndexFunc(list, func(p journal.CameraPackage) bool { return p.Name == name })
	if i < 0 {
		t.Fatalf("there is no package %s", name)
	}
	return list[i]
}

// ownPackage is a copy of one, so that other tests' are left alone.
func ownPackage(t *testing.T, of, name string) journal.CameraPackage {
	t.Helper()
	if code, b := do("POST", "/api/packages", fmt.Sprintf(`{"name":%q,"copy":%q}`, name, packed(t, of).ID)); code !=
		200 {
		t.Fatal(code, b)
	}
	return packed(t, name)
}

// bench is a machine's with a package, asked for over HTTP.
type bench struct {
	t    *testing.T
	path string
}

func (b bench) view() *BenchView { b.t.Helper(); return got[BenchView](b.t, b.path) }

func (b bench) seen() int64 {
	if k := b.view().Kept; k != nil {
		return k.Version
	}
	return 0
}

// set changes a field, and wants this said of it.
func (b bench) set(want int, words, at string, is any) {
	b.t.Helper()
	code, said := amends(b.t, b.path, change(b.t, b.seen(), at, is))
	answers(b.t, at, code, said, want, words)
}

// sees lets go at an attitude.
func (b bench) sees(deg float64, did balance.Did) {
	b.t.Helper()
	r := b.view().Record
	b.set(200, "", "seen", append(r.Seen, balance.Seen{TiltDeg: deg, SlideMM: r.SlideMM, RiseMM: r.RiseMM, Did: did}))
}

// A camera nobody balanced is brought to rest by the guide alone; what cannot be read off the plate
// is refused, what contradicts is said, and what was seen of another load says nothing.
func TestABenchIsGuided(t *testing.T) {
	if code, b := do("POST", "/api/rigs/bench-head/begin", `{"name":"Bench head","copy":"plank"}`); code != 200 {
		t.Fatal(code, b)
	}
	p := ownPackage(t, "Body A, 35 mm", "Body B, 35 mm")
	b := bench{t, "/api/machines/bench-head/bench/" + p.ID}
	b.set(422, "the plate cannot read 200 mm; give 0 to 120", "slide_mm", 200)
	b.set(422, "the plate cannot read 999 mm", "slide_mm", 999)
	b.set(422, "it is 1e+06", "creep_deg_h", 1e6)
	code, said := amends(t, "/api/packages/"+p.ID, change(t, int64(p.Version), "load.whole_kg", 0))
	answers(t, "no weight", code, said, 422, "it is 0; weigh it and give kilograms above zero")
	if code, said = amends(t, "/api/packages/"+p.ID, change(t, int64(p.Version), "load.pieces", []any{}),
		change(t, int64(p.Version), "load.whole_kg", 4.1),
		change(t, int64(p.Version), "load.front_m", 0.2)); code != 200 {
		t.Fatal(code, said)
	}
	if v := b.view(); v.Sheet.Verdict.OK || !strings.Contains(v.Sheet.Weight.Next.Says,
		"Let go level and see what it does.") {
		t.Fatalf("%+v", v.Sheet.Weight.Next)
	}
	// A head that nobody sees: the weight 31 mm ahead of the plate's zero and 25 above it.
	moves := 0
	for range 40 {
		v := b.view()
		n := v.Sheet.Weight.Next
		if n.Done {
			break
		}
		if n.Knob != "" {
			b.set(200, "", map[string]string{"slide": "slide_mm", "rise": "rise_mm"}[n.Knob], n.Reading)
			v = b.view()
			moves++
		}
		at := balance.Lever{MassKg: 4.1, AheadM: 0.031 + (v.Record.SlideMM-60)/1000,
			UpM: 0.025 + (v.Record.RiseMM-70)/1000}
		look := func(deg float64) balance.Did {
			switch nm := at.NM(deg); {
			case nm > 0.17:
				return balance.NoseFalls
			case nm < -0.17:
				return balance.NoseRises
			}
			return balance.Rests
		}
		for _, deg := range append([]float64{*n.Try}, n.Sweep...) {
			if b.sees(deg, look(deg)); look(deg) != balance.Rests {
				break
			}
		}
	}
	if n := b.view().Sheet.Weight.Next; !n.Done || moves > 8 || !strings.Contains(n.Says,
		"It rests wherever it is pointed. It is balanced.") {
		t.Errorf("after %d moves: %+v", moves, n)
	}
	// All of it is looked after before it is said to be right, the engaged gear's homing last of all.
	for _, c := range []struct{ at, words string }{{"all_on", "See that nothing dangles before the lens."},
		{"clear", "Put the safety line on."},
		{"line", "Engage the gear again."}, {"tight", "Engage the gear again."}, {"pins_out",
			"Engage the gear again."}} {
		b.set(200, c.words, "checks."+c.at, true)
	}
	b.set(200, "Home Tilt: its gear was free since it was last homed", "checks.engaged", true)
	if v := b.view(); v.Sheet.Verdict.OK || v.HomedSince {
		t.Error("it is said to be right before its axis was homed")
	}
	// Two looks that no weight could give, and a scale that pulls straight up 200 mm ahead.
	b.sees(0, balance.NoseFalls)
	if n := b.view().Sheet.Weight.Next; !strings.Contains(n.Says, "Slide the camera back") {
		t.Errorf("it falls: %+v", n)
	}
	b.set(200, "", "slide_mm", 110)
	b.sees(0, balance.NoseRises)
	if w := b.view().Sheet.Weight; !strings.Contains(w.Says, "These contradict each other") || w.Against < 0 {
		t.Errorf("it falls and rises: %+v", w)
	}
	kg := 0.2
	pulls := func(arm float64) []balance.Seen {
		return []balance.Seen{{SlideMM: b.view().Record.SlideMM, RiseMM: b.view().Record.RiseMM,
			ScaleKg: &kg, ArmM: arm}}
	}
	b.set(422, "an arm of 0 m has no length", "seen", pulls(0))
	b.set(200, "", "seen", pulls(0.2))
	if w := b.view().Sheet.Weight; math.Abs(w.Forward*1000-10) > 1 {
		t.Errorf("%+v", w)
	}
	code, said = do("POST", b.path+"/back", "")
	answers(t, "back", code, said, 200, "These contradict each other")
}

// A head that is described anew, so that what was kept does not fit it: it can still be opened.
func TestABenchOfAnotherHead(t *testing.T) {
	if code, b := do("POST", "/api/rigs/own-head/begin", `{"name":"Own head","copy":"plank"}`); code != 200 {
		t.Fatal(code, b)
	}
	version := func() int64 { return int64(got[RigSheet](t, "/api/rigs/own-head").Rig.Version) }
	head := func(want int, words string, changes map[string]any) {
		t.Helper()
		var list []amend.Field
		for at, is := range changes {
			list = append(list, change(t, version(), "book.head."+at, is))
		}
		code, b := amends(t, "/api/rigs/own-head", list...)
		answers(t, fmt.Sprint(changes), code, b, want, words)
	}
	b := bench{t, "/api/machines/own-head/bench/" + packed(t, "Body A, 85 mm").ID}
	head(422, "riser", map[string]any{"rise_mm": []float64{60, 0}})
	head(200, "", map[string]any{"slide_mm": []float64{0, 90}, "slide_axis_mm": 45, "rise_mm": []float64{0, 60},
		"rise_axis_mm": 50, "friction_nm": 0.2})
	b.set(200, "", "slide_mm", 81)
	head(200, "", map[string]any{"slide_mm": []float64{0, 60}})
	if v := b.view().Sheet.Verdict; v.OK || !strings.Contains(v.Says,
		"does not fit Own head as it is described now: the plate cannot read 81 mm. Balance it anew.") {
		t.Errorf("%+v", v)
	}
	b.set(200, "", "slide_mm", 30)
	code, said := amends(t, "/api/rigs/own-head", change(t, version(), "book.head", nil))
	answers(t, "no head", code, said, 200, "")
	if v := b.view(); v.Head != nil || v.Sheet.Weight != nil {
		t.Errorf("%+v", v)
	}
}

// Heron's tail over the length of its arm, with the weights that somebody owns; what was made on an
// older state of the bench overwrites nothing.
func TestATailIsCounterweighted(t *testing.T) {
	if code, b := do("POST", "/api/rigs/tail/begin", `{"name":"Tail","copy":"heron"}`); code != 200 {
		t.Fatal(code, b)
	}
	p := ownPackage(t, "Body A, 35 mm", "Body C, 35 mm")
	b := bench{t, "/api/machines/tail/bench/" + p.ID}
	own := func(list ...balance.Weights) []balance.Weights { return list }
	b.set(422, "a weight has -3 kg; give kilograms above zero", "own", own(balance.Weights{Kg: -3, Count: 1}))
	b.set(200, "Hang 4 × 10 kg and 1 × 2.5 kg at the tail: 42.5 kg.", "arms_mm", []float64{0, 400})
	b.set(200, "42.5 kg hang at the tail", "weights", own(balance.Weights{Kg: 10, Count: 4},
		balance.Weights{Kg: 2.5, Count: 1}))
	b.set(200, "The weights do not reach: it needs", "own", own(balance.Weights{Kg: 10, Count: 1}))
	if d := b.view().Sheet.Crane.Differs; !strings.Contains(d,
		"The carry list has 6 × 10 kg and 8 × 2.5 kg: put one of the two right.") {
		t.Errorf("%q", d)
	}
	seen := b.seen()
	amend := func(seen int64, at string, is any) (int, string) { return amends(t, b.path, change(t, seen, at, is)) }
	if code, said := amend(seen, "weights", own(balance.Weights{Kg: 10, Count: 2})); code != 200 {
		t.Fatal(code, said)
	}
	code, said := amend(seen, "weights", own())
	answers(t, "overwritten", code, said, 409, "in the meantime")
	code, said = amend(seen, "arms_mm", []float64{0, 500})
	answers(t, "another field", code, said, 200, "")
	code, said = do("PATCH", b.path+"?version="+fmt.Sprint(p.Version+1),
		fmt.Sprintf(`{"changes":[{"at":["arms_mm"],"is":[0,300],"seen":%d}]}`, b.seen()))
	answers(t, "of another version", code, said, 409, "Body C, 35 mm was written anew")
}

// A lens swap says what to turn, and what else changes.
func TestASwapSaysWhatToTurn(t *testing.T) {
	id := fresh(t, "PL-6")
	if code, b := do("POST", "/api/shots/"+id+"/package",
		fmt.Sprintf(`{"package":%q}`, packed(t, "Body A, 35 mm").ID)); code != 200 {
		t.Fatal(code, b)
	}
	to := packed(t, "Body A, 85 mm").ID
	code, b := do("GET", "/api/shots/"+id+"/package/"+to, "")
	answers(t, "a swap", code, b, 200, "Field of view: 39.2° becomes 16.7° across (35 mm to 85 mm).")
	if code, b := do("POST", "/api/shots/"+id+"/package", fmt.Sprintf(`{"package":%q}`, to)); code != 200 {
		t.Fatal(code, b)
	}
	code, b = do("GET", "/api/shots/"+id, "")
	answers(t, "swapped", code, b, 200, `"name":"Body A, 85 mm"`)
}
