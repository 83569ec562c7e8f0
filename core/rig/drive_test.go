package rig_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"keenarc/core/known/fixture"
	"keenarc/core/rig"
)

func TestGearing(t *testing.T) {
	one := rig.Ratio{Num: 1, Den: 1}
	for name, c := range map[string]struct {
		d    rig.Drive
		u    rig.Unit
		want rig.Ratio
		turn float64
	}{
		"belt": {rig.Drive{MotorSteps: 200, Microsteps: 8, Gear: one, Teeth: 32, PitchUM: 2000}, rig.MM,
			rig.Ratio{Num: 25, Den: 1}, 64},
		"inch belt": {rig.Drive{MotorSteps: 200, Microsteps: 16, Gear: one, Teeth: 10, PitchUM: 5080}, rig.MM,
			rig.Ratio{Num: 8000, Den: 127}, 50.8},
		"screw": {rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: one, LeadUM: 8000}, rig.MM,
			rig.Ratio{Num: 100, Den: 1}, 8},
		"head": {rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: rig.Ratio{Num: 18, Den: 1}}, rig.Deg,
			rig.Ratio{Num: 40, Den: 1}, 20},
		"odd gear": {rig.Drive{MotorSteps: 400, Microsteps: 1, Gear: rig.Ratio{Num: 5, Den: 3}}, rig.Deg,
			rig.Ratio{Num: 50, Den: 27}, 216},
		"reversed": {rig.Drive{MotorSteps: 200, Microsteps: 8, Gear: one, Teeth: 32, PitchUM: 2000, Reversed: true},
			rig.MM, rig.Ratio{Num: -25, Den: 1}, 64},
		"measured": {rig.Drive{MotorSteps: 200, Microsteps: 8, Gear: one, Teeth: 32, PitchUM: 2000,
			Measured: &rig.Measured{Asked: 1000, Moved: 1002.5}}, rig.MM, rig.Ratio{Num: 10000, Den: 401}, 64.16},
		"measured odd": {rig.Drive{MotorSteps: 200, Microsteps: 256, Gear: rig.Ratio{Num: 999983, Den: 1009},
			LeadUM: 8001, Measured: &rig.Measured{Asked: 999.999989, Moved: 998.999983}}, rig.MM, rig.Ratio{Num: 0,
			Den: 0}, 0.008065},
	} {
		got, err := c.d.Steps(c.u)
		if err != nil || c.want.Den != 0 && got != c.want || math.Abs(c.d.Turn(c.u)-c.turn) > 1e-6*c.turn+1e-6 {
			t.Errorf("%s: %v, a turn %g, %v; want %v, %g", name, got, c.d.Turn(c.u), err, c.want, c.turn)
		}
	}
	for want, d := range map[string]rig.Drive{
		"motor steps: 0":        {Microsteps: 1, Gear: one, LeadUM: 1},
		"microsteps: 0":         {MotorSteps: 200, Gear: one, LeadUM: 1},
		"gear: 0/1":             {MotorSteps: 200, Microsteps: 1, Gear: rig.Ratio{Num: 0, Den: 1}, LeadUM: 1},
		"either teeth and":      {MotorSteps: 200, Microsteps: 1, Gear: one},
		"give one of them":      {MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: 20, PitchUM: 2000, LeadUM: 8000},
		"belt: 20 teeth of 0":   {MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: 20},
		"belt: 0 teeth of 2 mm": {MotorSteps: 200, Microsteps: 1, Gear: one, PitchUM: 2000},
		"screw: a lead of -8":   {MotorSteps: 200, Microsteps: 1, Gear: one, LeadUM: -8000},
		"measured: asked for 0": {MotorSteps: 200, Microsteps: 1, Gear: one, LeadUM: 8000,
			Measured: &rig.Measured{Moved: 1}},
		"no drive is made": {MotorSteps: 200, Microsteps: 1, Gear: one, LeadUM: 8000,
			Measured: &rig.Measured{Asked: 1e6, Moved: 1e-6}},
	} {
		if got, err := d.Steps(rig.MM); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, %v, want %q", got, err, want)
		}
	}
	turns := rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, LeadUM: 1}
	for u, want := range map[rig.Unit]string{rig.Deg: "no pitch and no lead", rig.Percent: "has no motor"} {
		if _, err := turns.Steps(u); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	r := fixture.Slider()
	r.Axes[0].Drive = &rig.Drive{MotorSteps: 200, Microsteps: 16, Gear: one, Teeth: 32, PitchUM: 2000}
	if err := r.Check(); err == nil || !strings.Contains(err.Error(), "its drive makes 50/1") {
		t.Errorf("a drive that is not its scale: %v", err)
	}
}

