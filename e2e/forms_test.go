package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// A form is one in which somebody types.
type form struct {
	name, path string
	open       []string // what is pressed until its fields are there
	keep       string   // what keeps it; empty: each field by itself
	closes     bool     // it goes away when it is kept
	route      string   // where the server has it
	fields     []typed
}

// A typed field: what may be typed into it, and where the server's answer has it, as script of v.
type typed struct {
	id     string
	values []string
	now    string
}

// forms are all forms that change a document: the server's truth of each field is looked up in
// its route.
func (a *app) forms(t *testing.T) []form {
	at, weave := "/shot/"+a.shot, a.other("SL-030")
	pack := func(name string) string {
		var list []struct{ ID, Name string }
		a.get("/api/packages", &list)
		for _, p := range list {
			if strings.HasPrefix(p.Name, name) {
				return p.ID
			}
		}
		t.Fatalf("no package %s", name)
		return ""
	}
	body := pack("Body A, 35 mm")
	step := `v.order.steps.find((s) => s.id === 'mount')`
	node := `v.power.nodes.find((n) => n.id === 'camera')`
	track := `v.find((m) => m.rig.id === 'plank').line_up?.line_up.axes.track`
	n := func(v ...string) []string { return v }
	key := func(axis string) string {
		return fmt.Sprintf(
			`v.path.tracks.find((t) => t.axis === 'plank/%s').keys.find((k) => k.frame === 0)?.value ?? ''`, axis)
	}
	return []form{
		{name: "running order", path: at + "/rig-up/order", open: n("step-mount"), keep: "step-keep",
			route: "/api/shots/" + a.shot + "/order", fields: []typed{
				{"step-name", n("mounting", "mount it", "mount all"), step + ".name"}, {"step-minutes",
					n("11", "12", "13"), step + ".minutes"}, {"step-p80", n("21", "22", "23"), step + ".p80_minutes"},
				{"step-owner", n("Jo", "Al", "Kit"), step + ".owner ?? ''"}, {"step-latest",
					n("09:10", "09:20", "09:30"), step + ".latest ?? ''"}}},
		{name: "power", path: at + "/rig-up/power", open: n("node-camera"), keep: "node-keep",
			route: "/api/shots/" + a.shot + "/power", fields: []typed{
				{"node-name", n("camera", "the camera", "body"), node + ".name"}, {"node-rated_w", n("41", "42", "43"),
					node + ".rated_w"}, {"node-peak_w", n("61", "62", "63"), node + ".peak_w"}, {"node-cable",
					n("2", "3", "4"), node + ".cable_m"}}},
		{name: "ground", path: at + "/rig-up/ground", keep: "ground-keep", route: "/api/shots/" + a.shot + "/ground",
			fields: []typed{
				{"g-mass", n("51", "52", "53"), "v.ground.base.mass_kg"}, {"g-feet", n("4", "6", "8"),
					"v.ground.base.feet"}, {"g-floor", n("3", "4", "5"), "v.ground.base.floor_kn_per_m2 || ''"},
				{"g-slope", n("1.5", "2", "2.5"), "v.ground.rules.slope_mm_per_m"}, {"g-margin",
					n("110 mm", "120 mm", "0.13 m"), "v.ground.margin.as"}, {"g-packers", n("1 2 5", "1 2 3", "2 4 8"),
					"v.ground.rules.packers_mm.join(' ')"}}},
		{name: "balance", path: at + "/rig-up/balance", route: "/api/machines/plank/bench/" + body, fields: []typed{
			{"reads-slide", n("91", "92", "93"), "v.record.slide_mm"}, {"reads-rise", n("41", "42", "43"),
				"v.record.rise_mm"}, {"creep", n("0.1", "0.2", "0.3"), "v.record.creep_deg_h ?? ''"}, {"droop",
				n("2", "3", "4"), "v.record.droop_share === undefined ? '' : v.record.droop_share * 100"},
			{"check-pins_out", n("true", "false"), "v.record.checks.pins_out"}, {"check-line", n("true", "false"),
				"v.record.checks.line"}}},
		{name: "package", path: at + "/rig-up/balance", open: n("edit-package"), keep: "pack-keep", closes: true,
			route: "/api/machines/plank/bench/" + body, fields: []typed{
				{"pack-whole", n("6.1", "6.2", "6.3"), "v.package.load.whole_kg ?? ''"}, {"pack-front",
					n("210", "220", "230"), "v.package.load.front_m === undefined ? '' : " +
						"v.package.load.front_m * 1000"}}},
		{name: "lens", path: at + "/line-up/lens", keep: "framing-keep", route: "/api/packages/" + body + "/lens",
			fields: []typed{
				{"crop", n("1.1", "1.2", "1.3"), "v.package.lens.framing?.crop ?? 1"}, {"stop", n("2", "4", "5.6"),
					"v.package.lens.f_number"}, {"pupil", n("71", "72", "73"), "v.package.lens.pupil_m * 1000"}}},
		{name: "an axis of the book", path: at + "/rig-up", open: n("open-track"), keep: "axis-keep", closes: true,
			route: "/api/rigs/plank", fields: []typed{
				{"axis-backlash", n("0.01", "0.02", "0.03"), "v.rig.axes.find((x) => x.id === 'track').backlash"},
				{"axis-rated_w", n("71", "72", "73"), "v.rig.axes.find((x) => x.id === 'track').drive.rated_w"},
				{"axis-wa", n("210", "220", "230"), "v.rig.axes.find((x) => x.id === 'track').working.acceleration"}}},
		{name: "the book", path: at + "/rig-up", open: n("edit-book"), keep: "book-keep", closes: true,
			route: "/api/rigs/plank", fields: []typed{
				{"payload-level", n("11", "12", "13"), "v.rig.book.payload_kg?.level ?? ''"}, {"payload-sloped",
					n("8", "9", "10"), "v.rig.book.payload_kg?.sloped ?? ''"}, {"head-friction",
					n("0.21", "0.22", "0.23"), "v.rig.book.head?.friction_nm ?? ''"}}},
		{name: "line-up", path: at + "/line-up", open: n("axis-track"), keep: "keep-line-up", route: "/api/machines",
			fields: []typed{
				{"low-track", n("10", "20", "30"), track + "?.soft[0] ?? ''"}, {"zero", n("1", "2", "3"),
					track + "?.zero ?? ''"}}},
		{name: "layers", path: "/shot/" + weave + "/shoot", open: n("scheme"), keep: "scheme-save", closes: true,
			route: "/api/shots/" + weave + "/frames", fields: []typed{
				{"layer-1-name", n("beauty", "fair", "first"), "v.scheme.layers[0].name"}, {"layer-2-name",
					n("rim", "edge", "second"), "v.scheme.layers[1].name"}}},
		{name: "the plan", path: at + "/compose", route: "/api/shots/" + a.shot,
			fields: []typed{{"factor", n("1/2", "1/3", "1"), "v.clock"}}},
		{name: "the pose", path: at + "/compose", route: "/api/shots/" + a.shot, fields: []typed{
			{"value-pan", n("3", "4", "5"), key("pan")}, {"value-tilt", n("-1", "-2", "-3"), key("tilt")},
			{"value-track", n("310", "320", "330"), key("track")}}},
		{name: "a pass's clock", path: at + "/shoot", route: "/api/shots/" + a.shot + "/passes", fields: []typed{
			{"pass-delay", n("1", "2", "3"), "v[0].clock_spec.delay_ms / 1000"}, {"pass-ease", n("0.5", "1", "1.5"),
				"v[0].clock_spec.ease_ms / 1000"}}},
		{name: "the shelf", path: "/", open: n("change-SL-010"), keep: "keep", closes: true,
			route: "/api/shots/" + a.shot, fields: []typed{
				{"title", n("Approach", "Harbour", "Harbour approach"), "v.title"}, {"start",
					n("10:00:00:00", "09:00:00:00", "01:00:00:00"), "v.start_timecode"}}},
		{name: "passes", path: at + "/shoot", route: "/api/shots/" + a.shot,
			fields: []typed{{"threshold", n("0.4", "0.6", "0.7"), "v.threshold_px"}}},
		{name: "notes", path: "/shot/" + weave + "/shoot", route: "/api/shots/" + weave + "/frames",
			fields: []typed{{"note", n("Left thumb.", "Lid down.", "Breathe."),
				"(v.notes ?? {})[(v.now ?? v.last).frame] ?? ''"}}},
	}
}

