package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
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
	"keenarc/core/weave"
	"keenarc/examples"
	"keenarc/journal"
)

// A database of the first version, in which the same bytes were sealed twice, is
// brought up to date: the seals become one, takes follow it, nothing is lost; and
// shots on an older rig are brought to the one that ships.
func TestOldDatabases(t *testing.T) {
	ctx := t.Context()
	url, ids := landedUpTo(t, "older", 1, nil)
	ships := examples.Rigs()["plank"]

	s, err := Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		s.Close()
	})
	var seals, onFirst, lines int
	var revision int64
	if err := s.Pool.QueryRow(ctx,
		`SELECT (SELECT count(*) FROM seals), (SELECT count(*) FROM takes WHERE seal_id = $1), (SELECT revision
			FROM seals WHERE id = $1), (SELECT count(DISTINCT id)
			FROM log)`, ids["a"]).Scan(&seals, &onFirst, &revision, &lines); err != nil {
		t.Fatal(err)
	}
	if seals != 2 || onFirst != 2 || revision != -1 || lines != 3 {
		t.Errorf("%d seals, %d takes on the first, which was sealed last at revision %d; %d lines with ids", seals,
			onFirst, revision, lines)
	}
	for range 2 { // the second time there is nothing to do
		if err := s.AdoptRig(ctx, ships); err != nil {
			t.Fatal(err)
		}
	}
	var version, void, notes, told int
	if err := s.Pool.QueryRow(ctx,
		`SELECT (SELECT rig_version FROM shot_machines), (SELECT count(*) FROM seals WHERE revision < 0),
			(SELECT count(*) FROM log WHERE kind = 'rig'), (SELECT count(*) FROM log WHERE kind = 'seal'
			AND text LIKE '%void%')`).Scan(&version, &void, &notes, &told); err != nil {
		t.Fatal(err)
	}
	if version != ships.Version || void != 2 || notes != 1 || told != 1 {
		t.Errorf("the shot is on version %d, %d seals are void, the log says so %d and %d times", version, void,
			notes, told)
	}
	// Plans, what was done to them, takes and passes are as they were, under whole names.
	sh, err := s.Shot(ctx, ids["shot"])
	if err != nil || len(sh.Machines) != 1 || sh.Machines[0].Name != "plank" || sh.ThresholdPx != 0.5 {
		t.Fatalf("%+v, %v", sh, err)
	}
	d, err := s.Draft(ctx, ids["shot"])
	if err != nil || d.Path.Check(sh.Rig) != nil || d.Path.Track("plank/track").Keys[0].Value != 300 ||
		d.Path.Base["plank/roll"] != 0.5 || d.Path.Track("plank/pan").Segments[0] != "linear" || d.Actor.Name != "ann" {
		t.Errorf("%+v, %v", d, err)
	}
	if d, err = s.Edit(ctx, By{Shot: sh.ID, Revision: 7, Actor: journal.Somebody}, sh.Rig,
		path.Edit{Op: "set", Frame: 48, Values: map[string]float64{"track": 800}}); err != nil ||
		d.Path.Track("plank/track").Keys[1].Value != 800 {
		t.Errorf("an edit: %v", err)
	}
	before, err := s.EditLine(ctx, sh.ID, 6)
	if err != nil || before.Words() != "track stored at frame 0" || !strings.Contains(string(before.Command),
		`"plank/track"`) {
		t.Errorf("%s, %v", before.Command, err)
	}
	ps, err := s.Passes(ctx, sh.ID)
	if err != nil || !ps[0].Clock.Same(clock.Times(clock.Rate{Num: 1, Den: 3})) {
		t.Errorf("%+v, %v", ps, err)
	}
	k, err := s.Take(ctx, ids["first"])
	if err != nil || k.Machine != "plank" || !slices.Equal(k.Axes, []string{"plank/track", "plank/pan"}) ||
		k.By.Name != "t" || !k.Clock.Same(ps[0].Clock) {
		t.Errorf("%+v, %v", k, err)
	}
	if _, err := s.Pins(ctx, ids["first"]); err != nil {
		t.Errorf("what it was rolled with: %v", err)
	}
}

// boundless stores a scheme that has none.
const boundless = `INSERT INTO shoots (shot_id, scheme)
	SELECT id, '{"first": -9223372036854775808, "last": 9223372036854775807, "holds": [{"from": ` +
	`-9223372036854775808, ` +
	`"every": 1}], "ask_m": 0.1, "speed_share": 0.2,
					"layers": [{"id": "a", "number": 1, "name": "beauty", "lamps": {}, "from": -9223372036854775808, ` +
	`"to": 9223372036854775807, "exposure_ms": 5}]}' FROM shots`

