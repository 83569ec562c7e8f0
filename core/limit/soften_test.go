package limit

import (
	"context"
	"errors"
	"math"
	"slices"
	"strings"
	"testing"

	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
	"keenarc/core/retime"
)

// The remedies that take longer, each tried again here: softer easings keep every keyframe, a new
// timing keeps the way.
func TestMoreRemedies(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 60, 900, 131, 200)
	for f, v := range map[float64]float64{0: 0, 60: 40, 131: -10} {
		var err error
		if p, err = p.Apply(r, path.Edit{Op: "set", Frame: f, Values: map[string]float64{"pan": v}}); err != nil {
			t.Fatal(err)
		}
	}
	more, err := More(t.Context(), p, r)
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]Remedy{}
	for _, x := range more {
		kinds[x.Kind] = x
		q, rep, ok := try(p, r, x.Edit)
		if !ok || clears(rep) != x.Clears {
			t.Errorf("%s: it is said to clear %t", x.Kind, x.Clears)
		}
		if x.Kind != "soften" {
			continue
		}
		for _, tr := range p.Tracks {
			for k, key := range tr.Keys {
				if now := q.Track(tr.Axis).Keys[k]; now.Frame != key.Frame || now.Value != key.Value {
					t.Errorf("a keyframe of %s was moved", tr.Axis)
				}
			}
		}
	}
	rt, ok := kinds["retime"]
	if !ok || !rt.Clears || !strings.Contains(rt.Text, "frames, each") {
		t.Fatalf("%+v", more)
	}
	q, _ := p.Apply(r, rt.Edit)
	m, _ := path.Compile(p, r)
	n, _ := path.Compile(q, r)
	// Every old pose is met, in order.
	at := float64(n.First)
	for f := float64(m.First); f <= float64(m.Last); f += 0.5 {
		want, pan := m.Curves[0].At(f).P, m.Curves[1].At(f).P
		best := math.Inf(1)
		for x := at; x <= float64(n.Last); x += 0.01 {
			d := math.Abs(n.Curves[0].At(x).P-want)/800 + math.Abs(n.Curves[1].At(x).P-pan)/50
			if d < best {
				best, at = d, x
			} else if best < 2e-3 {
				break
			}
		}
		if best > 2e-3 {
			t.Fatalf("the pose of frame %g is missed by %g of the way", f, best)
		}
	}
	if n.Last-n.First < m.Last-m.First {
		t.Errorf("a plan that was too fast is faster now: %d frames", n.Last-n.First)
	}
	for _, tr := range q.Tracks {
		if len(tr.Keys) > 400 {
			t.Errorf("%s has %d keyframes", tr.Axis, len(tr.Keys))
		}
	}
}

// A move of one axis that is only too fast in its middle is softened by ramps: its keyframes
// stay, and so does its time.
func TestSoften(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 96, 1060) // 240 mm/s on average, 450 at the peak of minimum jerk
	more, err := More(t.Context(), p, r)
	if err != nil || len(more) == 0 || more[0].Kind != "soften" || !more[0].Clears {
		t.Fatalf("%v, %+v", err, more)
	}
	q, err := p.Apply(r, more[0].Edit)
	if err != nil || q.Track("track").Keys[1].Frame != 96 || q.Track("track").Kind != curve.Ramped {
		t.Errorf("%v, %+v", err, q)
	}
	if calm, err := More(t.Context(), line(t, r, "track", 0, 100, 96, 200), r); err != nil || len(calm) != 0 {
		t.Errorf("a calm plan: %v, %+v", err, calm)
	}
}

// A corner is cured by a new timing that stops there; a jump is not.
func TestRetimeCorners(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 48, 300, 96, 250)
	p, err := p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Linear})
	if err != nil {
		t.Fatal(err)
	}
	x, err := Retime(t.Context(), p, r)
	if err != nil {
		t.Fatal(err)
	}
	if _, rep, ok := try(p, r, x.Edit); !ok || !clears(rep) || x.Widest <= 0 || x.Closest > x.Widest {
		t.Errorf("%+v", x)
	}
	if p, err = p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Hold}); err != nil {
		t.Fatal(err)
	}
	if _, err := Retime(t.Context(), p, r); err == nil || !strings.Contains(err.Error(), "jumps") {
		t.Errorf("a jump: %v", err)
	}
}

