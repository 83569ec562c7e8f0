package store

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"testing"

	"keenarc/core/weave"
	"keenarc/journal"
)

func picture(t *testing.T, shade uint8) []byte {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 320, 180))
	for i := range 320 {
		m.SetRGBA(i, i%180, color.RGBA{shade, uint8(i), 9, 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// An exposure is written before and after; what is decided stays, and a cell with one
// that is open takes no other.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestExposures(t *testing.T) {
	ctx := t.Context()
	shelf, err := db.Shelf(ctx)
	if err != nil {
		t.Fatal(err)
	}
	id := ""
	for _, s := range shelf[0].Shots {
		if s.Weave {
			id = s.ID
		}
	}
	h, err := db.Shoot(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	seals, err := db.Seals(ctx, id)
	if err != nil || len(seals) == 0 {
		t.Fatalf("%v, %d seals", err, len(seals))
	}
	cell := weave.Cell{Frame: 4, Layer: h.Scheme.Layers[0].ID}
	number := 1
	ask := func() *journal.Exposure {
		return &journal.Exposure{Exposure: weave.Exposure{Cell: cell, ID: journal.NewID(), Number: number}, Shot: id,
			Seal: seals[0].ID, Pose: map[string]float64{"plank/pan": 1.5}, By: person("ann"), Machine: "plank",
			Boot: "b"}
	}
	one := ask()
	if err := db.Ask(ctx, one, h.Stands()); err != nil {
		t.Fatal(err)
	}
	if was, now := changed(t, shelf, id), changed(t, nil, id); !now.After(was) {
		t.Errorf("an exposure leaves the shot changed at %v, on the bookshelf %v", was, now)
	}
	if err := db.Ask(ctx, ask(), h.Stands()); !errors.Is(err, ErrOpen) {
		t.Errorf("a second one beside an open one: %v", err)
	}
	if list, err := db.Unknown(ctx); err != nil || len(list) != 1 || list[0].ID != one.ID || list[0].Boot != "b" ||
		list[0].Pose["plank/pan"] != 1.5 {
		t.Errorf("unknown: %+v, %v", list, err)
	}
	if err := db.Keep(ctx, one.ID, weave.Kept, "", []byte("no picture")); err == nil {
		t.Error("what is no picture is kept")
	}
	raw := picture(t, 40)
	for range 2 {
		if err := db.Keep(ctx, one.ID, weave.Kept, "", raw); err != nil {
			t.Fatal(err)
		}
	}
	if err := db.Became(ctx, one.ID, weave.Failed, "never"); !errors.Is(err, journal.ErrDecided) {
		t.Errorf("decided anew: %v", err)
	}
	if err := db.Keep(ctx, one.ID, weave.Kept, "", picture(t, 41)); !errors.Is(err, journal.ErrDecided) {
		t.Errorf("another picture of it: %v", err)
	}
	if err := db.Keep(ctx, journal.NewID(), weave.Kept, "", raw); !errors.Is(err, journal.ErrUnknown) {
		t.Errorf("a picture of nothing: %v", err)
	}
	// The number that was expected, and no other: another application may have taken it.
	if err := db.Ask(ctx, ask(), h.Stands()); !errors.Is(err, journal.ErrElse) {
		t.Errorf("number 1 a second time: %v", err)
	}
	number = 2
	e, err := db.Exposed(ctx, one.ID)
	if err != nil || e.Fate != weave.Kept || e.Picture == "" || e.EndedAt == nil || e.By.Name != "ann" {
		t.Fatalf("%+v, %v", e, err)
	}
	if b, err := db.Picture(ctx, e.Picture); err != nil || !bytes.Equal(b, raw) {
		t.Errorf("the picture: %v", err)
	}
	small, err := db.Thumbnail(ctx, e.Picture)
	if err != nil {
		t.Fatal(err)
	}
	if c, err := png.DecodeConfig(bytes.NewReader(small)); err != nil || c.Width != ThumbWidth || c.Height != 90 {
		t.Errorf("the thumbnail is %d × %d, %v", c.Width, c.Height, err)
	}
	if _, err := db.Picture(ctx, "none"); !errors.Is(err, ErrNotFound) {
		t.Errorf("no picture: %v", err)
	}
	if _, err := db.Exposed(ctx, journal.NewID()); !errors.Is(err, journal.ErrUnknown) {
		t.Errorf("no exposure: %v", err)
	}
	// Commands are taken back while nothing was exposed since, and no further.
	turn := func(frame int) error {
		return db.Turn(ctx, person("ann"), id, "to a frame", func(*journal.Shoot) (weave.Turn, error) {
			return weave.Turn{At: weave.Cell{Frame: frame, Layer: cell.Layer}}, nil
		})
	}
	if err := errors.Join(turn(10), turn(20)); err != nil {
		t.Fatal(err)
	}
	at := func() int {
		t.Helper()
		h, err := db.Shoot(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return h.Turn.At.Frame
	}
	if words, err := db.UndoTurn(ctx, person("ann"), id); err != nil || words != "to a frame" || at() != 10 {
		t.Errorf("%q, %v, at %d", words, err, at())
	}
	two := ask()
	if err := db.Ask(ctx, two, h.Stands()); !errors.Is(err, journal.ErrElse) {
		t.Errorf("asked for on a turn that is over: %v", err)
	}
	if h, err = db.Shoot(ctx, id); err != nil {
		t.Fatal(err)
	}
	was := h.Stands()
	if err := db.SetScheme(ctx, person("ann"), id, h.Revision, &h.Scheme); err != nil {
		t.Fatal(err)
	}
	if err := db.Ask(ctx, two, was); !errors.Is(err, journal.ErrElse) {
		t.Errorf("asked for on a scheme that is over: %v", err)
	}
	if h, err = db.Shoot(ctx, id); err != nil {
		t.Fatal(err)
	}
	if err := db.Ask(ctx, two, h.Stands()); err != nil {
		t.Fatal(err)
	}
	if _, err := db.UndoTurn(ctx, person("ann"), id); !errors.Is(err, ErrNothingBack) || at() != 10 {
		t.Errorf("taken back though it was exposed since: %v, at %d", err, at())
	}
	if err := db.Became(ctx, two.ID, weave.Failed, "cut"); err != nil {
		t.Fatal(err)
	}
	if err := db.SetScheme(ctx, person("ann"), id, h.Revision+5, &h.Scheme); !errors.Is(err, ErrStale) {
		t.Errorf("an old scheme: %v", err)
	}
	// A night between two steps is no time of anybody's.
	for _, p := range []weave.Phase{weave.Going, weave.Still} {
		if err := db.Phase(ctx, id, 60, p); err != nil {
			t.Fatal(err)
		}
	}
	for range 2 {
		if err := db.Interrupted(ctx); err != nil {
			t.Fatal(err)
		}
	}
	var away int
	if err := db.Pool.QueryRow(ctx, `SELECT count(*) FROM frame_steps WHERE shot_id = $1 AND phase = 'away'`,
		id).Scan(&away); err != nil || away != 1 {
		t.Errorf("%d ends, %v", away, err)
	}
	h, err = db.Shoot(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range h.Spent {
		if s.Frame == 60 && s.Hands > 0 {
			t.Errorf("%+v", s)
		}
	}
}
