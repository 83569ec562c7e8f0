package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/web"
)

// slow has the camera expose for as long as it says from now on.
func (b *bench) slow() {
	b.t.Helper()
	b.speed = "--no-quick"
	b.camera.Close()
	b.startCamera()
}

// late has the camera answer two seconds late: it exposes for as long as somebody needs to come
// between.
func (b *bench) late(on bool) {
	b.t.Helper()
	b.says("how late the camera is", b.ask("/api/camera/pretend", fmt.Sprintf(`{"what":"late","on":%v}`, on)), "200")
}

// exposes presses N until it exposes: twice more where a press was refused because the database did not
// answer it in time, each printed.
func (p *page) exposes() {
	p.t.Helper()
	const tooLong = `document.querySelector('.trouble')?.textContent.includes('took too long')`
	for try := 1; ; try++ {
		p.key("n")
		p.wait("an exposure, or a refusal",
			`$('hands-state')?.textContent.includes('EXPOSING') || `+tooLong)
		if !eval[bool](p, "!!("+tooLong+")") {
			return
		}
		if try == 3 {
			p.t.Fatal("three presses were refused: the database did not answer in time")
		}
		fmt.Printf("stood still: %s: N was refused, the database did not answer in time\n", p.t.Name())
		p.does(`document.querySelector('.trouble button:last-child').click()`)
	}
}

// still waits until the rig stands at a frame and hands may be in the set.
func (p *page) still(frame int) {
	p.t.Helper()
	p.wait(fmt.Sprintf("hands in at %04d", frame),
		fmt.Sprintf(`$('hands-state')?.textContent.includes('HANDS IN') && $('counter').textContent.trim() === '%04d'`,
			frame))
}

func (b *bench) cell(layer, frame int) web.FrameCell {
	b.t.Helper()
	v := b.frames()
	for i, f := range v.Frames {
		if f == frame {
			return v.Rows[layer].Cells[i]
		}
	}
	b.t.Fatalf("no frame %d", frame)
	return web.FrameCell{}
}

// hold presses a letter for as long as something is looked at.
func (p *page) hold(key string, look func()) {
	p.t.Helper()
	send := func(typ input.DispatchKeyEventType) {
		if _, err := chromedp.Call(p.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: typ, Key: key,
			Code: "Key" + strings.ToUpper(key), WindowsVirtualKeyCode: int64(strings.ToUpper(key)[0])}); err != nil {
			p.t.Fatal(err)
		}
	}
	send(input.DispatchKeyEventTypeKeyDown)
	look()
	send(input.DispatchKeyEventTypeKeyUp)
}