func TestSuspects(t *testing.T) {
	belt := rig.Drive{MotorSteps: 200, Microsteps: 8, Gear: rig.Ratio{Num: 3, Den: 1}, Teeth: 20, PitchUM: 2000}
	screw := rig.Drive{MotorSteps: 200, Microsteps: 16, Gear: rig.Ratio{Num: 1, Den: 1}, LeadUM: 8000}
	for name, c := range map[string]struct {
		d     rig.Drive
		ratio float64
		first string
	}{
		"microsteps":      {belt, 2, "16 microsteps, not 8"},
		"a quarter":       {belt, 0.2505, "2 microsteps, not 8"},
		"teeth":           {belt, 20.0 / 16, "16 teeth, not 20"},
		"teeth, not just": {belt, 20.0 / 16 * 1.0045, "16 teeth, not 20"},
		"pitch":           {belt, 2.0 / 2.032, "a pitch of 2.032 mm, not 2"},
		"gear missing":    {belt, 1.0 / 3, "its gear is not there"},
		"lead":            {screw, 8.0 / 5, "a lead of 5 mm, not 8"},
		"inches":          {screw, 25.4, "measured in inches"},
		"other way":       {screw, -1, "direction is reversed"},
		"both":            {screw, -2, "direction is reversed"},
		"agrees":          {belt, 1.004, ""},
		"nothing telling": {screw, 1.07, ""},
		"half a per cent": {screw, 2 * 1.0051, ""},
	} {
		got := c.d.Suspects(c.ratio)
		if c.first == "" {
			if len(got) != 0 {
				t.Errorf("%s: %+v", name, got)
			}
			continue
		}
		if len(got) == 0 || !strings.Contains(got[0].Says, c.first) {
			t.Errorf("%s: %+v, want %q first", name, got, c.first)
			continue
		}
		// As it would read it makes the steps that were measured.
		if d := got[0].Drive; d != nil && name != "both" {
			was, _ := c.d.Steps(rig.MM)
			now, err := d.Steps(rig.MM)
			if r := float64(now.Num) / float64(now.Den) / (float64(was.Num) / float64(was.Den)); err != nil ||
				math.Abs(r/c.ratio-1) > 0.0051 {
				t.Errorf("%s: as it would read it makes %g times the steps, measured %g", name, r, c.ratio)
			}
		}
	}
	if s := screw.Suspects(-2); len(s) < 2 || !strings.Contains(s[1].Says, "32 microsteps") {
		t.Errorf("the other way and twice as far: %+v", s)
	}
	for _, r := range []float64{0, math.Inf(1), math.NaN()} {
		if s := screw.Suspects(r); len(s) != 0 {
			t.Errorf("%g: %+v", r, s)
		}
	}
}

func TestScaleByMeasurement(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		d := rig.Drive{MotorSteps: 200, Microsteps: 1 << rng.IntN(8), Gear: rig.Ratio{Num: 1 + rng.Int64N(200),
			Den: 1 + rng.Int64N(20)}, LeadUM: 500 + rng.Int64N(20_000)}
		was, err := d.Steps(rig.MM)
		if err != nil {
			t.Fatal(err)
		}
		truth := float64(was.Num) / float64(was.Den) * math.Exp(rng.NormFloat64())
		asked := 500 + math.Round(rng.Float64()*1000)
		d.Measured = &rig.Measured{Asked: asked, Moved: asked * float64(was.Num) / float64(was.Den) / truth}
		now, err := d.Steps(rig.MM)
		if err != nil || math.Abs(float64(now.Num)/float64(now.Den)/truth-1) > 1e-6 {
			t.Fatalf("%+v: %v, %v, want %g", d, now, err, truth)
		}
	}
}

