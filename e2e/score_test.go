package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

const (
	pressed  = input.DispatchMouseEventTypeMousePressed
	moved    = input.DispatchMouseEventTypeMouseMoved
	released = input.DispatchMouseEventTypeMouseReleased
)

func postOf(axis string, frame int) string {
	return fmt.Sprintf(`[data-test="staff-%s"] .post[data-key="%d"]`, axis, frame)
}

// composes opens Compose on SL-010 once the score is laid out.
func (a *app) composes(t *testing.T) *page {
	t.Helper()
	p := a.open("/shot/" + a.shot + "/compose")
	p.laidOut()
	return p
}

// frameX is where a frame lies on the score of a move of 240 frames that is shown whole.
func (p *page) frameX(frame float64) float64 {
	from, _ := p.centre(postOf("track", 0) + " path")
	to, _ := p.centre(postOf("track", 240) + " path")
	return from + (to-from)*frame/240
}

// revision counts from where the test began.
func (a *app) revision() int64 {
	var v plan
	a.get("/api/shots/"+a.shot, &v)
	return v.Revision - a.base
}

// TestScore uses the score in every way, on one application: each part begins on the demo's
// move as it came, in a browser of its own.
func TestScore(t *testing.T) {
	beside(t)
	a := start(t)
	var was struct {
		Path struct{ Tracks json.RawMessage }
	}
	a.get("/api/shots/"+a.shot, &was)
	for _, part := range []struct {
		name string
		does func(*testing.T, *app)
	}{{"dragged", draggingIsPreviewed}, {"shaped", shapingInPlace}, {"picked", severalArePicked},
		{"timed", threeWaysToTime}, {"looked at", lookedAtFirst}, {"played", playedHere}} {
		t.Run(part.name, func(t *testing.T) {
			b := *a
			b.t, b.base = t, 0
			n := b.revision()
			if n > 0 {
				if code, text := b.post("/api/shots/"+b.shot+"/edits",
					fmt.Sprintf(`{"revision":%d,"edit":{"op":"replace","tracks":%s}}`, n,
						was.Path.Tracks)); code != 200 {
					t.Fatal(text)
				}
				n++
			}
			b.base = n
			part.does(t, &b)
		})
	}
}

// strip waits for a part of what the strip says of the last deed.
func (p *page) strip(text string) {
	p.t.Helper()
	p.wait(text, fmt.Sprintf(`document.querySelector('.strip').textContent.includes(%q)`, text))
}

func (p *page) alerts(text string) {
	p.t.Helper()
	p.wait("the sentence "+text,
		fmt.Sprintf(`[...document.querySelectorAll('[role="alert"]')].some((e) => e.textContent.includes(%q))`, text))
	p.does(`document.querySelectorAll('.trouble button').forEach((b) => b.click())`)
}

