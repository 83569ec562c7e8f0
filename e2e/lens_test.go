package e2e

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"keenarc/web"
)

// A lens's rings are marked, a misread mark is named and taken away again; breathing is
// measured; digital zoom says what it costs; a camera mounted upright turns the finder.
func TestLensSheet(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up/lens")
	p.reads("lens-says", "Focus is not homed")
	p.enter("mark-value", "1.02")
	p.click("mark-take")
	p.reads("lens-said", "Home the ring first, or type where it stands in degrees.")
	p.enter("mark-deg", "110")
	p.enter("mark-value", "near")
	p.click("mark-take")
	p.reads("lens-said", "give metres, as 1.83, or feet and inches")
	p.enter("mark-value", "9")
	p.click("mark-take")
	p.reads("lens-said", "distances must all rise or all fall with the ring")
	p.enter("mark-value", `3' 4 1/8"`)
	p.click("mark-take")
	p.reads("stray", "goes with none of the others")
	p.click("feet")
	p.reads("stray", "3′ 4 1/8″")
	p.click("feet")
	p.click("unmark-3")
	p.gone("stray")
	p.click("ring-iris")
	p.reads("ring-drawing", "T 5.6")
	p.enter("mark-deg", "10")
	p.enter("mark-value", "0")
	p.click("mark-take")
	p.reads("lens-said", "must be above zero")
	p.click("ring-zoom")
	p.reads("lens-says", "Nobody took marks of the zoom ring.")
	for deg, mm := range map[string]string{"0": "35 mm", "90": "70"} {
		p.enter("mark-deg", deg)
		p.enter("mark-value", mm)
		p.click("mark-take")
		p.reads("lens-said", "Mark at "+deg)
	}
	p.reads("ring-drawing", "70 mm")
	p.click("ring-focus")
	// A chart of 1000 and 980 pixels: it breathes less than a thin lens.
	p.click("breathing")
	for id, v := range map[string]string{"breath-near": "0.45", "breath-near-wide": "1000", "breath-far": "20",
		"breath-far-wide": "980"} {
		p.enter(id, v)
	}
	p.click("breath-in")
	p.reads("lens-note", "as it was measured")
	p.enter("crop", "0.5")
	p.click("framing-keep")
	p.reads("lens-said", "digital zoom 0.5; give 1 (none) to 8")
	p.enter("crop", "1.5")
	p.click("upright")
	p.click("framing-keep")
	p.wait("what it costs", `[...$$('lens-note')].some((e) => e.textContent.includes('44 % of them'))`)
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
	p.wait("the finder, upright", `/across 15\.[0-4]°/.test($('finder')?.textContent)`)
}

// Depth of field and field of view are the same on the pose, on the lens sheet and in the
// calculation.
func TestTheLensAgrees(t *testing.T) {
	beside(t)
	a := start(t)
	var s struct{ Package string }
	a.get("/api/shots/"+a.shot, &s)
	var l web.LensView
	a.get("/api/packages/"+s.Package+"/lens", &l)
	for _, at := range l.Sheet.Focus.Marks {
		code, b := a.post("/api/calc/lens",
			`{"focal_mm":35,"f_number":2.8,"circle_mm":0.02,"sensor_mm":[24.9,14],"distance_m":`+number(at.Value)+`}`)
		var c struct {
			Near  float64             `json:"near_m"`
			Far   float64             `json:"far_m"`
			Field struct{ H float64 } `json:"field_deg"`
		}
		unmarshal(t, code, b, &c)
		if math.Abs(c.Near-*at.NearM) > 1e-9 || math.Abs(c.Far-*at.FarM) > 1e-6 ||
			math.Abs(c.Field.H-l.Sheet.Field[0]) > 1e-9 {
			t.Errorf("at %g m: the calculation %+v, the sheet %g to %g, %g°", at.Value, c, *at.NearM, *at.FarM,
				l.Sheet.Field[0])
		}
		code, b = a.post("/api/shots/"+a.shot+"/pose", `{"values":{"plank/track":700,"plank/focus":`+
			number(at.RingDeg)+`}}`)
		var v struct {
			View struct {
				FocusM float64    `json:"focus_m"`
				SharpM [2]float64 `json:"sharp_m"`
			}
		}
		unmarshal(t, code, b, &v)
		if math.Abs(v.View.FocusM-at.Value) > 1e-4 || math.Abs(v.View.SharpM[0]-c.Near) > 1e-4 ||
			math.Abs(v.View.SharpM[1]-c.Far) > 1e-3 {
			t.Errorf("at %g m the pose box has %+v, the calculation %+v", at.Value, v.View, c)
		}
	}
}

