package act_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/examples"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
)

func TestRollAndJudge(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		var takes []*journal.Take
		for range 2 {
			f.atFirst()
			take, err := f.rollHeld(f.pass)
			if err != nil {
				t.Fatal(err)
			}
			if take.Broken || take.Rows != 10001+int(plank().LagMS) || take.By != ann || take.Machine != "plank" ||
				take.Number != len(takes)+1 {
				t.Fatalf("take: broken %v (%s), %d rows, by %s, number %d", take.Broken, take.Why, take.Rows,
					take.By.Name, take.Number)
			}
			takes = append(takes, take)
		}
		j, err := stage.NewJudge(f.rig, examples.Camera(), examples.Harbour(), f.pass.Table, trace.ThresholdPx)
		if err != nil {
			t.Fatal(err)
		}
		v, err := j.Take(t.Context(), takes[1], takes[0])
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
		for _, want := range []string{"Plank: homing started on all axes.", "Rolled pass 1 · Keeper, take 2",
			"Plank: all axes homed.", "Pass 1 · Keeper, take 2 finished: 10009 samples, on a clock of ×1."} {
			if !strings.Contains(log, want) {
				t.Errorf("the log does not say %q:\n%s", want, log)
			}
		}
	})
}

// The wire is cut in mid-roll and comes back: the rig has stopped on its path,
// and every row that it kept arrives.
func TestConnectionLostAndBack(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		h, err := f.press(f.pass, yes)
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
			case <-time.After(2 * time.Minute):
				t.Fatal("the take never ended")
			}
		}
		k := h.Take()
		if !k.Broken || !strings.Contains(k.Why, "connection was lost") || k.Rows != len(k.Trace.Pos) ||
			k.Trace.Pos[k.Rows-1].Frame() != k.Frame {
			t.Errorf("kept: broken %v, why %q, %d rows of %d, frame %g", k.Broken, k.Why, len(k.Trace.Pos), k.Rows,
				k.Frame)
		}
		for i := 1; i < len(k.Trace.Pos); i++ {
			if k.Trace.Pos[i] < k.Trace.Pos[i-1] {
				t.Fatalf("row %d goes back", i)
			}
		}
	})
}

func TestRigGoneForGood(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.atFirst()
		h, err := f.press(f.pass, yes)
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
		case <-time.After(time.Minute):
			t.Fatal("the take never ended")
		}
		if k := h.Take(); !k.Broken || k.Why != "the rig was lost" || k.Frame < 30 {
			t.Errorf("%+v", k)
		}
		if s := f.Now(); s.Connected {
			t.Error("the floor still sees a rig")
		}
	})
}

func TestPressIsRefused(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		if _, err := f.press(f.pass, yes); err == nil || !strings.Contains(err.Error(), "not homed") {
			t.Errorf("rolls without homing: %v", err)
		}
		f.atFirst()
		no := func() bool { return false }
		if _, err := f.press(f.pass, no); err == nil || !strings.Contains(err.Error(), "let go") {
			t.Errorf("rolls though let go: %v", err)
		}
		f.until("idle", idle)
		h, err := f.press(f.pass, yes)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := f.press(f.pass, yes); !errors.As(err, new(*machine.BusyError)) {
			t.Errorf("two hold at once: %v", err)
		}
		h.Release()
		<-h.Done()
		if k := h.Take(); !k.Broken || !strings.Contains(k.Why, "let go") {
			t.Errorf("%+v", k)
		}
	})
}

