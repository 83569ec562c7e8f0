// Package stage is what happens on the day: it owns order and safety. It talks
// to a rig through link, keeps a record through a journal, and calls core for
// every judgement. It knows no HTTP and no SQL.
package stage

import (
	"keenarc/core/clock"
	"keenarc/core/seal"
)

// Pass is a sealed path to be run on a clock.
type Pass struct {
	ID     string
	Name   string
	Number int
	Table  *seal.Table
	Factor clock.Rate
	BrakeS float64
}
