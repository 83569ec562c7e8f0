// Package standintest runs stand-ins in a test's own process and in a test's own time: over lines
// that no network carries, in a bubble of testing/synctest, in which a minute of a machine's passes
// as soon as everybody waits for it.
package standintest

import (
	"context"
	"errors"
	"net"
	"sync"
	"testing"
	"time"

	"keenarc/link"
	"keenarc/standin"
)

// Time is the time of a bubble, for a stand-in.
type Time struct{}

// Now is the time in the bubble.
func (Time) Now() time.Time { return time.Now() }

// Sleep waits in the bubble.
func (Time) Sleep(d time.Duration) { time.Sleep(d) }

// Door is where connections of the same process are accepted: a net.Listener without a network.
type Door struct {
	in   chan net.Conn
	shut chan struct{}
	once sync.Once
}

// NewDoor is a door that is open.
func NewDoor() *Door { return &Door{in: make(chan net.Conn), shut: make(chan struct{})} }

// Accept waits for somebody who comes.
func (d *Door) Accept() (net.Conn, error) {
	select {
	case c := <-d.in:
		return c, nil
	case <-d.shut:
		return nil, net.ErrClosed
	}
}

// Close lets nobody in any more.
func (d *Door) Close() error { d.once.Do(func() { close(d.shut) }); return nil }

// Addr is no address.
func (d *Door) Addr() net.Addr { return &net.IPAddr{} }

// Connect is a connection to whoever accepts here. It is refused when the door is closed, when
// nobody accepts for a second, and when the context ends.
func (d *Door) Connect(ctx context.Context) (net.Conn, error) {
	near, far := net.Pipe()
	late := time.NewTimer(time.Second)
	defer late.Stop()
	select {
	case d.in <- far:
		return near, nil
	case <-d.shut:
		return nil, errors.New("nobody is there")
	case <-late.C:
		return nil, errors.New("nobody answers")
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Dial is a client of the machine behind the door.
func (d *Door) Dial(ctx context.Context) (*link.Client, error) {
	c, err := d.Connect(ctx)
	if err != nil {
		return nil, err
	}
	return link.NewClient(c), nil
}

// Start starts a stand-in in real speed of the bubble's time, until the test ends or it is killed
// (which waits for it).
func Start(t testing.TB, o standin.Options) (d *Door, kill func()) {
	t.Helper()
	d = NewDoor()
	o.Pace = 1
	s, err := standin.On(o, d, Time{})
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { _ = s.Run(ctx) })
	kill = sync.OnceFunc(func() { stop(); wg.Wait() })
	t.Cleanup(kill)
	return d, kill
}
