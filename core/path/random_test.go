package path

import (
	"encoding/json"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

// Random edits, good and bad, by two routes: what Apply accepts is in order,
// compiles, passes through its keyframes and comes back from JSON the same;
// what it refuses leaves the path alone.
func TestRandomEdits(t *testing.T) {
	r := fixture.Slider()
	rng := rand.New(rand.NewPCG(42, 1))
	ops := []string{"set", "set", "set", "base", "move", "delete", "kind", "segment", "shape", "room", "factor", "run",
		"keys", "clear", "paste", "span"}
	p := New(r, clock.Rate{Num: 24, Den: 1}, nil)
	accepted, tries := 0, 2500
	if testing.Short() || os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		tries = 500 // make mutants runs this hundreds of times
	}
	for range tries {
		e := randomEdit(rng, r, ops)
		before := p.Clone()
		q, err := p.Apply(r, e)
		if !reflect.DeepEqual(before, p) {
			t.Fatalf("%+v changed the old path", e)
		}
		if err != nil {
			continue
		}
		accepted++
		check(t, q, r)
		p = q
	}
	if accepted < tries/4 {
		t.Errorf("only %d edits were accepted", accepted)
	}
}

// randomEdit is one of these commands, with all that it may count from, good and bad.
func randomEdit(rng *rand.Rand, r *rig.Rig, ops []string) Edit {
	axis := func() string { return r.Axes[rng.IntN(len(r.Axes))].ID }
	a := r.Axes[rng.IntN(len(r.Axes))]
	e := Edit{Op: ops[rng.IntN(len(ops))], Axis: axis(), Frame: float64(rng.IntN(40) * 10),
		To:     float64(rng.IntN(40) * 10),
		Values: map[string]float64{a.ID: a.Min + (rng.Float64()*1.1-0.05)*(a.Max-a.Min)},
		Kind:   curve.Kinds[rng.IntN(len(curve.Kinds))],
		Index:  rng.IntN(5), Frames: rng.IntN(20) - 5, Factor: &clock.Rate{Num: int64(rng.IntN(5)), Den: 2},
		RunUp: rng.IntN(20), RunOut: rng.IntN(20)}
	switch e.Op {
	case "shape":
		e.Shape = &curve.Bend{Tension: rng.Float64() * 1.1, Continuity: rng.Float64() - 0.5, Slope: rng.NormFloat64(),
			Out: [2]float64{rng.Float64()*8 - 1, 3}}
	case "kind", "segment":
		if rng.IntN(2) == 0 {
			e.Ramp = &TypedRamp{Law: curve.Laws[rng.IntN(4)],
				In: []string{"2", "0.1 s", "500 mm/s²", "x"}[rng.IntN(4)], Out: "3"}
		}
	}
	for range 1 + rng.IntN(3) {
		e.Moves = append(e.Moves, KeyMove{Axis: axis(), Frame: float64(rng.IntN(40) * 10),
			To: float64(rng.IntN(40) * 10)})
		e.Tracks = append(e.Tracks,
			Track{Axis: axis(), Keys: []Key{{Frame: float64(rng.IntN(400)), Value: rng.Float64() * 20}}})
	}
	e.Pair = &[2]float64{rng.Float64() * 20, rng.Float64() * 20}
	return e
}

func check(t *testing.T, p *Path, r *rig.Rig) {
	t.Helper()
	b, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	back := &Path{}
	if err := json.Unmarshal(b, back); err != nil || back.Digest() != p.Digest() {
		t.Fatalf("JSON does not bring the path back: %v", err)
	}
	if _, _, ok := p.Span(); !ok {
		return
	}
	m, err := Compile(p, r)
	if err != nil {
		t.Fatalf("an accepted path does not compile: %v", err)
	}
	for i, a := range r.Axes {
		tr := p.Track(a.ID)
		for n, k := range tr.Keys {
			if own := tr.Segments[n]; own == curve.Ahead || own == "" && tr.Kind == curve.Ahead {
				continue // it is at the next one's
			}
			if got := m.Curves[i].At(k.Frame).P; got-k.Value > 1e-6*(1+abs(k.Value)) ||
				k.Value-got > 1e-6*(1+abs(k.Value)) {
				t.Fatalf("%s at %g is %g, keyframe %g", a.ID, k.Frame, got, k.Value)
			}
		}
		if len(tr.Keys) == 0 && m.Curves[i].At(float64(m.First)).P != p.Base[a.ID] {
			t.Fatalf("%s without keyframes leaves its base pose", a.ID)
		}
		if m.Curves[i].First() != float64(m.Start()) || m.Curves[i].Last() != float64(m.End()) {
			t.Fatalf("%s covers %g to %g of the run %d to %d", a.ID, m.Curves[i].First(), m.Curves[i].Last(),
				m.Start(), m.End())
		}
	}
}

