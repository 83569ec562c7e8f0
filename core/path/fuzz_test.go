package path

import (
	"encoding/json"
	"testing"
)

// FuzzEdits: whatever edits come, each is refused or leaves a path that is in
// order, compiles and comes back from JSON the same.
func FuzzEdits(f *testing.F) {
	for _, s := range []string{
		`[{"op":"set","frame":9.5,"values":{"pan":1}},{"op":"move","axis":"pan","frame":9.5,"to":-3,"values":{` +
			`"pan":2}}]`,
		`[{"op":"kind","axis":"pan","kind":"hold"},{"op":"segment","axis":"track","index":1,"kind":"akima"},{` +
			`"op":"delete","frame":50}]`,
		`[{"op":"room","frame":0,"frames":9},{"op":"run","run_up":20,"run_out":999},{"op":"factor","factor":{"num":1,` +
			`"den":3}}]`,
		`[{"op":"replace","tracks":[{"axis":"pan","kind":"linear","blend":5,"keys":[{"frame":1,"value":2},{"frame":3,` +
			`"value":4}]}]},{"op":"base","values":{"roll":1}}]`,
		`[{"op":"replace","tracks":[{"axis":"pan","segments":{"-1":"hold","7":"x"},"keys":null}]}]`,
	} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		var edits []Edit
		if json.Unmarshal(raw, &edits) != nil {
			return
		}
		p, r := plan(t, set(0, map[string]float64{"track": 100, "pan": 1}), set(50, map[string]float64{"track": 400}),
			set(90, map[string]float64{"track": 700, "pan": -4}))
		for _, e := range edits[:min(len(edits), 8)] {
			_ = e.Words()
			q, err := p.Apply(r, e)
			if err != nil {
				continue
			}
			if first, last, ok := q.Span(); ok && last-first < 3000 {
				check(t, q, r)
			}
			p = q
		}
	})
}
