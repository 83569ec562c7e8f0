package site

import (
	"fmt"
	"math"
	"slices"
	"time"

	"keenarc/core/mistake"
)

// Doing is what a step is about, whatever it is called: by it rules are checked and
// durations learnt.
type Doing string

// What is done while a rig is set up.
const (
	Agree   Doing = "agree"   // where it stands is agreed
	Unload  Doing = "unload"  // off the vehicle, onto the stage
	Lay     Doing = "lay"     // rails, or legs, or the table
	Even    Doing = "level"   // levelled and packed
	Build   Doing = "build"   // base, column, boom, carriage, arm
	Head    Doing = "head"    // the head on it
	Cable   Doing = "cable"   // power and data run
	Boot    Doing = "boot"    // powered, every drive seen
	Camera  Doing = "camera"  // camera built
	Weigh   Doing = "weigh"   // its pieces weighed
	Mount   Doing = "mount"   // on the rig, safety line on
	Line    Doing = "line"    // safety line on, nothing dangles
	Pins    Doing = "pins"    // transport pins out
	PinIn   Doing = "pin in"  // mounting pin in
	PinOut  Doing = "pin out" // mounting pin out
	Isolate Doing = "isolate" // power off and locked off
	Release Doing = "release" // and on again, with nobody at it
	Weights Doing = "weights" // counterweights on
	Balance Doing = "balance"
	Tell    Doing = "tell" // an arm is told, or feels, what it carries
	Home    Doing = "home"
	Lens    Doing = "lens"
	Fit     Doing = "fit" // accessories hung
	Other   Doing = "other"
)

// Doings are all of them, in the order of a day.
var Doings = []Doing{Agree, Unload, Lay, Even, Build, PinIn, Head, Isolate, Cable, Boot, Camera, Weigh, Fit,
	Mount, Line, Pins,
	Weights, PinOut, Balance, Release, Tell, Home, Lens, Other}

// Setup is what durations hang on.
type Setup struct {
	Kind   string `json:"kind" enum:"slider,crane,arm,model mover" doc:"of rig"`
	Rails  bool   `json:"rails" doc:"on rails; else on wheels, or where it stands"`
	Ground string `json:"ground" enum:"stage floor,uneven,outdoors"`
	Crew   int    `json:"crew"`
}

// Kinds and Grounds are what a set-up can be of.
var (
	Kinds   = []string{"slider", "crane", "arm", "model mover"}
	Grounds = []string{"stage floor", "uneven", "outdoors"}
)

// OrderStep is one task of a running order, carried on by a thread.
type OrderStep struct {
	ID      string   `json:"id" maxLength:"40"`
	Name    string   `json:"name" maxLength:"60"`
	Thread  string   `json:"thread" maxLength:"24" doc:"who, or what, it belongs to"`
	Does    Doing    `json:"does"`
	Minutes float64  `json:"minutes" doc:"as likely longer as shorter"`
	P80     float64  `json:"p80_minutes" doc:"longer one time in five"`
	After   []string `json:"after"`
	People  int      `json:"people" doc:"how many it keeps busy; 0: it waits for somebody"`
	// Shares says that more hands make it shorter.
	Shares bool `json:"shares,omitempty"`
	// Owner answers for it; Latest, hh:mm, is when it has to be done.
	Owner  string     `json:"owner,omitempty" maxLength:"60"`
	Latest string     `json:"latest,omitempty" maxLength:"5"`
	Began  *time.Time `json:"began,omitempty"`
	Ended  *time.Time `json:"ended,omitempty"`
	// Guessed: nobody pressed when it began; it is drawn as if it had taken what was planned, and
	// nothing is learnt of that.
	Guessed bool `json:"began_guessed,omitempty"`
	// Learnt is of how many days its minutes were taken, and what P80 was then; with another P80 it
	// says nothing.
	Learnt *LearntAs `json:"learnt,omitempty"`
}

// LearntAs is where a step's minutes come from.
type LearntAs struct {
	Days int     `json:"days"`
	P80  float64 `json:"p80_minutes"`
}

// learnt notes of a step whose minutes are those of past days of how many these are.
func (s *OrderStep) learnt(learnt map[Doing]Learnt) {
	if l, ok := learnt[s.Does]; ok && l.Days >= Enough && s.P80 == tenth(l.P80) {
		s.Learnt = &LearntAs{l.Days, s.P80}
	}
}

// spread is how long it takes.
func (s *OrderStep) spread() Spread {
	w := Spread{P50: s.Minutes, P80: max(s.P80, s.Minutes)}
	if s.Learnt != nil && s.Learnt.P80 == s.P80 {
		w.Days = s.Learnt.Days
	}
	return w
}

