package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
)

// TestSizes: on a tablet and a phone nothing runs out of the page sideways and
// Stop is in reach.
func TestSizes(t *testing.T) {
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	for name, size := range map[string][2]int64{"tablet": {1024, 768}, "phone": {390, 800}} {
		p.must(chromedp.EmulateViewport(size[0], size[1]))
		for _, s := range []string{"compose", "shoot"} {
			p.must(chromedp.Navigate(a.Addr + "/shot/" + a.shot + "/" + s))
			p.wait(s, `document.querySelector('#stage > div') && document.querySelector('[data-test="ready"]')?.textContent.includes('rig seen')`)
			p.must(chromedp.Sleep(600e6))
			if dir := os.Getenv("KEENARC_LOOK"); dir != "" {
				p.shot(filepath.Join(dir, name+"-"+s+".png"))
			}
			if over := eval[float64](p, `document.documentElement.scrollWidth - innerWidth`); over > 0 {
				t.Errorf("%s on a %s is %g px too wide", s, name, over)
			}
			if !eval[bool](p, `(() => { const r = document.querySelector('[data-test="stop"]').getBoundingClientRect(); return r.right <= innerWidth && r.top >= 0 && r.bottom <= innerHeight && r.width >= 44; })()`) {
				t.Errorf("%s on a %s: Stop is not in reach", s, name)
			}
		}
	}
}
