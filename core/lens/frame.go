package lens

import (
	"fmt"
	"math"

	"keenarc/core/rig"
)

// Mode is one way in which a sensor is read out.
type Mode struct {
	Name     string  `json:"name"`
	WidthMM  float64 `json:"width_mm"`
	HeightMM float64 `json:"height_mm"`
	WidthPx  int     `json:"width_px"`
	HeightPx int     `json:"height_px"`
}

// Framing is how a camera's picture is taken: in which mode, how far it is enlarged
// digitally, and whether the camera is mounted upright.
type Framing struct {
	Mode    string  `json:"mode,omitempty"`
	Crop    float64 `json:"crop,omitempty" doc:"digital zoom, 1 and more; left out: none"`
	Upright bool    `json:"upright,omitempty" doc:"turned by a quarter: the picture is higher than wide"`
}

// MostCrop is how far a picture may be enlarged.
const MostCrop = 8

// CheckFraming says what is wrong with modes and framing, or nil.
func (p *Package) CheckFraming() error {
	seen := map[string]bool{}
	for _, m := range p.Modes {
		if m.Name == "" || seen[m.Name] || !(m.WidthMM > 0 && m.HeightMM > 0) || m.WidthPx < 1 || m.HeightPx < 1 {
			return fmt.Errorf("sensor mode %q: %g × %g mm, %d × %d pixels; give each a name of its own, and sizes "+
				"above zero", m.Name, m.WidthMM, m.HeightMM, m.WidthPx, m.HeightPx)
		}
		seen[m.Name] = true
	}
	if f := p.Framing; f != nil {
		if f.Mode != "" && !seen[f.Mode] {
			return fmt.Errorf("sensor mode %q: there is none of that name; use one of the sensor's", f.Mode)
		}
		if f.Crop != 0 && !(f.Crop >= 1 && f.Crop <= MostCrop) {
			return fmt.Errorf("digital zoom %g; give 1 (none) to %d", f.Crop, MostCrop)
		}
	}
	if o := p.Optics; o != nil && !(math.Abs(o.RightM) <= 10 && math.Abs(o.ForwardM) <= 10 && math.Abs(o.UpM) <= 10 &&
		math.Abs(o.TurnDeg) <= 180 && math.Abs(o.TiltDeg) <= 90) {
		return fmt.Errorf("optical axis: displaced by %g, %g, %g m, turned %g° and %g°; give at most 10 m, half a "+
			"turn, and 90° up or down", o.RightM, o.ForwardM, o.UpM, o.TurnDeg, o.TiltDeg)
	}
	at := map[[2]float64]bool{}
	for i, m := range p.Pupils {
		if !(m.DistanceM > 0) || !(m.FocalMM >= 0) || !(math.Abs(m.PupilM) <= 10) ||
			at[[2]float64{m.DistanceM, m.FocalMM}] {
			return fmt.Errorf("pupil %d: %g m in front of the image plane, focused at %g m; give distances above "+
				"zero, each once, and at most 10 m", i+1, m.PupilM, m.DistanceM)
		}
		at[[2]float64{m.DistanceM, m.FocalMM}] = true
	}
	if err := p.checkPupil(); err != nil {
		return err
	}
	if b := p.Breathing; b != nil && !(math.Abs(*b) <= 20) {
		return fmt.Errorf("breathing %g; measure it from two framings", *b)
	}
	return nil
}

// checkPupil says so where the entrance pupil lies beyond what the lens focuses on: nothing is seen from
// behind what it looks at.
func (p *Package) checkPupil() error {
	near := p.nearestM()
	for i, m := range p.Marks {
		if i == 0 || m.DistanceM < near {
			near = m.DistanceM
		}
	}
	pupils := append([]Pupil{{PupilM: p.PupilM}}, p.Pupils...)
	for i, m := range pupils {
		if i == 0 && len(p.Pupils) > 0 || m.PupilM < near {
			continue
		}
		what := "pupil_m"
		if i > 0 {
			what = fmt.Sprintf("pupil %d", i)
		}
		return fmt.Errorf("%s: the entrance pupil %g m in front of the image plane lies beyond the nearest that is "+
			"focused on, %g m; "+
			"measure both from the image plane, in metres", what, m.PupilM, near)
	}
	return nil
}

