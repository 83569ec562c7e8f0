package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
	"keenarc/store"
)

// MachineView is a connected machine: as it is described, and as it is lined up.
type MachineView struct {
	Rig    *rig.Rig         `json:"rig" doc:"with the limits of its line-up"`
	Rated  *rig.Rig         `json:"described" doc:"as its description has it"`
	LineUp *store.LineUpRow `json:"line_up,omitempty" doc:"the newest, as far as it fits; none: as described"`
	// LineUps is how many it had: the number of the newest.
	LineUps int64  `json:"line_ups"`
	Misfit  string `json:"misfit,omitempty" doc:"what of it does not fit this version"`
	Sheet   *Sheet `json:"sheet" doc:"what is drawn of it alone"`
	// JogSpeeds are how fast each axis is jogged at the most, in its unit a second.
	JogSpeeds map[string]float64 `json:"jog_speeds"`
	// Along are the values of an axis that pans at which the camera looks along the rail.
	Along map[string][]float64 `json:"along,omitempty"`
	// Ways are those in which each axis can be homed, its own first.
	Ways map[string][]HomeWay `json:"ways"`
}

// HomeWay is one way of homing.
type HomeWay struct {
	Way   rig.HomeWay `json:"way"`
	Says  string      `json:"says" doc:"what the machine does, or what is to be done"`
	Alone bool        `json:"alone" doc:"the machine does it by itself"`
}

type machineID struct {
	ID string `path:"id" maxLength:"64"`
}

type axisOf struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Axis string `json:"axis"`
		Shot string `json:"shot,omitempty" format:"uuid" doc:"whose camera package hangs on the machine"`
	}
}

type done struct {
	Said string `json:"said"`
}

func said(text string) *body[done] { return &body[done]{done{text}} }

func (s *Server) machineRoutes(_ chi.Router, api huma.API) {
	huma.Register(api, op("machines", http.MethodGet, "/api/machines", "The machines on the floor"), s.machines)
	huma.Register(api, op("home", http.MethodPost, "/api/machines/{id}/home", "Home axes; asked for and confirmed"),
		s.home)
	huma.Register(api, op("go-to", http.MethodPost, "/api/machines/{id}/goto",
		"Go to a frame of a shot's sealed path; asked for and confirmed"), s.goTo)
	huma.Register(api, op("go", http.MethodPost, "/api/machines/{id}/go",
		"Send several axes somewhere, all arriving together; asked for and confirmed"), s.goSomewhere)
	huma.Register(api, op("free", http.MethodPost, "/api/machines/{id}/free",
		"Let an axis's drive go; asked for and confirmed"), func(ctx context.Context, in *axisOf) (*body[done], error) {
		return s.drive(ctx, in, true)
	})
	huma.Register(api, op("engage", http.MethodPost, "/api/machines/{id}/engage", "Let an axis's drive hold again"),
		func(ctx context.Context, in *axisOf) (*body[done], error) {
			return s.drive(ctx, in, false)
		})
	huma.Register(api, op("confirm", http.MethodPost, "/api/machines/{id}/confirm",
		"Confirm what somebody sees of an axis: its marks meet, or it stands at an end that it "+
			"shall not pass"), s.confirm)
	huma.Register(api, op("suspend", http.MethodPost, "/api/machines/{id}/suspend",
		"Suspend an axis's soft limits for a stated time, or put them back on; asked for and confirmed"), s.suspend)
	huma.Register(api, op("marks", http.MethodGet, "/api/machines/{id}/marks",
		"How far a stand-in's drawn marks are apart, as somebody beside it would see"), s.marks)
	huma.Register(api, op("wires", http.MethodGet, "/api/machines/{id}/wires",
		"What a machine finds on its wires, held against the rig book"), s.wires)
	huma.Register(api, op("homings", http.MethodGet, "/api/machines/{id}/homings",
		"How a machine's last homings repeat"), s.homings)
	huma.Register(api, op("line-ups", http.MethodGet, "/api/machines/{id}/line-ups",
		"A machine's line-ups, the newest first"),
		func(ctx context.Context, in *machineID) (*body[[]store.LineUpRow], error) {
			v, err := s.store.LineUps(ctx, in.ID, 50)
			return &body[[]store.LineUpRow]{v}, s.fail(err)
		})
	huma.Register(api, op("line-up", http.MethodPatch, "/api/machines/{id}/line-ups",
		"A new line-up, the newest but for some fields: it is the machine's from now on"), s.amendLineUp)
	huma.Register(api, op("pretend", http.MethodPost, "/api/machines/{id}/pretend",
		"Tell a stand-in what has happened to it"), s.pretend)
	huma.Register(api, op("rig-stats", http.MethodGet, "/api/machines/{id}/stats",
		"How well the machine's loop keeps time"),
		func(ctx context.Context, in *machineID) (*body[*link.Stats], error) {
			f, err := s.floor.Of(in.ID)
			if err != nil {
				return nil, s.fail(err)
			}
			st, err := f.Stats(ctx)
			return &body[*link.Stats]{st}, s.refused(err)
		})
}

