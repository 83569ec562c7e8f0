package seal

import (
	"bytes"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// FuzzDecode: whatever bytes come, Decode answers, and what it accepts encodes
// back to the same bytes.
func FuzzDecode(f *testing.F) {
	t := &Table{RigID: "r", RigVersion: 1, Axes: []string{"a"}, Units: []rig.Ratio{{Num: 1, Den: 2}}, Rate: clock.Rate{Num: 24, Den: 1}, Fastest: clock.Rate{Num: 1, Den: 1},
		First: 0, Last: 1, Steps: [][]int64{make([]int64, 17)}}
	f.Add(t.Canonical())
	f.Add([]byte("keenarc-seal-1\n"))
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
		for i, row := range got.Steps { // and can be replayed: nothing overflows
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
