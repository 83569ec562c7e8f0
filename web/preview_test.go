package web

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/store"
)

// previewed is one answer of the preview socket, its head and its numbers.
func previewed(t *testing.T, c *websocket.Conn, ask PreviewAsk) (PreviewSays, []float64) {
	t.Helper()
	if err := wsjson.Write(t.Context(), c, ask); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	for {
		_, b, err := c.Read(ctx)
		if err != nil {
			t.Fatal(err)
		}
		n := binary.LittleEndian.Uint32(b)
		var says PreviewSays
		if err := json.Unmarshal(b[4:4+n], &says); err != nil {
			t.Fatal(err)
		}
		if says.N < ask.N {
			continue // an older one that was on its way
		}
		var v []float64
		for rest := b[4+n:]; len(rest) >= 4; rest = rest[4:] {
			v = append(v, float64(math.Float32frombits(binary.LittleEndian.Uint32(rest))))
		}
		return says, v
	}
}

// What a preview shows is what the edit gives, number for number; only axes that change
// come along, and nothing is stored.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestPreviewIsWhatTheEditGives(t *testing.T) {
	id := fresh(t, "PV-1")
	edits := []string{`{"op":"set","frame":0,"values":{"track":200,"pan":0,"tilt":0}}`,
		`{"op":"set","frame":100,"values":{"track":400,"pan":10}}`,
		`{"op":"set","frame":240,"values":{"track":900,"pan":20,"tilt":4}}`}
	for i, e := range edits {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	c := dial(t, "/api/shots/"+id+"/preview")
	ask := func(n, revision int64, edit string) (PreviewSays, []float64) {
		t.Helper()
		a := PreviewAsk{N: n, Revision: revision, Frame: 50}
		if err := fromJSON(`{"edit":`+edit+`}`, &a); err != nil {
			t.Fatal(err)
		}
		return previewed(t, c, a)
	}
	for n, edit := range []string{`{"op":"move","axis":"pan","frame":100,"to":120,"values":{"pan":-30}}`,
		`{"op":"move","frame":240,"to":300}`} {
		says, v := ask(int64(n+1), 3, edit)
		if says.Refused != "" || says.Gone {
			t.Fatalf("%s: %+v", edit, says)
		}
		if n == 0 && (len(says.Axes) != 1 || len(says.Tracks) != 1 || says.Tracks[0].Axis != "plank/pan") {
			t.Errorf("of one axis %v and %d tracks came", says.Axes, len(says.Tracks))
		}
		if n == 1 && len(says.Axes) != 5 {
			t.Errorf("where the frames change all axes come, not %v", says.Axes)
		}
		var now ShotView
		_, b := do("GET", "/api/shots/"+id, "")
		if err := fromJSON(b, &now); err != nil || now.Revision != 3 {
			t.Fatalf("a preview made revision %d (%v)", now.Revision, err)
		}
		code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":3,"edit":`+edit+`}`)
		var then ShotView
		if err := fromJSON(b, &then); code != 200 || err != nil {
			t.Fatal(b, err)
		}
		if says.Start != then.Plot.Start || says.Step != then.Plot.Step || says.Samples != len(then.Plot.Views) ||
			says.Last != then.Last {
			t.Fatalf("%+v is not the plot", says)
		}
		same := func(what string, got, want float64) {
			t.Helper()
			if math.Abs(got-want) > 2e-4*(1+math.Abs(want)) {
				t.Fatalf("%s is %g, then %g", what, got, want)
			}
		}
		at := 0
		for k, i := range says.Axes {
			if a, b := says.Reports[k], then.Analysis.Report.Axes[i]; a.Share != b.Share || a.ShareAt != b.ShareAt ||
				len(a.Jumps) != len(b.Jumps) {
				t.Errorf("its report %+v, then %+v", a, b)
			}
			for f, want := range then.Plot.Shares[i] {
				same("a share", v[at+f], want)
			}
			at += says.Samples
			for f, want := range then.Plot.Values[i] {
				same("a value", v[at+f], want)
			}
			at += says.Samples
		}
		for f := range says.Samples {
			for d := range 3 {
				same("the camera's place", v[at+3*f+d], then.Plot.Views[f].At[d])
			}
		}
		at += 3 * says.Samples
		if says.At[0] != 50 || len(v) != at+len(says.At)*says.Stride {
			t.Fatalf("%d numbers, %d views of %d", len(v), len(says.At), says.Stride)
		}
		for k, f := range says.At {
			w, row := then.Plot.Views[int(f)-says.Start], v[at+k*says.Stride:]
			same("forward", row[6], w.Forward[0])
			same("the field", row[15], w.FieldDeg[0])
			same("focus", row[17], w.FocusM)
			same("the last joint", row[says.Stride-1], w.Joints[len(w.Joints)-1][2])
		}
		if strings.Join(says.Sentences, "|") != strings.Join(then.Analysis.Sentences, "|") {
			t.Errorf("it says %v, then %v", says.Sentences, then.Analysis.Sentences)
		}
		if code, b := do("POST", "/api/shots/"+id+"/undo", `{"revision":4}`); code != 200 {
			t.Fatal(b)
		}
		// Back on the plan as it was, under a new number: the old one is gone.
		if says, v := ask(int64(n+50), 3, edit); !says.Gone || len(v) != 0 {
			t.Errorf("on a plan that is another: %+v", says)
		}
		if says, _ := ask(int64(n+60), 5, `{"op":"move","axis":"pan","frame":100,"to":240}`); !strings.Contains(
			says.Refused, "pan has a keyframe at 240 already") {
			t.Errorf("onto another keyframe: %q", says.Refused)
		}
		id2 := fresh(t, "PV-2"+itoa(n))
		id = id2
		for i, e := range edits {
			if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
				t.Fatal(b)
			}
		}
		c = dial(t, "/api/shots/"+id+"/preview")
	}
	if says, v := previewed(t, c, PreviewAsk{N: 90, Revision: 3, Back: 1, Whole: true}); says.Refused != "" ||
		says.Last != 1 || !says.Whole || len(says.At) != says.Samples+1 || len(v) == 0 {
		t.Errorf("gone back to an older revision: %+v", says)
	}
	if says, _ := previewed(t, c, PreviewAsk{N: 91, Revision: 3, Back: 999}); says.Refused == "" {
		t.Error("gone back to a revision that there is not")
	}
	// The newest of many is answered, and not every one.
	for n := int64(100); n < 300; n++ {
		if err := wsjson.Write(t.Context(), c, PreviewAsk{N: n, Revision: 3, Back: 3}); err != nil {
			t.Fatal(err)
		}
	}
	if says, _ := previewed(t, c, PreviewAsk{N: 300, Revision: 3, Back: 3}); says.N != 300 || len(says.Axes) !=
		0 || says.Seen {
		t.Errorf("the newest is answered by %+v", says)
	}
	// How much changes from frame to frame.
	var ch Changing
	code, b := do("GET", "/api/shots/"+id+"/changes?from=0&to=240", "")
	if err := fromJSON(b, &ch); code != 200 || err != nil || ch.Revision != 3 || ch.From != 1 || len(ch.Px) != 240 {
		t.Errorf("changes: %d %v %.200s", code, err, b)
	}
	if code, b := do("GET", "/api/shots/"+id+"/changes?from=0&to=5000", ""); code != 422 ||
		!strings.Contains(b, "1 to 5000 frames") {
		t.Errorf("too many: %d %s", code, b)
	}
}

