package web

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"
)

// As many run as there are places, the others in the order in which they came; one that
// nobody waits for is not begun, and what breaks off is an error.
func TestGate(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := &Server{computing: newTurns(2), log: slog.New(slog.DiscardHandler)}
		var mu sync.Mutex
		var began []int
		running, most := 0, 0
		work := func(n int) func(context.Context) error {
			return func(ctx context.Context) error {
				mu.Lock()
				began = append(began, n)
				running++
				most = max(most, running)
				mu.Unlock()
				time.Sleep(3 * time.Second)
				// What is worked out within it waits for no other turn.
				err := s.compute(ctx, "x", "a part", func(context.Context) error {
					time.Sleep(time.Second)
					return nil
				})
				mu.Lock()
				running--
				mu.Unlock()
				return err
			}
		}
		var wg sync.WaitGroup
		gone, cancel := context.WithCancel(t.Context())
		for n := range 6 {
			ctx := t.Context()
			if n == 3 {
				ctx = gone
			}
			wg.Go(func() {
				if err := s.compute(ctx, "x", "work", work(n)); (n == 3) != errors.Is(err, context.Canceled) {
					t.Errorf("%d: %v", n, err)
				}
			})
			synctest.Wait()
		}
		time.Sleep(2 * time.Second)
		if got := s.computing.of("x"); len(got) != 6 || got[0].Waits || got[1].Waits || !got[2].Waits ||
			got[0].Says != "work" {
			t.Errorf("pages are told %+v", got)
		}
		if got := s.computing.of("y"); len(got) != 0 {
			t.Errorf("another shot's are told %+v", got)
		}
		cancel()
		synctest.Wait()
		if got := s.computing.of("x"); len(got) != 5 {
			t.Errorf("after one has gone: %+v", got)
		}
		wg.Wait()
		if len(began) == 5 { // two places come free at one instant: which of the two begins first is nobody's
			slices.Sort(began[2:4])
		}
		if want := []int{0, 1, 2, 4, 5}; most != 2 || !slices.Equal(began, want) {
			t.Errorf("%d at a time, in the order %v", most, began)
		}
		// The places are all there again, also after one that broke off.
		for range 3 {
			if err := s.compute(t.Context(), "x", "nothing", func(context.Context) error { panic("no") }); err == nil ||
				!strings.Contains(err.Error(), "broke off") {
				t.Errorf("it broke off: %v", err)
			}
		}
		if s.computing.free != 2 || len(s.computing.doing) != 0 || len(s.computing.queue) != 0 {
			t.Errorf("%+v", s.computing)
		}
	})
}

// Too many that wait are refused at once.
func TestGateIsCrowded(t *testing.T) {
	g := newTurns(1)
	ctx, cancel := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	first, err := g.enter(ctx, "", "first", 2)
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		wg.Go(func() { _, _ = g.enter(ctx, "", "more", 2) })
	}
	for late := time.Now().Add(5 * time.Second); ; time.Sleep(time.Millisecond) {
		g.mu.Lock()
		n := len(g.queue)
		g.mu.Unlock()
		if n == 2 {
			break
		}
		if time.Now().After(late) {
			t.Fatal("nobody waits")
		}
	}
	if _, err := g.enter(ctx, "", "one more", 2); !errors.Is(err, errCrowded) {
		t.Errorf("%v", err)
	}
	cancel()
	wg.Wait()
	g.leave(first)
	if g.free != 1 {
		t.Errorf("%d places", g.free)
	}
}
