package web

import "testing"

// A take whose trace cannot be read keeps no other from being shown.
func TestOneBadTake(t *testing.T) {
	ctx := t.Context()
	var id, pass string
	takes := func() (n, judged int) {
		t.Helper()
		var ps []PassView
		if code, b := do("GET", "/api/shots/"+id+"/passes", ""); code != 200 || fromJSON(b, &ps) != nil {
			t.Fatalf("%d %s", code, b)
		}
		for _, p := range ps {
			for _, k := range p.Takes {
				if n++; k.Finding != nil {
					judged++
				}
			}
		}
		return n, judged
	}
	id = fresh(t, "WB-10")
	for k, e := range []string{`{"op":"set","frame":0,"values":{"track":200}}`,
		`{"op":"set","frame":48,"values":{"track":300}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(k)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	if code, b := do("POST", "/api/shots/"+id+"/seal", `{"revision":2}`); code != 200 {
		t.Fatal(b)
	}
	var seal string
	if err := running.Store.Pool.QueryRow(ctx,
		`SELECT p.id::text, x.id::text FROM passes p JOIN seals x ON x.shot_id = p.shot_id WHERE p.shot_id = $1 AND `+
			`x.revision >= 0 LIMIT 1`, id).Scan(&pass, &seal); err != nil {
		t.Fatal(err)
	}
	n, judged := takes()
	for _, sql := range []string{
		`INSERT INTO takes (id, pass_id, seal_id, number, person_id, started_at, axes, units, machine, clock, ended, ` +
			`rows, set_id, set_version, camera_id, camera_version, threshold_id, threshold_version)
			SELECT '01a213c4-1156-7864-a204-2ba1959b8caa', $1, $2, 999, (SELECT id FROM people LIMIT 1), now(), ` +
			`'["plank/track"]', '[{"num":25,"den":1}]', 'plank', p.clock, true, 10,
			s.set_id, s.set_version, s.camera_id, s.camera_version, s.threshold_id, s.threshold_version FROM ` +
			`passes p ` +
			`JOIN shots s ON s.id = p.shot_id WHERE p.id = $1`,
	} {
		if _, err := running.Store.Pool.Exec(ctx, sql, pass, seal); err != nil {
			t.Fatal(err)
		}
	}
	defer func() {
		_, _ = running.Store.Pool.Exec(ctx,
			`DELETE FROM trace_chunks WHERE take_id = '01a213c4-1156-7864-a204-2ba1959b8caa'`)
		_, _ = running.Store.Pool.Exec(ctx, `DELETE FROM takes WHERE id = '01a213c4-1156-7864-a204-2ba1959b8caa'`)
	}()
	if _, err := running.Store.Pool.Exec(ctx,
		`INSERT INTO trace_chunks (take_id, from_row, rows, data_zstd) VALUES `+
			`('01a213c4-1156-7864-a204-2ba1959b8caa', 0, 10, 'rubbish')`); err != nil {
		t.Fatal(err)
	}
	if m, j := takes(); m != n+1 || j != judged {
		t.Errorf("%d takes with %d findings; %d and %d before", m, j, n, judged)
	}
}
