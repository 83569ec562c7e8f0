package machine_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"
)

// Only a grant moves a machine: no other room of the program makes an order, or asks a rig
// for anything that carries one. link-check has a way of its own, and asks before each move.
func TestOnlyAGrantMovesAMachine(t *testing.T) {
	root := "../.."
	orders := ordersOf(t, filepath.Join(root, "link", "words.go"))
	if len(orders) < 12 {
		t.Fatalf("found %v", orders)
	}
	found := 0
	err := filepath.WalkDir(root, func(file string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "dist") {
			return filepath.SkipDir
		}
		rel, _ := filepath.Rel(root, file)
		if !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") || strings.HasPrefix(rel, "link/") ||
			strings.HasPrefix(rel, "standin/") {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		if err != nil {
			return err
		}
		for _, what := range makes(f, orders) {
			switch rel {
			case "stage/machine/grant.go":
				found++
			case "stage/machine/right.go": // the day's limits, with the lease itself
				if what != "Order" && what != "Limits" {
					t.Errorf("%s makes %s", rel, what)
				}
			default:
				t.Errorf("%s makes %s: only a grant may", rel, what)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if found < len(orders) {
		t.Errorf("a grant makes %d words of %d", found, len(orders))
	}
	grants := ""
	for _, name := range []string{"arbiter.go", "grant.go", "machine.go", "right.go", "set.go", "stop.go", "load.go",
		"homed.go", "takes.go"} {
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(f, func(n ast.Node) bool {
			if c, ok := n.(*ast.CompositeLit); ok {
				if id, ok := c.Type.(*ast.Ident); ok && id.Name == "Grant" {
					grants += name + " "
				}
			}
			return true
		})
	}
	if grants != "arbiter.go " {
		t.Errorf("grants are made in %s", grants)
	}
}

// ordersOf are the words that carry an order, and the order itself.
func ordersOf(t *testing.T, file string) map[string]bool {
	t.Helper()
	f, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]bool{"Order": true}
	ast.Inspect(f, func(n ast.Node) bool {
		spec, ok := n.(*ast.TypeSpec)
		if !ok {
			return true
		}
		if s, ok := spec.Type.(*ast.StructType); ok {
			for _, field := range s.Fields.List {
				if id, ok := field.Type.(*ast.Ident); ok && len(field.Names) == 0 && id.Name == "Order" {
					out[spec.Name.Name] = true
				}
			}
		}
		return true
	})
	return out
}

// makes are the orders of package link that a file makes or names as a type.
func makes(f *ast.File, orders map[string]bool) []string {
	var out []string
	ast.Inspect(f, func(n ast.Node) bool {
		if c, ok := n.(*ast.CompositeLit); ok {
			if sel, ok := c.Type.(*ast.SelectorExpr); ok {
				if id, ok := sel.X.(*ast.Ident); ok && id.Name == "link" && orders[sel.Sel.Name] {
					out = append(out, sel.Sel.Name)
				}
			}
		}
		return true
	})
	return out
}
