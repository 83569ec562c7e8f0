package web

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"keenarc/core/amend"
	"keenarc/core/rig"
)

// The rig book: what is asked of a machine, what a measured travel says of a gearing, a machine
// from a starting sheet, what no machine can be, out to a file and in again.
func TestTheBookIsAsked(t *testing.T) {
	can := func(id, wish, words string) {
		t.Helper()
		code, b := do("POST", "/api/rigs/"+id+"/can", wish)
		answers(t, id+" "+wish, code, b, 200, words)
	}
	extent := func(id string) *rig.Extent { return got[RigSheet](t, "/api/rigs/"+id).Extent }
	near := func(x, want float64) bool { return math.Abs(x-want) < 0.006 }
	if e := extent("plank"); !near(e.LowM, 0.66) || !near(e.HighM, 0.68) || !near(e.TravelM, 1.46) {
		t.Errorf("plank: %+v", e)
	}
	if h, w := extent("heron"), extent("wren"); h.ReachM < 3.2 || h.ReachM > 3.3 || w.ReachM < 1 || w.ReachM > 2 ||
		extent("turnstile") != nil {
		t.Errorf("heron %+v, wren %+v, turnstile %v", h, w, extent("turnstile"))
	}
	can("heron", `{"high_m":4,"payload_kg":18}`, "the job asks for 4.00")
	code, b := do("POST", "/api/rigs/heron/can?package="+packed(t, "Body A, 85 mm").ID, `{"high_m":4}`)
	answers(t, "with a package", code, b, 200, "the job asks for 4.66")
	code, b = do("POST", "/api/rigs/heron/can", `{"high_m":"x"}`)
	answers(t, "no height", code, b, 422, "high_m")
	code, b = do("POST", "/api/rigs/nobody/can", `{}`)
	answers(t, "no machine", code, b, 404, "")

	code, b = do("POST", "/api/rigs/plank/measure", `{"axis":"pan","asked":100,"moved":200.3}`)
	answers(t, "twice as far", code, b, 200, "One thing explains it: 2 microsteps, not 4.")
	code, b = do("POST", "/api/rigs/plank/measure", `{"axis":"wing","asked":100,"moved":200.3}`)
	answers(t, "no axis", code, b, 422, "there is no axis wing")
	code, b = do("POST", "/api/rigs/plank/measure", `{"axis":"pan","asked":0,"moved":1}`)
	answers(t, "no travel", code, b, 422, "asked")

	begin := func(want int, words, name string, given string) {
		t.Helper()
		code, b := do("POST", "/api/rigs/short-slider/begin", fmt.Sprintf(`{"name":%q,"kind":"slider","given":{%s}}`,
			name, given))
		answers(t, "begun with "+given, code, b, want, words)
	}
	begin(422, "name", "", `"travel_mm":600`)
	begin(422, "give 50 to 50000", "Short slider", `"travel_mm":99999999`)
	begin(200, "", "Short slider", `"travel_mm":600`)
	if e := extent("short-slider"); !near(e.TravelM, 0.59) {
		t.Errorf("%+v", e)
	}
	sheet := func() *RigSheet { return got[RigSheet](t, "/api/rigs/short-slider") }
	set := func(want int, words string, changes map[string]any) {
		t.Helper()
		var list []amend.Field
		for _, at := range slices.Sorted(maps.Keys(changes)) {
			list = append(list, change(t, int64(sheet().Rig.Version), at, changes[at]))
		}
		code, b := amends(t, "/api/rigs/short-slider", list...)
		answers(t, fmt.Sprint(changes), code, b, want, words)
	}
	track := sheet().Rig.Axes[0].ID
	set(422, "soft limits 2000 to ", map[string]any{"axes." + track + ".min": 2000})
	set(422, "microsteps: 0", map[string]any{"axes." + track + ".drive.microsteps": 0})
	part := func(kg float64) map[string]any {
		return map[string]any{"book.parts": []map[string]any{{"name": "rail", "kg": kg, "count": 1, "people": 1}}}
	}
	set(422, "rail", part(-1))
	set(200, "", part(6.5))
	if v := sheet(); v.Rig.Version != 2 || len(v.Versions) != 2 || v.Carry.Kg != 6.5 || v.Carry.Lifts != 1 {
		t.Errorf("version %d of %d", v.Rig.Version, len(v.Versions))
	}
	code, b = do("POST", "/api/rigs/short-slider/back", `{"base":2}`)
	answers(t, "back", code, b, 200, "")
	if v := sheet(); v.Rig.Version != 3 || v.Carry.Kg != 0 {
		t.Errorf("taken back: version %d, %g kg", v.Rig.Version, v.Carry.Kg)
	}
}

func TestAMachineGoesOutToAFileAndIn(t *testing.T) {
	code, file := do("GET", "/api/rigs/heron/file", "")
	if doc, err := rig.Read([]byte(file)); code != 200 || err != nil || doc.ID != "heron" {
		t.Fatalf("%d %v: %.300s", code, err, file)
	}
	var doc map[string]any
	if err := json.Unmarshal([]byte(file), &doc); err != nil {
		t.Fatal(err)
	}
	send := func(id string, base int, want int, words string) {
		t.Helper()
		raw, err := json.Marshal(map[string]any{"base": base, "says": "from a file", "rig": doc})
		if err != nil {
			t.Fatal(err)
		}
		code, b := do("POST", "/api/rigs/"+id, string(raw))
		answers(t, id, code, b, want, words)
	}
	send("heron-2", 0, 200, "")
	send("heron", 1, 409, "at version ")
	if raw, err := json.Marshal(map[string]any{"base": 0, "rig": doc}); err != nil {
		t.Fatal(err)
	} else if code, b := do("POST", "/api/rigs/Heron 3", string(raw)); code == 200 {
		t.Errorf("a name with capitals: %s", b)
	}
	doc["wings"] = 2
	send("heron-3", 0, 422, "wings")
	delete(doc, "wings")
	doc["joints"].([]any)[0].(map[string]any)["parent"] = "camera"
	send("heron-3", 0, 422, "must be a joint before it")
	if s := *got[map[string]any](t, "/api/rig.schema.json"); s["$ref"] != "#/$defs/Rig" {
		t.Errorf("%v", s)
	}
	if code, b := do("GET", "/api/rigs/heron-3", ""); code != 404 || strings.Contains(b, "wings") {
		t.Errorf("what was refused is there: %d %.200s", code, b)
	}
}
