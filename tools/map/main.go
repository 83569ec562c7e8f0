// Command map draws the house from its imports: docs/map/house.svg has the rooms, floor by floor,
// and docs/map/<room>.svg what is inside each. An arrow goes from who asks to who answers, and so
// from an upper floor to a lower one. It ends with 1 where an arrow between rooms runs up, or on
// one floor, where there is a circle, or where core imports what is not its own.
//
//	go run ./tools/map          draws
//	go run ./tools/map -check   says whether the drawings are those of the code
package main

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// floors are the rooms from the top down; a room may ask those below it alone.
var floors = [][]string{
	{"cmd/keenarc"},
	{"web"},
	{"ui", "stage", "store", "calc", "standin"},
	{"exchange", "journal", "link", "examples"},
	{"core/trace", "core/weave"},
	{"core/ride", "core/seal"},
	{"core/limit", "core/known/fixture"},
	{"core/path", "core/geom", "core/balance", "core/site", "core/sight"},
	{"core/clock", "core/lens", "core/retime", "core/amend"},
	{"core/rig", "core/curve", "core/length", "core/mistake", "core/effort", "core/known"},
}

// within are rooms of a room: who asks first.
var within = map[string][]string{
	"stage":   {"stage", "stage/act", "stage/ready", "stage/camera", "stage/machine"},
	"standin": {"standin/camera", "standin/scene", "standin"},
	"journal": {"journal/journaltest", "journal"},
}

// folder is where the drawings lie.
const folder = "docs/map"

func main() {
	check := flag.Bool("check", false, "say whether the drawings are those of the code, and draw nothing")
	flag.Parse()
	h, err := read(".")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	wrong := h.wrong(floors, within)
	for _, w := range wrong {
		fmt.Fprintln(os.Stderr, w)
	}
	stale, err := put(h.drawings(floors, within), *check)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	for _, s := range stale {
		fmt.Fprintf(os.Stderr, "%s is not what the code is: run make generate\n", s)
	}
	if len(wrong)+len(stale) > 0 {
		os.Exit(1)
	}
}

// put writes drawings, or only compares them, and returns those that are not what lies there.
func put(all map[string][]byte, check bool) (stale []string, err error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	old, err := os.ReadDir(folder)
	if err != nil {
		return nil, err
	}
	for _, f := range old {
		if _, ok := all[f.Name()]; ok || !strings.HasSuffix(f.Name(), ".svg") {
			continue
		}
		if check {
			stale = append(stale, filepath.Join(folder, f.Name()))
		} else if err := os.Remove(filepath.Join(folder, f.Name())); err != nil {
			return nil, err
		}
	}
	for name, is := range all {
		to := filepath.Join(folder, name)
		was, err := os.ReadFile(to)
		switch {
		case err == nil && bytes.Equal(was, is):
		case check:
			stale = append(stale, to)
		default:
			if err := os.WriteFile(to, is, 0o644); err != nil {
				return nil, err
			}
		}
	}
	slices.Sort(stale)
	return stale, nil
}
