package store

import (
	"context"
	"encoding/json"
	"errors"
	"strconv"
	"strings"
	"sync"
	"testing"

	"keenarc/core/amend"
	"keenarc/journal"
)

type slip struct{ Text string }

// Sheets of the place: every change is a row, what is refused
// changes nothing, and changes are taken back one after another, but not another day's.
func TestSites(t *testing.T) {
	s, shot, ctx := db, shot(t, "SL-SITES").ID, context.Background()
	put := func(day, text string) error {
		return ChangeSite(ctx, s, journal.Itself, shot, "ground", func(x *slip) (string, error) {
			if text == "" {
				return "", errors.New("no")
			}
			x.Text += text
			return day, nil
		})
	}
	want := func(text string, revision int64) {
		t.Helper()
		r, err := Site[slip](ctx, s, shot, "ground")
		if err != nil || r == nil || r.Doc.Text != text || r.Revision != revision || r.By.Name != journal.Itself.Name {
			t.Errorf("%+v, %v; want %q at %d", r, err, text, revision)
		}
	}
	if r, err := Site[slip](ctx, s, shot, "ground"); r != nil || err != nil {
		t.Errorf("%+v, %v", r, err)
	}
	if err := put("", "a"); err != nil {
		t.Fatal(err)
	}
	if err := put("", "b"); err != nil {
		t.Fatal(err)
	}
	if err := put("", ""); err == nil {
		t.Error("refused, and yet")
	}
	want("ab", 2)
	back := func() error { return BackSite(ctx, s, journal.Itself, shot, "ground") }
	if err := back(); err != nil {
		t.Fatal(err)
	}
	want("a", 3)
	if err := back(); !errors.Is(err, ErrNotFound) {
		t.Errorf("nothing before: %v", err)
	}
	for _, x := range []string{"c", "d"} {
		if err := put("", x); err != nil {
			t.Fatal(err)
		}
	}
	want("acd", 5)
	for i, text := range []string{"ac", "a"} {
		if err := back(); err != nil {
			t.Fatal(err)
		}
		want(text, int64(6+i))
	}
	if err := put("2026-03-04", "e"); err != nil {
		t.Fatal(err)
	}
	if err := back(); !errors.Is(err, ErrNotFound) {
		t.Errorf("another day's: %v", err)
	}
	days, err := SiteDays[slip](ctx, s, shot, "ground", "2026-03-05")
	if err != nil || len(days) != 1 || days[0].Text != "ae" {
		t.Errorf("%+v, %v", days, err)
	}
	if days, err := SiteDays[slip](ctx, s, shot, "ground", "2026-03-04"); err != nil || len(days) != 0 {
		t.Errorf("its own day: %+v, %v", days, err)
	}
	if err := ChangeSite(ctx, s, journal.Itself, journal.NewID(), "ground", func(*slip) (string, error) {
		return "", nil
	}); !errors.Is(err, ErrNotFound) {
		t.Errorf("no shot: %v", err)
	}
}

type slips struct {
	Text  string `json:"text,omitempty"`
	Other string `json:"other,omitempty"`
}

// A field is changed if it is as it was seen; who changed it meanwhile is said, and what others
// did to other fields stays.
func TestAmendSite(t *testing.T) {
	shot, ctx := shot(t, "SL-AMEND").ID, context.Background()
	amends := func(who string, seen int64, field, is string) error {
		c := []amend.Field{{At: []string{field}, Is: json.RawMessage(strconv.Quote(is)), Seen: seen}}
		return AmendSite(ctx, db, person(who), shot, "ground", &slips{Text: "begun"}, c,
			func(x *slips) (string, error) {
				if x.Text == "bad" {
					return "", errors.New("no")
				}
				return "", nil
			})
	}
	steps := []struct {
		who       string
		seen      int64
		field, is string
		says      string
	}{
		{"ann", 0, "other", "a1", ""},
		{"ben", 0, "text", "b1", ""},
		{"ann", 1, "other", "a2", ""},
		{"ben", 2, "other", "b2", "other: ann made it \"a2\" in the meantime"},
		{"ben", 3, "other", "b3", ""},
		{"ann", 1, "text", "a3", "text: ben made it \"b1\" in the meantime"},
		{"ann", 4, "text", "bad", "no"},
		{"ann", 9, "text", "a4", "text: ben made it"},
		{"ann", 4, "text", "a5", ""},
	}
	for i, s := range steps {
		err := amends(s.who, s.seen, s.field, s.is)
		if s.says == "" && err != nil || s.says != "" && (err == nil || !strings.Contains(err.Error(), s.says)) {
			t.Fatalf("step %d: %v; it is to say %q", i, err, s.says)
		}
	}
	r, err := Site[slips](ctx, db, shot, "ground")
	if err != nil || *r.Doc != (slips{"a5", "b3"}) || r.Revision != 5 {
		t.Fatalf("%+v, %v", r, err)
	}
	none := func(*slips) (string, error) { return "", nil }
	if err := AmendSite(ctx, db, person("ann"), shot, "order", nil, nil, none); !errors.Is(err, ErrNotFound) {
		t.Errorf("what is not begun: %v", err)
	}
}

// Two that amend at once are one after the other; neither's field is lost.
func TestAmendSiteAtOnce(t *testing.T) {
	shot, ctx := shot(t, "SL-AT-ONCE").ID, context.Background()
	var g sync.WaitGroup
	for n := range 8 {
		g.Go(func() {
			at := []string{"m" + strconv.Itoa(n)}
			for k := range 5 {
				c := []amend.Field{{At: at, Is: json.RawMessage(strconv.Itoa(k)), Seen: 0}}
				if k > 0 {
					row, err := Site[map[string]int](ctx, db, shot, "ground")
					if err != nil {
						t.Error(err)
						return
					}
					c[0].Seen = row.Revision
				}
				if err := AmendSite(ctx, db, person("ann"), shot, "ground", &map[string]int{}, c,
					func(*map[string]int) (string, error) { return "", nil }); err != nil {
					t.Error(err)
				}
			}
		})
	}
	g.Wait()
	r, err := Site[map[string]int](ctx, db, shot, "ground")
	if err != nil || len(*r.Doc) != 8 || r.Revision != 40 {
		t.Fatalf("%+v, %v", r, err)
	}
	for k, v := range *r.Doc {
		if v != 4 {
			t.Errorf("%s is %d", k, v)
		}
	}
}