func TestMeasure(t *testing.T) {
	a := fixture.Slider().Axes[0]
	a.Drive = &rig.Drive{MotorSteps: 200, Microsteps: 8, Gear: rig.Ratio{Num: 1, Den: 1}, Teeth: 32, PitchUM: 2000}
	for _, c := range []struct {
		asked, moved float64
		says         string
		suspects     bool
	}{
		{1000, 2003, "One thing explains it: 4 microsteps, not 8.", true}, {6000, 6000.3, "right to a ten-thousandth",
			false}, {1000, 997, "0.30 % off, as belts stretch and wheels wear, and read to 0.5 mm, this tells 0.05 %",
			false},
		{1000, 1000.05, "right as far as this tells: read to 0.5 mm, this tells 0.05 %. Over 5000 mm", false}, {10,
			10.2, "right as far as this tells: read to 0.5 mm, this tells 4.9 %", false},
		{1000, -1000, "One thing explains it: its direction is reversed.", true}, {1000, 1070,
			"nothing usual explains it", false},
	} {
		m, err := a.Measure(c.asked, c.moved)
		if err != nil || !strings.Contains(m.Says, c.says) || (len(m.Suspects) > 0) != c.suspects ||
			math.Abs(m.Measured-25*c.asked/c.moved) > 1e-9 || m.Stated != 25 {
			t.Errorf("%g for %g: %+v, %v; want %q", c.moved, c.asked, m, err, c.says)
		}
	}
	// Kept, and measured again: the correction of the correction.
	truth := 24.3
	for n := range 3 {
		stated := float64(a.StepsPerUnit.Num) / float64(a.StepsPerUnit.Den)
		m, err := a.Measure(1200, 1200*stated/truth*(1+0.0001*float64(n)))
		if err != nil {
			t.Fatal(err)
		}
		a.Drive = m.Drive
		if a.StepsPerUnit, err = a.Drive.Steps(a.Unit); err != nil {
			t.Fatal(err)
		}
		if got := float64(a.StepsPerUnit.Num) / float64(a.StepsPerUnit.Den); math.Abs(got*(1+0.0001*float64(n))/
			truth-1) > 1e-6 {
			t.Errorf("measured %d times it has %g steps, in truth %g", n+1, got, truth)
		}
	}
	for _, bad := range [][2]float64{{0, 1}, {1, 0}, {math.NaN(), 1}, {1, math.Inf(1)}, {1e7, 1}} {
		if _, err := a.Measure(bad[0], bad[1]); err == nil {
			t.Errorf("%v: accepted", bad)
		}
	}
	a.Drive = nil
	if m, err := a.Measure(1000, 2000); err != nil || m.Drive != nil || len(m.Suspects) != 0 {
		t.Errorf("without a drive: %+v, %v", m, err)
	}
}

