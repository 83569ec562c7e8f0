package calc

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"keenarc/core/curve"
)

func retimed(t *testing.T, q string) (a RetimeAnswer) {
	t.Helper()
	b, st := Run("retime", []byte(q))
	if st != OK {
		t.Fatalf("%s", b)
	}
	if err := json.Unmarshal(b, &a); err != nil {
		t.Fatal(err)
	}
	return a
}

// One axis comes to what ramp says; and what is due at a time is where the original was.
func TestRetime(t *testing.T) {
	for _, jerk := range []bool{false, true} {
		a := retimed(t,
			fmt.Sprintf(
				`{"rate_hz":100,"jerk":%t,"keys":{"t_s":[0,3,9],"axes":{"pan":[0,10,40]}},"kind":"monotone",`+
					`"limits":{"pan":{"speed":20,"acceleration":30,"jerk":200}}}`, jerk))
		b := curve.Bounds{Speed: 20, Acceleration: 30}
		if jerk {
			b.Jerk = 200
		}
		want, err := curve.Shortest(40, b)
		if err != nil || math.Abs(a.DurationS-want.Duration) > 1e-9 || a.WorstShare > 1+1e-9 || a.AtS[0] != 0 ||
			a.AtS[len(a.AtS)-1] != 9 || a.TimesS[len(a.TimesS)-1] != a.DurationS {
			t.Errorf("jerk %t: %g s of share %g, want %g", jerk, a.DurationS, a.WorstShare, want.Duration)
		}
		c, _ := curve.New([]float64{0, 3, 9}, []float64{0, 10, 40}, curve.Spec{Kind: curve.Monotone})
		for k, p := range a.Axes["pan"].Position {
			if math.Abs(p-c.At(a.AtS[k]).P) > 1e-9 {
				t.Fatalf("at %g it is %g, the original at %g is %g", a.TimesS[k], p, a.AtS[k], c.At(a.AtS[k]).P)
			}
		}
	}
}

// What is not a request for it names its field.
func TestRetimeMistakes(t *testing.T) {
	keys := `"keys":{"t_s":[0,4,9],"axes":{"pan":[0,30,-20],"tilt":[0,12,4]}}`
	both := `"limits":{"pan":{"speed":3,"acceleration":4},"tilt":{"speed":3,"acceleration":4}}`
	many := strings.TrimSuffix(strings.Repeat("0,", 30_000), ",")
	for name, c := range map[string]struct{ q, field string }{
		"rate": {`{` + keys + `,` + both + `}`, "rate_hz"},
		"zero": {`{"rate_hz":5,` + keys + `,"limits":{"pan":{"speed":0},"tilt":{"speed":3}}}`,
			"limits.pan.speed"},
		"no limit":    {`{"rate_hz":5,` + keys + `,"limits":{"pan":{"speed":3}}}`, "limits.tilt"},
		"axis":        {`{"rate_hz":5,` + keys + `,"limits":{"roll":{"speed":3}}}`, "limits.roll"},
		"no jerk":     {`{"rate_hz":5,"jerk":true,` + keys + `,` + both + `}`, "limits.pan.jerk"},
		"a jump":      {`{"rate_hz":5,"kind":"hold",` + keys + `,` + both + `}`, "keys.axes.pan"},
		"samples":     {`{"rate_hz":1e9,` + keys + `,` + both + `}`, "rate_hz"},
		"jerk's type": {`{"rate_hz":5,"jerk":4,` + keys + `,` + both + `}`, "jerk"},
		"too many": {`{"rate_hz":5,"keys":{"t_s":[` + many + `],"axes":{"pan":[` + many + `],"tilt":[` + many +
			`]}},` + both + `}`, "keys.t_s"},
	} {
		b, st := Run("retime", []byte(c.q))
		var e struct{ Error FieldError }
		if err := json.Unmarshal(b, &e); st != BadRequest || err != nil || e.Error.Field != c.field ||
			e.Error.Want == "" {
			t.Errorf("%s: %.200s; want an error naming %s", name, b, c.field)
		}
	}
}