// Order is a running order: what is done on a day until a rig is ready to line up.
type Order struct {
	Date  string      `json:"date" doc:"the day on which it starts, as 2026-03-04"`
	Start string      `json:"start" doc:"hh:mm"`
	Setup Setup       `json:"setup"`
	Steps []OrderStep `json:"steps"`
	// First is the day's plan as it was when its first step began: what is behind is behind that.
	First *OrderPlan `json:"first,omitempty"`
	// Against is another plan for the same day, to be held beside it.
	Against *OrderPlan `json:"against,omitempty"`
}

// OrderPlan is the steps of another way to do it.
type OrderPlan struct {
	Name  string      `json:"name" maxLength:"80"`
	Setup Setup       `json:"setup"`
	Steps []OrderStep `json:"steps"`
}

// Keep keeps the day's plan as it is when its first step has begun, and lets go of it where none has.
func (o *Order) Keep() {
	switch began := slices.ContainsFunc(o.Steps, func(s OrderStep) bool { return s.Began != nil }); {
	case !began:
		o.First = nil
	case o.First == nil:
		o.First = &OrderPlan{Name: "the day's first plan", Setup: o.Setup, Steps: slices.Clone(o.Steps)}
		for i := range o.First.Steps {
			x := &o.First.Steps[i]
			x.Began, x.Ended, x.Guessed = nil, nil, false
		}
	}
}

// Begins is the instant at which it starts, in a place's time.
func (o *Order) Begins(in *time.Location) (time.Time, error) {
	t, err := time.ParseInLocation("2006-01-02 15:04", o.Date+" "+o.Start, in)
	if err != nil {
		return t, mistake.In("start", "give a day as 2026-03-04 and a time as 07:30", "it starts on %q at %q",
			o.Date, o.Start)
	}
	return t, nil
}

// mostSteps is more than anybody reads against a clock.
const mostSteps = 60

// network is the steps as tasks, with how long each takes.
func network(steps []OrderStep, crew int) (*Network, []Spread, error) {
	if len(steps) > mostSteps {
		return nil, nil, mistake.In("steps", fmt.Sprintf("keep at most %d; put small ones together", mostSteps),
			"there are %d", len(steps))
	}
	tasks, spreads := make([]Task, len(steps)), make([]Spread, len(steps))
	for i, s := range steps {
		field := fmt.Sprintf("steps[%d]", i)
		if s.Name == "" || s.Thread == "" {
			return nil, nil, mistake.In(field+".name", "give it a name, and say whose it is", "a step has none")
		}
		if !slices.Contains(Doings, s.Does) {
			return nil, nil, mistake.In(field+".does", "say what it is about", "%s is about %q", s.Name, s.Does)
		}
		if !(s.Minutes > 0 && s.Minutes <= mostMinutes) {
			return nil, nil, mistake.In(field+".minutes", "give minutes above zero", "%s takes no time", s.Name)
		}
		spreads[i] = s.spread()
		if err := spreads[i].check(field+".p80_minutes", s.Name); err != nil {
			return nil, nil, err
		}
		if s.People > crew {
			return nil, nil, mistake.In(field+".people", "give a larger crew, or let fewer do it",
				"%s needs %d people and the crew is %d", s.Name, s.People, crew)
		}
		tasks[i] = Task{ID: s.ID, Minutes: s.Minutes, After: s.After, People: s.People}
	}
	n, err := NewNetwork(tasks)
	return n, spreads, err
}

// check is everything about an order that does not hang on the time.
func (o *Order) check(in *time.Location) (*Network, []Spread, error) {
	if _, err := o.Begins(in); err != nil {
		return nil, nil, err
	}
	if err := o.Setup.check("setup"); err != nil {
		return nil, nil, err
	}
	for i, s := range o.Steps {
		if s.Latest != "" {
			if _, err := time.Parse("15:04", s.Latest); err != nil {
				return nil, nil, mistake.In(fmt.Sprintf("steps[%d].latest", i), "give hours and minutes, as 07:40",
					"%s has to be done by %q", s.Name, s.Latest)
			}
		}
		if s.Ended != nil && s.Began == nil || s.Ended != nil && s.Ended.Before(*s.Began) {
			return nil, nil, mistake.In(fmt.Sprintf("steps[%d].ended", i),
				"say when it began, and then when it was done", "%s was done before it began", s.Name)
		}
	}
	if p := o.Against; p != nil {
		if err := p.Setup.check("against.setup"); err != nil {
			return nil, nil, err
		}
		if _, _, err := network(p.Steps, p.Setup.Crew); err != nil {
			return nil, nil, fmt.Errorf("the other plan: %w", err)
		}
	}
	if p := o.First; p != nil {
		if _, _, err := network(p.Steps, p.Setup.Crew); err != nil {
			return nil, nil, fmt.Errorf("the first plan: %w", err)
		}
	}
	return network(o.Steps, o.Setup.Crew)
}

