package act_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/machine"
)

// office is a journal in which the right to drive can be taken away and given.
type office struct {
	journal.Memory
	mu   sync.Mutex
	away bool
	now  *desk
}

type desk struct{ lost chan struct{} }

func (d *desk) Lost() <-chan struct{} { return d.lost }
func (d *desk) Release()              {}

func (o *office) Drive(context.Context, string) (journal.Right, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.away {
		return nil, journal.ErrElsewhere
	}
	o.now = &desk{make(chan struct{})}
	return o.now, nil
}

// set gives the right to another application, or back.
func (o *office) set(away bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.away = away; away && o.now != nil {
		close(o.now.lost)
		o.now = nil
	}
}

// heard is a rig that notes what is said to it.
type heard struct {
	link.Rig
	mu    sync.Mutex
	words []string
}

func (h *heard) note(do string) {
	h.mu.Lock()
	h.words = append(h.words, do)
	h.mu.Unlock()
}

func (h *heard) said() []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Clone(h.words)
}

func (h *heard) Raw(ctx context.Context, w link.Word, may func() error) ([]byte, error) {
	h.note(w.Do())
	return h.Rig.Raw(ctx, w, may)
}

func (h *heard) Say(w link.Word) error {
	h.note(w.Do())
	return h.Rig.Say(w)
}

// A floor without the right to drive sees everything and says nothing but who are
// you and let me watch: no lease, no sign of life, no acknowledgement. It may stop.
// With the right it drives, and when that is taken away it stops and watches.
func TestWithoutTheRightItOnlyWatches(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		driver := newFloor(t)
		driver.atFirst()
		var wire *heard
		var mu sync.Mutex
		o := &office{away: true}
		w := &floor{t: t, pass: driver.pass}
		w.dial = func(ctx context.Context) (link.Rig, error) {
			c, err := driver.call(ctx)
			if err != nil {
				return nil, err
			}
			mu.Lock()
			defer mu.Unlock()
			wire = &heard{Rig: c}
			return wire, nil
		}
		w.put("plank", "Plank", o)
		ctx, stop := context.WithCancel(context.Background())
		done := make(chan struct{})
		go func() { defer close(done); w.c.Run(ctx) }()
		defer func() { stop(); <-done }()
		see := func(what string, ok func(machine.Snapshot) bool) {
			t.Helper()
			late, cancel := context.WithTimeout(ctx, 2*time.Minute)
			defer cancel()
			if err := w.Until(late, ok); err != nil {
				t.Fatalf("waited in vain for %s: %+v", what, w.Now())
			}
		}
		said := func() []string {
			mu.Lock()
			defer mu.Unlock()
			return wire.said()
		}
		see("the rig", seen)
		if s := w.Now(); s.Driving || !s.State.Homed("track") {
			t.Errorf("watching: %+v", s)
		}
		h, err := driver.press(driver.pass, yes)
		if err != nil {
			t.Fatal(err)
		}
		beat := time.NewTicker(20 * time.Millisecond)
		defer beat.Stop()
		for rolled := false; !rolled; {
			<-beat.C
			_ = h.Beat()
			rolled = w.Now().State.Frame > 60
		}
		for name, err := range map[string]error{
			"home": w.Home(act.Homing{Times: 1}), "go": w.GoTo(nil), "free": w.c.Free(ctx, w.now(), "plank",
				"pan", true, nil),
			"roll": second(w.press(driver.pass, yes)),
		} {
			if !errors.Is(err, machine.ErrWatching) {
				t.Errorf("%s: %v", name, err)
			}
		}
		if got := said(); !slices.Equal(got, []string{"describe", "watch"}) {
			t.Errorf("it said %v", got)
		}
		if err := w.Stop(ctx); err != nil {
			t.Errorf("stop: %v", err)
		}
		<-h.Done()
		if k := h.Take(); !k.Broken || k.Why != "stop was pressed" || k.Rows != len(k.Trace.Pos) {
			t.Errorf("the driver's take: %+v", k)
		}
		if len(o.Takes) > 0 || strings.Contains(o.Text(), "take") {
			t.Errorf("the watcher wrote down %s", o.Text())
		}

		// The first one goes; the second gets the right, and the lease once the rig is still.
		driver.kill = func() {}
		driver.until("idle", idle)
		o.set(false)
		see("the right", func(s machine.Snapshot) bool { return s.Driving && s.Leased })
		if err := w.GoTo(map[string]float64{"track": 900}); err != nil {
			t.Fatalf("with the right: %v", err)
		}
		see("going", func(s machine.Snapshot) bool { return s.State.Mode == link.Moving })
		o.set(true)
		see("watching again", func(s machine.Snapshot) bool { return !s.Driving })
		see("still", idle)
		if x := w.Now().State.Pos("track"); x > 890 {
			t.Errorf("it went on to %g mm", x)
		}
		if err := w.GoTo(nil); !errors.Is(err, machine.ErrWatching) {
			t.Errorf("without the right again: %v", err)
		}
	})
}

func second[T any](_ T, err error) error { return err }

