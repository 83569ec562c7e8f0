package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/link"
	"keenarc/web"
)

func (a *app) points(shot string) *web.PointsView {
	a.t.Helper()
	v := &web.PointsView{}
	a.get("/api/shots/"+shot+"/points", v)
	return v
}

// centred sends Plank, which really stands somewhere, to where it has a thing in the
// middle of its picture, from so far along its track.
func (a *app) centred(stands rig.Place, thing rig.Vec, track float64) {
	a.t.Helper()
	r, err := rig.Join([]rig.Placed{{Name: "plank", Rig: examples.Rigs()["plank"], Place: stands}})
	if err != nil {
		a.t.Fatal(err)
	}
	q := make([]float64, len(r.Axes))
	q[0] = track
	for range 60 {
		l := r.Forward(q).Local(thing)
		q[1] += math.Atan2(l[0], l[1]) * 180 / math.Pi
		q[2] += math.Atan2(l[2], math.Hypot(l[0], l[1])) * 180 / math.Pi
	}
	if code, b := a.post("/api/machines/plank/go",
		fmt.Sprintf(`{"shot":%q,"to":{"track":%g,"pan":%.9f,"tilt":%.9f,"roll":0},"share":0.5}`, a.shot, q[0], q[1],
			q[2])); code != 200 {
		a.t.Fatal(code, b)
	}
	a.rigWait("centred", func(s link.State, seen bool) bool {
		return seen && s.Mode == link.Idle && math.Abs(s.Pos("track")-q[0]) < 0.1 && math.Abs(s.Pos("pan")-q[1]) <
			0.01 && math.Abs(s.Pos("tilt")-q[2]) < 0.01
	})
}

// Four fixed points are sighted with Plank itself; it is knocked without knowing, they are
// sighted again, and it is said by how much, and what that does to the picture.
func TestPointsSheet(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up/points")
	p.reads("points-says", "Name three or more fixed points")
	for _, n := range []string{"door bolt", "corner of the sill", "nail", "pipe clip"} {
		p.enter("point-name", n)
		p.click("point-add")
		p.wait(n, `[...document.querySelectorAll('.points table')].some((e) => e.textContent.includes('`+n+`'))`)
	}
	p.click("sight-point-1")
	p.reads("points-said", "is not homed: where it is, is not known. Home it first.")
	p.click("points-round")
	p.reads("points-said", "this one knows 0 points")
	a.homed(func() {
		if code, b := a.post("/api/machines/plank/home", `{}`); code != 200 {
			t.Fatal(code, b)
		}
	})
	things := []rig.Vec{{0.6, 1.8, 0.85}, {0.5, 1.2, 0.6}, {0.75, 1, 0.5}, {1, 1.4, 0.75}}
	sightAll := func(stands rig.Place) {
		t.Helper()
		for k, track := range []float64{150, 1350} {
			for i, x := range things {
				a.centred(stands, x, track)
				if k == 0 && i == 0 { // pressed twice from one pose
					p.click("sight-point-1")
					p.reads("points-said", "Sighted")
					p.click("sight-point-1")
					p.reads("points-said", "door bolt was sighted from this place already; move the rig further along")
					continue
				}
				id := fmt.Sprint("point-", i+1)
				if code, b := a.post("/api/shots/"+a.shot+"/points/sight", `{"point":"`+id+`"}`); code != 200 {
					t.Fatal(code, b)
				}
			}
		}
	}
	sightAll(rig.Place{})
	p.reads("points-says", "4 points are known. On another day, sight them again.")
	v := a.points(a.shot)
	for i, x := range v.Sheet.Before {
		if x.At == nil || math.Hypot(math.Hypot(x.At[0]-things[i][0], x.At[1]-things[i][1]), x.At[2]-things[i][2])*
			1000 > 4*x.KnownMM {
			t.Errorf("%+v, is at %v", x, things[i])
		}
	}
	// It stands a night, and is knocked.
	p.click("points-round")
	p.reads("points-says", "0 of the points are known in both rounds")
	for _, k := range []string{`"axis":"right","by":4`, `"axis":"forward","by":-2.5`, `"axis":"turn","by":0.4`} {
		if code, b := a.post("/api/machines/plank/pretend", `{"what":"knocked","on":true,`+k+`}`); code != 200 {
			t.Fatal(code, b)
		}
	}
	sightAll(rig.Place{At: rig.Vec{0.004, -0.0025, 0}, TurnDeg: 0.4})
	p.reads("points-says", "The rig has moved")
	m := a.points(a.shot)
	w := m.Sheet.Moved
	if w == nil || !w.Told || math.Abs(w.MM[0]-4) > 1.5*w.KnownMM || math.Abs(w.MM[1]+2.5) > 1.5*w.KnownMM ||
		math.Abs(w.YawDeg-0.4) > 1.5*w.KnownDeg || w.KnownMM > 4 || w.Odd != "" {
		t.Errorf("%+v", w)
	}
	p.reads("points-picture", "passes of before and of now will not stack")
	if !m.Picture.Needs || m.Picture.Px < 20 {
		t.Errorf("%+v", m.Picture)
	}
	p.must(chromedp.Reload())
	p.reads("points-says", "The rig has moved")
	p.wait("drawn", `document.querySelectorAll('[data-test^="point-point-"]').length === 4`)
	if dir := os.Getenv("KEENARC_PICTURES"); dir != "" {
		p.click("pick-point-2")
		p.there("camera-picture")
		p.shot(filepath.Join(dir, "points.png"))
	}
	// Nothing is lost: the last sighting is taken back, and by its own place again.
	p.click("points-back")
	p.reads("points-said", "Taken back")
	if v := a.points(a.shot); len(v.Survey.Rounds[1].Sights) != 7 {
		t.Errorf("%d", len(v.Survey.Rounds[1].Sights))
	}
	p.there("again-point-4")
	p.asks("again-point-4")
	if text := eval[string](p, `document.getElementById('ask-text').textContent`); !strings.Contains(text,
		"Nobody inside the moving zone") {
		t.Error(text)
	}
}
