package e2e

import (
	"math"
	"testing"

	"keenarc/web"
)

// A lens's rings are marked, a misread mark is named and taken away again; breathing is
// measured; digital zoom says what it costs; a camera mounted upright turns the finder.
func TestLensSheet(t *testing.T) {
	t.Parallel() // nothing moves here
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up/lens")
	p.says("the focus ring", "lens-says", "Focus is not homed")
	p.enter("mark-value", "1.02")
	p.click("mark-take")
	p.says("where it stands", "lens-said", "Home the ring first, or type where it stands in degrees.")
	p.enter("mark-deg", "110")
	p.enter("mark-value", "near")
	p.click("mark-take")
	p.says("a sentence", "lens-said", "give metres, as 1.83, or feet and inches")
	p.enter("mark-value", "9")
	p.click("mark-take")
	p.says("it cannot be", "lens-said", "distances must all rise or all fall with the ring")
	p.enter("mark-value", `3' 4 1/8"`)
	p.click("mark-take")
	p.says("the stray", "stray", "goes with none of the others")
	p.click("feet")
	p.says("in feet", "stray", "3′ 4 1/8″")
	p.click("feet")
	p.click("unmark-3")
	p.wait("no stray", `!document.querySelector('[data-test="stray"]')`)
	p.click("ring-iris")
	p.wait("the stops", `document.querySelector('[data-test="ring-drawing"]')?.textContent.includes('T 5.6')`)
	p.enter("mark-deg", "10")
	p.enter("mark-value", "0")
	p.click("mark-take")
	p.says("no such stop", "lens-said", "must be above zero")
	p.click("ring-zoom")
	p.says("no marks", "lens-says", "Nobody took marks of the zoom ring.")
	for deg, mm := range map[string]string{"0": "35 mm", "90": "70"} {
		p.enter("mark-deg", deg)
		p.enter("mark-value", mm)
		p.click("mark-take")
		p.says("the mark", "lens-said", "Mark at "+deg)
	}
	p.wait("a scale", `document.querySelector('[data-test="ring-drawing"]')?.textContent.includes('70 mm')`)
	p.click("ring-focus")
	// A chart of 1000 and 980 pixels: it breathes less than a thin lens.
	p.click("breathing")
	for id, v := range map[string]string{"breath-near": "0.45", "breath-near-wide": "1000", "breath-far": "20", "breath-far-wide": "980"} {
		p.enter(id, v)
	}
	p.click("breath-in")
	p.says("measured", "lens-note", "as it was measured")
	p.enter("crop", "0.5")
	p.click("framing-keep")
	p.says("a sentence", "lens-said", "digital zoom 0.5; give 1 (none) to 8")
	p.enter("crop", "1.5")
	p.click("upright")
	p.click("framing-keep")
	p.wait("what it costs", `[...document.querySelectorAll('[data-test="lens-note"]')].some((e) => e.textContent.includes('44 % of them'))`)
	var v struct {
		Lens struct {
			W  float64 `json:"width_mm"`
			H  float64 `json:"height_mm"`
			Px int     `json:"width_px"`
		}
	}
	a.get("/api/shots/"+a.shot, &v)
	if math.Abs(v.Lens.W-14/1.5) > 1e-9 || math.Abs(v.Lens.H-24.9/1.5) > 1e-9 || v.Lens.Px != 2304 {
		t.Errorf("the shot's picture is %+v", v.Lens)
	}
	p.key("3")
	// 14 mm cropped by 1.5 behind 35 mm: 15.2° across; the wide way it was 39.2.
	p.wait("the finder, upright", `/across 15\.[0-4]°/.test(document.querySelector('[data-test="finder"]')?.textContent)`)
}

// Depth of field and field of view are the same on the pose, on the lens sheet and in the
// calculation.
func TestTheLensAgrees(t *testing.T) {
	t.Parallel() // nothing moves here
	a := start(t)
	var s struct{ Package string }
	a.get("/api/shots/"+a.shot, &s)
	var l web.LensView
	a.get("/api/packages/"+s.Package+"/lens", &l)
	for _, at := range l.Sheet.Focus.Marks {
		code, b := a.post("/api/calc/lens", `{"focal_mm":35,"f_number":2.8,"circle_mm":0.02,"sensor_mm":[24.9,14],"distance_m":`+number(at.Value)+`}`)
		var c struct {
			Near  float64             `json:"near_m"`
			Far   float64             `json:"far_m"`
			Field struct{ H float64 } `json:"field_deg"`
		}
		unmarshal(t, code, b, &c)
		if math.Abs(c.Near-*at.NearM) > 1e-9 || math.Abs(c.Far-*at.FarM) > 1e-6 || math.Abs(c.Field.H-l.Sheet.Field[0]) > 1e-9 {
			t.Errorf("at %g m: the calculation %+v, the sheet %g to %g, %g°", at.Value, c, *at.NearM, *at.FarM, l.Sheet.Field[0])
		}
		code, b = a.post("/api/shots/"+a.shot+"/pose", `{"values":{"plank/track":700,"plank/focus":`+number(at.RingDeg)+`}}`)
		var v struct {
			View struct {
				FocusM float64    `json:"focus_m"`
				SharpM [2]float64 `json:"sharp_m"`
			}
		}
		unmarshal(t, code, b, &v)
		if math.Abs(v.View.FocusM-at.Value) > 1e-4 || math.Abs(v.View.SharpM[0]-c.Near) > 1e-4 || math.Abs(v.View.SharpM[1]-c.Far) > 1e-3 {
			t.Errorf("at %g m the pose box has %+v, the calculation %+v", at.Value, v.View, c)
		}
	}
}
