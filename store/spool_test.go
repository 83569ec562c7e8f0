package store

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
)

func entry(shot, text string) journal.Entry {
	return journal.Entry{ID: journal.NewID(), At: time.Now(), Actor: journal.Person{Name: "ann"}, ShotID: shot,
		Kind: "note", Text: text}
}

func texts(t *testing.T, shot string) []string {
	t.Helper()
	rows, err := db.Pool.Query(t.Context(), `SELECT text FROM log WHERE shot_id = $1 ORDER BY seq`, shot)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var s string
		if err := rows.Scan(&s); err != nil {
			t.Fatal(err)
		}
		out = append(out, s)
	}
	return out
}

// An entry that can never be stored is set aside, said so, and holds up nothing.
func TestWhatCanNeverBeStoredIsSetAside(t *testing.T) {
	sh := shot(t, "AS-1")
	t.Cleanup(func() { _, _ = db.Pool.Exec(context.Background(), `DELETE FROM log WHERE kind = 'aside'`) })
	j := newJournal(t)
	ctx := t.Context()
	for name, e := range map[string]journal.Entry{"no such shot": entry(journal.NewID(),
		"for a shot that is not there"), "no id": entry("not a uuid", "for something that is no shot"),
		"no text": entry(sh.ID, "a zero\x00byte")} {
		if err := j.Log(ctx, e); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := j.Log(ctx, entry(sh.ID, "what follows")); err != nil {
		t.Fatal(err)
	}
	if got := texts(t, sh.ID); !reflect.DeepEqual(got, []string{"what follows"}) {
		t.Errorf("the log has %q", got)
	}
	if _, err := os.Stat(j.file); !errors.Is(err, os.ErrNotExist) {
		t.Error("there is a spool though the database was there all the time")
	}
	a := j.Aside()
	raw, err := os.ReadFile(a.File)
	if err != nil || a.Entries != 3 || bytes.Count(raw, []byte("\n")) != 3 ||
		!bytes.Contains(raw, []byte("for a shot that is not there")) {
		t.Errorf("%d set aside: %s, %v", a.Entries, raw, err)
	}
	log, err := db.Log(ctx, sh.ID, 0, 50)
	if err != nil || !strings.Contains(fmt.Sprint(log), a.File) {
		t.Errorf("the log does not name %s", a.File)
	}
	// Out of the spool it is the same, and lines that are no JSON go there too.
	spool := `{"do":"log","entry":{"id":"` + journal.NewID() + `","at":"2026-01-02T03:04:05Z","actor":"a","shot":"` +
		journal.NewID() + `","kind":"k","text":"lost shot"}}` + "\n" +
		"rubbish\n" + `{"do":"dance"}` + "\n" + `{"do":"log","entry":{"id":"` + journal.NewID() +
		`","at":"2026-01-02T03:04:05Z","actor":"a","shot":"` + sh.ID + `","kind":"k","text":"spooled"}}` + "\n" +
		`{"do":"log","ent`
	if err := os.WriteFile(j.file, []byte(spool), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := j.Drain(ctx); err != nil {
		t.Fatal(err)
	}
	if got := texts(t, sh.ID); !reflect.DeepEqual(got, []string{"what follows", "spooled"}) || j.Aside().Entries != 6 {
		t.Errorf("the log has %q, %d are set aside", got, j.Aside().Entries)
	}
	again, err := NewJournal(db, filepath.Dir(j.file), j.log)
	if err != nil || again.Aside() != j.Aside() {
		t.Errorf("after a restart: %+v, %v", again.Aside(), err)
	}
}

// Which errors are the entry's own fault and which are the database's.
func TestSortsOfErrors(t *testing.T) {
	for code, want := range map[string]bool{"23503": true, "23505": true, "22021": true, "22P02": true, "42804": true,
		"21000": true,
		"57P01": false, "57P03": false, "53300": false, "53100": false, "40001": false, "08006": false, "55P03": false,
		"42P01": false, "42501": false, "XX000": false, "25006": false, "": false} {
		err := fmt.Errorf("storing: %w", &pgconn.PgError{Code: code})
		if permanent(err) != want || passing(err) == want {
			t.Errorf("%q: permanent %v, passing %v", code, permanent(err), passing(err))
		}
	}
	if permanent(context.DeadlineExceeded) || !passing(context.DeadlineExceeded) || permanent(errors.New("x")) ||
		passing(errors.New("x")) {
		t.Error("time-outs pass, unknown errors are of neither sort")
	}
}

// The same entry sent twice is stored once.
func TestEntriesAreStoredOnce(t *testing.T) {
	sh := shot(t, "ON-1")
	j := newJournal(t)
	e := entry(sh.ID, "once")
	for range 3 {
		if err := j.Log(t.Context(), e); err != nil {
			t.Fatal(err)
		}
	}
	if err := j.Log(t.Context(), journal.Entry{At: time.Now(), Actor: person("ann"), ShotID: sh.ID, Kind: "k",
		Text: "without an id"}); err != nil {
		t.Fatal(err)
	}
	if got := texts(t, sh.ID); len(got) != 2 || j.Aside().Entries != 0 {
		t.Errorf("the log has %q, %d are set aside", got, j.Aside().Entries)
	}
}

// A half-written last line is cut off before anything is appended, and every
// line is on the disk before it is answered for.
func TestSpoolFile(t *testing.T) {
	j := newJournal(t)
	synced := 0
	j.sync = func(f *os.File) error {
		b, err := os.ReadFile(f.Name())
		if err != nil || !bytes.HasSuffix(b, []byte("}\n")) {
			t.Errorf("synced before the line was written: %q", b)
		}
		synced++
		return f.Sync()
	}
	for before, want := range map[string]string{"": "{}\n", "{\"a\":1}\n": "{\"a\":1}\n{}\n",
		"{\"a\":1}\n{\"b": "{\"a\":1}\n{}\n", "{\"cut": "{}\n", strings.Repeat("x", 200_000): "{}\n",
		"{\"a\":1}\n" + strings.Repeat("x", 65536): "{\"a\":1}\n{}\n"} {
		if err := os.WriteFile(j.file, []byte(before), 0o644); err != nil {
			t.Fatal(err)
		}
		n := synced
		if err := j.append(j.file, []byte("{}")); err != nil {
			t.Fatal(err)
		}
		if got, _ := os.ReadFile(j.file); string(got) != want || synced != n+1 {
			t.Errorf("after %.20q (%d bytes): %.40q, synced %d times", before, len(before), got, synced-n)
		}
	}
	j.sync = func(*os.File) error { return errors.New("the disk is gone") }
	if err := j.append(j.file, []byte("{}")); err == nil {
		t.Error("a line that is not on the disk is answered for")
	}
}

// Two at the same revision: one wins, the others are told that it was changed in
// the meantime. A seal against an edit as well.
func TestSimultaneousEdits(t *testing.T) {
	sh := shot(t, "SI-1")
	ctx := t.Context()
	for round := range 8 {
		d, err := db.Draft(ctx, sh.ID)
		if err != nil {
			t.Fatal(err)
		}
		tab, _, err := seal.Make(t.Context(), d.Path, sh.Machines)
		if err != nil {
			t.Fatal(err)
		}
		e := path.Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": float64(round)}}
		edit := func() error {
			_, err := db.Edit(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("t")}, sh.Rig, e)
			return err
		}
		jobs := []func() error{edit, edit, edit, edit,
			func() error {
				_, err := db.Undo(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("t")})
				return err
			},
			func() error {
				_, err := db.AddSeal(ctx, journal.NewID(), sh.ID, d.Revision, person("t"), tab,
					&limit.Braking{Seconds: 0.5}, "")
				return err
			}}
		if round == 0 {
			jobs = jobs[:4] // nothing to undo yet
		}
		errs, start := make([]error, len(jobs)), make(chan struct{})
		var wg sync.WaitGroup
		for i, job := range jobs {
			wg.Go(func() { <-start; errs[i] = job() })
		}
		close(start)
		wg.Wait()
		won := 0
		for i, err := range errs {
			switch {
			case err == nil && i < 5:
				won++
			case err != nil && !errors.Is(err, ErrStale) && !errors.As(err, new(*ClashError)):
				t.Errorf("round %d, job %d: %v, want %v or what it clashes with", round, i, err, ErrStale)
			}
		}
		if n, err := db.Draft(ctx, sh.ID); err != nil || won != 1 || n.Revision != d.Revision+1 {
			t.Errorf("round %d: %d won, revision %d after %d: %v", round, won, n.Revision, d.Revision, err)
		}
	}
	if _, err := db.AddSeal(ctx, journal.NewID(), sh.ID, 0, person("t"), &seal.Table{}, nil, ""); !errors.Is(
		err, ErrStale) {
		t.Errorf("a seal of an old revision: %v", err)
	}
	if _, err := db.Undo(ctx, By{Shot: journal.NewID(), Actor: person("t")}); !errors.Is(err, ErrNotFound) {
		t.Errorf("an edit of no shot: %v", err)
	}
}

