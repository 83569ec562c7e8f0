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
	"sync"
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
	boot   string        // of this start
	wake   chan struct{} // something was asked of it
}

// nap is how long the loop rests at a time while nothing moves.
const nap = 50 * time.Millisecond

// Listen opens a loopback address for a stand-in.
func Listen(o Options, addr string) (*Server, error) {
	if err := o.Rig.Check(); err != nil {
		return nil, err
	}
	if o.Pace < 1 || o.Pace > 100 {
		return nil, fmt.Errorf("pace %d: give 1 (real time) to 100", o.Pace)
	}
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("stand-in: %w", err)
	}
	return &Server{sim: NewSim(o), listen: l, boot: uuid.NewString(), wake: make(chan struct{}, 1)}, nil
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

// loop steps the simulation so that it keeps up with the wall clock. It has a
// thread of its own and sleeps in the kernel: the runtime's timers round up to
// whole milliseconds, which is as long as a tick. When the machine it shares
// with other work holds it up for longer than maxStall, its own time stands
// still meanwhile, as a real rig's would not run on without its controller:
// words that wait in the wire are then not taken for silence.
func (s *Server) loop(ctx context.Context) {
	runtime.LockOSThread()
	start := time.Now()
	done, pace := int64(0), int64(s.sim.o.Pace)
	for ctx.Err() == nil {
		if done = s.doze(ctx, start, done); ctx.Err() != nil {
			return
		}
		if wait := time.Until(start.Add(time.Duration(done+1) * time.Millisecond)); wait > 0 {
			ts := syscall.NsecToTimespec(wait.Nanoseconds())
			_ = syscall.Nanosleep(&ts, nil) // woken early by a signal: the loop looks again
		}
		elapsed := time.Since(start)
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
		if due := time.Since(start).Milliseconds(); due > done {
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
		if r, answer := c.hear(in.Bytes()); answer {
			c.send(r)
		}
	}
	c.srv.mu.Lock()
	if c.srv.owner == c {
		c.srv.sim.Stop("the connection was lost")
		c.srv.owner = nil
	}
	c.srv.mu.Unlock()
	cancel()
	wg.Wait()
}

func (c *session) send(v any) {
	b, err := json.Marshal(v)
	if err != nil {
		return
	}
	c.write.Lock()
	defer c.write.Unlock()
	if c.conn.SetWriteDeadline(time.Now().Add(5*time.Second)) == nil {
		if _, err := c.conn.Write(append(b, '\n')); err != nil {
			c.conn.Close()
		}
	}
}

// hear carries out one line.
func (c *session) hear(line []byte) (r link.Reply, answer bool) {
	var q link.Request
	if err := json.Unmarshal(line, &q); err != nil {
		return link.Reply{Re: q.ID, Why: "this line is not JSON: " + err.Error()}, true
	}
	r, answer = c.do(q)
	r.Re = q.ID
	return r, answer
}

// do carries out one request; beats and signs of life have no reply.
func (c *session) do(req link.Request) (r link.Reply, answer bool) {
	s := c.srv
	var table []byte
	if req.Do == "load" { // unpacked before the lock: it takes a while
		var err error
		if table, err = link.UnpackTable(req.Table); err != nil {
			return link.Reply{Why: err.Error()}, true
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if req.Do != "alive" {
		defer func() { // when it is done, the loop looks again
			select {
			case s.wake <- struct{}{}:
			default:
			}
		}()
	}
	sim := s.sim
	if s.owner == c {
		sim.Heard()
	}
	var err error
	switch req.Do {
	case "describe":
		return link.Reply{OK: true, Rig: sim.o.Rig, Epoch: sim.epoch, Version: link.Version, StandIn: true, Boot: s.boot}, true
	case "truth":
		return link.Reply{OK: true, Truth: sim.Truth()}, true
	case "wires":
		return link.Reply{OK: true, Wires: sim.Wires()}, true
	case "feel":
		felt, err := sim.Feel()
		if err != nil {
			r.Why = err.Error()
			return r, true
		}
		r.OK, r.Felt = true, felt
		return r, true
	case "stats":
		return link.Reply{OK: true, Stats: s.stats()}, true
	case "watch":
		c.watch = true
	case "lease":
		if r.Epoch, err = sim.Lease(); err == nil {
			s.owner = c
		}
	case "alive":
		return r, false
	case "beat":
		sim.Beat(req.Epoch)
		return r, false
	case "release":
		if req.Epoch == sim.epoch {
			sim.Stop("the hold was let go")
		}
		return r, false
	case "home":
		err = sim.Home(req.Epoch, req.Axes, req.Way)
	case "confirm":
		err = sim.Confirm(req.Epoch, req.Axis, req.What)
	case "goto":
		err = sim.GoTo(req.Epoch, req.To, req.Share)
	case "jog":
		err = sim.JogTo(req.Epoch, req.Axis, req.Speed, req.Until)
	case "configure":
		err = sim.Configure(req.Epoch, req.Rig)
	case "suspend":
		err = sim.Suspend(req.Epoch, req.Axis, req.Seconds)
	case "load":
		r.Print, err = sim.Load(req.Epoch, req.Machine, table)
	case "free", "engage":
		err = sim.Free(req.Epoch, req.Axis, req.Do == "free")
	case "handset":
		err = sim.Handset(req.Epoch, req.On)
	case "limits":
		err = sim.Limits(req.Epoch, req.Soft)
	case "pretend":
		err = sim.Pretend(req.What, req.Axis, req.On, req.By)
	case "arm":
		err = sim.Arm(req)
		r.EveryMS = sim.every
	case "roll":
		err = sim.Roll(req.Epoch)
	case "steer":
		if err = sim.Steer(req.Epoch, req.Num, req.Den); err == nil {
			r.Steers = sim.armed.Clock.Steers
		}
	case "stop":
		sim.Stop("stop was pressed")
	case "ack":
		if err := sim.Ack(req.Epoch, req.Take, req.From, req.Rows); err != nil && req.ID != 0 {
			r.Why = err.Error()
			return r, true
		}
		r.OK = true
		return r, req.ID != 0
	case "trace":
		if err = sim.Knows(req.Take, req.Rows); err == nil {
			c.sent[req.Take], c.ended[req.Take] = req.Rows, false
		}
	default:
		err = refuse("there is no request %q", req.Do)
	}
	if r.OK = err == nil; err != nil {
		r.Why = err.Error()
	}
	return r, true
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