// Check says what is wrong with an order, for a place's time.
func (o *Order) Check(in *time.Location) error {
	_, _, err := o.check(in)
	return err
}

// Check says what is wrong with a set-up.
func (s *Setup) Check() error { return s.check("setup") }

// Took is how long the steps that are done took.
func (o *Order) Took() []Took {
	var out []Took
	for _, s := range o.Steps {
		if s.Began != nil && s.Ended != nil && !s.Guessed {
			out = append(out, Took{s.Does, s.Ended.Sub(*s.Began).Minutes(), o.Date, o.Setup})
		}
	}
	return out
}

// Again is the same steps for another day: undone, with what was learnt since.
func (o *Order) Again(setup Setup, learnt map[Doing]Learnt) []OrderStep {
	out := slices.Clone(o.Steps)
	for i := range out {
		x := &out[i]
		x.Began, x.Ended, x.Guessed = nil, nil, false
		if l, ok := learnt[x.Does]; ok && l.Days >= Enough {
			x.Minutes, x.P80 = tenth(l.P50), tenth(l.P80)
			x.learnt(learnt)
		}
		x.People = min(x.People, setup.Crew)
	}
	return out
}

func (s *Setup) check(field string) error {
	switch {
	case !slices.Contains(Kinds, s.Kind):
		return mistake.In(field+".kind", "say slider, crane, arm or model mover", "it is %q", s.Kind)
	case !slices.Contains(Grounds, s.Ground):
		return mistake.In(field+".ground", "say stage floor, uneven or outdoors", "it is %q", s.Ground)
	case s.Crew < 1 || s.Crew > 40:
		return mistake.In(field+".crew", "give 1 to 40", "the crew is %d", s.Crew)
	}
	return nil
}

// done are the steps' own times, in minutes from the start.
func (o *Order) done(begins time.Time) []Done {
	d := make([]Done, len(o.Steps))
	for i, s := range o.Steps {
		if s.Began != nil {
			v := s.Began.Sub(begins).Minutes()
			d[i].Began = &v
		}
		if s.Ended != nil {
			v := s.Ended.Sub(begins).Minutes()
			d[i].Ended = &v
		}
	}
	return d
}

// Press is one press on a step: it begins, or is done, or what was pressed is taken back.
func (o *Order) Press(id, what string, now time.Time) error {
	i := slices.IndexFunc(o.Steps, func(s OrderStep) bool { return s.ID == id })
	if i < 0 {
		return mistake.In("step", "name a step that is there", "there is no %q", id)
	}
	s := &o.Steps[i]
	now = now.Round(time.Second)
	switch what {
	case "start":
		if s.Began != nil {
			return mistake.In("what", "say done, or take it back", "%s has begun already", s.Name)
		}
		s.Began = &now
	case "done":
		if s.Ended != nil {
			return mistake.In("what", "take it back first", "%s is done already", s.Name)
		}
		if s.Began == nil { // nobody pressed when it began: it took what it was meant to
			at := now.Add(-time.Duration(s.Minutes * float64(time.Minute)))
			if begins, err := o.Begins(now.Location()); err == nil && at.Before(begins) {
				at = begins
			}
			if at.After(now) {
				at = now
			}
			s.Began, s.Guessed = &at, true
		}
		s.Ended = &now
	case "back":
		switch {
		case s.Ended != nil && s.Guessed: // the press that guessed it is taken back
			s.Ended, s.Began, s.Guessed = nil, nil, false
		case s.Ended != nil:
			s.Ended = nil
		case s.Began != nil:
			s.Began = nil
		default:
			return mistake.In("what", "say start", "%s has not begun", s.Name)
		}
	default:
		return mistake.In("what", "say start, done or back", "it is %q", what)
	}
	o.Keep()
	return nil
}

// Clock is minutes from the start as a time of the day, with how many days later.
func Clock(begins time.Time, minutes float64) string {
	t := begins.Add(time.Duration(math.Round(minutes)) * time.Minute)
	text := t.Format("15:04")
	a, b := time.Date(begins.Year(), begins.Month(), begins.Day(), 0, 0, 0, 0, time.UTC), time.Date(t.Year(), t.Month(),
		t.Day(), 0, 0, 0, 0, time.UTC)
	if d := int(b.Sub(a).Hours() / 24); d != 0 {
		text += fmt.Sprintf(" %+d d", d)
	}
	return text
}