// quickHands are how somebody types, in the page itself: with pauses of their own, on a network that
// answers late, from numbers that are the same for the same seed.
const quickHands = `
window.slow = 0;
if (!window.fast) {
  window.fast = window.fetch;
  window.late = () => new Promise((go) => setTimeout(go, Math.random() * window.slow / 2));
  window.fetch = async (...a) => { await window.late(); const r = await window.fast(...a);
await window.late(); return r; };
}
window.sleep = (ms) => new Promise((go) => setTimeout(go, ms));
window.box = (id) => { const all = [...document.querySelectorAll('[data-test="' + id + '"]')];
const live = all.filter((e) => !fades(e));
return live.find((e) => e.closest('main, form')) ?? live[0] ?? all[0]; };
window.fades = (e) => getComputedStyle(e).pointerEvents === 'none'; // a dialog that is on its way in or out
window.found = async (id, off) => { for (let i = 0; i < 400; i++) { const e = box(id); if (e && !fades(e) && (off ||
!e.disabled)) return e; await sleep(10); } throw new Error('no ' + id); };
window.shown = (id) => { const e = box(id); return !e ? null : e.type === 'checkbox' ? String(e.checked) : e.value; };
window.play = async (steps) => {
  for (const s of steps) {
    const e = await found(s.id, s.press);
    if (e.disabled) continue; // nothing to be kept
    e.focus();
    if (s.press) e.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true }));
    else if (e.type === 'checkbox') { if (String(e.checked) !== s.text) e.click(); }
    else {
      Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), 'value').set.call(e, s.text);
      e.dispatchEvent(new InputEvent('input', { bubbles: true }));
      await sleep(s.pause);
      e.dispatchEvent(new Event('change', { bubbles: true }));
    }
    await sleep(s.pause);
  }
  document.activeElement?.blur();
};
window.goes = async (path) => { // as by a link: nothing is loaded anew
  history.pushState(null, '', path);
  dispatchEvent(new PopStateEvent('popstate', { state: null }));
  await sleep(50);
  while (document.querySelector('main')?.getAttribute('aria-busy') !== 'false') await sleep(10);
};
window.anew = async (away, path) => { // what is said is read, and the form laid from what is there now
  for (let e; (e = document.querySelector('.trouble button:last-child')); await sleep(20)) e.click();
  await goes(away);
  while (!document.querySelector('main .wrap')) await sleep(10);
  await goes(path);
};
window.still = () => document.querySelector('main')?.getAttribute('aria-busy') !== 'true' &&
(sessionStorage.getItem('keenarc.waiting') ?? '[]') === '[]';
window.said = () => !!document.querySelector('.trouble') || (sessionStorage.getItem('keenarc.refused') ??
'[]') !== '[]' ||
[...document.querySelectorAll('main .over[role], [role=dialog] .over, main .over[role=status]')].some((e) => ` +
	`e.textContent.trim() && e.offsetParent);
`