// Framed is the package as its picture is framed: in its mode, cropped, and upright.
// What is framed already stays as it is.
func (p *Package) Framed() *Package {
	f := p.Framing
	if f == nil {
		return p
	}
	out := *p
	out.Framing = nil
	for _, m := range p.Modes {
		if m.Name == f.Mode {
			out.WidthMM, out.HeightMM, out.WidthPx, out.HeightPx = m.WidthMM, m.HeightMM, m.WidthPx, m.HeightPx
		}
	}
	if f.Crop > 1 {
		// As many pixels as before, made from fewer.
		out.WidthMM, out.HeightMM = out.WidthMM/f.Crop, out.HeightMM/f.Crop
	}
	// A smaller picture is enlarged more: what is held to be sharp shrinks with it.
	out.CircleMM *= math.Hypot(out.WidthMM, out.HeightMM) / math.Hypot(p.WidthMM, p.HeightMM)
	if f.Upright {
		out.WidthMM, out.HeightMM, out.WidthPx, out.HeightPx = out.HeightMM, out.WidthMM, out.HeightPx, out.WidthPx
	}
	return &out
}

// CropCost says what digital zoom leaves of a picture, or nothing where there is none.
func (p *Package) CropCost() string {
	f := p.Framing
	if f == nil || !(f.Crop > 1) {
		return ""
	}
	w, h := p.WidthPx, p.HeightPx
	for _, m := range p.Modes {
		if m.Name == f.Mode {
			w, h = m.WidthPx, m.HeightPx
		}
	}
	return fmt.Sprintf("Digital zoom %g×: %d × %d of %d × %d pixels are left, %.0f %% of them; each is drawn "+
		"over %.2f.", f.Crop, int(float64(w)/f.Crop), int(float64(h)/f.Crop), w, h, 100/f.Crop/f.Crop, f.Crop*f.Crop)
}

// Breathes is how a lens's picture scale follows its focus, from one thing framed twice:
// its widths in pixels with the lens focused at two distances, nothing moved. 1 is a thin
// lens, 0 one that does not breathe.
func (p *Package) Breathes(nearM, widthNear, farM, widthFar float64) (float64, error) {
	if !(widthNear > 0 && widthFar > 0) {
		return 0, fmt.Errorf("widths %g and %g pixels; give two above zero", widthNear, widthFar)
	}
	thin := *p
	thin.Breathing = nil
	a, b := thin.At(nearM).ViewMM(), thin.At(farM).ViewMM()
	if !(nearM > 0 && farM > 0) || math.Abs(math.Log(a/b)) < 1e-4 {
		return 0, fmt.Errorf("focused at %g and %g m; give two distances so far apart that the picture's scale "+
			"can differ", nearM, farM)
	}
	return math.Log(widthNear/widthFar) / math.Log(a/b), nil
}

// Zoomed is the package at a position of its zoom ring, where that has a scale.
func (p *Package) Zoomed(ringDeg float64) *Package {
	if len(p.Zoom) < 2 {
		return p
	}
	ring, focal := make([]float64, len(p.Zoom)), make([]float64, len(p.Zoom))
	for i, m := range p.Zoom {
		ring[i], focal[i] = m.RingDeg, m.FocalMM
	}
	r, err := Rule("zoom", ring, focal)
	if err != nil { // marks that make no scale are refused where they are kept
		return p
	}
	out := *p
	out.FocalMM = r.At(ringDeg)
	return &out
}

// Turned is the package as a machine's axes turn its zoom ring, if one does.
func (p *Package) Turned(r *rig.Rig, values []float64) *Package {
	if i := r.Of(rig.Zoom); i >= 0 {
		return p.Zoomed(values[i])
	}
	return p
}
