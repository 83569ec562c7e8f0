package web

import (
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"strconv"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/alexedwards/scs/v2/memstore"
	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/journal/journaltest"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
	"keenarc/standin"
	"keenarc/standin/standintest"
)

// TestModel plays a stage: three pages and two servers on one machine, with a journal that
// stalls and fails, wires that stall and break, servers that are killed, a machine that is
// switched off, another program that takes the lease. After every millisecond what the machine
// truly does is held against what people did: nothing is moved but by a press that is held, or
// by a move that somebody set off and nobody stopped since; whatever is let go, stopped or
// silent comes to rest; nothing sets out again by itself; no row and no line is lost, doubled
// or told wrongly. KEENARC_STEPS steps (10,000), from KEENARC_SEED (1).
func TestModel(t *testing.T) {
	steps, seed := number(t, "KEENARC_STEPS", 10_000), number(t, "KEENARC_SEED", 1)
	each := 2500 // a stage each, so that a fault is found from where it began
	for n := 0; n*each < steps; n++ {
		t.Run(fmt.Sprintf("seed %d", seed+n), func(t *testing.T) {
			t.Parallel()
			synctest.Test(t, func(t *testing.T) {
				w := newModel(t, uint64(seed+n))
				defer w.close()
				for w.step = range min(each, steps-n*each) {
					w.play()
					if w.failed != "" {
						t.Fatalf("step %d, %v: %s\n%s", w.step, time.Since(w.began), w.failed,
							strings.Join(w.story, "\n"))
					}
					if w.step%500 == 499 {
						w.calm()
					}
				}
				w.calm()
				if w.failed != "" {
					t.Fatalf("at the end: %s\n%s", w.failed, strings.Join(w.story, "\n"))
				}
				t.Logf("%v; %s", time.Since(w.began).Round(time.Second), w.tally())
			})
		})
	}
}

func number(t *testing.T, name string, otherwise int) int {
	t.Helper()
	v := os.Getenv(name)
	if v == "" {
		return otherwise
	}
	n, err := strconv.Atoi(v)
	if err != nil {
		t.Fatalf("%s=%s: %v", name, v, err)
	}
	return n
}

// model is the stage, and what people did on it.
type model struct {
	t       *testing.T
	rng     *rand.Rand
	began   time.Time
	bg      sync.WaitGroup
	step    int
	story   []string // what was done last
	failed  string
	counts  map[string]int
	disk    *journaltest.Disk
	gate    *gate
	office  *modelOffice
	servers []*modelServer
	pages   []*modelPage
	pass    *act.Pass
	desk    *ready.Desk

	rig      *standin.Server
	rigDoor  *standintest.Door
	rigOff   func()
	on       bool
	onSince  time.Time
	offSince time.Time

	mu      sync.Mutex
	presses map[string]*deed // by name
	asks    []*deed          // moves that somebody set off
	stopAt  time.Time        // when the machine last heard a stop
	stopOf  time.Time        // when that was pressed, at the latest
	stopped time.Time        // when somebody last pressed Stop
	last    standin.Moment
	moving  *deed     // what set off that which moves
	since   time.Time // when it began to move
	braking time.Time // when it began to slow; zero: it does not
	rows    map[string]int
	boots   map[string]string // of takes that were seen, by id
}

// deed is a press, or a move that was asked for.
type deed struct {
	what  string
	began time.Time
	ended time.Time // let go, frozen, cut off or refused; zero: not yet
	never bool      // it was refused
	sv    *modelServer
}

// How long things may take: until a press that has ended is felt, until what brakes is at rest.
const (
	felt     = (link.SilenceMS + 10) * time.Millisecond
	restsIn  = 4 * time.Second
	heartful = (link.SilenceMS + 10)
	// A beat may wait so long for the wire to the machine, besides what it may be late to the server.
	onTheWire = 100 * time.Millisecond
	tooOld    = 2 * time.Second // as it was decided, whatever the program has
)

func newModel(t *testing.T, seed uint64) *model {
	w := &model{t: t, rng: rand.New(rand.NewPCG(seed, 0x5707)), began: time.Now(), counts: map[string]int{},
		disk: journaltest.NewDisk(), gate: &gate{},
		office: &modelOffice{}, presses: map[string]*deed{}, rows: map[string]int{}, boots: map[string]string{}}
	w.sealed()
	w.switchOn()
	for n := range 2 {
		w.servers = append(w.servers, &modelServer{w: w, n: n})
		w.servers[n].start()
	}
	for n := range 3 {
		p := &modelPage{w: w, n: n, sv: w.servers[n%2]}
		w.pages = append(w.pages, p)
		p.open()
	}
	w.wait(2 * time.Second)
	return w
}

