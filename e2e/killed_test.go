package e2e

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"keenarc/link"
	"keenarc/stage"
	"keenarc/web"
)

// process is "keenarc serve" in a process of its own.
type process struct {
	t    *testing.T
	cmd  *exec.Cmd
	addr string
}

func serve(t *testing.T, folder, database, rig string, more ...string) *process {
	t.Helper()
	if p := tryServe(t, folder, database, rig, more...); p != nil {
		return p
	}
	t.Fatal("the application did not start")
	return nil
}

// tryServe is nil where it ends at once, as without a database.
func tryServe(t *testing.T, folder, database, rig string, more ...string) *process {
	t.Helper()
	if !slices.Contains(more, "--listen") {
		more = append(more, "--listen", "127.0.0.1:0")
	}
	return trySaying(t, append([]string{"serve", "--folder", folder, "--database", database, "--rig", "plank=" + rig},
		more...)...)
}

// trySaying starts the application with arguments and waits for its address.
func trySaying(t *testing.T, args ...string) *process {
	t.Helper()
	cmd := exec.Command(binary, args...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	for in := bufio.NewScanner(out); in.Scan(); {
		if at, ok := strings.CutPrefix(in.Text(), "Keen Arc is at "); ok {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return &process{t, cmd, at}
		}
	}
	_ = cmd.Wait()
	return nil
}

func (p *process) try(path, body string) (int, string) {
	p.t.Helper()
	r, err := http.Post(p.addr+path, "application/json", strings.NewReader(body))
	if err != nil {
		p.t.Fatal(err)
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	return r.StatusCode, string(b)
}

func (p *process) post(path, body string) {
	p.t.Helper()
	if code, b := p.try(path, body); code/100 != 2 {
		p.t.Fatalf("%s: %d %s", path, code, b)
	}
}

// until asks for the passes until the only take is as wanted.
func (p *process) until(what, shot string, ok func(web.TakeView) bool) web.TakeView {
	p.t.Helper()
	var last web.TakeView
	for late := time.Now().Add(30 * time.Second); time.Now().Before(late); time.Sleep(50 * time.Millisecond) {
		r, err := http.Get(p.addr + "/api/shots/" + shot + "/passes")
		if err != nil {
			continue
		}
		var ps []web.PassView
		err = json.NewDecoder(r.Body).Decode(&ps)
		r.Body.Close()
		if err != nil || len(ps) == 0 || len(ps[0].Takes) == 0 {
			continue
		}
		if last = ps[0].Takes[0]; ok(last) {
			return last
		}
	}
	p.t.Fatalf("waited in vain for %s: %+v", what, last.TakeLine)
	return last
}

// atFirst homes the rig and sends it to the first picture, so that the pass may roll.
func (p *process) atFirst(shot, pass string) {
	p.t.Helper()
	var m *web.LiveMessage
	now := func() link.State {
		m = p.sees("the rig at rest", shot+"&pass="+pass, func(m *web.LiveMessage) bool {
			// One that was killed drives it until its connection is found to be gone.
			return m.Floor.Connected && m.Floor.Driving && m.Floor.State.Mode == link.Idle && m.Floor.State.N > 5
		})
		return m.Floor.State
	}
	// It is seen to move, or to be there: it may have been there before, and not ready for another reason.
	moves := func(what, body string, there func(*web.LiveMessage) bool) {
		p.post("/api/machines/plank/"+what, body)
		p.sees(what, shot+"&pass="+pass, func(m *web.LiveMessage) bool {
			return m.Floor.State.Mode != link.Idle || there(m)
		})
	}
	if now(); m.Ready.OK {
		return
	}
	if !allHomed(now()) {
		moves("home", `{"shot":"`+shot+`"}`, func(m *web.LiveMessage) bool { return allHomed(m.Floor.State) })
	}
	if now(); !m.Ready.OK {
		moves("goto", `{"shot":"`+shot+`"}`, func(m *web.LiveMessage) bool { return m.Ready.OK })
	}
	p.sees("the pass ready", shot+"&pass="+pass, func(m *web.LiveMessage) bool { return m.Ready.OK })
}

// Killed with -9 in mid-roll and started again: with a rig that stayed on, the
// rest of the take is fetched and it ends where it did; with a rig that went, too,
// it ends at its last stored row. It never goes on "rolling", and the log says so.
func TestKilledInMidRoll(t *testing.T) {
	beside(t)
	ctx := t.Context()
	d, home := desk(t), folder(t)
	db, shot := d.db, d.shot
	for _, rigStays := range []bool{true, false} {
		if _, err := db.Pool.Exec(ctx, `DELETE FROM findings; DELETE FROM trace_chunks; DELETE FROM takes`); err !=
			nil {
			t.Fatal(err)
		}
		ps, err := db.Passes(ctx, shot)
		if err != nil {
			t.Fatal(err)
		}
		rig, err := stage.StartStandIn(context.Background(), binary, "--seed", "5", "--pace", "4")
		if err != nil {
			t.Fatal(err)
		}
		p := serve(t, home, d.url, rig.Addr)
		p.post("/api/shots/"+shot+"/seal", `{"revision":0}`)
		p.atFirst(shot, ps[0].ID)
		stored := 0
		p.held(shot, ps[0].ID, func() bool {
			if err := db.Pool.QueryRow(ctx, `SELECT coalesce(sum(rows), 0) FROM trace_chunks`).Scan(
				&stored); err != nil {
				t.Fatal(err)
			}
			return stored >= 3000
		}, func() {
			if err := p.cmd.Process.Kill(); err != nil {
				t.Fatal(err)
			}
			_ = p.cmd.Wait()
		})
		// What it was told may wait in a line yet: it is over when only the test's own sessions are left.
		until(t, "the database to end what it was told", func() bool {
			var n int32
			err := db.Pool.QueryRow(ctx, `SELECT count(*) FROM pg_stat_activity
				WHERE datname = current_database() AND backend_type = 'client backend'`).Scan(&n)
			return err == nil && n <= db.Pool.Stat().TotalConns()
		})
		if err := db.Pool.QueryRow(ctx, `SELECT coalesce(sum(rows), 0) FROM trace_chunks`).Scan(&stored); err != nil ||
			stored < 2000 {
			t.Fatalf("%d rows were stored before the kill: %v", stored, err)
		}
		addr := rig.Addr
		if !rigStays {
			rig.Close()
		}
		p = serve(t, home, d.url, addr)
		k := p.until("the end of the take", shot, func(k web.TakeView) bool { return k.Ended })
		if !k.Broken || k.Frame < 40 || rigStays != (k.Rows > stored) || rigStays != strings.Contains(k.Why,
			"connection was lost") || rigStays == strings.Contains(k.Why, "application was stopped") {
			t.Errorf("rig stays %v: broken %v at %g (%s), %d rows, %d were stored before", rigStays, k.Broken, k.Frame,
				k.Why, k.Rows, stored)
		}
		full, err := db.Take(ctx, k.ID)
		if err != nil || !full.Trace.Whole() || len(full.Trace.Pos) != k.Rows ||
			full.Trace.Pos[k.Rows-1].Frame() != k.Frame {
			t.Errorf("rig stays %v: its trace has %d rows: %v", rigStays, len(full.Trace.Pos), err)
		}
		log, err := db.Log(ctx, shot, 0, 5)
		if err != nil || len(log) == 0 || !strings.Contains(log[0].Text+log[1].Text, "take 1 broken off at frame") {
			t.Errorf("rig stays %v: the log says %+v, %v", rigStays, log, err)
		}
		_ = p.cmd.Process.Signal(os.Interrupt)
		_ = p.cmd.Wait()
		if rigStays {
			rig.Close()
		}
	}
}

// own is "keenarc demo" with a database of its own in a folder.
func own(t *testing.T, folder string) *process {
	t.Helper()
	if p := trySaying(t, "demo", "--folder", folder, "--listen", "127.0.0.1:0", "--no-pictures"); p != nil {
		return p
	}
	t.Fatal("the application did not start")
	return nil
}

// shelf is what the bookshelf answers.
func (p *process) shelf() (int, string) {
	r, err := http.Get(p.addr + "/api/shelf")
	if err != nil {
		return 0, err.Error()
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	return r.StatusCode, string(b)
}

// The application is killed and started again at once, while its database still ends; then the
// database is killed under it. Each time the shelf is served. A second one on the same folder
// is told so.
func TestItsDatabaseComesBack(t *testing.T) {
	beside(t)
	where := folder(t)
	p := own(t, where)
	if code, b := p.shelf(); code != 200 {
		t.Fatalf("%d %s", code, b)
	}
	if second := trySaying(t, "demo", "--folder", where, "--listen", "127.0.0.1:0", "--no-pictures"); second != nil {
		t.Error("a second one starts on the same folder")
	}
	if err := p.cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = p.cmd.Wait()
	p = own(t, where)
	if code, b := p.shelf(); code != 200 {
		t.Errorf("after it was killed: %d %s", code, b)
	}
	raw, err := os.ReadFile(filepath.Join(where, "db", "data", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	line, _, _ := strings.Cut(string(raw), "\n")
	pid, err := strconv.Atoi(line)
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	time.Sleep(300 * time.Millisecond)
	for late := time.Now().Add(40 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		code, b := p.shelf()
		if code == 200 {
			break
		}
		if time.Now().After(late) {
			t.Fatalf("after its database was killed: %d %s", code, b)
		}
	}
	_ = p.cmd.Process.Signal(os.Interrupt)
	_ = p.cmd.Wait()
}

// Everything is thrown away, twice: the demo is there each time.
func TestDemoReset(t *testing.T) {
	beside(t)
	where := folder(t)
	for n := range 3 {
		ctx, stop := context.WithCancel(t.Context())
		ready, ended := make(chan *web.Running, 1), make(chan error, 1)
		go func() {
			ended <- web.Run(ctx, web.Options{Listen: "127.0.0.1:0", Folder: where, Rigs: []string{"plank=127.0.0.1:9"},
				Demo: true, Reset: n > 0, Out: io.Discard, Log: slog.New(slog.DiscardHandler),
				Ready: func(r *web.Running) { ready <- r }})
		}()
		select {
		case err := <-ended:
			t.Fatalf("start %d: %v", n+1, err)
		case r := <-ready:
			p := &process{t: t, addr: r.Addr}
			if code, b := p.shelf(); code != 200 || !strings.Contains(b, "SL-010") {
				t.Errorf("start %d: %d %.200s", n+1, code, b)
			}
		}
		stop()
		if err := <-ended; err != nil {
			t.Errorf("start %d: %v", n+1, err)
		}
	}
}