// While a keyframe is dragged the score shows what would be, and nothing is stored; let go,
// it is one edit. Onto another keyframe it is a sentence, and the path as it was.
func draggingIsPreviewed(t *testing.T, a *app) {
	p := a.composes(t)
	// The score lies still under the hand, whichever axis is pressed.
	lies := func() float64 { return eval[float64](p, `$('score').getBoundingClientRect().y`) }
	first := lies()
	for _, axis := range []string{"pan", "focus", "track"} {
		p.clickOn(`[data-test="staff-` + axis + `"] .name`)
		p.atRest()
		if now := lies(); now != first {
			t.Errorf("with %s selected the score lies %g px lower", axis, now-first)
		}
	}
	was := p.curveOf("pan")
	x, y := p.centre(postOf("pan", 70) + " path")
	p.mouse(pressed, x, y, true)
	p.mouse(moved, p.frameX(84), y, true)
	p.mouse(moved, p.frameX(86), y, true)
	p.wait("what would be", `$('score').dataset.tried === 'dragged'`)
	p.wait("the ribbon to change", fmt.Sprintf(`%s !== %q`, ribbon("pan"), was))
	p.there("dragged")
	if n := a.revision(); n != 0 {
		t.Errorf("a drag that is not over made revision %d", n)
	}
	p.mouse(moved, p.frameX(150), y, true)
	p.reads("dragged", "pan has a keyframe at 150 already")
	p.mouse(released, p.frameX(150), y, true)
	p.alerts("pan has a keyframe at 150 already")
	a.wantKey(p, "pan", 70, 9)
	if n := a.revision(); n != 0 {
		t.Errorf("a refused drop made revision %d", n)
	}
	p.wait("the ribbon as it was", fmt.Sprintf(`%s === %q && !$('score').dataset.tried`, ribbon("pan"), was))
	p.atRest()
	p.mouse(pressed, x, y, true)
	p.mouse(moved, p.frameX(78), y, true)
	p.mouse(moved, p.frameX(80), y, true)
	p.wait("what would be", `$('score').dataset.tried === 'dragged'`)
	p.wait("the ribbon to change", fmt.Sprintf(`%s !== %q`, ribbon("pan"), was))
	p.atRest()
	then := p.boxes("pan")
	p.mouse(released, p.frameX(80), y, true)
	p.strip("Pan: 0070 moved to 0080.")
	a.wantKey(p, "pan", 80, 9)
	p.wait("the edit", `!$('score').dataset.tried`)
	for i, now := range p.boxes("pan") {
		if i >= len(then) || math.Abs(now-then[i]) > 0.4 {
			t.Fatalf("the ribbon that was shown is not the one that it became: %v, then %v", then, p.boxes("pan"))
		}
	}
	if n := a.revision(); n != 1 {
		t.Errorf("one drag made revision %d", n)
	}
	// All axes by their mark.
	mx, my := p.centre(`[data-all="150"] rect`)
	p.mouse(pressed, mx, my, true)
	p.mouse(moved, p.frameX(158), my, true)
	p.mouse(moved, p.frameX(160), my, true)
	p.wait("all of them", `$('score').dataset.tried === 'dragged'`)
	p.mouse(released, p.frameX(160), my, true)
	p.strip("All axes: 0150 moved to 0160.")
	a.wantKey(p, "track", 160, 980)
}

func ribbon(axis string) string {
	return fmt.Sprintf(
		`[...document.querySelectorAll('[data-test="staff-%s"] path[data-band]')].map((e) => `+
			`e.getAttribute('d')).join()`, axis)
}

// boxes are where the parts of a ribbon lie, in px.
func (p *page) boxes(axis string) []float64 {
	p.t.Helper()
	return eval[[]float64](p,
		fmt.Sprintf(
			`[...document.querySelectorAll('[data-test="staff-%s"] path[data-band]')].flatMap((e) => {
				const b = e.getBBox(); return [b.x, b.y, b.width, b.height]; })`, axis))
}

func (p *page) curveOf(axis string) string { p.t.Helper(); return eval[string](p, ribbon(axis)) }

