package e2e

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"keenarc/core/clock"
	"keenarc/link"
	"keenarc/web"
)

// A pass is steered while it is held: slower, to a stand, back and on again, by keys and by
// pointer. What it ran on is kept with the take, and its frames are judged.
func TestAPassIsSteered(t *testing.T) {
	holds(t)
	a := start(t, homedAlready, twice)
	p := a.open("/shot/" + a.shot + "/compose")
	a.ready(p)
	p.key("5")
	p.there("pass-kind")
	p.choose("pass-kind", "live")
	p.wait("its speeds", `$('steer-1')?.disabled`)
	p.enter("pass-ease", "0.05")
	p.warns("ease: 50 ms")
	p.enter("pass-ease", "0.3")
	p.reads("pass-1", "give it a longer ease")
	p.enter("pass-ease", "1.5")
	p.holds("pass-ease", "1.5")
	pressed := func(share string) {
		p.wait("the speed "+share, `document.querySelector('[data-test="steer-`+share+
			`"]').getAttribute('aria-pressed') === 'true'`)
	}
	a.rolling(p, 12)
	p.key(kb.ArrowDown)
	pressed("0.5")
	a.underWay(30)
	p.does(`$('steer--0.5').dispatchEvent(new PointerEvent('pointerdown', { bubbles: true, cancelable: true,
		button: 0 }))`)
	pressed("-0.5")
	most := 0.0
	a.rigWait("on its way back", func(s link.State, _ bool) bool {
		most = max(most, s.Frame)
		return s.Mode == link.Rolling && s.Frame < most-5
	})
	p.key(kb.ArrowUp)
	p.key(kb.ArrowUp)
	pressed("0")
	p.key(kb.ArrowUp)
	p.key(kb.ArrowUp)
	p.key(kb.ArrowUp)
	pressed("1")
	p.reads("hold-says", "finished")
	p.space(false)
	lines, err := a.Store.Takes(t.Context(), a.shot)
	if err != nil || len(lines) == 0 {
		t.Fatal(err)
	}
	k, err := a.Store.Take(t.Context(), lines[len(lines)-1].ID)
	if err != nil || k.Broken || k.Clock.Kind != clock.Live || len(k.Clock.Steers) < 3 {
		t.Fatalf("the take: %+v, broken %v (%s), %v", k.Clock, k.Broken, k.Why, err)
	}
	if !slices.ContainsFunc(k.Clock.Steers, func(s clock.Steer) bool { return s.Num < 0 }) {
		t.Errorf("it was not turned back: %v", k.Clock.Steers)
	}
	back := 0
	for i := 1; i < len(k.Trace.Pos); i++ {
		if k.Trace.Pos[i] < k.Trace.Pos[i-1] {
			back++
		}
	}
	if back < 300 {
		t.Errorf("it went back for %d ms", back)
	}
	p.reads("pass-1", "from the seal at most")
	_, errs := p.seen()
	if errs = slices.DeleteFunc(errs, func(s string) bool { return strings.Contains(s, "422") }); len(errs) >
		0 { // refused on purpose
		t.Errorf("the page says %v", errs)
	}
}

// Pictures at an interval, a locked camera and a pass that runs backward are set where a pass
// is, and readiness speaks of where the pass begins.
func TestClocksAreSet(t *testing.T) {
	holds(t)
	a := start(t, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	a.ready(p)
	p.key("5")
	p.there("pass-kind")
	p.choose("pass-kind", "stepped")
	p.wait("its numbers",
		`$('pass-pictures')?.value === '240' && $('pass-1').textContent.includes('240 pictures, 20 min')`)
	p.enter("pass-pictures", "120")
	p.enter("pass-interval", "12")
	p.enter("pass-move", "13")
	p.warns("so that it stands for the picture")
	p.enter("pass-move", "4")
	p.wait("half of them, and a thin trace",
		`/show 120 of 240 frames.*a sample every 2 ms/.test($('pass-1').textContent)`)
	p.choose("pass-kind", "steady")
	p.enter("pass-clock", "3")
	p.click("pass-locked")
	p.reads("pass-1", "show 80 of 240 frames")
	p.enter("pass-clock", "1")
	p.click("pass-locked")
	p.choose("pass-way", "around")
	p.reads("pass-1", "close the move, or go there and back")
	p.choose("pass-way", "back")
	p.reads("go-first", "go to last frame")
	p.reads("ready", "from frame 0240. Press F")
	p.click("go-first")
	p.wait("what is asked",
		`$('ask')?.textContent.includes('the last frame') ??
			document.body.textContent.includes('Send the rig to the last frame?')`)
	p.click("ask-yes")
	p.wait("ready", `$('hold').classList.contains('ready')`)
}

// Fields of a pass that are given in one breath are all kept; what comes from elsewhere does not
// replace what is being typed, and is not overwritten unseen.
func TestPassFieldsInOneBreath(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/shoot")
	p.wait("the pass's fields", `$('pass-delay') && $('pass-ease')`)
	var ps []web.PassView
	spec := func() clock.Spec {
		t.Helper()
		a.get("/api/shots/"+a.shot+"/passes", &ps)
		return ps[0].Clock
	}
	p.does(`(() => {
		for (const [name, v] of [["delay", "1.5"], ["ease", "0.4"], ["clock", "1/2"], ["delay", "2.5"]]) {
			const e = document.querySelector('[data-test="pass-' + name + '"]');
			e.focus();
			e.value = v;
			e.dispatchEvent(new Event("input", { bubbles: true }));
			e.dispatchEvent(new Event("change", { bubbles: true }));
		}
		document.activeElement.blur();
	})()`)
	p.wait("they stand there",
		`$('pass-delay').value === '2.5' && $('pass-ease').value === '0.4' && $('pass-clock').value === '1/2'`)
	for late := time.Now().Add(10 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if c := spec(); c.DelayMS == 2500 && c.EaseMS == 400 && c.Factor == (clock.Rate{Num: 1, Den: 2}) {
			break
		} else if time.Now().After(late) {
			t.Fatalf("kept: %+v", c)
		}
	}
	// Somebody else changes the same field while it is typed in.
	p.click("pass-delay")
	p.wait("the focus is there", `document.hasFocus() && document.activeElement.dataset.test === 'pass-delay'`)
	p.must(chromedp.KeyEvent("7"))
	typed := eval[string](p, `$('pass-delay').value`)
	if code, b := a.put("/api/passes/"+ps[0].ID, `{"shot":"`+a.shot+`","delay_ms":3000}`); code != 200 {
		t.Fatal(b)
	}
	time.Sleep(1500 * time.Millisecond) // it has come over
	if got := eval[string](p, `$('pass-delay').value`); got != typed || !strings.Contains(got, "7") {
		t.Errorf("under the hand it became %q", got)
	}
	if eval[bool](p, `document.activeElement.dataset.test !== 'pass-delay'`) {
		t.Error("the focus is gone")
	}
	p.must(chromedp.KeyEvent(kb.Tab)) // left, it is given: over one that was not seen
	p.wait("it is refused", `document.body.textContent.includes('changed the delay of this pass meanwhile')`)
	p.holds("pass-delay", "3")
}
