package calc

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
)

func answer[A any](t *testing.T, name, q string) *A {
	t.Helper()
	b, st := Run(name, []byte(q))
	if st != OK {
		t.Fatalf("%s: %s", name, b)
	}
	a := new(A)
	if err := json.Unmarshal(b, a); err != nil {
		t.Fatal(err)
	}
	return a
}

func close9(a, b float64) bool { return math.Abs(a-b) <= 1e-9*(1e-3+math.Abs(b)) }

func TestBalanceCalc(t *testing.T) {
	a := answer[BalanceAnswer](t, "balance",
		`{"pieces":[{"name":"body","mass_kg":2.4,"at_m":[0,0.02,0.05]}],"from_deg":-60,"to_deg":45,"step_deg":1,`+
			`"motor_nm":6,"friction_nm":0.2}`)
	mg := 2.4 * 9.80665
	worst := mg * (0.02*0.5 + 0.05*math.Sqrt(3)/2)
	if len(a.Torque) != 106 || !close9(a.Torque[60].NM, mg*0.02) || !close9(a.WorstNM, worst) || a.WorstAt != -60 ||
		!close9(*a.Margin, 6/worst) || a.Move != (BalanceMove{-0.02, -0.05}) {
		t.Errorf("%+v", a)
	}
	if a := answer[BalanceAnswer](t, "balance",
		`{"pieces":[{"mass_kg":2,"at_m":[0.1,0,0]}],"from_deg":0,"to_deg":1,"motor_nm":6}`); a.Margin != nil ||
		a.WorstNM != 0 || len(a.Torque) != 2 {
		t.Errorf("nothing pulls: %+v", a)
	}
	if b, _ := Run("balance",
		[]byte(`{"pieces":[{"mass_kg":2,"at_m":[0,0.1,0]}],"from_deg":0,"to_deg":1}`)); !strings.Contains(string(b),
		`"margin":null`) {
		t.Errorf("no motor: %s", b)
	}
}

// Torques alone leave mass and centre out; a weighed mass brings them back.
func TestPayloadCalc(t *testing.T) {
	const poses = `"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0,1]],"torque_nm":[-0.2,0.1,0]},{"rotation":[[1,0,0],[0,` +
		`0,-1],[0,1,0]],"torque_nm":[0.4,0,-0.1]}]`
	b, _ := Run("payload", []byte(`{"g":10,`+poses+`}`))
	if s := string(b); strings.Contains(s, "mass_kg") || strings.Contains(s, "centre_m") ||
		!strings.Contains(s, `"moment_kgm"`) {
		t.Errorf("torques alone: %s", s)
	}
	a := answer[PayloadAnswer](t, "payload", `{"g":10,"mass_kg":2,`+poses+
		`,"candidates":[[[1,0,0],[0,1,0],[0,0,1]],[[0,0,1],[0,1,0],[-1,0,0]]]}`)
	if *a.MassKg != 2 || !close9(a.Centre[0], 0.005) || !close9(a.Centre[1], 0.01) || !close9(a.Centre[2], 0.02) ||
		*a.BestNext != 1 {
		t.Errorf("%+v", a)
	}
}

func TestCounterweightCalc(t *testing.T) {
	b, _ := Run("counterweight",
		[]byte(`{"tail_m":1.2,"boom_kgm":[38,38,38],"payload_kg":12,"arms_m":[2,2.5,3],"weights":[{"kg":20,`+
			`"count":4},{"kg":5,"count":6}]}`))
	if c, _ := Run("counterweight",
		[]byte(`{"tail_m":1.2,"boom_kgm":38,"payload_kg":12,"arms_m":[2,2.5,3],"weights":[{"kg":20,"count":4},{`+
			`"kg":5,"count":6}]}`)); string(b) != string(c) || !strings.Contains(string(b),
		`"worst_left_kgm":-8,"at_arm_m":3`) {
		t.Errorf("one number and the same for each: %s, %s", b, c)
	}
}

// By hand, with the formulas of any textbook, counted from either place.
func TestLensCalc(t *testing.T) {
	const common = `{"focal_mm":50,"f_number":4,"circle_mm":0.025,"sensor_mm":[36,24],"distance_m":`
	f, h := 0.05, 0.05*0.05/(4*0.000025)+0.05
	a := answer[LensAnswer](t, "lens", common+`3,"from":"lens"}`)
	near, far := 3*(h-f)/(h+3-2*f), 3*(h-f)/(h-3)
	i := f * 3 / (3 - f)
	if !close9(a.HyperfocalM, h) || !close9(a.NearM, near) || !close9(*a.FarM, far) || !close9(*a.TotalM, far-near) ||
		!close9(a.Magnification, i/3) {
		t.Errorf("from the lens: %+v", a)
	}
	deg := func(mm, at float64) float64 { return 2 * math.Atan(mm/2000/at) * 180 / math.Pi }
	if d := math.Hypot(36, 24); !close9(a.Field.H, deg(36, f)) || !close9(a.Field.D, deg(d, f)) ||
		!close9(a.FocusedField.V, deg(24, i)) || !close9(a.FocusedField.D, deg(d, i)) {
		t.Errorf("field: %+v %+v", a.Field, a.FocusedField)
	}
	// The same focus, counted from the image plane: everything is an image distance further.
	p := answer[LensAnswer](t, "lens", common+jsonNumber(3+i)+`}`)
	if !close9(p.NearM, near+i) || !close9(*p.FarM, far+i) || !close9(*p.TotalM, far-near) || !close9(p.HyperfocalM,
		h+f*h/(h-f)) || p.Field != a.Field || !close9(p.Magnification, a.Magnification) {
		t.Errorf("from the image plane: %+v", p)
	}
	if a := answer[LensAnswer](t, "lens", common+`30,"from":"lens"}`); a.FarM != nil || a.TotalM != nil {
		t.Errorf("beyond the hyperfocal distance: %+v", a)
	}
	if a := answer[LensAnswer](t, "lens", common+`0.06,"from":"lens"}`); !close9(a.Magnification, 5) {
		t.Errorf("larger than life: %+v", a)
	}
	if a := answer[LensAnswer](t, "lens", common+`0.2}`); !close9(a.Magnification, 1) {
		t.Errorf("at life size: %+v", a)
	}
}

