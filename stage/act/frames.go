package act

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"time"

	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
)

// Shooting takes shots frame by frame: it owns the order of each cell. One thing is done
// at a time. Run owns every goroutine and waits for them.
type Shooting struct {
	c       *Conductor
	eye     *camera.Eye
	journal journal.Frames
	log     *slog.Logger
	// Changed is told of each shot whose shoot was changed.
	Changed func(shot string)

	work  chan work
	began time.Time
	mu    sync.Mutex
	busy  bool
	ended bool // what was going on before this start is ended in the record
	open  bool // of some exposure it may not be known what became of it
	// steady is, of exposures that were seen to their end and are not stored yet, why they
	// may not be good; empty where nothing moved.
	steady map[string]string
	now    FramesNow
	subs   map[chan struct{}]bool
}

// work is what is carried out one after another, and what was granted for it.
type work struct {
	g  *machine.Grant
	do func(context.Context)
}

// FramesNow is what is being done.
type FramesNow struct {
	Shot    string        `json:"shot"`
	Phase   weave.Phase   `json:"phase" enum:"going,settling,still,exposing,keeping,away"`
	Cell    weave.Cell    `json:"cell"`
	SinceMS int64         `json:"since_ms" doc:"when the phase began, in unix milliseconds"`
	SettleS float64       `json:"settle_s" doc:"how long it settles after a move"`
	Trouble string        `json:"trouble,omitempty" doc:"what went wrong last"`
	Camera  camera.EyeNow `json:"camera"`
}

// What keeps a press from being carried out.
var (
	// ErrPressed is returned while something is being done.
	ErrPressed = errors.New("wait: the last press is still being carried out")
	// ErrNotAllowed marks what may not be done; it carries a sentence.
	ErrNotAllowed = errors.New("not allowed")
)

// NewShooting prepares it; the camera's connection tells it when there is something to
// be asked.
func NewShooting(c *Conductor, eye *camera.Eye, j journal.Frames, log *slog.Logger) *Shooting {
	s := &Shooting{c: c, eye: eye, journal: j, log: log, work: make(chan work, 1), subs: map[chan struct{}]bool{},
		steady: map[string]string{}, now: FramesNow{Phase: weave.Away}}
	eye.There = func(context.Context) { s.Recover() }
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
				s.Recover()
			}
		case w := <-s.work:
			w.do(ctx)
			s.mu.Lock()
			s.busy = false
			s.mu.Unlock()
			w.g.End() // who waited for this grant finds nothing being done
			s.notify()
		}
	}
}

// recoverPause is how often it is asked again what became of exposures.
const recoverPause = 700 * time.Millisecond

// begin hands work over with its grant, which ends with it, or at once if something is being done.
func (s *Shooting) begin(g *machine.Grant, do func(context.Context)) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.busy {
		g.End()
		return ErrPressed
	}
	s.busy = true
	s.work <- work{g, do}
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

