package standin

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/google/uuid"

	"keenarc/link"
)

// Server runs a Sim in real time (times Pace) and speaks the rig link. It owns
// its goroutines: Run returns when all of them have ended.
type Server struct {
	mu     sync.Mutex // guards sim, owner and late
	sim    *Sim
	owner  *session // whose lease the epoch is
	late   []float64
	listen net.Listener
	clock  Clock
	wake   chan struct{} // something was asked of it
}

// nap is how long the loop rests at a time while nothing moves.
const nap = 50 * time.Millisecond

// Clock is where a server's time comes from.
type Clock interface {
	Now() time.Time
	// Sleep returns when so much of its time has gone by.
	Sleep(d time.Duration)
}

// Kernel is the machine's own time. It sleeps in the kernel: the runtime's timers round up to
// whole milliseconds, which is as long as a tick.
type Kernel struct{}

// Now is the time.
func (Kernel) Now() time.Time { return time.Now() }

// Sleep may be woken early by a signal; whoever sleeps looks again.
func (Kernel) Sleep(d time.Duration) {
	ts := syscall.NsecToTimespec(d.Nanoseconds())
	_ = syscall.Nanosleep(&ts, nil)
}

// Listen opens a loopback address for a stand-in.
func Listen(o Options, addr string) (*Server, error) {
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("stand-in: %w", err)
	}
	s, err := On(o, l, Kernel{})
	if err != nil {
		l.Close()
	}
	return s, err
}

// On is a stand-in that answers what is accepted, in the time of a clock.
func On(o Options, l net.Listener, c Clock) (*Server, error) {
	if err := o.Rig.Check(); err != nil {
		return nil, err
	}
	if o.Pace < 1 || o.Pace > 100 {
		return nil, fmt.Errorf("pace %d: give 1 (real time) to 100", o.Pace)
	}
	s := &Server{sim: NewSim(o), listen: l, clock: c, wake: make(chan struct{}, 1)}
	s.sim.boot = uuid.NewString()
	if o.Homed {
		if err := s.sim.homeBefore(); err != nil {
			return nil, err
		}
	}
	return s, nil
}

// Addr is where it listens.
func (s *Server) Addr() string { return s.listen.Addr().String() }

// Run serves until the context ends.
func (s *Server) Run(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var wg sync.WaitGroup
	wg.Go(func() { s.loop(ctx) })
	wg.Go(func() { <-ctx.Done(); s.listen.Close() })
	for {
		conn, err := s.listen.Accept()
		if err != nil {
			cancel()
			wg.Wait()
			return nil
		}
		ss := &session{srv: s, conn: conn, sent: map[string]int{}, ended: map[string]bool{}}
		wg.Go(func() { ss.serve(ctx) })
	}
}

// maxStall is the most milliseconds that are caught up with.
const maxStall = 20

// loop steps the simulation so that it keeps up with its clock. It has a
// thread of its own. When the machine it shares
// with other work holds it up for longer than maxStall, its own time stands
// still meanwhile, as a real rig's would not run on without its controller:
// words that wait in the wire are then not taken for silence.
func (s *Server) loop(ctx context.Context) {
	if _, real := s.clock.(Kernel); real {
		runtime.LockOSThread()
	}
	start := s.clock.Now()
	done, pace := int64(0), int64(s.sim.o.Pace)
	for ctx.Err() == nil {
		if done = s.doze(ctx, start, done); ctx.Err() != nil {
			return
		}
		if wait := start.Add(time.Duration(done+1) * time.Millisecond).Sub(s.clock.Now()); wait > 0 {
			s.clock.Sleep(wait)
		}
		elapsed := s.clock.Now().Sub(start)
		due := elapsed.Milliseconds()
		if due > done { // how late the next millisecond begins
			s.mu.Lock()
			if s.late = append(s.late, float64(elapsed.Microseconds()-(done+1)*1000)); len(s.late) > 60_000 {
				s.late = s.late[30_000:]
			}
			s.mu.Unlock()
		}
		if stall := due - done - maxStall; stall > 0 {
			start = start.Add(time.Duration(stall) * time.Millisecond)
			due -= stall
		}
		for ; done < due; done++ { // one millisecond at a time, so that words get in between
			s.mu.Lock()
			for range pace {
				s.sim.Step()
			}
			s.mu.Unlock()
		}
	}
}

// doze lets time go by in naps while nothing moves, until something is asked of the
// rig. It answers how many milliseconds are done.
func (s *Server) doze(ctx context.Context, start time.Time, done int64) int64 {
	for {
		s.mu.Lock()
		if !s.sim.still() {
			s.mu.Unlock()
			return done
		}
		if due := s.clock.Now().Sub(start).Milliseconds(); due > done {
			s.sim.rest((due - done) * int64(s.sim.o.Pace))
			done = due
		}
		s.mu.Unlock()
		select {
		case <-ctx.Done():
			return done
		case <-s.wake:
		case <-time.After(nap):
		}
	}
}