// sealed is a short path of Plank's.
func (w *model) sealed() {
	r, err := rig.Join(examples.Plank())
	if err != nil {
		w.t.Fatal(err)
	}
	keys := "frame,track_mm,pan_deg,tilt_deg,roll_deg,focus_deg\n0,500,2,0,0,150\n48,640,6,-1,0,160\n"
	p, err := exchange.PlanFromKeys(bytes.NewReader([]byte(keys)), r, examples.Camera(), clock.Rate{Num: 24, Den: 1},
		curve.Smooth)
	if err != nil {
		w.t.Fatal(err)
	}
	table, _, err := seal.Make(w.t.Context(), p, examples.Plank())
	if err != nil {
		w.t.Fatal(err)
	}
	m, err := path.Compile(p, r)
	if err != nil {
		w.t.Fatal(err)
	}
	b, err := limit.Brake(w.t.Context(), m, r, 24)
	if err != nil {
		w.t.Fatal(err)
	}
	sum := table.Fingerprint()
	w.pass = &act.Pass{ID: "p", Name: "model", Number: 1, Machine: "plank", Table: table,
		Print: hex.EncodeToString(sum[:]), Clock: clock.Times(clock.Rate{Num: 1, Den: 1}), BrakeS: b.Seconds}
	w.desk = &ready.Desk{Machines: examples.Plank(), Rig: r, Keyed: true, Sealed: true, Table: table,
		Print: w.pass.Print, PassName: "pass 1"}
	w.desk.Lay()
}

func (w *model) say(format string, v ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.story = append(w.story, fmt.Sprintf("%9.3f %s", time.Since(w.began).Seconds(), fmt.Sprintf(format, v...)))
	if len(w.story) > 60 {
		w.story = w.story[1:]
	}
}

func (w *model) wrong(format string, v ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.failed == "" {
		w.failed = fmt.Sprintf(format, v...) + fmt.Sprintf(" [%+v]", w.last)
	}
}

func (w *model) tally() string {
	var out []string
	for _, k := range []string{"roll", "rolled", "jog", "go", "gone", "home", "homed", "stop", "unreached", "freeze",
		"drop", "stall", "journal", "kill", "off", "foreign", "tangle", "set off: roll", "set off: jog",
		"set off: a move", "set off: homing"} {
		out = append(out, fmt.Sprintf("%s %d", k, w.counts[k]))
	}
	for k, n := range w.counts {
		if strings.HasPrefix(k, "refused") {
			out = append(out, fmt.Sprintf("\n%d %s", n, k))
		}
	}
	return strings.Join(out, ", ")
}

func (w *model) count(what string) {
	w.mu.Lock()
	w.counts[what]++
	w.mu.Unlock()
}

// switchOn starts the machine, somewhere it does not know.
func (w *model) switchOn() {
	w.rigDoor = standintest.NewDoor()
	s, err := standin.On(standin.Options{Rig: examples.Rigs()["plank"], Seed: w.rng.Uint64(), Pace: 1},
		w.rigDoor, standintest.Time{})
	if err != nil {
		w.t.Fatal(err)
	}
	ctx, off := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); _ = s.Run(ctx) }()
	w.rig, w.on, w.onSince = s, true, time.Now()
	w.rigOff = func() { off(); <-done }
}

func (w *model) close() {
	w.gate.set(false, false)
	for _, p := range w.pages {
		p.shut()
	}
	for _, s := range w.servers {
		s.line.free()
		s.wire.free()
		s.stop(false)
	}
	w.rigOff()
	w.bg.Wait()
}

// wait lets time go by, looking after every millisecond.
func (w *model) wait(d time.Duration) {
	for range d.Milliseconds() {
		time.Sleep(time.Millisecond)
		w.look()
	}
}

// look holds what the machine truly does against what people did.
func (w *model) look() {
	if !w.on {
		return
	}
	m, now := w.rig.Truly(), time.Now()
	w.mu.Lock()
	was := w.last
	w.last = m
	for id, n := range m.Takes {
		w.rows[id], w.boots[id] = n, m.Boot
	}
	w.mu.Unlock()
	if m.Boot != was.Boot {
		w.moving, w.stopAt = nil, time.Time{}
		return
	}
	if m.Begun != was.Begun { // what moved is over, and something else begins
		w.moving = nil
	}
	if m.Stops != was.Stops {
		w.mu.Lock()
		w.stopAt, w.stopOf = now, w.stopped
		w.mu.Unlock()
	}
	switch {
	case m.Mode == link.Idle || m.Mode == link.Armed: // its drives hold what they were asked for
		w.moving, w.braking = nil, time.Time{}
		return
	case !m.Moves:
		w.braking = time.Time{}
		return
	case w.moving == nil:
		w.moving, w.since = w.cause(m, now), now
		if w.moving == nil && m.Braking { // let go of in the same millisecond
			w.moving = &deed{what: "what was let go of at once", began: now}
		}
		if w.moving == nil {
			w.wrong("it moves, and nobody asked for it")
			return
		}
		w.count("set off: " + strings.Split(strings.Split(w.moving.what, "-")[0], " to ")[0])
	}
	if !m.Braking {
		w.braking = time.Time{}
	} else if w.braking.IsZero() {
		w.braking = now
	}
	if w.refused(w.moving) { // it was another one's
		if w.moving = w.cause(m, w.since); w.moving == nil {
			w.wrong("it moves, and what was asked for was refused")
			return
		}
	}
	c := w.moving
	switch {
	case m.Braking && now.Sub(w.braking) > restsIn:
		w.wrong("it slows for %v already", now.Sub(w.braking))
	case m.Braking:
	case w.overtaken(c) && now.Sub(w.stopAt) > 20*time.Millisecond && w.since.After(w.stopAt):
		w.wrong("it sets out %v after a stop on what was asked before it: %s", now.Sub(w.stopAt), c.what)
	case w.overtaken(c) && now.Sub(w.stopAt) > 20*time.Millisecond:
		w.wrong("it goes on %v after a stop: %s", now.Sub(w.stopAt), c.what)
	case (m.Mode == link.Rolling || m.Mode == link.Jogging) && m.Tick-m.Beat > heartful:
		w.wrong("it goes on %d ms after the last beat", m.Tick-m.Beat)
	case (m.Mode == link.Moving || m.Mode == link.Homing) && m.Tick-m.Heard > heartful:
		w.wrong("it goes on %d ms after the last word", m.Tick-m.Heard)
	case !c.ended.IsZero() && now.Sub(c.ended) > felt+silence/2+onTheWire:
		w.wrong("it goes on %v after %s ended", now.Sub(c.ended), c.what)
	}
}

