package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"keenarc/journal/journaltest"
	"keenarc/stage/act"
	"keenarc/tools/entered"
)

// mostEntered is how many functions of ours one press of the hold may enter, from the socket's
// word to the line on the wire. docs/stage.md lists them in order.
const mostEntered = 25

// onePressIn names the file that the run inside writes what was entered into.
const onePressIn = "KEENARC_ENTERED"

// TestOnePress counts them: every function is given a line that says that it is entered, and
// the test is run so. The bubble's time stands still while the press is carried out, so nothing
// else is.
func TestOnePress(t *testing.T) {
	if testing.Short() {
		t.Skip("everything is compiled anew")
	}
	if file := os.Getenv(onePressIn); file != "" {
		synctest.Test(t, func(t *testing.T) {
			got, always := onePress(t)
			text := strings.Join(got, "\n") + "\n\n" + strings.Join(always, "\n")
			if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		})
		return
	}
	dir := t.TempDir()
	cmd := exec.Command("go", "test", "-count=1", "-vet=off", "-overlay", telling(t, dir), "-run", "TestOnePress$", ".")
	list := filepath.Join(dir, "entered")
	cmd.Env = append(os.Environ(), onePressIn+"="+list)
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	raw, err := os.ReadFile(list)
	if err != nil {
		t.Fatal(err)
	}
	said, idle, _ := strings.Cut(string(raw), "\n\n")
	got, always := strings.Split(said, "\n"), strings.Split(idle, "\n")
	doc, err := os.ReadFile("../docs/stage.md")
	if err != nil {
		t.Fatal(err)
	}
	_, want, _ := strings.Cut(string(doc), "<!-- one press -->\n")
	want, _, _ = strings.Cut(want, "\n\n")
	var listed []string
	for k, part := range strings.Split(want, "`") {
		if k%2 == 1 {
			listed = append(listed, part)
		}
	}
	// What goes on all the time, a state heard, a word that the server is alive, may fall between.
	got = slices.DeleteFunc(got, func(name string) bool {
		return slices.Contains(always, name) && !slices.Contains(listed, name)
	})
	if len(got) > mostEntered || len(got) < 10 {
		t.Errorf("one press enters %d functions of ours, at most %d are meant:\n%s", len(got), mostEntered, raw)
	}
	if !slices.Equal(got, listed) {
		t.Errorf("docs/stage.md lists\n%s\none press enters\n%s", strings.Join(listed, "\n"), raw)
	}
}

// onePress is what is entered from the word of a press until the order to arm lies on the wire, and
// what is entered in a second in which nobody does anything.
func onePress(t *testing.T) (got, always []string) {
	w, s := quietStage(t)
	defer w.close()
	p := &modelPage{w: w, sv: s}
	w.pages = []*modelPage{p}
	p.open()
	time.Sleep(2 * time.Second)
	p.home()
	time.Sleep(time.Minute)
	p.goTo(map[string]float64{"track": 500, "pan": 2, "tilt": 0, "roll": 0, "focus": 150})
	time.Sleep(time.Minute + 777*time.Microsecond) // between two of anything that comes every millisecond
	entered.Begin()
	time.Sleep(time.Second)
	always = entered.End()
	armed := make(chan struct{})
	var once sync.Once
	s.wire.sees = func(b []byte) {
		if bytes.Contains(b, []byte(`"do":"arm"`)) {
			once.Do(func() { got = entered.End(); close(armed) })
		}
	}
	synctest.Wait()
	entered.Begin()
	p.press("roll")
	select {
	case <-armed:
	case <-time.After(time.Second):
		t.Errorf("nothing was armed:\n%s", strings.Join(w.story, "\n"))
	}
	return got, always
}