// A periscope is described by what it does to the optical axis; the camera's place and its
// view follow, and so they do by the entrance pupil that moves with focus.
func TestPeriscope(t *testing.T) {
	beside(t)
	finder(t)
	a := start(t)
	pose := func() (v struct {
		View struct {
			At      [3]float64 `json:"at_m"`
			Forward [3]float64 `json:"forward"`
			Pupil   [3]float64 `json:"pupil_m"`
		}
	}) {
		code, b := a.post("/api/shots/"+a.shot+"/pose", `{"values":{"plank/track":700,"plank/focus":135}}`)
		unmarshal(t, code, b, &v)
		return v
	}
	was := pose()
	p := a.open("/shot/" + a.shot + "/line-up/lens")
	p.click("optics")
	p.enter("optic-up", "9e9")
	p.click("framing-keep")
	p.reads("lens-said", "give at most 10 m, half a turn, and 90° up or down")
	p.enter("optic-up", "200")
	p.enter("optic-tilt", "30")
	p.click("add-pupil")
	p.enter("pupil-at-0", "1.1")
	p.enter("pupil-mm-0", "90")
	p.click("framing-keep")
	p.reads("lens-said", "Kept.")
	now := pose()
	for k, want := range [3]float64{0, 0, 0.2} {
		if d := now.View.At[k] - was.View.At[k]; math.Abs(d-want) > 1e-6 {
			t.Errorf("the image plane went %g m along %d, want %g", d, k, want)
		}
	}
	if f := now.View.Forward; math.Abs(f[2]-0.5) > 1e-6 ||
		math.Abs(math.Hypot(now.View.Pupil[1]-now.View.At[1], now.View.Pupil[2]-now.View.At[2])-0.09) > 2e-6 {
		t.Errorf("it looks along %v, its pupil is at %v", f, now.View.Pupil)
	}
	p.key("3")
	p.wait("the sheet draws it", `$('finder')?.dataset.drawn > 0`)
	if _, errs := p.seen(); len(errs) > 1 { // the one that was refused
		t.Errorf("console: %v", errs)
	}
}

