package web

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/exchange"
	"keenarc/store"
)

func frame4(f int) string { return limit.Frame4(float64(f)) }

// upload puts a keyframe file in place of the path's keyframes, as one edit.
func (s *Server) upload(w http.ResponseWriter, r *http.Request) {
	ctx, id := r.Context(), chi.URLParam(r, "id")
	rev, err := strconv.ParseInt(r.URL.Query().Get("revision"), 10, 64)
	if err != nil {
		problem(w, blame("revision", "it is missing", "give the revision that is on the screen"))
		return
	}
	sh, err := s.store.Shot(ctx, id)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	tracks, err := exchange.ReadKeys(r.Body, sh.Rig, scale)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	d, err := s.store.Draft(ctx, id)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	for i := range tracks { // a file brings keyframes; how they are joined stays
		if old := d.Path.Track(tracks[i].Axis); old != nil {
			tracks[i].Kind, tracks[i].Ends, tracks[i].Blend, tracks[i].Ramp = old.Kind, old.Ends, old.Blend, old.Ramp
		}
	}
	e := path.Edit{Op: "replace", Tracks: tracks}
	d, err = s.store.Edit(ctx, s.by(ctx, id, rev, Doing{Window: r.URL.Query().Get("window")}), sh.Rig, e)
	v, err := s.afterEdit(ctx, id, d, err)
	if err != nil {
		problem(w, err)
		return
	}
	out := taken(v.Body, tracks)
	s.note(ctx, id, "file", "Took keyframes from a file. "+out.Said, nil)
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(out)
}

// takenKeys answers an upload: what it changed and what it left alone.
type takenKeys struct {
	Shot *ShotView `json:"shot"`
	Said string    `json:"said"`
	// Others are the tracks of the axes that stayed and have keyframes, empty: the
	// edit that takes them out, too.
	Others []path.Track `json:"others"`
}

func taken(v *ShotView, from []path.Track) *takenKeys {
	out := &takenKeys{Shot: v, Others: []path.Track{}}
	var changed, stayed []string
	for _, a := range v.Rig.Axes {
		t := v.Path.Track(a.ID)
		switch {
		case slices.ContainsFunc(from, func(x path.Track) bool { return x.Axis == a.ID }):
			changed = append(changed, a.Name)
		case t != nil && len(t.Keys) > 0:
			stayed = append(stayed, a.Name)
			out.Others = append(out.Others, path.Track{Axis: t.Axis, Kind: t.Kind, Ends: t.Ends, Blend: t.Blend,
				Ramp: t.Ramp, Keys: []path.Key{}})
		}
	}
	out.Said = listed(changed) + " from the file."
	if len(stayed) > 0 {
		out.Said += " As they were: " + listed(stayed) + "."
	}
	return out
}

// listed joins names as in a sentence.
func listed(names []string) string {
	if n := len(names) - 1; n > 0 {
		return strings.Join(names[:n], ", ") + " and " + names[n]
	}
	return strings.Join(names, "")
}

func (s *Server) pathCSV(w http.ResponseWriter, r *http.Request) {
	v, err := s.view(r.Context(), chi.URLParam(r, "id"))
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	p, name := v.Path, fmt.Sprintf("%s-path-r%d.csv", v.Code, v.Revision)
	if id := r.URL.Query().Get("seal"); id != "" {
		seals, err := s.store.Seals(r.Context(), v.ID)
		if err != nil {
			problem(w, s.fail(err))
			return
		}
		i := slices.IndexFunc(seals, func(x store.Seal) bool { return x.ID == id })
		if i < 0 || seals[i].Revision < 0 {
			problem(w, newProblem(http.StatusNotFound, "There is no such sealed path, or it is void."))
			return
		}
		d, err := s.store.DraftAt(r.Context(), v.ID, seals[i].Revision)
		if err != nil {
			problem(w, s.fail(err))
			return
		}
		p, name = d.Path, fmt.Sprintf("%s-sealed-path-%d-%s.csv", v.Code, seals[i].Version, seals[i].Short)
	}
	m, err := path.Compile(p, v.Rig)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	attach(w, name)
	if err := exchange.WritePath(w, p, m, v.Rig); err != nil {
		s.log.Error("path export", "err", err)
	}
}

// sealedTable gives a sealed path as it is replayed, in the encoding of docs/seal.md.
func (s *Server) sealedTable(w http.ResponseWriter, r *http.Request) {
	sh, err := s.store.Shot(r.Context(), chi.URLParam(r, "id"))
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	seals, err := s.store.Seals(r.Context(), sh.ID)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	i := slices.IndexFunc(seals, func(x store.Seal) bool { return x.ID == r.URL.Query().Get("seal") })
	if i < 0 || seals[i].Revision < 0 {
		problem(w, newProblem(http.StatusNotFound, "There is no such sealed path, or it is void."))
		return
	}
	t, err := s.store.Table(r.Context(), seals[i].ID)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	attach(w, fmt.Sprintf("%s-sealed-path-%d-%s.table", sh.Code, seals[i].Version, seals[i].Short))
	_, _ = w.Write(t.Canonical())
}

func (s *Server) traceCSV(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "id")
	shot, err := s.store.TakeShot(r.Context(), id)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	sh, err := s.store.Shot(r.Context(), shot)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	t, err := s.store.Take(r.Context(), id)
	if err != nil {
		problem(w, s.fail(err))
		return
	}
	attach(w, fmt.Sprintf("%s-take-%d.csv", sh.Code, t.Number))
	if err := exchange.WriteTrace(w, t.Trace, sh.Rig); err != nil {
		s.log.Error("trace export", "err", err)
	}
}

// attach says that a file comes, of the kind that its name ends in.
func attach(w http.ResponseWriter, name string) {
	kind := map[string]string{".csv": "text/csv; charset=utf-8", ".zip": "application/zip"}[filepath.Ext(name)]
	w.Header().Set("Content-Type", cmp.Or(kind, "application/octet-stream"))
	w.Header().Set("Content-Disposition", `attachment; filename="`+strings.ReplaceAll(name, `"`, "")+`"`)
}
