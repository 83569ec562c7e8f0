package web

import (
	"context"

	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/stage/act"
	"keenarc/stage/ready"
	"keenarc/store"
)

// FramesView is a shoot as the weave shows it.
type FramesView struct {
	Scheme   weave.Scheme   `json:"scheme"`
	Revision int64          `json:"revision"`
	Frames   []int          `json:"frames" doc:"those that have a picture of their own"`
	Rows     []FrameLayer   `json:"rows" doc:"a row of the weave per layer, in the scheme's order"`
	Now      *weave.Cell    `json:"now,omitempty" doc:"the cell that comes next; none: every one is taken"`
	Press    []weave.Cell   `json:"press" doc:"what one press exposes there"`
	Then     *weave.Cell    `json:"then,omitempty" doc:"where it goes on"`
	Last     *weave.Cell    `json:"last,omitempty" doc:"the cell that was exposed last"`
	Undo     string         `json:"undo,omitempty" doc:"what can be taken back, in words"`
	Unsure   []Unsure       `json:"uncertain"`
	Notes    map[int]string `json:"notes"`
	Spent    []weave.Spent  `json:"spent"`
	Pace     weave.Pace     `json:"pace"`
	Seal     *store.Seal    `json:"seal,omitempty" doc:"the path that the frames are taken on"`
	Newer    *NewerPath     `json:"newer,omitempty" doc:"a path that was sealed since, about which nobody has decided"`
	FPS      float64        `json:"fps"`
	Version  int64          `json:"version"`
}

// FrameLayer is one row of the weave.
type FrameLayer struct {
	weave.Layer
	Tally weave.Tally `json:"tally"`
	Cells []FrameCell `json:"cells" doc:"one for each of the frames"`
}

// FrameCell is one cell of the weave.
type FrameCell struct {
	State   weave.State `json:"state" enum:"outside,empty,taken,redo,stepped over,held,uncertain"`
	Picture string      `json:"picture,omitempty" doc:"of the exposure that stands"`
	Number  int         `json:"number,omitempty" doc:"which exposure stands"`
	Other   bool        `json:"other_path,omitempty" doc:"it was taken on another path than the frames are taken on now"`
}

// Unsure is an exposure that somebody must look at.
type Unsure struct {
	weave.Cell
	Exposure string     `json:"exposure"`
	Number   int        `json:"number"`
	Fate     weave.Fate `json:"fate"`
	Picture  string     `json:"picture,omitempty"`
	Why      string     `json:"why"`
}

// NewerPath is a path that was sealed after the frames were begun.
type NewerPath struct {
	Version int     `json:"version"`
	Short   string  `json:"short"`
	Frame   int     `json:"frame"`
	Px      float64 `json:"px" doc:"how far it differs at that frame, in pixels at the sensor"`
	WorstPx float64 `json:"worst_px" doc:"how far it differs from what was taken, at most"`
	Worst   int     `json:"worst_frame"`
}

// apart is by how many pixels two paths differ at a frame.
func apart(b *ready.Bench, d *ready.Desk, other *seal.Table, frame int) float64 {
	p, q := make([]float64, len(d.Rig.Axes)), make([]float64, len(d.Rig.Axes))
	if d.Table == nil || !(trace.Sealed{Table: d.Table}).AtFrame(p, frame) ||
		!(trace.Sealed{Table: other}).AtFrame(q, frame) {
		return 0
	}
	px, _, _ := b.Judge.Pixels(p, q)
	return round(px, 100)
}

func (s *Server) frames(ctx context.Context, b *ready.Bench, version int64) (*FramesView, error) {
	h := b.Shoot
	board := h.Board()
	v := &FramesView{Scheme: h.Scheme, Revision: h.Revision, Frames: h.Scheme.Frames(), Rows: []FrameLayer{},
		Press: []weave.Cell{}, Undo: h.Undo, Unsure: []Unsure{}, Notes: h.Notes, Spent: h.Spent,
		Pace:    board.Pace(h.Spent),
		Version: version}
	by := map[string]*journal.Exposure{}
	for i := range h.Exposures {
		by[h.Exposures[i].ID] = &h.Exposures[i]
	}
	for _, l := range h.Scheme.Layers {
		row := FrameLayer{Layer: l, Tally: board.Tally(l.ID), Cells: make([]FrameCell, len(v.Frames))}
		for i, f := range v.Frames {
			c := weave.Cell{Frame: f, Layer: l.ID}
			row.Cells[i].State = board.At(c)
			if e := board.Stands(c); e != nil {
				x := by[e.ID]
				row.Cells[i].Picture, row.Cells[i].Number, row.Cells[i].Other = x.Picture, e.Number, h.Seal != "" &&
					x.Seal != h.Seal
			}
		}
		v.Rows = append(v.Rows, row)
	}
	if c, ok := board.Now(h.Turn); ok {
		v.Now, v.Press = &c, board.Press(c)
		if then, ok := act.After(h, v.Press); ok {
			v.Then = &then
		}
	}
	if l := h.Last(); l != nil {
		v.Last = &l.Cell
	}
	for _, c := range board.Open() {
		e := by[board.Unsure(c).ID]
		v.Unsure = append(v.Unsure, Unsure{Cell: c, Exposure: e.ID, Number: e.Number, Fate: e.Fate, Picture: e.Picture,
			Why: e.Why})
	}
	return v, s.paths(ctx, b, v)
}

// paths adds which path the frames are taken on, and what a newer one would change.
func (s *Server) paths(ctx context.Context, b *ready.Bench, v *FramesView) error {
	seals, err := s.store.Seals(ctx, b.Shot)
	if err != nil {
		return err
	}
	id := b.Shoot.Seal
	if id == "" {
		id = b.SealID
	}
	for i := range seals {
		if seals[i].ID == id {
			v.Seal = &seals[i]
		}
	}
	if b.Desk.Table != nil {
		v.FPS = b.Desk.Table.Rate.Float()
	}
	if b.Newer == 0 {
		return nil
	}
	t, err := s.store.Table(ctx, b.SealID)
	if err != nil {
		return err
	}
	n := &NewerPath{Version: b.Newer, Px: b.NewerPx}
	for _, x := range seals {
		if x.ID == b.SealID {
			n.Short = x.Short
		}
	}
	if v.Now != nil {
		n.Frame = v.Now.Frame
	}
	seen := map[int]bool{}
	for _, e := range b.Shoot.Exposures {
		if e.Fate != weave.Kept || seen[e.Frame] {
			continue
		}
		seen[e.Frame] = true
		if px := apart(b, b.Desk, t, e.Frame); px >= n.WorstPx {
			n.WorstPx, n.Worst = px, e.Frame
		}
	}
	v.Newer = n
	return nil
}
