package trace

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/effort"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
	"keenarc/core/seal"
)

type poses map[int][]float64

func (p poses) AtVisit(dst []float64, f, _ int, _ bool) bool {
	v, ok := p[f]
	copy(dst, v)
	return ok
}

func (p poses) Visits(f int) int {
	if _, ok := p[f]; ok {
		return 1
	}
	return 0
}

// once is a clock that passes every frame once.
var once = clock.Uniform{First: -1000, Last: 1000, Path: clock.Rate{Num: 24, Den: 1},
	Factor: clock.Rate{Num: 1, Den: 1}}

// first reads a trace at a frame's first visit.
func first(t *Trace, dst []float64, frame int) bool {
	return t.ByVisit(0).AtVisit(dst, frame, 0, false)
}

func judge(t *testing.T) *Judge {
	t.Helper()
	j, err := NewJudge(fixture.Slider(), fixture.Camera(), Scene{Subject: rig.Vec{0.75, 1.25, 0.6},
		Near: rig.Vec{0.6, 0.9, 0.53}, Far: rig.Vec{0.8, 2.2, 0.8}})
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// One millimetre of track error shows as the predicted pixels: m·(S − p)/(Z − p)
// × 1 mm ÷ pitch, largest at the nearest visible point.
func TestOneMillimetreInPixels(t *testing.T) {
	j := judge(t)
	a, b := []float64{750, 0, 0, 0, 150}, []float64{751, 0, 0, 0, 150}
	px, point, said := j.Pixels(a, b)
	S, p := j.scale.Distance(150), 0.06 // the image plane lies at y = −0.01
	s := (S + math.Sqrt(S*S-4*0.035*S)) / 2
	want := (S - s) / s * (S - p) / (0.91 - p) * 1 / (24.9 / 4096)
	if !said || point != "near" || math.Abs(px/want-1) > 1e-6 {
		t.Errorf("%g px at %q, predicted %g at the near point", px, point, want)
	}
}

func TestVerdicts(t *testing.T) {
	j := judge(t)
	still := func(shift float64, frames ...int) poses {
		p := poses{}
		for _, f := range frames {
			p[f] = []float64{700 + shift, 2, -3, 0, 150}
		}
		return p
	}
	a := still(0, 0, 1, 2, 3)
	for name, c := range map[string]struct {
		b    poses
		word string
	}{
		"same":       {still(0, 0, 1, 2, 3), Stacks},
		"30 µm":      {still(0.03, 0, 1, 2, 3), Stacks},
		"0.1 mm":     {still(0.1, 0, 1, 2, 3), Off},
		"cut short":  {still(0, 0, 1), CannotSay},
		"short, off": {still(1, 0, 1), Off},
		"nothing":    {poses{}, CannotSay},
	} {
		v := compare(t, j, a, c.b, nil, once, 0, 4, 0.5)
		if v.Word != c.word {
			t.Errorf("%s: %s at %g px, want %s", name, v.Word, v.WorstPx, c.word)
		}
		if len(v.Frames)+v.Missing != 4 {
			t.Errorf("%s: %d frames and %d missing", name, len(v.Frames), v.Missing)
		}
	}
	away := poses{0: {700, 170, 40, 0, 150}}
	j.Scene = Scene{Subject: rig.Vec{0.7, 1, 0.6}, Near: rig.Vec{0.7, 1, 0.6}, Far: rig.Vec{0.7, 2, 0.6}}
	if v := compare(t, j, away, away, nil, once, 0, 1, 0.5); v.Word != CannotSay {
		t.Errorf("looking away from everything says %q", v.Word)
	}
}

// A point that is in one take's picture and behind the other's camera is off,
// however few frames it is; a frame in which nothing is visible cannot be judged.
func TestGoneIsOff(t *testing.T) {
	j := judge(t)
	take := func(odd []float64) poses {
		p := poses{}
		for f := range 40 {
			p[f] = []float64{700, 2, -3, 0, 150}
		}
		p[17] = odd
		return p
	}
	clean := take([]float64{700, 2, -3, 0, 150})
	behind := take([]float64{700, -161, -3, 0, 150})
	for name, c := range map[string][2]poses{"gone in the second": {clean, behind},
		"gone in the first": {behind, clean}} {
		v := compare(t, j, c[0], c[1], nil, once, 0, 40, 0.5)
		if v.Word != Off || v.WorstFrame != 17 || v.WorstPx < 4096 || !strings.Contains(v.WorstPoint, "gone") {
			t.Errorf("%s: %s, %g px at %d (%s)", name, v.Word, v.WorstPx, v.WorstFrame, v.WorstPoint)
		}
	}
	if v := compare(t, j, behind, behind, nil, once, 0, 40, 0.5); v.Word != CannotSay || v.Unsaid != 1 {
		t.Errorf("a frame that looks away from everything: %s, %d unsaid", v.Word, v.Unsaid)
	}
}

// Every corner counts: a roll moves the corners and leaves the centre alone.
func TestCornersCount(t *testing.T) {
	j := judge(t)
	j.Scene.Near, j.Scene.Far = rig.Vec{0, -5, 0}, rig.Vec{0, -9, 0}
	a := []float64{750, 0, 0, 0, 150}
	f := j.focused(a)
	pose := j.Rig.Forward(a)
	j.Scene.Subject = pose.Point(0, f.SharpAtM, 0)
	px, point, said := j.Pixels(a, []float64{750, 0, 0, 0.1, 150})
	want := 0.8 * math.Hypot(2048, 14.0/2/(24.9/4096)) * 2 * math.Sin(0.05*math.Pi/180)
	if !said || math.Abs(px/want-1) > 1e-6 || point == "centre" {
		t.Errorf("a roll of 0.1° shows as %g px at %q, want %g at a corner", px, point, want)
	}
	// Each of the four, told apart by tilting the picture's plane: pan and tilt move
	// the corner on their side further.
	seen := map[string]bool{}
	for _, pan := range []float64{-3, 3} {
		for _, tilt := range []float64{-3, 3} {
			_, point, _ := j.Pixels(a, []float64{750, pan, tilt, 0, 150})
			seen[point] = true
		}
	}
	if len(seen) != 4 || seen["centre"] {
		t.Errorf("the worst corners were %v", seen)
	}
}

// The change of blur, by hand.
func TestFocusCounts(t *testing.T) {
	j := judge(t)
	px, point, _ := j.Pixels([]float64{750, 0, 0, 0, 150}, []float64{750, 0, 0, 0, 170})
	depth := j.Rig.Forward([]float64{750, 0, 0, 0, 150}).Local(j.Scene.Subject)[1]
	want := math.Abs(j.Lens.At(j.scale.Distance(170)).BlurPx(depth) - j.Lens.At(j.scale.Distance(150)).BlurPx(depth))
	if point != "focus" || math.Abs(px-want) > 1e-9 || px <= 0 {
		t.Errorf("a turn of the focus ring shows as %g px at %q", px, point)
	}
}

func TestUnseenSaysWhatIsNotSeen(t *testing.T) {
	s := strings.Join(Unseen(fixture.Slider()), " ")
	for _, w := range []string{"Focus: open loop", "Roll: seen at the motor only", "Flex"} {
		if !strings.Contains(s, w) {
			t.Errorf("%q does not say %q", s, w)
		}
	}
	if strings.Contains(s, "Track:") {
		t.Error("the track's output is seen")
	}
}

// Between rows a trace is read straight; outside it has nothing to say.
func TestAtFrame(t *testing.T) {
	tr := &Trace{Axes: []string{"track"}, Units: []rig.Ratio{{Num: 2, Den: 1}},
		Pos:   []clock.Pos{clock.At(10), clock.At(10.75), clock.At(11.25), clock.At(12)},
		Steps: [][]int32{{0, 512 * 3, 512 * 5, 512 * 9}}} // 512 is one unit
	got := make([]float64, 1)
	for frame, want := range map[int]float64{10: 0, 11: 4, 12: 9} {
		if !first(tr, got, frame) || math.Abs(got[0]-want) > 1e-12 {
			t.Errorf("frame %d: %g, want %g", frame, got[0], want)
		}
	}
	for _, f := range []int{9, 13} {
		if first(tr, got, f) {
			t.Errorf("frame %d is outside", f)
		}
	}
	if first(&Trace{}, nil, 0) {
		t.Error("an empty trace has a frame")
	}
	tr.Gaps = []Gap{{At: 2, Rows: 5}}
	for frame, ok := range map[int]bool{10: true, 11: false, 12: true} {
		if first(tr, got, frame) != ok {
			t.Errorf("with rows missing between 10.75 and 11.25, frame %d: %v", frame, !ok)
		}
	}
	if v := tr.Value(0, 3); v != 9 {
		t.Errorf("row 3 is %g", v)
	}
}

// Rows that come late, twice or not at all: each is there once, and what is
// missing stays missing.
func TestAppendKeepsGaps(t *testing.T) {
	tr := &Trace{Axes: []string{"a"}, Units: []rig.Ratio{{Num: 1, Den: 1}}, Steps: make([][]int32, 1)}
	add := func(from, n int) {
		pos, steps := make([]clock.Pos, n), make([]int32, n)
		for i := range pos {
			pos[i], steps[i] = clock.Pos(from+i), int32(from+i)
		}
		tr.Append(from, pos, [][]int32{steps})
	}
	add(0, 10)
	add(5, 8) // overlaps
	add(3, 4) // there already
	if tr.Unbroken() != 13 || !tr.Whole() || tr.Row(12) != 12 {
		t.Fatalf("%d rows, gaps %v", len(tr.Pos), tr.Gaps)
	}
	add(20, 5)
	add(30, 2)
	if tr.Whole() || tr.Unbroken() != 13 || len(tr.Pos) != 20 || len(tr.Gaps) != 2 || tr.Gaps[0] != (Gap{13, 7}) ||
		tr.Gaps[1] != (Gap{18, 5}) {
		t.Fatalf("%d rows, gaps %v", len(tr.Pos), tr.Gaps)
	}
	for i, p := range tr.Pos {
		if tr.Row(i) != int(p) || tr.Steps[0][i] != int32(p) {
			t.Errorf("row %d is called %d", p, tr.Row(i))
		}
	}
	late := &Trace{Steps: make([][]int32, 0)}
	late.Append(4, []clock.Pos{4}, nil)
	if late.Unbroken() != 0 || late.Row(0) != 4 {
		t.Errorf("rows missing at the beginning: %v", late.Gaps)
	}
}

// Missing frames are counted, and listed as stretches; the largest difference of
// each axis is kept; numbers in the list are rounded to a ten-thousandth.
func TestCompareInDetail(t *testing.T) {
	j := judge(t)
	a, b := poses{}, poses{}
	for f := 5; f < 40; f++ {
		a[f] = []float64{700, 2, -3, 0, 150}
		b[f] = []float64{700 + 0.001*float64(f), 2, -3 - 0.0001, 0, 150}
	}
	for _, f := range []int{5, 6, 20, 30, 31, 32, 39} {
		delete(b, f)
	}
	delete(a, 33)
	v := compare(t, j, a, b, nil, once, 5, 40, 0.5)
	if want := []FrameSpan{{5, 7}, {20, 21}, {30, 34}, {39, 40}}; v.Missing != 8 || fmt.Sprint(v.Gaps) !=
		fmt.Sprint(want) {
		t.Errorf("%d missing, %v, want %v", v.Missing, v.Gaps, want)
	}
	if math.Abs(v.WorstByAxis["track"]-0.038) > 1e-9 || math.Abs(v.WorstByAxis["tilt"]-0.0001) > 1e-12 ||
		v.WorstByAxis["pan"] != 0 {
		t.Errorf("worst by axis %v", v.WorstByAxis)
	}
	if len(v.Frames) != 27 || v.Frames[0].Frame != 7 || v.WorstFrame != 38 || v.Word != CannotSay ||
		v.ThresholdPx != 0.5 {
		t.Errorf("%d frames from %d, worst %d, %s", len(v.Frames), v.Frames[0].Frame, v.WorstFrame, v.Word)
	}
	for _, x := range v.Frames {
		px, point, said := j.Pixels(a[x.Frame], b[x.Frame])
		if math.Abs(x.Px-px) > 0.5001e-4 || math.Abs(x.Px*1e4-math.Round(x.Px*1e4)) > 1e-6 || x.Point != point ||
			x.Said != said {
			t.Errorf("%+v, pixels %g at %s", x, px, point)
		}
	}
	if v := compare(t, j, a, b, nil, once, 7, 20, v.WorstPx*10); v.Word != Stacks || v.Missing != 0 {
		t.Errorf("whole and within: %s", v.Word)
	}
	if v := compare(t, j, a, b, nil, once, 7, 20, 0); v.Word != Off {
		t.Errorf("a threshold of nothing: %s", v.Word)
	}
	if v := compare(t, j, a, b, nil, once, 7, 7, 1); v.Word != CannotSay {
		t.Errorf("no picture at all: %s", v.Word)
	}
}

// A sealed table gives its poses at whole frames of the run, and none outside.
func TestSealedFrames(t *testing.T) {
	tab := &seal.Table{First: 2, Last: 4, RunUp: 1, RunOut: 2, Units: []rig.Ratio{{Num: 2, Den: 1}},
		Steps: [][]int64{make([]int64, 5*16+1)}}
	for k := range tab.Steps[0] {
		tab.Steps[0][k] = int64(k) << 16 // half a unit a tick
	}
	got := make([]float64, 1)
	for f := 1; f <= 6; f++ {
		if !(Sealed{tab}).AtFrame(got, f) || got[0] != float64(f-1)*8 {
			t.Errorf("frame %d: %g", f, got[0])
		}
	}
	for _, f := range []int{0, 7, -100} {
		if (Sealed{tab}).AtFrame(got, f) {
			t.Errorf("frame %d is outside the run", f)
		}
	}
}

// Without a focus motor the camera is focused at infinity and blur says nothing.
func TestWithoutFocus(t *testing.T) {
	r := fixture.Slider()
	r.Axes = r.Axes[:4]
	j, err := NewJudge(r, fixture.Camera(), judge(t).Scene)
	if err != nil {
		t.Fatal(err)
	}
	px, point, _ := j.Pixels([]float64{750, 0, 0, 0}, []float64{751, 0, 0, 0})
	if want := 35 / (24.9 / 4096) * 0.001 / (0.91 - 0.06); point != "near" || math.Abs(px/want-1) > 1e-9 {
		t.Errorf("%g px at %q, want %g", px, point, want)
	}
}

// A change of blur beyond everything is the picture's diagonal, no more.
func TestBlurIsBounded(t *testing.T) {
	j := judge(t)
	j.Scene.Subject = j.Rig.Forward([]float64{750, 0, 0, 0, 0}).Point(0, 0.0605, 0)
	px, point, said := j.Pixels([]float64{750, 0, 0, 0, 300}, []float64{750, 0, 0, 0, 0})
	if !said || px > j.Lens.DiagonalPx() || px < 100 {
		t.Errorf("%g px at %q", px, point)
	}
}

func compare(t testing.TB, j *Judge, a, b Poser, was, c clock.Clock, first, last int, px float64) *Verdict {
	t.Helper()
	done := &effort.Count{}
	v, err := j.Compare(effort.With(t.Context(), done), a, b, was, c, first, last, px)
	if err != nil || last > first && done.Share() != 1 {
		t.Fatalf("%v, %v of it done", err, done.Share())
	}
	over, end := context.WithCancel(t.Context())
	end()
	if _, err := j.Compare(over, a, b, was, c, first, last, px); last > first && !errors.Is(err, context.Canceled) {
		t.Errorf("nobody waits, and it goes on: %v", err)
	}
	return v
}
