package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func set(list ...string) map[arrow]bool {
	out := map[arrow]bool{}
	for _, s := range list {
		from, to, _ := strings.Cut(s, ">")
		out[arrow{from, to}] = true
	}
	return out
}

func TestWrongArrowsAreNamed(t *testing.T) {
	floors := [][]string{{"web"}, {"store", "stage"}, {"core/rig"}}
	within := map[string][]string{"stage": {"stage", "stage/act"}}
	for name, c := range map[string]struct {
		arrows  map[arrow]bool
		strange map[string][]string
		want    string
	}{
		"down":          {set("web>store", "store>core/rig", "web>core/rig", "stage>stage/act"), nil, ""},
		"up":            {set("core/rig>store"), nil, "core/rig imports store: between rooms"},
		"along":         {set("stage/act>store"), nil, "stage/act imports store: between rooms"},
		"up inside":     {set("stage/act>stage"), nil, "stage/act imports stage: inside stage"},
		"core's own":    {nil, map[string][]string{"core/rig": {"gonum.org/v1/gonum/mat"}}, ""},
		"core and more": {nil, map[string][]string{"core/rig": {"example.org/x"}}, "core/rig imports example.org/x"},
		"a new room":    {set("attic>core/rig"), nil, "attic is in no room"},
	} {
		h := &house{packages: []string{"web", "store", "stage", "stage/act", "core/rig"}, arrows: c.arrows,
			strange: c.strange}
		if strings.HasPrefix(c.want, "attic") {
			h.packages = append(h.packages, "attic")
		}
		got := strings.Join(h.wrong(floors, within), "\n")
		if c.want == "" && got != "" || !strings.HasPrefix(got, c.want) || strings.Count(got, "\n") > 0 {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
}

// A circle has as few arrows that run back up as it can have; without one there are none.
func TestStanding(t *testing.T) {
	for name, c := range map[string]struct {
		arrows map[arrow]bool
		want   string
		up     string
	}{
		"a chain":  {set("a>b", "b>c", "c>d", "a>d"), "[[a] [b] [c] [d]]", "[]"},
		"a circle": {set("a>b", "b>c", "c>a", "a>c", "d>b"), "[[a d] [b] [c]]", "[{c a}]"},
		"none":     {nil, "[[a b c d]]", "[]"},
	} {
		layers, up := standing([]string{"a", "b", "c", "d"}, c.arrows)
		if got := fmt.Sprint(layers); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
		if got := fmt.Sprint(sorted(up)); got != c.up {
			t.Errorf("%s: %s run up, want %s", name, got, c.up)
		}
	}
}

func TestWhatFollowsIsNotDrawnTwice(t *testing.T) {
	all := set("a>b", "b>c", "a>c", "a>d")
	for a, want := range map[arrow]bool{{"a", "c"}: true, {"a", "b"}: false, {"a", "d"}: false} {
		if over(all, a) != want {
			t.Errorf("%v: %v", a, !want)
		}
	}
}

// A file asks another of its package by whatever it names of it, a field and a method included; what is
// named inside a function, and tests, are nobody's arrows.
func TestWhatFilesAskOfEachOther(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"go.mod":       "module keenarc\n\ngo 1.26\n",
		"link/link.go": "// Package link talks. It is short.\npackage link\n\nconst Port = 1\n",
		"stage/a.go": "package stage\n\nimport \"keenarc/link\"\n\nfunc A() int { t := thing{}; port := t.size " +
			"+ link.Port; return port }\n",
		"stage/b.go":       "package stage\n\ntype thing struct{ size int }\n\nfunc (t thing) grow() { t.size += C }\n",
		"stage/c.go":       "package stage\n\nconst C = 2\n\nvar port = 3\n\nvar _ = thing.grow\n",
		"stage/c_test.go":  "package stage\n\nvar _ = A\n",
		"tools/x/x.go":     "package main\n\nfunc main() {}\n",
		"link/more/m.go":   "package more\n",
		"link/more/n.go":   "package more\n\nimport _ \"keenarc/stage\"\n",
		"stage/deep/d.go":  "package deep\n",
		"stage/deep/d2.go": "package deep\n",
	} {
		to := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(to, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	h, err := read(dir)
	if err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(sorted(h.inside["stage"])); got != "[{a b} {b c} {c b}]" {
		t.Errorf("inside stage: %s", got)
	}
	if got := fmt.Sprint(sorted(h.arrows)); got != "[{link/more stage} {stage link}]" || h.doc["link"] !=
		"Package link talks" {
		t.Errorf("between: %s; link is %q", got, h.doc["link"])
	}
	if wrong := h.wrong([][]string{{"stage"}, {"link"}}, nil); len(wrong) != 1 || !strings.Contains(wrong[0],
		"link/more imports stage") {
		t.Errorf("%q", wrong)
	}
}

// A drawing that lies there and is not the code's is named, and is not touched while it is only looked at.
func TestAnOldDrawingIsNamed(t *testing.T) {
	t.Chdir(t.TempDir())
	if _, err := put(map[string][]byte{"a.svg": []byte("a"), "b.svg": []byte("b")}, false); err != nil {
		t.Fatal(err)
	}
	stale, err := put(map[string][]byte{"a.svg": []byte("new"), "c.svg": []byte("c")}, true)
	if got := fmt.Sprint(stale); err != nil || got != "[docs/map/a.svg docs/map/b.svg docs/map/c.svg]" {
		t.Errorf("%v %s", err, got)
	}
	if b, err := os.ReadFile("docs/map/a.svg"); err != nil || string(b) != "a" {
		t.Errorf("%s %v", b, err)
	}
}
