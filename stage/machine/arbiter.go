package machine

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"keenarc/journal"
	"keenarc/link"
)

// Arbiter grants the claims of activities on machines and on other things, all of them or
// none, and ends them with a stop.
type Arbiter struct {
	set  *Set
	mu   sync.Mutex
	acts map[*Grant]bool
	gen  int64 // stops that were pressed here
}

// Kind is what sort of activity it is.
type Kind string

// All of them.
const (
	KindPass    Kind = "pass"
	KindGoTo    Kind = "go-to"
	KindHoming  Kind = "homing"
	KindJog     Kind = "jog"
	KindFrame   Kind = "frame"
	KindSetting Kind = "setting" // what holds or bounds an axis
	KindMeasure Kind = "measuring"
	KindEdit    Kind = "edit" // of what an activity decides on
)

// Doing is an activity, as everybody is told of it.
type Doing struct {
	ID      string         `json:"id"`
	Kind    Kind           `json:"kind" enum:"pass,go-to,homing,jog,frame,setting,measuring,edit"`
	Machine string         `json:"machine,omitempty" doc:"by the rig's id"`
	Name    string         `json:"name,omitempty" doc:"the machine's"`
	Axes    []string       `json:"axes,omitempty" doc:"by the machine's own names; none: all"`
	Shot    string         `json:"shot,omitempty"`
	Who     journal.Person `json:"who"`
	Page    string         `json:"page,omitempty" doc:"the window whose press it is"`
	Says    string         `json:"says" doc:"what is being done, in words"`
	SinceMS int64          `json:"since_ms" doc:"unix milliseconds"`
}

// Owner is whose an activity is.
type Owner struct {
	Who  journal.Person
	Page string // the window
}

// Claim is what an activity wants for itself: a machine, by its rig's id, or some of its
// axes; or another thing by a name of its own, such as a camera or a shoot.
type Claim struct {
	Machine string
	Thing   string
}

// Press is the moment at which somebody asked for something, with what was known then: it is
// made before anything is waited for. What is stopped after it is not begun.
type Press struct {
	At    time.Time
	gen   int64
	heard map[*Machine]heard
}

type heard struct {
	conn  link.Rig
	boot  string
	stops int64
}

// NewArbiter grants claims on the machines of a set.
func NewArbiter(set *Set) *Arbiter {
	a := &Arbiter{set: set, acts: map[*Grant]bool{}}
	set.onHalt(a.lost)
	return a
}

// Pressed is a press that comes now.
func (a *Arbiter) Pressed() Press {
	a.mu.Lock()
	p := Press{At: time.Now(), gen: a.gen, heard: map[*Machine]heard{}}
	a.mu.Unlock()
	for _, m := range a.set.All() {
		m.mu.Lock()
		c := m.client
		m.mu.Unlock()
		if c != nil {
			boot, stops := c.Heard()
			p.heard[m] = heard{c, boot, stops}
		}
	}
	return p
}

// BusyError is returned where another activity has what was claimed.
type BusyError struct {
	Doing Doing
	over  <-chan struct{}
}

// Over is closed when that activity is.
func (e *BusyError) Over() <-chan struct{} { return e.over }

func (e *BusyError) Error() string {
	who := e.Doing.Who.Name
	if who == "" {
		who = "somebody"
	}
	return fmt.Sprintf("what %s asked for is still being carried out: %s. Wait, or press Esc to stop it", who, e.Doing.Says)
}

// Begin grants what a press claims, or nothing. says is what will be done, in words. The
// grant must be ended.
func (a *Arbiter) Begin(p Press, o Owner, d Doing, claims ...Claim) (*Grant, error) {
	d.ID, d.Who, d.Page, d.SinceMS = journal.NewID(), o.Who, o.Page, p.At.UnixMilli()
	g := &Grant{arb: a, doing: d, claims: claims, gen: p.gen, due: p.At.Add(Fresh), halt: make(chan struct{}), over: make(chan struct{})}
	for _, c := range claims {
		if c.Machine == "" {
			continue
		}
		m, err := a.set.Of(c.Machine)
		if err != nil {
			return nil, err
		}
		if g.m != nil {
			return nil, errors.New("only one machine can be moved at a time yet")
		}
		g.m, g.doing.Machine, g.doing.Name = m, c.Machine, m.name
		if err := g.stand(p); err != nil {
			return nil, err
		}
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	switch {
	case a.gen != p.gen:
		return nil, ErrStopped
	case time.Now().After(g.due):
		return nil, ErrLate
	}
	for other := range a.acts {
		if other.clash(claims) {
			return nil, &BusyError{other.Doing(), other.over}
		}
	}
	a.acts[g] = true
	a.set.notify()
	return g, nil
}

// end gives back what was granted.
func (a *Arbiter) end(g *Grant) {
	a.mu.Lock()
	delete(a.acts, g)
	a.mu.Unlock()
	a.set.notify()
}

// lost ends what goes on at a machine that was stopped by somebody, or is not there any more.
func (a *Arbiter) lost(m *Machine) {
	a.mu.Lock()
	var list []*Grant
	for g := range a.acts {
		if g.m == m {
			list = append(list, g)
		}
	}
	a.mu.Unlock()
	for _, g := range list {
		if err := g.may(false); errors.Is(err, ErrStopped) || errors.Is(err, ErrLost) {
			g.stop(err)
		}
	}
}

// Stop ends all activities, and slows whatever moves on any machine: all are told at once, and
// one that does not answer holds up no other. What could not be told is in the error.
func (a *Arbiter) Stop(ctx context.Context) error {
	a.mu.Lock()
	a.gen++
	var list []*Grant
	for g := range a.acts {
		list = append(list, g)
	}
	a.mu.Unlock()
	for _, g := range list {
		g.stop(ErrStopped)
	}
	return a.set.stop(ctx)
}

// Doing are all activities, oldest first.
func (a *Arbiter) Doing() []Doing {
	a.mu.Lock()
	defer a.mu.Unlock()
	out := []Doing{}
	for g := range a.acts {
		if g.doing.Kind == KindEdit {
			continue
		}
		k := 0
		for k < len(out) && out[k].SinceMS <= g.doing.SinceMS {
			k++
		}
		out = append(out[:k], append([]Doing{g.Doing()}, out[k:]...)...)
	}
	return out
}

// Of is what goes on with a machine or another thing, or nil.
func (a *Arbiter) Of(c Claim) *Doing {
	a.mu.Lock()
	defer a.mu.Unlock()
	for g := range a.acts {
		if g.clash([]Claim{c}) {
			d := g.Doing()
			return &d
		}
	}
	return nil
}
