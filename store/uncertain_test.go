package store

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"keenarc/journal"
)

// wire lies between a pool and the database, and is cut when a word is said: before it is
// passed on, or after.
type wire struct {
	mu      sync.Mutex
	word    string // empty: it is not cut
	passes  bool   // the word itself still gets through
	stalls  bool   // nothing comes back, and it is not cut
	stalled func() // is told of it
}

func (w *wire) set(word string, passes, stalls bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.word, w.passes, w.stalls = word, passes, stalls
}

func (w *wire) says(b []byte) (cut, passes, stalls bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.word != "" && bytes.Contains(bytes.ToLower(b), []byte(w.word)), w.passes, w.stalls
}

func (w *wire) carry(t *testing.T, to string) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			near, err := l.Accept()
			if err != nil {
				return
			}
			far, err := net.Dial("tcp", to)
			if err != nil {
				near.Close()
				continue
			}
			var mute atomic.Bool // no answer comes back any more
			go func() {
				defer near.Close()
				buf := make([]byte, 1<<16)
				for {
					n, err := far.Read(buf)
					if err != nil || mute.Load() {
						return
					}
					if _, err := near.Write(buf[:n]); err != nil {
						return
					}
				}
			}()
			go func() {
				defer far.Close()
				buf := make([]byte, 1<<16)
				for {
					n, err := near.Read(buf)
					if err != nil {
						return
					}
					if cut, passes, stalls := w.says(buf[:n]); cut && stalls {
						w.stalled()
						_ = near.SetReadDeadline(time.Now().Add(time.Second))
						_, _ = io.Copy(io.Discard, near) // nothing is passed on, and nothing comes back
						return
					} else if cut && !passes {
						near.Close()
						return
					} else if cut {
						mute.Store(true)
						_, _ = far.Write(buf[:n])
						near.Close()
						time.Sleep(200 * time.Millisecond)
						return
					}
					if _, err := far.Write(buf[:n]); err != nil {
						return
					}
				}
			}()
		}
	}()
	return l.Addr().String()
}

// A commit whose answer does not come is neither said to have failed nor to be done: whether it
// was stored is seen with the next look. What the database itself refuses, and what was never
// sent, is certain.
func TestUncertainCommits(t *testing.T) {
	ctx := t.Context()
	u, err := url.Parse(cluster.URL)
	if err != nil {
		t.Fatal(err)
	}
	w := &wire{}
	u.Host = w.carry(t, u.Host)
	pool, err := pgxpool.New(ctx, u.String())
	if err != nil {
		t.Fatal(err)
	}
	defer pool.Close()
	s := &Store{Pool: pool}
	if _, err := db.Pool.Exec(ctx, `CREATE TABLE maybe (id uuid PRIMARY KEY)`); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _, _ = db.Pool.Exec(context.Background(), `DROP TABLE maybe`) })
	put := func(id string) error {
		ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
		defer cancel()
		w.stalled = func() { time.AfterFunc(100*time.Millisecond, cancel) } // nobody waits for ever
		return s.tx(ctx, func(tx pgx.Tx) error {
			_, err := tx.Exec(ctx, `INSERT INTO maybe VALUES ($1)`, pgx.QueryExecModeExec, id)
			return err
		})
	}
	there := func(id string) bool {
		var n int
		if err := db.Pool.QueryRow(ctx, `SELECT count(*) FROM maybe WHERE id = $1`, id).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n == 1
	}
	var un *UncertainError
	for name, c := range map[string]struct {
		word           string
		passes, stalls bool
		uncertain      bool
		stored         bool
	}{
		"nothing wrong":                {"", true, false, false, true},
		"cut before the commit":        {"commit", false, false, true, false},
		"cut after the commit":         {"commit", true, false, true, true},
		"the commit is never answered": {"commit", false, true, true, false},
		"cut before the change":        {"insert into maybe", false, false, false, false},
	} {
		id := journal.NewID()
		if err := put(journal.NewID()); err != nil { // a connection that is there
			t.Fatal(err)
		}
		w.set(c.word, c.passes, c.stalls)
		err := put(id)
		w.set("", false, false)
		if errors.As(err, &un) != c.uncertain || (err == nil) != (name == "nothing wrong") {
			t.Errorf("%s: %v", name, err)
		}
		for late := time.Now().Add(20 * time.Second); c.stored && !there(id) && time.Now().Before(late); {
			time.Sleep(5 * time.Millisecond)
		}
		time.Sleep(50 * time.Millisecond)
		if there(id) != c.stored {
			t.Errorf("%s: stored %v", name, !c.stored)
		}
	}
	// One change by itself is no other.
	id := journal.NewID()
	w.set("insert into maybe", true, false)
	_, err = s.exec(ctx, `INSERT INTO maybe VALUES ($1)`, pgx.QueryExecModeExec, id)
	w.set("", false, false)
	if err == nil {
		t.Error("it was heard of")
	} else if !errors.As(err, &un) && !strings.Contains(err.Error(), "prepare") {
		t.Errorf("one change: %v", err)
	}
	if _, err := s.exec(ctx, `INSERT INTO maybe VALUES ('none')`); err == nil || errors.As(err, &un) {
		t.Errorf("what the database refuses: %v", err)
	}
}