func TestDriveBounds(t *testing.T) {
	one := rig.Ratio{Num: 1, Den: 1}
	for name, c := range map[string]struct {
		d  rig.Drive
		ok bool
	}{
		"least":               {rig.Drive{MotorSteps: 1, Microsteps: 1, Gear: one, LeadUM: 1000}, true},
		"many steps":          {rig.Drive{MotorSteps: 1e7, Microsteps: 1, Gear: one, LeadUM: 1e6}, true},
		"too many steps":      {rig.Drive{MotorSteps: 1e7 + 1, Microsteps: 1, Gear: one, LeadUM: 1e6}, false},
		"microsteps":          {rig.Drive{MotorSteps: 200, Microsteps: 4096, Gear: one, LeadUM: 1e6}, true},
		"too many microsteps": {rig.Drive{MotorSteps: 200, Microsteps: 4097, Gear: one, LeadUM: 1e6}, false},
		"gear": {rig.Drive{MotorSteps: 1, Microsteps: 1, Gear: rig.Ratio{Num: 1e9, Den: 1e9},
			LeadUM: 1000}, true}, "gear num": {rig.Drive{MotorSteps: 1, Microsteps: 1,
			Gear: rig.Ratio{Num: 1e9 + 1, Den: 1e9}, LeadUM: 1000}, false}, "gear den": {rig.Drive{MotorSteps: 1,
			Microsteps: 1, Gear: rig.Ratio{Num: 1, Den: 0}, LeadUM: 1000}, false},
		"gear den large": {rig.Drive{MotorSteps: 1, Microsteps: 1, Gear: rig.Ratio{Num: 1e9, Den: 1e9 + 1},
			LeadUM: 1000}, false},
		"lead":           {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, LeadUM: 1e6}, true},
		"long lead":      {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, LeadUM: 1e6 + 1}, false},
		"teeth":          {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: 10_000, PitchUM: 1}, true},
		"too many teeth": {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: 10_001, PitchUM: 1}, false},
		"pitch":          {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: 1, PitchUM: 1e6}, true},
		"long pitch":     {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: 1, PitchUM: 1e6 + 1}, false},
		"negative teeth": {rig.Drive{MotorSteps: 200, Microsteps: 1, Gear: one, Teeth: -1, PitchUM: 1}, false},
	} {
		if _, err := c.d.Steps(rig.MM); (err == nil) != c.ok {
			t.Errorf("%s: %v", name, err)
		}
	}
	turn := rig.Drive{MotorSteps: 200, Microsteps: 4, Gear: one}
	if _, err := turn.Steps(rig.Deg); err != nil {
		t.Error(err)
	}
	turn.Teeth = 3
	if _, err := turn.Steps(rig.Deg); err == nil {
		t.Error("a turning axis with teeth")
	}
	if !math.IsNaN(turn.Turn(rig.Deg)) {
		t.Error("a turn of what is no drive")
	}
	if _, err := (&rig.Drive{LeadUM: -8000, MotorSteps: 200, Microsteps: 1, Gear: one}).Steps(rig.MM); err == nil ||
		!strings.Contains(err.Error(), "a lead of -8 mm") {
		t.Errorf("%v", err)
	}
	screw := rig.Drive{MotorSteps: 200, Microsteps: 16, Gear: one, LeadUM: 8000}
	for r, off := range map[float64]float64{-1: 0, -1.004: 0.004, -0.997: 0.003} {
		s := screw.Suspects(r)
		if len(s) != 1 || math.Abs(s[0].Off-off) > 1e-12 || s[0].Ratio != -1 || s[0].Drive == nil ||
			!s[0].Drive.Reversed {
			t.Errorf("%g: %+v", r, s)
		}
	}
	screw.Reversed = true
	if s := screw.Suspects(-1); len(s) != 1 || s[0].Drive.Reversed {
		t.Errorf("the other way of the other way: %+v", s)
	}
	if s := screw.Suspects(2.004); len(s) == 0 || math.Abs(s[0].Off-0.002) > 1e-9 || s[0].Ratio != 2 {
		t.Errorf("%+v", s)
	}
	// The nearest number of teeth is named, once.
	belt := rig.Drive{MotorSteps: 200, Microsteps: 16, Gear: one, Teeth: 60, PitchUM: 2000}
	n := 0
	for _, s := range belt.Suspects(60.0 / 59) {
		if strings.Contains(s.Says, "teeth, not") {
			if n++; s.Drive.Teeth != 59 {
				t.Errorf("%+v", s)
			}
		}
	}
	if n != 1 {
		t.Errorf("teeth are named %d times", n)
	}
	r := fixture.Slider()
	r.Axes[0].Drive = &rig.Drive{MotorSteps: 200, Microsteps: 8, Gear: one, Teeth: 32, PitchUM: 2000, MotorNM: -1}
	if err := r.Check(); err == nil || !strings.Contains(err.Error(), "motor_nm -1") {
		t.Errorf("%v", err)
	}
	r.Axes[0].Drive.MotorNM = 2
	if err := r.Check(); err != nil {
		t.Error(err)
	}
	r.Axes[0].Drive.Gear.Den = 0
	if err := r.Check(); err == nil || !strings.Contains(err.Error(), "gear: 1/0") {
		t.Errorf("%v", err)
	}
}
