package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/balance"
	"keenarc/core/rig"
	"keenarc/journal"
	"keenarc/stage/ready"
	"keenarc/store"
)

// BenchView is a camera package on a machine: how it was balanced, and all that is
// worked out of that.
type BenchView struct {
	Machine string                 `json:"machine"`
	Name    string                 `json:"name"`
	Package *journal.CameraPackage `json:"package"`
	Head    *rig.Head              `json:"head,omitempty"`
	CraneOf *rig.Crane             `json:"crane_of,omitempty"`
	Wrist   *rig.Wrist             `json:"wrist,omitempty"`
	Record  *balance.Settled       `json:"record"`
	// Kept is when and by whom; left out: nothing is kept yet.
	Kept  *store.Past[balance.Settled] `json:"kept,omitempty"`
	Sheet *balance.BenchSheet          `json:"sheet"`
	// HomedSince: the head's axis was homed since its gear was engaged again.
	HomedSince bool `json:"homed_since,omitempty"`
	// Next is the pose of the wrist that would tell most, by axis.
	Next map[string]float64 `json:"next,omitempty"`

	rig *rig.Rig
}

type benchID struct {
	ID      string `path:"id" maxLength:"64"`
	Package string `path:"package" format:"uuid"`
}

func (s *Server) benchRoutes(api huma.API) {
	huma.Register(api, op("packages", http.MethodGet, "/api/packages", "The camera packages"),
		func(ctx context.Context, _ *struct{}) (*body[[]journal.CameraPackage], error) {
			v, err := s.store.Packages(ctx)
			return &body[[]journal.CameraPackage]{v}, s.fail(err)
		})
	huma.Register(api, op("new-package", http.MethodPost, "/api/packages",
		"Begin a camera package: a copy of one, or with a lens"), s.newPackage)
	huma.Register(api, op("amend-package", http.MethodPatch, "/api/packages/{id}",
		"Write the next version of a package: some of its fields changed"), s.amendPackage)
	huma.Register(api, op("bench", http.MethodGet, "/api/machines/{id}/bench/{package}",
		"How a camera package is balanced on a machine"),
		func(ctx context.Context, in *benchID) (*body[*BenchView], error) {
			v, err := s.benchOf(ctx, in.ID, in.Package, nil)
			return &body[*BenchView]{v}, err
		})
	huma.Register(api, op("amend-bench", http.MethodPatch, "/api/machines/{id}/bench/{package}",
		"Change how it is balanced, field by field; the record before is not lost"), s.amendBench)
	huma.Register(api, op("feel", http.MethodPost, "/api/machines/{id}/bench/{package}/feel",
		"Read an arm's wrist where it stands, as another pose of the package's payload"), s.feel)
	huma.Register(api, op("trim-bench", http.MethodPost, "/api/machines/{id}/bench/{package}/trim",
		"Take into the line-up how far down the camera's bulk lets it tilt"), s.trim)
	huma.Register(api, op("back-bench", http.MethodPost, "/api/machines/{id}/bench/{package}/back",
		"Take the last change of the bench back"), func(ctx context.Context, in *benchID) (*body[*BenchView], error) {
		err := s.store.BackBalance(ctx, s.who(ctx), in.Package, in.ID)
		if errors.Is(err, store.ErrNotFound) {
			return nil, conflict("There is nothing before that to go back to.")
		}
		if err != nil {
			return nil, s.fail(err)
		}
		s.everything()
		v, err := s.benchOf(ctx, in.ID, in.Package, nil)
		return &body[*BenchView]{v}, err
	})
	huma.Register(api, op("swap", http.MethodGet, "/api/shots/{id}/package/{package}",
		"What a swap to another package takes, and what it changes"), func(ctx context.Context, in *struct {
		ID      string `path:"id" format:"uuid"`
		Package string `path:"package" format:"uuid"`
	}) (*body[*Swapping], error) {
		v, err := s.swapping(ctx, in.ID, in.Package)
		return &body[*Swapping]{v}, s.fail(err)
	})
	huma.Register(api, op("pack-shot", http.MethodPost, "/api/shots/{id}/package", "Shoot a shot with another package"),
		s.packShot)
}