// Sealed, changed and sealed, undone and sealed again: the first seal is back,
// and its takes are judged with those of today.
func TestEqualPrintsAreOneSeal(t *testing.T) {
	sh := shot(t, "EQ-1")
	ctx := t.Context()
	a, _ := sealed(t, sh)
	d, _ := db.Draft(ctx, sh.ID)
	e := path.Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 1}}
	d, err := db.Edit(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("t")}, sh.Rig, e)
	if err != nil {
		t.Fatal(err)
	}
	b, _ := sealed(t, sh)
	if d, err = db.Undo(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("t")}); err != nil {
		t.Fatal(err)
	}
	c, _ := sealed(t, sh)
	if c.ID != a.ID || c.Version != 1 || b.ID == a.ID || b.Version != 2 || c.Revision != d.Revision {
		t.Errorf("first %s version %d, then %s version %d, then %s version %d", a.ID, a.Version, b.ID, b.Version,
			c.ID, c.Version)
	}
	list, err := db.Seals(ctx, sh.ID)
	if err != nil || len(list) != 2 || list[0].ID != a.ID {
		t.Errorf("the seal sealed last does not come first: %+v, %v", list, err)
	}
}

// Chunks that are missing stay missing, ones that overlap are taken once.
func TestMissingChunks(t *testing.T) {
	sh := shot(t, "MC-1")
	j := newJournal(t)
	k := &kept{take: take(t, j, sh)}
	for _, c := range [][2]int{{0, 1000}, {1000, 500}, {1200, 800}, {3000, 1000}} {
		k.write(t, j, c[0], c[1])
	}
	got, err := j.Find(t.Context(), k.take.ID)
	if err != nil {
		t.Fatal(err)
	}
	tr := got.Trace
	if len(tr.Pos) != 3000 || tr.Unbroken() != 2000 || !reflect.DeepEqual(tr.Gaps,
		[]trace.Gap{{At: 2000, Rows: 1000}}) || tr.Row(2000) != 3000 {
		t.Fatalf("%d rows, gaps %v", len(tr.Pos), tr.Gaps)
	}
	for i, p := range tr.Pos {
		if p != clock.Pos(tr.Row(i))<<30 || tr.Steps[2][i] != int32(2_000_000-tr.Row(i)) {
			t.Fatalf("row %d is another", tr.Row(i))
		}
	}
	open, err := j.Unfinished(t.Context(), "plank")
	if err != nil || len(open) == 0 {
		t.Fatalf("a take that never ended is not listed: %v", err)
	}
	k.end(t, j)
	for _, o := range openIDs(t, j) {
		if o == k.take.ID {
			t.Error("an ended take is listed as unfinished")
		}
	}
	if _, err := j.Find(t.Context(), journal.NewID()); !errors.Is(err, journal.ErrUnknown) {
		t.Errorf("a take of nobody: %v", err)
	}
	if _, err := j.Find(t.Context(), "take of another machine"); !errors.Is(err, journal.ErrUnknown) {
		t.Errorf("an id that is no id: %v", err)
	}
}