// quietStage is a machine, a server and nobody who plays. It has to be closed.
func quietStage(t *testing.T) (*model, *modelServer) {
	w := &model{t: t, rng: rand.New(rand.NewPCG(1, 1)), began: time.Now(), counts: map[string]int{},
		disk: journaltest.NewDisk(), gate: &gate{},
		office: &modelOffice{}, presses: map[string]*deed{}, rows: map[string]int{}, boots: map[string]string{}}
	w.sealed()
	w.switchOn()
	s := &modelServer{w: w}
	w.servers = []*modelServer{s}
	s.start()
	s.srv.plans = keptReady{s}
	return w, s
}

// A machine that was switched off holds no table any more: the desk that is open has it loaded
// again, before anybody presses.
func TestLoadedAgainAfterAPowerCut(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w, s := quietStage(t)
		defer w.close()
		p := &modelPage{w: w, sv: s}
		w.pages = []*modelPage{p}
		p.open()
		for n := range 2 {
			time.Sleep(5 * time.Second)
			if got := s.f.Now().State; got.Print != w.pass.Print {
				t.Fatalf("switched on %d times it holds %q", n+1, got.Print)
			}
			w.rigOff()
			w.switchOn()
		}
	})
}

// keptReady are plans of the store that were read before.
type keptReady struct{ s *modelServer }

func (k keptReady) open(shot, pass string) plan {
	now := act.Rolling{Pass: k.s.w.pass, Desk: k.s.w.desk}
	return &storedPlan{s: k.s.srv, shot: shot, pass: pass, seen: k.s.srv.version(shot), now: now}
}

// telling writes every file of the rooms that a press goes through with such a line in each
// function, and answers the overlay for the compiler. What a function literal does counts as
// the function's that it stands in; the rules' own, which stand in none, as one.
func telling(t *testing.T, dir string) string {
	t.Helper()
	root, err := filepath.Abs("..")
	if err != nil {
		t.Fatal(err)
	}
	instead := map[string]string{}
	for _, room := range []string{"web", "stage", "link", "journal", "core", "store", "exchange", "calc"} {
		err := filepath.WalkDir(filepath.Join(root, room), func(file string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
				return err
			}
			with, err := tellingFile(file)
			if err != nil {
				return err
			}
			to := filepath.Join(dir, fmt.Sprintf("%d.go", len(instead)))
			instead[file] = to
			return os.WriteFile(to, with, 0o600)
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	raw, err := json.Marshal(map[string]any{"Replace": instead})
	if err != nil {
		t.Fatal(err)
	}
	overlay := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(overlay, raw, 0o600); err != nil {
		t.Fatal(err)
	}
	return overlay
}

func tellingFile(file string) ([]byte, error) {
	src, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	fset := token.NewFileSet()
	f, err := parser.ParseFile(fset, file, src, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	in := map[int]string{fset.Position(f.Name.End()).Offset: `; import keenarcEntered "keenarc/tools/entered"`}
	for _, decl := range f.Decls {
		name := f.Name.Name + "."
		if d, ok := decl.(*ast.FuncDecl); ok {
			if d.Recv != nil {
				at := d.Recv.List[0].Type
				if s, ok := at.(*ast.StarExpr); ok {
					at = s.X
				}
				if g, ok := at.(*ast.IndexExpr); ok {
					at = g.X
				}
				name += at.(*ast.Ident).Name + "."
			}
			name += d.Name.Name
		} else {
			name += "rules"
		}
		ast.Inspect(decl, func(n ast.Node) bool {
			var body *ast.BlockStmt
			switch x := n.(type) {
			case *ast.FuncDecl:
				body = x.Body
			case *ast.FuncLit:
				body = x.Body
			}
			if body != nil {
				in[fset.Position(body.Lbrace).Offset+1] = fmt.Sprintf(" keenarcEntered.Func(%q); ", name)
			}
			return true
		})
	}
	var out bytes.Buffer
	for k, b := range src {
		out.WriteString(in[k])
		out.WriteByte(b)
	}
	out.WriteString("\nvar _ = keenarcEntered.Func\n")
	return out.Bytes(), nil
}