type press struct {
	ID    string `json:"id"`
	Press bool   `json:"press,omitempty"`
	Text  string `json:"text,omitempty"`
	Pause int    `json:"pause"`
}

// window is a page with hands on a form.
func (a *app) window(f form) *page {
	p := a.open(f.path)
	p.ready(f)
	return p
}

func (p *page) ready(f form) {
	p.t.Helper()
	p.wait("the page", `document.querySelector('main')?.getAttribute('aria-busy') === 'false'`)
	p.does(quickHands)
	if !f.closes {
		p.opens(f)
	}
}

func (p *page) opens(f form) {
	p.t.Helper()
	for _, id := range f.open {
		p.there(id)
		p.does(fmt.Sprintf(`if (!box(%q)) box(%q).dispatchEvent(new MouseEvent('click', { bubbles: true }))`,
			f.fields[0].id, id))
	}
	p.there(f.fields[0].id)
}

// equal compares what a field shows with what the server has: numbers, or fractions, by what they
// are worth.
func equal(a, b string) bool {
	worth := func(s string) (float64, error) {
		num, den, ok := strings.Cut(strings.TrimSpace(s), "/")
		x, err := strconv.ParseFloat(num, 64)
		if !ok || err != nil {
			return x, err
		}
		y, err := strconv.ParseFloat(den, 64)
		return x / y, err
	}
	x, errX := worth(a)
	y, errY := worth(b)
	if errX == nil && errY == nil {
		return x-y < 1e-6 && y-x < 1e-6
	}
	return strings.TrimSpace(a) == strings.TrimSpace(b)
}

