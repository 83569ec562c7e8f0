package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"keenarc/core/weave"
	"keenarc/web"
)

// took goes on until so many cells are taken.
func (b *bench) took(cells int) *web.FramesView {
	b.t.Helper()
	var v *web.FramesView
	for late := time.Now().Add(60 * time.Second); time.Now().Before(late); time.Sleep(20 * time.Millisecond) {
		b.rest() // or a press meets the moment after the last cell, and goes on
		if v = b.frames(); v != nil {
			n := 0
			for _, r := range v.Rows {
				n += r.Tally.Taken
			}
			if n >= cells {
				return v
			}
		}
		b.operate()
	}
	b.t.Fatalf("%d cells are never taken; now at %+v, uncertain %+v, said %s", cells, v.Now, v.Unsure,
		b.ask("/api/shots/"+b.shot+"/frames/next", `{"confirmed":true}`))
	return nil
}

// press is one press that is carried out to its end.
func (b *bench) press() {
	b.t.Helper()
	for late := time.Now().Add(30 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if strings.HasPrefix(b.ask("/api/shots/"+b.shot+"/frames/next", `{"confirmed":true}`), "200") {
			break
		}
		if time.Now().After(late) {
			b.t.Fatal("no press is taken")
		}
	}
	b.rest()
}

// rest waits until nothing is being done: a command is taken then.
func (b *bench) rest() {
	b.t.Helper()
	for late := time.Now().Add(40 * time.Second); time.Now().Before(late); time.Sleep(20 * time.Millisecond) {
		if v := b.frames(); v != nil {
			s := b.patch("/api/shots/"+b.shot+"/frames/scheme", map[string]any{"changes": []any{}})
			if !strings.Contains(s, "still being carried out") {
				return
			}
		}
	}
	b.t.Fatal("something is being done for ever")
}

func (b *bench) put(path string, body any) string { return b.sends(http.MethodPut, path, body) }

func (b *bench) patch(path string, body any) string { return b.sends(http.MethodPatch, path, body) }

func (b *bench) sends(method, path string, body any) string {
	b.t.Helper()
	raw, err := json.Marshal(body)
	if err != nil {
		b.t.Fatal(err)
	}
	q, err := http.NewRequest(method, b.server.addr+path, bytes.NewReader(raw))
	if err != nil {
		b.t.Fatal(err)
	}
	q.Header.Set("Content-Type", "application/json")
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		b.t.Fatal(err)
	}
	defer r.Body.Close()
	out, _ := io.ReadAll(r.Body)
	return fmt.Sprint(r.StatusCode) + " " + string(out)
}

func (b *bench) says(what, got, want string) {
	b.t.Helper()
	if !strings.Contains(got, want) {
		b.t.Errorf("%s: %s\nwant %q", what, got, want)
	}
}

// A camera that answers late, twice, with a broken picture or not at all, a full store:
// each is said, nothing is lost or doubled, and it goes on afterwards.
func TestBadCamera(t *testing.T) {
	beside(t)
	b := newBench(t, folder(t))
	b.long(2)
	b.took(2)
	at := "/api/shots/" + b.shot + "/frames"
	pretend := func(what string, on bool) {
		t.Helper()
		for late := time.Now().Add(20 * time.Second); time.Now().Before(late); time.Sleep(50 * time.Millisecond) {
			if strings.HasPrefix(b.ask("/api/camera/pretend", fmt.Sprintf(`{"what":%q,"on":%v}`, what, on)), "200") {
				return
			}
		}
		t.Fatalf("the camera cannot be told: %s", what)
	}
	pretend("twice", true)
	b.took(6)
	pretend("twice", false)
	b.compare()
	pretend("broken", true)
	b.press()
	v := b.frames()
	if len(v.Unsure) != 1 || v.Unsure[0].Picture != "" || !strings.Contains(v.Unsure[0].Why, "whole") ||
		!strings.Contains(v.Unsure[0].Why, "stays with the camera") {
		t.Fatalf("a broken picture: %+v", v.Unsure)
	}
	b.says("a picture that is not here counts", b.ask(at+"/answers", fmt.Sprintf(`{"exposure":%q,"counts":true}`,
		v.Unsure[0].Exposure)), "no picture of it here")
	pretend("broken", false)
	b.ask(at+"/answers", fmt.Sprintf(`{"exposure":%q,"counts":false}`, v.Unsure[0].Exposure))
	b.says("answered twice", b.ask(at+"/answers", fmt.Sprintf(`{"exposure":%q,"counts":true}`, v.Unsure[0].Exposure)),
		"decided already")
	pretend("full", true)
	b.press()
	if v = b.frames(); len(v.Unsure) != 0 {
		t.Errorf("a full store leaves open: %+v", v.Unsure)
	}
	pretend("full", false)
	b.took(10)
	pretend("late", true)
	b.press()
	pretend("late", false)
	b.took(12)
	// Not at all: the press ends, and it is asked again when the camera is back.
	pretend("silent", true)
	b.says("the press", b.ask(at+"/next", `{"confirmed":true}`), "200")
	time.Sleep(1500 * time.Millisecond)
	_ = b.camera.Process().Kill()
	b.camera.Close()
	b.startCamera()
	b.settled()
	b.took(16)
	b.settled()
	n := b.compare2()
	if n["kept"] < 16 {
		t.Errorf("%v", n)
	}
}

