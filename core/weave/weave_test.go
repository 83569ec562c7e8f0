package weave

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"strconv"
	"strings"
	"testing"
)

// scheme is 12 frames on twos, the last four on ones: two layers together, one apart
// over the first six.
func scheme() *Scheme {
	return &Scheme{First: 0, Last: 12, Holds: []Hold{{0, 2}, {8, 1}}, AskM: 0.02, Share: 0.2, Layers: []Layer{
		{ID: "b", Name: "beauty", Puppet: true, To: 12, MS: 500},
		{ID: "r", Name: "rim", Puppet: true, To: 12, MS: 500},
		{ID: "c", Name: "clean", Apart: true, To: 6, MS: 500},
	}}
}

func TestHolds(t *testing.T) {
	s := scheme()
	if got := s.Frames(); !reflect.DeepEqual(got, []int{0, 2, 4, 6, 8, 9, 10, 11}) {
		t.Errorf("frames %v", got)
	}
	for f, want := range map[int]int{0: 0, 1: 0, 7: 6, 8: 8, 9: 9, 11: 11, -3: -3} {
		if got := s.Base(f); got != want {
			t.Errorf("the picture at %d is that of %d, want %d", f, got, want)
		}
	}
	s.Holds = []Hold{{0, 2}, {7, 3}}
	for f, want := range map[int]int{6: 6, 7: 7, 8: 7, 9: 7, 10: 10, 11: 10} {
		if got := s.Base(f); got != want {
			t.Errorf("on threes from 7 the picture at %d is that of %d, want %d", f, got, want)
		}
	}
}

