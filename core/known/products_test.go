package known

import (
	"go/ast"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// A compiler may fuse x*y + z into one operation that rounds once, on some
// processors and not on others (amd64 v3 fuses sums, arm64 differences, too). In
// the rooms that make the numbers of a seal every product beside a sum is
// therefore converted explicitly. This reads their source, so that it holds for
// processors that no test runs on.
func TestNoProductCanBeFused(t *testing.T) {
	for _, room := range []string{"../curve", "../seal", "../path"} {
		for _, p := range fusable(t, room, nil) {
			t.Errorf("%s: the product can be fused with the sum beside it; convert it: float64(x * y)", p)
		}
	}
}

// The check itself finds what it should.
func TestFusableIsFound(t *testing.T) {
	src := `package curve
func f(a, b, c float64, n int) float64 {
	a += b * c
	c -= (a * b)
	n += n * n
	d := a + float64(b*c) + float64(a*b) - 2*3.0
	return a*b - c + d + a/b
}`
	if got := fusable(t, "", src); len(got) != 3 {
		t.Errorf("found %v, want lines 3, 4 and 7", got)
	}
}

// compiled finds what the compiler has written down of the rooms' imports.
var compiled = func() func(*testing.T) importer.Lookup {
	var once sync.Once
	at := map[string]string{}
	return func(t *testing.T) importer.Lookup {
		once.Do(func() {
			out, err := exec.Command("go", "list", "-export", "-deps", "-f", "{{.ImportPath}} {{.Export}}", "../curve",
				"../seal", "../path").Output()
			if err != nil {
				t.Fatal(err)
			}
			for _, line := range strings.Split(string(out), "\n") {
				if path, file, ok := strings.Cut(line, " "); ok {
					at[path] = file
				}
			}
		})
		return func(path string) (io.ReadCloser, error) { return os.Open(at[path]) }
	}
}()

// fusable lists the places in a folder's files (or in one source text) where a
// sum or difference of floats has a product as an operand.
func fusable(t *testing.T, folder string, src any) []string {
	t.Helper()
	set := token.NewFileSet()
	var files []*ast.File
	names := []string{"text.go"}
	if src == nil {
		var err error
		if names, err = filepath.Glob(filepath.Join(folder, "*.go")); err != nil || len(names) == 0 {
			t.Fatalf("%s: no files, %v", folder, err)
		}
	}
	for _, n := range names {
		if strings.HasSuffix(n, "_test.go") {
			continue
		}
		f, err := parser.ParseFile(set, n, src, 0)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, f)
	}
	info := &types.Info{Types: map[ast.Expr]types.TypeAndValue{}}
	cfg := types.Config{Importer: importer.ForCompiler(set, "gc", compiled(t))}
	if _, err := cfg.Check("room", set, files, info); err != nil {
		t.Fatal(err)
	}
	product := func(e ast.Expr) bool {
		b, ok := ast.Unparen(e).(*ast.BinaryExpr)
		if !ok || b.Op != token.MUL {
			return false
		}
		v := info.Types[b]
		basic, ok := v.Type.Underlying().(*types.Basic)
		return ok && basic.Info()&types.IsFloat != 0 && v.Value == nil
	}
	var out []string
	for _, f := range files {
		ast.Inspect(f, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.BinaryExpr:
				if (n.Op == token.ADD || n.Op == token.SUB) && (product(n.X) || product(n.Y)) {
					out = append(out, set.Position(n.Pos()).String())
				}
			case *ast.AssignStmt:
				if (n.Tok == token.ADD_ASSIGN || n.Tok == token.SUB_ASSIGN) && product(n.Rhs[0]) {
					out = append(out, set.Position(n.Pos()).String())
				}
			}
			return true
		})
	}
	return out
}
