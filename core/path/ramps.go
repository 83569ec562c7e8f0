package path

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"keenarc/core/curve"
)

// TypedRamp is a ramp as somebody types it. In and Out are each frames (12), seconds
// (0.5 s) or an acceleration in the axis's unit (40 °/s², 300 mm/s²), which holds on the
// clock of the plan, or part of the leg (25 %); nothing is a third of it. Jerk, for s-curve, is units per
// second³.
type TypedRamp struct {
	Law  curve.Law `json:"law" enum:"trapezoid,s-curve,sine,min-jerk"`
	In   string    `json:"in"`
	Out  string    `json:"out"`
	Jerk float64   `json:"jerk,omitempty"`
}

// fps is how many frames a second the plan's clock makes.
func (p *Path) fps() float64 { return p.Rate.Times(p.Factor).Float() }

// rampLength is what was typed for one ramp.
type rampLength struct {
	frames       float64
	part         float64 // of the leg
	acceleration float64
}

func parseRamp(field, text string, fps float64) (rampLength, error) {
	s := strings.ReplaceAll(strings.ToLower(strings.TrimSpace(text)), ",", ".")
	number := s[:len(s)-len(strings.TrimLeft(s, "0123456789."))]
	unit := strings.NewReplacer("^2", "²", "s2", "s²", " ", "").Replace(s[len(number):])
	v, err := strconv.ParseFloat(number, 64)
	wrong := func() (rampLength, error) {
		return rampLength{}, bad(field, fmt.Sprintf("%q is no ramp", text),
			"give frames, as 12, seconds, as 0.5 s, part of the leg, as 25 %, or an acceleration, as 40 °/s²")
	}
	if err != nil || !(v >= 0 && v <= 1e9) {
		return wrong()
	}
	switch unit {
	case "", "f", "fr", "frame", "frames":
		return rampLength{frames: v}, nil
	case "s", "sec", "second", "seconds":
		return rampLength{frames: float64(v * fps)}, nil
	case "%":
		if v > 100 {
			return wrong()
		}
		return rampLength{part: v / 100}, nil
	case "ms":
		return rampLength{frames: float64(v*fps) / 1000}, nil
	case "mm/s²", "°/s²", "deg/s²", "%/s²", "/s²":
		if v == 0 {
			return wrong()
		}
		return rampLength{acceleration: v}, nil
	}
	return wrong()
}

// peaks is the greatest acceleration of a ramp, in parts of its speed over its length.
func peaks(law curve.Law) float64 {
	switch law {
	case curve.SCurve, curve.MinJerk:
		return 1.5
	case curve.Sine:
		return math.Pi / 2
	}
	return 1
}

// rampOn is a typed ramp on one leg, in frames.
func (t *Track) rampOn(i int, r *TypedRamp, fps float64) (curve.Ramp, error) {
	field := own(t.Axis) + ".ramp"
	third := strconv.FormatFloat((t.Keys[i+1].Frame-t.Keys[i].Frame)/3, 'f', -1, 64)
	typed := *r
	for _, s := range []*string{&typed.In, &typed.Out} {
		if strings.TrimSpace(*s) == "" {
			*s = third
		}
	}
	r = &typed
	in, err := parseRamp(field+" in", r.In, fps)
	if err != nil {
		return curve.Ramp{}, err
	}
	out, err := parseRamp(field+" out", r.Out, fps)
	if err != nil {
		return curve.Ramp{}, err
	}
	leg := t.Keys[i+1].Frame - t.Keys[i].Frame
	in.frames, out.frames = in.frames+float64(in.part*leg), out.frames+float64(out.part*leg)
	ramp := curve.Ramp{Law: r.Law, In: in.frames, Out: out.frames, Jerk: r.Jerk / fps / fps / fps}
	if in.acceleration == 0 && out.acceleration == 0 {
		return ramp, nil
	}
	if r.Jerk > 0 && r.Law == curve.SCurve {
		return t.jerked(i, ramp, in, out, fps)
	}
	// v·(T − in/2 − out/2) = D, where a ramp by an acceleration A is κ·v/A long: a
	// quadratic in v, of which the lesser answer is the gentler move.
	d, left, k := math.Abs(t.Keys[i+1].Value-t.Keys[i].Value), t.Keys[i+1].Frame-t.Keys[i].Frame, 0.0
	for _, l := range [2]rampLength{in, out} {
		left -= l.frames / 2
		if l.acceleration > 0 {
			k += peaks(r.Law) / (l.acceleration / fps / fps) / 2
		}
	}
	under := float64(left*left) - float64(float64(4*k)*d)
	if left <= 0 || under < 0 {
		least := "a longer leg"
		if left > 0 && (in.acceleration == out.acceleration || in.acceleration == 0 || out.acceleration == 0) {
			least = fmt.Sprintf("at least %.4g per s², or a longer leg", max(in.acceleration, out.acceleration)*4*k*d/
				(left*left))
		}
		return curve.Ramp{}, bad(field, fmt.Sprintf("at that acceleration it cannot go %.4g over frames %s to %s", d,
			num(t.Keys[i].Frame), num(t.Keys[i+1].Frame)), "give "+least)
	}
	v := float64(2*d) / (left + math.Sqrt(under))
	if in.acceleration > 0 {
		ramp.In = float64(peaks(r.Law)*v) / (in.acceleration / fps / fps)
	}
	if out.acceleration > 0 {
		ramp.Out = float64(peaks(r.Law)*v) / (out.acceleration / fps / fps)
	}
	return ramp, nil
}