// overtaken reports whether a stop came after something was asked for: it was pressed after it, and
// heard. (It is seen a millisecond late; one that a stalled server has passed on late may be heard
// after a fresh press was made.)
func (w *model) overtaken(d *deed) bool {
	return !w.stopAt.IsZero() && w.stopAt.Sub(d.began) > time.Millisecond && w.stopOf.After(d.began)
}

func (w *model) refused(d *deed) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return d.never
}

// cause is what sets a machine off now: the press that is held, or the newest move that was
// asked for not long ago.
func (w *model) cause(m standin.Moment, now time.Time) *deed {
	w.mu.Lock()
	defer w.mu.Unlock()
	if m.Mode == link.Rolling || m.Mode == link.Jogging || m.Mode == link.Braking {
		_, name, _ := strings.Cut(m.Press, "/")
		d := w.presses[name]
		if d == nil || !d.ended.IsZero() && now.Sub(d.ended) > felt+silence/2 {
			return nil
		}
		return d
	}
	for k := len(w.asks) - 1; k >= 0; k-- {
		if d := w.asks[k]; d.ended.IsZero() && (now.Sub(d.began) <= tooOld+50*time.Millisecond || d.what == "homing") {
			return d
		}
	}
	return nil
}

// play is one step: something that somebody does, or that happens.
func (w *model) play() {
	p := w.pages[w.rng.IntN(len(w.pages))]
	if p.lost && !p.sv.dead {
		p.open()
	}
	s := w.servers[w.rng.IntN(len(w.servers))]
	switch n := w.rng.IntN(100); {
	case n < 25:
		p.sensible()
	case n < 33:
		p.press("jog")
		w.wait(time.Duration(w.rng.IntN(900)) * time.Millisecond)
	case n < 36:
		p.press("roll")
	case n < 46:
		p.release()
	case n < 48:
		p.freeze()
	case n < 49:
		p.drop()
	case n < 51:
		p.goTo(nil)
	case n < 52 && w.rng.IntN(3) == 0:
		p.home()
	case n < 56:
		p.stop()
	case n < 57:
		w.stall(s)
	case n < 58:
		w.stallJournal()
	case n < 59 && w.rng.IntN(6) == 0:
		w.kill(s)
	case n < 60 && w.rng.IntN(6) == 0:
		w.powerCut()
	case n < 61 && w.rng.IntN(2) == 0:
		w.foreign()
	case n < 62:
		w.tangle()
	case n < 64 && n >= 63 && w.rng.IntN(2) == 0: // a move that waits for the journal
		w.count("journal")
		w.say("the journal stalls for 4 s under a move")
		w.rests(5 * time.Second)
		w.gate.set(true, false)
		p.goTo(nil)
		w.wait(4 * time.Second)
		w.gate.set(false, false)
		w.wait(2 * time.Second)
	case n < 63 && w.rng.IntN(2) == 0: // a stop over a wire that stalls
		w.count("stall")
		w.say("the wire of server %d stalls for 2.5 s, and Stop is pressed there", s.n)
		l := s.wire
		l.stall()
		w.bg.Go(func() { time.Sleep(2500 * time.Millisecond); l.free() })
		w.wait(time.Duration(100+w.rng.IntN(500)) * time.Millisecond)
		(&modelPage{w: w, n: 7, sv: s}).stop()
		w.wait(7 * time.Second)
	case n < 70:
		w.wait(time.Duration(w.rng.IntN(2500)) * time.Millisecond)
	}
	w.wait(time.Duration(w.rng.IntN(70)) * time.Millisecond)
	w.agree()
}

// tangle is one of the ways in which hands got into each other's: a finger is left on a jog that
// somebody else stops; then a third rolls, and their page freezes.
func (w *model) tangle() {
	a, b, c := w.pages[0], w.pages[1], w.pages[2]
	if !a.sv.f.Now().Leased {
		a, b = b, a
	}
	for _, p := range w.pages {
		p.release()
		p.thaw()
	}
	w.count("tangle")
	w.say("a tangle")
	w.rests(8 * time.Second)
	a.press("jog")
	w.wait(time.Duration(100+w.rng.IntN(500)) * time.Millisecond)
	b.stop()
	w.wait(time.Duration(w.rng.IntN(2500)) * time.Millisecond)
	w.rests(4 * time.Second)
	if c.sv != a.sv { // who rolls is on the server that drives
		c = &modelPage{w: w, n: 8, sv: a.sv}
		c.open()
		defer c.shut()
	}
	for range 3 {
		c.sensible()
		w.rests(12 * time.Second)
	}
	c.press("roll")
	w.wait(time.Duration(300+w.rng.IntN(600)) * time.Millisecond)
	c.freeze()
	w.wait(1200 * time.Millisecond)
	c.thaw()
	c.release()
	a.release()
}

