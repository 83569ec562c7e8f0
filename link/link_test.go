package link

import (
	"bufio"
	"context"
	"encoding/json"
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

func (d *device) read() Request {
	d.t.Helper()
	line, err := d.in.ReadBytes('\n')
	if err != nil {
		d.t.Fatal(err)
	}
	var r Request
	if err := json.Unmarshal(line, &r); err != nil {
		d.t.Fatal(err)
	}
	return r
}

func (d *device) say(format string, v ...any) {
	d.t.Helper()
	if _, err := fmt.Fprintf(d.conn, format+"\n", v...); err != nil {
		d.t.Fatal(err)
	}
}

type outcome struct {
	r   Reply
	err error
}

func call(c *Client, do string) chan outcome {
	out := make(chan outcome, 1)
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		r, err := c.Call(ctx, Request{Do: do})
		out <- outcome{r, err}
	}()
	return out
}

// Replies find their requests whatever the order, and refusals are errors with
// the rig's own reason.
func TestRepliesFindTheirRequests(t *testing.T) {
	c, d := pair(t)
	a := call(c, "lease")
	first := d.read()
	b := call(c, "home")
	second := d.read()
	d.say(`not JSON at all`)
	third := call(c, "stats")
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
	a := call(c, "lease")
	d.read()
	d.conn.Close()
	if r := <-a; !errors.Is(r.err, ErrGone) {
		t.Errorf("a call in progress: %v", r.err)
	}
	<-c.Done()
	if _, open := <-c.Events(); open {
		t.Error("events go on")
	}
	if r := <-call(c, "home"); r.err == nil {
		t.Error("a call after the loss succeeds")
	}
}

func TestNoAnswerIsAnError(t *testing.T) {
	c, _ := pair(t)
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Millisecond)
	defer cancel()
	if _, err := c.Call(ctx, Request{Do: "home"}); err == nil || !strings.Contains(err.Error(), "does not answer to home") {
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
		if _, err := UnpackTable(bad); err == nil {
			t.Errorf("%q unpacks", bad)
		}
	}
}
