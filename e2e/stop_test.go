package e2e

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/link"
	"keenarc/stage"
	"keenarc/stage/machine"
	"keenarc/web"
)

// TestStopOnProcesses is the stage model in short on real processes and PostgreSQL: two servers,
// two windows, a machine; fingers are left on, Stop is pressed, servers are stopped dead for a
// while and killed. What the machine says of itself is held against what people did.
// KEENARC_STEPS steps (8; make soak: 100).
func TestStopOnProcesses(t *testing.T) {
	alone(t)
	steps := 8
	if v := os.Getenv("KEENARC_STEPS"); v != "" {
		n, err := strconv.Atoi(v)
		if err != nil {
			t.Fatal(err)
		}
		steps = n
	}
	d := desk(t)
	rig, err := stage.StartStandIn(context.Background(), binary, "--seed", "11")
	if err != nil {
		t.Fatal(err)
	}
	defer rig.Close()
	w := &hands{t: t, shot: d.shot, rng: rand.New(rand.NewPCG(uint64(steps), 3)), presses: map[string]*finger{}}
	for n := range 2 {
		home := folder(t)
		w.start = append(w.start, func() *process { return serve(t, home, d.url, rig.Addr) })
		w.servers = append(w.servers, w.start[n]())
		if n == 0 { // before the other one is there: it might come to drive instead
			w.servers[0].sees("the machine", d.shot, func(m *web.LiveMessage) bool { return m.Floor.Leased })
		}
	}
	w.servers[0].post("/api/machines/plank/home", `{}`)
	w.asked()
	w.servers[0].sees("it homed", d.shot, func(m *web.LiveMessage) bool {
		return m.Floor.State.AllHomed() && m.Floor.State.Mode == link.Idle
	})
	watch, stop := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	wg.Go(func() { w.look(watch, rig.Addr) })
	for n := range steps {
		w.play(n)
		if s := w.wrong(); s != "" {
			t.Errorf("step %d: %s\n%s", n, s, strings.Join(w.story, "\n"))
			break
		}
	}
	stop()
	wg.Wait()
}

// finger is one press, until it was let go.
type finger struct{ ended time.Time }

// hands are what people do.
type hands struct {
	t       *testing.T
	shot    string
	rng     *rand.Rand
	start   []func() *process
	servers []*process
	mu      sync.Mutex
	story   []string
	presses map[string]*finger
	ask     time.Time // when the last move was asked for
	stopped time.Time // when a stop was answered last
	bad     string
}

func (w *hands) say(format string, v ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.story = append(w.story, time.Now().Format("05.000 ")+fmt.Sprintf(format, v...))
}

func (w *hands) asked() {
	w.mu.Lock()
	w.ask = time.Now()
	w.mu.Unlock()
}

func (w *hands) wrong() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.bad
}

// grace is how long after its end a press may be felt here: the silence, what a word may be
// late, and what a machine that others share may be late itself.
const grace = 900 * time.Millisecond

// look reads the machine's own states over a connection that only watches.
func (w *hands) look(ctx context.Context, addr string) {
	c, err := link.Dial(ctx, addr)
	if err != nil {
		w.t.Error(err)
		return
	}
	defer c.Close()
	if _, err := link.Ask(ctx, c, link.Watch{}); err != nil {
		w.t.Error(err)
		return
	}
	still := true
	for {
		select {
		case <-ctx.Done():
			return
		case ev, ok := <-c.Events():
			if !ok {
				return
			}
			if ev.State == nil {
				continue
			}
			s := ev.State
			w.mu.Lock()
			switch {
			case s.Still():
			case (s.Mode == link.Jogging || s.Mode == link.Rolling) && s.Press != "":
				_, name, _ := strings.Cut(s.Press, "/")
				if p := w.presses[name]; p == nil || !p.ended.IsZero() && time.Since(p.ended) > grace {
					w.bad = fmt.Sprintf("it is %s by %s, which has ended", s.Mode, name)
				}
			case (s.Mode == link.Moving || s.Mode == link.Homing) && still && time.Since(w.ask) > 2*time.Second+grace:
				w.bad = fmt.Sprintf("it sets out %v after anybody asked", time.Since(w.ask))
			case (s.Mode == link.Moving || s.Mode == link.Homing) && still && w.stopped.After(w.ask) &&
				time.Since(w.stopped) > grace:
				w.bad = "it sets out after a stop"
			}
			still = s.Still()
			w.mu.Unlock()
		}
	}
}

