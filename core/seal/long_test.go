package seal

import (
	"context"
	"os"
	"testing"
	"time"

	"keenarc/core/clock"
	"keenarc/core/known/fixture"
	"keenarc/core/path"
)

// The longest move is sealed and read back (a gigabyte and some seconds: only when
// KEENARC_SOAK is set).
func TestTheLongestMove(t *testing.T) {
	if os.Getenv("KEENARC_SOAK") == "" {
		t.Skip("set KEENARC_SOAK to seal a million frames")
	}
	r := whole(t, fixture.Slider())
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for i := range 1001 {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: float64(i * 1000),
			Values: map[string]float64{"track": 400 + float64(i%7)*100, "pan": float64(i % 11)}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	began := time.Now()
	tab, _, err := Make(context.Background(), p, alone(fixture.Slider()))
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("sealed in %v: %d ticks", time.Since(began), tab.Ticks())
	began = time.Now()
	raw := tab.Canonical()
	back, err := Decode(raw)
	if err != nil || back.Fingerprint() != tab.Fingerprint() {
		t.Fatalf("read back: %v", err)
	}
	t.Logf("%d MB encoded and read back in %v", len(raw)>>20, time.Since(began))
}
