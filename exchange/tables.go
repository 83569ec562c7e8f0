package exchange

import (
	"bufio"
	"encoding/csv"
	"io"
	"strconv"

	"keenarc/core/clock"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/trace"
)

// WritePath writes the path as CSV: a row per frame from the start to the end
// of the run, with the time on the path's clock and every axis's position.
func WritePath(out io.Writer, p *path.Path, m *path.Motion, r *rig.Rig) error {
	head := []string{"frame", "t_s"}
	head = append(head, columnNames(r)...)
	w := csv.NewWriter(out)
	if err := w.Write(head); err != nil {
		return err
	}
	v := make([]float64, len(r.Axes))
	rec := make([]string, len(head))
	fps := p.Clock().FPS()
	for f := m.Start(); f <= m.End(); f++ {
		m.Values(v, float64(f))
		rec[0], rec[1] = strconv.Itoa(f), fixed(float64(f-m.First)/fps, 6)
		for i := range v {
			rec[2+i] = fixed(v[i], 6)
		}
		if err := w.Write(rec); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// WriteTrace writes a trace as CSV: a row per sample with the rig's own tick,
// seconds from the start of the run, the frame due and every measured position.
// Samples that are missing have no row: the tick goes on as the rig's did.
func WriteTrace(out io.Writer, t *trace.Trace, r *rig.Rig) error {
	b := bufio.NewWriter(out)
	w := csv.NewWriter(b)
	head := []string{"tick_ms", "t_s", "frame"}
	names := columnNames(r)
	for _, id := range t.Axes {
		if i := r.Find(id); i >= 0 {
			id = names[i]
		}
		head = append(head, id)
	}
	if err := w.Write(head); err != nil {
		return err
	}
	rec := make([]string, len(head))
	for k := range t.Pos {
		n := t.Row(k)
		ms := int64(n) * t.EveryMS()
		rec[0] = strconv.FormatInt(t.Tick+ms, 10)
		rec[1] = fixed(float64(ms)/trace.Hz, 3)
		rec[2] = fixed(clock.Pos(t.Pos[k]).Frame(), 6)
		for a := range t.Axes {
			rec[3+a] = fixed(t.Value(a, k), 6)
		}
		if err := w.Write(rec); err != nil {
			return err
		}
	}
	w.Flush()
	if err := w.Error(); err != nil {
		return err
	}
	return b.Flush()
}

func fixed(v float64, places int) string { return strconv.FormatFloat(v, 'f', places, 64) }
