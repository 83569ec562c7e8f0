package calc

import (
	"encoding/json"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
)

// Each calculation by itself is asked for what nobody means: its examples with numbers, keys and
// lists changed as a seed has it, and with a part of what the fuzzer makes up written over them.
func FuzzBalance(f *testing.F)       { fuzzed(f, "balance") }
func FuzzCounterweight(f *testing.F) { fuzzed(f, "counterweight") }
func FuzzCurve(f *testing.F)         { fuzzed(f, "curve") }
func FuzzLens(f *testing.F)          { fuzzed(f, "lens") }
func FuzzLimit(f *testing.F)         { fuzzed(f, "limit") }
func FuzzPayload(f *testing.F)       { fuzzed(f, "payload") }
func FuzzPower(f *testing.F)         { fuzzed(f, "power") }
func FuzzRamp(f *testing.F)          { fuzzed(f, "ramp") }
func FuzzRetime(f *testing.F)        { fuzzed(f, "retime") }
func FuzzRigShift(f *testing.F)      { fuzzed(f, "rig-shift") }
func FuzzRingDown(f *testing.F)      { fuzzed(f, "ring-down") }
func FuzzRunningOrder(f *testing.F)  { fuzzed(f, "running-order") }
func FuzzSway(f *testing.F)          { fuzzed(f, "sway") }
func FuzzTimecode(f *testing.F)      { fuzzed(f, "timecode") }

func fuzzed(f *testing.F, name string) {
	var examples []string
	for _, e := range List() {
		if e.Name == name {
			examples = append([]string{e.example}, more[name]...)
		}
	}
	for n := range examples {
		f.Add(uint8(n), uint64(1), uint8(20), "", uint16(0))
		f.Add(uint8(n), uint64(2), uint8(90), "1e-320", uint16(30))
	}
	f.Fuzz(func(t *testing.T, which uint8, seed uint64, odds uint8, over string, at uint16) {
		var q any
		if err := json.Unmarshal([]byte(examples[int(which)%len(examples)]), &q); err != nil {
			t.Fatal(err)
		}
		raw, err := json.Marshal(twisted(rand.New(rand.NewPCG(seed, 27)), q, float64(odds)/255))
		if err != nil {
			t.Fatal(err)
		}
		if k := int(at) % (len(raw) + 1); over != "" {
			raw = append(append(raw[:k:k], over...), raw[min(k+len(over), len(raw)):]...)
		}
		if why := asked(name, raw); why != "" {
			t.Errorf("%s %s: %s", name, raw, why)
		}
	})
}

// None is left out.
func TestEachCalculationIsFuzzed(t *testing.T) {
	src, err := os.ReadFile("fuzzeach_test.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range List() {
		if !strings.Contains(string(src), `fuzzed(f, "`+e.Name+`")`) {
			t.Errorf("%s has no fuzz test", e.Name)
		}
	}
}
