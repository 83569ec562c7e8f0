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
	// Raw asks a word and answers its line. may, where it is not nil, is asked in the last step
	// before the word goes onto the wire; its error is answered, and nothing is sent.
	Raw(ctx context.Context, w Word, may func() error) ([]byte, error)
	// Say says a word that is not answered.
	Say(w Word) error
	// Heard is the newest boot and count of stops that anything from the rig has said.
	Heard() (boot string, stops int64)
	Events() <-chan Event
	Done() <-chan struct{}
	Close() error
}

// Ask asks a word and reads its answer. A refusal by the rig is a Refusal with the rig's own
// reason.
func Ask[A any](ctx context.Context, r Rig, w Asks[A]) (A, error) { return AskIf(ctx, r, w, nil) }

// AskIf is the same for a word that is sent only where may allows it in the last step.
func AskIf[A any](ctx context.Context, r Rig, w Asks[A], may func() error) (A, error) {
	var a A
	line, err := r.Raw(ctx, w, may)
	if err != nil {
		return a, err
	}
	if err := json.Unmarshal(line, &a); err != nil {
		return a, fmt.Errorf("the rig's answer to %s cannot be read: %w", w.Do(), err)
	}
	return a, nil
}

// Client is a Rig over a connection. It owns a reading and a writing goroutine, which end
// with the connection; Events is closed then. A word is written whole, or the connection
// ends. Words that stop or keep alive go before all others that wait.
type Client struct {
	conn   net.Conn
	mu     sync.Mutex // guards all that follows up to events
	wait   map[int64]chan []byte
	next   int64
	lanes  [2][]letter // what waits to be written: stop, release, beat, alive; all else
	boot   string
	stops  int64
	more   chan struct{} // something waits
	events chan Event
	done   chan struct{}
	closed chan struct{} // by Close or by a write that failed: nobody reads events any more
	once   sync.Once
}

// letter is one line that waits to be written.
type letter struct {
	line []byte
	may  func() error
	by   time.Time  // after which it is not written any more; zero: it always is
	sent chan error // nil: nobody waits to know
}

// ErrGone is returned when the connection to the rig is lost.
var ErrGone = errors.New("the connection to the rig is lost")

// writeLimit is how long the wire may take for one word; beatLimit how old a beat may be
// when it goes onto the wire: an older one would be a sign of life that is none.
const (
	writeLimit = time.Second
	beatLimit  = 100 * time.Millisecond
	mostBehind = 512 // words that may wait in a lane
)

// Dial connects to a rig.
func Dial(ctx context.Context, addr string) (*Client, error) {
	conn, err := (&net.Dialer{Timeout: 2 * time.Second}).DialContext(ctx, "tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("connecting to the rig at %s: %w", addr, err)
	}
	return NewClient(conn), nil
}

// NewClient speaks to the rig at the other end of a connection, which it then owns.
func NewClient(conn net.Conn) *Client {
	c := &Client{conn: conn, wait: map[int64]chan []byte{}, more: make(chan struct{}, 1),
		events: make(chan Event, 1024), done: make(chan struct{}), closed: make(chan struct{})}
	go c.read()
	go c.write()
	return c
}

