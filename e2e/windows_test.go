package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// deaf keeps a window from hearing of changes and hear lets it again: it stays on
// the revision that it saw.
func (p *page) deaf() {
	p.does(`(() => { window.heard = window.fetch; window.fetch = (r, o) => { const u = r.url ?? r, m = r.method ??
		o?.method ?? 'GET'; return m === 'GET' && /shots\/[^/]+$/.test(u) ? new Promise(() => {}) : window.heard(r,
		o); }; })()`)
}

// cut takes the network of a window away; its own requests fail.
func (p *page) cut() {
	p.does(`(() => { window.heard = window.fetch; window.fetch = () => Promise.reject(new TypeError('cut off')); })()`)
}

func (p *page) hear() { p.does(`window.fetch = window.heard`) }

func (p *page) keptSays(what, words string) {
	p.t.Helper()
	p.wait(what, fmt.Sprintf(`$('kept').textContent.includes(%q)`, words))
}

// Two windows on one shot: what leaves the other's edit alone is made on the newer
// plan, what does not is kept with the reason until it is read, and undo asks
// before it takes back what another window did.
func TestTwoWindows(t *testing.T) {
	beside(t)
	a := start(t)
	q, p := a.open("/shot/"+a.shot+"/compose"), a.open("/")
	eval[int](p,
		`fetch('/api/me', { method: 'PUT', headers: { 'Content-Type': 'application/json' },
			body: '{"name":"Bo"}' }).then(() => 0)`)
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/compose"))
	for _, w := range []*page{p, q} {
		w.wait("the score", `$('staff-pan') && $('ready')?.textContent.includes('rig seen')`)
		w.keptSays("nothing to save", "everything saved")
		w.enter("frame", "70")
		w.wait("the playhead", `$('counter').textContent.trim() === '0070'`)
	}
	p.deaf()
	q.enter("value-pan", "3")
	q.keptSays("the first edit", "")
	a.wantKey(q, "pan", 70, 3)
	p.enter("value-tilt", "-2")
	p.keptSays("over the other's edit", "changed in another window")
	a.wantKey(p, "tilt", 70, -2)
	a.wantKey(p, "pan", 70, 3)

	// The same keyframe: the later one loses, keeps its message over everything, and
	// may be made all the same.
	q.holds("value-tilt", "-2.00")
	q.enter("value-pan", "4")
	a.wantKey(q, "pan", 70, 4)
	p.enter("value-pan", "8")
	p.reads("lost", "Not done: pan stored at frame 70. Operator changed the same meanwhile: pan stored at frame 70.")
	p.keptSays("an edit not made", "1 change not made")
	a.wantKey(p, "pan", 70, 4)
	p.hear()
	p.must(chromedp.Reload())
	p.wait("the message after a reload", `$('lost') && $('value-pan')?.value === '4.00'`)
	p.enter("value-roll", "0.5")
	a.wantKey(p, "roll", 70, 0.5)
	if !eval[bool](p, `$('lost') !== null`) {
		t.Error("another edit took the unread message away")
	}
	p.look("lost.png")
	p.click("again")
	a.wantKey(p, "pan", 70, 8)
	p.gone("lost")

	// Undo in the other window: it says whose edit, and asks.
	q.holds("value-pan", "8.00")
	q.click("undo")
	q.wait("the question",
		`document.querySelector('#ask-title')?.textContent.trim() === 'Take back what Bo did?' &&
			document.querySelector('#ask-text').textContent.includes('pan stored at frame 70, by Bo')`)
	q.wait("the safe answer", `document.activeElement?.dataset.test === 'ask-no'`)
	q.click("ask-no")
	a.wantKey(q, "pan", 70, 8)
	q.gone("ask-yes")
	q.click("undo")
	q.click("ask-yes")
	a.wantKey(q, "pan", 70, 4)
	q.keptSays("whose", "Taken back: pan stored at frame 70, by Bo")
}

