package web

import (
	"strings"
	"sync"
	"testing"
)

// What is answered as the newest version is the newest: of edits and looks side by side none says
// the version that is there in the end and shows a plan from before it, or the page would stay on
// that for ever.
func TestAnOldPlanIsNoNewVersion(t *testing.T) {
	id := fresh(t, "SL-9R")
	type answer struct {
		Version, Revision int64
	}
	look := func(b string) (a answer) {
		t.Helper()
		if err := fromJSON(b, &a); err != nil {
			t.Error(err)
		}
		return a
	}
	for n := range 150 {
		var mu sync.Mutex
		var all []answer
		var wg sync.WaitGroup
		_, b := do("GET", "/api/shots/"+id, "")
		now := look(b)
		for w := range 4 {
			wg.Go(func() {
				var code int
				var b string
				if w < 2 {
					code, b = do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(int(now.Revision))+
						`,"window":"`+strings.Repeat("w", w+1)+`","edit":{"op":"set","frame":`+itoa(n)+`,"values":{"`+
						[]string{"pan", "tilt"}[w]+`":1}}}`)
				} else {
					code, b = do("GET", "/api/shots/"+id, "")
				}
				if code != 200 {
					t.Error(code, b)
					return
				}
				mu.Lock()
				all = append(all, look(b))
				mu.Unlock()
			})
		}
		wg.Wait()
		_, b = do("GET", "/api/shots/"+id, "")
		last := look(b)
		for _, a := range all {
			if a.Version == last.Version && a.Revision != last.Revision {
				t.Fatalf("revision %d is answered as version %d, which is revision %d", a.Revision, a.Version,
					last.Revision)
			}
		}
	}
}