// A zoom ring that a machine turns sets the field of view; a camera that hangs upright
// gives its pictures lying on their side, and they are shown turned back.
func TestZoomAndUpright(t *testing.T) {
	beside(t)
	finder(t)
	a := start(t)
	var sheet struct{ Rig map[string]any }
	a.get("/api/rigs/plank", &sheet)
	sheet.Rig["axes"] = append(sheet.Rig["axes"].([]any), map[string]any{"id": "zoom", "name": "Zoom", "kind": "zoom",
		"unit": "deg", "steps_per_unit": map[string]int{"num": 40, "den": 1}, "min": 0, "max": 90,
		"hard":  []int{-5, 95},
		"rated": map[string]int{"speed": 90, "acceleration": 200, "jerk": 3000}, "working": map[string]int{"speed": 60,
			"acceleration": 100, "jerk": 2000}, "backlash": 0.05, "repeatability": 0.05, "home": "sensor edge",
		"feedback": "nothing", "wire": "lens port · 2"})
	doc, err := json.Marshal(map[string]any{"base": 0, "rig": sheet.Rig})
	if err != nil {
		t.Fatal(err)
	}
	// Zeros are laid in the day's line-up and not in a description.
	first := sheet.Rig["axes"].([]any)[0].(map[string]any)
	first["zero"] = 5
	zeroed, _ := json.Marshal(map[string]any{"base": 0, "rig": sheet.Rig})
	if code, b := a.post("/api/rigs/zoomer", string(zeroed)); code != 422 ||
		!strings.Contains(b, "zeros are laid in the day's line-up") {
		t.Errorf("a description with a zero: %d %s", code, b)
	}
	if code, b := a.post("/api/rigs/zoomer", string(doc)); code != 200 {
		t.Fatal(code, b)
	}
	var shelf []struct{ ID string }
	a.get("/api/shelf", &shelf)
	var made struct{ ID string }
	code, b := a.post("/api/productions/"+shelf[0].ID+"/shots", `{"code":"SL-080","title":"Zoomed","rig":"zoomer"}`)
	unmarshal(t, code, b, &made)
	var s struct {
		Package  string
		Machines []struct{ Name string }
	}
	a.get("/api/shots/"+made.ID, &s)
	for i, m := range []string{`"ring_deg":0,"value":"25"`, `"ring_deg":90,"value":"100 mm"`} {
		if code, b := a.post("/api/packages/"+s.Package+"/mark", `{"base":`+itoa(i+1)+`,"ring":"zoom",`+m+
			`}`); code != 200 {
			t.Fatal(code, b)
		}
	}
	field := func(ring float64) float64 {
		var v struct {
			View struct {
				Field [2]float64 `json:"field_deg"`
			}
		}
		code, b := a.post("/api/shots/"+made.ID+"/pose",
			`{"values":{"zoomer/track":700,"zoomer/focus":300,"zoomer/zoom":`+number(ring)+`}}`)
		unmarshal(t, code, b, &v)
		return v.View.Field[0]
	}
	wide, half, long := field(0), field(45), field(90)
	for mm, got := range map[float64]float64{25: wide, 50: half, 100: long} {
		if want := 2 * math.Atan(24.9/2/mm) * 180 / math.Pi; math.Abs(got/want-1) >
			0.01 { // focused at 20 m it breathes less than that
			t.Errorf("at %g mm %g° are seen, want %g°", mm, got, want)
		}
	}
	// The camera is turned by a quarter, and its package says so.
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the finder", `$('finder')?.dataset.drawn > 0`)
	p.click("seeing")
	p.wait("the picture", `$('real-picture', 'img')?.naturalWidth > 0`)
	grey := func() []float64 {
		return eval[[]float64](p,
			`(async () => { const b = await createImageBitmap(await (await fetch('/api/camera/look?width=320')).blob());
				const c = new OffscreenCanvas(64, 64), x = c.getContext('2d');
			x.drawImage(b, (b.width - b.height) / 2, 0, b.height, b.height, 0, 0, 64, 64); const d = x.getImageData(0,
			0, 64, 64).data; return Array.from({ length: 4096 }, (_,
			i) => d[4 * i] + d[4 * i + 1] + d[4 * i + 2]); })()`)
	}
	was := grey()
	if code, b := a.post("/api/camera/pretend", `{"what":"upright","on":true}`); code != 200 {
		t.Fatal(code, b)
	}
	turned := grey()
	same, lying := 0.0, 0.0
	for y := range 64 {
		for x := range 64 {
			// Turned back clockwise, what was at the left is at the top.
			same += math.Abs(was[64*y+x] - turned[64*(63-x)+y])
			lying += math.Abs(was[64*y+x] - turned[64*y+x])
		}
	}
	if same > 0.25*lying {
		t.Errorf("turned back it differs by %.0f, as it comes by %.0f", same, lying)
	}
	var l web.LensView
	a.get("/api/shots/"+a.shot, &s)
	a.get("/api/packages/"+s.Package+"/lens", &l)
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/line-up/lens"))
	p.click("upright")
	p.click("framing-keep")
	p.reads("lens-said", "Kept.")
	p.key("3")
	p.wait("it is shown turned",
		`getComputedStyle($('real-picture', 'img')).transform.startsWith('matrix(0, 1, -1, 0')`)
	p.must(chromedp.Navigate(a.Addr + "/camera?turned"))
	p.wait("in its own window",
		`$('camera-picture', 'img')?.naturalWidth > 0 && getComputedStyle($('camera-picture',
			'img')).transform.startsWith('matrix(0, 1, -1, 0')`)
	p.click("turned")
	p.wait("as it comes", `getComputedStyle($('camera-picture', 'img')).transform === 'none'`)
}
