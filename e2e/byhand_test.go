package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"keenarc/core/clock"
	"keenarc/core/trace"
	"keenarc/journal"
	"keenarc/link"
)

// A framing that is tried is kept with its frame: past other frames, stored edits
// and a reload, until it is stored or taken back; undo takes it back before it
// touches what is stored.
func TestAFramingTriedIsKept(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-pan")
	p.focusStaff("pan")
	p.enter("frame", "100")
	p.enter("value-pan", "12.5")
	p.wait("the tried post", `$('staff-pan', '[data-tried="100"]')`)
	for range 3 {
		p.key(".")
	}
	p.wait("another frame", `$('counter').textContent.trim() === '0103' && $('value-pan').value !== '12.50'`)
	p.must(chromedp.Reload())
	p.wait("the post after a reload", `$('staff-pan', '[data-tried="100"]')?.textContent.includes('tried, not stored')`)
	for range 3 {
		p.key(",")
	}
	p.wait("the framing", `$('value-pan').value === '12.50' && $('tried')`)
	p.look("tried.png")
	// A stored edit elsewhere leaves it alone, and undo takes it first.
	p.enter("frame", "239")
	p.enter("value-track", "1300")
	p.key("k")
	p.strip("All axes stored at 0239")
	p.click("undo")
	p.wait("the framing taken back",
		`!document.querySelector('[data-tried]') && $('counter').textContent.trim() === '0100'`)
	if _, ok := a.key("track", 239); !ok {
		t.Error("undo took a stored edit back before what was only tried")
	}
	p.click("undo")
	p.strip("Taken back: 5 axes stored at frame 239.")
	if _, ok := a.key("track", 239); ok {
		t.Error("the second undo takes nothing back")
	}
	// Storing one axis leaves what was tried on another.
	p.enter("frame", "100")
	p.focusStaff("pan")
	p.enter("value-pan", "7")
	p.enter("value-tilt", "2")
	p.focusStaff("pan")
	p.chord("K", "KeyK", 75, 8)
	p.wait("pan stored, tilt still tried",
		`$('staff-pan', '.post[data-key="100"]') && !$('staff-pan', '[data-tried]') && $('staff-tilt',
			'[data-tried="100"]')`)
	a.wantKey(p, "pan", 100, 7)
}

// Keys that retime a keyframe add up, on the keyframe that was meant, and are one
// edit; with Shift all axes' keyframes move.
func TestRetimingByKey(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the score", `$('staff-track', '.post[data-key="70"]')`)
	for i, e := range []string{`{"op":"set","frame":90,"values":{"track":650}}`,
		`{"op":"set","frame":92,"values":{"track":660}}`} {
		if code, b := a.post("/api/shots/"+a.shot+"/edits", fmt.Sprintf(`{"revision":%d,"edit":%s}`, i,
			e)); code != 200 {
			t.Fatal(b)
		}
	}
	p.must(chromedp.Reload())
	p.wait("two close keyframes", `$('staff-track', '.post[data-key="92"]')`)
	p.enter("frame", "90")
	p.focusStaff("track")
	p.does(`(() => { const s = $('staff-track'); for (let i = 0; i < 6;
		i++) s.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', altKey: true, bubbles: true,
		cancelable: true })); })()`)
	p.strip("Track: 0090 moved to 0096")
	a.wantKey(p, "track", 96, 650)
	a.wantKey(p, "track", 92, 660)
	p.click("undo")
	p.wait("one undo", `$('staff-track', '.post[data-key="90"]')`)
	a.wantKey(p, "track", 90, 650)
	prevented := eval[bool](p,
		`!$('staff-track').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowLeft', altKey: true, bubbles: true,
			cancelable: true }))`)
	if !prevented {
		t.Error("the browser goes back on Alt+left")
	}
	// All axes.
	p.enter("frame", "70")
	p.focusStaff("tilt")
	p.does(`(() => { const s = $('staff-tilt'); for (let i = 0; i < 4; i++) s.dispatchEvent(new KeyboardEvent('keydown',
		{ key: 'ArrowLeft', altKey: true, shiftKey: true, bubbles: true, cancelable: true }));
		s.dispatchEvent(new KeyboardEvent('keyup', { key: 'Alt', bubbles: true })); })()`)
	p.strip("All axes: 0070 moved to 0066")
	for axis, want := range map[string]float64{"track": 520, "pan": 9} {
		a.wantKey(p, axis, 66, want)
	}
}

