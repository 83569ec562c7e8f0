package stage

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"time"

	"keenarc/core/limit"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/journal"
)

// Bench is what shooting frame by frame needs to know of a shot.
type Bench struct {
	Shot    string
	Desk    *Desk // Table is the one that the shoot's frames are taken on
	SealID  string
	Judge   *trace.Judge
	Newer   int     // the version of a newer sealed path that was not declined; 0: there is none
	NewerPx float64 // how far it differs at the cell that comes next
	Shoot   *journal.Shoot
}

// Shooting takes shots frame by frame: it owns the order of each cell. One thing is done
// at a time. Run owns every goroutine and waits for them.
type Shooting struct {
	floors  Floors
	eye     *Eye
	journal journal.Frames
	log     *slog.Logger
	// Changed is told of each shot whose shoot was changed.
	Changed func(shot string)

	work  chan func(context.Context)
	began time.Time
	mu    sync.Mutex
	busy  bool
	ended bool // what was going on before this start is ended in the record
	open  bool // of some exposure it may not be known what became of it
	// steady is, of exposures that were seen to their end and are not stored yet, why they
	// may not be good; empty where nothing moved.
	steady map[string]string
	halt   int64 // counted up by every stop
	now    FramesNow
	subs   map[chan struct{}]bool
}

// FramesNow is what is being done.
type FramesNow struct {
	Shot    string      `json:"shot"`
	Phase   weave.Phase `json:"phase" enum:"going,settling,still,exposing,keeping,away"`
	Cell    weave.Cell  `json:"cell"`
	SinceMS int64       `json:"since_ms" doc:"when the phase began, in unix milliseconds"`
	SettleS float64     `json:"settle_s" doc:"how long it settles after a move"`
	Trouble string      `json:"trouble,omitempty" doc:"what went wrong last"`
	Camera  EyeNow      `json:"camera"`
}

// ErrPressed is returned while something is being done.
var ErrPressed = errors.New("wait: the last press is still being carried out")

// NewShooting prepares it; the camera's connection tells it when there is something to
// be asked.
func NewShooting(floors Floors, eye *Eye, j journal.Frames, log *slog.Logger) *Shooting {
	s := &Shooting{floors: floors, eye: eye, journal: j, log: log, work: make(chan func(context.Context), 1), subs: map[chan struct{}]bool{}, steady: map[string]string{}, now: FramesNow{Phase: weave.Away}}
	eye.There = func(ctx context.Context) { s.Recover(ctx) }
	return s
}

// Run carries out what is asked until the context ends, and the camera's connection.
func (s *Shooting) Run(ctx context.Context) {
	var wg sync.WaitGroup
	defer wg.Wait()
	s.mu.Lock()
	s.began, s.open = time.Now(), true // of the time before this start nothing is known
	s.mu.Unlock()
	wg.Go(func() { s.eye.Run(ctx) })
	again := time.NewTicker(recoverPause)
	defer again.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-again.C:
			s.mu.Lock()
			open := s.open
			s.mu.Unlock()
			if open && s.eye.Now().Connected {
				s.Recover(ctx)
			}
		case do := <-s.work:
			do(ctx)
			s.mu.Lock()
			s.busy = false
			s.mu.Unlock()
			s.notify()
		}
	}
}

// recoverPause is how often it is asked again what became of exposures.
const recoverPause = 700 * time.Millisecond

// begin hands work over, if nothing is being done.
func (s *Shooting) begin(do func(context.Context)) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.busy {
		return ErrPressed
	}
	s.busy = true
	s.work <- do
	return nil
}

// Now is what is being done, and the camera.
func (s *Shooting) Now() FramesNow {
	s.mu.Lock()
	n := s.now
	s.mu.Unlock()
	n.Camera = s.eye.Now()
	return n
}

// Busy reports whether something is being done.
func (s *Shooting) Busy() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.busy
}

// Watch returns a channel that is signalled with every change, and what ends it.
func (s *Shooting) Watch() (<-chan struct{}, func()) {
	ch := make(chan struct{}, 1)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.subs[ch] = true
	return ch, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.subs, ch)
	}
}

func (s *Shooting) notify() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for ch := range s.subs {
		select {
		case ch <- struct{}{}:
		default:
		}
	}
}

