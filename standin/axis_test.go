package standin

import (
	"math"
	"testing"
)

// The motor is pulled onto its command: what it is off by is gone soon.
func TestTheMotorIsPulledOntoItsCommand(t *testing.T) {
	r := plank()
	a := newAxis(&r.Axes[0], 500, 500, 0)
	a.x = 500.2 // pushed by hand
	off := math.Abs(a.x - a.cmd)
	for range 20 {
		a.follow(500)
	}
	if now := math.Abs(a.x - 500); now > off/5 {
		t.Errorf("0.2 mm off, %g mm after 20 ms", now)
	}
	for range 200 {
		a.follow(500)
	}
	if a.x != 500 || a.v != 0 {
		t.Errorf("at rest it stands at %g with %g mm/s", a.x, a.v)
	}
}

// A drive gives no more than it can: a command that jumps is followed at its
// largest acceleration.
func TestTheDriveHasALimit(t *testing.T) {
	r := plank()
	a := newAxis(&r.Axes[0], 500, 500, 0)
	most := r.Axes[0].Rated.Acceleration * overdrive
	top := 0.0
	for range 100 {
		v := a.v
		a.follow(510)
		top = max(top, math.Abs(a.v-v)/dt)
	}
	if top > most*(1+1e-9) || top < most*0.99 {
		t.Errorf("accelerates with %g mm/s², it can do %g", top, most)
	}
}

// Behind the slack the output follows only when the motor has come through it.
func TestSlack(t *testing.T) {
	r := plank()
	a := newAxis(&r.Axes[0], 500, 500, 0)
	slack := r.Axes[0].Backlash
	move := func(from, to float64) {
		for n := range 500 {
			u := float64(n+1) / 500
			a.follow(from + (to-from)*u*u*u*(10+u*(6*u-15)))
		}
		for range 100 {
			a.follow(to)
		}
	}
	move(500, 510)
	if d := a.out - a.x; math.Abs(d+slack/2) > 1e-6 {
		t.Errorf("coming from below the output is %g mm from the motor, want %g", d, -slack/2)
	}
	at := a.out
	move(510, 510-slack*0.9)
	if a.out != at {
		t.Errorf("within the slack the output moved by %g mm", a.out-at)
	}
	move(510-slack*0.9, 500)
	if d := a.out - a.x; math.Abs(d-slack/2) > 1e-6 {
		t.Errorf("coming from above the output is %g mm from the motor, want %g", d, slack/2)
	}
}

// A go-to arrives from one side, so that the slack lies the same way every time.
func TestGoToArrivesFromOneSide(t *testing.T) {
	s, _, e := homed(t, Options{Seed: 2})
	var lies []float64
	for _, from := range []float64{200, 1300, 690, 701} {
		for _, to := range []float64{from, 700} {
			if err := s.GoTo(e, map[string]float64{"track": to}, 0); err != nil {
				t.Fatal(err)
			}
			settle(t, s, e)
			for range 300 {
				s.Step()
			}
		}
		lies = append(lies, s.axes[0].out-s.axes[0].x)
	}
	for _, d := range lies {
		if math.Abs(d-lies[0]) > 1e-6 || math.Abs(d) < 1e-4 {
			t.Errorf("after go-tos from both sides the output lies %v mm from the motor", lies)
			break
		}
	}
}
