package e2e

import (
	"math"
	"testing"

	"github.com/chromedp/chromedp"
)

// One millimetre on the track moves the subject in the finder by the predicted
// pixels: m·(S − p)/(Z − p) × 1 mm, the sensor being as wide as the picture.
func TestOneMillimetreInTheFinder(t *testing.T) {
	beside(t)
	finder(t)
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the finder", `$('mark') && $('finder').dataset.drawn > 0`)
	p.focusStaff("track")
	p.enter("frame", "100")
	p.enter("value-track", "750")
	p.enter("value-pan", "0")
	p.enter("value-tilt", "0")
	p.enter("value-roll", "0")
	p.enter("value-focus", "0.8")
	p.reads("finder", "focus 0.80 m")
	// Where the mark lies, in widths of the picture: the window may still find its size.
	mark := func(track string) float64 {
		p.enter("value-track", track)
		p.wait("the finder to follow", `Number($('mark').dataset.from) === 0.`+track)
		// The answers of earlier values may still come in: it counts once it lies still.
		p.atRest()
		x, at := math.NaN(),
			`(m => Number(m.dataset.x) / Number(m.dataset.width))(document.querySelector('[data-test="mark"]'))`
		for still := 0; still < 4; {
			p.must(chromedp.Sleep(400e6))
			was := x
			if x = eval[float64](p, at); x == was {
				still++
			} else {
				still = 0
			}
		}
		return x
	}
	x0, x1 := mark("760"), mark("761")
	// The demo's subject is 1.15 m in; the image plane stands 0.01 m behind the
	// rail's middle, the pupil 0.06 m in front of it; the lens is sharp at 0.8 m.
	s := (0.8 + math.Sqrt(0.64-4*0.035*0.8)) / 2
	want := (0.8 - s) / s * (0.8 - 0.06) / (1.16 - 0.06) / 24.9
	if got := x0 - x1; math.Abs(got/want-1) > 0.02 {
		t.Errorf("1 mm shows as %g of the picture's width, predicted %g", got, want)
	}
}