// rests waits until it stands still, as long as that takes.
func (w *model) rests(most time.Duration) {
	w.wait(150 * time.Millisecond)
	for range int(most / (50 * time.Millisecond)) {
		if w.moving == nil {
			return
		}
		w.wait(50 * time.Millisecond)
	}
}

// agree holds what servers say of the machine against it.
func (w *model) agree() {
	for _, s := range w.servers {
		if s.dead {
			continue
		}
		n := s.f.Now()
		if n.Connected && w.on && n.State.Boot != "" && n.State.Boot != n.Boot {
			w.wrong("server %d shows a state of before: boot %s, connected to %s", s.n, n.State.Boot, n.Boot)
		}
		if n.Connected && !w.on && time.Since(w.offSince) > 4*time.Second {
			w.wrong("server %d sees a machine that is off", s.n)
		}
		if n.Connected && n.State.Mode == "" {
			w.wrong("server %d shows a machine that has not said how it stands", s.n)
		}
	}
}

// calm lets everything go and mends all wires, then asks for a move: it is made. All that was
// rolled is kept.
func (w *model) calm() {
	w.say("calm")
	w.gate.set(false, false)
	for _, p := range w.pages {
		p.release()
		p.thaw()
	}
	for _, s := range w.servers {
		s.line.free()
		s.wire.free()
		if s.dead {
			s.start()
		}
	}
	for _, p := range w.pages {
		p.open()
	}
	w.wait(6 * time.Second)
	w.rests(60 * time.Second)
	s := w.servers[0]
	if !s.f.Driven() {
		s = w.servers[1]
	}
	for range 90 { // between two of several homings it rests, too
		if len(s.srv.conductor.Arbiter.Doing()) == 0 {
			break
		}
		w.wait(time.Second)
	}
	if !s.f.Now().Leased {
		w.wrong("with everything in order server %d has no lease: %+v", s.n, s.f.Now())
		return
	}
	p := &modelPage{w: w, n: 9, sv: s}
	if !w.last.Homed {
		p.home()
		w.wait(60 * time.Second)
	}
	w.mu.Lock()
	before := w.counts["gone"]
	w.mu.Unlock()
	p.goTo(map[string]float64{"track": 300 + 900*w.rng.Float64()})
	w.wait(15 * time.Second)
	w.mu.Lock()
	if w.counts["gone"] == before && w.failed == "" {
		w.failed = "with everything in order a move is refused: " + strings.Join(w.story[max(0, len(w.story)-2):], "; ")
	}
	w.mu.Unlock()
	for _, s := range w.servers {
		if d := s.srv.conductor.Arbiter.Doing(); len(d) > 0 {
			w.wrong("server %d goes on with %+v", s.n, d)
		}
	}
	w.kept()
}

// kept holds what is written down against what the machine has rolled.
func (w *model) kept() {
	lines := map[string]int{}
	for _, e := range w.disk.All() {
		lines[e.ID]++
	}
	for id, n := range lines {
		if n > 1 {
			w.wrong("the log has %s %d times", id, n)
		}
	}
	for _, id := range w.disk.IDs() {
		k := w.disk.Take(id)
		if !k.Ended {
			w.wrong("take %s is never ended", id)
		}
		if n, ok := w.rows[id]; ok && w.boots[id] == w.last.Boot && (k.Rows != n || !k.Trace.Whole() ||
			len(k.Trace.Pos) != n) {
			w.wrong("take %s has %d rows, %d kept, whole %v; the machine rolled %d", id, k.Rows, len(k.Trace.Pos),
				k.Trace.Whole(), n)
		}
	}
	for id := range w.rows {
		if w.disk.Begun(id) == nil {
			w.wrong("the machine rolled a take %s that nobody began", id)
		}
	}
}

func (w *model) stall(s *modelServer) {
	if s.dead {
		return
	}
	w.count("stall")
	d := time.Duration(20+w.rng.IntN(400)) * time.Millisecond
	if w.rng.IntN(5) == 0 {
		d = time.Duration(1000+w.rng.IntN(4000)) * time.Millisecond
	}
	w.say("server %d stalls for %v", s.n, d)
	pages, rig := s.line, s.wire
	if rig.stall(); w.rng.IntN(2) == 0 { // as a whole, not its wire alone
		pages.stall()
	}
	w.bg.Go(func() { time.Sleep(d); rig.free(); pages.free() })
}

func (w *model) stallJournal() {
	w.count("journal")
	d := time.Duration(100+w.rng.IntN(5000)) * time.Millisecond
	fails := w.rng.IntN(3) == 0
	w.say("the journal stalls (fails: %v) for %v", fails, d)
	w.gate.set(true, fails)
	w.bg.Go(func() { time.Sleep(d); w.gate.set(false, false) })
}

func (w *model) kill(s *modelServer) {
	if s.dead {
		return
	}
	w.count("kill")
	w.say("server %d is killed", s.n)
	s.stop(true)
	w.wait(time.Duration(w.rng.IntN(1500)) * time.Millisecond)
	w.say("server %d starts", s.n)
	s.start()
	for _, p := range w.pages {
		if p.sv == s {
			p.open()
		}
	}
}

func (w *model) powerCut() {
	w.count("off")
	w.say("the machine is switched off and on")
	w.on, w.offSince = false, time.Now()
	w.rigOff()
	for range w.rng.IntN(120) {
		time.Sleep(50 * time.Millisecond)
		w.agree()
	}
	w.switchOn()
	for range 40 { // as it comes back
		w.wait(5 * time.Millisecond)
		w.agree()
	}
}

