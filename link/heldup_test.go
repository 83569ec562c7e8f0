package link

import (
	"testing"
	"time"
)

// The longest time without a turn counts, beyond the pause that was meant, and once.
func TestHeldUp(t *testing.T) {
	now := time.Now().Add(time.Hour)
	h := &HeldUp{last: now}
	for _, after := range []int{10, 12, 260, 11} {
		now = now.Add(time.Duration(after) * time.Millisecond)
		h.seen(now)
	}
	if h.longest != 250*time.Millisecond {
		t.Errorf("held up for %v, want 250 ms", h.longest)
	}
	if l := h.Longest(); l != 250*time.Millisecond {
		t.Errorf("held up for %v, want 250 ms", l)
	}
	if h.longest != 0 {
		t.Errorf("%v are kept for the next time", h.longest)
	}
	for late, want := range map[int]bool{0: false, 99: false, 101: true, 1000: true} {
		if TooLong(time.Duration(late)*time.Millisecond) != want {
			t.Errorf("%d ms: %v", late, !want)
		}
	}
}

// It is measured until the context ends, and a question is a measurement, too.
func TestWatchHeldUp(t *testing.T) {
	h := WatchHeldUp(t.Context())
	h.mu.Lock()
	h.last = time.Now().Add(-time.Second)
	h.mu.Unlock()
	if l := h.Longest(); l < 900*time.Millisecond {
		t.Errorf("a second without a turn: %v", l)
	}
}
