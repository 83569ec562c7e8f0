package web

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"keenarc/core/rig"
	"keenarc/store"
)

// RigSheet is one machine of the rig book.
type RigSheet struct {
	Rig      *rig.Rig           `json:"rig"`
	Versions []store.RigVersion `json:"versions" doc:"the newest first"`
	// Runs is the version that the machine on the floor says it is; 0: none is seen.
	Runs  int        `json:"runs"`
	Carry rig.Carry  `json:"carry"`
	Loops []rig.Loop `json:"loops"`
	Power rig.Watts  `json:"power"`
	// Gears say each axis's gearing, by axis.
	Gears  map[string]string `json:"gears"`
	Extent *rig.Extent       `json:"extent,omitempty" doc:"of a machine that carries a camera"`
	Sheet  *Sheet            `json:"sheet"`
	// Poses are where its joints are in each named pose, and at its farthest.
	Poses map[string][]rig.Vec `json:"poses"`
	// Changes are what the version before and this one differ in.
	Changes []rig.Change `json:"changes"`
}

func (s *Server) rigRoutes(r chi.Router, api huma.API) {
	huma.Register(api, op("rigs", http.MethodGet, "/api/rigs", "The rig book"),
		func(ctx context.Context, _ *struct{}) (*body[[]store.RigLine], error) {
			v, err := s.store.Rigs(ctx)
			return &body[[]store.RigLine]{v}, s.fail(err)
		})
	huma.Register(api, op("rig", http.MethodGet, "/api/rigs/{id}", "A machine of the rig book"),
		func(ctx context.Context, in *machineID) (*body[*RigSheet], error) {
			v, err := s.rigSheet(ctx, in.ID)
			return &body[*RigSheet]{v}, s.fail(err)
		})
	huma.Register(api, op("write-rig", http.MethodPost, "/api/rigs/{id}",
		"Write the next version of a machine, or the first of a new one"), s.writeRig)
	huma.Register(api, op("amend-rig", http.MethodPatch, "/api/rigs/{id}",
		"Write the next version of a machine: some of its fields changed"), s.amendRig)
	huma.Register(api, op("back-rig", http.MethodPost, "/api/rigs/{id}/back",
		"Take the last version back: the one before is written anew"), s.backRig)
	huma.Register(api, op("begin-rig", http.MethodPost, "/api/rigs/{id}/begin",
		"Begin a machine from a starting sheet, or as a copy"), s.beginRig)
	huma.Register(api, op("can-rig", http.MethodPost, "/api/rigs/{id}/can", "Can this rig do it?"), s.canRig)
	huma.Register(api, op("measure-rig", http.MethodPost, "/api/rigs/{id}/measure",
		"What a measured travel says of an axis's gearing"), s.measureRig)
	huma.Register(api, op("configure", http.MethodPost, "/api/machines/{id}/configure",
		"Give a machine the newest version of its description; asked for and confirmed"), s.configure)
	huma.Register(api, op("bring-shot", http.MethodPost, "/api/shots/{id}/rig",
		"Bring a shot to another version of a machine; asked for and confirmed"), s.bringShot)
	huma.Register(api, op("rig-starts", http.MethodGet, "/api/rig-starts", "The starting sheets"),
		func(context.Context, *struct{}) (*body[[]rig.Start], error) {
			return &body[[]rig.Start]{rig.Starts()}, nil
		})
	r.Get("/api/rigs/{id}/file", s.rigFile)
	r.Get("/api/rig.schema.json", func(w http.ResponseWriter, _ *http.Request) {
		b, err := RigSchema()
		if err != nil {
			problem(w, s.fail(err))
			return
		}
		w.Header().Set("Content-Type", "application/schema+json")
		_, _ = w.Write(b)
	})
}

// RigSchema is the JSON Schema of rig descriptions.
func RigSchema() ([]byte, error) {
	reg := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	reg.Schema(reflect.TypeFor[rig.Rig](), true, "Rig")
	b, err := json.Marshal(map[string]any{"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title": "A machine of the rig book", "$ref": "#/$defs/Rig", "$defs": reg.Map()})
	if err != nil {
		return nil, err
	}
	var v any
	if err := json.Unmarshal(b, &v); err != nil {
		return nil, err
	}
	b, err = json.MarshalIndent(v, "", " ")
	return append(b, '\n'), err
}

func (s *Server) rigSheet(ctx context.Context, id string) (*RigSheet, error) {
	versions, err := s.store.RigVersions(ctx, id)
	if err != nil {
		return nil, err
	}
	if len(versions) == 0 {
		return nil, store.ErrNotFound
	}
	r := versions[0].Doc
	v := &RigSheet{Rig: r, Versions: versions, Carry: r.Book.Carry(), Loops: r.Loops(), Power: r.Power(),
		Gears: map[string]string{}, Sheet: machineSheet(r), Poses: map[string][]rig.Vec{}, Changes: []rig.Change{}}
	if len(versions) > 1 {
		v.Changes = rig.Changes(versions[1].Doc, r)
	}
	if f, err := s.floor.Of(id); err == nil {
		if own := f.Rig(); own != nil {
			v.Runs = own.Version
		}
	}
	for i := range r.Axes {
		v.Gears[r.Axes[i].ID] = gearWords(&r.Axes[i])
	}
	if r.Book != nil {
		for name, pose := range r.Book.Poses {
			v.Poses[name] = joints(r, posed(r, pose))
		}
	}
	if r.Camera != "" {
		e := r.Extent()
		v.Extent = &e
		v.Poses["lowest"], v.Poses["highest"], v.Poses["farthest"] = joints(r, e.Low), joints(r, e.High),
			joints(r, e.Reach)
	}
	for _, p := range v.Poses {
		for _, at := range p {
			v.Sheet.Bounds.Take(at)
		}
	}
	return v, nil
}

