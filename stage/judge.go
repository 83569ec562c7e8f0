package stage

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"keenarc/core/clock"
	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/journal"
)

// Finding is the judgement of one take: against the seal, and against the
// reference take of another pass when there is one.
type Finding struct {
	TakeID    string         `json:"take"`
	Deviation *trace.Verdict `json:"deviation"`
	Against   string         `json:"against,omitempty"` // id of the reference take
	Verdict   *trace.Verdict `json:"verdict,omitempty"`
	// Strip is the deviation from the seal in pixels by picture frame, −1 where
	// the take has none. The verdicts' own lists of frames are left out.
	Strip []float64 `json:"strip"`
}

// rules is the version of how takes are judged: raised when the same takes could
// come to another word or number, so that what is stored is judged anew.
const rules = 5

// Depends names everything that a finding rests on. Two findings of a take with
// equal Depends are the same. print is the seal's fingerprint in hex, which names
// the machines and their places, too; ref is the reference take's id or empty.
func Depends(print string, c clock.Spec, l *lens.Package, set *geom.Set, thresholdPx float64, rows int,
	ref string) (string, error) {
	b, err := json.Marshal([]any{rules, print, c, l, set.Subject, set.Near, set.Far, thresholdPx, rows, ref})
	if err != nil {
		return "", fmt.Errorf("naming what a finding depends on: %w", err)
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:]), nil
}

// Judge judges takes of one sealed table.
type Judge struct {
	j     *trace.Judge
	table *seal.Table
	px    float64
}

// NewJudge prepares a judge for a sealed table.
func NewJudge(r *rig.Rig, l *lens.Package, set *geom.Set, t *seal.Table, thresholdPx float64) (*Judge, error) {
	j, err := trace.NewJudge(r, l, trace.Scene{Subject: set.Subject, Near: set.Near, Far: set.Far})
	if err != nil {
		return nil, err
	}
	return &Judge{j, t, thresholdPx}, nil
}

// Take judges a take on the clock that it ran on; ref is the reference take of
// another pass, or nil.
func (j *Judge) Take(ctx context.Context, t, ref *journal.Take) (*Finding, error) {
	took, c, err := j.visited(t)
	if err != nil {
		return nil, err
	}
	f := &Finding{TakeID: t.ID}
	if f.Deviation, err = j.j.Compare(ctx, trace.Sealed{Table: j.table}, took, nil, c, j.table.First, j.table.Last,
		j.px); err != nil {
		return nil, err
	}
	if ref != nil {
		f.Against = ref.ID
		r, was, err := j.visited(ref)
		if err != nil {
			return nil, err
		}
		if f.Verdict, err = j.j.Compare(ctx, r, took, was, c, j.table.First, j.table.Last, j.px); err != nil {
			return nil, err
		}
		f.Verdict.Frames = nil
	}
	f.Strip = make([]float64, j.table.Last-j.table.First)
	for i := range f.Strip {
		f.Strip[i] = -1
	}
	for _, x := range f.Deviation.Frames {
		at := &f.Strip[x.Frame-j.table.First] // the worst of its visits
		*at = max(*at, x.Px)
	}
	f.Deviation.Frames = nil
	return f, nil
}

// visited makes a take's trace ready to be judged, with the clock that it ran on.
func (j *Judge) visited(t *journal.Take) (*trace.Visited, clock.Clock, error) {
	c, err := t.Clock.Over(j.table.Run(), j.table.Rate)
	if err != nil {
		return nil, nil, fmt.Errorf("judging take %s: %w", t.ID, err)
	}
	return t.Trace.ByVisit(c.Traits().Round), c, nil
}

// QuantisationPx is how far at most, in pixels at the sensor, a sealed table
// lies from its path: all axes off by half of 2⁻¹⁶ step at once, at the first
// and last picture.
func (j *Judge) QuantisationPx() float64 {
	half := j.table.QuantisationUnits()
	a, b := make([]float64, len(half)), make([]float64, len(half))
	worst := 0.0
	for _, f := range []int{j.table.First, j.table.Last} {
		trace.Sealed{Table: j.table}.AtFrame(a, f)
		for i := range a {
			b[i] = a[i] + half[i]
		}
		px, _, _ := j.j.Pixels(a, b)
		worst = max(worst, px)
	}
	return worst
}

// Taken is what the choice of takes looks at: a take of a pass on a sealed path; Seal is the same for
// all seals of the same steps.
type Taken struct {
	ID, Pass, Seal string
	Number         int
	Ended, Broken  bool
}

// Chosen is the take of a pass that stands for it: the one that somebody chose, else
// the last whole one. With a seal only takes on that seal count. Without any it is nil.
func Chosen(takes []Taken, pass, choice, seal string) *Taken {
	var last *Taken
	for i := range takes {
		t := &takes[i]
		if t.Pass != pass || !t.Ended || seal != "" && t.Seal != seal {
			continue
		}
		if choice != "" && choice == t.ID {
			return t
		}
		if !t.Broken {
			last = t
		}
	}
	return last
}

// Choice is a pass with the take that somebody chose for it, or none.
type Choice struct{ Pass, Take string }

// Reference is the take that all others on the same seal are laid over: the chosen
// one of the first pass that has any, in the order of the passes' numbers. For
// itself there is none.
func Reference(passes []Choice, takes []Taken, t *Taken) *Taken {
	for _, p := range passes {
		if o := Chosen(takes, p.Pass, p.Take, t.Seal); o != nil {
			if o.ID == t.ID {
				return nil
			}
			return o
		}
	}
	return nil
}