// truth is what the server has of a form's fields.
func (p *page) truth(f form) map[string]string {
	p.t.Helper()
	parts := make([]string, len(f.fields))
	for i, x := range f.fields {
		parts[i] = fmt.Sprintf("%q: String(%s)", x.id, x.now)
	}
	return eval[map[string]string](p, fmt.Sprintf(`fast(%q).then((r) => r.json()).then((v) => ({ %s }))`, f.route,
		strings.Join(parts, ", ")))
}

// upTo is short more often than long, since most hands and networks are quick.
func upTo(r *rand.Rand, most int) int { return r.IntN(1 + r.IntN(most)) }

// agrees waits until the page shows in every field what the server has.
func (p *page) agrees(t *testing.T, f form, who string, is map[string]string) {
	t.Helper()
	ids := make([]string, len(f.fields))
	for i, x := range f.fields {
		ids[i] = x.id
	}
	list, err := json.Marshal(ids)
	if err != nil {
		t.Fatal(err)
	}
	for late := time.Now().Add(5 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		shows := eval[map[string]string](p,
			fmt.Sprintf(`Object.fromEntries(%s.map((id) => [id, shown(id) ?? 'nothing']))`, list))
		wrong := slices.DeleteFunc(slices.Clone(ids), func(id string) bool { return equal(shows[id], is[id]) })
		if len(wrong) == 0 {
			return
		}
		if time.Now().After(late) {
			for _, id := range wrong {
				t.Errorf("%s, %s: %s shows %q, the server has %q", f.name, who, id, shows[id], is[id])
			}
			return
		}
	}
}

