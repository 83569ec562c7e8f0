package e2e

import (
	"testing"
	"time"

	"keenarc/web"
)

// The camera's picture in a window of its own: live, with a cross; it follows the rig; the
// letters that change a shot do nothing there; without a camera it says so.
func TestCameraWindow(t *testing.T) {
	beside(t)
	b := newBench(t, folder(t))
	a := &app{Running: &web.Running{Addr: b.server.addr}, t: t, shot: b.shot}
	p := a.open("/camera")
	p.wait("a picture", `$('camera-picture', 'img')?.naturalWidth > 0`)
	p.wait("the cross", `$$('camera-picture', 'svg path').length === 2`)
	p.click("cross")
	p.wait("no cross", `$$('camera-picture', 'svg path').length === 1`)
	// The mean brightness of what is shown, as a picture's fingerprint.
	print := `(async () => { const i = document.querySelector('[data-test="camera-picture"] img');
		const c = document.createElement('canvas'); c.width = 64; c.height = 36;
		const x = c.getContext('2d'); x.drawImage(i, 0, 0, 64, 36); return Array.from(x.getImageData(0, 0, 64,
		36).data).reduce((s, v) => s + v, 0); })()`
	was := eval[float64](p, print)
	b.took(1) // homes and goes to the first frame
	for late := time.Now().Add(20 * time.Second); eval[float64](p, print) == was; time.Sleep(200 * time.Millisecond) {
		if time.Now().After(late) {
			t.Fatal("the picture stays as the rig moves")
		}
	}
	p.does(`document.body.click()`)
	for _, k := range []string{"s", "k", "5", "n"} {
		p.key(k)
	}
	p.wait("still the camera", `$('camera-picture') && location.pathname === '/camera'`)
	b.camera.Close()
	p.wait("it says so",
		`document.body.innerText.includes('gives no picture') || document.body.innerText.includes('s old')`)
	b.startCamera()
}
