package e2e

import (
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"keenarc/link"
)

func (p *page) focusStaff(axis string) {
	p.t.Helper()
	p.wait("the staff",
		fmt.Sprintf(
			`(() => { const e = document.querySelector('%s'); e?.focus(); return document.activeElement === e; })()`,
			test("staff-"+axis)))
}

// TestFirstRoll is the whole job as a person does it: change a keyframe, see
// the ribbon swell red, press a remedy, seal, hold Space twice, "stacks". Homing is in
// TestTheWholeJobByKeyboard.
func TestFirstRoll(t *testing.T) {
	holds(t)
	a := start(t, homedAlready)
	p := a.open("/")
	p.click("shot-SL-010")
	p.laidOut()
	p.reads("sentence", "within its limits")
	if n := eval[int](p, `$$('score', 'path[data-band="3"]').length`); n != 0 {
		t.Fatalf("%d ribbons are red before anything was changed", n)
	}

	// Change the keyframe at 0070 on the track by typing a value at the playhead.
	p.clickOn(`[data-test="staff-track"] .post[data-key="70"] rect`)
	p.wait("the playhead", `$('counter').textContent.trim() === '0070'`)
	p.enter("value-track", "760")
	p.wait("a red ribbon", `$$('staff-track', 'path[data-band="3"]').length > 0`)
	if s := p.text("sentence"); !strings.Contains(s, "Track runs") || !strings.Contains(s, "over its speed") {
		t.Errorf("the sentence says %q", s)
	}
	p.wait("the strip", `$('ready', '.checks').textContent.includes("· in limits")`)
	// It lies still under the pointer, whatever is said of it.
	p.gone("looking")
	at := eval[[]float64](p,
		`(() => { const r = $('remedy-room').getBoundingClientRect(); return [r.x + r.width / 2,
			r.y + r.height / 2]; })()`)
	p.mouse("mouseMoved", at[0], at[1], false)
	went := eval[float64](p, `new Promise((go) => {
		let most = 0, n = 0;
		const look = () => {
			const r = $('remedy-room')?.getBoundingClientRect();
			if (r) most = Math.max(most, Math.abs(r.y + r.height / 2 - `+fmt.Sprint(at[1])+`));
			if (++n < 60) requestAnimationFrame(look); else go(most);
		};
		look();
	})`)
	if went != 0 {
		t.Errorf("it went %g px away as it was looked at", went)
	}
	p.reads("then", "18 frames longer")
	p.click("remedy-room")
	p.wait("no red ribbon", `$$('score', 'path[data-band="3"]').length === 0`)

	p.must(chromedp.Evaluate[chromedp.Void]("document.activeElement?.blur()"))
	p.key("s")
	p.wait("the seal",
		`$('seal').textContent.trim() === 'sealed' &&
			/path 1 sealed [0-9A-F]{4}-[0-9A-F]{4}/.test(document.querySelector('.strip').textContent)`)
	p.reads("ready", "Press F")
	p.key("5")
	rollTwice(a, p, nil)
	if s := eval[string](p, `$('pass-2', '[data-test="verdict"]').textContent.trim()`); !strings.HasPrefix(s,
		"stacks 0.") {
		t.Errorf("the verdict is %q", s)
	}
	p.key("6")
	p.wait("the log", `$('log')?.textContent.match(/take \d+: stacks, at most/)`)
	p.wait("the takes, and what they ran on",
		`$$('takes', 'tbody tr').length >= 2 && $('takes', 'tbody').textContent.includes('×1')`)

	urls, errs := p.seen()
	for _, u := range urls {
		if x, err := url.Parse(u); err != nil || x.Scheme != "data" && x.Scheme != "blob" && x.Hostname() !=
			"127.0.0.1" {
			t.Errorf("a request left the machine: %s", u)
		}
	}
	if len(urls) < 10 {
		t.Errorf("only %d requests were seen", len(urls))
	}
	if len(errs) > 0 {
		t.Errorf("the console says %v", errs)
	}
}

