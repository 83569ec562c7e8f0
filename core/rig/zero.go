package rig

import "math"

// Zeroed is an axis whose values are counted from another zero: limits, home and hard ends
// go with it. What is planned on it is that much less than what the machine counts.
func (a Axis) Zeroed(zero float64) Axis {
	home := a.HomeValue()
	a.Zero += zero
	a.Min, a.Max, a.Hard = a.Min-zero, a.Max-zero, [2]float64{a.Hard[0] - zero, a.Hard[1] - zero}
	if zero != 0 {
		home -= zero
		a.HomeAt = &home
	}
	return a
}

// Planned turns values that machines count, in axis order, into the plan's, in place.
func (r *Rig) Planned(q []float64) []float64 {
	for i := range q {
		q[i] -= r.Axes[i].Zero
	}
	return q
}

// Counted is its inverse.
func (r *Rig) Counted(q []float64) []float64 {
	for i := range q {
		q[i] += r.Axes[i].Zero
	}
	return q
}

// AlongRail are the values of the axis that pans at which the camera looks along the
// machine's rail, one way and the other; none for other axes, or without a rail.
func (r *Rig) AlongRail(axis int) []float64 {
	rails := r.Rails()
	if len(rails) == 0 || r.Camera == "" || axis != r.turns(2) {
		return nil
	}
	d := [2]float64{rails[0].Hard[1][0] - rails[0].Hard[0][0], rails[0].Hard[1][1] - rails[0].Hard[0][1]}
	if math.Hypot(d[0], d[1]) < 1e-9 {
		return nil
	}
	at := math.Atan2(d[0], d[1]) * 180 / math.Pi
	other := at - 180
	if other <= -180 {
		other += 360
	}
	return []float64{at, other}
}
