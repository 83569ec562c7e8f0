package web

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"keenarc/core/seal"
)

func TestEditsThroughTheAPI(t *testing.T) {
	id := fresh(t, "WB-1")
	_, b := do("GET", "/api/shots/"+id, "")
	if v := view(t, b); !v.Empty || v.Revision != 0 {
		t.Fatalf("a fresh shot: %+v", v)
	}
	post := func(rev string, edit string) (int, string) {
		return do("POST", "/api/shots/"+id+"/edits", `{"revision":`+rev+`,"edit":`+edit+`}`)
	}
	if code, b := post("0", `{"op":"set","frame":0,"values":{"track":200,"pan":5}}`); code != 200 {
		t.Fatal(b)
	}
	if code, b := post("1", `{"op":"set","frame":100,"values":{"track":800}}`); code != 200 {
		t.Fatal(b)
	}
	for name, c := range map[string]struct {
		rev, edit string
		code      int
		want      string
	}{
		"overtaken": {"0", `{"op":"delete","frame":0}`, 409,
			"Not done: keyframe at 0 taken out on all axes. Operator changed the same meanwhile: 2 axes stored " +
				"at frame 0."},
		"not there":   {"9", `{"op":"set","frame":9,"values":{"pan":1}}`, 409, "in the meantime"},
		"outside":     {"2", `{"op":"set","frame":9,"values":{"track":99999}}`, 422, "soft limits"},
		"axis":        {"2", `{"op":"set","frame":9,"values":{"boom":1}}`, 422, "no axis"},
		"same frame":  {"2", `{"op":"move","axis":"track","frame":0,"to":100}`, 422, "has a keyframe at 100 already"},
		"ten million": {"2", `{"op":"set","frame":10000000,"values":{"track":100}}`, 422, "longest move"},
		"NaN":         {"2", `{"op":"set","frame":NaN}`, 400, ""},
		"op":          {"2", `{"op":"jiggle"}`, 422, "op"},
	} {
		if code, b := post(c.rev, c.edit); code != c.code || !strings.Contains(b, c.want) {
			t.Errorf("%s: %d %.300s", name, code, b)
		}
	}
	_, b = do("GET", "/api/shots/"+id, "")
	if v := view(t, b); v.Revision != 2 || v.Last != 100 {
		t.Errorf("after refused edits: revision %d, last %d", v.Revision, v.Last)
	}
	if code, b := do("POST", "/api/shots/"+id+"/seal", `{"revision":1}`); code != 409 {
		t.Errorf("sealed an old revision: %d %s", code, b)
	}
	code, b := do("POST", "/api/shots/"+id+"/seal", `{"revision":2}`)
	if v := view(t, b); code != 200 || !v.SealedAs || v.Seal == nil || len(v.Seal.Short) != 9 {
		t.Errorf("sealing: %d %.300s", code, b)
	}
	if _, b := post("2", `{"op":"kind","axis":"pan","kind":"linear"}`); view(t, b).SealedAs {
		t.Error("an edited plan counts as sealed")
	}
	if _, b := do("POST", "/api/shots/"+id+"/undo", `{"revision":3}`); view(t, b).Revision != 4 {
		t.Errorf("undo: %.200s", b)
	}
	if code, b := do("GET", "/api/shots/"+id+"/path.csv", ""); code != 200 ||
		!strings.HasPrefix(b, "frame,t_s,track_mm,") || strings.Count(b, "\n") != 102 {
		t.Errorf("path.csv: %d %.100s", code, b)
	}
}

