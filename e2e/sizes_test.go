package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// outside lists, of the things named, those that are not wholly in the window, cut
// by something they lie in, or covered at their middle by something else. With
// reach, each may be scrolled to first.
const outside = `((ids, reach) => ids.flatMap((id) => {
	const e = document.querySelector(id);
	if (!e) return [id + ' is not there'];
	if (reach) e.scrollIntoView({ block: 'nearest', inline: 'nearest' });
	const r = e.getBoundingClientRect();
	if (r.width < 4 || r.height < 4) return [id + ' has no size'];
	if (r.left < -0.5 || r.top < -0.5 || r.right > document.documentElement.clientWidth + 0.5 ||
	r.bottom > innerHeight + 0.5) return [id + ' is outside: ' + [r.left, r.top, r.right, r.bottom].map(Math.round)];
	for (let p = e.parentElement; p; p = p.parentElement) {
		const s = getComputedStyle(p), q = p.getBoundingClientRect();
		if (s.overflowX !== 'visible' && (r.left < q.left - 1 ||
		r.right > q.right + 1)) return [id + ' is cut by ' + p.className + ' at its side'];
		if (s.overflowY !== 'visible' && (r.top < q.top - 1 ||
		r.bottom > q.bottom + 1)) return [id + ' is cut by ' + p.className + ' above or below'];
	}
	const top = document.elementFromPoint(r.left + r.width / 2, r.top + r.height / 2);
	return top && (e.contains(top) || top.contains(e)) ? [] : [id + ' is covered by ' + (top?.className?.baseVal ??
	top?.className)];
}))`

func (p *page) allThere(what string, reach bool, ids ...string) {
	p.t.Helper()
	quoted := make([]string, len(ids))
	for i, id := range ids {
		if !strings.HasPrefix(id, ".") {
			id = `[data-test="` + id + `"]`
		}
		quoted[i] = fmt.Sprintf("%q", id)
	}
	for _, wrong := range eval[[]string](p, fmt.Sprintf("%s([%s], %v)", outside, strings.Join(quoted, ","), reach)) {
		p.t.Errorf("%s: %s", what, wrong)
	}
	if over := eval[float64](p,
		`(() => { const m = document.querySelector('#stage'); return Math.max(m.scrollWidth - m.clientWidth,
			document.documentElement.scrollWidth - innerWidth); })()`); over > 0 {
		p.t.Errorf("%s: %g px too wide", what, over)
	}
}

// TestSizes: with scrollbars shown, at the widths of a tablet, a desk and a wall,
// at 150 %, with long names and with every field of the plan's bar there, nothing
// named is outside, cut or covered; on a phone Stop is in reach.
func TestSizes(t *testing.T) {
	beside(t)
	finder(t)
	a := start(t)
	long := strings.Repeat("Harbour approach at dusk ", 4)[:80]
	p := a.open("/")
	p.must(chromedp.Evaluate[chromedp.Void](
		fmt.Sprintf(
			`fetch('/api/shots/%s', { method: 'PUT', headers: { 'Content-Type': 'application/json' },
				body: JSON.stringify({ code: 'SL-010', title: %q,
				start_timecode: '10:00:00:00' }) }).then(() => 0)`, a.shot, long)))
	for i, e := range []string{`{"op":"run","run_up":12,"run_out":12}`,
		`{"op":"kind","axis":"pan","kind":"linear","blend":4}`,
		`{"op":"segment","axis":"track","index":0,"kind":"akima"}`} {
		if code, b := a.post("/api/shots/"+a.shot+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, i,
			e)); code != 200 {
			t.Fatal(b)
		}
	}
	strip := []string{"stop", "kept", "counter", ".drive", "ready", ".shot h1"}
	views := map[string][]string{
		"compose": append(strip, "seal", "undo", "redo", "take-out", "frame", "kind", "rate", "factor", "sheet",
			"finder", "score", "half-back", "store", "store-one", "value-focus", "sentence", "staff-focus"),
		"shoot": append(strip, "hold", "go-first", "sheet", "finder", "stack"),
	}
	for _, size := range [][2]int64{{1280, 800}, {1024, 768}, {1920, 1080}, {853, 533}} {
		p.must(chromedp.EmulateViewport(size[0], size[1]))
		small := size[1] < 768
		p.must(chromedp.Navigate(a.Addr + "/"))
		p.there("shot-SL-010")
		what := fmt.Sprintf("shelf at %d × %d", size[0], size[1])
		p.allThere(what, small, "stop", "shot-SL-010", "change-SL-010", "new")
		for s, ids := range views {
			what := fmt.Sprintf("%s at %d × %d", s, size[0], size[1])
			p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/" + s))
			p.wait(what, `$('finder')?.dataset.drawn > 0 && $('ready')?.textContent.includes('roll')`)
			if s == "compose" {
				p.there("staff-pan")
				p.clickOn(`[data-test="staff-pan"] .name`)
				p.wait("the blend's field", `document.querySelector('.bar').textContent.includes('blend')`)
			}
			p.atRest()
			p.look(fmt.Sprintf("%d-%s.png", size[0], s))
			p.allThere(what, small, ids...)
			if s == "shoot" && small { // what rolls the rig needs no scrolling
				p.does(`document.querySelector('#stage').scrollTop = 0`)
				p.allThere(what+", not scrolled", false, "hold", "stop", ".drive")
			}
			p.setInside(what)
		}
	}
	p.must(chromedp.EmulateViewport(390, 800))
	for _, s := range []string{"compose", "shoot"} {
		p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/" + s))
		p.wait(s, `document.querySelector('#stage > div') && $('ready')?.textContent.includes('roll')`)
		p.atRest()
		p.allThere(s+" on a phone", true, "stop")
		p.look("phone-" + s + ".png")
	}
}

// setInside checks that all that is drawn of the set lies on the sheet, and that
// the sheet's own words do not lie over it.
func (p *page) setInside(what string) {
	p.t.Helper()
	for _, wrong := range eval[[]string](p, `(() => {
		const svg = document.querySelector('[data-test="sheet"] .ground'), b = svg.getBoundingClientRect(), out = [];
		const words = [...svg.querySelectorAll('.capt')].map((e) => e.getBoundingClientRect());
		for (const e of svg.querySelectorAll('[data-solid]')) {
			const r = e.getBoundingClientRect(), n = e.dataset.solid;
			if (r.left < b.left || r.right > b.right || r.top < b.top ||
			r.bottom > b.bottom) out.push(n + ' is cut off');
			if (words.some((w) => w.left < r.right && w.right > r.left && w.top < r.bottom &&
			w.bottom > r.top)) out.push('words lie over ' + n);
		}
		if (svg.querySelectorAll('[data-solid]').length < 4) out.push('no set');
		return out; })()`) {
		p.t.Errorf("%s: %s", what, wrong)
	}
}