// A staff opens into its curve, which is shaped in place: the kind of a leg, the tension of
// a tangent, a handle, where a ramp ends.
func shapingInPlace(t *testing.T, a *app) {
	p := a.composes(t)
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.focusStaff("pan")
	p.key("\r")
	p.wait("an open staff", `$('staff-pan').dataset.opened === 'true'`)
	if n := eval[int](p, `$$('staff-pan', 'path[stroke-width="1.2"]').length`); n < 3 {
		t.Errorf("%d other axes are ghosted behind it", n)
	}
	of := func() (out struct {
		Segments map[string]string
		Ramps    map[string]struct{ In, Out float64 }
		Keys     []struct {
			Frame, Value, Tension float64
			Out                   [2]float64
		}
	}) {
		var v struct {
			Path struct {
				Tracks []struct {
					Axis     string
					Segments map[string]string
					Ramps    map[string]struct{ In, Out float64 }
					Keys     []struct {
						Frame, Value, Tension float64
						Out                   [2]float64
					}
				}
			}
		}
		a.get("/api/shots/"+a.shot, &v)
		for _, x := range v.Path.Tracks {
			if x.Axis == "plank/pan" {
				out.Segments, out.Ramps, out.Keys = x.Segments, x.Ramps, x.Keys
			}
		}
		return out
	}
	drag := func(id string, dx, dy float64, last string) {
		t.Helper()
		p.wait(id, fmt.Sprintf(`document.querySelector('%s')`, test(id)))
		p.atRest()
		x, y := p.centre(test(id) + " :last-child")
		p.mouse(pressed, x, y, true)
		p.mouse(moved, x+dx/2, y+dy/2, true)
		p.mouse(moved, x+dx, y+dy, true)
		p.wait("what it would be", `$('score').dataset.tried === 'dragged'`)
		p.mouse(released, x+dx, y+dy, true)
		p.strip(last)
	}
	choose := func(leg int, kind string) {
		t.Helper()
		p.must(chromedp.Evaluate[chromedp.Void](
			fmt.Sprintf(
				`(() => { const e = document.querySelector('[data-test="leg-kind-%d"]'); e.value = %q;
					e.dispatchEvent(new Event('change', { bubbles: true })); })()`, leg, kind)))
		p.strip("This leg runs " + kind + ".")
	}
	choose(1, "tcb")
	drag("knob-70-1", -18, 0, "Pan shaped at 0070.")
	if k := of(); k.Segments["1"] != "tcb" || k.Keys[1].Tension < 0.1 || k.Keys[1].Tension > 1 {
		t.Errorf("nearer is tighter, but the tension is %+v", k.Keys[1])
	}
	choose(0, "handles")
	drag("knob-0-1", 30, -20, "Pan shaped at 0000.")
	if k := of(); k.Keys[0].Out[0] < 25 || k.Keys[0].Out[1] <= 0 {
		t.Errorf("the handle ends at %v", k.Keys[0].Out)
	}
	choose(2, "ramp")
	drag("ramp-in-2", -40, 0, "Pan: ramp in")
	k := of()
	if r := k.Ramps["2"]; math.Abs(r.In-(30-40/(p.frameX(1)-p.frameX(0)))) > 1 || math.Abs(r.Out-30) > 0.06 {
		t.Errorf("the ramps are %+v", r)
	}
	// A keyframe's frame and value are typed.
	p.clickOn(postOf("pan", 150) + " path")
	p.holds("key-frame", "150")
	p.enter("key-frame", "nowhere")
	p.alerts("“nowhere” is not a frame")
	p.enter("key-frame", "2000000")
	p.alerts("give a number within")
	p.enter("key-frame", "144")
	p.strip("Pan: 0150 moved to 0144.")
	a.wantKey(p, "pan", 144, -12)
	// It is there again after a reload: the staff, the playhead, the axis, the window.
	p.key("+")
	p.there("window")
	from := eval[string](p, `$('score').dataset.from`)
	p.atRest()
	p.must(chromedp.Reload())
	p.wait("where one was",
		fmt.Sprintf(
			`$('staff-pan')?.dataset.opened === 'true' && $('counter').textContent.trim() === '0144' &&
				$('score').dataset.from === %q &&
				document.querySelector('.staff.selected')?.dataset.test === 'staff-pan'`, from))
	// Somebody else at this desk is where they were: here, nowhere yet. And back.
	sits := func(name string) {
		t.Helper()
		eval[int](p,
			fmt.Sprintf(
				`fetch('/api/me', { method: 'PUT', headers: { 'Content-Type': 'application/json' },
					body: '{"name":"%s"}' }).then((r) => r.status)`, name))
		p.must(chromedp.Reload())
	}
	me := eval[string](p, `fetch('/api/me').then((r) => r.json()).then((m) => m.name)`)
	sits("Bo")
	p.wait("a closed staff", `$('staff-pan')?.dataset.opened === 'false' && !$('window')`)
	p.atRest()
	sits(me)
	p.wait("where one was",
		fmt.Sprintf(
			`$('staff-pan')?.dataset.opened === 'true' && $('score').dataset.from === %q &&
				$('counter').textContent.trim() === '0144'`, from))
}

