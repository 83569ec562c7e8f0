package amend

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"keenarc/core/mistake"
)

type row struct {
	ID    string   `json:"id"`
	Name  string   `json:"name,omitempty"`
	Min   float64  `json:"minutes"`
	After []string `json:"after,omitempty"`
}

type deep struct {
	Low  *float64 `json:"low,omitempty"`
	High *float64 `json:"high,omitempty"`
}

type sheet struct {
	Name  string          `json:"name"`
	Long  int64           `json:"long"`
	Tally []float64       `json:"tally,omitempty"`
	Rows  []row           `json:"rows"`
	Axes  map[string]deep `json:"axes,omitempty"`
	Swing *deep           `json:"swing,omitempty"`
}

func p(v float64) *float64 { return &v }

func begun() *sheet {
	return &sheet{Name: "day", Long: 1<<62 + 1, Tally: []float64{1, 2}, Rows: []row{{ID: "a", Name: "unload", Min: 20},
		{ID: "b", Min: 5, After: []string{"a"}}},
		Axes: map[string]deep{"pan": {Low: p(-10)}}}
}

func change(seen int64, is string, at ...string) Field {
	return Field{At: at, Is: json.RawMessage(is), Seen: seen}
}

func TestChangesOfFields(t *testing.T) {
	was := begun()
	now := begun()
	now.Rows[0].Min, now.Tally = 30, []float64{1, 2, 3}
	seen := func(v int64) (*sheet, error) {
		return map[int64]*sheet{1: was, 2: now}[v], nil
	}
	for _, c := range []struct {
		name    string
		changes []Field
		want    func(*sheet)
		stale   string
		wrong   string
	}{
		{name: "nothing", want: func(*sheet) {}},
		{name: "another field of a thing that was changed",
			changes: []Field{change(1, `"unpack"`, "rows", "a", "name")}, want: func(s *sheet) {
				s.Rows[0].Name = "unpack"
			}},
		{name: "the field that was changed", changes: []Field{change(1, `25`, "rows", "a", "minutes")},
			stale: "minutes of “unload”"},
		{name: "the same, seen as it is", changes: []Field{change(2, `25`, "rows", "a", "minutes")},
			want: func(s *sheet) { s.Rows[0].Min = 25 }},
		{name: "what it is already", changes: []Field{change(1, `3e1`, "rows", "a", "minutes")}, want: func(*sheet) {}},
		{name: "a list is one field", changes: []Field{change(1, `[2]`, "tally")}, stale: "tally"},
		{name: "one of several is not as seen: none is made", changes: []Field{change(1, `"x"`, "name"),
			change(1, `[2]`, "tally")}, stale: "tally"},
		{name: "a thing is put in", changes: []Field{change(1, `{"id":"c","minutes":1}`, "rows", "c")},
			want: func(s *sheet) { s.Rows = append(s.Rows, row{ID: "c", Min: 1}) }},
		{name: "a thing is taken out", changes: []Field{change(1, ``, "rows", "b")}, want: func(s *sheet) {
			s.Rows = s.Rows[:1]
		}},
		{name: "one that was changed is not taken out", changes: []Field{change(1, ``, "rows", "a")},
			stale: "“unload” of rows"},
		{name: "a field of a map", changes: []Field{change(1, `40`, "axes", "pan", "high")}, want: func(s *sheet) {
			s.Axes["pan"] = deep{p(-10), p(40)}
		}},
		{name: "into what is not there yet", changes: []Field{change(1, `3`, "swing", "low"),
			change(1, `4`, "swing", "high")}, want: func(s *sheet) { s.Swing = &deep{p(3), p(4)} }},
		{name: "a member of a map is put in", changes: []Field{change(1, `{"low":1}`, "axes", "tilt")},
			want: func(s *sheet) { s.Axes["tilt"] = deep{Low: p(1)} }},
		{name: "null takes out", changes: []Field{change(1, `null`, "axes", "pan", "low")}, want: func(s *sheet) {
			s.Axes["pan"] = deep{}
		}},
		{name: "a version that nobody knows", changes: []Field{change(7, `"x"`, "name")}, stale: "name"},
		{name: "one field twice: the later counts", changes: []Field{change(1, `"x"`, "name"),
			change(1, `"y"`, "name")}, want: func(s *sheet) { s.Name = "y" }},
		{name: "what a version that nobody knows may have had", changes: []Field{change(7, `3`, "swing", "low")},
			stale: "low of swing"},
		{name: "a member of a map is taken out", changes: []Field{change(1, ``, "axes", "pan")}, want: func(s *sheet) {
			s.Axes = nil
		}},
		{name: "two values", changes: []Field{change(1, `1 2`, "long")}, wrong: "long"},
		{name: "no such field", changes: []Field{change(1, `1`, "nome")}, wrong: "nome"},
		{name: "no such thing", changes: []Field{change(1, `1`, "rows", "z", "minutes")}, wrong: "rows.z"},
		{name: "a name in other letters", changes: []Field{change(1, `"x"`, "Name")}, wrong: "Name"},
		{name: "nor in such as are read alike", changes: []Field{change(1, `[]`, "rowſ")}, wrong: "rowſ"},
		{name: "below a number", changes: []Field{change(1, `1`, "long", "x")}, wrong: "long.x"},
		{name: "another kind of value", changes: []Field{change(1, `"soon"`, "rows", "b", "minutes")},
			wrong: "minutes"},
		{name: "another id", changes: []Field{change(1, `"z"`, "rows", "b", "id")}, wrong: "rows.b.id"},
		{name: "a thing under another id", changes: []Field{change(1, `{"id":"d"}`, "rows", "c")}, wrong: "rows.c"},
		{name: "half a value", changes: []Field{change(1, `{`, "name")}, wrong: "name"},
		{name: "too many", changes: make([]Field, Most+1), wrong: "at most"},
	} {
		t.Run(c.name, func(t *testing.T) {
			before := text(now)
			got, err := Apply(now, seen, c.changes)
			var stale *StaleError
			var wrong *mistake.Error
			switch {
			case c.stale != "":
				if !errors.As(err, &stale) || strings.Join(stale.Called, " of ") != c.stale {
					t.Fatalf("%v; it is to say that %q is not as seen", err, c.stale)
				}
			case c.wrong != "":
				if !errors.As(err, &wrong) || !strings.Contains(err.Error(), c.wrong) {
					t.Fatalf("%v; it is to name %q", err, c.wrong)
				}
			case err != nil:
				t.Fatal(err)
			default:
				want := begun()
				want.Rows[0].Min, want.Tally = 30, []float64{1, 2, 3}
				c.want(want)
				if text(got) != text(want) {
					t.Fatalf("%s, not %s", text(got), text(want))
				}
			}
			if text(now) != before {
				t.Fatal("what was given is written to")
			}
		})
	}
}

