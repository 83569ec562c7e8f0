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
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/link"
	"keenarc/stage"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
	"keenarc/store"
)

// Options of a running application.
type Options struct {
	Listen string   // loopback address; a port of 0 takes a free one
	Folder string   // for the database, the spool and logs
	URL    string   // of a database; empty: start one in Folder
	Rigs   []string // addresses of rigs as ID=ADDRESS; none: start stand-ins of all that ship
	Camera string   // address of a camera; empty: start a stand-in on Plank's, if that is one
	Binary string   // of this program, for the stand-in
	Seed   uint64
	Pace   int  // how many times faster than real time stand-ins run; 0: as fast as it
	Homed  bool // stand-ins are homed already
	Demo   bool // load the demo production into an empty database
	Reset  bool // throw everything away first
	// Film, where set, takes the pictures of the demo's shoot that are there already.
	Film store.Film
	Out  io.Writer
	Log  *slog.Logger
	// Ready is called with the address once it serves; tests use it.
	Ready func(*Running)
}

// Running is what a test may want to lay hands on.
type Running struct {
	Addr     string
	Store    *store.Store
	Cluster  *store.Cluster
	StandIns map[string]*stage.StandIn // by the rig's id
	Camera   *stage.StandIn
	Floors   *machine.Set
}

// Run starts what is needed, serves until the context ends, and stops what it
// started, in the reverse order.
//
//revive:disable-next-line:function-length what is started, in its order; each is ended where it was begun
func Run(ctx context.Context, o Options) error {
	host, _, err := net.SplitHostPort(o.Listen)
	if err != nil {
		return fmt.Errorf("--listen: %w", err)
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return errors.New("--listen: only loopback for now; passphrases, which listening further needs, are " +
			"not built yet")
	}
	run := &Running{StandIns: map[string]*stage.StandIn{}, Floors: machine.NewSet()}
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
		// What waits to be stored, the camera's pictures and what stand-ins are belong to it.
		for _, of := range []string{"spool", "camera", "rigs"} {
			if err := os.RemoveAll(filepath.Join(o.Folder, of)); err != nil {
				return err
			}
		}
	}
	if run.Store, err = store.Open(ctx, url); err != nil {
		return err
	}
	defer run.Store.Close()
	rigs := examples.Rigs()
	for _, r := range rigs {
		if err := run.Store.AdoptRig(ctx, r); err != nil {
			return fmt.Errorf("storing rig %s: %w", r.Name, err)
		}
	}
	if o.Demo {
		if err := run.Store.LoadDemo(ctx); err != nil {
			return fmt.Errorf("loading the demo: %w", err)
		}
		if o.Film != nil {
			if err := run.Store.DemoPictures(ctx, o.Film, o.Out); err != nil {
				return fmt.Errorf("taking the demo's pictures: %w", err)
			}
		}
	}
	addrs, err := o.addresses()
	if err != nil {
		return err
	}
	if len(o.Rigs) == 0 {
		for i, id := range examples.RigIDs() {
			args := []string{"--rig", id, "--seed", strconv.FormatUint(o.Seed+uint64(i), 10)}
			if file, err := run.asWritten(ctx, o.Folder, rigs[id]); err != nil {
				return err
			} else if file != "" {
				args = append(args, "--file", file)
			}
			if o.Pace > 1 {
				args = append(args, "--pace", fmt.Sprint(o.Pace))
			}
			if o.Homed {
				args = append(args, "--homed")
			}
			si, err := stage.StartStandIn(context.WithoutCancel(ctx), o.Binary, args...)
			if err != nil {
				return err
			}
			defer si.Close()
			run.StandIns[id] = si
			addrs = append(addrs, address{id, si.Addr})
		}
	}
	eyeAt := o.Camera
	if rig := run.StandIns["plank"]; rig != nil && eyeAt == "" {
		k, err := stage.StartStandInCamera(context.WithoutCancel(ctx), o.Binary, "--rig", rig.Addr, "--folder",
			filepath.Join(o.Folder, "camera"))
		if err != nil {
			return err
		}
		defer k.Close()
		run.Camera, eyeAt = k, k.Addr
	}
	j, err := store.NewJournal(run.Store, filepath.Join(o.Folder, "spool"), o.Log)
	if err != nil {
		return err
	}
	defer j.Close()
	for _, a := range addrs {
		r := rigs[a.machine]
		f := machine.New(r.ID, r.Name, func(ctx context.Context) (link.Rig, error) {
			return link.Dial(ctx, a.at)
		}, j, o.Log)
		if err := run.soften(ctx, f, o.Log); err != nil {
			return err
		}
		run.Floors.Add(f)
	}
	work, stop := context.WithCancel(ctx)
	var wg sync.WaitGroup
	defer wg.Wait()
	defer stop()
	if c := run.Cluster; c != nil {
		wg.Go(func() { c.Keep(work, o.Log) })
	}
	eye := camera.NewEye(eyeAt, o.Log)
	server := New(run.Store, run.Floors, eye, o.Log) // before the floors run: it is told of takes that end
	wg.Go(func() { j.Run(work) })
	wg.Go(func() { server.RunJudge(work) })
	wg.Go(func() { server.tidy(work) })
	wg.Go(func() { server.conductor.Run(work) })
	wg.Go(func() { server.shooting.Run(work) })
	defer server.inStep.Close()
	return serve(ctx, o, run, server)
}

