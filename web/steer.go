package web

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/stage/act"
	"keenarc/store"
)

// Going is where axes are sent, and how long that takes.
type Going struct {
	Said    string  `json:"said"`
	Seconds float64 `json:"seconds"`
	Slowest string  `json:"slowest" doc:"the axis that takes longest, by name"`
}

// goingTo is a request to send axes somewhere.
type goingTo struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Shot  string             `json:"shot,omitempty" format:"uuid"`
		To    map[string]float64 `json:"to" doc:"by axis, in its unit; the others stand still"`
		Share float64            `json:"share" minimum:"0.01" maximum:"0.5" doc:"of the working speeds"`
		Ask   bool               `json:"ask,omitempty" doc:"say how long it would take, and go nowhere"`
	}
}

func (s *Server) goSomewhere(ctx context.Context, in *goingTo) (*body[Going], error) {
	if in.Body.Ask {
		g, _, err := s.going(ctx, in)
		return &body[Going]{g}, err
	}
	var g Going
	_, err := s.conductor.Go(ctx, s.asked(ctx, in.Body.Shot), in.ID,
		func(ctx context.Context) (to act.Going, err error) {
			g, to, err = s.going(ctx, in)
			return to, err
		})
	return &body[Going]{g}, s.refused(err)
}

// going is where axes are sent, and how long it takes from where they are.
func (s *Server) going(ctx context.Context, in *goingTo) (Going, act.Going, error) {
	f, err := s.floor.Of(in.ID)
	if err != nil {
		return Going{}, act.Going{}, s.fail(err)
	}
	v, err := s.machineView(ctx, in.ID)
	if err != nil {
		return Going{}, act.Going{}, s.fail(err)
	}
	r := v.Rig
	from := values(r, f.Now().State.Asked)
	to := append([]float64(nil), from...)
	var names []string
	for i, a := range r.Axes {
		x, ok := in.Body.To[a.ID]
		if !ok {
			continue
		}
		if !(x >= a.Min && x <= a.Max) {
			return Going{}, act.Going{}, blame(a.ID, fmt.Sprintf("%s to %g %s is outside its soft limits", a.Name, x,
				a.Unit.Symbol()), fmt.Sprintf("give %g to %g", a.Min, a.Max))
		}
		to[i] = x
		names = append(names, fmt.Sprintf("%s %.4g %s", a.Name, x, a.Unit.Symbol()))
	}
	for id := range in.Body.To {
		if r.Index(id) < 0 {
			return Going{}, act.Going{}, blame(id, r.Name+" has no such axis", "use "+path.AxisList(r))
		}
	}
	if len(names) == 0 {
		return Going{}, act.Going{}, blame("to", "nothing is sent anywhere", "give at least one axis a value")
	}
	g := Going{Said: "Going to " + strings.Join(names, ", ") + "."}
	var slow int
	if g.Seconds, slow = limit.Together(r, from, to, in.Body.Share); slow >= 0 {
		g.Slowest = r.Axes[slow].Name
	}
	g.Seconds = math.Round(g.Seconds*10) / 10
	return g, act.Going{To: in.Body.To, Share: in.Body.Share, Text: g.Said}, nil
}

// inPlan is where a machine stands at a frame of the plan as it stands; without a frame, at
// its first.
func (s *Server) inPlan(ctx context.Context, shot, machine string, frame *int) (act.Going, error) {
	sh, d, err := s.newest(ctx, shot)
	if err != nil {
		return act.Going{}, s.fail(err)
	}
	m, err := path.Compile(d.Path, sh.Rig)
	if err != nil {
		return act.Going{}, conflict("There is no path to go to: " + err.Error() + ".")
	}
	at := int(m.First)
	if frame != nil {
		at = *frame
	}
	if float64(at) < float64(m.First) || float64(at) > float64(m.Last) {
		return act.Going{}, blame("frame", frame4(at)+" is outside the path",
			fmt.Sprintf("give %s to %s", frame4(int(m.First)), frame4(int(m.Last))))
	}
	q := make([]float64, len(sh.Rig.Axes))
	m.Values(q, float64(at))
	sh.Rig.Counted(q)
	to := map[string]float64{}
	for i, a := range sh.Rig.Axes {
		if own, id := rig.Split(a.ID); own == machine {
			to[id] = q[i]
		}
	}
	return act.Going{To: to, Text: "Going to frame " + frame4(at) + " of the draft, which is not sealed."}, nil
}

func (s *Server) markRoutes(_ chi.Router, api huma.API) {
	huma.Register(api, op("marks-of", http.MethodGet, "/api/shots/{id}/marks", "A shot's marks: named poses"),
		func(ctx context.Context, in *shotID) (*body[[]store.PoseMark], error) {
			v, err := s.store.Marks(ctx, in.ID)
			return &body[[]store.PoseMark]{v}, s.fail(err)
		})
	huma.Register(api, op("mark", http.MethodPost, "/api/shots/{id}/marks",
		"Keep a pose as a mark; one of the same name is taken over"), s.mark)
	huma.Register(api, op("unmark", http.MethodDelete, "/api/shots/{id}/marks/{mark}", "Take a mark away"),
		func(ctx context.Context, in *struct {
			ID   string `path:"id" format:"uuid"`
			Mark string `path:"mark" format:"uuid"`
		}) (*body[done], error) {
			return said("Taken away."), s.fail(s.store.Unmark(ctx, in.ID, in.Mark))
		})
}

func (s *Server) mark(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Name   string             `json:"name" maxLength:"40"`
		Values map[string]float64 `json:"values" doc:"by axis, as the shot names them"`
		PNG    []byte             `json:"png,omitempty" maxLength:"200000" doc:"a small picture"`
	}
}) (*body[[]store.PoseMark], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	name := strings.TrimSpace(in.Body.Name)
	if name == "" {
		return nil, blame("name", "it has no name", "give the mark one")
	}
	if len(in.Body.Values) == 0 {
		return nil, blame("values", "it has no pose", "give values by axis")
	}
	for id, v := range in.Body.Values {
		i := sh.Rig.Index(id)
		if i < 0 {
			return nil, blame(id, sh.Rig.Name+" has no such axis", "use "+path.AxisList(sh.Rig))
		}
		if a := sh.Rig.Axes[i]; !(v >= a.Hard[0] && v <= a.Hard[1]) {
			return nil, blame(id, fmt.Sprintf("%s at %g %s is beyond its hard ends", a.Name, v, a.Unit.Symbol()),
				fmt.Sprintf("give %g to %g", a.Hard[0], a.Hard[1]))
		}
	}
	if err := s.store.AddMark(ctx, s.who(ctx), in.ID, store.PoseMark{Name: name, Values: in.Body.Values,
		PNG: in.Body.PNG}); err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, in.ID, "mark", "Mark “"+name+"” was kept.", nil)
	v, err := s.store.Marks(ctx, in.ID)
	return &body[[]store.PoseMark]{v}, s.fail(err)
}