// A deletion whose answer was lost is sent once more, and is no error.
func TestOnceMore(t *testing.T) {
	was := begun()
	seen := func(int64) (*sheet, error) { return was, nil }
	for _, c := range [][]Field{{change(1, ``, "rows", "b")}, {change(1, `{"id":"c","minutes":0}`, "rows", "c")},
		{change(1, `""`, "rows", "a", "name")}, {change(1, `5`, "swing", "low")}} {
		once, err := Apply(was, seen, c)
		if err != nil {
			t.Fatal(err)
		}
		twice, err := Apply(once, seen, c)
		if err != nil || text(twice) != text(once) {
			t.Errorf("%v: %s, %v; once it is %s", c, text(twice), err, text(once))
		}
	}
}

// An empty list, null and nothing are the same to whoever reads them.
func TestNothingIsNothing(t *testing.T) {
	was, now := begun(), begun()
	was.Rows, now.Rows = nil, []row{}
	c := []Field{change(1, `{"id":"a","minutes":1}`, "rows", "a"), change(1, `[{"id":"b","minutes":2}]`, "rows")}
	for _, one := range c {
		got, err := Apply(now, func(int64) (*sheet, error) { return was, nil }, []Field{one})
		if err != nil || len(got.Rows) != 1 {
			t.Errorf("%v: %+v, %v", one, got, err)
		}
	}
}

func text(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(b)
}

// flat is a sheet as its fields, each by itself: another way to say what one is.
func flat(s *sheet) map[string]string {
	out := map[string]string{"name": text(s.Name), "long": text(s.Long)}
	if len(s.Tally) > 0 {
		out["tally"] = text(s.Tally)
	}
	for _, r := range s.Rows {
		at := "rows/" + r.ID
		out[at+"/id"], out[at+"/minutes"] = text(r.ID), text(r.Min)
		if r.Name != "" {
			out[at+"/name"] = text(r.Name)
		}
		if len(r.After) > 0 {
			out[at+"/after"] = text(r.After)
		}
	}
	ends := func(at string, d deep) {
		if d.Low != nil {
			out[at+"/low"] = text(*d.Low)
		}
		if d.High != nil {
			out[at+"/high"] = text(*d.High)
		}
	}
	for k, d := range s.Axes {
		ends("axes/"+k, d)
	}
	if s.Swing != nil {
		ends("swing", *s.Swing)
	}
	return out
}