// A new operator opens SL-030, goes to the next cell, exposes three frames with two layers
// each, takes one once more; the plug is pulled; it goes on.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestFrameByFrame(t *testing.T) {
	beside(t)
	b := newBench(t, folder(t))
	b.slow()
	a := &app{Running: &web.Running{Addr: b.server.addr}, t: t, shot: b.shot}
	p := a.open("/")
	p.there("shot-SL-030")
	p.click("shot-SL-030")
	p.there("sentence")
	p.key("5")
	p.wait("the weave, and what comes first", `$('weave') && $('ready').textContent.includes('Press 2, then Home')`)
	p.key("n")
	p.wait("a refusal in words", `document.querySelector('.trouble')?.textContent.includes('not homed')`)
	p.key("2")
	p.click("home")
	p.click("ask-yes")
	p.reads("stage-line-up", "all homed")
	p.key("5")
	p.reads("ready", "Press N to go there")
	p.key("n")
	p.wait("a question about the way", `document.querySelector('#ask-title')?.textContent.includes('to frame 0000')`)
	p.click("ask-yes")
	p.still(0)
	for f := 0; f < 6; f += 2 {
		p.wait("what one press does", fmt.Sprintf(`$('then').textContent.includes('then rim, then on to %04d')`, f+2))
		p.seesMeanwhile("hands-state", "EXPOSING", func() {
			p.key("n")
			p.still(f + 2)
		})
		if b.cell(0, f).State != weave.Taken || b.cell(1, f).State != weave.Taken {
			t.Errorf("frame %d: %+v, %+v", f, b.cell(0, f), b.cell(1, f))
		}
	}
	if s := p.text("hands-state"); !strings.Contains(s, "STILL · HANDS IN") {
		t.Errorf("it says %q", s)
	}
	// Step over and take it back: nothing was exposed.
	p.key("v")
	p.wait("stepped over", `$('counter').textContent.trim() === '0008'`)
	p.chord("z", "KeyZ", 90, ctrl)
	p.still(6)
	// Once more: back at 0004, both layers, and on.
	p.key("o")
	p.wait("back at 0004", `$('counter').textContent.trim() === '0004'`)
	p.reads("ready", "Press N to go there")
	p.key("n")
	p.reads("then", "then rim, then on to 0006") // at the pose: before, hands were in as well
	p.still(4)
	b.late(true) // so that what is asked meanwhile is
	p.exposes()
	b.says("nothing else moves the rig meanwhile", b.ask("/api/machines/plank/home", "{}"),
		"is still being carried out: frame ")
	b.says("nor lets it go", b.ask("/api/machines/plank/free", `{"axis":"pan"}`), "is still being carried out: frame ")
	b.late(false)
	p.still(6)
	if c := b.cell(0, 4); c.Number != 2 || c.State != weave.Taken || b.cell(1, 4).Number != 2 {
		t.Errorf("taken once more: %+v, %+v", c, b.cell(1, 4))
	}
	// Stopped while it exposes: that picture is finished, and nothing more is begun. The camera is late
	// with it, so that the stop is not.
	b.late(true)
	p.exposes()
	p.must(chromedp.KeyEvent("\u001b"))
	p.reads("frames-trouble", "stopped before 0006 rim; press N to go on")
	b.late(false)
	if b.cell(0, 6).State != weave.Taken || b.cell(1, 6).State != weave.Empty {
		t.Errorf("stopped: %+v, %+v", b.cell(0, 6), b.cell(1, 6))
	}
	p.key("n")
	p.still(8)
	if b.cell(1, 6).State != weave.Taken {
		t.Errorf("gone on: %+v", b.cell(1, 6))
	}
	// The last picture against the live one, the last ones at rate.
	p.wait("a live picture", `$('picture', 'img')?.src.startsWith('blob:')`)
	p.hold("b", func() {
		p.wait("the last picture", `$('picture-of').textContent.trim() === 'frame 0006, beauty'`)
		p.wait("the live one", `$('picture-of').textContent.trim() === 'live'`)
	})
	p.hold("m", func() {
		for _, f := range []string{"0000", "0002", "0004", "0006"} {
			p.wait("frame "+f, fmt.Sprintf(`$('picture-of').textContent.trim() === 'frame %s, beauty'`, f))
		}
	})
	p.reads("picture-of", "live, from the camera")

	// The plug of the application is pulled while it exposes.
	b.late(true)
	p.exposes()
	b.kill(0)
	if b.server.addr != a.Addr {
		t.Skipf("the port was taken meanwhile")
	}
	p.reads("hands-state", "HANDS IN")
	b.settled()
	b.late(false)
	p.reads("ready", "press N when the set is right")
	for b.frames().Now.Frame == 8 {
		p.key("n")
		time.Sleep(time.Second)
	}
	p.still(10)
	if b.cell(0, 8).State != weave.Taken || b.cell(1, 8).State != weave.Taken {
		t.Errorf("frame 8: %+v, %+v", b.cell(0, 8), b.cell(1, 8))
	}
	// The rig's power goes: that picture is uncertain, is looked at and answered.
	b.late(true)
	p.exposes()
	b.kill(2)
	b.late(false)
	p.reads("unsure", "Taken or not?")
	p.click("unsure")
	p.wait("its picture",
		`$('picture', 'img')?.src.includes('/api/pictures/') &&
			document.querySelector('[data-test="answer-yes"]:not(:disabled)')`)
	p.click("answer-yes")
	p.gone("unsure")
	b.wished = true
	b.settled()
	b.compare()
	// With the rig away an answer may be refused: it is asked before what it rests on is there, or was
	// settled meanwhile. An application that begins says that it is not ready yet.
	_, errs := p.seen()
	for _, e := range errs {
		if !strings.Contains(e, "net::ERR") && !strings.Contains(e, "409 (Conflict)") &&
			!strings.Contains(e, "503 (Service Unavailable)") {
			t.Errorf("the page complained: %v", errs)
		}
	}
}

