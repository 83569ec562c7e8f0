package act_test

import (
	"bufio"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/journal/journaltest"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/standin/standintest"
)

// Stop means stop. Each of these was seen to move a machine that somebody had stopped, or
// that nobody held.

// moves reports how far an axis goes in a time.
func (f *floor) moves(axis string, d time.Duration) float64 {
	was := f.Now().State.Asked(axis)
	time.Sleep(d)
	return math.Abs(f.Now().State.Asked(axis) - was)
}

// held beats a jog until it is told to end.
func held(j *act.Jog) (end func()) {
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		tk := time.NewTicker(20 * time.Millisecond)
		defer tk.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tk.C:
				_ = j.Beat(ctx)
			}
		}
	})
	return func() { stop(); wg.Wait() }
}

func (f *floor) jog(press string) *act.Jog {
	f.t.Helper()
	j, err := f.c.Jog(context.Background(), f.now(), f.ID(), press, act.Jogging{Axis: "pan", Way: 1})
	if err != nil {
		f.t.Fatal(err)
	}
	return j
}

// A jog that was stopped stays stopped, however long the finger stays down: by this
// application's stop, by another's, by silence while the server stood still.
func TestAStoppedJogStaysStopped(t *testing.T) {
	t.Parallel()
	for name, stop := range map[string]func(f *floor){
		"stopped here": func(f *floor) {
			if err := f.c.Stop(context.Background()); err != nil {
				f.t.Error(err)
			}
		},
		"stopped by another": func(f *floor) {
			c, err := f.call(f.t.Context())
			if err != nil {
				f.t.Fatal(err)
			}
			defer c.Close()
			if _, err := link.Ask(f.t.Context(), c, link.Stop{}); err != nil {
				f.t.Error(err)
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			inItsTime(t, func(t *testing.T) {
				f := newFloor(t)
				f.until("the rig", seen)
				j := f.jog("one")
				end := held(j)
				defer end()
				f.until("jogging", is(link.Jogging))
				time.Sleep(200 * time.Millisecond)
				stop(f)
				f.rests()
				// Past both stages of its speed; less than a motor step is how it comes to rest.
				if d := f.moves("pan", 2200*time.Millisecond); d > 0.02 {
					t.Errorf("after the stop it went on by %.2f°", d)
				}
				if j.Beat(t.Context()) == nil {
					t.Error("its beats are passed on")
				}
				_, err := f.c.Jog(t.Context(), f.now(), f.ID(), "one", act.Jogging{Axis: "pan", Way: 1})
				if err == nil || !strings.Contains(err.Error(), "press again") {
					t.Errorf("the same press once more: %v", err)
				}
				f.rests()
				f.jog("two").Release()
			})
		})
	}
	t.Run("silent", func(t *testing.T) {
		inItsTime(t, func(t *testing.T) {
			f := newFloor(t)
			f.until("the rig", seen)
			j := f.jog("one")
			for range 10 {
				_ = j.Beat(t.Context())
				time.Sleep(30 * time.Millisecond)
			}
			time.Sleep(500 * time.Millisecond) // the server stands still, the finger is lifted
			end := held(j)                     // what waited comes now
			defer end()
			f.until("rest", func(s machine.Snapshot) bool { return idle(s) })
			if d := f.moves("pan", 2200*time.Millisecond); d > 0 {
				t.Errorf("after 500 ms of silence it went on by %.2f°", d)
			}
		})
	})
}

// stalled is a link on which words that move wait until they are let through; those that stop
// do not.
type stalled struct {
	link.Rig
	gate  chan struct{}
	waits atomic.Int64
}

func (s *stalled) Raw(ctx context.Context, w link.Word, may func() error) ([]byte, error) {
	if _, moves := w.(link.Ordered); moves {
		s.waits.Add(1)
		<-s.gate
	}
	return s.Rig.Raw(ctx, w, may)
}

// slow is a journal whose takes begin when they are let.
type slow struct {
	journal.Memory
	gate  chan struct{}
	waits atomic.Int64
}

func (s *slow) Begin(ctx context.Context, t *journal.Take) error {
	s.waits.Add(1)
	<-s.gate
	return s.Memory.Begin(ctx, t)
}

