package web

import (
	"context"
	"encoding/json"
	"fmt"
	"regexp"
	"strings"

	"keenarc/core/amend"
	"keenarc/core/rig"
	"keenarc/store"
)

// rigID is what machines of the book are called in addresses and in shots.
var rigID = regexp.MustCompile(`^[a-z][a-z0-9-]{0,31}$`)

// writable checks a description that is to be written under an id, with its scales worked
// out anew from the drives.
func writable(id string, r *rig.Rig) error {
	if !rigID.MatchString(id) {
		return blame("id", fmt.Sprintf("%q is no name for a machine", id),
			"use small letters, digits and dashes, beginning with a letter")
	}
	r.ID = id
	if r.Name = strings.TrimSpace(r.Name); r.Name == "" || len(r.Name) > 40 {
		return blame("name", "it has no name, or a long one", "give one of up to 40 letters")
	}
	for i := range r.Axes {
		a := &r.Axes[i]
		if a.Zero != 0 {
			return blame("axes."+a.ID+".zero", fmt.Sprintf("%s has a zero of %g", a.Name, a.Zero),
				"leave it out: zeros are laid in the day's line-up")
		}
		if a.Drive == nil {
			continue
		}
		n, err := a.Drive.Steps(a.Unit)
		if err != nil {
			return blame("axes."+a.ID+".drive", a.Name+": "+err.Error(), "correct its gearing")
		}
		a.StepsPerUnit = n
	}
	if err := r.Check(); err != nil {
		return blame("rig", err.Error(), "correct that")
	}
	return nil
}

func (s *Server) writeRig(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Base int             `json:"base" minimum:"0" doc:"the version that this was made on; 0: a new machine"`
		Says string          `json:"says,omitempty" maxLength:"200" doc:"what was changed, and why"`
		Rig  json.RawMessage `json:"rig" doc:"a description, as rig.schema.json has it"`
	}
}) (*body[*RigSheet], error) {
	r, err := rig.ReadLoose(in.Body.Rig)
	if err != nil {
		return nil, blame("rig", err.Error(), "give a description as /api/rig.schema.json has it")
	}
	v, err := s.written(ctx, in.ID, r, in.Body.Base, in.Body.Says)
	return v, s.fail(err)
}

func (s *Server) amendRig(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Changes []amend.Field `json:"changes" maxItems:"500"`
		Says    string        `json:"says,omitempty" maxLength:"200" doc:"what was changed, and why"`
	}
}) (out *body[*RigSheet], err error) {
	err = again(func() error {
		past, err := s.store.RigPast(ctx, in.ID)
		if err != nil {
			return err
		}
		r, err := store.Amended(past, in.Body.Changes)
		if err != nil {
			return err
		}
		out, err = s.written(ctx, in.ID, r, int(past[0].Version), in.Body.Says)
		return err
	})
	return out, s.fail(err)
}

// written writes a version and answers the sheet of it.
func (s *Server) written(ctx context.Context, id string, r *rig.Rig, base int, says string) (*body[*RigSheet], error) {
	if err := writable(id, r); err != nil {
		return nil, err
	}
	if err := s.store.WriteRig(ctx, s.who(ctx), r, base, says); err != nil {
		return nil, err
	}
	s.note(ctx, "", "rig", fmt.Sprintf("Version %d of %s was written%s.", r.Version, r.Name, because(says)), nil)
	s.everything()
	v, err := s.rigSheet(ctx, id)
	return &body[*RigSheet]{v}, err
}

func because(says string) string {
	if says == "" {
		return ""
	}
	return ": " + says
}

func (s *Server) backRig(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Base int `json:"base" minimum:"2"`
	}
}) (*body[*RigSheet], error) {
	versions, err := s.store.RigVersions(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	for i, v := range versions {
		if v.Version == in.Body.Base && i+1 < len(versions) {
			v, err := s.written(ctx, in.ID, versions[i+1].Doc, in.Body.Base,
				fmt.Sprintf("back to version %d", versions[i+1].Version))
			return v, s.fail(err)
		}
	}
	return nil, conflict("There is no version before that one.")
}

func (s *Server) beginRig(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Name  string             `json:"name" maxLength:"40"`
		Kind  string             `json:"kind,omitempty" doc:"of the starting sheet"`
		Copy  string             `json:"copy,omitempty" maxLength:"64" doc:"of which machine"`
		Given map[string]float64 `json:"given,omitempty" doc:"what is known; the rest is as usual"`
	}
}) (*body[*RigSheet], error) {
	if in.Body.Copy != "" {
		r, err := s.store.Rig(ctx, in.Body.Copy)
		if err != nil {
			return nil, s.fail(err)
		}
		r.Name = in.Body.Name
		v, err := s.written(ctx, in.ID, r, 0, "a copy of "+in.Body.Copy)
		return v, s.fail(err)
	}
	r, err := rig.Begin(in.Body.Kind, in.ID, in.Body.Name, in.Body.Given)
	if err != nil {
		field, wrong, _ := strings.Cut(err.Error(), ": ")
		return nil, blame(field, wrong, "correct that")
	}
	v, err := s.written(ctx, in.ID, r, 0, "from the starting sheet of a "+in.Body.Kind)
	return v, s.fail(err)
}
