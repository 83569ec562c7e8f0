package length_test

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/length"
)

// Lengths as people write them.
func TestRead(t *testing.T) {
	for text, want := range map[string]float64{"1.83": 1.83, " 1,83 m": 1.83, "183cm": 1.83, "1830 mm": 1.83, `6'`: 1.8288, `6' 3"`: 1.905, "6ft 3.5in": 1.9177, `75"`: 1.905, `6' 3 1/2"`: 1.9177, "6 ft 0 in": 1.8288, `6’ 3''`: 1.905, "1e1": 10, "6′ 3½″": 1.9177, "½″": 0.0127, `6' ¾"`: 1.84785, "3 ¼ in": 0.08255} {
		if v, err := length.Read(text); err != nil || math.Abs(v-want) > 1e-9 {
			t.Errorf("%q: %g, %v; want %g", text, v, err, want)
		}
	}
	for _, text := range []string{"", "far", "0", "-2", "0'", `6'"`, "6 3", "inf", "1e999", `3 1/0"`, "6' mm"} {
		if v, err := length.Read(text); err == nil || !strings.Contains(err.Error(), "; ") {
			t.Errorf("%q is read as %g, %v", text, v, err)
		}
	}
}

// Whatever is typed, it is a distance above zero or a sentence.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"1.83", `6' 3 1/2"`, "cm", "1e400", "''", "NaN"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if v, err := length.Read(s); err == nil && !(v > 0 && !math.IsInf(v, 0)) {
			t.Errorf("%q is read as %g", s, v)
		}
	})
}