// Several keyframes are picked, by pointer and by key, moved, copied, pasted and taken out.
func severalArePicked(t *testing.T, a *app) {
	p := a.composes(t)
	picked := func(n int) {
		t.Helper()
		p.wait(fmt.Sprintf("%d picked", n), fmt.Sprintf(`document.querySelectorAll('[data-picked]').length === %d`, n))
	}
	// A band over pan and tilt around 70 and 150.
	_, top := p.centre(`[data-test="staff-pan"] .name`)
	_, low := p.centre(`[data-test="staff-tilt"] .name`)
	p.mouse(pressed, p.frameX(60), top, true)
	p.mouse(moved, p.frameX(100), low, true)
	p.mouse(moved, p.frameX(160), low, true)
	p.there("band")
	p.mouse(released, p.frameX(160), low, true)
	picked(4)
	x, y := p.centre(postOf("pan", 70) + " path")
	p.mouse(pressed, x, y, true)
	p.mouse(moved, p.frameX(72), y, true)
	p.mouse(moved, p.frameX(76), y, true)
	p.mouse(released, p.frameX(76), y, true)
	p.strip("4 keyframes moved.")
	a.wantKey(p, "tilt", 156, -3.2)
	a.wantKey(p, "pan", 76, 9)
	a.wantKey(p, "track", 70, 520)
	picked(4)
	// By key, all that are picked.
	p.focusStaff("pan")
	p.chord("ArrowLeft", "ArrowLeft", 37, alt)
	p.chord("ArrowLeft", "ArrowLeft", 37, alt)
	// Shift picks one more, while the others are on their way; nothing is picked where nothing is.
	sx, sy := p.centre(postOf("track", 70) + " path")
	p.mouseWith(pressed, sx, sy, shift)
	p.mouseWith(released, sx, sy, shift)
	a.wantKey(p, "tilt", 74, -3.4)
	p.atRest()
	picked(5)
	p.clickOn(`[data-test="staff-roll"] .name`)
	p.mouse(pressed, p.frameX(110), low, true)
	p.mouse(released, p.frameX(110), low, true)
	picked(0)
	p.chord("a", "KeyA", 65, ctrl)
	picked(4) // of the selected axis: tilt was pressed last
	p.does(`document.activeElement?.blur()`)
	p.enter("frame", "0")
	p.focusStaff("track")
	p.clickOn(`[data-test="staff-track"] .name`)
	p.mouse(pressed, p.frameX(110), low, true)
	p.mouse(released, p.frameX(110), low, true)
	picked(0)
	p.focusStaff("track")
	p.key("f")
	p.chord("}", "BracketRight", 221, shift)
	picked(2) // the first and the one after it
	p.chord("{", "BracketLeft", 219, shift)
	picked(2)
	p.key("X")
	picked(6) // all at the first frame, and the one at 70
	p.mouse(pressed, p.frameX(110), low, true)
	p.mouse(released, p.frameX(110), low, true)
	picked(0)
	p.key("X")
	picked(5)
	p.key("x")
	picked(4)
	p.chord("Delete", "Delete", 46, 0)
	p.strip("4 keyframes taken out.")
	p.chord("z", "KeyZ", 90, ctrl)
	p.wait("back", `document.querySelector('`+postOf("track", 0)+`')`)

	// Copied from one axis, pasted on another of the same unit, the first at the playhead.
	clip := func(kind, text string) string {
		return eval[string](p,
			fmt.Sprintf(
				`(() => { const d = new DataTransfer(); if (%q) d.setData('text/plain', %s);
					const e = new ClipboardEvent(%q, { clipboardData: d, bubbles: true, cancelable: true });
					document.dispatchEvent(e); return d.getData('text/plain'); })()`, text, text, kind))
	}
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.chord("a", "KeyA", 65, ctrl)
	picked(4)
	text := clip("copy", "")
	if !strings.HasPrefix(text, "keen arc keyframes 1\nplank/pan\tdeg\t0\t24\nplank/pan\tdeg\t74\t9\n") {
		t.Errorf("copied: %q", text)
	}
	p.clickOn(`[data-test="staff-roll"] .name`)
	p.enter("frame", "10")
	clip("paste", fmt.Sprintf("%q", text))
	p.strip("4 keyframes put in at 0010.")
	a.wantKey(p, "roll", 84, 9)
	p.chord("z", "KeyZ", 90, ctrl)
	p.strip("Taken back")
	was := a.revision()
	p.clickOn(`[data-test="staff-track"] .name`)
	for paste, want := range map[string]string{
		fmt.Sprintf("%q", text): "Track is in mm; what was copied of pan is in degrees",
		`"hello"`:               "are no keyframes",
		`"keen arc keyframes 1\nwren/elbow\tdeg\t0\t1\nwren/wrist\tdeg\t0\t1\n"`: "This rig has no elbow",
		`"keen arc keyframes 1\nplank/pan\tdeg\tx\t1\n"`:                         "Line 2 of what is on the clipboard",
		`"keen arc keyframes 1\nplank/track\tmm\t5000000\t1\n"`:                  "beyond the longest move",
		`"keen arc keyframes 1\nplank/track\tmm\t5\t9000\n"`:                     "stay within 20 to 1480 mm",
		`["keen arc keyframes 1", ...Array.from({ length: 20000 }, (_,
			i) => "plank/track\tmm\t" + i + "\t500")].join("\n")`: "20000 keyframes are on the clipboard; paste at " +
			"most 10000",
		`["keen arc keyframes 1",
			"plank/track\tmm\t0\t500\t{broken"].join("\n")`: "its shape is not JSON",
		`["keen arc keyframes 1", "plank/track\tmm\t0\t500\t" + JSON.stringify({ tension: 7 }),
			"plank/track\tmm\t9\t500"].join("\n") + ""`: "tension",
	} {
		clip("paste", paste)
		p.alerts(want)
	}
	if n := a.revision(); n != was {
		t.Errorf("a refused paste made revision %d of %d", n, was)
	}
	cut := clip("cut", "")
	if cut != "" {
		t.Errorf("cut with nothing picked and no keyframe at the playhead: %q", cut)
	}
}

