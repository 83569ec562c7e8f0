package store

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/journal"
)

// cold is the same database without anything remembered.
func cold(t *testing.T) *Store {
	t.Helper()
	s, err := Open(t.Context(), cluster.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// Whatever was done, undone, done again and brought back: every revision is worked
// out again from what was kept to exactly the path that it was.
func TestEveryRevisionIsWorkedOutAgain(t *testing.T) {
	sh := shot(t, "RE-1")
	ctx := t.Context()
	rng := rand.New(rand.NewPCG(3, 1))
	d, err := db.Draft(ctx, sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	was := map[int64]*path.Path{0: d.Path}
	by := func() By { return By{Shot: sh.ID, Revision: d.Revision, Actor: person("ann")} }
	for len(was) < 150 {
		var n *Draft
		var err error
		switch k := rng.IntN(10); {
		case k < 2:
			n, err = db.Undo(ctx, by())
		case k < 3:
			n, err = db.Redo(ctx, by())
		case k < 4:
			n, err = db.Bring(ctx, by(), rng.Int64N(d.Revision+1), "back to something")
		case k < 5:
			n, err = db.Edit(ctx, by(), sh.Rig, path.Edit{Op: "kind", Axis: "pan",
				Kind: curve.Kinds[rng.IntN(len(curve.Kinds))]})
		case k < 6:
			n, err = db.Edit(ctx, by(), sh.Rig, path.Edit{Op: "room", Frame: 30, Frames: rng.IntN(5) - 2})
		case k < 7:
			n, err = db.Edit(ctx, by(), sh.Rig, path.Edit{Op: "factor", Clock: "1/3"})
		default:
			n, err = db.Edit(ctx, by(), sh.Rig, path.Edit{Op: "set", Frame: float64(rng.IntN(400)) / 7,
				Values: map[string]float64{"track": 100 + 1000*rng.Float64(), "roll": rng.NormFloat64()}})
		}
		if err != nil {
			continue // two keyframes on one frame, perhaps
		}
		d = n
		was[d.Revision] = d.Path
	}
	s := cold(t)
	for rev, want := range was {
		got, err := s.DraftAt(ctx, sh.ID, rev)
		if err != nil || got.Path.Digest() != want.Digest() || got.Path.Factor != want.Factor {
			t.Fatalf("revision %d is another path: %v", rev, err)
		}
	}
	var kept int
	if err := db.Pool.QueryRow(ctx, `SELECT count(*) FROM edits WHERE shot_id = $1 AND path IS NOT NULL`,
		sh.ID).Scan(&kept); err != nil || kept > len(was)/snapshotEvery+1 {
		t.Errorf("%d paths are kept whole of %d: %v", kept, len(was), err)
	}
}

// What came out of a sum is kept as it came out: a sum that is done otherwise one day leaves it.
func TestWhatWasWorkedOutIsKept(t *testing.T) {
	sh := shot(t, "RE-2")
	ctx := t.Context()
	d, err := db.Draft(ctx, sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range []path.Edit{
		{Op: "kind", Axis: "pan", Kind: curve.Ramped,
			Ramp: &path.TypedRamp{Law: curve.SCurve, In: "80 °/s²", Out: "25 %"}},
		{Op: "span", Axis: "tilt", Frame: 3, To: 70, Pair: &[2]float64{1, 4}},
		{Op: "whole", Whole: &path.Whole{Do: "stretch", Factor: 1.5, About: 10}},
	} {
		if d, err = db.Edit(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("ann")}, sh.Rig, e); err != nil {
			t.Fatal(err)
		}
		// As if the edit meant something else by now.
		if _, err := db.Pool.Exec(ctx, `UPDATE edits SET command = '{"op": "run", "run_up": 9, "run_out": 9}'
			WHERE shot_id = $1 AND revision = $2`, sh.ID, d.Revision); err != nil {
			t.Fatal(err)
		}
		got, err := cold(t).DraftAt(ctx, sh.ID, d.Revision)
		if err != nil || got.Path.Digest() != d.Path.Digest() {
			t.Errorf("%s is worked out anew: %v", e.Op, err)
		}
	}
}

// With an hour at 100 Hz on eight axes a nudge costs under 4 kB and no more time
// than without: samples are kept once, and pointed to.
func TestANudgeBesideAnHourOfSamples(t *testing.T) {
	ctx := t.Context()
	sh := shot(t, "HO-1")
	r := *sh.Rig
	r.Axes = append([]rig.Axis(nil), r.Axes...)
	for _, id := range []string{"plank/a", "plank/b", "plank/c", "plank/d"} { // eight with samples, one to nudge
		a := r.Axes[1]
		a.ID = id
		r.Axes = append(r.Axes, a)
	}
	rate := clock.Rate{Num: 24, Den: 1}
	p := path.New(&r, rate, nil)
	if _, err := db.Pool.Exec(ctx, `UPDATE edits SET path = $2 WHERE shot_id = $1`, sh.ID, p); err != nil {
		t.Fatal(err)
	}
	db.paths.Purge()
	d := &Draft{}
	for i, a := range r.Axes {
		if a.ID == "plank/tilt" {
			continue
		}
		v := make([]float64, 360_000)
		for k := range v {
			v[k] = (a.Min+a.Max)/2 + (a.Max-a.Min)/4*math.Sin(float64(k)/(900+50*float64(i))) +
				0.01*math.Sin(float64(k*k))
		}
		hash, err := db.AddSamples(ctx, v)
		if err != nil {
			t.Fatal(err)
		}
		if again, err := db.AddSamples(ctx, v); err != nil || again != hash {
			t.Fatalf("the same samples twice: %s and %s, %v", hash, again, err)
		}
		d, err = db.Edit(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("ann")}, &r,
			path.Edit{Op: "record", Axis: a.ID, Record: &path.Record{Samples: hash, Count: len(v), Step: 0.24}})
		if err != nil {
			t.Fatal(err)
		}
	}
	size := func() (n int64) {
		t.Helper()
		if err := db.Pool.QueryRow(ctx, `SELECT pg_total_relation_size('edits') + pg_total_relation_size('samples')`).
			Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	const nudges = 320
	before, began := size(), time.Now()
	for n := range nudges {
		var err error
		d, err = db.Edit(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("ann")}, &r,
			path.Edit{Op: "set", Frame: 1000, Values: map[string]float64{"tilt": float64(n) / 100}})
		if err != nil {
			t.Fatal(err)
		}
	}
	each := float64(size()-before) / nudges
	t.Logf("a nudge costs %.0f bytes and %.2f ms", each, time.Since(began).Seconds()*1000/nudges)
	if each >= 4096 {
		t.Errorf("a nudge costs %.0f bytes", each)
	}
	got, err := cold(t).Draft(ctx, sh.ID)
	if err != nil || got.Path.Digest() != d.Path.Digest() ||
		len(got.Path.Track("plank/track").Record.Values.V) != 360_000 {
		t.Errorf("read again: %v", err)
	}
	if !reflect.DeepEqual(got.Path.Track("plank/track").Record.Values.V, d.Path.Track("plank/track").Record.Values.V) {
		t.Error("the samples are others")
	}
}

func TestSamplesAreProved(t *testing.T) {
	ctx := t.Context()
	hash, err := db.AddSamples(ctx, []float64{1, 2, 3.5})
	if err != nil {
		t.Fatal(err)
	}
	if v, err := cold(t).Samples(ctx, hash); err != nil || !reflect.DeepEqual(v.V, []float64{1, 2, 3.5}) {
		t.Errorf("%v, %v", v, err)
	}
	if _, err := db.Samples(ctx, strings.Repeat("0", 64)); err == nil || !strings.Contains(err.Error(),
		"no such samples") {
		t.Errorf("unknown: %v", err)
	}
	for want, v := range map[string][]float64{"1 samples": {1}, "sample 1 is not": {0, math.NaN()},
		"sample 0 is not": {math.Inf(1), 0}} {
		if _, err := db.AddSamples(ctx, v); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	if _, err := db.Pool.Exec(ctx,
		`UPDATE samples SET data_zstd = (SELECT data_zstd FROM samples WHERE hash <> $1 LIMIT 1), hash = $1
			WHERE hash = $1`, hash); err != nil {
		t.Fatal(err)
	}
	if _, err := cold(t).Samples(ctx, hash); err == nil {
		t.Error("samples that were changed are given out")
	}
	sh := shot(t, "SA-1")
	if _, err := db.Edit(ctx, By{Shot: sh.ID, Actor: person("ann")}, sh.Rig, path.Edit{Op: "record", Axis: "pan",
		Record: &path.Record{Samples: strings.Repeat("1", 64), Count: 3, Step: 1}}); err == nil {
		t.Error("a record of samples that are not there: accepted")
	}
}

// One application drives a machine; another gets the right when the first lets go,
// or loses its connection, and not before.
func TestTheRightToDrive(t *testing.T) {
	ctx := t.Context()
	j := newJournal(t)
	other, err := NewJournal(cold(t), t.TempDir(), slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	a, err := j.Drive(ctx, "plank")
	if err != nil {
		t.Fatal(err)
	}
	for range 3 {
		if _, err := other.Drive(ctx, "plank"); !errors.Is(err, journal.ErrElsewhere) {
			t.Errorf("a second one: %v", err)
		}
	}
	defer other.Close()
	w, err := other.Drive(ctx, "wren")
	if err != nil {
		t.Fatalf("another machine: %v", err)
	}
	w.Release()
	a.Release()
	a.Release()
	b, err := other.Drive(ctx, "plank")
	if err != nil {
		t.Fatalf("let go: %v", err)
	}
	defer b.Release()
	if _, err := db.Pool.Exec(ctx, `SELECT pg_terminate_backend($1)`,
		int64(b.(*right).conn.PgConn().PID())); err != nil {
		t.Fatal(err)
	}
	select {
	case <-b.Lost():
	case <-time.After(10 * time.Second):
		t.Fatal("a right whose connection is gone is not lost")
	}
	c, err := j.Drive(ctx, "plank")
	if err != nil {
		t.Fatalf("after the loss: %v", err)
	}
	c.Release()
}

// A take pins what it was rolled with; what the shot points to later is another
// version. Asked to, the shot's takes are judged by another threshold.
func TestTakesPinVersions(t *testing.T) {
	ctx := context.Background()
	sh := shot(t, "PI-1")
	k := take(t, newJournal(t), sh)
	set, camera := *sh.Set, *sh.Lens
	set.Subject[0]++
	camera.FNumber = 11
	if err := db.ChangeSet(ctx, sh.ID, &set); err != nil {
		t.Fatal(err)
	}
	if err := db.ChangeCamera(ctx, sh.ID, &camera); err != nil {
		t.Fatal(err)
	}
	l := &journal.LineUp{Axes: map[string]journal.DayAxis{"track": {Soft: [2]float64{100, 1400},
		Working: rig.Limits{Speed: 200, Acceleration: 300}}}, Marks: []lens.Mark{{RingDeg: 0, DistanceM: 0.5},
		{RingDeg: 300, DistanceM: 9}}}
	before, err := db.LineUps(ctx, "plank", 10)
	if err != nil {
		t.Fatal(err)
	}
	if err := db.AddLineUp(ctx, person("ann"), "plank", "", l); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_, _ = db.Pool.Exec(ctx, `UPDATE takes SET lineup_id = NULL`)
		_, _ = db.Pool.Exec(ctx, `DELETE FROM lineups`)
	})
	now, err := db.Shot(ctx, sh.ID)
	if err != nil || now.Set.Subject != set.Subject || now.Lens.FNumber != 11 || now.Rig.Axes[0].Min != 100 ||
		now.Rig.Axes[0].Working.Speed != 200 || len(now.Lens.Marks) != 2 {
		t.Errorf("the shot: %+v, %v", now, err)
	}
	p, err := db.Pins(ctx, k.ID)
	if err != nil || p.Set.Subject != sh.Set.Subject || p.Lens.FNumber != sh.Lens.FNumber || p.ThresholdPx != 0.5 ||
		p.LineUp != nil {
		t.Errorf("the take: %+v, %v", p, err)
	}
	second := take(t, newJournal(t), sh)
	if p, err = db.Pins(ctx, second.ID); err != nil || p.LineUp == nil || p.LineUp.Axes["track"].Soft[1] != 1400 ||
		p.Lens.FNumber != 11 {
		t.Errorf("a take after it: %+v, %v", p, err)
	}
	if err := db.SetThreshold(ctx, sh.ID, 0, 0.2); err != nil {
		t.Fatal(err)
	}
	if p, err = db.Pins(ctx, k.ID); err != nil || p.ThresholdPx != 0.2 {
		t.Errorf("judged by another threshold: %+v, %v", p, err)
	}
	rows, err := db.LineUps(ctx, "plank", 10)
	if err != nil || len(rows) != len(before)+1 || rows[0].By.Name != "ann" ||
		rows[0].Doc.Axes["track"].Soft[0] != 100 {
		t.Errorf("line-ups %+v, %v", rows, err)
	}
	if _, err := db.Pins(ctx, journal.NewID()); !errors.Is(err, ErrNotFound) {
		t.Errorf("an unknown take: %v", err)
	}
}
