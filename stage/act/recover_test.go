package act_test

import (
	"bufio"
	"context"
	"errors"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"keenarc/core/clock"
	"keenarc/journal"
	"keenarc/journal/journaltest"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/standin"
	"keenarc/standin/standintest"
)

// world is a stand-in that outlives floors.
type world struct {
	t    *testing.T
	d    *journaltest.Disk
	call func(context.Context) (*link.Client, error)
	kill func()
}

func newWorld(t *testing.T) *world {
	t.Helper()
	door, kill := standintest.Start(t, standin.Options{Rig: plank(), Seed: 3})
	return &world{t, journaltest.NewDisk(), door.Dial, kill}
}

// floor starts a floor on the world's journal and rig; crash ends it as kill -9
// would: the connection is cut and nothing more reaches the journal.
func (w *world) floor(pass *act.Pass) (f *floor, crash func()) {
	dead := make(chan struct{})
	ctx, stop := context.WithCancel(context.Background())
	var mu sync.Mutex
	var last link.Rig
	f = &floor{t: w.t, pass: pass, rig: plank()}
	f.dial = func(ctx context.Context) (link.Rig, error) {
		select {
		case <-dead:
			return nil, errors.New("crashed")
		default:
		}
		c, err := w.call(ctx)
		if err == nil {
			mu.Lock()
			last = c
			mu.Unlock()
		}
		return c, err
	}
	f.put("plank", "Plank", &until{w.d, dead})
	var wg sync.WaitGroup
	wg.Go(func() { f.c.Run(ctx) })
	end := sync.OnceFunc(func() { stop(); wg.Wait() })
	w.t.Cleanup(end)
	return f, func() {
		close(dead)
		mu.Lock()
		if last != nil {
			last.Close()
		}
		mu.Unlock()
		end()
	}
}

// until is a journal that takes nothing more once its process is dead.
type until struct {
	*journaltest.Disk
	dead chan struct{}
}

func (u *until) gone() error {
	select {
	case <-u.dead:
		return errors.New("the process is dead")
	default:
		return nil
	}
}

func (u *until) Rows(ctx context.Context, t *journal.Take, from int, pos []clock.Pos, steps [][]int32) error {
	if err := u.gone(); err != nil {
		return err
	}
	return u.Disk.Rows(ctx, t, from, pos, steps)
}

func (u *until) End(ctx context.Context, t *journal.Take, says journal.Entry) error {
	if err := u.gone(); err != nil {
		return err
	}
	return u.Disk.End(ctx, t, says)
}

func (u *until) Log(ctx context.Context, e journal.Entry) error {
	if err := u.gone(); err != nil {
		return err
	}
	return u.Disk.Log(ctx, e)
}

// rollInto presses and beats until the path is past a frame, and crashes there.
func (w *world) rollInto(f *floor, frame float64, crash func()) string {
	w.t.Helper()
	f.atFirst()
	h, err := f.press(f.pass, yes)
	if err != nil {
		w.t.Fatal(err)
	}
	for f.Now().State.Frame < frame {
		if err := h.Beat(); err != nil {
			w.t.Fatal(err)
		}
		time.Sleep(5 * time.Millisecond)
	}
	crash()
	return h.Take().ID
}

func (w *world) ended(id string) journal.Take {
	w.t.Helper()
	for late := time.Now().Add(2 * time.Minute); ; time.Sleep(10 * time.Millisecond) {
		if k := w.d.Take(id); k.Ended {
			return k
		}
		if time.Now().After(late) {
			w.t.Fatal("the take is never ended")
		}
	}
}

