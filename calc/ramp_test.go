package calc

import (
	"strings"
	"testing"
)

func TestRampCalc(t *testing.T) {
	a := answer[RampAnswer](t, "ramp",
		`{"axes":{"pan":{"distance":40,"max_speed":20,"max_acceleration":40,"max_jerk":400},"track":{"distance":-10,`+
			`"max_speed":20,"max_acceleration":40},"roll":{"distance":0,"max_speed":1,"max_acceleration":1}}}`)
	p, k, r := a.Axes["pan"], a.Axes["track"], a.Axes["roll"]
	if !close9(a.DurationS, 2.6) || a.Slowest != "pan" || !close9(p.OwnDurationS, 2.6) || !close9(p.PeakSpeed, 20) ||
		len(p.PhasesS) != 7 || !close9(p.PhasesS[3], 1.4) {
		t.Errorf("%+v", a)
	}
	if k.OwnDurationS != 1 || !close9(k.DurationS, 2.6) || !close9(k.PeakSpeed, -20/2.6) || !close9(k.PeakAcceleration,
		-40/2.6/2.6) || len(k.PhasesS) != 3 || k.PhasesS[0] != 0.5 {
		t.Errorf("%+v", k)
	}
	if r.OwnDurationS != 0 || r.PeakSpeed != 0 || !close9(r.DurationS, 2.6) {
		t.Errorf("%+v", r)
	}
	if a := answer[RampAnswer](t, "ramp",
		`{"axes":{"roll":{"distance":0,"max_speed":1,"max_acceleration":1}}}`); a.DurationS != 0 || a.Slowest != "" {
		t.Errorf("%+v", a)
	}
	for want, q := range map[string]string{
		`"field":"axes.a.max_speed"`:        `{"axes":{"a":{"distance":1,"max_speed":0,"max_acceleration":1}}}`,
		`"field":"axes.a.max_acceleration"`: `{"axes":{"a":{"distance":1,"max_speed":1,"max_acceleration":-1}}}`,
		`"field":"axes.a.max_jerk"`: `{"axes":{"a":{"distance":1,"max_speed":1,"max_acceleration":1,` +
			`"max_jerk":0}}}`,
		`"field":"axes"`: `{"axes":{}}`,
	} {
		if b, st := Run("ramp", []byte(q)); st != BadRequest || !strings.Contains(string(b), want) {
			t.Errorf("%s: %s", want, b)
		}
	}
}
