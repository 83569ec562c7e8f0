package stage

import (
	"fmt"

	"keenarc/core/limit"
	"keenarc/core/weave"
	"keenarc/link"
)

// FrameReadiness is the strip for shooting frame by frame: what is satisfied, and the
// first thing that keeps the next press from being carried out, with the key that mends
// it. cell is the one that comes next.
func FrameReadiness(s Snapshot, d *Desk, eye EyeNow, cell weave.Cell, b *Bench) *Ready {
	r := &Ready{OK: true, Checks: []Check{}}
	item := func(name string, ok bool, key, format string, v ...any) {
		r.Checks = append(r.Checks, Check{name, ok})
		if !ok && r.OK {
			r.OK, r.Key, r.Sentence = false, key, "Not yet: "+fmt.Sprintf(format, v...)
		}
	}
	unless := func(ok bool, name, key, format string, v ...any) {
		if !ok {
			item(name, false, key, format, v...)
		}
	}
	item("sealed", d.Table != nil, "S", "there is no sealed path. Press S to seal it.")
	if d.Table == nil {
		return r
	}
	first, last := b.Shoot.Scheme.First, b.Shoot.Scheme.Last
	unless(first >= d.Table.Start() && last <= d.Table.End(), "frames on the path", "3", "the shoot has frames %s to %s and the sealed path %s to %s. Make them fit.",
		limit.Frame4(float64(first)), limit.Frame4(float64(last)), limit.Frame4(float64(d.Table.Start())), limit.Frame4(float64(d.Table.End())))
	unless(b.Newer == 0, "one path", "", "path %d is sealed, and the frames so far are on an older one; at frame %s they differ by %.1f px. Choose which to go on with.", b.Newer, limit.Frame4(float64(cell.Frame)), b.NewerPx)
	item("in limits", d.LineUp == "", "2", "%s Line up again, or change the path.", d.LineUp)
	unless(d.Balance == nil || d.Balance.OK, "balanced", "1", "%s Press 1, Balance.", balanceWords(d.Balance))
	unless(s.Connected, "rig seen", "1", "%s is not seen. Check its power and cable; it is looked for all the time.", d.Rig.Name)
	unless(!s.Connected || s.Driving, "driven here", "", "another copy of Keen Arc drives %s; this one only watches.", d.Rig.Name)
	machine(s, d, unless)
	unhomed := ""
	for _, a := range d.Rig.Axes {
		if !s.State.Homed[a.ID] && unhomed == "" {
			unhomed = a.Name
		}
	}
	idle := s.State.Mode == link.Idle || s.State.Mode == link.Armed
	if s.Connected && !idle && s.State.Mode != link.Moving {
		item("standing still", false, "Esc", "%s is %s. Wait, or press Esc to stop it.", d.Rig.Name, s.State.Mode)
	}
	item("homed", s.Connected && unhomed == "", "2", "%s is not homed. Press 2, then Home.", unhomed)
	astray := Astray(s, d.Rig)
	unless(!s.Connected || unhomed != "" || !idle || astray == "", "in place", "2", "%s", astray)
	// Where it does not stand at the pose, the next press goes there.
	at := AtPose(s, d, cell.Frame)
	r.Checks = append(r.Checks, Check{"at its pose", at}, Check{"still", at && idle})
	item("camera", eye.Connected, "", "the camera is not there: %s. It is looked for all the time.", eye.Why)
	return r
}

func balanceWords(b *Balanced) string {
	if b == nil {
		return ""
	}
	return b.Says
}
