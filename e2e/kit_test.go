// Package e2e drives the real interface in headless Chromium against the real
// server, database and stand-in rig.
package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/machine"
	"keenarc/store"
	"keenarc/web"
)

var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "keenarc-e2e-")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "keenarc")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/keenarc").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building: %s\n", out)
		os.Exit(1)
	}
	code := m.Run()
	shared.close()
	withFinder.close()
	endCommon()
	os.RemoveAll(dir)
	os.Exit(code)
}

// app is one running application with its own database and stand-in.
type app struct {
	*web.Running
	Floor *machine.Machine // Plank's
	t     *testing.T
	shot  string
	base  int64 // the revision that a test began on

	homedAlready bool
	stood        *stood
}

// folder is one that PostgreSQL, too, may write into, until the test ends.
func folder(t *testing.T) string {
	t.Helper()
	f, err := os.MkdirTemp("/var/tmp", "keenarc-e2e-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(f) })
	if err := os.Chmod(f, 0o755); err != nil {
		t.Fatal(err)
	}
	return f
}

// database is a PostgreSQL of a test's own with the demo in it, for servers that
// are started, and killed, as processes.
type database struct {
	folder  string
	cluster *store.Cluster
	db      *store.Store
	url     string
	shot    string // SL-010
}

// desk is one of the common server, until the test ends; it has no server of its own.
func desk(t *testing.T) *database {
	t.Helper()
	return open(t, &database{folder: folder(t), url: ownDatabase(t)})
}

func deskIn(t *testing.T, where string) *database {
	t.Helper()
	cluster, err := store.StartCluster(t.Context(), where)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(cluster.Stop)
	return open(t, &database{folder: where, cluster: cluster, url: cluster.URL})
}

// open opens a database, with the demo in it.
func open(t *testing.T, d *database) *database {
	t.Helper()
	db, err := store.Open(t.Context(), d.url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	if err := db.LoadDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	shelf, err := db.Shelf(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	d.db, d.shot = db, shelf[0].Shots[0].ID
	return d
}

// ownCluster has a database server of the application's own, to be killed or stopped.
func ownCluster(o *web.Options) { o.URL = "" }

// homedAlready has stand-ins begin homed: where homing is not what is tested.
func homedAlready(o *web.Options) { o.Homed = true }

// inAHurry has stand-ins run four times as fast, and bear two seconds of silence: where nobody
// holds, and nothing is timed.
func inAHurry(o *web.Options) { o.Pace = 4 }

// twice has them run twice as fast: where somebody steers meanwhile.
func twice(o *web.Options) { o.Pace = 2 }

// start runs the application until the test ends.
func start(t *testing.T, with ...func(*web.Options)) *app {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	ready, ended := make(chan *web.Running, 1), make(chan error, 1)
	folder := folder(t)
	o := web.Options{Listen: "127.0.0.1:0", Folder: folder, Binary: binary, Seed: 7, Demo: true, Out: io.Discard,
		Log:   slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError + 4})),
		Ready: func(r *web.Running) { ready <- r }}
	o.URL = ownDatabase(t)
	if !is(t, &aloneTests) { // what is beside others may be held up
		inAHurry(&o)
	}
	for _, f := range with {
		f(&o)
	}
	go func() { ended <- web.Run(ctx, o) }()
	t.Cleanup(func() { cancel(); <-ended })
	select {
	case r := <-ready:
		floor, err := r.Floors.Of("plank")
		if err != nil {
			t.Fatal(err)
		}
		a := &app{Running: r, Floor: floor, t: t, homedAlready: o.Homed, stood: watchStanding(t)}
		var shelf []store.Production
		a.get("/api/shelf", &shelf)
		if len(shelf) > 0 {
			a.shot = shelf[0].Shots[0].ID
		}
		soon, done := context.WithTimeout(ctx, 10*time.Second) // its machine is there before anything is asked of it
		defer done()
		_ = floor.Until(soon, func(s machine.Snapshot) bool { return s.Connected && s.Leased })
		return a
	case err := <-ended:
		ended <- err
		t.Fatalf("the application did not start: %v", err)
	case <-time.After(3 * time.Minute):
		t.Fatal("the application did not start within three minutes")
	}
	return nil
}

