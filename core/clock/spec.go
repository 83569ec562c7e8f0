package clock

import (
	"fmt"
	"math"
	"slices"
)

// Clock says which frame is due when, over one run of a path. Time counts from the
// start of the run. A position depends on the tick alone, never on those before.
type Clock interface {
	// At is the position due at tick of a counter of hz (above zero) ticks a second.
	At(tick, hz int64) Pos
	// Ticks is the number of hz ticks until the run is over.
	Ticks(hz int64) int64
	// Seconds is its duration.
	Seconds() float64
	// FrameAt is the real frame due t seconds after the start.
	FrameAt(t float64) float64
	// TimesAt lists the maximal intervals of time at which a frame is due, in order:
	// a frame may be passed several times, and waited at.
	TimesAt(frame float64) []Interval
	// MaxSpeed and MaxAcceleration are the largest of frames per second and second²,
	// what happens at Stops left out.
	MaxSpeed() float64
	MaxAcceleration() float64
	// Stops are the frames at which the clock changes its speed at once, the ends of
	// the run left out. Whatever runs on it must stand still there.
	Stops() []int
	// Eases are the stretches in which it changes its speed smoothly, each once however
	// often it comes.
	Eases() []Ease
	// Pictured says of each time that TimesAt lists for a whole frame whether the camera
	// takes a picture of exactly it. A camera that keeps step with the path always does.
	Pictured(frame int) []bool
	Traits() Traits
}

// Traits of a clock: whether it runs forward and backward, by how many frames it jumps back
// where it begins anew (0: it never does), and what acceleration and jerk along the path, in
// frames a second² and a second³, it may have anywhere, its eases apart.
type Traits struct {
	Forward, Backward bool
	Round             int
	Free, Jolt        float64
}

// Ease is a smooth change of speed: over Seconds it goes from V0 to V1 frames a second
// (signed), its speed rising as 3u² − 2u³, from the frame From.
type Ease struct{ At, Seconds, From, V0, V1 float64 }

// Gone is how far it has gone, in frames, after the share u of its time, with the speed in
// frames a second and the acceleration.
func (e Ease) Gone(u float64) (frames, speed, acceleration float64) {
	u = min(max(u, 0), 1)
	d := e.V1 - e.V0
	return e.Seconds * (e.V0*u + d*u*u*u*(1-u/2)), e.V0 + d*u*u*(3-2*u), d * 6 * u * (1 - u) / e.Seconds
}

// ShareAt is the share of its time at which it is at a frame that it touches. Neither speed
// has the other's sign, so there is one.
func (e Ease) ShareAt(frame float64) float64 {
	lo, hi := 0.0, 1.0
	for range 60 {
		u := (lo + hi) / 2
		if gone, _, _ := e.Gone(u); math.Abs(gone) < math.Abs(frame-e.From) {
			lo = u
		} else {
			hi = u
		}
	}
	return (lo + hi) / 2
}

// Over is the stretch of frames that it touches.
func (e Ease) Over() (lo, hi float64) {
	gone, _, _ := e.Gone(1)
	return min(e.From, e.From+gone), max(e.From, e.From+gone)
}

// Kind is a kind of clock.
type Kind string

// The kinds: at one rate; so many pictures at an interval, standing at each or creeping
// on; and at a rate that somebody changes while it runs.
const (
	Steady   Kind = "steady"
	Stepped  Kind = "stepped"
	Crawling Kind = "crawling"
	Live     Kind = "live"
)

// Kinds are all kinds of clocks.
var Kinds = []Kind{Steady, Stepped, Crawling, Live}

// Way is in which direction a clock goes through a run.
type Way string

// The ways: from the first frame to the last, from the last to the first, first one and
// then the other, and on from the first again where the last pose is the first.
const (
	On           Way = "on"
	Back         Way = "back"
	ThereAndBack Way = "there and back"
	Around       Way = "around"
)

// Ways are all of them.
var Ways = []Way{On, Back, ThereAndBack, Around}

