package examples

import (
	"encoding/json"
	"math"
	"reflect"
	"testing"

	"keenarc/core/geom"
	"keenarc/core/known"
	"keenarc/core/rig"
)

// The demo's set is in order: every solid has a name, a form and a size, stands
// on or above the floor, and what pictures are judged on lies in or by it.
func TestHarbour(t *testing.T) {
	s := Harbour()
	forms := map[geom.Shape]int{}
	named := map[string]geom.Solid{}
	for _, x := range s.Solids {
		forms[x.Shape]++
		if _, twice := named[x.Name]; x.Name == "" || twice {
			t.Errorf("a solid is called %q, or two are", x.Name)
		}
		named[x.Name] = x
		for i, v := range x.Size {
			if !(v > 0) {
				t.Errorf("%s has size %v", x.Name, x.Size)
			}
			if i < 2 && x.Shape != geom.Box && x.Size[0] != x.Size[1] {
				t.Errorf("%s is round and has two diameters", x.Name)
			}
		}
		if low := x.Centre[2] - x.Size[2]/2; low < -1e-9 {
			t.Errorf("%s reaches %g m below the floor", x.Name, low)
		}
		if len(x.Colour) != 7 || x.Colour[0] != '#' {
			t.Errorf("%s has colour %q", x.Name, x.Colour)
		}
	}
	if forms[geom.Box] == 0 || forms[geom.Cylinder] == 0 || forms[geom.Cone] == 0 || forms[geom.Ball] == 0 {
		t.Errorf("not every form is there: %v", forms)
	}
	if globe := named["lamp globe"]; globe.Centre != s.Subject {
		t.Errorf("the subject %v is not the lamp's globe at %v", s.Subject, globe.Centre)
	}
	if !(s.Near[1] < s.Subject[1] && s.Subject[1] < s.Far[1]) {
		t.Errorf("near, subject and far lie at %g, %g and %g m", s.Near[1], s.Subject[1], s.Far[1])
	}
	if b := named["bollard"]; math.Hypot(b.Centre[0]-s.Near[0], b.Centre[1]-s.Near[1]) > 0.15 {
		t.Errorf("the near point %v is not at the bollard %v", s.Near, b.Centre)
	}
	if w := named["harbour wall"]; w.Centre[0]+w.Size[0]/2 > named["quay steps"].Centre[0] || w.Centre[0] >= 0 {
		t.Errorf("the harbour wall at %v does not run out of the picture to the left of the steps", w.Centre)
	}
	for _, z := range s.Zones {
		if !(z.MinM[0] < z.MaxM[0] && z.MinM[1] < z.MaxM[1] && z.ClearM > 0) {
			t.Errorf("zone %+v", z)
		}
	}
	b, err := json.Marshal(s)
	back := &geom.Set{}
	if err != nil || json.Unmarshal(b, back) != nil || !reflect.DeepEqual(s, back) {
		t.Errorf("it does not come back from JSON: %v", err)
	}
}

// Every rig that ships can be read, and stands where its chain says at zero.
func TestRigs(t *testing.T) {
	all := Rigs()
	if len(all) != len(RigIDs()) {
		t.Fatalf("%d rigs, %d ids", len(all), len(RigIDs()))
	}
	for _, id := range RigIDs() {
		r := all[id]
		if r == nil || r.ID != id {
			t.Fatalf("there is no rig %s", id)
		}
		back, err := json.Marshal(r)
		if err != nil {
			t.Fatal(err)
		}
		if again, err := rig.Read(back); err != nil || !reflect.DeepEqual(r, again) {
			t.Errorf("%s does not come back from JSON: %v", id, err)
		}
	}
	for id, want := range map[string]rig.Vec{
		"plank": {0, -0.01, 0.67},
		"heron": {0, 1.70, 1.02}, // 0.25 + 1.05 + 0.12 up, arm 1.60 out, head 0.12 out and 0.40 down
		"wren":  {0, 0.99, 1.37},
	} {
		got := all[id].Forward(make([]float64, len(all[id].Axes)))
		for i := range want {
			if math.Abs(got.At[i]-want[i]) > 1e-12 || math.Abs(got.Forward[i]-[]float64{0, 1, 0}[i]) > 1e-12 {
				t.Errorf("%s at zero: %v looking to %v, want %v along y", id, got.At, got.Forward, want)
				break
			}
		}
	}
	// The linkage keeps Heron's head level whatever its boom does.
	heron := all["heron"]
	q := make([]float64, len(heron.Axes))
	q[heron.Index("boom")], q[heron.Index("arm")] = 30, 500
	p := heron.Forward(q)
	reach := 1.60 + 0.5
	if want := (rig.Vec{0, reach*math.Cos(math.Pi/6) + 0.10, 1.42 + reach*0.5 - 0.40}); math.Hypot(p.At[1]-want[1],
		p.At[2]-want[2]) > 1e-12 || p.Forward[1] < 1-1e-12 {
		t.Errorf("boom up: %v looking to %v, want %v level", p.At, p.Forward, want)
	}
	for _, k := range known.Chains {
		p := all["plank"].Forward(k.Values)
		if math.Hypot(p.At[0]-k.At[0], p.At[2]-k.At[2]) > 1e-12 {
			t.Errorf("Plank at %v stands at %v, want %v", k.Values, p.At, k.At)
		}
	}
}
