package journal

import (
	"fmt"
	"strings"

	"keenarc/core/balance"
	"keenarc/core/lens"
)

// CameraPackage is a camera with a lens and everything that hangs on it.
type CameraPackage struct {
	ID      string        `json:"id"`
	Version int           `json:"version"`
	Name    string        `json:"name"`
	Lens    *lens.Package `json:"lens"`
	Load    balance.Hung  `json:"load"`
}

// Check says what makes a package unusable, or nil.
func (p *CameraPackage) Check() error {
	if p.Name = strings.TrimSpace(p.Name); p.Name == "" || len(p.Name) > 60 {
		return &balance.MistakeError{Field: "name", Wrong: "it has no name, or a long one",
			Want: "give one of up to 60 letters"}
	}
	if len(p.Load.Pieces) > 100 {
		return &balance.MistakeError{Field: "load.pieces", Wrong: fmt.Sprintf("there are %d", len(p.Load.Pieces)),
			Want: "give at most 100"}
	}
	if len(p.Load.Pieces) > 0 {
		if _, err := balance.Add(p.Load.Pieces); err != nil {
			return err
		}
	}
	for what, v := range map[string]float64{"load.front_m": p.Load.FrontM, "load.under_m": p.Load.UnderM} {
		if !(v >= 0 && v < 100) {
			return &balance.MistakeError{Field: what, Wrong: fmt.Sprintf("it is %g", v), Want: "give metres, 0 or more"}
		}
	}
	if w := p.Load.WholeKg; w != nil && !(*w > 0 && *w < 1e6) {
		return &balance.MistakeError{Field: "load.whole_kg", Wrong: fmt.Sprintf("it is %g", *w),
			Want: "weigh it and give kilograms above zero"}
	}
	if w := p.Load.WholeKg; w != nil && len(p.Load.Pieces) > 0 {
		if sum, err := balance.Add(p.Load.Pieces); err != nil {
			return err
		} else if *w < sum.MassKg*(1-1e-9) {
			return &balance.MistakeError{Field: "load.whole_kg",
				Wrong: fmt.Sprintf("all of it weighs %g kg and its pieces %.4g", *w, sum.MassKg), Want: fmt.Sprintf(
					"give %.4g or more, or take a piece off", sum.MassKg)}
		}
	}
	if p.Lens == nil {
		return &balance.MistakeError{Field: "lens", Wrong: "there is none", Want: "copy a package that has one"}
	}
	if _, err := p.Lens.Scale(); err != nil {
		wrong, want, _ := strings.Cut(err.Error(), "; ")
		return &balance.MistakeError{Field: "lens.marks", Wrong: wrong, Want: want}
	}
	return p.checkRings()
}

// checkRings checks the marks of all rings, and the framing.
func (p *CameraPackage) checkRings() error {
	bad := func(field string, err error) error {
		wrong, want, _ := strings.Cut(err.Error(), "; ")
		return &balance.MistakeError{Field: field, Wrong: wrong, Want: want}
	}
	l := p.Lens
	if !(l.FocalMM > 0 && l.FNumber > 0 && l.CircleMM > 0 && l.WidthMM > 0 && l.HeightMM > 0) || l.WidthPx < 1 ||
		l.HeightPx < 1 || !(l.PupilM > -10 && l.PupilM < 10) {
		return &balance.MistakeError{Field: "lens", Wrong: "its focal length, f-number, circle of confusion, sensor " +
			"or pupil is not a length", Want: "give each above zero"}
	}
	if len(l.Iris) > 1 { // one mark is no scale yet
		ring, t := make([]float64, len(l.Iris)), make([]float64, len(l.Iris))
		for i, m := range l.Iris {
			ring[i], t[i] = m.RingDeg, m.TStop
		}
		if _, err := lens.Rule("iris", ring, t); err != nil {
			return bad("lens.iris", err)
		}
	}
	if len(l.Zoom) > 1 {
		ring, f := make([]float64, len(l.Zoom)), make([]float64, len(l.Zoom))
		for i, m := range l.Zoom {
			ring[i], f[i] = m.RingDeg, m.FocalMM
		}
		if _, err := lens.Rule("zoom", ring, f); err != nil {
			return bad("lens.zoom", err)
		}
	}
	for i, m := range l.Iris {
		if !(m.TStop > 0) {
			return &balance.MistakeError{Field: fmt.Sprintf("lens.iris[%d]", i), Wrong: fmt.Sprintf("a stop of %g",
				m.TStop), Want: "give one above zero, as 2.8"}
		}
	}
	for i, m := range l.Zoom {
		if !(m.FocalMM > 0) {
			return &balance.MistakeError{Field: fmt.Sprintf("lens.zoom[%d]", i),
				Wrong: fmt.Sprintf("a focal length of %g mm", m.FocalMM), Want: "give one above zero"}
		}
	}
	if err := l.CheckFraming(); err != nil {
		return bad("lens.framing", err)
	}
	return nil
}
