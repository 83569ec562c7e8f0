package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
)

// Film takes one picture of the demo's clock room as PNG: the rig with its axes at q, the
// hands' work as for a frame, the puppet in or out, the lamps at their levels.
type Film func(r *rig.Rig, q []float64, frame int, puppet bool, lamps map[string]float64) ([]byte, error)

// demoShoot adds SL-030, taken frame by frame: two exposures on twos, and a clean plate.
func (s *Store) demoShoot(ctx context.Context, production string, machines []rig.Placed) error {
	l := examples.BenchCamera()
	r, err := rig.Join(machines)
	if err != nil {
		return err
	}
	p, err := exchange.PlanFromKeys(bytes.NewReader(examples.KeeperWinds), r, l, clock.Rate{Num: 24, Den: 1},
		curve.Smooth)
	if err != nil {
		return err
	}
	sh := &Shot{ID: journal.NewID(), Code: "SL-030", Title: "Keeper winds the clock", Machines: machines, Lens: l,
		Set: examples.ClockRoom()}
	passes := []Pass{{ID: journal.NewID(), Number: 1, Name: "Rehearsal", Note: "at speed, nothing taken",
		Clock: clock.Times(clock.Rate{Num: 1, Den: 1})}}
	if err := s.AddShot(ctx, production, sh, journal.Itself, p, passes); err != nil {
		return err
	}
	t, b, err := seal.Make(ctx, p, machines)
	if err != nil {
		return err
	}
	if _, err := s.AddSeal(ctx, journal.NewID(), sh.ID, 0, journal.Itself, t, b, ""); err != nil {
		return err
	}
	layer := func(n int, name, note string, puppet, apart bool, to, ms int, lamps map[string]float64) weave.Layer {
		return weave.Layer{ID: journal.NewID(), Number: n, Name: name, Note: note, Lamps: lamps, Puppet: puppet,
			Apart: apart, From: 0, To: to, MS: ms}
	}
	scheme := &weave.Scheme{First: 0, Last: 96, Holds: []weave.Hold{{From: 0, Every: 2}}, AskM: 0.025, Share: 0.2,
		Layers: []weave.Layer{
			layer(1, "beauty", "key 100, table lamp 60", true, false, 96, 500,
				map[string]float64{"key": 1, "lamp": 0.6}),
			layer(2, "rim", "rim 80 only", true, false, 96, 800, map[string]float64{"rim": 0.8}),
			layer(3, "clean plate", "puppet out", false, true, 24, 500, map[string]float64{"key": 1, "lamp": 0.6}),
		}}
	notes := map[int]string{}
	for f := 0; f < 96; f += 2 {
		notes[f] = demoNote(f)
	}
	return s.AddShoot(ctx, journal.Itself, sh.ID, scheme, notes)
}

func demoNote(frame int) string {
	text := "Key on by 30°. Weight down 2 mm."
	switch {
	case frame%24 == 0:
		text = "Key at the top. Weight down 2 mm. Hand opens and takes hold again."
	case frame%12 == 6:
		text = "Key on by 30°. Weight down 2 mm. He nods; lids half."
	}
	if frame >= 60 {
		text += " Lean back a little."
	}
	return text
}

// DemoPictures takes the first half of SL-030, where nothing of it was taken yet, with one
// frame taken twice and one exposure left uncertain. It says on out what it does, since it
// takes a while.
func (s *Store) DemoPictures(ctx context.Context, film Film, out io.Writer) error {
	var shot, sealed string
	var n int
	err := s.Pool.QueryRow(ctx,
		`SELECT h.shot_id::text, x.id::text, (SELECT count(*) FROM exposures e WHERE e.shot_id = h.shot_id)
		FROM shoots h JOIN shots s ON s.id = h.shot_id JOIN seals x ON x.shot_id = s.id WHERE s.code = 'SL-030'
		AND x.revision >= 0 ORDER BY x.version LIMIT 1`).Scan(&shot, &sealed, &n)
	if errors.Is(err, pgx.ErrNoRows) || err == nil && n > 0 {
		return nil
	}
	if err != nil {
		return err
	}
	sh, err := s.Shot(ctx, shot)
	if err != nil {
		return err
	}
	h, err := s.Shoot(ctx, shot)
	if err != nil {
		return err
	}
	t, err := s.Table(ctx, sealed)
	if err != nil {
		return err
	}
	fmt.Fprintln(out, "taking the pictures of SL-030 that are there already …")
	d := &demoTaker{s: s, film: film, shot: sh, seal: sealed, table: t, scheme: &h.Scheme,
		rng: rand.New(rand.NewPCG(3, 30))}
	d.at = time.Now().Add(-4*time.Hour - 10*time.Minute)
	beauty, rim, clean := h.Scheme.Layers[0].ID, h.Scheme.Layers[1].ID, h.Scheme.Layers[2].ID
	for f := 0; f < 24; f += 2 {
		d.frame(ctx, f, 8, weave.Cell{Frame: f, Layer: clean})
	}
	for f := 0; f < 48; f += 2 {
		hands := 240 + 150*d.rng.Float64()
		if f%18 == 12 {
			hands *= 1.9
		}
		d.frame(ctx, f, hands, weave.Cell{Frame: f, Layer: beauty}, weave.Cell{Frame: f, Layer: rim})
		if f == 26 {
			d.frame(ctx, f, 90, weave.Cell{Frame: f, Layer: beauty}, weave.Cell{Frame: f, Layer: rim})
		}
	}
	if d.err == nil {
		_, d.err = s.exec(ctx,
			`UPDATE exposures SET fate = 'uncertain', why = 'the power of the rig went while it was exposed'
				WHERE shot_id = $1 AND layer = $2 AND frame = 30`, shot, rim)
	}
	if d.err == nil {
		d.err = s.Pin(ctx, shot, sealed)
	}
	if d.err == nil {
		_, d.err = s.exec(ctx, `UPDATE turns SET turn = $2 WHERE shot_id = $1`, shot,
			weave.Turn{At: weave.Cell{Frame: 46, Layer: beauty}, Marks: []weave.Mark{}})
	}
	return d.err
}