func (s *Server) machines(ctx context.Context, _ *struct{}) (*body[[]MachineView], error) {
	out := []MachineView{}
	for _, f := range s.floor.All() {
		v, err := s.machineView(ctx, f.ID())
		if err != nil {
			return nil, s.fail(err)
		}
		out = append(out, *v)
	}
	return &body[[]MachineView]{out}, nil
}

func (s *Server) machineView(ctx context.Context, id string) (*MachineView, error) {
	r, err := s.machineRig(ctx, id)
	if err != nil {
		return nil, err
	}
	v := &MachineView{Rig: r, Rated: r}
	rows, err := s.store.LineUps(ctx, id, 1)
	if err != nil {
		return nil, err
	}
	if len(rows) > 0 {
		row := rows[0]
		row.Doc, v.Misfit = row.Doc.Fitted(r) // one of another version may not fit this one
		v.LineUps = row.Version
		if row.Doc != nil {
			if on, err := row.Doc.On(r); err == nil {
				v.LineUp, v.Rig = &row, on
			}
		}
	}
	v.Sheet = machineSheet(v.Rig)
	v.JogSpeeds, v.Ways, v.Along = map[string]float64{}, map[string][]HomeWay{}, map[string][]float64{}
	for i := range v.Rig.Axes {
		a := &v.Rig.Axes[i]
		if at := r.AlongRail(i); at != nil {
			v.Along[a.ID] = at
		}
		for _, w := range a.Ways() {
			v.Ways[a.ID] = append(v.Ways[a.ID], HomeWay{w, w.Says(), w.Alone()})
		}
	}
	if f, err := s.floor.Of(id); err == nil {
		now := f.Now().State
		for i, a := range v.Rig.Axes {
			v.JogSpeeds[a.ID] = round(act.JogSpeed(v.Rig, now.Pos, i), 1e3)
		}
	}
	return v, nil
}

// machineRig is a machine on the floor as it says that it is, or, where it is not seen,
// as the book has it.
func (s *Server) machineRig(ctx context.Context, id string) (*rig.Rig, error) {
	if f, err := s.floor.Of(id); err == nil {
		if r := f.Rig(); r != nil {
			return r, nil
		}
	}
	return s.store.Rig(ctx, id)
}

func (s *Server) home(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Shot string      `json:"shot,omitempty" format:"uuid"`
		Axes []string    `json:"axes,omitempty" maxItems:"64" doc:"none: all"`
		Way  rig.HomeWay `json:"way,omitempty" enum:"sensor edge,hard stop,both ends,one end,absolute" doc:"none: each in its own"`
		// Times one after another, to see how well they repeat.
		Times int `json:"times,omitempty" minimum:"1" maximum:"20"`
	}
}) (*body[done], error) {
	h := act.Homing{Axes: in.Body.Axes, Way: in.Body.Way, Times: max(1, in.Body.Times)}
	return said("Homing."), s.refused(s.conductor.Home(ctx, s.asked(ctx, in.Body.Shot), in.ID, h))
}

func (s *Server) drive(ctx context.Context, in *axisOf, free bool) (*body[done], error) {
	may := func() error { return nil }
	if free {
		may = func() error { return s.mayGuide(ctx, in.ID, in.Body.Axis, in.Body.Shot) }
	}
	return said("Done."), s.refused(s.conductor.Free(ctx, s.asked(ctx, in.Body.Shot), in.ID, in.Body.Axis, free, may))
}

