package e2e

import (
	"os"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// TestMeasure prints what docs/benchmarks.md reports, when KEENARC_MEASURE is set.
func TestMeasure(t *testing.T) {
	alone(t)
	if os.Getenv("KEENARC_MEASURE") == "" {
		t.Skip("set KEENARC_MEASURE to measure")
	}
	began := time.Now()
	a := start(t)
	t.Logf("start to serving, with an empty database made: %d ms", time.Since(began).Milliseconds())
	p := a.open("/")
	done := chromedp.Events(p.ctx, network.LoadingFinished)
	sizes := make(chan float64, 1)
	go func() {
		sum := 0.0
		for ev, err := range done {
			if err != nil {
				break
			}
			sum += ev.EncodedDataLength
			select {
			case <-sizes:
			default:
			}
			sizes <- sum
		}
	}()
	if _, err := chromedp.Call(p.ctx, network.SetCacheDisabled,
		network.SetCacheDisabledParams{CacheDisabled: true}); err != nil {
		t.Fatal(err)
	}
	p.must(chromedp.Navigate("about:blank"), chromedp.Navigate(a.Addr+"/"))
	p.wait("the shelf", `document.querySelector('.book')`)
	p.must(chromedp.Sleep(time.Second))
	t.Logf("bookshelf, first load over the wire: %.0f kB", <-sizes/1000)
	began = time.Now()
	p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/compose"))
	p.wait("the sheet", `$('sheet', 'svg path[stroke-width="4.5"]')`)
	t.Logf("Compose, navigation to the drawn sheet: %d ms", time.Since(began).Milliseconds())
	p.there("mark")
	t.Logf("Compose, navigation to the finder's picture: %d ms", time.Since(began).Milliseconds())
	p.must(chromedp.Sleep(time.Second))
	parts := eval[[]float64](p,
		`(() => { const r = performance.getEntriesByType('resource'); const sum = f => r.filter(f).reduce((s,
			e) => s + e.encodedBodySize, 0);
		return [sum(e => !e.name.includes('finderWorker') && !e.name.includes('/api/')),
		sum(e => e.name.includes('finderWorker'))]; })()`)
	t.Logf("Compose, scripts, styles and fonts without the finder %.0f kB, the finder %.0f kB", parts[0]/1000,
		parts[1]/1000)
	p.must(chromedp.Sleep(10 * time.Second))
	st, err := a.Floor.Stats(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("stand-in loop: %d ticks, a millisecond begins late by %.0f µs on average, p99 %.0f µs, at most %.0f µs",
		st.Ticks, st.LateUS, st.Late99, st.LateMax)
}