func (a *app) get(path string, into any) {
	a.t.Helper()
	r, err := http.Get(a.Addr + path)
	if err != nil {
		a.t.Fatal(err)
	}
	defer r.Body.Close()
	if err := json.NewDecoder(r.Body).Decode(into); err != nil {
		a.t.Fatalf("%s: %v", path, err)
	}
}

func (a *app) post(path string, body string) (int, string) {
	a.t.Helper()
	r, err := http.Post(a.Addr+path, "application/json", strings.NewReader(body))
	if err != nil {
		a.t.Fatal(err)
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	return r.StatusCode, string(b)
}

func (a *app) put(path string, body string) (int, string) { return a.sends(http.MethodPut, path, body) }

// amends changes one field of a document, as it was seen in a version; at is its names, with dots.
func (a *app) amends(path string, seen int64, at, is string) (int, string) {
	a.t.Helper()
	names, err := json.Marshal(strings.Split(at, "."))
	if err != nil {
		a.t.Fatal(err)
	}
	return a.sends(http.MethodPatch, path, fmt.Sprintf(`{"changes":[{"at":%s,"is":%s,"seen":%d}]}`, names, is, seen))
}

func (a *app) sends(method, path string, body string) (int, string) {
	a.t.Helper()
	q, err := http.NewRequest(method, a.Addr+path, strings.NewReader(body))
	if err != nil {
		a.t.Fatal(err)
	}
	q.Header.Set("Content-Type", "application/json")
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		a.t.Fatal(err)
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	return r.StatusCode, string(b)
}

// page is one that somebody has open, with what it asked the network for.
type page struct {
	end  func() // closes it
	t    *testing.T
	ctx  context.Context
	app  *app
	mu   sync.Mutex
	urls []string
	errs []string
}

// open opens a page on a path of the application.
func (a *app) open(path string) *page {
	a.t.Helper()
	return a.openAt(a.Addr, path)
}

// openAt is the same where the application is at another address.
func (a *app) openAt(addr, path string) *page {
	a.t.Helper()
	ctx, c1 := tab(a.t)
	ctx, c3 := context.WithTimeout(ctx, patience(a.t, 4*time.Minute))
	end := func() { c3(); c1() }
	a.t.Cleanup(end)
	p := &page{t: a.t, ctx: ctx, app: a, end: end}
	p.must(chromedp.EmulateViewport(1280, 800))
	if _, err := chromedp.Call(ctx, network.Enable, network.EnableParams{}); err != nil {
		a.t.Fatal(err)
	}
	reqs, sockets, console := chromedp.Events(ctx, network.RequestWillBeSent), chromedp.Events(ctx,
		network.WebSocketCreated), chromedp.Console(ctx)
	go func() {
		for ev, err := range reqs {
			if err != nil {
				return
			}
			p.note(&p.urls, ev.Request.URL)
		}
	}()
	go func() {
		for ev, err := range sockets {
			if err != nil {
				return
			}
			p.note(&p.urls, ev.URL)
		}
	}()
	go func() {
		for m, err := range console {
			if err != nil {
				return
			}
			if m.IsException() || strings.HasPrefix(m.String(), "error") {
				p.note(&p.errs, m.String())
			}
		}
	}()
	p.must(chromedp.Navigate(addr + path))
	return p
}

func (p *page) note(list *[]string, s string) {
	p.mu.Lock()
	*list = append(*list, s)
	p.mu.Unlock()
}

func (p *page) seen() (urls, errs []string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string(nil), p.urls...), append([]string(nil), p.errs...)
}

func (p *page) must(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	if err := chromedp.Do(p.ctx, steps...); err != nil {
		p.t.Fatal(err)
	}
}

// names lets what runs in a page call what is shown by its name: $('hold') is what has that
// data-test, $('staff-pan', '.post') what lies in it, $$ all of them.
const names = `const css = (id, part) => '[data-test="' + id + '"]' + (part ? ' ' + part : '');
	const $ = (id, part) => document.querySelector(css(id, part)), $$ = (id,
	part) => document.querySelectorAll(css(id, part));
`

func named(js string) string { return "(() => {" + names + "return (" + js + ");})()" }

// eval runs an expression in the page.
func eval[T any](p *page, js string) T {
	p.t.Helper()
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[T](named(js), chromedp.EvalAwaitPromise))
	if err != nil {
		p.t.Fatalf("%s: %v", js, err)
	}
	return v
}

