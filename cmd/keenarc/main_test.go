package main

import (
	"bytes"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "keenarc-cli-")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "keenarc")
	if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
		panic(string(out))
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

func run(t *testing.T, in string, args ...string) (out string, code int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Stdin = strings.NewReader(in)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	err := cmd.Run()
	var ee *exec.ExitError
	if err != nil && !errors.As(err, &ee) {
		t.Fatal(err)
	}
	return o.String() + e.String(), cmd.ProcessState.ExitCode()
}

func file(t *testing.T, text string) string {
	t.Helper()
	f := filepath.Join(t.TempDir(), "keys.csv")
	if err := os.WriteFile(f, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return f
}

func TestRoll(t *testing.T) {
	const example = "../../examples/harbour-approach.csv"
	fast := file(t, "frame,track_mm\n0,100\n24,900\n")
	moving := file(t, "frame,pan_deg\n0,0\n50,20\n90,25\n")
	for name, c := range map[string]struct {
		args []string
		code int
		want []string
	}{
		"stacks": {[]string{example, "--rig", "plank", "--passes", "2"}, 0,
			[]string{"240 pictures", "against pass 1", "unseen", "verdict   stacks"}},
		"three passes": {[]string{example, "--passes", "3", "--seed", "9"}, 0, []string{"pass 3    against pass 1",
			"verdict   stacks"}},
		"lost steps": {[]string{example, "--fault", "2:track:128:0.9"}, 1, []string{"verdict   off"}},
		"one pass":   {[]string{example, "--passes", "1"}, 0, []string{"verdict   stacks"}},
		"slow": {[]string{example, "--factor", "1/2", "--pace", "40"}, 0,
			[]string{"at 12 fps", "20009 samples"}},
		"over limits":   {[]string{fast}, 1, []string{"Track runs", "Give it room", "not allowed", "off"}},
		"starts moving": {[]string{moving, "--kind", "natural"}, 1, []string{"in no time", "run-up", "not allowed"}},
		"no file":       {[]string{"nowhere.csv"}, 2, []string{"KEYS"}},
		"picture":       {[]string{file(t, "\x89PNG\x00")}, 2, []string{"not text"}},
		"same frame":    {[]string{file(t, "frame,pan_deg\n0,1\n0,2\n")}, 2, []string{"Line 3, column pan_deg"}},
		"unknown rig":   {[]string{example, "--rig", "stork"}, 2, []string{"--rig"}},
		"passes":        {[]string{example, "--passes", "0"}, 2, []string{"--passes"}},
		"kind":          {[]string{example, "--kind", "wobble"}, 2, []string{"--kind"}},
		"factor":        {[]string{example, "--factor", "x"}, 2, []string{"--factor"}},
		"flag":          {[]string{example, "--sideways"}, 2, []string{"sideways"}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			out, code := run(t, "", append([]string{"roll"}, c.args...)...)
			if code != c.code {
				t.Errorf("exit %d, want %d\n%s", code, c.code, out)
			}
			for _, w := range c.want {
				if !strings.Contains(out, w) {
					t.Errorf("does not say %q\n%s", w, out)
				}
			}
		})
	}
}

// The command line seals a file as exchange does (TestFingerprintOfAFile), which is built for another
// level of the processor, too.
func TestFingerprintOfAFile(t *testing.T) {
	if out, _ := run(t, "", "roll", "../../examples/harbour-approach.csv", "--passes", "1"); !regexp.MustCompile(
		`sealed +8491-4915\b`).MatchString(out) {
		t.Error(out)
	}
}

func TestCalc(t *testing.T) {
	out, code := run(t, `{"kind":"natural","rate_hz":50,"keys":{"t_s":[0,1.2,3],"axes":{"pan":[0,10,4]}}}`,
		"calc", "curve")
	if code != 0 || !strings.HasPrefix(out, `{"t_s":[0,0.02`) {
		t.Errorf("exit %d: %.80s", code, out)
	}
	out, code = run(t, `{"rate_hz":50,"keys":{"t_s":[0,0],"axes":{"pan":[0,10]}}}`, "calc", "curve")
	if code != 2 || !strings.Contains(out, `"field":"keys.t_s[1]"`) {
		t.Errorf("exit %d: %s", code, out)
	}
	if out, code = run(t, "", "calc", "--list"); code != 0 || !strings.Contains(out, "\ncurve ") ||
		!strings.HasPrefix(out, "balance ") {
		t.Errorf("exit %d: %s", code, out)
	}
	if out, code = run(t, "", "calc", "--schema", "curve"); code != 0 || !strings.Contains(out, `"rate_hz"`) {
		t.Errorf("exit %d: %s", code, out)
	}
	for _, args := range [][]string{{"calc"}, {"calc", "wobble"}, {"calc", "--schema", "wobble"}} {
		if out, code := run(t, "", args...); code != 2 {
			t.Errorf("%v: exit %d: %s", args, code, out)
		}
	}
}
