package e2e

import (
	"math"
	"testing"
)

// One millimetre on the track moves the subject in the finder by the predicted
// pixels: focal length ÷ sensor width × picture width × 1 mm × cos(pan) ÷ depth.
func TestOneMillimetreInTheFinder(t *testing.T) {
	a := start(t)
	p := a.open("/shot/" + a.shot + "/compose")
	p.wait("the finder", `document.querySelector('[data-test="mark"]') && document.querySelector('canvas').width > 300`)
	p.focusStaff("track")
	p.enter("frame", "100")
	p.enter("value-track", "750")
	p.enter("value-pan", "0")
	p.enter("value-tilt", "0")
	p.enter("value-roll", "0")
	mark := func(track string) float64 {
		p.enter("value-track", track)
		p.wait("the finder to follow", `Number(document.querySelector('[data-test="mark"]').dataset.from) === 0.`+track)
		return eval[float64](p, `Number(document.querySelector('[data-test="mark"]').dataset.x)`)
	}
	x0, x1 := mark("760"), mark("761")
	width := eval[float64](p, `Number(document.querySelector('[data-test="mark"]').dataset.width)`)
	// The demo's subject is 1.15 m in, the pupil 0.05 m in front of the rail.
	want := 35.0 / 24.9 * width * 0.001 / (1.15 - 0.05)
	if got := x0 - x1; math.Abs(got/want-1) > 0.02 {
		t.Errorf("1 mm shows as %g px of a picture %g px wide, predicted %g", got, width, want)
	}
}
