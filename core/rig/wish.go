package rig

import (
	"fmt"
	"math"
	"math/rand/v2"
)

// Wish is what a job asks of a machine; what is left out is not asked. Heights are those
// of the camera above the machine's floor, in metres.
type Wish struct {
	LowM      *float64 `json:"low_m,omitempty" doc:"down to this height of the camera"`
	HighM     *float64 `json:"high_m,omitempty" doc:"up to this height"`
	ReachM    *float64 `json:"reach_m,omitempty" doc:"so far from the column that it turns about, level"`
	TravelM   *float64 `json:"travel_m,omitempty" doc:"along its rails"`
	PayloadKg *float64 `json:"payload_kg,omitempty"`
	Mounting  Mounting `json:"mounting,omitempty" enum:"level,sloped,upright,upside down"`
	SpeedMPS  *float64 `json:"speed_mps,omitempty" doc:"of the camera in space"`
	PanDPS    *float64 `json:"pan_dps,omitempty" doc:"degrees a second"`
	RollDeg   *float64 `json:"roll_deg,omitempty" doc:"to either side"`
	TiltDeg   *float64 `json:"tilt_deg,omitempty" doc:"downwards"`
	FrontM    *float64 `json:"front_m,omitempty" doc:"camera and lens before the tilt axis"`
	BodyM     *float64 `json:"body_m,omitempty" doc:"the body's greatest width across the lens"`
	Sound     bool     `json:"sound,omitempty" doc:"sound is recorded while it moves"`
	HoldsOff  bool     `json:"holds_off,omitempty" doc:"it stays where it is when the power goes"`
	Repeats   bool     `json:"repeats,omitempty" doc:"the same move again, identically, and at other speeds"`
}

// Answer is what a machine says to one wish. Word is yes, no or cannot say.
type Answer struct {
	Wish string `json:"wish"`
	Word string `json:"word" enum:"yes,no,cannot say"`
	Says string `json:"says" doc:"with what limits it"`
}

// Extent is how far a machine's camera gets between its soft limits, in metres.
type Extent struct {
	LowM    float64 `json:"low_m"`
	HighM   float64 `json:"high_m"`
	ReachM  float64 `json:"reach_m" doc:"from the column that it turns about, level"`
	TravelM float64 `json:"travel_m"`
	// The poses that get there, in the axes' order.
	Low   []float64 `json:"low"`
	High  []float64 `json:"high"`
	Reach []float64 `json:"reach"`
}

// Extent looks for the camera's lowest, highest and farthest places over all axes: climbs
// one axis at a time from many seeded starts. What it answers is reached; a little more
// might be.
func (r *Rig) Extent() Extent {
	e := Extent{TravelM: r.travel()}
	column := r.column()
	height := func(q []float64) float64 { return r.Forward(q).At[2] }
	e.High = r.climb(height)
	e.Low = r.climb(func(q []float64) float64 { return -math.Max(height(q), 0) }) // not under the floor
	e.HighM, e.LowM = height(e.High), math.Max(height(e.Low), 0)
	if column < 0 { // nothing swings it out
		e.Reach = e.High
		return e
	}
	reach := func(q []float64) float64 {
		c, p := r.Frames(nil, q)[column].At, r.Forward(q).At
		return math.Hypot(p[0]-c[0], p[1]-c[1])
	}
	e.Reach = r.climb(reach)
	e.ReachM = reach(e.Reach)
	return e
}

// column is the first joint that turns about the vertical with the camera on it, or −1.
func (r *Rig) column() int {
	for k := r.joint(r.Camera, len(r.Joints)); k >= 0; k = r.joint(r.Joints[k].Parent, k) {
		if r.Joints[k].Kind == Revolute && math.Abs(r.Joints[k].Direction[2]) > 0.99 {
			if next := r.columnUnder(k); next >= 0 {
				return next
			}
			return k
		}
	}
	return -1
}