func (s *Server) stats() *link.Stats {
	st := &link.Stats{Ticks: s.sim.tick}
	v := slices.Clone(s.late)
	slices.Sort(v)
	if n := len(v); n > 0 {
		for _, x := range v {
			st.LateUS += x / float64(n)
		}
		st.Late99, st.LateMax = v[n*99/100], v[n-1]
	}
	st.LateUS = math.Round(st.LateUS*10) / 10
	return st
}

// session is one connection.
type session struct {
	srv   *Server
	conn  net.Conn
	write sync.Mutex
	watch bool
	sent  map[string]int  // rows pushed, by take
	ended map[string]bool // takes whose end was pushed
	parts []byte          // of a table that is on its way
	part  int             // which comes next
	load  link.Load       // its first part
	prove atomic.Bool     // a table is being read beside all else
	wg    sync.WaitGroup
}

func (c *session) serve(ctx context.Context) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var wg sync.WaitGroup
	wg.Go(func() { c.push(ctx) })
	wg.Go(func() { <-ctx.Done(); c.conn.Close() })
	in := bufio.NewScanner(c.conn)
	in.Buffer(make([]byte, 0, 1<<16), link.MaxRequest)
	for in.Scan() {
		if r, more, answer := c.hear(in.Bytes()); answer {
			c.reply(r, more)
		}
	}
	c.srv.mu.Lock()
	if c.srv.owner == c {
		c.srv.sim.Stop("the connection was lost")
		c.srv.owner = nil
	}
	c.srv.mu.Unlock()
	cancel()
	c.wg.Wait()
	wg.Wait()
}

func (c *session) send(v any) {
	b, err := json.Marshal(v)
	if err != nil {
		return
	}
	c.put(b)
}

func (c *session) put(line []byte) {
	c.write.Lock()
	defer c.write.Unlock()
	if c.conn.SetWriteDeadline(time.Now().Add(5*time.Second)) == nil {
		if _, err := c.conn.Write(append(line, '\n')); err != nil {
			c.conn.Close()
		}
	}
}

// reply answers a word; boot and stops are as they are now.
func (c *session) reply(r link.Reply, more any) {
	b, err := link.ReplyLine(r, more)
	if err != nil {
		b, _ = link.ReplyLine(link.Reply{Re: r.Re, Why: "this cannot be answered: " + err.Error(), Boot: r.Boot,
			Stops: r.Stops}, nil)
	}
	c.put(b)
}

// hear carries out one line.
func (c *session) hear(line []byte) (r link.Reply, more any, answer bool) {
	id, w, err := link.Read(line)
	r = link.Reply{Re: id}
	if l, ok := w.(*link.Load); ok && err == nil {
		return c.take(id, l)
	}
	s := c.srv
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.owner == c {
		s.sim.Heard()
	}
	if err == nil {
		more, err = c.do(w)
	}
	if r.OK = err == nil; err != nil {
		r.Why, more = err.Error(), nil
	}
	r.Boot, r.Stops, r.Tick = s.sim.boot, s.sim.stops, s.sim.tick
	if w != nil && w.Do() != "alive" { // when it is done, the loop looks again
		select {
		case s.wake <- struct{}{}:
		default:
		}
	}
	switch w.(type) {
	case *link.Beat, *link.Release, *link.Alive:
		return r, nil, false
	case *link.Ack:
		return r, nil, id != 0
	}
	return r, more, true
}

// take takes one part of a table. The last is answered when the whole was read and proved,
// beside whatever else is said meanwhile.
func (c *session) take(id int64, w *link.Load) (r link.Reply, more any, answer bool) {
	s := c.srv
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.owner == c {
		s.sim.Heard()
	}
	r = link.Reply{Re: id, Boot: s.sim.boot, Stops: s.sim.stops, Tick: s.sim.tick}
	err := s.sim.mayLoad(w.Epoch)
	switch {
	case err != nil:
	case w.Of < 1 || w.Of > link.MostParts || w.Part < 0 || w.Part >= w.Of:
		err = refuse("part %d of %d; give parts 0 to at most %d", w.Part, w.Of, link.MostParts-1)
	case len(w.Bytes) == 0 || len(w.Bytes) > link.PartBytes:
		err = refuse("a part of %d bytes; give 1 to %d", len(w.Bytes), link.PartBytes)
	case c.prove.Load():
		err = refuse("the table before is still being read")
	case w.Part == 0:
		c.load, c.parts, c.part = *w, nil, 0
	case w.Part != c.part || w.Of != c.load.Of || w.Machine != c.load.Machine || w.Packed != c.load.Packed:
		err = refuse("part %d of %d does not follow; begin again with part 0", w.Part, w.Of)
	}
	if err != nil {
		r.Why, c.parts, c.part = err.Error(), nil, 0
		return r, nil, true
	}
	c.parts, c.part = append(c.parts, w.Bytes...), c.part+1
	if c.part < w.Of {
		r.OK = true
		return r, nil, true
	}
	all, first := c.parts, c.load
	c.parts, c.part = nil, 0
	c.prove.Store(true)
	c.wg.Go(func() {
		print, err := c.read(w.Epoch, first, all)
		c.prove.Store(false)
		s.mu.Lock()
		done := link.Reply{Re: id, OK: err == nil, Boot: s.sim.boot, Stops: s.sim.stops, Tick: s.sim.tick}
		s.mu.Unlock()
		if err != nil {
			done.Why = err.Error()
		}
		c.reply(done, link.Loaded{Print: print})
	})
	return r, nil, false
}