// does carries something out in the page.
func (p *page) does(js string) {
	p.t.Helper()
	p.must(chromedp.Evaluate[chromedp.Void]("(() => {" + names + js + ";})()"))
}

// patience is how long is waited for what takes some time: what yields to others takes longer.
func patience(t *testing.T, alone time.Duration) time.Duration {
	if is(t, &aloneTests) {
		return alone
	}
	return 3 * alone
}

// wait waits until an expression is true, and says what the page showed if it never is.
func (p *page) wait(what, js string) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience(p.t, 40*time.Second))
	defer cancel()
	for {
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool](named("!!("+js+")")))
		if err == nil && ok {
			return
		}
		if ctx.Err() != nil {
			_, errs := p.seen()
			text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string]("document.body.innerText"))
			p.shot("/tmp/keenarc-e2e-failed.png")
			p.t.Fatalf("waited in vain for %s (%v)\nconsole: %v\npage: %s", what, err, errs, text)
		}
		select {
		case <-ctx.Done():
		case <-time.After(40 * time.Millisecond):
		}
	}
}

// there waits until something is shown, by its name.
func (p *page) there(id string) { p.t.Helper(); p.wait(id, fmt.Sprintf(`$(%q)`, id)) }

// gone waits until it is not.
func (p *page) gone(id string) { p.t.Helper(); p.wait(id+" to go", fmt.Sprintf(`!$(%q)`, id)) }

// reads waits until its text has these words in it.
func (p *page) reads(id, words string) {
	p.t.Helper()
	p.wait(id+" to read "+words, fmt.Sprintf(`$(%q)?.textContent.includes(%q)`, id, words))
}

// seesMeanwhile does something, and fails if its text never had these words in it meanwhile: what is
// there for a moment only is missed by who looks now and then.
func (p *page) seesMeanwhile(id, words string, do func()) {
	p.t.Helper()
	p.does(fmt.Sprintf(`(() => {
		const look = () => { if ($(%q)?.textContent.includes(%q)) window.seen = true; };
		window.seen = false;
		window.sees?.disconnect();
		window.sees = new MutationObserver(look);
		window.sees.observe(document.body, { subtree: true, childList: true, characterData: true });
	})()`, id, words))
	do()
	if !eval[bool](p, `window.sees.disconnect() ?? window.seen`) {
		p.t.Errorf("%s never read %s", id, words)
	}
}

// readsNot waits until its text has not.
func (p *page) readsNot(id, words string) {
	p.t.Helper()
	p.wait(id+" not to read "+words, fmt.Sprintf(`$(%q) && !$(%[1]q).textContent.includes(%q)`, id, words))
}

// holds waits until a field holds this.
func (p *page) holds(id, value string) {
	p.t.Helper()
	p.wait(id+" to hold "+value, fmt.Sprintf(`$(%q)?.value === %q`, id, value))
}

// warns waits until the page warns in these words.
func (p *page) warns(words string) {
	p.t.Helper()
	p.wait("a warning of "+words,
		fmt.Sprintf(`document.querySelector('[role="alert"]')?.textContent.includes(%q)`, words))
}

func test(id string) string { return fmt.Sprintf(`[data-test="%s"]`, id) }

func (p *page) text(id string) string {
	p.t.Helper()
	return eval[string](p,
		fmt.Sprintf(`(document.querySelector('%s')?.textContent ?? '').replace(/\s+/g,' ').trim()`, test(id)))
}

// atRest waits until everything that the page asked for is answered and drawn, as it says itself.
// A test may keep the network from answering: then it goes on after a moment.
func (p *page) atRest() {
	p.t.Helper()
	for late := time.Now().Add(3 * time.Second); time.Now().Before(late); time.Sleep(20 * time.Millisecond) {
		if eval[bool](p, `document.getElementById('stage')?.getAttribute('aria-busy') === 'false'`) {
			return
		}
	}
}

func (p *page) click(id string) { p.t.Helper(); p.clickOn(test(id)) }

