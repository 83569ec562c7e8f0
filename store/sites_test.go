package store

import (
	"context"
	"errors"
	"testing"

	"keenarc/journal"
)

type slip struct{ Text string }

// Sheets of the place: every change is a row, an older base is refused, what is refused
// changes nothing, and changes are taken back one after another, but not another day's.
func TestSites(t *testing.T) {
	s, shot, ctx := db, shot(t, "SL-SITES").ID, context.Background()
	put := func(base int64, day, text string) error {
		return ChangeSite(ctx, s, journal.Itself, shot, "ground", base, func(x *slip) (string, error) {
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
	if err := put(0, "", "a"); err != nil {
		t.Fatal(err)
	}
	if err := put(0, "", "b"); !errors.Is(err, ErrStale) {
		t.Errorf("an older base: %v", err)
	}
	if err := put(1, "", "b"); err != nil {
		t.Fatal(err)
	}
	if err := put(2, "", ""); err == nil {
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
		if err := put(-1, "", x); err != nil {
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
	if err := put(-1, "2026-03-04", "e"); err != nil {
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
	if err := ChangeSite(ctx, s, journal.Itself, journal.NewID(), "ground", -1, func(*slip) (string, error) { return "", nil }); !errors.Is(err, ErrNotFound) {
		t.Errorf("no shot: %v", err)
	}
}