// Readiness names the first thing that is not so, in the order of the day: what is wrong with
// the machine before all else, then whether it is there, homed, balanced, in limits, sealed,
// at its place.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestReadinessNamesTheFirstThing(t *testing.T) {
	r, p := whole(t), pass(t)
	pose := func(frame int) map[string]link.AxisState {
		own, _ := ready.PoseAt(p.Table, "plank", frame)
		out := map[string]link.AxisState{}
		for id, v := range own {
			out["plank/"+id] = link.AxisState{Pos: v, Asked: v, Homed: true}
		}
		return out
	}
	with := func(mode string, frame int, change func(*link.State)) machine.Snapshot {
		s := machine.Snapshot{Connected: true, Driving: true, Leased: true,
			State: link.State{Mode: mode, Axes: pose(frame)}}
		if change != nil {
			change(&s.State)
		}
		return s
	}
	axis := func(id string, change func(*link.AxisState)) func(*link.State) {
		return func(s *link.State) {
			a := s.Axes["plank/"+id]
			change(&a)
			s.Axes["plank/"+id] = a
		}
	}
	all := func(change func(*link.AxisState)) func(*link.State) {
		return func(s *link.State) {
			for id, a := range s.Axes {
				change(&a)
				s.Axes[id] = a
			}
		}
	}
	at := func(frame float64, id string, v float64) func(*link.State) {
		return func(s *link.State) {
			s.Frame = frame
			if id != "" {
				axis(id, func(a *link.AxisState) { a.Pos, a.Asked = v, v })(s)
			}
		}
	}
	good := ready.Desk{Machines: examples.Plank(), Rig: r, Keyed: true, Sealed: true, Table: p.Table, Print: p.Print,
		PassName: "pass 1 · Keeper"}
	snap := with(link.Idle, 0, nil)
	watching, foreign, old, loading, gone := snap, snap, snap, snap, machine.Snapshot{}
	watching.Driving = false
	foreign.Leased = false
	old.Old = true
	loading.Loading = &machine.Loading{Print: p.Print, Left: 4.2}
	limited, late, unbalanced := good, good, good
	limited.LineUp, late.Begin = "Track leaves its soft limits 20 to 1200 mm at frame 0200.", 240
	unbalanced.Balance = &ready.Balanced{Says: "Nobody has balanced this camera on Plank."}
	for name, c := range map[string]struct {
		s    machine.Snapshot
		d    *ready.Desk
		key  string
		want string
	}{
		"ready":   {snap, &good, "", "Ready to roll pass 1 · Keeper."},
		"no shot": {snap, nil, "", "no shot is open"},
		"empty":   {snap, &ready.Desk{Rig: r}, "K", "sheet is empty"},
		"limits": {snap, &ready.Desk{Rig: r, Keyed: true, Limits: "Pan runs 5% over its speed."}, "P",
			"Pan runs 5% over its speed. Press P"},
		"not sealed": {snap, &ready.Desk{Rig: r, Keyed: true}, "S", "not sealed"},
		"line-up":    {snap, &limited, "2", "Track leaves its soft limits 20 to 1200 mm at frame 0200. Line up again"},
		"unbalanced": {snap, &unbalanced, "1", "Nobody has balanced this camera on Plank. Press 1"},
		"not seen":   {gone, &good, "1", "Plank is not seen"},
		"watching":   {watching, &good, "", "another copy of Keen Arc drives Plank; this one only watches"},
		"foreign":    {foreign, &good, "", "another program has taken the lease of Plank"},
		"old":        {old, &good, "", "speaks version 2 of the rig link"},
		"loading":    {loading, &good, "", "being loaded into Plank, 4 s"},
		"stop": {with(link.Idle, 0, func(s *link.State) {
			s.EStop = true
			all(func(a *link.AxisState) { a.Free = true })(s)
		}), &good, "2", "the emergency stop of Plank is pressed. Release it"},
		"fault": {with(link.Idle, 0, axis("pan", func(a *link.AxisState) { a.Fault = "over current" })), &good,
			"2", "Pan has a drive fault: over current"},
		"hard end": {with(link.Idle, 0, axis("track", func(a *link.AxisState) { a.End = "high" })), &good, "2",
			"Track stands at its hard end"},
		"free": {with(link.Idle, 0, axis("tilt", func(a *link.AxisState) { a.Free = true })), &good, "2",
			"Tilt is free"},
		"suspended": {with(link.Idle, 0, axis("tilt", func(a *link.AxisState) { a.SuspendedMS = 900 })), &good, "2",
			"soft limits of Tilt are off"},
		"lost steps": {with(link.Idle, 0, axis("track", func(a *link.AxisState) { a.Pos += 0.9 })), &good, "2",
			"Track stands 0.90 mm from where it was sent"},
		"not homed": {with(link.Idle, 0, all(func(a *link.AxisState) { a.Homed = false })), &good, "2",
			"Track is not homed. Press 2"},
		"check pose": {with(link.Idle, 0, axis("track", func(a *link.AxisState) {
			a.Homed, a.Waits = false, link.WaitsCheck
		})), &good, "2", "Track is at its check pose"},
		"past first":  {with(link.Idle, 86, at(86, "", 0)), &good, "F", "86 frames past first. Press F"},
		"between":     {with(link.Idle, 86, at(86.97, "", 0)), &good, "F", "86 frames past first. Press F"},
		"elsewhere":   {with(link.Idle, 0, at(0, "track", 500)), &good, "F", "Track is 380.0 mm from frame 0000"},
		"begins late": {snap, &late, "F", "240 frames before last. Press F"},
		"moving":      {with(link.Moving, 86, nil), &good, "Esc", "Plank is moving"},
		"no pass":     {snap, &ready.Desk{Rig: r, Keyed: true, Sealed: true, Table: p.Table}, "5", "no pass"},
		// A fault comes before everything, and the machine before the plan.
		"fault first": {with(link.Idle, 0, axis("pan", func(a *link.AxisState) {
			a.Fault, a.Homed = "over current", false
		})), &ready.Desk{Rig: r}, "2", "Pan has a drive fault"},
		"homed first": {with(link.Idle, 0, all(func(a *link.AxisState) { a.Homed = false })), &unbalanced, "2",
			"Track is not homed"},
		"balanced first": {snap, &ready.Desk{Rig: r, Balance: unbalanced.Balance}, "1", "Nobody has balanced"},
		"limits first":   {snap, &ready.Desk{Rig: r, Keyed: true, Limits: "Pan runs over."}, "P", "Pan runs over."},
	} {
		got := ready.ToRoll(c.s, c.d)
		if !strings.Contains(got.Sentence, c.want) || got.Key != c.key || got.OK != (name == "ready") {
			t.Errorf("%s: %q (%s), want %q (%s)", name, got.Sentence, got.Key, c.want, c.key)
		}
		// The same sentence without the strip, as a press asks for it.
		if c.d != nil {
			if not := ready.Broken(c.s, c.d); not != got.Sentence && !got.OK || (not == "") != got.OK {
				t.Errorf("%s: a press is told %q", name, not)
			}
		}
		on := map[string]bool{"ready": true, "past first": true, "between": true, "no pass": true, "elsewhere": false,
			"not seen": false, "not homed": false}
		if want, ok := on[name]; ok && got.OnPath != want {
			t.Errorf("%s: on the path is %v", name, got.OnPath)
		}
	}
	// Where an axis is under way its feedback is behind: that is no step lost.
	off := axis("track", func(a *link.AxisState) { a.Pos += 5 })
	for mode, want := range map[string]bool{link.Idle: true, link.Armed: true, link.Moving: false, link.Rolling: false,
		link.Homing: false} {
		strip := ready.ToRoll(with(mode, 0, off), &good)
		if got := slices.ContainsFunc(strip.Checks, func(c ready.Check) bool {
			return c.Name == "in place"
		}); got != want {
			t.Errorf("%s, off by 5 mm: lost steps are spoken of: %v", mode, got)
		}
	}
}

