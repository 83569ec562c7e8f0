package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// plan is what a test needs of a shot.
type plan struct {
	Revision int64
	Path     struct {
		Tracks []struct {
			Axis string
			Kind string
			Keys []struct{ Frame, Value float64 }
		}
	}
}

func (a *app) key(axis string, frame float64) (float64, bool) {
	var v plan
	a.get("/api/shots/"+a.shot, &v)
	for _, t := range v.Path.Tracks {
		for _, k := range t.Keys {
			if t.Axis == "plank/"+axis && k.Frame == frame {
				return k.Value, true
			}
		}
	}
	return 0, false
}

func (a *app) wantKey(p *page, axis string, frame, want float64) {
	a.t.Helper()
	p.wait("everything to be saved", `!document.querySelector('.strip').textContent.includes('saving')`)
	var got float64
	var ok bool
	for range 60 {
		if got, ok = a.key(axis, frame); ok && math.Abs(got-want) < 1e-9 {
			return
		}
		p.must(chromedp.Sleep(50e6))
	}
	a.t.Errorf("%s at %g is %g (%v), want %g", axis, frame, got, ok, want)
}

func (p *page) chord(key, code string, vk int64, mods chromedp.Modifier) {
	p.t.Helper()
	for _, typ := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeRawKeyDown,
		input.DispatchKeyEventTypeKeyUp} {
		if _, err := chromedp.Call(p.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: typ, Key: key,
			Code: code, WindowsVirtualKeyCode: vk, Modifiers: int64(mods)}); err != nil {
			p.t.Fatal(err)
		}
	}
}

const alt, ctrl, shift = chromedp.ModifierAlt, chromedp.ModifierCtrl, chromedp.ModifierShift

func TestComposeWithKeys(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-pan")
	p.focusStaff("pan")
	p.key("f")
	right, left := func() { p.chord("ArrowRight", "ArrowRight", 39, 0) }, func() {
		p.chord("ArrowLeft", "ArrowLeft", 37, 0)
	}

	// On a keyframe a nudge is stored by itself, and half back closes in.
	right()
	a.wantKey(p, "pan", 0, 25)
	p.key("/")
	a.wantKey(p, "pan", 0, 24.5)
	p.key("/")
	a.wantKey(p, "pan", 0, 24.75)
	p.chord("z", "KeyZ", 90, ctrl)
	a.wantKey(p, "pan", 0, 24.5)
	p.chord("z", "KeyZ", 90, ctrl|shift)
	a.wantKey(p, "pan", 0, 24.75)

	// Taken back as soon as it has arrived, whether or not the window knows yet.
	right()
	for range 600 {
		if v, _ := a.key("pan", 0); v != 24.75 {
			break
		}
	}
	p.chord("z", "KeyZ", 90, ctrl)
	p.strip("Taken back")
	a.wantKey(p, "pan", 0, 24.75)

	// Elsewhere it waits for K.
	p.key(">", ">", ".")
	left()
	p.reads("pose", "not stored")
	if _, ok := a.key("pan", 21); ok {
		t.Error("a nudge off a keyframe was stored without K")
	}
	want := eval[float64](p, `Number($('value-pan').value)`)
	p.key("k")
	p.readsNot("pose", "not stored")
	if got, ok := a.key("pan", 21); !ok || math.Abs(got-want) > 0.006 {
		t.Errorf("stored %g (%v), shown %g", got, ok, want)
	}
	if _, ok := a.key("track", 21); !ok {
		t.Error("K did not store all axes")
	}
	// One axis's keyframe moved and taken out; then all axes'.
	p.focusStaff("pan")
	p.chord("ArrowRight", "ArrowRight", 39, alt)
	p.wait("the playhead", `$('counter').textContent.trim() === '0022'`)
	p.strip("moved to 0022")
	if _, ok := a.key("pan", 22); !ok {
		t.Error("Alt and an arrow did not move the keyframe")
	}
	if _, ok := a.key("track", 21); !ok {
		t.Error("another axis's keyframe moved too")
	}
	p.key("K")
	p.chord("Delete", "Delete", 46, shift)
	p.strip("taken out")
	if _, ok := a.key("pan", 22); ok {
		t.Error("the keyframe is still there")
	}
	p.key("<", ",")
	p.key("f", ">", ">", ".")
	p.click("take-out")
	p.wait("taken out", `$('take-out').disabled`)
	if _, ok := a.key("track", 21); ok {
		t.Error("the keyframe on all axes is still there")
	}

	// E is the end pose, which is a keyframe; what is stored hardly beside it changes that one.
	keys := len(a.view(a.shot).Path.Track("plank/pan").Keys)
	p.key("e")
	p.wait("the end pose", `$('counter').textContent.trim() === '0240'`)
	p.enter("value-pan", "-25")
	a.wantKey(p, "pan", 240, -25)
	rev := a.view(a.shot).Revision
	if code, b := a.post("/api/shots/"+a.shot+"/edits", `{"revision":`+itoa(int(rev))+
		`,"edit":{"op":"set","frame":100.4,"values":{"plank/pan":7}}}`); code != 200 {
		t.Fatal(b)
	}
	p.wait("it comes over", `$('staff-pan', '.post[data-key="100.4"]')`)
	p.enter("frame", "100")
	p.enter("value-pan", "8")
	p.reads("pose", "not stored")
	p.key("k")
	a.wantKey(p, "pan", 100.4, 8)
	keys++
	if now := len(a.view(a.shot).Path.Track("plank/pan").Keys); now != keys {
		t.Errorf("%d keyframes of pan, before %d", now, keys)
	}

	// Letters switched off act no more; the staff opens with Enter.
	p.does(`$('keys').click()`)
	p.wait("the keys", `document.querySelector('.switch input')`)
	p.does(`document.querySelector('.switch input').click()`)
	p.chord("Escape", "Escape", 27, 0)
	p.wait("the keys closed", `!document.querySelector('.switch input')?.checkVisibility()`)
	p.focusStaff("tilt")
	was := p.text("counter")
	p.key("e")
	p.chord("Enter", "Enter", 13, 0)
	p.wait("an open staff", `$('staff-tilt').dataset.opened === 'true'`)
	if now := p.text("counter"); now != was {
		t.Errorf("E moved the playhead from %s to %s though letters are off", was, now)
	}
}