// demoTaker takes frames one after another, each at its time of the day.
type demoTaker struct {
	s      *Store
	film   Film
	shot   *Shot
	seal   string
	table  *seal.Table
	scheme *weave.Scheme
	rng    *rand.Rand
	at     time.Time
	err    error
}

func (d *demoTaker) step(ctx context.Context, frame int, p weave.Phase, seconds float64) {
	if d.err == nil {
		_, d.err = d.s.exec(ctx, `INSERT INTO frame_steps (shot_id, frame, phase, at) VALUES ($1, $2, $3, $4)`,
			d.shot.ID, frame, p, d.at)
	}
	d.at = d.at.Add(time.Duration(seconds * float64(time.Second)))
}

func (d *demoTaker) frame(ctx context.Context, frame int, hands float64, cells ...weave.Cell) {
	d.step(ctx, frame, weave.Going, 6+3*d.rng.Float64())
	d.step(ctx, frame, weave.Settling, 1.1)
	d.step(ctx, frame, weave.Still, hands)
	for _, c := range cells {
		if d.err == nil {
			d.err = d.take(ctx, c)
		}
	}
	d.step(ctx, frame, weave.Away, 0)
}

func (d *demoTaker) take(ctx context.Context, c weave.Cell) error {
	l, r := d.scheme.Layer(c.Layer), d.shot.Rig
	q := make([]float64, len(r.Axes))
	if !(trace.Sealed{Table: d.table}).AtFrame(q, c.Frame) {
		return fmt.Errorf("frame %d is not on the sealed path", c.Frame)
	}
	pose := map[string]float64{}
	for i, a := range r.Axes {
		// As homing and slack would have it, well under a step's worth.
		q[i] += d.rng.NormFloat64() * a.Repeatability / 12
		pose[a.ID] = q[i]
	}
	png, err := d.film(r, q, c.Frame, l.Puppet, l.Lamps)
	if err != nil {
		return err
	}
	h, err := d.s.Shoot(ctx, d.shot.ID)
	if err != nil {
		return err
	}
	e := &journal.Exposure{Exposure: weave.Exposure{Cell: c, ID: journal.NewID(), Number: h.Board().Count(c) + 1},
		Shot: d.shot.ID, Seal: d.seal, Pose: pose, By: journal.Somebody, Machine: d.shot.Machines[0].Rig.ID}
	if err := d.s.Ask(ctx, e, h.Stands()); err != nil {
		return err
	}
	if err := d.s.Keep(ctx, e.ID, weave.Kept, "", png); err != nil {
		return err
	}
	// It was earlier today.
	began := d.at
	d.at = d.at.Add(time.Duration(l.MS)*time.Millisecond + 6*time.Second)
	if _, err := d.s.exec(ctx, `UPDATE exposures SET asked_at = $2, ended_at = $3 WHERE id = $1`, e.ID, began,
		d.at); err != nil {
		return err
	}
	_, err = d.s.exec(ctx,
		`UPDATE frame_steps SET at = CASE phase WHEN 'exposing' THEN $2::timestamptz ELSE $3::timestamptz END
			WHERE shot_id = $1 AND seq IN (SELECT seq FROM frame_steps WHERE shot_id = $1 ORDER BY seq DESC
			LIMIT 2)`, d.shot.ID, began, d.at)
	return err
}
