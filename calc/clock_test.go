package calc

import (
	"strings"
	"testing"
)

func TestTimecodeCalc(t *testing.T) {
	for q, want := range map[string]TimecodeAnswer{
		`{"rate":{"num":30000,"den":1001},"drop":true,"frame":1800}`:              {1800, "00:01:00;02"},
		`{"rate":{"num":30000,"den":1001},"drop":true,"timecode":"00:01:00;02"}`:  {1800, "00:01:00;02"},
		`{"rate":{"num":60000,"den":1001},"drop":true,"frame":3600}`:              {3600, "00:01:00;04"},
		`{"rate":{"num":30000,"den":1001},"frame":1800}`:                          {1800, "00:01:00:00"},
		`{"rate":{"num":24,"den":1},"timecode":"10:00:00:00"}`:                    {864000, "10:00:00:00"},
		`{"rate":{"num":25,"den":1},"frame":2160001}`:                             {2160001, "00:00:00:01"},
		`{"rate":{"num":30000,"den":1001},"drop":true,"frame":2589408}`:           {2589408, "00:00:00;00"},
		`{"rate":{"num":30000,"den":1001},"drop":true,"frame":-1}`:                {-1, "23:59:59;29"},
		`{"rate":{"num":60000,"den":1001},"drop":true,"timecode":"00:10:00;00"}`:  {35964, "00:10:00;00"},
		`{"rate":{"num":24000,"den":1001},"drop":false,"timecode":"23:59:59:23"}`: {2073599, "23:59:59:23"},
	} {
		if a := answer[TimecodeAnswer](t, "timecode", q); *a != want {
			t.Errorf("%s: %+v, want %+v", q, a, want)
		}
	}
	for want, q := range map[string]string{
		"00:01:00;02, the first of that minute": `{"rate":{"num":30000,"den":1001},"drop":true,` +
			`"timecode":"00:01:00;01"}`,
		`"field":"drop"`:                 `{"rate":{"num":24,"den":1},"drop":true,"frame":1}`,
		`"field":"rate"`:                 `{"rate":{"num":0,"den":1},"frame":1}`,
		"neither a frame nor a timecode": `{"rate":{"num":24,"den":1}}`,
		"or both":                        `{"rate":{"num":24,"den":1},"frame":1,"timecode":"00:00:00:01"}`,
		"do not agree":                   `{"rate":{"num":30000,"den":1001},"drop":true,"timecode":"00:01:00:01"}`,
		"00 to 23":                       `{"rate":{"num":24,"den":1},"timecode":"00:00:00:24"}`,
		"is no timecode":                 `{"rate":{"num":24,"den":1},"timecode":"noon"}`,
	} {
		if b, st := Run("timecode", []byte(q)); st != BadRequest || !strings.Contains(string(b), want) {
			t.Errorf("%s: %s", want, b)
		}
	}
}
