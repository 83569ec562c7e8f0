// Package examples holds the example files that ship with the application.
package examples

import _ "embed"

// HarbourApproach is the demo move of SL-010 as a keyframe file.
//
//go:embed harbour-approach.csv
var HarbourApproach []byte
