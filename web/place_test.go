package web

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"keenarc/core/amend"
	"keenarc/core/site"
	"keenarc/store"
)

// Rules of the sheets of the place, and what they say, as they are asked for over HTTP. That they
// are shown, typed and pressed is the browser's matter.

// got is what lies under a path.
func got[T any](t *testing.T, path string) *T {
	t.Helper()
	v := new(T)
	if code, b := do("GET", path, ""); code != 200 || json.Unmarshal([]byte(b), v) != nil {
		t.Fatalf("%s: %d %.300s", path, code, b)
	}
	return v
}

// change is a field of a document, its names with dots, and what it is to be; nil takes it out.
func change(t *testing.T, seen int64, at string, is any) amend.Field {
	t.Helper()
	f := amend.Field{At: strings.Split(at, "."), Seen: seen}
	if is != nil {
		raw, err := json.Marshal(is)
		if err != nil {
			t.Fatal(err)
		}
		f.Is = raw
	}
	return f
}

// amends changes fields of a document.
func amends(t *testing.T, path string, changes ...amend.Field) (int, string) {
	t.Helper()
	raw, err := json.Marshal(map[string]any{"changes": changes})
	if err != nil {
		t.Fatal(err)
	}
	return do("PATCH", path, string(raw))
}

// answers holds an answer against its status and words of it, as they are read.
func answers(t *testing.T, what string, code int, b string, want int, words string) {
	t.Helper()
	if b = strings.NewReplacer(`\u003c`, "<", `\u003e`, ">", `\u0026`, "&", `\"`, `"`).Replace(b); code != want ||
		!strings.Contains(b, words) {
		t.Errorf("%s: %d %.400s, want %d, %q", what, code, b, want, words)
	}
}

// coded is the id of one of the demo's shots.
func coded(t *testing.T, code string) string {
	t.Helper()
	for _, p := range *got[[]store.Production](t, "/api/shelf") {
		for _, s := range p.Shots {
			if s.Code == code {
				return s.ID
			}
		}
	}
	t.Fatalf("no %s", code)
	return ""
}

// printed looks at a paper.
func printed(t *testing.T, path string) {
	t.Helper()
	if code, b := do("GET", path, ""); code != 200 || !strings.HasPrefix(b, "%PDF-1.") {
		t.Errorf("%s: %d %.100s", path, code, b)
	}
}

