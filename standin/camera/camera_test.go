package camera

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/draw"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/link"
	"keenarc/standin"
	"keenarc/standin/scene"
)

// there is a camera on a rig, and a client of it.
type there struct {
	*link.CameraClient
	t    *testing.T
	rig  *link.Client
	o    Options
	stop func()
}

func on(t *testing.T, o Options) *there {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{}, 2)
	if o.Rig == "" {
		r, err := standin.Listen(standin.Options{Rig: examples.Rigs()["plank"], Seed: 3, Pace: 50}, "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		go func() { _ = r.Run(ctx); done <- struct{}{} }()
		o.Rig = r.Addr()
	} else {
		done <- struct{}{}
	}
	if o.Folder == "" {
		o.Folder = t.TempDir()
	}
	o.Camera, o.Set, o.Quick = examples.BenchCamera(), examples.ClockRoom(), true
	s, err := Listen(o, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = s.Run(ctx); done <- struct{}{} }()
	c, err := link.DialCamera(ctx, s.Addr())
	if err != nil {
		t.Fatal(err)
	}
	rc, err := link.Dial(ctx, o.Rig)
	if err != nil {
		t.Fatal(err)
	}
	x := &there{CameraClient: c, t: t, rig: rc, o: o}
	x.stop = func() { _ = c.Close(); _ = rc.Close(); cancel(); <-done; <-done }
	return x
}

func (x *there) ask(q link.CameraRequest) (link.CameraReply, error) {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	return x.Call(ctx, q)
}

func (x *there) must(q link.CameraRequest) link.CameraReply {
	x.t.Helper()
	r, err := x.ask(q)
	if err != nil {
		x.t.Fatalf("%s: %v", q.Do, err)
	}
	return r
}

// The same id twice is one picture; it is kept until it is acknowledged, over a restart,
// and never taken again afterwards.
func TestOnePictureAnId(t *testing.T) {
	x := on(t, Options{WidthPx: 64})
	id, other := uuid.NewString(), uuid.NewString()
	one := x.must(link.CameraRequest{Do: "expose", Picture: id, MS: 5})
	x.must(link.CameraRequest{Do: "hands", Puppet: false, Frame: 9, Lamps: map[string]float64{"rim": 1}})
	two := x.must(link.CameraRequest{Do: "expose", Picture: id, MS: 5})
	if one.Is.State != link.PictureKept || *one.Is != *two.Is {
		t.Errorf("asked twice it is %+v and %+v", one.Is, two.Is)
	}
	before := x.must(link.CameraRequest{Do: "fetch", Picture: id})
	if err := x.must(link.CameraRequest{Do: "describe"}).Camera.CheckPicture(before.PNG, before.SHA256); err != nil {
		t.Error(err)
	}
	x.stop()
	x = on(t, Options{Folder: x.o.Folder, WidthPx: 64})
	defer func() { x.stop() }()
	after := x.must(link.CameraRequest{Do: "fetch", Picture: id})
	if !bytes.Equal(before.PNG, after.PNG) {
		t.Error("after a restart it is another picture")
	}
	if w := x.must(link.CameraRequest{Do: "describe"}).Camera.Waiting; w != 1 {
		t.Errorf("%d wait", w)
	}
	if s := x.must(link.CameraRequest{Do: "void", Picture: id}).Is.State; s != link.PictureKept {
		t.Errorf("voided though it is kept: %s", s)
	}
	if s := x.must(link.CameraRequest{Do: "ack", Picture: id}).Is.State; s != link.PictureDone {
		t.Errorf("acknowledged it is %s", s)
	}
	x.must(link.CameraRequest{Do: "ack", Picture: id})
	if s := x.must(link.CameraRequest{Do: "expose", Picture: id, MS: 5}).Is.State; s != link.PictureDone {
		t.Errorf("exposed again after it was handed over: %s", s)
	}
	if s := x.must(link.CameraRequest{Do: "void", Picture: other}).Is.State; s != link.PictureVoid {
		t.Errorf("never begun it is %s", s)
	}
	if s := x.must(link.CameraRequest{Do: "expose", Picture: other, MS: 5}).Is.State; s != link.PictureVoid {
		t.Errorf("voided and exposed all the same: %s", s)
	}
	x.stop()
	x = on(t, Options{Folder: x.o.Folder, WidthPx: 64})
	list := x.must(link.CameraRequest{Do: "list"}).List
	if len(list) != 2 || list[0].State != link.PictureDone || list[1].State != link.PictureVoid {
		t.Errorf("%+v", list)
	}
	for _, q := range []link.CameraRequest{{Do: "expose", Picture: "38", MS: 5},
		{Do: "expose", Picture: uuid.NewString()}, {Do: "expose", Picture: uuid.NewString(), MS: 600_001}, {Do: "fetch",
			Picture: other},
		{Do: "ack", Picture: uuid.NewString()}, {Do: "look", Width: 65}, {Do: "look", Width: 15}, {Do: "hands",
			Lamps: map[string]float64{"key": 2}}, {Do: "dance"}} {
		var refused *link.Refusal
		if r, err := x.ask(q); !errors.As(err, &refused) || refused.Why == "" {
			t.Errorf("%+v: %v, %+v", q, err, r)
		}
	}
}

