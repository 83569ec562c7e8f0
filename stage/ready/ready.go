// Package ready says what keeps a machine from being moved for a shot: one list of rules, for
// passes and for frames, worked out from facts.
package ready

import (
	"fmt"
	"math"

	"keenarc/core/clock"
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

// rule is one thing that has to be so. Of one that is broken the sentence says what is wrong
// and what to do; an empty one says that it is satisfied.
type rule struct {
	name   func(*facts) string
	key    string
	shown  bool // named on the strip where it is satisfied, too
	pass   bool // for passes
	frame  bool // for frames
	broken func(*facts) string
}

// are are the rules, in the order of the day: what is wrong with the machine comes before all
// else, then whether it is there, homed, balanced, in limits, sealed, and at its place.
var are = []rule{
	{called("stop released"), "2", false, true, true, stopped},
	{called("limits on"), "2", false, true, true, suspended},
	{called("drives in order"), "2", false, true, true, drives},
	{called("rig seen"), "1", true, true, true, seen},
	{called("driven here"), "", false, true, true, driven},
	{called("same version"), "1", false, true, true, sameVersion},
	{called("standing still"), "Esc", false, true, true, standing},
	{called("homed"), "2", true, true, true, homed},
	{called("in place"), "2", false, true, true, inPlace},
	{called("balanced"), "1", true, true, false, balanced},
	{called("balanced"), "1", false, false, true, balanced},
	{called("keyframes"), "K", true, true, false, keyed},
	{limitsName, "P", true, true, false, inLimits},
	{called("line-up"), "2", false, true, false, lineUp},
	{called("in limits"), "2", true, false, true, lineUp},
	{called("zeros"), "S", false, true, false, zeros},
	{called("sealed"), "S", true, true, true, sealed},
	{called("frames on the path"), "3", false, false, true, framesOnPath},
	{called("one path"), "", false, false, true, onePath},
	{atName, "F", true, true, false, atFirst},
	{called("pass"), "5", true, true, false, pass},
	{called("loaded"), "", false, true, false, loaded},
	{called("camera"), "", true, false, true, cameraThere},
}

func called(name string) func(*facts) string { return func(*facts) string { return name } }

func limitsName(f *facts) string {
	if f.Over != "" {
		return "limits signed for"
	}
	return "in limits"
}

func atName(f *facts) string { return "at " + f.startsAt() }

// look applies the rules that are for passes, or for frames.
func look(f *facts, not string) *Ready {
	r := &Ready{OK: true, Checks: []Check{}, StartsAt: f.startsAt()}
	for i := range are {
		u := &are[i]
		if f.bench == nil && !u.pass || f.bench != nil && !u.frame {
			continue
		}
		if u.name(f) == "balanced" && f.Balance == nil || u.name(f) == atName(f) && f.Table == nil {
			continue // not judged; without a table "sealed" says it
		}
		why := u.broken(f)
		if why != "" || u.shown {
			r.Checks = append(r.Checks, Check{u.name(f), why == ""})
		}
		if why != "" && r.OK {
			r.OK, r.Key, r.Sentence = false, u.key, not+why
		}
	}
	return r
}

// ToRoll is the strip for a pass.
func ToRoll(s machine.Snapshot, d *Desk) *Ready {
	if d == nil {
		return &Ready{Checks: []Check{{"shot open", false}}, StartsAt: "first", Sentence: "Can't roll yet: no shot is open. Choose one on the bookshelf."}
	}
	f := &facts{Snapshot: s, Desk: d}
	r := look(f, "Can't roll yet: ")
	if d.Table != nil {
		_, on, _ := AtFirst(s, d)
		r.OnPath = s.Connected && on && f.unhomed() == ""
	}
	if r.OK {
		r.Sentence = "Ready to roll " + d.PassName + "."
		if s.State.Mode == link.Rolling || s.State.Mode == link.Braking {
			r.Sentence = map[string]string{link.Rolling: "Rolling ", link.Braking: "Slowing to a stop, "}[s.State.Mode] + d.PassName + "."
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

func stopped(f *facts) string {
	if !f.State.EStop {
		return ""
	}
	return fmt.Sprintf("the emergency stop of %s is pressed. Release it at the machine when it is safe, then home what has lost its place.", f.Rig.Name)
}

func suspended(f *facts) string {
	for _, a := range f.Rig.Axes {
		if f.State.Axes[a.ID].SuspendedMS > 0 {
			return fmt.Sprintf("the soft limits of %s are off. Wait until they are back on, or press 2 and put them on.", a.Name)
		}
	}
	return ""
}

func drives(f *facts) string {
	for _, a := range f.Rig.Axes {
		switch x := f.State.Axes[a.ID]; {
		case x.Fault != "":
			return fmt.Sprintf("%s has a drive fault: %s. Clear it at the drive, then press 2 and let it hold again.", a.Name, x.Fault)
		case x.End != "":
			return fmt.Sprintf("%s stands at its hard end. Press 2 and home it; it comes away by itself.", a.Name)
		case x.Free && !f.State.EStop:
			return fmt.Sprintf("%s is free. Press 2 and let it hold again.", a.Name)
		}
	}
	return ""
}

func seen(f *facts) string {
	if f.Connected {
		return ""
	}
	return fmt.Sprintf("%s is not seen. Check its power and cable; it is looked for all the time.", f.Rig.Name)
}

func driven(f *facts) string {
	switch {
	case !f.Connected:
		return ""
	case f.Old:
		return fmt.Sprintf("%s speaks version %d of the rig link: it is seen and can be stopped, and is not moved. Its device has to speak version %d.", f.Rig.Name, link.OldVersion, link.Version)
	case !f.Driving:
		return fmt.Sprintf("another copy of Keen Arc drives %s; this one only watches.", f.Rig.Name)
	case !f.Leased:
		return fmt.Sprintf("another program has taken the lease of %s. It is taken back when %s has stood still for a second.", f.Rig.Name, f.Rig.Name)
	}
	return ""
}

func sameVersion(f *facts) string {
	for _, m := range f.Machines {
		if v := f.Versions[m.Rig.ID]; v != 0 && v != m.Rig.Version {
			return fmt.Sprintf("%s runs version %d of its description, this shot is on %d. Press 1: bring the shot to it, or give it that version.", m.Rig.Name, v, m.Rig.Version)
		}
	}
	return ""
}

func standing(f *facts) string {
	m := f.State.Mode
	busy := m == link.Homing || m == link.Jogging || m == link.Moving && f.bench == nil
	if f.bench != nil {
		busy = !f.State.Still() && m != link.Moving
	}
	if !f.Connected || !busy {
		return ""
	}
	return fmt.Sprintf("%s is %s. Wait, or press Esc to stop it.", f.Rig.Name, m)
}

// unhomed is the first axis that is not homed, by name.
func (f *facts) unhomed() string {
	for _, a := range f.Rig.Axes {
		if !f.State.Homed(a.ID) {
			return a.Name
		}
	}
	return ""
}

func homed(f *facts) string {
	name := f.unhomed()
	if name == "" {
		return ""
	}
	for _, a := range f.Rig.Axes {
		switch x := f.State.Axes[a.ID]; {
		case a.Name != name:
		case x.Waits == link.WaitsCheck:
			return name + " is at its check pose. Press 2, look at its marks and confirm."
		case x.Trouble != "":
			return fmt.Sprintf("%s is not homed: %s. Press 2.", name, x.Trouble)
		}
	}
	return name + " is not homed. Press 2, then Home."
}

func inPlace(f *facts) string {
	if !f.Connected || f.unhomed() != "" || !f.State.Still() {
		return ""
	}
	return Astray(f.Snapshot, f.Rig)
}

// Astray says of an idle rig which axis does not stand where it was sent: it has
// lost steps, or slipped. Within two steps, its slack and what it repeats to counts
// as there.
func Astray(s machine.Snapshot, r *rig.Rig) string {
	for _, a := range r.Axes {
		off := math.Abs(s.State.Pos(a.ID) - s.State.Asked(a.ID))
		if step := math.Abs(float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num)); off > 2*step+a.Backlash+a.Repeatability {
			return fmt.Sprintf("%s stands %.2f %s from where it was sent: it has lost steps, or slipped. Press 2 and home it.", a.Name, off, a.Unit.Symbol())
		}
	}
	return ""
}

func balanced(f *facts) string {
	if f.Balance == nil || f.Balance.OK {
		return ""
	}
	return f.Balance.Says + " Press 1, Balance."
}

func keyed(f *facts) string {
	if f.Keyed {
		return ""
	}
	return "the sheet is empty. Press K to store a keyframe."
}

func inLimits(f *facts) string {
	if f.Over != "" || f.Limits == "" {
		return ""
	}
	return f.Limits + " Press P to see the remedies."
}

func lineUp(f *facts) string {
	if f.LineUp == "" {
		return ""
	}
	return f.LineUp + " Line up again, or change the path."
}

func zeros(f *facts) string {
	if f.Zeroed == "" {
		return ""
	}
	return fmt.Sprintf("the zero of %s was laid elsewhere since the path was sealed. Press S to seal it for the new one.", f.Zeroed)
}

func sealed(f *facts) string {
	switch {
	case f.Table == nil && f.bench != nil:
		return "there is no sealed path. Press S to seal it."
	case f.bench == nil && (f.Table == nil || !f.Sealed):
		return "the path is not sealed as it stands. Press S to seal it."
	}
	return ""
}

func framesOnPath(f *facts) string {
	if f.Table == nil {
		return ""
	}
	first, last := f.bench.Shoot.Scheme.First, f.bench.Shoot.Scheme.Last
	if first >= f.Table.Start() && last <= f.Table.End() {
		return ""
	}
	return fmt.Sprintf("the shoot has frames %s to %s and the sealed path %s to %s. Make them fit.",
		limit.Frame4(float64(first)), limit.Frame4(float64(last)), limit.Frame4(float64(f.Table.Start())), limit.Frame4(float64(f.Table.End())))
}

func onePath(f *facts) string {
	if f.bench.Newer == 0 {
		return ""
	}
	return fmt.Sprintf("path %d is sealed, and the frames so far are on an older one; at frame %s they differ by %.1f px. Choose which to go on with.",
		f.bench.Newer, limit.Frame4(float64(f.cell.Frame)), f.bench.NewerPx)
}

func atFirst(f *facts) string {
	ok, _, text := AtFirst(f.Snapshot, f.Desk)
	if f.Connected && ok {
		return ""
	}
	return text + " Press F to go there."
}

func pass(f *facts) string {
	switch {
	case f.PassNote != "":
		return f.PassNote
	case f.PassName == "":
		return "no pass is chosen. Press 5 and choose one."
	}
	return ""
}

func loaded(f *facts) string {
	l := f.Loading
	switch {
	case l == nil || l.Print != f.Print || f.Print == "":
		return ""
	case l.Why != "":
		return fmt.Sprintf("%s does not take the sealed path: %s.", f.Rig.Name, l.Why)
	case l.Left >= 1:
		return fmt.Sprintf("the sealed path is being loaded into %s, %.0f s.", f.Rig.Name, l.Left)
	}
	return fmt.Sprintf("the sealed path is being loaded into %s.", f.Rig.Name)
}

func cameraThere(f *facts) string {
	if f.eye.Connected {
		return ""
	}
	return fmt.Sprintf("the camera is not there: %s. It is looked for all the time.", f.eye.Why)
}

// startsAt is the end of the path at which a pass begins.
func (d *Desk) startsAt() string {
	if d != nil && d.Table != nil && d.Begin == d.Table.End() && d.Begin > d.Table.Start() {
		return "last"
	}
	return "first"
}

// AtFirst reports whether the rig stands at the table's first pose, whether it
// stands on the path at all, and if it is not at first, how far it is: in frames
// where it stands on the path, else by the worst axis.
func AtFirst(s machine.Snapshot, d *Desk) (ok, onPath bool, text string) {
	if s.State.Mode == link.Rolling || s.State.Mode == link.Braking {
		return true, true, ""
	}
	n := len(d.Table.Axes)
	first, here, at := make([]float64, n), make([]float64, n), make([]float64, n)
	p := trace.Sealed{Table: d.Table}
	p.AtFrame(first, d.Begin)
	worst, far := -1, 0.0
	for i, id := range d.Table.Axes {
		here[i] = s.State.Pos(id)
		a := d.Rig.Axes[i]
		// Within two steps counts as there: the rig itself checks to one step.
		if x := math.Abs(s.State.Asked(id)-first[i]) / (2 * math.Abs(float64(a.StepsPerUnit.Den)/float64(a.StepsPerUnit.Num))); x > 1 && x > far {
			worst, far = i, x
		}
	}
	if worst < 0 {
		return true, true, ""
	}
	f := int(math.Floor(s.State.Frame + 1e-6)) // as the counter shows it
	on := f >= d.Table.Start() && p.AtFrame(at, f)
	for i, a := range d.Rig.Axes {
		on = on && math.Abs(here[i]-at[i]) < 0.01*(a.Max-a.Min)
	}
	switch {
	case on && f > d.Begin:
		return false, true, frames(f-d.Begin) + " past first."
	case on && f < d.Begin && d.startsAt() == "last":
		return false, true, frames(d.Begin-f) + " before last."
	}
	a := d.Rig.Axes[worst]
	return false, on, fmt.Sprintf("%s is %.1f %s from frame %s.", a.Name, math.Abs(here[worst]-first[worst]), a.Unit.Symbol(), limit.Frame4(float64(d.Begin)))
}

func frames(n int) string {
	if n == 1 {
		return "1 frame"
	}
	return fmt.Sprintf("%d frames", n)
}

// Begins is the frame at which a pass of a table begins.
func Begins(t *seal.Table, s clock.Spec) (int, error) {
	c, err := t.Clock(s)
	if err != nil {
		return t.Start(), err
	}
	return c.At(0, trace.Hz).Whole(), nil
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