// benchOf is the view of a package on a machine; with a record, of that instead of what is kept.
func (s *Server) benchOf(ctx context.Context, machine, pack string, r *balance.Settled) (*BenchView, error) {
	p, err := s.store.Package(ctx, pack)
	if err != nil {
		return nil, s.fail(err)
	}
	own, err := s.store.Rig(ctx, machine)
	if err != nil {
		return nil, s.fail(err)
	}
	if lines, err := s.store.LineUps(ctx, machine, 1); err == nil && len(lines) > 0 {
		day, _ := lines[0].Doc.Fitted(own)
		if on, err := day.On(own); err == nil {
			own = on
		}
	}
	v := &BenchView{Machine: machine, Name: own.Name, Package: p, Record: r}
	if b := own.Book; b != nil {
		v.Head, v.CraneOf, v.Wrist = b.Head, b.Crane, b.Wrist
	}
	if v.Kept, err = s.store.Balance(ctx, pack, machine); err != nil {
		return nil, s.fail(err)
	}
	switch {
	case r != nil:
	case v.Kept != nil:
		v.Record = v.Kept.Doc.For(p.Load)
	default:
		v.Record = untouched(v.Head)
	}
	v.Sheet, err = v.Record.Sheet(own, p.Load)
	var bad *balance.MistakeError
	if r == nil && v.Kept != nil && errors.As(err, &bad) { // the head was described anew since
		v.Record = untouched(v.Head)
		if v.Sheet, err = v.Record.Sheet(own, p.Load); err == nil {
			v.Sheet.Verdict = balance.Verdict{
				Says: fmt.Sprintf("what was kept does not fit %s as it is described now: %s. Balance it anew.",
					own.Name, bad.Wrong)}
		}
	}
	if err != nil {
		return nil, s.fail(err)
	}
	if err := s.homedSince(ctx, own, v); err != nil {
		return nil, err
	}
	if v.Wrist != nil {
		now := posed(own, nil)
		if f, err := s.floor.Of(machine); err == nil && f.Now().Connected {
			now = values(own, f.Now().State.Pos)
		}
		v.Next = balance.Suggest(own, v.Record.Felt, now)
	}
	v.rig = own
	return v, nil
}

// homedSince holds the homing of a head's axis against when its gear was engaged again.
func (s *Server) homedSince(ctx context.Context, own *rig.Rig, v *BenchView) error {
	if v.Head == nil || v.Record.EngagedAt == nil {
		return nil
	}
	i := own.Index(v.Head.Axis)
	if i < 0 {
		return nil
	}
	homed, err := s.store.LastHomed(ctx, own.ID, v.Head.Axis)
	if err != nil {
		return s.fail(err)
	}
	v.HomedSince = homed != nil && homed.After(*v.Record.EngagedAt)
	v.Sheet.Verdict = v.Sheet.Verdict.Since(own.Name, own.Axes[i].Name, v.Record.EngagedAt, homed)
	return nil
}

// untouched is a bench that nobody has looked at, with the plate's zero over the axis.
func untouched(h *rig.Head) *balance.Settled {
	r := &balance.Settled{Seen: []balance.Seen{}}
	if h != nil {
		r.SlideMM, r.RiseMM = min(max(h.SlideAxisMM, h.SlideMM[0]), h.SlideMM[1]), min(max(h.RiseAxisMM, h.RiseMM[0]),
			h.RiseMM[1])
	}
	return r
}

// mostSeen bounds what is kept of a bench.
const mostSeen = 200

func (s *Server) amendBench(ctx context.Context, in *struct {
	ID      string `path:"id" maxLength:"64"`
	Package string `path:"package" format:"uuid"`
	Version int    `query:"version" minimum:"0" doc:"the package's version that this was seen of; 0: not said"`
	Body    amended
}) (*body[*BenchView], error) {
	var v *BenchView
	was := false
	err := again(func() error {
		own, err := s.benchOf(ctx, in.ID, in.Package, nil)
		if err != nil {
			return err
		}
		if in.Version != 0 && in.Version != own.Package.Version {
			return conflict(fmt.Sprintf("%s was written anew meanwhile: what is known of it is looked at again. It is "+
				"shown as it is now; make the change again.", own.Package.Name))
		}
		past, err := s.store.Balances(ctx, in.Package, in.ID)
		if err != nil {
			return err
		}
		switch {
		case len(past) == 0:
			past = []store.Past[balance.Settled]{{}}
		case own.Kept == nil || own.Kept.Version != past[0].Version:
			return store.ErrStale // somebody kept one between the two looks
		}
		for i := range past[1:] {
			past[1+i].Doc = past[1+i].Doc.For(own.Package.Load)
		}
		past[0].Doc = own.Record // untouched, where what is kept does not fit the head any more
		r, err := store.Amended(past, in.Body.Changes)
		if err != nil {
			return err
		}
		if err := fits(r); err != nil {
			return err
		}
		r.Follows(own.Record, time.Now())
		if v, err = s.benchOf(ctx, in.ID, in.Package, r); err != nil {
			return err
		}
		r.Load = &v.Package.Load
		was = own.Kept != nil && own.Sheet.Verdict.OK == v.Sheet.Verdict.OK
		return s.store.KeepBalance(ctx, s.who(ctx), in.Package, in.ID, past[0].Version, r)
	})
	if err != nil {
		return nil, s.fail(err)
	}
	if !was { // the log has what became of it, not every look
		s.note(ctx, "", "balance", fmt.Sprintf("%s on %s: %s", v.Package.Name, v.Name, balanced(v)),
			map[string]any{"machine": in.ID, "package": v.Package.Name})
	}
	s.everything()
	v, err = s.benchOf(ctx, in.ID, in.Package, nil)
	return &body[*BenchView]{v}, err
}

