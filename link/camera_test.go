package link

import (
	"encoding/json"
	"testing"
)

// FuzzCameraAnswer: whatever a camera says, it answers what was asked or is passed over,
// and an answer that cannot be read is a refusal that says so.
func FuzzCameraAnswer(f *testing.F) {
	for _, s := range []string{`{"re":3,"ok":true,"camera":{"name":"x","width_px":960,"height_px":540,"version":1}}`,
		`{"re":3,"ok":false,"why":"full"}`, `{"re":2,"ok":true}`,
		`{"re":3,"png":"AAAA","sha256":"00"}`, `{"re":3,"png":7}`, `{"re":3,"is":{"state":"kept"}}`, `nonsense`,
		`{"re":"3"}`, ``} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, line []byte) {
		r, ok := hearCamera(line, 3)
		if ok != (ok && r.Re == 3) {
			t.Errorf("%q was taken for an answer to 3: %+v", line, r)
		}
		if ok && !r.OK && r.Why == "" && !json.Valid(line) {
			t.Errorf("%q is refused without a word", line)
		}
		if _, ok := hearCamera(line, 0); ok {
			t.Errorf("%q answers nothing and was taken", line)
		}
		if r.Camera != nil {
			_ = r.Camera.CheckPicture(r.PNG, r.SHA256)
		}
	})
}
