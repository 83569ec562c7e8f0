package e2e

import (
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

type axeFinding struct {
	ID, Impact, Help string
	Nodes            []string
}

// outline is a page's elements with their attributes, but for what is drawn, its styles and texts.
const outline = `[...document.querySelectorAll('body *:not(svg *):not([data-test="theme"]):not([data-test="theme"] ` +
	`*)')].map((e) => e.tagName +
	[...e.attributes].filter((a) => a.name !== 'style' && a.name !== 'class' &&
	!a.name.startsWith('data-')).map((a) => ' ' + a.name + '=' + a.value.replace(/[0-9.]+/g, '0')).join('')).join('\n')`

// TestAccess runs axe over every screen, on paper and in blackout, and checks that Compose and Shoot
// need no page scroll at 1280×800. The two lights differ in colours alone (TestAccess sees to that,
// too): in blackout the rules of contrast are asked, on paper all.
func TestAccess(t *testing.T) {
	beside(t)
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-pan")
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	shape := map[string]string{} // what is on each screen, whatever its colours
	theme := ""
	check := func(screen string) {
		t.Helper()
		name := screen + " " + theme
		p.atRest()
		p.faded()
		p.must(chromedp.Evaluate[chromedp.Void](string(axe) + ";void 0"))
		is, rules := eval[string](p, outline), `['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']`
		if was, ok := shape[screen]; ok && was == is {
			rules = `{ type: 'rule', values: ['color-contrast', 'link-in-text-block'] }`
		} else if ok {
			t.Logf("%s is not what it was on paper: all rules are asked", name)
		}
		shape[screen] = is
		found := eval[[]axeFinding](p, `axe.run(document, { resultTypes: ['violations'], runOnly: `+rules+` }).then(r =>
			r.violations.map(v => ({ ID: v.id, Impact: v.impact, Help: v.help, Nodes: v.nodes.slice(0,
			4).map(n => n.target.join(' ') + ' ' + (n.any[0]?.message ?? '')) })))`)
		for _, f := range found {
			t.Errorf("%s: %s (%s): %s %v", name, f.ID, f.Impact, f.Help, f.Nodes)
		}
	}
	for _, theme = range []string{"paper", "blackout"} {
		p.must(chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`localStorage.setItem('keenarc.theme', '"%s"')`, theme)))
		p.must(chromedp.Navigate(a.Addr + "/"))
		p.wait("the shelf", `document.querySelector('.book')`)
		if got := eval[string](p, "document.documentElement.className"); got != theme {
			t.Fatalf("the light is %s, want %s", got, theme)
		}
		check("shelf")
		for _, s := range []string{"rig-up", "rig-up/order", "rig-up/ground", "rig-up/power", "line-up",
			"line-up/points", "compose", "prove", "shoot", "wrap"} {
			p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/" + s))
			p.wait(s, `document.querySelector('#stage > div')`)
			p.reads("ready", "rig seen")
			if s == "compose" || s == "shoot" {
				if over := eval[float64](p,
					`(() => { const m = document.querySelector('#stage');
						return Math.max(m.scrollHeight - m.clientHeight,
						document.documentElement.scrollHeight - innerHeight); })()`); over > 0 {
					t.Errorf("%s scrolls by %g px at 1280×800", s, over)
				}
			}
			check(s)
			if s == "compose" {
				p.click("whole")
				p.there("whole-sheet")
				check("whole move")
				p.click("whole-close")
			}
		}
		p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/line-up"))
		p.click("home")
		p.there("ask-yes")
		check("question")
		p.click("ask-no")
		p.does(`$('keys').click()`)
		p.wait("the keys", `document.querySelector('.switch')`)
		check("keys")
		// With a dialog open, one press of Stop stops.
		before := a.stops(t)
		p.click("stop")
		for late := time.Now().Add(10 * time.Second); a.stops(t) != before+1; {
			if time.Now().After(late) {
				t.Fatal("Stop does not stop while a dialog is open")
			}
			p.must(chromedp.Sleep(50e6))
		}
	}
}

// stops counts how often Stop is in the log.
func (a *app) stops(t *testing.T) int {
	t.Helper()
	lines, err := a.Store.Log(t.Context(), a.shot, 0, 200)
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, l := range lines {
		if l.Kind == "stop" {
			n++
		}
	}
	return n
}