// foreign is another program that takes the lease, and goes away again.
func (w *model) foreign() {
	w.count("foreign")
	w.say("another program takes the lease")
	c, err := w.rigDoor.Connect(context.Background())
	if err != nil {
		return
	}
	w.bg.Go(func() {
		l := link.NewClient(c)
		defer l.Close()
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		_, _ = link.Ask(ctx, l, link.TakeLease{})
		time.Sleep(300 * time.Millisecond)
	})
}

// line is what all connections of one server run over: it can be stalled.
type line struct {
	mu    sync.Mutex
	held  chan struct{} // nil: it runs
	since time.Time     // since when it runs
	sees  func([]byte)  // is told of what goes over it; nil: nobody is
}

func (l *line) stall() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.held == nil {
		l.held = make(chan struct{})
	}
}

func (l *line) free() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.held != nil {
		close(l.held)
		l.held, l.since = nil, time.Now()
	}
}

// runs is how long it has run; 0: it is stalled.
func (l *line) runs() time.Duration {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.held != nil {
		return 0
	}
	return time.Since(l.since)
}

// pause waits while it is stalled, until a deadline.
func (l *line) pause(deadline time.Time) error {
	l.mu.Lock()
	held := l.held
	l.mu.Unlock()
	if held == nil {
		return nil
	}
	var late <-chan time.Time
	if !deadline.IsZero() {
		late = time.After(time.Until(deadline))
	}
	select {
	case <-held:
		return nil
	case <-late:
		return os.ErrDeadlineExceeded
	case <-time.After(20 * time.Second):
		return io.ErrClosedPipe
	}
}

// strung is a connection over a line.
type strung struct {
	net.Conn
	l        *line
	mu       sync.Mutex
	deadline time.Time
}

func (s *strung) SetWriteDeadline(t time.Time) error {
	s.mu.Lock()
	s.deadline = t
	s.mu.Unlock()
	return s.Conn.SetWriteDeadline(t)
}

// Write lets half of it through before it stalls, as a wire does.
func (s *strung) Write(b []byte) (int, error) {
	s.l.mu.Lock()
	held, sees := s.l.held, s.l.sees
	s.l.mu.Unlock()
	if sees != nil {
		sees(b)
	}
	if held == nil {
		return s.Conn.Write(b)
	}
	half := len(b) / 2
	if n, err := s.Conn.Write(b[:half]); err != nil {
		return n, err
	}
	s.mu.Lock()
	d := s.deadline
	s.mu.Unlock()
	if err := s.l.pause(d); err != nil {
		return half, err
	}
	n, err := s.Conn.Write(b[half:])
	return half + n, err
}

func (s *strung) Read(b []byte) (int, error) {
	n, err := s.Conn.Read(b)
	_ = s.l.pause(time.Time{})
	return n, err
}

// gate is the way to the journal: it can be shut, and it can fail.
type gate struct {
	mu    sync.Mutex
	shut  chan struct{}
	fails bool
}

func (g *gate) set(shut, fails bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.fails = fails
	switch {
	case shut && g.shut == nil:
		g.shut = make(chan struct{})
	case !shut && g.shut != nil:
		close(g.shut)
		g.shut = nil
	}
}