// What a line-up says is told to the rig at once, and with every new lease.
func TestTheRigKeepsToTheLineUp(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		soft := map[string][2]float64{"track": {50, 1100}}
		if err := f.limit(soft); err != nil {
			t.Fatal(err)
		}
		f.until("the limits", func(s machine.Snapshot) bool { return s.State.Axes["track"].Soft == soft["track"] })
		f.atFirst()
		if _, err := f.press(f.pass, yes); err == nil || !strings.Contains(err.Error(), "leaves its soft limits") {
			t.Errorf("a path up to 1340 mm: %v", err)
		}
		f.cut()
		f.until("gone", func(s machine.Snapshot) bool { return !s.Connected })
		f.until("back", func(s machine.Snapshot) bool {
			return s.Connected && s.State.Axes["track"].Soft == soft["track"]
		})
		if err := f.limit(map[string][2]float64{"track": {0, 9999}}); err == nil {
			t.Error("limits behind the hard ends: accepted")
		}
	})
}

// Stop reaches every machine, and one that hangs holds up no other.
func TestStopReachesAll(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		a, b := newFloor(t), newFloor(t)
		a.atFirst()
		b.atFirst()
		hung := machine.New("heron", "Heron", func(context.Context) (link.Rig, error) { return newSilent(), nil },
			&journal.Memory{}, quiet)
		hangs, end := context.WithCancel(context.Background())
		var wg sync.WaitGroup
		wg.Go(func() { _ = hung.Run(hangs) })
		defer wg.Wait()
		defer end()
		ok, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		if err := hung.Until(ok, func(s machine.Snapshot) bool { return s.Connected }); err != nil {
			t.Fatal(err)
		}
		for _, f := range []*floor{a, b} {
			if err := f.GoTo(map[string]float64{"track": 1400}); err != nil {
				t.Fatal(err)
			}
			f.until("going", func(s machine.Snapshot) bool { return s.State.Mode == link.Moving })
		}
		all := machine.NewSet(hung, a.Machine, b.Machine)
		err := machine.NewArbiter(all).Stop(context.Background())
		if err == nil || !strings.Contains(err.Error(), "Heron") || strings.Contains(err.Error(), "Plank") {
			t.Errorf("one hangs: %v", err)
		}
		for _, f := range []*floor{a, b} {
			f.until("still", idle)
			if x := f.Now().State.Pos("track"); x > 1390 {
				t.Errorf("it went on to %g mm", x)
			}
		}
		if _, err := all.Of("wren"); !errors.Is(err, machine.ErrNoRig) {
			t.Errorf("a machine that is not there: %v", err)
		}
	})
}

// limit tells the machine a line-up's limits.
func (f *floor) limit(soft map[string][2]float64) error {
	return f.c.Limit(context.Background(), f.now(), f.ID(), soft, func() error { return nil })
}

// silent is a rig that says what it is and how it stands, and answers nothing else.
type silent struct {
	link.Rig
	events chan link.Event
	done   chan struct{}
	once   sync.Once
}

func newSilent() *silent {
	s := &silent{events: make(chan link.Event, 1), done: make(chan struct{})}
	s.events <- link.Event{State: &link.State{N: 1, Mode: link.Moving, Boot: "b"}}
	return s
}

func (s *silent) Raw(ctx context.Context, w link.Word, _ func() error) ([]byte, error) {
	switch w.(type) {
	case link.Describe:
		return []byte(`{"version":3,"rig":{"id":"heron"},"boot":"b"}`), nil
	case link.Watch:
		return []byte(`{}`), nil
	}
	<-ctx.Done()
	return nil, ctx.Err()
}

func (s *silent) Say(link.Word) error       { return nil }
func (s *silent) Heard() (string, int64)    { return "b", 0 }
func (s *silent) Events() <-chan link.Event { return s.events }
func (s *silent) Done() <-chan struct{}     { return s.done }
func (s *silent) Close() error              { s.once.Do(func() { close(s.done); close(s.events) }); return nil }

// What the application does by itself is waited for, as long as a press is fresh; what somebody
// else does is said at once.
func TestItselfIsInNobodysWay(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		c := act.NewConductor(machine.NewSet(), quiet)
		ann := machine.Owner{Who: ann}
		for _, x := range []struct {
			who   machine.Owner
			takes time.Duration
			ok    bool
		}{
			{machine.Owner{Who: journal.Itself}, 1500 * time.Millisecond, true},
			{machine.Owner{Who: journal.Itself}, 3 * time.Second, false},
			{machine.Owner{Who: journal.Person{ID: journal.NewID(), Name: "bea"}}, time.Second, false},
		} {
			g, err := c.Arbiter.Begin(c.Arbiter.Pressed(x.who, "", 0), machine.KindEdit, "", nil, act.Frames)
			if err != nil {
				t.Fatal(err)
			}
			time.AfterFunc(x.takes, g.End)
			began, done := time.Now(), false
			err = c.Edit(c.Arbiter.Pressed(ann, "", 0), "the scheme is changed", func() error {
				done = true
				return nil
			}, act.Frames)
			if (err == nil) != x.ok || done != x.ok {
				t.Errorf("beside %q, %v: %v", x.who.Who.Name, x.takes, err)
			}
			if waited := time.Since(began); x.who.Who != journal.Itself && waited > 0 || waited > machine.Fresh {
				t.Errorf("it waited %v", waited)
			}
			time.Sleep(5 * time.Second)
		}
	})
}
