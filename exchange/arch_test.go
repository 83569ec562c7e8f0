package exchange

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/examples"
)

// A file of keyframes is sealed as it ever was; the command line says the same.
func TestFingerprintOfAFile(t *testing.T) {
	machines := []rig.Placed{{Name: "plank", Rig: examples.Rigs()["plank"]}}
	r, err := rig.Join(machines)
	if err != nil {
		t.Fatal(err)
	}
	in, err := os.Open(filepath.Join("..", "examples", "harbour-approach.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close()
	p, err := PlanFromKeys(in, r, examples.Camera(), clock.Rate{Num: 24, Den: 1}, curve.Smooth)
	if err != nil {
		t.Fatal(err)
	}
	if p, err = p.Apply(r, path.Edit{Op: "factor", Factor: &clock.Rate{Num: 1, Den: 1}}); err != nil {
		t.Fatal(err)
	}
	tab, _, err := seal.Make(context.Background(), p, machines)
	if err != nil {
		t.Fatal(err)
	}
	if got := seal.Short(tab.Fingerprint()); got != "8491-4915" {
		t.Errorf("it is sealed as %s", got)
	}
}

// So it is where the compiler fuses multiplication and addition.
func TestFingerprintOfAFileOnAnotherLevel(t *testing.T) {
	if testing.Short() {
		t.Skip("the test is built for another processor")
	}
	info, err := os.ReadFile("/proc/cpuinfo")
	if s := string(info); err != nil || !strings.Contains(s, " avx2") || !strings.Contains(s, " fma ") ||
		!strings.Contains(s, " bmi2") {
		t.Skip("this processor cannot run amd64 v3")
	}
	cmd := exec.Command("go", "test", "-count=1", "-v", "-run", "^TestFingerprintOfAFile$", ".")
	cmd.Env = append(os.Environ(), "GOAMD64=v3")
	if out, err := cmd.CombinedOutput(); err != nil || !strings.Contains(string(out),
		"--- PASS: TestFingerprintOfAFile ") {
		t.Errorf("%v: %s", err, out)
	}
}
