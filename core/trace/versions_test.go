package trace

import (
	"math"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// Two versions that differ by a millimetre at one keyframe: on that axis, between the keyframes
// around it, and by the pixels that a millimetre is; nothing else.
func TestVersionsDiffer(t *testing.T) {
	r, err := rig.Join([]rig.Placed{{Name: "s", Rig: fixture.Slider()}})
	if err != nil {
		t.Fatal(err)
	}
	j, err := NewJudge(r, fixture.Camera(), judge(t).Scene)
	if err != nil {
		t.Fatal(err)
	}
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	apply := func(q *path.Path, e path.Edit) *path.Path {
		t.Helper()
		q, err := q.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		return q
	}
	for f, v := range map[float64]float64{0: 700, 20: 740, 40: 750, 60: 760, 80: 800} {
		p = apply(p, path.Edit{Op: "set", Frame: f, Values: map[string]float64{"track": v, "focus": 150}})
	}
	p = apply(p, path.Edit{Op: "kind", Axis: "track", Kind: "linear"})
	q := apply(p, path.Edit{Op: "set", Frame: 40, Values: map[string]float64{"track": 751}})
	compile := func(p *path.Path) *path.Motion {
		m, err := path.Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	d := j.Versions(compile(p), compile(q))
	one, _, _ := j.Pixels([]float64{750, 0, 0, 0, 150}, []float64{751, 0, 0, 0, 150})
	if len(d.Axes) != 1 || d.LongerBy != 0 || !d.Said || math.Abs(d.Px-one) > 1e-9 || d.Frame != 40 {
		t.Fatalf("%+v, a millimetre is %g px", d, one)
	}
	if x := d.Axes[0]; x.Axis != "s/track" || math.Abs(x.From-20) > 1e-4 || math.Abs(x.To-60) > 1e-4 ||
		math.Abs(x.Most-1) > 1e-9 || x.At != 40 || math.Abs(x.Px-one) > 1e-9 {
		t.Errorf("%+v", x)
	}
	if back := j.Versions(compile(q), compile(p)); math.Abs(back.Axes[0].Most+1) > 1e-9 {
		t.Errorf("the other way round: %+v", back.Axes)
	}
	if same := j.Versions(compile(p), compile(p)); len(same.Axes) != 0 || same.Px != 0 {
		t.Errorf("a version and itself: %+v", same)
	}
	later := apply(p, path.Edit{Op: "whole", Whole: &path.Whole{Do: "shift", Frames: 8}})
	if d := j.Versions(compile(p), compile(later)); d.StartsOff != 8 || d.LongerBy != 0 || len(d.Axes) != 1 ||
		d.Axes[0].From > 1e-3 || d.Axes[0].To < 87.9 {
		t.Errorf("shifted: %+v", d)
	}
	longer := apply(p, path.Edit{Op: "whole", Whole: &path.Whole{Do: "stretch", Factor: 1.5}})
	if d := j.Versions(compile(p), compile(longer)); d.LongerBy != 40 {
		t.Errorf("stretched: %+v", d)
	}
}

// Where one version crosses over the other it is one stretch; where they are the same for a while,
// two. The frames of both are looked at, also those that only one of them has.
func TestStretchesOfVersions(t *testing.T) {
	r, err := rig.Join([]rig.Placed{{Name: "s", Rig: fixture.Slider()}})
	if err != nil {
		t.Fatal(err)
	}
	j, err := NewJudge(r, fixture.Camera(), judge(t).Scene)
	if err != nil {
		t.Fatal(err)
	}
	moves := func(track map[float64]float64) *path.Motion {
		keys := map[float64]map[string]float64{}
		for f, v := range track {
			keys[f] = map[string]float64{"track": v}
		}
		return moving(t, r, keys, "linear")
	}
	a := moves(map[float64]float64{0: 700, 20: 740, 40: 750, 60: 760, 80: 800})
	if d := j.Versions(a, moves(map[float64]float64{0: 700, 20: 741, 40: 750, 60: 759, 80: 800})); len(d.Axes) != 1 ||
		d.Axes[0].From > 1 || d.Axes[0].To < 79 || math.Abs(math.Abs(d.Axes[0].Most)-1) > 1e-9 {
		t.Errorf("crossing over: %+v", d.Axes)
	}
	if d := j.Versions(a, moves(map[float64]float64{0: 701, 20: 740, 40: 750, 60: 760, 80: 801})); len(d.Axes) != 2 ||
		math.Abs(d.Axes[0].To-20) > 1e-3 || math.Abs(d.Axes[1].From-60) > 1e-3 {
		t.Errorf("the same between: %+v", d.Axes)
	}
	longer := moves(map[float64]float64{0: 700, 20: 740, 40: 750, 60: 760, 80: 800, 120: 850})
	if d := j.Versions(a, longer); d.Frame != 120 || d.LongerBy != 40 {
		t.Errorf("what only one of them has is not looked at: %+v", d)
	}
	if d := j.Versions(longer, a); d.Frame != 120 || d.LongerBy != -40 {
		t.Errorf("nor the other way round: %+v", d)
	}
}

// BenchmarkVersions compares two versions of 1,000 frames of five axes with 40 keyframes.
func BenchmarkVersions(b *testing.B) {
	r := fixture.Slider()
	j, err := NewJudge(r, fixture.Camera(), Scene{Subject: rig.Vec{0.75, 1.25, 0.6}, Near: rig.Vec{0.6, 0.9, 0.53},
		Far: rig.Vec{0.8, 2.2, 0.8}})
	if err != nil {
		b.Fatal(err)
	}
	var m [2]*path.Motion
	for v := range m {
		p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
		for i := range p.Tracks {
			for k := range 40 {
				p.Tracks[i].Keys = append(p.Tracks[i].Keys, path.Key{Frame: float64(k) * 25.6,
					Value: (r.Axes[i].Min+r.Axes[i].Max)/2 + math.Sin(float64(k+v*(k%2)))})
			}
		}
		if m[v], err = path.Compile(p, r); err != nil {
			b.Fatal(err)
		}
	}
	for b.Loop() {
		j.Versions(m[0], m[1])
	}
}

// From frame to frame: what an axis moves, and what the picture's centre and corners move at
// the sensor. A camera that only rolls turns its corners about the centre.
func TestChangesPerFrame(t *testing.T) {
	r, err := rig.Join([]rig.Placed{{Name: "s", Rig: fixture.Slider()}})
	if err != nil {
		t.Fatal(err)
	}
	j, err := NewJudge(r, fixture.Camera(), judge(t).Scene)
	if err != nil {
		t.Fatal(err)
	}
	move := func(e ...path.Edit) *path.Motion {
		t.Helper()
		p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
		for _, e := range e {
			if p, err = p.Apply(r, e); err != nil {
				t.Fatal(err)
			}
		}
		m, err := path.Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	set := func(f float64, v map[string]float64) path.Edit { return path.Edit{Op: "set", Frame: f, Values: v} }
	straight := func(axis string) path.Edit { return path.Edit{Op: "kind", Axis: axis, Kind: "linear"} }
	c := j.Changes(move(set(0, map[string]float64{"roll": 0, "focus": 150}), set(10, map[string]float64{"roll": 10}),
		straight("roll")), -5, 99)
	if c.From != 1 || len(c.Px) != 10 || len(c.Axes[3]) != 10 {
		t.Fatalf("from %d, %d frames", c.From, len(c.Px))
	}
	turn := 2 * math.Sin(0.5*math.Pi/180) * j.Lens.DiagonalPx() / 2
	for i, px := range c.Px {
		if c.Axes[3][i] != 1 || c.Axes[0][i] != 0 || px[0] > 0.01 {
			t.Errorf("frame %d: %v %v", c.From+i, c.Axes, px)
		}
		for k := 1; k < 5; k++ {
			if math.Abs(px[k]-turn) > 0.01*turn {
				t.Errorf("frame %d: a corner moves %g px, a degree of roll is %g", c.From+i, px[k], turn)
			}
		}
	}
	c = j.Changes(move(set(0, map[string]float64{"track": 700, "focus": 150}),
		set(10, map[string]float64{"track": 720}), straight("track")), 4, 6)
	if c.From != 4 || len(c.Px) != 3 || c.Axes[0][2] != 2 {
		t.Errorf("part of a move: %+v", c)
	}
	one, _, _ := j.Pixels([]float64{700, 0, 0, 0, 150}, []float64{702, 0, 0, 0, 150})
	if px := c.Px[0][0]; px < 1 || px > one+0.01 {
		t.Errorf("two millimetres move the centre by %g px, no point by more than %g", px, one)
	}
	if c = j.Changes(move(set(0, map[string]float64{"track": 100}), set(9, map[string]float64{"track": 200})), 20,
		30); len(c.Px) != 0 || c.Axes[0] == nil {
		t.Errorf("beyond the move: %+v", c)
	}
	j.Scene.Subject = rig.Vec{0, -50, 0} // behind the camera
	if c = j.Changes(move(set(0, map[string]float64{"track": 100}), set(9, map[string]float64{"track": 200})), 1,
		2); c.Px[0][0] <= 0 || math.Abs(c.Px[0][0]-c.Px[0][4]) > 0.01 {
		t.Errorf("looking away from the subject it is %v", c.Px)
	}
	// Then what is in focus is looked at: twice as far, half as many pixels.
	moves := func(ring float64) float64 {
		c := j.Changes(move(set(0, map[string]float64{"track": 700, "focus": ring}),
			set(10, map[string]float64{"track": 720}), straight("track")), 1, 1)
		d := j.scale.Distance(ring)
		return c.Px[0][0] * (d - j.focused([]float64{700, 0, 0, 0, ring}).PupilM) /
			j.focused([]float64{700, 0, 0, 0, ring}).ViewMM()
	}
	if near, far := moves(60), moves(200); near <= 0 || math.Abs(near-far) > 0.002*near {
		t.Errorf("in focus near by %g, far away %g", near, far)
	}
	// Turned past it from one frame to the next, a point is not in the picture's half any more.
	c = j.Changes(move(set(0, map[string]float64{"pan": -80}), set(1, map[string]float64{"pan": 80})), 1, 1)
	if c.Px[0] != [5]float64{-1, -1, -1, -1, -1} {
		t.Errorf("turned by 160° it changes by %v", c.Px)
	}
}
