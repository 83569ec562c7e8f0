package act

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"keenarc/core/rig"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
)

// showHands tells a stand-in camera what hands and lamps would have done by now. A real
// camera has both before it.
func (s *Shooting) showHands(ctx context.Context, b *ready.Bench, c weave.Cell) {
	l := b.Shoot.Scheme.Layer(c.Layer)
	if k := s.eye.Now().Camera; k == nil || !k.StandIn || l == nil {
		return
	}
	if _, err := s.eye.Call(ctx, link.CameraRequest{Do: "hands", Puppet: l.Puppet, Frame: c.Frame, Lamps: l.Lamps},
		camera.Answer); err != nil {
		s.log.Warn("the stand-in camera was not told of the hands", "err", err)
	}
}

// expose takes one cell: it is written down, the camera is told, the picture is fetched,
// checked and stored, and only then the camera may let it go.
func (s *Shooting) expose(ctx context.Context, p *press, c weave.Cell) error {
	b := p.b
	before := s.gather(b)
	if !ready.AtPose(before, b.Desk, c.Frame) {
		return fmt.Errorf("%s was not exposed: the rig does not stand at its pose any more; press N to go there",
			cellName(b, c))
	}
	l := b.Shoot.Scheme.Layer(c.Layer)
	if l == nil {
		return fmt.Errorf("there is no layer %q", c.Layer)
	}
	seal := b.Shoot.Seal
	if seal == "" {
		seal = b.SealID
	}
	e := &journal.Exposure{Exposure: weave.Exposure{Cell: c, ID: journal.NewID(), Number: b.Shoot.Board().Count(c) + 1},
		Shot: b.Shot, Seal: seal, Pose: positions(before), By: p.who, Machine: p.g.Machine.ID(), Boot: before.Boot}
	s.showHands(ctx, b, c)
	if err := s.journal.Ask(ctx, e, b.Shoot.Stands()); err != nil {
		return fmt.Errorf("%s was not exposed: %w", cellName(b, c), err)
	}
	s.mu.Lock()
	s.open = true // until it is known what became of it
	s.mu.Unlock()
	if err := s.phase(ctx, b, c, weave.Exposing); err != nil {
		return err
	}
	_, err := s.eye.Call(ctx, link.CameraRequest{Do: "expose", Picture: e.ID, MS: l.MS},
		time.Duration(l.MS)*time.Millisecond+exposeAnswer)
	var refused *link.Refusal
	if err != nil && !errors.As(err, &refused) {
		return fmt.Errorf("whether %s was exposed is not known yet: %w. It is asked as soon as the camera is back",
			cellName(b, c), err)
	}
	if err := s.phase(ctx, b, c, weave.Keeping); err != nil {
		return err
	}
	doubt := steady(before, s.gather(b), b)
	if err == nil { // the shutter has closed
		s.mu.Lock()
		s.steady[e.ID] = doubt
		s.mu.Unlock()
	}
	fate, why, err := s.learn(ctx, e, doubt, func() { p.g.Next(time.Now()) })
	switch {
	case err != nil:
		return fmt.Errorf("what became of %s is not known yet: %w", cellName(b, c), err)
	case fate == weave.Failed && refused != nil:
		return fmt.Errorf("%s was not exposed: %s", cellName(b, c), refused.Why)
	case fate != weave.Kept:
		return fmt.Errorf("%s: %s", cellName(b, c), why)
	}
	return nil
}

// exposeAnswer is how long after the end of an exposure its answer may come.
const exposeAnswer = 10 * time.Second

// steady says why a picture may not be what it should be, or nothing: the rig went away
// meanwhile, or does not stand where it stood.
func steady(before, now machine.Snapshot, b *ready.Bench) string {
	switch {
	case !now.Connected:
		return "the rig was lost while it was exposed"
	case now.Boot != before.Boot:
		return "the rig was switched off and on while it was exposed"
	}
	for _, a := range b.Desk.Rig.Axes {
		step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num))
		if math.Abs(now.State.Pos(a.ID)-before.State.Pos(a.ID)) > 2*step {
			return a.Name + " moved while it was exposed"
		}
	}
	return ""
}

