package calc

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"os"
	"strings"
	"testing"

	"keenarc/core/known"
)

func ask(t *testing.T, q string) (*CurveAnswer, string, Status) {
	t.Helper()
	b, st := Run("curve", []byte(q))
	a := &CurveAnswer{}
	if st == OK {
		if err := json.Unmarshal(b, a); err != nil {
			t.Fatal(err)
		}
	}
	return a, string(b), st
}

func TestCurveAnswer(t *testing.T) {
	a, _, st := ask(t, `{"kind":"natural","rate_hz":50,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`)
	if st != OK || len(a.TimesS) != 151 || a.TimesS[60] != 1.2 || a.TimesS[150] != 3 {
		t.Fatalf("status %d, %d times", st, len(a.TimesS))
	}
	p := a.Axes["pan"]
	if math.Abs(p.Position[60]-10) > 1e-12 || math.Abs(p.Position[150]-4) > 1e-12 {
		t.Errorf("keys are missed: %g, %g", p.Position[60], p.Position[150])
	}
	// By hand: the second derivative at 1.2 s is 6(−6/1.8 − 10/1.2)/6.
	if want := 6.0/1.8 + 10/1.2; p.MaxAcceleration == nil || math.Abs(*p.MaxAcceleration-want) > 1e-9 ||
		p.MaxAccelerationS != 1.2 {
		t.Errorf("acceleration %v at %g, want %g at 1.2", p.MaxAcceleration, p.MaxAccelerationS, want)
	}
	// Right-handed at a key: the jerk there is the next piece's.
	if p.Jerk[60] != p.Jerk[61] || p.Jerk[59] == p.Jerk[60] {
		t.Errorf("jerk around the key: %g, %g, %g", p.Jerk[59], p.Jerk[60], p.Jerk[61])
	}
}

// The suite of known curves, through the calculation.
func TestKnownAnswers(t *testing.T) {
	for _, k := range known.Curves {
		more, within := "", [4]float64{1e-9, 1e-9, 1e-9, 1e-9}
		switch k.Kind {
		case "tcb":
			more = `"tension":[0,0.3,-0.4,0],"continuity":[0,-0.2,0.1,0],"bias":[0,0.5,-0.25,0],`
		case "quintic":
			more = `"slopes":{"x":[2,-1.5]},"accelerations":{"x":[0,-3,4,0]},`
		case "handles":
			more = `"in":{"x":[[0,0],[-0.4,-2],[0,0],[-0.5,0]]},"out":{"x":[[0.5,1],[0.6,1],[1,-1],[0,0]]},`
			within[2], within[3] = 1e-8, 1e-5
		case "ramp":
			if more = `"law":"` + k.Law + `","ramp_s":[0.3,0.5],`; k.Jerk > 0 {
				more += `"ramp_jerk":600,`
			}
			if k.Law == "sine" {
				within[3] = 1e-6
			}
		}
		a, body, st := ask(t, `{"kind":"`+k.Kind+`",`+more+
			`"rate_hz":20,"keys":{"t_s":[0,1.2,3,5],"axes":{"x":[0,10,4,7]}}}`)
		if st != OK {
			t.Fatal(k.Kind, body)
		}
		x := a.Axes["x"]
		for _, want := range k.Samples {
			i := int(math.Round(want[0] * 20))
			for o, got := range [4]float64{x.Position[i], x.Speed[i], x.Acceleration[i], x.Jerk[i]} {
				if math.Abs(got-want[1+o]) > within[o]*(1+math.Abs(want[1+o])) {
					t.Errorf("%s at %g, order %d: %g, want %g", k.Kind, want[0], o, got, want[1+o])
				}
			}
		}
	}
}

func TestLastKeyOffTheGridIsAppended(t *testing.T) {
	a, _, _ := ask(t, `{"kind":"linear","rate_hz":10,"keys":{"t_s":[0,0.25],"axes":{"x":[0,1]}}}`)
	if n := len(a.TimesS); n != 4 || a.TimesS[3] != 0.25 || a.Axes["x"].Position[3] != 1 {
		t.Errorf("times %v", a.TimesS)
	}
}