// Halt keeps what is being done from going on: no further picture and no further move
// is begun. Whatever moves is stopped by its floor.
func (s *Shooting) Halt() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.halt++
}

func (s *Shooting) halted(since int64) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.halt != since
}

// phase says what begins, and writes it down first.
func (s *Shooting) phase(ctx context.Context, b *Bench, c weave.Cell, p weave.Phase) error {
	if p == weave.Going || p == weave.Settling || p == weave.Still || p == weave.Away {
		if err := s.journal.Phase(ctx, b.Shot, c.Frame, p); err != nil {
			return fmt.Errorf("the record cannot be written: %w", err)
		}
	}
	s.mu.Lock()
	s.now.Shot, s.now.Cell, s.now.Phase, s.now.SinceMS = b.Shot, c, p, time.Now().UnixMilli()
	s.mu.Unlock()
	s.notify()
	return nil
}

func (s *Shooting) trouble(text string) {
	s.mu.Lock()
	s.now.Trouble = text
	s.mu.Unlock()
	s.notify()
}

// Question is what has to be confirmed before a press is carried out.
type Question struct {
	Text     string  `json:"text"`
	TravelMM float64 `json:"travel_mm"`
	Frame    int     `json:"frame"`
}

// Next is one press: at the pose of the cell that comes next it exposes what is wanted
// there and goes on to the next one's pose; elsewhere it goes to the pose. A move of more
// than the stated distance is asked about first, unless it was confirmed. It answers at
// once; what follows is in Now.
func (s *Shooting) Next(ctx context.Context, b *Bench, who journal.Person, confirmed bool) (*Question, error) {
	if s.Busy() {
		return nil, ErrPressed
	}
	board := b.Shoot.Board()
	for _, e := range b.Shoot.Exposures {
		if e.Fate == weave.Asked { // moving away would make it uncertain
			s.Recover(ctx)
			return nil, fmt.Errorf("%w: what became of %s is not known yet; it is asked all the time. Wait, or answer on its cell", ErrNotAllowed, cellName(b, e.Cell))
		}
	}
	cell, ok := board.Now(b.Shoot.Turn)
	if !ok {
		return nil, fmt.Errorf("%w: every cell is taken; take one once more, or go back to one", ErrNotAllowed)
	}
	floor, _, err := s.machine(b)
	if err != nil {
		return nil, err
	}
	all := s.floors.Now()
	now := Gather(b.Desk.Machines, all)
	if r := FrameReadiness(now, b.Desk, s.eye.Now(), cell, b); !r.OK {
		return nil, fmt.Errorf("%w: %s", ErrNotAllowed, r.Sentence)
	}
	at := AtPose(now, b.Desk, cell.Frame)
	list := []weave.Cell{}
	next, more := cell, true
	if at {
		list = board.Press(cell)
		next, more = After(b.Shoot, list)
	}
	if more && !confirmed {
		if m := Travel(now, b.Desk, next.Frame); m > b.Shoot.Scheme.AskM {
			return &Question{Text: fmt.Sprintf("The camera moves %.0f mm to frame %s. Hands and faces out of its way, everyone clear of %g m?", m*1000, limit.Frame4(float64(next.Frame)), b.Desk.Rig.ClearM),
				TravelMM: math.Round(m * 1000), Frame: next.Frame}, nil
		}
	}
	s.mu.Lock()
	since := s.halt
	s.now.Trouble = ""
	s.mu.Unlock()
	return nil, s.begin(func(ctx context.Context) {
		if err := s.carryOut(ctx, b, floor, who, list, next, more, since); err != nil {
			s.trouble(err.Error())
			s.log.Warn("frame by frame", "shot", b.Shot, "err", err)
		}
		if s.Changed != nil {
			s.Changed(b.Shot)
		}
	})
}

// After is the cell that comes once a press's cells are taken.
func After(h *journal.Shoot, list []weave.Cell) (weave.Cell, bool) {
	then := *h
	then.Exposures = append([]journal.Exposure(nil), h.Exposures...)
	b := h.Board()
	for _, c := range list {
		then.Exposures = append(then.Exposures, journal.Exposure{Exposure: weave.Exposure{Cell: c, Number: b.Count(c) + 1, Fate: weave.Kept}})
	}
	at := then.Turn.At
	if len(list) > 0 {
		at = list[0]
	}
	return then.Board().From(at)
}

