package seal

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/rig"
)

// two is the vector of docs/seal.md: two machines with an axis each.
func two() *Table {
	t := &Table{Rate: clock.Rate{Num: 24000, Den: 1001}, Fastest: clock.Rate{Num: 3, Den: 1}, First: 0, Last: 1,
		Machines: []Machine{{"a", "plank", 3, rig.Place{}},
			{"b", "turnstile", 1, rig.Place{At: rig.Vec{0.82, 1.15, 0}, TurnDeg: -90}}},
		Axes: []string{"a/track", "b/turn"}, Units: []rig.Ratio{{Num: 25, Den: 1}, {Num: 160, Den: 9}},
		Steps: make([][]int64, 2)}
	for k := range int64(17) {
		t.PathDigest[k], t.PathDigest[k+15] = byte(k), byte(k+15)
		t.Steps[0], t.Steps[1] = append(t.Steps[0], k*65536), append(t.Steps[1], -k*k)
	}
	t.finish(context.Background())
	return t
}

// The digests were worked out by another program from the description alone.
func TestEncodingVector(t *testing.T) {
	x := two()
	for i, want := range []string{"fc5bb6589e65f0a244400b93e3fcca2c498fda97ef7acb5fc422e3b48e667e0a",
		"1c85276a5b204ce4e281bc1f2040b514ef67eae93de15db65efe0097f9e24f91"} {
		if got := hex.EncodeToString(x.digests[i][:]); got != want {
			t.Errorf("axis %s: digest %s, want %s", x.Axes[i], got, want)
		}
	}
	if f := x.Fingerprint(); hex.EncodeToString(f[:]) !=
		"4751388bcf55d804fd17f0b74f1cc70f6385de24d0d8f6656511c48a6c3ce4a1" || Short(f) != "4751-388B" {
		t.Errorf("fingerprint %x", f)
	}
	c := x.Canonical()
	if sum := sha256.Sum256(c); len(c) != 448 || hex.EncodeToString(sum[:]) !=
		"74f1807ad2d7668374fc0bb8545b5d41b1ec283c5b2f196d59a05230e142a91d" {
		t.Errorf("%d bytes, %x", len(c), sum)
	}
}

// A machine's share has the seal's fingerprint, its own entries and no others, and
// is refused when one of them was changed.
func TestShare(t *testing.T) {
	x := two()
	raw := x.Share("b")
	s, err := Decode(raw)
	if err != nil {
		t.Fatal(err)
	}
	if s.Fingerprint() != x.Fingerprint() || s.Steps[0] != nil || len(s.Steps[1]) != 17 || s.Steps[1][16] != -256 {
		t.Errorf("share %v of %x", s.Steps, s.Fingerprint())
	}
	if own := s.Own(); len(own) != 1 || own[0] != 1 {
		t.Errorf("its own axes are %v", own)
	}
	if !bytes.Equal(s.Canonical(), raw) {
		t.Error("a share encodes otherwise than it was")
	}
	for name, at := range map[string]int{"first entry": 17, "last entry": 1} {
		bad := bytes.Clone(raw)
		bad[len(bad)-at] ^= 2
		if _, err := Decode(bad); err == nil || !strings.Contains(err.Error(), "entries of axis b/turn are not those") {
			t.Errorf("%s changed: %v", name, err)
		}
	}
	bad := bytes.Clone(raw)
	bad[len(mark)+8] ^= 1 // the path's digest
	if o, err := Decode(bad); err != nil || o.Fingerprint() == x.Fingerprint() {
		t.Errorf("another header has the same fingerprint, or %v", err)
	}
	if _, err := Decode(x.Share("c")); err == nil || !strings.Contains(err.Error(), "no entries") {
		t.Errorf("the share of a machine that is not in it: %v", err)
	}
	for cut := range len(raw) {
		if _, err := Decode(raw[:cut]); err == nil {
			t.Fatalf("cut at %d bytes: accepted", cut)
		}
	}
}
