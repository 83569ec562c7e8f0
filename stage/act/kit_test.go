package act_test

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"io"
	"log/slog"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
	"keenarc/standin"
	"keenarc/standin/standintest"
)

var ann = journal.Person{ID: journal.NewID(), Name: "ann", Role: "operator"}

func plank() *rig.Rig { return examples.Rigs()["plank"] }

// whole is Plank as the one machine of a shot.
func whole(t testing.TB) *rig.Rig {
	t.Helper()
	r, err := rig.Join(examples.Plank())
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func firstPose(p *act.Pass) map[string]float64 {
	to, _ := ready.PoseAt(p.Table, p.Machine, p.Table.Start())
	return to
}

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// pass is the harbour, sealed for Plank.
func pass(t testing.TB) *act.Pass {
	t.Helper()
	r := whole(t)
	p, err := exchange.PlanFromKeys(bytes.NewReader(examples.HarbourApproach), r, examples.Camera(),
		clock.Rate{Num: 24, Den: 1}, curve.Smooth)
	if err != nil {
		t.Fatal(err)
	}
	table, _, err := seal.Make(context.Background(), p, examples.Plank())
	if err != nil {
		t.Fatal(err)
	}
	m, _ := path.Compile(p, r)
	b, _ := limit.Brake(context.Background(), m, r, 24)
	sum := table.Fingerprint()
	return &act.Pass{ID: "p", Name: "Keeper", Number: 1, Machine: "plank", Table: table,
		Print: hex.EncodeToString(sum[:]), Clock: clock.Times(clock.Rate{Num: 1, Den: 1}), BrakeS: b.Seconds}
}

// floor is a machine with its conductor, a stand-in, and a path.
type floor struct {
	*machine.Machine
	c       *act.Conductor
	t       *testing.T
	journal *journal.Memory
	pass    *act.Pass
	rig     *rig.Rig
	dial    func(context.Context) (link.Rig, error)
	door    *standintest.Door
	call    func(context.Context) (*link.Client, error) // another connection to the stand-in
	cut     func()                                      // cuts the connection, which comes back by itself
	kill    func()                                      // ends the stand-in for good
	end     func()                                      // ends the machine's side, and waits for it
}

// run runs what was put, until the test is over or it is ended.
func (f *floor) run() {
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	c := f.c
	wg.Go(func() { c.Run(ctx) })
	f.end = sync.OnceFunc(func() { stop(); wg.Wait() })
	f.t.Cleanup(f.end)
}

// put makes the machine and its conductor.
func (f *floor) put(id, name string, j journal.Journal) {
	f.Machine = machine.New(id, name, f.dial, j, quiet)
	f.c = act.NewConductor(machine.NewSet(f.Machine), quiet)
}

// inItsTime runs a test in a time of its own, that of its machines: it goes on when everybody waits.
func inItsTime(t *testing.T, test func(*testing.T)) {
	t.Helper()
	t.Parallel()
	synctest.Test(t, test)
}

// newFloor is a floor in the test's own process and time.
func newFloor(t *testing.T) *floor {
	t.Helper()
	door, kill := standintest.Start(t, standin.Options{Rig: plank(), Seed: 3})
	f := onFloor(t, door.Dial, kill)
	f.door = door
	return f
}

// listeningFloor is a floor whose stand-in listens on loopback, in real time.
func listeningFloor(t *testing.T, pace int) (f *floor, addr string) {
	t.Helper()
	s, err := standin.Listen(standin.Options{Rig: plank(), Seed: 3, Pace: pace}, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { _ = s.Run(ctx) })
	kill := func() { stop(); wg.Wait() }
	t.Cleanup(kill)
	return onFloor(t, func(ctx context.Context) (*link.Client, error) { return link.Dial(ctx, s.Addr()) }, kill),
		s.Addr()
}

func onFloor(t *testing.T, call func(context.Context) (*link.Client, error), kill func()) *floor {
	t.Helper()
	f := &floor{t: t, journal: &journal.Memory{}, rig: whole(t), kill: kill, call: call, pass: pass(t)}
	var mu sync.Mutex
	var last link.Rig
	f.dial = func(ctx context.Context) (link.Rig, error) {
		c, err := call(ctx)
		if err != nil {
			return nil, err
		}
		mu.Lock()
		last = c
		mu.Unlock()
		return c, nil
	}
	f.put("plank", "Plank", f.journal)
	f.cut = func() { mu.Lock(); defer mu.Unlock(); last.Close() }
	f.run()
	return f
}

func (f *floor) now() machine.Press {
	return f.c.Arbiter.Pressed(machine.Owner{Who: ann, Page: "page"}, "", 0)
}

// until waits for a snapshot; where the machine stands still then, for the end of what was
// done with it.
func (f *floor) until(what string, ok func(machine.Snapshot) bool) {
	f.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Minute)
	defer cancel()
	err := f.Until(ctx, func(s machine.Snapshot) bool {
		return ok(s) && (s.Leased || !s.Driving || !s.Connected) && (!s.Connected || !s.State.Still() || !f.busy())
	})
	if err != nil {
		f.t.Fatalf("waited in vain for %s: the rig is %s, %+v", what, f.Now().State.Mode, f.c.Arbiter.Doing())
	}
}

func (f *floor) busy() bool { return f.c.Arbiter.Of(machine.Claim{Machine: f.ID()}) != nil }

// rests waits until what was asked for is over.
func (f *floor) rests() {
	f.t.Helper()
	f.until("rest", func(machine.Snapshot) bool { return !f.busy() })
}

func seen(s machine.Snapshot) bool { return s.Connected }

func idle(s machine.Snapshot) bool { return s.State.Mode == link.Idle }

func is(mode string) func(machine.Snapshot) bool {
	return func(s machine.Snapshot) bool { return s.State.Mode == mode }
}

func (f *floor) Home(h act.Homing) error { return f.c.Home(context.Background(), f.now(), f.ID(), h) }

func (f *floor) GoTo(to map[string]float64) error {
	_, err := f.c.Go(context.Background(), f.now(), f.ID(), func(context.Context) (act.Going, error) {
		return act.Going{To: to, Text: "to " + f.Name()}, nil
	})
	return err
}

func (f *floor) atFirst() {
	f.t.Helper()
	f.until("the rig", seen)
	if !f.Now().State.Homed("track") {
		if err := f.Home(act.Homing{Times: 1}); err != nil {
			f.t.Fatal(err)
		}
		f.until("homing", func(s machine.Snapshot) bool { return s.State.Homed("track") && idle(s) })
	}
	if err := f.GoTo(firstPose(f.pass)); err != nil {
		f.t.Fatal(err)
	}
	f.rests()
}

func yes() bool { return true }

// loaded has a pass's table in the machine, as a page that is opened has.
func (f *floor) loaded(p *act.Pass) {
	if s := f.Now(); !s.Leased {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	f.c.Load(f.Machine, p.Machine, p.Table, p.Print)
	if err := f.Loaded(ctx, p.Print); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		f.t.Error(err)
	}
}

// press rolls a pass under a press of its own.
func (f *floor) press(p *act.Pass, held func() bool) (*act.Hold, error) {
	f.loaded(p)
	return f.c.Roll(context.Background(), f.now(), f.ID(), journal.NewID(), func(context.Context) (act.Rolling, error) {
		return act.Rolling{Pass: p}, nil
	}, held)
}

func (f *floor) rollHeld(p *act.Pass) (*journal.Take, error) {
	f.loaded(p)
	t, err := stage.RollHeld(context.Background(), f.c, f.now(), f.ID(), p)
	f.rests()
	return t, err
}
