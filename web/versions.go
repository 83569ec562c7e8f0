package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/path"
	"keenarc/core/trace"
	"keenarc/store"
)

func (s *Server) versionRoutes(api huma.API) {
	huma.Register(api, op("versions", http.MethodGet, "/api/shots/{id}/versions",
		"Versions of the move that were named, newest first"),
		func(ctx context.Context, in *shotID) (*body[[]store.PathVersion], error) {
			v, err := s.store.PathVersions(ctx, in.ID)
			return &body[[]store.PathVersion]{v}, s.fail(err)
		})
	huma.Register(api, op("name-version", http.MethodPost, "/api/shots/{id}/versions", "Name the move as it stands"),
		s.nameVersion)
	huma.Register(api, op("version-back", http.MethodPost, "/api/shots/{id}/versions/{number}/back",
		"Go back to a named version, as a new edit"), s.versionBack)
	huma.Register(api, op("difference", http.MethodGet, "/api/shots/{id}/versions/{number}/difference",
		"What differs between a named version and another, or the move as it stands"), s.difference)
}

func (s *Server) nameVersion(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Revision int64  `json:"revision" doc:"the one that is on the screen"`
		Name     string `json:"name" maxLength:"60"`
	}
}) (*body[*store.PathVersion], error) {
	name := strings.TrimSpace(in.Body.Name)
	if name == "" {
		return nil, blame("name", "it is empty", "give the version a name")
	}
	v, err := s.store.NamePath(ctx, s.who(ctx), in.ID, in.Body.Revision, name)
	if errors.Is(err, store.ErrNameTaken) {
		return nil, blame("name", fmt.Sprintf("another version is called %q", name), "give another name")
	}
	if err != nil {
		return nil, s.fail(err)
	}
	s.note(ctx, in.ID, "version", fmt.Sprintf("Named version %d of the move: %s.", v.Number, v.Name), nil)
	return &body[*store.PathVersion]{v}, nil
}

// named finds a named version of a shot.
func (s *Server) named(ctx context.Context, shot string, number int) (*store.PathVersion, error) {
	all, err := s.store.PathVersions(ctx, shot)
	if err != nil {
		return nil, s.fail(err)
	}
	i := slices.IndexFunc(all, func(v store.PathVersion) bool { return v.Number == number })
	if i < 0 {
		return nil, newProblem(http.StatusNotFound, "There is no such version of this move.")
	}
	return &all[i], nil
}

func (s *Server) versionBack(ctx context.Context, in *struct {
	ID     string `path:"id" format:"uuid"`
	Number int    `path:"number"`
	Body   struct {
		Revision int64 `json:"revision"`
		Doing
	}
}) (*body[*ShotView], error) {
	v, err := s.named(ctx, in.ID, in.Number)
	if err != nil {
		return nil, err
	}
	d, err := s.store.Bring(ctx, s.by(ctx, in.ID, in.Body.Revision, in.Body.Doing), v.Revision,
		fmt.Sprintf("back to version %d, %s", v.Number, v.Name))
	return s.afterEdit(ctx, in.ID, d, err)
}

// DifferenceView is what differs, the named version being the first.
type DifferenceView struct {
	From  string           `json:"from"`
	To    string           `json:"to"`
	Lines []DifferenceLine `json:"lines" doc:"none: they are the same"`
	Words string           `json:"words" doc:"all of it in a sentence"`
}

// DifferenceLine is one axis over one stretch of frames.
type DifferenceLine struct {
	trace.Differs
	Words string `json:"words"`
}

func (s *Server) difference(ctx context.Context, in *struct {
	ID     string `path:"id" format:"uuid"`
	Number int    `path:"number"`
	With   int    `query:"with" doc:"another version; left out: the move as it stands"`
}) (*body[*DifferenceView], error) {
	v, err := s.named(ctx, in.ID, in.Number)
	if err != nil {
		return nil, err
	}
	sh, now, err := s.newest(ctx, in.ID)
	if err != nil {
		return nil, s.fail(err)
	}
	out := &DifferenceView{From: v.Name, To: "the move as it stands"}
	to := now.Path
	if in.With != 0 {
		o, err := s.named(ctx, in.ID, in.With)
		if err != nil {
			return nil, err
		}
		d, err := s.store.DraftAt(ctx, in.ID, o.Revision)
		if err != nil {
			return nil, s.fail(err)
		}
		to, out.To = d.Path, o.Name
	}
	from, err := s.store.DraftAt(ctx, in.ID, v.Revision)
	if err != nil {
		return nil, s.fail(err)
	}
	a, err := path.Compile(from.Path, sh.Rig)
	if err != nil {
		return nil, s.fail(fmt.Errorf("%s: %w", out.From, err))
	}
	b, err := path.Compile(to, sh.Rig)
	if err != nil {
		return nil, s.fail(fmt.Errorf("%s: %w", out.To, err))
	}
	j, err := trace.NewJudge(sh.Rig, sh.Lens, trace.Scene{Subject: sh.Set.Subject, Near: sh.Set.Near, Far: sh.Set.Far})
	if err != nil {
		return nil, s.fail(err)
	}
	d := j.Versions(a, b)
	out.Lines = make([]DifferenceLine, len(d.Axes))
	for i, x := range d.Axes {
		axis := sh.Rig.Axes[sh.Rig.Index(x.Axis)]
		l := &out.Lines[i]
		l.Differs = x
		l.Words = fmt.Sprintf("%s, %s to %s: %+.4g %s at %s", axis.Name, frame4(int(x.From)), frame4(int(x.To+0.999)),
			x.Most, axis.Unit.Symbol(), frame4(int(x.At+0.5)))
		if x.Said {
			l.Words += fmt.Sprintf(", %.1f px", x.Px)
		}
	}
	out.Words = differs(d, len(now.Path.Tracks))
	return &body[*DifferenceView]{out}, nil
}

// differs is a difference in a sentence.
func differs(d *trace.Difference, axes int) string {
	if len(d.Axes) == 0 && d.LongerBy == 0 && d.StartsOff == 0 {
		return "They are the same."
	}
	var parts []string
	switch {
	case d.LongerBy > 0:
		parts = append(parts, fmt.Sprintf("%d frames longer", d.LongerBy))
	case d.LongerBy < 0:
		parts = append(parts, fmt.Sprintf("%d frames shorter", -d.LongerBy))
	}
	switch {
	case d.StartsOff > 0:
		parts = append(parts, fmt.Sprintf("begins %d frames later", d.StartsOff))
	case d.StartsOff < 0:
		parts = append(parts, fmt.Sprintf("begins %d frames earlier", -d.StartsOff))
	}
	moved := map[string]bool{}
	for _, x := range d.Axes {
		moved[x.Axis] = true
	}
	if len(moved) > 0 {
		parts = append(parts, fmt.Sprintf("%d of %d axes elsewhere", len(moved), axes))
	}
	if d.Said {
		parts = append(parts, fmt.Sprintf("at most %.1f px at the sensor, at %s", d.Px, frame4(d.Frame)))
	}
	return strings.ToUpper(parts[0][:1]) + strings.Join(parts, ", ")[1:] + "."
}