// The machines of a shot are one: under their names there, connected when all are.
func TestGather(t *testing.T) {
	ms := []rig.Placed{{Name: "a", Rig: &rig.Rig{ID: "plank", Name: "Plank"}},
		{Name: "b", Rig: &rig.Rig{ID: "wren", Name: "Wren"}}}
	at := func(v float64, homed bool) map[string]link.AxisState {
		return map[string]link.AxisState{"pan": {Pos: v, Homed: homed}}
	}
	one := machine.Snapshot{Machine: "plank", Name: "Plank", Connected: true, Driving: true, Leased: true,
		State: link.State{Mode: link.Idle, Frame: 3, Axes: at(1, true)}}
	two := machine.Snapshot{Machine: "wren", Name: "Wren", Connected: true, Driving: true, Leased: true,
		State: link.State{Mode: link.Rolling, Frame: 9, Axes: at(2, false), EStop: true, Who: "ann", Press: "p"}}
	got := machine.Gather(ms, []machine.Snapshot{two, one, {Machine: "heron"}})
	if !got.Connected || !got.Driving || got.State.Pos("a/pan") != 1 || got.State.Pos("b/pan") != 2 ||
		!got.State.Homed("a/pan") || got.State.Homed("b/pan") || got.State.Mode != link.Rolling ||
		got.State.Frame != 9 || !got.State.EStop || got.Name != "Plank" || got.State.Who != "ann" ||
		got.State.Press != "p" {
		t.Errorf("%+v", got)
	}
	if len(one.State.Axes) != 1 {
		t.Error("what was gathered is the machine's own map")
	}
	two.Driving, two.Leased = false, false
	if got = machine.Gather(ms, []machine.Snapshot{one, two}); got.Driving || got.Leased || !got.Connected {
		t.Errorf("one is driven elsewhere: %+v", got)
	}
	if got = machine.Gather(ms, []machine.Snapshot{one}); got.Connected || got.Why == "" ||
		got.State.Pos("a/pan") != 1 {
		t.Errorf("one is not there: %+v", got)
	}
}

