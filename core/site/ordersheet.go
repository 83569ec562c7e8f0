package site

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
)

// StepSlot is one step against the clock: as planned, and as it is or will be. Minutes
// from the start.
type StepSlot struct {
	ID       string  `json:"id"`
	PlanFrom float64 `json:"plan_from_min"`
	PlanTo   float64 `json:"plan_to_min"`
	From     float64 `json:"from_min"`
	To       float64 `json:"to_min"`
	Slack    float64 `json:"slack_min"`
	Critical bool    `json:"critical"`
	State    string  `json:"state" enum:"done,running,waiting"`
}

// OrderCourse is one plan against the clock, as it goes.
type OrderCourse struct {
	Name  string     `json:"name"`
	Slots []StepSlot `json:"slots"`
	// PlannedMin is when it was meant to be ready, by the day's first plan; DrawnMin when it is if every
	// step takes its middle, which is seldom. PlannedMin, Ready and Four are of draws of the whole
	// network, as likely before as after but for Four.
	PlannedMin float64 `json:"planned_min"`
	DrawnMin   float64 `json:"drawn_min"`
	ReadyMin   float64 `json:"ready_min"`
	FourMin    float64 `json:"four_in_five_min"`
	Planned    string  `json:"planned"`
	Ready      string  `json:"ready"`
	Four       string  `json:"four_in_five"`
}

// Helps is something that would make it ready earlier, as a plan to hold beside.
type Helps struct {
	Says     string     `json:"says"`
	ReadyMin float64    `json:"ready_min"`
	Ready    string     `json:"ready"`
	Plan     *OrderPlan `json:"plan"`
}

// OrderSheet is all that is said of a running order at a moment.
type OrderSheet struct {
	Begins  time.Time    `json:"begins"`
	NowMin  float64      `json:"now_min"`
	Now     string       `json:"now"`
	Course  OrderCourse  `json:"course"`
	Against *OrderCourse `json:"against,omitempty"`
	Over    bool         `json:"over" doc:"every step is done"`
	Done    int          `json:"done"`
	Behind  float64      `json:"behind_min" doc:"of the plan; below 0: ahead"`
	Holds   string       `json:"holds,omitempty" doc:"the step that holds it up"`
	Says    string       `json:"says"`
	More    string       `json:"more"`
	Changed string       `json:"changed,omitempty" doc:"what changes under way do to when it is ready"`
	Due     []string     `json:"due" doc:"what has to be done by a time and is not, or will not be"`
	Breaks  []Breach     `json:"breaks"`
	Helps   []Helps      `json:"helps"`
}

// Sheet works all of that out. learnt is of past days.
func (o *Order) Sheet(now time.Time, learnt map[Doing]Learnt) (*OrderSheet, error) {
	n, spreads, err := o.check(now.Location())
	if err != nil {
		return nil, err
	}
	begins, _ := o.Begins(now.Location())
	v := &OrderSheet{Begins: begins, NowMin: now.Sub(begins).Minutes(), Now: now.Format("15:04"), Due: []string{},
		Helps: []Helps{}}
	done := o.done(begins)
	s, err := v.course(&v.Course, "as planned", o.Steps, n, spreads, o.Setup.Crew, done)
	if err != nil {
		return nil, err
	}
	if err := v.first(o); err != nil {
		return nil, err
	}
	v.Over = true
	for _, x := range o.Steps {
		if x.Ended == nil {
			v.Over = false
		} else {
			v.Done++
		}
	}
	v.Behind = v.Course.ReadyMin - v.Course.PlannedMin
	v.Breaks = breaches(o.Steps, n)
	v.due(o, begins)
	v.sentence(o, n, s, learnt)
	if !v.Over {
		if err := v.help(o, n, learnt, done); err != nil {
			return nil, err
		}
	}
	if p := o.Against; p != nil {
		v.Against = &OrderCourse{}
		an, as, err := network(p.Steps, p.Setup.Crew)
		if err != nil {
			return nil, err
		}
		if _, err := v.course(v.Against, p.Name, p.Steps, an, as, p.Setup.Crew, o.same(p.Steps, done)); err != nil {
			return nil, err
		}
	}
	return v, nil
}