// After a dialog the focus is on the hold target, a key reaches it, and Space
// elsewhere says where to press. Dialogs focus their safe answer, each time.
func TestTheHoldByKeyboard(t *testing.T) {
	holds(t)
	a := start(t, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	a.ready(p)
	p.key("5")
	p.there("hold")
	focus := func(what, id string) {
		t.Helper()
		p.wait(what, `document.activeElement?.dataset.test === '`+id+`'`)
	}
	for range 2 {
		p.must(chromedp.Evaluate[chromedp.Void]("document.activeElement?.blur()"))
		p.key("f")
		focus("the safe answer", "ask-no")
		p.key("\r")
		p.gone("ask-no")
		focus("the hold target", "hold")
	}
	p.must(chromedp.Evaluate[chromedp.Void]("document.activeElement?.blur()"))
	p.space(true)
	p.space(false)
	p.reads("hold-says", "Press H")
	p.key("h")
	focus("the hold target", "hold")
	// The whole roll without a pointer and without Tab but for the confirming answer.
	p.key("f")
	focus("the safe answer", "ask-no")
	p.key("\t")
	focus("the other answer", "ask-yes")
	p.key("\r")
	a.rigWait("going", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
	a.rigWait("at first", func(s link.State, _ bool) bool { return s.Mode == link.Idle })
	p.pressesHold()
	a.rigWait("rolling", func(s link.State, _ bool) bool { return s.Mode == link.Rolling })
	p.space(false)
	a.rigWait("still", func(s link.State, _ bool) bool { return s.Mode == link.Idle })
	// What is said of a take is said of its pass.
	p.reads("hold-says", "broken off")
	p.click("pick-2")
	p.readsNot("hold-says", "broken off")
}

// kept stores a take of a pass that lies on the shot's seal, as far as it has rows.
func (a *app) kept(pass, rows int, broken bool) {
	a.t.Helper()
	ctx := a.t.Context()
	must := func(err error) {
		a.t.Helper()
		if err != nil {
			a.t.Fatal(err)
		}
	}
	seals, err := a.Store.Seals(ctx, a.shot)
	must(err)
	ps, err := a.Store.Passes(ctx, a.shot)
	must(err)
	tab, err := a.Store.Table(ctx, seals[0].ID)
	must(err)
	k := &journal.Take{ID: journal.NewID(), PassID: ps[pass-1].ID, Machine: "plank", Clock: ps[pass-1].Clock,
		By: journal.Somebody, Started: time.Now(), Print: seals[0].Print, Axes: tab.Axes, Units: tab.Units, Rows: rows,
		Broken: broken, Why: "the hold was let go", Frame: float64(rows) * 0.024}
	must(a.Store.BeginTake(ctx, k))
	c, err := tab.Clock(clock.Times(clock.Rate{Num: 1, Den: 1}))
	must(err)
	pos, steps := make([]clock.Pos, rows), make([][]int32, len(tab.Axes))
	for i := range pos {
		pos[i] = c.At(int64(i), trace.Hz)
	}
	for x := range steps {
		for i := range pos {
			steps[x] = append(steps[x], int32(tab.At(x, pos[i])>>8))
		}
	}
	must(a.Store.AddRows(ctx, k.ID, 0, pos, steps))
	must(a.Store.EndTake(ctx, k, nil))
}

// A take that is broken off does not hide the good one; another can be chosen, and
// the others are judged against the chosen take of the lowest pass.
func TestTakesAreChosen(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	a.kept(1, 10001, false)
	a.kept(1, 10001, false)
	a.kept(2, 10001, false)
	a.kept(2, 2500, true)
	p := a.open("/shot/" + a.shot + "/shoot")
	verdict := func(what, says string) {
		t.Helper()
		p.wait(what, `$('pass-2', '[data-test="verdict"]')?.textContent.includes('`+says+`')`)
	}
	pressed := func(what, take string) {
		t.Helper()
		p.wait(what, `$('`+take+`')?.getAttribute('aria-pressed') === 'true'`)
	}
	verdict("the good one's verdict", "stacks")
	pressed("the good one", "take-2-1")
	pressed("the last whole one of the first pass", "take-1-2")
	p.click("take-2-2")
	verdict("the broken one chosen", "broken off")
	pressed("the broken one", "take-2-2")
	p.click("pick-2")
	p.click("take-1-1")
	p.reads("pass-2", "against pass 1, take 1")
	p.look("takes.png")
	p.click("take-2-2")
	verdict("the last whole one again", "stacks")
	p.must(chromedp.Reload())
	pressed("the choice after a reload", "take-1-1")
}

// Clocks are typed as fractions, decimals or frames per second, kept exact, and
// what is none is refused in a sentence and changes nothing.
func TestClocksAreTyped(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/shoot")
	p.click("pick-2")
	p.wait("the clock's field", `$('pass-2', '[data-test="pass-clock"]')`)
	says := func(want string) {
		t.Helper()
		p.wait("the clock "+want, `$('pass-2').textContent.includes('`+want+`')`)
	}
	p.enter("pass-clock", "8 fps")
	says("8 fps ×1/3")
	p.enter("pass-clock", "abc")
	p.wait("a sentence",
		`document.querySelector('[role="alert"]')?.textContent.includes('"abc" is not a clock; give a factor, as 1, `+
			`0.5 or 1/3')`)
	says("8 fps ×1/3")
	p.holds("pass-clock", "1/3")
	p.enter("pass-clock", "2")
	says("48 fps ×2")
	says("faster than the plan")
	p.enter("pass-clock", "0.5")
	says("12 fps ×0.5")
	p.key("3")
	p.there("factor")
	p.enter("factor", "36 fps")
	p.wait("the factor",
		`$('factor').value === '1.5' && document.querySelector('.strip').textContent.includes('36 fps')`)
	// A plan that is slowed offers to slow its passes with it.
	p.enter("factor", "1/2")
	p.reads("sentence", "Passes 1, 3, 5 are faster than the plan now.")
	p.click("offer")
	p.gone("offer")
	p.key("5")
	p.wait("slower passes",
		`[1, 2, 3, 5].every((n) => document.querySelector('[data-test="pass-' + n + '"]')?.textContent.includes('12 `+
			`fps ×0.5'))`)
	p.key("3")
	p.there("factor")
	p.enter("factor", "1.5")
	p.holds("factor", "1.5")
	p.enter("factor", "x")
	p.wait("a sentence", `document.querySelector('[role="alert"]')?.textContent.includes('"x" is not a clock')`)
	p.holds("factor", "1.5")
}

// Steps are drawn and come first, each with a remedy.
func TestJumpsAreDrawnAndComeFirst(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("staff-track")
	p.focusStaff("track")
	p.does(`(() => { const s = $('kind'); s.value = 'hold'; s.dispatchEvent(new Event('change',
		{ bubbles: true })); })()`)
	p.wait("the steps",
		`$$('staff-track', '[data-jump="0"]').length === 3 && $('staff-track').textContent.includes('jumps 400 mm')`)
	p.reads("sentence", "Track jumps 400 mm at 0070.")
	p.look("jumps.png")
	p.click("remedy-join")
	p.wait("no steps",
		`!document.querySelector('[data-jump]') && $('sentence').textContent.includes('within its limits')`)
}

// A distance beyond the focus scale is refused with the scale's ends; Enter in the
// frame's field leaves it, so that K stores and is not typed.
func TestTypedValues(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("value-focus")
	was := eval[string](p, `$('value-focus').value`)
	for _, d := range []string{"0.3", "1e9", "0"} {
		p.enter("value-focus", d)
		p.warns("outside the focus scale; give 0.45 to 20 m")
		p.holds("value-focus", was)
	}
	p.must(chromedp.Focus(chromedp.CSS(test("frame"))))
	p.does(`$('frame').select()`)
	p.key("6", "0", "\r", "k")
	p.wait("a keyframe at 60", `$('staff-pan', '.post[data-key="60"]')`)
}
