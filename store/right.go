package store

import (
	"context"
	"fmt"
	"hash/fnv"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/journal"
)

// The right to drive a machine is an advisory lock of the database on a connection
// of its own: it goes with the connection, so a server that dies gives it back.

// right is a lock that is held.
type right struct {
	conn *pgx.Conn
	lost chan struct{}
	end  chan struct{}
	once sync.Once
	done chan struct{}
}

// rightPulse is how often the connection is looked at.
const rightPulse = time.Second

// Drive asks for the right to drive a machine.
func (j *Journal) Drive(ctx context.Context, machine string) (journal.Right, error) {
	ask, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	conn, err := j.asking(ask, machine)
	if err != nil {
		return nil, fmt.Errorf("asking for the right to drive %s: %w", machine, err)
	}
	var got bool
	if err := conn.QueryRow(ask, `SELECT pg_try_advisory_lock($1, $2)`, lockSpace, lockOf(machine)).Scan(
		&got); err != nil {
		_ = conn.Close(context.WithoutCancel(ctx))
		return nil, err
	}
	if !got { // the connection is kept for the next time
		j.rights.Store(machine, conn)
		return nil, journal.ErrElsewhere
	}
	r := &right{conn: conn, lost: make(chan struct{}), end: make(chan struct{}), done: make(chan struct{})}
	go r.watch()
	return r, nil
}

// asking is a connection to ask for a machine's right on: the last one, while it lasts.
func (j *Journal) asking(ctx context.Context, machine string) (*pgx.Conn, error) {
	if c, ok := j.rights.LoadAndDelete(machine); ok {
		if conn := c.(*pgx.Conn); conn.Ping(ctx) == nil {
			return conn, nil
		} else {
			_ = conn.Close(context.WithoutCancel(ctx))
		}
	}
	return pgx.ConnectConfig(ctx, j.s.Pool.Config().ConnConfig.Copy())
}

// Close ends the connections on which rights were asked for in vain.
func (j *Journal) Close() {
	j.rights.Range(func(k, c any) bool {
		j.rights.Delete(k)
		_ = c.(*pgx.Conn).Close(context.Background())
		return true
	})
}

// lockSpace keeps these locks apart from any others of the database.
const lockSpace int32 = 0x4b41 // "KA"

func lockOf(machine string) int32 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(machine))
	return int32(h.Sum32())
}

// watch looks after the connection until it is released; its owner waits for it.
func (r *right) watch() {
	defer close(r.done)
	tk := time.NewTicker(rightPulse)
	defer tk.Stop()
	for {
		select {
		case <-r.end:
			// Let go here, not whenever the server notices that the connection has gone.
			ctx, cancel := context.WithTimeout(context.Background(), patience)
			_, _ = r.conn.Exec(ctx, `SELECT pg_advisory_unlock_all()`)
			_ = r.conn.Close(ctx)
			cancel()
			return
		case <-tk.C:
			ctx, cancel := context.WithTimeout(context.Background(), patience)
			err := r.conn.Ping(ctx)
			cancel()
			if err != nil {
				_ = r.conn.Close(context.Background())
				close(r.lost)
				<-r.end
				return
			}
		}
	}
}

func (r *right) Lost() <-chan struct{} { return r.lost }

func (r *right) Release() {
	r.once.Do(func() { close(r.end) })
	<-r.done
}
