package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"net"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"keenarc/core/rig"
	"keenarc/examples"
)

// crowded starts a shot on a crane with a lamp: nine axes with long names, and count
// keyframes on each over so many frames.
func (a *app) crowded(t *testing.T, count, frames int) string {
	t.Helper()
	r := examples.Rigs()["heron"]
	r.ID, r.Name, r.Version = "great-heron", "Great Heron with the long arm", 0
	lamp := r.Axes[0]
	lamp.ID, lamp.Name, lamp.Kind, lamp.Unit, lamp.Min, lamp.Max, lamp.Hard = "lamp", "Lantern lamp level", rig.Lamp,
		"%", 0, 100, [2]float64{0, 100}
	lamp.Rated, lamp.Working = rig.Limits{Speed: 400, Acceleration: 4000}, rig.Limits{Speed: 200, Acceleration: 2000}
	lamp.Home, lamp.AlsoHome, lamp.Drive, lamp.Wire, lamp.Feedback = rig.Absolute, nil, nil, "dimmer 1", "nothing"
	r.Axes = append(r.Axes, lamp)
	for i, n := range []string{"Track along the causeway", "Swing about the column", "Boom", "Telescoping arm",
		"Pan of the remote head"} {
		r.Axes[i].Name = n
	}
	doc, err := json.Marshal(r)
	if err != nil {
		t.Fatal(err)
	}
	if code, b := a.post("/api/rigs/great-heron", fmt.Sprintf(`{"base":0,"rig":%s}`, doc)); code != 200 {
		t.Fatal(b)
	}
	var shelf []struct{ ID string }
	a.get("/api/shelf", &shelf)
	code, b := a.post("/api/productions/"+shelf[0].ID+"/shots",
		`{"code":"SL-099","title":"Round the lantern and out over the causeway","rig":"great-heron"}`)
	var ref struct{ ID string }
	unmarshal(t, code, b, &ref)
	var tracks []map[string]any
	for i, x := range r.Axes {
		var keys []map[string]float64
		for k := range count {
			f := math.Round(float64(k) * float64(frames) / float64(count-1))
			w := 2 * math.Pi * f / float64(frames)
			keys = append(keys,
				map[string]float64{"frame": f, "value": x.Min + (x.Max-x.Min)*(0.5+0.1*math.Sin(w*float64(1+i%4)))})
		}
		tracks = append(tracks, map[string]any{"axis": "great-heron/" + x.ID, "kind": "smooth", "keys": keys})
	}
	edit, err := json.Marshal(map[string]any{"revision": 0, "edit": map[string]any{"op": "replace", "tracks": tracks}})
	if err != nil {
		t.Fatal(err)
	}
	if code, b := a.post("/api/shots/"+ref.ID+"/edits", string(edit)); code != 200 {
		t.Fatal(b)
	}
	return ref.ID
}

// far is an address at which the application answers so much later, each way, as over a
// network.
func far(t *testing.T, addr string, each time.Duration) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	type part struct {
		b   []byte
		due time.Time
	}
	carry := func(to, from net.Conn) {
		parts := make(chan part, 4096)
		go func() {
			defer close(parts)
			for {
				b := make([]byte, 64<<10)
				n, err := from.Read(b)
				if n > 0 {
					parts <- part{b[:n], time.Now().Add(each)}
				}
				if err != nil {
					return
				}
			}
		}()
		for p := range parts {
			time.Sleep(time.Until(p.due))
			if _, err := to.Write(p.b); err != nil {
				break
			}
		}
		to.Close()
		from.Close()
	}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			o, err := net.Dial("tcp", strings.TrimPrefix(addr, "http://"))
			if err != nil {
				c.Close()
				return
			}
			go carry(o, c)
			go carry(c, o)
		}
	}()
	return "http://" + l.Addr().String()
}

// dragged drags a keyframe of an axis to and fro, sixty moves a second, and answers how long
// each move took until it was painted, how long after the newest move each new ribbon was, and
// the time between two frames of the display.
func (p *page) dragged(axis string, key, moves int) (painted, ribbons, frames []float64) {
	p.t.Helper()
	p.paints("pointermove")
	p.does(`(() => { window.ribbons = []; window.frames = []; let last = 0, was = performance.now();
		window.addEventListener('pointermove', (e) => { last = e.timeStamp; }, true);
		new MutationObserver((all) => { if (all.some((m) => m.attributeName === 'd' &&
		m.target.getAttribute('fill') === 'none' && m.target.parentElement?.getAttribute('clip-path')))
			requestAnimationFrame(() => { const c = new MessageChannel();
			c.port1.onmessage = () => window.ribbons.push(performance.now() - last); c.port2.postMessage(0); }); })
			.observe(document.querySelector('[data-test="staff-` + axis + `"]'), { attributes: true, subtree: true });
		const tick = (t) => { window.frames.push(t - was); was = t; requestAnimationFrame(tick); }; ` +
		`requestAnimationFrame(tick); })()`)
	x, y := p.centre(fmt.Sprintf(`[data-test="staff-%s"] [data-key="%d"] rect`, axis, key))
	p.mouse(input.DispatchMouseEventTypeMousePressed, x, y, true)
	p.does(`window.took = []; window.frames = []; window.ribbons = [];`)
	for i := range moves {
		next := time.Now().Add(16 * time.Millisecond)
		p.mouse(input.DispatchMouseEventTypeMouseMoved, x+18*math.Sin(float64(i)/9)+float64(i%2), y, true)
		time.Sleep(time.Until(next))
	}
	p.must(chromedp.Sleep(300e6))
	painted, ribbons, frames = eval[[]float64](p, `window.took`), eval[[]float64](p, `window.ribbons`),
		eval[[]float64](p, `window.frames`)
	p.mouse(input.DispatchMouseEventTypeMouseMoved, x+9, y, true)
	p.mouse(input.DispatchMouseEventTypeMouseReleased, x+9, y, true)
	return painted, ribbons, frames
}

