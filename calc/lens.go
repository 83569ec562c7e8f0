package calc

import (
	"context"
	"fmt"
	"math"

	"keenarc/core/lens"
)

// LensRequest is a thin lens, focused somewhere.
type LensRequest struct {
	FocalMM   float64   `json:"focal_mm"`
	FNumber   float64   `json:"f_number"`
	CircleMM  float64   `json:"circle_mm" doc:"the circle of confusion held to be sharp"`
	SensorMM  []float64 `json:"sensor_mm" minItems:"2" maxItems:"2" doc:"width and height"`
	DistanceM float64   `json:"distance_m"`
	From      string    `json:"from,omitempty" enum:"image plane,lens" doc:"where the distance counts from: the image plane when left out"`
}

// LensAnswer counts distances from where the request's does; far and total are null
// where everything far is sharp.
type LensAnswer struct {
	HyperfocalM   float64   `json:"hyperfocal_m"`
	NearM         float64   `json:"near_m"`
	FarM          *float64  `json:"far_m" nullable:"true"`
	TotalM        *float64  `json:"total_m" nullable:"true"`
	Field         LensField `json:"field_deg" doc:"focused at infinity"`
	FocusedField  LensField `json:"focused_field_deg" doc:"at this focus: it breathes"`
	Magnification float64   `json:"magnification"`
}

// LensField is a field of view in degrees: across, down and from corner to corner.
type LensField struct {
	H float64 `json:"h"`
	V float64 `json:"v"`
	D float64 `json:"d"`
}

func init() {
	at("lens", "A thin lens: depth of field, hyperfocal distance and field of view at a focus.",
		`{"focal_mm":35,"f_number":2.8,"circle_mm":0.02,"sensor_mm":[24.9,14.0],"distance_m":1.2,"from":"image plane"}`,
		runLens)
}

func runLens(_ context.Context, q *LensRequest, _ Bounds) (*LensAnswer, error) {
	if len(q.SensorMM) != 2 {
		return nil, &FieldError{"sensor_mm", fmt.Sprintf("it has %d numbers", len(q.SensorMM)),
			"give width and height, as [24.9,14]"}
	}
	for _, f := range []struct {
		name string
		v    float64
	}{{"focal_mm", q.FocalMM}, {"f_number", q.FNumber}, {"circle_mm", q.CircleMM}, {"sensor_mm[0]", q.SensorMM[0]},
		{"sensor_mm[1]", q.SensorMM[1]}, {"distance_m", q.DistanceM}} {
		if !(f.v > 0 && f.v <= 1e9) {
			return nil, &FieldError{f.name, fmt.Sprintf("it is %g", f.v), "give a number above zero"}
		}
	}
	p := &lens.Package{FocalMM: q.FocalMM, FNumber: q.FNumber, CircleMM: q.CircleMM, WidthMM: q.SensorMM[0],
		HeightMM: q.SensorMM[1]}
	f := q.FocalMM / 1000
	a := &LensAnswer{HyperfocalM: p.HyperfocalM()}
	var focus lens.Focus
	var far float64
	switch q.From {
	case "", "image plane":
		if q.DistanceM < 4*f {
			return nil, &FieldError{"distance_m",
				fmt.Sprintf("it is %g; a %g mm lens focuses no nearer than %g m from the image plane", q.DistanceM,
					q.FocalMM, 4*f), fmt.Sprintf("give %g or more", 4*f)}
		}
		focus = p.At(q.DistanceM)
		a.HyperfocalM = p.AtObject(a.HyperfocalM).SharpAtM
		a.NearM, far = focus.SharpM()
	case "lens":
		if q.DistanceM <= f {
			return nil, &FieldError{"distance_m",
				fmt.Sprintf("it is %g; nothing nearer than the focal length, %g m, is ever sharp", q.DistanceM, f),
				fmt.Sprintf("give more than %g", f)}
		}
		focus = p.AtObject(q.DistanceM)
		a.NearM, far = focus.SharpFromLensM()
	default:
		return nil, &FieldError{"from", fmt.Sprintf("%q is no place to count from", q.From),
			`say "image plane" or "lens"`}
	}
	if a.FarM = orNull(far); !math.IsInf(far, 1) {
		total := far - a.NearM
		a.TotalM = &total
	}
	a.Field, a.FocusedField = fieldOf(p.FieldDeg()), fieldOf(focus.FieldDeg())
	a.Magnification = focus.Magnification
	return a, nil
}

func fieldOf(h, v, d float64) LensField { return LensField{h, v, d} }
