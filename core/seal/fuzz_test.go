package seal

import (
	"bytes"
	"context"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// FuzzDecode: whatever bytes come, Decode answers, and what it accepts encodes
// back to the same bytes.
func FuzzDecode(f *testing.F) {
	t := &Table{Machines: []Machine{{Name: "m", Rig: "r", Version: 1}}, Axes: []string{"m/a"},
		Units: []rig.Ratio{{Num: 1, Den: 2}}, Rate: clock.Rate{Num: 24, Den: 1}, Fastest: clock.Rate{Num: 1, Den: 1},
		First: 0, Last: 1, Steps: [][]int64{make([]int64, 17)}}
	t.finish(context.Background())
	f.Add(t.Canonical())
	f.Add([]byte(mark))
	two := *t
	two.Machines, two.Axes = append(two.Machines, Machine{Name: "n", Rig: "r"}), []string{"m/a", "n/a"}
	two.Units, two.Steps = append(two.Units, two.Units[0]), append(two.Steps, two.Steps[0])
	two.finish(context.Background())
	f.Add(two.Share("n"))
	t.RunUp, t.RunOut = 1<<40, 1<<40 // a length that overflows
	t.Steps = [][]int64{{0}}
	f.Add(t.Canonical())
	t.RunUp, t.RunOut, t.First, t.Last = 0, 0, -1<<62, 1<<62
	f.Add(t.Canonical())
	f.Fuzz(func(tt *testing.T, b []byte) {
		got, err := Decode(b)
		if err != nil {
			return
		}
		if !bytes.Equal(got.Canonical(), b) {
			tt.Error("an accepted table encodes otherwise")
		}
		for _, i := range got.Own() {
			row := got.Steps[i] // and can be replayed: nothing overflows
			for k := range row {
				for _, s := range []clock.Pos{0, 1, 1 << 27, 1<<28 - 1} {
					p := clock.Pos(got.Start())<<32 + clock.Pos(k)<<28 + s
					if v := got.At(i, p); v > 2*MostSteps || v < -2*MostSteps {
						tt.Fatalf("axis %d is at %d", i, v)
					}
				}
			}
		}
	})
}
