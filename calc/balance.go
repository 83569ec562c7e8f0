package calc

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"

	"github.com/danielgtaylor/huma/v2"

	"keenarc/core/balance"
	"keenarc/core/rig"
)

// at registers a calculation whose answer is small enough to be made at once.
func at[Q, A any](name, doc, example string, f func(context.Context, *Q, Bounds) (A, error)) {
	stream[Q, A](name, doc, example, func(ctx context.Context, q *Q, b Bounds) (Answer, error) {
		a, err := f(ctx, q, b)
		if err != nil {
			var m *balance.MistakeError
			if errors.As(err, &m) {
				return nil, &FieldError{m.Field, m.Wrong, m.Want}
			}
			return nil, err
		}
		raw, err := json.Marshal(a)
		if err != nil { // NaN and infinity have no JSON
			return nil, notFinite()
		}
		return whole(append(raw, '\n')), nil
	})
}

// vector is three numbers; a list of any other length is a mistake.
func vector(field string, v []float64) (rig.Vec, error) {
	if len(v) != 3 {
		return rig.Vec{}, &FieldError{field, fmt.Sprintf("it has %d numbers", len(v)), "give three, as [0,0.02,0.05]"}
	}
	return rig.Vec{v[0], v[1], v[2]}, nil
}

// orNull is a number for JSON, or null where it is infinite.
func orNull(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	return &v
}

// BalanceRequest is what hangs on a tilt axis, and the arc that it tilts over.
type BalanceRequest struct {
	Pieces     []BalancePiece `json:"pieces"`
	FromDeg    float64        `json:"from_deg"`
	ToDeg      float64        `json:"to_deg"`
	StepDeg    *float64       `json:"step_deg,omitempty" doc:"1 when left out"`
	MotorNM    *float64       `json:"motor_nm,omitempty" doc:"left out: no margin is given"`
	FrictionNM float64        `json:"friction_nm,omitempty"`
}

// BalancePiece is one piece with the place of its own centre.
type BalancePiece struct {
	Name   string    `json:"name,omitempty"`
	MassKg float64   `json:"mass_kg"`
	At     []float64 `json:"at_m" minItems:"3" maxItems:"3" doc:"right, forward, up from the tilt axis when level"`
}

// BalanceAnswer is gravity's torque over the arc, positive where it turns the nose down.
type BalanceAnswer struct {
	MassKg    float64      `json:"mass_kg"`
	Centre    rig.Vec      `json:"centre_m"`
	Torque    []balance.At `json:"torque"`
	WorstNM   float64      `json:"worst_nm" doc:"exact over the arc, signed"`
	WorstAt   float64      `json:"worst_at_deg"`
	Margin    *float64     `json:"margin" nullable:"true" doc:"motor over the worst; null where nothing pulls or no motor is given"`
	Move      BalanceMove  `json:"move_m" doc:"brings the centre onto the axis"`
	LeftAlone string       `json:"left_alone"`
}

// BalanceMove is by how much to slide and to raise what hangs there, in metres.
type BalanceMove struct {
	Forward float64 `json:"forward"`
	Up      float64 `json:"up"`
}

// PayloadRequest is what a sensor at a wrist felt in several poses.
type PayloadRequest struct {
	G          *float64      `json:"g,omitempty" doc:"m/s²; 9.80665 when left out"`
	Bias       bool          `json:"bias,omitempty" doc:"the sensor's zero is unknown, too"`
	MassKg     *float64      `json:"mass_kg,omitempty" doc:"from a scale; it stays as it is"`
	Poses      []PayloadPose `json:"poses"`
	Candidates [][][]float64 `json:"candidates,omitempty" doc:"rotations that could come next"`
}

// PayloadPose is one of them. Force and torque are what the payload puts on the sensor,
// in its own axes, at its origin.
type PayloadPose struct {
	Rotation [][]float64 `json:"rotation" doc:"the sensor in the world, by rows; its columns are the sensor's axes"`
	ForceN   []float64   `json:"force_n,omitempty"`
	TorqueNM []float64   `json:"torque_nm"`
}

