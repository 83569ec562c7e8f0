package link

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net"
	"reflect"
	"strings"
	"testing"
	"time"

	"keenarc/core/clock"
)

// device is the other end of one connection, played by the test.
type device struct {
	t    *testing.T
	conn net.Conn
	in   *bufio.Reader
}

func pair(t *testing.T) (*Client, *device) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	got := make(chan net.Conn, 1)
	go func() {
		c, err := l.Accept()
		if err == nil {
			got <- c
		}
	}()
	c, err := Dial(t.Context(), l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	conn := <-got
	t.Cleanup(func() { c.Close(); conn.Close() })
	return c, &device{t, conn, bufio.NewReader(conn)}
}

// got is a word as it came.
type got struct {
	ID int64
	Word
}

func (d *device) read() got {
	d.t.Helper()
	line, err := d.in.ReadBytes('\n')
	if err != nil {
		d.t.Fatal(err)
	}
	id, w, err := Read(line)
	if err != nil {
		d.t.Fatal(err)
	}
	return got{id, w}
}

func (d *device) say(format string, v ...any) {
	d.t.Helper()
	if _, err := fmt.Fprintf(d.conn, format+"\n", v...); err != nil {
		d.t.Fatal(err)
	}
}

type outcome[A any] struct {
	r   A
	err error
}

func asking[A any](c *Client, w Asks[A]) chan outcome[A] {
	out := make(chan outcome[A], 1)
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		r, err := Ask(ctx, c, w)
		out <- outcome[A]{r, err}
	}()
	return out
}

// Replies find their requests whatever the order, and refusals are errors with
// the rig's own reason.
func TestRepliesFindTheirRequests(t *testing.T) {
	c, d := pair(t)
	a := asking(c, TakeLease{})
	first := d.read()
	b := asking(c, Home{})
	second := d.read()
	d.say(`not JSON at all`)
	third := asking(c, AskStats{})
	d.say(`{"ok":"perhaps","re":%d}`, d.read().ID)
	if r := <-third; r.err == nil || !strings.Contains(r.err.Error(), "cannot be read") {
		t.Errorf("an answer that cannot be read: %+v", r)
	}
	d.say(`{"re":%d,"ok":false,"why":"Track is stuck"}`, second.ID)
	d.say(`{"re":%d,"ok":true,"epoch":7}`, first.ID)
	if r := <-a; r.err != nil || r.r.Epoch != 7 {
		t.Errorf("lease: %+v", r)
	}
	if r := <-b; r.err == nil || r.err.Error() != "Track is stuck" {
		t.Errorf("home: %+v", r)
	}
}

func TestEventsInOrder(t *testing.T) {
	c, d := pair(t)
	for n := 1; n <= 5; n++ {
		d.say(`{"state":{"n":%d,"mode":"idle"}}`, n)
	}
	d.say(`{"take":{"take":"x","rows":3}}`)
	for n := int64(1); n <= 5; n++ {
		if ev := <-c.Events(); ev.State == nil || ev.State.N != n {
			t.Fatalf("event %d: %+v", n, ev)
		}
	}
	if ev := <-c.Events(); ev.Take == nil || ev.Take.Rows != 3 {
		t.Errorf("%+v", ev)
	}
}

func TestLossEndsEverything(t *testing.T) {
	c, d := pair(t)
	a := asking(c, TakeLease{})
	d.read()
	d.conn.Close()
	if r := <-a; !errors.Is(r.err, ErrGone) {
		t.Errorf("a call in progress: %v", r.err)
	}
	<-c.Done()
	if _, open := <-c.Events(); open {
		t.Error("events go on")
	}
	if r := <-asking(c, Home{}); r.err == nil {
		t.Error("a call after the loss succeeds")
	}
}

func TestNoAnswerIsAnError(t *testing.T) {
	c, _ := pair(t)
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Millisecond)
	defer cancel()
	if _, err := Ask(ctx, c, Home{}); err == nil || !strings.Contains(err.Error(), "does not answer to home") {
		t.Errorf("%v", err)
	}
}

