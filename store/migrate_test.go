package store

import (
	"context"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"keenarc/core/clock"
	"keenarc/core/path"
	"keenarc/examples"
	"keenarc/journal"
)

// A database of the first version, in which the same bytes were sealed twice, is
// brought up to date: the seals become one, takes follow it, nothing is lost; and
// shots on an older rig are brought to the one that ships.
func TestOldDatabases(t *testing.T) {
	ctx := t.Context()
	if _, err := db.Pool.Exec(ctx, `CREATE DATABASE older`); err != nil {
		t.Fatal(err)
	}
	url := strings.TrimSuffix(cluster.URL, "keenarc") + "older"
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	std := stdlib.OpenDBFromPool(pool)
	p, err := goose.NewProvider(goose.DialectPostgres, std, files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.UpTo(ctx, 1); err != nil {
		t.Fatal(err)
	}
	ids := map[string]string{}
	for _, n := range []string{"production", "shot", "pass", "a", "b", "again", "first", "second"} {
		ids[n] = journal.NewID()
	}
	ships := examples.Rigs()["plank"]
	exec := func(sql string, args ...any) {
		t.Helper()
		if _, err := pool.Exec(ctx, sql, args...); err != nil {
			t.Fatal(err)
		}
	}
	exec(`INSERT INTO productions (id, number, title, place) VALUES ($1, 1, 'P', '')`, ids["production"])
	exec(`INSERT INTO rigs (id, version, doc) VALUES ('plank', 1, '{}')`)
	exec(`INSERT INTO shots (id, production_id, code, title, rig_id, rig_version, lens, set_doc, revision) VALUES ($1, $2, 'X-1', 'X', 'plank', 1, '{}', '{}', 7)`, ids["shot"], ids["production"])
	old := `{"rate":{"num":24,"den":1},"factor":{"num":1,"den":1},"run_up":0,"run_out":0,"base":{"roll":0.5},"tracks":[{"axis":"track","kind":"smooth","keys":[{"frame":0,"value":%d},{"frame":48,"value":900}]},{"axis":"pan","kind":"hold","segments":{"0":"linear"},"keys":[]}]}`
	for rev, command := range []string{`{"op":"new"}`, `{"op":"set","frame":0,"values":{"track":300}}`, `{"op":"kind","axis":"pan","kind":"hold"}`} {
		exec(`INSERT INTO edits (shot_id, revision, actor, command, path) VALUES ($1, $2, 'ann', $3, $4)`, ids["shot"], rev+5, command, fmt.Sprintf(old, 100+100*rev))
	}
	exec(`INSERT INTO passes (id, shot_id, number, name, note, factor_num, factor_den) VALUES ($1, $2, 1, 'One', '', 1, 3)`, ids["pass"], ids["shot"])
	for i, n := range []string{"a", "b", "again"} {
		print := map[string][]byte{"a": {1}, "b": {2}, "again": {1}}[n]
		exec(`INSERT INTO seals (id, shot_id, version, revision, fingerprint, table_zstd, braking, sealed_by) VALUES ($1, $2, $3, $4, $5, '', '{}', 't')`, ids[n], ids["shot"], i+1, 3+2*i, print)
	}
	exec(`INSERT INTO takes (id, pass_id, seal_id, number, actor, started_at, axes, units) VALUES ($1, $2, $3, 1, 't', now(), '["track","pan"]', '[]'), ($4, $2, $5, 2, 't', now(), '[]', '[]')`, ids["first"], ids["pass"], ids["a"], ids["second"], ids["again"])
	exec(`INSERT INTO log (at, actor, kind, text) VALUES (now(), 't', 'k', 'one'), (now(), 't', 'k', 'two')`)
	std.Close()
	pool.Close()

	s, err := Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		s.Close()
		_, _ = db.Pool.Exec(context.Background(), `DROP DATABASE older`)
	})
	var seals, onFirst, lines int
	var revision int64
	if err := s.Pool.QueryRow(ctx, `SELECT (SELECT count(*) FROM seals), (SELECT count(*) FROM takes WHERE seal_id = $1), (SELECT revision FROM seals WHERE id = $1), (SELECT count(DISTINCT id) FROM log)`, ids["a"]).Scan(&seals, &onFirst, &revision, &lines); err != nil {
		t.Fatal(err)
	}
	if seals != 2 || onFirst != 2 || revision != -1 || lines != 3 {
		t.Errorf("%d seals, %d takes on the first, which was sealed last at revision %d; %d lines with ids", seals, onFirst, revision, lines)
	}
	for range 2 { // the second time there is nothing to do
		if err := s.AdoptRig(ctx, ships); err != nil {
			t.Fatal(err)
		}
	}
	var version, void, notes, told int
	if err := s.Pool.QueryRow(ctx, `SELECT (SELECT rig_version FROM shot_machines), (SELECT count(*) FROM seals WHERE revision < 0), (SELECT count(*) FROM log WHERE kind = 'rig'), (SELECT count(*) FROM log WHERE kind = 'seal' AND text LIKE '%void%')`).Scan(&version, &void, &notes, &told); err != nil {
		t.Fatal(err)
	}
	if version != ships.Version || void != 2 || notes != 1 || told != 1 {
		t.Errorf("the shot is on version %d, %d seals are void, the log says so %d and %d times", version, void, notes, told)
	}
	// Plans, what was done to them, takes and passes are as they were, under whole names.
	sh, err := s.Shot(ctx, ids["shot"])
	if err != nil || len(sh.Machines) != 1 || sh.Machines[0].Name != "plank" || sh.ThresholdPx != 0.5 {
		t.Fatalf("%+v, %v", sh, err)
	}
	d, err := s.Draft(ctx, ids["shot"])
	if err != nil || d.Path.Check(sh.Rig) != nil || d.Path.Track("plank/track").Keys[0].Value != 300 || d.Path.Base["plank/roll"] != 0.5 || d.Path.Track("plank/pan").Segments[0] != "linear" || d.Actor.Name != "ann" {
		t.Errorf("%+v, %v", d, err)
	}
	if d, err = s.Edit(ctx, By{Shot: sh.ID, Revision: 7, Actor: journal.Somebody}, sh.Rig, path.Edit{Op: "set", Frame: 48, Values: map[string]float64{"track": 800}}); err != nil || d.Path.Track("plank/track").Keys[1].Value != 800 {
		t.Errorf("an edit: %v", err)
	}
	before, err := s.EditLine(ctx, sh.ID, 6)
	if err != nil || before.Words() != "track stored at frame 0" || !strings.Contains(string(before.Command), `"plank/track"`) {
		t.Errorf("%s, %v", before.Command, err)
	}
	ps, err := s.Passes(ctx, sh.ID)
	if err != nil || !ps[0].Clock.Same(clock.Times(clock.Rate{Num: 1, Den: 3})) {
		t.Errorf("%+v, %v", ps, err)
	}
	k, err := s.Take(ctx, ids["first"])
	if err != nil || k.Machine != "plank" || !slices.Equal(k.Axes, []string{"plank/track", "plank/pan"}) || k.By.Name != "t" || !k.Clock.Same(ps[0].Clock) {
		t.Errorf("%+v, %v", k, err)
	}
	if _, err := s.Pins(ctx, ids["first"]); err != nil {
		t.Errorf("what it was rolled with: %v", err)
	}
}
