package camera

import (
	"bufio"
	"context"
	"encoding/json"
	"log/slog"
	"net"
	"sync/atomic"
	"testing"
	"time"

	"keenarc/link"
)

// A measurement that is broken off waits for the answer that is on its way: the connection
// stays, and no take is left running. A page that leaves while its picture comes is the same.
func TestBrokenOffTheCameraStays(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	var dialled, records atomic.Int32
	var recording atomic.Bool
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			dialled.Add(1)
			go func() {
				defer c.Close()
				for in := bufio.NewScanner(c); in.Scan(); {
					var q link.CameraRequest
					if json.Unmarshal(in.Bytes(), &q) != nil {
						return
					}
					r := link.CameraReply{Re: q.ID, OK: true}
					switch q.Do {
					case "describe":
						r.Camera = &link.Camera{Version: link.CameraVersion, WidthPx: 4, HeightPx: 4}
					case "record":
						records.Add(1)
						time.Sleep(100 * time.Millisecond)
						recording.Store(q.On)
					case "stamps":
						r.Stamps = &link.Stamps{US: time.Now().UnixMicro(), FPS: 24, Recording: recording.Load()}
					case "look":
						time.Sleep(100 * time.Millisecond)
						r.PNG = []byte("a picture")
					}
					b, _ := json.Marshal(r)
					if _, err := c.Write(append(b, '\n')); err != nil {
						return
					}
				}
			}()
		}
	}()
	e := NewEye(l.Addr().String(), slog.New(slog.DiscardHandler))
	go e.Run(t.Context())
	until := func(what string, is func() bool) {
		t.Helper()
		for late := time.Now().Add(10 * time.Second); !is(); time.Sleep(time.Millisecond) {
			if time.Now().After(late) {
				t.Fatal(what)
			}
		}
	}
	until("no camera", func() bool { return e.Now().Connected })
	m := NewInStep(e)
	defer m.Close()
	if err := m.Begin("x", 3, 5, nil); err != nil {
		t.Fatal(err)
	}
	until("no take", func() bool { return records.Load() == 1 })
	m.BreakOff() // in the middle of the answer to "record"
	until("it goes on for ever", func() bool { return !m.Now().Running })
	if recording.Load() || records.Load() != 2 || m.Now().Why != "it was broken off" {
		t.Errorf("a take is left: %v, after %d words, %+v", recording.Load(), records.Load(), m.Now())
	}
	if !e.Now().Connected || dialled.Load() != 1 {
		t.Errorf("connected %v, %d times", e.Now().Connected, dialled.Load())
	}
	if err := m.Begin("again", 1, 5, nil); err != nil {
		t.Error(err)
	}
	left, leave := context.WithCancel(t.Context())
	time.AfterFunc(20*time.Millisecond, leave)
	for k, ctx := range []context.Context{left, t.Context()} {
		if png, err := e.Look(ctx, 100); err != nil || len(png) == 0 || dialled.Load() != 2 {
			t.Errorf("look %d: %v, %d connections", k, err, dialled.Load())
		}
	}
}