// On a sealed path: an edit opens it, undo and *back to the sealed path* close it
// again, and the sealed path is what its file holds.
func TestBackToTheSealedPath(t *testing.T) {
	id := fresh(t, "WB-8")
	post := func(op, body string) *shotView {
		t.Helper()
		code, b := do("POST", "/api/shots/"+id+"/"+op, body)
		if code != 200 {
			t.Fatalf("%s %s: %d %.300s", op, body, code, b)
		}
		return view(t, b)
	}
	if code, b := do("POST", "/api/shots/"+id+"/resume", `{"revision":0}`); code != 409 ||
		!strings.Contains(b, "no sealed path") {
		t.Errorf("back to nothing: %d %s", code, b)
	}
	for i, e := range []string{`{"op":"set","frame":0,"values":{"track":200,"pan":5,"focus":100}}`,
		`{"op":"set","frame":100,"values":{"track":500}}`} {
		post("edits", fmt.Sprintf(`{"revision":%d,"window":"here","edit":%s}`, i, e))
	}
	post("seal", `{"revision":2}`)
	deed := `"deed":"01a2103b-e161-71d6-aea5-37eb98638550"`
	room := post("edits", `{"revision":2,"window":"there",`+deed+`,"edit":{"op":"room","frame":0,"frames":50}}`)
	if room.SealedAs || room.Last != 150 || room.Takes == nil || room.Takes.MadeIn != "there" ||
		room.Words != "50 frames of room after 0" {
		t.Errorf("opened: %+v", room)
	}
	if again := post("edits", `{"revision":2,"window":"there",`+deed+
		`,"edit":{"op":"room","frame":0,"frames":50}}`); again.Revision != 3 || again.Last != 150 {
		t.Errorf("the same deed again: revision %d, last %d", again.Revision, again.Last)
	}
	_, csv := do("GET", "/api/shots/"+id+"/path.csv?seal="+room.Seal.ID, "")
	if _, plan := do("GET", "/api/shots/"+id+"/path.csv", ""); strings.Count(csv, "\n") != 102 ||
		strings.Count(plan, "\n") != 152 {
		t.Errorf("the sealed path's file has %d lines, the plan's %d", strings.Count(csv, "\n"),
			strings.Count(plan, "\n"))
	}
	if code, b := do("GET", "/api/shots/"+id+"/sealed.table?seal=x", ""); code != 404 {
		t.Errorf("no such table: %d %s", code, b)
	}
	_, table := do("GET", "/api/shots/"+id+"/sealed.table?seal="+room.Seal.ID, "")
	if tab, err := seal.Decode([]byte(table)); err != nil || seal.Short(tab.Fingerprint()) != room.Seal.Short {
		t.Errorf("the table as a file: %v", err)
	}
	if code, b := do("GET", "/api/shots/"+id+"/path.csv?seal=x", ""); code != 404 {
		t.Errorf("the file of a seal that is not: %d %s", code, b)
	}
	if v := post("undo", `{"revision":3}`); !v.SealedAs || v.Takes.MadeIn != "here" {
		t.Errorf("taken back: %+v", v)
	}
	post("redo", `{"revision":4}`)
	if v := post("resume", `{"revision":5}`); !v.SealedAs || v.Last != 100 || v.Words != "back to sealed path 1" {
		t.Errorf("back to the sealed path: %+v", v)
	}
	if code, _ := do("POST", "/api/shots/"+id+"/resume", `{"revision":5}`); code != 409 {
		t.Errorf("back from a plan that is not on the screen: %d", code)
	}
	// Slower than it was sealed for it is the same path; faster it is not.
	if v := post("edits", `{"revision":6,"edit":{"op":"factor","clock":"1/2"}}`); !v.SealedAs {
		t.Error("a slower plan opens the path")
	}
	if v := post("edits", `{"revision":7,"edit":{"op":"factor","clock":"2"}}`); v.SealedAs {
		t.Error("a faster plan counts as sealed")
	}
	// An edit made on an older revision, over one that leaves it alone.
	if v := post("edits", `{"revision":7,"window":"there","edit":{"op":"set","frame":0,"values":{"pan":7}}}`); v.Over !=
		1 || v.Revision != 9 {
		t.Errorf("over another: %+v", v)
	}
}

func TestNamesAndStretches(t *testing.T) {
	id := fresh(t, "WB-9")
	for body, want := range map[string]string{
		`{"code":"60","title":"x","start_timecode":"10:00:00:00"}`:         "give letters and a number",
		`{"code":"SL-061","title":" ","start_timecode":"10:00:00:00"}`:     "Title: it is empty; give",
		`{"code":"SL-061","title":"x","start_timecode":"10:00:00:24"}`:     "Start timecode: frame 24 of a second",
		`{"code":"SL-061","title":"x","start_timecode":"10:00"}`:           "\"field\":\"start_timecode\"",
		`{"code":"SL-061","title":"x","start_timecode":"10:00:00;00"}`:     "drops, and 24 frames per second do not",
		`{"code":"SL-010","title":"x","start_timecode":"10:00:00:00"}`:     "of that code already",
		`{"code":"sl-062","title":"Gulls","start_timecode":"01:00:00:00"}`: "",
	} {
		code, b := do("PUT", "/api/shots/"+id, body)
		if ok := code == 200; ok != (want == "") || !strings.Contains(b, want) {
			t.Errorf("%s: %d %s", body, code, b)
		}
	}
	if _, b := do("GET", "/api/shots/"+id, ""); !strings.Contains(b, `"code":"SL-062","title":"Gulls"`) ||
		!strings.Contains(b, `"start_timecode":"01:00:00:00"`) {
		t.Errorf("renamed: %.300s", b)
	}
	var p Proof
	if code, b := do("GET", "/api/shots/"+id+"/proof", ""); code != 200 || fromJSON(b, &p) != nil || p.Braking != nil ||
		len(p.Soft) != 0 {
		t.Errorf("the proof of an empty sheet: %d %s", code, b)
	}
	// The lamp is 1.15 m in; focus runs from in front of it to it.
	up := "frame,track_mm,pan_deg,tilt_deg,roll_deg,focus_m\n0,820,0,0,0,0.7\n3000,820,0,0,0,1.16\n"
	if code, b := do("POST", "/api/shots/"+id+"/keys?revision=0", up); code != 200 {
		t.Fatal(b)
	}
	if _, b := do("GET", "/api/shots/"+id+"/proof", ""); fromJSON(b, &p) != nil || p.Braking == nil || len(p.Soft) !=
		1 || p.Soft[0].From != 0 || p.Soft[0].Worst != 0 || p.Soft[0].To < 2000 || p.Soft[0].To > 2990 ||
		math.Abs(p.Soft[0].DepthM-1.16) > 0.02 {
		t.Errorf("soft: %.400s", b)
	}
	var all struct{ Plot Plot }
	_, b := do("GET", "/api/shots/"+id, "")
	if err := fromJSON(b, &all); err != nil || all.Plot.Step != 3 || len(all.Plot.Views) != 1001 {
		t.Fatalf("the whole move: step %d, %d samples, %v", all.Plot.Step, len(all.Plot.Views), err)
	}
	var part Plot
	if code, b := do("GET", "/api/shots/"+id+"/plot?from=100&to=400", ""); code != 200 || fromJSON(b, &part) != nil ||
		part.Step != 1 || part.Start != 100 || len(part.Views) != 301 || len(part.Shares[0]) != 301 ||
		len(part.Values[4]) != 301 {
		t.Fatalf("a stretch: %d, %.200s", code, b)
	}
	if a, b := all.Plot.Values[4][50], part.Values[4][50]; a != b {
		t.Errorf("focus at 150 is %g in the whole and %g in the stretch", a, b)
	}
	for q, want := range map[string]int{"from=-50&to=9999": 200, "from=4000&to=5000": 422, "from=50&to=40": 422} {
		if code, b := do("GET", "/api/shots/"+id+"/plot?"+q, ""); code != want {
			t.Errorf("%s: %d %.200s", q, code, b)
		}
	}
}

