package store

import (
	"bytes"
	"context"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
)

// LoadDemo puts The Salt Lantern with SL-010 and SL-030 into an empty database; one that
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
	p, err := exchange.PlanFromKeys(bytes.NewReader(examples.HarbourApproach), r, l, clock.Rate{Num: 24, Den: 1}, curve.Smooth)
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
	for i, x := range [][2]string{{"Keeper", "beauty, with actor"}, {"Clean plate", "set empty"}, {"Lamp on", "practical only"}, {"Fog, slow", "fog at a third of the speed"}, {"Matte", "card behind lamp"}} {
		f := int64(1)
		if i == 3 {
			f = 3
		}
		passes = append(passes, Pass{ID: journal.NewID(), Number: i + 1, Name: x[0], Note: x[1], Clock: clock.Times(clock.Rate{Num: 1, Den: f})})
	}
	sh := &Shot{ID: journal.NewID(), Code: "SL-010", Title: "Harbour approach", Machines: machines, Lens: l, Set: examples.Harbour()}
	if err := s.AddShot(ctx, prod.ID, sh, journal.Itself, p, passes); err != nil {
		return err
	}
	return s.demoShoot(ctx, prod.ID, machines)
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
			if err := s.KeepBalance(ctx, journal.Itself, p.ID, machine, r); err != nil {
				return err
			}
		}
	}
	return nil
}
