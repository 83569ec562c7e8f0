package rig

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"sort"
)

// Drive is what turns motor steps into travel or turning, as the rig book has it, and
// what the motor can do. One of belt (or rack) and screw goes with millimetres; an axis
// that turns has neither.
type Drive struct {
	MotorSteps int64 `json:"motor_steps" doc:"full steps in a turn of the motor"`
	Microsteps int64 `json:"microsteps"`
	Gear       Ratio `json:"gear" doc:"turns of the motor for one of the output"`
	Teeth      int64 `json:"teeth,omitempty" doc:"of the pulley or pinion"`
	PitchUM    int64 `json:"pitch_um,omitempty" doc:"from tooth to tooth, in thousandths of a millimetre"`
	LeadUM     int64 `json:"lead_um,omitempty" doc:"travel of the screw in a turn, in thousandths of a millimetre"`
	Reversed   bool  `json:"reversed,omitempty" doc:"positive steps move it the other way"`
	// Measured is a correction of all that, by a travel that was commanded and measured.
	Measured  *Measured `json:"measured,omitempty"`
	MotorNM   float64   `json:"motor_nm,omitempty"`
	HoldingNM float64   `json:"holding_nm,omitempty"`
	SlipsBack bool      `json:"slips_back,omitempty" doc:"its load moves it when the power is off"`
	RatedW    float64   `json:"rated_w,omitempty"`
	PeakW     float64   `json:"peak_w,omitempty"`
}

// Measured is a travel in the axis's unit: what was asked for and what it really was.
type Measured struct {
	Asked float64 `json:"asked"`
	Moved float64 `json:"moved"`
}

// ratio is asked ÷ moved, exact to a millionth of a unit each.
func (m *Measured) ratio() (*big.Rat, error) {
	const parts = 1e6
	ok := func(v float64) bool { return math.Abs(v) >= 1/parts && math.Abs(v) <= 1e6 }
	if !ok(m.Asked) || !ok(m.Moved) {
		return nil, fmt.Errorf("measured: asked for %g, moved %g; give two lengths or angles between 0.000001 and "+
			"a million", m.Asked, m.Moved)
	}
	return big.NewRat(int64(math.Round(m.Asked*parts)), int64(math.Round(m.Moved*parts))), nil
}

// Steps are the motor steps in a unit, exactly: motor steps × microsteps × gear in a
// turn of the output, over what that turn travels (teeth × pitch, or the lead) or 360°;
// times asked ÷ moved where it was measured.
func (d *Drive) Steps(u Unit) (Ratio, error) {
	s, err := d.stated(u)
	if err != nil {
		return Ratio{}, err
	}
	if d.Measured != nil {
		m, err := d.Measured.ratio()
		if err != nil {
			return Ratio{}, err
		}
		s.Mul(s, m)
	}
	f, _ := s.Float64()
	if math.Abs(f) > 1e9 || math.Abs(f) < 1e-6 {
		return Ratio{}, fmt.Errorf("%g motor steps per %s; no drive is made like that", f, u.Symbol())
	}
	// A measurement has more digits than it has truth: what does not fit is rounded.
	if s.Denom().BitLen() > 40 || s.Num().BitLen() > 50 {
		s.SetFrac64(int64(math.RoundToEven(f*1e6)), 1e6)
	}
	return Ratio{s.Num().Int64(), s.Denom().Int64()}, nil
}

// stated is the same without the measurement.
func (d *Drive) stated(u Unit) (*big.Rat, error) {
	travel := int64(360_000)
	belt, screw := d.Teeth != 0 || d.PitchUM != 0, d.LeadUM != 0
	switch {
	case d.MotorSteps < 1 || d.MotorSteps > 1e7:
		return nil, fmt.Errorf("motor steps: %d in a turn; give 1 to 10 million, as 200", d.MotorSteps)
	case d.Microsteps < 1 || d.Microsteps > 4096:
		return nil, fmt.Errorf("microsteps: %d; give 1 to 4096, as 16", d.Microsteps)
	case d.Gear.Num < 1 || d.Gear.Den < 1 || d.Gear.Num > 1e9 || d.Gear.Den > 1e9:
		return nil, fmt.Errorf("gear: %d/%d; give turns of the motor for one of the output, as 18/1",
			d.Gear.Num, d.Gear.Den)
	case u == Percent:
		return nil, errors.New("drive: a lamp has no motor; leave it out")
	case u == Deg && (belt || screw):
		return nil, errors.New("drive: an axis that turns has no pitch and no lead; put belts into its gear")
	case u == MM && belt == screw:
		return nil, errors.New("drive: a travel has either teeth and pitch or a screw's lead; give one of them")
	case belt && (d.Teeth < 1 || d.Teeth > 10_000 || d.PitchUM < 1 || d.PitchUM > 1e6):
		return nil, fmt.Errorf("belt: %d teeth of %g mm; give both above zero, as 20 and 3", d.Teeth,
			float64(d.PitchUM)/1000)
	case screw && (d.LeadUM < 1 || d.LeadUM > 1e6):
		return nil, fmt.Errorf("screw: a lead of %g mm; give what it travels in a turn, as 8", float64(d.LeadUM)/1000)
	case belt:
		travel = d.Teeth * d.PitchUM
	case screw:
		travel = d.LeadUM
	}
	s := big.NewRat(d.MotorSteps*d.Microsteps, 1)
	s.Mul(s, big.NewRat(d.Gear.Num, d.Gear.Den))
	s.Mul(s, big.NewRat(1000, travel))
	if d.Reversed {
		s.Neg(s)
	}
	return s, nil
}

