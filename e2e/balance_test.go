package e2e

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"keenarc/core/balance"
	"keenarc/link"
	"keenarc/web"
)

// bench is the machine's bench with a package, by its name.
func (a *app) bench(machine, pack string) *web.BenchView {
	a.t.Helper()
	var list []struct{ ID, Name string }
	a.get("/api/packages", &list)
	for _, p := range list {
		if p.Name == pack {
			v := &web.BenchView{}
			a.get("/api/machines/"+machine+"/bench/"+p.ID, v)
			return v
		}
	}
	a.t.Fatalf("there is no package %s: %v", pack, list)
	return nil
}

// A camera nobody balanced is brought to rest by the guide alone, in the browser, on a
// head with friction; readiness says why not until all is looked after; what contradicts
// is said; a change is taken back; a lens swap says what to turn.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestBalanceBench(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/rig-up/balance")
	const pack = "Body A, 35 mm"
	if code, b := a.post("/api/shots/"+a.shot+"/seal", `{"revision":0}`); code != 200 {
		t.Fatal(b)
	}
	p.reads("bench-verdict", "rests wherever it is pointed")
	p.enter("reads-slide", "55")
	p.reads("ready", "· balanced")
	p.reads("bench-verdict", "Slide the camera back 11 mm")
	p.enter("reads-slide", "far")
	p.reads("bench-said", "Give millimetres")
	p.enter("reads-slide", "200")
	p.reads("bench-said", "the plate cannot read 200 mm; give 0 to 120")
	p.click("bench-back") // no knob is turned by that: both are looked after again
	p.reads("bench-verdict", "Engage the gear again")
	for _, c := range []string{"tight", "engaged"} {
		p.click("check-" + c)
		p.wait(c, fmt.Sprintf(`$('check-%s').checked`, c))
	}
	p.reads("bench-verdict", "Home Tilt: its gear was free since it was last homed")
	// Its pieces are taken off: nothing is known but the weight.
	p.click("edit-package")
	for range 3 {
		p.click("piece-off-0")
	}
	p.enter("pack-whole", "0")
	p.click("pack-keep")
	p.reads("pack-wrong", "it is 0; weigh it and give kilograms above zero")
	p.enter("pack-whole", "4.1")
	p.enter("pack-front", "200")
	p.click("pack-keep")
	p.reads("bench-said", "version 2, is written")
	// What was seen of the other load says nothing of this one; before a gear is freed, two things.
	p.reads("bench-next", "Let go level and see what it does.")
	p.reads("ready", "· balanced")
	p.click("first-all-on")
	p.gone("first-all-on")
	p.reads("bench-verdict", "See that nothing dangles before the lens.")
	p.click("first-line")
	p.click("first-clear")
	p.gone("first-safe")
	// A head that nobody sees: the weight 31 mm ahead of the plate's zero and 25 above it.
	moves := 0
	for range 40 {
		v := a.bench("plank", pack)
		n := v.Sheet.Weight.Next
		if n.Done {
			break
		}
		if n.Knob != "" {
			p.click("bench-turned")
			p.wait("the reading", fmt.Sprintf(`Number(document.querySelector('[data-test="reads-%s"]').value) === %g`,
				n.Knob, n.Reading))
			v = a.bench("plank", pack)
			moves++
		}
		l := balance.Lever{MassKg: 4.1, AheadM: 0.031 + (v.Record.SlideMM-60)/1000,
			UpM: 0.025 + (v.Record.RiseMM-70)/1000}
		did := "rests"
		if nm := l.NM(*n.Try); nm > 0.17 {
			did = "nose falls"
		} else if nm < -0.17 {
			did = "nose rises"
		}
		if len(n.Sweep) > 0 { // it was brought so near that it rests at all of them
			p.click("sweep-rests")
			p.gone("sweep-rests")
			continue
		}
		count := len(v.Record.Seen)
		p.choose(fmt.Sprintf("saw%g", *n.Try), did)
		p.wait("the look", fmt.Sprintf(`document.querySelector('[data-test="saw%g"]').value === %q`, *n.Try, did))
		for late := time.Now().Add(20 * time.Second); len(a.bench("plank", pack).Record.Seen) == count &&
			time.Now().Before(late); {
			time.Sleep(30 * time.Millisecond)
		}
	}
	p.reads("bench-next", "It rests wherever it is pointed. It is balanced.")
	if moves > 8 {
		t.Errorf("%d moves", moves)
	}
	for i, c := range []string{"tight", "pins_out"} {
		p.click("check-" + c)
		p.wait("it is noted", fmt.Sprintf(`document.querySelectorAll('.checks ul input:checked').length === %d`, i+4))
	}
	p.reads("ready", "· balanced")
	p.click("check-engaged")
	p.reads("bench-verdict", "Home Tilt: its gear was free since it was last homed")
	p.reads("ready", "· balanced")
	a.homed(func() {
		if code, b := a.post("/api/machines/plank/home", `{"shot":"`+a.shot+`"}`); code != 200 {
			t.Fatal(code, b)
		}
	})
	p.reads("ready", "✓ balanced")
	p.reads("bench-verdict", "rests wherever it is pointed, and all is looked after")
	// Two looks that no weight could give.
	p.choose("saw0", "nose falls")
	p.reads("bench-next", "Slide the camera back")
	p.enter("reads-slide", "110")
	p.holds("saw0", "")
	p.choose("saw0", "nose rises")
	p.reads("bench-next", "These contradict each other")
	p.click("bench-clear")
	// A scale that pulls straight up 200 mm ahead of the axis.
	p.click("bench-scale")
	p.enter("scale-arm", "0")
	p.enter("scale-kg", "0.2")
	p.click("scale-in")
	p.reads("bench-said", "an arm of 0 m has no length")
	p.enter("scale-arm", "200")
	p.click("scale-in")
	p.wait("where it sits", `$('bench-forward').textContent.trim() === '10 mm'`)
	// Its bulk would touch: the tilt is trimmed in the line-up.
	p.reads("tilt-room", "trim that")
	p.click("trim")
	p.reads("bench-said", "The soft limit is drawn in")
	p.reads("tilt-room", "It clears what is below down to")
	low := a.now("plank").Axes["tilt"].Soft[0]
	for late := time.Now().Add(10 * time.Second); low <= -60 &&
		time.Now().Before(late); low = a.now("plank").Axes["tilt"].Soft[0] {
		time.Sleep(50 * time.Millisecond) // the rig is told after the line-up is stored
	}
	if low <= -60 || low != math.Trunc(low) {
		t.Errorf("the machine keeps to %g", low)
	}
	// Another lens: what to turn, and what else changes.
	p.click("edit-package")
	p.enter("pack-name", "Body A, stripped")
	p.click("pack-copy")
	p.reads("bench-said", "Body A, stripped, version 1, is written")
	p.choose("package", a.bench("plank", "Body A, 85 mm").Package.ID)
	p.reads("swap-says", "Turn the slide from")
	p.reads("swap-says", "Field of view: 39.2° becomes 16.7° across (35 mm to 85 mm).")
	p.click("swap")
	p.reads("ready", "✓ balanced")
	if v := eval[string](p, `fetch('/api/shots/`+a.shot+`').then((r) => r.json()).then((v) => v.lens.name)`); v !=
		"Body A, 85 mm" {
		t.Errorf("the shot's lens is %s", v)
	}
}