// PayloadAnswer is the payload by least squares. Residuals are root mean squares over
// the poses. Without a force and without a weighed mass there is no mass and no centre.
type PayloadAnswer struct {
	MassKg     *float64 `json:"mass_kg,omitempty"`
	Centre     *rig.Vec `json:"centre_m,omitempty"`
	Moment     rig.Vec  `json:"moment_kgm" doc:"mass times centre"`
	BiasForce  rig.Vec  `json:"bias_force_n"`
	BiasTorque rig.Vec  `json:"bias_torque_nm"`
	ResidualN  float64  `json:"residual_n"`
	ResidualNM float64  `json:"residual_nm"`
	// One standard deviation, by the residuals and by how the poses lie; left out where nothing is
	// left over to tell it by, or where the mass is from a scale.
	MassSigma   *float64 `json:"mass_sigma_kg,omitempty"`
	CentreSigma *rig.Vec `json:"centre_sigma_m,omitempty"`
	BestNext    *int     `json:"best_next,omitempty" doc:"which of the candidates would tell most, from 0"`
}

// CounterweightRequest is a crane, and the weights that somebody owns.
type CounterweightRequest struct {
	TailM     float64           `json:"tail_m"`
	BoomKgM   OneOrMore         `json:"boom_kgm" doc:"what the boom lacks by itself: one number, or one for each arm"`
	PayloadKg float64           `json:"payload_kg"`
	ArmsM     []float64         `json:"arms_m"`
	Weights   []balance.Weights `json:"weights"`
}

// OneOrMore is a number, or a list of them.
type OneOrMore []float64

// UnmarshalJSON takes both.
func (o *OneOrMore) UnmarshalJSON(b []byte) error {
	if b = bytes.TrimSpace(b); len(b) > 0 && b[0] == '[' {
		return json.Unmarshal(b, (*[]float64)(o))
	}
	var one *float64
	if err := json.Unmarshal(b, &one); err != nil || one == nil {
		return &FieldError{"boom_kgm", "it is no number", "give kilogram metres, one number or one for each arm"}
	}
	*o = OneOrMore{*one}
	return nil
}

// Schema is that of a number or a list of numbers.
func (OneOrMore) Schema(huma.Registry) *huma.Schema {
	n := &huma.Schema{Type: "number"}
	return &huma.Schema{OneOf: []*huma.Schema{n, {Type: "array", Items: n}}}
}

func init() {
	at("balance", "Gravity's torque about a tilt axis over its whole arc, and what to move.",
		`{"pieces":[{"name":"body","mass_kg":2.4,"at_m":[0,0.02,0.05]}],"from_deg":-60,"to_deg":45,"step_deg":35,`+
			`"motor_nm":6,"friction_nm":0.2}`, runBalance)
	at("payload", "What hangs at an arm's wrist, from what a sensor there felt in several poses.",
		`{"g":9.80665,"bias":false,"poses":[{"rotation":[[1,0,0],[0,1,0],[0,0,1]],"force_n":[0,0,-19.6133],`+
			`"torque_nm":[-0.98,0.2,0]},{"rotation":[[1,0,0],[0,0,-1],[0,1,0]],"force_n":[0,-19.6133,0],"torque_nm":[`+
			`1.96,0,-0.2]}]}`, runPayload)
	at("counterweight", "The weights at a crane's tail for each length of its arm, and the one set for a whole move.",
		`{"tail_m":1.2,"boom_kgm":38,"payload_kg":12,"arms_m":[2,2.5,3],"weights":[{"kg":20,"count":4},{"kg":5,`+
			`"count":6}]}`, runCounterweight)
}

