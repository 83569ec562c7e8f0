package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// wheel turns the wheel over a place of the page.
func (p *page) wheel(x, y, dx, dy float64) {
	p.t.Helper()
	const little = 0.01 // a delta of nothing is left out, and refused
	if _, err := chromedp.Call(p.ctx, input.DispatchMouseEvent,
		input.DispatchMouseEventParams{Type: input.DispatchMouseEventTypeMouseWheel, X: x, Y: y, DeltaX: dx + little,
			DeltaY: dy + little}); err != nil {
		p.t.Fatal(err)
	}
}

// The score is zoomed to the pointer and by key, pans, follows the playhead, and
// keyframes too many to be told apart can be taken hold of after zooming in.
func TestTheScoreIsZoomed(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-pan")
	up := func(f, says string) {
		t.Helper()
		p.must(chromedp.SetUploadFiles(chromedp.CSS(test("file")), []string{f}))
		p.strip(says)
	}
	up(keysFile(t, 40, 5000), "5000 frames")
	p.wait("all keyframes", `$$('staff-pan', '.post').length === 40`)
	if n := eval[int](p, `$$('staff-pan', '.post text').length`); n != 0 {
		t.Errorf("%d values stand on a staff that is not selected, of two hundred keyframes", n)
	}
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.wait("values", `$('staff-pan', '.post text')`)
	if n := eval[int](p, `$$('staff-pan', '.post text').length`); n < 12 {
		t.Errorf("%d of 40 values can be read", n)
	}
	p.look("forty.png")
	window := func() [2]float64 {
		return [2]float64(
			eval[[]float64](p, `(() => { const s = $('score').dataset; return [Number(s.from), Number(s.to)]; })()`))
	}
	at := func(f int) (x, y float64) {
		return p.centre(fmt.Sprintf(`[data-test="staff-pan"] .post[data-key="%d"] path`, f))
	}
	// The frame under the pointer keeps its place.
	x, y := at(2564)
	for range 8 {
		p.wheel(x, y, 0, -120)
	}
	p.wait("a part", `Number($('score').dataset.to) < 4000 && $('window')`)
	p.atRest()
	if x2, _ := at(2564); x2 < x-6 || x2 > x+6 {
		t.Errorf("the frame under the pointer moved from %g to %g px", x, x2)
	}
	if w := window(); w[1]-w[0] > 1200 || w[0] > 2564 || w[1] < 2564 {
		t.Errorf("the window is %v", w)
	}
	p.wait("finer samples", `$$('staff-pan', '[data-band]').length > 0`)
	was := window()
	p.wheel(x, y, 150, 0)
	p.wait("panned", fmt.Sprintf(`Number($('score').dataset.from) > %g`, was[0]))
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.key("f")
	p.wait("the playhead's part", `Number($('score').dataset.from) === 0`)
	p.key("0")
	p.wait("all", `!$('window') && $('score').dataset.to === '5000'`)
	p.key("+", "+")
	p.there("window")
	p.key("-", "-")
	p.gone("window")

	// Thousands: drawn as one, stepped through by key, taken hold of after zooming in.
	up(keysFile(t, 5000, 60000), "60000 frames")
	p.wait("the crowd", `$('staff-pan', '.crowd') && $$('staff-pan', '.post').length === 0`)
	if n := eval[int](p, `$$('score', '*').length + $$('sheet', '*').length`); n > 3000 {
		t.Errorf("%d elements for 5000 keyframes", n)
	}
	p.focusStaff("pan")
	p.key("f")
	p.chord("]", "BracketRight", 221, 0)
	p.wait("the next keyframe", `$('counter').textContent.trim() === '0012'`)
	for range 14 {
		p.key("+")
	}
	p.wait("single keyframes", `$('staff-pan', '.post[data-key="12"]')`)
	p.atRest()
	x, y = at(12)
	x24, _ := at(24)
	p.must(chromedp.DragAndDropXY(x, y, x+(x24-x)/3, y, 6))
	p.keptSays("the drag", "Pan: 0012 moved to 0016.")
	if _, ok := a.key("pan", 16); !ok {
		t.Error("the keyframe was not moved")
	}
	p.key("0")
	up(keysFile(t, 3, 900000), "900000 frames")
	if n := eval[int](p, `(() => { const r = [...$$('score', '.ruler text')].map((e) => e.getBoundingClientRect());
		return r.slice(1).filter((b, i) => b.left < r[i].right + 4).length + (r.length < 4 ? 100 : 0); })()`); n != 0 {
		t.Errorf("%d labels of the ruler lie over each other", n)
	}
}

