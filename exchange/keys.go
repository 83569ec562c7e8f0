// Package exchange reads and writes open formats, one file per format. Every
// reader names the line and column of what it refuses and never panics.
package exchange

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/lens"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// MaxCSV is the largest keyframe file in bytes.
const MaxCSV = 16 << 20

// PlaceError says where in a file something is wrong, and what would be right.
type PlaceError struct {
	Line   int    `json:"line"`
	Column string `json:"column"`
	Wrong  string `json:"wrong"`
	Want   string `json:"want"`
}

func (e *PlaceError) Error() string {
	switch {
	case e.Line == 0:
		return fmt.Sprintf("The file: %s; %s.", e.Wrong, e.Want)
	case e.Column == "":
		return fmt.Sprintf("Line %d: %s; %s.", e.Line, e.Wrong, e.Want)
	}
	return fmt.Sprintf("Line %d, column %s: %s; %s.", e.Line, e.Column, e.Wrong, e.Want)
}

// ReadKeys reads keyframes from CSV: a header "frame,track_mm,pan_deg,…" with
// any subset of the rig's axes, then a row per keyframe. An empty cell is no
// keyframe on that axis. focus_m gives focus as a distance, turned into ring
// position through the scale. LF or CRLF, with or without a byte order mark,
// quoted or not. The tracks come in the rig's order, those of the axes that the
// header names and no others.
func ReadKeys(in io.Reader, r *rig.Rig, scale *lens.Scale) ([]path.Track, error) {
	raw, err := io.ReadAll(io.LimitReader(in, MaxCSV+1))
	if err != nil {
		return nil, fmt.Errorf("reading the keyframe file: %w", err)
	}
	raw = bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf"))
	switch {
	case len(raw) > MaxCSV:
		return nil, &PlaceError{Wrong: "it is over 16 MiB",
			Want: "a keyframe file is far smaller; send only the keyframes"}
	case bytes.IndexByte(raw, 0) >= 0 || !utf8.Valid(raw):
		return nil, &PlaceError{Wrong: "it is not text (a picture or a program, perhaps)",
			Want: "send CSV that begins with frame,track_mm,…"}
	}
	c := csv.NewReader(bufio.NewReader(bytes.NewReader(raw)))
	c.FieldsPerRecord = -1
	c.TrimLeadingSpace = true
	head, err := c.Read()
	if err != nil {
		return nil, csvError(err)
	}
	cols, err := columns(head, r, scale)
	if err != nil {
		return nil, err
	}
	tracks, err := rows(c, head, cols, r)
	if err != nil {
		return nil, err
	}
	total := 0
	for _, t := range tracks {
		total += len(t.Keys)
	}
	if total == 0 {
		return nil, &PlaceError{Wrong: "there is no keyframe in it",
			Want: "give at least one row with a frame and a value"}
	}
	return tracks, nil
}

// PlanFromKeys reads a keyframe file into a path for a rig.
func PlanFromKeys(in io.Reader, r *rig.Rig, l *lens.Package, rate clock.Rate, kind curve.Kind) (*path.Path, error) {
	scale, err := l.Scale()
	if err != nil {
		return nil, err
	}
	tracks, err := ReadKeys(in, r, scale)
	if err != nil {
		return nil, err
	}
	for i := range tracks {
		tracks[i].Kind = kind
	}
	return path.New(r, rate, BasePose(r, scale)).Apply(r, path.Edit{Op: "replace", Tracks: tracks})
}

// BasePose is where axes without keyframes stand: level, in the middle of the
// rail, focused at 1.2 m.
func BasePose(r *rig.Rig, scale *lens.Scale) map[string]float64 {
	out := map[string]float64{}
	for _, a := range r.Axes {
		switch {
		case a.Kind == rig.Focus:
			out[a.ID] = scale.Ring(1.2)
		case a.Unit == rig.MM:
			out[a.ID] = (a.Min + a.Max) / 2
		}
	}
	return out
}

type column struct {
	axis  int // −1: the frame
	scale *lens.Scale
}

// columnNames are the columns of a rig's axes: axis_unit, with the machine before it
// where there are several.
func columnNames(r *rig.Rig) []string {
	several := len(r.Machines()) > 1
	var out []string
	for _, a := range r.Axes {
		id := a.ID
		if _, own := rig.Split(id); !several {
			id = own
		}
		out = append(out, id+"_"+suffix(a.Unit))
	}
	return out
}

func suffix(u rig.Unit) string {
	if u == rig.Percent {
		return "pct"
	}
	return string(u)
}

// columnOf is the axis that a column means, by its whole name or without the
// machine; with focus_m the scale turns distances into ring positions.
func columnOf(h string, r *rig.Rig, scale *lens.Scale) (column, bool) {
	at := strings.LastIndexByte(h, '_')
	if at < 0 {
		return column{}, false
	}
	i := r.Find(h[:at])
	switch {
	case i < 0:
	case h[at+1:] == suffix(r.Axes[i].Unit):
		return column{axis: i}, true
	case h[at+1:] == "m" && r.Axes[i].Kind == rig.Focus && scale != nil:
		return column{i, scale}, true
	}
	return column{}, false
}

