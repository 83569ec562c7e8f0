package e2e

import (
	"encoding/json"
	"math"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"keenarc/link"
)

// arrow presses or lets go of a key of the keyboard.
func (p *page) arrow(key string, down bool) {
	p.t.Helper()
	typ := input.DispatchKeyEventTypeKeyUp
	if down {
		typ = input.DispatchKeyEventTypeRawKeyDown
	}
	if _, err := chromedp.Call(p.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: typ, Key: key,
		Code: key}); err != nil {
		p.t.Fatal(err)
	}
}

// The rig is steered live on Compose, its keyframe stored where it stands, a mark kept and
// gone back to; several axes are sent somewhere, arriving together; the camera's own
// picture is seen on Compose, Line up and Shoot. None of it needs a seal.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestSteeringLive(t *testing.T) {
	holds(t)
	a := start(t, homedAlready)
	a.homed(func() { a.post("/api/machines/plank/home", "{}") })
	p := a.open("/shot/" + a.shot + "/compose")
	p.reads("ready", "✓ homed")
	pos := func(id string) float64 { return a.Floor.Now().State.Asked(id) }
	still := func(s link.State, _ bool) bool { return s.Mode == link.Idle }
	jogging := func(s link.State, _ bool) bool { return s.Mode == link.Jogging }
	// Without Live a nudge moves the plan alone.
	p.must(chromedp.Focus(chromedp.CSS(test("staff-track"))))
	was := pos("track")
	p.key(" ")
	if a.Floor.Now().State.Mode != link.Idle || pos("track") != was {
		t.Fatal("it moves without Live")
	}
	p.asks("live-on")
	p.wait("in words", `document.getElementById('ask-text')?.textContent.includes('no point of it over 250 mm/s')`)
	p.click("ask-yes")
	p.reads("live-sign", "nudges move Plank while they are pressed")
	p.must(chromedp.Focus(chromedp.CSS(test("staff-track"))))
	p.arrow("ArrowRight", true)
	a.rigWait("jogging", jogging)
	a.rigWait("some way off", func(s link.State, _ bool) bool { return s.Asked("track") > was+60 })
	p.arrow("ArrowRight", false)
	p.arrow("/", true) // at once: how far it will have gone nobody knows yet
	p.arrow("/", false)
	p.reads("live-sign", "not at rest yet")
	a.rigWait("still", still)
	p.wait("at rest on the page, too", `!$('whose').textContent.includes('page:')`)
	// Not on another axis.
	p.must(chromedp.Focus(chromedp.CSS(test("staff-pan"))))
	pan := pos("pan")
	p.arrow("/", true)
	p.reads("live-sign", "The last nudge was on Track")
	p.arrow("/", false)
	if a.Floor.Now().State.Mode != link.Idle || pos("pan") != pan {
		t.Error("half back moves another axis")
	}
	p.must(chromedp.Focus(chromedp.CSS(test("staff-track"))))
	// Half back: as long as it is held, and no farther.
	at := pos("track")
	far := at - was
	p.arrow("/", true)
	a.rigWait("back", jogging)
	a.rigWait("half back", func(s link.State, _ bool) bool { return math.Abs(at-s.Asked("track")-far/2) < 0.5 })
	time.Sleep(300 * time.Millisecond) // more than a second of its own, and no farther
	p.arrow("/", false)
	a.rigWait("still", still)
	if back := at - pos("track"); math.Abs(back-far/2) > 0.5 {
		t.Errorf("half back of %g mm went %g", far, back)
	}
	p.reads("pose", "Where Plank stands")
	p.click("store")
	p.wait("stored", `$('kept').textContent.includes('saved') || $('kept').textContent.includes('Stored')`)
	var v struct {
		Path struct {
			Tracks []struct {
				Axis string
				Keys []struct{ Frame, Value float64 }
			}
		}
	}
	a.get("/api/shots/"+a.shot, &v)
	for _, tr := range v.Path.Tracks {
		if tr.Axis == "plank/track" && math.Abs(tr.Keys[0].Value-pos("track")) > 0.01 {
			t.Errorf("stored %+v, it stands at %g", tr.Keys[0], pos("track"))
		}
	}
	p.click("marks")
	p.click("mark-keep")
	p.wait("a sentence", `document.querySelector('.sheet [role="alert"]')?.textContent.includes('it has no name')`)
	p.enter("mark-name", "Rest")
	p.click("mark-keep")
	p.wait("with a picture", `$('mark-Rest', 'img')`)
	p.click("marks-close")
	p.click("live-off")
	p.gone("live-sign")

	// Somewhere else, several axes together, at a speed of their own.
	p.key("2")
	p.click("go-somewhere")
	p.enter("go-track", "99999")
	p.reads("go-says", "outside its soft limits")
	p.enter("go-track", "300")
	p.enter("go-pan", "12")
	p.enter("go-share", "50")
	p.reads("go-says", "the others arrive with it")
	p.click("go-yes")
	a.rigWait("going", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
	a.rigWait("there", still)
	if math.Abs(pos("track")-300) > 1e-3 || math.Abs(pos("pan")-12) >
		1e-3 { // the drives come to rest on it a little later
		t.Errorf("sent to 300 and 12 it is at %g and %g", pos("track"), pos("pan"))
	}
	// The camera's own picture on each screen.
	p.click("see")
	p.wait("the picture", `$('camera-picture', 'img')?.naturalWidth > 0`)
	p.key("3")
	p.click("seeing")
	p.wait("the picture on Compose", `$('real-picture', 'img')?.naturalWidth > 0`)
	p.key("5")
	p.wait("the picture on Shoot", `$('real-picture', 'img')?.naturalWidth > 0`)
	// Back to the mark, confirmed, without a seal; and to a frame of the draft.
	p.key("3")
	p.click("marks")
	p.click("mark-go")
	p.click("ask-yes")
	a.rigWait("going", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
	a.rigWait("there", still)
	if pan := pos("pan"); math.Abs(pan) > 0.01 {
		t.Errorf("at the mark pan is %g", pan)
	}
	p.click("marks-close")
	if code, b := a.post("/api/machines/plank/goto", `{"shot":"`+a.shot+`","frame":70,"plan":true}`); code != 200 {
		t.Error(b)
	}
	a.rigWait("going", func(s link.State, _ bool) bool { return s.Mode == link.Moving })
	a.rigWait("there", still)
	if math.Abs(pos("track")-520) > 0.5 {
		t.Errorf("at frame 70 of the draft it is at %g", pos("track"))
	}
	// No camera: said plainly.
	if a.Camera != nil {
		a.Camera.Close()
	}
	p.wait("no picture", `/No live picture|gives no picture|old/.test($('real-picture').textContent)`)
}

// How late the camera starts and how its clock runs: measured, kept in the line-up, and
// still there when the limits are kept anew.
func TestInStep(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up/sync")
	p.reads("sync", "Nothing was measured yet")
	p.reads("chain-keep", "Plank")
	p.enter("chain-tries", "x")
	p.click("chain-begin")
	p.reads("chain-said", "Give numbers")
	p.enter("chain-tries", "6")
	p.enter("chain-seconds", "12")
	// Broken off in mid-take it leaves no take running, and can be begun again.
	p.click("chain-begin")
	p.click("chain-off")
	p.reads("chain-why", "it was broken off")
	p.click("chain-begin")
	p.there("chain-off")
	if code, b := a.post("/api/camera/in-step", `{"name":"again","tries":1,"seconds":5}`); code != 409 {
		t.Errorf("a second one at once: %d %s", code, b)
	}
	p.reads("sync", "ms late")
	var now struct {
		Chain struct {
			Delays struct {
				N      int
				Mean   float64 `json:"mean_ms"`
				Sigma  float64 `json:"sigma_ms"`
				Frames float64
			}
			Clock struct {
				PPM    float64
				Within float64 `json:"within_ppm"`
			}
		}
	}
	a.get("/api/camera/in-step", &now)
	c := now.Chain
	if c.Delays.N != 6 || c.Delays.Mean < 100 || c.Delays.Mean > 140 || c.Delays.Sigma > 20 ||
		math.Abs(c.Delays.Frames-c.Delays.Mean*0.024) > 1e-6 {
		t.Errorf("%+v; it starts some 118 ms late", c.Delays)
	}
	// Twelve seconds of a busy host: it says itself how well it knows it.
	if math.Abs(c.Clock.PPM-37.5) > max(2, 2*c.Clock.Within) {
		t.Errorf("%+v; its clock runs 37.5 ppm fast", c.Clock)
	}
	t.Logf("%+v", c)
	p.click("chain-keep")
	p.reads("chain-said", "Kept in Plank's line-up")
	p.there("chain")
	p.click("sheet-axes")
	p.there("high-track")
	p.enter("high-track", "1300")
	p.click("keep-line-up")
	p.reads("line-up-said", "Sealed paths stay sealed")
	p.click("sheet-sync")
	p.there("chain")
}

// The other machines that carry a camera are steered as well, each by its own axes.
func TestSteeringTheOthers(t *testing.T) {
	holds(t)
	a := start(t)
	var shelf []struct{ ID string }
	a.get("/api/shelf", &shelf)
	for id, axis := range map[string]string{"heron": "swing", "wren": "turn"} {
		code, b := a.post("/api/productions/"+shelf[0].ID+"/shots",
			`{"code":"`+map[string]string{"heron": "SL-060", "wren": "SL-070"}[id]+
				`","title":"Steered","rig":"`+id+`"}`)
		var made struct{ ID string }
		if code != 200 || json.Unmarshal([]byte(b), &made) != nil {
			t.Fatal(code, b)
		}
		p := a.open("/shot/" + made.ID + "/compose")
		p.wait("it is seen", `document.querySelector('[data-test="live-on"]:not([disabled])')`)
		p.asks("live-on")
		p.click("ask-yes")
		p.reads("live-sign", "while they are pressed")
		p.must(chromedp.Focus(chromedp.CSS(test("staff-" + axis))))
		was := a.now(id).Axes
		p.arrow("ArrowRight", true)
		until(t, id+" to move", func() bool { return a.now(id).Asked(axis) > was[axis].Asked+0.05 })
		p.arrow("ArrowRight", false)
		until(t, id+" to rest", func() bool { return a.now(id).Mode == link.Idle })
		now := a.now(id)
		if d := now.Asked(axis) - was[axis].Asked; now.Mode != link.Idle || d < 0.05 || d > 20 {
			t.Errorf("%s: %s went %g°, it is %s", id, axis, d, now.Mode)
		}
		for other, v := range was {
			if d := math.Abs(now.Asked(other) - v.Asked); other != axis && d > 1e-3 {
				t.Errorf("%s: %s moved, too: %g", id, other, d)
			}
		}
		p.click("marks")
		p.enter("mark-name", "Here")
		p.click("mark-keep")
		p.there("mark-Here")
		p.click("marks-close")
		p.click("live-off")
	}
}

// The other three machines are homed, sent somewhere and given a zero, in the browser.
func TestTheOthersOnTheFloor(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up")
	axes := map[string]string{"heron": "swing", "wren": "turn", "turnstile": "turn"}
	for id := range axes {
		a.post("/api/machines/"+id+"/home", `{}`)
	}
	for id := range axes {
		a.begins(id)
	}
	for id, axis := range axes {
		a.rests(id)
		if id == "wren" {
			if code, b := a.post("/api/machines/wren/confirm",
				`{"axes":["turn","shoulder","elbow","forearm","wrist","hand"],"what":"check pose"}`); code != 200 {
				t.Fatal(b)
			}
		}
		p.pickAxis(id, axis, map[string]string{"swing": "Swing", "turn": "Turn"}[axis])
		p.click("go-somewhere")
		p.enter("go-"+axis, "7")
		p.enter("go-share", "50")
		p.reads("go-says", "It ")
		p.click("go-yes")
		until(t, id+" to be at 7°", func() bool {
			s := a.now(id)
			return s.Mode == link.Idle && math.Abs(s.Asked(axis)-7) < 1e-3
		})
		p.click("zero-here") // where it is seen: a step of its encoder from where it was sent
		p.wait("its zero", `Math.abs(Number($('zero')?.value) - 7) < 0.01`)
		zero := eval[float64](p, `Number($('zero').value)`)
		p.click("keep-line-up")
		var list []struct {
			Doc struct {
				Axes map[string]struct{ Zero float64 }
			} `json:"line_up"`
		}
		until(t, id+"'s line-up", func() bool { a.get("/api/machines/"+id+"/line-ups", &list); return len(list) > 0 })
		if f, err := a.Floors.Of(id); err != nil || !f.Now().State.Homed(axis) {
			t.Errorf("%s: %v, %s is homed no more", id, err, axis)
		}
		if len(list) == 0 || list[0].Doc.Axes[axis].Zero != zero {
			t.Errorf("%s: the line-ups are %+v", id, list)
		}
	}
}
