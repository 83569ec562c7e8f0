package stage

import (
	"context"
	"fmt"
	"math"
	"sync"
	"time"

	"keenarc/core/rig"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/link"
)

// FastestMPS is the most that any point of a machine moves while an axis is jogged, in
// metres a second, unless its working speed is less.
const FastestMPS = 0.25

// jogStages are the shares of the speed that a jog has once it has been held for so
// long: it begins at a crawl.
var jogStages = []struct {
	after time.Duration
	share float64
}{{0, 0.1}, {700 * time.Millisecond, 0.3}, {2 * time.Second, 1}}

// Jog is one axis that moves for as long as somebody holds. Its beats come from the
// page that holds and are passed on, never made here.
type Jog struct {
	f     *Floor
	c     link.Rig
	epoch int64
	axis  string
	full  float64 // signed, axis units a second
	until *float64
	began time.Time
	mu    sync.Mutex
	stage int
}

// JogSpeed is how fast an axis is jogged at the most, in its unit a second: its working
// speed, or what moves the fastest point of the machine at FastestMPS from where it is.
func JogSpeed(r *rig.Rig, pos map[string]float64, axis int) float64 {
	a := r.Axes[axis]
	q := make([]float64, len(r.Axes))
	for i := range q {
		q[i] = pos[r.Axes[i].ID]
	}
	p := append([]float64(nil), q...)
	const little = 0.01
	p[axis] += little
	perUnit := weave.Travel(r, q, p) / little // metres
	if perUnit <= 0 {
		return a.Working.Speed
	}
	return min(a.Working.Speed, FastestMPS/perUnit)
}

// BeginJog starts an axis, by the machine's own name, one way (1) or the other (−1), at a
// crawl that speeds up in stages.
// It goes as far as until, where that is given.
// share is how much of its full speed it has at the most, down to a hundredth; 0: all.
func (f *Floor) BeginJog(ctx context.Context, who journal.Person, axis string, way int, share float64, until *float64) (*Jog, error) {
	if share == 0 {
		share = 1
	}
	if !(share >= 0.01 && share <= 1) {
		return nil, fmt.Errorf("a jog at %g of its speed: give 0.01 to 1", share)
	}
	c, epoch, err := f.rigNow()
	if err != nil {
		return nil, err
	}
	f.mu.Lock()
	r, pos := f.rig, f.state.Pos
	f.mu.Unlock()
	i := r.Index(axis)
	if i < 0 || way != 1 && way != -1 {
		return nil, fmt.Errorf("%s has no axis %q to jog one way or the other", f.name, axis)
	}
	j := &Jog{f: f, c: c, epoch: epoch, axis: axis, full: float64(way) * share * JogSpeed(r, pos, i), until: until, began: time.Now()}
	if _, err := f.call(ctx, link.Request{Do: "jog", Axis: axis, Speed: j.full * jogStages[0].share, Until: until}); err != nil {
		return nil, err
	}
	f.note(journal.Entry{Actor: who, Kind: "jog", Text: fmt.Sprintf("%s: %s is jogged.", f.name, r.Axes[i].Name)})
	return j, nil
}

// Beat passes one sign of life on; where the next stage has come it asks for its speed.
func (j *Jog) Beat(ctx context.Context) error {
	if err := j.c.Send(link.Request{Do: "beat", Epoch: j.epoch}); err != nil {
		return err
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	k := jogStage(time.Since(j.began))
	if k == j.stage {
		return nil
	}
	j.stage = k
	speed := j.full * jogStages[k].share
	_, err := j.f.call(ctx, link.Request{Do: "jog", Axis: j.axis, Speed: math.Copysign(math.Abs(speed), j.full), Until: j.until})
	return err
}

// jogStage is which stage a jog is in after so long.
func jogStage(held time.Duration) int {
	k := 0
	for i, s := range jogStages {
		if held >= s.after {
			k = i
		}
	}
	return k
}

// Release lets go: the axis slows to rest.
func (j *Jog) Release() { _ = j.c.Send(link.Request{Do: "release", Epoch: j.epoch}) }