// What is being prepared when somebody presses Stop is not begun: a press that waits for the
// database, a move, a homing that waits for the wire, or for what it decides on. The machine
// hears the stop before anything else.
func TestStopCancelsWhatIsBeingPrepared(t *testing.T) {
	t.Parallel()
	t.Run("a roll that waits for the database", func(t *testing.T) {
		inItsTime(t, func(t *testing.T) {
			j := &slow{gate: make(chan struct{})}
			s := newFloor(t)
			s.end()
			s.put("plank", "Plank", j)
			s.run()
			s.atFirst()
			rolled := make(chan error, 1)
			go func() { _, err := s.press(s.pass, yes); rolled <- err }()
			for j.waits.Load() == 0 {
				time.Sleep(time.Millisecond)
			}
			if err := s.c.Stop(t.Context()); err != nil {
				t.Error(err)
			}
			close(j.gate)
			if err := <-rolled; !errors.Is(err, machine.ErrStopped) {
				t.Errorf("it answers %v", err)
			}
			s.until("rest", idle)
			if s.Now().State.Mode != link.Idle || s.Now().State.Frame > 0.5 {
				t.Errorf("it is %s at %g", s.Now().State.Mode, s.Now().State.Frame)
			}
		})
	})
	for name, move := range map[string]func(f *floor) error{
		"a move":   func(f *floor) error { return f.GoTo(map[string]float64{"track": 900}) },
		"a homing": func(f *floor) error { return f.Home(act.Homing{Axes: []string{"track"}, Times: 10}) },
		"a drive that is freed": func(f *floor) error {
			return f.c.Free(context.Background(), f.now(), f.ID(), "tilt", true, nil)
		},
	} {
		t.Run(name+" that waits for the wire", func(t *testing.T) {
			inItsTime(t, func(t *testing.T) {
				f := newFloor(t)
				f.atFirst()
				was := f.Now().State
				var wire *stalled
				g := &floor{t: t, pass: f.pass, call: f.call}
				g.dial = func(ctx context.Context) (link.Rig, error) {
					c, err := f.call(ctx)
					if err != nil {
						return nil, err
					}
					wire = &stalled{Rig: c, gate: make(chan struct{})}
					return wire, nil
				}
				f.end()
				g.put("plank", "Plank", &journal.Memory{})
				g.run()
				g.until("the rig", func(s machine.Snapshot) bool { return s.Leased && idle(s) })
				moved := make(chan error, 1)
				go func() { moved <- move(g) }()
				for wire.waits.Load() == 0 {
					time.Sleep(time.Millisecond)
				}
				if err := g.c.Stop(t.Context()); err != nil {
					t.Error(err)
				}
				close(wire.gate)
				if err := <-moved; !errors.Is(err, machine.ErrStopped) {
					t.Errorf("it answers %v", err)
				}
				time.Sleep(2 * time.Second) // a motor step is how it comes to rest
				if s := g.Now().State; s.Mode != link.Idle || math.Abs(s.Asked("track")-was.Asked("track")) > 0.04 ||
					s.Axes["tilt"].Free || !s.Homed("track") {
					t.Errorf("it is %s, %+v", s.Mode, s.Axes)
				}
			})
		})
	}
	t.Run("what it decides on comes late", func(t *testing.T) {
		inItsTime(t, func(t *testing.T) {
			f := newFloor(t)
			f.atFirst()
			going, decide := make(chan error, 1), make(chan struct{})
			began := make(chan struct{})
			go func() {
				_, err := f.c.Go(context.Background(), f.now(), "plank", func(context.Context) (act.Going, error) {
					close(began)
					<-decide
					return act.Going{To: map[string]float64{"track": 900}}, nil
				})
				going <- err
			}()
			<-began
			if err := f.GoTo(map[string]float64{"track": 700}); !errors.As(err, new(*machine.BusyError)) {
				t.Errorf("what was claimed is moved by another: %v", err)
			}
			if err := f.c.Stop(t.Context()); err != nil {
				t.Error(err)
			}
			close(decide)
			if err := <-going; !errors.Is(err, machine.ErrStopped) {
				t.Errorf("it answers %v", err)
			}
			if d := f.moves("track", time.Second); d > 0 {
				t.Errorf("it moved by %g mm", d)
			}
		})
	})
	t.Run("the press came before the stop", func(t *testing.T) {
		inItsTime(t, func(t *testing.T) {
			f := newFloor(t)
			f.atFirst()
			a := f.now() // it arrives, and waits for a session
			if err := f.c.Stop(t.Context()); err != nil {
				t.Error(err)
			}
			if err := f.c.Home(t.Context(), a, "plank", act.Homing{Times: 1}); !errors.Is(err, machine.ErrStopped) {
				t.Errorf("it answers %v", err)
			}
			if err := f.Home(act.Homing{Times: 1}); err != nil {
				t.Errorf("asked anew: %v", err)
			}
		})
	})
}

