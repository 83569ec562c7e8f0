package lens

import (
	"fmt"
	"math"
)

// LensSheet is all that is drawn and said of a lens: its rings' scales with what is sharp
// along them, marks that go with none of the others, and the picture it makes.
type LensSheet struct {
	Focus  *RingScale `json:"focus"`
	Iris   *RingScale `json:"iris,omitempty"`
	Zoom   *RingScale `json:"zoom,omitempty"`
	Field  [3]float64 `json:"field_deg" doc:"across, down, corner to corner, focused at infinity"`
	NearF  [3]float64 `json:"near_field_deg" doc:"the same focused at its nearest mark: it breathes"`
	HyperM float64    `json:"hyperfocal_m" doc:"from the image plane"`
	PxDeg  float64    `json:"px_per_deg" doc:"in the middle of the picture, focused at infinity"`
	Size   [2]int     `json:"size_px" doc:"the picture's"`
	Says   []string   `json:"says"`
}

// RingScale is one ring's scale, sampled from its first mark to its last.
type RingScale struct {
	Samples []RingAt `json:"samples"`
	Marks   []RingAt `json:"marks"`
	Strays  []Stray  `json:"strays"`
}

// RingAt is a ring position with its value, and for focus what is sharp there, in metres;
// far is left out where everything far is.
type RingAt struct {
	RingDeg float64  `json:"ring_deg"`
	Value   float64  `json:"value"`
	NearM   *float64 `json:"near_m,omitempty"`
	FarM    *float64 `json:"far_m,omitempty"`
}

// ringSamples is into how many parts a ring's way is drawn.
const ringSamples = 120

// Sheet works it out. The package is taken as it is framed.
func (p *Package) Sheet() (*LensSheet, error) {
	f := p.Framed()
	if err := p.checkPupil(); err != nil { // of one that was kept before
		return nil, err
	}
	ring, value := make([]float64, len(p.Marks)), make([]float64, len(p.Marks))
	for i, m := range p.Marks {
		ring[i], value[i] = m.RingDeg, m.DistanceM
	}
	out := &LensSheet{Size: [2]int{f.WidthPx, f.HeightPx}, Says: []string{}}
	var err error
	if out.Focus, err = f.ruled("focus", ring, value); err != nil {
		return nil, err
	}
	if len(p.Iris) > 1 {
		ring, value = nil, nil
		for _, m := range p.Iris {
			ring, value = append(ring, m.RingDeg), append(value, m.TStop)
		}
		if out.Iris, err = f.ruled("iris", ring, value); err != nil {
			return nil, err
		}
	}
	if len(p.Zoom) > 1 {
		ring, value = nil, nil
		for _, m := range p.Zoom {
			ring, value = append(ring, m.RingDeg), append(value, m.FocalMM)
		}
		if out.Zoom, err = f.ruled("zoom", ring, value); err != nil {
			return nil, err
		}
	}
	out.Field[0], out.Field[1], out.Field[2] = f.FieldDeg()
	near := math.Inf(1)
	for _, m := range p.Marks {
		near = math.Min(near, m.DistanceM)
	}
	out.NearF[0], out.NearF[1], out.NearF[2] = f.At(near).SeenDeg()
	out.HyperM = f.AtObject(f.HyperfocalM()).SharpAtM
	out.PxDeg = f.FocalMM / f.PitchMM() * math.Pi / 180
	far := f.At(math.Inf(1)).ViewMM()
	grow := f.At(near).ViewMM()/far - 1
	how := "as a thin lens does"
	if p.Breathing != nil {
		how = "as it was measured"
	}
	out.Says = append(out.Says,
		fmt.Sprintf("Breathing: focused at %.2f m the picture is %.1f %% larger than at infinity, %s.", near,
			grow*100, how))
	if c := p.CropCost(); c != "" {
		out.Says = append(out.Says, c)
	}
	if p.Framing != nil && p.Framing.Upright {
		out.Says = append(out.Says,
			fmt.Sprintf("Mounted upright: the picture is %d × %d, and every frame line and number with it.", f.WidthPx,
				f.HeightPx))
	}
	return out, nil
}

func (p *Package) ruled(what string, ring, value []float64) (*RingScale, error) {
	r, err := Rule(what, ring, value)
	if err != nil {
		return nil, err
	}
	at := func(deg, v float64) RingAt {
		x := RingAt{RingDeg: deg, Value: v}
		if what == "focus" {
			near, far := p.At(v).SharpM()
			if x.NearM = &near; !math.IsInf(far, 1) {
				x.FarM = &far
			}
		}
		return x
	}
	out := &RingScale{Strays: r.Strays(), Marks: []RingAt{}}
	first, last := r.Ends()
	for i := range ringSamples + 1 {
		deg := first + (last-first)*float64(i)/ringSamples
		out.Samples = append(out.Samples, at(deg, r.At(deg)))
	}
	for i := range r.x {
		out.Marks = append(out.Marks, at(r.x[i], r.plain(r.y[i])))
	}
	return out, nil
}
