package calc

import (
	"context"
	"fmt"

	"keenarc/core/rig"
	"keenarc/core/sight"
)

// RigShiftRequest is fixed points as they were sighted before and afterwards, in the same
// order.
type RigShiftRequest struct {
	Before [][]float64 `json:"before_m"`
	After  [][]float64 `json:"after_m"`
	SigmaM *float64    `json:"sigma_m,omitempty" doc:"what the points are known to; they lie ten times that from a line at the least (10 mm where left out)"`
}

// RigShiftAnswer takes them from the ones to the others: after = R·before + t.
type RigShiftAnswer struct {
	Translation rig.Vec    `json:"translation_m"`
	Quaternion  [4]float64 `json:"quaternion_wxyz"`
	AngleDeg    float64    `json:"angle_deg"`
	Residual    []float64  `json:"residual_m"`
	WorstM      float64    `json:"worst_m"`
}

func init() {
	at("rig-shift", "How fixed points have moved as a rig sees them, which is how the rig has (Horn 1987).",
		`{"before_m":[[0,3,0.5],[1.2,3.4,1.1],[-0.8,2.7,1.6]],"after_m":[[0.004,3.001,0.5],[1.2037,3.4031,1.1],[`+
			`-0.7957,2.6995,1.6]]}`, runRigShift)
}

func runRigShift(_ context.Context, q *RigShiftRequest, b Bounds) (*RigShiftAnswer, error) {
	var lists [2][]rig.Vec
	for k, list := range [][][]float64{q.Before, q.After} {
		name := []string{"before_m", "after_m"}[k]
		if len(list) > 10_000 {
			return nil, &FieldError{name, fmt.Sprintf("there are %d", len(list)), "give at most 10000"}
		}
		for i, p := range list {
			v, err := vector(fmt.Sprintf("%s[%d]", name, i), p)
			if err != nil {
				return nil, err
			}
			lists[k] = append(lists[k], v)
		}
	}
	sigma := 0.0
	if q.SigmaM != nil {
		if sigma = *q.SigmaM; !(sigma > 0 && sigma <= 1e6) {
			return nil, &FieldError{"sigma_m", fmt.Sprintf("it is %g", sigma),
				"give metres above zero, or leave it out"}
		}
	}
	s, err := sight.Register(lists[0], lists[1], sigma)
	if err != nil {
		return nil, err
	}
	return &RigShiftAnswer{s.Translation, [4]float64{s.Turn.Real, s.Turn.Imag, s.Turn.Jmag, s.Turn.Kmag}, s.AngleDeg,
		s.ResidualM, s.WorstM}, nil
}