// The next of several homings is not begun after a stop, by whomever.
func TestStopEndsSeveralHomings(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		if err := f.Home(act.Homing{Axes: []string{"pan"}, Times: 10}); err != nil {
			t.Fatal(err)
		}
		f.Until(t.Context(), func(s machine.Snapshot) bool { return s.State.Axes["pan"].Spread.N >= 2 })
		c, err := f.call(t.Context()) // another server
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		if _, err := link.Ask(t.Context(), c, link.Stop{}); err != nil {
			t.Fatal(err)
		}
		f.rests()
		n := f.Now().State.Axes["pan"].Spread.N
		time.Sleep(10 * time.Second)
		if s := f.Now().State; s.Mode != link.Idle || s.Axes["pan"].Spread.N != n {
			t.Errorf("after the stop it is %s, homed %d times, %d before", s.Mode, s.Axes["pan"].Spread.N, n)
		}
	})
}

// Beats belong to a press: another's keep nothing going, and nobody's press takes over an
// axis that another holds.
func TestBeatsBelongToAPress(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		f.loaded(f.pass)
		old := f.jog("finger")
		end := held(old)
		defer end() // the finger stays on it
		time.Sleep(100 * time.Millisecond)
		if err := f.c.Stop(t.Context()); err != nil {
			t.Fatal(err)
		}
		f.rests()
		if err := f.GoTo(firstPose(f.pass)); err != nil {
			t.Fatal(err)
		}
		f.rests()
		h, err := f.press(f.pass, yes)
		if err != nil {
			t.Fatal(err)
		}
		for range 10 {
			_ = h.Beat()
			time.Sleep(30 * time.Millisecond)
		}
		if _, err := f.c.Jog(t.Context(), f.now(), "plank", "other", act.Jogging{Axis: "pan", Way: -1}); !errors.As(err,
			new(*machine.BusyError)) {
			t.Errorf("another press drives what is held: %v", err)
		}
		frozen := time.Now()
		select { // the page that rolls is frozen
		case <-h.Done():
		case <-time.After(6 * time.Second):
			t.Fatal("it rolls on")
		}
		k := h.Take()
		if !k.Broken || !strings.Contains(k.Why, "fell silent") || k.BrakeAt-k.LastBeat > 210 || time.Since(frozen) >
			4*time.Second {
			t.Errorf("%s, braking began %d ms after the last beat", k.Why, k.BrakeAt-k.LastBeat)
		}
	})
}

// A press whose first word would reach the machine more than two seconds after it is asked
// again.
func TestWhatComesTooLateIsAskedAgain(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		ago := func(d time.Duration) machine.Press {
			return f.c.Arbiter.Pressed(machine.Owner{Who: ann, Page: "page"}, "", d)
		}
		a := ago(machine.Fresh + time.Millisecond)
		if err := f.c.Home(t.Context(), a, "plank", act.Homing{Times: 1}); !errors.Is(err, machine.ErrLate) {
			t.Errorf("a homing: %v", err)
		}
		late, began := ago(machine.Fresh-150*time.Millisecond), time.Now()
		if _, err := f.c.Go(t.Context(), late, "plank", func(ctx context.Context) (act.Going, error) {
			<-ctx.Done() // the database does not answer; it is not waited for any longer
			time.Sleep(time.Millisecond)
			return act.Going{To: map[string]float64{"track": 900}}, nil
		}); !errors.Is(err, machine.ErrLate) || time.Since(began) > 2*time.Second {
			t.Errorf("a move that was decided on too late: %v after %v", err, time.Since(began))
		}
		// And the machine says so where it was the wire that took so long.
		c, err := f.call(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		f.end()
		l, err := link.Ask(t.Context(), c, link.TakeLease{})
		if err != nil {
			t.Fatal(err)
		}
		boot, stops := c.Heard()
		o := link.Order{Epoch: l.Epoch, Boot: boot, Stops: stops, By: 1}
		if _, err := link.Ask(t.Context(), c, link.GoTo{Order: o, To: map[string]float64{"track": 900}}); err == nil ||
			!strings.Contains(err.Error(), "too late") {
			t.Errorf("a word for an earlier tick: %v", err)
		}
	})
}

// Where no machine could be told, Stop says so; it is said as soon as the machine is there.
func TestAStopThatReachesNothingSaysSo(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		if err := f.GoTo(map[string]float64{"track": 1400}); err != nil {
			t.Fatal(err)
		}
		f.until("going", is(link.Moving))
		away := errors.New("away")
		var gone atomic.Bool
		dial := f.dial
		g := &floor{t: t, call: f.call}
		g.dial = func(ctx context.Context) (link.Rig, error) {
			if gone.Load() {
				return nil, away
			}
			return dial(ctx)
		}
		gone.Store(true)
		g.put("plank", "Plank", &office{away: true})
		g.run()
		var not *machine.UnreachedError
		if err := g.c.Stop(t.Context()); !errors.As(err, &not) || !errors.Is(err, machine.ErrNoRig) ||
			!strings.Contains(err.Error(), "Plank") {
			t.Errorf("it answers %v", err)
		}
		gone.Store(false)
		f.rests() // it hears the stop before its move is over
		if x := f.Now().State.Asked("track"); x > 1390 {
			t.Errorf("it went on to %g mm", x)
		}
	})
}

