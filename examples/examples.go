// Package examples holds what ships with the application: the descriptions of its
// rigs, the demo's camera and sets, and example files. All of it is JSON or CSV as
// a user would write it, embedded, and read once when the program starts.
package examples

import (
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"

	"keenarc/core/balance"
	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/core/site"
)

// HarbourApproach is the demo move of SL-010 as a keyframe file.
//
//go:embed harbour-approach.csv
var HarbourApproach []byte

// LanternStair is the demo move of SL-020 as a keyframe file.
//
//go:embed lantern-stair.csv
var LanternStair []byte

// KeeperWinds is the demo move of SL-030 as a keyframe file.
//
//go:embed keeper-winds.csv
var KeeperWinds []byte

//go:embed rigs/*.json cameras/*.json sets/*.json packages/*.json days/*.json
var files embed.FS

// Rigs are the descriptions of all rigs that ship, by id, fresh with every call.
func Rigs() map[string]*rig.Rig {
	out := map[string]*rig.Rig{}
	for _, raw := range all("rigs") {
		r, err := rig.Read(raw)
		must(err)
		out[r.ID] = r
	}
	return out
}

// RigIDs are their ids, in the order in which they are shown.
func RigIDs() []string { return []string{"plank", "heron", "wren", "turnstile"} }

// Camera is the demo production's camera with its lens.
func Camera() *lens.Package { return decode[lens.Package]("cameras/body-a-35.json") }

// Packed is a camera package of the demo, with how it was balanced, by machine.
type Packed struct {
	Name   string                      `json:"name"`
	Camera string                      `json:"camera"`
	Load   balance.Hung                `json:"load"`
	On     map[string]*balance.Settled `json:"on"`
	Lens   *lens.Package               `json:"-"`
}

// Packages are the demo's camera packages.
func Packages() []*Packed {
	var out []*Packed
	names, err := fs.Glob(files, "packages/*.json")
	must(err)
	for _, n := range names {
		p := decode[Packed](n)
		p.Lens = decode[lens.Package]("cameras/" + p.Camera + ".json")
		out = append(out, p)
	}
	return out
}

// Harbour is the set of SL-010: a miniature harbour with the keeper's lamp.
func Harbour() *geom.Set { return decode[geom.Set]("sets/harbour.json") }

// Stair is the set of SL-020: the stair under the lantern.
func Stair() *geom.Set { return decode[geom.Set]("sets/stair.json") }

// BenchCamera is the camera of SL-030, which the stand-in camera pretends to be.
func BenchCamera() *lens.Package { return decode[lens.Package]("cameras/bench-35.json") }

// ClockRoom is the set of SL-030: a miniature room with the clock that the keeper winds.
func ClockRoom() *geom.Set { return decode[geom.Set]("sets/clock.json") }

// Plank is the slider of SL-010, placed where its shot has it, alone in a shot.
func Plank() []rig.Placed { return []rig.Placed{{Name: "plank", Rig: Rigs()["plank"]}} }

// Heron is the crane of SL-020, alone in its shot.
func Heron() []rig.Placed { return []rig.Placed{{Name: "heron", Rig: Rigs()["heron"]}} }

// Days are the demo's running orders: how long steps took on days that are over, by what
// they are about, and how far today is.
type Days struct {
	Setup site.Setup `json:"setup"`
	// Past is minutes by step, a day each, the oldest first.
	Past []map[site.Doing]float64 `json:"past"`
	// Today is when steps began and ended, in minutes from the start; StartsIn when it
	// starts, in minutes from now.
	Today    map[site.Doing][]float64 `json:"today"`
	StartsIn int                      `json:"starts_in_min"`
	Latest   int                      `json:"agreed_within_min"`
}

// DaysOf are those of a shot's, by its code.
func DaysOf(code string) *Days { return decode[Days]("days/" + code + ".json") }

func all(folder string) [][]byte {
	names, err := fs.Glob(files, folder+"/*.json")
	must(err)
	var out [][]byte
	for _, n := range names {
		raw, err := files.ReadFile(n)
		must(err)
		out = append(out, raw)
	}
	return out
}

func decode[T any](name string) *T {
	raw, err := files.ReadFile(name)
	must(err)
	v := new(T)
	must(json.Unmarshal(raw, v))
	return v
}

// must is for what was compiled in: it cannot fail in a program that was tested.
func must(err error) {
	if err != nil {
		panic(fmt.Sprintf("what ships with the program cannot be read: %v", err))
	}
}
