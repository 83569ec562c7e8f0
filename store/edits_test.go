package store

import (
	"context"
	"errors"
	"testing"

	"keenarc/core/path"
	"keenarc/journal"
)

func TestEditsUndoAndRedo(t *testing.T) {
	sh := shot(t, "ED-1")
	ctx := t.Context()
	value := func(d *Draft) float64 { return d.Path.Track("plank/track").Keys[1].Value }
	edit := func(d *Draft, v float64) *Draft {
		t.Helper()
		e := path.Edit{Op: "set", Frame: 70, Values: map[string]float64{"track": v}}
		n, err := db.Edit(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("ann")}, sh.Rig, e)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	step := func(f func(context.Context, By) (*Draft, error), d *Draft) *Draft {
		t.Helper()
		n, err := f(ctx, By{Shot: sh.ID, Revision: d.Revision, Actor: person("ann")})
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	d0, err := db.Draft(ctx, sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	a := edit(d0, 600)
	b := edit(a, 700)
	u := step(db.Undo, b)
	uu := step(db.Undo, u)
	if value(u) != 600 || value(uu) != 520 {
		t.Errorf("undone to %g and %g, want 600 and 520", value(u), value(uu))
	}
	if same := step(db.Undo, uu); same.Revision != uu.Revision {
		t.Error("an undo with nothing to undo makes a revision")
	}
	r := step(db.Redo, uu)
	rr := step(db.Redo, r)
	if value(r) != 600 || value(rr) != 700 || rr.RedoTo != nil {
		t.Errorf("redone to %g and %g", value(r), value(rr))
	}
	u = step(db.Undo, rr)
	n := edit(u, 650)
	if n.RedoTo != nil || value(step(db.Undo, n)) != 600 {
		t.Error("an edit after an undo must end what could be redone, and undo to what was before it")
	}
	if _, err := db.Edit(ctx, By{Shot: sh.ID, Revision: n.Revision + 9, Actor: person("bob")}, sh.Rig,
		path.Edit{Op: "run"}); !errors.Is(err, ErrStale) {
		t.Errorf("an edit on a revision that is not there yet: %v", err)
	}
	log, err := db.Log(ctx, sh.ID, 0, 10)
	if err != nil || len(log) != 1 || log[0].Text != "Changed the plan 9 times, revisions 1 to 9; at last: undo." ||
		log[0].Actor.Name != "ann" {
		t.Errorf("the log says %+v, %v", log, err)
	}
	var rows int
	if err := db.Pool.QueryRow(ctx, `SELECT count(*) FROM edits WHERE shot_id = $1`, sh.ID).Scan(&rows); err != nil ||
		rows != 10 {
		t.Errorf("%d rows: every edit, undo and redo must be kept", rows)
	}
}

// An edit made on an older revision is made on the newest where it means the same
// there; else it is refused with who changed what, and nothing changes.
func TestEditsOnAnOlderRevision(t *testing.T) {
	sh := shot(t, "OL-1")
	ctx := t.Context()
	set := func(axis string, f, v float64) path.Edit {
		return path.Edit{Op: "set", Frame: f, Values: map[string]float64{axis: v}}
	}
	by := func(actor string, revision int64) By {
		return By{Shot: sh.ID, Revision: revision, Actor: person(actor), Window: "w-" + actor}
	}
	edit := func(b By, e path.Edit) *Draft {
		t.Helper()
		d, err := db.Edit(ctx, b, sh.Rig, e)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	edit(by("ann", 0), set("pan", 70, 3))
	d := edit(by("bob", 0), set("tilt", 70, -2))
	if d.Revision != 2 || d.Over != 1 || d.Path.Track("plank/pan").Keys[1].Value != 3 ||
		d.Path.Track("plank/tilt").Keys[1].Value != -2 {
		t.Errorf("revision %d over %d: both edits must be in", d.Revision, d.Over)
	}
	edit(by("cid", 2), set("roll", 0, 1))
	_, err := db.Edit(ctx, by("bob", 0), sh.Rig, set("pan", 70, 9))
	var clash *ClashError
	if !errors.As(err, &clash) || clash.Actor != "ann" || clash.Error() != "Not done: pan stored at frame 70. ann "+
		"changed the same meanwhile: pan stored at frame 70." {
		t.Fatalf("the clash says %v", err)
	}
	now, err := db.Draft(ctx, sh.ID)
	if err != nil || now.Revision != 3 || now.Path.Track("plank/pan").Keys[1].Value != 3 {
		t.Errorf("after the clash: revision %d, %v", now.Revision, err)
	}
	// A window's own edits follow each other, though it has not seen the answers yet.
	if d := edit(by("cid", 2), set("roll", 0, 2)); d.Revision != 4 || d.Over != 0 ||
		d.Path.Track("plank/roll").Keys[0].Value != 2 {
		t.Errorf("the second of two edits from one window: revision %d", d.Revision)
	}
	// The same deed sent twice, its answer lost, is done once.
	b := by("ann", 4)
	b.ID = journal.NewID()
	room := path.Edit{Op: "room", Frame: 70, Frames: 10}
	first := edit(b, room)
	again := edit(b, room)
	if first.Revision != 5 || again.Revision != 5 || again.Path.Digest() != first.Path.Digest() {
		t.Errorf("sent twice: revisions %d and %d", first.Revision, again.Revision)
	}
	// Whose edit an undo would take back is known through undo and redo.
	for i, want := range []struct {
		of    int64
		actor string
	}{{4, "cid"}, {3, "cid"}, {2, "bob"}} {
		d, err := db.Undo(ctx, by("ann", 5+int64(i)))
		if err != nil || d.Of != want.of {
			t.Fatalf("undone to the path of revision %d, want %d: %v", d.Of, want.of, err)
		}
		if l, err := db.EditLine(ctx, sh.ID, d.Of); err != nil || l.Actor.Name != want.actor || l.MadeIn != "w-"+
			want.actor {
			t.Errorf("it was made by %+v, want %s: %v", l, want.actor, err)
		}
	}
	if _, err := db.Undo(ctx, by("ann", 4)); !errors.Is(err, ErrStale) {
		t.Errorf("an undo of what is not on the screen any more: %v", err)
	}
}

// A plan that is the same as a sealed one is sealed, however it came to be so; one
// on a faster clock is not.
func TestASealIsOfAPath(t *testing.T) {
	sh := shot(t, "OF-1")
	ctx := t.Context()
	x, _ := sealed(t, sh)
	by := func(revision int64) By { return By{Shot: sh.ID, Revision: revision, Actor: person("ann")} }
	d, err := db.Edit(ctx, by(0), sh.Rig, path.Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 3}})
	if err != nil || x.Of(d.Path) {
		t.Fatalf("a changed path counts as sealed: %v", err)
	}
	if d, err = db.Undo(ctx, by(1)); err != nil || !x.Of(d.Path) {
		t.Errorf("the path taken back does not count as sealed: %v", err)
	}
	for clock, want := range map[string]bool{"1/3": true, "1": true, "1.01": false} {
		if d, err = db.Edit(ctx, by(d.Revision), sh.Rig, path.Edit{Op: "factor", Clock: clock}); err != nil ||
			x.Of(d.Path) != want {
			t.Errorf("on clock %s the path is sealed: %v, want %v (%v)", clock, !want, want, err)
		}
	}
	if d, err = db.Edit(ctx, by(d.Revision), sh.Rig,
		path.Edit{Op: "set", Frame: 70, Values: map[string]float64{"pan": 3}}); err != nil {
		t.Fatal(err)
	}
	if d, err = db.Bring(ctx, by(d.Revision), x.Revision, "back to sealed path 1"); err != nil || !x.Of(d.Path) {
		t.Errorf("the sealed path brought back does not count as sealed: %v", err)
	}
	if u, err := db.Undo(ctx, by(d.Revision)); err != nil || u.Path.Track("plank/pan").Keys[1].Value != 3 {
		t.Errorf("bringing it back cannot be undone: %v", err)
	}
	if _, err := db.Pool.Exec(ctx, `UPDATE seals SET revision = -1 WHERE id = $1`, x.ID); err != nil {
		t.Fatal(err)
	}
	if list, err := db.Seals(ctx, sh.ID); err != nil || list[0].Of(d.Path) {
		t.Errorf("a void seal counts: %v", err)
	}
}
