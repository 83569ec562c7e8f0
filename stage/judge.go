package stage

import (
	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
)

// ThresholdPx is the largest error at which passes stack, unless the user sets another.
const ThresholdPx = 0.5

// Finding is the judgement of one take: against the seal, and against the
// reference take of another pass when there is one.
type Finding struct {
	TakeID    string         `json:"take"`
	Deviation *trace.Verdict `json:"deviation"`
	Against   string         `json:"against,omitempty"` // id of the reference take
	Verdict   *trace.Verdict `json:"verdict,omitempty"`
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

// Take judges a take; ref is the reference take of another pass, or nil.
func (j *Judge) Take(t, ref *Take) *Finding {
	f := &Finding{TakeID: t.ID, Deviation: j.j.Compare(trace.Sealed{Table: j.table}, t.Trace, j.table.First, j.table.Last, j.px)}
	if ref != nil {
		f.Against = ref.ID
		f.Verdict = j.j.Compare(ref.Trace, t.Trace, j.table.First, j.table.Last, j.px)
	}
	return f
}
