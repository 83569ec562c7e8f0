package weave

import (
	"fmt"
	"slices"
)

// Turn is where a shoot stands between exposures: at which cell, with what wishes.
type Turn struct {
	At    Cell   `json:"at"`
	Marks []Mark `json:"marks"`
}

// Command changes where a shoot stands; nothing is exposed by it.
type Command struct {
	Op    string `json:"op" enum:"once more,back to,step over"`
	Frame int    `json:"frame,omitempty"`
	Layer string `json:"layer,omitempty"`
	// Again: what stands there is to be taken once more.
	Again bool `json:"again,omitempty"`
}

// The commands.
const (
	OnceMore = "once more"
	BackTo   = "back to"
	StepOver = "step over"
)

// Now is the cell that comes next where a shoot stands so, if there is one.
func (b *Board) Now(t Turn) (Cell, bool) { return b.From(t.At) }

// Do is where the shoot stands after a command. last is the cell that was exposed
// last, if any was. The error says in a sentence why it cannot be done.
func (b *Board) Do(t Turn, c Command, last *Cell) (Turn, error) {
	out := Turn{t.At, slices.Clone(t.Marks)}
	switch c.Op {
	case OnceMore:
		if last == nil {
			return t, &Error{"op", "nothing was exposed yet", "press N to expose the first cell"}
		}
		out.At = b.again(&out, *last)
	case BackTo:
		l := b.Scheme.Layer(c.Layer)
		at := Cell{b.Scheme.Base(c.Frame), c.Layer}
		switch {
		case l == nil || l.Struck:
			return t, &Error{"layer", fmt.Sprintf("there is no layer %q to expose", c.Layer), "choose one of the weave"}
		case at.Frame < l.From || at.Frame >= l.To:
			return t, &Error{"frame", fmt.Sprintf("%s has no picture for frame %04d", l.Name, c.Frame), b.Scheme.has(l)}
		}
		out.At = at
		if c.Again {
			out.At = b.again(&out, at)
		} else if b.At(at) == Stepped {
			out.unmark(at)
		}
	case StepOver:
		now, ok := b.Now(t)
		if !ok {
			return t, &Error{"op", "there is no cell left to step over", "go back to one"}
		}
		for _, x := range b.Press(now) {
			if b.At(x) == Redo { // what stands there goes on standing
				out.unmark(x)
			} else {
				out.mark(Mark{x, Skip, b.Count(x)})
			}
		}
		out.At = now
	default:
		return t, &Error{"op", fmt.Sprintf("there is no command %q", c.Op), fmt.Sprintf("use %s, %s or %s", OnceMore,
			BackTo, StepOver)}
	}
	return out, nil
}

// again wishes for a frame's cells once more, those of one run together, since what
// lies over each other must have been taken in one pose of the hands. It answers the
// first of them.
func (b *Board) again(t *Turn, at Cell) Cell {
	first := at
	for i, c := range b.Together(at) {
		if i == 0 {
			first = c
		}
		if b.At(c) == Taken || b.At(c) == Redo {
			t.mark(Mark{c, Again, b.Count(c)})
		} else if b.At(c) == Stepped {
			t.unmark(c)
		}
	}
	return first
}

func (t *Turn) mark(m Mark) {
	t.unmark(m.Cell)
	t.Marks = append(t.Marks, m)
}

func (t *Turn) unmark(c Cell) {
	t.Marks = slices.DeleteFunc(t.Marks, func(m Mark) bool { return m.Cell == c })
}