// A picture that was being exposed when the camera was killed is cut, whatever of it was
// written; half a line of the journal is none.
func TestCut(t *testing.T) {
	dir := t.TempDir()
	a, b, c := uuid.NewString(), uuid.NewString(), uuid.NewString()
	if err := os.WriteFile(filepath.Join(dir, "journal"), []byte("exposing "+a+"\nexposing "+b+"\nkept "+b+" 00\nexpo"+
		c), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, a+".png.part"), []byte("half"), 0o644); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		f, err := openFilm(dir)
		if err != nil {
			t.Fatal(err)
		}
		list := f.list()
		if len(list) != 2 || list[0].State != link.PictureCut || list[1].State != link.PictureKept ||
			f.known(c).State != link.PictureUnknown {
			t.Errorf("%+v", list)
		}
		if left, _ := filepath.Glob(filepath.Join(dir, "*.part")); len(left) > 0 {
			t.Errorf("left over: %v", left)
		}
		if _, begun, err := f.begin(a); begun || err != nil {
			t.Errorf("a cut picture is begun again: %v", err)
		}
		_ = f.journal.Close()
	}
}

// A store that is full refuses before anything is exposed, or says that there is no
// picture; what was kept stays whole. Tried on a small file system.
func TestFullStore(t *testing.T) {
	dir := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", dir).CombinedOutput(); err != nil {
		t.Skipf("no small file system can be made here: %s", out)
	}
	defer func() { _ = exec.Command("umount", dir).Run() }()
	x := on(t, Options{Folder: dir, WidthPx: 96})
	defer func() { x.stop() }()
	kept, full := []string{}, 0
	for range 40 {
		id := uuid.NewString()
		r, err := x.ask(link.CameraRequest{Do: "expose", Picture: id, MS: 5})
		switch {
		case err == nil && r.Is.State == link.PictureKept:
			kept = append(kept, id)
		case err != nil && strings.Contains(err.Error(), "full"):
			full++
		default:
			t.Fatalf("%v, %+v", err, r.Is)
		}
	}
	if len(kept) == 0 || full == 0 {
		t.Fatalf("%d kept, %d refused", len(kept), full)
	}
	x.stop()
	x = on(t, Options{Folder: dir, WidthPx: 96})
	k := x.must(link.CameraRequest{Do: "describe"}).Camera
	for _, id := range kept {
		r := x.must(link.CameraRequest{Do: "fetch", Picture: id})
		if err := k.CheckPicture(r.PNG, r.SHA256); err != nil {
			t.Error(err)
		}
		x.must(link.CameraRequest{Do: "ack", Picture: id}) // makes room
	}
	if r := x.must(link.CameraRequest{Do: "expose", Picture: uuid.NewString(), MS: 5}); r.Is.State != link.PictureKept {
		t.Errorf("with room again it is %s", r.Is.State)
	}
}

