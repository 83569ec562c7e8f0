package stage

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"keenarc/journal"
	"keenarc/link"
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

func (h *heard) Call(ctx context.Context, q link.Request) (link.Reply, error) {
	h.note(q.Do)
	return h.Rig.Call(ctx, q)
}

func (h *heard) Send(q link.Request) error {
	h.note(q.Do)
	return h.Rig.Send(q)
}

// A floor without the right to drive sees everything and says nothing but who are
// you and let me watch: no lease, no sign of life, no acknowledgement. It may stop.
// With the right it drives, and when that is taken away it stops and watches.
func TestWithoutTheRightItOnlyWatches(t *testing.T) {
	t.Parallel()
	driver := newFloor(t, 5)
	driver.atFirst()
	var wire *heard
	var mu sync.Mutex
	o := &office{away: true}
	w := NewFloor("plank", "Plank", func(ctx context.Context) (link.Rig, error) {
		c, err := driver.dial(ctx)
		if err != nil {
			return nil, err
		}
		mu.Lock()
		defer mu.Unlock()
		wire = &heard{Rig: c}
		return wire, nil
	}, o, quiet)
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- w.Run(ctx) }()
	defer func() { stop(); <-done }()
	see := func(what string, ok func(Snapshot) bool) {
		t.Helper()
		late, cancel := context.WithTimeout(ctx, 20*time.Second)
		defer cancel()
		if err := w.waitFor(late, ok); err != nil {
			t.Fatalf("waited in vain for %s: %+v", what, w.Now())
		}
	}
	said := func() []string {
		mu.Lock()
		defer mu.Unlock()
		return wire.said()
	}
	see("the rig", func(s Snapshot) bool { return s.Connected && s.State.N > 0 })
	if s := w.Now(); s.Driving || !s.State.Homed["track"] {
		t.Errorf("watching: %+v", s)
	}
	h, err := driver.Press(ctx, ann, "", driver.pass, yes)
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
		"home": w.Home(ctx, ann, "", Homing{Times: 1}), "go": w.GoTo(ctx, ann, "", "", nil), "free": w.Free(ctx, ann, "pan", true),
		"roll": second(w.Press(ctx, ann, "", driver.pass, yes)),
	} {
		if !errors.Is(err, ErrWatching) {
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
	driver.until("idle", func(s Snapshot) bool { return s.State.Mode == link.Idle })
	o.set(false)
	see("the right", func(s Snapshot) bool { return s.Driving && s.Connected })
	if err := w.GoTo(ctx, ann, "", "elsewhere", map[string]float64{"track": 900}); err != nil {
		t.Fatalf("with the right: %v", err)
	}
	see("going", func(s Snapshot) bool { return s.State.Mode == link.Moving })
	o.set(true)
	see("watching again", func(s Snapshot) bool { return !s.Driving })
	see("still", func(s Snapshot) bool { return s.State.Mode == link.Idle })
	if x := w.Now().State.Pos["track"]; x > 890 {
		t.Errorf("it went on to %g mm", x)
	}
	if err := w.GoTo(ctx, ann, "", "", nil); !errors.Is(err, ErrWatching) {
		t.Errorf("without the right again: %v", err)
	}
}

func second[T any](_ T, err error) error { return err }

// What a line-up says is told to the rig at once, and with every new lease.
func TestTheRigKeepsToTheLineUp(t *testing.T) {
	t.Parallel()
	f := newFloor(t, 20)
	f.until("the rig", func(s Snapshot) bool { return s.Connected && s.State.N > 0 })
	soft := map[string][2]float64{"track": {50, 1100}}
	if err := f.Limit(context.Background(), soft); err != nil {
		t.Fatal(err)
	}
	f.until("the limits", func(s Snapshot) bool { return s.State.Soft["track"] == soft["track"] })
	f.atFirst()
	if _, err := f.Press(context.Background(), ann, "", f.pass, yes); err == nil || !strings.Contains(err.Error(), "leaves its soft limits") {
		t.Errorf("a path up to 1340 mm: %v", err)
	}
	f.cut()
	f.until("gone", func(s Snapshot) bool { return !s.Connected })
	f.until("back", func(s Snapshot) bool { return s.Connected && s.State.Soft["track"] == soft["track"] })
	if err := f.Limit(context.Background(), map[string][2]float64{"track": {0, 9999}}); err == nil {
		t.Error("limits behind the hard ends: accepted")
	}
}

// Stop reaches every machine, and one that hangs holds up no other.
func TestStopReachesAll(t *testing.T) {
	t.Parallel()
	a, b := newFloor(t, 5), newFloor(t, 5)
	a.atFirst()
	b.atFirst()
	hung := NewFloor("heron", "Heron", nil, &journal.Memory{}, quiet)
	hung.client, hung.epoch, hung.right = silent{}, 1, &desk{}
	go hung.scribe.run(context.Background())
	for _, f := range []*floor{a, b} {
		if err := f.GoTo(context.Background(), ann, "", "", map[string]float64{"track": 1400}); err != nil {
			t.Fatal(err)
		}
		f.until("going", func(s Snapshot) bool { return s.State.Mode == link.Moving })
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	err := Floors{hung, a.Floor, b.Floor}.Stop(ctx, ann)
	if err == nil || !strings.Contains(err.Error(), "Heron") || strings.Contains(err.Error(), "Plank") {
		t.Errorf("one hangs: %v", err)
	}
	for _, f := range []*floor{a, b} {
		f.until("still", func(s Snapshot) bool { return s.State.Mode == link.Idle })
		if x := f.Now().State.Pos["track"]; x > 1390 {
			t.Errorf("it went on to %g mm", x)
		}
	}
	if _, err := (Floors{a.Floor}).Of("wren"); !errors.Is(err, ErrNoRig) {
		t.Errorf("a machine that is not there: %v", err)
	}
}

// silent is a rig that never answers.
type silent struct{ link.Rig }

func (silent) Call(ctx context.Context, _ link.Request) (link.Reply, error) {
	<-ctx.Done()
	return link.Reply{}, ctx.Err()
}
