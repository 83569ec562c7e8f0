// Package weave is the order of a shoot that is taken frame by frame: frames across,
// exposures down. It says of every cell what it is, which comes next, what one press
// exposes, and what a command makes of it. It knows no camera and no clock of the
// wall: what was exposed is handed to it.
package weave

import (
	"cmp"
	"slices"
)

// Cell is one exposure's place.
type Cell struct {
	Frame int    `json:"frame"`
	Layer string `json:"layer"`
}

// Fate is what became of an exposure.
type Fate string

// Asked: the camera may have been told, nothing is known yet. Kept: its picture is
// here. Uncertain: only a person can say. Denied: a person said that it does not count.
// Failed: there is no picture, for certain.
const (
	Asked     Fate = "asked"
	Kept      Fate = "kept"
	Uncertain Fate = "uncertain"
	Denied    Fate = "denied"
	Failed    Fate = "failed"
)

// Fates are all of them.
var Fates = []Fate{Asked, Kept, Uncertain, Denied, Failed}

// Exposure is one press of the shutter as far as the order of things goes. Number
// counts a cell's exposures from 1.
type Exposure struct {
	Cell
	ID     string `json:"id"`
	Number int    `json:"number"`
	Fate   Fate   `json:"fate" enum:"asked,kept,uncertain,denied,failed"`
}

// Wish is what somebody wants of a cell.
type Wish string

// Again: take it once more. Skip: step over it.
const (
	Again Wish = "again"
	Skip  Wish = "skip"
)

// Mark is a wish that holds until the cell has an exposure with a number above After.
type Mark struct {
	Cell
	Wish  Wish `json:"wish" enum:"again,skip"`
	After int  `json:"after"`
}

// State of a cell.
type State string

// Outside: the layer is not wanted there. Held: an earlier picture stands.
const (
	Outside State = "outside"
	Empty   State = "empty"
	Taken   State = "taken"
	Redo    State = "redo"
	Stepped State = "stepped over"
	Held    State = "held"
	Open    State = "uncertain"
)

// States are all of them.
var States = []State{Outside, Empty, Taken, Redo, Stepped, Held, Open}

// Board is a shoot as it stands.
type Board struct {
	Scheme *Scheme
	frames []int
	cells  map[Cell]*tally
	marks  map[Cell]Mark
}

type tally struct {
	last  int // the highest number
	stand *Exposure
	open  *Exposure
}

// Lay makes a board of what was exposed and wished.
func Lay(s *Scheme, exposures []Exposure, marks []Mark) *Board {
	b := &Board{s, s.Frames(), map[Cell]*tally{}, map[Cell]Mark{}}
	for i := range exposures {
		e := &exposures[i]
		t := b.cells[e.Cell]
		if t == nil {
			t = &tally{}
			b.cells[e.Cell] = t
		}
		t.last = max(t.last, e.Number)
		switch e.Fate {
		case Kept:
			if t.stand == nil || e.Number > t.stand.Number {
				t.stand = e
			}
		case Asked, Uncertain:
			t.open = e
		}
	}
	for _, m := range marks {
		if t := b.cells[m.Cell]; t != nil && t.stand != nil && t.stand.Number > m.After {
			continue // it was taken since
		}
		b.marks[m.Cell] = m
	}
	return b
}

// At is the state of a cell.
func (b *Board) At(c Cell) State {
	l := b.Scheme.Layer(c.Layer)
	t := b.cells[c]
	switch {
	case t != nil && t.open != nil:
		return Open
	case l == nil || c.Frame < l.From || c.Frame >= l.To || c.Frame < b.Scheme.First || c.Frame >= b.Scheme.Last:
		if t != nil && t.stand != nil {
			return Taken // of a scheme that was
		}
		return Outside
	case b.Scheme.Base(c.Frame) != c.Frame:
		if t != nil && t.stand != nil {
			return Taken
		}
		return Held
	}
	switch m := b.marks[c]; {
	case m.Wish == Again:
		return Redo
	case t != nil && t.stand != nil:
		return Taken
	case m.Wish == Skip:
		return Stepped
	}
	return Empty
}

// Stands is the exposure whose picture stands in a cell, or nil.
func (b *Board) Stands(c Cell) *Exposure {
	if t := b.cells[c]; t != nil {
		return t.stand
	}
	return nil
}

// Unsure is the exposure of a cell that only a person can judge, or nil.
func (b *Board) Unsure(c Cell) *Exposure {
	if t := b.cells[c]; t != nil {
		return t.open
	}
	return nil
}

// Count is how many exposures a cell has had.
func (b *Board) Count(c Cell) int {
	if t := b.cells[c]; t != nil {
		return t.last
	}
	return 0
}