// clickOn waits until the page is at rest and the thing is there, lies still and is on top, then
// clicks it.
func (p *page) clickOn(css string) {
	p.t.Helper()
	p.atRest()
	p.wait(css+" to be ready for a click", fmt.Sprintf(`(() => {
		const e = document.querySelector('%s');
		if (!e || e.disabled) return false;
		const r = e.getBoundingClientRect(), was = e.dataset?.was, now = [r.x, r.y, r.width].join();
		e.dataset.was = now;
		const on = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2), seen = (e.ownerSVGElement ??
		e).contains(on);
		if (!seen) e.scrollIntoView({ block: 'center' });
		return was === now && r.width + r.height > 0 && seen;
	})()`, css))
	click := func() error { return chromedp.Do(p.ctx, chromedp.Click(chromedp.CSS(css), chromedp.NodeVisible)) }
	err := click()
	if err != nil && strings.Contains(err.Error(), "Could not find node") { // drawn anew between look and click
		err = click()
	}
	if err != nil {
		p.t.Fatal(err)
	}
}

// asks clicks what asks before it does something.
func (p *page) asks(id string) {
	p.t.Helper()
	p.click(id)
	p.wait(id+" to ask", `document.getElementById('ask-text')`)
}

// yes answers a question at once: a pointer takes its time to come there on a busy machine, and is
// not told of its press before the page has done what it asks for; a short move may be over by then.
func (p *page) yes() {
	p.t.Helper()
	p.there("ask-yes")
	p.does(`$('ask-yes').click()`)
}

// enter puts text into a field and leaves it, as typing and Tab do.
func (p *page) enter(id, text string) {
	p.t.Helper()
	p.wait(id, fmt.Sprintf(`document.querySelector('%s')`, test(id)))
	p.must(chromedp.Evaluate[chromedp.Void](
		fmt.Sprintf(
			`(() => { const e = document.querySelector('%s'); e.focus(); e.value = %q;
				e.dispatchEvent(new Event('input', { bubbles: true })); e.dispatchEvent(new Event('change',
				{ bubbles: true })); e.blur(); })()`, test(id), text)))
}

// key presses and lets go of a key, as a keyboard does.
func (p *page) key(keys ...string) {
	p.t.Helper()
	for _, k := range keys {
		p.must(chromedp.KeyEvent(k))
	}
}

// space presses or lets go of the space bar.
func (p *page) space(down bool) {
	p.t.Helper()
	typ := input.DispatchKeyEventTypeKeyUp
	if down {
		typ = input.DispatchKeyEventTypeKeyDown
	}
	if _, err := chromedp.Call(p.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: typ, Key: " ",
		Code: "Space", Text: " ", WindowsVirtualKeyCode: 32}); err != nil {
		p.t.Fatal(err)
	}
}

// shot saves a picture of the page.
func (p *page) shot(file string) {
	b, err := chromedp.Run(p.ctx, chromedp.CaptureScreenshot())
	if err != nil {
		p.t.Logf("no picture: %v", err)
		return
	}
	if err := os.WriteFile(file, b, 0o644); err != nil {
		p.t.Log(err)
	}
}

// look takes a picture of the page at rest, to be looked at, where KEENARC_LOOK names a folder.
func (p *page) look(name string) {
	p.t.Helper()
	dir := os.Getenv("KEENARC_LOOK")
	if dir == "" {
		return
	}
	p.atPeace()
	p.shot(filepath.Join(dir, name))
}

// atPeace waits until the page is at rest, its letters are there, nothing fades and the finder is
// drawn, or says that it cannot be.
func (p *page) atPeace() {
	p.t.Helper()
	p.atRest()
	p.faded()
	p.wait("the letters", `document.fonts.status === 'loaded'`)
	p.wait("the finder", `!$('finder') || $('finder').dataset.drawn > 0 || $('finder', '.none')`)
}

// faded waits until nothing fades. What opens begins to a few frames after it is there: it is looked
// for in six frames, one after the other.
func (p *page) faded() {
	p.t.Helper()
	until(p.t, "nothing to fade", func() bool {
		return eval[bool](p, `(async () => {
			for (let n = 0; n < 6; n++) {
				await new Promise((go) => requestAnimationFrame(go));
				if (document.getAnimations().some((a) => a.playState === 'running')) return false;
			}
			return true;
		})()`)
	})
}

// laidOut waits until the score of a move of 240 frames lies where it will.
func (p *page) laidOut() {
	p.t.Helper()
	p.wait("the score laid out", `$('staff-track', '.post[data-key="240"] rect')?.getBoundingClientRect().x > 1000`)
	p.atPeace()
}

// until waits for something that no page says.
func until(t *testing.T, what string, ok func() bool) {
	t.Helper()
	for late := time.Now().Add(patience(t, 40*time.Second)); !ok(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(late) {
			t.Fatalf("waited in vain for %s", what)
		}
	}
}