func (r *Rig) columnUnder(k int) int {
	found := -1
	for k = r.joint(r.Joints[k].Parent, k); k >= 0; k = r.joint(r.Joints[k].Parent, k) {
		if r.Joints[k].Kind == Revolute && math.Abs(r.Joints[k].Direction[2]) > 0.99 {
			found = k
		}
	}
	return found
}

// climb is a pose at which f is greatest, as far as it finds one.
func (r *Rig) climb(f func([]float64) float64) []float64 {
	rng := rand.New(rand.NewPCG(1, 0xc11b))
	var best []float64
	top := math.Inf(-1)
	for start := range 8 {
		q := make([]float64, len(r.Axes))
		for i, a := range r.Axes {
			if q[i] = min(max(0, a.Min), a.Max); start > 0 {
				q[i] = a.Min + rng.Float64()*(a.Max-a.Min)
			}
		}
		for was := math.Inf(-1); f(q) > was+1e-7; {
			was = f(q)
			for i := range q {
				r.best(q, i, f)
			}
		}
		if v := f(q); v > top+1e-9 {
			top, best = v, q
		}
	}
	return best
}

// best moves one axis to where f is greatest: the best of some, then closer and closer.
func (r *Rig) best(q []float64, i int, f func([]float64) float64) {
	a := &r.Axes[i]
	at, v := q[i], f(q)
	try := func(x float64) {
		if x = min(max(x, a.Min), a.Max); x != at {
			q[i] = x
			if w := f(q); w > v {
				at, v = x, w
			}
		}
	}
	const parts = 12
	for k := range parts + 1 {
		try(a.Min + (a.Max-a.Min)*float64(k)/parts)
	}
	for d := (a.Max - a.Min) / parts / 2; d > 1e-3; d /= 2 {
		x := at
		try(x - d)
		try(x + d)
	}
	q[i] = at
}

// mount is the joint that the camera is on, whatever its lens does with the axis.
func (r *Rig) mount() int {
	k := r.joint(r.Camera, len(r.Joints))
	if k >= 0 && r.Camera == opticJoint {
		k = r.joint(r.Joints[k].Parent, k)
	}
	return k
}

// turns is the first axis that turns the camera about a direction of its own at zero: 0 right (tilt), 1
// forward (roll), 2 up (pan); −1 where there is none.
func (r *Rig) turns(about int) (axis int) {
	q := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		q[i] = min(max(0, a.Min), a.Max)
	}
	frames := r.Frames(nil, q)
	mount := r.mount()
	if mount < 0 {
		return -1
	}
	cam := frames[mount]
	own := [3]Vec{cam.Right, cam.Forward, cam.Up}[about]
	for k := mount; k >= 0; k = r.joint(r.Joints[k].Parent, k) {
		j := &r.Joints[k]
		if j.Kind != Revolute {
			continue
		}
		f := frames[k]
		var d Vec
		for i := range 3 {
			d[i] = j.Direction[0]*f.Right[i] + j.Direction[1]*f.Forward[i] + j.Direction[2]*f.Up[i]
		}
		if dot := d[0]*own[0] + d[1]*own[1] + d[2]*own[2]; math.Abs(dot) > 0.99 {
			return r.Index(j.Axis)
		}
	}
	return -1
}