// A connection that is new knows nothing of before: until the machine has said how it stands
// it is not seen, and nothing is begun on what it was.
func TestNothingOfBeforeHoldsAfterAReconnect(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		quietly := make(chan struct{})
		var second atomic.Bool
		g := &floor{t: t, call: f.call, pass: f.pass}
		g.dial = func(ctx context.Context) (link.Rig, error) {
			c, err := f.call(ctx)
			if err != nil || !second.Load() {
				return c, err
			}
			return &mute{Rig: c, until: quietly, events: make(chan link.Event, 64)}, nil
		}
		f.end()
		g.put("plank", "Plank", &journal.Memory{})
		g.run()
		g.until("the rig", func(s machine.Snapshot) bool { return s.Leased && s.State.Homed("track") })
		second.Store(true)
		g.Again()
		for g.Now().Connected {
			time.Sleep(time.Millisecond)
		}
		for late := time.Now().Add(3 * time.Second); g.Rig() == nil; time.Sleep(time.Millisecond) { // it answers
			if time.Now().After(late) {
				t.Fatal("it is never there again")
			}
		}
		if s := g.Now(); s.Connected || s.State.Homed("track") || s.State.Mode != "" {
			t.Errorf("before it has said how it stands it is taken for %+v", s)
		}
		if err := g.GoTo(map[string]float64{"track": 700}); !errors.Is(err, machine.ErrNoRig) {
			t.Errorf("it is sent somewhere: %v", err)
		}
		close(quietly)
		g.until("the rig again", func(s machine.Snapshot) bool { return s.Leased && s.State.Homed("track") })
	})
}

// mute is a link whose events are kept until it is told.
type mute struct {
	link.Rig
	until  chan struct{}
	events chan link.Event
	once   sync.Once
}

func (m *mute) Events() <-chan link.Event {
	m.once.Do(func() {
		go func() {
			<-m.until
			for ev := range m.Rig.Events() {
				m.events <- ev
			}
			close(m.events)
		}()
	})
	return m.events
}

// Another program that takes the lease is noticed and said; the lease is taken back when the
// machine has stood still for a second. A stop needs none of it.
func TestAForeignLeaseIsNoticedAndTakenBack(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		c, err := f.call(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		if _, err := link.Ask(t.Context(), c, link.TakeLease{}); err != nil {
			t.Fatal(err)
		}
		began := time.Now()
		if err := f.Until(t.Context(), func(s machine.Snapshot) bool { return !s.Leased }); err != nil {
			t.Fatal(err)
		}
		if err := f.GoTo(map[string]float64{"track": 700}); err == nil || !strings.Contains(err.Error(),
			"another program") {
			t.Errorf("it is sent somewhere: %v", err)
		}
		if err := f.c.Stop(t.Context()); err != nil {
			t.Errorf("a stop: %v", err)
		}
		ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
		defer cancel()
		if err := f.Until(ctx, func(s machine.Snapshot) bool { return s.Leased }); err != nil {
			t.Fatal("the lease is never taken back")
		}
		if d := time.Since(began); d < time.Second {
			t.Errorf("it is taken back after %v", d)
		}
		if err := f.GoTo(map[string]float64{"track": 700}); err != nil {
			t.Error(err)
		}
		if !strings.Contains(f.journal.Text(), "another program had taken its lease") {
			t.Errorf("the log does not say so:\n%s", f.journal.Text())
		}
	})
}

// Checking a device in the harmless way takes no lease that somebody has, and stops nobody.
func TestLinkCheckIsHarmless(t *testing.T) {
	t.Parallel()
	f, addr := listeningFloor(t, 5)
	f.atFirst()
	long := *f.pass
	long.Clock = clock.Times(clock.Rate{Num: 1, Den: 8}) // it rolls longer than the check takes
	h, err := f.press(&long, yes)
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	wg.Go(func() {
		for ctx.Err() == nil {
			_ = h.Beat()
			time.Sleep(20 * time.Millisecond)
		}
	})
	var out strings.Builder
	wrong, err := link.Check(t.Context(), addr, link.CheckOptions{Out: &out})
	if wrong != 0 || err != nil || !strings.Contains(out.String(), "left   the lease, stop, limits") {
		t.Errorf("%d wrong, %v:\n%s", wrong, err, out.String())
	}
	if s := f.Now(); !s.Leased || s.State.Stops != 0 || s.State.Mode != link.Rolling {
		t.Errorf("beside it the rig is %s, leased %v, %d stops", s.State.Mode, s.Leased, s.State.Stops)
	}
	stop()
	wg.Wait()
	h.Release()
	<-h.Done()
}