// read unpacks and proves a table, and has the machine take it.
func (c *session) read(epoch int64, w link.Load, all []byte) (string, error) {
	if w.Packed {
		var err error
		if all, err = link.UnpackTable(all); err != nil {
			return "", fmt.Errorf("table: %w", err)
		}
	}
	p, err := prove(all)
	if err != nil {
		return "", err
	}
	c.srv.mu.Lock()
	defer c.srv.mu.Unlock()
	return c.srv.sim.hold(epoch, w.Machine, p)
}

// do carries out one word, and answers what there is to say.
func (c *session) do(w link.Word) (any, error) {
	s, sim := c.srv, c.srv.sim
	if o, ok := w.(link.Ordered); ok {
		if err := sim.obeys(o.Given()); err != nil {
			return nil, err
		}
	}
	switch w := w.(type) {
	case *link.Describe:
		return link.Described{Version: link.Version, Rig: sim.o.Rig, StandIn: true, Boot: sim.boot, Can: link.Later(),
			Zstd: true, Held: s.owner != nil, Pace: int64(sim.o.Pace)}, nil
	case *link.AskTruth:
		return link.TruthIs{Truth: sim.Truth()}, nil
	case *link.Wires:
		return link.OnWires{Wires: sim.Wires()}, nil
	case *link.Feel:
		felt, err := sim.Feel()
		return link.Feels{Felt: felt}, err
	case *link.AskStats:
		return link.StatsAre{Stats: s.stats()}, nil
	case *link.Watch: // what is kept is offered anew
		c.watch = true
		clear(c.sent)
		clear(c.ended)
	case *link.TakeLease:
		epoch, err := sim.Lease()
		if err == nil {
			s.owner = c
		}
		return link.Leased{Epoch: epoch}, err
	case *link.Alive:
	case *link.Beat:
		sim.Beat(w.Epoch, w.Press)
	case *link.Release:
		sim.Release(w.Epoch, w.Press)
	case *link.Stop:
		sim.Count("stop was pressed")
	case *link.Handset:
		return nil, sim.Handset(w.Epoch, w.On)
	case *link.Pretend:
		return nil, sim.Pretend(w.What, w.Axis, w.On, w.By)
	case *link.Ack:
		return nil, sim.Ack(w.Epoch, w.Take, w.From, w.Rows)
	case *link.SendTrace:
		err := sim.Knows(w.Take, w.Rows)
		if err == nil {
			c.sent[w.Take], c.ended[w.Take] = w.Rows, false
		}
		return nil, err
	default:
		return c.order(w)
	}
	return nil, nil
}

// order carries out a word that moves the machine, or changes what holds or bounds it.
func (c *session) order(w link.Word) (more any, err error) {
	sim := c.srv.sim
	switch w := w.(type) {
	case *link.Home:
		err = sim.Home(w.Epoch, w.Axes, w.Way)
	case *link.Confirm:
		err = sim.Confirm(w.Epoch, w.Axis, w.What)
	case *link.GoTo:
		err = sim.GoTo(w.Epoch, w.To, w.Share)
	case *link.Jog:
		if err = named(w.Press); err == nil {
			err = sim.JogTo(w.Epoch, w.Press, w.Axis, w.Speed, w.Until)
		}
	case *link.Speed:
		err = sim.Speed(w.Press, w.Speed)
	case *link.Arm:
		err = sim.Arm(*w)
		more = link.IsArmed{EveryMS: sim.every}
	case *link.Roll:
		if err = named(w.Press); err == nil {
			err = sim.Roll(w.Epoch, w.Take, w.Press)
		}
	case *link.Steer:
		if w.Press != sim.press || !sim.held {
			return nil, refuse("that press has ended; a clock is steered by the one that rolls it")
		}
		err = sim.Steer(w.Epoch, w.Num, w.Den)
		more = link.Steered{Steers: sim.armed.Clock.Steers}
	case *link.Free:
		err = sim.Free(w.Epoch, w.Axis, true)
	case *link.Engage:
		err = sim.Free(w.Epoch, w.Axis, false)
	case *link.Suspend:
		err = sim.Suspend(w.Epoch, w.Axis, w.Seconds)
	case *link.Limits:
		err = sim.Limits(w.Epoch, w.Soft)
	case *link.Configure:
		err = sim.Configure(w.Epoch, w.Rig)
	default:
		return nil, refuse("there is no request %q", w.Do())
	}
	if o, ok := w.(link.Ordered); ok && err == nil {
		sim.who = short(o.Given().Who)
	}
	return more, err
}

