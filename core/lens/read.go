package lens

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"keenarc/core/length"
)

// ReadValue reads what a ring's mark stands for.
func ReadValue(ring, text string) (float64, error) {
	if ring == "focus" {
		return length.Read(text)
	}
	t := strings.TrimSpace(strings.ReplaceAll(text, ",", "."))
	t = strings.TrimLeft(t, "TtFf/ ")
	t = strings.TrimSpace(strings.TrimSuffix(t, "mm"))
	v, err := strconv.ParseFloat(t, 64)
	switch {
	case err != nil && ring == "iris":
		return 0, fmt.Errorf("%q is no stop; give one as T 2.8", text)
	case err != nil:
		return 0, fmt.Errorf("%q is no focal length; give millimetres", text)
	case !(v > 0) || math.IsInf(v, 0):
		return 0, fmt.Errorf("a mark of %q; it must be above zero", text)
	}
	return v, nil
}
