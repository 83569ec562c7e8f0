package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"keenarc/link"
	"keenarc/stage/machine"
	"keenarc/standin/camera"
	"keenarc/web"
)

// TestPictures takes the pictures of docs/screenshots from the demo data when
// KEENARC_PICTURES names a folder.
func TestPictures(t *testing.T) {
	alone(t)
	dir := os.Getenv("KEENARC_PICTURES")
	if dir == "" {
		t.Skip("set KEENARC_PICTURES to a folder to take the pictures")
	}
	a := start(t)
	p := a.open("/")
	snap := func(name string) {
		p.wait("fonts", "document.fonts.status === 'loaded'")
		p.wait("the finder", `!$('finder') || $('finder').dataset.drawn > 0`)
		p.must(chromedp.Sleep(900e6))
		p.shot(filepath.Join(dir, name+".png"))
	}
	p.there("shot-SL-010")
	p.click("shot-SL-010")
	p.wait("the finder", `$('finder')?.dataset.drawn > 0`)
	p.reads("ready", "rig seen")
	p.must(chromedp.Evaluate[chromedp.Void]("document.querySelector('[data-test=\"staff-pan\"]').focus()"))
	for range 8 {
		p.key(">")
	}
	snap("compose-paper")
	p.enter("factor", "1.6")
	p.wait("all remedies", `$('remedy-retime') && !$('looking')`)
	x, y := p.centre(test("remedy-retime"))
	p.mouse(moved, x, y, false)
	p.there("then")
	p.must(chromedp.Sleep(2 * time.Second)) // the finder in full
	snap("compose-over")
	p.mouse(moved, 640, 300, false)
	p.key("p")
	p.wait("findings", `document.body.innerText.includes('Not checked yet')`)
	snap("prove")
	p.key("3")
	p.click("remedy-slow")
	p.gone("remedy-slow")
	p.click("undo")
	p.there("remedy-room")
	p.click("undo")
	p.reads("sentence", "within its limits")
	p.click("seal")
	p.reads("seal", "sealed")
	p.key("2")
	a.homed(func() { p.click("home"); p.click("ask-yes") })
	a.post("/api/machines/plank/home", `{"axes":["track","pan"],"times":8}`)
	p.reads("repeats", "9 homings")
	snap("line-up")
	p.click("theme")
	p.key("5")
	rollTwice(a, p, nil)
	snap("shoot-blackout")
	p.click("theme")
	p.key("6")
	p.there("log")
	snap("wrap")
	p.key("1")
	everyMachine(a, p, snap)
	for shot, sheets := range map[string][]string{a.shot: {"order"}, a.other("SL-020"): {"power", "ground"}} {
		for _, s := range sheets {
			p.must(chromedp.Navigate(a.Addr + "/shot/" + shot + "/rig-up/" + s))
			p.wait(s, `document.querySelector('[data-test="`+s+`-drawing"]')`)
			snap(s)
		}
	}
}

// TestPicturesOfACrowd takes Compose with nine axes and forty keyframes on each, one of them
// opened, in both lights.
func TestPicturesOfACrowd(t *testing.T) {
	alone(t)
	dir := os.Getenv("KEENARC_PICTURES")
	if dir == "" {
		t.Skip("set KEENARC_PICTURES to a folder to take the pictures")
	}
	a := start(t)
	p := a.open("/shot/" + a.crowded(t, 40, 2000) + "/compose")
	p.wait("the finder", `$('finder')?.dataset.drawn > 0`)
	p.click("theme")
	p.enter("frame", "1025")
	p.must(chromedp.Sleep(2e9))
	p.shot(filepath.Join(dir, "compose-crowded-blackout.png"))
	p.click("theme")
	p.clickOn(`[data-test="staff-pan"] .name`)
	p.must(chromedp.DoubleClick(chromedp.CSS(`[data-test="staff-pan"] .name`)))
	p.wait("an open staff", `$('staff-pan').dataset.opened === 'true'`)
	p.key("d", "+", "+", "+")
	p.there("change-here")
	p.must(chromedp.Sleep(2e9))
	p.shot(filepath.Join(dir, "compose-crowded.png"))
}