// fields are places where a random window changes something.
var fields = []string{"name", "long", "tally", "rows/a/name", "rows/a/minutes", "rows/a/after", "rows/b/name",
	"rows/b/minutes", "axes/pan/low", "axes/pan/high", "axes/tilt/low", "swing/low", "swing/high"}

func anyValue(r *rand.Rand, at string) string {
	switch at[strings.LastIndex(at, "/")+1:] {
	case "name":
		return []string{`"x"`, `"y"`, `"z"`}[r.IntN(3)]
	case "tally":
		return []string{`[1]`, `[1,2,3]`}[r.IntN(2)]
	case "after":
		return []string{`["a"]`, `["b","a"]`}[r.IntN(2)]
	}
	return fmt.Sprint(r.IntN(3) + 40)
}

// Windows that change fields side by side, each on what it last saw: what is refused is told
// and changes nothing, what is not stands, and nobody else's field is touched.
func TestWindowsBesideEachOther(t *testing.T) {
	refused, made := 0, 0
	for seed := range uint64(2_000) {
		r := rand.New(rand.NewPCG(seed, 1))
		versions := []*sheet{begun()}
		sees := [3]int{}
		seen := func(v int64) (*sheet, error) { return versions[v], nil }
		for range 8 {
			w := r.IntN(3)
			if r.IntN(3) == 0 {
				sees[w] = len(versions) - 1
			}
			now := versions[len(versions)-1]
			want, was := flat(now), flat(versions[sees[w]])
			var cs []Field
			stale := false
			picked := r.Perm(len(fields))[:1+r.IntN(3)]
			for _, i := range picked {
				at := fields[i]
				is := anyValue(r, at)
				cs = append(cs, change(int64(sees[w]), is, strings.Split(at, "/")...))
				stale = stale || want[at] != was[at] && want[at] != is
			}
			if !stale {
				for i, c := range cs {
					want[fields[picked[i]]] = string(c.Is)
				}
			}
			got, err := Apply(now, seen, cs)
			if stale != (err != nil) {
				t.Fatalf("seed %d: %v on %v: %v", seed, cs, text(now), err)
			}
			if err != nil {
				refused++
				continue
			}
			made++
			if !maps.Equal(flat(got), want) {
				t.Fatalf("seed %d: %v on %s: %s", seed, cs, text(now), text(got))
			}
			versions = append(versions, got)
		}
	}
	if refused < 500 || made < 500 {
		t.Fatalf("%d refused, %d made: the test shows nothing", refused, made)
	}
}

func TestAt(t *testing.T) {
	s := begun()
	for at, want := range map[string]string{"rows/a/minutes": "20", "rows/c": "", "axes/pan": `{"low":-10}`,
		"tally": "[1,2]"} {
		if got := string(At(s, strings.Split(at, "/"))); got != want {
			t.Errorf("%s is %s, not %s", at, got, want)
		}
	}
}

func FuzzApply(f *testing.F) {
	f.Add("rows/a/minutes", `5`, "name", `"x"`)
	f.Add("axes/pan", `{"low":1e999}`, "rows/c", `{"id":"c"}`)
	f.Fuzz(func(t *testing.T, at1, is1, at2, is2 string) {
		was := begun()
		cs := []Field{change(0, is1, strings.Split(at1, "/")...), change(0, is2, strings.Split(at2, "/")...)}
		got, err := Apply(was, func(int64) (*sheet, error) { return was, nil }, cs)
		if text(was) != text(begun()) {
			t.Fatal("what was given is written to")
		}
		if err != nil {
			return
		}
		again, err := Apply(got, func(int64) (*sheet, error) { return got, nil }, cs)
		if err == nil && slices.Equal(cs[0].At, cs[1].At) {
			return // the later one of two counts
		}
		if err == nil && text(again) != text(got) && !strings.HasPrefix(at1, at2) && !strings.HasPrefix(at2, at1) {
			t.Fatalf("twice it is another: %s, %s", text(got), text(again))
		}
	})
}