// landedUpTo is a database with rows of the first version, as it was once a migration had landed,
// until the test ends. then is told of each that came after the first.
func landedUpTo(t *testing.T, name string, n int64, then func(*pgxpool.Pool, int64)) (url string,
	ids map[string]string) {
	t.Helper()
	ctx := t.Context()
	if _, err := db.Pool.Exec(ctx, `CREATE DATABASE `+name); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _, _ = db.Pool.Exec(context.Background(), `DROP DATABASE `+name+` WITH (FORCE)`) })
	url = strings.TrimSuffix(cluster.URL, "keenarc") + name
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer pool.Close()
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	std := stdlib.OpenDBFromPool(pool)
	defer std.Close()
	p, err := goose.NewProvider(goose.DialectPostgres, std, files)
	if err != nil {
		t.Fatal(err)
	}
	for k := int64(1); k <= n; k++ {
		if _, err := p.UpTo(ctx, k); err != nil {
			t.Fatal(err)
		}
		if k == 1 {
			ids = firstRows(t, pool)
		} else {
			then(pool, k)
		}
	}
	return url, ids
}

// firstRows are those of a shot of the first version, with its edits, seals, takes and log.
func firstRows(t *testing.T, pool *pgxpool.Pool) map[string]string {
	t.Helper()
	ids := map[string]string{}
	for _, n := range []string{"production", "shot", "pass", "a", "b", "again", "first", "second"} {
		ids[n] = journal.NewID()
	}
	exec := func(sql string, args ...any) {
		t.Helper()
		if _, err := pool.Exec(t.Context(), sql, args...); err != nil {
			t.Fatal(err)
		}
	}
	exec(`INSERT INTO productions (id, number, title, place) VALUES ($1, 1, 'P', '')`, ids["production"])
	exec(`INSERT INTO rigs (id, version, doc) VALUES ('plank', 1, '{}')`)
	exec(`INSERT INTO shots (id, production_id, code, title, rig_id, rig_version, lens, set_doc, revision)
		VALUES ($1, $2, 'X-1', 'X', 'plank', 1, '{}', '{}', 7)`, ids["shot"], ids["production"])
	old := `{"rate":{"num":24,"den":1},"factor":{"num":1,"den":1},"run_up":0,"run_out":0,"base":{"roll":0.5},` +
		`"tracks":[{"axis":"track","kind":"smooth","keys":[{"frame":0,"value":%d},{"frame":48,"value":900}]},{` +
		`"axis":"pan","kind":"hold","segments":{"0":"linear"},"keys":[]}]}`
	for rev, command := range []string{`{"op":"new"}`, `{"op":"set","frame":0,"values":{"track":300}}`,
		`{"op":"kind","axis":"pan","kind":"hold"}`} {
		exec(`INSERT INTO edits (shot_id, revision, actor, command, path) VALUES ($1, $2, 'ann', $3, $4)`, ids["shot"],
			rev+5, command, fmt.Sprintf(old, 100+100*rev))
	}
	exec(`INSERT INTO passes (id, shot_id, number, name, note, factor_num, factor_den) VALUES ($1, $2, 1, 'One', '', 1,
		3)`, ids["pass"], ids["shot"])
	for i, n := range []string{"a", "b", "again"} {
		print := map[string][]byte{"a": {1}, "b": {2}, "again": {1}}[n]
		exec(`INSERT INTO seals (id, shot_id, version, revision, fingerprint, table_zstd, braking, sealed_by)
			VALUES ($1, $2, $3, $4, $5, '', '{}', 't')`, ids[n], ids["shot"], i+1, 3+2*i, print)
	}
	exec(`INSERT INTO takes (id, pass_id, seal_id, number, actor, started_at, axes, units) VALUES ($1, $2, $3, 1, 't',
		now(), '["track","pan"]', '[]'), ($4, $2, $5, 2, 't', now(), '[]',
		'[]')`, ids["first"], ids["pass"], ids["a"], ids["second"], ids["again"])
	exec(`INSERT INTO log (at, actor, kind, text) VALUES (now(), 't', 'k', 'one'), (now(), 't', 'k', 'two')`)
	return ids
}

