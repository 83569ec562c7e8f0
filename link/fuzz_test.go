package link

import (
	"encoding/json"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/seal"
)

// FuzzHear: whatever a rig sends, a line is a reply, one event, or nothing, and
// the rows in it unpack or are refused.
func FuzzHear(f *testing.F) {
	rows, err := json.Marshal(Event{Rows: PackRows("t", 9, 100, []clock.Pos{1, 2}, [][]int32{{1, 2}, {3, 4}})})
	if err != nil {
		f.Fatal(err)
	}
	f.Add([]byte(`{"re":1,"ok":true,"epoch":7,"rig":{"id":"plank","axes":[]}}`), 1)
	f.Add([]byte(`{"state":{"n":1,"mode":"idle","pos":{"a":1}}}`), 2)
	f.Add([]byte(`{"take":{"take":"x","rows":3,"frame":1e308}}`), 2)
	f.Add(rows, 2)
	f.Fuzz(func(t *testing.T, line []byte, axes int) {
		m, ok := hear(line)
		if ok != (m.Re != 0 || m.State != nil || m.Rows != nil || m.Take != nil) || ok && !json.Valid(line) {
			t.Errorf("%q is taken for %+v", line, m)
		}
		if m.Re != 0 && !m.OK && json.Unmarshal(line, &heard{}) != nil && m.Why == "" {
			t.Errorf("%q is a reply that says nothing", line)
		}
		if !ok || m.Rows == nil {
			return
		}
		axes %= 64
		pos, steps, err := m.Rows.Unpack(axes)
		if err != nil {
			return
		}
		if len(steps) != axes || m.Rows.From < 0 {
			t.Fatalf("%d columns for %d axes from row %d", len(steps), axes, m.Rows.From)
		}
		for _, col := range steps {
			if len(col) != len(pos) {
				t.Fatalf("%d rows beside %d positions", len(col), len(pos))
			}
		}
	})
}

// FuzzRead: whatever an application sends, a line is a word that reads back as itself, or an
// error; nothing else.
func FuzzRead(f *testing.F) {
	f.Add([]byte(`{"id":1,"do":"goto","epoch":2,"boot":"b","stops":1,"to":{"track":700}}`))
	f.Add([]byte(`{"do":"beat","press":"p","epoch":1}`))
	f.Add([]byte(`{"id":3,"do":"load","part":0,"of":1,"bytes":"AAAA"}`))
	f.Fuzz(func(t *testing.T, line []byte) {
		id, w, err := Read(line)
		if err != nil {
			return
		}
		again, err := Line(id, w)
		if err != nil {
			t.Fatalf("%q reads and cannot be written: %v", line, err)
		}
		if id2, w2, err := Read(again); err != nil || id2 != id || w2.Do() != w.Do() {
			t.Fatalf("%q comes back as %q: %v", line, again, err)
		}
	})
}

// FuzzTable: a table as it comes over the wire, unpacked and read.
func FuzzTable(f *testing.F) {
	s, err := PackTable([]byte("keenarc-seal-1\nnot a table"))
	if err != nil {
		f.Fatal(err)
	}
	f.Add(s)
	f.Add([]byte("(\xb5/\xfd\x00X\x00\x00\x00"))
	f.Add([]byte("!"))
	f.Fuzz(func(t *testing.T, s []byte) {
		raw, err := UnpackTable(s)
		if err != nil {
			return
		}
		if tab, err := seal.Decode(raw); err == nil {
			for i := range tab.Steps {
				for _, p := range []clock.Pos{-1 << 62, 0, clock.Pos(tab.First) << 32, 1<<62 + 12345} {
					tab.At(i, p)
				}
			}
		}
	})
}
