package store

import (
	"context"
	"io/fs"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"keenarc/core/rig"
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
	old := rig.Plank()
	old.Version = 1
	exec := func(sql string, args ...any) {
		t.Helper()
		if _, err := pool.Exec(ctx, sql, args...); err != nil {
			t.Fatal(err)
		}
	}
	exec(`INSERT INTO productions (id, number, title, place) VALUES ($1, 1, 'P', '')`, ids["production"])
	exec(`INSERT INTO rigs (id, version, doc) VALUES ('plank', 1, $1)`, old)
	exec(`INSERT INTO shots (id, production_id, code, title, rig_id, rig_version, lens, set_doc, revision) VALUES ($1, $2, 'X-1', 'X', 'plank', 1, '{}', '{}', 7)`, ids["shot"], ids["production"])
	exec(`INSERT INTO passes (id, shot_id, number, name, note, factor_num, factor_den) VALUES ($1, $2, 1, 'One', '', 1, 1)`, ids["pass"], ids["shot"])
	for i, n := range []string{"a", "b", "again"} {
		print := map[string][]byte{"a": {1}, "b": {2}, "again": {1}}[n]
		exec(`INSERT INTO seals (id, shot_id, version, revision, fingerprint, table_zstd, braking, sealed_by) VALUES ($1, $2, $3, $4, $5, '', '{}', 't')`, ids[n], ids["shot"], i+1, 3+2*i, print)
	}
	exec(`INSERT INTO takes (id, pass_id, seal_id, number, actor, started_at, axes, units) VALUES ($1, $2, $3, 1, 't', now(), '[]', '[]'), ($4, $2, $5, 2, 't', now(), '[]', '[]')`, ids["first"], ids["pass"], ids["a"], ids["second"], ids["again"])
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
	if seals != 2 || onFirst != 2 || revision != 7 || lines != 2 {
		t.Errorf("%d seals, %d takes on the first, which was sealed last at revision %d; %d lines with ids", seals, onFirst, revision, lines)
	}
	for range 2 { // the second time there is nothing to do
		if err := s.AdoptRig(ctx, rig.Plank()); err != nil {
			t.Fatal(err)
		}
	}
	var version, void, notes int
	if err := s.Pool.QueryRow(ctx, `SELECT (SELECT rig_version FROM shots), (SELECT count(*) FROM seals WHERE revision < 0), (SELECT count(*) FROM log WHERE kind = 'rig')`).Scan(&version, &void, &notes); err != nil {
		t.Fatal(err)
	}
	if version != rig.Plank().Version || void != 2 || notes != 1 {
		t.Errorf("the shot is on version %d, %d seals are void, the log says so %d times", version, void, notes)
	}
}
