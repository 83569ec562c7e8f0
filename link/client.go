package link

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"sync"
	"time"
)

// Rig is what the stage needs of a machine.
type Rig interface {
	Call(ctx context.Context, q Request) (Reply, error)
	Send(q Request) error
	Events() <-chan Event
	Done() <-chan struct{}
	Close() error
}

// Client is a Rig over TCP. It owns one reading goroutine, which ends with the
// connection; Events is closed then.
type Client struct {
	conn   net.Conn
	mu     sync.Mutex // guards wait, next and writing
	wait   map[int64]chan Reply
	next   int64
	events chan Event
	done   chan struct{}
	closed chan struct{} // by Close: nobody reads events any more
	once   sync.Once
}

// ErrGone is returned when the connection to the rig is lost.
var ErrGone = errors.New("the connection to the rig is lost")

// Dial connects to a rig.
func Dial(ctx context.Context, addr string) (*Client, error) {
	conn, err := (&net.Dialer{Timeout: 2 * time.Second}).DialContext(ctx, "tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("connecting to the rig at %s: %w", addr, err)
	}
	c := &Client{conn: conn, wait: map[int64]chan Reply{}, events: make(chan Event, 1024), done: make(chan struct{}), closed: make(chan struct{})}
	go c.read()
	return c, nil
}

func (c *Client) read() {
	defer close(c.done)
	defer close(c.events)
	defer c.conn.Close()
	in := bufio.NewScanner(c.conn)
	in.Buffer(make([]byte, 0, 1<<16), MaxEvent)
	for in.Scan() { // a line that is too long ends the connection, too
		m, ok := hear(in.Bytes())
		if !ok {
			continue
		}
		if m.Re != 0 {
			c.mu.Lock()
			ch := c.wait[m.Re]
			delete(c.wait, m.Re)
			c.mu.Unlock()
			if ch != nil {
				ch <- m.Reply
			}
			continue
		}
		if m.State != nil { // newest only: a slow reader misses old states, never rows
			select {
			case c.events <- m.Event:
			default:
			}
			continue
		}
		select {
		case c.events <- m.Event:
		case <-c.closed:
			return
		}
	}
}

// MaxEvent and MaxRequest are the longest lines in bytes from and to a rig; only
// a table that is loaded is long.
const (
	MaxEvent   = 1 << 20
	MaxRequest = 256 << 20
)

// heard is one line from a rig: a reply where Re is set, else one event.
type heard struct {
	Reply
	Event
}

// hear reads a line; ok is false for what is neither. A reply that names its
// request and cannot be read otherwise is a refusal that says so, so that nobody
// waits for it.
func hear(line []byte) (m heard, ok bool) {
	if err := json.Unmarshal(line, &m); err != nil {
		re := m.Re
		return heard{Reply: Reply{Re: re, Why: "the rig's answer cannot be read: " + err.Error()}}, re != 0
	}
	return m, m.Re != 0 || m.State != nil || m.Rows != nil || m.Take != nil
}

// Call sends a request and waits for its reply. A refusal by the rig is an
// error with the rig's own reason.
func (c *Client) Call(ctx context.Context, q Request) (Reply, error) {
	ch := make(chan Reply, 1)
	c.mu.Lock()
	c.next++
	q.ID = c.next
	c.wait[q.ID] = ch
	err := c.write(q)
	c.mu.Unlock()
	if err != nil {
		return Reply{}, err
	}
	select {
	case r := <-ch:
		if !r.OK {
			return r, errors.New(r.Why)
		}
		return r, nil
	case <-c.done:
		return Reply{}, ErrGone
	case <-ctx.Done():
		return Reply{}, fmt.Errorf("the rig does not answer to %s: %w", q.Do, ctx.Err())
	}
}

// Send sends a request that has no reply.
func (c *Client) Send(q Request) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.write(q)
}

func (c *Client) write(q Request) error {
	b, err := json.Marshal(q)
	if err != nil {
		return err
	}
	if err := c.conn.SetWriteDeadline(time.Now().Add(5 * time.Second)); err != nil {
		return ErrGone
	}
	if _, err := c.conn.Write(append(b, '\n')); err != nil {
		return ErrGone
	}
	return nil
}

// Events are states, rows and ends of takes.
func (c *Client) Events() <-chan Event { return c.events }

// Done is closed when the connection is gone.
func (c *Client) Done() <-chan struct{} { return c.done }

// Close ends the connection.
func (c *Client) Close() error {
	c.once.Do(func() { close(c.closed) })
	return c.conn.Close()
}

// Addr is the rig's address.
func (c *Client) Addr() string { return c.conn.RemoteAddr().String() }
