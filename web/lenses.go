package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/store"
)

// LensView is a package's lens with its scales as they are drawn.
type LensView struct {
	Package *journal.CameraPackage `json:"package"`
	Sheet   *lens.LensSheet        `json:"sheet"`
}

func (s *Server) lensRoutes(api huma.API) {
	huma.Register(api, op("lens", http.MethodGet, "/api/packages/{id}/lens",
		"A package's lens: its scales, what is sharp along them, marks that stray"),
		func(ctx context.Context, in *struct {
			ID string `path:"id" format:"uuid"`
		}) (*body[*LensView], error) {
			v, err := s.lensOf(ctx, in.ID)
			return &body[*LensView]{v}, err
		})
	huma.Register(api, op("handset", http.MethodPost, "/api/machines/{id}/handset",
		"Let the focus handset drive the lens, or lock it out"), s.handset)
	huma.Register(api, op("mark-lens", http.MethodPost, "/api/packages/{id}/mark",
		"Take a mark of one of a lens's rings, or take one away; a version of the package"), s.markLens)
	huma.Register(api, op("breathing", http.MethodPost, "/api/packages/{id}/breathing",
		"Breathing, from one thing framed at two focus distances; a version of the package"), s.breathing)
}

func (s *Server) lensOf(ctx context.Context, id string) (*LensView, error) {
	p, err := s.store.Package(ctx, id)
	if err != nil {
		return nil, s.fail(err)
	}
	v := &LensView{Package: p}
	if v.Sheet, err = p.Lens.Sheet(); err != nil {
		return nil, blamed("lens", err)
	}
	return v, nil
}

func (s *Server) markLens(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Base    int      `json:"base" minimum:"1" doc:"the package's version that it was made on"`
		Ring    rig.Kind `json:"ring" enum:"focus,iris,zoom"`
		RingDeg float64  `json:"ring_deg"`
		Value   string   `json:"value,omitempty" maxLength:"30" doc:"focus: a distance from the image plane, in metres or in feet and inches; iris: the T-stop; zoom: millimetres"`
		Off     bool     `json:"off,omitempty" doc:"the mark there is taken away"`
	}
}) (*body[*LensView], error) {
	b := in.Body
	value := 0.0
	if !b.Off {
		var err error
		if value, err = lens.ReadValue(string(b.Ring), b.Value); err != nil {
			return nil, blamed("value", err)
		}
	}
	at := func(l *lens.Package) any { return fmt.Sprint(l.MarksAt(string(b.Ring), b.RingDeg)) }
	return s.dressed(ctx, in.ID, b.Base, fmt.Sprintf("%s mark at %.1f°", b.Ring, b.RingDeg), at,
		func(l *lens.Package) error {
			l.Mark(string(b.Ring), b.RingDeg, value, b.Off) // the first of a ring is no scale yet
			return nil
		})
}

// dressed writes a package's next version, its lens changed, if what of is changed is as it was
// in the version that was seen; and answers the lens.
func (s *Server) dressed(ctx context.Context, id string, seen int, what string, of func(*lens.Package) any,
	change func(*lens.Package) error) (*body[*LensView], error) {
	_, err := s.repacked(ctx, id, what, func(past []store.Past[journal.CameraPackage]) (*journal.CameraPackage, error) {
		now := past[0]
		was := slices.IndexFunc(past, func(v store.Past[journal.CameraPackage]) bool {
			return v.Version == int64(seen)
		})
		if was < 0 || of(past[was].Doc.Lens) != of(now.Doc.Lens) {
			return nil,
				conflict(fmt.Sprintf("The %s was changed in the meantime, by %s at %s. It is shown as it is now; look "+
					"at it, then change it.", what, now.By.Name, now.At.Local().Format("15:04:05")))
		}
		p := *now.Doc
		l := *p.Lens
		p.Lens = &l
		return &p, change(&l)
	})
	if err != nil {
		return nil, err
	}
	v, err := s.lensOf(ctx, id)
	return &body[*LensView]{v}, err
}

func (s *Server) breathing(ctx context.Context, in *struct {
	ID   string `path:"id" format:"uuid"`
	Body struct {
		Base      int     `json:"base" minimum:"1"`
		NearM     float64 `json:"near_m"`
		NearWide  float64 `json:"near_wide" doc:"how wide one thing is in the picture, in any measure, focused near"`
		FarM      float64 `json:"far_m"`
		FarWide   float64 `json:"far_wide" doc:"and focused far, nothing moved"`
		Forgotten bool    `json:"forgotten,omitempty" doc:"as a thin lens again"`
	}
}) (*body[*LensView], error) {
	b := in.Body
	at := func(l *lens.Package) any {
		if l.Breathing == nil {
			return nil
		}
		return *l.Breathing
	}
	return s.dressed(ctx, in.ID, b.Base, "breathing", at, func(l *lens.Package) error {
		l.Breathing = nil
		if b.Forgotten {
			return nil
		}
		v, err := l.Breathes(b.NearM, b.NearWide, b.FarM, b.FarWide)
		if err != nil {
			return blamed("breathing", err)
		}
		l.Breathing = &v
		return nil
	})
}

func (s *Server) handset(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body struct {
		Free bool `json:"free"`
	}
}) (*body[done], error) {
	return said("Done."), s.refused(s.conductor.Handset(ctx, s.asked(ctx, ""), in.ID, in.Body.Free))
}
