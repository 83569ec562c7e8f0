package exchange

import (
	"archive/zip"
	"encoding/csv"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// FrameRow is one picture of a shoot that was taken frame by frame, for WriteFrames.
type FrameRow struct {
	Frame, Until int // it stands for the frames [Frame, Until)
	Layer        string
	Exposure     int
	Picture      string // how the picture is called by who keeps it
	Path         string // fingerprint of the sealed path, short
	Taken        time.Time
	Planned      []float64 // the sealed path's pose, by axis
	Seen         []float64 // where the feedback saw the axes
	Hands        float64   // seconds that the frame took, of the hands and of the machine
	Machine      float64
}

var unsafe = regexp.MustCompile(`[^A-Za-z0-9-]+`)

// FileName is a name without anything that a file system could mind.
func FileName(s string) string {
	if s = strings.Trim(unsafe.ReplaceAllString(s, "-"), "-"); s == "" {
		return "layer"
	}
	return s
}

// WriteFrames writes a shoot's pictures as a zip: a folder of PNG files per layer, each
// called by shot, layer and frame, and frames.csv with a line for each picture: which
// frames it stands for, where the path has each axis and where the feedback saw it (in
// the axes' units), when it was taken, and how long the frame took. PNG is packed already
// and only stored. picture gives a picture's bytes.
func WriteFrames(w io.Writer, shot string, axes []string, rows []FrameRow, picture func(name string) ([]byte,
	error)) error {
	z := zip.NewWriter(w)
	folders := map[string]string{}
	used := map[string]bool{}
	header := []string{"frame", "until", "layer", "exposure", "file", "path", "taken_at", "hands_s", "machine_s"}
	for _, a := range axes {
		header = append(header, a+"_planned", a+"_seen")
	}
	lines := [][]string{header}
	for _, r := range rows {
		folder, ok := folders[r.Layer]
		if !ok {
			folder = FileName(r.Layer)
			for n := 2; used[strings.ToLower(folder)]; n++ {
				folder = FileName(r.Layer) + "-" + strconv.Itoa(n)
			}
			used[strings.ToLower(folder)], folders[r.Layer] = true, folder
		}
		name := fmt.Sprintf("%s/%s_%s_%04d.png", folder, FileName(shot), folder, r.Frame)
		b, err := picture(r.Picture)
		if err != nil {
			return fmt.Errorf("frame %04d %s: %w", r.Frame, r.Layer, err)
		}
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: r.Taken.UTC()})
		if err != nil {
			return err
		}
		if _, err := f.Write(b); err != nil {
			return err
		}
		line := []string{strconv.Itoa(r.Frame), strconv.Itoa(r.Until), cell(r.Layer), strconv.Itoa(r.Exposure), name,
			r.Path, r.Taken.UTC().Format(time.RFC3339), seconds(r.Hands), seconds(r.Machine)}
		for i := range axes {
			line = append(line, place(r.Planned, i), place(r.Seen, i))
		}
		lines = append(lines, line)
	}
	f, err := z.Create("frames.csv")
	if err != nil {
		return err
	}
	c := csv.NewWriter(f)
	if err := c.WriteAll(lines); err != nil {
		return err
	}
	return z.Close()
}

// cell is a text as a table's cell: a program that opens the table does not take it for a formula.
func cell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

func seconds(v float64) string { return strconv.FormatFloat(v, 'f', 1, 64) }

func place(list []float64, i int) string {
	if i >= len(list) {
		return ""
	}
	return strconv.FormatFloat(list[i], 'f', 6, 64)
}