func runBalance(_ context.Context, q *BalanceRequest, b Bounds) (*BalanceAnswer, error) {
	pieces := make([]balance.Piece, len(q.Pieces))
	for i, p := range q.Pieces {
		v, err := vector(fmt.Sprintf("pieces[%d].at_m", i), p.At)
		if err != nil {
			return nil, err
		}
		pieces[i] = balance.Piece{Name: p.Name, MassKg: p.MassKg, At: v}
	}
	s, err := balance.Add(pieces)
	if err != nil {
		return nil, err
	}
	arc := balance.Arc{FromDeg: q.FromDeg, ToDeg: q.ToDeg, StepDeg: 1, FrictionNM: q.FrictionNM}
	if q.StepDeg != nil {
		arc.StepDeg = *q.StepDeg
	}
	if q.MotorNM != nil {
		if arc.MotorNM = *q.MotorNM; !(arc.MotorNM > 0) {
			return nil, &FieldError{"motor_nm", fmt.Sprintf("it is %g", arc.MotorNM),
				"give newton metres above zero, or leave it out"}
		}
	}
	if err := arc.Check(b.Samples); err != nil {
		return nil, err
	}
	l := s.Tilt()
	a := &BalanceAnswer{MassKg: s.MassKg, Centre: s.Centre, Torque: arc.Samples(l), LeftAlone: arc.Alone(l),
		Move: BalanceMove{-s.Centre[1], -s.Centre[2]}}
	a.WorstNM, a.WorstAt = l.Worst(arc.FromDeg, arc.ToDeg)
	if q.MotorNM != nil {
		a.Margin = orNull(l.Margin(arc.MotorNM, arc.FromDeg, arc.ToDeg))
	}
	return a, nil
}

// rotation is three rows of three.
func rotation(field string, rows [][]float64) (r [3]rig.Vec, err error) {
	if len(rows) != 3 {
		return r, &FieldError{field, fmt.Sprintf("it has %d rows", len(rows)), "give three rows of three numbers"}
	}
	for i, row := range rows {
		if r[i], err = vector(fmt.Sprintf("%s[%d]", field, i), row); err != nil {
			return r, err
		}
	}
	return r, nil
}

func runPayload(_ context.Context, q *PayloadRequest, b Bounds) (*PayloadAnswer, error) {
	if n := len(q.Poses) + len(q.Candidates); n > b.Samples/100 {
		return nil, &FieldError{"poses", fmt.Sprintf("there are %d, with the candidates", n),
			fmt.Sprintf("give at most %d", b.Samples/100)}
	}
	w := balance.Weighing{G: balance.G, Bias: q.Bias, Known: q.MassKg}
	if q.G != nil {
		w.G = *q.G
	}
	poses, err := q.poses()
	if err != nil {
		return nil, err
	}
	p, err := w.From(poses)
	if err != nil {
		return nil, err
	}
	a := &PayloadAnswer{Moment: p.Moment, BiasForce: p.BiasForce, BiasTorque: p.BiasTorque, ResidualN: p.ResidualN,
		ResidualNM: p.ResidualNM,
		MassSigma:  p.MassSigma, CentreSigma: p.CentreSigma}
	if p.Weighed {
		a.MassKg, a.Centre = &p.MassKg, &p.Centre
	}
	if len(q.Candidates) > 0 {
		next := make([]balance.WristPose, len(q.Candidates))
		for i, c := range q.Candidates {
			if next[i].Rotation, err = rotation(fmt.Sprintf("candidates[%d]", i), c); err != nil {
				return nil, err
			}
		}
		best := w.Next(poses, next)
		a.BestNext = &best
	}
	return a, nil
}

func (q *PayloadRequest) poses() ([]balance.WristPose, error) {
	out := make([]balance.WristPose, len(q.Poses))
	for i, p := range q.Poses {
		field := fmt.Sprintf("poses[%d]", i)
		r, err := rotation(field+".rotation", p.Rotation)
		if err != nil {
			return nil, err
		}
		t, err := vector(field+".torque_nm", p.TorqueNM)
		if err != nil {
			return nil, err
		}
		out[i] = balance.WristPose{Rotation: r, TorqueNM: t}
		if p.ForceN != nil {
			f, err := vector(field+".force_n", p.ForceN)
			if err != nil {
				return nil, err
			}
			out[i].ForceN = &f
		}
	}
	return out, nil
}

func runCounterweight(_ context.Context, q *CounterweightRequest, b Bounds) (*balance.Counter, error) {
	if len(q.ArmsM) > b.Samples/100 {
		return nil, &FieldError{"arms_m", fmt.Sprintf("there are %d", len(q.ArmsM)),
			fmt.Sprintf("give at most %d", b.Samples/100)}
	}
	c := &balance.Crane{TailM: q.TailM, BoomKgM: q.BoomKgM, PayloadKg: q.PayloadKg, ArmsM: q.ArmsM, Weights: q.Weights}
	return c.Weigh()
}