// Heron's tail over the length of its arm, with the weights that somebody owns.
func TestCounterweightBench(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/rig-up/balance")
	p.click("choose-heron")
	p.click("bench-tail")
	p.reads("crane-says", "52.5 kg hang at the tail: the right set for this move.")
	p.enter("arm-to", "400")
	p.click("arm-keep")
	p.reads("crane-says", "Hang 4 × 10 kg and 1 × 2.5 kg at the tail: 42.5 kg.")
	p.reads("bench-verdict", "Heron is not counterweighted for this camera")
	p.click("crane-hang")
	p.reads("crane-says", "42.5 kg hang at the tail")
	p.enter("own-count-0", "1")
	p.click("own-keep")
	p.reads("crane-says", "The weights do not reach: it needs")
	p.reads("own-differs", "The carry list has 6 × 10 kg and 8 × 2.5 kg: put one of the two right.")
	p.enter("own-kg-0", "-3")
	p.click("own-keep")
	p.reads("bench-said", "a weight has -3 kg; give kilograms above zero")
	if v := a.bench("heron", "Body A, 35 mm"); v.Record.Own[0].Kg != 10 || v.Record.Own[0].Count != 1 {
		t.Errorf("kept: %+v", v.Record.Own)
	}
}

// What hangs at Wren's wrist is found from poses that the application proposes; changed
// behind its back it is found again; until then the arm is not freed to be guided.
func TestPayloadBench(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/rig-up/balance")
	p.click("choose-wren")
	p.reads("wrist-says", "Wren was told 4.13 kg")
	p.click("wrist-read")
	p.reads("bench-said", "is not homed: which way its wrist points is not known")
	a.homing("wren", func() { a.post("/api/machines/wren/home", `{}`) })
	if code, b := a.post("/api/machines/wren/confirm",
		`{"axes":["turn","shoulder","elbow","forearm","wrist","hand"],"what":"check pose"}`); code != 200 {
		t.Fatal(b)
	}
	if code, b := a.post("/api/machines/wren/pretend", `{"what":"other payload","on":true,"by":6}`); code != 200 {
		t.Fatal(b)
	}
	p.wait("homed",
		`$('choose-wren').textContent.includes('homed') && !$('choose-wren').textContent.includes('not homed')`)
	feel := func() {
		t.Helper()
		for n := 1; n <= 3; n++ {
			next := a.bench("wren", "Body A, 35 mm").Next
			there := func(s link.State) bool {
				for axis, to := range next {
					if math.Abs(s.Pos(axis)-to) > 0.5 {
						return false
					}
				}
				return s.Mode == link.Idle
			}
			if !there(a.now("wren")) {
				p.click("wrist-next")
				p.wait("how long it takes",
					`document.querySelector('[role=alertdialog], [role=dialog]')?.textContent.includes('It takes')`)
				p.click("ask-yes")
				a.becomes("wren", "at its next pose", there)
			}
			p.click("wrist-read")
			p.wait("the pose", fmt.Sprintf(`document.querySelectorAll('.side ol li').length === %d`, n))
			if n == 2 {
				p.reads("wrist-problem", "directions lie on one line")
			}
		}
	}
	feel()
	// It carries more than anybody weighed: that is not told to it, but looked into.
	p.reads("wrist-says", "What Wren carries is not settled: the wrist feels 6.0")
	if code, b := a.post("/api/machines/wren/free", `{"axis":"elbow","shot":"`+a.shot+`"}`); code != 409 ||
		!strings.Contains(b, "not guided by hand before it knows what hangs on it") {
		t.Errorf("freed: %d %s", code, b)
	}
	v := a.bench("wren", "Body A, 35 mm")
	if code, b := a.amends("/api/packages/"+v.Package.ID, int64(v.Package.Version), "load.whole_kg", "6"); code != 200 {
		t.Fatal(code, b)
	}
	p.reads("wrist-says", "Wren does not know what hangs on it")
	feel()
	p.reads("wrist-says", "Found 6.0")
	p.click("wrist-tell")
	p.reads("wrist-says", "Wren knows what it carries: 6.0")
	if v := a.bench("wren", "Body A, 35 mm"); v.Record.Told.MassKg < 5.95 || v.Record.Told.MassKg > 6.05 ||
		v.Record.Told.Centre[1] < 0.115 || v.Record.Told.Centre[1] > 0.12 {
		t.Errorf("told: %+v", v.Record.Told)
	}
	if code, b := a.post("/api/machines/wren/free", `{"axis":"elbow","shot":"`+a.shot+`"}`); code != 200 {
		t.Errorf("not freed: %d %s", code, b)
	}
}