// same is how far another plan's steps are: those of the same name in this one.
func (o *Order) same(steps []OrderStep, done []Done) []Done {
	out := make([]Done, len(steps))
	for i, s := range steps {
		if k := slices.IndexFunc(o.Steps, func(x OrderStep) bool { return x.ID == s.ID }); k >= 0 {
			out[i] = done[k]
		}
	}
	return out
}

func (v *OrderSheet) course(c *OrderCourse, name string, steps []OrderStep, n *Network, spreads []Spread, crew int,
	done []Done) (Schedule, error) {
	plan, err := n.Crewed(n.Minutes(), crew, 0, nil)
	if err != nil {
		return plan, err
	}
	now := max(v.NowMin, 0)
	s, err := n.Crewed(n.expect(spreads, now, done), crew, now, done)
	if err != nil {
		return s, err
	}
	c.Name, c.DrawnMin = name, s.Ready
	if c.ReadyMin, c.FourMin, err = n.Forecast(spreads, crew, now, done); err != nil {
		return s, err
	}
	c.PlannedMin = c.ReadyMin
	if now > 0 || slices.ContainsFunc(done, func(d Done) bool { return d.Began != nil }) {
		if c.PlannedMin, _, err = n.Forecast(spreads, crew, 0, nil); err != nil {
			return s, err
		}
	}
	c.Planned, c.Ready, c.Four = Clock(v.Begins, c.PlannedMin), Clock(v.Begins, c.ReadyMin), Clock(v.Begins, c.FourMin)
	for i, x := range s.Slots {
		t := StepSlot{ID: steps[i].ID, PlanFrom: plan.Slots[i].Start, PlanTo: plan.Slots[i].End, From: x.Start,
			To: x.End, Slack: x.Slack, Critical: x.Slack == 0, State: "waiting"}
		switch {
		case done[i].Ended != nil:
			t.State = "done"
		case done[i].Began != nil:
			t.State = "running"
		}
		c.Slots = append(c.Slots, t)
	}
	return s, nil
}

// first holds what goes on against the day's first plan: a step that is lengthened under way does not
// make what is late on time. A step that is not in it has the plan of now.
func (v *OrderSheet) first(o *Order) error {
	if o.First == nil {
		return nil
	}
	n, spreads, err := network(o.First.Steps, o.First.Setup.Crew)
	if err != nil {
		return err
	}
	plan, err := n.Crewed(n.Minutes(), o.First.Setup.Crew, 0, nil)
	if err != nil {
		return err
	}
	c, now := &v.Course, v.Course.PlannedMin
	if c.PlannedMin, _, err = n.Forecast(spreads, o.First.Setup.Crew, 0, nil); err != nil {
		return err
	}
	c.Planned = Clock(v.Begins, c.PlannedMin)
	for i, s := range o.First.Steps {
		if k := slices.IndexFunc(c.Slots, func(t StepSlot) bool { return t.ID == s.ID }); k >= 0 {
			c.Slots[k].PlanFrom, c.Slots[k].PlanTo = plan.Slots[i].Start, plan.Slots[i].End
		}
	}
	if math.Abs(now-c.PlannedMin) >= 1 {
		v.Changed = fmt.Sprintf("Changed under way: by the first plan it was ready at %s, as it is planned now at %s. "+
			"Behind and ahead are of the first.", c.Planned, Clock(v.Begins, now))
	}
	return nil
}

// due names what was promised by a time and is not there, or will not be.
func (v *OrderSheet) due(o *Order, begins time.Time) {
	for i, s := range o.Steps {
		if s.Latest == "" || s.Ended != nil {
			continue
		}
		latest, _ := time.ParseInLocation("2006-01-02 15:04", o.Date+" "+s.Latest, begins.Location())
		if latest.Before(begins) { // after midnight
			latest = latest.AddDate(0, 0, 1)
		}
		by := latest.Sub(begins).Minutes()
		whose := ""
		if s.Owner != "" {
			whose = ", " + s.Owner + "'s,"
		}
		switch slot := v.Course.Slots[i]; {
		case v.NowMin > by:
			v.Due = append(v.Due, fmt.Sprintf("“%s”%s was due at %s, %s ago.", s.Name, whose, s.Latest,
				hours(math.Round(v.NowMin-by))))
		case slot.To > by+0.5:
			v.Due = append(v.Due, fmt.Sprintf("“%s”%s is due at %s and will be done at %s as it goes.", s.Name, whose,
				s.Latest, Clock(begins, slot.To)))
		}
	}
}