// One axis from rest to rest: as many frames as its shortest move takes, and hardly more; the
// limits all but used; from the same pose to the same pose, at whole frames; through few
// keyframes; and the spacing as the positions say.
func TestRetimeOfOneAxis(t *testing.T) {
	r := fixture.Slider()
	for _, c := range []struct {
		limits curve.Bounds
		fps    string
	}{{curve.Bounds{Speed: 300, Acceleration: 400, Jerk: 4000}, "1"},
		{curve.Bounds{Speed: 120, Acceleration: 900, Jerk: 9000}, "2"},
		{curve.Bounds{Speed: 300, Acceleration: 400}, "1"}} {
		r.Axes[0].Working.Speed, r.Axes[0].Working.Acceleration, r.Axes[0].Working.Jerk = c.limits.Speed,
			c.limits.Acceleration, c.limits.Jerk
		for i := range r.Axes {
			if c.limits.Jerk == 0 {
				r.Axes[i].Working.Jerk = 0
			}
		}
		p := line(t, r, "track", 12, 100, 60, 500, 90, 900)
		p, err := p.Apply(r, path.Edit{Op: "factor", Clock: c.fps})
		if err != nil {
			t.Fatal(err)
		}
		x, err := Retime(t.Context(), p, r)
		if err != nil {
			t.Fatal(err)
		}
		want, err := curve.Shortest(800, c.limits)
		if err != nil {
			t.Fatal(err)
		}
		fps := p.Clock().FPS()
		if least := want.Duration * fps; float64(x.Frames) < least || float64(x.Frames) > least*1.06+1 {
			t.Errorf("%v: %d frames, the shortest move takes %g", c.limits, x.Frames, least)
		}
		q, rep, ok := try(p, r, x.Edit)
		if !ok || !clears(rep) || rep.Axes[0].Share < 0.93 {
			t.Errorf("%v: it uses %g of its limits", c.limits, rep.Axes[0].Share)
		}
		keys := q.Track("track").Keys
		if first, last := keys[0], keys[len(keys)-1]; first.Frame != 12 || last.Frame != 12+float64(x.Frames) ||
			first.Value != 100 || last.Value != 900 || len(keys) > 90 || len(keys) < 3 {
			t.Errorf("%v: %d keyframes from %v to %v", c.limits, len(keys), first, last)
		}
		was, _ := path.Compile(p, r)
		now, _ := path.Compile(q, r)
		// How far the frames of the middle are apart, by where they are.
		old := func(v float64) float64 {
			lo, hi := 12.0, 90.0
			for range 60 {
				if m := (lo + hi) / 2; was.Curves[0].At(m).P < v {
					lo = m
				} else {
					hi = m
				}
			}
			return lo
		}
		closest, widest := math.Inf(1), 0.0
		from, to := 12+0.1*float64(x.Frames), 12+0.9*float64(x.Frames)
		for f := from; f+1 < to; f += 0.25 {
			d := old(now.Curves[0].At(f+1).P) - old(now.Curves[0].At(f).P)
			closest, widest = min(closest, d), max(widest, d)
		}
		if math.Abs(closest-x.Closest) > 0.05*closest || math.Abs(widest-x.Widest) > 0.05*widest {
			t.Errorf("%v: frames %g to %g apart, by their places %g to %g", c.limits, x.Closest, x.Widest,
				closest, widest)
		}
		// Between its keyframes it keeps to the way: never back, never past the ends.
		lo, _, hi, _ := now.Curves[0].Range()
		if lo < 100-0.2 || hi > 900+0.2 {
			t.Errorf("%v: it goes from %g to %g", c.limits, lo, hi)
		}
		for f := 12.0; f < 12+float64(x.Frames); f += 0.1 {
			if v := now.Curves[0].At(f).V; v < -1e-3 {
				t.Fatalf("%v: it goes back at %g by %g", c.limits, f, v)
			}
		}
	}
}

// Two axes of which one waits: its wait keeps its length, and old keyframes are met.
func TestRetimeKeepsWaits(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 30, 700, 78, 700, 100, 400)
	p, err := p.Apply(r, path.Edit{Op: "kind", Axis: "track", Kind: curve.Monotone})
	if err != nil {
		t.Fatal(err)
	}
	x, err := Retime(t.Context(), p, r)
	if err != nil {
		t.Fatal(err)
	}
	q, _ := p.Apply(r, x.Edit)
	m, _ := path.Compile(q, r)
	still := 0.0
	for f := 0.0; f < float64(x.Frames); f += 0.05 {
		if m.Curves[0].At(f).V == 0 {
			still += 0.05
		}
	}
	// What is slowed for whole frames slows the wait with it.
	if still < 48*0.99 || still > 48*1.12 {
		t.Errorf("it stands still for %g frames, 48 before", still)
	}
	for _, v := range []float64{100, 700, 400} {
		met := false
		for _, k := range q.Track("track").Keys {
			met = met || math.Abs(k.Value-v) < 1e-6
		}
		if !met {
			t.Errorf("no keyframe is at %g any more", v)
		}
	}
	p, err = p.Apply(r, path.Edit{Op: "set", Frame: 0, Values: map[string]float64{"roll": 4}})
	if err != nil {
		t.Fatal(err)
	}
	if x, err = Retime(t.Context(), p, r); err != nil {
		t.Fatal(err)
	}
	for _, tr := range x.Edit.Tracks {
		if tr.Axis == r.Axes[3].ID && (len(tr.Keys) != 2 || tr.Keys[0].Value != 4 || tr.Keys[1].Value != 4) {
			t.Errorf("an axis that stands still: %+v", tr.Keys)
		}
	}
}

