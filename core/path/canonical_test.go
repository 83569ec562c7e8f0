package path

import (
	"crypto/sha256"
	"encoding/hex"
	"math"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
)

// The path of docs/seal.md: its digest was worked out by another program from the
// description alone.
func TestCanonicalVector(t *testing.T) {
	hash := SamplesHash([]float64{1.5, math.Copysign(0, -1), 2.25})
	if hash != "619d827a7502297a26d94d473017628cb7805e269d74b880a5792b3291fdd2b5" {
		t.Errorf("samples %s", hash)
	}
	p := &Path{Rate: clock.Rate{Num: 24000, Den: 1001}, Factor: clock.Rate{Num: 5, Den: 1}, RunUp: 8,
		Base: map[string]float64{"m/track": 750, "m/pan": math.Copysign(0, -1)}, Tracks: []Track{
			{Axis: "m/track", Kind: curve.Smooth, Record: &Record{Samples: hash, Count: 3, First: -4, Step: 0.24}},
			{Axis: "m/pan", Kind: curve.Linear, Blend: 2.5, Keys: []Key{{Frame: 0, Value: 10}, {Frame: 12, Value: -5},
				{Frame: 24.5, Value: 0}}, Segments: map[int]curve.Kind{1: curve.Hold, 0: curve.Smooth}},
		}}
	b := p.Canonical()
	if sum := sha256.Sum256(b); len(b) != 409 || hex.EncodeToString(sum[:]) !=
		"97cdee6b4a179ebceba7ff883e2b8dec7003dea0894a8c3b3f42adae64c02c9e" || sum != p.Digest() {
		t.Errorf("%d bytes, %x", len(b), sum)
	}
	// Everything but the clock it is checked on counts.
	base, seen := p.Digest(), map[[32]byte]string{}
	for name, change := range map[string]func(*Path){
		"rate": func(q *Path) { q.Rate.Den++ }, "run-up": func(q *Path) { q.RunUp++ }, "run-out": func(q *Path) {
			q.RunOut++
		},
		"axis": func(q *Path) { q.Tracks[0].Axis = "n/track" }, "kind": func(q *Path) {
			q.Tracks[1].Kind = curve.Hold
		}, "ends": func(q *Path) { q.Tracks[1].Ends = curve.Shape },
		"blend": func(q *Path) { q.Tracks[1].Blend = 2 }, "frame": func(q *Path) {
			q.Tracks[1].Keys[2].Frame = 25
		}, "value": func(q *Path) { q.Tracks[1].Keys[2].Value = 1e-300 },
		"override": func(q *Path) { q.Tracks[1].Segments[1] = curve.Linear }, "base": func(q *Path) {
			q.Base["m/pan"] = 1
		}, "another base": func(q *Path) { q.Base["m/roll"] = 0 },
		"samples": func(q *Path) { q.Tracks[0].Record.Samples = base64Zeros }, "count": func(q *Path) {
			q.Tracks[0].Record.Count++
		}, "first": func(q *Path) { q.Tracks[0].Record.First++ },
		"tension": func(q *Path) { q.Tracks[1].Keys[1].Tension = 0.5 }, "continuity": func(q *Path) {
			q.Tracks[1].Keys[1].Continuity = 0.5
		}, "bias": func(q *Path) { q.Tracks[1].Keys[1].Bias = 0.5 },
		"slope": func(q *Path) { q.Tracks[1].Keys[1].Slope = 0.5 }, "acceleration": func(q *Path) {
			q.Tracks[1].Keys[1].Acceleration = 0.5
		},
		"handle behind": func(q *Path) { q.Tracks[1].Keys[1].In[1] = 0.5 }, "handle ahead": func(q *Path) {
			q.Tracks[1].Keys[1].Out[0] = 0.5
		},
		"ramp": func(q *Path) { q.Tracks[1].Ramp = &curve.Ramp{} }, "law": func(q *Path) {
			q.Tracks[1].Ramp = &curve.Ramp{Law: curve.Sine}
		}, "out": func(q *Path) { q.Tracks[1].Ramp = &curve.Ramp{Out: 3} },
		"leg": func(q *Path) { q.Tracks[1].Ramps = map[int]curve.Ramp{0: {In: 3}} }, "other leg": func(q *Path) {
			q.Tracks[1].Ramps = map[int]curve.Ramp{1: {In: 3}}
		}, "jerk": func(q *Path) { q.Tracks[1].Ramps = map[int]curve.Ramp{1: {In: 3, Jerk: 2}} },
		"tolerance": func(q *Path) { q.Tracks[0].Record.Tolerance = 0.1 }, "another tolerance": func(q *Path) {
			q.Tracks[0].Record.Tolerance = 0.2
		},
		"step": func(q *Path) { q.Tracks[0].Record.Step *= 2 }, "no record": func(q *Path) { q.Tracks[0].Record = nil },
	} {
		q := p.Clone()
		change(q)
		if other, ok := seen[q.Digest()]; ok || q.Digest() == base || p.Digest() != base {
			t.Errorf("%s does not count, or as %s", name, other)
		}
		seen[q.Digest()] = name
	}
	q := p.Clone()
	q.Factor.Num, q.Tracks = 1, []Track{q.Tracks[1], q.Tracks[0]}
	if q.Digest() != base {
		t.Error("the clock counts, or the order of the tracks")
	}
}