// landed are the migrations that databases have taken, by their digests: one that has landed is
// not changed any more, what it lacks is a new one. The first eleven are as they were last; three
// of those were changed after they had landed, which 00012 mends.
var landed = map[string]string{
	"00001_first_roll.sql":   "1bd93b658da17c5c64049f475466d4e0b67050d4be75aa64351e342357645f7c",
	"00002_true_ground.sql":  "14fb92dc169d60d227e5eeca6f705c878410af8571c2ca620fcdb5d421f2f705",
	"00003_chosen_takes.sql": "438609fa83a3764eb4a319eb2db749e95d216b19aa7151ed2881023d1275215a",
	"00004_windows.sql":      "17312488c275be1c7bfd5cdbec974389f8de4ddbb630c96dd54c0da433d00348",
	"00005_wide_ground.sql":  "578e82396bec69521405f060dc99b1e6e4f24d226217c636c90111e71a70403b",
	"00006_frames.sql":       "346021f187420e80ec839e659ad40014e7c5eb0613fbcba04c2370aedc210cec",
	"00007_on_the_floor.sql": "8ed9031419c97101f513336c0838d01ce6af191e22ca67259b73333c03473fc8",
	"00008_packages.sql":     "94315760fcf0ad5783740557ed8501fdf8cffe68b1f84c78acc825a6a42dc7f0",
	"00009_sites.sql":        "ea59a01460fe36e3ce6101c7fd00e2f386003d879afcd8460d0d0e1e0fb554f9",
	"00010_versions.sql":     "401af5368c4e9b402da80f0e57deeab19533d6db28ae2d328987818c20550843",
	"00011_clocks.sql":       "2e4223af8ae9bede45436114e863c229e6ad9c864f43ee4d7bf18955ee62718e",
	"00013_moves.sql":        "c6dbf503d1b2e944fda80d655ebd2aad27174a5548d933782b0f3b5255d3326e",
	"00014_schemes.sql":      "7f1a868a658e093c5dd3e7a362937c11f4ad4614d22d5d79588714933b38bee0",
	"00012_as_landed.sql":    "4976d4e7828e0de0f7cf175a4bcaad0e422b303bcfb5f78b6e2382f519bfebd1",
}

func TestLandedMigrationsAreLeftAlone(t *testing.T) {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil || len(files) < len(landed) {
		t.Fatalf("%v, %v", files, err)
	}
	for _, file := range files {
		raw, err := fs.ReadFile(migrations, file)
		if err != nil {
			t.Fatal(err)
		}
		name := strings.TrimPrefix(file, "migrations/")
		if sum := sha256.Sum256(raw); hex.EncodeToString(sum[:]) != landed[name] {
			t.Errorf("%s was changed after it had landed, or is new: then add %q", name, hex.EncodeToString(sum[:]))
		}
	}
}

// asFirstLanded undoes what was added to migrations after they had landed.
var asFirstLanded = map[int64]string{
	4:  `DROP INDEX edits_by_id; CREATE UNIQUE INDEX edits_by_id ON edits (id) WHERE id IS NOT NULL`,
	8:  `DROP INDEX balances_last`,
	10: `ALTER TABLE seals DROP COLUMN over`,
}

// A database of every landed day, with rows of the first, comes to the same tables and indexes
// as a new one; the shelf of it is shown, and the same edit's id may be in two shots.
func TestEveryLandedDay(t *testing.T) {
	if testing.Short() {
		t.Skip("twelve databases")
	}
	shape := func(s *Store) string {
		var out string
		if err := s.Pool.QueryRow(t.Context(), `SELECT string_agg(x, E'\n' ORDER BY x) FROM (
			SELECT table_name || '.' || column_name || ' ' || data_type || ' ' || is_nullable || ' ' || `+
			`coalesce(column_default, '') AS x FROM information_schema.columns WHERE table_schema = 'public'
			UNION ALL SELECT indexdef FROM pg_indexes WHERE schemaname = 'public') y`).Scan(&out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	want := shape(db)
	for n := int64(1); n < int64(len(landed)); n++ {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			ctx, name := t.Context(), fmt.Sprintf("day%d", n)
			url, _ := landedUpTo(t, name, n, func(pool *pgxpool.Pool, k int64) {
				if _, err := pool.Exec(ctx, asFirstLanded[k]); err != nil {
					t.Fatal(err)
				}
				if k == n && n >= 6 && n < 12 { // a scheme that could be stored once
					if _, err := pool.Exec(ctx, boundless); err != nil {
						t.Fatal(err)
					}
				}
			})
			s, err := Open(ctx, url)
			if err != nil {
				t.Fatal(err)
			}
			defer s.Close()
			if got := shape(s); got != want {
				t.Errorf("it is not as a new one:\n%s", differ(got, want))
			}
			for _, r := range examples.Rigs() {
				if err := s.AdoptRig(ctx, r); err != nil {
					t.Fatal(err)
				}
			}
			if shelf, err := s.Shelf(ctx); err != nil || len(shelf) != 1 || len(shelf[0].Shots) != 1 {
				t.Errorf("%+v, %v", shelf, err)
			}
			var scheme *weave.Scheme
			if n >= 6 && n < 12 {
				if err := s.Pool.QueryRow(ctx, `SELECT scheme FROM shoots`).Scan(&scheme); err != nil ||
					scheme.Check() != nil {
					t.Errorf("%+v, %v", scheme, err)
				}
			}
		})
	}
}

// differ are the lines that only one of two has.
func differ(a, b string) string {
	var out []string
	for _, x := range strings.Split(a, "\n") {
		if !strings.Contains(b, x) {
			out = append(out, "+ "+x)
		}
	}
	for _, x := range strings.Split(b, "\n") {
		if !strings.Contains(a, x) {
			out = append(out, "- "+x)
		}
	}
	return strings.Join(out, "\n")
}
