package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/fnv"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
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
}

// StartCluster starts the server whose data is below folder, making it the
// first time. As root it runs the server as the system's postgres user, since
// PostgreSQL refuses to run as root.
func StartCluster(ctx context.Context, folder string) (*Cluster, error) {
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
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("database folder: %w", err)
	}
	c := &Cluster{Folder: folder, bin: bin, cred: cred}
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
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", "keenarc", "--pwfile", file, "--auth", "scram-sha-256", "-E", "UTF8", "--locale", "C.UTF-8")
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	cmd.Dir = "/"
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("making the database: %w: %s", err, out)
	}
	return word, nil
}

// Start starts the server again after Stop or Kill, at the same address.
func (c *Cluster) Start(ctx context.Context) error {
	c.ended = make(chan struct{})
	logFile, err := os.OpenFile(filepath.Join(c.Folder, "server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	defer logFile.Close()
	c.cmd = exec.Command(filepath.Join(c.bin, "postgres"), "-D", filepath.Join(c.Folder, "data"), "-p", strconv.Itoa(c.port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "fsync=on", "-c", "synchronous_commit=on")
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
		c.Stop()
		return err
	}
	defer admin.Close(ctx)
	var there bool
	if err := admin.QueryRow(ctx, `SELECT exists (SELECT 1 FROM pg_database WHERE datname = 'keenarc')`).Scan(&there); err != nil {
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
			return nil, fmt.Errorf("the database stopped at once; see %s (is it running from this folder already?)", filepath.Join(c.Folder, "server.log"))
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
		if time.Now().After(until) {
			return nil, fmt.Errorf("the database does not answer: %w", err)
		}
	}
}

// Stop shuts the server down and waits for it.
func (c *Cluster) Stop() {
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
	_ = c.cmd.Process.Signal(syscall.SIGQUIT)
	<-c.ended
}

func postgresBin() (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if err == nil && len(found) > 0 {
		sort.Strings(found)
		return filepath.Dir(found[len(found)-1]), nil
	}
	if p, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(p), nil
	}
	return "", errors.New("PostgreSQL's server is not installed; install the package postgresql, or set KEENARC_DATABASE_URL to a server of yours")
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

// Reset throws everything in the database away.
func Reset(ctx context.Context, url string) error {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return fmt.Errorf("connecting to the database: %w", err)
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `DROP TABLE IF EXISTS sessions, log, findings, trace_chunks, takes, passes, seals, edits, shots, rigs, productions, goose_db_version CASCADE`)
	return err
}
