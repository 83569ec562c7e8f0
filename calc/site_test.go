package calc

import (
	"math"
	"slices"
	"strings"
	"testing"
)

func TestRunningOrderCalc(t *testing.T) {
	const tasks = `"tasks":[{"id":"unload","minutes":20,"after":[],"people":2},{"id":"rails","minutes":35,"after":[` +
		`"unload"],"people":2},{"id":"camera","minutes":30,"after":["unload"]},{"id":"mount","minutes":20,"after":[` +
		`"rails","camera"],"people":2}]`
	a := answer[RunningOrderAnswer](t, "running-order", `{"start":"23:30",`+tasks+`,"crew":2}`)
	if a.Ready != "00:45" || a.ReadyMin != 75 || !slices.Equal(a.Critical, []string{"unload", "rails", "mount"}) ||
		a.Tasks[2] != (RunningOrderSlot{"camera", 20, 50, 5}) {
		t.Errorf("%+v", a)
	}
	// Two pairs of hands: rails first (its latest start is the earlier), then the camera.
	if l := a.Levelled; l.ReadyMin != 105 || l.Tasks[2].StartMin != 55 || l.Tasks[3].StartMin != 85 ||
		a.ReadyP50 != nil {
		t.Errorf("levelled: %+v", l)
	}
	s := answer[RunningOrderAnswer](t, "running-order",
		`{"start":"07:30","tasks":[{"id":"a","p50":40,"p80":60},{"id":"b","p50":40,"p80":60,"after":["a"]}]}`)
	if s.ReadyMin != 80 || s.Levelled != nil || !(*s.ReadyP50 > 82 && *s.ReadyP80 < 117 && *s.ReadyP80 > *s.ReadyP50) {
		t.Errorf("percentiles: %+v", s)
	}
	// Three hours' work for one pair of hands is three hours, whatever is forecast of it.
	l := answer[RunningOrderAnswer](t, "running-order",
		`{"crew":1,"tasks":[{"id":"a","p50":60,"p80":60},{"id":"b","p50":60,"p80":60},{"id":"c","p50":60,"p80":90}]}`)
	if *l.ReadyP50 > 70 || l.Levelled.ReadyMin != 180 || math.Abs(*l.Levelled.ReadyP50-180) > 2 ||
		*l.Levelled.ReadyP80 < 200 {
		t.Errorf("%+v, levelled %g, %g", l, *l.Levelled.ReadyP50, *l.Levelled.ReadyP80)
	}
	for want, q := range map[string]string{
		`"field":"tasks[0].minutes","wrong":"\"a\" has no time, or two"`: `{"tasks":[{"id":"a"}]}`,
		`has no time, or two`: `{"tasks":[{"id":"a","minutes":3,"p50":3,"p80":4}]}`,
		`a after b after a`:   `{"tasks":[{"id":"a","minutes":3,"after":["b"]},{"id":"b","minutes":3,"after":["a"]}]}`,
		`"field":"start"`:     `{"start":"7","tasks":[{"id":"a","minutes":3}]}`,
		`"field":"crew"`:      `{"crew":-1,"tasks":[{"id":"a","minutes":3}]}`,
		`needs 3 people`:      `{"crew":2,"tasks":[{"id":"a","minutes":3,"people":3}]}`,
		`"field":"tasks"`:     `{"tasks":[]}`,
	} {
		if b, st := Run("running-order", []byte(q)); st != BadRequest || !strings.Contains(string(b), want) {
			t.Errorf("%s: %s", want, b)
		}
	}
}

