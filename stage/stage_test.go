package stage

import (
	"bytes"
	"context"
	"errors"
	"io"
	"log/slog"
	"net"
	"strings"
	"sync"
	"testing"
	"time"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/standin"
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

func firstPose(p *Pass) map[string]float64 {
	to, _ := PoseAt(p.Table, p.Machine, p.Table.Start())
	return to
}

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// floor is a floor with a stand-in twenty times as fast as real, and a path.
type floor struct {
	*Floor
	t       *testing.T
	journal *journal.Memory
	pass    *Pass
	rig     *rig.Rig
	cut     func() // cuts the connection, which comes back by itself
	kill    func() // ends the stand-in for good
}

func newFloor(t *testing.T, pace int) *floor {
	t.Helper()
	r := whole(t)
	s, err := standin.Listen(standin.Options{Rig: plank(), Seed: 3, Pace: pace}, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	rigCtx, kill := context.WithCancel(ctx)
	var wg sync.WaitGroup
	wg.Go(func() { _ = s.Run(rigCtx) })
	f := &floor{t: t, journal: &journal.Memory{}, rig: r, kill: kill}
	var mu sync.Mutex
	var last link.Rig
	f.Floor = NewFloor("plank", "Plank", func(ctx context.Context) (link.Rig, error) {
		c, err := link.Dial(ctx, s.Addr())
		if err != nil {
			return nil, err
		}
		mu.Lock()
		last = c
		mu.Unlock()
		return c, nil
	}, f.journal, quiet)
	f.cut = func() { mu.Lock(); defer mu.Unlock(); last.Close() }
	wg.Go(func() { _ = f.Run(ctx) })
	t.Cleanup(func() { stop(); wg.Wait() })
	p, err := exchange.PlanFromKeys(bytes.NewReader(examples.HarbourApproach), r, examples.Camera(), clock.Rate{Num: 24, Den: 1}, curve.Smooth)
	if err != nil {
		t.Fatal(err)
	}
	table, err := seal.Make(p, examples.Plank())
	if err != nil {
		t.Fatal(err)
	}
	m, _ := path.Compile(p, r)
	b, _ := limit.Brake(m, r, 24)
	f.pass = &Pass{ID: "p", Name: "Keeper", Number: 1, Machine: "plank", Table: table, Clock: clock.Times(clock.Rate{Num: 1, Den: 1}), BrakeS: b.Seconds}
	return f
}

func (f *floor) until(what string, ok func(Snapshot) bool) {
	f.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	if err := f.waitFor(ctx, ok); err != nil {
		f.t.Fatalf("waited in vain for %s: the rig is %s", what, f.Now().State.Mode)
	}
}

func (f *floor) atFirst() {
	f.t.Helper()
	f.until("the rig", func(s Snapshot) bool { return s.Connected && s.State.N > 0 })
	if !f.Now().State.Homed["track"] {
		if err := f.Home(context.Background(), ann, "", Homing{Times: 1}); err != nil {
			f.t.Fatal(err)
		}
		f.until("homing", func(s Snapshot) bool { return s.State.Homed["track"] && s.State.Mode == link.Idle })
	}
	if err := f.GoTo(context.Background(), ann, "", "to first", firstPose(f.pass)); err != nil {
		f.t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	if err := f.WaitIdle(ctx); err != nil {
		f.t.Fatal(err)
	}
}

func yes() bool { return true }

func TestRollAndJudge(t *testing.T) {
	t.Parallel()
	f := newFloor(t, 20)
	var takes []*journal.Take
	for range 2 {
		f.atFirst()
		take, err := f.rollHeld(context.Background(), ann, f.pass)
		if err != nil {
			t.Fatal(err)
		}
		if take.Broken || take.Rows != 10001+int(plank().LagMS) || take.By != ann || take.Machine != "plank" || take.Number != len(takes)+1 {
			t.Fatalf("take: broken %v (%s), %d rows, by %s, number %d", take.Broken, take.Why, take.Rows, take.By.Name, take.Number)
		}
		takes = append(takes, take)
	}
	j, err := NewJudge(f.rig, examples.Camera(), examples.Harbour(), f.pass.Table, trace.ThresholdPx)
	if err != nil {
		t.Fatal(err)
	}
	v, err := j.Take(takes[1], takes[0])
	if err != nil {
		t.Fatal(err)
	}
	if v.Verdict.Word != trace.Stacks || v.Verdict.WorstPx <= 0 || v.Verdict.Missing != 0 {
		t.Errorf("two clean takes: %s, %g px, %d missing", v.Verdict.Word, v.Verdict.WorstPx, v.Verdict.Missing)
	}
	if q := j.QuantisationPx(); q <= 0 || q > 1e-3 {
		t.Errorf("quantisation moves the picture by %g px", q)
	}
	log := f.journal.Text()
	for _, want := range []string{"Plank: homing started on all axes.", "Rolled pass 1 · Keeper, take 2", "Plank: all axes homed.", "Pass 1 · Keeper, take 2 finished: 10009 samples."} {
		if !strings.Contains(log, want) {
			t.Errorf("the log does not say %q:\n%s", want, log)
		}
	}
}

// The wire is cut in mid-roll and comes back: the rig has stopped on its path,
// and every row that it kept arrives.
func TestConnectionLostAndBack(t *testing.T) {
	t.Parallel()
	f := newFloor(t, 5)
	f.atFirst()
	h, err := f.Press(context.Background(), ann, "", f.pass, yes)
	if err != nil {
		t.Fatal(err)
	}
	beat := time.NewTicker(20 * time.Millisecond)
	defer beat.Stop()
	cut := false
	for done := false; !done; {
		select {
		case <-beat.C:
			_ = h.Beat()
			if !cut && f.Now().State.Frame > 60 {
				f.cut()
				cut = true
			}
		case <-h.Done():
			done = true
		case <-time.After(20 * time.Second):
			t.Fatal("the take never ended")
		}
	}
	k := h.Take()
	if !k.Broken || !strings.Contains(k.Why, "connection was lost") || k.Rows != len(k.Trace.Pos) || k.Trace.Pos[k.Rows-1].Frame() != k.Frame {
		t.Errorf("kept: broken %v, why %q, %d rows of %d, frame %g", k.Broken, k.Why, len(k.Trace.Pos), k.Rows, k.Frame)
	}
	for i := 1; i < len(k.Trace.Pos); i++ {
		if k.Trace.Pos[i] < k.Trace.Pos[i-1] {
			t.Fatalf("row %d goes back", i)
		}
	}
}

func TestRigGoneForGood(t *testing.T) {
	t.Parallel()
	f := newFloor(t, 5)
	f.atFirst()
	h, err := f.Press(context.Background(), ann, "", f.pass, yes)
	if err != nil {
		t.Fatal(err)
	}
	for f.Now().State.Frame < 40 {
		_ = h.Beat()
		time.Sleep(10 * time.Millisecond)
	}
	f.kill()
	select {
	case <-h.Done():
	case <-time.After(10 * time.Second):
		t.Fatal("the take never ended")
	}
	if k := h.Take(); !k.Broken || k.Why != "the rig was lost" || k.Frame < 30 {
		t.Errorf("%+v", k)
	}
	if s := f.Now(); s.Connected {
		t.Error("the floor still sees a rig")
	}
}

func TestPressIsRefused(t *testing.T) {
	f := newFloor(t, 20)
	f.until("the rig", func(s Snapshot) bool { return s.Connected })
	if _, err := f.Press(context.Background(), ann, "", f.pass, yes); err == nil || !strings.Contains(err.Error(), "not homed") {
		t.Errorf("rolls without homing: %v", err)
	}
	f.atFirst()
	if _, err := f.Press(context.Background(), ann, "", f.pass, func() bool { return false }); err == nil || !strings.Contains(err.Error(), "let go") {
		t.Errorf("rolls though let go: %v", err)
	}
	f.until("idle", func(s Snapshot) bool { return s.State.Mode == link.Idle })
	h, err := f.Press(context.Background(), ann, "", f.pass, yes)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.Press(context.Background(), ann, "", f.pass, yes); !errors.Is(err, ErrBusy) {
		t.Errorf("two hold at once: %v", err)
	}
	h.Release()
	<-h.Done()
	if k := h.Take(); !k.Broken || !strings.Contains(k.Why, "let go") {
		t.Errorf("%+v", k)
	}
}

func TestReadinessNamesTheFirstThing(t *testing.T) {
	f := newFloor(t, 20)
	r := whole(t)
	all := map[string]bool{}
	pose := func(frame int) map[string]float64 {
		own, _ := PoseAt(f.pass.Table, "plank", frame)
		out := map[string]float64{}
		under(out, "plank/", own)
		return out
	}
	pos, past := pose(0), pose(86)
	for _, a := range r.Axes {
		all[a.ID] = true
	}
	good := Desk{Machines: examples.Plank(), Rig: r, Keyed: true, Sealed: true, Table: f.pass.Table, PassName: "pass 1 · Keeper"}
	at := func(mode string, pos map[string]float64, homed map[string]bool) Snapshot {
		return Snapshot{Connected: true, Driving: true, State: link.State{Mode: mode, Homed: homed, Pos: pos, Asked: pos}}
	}
	with := func(change func(*link.State)) Snapshot {
		s := at(link.Idle, pos, all)
		change(&s.State)
		return s
	}
	snap := at(link.Idle, pos, all)
	onWay, between, elsewhere := at(link.Idle, past, all), at(link.Idle, past, all), at(link.Idle, map[string]float64{"plank/track": 500, "plank/pan": 24, "plank/tilt": -3, "plank/focus": pos["plank/focus"]}, all)
	onWay.State.Frame, between.State.Frame = 86, 86.97
	watching := snap
	watching.Driving = false
	limited, late := good, good
	limited.LineUp, late.Begin = "Track leaves its soft limits 20 to 1200 mm at frame 0200.", 240
	for name, c := range map[string]struct {
		s    Snapshot
		d    *Desk
		key  string
		want string
	}{
		"ready":       {snap, &good, "", "Ready to roll pass 1 · Keeper."},
		"no shot":     {snap, nil, "", "no shot is open"},
		"empty":       {snap, &Desk{Rig: r}, "K", "sheet is empty"},
		"limits":      {snap, &Desk{Rig: r, Keyed: true, Limits: "Pan runs 5% over its speed."}, "P", "Pan runs 5% over its speed. Press P"},
		"not sealed":  {snap, &Desk{Rig: r, Keyed: true}, "S", "not sealed"},
		"line-up":     {snap, &limited, "2", "Track leaves its soft limits 20 to 1200 mm at frame 0200. Line up again"},
		"not seen":    {Snapshot{}, &good, "1", "Plank is not seen"},
		"watching":    {watching, &good, "", "another copy of Keen Arc drives Plank; this one only watches"},
		"stop":        {with(func(s *link.State) { s.EStop, s.Free = true, all }), &good, "2", "the emergency stop of Plank is pressed. Release it"},
		"fault":       {with(func(s *link.State) { s.Faults = map[string]string{"plank/pan": "over current"} }), &good, "2", "Pan has a drive fault: over current"},
		"hard end":    {with(func(s *link.State) { s.Ends = map[string]string{"plank/track": "high"} }), &good, "2", "Track stands at its hard end"},
		"free":        {with(func(s *link.State) { s.Free = map[string]bool{"plank/tilt": true} }), &good, "2", "Tilt is free"},
		"lost steps":  {with(func(s *link.State) { s.Pos = pose(0); s.Pos["plank/track"] += 0.9 }), &good, "2", "Track stands 0.90 mm from where it was sent"},
		"not homed":   {at(link.Idle, pos, nil), &good, "2", "Track is not homed. Press 2"},
		"past first":  {onWay, &good, "F", "86 frames past first. Press F"},
		"between":     {between, &good, "F", "86 frames past first. Press F"},
		"elsewhere":   {elsewhere, &good, "F", "Track is 380.0 mm from frame 0000"},
		"begins late": {snap, &late, "F", "240 frames before last. Press F"},
		"moving":      {at(link.Moving, past, all), &good, "Esc", "Plank is moving"},
		"no pass":     {snap, &Desk{Rig: r, Keyed: true, Sealed: true, Table: f.pass.Table}, "5", "no pass"},
	} {
		got := Readiness(c.s, c.d)
		if !strings.Contains(got.Sentence, c.want) || got.Key != c.key || got.OK != (name == "ready") {
			t.Errorf("%s: %q (%s), want %q (%s)", name, got.Sentence, got.Key, c.want, c.key)
		}
		on := map[string]bool{"ready": true, "past first": true, "between": true, "no pass": true, "elsewhere": false, "not seen": false, "not homed": false}
		if want, ok := on[name]; ok && got.OnPath != want {
			t.Errorf("%s: on the path is %v", name, got.OnPath)
		}
	}
}

// The machines of a shot are one: under their names there, connected when all are.
func TestGather(t *testing.T) {
	ms := []rig.Placed{{Name: "a", Rig: &rig.Rig{ID: "plank", Name: "Plank"}}, {Name: "b", Rig: &rig.Rig{ID: "wren", Name: "Wren"}}}
	one := Snapshot{Machine: "plank", Name: "Plank", Connected: true, Driving: true, State: link.State{Mode: link.Idle, Frame: 3, Pos: map[string]float64{"pan": 1}, Homed: map[string]bool{"pan": true}}}
	two := Snapshot{Machine: "wren", Name: "Wren", Connected: true, Driving: true, State: link.State{Mode: link.Rolling, Frame: 9, Pos: map[string]float64{"pan": 2}, EStop: true}}
	got := Gather(ms, []Snapshot{two, one, {Machine: "heron"}})
	if !got.Connected || !got.Driving || got.State.Pos["a/pan"] != 1 || got.State.Pos["b/pan"] != 2 || !got.State.Homed["a/pan"] || got.State.Mode != link.Rolling || got.State.Frame != 9 || !got.State.EStop || got.Name != "Plank" {
		t.Errorf("%+v", got)
	}
	two.Driving = false
	if got = Gather(ms, []Snapshot{one, two}); got.Driving || !got.Connected {
		t.Errorf("one is driven elsewhere: %+v", got)
	}
	if got = Gather(ms, []Snapshot{one}); got.Connected || got.Why == "" || got.State.Pos["a/pan"] != 1 {
		t.Errorf("one is not there: %+v", got)
	}
}

// Every kind of request that moves something needs the lease's own epoch.
func TestLeaseIsCheckedByTheRig(t *testing.T) {
	f := newFloor(t, 20)
	f.until("the rig", func(s Snapshot) bool { return s.Connected })
	c, epoch, err := f.rigNow()
	if err != nil {
		t.Fatal(err)
	}
	for _, do := range []string{"home", "goto", "jog", "load", "arm", "roll"} {
		if _, err := c.Call(context.Background(), link.Request{Do: do, Epoch: epoch + 1, Axis: "track"}); err == nil {
			t.Errorf("%s is carried out for another epoch", do)
		}
	}
	if _, err := c.Call(context.Background(), link.Request{Do: "stop"}); err != nil {
		t.Errorf("stop needs a lease: %v", err)
	}
	if _, err := c.Call(context.Background(), link.Request{Do: "dance"}); err == nil || !strings.Contains(err.Error(), "no request") {
		t.Errorf("an unknown request: %v", err)
	}
}

// What is not the protocol gets an answer and does no harm.
func TestRubbishOnTheWire(t *testing.T) {
	f := newFloor(t, 20)
	f.until("the rig", func(s Snapshot) bool { return s.Connected })
	c, err := f.dial(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	addr := c.(*link.Client).Addr()
	c.Close()
	conn, err := net.Dial("tcp", addr)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	if _, err := conn.Write([]byte("GET / HTTP/1.1\n{\"do\":7}\n{\"id\":9,\"do\":\"load\",\"table\":\"!!\"}\n")); err != nil {
		t.Fatal(err)
	}
	buf := make([]byte, 4096)
	_ = conn.SetReadDeadline(time.Now().Add(5 * time.Second))
	got := ""
	for strings.Count(got, "\n") < 3 {
		n, err := conn.Read(buf)
		if err != nil {
			t.Fatalf("after %q: %v", got, err)
		}
		got += string(buf[:n])
	}
	if strings.Contains(got, `"ok":true`) || !strings.Contains(got, "not JSON") {
		t.Errorf("answers %q", got)
	}
}