// soften gives a machine the soft limits of its newest line-up, as far as they fit; one that
// cannot be read is said in the log, and keeps nothing from starting.
func (run *Running) soften(ctx context.Context, f *machine.Machine, log *slog.Logger) error {
	r, err := run.Store.Rig(ctx, f.ID())
	if err != nil {
		return err
	}
	rows, err := run.Store.LineUps(ctx, f.ID(), 1)
	if err != nil || len(rows) == 0 {
		if err != nil {
			log.Error("a line-up cannot be read", "machine", f.ID(), "err", err)
		}
		return nil
	}
	day, wrong := rows[0].Doc.Fitted(r)
	if wrong != "" {
		log.Warn(wrong, "machine", f.ID())
	}
	f.Soften(day.Soft())
	return nil
}

// asWritten is a file with the newest version of a rig, where the book has one that is
// newer than what ships: its stand-in is what the book says.
func (run *Running) asWritten(ctx context.Context, folder string, ships *rig.Rig) (string, error) {
	r, err := run.Store.Rig(ctx, ships.ID)
	if err != nil || r.Version <= ships.Version {
		return "", err
	}
	raw, err := json.Marshal(r)
	if err != nil {
		return "", err
	}
	file := filepath.Join(folder, "rigs", r.ID+".json")
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return "", err
	}
	return file, os.WriteFile(file, raw, 0o600)
}

// address is where a machine is reached.
type address struct{ machine, at string }

func (o *Options) addresses() ([]address, error) {
	var out []address
	for _, s := range o.Rigs {
		id, at, ok := strings.Cut(s, "=")
		if !ok || !slices.Contains(examples.RigIDs(), id) || at == "" {
			return nil, fmt.Errorf("--rig: %q; give ID=ADDRESS with one of %s, as plank=127.0.0.1:4000", s,
				strings.Join(examples.RigIDs(), ", "))
		}
		if slices.ContainsFunc(out, func(a address) bool { return a.machine == id }) {
			return nil, fmt.Errorf("--rig: %s is given twice", id)
		}
		out = append(out, address{id, at})
	}
	return out, nil
}

func serve(ctx context.Context, o Options, run *Running, server *Server) error {
	l, err := net.Listen("tcp", o.Listen)
	if err != nil { // the usual port is taken: any free one will do
		if l, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return err
		}
	}
	run.Addr = "http://" + l.Addr().String()
	srv := &http.Server{Handler: server.Handler(), ReadHeaderTimeout: 10 * time.Second, ReadTimeout: bodyLimit,
		IdleTimeout: idleLimit, MaxHeaderBytes: 64 << 10}
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
	api := New(nil, machine.NewSet(), camera.NewEye("", slog.Default()), slog.Default()).API(chi.NewRouter())
	return json.MarshalIndent(api.OpenAPI(), "", " ")
}