func TestTheOrderIsKept(t *testing.T) {
	id := fresh(t, "PL-1")
	path := "/api/shots/" + id + "/order"
	begin := func(date, start string, crew int) (int, string) {
		return do("POST", path,
			fmt.Sprintf(
				`{"date":%q,"start":%q,"setup":{"kind":"slider","rails":false,"ground":"stage floor","crew":%d}}`, date,
				start, crew))
	}
	code, b := do("GET", path+".pdf", "")
	answers(t, "the paper of nothing", code, b, 409, "no running order yet")
	today := time.Now().Format(time.DateOnly)
	code, b = begin(today, "08:00", 0)
	answers(t, "nobody", code, b, 422, "the crew is 0; give 1 to 40")
	code, b = begin("2026-02-30", "08:00", 2)
	answers(t, "no such day", code, b, 422, "there is no day 2026-02-30")
	code, b = begin(today, "25:00", 2)
	answers(t, "no such time", code, b, 422, "start")
	code, b = begin(today, "00:00", 2)
	answers(t, "begun", code, b, 200, "Nobody has begun")
	v := func() *OrderView { return got[OrderView](t, path) }
	first := v()
	if first.Days != 0 && !slices.ContainsFunc(first.Order.Steps, func(s site.OrderStep) bool {
		return s.Learnt != nil
	}) {
		t.Errorf("%d days were kept, and no step was learnt from them", first.Days)
	}
	set := func(at string, is any) (int, string) { return amends(t, path, change(t, v().Revision, at, is)) }
	code, b = set("steps.home.minutes", 0)
	answers(t, "in no time", code, b, 422, "home takes no time; give minutes above zero")
	code, b = set("steps.home.after", []string{"nobody"})
	answers(t, "after nothing", code, b, 422, "nobody")
	code, b = set("steps.lens.after", []string{"home"})
	answers(t, "lens after home", code, b, 200, `"says"`)
	code, b = set("steps.home.after", []string{"lens"})
	answers(t, "a circle", code, b, 422, "in a circle: home after lens after home")
	code, b = set("steps.home.after", []string{})
	answers(t, "home before its drives", code, b, 200, "homing needs its drives")
	for range 2 {
		if code, b = do("POST", path+"/back", ""); code != 200 {
			t.Fatal(b)
		}
	}
	if v := v(); slices.ContainsFunc(v.Sheet.Breaks, func(b site.Breach) bool {
		return strings.Contains(b.Says, "drives")
	}) || v.CanBack {
		t.Errorf("taken back: %+v, back again: %v", v.Sheet.Breaks, v.CanBack)
	}
	code, b = do("POST", path+"/back", "")
	answers(t, "nothing before", code, b, 409, "nothing before that")

	// The day's first plan is kept when the first step begins; what changes then is said.
	press := func(step, what string) (int, string) {
		return do("POST", path+"/press", fmt.Sprintf(`{"step":%q,"what":%q}`, step, what))
	}
	code, b = press("dance", "start")
	answers(t, "no such step", code, b, 422, "dance")
	code, b = press("home", "back")
	answers(t, "nothing to take back", code, b, 422, "home")
	if code, b = press("unload", "start"); code != 200 {
		t.Fatal(code, b)
	}
	begun := v()
	if begun.Order.First == nil || begun.Sheet.Changed != "" {
		t.Errorf("the day's plan: %+v, changed: %q", begun.Order.First, begun.Sheet.Changed)
	}
	code, b = set("steps.home.minutes", 200)
	answers(t, "a long homing", code, b, 200, "Changed under way: by the first plan it was ready at")
	if now := v(); now.Sheet.Course.DrawnMin < begun.Sheet.Course.DrawnMin+100 {
		t.Errorf("drawn at %g, was %g", now.Sheet.Course.DrawnMin, begun.Sheet.Course.DrawnMin)
	}
	code, b = amends(t, path, change(t, 1, "steps", []any{}))
	answers(t, "made on what is old", code, b, 409, "in the meantime")

	// What would help is the plan that is held beside it, to the minute.
	for _, h := range v().Sheet.Helps {
		if code, b := amends(t, path, change(t, v().Revision, "against", h.Plan)); code != 200 {
			t.Fatalf("%s: %d %s", h.Says, code, b)
		}
		if against := v().Sheet.Against; math.Abs(against.ReadyMin-h.ReadyMin) > 1 {
			t.Errorf("%s says %s, held beside it is %s", h.Says, h.Ready, against.Ready)
		}
	}
	printed(t, path+".pdf")
	for _, x := range v().Order.Steps {
		if x.Ended == nil {
			if code, b := press(x.ID, "done"); code != 200 {
				t.Fatal(code, b)
			}
		}
	}
	if v := v(); !v.Sheet.Over || v.Sheet.Done != len(v.Order.Steps) || !strings.Contains(v.Sheet.Says, "Ready since") {
		t.Errorf("%+v", v.Sheet)
	}
}

// An order that begins before midnight is the same one after it: what is pressed then counts on,
// and the clock says which day.
func TestTheOrderOverMidnight(t *testing.T) {
	id := fresh(t, "PL-2")
	path := "/api/shots/" + id + "/order"
	yesterday := time.Now().AddDate(0, 0, -1).Format(time.DateOnly)
	code, b := do("POST", path, `{"date":"`+yesterday+
		`","start":"23:00","setup":{"kind":"slider","rails":false,"ground":"stage floor","crew":2}}`)
	answers(t, "begun", code, b, 200, "Nobody has begun")
	if code, b := do("POST", path+"/press", `{"step":"unload","what":"start"}`); code != 200 {
		t.Fatal(code, b)
	}
	v := got[OrderView](t, path)
	if b := v.Order.Steps[1].Began; b == nil || b.Format(time.DateOnly) != v.Today || v.Order.Date != yesterday ||
		!strings.Contains(v.Sheet.Course.Ready, " +") {
		t.Errorf("%s %+v", v.Sheet.Course.Ready, v.Order.Steps[1])
	}
}