// learn asks the camera what became of an exposure, stores what there is, and lets the
// camera's picture go. doubt, where it is not empty, says why a person must look at it.
// here is called when its picture has come over: the move to the next pose is due from then,
// and is not made late because it could not be stored.
// An error means that it is not known yet.
func (s *Shooting) learn(ctx context.Context, e *journal.Exposure, doubt string, here func()) (weave.Fate,
	string, error) {
	// One that was never begun will never be: whatever is still on its way is late.
	r, err := s.eye.Call(ctx, link.CameraRequest{Do: "void", Picture: e.ID}, camera.Answer)
	if err != nil {
		return weave.Asked, "", err
	}
	if r.Is == nil {
		return weave.Asked, "", errors.New("the camera says nothing of it")
	}
	became := func(f weave.Fate, why string) (weave.Fate, string, error) {
		return decided(f, why, s.journal.Became(ctx, e.ID, f, why))
	}
	switch r.Is.State {
	case link.PictureVoid:
		return became(weave.Failed, "the camera never began it")
	case link.PictureCut:
		return became(weave.Failed, "the exposure was cut short; there is no picture")
	case link.PictureKept:
	case link.PictureDone:
		return became(weave.Uncertain, "the camera has handed it over and it is not here")
	default:
		return weave.Asked, "", fmt.Errorf("the camera is still at it")
	}
	png, why, err := s.fetch(ctx, e.ID)
	if err != nil {
		return weave.Asked, "", err
	}
	here()
	if why != "" { // it stays with the camera
		return became(weave.Uncertain, why)
	}
	fate := weave.Kept
	if doubt != "" {
		fate = weave.Uncertain
	}
	if err := s.journal.Keep(ctx, e.ID, fate, doubt, png); err != nil { // it stays with the camera
		return decided(weave.Asked, "", err)
	}
	s.mu.Lock()
	delete(s.steady, e.ID)
	s.mu.Unlock()
	if _, err := s.eye.Call(ctx, link.CameraRequest{Do: "ack", Picture: e.ID}, camera.Answer); err != nil {
		s.log.Warn("a picture is stored and not acknowledged yet", "picture", e.ID, "err", err)
	}
	return fate, doubt, nil
}

// decided answers what became of an exposure, where a person has decided meanwhile: that stays.
func decided(f weave.Fate, why string, err error) (weave.Fate, string, error) {
	if errors.Is(err, journal.ErrDecided) {
		return weave.Denied, "it was decided meanwhile", nil
	}
	return f, why, err
}

// fetches is how often a picture that does not come over whole is asked for.
const fetches = 3

// fetch gets a picture and checks it. why says in words what is wrong with a picture that
// never comes over right.
func (s *Shooting) fetch(ctx context.Context, id string) (png []byte, why string, err error) {
	for range fetches {
		r, err := s.eye.Call(ctx, link.CameraRequest{Do: "fetch", Picture: id}, exposeAnswer)
		if err != nil {
			return nil, "", err
		}
		k := s.eye.Now().Camera
		if k == nil {
			return nil, "", link.ErrCameraGone
		}
		if err := k.CheckPicture(r.PNG, r.SHA256); err == nil {
			return r.PNG, "", nil
		} else {
			why = err.Error()
		}
	}
	return nil, why + "; it stays with the camera", nil
}

// Recover finds out what became of the exposures of which nothing is known, and lets the
// camera's pictures go that are stored. It is called when the camera is there again.
func (s *Shooting) Recover() {
	g, err := s.c.Arbiter.Begin(s.c.Arbiter.Pressed(machine.Owner{Who: journal.Itself}, "", 0), machine.KindEdit,
		"the camera is asked what became of pictures", nil, Frames)
	if err == nil {
		err = s.begin(g, s.recover)
	}
	if err != nil {
		s.log.Debug("the camera is asked later", "err", err)
	}
}

// interrupted ends, once, what was going on before this start, where this application
// drives and has not begun anything itself.
func (s *Shooting) interrupted(ctx context.Context) {
	s.mu.Lock()
	done := s.ended || s.now.Shot != ""
	s.mu.Unlock()
	if done || !slices.ContainsFunc(s.c.Machines.All(), (*machine.Machine).Driven) {
		return
	}
	if err := s.journal.Interrupted(ctx); err != nil {
		s.log.Warn("what was going on before cannot be ended in the record", "err", err)
		return
	}
	s.mu.Lock()
	s.ended = true
	s.mu.Unlock()
}

// waitForRig is how long after a start a rig is waited for before an exposure is called
// uncertain because it is not seen.
const waitForRig = 10 * time.Second