// named refuses a press without a name: its beats could not be told from others'.
func named(press string) error {
	if press == "" || len(press) > 128 {
		return refuse("a press of %d letters; give it a name of 1 to 128", len(press))
	}
	return nil
}

// short bounds what is echoed to everybody.
func short(s string) string {
	if len(s) > 120 {
		return strings.ToValidUTF8(s[:120], "")
	}
	return s
}

// chunk is how many rows of a trace go into one line.
const chunk = 100

// How long it is from one state to the next, while something moves and at rest.
const (
	pushPause = 20 * time.Millisecond
	restPause = 100 * time.Millisecond
)

// push sends states 50 times a second, ten while nothing moves, and rows as they come.
func (c *session) push(ctx context.Context) {
	pause := time.NewTimer(pushPause)
	defer pause.Stop()
	for n := int64(1); ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-pause.C:
		}
		c.srv.mu.Lock()
		still := c.srv.sim.still()
		c.srv.mu.Unlock()
		if pause.Reset(pushPause); still {
			pause.Reset(restPause)
		}
		for _, ev := range c.gather(n) {
			c.send(ev)
		}
	}
}

func (c *session) gather(n int64) []link.Event {
	c.srv.mu.Lock()
	defer c.srv.mu.Unlock()
	if !c.watch {
		return nil
	}
	st := c.srv.sim.State()
	st.N = n
	out := []link.Event{{State: st}}
	for _, t := range c.srv.sim.takes {
		from, seen := c.sent[t.id]
		if !seen {
			from = t.acked
		}
		for len(t.pos)-from >= chunk || t.ended && from < len(t.pos) {
			to := min(from+chunk, len(t.pos))
			cols := make([][]int32, len(t.steps))
			for a := range cols {
				cols[a] = t.steps[a][from:to]
			}
			out = append(out, link.Event{Rows: link.PackRows(t.id, t.tick, from, t.pos[from:to], cols)})
			from = to
		}
		c.sent[t.id] = from
		if t.ended && !c.ended[t.id] {
			end := t.end
			out = append(out, link.Event{Take: &end})
			c.ended[t.id] = true
		}
	}
	return out
}

// Moment is what a stand-in truly does, for tests that hold what was asked against it.
type Moment struct {
	Boot  string
	Tick  int64
	Mode  string
	Moves bool // some axis is being moved by its drive
	// Braking is whether what moves is on its way to rest already.
	Braking bool
	Press   string // whose beats keep it going; empty where nobody's do
	Beat    int64  // tick of the last beat that counted
	Heard   int64  // tick of the lease holder's last word
	Stops   int64
	Begun   int64 // movements that were set off since it was switched on
	Epoch   int64
	Homed   bool
	Takes   map[string]int // rows of each take that has ended and is still kept
}

// Truly is what it does now.
func (s *Server) Truly() Moment {
	s.mu.Lock()
	defer s.mu.Unlock()
	m := s.sim
	out := Moment{Boot: m.boot, Tick: m.tick, Mode: m.mode, Beat: m.beat, Heard: m.heard, Stops: m.stops,
		Begun: m.begun, Epoch: m.epoch}
	for i := range m.axes {
		out.Moves = out.Moves || math.Abs(m.axes[i].cmd-m.axes[i].prev) > 1e-9
	}
	_, out.Homed = m.homed()
	switch m.mode {
	case link.Jogging:
		out.Braking = m.jogV == 0
	case link.Homing:
		out.Braking = m.halting
	case link.Moving, link.Rolling, link.Braking:
		out.Braking = m.brake != nil
	}
	if m.held && !out.Braking {
		out.Press = m.press
	}
	for _, t := range m.takes {
		if t.ended {
			if out.Takes == nil {
				out.Takes = map[string]int{}
			}
			out.Takes[t.id] = len(t.pos)
		}
	}
	return out
}
