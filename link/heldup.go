package link

import (
	"context"
	"sync"
	"time"
)

// HeldUp measures how long this computer kept a waiting routine from running: a virtual machine that
// is frozen, a processor that others take. A device that hears no beat meanwhile is right to stop, so
// what it did then says nothing about it.
type HeldUp struct {
	mu      sync.Mutex
	last    time.Time
	longest time.Duration
}

// heldUpEvery is how often the routine asks to run.
const heldUpEvery = 10 * time.Millisecond

// WatchHeldUp measures until the context ends.
func WatchHeldUp(ctx context.Context) *HeldUp {
	h := &HeldUp{last: time.Now()}
	go func() {
		tk := time.NewTicker(heldUpEvery)
		defer tk.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tk.C:
				h.seen(time.Now())
			}
		}
	}()
	return h
}

func (h *HeldUp) seen(now time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if late := now.Sub(h.last) - heldUpEvery; late > h.longest {
		h.longest = late
	}
	h.last = now
}

// Longest answers the longest that it was held up since it was last asked.
func (h *HeldUp) Longest() time.Duration {
	h.seen(time.Now())
	h.mu.Lock()
	defer h.mu.Unlock()
	l := h.longest
	h.longest = 0
	return l
}

// TooLong reports whether a device may have missed the beats of somebody who was held up that long:
// a beat that is sent on time leaves this much of the silence that ends a motion.
func TooLong(heldUp time.Duration) bool {
	return heldUp > (SilenceMS-2*BeatMS)*time.Millisecond
}