// phase says what begins, and writes it down first.
func (s *Shooting) phase(ctx context.Context, b *ready.Bench, c weave.Cell, p weave.Phase) error {
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

// Wanted is what one press of next asks for: Load reads the shoot, and is asked once the
// press has its claims; Seen is the cell that was seen to come next, if that was said; a move
// that was asked about may be made where it is Confirmed.
type Wanted struct {
	Machine   string // by the rig's id
	Load      func(context.Context) (*ready.Bench, error)
	Seen      *weave.Cell
	Confirmed bool
}

// What else is claimed: the camera of the stage, and the record of what is taken frame by frame,
// which one thing at a time is done with.
var (
	Camera = machine.Claim{Thing: "camera"}
	Frames = machine.Claim{Thing: "frames"}
)

// Next is one press: at the pose of the cell that comes next it exposes what is wanted
// there and goes on to the next one's pose; elsewhere it goes to the pose. A move of more
// than the stated distance is asked about first, unless it was confirmed. It answers at
// once; what follows is in Now. It goes on when the page that pressed is gone, and ends with
// any stop.
func (s *Shooting) Next(ctx context.Context, a machine.Press, w Wanted) (*Question, error) {
	g, err := s.c.Arbiter.Begin(a, machine.KindFrame, "a frame is taken", nil, machine.Claim{Machine: w.Machine},
		Camera, Frames, machine.Claim{Shoot: a.Shot})
	if err != nil {
		return nil, err
	}
	look, done := context.WithDeadline(ctx, a.Due)
	b, err := w.Load(look)
	done()
	var q *Question
	var p *press
	if err == nil {
		p, q, err = s.press(b, g, a, w)
	}
	if err != nil || q != nil {
		g.End()
		return q, err
	}
	s.mu.Lock()
	s.now.Trouble = ""
	s.mu.Unlock()
	if g.Called("frame " + cellName(b, p.cell) + " is taken"); len(p.list) == 0 {
		g.Called("going to frame " + limit.Frame4(float64(p.next.Frame)))
	}
	return nil, s.begin(g, func(ctx context.Context) {
		if err := s.carryOut(ctx, p); err != nil {
			s.trouble(err.Error())
			s.log.Warn("frame by frame", "shot", b.Shot, "err", err)
		}
		if s.Changed != nil {
			s.Changed(b.Shot)
		}
	})
}

// press is one press that is carried out: what it exposes, and where it goes then.
type press struct {
	g          *machine.Grant
	b          *ready.Bench
	who        journal.Person
	cell, next weave.Cell
	list       []weave.Cell
	more       bool
}

// press decides what a press does, on the board as it is now.
func (s *Shooting) press(b *ready.Bench, g *machine.Grant, a machine.Press, w Wanted) (*press, *Question, error) {
	board := b.Shoot.Board()
	for _, e := range b.Shoot.Exposures {
		if e.Fate == weave.Asked { // moving away would make it uncertain
			s.Recover()
			return nil, nil, fmt.Errorf("%w: what became of %s is not known yet; it is asked all the time. Wait, or "+
				"answer on its cell", ErrNotAllowed, cellName(b, e.Cell))
		}
	}
	cell, ok := board.Now(b.Shoot.Turn)
	switch {
	case w.Seen != nil && (!ok || cell != *w.Seen):
		return nil, nil, journal.ErrElse
	case !ok:
		return nil, nil, fmt.Errorf("%w: every cell is taken; take one once more, or go back to one", ErrNotAllowed)
	}
	if m := carries(b); m == nil || m.Rig.ID != w.Machine {
		return nil, nil, fmt.Errorf("%w: no machine of this shot carries a camera", ErrNotAllowed)
	}
	now := s.gather(b)
	if r := ready.ToExpose(now, b.Desk, s.eye.Now(), cell, b); !r.OK {
		return nil, nil, fmt.Errorf("%w: %s", ErrNotAllowed, r.Sentence)
	}
	p := &press{g: g, b: b, who: a.Who, cell: cell, next: cell, list: []weave.Cell{}, more: true}
	if ready.AtPose(now, b.Desk, cell.Frame) {
		p.list = board.Press(cell)
		p.next, p.more = After(b.Shoot, p.list)
	}
	if p.more && !w.Confirmed {
		if m := ready.Travel(now, b.Desk, p.next.Frame); m > b.Shoot.Scheme.AskM {
			return nil,
				&Question{Text: fmt.Sprintf("The camera moves %.0f mm to frame %s. Hands and faces out of its way, "+
					"everyone clear of %g m?", m*1000, limit.Frame4(float64(p.next.Frame)), b.Desk.Rig.ClearM),
					TravelMM: math.Round(m * 1000), Frame: p.next.Frame}, nil
		}
	}
	return p, nil, nil
}

// gather is what the shot's machines are doing, as one.
func (s *Shooting) gather(b *ready.Bench) machine.Snapshot {
	return machine.Gather(b.Desk.Machines, s.c.Machines.Now())
}

// carries is the machine that carries the shot's camera, or nil.
func carries(b *ready.Bench) *rig.Placed {
	for i := range b.Desk.Machines {
		if m := &b.Desk.Machines[i]; m.Rig.Camera != "" {
			return m
		}
	}
	return nil
}

// After is the cell that comes once a press's cells are taken.
func After(h *journal.Shoot, list []weave.Cell) (weave.Cell, bool) {
	then := *h
	then.Exposures = append([]journal.Exposure(nil), h.Exposures...)
	b := h.Board()
	for _, c := range list {
		then.Exposures = append(then.Exposures,
			journal.Exposure{Exposure: weave.Exposure{Cell: c, Number: b.Count(c) + 1, Fate: weave.Kept}})
	}
	at := then.Turn.At
	if len(list) > 0 {
		at = list[0]
	}
	return then.Board().From(at)
}

// carryOut exposes cells and goes to the next one's pose.
func (s *Shooting) carryOut(ctx context.Context, p *press) error {
	b := p.b
	if b.Shoot.Seal == "" {
		if err := s.journal.Pin(ctx, b.Shot, b.SealID); err != nil {
			return err
		}
	}
	for _, c := range p.list {
		if p.g.Still() != nil {
			return s.quiet(ctx, b, c, "stopped before "+cellName(b, c)+"; press N to go on")
		}
		if err := s.expose(ctx, p, c); err != nil {
			return errors.Join(err, s.phase(context.WithoutCancel(ctx), b, c, weave.Away))
		}
		if s.Changed != nil {
			s.Changed(b.Shot)
		}
	}
	if len(p.list) > 0 {
		s.tell(ctx, b, p.who, p.list)
	}
	if !p.more {
		return s.phase(ctx, b, p.next, weave.Away)
	}
	if p.g.Still() != nil {
		return s.quiet(ctx, b, p.next, "stopped before the move; press N to go on")
	}
	return s.goTo(ctx, p)
}

// tell writes to the log what was taken.
func (s *Shooting) tell(ctx context.Context, b *ready.Bench, who journal.Person, list []weave.Cell) {
	names := ""
	for i, c := range list {
		if i > 0 {
			names += ", "
		}
		if l := b.Shoot.Scheme.Layer(c.Layer); l != nil {
			names += l.Name
		}
	}
	e := journal.Entry{At: time.Now(), Actor: who, ShotID: b.Shot, Kind: "frames",
		Text: fmt.Sprintf("Frame %s taken: %s.", limit.Frame4(float64(list[0].Frame)), names)}
	if err := s.journal.AddLog(ctx, e); err != nil {
		s.log.Warn("not logged", "err", err)
	}
}

func (s *Shooting) quiet(ctx context.Context, b *ready.Bench, c weave.Cell, why string) error {
	if err := s.phase(ctx, b, c, weave.Away); err != nil {
		return err
	}
	return errors.New(why)
}

// goTo goes to a cell's pose, settles, and is still.
func (s *Shooting) goTo(ctx context.Context, p *press) error {
	b, c := p.b, p.next
	to, ok := ready.PoseAt(b.Desk.Table, carries(b).Name, c.Frame)
	if !ok {
		return fmt.Errorf("frame %s is outside the sealed path", limit.Frame4(float64(c.Frame)))
	}
	if err := s.phase(ctx, b, c, weave.Going); err != nil {
		return err
	}
	settle := ready.SettleS(s.gather(b), b, c.Frame)
	s.mu.Lock()
	s.now.SettleS = settle
	s.mu.Unlock()
	if err := p.g.GoTo(ctx, to, b.Shoot.Scheme.Share); err != nil {
		return errors.Join(fmt.Errorf("the rig was not sent to frame %s: %w. Press N to go on",
			limit.Frame4(float64(c.Frame)), err), s.phase(ctx, b, c, weave.Away))
	}
	wait, cancel := context.WithTimeout(ctx, longestMove)
	err := p.g.Rest(wait)
	cancel()
	if (err == nil || errors.Is(err, machine.ErrStopped)) && !ready.AtPose(s.gather(b), b.Desk, c.Frame) {
		err = errors.New("the rig stopped on its way to frame " + limit.Frame4(float64(c.Frame)) + "; press N to go on")
	}
	if err != nil && !errors.Is(err, machine.ErrStopped) {
		return errors.Join(err, s.phase(context.WithoutCancel(ctx), b, c, weave.Away))
	}
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

func cellName(b *ready.Bench, c weave.Cell) string {
	name := c.Layer
	if l := b.Shoot.Scheme.Layer(c.Layer); l != nil {
		name = l.Name
	}
	return limit.Frame4(float64(c.Frame)) + " " + name
}