func jsonNumber(v float64) string {
	b, _ := json.Marshal(v)
	return string(b)
}

func TestBalanceMistakesNameTheirField(t *testing.T) {
	for q, field := range map[string]string{
		`balance {"pieces":[],"from_deg":0,"to_deg":1}`: "pieces",
		`balance ` +
			`{"pieces":[{"mass_kg":0,"at_m":[0,0,0]}],"from_deg":0,"to_deg":1}`: "pieces[0].mass_kg",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0]}],"from_deg":0,"to_deg":1}`: "pieces[0].at_m",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,0,0]}],"from_deg":0,"to_deg":1}`: "pieces[0].at_m",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,1e300]}],"from_deg":0,"to_deg":1}`: "pieces[0].at_m",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,1]}],"from_deg":2,"to_deg":1}`: "from_deg",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,1]}],"from_deg":0,"to_deg":1,"step_deg":0}`: "step_deg",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,1]}],"from_deg":0,"to_deg":1,"step_deg":1e-300}`: "step_deg",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,1]}],"from_deg":0,"to_deg":1,"motor_nm":0}`: "motor_nm",
		`balance ` +
			`{"pieces":[{"mass_kg":1,"at_m":[0,0,1]}],"from_deg":0,"to_deg":1,"friction_nm":-1}`: "friction_nm",
		`payload {"poses":[]}`: "poses",
		`payload ` +
			`{"poses":[{"rotation":[[1,0,0],[0,1,0]],"torque_nm":[0,0,0]}]}`: "poses[0].rotation",
		`payload ` +
			`{"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0]],"torque_nm":[0,0,0]}]}`: "poses[0].rotation[2]",
		`payload ` +
			`{"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0,2]],"torque_nm":[0,0,0]}]}`: "poses[0].rotation",
		`payload ` +
			`{"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0,1]],"torque_nm":[0,0]}]}`: "poses[0].torque_nm",
		`payload ` +
			`{"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0,1]],"torque_nm":[0,0,0],"force_n":[1]}]}`: "poses[0].force_n",
		`payload ` +
			`{"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0,1]],"torque_nm":[0,0,0],"force_n":[0,0,-1]}]}`: "poses",
		`payload {"g":0,"poses":[]}`: "g",
		`counterweight ` +
			`{"tail_m":0,"boom_kgm":1,"payload_kg":1,"arms_m":[1],"weights":[{"kg":1,` +
			`"count":1}]}`: "tail_m",
		`counterweight ` +
			`{"tail_m":1,"boom_kgm":"x","payload_kg":1,"arms_m":[1],"weights":[{"kg":1,` +
			`"count":1}]}`: "boom_kgm",
		`counterweight ` +
			`{"tail_m":1,"boom_kgm":null,"payload_kg":1,"arms_m":[1],"weights":[{"kg":1,` +
			`"count":1}]}`: "boom_kgm",
		`counterweight ` +
			`{"tail_m":1,"boom_kgm":[1,2],"payload_kg":1,"arms_m":[1],"weights":[{"kg":1,` +
			`"count":1}]}`: "boom_kgm",
		`counterweight ` +
			`{"tail_m":1,"boom_kgm":1,"payload_kg":1,"arms_m":[0],"weights":[{"kg":1,"count":1}]}`: "arms_m[0]",
		`counterweight ` +
			`{"tail_m":1,"boom_kgm":1,"payload_kg":1,"arms_m":[1],"weights":[{"kg":0,"count":1}]}`: "weights[0].kg",
		`lens ` +
			`{"focal_mm":35,"f_number":0,"circle_mm":0.02,"sensor_mm":[24.9,14],` +
			`"distance_m":1}`: "f_number",
		`lens ` +
			`{"focal_mm":35,"f_number":2,"circle_mm":0.02,"sensor_mm":[24.9],"distance_m":1}`: "sensor_mm",
		`lens ` +
			`{"focal_mm":35,"f_number":2,"circle_mm":0.02,"sensor_mm":[24.9,-1],"distance_m":1}`: "sensor_mm[1]",
		`lens ` +
			`{"focal_mm":35,"f_number":2,"circle_mm":0.02,"sensor_mm":[24.9,14],"distance_m":0.139}`: "distance_m",
		`lens ` +
			`{"focal_mm":35,"f_number":2,"circle_mm":0.02,"sensor_mm":[24.9,14],"distance_m":0.035,` +
			`"from":"lens"}`: "distance_m",
		`lens ` +
			`{"focal_mm":35,"f_number":2,"circle_mm":0.02,"sensor_mm":[24.9,14],"distance_m":1,` +
			`"from":"here"}`: "from",
	} {
		name, request, _ := strings.Cut(q, " ")
		b, st := Run(name, []byte(request))
		var e struct{ Error FieldError }
		if err := json.Unmarshal(b, &e); err != nil || st != BadRequest || e.Error.Field != field || e.Error.Wrong ==
			"" || e.Error.Want == "" {
			t.Errorf("%s: %s, want %s", q, b, field)
		}
	}
}
