package store

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"os"
	"reflect"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/journal"
)

var (
	cluster *Cluster
	db      *Store
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		patience *= 20 // on a busy machine a database that is there may be slow
		dir, err := os.MkdirTemp("/var/tmp", "keenarc-store-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		if err := os.Chmod(dir, 0o755); err != nil {
			panic(err)
		}
		if cluster, err = StartCluster(context.Background(), dir, "fsync=off"); err != nil {
			panic(err)
		}
		defer func() { cluster.Stop() }()
		if db, err = Open(context.Background(), cluster.URL); err != nil {
			panic(err)
		}
		defer db.Close()
		if err := db.LoadDemo(context.Background()); err != nil {
			panic(err)
		}
		return m.Run()
	}())
}

// person is somebody who goes by a name.
func person(name string) journal.Person {
	return journal.Person{ID: uuid.NewSHA1(uuid.NameSpaceURL, []byte(name)).String(), Name: name}
}

// shot makes a fresh shot with the demo's path.
func shot(t *testing.T, code string) *Shot {
	t.Helper()
	ctx := t.Context()
	shelf, err := db.Shelf(ctx)
	if err != nil {
		t.Fatal(err)
	}
	demo, err := db.Shot(ctx, shelf[0].Shots[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	d, err := db.Draft(ctx, demo.ID)
	if err != nil {
		t.Fatal(err)
	}
	sh := *demo
	sh.ID, sh.Code = journal.NewID(), code
	if err := db.AddShot(ctx, shelf[0].ID, &sh, person("t"), d.Path,
		[]Pass{{ID: journal.NewID(), Number: 1, Name: "Keeper",
			Clock: clock.Times(clock.Rate{Num: 1, Den: 1})}}); err != nil {
		t.Fatal(err)
	}
	return &sh
}

// changed is when a shot was changed last, as a bookshelf says, or as it says now.
func changed(t *testing.T, shelf []Production, shot string) time.Time {
	t.Helper()
	if shelf == nil {
		var err error
		if shelf, err = db.Shelf(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	for _, p := range shelf {
		for _, s := range p.Shots {
			if s.ID == shot {
				return s.Changed
			}
		}
	}
	t.Fatalf("no shot %s", shot)
	return time.Time{}
}

func TestDemoIsLoadedOnce(t *testing.T) {
	if err := db.LoadDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	shelf, err := db.Shelf(t.Context())
	if err != nil || len(shelf) != 1 || shelf[0].Title != "The Salt Lantern" {
		t.Fatalf("%+v, %v", shelf, err)
	}
	i := slices.IndexFunc(shelf[0].Shots, func(s ShotLine) bool { return s.Code == "SL-010" })
	if i < 0 || shelf[0].Shots[i].Passes != 5 {
		t.Fatalf("%+v", shelf[0].Shots)
	}
	if s := shelf[0].Shots[i].Sketch; len(s) != 25 || s[0] != 0 || s[24] != 1 {
		t.Errorf("sketch %v", s)
	}
}

func sealed(t *testing.T, sh *Shot) (*Seal, *seal.Table) {
	t.Helper()
	d, err := db.Draft(t.Context(), sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	tab, _, err := seal.Make(t.Context(), d.Path, sh.Machines)
	if err != nil {
		t.Fatal(err)
	}
	x, err := db.AddSeal(t.Context(), journal.NewID(), sh.ID, d.Revision, person("ann"), tab,
		&limit.Braking{Seconds: 0.5}, "")
	if err != nil {
		t.Fatal(err)
	}
	return x, tab
}

func TestSeals(t *testing.T) {
	sh := shot(t, "SE-1")
	x, tab := sealed(t, sh)
	back, err := db.Table(t.Context(), x.ID)
	if err != nil || !reflect.DeepEqual(back, tab) {
		t.Fatalf("the table does not come back: %v", err)
	}
	if again, _ := sealed(t, sh); again.ID != x.ID || again.Version != 1 {
		t.Error("the same path sealed twice makes two versions")
	}
	if _, err := db.Pool.Exec(t.Context(), `UPDATE seals SET fingerprint = '\x00' WHERE id = $1`, x.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := cold(t).Table(t.Context(), x.ID); err == nil {
		t.Error("a table that does not match its fingerprint is given out")
	}
}

func take(t *testing.T, j *Journal, sh *Shot) *journal.Take {
	t.Helper()
	x, tab := sealed(t, sh)
	ps, err := db.Passes(t.Context(), sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	k := &journal.Take{ID: journal.NewID(), PassID: ps[0].ID, Shot: sh.ID, Machine: "plank", Clock: ps[0].Clock,
		By: person("ann"), Started: time.Now(), Print: x.Print, Axes: tab.Axes, Units: []rig.Ratio{{Num: 1, Den: 1}},
		LastBeat: -1, BrakeAt: -1}
	if err := j.Begin(t.Context(), k); err != nil {
		t.Fatal(err)
	}
	return k
}

func chunk(from, n, axes int) ([]clock.Pos, [][]int32) {
	pos, cols := make([]clock.Pos, n), make([][]int32, axes)
	for a := range cols {
		cols[a] = make([]int32, n)
	}
	for i := range pos {
		pos[i] = clock.Pos(from+i) << 30
		for a := range cols {
			cols[a][i] = int32(a*1_000_000 - from - i)
		}
	}
	return pos, cols
}

func newJournal(t *testing.T) *Journal {
	t.Helper()
	j, err := NewJournal(db, t.TempDir(), slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	return j
}

func (k *kept) check(t *testing.T) {
	t.Helper()
	got, err := db.Take(t.Context(), k.take.ID)
	if err != nil {
		t.Fatal(err)
	}
	pos, cols := chunk(0, k.rows, 5)
	if !reflect.DeepEqual(got.Trace.Pos, pos) || !reflect.DeepEqual(got.Trace.Steps, cols) {
		t.Errorf("%d rows come back otherwise", len(got.Trace.Pos))
	}
	if !got.Ended || !got.Broken || got.Frame != 86.5 || got.Rows != k.rows || got.BrakeAt != 4711 {
		t.Errorf("its end: %+v", got)
	}
}

type kept struct {
	take *journal.Take
	rows int
}

func (k *kept) write(t *testing.T, j *Journal, from, n int) {
	t.Helper()
	pos, cols := chunk(from, n, 5)
	if err := j.Rows(t.Context(), k.take, from, pos, cols); err != nil {
		t.Fatal(err)
	}
	k.rows = from + n
}

func (k *kept) end(t *testing.T, j *Journal) {
	t.Helper()
	k.take.Broken, k.take.Why, k.take.Frame, k.take.Rows, k.take.BrakeAt = true, "let go", 86.5, k.rows, 4711
	says := journal.Entry{ID: k.take.ID, At: time.Now(), Actor: person("ann"), ShotID: k.take.Shot, Kind: "take",
		Text: "let go"}
	if err := j.End(t.Context(), k.take, says); err != nil {
		t.Fatal(err)
	}
}

func TestTraces(t *testing.T) {
	sh := shot(t, "TR-1")
	j := newJournal(t)
	k := &kept{take: take(t, j, sh)}
	if k.take.Number != 1 {
		t.Errorf("numbered %d", k.take.Number)
	}
	k.write(t, j, 0, 1000)
	k.write(t, j, 1000, 1000)
	k.write(t, j, 1000, 1000) // again, as after a lost acknowledgement
	k.write(t, j, 2000, 17)
	says := journal.Entry{At: time.Now(), Actor: person("ann"), ShotID: journal.NewID(), Kind: "take",
		Text: "of a shot that is not there"}
	if err := db.EndTake(t.Context(), k.take, &says); err == nil || len(openIDs(t, j)) == 0 {
		t.Errorf("the take is ended without its line in the log: %v", err)
	}
	k.end(t, j)
	k.check(t)
	was := changed(t, nil, sh.ID)
	if next := take(t, j, sh); next.Number != 2 {
		t.Errorf("the next take is %d", next.Number)
	}
	if now := changed(t, nil, sh.ID); !now.After(was) {
		t.Errorf("a take leaves the shot changed at %v, %v on the bookshelf", was, now)
	}
}

// The database goes away in the middle: nothing is lost, and everything is
// stored in order when it is back.
func TestSpool(t *testing.T) {
	sh := shot(t, "SP-1")
	j := newJournal(t)
	k := &kept{take: take(t, j, sh)}
	k.write(t, j, 0, 1000)
	cluster.Kill()
	k.write(t, j, 1000, 1000)
	if err := j.Log(t.Context(), journal.Entry{At: time.Now(), Actor: person("ann"), ShotID: sh.ID, Kind: "take",
		Text: "spooled"}); err != nil {
		t.Fatal(err)
	}
	if err := j.Drain(t.Context()); err == nil {
		t.Error("drained into a database that is away")
	}
	if err := cluster.Start(t.Context()); err != nil {
		t.Fatal(err)
	}
	k.write(t, j, 2000, 500) // behind the spool, so in order
	k.end(t, j)
	for late := time.Now().Add(20 * time.Second); j.Drain(t.Context()) != nil; {
		if time.Now().After(late) {
			t.Fatal("the spool is never stored")
		}
	}
	k.check(t)
	log, err := db.Log(t.Context(), sh.ID, 0, 10)
	if err != nil || len(log) != 2 || log[0].Text != "let go" || log[1].Text != "spooled" {
		t.Errorf("log %v, %v", log, err)
	}
	if err := j.Drain(t.Context()); err != nil {
		t.Errorf("an empty spool: %v", err)
	}
}

func TestWhatIsNotThere(t *testing.T) {
	id := journal.NewID()
	for name, err := range map[string]error{
		"shot":  second(db.Shot(t.Context(), id)),
		"draft": second(db.Draft(t.Context(), id)),
		"pass":  second(db.Pass(t.Context(), id)),
		"take":  second(db.Take(t.Context(), id)),
	} {
		if !errors.Is(err, ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := db.ChangePass(t.Context(), id, func(*Pass) error { return nil }); !errors.Is(err, ErrNotFound) {
		t.Errorf("set pass: %v", err)
	}
}

func second[T any](_ T, err error) error { return err }
