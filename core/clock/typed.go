package clock

import (
	"fmt"
	"math/big"
	"strings"
)

// Parse reads a clock as somebody types it and keeps it exact: a factor (3, 0.5,
// 1/3, ×2) of the path's own rate, or frames per second (8 fps, 24000/1001 fps).
// The answer is the factor, in lowest terms.
func Parse(text string, path Rate) (Rate, error) {
	refuse := func(why string) (Rate, error) {
		return Rate{}, fmt.Errorf("%q %s; give a factor, as 1, 0.5 or 1/3, or frames per second, as 8 fps", text, why)
	}
	s := strings.ToLower(strings.TrimSpace(text))
	s = strings.TrimLeft(s, "×x* ")
	s, fps := strings.CutSuffix(s, "fps")
	s = strings.ReplaceAll(strings.TrimSpace(s), ",", ".")
	if len(s) > 24 || strings.Trim(s, "0123456789./") != "" || s == "" {
		return refuse("is not a clock")
	}
	n, d, fraction := strings.Cut(s, "/")
	v, ok := new(big.Rat).SetString(n)
	if ok && fraction {
		var w *big.Rat
		if w, ok = new(big.Rat).SetString(d); ok && w.Sign() > 0 && !strings.Contains(d, "/") {
			v.Quo(v, w)
		} else {
			ok = false
		}
	}
	if !ok {
		return refuse("is not a clock")
	}
	if v.Sign() <= 0 {
		return refuse("stands still")
	}
	if fps {
		v.Quo(v, big.NewRat(path.Num, path.Den))
	}
	r := Rate{}
	if v.Num().IsInt64() && v.Denom().IsInt64() {
		r = Rate{v.Num().Int64(), v.Denom().Int64()}
	}
	if r.Check("") != nil {
		return refuse("has too many digits")
	}
	return r, nil
}

// String writes a rate as it would be typed: 3, 0.5, 1/3.
func (r Rate) String() string {
	g := gcd(r.Num, r.Den)
	n, d := r.Num/g, max(r.Den/g, 1)
	rest := d
	for _, p := range []int64{2, 5} {
		for rest%p == 0 {
			rest /= p
		}
	}
	v := big.NewRat(n, d)
	if places, exact := v.FloatPrec(); rest == 1 && exact && places <= 4 {
		return v.FloatString(places)
	}
	return fmt.Sprintf("%d/%d", n, d)
}