func (p *page) mouseWith(kind input.DispatchMouseEventType, x, y float64, mods chromedp.Modifier) {
	p.t.Helper()
	if _, err := chromedp.Call(p.ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: x, Y: y,
		Button: input.MouseButtonLeft, Buttons: 1, ClickCount: 1, Modifiers: int64(mods)}); err != nil {
		p.t.Fatal(err)
	}
}

// Three ways to time a move, of the same keyframes; which one is used is remembered.
func threeWaysToTime(t *testing.T, a *app) {
	p := a.composes(t)
	timing := func(v string) {
		t.Helper()
		p.must(chromedp.Evaluate[chromedp.Void](
			fmt.Sprintf(
				`(() => { const e = document.querySelector('[data-test="timing"]'); e.value = %q;
					e.dispatchEvent(new Event('change', { bubbles: true })); })()`, v)))
	}
	timing("legs")
	p.wait("travel times", `$('leg-0')?.value === '70' && $('leg-1')?.value === '80'`)
	p.enter("leg-1", "soon")
	p.alerts("“soon” is not one; give frames")
	p.enter("leg-1", "4 s")
	p.strip("All axes: 0070 on takes 96 frames.")
	a.wantKey(p, "tilt", 166, -3.2)
	a.wantKey(p, "track", 256, 1340)
	// Of an opened staff, that axis alone.
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.focusStaff("pan")
	p.key("\r")
	p.wait("an open staff", `$('staff-pan').dataset.opened === 'true'`)
	p.enter("leg-0", "60")
	p.strip("Pan: 0000 on takes 60 frames.")
	a.wantKey(p, "pan", 60, 9)
	a.wantKey(p, "track", 70, 520)
	p.atRest()
	p.must(chromedp.Reload())
	p.wait("the same way", `$('timing')?.value === 'legs' && $('leg-0')?.value === '60'`)

	// Start, end, duration, ramps: shown before it is laid.
	timing("ends")
	p.holds("ends-from", "24")
	p.enter("ends-to", "x")
	p.alerts("End: “x” is not a number")
	p.enter("ends-to", "-30")
	p.enter("ends-long", "5 s")
	p.enter("ends-in", "1 s")
	p.enter("ends-out", "40")
	p.wait("what would be", `$('score').dataset.tried === 'looked' && $('staff-pan', '.new')`)
	was := a.revision()
	p.click("ends-lay")
	p.strip("Pan goes in one move.")
	if n := a.revision(); n != was+1 {
		t.Errorf("laid as revision %d after %d", n, was)
	}
	a.wantKey(p, "pan", 0, 24)
	a.wantKey(p, "pan", 120, -30)
	var v plan
	a.get("/api/shots/"+a.shot, &v)
	for _, x := range v.Path.Tracks {
		if x.Axis == "plank/pan" && (len(x.Keys) != 2 || x.Kind != "ramp") {
			t.Errorf("pan is %+v", x)
		}
	}
	p.enter("ends-in", "100")
	p.enter("ends-out", "100")
	p.click("ends-lay")
	p.alerts("ramp")
}

