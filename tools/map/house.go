package main

import (
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/tools/go/packages"
)

// arrow is from who asks to who answers.
type arrow struct{ from, to string }

// house is what the code imports, and what each file of a package uses of the others.
type house struct {
	packages []string
	doc      map[string]string // the first words of a package's comment
	arrows   map[arrow]bool    // between packages
	strange  map[string][]string
	files    map[string][]string       // of a package
	inside   map[string]map[arrow]bool // between its files
}

const module = "keenarc"

// read loads all packages of the module under a folder, without tests and tools.
func read(dir string) (*house, error) {
	conf := &packages.Config{Dir: dir, Mode: packages.NeedName | packages.NeedFiles | packages.NeedImports |
		packages.NeedTypes | packages.NeedSyntax | packages.NeedTypesInfo}
	list, err := packages.Load(conf, "./...")
	if err != nil {
		return nil, fmt.Errorf("loading the packages: %w", err)
	}
	h := &house{doc: map[string]string{}, arrows: map[arrow]bool{}, strange: map[string][]string{},
		files: map[string][]string{}, inside: map[string]map[arrow]bool{}}
	for _, p := range list {
		for _, e := range p.Errors {
			return nil, fmt.Errorf("loading %s: %w", p.PkgPath, e)
		}
		name := strings.TrimPrefix(p.PkgPath, module+"/")
		if strings.HasPrefix(name, "tools/") || name == "e2e" {
			continue
		}
		h.packages = append(h.packages, name)
		for _, other := range slices.Sorted(maps.Keys(p.Imports)) {
			if to, ours := strings.CutPrefix(other, module+"/"); ours {
				h.arrows[arrow{name, to}] = true
			} else if host, _, _ := strings.Cut(other, "/"); strings.Contains(host, ".") {
				h.strange[name] = append(h.strange[name], other)
			}
		}
		h.look(name, p)
	}
	slices.Sort(h.packages)
	return h, nil
}

// look reads which file of a package uses which of its others.
func (h *house) look(name string, p *packages.Package) {
	file := func(at token.Pos) string {
		return strings.TrimSuffix(filepath.Base(p.Fset.Position(at).Filename), ".go")
	}
	h.inside[name] = map[arrow]bool{}
	for _, f := range p.Syntax {
		if f.Doc != nil {
			h.doc[name], _, _ = strings.Cut(strings.Join(strings.Fields(f.Doc.Text()), " "), ". ")
		}
		from := file(f.Package)
		h.files[name] = append(h.files[name], from)
		ast.Inspect(f, func(n ast.Node) bool {
			id, ok := n.(*ast.Ident)
			if !ok {
				return true
			}
			o := p.TypesInfo.Uses[id]
			if o == nil || o.Pkg() != p.Types || !o.Pos().IsValid() || isLocal(o) {
				return true
			}
			if to := file(o.Pos()); to != from {
				h.inside[name][arrow{from, to}] = true
			}
			return true
		})
	}
	slices.Sort(h.files[name])
}

// isLocal is whether something is named inside a function: a field and a method are not.
func isLocal(o types.Object) bool {
	if v, ok := o.(*types.Var); ok && v.IsField() {
		return false
	}
	if f, ok := o.(*types.Func); ok && f.Signature().Recv() != nil {
		return false
	}
	return o.Parent() != o.Pkg().Scope()
}

// room is the room of a package: the longest name on a floor that it begins with.
func room(floors [][]string, pkg string) string {
	best := ""
	for _, floor := range floors {
		for _, r := range floor {
			if (pkg == r || strings.HasPrefix(pkg, r+"/")) && len(r) > len(best) {
				best = r
			}
		}
	}
	return best
}

// level is the floor of a room, counted from the top.
func level(floors [][]string, room string) int {
	return slices.IndexFunc(floors, func(f []string) bool { return slices.Contains(f, room) })
}

// wrong are the rules that the house breaks, a sentence each.
func (h *house) wrong(floors [][]string, within map[string][]string) []string {
	var out []string
	for _, p := range h.packages {
		if room(floors, p) == "" {
			out = append(out, p+" is in no room: give it one in tools/map")
		}
		for _, s := range h.strange[p] {
			if strings.HasPrefix(p, "core/") && !strings.HasPrefix(s, "gonum.org/v1/gonum/") {
				out = append(out,
					fmt.Sprintf("%s imports %s: core imports itself, gonum and the standard library", p, s))
			}
		}
	}
	for _, a := range sorted(h.arrows) {
		from, to := room(floors, a.from), room(floors, a.to)
		switch {
		case from == "" || to == "":
		case from != to && level(floors, from) >= level(floors, to):
			out = append(out, fmt.Sprintf("%s imports %s: between rooms that arrow does not run down", a.from, a.to))
		case from == to && len(within[from]) > 0 && slices.Index(within[from], a.from) >=
			slices.Index(within[from], a.to):
			out = append(out, fmt.Sprintf("%s imports %s: inside %s that arrow does not run down", a.from, a.to, from))
		}
	}
	return out
}

func sorted(set map[arrow]bool) []arrow {
	return slices.SortedFunc(maps.Keys(set), func(a, b arrow) int {
		return strings.Compare(a.from+" "+a.to, b.from+" "+b.to)
	})
}
