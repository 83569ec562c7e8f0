package camera

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"
	"time"

	"keenarc/core/clock"
	"keenarc/journal"
)

// InStep measures a camera's chain: how late its takes start after the command, over
// several tries, and how its clock runs against this machine's. One measurement at a time;
// it goes on until it is done or broken off. Close waits for it.
type InStep struct {
	eye  *Eye
	mu   sync.Mutex
	now  InStepNow
	stop context.CancelFunc
	wg   sync.WaitGroup
}

// InStepNow is how a measurement stands.
type InStepNow struct {
	Running bool           `json:"running"`
	Does    string         `json:"does,omitempty"`
	Share   float64        `json:"share" doc:"of it that is done"`
	Why     string         `json:"why,omitempty" doc:"why the last one failed"`
	Chain   *journal.Chain `json:"chain,omitempty" doc:"what the last one found"`
}

// How much can be asked for.
const (
	MostTries   = 40
	LeastClockS = 5
	MostClockS  = 600
)

// readEvery is how often the other clock is read.
const readEvery = 60 * time.Millisecond

// NewInStep measures an eye's camera.
func NewInStep(e *Eye) *InStep { return &InStep{eye: e} }

// Now is how it stands.
func (m *InStep) Now() InStepNow {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.now
}

// ErrMeasuring is returned while a measurement goes on.
var ErrMeasuring = errors.New("a measurement goes on already; wait, or break it off")

// Begin starts a measurement of so many tries, then of so many seconds of the clock. over, where
// it is not nil, is called when it has ended; not where it was not begun.
func (m *InStep) Begin(name string, tries int, seconds float64, over func()) error {
	switch {
	case tries < 1 || tries > MostTries:
		return fmt.Errorf("%d tries: give 1 to %d", tries, MostTries)
	case !(seconds >= LeastClockS && seconds <= MostClockS):
		return fmt.Errorf("%g s of its clock: give %d to %d", seconds, LeastClockS, MostClockS)
	case !m.eye.Now().Connected:
		return errors.New("the camera is not there; check its power and cable")
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.now.Running {
		return ErrMeasuring
	}
	ctx, stop := context.WithCancel(context.Background())
	m.now, m.stop = InStepNow{Running: true, Does: "reading its clock"}, stop
	m.wg.Go(func() {
		defer stop()
		if over != nil {
			defer over()
		}
		c, err := m.measure(ctx, tries, seconds)
		m.mu.Lock()
		defer m.mu.Unlock()
		m.now = InStepNow{Share: 1}
		switch {
		case ctx.Err() != nil:
			m.now.Why = "it was broken off"
		case err != nil:
			m.now.Why = err.Error()
		default:
			c.Name = name
			m.now.Chain = c
		}
	})
	return nil
}

// BreakOff ends what goes on.
func (m *InStep) BreakOff() {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.stop != nil {
		m.stop()
	}
}

// Close breaks off and waits.
func (m *InStep) Close() {
	m.BreakOff()
	m.wg.Wait()
}

func (m *InStep) at(does string, share float64) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.now.Does, m.now.Share = does, share
}

// measure tries first, the clock being read all along, and reads it until the time is over.
//
//revive:disable-next-line:function-length one measurement, from its first question to its last
func (m *InStep) measure(ctx context.Context, tries int, seconds float64) (*journal.Chain, error) {
	began := time.Now()
	var pairs []clock.Pair
	since := func(t time.Time) float64 { return t.Sub(began).Seconds() }
	fps := 0.0
	read := func(from int) ([]int64, error) {
		sent := time.Now()
		s, err := m.eye.Stamps(ctx, from)
		got := time.Now()
		if err != nil {
			return nil, err
		}
		fps = s.FPS
		pairs = append(pairs, clock.Pair{Own: float64(s.US) / 1e6, Ref: (since(sent) + since(got)) / 2,
			Within: (since(got) - since(sent)) / 2})
		return s.Frames, nil
	}
	if err := m.atRest(ctx, read); err != nil {
		return nil, err
	}
	// However this ends, no take is left running.
	defer func() {
		if s, err := m.eye.Stamps(ctx, 0); err == nil && s.Recording {
			_ = m.eye.Record(ctx, false)
		}
	}()
	type try struct{ told, first float64 } // by our clock, by its own
	var all []try
	for n := range tries {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		m.at(fmt.Sprintf("try %d of %d", n+1, tries), 0.3*float64(n)/float64(tries))
		told := time.Now()
		if err := m.eye.Record(ctx, true); err != nil {
			return nil, fmt.Errorf("it does not record: %w", err)
		}
		first := math.NaN()
		for late := time.Now().Add(3 * time.Second); math.IsNaN(first) && time.Now().Before(late); {
			f, err := read(0)
			if err != nil {
				return nil, err
			}
			if len(f) > 0 {
				first = float64(f[0]) / 1e6
			} else if err := pause(ctx, readEvery); err != nil {
				return nil, err
			}
		}
		if err := m.eye.Record(ctx, false); err != nil {
			return nil, err
		}
		if math.IsNaN(first) {
			return nil, errors.New("no frame began within 3 s of the command; look at the trigger and its cable")
		}
		all = append(all, try{since(told), first})
	}
	for since(time.Now()) < seconds {
		m.at("reading its clock", 0.3+0.7*since(time.Now())/seconds)
		if _, err := read(0); err != nil {
			return nil, err
		}
		if err := pause(ctx, readEvery); err != nil {
			return nil, err
		}
	}
	against, err := clock.Compare(pairs)
	if err != nil {
		return nil, err
	}
	var late []float64
	within := 0.0
	for _, t := range all {
		at, w := against.Ref(t.first)
		late = append(late, at-t.told)
		within = max(within, w)
	}
	d, err := clock.Late(late, fps)
	if err != nil {
		return nil, err
	}
	c := &journal.Chain{FPS: fps, Delays: d, Clock: against, WithinMS: within * 1000, At: time.Now()}
	if q := against.QuarterMin(fps); q < 24*60 {
		c.QuarterMin = q
	}
	return c, nil
}

// atRest refuses a camera that records already. A stand-in's take can only be one that was
// left running here, as after a crash: it is stopped.
func (m *InStep) atRest(ctx context.Context, read func(int) ([]int64, error)) error {
	if _, err := read(0); err != nil {
		return err
	}
	s, err := m.eye.Stamps(ctx, 0)
	if err != nil || !s.Recording {
		return err
	}
	if k := m.eye.Now().Camera; k == nil || !k.StandIn {
		return errors.New("the camera is recording; stop its take first")
	}
	return m.eye.Record(ctx, false)
}

func pause(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}
