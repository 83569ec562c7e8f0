package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"strconv"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"keenarc/link"
	"keenarc/stage"
	"keenarc/store"
)

// Options of a running application.
type Options struct {
	Listen  string // loopback address; a port of 0 takes a free one
	Folder  string // for the database, the spool and logs
	URL     string // of a database; empty: start one in Folder
	RigAddr string // of a rig; empty: start the stand-in
	Binary  string // of this program, for the stand-in
	Seed    uint64
	Demo    bool // load the demo production into an empty database
	Reset   bool // throw everything away first
	Out     io.Writer
	Log     *slog.Logger
	// Ready is called with the address once it serves; tests use it.
	Ready func(*Running)
}

// Running is what a test may want to lay hands on.
type Running struct {
	Addr    string
	Store   *store.Store
	Cluster *store.Cluster
	StandIn *stage.StandIn
	Floor   *stage.Floor
}

// Run starts what is needed, serves until the context ends, and stops what it
// started, in the reverse order.
func Run(ctx context.Context, o Options) error {
	host, _, err := net.SplitHostPort(o.Listen)
	if err != nil {
		return fmt.Errorf("--listen: %w", err)
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return errors.New("--listen: only loopback for now; passphrases, which listening further needs, are not built yet")
	}
	run := &Running{}
	url := o.URL
	if url == "" {
		fmt.Fprintln(o.Out, "starting the database …")
		if run.Cluster, err = store.StartCluster(ctx, filepath.Join(o.Folder, "db")); err != nil {
			return err
		}
		defer run.Cluster.Stop()
		url = run.Cluster.URL
	}
	if o.Reset {
		if err := store.Reset(ctx, url); err != nil {
			return err
		}
	}
	if run.Store, err = store.Open(ctx, url); err != nil {
		return err
	}
	defer run.Store.Close()
	for _, r := range stage.Rigs() {
		if err := run.Store.AdoptRig(ctx, r); err != nil {
			return fmt.Errorf("storing rig %s: %w", r.Name, err)
		}
	}
	if o.Demo {
		if err := run.Store.LoadDemo(ctx); err != nil {
			return fmt.Errorf("loading the demo: %w", err)
		}
	}
	rig := o.RigAddr
	if rig == "" {
		if run.StandIn, err = stage.StartStandIn(context.WithoutCancel(ctx), o.Binary, "--seed", strconv.FormatUint(o.Seed, 10)); err != nil {
			return err
		}
		defer run.StandIn.Close()
		rig = run.StandIn.Addr
	}
	j, err := store.NewJournal(run.Store, filepath.Join(o.Folder, "spool"), o.Log)
	if err != nil {
		return err
	}
	run.Floor = stage.NewFloor(func(ctx context.Context) (link.Rig, error) { return link.Dial(ctx, rig) }, j, o.Log)
	work, stop := context.WithCancel(ctx)
	var wg sync.WaitGroup
	defer wg.Wait()
	defer stop()
	server := New(run.Store, run.Floor, o.Log) // before the floor runs: it is told of takes that end
	wg.Go(func() { j.Run(work) })
	wg.Go(func() { server.RunJudge(work) })
	wg.Go(func() { _ = run.Floor.Run(work) })
	return serve(ctx, o, run, server)
}

func serve(ctx context.Context, o Options, run *Running, server *Server) error {
	l, err := net.Listen("tcp", o.Listen)
	if err != nil { // the usual port is taken: any free one will do
		if l, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return err
		}
	}
	run.Addr = "http://" + l.Addr().String()
	srv := &http.Server{Handler: server.Handler(), ReadHeaderTimeout: 10 * time.Second}
	ended := make(chan error, 1)
	go func() { ended <- srv.Serve(l) }()
	fmt.Fprintln(o.Out, "Keen Arc is at", run.Addr)
	if o.Ready != nil {
		o.Ready(run)
	}
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	down, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if srv.Shutdown(down) != nil {
		_ = srv.Close() // live sockets stay open until they are closed
	}
	<-ended
	return nil
}

// Describe is the API's description as OpenAPI 3.1.
func Describe() ([]byte, error) {
	api := New(nil, nil, slog.Default()).API(chi.NewRouter())
	return json.MarshalIndent(api.OpenAPI(), "", " ")
}