func (s *Server) pretend(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		What string  `json:"what" enum:"emergency stop,drive fault,hard end,lost steps,dead sensor,encoder forgot,other scale,other payload,focus handset turned,knocked,missing drive,unknown device,swapped wires,wrong address,wrong port,no route,two on one universe,short cable"`
		Axis string  `json:"axis,omitempty"`
		On   bool    `json:"on"`
		By   float64 `json:"by,omitempty" doc:"lost steps: how much, in the axis's unit; other scale: units that it moves for each that is asked for; knocked: millimetres, or degrees"`
	}
}) (*body[done], error) {
	f, err := s.floor.Of(in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	return said("Done."), s.refused(f.Pretend(ctx, in.Body.What, in.Body.Axis, in.Body.On, in.Body.By))
}

func (s *Server) amendLineUp(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body amended
}) (v *body[*MachineView], err error) {
	err = again(func() error {
		r, err := s.machineRig(ctx, in.ID)
		if err != nil {
			return err
		}
		rows, err := s.store.LineUps(ctx, in.ID, mostPast)
		if err != nil {
			return err
		}
		past := make([]store.Past[journal.LineUp], len(rows), len(rows)+1)
		for i, row := range rows {
			past[i] = store.Past[journal.LineUp]{Version: row.Version, At: row.At, By: row.By}
			if past[i].Doc, _ = row.Doc.Fitted(r); past[i].Doc == nil {
				past[i].Doc = &journal.LineUp{}
			}
		}
		on := ""
		if len(rows) > 0 {
			on = rows[0].ID
		}
		l, err := store.Amended(append(past, store.Past[journal.LineUp]{Doc: &journal.LineUp{}}), in.Body.Changes)
		if err != nil {
			return err
		}
		v, err = s.lineUp(ctx, in.ID, l, on)
		return err
	})
	return v, s.refusedOr(err)
}

// mostPast is how many line-ups back a limit is known as it was seen.
const mostPast = 200

// lineUp keeps a machine's new line-up, which was made of another (by its id; empty: of none),
// and tells the machine its limits.
func (s *Server) lineUp(ctx context.Context, id string, l *journal.LineUp, on string) (*body[*MachineView], error) {
	f, err := s.floor.Of(id)
	if err != nil {
		return nil, err
	}
	r, err := s.machineRig(ctx, id)
	if err != nil {
		return nil, err
	}
	if !f.Now().Driving {
		return nil, machine.ErrWatching
	}
	if l.Axes == nil {
		l.Axes = map[string]journal.DayAxis{}
	}
	if _, err := l.Planned(r); err != nil {
		return nil, err
	}
	if err := s.scales(l); err != nil {
		return nil, err
	}
	err = s.conductor.Limit(ctx, s.asked(ctx, ""), id, l.Soft(), func() error {
		now := f.Now()
		if now.Connected && !now.State.Still() {
			return conflict(fmt.Sprintf("%s is %s. Wait until it stands still; its limits are not changed while "+
				"it moves.", r.Name, now.State.Mode))
		}
		for id, a := range l.Axes {
			sp := now.State.Axes[id].Spread
			a.Spread, a.Homings = sp.Range, sp.N
			l.Axes[id] = a
		}
		if err := s.store.AddLineUp(ctx, s.who(ctx), id, on, l); err != nil {
			return err
		}
		s.note(ctx, "", "line-up", fmt.Sprintf("%s was lined up: %d axes.", r.Name, len(l.Axes)), nil)
		s.everything()
		return nil
	})
	if err != nil {
		return nil, err
	}
	v, err := s.machineView(ctx, id)
	return &body[*MachineView]{v}, err
}

// scales says whether a line-up's lens marks make a scale: of the machine's lens it is said
// where the shot is looked at.
func (s *Server) scales(l *journal.LineUp) error {
	if len(l.Marks) == 0 {
		return nil
	}
	if _, err := lens.NewScale(l.Marks); err != nil {
		return blame("marks", err.Error(), "give two or more, farther as the ring turns")
	}
	return nil
}

