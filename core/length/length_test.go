package length_test

import (
	"errors"
	"math"
	"strings"
	"testing"

	"keenarc/core/length"
)

// Lengths as people write them.
func TestRead(t *testing.T) {
	for text, want := range map[string]float64{"1.83": 1.83, " 1,83 m": 1.83, "183cm": 1.83, "1830 mm": 1.83,
		`6'`: 1.8288, `6' 3"`: 1.905, "6ft 3.5in": 1.9177, `75"`: 1.905, `6' 3 1/2"`: 1.9177, "6 ft 0 in": 1.8288,
		`6’ 3''`: 1.905, "1e1": 10, "6′ 3½″": 1.9177, "½″": 0.0127, `6' ¾"`: 1.84785, "3 ¼ in": 0.08255,
		"6' 3": 1.905, "6’ 3”": 1.905, "6‘ 3“": 1.905, "6 feet 3 inches": 1.905, "1 foot": 0.3048, "1 inch": 0.0254,
		"6 ft. 3 in.": 1.905,
		"6' 3 1/2":    1.9177, "0,500": 0.5, "12,50 m": 12.5, "1.500": 1.5, "12.500 mm": 0.0125, "6' 3½": 1.9177} {
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

// A comma before three digits is asked about, with both readings, either of which is then read.
func TestTwoReadings(t *testing.T) {
	for text, want := range map[string][2]float64{"12,500 mm": {12.5, 0.0125}, "1,500": {1500, 1.5},
		" 1,250mm ": {1.25, 0.00125}, "1,000 ft": {304.8, 0.3048}} {
		_, err := length.Read(text)
		var two *length.TwoReadings
		if !errors.As(err, &two) || !strings.Contains(err.Error(), "; say which") {
			t.Errorf("%q: %v", text, err)
			continue
		}
		for k, r := range two.Readings {
			if v, err := length.Read(r); err != nil || math.Abs(v-want[k]) > 1e-9 {
				t.Errorf("%q as %q: %g, %v; want %g", text, r, v, err, want[k])
			}
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
