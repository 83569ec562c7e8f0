package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"keenarc/link"
)

// keysFile writes a file with so many keyframes on every axis, evenly over the
// frames, gentle enough to stay within the limits.
func keysFile(t *testing.T, keys, frames int) string {
	t.Helper()
	var b strings.Builder
	b.WriteString("frame,track_mm,pan_deg,tilt_deg,roll_deg,focus_m\n")
	for k := range keys {
		f := math.Round(float64(k) * float64(frames) / float64(keys-1))
		w := f / float64(frames) * 2 * math.Pi
		fmt.Fprintf(&b, "%g,%.3f,%.3f,%.3f,%.3f,%.3f\n", f, 750+500*math.Sin(w), 20*math.Sin(3*w), -3+2*math.Cos(5*w),
			math.Sin(2*w), 1.5+0.3*math.Cos(w))
	}
	f := filepath.Join(t.TempDir(), fmt.Sprintf("keys%d.csv", keys))
	if err := os.WriteFile(f, []byte(b.String()), 0o644); err != nil {
		t.Fatal(err)
	}
	return f
}

// browserSeconds is the processor time that this process's browsers have used.
func browserSeconds(t *testing.T) float64 {
	t.Helper()
	stats, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		t.Fatal(err)
	}
	sum := 0.0
	for _, f := range stats {
		b, err := os.ReadFile(f)
		if err != nil {
			continue
		}
		s := string(b)
		if !strings.Contains(s, "(chrom") {
			continue
		}
		fields := strings.Fields(s[strings.LastIndexByte(s, ')')+2:])
		for _, at := range []int{11, 12} { // user and system time in hundredths
			n, err := strconv.Atoi(fields[at])
			if err != nil {
				t.Fatal(err)
			}
			sum += float64(n) / 100
		}
	}
	return sum
}

// mouse sends one pointer event, left button held where asked.
func (p *page) mouse(kind input.DispatchMouseEventType, x, y float64, held bool) {
	p.t.Helper()
	q := input.DispatchMouseEventParams{Type: kind, X: x, Y: y}
	if held {
		q.Button, q.Buttons, q.ClickCount = input.MouseButtonLeft, 1, 1
	}
	if _, err := chromedp.Call(p.ctx, input.DispatchMouseEvent, q); err != nil {
		p.t.Fatal(err)
	}
}

func (p *page) centre(sel string) (x, y float64) {
	p.t.Helper()
	r := eval[[]float64](p,
		fmt.Sprintf(
			`(() => { const r = document.querySelector('%s').getBoundingClientRect(); return [r.x + r.width / 2,
				r.y + r.height / 2]; })()`, sel))
	return r[0], r[1]
}

// paints makes the page note, for each event of a kind, how long it took until
// what it changed was painted, in ms.
func (p *page) paints(event string) {
	p.must(chromedp.Evaluate[chromedp.Void](
		fmt.Sprintf(`(() => { window.took = []; window.addEventListener('%s', (e) => {
		const t = e.timeStamp;
		requestAnimationFrame(() => scheduler.postTask(() => window.took.push(performance.now() - t),
		{ priority: "user-blocking" })); }, true); })()`, event)))
}

func quantile(v []float64, q float64) float64 {
	s := append([]float64(nil), v...)
	sort.Float64s(s)
	if len(s) == 0 {
		return math.NaN()
	}
	return s[min(len(s)-1, int(q*float64(len(s))))]
}