// Every kind of request that moves something needs the lease's own epoch.
func TestLeaseIsCheckedByTheRig(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		c, err := f.call(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		if _, err := link.Ask(t.Context(), c, link.Describe{}); err != nil {
			t.Fatal(err)
		}
		boot, stops := c.Heard()
		o := link.Order{Epoch: f.Now().State.Epoch + 1000, Boot: boot, Stops: stops}
		for _, w := range []link.Word{link.Home{Order: o}, link.GoTo{Order: o},
			link.Jog{Order: o, Press: "p", Axis: "track"}, link.Speed{Order: o, Press: "p"},
			link.Load{Epoch: o.Epoch, Machine: "plank", Of: 1, Bytes: []byte{1}}, link.Arm{Order: o},
			link.Roll{Order: o, Press: "p"}, link.Confirm{Order: o, Axis: "pan"},
			link.Free{Order: o, Axis: "pan"}, link.Engage{Order: o, Axis: "pan"}, link.Suspend{Order: o, Axis: "pan"},
			link.Limits{Order: o}, link.Configure{Order: o}, link.Steer{Order: o}} {
			if _, err := c.Raw(t.Context(), w, nil); err == nil || !strings.Contains(err.Error(), "lease") {
				t.Errorf("%s for another epoch: %v", w.Do(), err)
			}
		}
		if _, err := link.Ask(t.Context(), c, link.Stop{}); err != nil {
			t.Errorf("stop needs a lease: %v", err)
		}
	})
}

// What is not the protocol gets an answer and does no harm.
func TestRubbishOnTheWire(t *testing.T) {
	inItsTime(t, func(t *testing.T) {
		f := newFloor(t)
		f.until("the rig", seen)
		conn, err := f.door.Connect(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		rubbish := "GET / HTTP/1.1\n{\"do\":7}\n{\"id\":9,\"do\":\"load\",\"bytes\":\"!!\"}\n"
		if _, err := conn.Write([]byte(rubbish)); err != nil {
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
	})
}
