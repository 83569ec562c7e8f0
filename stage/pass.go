// Package stage is what happens on the day: it owns order and safety. It talks
// to a rig through link, keeps a record through a journal, and calls core for
// every judgement. It knows no HTTP and no SQL.
package stage

import (
	"keenarc/core/clock"
	"keenarc/core/seal"
)

// Pass is a sealed path to be run on a clock. Machine is what the machine that
// rolls it is called in the shot.
type Pass struct {
	ID      string
	Name    string
	Number  int
	Machine string
	Table   *seal.Table
	Clock   clock.Spec
	BrakeS  float64
}
