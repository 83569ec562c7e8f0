package store

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"

	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/journal"
)

// today is a line-up of Plank's track.
func today(low, high, zero float64, marks ...lens.Mark) *journal.LineUp {
	return &journal.LineUp{Axes: map[string]journal.DayAxis{"track": {Soft: [2]float64{low, high},
		Working: rig.Limits{Speed: 200, Acceleration: 300}, Zero: zero}}, Marks: marks}
}

// noLineUps takes what a test has lined up away again.
func noLineUps(t *testing.T) {
	t.Helper()
	t.Cleanup(func() {
		ctx := context.Background()
		_, _ = db.Pool.Exec(ctx, `UPDATE takes SET lineup_id = NULL`)
		_, _ = db.Pool.Exec(ctx, `DELETE FROM lineups`)
	})
}

// A line-up is made of the newest one, or refused with whose it was: an older page does not
// widen what somebody has narrowed since.
func TestALineUpIsMadeOfTheNewest(t *testing.T) {
	noLineUps(t)
	ctx := t.Context()
	if err := db.AddLineUp(ctx, person("ann"), "plank", "", today(100, 1400, 0)); err != nil {
		t.Fatal(err)
	}
	rows, err := db.LineUps(ctx, "plank", 1)
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	kept, refused := 0, 0
	for n := range 8 {
		wg.Go(func() {
			err := db.AddLineUp(ctx, person("ben"), "plank", rows[0].ID, today(200+float64(n), 900, 0))
			mu.Lock()
			defer mu.Unlock()
			var other *LinedUpError
			switch {
			case err == nil:
				kept++
			case errors.As(err, &other) && strings.Contains(err.Error(), "ben lined this machine up"):
				refused++
			default:
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if kept != 1 || refused != 7 {
		t.Errorf("%d of 8 were kept, %d refused", kept, refused)
	}
	if err := db.AddLineUp(ctx, person("ann"), "plank", "", today(0, 1500, 0)); err == nil {
		t.Error("one that was made of none is kept over another")
	}
	if all, err := db.LineUps(ctx, "plank", 9); err != nil || len(all) != 2 || !all[0].At.After(all[1].At) {
		t.Errorf("%+v, %v", all, err)
	}
}

// What is kept and does not fit is said at its shot, and keeps no other from being shown.
func TestOneBadRow(t *testing.T) {
	noLineUps(t)
	ctx := t.Context()
	good, bad := shot(t, "BAD-1"), shot(t, "BAD-2")
	on := ""
	lineUp := func(l *journal.LineUp) *Shot {
		t.Helper()
		if err := db.AddLineUp(ctx, person("ann"), "plank", on, l); err != nil {
			t.Fatal(err)
		}
		rows, err := db.LineUps(ctx, "plank", 1)
		if err != nil {
			t.Fatal(err)
		}
		on = rows[0].ID
		sh, err := db.Shot(ctx, good.ID)
		if err != nil {
			t.Fatal(err)
		}
		return sh
	}
	// A zero far along the rail: named poses are counted from there, too.
	sh := lineUp(today(20, 1480, 900))
	if len(sh.Troubles) > 0 || sh.Rig.Axes[0].Min != -880 || sh.Rig.Axes[0].Max != 580 {
		t.Errorf("%v, %+v", sh.Troubles, sh.Rig.Axes[0])
	}
	own := examples.Rigs()["plank"]
	for name, pose := range sh.Machines[0].Rig.Book.Poses {
		if v, ok := pose["track"]; ok && v != own.Book.Poses[name]["track"]-900 {
			t.Errorf("pose %s: track at %g", name, v)
		}
	}
	// One of a longer rail: what fits holds, and it is said.
	sh = lineUp(today(100, 2900, 0))
	if len(sh.Troubles) != 1 || !strings.Contains(sh.Troubles[0], "does not fit version") || sh.Rig.Axes[0].Min !=
		100 || sh.Rig.Axes[0].Max != own.Axes[0].Max || sh.Rig.Axes[0].Working.Speed != 200 {
		t.Errorf("%v, %+v", sh.Troubles, sh.Rig.Axes[0])
	}
	// A zero that this rail does not have; nothing of an axis that it does not have.
	l := today(100, 1400, 2500)
	l.Axes["boom"] = journal.DayAxis{Soft: [2]float64{0, 1}, Working: rig.Limits{Speed: 1, Acceleration: 1}}
	if sh = lineUp(l); len(sh.Troubles) != 1 || sh.Rig.Axes[0].Zero != 0 || sh.Rig.Axes[0].Max != 1400 {
		t.Errorf("%v, %+v", sh.Troubles, sh.Rig.Axes[0])
	}
	// Marks that make no scale.
	if sh = lineUp(today(20, 1480, 0, lens.Mark{RingDeg: 1, DistanceM: 1})); len(sh.Troubles) != 1 ||
		!strings.Contains(sh.Troubles[0], "lens marks") || len(sh.Lens.Marks) < 2 {
		t.Errorf("%v, %v", sh.Troubles, sh.Lens.Marks)
	}
	lineUp(today(20, 1480, 0))
	// A set that cannot be read, a path that cannot: the shelf stands.
	for _, sql := range []string{
		`UPDATE sets SET doc = '{"subject_m": "nowhere"}' WHERE id = (SELECT set_id FROM shots WHERE id = $1)`,
		`UPDATE edits SET path = '[1]' WHERE shot_id = $1`,
	} {
		if _, err := db.Pool.Exec(ctx, sql, bad.ID); err != nil {
			t.Fatal(err)
		}
		shelf, err := db.Shelf(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range shelf {
			for _, x := range p.Shots {
				if wrong := x.Trouble != ""; wrong != (x.ID == bad.ID) {
					t.Errorf("%s: trouble %q", x.Code, x.Trouble)
				}
			}
		}
	}
	if _, err := db.Pool.Exec(ctx, `DELETE FROM shot_machines WHERE shot_id = $1`, bad.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := db.Shelf(ctx); err != nil {
		t.Fatal(err)
	}
}

// What a drawing rests on is another where the rig's version is.
func TestAnotherVersionIsAnotherDrawing(t *testing.T) {
	ctx := t.Context()
	sh := shot(t, "VER-1")
	sh, err := db.Shot(ctx, sh.ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Pool.Exec(ctx,
		`INSERT INTO rigs (id, version, doc) SELECT id, 77, jsonb_set(doc, '{version}', '77') FROM rigs
			WHERE id = 'plank' AND version = $1`, sh.Machines[0].Rig.Version); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_, _ = db.Pool.Exec(context.Background(), `UPDATE shot_machines SET rig_version = $2 WHERE shot_id = $1`, sh.ID,
			sh.Machines[0].Rig.Version)
		_, _ = db.Pool.Exec(context.Background(), `DELETE FROM rigs WHERE version = 77`)
	})
	was := sh.LinedUp
	for _, sql := range []string{`UPDATE shot_machines SET rig_version = 77 WHERE shot_id = $1`,
		`UPDATE shot_machines SET x_m = x_m + 1 WHERE shot_id = $1`} {
		if _, err := db.Pool.Exec(ctx, sql, sh.ID); err != nil {
			t.Fatal(err)
		}
		now, err := db.Shot(ctx, sh.ID)
		if err != nil {
			t.Fatal(err)
		}
		if now.LinedUp == was {
			t.Errorf("the same drawing after %s", sql)
		}
		was = now.LinedUp
	}
}
