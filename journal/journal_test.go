package journal

import (
	"errors"
	"testing"
	"time"

	"github.com/google/uuid"
)

var _ Journal = (*Memory)(nil)

// Takes are numbered under their pass, from one; a take that ends again takes
// its own place.
func TestMemoryKeepsTakes(t *testing.T) {
	m := &Memory{}
	ctx := t.Context()
	takes := []*Take{{ID: "a", PassID: "1"}, {ID: "b", PassID: "1"}, {ID: "c", PassID: "2"}}
	for i, k := range takes {
		if err := m.Begin(ctx, k); err != nil || k.Number != []int{1, 2, 1}[i] {
			t.Errorf("take %s is number %d, %v", k.ID, k.Number, err)
		}
	}
	if _, err := m.Find(ctx, "a"); !errors.Is(err, ErrUnknown) {
		t.Errorf("a take that has not ended is found: %v", err)
	}
	for _, k := range takes {
		if err := m.End(ctx, k, Entry{}); err != nil {
			t.Fatal(err)
		}
	}
	more := &Take{ID: "b", PassID: "1", Rows: 9}
	if err := m.End(ctx, more, Entry{}); err != nil || len(m.Takes) != 3 || m.Takes[1].Rows != 9 {
		t.Errorf("%d takes, %v", len(m.Takes), err)
	}
	if k, err := m.Find(ctx, "b"); err != nil || k.Rows != 9 {
		t.Errorf("%+v, %v", k, err)
	}
	if list, err := m.Unfinished(ctx, "plank"); len(list) != 0 || err != nil {
		t.Errorf("unfinished %v, %v", list, err)
	}
	m.Refuse = errors.New("no")
	if err := m.Begin(ctx, &Take{}); !errors.Is(err, m.Refuse) {
		t.Errorf("begun though it refuses: %v", err)
	}
}

// Entries keep their order and are there once.
func TestMemoryKeepsTheLog(t *testing.T) {
	m := &Memory{}
	a, b := Entry{ID: NewID(), Text: "first", At: time.Now()}, Entry{Text: "second"}
	for _, e := range []Entry{a, b, a, b} {
		if err := m.Log(t.Context(), e); err != nil {
			t.Fatal(err)
		}
	}
	if got := m.Text(); got != "first\nsecond\nsecond\n" {
		t.Errorf("the log says %q", got)
	}
	if m.Entries[1].ID == "" || m.Entries[1].ID == m.Entries[2].ID {
		t.Error("entries without an id get none of their own")
	}
	if m.Aside() != (Aside{}) {
		t.Error("something is set aside")
	}
}

// Ids sort by the time they were made, and no two are the same.
func TestIDs(t *testing.T) {
	last, seen := "", map[string]bool{}
	for range 1000 {
		id := NewID()
		u, err := uuid.Parse(id)
		if err != nil || u.Version() != 7 || seen[id] || id < last {
			t.Fatalf("%s after %s: version %d, %v", id, last, u.Version(), err)
		}
		seen[id], last = true, id
	}
	if got := Label(2, "Clean plate", 3); got != "Pass 2 · Clean plate, take 3" {
		t.Errorf("%q", got)
	}
}