// compare2 compares, where one picture was denied and lies with the camera still.
func (b *bench) compare2() map[string]int {
	b.t.Helper()
	h, err := b.d.db.Shoot(b.t.Context(), b.shot)
	if err != nil {
		b.t.Fatal(err)
	}
	fates := map[string]int{}
	cells := map[weave.Cell]int{}
	for _, e := range h.Exposures {
		fates[string(e.Fate)]++
		if e.Fate == weave.Kept {
			if cells[e.Cell]++; cells[e.Cell] > 1 {
				b.t.Errorf("%v was taken twice", e.Cell)
			}
		}
	}
	return fates
}

// Layers with pictures, frames under a running shoot, a path sealed half-way: refused or
// asked in a sentence, and nothing is lost.
func TestChangesUnderWay(t *testing.T) {
	beside(t)
	b := newBench(t, folder(t))
	at := "/api/shots/" + b.shot + "/frames"
	b.says("two notes", b.put(at+"/notes/4", map[string]string{"text": "Left thumb off."}), "Left thumb off.")
	b.says("a note outside", b.put(at+"/notes/96", map[string]string{"text": "x"}), "none of the shoot's")
	b.says("nothing to write out", b.get("/api/shots/"+b.shot+"/frames.zip"), "Nothing was taken yet")
	b.took(8) // 0, 2, 4, 6: beauty and rim
	var v *web.FramesView
	b.rest()
	scheme := func(change func(*weave.Scheme), confirmed bool) string {
		t.Helper()
		v := b.frames()
		s := v.Scheme
		s.Layers = append([]weave.Layer(nil), s.Layers...)
		change(&s)
		changes := []any{}
		for name, is := range map[string]any{"first": s.First, "last": s.Last, "holds": s.Holds, "layers": s.Layers} {
			changes = append(changes, map[string]any{"at": []string{name}, "is": is, "seen": v.Revision})
		}
		return b.patch(at+"/scheme", map[string]any{"changes": changes, "confirmed": confirmed})
	}
	b.says("a layer with pictures", scheme(func(s *weave.Scheme) { s.Layers = s.Layers[1:] }, true),
		"Layer beauty has pictures")
	b.says("a layer without", scheme(func(s *weave.Scheme) { s.Layers = s.Layers[:2] }, false), "200")
	b.says("on fours", scheme(func(s *weave.Scheme) { s.Holds = []weave.Hold{{From: 0, Every: 4}} }, false),
		"pictures lie at frames")
	b.says("on fours all the same", scheme(func(s *weave.Scheme) { s.Holds = []weave.Hold{{From: 0, Every: 4}} },
		true), "200")
	if v = b.frames(); v.Now.Frame%4 != 0 {
		t.Errorf("on fours frame %d comes next", v.Now.Frame)
	}
	b.says("back on twos", scheme(func(s *weave.Scheme) { s.Holds = []weave.Hold{{From: 0, Every: 2}} }, false), "200")
	b.says("an old scheme",
		b.patch(at+"/scheme",
			map[string]any{"changes": []any{map[string]any{"at": []string{"layers"}, "is": b.frames().Scheme.Layers[:1],
				"seen": 1}}}), "in the meantime")
	b.says("upside down", scheme(func(s *weave.Scheme) { s.Last = -5 }, true), "422")
	b.says("beyond the path", scheme(func(s *weave.Scheme) { s.Last = 400; s.Layers[0].To = 400 }, false), "200")
	b.says("the press", b.ask(at+"/next", "{}"), "the sealed path")
	b.says("as it was", scheme(func(s *weave.Scheme) { s.Last = 96; s.Layers[0].To = 96 }, true), "200")

	// Commands, and what can be taken back.
	now := *b.frames().Now
	b.says("step over", b.ask(at+"/commands", `{"op":"step over"}`), "200")
	if v = b.frames(); v.Now.Frame != now.Frame+2 || v.Undo != "step over" {
		t.Errorf("stepped over: %+v, undo %q", v.Now, v.Undo)
	}
	b.says("once more", b.ask(at+"/commands", `{"op":"once more"}`), "200")
	if v = b.frames(); v.Now.Frame != 6 || len(v.Press) != 2 {
		t.Errorf("once more: %+v, %v", v.Now, v.Press)
	}
	b.says("taken back", b.ask(at+"/undo", "{}"), "200")
	b.says("taken back", b.ask(at+"/undo", "{}"), "200")
	if v = b.frames(); *v.Now != now || v.Undo != "" {
		t.Errorf("taken back twice: %+v, undo %q", v.Now, v.Undo)
	}
	b.says("nothing more", b.ask(at+"/undo", "{}"), "nothing to take back")
	b.says("once more", b.ask(at+"/commands", `{"op":"once more"}`), "200")
	b.wished = true
	b.says("another cell", b.ask(at+"/next", fmt.Sprintf(`{"confirmed":true,"cell":{"frame":40,"layer":%q}}`,
		now.Layer)), "Something else comes next")
	b.press() // goes there
	b.press() // exposes both, and goes on
	if v = b.frames(); *v.Now != now || v.Undo != "" {
		t.Errorf("after that %+v, undo %q", v.Now, v.Undo)
	}
	b.says("what was exposed stays", b.ask(at+"/undo", "{}"), "nothing to take back")
	if c := v.Rows[0].Cells[3]; c.Number != 2 || c.State != weave.Taken {
		t.Errorf("frame 6: %+v", c)
	}
	b.says("back to nothing", b.ask(at+"/commands", fmt.Sprintf(`{"op":"back to","frame":300,"layer":%q}`, now.Layer)),
		"has no picture for frame 0300")
	b.says("a far way", b.ask(at+"/commands", fmt.Sprintf(`{"op":"back to","frame":90,"layer":%q}`, now.Layer)), "200")
	b.says("is asked about", b.ask(at+"/next", "{}"), "mm to frame 0090")
	b.says("back", b.ask(at+"/undo", "{}"), "200")

	// The path is sealed anew half-way.
	rev := b.revision()
	b.says("an edit", b.ask("/api/shots/"+b.shot+"/edits",
		fmt.Sprintf(
			`{"revision":%d,"window":"w","deed":"5b1b1a3e-6f0e-4d8f-9a64-0a4f6b0a9a11","edit":{"op":"set","frame":48,`+
				`"values":{"track":655}}}`, rev)), "200")
	b.says("an open path is none of the shoot's", b.ask(at+"/next", `{"confirmed":true}`), "200")
	b.rest()
	b.says("sealed", b.ask("/api/shots/"+b.shot+"/seal", fmt.Sprintf(`{"revision":%d}`, b.revision())), "200")
	v = b.frames()
	if v.Newer == nil || v.Newer.Version != 2 || v.Newer.WorstPx <= 0 || v.Newer.Px <= 0 || v.Seal.Version != 1 {
		t.Fatalf("%+v on %+v", v.Newer, v.Seal)
	}
	b.says("the press", b.ask(at+"/next", `{"confirmed":true}`),
		"path 2 is sealed, and the frames so far are on an older one")
	b.says("another path", b.ask(at+"/path", `{"version":3,"go_on":true}`), "no newer path of that number")
	b.says("stays", b.ask(at+"/path", `{"version":2,"go_on":false}`), "200")
	b.says("and goes on with the old one", b.ask(at+"/next", `{"confirmed":true}`), "200")
	b.rest()
	if v = b.frames(); v.Newer != nil || v.Seal.Version != 1 {
		t.Errorf("declined: %+v on %+v", v.Newer, v.Seal)
	}
	rev = b.revision()
	b.says("an edit", b.ask("/api/shots/"+b.shot+"/edits",
		fmt.Sprintf(
			`{"revision":%d,"window":"w","deed":"5b1b1a3e-6f0e-4d8f-9a64-0a4f6b0a9a12","edit":{"op":"set","frame":48,`+
				`"values":{"track":660}}}`, rev)), "200")
	b.says("sealed", b.ask("/api/shots/"+b.shot+"/seal", fmt.Sprintf(`{"revision":%d}`, b.revision())), "200")
	b.says("goes on", b.ask(at+"/path", `{"version":3,"go_on":true}`), "200")
	taken := 0
	for _, r := range b.frames().Rows {
		taken += r.Tally.Taken
	}
	v = b.took(taken + 4)
	if v.Seal.Version != 3 || !v.Rows[0].Cells[0].Other || v.Rows[0].Cells[v.Now.Frame/2-1].Other {
		t.Errorf("on %+v; the first is of another path: %v, the last: %v", v.Seal, v.Rows[0].Cells[0].Other,
			v.Rows[0].Cells[v.Now.Frame/2-1].Other)
	}
	b.compare()
	b.out()
}

