package machine

import (
	"context"
	"sync"
)

// scribe writes things down in order, apart from what moves: adding a job
// never waits. After close it finishes what it has; later jobs run at once.
type scribe struct {
	mu     sync.Mutex
	more   *sync.Cond
	jobs   []func(context.Context)
	closed bool
}

func newScribe() *scribe {
	s := &scribe{}
	s.more = sync.NewCond(&s.mu)
	return s
}

func (s *scribe) add(job func(context.Context)) {
	s.mu.Lock()
	late := s.closed
	if !late {
		s.jobs = append(s.jobs, job)
		s.more.Signal()
	}
	s.mu.Unlock()
	if late {
		job(context.Background())
	}
}

func (s *scribe) close() {
	s.mu.Lock()
	s.closed = true
	s.more.Signal()
	s.mu.Unlock()
}

// run carries jobs out until it is closed and nothing is left.
func (s *scribe) run(ctx context.Context) {
	for {
		s.mu.Lock()
		for len(s.jobs) == 0 && !s.closed {
			s.more.Wait()
		}
		jobs := s.jobs
		s.jobs = nil
		s.mu.Unlock()
		if len(jobs) == 0 {
			return
		}
		for _, job := range jobs {
			job(ctx)
		}
	}
}
