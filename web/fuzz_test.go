package web

import (
	"encoding/json"
	"testing"
)

// FuzzHoldWord: only a word that says so presses or beats; one that also lets go
// lets go.
func FuzzHoldWord(f *testing.F) {
	for _, s := range []string{`{"press":"a"}`, `{"press":"a","beat":12}`, `{"release":true}`,
		`{"press":"a","release":true}`, `{"beat":-1}`, `{"beat":1e99}`, `[]`, `null`, `{"Press":"a","at":3}`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		m, word := heldWord(raw)
		if word == nothing {
			return
		}
		if !json.Valid(raw) {
			t.Fatalf("%q is not a word and says %d", raw, word)
		}
		if (word == released) != m.Release || word == pressed && (m.Press == "" || m.Beat > 0) || word == beaten &&
			m.Beat <= 0 {
			t.Errorf("%q says %d", raw, word)
		}
	})
}