func (s *Shooting) recover(ctx context.Context) {
	s.interrupted(ctx)
	s.mu.Lock()
	fresh := time.Since(s.began) < waitForRig
	s.mu.Unlock()
	open, err := s.journal.Unknown(ctx)
	if err != nil {
		s.log.Warn("what is not known of exposures cannot be read", "err", err)
		return
	}
	left := 0
	defer func() {
		s.mu.Lock()
		s.open = left > 0
		s.mu.Unlock()
	}()
	for i := range open {
		e := &open[i]
		f, err := s.c.Machines.Of(e.Machine)
		if err == nil && !f.Driven() { // what another application is taking is left to it
			left++
			continue
		}
		if fresh && err == nil && !f.Now().Connected {
			left++
			continue
		}
		s.mu.Lock()
		doubt, seen := s.steady[e.ID]
		s.mu.Unlock()
		if !seen {
			doubt = s.doubt(e)
		}
		fate, why, err := s.learn(ctx, e, doubt, func() {})
		if err != nil {
			s.log.Warn("what became of an exposure is not known yet", "exposure", e.ID, "err", err)
			left++
			continue
		}
		if why != "" {
			why = ": " + why
		}
		if err := s.journal.AddLog(ctx, journal.Entry{At: time.Now(), Actor: journal.Itself, ShotID: e.Shot,
			Kind: "frames",
			Text: fmt.Sprintf("Frame %04d, exposure %d: after the interruption it is %s%s.", e.Frame, e.Number, fate,
				why)}); err != nil {
			s.log.Warn("not logged", "err", err)
		}
		if s.Changed != nil {
			s.Changed(e.Shot)
		}
	}
	s.release(ctx)
}

// doubt says why nobody can know whether an exposure that was interrupted is good: the
// rig was off, or stands elsewhere by now. One that still stands there has not moved,
// since nobody else may move it.
func (s *Shooting) doubt(e *journal.Exposure) string {
	f, err := s.c.Machines.Of(e.Machine)
	if err != nil {
		return "the application was interrupted while it was exposed, and the rig is not seen"
	}
	now := f.Now()
	switch {
	case !now.Connected:
		return "the application was interrupted while it was exposed, and the rig is not seen"
	case now.Boot == "" || now.Boot != e.Boot:
		return "the power of the rig went while it was exposed"
	}
	for id, was := range e.Pose {
		_, own := rig.Split(id)
		if x, ok := now.State.Axes[own]; !ok || math.Abs(x.Pos-was) > step(f, own) {
			return "the rig does not stand any more where it was exposed"
		}
	}
	return ""
}

// positions are where the feedback sees the axes.
func positions(s machine.Snapshot) map[string]float64 {
	out := make(map[string]float64, len(s.State.Axes))
	for id, a := range s.State.Axes {
		out[id] = a.Pos
	}
	return out
}

// step is two steps of an axis in its unit, within which it counts as there.
func step(m *machine.Machine, own string) float64 {
	r := m.Rig()
	if r == nil {
		return 0
	}
	if i := r.Index(own); i >= 0 {
		u := r.Axes[i].StepsPerUnit
		return 2 * math.Abs(float64(u.Den)/float64(u.Num))
	}
	return 0
}

// Drives reports whether this application drives a machine.
func (s *Shooting) Drives(machine string) bool {
	f, err := s.c.Machines.Of(machine)
	return err == nil && f.Driven()
}

// release acknowledges pictures that are stored; others are left with the camera.
func (s *Shooting) release(ctx context.Context) {
	r, err := s.eye.Call(ctx, link.CameraRequest{Do: "list"}, camera.Answer)
	if err != nil {
		return
	}
	strange := 0
	for _, p := range r.List {
		if p.State != link.PictureKept {
			continue
		}
		e, err := s.journal.Exposed(ctx, p.Picture)
		switch {
		case errors.Is(err, journal.ErrUnknown):
			strange++
		case err == nil && e.Picture != "" && e.Picture == p.SHA256 && s.Drives(e.Machine):
			if _, err := s.eye.Call(ctx, link.CameraRequest{Do: "ack", Picture: p.Picture}, camera.Answer); err != nil {
				return
			}
		}
	}
	if strange > 0 {
		s.log.Warn("the camera keeps pictures that are none of this journal's; they are left with it",
			"pictures", strange)
	}
}
