package geom

import (
	"encoding/json"
	"math"
	"reflect"
	"testing"
)

// The demo's set is in order: every solid has a name, a form and a size, stands
// on or above the floor, and what pictures are judged on lies in or by it.
func TestHarbourSet(t *testing.T) {
	s := HarbourSet()
	forms := map[Shape]int{}
	named := map[string]Solid{}
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
			if i < 2 && x.Shape != Box && x.Size[0] != x.Size[1] {
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
	if forms[Box] == 0 || forms[Cylinder] == 0 || forms[Cone] == 0 || forms[Ball] == 0 {
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
	back := &Set{}
	if err != nil || json.Unmarshal(b, back) != nil || !reflect.DeepEqual(s, back) {
		t.Errorf("it does not come back from JSON: %v", err)
	}
}