func TestComposeWithThePointer(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.laidOut()
	at := func(sel string) (x, y float64) {
		r := eval[[]float64](p,
			fmt.Sprintf(
				`(() => { const r = document.querySelector('%s').getBoundingClientRect(); return [r.x + r.width / 2,
					r.y + r.height / 2]; })()`, sel))
		return r[0], r[1]
	}
	post := func(axis string, f int) string {
		return fmt.Sprintf(`[data-test="staff-%s"] .post[data-key="%d"] rect`, axis, f)
	}
	x, y := at(post("track", 150))
	x0, _ := at(post("track", 0))
	perFrame := (x - x0) / 150
	p.must(chromedp.DragAndDropXY(x, y, x+20*perFrame, y, 8))
	p.strip("0150 moved to 0170")
	a.wantKey(p, "track", 170, 980)
	if _, ok := a.key("pan", 150); !ok {
		t.Error("dragging one axis's post moved another's")
	}
	// In the opened staff a keyframe's value is dragged.
	p.focusStaff("pan")
	p.chord("Enter", "Enter", 13, 0)
	p.wait("an open staff", `$('staff-pan').dataset.opened === 'true'`)
	hx, hy := at(`[data-test="staff-pan"] .post[data-key="70"] rect:nth-of-type(2)`)
	p.must(chromedp.DragAndDropXY(hx, hy, hx, hy-20, 6))
	p.strip("Pan at 0070 is")
	if v, _ := a.key("pan", 70); v <= 9.5 {
		t.Errorf("pan at 70 is %g after it was dragged up from 9", v)
	}
	// A value out of range is refused in a sentence, and nothing changes.
	p.clickOn(post("track", 0))
	p.enter("value-track", "9000")
	p.warns("stay within 20 to 1480 mm")
	a.wantKey(p, "track", 0, 120)
}

func TestFilesOnCompose(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-track")
	dir := t.TempDir()
	put := func(name, text string) string {
		f := filepath.Join(dir, name)
		if err := os.WriteFile(f, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return f
	}
	up := func(f string) { p.must(chromedp.SetUploadFiles(chromedp.CSS(test("file")), []string{f})) }
	up(put("bad.csv", "frame,track_mm\n0,100\n0,200\n"))
	p.warns("Line 3, column track_mm")
	a.wantKey(p, "track", 240, 1340)
	up(put("picture.csv", "\x89PNG\x00\x01"))
	p.warns("not text")

	// A file with one axis changes that one, and says what stayed; the others can
	// be taken out, too.
	up(put("pan.csv", "frame,pan_deg\n0,3\n120,-3\n"))
	p.reads("sentence", "Pan from the file. As they were: Track, Tilt, Roll and Focus.")
	a.wantKey(p, "pan", 120, -3)
	a.wantKey(p, "track", 240, 1340)
	p.click("offer")
	p.wait("the others out", `$$('staff-track', '.post').length === 0 && $$('staff-pan', '.post').length === 2`)
	p.click("undo")
	p.wait("the others back", `$$('staff-track', '.post').length === 4`)

	// Crowded: forty irregular keyframes on every axis.
	var b strings.Builder
	b.WriteString("frame,track_mm,pan_deg,tilt_deg,roll_deg,focus_m\r\n")
	for k := range 40 {
		fmt.Fprintf(&b, "%g,%g,%g,%g,%g,%g\r\n", float64(k)*30.5, 200+float64(k)*25, 20*math.Sin(float64(k)/5),
			-3+math.Cos(float64(k)/3), 0.0, 1.2+float64(k)/100)
	}
	up(put("forty.csv", b.String()))
	p.wait("forty keyframes", `$$('staff-roll', '.post').length === 40`)
	p.reads("stage-compose", "40 keyframes")
	p.look("crowded.png")

	// A keyframe between frames is reached and shown exactly.
	p.focusStaff("track")
	p.key("f")
	p.chord("]", "BracketRight", 221, 0)
	p.wait("the keyframe at 30.5", `$('counter').textContent.trim() === '0030.5' && $('value-track').value === '225.0'`)

	// A fresh shot is empty and says what to do; K stores the first keyframe.
	p.must(chromedp.Navigate(a.Addr + "/"))
	p.wait("the shelf", `document.querySelector('.new')`)
	p.does(`document.querySelector('.new').click()`)
	p.wait("the form", `document.querySelectorAll('.form input').length === 2`)
	p.must(chromedp.SendKeys(chromedp.CSS(test("new-code")), "SL-060"),
		chromedp.SendKeys(chromedp.CSS(test("new-title")), "Gulls"))
	p.does(`document.querySelector('.form button[type=submit]').click()`)
	p.reads("sheet", "The sheet is empty")
	p.wait("a strip", `$('ready', '.checks').textContent.includes('· keyframes')`)
	p.look("empty.png")
	p.key("k")
	p.wait("a keyframe", `$$('staff-track', '.post').length === 1`)
	// The second one goes where the playhead is put, beyond the first.
	p.enter("frame", "96")
	p.enter("value-track", "1000")
	p.key("k")
	p.wait("a move",
		`$$('staff-track', '.post').length === 2 && document.querySelector('.strip').textContent.includes('96 frames')`)
}