// Killed in mid-roll and started again, with a rig that was on all the time: the
// rest of the trace is fetched, the take is closed where it ended, the log says so.
func TestCrashInMidRoll(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		w := newWorld(t)
		f, crash := w.floor(newFloor(t).pass)
		id := w.rollInto(f, 90, crash)
		before := w.d.Take(id)
		if before.Ended || before.Trace.Unbroken() < 1000 || before.Rows != 0 {
			t.Fatalf("before the restart: ended %v, %d rows", before.Ended, before.Trace.Unbroken())
		}
		g, _ := w.floor(f.pass)
		k := w.ended(id)
		if !k.Broken || !strings.Contains(k.Why, "connection was lost") || k.Rows != len(k.Trace.Pos) ||
			!k.Trace.Whole() || k.Rows <= before.Trace.Unbroken() {
			t.Errorf("broken %v (%s), %d rows of %d, %d before", k.Broken, k.Why, len(k.Trace.Pos), k.Rows,
				before.Trace.Unbroken())
		}
		if last := k.Trace.Pos[k.Rows-1].Frame(); last != k.Frame {
			t.Errorf("its last row is at %g, its end at %g", last, k.Frame)
		}
		g.until("idle", func(s machine.Snapshot) bool { return s.Connected && idle(s) })
		if log := w.d.Text(); !strings.Contains(log, "take 1 broken off at frame") || !strings.Contains(log,
			"The rig still had the rest") {
			t.Errorf("the log does not say so:\n%s", log)
		}
		w.forgets(id)
		if err := g.Home(act.Homing{Times: 1}); err != nil {
			t.Errorf("the restarted floor does not drive the rig: %v", err)
		}
	})
}

// forgets waits until the rig has let go of a take: it is acknowledged.
func (w *world) forgets(id string) {
	t := w.t
	t.Helper()
	c, err := w.call(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	for late := time.Now().Add(time.Minute); ; time.Sleep(10 * time.Millisecond) {
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		_, err := link.Ask(ctx, c, link.SendTrace{Take: id})
		cancel()
		if err != nil {
			return
		}
		if time.Now().After(late) {
			t.Fatal("the rig still keeps the take")
		}
	}
}

// The rig was off, too: the take is closed at the frame of its last stored row.
func TestCrashWithTheRig(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		w := newWorld(t)
		f, crash := w.floor(newFloor(t).pass)
		id := w.rollInto(f, 90, crash)
		w.kill()
		before := w.d.Take(id)
		_, end := w.floor(f.pass)
		defer end()
		k := w.ended(id)
		n := before.Trace.Unbroken()
		if !k.Broken || k.Rows != n || k.Frame != before.Trace.Pos[n-1].Frame() || !strings.Contains(k.Why,
			"application was stopped") {
			t.Errorf("broken %v (%s), %d rows at %g; %d rows to %g were stored", k.Broken, k.Why, k.Rows, k.Frame, n,
				before.Trace.Pos[n-1].Frame())
		}
	})
}

// Closed without the rig, which comes back later and still has the rest.
func TestTheRestIsFetchedLater(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		w := newWorld(t)
		f, crash := w.floor(newFloor(t).pass)
		id := w.rollInto(f, 90, crash)
		before := w.d.Take(id)
		short := w.d.Begun(id)
		short.Ended, short.Broken, short.Why, short.Rows, short.LastBeat = true, true,
			"the application was stopped in mid-take", before.Trace.Unbroken(), -1
		w.floor(f.pass)
		late := time.Now().Add(2 * time.Minute)
		for ; w.d.Take(id).Rows <= before.Trace.Unbroken(); time.Sleep(10 * time.Millisecond) {
			if time.Now().After(late) {
				t.Fatal("the rest is never fetched")
			}
		}
		if k := w.d.Take(id); !k.Trace.Whole() || k.Rows != len(k.Trace.Pos) || !strings.Contains(k.Why,
			"connection was lost") {
			t.Errorf("%d rows of %d, %s", len(k.Trace.Pos), k.Rows, k.Why)
		}
		w.forgets(id)
	})
}

