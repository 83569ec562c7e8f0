package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"keenarc/core/effort"
)

// turns lets so many computations run at a time, half of the processors, and the others wait in
// turn: holds and rigs are never kept waiting by what is worked out beside them.
type turns struct {
	mu    sync.Mutex
	free  int
	queue []*turn // who waits, the first first
	doing map[*turn]bool
	came  int64 // turns so far
}

// turn is one computation.
type turn struct {
	Computing
	nth  int64         // in the order in which they came
	done *effort.Count // how far it is
	come chan struct{} // closed when its turn has come
}

// Computing is what is worked out, as pages of its shot are told.
type Computing struct {
	Says    string  `json:"says" doc:"what is worked out, in words"`
	Shot    string  `json:"-"`
	SinceMS int64   `json:"since_ms" doc:"unix milliseconds"`
	Waits   bool    `json:"waits,omitempty" doc:"for its turn"`
	Share   float64 `json:"share,omitempty" doc:"how much of it is done, 0 to 1; left out where nobody knows how long it is"`
}

// mostQueued may wait at a time.
const mostQueued = 32

// errCrowded is returned where too many wait already.
var errCrowded = errors.New("too much is being worked out at this moment; try again in a few seconds")

func newTurns(places int) *turns { return &turns{free: max(1, places), doing: map[*turn]bool{}} }

// enter waits for a turn, as long as the context lasts. most is how many may wait before it.
func (g *turns) enter(ctx context.Context, shot, says string, most int) (*turn, error) {
	t := &turn{Computing: Computing{Says: says, Shot: shot, SinceMS: time.Now().UnixMilli(), Waits: true},
		done: &effort.Count{}, come: make(chan struct{})}
	g.mu.Lock()
	g.came++
	t.nth = g.came
	if g.free > 0 && len(g.queue) == 0 {
		g.begin(t)
		g.mu.Unlock()
		return t, nil
	}
	if len(g.queue) >= most {
		g.mu.Unlock()
		return nil, errCrowded
	}
	g.queue = append(g.queue, t)
	g.doing[t] = true
	g.mu.Unlock()
	select {
	case <-t.come:
		return t, nil
	case <-ctx.Done():
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if k := slices.Index(g.queue, t); k >= 0 {
		g.queue = slices.Delete(g.queue, k, k+1)
		delete(g.doing, t)
	} else { // its turn had come at that moment
		g.over(t)
	}
	return nil, ctx.Err()
}

// begin gives a computation a place; mu is held.
func (g *turns) begin(t *turn) {
	g.free--
	t.Waits, g.doing[t] = false, true
	close(t.come)
}

// over gives its place back, and to the next; mu is held.
func (g *turns) over(t *turn) {
	delete(g.doing, t)
	g.free++
	if len(g.queue) > 0 {
		next := g.queue[0]
		g.queue = g.queue[1:]
		g.begin(next)
	}
}

// leave ends a computation.
func (g *turns) leave(t *turn) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.over(t)
}

// shown is how long something is worked out before pages are told.
const shown = time.Second

// of are the computations of a shot that have taken longer than a moment, the oldest first.
func (g *turns) of(shot string) []Computing {
	g.mu.Lock()
	defer g.mu.Unlock()
	var all []*turn
	for t := range g.doing {
		if t.Shot == shot && time.Since(time.UnixMilli(t.SinceMS)) > shown {
			all = append(all, t)
		}
	}
	slices.SortFunc(all, func(a, b *turn) int { return int(a.nth - b.nth) })
	var out []Computing
	for _, t := range all {
		c := t.Computing
		c.Share = math.Round(t.done.Share()*100) / 100
		out = append(out, c)
	}
	return out
}

// insideKey marks what is worked out within a turn already.
type insideKey struct{}

// compute works something out in its turn. What nobody waits for any more is not begun, and
// ended where it has begun; what goes wrong in it is an error, and does not end the application.
func (s *Server) compute(ctx context.Context, shot, says string, f func(context.Context) error) error {
	return s.computeIn(s.computing, ctx, shot, says, f)
}

// quickly is the same for what takes a moment and a hand waits for, as a preview: it has a turn
// of its own, so that it does not wait behind a seal.
func (s *Server) quickly(ctx context.Context, shot, says string, f func(context.Context) error) error {
	return s.computeIn(s.quick, ctx, shot, says, f)
}

func (s *Server) computeIn(g *turns, ctx context.Context, shot, says string, f func(context.Context) error) (
	err error) {
	if ctx.Value(insideKey{}) == nil {
		t, err := g.enter(ctx, shot, says, mostQueued)
		if err != nil {
			return err
		}
		defer g.leave(t)
		ctx = effort.With(context.WithValue(ctx, insideKey{}, true), t.done)
	}
	defer func() {
		if p := recover(); p != nil {
			s.log.Error("a computation broke off", "what", says, "panic", p, "stack", string(debug.Stack()))
			err = fmt.Errorf("working out %s broke off", says)
		}
	}()
	return f(ctx)
}
