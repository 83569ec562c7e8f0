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
	f.Fuzz(func(tt *testing.T, b []byte) {
		got, err := Decode(b)
		if err == nil && !bytes.Equal(got.Canonical(), b) {
			tt.Error("an accepted table encodes otherwise")
		}
	})
}