// rigWait waits until the floor's snapshot is as wanted.
func (a *app) rigWait(what string, ok func(link.State, bool) bool) {
	a.t.Helper()
	ch, end := a.Floor.Watch()
	defer end()
	late := time.After(patience(a.t, time.Minute))
	for {
		s := a.Floor.Now()
		if ok(s.State, s.Connected) {
			return
		}
		select {
		case <-ch:
		case <-time.After(100 * time.Millisecond):
		case <-late:
			lines, _ := a.Store.Takes(a.t.Context(), a.shot)
			last := ""
			if n := len(lines); n > 0 {
				last = fmt.Sprintf("; the last take: frame %g, %q", lines[n-1].Frame, lines[n-1].Why)
			}
			a.t.Fatalf("waited in vain for the rig to be %s; it is %s at %g%s", what, s.State.Mode, s.State.Frame, last)
		}
	}
}

// homed begins a homing and waits for its end; where the machine began homed there is none.
func (a *app) homed(begin func()) {
	a.t.Helper()
	if a.homedAlready {
		a.rigWait("homed already", func(s link.State, seen bool) bool { return seen && allHomed(s) })
		return
	}
	begin()
	a.rigWait("homing", func(s link.State, _ bool) bool { return s.Mode == link.Homing }) // it may be homed before
	a.rigWait("homed", func(s link.State, _ bool) bool { return s.Mode == link.Idle && allHomed(s) })
}

// allHomed reports whether every axis is.
func allHomed(s link.State) bool { return s.AllHomed() }

// atFirst begins a go-to and waits until the page says that it may roll.
func (a *app) atFirst(p *page, begin func()) {
	a.t.Helper()
	begin()
	a.rigWait("going", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
	a.rigWait("at first", func(s link.State, _ bool) bool { return s.Mode == link.Idle })
	p.wait("ready", `$('hold')?.classList.contains('ready')`)
}

// newest is the newest ended take with its trace, once there are so many.
func (a *app) newest(t *testing.T, count int) *journal.Take {
	t.Helper()
	for late := time.Now().Add(30 * time.Second); ; {
		lines, err := a.Store.Takes(t.Context(), a.shot)
		if n := len(lines); err == nil && n >= count && lines[n-1].Ended {
			take, err := a.Store.Take(t.Context(), lines[n-1].ID)
			if err != nil {
				t.Fatal(err)
			}
			return take
		}
		if time.Now().After(late) {
			t.Fatalf("take %d did not end: %v, %v", count, lines, err)
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// freeze stops everything in the page, as a browser does to a hidden tab.
func (p *page) freeze() { p.t.Helper(); p.lifecycle(cdppage.SetWebLifecycleStateStateFrozen) }

func (p *page) thaw() { p.t.Helper(); p.lifecycle(cdppage.SetWebLifecycleStateStateActive) }

func (p *page) lifecycle(state cdppage.SetWebLifecycleStateState) {
	p.t.Helper()
	if _, err := chromedp.Call(p.ctx, cdppage.SetWebLifecycleState,
		cdppage.SetWebLifecycleStateParams{State: state}); err != nil {
		p.t.Fatal(err)
	}
}

// pressesHold puts Space down on the hold target, which has the focus and is ready: a press before
// that is refused in words.
func (p *page) pressesHold() {
	p.t.Helper()
	p.wait("the hold target, ready", `document.activeElement === $('hold') && $('hold').classList.contains('ready')`)
	p.space(true)
}

// rollsByKey holds Space on what has the focus until the rig rolls, and lets go.
func (a *app) rollsByKey(p *page) {
	a.t.Helper()
	p.pressesHold()
	a.rigWait("rolling", func(s link.State, _ bool) bool { return s.Mode == link.Rolling })
	p.space(false)
	a.rigWait("still", func(s link.State, _ bool) bool { return s.Mode == link.Idle })
}

// number is a number as JSON has it.
func number(v float64) string {
	b, _ := json.Marshal(v)
	return string(b)
}

// unmarshal reads an answer that was given.
func unmarshal(t *testing.T, code int, text string, into any) {
	t.Helper()
	if err := json.Unmarshal([]byte(text), into); code != 200 || err != nil {
		t.Fatalf("%d %s: %v", code, text, err)
	}
}