// A table is loaded in parts while beats and a stop go on: none of them waits behind it.
func TestStopIsNotHeldUpByATable(t *testing.T) {
	t.Parallel()
	f, _ := listeningFloor(t, 1)
	f.until("the rig", seen)
	c, err := f.call(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	f.end()
	l, err := link.Ask(t.Context(), c, link.TakeLease{})
	if err != nil {
		t.Fatal(err)
	}
	long := *f.pass.Table // several megabytes
	long.Steps = nil
	for _, row := range f.pass.Table.Steps {
		wide := make([]int64, 0, 40*len(row))
		for k := range 40 * (len(row) - 1) {
			wide = append(wide, row[k%len(row)]+int64(k*7919%4001))
		}
		long.Steps = append(long.Steps, append(wide, row[len(row)-1]))
	}
	long.Last = long.First + 40*(long.Last-long.First)
	whole := long.Share("plank")
	parts := (len(whole) + link.PartBytes - 1) / link.PartBytes
	if parts < 20 {
		t.Fatalf("%d bytes in %d parts", len(whole), parts)
	}
	var worst time.Duration
	loaded := make(chan error, 1)
	go func() {
		for k := range parts {
			if _, err := link.Ask(t.Context(), c, link.Load{Epoch: l.Epoch, Machine: "plank", Part: k, Of: parts,
				Bytes: whole[k*link.PartBytes : min((k+1)*link.PartBytes, len(whole))]}); err != nil {
				loaded <- err
				return
			}
		}
		loaded <- nil
	}()
	n := 0
	for over := false; !over; n++ {
		began := time.Now()
		if _, err := link.Ask(t.Context(), c, link.Stop{}); err != nil {
			t.Fatal(err)
		}
		worst = max(worst, time.Since(began))
		select {
		case err := <-loaded:
			over = true
			if err != nil && !strings.Contains(err.Error(), "stop") {
				t.Logf("the table is refused: %v", err) // it is not a real path
			}
		default:
		}
	}
	t.Logf("%d stops beside %d parts, the slowest answered after %v", n, parts, worst)
	if n < 5 { // behind the whole of it there would be one
		t.Errorf("only %d stops were answered while %d parts were loaded", n, parts)
	}
	for what, w := range map[string]link.Load{
		"out of order":     {Epoch: l.Epoch, Machine: "plank", Part: 1, Of: 3, Bytes: []byte{1}},
		"no such part":     {Epoch: l.Epoch, Machine: "plank", Part: 3, Of: 3, Bytes: []byte{1}},
		"nothing in it":    {Epoch: l.Epoch, Machine: "plank", Part: 0, Of: 3},
		"another's":        {Epoch: l.Epoch + 1, Machine: "plank", Part: 0, Of: 3, Bytes: []byte{1}},
		"too many of them": {Epoch: l.Epoch, Machine: "plank", Part: 0, Of: link.MostParts + 1, Bytes: []byte{1}},
	} {
		if _, err := link.Ask(t.Context(), c, w); err == nil {
			t.Errorf("a part that is %s is taken", what)
		}
	}
}

// A device that speaks version 2 is seen and stopped; nothing that moves it is said to it.
func TestADeviceOfVersion2IsSeenAndNotMoved(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		door := standintest.NewDoor()
		defer door.Close()
		old := &oldDevice{rig: plank()}
		go old.serve(door)
		f := &floor{t: t, pass: pass(t)}
		f.dial = func(ctx context.Context) (link.Rig, error) { return door.Dial(ctx) }
		disk := journaltest.NewDisk()
		k := &journal.Take{ID: "old-take", PassID: "p", Machine: "plank", By: ann}
		for _, a := range plank().Axes {
			k.Axes, k.Units = append(k.Axes, "plank/"+a.ID), append(k.Units, a.StepsPerUnit)
		}
		if err := disk.Begin(t.Context(), k); err != nil {
			t.Fatal(err)
		}
		old.take = k
		f.put("plank", "Plank", disk)
		f.run()
		f.until("the device", func(s machine.Snapshot) bool { return s.Connected && s.Old })
		if s := f.Now(); s.State.Pos("pan") != 2.5 || !s.State.Homed("pan") || s.State.Axes["track"].Fault !=
			"over current" {
			t.Errorf("it is seen as %+v", s.State)
		}
		for what, err := range map[string]error{"homing": f.Home(act.Homing{Times: 1}),
			"a move": f.GoTo(map[string]float64{"pan": 1}),
			"a jog":  second(f.c.Jog(t.Context(), f.now(), "plank", "p", act.Jogging{Axis: "pan", Way: 1})),
			"a roll": second(f.c.Roll(t.Context(), f.now(), "plank", "p", func(context.Context) (act.Rolling, error) {
				return act.Rolling{Pass: f.pass}, nil
			}, yes)),
			"free": f.c.Free(t.Context(), f.now(), "plank", "pan", true, nil)} {
			if err == nil || !strings.Contains(err.Error(), "version 2 of the rig link") {
				t.Errorf("%s: %v", what, err)
			}
		}
		if err := f.c.Stop(t.Context()); err != nil {
			t.Errorf("a stop: %v", err)
		}
		for late := time.Now().Add(10 * time.Second); !disk.Take("old-take").Ended; time.Sleep(10 * time.Millisecond) {
			if time.Now().After(late) {
				t.Fatal("its take is never fetched")
			}
		}
		if got := disk.Take("old-take"); got.Rows != oldRows || !got.Trace.Whole() {
			t.Errorf("of its take %d rows are kept", got.Rows)
		}
		for _, do := range old.heard() {
			switch do {
			case "describe", "watch", "lease", "stop", "alive", "trace", "ack":
			default:
				t.Errorf("it was told to %s", do)
			}
		}
		if n := len(old.heard()); n == 0 || !contains(old.heard(), "stop") {
			t.Errorf("it heard %v", old.heard())
		}
	})
}