// ready puts a sealed, homed rig at the first frame with pass 1 on the desk.
func (a *app) ready(p *page) {
	a.t.Helper()
	p.key("3")
	p.there("seal")
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		a.t.Fatal(b)
	}
	a.homed(func() {
		if code, b := a.post("/api/machines/plank/home", `{"shot":"`+a.shot+`"}`); code != 200 {
			a.t.Fatal(b)
		}
	})
}

// rolling goes to the first frame and holds until the rig is under way. A computer that stands still
// for a moment ends either, as it should, or has the press refused: then it is done anew, three times
// at most, and said. A roll that ends where nothing stood still is a fault.
func (a *app) rolling(p *page, past float64) {
	a.t.Helper()
	for try := 1; ; try++ {
		from := time.Now()
		p.does(`window.gaps = [];
			if (!window.ticks) {
				let last = performance.now();
				window.ticks = setInterval(() => {
					const now = performance.now();
					if (now - last > 90) window.gaps.push(Math.round(now - last));
					last = now;
				}, 25);
			}`)
		why, rolled := a.tryRolling(p, past)
		if why == "" {
			return
		}
		it, page := a.stood.since(from), eval[int](p, `Math.max(0, ...window.gaps)`)
		if try == 3 || rolled && it < tooLong && page < 90 {
			a.t.Fatalf("it is not under way, time %d: %s; the computer stood for %v, the page for %d ms", try, why, it,
				page)
		}
		a.t.Logf("once more, since the computer stood for %v and the page for %d ms: %s", it, page, why)
		fmt.Printf("stood still: %s: %v, page %d ms: %s\n", a.t.Name(), it, page, why)
		p.space(false)
	}
}

// tryRolling is one time; what has come between is in the answer, and whether it rolled at all.
func (a *app) tryRolling(p *page, past float64) (why string, rolled bool) {
	a.t.Helper()
	late := time.Now().Add(patience(a.t, time.Minute))
	ready := func() bool {
		return eval[bool](p, `!!$('hold')?.classList.contains('ready')`) && a.Floor.Now().State.Mode == link.Idle
	}
	p.atRest()
	if !ready() {
		if code, b := a.post("/api/machines/plank/goto", `{"shot":"`+a.shot+`"}`); code != 200 {
			return b, false
		}
		a.rigWait("going", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
	}
	idle := 0 // how often it was seen to stand, and not where it was to go
	for !ready() {
		if idle++; a.Floor.Now().State.Mode != link.Idle {
			idle = 0
		}
		if idle > 60 || time.Now().After(late) {
			return p.text("ready"), false
		}
		time.Sleep(50 * time.Millisecond)
	}
	p.must(chromedp.Focus(chromedp.CSS(test("hold"))))
	p.wait("focus on the target", `document.activeElement?.dataset.test === 'hold'`)
	p.space(true)
	for time.Now().Before(late) {
		s := a.Floor.Now().State
		switch said := p.text("hold-says"); {
		case s.Mode == link.Rolling && s.Frame > past:
			return "", true
		case s.Mode == link.Rolling:
			rolled = true
		case s.Mode == link.Idle && (rolled || said != ""):
			return fmt.Sprintf("at frame %.2f, %q", s.Frame, said), rolled
		}
		time.Sleep(10 * time.Millisecond)
	}
	return "it does not roll at all", false
}

// underWay waits until the rig has rolled past a frame.
func (a *app) underWay(past float64) {
	a.t.Helper()
	a.rigWait("under way", func(s link.State, _ bool) bool { return s.Mode == link.Rolling && s.Frame > past })
}

// TestHoldsThatFail: whatever happens to the page, the rig slows to a stop on
// its path, beginning within 210 ms of the last beat.
func TestHoldsThatFail(t *testing.T) {
	alone(t)
	a := start(t, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	a.ready(p)
	cases := []struct {
		name   string
		silent bool // the page says nothing: the rig must find out by itself
		do     func(p *page)
		after  func(p *page)
	}{
		{"letting go", false, func(p *page) { p.space(false) }, nil},
		{"busy page", true, func(p *page) {
			p.does(`setTimeout(() => { const t = performance.now(); while (performance.now() - t < 2500); }, 0)`)
		}, nil},
		{"focus lost", false, func(p *page) { p.does(`document.activeElement.blur()`) }, nil},
		{"window left", false, func(p *page) {
			p.does(`window.dispatchEvent(new Event('blur'))`)
		}, nil},
		{"Esc", false, func(p *page) { p.key("\u001b") }, nil},
		{"page gone", false, func(p *page) { p.must(chromedp.Navigate("about:blank")) }, func(p *page) {
			p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/shoot"))
		}},
		// Last: a page that was frozen stays hidden here.
		{"frozen page", false, func(p *page) { p.freeze() }, func(p *page) { p.thaw() }},
	}
	p.key("5")
	for i, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			p.t, a.t = t, t
			a.rolling(p, 40)
			c.do(p)
			a.rigWait("still", func(s link.State, _ bool) bool { return s.Mode == link.Idle })
			if c.after != nil {
				c.after(p)
			}
			a.checkStop(t, i+1, c.silent)
			p.space(false)
		})
	}
}

