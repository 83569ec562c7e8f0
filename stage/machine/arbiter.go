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

// Claim is what an activity wants for itself: a machine, by its rig's id; what is shot of a
// shot; or another thing by a name of its own, such as a camera.
type Claim struct {
	Machine string
	Shoot   string
	Thing   string
}

// Press is the moment at which somebody asked for something, with what was known then: it is
// made before anything is waited for. What is stopped after it is not begun.
type Press struct {
	Owner
	Shot  string // for which it is; empty: none
	At    time.Time
	Due   time.Time // until when what is asked for may begin
	gen   int64
	heard map[string]heard // by the machine's id
}

type heard struct {
	m     *Machine
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

// Pressed is a press of somebody's, for a shot or for none, that was so long on its way to here.
func (a *Arbiter) Pressed(o Owner, shot string, late time.Duration) Press {
	at := time.Now().Add(-late)
	a.mu.Lock()
	p := Press{Owner: o, Shot: shot, At: at, Due: at.Add(Fresh), gen: a.gen, heard: map[string]heard{}}
	a.mu.Unlock()
	a.set.mu.Lock()
	all := a.set.all // never changed in place
	a.set.mu.Unlock()
	for _, m := range all {
		m.mu.Lock()
		c := m.client
		m.mu.Unlock()
		if c != nil {
			boot, stops := c.Heard()
			p.heard[m.id] = heard{m, c, boot, stops}
		}
	}
	return p
}

// BusyError is returned where another activity has what was claimed.
type BusyError struct {
	Doing Doing
	over  <-chan struct{}
}

func (e *BusyError) Error() string {
	who := e.Doing.Who.Name
	if who == "" {
		who = "somebody"
	}
	return fmt.Sprintf("what %s asked for is still being carried out: %s. Wait, or press Esc to stop it", who,
		e.Doing.Says)
}

// ending is how long an activity that is about to end is waited for: a machine is seen to stand
// still a moment before what was done with it is over.
const ending = 150 * time.Millisecond

// Begin grants what a press claims, or nothing; says is what will be done, in words. How the
// machine stands is taken in with it. The grant must be ended.
//
//revive:disable-next-line:function-length one decision, under one lock
func (a *Arbiter) Begin(p Press, k Kind, says string, axes []string, claims ...Claim) (*Grant, error) {
	d := Doing{ID: journal.NewID(), Kind: k, Axes: axes, Shot: p.Shot, Who: p.Who, Page: p.Page, Says: says,
		SinceMS: p.At.UnixMilli()}
	g := &Grant{arb: a, doing: d, claims: claims, gen: p.gen, due: p.Due, halt: make(chan struct{}),
		over: make(chan struct{})}
	for _, c := range claims {
		if c.Machine == "" {
			continue
		}
		if g.Machine != nil {
			return nil, errors.New("only one machine can be moved at a time yet")
		}
		if g.Machine = p.heard[c.Machine].m; g.Machine == nil { // nothing was heard of it yet
			m, err := a.set.Of(c.Machine)
			if err != nil {
				return nil, err
			}
			g.Machine = m
		}
		g.doing.Machine, g.doing.Name = c.Machine, g.Machine.name
	}
	for waited := false; ; waited = true {
		var err error
		if f := g.Machine; f != nil {
			h, ok := p.heard[f.id]
			f.mu.Lock()
			switch {
			case f.client == nil:
				err = ErrNoRig
			case f.is.Version == link.OldVersion:
				err = fmt.Errorf("%s speaks version %d of the rig link: it is seen and can be stopped; to move it, "+
					"its device has to speak version %d", f.name, link.OldVersion, link.Version)
			case f.right == nil:
				err = ErrWatching
			case f.seen.IsZero():
				err = ErrNoRig
			case f.epoch == 0:
				err = fmt.Errorf("%s has not given its lease yet; ask again in a moment", f.name)
			case f.state.Epoch > f.epoch:
				err = fmt.Errorf("another program has taken the lease of %s; it is taken back when it has stood still "+
					"for a second", f.name)
			case !ok:
				err = ErrNoRig
			case h.conn != f.client:
				err = ErrLost
			}
			g.conn, g.epoch, g.boot, g.stops = f.client, f.epoch, h.boot, h.stops
			f.mu.Unlock()
		}
		var busy *BusyError
		a.mu.Lock()
		switch {
		case err != nil:
		case a.gen != p.gen:
			err = ErrStopped
		case time.Now().After(g.due):
			err = ErrLate
		default:
			for other := range a.acts {
				if other.clash(claims) {
					busy = &BusyError{other.Doing(), other.over}
					err = busy
				}
			}
		}
		if err == nil {
			a.acts[g] = true
		}
		a.mu.Unlock()
		if err == nil {
			a.set.notify()
			return g, nil
		}
		wait := ending
		switch {
		case busy == nil || waited:
			return nil, err
		case busy.Doing.Who == journal.Itself: // what the application does by itself is in nobody's way
			wait = time.Until(p.Due)
		case k == KindFrame || k == KindEdit: // a second N is no queue
			return nil, err
		}
		select {
		case <-busy.over:
		case <-time.After(wait):
		}
	}
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
		if g.Machine == m {
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