// The sheet of layers and frames: what cannot be read or done is said there, and a note
// for the hands stays.
func TestLayersAndNotes(t *testing.T) {
	beside(t)
	b := newBench(t, folder(t))
	a := &app{Running: &web.Running{Addr: b.server.addr}, t: t, shot: b.shot}
	p := a.open("/shot/" + b.shot + "/shoot")
	p.there("weave")
	p.enter("note", "Left thumb off the case.")
	p.there("kept")
	for late := time.Now().Add(10 * time.Second); b.frames().Notes[0] != "Left thumb off the case."; time.Sleep(
		50 * time.Millisecond) {
		if time.Now().After(late) {
			t.Fatalf("the note is %q", b.frames().Notes[0])
		}
	}
	p.click("scheme")
	p.enter("scheme-holds", "every 2")
	p.click("scheme-save")
	p.reads("scheme-said", "give them as 0000 every 2")
	p.enter("scheme-holds", "0000 every 2, 0048 every 1")
	p.click("add-layer")
	p.click("scheme-save")
	p.reads("scheme-said", "of 1 to 40 letters")
	p.enter("layer-4-name", "matte")
	p.click("scheme-save")
	p.gone("scheme-sheet")
	v := b.frames()
	if len(v.Rows) != 4 || v.Rows[3].Name != "matte" || len(v.Frames) != 24+48 {
		t.Errorf("%d rows, %d frames", len(v.Rows), len(v.Frames))
	}
	// A shot that is not taken so says how it can be, once it has a move.
	p.must(chromedp.Navigate(a.Addr + "/shot/" + b.d.shot + "/shoot/frames"))
	p.click("on-ones")
	p.there("weave")
	p.key("3")
	p.key("5")
	p.there("weave")
	p.click("sheet-passes")
	p.there("stack")
}

// Hundreds of frames scroll as one does: no more than what is seen is drawn.
func TestLongWeave(t *testing.T) {
	beside(t)
	b := newBench(t, folder(t))
	h, err := b.d.db.Shoot(t.Context(), b.shot)
	if err != nil {
		t.Fatal(err)
	}
	s := h.Scheme
	s.Last, s.Holds = 1900, []weave.Hold{{From: 0, Every: 1}}
	s.Layers[0].To, s.Layers[1].To = 1900, 1900
	if err := b.d.db.SetScheme(t.Context(), journal.Itself, b.shot, h.Revision, &s); err != nil {
		t.Fatal(err)
	}
	a := &app{Running: &web.Running{Addr: b.server.addr}, t: t, shot: b.shot}
	p := a.open("/shot/" + b.shot + "/shoot")
	p.there("cell-beauty-0")
	if n := eval[int](p, `$$('weave', 'rect.cell').length`); n > 120 {
		t.Errorf("%d cells are drawn", n)
	}
	// A step of the wheel, sixty times, as fast as it can be painted.
	ms := eval[float64](p, `(async () => {
		const w = document.querySelector('[data-test="weave"]'); const began = performance.now();
		for (let i = 0; i < 60; i++) { w.scrollLeft += 400; await new Promise((go) => requestAnimationFrame(go)); }
		return (performance.now() - began) / 60; })()`)
	t.Logf("%.1f ms a step of ten frames", ms)
	// While it was wheeled it may have gone to the frame at hand once, as it does at first.
	p.does(`$('weave').scrollLeft = 24000`)
	p.there("cell-beauty-600")
}
