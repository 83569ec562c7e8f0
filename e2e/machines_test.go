package e2e

import (
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"keenarc/core/clock"
	"keenarc/link"
	"keenarc/stage/machine"
)

// choose picks an option of a select by its value.
func (p *page) choose(id, value string) {
	p.t.Helper()
	p.wait(value+" among "+id, `[...$('`+id+`')?.options ?? []].some((o) => o.value === "`+value+`")`)
	p.does(`(() => { const s = document.querySelector('[data-test="` + id + `"]'); s.value = "` + value +
		`"; s.dispatchEvent(new Event('change', { bubbles: true })); })()`)
}

// Every machine is seen, drawn from its own chain, and homed by name; Stop reaches
// them all; what one reports is named where it keeps the shot from rolling.
func TestEveryMachine(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	floors := map[string]*machine.Machine{}
	for _, id := range []string{"plank", "heron", "wren", "turnstile"} {
		f, err := a.Floors.Of(id)
		if err != nil {
			t.Fatal(err)
		}
		floors[id] = f
	}
	p := a.open("/shot/" + a.shot + "/rig-up")
	for id, links := range map[string]int{"heron": 6, "wren": 6, "turnstile": 1, "plank": 3} {
		p.wait("the machine", `document.querySelector('[data-test="choose-`+id+`"]')?.textContent.includes('seen')`)
		p.click("choose-" + id)
		name := strings.ToUpper(id[:1]) + id[1:]
		p.wait("its drawing", `document.querySelectorAll('[data-test="machine-`+name+`"] [data-link]').length >= `+
			itoa(2*links))
		p.wait("its rail", `document.querySelectorAll('[data-test="machine-`+name+`"] [data-rail]').length === 1`)
	}
	// All run, Esc stops them all.
	p.click("sheet-connect")
	for _, id := range []string{"turnstile", "plank", "heron"} {
		p.click("choose-" + id)
		p.click("home-machine")
		p.click("ask-yes")
		p.reads("choose-"+id, "homing")
	}
	p.key(kb.Escape)
	for id, f := range floors {
		p.wait("still", `!/homing/.test(document.querySelector('[data-test="choose-`+id+`"]').textContent)`)
		if s := f.Now().State; s.Mode != link.Idle || id == "heron" && s.Homed("track") {
			t.Errorf("after Esc %s is %s", id, s.Mode)
		}
	}
	p.click("choose-plank")
	a.homed(func() { p.click("home-machine"); p.click("ask-yes") })

	// A drive fault on one axis: named, cleared, engaged, homed alone.
	p.choose("mishap", "drive fault")
	p.choose("mishap-axis", "roll")
	p.click("mishap-on")
	p.reads("choose-plank", "drive fault")
	p.reads("ready", "Roll has a drive fault: over current. Clear it at the drive")
	p.click("mishap-off")
	p.reads("ready", "Roll is free. Press 2")
	p.key("2")
	p.reads("axis-roll", "free")
	p.click("engage-roll")
	p.reads("axis-roll", "not homed")
	p.reads("axis-pan", "homed")
	p.click("home-roll")
	p.reads("ask-yes", "Home")
	p.click("ask-yes")
	p.wait("homed", `$('axis-roll', '.name span').textContent.trim() === 'homed'`)
	for want, what := range map[string]string{
		"the emergency stop of Plank is pressed": `{"what":"emergency stop","on":true}`,
		"Track stands at its hard end":           `{"what":"hard end","axis":"track","on":true}`,
	} {
		if code, b := a.post("/api/machines/plank/pretend", what); code != 200 {
			t.Fatal(b)
		}
		p.reads("ready", want)
		if code, b := a.post("/api/machines/plank/pretend", `{"what":"emergency stop","on":false}`); code != 200 {
			t.Fatal(b)
		}
		a.homed(func() {
			p.wait("still", `!$('home').disabled`)
			p.click("home")
			p.click("ask-yes")
		})
	}
	// Lost steps: the rig is sent somewhere and is not there.
	if code, b := a.post("/api/machines/plank/pretend",
		`{"what":"lost steps","axis":"track","on":true,"by":0.9}`); code != 200 {
		t.Fatal(b)
	}
	p.reads("ready", "from where it was sent: it has lost steps, or slipped. Press 2 and home it")
	if code, _ := a.post("/api/machines/wren/pretend", `{"what":"rain","on":true}`); code != 422 {
		t.Errorf("rain: %d", code)
	}
}