func columns(head []string, r *rig.Rig, scale *lens.Scale) ([]column, error) {
	want := append([]string{"frame"}, columnNames(r)...)
	out, seen := make([]column, len(head)), map[string]bool{}
	for i, h := range head {
		h = strings.ToLower(strings.TrimSpace(h))
		k := 0
		if h == "frame" {
			out[i] = column{axis: -1}
		} else if c, ok := columnOf(h, r, scale); ok {
			out[i], k = c, 1+c.axis
		} else {
			return nil, &PlaceError{1, strconv.Itoa(i + 1), fmt.Sprintf("%q is not a column for %s", clip(h), r.Name),
				"use " + strings.Join(want, ", ")}
		}
		if seen[want[k]] {
			return nil, &PlaceError{1, strconv.Itoa(i + 1), fmt.Sprintf("the column %s comes twice", h),
				"give each once"}
		}
		seen[want[k]] = true
	}
	if !seen["frame"] {
		return nil, &PlaceError{1, "1", "there is no column called frame", "begin with frame,track_mm,…"}
	}
	if len(head) < 2 {
		return nil, &PlaceError{1, "2", "no axis is named", "use " + strings.Join(want[1:], ", ")}
	}
	return out, nil
}

func rows(c *csv.Reader, head []string, cols []column, r *rig.Rig) ([]path.Track, error) {
	tracks, named := make([]path.Track, len(r.Axes)), make([]bool, len(r.Axes))
	seen := make([]map[float64]int, len(r.Axes))
	for i, a := range r.Axes {
		tracks[i], seen[i] = path.Track{Axis: a.ID, Keys: []path.Key{}}, map[float64]int{}
	}
	for _, col := range cols {
		if col.axis >= 0 {
			named[col.axis] = true
		}
	}
	for {
		rec, err := c.Read()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, csvError(err)
		}
		line, _ := c.FieldPos(0)
		if len(rec) != len(cols) {
			return nil, &PlaceError{line, "", fmt.Sprintf("%d cells where the header has %d", len(rec), len(cols)),
				"give one cell for each column"}
		}
		frame := math.NaN()
		for i, col := range cols {
			if col.axis >= 0 {
				continue
			}
			if frame, err = number(rec[i], line, head[i]); err != nil {
				return nil, err
			}
		}
		for i, col := range cols {
			if col.axis < 0 || strings.TrimSpace(rec[i]) == "" {
				continue
			}
			k, err := key(rec[i], line, head[i], frame, col, &r.Axes[col.axis])
			if err != nil {
				return nil, err
			}
			if l, ok := seen[col.axis][frame]; ok {
				return nil, &PlaceError{line, head[i],
					fmt.Sprintf("there is a keyframe at frame %s already, on line %d",
						strings.TrimSpace(rec[slices.IndexFunc(cols, func(c column) bool { return c.axis < 0 })]), l),
					"keep one of them"}
			}
			seen[col.axis][frame] = line
			tracks[col.axis].Keys = append(tracks[col.axis].Keys, k)
		}
	}
	for i := range tracks {
		slices.SortFunc(tracks[i].Keys, func(a, b path.Key) int {
			if a.Frame < b.Frame {
				return -1
			}
			return 1
		})
	}
	out := []path.Track{}
	for i, t := range tracks {
		if named[i] {
			out = append(out, t)
		}
	}
	return out, nil
}

func key(cell string, line int, head string, frame float64, col column, a *rig.Axis) (path.Key, error) {
	v, err := number(cell, line, head)
	if err != nil {
		return path.Key{}, err
	}
	if col.scale != nil {
		ring, err := col.scale.RingFor(v)
		if err != nil {
			wrong, want, _ := strings.Cut(err.Error(), "; ")
			return path.Key{}, &PlaceError{line, head, wrong, want}
		}
		v = ring
	}
	k := path.Key{Frame: frame, Value: v}
	var pe *path.Error
	if err := path.CheckKey(a, k); errors.As(err, &pe) {
		name := head
		if pe.Field == "frame" {
			name = "frame"
		}
		return k, &PlaceError{line, name, pe.Wrong, pe.Want}
	}
	return k, nil
}

func number(cell string, line int, head string) (float64, error) {
	v, err := strconv.ParseFloat(strings.TrimSpace(cell), 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, &PlaceError{line, head, fmt.Sprintf("%q is not a number", clip(cell)),
			"write it as 12.5, with a point"}
	}
	return v, nil
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

func csvError(err error) error {
	if errors.Is(err, io.EOF) {
		return &PlaceError{Wrong: "it is empty", Want: "begin with frame,track_mm,…"}
	}
	var pe *csv.ParseError
	if errors.As(err, &pe) {
		return &PlaceError{pe.Line, strconv.Itoa(pe.Column), "a quotation mark is out of place",
			"quote whole cells, and double a mark inside one"}
	}
	return err
}
