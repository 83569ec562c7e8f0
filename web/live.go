package web

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/go-chi/chi/v5"

	"keenarc/core/clock"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
	"keenarc/store"
)

// LiveMessage is what watchers are told, newest only.
type LiveMessage struct {
	N       int64            `json:"n"`
	Version int64            `json:"version"` // of the shot; counted up with every change
	Floor   machine.Snapshot `json:"floor" doc:"the shot's machines as one, under the names that axes have there"`
	// Doing is what goes on with machines, and by whom.
	Doing []machine.Doing `json:"doing"`
	Aside *journal.Aside  `json:"aside,omitempty" doc:"what could never be stored and lies in a file instead"`
	// Machines are all of them, each by itself, for those who ask for them.
	Machines []LiveMachine `json:"machines,omitempty"`
	// Suspended are the axes of any machine whose soft limits do not hold just now.
	Suspended []Suspended  `json:"suspended,omitempty"`
	At        *Label       `json:"at,omitempty" doc:"how the frame that the rig is at is written"`
	View      *View        `json:"view,omitempty"`
	Ready     *ready.Ready `json:"ready"`
	// Frames is how a shot that is taken frame by frame stands.
	Frames *LiveFrames `json:"frames,omitempty"`
	// Computing is what is being worked out of the shot for more than a moment.
	Computing []Computing `json:"computing,omitempty"`
	Trouble   string      `json:"trouble,omitempty"`
}

// Suspended is an axis whose soft limits do not hold, and for how long still.
type Suspended struct {
	Machine string `json:"machine"`
	Name    string `json:"name"`
	Axis    string `json:"axis"`
	Seconds int64  `json:"seconds"`
}

// LiveMachine is one machine: what it is doing, and where its joints are.
type LiveMachine struct {
	machine.Snapshot
	Joints []rig.Vec `json:"joints"`
}

// LiveFrames is what is being done frame by frame, and what keeps the next press from
// being carried out.
type LiveFrames struct {
	act.FramesNow
	Busy     bool         `json:"busy"`
	Next     *weave.Cell  `json:"next,omitempty" doc:"the cell that comes next, of which the following is said"`
	AtPose   bool         `json:"at_pose" doc:"the rig stands at its pose"`
	TravelMM float64      `json:"travel_mm" doc:"how far it is to there"`
	Ready    *ready.Ready `json:"ready"`
}

// livePause is the shortest time between two messages, livePulse the longest
// while nothing changes.
const (
	livePause = 40 * time.Millisecond
	livePulse = 450 * time.Millisecond
)

// digest tells messages apart by what they say, counters left out.
func (m *LiveMessage) digest() [sha256.Size]byte {
	c := *m
	c.N, c.Floor.State.N, c.Floor.State.Tick = 0, 0, 0
	c.Machines = slices.Clone(m.Machines)
	for i := range c.Machines {
		c.Machines[i].State.N, c.Machines[i].State.Tick = 0, 0
	}
	b, err := json.Marshal(&c)
	if err != nil { // only what is not a number can do it, and it differs each time
		return sha256.Sum256([]byte(err.Error() + time.Now().String()))
	}
	return sha256.Sum256(b)
}

func (s *Server) liveRoutes(r chi.Router) {
	r.Get("/api/live", s.live)
	r.Get("/api/shots/{id}/preview", s.preview)
	r.Get("/api/hold", s.hold)
	r.Get("/api/jog", s.jog)
}

