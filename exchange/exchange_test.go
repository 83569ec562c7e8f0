package exchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"math"
	"strconv"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/examples"
)

func scale(t testing.TB) *lens.Scale {
	t.Helper()
	s, err := examples.Camera().Scale()
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func plank(t testing.TB) *rig.Rig {
	t.Helper()
	r, err := rig.Join(examples.Plank())
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestReadsAllForms(t *testing.T) {
	r := plank(t)
	want := []path.Key{{Frame: 0, Value: 120}, {Frame: 70.5, Value: 520}}
	for name, text := range map[string]string{
		"plain":      "frame,track_mm\n0,120\n70.5,520\n",
		"CRLF":       "frame,track_mm\r\n0,120\r\n70.5,520\r\n",
		"mark":       "\xef\xbb\xbfframe,track_mm\n0,120\n70.5,520\n",
		"quoted":     "\"frame\",\"track_mm\"\n\"0\",\"120\"\n\"70.5\",\"520\"\n",
		"no last LF": "frame,track_mm\n0,120\n70.5,520",
		"spaces":     " frame , track_mm \n 0 , 120 \n70.5, 520\n\n",
		"any order":  "track_mm,frame\n520,70.5\n120,0\n",
		"capitals":   "Frame,Track_mm\n0,120\n70.5,520\n",
	} {
		tracks, err := ReadKeys(strings.NewReader(text), r, nil)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if len(tracks[0].Keys) != 2 || tracks[0].Keys[0] != want[0] || tracks[0].Keys[1] != want[1] {
			t.Errorf("%s: %v", name, tracks[0].Keys)
		}
	}
	tracks, err := ReadKeys(strings.NewReader("frame,pan_deg,focus_m\n0,,1.1\n10,4,\n"), r, scale(t))
	if err != nil || len(tracks) != 2 || tracks[0].Axis != "plank/pan" || len(tracks[0].Keys) != 1 || tracks[1].Axis !=
		"plank/focus" || tracks[1].Keys[0].Value != 135 {
		t.Errorf("empty cells and distances: %v, %v", tracks, err)
	}
}

func TestMistakesNameTheirPlace(t *testing.T) {
	r := plank(t)
	for name, c := range map[string]struct {
		text   string
		line   int
		column string
		want   string
	}{
		"empty":         {"", 0, "", "empty"},
		"picture":       {"\x89PNG\r\n\x1a\n\x00\x00", 0, "", "not text"},
		"no frame":      {"track_mm,pan_deg\n1,2\n", 1, "1", "no column called frame"},
		"only frame":    {"frame\n1\n", 1, "2", "no axis"},
		"unknown axis":  {"frame,boom_deg\n0,1\n", 1, "2", "not a column"},
		"wrong unit":    {"frame,track_deg\n0,1\n", 1, "2", "not a column"},
		"twice":         {"frame,pan_deg,pan_deg\n0,1,1\n", 1, "3", "twice"},
		"word":          {"frame,pan_deg\n0,1\n5,left\n", 3, "pan_deg", "not a number"},
		"NaN":           {"frame,pan_deg\n0,NaN\n", 2, "pan_deg", "not a number"},
		"same frame":    {"frame,pan_deg\n5,1\n5,2\n", 3, "pan_deg", "already, on line 2"},
		"outside":       {"frame,track_mm\n0,9000\n", 2, "track_mm", "soft limits"},
		"ten million":   {"frame,track_mm\n10000000,100\n", 2, "frame", "longest move"},
		"cells":         {"frame,track_mm\n0,100,3\n", 2, "", "3 cells"},
		"quote":         {"frame,track_mm\n0,\"1\"00\n", 2, "5", "quotation"},
		"no keyframe":   {"frame,track_mm\n", 0, "", "no keyframe"},
		"zero distance": {"frame,focus_m\n0,0\n", 2, "focus_m", "outside the focus scale"},
		"beyond":        {"frame,focus_m\n0,300\n", 2, "focus_m", "outside the focus scale"},
	} {
		_, err := ReadKeys(strings.NewReader(c.text), r, scale(t))
		var pe *PlaceError
		if !errors.As(err, &pe) || pe.Line != c.line || pe.Column != c.column ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want line %d column %q with %q", name, err, c.line, c.column, c.want)
		}
	}
	if _, err := ReadKeys(zeros{}, r, nil); err == nil || !strings.Contains(err.Error(), "16 MiB") {
		t.Errorf("an endless file: %v", err)
	}
}

// zeros never ends.
type zeros struct{}

func (zeros) Read(b []byte) (int, error) {
	for i := range b {
		b[i] = '0'
	}
	return len(b), nil
}

// Import of export gives the path back.
func TestPathThereAndBack(t *testing.T) {
	r := plank(t)
	tracks, err := ReadKeys(bytes.NewReader(examples.HarbourApproach), r, scale(t))
	if err != nil {
		t.Fatal(err)
	}
	p, err := path.New(r, clock.Rate{Num: 24, Den: 1}, nil).Apply(r, path.Edit{Op: "replace", Tracks: tracks})
	if err != nil {
		t.Fatal(err)
	}
	m, err := path.Compile(p, r)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := WritePath(&b, p, m, r); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&b).ReadAll()
	if err != nil || len(rows) != 242 || strings.Join(rows[0], ",") !=
		"frame,t_s,track_mm,pan_deg,tilt_deg,roll_deg,focus_deg" {
		t.Fatalf("%v, %d rows, header %v", err, len(rows), rows[0])
	}
	if rows[71][0] != "70" || rows[71][2] != "520.000000" || rows[71][3] != "9.000000" {
		t.Errorf("frame 70: %v", rows[71])
	}
	if s, _ := strconv.ParseFloat(rows[25][1], 64); s != 1 {
		t.Errorf("frame 24 is at %g s", s)
	}
}

func TestWriteTrace(t *testing.T) {
	r := plank(t)
	tr := &trace.Trace{Tick: 500, Axes: []string{"track"}, Units: []rig.Ratio{{Num: 25, Den: 1}},
		Pos: []clock.Pos{0, clock.At(0.5)}, Steps: [][]int32{{0, 25 * 256 * 3}}}
	var b bytes.Buffer
	if err := WriteTrace(&b, tr, r); err != nil {
		t.Fatal(err)
	}
	if want := "tick_ms,t_s,frame,track_mm\n500,0.000,0.000000,0.000000\n501,0.001,0.500000,3.000000\n"; b.String() !=
		want {
		t.Errorf("%q", b.String())
	}
}

func FuzzReadKeys(f *testing.F) {
	f.Add(string(examples.HarbourApproach))
	f.Add("\xef\xbb\xbfframe,track_mm\r\n\"0\",120\r\n")
	f.Add("frame,pan_deg,pan_deg\n\"\"\"")
	r := plank(f)
	s := scale(f)
	f.Fuzz(func(t *testing.T, text string) {
		tracks, err := ReadKeys(strings.NewReader(text), r, s)
		if err != nil {
			return
		}
		p, err := path.New(r, clock.Rate{Num: 24, Den: 1}, nil).Apply(r,
			path.Edit{Op: "replace", Tracks: kinded(tracks)})
		if err != nil {
			return
		}
		for _, tr := range p.Tracks {
			for _, k := range tr.Keys {
				if math.IsNaN(k.Value) || math.IsNaN(k.Frame) {
					t.Errorf("%q lets NaN in", text)
				}
			}
		}
	})
}

func kinded(tracks []path.Track) []path.Track {
	for i := range tracks {
		tracks[i].Kind = curve.Smooth
	}
	return tracks
}
