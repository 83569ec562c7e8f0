package standin

import (
	"encoding/hex"
	"math"
	"slices"

	"keenarc/core/clock"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/link"
)

// proved is a table that was read, with its fingerprint worked out.
type proved struct {
	table *seal.Table
	print string
}

// prove reads an encoded table. It looks at nothing of the machine, so that it can be done
// beside whatever that does.
func prove(encoded []byte) (*proved, error) {
	t, err := seal.Decode(encoded)
	if err != nil {
		return nil, err
	}
	f := t.Fingerprint()
	return &proved{t, hex.EncodeToString(f[:])}, nil
}

// Load takes this machine's share of a sealed table and answers the seal's
// fingerprint. machine is what it is called there. It refuses tables made for
// another rig.
func (s *Sim) Load(epoch int64, machine string, encoded []byte) (string, error) {
	if err := s.mayLoad(epoch); err != nil {
		return "", err
	}
	p, err := prove(encoded)
	if err != nil {
		return "", err
	}
	return s.hold(epoch, machine, p)
}

func (s *Sim) mayLoad(epoch int64) error {
	if err := s.mayMove(epoch); err != nil {
		return err
	}
	if s.mode == link.Armed {
		return refuse("another table is armed; stop first, then load")
	}
	return nil
}

// hold takes a table that was read.
func (s *Sim) hold(epoch int64, machine string, p *proved) (string, error) {
	if err := s.mayLoad(epoch); err != nil {
		return "", err
	}
	own, err := s.share(p.table, machine)
	if err != nil {
		return "", err
	}
	s.table, s.print = own, p.print
	return s.print, nil
}

// share is the part of a table that is for this machine, in the rig's own order.
func (s *Sim) share(t *seal.Table, machine string) (*seal.Table, error) {
	r := s.o.Rig
	ok := false
	for _, m := range t.Machines {
		if m.Name != machine {
			continue
		}
		if m.Rig != r.ID || m.Version != r.Version {
			return nil, refuse("the table is for rig %s version %d, this is %s version %d", m.Rig, m.Version,
				r.ID, r.Version)
		}
		ok = true
	}
	if !ok {
		return nil, refuse("no machine of the table is called %q", machine)
	}
	own := *t
	own.Axes, own.Units, own.Steps = nil, nil, nil
	for i, a := range r.Axes {
		k := slices.Index(t.Axes, machine+"/"+a.ID)
		if k < 0 || t.Steps[k] == nil {
			return nil, refuse("the table has nothing for %s", a.Name)
		}
		if t.Units[k] != a.StepsPerUnit {
			return nil, refuse("the table's axis %d is %s with another scale", i+1, a.ID)
		}
		own.Axes, own.Units, own.Steps = append(own.Axes, t.Axes[k]), append(own.Units, t.Units[k]),
			append(own.Steps, t.Steps[k])
	}
	for k, id := range t.Axes {
		if m, name := rig.Split(id); m == machine && r.Index(name) < 0 {
			return nil, refuse("the table's axis %d is %s, which this rig has not", k+1, id)
		}
	}
	return &own, nil
}

// Arm makes ready to roll the loaded table for a take.
func (s *Sim) Arm(req link.Arm) error {
	if err := s.mayMove(req.Epoch); err != nil {
		return err
	}
	if err := s.mayDrive(); err != nil {
		return err
	}
	if name, ok := s.homed(); !ok {
		return refuse("%s is not homed; home it first", name)
	}
	if name, ok := s.suspended(); ok {
		return refuse("the soft limits of %s are suspended; put them back on first", name)
	}
	switch {
	case s.table == nil || req.Print != s.print:
		return refuse("the loaded table is not the one named; load it again")
	case req.Clock == nil:
		return refuse("the clock is missing")
	case req.Take == "":
		return refuse("the take has no name")
	case !(req.Brake >= 0.1 && req.Brake <= 5):
		return refuse("braking in %g s; give 0.1 to 5 s", req.Brake)
	}
	clk, err := s.table.Clock(*req.Clock)
	if err != nil {
		return err
	}
	if err := s.checkTable(s.table, clk.MaxSpeed()); err != nil {
		return err
	}
	if err := s.checkEases(s.table, clk); err != nil {
		return err
	}
	if need, name := s.brakeFor(s.table, clk); req.Brake < need {
		return refuse("braking in %g s would take %s over its rated acceleration; it needs %.3f s",
			req.Brake, name, need)
	}
	begin := clk.At(0, 1000)
	for i := range s.axes {
		a := s.axes[i].a
		first := s.read.position(s.table, i, begin)
		if d := math.Abs(s.axes[i].cmd - first); d > 1e-6+
			math.Abs(float64(s.table.Units[i].Den)/float64(s.table.Units[i].Num)) {
			return refuse("%s is %.3g %s from the first frame; go there first", a.Name, d, a.Unit.Symbol())
		}
	}
	s.armed, s.run, s.clk, s.mode = req, s.table, clk, link.Armed
	s.locked = true // passes repeat from now on: nobody else turns the lens
	s.pos = begin
	s.whole = lastPicture(clk, s.run)
	s.every = req.Clock.EveryMS(clk)
	return nil
}

// Steer changes the speed of a live clock while it rolls, to num/den of the path's rate.
func (s *Sim) Steer(epoch, num, den int64) error {
	switch {
	case epoch != s.epoch || epoch == 0:
		return refuse("the lease is not yours (epoch %d, now %d); take it first", epoch, s.epoch)
	case s.mode != link.Rolling:
		return refuse("the rig is %s; a clock is steered while it rolls", s.mode)
	}
	to, err := s.armed.Clock.Steered(s.at-s.start+1, num, den)
	if err != nil {
		return err
	}
	clk, err := s.run.Clock(to)
	if err != nil {
		return err
	}
	s.armed.Clock, s.clk = &to, clk
	s.whole = lastPicture(clk, s.run)
	s.cur.steers = to.Steers
	return nil
}

// lastPicture is the time at which the last of a run's pictures is over.
func lastPicture(c clock.Clock, t *seal.Table) float64 {
	edge := t.Last
	if c.At(c.Ticks(1000), 1000) == clock.Pos(t.Start())<<32 { // it ends where it began, or runs backwards
		edge = t.First
	}
	at := c.TimesAt(float64(edge))
	if len(at) == 0 {
		return c.Seconds()
	}
	return max(at[len(at)-1].From, 0)
}

// Roll starts the armed take; beats of the press must follow.
func (s *Sim) Roll(epoch int64, id, press string) error {
	switch {
	case epoch != s.epoch || s.mode != link.Armed:
		return refuse("the rig is %s; arm it first", s.mode)
	case id != s.armed.Take:
		return refuse("another take is armed; arm this one first")
	}
	if err := s.fresh(press); err != nil {
		return err
	}
	s.press, s.held = press, true
	s.rolls++
	s.begun++
	s.mode, s.start, s.beat, s.heard, s.brake = link.Rolling, s.tick+1, s.tick, s.tick, nil
	s.cur = &take{id: s.armed.Take, tick: -1, steps: make([][]int32, len(s.axes))}
	s.takes = append(s.takes, s.cur)
	for i := range s.axes {
		s.axes[i].beginRoll(s.o.Seed, s.rolls, i, s.faultFor(s.o.Rig.Axes[i].ID))
	}
	return nil
}

func (s *Sim) faultFor(id string) *Fault {
	for i, f := range s.o.Faults {
		if f.Axis == id && f.Roll == s.rolls {
			return &s.o.Faults[i]
		}
	}
	return nil
}