// TestMeasureDragging prints the figures of dragging on the crowded shot, when KEENARC_MEASURE is set.
func TestMeasureDragging(t *testing.T) {
	alone(t)
	if os.Getenv("KEENARC_MEASURE") == "" {
		t.Skip("set KEENARC_MEASURE to measure")
	}
	a := start(t)
	id := a.crowded(t, 40, 2000)
	near := a.Addr
	for _, on := range []struct {
		what, addr string
	}{{"on loopback", near}, {"with 30 ms of network in between", far(t, near, 15*time.Millisecond)}} {
		what, p := on.what, a.openAt(on.addr, "/shot/"+id+"/compose")
		p.wait("the finder", `$('finder')?.dataset.drawn > 0 && $('staff-pan')`)
		p.must(chromedp.Sleep(4 * time.Second))
		key := eval[int](p, `Number([...$$('staff-pan', '[data-key]')][20].dataset.key)`)
		painted, ribbons, frames := p.dragged("pan", key, 180)
		t.Logf("%s, 9 axes with 40 keyframes over 2000 frames: pointer to painted median %.1f ms, 95th percentile "+
			"%.1f ms of %d; ribbon after the newest move median %.1f, 95th %.1f ms of %d; between frames median %.1f, "+
			"95th %.1f, worst %.0f ms",
			what, quantile(painted, 0.5), quantile(painted, 0.95), len(painted), quantile(ribbons, 0.5), quantile(
				ribbons, 0.95), len(ribbons), quantile(frames, 0.5), quantile(frames, 0.95), quantile(frames, 1))
		p.must(chromedp.Sleep(2 * time.Second))
		var drops []float64
		for i := range 6 {
			from := eval[int](p, fmt.Sprintf(`Number([...$$('staff-pan', '[data-key]')][%d].dataset.key)`, 8+3*i))
			x, y := p.centre(fmt.Sprintf(`[data-test="staff-pan"] [data-key="%d"] rect`, from))
			p.mouse(input.DispatchMouseEventTypeMousePressed, x, y, true)
			for s := range 8 {
				p.mouse(input.DispatchMouseEventTypeMouseMoved, x+float64(s), y, true)
			}
			p.must(chromedp.Sleep(400e6))
			p.does(`window.addEventListener('pointerup', (e) => { window.settled = 0; const began = e.timeStamp,
				s = $('score'), was = s.dataset.revision;
				const look = () => { if (s.dataset.revision !== was && !s.dataset.tried) {
				const c = new MessageChannel(); c.port1.onmessage = () => { window.settled = performance.now() - began;
				}; c.port2.postMessage(0); } else requestAnimationFrame(look); }; requestAnimationFrame(look);
				}, { once: true, capture: true })`)
			p.mouse(input.DispatchMouseEventTypeMouseReleased, x+7, y, true)
			p.wait("the drop", `window.settled > 0`)
			drops = append(drops, eval[float64](p, `window.settled`))
			p.must(chromedp.Sleep(1200e6))
		}
		t.Logf("%s: drop to settled median %.0f ms, worst %.0f ms", what, quantile(drops, 0.5), quantile(drops, 1))
		p.look("crowded-drag.png")
		p.end()
	}
	p := a.openAt(near, "/api/shelf")
	p.does(`document.body.innerHTML = '<i ` +
		`style="position:absolute;left:0;top:0;width:9px;height:9px;background:red;will-change:transform"></i>'; ` +
		`const dot = document.querySelector('i');
		window.addEventListener('pointermove',
		(e) => { dot.style.transform = 'translate(' + e.clientX + 'px,' + e.clientY + 'px)'; })`)
	p.must(chromedp.Sleep(time.Second))
	p.paints("pointermove")
	for i := range 180 {
		next := time.Now().Add(16 * time.Millisecond)
		p.mouse(input.DispatchMouseEventTypeMouseMoved, 500+float64(i%40), 400, true)
		time.Sleep(time.Until(next))
	}
	took := eval[[]float64](p, `window.took`)
	t.Logf("a page with one dot that follows the pointer: pointer to painted median %.1f ms, 95th percentile "+
		"%.1f ms of %d", quantile(took, 0.5), quantile(took, 0.95), len(took))
}
