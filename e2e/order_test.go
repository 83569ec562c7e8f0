package e2e

import (
	"io"
	"math"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"keenarc/store"
	"keenarc/web"
)

// order is a shot's running order.
func (a *app) order(shot string) *web.OrderView {
	a.t.Helper()
	v := &web.OrderView{}
	a.get("/api/shots/"+shot+"/order", v)
	return v
}

// other is the id of another of the demo's shots, by its code.
func (a *app) other(code string) string {
	a.t.Helper()
	var shelf []store.Production
	a.get("/api/shelf", &shelf)
	for _, s := range shelf[0].Shots {
		if s.Code == code {
			return s.ID
		}
	}
	a.t.Fatalf("no %s", code)
	return ""
}

// A set-up in mid-day is finished by pressing, in one window while another watches;
// it is there after a reload; changed, checked, taken back, held against another plan,
// and printed.
func TestRunningOrder(t *testing.T) {
	beside(t)
	a := start(t)
	at := "/shot/" + a.shot + "/rig-up/order"
	p, q := a.open(at), a.open(at)
	p.reads("order-says", "holds everything up")
	q.reads("order-says", "holds everything up")
	before := a.order(a.shot)
	if before.Days != 9 || before.Sheet.Done == 0 || before.Sheet.Over {
		t.Errorf("%d days, %d done", before.Days, before.Sheet.Done)
	}
	p.click("done-level")
	q.wait("the other window sees it",
		`document.querySelector('[data-test="start-mount"], [data-test="done-weigh"]') && !$('done-level')`)
	p.click("done-weigh")
	p.click("start-mount")
	p.wait("it runs", `$('step-mount').getAttribute('aria-label').includes('running')`)
	p.must(chromedp.Reload())
	p.there("done-mount")

	// A step is changed by hand; what cannot be is said, and nothing is lost.
	p.click("step-home")
	p.reads("step-says", "decides")
	p.reads("step-rests", "rests on 9 days")
	p.enter("step-minutes", "45")
	p.click("step-keep")
	p.reads("order-said", "Kept")
	if v := a.order(a.shot); v.Sheet.Course.DrawnMin < before.Sheet.Course.DrawnMin+25 {
		t.Errorf("%g was %g", v.Sheet.Course.DrawnMin, before.Sheet.Course.DrawnMin)
	}
	p.enter("step-minutes", "0")
	p.click("step-keep")
	p.reads("step-wrong", "home takes no time; give minutes above zero")
	p.enter("step-minutes", "45")
	p.click("after-lens")
	p.click("step-keep")
	p.reads("step-wrong", "in a circle: home after lens after home")
	p.click("after-lens")
	p.click("after-boot")
	p.click("step-keep")
	p.reads("order-said", "Kept")
	p.click("step-close")
	p.reads("order-changed", "Changed under way: by the first plan it was ready at")
	p.reads("order-breaks", "homing needs its drives")
	p.click("order-back")
	p.gone("order-breaks")
	p.click("order-back")
	p.reads("order-said", "Taken back")
	p.click("order-back")
	p.wait("as it was", `fetch('/api/shots/`+a.shot+
		`/order').then((r) => r.json()).then((v) => v.order.steps.some((s) => s.id === 'home' && s.minutes < 20))`)

	// Another plan beside it, then instead of it.
	p.click("order-compare")
	p.reads("against-ready", ":")
	p.click("against-drop")
	p.gone("against-ready")
	// On paper.
	r, err := http.Get(a.Addr + "/api/shots/" + a.shot + "/order.pdf")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	if b, err := io.ReadAll(r.Body); err != nil || r.StatusCode != 200 || !strings.HasPrefix(string(b), "%PDF-1.") ||
		r.Header.Get("Content-Type") != "application/pdf" {
		t.Errorf("%d %v", r.StatusCode, err)
	}

	// By keys, and by the day: a step is added with its thread, begun from the drawing.
	p.click("order-add")
	p.enter("step-name", "tape the floor")
	p.enter("step-minutes", "200")
	p.enter("step-p80", "240")
	p.click("step-keep")
	p.wait("drawn", `[...$$('order-drawing', 'text')].some((t) => t.textContent.includes('tape'))`)
	p.click("step-remove")
	p.wait("gone", `![...$$('order-drawing', 'text')].some((t) => t.textContent.includes('tape'))`)
	// The crane's is for later; one begins anew from a starting network, learnt from days.
	p2 := a.open("/shot/" + a.other("SL-020") + "/rig-up/order")
	p2.reads("order-says", "It starts at")
	p2.click("order-begin")
	p2.enter("begin-crew", "0")
	p2.click("begin-go")
	p2.reads("begin-wrong", "the crew is 0; give 1 to 40")
	p2.enter("begin-crew", "8")
	p2.click("begin-go")
	p2.wait("eight", `document.querySelector('.order')?.textContent.includes('crew of 8')`)
	// What would help is held beside it, and is the plan then: ready when it said, at every place.
	crane := a.other("SL-020")
	p2.click("help")
	p2.reads("against-ready", ":")
	want := a.order(crane).Sheet
	if want.Helps[0].Ready != want.Against.Ready {
		t.Errorf("help says %s, held beside it is %s", want.Helps[0].Ready, want.Against.Ready)
	}
	p2.click("against-take")
	p2.gone("against-ready")
	v := a.order(crane)
	if math.Abs(v.Sheet.Course.ReadyMin-want.Against.ReadyMin) > 0.5 || v.Order.Against != nil {
		t.Errorf("%g, want %g", v.Sheet.Course.ReadyMin, want.Against.ReadyMin)
	}
	p2.wait("the drawing says what the headline says",
		`[...$$('order-drawing',
			'text.end')].some((t) => $('order-ready').textContent.trim().startsWith(t.textContent.trim()))`)
}
