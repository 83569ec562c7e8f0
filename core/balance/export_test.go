package balance

// Leans is which pose does not go with the others, for tests.
func Leans(w Weighing, poses []WristPose) int {
	all, err := w.From(poses)
	if err != nil {
		return -1
	}
	return w.leans(poses, all)
}