func TestRowsThereAndBack(t *testing.T) {
	pos := []clock.Pos{-1 << 40, 0, 5, 1 << 50}
	steps := [][]int32{{1, -2, 3, -2147483648}, {0, 0, 2147483647, 9}}
	r := PackRows("t", 9, 100, pos, steps)
	p, s, err := r.Unpack(2)
	if err != nil || !reflect.DeepEqual(p, pos) || !reflect.DeepEqual(s, steps) {
		t.Errorf("%v %v %v", p, s, err)
	}
	if _, _, err := r.Unpack(3); err == nil {
		t.Error("rows of two axes unpack as three")
	}
	r.Pos = "!"
	if _, _, err := r.Unpack(2); err == nil {
		t.Error("rubbish unpacks")
	}
}

func TestTablesThereAndBack(t *testing.T) {
	want := []byte(strings.Repeat("keenarc", 5000))
	s, err := PackTable(want)
	if err != nil || len(s) > len(want)/10 {
		t.Fatalf("%d bytes, %v", len(s), err)
	}
	if got, err := UnpackTable(s); err != nil || string(got) != string(want) {
		t.Errorf("%d bytes come back, %v", len(got), err)
	}
	for _, bad := range []string{"!", "AAAA"} {
		if _, err := UnpackTable([]byte(bad)); err == nil {
			t.Errorf("%q unpacks", bad)
		}
	}
}

// Every word comes over as it was meant, under its own name, with an id where it is asked.
func TestEveryWordThereAndBack(t *testing.T) {
	o := Order{Epoch: 7, Boot: "b", Stops: 3, By: 9, Who: "ann"}
	until := 3.5
	for _, w := range []Word{
		&Describe{}, &TakeLease{}, &Watch{}, &Stop{}, &Alive{}, &Feel{}, &Wires{}, &AskStats{}, &AskTruth{},
		&Home{o, []string{"pan"}, "sensor edge"}, &Confirm{o, "pan", WaitsMark}, &GoTo{o,
			map[string]float64{"pan": 1}, 0.3},
		&Jog{o, "p", "pan", -2, &until}, &Speed{o, "p", 4}, &Load{7, "plank", 1, 2, true, []byte{1, 2, 3}},
		&Arm{o, "t", "00", &clock.Spec{Kind: "steady"}, 0.5}, &Roll{o, "t", "p"}, &Steer{o, "p", -1, 2}, &Free{o,
			"pan"}, &Engage{o, "pan"},
		&Suspend{o, "pan", 3}, &Limits{o, map[string][2]float64{"pan": {1, 2}}}, &Configure{Order: o}, &Handset{7,
			true}, &SendTrace{"t", 4},
		&Pretend{"knocked", "up", true, 2}, &Beat{7, "p"}, &Release{7, "p"}, &Ack{7, "t", 1, 2},
	} {
		line, err := Line(12, w)
		if err != nil {
			t.Fatal(err)
		}
		id, back, err := Read(line)
		if err != nil || id != 12 || !reflect.DeepEqual(back, w) {
			t.Errorf("%s: %d, %+v, %v", line, id, back, err)
		}
		seen[w.Do()] = true
	}
	for do := range words {
		if !seen[do] {
			t.Errorf("%s is not tried", do)
		}
	}
	for line, want := range map[string]string{`[]`: "not JSON", `{"do":"dance"}`: "no request",
		`{"do":"jog","speed":"fast"}`: "cannot be read", `{"id":"x"}`: "not JSON"} {
		if _, w, err := Read([]byte(line)); err == nil || w != nil && !strings.Contains(err.Error(),
			"cannot be read") || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", line, err)
		}
	}
}

var seen = map[string]bool{}

