package machine

import (
	"context"
	"testing"

	"keenarc/link"
)

// takes answers each part of a table as the stand-in does.
type takes struct{ told }

func (t *takes) Raw(context.Context, link.Word, func() error) ([]byte, error) {
	return []byte(`{"re":1,"ok":true,"print":"p","tick":50}`), nil
}

// A state that was written before a table was loaded may be sent after that was answered: it does
// not say that the table is gone. A newer one does, and one of a machine that was switched on again.
func TestAnOldStateKeepsTheTable(t *testing.T) {
	for name, c := range map[string]struct {
		then link.State
		want bool
	}{
		"written before":     {link.State{Boot: "b", Tick: 49}, true},
		"in the same tick":   {link.State{Boot: "b", Tick: 50}, true},
		"gone by then":       {link.State{Boot: "b", Tick: 51}, false},
		"still there":        {link.State{Boot: "b", Tick: 51, Print: "p"}, true},
		"another table":      {link.State{Boot: "b", Tick: 51, Print: "q"}, false},
		"switched on again":  {link.State{Boot: "c", Tick: 3}, false},
		"the same, old boot": {link.State{Boot: "b", Tick: 3, Print: "q"}, true},
	} {
		m := &Machine{wanted: make(chan struct{}, 1)}
		r := &takes{}
		m.client = r
		m.event(r, link.Event{State: &link.State{Boot: "b", Tick: 40}})
		if err := m.load(t.Context(), r, &want{print: "p", share: func() []byte { return []byte("a table") }}); err !=
			nil {
			t.Fatal(err)
		}
		m.event(r, link.Event{State: &c.then})
		if got, _ := m.Holds("p"); got != c.want {
			t.Errorf("%s: it holds it %v", name, got)
		}
	}
}