func contains(list []string, what string) bool {
	for _, s := range list {
		if s == what {
			return true
		}
	}
	return false
}

// One that has not a later word is refused that act alone.
func TestALaterWordThatADeviceHasNot(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		g := &floor{t: t, call: f.call, pass: f.pass}
		g.dial = func(ctx context.Context) (link.Rig, error) {
			c, err := f.call(ctx)
			if err != nil {
				return nil, err
			}
			return plain{c}, nil
		}
		f.end()
		g.put("plank", "Plank", &journal.Memory{})
		g.run()
		g.until("the rig", func(s machine.Snapshot) bool { return s.Leased })
		if err := g.c.Suspend(t.Context(), g.now(), "plank", "pan", 3); err == nil || !strings.Contains(err.Error(),
			`does not have the word "suspend"`) {
			t.Errorf("suspend: %v", err)
		}
		if err := g.GoTo(map[string]float64{"track": 700}); err != nil {
			t.Errorf("a move: %v", err)
		}
	})
}

// plain is a device without the later words.
type plain struct{ link.Rig }

func (p plain) Raw(ctx context.Context, w link.Word, may func() error) ([]byte, error) {
	line, err := p.Rig.Raw(ctx, w, may)
	if w.Do() == "describe" {
		line = []byte(strings.Replace(string(line), `"can":[`, `"could":[`, 1))
	}
	return line, err
}

// Machines come and go while the application runs: one that comes is driven, one that goes is
// stopped and looked for no more.
func TestMachinesComeAndGo(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		f.end()
		set := machine.NewSet()
		c := act.NewConductor(set, quiet)
		ctx, stop := context.WithCancel(t.Context())
		var wg sync.WaitGroup
		wg.Go(func() { c.Run(ctx) })
		defer wg.Wait()
		defer stop()
		news, end := set.Watch()
		defer end()
		m := machine.New("plank", "Plank", func(ctx context.Context) (link.Rig, error) { return f.call(ctx) },
			&journal.Memory{}, quiet)
		if _, err := set.Of("plank"); !errors.Is(err, machine.ErrNoRig) {
			t.Errorf("before it comes: %v", err)
		}
		set.Add(m)
		late, cancel := context.WithTimeout(t.Context(), time.Minute)
		defer cancel()
		if err := m.Until(late, func(s machine.Snapshot) bool { return s.Leased }); err != nil {
			t.Fatal(err)
		}
		<-news // whoever watches all of them hears of it
		if _, err := c.Go(t.Context(), c.Arbiter.Pressed(machine.Owner{Who: ann}, "", 0), "plank",
			func(context.Context) (act.Going, error) {
				return act.Going{To: map[string]float64{"track": 1400}, Text: "far"}, nil
			}); err != nil {
			t.Fatal(err)
		}
		if err := m.Until(late, is(link.Moving)); err != nil {
			t.Fatal(err)
		}
		set.Remove("plank")
		for n := 0; len(c.Arbiter.Doing()) > 0 && n < 500; n++ { // who waits for it hears that it is gone
			time.Sleep(10 * time.Millisecond)
		}
		if len(set.All()) != 0 || len(c.Arbiter.Doing()) != 0 || m.Now().Connected {
			t.Errorf("it is gone, and there are %v, %v", set.All(), c.Arbiter.Doing())
		}
		w, err := f.call(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer w.Close()
		if _, err := link.Ask(t.Context(), w, link.Watch{}); err != nil {
			t.Fatal(err)
		}
		for ev := range w.Events() {
			if ev.State == nil || !ev.State.Still() {
				continue
			}
			if x := ev.State.Asked("track"); x > 1390 {
				t.Errorf("it went on to %g mm", x)
			}
			break
		}
	})
}

