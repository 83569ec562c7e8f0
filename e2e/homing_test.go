package e2e

import (
	"context"
	"math"
	"strings"
	"testing"
	"time"

	"keenarc/link"
	"keenarc/stage/machine"
)

// pickAxis looks closely at an axis of a machine on Line up.
func (p *page) pickAxis(machine, axis, name string) {
	p.t.Helper()
	p.choose("machine", machine)
	p.wait(machine, `document.querySelector('[data-test="pick-axis-`+axis+`"]')`)
	p.click("pick-axis-" + axis)
	p.wait(name, `document.querySelector('.one')?.getAttribute('aria-label') === '`+name+`'`)
}

// now is what a machine says.
func (a *app) now(machine string) link.State {
	a.t.Helper()
	f, err := a.Floors.Of(machine)
	if err != nil {
		a.t.Fatal(err)
	}
	return f.Now().State
}

// becomes waits until a machine is as wanted.
func (a *app) becomes(id, what string, is func(link.State) bool) {
	a.t.Helper()
	f, err := a.Floors.Of(id)
	if err != nil {
		a.t.Fatal(err)
	}
	ctx, end := context.WithTimeout(a.t.Context(), patience(a.t, 40*time.Second))
	defer end()
	if err := f.Until(ctx, func(s machine.Snapshot) bool { return s.Connected && is(s.State) }); err != nil {
		a.t.Fatalf("%s is never %s: it is %s, %+v", id, what, f.Now().State.Mode, f.Now().State.Axes)
	}
}

// homing begins a homing of a machine and waits for its end.
func (a *app) homing(machine string, begin func()) {
	a.t.Helper()
	begin()
	a.begins(machine)
	a.rests(machine)
}

func (a *app) begins(machine string) {
	a.t.Helper()
	until(a.t, machine+" to begin", func() bool { return a.now(machine).Mode == link.Homing })
}

// rests waits for the end of a homing.
func (a *app) rests(machine string) {
	a.t.Helper()
	until(a.t, machine+" to be homed", func() bool { return a.now(machine).Mode == link.Idle })
	for id, x := range a.now(machine).Axes {
		if strings.Contains(x.Trouble, "broken off") {
			a.t.Fatalf("%s's homing of %s was broken off", machine, id)
		}
	}
}

