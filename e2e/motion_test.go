package e2e

import (
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"keenarc/core/curve"
	"keenarc/core/seal"
	"keenarc/store"
	"keenarc/web"
)

func (a *app) view(shot string) *web.ShotView {
	a.t.Helper()
	v := &web.ShotView{}
	a.get("/api/shots/"+shot, v)
	return v
}

// Kinds by axis and leg, what a keyframe has, ramps as they are typed, by hand in the bar: each
// is in the path that is stored, and what cannot be says why and changes nothing.
func TestKindsAndRamps(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("kind")
	stored := func(what string, is func(v *web.ShotView) bool) {
		t.Helper()
		var v *web.ShotView
		for range 60 {
			if v = a.view(a.shot); is(v) {
				return
			}
			p.must(chromedp.Sleep(100e6))
		}
		t.Fatalf("%s: %+v", what, v.Path.Tracks[0])
	}
	ramp := func(v *web.ShotView) curve.Ramp {
		if r := v.Path.Tracks[0].Ramp; r != nil {
			return *r
		}
		return v.Path.Tracks[0].Ramps[0]
	}
	p.choose("kind", "ramp")
	stored("ramps", func(v *web.ShotView) bool { return v.Path.Tracks[0].Kind == curve.Ramped })
	p.there("ramp-in")
	p.choose("law", "s-curve")
	stored("a law", func(v *web.ShotView) bool { r := ramp(v); return r.Law == curve.SCurve })
	p.enter("ramp-in", "0.5 s")
	stored("half a second", func(v *web.ShotView) bool { r := ramp(v); return r.In == 12 && r.Law == curve.SCurve })
	p.enter("ramp-in", "90")
	p.wait("what is too long", `document.body.textContent.includes('longer than the leg')`)
	stored("as it was", func(v *web.ShotView) bool { return ramp(v).In == 12 })
	p.choose("leg", "linear")
	stored("one leg", func(v *web.ShotView) bool { return v.Path.Tracks[0].Segments[0] == curve.Linear })
	p.choose("kind", "tcb")
	p.choose("leg", "")
	p.there("tension")
	p.enter("tension", "0,4")
	stored("tension", func(v *web.ShotView) bool { return v.Path.Tracks[0].Keys[0].Tension == 0.4 })
	p.enter("tension", "much")
	p.wait("no number", `document.body.textContent.includes('is not a number')`)
	p.choose("kind", "handles")
	p.there("handle-out")
	p.enter("handle-out", "20 60")
	stored("a handle", func(v *web.ShotView) bool { return v.Path.Tracks[0].Keys[0].Out == [2]float64{20, 60} })
	p.enter("handle-out", "-20 60")
	p.wait("back in time", `document.body.textContent.includes('it points back')`)
	p.choose("kind", "quintic")
	p.there("slope")
	if _, errs := p.seen(); slices.ContainsFunc(errs, func(e string) bool {
		return !strings.Contains(e, "422")
	}) { // what was refused on purpose
		t.Error(errs)
	}
}

