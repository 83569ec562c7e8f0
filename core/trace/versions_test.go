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
	if x := d.Axes[0]; x.Axis != "s/track" || math.Abs(x.From-20) > 1e-4 || math.Abs(x.To-60) > 1e-4 || math.Abs(x.Most-1) > 1e-9 || x.At != 40 || math.Abs(x.Px-one) > 1e-9 {
		t.Errorf("%+v", x)
	}
	if back := j.Versions(compile(q), compile(p)); math.Abs(back.Axes[0].Most+1) > 1e-9 {
		t.Errorf("the other way round: %+v", back.Axes)
	}
	if same := j.Versions(compile(p), compile(p)); len(same.Axes) != 0 || same.Px != 0 {
		t.Errorf("a version and itself: %+v", same)
	}
	later := apply(p, path.Edit{Op: "whole", Whole: &path.Whole{Do: "shift", Frames: 8}})
	if d := j.Versions(compile(p), compile(later)); d.StartsOff != 8 || d.LongerBy != 0 || len(d.Axes) != 1 || d.Axes[0].From > 1e-3 || d.Axes[0].To < 87.9 {
		t.Errorf("shifted: %+v", d)
	}
	longer := apply(p, path.Edit{Op: "whole", Whole: &path.Whole{Do: "stretch", Factor: 1.5}})
	if d := j.Versions(compile(p), compile(longer)); d.LongerBy != 40 {
		t.Errorf("stretched: %+v", d)
	}
}

// BenchmarkVersions compares two versions of 1,000 frames of five axes with 40 keyframes.
func BenchmarkVersions(b *testing.B) {
	r := fixture.Slider()
	j, err := NewJudge(r, fixture.Camera(), Scene{Subject: rig.Vec{0.75, 1.25, 0.6}, Near: rig.Vec{0.6, 0.9, 0.53}, Far: rig.Vec{0.8, 2.2, 0.8}})
	if err != nil {
		b.Fatal(err)
	}
	var m [2]*path.Motion
	for v := range m {
		p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
		for i := range p.Tracks {
			for k := range 40 {
				p.Tracks[i].Keys = append(p.Tracks[i].Keys, path.Key{Frame: float64(k) * 25.6, Value: (r.Axes[i].Min+r.Axes[i].Max)/2 + math.Sin(float64(k+v*(k%2)))})
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
