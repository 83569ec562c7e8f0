package clock

import "testing"

// BenchmarkDue is the position at a tick: of a plain clock, of one that eases, step by step.
func BenchmarkDue(b *testing.B) {
	for name, s := range map[string]Spec{
		"plain":   Times(Rate{1, 1}),
		"eased":   {Kind: Steady, Factor: Rate{1, 1}, Way: ThereAndBack, Times: 50, EaseMS: 1000},
		"stepped": {Kind: Stepped, Factor: Rate{1, 1}, Way: On, Pictures: 240, IntervalMS: 5000, MoveMS: 2000},
	} {
		c, err := s.Over(Whole(0, 240), Rate{24000, 1001})
		if err != nil {
			b.Fatal(err)
		}
		n := c.Ticks(1000)
		b.Run(name, func(b *testing.B) {
			k := int64(0)
			for b.Loop() {
				c.At(k*7919%n, 1000)
				k++
			}
		})
	}
}
