package web

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/sight"
	"keenarc/core/trace"
	"keenarc/link"
	"keenarc/store"
)

// PointsView is a shot's fixed points, and how its rig has moved since they were sighted.
type PointsView struct {
	Code     string             `json:"code"`
	Machine  string             `json:"machine" doc:"which sights them: the shot's with the camera"`
	Named    string             `json:"named"`
	Survey   *sight.Survey      `json:"survey"`
	Revision int64              `json:"revision"`
	CanBack  bool               `json:"can_back"`
	Sheet    *sight.SurveySheet `json:"sheet"`
	SigmaDeg float64            `json:"sigma_deg" doc:"how good one sighting is taken to be"`
	Base     rig.Vec            `json:"base_m"`
	// Picture is what a move does to it: at the frame where it shows most.
	Picture *MovedPicture `json:"picture,omitempty"`
	Today   string        `json:"today"`
}

// MovedPicture is what a rig that has moved does to the picture of the plan.
type MovedPicture struct {
	Px    float64 `json:"px"`
	Frame int     `json:"frame"`
	Point string  `json:"point"`
	Needs bool    `json:"needs" doc:"more than passes may differ by"`
	Says  string  `json:"says"`
}

func (s *Server) pointRoutes(api huma.API) {
	huma.Register(api, op("points", http.MethodGet, "/api/shots/{id}/points",
		"Fixed points, and how the rig has moved"), func(ctx context.Context, in *shotID) (*body[*PointsView], error) {
		return s.pointsView(ctx, in.ID)
	})
	huma.Register(api, op("amend-points", http.MethodPatch, "/api/shots/{id}/points",
		"Name fixed points, or take some away"), s.amendPoints)
	huma.Register(api, op("sight", http.MethodPost, "/api/shots/{id}/points/sight",
		"A fixed point is centred: sight it from here"), s.sight)
	huma.Register(api, op("sight-again", http.MethodPost, "/api/shots/{id}/points/round",
		"Begin another round of sighting"), func(ctx context.Context, in *shotID) (*body[*PointsView], error) {
		v, err := s.changePoints(ctx, in.ID, func(x *sight.Survey) error { return x.Again(time.Now()) })
		if err == nil {
			s.note(ctx, in.ID, "points", "The fixed points are sighted again.", nil)
		}
		return v, err
	})
	huma.Register(api, op("back-points", http.MethodPost, "/api/shots/{id}/points/back",
		"Take the last sighting or change back"), func(ctx context.Context, in *shotID) (*body[*PointsView], error) {
		if err := s.backSite(ctx, in.ID, "points"); err != nil {
			return nil, err
		}
		return s.pointsView(ctx, in.ID)
	})
}

// amendPoints changes which points there are; what was sighted is not typed.
func (s *Server) amendPoints(ctx context.Context, in *amendment) (*body[*PointsView], error) {
	for _, c := range in.Body.Changes {
		if c.At[0] != "fixed" {
			return nil, blame(strings.Join(c.At, "."), "that is not typed", "change points under fixed")
		}
	}
	err := store.AmendSite(ctx, s.store, s.who(ctx), in.ID, "points", noPoints(), in.Body.Changes,
		func(x *sight.Survey) (string, error) { return "", x.Name(x.Fixed) })
	if err != nil {
		return nil, s.fail(err)
	}
	s.changed(in.ID)
	return s.pointsView(ctx, in.ID)
}

func noPoints() *sight.Survey { return &sight.Survey{Fixed: []sight.Fixed{}, Rounds: []sight.Round{}} }

func (s *Server) changePoints(ctx context.Context, id string, f func(*sight.Survey) error) (*body[*PointsView], error) {
	err := store.ChangeSite(ctx, s.store, s.who(ctx), id, "points", func(x *sight.Survey) (string, error) {
		return "", f(x)
	})
	if err != nil {
		return nil, s.fail(err)
	}
	s.changed(id)
	return s.pointsView(ctx, id)
}