// sentence says what decides, or holds up.
func (v *OrderSheet) sentence(o *Order, n *Network, s Schedule, learnt map[Doing]Learnt) {
	if v.Over {
		v.Says = fmt.Sprintf("Ready since %s.", Clock(v.Begins, s.Ready))
		v.More = minutesOff(v.Behind)
		return
	}
	worst, most, waits := -1, 0.0, false
	for pass := 0; pass < 2 && worst < 0; pass++ { // what goes on before what is past
		for _, i := range s.Critical() {
			if pass == 0 && o.Steps[i].Ended != nil {
				continue
			}
			x := s.Slots[i]
			long := x.End - x.Start - o.Steps[i].Minutes
			could := 0.0
			for _, j := range n.after[i] {
				could = max(could, s.Slots[j].End)
			}
			late := x.Start - could
			if o.Steps[i].Began != nil && late > 0 { // it waited for hands as planned, too
				late = min(late, max(x.Start-v.Course.Slots[i].PlanFrom, 0))
			}
			if o.Steps[i].Began == nil && x.Start > max(v.NowMin, 0)+noSlack {
				late = 0 // it comes when hands are free
			}
			if long > most {
				worst, most, waits = i, long, false
			}
			if late > most {
				worst, most, waits = i, late, true
			}
		}
	}
	next := -1
	for _, i := range s.Critical() {
		if o.Steps[i].Ended == nil {
			next = i
			break
		}
	}
	switch {
	case v.NowMin < 0:
		v.Says = fmt.Sprintf("It starts at %s, in %s.", o.Start, hours(math.Round(-v.NowMin)))
	case v.Behind >= 2 && worst >= 0:
		v.Holds = o.Steps[worst].ID
		v.Says = fmt.Sprintf("“%s” holds everything up: %s", o.Steps[worst].Name, minutesOff(v.Behind))
		switch {
		case o.Steps[worst].Ended != nil:
			v.Says = fmt.Sprintf("“%s” took longer: %s", o.Steps[worst].Name, minutesOff(v.Behind))
		case waits && o.Steps[worst].Began == nil:
			v.Says = fmt.Sprintf("Nobody has begun “%s”: %s", o.Steps[worst].Name, minutesOff(v.Behind))
		}
	case v.Behind >= 2:
		v.Says = strings.ToUpper(minutesOff(v.Behind)[:1]) + minutesOff(v.Behind)[1:]
	case next >= 0 && v.Behind <= -2:
		v.Says = fmt.Sprintf("%s “%s” decides.", minutesOff(v.Behind), o.Steps[next].Name)
	case next >= 0:
		v.Says = fmt.Sprintf("On time. “%s” decides.", o.Steps[next].Name)
	}
	about := next
	if worst >= 0 && v.Holds != "" {
		about = worst
	}
	if about >= 0 {
		x := o.Steps[about]
		if l, ok := learnt[x.Does]; ok && l.Days >= Enough {
			v.More = fmt.Sprintf("From %d days like this one: “%s” takes %.0f min, four days in five under %.0f.",
				l.Days, x.Name, l.P50, l.P80)
		} else {
			v.More = fmt.Sprintf("“%s” is taken to be %.0f min: a rule of thumb until it was done %d times here.",
				x.Name, x.Minutes, Enough)
		}
	}
}

func minutesOff(v float64) string {
	switch v = math.Round(v); {
	case v >= 2:
		return hours(v) + " behind."
	case v <= -2:
		return hours(-v) + " ahead."
	}
	return "on time."
}

// hours says minutes, of two hours and more as hours.
func hours(v float64) string {
	if v < 120 {
		return fmt.Sprintf("%.0f minutes", v)
	}
	return fmt.Sprintf("%d h %02d min", int(v)/60, int(v)%60)
}