// hold holds a jog on a server until it is let go; what it says and hears is its own.
func (w *hands) hold(s *process, d time.Duration, leave bool) (end func()) {
	name := fmt.Sprintf("finger-%d", w.rng.Int64())
	ctx, cancel := context.WithTimeout(w.t.Context(), 30*time.Second)
	c, _, err := websocket.Dial(ctx, strings.Replace(s.addr, "http", "ws", 1)+"/api/jog?machine=plank&page=p", nil)
	if err != nil {
		cancel()
		return func() {}
	}
	began := time.Now()
	at := func() float64 { return float64(time.Since(began).Microseconds())/1000 + 1 }
	p := &finger{}
	w.mu.Lock()
	w.presses[name] = p
	w.mu.Unlock()
	_ = wsjson.Write(ctx, c, map[string]any{"at": at()})
	_ = wsjson.Write(ctx, c, map[string]any{"press": name, "axis": "pan", "way": 1 - 2*w.rng.IntN(2), "at": at()})
	var wg sync.WaitGroup
	wg.Go(func() {
		for n := 1; ctx.Err() == nil; n++ {
			time.Sleep(link.BeatMS * time.Millisecond)
			w.mu.Lock()
			over := !p.ended.IsZero()
			w.mu.Unlock()
			if over && !leave {
				return
			}
			_ = wsjson.Write(ctx, c, map[string]any{"press": name, "beat": n, "at": at()})
		}
	})
	time.Sleep(d)
	return func() {
		w.over(p)
		if !leave {
			_ = wsjson.Write(ctx, c, map[string]any{"release": true, "at": at()})
		}
		cancel()
		wg.Wait()
		c.CloseNow()
	}
}

func (w *hands) over(p *finger) {
	w.mu.Lock()
	if p.ended.IsZero() {
		p.ended = time.Now()
	}
	w.mu.Unlock()
}

// stop presses Stop on a server: whatever was held or asked before it is over.
func (w *hands) stop(s *process) {
	r, err := http.Post(s.addr+"/api/stop", "", nil)
	if err != nil {
		return
	}
	r.Body.Close()
	if r.StatusCode != http.StatusNoContent {
		w.say("stop: %s", r.Status)
		return
	}
	w.mu.Lock()
	w.stopped = time.Now()
	for _, p := range w.presses {
		if p.ended.IsZero() {
			p.ended = time.Now()
		}
	}
	w.mu.Unlock()
}

// play is one step.
func (w *hands) play(step int) {
	k := w.rng.IntN(2)
	s, other := w.servers[k], w.servers[1-k]
	ms := func(n int) time.Duration { return time.Duration(50+w.rng.IntN(n)) * time.Millisecond }
	switch step % 5 {
	case 0: // a finger stays on while somebody else stops it
		w.say("a finger stays on server %d, the other one stops it", k)
		end := w.hold(s, ms(900), true)
		w.stop(other)
		time.Sleep(2400 * time.Millisecond)
		end()
	case 1: // the server stands still, the finger is lifted meanwhile
		w.say("server %d stands still under a finger", k)
		end := w.hold(s, ms(500), false)
		_ = s.cmd.Process.Signal(syscall.SIGSTOP)
		time.Sleep(ms(1500))
		done := make(chan struct{})
		go func() { defer close(done); end() }()
		time.Sleep(300 * time.Millisecond)
		_ = s.cmd.Process.Signal(syscall.SIGCONT)
		<-done
		time.Sleep(2500 * time.Millisecond)
	case 2: // a move, and Stop right after it
		w.say("a move by server %d, stopped by the other", k)
		w.asked()
		_, _ = s.try("/api/machines/plank/go", fmt.Sprintf(`{"to":{"track":%d},"share":0.5}`, 100+w.rng.IntN(1200)))
		time.Sleep(time.Duration(w.rng.IntN(400)) * time.Millisecond)
		w.stop(other)
		time.Sleep(2 * time.Second)
	case 3: // ten homings, and Stop in the middle of them
		w.say("ten homings by server %d, stopped by the other", k)
		w.asked()
		_, _ = s.try("/api/machines/plank/home", `{"axes":["roll"],"times":10}`)
		time.Sleep(ms(2500))
		w.mu.Lock()
		w.ask = time.Now() // the next of them may just have begun
		w.mu.Unlock()
		w.stop(other)
		time.Sleep(3 * time.Second)
	case 4: // killed under a finger, and there again
		w.say("server %d is killed under a finger", k)
		end := w.hold(s, ms(700), false)
		_ = s.cmd.Process.Kill()
		_ = s.cmd.Wait()
		end()
		w.servers[k] = w.start[k]()
		time.Sleep(time.Second)
	}
}

