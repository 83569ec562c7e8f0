package e2e

import (
	"context"
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"keenarc/examples"
	"keenarc/store"
)

// common is the database server that all tests of a run share, with a template that has the
// demo in it: a test's own database is a copy of that. Tests that kill or stop a server have
// one of their own (ownCluster, deskIn).
var common struct {
	once    sync.Once
	folder  string
	cluster *store.Cluster
	err     error
	count   atomic.Int64
	making  sync.Mutex // a template is copied by one at a time
}

const template = "demo_template"

// at is the address of a database of the common server.
func at(name string) string {
	return strings.TrimSuffix(common.cluster.URL, "keenarc") + name
}

func makeCommon(ctx context.Context) error {
	dir, err := os.MkdirTemp("/var/tmp", "keenarc-e2e-db-")
	if err != nil {
		return err
	}
	common.folder = dir
	if err := os.Chmod(dir, 0o755); err != nil {
		return err
	}
	if common.cluster, err = store.StartCluster(ctx, dir, "fsync=off"); err != nil {
		return err
	}
	if err := sql(ctx, "CREATE DATABASE "+template); err != nil {
		return err
	}
	db, err := store.Open(ctx, at(template))
	if err != nil {
		return err
	}
	defer db.Close() // nobody is connected while it is copied
	for _, r := range examples.Rigs() {
		if err := db.AdoptRig(ctx, r); err != nil {
			return err
		}
	}
	return db.LoadDemo(ctx)
}

// sql does something on the common server.
func sql(ctx context.Context, text string) error {
	c, err := pgx.Connect(ctx, common.cluster.URL)
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	_, err = c.Exec(ctx, text)
	return err
}

// endCommon ends the common server, where there is one.
func endCommon() {
	if common.cluster != nil {
		common.cluster.Stop()
	}
	_ = os.RemoveAll(common.folder)
}

// ownDatabase is one with the demo in it, for a test alone.
func ownDatabase(t *testing.T) (url string) {
	t.Helper()
	common.once.Do(func() { common.err = makeCommon(context.Background()) })
	if common.err != nil {
		t.Fatal(common.err)
	}
	name := fmt.Sprintf("test_%d", common.count.Add(1))
	common.making.Lock()
	err := sql(t.Context(), "CREATE DATABASE "+name+" TEMPLATE "+template)
	common.making.Unlock()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = sql(context.Background(), "DROP DATABASE "+name+" WITH (FORCE)") })
	return at(name)
}