// Remedies, whole edits and versions are looked at on sheet and score before they are taken.
func lookedAtFirst(t *testing.T, a *app) {
	p := a.composes(t)
	looked := func(on bool) {
		t.Helper()
		p.wait(fmt.Sprintf("looked at: %v", on),
			fmt.Sprintf(`($('score').dataset.tried === 'looked') === %v && !!$('old-spacing') === %v`, on, on))
	}
	p.click("whole")
	p.enter("version-name", "as it came")
	p.click("version-keep")
	p.there("version-1")
	looked(false)
	p.enter("whole-frames", "24")
	looked(true)
	p.reads("whole-then", "from 0024 to 0263")
	p.enter("whole-frames", "none")
	p.wait("why not",
		`$('whole-said')?.textContent.includes('“none”') || $('whole-said')?.textContent.includes('"none"')`)
	looked(false)
	p.click("whole-close")
	if n := a.revision(); n != 0 {
		t.Errorf("looking made revision %d", n)
	}

	// Pan is far over its speed: every remedy is shown, none is done until it is pressed.
	if code, b := a.post("/api/shots/"+a.shot+"/edits",
		fmt.Sprintf(`{"revision":%d,"edit":{"op":"set","frame":130,"values":{"pan":40}}}`, a.base)); code != 200 {
		t.Fatal(b)
	}
	p.wait("all that was found", `$('remedy-retime') && !$('looking')`)
	for _, kind := range []string{"room", "slow", "retime"} {
		id := "remedy-" + kind
		p.wait(id, fmt.Sprintf(`document.querySelector('%s')`, test(id)))
		x, y := p.centre(test(id))
		p.mouse(moved, x, y, false)
		looked(true)
		p.reads("then", "everything within its limits")
		p.mouse(moved, 640, 300, false)
		looked(false)
	}
	p.does(`$('remedy-room').focus()`)
	if eval[bool](p, `document.hasFocus()`) {
		looked(true)
	}
	if n := a.revision(); n != 1 {
		t.Errorf("looking made revision %d", n)
	}
	p.click("remedy-room")
	p.reads("sentence", "Everything is within its limits")
	if n := a.revision(); n != 2 {
		t.Errorf("pressed, it made revision %d", n)
	}
	// The version over the move, and back to it.
	p.click("whole")
	p.click("version-1-look")
	looked(true)
	p.click("version-1-look")
	looked(false)
	p.click("version-1-compare")
	p.reads("difference", "px at the sensor")
	p.click("version-1-back")
	p.reads("version-note", "as it came")
	if n := a.revision(); n != 3 {
		t.Errorf("back made revision %d", n)
	}
	p.wait("the keyframe gone", `!document.querySelector('`+postOf("pan", 130)+`')`)
}

