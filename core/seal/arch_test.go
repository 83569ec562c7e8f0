package seal

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// everyKind pins the tables of random paths of every kind of curve and ramp, mixed, and what
// lies between their ticks: the bits of one processor are those of every other.
const everyKind = "ace7b69b08559432"

func TestEveryKindIsPinned(t *testing.T) {
	sum := sha256.New()
	rng := rand.New(rand.NewPCG(8, 64))
	r := &rig.Rig{ID: "bench", Name: "Bench", Version: 1}
	for _, id := range []string{"one", "two", "three"} {
		lim := rig.Limits{Speed: 1e7, Acceleration: 1e9, Jerk: 1e12}
		r.Axes = append(r.Axes, rig.Axis{ID: id, Name: id, Kind: rig.Rotary, Unit: rig.Deg, Min: -1e4, Max: 1e4,
			StepsPerUnit: rig.Ratio{Num: 1600, Den: 9}, Working: lim, Rated: lim})
	}
	tables := 0
	for round := range 60 {
		p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
		for i := range p.Tracks {
			t := &p.Tracks[i]
			t.Kind = curve.Kinds[(round+i*5)%len(curve.Kinds)]
			t.Segments = map[int]curve.Kind{}
			t.Ramps = map[int]curve.Ramp{}
			for k := range 6 {
				key := path.Key{Frame: float64(k*17) + float64(rng.Float64()*9), Value: float64(rng.NormFloat64() * 50)}
				key.Tension, key.Bias = float64(rng.Float64()-0.5), float64(rng.Float64()-0.5)
				key.In, key.Out = [2]float64{-1 - float64(3*rng.Float64()), float64(9 * rng.NormFloat64())},
					[2]float64{1 + float64(3*rng.Float64()), float64(9 * rng.NormFloat64())}
				if k > 0 && k < 5 {
					key.Slope, key.Acceleration = rng.NormFloat64(), rng.NormFloat64()
				}
				t.Keys = append(t.Keys, key)
				if k < 5 {
					t.Ramps[k] = curve.Ramp{Law: curve.Laws[rng.IntN(4)], In: 1 + float64(2*rng.Float64()),
						Out: 1 + float64(3*rng.Float64())}
					if rng.IntN(3) == 0 {
						t.Segments[k] = curve.Kinds[rng.IntN(len(curve.Kinds)-3)]
					}
				}
			}
		}
		m, err := path.Compile(p, r)
		if err != nil {
			t.Fatal(err)
		}
		tab := &Table{PathDigest: p.Digest(), Rate: p.Rate, Fastest: p.Factor, First: m.First, Last: m.Last,
			Machines: []Machine{{Name: "b", Rig: "bench", Version: 1}}}
		for i, a := range r.Axes {
			tab.Axes, tab.Units = append(tab.Axes, "b/"+a.ID), append(tab.Units, a.StepsPerUnit)
			tab.Steps = append(tab.Steps, tab.row(context.Background(), m.Curves[i], 0.125, a.StepsPerUnit))
		}
		tab.finish(context.Background())
		f := tab.Fingerprint()
		sum.Write(f[:])
		for range 50 {
			var b [8]byte
			v := tab.At(rng.IntN(3), clock.Pos(rng.Int64N(int64(m.Last))<<32+rng.Int64N(1<<32)))
			for k := range b {
				b[k] = byte(v >> (8 * k))
			}
			sum.Write(b[:])
		}
		tables++
	}
	if got := hex.EncodeToString(sum.Sum(nil)[:8]); got != everyKind {
		t.Errorf("%d tables come to %s, want %s: the same keyframes no longer give the same integers", tables,
			got, everyKind)
	}
}

// The same tests built for arm64, which fuses multiplication and addition wherever it may, and
// run under an emulator of that processor.
func TestFingerprintOnARM(t *testing.T) {
	if testing.Short() || os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		t.Skip("builds the tests for another processor")
	}
	if runtime.GOARCH == "arm64" {
		t.Skip("this is one")
	}
	emulator, err := exec.LookPath("qemu-aarch64")
	if err != nil {
		t.Fatal("qemu-aarch64 is not here: tools/need test installs it")
	}
	dir := t.TempDir()
	for _, pkg := range []string{"seal", "curve", "path"} {
		bin := filepath.Join(dir, pkg+".arm64")
		build := exec.Command("go", "test", "-c", "-o", bin, "keenarc/core/"+pkg)
		build.Env = append(os.Environ(), "GOARCH=arm64", "CGO_ENABLED=0", "GOAMD64=")
		if out, err := build.CombinedOutput(); err != nil {
			t.Fatalf("%s for arm64: %v: %s", pkg, err, out)
		}
		run := exec.Command(emulator, bin, "-test.v", "-test.run",
			"^(TestFingerprintIsPinned|TestEveryKindIsPinned|TestCubicVectors|TestTableIsThePath|TestEncodingVector|"+
				"TestCoefficientBits|TestCoefficientBitsOfShapes|TestCanonicalVector|TestCanonicalVectorOfShapes)$")
		run.Env = append(os.Environ(), "KEENARC_LEVEL_CHILD=1")
		run.Dir = filepath.Join("..", pkg)
		out, err := run.CombinedOutput()
		if err != nil || !strings.Contains(string(out), "--- PASS") {
			t.Errorf("%s on arm64: %v: %s", pkg, err, out)
		}
		t.Logf("%s on arm64: %d tests pass", pkg, strings.Count(string(out), "--- PASS"))
	}
}

// A program in another language, from docs/seal.md alone, comes to the same fingerprint, and
// refuses what was changed.
func TestAnotherProgramVerifies(t *testing.T) {
	python, err := exec.LookPath("python3")
	if err != nil {
		t.Fatal("python3 is not here: tools/need test installs it")
	}
	p, r := demo(t)
	tab, _, err := Make(context.Background(), p, alone(r))
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "a.table")
	verify := func(b []byte) (string, error) {
		if err := os.WriteFile(file, b, 0o600); err != nil {
			t.Fatal(err)
		}
		out, err := exec.Command(python, filepath.Join("..", "..", "examples", "verify_seal.py"), file).CombinedOutput()
		return string(out), err
	}
	f := tab.Fingerprint()
	for _, b := range [][]byte{tab.Canonical(), tab.Share("slider")} {
		if out, err := verify(b); err != nil || out != Short(f)+" "+hex.EncodeToString(f[:])+"\n" {
			t.Errorf("%v: %s, want %s", err, out, Short(f))
		}
	}
	b := tab.Canonical()
	for _, at := range []int{0, len(b) / 2, len(b) - 1} {
		c := append([]byte{}, b...)
		c[at] ^= 1
		if out, err := verify(c); err == nil {
			t.Errorf("byte %d changed, and it says %s", at, out)
		}
	}
	if out, err := verify(append(b, 0)); err == nil {
		t.Errorf("a byte more, and it says %s", out)
	}
	if out, err := verify(b[:len(b)-1]); err == nil {
		t.Errorf("a byte less, and it says %s", out)
	}
}
