package camera

import (
	"fmt"
	"math"
	"math/rand/v2"
	"sync"
	"time"

	"keenarc/link"
)

// recorder is the camera's own clock, and what it records on it: it starts late, never
// quite as late as the last time, and its clock is not ours.
type recorder struct {
	mu    sync.Mutex
	boot  time.Time
	ppm   float64 // by how much its clock runs fast
	late  float64 // seconds from the command to the first frame, on average
	jit   float64 // standard deviation of that
	fps   float64
	rng   *rand.Rand
	on    bool
	first float64 // on its own clock, seconds
	until float64 // where it was stopped; infinite while it runs
	takes int
}

// What the stand-in records like.
const (
	recordPPM    = 37.5
	recordLate   = 0.118
	recordJitter = 0.006
	recordFPS    = 24
	mostStamps   = 240
)

func newRecorder(seed uint64) *recorder {
	return &recorder{boot: time.Now(), ppm: recordPPM, late: recordLate, jit: recordJitter, fps: recordFPS,
		rng: rand.New(rand.NewPCG(seed, 0xcafe))}
}

// own is its clock now, in seconds since some time before.
func (r *recorder) own() float64 { return 5000 + time.Since(r.boot).Seconds()*(1+r.ppm/1e6) }

// record starts or stops a take.
func (r *recorder) record(on bool) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if on == r.on {
		return fmt.Errorf("it is recording: %v; nothing is changed", r.on)
	}
	if r.on = on; on {
		r.takes++
		r.first = r.own() + math.Max(0.02, r.late+r.jit*r.rng.NormFloat64())
		r.until = math.Inf(1)
	} else {
		r.until = r.own()
	}
	return nil
}

// read is its clock, and when the frames from one on began, as far as they have.
func (r *recorder) read(from int) *link.Stamps {
	r.mu.Lock()
	defer r.mu.Unlock()
	now := r.own()
	s := &link.Stamps{US: int64(now * 1e6), Recording: r.on, Take: r.takes, FPS: r.fps, Frames: []int64{}}
	if r.takes == 0 {
		return s
	}
	for n := max(0, from); len(s.Frames) < mostStamps; n++ {
		at := r.first + float64(n)/r.fps
		if at > now || at > r.until {
			break
		}
		s.Frames = append(s.Frames, int64(at*1e6))
	}
	return s
}
