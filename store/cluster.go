package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Cluster is a PostgreSQL server of our own on loopback, with its data in a
// folder of the project. It listens on TCP only, on a free port, with a
// generated passphrase.
type Cluster struct {
	URL    string
	Folder string
	cmd    *exec.Cmd
	ended  chan struct{}
	port   int
	bin    string
	word   string
	cred   *syscall.Credential
	set    []string // settings after ours

	mu   sync.Mutex
	down bool // it was ended on purpose
}

// StartCluster starts the server whose data is below folder, making it the
// first time. As root it runs the server as the system's postgres user, since
// PostgreSQL refuses to run as root. Settings (name=value) come after ours: a test's server whose
// data nobody needs tomorrow waits for no disk.
func StartCluster(ctx context.Context, folder string, settings ...string) (*Cluster, error) {
	bin, err := postgresBin()
	if err != nil {
		return nil, err
	}
	folder, err = filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	cred, err := serverUser()
	if err != nil {
		return nil, err
	}
	if cred != nil && !reachable(folder) {
		h := fnv.New64a()
		h.Write([]byte(folder))
		folder = filepath.Join("/var/tmp", fmt.Sprintf("keenarc-%x", h.Sum64()))
	}
	open := os.FileMode(0o700)
	if cred != nil {
		open = 0o711 // the server's user passes through it
	}
	if err := os.MkdirAll(folder, open); err != nil {
		return nil, fmt.Errorf("database folder: %w", err)
	}
	c := &Cluster{Folder: folder, bin: bin, cred: cred, set: settings}
	if c.word, err = c.init(ctx); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	c.port = l.Addr().(*net.TCPAddr).Port
	l.Close()
	return c, c.Start(ctx)
}

func (c *Cluster) init(ctx context.Context) (string, error) {
	bin, cred := c.bin, c.cred
	data, file := filepath.Join(c.Folder, "data"), filepath.Join(c.Folder, "word")
	if b, err := os.ReadFile(file); err == nil {
		if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err == nil {
			return strings.TrimSpace(string(b)), nil
		}
	}
	raw := make([]byte, 16)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	word := hex.EncodeToString(raw)
	if err := os.RemoveAll(data); err != nil {
		return "", err
	}
	if err := os.MkdirAll(data, 0o700); err != nil {
		return "", err
	}
	if err := os.WriteFile(file, []byte(word+"\n"), 0o600); err != nil {
		return "", err
	}
	if cred != nil {
		for _, f := range []string{data, file} {
			if err := os.Chown(f, int(cred.Uid), int(cred.Gid)); err != nil {
				return "", err
			}
		}
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", "keenarc", "--pwfile", file,
		"--auth", "scram-sha-256", "-E", "UTF8", "--locale", "C.UTF-8")
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	cmd.Dir = "/"
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("making the database: %w: %s", err, out)
	}
	return word, nil
}

