package store

import (
	"bytes"
	"context"
	"time"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
	"keenarc/core/site"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
)

// LoadDemo puts The Salt Lantern with SL-010, SL-020 and SL-030 into an empty database; one that
// has a production already is left alone.
func (s *Store) LoadDemo(ctx context.Context) error {
	var n int
	if err := s.Pool.QueryRow(ctx, `SELECT count(*) FROM productions`).Scan(&n); err != nil || n > 0 {
		return err
	}
	machines, l := examples.Plank(), examples.Camera()
	r, err := rig.Join(machines)
	if err != nil {
		return err
	}
	p, err := exchange.PlanFromKeys(bytes.NewReader(examples.HarbourApproach), r, l, clock.Rate{Num: 24, Den: 1},
		curve.Smooth)
	if err != nil {
		return err
	}
	prod := Production{ID: journal.NewID(), Number: 1, Title: "The Salt Lantern", Place: "Stage 2, Fennel Row Studios"}
	if err := s.AddProduction(ctx, prod); err != nil {
		return err
	}
	for _, r := range examples.Rigs() {
		if err := s.AddRig(ctx, r); err != nil {
			return err
		}
	}
	if err := s.demoPackages(ctx); err != nil {
		return err
	}
	passes := []Pass{}
	for i, x := range [][2]string{{"Keeper", "beauty, with actor"}, {"Clean plate", "set empty"},
		{"Lamp on", "practical only"}, {"Fog, slow", "fog at a third of the speed"}, {"Matte", "card behind lamp"}} {
		f := int64(1)
		if i == 3 {
			f = 3
		}
		passes = append(passes, Pass{ID: journal.NewID(), Number: i + 1, Name: x[0], Note: x[1],
			Clock: clock.Times(clock.Rate{Num: 1, Den: f})})
	}
	sh := &Shot{ID: journal.NewID(), Code: "SL-010", Title: "Harbour approach", Machines: machines, Lens: l,
		Set: examples.Harbour()}
	if err := s.AddShot(ctx, prod.ID, sh, journal.Itself, p, passes); err != nil {
		return err
	}
	if err := s.demoDays(ctx, sh.ID, sh.Code); err != nil {
		return err
	}
	if err := s.demoStair(ctx, prod.ID); err != nil {
		return err
	}
	return s.demoShoot(ctx, prod.ID, machines)
}

// demoStair adds SL-020 on the crane.
func (s *Store) demoStair(ctx context.Context, production string) error {
	machines, l := examples.Heron(), examples.Camera()
	r, err := rig.Join(machines)
	if err != nil {
		return err
	}
	p, err := exchange.PlanFromKeys(bytes.NewReader(examples.LanternStair), r, l, clock.Rate{Num: 24, Den: 1},
		curve.Smooth)
	if err != nil {
		return err
	}
	sh := &Shot{ID: journal.NewID(), Code: "SL-020", Title: "Lantern stair", Machines: machines, Lens: l,
		Set: examples.Stair()}
	passes := []Pass{{ID: journal.NewID(), Number: 1, Name: "Keeper", Note: "beauty, with actor",
		Clock: clock.Times(clock.Rate{Num: 1, Den: 1})}}
	if err := s.AddShot(ctx, production, sh, journal.Itself, p, passes); err != nil {
		return err
	}
	// The stage's only free socket is far away, on a thin cable.
	w := site.Propose(machines)
	w.Nodes[1].CableM, w.Nodes[1].SectionMM2, w.Nodes[1].MostW = 90, 1.5, 4000
	w.Nodes[0].Name = "Socket by the dock"
	if err := ChangeSite(ctx, s, journal.Itself, sh.ID, "power", func(p *site.Power) (string, error) {
		*p = *w
		return "", nil
	}); err != nil {
		return err
	}
	g := site.ProposeGround(machines[0].Rig)
	for k, h := range [][2]float64{{0, -2.5}, {-3, -4}, {-7.5, -6}, {-11, -13}, {-6, -9}, {-2, -4.5}, {-1.5, -1}} {
		g.Supports = append(g.Supports, site.Support{AtMM: float64(1000 * k), LeftMM: &h[0], RightMM: &h[1]})
	}
	g.Swing.RoomM = 2.4
	if err := ChangeSite(ctx, s, journal.Itself, sh.ID, "ground", func(x *site.Ground) (string, error) {
		*x = *g
		return "", nil
	}); err != nil {
		return err
	}
	return s.demoDays(ctx, sh.ID, sh.Code)
}

// demoDays adds the days that were set up before, from what the steps took, and today's
// running order as far as it is.
func (s *Store) demoDays(ctx context.Context, shot, code string) error {
	d := examples.DaysOf(code)
	begins := time.Now().Add(time.Duration(d.StartsIn) * time.Minute).Truncate(5 * time.Minute)
	keep := func(o site.Order) error {
		return ChangeSite(ctx, s, journal.Itself, shot, "order", func(x *site.Order) (string, error) {
			*x = o
			return o.Date, nil
		})
	}
	var took []site.Took
	for k, minutes := range d.Past {
		from := begins.AddDate(0, 0, k-len(d.Past))
		o := site.Order{Date: from.Format(time.DateOnly), Start: from.Format("15:04"), Setup: d.Setup,
			Steps: d.Setup.Begin(nil)}
		for i := range o.Steps {
			o.Steps[i].Minutes = minutes[o.Steps[i].Does]
			o.Steps[i].P80 = o.Steps[i].Minutes
		}
		v, err := o.Sheet(from, nil)
		if err != nil {
			return err
		}
		for i, x := range v.Course.Slots {
			began, ended := v.Begins.Add(minutesLong(x.From)), v.Begins.Add(minutesLong(x.To))
			o.Steps[i].Began, o.Steps[i].Ended = &began, &ended
		}
		took = append(took, o.Took()...)
		if err := keep(o); err != nil {
			return err
		}
	}
	o := site.Order{Date: begins.Format(time.DateOnly), Start: begins.Format("15:04"), Setup: d.Setup,
		Steps: d.Setup.Begin(site.Learn(took, d.Setup))}
	for i := range o.Steps {
		x := &o.Steps[i]
		if x.Does == site.Agree && d.Latest > 0 {
			x.Latest = begins.Add(time.Duration(d.Latest) * time.Minute).Format("15:04")
		}
		if t := d.Today[x.Does]; len(t) > 0 {
			began := begins.Add(minutesLong(t[0]))
			if x.Began = &began; len(t) > 1 {
				ended := begins.Add(minutesLong(t[1]))
				x.Ended = &ended
			}
		}
	}
	o.Keep()
	return keep(o)
}

func minutesLong(v float64) time.Duration {
	return time.Duration(v * float64(time.Minute)).Round(time.Second)
}

// demoPackages adds the demo's camera packages, balanced as they come.
func (s *Store) demoPackages(ctx context.Context) error {
	for _, x := range examples.Packages() {
		p := &journal.CameraPackage{ID: journal.NewID(), Name: x.Name, Lens: x.Lens, Load: x.Load}
		if err := p.Check(); err != nil {
			return err
		}
		if err := s.WritePackage(ctx, journal.Itself, p, 0); err != nil {
			return err
		}
		for machine, r := range x.On {
			r.Load = &x.Load
			if err := s.KeepBalance(ctx, journal.Itself, p.ID, machine, 0, r); err != nil {
				return err
			}
		}
	}
	return nil
}