func (s *Server) goTo(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Shot  string `json:"shot" format:"uuid"`
		Pass  string `json:"pass,omitempty" format:"uuid" doc:"whose first frame is meant"`
		Plan  bool   `json:"plan,omitempty" doc:"by the plan as it stands, where it is not sealed so"`
		Frame *int   `json:"frame,omitempty" doc:"left out: where the pass begins, or the first frame of the run"`
	}
}) (*body[done], error) {
	g, err := s.conductor.Go(ctx, s.asked(ctx, in.Body.Shot), in.ID, func(ctx context.Context) (act.Going, error) {
		d, x, err := s.desk(ctx, in.Body.Shot, in.Body.Pass)
		if err != nil {
			return act.Going{}, s.fail(err)
		}
		i := slices.IndexFunc(d.Machines, func(m rig.Placed) bool { return m.Rig.ID == in.ID })
		if i < 0 {
			return act.Going{}, conflict("That machine is none of this shot's.")
		}
		frame := d.Begin
		if in.Body.Frame != nil {
			frame = *in.Body.Frame
		}
		// What is not sealed as it stands is gone to by the plan: a framing needs no seal.
		if d.Table == nil || !d.Sealed && in.Body.Plan {
			return s.inPlan(ctx, in.Body.Shot, d.Machines[i].Name, in.Body.Frame)
		}
		to, ok := ready.PoseAt(d.Table, d.Machines[i].Name, frame)
		if !ok {
			return act.Going{}, blame("frame", frame4(frame)+" is outside the sealed path",
				fmt.Sprintf("give %s to %s", frame4(d.Table.Start()), frame4(d.Table.End())))
		}
		return act.Going{To: to, Text: "Going to frame " + frame4(frame) + " of path " + itoa(x.Version) + "."}, nil
	})
	return said(g.Text), s.refused(err)
}

// stop needs no session and no database, and reaches every machine. What it does not reach is
// said; whoever pressed it is looked up afterwards.
func (s *Server) stop(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	err := s.conductor.Stop(ctx)
	s.conductor.Log(s.quietWho(r))
	if err != nil {
		problem(w, newProblem(http.StatusServiceUnavailable, "STOP did not reach every machine: "+err.Error()+
			". Use the hardware stop."))
		return
	}
	if len(s.floor.All()) == 0 {
		problem(w, newProblem(http.StatusServiceUnavailable,
			"STOP reached nothing: no machine is connected. Use the hardware stop."))
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// Sheet is what a drawing needs of machines and set besides the plan: how the joints
// hang together, where rails lie, and how large all of it is.
type Sheet struct {
	Links  []rig.Link  `json:"links"`
	Rails  []rig.Rail  `json:"rails"`
	Camera int         `json:"camera" doc:"index of the joint that is the camera; -1: none"`
	Bounds geom.Bounds `json:"bounds"`
}

// sheetOf gathers it for a rig that stands in so many poses of its joints.
func sheetOf(r *rig.Rig, b geom.Bounds, joints ...[]rig.Vec) *Sheet {
	s := &Sheet{Links: r.Links(), Rails: r.Rails(), Camera: slices.IndexFunc(r.Joints, func(j rig.Joint) bool {
		return j.Name == r.Camera
	}), Bounds: b}
	for _, x := range s.Rails {
		s.Bounds.Take(x.Hard[0])
		s.Bounds.Take(x.Hard[1])
	}
	for _, pose := range joints {
		for _, v := range pose {
			s.Bounds.Take(v)
		}
	}
	for _, v := range [][3]float64{s.Bounds.Min, s.Bounds.Max} { // it stands on the floor
		s.Bounds.Take(rig.Vec{v[0], v[1], 0})
	}
	for i := range 3 {
		s.Bounds.Min[i], s.Bounds.Max[i] = round(s.Bounds.Min[i], 1e4), round(s.Bounds.Max[i], 1e4)
	}
	return s
}

// machineSheet draws a machine alone: as large as it gets with each axis at its
// soft limits in turn.
func machineSheet(r *rig.Rig) *Sheet {
	q := make([]float64, len(r.Axes))
	middle := func(i int) float64 { return min(max(0, r.Axes[i].Min), r.Axes[i].Max) }
	for i := range q {
		q[i] = middle(i)
	}
	poses := [][]rig.Vec{joints(r, q)}
	for i, a := range r.Axes {
		for _, v := range []float64{a.Min, a.Max} {
			q[i] = v
			poses = append(poses, joints(r, q))
		}
		q[i] = middle(i)
	}
	return sheetOf(r, geom.Nothing(), poses...)
}

// joints are where a rig's joints are, to the millimetre.
func joints(r *rig.Rig, q []float64) []rig.Vec {
	out := make([]rig.Vec, len(r.Joints))
	for k, p := range r.Frames(nil, q) {
		for i := range 3 {
			out[k][i] = round(p.At[i], 1e3)
		}
	}
	return out
}