// wanted reports whether a cell is to be exposed.
func (b *Board) wanted(c Cell) bool {
	l := b.Scheme.Layer(c.Layer)
	s := b.At(c)
	return l != nil && !l.Struck && (s == Empty || s == Redo) && c.Frame >= l.From && c.Frame < l.To
}

// run is the layers that are taken together with a layer: itself where it is apart,
// else all that are not.
func (b *Board) run(layer string) []Layer {
	l := b.Scheme.Layer(layer)
	if l == nil {
		return nil
	}
	if l.Apart {
		return []Layer{*l}
	}
	var out []Layer
	for _, x := range b.Scheme.Layers {
		if !x.Apart {
			out = append(out, x)
		}
	}
	return out
}

// Press is what one press at a cell exposes: it, and what of its run is wanted after
// it at the same frame, nobody touching the set between.
func (b *Board) Press(at Cell) []Cell {
	var out []Cell
	begun := false
	for _, l := range b.run(at.Layer) {
		begun = begun || l.ID == at.Layer
		if c := (Cell{at.Frame, l.ID}); begun && b.wanted(c) {
			out = append(out, c)
		}
	}
	return out
}

// Together are all cells of a frame that are taken in the same run as a layer.
func (b *Board) Together(at Cell) []Cell {
	var out []Cell
	for _, l := range b.run(at.Layer) {
		if at.Frame >= l.From && at.Frame < l.To && !l.Struck {
			out = append(out, Cell{at.Frame, l.ID})
		}
	}
	return out
}

// From is the first wanted cell at a cell or after it: of its run, frame by frame to
// the end and from the beginning again, then of the others. There may be none.
func (b *Board) From(at Cell) (Cell, bool) {
	runs := [][]Layer{b.run(at.Layer)}
	var together []Layer
	for _, l := range b.Scheme.Layers {
		if l.Apart {
			runs = append(runs, []Layer{l})
		} else {
			together = append(together, l)
		}
	}
	runs = append(runs, together)
	for n, run := range runs {
		begin := at.Frame
		if n > 0 {
			begin = b.Scheme.First
		}
		i, _ := slices.BinarySearch(b.frames, begin)
		for k := range b.frames {
			f := b.frames[(i+k)%len(b.frames)]
			begun := n > 0 || f != at.Frame
			for _, l := range run {
				begun = begun || l.ID == at.Layer
				if c := (Cell{f, l.ID}); begun && b.wanted(c) {
					return c, true
				}
			}
		}
		// What stands before the cell at its own frame comes last.
		for _, l := range run {
			if c := (Cell{at.Frame, l.ID}); n == 0 && b.wanted(c) {
				return c, true
			}
		}
	}
	return Cell{}, false
}

// Tally counts a layer's cells: how many are wanted in all, taken, and still open.
type Tally struct {
	Cells  int `json:"cells"`
	Taken  int `json:"taken"`
	Unsure int `json:"uncertain"`
	Left   int `json:"left"`
}

// Tally of a layer.
func (b *Board) Tally(layer string) Tally {
	var t Tally
	l := b.Scheme.Layer(layer)
	if l == nil {
		return t
	}
	for _, f := range b.frames {
		if f < l.From || f >= l.To {
			continue
		}
		t.Cells++
		switch c := (Cell{f, layer}); b.At(c) {
		case Taken:
			t.Taken++
		case Open:
			t.Unsure++
		case Empty, Redo:
			if !l.Struck {
				t.Left++
			}
		}
	}
	return t
}

// Open are the cells that only a person can judge, by frame and layer.
func (b *Board) Open() []Cell {
	out := []Cell{}
	for c, t := range b.cells {
		if t.open != nil {
			out = append(out, c)
		}
	}
	slices.SortFunc(out, b.before)
	return out
}

// Lost are the pictures of a board that another scheme would have no cell for.
func (b *Board) Lost(next *Scheme) []Cell {
	out := []Cell{}
	for c, t := range b.cells {
		if t.stand == nil {
			continue
		}
		l := next.Layer(c.Layer)
		if l == nil || c.Frame < l.From || c.Frame >= l.To || next.Base(c.Frame) != c.Frame {
			out = append(out, c)
		}
	}
	slices.SortFunc(out, b.before)
	return out
}

// before orders cells by frame, then as the scheme has the layers.
func (b *Board) before(a, c Cell) int {
	at := func(x Cell) int {
		return slices.IndexFunc(b.Scheme.Layers, func(l Layer) bool { return l.ID == x.Layer })
	}
	return cmp.Or(cmp.Compare(a.Frame, c.Frame), cmp.Compare(at(a), at(c)))
}