// Wait is how long a clock waits at a frame, whenever it gets there.
type Wait struct {
	Frame int   `json:"frame"`
	MS    int64 `json:"ms" minimum:"1" maximum:"3600000" doc:"milliseconds"`
}

// MostWaits bounds the waits of a clock, MostWait each of them in milliseconds, MostRun
// a whole run: a week. MostEase bounds the time that a change of speed is given.
const (
	MostWaits    = 100
	MostWait     = 3_600_000
	MostTimes    = 100
	MostEase     = 60_000
	MostPictures = 20_000
	MostRun      = 7 * 24 * 3_600_000
)

// Run is what a clock runs over: from frame Start to frame End, with the pictures
// [First, Last) in it.
type Run struct{ Start, First, Last, End int }

// Whole is a run that is all pictures.
func Whole(first, last int) Run { return Run{first, first, last, last} }

// Spec describes a clock as it is kept with a pass and pinned by a take. A path
// and its rate make a Clock of it.
type Spec struct {
	Kind   Kind   `json:"kind" enum:"steady,stepped,crawling,live"`
	Factor Rate   `json:"factor"`
	Way    Way    `json:"way" enum:"on,back,there and back,around"`
	Waits  []Wait `json:"waits,omitempty"`
	// DelayMS is how long it stands at its first frame before it sets out.
	DelayMS int64 `json:"delay_ms,omitempty" minimum:"0" maximum:"3600000"`
	// Times is how often it goes there and back, or around, one after another; none: once.
	Times int `json:"times,omitempty" minimum:"0" maximum:"100"`
	// EaseMS is how long it takes to slow down before a turn or a wait, and to gather its
	// rate again after it; none: at once, which only a path that stands still there allows.
	EaseMS       int64 `json:"ease_ms,omitempty" minimum:"0" maximum:"60000"`
	CameraLocked bool  `json:"camera_locked,omitempty"`
	// Pictures of the move, one every IntervalMS; standing still but for MoveMS of it.
	Pictures   int   `json:"pictures,omitempty" minimum:"0" maximum:"20000"`
	IntervalMS int64 `json:"interval_ms,omitempty" minimum:"0" maximum:"604800000"`
	MoveMS     int64 `json:"move_ms,omitempty" minimum:"0" maximum:"604800000"`
	// Steers are how a live clock's speed was changed while it ran.
	Steers []Steer `json:"steers,omitempty"`
	// Law is by which a live clock changes its speed: what was rolled replays by the law that it
	// was rolled by. See live.
	Law int `json:"law,omitempty" minimum:"0" maximum:"1"`
}

// Times is a steady clock of a factor of the path's rate, from first to last.
func Times(factor Rate) Spec { return Spec{Kind: Steady, Factor: factor, Way: On} }