// What stops and what keeps alive goes before everything that waits; a word that may not go
// any more is not sent; and a word that cannot be written whole ends the connection.
func TestTheFirstLaneGoesFirst(t *testing.T) {
	near, far := net.Pipe()
	c := NewClient(near)
	defer c.Close()
	in := bufio.NewReader(far)
	read := func() string {
		_ = far.SetReadDeadline(time.Now().Add(5 * time.Second))
		line, err := in.ReadString('\n')
		if err != nil {
			t.Fatal(err)
		}
		_, w, err := Read([]byte(line))
		if err != nil {
			t.Fatal(err)
		}
		return w.Do()
	}
	allowed := make(chan bool, 1)
	allowed <- true
	may := func() error {
		if !<-allowed {
			return errors.New("stopped")
		}
		return nil
	}
	first := asking(c, Describe{}) // on the wire until it is read
	waitFor(t, func() bool { c.mu.Lock(); defer c.mu.Unlock(); return c.next == 1 && len(c.lanes[1]) == 0 })
	go func() { _, _ = AskIf(t.Context(), c, Home{}, may) }()
	waitFor(t, func() bool { c.mu.Lock(); defer c.mu.Unlock(); return len(c.lanes[1]) == 1 })
	refused := make(chan error, 1)
	go func() { _, err := AskIf(t.Context(), c, GoTo{}, may); refused <- err }()
	waitFor(t, func() bool { c.mu.Lock(); defer c.mu.Unlock(); return len(c.lanes[1]) == 2 })
	_ = c.Say(Beat{})
	stop := asking(c, Stop{})
	waitFor(t, func() bool { c.mu.Lock(); defer c.mu.Unlock(); return len(c.lanes[0]) == 2 })
	var order []string
	for range 3 {
		order = append(order, read())
	}
	allowed <- false
	if order[0] != "describe" || order[1] != "beat" || order[2] != "stop" || read() != "home" {
		t.Errorf("on the wire: %v", order)
	}
	if err := <-refused; err == nil || err.Error() != "stopped" {
		t.Errorf("what may not go: %v", err)
	}
	// Nobody reads any more: the word is not left half in a connection that is kept.
	if err := c.Say(Ack{}); err != nil {
		t.Fatal(err)
	}
	for name, got := range map[string]error{"describe": (<-first).err, "stop": (<-stop).err} {
		if !errors.Is(got, ErrGone) {
			t.Errorf("%s after a write that failed: %v", name, got)
		}
	}
	if err := c.Say(Alive{}); !errors.Is(err, ErrGone) {
		t.Errorf("the connection is kept: %v", err)
	}
}

// A beat that has waited too long on its way is no sign of life and is not sent.
func TestABeatThatWaitedIsNotSent(t *testing.T) {
	near, far := net.Pipe()
	c := NewClient(near)
	defer c.Close()
	_ = c.Say(Ack{}) // holds the wire
	waitFor(t, func() bool { c.mu.Lock(); defer c.mu.Unlock(); return len(c.lanes[1]) == 0 })
	_ = c.Say(Beat{Press: "old"})
	time.Sleep(beatLimit + 50*time.Millisecond)
	in := bufio.NewReader(far)
	_, _ = in.ReadString('\n')
	_ = c.Say(Beat{Press: "new"})
	if line, _ := in.ReadString('\n'); !strings.Contains(line, "new") {
		t.Errorf("it said %s", line)
	}
}

func waitFor(t *testing.T, ok func() bool) {
	t.Helper()
	for late := time.Now().Add(5 * time.Second); !ok(); time.Sleep(time.Millisecond) {
		if time.Now().After(late) {
			t.Fatal("waited in vain")
		}
	}
}

// A state as version 2 has it says the same of every axis.
func TestAStateOfVersion2(t *testing.T) {
	m, ok := hear(
		[]byte(`{"state":{"n":4,"mode":"idle","pos":{"a":1,"b":2},"asked":{"a":1.5},"homed":{"a":true},"soft":{"a":[` +
			`0,9]},"free":{"b":true},` +
			`"ends":{"b":"low"},"faults":{"b":"over current"},"waits":{"a":"check pose"},"trouble":{"b":"t"},` +
			`"suspended":{"a":300},"spread":{"a":{"n":3}}}}`))
	want := map[string]AxisState{"a": {Pos: 1, Asked: 1.5, Homed: true, Soft: [2]float64{0, 9}, Waits: "check pose",
		SuspendedMS: 300, Spread: Spread{N: 3}},
		"b": {Pos: 2, Asked: 2, Free: true, End: "low", Fault: "over current", Trouble: "t"}}
	if !ok || !reflect.DeepEqual(m.State.Axes, want) {
		t.Errorf("%+v", m.State)
	}
}