func (c *Client) read() {
	defer close(c.done)
	defer close(c.events)
	defer c.Close()
	in := bufio.NewScanner(c.conn)
	in.Buffer(make([]byte, 0, 1<<16), MaxEvent)
	for in.Scan() { // a line that is too long ends the connection, too
		m, ok := hear(in.Bytes())
		if !ok {
			continue
		}
		if m.Re != 0 {
			c.count(m.Boot, m.Stops)
			c.mu.Lock()
			ch := c.wait[m.Re]
			delete(c.wait, m.Re)
			c.mu.Unlock()
			if ch != nil {
				ch <- append([]byte(nil), in.Bytes()...)
			}
			continue
		}
		if m.State != nil { // newest only: a slow reader misses old states, never rows
			c.count(m.State.Boot, m.State.Stops)
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

// count keeps the newest count of stops.
func (c *Client) count(boot string, stops int64) {
	if boot == "" {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if boot != c.boot || stops > c.stops {
		c.boot, c.stops = boot, stops
	}
}

// Heard is the newest boot and count of stops that the rig has said.
func (c *Client) Heard() (boot string, stops int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.boot, c.stops
}

// MaxEvent and MaxRequest are the longest lines in bytes from and to a rig.
const (
	MaxEvent   = 1 << 20
	MaxRequest = 1 << 20
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
	if m.State != nil && m.State.Axes == nil {
		m.State.old(line)
	}
	return m, m.Re != 0 || m.State != nil || m.Rows != nil || m.Take != nil
}

// queue lays a letter into its word's lane.
func (c *Client) queue(l letter, w Word) error {
	k := 1
	switch w.Do() {
	case "stop", "release", "beat", "alive":
		k = 0
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	select {
	case <-c.closed:
		return ErrGone
	default:
	}
	if len(c.lanes[k]) >= mostBehind { // nothing goes out any more
		go c.Close()
		return ErrGone
	}
	c.lanes[k] = append(c.lanes[k], l)
	select {
	case c.more <- struct{}{}:
	default:
	}
	return nil
}

// write owns the wire's outward half. What waits when the connection ends is answered with that.
func (c *Client) write() {
	for {
		c.mu.Lock()
		lane := &c.lanes[0]
		if len(*lane) == 0 {
			lane = &c.lanes[1]
		}
		if len(*lane) == 0 {
			c.mu.Unlock()
			select {
			case <-c.more:
				continue
			case <-c.closed:
				return
			}
		}
		l := (*lane)[0]
		*lane = (*lane)[1:]
		c.mu.Unlock()
		err := c.put(l)
		if l.sent != nil {
			l.sent <- err
		}
		if errors.Is(err, ErrGone) {
			c.Close()
		}
	}
}

// put writes one letter, whole or not at all; what cannot be written whole ends it all.
func (c *Client) put(l letter) error {
	select {
	case <-c.closed:
		return ErrGone
	default:
	}
	if !l.by.IsZero() && time.Now().After(l.by) {
		return nil
	}
	if l.may != nil {
		if err := l.may(); err != nil {
			return err
		}
	}
	if err := c.conn.SetWriteDeadline(time.Now().Add(writeLimit)); err != nil {
		return ErrGone
	}
	if _, err := c.conn.Write(append(l.line, '\n')); err != nil {
		return ErrGone
	}
	return nil
}

// Raw asks a word and waits for its reply.
func (c *Client) Raw(ctx context.Context, w Word, may func() error) ([]byte, error) {
	ch := make(chan []byte, 1)
	c.mu.Lock()
	c.next++
	id := c.next
	c.wait[id] = ch
	c.mu.Unlock()
	forget := func() {
		c.mu.Lock()
		delete(c.wait, id)
		c.mu.Unlock()
	}
	line, err := spliced(head{id, w.Do()}, w)
	if err != nil {
		forget()
		return nil, err
	}
	if len(line) >= MaxRequest {
		forget()
		return nil, fmt.Errorf("this %s is %d bytes long; a rig takes %d", w.Do(), len(line), MaxRequest)
	}
	sent := make(chan error, 1)
	if may == nil {
		may = ctx.Err
	} else {
		own := may
		may = func() error { return errors.Join(ctx.Err(), own()) }
	}
	if err := c.queue(letter{line: line, may: may, sent: sent}, w); err != nil {
		forget()
		return nil, err
	}
	for {
		select {
		case err := <-sent:
			if err != nil {
				forget()
				return nil, err
			}
			sent = nil
		case line := <-ch:
			var r Reply
			if err := json.Unmarshal(line, &r); err != nil {
				return nil, &Refusal{"the rig's answer cannot be read: " + err.Error()}
			}
			if !r.OK {
				return nil, &Refusal{r.Why}
			}
			return line, nil
		case <-c.done:
			forget()
			return nil, ErrGone
		case <-ctx.Done():
			forget()
			return nil, &UnansweredError{w.Do(), ctx.Err()}
		}
	}
}

// UnansweredError is returned when a rig was not heard in time: whether it does what it was
// asked is not known.
type UnansweredError struct {
	Word string
	Err  error
}

func (e *UnansweredError) Error() string {
	return "the rig does not answer to " + e.Word + ": " + e.Err.Error()
}

func (e *UnansweredError) Unwrap() error { return e.Err }

// Say says a word that has no reply.
func (c *Client) Say(w Word) error {
	line, err := Line(0, w)
	if err != nil {
		return err
	}
	l := letter{line: line}
	switch w.Do() {
	case "beat", "alive":
		l.by = time.Now().Add(beatLimit)
	}
	return c.queue(l, w)
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
