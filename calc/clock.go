package calc

import (
	"context"
	"fmt"

	"keenarc/core/clock"
)

// TimecodeRequest is a frame or a timecode, at a rate.
type TimecodeRequest struct {
	Rate     clock.Rate `json:"rate"`
	Drop     bool       `json:"drop,omitempty"`
	Frame    *int       `json:"frame,omitempty"`
	Timecode *string    `json:"timecode,omitempty"`
}

// TimecodeAnswer is both. Frame 0 is 00:00:00:00, and a day later it is again.
type TimecodeAnswer struct {
	Frame    int    `json:"frame"`
	Timecode string `json:"timecode"`
}

// mostFrames is more than any clock counts.
const mostFrames = 1 << 53

func init() {
	at("timecode", "SMPTE ST 12-1: a frame's timecode, or a timecode's frame, with drop or without.",
		`{"rate":{"num":30000,"den":1001},"drop":true,"frame":1800}`, runTimecode)
}

func runTimecode(_ context.Context, q *TimecodeRequest, _ Bounds) (*TimecodeAnswer, error) {
	if q.Rate.Num < 1 || q.Rate.Den < 1 || q.Rate.Num > 1_000_000_000 || q.Rate.Den > 1_000_000_000 || q.Rate.Float() >
		999 || q.Rate.Float() < 0.5 {
		return nil, &FieldError{"rate", fmt.Sprintf("%d/%d is no rate that labels count", q.Rate.Num, q.Rate.Den),
			"give frames per second, as 30000/1001"}
	}
	if q.Drop && clock.Drops(q.Rate) == 0 {
		return nil, &FieldError{"drop", fmt.Sprintf("%s frames per second do not drop", q.Rate),
			"leave it out, or give 30000/1001 or 60000/1001"}
	}
	switch {
	case (q.Frame == nil) == (q.Timecode == nil):
		return nil, &FieldError{"frame", "there is neither a frame nor a timecode, or both", "give one of them"}
	case q.Frame != nil:
		if *q.Frame > mostFrames || *q.Frame < -mostFrames {
			return nil, &FieldError{"frame", fmt.Sprintf("it is %d", *q.Frame), "give one that a clock counts"}
		}
		return &TimecodeAnswer{*q.Frame, clock.Timecode(*q.Frame, 0, q.Rate, q.Drop)}, nil
	}
	frame, drop, err := clock.FrameOf(*q.Timecode, q.Rate)
	if err != nil {
		return nil, err
	}
	if drop != q.Drop {
		return nil, &FieldError{"timecode", fmt.Sprintf("%q and drop do not agree", *q.Timecode),
			"a label that drops has a semicolon before its frames, another one a colon"}
	}
	return &TimecodeAnswer{frame, *q.Timecode}, nil
}
