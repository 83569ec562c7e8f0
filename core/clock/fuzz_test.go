package clock

import (
	"encoding/json"
	"testing"
)

// Whatever is written as a clock is refused in a sentence, or is one that keeps to its run.
func FuzzSpec(f *testing.F) {
	for _, s := range []Spec{
		Times(Rate{1, 3}),
		{Kind: Steady, Factor: Rate{1, 1}, Way: ThereAndBack, Times: 3, EaseMS: 700, DelayMS: 20, CameraLocked: true,
			Waits: []Wait{{3, 500}, {9, 20}}},
		{Kind: Steady, Factor: Rate{5, 2}, Way: Around, Times: 2},
		{Kind: Stepped, Factor: Rate{1, 1}, Way: Back, Pictures: 7, IntervalMS: 1000, MoveMS: 300},
		{Kind: Crawling, Factor: Rate{1, 1}, Way: On, Pictures: 70, IntervalMS: 1000},
		{Kind: Live, Factor: Rate{1, 1}, Way: On, Steers: []Steer{{100, 1, 2}, {300, -1, 1}, {4000, 1, 1}}},
		{Kind: Live, Factor: Rate{1, 1}, Way: On, Law: 1, Steers: []Steer{{100, 1, 2}, {300, -1, 1}, {4000, 1, 1}}},
	} {
		raw, err := json.Marshal(s)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(raw, int64(1234), 24)
	}
	f.Fuzz(func(t *testing.T, raw []byte, tick int64, last int) {
		var s Spec
		if json.Unmarshal(raw, &s) != nil || last < 0 || last > 2000 || len(s.Steers) > 50 {
			return
		}
		c, err := s.Over(Run{-3, 0, last, last + 3}, Rate{24000, 1001})
		if err != nil {
			return
		}
		s.EveryMS(c)
		at := func(tick int64) Pos {
			p := c.At(tick, 1_000_000)
			if p < -3<<32 || p > Pos(last+3)<<32 {
				t.Fatalf("%s: at %d µs it is at %g", raw, tick, p.Frame())
			}
			return p
		}
		at(0)
		at(tick)
		if n := c.Ticks(1_000_000); n < 1<<62 && at(n) != at(n+1000) {
			t.Fatalf("%s: it goes on after its end", raw)
		}
		for _, frame := range []int{-3, 0, last / 2, last} {
			if len(c.Pictured(frame)) != len(c.TimesAt(float64(frame))) {
				t.Fatalf("%s: frame %d: %v, %v", raw, frame, c.Pictured(frame), c.TimesAt(float64(frame)))
			}
		}
		for _, e := range c.Eases() {
			if !(e.Seconds > 0) {
				t.Fatalf("%s: an ease of %g s", raw, e.Seconds)
			}
		}
		c.Stops()
		c.Traits()
	})
}