// Can answers every wish that was asked, with what limits it. Of a machine that is seen
// through a lens that displaces its axis (Through), height, reach and speed are those of
// where the lens looks from; what pans, tilts and rolls is the camera.
//
//revive:disable-next-line:function-length one answer after another, in the order in which they are read
func (r *Rig) Can(w Wish) []Answer {
	out := []Answer{}
	say := func(wish string, ok bool, format string, v ...any) {
		word := "no"
		if ok {
			word = "yes"
		}
		out = append(out, Answer{wish, word, fmt.Sprintf(format, v...)})
	}
	unknown := func(wish, format string, v ...any) {
		out = append(out, Answer{wish, "cannot say", fmt.Sprintf(format, v...)})
	}
	b := r.Book
	if b == nil {
		b = &Book{}
	}
	var e Extent
	if r.Camera == "" {
		for _, of := range []struct {
			name string
			v    *float64
		}{{"height", w.LowM}, {"top", w.HighM}, {"reach", w.ReachM}} {
			wish, v := of.name, of.v
			if v != nil {
				say(wish, false, "%s carries no camera.", r.Name)
			}
		}
	} else if w.LowM != nil || w.HighM != nil || w.ReachM != nil {
		e = r.Extent()
	}
	if w.LowM != nil && r.Camera != "" {
		say("down to", *w.LowM >= e.LowM, "The camera comes down to %.2f m, the job asks for %.2f.", e.LowM, *w.LowM)
	}
	if w.HighM != nil && r.Camera != "" {
		say("up to", *w.HighM <= e.HighM, "The camera comes up to %.2f m, the job asks for %.2f.", e.HighM, *w.HighM)
	}
	if w.ReachM != nil && r.Camera != "" {
		if r.column() < 0 {
			say("reach", false, "Nothing swings it out: the camera stays over its rails, or over its feet.")
		} else {
			say("reach", *w.ReachM <= e.ReachM, "It reaches %.2f m from its column, the job asks for %.2f.",
				e.ReachM, *w.ReachM)
		}
	}
	if w.TravelM != nil {
		if long := r.travel(); long == 0 {
			say("travel", false, "It has no rails.")
		} else {
			say("travel", *w.TravelM <= long, "It travels %.2f m between its soft limits, the job asks for %.2f.",
				long, *w.TravelM)
		}
	}
	if w.PayloadKg != nil {
		m := w.Mounting
		if m == "" {
			m = Level
		}
		if kg, ok := b.PayloadKg[m]; ok {
			say("payload", *w.PayloadKg <= kg, "It is rated for %g kg when %s, the job asks for %g.", kg, m,
				*w.PayloadKg)
		} else {
			unknown("payload", "Nobody has written down what it carries when %s. Look on its plate, or ask its maker.",
				m)
		}
	}
	if w.SpeedMPS != nil {
		v, name := r.fastest()
		say("speed", *w.SpeedMPS <= v*(1+1e-6), "%s alone moves the camera at %.2f m/s within its working speed, the "+
			"job asks for %.2f.", name, v, *w.SpeedMPS)
	}
	if w.PanDPS != nil {
		if i := r.turns(2); i < 0 {
			say("pan", false, "Nothing pans the camera.")
		} else {
			a := &r.Axes[i]
			say("pan", *w.PanDPS <= a.Working.Speed, "%s turns at %g °/s within its working speed (rated %g), the job "+
				"asks for %g.", a.Name, a.Working.Speed, a.Rated.Speed, *w.PanDPS)
		}
	}
	r.turned(w, b, say, unknown)
	if w.Sound {
		switch q := b.QuietShare; {
		case q == nil:
			unknown("sound", "Nobody has written down how loud it is. Listen to it, or have sound recorded apart.")
		case *q == 0:
			say("sound", false, "It is heard whenever it moves: sound is recorded apart.")
		default:
			say("sound", true, "Up to %.0f %% of its working speeds; faster, it is heard.", *q*100)
		}
	}
	if w.HoldsOff {
		r.holds(say, unknown)
	}
	if w.Repeats {
		worst := ""
		for _, a := range r.Axes {
			if a.Feedback == SeesNothing && (a.Kind == Linear || a.Kind == Rotary) {
				worst = a.Name
			}
		}
		switch {
		case b.FramesOnly:
			say("repeats", false, "It is made for single frames: the same poses again, but no move through them.")
		case worst != "":
			say("repeats", true, "It does, and at other speeds within its limits; nothing sees %s, so that a lost "+
				"step there shows only when it is homed again.", worst)
		default:
			say("repeats", true, "It does, and at other speeds within its limits.")
		}
	}
	return out
}