// crowdedTrier has a crane and a model mover: ten axes, forty keyframes each, 2,000 frames.
func crowdedTrier(b *testing.B) *trier {
	b.Helper()
	r, err := rig.Join([]rig.Placed{{Name: "heron", Rig: examples.Rigs()["heron"]},
		{Name: "turnstile", Rig: examples.Rigs()["turnstile"]}})
	if err != nil {
		b.Fatal(err)
	}
	p := path.New(r, fps24, nil)
	for k := range 40 {
		v := map[string]float64{}
		for i, a := range r.Axes {
			v[a.ID] = a.Min + (a.Max-a.Min)*(0.5+0.02*math.Sin(float64(k*(i+1))))
		}
		if p, err = p.Apply(r, path.Edit{Op: "set", Frame: float64(k * 2000 / 39), Values: v}); err != nil {
			b.Fatal(err)
		}
	}
	scale, err := examples.Camera().Scale()
	if err != nil {
		b.Fatal(err)
	}
	m, err := path.Compile(p, r)
	if err != nil {
		b.Fatal(err)
	}
	s := &Server{versions: map[string]int64{}}
	return &trier{s: s, seen: s.version(""), of: &store.Shot{Rig: r, Lens: examples.Camera(), Set: examples.Harbour()},
		draft: &store.Draft{Path: p}, scale: scale, motion: m}
}

// BenchmarkPreview tries a keyframe of a crowded move.
func BenchmarkPreview(b *testing.B) {
	t := crowdedTrier(b)
	e := PreviewAsk{Revision: 0, Frame: 1000}
	if err := json.Unmarshal([]byte(`{"edit":{"op":"set","frame":1000,"values":{"`+t.of.Rig.Axes[1].ID+`":3}}}`),
		&e); err != nil {
		b.Fatal(err)
	}
	b.ResetTimer()
	for b.Loop() {
		if says := t.answer(b.Context(), e); len(says) < 10_000 {
			b.Fatalf("%s", says)
		}
	}
}