func (g *gate) pass(ctx context.Context) error {
	g.mu.Lock()
	shut, fails := g.shut, g.fails
	g.mu.Unlock()
	if shut == nil {
		return nil
	}
	if fails {
		return errors.New("the journal refuses")
	}
	select {
	case <-shut:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// gated is the journal as one server reaches it. What must not be lost waits at the gate, as
// in a spool; a server that is dead reaches nothing.
type gated struct {
	*journaltest.Disk
	w    *model
	n    int
	dead chan struct{}
}

func (j *gated) alive() error {
	select {
	case <-j.dead:
		return errors.New("this server is dead")
	default:
		return nil
	}
}

func (j *gated) Begin(ctx context.Context, t *journal.Take) error {
	if err := errors.Join(j.w.gate.pass(ctx), j.alive()); err != nil {
		return err
	}
	return j.Disk.Begin(ctx, t)
}

func (j *gated) Rows(ctx context.Context, t *journal.Take, from int, pos []clock.Pos, steps [][]int32) error {
	if err := j.alive(); err != nil {
		return err
	}
	return j.Disk.Rows(ctx, t, from, pos, steps)
}

func (j *gated) End(ctx context.Context, t *journal.Take, says journal.Entry) error {
	if err := j.alive(); err != nil {
		return err
	}
	return j.Disk.End(ctx, t, says)
}

func (j *gated) Log(ctx context.Context, e journal.Entry) error {
	if err := j.alive(); err != nil {
		return err
	}
	return j.Disk.Log(ctx, e)
}

func (j *gated) Drive(_ context.Context, _ string) (journal.Right, error) {
	if err := j.alive(); err != nil {
		return nil, err
	}
	return j.w.office.give(j.n)
}

// modelOffice gives the right to drive to one server.
type modelOffice struct {
	mu  sync.Mutex
	has *modelRight
}

type modelRight struct {
	o    *modelOffice
	n    int
	lost chan struct{}
}

func (o *modelOffice) give(n int) (journal.Right, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.has != nil && o.has.n != n {
		return nil, journal.ErrElsewhere
	}
	o.has = &modelRight{o, n, make(chan struct{})}
	return o.has, nil
}

func (r *modelRight) Lost() <-chan struct{} { return r.lost }

func (r *modelRight) Release() {
	r.o.mu.Lock()
	defer r.o.mu.Unlock()
	if r.o.has == r {
		r.o.has = nil
	}
}

// modelServer is one copy of the application.
type modelServer struct {
	w    *model
	n    int
	line *line // to its pages
	wire *line // to the machine
	f    *machine.Machine
	srv  *Server
	in   *standintest.Door
	dead bool
	die  chan struct{}
	end  func()
	mu   sync.Mutex
	open map[net.Conn]bool
}

func (s *modelServer) strung(l *line, c net.Conn, err error) (net.Conn, error) {
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.open[c] = true
	return &strung{Conn: c, l: l}, nil
}

func (s *modelServer) start() {
	s.line, s.wire = &line{since: time.Now()}, &line{since: time.Now()}
	s.in, s.die, s.dead, s.open = standintest.NewDoor(), make(chan struct{}), false, map[net.Conn]bool{}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	j := &gated{s.w.disk, s.w, s.n, s.die}
	s.f = machine.New("plank", "Plank", func(ctx context.Context) (link.Rig, error) {
		if s.w == nil || !s.w.on {
			return nil, errors.New("it is off")
		}
		c, err := s.w.rigDoor.Connect(context.Background())
		if c, err = s.strung(s.wire, c, err); err != nil {
			return nil, err
		}
		return link.NewClient(c), nil
	}, j, quiet)
	s.srv = New(nil, machine.NewSet(s.f), camera.NewEye("", quiet), quiet)
	s.f.Homed = nil // there is no database here that anything would be read from anew
	s.srv.plans = modelPlans{s}
	mux := http.NewServeMux()
	mux.HandleFunc("/api/stop", s.srv.stop)
	mux.HandleFunc("/api/hold", s.srv.hold)
	mux.HandleFunc("/api/jog", s.srv.jog)
	ctx, cancel := context.WithCancel(context.Background())
	web := &http.Server{Handler: mux, BaseContext: func(net.Listener) context.Context {
		return ctx
	}, ErrorLog: slog.NewLogLogger(quiet.Handler(), slog.LevelError)}
	var wg sync.WaitGroup
	wg.Go(func() { _ = web.Serve(s.in) })
	wg.Go(func() { s.srv.conductor.Run(ctx) })
	s.end = func() {
		cancel()
		_ = web.Close()
		s.in.Close()
		wg.Wait()
		s.srv.sessions.Store.(*memstore.MemStore).StopCleanup()
	}
}

// stop ends it; killed, all its connections are cut first and nothing more is written down.
func (s *modelServer) stop(killed bool) {
	if s.dead {
		return
	}
	s.dead = true
	if killed {
		close(s.die)
		s.w.office.mu.Lock()
		if r := s.w.office.has; r != nil && r.n == s.n {
			s.w.office.has = nil
		}
		s.w.office.mu.Unlock()
		s.mu.Lock()
		for c := range s.open {
			c.Close()
		}
		s.mu.Unlock()
		s.w.mu.Lock()
		for _, d := range s.w.asks { // they are the server's, and end with it
			if d.sv == s && d.ended.IsZero() {
				d.ended = time.Now()
			}
		}
		s.w.mu.Unlock()
	}
	s.line.free()
	s.wire.free()
	s.end()
}

// modelPlans is what would be in the store: one pass.
type modelPlans struct{ s *modelServer }

func (p modelPlans) open(string, string) plan { return p }

func (p modelPlans) machine(context.Context) (string, error) { return "plank", nil }

func (p modelPlans) rolling(ctx context.Context) (act.Rolling, error) {
	if err := p.s.w.gate.pass(ctx); err != nil {
		return act.Rolling{}, err
	}
	return act.Rolling{Pass: p.s.w.pass, Desk: p.s.w.desk}, nil
}

func (p modelPlans) keep(ctx context.Context) {
	tk := time.NewTicker(200 * time.Millisecond)
	defer tk.Stop()
	for {
		p.s.srv.conductor.Load(p.s.f, "plank", p.s.w.pass.Table, p.s.w.pass.Print)
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
		}
	}
}

// modelPage is one window, on one server.
type modelPage struct {
	w      *model
	n      int
	sv     *modelServer
	mu     sync.Mutex
	hold   *websocket.Conn
	jog    *websocket.Conn
	on     *websocket.Conn // on which something is held
	name   string          // of the press
	frozen bool
	lost   bool // a socket is gone
	quit   func()
	number int
}

// open opens the page's sockets anew, where they are not open.
func (p *modelPage) open() {
	p.shut()
	if p.sv.dead {
		return
	}
	sv := p.sv
	client := &http.Client{
		Transport: &http.Transport{DialContext: func(context.Context, string, string) (net.Conn, error) {
			c, err := sv.in.Connect(context.Background())
			return sv.strung(sv.line, c, err)
		}}}
	dial := func(path string) *websocket.Conn {
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		defer cancel()
		c, _, err := websocket.Dial(ctx, "ws://model"+path, &websocket.DialOptions{HTTPClient: client})
		if err != nil {
			return nil
		}
		return c
	}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	p.mu.Lock()
	p.lost = false
	p.hold, p.jog = dial("/api/hold?machine=plank&shot=s&pass=p&page="+strconv.Itoa(p.n)),
		dial("/api/jog?machine=plank&page="+strconv.Itoa(p.n))
	for _, c := range []*websocket.Conn{p.hold, p.jog} {
		if c == nil {
			continue
		}
		wg.Go(func() { p.hear(ctx, c) })
	}
	wg.Go(func() { p.beats(ctx) })
	p.quit = func() { cancel(); wg.Wait() }
	p.mu.Unlock()
	p.tell(p.hold, map[string]any{})
	p.tell(p.jog, map[string]any{})
}

// hear listens to one socket until it is gone.
func (p *modelPage) hear(ctx context.Context, c *websocket.Conn) {
	for {
		var m struct { // of either socket
			Rolling string          `json:"rolling"`
			Refused string          `json:"refused"`
			Ended   json.RawMessage `json:"ended"`
		}
		if err := wsjson.Read(ctx, c, &m); err != nil {
			p.mu.Lock()
			mine := p.on == c
			p.lost = true
			p.mu.Unlock()
			if mine {
				p.release()
			}
			return
		}
		switch {
		case m.Rolling != "":
			p.w.count("rolled")
		case m.Refused != "":
			p.w.say("page %d is refused: %s", p.n, m.Refused)
			if os.Getenv("KEENARC_WHY") != "" {
				p.w.count("refused: " + m.Refused)
			}
			p.release()
		default:
			p.release()
		}
	}
}

// tell says a word, with when it was said.
func (p *modelPage) tell(c *websocket.Conn, word map[string]any) {
	if c == nil {
		return
	}
	word["at"] = float64(time.Since(p.w.began).Microseconds())/1000 + 5
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	p.w.bg.Go(func() { // in order: a socket writes one after another
		defer cancel()
		_ = wsjson.Write(ctx, c, word)
	})
}

// beats says the sign of life of what is held, every 50 ms.
func (p *modelPage) beats(ctx context.Context) {
	tk := time.NewTicker(link.BeatMS * time.Millisecond)
	defer tk.Stop()
	for n := 1; ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
		}
		p.mu.Lock()
		c, name, frozen := p.on, p.name, p.frozen
		p.mu.Unlock()
		if c != nil && !frozen {
			p.tell(c, map[string]any{"press": name, "beat": n})
		}
	}
}