// The move is played here, forward and backward, over and over, scrubbed on the sheet, and
// shown to somebody; and how much changes from frame to frame is said.
func playedHere(t *testing.T, a *app) {
	p := a.composes(t)
	frame := func() float64 {
		return eval[float64](p, `Number($('counter').textContent.trim())`)
	}
	p.enter("frame", "2000000")
	p.alerts("give a number within ±1000000")
	p.enter("play-speed", "zero")
	p.alerts("“zero” is none; give 0.01 to 20")
	p.enter("play-speed", "0.5")
	p.enter("frame", "100")
	p.click("play-on")
	began := time.Now()
	p.wait("it to go on", `Number($('counter').textContent.trim()) >= 124`)
	if s := time.Since(began).Seconds(); s < 1.5 { // 24 frames at half of 24 a second are two
		t.Errorf("half the speed took %.1f s for 24 frames", s)
	}
	p.click("play-on")
	at := frame()
	p.must(chromedp.Sleep(300e6))
	if frame() != at {
		t.Error("it does not stop")
	}
	p.does(`document.activeElement?.blur()`)
	p.enter("play-speed", "4")
	p.key("R")
	p.wait("it to come back to the first frame",
		`$('counter').textContent.trim() === '0000' && $('play-back').getAttribute('aria-pressed') === 'false'`)
	p.key("l", "R")
	p.wait("round", `Number($('counter').textContent.trim()) > 150`)
	p.key("R")
	if n := a.revision(); n != 0 {
		t.Errorf("playing made revision %d", n)
	}

	// Dragged along the path on the sheet.
	p.enter("frame", "0")
	ends := eval[[]float64](p,
		`(() => { const e = $('sheet-scrub'), s = e.ownerSVGElement.getBoundingClientRect(), a = e.getPointAtLength(0),
			b = e.getPointAtLength(e.getTotalLength()); return [s.x + a.x, s.y + a.y, s.x + b.x, s.y + b.y]; })()`)
	p.mouse(pressed, ends[0]+(ends[2]-ends[0])*0.3, ends[1], true)
	first := frame()
	for i := range 8 {
		p.mouse(moved, ends[0]+(ends[2]-ends[0])*(0.3+0.05*float64(i)), ends[1]+2, true)
	}
	second := frame()
	p.mouse(released, ends[2], ends[3], true)
	if first < 30 || first > 120 || second <= first+20 {
		t.Errorf("along the path the playhead went from %g to %g", first, second)
	}

	// From frame to frame.
	p.enter("frame", "70")
	p.key("d")
	var ch struct {
		From int
		Axes [][]float64
		Px   [][5]float64
	}
	a.get("/api/shots/"+a.shot+"/changes?from=0&to=240", &ch)
	want := fmt.Sprintf("centre %.1f px", ch.Px[70-ch.From][0])
	p.wait(want, fmt.Sprintf(`$('change-here')?.textContent.includes(%q)`, want))
	track := fmt.Sprintf("Track +%.2f mm", ch.Axes[0][70-ch.From])
	if text := p.text("change-here"); !strings.Contains(text, track) {
		t.Errorf("at 0070 it says %q, not %q", text, track)
	}

	// To somebody: the picture alone, until Esc.
	p.click("show")
	p.wait("the picture", `$('showing') && $('finder')`)
	if n := eval[int](p, `$$('finder', '.ring, [data-test="finder"] .over, [data-test="finder"] .safe').length`); n !=
		0 {
		t.Errorf("%d things lie in the picture", n)
	}
	size := eval[[]float64](p,
		`(() => { const r = $('showing').getBoundingClientRect(); return [r.width, r.height]; })()`)
	if size[0] != 1280 || size[1] != 800 {
		t.Errorf("it has %v", size)
	}
	p.key("k", "s")
	p.key("r")
	p.wait("it to play", `Number($('showing-frame').textContent.trim().split(' ')[0]) > 80`)
	p.key("\x1b")
	p.wait("the end of it", `!$('showing') && $('pose')`)
	if n := a.revision(); n != 0 {
		t.Errorf("a key under the picture made revision %d", n)
	}
	// It lies over Stop: not while a machine moves.
	p.click("show")
	p.there("showing")
	if code, b := a.post("/api/machines/plank/home", "{}"); code != 200 && code != 204 {
		t.Fatal(code, b)
	}
	p.gone("showing")
	p.click("show")
	p.alerts("Stop stays in sight")
}