// sight takes where the rig believes its camera to be, and to look, as a sighting.
func (s *Server) sight(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Point string `json:"point" maxLength:"40"`
	}
}) (*body[*PointsView], error) {
	sh, err := s.store.Shot(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	m := withCamera(sh)
	if m == nil {
		return nil, conflict("None of this shot's machines carries a camera to sight with.")
	}
	f, err := s.floor.Of(m.Rig.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	now := f.Now()
	switch st := now.State; {
	case !now.Connected:
		return nil, conflict(m.Rig.Name + " is not seen.")
	case st.Mode != link.Idle && st.Mode != link.Armed:
		return nil, conflict(fmt.Sprintf("%s is %s. Sight when it stands still.", m.Rig.Name, st.Mode))
	}
	values, q := map[string]float64{}, make([]float64, len(sh.Rig.Axes))
	for i := range sh.Rig.Axes {
		a := &sh.Rig.Axes[i]
		q[i] = min(max(0, a.Min), a.Max)
		name, axis, _ := strings.Cut(a.ID, "/")
		if name != m.Name {
			continue
		}
		if !now.State.Homed(axis) && a.Kind != rig.Focus {
			return nil, conflict(fmt.Sprintf("%s is not homed: where it is, is not known. Home it first.", a.Name))
		}
		q[i] = now.State.Pos(axis) - a.Zero
		values[a.ID] = q[i]
	}
	p := sh.Rig.Forward(q)
	v, err := s.changePoints(ctx, in.ID, func(x *sight.Survey) error {
		return x.Add(sight.Sighted{Point: in.Body.Point, At: p.At, Direction: p.Forward, Values: values,
			When: time.Now().Round(time.Second)})
	})
	if err == nil {
		s.note(ctx, in.ID, "points", "“"+v.Body.Survey.Named(in.Body.Point)+"” was sighted. "+v.Body.Sheet.Says, nil)
	}
	return v, err
}

// withCamera is the machine of a shot that carries its camera.
func withCamera(sh *store.Shot) *rig.Placed {
	for i := range sh.Machines {
		if sh.Machines[i].Rig.Camera != "" {
			return &sh.Machines[i]
		}
	}
	return nil
}

func (s *Server) pointsView(ctx context.Context, id string) (*body[*PointsView], error) {
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	row, err := store.Site[sight.Survey](ctx, s.store, id, "points")
	if err != nil {
		return nil, s.fail(err)
	}
	v := &PointsView{Code: sh.Code, Survey: noPoints(), Today: time.Now().Format(time.DateOnly)}
	if row != nil {
		v.Survey, v.Revision, v.CanBack = row.Doc, row.Revision, row.Shows > 1
	}
	if m := withCamera(sh); m != nil {
		v.Machine, v.Named, v.Base = m.Rig.ID, m.Rig.Name, m.Place.At
		// A pixel either way in centring, and how well the head repeats.
		field, _, _ := sh.Lens.At(math.Inf(1)).FieldDeg()
		v.SigmaDeg = field / float64(sh.Lens.WidthPx)
		for _, a := range m.Rig.Axes {
			if a.Kind == rig.Rotary {
				v.SigmaDeg = math.Hypot(v.SigmaDeg, a.Repeatability)
			}
		}
	}
	v.Sheet = v.Survey.Sheet(v.Base, v.SigmaDeg)
	if v.Sheet.Moved != nil {
		if v.Picture, err = s.movedPicture(ctx, sh, v.Sheet.Moved); err != nil {
			return nil, s.fail(err)
		}
	}
	return &body[*PointsView]{v}, nil
}

// movedPicture is what a move of the rig does to the plan's picture, frame by frame.
func (s *Server) movedPicture(ctx context.Context, sh *store.Shot, m *sight.Moved) (*MovedPicture, error) {
	d, err := s.store.Draft(ctx, sh.ID)
	if err != nil {
		return nil, err
	}
	motion, err := path.Compile(d.Path, sh.Rig)
	if err != nil {
		return nil, nil // a sheet without keyframes has no picture yet
	}
	j, err := trace.NewJudge(sh.Rig, sh.Lens, trace.Scene{Subject: sh.Set.Subject, Near: sh.Set.Near, Far: sh.Set.Far})
	if err != nil {
		return nil, err
	}
	v := &MovedPicture{Frame: motion.First}
	q := make([]float64, len(sh.Rig.Axes))
	every := max(1, (motion.Last-motion.First)/2000)
	for f := motion.First; f <= motion.Last; f += every {
		motion.Values(q, float64(f))
		if px, point, said := j.Moved(q, m.Shift.Pose); said && px > v.Px {
			v.Px, v.Frame, v.Point = px, f, point
		}
	}
	most := sh.ThresholdPx
	if most == 0 {
		most = trace.ThresholdPx
	}
	motion.Values(q, float64(v.Frame))
	doubt, _, _ := j.Moved(q, m.Doubt)
	var knows bool
	switch v.Needs, knows = m.Verdict(v.Px, doubt, most); {
	case v.Needs:
		v.Says = fmt.Sprintf("At frame %s it shifts the picture by %.1f px (%s). Push the rig back to its marks, or "+
			"the path has to be carried over: passes of before and of now will not stack.", frame4(v.Frame),
			v.Px, v.Point)
	case knows:
		v.Says = fmt.Sprintf("It shifts the picture by %.2f px at the most, at frame %s: passes of before and of "+
			"now stack.", v.Px, frame4(v.Frame))
	default:
		v.Says = fmt.Sprintf("Whether passes of before and of now stack cannot be told: as sighted it is %.1f px at "+
			"frame %s, known to some %.1f. Roll one and judge it.", v.Px, frame4(v.Frame), doubt)
	}
	return v, nil
}