// travel is the length of its rails between the soft limits, in metres.
func (r *Rig) travel() float64 {
	most := 0.0
	for _, x := range r.Rails() {
		if a := r.Axes[r.Index(x.Axis)]; a.Kind == Linear {
			most = max(most, (a.Max-a.Min)/1000)
		}
	}
	return most
}

// turned answers what is asked of roll and tilt.
func (r *Rig) turned(w Wish, b *Book, say func(string, bool, string, ...any), unknown func(string, string, ...any)) {
	roll, tilt := r.turns(1), r.turns(0)
	if w.RollDeg != nil {
		if roll < 0 {
			say("roll", false, "Nothing rolls the camera.")
		} else {
			a := &r.Axes[roll]
			say("roll", *w.RollDeg <= min(a.Max, -a.Min),
				"%s turns %g° to one side and %g° to the other, the job asks for %g.", a.Name, -a.Min,
				a.Max, *w.RollDeg)
		}
	}
	if w.BodyM != nil && roll >= 0 {
		if b.RollRingM == 0 {
			unknown("body", "Nobody has written down how wide its roll ring is. Measure it before the camera "+
				"is chosen.")
		} else {
			say("body", *w.BodyM <= b.RollRingM, "The roll ring is %.3f m wide, the body %.3f.", b.RollRingM, *w.BodyM)
		}
	}
	if w.TiltDeg != nil {
		if tilt < 0 {
			say("tilt", false, "Nothing tilts the camera.")
			return
		}
		a := &r.Axes[tilt]
		say("tilt", *w.TiltDeg <= -a.Min, "%s goes down to %g°, the job asks for %g.", a.Name, a.Min, -*w.TiltDeg)
	}
	if w.FrontM != nil && tilt >= 0 {
		if b.BelowTiltM == 0 {
			unknown("length", "Nobody has written down how much room is under the tilt axis. Measure it.")
			return
		}
		half := 0.06
		if w.BodyM != nil {
			half = *w.BodyM / 2
		}
		a := &r.Axes[tilt]
		most := TiltRoom(*w.FrontM, half, b.BelowTiltM)
		say("length", most >= -a.Min, "%.2f m before the axis touch what is under it at %.0f° down; the tilt "+
			"goes to %g°.", *w.FrontM, most, -a.Min)
	}
}

// holds answers whether everything stays where it is without power.
func (r *Rig) holds(say func(string, bool, string, ...any), unknown func(string, string, ...any)) {
	slips, unsaid := "", ""
	for _, a := range r.Axes {
		if a.Drive == nil {
			if unsaid != "" {
				unsaid += ", "
			}
			unsaid += a.Name
			continue
		}
		if a.Drive.SlipsBack {
			if slips != "" {
				slips += ", "
			}
			slips += a.Name
		}
	}
	switch {
	case slips != "":
		say("power off", false, "%s slips back when the power goes. Support it, or fit a brake.", slips)
	case unsaid != "":
		unknown("power off", "The drive of %s is not described. Support whatever could fall before it is switched off.",
			unsaid)
	default:
		say("power off", true, "Its gears hold it.")
	}
}

// fastest is how fast one axis alone moves the camera within its working speed, at the
// pose in which it moves it most, in metres a second, and which axis that is.
func (r *Rig) fastest() (mps float64, name string) {
	if r.Camera == "" {
		return 0, "Nothing"
	}
	name = "Nothing"
	poses := [][]float64{r.climb(func(q []float64) float64 { p := r.Forward(q).At; return math.Hypot(p[0], p[1]) })}
	mid := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		mid[i] = (a.Min + a.Max) / 2
	}
	poses = append(poses, mid)
	for i, a := range r.Axes {
		for _, q := range poses {
			p := append([]float64(nil), q...)
			const little = 1e-3
			p[i] += little
			from, to := r.Forward(q).At, r.Forward(p).At
			if v := math.Hypot(math.Hypot(to[0]-from[0], to[1]-from[1]), to[2]-from[2]) / little *
				a.Working.Speed; v > mps+1e-9 {
				mps, name = v, a.Name
			}
		}
	}
	return mps, name
}
