package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"keenarc/link"
)

// pointer presses or lets go of the pointer at the middle of something.
func (p *page) pointer(id string, typ input.DispatchMouseEventType) {
	p.t.Helper()
	at := eval[[]float64](p, `(() => { const r = document.querySelector('`+test(id)+
		`').getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]; })()`)
	if _, err := chromedp.Call(p.ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: typ, X: at[0],
		Y: at[1], Button: input.MouseButtonLeft, ClickCount: 1}); err != nil {
		p.t.Fatal(err)
	}
}

// An axis moves while its target is held, the right way, slowly at first; let go, it
// comes to rest; a page that freezes lets go, too; and nothing else moves it.
func TestJog(t *testing.T) {
	alone(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up")
	p.wait("the axes", `document.querySelector('[data-test="jog-up"][aria-disabled="false"]')`)
	p.click("pick-axis-pan")
	p.reads("home-one", "Pan")
	pan := func() float64 { return a.Floor.Now().State.Pos("pan") }
	jogging := func(s link.State, _ bool) bool { return s.Mode == link.Jogging }
	still := func(s link.State, _ bool) bool { return s.Mode == link.Idle }
	was, others := pan(), a.Floor.Now().State.Axes
	p.pointer("jog-up", input.DispatchMouseEventTypeMousePressed)
	a.rigWait("jogging", jogging)
	began := time.Now()
	for time.Since(began) < 500*time.Millisecond {
		time.Sleep(20 * time.Millisecond)
	}
	crawl := pan() - was
	p.pointer("jog-up", input.DispatchMouseEventTypeMouseReleased)
	a.rigWait("still", still)
	far := pan() - was
	speed := a.jogSpeed("pan")
	if crawl <= 0 || far <= 0 || far > 0.3*speed {
		t.Errorf("held for half a second it went %.2f°, %.2f in all; a tenth of its %.1f°/s is %.2f", crawl, far,
			speed, 0.05*speed)
	}
	for id, v := range others {
		if d := a.Floor.Now().State.Pos(id) - v.Pos; id != "pan" && (d > 0.05 || d < -0.05) {
			t.Errorf("%s moved, too: %g", id, d)
		}
	}
	// By the keyboard, the other way; the page freezes in the middle.
	p.must(chromedp.Focus(chromedp.CSS(test("jog-down"))))
	was = pan()
	p.space(true)
	a.rigWait("jogging", jogging)
	time.Sleep(300 * time.Millisecond)
	p.freeze()
	a.rigWait("still, the page being frozen", still)
	p.thaw()
	p.space(false)
	if d := pan() - was; d >= 0 {
		t.Errorf("the other way it went %.2f°", d)
	}
	// Not while something else moves it.
	a.post("/api/machines/plank/home", "{}")
	p.wait("it is off", `document.querySelector('[data-test="jog-up"][aria-disabled="true"]')`)
	if _, errs := p.seen(); len(errs) > 0 && !strings.Contains(strings.Join(errs, " "),
		"Back-Forward Cache") { // a frozen page loses its sockets
		t.Errorf("the page complains: %v", errs)
	}
}

func (a *app) jogSpeed(axis string) float64 {
	var list []struct {
		Rig struct{ ID string }
		Jog map[string]float64 `json:"jog_speeds"`
	}
	a.get("/api/machines", &list)
	for _, m := range list {
		if m.Rig.ID == "plank" {
			return m.Jog[axis]
		}
	}
	return 0
}