// Heron on a long thin cable, and a slider of which nobody typed what its rack can give.
func TestThePowerIsTold(t *testing.T) {
	stair := "/api/shots/" + coded(t, "SL-020") + "/power"
	v := got[PowerView](t, stair)
	for _, w := range []string{"At the speeds of the line-up it fails: Socket by the dock gives 16.6 A and its " +
		"breaker holds 16; ",
		"Heron rack gets 186.8 V and needs 207. It bears up to 34 % of rated speed, all axes at once."} {
		if !strings.Contains(v.Sheet.Says, w) {
			t.Errorf("%q has no %q", v.Sheet.Says, w)
		}
	}
	for section, want := range map[float64]string{0: "the cable of Heron rack has no section",
		-1: "Heron rack has -1; give 0 or more"} {
		code, b := amends(t, stair, change(t, v.Revision, "nodes.heron-rack.section_mm2", section))
		answers(t, fmt.Sprint("a cable of ", section), code, b, 422, want)
	}
	code, b := amends(t, stair, change(t, v.Revision, "nodes.heron-rack.section_mm2", 6))
	answers(t, "a thick one", code, b, 200, "Socket by the dock gives just over 16 A and its breaker holds 16")
	if code, b := do("POST", stair+"/back", ""); code != 200 {
		t.Fatal(b)
	}
	// Limits that it bears go into the line-up at once; then there is nothing to lower.
	code, b = do("POST", stair+"/limits", "")
	answers(t, "lower", code, b, 200, "It bears the speeds of the line-up.")
	low := got[PowerView](t, stair)
	if !low.Sheet.OK || len(low.Sheet.Lower) != 0 {
		t.Errorf("%+v", low.Sheet)
	}
	i := slices.IndexFunc(*got[[]MachineView](t, "/api/machines"), func(m MachineView) bool {
		return m.Rig.ID == "heron"
	})
	heron := (*got[[]MachineView](t, "/api/machines"))[i]
	if at := heron.LineUp.Doc.Axes["swing"].Working.Speed; !(at < 20 && at > 30*low.Sheet.Share-0.02) {
		t.Errorf("swing at %g, the share is %g", at, low.Sheet.Share)
	}
	code, b = do("POST", stair+"/limits", "")
	answers(t, "once more", code, b, 409, "nothing to lower")

	id := fresh(t, "PL-3")
	path := "/api/shots/" + id + "/power"
	if v = got[PowerView](t, path); v.Kept || !strings.Contains(v.Sheet.Says,
		"Cannot say yet: nobody typed what Plank rack can give") || len(v.Sheet.Unknown) == 0 {
		t.Errorf("%+v", v.Sheet)
	}
	set := func(want int, words string, changes map[string]any) {
		t.Helper()
		var list []amend.Field
		for _, at := range slices.Sorted(maps.Keys(changes)) {
			list = append(list, change(t, got[PowerView](t, path).Revision, at, changes[at]))
		}
		code, b := amends(t, path, list...)
		answers(t, fmt.Sprint(changes), code, b, want, words)
	}
	set(200, "It bears everything at once", map[string]any{"nodes.plank-rack.most_w": 800})
	if v = got[PowerView](t, path); !v.Sheet.OK || !strings.Contains(v.Sheet.On, "Assumed: copper in service") {
		t.Errorf("%+v", v.Sheet)
	}
	set(200, "It bears everything at once", map[string]any{"nodes.stage.lines": 3})
	set(200, "It bears everything at once", map[string]any{"nodes.camera-supply.line": 2})
	set(422, "line", map[string]any{"nodes.camera-supply.line": 4})
	set(200, "reversed polarity", map[string]any{"nodes.camera.takes_centre": "-",
		"nodes.camera.takes_v": []float64{16, 30}})
	if v = got[PowerView](t, path); v.Sheet.OK {
		t.Error("a lead poled the wrong way is said to be right")
	}
	supply := map[string]any{"id": "supply-1", "name": "battery", "role": "supply", "dc": true, "battery_wh": 200}
	set(422, "has no volts; give the volts that it is made for", map[string]any{"nodes.supply-1": supply})
	supply["volts"] = 14.4
	set(200, "reversed polarity", map[string]any{"nodes.supply-1": supply})
	set(200, "lasts 2.", map[string]any{"nodes.camera.from": "supply-1", "nodes.camera.takes_v": []float64{11, 30},
		"nodes.camera.takes_centre": ""})
	set(422, "Plank rack feeds itself over what it feeds", map[string]any{"nodes.plank-rack.from": "plank-rack"})
	printed(t, "/api/shots/"+id+"/needs.pdf")
}