// Pictures are of where the rig really is: steps that it loses without noticing show as
// the shift in pixels that the lens says, to ± 0.05.
func TestSeesTheTruth(t *testing.T) {
	x := on(t, Options{})
	defer x.stop()
	ctx := context.Background()
	see := func() (*image.RGBA, *link.Truth) {
		t.Helper()
		m, err := png.Decode(bytes.NewReader(x.must(link.CameraRequest{Do: "look", Width: 960}).PNG))
		if err != nil {
			t.Fatal(err)
		}
		out := image.NewRGBA(m.Bounds())
		draw.Draw(out, out.Bounds(), m, image.Point{}, draw.Src)
		r, err := link.Ask(ctx, x.rig, link.AskTruth{})
		if err != nil {
			t.Fatal(err)
		}
		return out, r.Truth
	}
	at := func(tr *link.Truth) (float64, float64) {
		r := examples.Rigs()["plank"]
		q := make([]float64, len(r.Axes))
		for i, a := range r.Axes {
			q[i] = tr.Axes[a.ID]
		}
		k := examples.BenchCamera()
		sc, err := k.Scale()
		if err != nil {
			t.Fatal(err)
		}
		px, py, _, _ := k.At(sc.Distance(q[r.Index("focus")])).Project(r.Forward(q), rig.Vec{0.75, 1.74, 0.9})
		return px, py
	}
	// Homed, at a pose that sees the room.
	l, err := link.Ask(ctx, x.rig, link.TakeLease{})
	if err != nil {
		t.Fatal(err)
	}
	order := func() link.Order {
		boot, stops := x.rig.Heard()
		return link.Order{Epoch: l.Epoch, Boot: boot, Stops: stops}
	}
	still := func(w link.Asks[link.Nothing]) {
		t.Helper()
		if _, err := link.Ask(ctx, x.rig, w); err != nil {
			t.Fatal(err)
		}
		for range 600 {
			_ = x.rig.Say(link.Alive{})
			time.Sleep(10 * time.Millisecond)
			if _, err := link.Ask(ctx, x.rig, link.Limits{Order: order()}); err == nil {
				return
			}
		}
		t.Fatal("it never stands still")
	}
	still(link.Home{Order: order()})
	still(link.GoTo{Order: order(), To: map[string]float64{"track": 640, "pan": 4, "tilt": -1, "roll": 0,
		"focus": 165}})
	before, tb := see()
	bx, _ := at(tb)
	if _, err := link.Ask(ctx, x.rig, link.Pretend{What: link.PretendLost, Axis: "pan", On: true, By: 0.0137}); err !=
		nil {
		t.Fatal(err)
	}
	time.Sleep(200 * time.Millisecond)
	after, ta := see()
	ax, _ := at(ta)
	want := ax - bx
	dx, dy := scene.Shift(before, after, image.Rect(60, 40, 900, 420))
	t.Logf("%.3f px by the lens, %.3f, %.3f in the pictures", want, dx, dy)
	if math.Abs(want) < 0.2 || math.Abs(want) > 0.45 || math.Abs(dx-want) > 0.05 || math.Abs(dy) > 0.05 {
		t.Errorf("the rig's shift is %.3f px, the pictures' %.3f, %.3f", want, dx, dy)
	}
}

// What goes wrong on the wire: late, twice, broken, silent. The client takes an answer for
// what it asked, and nothing else.
func TestBadWire(t *testing.T) {
	x := on(t, Options{WidthPx: 64})
	defer x.stop()
	id := uuid.NewString()
	x.must(link.CameraRequest{Do: "expose", Picture: id, MS: 5})
	k := x.must(link.CameraRequest{Do: "describe"}).Camera
	x.must(link.CameraRequest{Do: "pretend", What: link.PretendTwice, On: true})
	for range 5 {
		if r := x.must(link.CameraRequest{Do: "list"}); len(r.List) != 1 {
			t.Fatalf("%+v", r)
		}
		if r := x.must(link.CameraRequest{Do: "fetch", Picture: id}); k.CheckPicture(r.PNG, r.SHA256) != nil {
			t.Fatal("another answer was taken for the picture")
		}
	}
	x.must(link.CameraRequest{Do: "pretend", What: link.PretendTwice})
	x.must(link.CameraRequest{Do: "pretend", What: link.PretendBroken, On: true})
	r := x.must(link.CameraRequest{Do: "fetch", Picture: id})
	if err := k.CheckPicture(r.PNG, r.SHA256); err == nil || !strings.Contains(err.Error(), "whole") {
		t.Errorf("a broken picture: %v", err)
	}
	x.must(link.CameraRequest{Do: "pretend", What: link.PretendBroken})
	x.must(link.CameraRequest{Do: "pretend", What: link.PretendSilent, On: true})
	ctx, cancel := context.WithTimeout(context.Background(), 100*time.Millisecond)
	defer cancel()
	if _, err := x.Call(ctx, link.CameraRequest{Do: "list"}); !errors.Is(err, link.ErrSilent) {
		t.Errorf("silent: %v", err)
	}
	select {
	case <-x.Done():
	default:
		t.Error("after silence the connection is still used")
	}
	if _, err := x.ask(link.CameraRequest{Do: "list"}); err == nil {
		t.Error("a closed connection answers")
	}
	other := link.Camera{WidthPx: 65, HeightPx: 36}
	if err := other.CheckPicture(r.PNG[:10], r.SHA256); err == nil {
		t.Error("a part of a picture is one")
	}
}