// Stop from another window in the middle of each thing that moves a machine, by hand in the
// browser: it comes to rest and stays there, however long the first window goes on holding;
// every window says whose press it is; and what the first window held is let go of there, too.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestStopInTheMiddle(t *testing.T) {
	holds(t)
	a := start(t, twice) // a move is to last until it is stopped
	p := a.open("/shot/" + a.shot + "/line-up")
	q := a.open("/shot/" + a.shot + "/compose")
	q.there("whose")
	in := func(mode string) func(link.State, bool) bool {
		return func(s link.State, _ bool) bool { return s.Mode == mode }
	}
	// stopped presses Esc in the other window while something moves, and sees that it rests.
	stopped := func(what, says string) {
		t.Helper()
		q.wait(what+": whose it is", `$('whose').textContent.includes('other page: `+says+`')`)
		p.wait(what+": mine", `$('whose').textContent.includes('this page: `+says+`')`)
		q.look("stop-" + strings.NewReplacer(" ", "-", "'", "").Replace(what) + ".png")
		q.must(chromedp.KeyEvent("\u001b"))
		a.rigWait(what+": at rest", in(link.Idle))
		at := a.Floor.Now().State.Axes
		time.Sleep(700 * time.Millisecond) // nearly three seconds of its own: past every stage of a jog
		for id, x := range a.Floor.Now().State.Axes {
			if d := x.Asked - at[id].Asked; d > 0.02 || d < -0.02 { // less than a motor step: it comes to rest
				t.Errorf("%s: after Stop %s went on by %g", what, id, d)
			}
		}
		q.wait(what+": nobody's", `!$('whose').textContent.includes('page:')`)
	}
	p.wait("the axes", `document.querySelector('[data-test="jog-up"][aria-disabled="false"]')`)

	p.click("pick-axis-pan")
	p.reads("home-one", "Pan")
	slowly := func(id, share string) { // so that it does not come to its end meanwhile
		p.does(fmt.Sprintf(`const e = $(%q); e.value = %q; e.dispatchEvent(new Event('input', { bubbles: true }))`, id,
			share))
	}
	slowly("jog-share", "10")
	p.pointer("jog-up", input.DispatchMouseEventTypeMousePressed)
	a.rigWait("jogging", in(link.Jogging))
	stopped("a jog", "Pan is jogged")
	p.wait("it is let go of here, too", `!$('jog-up').classList.contains('held')`)
	p.reads("jog-said", "It was stopped")
	p.look("stop-jog-said.png")
	p.pointer("jog-up", input.DispatchMouseEventTypeMouseReleased)
	p.pointer("jog-up", input.DispatchMouseEventTypeMousePressed)
	a.rigWait("jogging by a fresh press", in(link.Jogging))
	p.pointer("jog-up", input.DispatchMouseEventTypeMouseReleased)
	a.rigWait("still", in(link.Idle))

	p.click("home")
	p.click("ask-yes")
	a.rigWait("homing", in(link.Homing))
	stopped("homing", "homing")
	if s := a.Floor.Now().State; s.AllHomed() {
		t.Error("it was homed all the same")
	}
	a.homed(func() { a.post("/api/machines/plank/home", "{}") })
	a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`)

	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/shoot"))
	p.there("hold")
	p.key("f")
	p.yes()
	a.rigWait("going", in(link.Moving))
	stopped("going to first", "going to frame 0000 of path 1")
	p.gone("ask-yes") // the answer to the first is read
	p.atRest()
	a.atFirst(p, func() { p.key("f"); p.click("ask-yes") })

	p.must(chromedp.Focus(chromedp.CSS(test("hold"))))
	p.pressesHold()
	a.rigWait("rolling", in(link.Rolling))
	a.underWay(15)
	stopped("a pass", "pass 1")
	p.reads("hold-says", "stop was pressed")
	p.look("stop-pass-stopped.png")
	p.space(false)

	// Live, on Compose: a nudge that is held.
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/compose"))
	p.wait("live", `document.querySelector('[data-test="live-on"]:not([disabled])')`)
	p.click("live-on")
	p.click("ask-yes")
	p.reads("live-sign", "while they are pressed")
	slowly("live-share", "0.1")
	p.must(chromedp.Focus(chromedp.CSS(test("staff-track"))))
	p.arrow("ArrowRight", true)
	a.rigWait("steered", in(link.Jogging))
	stopped("live steering", "Track is jogged")
	p.arrow("ArrowRight", false)
	p.must(chromedp.KeyEvent("\u001b"))
	p.gone("live-sign")

	// A frame's move: it rests where it is, says so, and goes on by another N only.
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.other("SL-030") + "/shoot"))
	for n := range 2 {
		p.reads("ready", "Press N to go there")
		p.key("n")
		p.wait("a question about the way",
			`document.querySelector('#ask-title')?.textContent.includes('to frame 0000')`)
		if n == 1 { // not a second time: one N, and no other, has moved it
			p.key("\u001b")
			break
		}
		p.yes()
		a.rigWait("going to a frame", in(link.Moving))
		stopped("a frame's move", "going to frame 0000")
		p.reads("frames-trouble", "the rig stopped on its way to frame 0000; press N to go on")
		p.look("stop-frame-stopped.png")
	}

	// A machine that is away cannot be told: that is said in large, until it is read.
	a.StandIns["turnstile"].Close()
	f, err := a.Floors.Of("turnstile")
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Until(t.Context(), func(s machine.Snapshot) bool { return !s.Connected }); err != nil {
		t.Fatal(err)
	}
	p.must(chromedp.KeyEvent("\u001b"))
	p.reads("stop-missed", "did not reach every machine: Turnstile")
	p.look("stop-missed.png")
	p.click("stop-read")
	p.gone("stop-missed")
}