// posed is a pose of all axes of which some are named; the others are at zero, or at
// their nearest soft limits.
func posed(r *rig.Rig, pose map[string]float64) []float64 {
	q := make([]float64, len(r.Axes))
	for i, a := range r.Axes {
		q[i] = min(max(0, a.Min), a.Max)
		if v, ok := pose[a.ID]; ok {
			q[i] = v
		}
	}
	return q
}

// gearWords say an axis's gearing as one would write it down.
func gearWords(a *rig.Axis) string {
	n := math.Abs(float64(a.StepsPerUnit.Num) / float64(a.StepsPerUnit.Den))
	sum := fmt.Sprintf("%.6g motor steps per %s", n, a.Unit.Symbol())
	d := a.Drive
	if d == nil {
		return sum
	}
	parts := []string{fmt.Sprintf("%d steps × %d", d.MotorSteps, d.Microsteps)}
	if d.Gear.Num != d.Gear.Den {
		parts = append(parts, fmt.Sprintf("gear %.5g : 1", float64(d.Gear.Num)/float64(d.Gear.Den)))
	}
	switch {
	case d.Teeth > 0:
		parts = append(parts, fmt.Sprintf("%d teeth of %.5g mm", d.Teeth, float64(d.PitchUM)/1000))
	case d.LeadUM > 0:
		parts = append(parts, fmt.Sprintf("screw of %.5g mm", float64(d.LeadUM)/1000))
	}
	if d.Reversed {
		parts = append(parts, "reversed")
	}
	if m := d.Measured; m != nil {
		parts = append(parts, fmt.Sprintf("measured %.6g for %.6g", m.Moved, m.Asked))
	}
	return strings.Join(parts, ", ") + ": " + sum
}

func (s *Server) canRig(ctx context.Context, in *struct {
	ID      string `path:"id" maxLength:"64"`
	Package string `query:"package" format:"uuid" doc:"the camera package that it is to carry: its weight is asked, and its lens looked through"`
	Body    rig.Wish
}) (*body[[]rig.Answer], error) {
	r, err := s.store.Rig(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if in.Package != "" {
		p, err := s.store.Package(ctx, in.Package)
		if err != nil {
			return nil, s.fail(err)
		}
		if o := p.Lens.Optics; o != nil {
			r = r.Through(rig.Vec{o.RightM, o.ForwardM, o.UpM}, o.TurnDeg, o.TiltDeg)
		}
		if in.Body.PayloadKg == nil {
			if in.Body.PayloadKg = p.Load.Kg(); in.Body.PayloadKg == nil {
				says := fmt.Sprintf("Nothing was weighed of %s. Weigh it, or say what it carries.", p.Name)
				return &body[[]rig.Answer]{append(r.Can(in.Body), rig.Answer{Wish: "payload", Word: "cannot say",
					Says: says})}, nil
			}
		}
	}
	return &body[[]rig.Answer]{r.Can(in.Body)}, nil
}

func (s *Server) measureRig(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Axis  string  `json:"axis"`
		Asked float64 `json:"asked" doc:"in the axis's unit, signed"`
		Moved float64 `json:"moved" doc:"as measured, signed"`
	}
}) (*body[*rig.Measurement], error) {
	r, err := s.store.Rig(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	i := r.Index(in.Body.Axis)
	if i < 0 {
		return nil, blame("axis", "there is no axis "+in.Body.Axis, "name one of "+r.Name+"'s")
	}
	m, err := r.Axes[i].Measure(in.Body.Asked, in.Body.Moved)
	if err != nil {
		return nil, blame("moved", err.Error(), "give both as measured, minus where it went the other way")
	}
	return &body[*rig.Measurement]{m}, nil
}

func (s *Server) configure(ctx context.Context, in *machineID) (*body[done], error) {
	r, err := s.store.Rig(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	if err := s.conductor.Configure(ctx, s.asked(ctx, ""), in.ID, r); err != nil {
		return nil, s.refused(err)
	}
	s.everything()
	return said(fmt.Sprintf("%s runs version %d now.", r.Name, r.Version)), nil
}

func (s *Server) bringShot(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Rig     string `json:"rig" maxLength:"64"`
		Version int    `json:"version" minimum:"1"`
	}
}) (*body[done], error) {
	versions, err := s.store.RigVersions(ctx, in.Body.Rig)
	if err != nil {
		return nil, s.fail(err)
	}
	for _, v := range versions {
		if v.Version != in.Body.Version {
			continue
		}
		if err := s.store.BringShot(ctx, s.who(ctx), in.ID, in.Body.Rig, v.Version); err != nil {
			return nil, s.fail(err)
		}
		s.everything()
		return said("Done. Paths that were sealed before are void; seal again."), nil
	}
	return nil, s.fail(store.ErrNotFound)
}

// rigFile is a machine as one open JSON document.
func (s *Server) rigFile(w http.ResponseWriter, r *http.Request) {
	v, err := s.store.Rig(r.Context(), chi.URLParam(r, "id"))
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	b, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-v%d.json"`, v.ID, v.Version))
	_, _ = w.Write(append(b, '\n'))
}

func (s *Server) wires(ctx context.Context, in *machineID) (*body[[]rig.WireFinding], error) {
	f, err := s.floor.Of(in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	r, err := s.machineRig(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	seen, err := f.Wires(ctx)
	if err != nil {
		return nil, s.refused(err)
	}
	return &body[[]rig.WireFinding]{r.Match(seen)}, nil
}