// jerked lays ramps by an acceleration A and a jerk J: such a one is v/A + A/J long, or, where it
// does not come to that acceleration, 2·√(v/J). v·(T − in/2 − out/2) is a hill over v; the gentler
// of the two answers is on its near side.
func (t *Track) jerked(i int, ramp curve.Ramp, in, out rampLength, fps float64) (curve.Ramp, error) {
	length := func(l rampLength, v float64) float64 {
		a := l.acceleration / fps / fps
		switch {
		case a == 0:
			return l.frames
		case float64(v*ramp.Jerk) >= float64(a*a):
			return v/a + a/ramp.Jerk
		}
		return 2 * math.Sqrt(v/ramp.Jerk)
	}
	leg, d := t.Keys[i+1].Frame-t.Keys[i].Frame, math.Abs(t.Keys[i+1].Value-t.Keys[i].Value)
	goes := func(v float64) float64 { return float64(v * (leg - (length(in, v)+length(out, v))/2)) }
	// The top of the hill lies between rest and the speed at which the ramps alone are two legs long.
	lo, hi := 0.0, 1.0
	for n := 0; goes(hi) > 0 && n < 200; n++ {
		hi *= 2
	}
	top := hi
	for range 200 {
		a, b := lo+(top-lo)/3, top-(top-lo)/3
		if goes(a) < goes(b) {
			lo = a
		} else {
			top = b
		}
	}
	if !(goes(top) >= float64(d*(1-1e-9))) {
		return curve.Ramp{}, bad(own(t.Axis)+".ramp",
			fmt.Sprintf("at that acceleration and jerk it cannot go %.4g over frames %s to %s", d, num(t.Keys[i].Frame),
				num(t.Keys[i+1].Frame)),
			"give more of either, or a longer leg")
	}
	lo, hi = 0, top
	for range 200 {
		if m := lo + (hi-lo)/2; goes(m) < d {
			lo = m
		} else {
			hi = m
		}
	}
	ramp.In, ramp.Out = length(in, hi), length(out, hi)
	return ramp, nil
}

// setRamps gives all legs of the axis a typed ramp: one for all, or, where an acceleration, a
// part or nothing was typed, each its own.
func (t *Track) setRamps(r *TypedRamp, fps float64) error {
	if r == nil {
		return nil
	}
	in, out := strings.TrimSpace(r.In), strings.TrimSpace(r.Out)
	if len(t.Keys) < 2 || in != "" && out != "" && !strings.ContainsAny(in+out, "/%") {
		two := Track{Axis: t.Axis, Keys: []Key{{}, {Frame: 1}}}
		ramp, err := two.rampOn(0, r, fps)
		if err != nil {
			return err
		}
		t.Ramp = &ramp
		return nil
	}
	legs := t.owned()
	for i := range len(t.Keys) - 1 {
		ramp, err := t.rampOn(i, r, fps)
		if err != nil {
			return err
		}
		legs[i].ramp = &ramp
	}
	t.own(legs)
	return nil
}