func TestPowerCalc(t *testing.T) {
	const cable = `"cable":{"length_m":50,"section_mm2":1.5},"devices":[{"name":"swing","watts":800,` +
		`"peak_watts":2400},{"name":"head","watts":100}]`
	// By hand: V = (230 + √(230² − 4·k·W))/2 with k = 2·0.0225·50/1.5 = 1.5 Ω.
	at := func(k, w float64) (v, a float64) { v = (230 + math.Sqrt(230*230-4*k*w)) / 2; return v, w / v }
	v, amps := at(1.5, 900)
	pv, pamps := at(1.5, 2500)
	a := answer[PowerAnswer](t, "power", `{"volts":230,"breaker_a":16,"least_volts":207,`+cable+`}`)
	if !close9(*a.Amps, amps) || !close9(*a.PeakAmps, pamps) || !close9(*a.VoltsAtEnd, v) || !close9(*a.PeakVolts,
		pv) || !a.Settles || !a.PeakSettles || !a.BreakerOK || !a.PeakBreakerOK || a.FailsFirst != nil {
		t.Errorf("%+v", a)
	}
	pv, _ = at(4.0/3, 2500)
	a = answer[PowerAnswer](t, "power", `{"volts":230,"breaker_a":10,"least_volts":220,"resistivity":0.02,`+cable+`}`)
	if *a.FailsFirst != "volts" || !close9(*a.FailsAtAmps, 10/(4.0/3)) || !a.BreakerOK || a.PeakBreakerOK ||
		!close9(*a.PeakVolts, pv) {
		t.Errorf("%+v", a)
	}
	a = answer[PowerAnswer](t, "power", `{"volts":230,"breaker_a":10,"least_volts":200,`+cable+`}`)
	if *a.FailsFirst != "breaker" || *a.FailsAtAmps != 10 {
		t.Errorf("%+v", a)
	}
	// 3600 W over 55 m of 1.5 mm²: cold and warm; and 90 W at 12 V, which settle cold and nowhere warm.
	const long = `"volts":230,"breaker_a":16,"cable":{"length_m":55,"section_mm2":1.5},"devices":[{"name":"a",` +
		`"watts":3600}]`
	for rho, want := range map[string][2]float64{`"resistivity":0.0175,`: {207.76, 17.33}, ``: {200.35, 17.97}} {
		if a = answer[PowerAnswer](t, "power", `{`+rho+long+`}`); math.Abs(*a.VoltsAtEnd-want[0]) > 0.01 ||
			math.Abs(*a.Amps-want[1]) > 0.01 || a.BreakerOK || *a.FailsFirst != "breaker" {
			t.Errorf("%s: %g V, %g A, %+v", rho, *a.VoltsAtEnd, *a.Amps, a)
		}
	}
	const low = `"volts":12,"cable":{"length_m":10,"section_mm2":1},"devices":[{"name":"a","watts":90}]`
	if a = answer[PowerAnswer](t, "power", `{"resistivity":0.0175,`+low+`}`); !a.Settles ||
		math.Abs(*a.VoltsAtEnd-8.12) > 0.01 {
		t.Errorf("%+v", a)
	}
	if a = answer[PowerAnswer](t, "power", `{`+low+`}`); a.Settles || a.Amps != nil || a.VoltsAtEnd != nil ||
		a.BreakerOK || a.PeakBreakerOK || *a.FailsFirst != "volts" || !close9(*a.FailsAtAmps, 6/0.45) {
		t.Errorf("%+v", a)
	}
	// Points near a line, for what they are known to.
	const near = `"before_m":[[0,3,0.5],[1,3,0.5],[2,3,0.56]],"after_m":[[0,3,0.5],[1,3,0.5],[2,3,0.56]]`
	if b, st := Run("rig-shift", []byte(`{`+near+`}`)); st != OK {
		t.Errorf("%s", b)
	}
	for _, sigma := range []string{"0.01", "0", "-1"} {
		if b, st := Run("rig-shift", []byte(`{"sigma_m":`+sigma+`,`+near+`}`)); st != BadRequest {
			t.Errorf("sigma %s: %s", sigma, b)
		}
	}
	for want, q := range map[string]string{
		`"field":"volts"`: `{"volts":0,` + cable + `}`,
		`"field":"cable.section_mm2"`: `{"volts":230,"cable":{"length_m":5,"section_mm2":0},"devices":[{` +
			`"name":"a","watts":1}]}`,
		`"field":"cable.length_m"`: `{"volts":230,"cable":{"length_m":-5,"section_mm2":1},"devices":[{` +
			`"name":"a","watts":1}]}`,
		`"field":"resistivity"`: `{"volts":230,"resistivity":0,` + cable + `}`,
		`"field":"devices"`:     `{"volts":230,"cable":{"length_m":5,"section_mm2":1},"devices":[]}`,
		`"field":"devices[0].watts"`: `{"volts":230,"cable":{"length_m":5,"section_mm2":1},"devices":[{` +
			`"name":"a","watts":-1}]}`,
		`"field":"devices[0].peak_watts"`: `{"volts":230,"cable":{"length_m":5,"section_mm2":1},"devices":[{` +
			`"name":"a","watts":10,"peak_watts":5}]}`,
		`"field":"breaker_a"`:   `{"volts":230,"breaker_a":0,` + cable + `}`,
		`"field":"least_volts"`: `{"volts":230,"least_volts":231,` + cable + `}`,
	} {
		if b, st := Run("power", []byte(q)); st != BadRequest || !strings.Contains(string(b), want) {
			t.Errorf("%s: %s", want, b)
		}
	}
}

// A quarter turn about the vertical and a step, read from the answer's own fields.
func TestRigShiftCalc(t *testing.T) {
	a := answer[RigShiftAnswer](t, "rig-shift",
		`{"before_m":[[1,0,0],[0,1,0],[0,0,1],[1,1,1]],"after_m":[[0.5,1,0],[-0.5,0,0],[0.5,0,1],[-0.5,1,1]]}`)
	h := math.Sqrt2 / 2
	for k, w := range [4]float64{h, 0, 0, h} {
		if math.Abs(a.Quaternion[k]-w) > 1e-12 {
			t.Errorf("%v", a.Quaternion)
		}
	}
	if math.Abs(a.AngleDeg-90) > 1e-9 || math.Abs(a.Translation[0]-0.5) > 1e-12 || a.WorstM > 1e-12 ||
		len(a.Residual) != 4 {
		t.Errorf("%+v", a)
	}
	for want, q := range map[string]string{
		"lie in a line":              `{"before_m":[[0,0,0],[1,0,0],[2,0,0]],"after_m":[[0,0,0],[1,0,0],[0,1,0]]}`,
		"there are 2 points":         `{"before_m":[[0,0,0],[1,0,0]],"after_m":[[0,0,0],[1,0,0]]}`,
		`"field":"before_m[0]"`:      `{"before_m":[[0,0]],"after_m":[]}`,
		"3 points before and 0 afte": `{"before_m":[[0,0,0],[1,0,0],[0,2,0]],"after_m":[]}`,
	} {
		if b, st := Run("rig-shift", []byte(q)); st != BadRequest || !strings.Contains(string(b), want) {
			t.Errorf("%s: %s", want, b)
		}
	}
}