// press holds something down, each time under another name.
func (p *modelPage) press(what string) {
	p.mu.Lock()
	if p.on != nil || p.frozen {
		p.mu.Unlock()
		return
	}
	p.number++
	p.name = fmt.Sprintf("%s-%d-%d-%d", what, p.n, p.number, time.Since(p.w.began).Milliseconds())
	c, word := p.hold, map[string]any{"press": p.name}
	if what == "jog" {
		c = p.jog
		word["axis"], word["way"] = []string{"track", "pan", "tilt"}[p.w.rng.IntN(3)], 1-2*p.w.rng.IntN(2)
	}
	p.on = c
	name := p.name
	p.mu.Unlock()
	if c == nil {
		return
	}
	p.w.count(what)
	p.w.say("page %d on server %d presses %s", p.n, p.sv.n, name)
	p.w.mu.Lock()
	p.w.presses[name] = &deed{what: name, began: time.Now(), sv: p.sv}
	p.w.mu.Unlock()
	p.tell(c, word)
}

// over says that a press has ended.
func (p *modelPage) over(name string) {
	p.w.mu.Lock()
	if d := p.w.presses[name]; d != nil && d.ended.IsZero() {
		d.ended = time.Now()
	}
	p.w.mu.Unlock()
}

func (p *modelPage) release() {
	p.mu.Lock()
	c, name := p.on, p.name
	p.on = nil
	p.mu.Unlock()
	if c == nil {
		return
	}
	p.w.say("page %d lets go of %s", p.n, name)
	p.over(name)
	p.tell(c, map[string]any{"release": true, "press": name})
}

// freeze stops the page's own thread; thawed, it beats on as if nothing had been.
func (p *modelPage) freeze() {
	p.mu.Lock()
	was, name, held := p.frozen, p.name, p.on != nil
	p.frozen = !was
	p.mu.Unlock()
	if was {
		p.w.say("page %d goes on", p.n)
		p.w.mu.Lock()
		if d := p.w.presses[name]; held && d != nil && time.Since(d.ended) < felt { // it was not long enough to be felt
			d.ended = time.Time{}
		}
		p.w.mu.Unlock()
		return
	}
	p.w.count("freeze")
	p.w.say("page %d freezes", p.n)
	if held {
		p.over(name)
	}
}

func (p *modelPage) thaw() {
	p.mu.Lock()
	p.frozen = false
	p.mu.Unlock()
}

// drop loses the page's sockets; they are opened anew.
func (p *modelPage) drop() {
	p.w.count("drop")
	p.w.say("page %d loses its sockets", p.n)
	p.mu.Lock()
	name := p.name
	p.on = nil
	p.mu.Unlock()
	p.over(name)
	p.open()
}

func (p *modelPage) shut() {
	p.mu.Lock()
	quit, hold, jog := p.quit, p.hold, p.jog
	name := p.name
	p.quit, p.hold, p.jog, p.on = nil, nil, nil, nil
	p.mu.Unlock()
	p.over(name)
	for _, c := range []*websocket.Conn{hold, jog} {
		if c != nil {
			_ = c.CloseNow()
		}
	}
	if quit != nil {
		quit()
	}
}