// The stand-in keeps its own checks: it does not trust what is said to it.
func TestTheMachineTrustsNobody(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		f.loaded(f.pass)
		f.end()
		c, err := f.call(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		l, err := link.Ask(t.Context(), c, link.TakeLease{})
		if err != nil {
			t.Fatal(err)
		}
		o := func() link.Order {
			boot, stops := c.Heard()
			return link.Order{Epoch: l.Epoch, Boot: boot, Stops: stops}
		}
		before := o()
		if _, err := link.Ask(t.Context(), c, link.Stop{}); err != nil {
			t.Fatal(err)
		}
		other := o()
		other.Boot = "another"
		sum := f.pass.Table.Fingerprint()
		print := hex.EncodeToString(sum[:])
		for what, order := range map[string]link.Order{"a stop came in between": before, "switched off and on": other} {
			for _, w := range []link.Word{link.Home{Order: order}, link.Confirm{Order: order, Axis: "pan",
				What: link.WaitsMark}, link.GoTo{Order: order, To: map[string]float64{"pan": 1}},
				link.Jog{Order: order, Press: "p", Axis: "pan", Speed: 1}, link.Speed{Order: order, Press: "p"},
				link.Arm{Order: order, Print: print, Take: "t", Clock: &f.pass.Clock, Brake: 1},
				link.Roll{Order: order, Press: "p", Take: "t"}, link.Steer{Order: order, Press: "p"},
				link.Free{Order: order, Axis: "pan"}, link.Engage{Order: order, Axis: "pan"},
				link.Suspend{Order: order, Axis: "pan", Seconds: 1}, link.Limits{Order: order},
				link.Configure{Order: order, Rig: plank()}} {
				if _, err := c.Raw(t.Context(), w, nil); err == nil || !strings.Contains(err.Error(), what) {
					t.Errorf("%s given before: %v; want %s", w.Do(), err, what)
				}
			}
		}
		// A press that has no name, one that was let go before it began, one of another's take.
		for what, w := range map[string]link.Word{"letters": link.Jog{Order: o(), Axis: "pan", Speed: 1},
			"arm it first": link.Roll{Order: o(), Press: "p", Take: "t"}} {
			if _, err := c.Raw(t.Context(), w, nil); err == nil || !strings.Contains(err.Error(), what) {
				t.Errorf("%s: %v; want %s", w.Do(), err, what)
			}
		}
		if err := c.Say(link.Release{Epoch: l.Epoch, Press: "early"}); err != nil {
			t.Fatal(err)
		}
		early := link.Jog{Order: o(), Press: "early", Axis: "pan", Speed: 1}
		if _, err := link.Ask(t.Context(), c, early); err == nil || !strings.Contains(err.Error(), "press again") {
			t.Errorf("a press that was let go before it began: %v", err)
		}
		if _, err := link.Ask(t.Context(), c, link.Arm{Order: o(), Take: "mine", Print: print, Clock: &f.pass.Clock,
			Brake: f.pass.BrakeS}); err != nil {
			t.Fatal(err)
		}
		if _, err := link.Ask(t.Context(), c, link.Roll{Order: o(), Press: "p", Take: "yours"}); err == nil ||
			!strings.Contains(err.Error(), "another take") {
			t.Errorf("another take rolls: %v", err)
		}
	})
}

// oldRows is how many rows an old device's take has.
const oldRows = 40

// oldDevice speaks version 2 of the rig link: it says how it stands, keeps a take, and does what
// it is told.
type oldDevice struct {
	rig   *rig.Rig
	take  *journal.Take
	mu    sync.Mutex
	words []string
}

func (d *oldDevice) heard() []string {
	d.mu.Lock()
	defer d.mu.Unlock()
	return append([]string(nil), d.words...)
}

func (d *oldDevice) serve(l net.Listener) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		go d.talk(c)
	}
}

func (d *oldDevice) talk(c net.Conn) {
	defer c.Close()
	in := bufio.NewScanner(c)
	for in.Scan() {
		var q struct {
			ID int64  `json:"id"`
			Do string `json:"do"`
		}
		if json.Unmarshal(in.Bytes(), &q) != nil {
			return
		}
		d.mu.Lock()
		d.words = append(d.words, q.Do)
		d.mu.Unlock()
		switch q.Do {
		case "alive", "ack":
		case "describe":
			raw, _ := json.Marshal(d.rig)
			fmt.Fprintf(c, `{"re":%d,"ok":true,"version":2,"boot":"b","rig":%s}`+"\n", q.ID, raw)
		case "lease":
			fmt.Fprintf(c, `{"re":%d,"ok":true,"epoch":1}`+"\n", q.ID)
		default:
			fmt.Fprintf(c, `{"re":%d,"ok":true}`+"\n", q.ID)
		}
		if q.Do == "trace" {
			d.tell(c)
		}
		if q.Do == "watch" || q.Do == "stop" {
			fmt.Fprintln(c,
				`{"state":{"n":1,"tick":5,"mode":"idle","drive":"holding","epoch":1,"pos":{"pan":2.5,"track":9},`+
					`"asked":{"pan":2.5,"track":9},"homed":{"pan":true},"faults":{"track":"over current"}}}`)
		}
	}
}