// Start starts the server again after Stop or Kill, at the same address.
func (c *Cluster) Start(ctx context.Context) error {
	if err := c.oldGone(ctx); err != nil {
		return err
	}
	c.mu.Lock()
	c.ended, c.down = make(chan struct{}), false
	c.mu.Unlock()
	logFile, err := os.OpenFile(filepath.Join(c.Folder, "server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer logFile.Close()
	c.cmd = exec.Command(filepath.Join(c.bin, "postgres"), "-D", filepath.Join(c.Folder, "data"), "-p",
		strconv.Itoa(c.port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "fsync=on", "-c",
		"synchronous_commit=on")
	for _, s := range c.set {
		c.cmd.Args = append(c.cmd.Args, "-c", s)
	}
	c.cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.cred, Setpgid: true, Pdeathsig: syscall.SIGINT}
	c.cmd.Dir, c.cmd.Stdout, c.cmd.Stderr = "/", logFile, logFile
	if err := c.cmd.Start(); err != nil {
		return fmt.Errorf("starting the database: %w", err)
	}
	cmd, ended := c.cmd, c.ended
	go func() { _ = cmd.Wait(); close(ended) }()
	base := fmt.Sprintf("postgres://keenarc:%s@127.0.0.1:%d/", c.word, c.port)
	admin, err := c.await(ctx, base+"postgres")
	if err != nil {
		c.shut()
		return err
	}
	defer admin.Close(ctx)
	var there bool
	if err := admin.QueryRow(ctx, `SELECT exists (SELECT 1 FROM pg_database WHERE datname = 'keenarc')`).Scan(
		&there); err != nil {
		return err
	}
	if !there {
		if _, err := admin.Exec(ctx, `CREATE DATABASE keenarc`); err != nil {
			return fmt.Errorf("making the database: %w", err)
		}
	}
	c.URL = base + "keenarc"
	return nil
}

func (c *Cluster) await(ctx context.Context, url string) (*pgx.Conn, error) {
	until := time.Now().Add(30 * time.Second)
	for {
		try, cancel := context.WithTimeout(ctx, time.Second)
		conn, err := pgx.Connect(try, url)
		cancel()
		if err == nil {
			return conn, nil
		}
		select {
		case <-c.ended:
			return nil, fmt.Errorf("the database stopped at once; see %s (is it running from this folder already?)",
				filepath.Join(c.Folder, "server.log"))
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
		if time.Now().After(until) {
			return nil, fmt.Errorf("the database does not answer: %w", err)
		}
	}
}

// How long a server is waited for that an application left behind when it was killed, and one
// whose application is there still.
const (
	oldOrphan = 30 * time.Second
	oldInUse  = 2 * time.Second
)

// oldGone waits for a server that runs from this folder already. One that was left behind by an
// application that was killed is shut down; one whose application is there stays.
func (c *Cluster) oldGone(ctx context.Context) error {
	began, asked := time.Now(), false
	for {
		pid := c.running()
		if pid == 0 {
			return nil
		}
		inUse, most := parentIsOurs(pid), oldOrphan
		if inUse {
			most = oldInUse
		} else if !asked {
			asked = true
			_ = syscall.Kill(pid, syscall.SIGINT)
		}
		if time.Since(began) > most {
			if inUse {
				return fmt.Errorf("an application is running from this folder already (%s); use it there, or "+
					"end it first", c.Folder)
			}
			return fmt.Errorf("a database of an earlier run does not end (process %d); see %s", pid,
				filepath.Join(c.Folder, "server.log"))
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// running is the process of the server whose data this is, or 0.
func (c *Cluster) running() int {
	raw, err := os.ReadFile(filepath.Join(c.Folder, "data", "postmaster.pid"))
	if err != nil {
		return 0
	}
	line, _, _ := strings.Cut(string(raw), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(line))
	if err != nil || pid <= 1 {
		return 0
	}
	said, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if err != nil || !strings.Contains(string(said), filepath.Join(c.Folder, "data")) {
		return 0 // gone, or a number that another process has by now
	}
	return pid
}

// parentIsOurs reports whether a process was started by a program like this one that is there.
func parentIsOurs(pid int) bool {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	rest := string(raw[strings.LastIndexByte(string(raw), ')')+1:]) // " S 123 ..."
	f := strings.Fields(rest)
	if len(f) < 2 {
		return false
	}
	parent, err := os.Readlink("/proc/" + f[1] + "/exe")
	own, _ := os.Executable()
	return err == nil && (filepath.Base(parent) == filepath.Base(own) || filepath.Base(parent) == "keenarc")
}

// Keep starts the server again whenever it ends without having been told to, until the
// context ends.
func (c *Cluster) Keep(ctx context.Context, log *slog.Logger) {
	for {
		c.mu.Lock()
		ended := c.ended
		c.mu.Unlock()
		select {
		case <-ctx.Done():
			return
		case <-ended:
		}
		c.mu.Lock()
		down := c.down
		c.mu.Unlock()
		if !down {
			log.Error("the database has ended; it is started again")
			if err := c.Start(ctx); err != nil && ctx.Err() == nil {
				log.Error("the database does not start again; it is tried once more", "err", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Second):
		}
	}
}

// Stop shuts the server down and waits for it.
func (c *Cluster) Stop() {
	c.onPurpose()
	c.shut()
}

func (c *Cluster) shut() {
	_ = c.cmd.Process.Signal(syscall.SIGINT)
	select {
	case <-c.ended:
	case <-time.After(10 * time.Second):
		_ = c.cmd.Process.Signal(syscall.SIGQUIT)
		<-c.ended
	}
}

// Kill ends the server without shutting it down, as a power cut would.
func (c *Cluster) Kill() {
	c.onPurpose()
	_ = c.cmd.Process.Signal(syscall.SIGQUIT)
	<-c.ended
}

func (c *Cluster) onPurpose() {
	c.mu.Lock()
	c.down = true
	c.mu.Unlock()
}

// Process is the server's process number.
func (c *Cluster) Process() int { return c.cmd.Process.Pid }

func postgresBin() (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if err == nil && len(found) > 0 {
		sort.Strings(found)
		return filepath.Dir(found[len(found)-1]), nil
	}
	if p, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(p), nil
	}
	return "", errors.New("PostgreSQL's server is not installed; install the package postgresql, or set " +
		"KEENARC_DATABASE_URL to a server of yours")
}

// serverUser is who the server runs as: nil for ourselves.
func serverUser() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("running as root needs the user postgres: %w", err)
	}
	uid, err1 := strconv.ParseUint(u.Uid, 10, 32)
	gid, err2 := strconv.ParseUint(u.Gid, 10, 32)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, errors.Join(err1, err2)
}

// reachable reports whether every folder above is open to other users.
func reachable(folder string) bool {
	for d := filepath.Dir(folder); ; d = filepath.Dir(d) {
		if st, err := os.Stat(d); err == nil && st.Mode().Perm()&0o001 == 0 {
			return false
		}
		if d == "/" {
			return true
		}
	}
}

// Reset throws everything in a database of ours away: tables that another program has made
// are left, and so is all beside them.
func Reset(ctx context.Context, url string) error {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return fmt.Errorf("connecting to the database: %w", err)
	}
	defer conn.Close(ctx)
	var tables, ours int
	if err := conn.QueryRow(ctx,
		`SELECT count(*), count(*) FILTER (WHERE tablename IN ('goose_db_version', 'shots', 'edits')) FROM pg_tables
			WHERE schemaname = 'public'`).Scan(&tables, &ours); err != nil {
		return err
	}
	if tables > 0 && ours < 3 {
		return fmt.Errorf("this database has %d tables that are not Keen Arc's; nothing was thrown away. Give it a "+
			"database of its own", tables)
	}
	_, err = conn.Exec(ctx, `DROP SCHEMA public CASCADE; CREATE SCHEMA public`)
	return err
}