// A stretch that could not be stored, in the middle or at the end, is not acknowledged by what
// follows: the rig keeps it. It is fetched a little later, or with the next connection.
func TestAFailedStretchStaysWithTheRig(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		w := newWorld(t)
		f, crash := w.floor(newFloor(t).pass)
		f.atFirst()
		whole, err := f.rollHeld(f.pass)
		if err != nil {
			t.Fatal(err)
		}
		last := (whole.Rows - 1) / 1000 * 1000
		for _, at := range []int{2000, last} {
			f.atFirst()
			w.d.FailAt(at)
			take, err := f.rollHeld(f.pass)
			if err != nil {
				t.Fatal(err)
			}
			k := w.d.Take(take.ID)
			if k.Trace.Unbroken() != at || len(k.Trace.Pos) == take.Rows {
				t.Fatalf("gaps %v, %d rows of %d", k.Trace.Gaps, k.Trace.Unbroken(), take.Rows)
			}
			if at == 2000 { // the other one without a new connection
				crash()
				f, _ = w.floor(f.pass)
			}
			for late := time.Now().Add(2 * time.Minute); ; time.Sleep(10 * time.Millisecond) {
				k := w.d.Take(take.ID)
				if k.Trace.Whole() && len(k.Trace.Pos) == take.Rows {
					if !reflect.DeepEqual(k.Trace.Pos, take.Trace.Pos) || !reflect.DeepEqual(k.Trace.Steps,
						take.Trace.Steps) {
						t.Error("what was fetched is not what was rolled")
					}
					break
				}
				if time.Now().After(late) {
					t.Fatalf("from row %d on the hole stays: gaps %v, %d rows", at, k.Trace.Gaps, len(k.Trace.Pos))
				}
			}
			w.forgets(take.ID)
		}
	})
}

// A floor that knows nothing of a take leaves it with the rig.
func TestUnknownTakesAreLeft(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		w := newWorld(t)
		f, crash := w.floor(newFloor(t).pass)
		id := w.rollInto(f, 60, crash)
		other := &world{t, journaltest.NewDisk(), w.call, w.kill}
		g, stop := other.floor(f.pass)
		g.until("idle", func(s machine.Snapshot) bool {
			return s.Connected && s.State.N > 20 && s.State.Mode == link.Idle
		})
		stop()
		w.floor(f.pass)
		if k := w.ended(id); !k.Trace.Whole() || k.Rows != len(k.Trace.Pos) || !strings.Contains(k.Why,
			"connection was lost") {
			t.Errorf("after another server had looked at it: %d rows of %d, %s", len(k.Trace.Pos), k.Rows, k.Why)
		}
	})
}

// A rig that hangs does not hang the end of the application.
func TestAHangingRigDoesNotHoldUpTheEnd(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		door := standintest.NewDoor()
		defer door.Close()
		go func() { // answers the first three requests and then nothing any more
			c, err := door.Accept()
			if err != nil {
				return
			}
			in := bufio.NewScanner(c)
			for _, say := range []string{`{"re":1,"ok":true,"version":3,"boot":"b","rig":{"id":"plank"}}`,
				`{"re":2,"ok":true}` + "\n" + `{"state":{"n":1,"mode":"idle","boot":"b","epoch":1,"axes":{}}}`,
				`{"re":3,"ok":true,"epoch":2}`} {
				if !in.Scan() {
					return
				}
				_, _ = c.Write([]byte(say + "\n"))
			}
		}()
		f := machine.New("plank", "Plank", func(ctx context.Context) (link.Rig, error) {
			return door.Dial(ctx)
		}, &journal.Memory{}, quiet)
		ctx, stop := context.WithCancel(context.Background())
		ended := make(chan error, 1)
		go func() { ended <- f.Run(ctx) }()
		for !f.Now().Leased {
			time.Sleep(time.Millisecond)
		}
		stop()
		select {
		case <-ended:
		case <-time.After(4 * time.Second):
			t.Fatal("the floor does not end while its rig hangs")
		}
	})
}

// A failed press leaves nothing armed, so that another table can be loaded.
func TestNothingStaysArmedBehindAnError(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		bad := *f.pass
		bad.BrakeS = 0.1
		if _, err := f.press(&bad, yes); err == nil || !strings.Contains(err.Error(), "rated acceleration") {
			t.Errorf("a braking that the rig cannot do is taken: %v", err)
		}
		f.journal.Refuse = errors.New("no journal today")
		if _, err := f.press(f.pass, yes); err == nil {
			t.Error("a take that cannot be begun rolls")
		}
		f.journal.Refuse = nil
		f.until("idle", idle)
		if f.busy() {
			t.Error("the machine is still claimed")
		}
		if _, err := f.rollHeld(f.pass); err != nil {
			t.Error(err)
		}
	})
}
