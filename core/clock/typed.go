package clock

import (
	"fmt"
	"math"
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

// ParseFor reads a clock as Parse does, or as how long a run of so many frames takes: 12 s,
// 1.5 min, 2 h. What has no factor of few digits is taken to nine of them.
func ParseFor(text string, path Rate, frames int) (Rate, error) {
	s := strings.ReplaceAll(strings.ToLower(strings.TrimSpace(text)), ",", ".")
	number := s[:len(s)-len(strings.TrimLeft(s, "0123456789."))]
	unit, ok := map[string]int64{"ms": 1, "s": 1000, "min": 60_000, "h": 3_600_000, "d": 86_400_000}[strings.TrimSpace(
		s[len(number):])]
	if !ok || number == "" {
		return Parse(text, path)
	}
	v, ok := new(big.Rat).SetString(number)
	if !ok || v.Sign() <= 0 || len(number) > 12 {
		return Rate{}, fmt.Errorf("%q is not how long a pass takes; give a time above zero, as 12 s or 1.5 min", text)
	}
	if frames < 1 {
		return Rate{}, fmt.Errorf("%q cannot be kept by a move without frames; store keyframes first, or give a factor",
			text)
	}
	v.Mul(v, big.NewRat(unit, 1000)) // seconds
	v.Quo(big.NewRat(int64(frames), 1), v)
	v.Quo(v, big.NewRat(path.Num, path.Den))
	if !v.Num().IsInt64() || !v.Denom().IsInt64() || (Rate{v.Num().Int64(), v.Denom().Int64()}).Check("") != nil {
		f, _ := v.Float64()
		places := max(0, 8-int(math.Floor(math.Log10(f))))
		v, _ = new(big.Rat).SetString(v.FloatString(min(places, 9)))
	}
	r := Rate{}
	if v.Num().IsInt64() && v.Denom().IsInt64() {
		r = Rate{v.Num().Int64(), v.Denom().Int64()}
	}
	if r.Check("") != nil {
		return Rate{}, fmt.Errorf("%q is beyond what a clock can be; give a time that is nearer to the move's own",
			text)
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