// A plan that is too fast is offered a new timing; taken, it is within its limits. The move is
// named, changed as a whole, compared and brought back; its sealed table is had as a file.
func TestRetimeAndVersions(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("whole")
	p.click("whole")
	p.enter("version-name", "as planned")
	p.click("version-keep")
	p.reads("version-1", "as planned")
	p.click("version-1-compare")
	p.reads("difference", "They are the same.")
	p.choose("whole-do", "offset")
	p.choose("whole-axis", "plank/pan")
	p.enter("whole-by", "1.5")
	p.click("whole-run")
	p.reads("whole-said", "Done")
	p.click("version-1-compare")
	p.reads("difference", "Pan, 0000 to 0240: +1.5 °")
	if v := a.view(a.shot); v.Path.Tracks[1].Keys[0].Value != 25.5 {
		t.Errorf("pan begins at %g", v.Path.Tracks[1].Keys[0].Value)
	}
	p.choose("whole-do", "cut")
	p.enter("whole-about", "900")
	p.click("whole-run")
	p.reads("whole-said", "not inside the move")
	p.click("version-1-back")
	p.reads("version-note", "again")
	if v := a.view(a.shot); v.Path.Tracks[1].Keys[0].Value != 24 {
		t.Errorf("brought back pan begins at %g", v.Path.Tracks[1].Keys[0].Value)
	}
	p.click("whole-close")
	p.enter("factor", "2")
	p.there("remedy-retime")
	// It may be signed for, with a reason, as long as rated limits are kept.
	p.click("sign")
	p.click("sign-seal")
	p.wait("a reason is asked", `document.body.textContent.includes('Say why working limits may be passed')`)
	p.enter("sign-why", "bare arm, clear floor")
	p.click("sign-seal")
	p.reads("signed", "bare arm, clear floor")
	p.reads("ready", "limits signed for")
	p.look("signed.png")
	p.click("remedy-retime")
	p.reads("sentence", "Everything is within its limits at 48 fps")
	if v := a.view(a.shot); v.Path.Tracks[0].Kind != curve.Quintic || v.Last < 200 || v.Last > 300 {
		t.Errorf("timed anew it ends at %d, %s", v.Last, v.Path.Tracks[0].Kind)
	}
	p.click("seal")
	p.reads("seal", "sealed")
	var seals []store.Seal
	a.get("/api/shots/"+a.shot+"/seals", &seals)
	p.click("stage-wrap")
	p.there("sealed-table-2")
	r, err := http.Get(a.Addr + eval[string](p, `$('sealed-table-2').getAttribute('href')`))
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(r.Body)
	_ = r.Body.Close()
	if tab, err := seal.Decode(b); err != nil || !strings.EqualFold(seal.Short(tab.Fingerprint()), seals[0].Short) {
		t.Errorf("the table: %v", err)
	}
	if _, errs := p.seen(); slices.ContainsFunc(errs, func(e string) bool {
		return !strings.Contains(e, "422")
	}) { // what was refused on purpose
		t.Error(errs)
	}
}

// A move that begins and ends with speed gets its run-up and run-out from the limits, drawn
// apart from the pictures; Prove says what the move does to what it carries.
func TestRunsFromTheLimits(t *testing.T) {
	beside(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.there("kind")
	if eval[bool](p, `!!$('run-fit')`) {
		t.Error("a move at rest is asked for its run-up")
	}
	p.choose("kind", "natural")
	p.click("run-fit")
	p.wait("both", `Number($('run-up')?.value) > 2 && Number($('run-out')?.value) > 2`)
	p.wait("within its limits", `/within its limits/.test($('sentence').textContent)`)
	p.wait("drawn apart", `$$('runs', 'rect').length === 2 && $('sheet-runs')`)
	resting := func() {
		t.Helper()
		p.wait("rest", `document.getElementById('stage').getAttribute('aria-busy') === 'false'`)
	}
	resting()
	p.click("run-quiet")
	resting()
	p.enter("run-up", "some")
	p.warns("is not a whole number of frames")
	p.enter("run-up", "30")
	p.wait("kept",
		`document.querySelector('.strip').textContent.includes('Run-up and run-out changed.') &&
			!document.querySelector('.strip').textContent.includes('saving')`)
	p.atRest()
	// What is typed while runs are worked out is not overwritten by them.
	p.does(`(() => { $('run-quiet').click(); const e = $('run-up'); e.value = '28'; e.dispatchEvent(new Event('change',
		{ bubbles: true })); })()`)
	p.warns("changed while its runs were worked out")
	resting()
	if v := a.view(a.shot); v.Path.RunUp != 28 || len(v.Analysis.Sentences) > 0 {
		t.Errorf("a run-up of %d: %q", v.Path.RunUp, v.Analysis.Sentences)
	}
	p.key("4")
	p.wait("what it does",
		`/At its centre of mass the camera feels at most [\d.]+ g/.test(document.body.textContent) &&
			/The fastest point is/.test(document.body.textContent) && /goes on for/.test(document.body.textContent) &&
			/sways by/.test(document.body.textContent) &&
			/Pass 4 · Fog, slow at 8 fps would lie/.test(document.body.textContent)`)
	_, errs := p.seen()
	if len(errs) > 0 {
		t.Errorf("the page says %v", errs)
	}
}