// live pushes the machines' state and the readiness of a shot and pass.
func (s *Server) live(w http.ResponseWriter, r *http.Request) {
	shot, pass := r.URL.Query().Get("shot"), r.URL.Query().Get("pass")
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	defer c.CloseNow()
	ctx := c.CloseRead(r.Context())
	ch, end := s.floor.Watch()
	defer end()
	ch2, end2 := s.shooting.Watch()
	defer end2()
	w2 := &watcher{s: s, shot: shot, pass: pass, all: r.URL.Query().Get("machines") == "all", seen: -1,
		rigs: map[string]*rig.Rig{}}
	idle := time.NewTicker(500 * time.Millisecond)
	defer idle.Stop()
	var told [sha256.Size]byte
	var at time.Time
	for n := int64(0); ; {
		m := w2.message(ctx)
		// What has not changed is said twice a second, so that silence means loss.
		if what := m.digest(); what != told || time.Since(at) > livePulse {
			n, told, at = n+1, what, time.Now()
			m.N = n
			out, cancel := context.WithTimeout(ctx, 3*time.Second)
			err := wsjson.Write(out, c, m)
			cancel()
			if err != nil {
				return
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(livePause):
		}
		select {
		case <-ctx.Done():
			return
		case <-ch:
		case <-ch2:
		case <-idle.C:
		}
	}
}

// watcher remembers the desk until the shot changes.
type watcher struct {
	s          *Server
	shot, pass string
	all        bool // each machine by itself, too
	rigs       map[string]*rig.Rig
	seen       int64
	desk       *ready.Desk
	bench      *ready.Bench // where the shot is taken frame by frame
	start      string       // the shot's first timecode
	rate       clock.Rate
	lens       *lens.Package
	scale      *lens.Scale
	trouble    string
	retry      time.Time
}

func (w *watcher) message(ctx context.Context) *LiveMessage {
	m := &LiveMessage{Version: w.s.version(w.shot)}
	if w.shot != "" && (m.Version != w.seen || w.trouble != "" && time.Now().After(w.retry)) {
		w.load(ctx, m.Version)
	}
	all := w.s.floor.Now()
	if m.Floor = first(all); w.desk != nil {
		m.Floor = machine.Gather(w.desk.Machines, all)
	}
	m.Computing = w.s.computing.of(w.shot)
	if floor := w.s.floor.All(); len(floor) > 0 {
		aside := floor[0].Aside()
		m.Aside = &aside
	}
	m.Trouble, m.Doing = w.trouble, w.s.conductor.Arbiter.Doing()
	for _, x := range all {
		for id, a := range x.State.Axes {
			if a.SuspendedMS > 0 {
				m.Suspended = append(m.Suspended, Suspended{x.Machine, x.Name, id, (a.SuspendedMS + 999) / 1000})
			}
		}
	}
	slices.SortFunc(m.Suspended, func(a, b Suspended) int {
		return strings.Compare(a.Machine+a.Axis, b.Machine+b.Axis)
	})
	m.Ready = ready.ToRoll(m.Floor, w.desk)
	if w.desk != nil && len(m.Floor.State.Axes) == len(w.desk.Rig.Axes) {
		v := viewWith(w.desk.Rig, w.lens, w.scale, w.desk.Rig.Planned(values(w.desk.Rig, m.Floor.State.Pos)))
		m.View = &v
		at := labelled(m.Floor.State.Frame, w.start, w.rate)
		m.At = &at
	}
	if w.bench != nil {
		m.Frames = w.s.liveFrames(w.bench, machine.Gather(w.bench.Desk.Machines, all))
	}
	if w.all {
		w.each(ctx, m, all)
	}
	return m
}

// first is the snapshot of the first machine, for those without a shot.
func first(all []machine.Snapshot) machine.Snapshot {
	if len(all) == 0 {
		return machine.Snapshot{Why: "no machine is connected"}
	}
	return all[0]
}

// values are a machine's axes in order.
func values(r *rig.Rig, at func(axis string) float64) []float64 {
	q := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		q[i] = at(a.ID)
	}
	return q
}

// each adds every machine by itself.
func (w *watcher) each(ctx context.Context, m *LiveMessage, all []machine.Snapshot) {
	for _, x := range all {
		l := LiveMachine{Snapshot: x, Joints: []rig.Vec{}}
		r := w.rigs[x.Machine]
		if f, err := w.s.floor.Of(x.Machine); err == nil && f.Rig() != nil {
			r = f.Rig()
		}
		if r == nil {
			ask, cancel := context.WithTimeout(ctx, time.Second)
			var err error
			if r, err = w.s.store.Rig(ask, x.Machine); err == nil {
				w.rigs[x.Machine] = r
			}
			cancel()
		}
		if r != nil && len(x.State.Axes) == len(r.Axes) {
			l.Joints = joints(r, values(r, x.State.Pos))
		}
		m.Machines = append(m.Machines, l)
	}
}

func (s *Server) liveFrames(b *ready.Bench, now machine.Snapshot) *LiveFrames {
	l := &LiveFrames{FramesNow: s.shooting.Now(), Busy: s.shooting.Busy()}
	cell, ok := b.Shoot.Board().Now(b.Shoot.Turn)
	l.Ready = ready.ToExpose(now, b.Desk, l.Camera, cell, b)
	if ok {
		l.Next = &cell
	}
	if ok && b.Desk.Table != nil {
		if l.AtPose = ready.AtPose(now, b.Desk, cell.Frame); !l.AtPose && !l.Busy {
			l.SettleS = round(ready.SettleS(now, b, cell.Frame), 100)
		}
		if m := ready.Travel(now, b.Desk, cell.Frame); !math.IsInf(m, 0) {
			l.TravelMM = math.Round(m * 1000)
		}
	}
	if l.Shot != b.Shot || !l.Busy && l.AtPose != (l.Phase == weave.Still) {
		l.Shot, l.Cell, l.Phase = b.Shot, cell, weave.Away
		if l.AtPose { // as it was before the application started anew
			l.Phase = weave.Still
		}
	}
	l.Phase = told(l.Phase, l.Busy)
	return l
}

// told is the phase that is told: until a press is over, another one is refused, and so hands do not go
// in.
func told(p weave.Phase, busy bool) weave.Phase {
	if busy && p == weave.Still {
		return weave.Settling
	}
	return p
}

func (w *watcher) load(ctx context.Context, version int64) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	d, _, err := w.s.desk(ctx, w.shot, w.pass)
	if err != nil { // keep what was known; the rig's state goes on
		w.trouble, w.retry = "The database cannot be reached; the last known plan is shown.",
			time.Now().Add(time.Second)
		return
	}
	sh, err := w.s.store.Shot(ctx, w.shot)
	if err == nil {
		w.scale, err = sh.Lens.Scale()
		w.lens, w.start = sh.Lens, sh.StartTimecode
	}
	if err == nil {
		var plan *store.Draft
		if plan, err = w.s.store.Draft(ctx, w.shot); err == nil {
			w.rate = plan.Path.Rate
		}
	}
	if err == nil {
		if w.bench, err = w.s.bench(ctx, w.shot); errors.Is(err, store.ErrNotFound) {
			w.bench, err = nil, nil
		}
	}
	if err == nil {
		w.desk, w.seen, w.trouble = d, version, ""
	}
}