// TestMeasureScreen prints the figures of the screens, when KEENARC_MEASURE is set.
func TestMeasureScreen(t *testing.T) {
	alone(t)
	if os.Getenv("KEENARC_MEASURE") == "" {
		t.Skip("set KEENARC_MEASURE to measure")
	}
	a := start(t, homedAlready)
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the finder", `$('finder')?.dataset.drawn > 0 && $('staff-pan')`)
	p.must(chromedp.Sleep(3 * time.Second))

	put := func(file string, done string) float64 {
		p.does(`(() => { const f = document.querySelector('[data-test="file"]'); f.addEventListener('change',
			() => { window.began = performance.now(); window.painted = 0;
			const look = () => { if (` + done +
			`) { const c = new MessageChannel();
				c.port1.onmessage = () => { window.painted = performance.now() - window.began; };
				c.port2.postMessage(0); } else requestAnimationFrame(look); }; requestAnimationFrame(look);
				}, { once: true, capture: true }); })()`)
		p.must(chromedp.SetUploadFiles(chromedp.CSS(test("file")), []string{file}))
		p.wait("the file", `window.painted > 0`)
		return eval[float64](p, `window.painted`)
	}
	t.Logf("a file with 40 keyframes over 5000 frames, chosen to painted: %.0f ms",
		put(keysFile(t, 40, 5000), `document.querySelector('.strip').textContent.includes('5000 frames')`))
	p.must(chromedp.Sleep(3 * time.Second))

	// Scrubbing along the ruler of the score, sixty moves a second for three seconds.
	box := eval[[]float64](p, `(() => { const r = $('score').getBoundingClientRect(); return [r.x, r.y, r.width]; })()`)
	p.paints("pointermove")
	x := func(part float64) float64 { return box[0] + 120 + part*(box[2]-160) }
	p.mouse(input.DispatchMouseEventTypeMousePressed, x(0), box[1]+10, true)
	for i := range 180 {
		next := time.Now().Add(16 * time.Millisecond)
		p.mouse(input.DispatchMouseEventTypeMouseMoved, x(float64(i)/180), box[1]+10, true)
		time.Sleep(time.Until(next))
	}
	p.must(chromedp.Sleep(3 * time.Second))
	p.mouse(input.DispatchMouseEventTypeMouseReleased, x(1), box[1]+10, true)
	took := eval[[]float64](p, `window.took`)
	t.Logf("scrubbing, 40 keyframes over 5000 frames, pointer to painted: median %.0f ms, 95th percentile %.0f "+
		"ms, %d moves", quantile(took, 0.5), quantile(took, 0.95), len(took))
	p.must(chromedp.Sleep(2 * time.Second))

	// Dropping keyframes elsewhere: from letting go to the new drawing.
	var drops []float64
	for i := range 8 {
		from := eval[int](p, fmt.Sprintf(`Number([...$$('staff-pan', '[data-key]')][%d].dataset.key)`, 10+i))
		px, py := p.centre(fmt.Sprintf(`[data-test="staff-pan"] [data-key="%d"] rect`, from))
		p.mouse(input.DispatchMouseEventTypeMousePressed, px, py, true)
		for s := range 5 {
			p.mouse(input.DispatchMouseEventTypeMouseMoved, px+float64(s), py, true)
		}
		p.must(chromedp.Sleep(400e6))
		p.does(`window.addEventListener('pointerup', (e) => { window.painted = 0; const began = e.timeStamp,
			was = document.querySelector('.strip').textContent;
			const rev = () => $('score').dataset.revision ?? document.querySelector('.strip .line')?.textContent;
			const r0 = rev();
			const look = () => { if (rev() !== r0) { const c = new MessageChannel();
			c.port1.onmessage = () => { window.painted = performance.now() - began; }; c.port2.postMessage(0);
			} else requestAnimationFrame(look); }; requestAnimationFrame(look); }, { once: true, capture: true })`)
		p.mouse(input.DispatchMouseEventTypeMouseReleased, px+4, py, true)
		p.wait("the drop", `window.painted > 0`)
		drops = append(drops, eval[float64](p, `window.painted`))
		p.must(chromedp.Sleep(1500e6))
	}
	t.Logf("from drop to painted, 40 keyframes over 5000 frames: median %.0f ms, worst %.0f ms", quantile(drops, 0.5),
		quantile(drops, 1))
	t.Logf("a file with 5000 keyframes over 60000 frames, chosen to painted: %.0f ms",
		put(keysFile(t, 5000, 60000), `document.querySelector('.strip').textContent.includes('60000 frames')`))
	p.must(chromedp.Sleep(4 * time.Second))

	// Shoot at rest, the rig homed, the demo's own shot.
	p.must(chromedp.Navigate("about:blank"))
	for range 3 {
		var v struct{ Revision int64 }
		a.get("/api/shots/"+a.shot, &v)
		a.post("/api/shots/"+a.shot+"/undo", fmt.Sprintf(`{"revision":%d}`, v.Revision))
	}
	a.homed(func() { a.post("/api/machines/plank/home", `{"shot":"`+a.shot+`"}`) })
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/shoot"))
	p.wait("the finder", `$('finder')?.dataset.drawn > 0`)
	p.must(chromedp.Sleep(4 * time.Second))
	before := browserSeconds(t)
	p.must(chromedp.Sleep(8 * time.Second))
	t.Logf("Shoot at rest: %.2f processors in the browser", (browserSeconds(t)-before)/8)
	if s := a.Floor.Now().State; s.Mode != link.Idle {
		t.Errorf("the rig is %s", s.Mode)
	}
}