// What softening costs is by how much the axis is elsewhere, at the most.
func TestSofteningCosts(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 96, 1060)
	m, _, err := Analyse(p, r)
	if err != nil {
		t.Fatal(err)
	}
	more, _ := More(t.Context(), p, r)
	q, _ := p.Apply(r, more[0].Edit)
	n, _ := path.Compile(q, r)
	most := 0.0
	for k := range 96_001 {
		f := float64(k) / 1000
		most = max(most, math.Abs(m.Curves[0].At(f).P-n.Curves[0].At(f).P))
	}
	if got := apartBy(m.Curves[0], n.Curves[0]); math.Abs(got-most) > 0.01*most {
		t.Errorf("it is said to cost %g, sampled %g", got, most)
	}
	if !strings.Contains(more[0].Text, "beside where it was") {
		t.Errorf("%q", more[0].Text)
	}
	// No other easing that is tried and allowed is nearer.
	for _, k := range easings {
		o, rep, ok := try(p, r, path.Edit{Op: "kind", Axis: "track", Kind: k})
		if !ok || blocked(rep, r.Axes[0].ID) || over(rep, r.Axes[0].ID) {
			continue
		}
		c, _ := path.Compile(o, r)
		if apartBy(m.Curves[0], c.Curves[0]) < apartBy(m.Curves[0], n.Curves[0]) {
			t.Errorf("%s is nearer", k)
		}
	}
}

// A timing that goes another way is told from one that does not.
func TestRetimeMeetsThePoses(t *testing.T) {
	r := fixture.Slider()
	p := line(t, r, "track", 0, 100, 60, 700, 100, 400)
	x, err := Retime(t.Context(), p, r)
	if err != nil {
		t.Fatal(err)
	}
	q, err := p.Apply(r, x.Edit)
	if err != nil {
		t.Fatal(err)
	}
	m, _ := path.Compile(p, r)
	timed, err := retime.New(t.Context(), []*curve.Curve{inSeconds(m.Curves[0], 24)},
		[]retime.Limits{{Speed: 300, Acceleration: 400, Jerk: 4000}}, true)
	if err != nil {
		t.Fatal(err)
	}
	n := &newKeys{timed: timed, fps: 24, stretch: float64(x.Frames) / (timed.Duration * 24)}
	if !n.met(p, q, r, []int{0}) {
		t.Error("the poses are met, and it says not")
	}
	still := q.Clone()
	still.Track("track").Keys = still.Track("track").Keys[:1]
	if n.met(p, still, r, []int{0}) {
		t.Error("a move that stands still meets all poses")
	}
}

// A large plan is checked without looking for remedies; they come afterwards, and do what they say.
func TestRemediesOfALargePlanComeLater(t *testing.T) {
	r := fixture.Slider()
	var kv []float64
	for k := range mostPrompt + 1 {
		kv = append(kv, float64(k*12), 700+float64(k%2))
	}
	for k := 1000; k <= mostPrompt; k++ { // one leg is too fast
		kv[2*k+1] += 300
	}
	p := line(t, r, "track", kv...)
	_, a, err := Analyse(p, r)
	if err != nil || len(a.Sentences) == 0 || len(a.Remedies) != 0 {
		t.Fatalf("%v, %q, %d remedies", err, a.Sentences, len(a.Remedies))
	}
	more, err := More(t.Context(), p, r)
	var kinds []string
	for _, m := range more {
		kinds = append(kinds, m.Kind)
	}
	if err != nil || len(kinds) < 2 || kinds[0] != "slow" {
		t.Fatalf("%v, %v", err, kinds)
	}
	q, err := p.Apply(r, more[0].Edit)
	if err != nil {
		t.Fatal(err)
	}
	if _, after, _ := Analyse(q, r); slices.Contains(after.Sentences, a.Sentences[0]) {
		t.Errorf("%s leaves %q", more[0].Text, a.Sentences[0])
	}
	gone, end := context.WithCancel(t.Context())
	end()
	if _, err := More(gone, p, r); !errors.Is(err, context.Canceled) {
		t.Errorf("nobody waits: %v", err)
	}
}
