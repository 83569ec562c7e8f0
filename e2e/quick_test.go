package e2e

import (
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// A value that is typed on a keyframe, Enter, and K in the same moment: what was typed is stored,
// of the ring's distance, too, of which the place is asked first.
func TestATypedValueIsStoredByKAtOnce(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("value-track")
	p.atRest()
	stored := func(axis string) float64 {
		t.Helper()
		var v struct {
			Path struct {
				Tracks []struct {
					Axis string
					Keys []struct{ Frame, Value float64 }
				}
			}
		}
		a.get("/api/shots/"+a.shot, &v)
		for _, tr := range v.Path.Tracks {
			if tr.Axis == "plank/"+axis {
				return tr.Keys[0].Value
			}
		}
		t.Fatal("no " + axis)
		return 0
	}
	type1 := func(id, text string) {
		t.Helper()
		p.does(fmt.Sprintf(
			`(() => { const e = $(%q); e.focus(); e.value = %q; e.dispatchEvent(new Event('input', { bubbles: true }));
				e.dispatchEvent(new Event('change', { bubbles: true })); e.blur();
			document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'k', bubbles: true })); })()`, id, text))
	}
	until := func(axis string, ok func(float64) bool) {
		t.Helper()
		p.strip("All axes stored at 0000")
		p.atRest()
		for late := time.Now().Add(10 * time.Second); !ok(stored(axis)); time.Sleep(50 * time.Millisecond) {
			if time.Now().After(late) {
				t.Fatalf("%s is stored as %g", axis, stored(axis))
			}
		}
	}
	for n := range 5 {
		want := 130 + float64(n)
		type1("value-track", fmt.Sprint(want))
		until("track", func(v float64) bool { return v == want })
	}
	was := stored("focus")
	type1("value-focus", "1.6")
	until("focus", func(v float64) bool { return math.Abs(v-was) > 0.1 })
	p.holds("value-focus", "1.600")
	// Two values and K: both.
	type1("value-pan", "3")
	type1("value-tilt", "-2")
	until("tilt", func(v float64) bool { return v == -2 })
	if v := stored("pan"); v != 3 {
		t.Errorf("pan is stored as %g", v)
	}
}

// Quick hands: twenty times back and twenty again, 8 ms apart, arrive where they should; Caps Lock
// makes no other command of a letter; a list takes the letters of its entries and leaves the
// others; what is copied is pasted where the hand is.
func TestQuickKeys(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.composes(t)
	typed := func(js string) { // with e, which types a key on what has the focus
		t.Helper()
		if !eval[bool](p, `(async () => {
			const e = (key, more = {}) => (document.activeElement ??
			document.body).dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true,
			cancelable: true, ...more }));
			`+js+`
			return true; })()`) {
			t.Fatal(js)
		}
	}
	for i := range 20 {
		p.enter("value-track", fmt.Sprint(130+i))
	}
	a.wantKey(p, "track", 0, 149)
	p.does(`document.activeElement?.blur()`)
	p.atRest()
	n := a.revision()
	typed(`for (let i = 0; i < 20; i++) { e('z', { ctrlKey: true }); await new Promise((go) => setTimeout(go, 8)); }`)
	a.wantKey(p, "track", 0, 120)
	typed(`for (let i = 0; i < 20; i++) { e('Z', { ctrlKey: true, shiftKey: true });
		await new Promise((go) => setTimeout(go, 8)); }`)
	a.wantKey(p, "track", 0, 149)
	p.atRest()
	if now := a.revision(); n != 20 || now != 60 {
		t.Errorf("%d edits, forty steps: revision %d", n, now)
	}
	if text := eval[string](p, `document.querySelector('.trouble')?.textContent ?? ''`); text != "" {
		t.Errorf("it says %q", text)
	}

	// Held down it goes on no longer than it is held.
	typed(`for (let i = 0; i < 15; i++) e('z', { ctrlKey: true, repeat: i > 0 });`)
	p.strip("Taken back")
	p.atRest()
	if now := a.revision(); now != 61 {
		t.Errorf("a key that is held in one breath made %d steps", now-60)
	}

	p.enter("frame", "30")
	p.does(`document.activeElement?.blur()`)
	typed(`e('K')`) // Caps Lock
	p.strip("All axes stored at 0030")
	p.enter("frame", "40")
	p.does(`document.activeElement?.blur()`)
	typed(`e('k', { shiftKey: true })`)
	p.strip("Track stored at 0040")
	if _, ok := a.key("pan", 40); ok {
		t.Error("Shift and Caps Lock store all axes")
	}

	p.must(chromedp.Focus(chromedp.CSS(test("rate"))))
	typed(`e('f')`)
	p.wait("the first frame", `$('counter').textContent.trim() === '0000'`)
	p.must(chromedp.Focus(chromedp.CSS(test("kind"))))
	p.enter("frame", "70")
	p.must(chromedp.Focus(chromedp.CSS(test("kind"))))
	typed(`e('n')`) // natural
	if at := p.text("counter"); at != "0070" {
		t.Errorf("a list's own letter goes to %s", at)
	}

	// Copied on one staff, pasted on the one that has the focus.
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.chord("a", "KeyA", 65, ctrl)
	text := eval[string](p,
		`(() => { const d = new DataTransfer(); document.dispatchEvent(new ClipboardEvent('copy', { clipboardData: d,
			bubbles: true, cancelable: true })); return d.getData('text/plain'); })()`)
	p.enter("frame", "5")
	p.focusStaff("roll")
	p.does(fmt.Sprintf(
		`const d = new DataTransfer(); d.setData('text/plain', %q); document.dispatchEvent(new ClipboardEvent('paste',
			{ clipboardData: d, bubbles: true, cancelable: true }))`, text))
	p.strip("put in at 0005")
	a.wantKey(p, "roll", 5, 24)

	// Passing words leave.
	p.wait("the strip to be free again", `!document.querySelector('.strip').textContent.includes('put in at')`)
}