// A maximum never hides a jump behind a finite number.
func TestJumpsAreListed(t *testing.T) {
	for kind, c := range map[string]struct {
		speed, acc, jerk bool // finite
		of               string
	}{"hold": {false, false, false, "position"}, "linear": {true, false, false, "speed"},
		"through": {true, true, false, "acceleration"}, "natural": {true, true, true, ""}} {
		a, _, _ := ask(t, `{"kind":"`+kind+`","rate_hz":10,"keys":{"t_s":[0,1,3],"axes":{"x":[0,5,1]}}}`)
		x := a.Axes["x"]
		if (x.MaxSpeed != nil) != c.speed || (x.MaxAcceleration != nil) != c.acc || (x.MaxJerk != nil) != c.jerk {
			t.Errorf("%s: maxima %v %v %v", kind, x.MaxSpeed, x.MaxAcceleration, x.MaxJerk)
		}
		if c.of != "" && (len(x.Jumps) == 0 || x.Jumps[0].Of != c.of || x.Jumps[0].AtS != 1) {
			t.Errorf("%s: jumps %v", kind, x.Jumps)
		}
	}
}

func TestEndsAndSlopes(t *testing.T) {
	a, _, _ := ask(t, `{"kind":"through","ends":"secant","rate_hz":1,"keys":{"t_s":[0,1,2],"axes":{"x":[0,5,1]}}}`)
	if v := a.Axes["x"].Speed[0]; v != 5 {
		t.Errorf("secant starts with %g", v)
	}
	a, _, _ = ask(t, `{"kind":"monotone","ends":"shape","rate_hz":1,"keys":{"t_s":[0,1,2],"axes":{"x":[0,1,4]}}}`)
	if v := a.Axes["x"].Speed[0]; v != 0 { // (3·1 − 3)/2
		t.Errorf("shape starts with %g", v)
	}
	a, _, _ = ask(t, `{"kind":"clamped","slopes":{"x":[2,-1]},"rate_hz":1,"keys":{"t_s":[0,1,2],"axes":{"x":[0,1,4]}}}`)
	if v := a.Axes["x"].Speed; math.Abs(v[0]-2) > 1e-12 || math.Abs(v[2]+1) > 1e-12 {
		t.Errorf("clamped slopes %v", v)
	}
}

func TestBlendedLinear(t *testing.T) {
	a, _, _ := ask(t, `{"kind":"linear","blend_s":0.5,"rate_hz":10,"keys":{"t_s":[0,1,3],"axes":{"x":[0,5,1]}}}`)
	x := a.Axes["x"]
	if x.MaxAcceleration == nil || x.MaxSpeed == nil || x.MaxJerk != nil || x.Speed[0] != 0 ||
		math.Abs(x.Speed[30]) > 1e-12 {
		t.Errorf("%+v", x)
	}
}

