package store

import (
	"context"
	"log/slog"
	"os"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// ownCluster is one in a folder of its own.
func ownCluster(t *testing.T) (*Cluster, string) {
	t.Helper()
	dir, err := os.MkdirTemp("/var/tmp", "keenarc-cluster-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	c, err := StartCluster(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Stop)
	return c, dir
}

// A server that is killed is started again at the same address; one that was ended on
// purpose stays ended.
func TestAKilledClusterIsStartedAgain(t *testing.T) {
	t.Parallel()
	c, _ := ownCluster(t)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { defer close(done); c.Keep(ctx, slog.Default()) }()
	t.Cleanup(func() { stop(); <-done })
	if err := syscall.Kill(c.Process(), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	answers := func() bool {
		try, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		conn, err := pgx.Connect(try, c.URL)
		if err != nil {
			return false
		}
		return conn.Close(t.Context()) == nil
	}
	time.Sleep(200 * time.Millisecond)
	for late := time.Now().Add(40 * time.Second); !answers(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(late) {
			t.Fatal("it is not there again")
		}
	}
	c.Kill()
	time.Sleep(2 * time.Second)
	if answers() {
		t.Error("it was ended on purpose and is there again")
	}
}

// A folder whose server runs for somebody else is not taken from them.
func TestAFolderInUse(t *testing.T) {
	t.Parallel()
	c, dir := ownCluster(t)
	began := time.Now()
	if other, err := StartCluster(t.Context(), dir); err == nil || !strings.Contains(err.Error(),
		"running from this folder already") {
		if err == nil {
			other.Stop()
		}
		t.Errorf("a second one: %v", err)
	}
	if took := time.Since(began); took > 10*time.Second {
		t.Errorf("it was said after %v", took)
	}
	conn, err := pgx.Connect(t.Context(), c.URL)
	if err != nil {
		t.Fatalf("the first one: %v", err)
	}
	_ = conn.Close(t.Context())
	mine, err := Open(t.Context(), c.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer mine.Close()
	if ok, err := mine.Durable(t.Context()); !ok || err != nil {
		t.Errorf("fsync and synchronous_commit must be on: %v", err)
	}
}

// What is thrown away is ours, and all of it: the application starts on what is left. Another
// program's tables are left alone.
func TestReset(t *testing.T) {
	ctx := t.Context()
	for _, name := range []string{"ours", "theirs"} {
		if _, err := db.Pool.Exec(ctx, `CREATE DATABASE `+name); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _, _ = db.Pool.Exec(context.Background(), `DROP DATABASE `+name) })
	}
	url := func(name string) string { return strings.TrimSuffix(cluster.URL, "keenarc") + name }
	for n := range 2 { // empty at first, then full
		if err := Reset(ctx, url("ours")); err != nil {
			t.Fatal(err)
		}
		s, err := Open(ctx, url("ours"))
		if err != nil {
			t.Fatalf("time %d: %v", n, err)
		}
		err = s.LoadDemo(ctx)
		shelf, failed := s.Shelf(ctx)
		s.Close()
		if err != nil || failed != nil || len(shelf) != 1 {
			t.Fatalf("time %d: %v, %v, %d productions", n, err, failed, len(shelf))
		}
	}
	conn, err := pgx.Connect(ctx, url("theirs"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, `CREATE TABLE shots (id int); INSERT INTO shots VALUES (1)`); err != nil {
		t.Fatal(err)
	}
	if err := Reset(ctx, url("theirs")); err == nil || !strings.Contains(err.Error(), "not Keen Arc's") {
		t.Errorf("another program's: %v", err)
	}
	var left int
	if err := conn.QueryRow(ctx, `SELECT count(*) FROM shots`).Scan(&left); err != nil || left != 1 {
		t.Errorf("%d rows left, %v", left, err)
	}
}