// Without an answer edits wait in order, are never said to be saved, can be taken
// back before they leave, and are sent when there is one, over a reload too.
func TestEditsWaitForAnAnswer(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-pan")
	p.keptSays("nothing to save", "everything saved")
	// Gone in mid-drag: the keyframe stays in the hand, and where it is let go it is moved later.
	p.laidOut()
	x, y := p.centre(`[data-test="staff-pan"] .post[data-key="150"] rect`)
	p.mouse(input.DispatchMouseEventTypeMousePressed, x, y, true)
	p.mouse(input.DispatchMouseEventTypeMouseMoved, x+20, y, true)
	p.wait("a preview", `$('score').dataset.tried === 'dragged'`)
	p.cut()
	p.mouse(input.DispatchMouseEventTypeMouseMoved, x+40, y, true)
	p.mouse(input.DispatchMouseEventTypeMouseReleased, x+40, y, true)
	p.keptSays("the drop waits", "1 change waits")
	p.wait("where it was let go",
		fmt.Sprintf(`Math.abs($('staff-pan', '.post[data-key="150"] rect').getBoundingClientRect().x + 5 - %g) < 8`,
			x+40))
	p.hear()
	p.wait("it is moved", `!$('staff-pan', '.post[data-key="150"]') && !$('score').dataset.tried`)
	p.click("undo")
	p.wait("and back", `$('staff-pan', '.post[data-key="150"]')`)
	p.cut()
	for i, f := range []int{20, 30, 40} {
		p.enter("frame", fmt.Sprint(f))
		p.enter("value-pan", fmt.Sprint(f))
		p.key("k")
		p.wait("another edit that waits", fmt.Sprintf(`$('kept').textContent.trim().startsWith('%d change')`, i+1))
	}
	p.keptSays("why they wait", "3 changes wait: the application does not answer")
	p.click("undo")
	p.keptSays("one taken back", "2 changes wait")
	p.click("seal")
	p.warns("This is not done")
	if _, ok := a.key("pan", 20); ok {
		t.Error("an edit left a window without a network")
	}
	p.hear()
	p.wait("both in", `$('staff-pan', '.post[data-key="20"]') && $('staff-pan', '.post[data-key="30"]')`)
	a.wantKey(p, "pan", 20, 20)
	a.wantKey(p, "pan", 30, 30)
	if _, ok := a.key("pan", 40); ok {
		t.Error("what was taken back before it left was sent")
	}
	// From before a reload: sent once, however often it was sent before.
	var v struct{ Revision int64 }
	a.get("/api/shots/"+a.shot, &v)
	deed := "01a2103b-e161-71d6-aea5-37eb98638551"
	edit := fmt.Sprintf(`{"revision":%d,"deed":"%s","edit":{"op":"room","frame":70,"frames":10}}`, v.Revision, deed)
	if code, b := a.post("/api/shots/"+a.shot+"/edits", edit); code != http.StatusOK {
		t.Fatal(b)
	}
	p.must(chromedp.Evaluate[chromedp.Void](
		fmt.Sprintf(
			`sessionStorage.setItem('keenarc.waiting', JSON.stringify([{ deed: '%s', shot: '%s', revision: %d,
				edit: { op: 'room', frame: 70, frames: 10 }, done: 'Room.' }]))`, deed, a.shot, v.Revision)))
	p.must(chromedp.Reload())
	p.wait("the answer",
		`$('staff-track', '.post[data-key="160"]') && sessionStorage.getItem('keenarc.waiting') === '[]'`)
	if _, ok := a.key("track", 170); ok {
		t.Error("an edit sent twice was made twice")
	}
}

// On a sealed path an edit says what it opens; the sealed path is one press away,
// undone it is sealed again, and S asks before passes are left behind.
func TestStrayEditsOnASealedPath(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	a.kept(1, 10001, false)
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the score", `$('staff-pan', '.post[data-key="70"] rect')?.getBoundingClientRect().x > 200`)
	p.reads("seal", "sealed")
	p.focusStaff("pan")
	p.key("f")
	p.chord("ArrowRight", "ArrowRight", 39, 0)
	p.keptSays("what it opens", "Opens sealed path 1")
	p.reads("opened", "Not as sealed path 1 any more; 1 pass is finished on it.")
	p.look("opened.png")
	p.chord("z", "KeyZ", 90, ctrl)
	p.wait("sealed again", `!$('opened') && $('seal').textContent.includes('sealed')`)
	p.chord("ArrowRight", "ArrowRight", 39, 0)
	p.there("opened")
	p.key("s")
	p.wait("the question", `document.querySelector('#ask-text')?.textContent.includes('is finished on path 1')`)
	p.wait("the safe answer", `document.activeElement?.dataset.test === 'ask-no'`)
	p.click("ask-no")
	p.gone("ask-no")
	p.click("resume")
	p.gone("opened")
	a.wantKey(p, "pan", 0, 24)
	p.chord("ArrowRight", "ArrowRight", 39, 0)
	p.there("opened")
	p.key("s")
	p.click("ask-yes")
	p.wait("a new path",
		`$('seal').textContent.includes('sealed') && document.querySelector('.strip').textContent.includes('path 2')`)
}

