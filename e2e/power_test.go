package e2e

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"keenarc/web"
)

func (a *app) power(shot string) *web.PowerView {
	a.t.Helper()
	v := &web.PowerView{}
	a.get("/api/shots/"+shot+"/power", v)
	return v
}

// Heron on a long thin cable: what fails first and at which speed is said, limits that
// the supply bears go into the line-up in one press; the slider's wiring is proposed,
// changed, mistaken, taken back, joined wrongly and printed.
func TestPowerSheet(t *testing.T) {
	beside(t)
	a := start(t)
	stair := a.other("SL-020")
	p := a.open("/shot/" + stair + "/rig-up/power")
	p.reads("power-says", "At the speeds of the line-up it fails: Socket by the dock gives 16.6 A and its breaker "+
		"holds 16; ")
	p.reads("power-says", "Heron rack gets 186.8 V and needs 207. It bears up to 34 % of rated speed, all "+
		"axes at once.")
	p.click("power-limits")
	p.reads("power-says", "It bears the speeds of the line-up.")
	v := a.power(stair)
	if !v.Sheet.OK || len(v.Sheet.Lower) != 0 {
		t.Errorf("%+v", v.Sheet)
	}
	m := &web.MachineView{}
	for _, x := range *machines(a) {
		if x.Rig.ID == "heron" {
			m = &x
		}
	}
	if m.LineUp == nil || !(m.LineUp.Doc.Axes["swing"].Working.Speed < 20 && m.LineUp.Doc.Axes["swing"].Working.Speed >
		30*v.Sheet.Share-0.02) {
		t.Errorf("line-up: %+v", m.LineUp)
	}
	// A thicker cable bears it all.
	p.click("node-heron-rack")
	p.enter("node-section", "0")
	p.click("node-keep")
	p.reads("node-said", "the cable of Heron rack has no section")
	p.enter("node-section", "x")
	p.click("node-keep")
	p.wait("no number", `document.querySelector('.node [role="alert"]')?.textContent.includes('“x” is not a number')`)
	p.enter("node-section", "6")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.click("node-close")
	p.reads("power-says", "Socket by the dock gives just over 16 A and its breaker holds 16")
	p.click("power-back")
	p.reads("power-says", "Heron rack gets just under 207 V")

	// The slider's is a proposal; one keeps it, poles a lead the wrong way, hangs a battery.
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/rig-up/power"))
	p.reads("power-says", "Cannot say yet: nobody typed what Plank rack can give")
	p.reads("power-unknown", "what Plank rack can give (its breaker, or what it is made for)")
	p.click("power-keep")
	p.gone("power-keep")
	p.click("node-plank-rack")
	p.enter("node-most_w", "800")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.reads("node-cable-says", "its cable carries 25 A rolled out")
	p.click("node-close")
	p.reads("power-says", "It bears everything at once")
	p.reads("power-on", "Assumed: copper in service")
	// Three phases: the camera's supply hangs on one of three lines.
	p.click("node-stage")
	p.choose("node-lines", "3")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.reads("node-cable-says", "lines")
	p.click("node-close")
	p.click("node-camera-supply")
	p.choose("node-line", "2")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.click("node-close")
	p.reads("power-says", "It bears everything at once")
	p.click("node-camera")
	p.choose("node-takes-centre", "-")
	p.click("node-keep")
	p.reads("node-join", "reversed polarity")
	p.enter("node-v0", "16")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.click("node-close")
	p.wait("named beside the whole", `[...$$('power-more')].some((e) => e.textContent.includes('reversed polarity'))`)
	p.click("add-supply")
	p.there("node-supply-1")
	p.enter("node-volts", "0")
	p.click("node-keep")
	p.reads("node-said", "has no volts; give the volts that it is made for")
	p.enter("node-volts", "14.4")
	p.enter("node-battery", "200")
	p.click("node-dc")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.click("node-close")
	p.click("node-camera")
	p.choose("node-from", "supply-1")
	p.enter("node-v0", "11")
	p.choose("node-takes-centre", "")
	p.click("node-keep")
	p.reads("node-said", "Kept")
	p.click("node-close")
	p.wait("hours", `[...$$('power-more')].some((e) => e.textContent.includes('lasts 2.'))`)
	r, err := http.Get(a.Addr + "/api/shots/" + a.shot + "/needs.pdf")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	if b, err := io.ReadAll(r.Body); err != nil || r.StatusCode != 200 || !strings.HasPrefix(string(b), "%PDF-1.") {
		t.Errorf("%d %v", r.StatusCode, err)
	}
}

func machines(a *app) *[]web.MachineView {
	a.t.Helper()
	v := &[]web.MachineView{}
	a.get("/api/machines", v)
	return v
}
