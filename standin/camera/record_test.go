package camera

import (
	"math"
	"testing"
	"time"
)

// A take starts late and never twice alike; its frames come on the camera's own clock.
func TestRecorder(t *testing.T) {
	r := newRecorder(3)
	if s := r.read(0); s.Recording || len(s.Frames) != 0 || s.Take != 0 {
		t.Errorf("before anything: %+v", s)
	}
	seen := map[int64]bool{}
	for range 3 {
		began := int64(r.own() * 1e6)
		if err := r.record(true); err != nil {
			t.Fatal(err)
		}
		if r.record(true) == nil {
			t.Error("started twice")
		}
		if s := r.read(0); len(s.Frames) != 0 || !s.Recording {
			t.Errorf("at once: %+v", s)
		}
		r.boot = r.boot.Add(-2 * time.Second) // two seconds later
		s := r.read(0)
		late := s.Frames[0] - began
		if late < 50_000 || late > 250_000 || seen[late] || len(s.Frames) < 40 {
			t.Errorf("late by %d µs, %d frames", late, len(s.Frames))
		}
		seen[late] = true
		if d := s.Frames[24] - s.Frames[0]; math.Abs(float64(d)-1e6) > 1 {
			t.Errorf("24 frames in %d µs of its own clock", d)
		}
		if more := r.read(10); more.Frames[0] != s.Frames[10] {
			t.Error("frames are not counted from where was asked")
		}
		if err := r.record(false); err != nil {
			t.Fatal(err)
		}
		was := len(r.read(0).Frames)
		r.boot = r.boot.Add(-time.Second)
		if now := len(r.read(0).Frames); now != was {
			t.Errorf("stopped, it has %d frames more", now-was)
		}
	}
	a := r.own()
	r.boot = r.boot.Add(-1000 * time.Second)
	if d := (r.own()-a)/1000 - 1; math.Abs(d-recordPPM/1e6) > 1e-6 {
		t.Errorf("its clock runs %g ppm fast", d*1e6)
	}
}
