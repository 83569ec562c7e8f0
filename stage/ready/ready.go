// Package ready says what keeps a machine from being moved for a shot: one list of rules, for
// passes and for frames, worked out from facts.
package ready

import (
	"fmt"
	"math"

	"keenarc/core/limit"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
)

// Desk is what readiness needs to know of the shot on the desk.
type Desk struct {
	Machines []rig.Placed
	Rig      *rig.Rig // the machines as one, with the limits of the day's line-ups
	Keyed    bool     // there is a keyframe
	Limits   string   // the first sentence over a limit, or empty
	Over     string   // why somebody has signed for working limits that are passed, or empty
	Sealed   bool     // the plan as it stands is sealed
	Table    *seal.Table
	Print    string    // the table's fingerprint in hex, as machines say it
	Zeroed   string    // the axis whose zero was laid elsewhere since the path was sealed, or empty
	LineUp   string    // why today's line-up does not allow the sealed path, or empty
	Balance  *Balanced // nil: not judged
	Begin    int       // the frame at which the pass begins
	PassName string    // the pass on the desk, or empty
	PassNote string    // why this pass cannot be rolled on its clock, or empty
	BrakeS   float64   // how long its clock takes to slow to rest; 0: as sealed
	laid     *start    // worked out by Lay
}

// start is where a pass of a table begins: at which end of the path, and its pose.
type start struct {
	of   *seal.Table
	at   int    // Desk.Begin
	end  string // first or last
	pose []float64
}

// Lay works out where the pass on the desk begins, once for all the times that readiness is
// asked for. It is called when Table and Begin are there, before the desk is used.
func (d *Desk) Lay() { d.laid = d.start() }

func (d *Desk) start() *start {
	switch {
	case d.laid != nil && d.laid.of == d.Table && d.laid.at == d.Begin:
		return d.laid
	case d.Table == nil:
		return &start{end: "first"}
	}
	s := &start{d.Table, d.Begin, "first", make([]float64, len(d.Table.Axes))}
	if d.Begin == d.Table.End() && d.Begin > d.Table.Start() {
		s.end = "last"
	}
	d.pose(s.pose, d.Begin)
	return s
}

// Bench is what shooting frame by frame needs to know of a shot besides.
type Bench struct {
	Shot    string
	Desk    *Desk // Table is the one that the shoot's frames are taken on
	SealID  string
	Judge   *trace.Judge
	Newer   int     // the version of a newer sealed path that was not declined; 0: there is none
	NewerPx float64 // how far it differs at the cell that comes next
	Shoot   *journal.Shoot
}

// Balanced is whether a shot's camera package is balanced on its machine, or what hangs
// there is known to it; and why not.
type Balanced struct {
	OK   bool
	Says string
}

// Check is one item of the readiness strip.
type Check struct {
	Name string `json:"name"`
	OK   bool   `json:"ok"`
}

// Ready is the readiness strip: what is satisfied, and the first thing that is
// not, in a sentence with the key that mends it.
type Ready struct {
	Checks   []Check `json:"checks"`
	OK       bool    `json:"ok"`
	Sentence string  `json:"sentence"`
	// StartsAt is at which end of the path the pass begins: first or last.
	StartsAt string `json:"starts_at" enum:"first,last"`
	// OnPath is whether the rig stands somewhere on the sealed path.
	OnPath bool   `json:"on_path"`
	Key    string `json:"key,omitempty"`
}

// facts are what the rules look at.
type facts struct {
	machine.Snapshot
	*Desk
	eye   camera.EyeNow
	cell  weave.Cell // that comes next
	bench *Bench     // nil: a pass
}

// look applies the rules that are for passes, or for frames.
func look(f *facts, not string) *Ready {
	r := &Ready{OK: true, Checks: []Check{}, StartsAt: f.start().end}
	for i := range are {
		u := &are[i]
		looked, shown := u.on.pass, u.on.passShown
		if f.bench != nil {
			looked, shown = u.on.frame, u.on.frameShown
		}
		if !looked || u.name == "balanced" && f.Balance == nil || u.name == atPlace && f.Table == nil {
			continue // not judged; without a table "sealed" says it
		}
		why := u.broken(f)
		if why != "" || shown {
			r.Checks = append(r.Checks, Check{u.called(f), why == ""})
		}
		if why != "" && r.OK {
			r.OK, r.Key, r.Sentence = false, u.key, not+why
		}
	}
	return r
}

// notYet comes before what keeps a pass from being rolled.
const notYet = "Can't roll yet: "

// Broken is the sentence of the first rule that keeps a pass from being rolled, as ToRoll has it,
// or empty. It is asked while a press waits.
func Broken(s machine.Snapshot, d *Desk) string {
	f := &facts{Snapshot: s, Desk: d}
	for i := range are {
		if !are[i].on.pass {
			continue
		}
		if why := are[i].broken(f); why != "" {
			return notYet + why
		}
	}
	return ""
}

