package exchange

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strings"
	"testing"
	"time"
)

func TestWriteFrames(t *testing.T) {
	at := time.Date(2026, 3, 4, 10, 5, 6, 0, time.UTC)
	rows := []FrameRow{
		{Frame: 0, Until: 2, Layer: "beauty", Exposure: 1, Picture: "a", Path: "9C41-07DE", Taken: at,
			Planned: []float64{540, 8}, Seen: []float64{540.01, 8}, Hands: 61.26, Machine: 4},
		{Frame: 2, Until: 4, Layer: "beauty", Exposure: 2, Picture: "b", Path: "9C41-07DE", Taken: at,
			Planned: []float64{541, 8}, Seen: []float64{541}},
		{Frame: 2, Until: 3, Layer: "Beauty!", Exposure: 1, Picture: "a", Taken: at},
		{Frame: -4, Until: 3, Layer: "../..", Exposure: 1, Picture: "a", Taken: at},
		{Frame: 5, Until: 6, Layer: "=1+1", Exposure: 1, Picture: "a", Taken: at},
	}
	picture := func(name string) ([]byte, error) { return []byte("png " + name), nil }
	var b bytes.Buffer
	if err := WriteFrames(&b, "SL/030", []string{"plank/track", "plank/pan"}, rows, picture); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		raw, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		files[f.Name] = string(raw)
	}
	for name, want := range map[string]string{"beauty/SL-030_beauty_0000.png": "png a",
		"beauty/SL-030_beauty_0002.png": "png b", "Beauty-2/SL-030_Beauty-2_0002.png": "png a",
		"layer/SL-030_layer_-004.png": "png a"} {
		if files[name] != want {
			t.Errorf("%s: %q", name, files[name])
		}
	}
	lines, err := csv.NewReader(strings.NewReader(files["frames.csv"])).ReadAll()
	if err != nil || len(lines) != 6 || len(z.File) != 6 {
		t.Fatalf("%v, %d lines, %d files", err, len(lines), len(z.File))
	}
	if got := strings.Join(lines[1], "|"); got !=
		"0|2|beauty|1|beauty/SL-030_beauty_0000.png|9C41-07DE|2026-03-04T10:05:06Z|"+
			"61.3|4.0|540.000000|540.010000|8.000000|8.000000" {
		t.Error(got)
	}
	if lines[5][2] != "'=1+1" { // no program takes it for a formula
		t.Errorf("a layer: %q", lines[5][2])
	}
	if got := strings.Join(lines[2][9:], "|"); got != "541.000000|541.000000|8.000000|" {
		t.Error(got)
	}
	if strings.Join(lines[0], ",") !=
		"frame,until,layer,exposure,file,path,taken_at,hands_s,machine_s,"+
			"plank/track_planned,plank/track_seen,plank/pan_planned,plank/pan_seen" {
		t.Error(lines[0])
	}
	lost := errors.New("gone")
	if err := WriteFrames(io.Discard, "x", nil, rows[:1], func(string) ([]byte, error) {
		return nil, lost
	}); !errors.Is(err, lost) || !strings.Contains(err.Error(), "0000 beauty") {
		t.Error(err)
	}
}
