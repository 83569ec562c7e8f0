package standin

import (
	"bytes"
	"encoding/hex"
	"encoding/json"
	"io"
	"math"
	"net"
	"testing"

	"keenarc/link"
)

// FuzzLines: whatever lines come, the rig answers, stays within its soft limits
// once it is homed, never moves faster than it can, and its state is numbers.
func FuzzLines(f *testing.F) {
	r := plank()
	tab := rows(r, 3, func(x float64) float64 { return 40 + 0.2*x*x*(3-2*x/3) }) // small, so that it can be varied
	sum := tab.Fingerprint()
	packed, err := link.PackTable(tab.Canonical())
	if err != nil {
		f.Fatal(err)
	}
	load, err := link.Line(4, link.Load{Epoch: 1, Machine: "plank", Of: 1, Packed: true, Bytes: packed})
	if err != nil {
		f.Fatal(err)
	}
	f.Add([]byte(`{"id":1,"do":"lease"}`+"\n"+`{"id":2,"do":"goto","epoch":2,"to":{"track":700,"pan":-3}}`+"\n"+
		`{"id":3,"do":"stop"}`), 40)
	f.Add([]byte(`{"id":1,"do":"jog","epoch":1,"press":"p","axis":"tilt","speed":-9}`+"\n"+
		`{"do":"beat","epoch":1,"press":"p"}`+"\n"+`{"id":2,"do":"home","epoch":1}`), 200)
	f.Add(append(append([]byte{}, load...), []byte("\n"+`{"id":5,"do":"arm","epoch":1,"take":"t","print":"`+
		hex.EncodeToString(sum[:])+`","clock":{"kind":"steady","way":"on","factor":{"num":3,"den":4}},"brake_s":0.7}`+
		"\n"+`{"id":6,"do":"roll","epoch":1,"take":"t","press":"p"}`+"\n"+
		`{"do":"ack","epoch":1,"take":"t","from":0,"rows":3}`+"\n"+
		`{"id":7,"do":"trace","take":"t","rows":1}`)...), 100)
	f.Add([]byte(`{"id":1,"do":"home","epoch":1,"axes":["pan"]}`+"\n"+
		`{"id":2,"do":"pretend","what":"emergency stop","on":true}`+"\n"+
		`{"id":3,"do":"pretend","what":"hard end","axis":"tilt","on":true}`+"\n"+
		`{"id":4,"do":"free","epoch":1,"axis":"roll"}`+"\n"+`{"id":5,"do":"limits","epoch":1,"soft":{"track":[0,9]}}`+
		"\n"+`{"id":6,"do":"truth"}`), 30)
	f.Add([]byte(`{"id":1,"do":"describe"}`+"\nrubbish\n{}\n"), 1)
	f.Fuzz(func(t *testing.T, in []byte, steps int) {
		s := NewSim(Options{Rig: r, Seed: 1, Pace: 1})
		if _, err := s.Lease(); err != nil {
			t.Fatal(err)
		}
		for i := range s.axes {
			s.axes[i].zeroed(s.axes[i].shaft(), s.axes[i].a.HomeValue())
			s.axes[i].homed = true // as after homing, which takes a while
		}
		s.table, s.print = tab, hex.EncodeToString(sum[:])
		srv := &Server{sim: s, wake: make(chan struct{}, 1)}
		near, far := net.Pipe()
		defer near.Close()
		defer far.Close()
		go func() { _, _ = io.Copy(io.Discard, far) }()
		c := &session{srv: srv, conn: near, sent: map[string]int{}, ended: map[string]bool{}, watch: true}
		srv.owner = c
		lo, hi := s.command(), s.command() // where it was when a limit was drawn in
		lines := bytes.Split(in, []byte("\n"))
		for _, line := range lines[:min(len(lines), 12)] {
			if r, more, answer := c.hear(line); answer {
				if r.OK == (r.Why != "") {
					t.Fatalf("%q: ok %v, why %q", line, r.OK, r.Why)
				}
				if _, err := link.ReplyLine(r, more); err != nil {
					t.Fatal(err)
				}
			}
			c.wg.Wait()
			for i := range s.axes { // a limit that is drawn in behind it does not move it
				lo[i], hi[i] = min(lo[i], s.axes[i].cmd), max(hi[i], s.axes[i].cmd)
			}
			for range max(0, steps%120) {
				s.Step()
				for i := range s.axes {
					a := &s.axes[i]
					v := (a.cmd - a.prev) / dt
					if math.IsNaN(a.cmd) || math.Abs(v) > a.a.Rated.Speed*1.01 {
						t.Fatalf("after %q %s runs at %g", line, a.a.Name, v)
					}
					if a.homed && (a.cmd < min(a.soft[0], lo[i])-1e-3 || a.cmd > max(a.soft[1], hi[i])+1e-3) {
						t.Fatalf("after %q %s stands at %g", line, a.a.Name, a.cmd)
					}
				}
			}
			for _, ev := range c.gather(1) {
				if _, err := json.Marshal(ev); err != nil {
					t.Fatalf("after %q: %v", line, err)
				}
			}
		}
	})
}