func TestMistakesNameTheirField(t *testing.T) {
	for name, c := range map[string]struct{ q, field string }{
		"two at one time": {`{"rate_hz":50,"keys":{"t_s":[0,1,1],"axes":{"pan":[0,1,2]}}}`, "keys.t_s[2]"},
		"none":            {`{"rate_hz":50,"keys":{"t_s":[],"axes":{"pan":[]}}}`, "keys.t_s"},
		"count":           {`{"rate_hz":50,"keys":{"t_s":[0,1],"axes":{"pan":[0]}}}`, "keys.axes.pan"},
		"kind":            {`{"kind":"wobble","rate_hz":50,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`, "kind"},
		"ends": {`{"kind":"natural","ends":"rest","rate_hz":50,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"ends"},
		"rate":          {`{"rate_hz":0,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`, "rate_hz"},
		"too many":      {`{"rate_hz":1e6,"keys":{"t_s":[0,1000],"axes":{"pan":[0,1]}}}`, "rate_hz"},
		"no axis":       {`{"rate_hz":50,"keys":{"t_s":[0,1],"axes":{}}}`, "keys.axes"},
		"unknown field": {`{"rate_hz":50,"speed":1,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`, "speed"},
		"NaN":           {`{"rate_hz":50,"keys":{"t_s":[0,NaN],"axes":{"pan":[0,1]}}}`, "request"},
		"type":          {`{"rate_hz":"fast"}`, "rate_hz"},
		"slopes": {
			`{"kind":"clamped","slopes":{"tilt":[0,0]},"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"slopes.tilt"},
		"tension": {`{"kind":"tcb","tension":[0,2],"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"tension[1]"},
		"bias": {`{"kind":"tcb","bias":[0],"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`, "bias"},
		"quintic ends": {`{"kind":"quintic","slopes":{"pan":[0,1]},"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[` +
			`0,1]}}}`, "slopes.pan"},
		"accelerations": {`{"kind":"quintic","accelerations":{"tilt":[0,0]},"rate_hz":5,"keys":{"t_s":[0,1],"axes":{` +
			`"pan":[0,1]}}}`, "accelerations.tilt"},
		"long ramps": {`{"kind":"ramp","ramp_s":[0.6,0.5],"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"ramp_s"},
		"negative ramp": {`{"kind":"ramp","ramp_s":[-0.6,0.5],"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"ramp_s"},
		"law": {`{"kind":"ramp","law":"bang","rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"law"},
		"law of none": {`{"kind":"smooth","law":"sine","rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"law"},
		"jerk": {`{"kind":"ramp","ramp_jerk":3,"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"ramp_jerk"},
		"fold": {
			`{"kind":"handles","out":{"pan":[[-1,0],[0,0]]},"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"out.pan[0]"},
		"handles of none": {`{"kind":"handles","in":{"tilt":[[-1,0],[0,0]]},"rate_hz":5,"keys":{"t_s":[0,1],"axes":{` +
			`"pan":[0,1]}}}`, "in.tilt"},
		"few handles": {
			`{"kind":"handles","in":{"pan":[[0,0]]},"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`, "in.pan"},
		"blend": {`{"kind":"smooth","blend_s":1,"rate_hz":5,"keys":{"t_s":[0,1],"axes":{"pan":[0,1]}}}`,
			"blend_s"},
		"cut":         {`{"rate_hz":50,`, "request"},
		"two objects": {`{"rate_hz":5,"keys":{"t_s":[0],"axes":{"a":[1]}}} {}`, "request"},
		"overflow":    {`{"rate_hz":5,"keys":{"t_s":[0,1e-300],"axes":{"pan":[0,1e60]}}}`, "keys.t_s[1]"},
	} {
		_, body, st := ask(t, c.q)
		var e struct{ Error FieldError }
		if err := json.Unmarshal([]byte(body), &e); st != BadRequest || err != nil || e.Error.Field != c.field ||
			e.Error.Wrong == "" || e.Error.Want == "" {
			t.Errorf("%s: status %d, %s; want an error naming %s", name, st, body, c.field)
		}
	}
	if b, st := Run("wobble", nil); st != Unknown || !strings.Contains(string(b), "curve") {
		t.Errorf("an unknown calculation answers %d %s", st, b)
	}
}

func FuzzRun(f *testing.F) {
	f.Add(`{"kind":"natural","rate_hz":50,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`)
	f.Add(`{"rate_hz":1e308,"keys":{"t_s":[-1e308,1e308],"axes":{"":[1,2]}}}`)
	f.Add(`[`)
	for _, e := range List() {
		f.Add(e.example)
	}
	f.Fuzz(func(t *testing.T, q string) {
		for _, e := range List() {
			a, st := Prepare(context.Background(), e.Name, []byte(q), Bounds{1 << 16, 20_000, 20_000, 200})
			var b bytes.Buffer
			if err := a.Write(t.Context(), &b); err != nil {
				t.Fatalf("%s: %v", e.Name, err)
			}
			if !json.Valid(b.Bytes()) {
				t.Errorf("%s of %q answers %.300q", e.Name, q, b.String())
			}
			if st != OK && !strings.HasPrefix(b.String(), `{"error":{"field":`) {
				t.Errorf("%s of %q: a mistake answers %q", e.Name, q, b.String())
			}
		}
	})
}

// What is streamed is what encoding/json makes of the answer's type, to the byte.
func TestStreamedAsMarshalled(t *testing.T) {
	for _, q := range []string{
		`{"kind":"akima","rate_hz":2500,"keys":{"t_s":[0,1,2.5,4],"axes":{"b<>":[0,1e-9,0,3e22],"a":[1,1,2,2]}}}`,
		`{"kind":"hold","rate_hz":7,"keys":{"t_s":[0,1,2.5],"axes":{"x":[0,-1,5]}}}`,
		`{"rate_hz":7,"keys":{"t_s":[3],"axes":{"x":[0]}}}`,
	} {
		a, body, st := ask(t, q)
		again, err := json.Marshal(a)
		if st != OK || err != nil || body != string(again)+"\n" {
			t.Errorf("%s: streamed and marshalled differ (%d and %d bytes): %v", q, len(body), len(again)+1, err)
		}
	}
}

// A value that jumps onto its last key is listed and makes the speed infinite.
func TestTheLastKeyOfHold(t *testing.T) {
	a, _, _ := ask(t, `{"kind":"hold","rate_hz":10,"keys":{"t_s":[0,1],"axes":{"x":[0,5]}}}`)
	x := a.Axes["x"]
	if x.MaxSpeed != nil || len(x.Jumps) != 1 || x.Jumps[0] != (CurveJump{1, "position", 5}) || x.Position[10] != 0 {
		t.Errorf("%+v", x)
	}
}

func TestMarkdownIsCurrent(t *testing.T) {
	want, err := Markdown()
	if err != nil {
		t.Fatal(err)
	}
	got, err := os.ReadFile("../docs/calc.md")
	if err != nil || string(got) != string(want) {
		t.Error("docs/calc.md is not current; run make generate")
	}
}
