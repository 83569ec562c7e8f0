package e2e

import (
	"os"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
)

// stood watches whether this computer ran at all: a goroutine that wants to run every ten
// milliseconds, and the time that the host took from the processors (steal in /proc/stat). What is
// about real time cannot be asked of a computer that stood still meanwhile.
type stood struct {
	mu    sync.Mutex
	stops []standing
}

// standing is a time in which nothing ran, or a processor was not ours.
type standing struct {
	at   time.Time
	took time.Duration
}

// watchStanding begins to watch, until the test ends.
func watchStanding(t *testing.T) *stood {
	s := &stood{}
	end := make(chan struct{})
	var wg sync.WaitGroup
	wg.Go(func() {
		const every = 10 * time.Millisecond
		last := time.Now()
		for k := 0; ; k++ {
			select {
			case <-end:
				return
			case <-time.After(every):
			}
			now := time.Now()
			s.add(now, now.Sub(last)-every)
			last = now
		}
	})
	wg.Go(func() {
		const every = 100 * time.Millisecond
		last := steal()
		for {
			select {
			case <-end:
				return
			case <-time.After(every):
			}
			now := steal()
			for k := range min(len(now), len(last)) {
				s.add(time.Now(), now[k]-last[k])
			}
			last = now
		}
	})
	t.Cleanup(func() { close(end); wg.Wait() })
	return s
}

// tooLong is what is noted: half of the silence that ends a hold leaves no room for beats that are
// 50 ms apart.
const tooLong = 60 * time.Millisecond

func (s *stood) add(at time.Time, took time.Duration) {
	if took < tooLong {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stops = append(s.stops, standing{at, took})
}

// since is the longest from a moment on.
func (s *stood) since(from time.Time) time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	var most time.Duration
	for _, x := range s.stops {
		if x.at.After(from) {
			most = max(most, x.took)
		}
	}
	return most
}

// steal is how long the host has kept each processor from us; nothing where that is not known.
func steal() []time.Duration {
	b, err := os.ReadFile("/proc/stat")
	if err != nil {
		return nil
	}
	var all []time.Duration
	for line := range strings.Lines(string(b)) {
		f := strings.Fields(line)
		if len(f) < 9 || !strings.HasPrefix(f[0], "cpu") || f[0] == "cpu" {
			continue
		}
		if n, err := strconv.ParseInt(f[8], 10, 64); err == nil {
			all = append(all, time.Duration(n)*10*time.Millisecond)
		}
	}
	return all
}
