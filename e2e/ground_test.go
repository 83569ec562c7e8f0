package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// Esc held down is one stop: the key's repeats are not sent.
func TestEscHeldDownIsOneStop(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("seal")
	before := a.stops(t)
	p.does(`for (let i = 0; i < 30; i++) window.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape',
		repeat: i > 0, bubbles: true }))`)
	for late := time.Now().Add(10 * time.Second); a.stops(t) == before; {
		if time.Now().After(late) {
			t.Fatal("Esc does not stop")
		}
		p.must(chromedp.Sleep(50e6))
	}
	p.must(chromedp.Sleep(500e6))
	if n := a.stops(t) - before; n != 1 {
		t.Errorf("held down it stops %d times", n)
	}
	// A question that is open goes with it, wherever the focus is; that a stop was missed can be read.
	p = a.open("/shot/" + a.shot + "/compose")
	p.wait("it is seen", `document.querySelector('[data-test="live-on"]:not([disabled])')`)
	for _, stop := range []func(){func() { p.key("\u001b") }, func() {
		p.does(`document.querySelector('.strip > .stop').click()`)
	}} {
		p.asks("live-on")
		p.does(`document.activeElement?.blur()`)
		stop()
		p.wait("no question", `!document.getElementById('ask-text')`)
	}
	p.does(`window.fetch = () => Promise.reject(new TypeError('cut off'))`)
	p.asks("live-on")
	p.key("\u001b")
	p.reads("stop-missed", "could not be sent")
	p.click("stop-read")
	p.gone("stop-missed")
}

// What can never be stored is named on Wrap, with its file, and in the log.
func TestWrapNamesWhatWasSetAside(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/wrap")
	p.wait("the log", `document.querySelector('.wrap')`)
	if eval[bool](p, `$('aside') !== null`) {
		t.Error("something is said to be set aside")
	}
	aside := a.Floor.Aside().File
	line := `{"do":"log","entry":{"id":"0198f5a0-0000-7000-8000-000000000001","at":"2026-01-02T03:04:05Z",` +
		`"actor":"ann","shot":"0198f5a0-0000-7000-8000-000000000002","kind":"note","text":"of a shot that is gone"}}`
	if err := os.WriteFile(filepath.Join(filepath.Dir(aside), "spool.jsonl"), []byte(line+"\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	p.wait("the file's name", fmt.Sprintf(`$('aside')?.textContent.includes(%q)`, aside))
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/wrap"))
	p.wait("the log's line", fmt.Sprintf(`$('log')?.textContent.includes(%q)`,
		"An entry could not be stored and lies in "+aside))
	p.look("wrap-aside.png")
}

// A keyframe dragged in time and value in an opened staff is one edit, which one
// undo takes back; onto its neighbour it is refused, and both stay.
func TestADragIsOneEdit(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.laidOut()
	p.focusStaff("pan")
	p.chord("Enter", "Enter", 13, 0)
	p.wait("an open staff", `$('staff-pan').dataset.opened === 'true'`)
	at := func(f int) (x, y float64) {
		r := eval[[]float64](p,
			fmt.Sprintf(
				`(() => { const r = $('staff-pan', '.post[data-key="%d"] rect:nth-of-type(2)').getBoundingClientRect();
					return [r.x + r.width / 2, r.y + r.height / 2]; })()`, f))
		return r[0], r[1]
	}
	x, y := at(70)
	x1, _ := at(150)
	perFrame := (x1 - x) / 80
	p.must(chromedp.DragAndDropXY(x, y, x+20*perFrame, y-20, 8))
	p.strip("0070 moved to 0090")
	if v, ok := a.key("pan", 90); !ok || v <= 9.5 {
		t.Errorf("pan at 90 is %g, %v", v, ok)
	}
	p.click("undo")
	p.wait("the undo", `$('staff-pan', '.post[data-key="70"]')`)
	a.wantKey(p, "pan", 70, 9)
	x, y = at(70)
	p.must(chromedp.DragAndDropXY(x, y, x1, y-30, 8))
	p.warns("pan has a keyframe at 150 already")
	a.wantKey(p, "pan", 70, 9)
	a.wantKey(p, "pan", 150, -12)
}