// The longest move is edited, drawn whole and in part, and not a frame longer.
func TestAMillionFrames(t *testing.T) {
	id := fresh(t, "WB-6")
	for i, c := range []struct {
		edit string
		code int
	}{{`{"op":"set","frame":0,"values":{"track":200,"pan":5}}`, 200},
		{`{"op":"set","frame":1000000,"values":{"track":900,"pan":-5}}`, 200},
		{`{"op":"set","frame":1000001,"values":{"track":900}}`, 422}} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(min(i, 2))+`,"edit":`+c.edit+
			`}`); code != c.code {
			t.Fatalf("%s: %d %.300s", c.edit, code, b)
		}
	}
	var v ShotView
	_, b := do("GET", "/api/shots/"+id, "")
	if err := fromJSON(b, &v); err != nil || v.Last != 1_000_000 || len(v.Plot.Views) > maxPlot ||
		len(v.Plot.Views) < maxPlot/2 {
		t.Fatalf("%d frames in %d samples, %v", v.Last, len(v.Plot.Views), err)
	}
	var p Plot
	if _, b = do("GET", "/api/shots/"+id+"/plot?from=500000&to=500100", ""); fromJSON(b, &p) != nil || p.Step != 1 ||
		len(p.Views) != 101 {
		t.Errorf("a part of it: step %d, %d samples", p.Step, len(p.Views))
	}
	if _, b = do("GET", "/api/shots/"+id+"/timecodes?from=1000000&count=2", ""); b !=
		`["21:34:26:16","21:34:26:17"]`+"\n" {
		t.Errorf("its last timecodes: %s", b)
	}
}

// Samples are kept once and named by their content; an edit points an axis to them.
func TestSamples(t *testing.T) {
	id := fresh(t, "WB-7")
	var s samplesRef
	for range 2 {
		code, b := do("POST", "/api/samples", `{"values":[100,150,220,300,350]}`)
		if fromJSON(b, &s) != nil || code != 200 || len(s.Samples) != 64 || s.Count != 5 {
			t.Fatalf("%d %s", code, b)
		}
	}
	code, b := do("POST", "/api/shots/"+id+"/edits",
		`{"revision":0,"edit":{"op":"record","axis":"track","record":{"samples":"`+s.Samples+
			`","count":5,"first":10,"step":12}}}`)
	var v ShotView
	if code != 200 || fromJSON(b, &v) != nil || v.First != 10 || v.Last != 58 || v.Plot.Values[0][12] != 150 {
		t.Errorf("%d %.300s", code, b)
	}
	if code, b = do("POST", "/api/shots/"+id+"/edits",
		`{"revision":1,"edit":{"op":"record","axis":"pan","record":{"samples":"`+strings.Repeat("0", 64)+
			`","count":5,"first":0,"step":1}}}`); code != 422 || !strings.Contains(b, "no such samples") {
		t.Errorf("unknown ones: %d %s", code, b)
	}
	if code, b = do("POST", "/api/samples", `{"values":[1]}`); code != 422 || !strings.Contains(b, `"field":"values"`) {
		t.Errorf("one sample: %d %s", code, b)
	}
}