// Focus is a distance everywhere, from the image plane: in the opened staff, in
// its values, beside the pose; and what is soft is said on Prove.
func TestFocusIsADistance(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.clickOn(`[data-test="staff-focus"] .name`)
	p.focusStaff("focus")
	p.chord("Enter", "Enter", 13, 0)
	p.wait("a scale in metres",
		`$('staff-focus').dataset.opened === 'true' && [...$$('staff-focus',
			'.scale text')].some((e) => e.textContent.trim() === '1.2 m')`)
	p.wait("the values",
		`[...$$('staff-focus',
			'.post text')].map((e) => e.textContent.trim()).join() === '1.35 m,1.20 m,1.17 m,1.27 m'`)
	if eval[bool](p, `$('staff-focus').textContent.includes('°')`) {
		t.Error("the opened staff speaks of degrees")
	}
	p.look("focus.png")
	p.key("4")
	p.wait("sharp",
		`document.querySelector('.prove')?.textContent.includes("keeper's lamp is sharp wherever it is in `+
			`the picture")`)
	p.key("3")
	p.clickOn(`[data-test="staff-focus"] .post[data-key="150"] rect`)
	p.enter("value-focus", "1.5")
	p.reads("staff-focus", "1.50 m")
	p.key("4")
	p.wait("soft",
		`/keeper's lamp is soft, 0\d\d\d–0\d\d\d: 1\.\d\d m away at 0\d\d\d, sharp `+
			`from/.test(document.querySelector('.prove')?.textContent)`)
	p.look("soft.png")
}

// While nothing changes nothing is drawn, and a first nudge moves nothing on the
// page but what it is about.
func TestAtRestNothingIsDrawn(t *testing.T) {
	beside(t)
	finder(t)
	a := start(t, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the finder", `$('finder')?.dataset.drawn > 0`)
	p.clickOn(`[data-test="staff-pan"] .name`)
	places := func() string {
		return eval[string](p,
			`[...document.querySelectorAll('[data-test="pose"], [data-test="pose"] .axis, [data-test="pose"] `+
				`button.btn, [data-test="finder"]')].map((e) => { const r = e.getBoundingClientRect(); return [r.x, `+
				`r.y, r.height].map(Math.round); }).join(' ')`)
	}
	p.key(">", ">")
	was := places()
	p.chord("ArrowRight", "ArrowRight", 39, 0)
	p.there("tried")
	if now := places(); now != was {
		t.Errorf("the first nudge moved the pose box from\n%s to\n%s", was, now)
	}
	a.homed(func() { a.post("/api/machines/plank/home", `{"shot":"`+a.shot+`"}`) })
	for _, s := range []string{"5", "3"} {
		p.key(s)
		p.wait("the view", `$('finder')?.dataset.drawn > 0 && $('ready').textContent.includes('✓ homed')`)
		p.does(`(() => { window.changes = [];
			new MutationObserver((l) => l.forEach((m) => window.changes.push((m.target.className?.baseVal ??
			m.target.className ?? m.target.parentElement?.className) + ' ' + m.type + ' ' + (m.attributeName ??
			'')))).observe(document.body, { subtree: true, childList: true, attributes: true,
			characterData: true }); })()`)
		// On a busy machine it comes to rest late; what is drawn again and again never does.
		var c []string
		for range 8 {
			eval[bool](p, `(window.changes = [], true)`)
			p.must(chromedp.Sleep(2500e6))
			if c = eval[[]string](p, `window.changes.slice(0, 8)`); len(c) == 0 {
				break
			}
		}
		if len(c) > 0 {
			t.Errorf("on stage %s at rest: %v", s, c)
		}
	}
}

// The log can be scrolled by keyboard, and every sealed path has its own file.
func TestWrapByKeyboard(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	for i := range 80 {
		a.get(fmt.Sprintf("/api/shots/%s", a.shot), &struct{}{})
		if i%2 == 0 {
			a.post("/api/stop", "")
		}
	}
	p := a.open("/shot/" + a.shot + "/wrap")
	p.wait("a long log",
		`(() => { const s = $('log')?.closest('section'); return s && s.scrollHeight > s.clientHeight; })()`)
	for range 25 {
		p.key("\t")
		if eval[bool](p, `document.activeElement === $('log').closest('section')`) {
			break
		}
	}
	p.wait("the log's focus", `document.activeElement === $('log').closest('section')`)
	p.atRest()
	for late := time.Now().Add(
		patience(t, 40*time.Second)); ; { // a page that is not in front may leave a key to be drawn later
		p.key(kb.PageDown)
		if eval[bool](p, `new Promise((done) => setTimeout(() => done(document.activeElement.scrollTop > 50), 500))`) {
			break
		}
		if time.Now().After(late) {
			t.Fatal("PageDown does not scroll the log")
		}
	}
	name := eval[string](p, `fetch($('sealed-csv-1').href).then((r) => r.headers.get('Content-Disposition'))`)
	if want := `attachment; filename="SL-010-sealed-path-1-`; len(name) < len(want) || name[:len(want)] != want {
		t.Errorf("the sealed path's file is %s", name)
	}
}