// TestPicturesOfFrames takes those of the bookshelf and of SL-030 at its next frame.
func TestPicturesOfFrames(t *testing.T) {
	alone(t)
	dir := os.Getenv("KEENARC_PICTURES")
	if dir == "" {
		t.Skip("set KEENARC_PICTURES to a folder to take the pictures")
	}
	a := start(t, func(o *web.Options) { o.Film = camera.Film })
	a.homed(func() {
		if code, b := a.post("/api/machines/plank/home", "{}"); code != 200 {
			t.Fatal(code, b)
		}
	})
	p := a.open("/")
	snap := func(name string) { p.shot(filepath.Join(dir, name+".png")) }
	p.wait("the shelf", `$('shot-SL-030') && document.fonts.status === 'loaded'`)
	snap("bookshelf")
	p.click("shot-SL-030")
	p.there("sentence")
	p.key("5")
	p.reads("ready", "Press N to go there")
	goes := func(press func()) {
		press()
		a.rigWait("moving", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
		p.reads("hands-state", "HANDS IN")
	}
	goes(func() { p.key("n"); p.click("ask-yes") })
	goes(func() { p.key("n") })
	p.still(50)
	p.click("theme")
	p.must(chromedp.Sleep(3e9))
	snap("frames-blackout")
}

// TestPicturesOfTheFloor takes what answers on Plank's wires, with a fault to practise, and
// its camera's chain.
func TestPicturesOfTheFloor(t *testing.T) {
	alone(t)
	dir := os.Getenv("KEENARC_PICTURES")
	if dir == "" {
		t.Skip("set KEENARC_PICTURES to a folder to take the pictures")
	}
	a := start(t)
	a.homed(func() {
		if code, b := a.post("/api/machines/plank/home", "{}"); code != 200 {
			t.Fatal(code, b)
		}
	})
	p := a.open("/shot/" + a.shot + "/rig-up/connect")
	snap := func(name string) { p.shot(filepath.Join(dir, name+".png")) }
	p.choose("mishap", "swapped wires")
	p.choose("mishap-axis", "tilt")
	p.click("mishap-on")
	p.reads("connect", "counts against")
	p.must(chromedp.Sleep(500e6))
	snap("connect")
	p.click("mishap-off")
	p.key("2")
	p.click("sheet-sync")
	p.click("chain-begin")
	p.must(chromedp.Sleep(75e9))
	p.reads("sync", "ms late")
	p.click("chain-keep")
	p.there("chain")
	snap("sync")
	a.post("/api/machines/plank/goto", `{"shot":"`+a.shot+`","frame":0,"plan":true}`)
	p.must(chromedp.Sleep(12e9))
	p.click("sheet-lens")
	p.reads("lens-says", "sharp from")
	snap("lens")
	p.key("1")
	p.click("sheet-balance")
	p.click("bench-clear")
	p.enter("reads-slide", "64")
	p.choose("saw0", "nose falls")
	p.choose("saw-30", "nose falls")
	p.reads("bench-next", "Slide the camera back")
	p.must(chromedp.Sleep(500e6))
	snap("balance")
}

// everyMachine shows each machine on Rig up, homed, one of them in blackout; with
// KEENARC_ALL all of them in both lights.
func everyMachine(a *app, p *page, snap func(string)) {
	for _, id := range []string{"heron", "wren", "turnstile", "plank"} {
		p.click("choose-" + id)
		f, err := a.Floors.Of(id)
		if err != nil {
			a.t.Fatal(err)
		}
		if id != "plank" {
			a.homing(id, func() { a.post("/api/machines/"+id+"/home", `{}`) })
			for axis, x := range a.now(id).Axes {
				if x.Waits != "" {
					a.post("/api/machines/"+id+"/confirm", `{"axes":["`+axis+`"],"what":"`+x.Waits+`"}`)
				}
			}
			p.wait("homed", `document.querySelector('[data-test="choose-`+id+`"]').textContent.includes('seen, homed')`)
			swing(a, f)
		}
		if os.Getenv("KEENARC_ALL") != "" {
			snap("rig-up-" + id)
		} else if id == "plank" { // docs/screenshots has room for one
			snap("rig-up")
		}
		if os.Getenv("KEENARC_ALL") != "" {
			p.click("theme")
			snap("rig-up-" + id + "-blackout")
			p.click("theme")
		}
	}
}

// swing sends a machine somewhere where its chain can be seen.
func swing(a *app, f *machine.Machine) {
	to := map[string]map[string]float64{
		"heron":     {"track": 2200, "swing": 35, "boom": 24, "arm": 900, "pan": -40, "tilt": -12},
		"wren":      {"track": 1400, "turn": -30, "shoulder": 35, "elbow": -20, "wrist": -15},
		"turnstile": {"rise": 200, "turn": 45},
	}[f.ID()]
	b, err := json.Marshal(map[string]any{"to": to, "share": 0.5})
	if err != nil {
		a.t.Fatal(err)
	}
	if code, text := a.post("/api/machines/"+f.ID()+"/go", string(b)); code != 200 {
		a.t.Fatal(text)
	}
	if err := f.Until(a.t.Context(), func(s machine.Snapshot) bool {
		for id, v := range to {
			if x := s.State.Asked(id) - v; x > 1e-3 || x < -1e-3 {
				return false
			}
		}
		return s.State.Mode == link.Idle
	}); err != nil {
		a.t.Fatal(err)
	}
}

// rollTwice goes to the first frame and rolls passes 1 and 2 by holding Space.
func rollTwice(a *app, p *page, midway func()) {
	for n := 1; n <= 2; n++ {
		p.click("pick-" + string(rune('0'+n)))
		if n > 1 {
			p.wait("the pass", `document.querySelector('#roll-title').textContent.includes('pass 2')`)
		}
		a.atFirst(p, func() { p.click("go-first"); p.click("ask-yes") })
		p.must(chromedp.Focus(chromedp.CSS(test("hold"))))
		p.pressesHold()
		a.rigWait("rolling", func(s link.State, _ bool) bool { return s.Mode == link.Rolling })
		if n == 2 && midway != nil {
			a.underWay(100)
			midway()
		}
		p.reads("hold-says", "finished")
		p.space(false)
	}
	p.wait("a verdict", `/stacks|off/.test($('pass-2', '[data-test="verdict"]').textContent)`)
}
