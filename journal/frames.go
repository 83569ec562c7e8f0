package journal

import (
	"context"
	"errors"
	"time"

	"keenarc/core/weave"
)

// Exposure is one press of a camera's shutter in a shoot that is taken frame by frame.
type Exposure struct {
	weave.Exposure
	Shot string `json:"-"`
	// Seal is the sealed path whose pose it was taken at, by its id; Pose is where the
	// feedback saw the axes.
	Seal    string             `json:"seal"`
	Pose    map[string]float64 `json:"pose"`
	Picture string             `json:"picture,omitempty" doc:"sha256 of the picture; empty: none is here"`
	Why     string             `json:"why,omitempty"`
	By      Person             `json:"by"`
	AskedAt time.Time          `json:"asked_at"`
	EndedAt *time.Time         `json:"ended_at,omitempty"`
	// Machine is the rig that carried the camera, by its id, and Boot which time it was
	// switched on: one that was off since may have moved.
	Machine string `json:"-"`
	Boot    string `json:"-"`
}

// Shoot is a shoot as it is kept.
type Shoot struct {
	Shot     string       `json:"shot"`
	Scheme   weave.Scheme `json:"scheme"`
	Revision int64        `json:"revision" doc:"of the scheme"`
	// Seal is the path that its frames are taken on; empty before the first. Declined
	// is a newer one that somebody chose not to go on with.
	Seal     string `json:"seal"`
	Declined string `json:"declined"`
	// Turn is where it stands; Undo says what can be taken back, if anything.
	Turn      weave.Turn     `json:"turn"`
	Turns     int64          `json:"-"` // how many there were
	Undo      string         `json:"undo,omitempty"`
	Exposures []Exposure     `json:"exposures"`
	Notes     map[int]string `json:"notes" doc:"for the hands, by frame"`
	Spent     []weave.Spent  `json:"spent"`
}

// Board lays the shoot out.
func (s *Shoot) Board() *weave.Board {
	list := make([]weave.Exposure, len(s.Exposures))
	for i, e := range s.Exposures {
		list[i] = e.Exposure
	}
	return weave.Lay(&s.Scheme, list, s.Turn.Marks)
}

// Last is the exposure that was asked for last, or nil.
func (s *Shoot) Last() *Exposure {
	if n := len(s.Exposures); n > 0 {
		return &s.Exposures[n-1]
	}
	return nil
}

// Stands is how a shoot stood when it was decided what to expose.
type Stands struct {
	Scheme int64 // its revision
	Turns  int64
}

// Stands is how it stands.
func (s *Shoot) Stands() Stands { return Stands{s.Revision, s.Turns} }

// What a shoot's record refuses.
var (
	// ErrElse is returned where something else comes next by now than was seen.
	ErrElse = errors.New("something else comes next by now; it was loaded again. Look, then press again")
	// ErrDecided is returned where what became of an exposure was decided before: what is
	// said of it now is not kept.
	ErrDecided = errors.New("what became of that exposure is decided already")
)

// Frames keeps the record of shoots. Each call is safe when it has returned.
type Frames interface {
	Shoot(ctx context.Context, shot string) (*Shoot, error)
	// Phase writes down that a phase begins at a frame.
	Phase(ctx context.Context, shot string, frame int, p weave.Phase) error
	// Interrupted ends whatever phases were going on when the application ended: how long
	// they went on is not known.
	Interrupted(ctx context.Context) error
	// Ask writes down, before a camera is told, that it will be. The exposure carries the number
	// that it was decided to have; where another application has taken that one meanwhile, or
	// the shoot stands otherwise than on, it is refused with ErrElse.
	Ask(ctx context.Context, e *Exposure, on Stands) error
	// Keep stores the picture and what became of the exposure, kept or uncertain, at once. Done
	// again it changes nothing; where something else was decided before, it is ErrDecided.
	Keep(ctx context.Context, id string, fate weave.Fate, why string, png []byte) error
	// Became says what became of an exposure that has no picture, or of which a person has
	// judged the picture; ErrDecided where that is known already.
	Became(ctx context.Context, id string, fate weave.Fate, why string) error
	// Unknown are the exposures of which nothing is known yet.
	Unknown(ctx context.Context) ([]Exposure, error)
	// Exposed is an exposure, or ErrUnknown.
	Exposed(ctx context.Context, id string) (*Exposure, error)
	// Pin says which sealed path a shoot's frames are taken on.
	Pin(ctx context.Context, shot, seal string) error
	AddLog(ctx context.Context, e Entry) error
}