// tell sends the take that it keeps.
func (d *oldDevice) tell(c net.Conn) {
	pos, steps := make([]clock.Pos, oldRows), make([][]int32, len(d.take.Axes))
	for i := range steps {
		steps[i] = make([]int32, oldRows)
	}
	for _, ev := range []link.Event{{Rows: link.PackRows(d.take.ID, 3, 0, pos, steps)},
		{Take: &link.TakeEnd{Take: d.take.ID, Rows: oldRows, LastBeat: -1, BrakeTick: -1}}} {
		raw, _ := json.Marshal(ev)
		fmt.Fprintf(c, "%s\n", raw)
	}
}

// Each word needs an event of its own: a second one that nothing has made due is not sent.
func TestEveryWordNeedsAnEvent(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		a := f.now()
		g, err := f.c.Arbiter.Begin(a, machine.KindGoTo, "a move", nil, machine.Claim{Machine: f.ID()})
		if err != nil {
			t.Fatal(err)
		}
		defer g.End()
		to := map[string]float64{"pan": 5}
		if err := g.GoTo(t.Context(), to, 0); err != nil {
			t.Fatal(err)
		}
		if err := g.Rest(t.Context()); err != nil {
			t.Fatal(err)
		}
		if err := g.GoTo(t.Context(), map[string]float64{"pan": 0}, 0); !errors.Is(err, machine.ErrLate) {
			t.Errorf("a second word without an event: %v", err)
		}
		g.Next(time.Now())
		if err := g.GoTo(t.Context(), map[string]float64{"pan": 0}, 0); err != nil {
			t.Errorf("with one: %v", err)
		}
	})
}

// A press that was made before the connection was lost is not carried out on the next one.
func TestAPressDoesNotOutliveItsConnection(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("seen", func(s machine.Snapshot) bool { return s.Connected && s.Leased })
		a := f.now()
		begin := func(a machine.Press) error {
			g, err := f.c.Arbiter.Begin(a, machine.KindGoTo, "a move", nil, machine.Claim{Machine: f.ID()})
			if err == nil {
				g.End()
			}
			return err
		}
		f.cut()
		f.until("lost", func(s machine.Snapshot) bool { return !s.Connected })
		f.until("seen again", func(s machine.Snapshot) bool { return s.Connected && s.Leased })
		if err := begin(a); !errors.Is(err, machine.ErrLost) && !errors.Is(err, machine.ErrLate) {
			t.Errorf("a press of before: %v", err)
		} else if errors.Is(err, machine.ErrLate) {
			t.Skip("it took longer than a press is fresh")
		}
		if err := begin(f.now()); err != nil {
			t.Errorf("a fresh one: %v", err)
		}
	})
}

// wordsSaid keeps the names of the words that go to a rig.
type wordsSaid struct {
	link.Rig
	mu   *sync.Mutex
	list *[]string
}

func (w wordsSaid) Raw(ctx context.Context, x link.Word, may func() error) ([]byte, error) {
	w.mu.Lock()
	*w.list = append(*w.list, x.Do())
	w.mu.Unlock()
	return w.Rig.Raw(ctx, x, may)
}

// Whether the press is held still is asked before each word: let go before it is armed nothing is
// said, let go while its take is written down it is not rolled, and nothing is left armed.
func TestLetGoBeforeItRolls(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		for asked, want := range map[int]string{1: "", 2: "arm stop"} {
			f := newFloor(t)
			f.end()
			var mu sync.Mutex
			var said []string
			dial := f.dial
			f.dial = func(ctx context.Context) (link.Rig, error) {
				r, err := dial(ctx)
				return wordsSaid{r, &mu, &said}, err
			}
			f.put("plank", "Plank", f.journal)
			f.run()
			f.atFirst()
			f.loaded(f.pass)
			mu.Lock()
			said = nil
			mu.Unlock()
			n := 0
			_, err := f.press(f.pass, func() bool { n++; return n < asked })
			mu.Lock()
			got := strings.Join(said, " ")
			mu.Unlock()
			if !errors.Is(err, act.ErrLetGo) || n != asked || got != want {
				t.Errorf("let go when it was asked %d times (%d): %v, said %q, want %q", asked, n, err, got, want)
			}
			f.until("at rest, not armed", idle)
		}
	})
}