// The ways of homing that need a person, and those that do not, on all four machines; what
// is found is told and kept; soft limits are suspended with a band on every screen.
func TestHomingInEveryWay(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/line-up")
	// Wren knows where it is, and somebody has to look at its marks.
	p.pickAxis("wren", "elbow", "Elbow")
	a.homing("wren", func() { p.click("home"); p.click("ask-yes") })
	p.wait("its check pose",
		`document.querySelector('[data-test="confirm-check"]:not([disabled])')?.textContent.includes('All 6 pairs')`)
	p.wait("the marks", `$('marks')?.getAttribute('aria-label') === 'the marks meet'`)
	if s := a.now("wren"); s.Homed("elbow") {
		t.Error("homed before anybody looked")
	}
	p.click("confirm-check")
	p.wait("homed", `$('axis-elbow', '.name span').textContent.trim() === 'homed'`)
	a.becomes("wren", "homed, all of it", allHomed)
	p.pickAxis("wren", "focus", "Focus")
	p.reads("repeats", "as described")
	// A battery that went flat: its marks are apart when it says that they meet.
	if code, b := a.post("/api/machines/wren/pretend", `{"what":"encoder forgot","axis":"wrist","on":true}`); code !=
		200 {
		t.Fatal(b)
	}
	p.pickAxis("wren", "wrist", "Wrist")
	p.click("home-one")
	p.click("ask-yes")
	p.wait("its check pose", `document.querySelector('[data-test="confirm-check"]:not([disabled])')`)
	p.reads("marks", "far off")
	// Turnstile by its witness mark and by hand.
	p.pickAxis("turnstile", "turn", "Turn")
	p.choose("way", "witness mark")
	p.click("confirm-mark")
	p.reads("axis-turn", "homed")
	p.choose("way", "by hand")
	p.click("confirm-low")
	p.reads("home-said", "other end that it shall not pass")
	p.click("confirm-high")
	p.reads("home-said", "drive it to the other end")
	// Heron's arm against its stop.
	p.pickAxis("heron", "arm", "Arm")
	a.homing("heron", func() {
		p.click("home-one")
		p.wait("in words",
			`document.getElementById('ask-text')?.textContent.includes("until the motor stalls, then back to the `+
				`motor's index")`)
		p.click("ask-yes")
	})
	p.reads("axis-arm", "homed")
	// Plank's track twice: how well it repeats in three units.
	p.pickAxis("plank", "track", "Track")
	a.homed(func() { p.click("home"); p.click("ask-yes") })
	p.reads("repeats", "Homed once")
	p.click("home-one")
	p.click("ask-yes")
	p.reads("repeats", "2 homings within")
	p.reads("repeats", "px at the sensor")
	// Past its soft limits, loudly, on another screen too, and back by themselves.
	p.click("suspend")
	p.click("ask-yes")
	p.reads("limits-off", "SOFT LIMITS OFF")
	p.key("3")
	p.reads("limits-off", "Plank, track")
	p.reads("ready", "limits on")
	if code, b := a.post("/api/machines/plank/goto", `{"shot":"`+a.shot+`"}`); code == 200 {
		t.Error("it goes there without limits", b)
	}
	p.click("limits-on")
	p.gone("limits-off")
	if code, b := a.post("/api/machines/plank/suspend", `{"axis":"track","seconds":4}`); code != 200 {
		t.Fatal(b)
	}
	p.reads("limits-off", "track")
	p.gone("limits-off")
	// A limit is taught from where it stands.
	p.key("2")
	p.there("teach-low")
	p.click("teach-low")
	p.holds("low-track", "20.0")
	if code, b := a.post("/api/machines/plank/pretend", `{"what":"dead sensor","axis":"track","on":true}`); code !=
		200 {
		t.Fatal(b)
	}
	p.click("home-one")
	p.click("ask-yes")
	p.reads("home-trouble", "look at the sensor")
	// The drives' state is heard, if wanted.
	p.click("drive")
	p.wait("a sound", `document.documentElement.dataset.sounded === 'holding'`)
	_, errs := p.seen()
	for _, e := range errs {
		if !strings.Contains(e, "409") { // the end that was shown twice in one place
			t.Errorf("the page complains: %v", e)
		}
	}
}

// Zero here lies over home: the plan counts from it, the machine from its home, and a path
// that was sealed for another zero is sealed again before it rolls.
func TestZeroHere(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	a.homing("plank", func() { a.post("/api/machines/plank/home", `{}`) })
	if code, b := a.post("/api/machines/plank/go", `{"to":{"pan":3},"share":0.5}`); code != 200 {
		t.Fatal(b)
	}
	a.rigWait("there", func(s link.State, _ bool) bool {
		return s.Mode == link.Idle && math.Abs(s.Asked("pan")-3) < 1e-3
	})
	p := a.open("/shot/" + a.shot + "/line-up")
	p.pickAxis("plank", "pan", "Pan")
	p.click("along-0")
	p.holds("zero", "-87")
	p.click("zero-here")
	p.holds("zero", "3")
	p.click("keep-line-up")
	p.reads("line-up-said", "Sealed paths stay sealed")
	p.reads("ready", "the zero of Pan was laid elsewhere since the path was sealed. Press S")
	if s := a.now("plank"); s.Axes["pan"].Soft != [2]float64{-170, 170} || !s.Homed("pan") {
		t.Errorf("the machine's own: %v, homed %v", s.Axes["pan"].Soft, s.Homed("pan"))
	}
	p.key("s")
	p.readsNot("ready", "laid elsewhere")
	if code, b := a.post("/api/machines/plank/goto", `{"shot":"`+a.shot+`","frame":0}`); code != 200 {
		t.Fatal(b)
	}
	a.rigWait("there", func(s link.State, _ bool) bool { return s.Mode == link.Idle && s.Asked("pan") > 26 })
	if v := a.now("plank").Asked("pan"); math.Abs(v-27) > 1e-3 { // planned at 24
		t.Errorf("planned at 24 from a zero at 3 it stands at %g", v)
	}
	p.key("3")
	p.click("live-on")
	p.click("ask-yes")
	p.holds("value-pan", "24.00")
}