// The whole job by keyboard, from the bookshelf to a rolling rig, in a third of the
// fifty times that Tab had to be pressed.
func TestTheWholeJobByKeyboard(t *testing.T) {
	holds(t)
	a := start(t)
	p := a.open("/")
	p.there("shot-SL-010")
	tabs := 0
	tabTo := func(id string) {
		t.Helper()
		for range 20 {
			if eval[string](p, `document.activeElement?.dataset?.test ?? ''`) == id {
				return
			}
			p.key("\t")
			tabs++
		}
		t.Fatalf("%s is not reached with Tab", id)
	}
	confirm := func() {
		t.Helper()
		p.wait("the safe answer", `document.activeElement?.dataset.test === 'ask-no'`)
		tabTo("ask-yes")
		p.key("\r")
		p.gone("ask-no")
	}
	tabTo("shot-SL-010")
	p.key("\r")
	p.there("staff-pan")
	p.key("t")
	p.wait("the staff", `document.activeElement?.dataset.test === 'staff-track'`)
	p.key("]")
	p.chord("ArrowRight", "ArrowRight", 39, 0)
	a.wantKey(p, "track", 70, 530)
	p.key("s")
	p.reads("seal", "sealed")
	p.key("2")
	p.wait("Line up", `document.querySelector('[data-test="home"]:not([disabled])')`)
	a.homed(func() { p.key("h"); confirm() })
	p.key("5")
	p.there("hold")
	a.atFirst(p, func() { p.key("f"); confirm() })
	p.wait("the hold target", `document.activeElement?.dataset.test === 'hold'`)
	a.rollsByKey(p)
	t.Logf("Tab was pressed %d times", tabs)
	if tabs > 17 {
		t.Errorf("Tab was pressed %d times, at most 17 of the fifty before", tabs)
	}
}

// Shots can be renamed and have a timecode of their own to start at; fields have
// their labels above them.
func TestNamesAndTimecodes(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/")
	p.click("change-SL-010")
	p.holds("title", "Harbour approach")
	p.must(chromedp.Evaluate[chromedp.Void](`document.querySelector('[data-test="start"]').select()`),
		chromedp.SendKeys(chromedp.CSS(test("start")), "10:00:00:99"))
	p.click("keep")
	p.wait("a sentence", `$('change-form', '[role="alert"]')?.textContent.includes('timecode: frame 99 of a second')`)
	p.must(chromedp.Evaluate[chromedp.Void](`document.querySelector('[data-test="start"]').select()`),
		chromedp.SendKeys(chromedp.CSS(test("start")), "01:02:03:00"))
	p.must(chromedp.Evaluate[chromedp.Void](`document.querySelector('[data-test="title"]').select()`),
		chromedp.SendKeys(chromedp.CSS(test("title")), strings.Repeat("Harbour ", 10)))
	p.look("rename.png")
	p.click("keep")
	p.reads("shot-SL-010", "Harbour Harbour")
	p.click("shot-SL-010")
	p.wait("the timecode", `document.querySelector('.count')?.textContent.includes('01:02:03:00')`)
	p.wait("the saved state beside a long name",
		`$('kept').getBoundingClientRect().bottom <= document.querySelector('.strip').getBoundingClientRect().bottom`)
	// With letter keys off the strip names what to press.
	p.does(`localStorage.setItem('keenarc.letters', 'false')`)
	p.must(chromedp.Reload())
	p.wait("a button's name", `$('ready', 'strong')?.textContent.includes('Use Line up in the rail, then Home.')`)
}

// Passes that were looked up before the shot was, beside it, are looked up again: somebody else has
// changed one in between, and the shot is shown as new as that already.
func TestPassesAsNewAsTheShot(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/shoot")
	p.holds("pass-delay", "0")
	list, err := a.Store.Passes(t.Context(), a.shot)
	if err != nil {
		t.Fatal(err)
	}
	delay := func(ms int) {
		t.Helper()
		body := fmt.Sprintf(`{"shot":%q,"delay_ms":%d}`, a.shot, ms)
		if code, said := a.put("/api/passes/"+list[0].ID, body); code != 200 {
			t.Fatal(said)
		}
	}
	// What asks for the shot itself is held back; its passes are not.
	p.does(`window.fast = window.fetch; window.lookedUp = 0;
		window.gate = new Promise((go) => { window.opened = go; });
		window.fetch = async (r, ...a) => {
			const at = new URL(r.url ?? r, location).pathname;
			if (at === '/api/shots/` + a.shot + `') await window.gate;
			const answer = await window.fast(r, ...a);
			if (at.endsWith('/passes')) window.lookedUp++;
			return answer;
		}`)
	delay(1000)
	p.wait("the passes looked up", `window.lookedUp > 0`)
	delay(2000)
	p.does(`window.opened()`)
	p.holds("pass-delay", "2")
}
