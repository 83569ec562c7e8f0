package web

import (
	"testing"

	"keenarc/core/weave"
)

// Hands go in once the press is over, and not while its end is still being written down: a press then
// would be refused.
func TestHandsGoInWhenThePressIsOver(t *testing.T) {
	for _, p := range []weave.Phase{weave.Going, weave.Settling, weave.Still, weave.Exposing, weave.Keeping,
		weave.Away} {
		if got := told(p, false); got != p {
			t.Errorf("at rest %s is told as %s", p, got)
		}
		want := p
		if p == weave.Still {
			want = weave.Settling
		}
		if got := told(p, true); got != want {
			t.Errorf("in a press %s is told as %s", p, got)
		}
	}
}