// Heron's track: sections for the path, packers from measured heights, room behind; the slider's
// is a proposal until somebody says that it is like this.
func TestTheGroundIsTold(t *testing.T) {
	path := "/api/shots/" + coded(t, "SL-020") + "/ground"
	v := func() *GroundView { return got[GroundView](t, path) }
	if s := v().Sheet; !strings.Contains(s.Says, "3 × 2 m: 6.00 m of rail for the 4.88 it needs.") ||
		!strings.Contains(s.Level, "packers. Then the steepest is") {
		t.Errorf("%q %q", s.Says, s.Level)
	}
	set := func(want int, words, at string, is any) {
		t.Helper()
		code, b := amends(t, path, change(t, v().Revision, at, is))
		answers(t, at, code, b, want, words)
	}
	own := func(n int, more ...site.Owned) []site.Owned {
		return append([]site.Owned{{Length: site.Typed{As: "2 m"}, Count: n}}, more...)
	}
	set(200, "Too short: all sections together are 4000 mm and it needs 4880. Find 880 mm more.", "owned", own(2))
	set(200, `2 × 2 m and 1 × 2' 11": 4.89 m of rail`, "owned",
		own(2, site.Owned{Length: site.Typed{As: `2' 11"`}, Count: 1}))
	if o := v().Ground.Owned; len(o) != 2 || o[1].Length.MM != 889 || o[1].Length.As != `2' 11"` {
		t.Errorf("%+v", o)
	}
	set(422, "length", "owned", own(2, site.Owned{Length: site.Typed{As: "two"}, Count: 1}))
	supports := func(change func(*site.Support)) []site.Support {
		s := slices.Clone(v().Ground.Supports)
		change(&s[3])
		return s
	}
	set(422, "the support at 3000 mm has no height under its left rail; measure there, too", "supports",
		supports(func(s *site.Support) { s.LeftMM = nil }))
	set(200, "Thinner packers would do.", "rules.packers_mm", []float64{5})
	if code, b := do("POST", path+"/back", ""); code != 200 {
		t.Fatal(b)
	}
	if l := v().Sheet.Level; !strings.Contains(l, "within 1, 0.7 and 1") {
		t.Errorf("%q", l)
	}
	set(200, "0.50 m too little room", "swing.room_m", 1.2)
	if v().Sheet.OK {
		t.Error("the tail strikes, and it is said to be right")
	}

	path = "/api/shots/" + fresh(t, "PL-4") + "/ground"
	if v := v(); v.Kept || v.Sheet.OK {
		t.Errorf("a proposal: kept %v, right %v", v.Kept, v.Sheet.OK)
	}
	n := func(x float64) *float64 { return &x }
	set(422, "has no height under its", "supports", []site.Support{{AtMM: 0}, {AtMM: 1500}})
	set(200, "packers. Then the steepest is 0.0 mm/m", "supports",
		[]site.Support{{AtMM: 0, LeftMM: n(0), RightMM: n(1)}, {AtMM: 750, LeftMM: n(-2), RightMM: n(-2)},
			{AtMM: 1500, LeftMM: n(-1), RightMM: n(-1)}})
	set(422, `"1,250 mm" may be 1250 mm or 1.250 mm; say which`, "margin", site.Typed{As: "1,250 mm"})
	set(200, "1250 mm", "margin", site.Typed{As: "1250 mm"})
	set(422, "margin", "margin", site.Typed{As: "-3 mm"})
}

// Fixed points are named; what nobody sighted is not known, and what is not homed sights nothing.
func TestPointsAreNamed(t *testing.T) {
	path := "/api/shots/" + fresh(t, "PL-5") + "/points"
	v := func() *PointsView { return got[PointsView](t, path) }
	if s := v().Sheet.Says; !strings.Contains(s, "Name three or more fixed points") {
		t.Error(s)
	}
	names := []map[string]string{{"id": "point-1", "name": "door bolt"}, {"id": "point-2", "name": "nail"}}
	code, b := amends(t, path, change(t, v().Revision, "fixed", names))
	answers(t, "two", code, b, 200, "door bolt")
	code, b = amends(t, path, change(t, v().Revision, "fixed", append(names, names[0])))
	answers(t, "one twice", code, b, 422, "a point has none, or is there twice")
	code, b = amends(t, path, change(t, v().Revision, "fixed.point-1.name", " "))
	answers(t, "one without a name", code, b, 422, "fixed[0].name")
	code, b = amends(t, path, change(t, v().Revision, "rounds", []any{}))
	answers(t, "sightings typed", code, b, 422, "that is not typed")
	code, b = do("POST", path+"/sight", `{"point":"point-1"}`)
	answers(t, "not homed", code, b, 409, "is not homed: where it is, is not known. Home it first.")
	code, b = do("POST", path+"/round", "")
	answers(t, "another round of nothing", code, b, 422, "this one knows 0 points")
	if s := v().Survey; len(s.Fixed) != 2 || math.IsNaN(v().SigmaDeg) || len(s.Rounds) > 1 {
		t.Errorf("%+v", s)
	}
}
