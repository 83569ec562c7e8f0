package rig

import (
	"fmt"
	"math"
)

// Measurement is what a measured travel says of an axis's scale.
type Measurement struct {
	Ratio    float64   `json:"ratio" doc:"steps per unit that it has for each that is stated"`
	Stated   float64   `json:"stated" doc:"steps per unit"`
	Measured float64   `json:"measured"`
	Suspects []Suspect `json:"suspects"`
	Says     string    `json:"says"`
	// Doubt is the share of it that reading it off leaves open.
	Doubt float64 `json:"doubt"`
	// Drive is the axis's drive as measured, to be kept where no suspect explains it; none
	// where its gearing is not described.
	Drive *Drive `json:"drive,omitempty"`
}

// worn is how far belts stretch and wheels wear, as a share; right is what is right enough.
const (
	worn  = 0.005
	right = 1e-4
)

// readTo is how near somebody reads a travel off, in a unit: a tape to half a millimetre, a protractor
// to a tenth of a degree, a ring's marks to half a per cent of its way.
func (u Unit) readTo() float64 {
	switch u {
	case MM:
		return 0.5
	case Deg:
		return 0.1
	}
	return 0.5
}

// Measure holds a travel in the axis's unit that was asked for against what it moved by,
// both signed. What was measured before is part of what is stated now; suspects are of the
// gearing itself.
func (a *Axis) Measure(asked, moved float64) (*Measurement, error) {
	for _, of := range []struct {
		name string
		v    float64
	}{{"asked for", asked}, {"moved", moved}} {
		what, v := of.name, of.v
		if !(math.Abs(v) >= 1e-3 && math.Abs(v) <= 1e6) {
			return nil, fmt.Errorf("%s %g %s; a long travel, or several turns, is needed", what, v, a.Unit.Symbol())
		}
	}
	n := float64(a.StepsPerUnit.Num) / float64(a.StepsPerUnit.Den)
	m := &Measurement{Ratio: asked / moved, Stated: n, Suspects: []Suspect{}}
	m.Measured = n * m.Ratio
	m.Doubt = a.Unit.readTo() / math.Abs(moved)
	if d := a.Drive; d != nil {
		base, before := *d, 1.0
		if d.Measured != nil {
			base.Measured, before = nil, d.Measured.Asked/d.Measured.Moved
		}
		m.Suspects = base.Suspects(m.Ratio * before)
		base.Measured = &Measured{Asked: asked, Moved: moved / before}
		m.Drive = &base
	}
	if math.Abs(m.Ratio-1) <= m.Doubt {
		m.Suspects = []Suspect{}
	}
	u := a.Unit.Symbol()
	read := fmt.Sprintf("read to %g %s, this tells %.2g %%", a.Unit.readTo(), u, 100*m.Doubt)
	switch off := math.Abs(m.Ratio - 1); {
	case off < right && m.Doubt <= right:
		m.Says = "The scale is right to a ten-thousandth."
	case off <= m.Doubt:
		m.Says = fmt.Sprintf("The scale is right as far as this tells: %s. Over %.4g %s it would tell a "+
			"ten-thousandth.", read, a.Unit.readTo()/right, u)
	case off <= worn:
		m.Says = fmt.Sprintf("The scale is %.2f %% off, as belts stretch and wheels wear, and %s: take the "+
			"measured one.", 100*off, read)
	case len(m.Suspects) > 0:
		m.Says = fmt.Sprintf("It moved %.6g %s where %.6g were asked for. One thing explains it: %s.", moved, u, asked,
			m.Suspects[0].Says)
	default:
		m.Says = fmt.Sprintf("The scale is %.2f %% off, and nothing usual explains it. Measure again over a longer "+
			"way before you take it; look for slipping.", 100*off)
	}
	return m, nil
}