func (b *bench) get(path string) string {
	b.t.Helper()
	r, err := http.Get(b.server.addr + path)
	if err != nil {
		b.t.Fatal(err)
	}
	defer r.Body.Close()
	raw, _ := io.ReadAll(r.Body)
	return fmt.Sprint(r.StatusCode) + " " + string(raw)
}

func (b *bench) revision() int64 {
	b.t.Helper()
	d, err := b.d.db.Draft(b.t.Context(), b.shot)
	if err != nil {
		b.t.Fatal(err)
	}
	return d.Revision
}

// out reads what is written out: a picture for each cell that is taken, each a PNG, and a
// line for each.
func (b *bench) out() {
	b.t.Helper()
	b.rest()
	_, raw, _ := strings.Cut(b.get("/api/shots/"+b.shot+"/frames.zip"), " ")
	z, err := zip.NewReader(strings.NewReader(raw), int64(len(raw)))
	if err != nil {
		b.t.Fatal(err)
	}
	taken := 0
	for _, r := range b.frames().Rows {
		taken += r.Tally.Taken
	}
	if len(z.File) != taken+1 {
		b.t.Errorf("%d files for %d pictures", len(z.File), taken)
	}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			b.t.Fatal(err)
		}
		text, err := io.ReadAll(r)
		if err != nil {
			b.t.Fatal(err)
		}
		if f.Name == "frames.csv" {
			if n := strings.Count(string(text), "\n"); n != taken+1 {
				b.t.Errorf("%d lines for %d pictures", n, taken)
			}
		} else if !bytes.HasPrefix(text, []byte("\x89PNG")) || !strings.Contains(f.Name, "/SL-030_") {
			b.t.Errorf("%s is no picture", f.Name)
		}
	}
}

