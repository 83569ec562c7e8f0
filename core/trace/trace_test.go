package trace

import (
	"math"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/lens"
	"keenarc/core/rig"
)

type poses map[int][]float64

func (p poses) AtFrame(dst []float64, f int) bool {
	v, ok := p[f]
	copy(dst, v)
	return ok
}

func judge(t *testing.T) *Judge {
	t.Helper()
	j, err := NewJudge(rig.Plank(), lens.Demo(), Scene{Subject: rig.Vec{0.75, 1.25, 0.6}, Near: rig.Vec{0.6, 0.9, 0.5}, Far: rig.Vec{0.8, 2.2, 0.8}})
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// One millimetre of track error shows as the predicted pixels: f / pitch × 1 mm
// / depth, largest at the nearest visible point.
func TestOneMillimetreInPixels(t *testing.T) {
	j := judge(t)
	a, b := []float64{750, 0, 0, 0, 150}, []float64{751, 0, 0, 0, 150}
	px, point, said := j.Pixels(a, b)
	near := 0.9 - 0.05
	want := 35 / (24.9 / 4096) * 0.001 / near
	if !said || point != "near" || math.Abs(px/want-1) > 0.02 {
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
		v := j.Compare(a, c.b, 0, 4, 0.5)
		if v.Word != c.word {
			t.Errorf("%s: %s at %g px, want %s", name, v.Word, v.WorstPx, c.word)
		}
		if len(v.Frames)+v.Missing != 4 {
			t.Errorf("%s: %d frames and %d missing", name, len(v.Frames), v.Missing)
		}
	}
	away := poses{0: {700, 170, 40, 0, 150}}
	j.Scene = Scene{Subject: rig.Vec{0.7, 1, 0.6}, Near: rig.Vec{0.7, 1, 0.6}, Far: rig.Vec{0.7, 2, 0.6}}
	if v := j.Compare(away, away, 0, 1, 0.5); v.Word != CannotSay {
		t.Errorf("looking away from everything says %q", v.Word)
	}
}

func TestFocusCounts(t *testing.T) {
	j := judge(t)
	px, point, _ := j.Pixels([]float64{750, 0, 0, 0, 150}, []float64{750, 0, 0, 0, 170})
	if point != "focus" || px <= 0 {
		t.Errorf("a turn of the focus ring shows as %g px at %q", px, point)
	}
}

func TestUnseenSaysWhatIsNotSeen(t *testing.T) {
	s := strings.Join(Unseen(rig.Plank()), " ")
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
	tr := &Trace{Axes: []string{"track"}, Units: []rig.Ratio{{Num: 2, Den: 1}}, Pos: []clock.Pos{clock.At(10), clock.At(10.75), clock.At(11.25), clock.At(12)},
		Steps: [][]int32{{0, 512 * 3, 512 * 5, 512 * 9}}} // 512 is one unit
	got := make([]float64, 1)
	for frame, want := range map[int]float64{10: 0, 11: 4, 12: 9} {
		if !tr.AtFrame(got, frame) || math.Abs(got[0]-want) > 1e-12 {
			t.Errorf("frame %d: %g, want %g", frame, got[0], want)
		}
	}
	for _, f := range []int{9, 13} {
		if tr.AtFrame(got, f) {
			t.Errorf("frame %d is outside", f)
		}
	}
	if (&Trace{}).AtFrame(nil, 0) {
		t.Error("an empty trace has a frame")
	}
	if v := tr.Value(0, 3); v != 9 {
		t.Errorf("row 3 is %g", v)
	}
}