// fits bounds what is kept of a bench.
func fits(r *balance.Settled) error {
	if len(r.Seen) > mostSeen || len(r.Felt) > mostSeen || len(r.Own) > 20 || len(r.Weights) > 20 {
		return blame("seen", "that is more than anybody looks at",
			fmt.Sprintf("clear it and begin again; at most %d are kept", mostSeen))
	}
	if r.Seen == nil {
		r.Seen = []balance.Seen{}
	}
	for _, of := range []struct {
		name string
		v    *float64
	}{{"creep_deg_h", r.CreepDegH}, {"droop_share", r.DroopShare}} {
		if of.v != nil && !(math.Abs(*of.v) < 1000) {
			return blame(of.name, fmt.Sprintf("it is %g", *of.v), "give what was measured, or leave it out")
		}
	}
	return nil
}

// trim draws the tilt's lower soft limit in to where the camera's bulk would touch, by a
// whole degree, in the day's line-up.
func (s *Server) trim(ctx context.Context, in *benchID) (*body[*BenchView], error) {
	v, err := s.benchOf(ctx, in.ID, in.Package, nil)
	if err != nil {
		return nil, err
	}
	room := v.Sheet.Room
	if room == nil || room.OK {
		return nil, conflict("There is nothing to trim: it clears what is below all the way.")
	}
	least := math.Ceil(room.LowDeg)
	err = s.relined(ctx, in.ID, func(r *rig.Rig, l *journal.LineUp) error {
		tilt := &r.Axes[r.Index(v.Head.Axis)]
		day := dayOf(l.Axes, tilt)
		if day.Soft[0] = least; !(day.Soft[0] < day.Soft[1]) {
			return conflict("It would touch wherever it tilts. Mount the camera higher, or further back.")
		}
		l.Axes[tilt.ID] = day
		return nil
	})
	if err != nil {
		return nil, err
	}
	v, err = s.benchOf(ctx, in.ID, in.Package, nil)
	return &body[*BenchView]{v}, err
}

func balanced(v *BenchView) string {
	if v.Sheet.Verdict.OK {
		return "balanced. " + v.Sheet.Verdict.Says
	}
	return "not yet: " + v.Sheet.Verdict.Says
}

// balanceOf is what readiness says of the balance of a shot's package, or nil where
// none was chosen or the machine wants none.
func (s *Server) balanceOf(ctx context.Context, sh *store.Shot) (*ready.Balanced, error) {
	own := carrier(sh)
	if sh.Package == "" || own == nil || own.Book == nil {
		return nil, nil
	}
	v, err := s.benchOf(ctx, own.ID, sh.Package, nil)
	if err != nil {
		var p *Problem
		if errors.As(err, &p) && p.Status == http.StatusUnprocessableEntity {
			return &ready.Balanced{Says: "the balance of " + own.Name + " cannot be worked out: " +
				strings.TrimSuffix(p.Detail, ".") + "."}, nil
		}
		return nil, err
	}
	if b := own.Book; v.Sheet.Verdict.OK && b.Head == nil && b.Wrist == nil && b.Crane == nil {
		return nil, nil // nothing wants balance, and it is not too heavy
	}
	return &ready.Balanced{OK: v.Sheet.Verdict.OK, Says: v.Sheet.Verdict.Says}, nil
}
