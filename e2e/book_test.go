package e2e

import (
	"strings"
	"testing"

	"keenarc/link"
)

// The rig book: asked whether it can, a scale that is wrong by a telling ratio found by
// measuring, corrected as a new version, given to the machine and right afterwards; what
// that does to moves; a machine from a starting sheet; faults of wiring named.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestRigBook(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	p := a.open("/shot/" + a.shot + "/rig-up")
	for id, want := range map[string]string{"plank": "gets from 0.66 to 0.68 m along 1.46 m", "heron": "reaches 3.2",
		"wren": "reaches 1.", "turnstile": "carries no camera"} {
		p.click("choose-" + id)
		p.reads("can", want)
	}
	p.click("choose-heron")
	p.reads("can", "reaches")
	p.enter("wish-high_m", "4")
	p.enter("wish-payload_kg", "18")
	p.reads("can", "No: one thing")
	p.reads("answers", "the job asks for 4.00")
	// With a package, its weight is asked and its lens looked through.
	p.enter("wish-payload_kg", "")
	p.choose("wish-package", a.bench("plank", "Body A, 85 mm").Package.ID)
	p.reads("answers", "the job asks for 4.66")
	p.choose("wish-package", "")
	p.enter("wish-high_m", "x")
	p.wait("a sentence",
		`document.querySelector('.can [role="alert"]')?.textContent.includes('“up to” is not a number')`)
	p.click("part-carry")
	p.reads("carry", "559 kg in 25 lifts")
	p.click("part-cables")
	p.wait("loops", `$$('loop').length === 4`)

	// Plank's drive is set to half the microsteps that the book has: it goes twice as far.
	if code, b := a.post("/api/machines/plank/pretend", `{"what":"other scale","axis":"pan","on":true,"by":2}`); code !=
		200 {
		t.Fatal(b)
	}
	p.click("choose-plank")
	p.click("part-axes")
	p.click("open-pan")
	p.enter("tape-asked", "100")
	p.click("tape-work")
	p.wait("both", `document.querySelector('.scale').textContent.includes('Give both')`)
	p.enter("tape-moved", "200.3")
	p.click("tape-work")
	p.reads("tape-says", "One thing explains it: 2 microsteps, not 4.")
	p.click("take-suspect")
	p.reads("book-said", "Version 7 is written")
	p.reads("book-pan", "200 steps × 2, gear 18 : 1: 20 motor steps per °")
	p.click("configure")
	p.click("ask-yes")
	p.gone("configure")
	f, _ := a.Floors.Of("plank")
	a.rigWait("version 7", func(_ link.State, _ bool) bool { return f.Rig() != nil && f.Rig().Version == 7 })
	// What it does to moves: named, and brought to it by a press.
	p.click("part-versions")
	p.reads("change", "Pan makes 20 steps per °, not 40")
	p.click("bring-shot")
	p.click("ask-yes")
	p.gone("bring-shot")
	p.reads("ready", "· sealed")
	if code, b := a.post("/api/shots/"+a.shot+"/rig", `{"rig":"plank","version":6}`); code != 200 {
		t.Error(b)
	}
	p.key("s")
	p.reads("ready", "Plank runs version 7 of its description, this shot is on 6")
	p.click("rig-back")
	p.reads("book-said", "Taken back")
	p.wait("three versions", `document.querySelectorAll('.parts tbody tr').length === 3`)

	// A range that is upside down, no steps, a screw without a lead.
	p.click("part-axes")
	p.click("open-track")
	for _, c := range [][3]string{{"axis-min", "2000", "soft limits 2000 to 1480"},
		{"axis-microsteps", "0", "microsteps: 0"}, {"axis-teeth", "", "belt: 0 teeth"}} {
		was := eval[string](p, `document.querySelector('[data-test="`+c[0]+`"]').value`)
		p.enter(c[0], c[1])
		p.click("axis-keep")
		p.reads("axis-wrong", c[2])
		p.enter(c[0], was)
	}
	p.key("\x1b")

	// From a starting sheet: only what is unknown is typed.
	p.click("begin-rig")
	p.choose("begin-from", "slider")
	p.click("begin-make")
	p.reads("begin-wrong", "Give it a name")
	p.enter("begin-name", "Bench slider")
	p.enter("ask-travel_mm", "99999999")
	p.click("begin-make")
	p.reads("begin-wrong", "give 50 to 50000")
	p.enter("ask-travel_mm", "600")
	p.click("begin-make")
	p.reads("choose-bench-slider", "in the book only")
	p.reads("can", "along 0.59 m")

	// The rest of what is known: a part more, and one without a weight.
	p.click("edit-book")
	p.click("add-part")
	p.enter("part-name-0", "rail")
	p.click("book-keep")
	p.reads("book-wrong", "rail: “” is not a number")
	p.enter("part-kg-0", "6.5")
	p.enter("payload-level", "4")
	p.click("book-keep")
	p.click("part-carry")
	p.reads("carry", "7 kg in 1 lift")

	// Faults of wiring, on each machine.
	p.click("sheet-connect")
	for id, axis := range map[string]string{"plank": "tilt", "heron": "boom", "wren": "elbow", "turnstile": "turn"} {
		p.click("choose-" + id)
		p.reads("connect", "Everything answers where the book has it")
		p.choose("mishap", "missing drive")
		p.choose("mishap-axis", axis)
		p.click("mishap-on")
		p.reads("connect", "does not answer on bus")
		p.reads("connect-look", "Is its drive powered")
		p.wait("drawn", `document.querySelector('[data-test="node-`+axis+`"]')?.dataset.word === 'missing'`)
		p.click("mishap-off")
	}
	_, errs := p.seen()
	for _, e := range errs {
		if !strings.Contains(e, "422") { // what was refused above
			t.Errorf("the page complains: %v", e)
		}
	}
}