func openIDs(t *testing.T, j *Journal) []string {
	t.Helper()
	list, err := j.Unfinished(t.Context(), "plank")
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, k := range list {
		out = append(out, k.ID)
	}
	return out
}

// A take that ends again ends with more rows, never with fewer.
func TestATakeEndsWithMore(t *testing.T) {
	sh := shot(t, "EN-1")
	j := newJournal(t)
	k := take(t, j, sh)
	end := func(rows int, why string) {
		k.Broken, k.Why, k.Rows = true, why, rows
		if err := j.End(t.Context(), k, journal.Entry{At: time.Now(), Actor: person("ann"), ShotID: sh.ID, Kind: "take",
			Text: why}); err != nil {
			t.Fatal(err)
		}
	}
	end(100, "first")
	if err := db.SetFinding(t.Context(), Finding{TakeID: k.ID, Depends: "x", Doc: json.RawMessage(`{}`)},
		""); err != nil {
		t.Fatal(err)
	}
	end(300, "the rest was fetched")
	end(200, "an old line of the spool")
	got, err := db.Take(t.Context(), k.ID)
	if err != nil || got.Rows != 300 || got.Why != "the rest was fetched" {
		t.Errorf("%d rows, %s, %v", got.Rows, got.Why, err)
	}
	if f, err := db.Findings(t.Context(), sh.ID); err != nil || len(f) != 0 {
		t.Errorf("what was found of the shorter take stands: %v, %v", f, err)
	}
}