// The second vector of docs/seal.md: shapes of keyframes and ramps.
func TestCanonicalVectorOfShapes(t *testing.T) {
	p := &Path{Rate: clock.Rate{Num: 25, Den: 1}, Factor: clock.Rate{Num: 1, Den: 1}, Base: map[string]float64{},
		Tracks: []Track{
			{Axis: "m/pan", Kind: curve.TCB, Ends: curve.Secant, Ramp: &curve.Ramp{Law: curve.Sine, In: 2, Out: 3},
				Segments: map[int]curve.Kind{1: curve.Ramped},
				Ramps:    map[int]curve.Ramp{1: {Law: curve.SCurve, In: 4, Out: 4.5, Jerk: 0.25}},
				Keys: []Key{{Frame: 0, Value: 1},
					{Frame: 10, Value: 2, Bend: curve.Bend{Tension: 0.5, Continuity: -0.25, Bias: 1, Slope: 2,
						Acceleration: -3, In: [2]float64{-4, 5}, Out: [2]float64{6, -7}}}, {Frame: 20, Value: 3}}},
		}}
	if d, b := p.Digest(), p.Canonical(); len(b) != shapesLength || hex.EncodeToString(d[:]) != shapesDigest {
		t.Errorf("%d bytes, %x", len(b), d)
	}
}

// Worked out by another program from the description alone.
const (
	shapesLength = 516
	shapesDigest = "ce1fa2f2d977e5de57c202f522fa69e37e7bbdbabce663f3e0c7e75eb10c2bb0"
)

const base64Zeros = "0000000000000000000000000000000000000000000000000000000000000000"

