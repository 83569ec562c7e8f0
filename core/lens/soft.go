package lens

import "keenarc/core/rig"

// SoftRun is a stretch of picture frames, From to To inclusive, in which a point
// is in the picture and not sharp: nearer or farther than what is.
type SoftRun struct {
	From   int     `json:"from"`
	To     int     `json:"to"`
	Worst  int     `json:"worst" doc:"the frame where its blur is largest"`
	BlurPx float64 `json:"blur_px" doc:"diameter of its blur there, in pixels"`
	DepthM float64 `json:"depth_m" doc:"its distance from the image plane along the lens there"`
	NearM  float64 `json:"near_m" doc:"nearest sharp distance there"`
	FarM   float64 `json:"far_m" doc:"farthest sharp distance there; 9999 is infinity"`
}

// SoftRuns finds where a point is seen and soft in the pictures [first, last); at
// gives the image plane's pose and the distance that is focused, from it, in m.
func (p *Package) SoftRuns(first, last int, point rig.Vec, at func(frame int) (rig.Pose, float64)) []SoftRun {
	return SoftRuns(first, last, point, func(frame int) (rig.Pose, Focus) {
		pose, distance := at(frame)
		return pose, p.At(distance)
	})
}

// SoftRuns is the same with the focus as it is in each frame.
func SoftRuns(first, last int, point rig.Vec, at func(frame int) (rig.Pose, Focus)) []SoftRun {
	out := []SoftRun{}
	for f := first; f < last; f++ {
		pose, focus := at(f)
		x, y, depth, ok := focus.Project(pose, point)
		near, far := focus.SharpM()
		if !ok || !focus.Visible(x, y) || depth >= near && depth <= far {
			continue
		}
		blur := focus.BlurPx(depth)
		n := len(out) - 1
		if n < 0 || out[n].To != f-1 {
			out = append(out, SoftRun{From: f, BlurPx: -1})
			n++
		}
		if out[n].To = f; blur > out[n].BlurPx {
			out[n].Worst, out[n].BlurPx, out[n].DepthM, out[n].NearM, out[n].FarM = f, blur, depth, near, min(far, 9999)
		}
	}
	return out
}