// carryOut exposes cells and goes to the next one's pose.
func (s *Shooting) carryOut(ctx context.Context, b *Bench, f *Floor, who journal.Person, list []weave.Cell, next weave.Cell, more bool, since int64) error {
	if b.Shoot.Seal == "" {
		if err := s.journal.Pin(ctx, b.Shot, b.SealID); err != nil {
			return err
		}
	}
	for _, c := range list {
		if s.halted(since) {
			return s.quiet(ctx, b, c, "stopped before "+cellName(b, c)+"; press N to go on")
		}
		if err := s.expose(ctx, b, f, who, c); err != nil {
			return errors.Join(err, s.phase(context.WithoutCancel(ctx), b, c, weave.Away))
		}
		if s.Changed != nil {
			s.Changed(b.Shot)
		}
	}
	if len(list) > 0 {
		s.tell(ctx, b, who, list)
	}
	if !more {
		return s.phase(ctx, b, next, weave.Away)
	}
	if s.halted(since) {
		return s.quiet(ctx, b, next, "stopped before the move; press N to go on")
	}
	return s.goTo(ctx, b, f, who, next, since)
}

// tell writes to the log what was taken.
func (s *Shooting) tell(ctx context.Context, b *Bench, who journal.Person, list []weave.Cell) {
	names := ""
	for i, c := range list {
		if i > 0 {
			names += ", "
		}
		if l := b.Shoot.Scheme.Layer(c.Layer); l != nil {
			names += l.Name
		}
	}
	e := journal.Entry{At: time.Now(), Actor: who, ShotID: b.Shot, Kind: "frames", Text: fmt.Sprintf("Frame %s taken: %s.", limit.Frame4(float64(list[0].Frame)), names)}
	if err := s.journal.AddLog(ctx, e); err != nil {
		s.log.Warn("not logged", "err", err)
	}
}

func (s *Shooting) quiet(ctx context.Context, b *Bench, c weave.Cell, why string) error {
	if err := s.phase(ctx, b, c, weave.Away); err != nil {
		return err
	}
	return errors.New(why)
}

// goTo goes to a cell's pose, settles, and is still.
func (s *Shooting) goTo(ctx context.Context, b *Bench, f *Floor, who journal.Person, c weave.Cell, since int64) error {
	_, m, err := s.machine(b)
	if err != nil {
		return err
	}
	to, ok := PoseAt(b.Desk.Table, m.Name, c.Frame)
	if !ok {
		return fmt.Errorf("frame %s is outside the sealed path", limit.Frame4(float64(c.Frame)))
	}
	if err := s.phase(ctx, b, c, weave.Going); err != nil {
		return err
	}
	if err := f.goAt(ctx, to, b.Shoot.Scheme.Share); err != nil {
		return errors.Join(err, s.phase(ctx, b, c, weave.Away))
	}
	wait, cancel := context.WithTimeout(ctx, longestMove)
	err = f.WaitIdle(wait)
	cancel()
	if err == nil && !AtPose(Gather(b.Desk.Machines, s.floors.Now()), b.Desk, c.Frame) {
		err = errors.New("the rig stopped on its way to frame " + limit.Frame4(float64(c.Frame)) + "; press N to go on")
	}
	if err != nil {
		return errors.Join(err, s.phase(context.WithoutCancel(ctx), b, c, weave.Away))
	}
	settle := SettleS(b, c.Frame)
	s.mu.Lock()
	s.now.SettleS = settle
	s.mu.Unlock()
	if err := s.phase(ctx, b, c, weave.Settling); err != nil {
		return err
	}
	select {
	case <-time.After(time.Duration(settle * float64(time.Second))):
	case <-ctx.Done():
		return ctx.Err()
	}
	s.showHands(ctx, b, c) // the animator's work, where both camera and rig are stand-ins
	return s.phase(ctx, b, c, weave.Still)
}

// longestMove is how long a go-to between two frames may take.
const longestMove = 10 * time.Minute

func cellName(b *Bench, c weave.Cell) string {
	name := c.Layer
	if l := b.Shoot.Scheme.Layer(c.Layer); l != nil {
		name = l.Name
	}
	return limit.Frame4(float64(c.Frame)) + " " + name
}