// An axis that follows samples goes through every one of them, moves with the room
// that is given, and takes no keyframes.
func TestRecord(t *testing.T) {
	r := fixture.Slider()
	v := make([]float64, 201)
	for i := range v {
		v[i] = 700 + 200*math.Sin(float64(i)/30)
	}
	rec := &Record{Samples: SamplesHash(v), Count: len(v), First: 10, Step: 0.24, Values: NewValues(v)}
	p, err := New(r, clock.Rate{Num: 24, Den: 1}, nil).Apply(r, Edit{Op: "record", Axis: "track", Record: rec})
	if err != nil {
		t.Fatal(err)
	}
	m, err := Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	if m.First != 10 || m.Last != 58 {
		t.Errorf("pictures [%d, %d)", m.First, m.Last)
	}
	for i, want := range v {
		if got := m.Curves[0].At(10 + float64(i)*0.24).P; math.Abs(got-want) > 1e-9 {
			t.Fatalf("sample %d: %g, want %g", i, got, want)
		}
	}
	q, err := p.Apply(r, Edit{Op: "room", Frame: 5, Frames: 100})
	if err != nil || q.Track("track").Record.First != 110 || p.Track("track").Record.First != 10 {
		t.Errorf("room: %+v, %v", q.Track("track").Record, err)
	}
	if q, err = p.Apply(r, Edit{Op: "room", Frame: 10, Frames: 100}); err != nil ||
		q.Track("track").Record.First != 10 {
		t.Errorf("room behind its start: %v", err)
	}
	if _, err := p.Apply(r, set(20, map[string]float64{"track": 500})); err == nil || !strings.Contains(err.Error(),
		"hand-made take") {
		t.Errorf("a keyframe on it: %v", err)
	}
	for _, e := range []Edit{{Op: "span", Axis: "track", To: 9, Pair: &[2]float64{100, 200}},
		{Op: "paste", Tracks: []Track{{Axis: "track", Keys: []Key{{Frame: 20, Value: 500}}}}}} {
		if _, err := p.Apply(r, e); err == nil || !strings.Contains(err.Error(), "hand-made take") {
			t.Errorf("%s in its place: %v", e.Op, err)
		}
	}
	both := Track{Axis: "track", Kind: curve.Smooth, Record: rec, Keys: []Key{{Frame: 1, Value: 100}}}
	if _, err := p.Apply(r, Edit{Op: "replace", Tracks: []Track{both}}); err == nil {
		t.Error("a record with keyframes: accepted")
	}
	if q, err = p.Apply(r, Edit{Op: "record", Axis: "track"}); err != nil || q.Track("track").Record != nil {
		t.Errorf("taken out: %v", err)
	}
	if p.Clone().Track("track").Record == p.Track("track").Record {
		t.Error("a clone shares its record")
	}
	bare := *rec
	bare.Values = nil
	b, err := p.Apply(r, Edit{Op: "record", Axis: "track", Record: &bare})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := Compile(b, r); err == nil || !strings.Contains(err.Error(), "samples are not here") {
		t.Errorf("without its samples: %v", err)
	}
	for want, spoil := range map[string]func(*Record){
		"have no name": func(r *Record) { r.Samples = "x" }, "1 samples": func(r *Record) {
			r.Count = 1
		}, "1080001 samples": func(r *Record) { r.Count = MostSamples + 1 },
		"0 frames between": func(r *Record) { r.Step = 0 }, "1001 frames between": func(r *Record) {
			r.Step = 1001
		}, "NaN frames": func(r *Record) { r.Step = math.NaN() },
		"longest move": func(r *Record) { r.First = MaxFrames - 47 }, "longest move;": func(r *Record) {
			r.First = -MaxFrames - 1
		},
		"runs from 10 to": func(r *Record) { r.Values = NewValues(append([]float64{10}, v[1:]...)) },
		"to 1481 mm":      func(r *Record) { r.Values = NewValues(append([]float64{1481}, v[1:]...)) },
	} {
		c := *rec
		spoil(&c)
		if _, err := p.Apply(r, Edit{Op: "record", Axis: "track", Record: &c}); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	if _, err := p.Apply(r, Edit{Op: "record", Axis: "boom", Record: rec}); err == nil {
		t.Error("an axis that is not there: accepted")
	}
	e := Edit{Op: "record", Axis: "track", Record: rec}
	if e.Words() != "track follows 201 samples" || (Edit{Op: "record", Axis: "m/track"}).Words() !=
		"record taken out on track" {
		t.Errorf("%q", e.Words())
	}
	if !e.Undisturbed(p, p) || e.Undisturbed(p, b.Clone()) == false || e.Undisturbed(p, q) ||
		(Edit{Op: "room", Frame: 1, Frames: 2}).Undisturbed(p, q) {
		t.Error("what disturbs a record")
	}
}

// Axes are named as briefly as is clear, and kept under their whole names.
func TestNamed(t *testing.T) {
	r, err := joined(t, 1)
	p := New(r, clock.Rate{Num: 24, Den: 1}, nil)
	q, err2 := p.Apply(r, set(0, map[string]float64{"track": 500, "m1/pan": 3}))
	if err != nil || err2 != nil || q.Track("m1/track").Keys[0].Value != 500 || q.Track("m1/pan").Keys[0].Value != 3 {
		t.Fatalf("%v, %v", err, err2)
	}
	if q, err = q.Apply(r, Edit{Op: "move", Axis: "track", Frame: 0, To: 9,
		Values: map[string]float64{"track": 600}}); err != nil || q.Track("m1/track").Keys[0] !=
		(Key{Frame: 9, Value: 600}) {
		t.Errorf("moved: %v", err)
	}
	if e := (Edit{Op: "replace",
		Tracks: []Track{{Axis: "pan", Kind: curve.Smooth, Keys: []Key{{Frame: 1, Value: 1}}}}}).Named(
		r); e.Tracks[0].Axis != "m1/pan" {
		t.Errorf("%+v", e)
	}
	if _, err := q.Apply(r, set(0, map[string]float64{"boom": 1})); err == nil {
		t.Error("an axis that is not there: accepted")
	}
	if got := AxisList(r); got != "track, pan, tilt, roll or focus" {
		t.Error(got)
	}
	two, err := joined(t, 2)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := New(two, clock.Rate{Num: 24, Den: 1}, nil).Apply(two,
		set(0, map[string]float64{"track": 500})); err == nil {
		t.Error("one of two axes, not said which: accepted")
	}
	if got := AxisList(two); !strings.HasPrefix(got, "m1/track, m1/pan") {
		t.Error(got)
	}
}

// With a tolerance an axis passes its samples within it, more smoothly than through them, and
// another tolerance is another path.
func TestRecordWithinTolerance(t *testing.T) {
	r := fixture.Slider()
	v := make([]float64, 300)
	for i := range v {
		v[i] = 400 + 200*math.Sin(float64(i)/50) + 0.4*float64(i%2)
	}
	values := NewValues(v)
	base := New(r, clock.Rate{Num: 24, Den: 1}, nil)
	rough := map[float64]float64{}
	for _, tolerance := range []float64{0, 0.5, 2, 0.5} {
		p, err := base.Apply(r, Edit{Op: "record", Axis: "track", Record: &Record{Samples: SamplesHash(v),
			Count: len(v), Step: 0.24, Tolerance: tolerance, Values: values}})
		if err != nil {
			t.Fatal(err)
		}
		m, err := Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		for i, want := range v {
			if d := math.Abs(m.Curves[0].At(float64(i)*0.24).P - want); d > tolerance+1e-9 {
				t.Fatalf("within %g sample %d is passed at %g", tolerance, i, d)
			}
		}
		a, _ := m.Curves[0].MaxAbs(2)
		if was, ok := rough[tolerance]; ok && was != a {
			t.Errorf("within %g again it is another curve", tolerance)
		}
		rough[tolerance] = a
	}
	if !(rough[2] < rough[0]/5 && rough[0.5] < rough[0]/5) {
		t.Errorf("accelerations by tolerance: %v", rough)
	}
	for _, bad := range []float64{-1, 1e9, math.NaN()} {
		if _, err := base.Apply(r, Edit{Op: "record", Axis: "track", Record: &Record{Samples: SamplesHash(v),
			Count: len(v), Step: 0.24, Tolerance: bad, Values: values}}); err == nil {
			t.Errorf("a tolerance of %g is taken", bad)
		}
	}
}

// A factor is kept in lowest terms, whoever gives it: a path at 500/1000 is the one at 1/2.
func TestFactorsInLowestTerms(t *testing.T) {
	p, r := plan(t, set(0, map[string]float64{"pan": 0}), set(48, map[string]float64{"pan": 20}))
	var digests [][32]byte
	for _, e := range []Edit{{Op: "factor", Factor: &clock.Rate{Num: 1, Den: 2}},
		{Op: "factor", Factor: &clock.Rate{Num: 500, Den: 1000}}, {Op: "factor", Clock: "0.5"}} {
		q, err := p.Apply(r, e)
		if err != nil {
			t.Fatal(err)
		}
		digests = append(digests, q.Digest())
	}
	if digests[0] != digests[1] || digests[0] != digests[2] {
		t.Errorf("%x", digests)
	}
}