// ToRoll is the strip for a pass.
func ToRoll(s machine.Snapshot, d *Desk) *Ready {
	if d == nil {
		return &Ready{Checks: []Check{{"shot open", false}}, StartsAt: "first",
			Sentence: notYet + "no shot is open. Choose one on the bookshelf."}
	}
	f := &facts{Snapshot: s, Desk: d}
	r := look(f, notYet)
	if d.Table != nil {
		_, on, _ := AtFirst(s, d)
		r.OnPath = s.Connected && on && f.unhomed() == ""
	}
	if r.OK {
		r.Sentence = "Ready to roll " + d.PassName + "."
		if s.State.Mode == link.Rolling || s.State.Mode == link.Braking {
			r.Sentence = map[string]string{link.Rolling: "Rolling ",
				link.Braking: "Slowing to a stop, "}[s.State.Mode] + d.PassName + "."
		}
	}
	return r
}

// ToExpose is the strip for shooting frame by frame: the first thing that keeps the next press
// from being carried out. cell is the one that comes next. Where the rig does not stand at the
// pose, the next press goes there.
func ToExpose(s machine.Snapshot, d *Desk, eye camera.EyeNow, cell weave.Cell, b *Bench) *Ready {
	r := look(&facts{s, d, eye, cell, b}, "Not yet: ")
	if d.Table != nil {
		at := AtPose(s, d, cell.Frame)
		r.Checks = append(r.Checks, Check{"at its pose", at}, Check{"still", at && s.State.Still()})
	}
	return r
}

// unhomed is the first axis that is not homed, by name.
func (f *facts) unhomed() string {
	for _, a := range f.Rig.Axes {
		if !f.State.Axes[a.ID].Homed {
			return a.Name
		}
	}
	return ""
}

// Astray says of an idle rig which axis does not stand where it was sent: it has
// lost steps, or slipped. Within two steps, its slack and what it repeats to counts
// as there.
func Astray(s machine.Snapshot, r *rig.Rig) string {
	for _, a := range r.Axes {
		off := math.Abs(s.State.Axes[a.ID].Pos - s.State.Axes[a.ID].Asked)
		if step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num)); off > 2*step+a.Backlash+
			a.Repeatability {
			return fmt.Sprintf("%s stands %.2f %s from where it was sent: it has lost steps, or slipped. Press 2 "+
				"and home it.", a.Name, off, a.Unit.Symbol())
		}
	}
	return ""
}

// AtFirst reports whether the rig stands at the table's first pose, whether it
// stands on the path at all, and if it is not at first, how far it is: in frames
// where it stands on the path, else by the worst axis.
func AtFirst(s machine.Snapshot, d *Desk) (ok, onPath bool, text string) {
	if s.State.Mode == link.Rolling || s.State.Mode == link.Braking {
		return true, true, ""
	}
	begin, n := d.laid, len(d.Table.Axes)
	if begin == nil || begin.of != d.Table || begin.at != d.Begin {
		begin = d.start()
	}
	first, here, at := begin.pose, make([]float64, n), make([]float64, n)
	worst, far := -1, 0.0
	for i, id := range d.Table.Axes {
		a, is := d.Rig.Axes[i], s.State.Axes[id]
		here[i] = is.Pos
		// Within two steps counts as there: the rig itself checks to one step.
		if x := math.Abs(is.Asked-first[i]) /
			(2 * math.Abs(float64(a.StepsPerUnit.Den)/float64(a.StepsPerUnit.Num))); x > 1 && x > far {
			worst, far = i, x
		}
	}
	if worst < 0 {
		return true, true, ""
	}
	f := int(math.Floor(s.State.Frame + 1e-6)) // as the counter shows it
	on := f >= d.Table.Start() && d.pose(at, f)
	for i, a := range d.Rig.Axes {
		on = on && math.Abs(here[i]-at[i]) < 0.01*(a.Max-a.Min)
	}
	switch {
	case on && f > d.Begin:
		return false, true, frames(f-d.Begin) + " past first."
	case on && f < d.Begin && begin.end == "last":
		return false, true, frames(d.Begin-f) + " before last."
	}
	a := d.Rig.Axes[worst]
	return false, on, fmt.Sprintf("%s is %.1f %s from frame %s.", a.Name, math.Abs(here[worst]-first[worst]),
		a.Unit.Symbol(), limit.Frame4(float64(d.Begin)))
}

func frames(n int) string {
	if n == 1 {
		return "1 frame"
	}
	return fmt.Sprintf("%d frames", n)
}

// PoseAt is a table's pose at a frame by axis, under the axes' own names, for one
// machine; ok is false outside the table.
func PoseAt(t *seal.Table, machine string, frame int) (pose map[string]float64, ok bool) {
	out, v := map[string]float64{}, make([]float64, len(t.Axes))
	ok = trace.Sealed{Table: t}.AtFrame(v, frame)
	for i, id := range t.Axes {
		if m, own := rig.Split(id); m == machine {
			out[own] = v[i]
		}
	}
	return out, ok
}