// sensible is what somebody would do who wants to roll.
func (p *modelPage) sensible() {
	n := p.sv.f.Now()
	switch {
	case p.sv.dead || !n.Leased || !n.State.Still():
	case !n.State.AllHomed():
		p.home()
	case func() bool {
		ok, _, _ := ready.AtFirst(machine.Gather(p.w.desk.Machines, []machine.Snapshot{n}), p.w.desk)
		return !ok
	}():
		to, _ := ready.PoseAt(p.w.pass.Table, "plank", p.w.pass.Table.Start())
		p.goTo(to)
	default:
		p.press("roll")
		p.w.wait(time.Duration(p.w.rng.IntN(3000)) * time.Millisecond)
	}
}

// asked is what comes in with a request, which waits for its session first.
func (p *modelPage) asked(what string) (machine.Press, *deed) {
	d := &deed{what: what, began: time.Now(), sv: p.sv}
	p.w.mu.Lock()
	if p.w.asks = append(p.w.asks, d); len(p.w.asks) > 200 {
		p.w.asks = p.w.asks[100:]
	}
	p.w.mu.Unlock()
	return p.sv.srv.conductor.Arbiter.Pressed(machine.Owner{Who: journal.Somebody, Page: strconv.Itoa(p.n)}, "", 0), d
}

func (p *modelPage) goTo(to map[string]float64) {
	if p.sv.dead {
		return
	}
	if to == nil {
		to = map[string]float64{"track": 100 + 1200*p.w.rng.Float64(), "pan": -30 + 60*p.w.rng.Float64()}
	}
	p.w.count("go")
	p.w.say("page %d on server %d sends it to %.0f", p.n, p.sv.n, to["track"])
	sv, w := p.sv, p.w
	a, d := p.asked("a move to " + fmt.Sprint(math.Round(to["track"])))
	w.bg.Go(func() {
		if w.gate.pass(context.Background()) != nil { // its session
			return
		}
		_, err := sv.srv.conductor.Go(context.Background(), a, "plank", func(ctx context.Context) (act.Going, error) {
			if x := sv.srv.conductor.Arbiter.Of(machine.Claim{Machine: "plank"}); x == nil ||
				x.Kind != machine.KindGoTo {
				w.wrong("it is decided where to go before the machine is claimed: %+v", x)
			}
			return act.Going{To: to, Text: "to"}, w.gate.pass(ctx)
		})
		if err == nil {
			w.count("gone")
		} else {
			w.mu.Lock()
			d.ended, d.never = time.Now(), true
			w.mu.Unlock()
			w.say("a move is refused: %v", err)
		}
	})
}

func (p *modelPage) home() {
	if p.sv.dead {
		return
	}
	p.w.count("home")
	n := 1 + p.w.rng.IntN(3)
	p.w.say("page %d on server %d homes it %d times", p.n, p.sv.n, n)
	sv, w := p.sv, p.w
	a, d := p.asked("homing")
	w.bg.Go(func() {
		if w.gate.pass(context.Background()) != nil {
			return
		}
		err := sv.srv.conductor.Home(context.Background(), a, "plank", act.Homing{Times: n})
		if err != nil {
			w.mu.Lock()
			d.ended, d.never = time.Now(), true
			w.mu.Unlock()
			w.say("a homing is refused: %v", err)
			return
		}
		w.count("homed")
	})
}

// owes sees to it that a stop that could not be said is said once the wires are in order.
func (w *model) owes(sv *modelServer, before standin.Moment) {
	die := sv.die
	w.bg.Go(func() {
		for range 600 {
			time.Sleep(100 * time.Millisecond)
			select {
			case <-die:
				return // it ended with its server
			default:
			}
			m := w.rig.Truly()
			if m.Boot != before.Boot || m.Stops > before.Stops || sv.dead {
				return
			}
			if w.soundFor(sv) > 6*time.Second {
				w.wrong("a stop that server %d could not say is never said", sv.n)
				return
			}
		}
	})
}

// soundFor is how long a server's wires and the machine have been in order.
func (w *model) soundFor(s *modelServer) time.Duration {
	if s.dead || !w.on {
		return 0
	}
	return min(s.line.runs(), s.wire.runs(), time.Since(w.onSince))
}

// stop presses Stop; where it answers that it is done, the machine has counted it.
func (p *modelPage) stop() {
	if p.sv.dead {
		return
	}
	w, sv := p.w, p.sv
	w.count("stop")
	w.say("page %d on server %d presses Stop", p.n, sv.n)
	w.mu.Lock()
	w.stopped = time.Now()
	w.mu.Unlock()
	p.release()
	w.bg.Go(func() {
		client := &http.Client{Timeout: 10 * time.Second, Transport: &http.Transport{DisableKeepAlives: true,
			DialContext: func(context.Context, string, string) (net.Conn, error) {
				c, err := sv.in.Connect(context.Background())
				return sv.strung(sv.line, c, err)
			}}}
		sound := w.soundFor(sv) > 5*time.Second
		before := w.rig.Truly()
		r, err := client.Post("http://model/api/stop", "", nil)
		if err != nil {
			w.count("unreached")
			return
		}
		r.Body.Close()
		if r.StatusCode != http.StatusNoContent {
			w.count("unreached")
			w.owes(sv, before)
			if sound {
				w.wrong("with its wires in order server %d answers to Stop: %s", sv.n, r.Status)
			}
			return
		}
		if after := w.rig.Truly(); after.Boot == before.Boot && after.Stops == before.Stops {
			w.wrong("server %d says that Stop was done, and the machine has not heard it", sv.n)
		}
	})
}