// PostgreSQL is killed ten times in a session: no line of the log and no row of
// a take is missing or doubled afterwards.
func TestTenKills(t *testing.T) {
	if testing.Short() {
		t.Skip("ten kills")
	}
	sh := shot(t, "KI-1")
	j := newJournal(t)
	ctx, stop := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	wg.Go(func() { j.Run(ctx) })
	k := &kept{take: take(t, j, sh)}
	var want []string
	wrote := make(chan struct{})
	wg.Go(func() {
		defer close(wrote)
		for n := 0; ctx.Err() == nil; n++ {
			text := fmt.Sprintf("line %04d", n)
			want = append(want, text)
			if err := j.Log(t.Context(), entry(sh.ID, text)); err != nil {
				t.Error(err)
			}
			if n%3 == 0 {
				k.write(t, j, k.rows, 100)
			}
			time.Sleep(5 * time.Millisecond)
		}
	})
	for range 10 {
		time.Sleep(100 * time.Millisecond)
		cluster.Kill()
		time.Sleep(50 * time.Millisecond)
		if err := cluster.Start(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	time.Sleep(200 * time.Millisecond)
	stop()
	<-wrote
	wg.Wait()
	k.end(t, j)
	want = append(want, "let go")
	for late := time.Now().Add(20 * time.Second); j.Drain(t.Context()) != nil; {
		if time.Now().After(late) {
			t.Fatal("the spool is never stored")
		}
	}
	if got := texts(t, sh.ID); !reflect.DeepEqual(got, want) {
		t.Errorf("%d lines were written, %d are there, or in another order", len(want), len(got))
	}
	k.check(t)
	if a := j.Aside(); a.Entries != 0 {
		t.Errorf("%d entries were set aside", a.Entries)
	}
}

// FuzzChunk: whatever bytes a stored chunk has, they are unpacked or refused.
func FuzzChunk(f *testing.F) {
	pos, cols := chunk(5, 20, 3)
	good, err := packChunk(pos, cols)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(good, 20, 3)
	f.Add([]byte{}, 0, 0)
	f.Add([]byte("rubbish"), 1, 1)
	f.Fuzz(func(t *testing.T, b []byte, rows, axes int) {
		p, s, err := unpackChunk(b, rows, axes)
		if err != nil {
			return
		}
		if len(p) != rows || len(s) != axes {
			t.Fatalf("%d rows of %d axes, asked for %d of %d", len(p), len(s), rows, axes)
		}
		again, err := packChunk(p, s)
		if err != nil {
			t.Fatal(err)
		}
		if q, u, err := unpackChunk(again, rows, axes); err != nil || !reflect.DeepEqual(p, q) ||
			!reflect.DeepEqual(s, u) {
			t.Fatalf("there and back differs: %v", err)
		}
	})
}

// Asking what was set aside never waits for the database: whoever holds the rig asks.
func TestAsideNeverWaits(t *testing.T) {
	j := newJournal(t)
	j.mu.Lock() // as while the spool is being stored
	defer j.mu.Unlock()
	got := make(chan journal.Aside, 1)
	go func() { got <- j.Aside() }()
	select {
	case <-got:
	case <-time.After(5 * time.Second):
		t.Fatal("it waits")
	}
}