func TestSchemeRefuses(t *testing.T) {
	if err := scheme().Check(); err != nil {
		t.Fatal(err)
	}
	for name, x := range map[string]struct {
		break_ func(*Scheme)
		field  string
	}{
		"upside down": {func(s *Scheme) { s.Last = 0 }, "last"},
		"from the least": {func(s *Scheme) {
			s.First, s.Last, s.Holds[0].From = math.MinInt, math.MaxInt, math.MinInt
		}, "first"},
		"to the most": {func(s *Scheme) { s.Last = math.MaxInt }, "last"},
		"far away":    {func(s *Scheme) { s.First, s.Last = MostFrame+1, MostFrame+3 }, "first"},
		"many lamps": {func(s *Scheme) {
			s.Layers[0].Lamps = map[string]float64{}
			for n := range MostLamps + 1 {
				s.Layers[0].Lamps[strconv.Itoa(n)] = 1
			}
		}, "layers"},
		"too long":       {func(s *Scheme) { s.Last = MostFrames + 1 }, "last"},
		"asks never":     {func(s *Scheme) { s.AskM = 11 }, "ask_m"},
		"asks always":    {func(s *Scheme) { s.AskM = 0.0009 }, "ask_m"},
		"no number":      {func(s *Scheme) { s.AskM = nan() }, "ask_m"},
		"too fast":       {func(s *Scheme) { s.Share = 0.51 }, "speed_share"},
		"too slow":       {func(s *Scheme) { s.Share = 0.009 }, "speed_share"},
		"no hold":        {func(s *Scheme) { s.Holds = nil }, "holds"},
		"late hold":      {func(s *Scheme) { s.Holds[0].From = 1 }, "holds"},
		"every nothing":  {func(s *Scheme) { s.Holds[1].Every = 0 }, "holds"},
		"every 25":       {func(s *Scheme) { s.Holds[1].Every = 25 }, "holds"},
		"twice":          {func(s *Scheme) { s.Holds[1].From = 0 }, "holds"},
		"hold outside":   {func(s *Scheme) { s.Holds[1].From = 12 }, "holds"},
		"no layer":       {func(s *Scheme) { s.Layers = nil }, "layers"},
		"many layers":    {func(s *Scheme) { s.Layers = make([]Layer, MostLayers+1) }, "layers"},
		"many cells":     {func(s *Scheme) { s.Last, s.Layers = MostCells/10+1, make([]Layer, 10) }, "layers"},
		"no id":          {func(s *Scheme) { s.Layers[1].ID = "" }, "layers"},
		"same id":        {func(s *Scheme) { s.Layers[1].ID = "b" }, "layers"},
		"same name":      {func(s *Scheme) { s.Layers[1].Name = "beauty" }, "layers"},
		"no name":        {func(s *Scheme) { s.Layers[1].Name = "" }, "layers"},
		"long name":      {func(s *Scheme) { s.Layers[1].Name = strings.Repeat("x", 41) }, "layers"},
		"before":         {func(s *Scheme) { s.Layers[2].From = -1 }, "layers"},
		"behind":         {func(s *Scheme) { s.Layers[2].To = 13 }, "layers"},
		"empty":          {func(s *Scheme) { s.Layers[2].From = 6 }, "layers"},
		"no time":        {func(s *Scheme) { s.Layers[2].MS = 0 }, "layers"},
		"a long time":    {func(s *Scheme) { s.Layers[2].MS = MostMS + 1 }, "layers"},
		"bright":         {func(s *Scheme) { s.Layers[2].Lamps = map[string]float64{"key": 1.01} }, "layers"},
		"dark":           {func(s *Scheme) { s.Layers[2].Lamps = map[string]float64{"key": -0.01} }, "layers"},
		"unlike a light": {func(s *Scheme) { s.Layers[2].Lamps = map[string]float64{"key": nan()} }, "layers"},
	} {
		s := scheme()
		x.break_(s)
		var e *Error
		if err := s.Check(); !errors.As(err, &e) || e.Field != x.field || e.Want == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
	// The bounds themselves are allowed.
	s := scheme()
	s.Last, s.AskM, s.Share, s.Holds[1].Every, s.Layers[2].MS, s.Layers[1].Name = MostFrames, 10, 0.5, 24, MostMS,
		strings.Repeat("x", 40)
	s.Layers[0].Lamps = map[string]float64{"a": 0, "b": 1}
	if err := s.Check(); err != nil {
		t.Error(err)
	}
	s.AskM, s.Share, s.Layers[2].MS, s.Last = 0.001, 0.01, 1, 4000
	for len(s.Layers) < MostLayers {
		s.Layers = append(s.Layers, Layer{ID: fmt.Sprint(len(s.Layers)), Name: fmt.Sprint(len(s.Layers)), To: 1, MS: 1})
	}
	if err := s.Check(); err != nil {
		t.Error(err)
	}
	s.Layers, s.Last = s.Layers[:10], MostCells/10
	if err := s.Check(); err != nil {
		t.Error(err)
	}
}

func nan() float64 { z := 0.0; return z / z }

func exp(frame int, layer string, number int, fate Fate) Exposure {
	return Exposure{Cell{frame, layer}, fmt.Sprintf("%s%d.%d", layer, frame, number), number, fate}
}

func TestStates(t *testing.T) {
	s := scheme()
	b := Lay(s, []Exposure{
		exp(0, "b", 1, Kept), exp(0, "b", 2, Failed), exp(0, "b", 3, Denied),
		exp(2, "b", 1, Kept), exp(2, "b", 2, Kept),
		exp(4, "b", 1, Asked), exp(6, "b", 1, Kept), exp(6, "b", 2, Uncertain),
		exp(1, "b", 1, Kept), // of a time when it was on ones
		exp(8, "c", 1, Kept), // of a time when the clean plate was longer
		exp(9, "b", 1, Kept), exp(10, "b", 1, Kept),
	}, []Mark{{Cell{9, "b"}, Again, 1}, {Cell{10, "b"}, Again, 0}, {Cell{11, "b"}, Skip, 0}})
	for c, want := range map[Cell]State{
		{0, "b"}: Taken, {2, "b"}: Taken, {4, "b"}: Open, {6, "b"}: Open, {8, "b"}: Empty, {1, "b"}: Taken, {3,
			"b"}: Held, {8, "c"}: Taken, {6, "c"}: Outside,
		{4, "c"}: Empty, {9, "b"}: Redo, {10, "b"}: Taken, {11, "b"}: Stepped, {12, "b"}: Outside, {-2, "b"}: Outside,
		{0, "x"}: Outside, {0, "r"}: Empty,
	} {
		if got := b.At(c); got != want {
			t.Errorf("%v is %s, want %s", c, got, want)
		}
	}
	if e := b.Stands(Cell{2, "b"}); e == nil || e.Number != 2 {
		t.Errorf("of two the last stands: %v", e)
	}
	if e := b.Stands(Cell{0, "b"}); e == nil || e.Number != 1 || b.Count(Cell{0, "b"}) != 3 ||
		b.Count(Cell{0, "r"}) != 0 {
		t.Errorf("what failed stands for nothing: %v", e)
	}
	if b.Stands(Cell{4, "b"}) != nil || b.Unsure(Cell{4, "b"}) == nil || b.Unsure(Cell{0, "b"}) != nil ||
		b.Unsure(Cell{0, "x"}) != nil || b.Stands(Cell{0, "x"}) != nil {
		t.Error("what is open")
	}
	if got := b.Open(); !reflect.DeepEqual(got, []Cell{{4, "b"}, {6, "b"}}) {
		t.Errorf("open: %v", got)
	}
	many := Lay(s, []Exposure{exp(4, "r", 1, Asked), exp(9, "b", 1, Uncertain), exp(4, "b", 1, Uncertain),
		exp(0, "r", 1, Asked), exp(4, "c", 1, Asked)}, nil).Open()
	if want := []Cell{{0, "r"}, {4, "b"}, {4, "r"}, {4, "c"}, {9, "b"}}; !reflect.DeepEqual(many, want) {
		t.Errorf("open: %v, want %v", many, want)
	}
	if got := b.Tally("b"); got != (Tally{Cells: 8, Taken: 3, Unsure: 2, Left: 2}) {
		t.Errorf("tally %+v", got)
	}
	if got := b.Tally("x"); got != (Tally{}) {
		t.Errorf("tally of nothing %+v", got)
	}
	// Numbers decide, not the order in which they are known.
	if e := Lay(s, []Exposure{exp(2, "b", 2, Kept), exp(2, "b", 1, Kept)}, nil).Stands(Cell{2, "b"}); e.Number != 2 {
		t.Errorf("exposure %d stands", e.Number)
	}
}

func TestPressAndOrder(t *testing.T) {
	s := scheme()
	empty := Lay(s, nil, nil)
	if got := empty.Press(Cell{4, "b"}); !reflect.DeepEqual(got, []Cell{{4, "b"}, {4, "r"}}) {
		t.Errorf("one press: %v", got)
	}
	if got := empty.Press(Cell{4, "r"}); !reflect.DeepEqual(got, []Cell{{4, "r"}}) {
		t.Errorf("from the second on: %v", got)
	}
	if got := empty.Press(Cell{4, "c"}); !reflect.DeepEqual(got, []Cell{{4, "c"}}) {
		t.Errorf("apart: %v", got)
	}
	if got := empty.Press(Cell{4, "x"}); got != nil {
		t.Errorf("of no layer: %v", got)
	}
	// From beauty at 8 on: to the end, round to the beginning, then the clean plate.
	var list []Exposure
	at := Cell{8, "b"}
	var got []string
	for {
		b := Lay(s, list, nil)
		c, ok := b.From(at)
		if !ok {
			break
		}
		got = append(got, fmt.Sprint(c.Frame, c.Layer))
		list = append(list, exp(c.Frame, c.Layer, 1, Kept))
		at = c
	}
	want := "8b 8r 9b 9r 10b 10r 11b 11r 0b 0r 2b 2r 4b 4r 6b 6r 0c 2c 4c"
	if strings.Join(got, " ") != want {
		t.Errorf("order %s\nwant  %s", strings.Join(got, " "), want)
	}
	// Begun at the second layer of a frame, its first comes last.
	list, at, got = nil, Cell{8, "r"}, nil
	for {
		c, ok := Lay(s, list, nil).From(at)
		if !ok {
			break
		}
		got = append(got, fmt.Sprint(c.Frame, c.Layer))
		list = append(list, exp(c.Frame, c.Layer, 1, Kept))
		at = c
	}
	if want := "8r 9b 9r 10b 10r 11b 11r 0b 0r 2b 2r 4b 4r 6b 6r 8b 0c 2c 4c"; strings.Join(got, " ") != want {
		t.Errorf("order %s\nwant  %s", strings.Join(got, " "), want)
	}
	// What stands before the cell at its own frame comes before what is taken apart.
	var others []Exposure
	for _, f := range []int{0, 2, 4, 6, 9, 10, 11} {
		others = append(others, exp(f, "b", 1, Kept), exp(f, "r", 1, Kept))
	}
	if c, _ := Lay(scheme(), append(others, exp(8, "r", 1, Kept)), nil).From(Cell{8, "r"}); c != (Cell{8, "b"}) {
		t.Errorf("then %v", c)
	}
	s.Layers[1].Struck = true
	if got := Lay(s, nil, nil).Press(Cell{4, "b"}); !reflect.DeepEqual(got, []Cell{{4, "b"}}) {
		t.Errorf("a struck layer is exposed: %v", got)
	}
	if got := Lay(s, nil, nil).Tally("r"); got.Left != 0 || got.Cells != 8 {
		t.Errorf("a struck layer has %+v left", got)
	}
	if got := Lay(s, nil, nil).Together(Cell{4, "b"}); !reflect.DeepEqual(got, []Cell{{4, "b"}}) {
		t.Errorf("together %v", got)
	}
	s.Layers[1].From = 4
	s.Layers[1].Struck = false
	if got := Lay(s, nil, nil).Press(Cell{2, "b"}); len(got) != 1 {
		t.Errorf("before its first frame: %v", got)
	}
	if got := Lay(s, nil, nil).Together(Cell{4, "r"}); len(got) != 2 {
		t.Errorf("at its first frame: %v", got)
	}
}

func TestLost(t *testing.T) {
	b := Lay(scheme(), []Exposure{exp(2, "b", 1, Kept), exp(4, "b", 1, Kept), exp(4, "r", 1, Failed),
		exp(10, "b", 1, Kept), exp(0, "r", 1, Kept)}, nil)
	next := scheme()
	if got := b.Lost(next); len(got) != 0 {
		t.Errorf("nothing changes and %v is lost", got)
	}
	next.Holds = []Hold{{0, 4}}
	if got := b.Lost(next); !reflect.DeepEqual(got, []Cell{{2, "b"}, {10, "b"}}) {
		t.Errorf("on fours %v is lost", got)
	}
	next = scheme()
	next.Layers = next.Layers[:1]
	next.Layers[0].From, next.Layers[0].To = 4, 10
	if got := b.Lost(next); !reflect.DeepEqual(got, []Cell{{0, "r"}, {2, "b"}, {10, "b"}}) {
		t.Errorf("%v is lost", got)
	}
}

func TestCommands(t *testing.T) {
	s := scheme()
	taken := []Exposure{exp(0, "b", 1, Kept), exp(0, "r", 1, Kept), exp(2, "b", 1, Kept), exp(2, "r", 1, Kept)}
	b := Lay(s, taken, nil)
	start := Turn{At: Cell{0, "b"}}
	last := Cell{2, "r"}
	again, err := b.Do(start, Command{Op: OnceMore}, &last)
	if err != nil {
		t.Fatal(err)
	}
	b2 := Lay(s, taken, again.Marks)
	if c, _ := b2.Now(again); c != (Cell{2, "b"}) || !reflect.DeepEqual(b2.Press(c), []Cell{{2, "b"}, {2, "r"}}) ||
		b2.At(Cell{0, "b"}) != Taken {
		t.Errorf("once more: %v, %+v", c, again)
	}
	// Once it is taken anew the wish is fulfilled, and not twice.
	if c, _ := Lay(s, append(taken, exp(2, "b", 2, Kept), exp(2, "r", 2, Kept)), again.Marks).Now(again); c !=
		(Cell{4, "b"}) {
		t.Errorf("afterwards %v", c)
	}
	// One that failed fulfils nothing.
	if c, _ := Lay(s, append(taken, exp(2, "b", 2, Failed)), again.Marks).Now(again); c != (Cell{2, "b"}) {
		t.Errorf("after a failure %v", c)
	}
	over, err := b.Do(start, Command{Op: StepOver}, &last)
	if err != nil {
		t.Fatal(err)
	}
	b3 := Lay(s, taken, over.Marks)
	if c, _ := b3.Now(over); c != (Cell{6, "b"}) || b3.At(Cell{4, "b"}) != Stepped || b3.At(Cell{4, "r"}) != Stepped {
		t.Errorf("stepped over: %v", c)
	}
	// Stepping over what was to be taken once more leaves what stands there.
	kept, err := b2.Do(again, Command{Op: StepOver}, &last)
	if err != nil || Lay(s, taken, kept.Marks).At(Cell{2, "b"}) != Taken || len(kept.Marks) != 0 ||
		len(again.Marks) != 2 {
		t.Errorf("%v, %+v, was %+v", err, kept, again)
	}
	back, err := b3.Do(over, Command{Op: BackTo, Frame: 5, Layer: "r"}, &last)
	if err != nil {
		t.Fatal(err)
	}
	if c, _ := Lay(s, taken, back.Marks).Now(back); c != (Cell{4, "r"}) {
		t.Errorf("back to what was stepped over, at a held frame: %v", c)
	}
	to, err := b3.Do(over, Command{Op: BackTo, Frame: 0, Layer: "r", Again: true}, &last)
	if b := Lay(s, taken, to.Marks); err != nil || b.At(Cell{0, "b"}) != Redo || b.At(Cell{0, "r"}) != Redo ||
		to.At != (Cell{0, "b"}) {
		t.Errorf("once more from the first of the frame: %+v, %v", to, err)
	}
	whole, err := b3.Do(over, Command{Op: BackTo, Frame: 4, Layer: "b", Again: true}, &last)
	if b := Lay(s, taken, whole.Marks); err != nil || b.At(Cell{4, "b"}) != Empty || b.At(Cell{4, "r"}) != Empty {
		t.Errorf("what was stepped over is wanted again: %+v, %v", whole, err)
	}
	look, err := b.Do(start, Command{Op: BackTo, Frame: 0, Layer: "b"}, &last)
	if c, _ := Lay(s, taken, look.Marks).Now(look); err != nil || c != (Cell{4, "b"}) {
		t.Errorf("back to a taken cell without wishing for it: %v, %v", c, err)
	}
	for name, x := range map[string]struct {
		c     Command
		last  *Cell
		field string
	}{
		"nothing exposed": {Command{Op: OnceMore}, nil, "op"},
		"no layer":        {Command{Op: BackTo, Layer: "x"}, &last, "layer"},
		"before":          {Command{Op: BackTo, Frame: -1, Layer: "b"}, &last, "frame"},
		"behind":          {Command{Op: BackTo, Frame: 6, Layer: "c"}, &last, "frame"},
		"unknown":         {Command{Op: "dance"}, &last, "op"},
	} {
		var e *Error
		if _, err := b.Do(start, x.c, x.last); !errors.As(err, &e) || e.Field != x.field {
			t.Errorf("%s: %v", name, err)
		}
	}
	s.Layers[2].Struck = true
	if _, err := b.Do(start, Command{Op: BackTo, Layer: "c"}, &last); err == nil {
		t.Error("back to a struck layer")
	}
	var all []Exposure
	for _, f := range s.Frames() {
		all = append(all, exp(f, "b", 1, Kept), exp(f, "r", 1, Kept))
	}
	if _, err := Lay(s, all, nil).Do(start, Command{Op: StepOver}, &last); err == nil {
		t.Error("stepped over where nothing is left")
	}
}

// Whatever is pressed, in whatever order, every cell ends with a picture, none is exposed
// that nobody wished for, and the walk ends.
func TestEveryCellIsTaken(t *testing.T) {
	for seed := range uint64(200) {
		rng := rand.New(rand.NewPCG(seed, 8))
		s := scheme()
		turn := Turn{At: Cell{0, "b"}}
		var list []Exposure
		numbers := map[Cell]int{}
		wished := map[Cell]int{}
		for steps := 0; ; steps++ {
			b := Lay(s, list, turn.Marks)
			c, ok := b.Now(turn)
			if !ok {
				break
			}
			if steps > 400 {
				t.Fatalf("seed %d: no end", seed)
			}
			if rng.IntN(4) == 0 && steps < 60 {
				ops := []Command{{Op: OnceMore}, {Op: StepOver}, {Op: BackTo, Frame: rng.IntN(12), Layer: "b",
					Again: rng.IntN(2) == 0}, {Op: BackTo, Frame: rng.IntN(6), Layer: "c", Again: true}}
				var last *Cell
				if n := len(list); n > 0 {
					last = &list[n-1].Cell
				}
				if next, err := b.Do(turn, ops[rng.IntN(len(ops))], last); err == nil {
					turn = next
					for _, m := range turn.Marks {
						if m.Wish == Again {
							wished[m.Cell] = max(wished[m.Cell], m.After+1)
						}
					}
				}
				continue
			}
			press := b.Press(c)
			if len(press) == 0 || press[0] != c {
				t.Fatalf("seed %d: a press at %v exposes %v", seed, c, press)
			}
			for _, x := range press {
				fate := []Fate{Kept, Kept, Kept, Failed, Denied}[rng.IntN(5)]
				numbers[x]++
				list = append(list, Exposure{x, "", numbers[x], fate})
			}
		}
		b := Lay(s, list, turn.Marks)
		for _, l := range s.Layers {
			for _, f := range s.Frames() {
				c := Cell{f, l.ID}
				if st := b.At(c); st != Taken && st != Stepped && !(st == Outside && f >= l.To) {
					t.Fatalf("seed %d: %v ends %s", seed, c, st)
				}
			}
		}
		kept := map[Cell]int{}
		for _, e := range list {
			if e.Fate == Kept {
				if kept[e.Cell]++; kept[e.Cell] > 1 && wished[e.Cell] == 0 {
					t.Fatalf("seed %d: %v was exposed again and nobody wished for it", seed, e.Cell)
				}
			}
		}
	}
}

// What is offered in place of a frame without a picture has one.
func TestFramesThatAreOffered(t *testing.T) {
	s := &Scheme{First: 0, Last: 40, Holds: []Hold{{From: 0, Every: 2}}}
	for _, c := range []struct {
		from, to int
		want     string
	}{{11, 20, "give 0012 to 0019"}, {10, 20, "give 0010 to 0019"}, {11, 12, "choose another layer"}} {
		if got := s.has(&Layer{From: c.from, To: c.to}); got != c.want {
			t.Errorf("%d to %d: %q, want %q", c.from, c.to, got, c.want)
		}
	}
}