// checkStop looks at the newest take's own trace.
func (a *app) checkStop(t *testing.T, takes int, silent bool) {
	t.Helper()
	ctx := t.Context()
	take := a.newest(t, takes)
	if !take.Broken || take.Rows == 0 || take.BrakeAt < 0 {
		t.Fatalf("the take is not kept as broken off: %+v", take)
	}
	gap := take.BrakeAt - take.LastBeat
	if gap > 210 || silent && gap < 190 {
		t.Errorf("braking began %d ms after the last beat", gap)
	}
	seals, err := a.Store.Seals(ctx, a.shot)
	if err != nil {
		t.Fatal(err)
	}
	table, err := a.Store.Table(ctx, seals[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	tr := take.Trace
	for axis := range tr.Axes {
		for row, pos := range tr.Pos {
			off := float64(tr.Steps[axis][row])/256 - float64(table.At(axis, pos))/65536
			if off > 1 || off < -1 {
				t.Fatalf("%s is %.2f steps off the path at frame %.2f", tr.Axes[axis], off, pos.Frame())
			}
		}
	}
	if last := tr.Pos[len(tr.Pos)-1]; last.Frame() != take.Frame || take.Frame > 200 {
		t.Errorf("ended at %g, trace at %g", take.Frame, last.Frame())
	}
}

// TestStandInKilled: the screen says so within a second and the take is kept.
func TestStandInKilled(t *testing.T) {
	holds(t)
	a := start(t, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	a.ready(p)
	p.key("5")
	a.rolling(p, 60)
	if err := a.StandIns["plank"].Process().Signal(os.Kill); err != nil {
		t.Fatal(err)
	}
	began := time.Now()
	p.reads("ready", "Plank is not seen")
	if d := time.Since(began); d > time.Second { // a figure to look at: this machine may be busy
		t.Logf("the screen said so after %v", d)
	}
	p.wait("the take", `$('pass-1', '[data-test="verdict"]').textContent.includes('broken off at')`)
	take := a.newest(t, 1)
	if !take.Broken || take.Rows < 1500 || take.Frame < 50 {
		t.Errorf("kept: broken %v, %d rows, to frame %g", take.Broken, take.Rows, take.Frame)
	}
}

// TestDatabaseGone: the rig finishes, the trace is kept and stored afterwards.
func TestDatabaseGone(t *testing.T) {
	holds(t)
	a := start(t, ownCluster, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	a.ready(p)
	p.key("5")
	a.rolling(p, 30)
	a.Cluster.Kill()
	a.rigWait("finished", func(s link.State, _ bool) bool { return s.Mode == link.Idle })
	p.space(false)
	if err := a.Cluster.Start(t.Context()); err != nil {
		t.Fatal(err)
	}
	take := a.newest(t, 1)
	if take.Broken || take.Rows != 10009 || len(take.Trace.Pos) != 10009 || take.Trace.Tick == 0 {
		t.Errorf("stored: broken %v, %d rows of which %d are there, from tick %d", take.Broken, take.Rows,
			len(take.Trace.Pos), take.Trace.Tick)
	}
	p.wait("a whole take on the screen",
		`(() => { const e = $('pass-1', '.take.chosen'); return e && !e.classList.contains('broken'); })()`)
}