// The disks of the camera and of the database fill up in mid-shoot: it is said, and with
// room again it goes on where it was. Tried on small file systems.
func TestFullDisks(t *testing.T) {
	beside(t)
	film := small(t, "256k")
	b := newBenchOn(t, film, deskIn(t, small(t, "160m")))
	b.long(2)
	b.took(4)
	// The database's disk, whole.
	fill(t, b.d.folder)
	for range 20 {
		b.operate()
		time.Sleep(50 * time.Millisecond)
	}
	if err := os.Remove(filepath.Join(b.d.folder, "filler")); err != nil {
		t.Fatal(err)
	}
	// It may have gone down; somebody starts it again.
	b.d.cluster.Kill()
	if err := b.d.cluster.Start(t.Context()); err != nil {
		t.Fatal(err)
	}
	b.settled()
	b.took(8)
	b.rest()
	b.compare()
	fill(t, film)
	for range 10 {
		b.operate()
		time.Sleep(50 * time.Millisecond)
	}
	if err := os.Remove(filepath.Join(film, "filler")); err != nil {
		t.Fatal(err)
	}
	b.settled()
	b.took(12)
	b.rest()
	b.compare()
}

// small is a file system of its own of so many bytes, until the test ends.
func small(t *testing.T, size string) string {
	t.Helper()
	dir := folder(t)
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "mode=755,size="+size, "tmpfs",
		dir).CombinedOutput(); err != nil {
		t.Skipf("no small file system can be made here: %s", out)
	}
	t.Cleanup(func() { _ = exec.Command("umount", "-l", dir).Run() })
	return dir
}

// fill leaves no room on a file system.
func fill(t *testing.T, dir string) {
	t.Helper()
	f, err := os.Create(filepath.Join(dir, "filler"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	chunk := make([]byte, 4096)
	for {
		if _, err := f.Write(chunk); err != nil {
			return
		}
	}
}