// round has both windows type at once, and looks at what comes of it.
func (f form) round(t *testing.T, seed uint64, windows [2]*page) (refused int) {
	t.Helper()
	r := rand.New(rand.NewPCG(seed, 28))
	slowed := 1.0
	if seed%10 == 0 { // it costs what it slows
		slowed = 4
	}
	if _, err := chromedp.Call(windows[1].ctx, emulation.SetCPUThrottlingRate,
		emulation.SetCPUThrottlingRateParams{Rate: slowed}); err != nil {
		t.Fatal(err)
	}
	was := windows[0].truth(f)
	var typed [2]map[string]string
	var played [2]string
	done := make(chan struct{}, 2)
	for w, p := range windows {
		typed[w] = map[string]string{}
		var steps []press
		if f.closes {
			for _, id := range f.open {
				steps = append(steps, press{ID: id, Press: true, Pause: upTo(r, 100)})
			}
		}
		for _, i := range r.Perm(len(f.fields))[:1+r.IntN(min(3, len(f.fields)))] {
			x := f.fields[i]
			for range 1 + r.IntN(2) { // and some of it twice
				v := x.values[r.IntN(len(x.values))]
				typed[w][x.id] = v
				steps = append(steps, press{ID: x.id, Text: v, Pause: upTo(r, 100)})
			}
		}
		if f.keep != "" {
			steps = append(steps, press{ID: f.keep, Press: true, Pause: upTo(r, 100)})
		}
		raw, err := json.Marshal(steps)
		if err != nil {
			t.Fatal(err)
		}
		slow := upTo(r, 300)
		played[w] = fmt.Sprintf("network up to %d ms, %s", slow, raw)
		go func() {
			defer func() { done <- struct{}{} }()
			eval[int](p, fmt.Sprintf(`(window.slow = %d, play(%s).then(() => 0))`, slow, raw))
		}()
	}
	<-done
	<-done
	if t.Failed() {
		return 0
	}
	for _, p := range windows {
		p.does(`window.slow = 0`)
		p.wait("rest", `still()`)
	}
	is := windows[0].truth(f)
	defer func() {
		if t.Failed() {
			t.Logf("it was %v; the first: %s; the second: %s", was, played[0], played[1])
		}
	}()
	for w, p := range windows {
		told := eval[bool](p, `said()`)
		for _, x := range f.fields {
			mine, did := typed[w][x.id]
			theirs, both := typed[1-w][x.id]
			switch {
			case did && !equal(is[x.id], mine) && !told && !(both && equal(is[x.id], theirs)):
				t.Errorf("%s, seed %d: window %d typed %q into %s, the server has %q, and nothing is said", f.name,
					seed, w, mine, x.id, is[x.id])
			case !did && !both && !equal(is[x.id], was[x.id]):
				t.Errorf("%s, seed %d: nobody typed into %s, and %q became %q", f.name, seed, x.id, was[x.id], is[x.id])
			}
		}
		if !f.closes && !told {
			p.agrees(t, f, fmt.Sprintf("seed %d, window %d", seed, w), is)
		}
		if told || f.closes && eval[bool](p, fmt.Sprintf(`!!box(%q)`, f.keep)) {
			refused++
			if seed%10 != 5 {
				eval[int](p, fmt.Sprintf(`anew(%q, %q).then(() => 0)`, "/shot/"+p.app.shot+"/wrap", f.path))
				if !f.closes {
					p.opens(f)
				}
				continue
			}
			p.does(`sessionStorage.removeItem('keenarc.refused')`)
			p.must(chromedp.Navigate(p.app.Addr + f.path))
			p.ready(f)
		}
	}
	return refused
}

// Every form is played by quick hands in two windows at once, one of them slow now and then, on a network that
// answers late: at rest both show what the server has, and what was not kept is said.
// KEENARC_ROUNDS is for how many rounds, KEENARC_SEED plays one again.
func TestNothingTypedIsLost(t *testing.T) {
	beside(t)
	rounds := 200
	if n, err := strconv.Atoi(os.Getenv("KEENARC_ROUNDS")); err == nil {
		rounds = n
	}
	one, _ := strconv.ParseUint(os.Getenv("KEENARC_SEED"), 10, 64)
	for d := range desks {
		t.Run(fmt.Sprint("desk ", d+1), func(t *testing.T) {
			t.Parallel()
			a := start(t)
			forms := a.forms(t)
			for i, f := range forms {
				if i%desks == d {
					t.Run(f.name, func(t *testing.T) {
						b := *a
						b.t = t
						b.plays(f, uint64(1000*i), (rounds+len(forms)-1)/len(forms), one)
					})
				}
			}
		})
	}
}

// desks is how many applications share the forms.
const desks = 6

// plays plays a form for so many rounds from a seed on, or the one only.
func (a *app) plays(f form, seed uint64, rounds int, one uint64) {
	var windows [2]*page
	told := 0
	for n := range rounds {
		if one != 0 && seed+uint64(n) != one {
			continue
		}
		if n%50 == 0 || windows[0] == nil {
			for w := range windows {
				if windows[w] != nil {
					windows[w].end()
				}
				windows[w] = a.window(f)
			}
		}
		if told += f.round(a.t, seed+uint64(n), windows); a.t.Failed() {
			return
		}
	}
	a.t.Logf("%d times something was refused, and said", told)
}