func abs(v float64) float64 {
	if v < 0 {
		return -v
	}
	return v
}

func TestWordsOfEdits(t *testing.T) {
	half := clock.Rate{Num: 1, Den: 2}
	for want, e := range map[string]Edit{
		"pan stored at frame 7":            {Op: "set", Frame: 7, Values: map[string]float64{"pan": 1}},
		"2 axes stored at frame 7.5":       {Op: "set", Frame: 7.5, Values: map[string]float64{"pan": 1, "tilt": 2}},
		"all axes moved from frame 7 to 9": {Op: "move", Frame: 7, To: 9},
		"keyframe at 7 taken out on pan":   {Op: "delete", Frame: 7, Axis: "pan"},
		"pan runs akima":                   {Op: "kind", Axis: "pan", Kind: curve.Akima},
		"8 frames of room after 0":         {Op: "room", Frames: 8},
		"8 frames of room after 4 on pan":  {Op: "room", Axis: "plank/pan", Frame: 4, Frames: 8},
		"2 keyframes moved":                {Op: "keys", Moves: make([]KeyMove, 2)},
		"3 keyframes taken out":            {Op: "clear", Moves: make([]KeyMove, 3)},
		"4 keyframes pasted": {Op: "paste", Tracks: []Track{{Keys: make([]Key, 3)},
			{Keys: make([]Key, 1)}}},
		"pan in one move from frame 4 to 9.5": {Op: "span", Axis: "plank/pan", Frame: 4, To: 9.5},
		"clock × 0.5":                         {Op: "factor", Factor: &half},
		"run-up 9, run-out 0 frames":          {Op: "run", RunUp: 9},
		"keyframes from a file":               {Op: "replace"},
		"undo":                                {Op: "undo"},
		"pan moved from frame 1 to 2":         {Op: "move", Axis: "pan", Frame: 1, To: 2},
		"keyframe at 3 taken out on all axes": {Op: "delete", Frame: 3},
	} {
		if got := e.Words(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// Many keyframes at once come to what they come to one after another.
func TestAddAllIsAddOneByOne(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 27))
	for range 400 {
		one := Track{Axis: "pan", Kind: curve.Smooth}
		for f := range 1 + rng.IntN(6) {
			one.Keys = append(one.Keys, Key{Frame: float64(10 * f), Value: rng.Float64()})
		}
		for i := range len(one.Keys) - 1 {
			if rng.IntN(2) == 0 {
				if one.Segments == nil {
					one.Segments, one.Ramps = map[int]curve.Kind{}, map[int]curve.Ramp{}
				}
				one.Segments[i] = []curve.Kind{curve.Linear, curve.Ramped}[rng.IntN(2)]
				one.Ramps[i] = curve.Ramp{Law: curve.Trapezoid, In: float64(i)}
			}
		}
		all := one
		all.Keys = slices.Clone(one.Keys)
		var more []Key
		for range rng.IntN(8) {
			more = append(more, Key{Frame: float64(rng.IntN(70) - 5), Value: rng.Float64()})
		}
		all.addAll(more)
		one.Keys = slices.Clone(one.Keys)
		for _, k := range more {
			if i := one.find(k.Frame); i >= 0 {
				one.Keys[i] = k
			} else {
				one.add(k)
			}
		}
		if !reflect.DeepEqual(one.Keys, all.Keys) || !reflect.DeepEqual(one.owned(), all.owned()) {
			t.Fatalf("%v\none by one %v %v\nat once %v %v", more, one.Keys, one.owned(), all.Keys, all.owned())
		}
	}
}
