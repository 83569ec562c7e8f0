// Package length reads lengths as people write them.
package length

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// InchM is an inch, exactly.
const InchM = 0.0254

// feet is a distance in feet and inches: 6' 3", 6ft 3.5in, 6 feet 3 inches, 75", 6', and 6' 3, which
// leaves the inches' mark out.
var (
	feet = regexp.MustCompile(`^(?:(\d+(?:\.\d+)?)\s*(?:'|feet|foot|ft\.?))?\s*` +
		`(?:(\d+(?:\.\d+)?)(?:\s+(\d+)/(\d+))?\s*(?:"|''|inches|inch|in\.?))?$`)
	unmarked = regexp.MustCompile(`^(\d+(?:\.\d+)?)\s*(?:'|feet|foot|ft\.?)\s*(\d+(?:\.\d+)?)(?:\s+(\d+)/(\d+))?$`)
)

// marks are written in many ways: straight, curly, and as primes.
var marks = strings.NewReplacer("’", "'", "‘", "'", "′", "'", "“", `"`, "”", `"`, "″", `"`, "„", `"`)

// thousands is a number in which a comma may stand before thousands or for the point.
var thousands = regexp.MustCompile(`^([1-9]\d{0,2}),(\d{3})(|\D.*)$`)

// TwoReadings is a text that may be read in two ways, and both.
type TwoReadings struct {
	Text     string
	Readings [2]string
}

func (e *TwoReadings) Error() string {
	return fmt.Sprintf("%q may be %s or %s; say which", e.Text, e.Readings[0], e.Readings[1])
}

// part is a part of an inch as it is printed, behind a whole number or alone.
var part = regexp.MustCompile(`(\d?)\s*([½¼¾])`)

var parts = map[string]string{"½": " 1/2", "¼": " 1/4", "¾": " 3/4"}

// Read reads a distance as people write it: metres (1.83, 1,83 m, 183 cm, 1830
// mm), or feet and inches (6' 0", 6ft 3 1/2in, 6′ 3½″). The answer is in metres.
func Read(text string) (float64, error) {
	t := strings.TrimSpace(text)
	if m := thousands.FindStringSubmatch(t); m != nil && !strings.ContainsAny(m[3], ",.") {
		return 0, &TwoReadings{text, [2]string{m[1] + m[2] + m[3], m[1] + "." + m[2] + m[3]}}
	}
	t = marks.Replace(strings.ReplaceAll(t, ",", "."))
	t = part.ReplaceAllStringFunc(t, func(s string) string {
		m := part.FindStringSubmatch(s)
		if m[1] == "" {
			m[1] = "0"
		}
		return m[1] + parts[m[2]]
	})
	bad := fmt.Errorf("%q is no distance; give metres, as 1.83, or feet and inches, as 6' 3\"", text)
	unit := 1.0
	for _, u := range []struct {
		name string
		m    float64
	}{{"mm", 0.001}, {"cm", 0.01}, {"m", 1}} {
		if s, ok := strings.CutSuffix(t, u.name); ok {
			t, unit = strings.TrimSpace(s), u.m
			break
		}
	}
	if v, err := strconv.ParseFloat(t, 64); err == nil {
		if v *= unit; !(v > 0) || math.IsInf(v, 0) {
			return 0, fmt.Errorf("a distance of %q; it must be above zero", text)
		}
		return v, nil
	}
	m := feet.FindStringSubmatch(t)
	if m == nil {
		m = unmarked.FindStringSubmatch(t)
	}
	if m == nil || t == "" || unit != 1 {
		return 0, bad
	}
	num := func(s string) float64 {
		v, err := strconv.ParseFloat(s, 64)
		if err != nil {
			return 0
		}
		return v
	}
	inches := 12*num(m[1]) + num(m[2])
	if m[4] != "" {
		if num(m[4]) == 0 {
			return 0, bad
		}
		inches += num(m[3]) / num(m[4])
	}
	if !(inches > 0) {
		return 0, fmt.Errorf("a distance of %q; it must be above zero", text)
	}
	return inches * InchM, nil
}