// Turn is what the axis moves in one turn of its motor, in its unit: from one index of
// the motor to the next.
func (d *Drive) Turn(u Unit) float64 {
	s, err := d.Steps(u)
	if err != nil {
		return math.NaN()
	}
	return math.Abs(float64(d.MotorSteps*d.Microsteps) * float64(s.Den) / float64(s.Num))
}

// check holds a description of an axis against its drive.
func (a *Axis) checkDrive() error {
	if a.Drive == nil {
		return nil
	}
	s, err := a.Drive.Steps(a.Unit)
	if err != nil {
		return err
	}
	if s.Num*a.StepsPerUnit.Den != a.StepsPerUnit.Num*s.Den {
		return fmt.Errorf("steps per unit %d/%d; its drive makes %d/%d of them", a.StepsPerUnit.Num, a.StepsPerUnit.Den,
			s.Num, s.Den)
	}
	for _, of := range []struct {
		name string
		v    float64
	}{{"motor_nm", a.Drive.MotorNM}, {"holding_nm", a.Drive.HoldingNM}, {"rated_w", a.Drive.RatedW},
		{"peak_w", a.Drive.PeakW}} {
		what, v := of.name, of.v
		if !(v >= 0 && v <= 1e6) {
			return fmt.Errorf("%s %g; give 0 to a million", what, v)
		}
	}
	return nil
}

// Suspect is one way in which a stated gearing may be wrong: how it would have to read,
// and how far the measurement is from just that, as a share.
type Suspect struct {
	Says  string  `json:"says"`
	Ratio float64 `json:"ratio" doc:"steps per unit that it would have for each that is stated"`
	Off   float64 `json:"off" doc:"how far the measurement is from just that, as a share"`
	Drive *Drive  `json:"drive,omitempty" doc:"as it would read; none: it is no part of the gearing"`
}

// telling is how near a measured ratio comes to a telling one.
const telling = 0.005

// What is commonly built.
var (
	commonMicrosteps = []int64{1, 2, 4, 8, 16, 32, 64, 128, 256}
	commonMotors     = []int64{24, 48, 200, 400, 500}
	commonPitchUM    = []int64{2000, 2032, 2500, 3000, 5000, 5080, 8000, 10_000}
	commonLeadUM     = []int64{1000, 1250, 1500, 2000, 2500, 3000, 4000, 5000, 6000, 8000, 10_000, 12_000, 16_000,
		20_000, 25_000}
)

// Suspects name what a measurement tells of a stated gearing: r is the measured steps per
// unit over the stated ones. Ratios within half a per cent of a telling one are named,
// the plainest first; none where the two agree within half a per cent.
func (d *Drive) Suspects(r float64) []Suspect {
	out := []Suspect{}
	if r < 0 {
		flip := *d
		flip.Reversed = !d.Reversed
		out = append(out, Suspect{Says: "its direction is reversed", Ratio: -1, Off: math.Abs(-r - 1), Drive: &flip})
		if r = -r; math.Abs(r-1) > telling {
			rest := *d
			out = append(out, rest.Suspects(r)...)
		}
		return out
	}
	if math.Abs(r-1) <= telling || r == 0 || math.IsInf(r, 0) || math.IsNaN(r) {
		return out
	}
	try := func(says string, ratio float64, change func(*Drive)) {
		off := math.Abs(r/ratio - 1)
		if math.Abs(ratio-1) <= telling || off > telling {
			return
		}
		s := Suspect{Says: says, Ratio: ratio, Off: off}
		if change != nil {
			c := *d
			change(&c)
			s.Drive = &c
		}
		out = append(out, s)
	}
	for _, m := range commonMicrosteps {
		try(fmt.Sprintf("%d microsteps, not %d", m, d.Microsteps), float64(m)/float64(d.Microsteps), func(c *Drive) {
			c.Microsteps = m
		})
	}
	for _, m := range commonMotors {
		try(fmt.Sprintf("a motor of %d steps, not %d", m, d.MotorSteps), float64(m)/float64(d.MotorSteps),
			func(c *Drive) { c.MotorSteps = m })
	}
	if g := float64(d.Gear.Num) / float64(d.Gear.Den); g != 1 {
		try("its gear is not there, or is counted already", 1/g, func(c *Drive) { c.Gear = Ratio{1, 1} })
		try("its gear is there twice", g, func(c *Drive) {
			c.Gear = Ratio{d.Gear.Num * d.Gear.Num, d.Gear.Den * d.Gear.Den}
		})
	}
	if d.Teeth > 0 {
		var teeth []Suspect
		keep := out
		out = nil
		for t := int64(8); t <= 90; t++ {
			try(fmt.Sprintf("%d teeth, not %d", t, d.Teeth), float64(d.Teeth)/float64(t), func(c *Drive) {
				c.Teeth = t
			})
		}
		teeth, out = out, keep
		sort.SliceStable(teeth, func(i, k int) bool { return teeth[i].Off < teeth[k].Off })
		if len(teeth) > 0 {
			out = append(out, teeth[0])
		}
		for _, p := range commonPitchUM {
			try(fmt.Sprintf("a pitch of %g mm, not %g", float64(p)/1000, float64(d.PitchUM)/1000),
				float64(d.PitchUM)/float64(p), func(c *Drive) { c.PitchUM = p })
		}
	}
	if d.LeadUM > 0 {
		for _, l := range commonLeadUM {
			try(fmt.Sprintf("a lead of %g mm, not %g", float64(l)/1000, float64(d.LeadUM)/1000),
				float64(d.LeadUM)/float64(l), func(c *Drive) { c.LeadUM = l })
		}
	}
	try("measured in inches, commanded in millimetres", 25.4, nil)
	try("a turn was counted in radians, not degrees", 180/math.Pi, nil)
	return out
}
