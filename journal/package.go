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
		return &balance.MistakeError{Field: "name", Wrong: "it has no name, or a long one", Want: "give one of up to 60 letters"}
	}
	if len(p.Load.Pieces) > 100 {
		return &balance.MistakeError{Field: "load.pieces", Wrong: fmt.Sprintf("there are %d", len(p.Load.Pieces)), Want: "give at most 100"}
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
		return &balance.MistakeError{Field: "load.whole_kg", Wrong: fmt.Sprintf("it is %g", *w), Want: "weigh it and give kilograms above zero"}
	}
	if p.Lens == nil {
		return &balance.MistakeError{Field: "lens", Wrong: "there is none", Want: "copy a package that has one"}
	}
	if _, err := p.Lens.Scale(); err != nil {
		wrong, want, _ := strings.Cut(err.Error(), "; ")
		return &balance.MistakeError{Field: "lens.marks", Wrong: wrong, Want: want}
	}
	return nil
}
