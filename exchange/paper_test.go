package exchange

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"keenarc/core/site"
)

// One sheet of paper, the same bytes for the same order, with long names and many steps.
func TestOrderPaper(t *testing.T) {
	at := time.Date(2026, 3, 4, 23, 30, 0, 0, time.UTC)
	s := site.Setup{Kind: "crane", Rails: true, Ground: "stage floor", Crew: 5}
	o := &site.Order{Date: "2026-03-04", Start: "23:30", Setup: s, Steps: s.Begin(nil)}
	o.Steps[3].Name = strings.Repeat("a very long name ", 3)
	o.Steps[0].Owner, o.Steps[0].Latest, o.Steps[0].Ended, o.Steps[0].Began = "the harbour master’s assistant",
		"23:55", &at, &at
	v, err := o.Sheet(at, nil)
	if err != nil {
		t.Fatal(err)
	}
	var a, b bytes.Buffer
	if err := OrderPaper(&a, "SL-020, Stage 2", o, v); err != nil {
		t.Fatal(err)
	}
	if err := OrderPaper(&b, "SL-020, Stage 2", o, v); err != nil || !bytes.Equal(a.Bytes(), b.Bytes()) {
		t.Errorf("not the same twice: %v", err)
	}
	if !bytes.HasPrefix(a.Bytes(), []byte("%PDF-1.")) || !bytes.Contains(a.Bytes(), []byte("/Count 1\n")) {
		t.Errorf("no single sheet: %d bytes", a.Len())
	}
	if c := cut("Gänse und Möwen", 6); c != "Gänse…" || cut("Möwen", 5) != "Möwen" {
		t.Error(c)
	}
}