// A line-up is kept with who and when; the sealed path stays sealed, is held against
// it, and may run again when the limits allow it.
func TestALineUpVoidsNoSeal(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	p := a.open("/shot/" + a.shot + "/line-up")
	p.holds("high-track", "1480")
	p.enter("high-track", "12x")
	p.click("keep-line-up")
	p.reads("line-up-said", "Track: a limit is not a number")
	p.enter("high-track", "1600")
	p.click("keep-line-up")
	p.reads("line-up-said", "give two in rising order within the hard ends -10 to 1510")
	p.enter("high-track", "1200")
	p.click("keep-line-up")
	p.reads("line-up-said", "Sealed paths stay sealed")
	p.wait("who and when", `document.querySelector('.lineup').textContent.includes('by Operator')`)
	p.reads("ready", "· line-up")
	if v := eval[string](p, `document.querySelector('.strip').textContent`); !strings.Contains(v, "sealed") ||
		strings.Contains(v, "not sealed") {
		t.Errorf("the path is sealed no more: %s", v)
	}
	if s := a.Floor.Now().State.Axes["track"].Soft; s[1] != 1200 {
		t.Errorf("the rig keeps to %v", s)
	}
	// Rolling is slower than sealed for: what is over a later working limit is said, too.
	p.enter("high-track", "1480")
	p.click("keep-line-up")
	p.readsNot("ready", "soft limit")
}

// A pass runs there and back, waits where everything stands still and nowhere else,
// and every visit of every frame is judged.
func TestAPassThereAndBack(t *testing.T) {
	holds(t)
	a := start(t, homedAlready)
	for i, e := range []string{`{"op":"delete","frame":240}`, `{"op":"delete","frame":150}`} {
		if code, b := a.post("/api/shots/"+a.shot+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":2}`); code != 200 {
		t.Fatal(b)
	}
	p := a.open("/shot/" + a.shot + "/shoot")
	p.there("pass-way")
	a.homed(func() { a.post("/api/machines/plank/home", `{"shot":"`+a.shot+`"}`) })
	a.atFirst(p, func() { p.click("go-first"); p.click("ask-yes") })
	p.choose("pass-way", "there and back")
	p.reads("pass-1", "there and back")
	p.enter("pass-waits", "0030 2 s")
	p.reads("ready", "it stops at frame 0030, where plank/track is moving")
	p.enter("pass-waits", "soon")
	p.warns("give frames and seconds")
	p.enter("pass-waits", "0070 1.5 s")
	p.holds("pass-waits", "0070 1.5 s")
	p.must(chromedp.Focus(chromedp.CSS(test("hold"))))
	p.pressesHold()
	p.reads("hold-says", "finished")
	p.space(false)
	lines, err := a.Store.Takes(t.Context(), a.shot)
	if err != nil || len(lines) == 0 {
		t.Fatal(err)
	}
	k, err := a.Store.Take(t.Context(), lines[len(lines)-1].ID)
	want := clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.ThereAndBack,
		Waits: []clock.Wait{{Frame: 70, MS: 1500}}}
	if err != nil || !k.Clock.Same(want) || k.Broken {
		t.Fatalf("the take: clock %+v, broken %v (%s), %v", k.Clock, k.Broken, k.Why, err)
	}
	v := k.Trace.ByVisit(0)
	if v.Visits(30) != 2 || v.Visits(70) != 1 || k.Trace.Pos[len(k.Trace.Pos)-1] != 0 {
		t.Errorf("frame 30 is visited %d times, 70 %d, it ends at %g", v.Visits(30), v.Visits(70),
			k.Trace.Pos[len(k.Trace.Pos)-1].Frame())
	}
	p.reads("pass-1", "from the seal at most")
}

func itoa(n int) string { return strconv.Itoa(n) }

// A shot on another machine is composed, proved and sealed like Plank's: nothing
// knows its axes by name.
func TestAShotOnHeron(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/")
	p.click("new")
	p.wait("the machines", `$('new-rig')?.options.length === 3`)
	p.must(chromedp.SendKeys(chromedp.CSS(test("new-code")), "SL-021"),
		chromedp.SendKeys(chromedp.CSS(test("new-title")), "Lantern stair, up"))
	p.choose("new-rig", "heron")
	p.click("new-start")
	p.wait("its staves", `$('staff-boom') && $('staff-focus')`)
	id := eval[string](p, `location.pathname.split('/')[2]`)
	for i, e := range []string{
		`{"op":"set","frame":0,"values":{"track":1500,"swing":-20,"boom":5,"arm":300,"pan":25,"tilt":-8,"roll":0,` +
			`"focus":150}}`,
		`{"op":"set","frame":140,"values":{"track":3000,"swing":15,"boom":25,"arm":900,"pan":-10,"tilt":-22,"roll":0,` +
			`"focus":180}}`,
		`{"op":"set","frame":240,"values":{"track":3600,"swing":30,"boom":12,"arm":700,"pan":-30,"tilt":-12,"roll":1,` +
			`"focus":190}}`,
	} {
		if code, b := a.post("/api/shots/"+id+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	p.strip("240 frames")
	p.wait("its rail and links",
		`$$('sheet', '[data-rail="heron/track"]').length === 1 && $$('sheet', '.moving [data-link]').length >= 8`)
	p.look("heron.png")
	p.wait("a sentence", `/within its limits|its speed|its acceleration/.test($('sentence').textContent)`)
	p.key("2")
	p.wait("Heron's axes", `$('axis-boom') && $('machine').value === 'heron'`)
	if _, errs := p.seen(); len(errs) > 0 {
		t.Errorf("the page says %v", errs)
	}
}