// Check refuses what describes no clock.
func (s Spec) Check() error {
	if !slices.Contains(Kinds, s.Kind) {
		return fmt.Errorf("clock: %q is not a kind; use one of %v", s.Kind, Kinds)
	}
	if !slices.Contains(Ways, s.Way) {
		return fmt.Errorf("way: %q; give on, back, there and back or around", s.Way)
	}
	if err := s.Factor.Check("factor"); err != nil {
		return err
	}
	for _, x := range []struct {
		name, unit string
		v, most    int64
	}{{"delay", " ms", s.DelayMS, MostWait}, {"ease", " ms", s.EaseMS, MostEase}, {"pictures", "", int64(s.Pictures),
		MostPictures}, {"interval", " ms", s.IntervalMS, MostRun}, {"move", " ms", s.MoveMS, MostRun}} {
		if x.v < 0 || x.v > x.most {
			return fmt.Errorf("%s: %d%s; give 0 to %d", x.name, x.v, x.unit, x.most)
		}
	}
	if s.Times < 0 || s.Times > MostTimes {
		return fmt.Errorf("times: %d; give 1 to %d", s.Times, MostTimes)
	}
	if s.Times > 1 && s.Way != ThereAndBack && s.Way != Around {
		return fmt.Errorf("times: %d of a clock that goes %s; go there and back or around, which end where they begin",
			s.Times, s.Way)
	}
	if len(s.Waits) > MostWaits {
		return fmt.Errorf("waits: %d of them; give at most %d", len(s.Waits), MostWaits)
	}
	for i, w := range s.Waits {
		if w.MS < 1 || w.MS > MostWait {
			return fmt.Errorf("waits: %d ms at frame %d; give 1 to %d", w.MS, w.Frame, MostWait)
		}
		if i > 0 && w.Frame <= s.Waits[i-1].Frame {
			return fmt.Errorf("waits: frame %d after %d; give each frame once, in rising order", w.Frame,
				s.Waits[i-1].Frame)
		}
	}
	if s.Law < 0 || s.Law > NewestLaw || s.Law > 0 && s.Kind != Live {
		return fmt.Errorf("law: %d on a clock that is %s; give 0 to %d on a live one, and none on others", s.Law,
			s.Kind, NewestLaw)
	}
	switch s.Kind {
	case Stepped, Crawling:
		return s.checkLapse()
	case Live:
		return s.checkLive()
	}
	if s.Pictures > 0 || s.IntervalMS > 0 || s.MoveMS > 0 {
		return fmt.Errorf("pictures: %d at an interval of %d ms on a clock that is %s; make it stepped or crawling, "+
			"or leave them out", s.Pictures, s.IntervalMS, s.Kind)
	}
	if len(s.Steers) > 0 {
		return fmt.Errorf("steers: %d changes of speed on a clock that is %s; only a live one is steered",
			len(s.Steers), s.Kind)
	}
	return nil
}

// Over makes a clock for a run at the path's rate.
func (s Spec) Over(run Run, rate Rate) (Clock, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	if err := rate.Check("rate"); err != nil {
		return nil, err
	}
	for _, w := range s.Waits {
		if w.Frame < run.Start || w.Frame > run.End {
			return nil, fmt.Errorf("waits: frame %d is outside the run; give %d to %d", w.Frame, run.Start, run.End)
		}
	}
	if !(run.Start <= run.First && run.First <= run.Last && run.Last <= run.End) || run.End-run.Start > MostFrames {
		return nil, fmt.Errorf("run: frames %d, %d, %d, %d; give them in rising order, at most %d from the first "+
			"to the last", run.Start, run.First, run.Last, run.End, MostFrames)
	}
	var c Clock
	switch {
	case s.Kind == Stepped:
		c = s.steps(run)
	case s.Kind == Crawling:
		c = s.crawl(run)
	case s.Kind == Live:
		return s.live(run, rate)
	case s.Way == On && len(s.Waits) == 0 && s.DelayMS == 0:
		c = Uniform{First: run.Start, Last: run.End, Path: rate, Factor: s.Factor, CameraLocked: s.CameraLocked,
			Picture: run.First}
	default:
		c = s.lay(run, rate)
	}
	if t := c.Seconds(); t > MostRun/1000 {
		return nil, fmt.Errorf("clock: it takes %.4g hours; give it at most a week", t/3600)
	}
	return c, nil
}

// MostFrames bounds a run.
const MostFrames = 1 << 24

// Same reports whether two specs describe the same clock.
func (s Spec) Same(o Spec) bool {
	return s.Kind == o.Kind && s.Factor.Num*o.Factor.Den == o.Factor.Num*s.Factor.Den && s.Way == o.Way &&
		s.CameraLocked == o.CameraLocked &&
		s.DelayMS == o.DelayMS && max(s.Times, 1) == max(o.Times, 1) && s.EaseMS == o.EaseMS &&
		slices.Equal(s.Waits, o.Waits) &&
		s.Pictures == o.Pictures && s.IntervalMS == o.IntervalMS && s.MoveMS == o.MoveMS && slices.Equal(s.Steers,
		o.Steers) && s.Law == o.Law
}