// A head is described in the rig book, for a machine of one's own; then it has a bench.
func TestAHeadOfOnesOwn(t *testing.T) {
	beside(t)
	a := start(t)
	if code, b := a.post("/api/rigs/mine/begin", `{"name":"Mine","copy":"plank"}`); code != 200 {
		t.Fatal(code, b)
	}
	p := a.open("/shot/" + a.shot + "/rig-up")
	p.click("choose-mine")
	p.click("edit-book")
	p.choose("head-axis", "")
	p.click("book-keep")
	p.reads("book-said", "Version 2 is written.")
	p.click("sheet-balance")
	p.wait("no bench", `document.body.innerText.includes('Mine has nothing that a camera is balanced on')`)
	p.click("sheet-rig")
	p.click("edit-book")
	p.choose("head-axis", "tilt")
	for id, v := range map[string]string{"head-s0": "0", "head-s1": "90", "head-sa": "45", "head-r0": "0",
		"head-r1": "60", "head-ra": "x"} {
		p.enter(id, v)
	}
	p.click("book-keep")
	p.reads("book-wrong", "Riser over the axis: “x” is not a number.")
	p.enter("head-ra", "50")
	p.enter("head-friction", "0.2")
	p.click("book-keep")
	p.reads("book-said", "Version 3 is written.")
	p.click("sheet-balance")
	p.reads("bench-next", "mm.")
	p.enter("reads-slide", "80")
	p.reads("bench-said", "Set.")
	// A look in one breath with a turn of the plate is one at the reading that was set.
	p.does(`const e = $('reads-slide'); e.value = '81'; e.dispatchEvent(new Event('input', { bubbles: true }));
		e.dispatchEvent(new Event('change', { bubbles: true }));
		const s = $('saw0'); s.value = 'rests'; s.dispatchEvent(new Event('change', { bubbles: true }))`)
	p.atRest()
	p.holds("saw0", "rests")
	if seen := a.bench("mine", "Body A, 35 mm").Record.Seen; len(seen) != 1 || seen[0].SlideMM != 81 {
		t.Errorf("%+v", seen)
	}
	// The head is described anew, and what was kept does not fit it: it can still be opened.
	defer func() {
		p.click("sheet-rig")
		p.click("edit-book")
		p.enter("head-s1", "60")
		p.click("book-keep")
		p.reads("book-said", "Version 4 is written.")
		p.click("sheet-balance")
		p.reads("bench-verdict", "does not fit Mine as it is described now: the plate cannot read 81 mm. "+
			"Balance it anew.")
		p.enter("reads-slide", "30")
		p.reads("bench-said", "Set.")
	}()
	if v := a.bench("mine", "Body A, 35 mm"); v.Head == nil || v.Head.SlideAxisMM != 45 || v.Head.RiseMM !=
		[2]float64{0, 60} || v.Head.FrictionNM != 0.2 {
		t.Errorf("%+v", v.Head)
	}
}

// A database from before there were packages: the first is made of the shot's camera, and
// the shot is then shot with it; until then readiness says nothing of balance.
func TestTheFirstPackage(t *testing.T) {
	beside(t)
	a := start(t)
	if _, err := a.Store.Pool.Exec(t.Context(),
		`DELETE FROM balances; UPDATE shots SET package_id = NULL; DELETE FROM packages`); err != nil {
		t.Fatal(err)
	}
	p := a.open("/shot/" + a.shot + "/rig-up/balance")
	p.wait("readiness", `$('ready').textContent.includes('rig seen') && !$('ready').textContent.includes('balanced')`)
	p.click("first-package")
	p.reads("bench-next", "Let go level")
	p.click("swap")
	p.reads("ready", "· balanced")
	if v := a.bench("plank", "Body A, 35 mm"); v.Package.Version != 1 || len(v.Package.Load.Pieces) != 0 ||
		!v.Sheet.Weight.Guessed {
		t.Errorf("%+v", v.Package)
	}
}
